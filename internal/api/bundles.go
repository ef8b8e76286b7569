package api

import (
	"context"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/store"
	"uchi/internal/work"
)

// mostBundles is how many bundles a list shows.
const mostBundles = 200

func (h *handlers) ListBundles(ctx context.Context, r ListBundlesRequestObject) (ListBundlesResponseObject, error) {
	if _, err := h.store.Catalog(ctx, r.Workspace); err != nil {
		return nil, err
	}
	list, err := h.store.Bundles(ctx, r.Workspace, mostBundles)
	out := ListBundles200JSONResponse{Bundles: []Bundle{}}
	for _, b := range list {
		out.Bundles = append(out.Bundles, bundleView(work.BundleView{Bundle: b}, catalog.Catalog{}))
	}
	return out, err
}

func (h *handlers) AddBundle(ctx context.Context, r AddBundleRequestObject) (AddBundleResponseObject, error) {
	b, err := h.work.NewBundle(ctx, r.Workspace, r.Body.Name, personOf(ctx))
	return AddBundle201JSONResponse(bundleView(work.BundleView{Bundle: b}, catalog.Catalog{})), err
}

func (h *handlers) GetBundle(ctx context.Context, r GetBundleRequestObject) (GetBundleResponseObject, error) {
	b, err := h.bundle(ctx, r.Workspace, r.Bundle, nil)
	return GetBundle200JSONResponse(b), err
}

func (h *handlers) DiscardBundle(ctx context.Context, r DiscardBundleRequestObject) (DiscardBundleResponseObject,
	error) {
	b, err := h.store.Bundle(ctx, r.Workspace, r.Bundle)
	if err != nil {
		return nil, err
	}
	return DiscardBundle204Response{}, h.work.DiscardBundle(ctx, b, personOf(ctx))
}

func (h *handlers) AddToBundle(ctx context.Context, r AddToBundleRequestObject) (AddToBundleResponseObject, error) {
	b, err := h.bundle(ctx, r.Workspace, r.Bundle, func(b store.Bundle) error {
		return h.work.AddToBundle(ctx, b, work.Upload{Workspace: r.Workspace, FileName: r.Params.Name, Body: r.Body,
			Bytes: announcedOf(ctx), By: personOf(ctx)})
	})
	return AddToBundle201JSONResponse(b), err
}

func (h *handlers) OrderBundle(ctx context.Context, r OrderBundleRequestObject) (OrderBundleResponseObject, error) {
	b, err := h.bundle(ctx, r.Workspace, r.Bundle,
		func(b store.Bundle) error { return h.work.OrderBundle(ctx, b, r.Body.Imports, personOf(ctx)) })
	return OrderBundle200JSONResponse(b), err
}

func (h *handlers) SaveBundle(ctx context.Context, r SaveBundleRequestObject) (SaveBundleResponseObject, error) {
	b, err := h.store.Bundle(ctx, r.Workspace, r.Bundle)
	if err != nil {
		return nil, err
	}
	names, err := h.work.SaveBundle(ctx, b, r.Body.Name, personOf(ctx))
	return SaveBundle200JSONResponse{Routines: append([]string{}, names...)}, err
}

func (h *handlers) CheckBundle(ctx context.Context, r CheckBundleRequestObject) (CheckBundleResponseObject, error) {
	b, err := h.bundle(ctx, r.Workspace, r.Bundle,
		func(b store.Bundle) error { return h.work.CheckBundle(ctx, b, personOf(ctx)) })
	return CheckBundle202JSONResponse(b), err
}

func (h *handlers) LoadBundle(ctx context.Context, r LoadBundleRequestObject) (LoadBundleResponseObject, error) {
	var p store.BundlePolicy
	if r.Body != nil {
		p = store.BundlePolicy{LoadPolicy: mapping.LoadPolicy{PauseHeld: r.Body.PauseHeld, StopFails: r.Body.StopFails},
			GoOn: r.Body.GoOn}
	}
	b, err := h.bundle(ctx, r.Workspace, r.Bundle,
		func(b store.Bundle) error { return h.work.LoadBundle(ctx, b, p, personOf(ctx)) })
	return LoadBundle202JSONResponse(b), err
}

