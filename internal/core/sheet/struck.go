package sheet

import "slices"

// Struck is the header of the column that is added where cells of a workbook's sheet are struck through, which
// means that they no longer count. It says yes of rows whose first filled cell is, and the letters of the columns
// of other cells.
const Struck = "Struck through"

// striking keeps what is struck through in a sheet.
type striking struct {
	struckAt int   // the place of the column that says it, behind all others; 0 when there is none
	struck   int64 // rows
	through  []int // columns of the row that is being read whose cells are
}

// strike puts the column into a row that has been read.
func (h *hiding) strike(row int64, cells []string) []string {
	said := Struck
	switch {
	case h.struckAt == 0 || len(cells) > h.struckAt || row < h.header:
		return cells
	case row == h.header:
	case len(h.through) == 0:
		return cells
	default:
		h.struck++
		if said = letters(h.through); h.through[0] == slices.IndexFunc(cells, func(c string) bool { return !blank(c) }) {
			said = "yes"
		}
	}
	for len(cells) < h.struckAt {
		cells = append(cells, "")
	}
	return append(cells, said)
}
