package sheet

import (
	"fmt"
	"strings"
	"testing"

	"uchi/internal/core/fault"
)

// A sheet on its side is read with its columns for rows, which have their numbers; blank rows are no columns, and short
// ones are blank where they end.
func TestTurned(t *testing.T) {
	const text = "Our customers\n\nCompany,Tern Ltd,Gull Ltd,Kade AS\nTown,Cowes,,Bergen\n\nPostcode,PO31 7QE,TR11 3TS\n"
	for _, x := range []struct {
		reading Reading
		header  string
		rows    []string
	}{
		{Reading{Turned: true}, "Company|Town|Postcode", []string{"2 Tern Ltd|Cowes|PO31 7QE", "3 Gull Ltd||TR11 3TS", "4 Kade AS|Bergen|"}},
		{Reading{Turned: true, Columns: "A:B", FirstRow: 3}, "Company|Town", []string{"3 Gull Ltd|", "4 Kade AS|Bergen"}},
		{Reading{Turned: true, NoHeader: true}, "A|B|C", []string{"1 Company|Town|Postcode", "2 Tern Ltd|Cowes|PO31 7QE",
			"3 Gull Ltd||TR11 3TS", "4 Kade AS|Bergen|"}},
	} {
		header, rows, _, err := readDetected("x.csv", text, x.reading)
		if err != nil || header != x.header || fmt.Sprint(rows) != fmt.Sprint(x.rows) {
			t.Errorf("%+v: %s %q %v", x.reading, header, rows, err)
		}
	}
	if part, same := (Reading{}).SameRows(Reading{Turned: true}); same || part != "turned" {
		t.Errorf("it has the same rows, but for %q", part)
	}
	over := Reading{HeaderRow: 3, FirstRow: 5, Columns: "B:", Country: "NO"}.TurnedOver()
	if over != (Reading{Turned: true, Country: "NO"}) || (Reading{}).Taught(over) != over {
		t.Errorf("turned over it is %+v", over)
	}
}

// What is too large to be held whole is not turned, and the place is said.
func TestTooLargeToTurn(t *testing.T) {
	for name, text := range map[string]string{
		"rows":  "a,b\n" + strings.Repeat("c,d\n", mostTurnedRows),
		"bytes": "a,b\n" + strings.Repeat("c,"+strings.Repeat("d", 1<<19)+"\n", 40),
	} {
		_, _, _, err := readDetected("x.csv", text, Reading{Turned: true})
		f, _ := fault.From(err)
		if !fault.Is(err, "too_large_to_turn") || f.Place.Row == 0 {
			t.Errorf("%s: %v", name, err)
		}
	}
}
