// Package life says how an import lives: its states, the work that runs on it,
// the events that change either, and what must hold for each. The table below is
// the only place where this is decided; the store follows it with one
// compare-and-set for every change, the faces show what it allows. The package
// computes and knows no database and no face.
package life

import (
	"fmt"
	"slices"
	"strings"

	"uchi/internal/core/fault"
)

// State is where an import stands.
type State string

// The states.
const (
	Open      State = "open"      // it can be set up and checked
	Checking  State = "checking"  // a check runs
	Ready     State = "ready"     // it is checked and can be loaded
	Loading   State = "loading"   // a load runs
	Paused    State = "paused"    // a load waits between two chunks
	Loaded    State = "loaded"    // the last load has ended
	Stopped   State = "stopped"   // the last load or undo was given up before its end
	Undoing   State = "undoing"   // an undo runs
	Undone    State = "undone"    // all that was loaded has been taken back
	Closed    State = "closed"    // put away after rows were loaded
	Discarded State = "discarded" // given up before anything was written
)

// States lists the states in the order of the work.
var States = []State{Open, Checking, Ready, Loading, Paused, Loaded, Stopped, Undoing, Undone, Closed, Discarded}

// rest stands in the table for the state in which an import is when nothing is
// checked: open, or after rows were written that in which the last load or undo
// ended.
const rest State = "where it rests"

// Work is what a run does. Only one run of an import's own goes on at a time; a
// try stands beside it and changes nothing.
type Work string

// The kinds of work; the zero value is that nothing runs.
const (
	Reading     Work = "read"
	CheckingRun Work = "check"
	LoadingRun  Work = "load"
	UndoingRun  Work = "undo"
	Trying      Work = "try"
)

// Event is what changes an import: an act of a person, or the end of a run.
type Event string

// The acts of people.
const (
	ChangeReading Event = "change_reading" // of how the source is read
	ChangeRoutine Event = "change_routine"
	Answer        Event = "answer" // questions, also to take answers back
	Edit          Event = "edit"   // cells, also to take edits back
	Check         Event = "check"
	Load          Event = "load"
	Undo          Event = "undo" // what loads, or undos, have written
	Pause         Event = "pause"
	Resume        Event = "resume"
	Stop          Event = "stop"
	Cancel        Event = "cancel" // whatever runs
	Close         Event = "close"
	Discard       Event = "discard"
	Reopen        Event = "reopen" // what was closed or discarded
)

// Acts lists the acts in the order of the work.
var Acts = []Event{ChangeReading, ChangeRoutine, Answer, Edit, Check, Load, Pause, Resume, Stop, Undo, Cancel, Close,
	Discard, Reopen}

// Lost befalls an import: a crash of the database has emptied what is staged of it, which is made again.
const Lost Event = "staging_lost"

// The ends of runs.
const (
	WasRead    Event = "was_read"
	WasChecked Event = "was_checked"
	WasLoaded  Event = "was_loaded"
	PartLoaded Event = "part_loaded"     // some rows were to be loaded, and others are left
	HeldUp     Event = "too_many_held"   // more rows are held than the load was to put up with
	Failing    Event = "too_many_failed" // the database has refused more rows than the load was to put up with
	NotAll     Event = "not_all"         // all rows were to be loaded or none, and one cannot be
	WasUndone  Event = "was_undone"      // nothing of what was loaded is left
	PartUndone Event = "part_undone"     // something that was loaded is left
	Interrupt  Event = "interrupted"     // a load sees between two chunks that it was paused or stopped
	Differs    Event = "checks_differ"   // a check made again in the middle of a load says something else
	Failed     Event = "failed"          // by an error or a panic
	Cancelled  Event = "was_cancelled"   // by a person
	NotWhole   Event = "not_read_whole"  // a source read again has other rows; what was read before stays
)

// Ends lists the ends of runs.
var Ends = []Event{WasRead, WasChecked, WasLoaded, PartLoaded, HeldUp, Failing, NotAll, WasUndone, PartUndone,
	Interrupt, Differs, Failed, Cancelled, NotWhole}

