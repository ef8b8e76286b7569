package mapping

import (
	"cmp"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/problem"
	"uchi/internal/core/sheet"
	"uchi/internal/core/value"
)

// doubtOrder finds the problem of a name whose family name seems to stand in the place of the
// given name.
func (dp *DraftPlan) doubtOrder(row sheet.Row, out *Typed) {
	dp.onlyGiven(row, out)
	if dp.given < 0 || out.Values[dp.given] == "" || out.Values[dp.family] == "" {
		return
	}
	given, family := out.Values[dp.given], out.Values[dp.family]
	turned, _ := dp.names.Turned(given, family)
	turned = turned || value.IsInitials(given) && dp.names.Given(family) && !strings.Contains(family, " ") // "Ann K."
	well := false
	for i := range dp.Fields {
		if dp.Fields[i].Field.Type == catalog.Email {
			against, speaksFor := value.MailOrder(out.Values[i], given, family)
			// A mailbox has the family name alone where it has one: krause@ of Krause Jürgen, but els@ of Els Wouters.
			against = against || dp.names.OnlyFamily(given) && !dp.names.RatherFamily(family) && value.MailIs(out.Values[i], given)
			turned, well = turned || against, well || speaksFor
		}
	}
	if !turned || well {
		return
	}
	fp := &dp.Fields[dp.family]
	out.Problems = append(out.Problems, problem.Problem{
		Code: problem.NameOrder, Field: dp.Named(fp.Field.Name), Column: fp.origin.column,
		Value:  fp.origin.cell(row.Cells, 0),
		Detail: "as they stand " + given + " is the given name, " + family + " the family name",
	})
}

// findHonorific finds the field for forms of address, where a column gives it.
func (dp *DraftPlan) findHonorific() {
	dp.honorific = slices.IndexFunc(dp.Fields, func(fp FieldPlan) bool {
		return fp.as == catalog.AsHonorific && fp.origin.take == "" && len(fp.origin.from) > 0 &&
			fp.Losable && !dp.HasID
	})
}

// joinTitles adds the titles that stand before the name to the form of address of another column: they
// are no part of the name, and would be lost.
func (dp *DraftPlan) joinTitles(row sheet.Row, out *Typed) {
	if dp.honorific < 0 || dp.given < 0 {
		return
	}
	given := &dp.Fields[dp.given]
	cell, name := given.origin.name(row.Cells), out.Values[dp.given]
	if given.origin.take.splitsName() {
		name += " " + out.Values[dp.family]
	} else if given.origin.take != "" {
		return
	}
	if len(cell) > len(name)+1 && name != " " { // else nothing has been taken off
		out.Values[dp.honorific] = value.WithTitles(out.Values[dp.honorific], cell)
	}
	if family := &dp.Fields[dp.family]; family.origin.take == "" {
		if cell, name := family.origin.cell(row.Cells, 0), out.Values[dp.family]; name != "" && len(cell) > len(name)+1 {
			out.Values[dp.honorific] = value.WithTitles(out.Values[dp.honorific], cell)
		}
	}
}

// givenBehind takes a given name off a family name that it stands behind with a comma: it goes to its own field
// where that is blank, is left out where that says it already, and holds the row where it says another.
func (dp *DraftPlan) givenBehind(row sheet.Row, out *Typed) {
	if dp.given < 0 || dp.family < 0 || dp.HasID {
		return
	}
	fp := &dp.Fields[dp.family]
	if fp.origin.take != "" || !fp.Losable {
		return
	}
	family, given, ok := value.HalfBehind(out.Values[dp.family])
	switch {
	case !ok:
	case out.Values[dp.given] == "" || value.Fold(out.Values[dp.given]) == value.Fold(given):
		out.Values[dp.given], out.Values[dp.family] = cmp.Or(out.Values[dp.given], given), family
	default:
		out.Problems = append(out.Problems, problem.Problem{Code: problem.BesideName, Field: dp.Named(fp.Field.Name),
			Column: fp.origin.column, Value: fp.origin.cell(row.Cells, 0), Detail: given, Light: fp.Light})
	}
}

// onlyGiven puts the one word of a cell for whole names into its half where it is a given name
// and no family name: the family name is missing then.
func (dp *DraftPlan) onlyGiven(row sheet.Row, out *Typed) {
	if dp.given < 0 || dp.family < 0 || out.Values[dp.given] != "" || !dp.Fields[dp.family].origin.take.splitsName() ||
		!dp.Fields[dp.given].origin.take.splitsName() {
		return
	}
	fp, name := &dp.Fields[dp.family], out.Values[dp.family]
	if strings.Contains(name, " ") || !dp.names.Given(strings.ReplaceAll(name, "-", " ")) {
		return
	}
	out.Values[dp.given], out.Values[dp.family] = name, ""
	if fp.Field.Required {
		out.Problems = append(out.Problems, problem.Problem{Code: problem.RequiredMissing, Field: dp.Named(fp.Field.Name),
			Column: fp.origin.column, Value: fp.origin.cell(row.Cells, 0)})
	}
}
