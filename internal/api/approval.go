package api

import (
	"context"

	"uchi/internal/core/approval"
	"uchi/internal/store"
	"uchi/internal/work"
)

func (h *handlers) AskApproval(ctx context.Context, r AskApprovalRequestObject) (AskApprovalResponseObject, error) {
	note := ""
	if r.Body != nil {
		note = r.Body.Note
	}
	i, err := h.act(ctx, r.Workspace, r.Import,
		func(i store.Import) error { return h.work.AskApproval(ctx, i, note, personOf(ctx)) })
	return AskApproval200JSONResponse(i), err
}

func (h *handlers) DecideApproval(ctx context.Context, r DecideApprovalRequestObject) (DecideApprovalResponseObject,
	error) {
	i, err := h.act(ctx, r.Workspace, r.Import, func(i store.Import) error {
		return h.work.Decide(ctx, i, r.Body.Yes, r.Body.Reason, personOf(ctx))
	})
	return DecideApproval200JSONResponse(i), err
}

func (h *handlers) GetApprovalRules(ctx context.Context,
	r GetApprovalRulesRequestObject) (GetApprovalRulesResponseObject, error) {
	rules, err := h.store.ApprovalRules(ctx, r.Workspace)
	return GetApprovalRules200JSONResponse(rulesView(rules)), err
}

func (h *handlers) SetApprovalRules(ctx context.Context,
	r SetApprovalRulesRequestObject) (SetApprovalRulesResponseObject, error) {
	b := r.Body
	rules := approval.Rules{Always: b.Always, Types: b.Types, Routines: b.Routines, Above: b.Above,
		OperatorsAbove: b.OperatorsAbove, OperatorsShare: b.OperatorsShare}
	c, err := h.store.Catalog(ctx, r.Workspace)
	if err != nil {
		return nil, err
	}
	for _, name := range rules.Types {
		if _, err := c.MustType(name); err != nil {
			return nil, err
		}
	}
	if err := h.work.SetApprovalRules(ctx, r.Workspace, rules, personOf(ctx)); err != nil {
		return nil, err
	}
	return SetApprovalRules200JSONResponse(rulesView(rules)), nil
}

func rulesView(r approval.Rules) ApprovalRules {
	return ApprovalRules{Always: r.Always, Types: r.Types, Routines: r.Routines, Above: r.Above,
		OperatorsAbove: r.OperatorsAbove, OperatorsShare: r.OperatorsShare}
}

func approvalView(a work.Approved, by store.Person) Approval {
	v := Approval{Why: a.Need.Why, Administrator: a.Need.Administrator}
	if x := a.Asked; x != nil {
		v.AskedBy, v.AskedAt, v.Note, v.Mine, v.DecidedBy, v.DecidedAt, v.Reason = x.Asker, x.AskedAt, x.Note,
			x.AskedBy == by.ID, x.Decider, at(x.DecidedAt), x.Reason
		v.Yes = a.Given()
	}
	return v
}
