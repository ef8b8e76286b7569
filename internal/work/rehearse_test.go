package work

import (
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/mapping"
	"uchi/internal/core/rights"
	"uchi/internal/core/sheet"
	"uchi/internal/core/value"
	"uchi/internal/core/verdict"
	"uchi/internal/store"
)

// asAdministrator lets an administrator act in the tests.
func (b *bench) asAdministrator() *bench {
	b.Helper()
	admin, err := b.store.AddPerson(b.Context(), "admin@x.example", "Admin", rights.Administrator, "a long password", 0)
	b.ok(err)
	b.person = admin
	return b
}

// A workspace is copied with its types, rules, routines and a part of its records, with
// all that they refer to; what is done in the copy does not touch the other, and a
// routine comes back.
func TestRehearse(t *testing.T) {
	b := start(t).asAdministrator()
	_, err := b.work.AddField(b.Context(), "main", "account", catalog.Field{Name: "berths", Label: "Berths",
		Type: catalog.Integer}, 0, b.person)
	b.ok(err)
	b.loaded("account", lines("Ref,Company,Berths", 200,
		func(k int) string { return fmt.Sprintf("A-%d,Marina %d,%d", k, k, k) }))
	b.loaded("contact", lines("Ref,Family name,Account", 400,
		func(k int) string { return fmt.Sprintf("K-%d,Berg%d,A-%d", k, k, k%200) }))
	v := store.SavedView{Type: "account", Name: "All"}
	_, err = b.work.SaveView(b.Context(), "main", v, b.person)
	b.ok(err)

	b.copied("practice", 20)
	h, err := b.store.Holds(b.Context(), "practice")
	b.ok(err)
	if h.Records < 80 || h.Records > 260 {
		t.Errorf("of 600 records %d came along", h.Records)
	}
	lost := 0
	b.ok(b.store.EachRecord(b.Context(), "practice", "contact", store.RecordFilter{}, func(r store.Record) error {
		if r.Links["account"].Title == "" {
			lost++
		}
		return nil
	}))
	b.want(lost, 0)
	c, err := b.store.Catalog(b.Context(), "practice")
	b.ok(err)
	account, _ := c.Type("account")
	if _, ok := account.Field("berths"); !ok {
		t.Error("a field of one's own stays behind")
	}

	// New records there get ids beyond those that came along, and main stays as it was.
	text := "Ref,Company\nA-0,Marina Zero\nN-1,Skarv\n"
	i, err := b.work.Upload(b.Context(), Upload{Workspace: "practice", FileName: "new.csv", Into: "account",
		Body: strings.NewReader(text), Bytes: int64(len(text)), By: b.person})
	b.ok(err)
	rehearsal := *b
	rehearsal.workspace = "practice"
	i = rehearsal.load(rehearsal.check(rehearsal.wait(i.ID)))
	if n := i.Outcomes.V[verdict.Created]; n < 1 {
		t.Errorf("%v", i.Outcomes.V)
	}
	b.want(b.record("account", "ACC-1").Values["name"], "Marina 0")
	r := *i.Routine.V
	r.Name = "spring"
	_, err = b.work.SaveRoutine(b.Context(), "practice", r, 0, b.person)
	b.ok(err)
	back, err := b.work.CopyRoutine(b.Context(), "practice", "spring", "main", "", b.person)
	b.ok(err)
	b.want(back.Name+fmt.Sprint(back.Version), "spring1")

	// It goes when its records are said, and never the main one.
	for code, err := range map[string]error{
		"not_confirmed":     b.work.RemoveWorkspace(b.Context(), "practice", 1, b.person),
		"workspace_stays":   b.work.RemoveWorkspace(b.Context(), "main", 600, b.person),
		"unknown_workspace": b.work.RemoveWorkspace(b.Context(), "nowhere", 0, b.person),
		"workspace_exists":  b.work.AddWorkspace(b.Context(), "main", "", store.Copy{From: "practice"}, b.person),
		"bad_share":         b.work.AddWorkspace(b.Context(), "other", "", store.Copy{From: "main", Share: 101}, b.person),
	} {
		if !fault.Is(err, code) {
			t.Errorf("%v, want %s", err, code)
		}
	}
	b.ok(b.work.RenameWorkspace(b.Context(), "practice", "Spring rehearsal", b.person))
	h, err = b.store.Holds(b.Context(), "practice")
	b.ok(err)
	b.ok(b.work.RemoveWorkspace(b.Context(), "practice", h.Records, b.person))
	if _, err := b.store.Holds(b.Context(), "practice"); !fault.Is(err, "unknown_workspace") {
		t.Error(err)
	}
	b.copied("practice", 100)
	h, err = b.store.Holds(b.Context(), "practice")
	b.ok(err)
	all, err := b.store.Holds(b.Context(), "main")
	b.ok(err)
	b.want(h.Records, all.Records)
}

