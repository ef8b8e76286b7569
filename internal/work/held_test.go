package work

import (
	"fmt"
	"strings"
	"testing"

	"uchi/internal/core/fault"
	"uchi/internal/core/life"
	"uchi/internal/core/mapping"
	"uchi/internal/core/verdict"
	"uchi/internal/store"
)

// apart lets the records of a row be held apart.
func (b *bench) apart(i store.Import) store.Import {
	b.Helper()
	return b.change(i, func(r *mapping.Routine) {
		r.Held = mapping.HeldRecord
		r.Drafts[0].Fields["email"] = mapping.Origin{From: []string{"Contact e-mail"}}
	})
}

// Of a row with one record that is held the others are written, but for those that need it; when
// it is mended, they are known, and what others have changed meanwhile is theirs.
func TestRecordsOfARowAreHeldApart(t *testing.T) {
	b := start(t)
	const sheet = "Company,Website,Employees,Contact last name,Contact e-mail\n" +
		"A Marina,a.example,12,Berg,nonsense\n" +
		"B Marina,b.example,no number,Li,li@x.example\n" +
		"C Marina,c.example,7,Kade,kade@x.example\n" +
		"A Marina,,,Moe,moe@x.example\n" +
		"C Marina,,,Vik,nonsense\n"
	i := b.check(b.apart(b.drafted(sheet, "contact", "account")))
	b.want(strings.Join(b.rows(i), "\n"), "2 hold (hold, create)\n3 hold (hold, hold)\n4 create (create, create)\n"+
		"5 create (create, skip)\n6 hold (hold, skip)")
	b.want(i.Totals.V.Partly, int64(1))
	b.want(strings.Join(b.codes(i), "\n"), "2 bad_email contact.email\n3 bad_number account.employees\n"+
		"3 link_held contact.account\n6 bad_email contact.email")
	i = b.load(i)
	b.want(strings.Join(b.rows(i), "\n"), "2 held (held, created 1)\n3 held (held, held)\n4 created (created 1, created "+
		"2)\n5 created (created 2, skipped 1)\n6 held (held, skipped 2)")
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"created": 2, "held": 3})
	b.agree(i)

	// Somebody else changes the company; then the rows are mended.
	_, err := b.work.ChangeRecord(b.Context(), "main", "account", "ACC-1", 0,
		map[string]string{"employees": "15", "website": "https://new.example"}, b.person)
	b.ok(err)
	i = b.check(i)
	b.want(strings.Join(b.rows(i)[:1], "\n"), "2 held (held, created 1)")
	i = b.mend(i, CellEdit{Row: 2, Column: "Contact e-mail", Value: "berg@x.example"},
		CellEdit{Row: 3, Column: "Employees", Value: "9"}, CellEdit{Row: 6, Column: "Contact e-mail", Value: "vik@x.example"})
	i = b.load(b.check(i))
	b.want(strings.Join(b.rows(i), "\n"), "2 created (created 3, unchanged 1)\n3 created (created 4, created 3)\n"+
		"4 created (created 1, created 2)\n5 created (created 2, skipped 1)\n6 created (created 5, unchanged 2)")
	b.want(b.record("account", "ACC-1").Values["employees"]+" "+b.record("account", "ACC-1").Values["website"],
		"15 https://new.example")
	b.want(b.record("contact", "CON-3").Links["account"].ID+" "+b.record("contact", "CON-5").Links["account"].ID,
		"ACC-1 ACC-2")
	b.want(b.counts(), map[string]int64{"account": 3, "contact": 5, "opportunity": 0})
	b.agree(i)
	b.want(b.dangling(), 0)
}

// What a row says anew of a record that it has become is written, and what others have changed
// too is for a person; a record that is gone or taken back is made again.
func TestRecordsThatARowHasBecome(t *testing.T) {
	b := start(t)
	const sheet = "Company,Website,Employees,Contact last name,Contact e-mail\n" +
		"A Marina,a.example,12,Berg,nonsense\nB Marina,b.example,9,Li,nonsense\nC Marina,c.example,7,Kade,nonsense\n" +
		"D Marina,d.example,7,Moe,nonsense\n"
	i := b.load(b.check(b.apart(b.drafted(sheet, "contact", "account"))))
	b.want(strings.Join(b.rows(i), "\n"), "2 held (held, created 1)\n3 held (held, created 2)\n4 held (held, created 3)\n"+
		"5 held (held, created 4)")
	_, err := b.work.ChangeRecord(b.Context(), "main", "account", "ACC-1", 0,
		map[string]string{"employees": "15"}, b.person)
	b.ok(err)
	b.load(b.check(b.change(b.upload("account", "Account id\nACC-3\n"),
		func(r *mapping.Routine) { r.May = mapping.Delete })))
	var cells []CellEdit
	for row := int64(2); row <= 5; row++ {
		cells = append(cells, CellEdit{Row: row, Column: "Contact e-mail", Value: fmt.Sprintf("p%d@x.example", row)})
	}
	i = b.mend(b.check(i), append(cells, CellEdit{Row: 2, Column: "Employees", Value: "13"},
		CellEdit{Row: 3, Column: "Employees", Value: "10"})...)
	b.want(strings.Join(b.rows(i), "\n"), "2 held (held, created 1)\n3 held (held, created 2)\n4 held (held, created 3)\n"+
		"5 held (held, created 4)")
	i = b.check(i)
	b.want(b.codes(i), "[2 changed_on_both_sides account.employees]")
	i = b.load(i)
	b.want(strings.Join(b.rows(i), "\n"), "2 held (created 1, held 1)\n3 created (created 2, updated 2)\n"+
		"4 created (created 3, created 5)\n5 created (created 4, unchanged 4)")
	b.agree(i)
	r := *i.Routine.V
	r.Held = mapping.HeldRow
	b.want(fault.Is(b.work.SetRoutine(b.Context(), i, r, 0, b.person), "held_stays"), true)

	// All is taken back but what others have changed; a row makes its records again.
	i = b.undo(i, UndoRequest{})
	b.want(strings.Join(b.rows(i), "\n"), "2 held (undone 1, held 1)\n3 undone (undone 2, undone 2)\n"+
		"4 undone (undone 3, undone 5)\n5 undone (undone 4, undone 4)")
	b.want(b.dangling(), 0)
	i = b.load(b.check(b.mend(b.check(i), CellEdit{Row: 2, Column: "Employees", Value: "12"})))
	b.want(strings.Join(b.rows(i), "\n"), "2 created (created 5, unchanged 1)\n3 created (created 6, created 6)\n"+
		"4 created (created 7, created 7)\n5 created (created 8, created 8)")
	b.want(b.counts(), map[string]int64{"account": 4, "contact": 4, "opportunity": 0})
	b.want(b.dangling(), 0)
	b.agree(i)
}

