package work

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/fault"
	"uchi/internal/core/life"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
	"uchi/internal/staging"
	"uchi/internal/store"
)

// lookedAt has an import looked at of which a crash has emptied what was staged, until it is there again.
func (b *bench) lookedAt(i store.Import) store.Import {
	b.Helper()
	b.crash(i)
	for n := range 2 { // who looks while it is read again is told the same; it may have been by then
		by := store.From(b.Context(), store.Origin{Address: "192.0.2.7", Token: "who looks"})
		if err := b.work.Standing(by, i); !fault.Is(err, ErrLost.Code) && (n == 0 || err != nil) {
			b.Fatalf("what was lost is told as %v", err)
		}
	}
	again := b.wait(i.ID)
	b.ok(b.store.EachLogEntry(b.Context(), store.LogFilter{}, 5, func(e store.LogEntry) error {
		if strings.Contains(fmt.Sprint(e.Action, e.Detail, e.Token, e.Address), "who looks") {
			b.Errorf("who looked is said to have done it: %+v", e)
		}
		return nil
	}))
	b.ok(b.work.Standing(b.Context(), again))
	return again
}

// shown tells what the face shows of an import: its rows with their problems, its state and its counts.
func (b *bench) shown(i store.Import) string {
	b.Helper()
	list, err := b.room.Rows(b.Context(), i, staging.RowFilter{}, 0, -1, 100)
	b.ok(err)
	var out strings.Builder
	fmt.Fprintln(&out, i.State, i.Into, i.Rows, i.RoutineVersion)
	if i.Totals.V != nil {
		fmt.Fprintln(&out, i.Totals.V.Verdicts, i.Totals.V.Problems)
	}
	for _, r := range list {
		stands := ""
		switch {
		case r.Outcome != nil: // it is settled
			stands = string(*r.Outcome)
		case r.Verdict != nil:
			stands = string(*r.Verdict)
		}
		fmt.Fprintln(&out, r.Row, r.Cells.V, stands, r.Problems)
	}
	return out.String()
}

// What a crash of the database has emptied is read, and checked, again when somebody looks; nobody is shown an
// import without rows.
func TestWhatACrashEmptiesIsMadeAgain(t *testing.T) {
	b := start(t)
	const text = "Ref,Family name,E-mail\nK-1,Berg,berg@x.example\nK-2,Li,no mail\nK-3,Moe,moe@x.example\nK-4,Lie,lie@x.example\n"
	opened := b.change(b.upload("contact", text), func(r *mapping.Routine) {
		r.Drafts[0].Fields["description"] = mapping.Origin{From: []string{"Ref"}}
	})
	before := b.shown(opened)
	b.want(b.shown(b.lookedAt(opened)), before)

	ready := b.mend(b.check(opened), CellEdit{4, "Family name", "Moen"})
	before = b.shown(ready)
	again := b.lookedAt(ready)
	b.want(b.shown(again), before)
	b.want(again.Trouble.V, (*store.Trouble)(nil))
	if !strings.Contains(before, "Moen") || !strings.Contains(before, "bad_email") || *again.CheckRun == *ready.CheckRun {
		t.Errorf("%s", before)
	}

	loaded := b.load(again)
	b.want(loaded.State, life.Loaded)
	before = b.shown(loaded)
	loaded = b.lookedAt(loaded)
	b.want(b.shown(loaded), before)
	b.agree(loaded)
	loaded = b.mend(loaded, CellEdit{3, "E-mail", "li@x.example"})
	b.want(b.load(loaded).Outcomes.V["created"], int64(4))

	undone := b.undo(loaded, UndoRequest{})
	b.want([]any{undone.State, b.lookedAt(undone).State}, []any{life.Undone, life.Undone})
}

// A load that waits goes on as it was checked when its rows were lost meanwhile and are read again.
func TestAWaitingLoadOutlivesACrash(t *testing.T) {
	b := start(t)
	text := "Ref,Family name,E-mail\n"
	for n := range 8 {
		text += fmt.Sprintf("K-%d,Berg %d,%s\n", n, n, []string{"no mail", fmt.Sprint("p", n, "@x.example")}[min(n%3, 1)])
	}
	i := b.check(b.upload("contact", text))
	run := b.begun(i, life.Load)
	b.ok(b.work.Do(b.Context(), i, life.Pause, b.person))
	b.ok(b.store.EndRun(b.Context(), run, life.Interrupt, nil, nil))
	i = b.lookedAt(i)
	b.want(i.State, life.Paused)
	b.ok(b.work.Do(b.Context(), i, life.Resume, b.person))
	i = b.wait(i.ID)
	b.want(i.State, life.Loaded)
	b.want([]int64{i.Outcomes.V["created"], i.Outcomes.V["held"]}, []int64{5, 3})
	b.agree(i)
}

