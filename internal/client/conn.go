// Package client talks to the service over HTTP: the generated client, and what
// the command line needs around it (where the service is, the token, errors as
// faults, progress). It knows no terminal.
package client

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"uchi/internal/core/fault"
)

// Login is where the service is and how we sign in; it is kept in a file of the user.
type Login struct {
	Server string `json:"server"`
	Token  string `json:"token"`
}

// LoginFile is the file that keeps the login.
func LoginFile() (string, error) {
	dir, err := os.UserConfigDir()
	if err != nil {
		return "", fmt.Errorf("find the configuration directory: %w", err)
	}
	return filepath.Join(dir, "uchi", "login.json"), nil
}

// ReadLogin reads the kept login; there may be none.
func ReadLogin() (Login, error) {
	var l Login
	path, err := LoginFile()
	if err != nil {
		return l, err
	}
	b, err := os.ReadFile(path)
	if errors.Is(err, os.ErrNotExist) {
		return l, nil
	}
	if err != nil {
		return l, fmt.Errorf("read login: %w", err)
	}
	if err := json.Unmarshal(b, &l); err != nil {
		return l, fault.New(fault.Invalid, "bad_login_file",
			"the kept login cannot be read").At(fault.Place{File: path}).Mended("Remove the file and sign in again with uchi login.")
	}
	return l, nil
}

// Keep writes the login for this user alone.
func (l Login) Keep() error {
	path, err := LoginFile()
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return fmt.Errorf("keep login: %w", err)
	}
	b, err := json.MarshalIndent(l, "", "  ")
	if err != nil {
		return err
	}
	return os.WriteFile(path, append(b, '\n'), 0o600)
}

// Conn is a service with a workspace chosen.
type Conn struct {
	*ClientWithResponses
	Server    string
	Workspace string
}

// Connect prepares requests to a service; nothing is sent yet.
func Connect(l Login, workspace string) (*Conn, error) {
	server := strings.TrimSuffix(l.Server, "/")
	sign := func(_ context.Context, r *http.Request) error {
		r.Header.Set("User-Agent", "uchi command line")
		if l.Token != "" {
			r.Header.Set("Authorization", "Bearer "+l.Token)
		}
		return nil
	}
	c, err := NewClientWithResponses(server+"/api/v1", WithRequestEditorFn(sign), WithHTTPClient(faults{}))
	if err != nil {
		return nil, fault.New(fault.Invalid, "bad_server",
			"the service's address cannot be read").With(l.Server).Mended("It looks like http://127.0.0.1:8844.")
	}
	return &Conn{ClientWithResponses: c, Server: server, Workspace: workspace}, nil
}

// Unreachable is the code of the fault that the service does not answer.
const Unreachable = "service_unreachable"

// faults sends requests and turns what went wrong into errors: the service's
// problem as a fault, or that the service cannot be reached. Answers that come
// through are good.
type faults struct{}

// Rows that a crash of the database has emptied are read again when somebody asks for them; who only looks waits for that.
const (
	stagingLost   = "staging_lost"
	lookAgain     = 500 * time.Millisecond
	mostLooksLost = 240
)

// Do implements HttpRequestDoer.
func (f faults) Do(req *http.Request) (*http.Response, error) {
	for again := 0; ; again++ {
		r, err := f.once(req)
		if req.Method != http.MethodGet || again == mostLooksLost || !fault.Is(err, stagingLost) {
			return r, err
		}
		select {
		case <-req.Context().Done():
			return nil, req.Context().Err()
		case <-time.After(lookAgain):
		}
	}
}

