package verdict

import (
	"fmt"
	"strings"
)

// UndoAct is what an undo does with a record.
type UndoAct string

// The acts.
const (
	Remove    UndoAct = "remove" // a record that was made goes
	Return    UndoAct = "return" // values that were changed return
	BringBack UndoAct = "back"   // a record that was deleted comes back
)

// UndoWhy says why something cannot be taken back.
type UndoWhy string

// The reasons.
const (
	ChangedSince UndoWhy = "changed_since" // somebody else has changed the record, or the value, since
	ReferredTo   UndoWhy = "referred_to"   // other records refer to the record now
	KeyTaken     UndoWhy = "key_taken"     // another record has its key now
	Refused      UndoWhy = "refused"       // the database refuses it
)

var undoWhys = map[UndoWhy]string{
	ChangedSince: "changed by somebody else since",
	ReferredTo:   "other records refer to it now",
	KeyTaken:     "another record has its key now",
	Refused:      "the database refuses it",
}

// Says gives the reason in a few words.
func (w UndoWhy) Says() string { return undoWhys[w] }

// UndoSays words how much of one kind an undo does, or with a reason, cannot do.
// One and many are what records of the type are called.
func UndoSays(act UndoAct, one, many string, why UndoWhy, records, values int64) string {
	one, many = strings.ToLower(one), strings.ToLower(many)
	count := func(n int64, one, many string) string {
		if n == 1 {
			return "1 " + one
		}
		return fmt.Sprintf("%d %s", n, many)
	}
	verb := func(one, many string) string {
		if records == 1 {
			return one
		}
		return many
	}
	what := count(records, one, many)
	switch {
	case act == Return && why != "":
		return count(values, "value", "values") + " of " + what + " " + map[bool]string{true: "stays",
			false: "stay"}[values == 1] + ": " + why.Says()
	case act == Return:
		return count(values, "value", "values") + " of " + what + " " + map[bool]string{true: "returns",
			false: "return"}[values == 1]
	case act == Remove && why != "":
		return what + " " + verb("stays", "stay") + ": " + why.Says()
	case act == Remove:
		return what + " " + verb("goes", "go")
	case why != "":
		return what + " " + verb("stays", "stay") + " deleted: " + why.Says()
	}
	return what + " " + verb("comes back", "come back")
}