// copied makes a workspace as a copy of the main one, and waits for its records.
func (b *bench) copied(name string, share int) {
	b.Helper()
	b.ok(b.work.AddWorkspace(b.Context(), name, "", store.Copy{From: "main", Share: share}, b.person))
	for range 600 {
		f, err := b.store.Filling(b.Context(), name)
		b.ok(err)
		switch {
		case f == nil:
			return
		case f.Trouble != nil:
			b.Fatalf("%+v", f.Trouble)
		}
		time.Sleep(20 * time.Millisecond)
	}
	b.Fatal("the records do not come along")
}

// The records of a copy come along in the background: nothing changes there before, another process
// takes over from one that died, who removes the workspace ends it, and what was made meanwhile stays behind.
func TestRecordsComeAlong(t *testing.T) {
	b := start(t).asAdministrator()
	b.loaded("account", lines("Ref,Company", 300, func(k int) string { return fmt.Sprintf("A-%d,Marina %d", k, k) }))
	ctx := b.Context()
	// nobody is told yet
	b.ok(b.store.CopyWorkspace(ctx, "practice", "", store.Copy{From: "main", Share: 100}, b.person.ID))
	w, ok, err := b.store.ClaimCopy(ctx, "dead", time.Hour)
	b.ok(err)
	b.want([]any{ok, w.Workspace, w.From}, []any{true, "practice", "main"})
	mine, err := b.store.BeatCopy(ctx, "practice", "dead", 7, 300)
	b.ok(err)
	b.want(mine, true)
	f, err := b.store.Filling(ctx, "practice")
	b.ok(err)
	b.want(*f, store.Filling{From: "main", Records: 7, Chosen: 300})
	if err := b.store.MustBeOpen(ctx, "practice"); !fault.Is(err, "workspace_filling") {
		t.Errorf("a workspace whose records come along: %v", err)
	}

	// The dead one is silent, its work goes to another; when it comes back it leaves nothing.
	w, ok, err = b.store.ClaimCopy(ctx, "next", time.Nanosecond)
	b.ok(err)
	b.want(ok, true)
	mine, err = b.store.BeatCopy(ctx, "practice", "dead", 9, 300)
	b.ok(err)
	b.want(mine, false)
	err = b.store.CopyRecordsOf(ctx, w, "dead", func(int64, int64) {})
	b.want(errors.Is(err, store.ErrCopyTaken), true)
	n, err := b.store.CountRecords(ctx, "practice")
	b.ok(err)
	b.want(n["account"], int64(0))

	// What is made in main while it goes on does not come, and its id is given to nobody else there.
	made := false
	b.ok(b.store.CopyRecordsOf(ctx, w, "next", func(records, _ int64) {
		if !made && records > 0 {
			b.loaded("account", "Ref,Company\nN-1,Skarv\n")
			made = true
		}
	}))
	n, err = b.store.CountRecords(ctx, "practice")
	b.ok(err)
	b.want(n["account"], int64(300))
	b.ok(b.store.MustBeOpen(ctx, "practice"))
	b.ok(b.work.RemoveWorkspace(ctx, "practice", 300, b.person))

	// Who removes a workspace ends what is copied into it.
	b.ok(b.store.CopyWorkspace(ctx, "practice", "", store.Copy{From: "main", Share: 100}, b.person.ID))
	w, _, err = b.store.ClaimCopy(ctx, "next", time.Hour)
	b.ok(err)
	gone := make(chan error, 1)
	err = b.store.CopyRecordsOf(ctx, w, "next", func(records, _ int64) {
		if records == 0 {
			go func() { gone <- b.work.RemoveWorkspace(ctx, "practice", 0, b.person) }()
			for mine := true; mine; time.Sleep(10 * time.Millisecond) {
				var err error
				mine, err = b.store.BeatCopy(ctx, "practice", "next", 0, 301)
				b.ok(err)
			}
		}
	})
	b.want(errors.Is(err, store.ErrCopyTaken), true)
	b.ok(<-gone)
	if err := b.store.MustWorkspace(ctx, "practice"); !fault.Is(err, "unknown_workspace") {
		t.Errorf("the workspace is still there: %v", err)
	}
}

