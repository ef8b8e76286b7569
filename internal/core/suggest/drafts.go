package suggest

import (
	"cmp"
	"maps"
	"slices"
	"strconv"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
)

// DraftSuggestion is a further record type that the rows seem to hold.
type DraftSuggestion struct {
	Type    string   `json:"type"`
	Name    string   `json:"name,omitempty"` // of the draft, where the type's own is taken
	Columns []string `json:"columns"`        // those that would go to it
	Reason  string   `json:"reason"`
}

// Further finds the record types of which the rows seem to hold a record beside
// the drafts that there are: types that point to one of these or are pointed to,
// whose required fields are all found, and that take columns which would be left.
func (v *View) Further(c catalog.Catalog, targets []Target, memory func(typeName string) Memory) []DraftSuggestion {
	v.Types(c, memory)
	placed := taken(v.Across(targets))
	var out []DraftSuggestion
	for _, t := range c.Types {
		// beside others it finds no more than alone
		if t.Timeline != nil && !v.hangs(t) || v.lacking[t.Name] && len(v.groups[t.Name]) == 0 {
			continue
		}
		there := slices.DeleteFunc(slices.Clone(targets), func(o Target) bool { return o.Type.Name != t.Name })
		if len(there) > 0 && len(there) >= len(numbersOf(v.groups[t.Name])) || len(there) == 0 &&
			!slices.ContainsFunc(targets, func(o Target) bool { return pointsTo(t, o.Type) || pointsTo(o.Type, t) }) {
			continue
		}
		s := DraftSuggestion{Type: t.Name}
		name := t.Name
		for n := 2; slices.ContainsFunc(targets, func(o Target) bool { return cmp.Or(o.Draft, o.Type.Name) == name }); n++ {
			name = t.Name + "_" + strconv.Itoa(n)
			s.Name = name
		}
		with := slices.Concat(targets, []Target{{Draft: name, Type: t, Memory: memory(t.Name)}})
		all := taken(v.Across(with))
		for _, x := range all {
			if x.Draft == name && !slices.Contains(s.Columns, x.Column) {
				s.Columns = append(s.Columns, x.Column)
			}
		}
		gains := slices.ContainsFunc(s.Columns, func(column string) bool {
			return !slices.ContainsFunc(placed, func(x Suggestion) bool { return x.Column == column })
		})
		// of what those that are there cannot do without
		robs := needed(targets, targets, placed) && !needed(targets, with, all)
		if len(s.Columns) > 1 && gains && !robs && needed(with[len(targets):], targets, all) {
			s.Reason = strings.Join(s.Columns, ", ") + " seem to be of the " + strings.ToLower(t.Label)
			out = append(out, s)
		}
	}
	slices.SortStableFunc(out, func(a, b DraftSuggestion) int { return cmp.Compare(len(b.Columns), len(a.Columns)) })
	return out
}

// Together is a set of record types of which each row seems to hold one record.
type Together struct {
	Types  []string `json:"types"` // the first is the one that the others are added to
	Reason string   `json:"reason"`
}

// lengthens is how many columns more than one type alone a set of types must
// take to be worth telling.
const lengthens = 3

// Together finds the set of record types that takes most of the columns, when
// that are clearly more than the given drafts take; ok is false otherwise. With no drafts, since
// it is not clear what the rows are, more than any type alone takes are enough.
func (v *View) Together(c catalog.Catalog, drafts []Target, memory func(typeName string) Memory) (best Together,
	ok bool) {
	likely := v.Types(c, memory)[:min(4, len(c.Types))]
	most := columnsIn(taken(v.Across(drafts))) + lengthens
	if len(drafts) == 0 {
		for _, s := range likely {
			t, _ := c.Type(s.Type)
			most = max(most, columnsIn(taken(v.Across([]Target{{Type: t, Memory: memory(t.Name)}})))+1)
		}
	}
	for _, t := range likely {
		first, _ := c.Type(t.Type)
		targets := []Target{{Draft: first.Name, Type: first, Memory: memory(first.Name)}}
		set := Together{Types: []string{first.Name}}
		for {
			further := v.Further(c, targets, memory)
			further = slices.DeleteFunc(further, func(s DraftSuggestion) bool { return s.Name != "" }) // of each type once
			if len(further) == 0 {
				break
			}
			next, _ := c.Type(further[0].Type)
			targets = append(targets, Target{Draft: next.Name, Type: next, Memory: memory(next.Name)})
			set.Types = append(set.Types, next.Name)
		}
		list := taken(v.Across(targets))
		if n := columnsIn(list); len(set.Types) > 1 && n >= most && needed(targets, targets, list) {
			most, ok = n+1, true
			best = set
			best.Reason = strconv.Itoa(n) + " of " + strconv.Itoa(len(v.columns)) + " columns are found in " +
				strings.Join(set.Types, ", ")
		}
	}
	return best, ok
}

// columnsIn counts the different columns of suggestions.
func columnsIn(list []Suggestion) int {
	seen := map[string]bool{}
	for _, s := range list {
		seen[s.Column] = true
	}
	return len(seen)
}

