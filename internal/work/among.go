package work

import (
	"context"
	"reflect"
	"slices"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/life"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
	"uchi/internal/core/suggest"
	"uchi/internal/core/value"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
)

// The files of a bundle name each other's rows by their numbers and names before any of them is a
// record: what a column points to is seen when all have been read.

// suggestAmong suggests columns anew for the imports of a bundle, once all of them have been read,
// as far as nobody has said anything of them. It is done when the last one was read, and before a
// check, should that come sooner.
func (s *Service) suggestAmong(ctx context.Context, bundle int64) error {
	imports, err := s.store.BundleImports(ctx, bundle)
	if err != nil || len(imports) < 2 ||
		slices.ContainsFunc(imports, func(i store.Import) bool { return i.Work == life.Reading }) {
		return err
	}
	for _, i := range imports {
		if !i.RoutineSuggested || i.SuggestedAmong || i.Routine.V == nil || i.State != life.Open ||
			i.Work != "" || i.Written {
			continue
		}
		if err := s.suggestAgain(ctx, i); err != nil {
			return err
		}
	}
	return s.store.NoteAmong(ctx, bundle)
}

// suggestAgain suggests the columns of an import anew, unless somebody changes them meanwhile.
func (s *Service) suggestAgain(ctx context.Context, i store.Import) error {
	c, err := s.store.Catalog(store.Whole(ctx), i.Workspace)
	if err != nil {
		return err
	}
	again := store.ReadResult{Columns: i.Columns.V, Findings: i.Findings.V}
	if err := s.firstMapping(ctx, c.Offered(), i, &again); err != nil {
		return err
	}
	owner, err := s.store.PersonIn(ctx, i.MadeBy, i.Workspace)
	if err != nil || again.Routine == nil {
		return err
	}
	r := again.Routine.Fillable(c, owner.Role)
	if reflect.DeepEqual(r.Drafts, i.Routine.V.Drafts) {
		return nil
	}
	err = s.act(ctx, i, life.ChangeRoutine, owner, "", func(ctx context.Context, tx pgx.Tx, now store.Import) error {
		if now.RoutineVersion != i.RoutineVersion {
			return nil
		}
		return store.SetSuggested(ctx, tx, now.ID, r)
	})
	if _, refused := fault.From(err); refused { // it was begun with meanwhile
		return nil
	}
	return err
}

// namedBeside tells of texts, which of them name a row of other files of the bundle that is to
// become a record of a type, by what stands in the columns of its keys and of its title; of those
// that are no numbers only such as hardly do so by chance.
func (s *Service) namedBeside(ctx context.Context, t catalog.RecordType, beside []store.Import,
	texts []string, numbers bool) (map[string]bool, error) {
	named, telling := map[string]bool{},
		slices.DeleteFunc(slices.Clone(texts), func(text string) bool { return !numbers && !value.Telling(text) })
	if len(telling) == 0 {
		return named, nil
	}
	for _, o := range beside {
		var places []int
		for _, d := range o.Routine.V.Drafts {
			if d.Type == t.Name {
				places = append(places, placesOf(o, d, t)...)
			}
		}
		if len(places) == 0 {
			continue
		}
		found, err := s.room.Holding(ctx, o, places, telling)
		if err != nil {
			return nil, err
		}
		for _, text := range found {
			named[text] = true
		}
	}
	return named, nil
}

// pointedBeside gives for each type the columns of an import that may number its rows, with the column of another file
// of the bundle that points to records of the type by what stands in them: half of what it has, or more.
func (s *Service) pointedBeside(ctx context.Context, c catalog.Catalog, i store.Import,
	beside []store.Import) (map[string]map[string]string, error) {
	pointed := map[string]map[string]string{}
	if i.Routine.V == nil {
		return pointed, nil
	}
	elsewhere := takenOtherwise(c, i) // is not read for it
	number := func(typeName string, names sheet.Column, may func(own sheet.Column) bool) error {
		for n, own := range i.Columns.V {
			if elsewhere[own.Header] || !suggest.Numbering(own) || !may(own) {
				continue
			}
			found, err := s.room.Holding(ctx, i, []int{n}, names.Samples)
			if err != nil {
				return err
			}
			if len(found) > 0 && 2*len(found) >= len(names.Samples) {
				if pointed[typeName] == nil {
					pointed[typeName] = map[string]string{}
				}
				pointed[typeName][own.Header] = names.Header
			}
		}
		return nil
	}
	for _, o := range beside {
		for _, d := range i.Routine.V.Drafts { // as its header says
			if !mayPoint(c, o, d.Type) {
				continue
			}
			for _, names := range o.Columns.V {
				called := func(own sheet.Column) bool {
					return suggest.NumbersOf(names.Header, own.Header) && !calledElsewhere(c, i, own, beside)
				}
				if err := number(d.Type, names, called); err != nil {
					return nil, err
				}
			}
		}
		for _, d := range o.Routine.V.Drafts {
			t, _ := c.Type(d.Type)
			for _, f := range t.Fields {
				from := d.Fields[f.Name].From
				at := slices.IndexFunc(o.Columns.V, func(col sheet.Column) bool { return slices.Equal(from, []string{col.Header}) })
				if f.Type != catalog.Reference || at < 0 ||
					!slices.ContainsFunc(i.Routine.V.Drafts, func(d mapping.Draft) bool { return d.Type == f.To }) {
					continue
				}
				for _, names := range append(suggest.NumbersBeside(o.Columns.V, from[0]), o.Columns.V[at]) {
					if err := number(f.To, names, func(sheet.Column) bool { return true }); err != nil {
						return nil, err
					}
				}
			}
		}
	}
	return pointed, nil
}

