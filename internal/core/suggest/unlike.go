package suggest

import (
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
	"uchi/internal/core/textkind"
	"uchi/internal/core/value"
)

// Unlike is a column whose cells look like something else than what the field holds that somebody,
// or a routine, has placed it on.
type Unlike struct {
	Column string `json:"column"`
	Draft  string `json:"draft,omitempty"` // of several in a row
	Field  string `json:"field,omitempty"` // none when it is all of the sheet
	Why    string `json:"why"`
	Passed bool   `json:"passed,omitempty"` // a file that was so was loaded by the routine before
}

// Place names the field as a routine does: with its draft, where a row makes several.
func (u Unlike) Place() string { return strings.TrimPrefix(u.Draft+"."+u.Field, ".") }

// Unlike finds them: a file may have the headers of the one before and other things below them.
// What has a list of its own for the words, is computed or put together is left to those who made
// it so. Where the header has more names than the rows have cells, the first name that no row reaches is one of them,
// on no field.
func (v *View) Unlike(targets []Target, drafts []mapping.Draft) (list []Unlike) {
	if at := slices.IndexFunc(v.columns, unreached); at >= 0 {
		list = append(list, Unlike{Column: v.columns[at].Header, Why: tooManyNames})
	}
	for n, d := range drafts {
		for _, f := range targets[n].Type.Fields {
			o := d.Fields[f.Name]
			at := slices.IndexFunc(v.columns, func(c sheet.Column) bool { return slices.Contains(o.From, c.Header) })
			if len(o.From) != 1 || at < 0 || o.Compute != "" || len(o.Find)+len(o.Values) > 0 ||
				v.columns[at].Distinct < fewestToTell || ownKey(f) && v.namesRowsOf(targets[n].Type, d, v.columns[at]) {
				continue
			}
			if why := v.unlike(targets[n].Type, f, o.Take, at); why != "" &&
				!slices.ContainsFunc(list, func(u Unlike) bool { return u.Column == o.From[0] }) {
				list = append(list, Unlike{Column: o.From[0], Draft: targets[n].Draft, Field: f.Name, Why: why})
			}
		}
	}
	return list
}

const tooManyNames = "the header has more names than the rows have cells"

func unreached(c sheet.Column) bool { return c.Unreached }

// namesRowsOf reports whether another column, here or in another sheet, names rows of a draft by what stands in one.
func (v *View) namesRowsOf(t catalog.RecordType, d mapping.Draft, own sheet.Column) bool {
	return v.pointed[t.Name][own.Header] != "" || slices.ContainsFunc(v.columns, func(c sheet.Column) bool {
		return slices.ContainsFunc(t.Fields, func(f catalog.Field) bool {
			return f.To == t.Name && slices.Equal(d.Fields[f.Name].From, []string{c.Header})
		}) && namesRows(c, own)
	})
}

func (v *View) unlike(t catalog.RecordType, f catalog.Field, take mapping.Take, at int) string {
	col, kinds := v.columns[at], v.kinds[at]
	sure := kinds.known && kinds.texts >= fewestToTell
	switch take {
	case "":
		fit, what := fitOf(t, f, col, kinds)
		switch {
		case fit == contradicts, fit == against && f.Type == catalog.Phone && f.Name == "mobile": // of which it has lines
			return what
		case sure && f.ComparedAs() == catalog.AsCompanyName && kinds.p[textkind.FullName] > 0.97 &&
			share(col.Samples, withLegalForm) == 0: // Marina Gdynia S.A. is nobody
			return "its values look like names of people"
		case sure && f.ComparedAs() == catalog.AsCompanyName && kinds.p[textkind.Given] > 0.97:
			return "its values look like given names"
		}
	case mapping.TakeGivenName, mapping.TakeFamilyName, mapping.TakeFamilyFirst, mapping.TakeGivenLast:
		switch {
		case sure && kinds.p[textkind.Company] > surelyFirms,
			share(col.Samples, withLegalForm) > mostlyFirms:
			return "its values look like names of companies"
		case !slices.ContainsFunc(col.Samples, func(s string) bool { return len(strings.Fields(s)) > 1 }):
			return "its values are single words"
		}
	}
	return ""
}

// mostlyFirms is how many of the cells have the legal form of a company where they are companies.
const mostlyFirms = 0.4

// Opposite lists the columns whose yes is read as no, because their header says the opposite of
// what the field asks that they are placed on, and nobody has said how they are meant.
func Opposite(targets []Target, drafts []mapping.Draft) (columns []string) {
	for n, d := range drafts {
		for _, f := range targets[n].Type.Fields {
			if o := d.Fields[f.Name]; len(o.From) > 0 && o.Sense == "" && value.Opposes(f, o.From[0]) {
				columns = append(columns, o.From[0])
			}
		}
	}
	return columns
}
