package sheet

import (
	"path"
	"strings"
)

// cellNotes counts the notes at the cells of a sheet of a workbook below its header; they are not read.
type cellNotes struct {
	count, first int64 // first is the first row that has one
}

// relation is a part, or an address, to which a sheet of a workbook points.
type relation struct{ kind, target string }

// relationsOf gives what a sheet points to, by the names by which it does. What is wrong with them is no matter:
// the rows need none.
func (b *workbook) relationsOf(s sheetPart) map[string]relation {
	list := map[string]relation{}
	_ = b.each(path.Join(path.Dir(s.part), "_rels", path.Base(s.part)+".rels"), func(x *xmlReader) error {
		if x.kind == xmlStart && string(x.name) == "Relationship" && len(list) < mostCovers {
			kind := x.attr("Type")
			list[x.attr("Id")] = relation{kind[strings.LastIndexByte(kind, '/')+1:], x.attr("Target")}
		}
		return nil
	})
	return list
}

// countNotes finds the notes of a sheet in the parts to which it points.
func (b *workbook) countNotes(s sheetPart, relations map[string]relation, h *hiding) {
	for _, r := range relations {
		if r.kind != "comments" {
			continue
		}
		part := strings.TrimPrefix(r.target, "/")
		if part == r.target {
			part = path.Join(path.Dir(s.part), part)
		}
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