// Of what is checked again after a crash and says something else, a person is told before anything is loaded; a source
// that is read otherwise is no longer what was lost.
func TestOtherVerdictsAfterACrashAreTold(t *testing.T) {
	b := start(t)
	b.loaded("contact", "Ref,Family name\nK-1,Berg\n")
	i := b.check(b.upload("contact", "Ref,Family name\nK-1,Berg-Hav\nK-2,Li\n"))
	_, err := b.store.Pool().Exec(b.Context(), `update w_main.r_contact set f_family_name = 'Berg-Hav', version = 2`)
	b.ok(err)
	i = b.lookedAt(i)
	if i.State != life.Ready || i.Trouble.V == nil || i.Trouble.V.Code != "checks_differ" {
		t.Fatalf("%s, %+v", i.State, i.Trouble.V)
	}
	b.want(i.Totals.V.Verdicts, map[string]int64{"same": 1, "create": 1})

	b.crash(i)
	i = b.read(i, sheet.Reading{NoHeader: true})
	b.want(slices.Equal(i.Headers(), []string{"A", "B"}), true)
	b.ok(b.work.Standing(context.Background(), i))
}

// The imports of a bundle are checked again together, whichever is looked at: what the companies' file makes is found for
// the people again.
func TestABundleOutlivesACrash(t *testing.T) {
	b := start(t)
	bundle := b.checkBundle(b.bundled("people.csv", "Family name,E-mail,Company\nBerg,berg@x.example,Kelpie Marine\n",
		"companies.csv", "Company name,Town\nKelpie Marine,Oban\n"))
	before := b.said(bundle)
	for _, m := range b.members(bundle) {
		b.crash(m)
	}
	for _, m := range b.members(bundle) {
		if err := b.work.Standing(b.Context(), m); !fault.Is(err, ErrLost.Code) {
			t.Fatalf("what was lost of %s is told as %v", m.Name, err)
		}
	}
	bundle = b.settled(bundle)
	b.want(b.said(bundle), before)
	if !strings.Contains(before, "people.csv ready map[create:1]") {
		t.Error(before)
	}
	for _, m := range b.members(bundle) {
		b.ok(b.work.Standing(b.Context(), m))
	}
}

// What cannot be read again is told, and not tried over and over by all who look; what cannot be checked again has its
// cells at least.
func TestWhatCannotBeMadeAgainIsTold(t *testing.T) {
	b := start(t)
	i := b.check(b.upload("contact", "Ref,Family name\nK-1,Berg\n"))
	exec := func(sql string, args ...any) {
		b.Helper()
		_, err := b.store.Pool().Exec(b.Context(), sql, args...)
		b.ok(err)
	}
	exec(`update imports set routine = jsonb_set(routine, '{drafts,0,type}', '"berth"') where id = $1`, i.ID)
	i = b.lookedAt(i)
	if rows, err := b.room.Rows(b.Context(), i, staging.RowFilter{}, 0, -1, 100); err != nil || len(rows) != 1 || i.Trouble.V == nil {
		t.Errorf("%d rows, %v, %+v", len(rows), err, i.Trouble.V)
	}
	exec(`delete from source_chunks where source = $1`, i.Source)
	b.crash(i)
	if err := b.work.Standing(b.Context(), i); !fault.Is(err, ErrLost.Code) {
		t.Fatal(err)
	}
	b.wait(i.ID)
	runs, err := b.store.Runs(b.Context(), i.ID)
	b.ok(err)
	for range 3 {
		if err := b.work.Standing(b.Context(), i); !fault.Is(err, "source_unreadable") {
			t.Errorf("what cannot be read again is told as %v", err)
		}
	}
	now, err := b.store.Runs(b.Context(), i.ID)
	b.ok(err)
	b.want(len(now), len(runs))
}

// An import of a bundle of which some rows are loaded is no longer checked with the others, and is made again by itself.
func TestAPartlyLoadedImportOfABundleOutlivesACrash(t *testing.T) {
	b := start(t)
	bundle := b.checkBundle(b.bundled("companies.csv", "Company name,Town\nKelpie Marine,Oban\nTern Yard,Ayr\n",
		"people.csv", "Family name,E-mail\nBerg,berg@x.example\n"))
	i := b.members(bundle)[0]
	b.ok(b.work.Load(b.Context(), i, LoadRequest{Choice: staging.Choice{First: 1}}, b.person))
	i = b.wait(i.ID)
	b.want([]any{i.State, i.Written}, []any{life.Ready, true})
	before := b.shown(i)
	i = b.lookedAt(i)
	b.want(b.shown(i), before)
	b.want(b.load(i).Outcomes.V["created"], int64(2))
}