// needed reports whether the required fields of some targets are found among
// what is taken, links to any of the others aside.
func needed(some, all []Target, list []Suggestion) bool {
	for _, t := range some {
		for _, f := range t.Type.Fields {
			there := slices.ContainsFunc(list, func(s Suggestion) bool { return s.Draft == t.Draft && s.Field == f.Name })
			linked := f.Type == catalog.Reference && slices.ContainsFunc(all, func(o Target) bool { return o.Type.Name == f.To })
			if f.Required && f.Default == "" && !there && !linked {
				return false
			}
		}
	}
	return true
}

func taken(list []Suggestion) []Suggestion {
	return slices.DeleteFunc(slices.Clone(list), func(s Suggestion) bool { return !s.Taken })
}

func pointsTo(a, b catalog.RecordType) bool {
	return slices.ContainsFunc(a.Fields, func(f catalog.Field) bool { return f.To == b.Name })
}

// peopleFrom gives the place of the first column that names the people of a routine's drafts: what stands before
// it, behind the name of a company, is the company's. Without people it is 0.
func (v *View) peopleFrom(r mapping.Routine, c catalog.Catalog) int {
	first := len(v.columns)
	for _, d := range r.Drafts {
		t, _ := c.Type(d.Type)
		for _, as := range []catalog.Likeness{catalog.AsHonorific, catalog.AsGivenName, catalog.AsFamilyName} {
			f, _ := t.FieldAs(as)
			for n, col := range v.columns {
				if slices.Contains(d.Fields[f.Name].From, col.Header) {
					first = min(first, n)
				}
			}
		}
	}
	if first == len(v.columns) {
		return 0
	}
	return first
}

// saysBetter reports whether a column's header says the field of a suggestion, and not the one that it goes to in a
// routine: a mobile number is the person's once there is one, though it was all the telephone that the company had.
// What a person has placed, which is not as it was suggested before, stays.
func (v *View) saysBetter(targets []Target, before []Suggestion, s Suggestion, r mapping.Routine) bool {
	n := slices.IndexFunc(v.columns, func(c sheet.Column) bool { return c.Header == s.Column })
	said := func(draft, field string) float64 {
		at := slices.IndexFunc(targets, func(t Target) bool { return t.Draft == draft })
		x := v.compare(targets[at].Type, targets[at].Memory)
		if f := slices.IndexFunc(x.fields, func(f catalog.Field) bool { return f.Name == field }); f >= 0 && f < len(x.heads[n].said) {
			return x.heads[n].said[f].score
		}
		return 0
	}
	if n < 0 || said(s.Draft, s.Field) < certain {
		return false
	}
	for _, d := range r.Drafts {
		for field, o := range d.Fields {
			if !slices.Contains(o.From, s.Column) {
				continue
			}
			suggested := slices.ContainsFunc(before, func(x Suggestion) bool {
				return x.Column == s.Column && x.Draft == d.Called() && x.Field == field
			})
			if !suggested || said(d.Called(), field) >= certain {
				return false
			}
		}
	}
	return true
}

