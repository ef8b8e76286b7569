package sheet

import (
	"maps"
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

// foresee finds what must be known of a sheet of a workbook before its rows are read: the cells that are
// merged with those below, whether any is struck through, and the addresses behind them.
func (b *workbook) foresee(s sheetPart, h *hiding) error {
	relations := b.relationsOf(s)
	b.countNotes(s, relations, h)
	f, ok := b.file(s.part)
	small := ok && f.UncompressedSize64 <= largestCovered
	strikes := small && h.header > 0 && slices.ContainsFunc(b.styles, func(s cellStyle) bool { return s.struck })
	links := small && h.header > 0 && slices.ContainsFunc(slices.Collect(maps.Values(relations)),
		func(r relation) bool { return r.kind == "hyperlink" && linkTo(r.target) != "" })
	h.off = h.off || !small
	if h.off && !strikes && !links {
		return nil
	}
	r, err := unpack(f, b.limits)
	if err != nil {
		return err
	}
	defer r.Close()
	h.begins, h.behind = map[int64][]cover{}, map[string]string{}
	x := newXML(r, b.limits.CellBytes*2)
	row, width, struck := int64(0), 0, false
	for found := 0; found < mostCovers; {
		if err := x.next(); err != nil { // what is wrong with it is said when it is read
			break
		}
		if x.kind != xmlStart {
			continue
		}
		switch string(x.name) {
		case "row":
			row = int64(x.number("r", int(row)+1))
		case "c":
			if strikes && !x.empty {
				width = max(width, columnOf(x.attr("r"))+1)
				struck = struck || row > h.header && b.strikes(x)
			}
		case "hyperlink":
			if to := linkTo(relations[x.attr("id")].target); links && to != "" && len(h.behind) < mostCovers {
				h.behind[x.attr("ref")] = to
			}
		case "mergeCell":
			if !h.off && b.merged(x.attr("ref"), h) {
				found++
			}
		}
	}
	if struck && width < b.limits.Columns {
		h.struckAt = width
	}
	return nil
}

// merged notes merged cells that reach over several rows.
func (b *workbook) merged(ref string, h *hiding) bool {
	first, last, _ := strings.Cut(ref, ":")
	from, to := rowOf(first), rowOf(last)
	at := columnOf(first)
	if from < 1 || to <= from || to-from > longestCover || at < 0 || at >= b.limits.Columns {
		return false
	}
	h.begins[from] = append(h.begins[from], cover{at: at, last: to})
	return true
}

// rowOf gives the row of the name of a cell, 12 of C12; 0 where it has none.
func rowOf(ref string) int64 {
	n, _ := strconv.ParseInt(strings.TrimLeft(ref, "$ABCDEFGHIJKLMNOPQRSTUVWXYZ"), 10, 64)
	return n
}
