package api

import (
	"cmp"
	"context"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"uchi/internal/core/value"
	"uchi/internal/store"
)

// The log, and sign-ins.

func (h *handlers) ListSessions(ctx context.Context, _ ListSessionsRequestObject) (ListSessionsResponseObject, error) {
	list, err := h.store.Sessions(ctx, personOf(ctx).ID, sessionOf(ctx))
	out := ListSessions200JSONResponse{Sessions: []Session{}}
	for _, s := range list {
		out.Sessions = append(out.Sessions, Session{
			Id: s.ID, Address: s.Address, Agent: s.Agent, MadeAt: s.MadeAt, SeenAt: s.SeenAt, EndsAt: s.EndsAt,
			Own: s.Own,
		})
	}
	return out, err
}

func (h *handlers) EndSession(ctx context.Context, r EndSessionRequestObject) (EndSessionResponseObject, error) {
	return EndSession204Response{}, h.work.EndSession(ctx, personOf(ctx), r.Session)
}

func logFilter(person, workspace, text string, since, until time.Time) store.LogFilter {
	f := store.LogFilter{Person: strings.TrimSpace(person), Workspace: workspace, Text: text}
	if !since.IsZero() {
		f.Since = &since
	}
	if !until.IsZero() {
		f.Until = &until
	}
	return f
}

func (h *handlers) ListLog(ctx context.Context, r ListLogRequestObject) (ListLogResponseObject, error) {
	p := r.Params
	f := logFilter(p.Person, p.In, p.Text, p.Since, p.Until)
	var err error
	if f.Before, err = store.ParseLogBefore(p.Cursor); err != nil {
		return nil, err
	}
	most := limitOf(p.Limit, 100)
	out := ListLog200JSONResponse{Entries: []LogEntry{}}
	err = h.store.EachLogEntry(ctx, f, most+1, func(e store.LogEntry) error {
		if len(out.Entries) == most {
			out.Next = strconv.FormatInt(out.Entries[most-1].Id, 10)
			return nil
		}
		v := LogEntry{
			Id: e.ID, At: e.At, Person: e.Person, Email: e.Email, Workspace: e.Workspace, Action: e.Action,
			Subject: e.Subject, Address: e.Address, Request: e.Request, Token: e.Token,
		}
		if e.Detail != nil {
			var d struct{ Was, Now any }
			if err := json.Unmarshal(*e.Detail, &d); err != nil {
				return fmt.Errorf("read the log: %w", err)
			}
			v.Changed = changesOf("", d.Was, d.Now)
		}
		out.Entries = append(out.Entries, v)
		return nil
	})
	return out, err
}

// changesOf tells two documents as a line for each value that differs, by its path.
func changesOf(path string, was, now any) (list []LogChange) {
	a, ok := was.(map[string]any)
	b, both := now.(map[string]any)
	if ok && both || ok && now == nil || both && was == nil {
		var names []string
		for k := range a {
			names = append(names, k)
		}
		for k := range b {
			if _, there := a[k]; !there {
				names = append(names, k)
			}
		}
		slices.Sort(names)
		for _, k := range names {
			list = append(list, changesOf(strings.TrimPrefix(path+"."+k, "."), a[k], b[k])...)
		}
		return list
	}
	return []LogChange{{Path: cmp.Or(path, "all"), Was: inWords(was), Now: inWords(now)}}
}

func inWords(v any) string {
	switch v := v.(type) {
	case nil:
		return ""
	case string:
		return v
	}
	b, err := json.Marshal(v)
	if err != nil {
		return fmt.Sprint(v)
	}
	return string(b)
}

func (h *handlers) DownloadLog(ctx context.Context, r DownloadLogRequestObject) (DownloadLogResponseObject, error) {
	p := r.Params
	f := logFilter(p.Person, p.In, p.Text, p.Since, p.Until)
	return stream{kind: "text/csv; charset=utf-8", file: "log.csv", write: func(w http.ResponseWriter) error {
		out := csv.NewWriter(w)
		//nolint:errcheck // told at the end
		out.Write([]string{"Entry", "At", "Person", "E-mail", "Workspace", "Action", "Subject", "Address", "Token",
			"Request", "Changed"})
		err := h.store.EachLogEntry(ctx, f, 0, func(e store.LogEntry) error {
			detail := ""
			if e.Detail != nil {
				detail = string(*e.Detail)
			}
			row := []string{strconv.FormatInt(e.ID, 10), e.At.UTC().Format(time.RFC3339Nano), e.Person, e.Email, e.Workspace,
				e.Action, e.Subject, e.Address, e.Token, e.Request, detail}
			for n := range row {
				row[n] = value.Guard(row[n])
			}
			return out.Write(row)
		})
		out.Flush()
		return cmp.Or(err, out.Error())
	}}, nil
}

