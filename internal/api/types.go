package api

import (
	"context"

	"uchi/internal/core/catalog"
	"uchi/internal/core/rights"
	"uchi/internal/store"
)

func (h *handlers) AddType(ctx context.Context, r AddTypeRequestObject) (AddTypeResponseObject, error) {
	b := *r.Body
	t, err := h.work.AddType(ctx, r.Workspace, catalog.RecordType{Name: b.Name, Label: b.Label, Plural: b.Plural,
		Prefix: b.Prefix, Title: b.Title, Fields: b.Fields, Match: b.Match}, personOf(ctx))
	return AddType201JSONResponse(t), err
}

func (h *handlers) ProposeType(ctx context.Context, r ProposeTypeRequestObject) (ProposeTypeResponseObject, error) {
	i, err := h.store.Import(ctx, r.Workspace, r.Import)
	if err != nil {
		return nil, err
	}
	t, err := h.work.ProposeType(ctx, i)
	return ProposeType200JSONResponse{Label: t.Label, Plural: t.Plural, Title: t.Title, Fields: t.Fields}, err
}

func (h *handlers) ListTypes(ctx context.Context, r ListTypesRequestObject) (ListTypesResponseObject, error) {
	c, err := h.store.Catalog(store.Whole(ctx), r.Workspace) // that there is a field is no secret, what stands in it is
	return ListTypes200JSONResponse{Types: c.Types}, err
}

func (h *handlers) typeOf(ctx context.Context, workspace, name string) (catalog.RecordType, error) {
	c, err := h.store.Catalog(ctx, workspace)
	if err != nil {
		return catalog.RecordType{}, err
	}
	return c.MustType(name)
}

func (h *handlers) GetType(ctx context.Context, r GetTypeRequestObject) (GetTypeResponseObject, error) {
	t, err := h.typeOf(store.Whole(ctx), r.Workspace, r.Type)
	return GetType200JSONResponse{Body: RecordType(t), Headers: GetType200ResponseHeaders{ETag: etag(t.Version)}}, err
}

func (h *handlers) AddField(ctx context.Context, r AddFieldRequestObject) (AddFieldResponseObject, error) {
	t, err := h.work.AddField(ctx, r.Workspace, r.Type, *r.Body, 0, personOf(ctx))
	return AddField201JSONResponse{Body: RecordType(t), Headers: AddField201ResponseHeaders{ETag: etag(t.Version)}}, err
}

func (h *handlers) ChangeField(ctx context.Context, r ChangeFieldRequestObject) (ChangeFieldResponseObject, error) {
	b := r.Body
	change := catalog.FieldChange{Name: b.Name, Label: b.Label, Help: b.Help, Required: b.Required, Length: b.Length,
		Default: b.Default, Choices: b.Choices, Retired: b.Retired, SeenBy: roleOf(b.SeenBy), FilledBy: roleOf(b.FilledBy)}
	on, err := versionOn(r.Params.IfMatch)
	if err != nil {
		return nil, err
	}
	t, err := h.work.ChangeField(ctx, r.Workspace, r.Type, r.Field, change, on, personOf(ctx))
	return ChangeField200JSONResponse{Body: RecordType(t),
		Headers: ChangeField200ResponseHeaders{ETag: etag(t.Version)}}, err
}

// roleOf reads a role that may be left out.
func roleOf(r *FieldLimit) *rights.Role {
	if r == nil {
		return nil
	}
	role := rights.Role(*r)
	return &role
}

func (h *handlers) ChangeMatch(ctx context.Context, r ChangeMatchRequestObject) (ChangeMatchResponseObject, error) {
	on, err := versionOn(r.Params.IfMatch)
	if err != nil {
		return nil, err
	}
	t, err := h.work.ChangeMatch(ctx, r.Workspace, r.Type, r.Body.Rules, on, personOf(ctx))
	return ChangeMatch200JSONResponse{Body: RecordType(t),
		Headers: ChangeMatch200ResponseHeaders{ETag: etag(t.Version)}}, err
}

func (h *handlers) ChangeKnown(ctx context.Context, r ChangeKnownRequestObject) (ChangeKnownResponseObject, error) {
	on, err := versionOn(r.Params.IfMatch)
	if err != nil {
		return nil, err
	}
	t, err := h.work.ChangeKnown(ctx, r.Workspace, r.Type, r.Other, catalog.Find(r.Body.Means), on, personOf(ctx))
	return ChangeKnown200JSONResponse{Body: RecordType(t),
		Headers: ChangeKnown200ResponseHeaders{ETag: etag(t.Version)}}, err
}

func (h *handlers) TryMatch(ctx context.Context, r TryMatchRequestObject) (TryMatchResponseObject, error) {
	t, effects, err := h.work.TryMatch(ctx, r.Workspace, r.Type, r.Body.Rules)
	out := TryMatch200JSONResponse{Rules: []RuleEffect{}}
	for _, e := range effects {
		out.Rules = append(out.Rules, ruleEffectView(e, t))
	}
	return out, err
}

func (h *handlers) AddChoice(ctx context.Context, r AddChoiceRequestObject) (AddChoiceResponseObject, error) {
	t, err := h.work.AddChoice(ctx, r.Workspace, r.Type, r.Field, *r.Body, personOf(ctx))
	return AddChoice200JSONResponse{Body: RecordType(t), Headers: AddChoice200ResponseHeaders{ETag: etag(t.Version)}}, err
}
