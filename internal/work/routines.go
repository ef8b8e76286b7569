package work

import (
	"cmp"
	"context"
	"maps"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
	"uchi/internal/core/suggest"
	"uchi/internal/store"
)

// SaveRoutine keeps a routine under a name of its own. A version above 0 is that
// which the change was made on.
func (s *Service) SaveRoutine(ctx context.Context, workspace string, r mapping.Routine, version int,
	by store.Person) (store.SavedRoutine, error) {
	c, err := s.store.Catalog(store.Whole(ctx), workspace)
	if err != nil {
		return store.SavedRoutine{}, err
	}
	r.Name = strings.TrimSpace(r.Name)
	if r.Name == "" || len(r.Name) > 100 {
		return store.SavedRoutine{}, fault.New(fault.Invalid, "bad_name",
			"a routine needs a name of at most 100 characters").At(fault.Place{Path: "name"}).With(r.Name)
	}
	r = r.Renamed(c)
	if err := r.Check(c, nil); err != nil {
		return store.SavedRoutine{}, err
	}
	if err := s.store.SaveRoutine(ctx, workspace, r, version, by.ID); err != nil {
		return store.SavedRoutine{}, err
	}
	return s.store.Routine(ctx, workspace, r.Name)
}

// Recognised is a saved routine that seems to be for a file, with the drift:
// what the routine misses and what is new.
type Recognised struct {
	Name    string
	Type    string
	Share   float64 // of the routine's columns, how many are there
	Missing []Missing
	New     []string
	Values  []NewValue // that the routine does not know what to make of
}

// Missing is a column that a routine takes and a file does not have.
type Missing struct {
	Column string
	Fields []string // labels of the fields that it goes to
	Needed bool     // one of them is required, or records are found by it
	Now    string   // the column of the file that takes its place; empty when none does
}

// NewValue is a value that stands in a column and means nothing to a routine.
type NewValue struct {
	Column string
	Text   string
}

// leastShare is how much of a routine's columns a file must have to be recognised, and mostNew how many others
// it may have for each of these: a file of twenty columns is not of a kind that has four.
const (
	leastShare = 0.6
	mostNew    = 2
)

// Recognise finds the saved routines that an import may have been made for,
// best first.
func (s *Service) Recognise(ctx context.Context, i store.Import) ([]Recognised, error) {
	saved, err := s.store.Routines(ctx, i.Workspace)
	if err != nil {
		return nil, err
	}
	c, err := s.store.Catalog(store.Whole(ctx), i.Workspace)
	if err != nil {
		return nil, err
	}
	columns := suggest.NewView(i.Columns.V).Among(c) // compared once for all routines
	var list []Recognised
	for _, r := range saved {
		used := i.Routine.V != nil && i.Routine.V.Name == r.Name
		rec := against(c, r, i, columns)
		known := rec.Share * float64(len(r.Document.V.Columns()))
		fits := rec.Share >= leastShare && float64(len(rec.New)) <= mostNew*known
		// Columns without headers are A, B and C in each file: what they hold tells whether it is of this kind.
		if fits && i.Reading.V.NoHeader && !used {
			set, ok := fitted(c, r.Document.V.Renamed(c), i)
			fits = ok && len(columns.Unlike(targetsOf(c, set.Drafts), set.Drafts)) == 0
		}
		if fits || used {
			rec.Values = newValues(r.Document.V, c, i)
			list = append(list, rec)
		}
	}
	slices.SortStableFunc(list, func(a, b Recognised) int {
		return cmp.Or(cmp.Compare(b.Share, a.Share), cmp.Compare(len(a.New), len(b.New)))
	})
	return list, nil
}

// against tells how the columns of an import differ from those that a routine takes.
func against(c catalog.Catalog, r store.SavedRoutine, i store.Import, columns *suggest.View) Recognised {
	there, wanted := i.Headers(), r.Document.V.Columns()
	rec := Recognised{Name: r.Name, Type: r.Type}
	for _, w := range wanted {
		if !slices.Contains(there, w) {
			rec.Missing = append(rec.Missing, missing(c, r.Document.V, w))
		}
	}
	renamed(c, r.Document.V, columns, rec.Missing)
	for _, h := range there {
		taken := slices.ContainsFunc(rec.Missing, func(m Missing) bool { return m.Now == h })
		if !taken && !slices.Contains(wanted, h) && !slices.Contains(r.Document.V.Ignored, h) {
			rec.New = append(rec.New, h)
		}
	}
	gone := 0
	for _, m := range rec.Missing {
		if m.Now == "" {
			gone++
		}
	}
	if len(wanted) > 0 {
		rec.Share = 1 - float64(gone)/float64(len(wanted))
	}
	return rec
}

