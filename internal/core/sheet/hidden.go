package sheet

import "slices"

// LeaveHidden is the reading in which what is hidden in a workbook's sheet is left out: rows,
// also those that a filter hides, are no rows then, and columns are blank below their header.
const LeaveHidden = "leave_out"

// hiding keeps what is hidden in a sheet, and what is merged below its header.
type hiding struct {
	leave   bool // it is left out
	rows    int64
	columns []int // sorted
	merged  int64
	header  int64 // row of the header, 0 when there is none
	covers
	striking
	linking
	noted cellNotes
}

// column notes that columns are hidden, from one to another, counted from 0; a sheet has no more
// than most.
func (h *hiding) column(from, to, most int) {
	for n := max(from, 0); n <= min(to, most-1) && len(h.columns) < most; n++ {
		h.columns = append(h.columns, n)
	}
}

// leavesRow reports whether a row that is hidden is left out.
func (h *hiding) leavesRow(count int64) bool {
	h.rows += count
	return h.leave
}

// leavesCell reports whether a cell below the header is left out because its column is hidden.
func (h *hiding) leavesCell(row int64, at int) bool {
	if !h.leave || len(h.columns) == 0 || row <= h.header {
		return false
	}
	_, hidden := slices.BinarySearch(h.columns, at)
	return hidden
}

// merges notes that cells are merged from a row on.
func (h *hiding) merges(row int64) {
	if row > h.header {
		h.merged++
	}
}

// notices tells what a person should know of a sheet of a workbook when it has been read.
func (h *hiding) notices(sheets []sheetPart) (list []Notice) {
	for _, p := range sheets {
		if p.hidden {
			list = append(list, Notice{Code: "hidden_sheet", Message: "the file has a hidden sheet: " + p.name})
		}
	}
	what := "; they are read like the others"
	if h.leave {
		what = "; they are left out"
	}
	if h.rows > 0 {
		list = append(list, Notice{Code: "hidden_rows", Message: "rows are hidden in the sheet" + what, Count: h.rows})
	}
	if len(h.columns) > 0 {
		list = append(list, Notice{Code: "hidden_columns", Message: "columns are hidden in the sheet" + what,
			Column: letters(h.columns)})
	}
	if h.merged > 0 {
		list = append(list, h.notice(h.merged))
	}
	if h.linked > 0 {
		list = append(list, Notice{Code: "linked_cells", Count: h.linked,
			Message: "cells say only that there is a link; the addresses behind them are read"})
	}
	if h.noted.count > 0 {
		list = append(list, Notice{Code: "cell_notes", Message: "notes at cells are not read", Count: h.noted.count,
			Row: h.noted.first})
	}
	if h.struck > 0 {
		list = append(list, Notice{Code: "struck_rows", Count: h.struck,
			Message: "cells are struck through; the column “" + Struck + "” says in which rows"})
	}
	return list
}

// mostLetters is how many columns a notice names.
const mostLetters = 12

// letters names columns as spreadsheet programs do, the first of them when they are many.
func letters(columns []int) (text string) {
	for n, c := range columns {
		if n == mostLetters {
			return text + ", …"
		}
		if n > 0 {
			text += ", "
		}
		text += Letter(c)
	}
	return text
}
