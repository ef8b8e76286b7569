// Package view describes which records of a type are looked at: a filter in the
// Common Expression Language (CEL, github.com/google/cel-spec), columns in their
// order, also those of records that are referred to, and an order. It reads and
// checks them against the catalogue and gives values that the store turns into
// SQL; it knows no database and no face.
//
// A filter names fields as a record has them, a dot leading to the record that a
// reference points to:
//
//	country == "NO" && name.lower().contains("nord")
//	account.status in ["customer", "partner"] || !filled(account)
//	close_date < today(30) && amount >= 10000
//	"trade_fair" in interests && changed_at >= "2026-01-01"
//
// Nothing but what is filled is smaller, larger or equal; a blank field differs
// from every value.
package view

import (
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
)

// View is what is looked at of a record type; the zero View is all records with
// all fields, oldest first.
type View struct {
	Filter  string   `json:"filter,omitempty"`
	Columns []string `json:"columns,omitempty"` // paths of fields, in their order; empty is all fields of the type
	Sort    []string `json:"sort,omitempty"`    // paths of fields, a hyphen before those that go down; empty is by id
}

// Path leads to a field, from a record over what it refers to.
type Path struct {
	Name  string          // as it is written: town, account.town
	Links []catalog.Field // the references on the way
	Field catalog.Field
	Of    catalog.RecordType // whose field it is
	Own   bool               // the record has it beside its fields: its id, version, import, times
}

// Offered lists what can be shown of records of a type, chosen and sorted by: its
// fields that are in use, what every record has beside them, and the fields of the
// records that it refers to.
func Offered(c catalog.Catalog, t catalog.RecordType) (list []Path) {
	add := func(of catalog.RecordType, prefix string, links []catalog.Field) {
		for _, f := range of.Offered().Fields {
			list = append(list, Path{Name: prefix + f.Name, Links: links, Field: f, Of: of})
		}
	}
	add(t, "", nil)
	for _, f := range beside {
		if _, taken := t.Field(f.Name); taken || f.Name == "title" && len(t.Title) == 1 { // a field that is there already
			continue
		}
		if f.Name == "id" {
			f.To = t.Name
		}
		list = append(list, Path{Name: f.Name, Field: f, Of: t, Own: true})
	}
	for _, f := range t.Offered().Fields {
		if to, ok := c.Type(f.To); ok && f.Type == catalog.Reference {
			add(to, f.Name+".", []catalog.Field{f})
		}
	}
	return list
}

// beside are what every record has beside its fields.
var beside = []catalog.Field{
	{Name: "id", Label: "Id", Type: catalog.Reference},
	{Name: "version", Label: "Version", Type: catalog.Integer},
	{Name: "made_by", Label: "Made by import", Type: catalog.Integer},
	{Name: "created_at", Label: "Made", Type: catalog.DateTime},
	{Name: "changed_at", Label: "Changed", Type: catalog.DateTime},
	{Name: "title", Label: "Name", Type: catalog.Text},
}

// mostLinks is over how many records a path may lead.
const mostLinks = 4

// Find resolves a path such as account.town. Fields that are no longer in use,
// or not there, are an error that says what is.
func Find(c catalog.Catalog, t catalog.RecordType, name string) (Path, error) {
	p := Path{Name: name, Of: t}
	steps := strings.Split(name, ".")
	for n, step := range steps {
		f, own, err := find(p.Of, step)
		if err != nil {
			return p, err
		}
		if n == len(steps)-1 {
			p.Field, p.Own = f, own
			return p, nil
		}
		if f.Type != catalog.Reference || own || len(p.Links) == mostLinks {
			return p, fault.New(fault.Invalid, "no_reference",
				"this does not lead to another record").With(strings.Join(steps[:n+1], ".")).
				Mended("A dot goes behind a reference, such as " + example(p.Of) + ".")
		}
		p.Links = append(p.Links, f)
		if p.Of, err = c.MustType(f.To); err != nil {
			return p, err
		}
	}
	return p, nil
}

func find(t catalog.RecordType, name string) (f catalog.Field, own bool, err error) {
	f, ok := t.Field(t.Now(name))
	if ok && f.Retired {
		return f, false, fault.New(fault.Invalid, "field_retired", "the field "+f.Label+" of "+strings.ToLower(t.Plural)+
			" is no longer in use").With(name).
			Mended("Take it out, or put the field in use again.")
	}
	if ok {
		return f, false, nil
	}
	if n := slices.IndexFunc(beside, func(f catalog.Field) bool { return f.Name == name }); n >= 0 {
		f := beside[n]
		if f.Name == "id" {
			f.To = t.Name
		}
		return f, true, nil
	}
	return f, false, unknown(t, name)
}

// unknown says that a type has no such field, with the nearest of those it has.
func unknown(t catalog.RecordType, name string) error {
	mend := "See uchi types " + t.Name + " for its fields."
	low := strings.ToLower(name)
	for _, f := range t.Fields {
		if strings.EqualFold(f.Label, name) || len(low) > 2 &&
			(strings.Contains(f.Name, low) || strings.Contains(low, f.Name)) {
			mend = "Is " + f.Name + " meant? " + mend
			break
		}
	}
	if slices.Contains(t.Kept, name) {
		return fault.New(fault.Denied, "field_kept", "this field of "+strings.ToLower(t.Plural)+
			" is kept from your role").With(name).
			Mended("Ask somebody who may see it: an administrator limits fields by role.")
	}
	return fault.New(fault.Invalid, "unknown_field", strings.ToLower(t.Plural)+
		" have no such field").With(name).Mended(mend)
}

// example is a reference of a type with a dot behind it.
func example(t catalog.RecordType) string {
	for _, f := range t.Fields {
		if f.Type == catalog.Reference {
			return f.Name + ".…"
		}
	}
	return "account.town"
}

// Label names a column: the labels on the way, an arrow between.
func (p Path) Label() string {
	var parts []string
	for _, l := range p.Links {
		parts = append(parts, l.Label)
	}
	return strings.Join(append(parts, p.Field.Label), Arrow)
}

// Arrow stands in the header of a column that shows a field of a record that is
// referred to. Such a column is only to be read: brought back, it is not loaded.
const Arrow = " › "

// Order is one field that records are sorted by; blank ones come last, up or down.
type Order struct {
	Path
	Down bool
}

// Shown is a view that was read and checked.
type Shown struct {
	Where   Node // nil is all records
	Columns []Path
	Sort    []Order
}

// Read checks a view of a record type.
func Read(c catalog.Catalog, t catalog.RecordType, v View) (s Shown, err error) {
	if s.Where, err = Filter(c, t, v.Filter); err != nil {
		return s, err
	}
	for _, name := range v.Columns {
		p, err := Find(c, t, name)
		if err != nil {
			return s, err
		}
		s.Columns = append(s.Columns, p)
	}
	for _, name := range v.Sort {
		path, down := strings.CutPrefix(name, "-")
		p, err := Find(c, t, path)
		if err != nil {
			return s, err
		}
		if p.Field.Kind().Form == catalog.ListForm {
			return s, fault.New(fault.Invalid, "unknown_order", "records cannot be sorted by a list").With(name)
		}
		s.Sort = append(s.Sort, Order{Path: p, Down: down})
	}
	return s, nil
}
