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
	Stopped   State = "stopped"   // the last load was given up before its end
	Closed    State = "closed"    // put away after rows were loaded
	Discarded State = "discarded" // given up before anything was written
)

// States lists the states in the order of the work.
var States = []State{Open, Checking, Ready, Loading, Paused, Loaded, Stopped, Closed, Discarded}

// rest stands in the table for the state in which an import is when nothing is
// checked: open, or after rows were written that in which the last load ended.
const rest State = "where it rests"

// Work is what a run does. Only one run of an import's own goes on at a time; a
// try stands beside it and changes nothing.
type Work string

// The kinds of work; the zero value is that nothing runs.
const (
	Reading     Work = "read"
	CheckingRun Work = "check"
	LoadingRun  Work = "load"
	Trying      Work = "try"
)

// Event is what changes an import: an act of a person, or the end of a run.
type Event string

// The acts of people.
const (
	ChangeReading Event = "change_reading" // of how the source is read
	ChangeRoutine Event = "change_routine"
	Answer        Event = "answer" // questions, also to take answers back
	Check         Event = "check"
	Load          Event = "load"
	Pause         Event = "pause"
	Resume        Event = "resume"
	Stop          Event = "stop"
	Cancel        Event = "cancel" // whatever runs
	Close         Event = "close"
	Discard       Event = "discard"
)

// Acts lists the acts in the order of the work.
var Acts = []Event{ChangeReading, ChangeRoutine, Answer, Check, Load, Pause, Resume, Stop, Cancel, Close, Discard}

// The ends of runs.
const (
	WasRead    Event = "was_read"
	WasChecked Event = "was_checked"
	WasLoaded  Event = "was_loaded"
	Interrupt  Event = "interrupted"    // a load sees between two chunks that it was paused or stopped
	Differs    Event = "checks_differ"  // a check made again in the middle of a load says something else
	Failed     Event = "failed"         // by an error or a panic
	Cancelled  Event = "was_cancelled"  // by a person
	NotWhole   Event = "not_read_whole" // a source read again has other rows; what was read before stays
)

// Ends lists the ends of runs.
var Ends = []Event{WasRead, WasChecked, WasLoaded, Interrupt, Differs, Failed, Cancelled, NotWhole}

// Fact is something about an import that an event may need.
type Fact string

// The facts.
const (
	Read     Fact = "read"     // its source has been read
	Mapped   Fact = "mapped"   // it has a routine
	Written  Fact = "written"  // a load has written records
	Answered Fact = "answered" // questions were answered, or answers taken back, since the check
	Tried    Fact = "tried"    // somebody tries a check
)

// Facts lists the facts.
var Facts = []Fact{Read, Mapped, Written, Answered, Tried}

// Now is where an import stands.
type Now struct {
	State State
	Work  Work  // what runs; empty when nothing does
	Rest  State // where it rests: Open, Loaded or Stopped
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
	Begins  Work  // empty leaves what runs running, unless Ends
	Ends    bool  // the run ends
}

// idle are the states in which nothing is under way.
var idle = []State{Open, Ready, Loaded, Stopped}

