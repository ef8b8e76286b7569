package api

import (
	"context"

	"uchi/internal/store"
)

// callsShown is how many calls of a hook are listed.
const callsShown = 10

func (h *handlers) ListHooks(ctx context.Context, r ListHooksRequestObject) (ListHooksResponseObject, error) {
	if _, err := h.store.Catalog(ctx, r.Workspace); err != nil {
		return nil, err
	}
	list, err := h.store.Hooks(ctx, r.Workspace)
	out := ListHooks200JSONResponse{Hooks: []Hook{}}
	for _, x := range list {
		v := Hook{Id: x.ID, Url: x.URL, Kinds: []NoticeKind{}, Paused: x.Paused, Trouble: x.Trouble, MadeBy: x.MadeBy,
			Calls: []HookCall{}}
		for _, k := range x.Kinds {
			v.Kinds = append(v.Kinds, NoticeKind(k))
		}
		calls, err := h.store.HookCalls(ctx, x.ID, callsShown)
		if err != nil {
			return nil, err
		}
		for _, c := range calls {
			v.Calls = append(v.Calls, HookCall{
				Kind: NoticeKind(c.Kind), MadeAt: c.MadeAt, SentAt: at(c.SentAt), Tries: c.Tries, Trouble: c.Trouble,
				GivenUp: c.SentAt == nil && c.NextAt == nil,
			})
		}
		out.Hooks = append(out.Hooks, v)
	}
	return out, err
}

func (h *handlers) AddHook(ctx context.Context, r AddHookRequestObject) (AddHookResponseObject, error) {
	if _, err := h.store.Catalog(ctx, r.Workspace); err != nil {
		return nil, err
	}
	var kinds []store.NoticeKind
	for _, k := range r.Body.Kinds {
		kinds = append(kinds, store.NoticeKind(k))
	}
	id, secret, err := h.work.AddHook(ctx, r.Workspace, r.Body.Url, kinds, personOf(ctx))
	return AddHook201JSONResponse{Id: id, Url: r.Body.Url, Kinds: r.Body.Kinds, Secret: secret, Calls: []HookCall{}}, err
}

func (h *handlers) RemoveHook(ctx context.Context, r RemoveHookRequestObject) (RemoveHookResponseObject, error) {
	return RemoveHook204Response{}, h.work.RemoveHook(ctx, r.Workspace, r.Hook, personOf(ctx))
}
