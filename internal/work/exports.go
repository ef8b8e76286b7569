package work

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"sync/atomic"
	"time"

	"uchi/internal/core/fault"
	"uchi/internal/core/rights"
	"uchi/internal/store"
)

// Large exports are written in the background and fetched when they are ready. A process claims
// an export in the database and shows every few seconds that it lives; one that is silent loses it
// to the next, which begins it again.

// keepExports is how long the file of an export is kept.
const keepExports = 7 * 24 * time.Hour

// media are the media types of the files of exports, by how their names end.
var media = map[string]string{
	string(CSV): "text/csv; charset=utf-8", string(JSONL): "application/jsonl; charset=utf-8",
	string(XLSX): "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
	string(ODS):  "application/vnd.oasis.opendocument.spreadsheet",
	"zip":        "application/zip",
}

// MediaOf gives the media type of an export whose file's name ends so.
func (x Export) MediaOf(ending string) string {
	if x.Format == CSV && x.UTF16 {
		return "text/csv; charset=utf-16"
	}
	return media[ending]
}

// StartExport begins an export in the background. What is wrong with the choice is said at once.
func (s *Service) StartExport(ctx context.Context, workspace, typeName string, x Export,
	by store.Person) (store.Export, error) {
	t, ending, _, err := s.Exporting(ctx, workspace, typeName, x)
	if err != nil {
		return store.Export{}, err
	}
	n, err := s.store.CountChosen(ctx, workspace, typeName, x.Filter)
	if err != nil {
		return store.Export{}, err
	}
	chosen, err := json.Marshal(x)
	if err != nil {
		return store.Export{}, fmt.Errorf("keep what is exported: %w", err)
	}
	made, err := s.store.AddExport(ctx, store.Export{Workspace: workspace, Type: t.Name, Chosen: chosen,
		Name: t.Name + "." + ending, Media: x.MediaOf(ending), Records: n, MadeBy: by.ID, SeenAs: by.Role})
	if err == nil {
		s.wakeUp()
	}
	return made, err
}

// RemoveExport removes an export of a person, written or not.
func (s *Service) RemoveExport(ctx context.Context, workspace string, id int64, by store.Person) error {
	return s.store.RemoveExport(ctx, workspace, id, by.ID)
}

// OpenExport opens the file of an export of a person, who must still have the role by which it was
// written.
func (s *Service) OpenExport(ctx context.Context, workspace string, id int64, by store.Person) (store.Export,
	io.ReadSeeker, error) {
	x, err := s.store.Export(ctx, workspace, id, by.ID)
	switch {
	case err != nil:
		return x, nil, err
	case x.Trouble.V != nil:
		return x, nil, fault.New(fault.Conflict, x.Trouble.V.Code, x.Trouble.V.Message).Mended(x.Trouble.V.Mend)
	case !by.Role.Covers(x.SeenAs):
		return x, nil, ErrRole(x.SeenAs)
	case x.Source == nil:
		return x, nil, fault.New(fault.Conflict, "not_ready",
			"the export is still being written").Mended("Wait until it is ready.")
	}
	src, err := s.store.OpenSource(ctx, *x.Source)
	if err != nil {
		return x, nil, err
	}
	return x, io.NewSectionReader(src, 0, src.Size), nil
}

// lookForExports begins to write the next export, when this process writes none.
func (s *Service) lookForExports(ctx context.Context) error {
	return s.takeUp(ctx, &s.exporting, func() (func(), error) {
		x, ok, err := s.store.ClaimExport(ctx, s.opt.Process, silentAfter)
		if err != nil || !ok {
			return nil, err
		}
		return func() { s.write(ctx, x) }, nil
	})
}

// write writes an export that this process has claimed, and notes how it ended.
func (s *Service) write(ctx context.Context, x store.Export) {
	var source *int64
	err := fault.Safely(func() (err error) {
		source, err = s.writeExport(ctx, x)
		return err
	})
	var trouble *store.Trouble
	f, ok := fault.From(err)
	if full := store.Told(err); full != nil {
		f, ok = full, true
	}
	if ok {
		trouble = new(store.Trouble)
		*trouble = store.TroubleOf(f)
	} else if err != nil && ctx.Err() == nil && !errors.Is(err, errNotMine) {
		s.opt.Log.Error("an export failed", "export", x.ID, "error", err)
		trouble = &store.Trouble{Code: "internal", Message: "the export could not be written",
			Mend: "Begin it again; the service's log says more."}
	}
	ctx = context.WithoutCancel(ctx)
	mine, err := s.store.EndExport(ctx, x.ID, s.opt.Process, source, trouble)
	if err == nil && !mine && source != nil { // it was removed meanwhile
		err = s.store.DropSource(ctx, *source)
	}
	if err != nil {
		s.opt.Log.Warn("the end of an export is not noted", "export", x.ID, "error", err)
	}
}

// errNotMine ends the writing of an export that was removed, or that another process has.
var errNotMine = errors.New("the export is no longer this process's")

// writeExport writes the file of an export as its person may see the records.
func (s *Service) writeExport(ctx context.Context, x store.Export) (*int64, error) {
	p, err := s.store.PersonIn(ctx, x.MadeBy, x.Workspace)
	if err != nil {
		return nil, err
	}
	if !p.Active || !p.Role.Covers(rights.Viewer) {
		return nil, ErrRole(rights.Viewer)
	}
	role := p.Role
	if x.SeenAs.Valid() && role.Covers(x.SeenAs) { // it was asked for with a token that may do less
		role = x.SeenAs
	}
	if err := s.store.SeeExportAs(ctx, x.ID, s.opt.Process, role); err != nil {
		return nil, err
	}
	var chosen Export
	if err := json.Unmarshal(x.Chosen, &chosen); err != nil {
		return nil, fmt.Errorf("read what is exported: %w", err)
	}
	ctx, cancel := context.WithCancelCause(store.SeenAs(ctx, role))
	defer cancel(nil)
	_, _, write, err := s.Exporting(ctx, x.Workspace, x.Type, chosen)
	if err != nil {
		return nil, err
	}
	r, w := io.Pipe()
	written := &counting{w: w}
	go func() {
		err := fault.Safely(func() error { return write(ctx, written) })
		w.CloseWithError(err) //nolint:errcheck // never fails
	}()
	go s.beatExport(ctx, cancel, x.ID, written)
	source, err := s.store.SaveSource(ctx, x.Name, r, -1, math.MaxInt64-1)
	if err != nil {
		r.CloseWithError(err) //nolint:errcheck // never fails
		return nil, errors.Join(err, context.Cause(ctx))
	}
	return &source, nil
}

// beatExport shows that an export is being written until that ends, and ends it when it is no
// longer this process's to write.
func (s *Service) beatExport(ctx context.Context, cancel context.CancelCauseFunc, id int64, written *counting) {
	tick := time.NewTicker(beatEvery)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		mine, err := s.store.BeatExport(ctx, id, s.opt.Process, written.n.Load())
		if err == nil && !mine {
			cancel(errNotMine)
			return
		}
	}
}

// counting counts the bytes that are written.
type counting struct {
	w io.Writer
	n atomic.Int64
}

func (c *counting) Write(b []byte) (int, error) {
	n, err := c.w.Write(b)
	c.n.Add(int64(n))
	return n, err
}
