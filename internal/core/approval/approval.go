// Package approval says when a load needs a second person's yes.
package approval

import (
	"fmt"
	"slices"
	"strings"

	"uchi/internal/core/fault"
)

// Rules say which loads of a workspace need a second person's yes; the zero value none.
type Rules struct {
	Always   bool     `json:"always,omitempty"`
	Types    []string `json:"types,omitempty"`    // that rows become
	Routines []string `json:"routines,omitempty"` // that imports are set up by
	Above    int64    `json:"above,omitempty"`    // records that are made, changed or deleted; 0 for no limit
	// OperatorsAbove lets operators load so many by themselves; above it an
	// administrator says yes. 0 for no limit.
	OperatorsAbove int64 `json:"operators_above,omitempty"`
	// OperatorsShare lets operators change or delete so many percent of the records of a
	// type by themselves. 0 for no limit.
	OperatorsShare int64 `json:"operators_share,omitempty"`
}

// Check says what is wrong with them.
func (r Rules) Check() error {
	if r.Above < 0 || r.OperatorsAbove < 0 {
		return fault.New(fault.Invalid, "bad_limit",
			"a limit is a number of records, or 0 for none").With(fmt.Sprint(min(r.Above, r.OperatorsAbove)))
	}
	if r.OperatorsShare < 0 || r.OperatorsShare > 100 {
		return fault.New(fault.Invalid, "bad_limit",
			"a share is a number of percent up to 100, or 0 for none").With(fmt.Sprint(r.OperatorsShare))
	}
	return nil
}

// Load is what a load would do.
type Load struct {
	Types    []string
	Routine  string
	Records  int64 // that are made, changed or deleted
	Touches  []Touch
	Operator bool // whoever loads is an operator, and no administrator
}

// Touch is how many records of a type a load changes or deletes, of those that are there.
type Touch struct {
	Type        string
	Records, Of int64
}

// passes reports whether more than so many percent of the records are touched; none of a
// type that has no records yet.
func (t Touch) passes(percent int64) bool { return 100*t.Records > percent*t.Of }

// Need is why a load needs a yes, and whose.
type Need struct {
	Why           string // empty for none
	Administrator bool   // only an administrator may say it
}

// Needs tells why a load needs a second person's yes.
func (r Rules) Needs(l Load) Need {
	var n Need
	var why []string
	if r.Always {
		why = append(why, "every load here needs it")
	}
	for _, t := range l.Types {
		if slices.Contains(r.Types, t) {
			why = append(why, "loads into "+t+" need it")
		}
	}
	if slices.Contains(r.Routines, l.Routine) && l.Routine != "" {
		why = append(why, "loads by the routine "+l.Routine+" need it")
	}
	if r.Above > 0 && l.Records > r.Above {
		why = append(why, fmt.Sprintf("it makes, changes or deletes %d records, and above %d a load needs it",
			l.Records, r.Above))
	}
	if r.OperatorsAbove > 0 && l.Operator && l.Records > r.OperatorsAbove {
		n.Administrator = true
		why = append(why, fmt.Sprintf("it makes, changes or deletes %d records, and operators load at most %d "+
			"without an administrator", l.Records, r.OperatorsAbove))
	}
	for _, t := range l.Touches {
		if r.OperatorsShare > 0 && l.Operator && t.passes(r.OperatorsShare) {
			n.Administrator = true
			why = append(why, fmt.Sprintf("it changes or deletes %d of the %d records of %s, and operators touch at most %d %% "+
				"of a type without an administrator", t.Records, t.Of, t.Type, r.OperatorsShare))
		}
	}
	n.Why = strings.Join(why, "; ")
	return n
}
