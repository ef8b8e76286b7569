package mapping

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"uchi/internal/core/catalog"
	"uchi/internal/core/problem"
	"uchi/internal/core/sheet"
	"uchi/internal/core/value"
)

// Addresses of which parts stand together in one cell, or have slipped into the one beside: each
// part goes to its own field where that is blank, and is left out where the field says the same.
// What the row says otherwise in the cell for it is a problem.

// findAddress finds the fields of the draft's address, and of whose it is. Only those are parted whose texts come from
// a cell of a sheet that was not made of records.
func (dp *DraftPlan) findAddress() {
	at := func(is func(catalog.Field) bool) int {
		return slices.IndexFunc(dp.Fields, func(fp FieldPlan) bool {
			return is(fp.Field) && !dp.HasID && fp.origin.compute == nil && len(fp.origin.from) == 1 && fp.origin.split == ""
		})
	}
	as := func(l catalog.Likeness) int {
		return at(func(f catalog.Field) bool { return f.ComparedAs() == l })
	}
	dp.street, dp.code, dp.town = as(catalog.AsStreet), as(catalog.AsPostalCode), as(catalog.AsLocality)
	dp.region = at(func(f catalog.Field) bool { return f.Holds == catalog.HoldsRegion })
	dp.called, dp.job = as(catalog.AsFamilyName), at(func(f catalog.Field) bool { return f.Holds == catalog.HoldsJobTitle })
}

// partAddress gives the parts of an address to their fields.
func (dp *DraftPlan) partAddress(row sheet.Row, out *Typed) {
	dp.withoutOwnName(row, out)
	for _, i := range []int{dp.street, dp.town, dp.code} {
		if i < 0 || out.Values[i] == "" || !dp.Fields[i].Losable { // or is taken as it stands
			continue
		}
		if p, ok := dp.placeIn(i, row.Cells); ok {
			dp.partPlace(i, p, row, out)
		}
	}
}

// withoutOwnName takes off a street the name of the person whose address it is, where that is the row's.
func (dp *DraftPlan) withoutOwnName(row sheet.Row, out *Typed) {
	if dp.street < 0 || dp.called < 0 || out.Values[dp.street] == "" {
		return
	}
	o := &dp.Fields[dp.street].origin
	if o.take != TakeAddressStreet || !o.kept.person {
		return
	}
	who := addressee(o.cell(row.Cells, 0))
	if _, family := value.SplitName(who.Person); family != "" && value.Fold(family) == value.Fold(out.Values[dp.called]) {
		bare := o.kept
		bare.person = false
		out.Values[dp.street] = streetOf(o.cell(row.Cells, 0), bare)
	}
}

// placeIn gives what the cell of one of these fields says of a place; ok is false where it is no
// more than the field is for. Most cells are told by their signs.
func (dp *DraftPlan) placeIn(i int, cells []string) (p value.Place, ok bool) {
	o := &dp.Fields[i].origin
	s := o.cell(cells, 0)
	switch {
	case s == "":
	case o.take.ofAddress():
		return value.SplitAddress(s)
	case o.take == TakeTown || o.take == TakePostalCode:
		p = value.TownOf(s)
		return p, p.Town != s
	case o.take != "" || o.cut > 0:
	case i == dp.street && strings.ContainsAny(s, ",;\n"):
		p, ok = value.SplitAddress(s)
		return p, ok && p.Street != "" && len(p.Code) > 3
	case i == dp.town && strings.ContainsAny(s, "0123456789,(/-"):
		if p, ok = value.StateBehind(s); ok {
			return p, true
		}
		p = value.TownOf(s)
		return p, p.Town != s
	case i == dp.code && !strings.ContainsFunc(s, unicode.IsDigit):
		first, _ := utf8.DecodeRuneInString(s)
		return value.Place{Town: s}, unicode.IsUpper(first) && utf8.RuneCountInString(s) > 3
	case i == dp.code && strings.HasSuffix(s, ".0"): // a program has taken it for a number
		return value.Place{Code: strings.TrimSuffix(s, ".0")}, true
	case i == dp.code && (len(s) > 6 || s[0] > '9'):
		p = value.TownOf(s)
		return p, p.Code != "" && (p.Town != "" || p.Abroad != "")
	}
	return p, false
}

