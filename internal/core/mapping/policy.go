package mapping

import (
	"fmt"
	"slices"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/value"
)

// Both says what happens when the record and the row both have a value.
type Both string

// The policies for two values, the default first.
const (
	Replace Both = "replace" // the row's value takes the place
	Keep    Both = "keep"    // the record's value stays
	Add     Both = "add"     // the row's value is put behind, or into the list
	Newer   Both = "newer"   // the row's value, if the row's date is later than the record's last change
)

// Blank says what happens when the row says nothing.
type Blank string

// The policies for blanks, the default first.
const (
	Leave Blank = "leave" // what is there stays
	Clear Blank = "clear" // the value is emptied
)

// Repeats says what happens to rows of one source that are for the same record.
type Repeats string

// The policies for repeated rows. Hold is the default, and once for drafts
// that another draft of the row points to.
const (
	HoldRepeats Repeats = "hold"  // the later rows are held and name the first
	FirstWins   Repeats = "first" // the later rows are left out
	LastWins    Repeats = "last"  // the earlier rows are left out
	MergeRows   Repeats = "merge" // the rows are one, later values over earlier
	AskRepeats  Repeats = "ask"   // a person is asked
	Once        Repeats = "once"  // the rows are one where none contradicts another; the others are held
)

// Held says what is held where one of the records of a row cannot be written, or a person is
// asked about it.
type Held string

// The policies for what is held together, the default first.
const (
	HeldRow    Held = "row"    // the row, with all its records
	HeldRecord Held = "record" // that record and those that need it; the others of the row are written
)

// apart reports whether a record of a row that is held does not hold those that do not need it.
func (r Routine) apart() bool { return r.Held == HeldRecord && len(r.Drafts) > 1 }

// Unreadable says what happens to a row with a value that cannot be read.
type Unreadable string

// The policies for values that cannot be read, the default first. Keys and required
// fields hold their row always; links do unless it is said of the field itself, and
// then only what is not found is left out, or created: see Routine.Creating.
const (
	HoldRow       Unreadable = "hold"      // the row is held
	LeaveValue    Unreadable = "leave_out" // the rest of the row is loaded, and the value is listed
	CreateMissing Unreadable = "create"    // of links: a draft of its own makes the record that is missing
)

// Doubtful says what happens to a value that says less than the record knows
// already, where nothing is said of what both values mean: an older date, an
// earlier stage, a private mailbox over that at the company.
type Doubtful string

// The policies for doubtful values, the default first.
const (
	KeepThere Doubtful = "keep" // what is there stays, and the value is listed
	TakeRows  Doubtful = "take" // the row's value takes the place
	HoldDoubt Doubtful = "hold" // the row is held
)

// Gone says what happens to the children of a record that the source speaks of, such as the
// lines of a deal, when it does not name them any more.
type Gone string

// The policies for children that are gone from the source, the default first.
const (
	LeaveGone  Gone = "leave"  // they stay, and are counted
	RemoveGone Gone = "remove" // they are deleted, once all rows are loaded
)

// Light reports whether a row may be loaded without a value of the field.
func Light(f catalog.Field) bool { return !f.Key && !f.Required }

// The policies in the order in which they are offered.
var (
	Unreadables = []Unreadable{HoldRow, LeaveValue, CreateMissing}
	Doubtfuls   = []Doubtful{KeepThere, TakeRows, HoldDoubt}
	Boths       = []Both{Replace, Keep, Add, Newer}
	Blanks      = []Blank{Leave, Clear}
	Gones       = []Gone{LeaveGone, RemoveGone}
	Repeated    = []Repeats{HoldRepeats, Once, FirstWins, LastWins, MergeRows, AskRepeats}
)

// DefaultClearMarker is the text that empties a value when a routine names no other.
const DefaultClearMarker = "(clear)"

// or gives the first that is not empty.
func or[T ~string](list ...T) T {
	for _, v := range list {
		if v != "" {
			return v
		}
	}
	return ""
}

func oneOf[T ~string](v T, list []T, code, message string, at fault.Place) error {
	if v == "" || slices.Contains(list, v) {
		return nil
	}
	return fault.New(fault.Invalid, code, message).At(at).With(string(v)).Mended(fmt.Sprintf("Choose one of %v.", list))
}

// CanAdd reports whether values of the field can be put behind each other.
func CanAdd(t catalog.RecordType, f catalog.Field) bool {
	switch f.Kind().Add {
	case catalog.AddLines, catalog.AddItems:
		return true
	case catalog.AddParts:
		return !f.Normalised() && !slices.Contains(t.Title, f.Name)
	}
	return false
}

