package verdict

import (
	"strings"
	"testing"
)

// Every reason says itself, of one row and of all, without a gap where a record or row is named.
func TestReasonsSayThemselves(t *testing.T) {
	said := map[string]Reason{}
	for _, r := range []Reason{ByCondition, AnExample, ByAnswer, AlreadyThere, NothingFound, SeveralThere, Repeated, Merged,
		Grouped, NothingGiven, KnownAs} {
		one, all := r.Says("CON-7", 12), r.Summary()
		if one == "" || all == "" || strings.Contains(all, "row 0") || strings.HasSuffix(all, ": ") {
			t.Errorf("%s: %q, %q", r, one, all)
		}
		if other, twice := said[one]; twice {
			t.Errorf("%s and %s say the same", r, other)
		}
		said[one] = r
	}
	for r, want := range map[Reason]string{AlreadyThere: "the record is already there: CON-7",
		Repeated: "row 12 stands for the same record", Merged: "its values are in row 12, which is for the same record"} {
		if got := r.Says("CON-7", 12); got != want {
			t.Errorf("%s: %q", r, got)
		}
	}
	if got := AlreadyThere.Says("", 0); got != "the record is already there" {
		t.Errorf("without a record: %q", got)
	}
}

// An undo is worded in the number that it has, with the reason where something stays.
func TestUndoSays(t *testing.T) {
	for want, x := range map[string]struct {
		act             UndoAct
		why             UndoWhy
		records, values int64
	}{
		"1 contact goes": {Remove, "", 1, 0},
		"3 contacts go":  {Remove, "", 3, 0},
		"1 contact stays: other records refer to it now":              {Remove, ReferredTo, 1, 0},
		"2 contacts stay: changed by somebody else since":             {Remove, ChangedSince, 2, 0},
		"1 value of 1 contact returns":                                {Return, "", 1, 1},
		"5 values of 2 contacts return":                               {Return, "", 2, 5},
		"1 value of 2 contacts stays: changed by somebody else since": {Return, ChangedSince, 2, 1},
		"1 contact comes back":                                        {BringBack, "", 1, 0},
		"4 contacts come back":                                        {BringBack, "", 4, 0},
		"1 contact stays deleted: another record has its key now":     {BringBack, KeyTaken, 1, 0},
	} {
		if got := UndoSays(x.act, "Contact", "Contacts", x.why, x.records, x.values); got != want {
			t.Errorf("got %q, want %q", got, want)
		}
	}
}