// partPlace gives the parts of what one cell says to the fields, if none of them says otherwise.
func (dp *DraftPlan) partPlace(i int, p value.Place, row sheet.Row, out *Typed) {
	fp := &dp.Fields[i]
	country := ""
	if dp.country >= 0 {
		country = dp.countryNamed(p)
	} else if p.Abroad != "" {
		p.Code = p.Written
	}
	own := map[int]string{dp.street: p.Street, dp.code: p.Code, dp.town: p.Town}[i]
	whole := fp.origin.take == ""
	switch {
	case !whole:
	case out.Values[i] != fp.origin.cell(row.Cells, 0): // it means something else
		return
	case country == "" && (p.Country != "" || p.Abroad != "" && p.Code == ""): // nothing takes the country
		return
	}
	if whole && p.Region != "" && p.Code == "" { // two letters behind a town alone
		switch there := dp.countryIn(out); {
		case there == p.Region:
			p.Region = ""
		case !hasStates[there]:
			return
		}
	}
	parts := [...]struct {
		at   int
		text string
	}{{dp.code, p.Code}, {dp.town, p.Town}, {dp.region, p.Region}, {dp.country, country}}
	for _, part := range parts {
		switch {
		case part.text == "" || part.at == i:
		case part.at < 0 && whole:
			return
		case part.at < 0 || out.Values[part.at] == "" || samePlace(dp.Fields[part.at].Field, part.text, out.Values[part.at]):
		case own != "" && part.at != dp.region:
			out.Problems = append(out.Problems, problem.Problem{
				Code: problem.OtherPlace, Field: dp.Named(fp.Field.Name), Column: fp.origin.column,
				Value:  fp.origin.cell(row.Cells, 0),
				Detail: part.text + ", and " + out.Values[part.at], Light: fp.Light,
			})
			if fp.Light {
				out.Values[i] = ""
			}
			return
		default:
			return
		}
	}
	if whole {
		out.Values[i] = own
	}
	for _, part := range parts {
		if part.text != "" && part.at >= 0 && part.at != i && out.Values[part.at] == "" {
			out.Values[part.at] = part.text
		}
	}
}

// hasStates are the countries whose states are written by letters behind their towns.
var hasStates = map[string]bool{"US": true, "CA": true, "AU": true}

// countryIn gives the country that the row has, empty without one.
func (dp *DraftPlan) countryIn(out *Typed) string {
	if dp.country < 0 {
		return ""
	}
	return out.Values[dp.country]
}

// countryNamed gives the country of a place as the draft's field for it reads it; empty where none is said.
func (dp *DraftPlan) countryNamed(p value.Place) string {
	text := or(p.Country, p.Abroad)
	if text == "" {
		return ""
	}
	v, trouble := dp.Fields[dp.country].reader.Read(text)
	if trouble.Code != "" {
		return ""
	}
	return v
}

// samePlace reports whether a part of an address says the same as another cell of the row: a state
// by its letters or its name, a town with what it lies at or without.
func samePlace(f catalog.Field, a, b string) bool {
	if f.ComparedAs() == catalog.AsPostalCode {
		_, b = value.CodeOf(b)
		return strings.EqualFold(strings.ReplaceAll(a, " ", ""), strings.ReplaceAll(b, " ", ""))
	}
	a, b = value.Words(a), value.Words(b)
	if f.Holds == catalog.HoldsRegion && (len(a) < 4 || len(b) < 4) {
		return a != "" && b != "" && a[0] == b[0]
	}
	return a == b || strings.HasPrefix(a, b+" ") || strings.HasPrefix(b, a+" ")
}