// missing says what a routine does with a column that is not there.
func missing(c catalog.Catalog, r mapping.Routine, column string) Missing {
	m := Missing{Column: column}
	for _, d := range r.Drafts {
		t, _ := c.Type(d.Type)
		rules := d.Match
		if len(rules) == 0 {
			rules = t.Match
		}
		for _, name := range slices.Sorted(maps.Keys(d.Fields)) {
			if !slices.Contains(d.Fields[name].Columns(), column) {
				continue
			}
			label, found := "Id", name == mapping.IDField
			if f, ok := t.Field(name); ok {
				label, found = f.Label, f.Required && f.Default == ""
			}
			m.Fields = append(m.Fields, label)
			m.Needed = m.Needed || found ||
				slices.ContainsFunc(rules, func(rule catalog.MatchRule) bool { return slices.Contains(rule.Fields, name) })
		}
	}
	return m
}

// renamed finds the columns of a file that take the place of those that are missing:
// such as surely go to the same field and are none that the routine knows.
func renamed(c catalog.Catalog, r mapping.Routine, columns *suggest.View, list []Missing) {
	if len(list) == 0 {
		return
	}
	var targets []suggest.Target
	for _, d := range r.Drafts {
		t, _ := c.Type(d.Type)
		target := suggest.Target{Type: t}
		if len(r.Drafts) > 1 {
			target.Draft = d.Called()
		}
		targets = append(targets, target)
	}
	suggested := columns.Across(targets)
	for n := range list {
		for _, d := range r.Drafts {
			for field, o := range d.Fields {
				tells := o.When != nil && o.When.Column == list[n].Column
				if len(o.From) != 1 || o.From[0] != list[n].Column && !tells {
					continue
				}
				at := slices.IndexFunc(suggested, func(x suggest.Suggestion) bool {
					return x.Taken && x.Field == field && x.Take == o.Take && (x.When == nil) == (o.When == nil) && (x.Draft == "" || x.Draft == d.Called()) &&
						!slices.Contains(r.Columns(), x.Column) && !slices.Contains(r.Ignored, x.Column)
				})
				switch {
				case at >= 0 && tells:
					list[n].Now = suggested[at].When.Column
				case at >= 0:
					list[n].Now = suggested[at].Column
				}
			}
		}
	}
}

// fitted gives a routine as far as the columns of an import are there, columns that
// were renamed under their new names, with the drafts of what it creates where it is
// missing; ok is false when no column is there.
func fitted(c catalog.Catalog, r mapping.Routine, i store.Import) (kept mapping.Routine, ok bool) {
	there := i.Headers()
	var list []Missing
	for _, w := range r.Columns() {
		if !slices.Contains(there, w) {
			list = append(list, Missing{Column: w})
		}
	}
	renamed(c, r, suggest.NewView(i.Columns.V).Among(c), list)
	now := map[string]string{}
	for _, m := range list {
		if m.Now != "" {
			now[m.Column] = m.Now
		}
	}
	if kept, ok = r.WithColumns(now).Fitted(there); ok {
		if made, err := kept.Creating(c, i.Columns.V); err == nil { // else the plan says it
			kept = made
		}
	}
	return kept, ok
}

// mostNewValues is how many new values are told of.
const mostNewValues = 12

// newValues finds, among the most frequent values of columns whose words have
// meanings, those that the routine could not read.
func newValues(r mapping.Routine, c catalog.Catalog, i store.Import) []NewValue {
	kept, _ := r.Fitted(i.Headers())
	plan, err := mapping.NewPlan(kept, c, i.Columns.V)
	if err != nil { // it no longer fits the record types; using it says how
		return nil
	}
	var list []NewValue
	for n, dp := range plan.Drafts {
		for _, fp := range dp.Fields {
			o := kept.Drafts[n].Fields[fp.Field.Name]
			if !fp.Field.Kind().Words {
				continue
			}
			at := slices.IndexFunc(i.Columns.V, func(col sheet.Column) bool {
				return len(o.From) == 1 && o.Take == "" && o.Split == "" && o.When == nil && col.Header == o.From[0]
			})
			if at < 0 {
				continue
			}
			for _, v := range i.Columns.V[at].Top {
				if _, trouble := fp.ReadListed(v.Text); trouble.Code != "" && len(list) < mostNewValues {
					list = append(list, NewValue{Column: o.From[0], Text: v.Text})
				}
			}
		}
	}
	return list
}

// UseRoutine sets an import up by a saved routine; columns that are not there
// leave their fields without an origin. Where the routine understands cells otherwise than
// the import does by itself, the source is read again.
func (s *Service) UseRoutine(ctx context.Context, i store.Import, name string, version int, by store.Person) error {
	saved, err := s.store.Routine(ctx, i.Workspace, name)
	if err != nil {
		return err
	}
	c, err := s.store.Catalog(store.Whole(ctx), i.Workspace)
	if err != nil {
		return err
	}
	r, ok := fitted(c, saved.Document.V.Renamed(c), i)
	if !ok {
		return fault.New(fault.Invalid, "routine_does_not_fit",
			"the source has none of the columns that the routine takes").With(name).Mended("Columns of the routine: " +
			fault.Cut(strings.Join(saved.Document.V.Columns(), ", "), 300) + ".")
	}
	if err := s.SetRoutine(ctx, i, r, version, by); err != nil || i.Written {
		return err
	}
	if reading := i.Reading.V.Taught(saved.Document.V.Reading); reading != i.Reading.V {
		return s.SetReading(ctx, i, reading, by)
	}
	return nil
}