// takenOtherwise tells of the columns of an import, by their headers, which are taken for something else than the
// numbers of its rows.
func takenOtherwise(c catalog.Catalog, i store.Import) map[string]bool {
	otherwise := map[string]bool{}
	for _, d := range i.Routine.V.Drafts {
		t, _ := c.Type(d.Type)
		for _, f := range t.Fields {
			for _, header := range d.Fields[f.Name].From {
				otherwise[header] = otherwise[header] || !f.Key || f.Type != catalog.Text
			}
		}
	}
	return otherwise
}

// mayPoint reports whether what an import makes may point to records of a type.
func mayPoint(c catalog.Catalog, i store.Import, typeName string) bool {
	return slices.ContainsFunc(i.Routine.V.Drafts, func(d mapping.Draft) bool {
		t, _ := c.Type(d.Type)
		return slices.ContainsFunc(t.Fields, func(f catalog.Field) bool { return f.To == typeName && typeName != d.Type })
	})
}

// calledElsewhere reports whether a column of an import is called as the numbers are of another file to whose rows it
// may point: deals have the numbers of customers, and none of their own by them.
func calledElsewhere(c catalog.Catalog, i store.Import, column sheet.Column, files []store.Import) bool {
	return slices.ContainsFunc(files, func(o store.Import) bool {
		return o.ID != i.ID && slices.ContainsFunc(o.Routine.V.Drafts, func(d mapping.Draft) bool { return mayPoint(c, i, d.Type) }) &&
			slices.ContainsFunc(o.Columns.V, func(own sheet.Column) bool {
				return suggest.Numbering(own) && suggest.NumbersOf(column.Header, own.Header)
			})
	})
}

// pointsBeside gives the columns of an import that hold the numbers of rows of another file of the bundle, as their
// headers say: the record type of each.
func (s *Service) pointsBeside(ctx context.Context, c catalog.Catalog, i store.Import,
	beside []store.Import) (map[string]string, error) {
	points := map[string]string{}
	for _, o := range beside {
		if len(o.Routine.V.Drafts) != 1 || i.Routine.V == nil || !mayPoint(c, i, o.Routine.V.Drafts[0].Type) {
			continue
		}
		elsewhere := takenOtherwise(c, o)
		for n, own := range o.Columns.V {
			if elsewhere[own.Header] || !suggest.Numbering(own) || calledElsewhere(c, o, own, beside) {
				continue
			}
			for _, names := range i.Columns.V {
				if !suggest.NumbersOf(names.Header, own.Header) || len(names.Samples) == 0 {
					continue
				}
				found, err := s.room.Holding(ctx, o, []int{n}, names.Samples)
				if err != nil {
					return nil, err
				}
				if 10*len(found) >= 9*len(names.Samples) {
					points[names.Header] = o.Routine.V.Drafts[0].Type
				}
			}
		}
	}
	return points, nil
}

// placesOf gives the places of the columns from which a draft takes its keys and its title.
func placesOf(o store.Import, d mapping.Draft, t catalog.RecordType) (places []int) {
	for _, f := range t.Fields {
		from := d.Fields[f.Name].From
		if len(from) != 1 || !f.Key && !slices.Contains(t.Title, f.Name) {
			continue
		}
		if at := slices.Index(o.Headers(), from[0]); at >= 0 && !slices.Contains(places, at) {
			places = append(places, at)
		}
	}
	return places
}

// readBeside gives the other imports of the bundle of an import that have been read and placed.
func (s *Service) readBeside(ctx context.Context, i store.Import) ([]store.Import, error) {
	if i.Bundle == nil {
		return nil, nil
	}
	list, err := s.store.BundleImports(ctx, *i.Bundle)
	return slices.DeleteFunc(list, func(o store.Import) bool {
		return o.ID == i.ID || o.Routine.V == nil || o.CellsRun == nil
	}), err
}