func (h *handlers) UndoBundle(ctx context.Context, r UndoBundleRequestObject) (UndoBundleResponseObject, error) {
	b, err := h.bundle(ctx, r.Workspace, r.Bundle,
		func(b store.Bundle) error { return h.work.UndoBundle(ctx, b, personOf(ctx)) })
	return UndoBundle202JSONResponse(b), err
}

func (h *handlers) PlanUndoBundle(ctx context.Context, r PlanUndoBundleRequestObject) (PlanUndoBundleResponseObject,
	error) {
	b, err := h.store.Bundle(ctx, r.Workspace, r.Bundle)
	if err != nil {
		return nil, err
	}
	plan, err := h.work.PlanUndoBundle(ctx, b, limitOf(r.Params.Limit, 50), personOf(ctx))
	if err != nil {
		return nil, err
	}
	c, err := h.store.Catalog(ctx, r.Workspace)
	return PlanUndoBundle200JSONResponse(undoPlanView(plan, c)), err
}

func (h *handlers) CancelBundle(ctx context.Context, r CancelBundleRequestObject) (CancelBundleResponseObject, error) {
	b, err := h.bundle(ctx, r.Workspace, r.Bundle,
		func(b store.Bundle) error { return h.work.CancelBundle(ctx, b, personOf(ctx)) })
	return CancelBundle202JSONResponse(b), err
}

// bundle reads a bundle, does something with it, and gives it as it is then.
func (h *handlers) bundle(ctx context.Context, workspace string, id int64,
	do func(store.Bundle) error) (Bundle, error) {
	b, err := h.store.Bundle(ctx, workspace, id)
	if err != nil {
		return Bundle{}, err
	}
	if do != nil {
		if err := do(b); err != nil {
			return Bundle{}, err
		}
		if b, err = h.store.Bundle(ctx, workspace, id); err != nil {
			return Bundle{}, err
		}
	}
	v, err := h.work.Bundle(ctx, b)
	if err != nil {
		return Bundle{}, err
	}
	c, err := h.store.Catalog(ctx, workspace)
	return bundleView(v, c), err
}

func bundleView(b work.BundleView, c catalog.Catalog) Bundle {
	v := Bundle{Id: b.ID, Name: b.Name, State: ImportState(b.State), Ordered: b.Ordered, Imports: []BundleImport{},
		LeftOut: []LeftOut{}, Unfilled: []string{},
		Blocks: b.Blocks, Loosen: b.Loosen, Trouble: troubleView(b.Trouble.V), MadeBy: b.MadeByName, MadeAt: b.MadeAt,
		ChangedAt: b.ChangedAt}
	if b.Works() {
		v.At, v.Of = b.At, len(b.Plan.V)
	}
	for _, l := range b.LeftOut.V {
		v.LeftOut = append(v.LeftOut, LeftOut{Name: l.Name, Trouble: troubleView(&l.Trouble)})
	}
	v.Unfilled, v.Files = append(v.Unfilled, b.Unfilled...), b.Files
	for _, m := range b.Members {
		one := BundleImport{Import: importView(m.Import, false), Types: []string{},
			Reasons: append([]string{}, m.Reasons...), Later: append([]string{}, m.Later...), Stale: m.Stale}
		one.Import.Unplaced = unplaced(m.Import)
		if m.Import.Routine.V != nil {
			one.Routine = m.Import.Routine.V.Name
			for _, name := range m.Import.Routine.V.TypeNames() {
				t, _ := c.Type(name)
				one.Types = append(one.Types, t.Plural)
			}
		}
		v.Imports = append(v.Imports, one)
	}
	return v
}