// noticesShown is how many notices a list shows.
const noticesShown = 100

func (h *handlers) ListNotices(ctx context.Context, _ ListNoticesRequestObject) (ListNoticesResponseObject, error) {
	by := personOf(ctx)
	list, err := h.work.Notices(ctx, by, noticesShown)
	if err != nil {
		return nil, err
	}
	told, err := h.store.Told(ctx, by.ID)
	out := ListNotices200JSONResponse{Notices: []PersonNotice{}, Told: []NoticeKind{}, Mail: h.work.Mails()}
	for _, k := range told {
		out.Told = append(out.Told, NoticeKind(k))
	}
	for _, n := range list {
		out.Notices = append(out.Notices, noticeView(n))
	}
	return out, err
}

func noticeView(n store.Notice) PersonNotice {
	v := PersonNotice{Id: n.ID, Kind: NoticeKind(n.Kind), Subject: n.Subject, Lines: append([]string{}, n.Lines.V...),
		Link: n.Link, MadeAt: n.MadeAt, SentAt: at(n.SentAt), Trouble: n.Trouble,
		GivenUp: n.SentAt == nil && n.NextAt == nil}
	if n.Workspace != nil {
		v.Workspace = *n.Workspace
	}
	return v
}

// VisitStreamNoticesResponse writes the events.
func (s stream) VisitStreamNoticesResponse(w http.ResponseWriter) error { return s.send(w) }

// StreamNotices tells of each notice as it comes; its id lets a reader go on where the line
// broke (HTML, 9.2 Server-sent events).
func (h *handlers) StreamNotices(ctx context.Context, r StreamNoticesRequestObject) (StreamNoticesResponseObject,
	error) {
	by, last := personOf(ctx), int64(-1)
	if r.Params.LastEventID > 0 {
		last = r.Params.LastEventID
	}
	list, last, err := h.store.NoticesAfter(ctx, by.ID, last)
	if err != nil {
		return nil, err
	}
	return stream{kind: streamKind, write: func(w http.ResponseWriter) error {
		ctx, cancel := context.WithTimeout(ctx, longestStream)
		defer cancel()
		w.Header().Set("Cache-Control", "no-store")
		flush := http.NewResponseController(w)
		tick := time.NewTicker(lookForNotices)
		defer tick.Stop()
		said := time.Time{} // at once, so that the reader knows that somebody is there
		if last > 0 {
			if _, err := fmt.Fprintf(w, "id: %d\n\n", last); err != nil { // from where to go on
				return nil
			}
		}
		for {
			for _, n := range list {
				b, err := json.Marshal(noticeView(n))
				if err != nil {
					return err
				}
				if _, err := fmt.Fprintf(w, "id: %d\nevent: notice\ndata: %s\n\n", n.ID, b); err != nil {
					return nil
				}
			}
			if len(list) == 0 && time.Since(said) > sayAnyway {
				if _, err := fmt.Fprint(w, ": nothing new\n\n"); err != nil {
					return nil
				}
				said = time.Now()
			}
			if err := flush.Flush(); err != nil {
				return nil
			}
			select {
			case <-ctx.Done():
				return nil
			case <-tick.C:
			}
			if list, last, err = h.store.NoticesAfter(ctx, by.ID, last); err != nil {
				return nil
			}
		}
	}}, nil
}

// How often a stream of notices looks for new ones, and after how long it ends, so that whoever
// may not sign in any more hears no more; readers begin it again.
const (
	lookForNotices = time.Second
	longestStream  = 10 * time.Minute
)

func (h *handlers) SetNotices(ctx context.Context, r SetNoticesRequestObject) (SetNoticesResponseObject, error) {
	var kinds []store.NoticeKind
	for _, k := range r.Body.Told {
		kinds = append(kinds, store.NoticeKind(k))
	}
	return SetNotices204Response{}, h.work.SetTold(ctx, personOf(ctx), kinds)
}

// VisitDownloadLogResponse writes the sheet.
func (s stream) VisitDownloadLogResponse(w http.ResponseWriter) error { return s.send(w) }

func (h *handlers) ProveLog(ctx context.Context, r ProveLogRequestObject) (ProveLogResponseObject, error) {
	p, err := h.store.ProveLog(ctx, strings.TrimSpace(r.Params.Once))
	return ProveLog200JSONResponse{
		Entries: p.Entries, Unsealed: p.Unsealed, Last: p.Last, Whole: p.Why == "", Broken: p.Broken, Entry: p.Entry,
		Why: p.Why,
	}, err
}
