package feed

import (
	"fmt"
	"math"
	"strconv"
	"strings"

	"uchi/internal/core/fault"
	"uchi/internal/core/verdict"
)

// Limit is a number of rows, or a share of all rows of the file in percent; the zero
// value limits nothing.
type Limit struct {
	Set     bool
	Number  float64
	Percent bool
}

// ParseLimit reads a limit: 20, or 5 %; blank is none.
func ParseLimit(s string) (Limit, error) {
	s = strings.TrimSpace(s)
	if s == "" {
		return Limit{}, nil
	}
	number, percent := strings.CutSuffix(s, "%")
	n, err := strconv.ParseFloat(strings.TrimSpace(number), 64)
	if err != nil || n < 0 || math.IsInf(n, 0) || math.IsNaN(n) || !percent && n != math.Trunc(n) {
		return Limit{}, fault.New(fault.Invalid, "bad_limit",
			"a limit is a number of rows or a share of them").With(s).Mended("For example: 20, or 5 %.")
	}
	return Limit{true, n, percent}, nil
}

// MarshalText writes a limit as ParseLimit reads it.
func (l Limit) MarshalText() ([]byte, error) { return []byte(l.String()), nil }

// UnmarshalText reads a limit.
func (l *Limit) UnmarshalText(text []byte) (err error) {
	*l, err = ParseLimit(string(text))
	return err
}

// String writes a limit as people read it.
func (l Limit) String() string {
	switch {
	case !l.Set:
		return ""
	case l.Percent:
		return strconv.FormatFloat(l.Number, 'f', -1, 64) + " %"
	}
	return strconv.FormatFloat(l.Number, 'f', -1, 64)
}

// passed reports whether a number of rows is above the limit.
func (l Limit) passed(n, rows int64) bool {
	most := l.Number
	if l.Percent {
		most = l.Number / 100 * float64(rows)
	}
	return l.Set && float64(n) > most
}

// Bounds are the limits within which a feed may load without a person. What is not set
// does not limit; columns that are missing and words that mean nothing always do,
// unless it is said that they do not.
type Bounds struct {
	Held    Limit `json:"held" yaml:"held"`       // rows that are held, or ask a person
	New     Limit `json:"new" yaml:"new"`         // rows that make records
	Changed Limit `json:"changed" yaml:"changed"` // rows that change records
	Deleted Limit `json:"deleted" yaml:"deleted"` // rows that delete records
	// Touched is the share of the records of the type, in percent, that may be changed or
	// deleted.
	Touched Limit `json:"touched" yaml:"touched"`
	// Size is by how much the rows may be more or fewer than the last time, in percent.
	Size Limit `json:"size" yaml:"size"`
	// columns that the routine takes may be missing
	WithoutSome bool `json:"without_some,omitempty" yaml:"without_some,omitempty"`
	AnyValues   bool `json:"any_values,omitempty" yaml:"any_values,omitempty"` // words of choices may be new
	// columns that the routine does not know may come
	OtherColumns bool `json:"other_columns,omitempty" yaml:"other_columns,omitempty"`
}

// UsualBounds are the careful ones.
var UsualBounds = Bounds{
	Held: Limit{true, 5, true}, Deleted: Limit{true, 0, false}, Touched: Limit{true, 25, true},
	Size: Limit{true, 50, true}, OtherColumns: true,
}

// Check says what is wrong with them.
func (b Bounds) Check() error {
	for at, l := range map[string]Limit{"touched": b.Touched, "size": b.Size} {
		if l.Set && !l.Percent {
			return fault.New(fault.Invalid, "bad_limit",
				"this limit is a share").At(fault.Place{Path: "bounds." + at}).With(l.String()).
				Mended("Write it with a percent sign: 25 %.")
		}
	}
	return nil
}

// Found is what the check of a file has come to, as bounds see it.
type Found struct {
	Rows     int64
	Verdicts map[string]int64
	Removes  int64    // children that are gone from it and would be deleted
	Records  int64    // of the types that it writes, before
	Last     int64    // rows of the file before it, 0 for none
	Missing  []string // columns that the routine takes
	Other    []string // columns that it does not know
	Values   []string // words of choices that it does not know, with their columns
	// columns whose cells are something else than what the routine places them on, as those of the file before were not
	Unlike  []string
	Another int64 // the row in which another table begins, which is left out; 0 for none
}

// Breach is a bound that a file has passed.
type Breach struct {
	Bound string `json:"bound"`
	Says  string `json:"says"`
}

// Judge tells which bounds a file has passed; with none it may be loaded.
func (b Bounds) Judge(f Found) (list []Breach) {
	say := func(bound, format string, args ...any) {
		list = append(list, Breach{bound, fmt.Sprintf(format, args...)})
	}
	of := func(all ...verdict.Verdict) (n int64) {
		for _, v := range all {
			n += f.Verdicts[string(v)]
		}
		return n
	}
	if len(f.Missing) > 0 && !b.WithoutSome {
		say("missing columns", "columns that the routine takes are missing: %s",
			fault.Cut(strings.Join(f.Missing, ", "), 300))
	}
	if len(f.Other) > 0 && !b.OtherColumns {
		say("other columns", "columns that the routine does not know have come: %s",
			fault.Cut(strings.Join(f.Other, ", "), 300))
	}
	if len(f.Values) > 0 && !b.AnyValues {
		say("new values", "words that the routine does not know: %s", fault.Cut(strings.Join(f.Values, ", "), 300))
	}
	if len(f.Unlike) > 0 {
		say("unlike columns", "cells look like something else than their column is placed on: %s",
			fault.Cut(strings.Join(f.Unlike, "; "), 300))
	}
	if f.Another > 0 {
		say("another table", "another table begins in row %d and would be left out", f.Another)
	}
	for _, x := range []struct {
		bound, does string
		limit       Limit
		n           int64
	}{
		{"held", "are held or ask a person", b.Held, of(verdict.Hold, verdict.Ask)},
		{"new", "make records", b.New, of(verdict.Create)},
		{"changed", "change records", b.Changed, of(verdict.Update)},
		{"deleted", "delete records", b.Deleted, of(verdict.Delete) + f.Removes},
	} {
		if x.limit.passed(x.n, f.Rows) {
			say(x.bound, "%d of %d rows %s, at most %s may", x.n, f.Rows, x.does, x.limit)
		}
	}
	if n := of(verdict.Update, verdict.Delete) + f.Removes; f.Records > 0 && b.Touched.passed(n, f.Records) {
		say("touched", "%d of the %d records that are there would be changed or deleted, at most %s may", n,
			f.Records, b.Touched)
	}
	if f.Last > 0 && b.Size.Set && math.Abs(float64(f.Rows-f.Last)) > b.Size.Number/100*float64(f.Last) {
		say("size", "it has %d rows and the last one had %d, at most %s more or fewer may come", f.Rows, f.Last, b.Size)
	}
	return list
}
