package work

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/life"
	"uchi/internal/core/mapping"
	"uchi/internal/core/verdict"
	"uchi/internal/staging"
	"uchi/internal/store"
)

// undoneBetween takes back what an import has loaded, so many acts at a time, and lets somebody else act between its
// plan and its acts. It goes on as a run does where the database refuses something.
func (b *bench) undoneBetween(i store.Import, acts int, between func()) (store.Import, []string) {
	b.Helper()
	what, err := b.work.toUndo(b.Context(), i, UndoRequest{}, b.person)
	b.ok(err)
	run := b.begunTo(i, life.Undo, what)
	now, err := b.store.Import(b.Context(), "main", i.ID)
	b.ok(err)
	u := b.room.NewUndo(run, now, b.catalog())
	_, err = u.Plan(b.Context())
	b.ok(err)
	between()
	for refused := 0; ; {
		ended, err := u.Chunk(b.Context(), acts)
		switch {
		case err == nil && ended:
			b.ok(u.End(b.Context(), "", nil))
			i = b.wait(i.ID)
			b.agree(i)
			return i, b.stayed(i)
		case staging.Refused(err) && acts > 1:
			acts = 1
		case staging.Refused(err):
			if refused++; refused > 20 {
				b.Fatalf("it is refused again and again: %v", err)
			}
			b.ok(u.Refuse(b.Context()))
		default:
			b.ok(err)
		}
	}
}

// stayed lists what is said of rows that could not be taken back as a whole.
func (b *bench) stayed(i store.Import) (list []string) {
	b.Helper()
	plan, err := b.work.PlanUndo(b.Context(), i, UndoRequest{}, 50, b.person)
	b.ok(err)
	for _, x := range plan.Counts {
		list = append(list, string(x.Act)+" "+string(x.Why))
	}
	slices.Sort(list)
	return list
}

// byRef lets an import find its records by the old number.
func byRef(may mapping.May) func(r *mapping.Routine) {
	return func(r *mapping.Routine) {
		r.Drafts[0].May = may
		r.Drafts[0].Match = []catalog.MatchRule{{Fields: []string{"source_ref"}}}
	}
}

const threePeople = "Ref,Given name,Family name,E-mail\nK-1,Ada,Berg,ada@x.example\nK-2,Bo,Li,bo@x.example\nK-3,Cy,Moe,cy@x.example\n"

// A record that somebody changes while an undo is about to begin stays, with all that they have written.
func TestUndoWhileSomebodyChangesARecord(t *testing.T) {
	t.Parallel()
	for _, acts := range []int{1, 2, 100} {
		t.Run(fmt.Sprint(acts, " at a time"), func(t *testing.T) {
			b := start(t)
			i := b.loaded("contact", threePeople)
			i, stayed := b.undoneBetween(i, acts, func() {
				_, err := b.work.ChangeRecord(b.Context(), "main", "contact", "CON-2", 0, map[string]string{"phone": "+4722000000"}, b.person)
				b.ok(err)
			})
			b.want(b.outcomes(i), map[verdict.Outcome]int64{"created": 1, "undone": 2})
			b.want(stayed, []string{"remove changed_since"})
			if all := b.records("contact"); !strings.Contains(all, "+4722000000") || strings.Contains(all, "Moe") {
				t.Error(all)
			}
		})
	}
}

// A record that somebody points to meanwhile stays, and the link leads to it.
func TestUndoWhileSomebodyPointsToARecord(t *testing.T) {
	b := start(t)
	i := b.loaded("account", "Name,City\nQuay House,Bergen\nAnchorby Marina,Oslo\n")
	i, stayed := b.undoneBetween(i, 100, func() {
		b.loaded("contact", "Family name,Company\nBerg,Quay House\n")
	})
	b.want(b.outcomes(i), map[verdict.Outcome]int64{"created": 1, "undone": 1})
	b.want(stayed, []string{"remove referred_to"})
	b.want(b.dangling(), 0)
	if all := b.records("account"); !strings.Contains(all, "Quay House") || strings.Contains(all, "Anchorby") {
		t.Error(all)
	}
}

// A value that somebody changes meanwhile is theirs; the others return.
func TestUndoWhileSomebodyChangesAValue(t *testing.T) {
	b := start(t)
	b.loaded("contact", threePeople)
	i := b.load(b.check(b.change(b.upload("contact", "Ref,Family name,E-mail\nK-1,Berge,ada@y.example\nK-3,Moen,cy@y.example\n"),
		byRef(mapping.Update))))
	b.want(b.outcomes(i), map[verdict.Outcome]int64{"updated": 2})
	i, _ = b.undoneBetween(i, 100, func() {
		_, err := b.work.ChangeRecord(b.Context(), "main", "contact", "CON-1", 0, map[string]string{"family_name": "Bergesen"}, b.person)
		b.ok(err)
	})
	all := b.records("contact")
	for _, want := range []string{"Bergesen", "cy@x.example", "Moe\""} {
		if !strings.Contains(all, want) {
			t.Errorf("%s is not there: %s", want, all)
		}
	}
	if strings.Contains(all, "Moen") || strings.Contains(all, "cy@y.example") {
		t.Errorf("what nobody has changed has not returned: %s", all)
	}
	b.want(i.Outcomes.V["undone"], int64(1))
}

// A record whose key another has been given meanwhile cannot come back: the database refuses it, it is said, and all
// others do come back.
func TestUndoOfWhatTheDatabaseRefuses(t *testing.T) {
	t.Parallel()
	for _, acts := range []int{1, 2, 100} {
		t.Run(fmt.Sprint(acts, " at a time"), func(t *testing.T) {
			b := start(t)
			b.loaded("contact", threePeople)
			i := b.load(b.check(b.change(b.upload("contact", "Ref,Family name\nK-1,Berg\nK-2,Li\nK-3,Moe\n"), byRef(mapping.Delete))))
			b.want(b.outcomes(i), map[verdict.Outcome]int64{"deleted": 3})
			i, stayed := b.undoneBetween(i, acts, func() {
				b.loaded("contact", "Ref,Family name\nK-2,Other\n")
			})
			b.want(b.outcomes(i), map[verdict.Outcome]int64{"deleted": 1, "undone": 2})
			b.want(stayed, []string{"back key_taken"})
			all := b.records("contact")
			if !strings.Contains(all, "Berg") || !strings.Contains(all, "Moe") || strings.Contains(all, `"Li"`) || !strings.Contains(all, "Other") {
				t.Error(all)
			}
			// When the key is free again, so is the way back.
			b.load(b.check(b.change(b.upload("contact", "Ref,Family name\nK-2,Other\n"), byRef(mapping.Delete))))
			i = b.undo(i, UndoRequest{})
			b.want(b.outcomes(i), map[verdict.Outcome]int64{"undone": 3})
		})
	}
}
