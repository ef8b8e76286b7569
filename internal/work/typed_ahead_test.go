package work

import (
	"fmt"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/mapping"
	"uchi/internal/core/verdict"
	"uchi/internal/store"
)

// Rows that are typed while they are read become what they become when the check types them; and it does, when the mapping
// or a cell was changed since, when the whole source says something else than its first rows, or when it has few.
func TestRowsAreTypedWhileTheyAreRead(t *testing.T) {
	b := start(t)
	b.loaded("contact", "Ref,Family name,E-mail,Birthday\nK-17,Berg,k17@quaymail.example,1982-02-01\n")
	contacts := func(rows int, last string) string {
		var s strings.Builder
		s.WriteString("Ref,Family name,E-mail,Birthday,Remark\n")
		for n := range rows {
			fmt.Fprintf(&s, "K-%d,Berg,k%d@quaymail.example,%02d/%02d/1982,%d\n", n, n%3300, n%12+1, n%11+1, n) // some say one address
		}
		return s.String() + last
	}
	for name, x := range map[string]struct {
		text   string
		into   string
		change func(i store.Import) store.Import
		taken  bool
	}{
		"as suggested": {text: contacts(3400, "K-12,Again,,,\n"), into: "contact", taken: true},
		"of a type that is suggested": {text: "Account name,Website,Town\n" + strings.Repeat("Quay Ltd,quay.example,Ny\nKai AS,kai.example,Ny\n", 1600),
			taken: true},
		"matched otherwise": {contacts(3400, ""), "contact", func(i store.Import) store.Import {
			return b.change(i, func(r *mapping.Routine) { r.Drafts[0].Match = []catalog.MatchRule{{Fields: []string{"email"}}} })
		}, true},
		"mapped otherwise": {contacts(3400, ""), "contact", func(i store.Import) store.Import {
			return b.change(i, func(r *mapping.Routine) { r.Drafts[0].Fields["description"] = mapping.Origin{From: []string{"Remark"}} })
		}, false},
		"with another column in a field": {contacts(3400, ""), "contact", func(i store.Import) store.Import {
			return b.change(i, func(r *mapping.Routine) { r.Drafts[0].Fields["family_name"] = mapping.Origin{From: []string{"Remark"}} })
		}, false},
		"with a cell that was edited": {contacts(3400, ""), "contact", func(i store.Import) store.Import {
			_, err := b.work.Edit(b.Context(), i, []CellEdit{{Row: 5, Column: "Family name", Value: "Holm"}}, b.person)
			b.ok(err)
			return b.wait(i.ID)
		}, false},
		"with days that the last row decides": {text: contacts(3400, "K-9999,Berg,,25/12/1982,\n"), into: "contact"},
		"of few rows":                         {text: contacts(40, ""), into: "contact"},
	} {
		t.Run(name, func(t *testing.T) {
			b := *b
			b.T = t
			var checked [2]store.Import
			for n, atOnce := range []bool{false, true} {
				i, err := b.work.Upload(b.Context(), Upload{Workspace: "main", FileName: "people.csv", Into: x.into,
					Body: strings.NewReader(x.text), Bytes: -1, AtOnce: atOnce, By: b.person})
				b.ok(err)
				if i = b.wait(i.ID); x.change != nil {
					i = x.change(i)
				}
				typed := b.draftTable(i, *i.CellsRun)
				i = b.check(i)
				if taken := typed > 0 && typed == b.draftTable(i, *i.CheckRun); taken != (atOnce && x.taken) {
					t.Errorf("at once %v: taken %v", atOnce, taken)
				}
				if left := b.draftTable(i, *i.CellsRun); left > 0 {
					t.Error("what was not taken is still there")
				}
				checked[n] = i
			}
			b.want(checked[1].Totals.V, checked[0].Totals.V)
			b.want(checked[1].Digest, checked[0].Digest)
			b.want(b.codes(checked[1]), b.codes(checked[0]))
		})
	}
}

// draftTable gives the table of the first draft that a run has typed, 0 where there is none.
func (b *bench) draftTable(i store.Import, run int64) (oid int64) {
	b.ok(b.store.Pool().QueryRow(b.Context(), `select coalesce(to_regclass($1)::oid::bigint, 0)`,
		fmt.Sprintf("staging.i%d_r%d_d1_draft", i.ID, run)).Scan(&oid))
	return oid
}

// A source of which typing goes wrong while it is read is read all the same, and typed by the check.
func TestTypingAheadThatFails(t *testing.T) {
	b := start(t)
	b.room.FailAt(func(step string) error {
		if step == "notes by what rows were typed while they were read" {
			return fault.New(fault.Invalid, "refused", "not now")
		}
		return nil
	})
	i, err := b.work.Upload(b.Context(), Upload{Workspace: "main", FileName: "people.csv", Into: "contact",
		Body: strings.NewReader("Ref,Family name\n" + strings.Repeat("K-1,Berg\n", 3200)), Bytes: -1, AtOnce: true, By: b.person})
	b.ok(err)
	i = b.wait(i.ID)
	b.want(i.Rows, int64(3200))
	b.want(b.draftTable(i, *i.CellsRun), int64(0))
	b.want(b.check(i).Totals.V.Verdicts[string(verdict.Hold)], int64(3199))
}
