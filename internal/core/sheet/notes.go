package sheet

import (
	"path"
	"strings"
)

// cellNotes counts the notes at the cells of a sheet of a workbook below its header; they are not read.
type cellNotes struct {
	count, first int64 // first is the first row that has one
}

// countNotes finds the notes of a sheet in the part that its relationships name.
func (b *workbook) countNotes(s sheetPart, h *hiding) error {
	relations := path.Join(path.Dir(s.part), "_rels", path.Base(s.part)+".rels")
	if _, ok := b.file(relations); !ok {
		return nil
	}
	var parts []string
	err := b.each(relations, func(x *xmlReader) error {
		if x.kind == xmlStart && string(x.name) == "Relationship" && strings.HasSuffix(x.attr("Type"), "/comments") {
			target := x.attr("Target")
			if !strings.HasPrefix(target, "/") {
				target = "/" + path.Join(path.Dir(s.part), target)
			}
			parts = append(parts, target[1:])
		}
		return nil
	})
	if err != nil {
		return err
	}
	for _, part := range parts {
		if _, ok := b.file(part); !ok {
			continue
		}
		err := b.each(part, func(x *xmlReader) error {
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
		if err != nil {
			return err
		}
	}
	return nil
}
