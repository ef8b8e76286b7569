package work

import (
	"fmt"
	"strings"
	"testing"

	"uchi/internal/core/fault"
	"uchi/internal/staging"
	"uchi/internal/store"
)

// inOrder gives the numbers of rows by a column, a page at a time.
func (b *bench) inOrder(i store.Import, by string, f staging.RowFilter) string {
	b.Helper()
	o, err := OrderOf(i, by)
	b.ok(err)
	var numbers []string
	for at := int64(0); ; at += 2 {
		rows, err := b.room.RowsInOrder(b.Context(), i, f, o, at, 2)
		b.ok(err)
		for _, r := range rows {
			numbers = append(numbers, fmt.Sprint(r.Row))
		}
		if len(rows) < 2 {
			return strings.Join(numbers, " ")
		}
	}
}

// Rows are looked at by what stands in a column: by size, by day, by letters, with
// blank ones last either way, also of a part of them, and where a cell was mended.
func TestRowsInOrder(t *testing.T) {
	b := start(t)
	i := b.check(b.upload("opportunity", "Title,Amount,Close\nberth 10,\"1,200.50\",31.12.2026\nBerth 9,900,2.1.2026\n"+
		"Aisle,,\nzinc,-3,15.6.2025\nCrane,bad,x\n"))
	all := staging.RowFilter{}
	for by, want := range map[string]string{
		"Title": "4 3 2 6 5", "-Title": "5 6 2 3 4",
		"Amount": "5 3 2 6 4", "-Amount": "6 2 3 5 4", // what is no amount stands behind them all
		"Close": "5 3 2 6 4", "-Close": "6 2 3 5 4",
	} {
		if got := b.inOrder(i, by, all); got != want {
			t.Errorf("by %s: %s, want %s", by, got, want)
		}
	}
	b.want(b.inOrder(i, "-Title", staging.RowFilter{Verdict: "hold", Field: "expected_close"}), "6 4")
	b.want(b.inOrder(i, "Title", staging.RowFilter{Text: "berth"}), "3 2")
	found, err := Filter(i, "Title", staging.RowFilter{Text: "NE"})
	b.ok(err)
	b.want(b.inOrder(i, "Title", found), "6")
	if _, err := Filter(i, "Colour", found); !fault.Is(err, "unknown_column") {
		t.Errorf("a column that is not there: %v", err)
	}

	i = b.mend(i, CellEdit{6, "Amount", "950"}, CellEdit{2, "Amount", ""})
	b.want(b.inOrder(i, "Amount", all), "5 3 6 2 4")
	if _, err := b.work.TakeEditsBack(b.Context(), i, nil, "Amount", b.person); err != nil {
		t.Fatal(err)
	}
	b.want(b.inOrder(b.again(i), "Amount", all), "5 3 2 6 4")

	if _, err := OrderOf(i, "-Colour"); !fault.Is(err, "unknown_column") {
		t.Errorf("a column that is not there: %v", err)
	}
	i.Veil.Columns = []int{1}
	if _, err := OrderOf(i, "Amount"); !fault.Is(err, "field_kept") {
		t.Errorf("a column that is kept from who looks: %v", err)
	}
}
