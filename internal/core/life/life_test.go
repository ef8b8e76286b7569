package life

import (
	"fmt"
	"math/rand/v2"
	"os"
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/fault"
)

func begin() Now {
	return Now{State: Open, Work: Reading, Rest: Open, Facts: map[Fact]bool{}}
}

// The table in the documents is the table of the code.
func TestTheTableIsPrinted(t *testing.T) {
	const path, from, to = "../../../docs/architecture.md", "<!-- life -->\n", "<!-- end of life -->"
	doc, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	_, rest, ok := strings.Cut(string(doc), from)
	table, _, end := strings.Cut(rest, to)
	if !ok || !end {
		t.Fatalf("%s has no place for the table", path)
	}
	if table != Markdown() {
		t.Errorf("%s shows another table; it should be:\n%s", path, Markdown())
	}
}

// For one event in one state, with the same work running, there is one line: what
// happens never depends on the order of the table, but for the facts.
func TestLinesDoNotContradict(t *testing.T) {
	for i, a := range Table {
		for _, b := range Table[:i] {
			both := slices.ContainsFunc(a.From, func(s State) bool { return slices.Contains(b.From, s) })
			if a.Event == b.Event && a.Running == b.Running && both {
				t.Errorf("two lines for %s in one state: %+v and %+v", a.Event, b, a)
			}
		}
		if !slices.Contains(Acts, a.Event) && !slices.Contains(Ends, a.Event) && a.Event != Lost {
			t.Errorf("%s is neither an act nor the end of a run, nor what befalls an import", a.Event)
		}
		if slices.Contains(Ends, a.Event) != a.Ends {
			t.Errorf("%s ends a run and does not, %+v", a.Event, a)
		}
		if a.Begins != "" && a.Running != "" {
			t.Errorf("%s begins a run while one runs", a.Event)
		}
	}
}

// Whatever happens in whatever order: an import stands in a known state, work
// runs just in the states that are for it, and nothing is stuck: what runs can be
// cancelled, fail and end, and what is idle can go on or be put away.
func TestNothingIsStuck(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 26))
	all := slices.Concat(Acts, Ends, []Event{Lost})
	seen := map[State]bool{}
	for range 3000 {
		now := begin()
		for range 40 {
			for _, f := range Facts {
				if f != Written || !now.Facts[Written] { // what is written stays written
					now.Facts[f] = r.IntN(3) > 0
				}
			}
			event := all[r.IntN(len(all))]
			step, after, err := Next(now, event)
			if err != nil {
				if f, ok := fault.From(err); !ok || f.Message == "" || f.Code == "" || after.State != now.State ||
					after.Work != now.Work {
					t.Fatalf("%s refused in %+v without saying so: %v, %+v", event, now, err, after)
				}
				continue
			}
			if step.Begins != "" && now.Work != "" {
				t.Fatalf("%s begins %s while %s runs", event, step.Begins, now.Work)
			}
			now = after
			seen[now.State] = true
			inHand(t, now)
		}
	}
	for _, s := range States {
		if !seen[s] {
			t.Errorf("no walk has come to the state %s", s)
		}
	}
}

// inHand sees that an import can get on from where it stands.
func inHand(t *testing.T, now Now) {
	t.Helper()
	if !slices.Contains(States, now.State) || !slices.Contains(Rests, now.Rest) {
		t.Fatalf("an unknown state: %+v", now)
	}
	can := func(e Event) bool { _, _, err := Next(now, e); return err == nil }
	if now.Work != "" {
		for _, e := range []Event{Cancel, Failed, Cancelled} {
			if !can(e) {
				t.Fatalf("%s is not possible in %+v", e, now)
			}
		}
		return
	}
	switch now.State {
	case Checking, Loading, Undoing:
		t.Fatalf("nothing runs in %+v", now)
	case Closed, Discarded:
	case Paused:
		if !can(Resume) || !can(Stop) {
			t.Fatalf("it cannot go on: %+v", now)
		}
	default:
		if !can(ChangeReading) || !can(Close) && !can(Discard) {
			t.Fatalf("it cannot be put right or away: %+v", now)
		}
	}
}

// After rows were written an import is closed and never discarded, however often
// it is checked again.
func TestWrittenIsNeverDiscarded(t *testing.T) {
	now := begin()
	now.Facts = map[Fact]bool{Read: true, Mapped: true}
	for _, e := range []Event{WasRead, Check, WasChecked, Load, WasLoaded} {
		var err error
		if _, now, err = Next(now, e); err != nil {
			t.Fatal(err)
		}
	}
	now.Facts[Written] = true
	for _, e := range []Event{Check, Failed, Check, WasChecked, ChangeRoutine} {
		var err error
		if _, now, err = Next(now, e); err != nil {
			t.Fatal(err)
		}
		if _, _, err := Next(now, Discard); err == nil {
			t.Fatalf("it can be discarded in %+v", now)
		}
	}
	if now.State != Loaded {
		t.Errorf("after all it is %s", now.State)
	}
	if _, _, err := Next(now, Discard); !fault.Is(err, "rows_written") {
		t.Errorf("%v", err)
	}
	if _, after, err := Next(now, Close); err != nil || after.State != Closed {
		t.Errorf("%+v, %v", after, err)
	}
}

func TestPossible(t *testing.T) {
	now := begin()
	for _, a := range Possible(now) {
		if a.Act == Cancel && a.Not != nil || a.Act != Cancel && (a.Not == nil || a.Not.Mend == "") {
			t.Errorf("while it is read: %s, %v", a.Act, a.Not)
		}
	}
	if len(Possible(now)) != len(Acts) {
		t.Error("not all acts are told")
	}
}

// Who wants to load what was held or taken back is told to check it again, where that is possible.
func TestWhatMendsALoad(t *testing.T) {
	read := map[Fact]bool{Read: true, Mapped: true, Written: true}
	for state, want := range map[State]string{Loaded: "Check it again", Undone: "Check it again", Closed: "while it is"} {
		_, _, err := Next(Now{State: state, Rest: Loaded, Facts: read}, Load)
		f, _ := fault.From(err)
		if f == nil || !strings.Contains(f.Mend, want) {
			t.Errorf("%s: %+v", state, f)
		}
	}
}

func ExampleNext() {
	now := Now{State: Ready, Rest: Open, Facts: map[Fact]bool{Read: true, Mapped: true}}
	_, after, _ := Next(now, Load)
	fmt.Println(after.State)
	_, _, err := Next(after, Check)
	fmt.Println(err)
	// Output:
	// loading
	// the import is being loaded. Wait until this has ended, or cancel it.
}
