package mapping

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
)

// MostDrafts is how many drafts a routine may make of one row.
const MostDrafts = 8

var draftName = regexp.MustCompile(`^[a-z][a-z0-9_]{0,39}$`)

// checkDrafts says whether the drafts can stand beside each other.
func (r Routine) checkDrafts() error {
	switch {
	case len(r.Drafts) == 0:
		return fault.New(fault.Invalid, "drafts_missing",
			"a routine needs a draft").At(fault.Place{Path: "drafts"}).Mended("Say into which record type the rows go.")
	case len(r.Drafts) > MostDrafts:
		return fault.New(fault.Invalid, "too_many_drafts", fmt.Sprintf("a row makes at most %d drafts",
			MostDrafts)).At(fault.Place{Path: "drafts"}).With(fmt.Sprint(len(r.Drafts))).Mended("Load the rest by another import of the same file.")
	}
	seen := map[string]bool{}
	for i, d := range r.Drafts {
		at := fault.Place{Path: fmt.Sprintf("drafts[%d].name", i)}
		name := d.Called()
		if !draftName.MatchString(name) {
			return fault.New(fault.Invalid, "bad_name",
				"the name of a draft is made of small letters, digits and _").At(at).With(name).Mended("Begin with a letter, at " +
				"most 40 characters, such as second_contact.")
		}
		if seen[name] {
			return fault.New(fault.Invalid, "draft_twice",
				"two drafts have the same name").At(at).With(name).Mended("Give each a name of its own.")
		}
		seen[name] = true
		if len(r.Drafts) > 1 && or(d.May, r.May) == Delete {
			return fault.New(fault.Invalid, "delete_one_type",
				"a row that deletes makes one draft").At(fault.Place{Path: "may"}).Mended("Delete the records of each type by an import of its own.")
		}
		if d.Grouped && (len(r.Drafts) == 1 || len(d.columns()) == 0) {
			return fault.New(fault.Invalid, "nothing_grouped", "rows can be grouped under a draft that takes columns, "+
				"when another draft of the row goes below it").At(fault.Place{Path: fmt.Sprintf("drafts[%d].grouped",
				i)}).Mended("Add the draft that stands in the rows below, or take grouped out.")
		}
	}
	return nil
}

// checkByName says whether the draft can be told by its name alone.
func (r Routine) checkByName(c catalog.Catalog, i int) error {
	d := r.Drafts[i]
	t, _ := c.Type(d.Type)
	at := fault.Place{Path: fmt.Sprintf("drafts[%d].by_name", i)}
	switch {
	case !d.ByName || namesOne(t) && r.PointsTo(d.Called()):
		return nil
	case namesOne(t):
		return fault.New(fault.Invalid, "not_by_name", "only a draft that another points to is told by its name").At(at).
			Mended("Take by_name out, or let another draft of the row link to it.")
	}
	return fault.New(fault.Invalid, "not_by_name", "a name does not tell records of this type apart").At(at).With(d.Type).
		Mended("Take by_name out.")
}

// columns lists the headers that the draft takes values from.
func (d Draft) columns() []string { return Routine{Drafts: []Draft{d}}.Columns() }

// checkLinks says whether the drafts that a draft points to are there.
func (r Routine) checkLinks(c catalog.Catalog, i int) error {
	d := r.Drafts[i]
	t, err := c.MustType(d.Type)
	if err != nil {
		return err
	}
	for name, o := range d.Fields {
		if o.Draft == "" {
			continue
		}
		at := fault.Place{Path: fmt.Sprintf("drafts[%d].fields.%s.draft", i, name)}
		n := r.indexOf(o.Draft)
		if n < 0 || n == i {
			return fault.New(fault.Invalid, "unknown_draft",
				"the routine has no other draft of this name").At(at).With(o.Draft).Mended("Drafts: " +
				strings.Join(r.names(), ", ") + ".")
		}
		if f, _ := t.Field(name); f.To != r.Drafts[n].Type {
			return fault.New(fault.Invalid, "wrong_draft",
				"the field does not point to records of the draft's type").At(at).With(o.Draft).Mended("Take a draft of the type " +
				"that the field points to: " + f.To + ".")
		}
		if r.Drafts[n].Repeats == LastWins {
			return fault.New(fault.Invalid, "last_of_linked",
				"a draft that another points to stands in "+
					"the first of its rows").At(fault.Place{Path: fmt.Sprintf("drafts[%d].repeats",
				n)}).With(string(LastWins)).Mended("Take merge, which prefers later values.")
		}
	}
	return nil
}

