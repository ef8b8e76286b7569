package work

import (
	"context"
	"slices"

	"uchi/internal/core/approval"
	"uchi/internal/core/fault"
	"uchi/internal/core/life"
	"uchi/internal/core/rights"
	"uchi/internal/store"
)

// Approved is whether the load of an import needs a second person's yes, and whether it
// has it.
type Approved struct {
	Need  approval.Need
	Asked *store.Approval // of the check as it stands; nil when nobody has asked
}

// Given reports whether the yes was said.
func (a Approved) Given() bool { return a.Asked != nil && a.Asked.Yes != nil && *a.Asked.Yes }

// Approval tells whether the load of an import by a person needs a second person's yes.
func (s *Service) Approval(ctx context.Context, i store.Import, by store.Person) (Approved, error) {
	var a Approved
	rules, err := s.store.ApprovalRules(ctx, i.Workspace)
	if err != nil || i.Routine.V == nil {
		return a, err
	}
	l := approval.Load{Types: i.Routine.V.TypeNames(), Routine: i.Routine.V.Name, Records: wouldWrite(i),
		Operator: by.Role == rights.Operator}
	asked, ok, err := s.store.LastApproval(ctx, i.ID)
	if err != nil {
		return a, err
	}
	if ok && asked.Of(i) {
		a.Asked = &asked
		if asker, err := s.store.PersonIn(ctx, asked.AskedBy, i.Workspace); err != nil {
			return a, err
		} else if asker.Role == rights.Operator { // whoever carries it out
			l.Operator = true
		}
	}
	if rules.OperatorsShare > 0 && l.Operator {
		if l.Touches, err = s.touches(ctx, i); err != nil {
			return a, err
		}
	}
	a.Need = rules.Needs(l)
	return a, nil
}

// touches is how many records of each type the load of an import changes or deletes.
func (s *Service) touches(ctx context.Context, i store.Import) (list []approval.Touch, err error) {
	t := i.Totals.V
	if t == nil {
		return nil, nil
	}
	there, err := s.store.CountRecords(ctx, i.Workspace)
	if err != nil {
		return nil, err
	}
	of := func(typeName string, v map[string]int64, removes int64) {
		n := slices.IndexFunc(list, func(x approval.Touch) bool { return x.Type == typeName })
		if n < 0 {
			n, list = len(list), append(list, approval.Touch{Type: typeName, Of: there[typeName]})
		}
		list[n].Records += v["update"] + v["delete"] + removes
	}
	for _, d := range t.Drafts {
		of(d.Type, d.Verdicts, d.Removes())
	}
	if len(t.Drafts) == 0 {
		of(i.Routine.V.TypeNames()[0], t.Verdicts, 0)
	}
	return list, nil
}

// wouldWrite is how many records the load of an import makes, changes and deletes.
func wouldWrite(i store.Import) (n int64) {
	t := i.Totals.V
	if t == nil {
		return 0
	}
	sum := func(v map[string]int64) int64 { return v["create"] + v["update"] + v["delete"] }
	if len(t.Drafts) == 0 {
		return sum(t.Verdicts)
	}
	for _, d := range t.Drafts {
		n += sum(d.Verdicts) + d.Removes()
	}
	return n
}

// needsYes refuses a load that needs a second person's yes and does not have it.
func (s *Service) needsYes(ctx context.Context, i store.Import, by store.Person) error {
	a, err := s.Approval(ctx, i, by)
	if err != nil || a.Need.Why == "" || a.Given() {
		return err
	}
	f := fault.New(fault.Conflict, "approval_needed", "the load needs a second person's yes: "+a.Need.Why)
	switch {
	case a.Asked == nil:
		return f.Mended("Ask for it: uchi ask.")
	case a.Asked.Yes != nil:
		return f.Mended(a.Asked.Decider + " has said no. Mend it, and ask again.")
	}
	return f.Mended(a.Asked.Asker + " has asked for it; wait until somebody has decided.")
}

// SetApprovalRules sets which loads of a workspace need a yes.
func (s *Service) SetApprovalRules(ctx context.Context, workspace string, r approval.Rules, by store.Person) error {
	return s.store.SetApprovalRules(ctx, workspace, r, by.ID)
}

// AskApproval asks for a second person's yes to the load of a checked import.
func (s *Service) AskApproval(ctx context.Context, i store.Import, note string, by store.Person) error {
	if i.State != life.Ready || i.Work != "" || i.CheckRun == nil {
		return fault.Newf(fault.Conflict, "wrong_state", "an import that is %s has nothing to be approved",
			i.State).Mended("Check it first.")
	}
	a, err := s.Approval(ctx, i, by)
	if err != nil {
		return err
	}
	if a.Asked != nil && a.Asked.Yes == nil {
		return fault.New(fault.Conflict, "asked_already", a.Asked.Asker+" has asked already")
	}
	says := []string{totalsOf(i)}
	if a.Need.Why != "" {
		says = append(says, a.Need.Why+".")
	}
	return s.store.AskApproval(ctx, i, note, a.Need.Administrator, says, by)
}

// Decide says yes or no to the load of an import.
func (s *Service) Decide(ctx context.Context, i store.Import, yes bool, reason string, by store.Person) error {
	a, err := s.Approval(ctx, i, by)
	if err != nil {
		return err
	}
	switch {
	case a.Asked == nil || a.Asked.Yes != nil:
		return fault.New(fault.Conflict, "nothing_asked", "nobody has asked for a yes to the import as it is checked").
			Mended("It may have been changed since; then it is asked again.")
	case a.Asked.AskedBy == by.ID:
		return fault.New(fault.Denied, "own_asking", "who asked does not approve").Mended("Somebody else must.")
	case a.Need.Administrator && !by.Role.Covers(rights.Administrator):
		return ErrRole(rights.Administrator)
	case !yes && reason == "":
		return fault.New(fault.Invalid, "reason_missing", "a no has a reason").Mended("Say what is to be mended.")
	}
	return s.store.Decide(ctx, i, *a.Asked, yes, reason, by)
}