// An import is rehearsed where it does no harm, and what was set up there comes back: how the
// source is read as well as its mapping.
func TestAnImportIsRehearsed(t *testing.T) {
	b := start(t).asAdministrator()
	b.ok(b.work.AddWorkspace(b.Context(), "practice", "", store.Copy{From: "main"}, b.person))
	i := b.upload("account", "Printed on Friday;;\nCompany;Town;Employees\nMarina One;Oslo;11-50\nMarina Two;Moss;3\n")
	_, err := b.work.Rehearse(b.Context(), i, "main", b.person)
	b.want(fault.Is(err, "same_workspace"), true)
	_, err = b.work.Rehearse(b.Context(), i, "nowhere", b.person)
	b.want(fault.Is(err, "unknown_workspace"), true)
	r, err := b.work.Rehearse(b.Context(), i, "practice", b.person)
	b.ok(err)
	there := *b
	there.workspace = "practice"
	r = there.check(there.wait(r.ID))
	b.want([]any{r.RehearsesIn, *r.Rehearses, r.Rows, r.Totals.V.Verdicts},
		[]any{"main", i.ID, i.Rows, map[string]int64{"create": 1, "hold": 1}})

	// Another mapping alone comes back at once.
	r = there.check(there.change(r, func(x *mapping.Routine) {
		o := x.Drafts[0].Fields["employees"]
		o.Rough = value.Lowest
		x.Drafts[0].Fields["employees"] = o
	}))
	there.load(r)
	b.want(b.counts()["account"], int64(0))
	i, err = b.work.Rehearsed(b.Context(), r, b.person)
	b.ok(err)
	i = b.check(i)
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 2})

	// With another reading the source is read again, and its columns are those of the rehearsal.
	fresh, err := b.work.Rehearse(b.Context(), i, "practice", b.person)
	b.ok(err)
	fresh = there.wait(fresh.ID)
	b.ok(b.work.SetReading(b.Context(), fresh, sheet.Reading{HeaderRow: 2, LastRow: 3}, b.person))
	fresh = there.change(there.wait(fresh.ID), func(x *mapping.Routine) {
		x.Drafts[0].Fields["description"] = mapping.Origin{From: []string{"Employees"}}
	})
	i, err = b.work.Rehearsed(b.Context(), fresh, b.person)
	b.ok(err)
	i = b.load(b.check(b.wait(i.ID)))
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"created": 1})
	b.want(b.record("account", "ACC-1").Values["description"], "11-50")

	// Rows were loaded by now: which rows there are stays, and who rehearses nothing has nothing to bring.
	b.ok(b.work.SetReading(b.Context(), fresh, sheet.Reading{HeaderRow: 2}, b.person))
	_, err = b.work.Rehearsed(b.Context(), there.wait(fresh.ID), b.person)
	b.want(fault.Is(err, "rows_stay"), true)
	_, err = b.work.Rehearsed(b.Context(), i, b.person)
	b.want(fault.Is(err, "no_rehearsal"), true)
}
