package work

import (
	"strings"
	"testing"

	"uchi/internal/core/life"
	"uchi/internal/core/mapping"
	"uchi/internal/core/verdict"
)

// Lines of a deal that a file does not name any more are counted, and removed where the
// policy says so; of a deal with a row that is not settled none is, nor where it is unknown
// whose lines they are. A record that changed meanwhile stays, and an undo brings all back.
func TestGoneChildren(t *testing.T) {
	b := start(t)
	b.room.OfMany()
	b.loaded("account", "Company\nQuay\n")
	b.loaded("opportunity", "Number,Title,Account,Stage,Expected close\nD-1,One,Quay,offered,2027-01-31\n"+
		"D-2,Two,Quay,offered,2027-01-31\nD-3,Three,Quay,offered,2027-01-31\n")
	const head = "Opportunity,Product,Quantity\n"
	b.loaded("line", head+"D-1,Pedestal,8\nD-1,Cable,2\nD-1,Plate,3\nD-2,Pedestal,4\nD-2,Cable,5\nD-3,Pedestal,6\n")
	remove := func(r *mapping.Routine) { r.Drafts[0].Gone = mapping.RemoveGone }
	gone := func(rows string, f func(*mapping.Routine)) *verdict.GoneCount {
		t.Helper()
		return b.check(b.change(b.upload("line", head+rows), f)).Totals.V.Drafts[0].Gone
	}
	nothing := func(*mapping.Routine) {}
	b.want(*gone("D-1,Pedestal,8\nD-2,Pedestal,4\nD-2,Cable,5\n", nothing), verdict.GoneCount{Records: 2, Of: 1})
	b.want(gone("D-1,Pedestal,8\nD-1,Cable,2\nD-1,Plate,9\n", remove), (*verdict.GoneCount)(nil))
	b.want(*gone("D-1,Pedestal,8\nD-2,Pedestal,many\n", remove), verdict.GoneCount{Records: 2, Of: 1, Unsure: 1,
		Remove: true})
	b.want(*gone("D-1,Pedestal,8\nD-9,Pedestal,1\n", remove), verdict.GoneCount{Unsure: 2, Remove: true})
	b.want(*gone("D-1,Pedestal,8\nD-1,Cable,0\n",
		func(r *mapping.Routine) { remove(r); r.Drafts[0].Where = `cells["Quantity"] != "0"` }),
		verdict.GoneCount{Unsure: 2, Remove: true})

	i := b.check(b.change(b.upload("line", head+"D-1,Pedestal,8\nD-2,Pedestal,7\nD-2,Cable,many\n"), remove))
	b.want(*i.Totals.V.Drafts[0].Gone, verdict.GoneCount{Records: 2, Of: 1, Remove: true})
	i = b.mend(i, CellEdit{Row: 4, Column: "Product", Value: "Pole"}) // still held, and so may still be the cable
	b.want(*i.Totals.V.Drafts[0].Gone, verdict.GoneCount{Records: 2, Of: 1, Unsure: 1, Remove: true})
	// a colleague changes the plate
	_, err := b.store.Pool().Exec(t.Context(), `update w_main.r_line set version = version + 1 where id = 3`)
	b.ok(err)
	i = b.load(i)
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"unchanged": 1, "updated": 1, "held": 1})
	lines := func() string {
		var out []string
		rows, err := b.store.Pool().Query(t.Context(), `select 'LIN-' || id from w_main.r_line order by id`)
		b.ok(err)
		for rows.Next() {
			var s string
			b.ok(rows.Scan(&s))
			out = append(out, s)
		}
		b.ok(rows.Err())
		return strings.Join(out, " ")
	}
	b.want(lines(), "LIN-1 LIN-3 LIN-4 LIN-5 LIN-6")
	runs, err := b.store.Runs(t.Context(), i.ID)
	b.ok(err)
	b.want(runs[0].Removed, int64(1))
	b.undo(i, UndoRequest{})
	b.want(lines(), "LIN-1 LIN-2 LIN-3 LIN-4 LIN-5 LIN-6")
	b.want(b.dangling(), 0)

	whole := b.check(b.change(b.upload("line", head+"D-1,Pedestal,8\nD-3,Pole,1\n"),
		func(r *mapping.Routine) { remove(r); r.Load = &mapping.LoadPolicy{Whole: true} }))
	b.load(whole)
	b.want(lines(), "LIN-1 LIN-4 LIN-5 LIN-7")
}

// What a check that is made again would delete beside what was seen is not deleted.
func TestOtherGoneIsNotRemoved(t *testing.T) {
	b := start(t)
	b.loaded("account", "Company\nQuay\n")
	b.loaded("opportunity", "Number,Title,Account,Stage,Expected close\nD-1,One,Quay,offered,2027-01-31\n")
	const head = "Opportunity,Product,Quantity\n"
	b.loaded("line", head+"D-1,Pedestal,8\nD-1,Cable,2\n")
	i := b.check(b.change(b.upload("line", head+"D-1,Pedestal,8\n"),
		func(r *mapping.Routine) { r.Drafts[0].Gone = mapping.RemoveGone }))
	b.want(*i.Totals.V.Drafts[0].Gone, verdict.GoneCount{Records: 1, Of: 1, Remove: true})
	b.loaded("line", head+"D-1,Bollard,3\n") // a colleague adds a line
	b.crash(i)
	b.ok(b.work.Load(b.Context(), i, LoadRequest{}, b.person))
	i = b.wait(i.ID)
	if i.State != life.Ready || i.Trouble.V == nil || i.Trouble.V.Code != "checks_differ" {
		t.Fatalf("%s, %+v", i.State, i.Trouble.V)
	}
	b.want(*i.Totals.V.Drafts[0].Gone, verdict.GoneCount{Records: 2, Of: 1, Remove: true})
	b.want(strings.Count(b.records("line"), "\n"), 2)
}
