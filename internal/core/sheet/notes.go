package sheet

import (
	"path"
	"strings"
)

// cellNotes counts the notes at the cells of a sheet of a workbook below its header; they are not read.
type cellNotes struct {
	count, first int64 // first is the first row that has one
}

// countNotes finds the notes of a sheet in the parts that its relationships name. What is wrong with these parts
// is no matter, since they are not read.
func (b *workbook) countNotes(s sheetPart, h *hiding) {
	relations := path.Join(path.Dir(s.part), "_rels", path.Base(s.part)+".rels")
	var parts []string
	_ = b.each(relations, func(x *xmlReader) error {
		if x.kind == xmlStart && string(x.name) == "Relationship" && strings.HasSuffix(x.attr("Type"), "/comments") {
			target := x.attr("Target")
			if !strings.HasPrefix(target, "/") {
				target = "/" + path.Join(path.Dir(s.part), target)
			}
			parts = append(parts, target[1:])
		}
		return nil
	})
	for _, part := range parts {
		_ = b.each(part, func(x *xmlReader) error {
			if x.kind != xmlStart || string(x.name) != "comment" {
				return nil
			}
			row := rowOf(x.attr("ref"))
			if row <= h.header {
				return nil
			}
			if h.noted.count++; h.noted.first == 0 || row < h.noted.first {
				h.noted.first = row
			}
			return nil
		})
	}
}
