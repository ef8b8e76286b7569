package sheet

import (
	"fmt"
	"reflect"
	"testing"
)

// A profile that is made beside is the same, also where the cells of a row are used again.
func TestProfileBeside(t *testing.T) {
	header := []string{"Nr", "Day", "Remark"}
	straight, other := NewProfiler(header), NewProfiler(header)
	beside := other.Beside()
	cells := make([]string, 3)
	for n := range 3*besideRows + 17 {
		cells = append(cells[:0], fmt.Sprint(n), fmt.Sprintf("%02d.06.2026", 1+n%30), []string{"", "-", "spare berth"}[n%3])
		if n%100 == 0 {
			cells = append(cells, "beyond")
		}
		row := Row{Number: int64(n + 2), Cells: cells}
		straight.Add(row)
		beside.Add(row)
	}
	if err := beside.End(); err != nil {
		t.Fatal(err)
	}
	want, notices := straight.Profile()
	if got, others := other.Profile(); !reflect.DeepEqual(got, want) || !reflect.DeepEqual(others, notices) ||
		len(notices) == 0 {
		t.Errorf("%+v %+v\nand not %+v %+v", got, others, want, notices)
	}
	broken := (&Profiler{columns: make([]columnProfile, 1)}).Beside()
	for range 10 * besideRows {
		broken.Add(Row{Number: 2, Cells: []string{"1"}})
	}
	if err := broken.End(); err == nil {
		t.Error("a profile that cannot be made")
	}
}