// WithDraft gives the routine with a further draft: the columns that are free
// and those that say they are of it go to it, and the drafts are linked. A column
// that merely stands beside one of the new draft moves only where other columns
// say that they are of the drafts that were there, or the person comes behind it: else an address
// behind the name of a company may be the person's, who is known by it.
func (v *View) WithDraft(r mapping.Routine, c catalog.Catalog, draft mapping.Draft,
	memory func(typeName string) Memory) mapping.Routine {
	out := r
	out.Drafts = slices.Concat(r.Drafts, []mapping.Draft{draft})
	name := draft.Called()
	var targets []Target
	for _, d := range out.Drafts {
		t, _ := c.Type(d.Type)
		targets = append(targets, Target{Draft: d.Called(), Type: t, Memory: memory(d.Type)})
	}
	last := len(out.Drafts) - 1
	fields := map[string]mapping.Origin{}
	columns := v.columns
	whose := v.whoseOf(targets)
	apart := slices.ContainsFunc(whose, func(o owner) bool { return o.said && o.target >= 0 && o.target < last })
	people := v.peopleFrom(r, c)
	before := taken(v.Across(targets[:last])) // what was not said by a person
	says := func(s Suggestion) bool {
		n := slices.IndexFunc(columns, func(c sheet.Column) bool { return c.Header == s.Column })
		return n >= 0 && whose[n].target == last && (whose[n].said || whose[n].own || !s.left && (apart || n < people))
	}
	placed := func(column string) bool {
		return slices.ContainsFunc(r.Drafts, func(d mapping.Draft) bool {
			t, _ := c.Type(d.Type)
			for field, o := range d.Fields {
				// What names a record of the type is of the draft from now on; a superior is not.
				f, _ := t.Field(field)
				names := f.To == draft.Type && f.To != d.Type && len(o.Find) == 0
				if slices.Contains(o.From, column) && !names {
					return true
				}
			}
			return false
		})
	}
	all, ofLines := v.across(targets)
	for _, s := range ofLines {
		for i, d := range r.Drafts { // what was the amount of a deal may be that of its lines
			if o := d.Fields[s.Field]; s.Draft == d.Called() && len(o.From) == 1 && o.From[0] == s.Column {
				out.Drafts[i].Fields = without(out.Drafts[i].Fields, s.Field)
			}
		}
	}
	var moved []string
	for _, s := range taken(all) {
		if s.Draft != name || placed(s.Column) && !says(s) && (s.left || !v.saysBetter(targets, before, s, r)) {
			continue
		}
		if s.Fixed != "" {
			fields[s.Field] = mapping.Origin{Fixed: s.Fixed}
			continue
		}
		moved = append(moved, s.Column)
		from := []string{s.Column}
		if o := fields[s.Field]; s.joins ||
			slices.ContainsFunc(o.From, func(h string) bool { return namePrefixes[Key(h)] }) {
			from = append(o.From, from...)
		}
		fields[s.Field] = mapping.Origin{From: from, Take: s.Take, When: s.When, Join: cmp.Or(s.Join, fields[s.Field].Join)}
	}
	for i, d := range r.Drafts { // they move there from another draft, if they go nowhere else
		stays := func(column string) bool { return !slices.Contains(moved, column) }
		for field, o := range d.Fields {
			if len(o.From) > 0 && !slices.ContainsFunc(o.From, stays) && len(o.Values) == 0 {
				out.Drafts[i].Fields = without(out.Drafts[i].Fields, field)
			}
		}
	}
	// What a draft had from a column that moved it may have from another, which nothing was given.
	for i, d := range r.Drafts {
		for _, s := range taken(all) {
			_, had := d.Fields[s.Field]
			_, has := out.Drafts[i].Fields[s.Field]
			if s.Draft == d.Called() && had && !has && !placed(s.Column) && !s.joins && s.Fixed == "" {
				out.Drafts[i].Fields = maps.Clone(out.Drafts[i].Fields)
				out.Drafts[i].Fields[s.Field] = mapping.Origin{From: []string{s.Column}, Take: s.Take, When: s.When}
			}
		}
	}
	for _, d := range r.Drafts {
		if d.Type != draft.Type || !v.onlyGroups(targets, last) {
			continue
		}
		// What the first points to by a column of no group, such as its company, so does the next.
		t, _ := c.Type(d.Type)
		for field, o := range d.Fields {
			f, _ := t.Field(field)
			grouped := slices.ContainsFunc(o.From, func(h string) bool {
				return v.isGrouped(slices.IndexFunc(columns, func(c sheet.Column) bool { return c.Header == h }))
			})
			if _, own := fields[field]; f.Type == catalog.Reference && o.Draft == "" && !own && !grouped {
				fields[field] = o
			}
		}
		break
	}
	out.Drafts[last].Fields = fields
	out = out.Linked(c)
	for i := range out.Drafts {
		out.Drafts[i].Grouped = out.Drafts[i].Grouped || standsAbove(out, c, i, columns)
	}
	return out
}

func without(fields map[string]mapping.Origin, name string) map[string]mapping.Origin {
	out := map[string]mapping.Origin{}
	for k, v := range fields {
		if k != name {
			out[k] = v
		}
	}
	return out
}

// How many of the rows must be blank for what stands above them to be meant: a cell that was
// forgotten is blank as well. Of other columns of the draft as many are, if there are any.
const (
	leastBelow      = 0.25
	leastBelowAlone = 0.34
)

// standsAbove reports whether a draft seems to stand in the first of several
// rows only: the columns that name it have blanks where those of a draft that
// cannot be without it have none; many, and what they say hardly comes again.
func standsAbove(r mapping.Routine, c catalog.Catalog, n int, columns []sheet.Column) bool {
	of := func(o mapping.Origin) (sheet.Column, bool) {
		at := slices.IndexFunc(columns, func(col sheet.Column) bool { return len(o.From) > 0 && col.Header == o.From[0] })
		if at < 0 {
			return sheet.Column{}, false
		}
		return columns[at], true
	}
	names := func(d mapping.Draft) (name sheet.Column, known bool) {
		t, _ := c.Type(d.Type)
		for _, f := range t.Fields {
			if col, ok := of(d.Fields[f.Name]); ok && f.Required && (!known || col.Blank > name.Blank) {
				name, known = col, true
			}
		}
		return name, known
	}
	own, known := names(r.Drafts[n])
	if !known || own.Distinct*10 < own.Filled*9 {
		return false
	}
	others, sayMore := 0, false
	for _, o := range r.Drafts[n].Fields {
		if col, ok := of(o); ok && col.Header != own.Header {
			others++
			sayMore = sayMore || col.Blank < own.Blank
		}
	}
	least := leastBelowAlone
	if others > 0 && !sayMore {
		least = leastBelow
	}
	if float64(own.Blank) < least*float64(own.Blank+own.Filled) || own.Blank == 0 {
		return false
	}
	for _, d := range r.Drafts {
		t, _ := c.Type(d.Type)
		for name, o := range d.Fields {
			if f, _ := t.Field(name); f.Required && o.Draft == r.Drafts[n].Called() {
				below, known := names(d)
				return known && below.Blank == 0
			}
		}
	}
	return false
}
