package api

import (
	"context"
	"fmt"
	"io"
	"net/http"

	"uchi/internal/core/fault"
	"uchi/internal/core/mapping"
	"uchi/internal/store"
)

// onRoutine changes the routine of an import as act does, on the version that
// the header names.
func (h *handlers) onRoutine(ctx context.Context, workspace string, id int64, on string,
	change func(i store.Import, on int) error) (Import, error) {
	version, err := versionOn(on)
	if err != nil {
		return Import{}, err
	}
	return h.act(ctx, workspace, id, func(i store.Import) error { return change(i, version) })
}

func (h *handlers) GetImportRoutine(ctx context.Context,
	r GetImportRoutineRequestObject) (GetImportRoutineResponseObject, error) {
	i, err := h.store.Import(ctx, r.Workspace, r.Import)
	if err != nil {
		return nil, err
	}
	if i.Routine.V == nil {
		return nil, fault.New(fault.NotFound, "no_mapping",
			"no column is mapped yet").Mended("Choose a record type for the import.")
	}
	return GetImportRoutine200JSONResponse{Body: *i.Routine.V,
		Headers: GetImportRoutine200ResponseHeaders{ETag: etag(i.RoutineVersion)}}, nil
}

func (h *handlers) SetRoutine(ctx context.Context, r SetRoutineRequestObject) (SetRoutineResponseObject, error) {
	i, err := h.onRoutine(ctx, r.Workspace, r.Import, r.Params.IfMatch, func(i store.Import, on int) error {
		return h.work.SetRoutine(ctx, i, *r.Body, on, personOf(ctx))
	})
	return SetRoutine200JSONResponse(i), err
}

func (h *handlers) UseRoutine(ctx context.Context, r UseRoutineRequestObject) (UseRoutineResponseObject, error) {
	i, err := h.onRoutine(ctx, r.Workspace, r.Import, r.Params.IfMatch, func(i store.Import, on int) error {
		return h.work.UseRoutine(ctx, i, r.Name, on, personOf(ctx))
	})
	return UseRoutine200JSONResponse(i), err
}

func routineView(r store.SavedRoutine) SavedRoutine {
	return SavedRoutine{Name: r.Name, Type: r.Type, Routine: r.Document.V, Version: r.Version, ChangedBy: r.ChangedBy,
		ChangedAt: r.ChangedAt}
}

func (h *handlers) ListRoutines(ctx context.Context, r ListRoutinesRequestObject) (ListRoutinesResponseObject, error) {
	list, err := h.store.Routines(ctx, r.Workspace)
	out := ListRoutines200JSONResponse{Routines: []SavedRoutine{}}
	for _, x := range list {
		out.Routines = append(out.Routines, routineView(x))
	}
	return out, err
}

func (h *handlers) GetRoutine(ctx context.Context, r GetRoutineRequestObject) (GetRoutineResponseObject, error) {
	x, err := h.store.Routine(ctx, r.Workspace, r.Name)
	return GetRoutine200JSONResponse{Body: routineView(x),
		Headers: GetRoutine200ResponseHeaders{ETag: etag(x.Version)}}, err
}

func (h *handlers) SaveRoutine(ctx context.Context, r SaveRoutineRequestObject) (SaveRoutineResponseObject, error) {
	doc := *r.Body
	doc.Name = r.Name
	on, err := versionOn(r.Params.IfMatch)
	if err != nil {
		return nil, err
	}
	x, err := h.work.SaveRoutine(ctx, r.Workspace, doc, on, personOf(ctx))
	return SaveRoutine200JSONResponse{Body: routineView(x),
		Headers: SaveRoutine200ResponseHeaders{ETag: etag(x.Version)}}, err
}

func (h *handlers) CopyRoutine(ctx context.Context, r CopyRoutineRequestObject) (CopyRoutineResponseObject, error) {
	x, err := h.work.CopyRoutine(ctx, r.Workspace, r.Name, r.Body.To, r.Body.Name, personOf(ctx))
	return CopyRoutine201JSONResponse(routineView(x)), err
}

func (h *handlers) GetRoutineDocument(ctx context.Context,
	r GetRoutineDocumentRequestObject) (GetRoutineDocumentResponseObject, error) {
	x, err := h.store.Routine(ctx, r.Workspace, r.Name)
	if err != nil {
		return nil, err
	}
	b, err := mapping.WriteRoutine(x.Document.V)
	return stream{kind: "application/yaml; charset=utf-8", file: x.Name + ".yaml",
		write: func(w http.ResponseWriter) error {
			w.Header().Set("ETag", etag(x.Version))
			_, err := w.Write(b)
			return err
		}}, err
}

func (h *handlers) SaveRoutineDocument(ctx context.Context,
	r SaveRoutineDocumentRequestObject) (SaveRoutineDocumentResponseObject, error) {
	b, err := io.ReadAll(io.LimitReader(r.Body, mostDocument+1))
	if err != nil {
		return nil, err
	}
	if len(b) > mostDocument {
		return nil, fault.New(fault.TooLarge, "too_large", fmt.Sprintf("a routine has at most %d MiB",
			mostDocument>>20)).Mended("Send the routine alone, without the data.")
	}
	doc, err := mapping.ReadRoutine(b)
	if err != nil {
		return nil, err
	}
	doc.Name = r.Name
	on, err := versionOn(r.Params.IfMatch)
	if err != nil {
		return nil, err
	}
	x, err := h.work.SaveRoutine(ctx, r.Workspace, doc, on, personOf(ctx))
	return SaveRoutineDocument200JSONResponse{Body: routineView(x),
		Headers: SaveRoutineDocument200ResponseHeaders{ETag: etag(x.Version)}}, err
}

func (h *handlers) RemoveRoutine(ctx context.Context, r RemoveRoutineRequestObject) (RemoveRoutineResponseObject,
	error) {
	return RemoveRoutine204Response{}, h.work.RemoveRoutine(ctx, r.Workspace, r.Name, personOf(ctx))
}
