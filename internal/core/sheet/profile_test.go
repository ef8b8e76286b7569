package sheet

import (
	"fmt"
	"strings"
	"testing"
)

// Numbers that are all different are known to be also where they are too many to be counted, and others are not.
func TestAllDiffer(t *testing.T) {
	for _, n := range []int{3, 500, 700, 30_000, 200_000} {
		p := NewProfiler([]string{"Own", "Twice", "Few"})
		for i := range n {
			p.Add(Row{Number: int64(i + 2), Cells: []string{fmt.Sprint("A-", i), fmt.Sprint("B-", i/2), fmt.Sprint(i % 2)}})
		}
		columns, _ := p.Profile()
		for at, want := range []bool{true, false, false} {
			if c := columns[at]; c.AllDiffer() != want {
				t.Errorf("%d rows, %s: %v, of %d filled %d different", n, c.Header, c.AllDiffer(), c.Filled, c.Distinct)
			}
		}
	}
}

// A header with names too many is told where signs part the cells: in a workbook the last column may just be blank.
func TestNamesTooMany(t *testing.T) {
	for name, c := range map[string]struct {
		text string
		told string
	}{
		"a name parted in two": {"Name, given;Town;Phone\nAda,York,0431\nBo,Kiel,0432\nCy,Bonn,0433\n", ""},
		"one name too many":    {"Name,given,Town,Phone\nAda,York,0431\nBo,Kiel,0432\nCy,Bonn,0433\n", "Phone 3"},
		"two":                  {"Name,given,Town,Phone,Fax\nAda,York,0431\nBo,Kiel,0432\nCy,Bonn,0433\n", "Fax 3"},
		"blank at the end":     {"Name,Town,Phone\nAda,York,\nBo,Kiel,\nCy,Bonn,\n", ""},
		"one row reaches it":   {"Name,Town,Phone\nAda,York\nBo,Kiel\nCy,Bonn,0433\nDi,Ulm\nEd,Ulm\nFi,Ulm\nGo,Ulm\nHu,Ulm\nIo,Ulm\nKo,Ulm\nLu,Ulm\n", ""},
		"lines of all lengths": {"Name,Town,Phone,Fax\nAda,York\nBo,Kiel,1\nCy\nDi,Ulm\n", ""},
		"two rows":             {"Name,Town,Phone\nAda,York\nBo,Kiel\n", ""},
	} {
		src := Source{Name: "x.csv", Size: int64(len(c.text)), ReaderAt: strings.NewReader(c.text)}
		table, err := Open(src, mustDetect(t, src, Reading{HeaderRow: 1}), DefaultLimits)
		if err != nil {
			t.Fatal(err)
		}
		p := NewProfiler(table.Header)
		for row, err := table.Next(); err == nil; row, err = table.Next() {
			p.Add(row)
		}
		columns, notices := p.Profile()
		told := ""
		for _, n := range notices {
			if n.Code == HeaderTooLong {
				told = fmt.Sprint(n.Column, " ", n.Count)
			}
		}
		if last := columns[len(columns)-1]; told != c.told || last.Unreached != (told != "") {
			t.Errorf("%s: %q, not %q: %+v", name, told, c.told, last)
		}
		table.Close()
	}
	book := NewProfiler([]string{"Name", "Town"})
	for n := range 5 {
		book.Add(Row{Number: int64(n + 2), Cells: []string{"Ada"}})
	}
	if _, notices := book.Profile(); len(notices) > 0 {
		t.Errorf("a workbook leaves blank cells out: %+v", notices)
	}
}

// Where rows are numbered and the header has no name for that, its names are those of the columns behind.
func TestNumbersWithoutAName(t *testing.T) {
	for text, want := range map[string]string{
		"Name,Town\n1,Ada,York\n2,Bo,Kiel\n3,Cy,Bonn\n":                                         "[Column A Name Town] [1 Ada York]",
		"Name,Town\n0,Ada,York\n1,Bo,Kiel\n2,Cy,Bonn\n3,Di,Ulm\n4,Ed,Ulm\n5,Fi,Ulm\n6,Go,Ulm\n": "[Column A Name Town] [0 Ada York]",
		"Name,Town\nAda,York,1\nBo,Kiel,2\nCy,Bonn,3\n":                                         "[Name Town] [Ada York 1]",
		"Nr,Town\n1,York,a\n2,Kiel,b\n7,Bonn,c\n":                                               "[Nr Town] [1 York a]",
		"Nr,Name,Town\n1,Ada,York\n2,Bo,Kiel\n3,Cy,Bonn\n":                                      "[Nr Name Town] [1 Ada York]",
		"Nr,Town\n1,York,a\n2,Kiel,b\n":                                                         "[Nr Town] [1 York a]",
	} {
		src := Source{Name: "x.csv", Size: int64(len(text)), ReaderAt: strings.NewReader(text)}
		table, err := Open(src, mustDetect(t, src, Reading{HeaderRow: 1}), DefaultLimits)
		if err != nil {
			t.Fatal(err)
		}
		table.JoinGroups(func([]string) bool { return false })
		row, err := table.Next()
		if err != nil {
			t.Fatal(err)
		}
		if got := fmt.Sprint(table.Header, " ", row.Cells); got != want {
			t.Errorf("%q: %s, not %s", text, got, want)
		}
		rows := 1
		for _, err = table.Next(); err == nil; _, err = table.Next() {
			rows++
		}
		if rows != strings.Count(text, "\n")-1 {
			t.Errorf("%q: %d rows", text, rows)
		}
		table.Close()
	}
}