// ownColumns lists the headers that say whether a row has a draft: those that no
// other draft takes as well, or all that it takes when there are none.
func (r Routine) ownColumns(n int) []string {
	all := r.Drafts[n].columns()
	own := slices.DeleteFunc(slices.Clone(all), func(c string) bool {
		for i, d := range r.Drafts {
			if i != n && slices.Contains(d.columns(), c) {
				return true
			}
		}
		return false
	})
	if len(own) == 0 {
		return all
	}
	return own
}

func (r Routine) indexOf(name string) int {
	return slices.IndexFunc(r.Drafts, func(d Draft) bool { return d.Called() == name })
}

func (r Routine) names() []string {
	var list []string
	for _, d := range r.Drafts {
		list = append(list, d.Called())
	}
	return list
}

// PointsTo reports whether a draft points to the one of this name.
func (r Routine) PointsTo(name string) bool {
	return slices.ContainsFunc(r.Drafts, func(d Draft) bool {
		for _, o := range d.Fields {
			if o.Draft == name {
				return true
			}
		}
		return false
	})
}

// order gives the drafts' places so that each comes after those it points to.
func (r Routine) order() ([]int, error) {
	var out []int
	for len(out) < len(r.Drafts) {
		before := len(out)
		for i, d := range r.Drafts {
			ready := !slices.Contains(out, i)
			for _, o := range d.Fields {
				ready = ready && (o.Draft == "" || slices.Contains(out, r.indexOf(o.Draft)))
			}
			if ready {
				out = append(out, i)
			}
		}
		if len(out) == before {
			return nil, fault.New(fault.Invalid, "drafts_in_a_ring",
				"the drafts point to each other in a ring").At(fault.Place{Path: "drafts"}).Mended("Leave one of the links out.")
		}
	}
	return out, nil
}

// Linked gives the routine with the links between its drafts that go without
// saying: a field without an origin that points to a type of which the row
// makes exactly one draft, where this makes no ring.
func (r Routine) Linked(c catalog.Catalog) Routine {
	out := r
	out.Drafts = slices.Clone(r.Drafts)
	for i, d := range out.Drafts {
		t, ok := c.Type(d.Type)
		if !ok {
			continue
		}
		for _, f := range t.Fields {
			if _, there := d.Fields[f.Name]; there || f.Type != catalog.Reference || f.To == d.Type {
				continue
			}
			var to []string
			for _, other := range out.Drafts {
				if other.Type == f.To {
					to = append(to, other.Called())
				}
			}
			if len(to) != 1 {
				continue
			}
			was := out.Drafts[i].Fields
			out.Drafts[i].Fields = withField(was, f.Name, Origin{Draft: to[0]})
			if _, err := out.order(); err != nil {
				out.Drafts[i].Fields = was
			}
		}
	}
	return out
}

func withField(fields map[string]Origin, name string, o Origin) map[string]Origin {
	out := map[string]Origin{name: o}
	for k, v := range fields {
		if k != name {
			out[k] = v
		}
	}
	return out
}

// Types gives the record type of each draft, by the draft's name.
func (r Routine) Types(c catalog.Catalog) (map[string]catalog.RecordType, error) {
	out := map[string]catalog.RecordType{}
	for _, d := range r.Drafts {
		t, err := c.MustType(d.Type)
		if err != nil {
			return nil, err
		}
		out[d.Called()] = t
	}
	return out, nil
}