func (faults) once(req *http.Request) (*http.Response, error) {
	r, err := http.DefaultClient.Do(req)
	if err != nil {
		if errors.Is(err, context.Canceled) {
			return nil, err
		}
		return nil, fault.New(fault.Busy, Unreachable, "the service cannot be reached: "+
			err.Error()).Mended("Start it with uchi serve, or name it with --server.")
	}
	if r.StatusCode < 400 {
		return r, nil
	}
	defer r.Body.Close()
	var p Problem
	if err := json.NewDecoder(r.Body).Decode(&p); err != nil || p.Code == "" {
		return nil, fault.New(fault.Busy, Unreachable, "what answers is not the service, or it is not well: "+r.Status)
	}
	return nil, fault.New(kindOf[p.Status], p.Code, p.Title).At(p.Place).With(p.Value).Mended(p.Mend)
}

var kindOf = map[int]fault.Kind{http.StatusUnprocessableEntity: fault.Invalid, http.StatusNotFound: fault.NotFound,
	http.StatusConflict:  fault.Conflict,
	http.StatusForbidden: fault.Denied, http.StatusUnauthorized: fault.Unsigned,
	http.StatusRequestEntityTooLarge: fault.TooLarge, http.StatusServiceUnavailable: fault.Busy}

// Import reads one import.
func (c *Conn) Import(ctx context.Context, id int64) (Import, error) {
	r, err := c.GetImportWithResponse(ctx, c.Workspace, id)
	if err != nil {
		return Import{}, err
	}
	return *r.JSON200, nil
}

// Wait follows an import until no work is in progress and gives it back. Each
// note of progress is passed on. A line that breaks is taken up again.
func (c *Conn) Wait(ctx context.Context, id int64, progress func(Progress)) (Import, error) {
	for {
		if err := c.follow(ctx, id, progress); err != nil {
			return Import{}, err
		}
		i, err := c.Import(ctx, id)
		if err != nil || i.Busy == "" {
			return i, err
		}
	}
}

func (c *Conn) follow(ctx context.Context, id int64, progress func(Progress)) error {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	r, err := c.StreamImport(ctx, c.Workspace, id)
	if err != nil {
		return err
	}
	defer r.Body.Close()
	return events(r.Body, nil, func(p Progress) bool {
		if progress != nil {
			progress(p)
		}
		return p.Busy != ""
	})
}

// events reads what a line of server-sent events says until take wants no more; at is the
// number of the last one.
func events[T any](r io.Reader, at *int64, take func(T) bool) error {
	lines := bufio.NewScanner(r)
	for lines.Scan() {
		if id, ok := strings.CutPrefix(lines.Text(), "id: "); ok && at != nil {
			n, err := strconv.ParseInt(id, 10, 64)
			if err != nil {
				return fmt.Errorf("read an event: %w", err)
			}
			*at = n
		}
		data, ok := strings.CutPrefix(lines.Text(), "data: ")
		if !ok {
			continue
		}
		var what T
		if err := json.Unmarshal([]byte(data), &what); err != nil {
			return fmt.Errorf("read an event: %w", err)
		}
		if !take(what) {
			return nil
		}
	}
	return nil
}

// FollowNotices tells of each notice as it comes, until the context ends. A line that breaks
// is taken up again, so that none is missed.
func (c *Conn) FollowNotices(ctx context.Context, tell func(PersonNotice)) error {
	var on StreamNoticesParams
	for begun := false; ctx.Err() == nil; {
		r, err := c.StreamNotices(ctx, &on)
		switch {
		case err == nil:
			begun = true
			err = events(r.Body, &on.LastEventID, func(n PersonNotice) bool {
				tell(n)
				return true
			})
			r.Body.Close()
			if err != nil {
				return err
			}
		case !begun || !fault.Is(err, Unreachable): // who may not hear it any more is told so
			return err
		}
		select {
		case <-ctx.Done():
		case <-time.After(time.Second):
		}
	}
	return nil
}

// MadeOn is the If-Match header of a change that was made on a version of what
// it changes; empty for 0, by which whatever is there is changed.
func MadeOn(version int) string {
	if version == 0 {
		return ""
	}
	return strconv.Quote(strconv.Itoa(version))
}
