package mapping

import (
	"maps"
	"reflect"
	"regexp"
	"slices"

	"uchi/internal/core/catalog"
	"uchi/internal/core/problem"
	"uchi/internal/core/rights"
)

// Veil says what of an import is kept from a role: the columns that fill fields which
// the role may not see, and those fields. The zero value keeps nothing.
type Veil struct {
	Columns []int    // counted from 0
	Fields  []string // by their labels, for messages

	drafts map[string][]string // the names of the fields, by draft
}

// cellOf finds the headers that an expression names.
var cellOf = regexp.MustCompile(`"((?:[^"\\]|\\.)*)"|'((?:[^'\\]|\\.)*)'`)

// NewVeil works out what a routine's import keeps from a role. The headers are those of
// the source.
func NewVeil(r Routine, c catalog.Catalog, headers []string, role rights.Role) Veil {
	v := Veil{drafts: map[string][]string{}}
	for _, d := range r.Drafts {
		t, ok := c.Type(d.Type)
		if !ok {
			continue
		}
		for _, f := range t.Fields {
			if f.Sees(role) {
				continue
			}
			v.drafts[d.Called()] = append(v.drafts[d.Called()], f.Name)
			o, filled := d.Fields[f.Name]
			if !filled {
				continue
			}
			v.Fields = append(v.Fields, f.Label)
			for _, h := range append(o.Columns(), namedIn(o.Compute)...) {
				if n := slices.Index(headers, h); n >= 0 && !slices.Contains(v.Columns, n) {
					v.Columns = append(v.Columns, n)
				}
			}
		}
	}
	slices.Sort(v.Columns)
	return v
}

func namedIn(expression string) (list []string) {
	for _, m := range cellOf.FindAllStringSubmatch(expression, -1) {
		list = append(list, m[1]+m[2])
	}
	return list
}

// Covers reports whether the import fills anything that is kept.
func (v Veil) Covers() bool { return len(v.Fields) > 0 }

// Keeps reports whether a field of a draft is kept.
func (v Veil) Keeps(draft, field string) bool { return slices.Contains(v.drafts[draft], field) }

// KeepsColumn reports whether what stands in a column is kept, counted from 0.
func (v Veil) KeepsColumn(n int) bool { return slices.Contains(v.Columns, n) }

// Cells gives the cells of a row with those masked that are kept.
func (v Veil) Cells(cells []string) []string {
	if len(v.Columns) == 0 {
		return cells
	}
	cells = slices.Clone(cells)
	for _, n := range v.Columns {
		if n < len(cells) && cells[n] != "" {
			cells[n] = catalog.Masked
		}
	}
	return cells
}

// Problem gives a problem without the value of a field that is kept. The field may be
// named with its draft.
func (v Veil) Problem(p problem.Problem) problem.Problem {
	for draft, names := range v.drafts {
		for _, f := range names {
			if p.Field == f || p.Field == draft+"."+f {
				if p.Value != "" {
					p.Value = catalog.Masked
				}
				p.Detail = ""
			}
		}
	}
	return p
}

// Changes gives what changes of a draft's record, without the values that are kept.
func (v Veil) Changes(draft string, changes map[string][2]*string) map[string][2]*string {
	names := v.drafts[draft]
	if len(names) == 0 || len(changes) == 0 {
		return changes
	}
	out := map[string][2]*string{}
	for field, change := range changes {
		if slices.Contains(names, field) {
			change = [2]*string{masked(change[0]), masked(change[1])}
		}
		out[field] = change
	}
	return out
}

func masked(s *string) *string {
	if s == nil {
		return nil
	}
	m := Mask(*s)
	return &m
}

// Mask gives what stands in the place of a text that is kept; of a blank one, nothing.
func Mask(s string) string {
	if s == "" {
		return ""
	}
	return catalog.Masked
}

// Unfillable lists the fields of a routine that a role may not fill, by their labels.
func (r Routine) Unfillable(c catalog.Catalog, role rights.Role) (labels []string) {
	for _, d := range r.Drafts {
		t, _ := c.Type(d.Type)
		for _, f := range t.Fields {
			if _, filled := d.Fields[f.Name]; filled && f.Limited() && !f.Fills(role) {
				labels = append(labels, t.Label+" · "+f.Label)
			}
		}
	}
	return labels
}

// Fillable gives the routine without the fields that a role may not fill.
func (r Routine) Fillable(c catalog.Catalog, role rights.Role) Routine {
	out := r
	out.Drafts = slices.Clone(r.Drafts)
	for n, d := range r.Drafts {
		t, _ := c.Type(d.Type)
		out.Drafts[n].Fields = maps.Clone(d.Fields)
		for _, f := range t.Fields {
			if f.Limited() && !f.Fills(role) {
				delete(out.Drafts[n].Fields, f.Name)
			}
		}
	}
	return out
}

// Unveils reports whether a changed routine would let somebody see or lose what is kept:
// it fills a kept field otherwise than before, or takes a column that is kept elsewhere.
func (v Veil) Unveils(before, after Routine, headers []string) bool {
	if !v.Covers() {
		return false
	}
	for _, d := range before.Drafts {
		n := after.indexOf(d.Called())
		for _, f := range v.drafts[d.Called()] {
			if o, filled := d.Fields[f]; filled && (n < 0 || !reflect.DeepEqual(o, after.Drafts[n].Fields[f])) {
				return true
			}
		}
	}
	for _, d := range after.Drafts {
		was := Draft{}
		if n := before.indexOf(d.Called()); n >= 0 {
			was = before.Drafts[n]
		}
		var taken []string
		for name, o := range d.Fields {
			if !v.Keeps(d.Called(), name) && !reflect.DeepEqual(o, was.Fields[name]) {
				taken = slices.Concat(taken, o.Columns(), namedIn(o.Compute))
			}
		}
		if d.Where != was.Where {
			taken = append(taken, namedIn(d.Where)...)
		}
		for _, h := range taken {
			if n := slices.Index(headers, h); n >= 0 && v.KeepsColumn(n) {
				return true
			}
		}
	}
	return false
}