// Fact is something about an import that an event may need.
type Fact string

// The facts.
const (
	Read     Fact = "read"     // its source has been read
	Mapped   Fact = "mapped"   // it has a routine
	Written  Fact = "written"  // a load has written records
	Answered Fact = "answered" // questions were answered, cells edited, or either taken back, since the check
	Tried    Fact = "tried"    // somebody tries a check
)

// Facts lists the facts.
var Facts = []Fact{Read, Mapped, Written, Answered, Tried}

// Now is where an import stands.
type Now struct {
	State State
	Work  Work  // what runs; empty when nothing does
	Rest  State // where it rests: one of Rests
	Facts map[Fact]bool
}

// Step is one line of the table: in one of the states From, while Running runs,
// Event leads to To and begins Begins.
type Step struct {
	Event   Event
	From    []State
	Running Work // what must run; empty that nothing may
	Needs   []Fact
	Lacks   []Fact
	To      State // empty is where it stands
	Rests   State // where it rests from now on; empty is where it then stands, if that is one of Rests
	Begins  Work  // empty leaves what runs running, unless Ends
	Ends    bool  // the run ends
}

// Rests lists where an import may rest.
var Rests = []State{Open, Loaded, Stopped, Undone}

// idle are the states in which nothing is under way.
var idle = []State{Open, Ready, Loaded, Stopped, Undone}

// readable are the states in which the source may be read: of a load that waits, or an import that was put away, only
// what was lost is read again.
var readable = append([]State{Paused, Closed}, idle...)

// Table is the life of an import.
var Table = []Step{
	{Event: ChangeReading, From: idle, To: rest, Begins: Reading},
	{Event: ChangeRoutine, From: idle, Needs: []Fact{Read}, To: rest},
	{Event: Answer, From: idle, Needs: []Fact{Read, Mapped}},
	{Event: Edit, From: idle, Needs: []Fact{Read}},
	{Event: Check, From: idle, Needs: []Fact{Read, Mapped}, To: Checking, Begins: CheckingRun},
	{Event: Load, From: []State{Ready}, Lacks: []Fact{Answered}, To: Loading, Begins: LoadingRun},
	{Event: Pause, From: []State{Loading}, Running: LoadingRun, To: Paused},
	{Event: Resume, From: []State{Paused}, Running: LoadingRun, To: Loading},
	{Event: Resume, From: []State{Paused}, To: Loading, Begins: LoadingRun},
	{Event: Stop, From: []State{Loading, Paused}, Running: LoadingRun, To: Stopped},
	{Event: Stop, From: []State{Paused}, To: Stopped},
	{Event: Cancel, From: idle, Needs: []Fact{Tried}},
	{Event: Cancel, From: readable, Running: Reading},
	{Event: Cancel, From: []State{Checking}, Running: CheckingRun},
	{Event: Cancel, From: []State{Loading, Paused}, Running: LoadingRun, To: Stopped},
	{Event: Cancel, From: []State{Stopped}, Running: LoadingRun},
	{Event: Cancel, From: []State{Paused}, To: Stopped},
	{Event: Cancel, From: []State{Undoing}, Running: UndoingRun},
	{Event: Undo, From: append([]State{Closed}, idle...), Needs: []Fact{Written}, To: Undoing, Begins: UndoingRun},
	{Event: Close, From: idle, Needs: []Fact{Written}, To: Closed},
	{Event: Discard, From: idle, Lacks: []Fact{Written}, To: Discarded},
	{Event: Reopen, From: []State{Closed}, Needs: []Fact{Read}, To: rest},
	{Event: Reopen, From: []State{Discarded}, Needs: []Fact{Read}, To: Open, Begins: Reading},

	{Event: Lost, From: readable, Needs: []Fact{Read}, Begins: Reading},
	{Event: WasRead, From: readable, Running: Reading, Ends: true},
	{Event: NotWhole, From: idle, Running: Reading, Ends: true},
	{Event: Failed, From: readable, Running: Reading, Ends: true},
	{Event: Cancelled, From: readable, Running: Reading, Ends: true},
	{Event: WasChecked, From: []State{Checking}, Running: CheckingRun, To: Ready, Ends: true},
	{Event: Failed, From: []State{Checking}, Running: CheckingRun, To: rest, Ends: true},
	{Event: Cancelled, From: []State{Checking}, Running: CheckingRun, To: rest, Ends: true},
	{Event: WasLoaded, From: []State{Loading, Paused, Stopped}, Running: LoadingRun, To: Loaded, Ends: true},
	{Event: PartLoaded, From: []State{Loading, Paused, Stopped}, Running: LoadingRun, To: Ready, Rests: Loaded,
		Ends: true},
	{Event: HeldUp, From: []State{Loading, Paused}, Running: LoadingRun, To: Paused, Ends: true},
	{Event: HeldUp, From: []State{Stopped}, Running: LoadingRun, Ends: true},
	{Event: Failing, From: []State{Loading, Paused, Stopped}, Running: LoadingRun, To: Stopped, Ends: true},
	{Event: NotAll, From: []State{Loading, Paused, Stopped}, Running: LoadingRun, To: Ready, Ends: true},
	{Event: Interrupt, From: []State{Paused, Stopped}, Running: LoadingRun, Ends: true},
	{Event: Differs, From: []State{Loading, Paused, Stopped}, Running: LoadingRun, To: Ready, Ends: true},
	{Event: Failed, From: []State{Loading, Paused}, Running: LoadingRun, To: Paused, Ends: true},
	{Event: Failed, From: []State{Stopped}, Running: LoadingRun, Ends: true},
	{Event: Cancelled, From: []State{Loading, Paused, Stopped}, Running: LoadingRun, To: Stopped, Ends: true},
	{Event: WasUndone, From: []State{Undoing}, Running: UndoingRun, To: Undone, Ends: true},
	{Event: PartUndone, From: []State{Undoing}, Running: UndoingRun, To: Loaded, Ends: true},
	{Event: Failed, From: []State{Undoing}, Running: UndoingRun, To: Stopped, Ends: true},
	{Event: Cancelled, From: []State{Undoing}, Running: UndoingRun, To: Stopped, Ends: true},
}