// What was answered of a record that was written is done: it is not made again. A row that names
// another company by now is for that one, and the first keeps its name.
func TestKnownAfterAnswersAndOtherNames(t *testing.T) {
	b := start(t)
	b.loaded("account", "Company,Town\nA Marina,Oslo\nA Marina,Bergen\nZ Marina,Moss\n")
	i := b.check(b.apart(b.drafted("Company,Town,Contact last name,Contact e-mail\nA Marina,,Berg,nonsense\n"+
		"C Marina,Moss,Li,nonsense\n", "contact", "account")))
	b.want(strings.Join(b.rows(i), "\n"), "2 hold (hold, ask)\n3 hold (hold, create)")
	_, err := b.work.Answer(b.Context(), i, []Given{{Row: 2, Draft: "account", Choice: verdict.ChooseNew}}, b.person)
	b.ok(err)
	i = b.load(b.check(b.again(i)))
	b.want(strings.Join(b.rows(i), "\n"), "2 held (held, created 4)\n3 held (held, created 5)")
	i = b.mend(b.check(i), CellEdit{Row: 2, Column: "Contact e-mail", Value: "b@x.example"},
		CellEdit{Row: 3, Column: "Contact e-mail", Value: "l@x.example"},
		CellEdit{Row: 3, Column: "Company", Value: "Z Marina"})
	i = b.load(b.check(i))
	b.want(strings.Join(b.rows(i), "\n"), "2 created (created 1, unchanged 4)\n3 created (created 2, unchanged 3)")
	b.want(b.record("account", "ACC-5").Values["name"]+" "+b.record("contact", "CON-2").Links["account"].ID,
		"C Marina ACC-3")
	b.want(b.counts()["account"], int64(5))
	b.agree(i)
}

// A load of which every row is held for one of its records can be taken back.
func TestHeldApartIsTakenBack(t *testing.T) {
	b := start(t)
	i := b.load(b.check(b.apart(b.drafted("Company,Website,Contact last name,Contact e-mail\n"+
		"A Marina,a.example,Berg,nonsense\nB Marina,b.example,Li,nonsense\n", "contact", "account"))))
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"held": 2})
	first := b.runs(i)[0].ID
	i = b.load(b.check(b.mend(b.check(i), CellEdit{Row: 2, Column: "Contact e-mail", Value: "b@x.example"})))
	b.want(strings.Join(b.rows(i), "\n"), "2 created (created 1, unchanged 1)\n3 held (held, unchanged 2)")
	b.want(b.planned(i, UndoRequest{Run: first}), "1 account goes; 1 account stays: other records refer to it now")
	i = b.undo(i, UndoRequest{Run: b.runs(i)[0].ID}) // the contact alone
	b.want(string(i.State)+" "+strings.Join(b.rows(i), "\n"), "loaded 2 undone (undone 1, unchanged 1)\n"+
		"3 held (held, unchanged 2)")
	i = b.undo(i, UndoRequest{Run: first})
	b.want(string(i.State)+" "+strings.Join(b.rows(i), "\n"), "undone 2 undone (undone 1, undone 1)\n"+
		"3 held (held, undone 2)")
	b.want(b.counts(), map[string]int64{"account": 0, "contact": 0, "opportunity": 0})
}

// Records are held apart only where the routine says so, and rightly.
func TestHeldIsAPolicy(t *testing.T) {
	b := start(t)
	i := b.change(b.apart(b.drafted("Company,Contact last name,Contact e-mail\nA Marina,Berg,nonsense\n", "contact",
		"account")), func(r *mapping.Routine) { r.Held = "" })
	b.want(strings.Join(b.rows(b.check(i)), "\n"), "2 hold (hold, hold)")
	r := *i.Routine.V
	r.Held = "some"
	b.want(fault.Is(b.work.SetRoutine(b.Context(), i, r, 0, b.person), "unknown_policy"), true)
}

// runs lists the loads and undos of an import, the last first.
func (b *bench) runs(i store.Import) (list []store.PastRun) {
	b.Helper()
	all, err := b.store.Runs(b.Context(), i.ID)
	b.ok(err)
	for _, r := range all {
		if r.Work == life.LoadingRun || r.Work == life.UndoingRun {
			list = append(list, r)
		}
	}
	return list
}
