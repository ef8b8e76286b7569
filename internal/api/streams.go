package api

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"mime"
	"net/http"
	"strconv"
	"time"

	"uchi/internal/staging"
	"uchi/internal/work"
)

// stream is an answer that is written piece by piece.
type stream struct {
	kind  string
	file  string // under which it is saved, empty when it is shown
	write func(w http.ResponseWriter) error
}

func (s stream) send(w http.ResponseWriter) error {
	w.Header().Set("Content-Type", s.kind)
	if s.file != "" {
		w.Header().Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": s.file}))
	}
	return s.write(w)
}

// VisitStreamImportResponse writes the events.
func (s stream) VisitStreamImportResponse(w http.ResponseWriter) error { return s.send(w) }

// VisitGetRoutineDocumentResponse writes the document.
func (s stream) VisitGetRoutineDocumentResponse(w http.ResponseWriter) error { return s.send(w) }

// VisitDownloadRowsResponse writes the sheet.
func (s stream) VisitDownloadRowsResponse(w http.ResponseWriter) error { return s.send(w) }

// VisitDownloadOverwritesResponse writes the sheet.
func (s stream) VisitDownloadOverwritesResponse(w http.ResponseWriter) error { return s.send(w) }

// VisitDownloadWorkbookResponse writes the workbook.
func (s stream) VisitDownloadWorkbookResponse(w http.ResponseWriter) error { return s.send(w) }

// VisitGetFileResponse writes the file.
func (s stream) VisitGetFileResponse(w http.ResponseWriter) error { return s.send(w) }

// VisitDownloadSourceResponse writes the file.
func (s stream) VisitDownloadSourceResponse(w http.ResponseWriter) error { return s.send(w) }

const (
	lookEvery  = 250 * time.Millisecond
	sayAnyway  = 15 * time.Second // so that nobody between takes the line for dead
	streamKind = "text/event-stream"
)

func (h *handlers) StreamImport(ctx context.Context, r StreamImportRequestObject) (StreamImportResponseObject, error) {
	p, err := h.store.ProgressOf(ctx, r.Workspace, r.Import)
	if err != nil {
		return nil, err
	}
	return stream{kind: streamKind, write: func(w http.ResponseWriter) error {
		w.Header().Set("Cache-Control", "no-store")
		flush := http.NewResponseController(w)
		tick := time.NewTicker(lookEvery)
		defer tick.Stop()
		ended, stop := h.work.Ended(r.Import)
		defer stop()
		var last string
		said := time.Now()
		for {
			b, err := json.Marshal(progressView(p))
			if err != nil {
				return err
			}
			if string(b) != last || time.Since(said) > sayAnyway {
				last, said = string(b), time.Now()
				if _, err := fmt.Fprintf(w, "event: progress\ndata: %s\n\n", b); err != nil {
					return nil
				}
				if err := flush.Flush(); err != nil {
					return nil
				}
			}
			select {
			case <-ctx.Done():
				return nil
			case <-ended:
			case <-tick.C:
			}
			if p, err = h.store.ProgressOf(ctx, r.Workspace, r.Import); err != nil {
				return nil
			}
		}
	}}, nil
}

func (h *handlers) DownloadRows(ctx context.Context, r DownloadRowsRequestObject) (DownloadRowsResponseObject, error) {
	i, c, err := h.importWith(ctx, r.Workspace, r.Import)
	if err != nil {
		return nil, err
	}
	p := r.Params
	filter, err := work.Filter(i, p.Column, staging.RowFilter{Verdict: string(p.Verdict), Outcome: string(p.Outcome),
		Problem: p.Problem, Field: p.Field, Reason: p.Reason, Kind: string(p.Kind), Text: p.Text})
	if err != nil {
		return nil, err
	}
	return stream{kind: "text/csv; charset=utf-8", file: downloadName(i, filter) + ".csv",
		write: func(w http.ResponseWriter) error {
			return h.work.WriteRows(ctx, i, c, filter, w)
		}}, nil
}

func (h *handlers) DownloadOverwrites(ctx context.Context,
	r DownloadOverwritesRequestObject) (DownloadOverwritesResponseObject, error) {
	i, c, err := h.importWith(ctx, r.Workspace, r.Import)
	if err != nil {
		return nil, err
	}
	return stream{kind: "text/csv; charset=utf-8", file: downloadName(i, staging.RowFilter{}) + "-overwrites.csv",
		write: func(w http.ResponseWriter) error {
			return h.work.WriteOverwrites(ctx, i, c, w)
		}}, nil
}

func (h *handlers) DownloadSource(ctx context.Context, r DownloadSourceRequestObject) (DownloadSourceResponseObject,
	error) {
	i, err := h.store.Import(ctx, r.Workspace, r.Import)
	if err != nil {
		return nil, err
	}
	if err := work.MustSee(i); err != nil {
		return nil, err
	}
	src, err := h.store.OpenSource(ctx, i.Source)
	if err != nil {
		return nil, err
	}
	return stream{kind: "application/octet-stream", file: i.FileName, write: func(w http.ResponseWriter) error {
		w.Header().Set("Content-Length", strconv.FormatInt(src.Size, 10))
		_, err := io.Copy(w, io.NewSectionReader(src, 0, src.Size))
		return err
	}}, nil
}
