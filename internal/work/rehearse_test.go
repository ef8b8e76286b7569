package work

import (
	"fmt"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/verdict"
	"uchi/internal/store"
)

// A workspace is copied with its types, rules, routines and a part of its records, with
// all that they refer to; what is done in the copy does not touch the other, and a
// routine comes back.
func TestRehearse(t *testing.T) {
	b := start(t)
	_, err := b.work.AddField(b.Context(), "main", "account", catalog.Field{Name: "berths", Label: "Berths", Type: catalog.Integer}, 0, b.person)
	b.ok(err)
	b.loaded("account", lines("Ref,Company,Berths", 200, func(k int) string { return fmt.Sprintf("A-%d,Marina %d,%d", k, k, k) }))
	b.loaded("contact", lines("Ref,Family name,Account", 400, func(k int) string { return fmt.Sprintf("K-%d,Berg%d,A-%d", k, k, k%200) }))
	v := store.SavedView{Type: "account", Name: "All"}
	_, err = b.work.SaveView(b.Context(), "main", v, b.person)
	b.ok(err)

	b.ok(b.work.AddWorkspace(b.Context(), "practice", "Practice", store.Copy{From: "main", Share: 20}, b.person))
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
	i, err := b.work.Upload(b.Context(), Upload{Workspace: "practice", FileName: "new.csv", Into: "account", Body: strings.NewReader(text), Bytes: int64(len(text)), By: b.person})
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
	b.ok(b.work.AddWorkspace(b.Context(), "practice", "", store.Copy{From: "main", Share: 100}, b.person))
	h, err = b.store.Holds(b.Context(), "practice")
	b.ok(err)
	all, err := b.store.Holds(b.Context(), "main")
	b.ok(err)
	b.want(h.Records, all.Records)
}