// checkPolicies says whether the policies of the draft can be followed.
func (d Draft) checkPolicies(t catalog.RecordType, columns []string, path string) error {
	at := func(part string) fault.Place { return fault.Place{Path: path + "." + part} }
	if err := oneOf(d.Both, Boths, "unknown_policy", "two values cannot be treated so", at("both")); err != nil {
		return err
	}
	if err := oneOf(d.Blank, Blanks, "unknown_policy", "blanks cannot be treated so", at("blank")); err != nil {
		return err
	}
	if err := oneOf(d.Unreadable, Unreadables, "unknown_policy", "a value that cannot be read cannot be treated so",
		at("unreadable")); err != nil {
		return err
	}
	if err := oneOf(d.Doubtful, Doubtfuls, "unknown_policy", "doubtful values cannot be treated so",
		at("doubtful")); err != nil {
		return err
	}
	if err := oneOf(d.Repeats, Repeated, "unknown_policy", "repeated rows cannot be treated so",
		at("repeats")); err != nil {
		return err
	}
	if err := oneOf(d.Gone, Gones, "unknown_policy", "children that are gone cannot be treated so",
		at("gone")); err != nil {
		return err
	}
	if d.Gone == RemoveGone {
		parent, child := t.ParentField()
		_, filled := d.Fields[parent.Name]
		switch {
		case !child:
			return fault.New(fault.Invalid, "nothing_gone",
				"records of this type are no children that could be gone from the source").
				At(at("gone")).With(d.Type).Mended("Take gone out.")
		case !filled:
			return fault.New(fault.Invalid, "nothing_gone", "the rows do not say whose children they are").
				At(at("gone")).With(parent.Name).Mended("Place a column on " + parent.Label + ".")
		}
	}
	if d.ClearMarker != "" && value.Fold(d.ClearMarker) == "" {
		return fault.New(fault.Invalid, "blank_marker", "a blank cell cannot be what empties a value").At(at("clear_marker")).
			Mended("Give a word such as " + DefaultClearMarker + ", or say blank: clear to let blank cells empty values.")
	}
	if d.Unreadable == CreateMissing {
		return fault.New(fault.Invalid, "cannot_create",
			"only records that a link names can be created where they are missing").
			At(at("unreadable")).Mended("Say create at the link.")
	}
	if d.Both == Add {
		return fault.New(fault.Invalid, "cannot_add",
			"not every field can have values added").At(at("both")).Mended("Say add at the fields that are long texts or lists.")
	}
	if d.NewerBy != "" && columns != nil && !slices.Contains(columns, d.NewerBy) {
		return fault.New(fault.Invalid, "unknown_column", "the source has no such column").At(at("newer_by")).With(d.NewerBy)
	}
	for name, o := range d.Fields {
		place := at("fields." + name)
		if err := oneOf(o.Both, Boths, "unknown_policy", "two values cannot be treated so", place); err != nil {
			return err
		}
		if err := oneOf(o.Blank, Blanks, "unknown_policy", "blanks cannot be treated so", place); err != nil {
			return err
		}
		if err := oneOf(o.Unreadable, Unreadables, "unknown_policy", "a value that cannot be read cannot be treated so",
			place); err != nil {
			return err
		}
		if err := oneOf(o.Doubtful, Doubtfuls, "unknown_policy", "doubtful values cannot be treated so", place); err != nil {
			return err
		}
		f, _ := t.Field(name)
		switch {
		case o.Unreadable == LeaveValue && !Light(f):
			return fault.New(fault.Invalid, "must_be_read", "keys and required fields hold their row when "+
				"they cannot be read").At(place).With(name).Mended("Take unreadable out here.")
		case o.Both == Add && !CanAdd(t, f):
			return fault.New(fault.Invalid, "cannot_add",
				"values of this field cannot be added to each other").At(place).With(name).Mended("Long texts, lists and plain " +
				"texts can; keys and titles cannot.")
		case or(o.Both, d.Both) == Newer && d.NewerBy == "" && name != IDField:
			return fault.New(fault.Invalid, "newer_by_missing",
				"to take the newer value, a column must say how old the row is").At(place).Mended("Name a column with dates under newer_by.")
		case o.Blank == Clear && f.Required:
			return fault.New(fault.Invalid, "required_cleared",
				"a required value cannot be emptied").At(place).With(name).Mended("Leave what is there.")
		}
	}
	return nil
}
