package work

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/approval"
	"uchi/internal/core/fault"
	"uchi/internal/core/life"
	"uchi/internal/core/rights"
	"uchi/internal/core/verdict"
	"uchi/internal/store"
)

// A load that needs a yes is refused until another than who asked has said it; any change
// after the yes takes it back; a no has a reason, and both sides are told.
func TestApproval(t *testing.T) {
	b := start(t)
	operator, err := b.store.AddPerson(b.Context(), "op@x.example", "Op", rights.Operator, "a long password", 0)
	b.ok(err)
	second, err := b.store.AddPerson(b.Context(), "second@x.example", "Second", rights.Operator, "a long password", 0)
	b.ok(err)
	admin, err := b.store.AddPerson(b.Context(), "admin@x.example", "Admin", rights.Administrator, "a long password", 0)
	b.ok(err)
	b.ok(b.work.SetApprovalRules(b.Context(), "main", approval.Rules{Types: []string{"account"}, OperatorsAbove: 2},
		b.person))
	i := b.check(b.upload("account", "Company,External ID\nUlvsund Havn,B-1\nKyst Group,B-2\n"))
	again := func() store.Import {
		t.Helper()
		now, err := b.store.Import(b.Context(), "main", i.ID)
		b.ok(err)
		return now
	}
	refused := func(by store.Person) string {
		t.Helper()
		err := b.work.Load(b.Context(), again(), LoadRequest{}, by)
		f, ok := fault.From(err)
		if !ok {
			return "" // it was not refused
		}
		for _, a := range b.work.Possible(b.Context(), again(), by) {
			if a.Act == life.Load && (a.Not == nil || a.Not.Code != f.Code) {
				t.Errorf("the load is refused with %s, and said to be possible: %+v", f.Code, a)
			}
		}
		return f.Code + ": " + f.Mend
	}
	b.want(refused(operator), "approval_needed: Ask for it: uchi ask.")
	b.want(fault.Is(b.work.Decide(b.Context(), again(), true, "", second), "nothing_asked"), true)
	b.ok(b.work.AskApproval(b.Context(), again(), "From the branch", operator))
	b.want(refused(b.person), "approval_needed: Op has asked for it; wait until somebody has decided.")
	b.want(fault.Is(b.work.AskApproval(b.Context(), again(), "", second), "asked_already"), true)
	b.want(fault.Is(b.work.Decide(b.Context(), again(), true, "", operator), "own_asking"), true)
	b.want(fault.Is(b.work.Decide(b.Context(), again(), false, "", second), "reason_missing"), true)
	b.ok(b.work.Decide(b.Context(), again(), false, "The towns are missing", second))
	b.want(refused(operator), "approval_needed: Second has said no. Mend it, and ask again.")
	told, err := b.store.Notices(b.Context(), second.ID, 5)
	b.ok(err)
	b.want(told[0].Subject+": "+strings.Join(told[0].Lines.V, " "), "Op asks for your yes: "+i.Name+
		": “From the branch” 2 rows, 2 create. loads into account need it.")
	told, err = b.store.Notices(b.Context(), operator.ID, 5)
	b.ok(err)
	b.want(told[0].Subject+": "+strings.Join(told[0].Lines.V, " "), "Second says no: "+i.Name+": “The towns are missing”")

	// A yes, taken back by a mend, and given again.
	b.ok(b.work.AskApproval(b.Context(), again(), "", operator))
	b.ok(b.work.Decide(b.Context(), again(), true, "", second))
	b.mend(again(), CellEdit{3, "Company", "Kyst Gruppen"})
	b.want(refused(operator), "approval_needed: Ask for it: uchi ask.")
	b.ok(b.work.AskApproval(b.Context(), again(), "", operator))
	b.ok(b.work.Decide(b.Context(), again(), true, "", second))
	b.want(refused(operator), "")
	b.want(b.wait(i.ID).State, life.Loaded)
	b.want(strings.Count(b.records("account"), "Kyst"), 1)

	// Above their number operators need an administrator, who needs nobody.
	b.ok(b.work.SetApprovalRules(b.Context(), "main", approval.Rules{OperatorsAbove: 2}, b.person))
	i = b.check(b.upload("account", "Company,External ID\nA,B-11\nB,B-12\nC,B-13\n"))
	b.want(refused(operator), "approval_needed: Ask for it: uchi ask.")
	b.ok(b.work.AskApproval(b.Context(), again(), "", operator))
	b.want(fault.Is(b.work.Decide(b.Context(), again(), true, "", second), "role_too_low"), true)
	b.ok(b.work.Decide(b.Context(), again(), true, "", admin))
	b.want(refused(operator), "")
	b.want(b.wait(i.ID).State, life.Loaded)
	i = b.check(b.upload("account", "Company,External ID\nA,B-21\nB,B-22\nC,B-23\n"))
	b.want(refused(admin), "")
	b.want(b.wait(i.ID).State, life.Loaded)

	// So do they above a share of the records that are there.
	b.ok(b.work.SetApprovalRules(b.Context(), "main", approval.Rules{OperatorsShare: 20}, b.person))
	i = b.check(b.upload("account", "Company,External ID\nAA,B-11\nBB,B-12\n"))
	b.want(refused(operator), "approval_needed: Ask for it: uchi ask.")
	b.want(refused(admin), "")
	b.want(b.wait(i.ID).State, life.Loaded)
	i = b.check(b.upload("account", "Company,External ID\nAAA,B-11\nNew,B-31\nNewer,B-32\n"))
	b.want(refused(operator), "")
	b.want(b.wait(i.ID).State, life.Loaded)
}

// A load that was begun is carried through as it was allowed, under the name of who began it, also
// when they are suspended, or become viewers, meanwhile.
func TestALoadOutlastsItsPersonsRole(t *testing.T) {
	b := start(t)
	b.room.InChunks(500)
	operator, err := b.store.AddPerson(b.Context(), "op@x.example", "Op", rights.Operator, "a long password", 0)
	b.ok(err)
	admin, err := b.store.AddPerson(b.Context(), "admin@x.example", "Admin", rights.Administrator, "a long password", 0)
	b.ok(err)
	var rows strings.Builder
	rows.WriteString("Company,External ID\n")
	for n := range 3000 {
		fmt.Fprintf(&rows, "Quay %d,Q-%d\n", n, n)
	}
	i := b.check(b.upload("account", rows.String()))
	b.ok(b.work.Load(b.Context(), i, LoadRequest{}, operator))
	viewer, suspended := rights.Viewer, true
	_, err = b.store.ChangePerson(b.Context(), operator.ID, store.PersonChange{Role: &viewer, Suspended: &suspended},
		admin.ID)
	b.ok(err)
	i = b.wait(i.ID)
	b.want(i.Outcomes.V[verdict.Created], int64(3000))
	runs, err := b.store.Runs(b.Context(), i.ID)
	b.ok(err)
	last := runs[slices.IndexFunc(runs, func(r store.PastRun) bool { return r.Work == life.LoadingRun })]
	b.want(last.Person, "Op")
}
