package verdict

import (
	"fmt"
	"strings"
)

// Question is what a person is asked about a row.
type Question string

// The kinds of questions.
const (
	AskAlike   Question = "alike"   // is it this record, which is like it?
	AskSeveral Question = "several" // which of these records is it?
	AskRepeat  Question = "repeat"  // is it the same as this earlier row?
)

// Questions lists the kinds in the order in which they are shown.
var Questions = []Question{AskAlike, AskSeveral, AskRepeat}

var asks = map[Question]string{AskAlike: "a record is like it, but not surely the same",
	AskSeveral: "several records may be meant", AskRepeat: "an earlier row may be the same"}

// Says gives the question in a few words.
func (q Question) Says() string { return asks[q] }

// Choice is a person's answer.
type Choice string

// The answers.
const (
	ChooseTake     Choice = "take"      // it is the record, or the row, that is named
	ChooseNew      Choice = "new"       // it is none of them
	ChooseLeaveOut Choice = "leave_out" // the row is not to be loaded
)

// Choices lists the answers.
var Choices = []Choice{ChooseTake, ChooseNew, ChooseLeaveOut}

// Reason says why a row is left out.
type Reason string

// The reasons.
const (
	ByCondition  Reason = "condition"     // the routine's condition does not hold
	AnExample    Reason = "example"       // it only shows what a filled row looks like
	ByAnswer     Reason = "answer"        // a person left it out
	AlreadyThere Reason = "already_there" // the import may only create, and the record is there
	NothingFound Reason = "nothing_found" // the import may not create, and no record was found
	SeveralThere Reason = "several_found" // the rule leaves out rows that fit several records
	Repeated     Reason = "repeated"      // another row stands for the record
	Merged       Reason = "merged"        // its values were put into another row
	Grouped      Reason = "grouped"       // it belongs to the record of a row above
	NothingGiven Reason = "nothing_given" // the row says nothing of it
	KnownAs      Reason = "known_as"      // it is there as a record of another type
)

// Again lists the reasons that may have gone when rows are checked again: such
// rows are looked at anew. Rows that another row stands for are not.
var Again = []Reason{ByCondition, AnExample, ByAnswer, AlreadyThere, NothingFound, SeveralThere, NothingGiven, KnownAs}

// Summary says in a few words what all rows of the reason have in common.
func (r Reason) Summary() string {
	switch r {
	case Repeated:
		return "another row stands for the same record"
	case Merged:
		return "their values are in another row"
	case Grouped:
		return "they belong to the record of a row above"
	}
	return r.Says("", 0)
}

// Says gives the reason as a sentence; record and row are what it names.
func (r Reason) Says(record string, row int64) string {
	switch r {
	case ByCondition:
		return "the routine's condition leaves the row out"
	case AnExample:
		return "it only shows what a filled row looks like"
	case ByAnswer:
		return "left out by hand"
	case AlreadyThere:
		return strings.TrimSuffix("the record is already there: "+record, ": ")
	case NothingFound:
		return "no record was found for it"
	case SeveralThere:
		return "the row fits several records"
	case Repeated:
		return fmt.Sprintf("row %d stands for the same record", row)
	case Grouped:
		return fmt.Sprintf("the row belongs to the record of row %d", row)
	case KnownAs:
		return "it is there already, as a record of another type"
	case NothingGiven:
		return "the row says nothing of it"
	case Merged:
		return fmt.Sprintf("its values are in row %d, which is for the same record", row)
	}
	return ""
}
