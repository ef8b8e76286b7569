package suggest

import (
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/sheet"
)

// A sheet lies on its side where each record is a column: the first of them holds names of fields,
// one below the other.

// fewestLabels is how many names of fields of one type tell that, and mostLabels how many rows such
// a sheet has at the most.
const (
	fewestLabels = 4
	mostLabels   = 200
)

// labelled reports whether most cells of the first column name fields of one record type, each another.
func (v *View) labelled(c catalog.Catalog) bool {
	if len(v.columns) < 2 {
		return false
	}
	col := v.columns[0]
	if col.Blank > 0 || col.Filled != col.Distinct || col.Filled < fewestLabels || col.Filled > mostLabels {
		return false
	}
	for _, t := range c.Types {
		named := map[string]bool{}
		for _, cell := range col.Samples {
			l := lift(headerWords(strings.TrimSuffix(strings.TrimSpace(cell), ":")))
			for _, f := range t.Fields {
				if l.unknown == 0 && conceptScore(t.Name, f, l) >= certain {
					named[f.Name] = true
				}
			}
		}
		if len(named) >= max(fewestLabels, len(col.Samples)/2) {
			return true
		}
	}
	return false
}

// OnItsSide gives what is told of a sheet whose records are columns: nothing is suggested for it.
func (v *View) OnItsSide() []sheet.Notice {
	if !v.lying {
		return nil
	}
	return []sheet.Notice{{Code: "on_its_side", Message: "the first column holds names of fields, as in " +
		"a sheet that lies on its side; have it turned, so that each of its columns is a row"}}
}
