package matching

import (
	"slices"
	"testing"

	"uchi/internal/core/catalog"
)

// Two values of each comparison that are not the same thing.
var unlike = map[catalog.Likeness][2]string{
	catalog.AsGivenName: {"Kari", "Torvald"}, catalog.AsFamilyName: {"Øksnes", "Brandvold"},
	catalog.AsHonorific:   {"Mr", "Ms"},
	catalog.AsCompanyName: {"Tern Marina Ltd", "Skarv Boatworks"}, catalog.AsStreet: {"Quay Road 4", "Mill Lane 17"},
	catalog.AsPostalCode: {"5003", "9170"},
	catalog.AsLocality:   {"Ternvik", "Skarvholm"}, catalog.AsCountry: {"NO", "SE"},
	catalog.AsEmail: {"kari@tern.example", "post@skarv.example"},
	catalog.AsPhone: {"+4755112233", "+4677889900"}, catalog.AsWeb: {"https://tern.example", "https://skarv.example"},
	catalog.AsDate: {"1980-04-03", "1991-12-24"},
	catalog.AsCode: {"TM-4711", "SK-0815"}, catalog.AsText: {"harbour office", "rigging loft"},
	catalog.AsLink: {"12", "99"}, catalog.AsEmployer: {"12", "99"},
}

// Every comparison of the registry, in a type of people, of companies and of
// things: what agrees speaks for, what differs never speaks for, a blank says
// nothing; each likeness is in the registry once and has weights.
func TestEveryComparison(t *testing.T) {
	// an address is compared as a whole
	whole := []catalog.Likeness{catalog.AsStreet, catalog.AsPostalCode, catalog.AsLocality}
	for _, like := range catalog.Likenesses {
		n := 0
		for _, w := range ways {
			if w.like == like {
				n++
			}
		}
		_, ok := unlike[like]
		if n != 1 || !ok {
			t.Errorf("%s stands %d times in the registry, and has values here: %v", like, n, ok)
			continue
		}
		w := wayOf(like)
		if w.kind == "" {
			continue
		}
		for _, entity := range []catalog.Likeness{catalog.AsFamilyName, catalog.AsCompanyName, catalog.AsText} {
			likes := []catalog.Likeness{entity}
			if slices.Contains(whole, like) || like == catalog.AsCountry {
				likes = append(likes, whole...)
			}
			if !slices.Contains(likes, like) {
				likes = append(likes, like)
			}
			var fields []catalog.Field
			for _, l := range likes {
				ft := catalog.Text
				if l == catalog.AsLink || l == catalog.AsEmployer {
					ft = catalog.Reference
				}
				fields = append(fields, catalog.Field{Name: string(l), Label: string(l), Type: ft, Likeness: l})
			}
			c := NewComparer(catalog.RecordType{Name: "thing", Fields: fields}, nil)
			subject := func(side int, blank bool) *Subject {
				row := make([]string, len(c.Fields))
				for i, f := range c.Fields {
					if f.Likeness == entity || !blank {
						row[i] = unlike[f.Likeness][side]
					}
				}
				s := c.Prepare(row)
				return &s
			}
			judge := c.Judge(DefaultWeights(), Frequencies{N: 10_000})
			kind := w.kind
			if entity == catalog.AsFamilyName && kind == Company || entity == catalog.AsFamilyName &&
				like == catalog.AsEmployer {
				kind = Employer
			}
			said := func(a, b *Subject) (Reason, bool) {
				for _, r := range judge.Compare(a, b).Reasons {
					if r.Kind == kind {
						return r, true
					}
				}
				return Reason{}, false
			}
			if r, there := said(subject(0, false), subject(0, false)); !there || r.Bits <= 0 ||
				!slices.Contains(r.Fields, string(like)) {
				t.Errorf("%s of a type with %s: what agrees says %+v (%v)", like, entity, r, there)
			}
			if r, there := said(subject(0, false), subject(1, false)); there && r.Bits > 0 {
				t.Errorf("%s of a type with %s: what differs says %+v", like, entity, r)
			}
			if like != entity {
				if r, there := said(subject(0, false), subject(0, true)); there {
					t.Errorf("%s of a type with %s: a blank says %+v", like, entity, r)
				}
			}
		}
	}
}