// Next gives where an event leads: the step that is taken and what holds
// afterwards. An act that is not possible is refused with a fault that a person
// understands.
func Next(now Now, event Event) (Step, Now, error) {
	for _, s := range Table {
		if s.Event != event || s.Running != now.Work || !slices.Contains(s.From, now.State) {
			continue
		}
		if f, ok := s.unmet(now); !ok {
			return s, now, needs(s, f)
		}
		after := now
		switch {
		case s.To == rest:
			after.State = now.Rest
		case s.To != "":
			after.State = s.To
		}
		switch {
		case s.Begins != "":
			after.Work = s.Begins
		case s.Ends:
			after.Work = ""
		}
		switch {
		case s.Rests != "":
			after.Rest = s.Rests
		case slices.Contains(Rests, after.State):
			after.Rest = after.State
		}
		return s, after, nil
	}
	return Step{}, now, refused(now, event)
}

func (s Step) unmet(now Now) (Fact, bool) {
	for _, f := range s.Needs {
		if !now.Facts[f] {
			return f, false
		}
	}
	for _, f := range s.Lacks {
		if now.Facts[f] {
			return f, false
		}
	}
	return "", true
}

// Words for what runs, as in "the import is being …".
var doing = map[Work]string{Reading: "read", CheckingRun: "checked", LoadingRun: "loaded", UndoingRun: "taken back"}

