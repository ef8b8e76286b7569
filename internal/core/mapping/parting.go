package mapping

import (
	"cmp"
	"slices"

	"uchi/internal/core/catalog"
)

// Parting is a way in which the cells of one column go to several fields of a draft, a part
// of each cell to each.
type Parting struct {
	Draft  string      `json:"draft"` // by its name in the routine
	Fields []FieldPart `json:"fields"`
}

// FieldPart is a field with the part of a cell that goes to it; all of it without a take.
type FieldPart struct {
	Field string `json:"field"`
	Take  Take   `json:"take,omitempty"`
}

// Partings lists the ways in which a column can be parted over fields of a record type: a full name,
// in either order, with or without the form of address; a postal code with its town; a whole address,
// and with whom it is for before it, as on an envelope; an amount with its currency.
func Partings(t catalog.RecordType) []Parting {
	as := func(l catalog.Likeness) string { f, _ := t.FieldAs(l); return f.Name }
	first := func(is func(catalog.Field) bool) string {
		if at := slices.IndexFunc(t.Fields, is); at >= 0 {
			return t.Fields[at].Name
		}
		return ""
	}
	given, family, honorific := as(catalog.AsGivenName), as(catalog.AsFamilyName), as(catalog.AsHonorific)
	company := cmp.Or(as(catalog.AsCompanyName), as(catalog.AsEmployer))
	street, code, town := as(catalog.AsStreet), as(catalog.AsPostalCode), as(catalog.AsLocality)
	region := first(func(f catalog.Field) bool { return f.Holds == catalog.HoldsRegion })
	country := first(func(f catalog.Field) bool { return f.Type == catalog.Country })
	amount := first(func(f catalog.Field) bool { return f.Type == catalog.Money })
	currency := first(func(f catalog.Field) bool { return f.Type == catalog.Currency })
	var list []Parting
	for _, fields := range [][]FieldPart{
		{{given, TakeGivenName}, {family, TakeFamilyName}},
		{{family, TakeFamilyFirst}, {given, TakeGivenLast}},
		{{honorific, TakeHonorific}, {given, TakeGivenName}, {family, TakeFamilyName}},
		{{honorific, TakeHonorific}, {family, TakeFamilyFirst}, {given, TakeGivenLast}},
		{{code, TakePostalCode}, {town, TakeTown}, {region, TakeRegion}, {country, TakeCountry}},
		{{street, TakeAddressStreet}, {code, TakeAddressCode}, {town, TakeAddressTown}, {region, TakeAddressRegion},
			{country, TakeAddressCountry}},
		{{honorific, TakeAddresseeHonorific}, {given, TakeAddresseeGiven}, {family, TakeAddresseeFamily},
			{company, TakeAddresseeCompany}, {street, TakeAddressStreet}, {code, TakeAddressCode},
			{town, TakeAddressTown}, {region, TakeAddressRegion}, {country, TakeAddressCountry}},
		{{amount, ""}, {currency, TakeCurrency}},
	} {
		fields = slices.DeleteFunc(fields, func(p FieldPart) bool { return p.Field == "" })
		if len(fields) > 1 && !slices.ContainsFunc(list, func(p Parting) bool { return slices.Equal(p.Fields, fields) }) {
			list = append(list, Parting{Fields: fields})
		}
	}
	return list
}

// PartingOf gives which part of a column's cells goes to each of some fields of a record
// type, in the order in which they stand in the cells; ok is false where they cannot be
// parted so. A full name whose family name is said first has it first.
func PartingOf(t catalog.RecordType, fields []string) (parts []FieldPart, ok bool) {
	for _, p := range Partings(t) {
		var some []FieldPart
		for _, f := range p.Fields {
			if slices.Contains(fields, f.Field) {
				some = append(some, f)
			}
		}
		inOrder := slices.EqualFunc(some, fields, func(f FieldPart, name string) bool { return f.Field == name })
		names := p.Fields[0].Take.splitsName()
		if len(some) == len(fields) && len(fields) > 1 && (inOrder || !names) {
			return some, true
		}
	}
	return nil, false
}