// TypeNames lists the record types that the drafts become, each once.
func (r Routine) TypeNames() []string {
	var list []string
	for _, d := range r.Drafts {
		if !slices.Contains(list, d.Type) {
			list = append(list, d.Type)
		}
	}
	return list
}

// Without gives the routine without one of its drafts and without the links to it.
func (r Routine) Without(name string) Routine {
	out := r
	out.Drafts = nil
	for _, d := range r.Drafts {
		if d.Called() == name {
			continue
		}
		fields := map[string]Origin{}
		for field, o := range d.Fields {
			if o.Draft != name {
				fields[field] = o
			}
		}
		d.Fields = fields
		out.Drafts = append(out.Drafts, d)
	}
	return out
}

// SameDrafts reports whether two routines make the same drafts of a row, by name
// and type.
func (r Routine) SameDrafts(other Routine) bool {
	return slices.EqualFunc(r.Drafts, other.Drafts,
		func(a, b Draft) bool { return a.Called() == b.Called() && a.Type == b.Type })
}

// Renamed gives the routine with the present names of fields that were renamed.
func (r Routine) Renamed(c catalog.Catalog) Routine {
	out := r
	out.Drafts = slices.Clone(r.Drafts)
	for i, d := range out.Drafts {
		t, ok := c.Type(d.Type)
		if !ok {
			continue
		}
		fields := make(map[string]Origin, len(d.Fields))
		for name, o := range d.Fields {
			fields[t.Now(name)] = o
		}
		out.Drafts[i].Fields = fields
		out.Drafts[i].Match = slices.Clone(d.Match)
		for n := range d.Match {
			out.Drafts[i].Match[n].Fields = eachNow(t, d.Match[n].Fields)
			out.Drafts[i].Match[n].Alike = eachNow(t, d.Match[n].Alike)
		}
	}
	return out
}

func eachNow(t catalog.RecordType, names []string) []string {
	out := slices.Clone(names)
	for i := range out {
		out[i] = t.Now(out[i])
	}
	return out
}

// Moved gives the routine with the headers that stand now where others stood,
// when a source was read otherwise: a header that is gone is taken for the one in
// its place, if that is new and the same text in another encoding: it has the same
// letters and figures of ASCII, which nearly all encodings share. Of another sheet, or
// below another header row, a column in the same place is another column.
func (r Routine) Moved(before, now []string) Routine {
	to := map[string]string{}
	for i, h := range before {
		if len(now) == len(before) && !slices.Contains(now, h) && !slices.Contains(before, now[i]) &&
			ascii(h) == ascii(now[i]) {
			to[h] = now[i]
		}
	}
	return r.WithColumns(to)
}

// ascii gives the letters and figures of ASCII in a text.
func ascii(s string) string {
	return strings.Map(func(r rune) rune {
		if '0' <= r && r <= '9' || 'a' <= r && r <= 'z' || 'A' <= r && r <= 'Z' {
			return r
		}
		return -1
	}, s)
}

// WithColumns gives the routine with other columns in the place of some, by their names.
func (r Routine) WithColumns(to map[string]string) Routine {
	if len(to) == 0 {
		return r
	}
	out := r
	out.Drafts = slices.Clone(r.Drafts)
	for i, d := range out.Drafts {
		fields := make(map[string]Origin, len(d.Fields))
		for name, o := range d.Fields {
			fields[name] = o.moved(to)
		}
		out.Drafts[i].Fields = fields
		if h, ok := to[d.NewerBy]; ok {
			out.Drafts[i].NewerBy = h
		}
	}
	return out
}

func (o Origin) moved(to map[string]string) Origin {
	o.From = slices.Clone(o.From)
	for i, h := range o.From {
		if t, ok := to[h]; ok {
			o.From[i] = t
		}
	}
	if o.When != nil {
		if t, ok := to[o.When.Column]; ok {
			o.When = &When{Column: t, Is: o.When.Is}
		}
	}
	if o.Find != nil {
		find := make(map[string]Origin, len(o.Find))
		for name, part := range o.Find {
			find[name] = part.moved(to)
		}
		o.Find = find
	}
	return o
}