// needs words the fact that a step lacks, or must not have.
func needs(s Step, f Fact) *fault.Error {
	switch {
	case f == Written && slices.Contains(s.Lacks, Written):
		return fault.New(fault.Conflict, "rows_written",
			"rows of the import were loaded, so it cannot be discarded").Mended("Close it: its records stay, and the list of imports keeps it.")
	case f == Written && s.Event == Undo:
		return fault.New(fault.Conflict, "nothing_written",
			"nothing of the import was loaded, so there is nothing to take back")
	case f == Written:
		return fault.New(fault.Conflict, "nothing_written",
			"nothing of the import was loaded, so there is nothing to close").Mended("Discard it.")
	case f == Answered:
		return fault.New(fault.Conflict, "answered_since_check",
			"questions were answered or cells mended after the check").Mended("Check again, so that it counts.")
	case f == Tried:
		return fault.New(fault.Conflict, "nothing_runs", "nothing runs that could be cancelled")
	case f == Mapped:
		return fault.New(fault.Conflict, "no_mapping",
			"no column is mapped yet").Mended("Say into which record type the rows go.")
	case s.Event == Reopen:
		return fault.New(fault.Conflict, "source_not_kept",
			"the source of the import is no longer kept").Mended("Upload the file again.")
	}
	return fault.New(fault.Conflict, "rows_not_read", "the rows are not read yet").Mended("Wait until the source " +
		"has been read, or choose how it is to be read.")
}

// refused words that an event is not possible in a state.
func refused(now Now, event Event) *fault.Error {
	if now.Work != "" {
		return fault.New(fault.Conflict, "import_busy", "the import is being "+
			doing[now.Work]).Mended("Wait until this has ended, or cancel it.")
	}
	if event == Cancel {
		return fault.New(fault.Conflict, "nothing_runs", "nothing runs that could be cancelled").With(string(now.State))
	}
	var from []string
	for _, s := range Table {
		if s.Event != event {
			continue
		}
		for _, st := range s.From {
			if w := string(st); !slices.Contains(from, w) {
				from = append(from, w)
			}
		}
	}
	no := fault.Newf(fault.Conflict, "wrong_state", "this cannot be done while the import is %s", now.State)
	if event == Load && Allows(now, Check) == nil { // rows that are held or taken back are open
		return no.Mended("Check it again: then what is open can be loaded.")
	}
	return no.Mended("It can be done while it is " + or(from) + ".")
}

func or(list []string) string {
	if len(list) < 2 {
		return strings.Join(list, "")
	}
	return strings.Join(list[:len(list)-1], ", ") + " or " + list[len(list)-1]
}

// Act is an act with whether it is possible now, and if not, why.
type Act struct {
	Act Event
	Not *fault.Error // nil when it is possible
}

// Allows gives the reason why an act is not possible now, nil when it is.
func Allows(now Now, act Event) error {
	_, _, err := Next(now, act)
	return err
}

// Possible says of every act whether it is possible now.
func Possible(now Now) []Act {
	list := make([]Act, 0, len(Acts))
	for _, act := range Acts {
		a := Act{Act: act}
		if _, _, err := Next(now, act); err != nil {
			a.Not, _ = fault.From(err)
		}
		list = append(list, a)
	}
	return list
}

// Markdown writes the table as documents show it.
func Markdown() string {
	var b strings.Builder
	b.WriteString("| event | in the states | while runs | needs | leads to | begins or ends |\n" +
		"|---|---|---|---|---|---|\n")
	for _, s := range Table {
		from := make([]string, len(s.From))
		for i, st := range s.From {
			from[i] = string(st)
		}
		to := string(s.To)
		if to == "" {
			to = "(stays)"
		}
		var needs []string
		for _, f := range s.Needs {
			needs = append(needs, string(f))
		}
		for _, f := range s.Lacks {
			needs = append(needs, "not "+string(f))
		}
		run := ""
		switch {
		case s.Begins != "":
			run = "begins " + string(s.Begins)
		case s.Ends:
			run = "ends the run"
		}
		fmt.Fprintf(&b, "| %s | %s | %s | %s | %s | %s |\n", s.Event, strings.Join(from, ", "), s.Running,
			strings.Join(needs, ", "), to, run)
	}
	return b.String()
}
