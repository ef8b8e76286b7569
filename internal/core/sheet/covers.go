package sheet

import (
	"slices"
	"strconv"
	"strings"
)

// MergedFirst is the reading in which what merged cells say stands in the first of them alone. Else a text
// is read in each row that they cover, as a person sees it; a number, which may be a sum of the rows, in the
// first alone.
const MergedFirst = "first"

// mergedFirst reports whether all that merged cells say stands in the first; also while the header, which has
// merged cells of its own, is looked for.
func (r Reading) mergedFirst() bool {
	return r.Merged == MergedFirst || r.HeaderRow == 0 && !r.NoHeader
}

// covers keeps what merged cells say for the rows below their first one.
type covers struct {
	off    bool              // it is said in the first row alone
	begins map[int64][]cover // by the row in which they begin, where that is known before the rows are read
	open   []cover
}

// cover is one column of merged cells, as far as a row.
type cover struct {
	at   int
	last int64
	text string
}

// begin notes that a cell of a row reaches down as far as another.
func (c *covers) begin(at int, last int64, text string) {
	if !c.off && text != "" && strings.Trim(text, "0123456789.,-+ %'") != "" {
		c.open = append(c.open, cover{at, last, text})
	}
}

// fill puts into a row what covers it from above, and notes what begins in it. A row with nothing of its own
// stays blank.
func (c *covers) fill(row int64, cells []string) []string {
	if c.off || len(c.open) == 0 && len(c.begins) == 0 || (Row{Cells: cells}).Blank() {
		return cells
	}
	c.open = slices.DeleteFunc(c.open, func(o cover) bool { return o.last < row })
	for _, o := range c.open {
		for len(cells) <= o.at {
			cells = append(cells, "")
		}
		if cells[o.at] == "" {
			cells[o.at] = o.text
		}
	}
	for _, o := range c.begins[row] {
		if o.at < len(cells) {
			c.begin(o.at, o.last, cells[o.at])
		}
	}
	return cells
}

// notice tells that cells are merged, and how they are read.
func (c *covers) notice(count int64) Notice {
	n := Notice{Code: "merged_cells", Count: count,
		Message: "cells are merged; a text is read in each of their rows, a number in the first alone"}
	if c.off {
		n.Message = "cells are merged; the value stands in the first of them only"
	}
	return n
}

const (
	// mostCovers is how many merged cells of a sheet are filled, and largestCovered how large the sheet may be,
	// in bytes: a workbook names them behind its rows, so that the sheet is gone through twice. What
	// is larger a program has written, which merges nothing.
	mostCovers     = 20_000
	largestCovered = 8 << 20
	// longestCover is over how many rows one may reach.
	longestCover = 10_000
)

// coversOf finds the cells of a sheet of a workbook that are merged with those below.
func (b *workbook) coversOf(s sheetPart, off bool) (covers, error) {
	c := covers{off: off}
	f, ok := b.file(s.part)
	if off || !ok || f.UncompressedSize64 > largestCovered {
		c.off = true
		return c, nil
	}
	r, err := unpack(f, b.limits)
	if err != nil {
		return c, err
	}
	defer r.Close()
	c.begins = map[int64][]cover{}
	x := newXML(r, b.limits.CellBytes*2)
	for found := 0; found < mostCovers; {
		if err := x.next(); err != nil {
			return c, nil // what is wrong with it is said when it is read
		}
		if x.kind != xmlStart || string(x.name) != "mergeCell" {
			continue
		}
		first, last, _ := strings.Cut(x.attr("ref"), ":")
		from, to := rowOf(first), rowOf(last)
		if from < 1 || to <= from || to-from > longestCover {
			continue
		}
		if at := columnOf(first); at >= 0 && at < b.limits.Columns {
			c.begins[from] = append(c.begins[from], cover{at: at, last: to})
			found++
		}
	}
	return c, nil
}

// rowOf gives the row of the name of a cell, 12 of C12; 0 where it has none.
func rowOf(ref string) int64 {
	n, _ := strconv.ParseInt(strings.TrimLeft(ref, "$ABCDEFGHIJKLMNOPQRSTUVWXYZ"), 10, 64)
	return n
}