// Table is the life of an import.
var Table = []Step{
	{Event: ChangeReading, From: idle, To: rest, Begins: Reading},
	{Event: ChangeRoutine, From: idle, Needs: []Fact{Read}, To: rest},
	{Event: Answer, From: idle, Needs: []Fact{Read, Mapped}},
	{Event: Check, From: idle, Needs: []Fact{Read, Mapped}, To: Checking, Begins: CheckingRun},
	{Event: Load, From: []State{Ready}, Lacks: []Fact{Answered}, To: Loading, Begins: LoadingRun},
	{Event: Pause, From: []State{Loading}, Running: LoadingRun, To: Paused},
	{Event: Resume, From: []State{Paused}, Running: LoadingRun, To: Loading},
	{Event: Resume, From: []State{Paused}, To: Loading, Begins: LoadingRun},
	{Event: Stop, From: []State{Loading, Paused}, Running: LoadingRun, To: Stopped},
	{Event: Stop, From: []State{Paused}, To: Stopped},
	{Event: Cancel, From: idle, Needs: []Fact{Tried}},
	{Event: Cancel, From: idle, Running: Reading},
	{Event: Cancel, From: []State{Checking}, Running: CheckingRun},
	{Event: Cancel, From: []State{Loading, Paused}, Running: LoadingRun, To: Stopped},
	{Event: Cancel, From: []State{Stopped}, Running: LoadingRun},
	{Event: Cancel, From: []State{Paused}, To: Stopped},
	{Event: Close, From: idle, Needs: []Fact{Written}, To: Closed},
	{Event: Discard, From: idle, Lacks: []Fact{Written}, To: Discarded},

	{Event: WasRead, From: idle, Running: Reading, Ends: true},
	{Event: NotWhole, From: idle, Running: Reading, Ends: true},
	{Event: Failed, From: idle, Running: Reading, Ends: true},
	{Event: Cancelled, From: idle, Running: Reading, Ends: true},
	{Event: WasChecked, From: []State{Checking}, Running: CheckingRun, To: Ready, Ends: true},
	{Event: Failed, From: []State{Checking}, Running: CheckingRun, To: rest, Ends: true},
	{Event: Cancelled, From: []State{Checking}, Running: CheckingRun, To: rest, Ends: true},
	{Event: WasLoaded, From: []State{Loading, Paused, Stopped}, Running: LoadingRun, To: Loaded, Ends: true},
	{Event: Interrupt, From: []State{Paused, Stopped}, Running: LoadingRun, Ends: true},
	{Event: Differs, From: []State{Loading, Paused, Stopped}, Running: LoadingRun, To: Ready, Ends: true},
	{Event: Failed, From: []State{Loading, Paused}, Running: LoadingRun, To: Paused, Ends: true},
	{Event: Failed, From: []State{Stopped}, Running: LoadingRun, Ends: true},
	{Event: Cancelled, From: []State{Loading, Paused, Stopped}, Running: LoadingRun, To: Stopped, Ends: true},
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
		if after.State == Loaded || after.State == Stopped {
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
var doing = map[Work]string{Reading: "read", CheckingRun: "checked", LoadingRun: "loaded"}

// needs words the fact that a step lacks, or must not have.
func needs(s Step, f Fact) *fault.Error {
	switch {
	case f == Written && slices.Contains(s.Lacks, Written):
		return fault.New(fault.Conflict, "rows_written", "rows of the import were loaded, so it cannot be discarded").Mended("Close it: its records stay, and the list of imports keeps it.")
	case f == Written:
		return fault.New(fault.Conflict, "nothing_written", "nothing of the import was loaded, so there is nothing to close").Mended("Discard it.")
	case f == Answered:
		return fault.New(fault.Conflict, "answered_since_check", "questions were answered after the check").Mended("Check again, so that the answers count.")
	case f == Tried:
		return fault.New(fault.Conflict, "nothing_runs", "nothing runs that could be cancelled")
	case f == Mapped:
		return fault.New(fault.Conflict, "no_mapping", "no column is mapped yet").Mended("Say into which record type the rows go.")
	}
	return fault.New(fault.Conflict, "rows_not_read", "the rows are not read yet").Mended("Wait until the source has been read, or choose how it is to be read.")
}

// refused words that an event is not possible in a state.
func refused(now Now, event Event) *fault.Error {
	if now.Work != "" {
		return fault.New(fault.Conflict, "import_busy", "the import is being "+doing[now.Work]).Mended("Wait until this has ended, or cancel it.")
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
	return fault.Newf(fault.Conflict, "wrong_state", "this cannot be done while the import is %s", now.State).
		Mended("It can be done while it is " + or(from) + ".")
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
	b.WriteString("| event | in the states | while runs | needs | leads to | begins or ends |\n|---|---|---|---|---|---|\n")
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
		fmt.Fprintf(&b, "| %s | %s | %s | %s | %s | %s |\n", s.Event, strings.Join(from, ", "), s.Running, strings.Join(needs, ", "), to, run)
	}
	return b.String()
}
