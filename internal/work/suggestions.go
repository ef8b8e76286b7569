package work

import (
	"context"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
	"uchi/internal/core/suggest"
	"uchi/internal/store"
)

// Suggested is what the columns of an import seem to be.
type Suggested struct {
	Types   []suggest.TypeSuggestion
	Columns []suggest.Suggestion
	Drafts  []suggest.DraftSuggestion // record types that the rows seem to hold beside those that they become
	// Together is a set of types that takes clearly more of the columns; without
	// types there is none.
	Together suggest.Together
	Unlike   []suggest.Unlike // columns whose cells look like something else than what they are placed on
	Opposite []string         // columns whose yes is read as no
	Home     suggest.Home     // the country of telephone numbers that name none; without one nothing tells
	// Partings are the ways in which a column can go to several fields.
	Partings []mapping.Parting
}

// Suggestions gives what the columns of an import seem to be, for a record type
// or, with none given, for the drafts that its rows make.
func (s *Service) Suggestions(ctx context.Context, i store.Import, typeName string,
	by store.Person) (Suggested, error) {
	var out Suggested
	c, err := s.store.Catalog(store.Whole(ctx), i.Workspace)
	if err != nil {
		return out, err
	}
	c = c.Offered()
	memory, err := s.memories(ctx, i.Workspace)
	if err != nil {
		return out, err
	}
	views, err := s.viewsOf(ctx, i, c)
	if err != nil {
		return out, err
	}
	view := views()
	out.Types = view.Called(namesOf(i)...).Types(c, memory)
	drafts := []mapping.Draft{{Type: typeName}}
	if r := i.Routine.V; r != nil && (typeName == "" || typeName == i.Into) {
		drafts = r.Drafts
	} else if typeName == "" {
		out.Together, _ = view.Together(c, nil, memory)
		return out, nil
	}
	var targets []suggest.Target
	for _, d := range drafts {
		t, err := c.MustType(d.Type)
		if err != nil {
			return out, err
		}
		target := suggest.Target{Type: t, Memory: memory(t.Name)}
		if len(drafts) > 1 {
			target.Draft = d.Called()
		}
		targets = append(targets, target)
	}
	out.Columns = view.Across(targets)
	notToFill(out.Columns, targets, by)
	out.Drafts = view.Further(c, targets, memory)
	out.Together, _ = view.Together(c, targets, memory)
	if i.Routine.V != nil {
		if phones := phonesWithoutCountry(i.Reading.V, i.Columns.V, drafts, targets); len(phones) > 0 {
			if out.Home, err = s.homeOf(ctx, i, view, phones); err != nil {
				return out, err
			}
		}
		out.Unlike, out.Opposite = view.Unlike(targets, drafts), suggest.Opposite(targets, drafts)
		if err := s.passedBefore(ctx, c, i, out.Unlike); err != nil {
			return out, err
		}
	}
	for n, d := range drafts {
		for _, p := range mapping.Partings(targets[n].Type) {
			p.Draft = d.Called()
			out.Partings = append(out.Partings, p)
		}
	}
	return out, nil
}

// passedBefore marks the columns that were as unlike in the file that was loaded last by the routine of an import:
// what a person has let pass once passes again.
func (s *Service) passedBefore(ctx context.Context, c catalog.Catalog, i store.Import, list []suggest.Unlike) error {
	if i.Routine.V.Name == "" || len(list) == 0 {
		return nil
	}
	before, ok, err := s.store.LoadedBy(ctx, i.Workspace, i.Routine.V.Name, i.ID)
	if err != nil || !ok {
		return err
	}
	was := saidOf(unlike(c, before))
	for n, u := range saidOf(list) {
		list[n].Passed = slices.Contains(was, u)
	}
	return nil
}

// namesOf gives what the sheet of an import is called, the nearest first: what the import is
// called where that names a part of its source, the sheet of a workbook, the file of an archive,
// and what the import is called.
func namesOf(i store.Import) (names []string) {
	if strings.Contains(i.Name, sheet.Within) {
		names = append(names, i.Name)
	}
	for _, option := range []string{"sheet", "file"} {
		for _, f := range i.Findings.V {
			if f.Option == option {
				names = append(names, f.Value)
			}
		}
	}
	if file, ok := strings.CutSuffix(i.Name, sheet.Within+sheet.Objects); ok { // which says what they are
		names = append(names, file)
	}
	return append(names, i.Name)
}

// homeOf finds the country of the telephone numbers in some columns of an import that name none; where it tells
// nothing of that itself, with what the other files of its bundle tell.
func (s *Service) homeOf(ctx context.Context, i store.Import, view *suggest.View, phones []string) (suggest.Home, error) {
	home, ok := view.HomeOf(phones)
	if ok || i.Bundle == nil {
		return home, nil
	}
	beside, err := s.readBeside(ctx, i)
	if err != nil {
		return home, err
	}
	columns := slices.Clone(i.Columns.V)
	for _, o := range beside {
		columns = append(columns, o.Columns.V...)
	}
	home, _ = suggest.NewView(columns).HomeOf(phones)
	return home, nil
}

// phonesWithoutCountry gives the headers of the columns from which drafts, each with its target,
// take telephone numbers whose country neither the source nor the row tells.
func phonesWithoutCountry(reading sheet.Reading, columns []sheet.Column, drafts []mapping.Draft,
	targets []suggest.Target) (headers []string) {
	if reading.Country != "" {
		return nil
	}
	blank := func(header string) bool {
		return slices.ContainsFunc(columns, func(c sheet.Column) bool { return c.Header == header && c.Blank > 0 })
	}
	for n, d := range drafts {
		told := slices.ContainsFunc(targets[n].Type.Fields, func(f catalog.Field) bool {
			of, there := d.Fields[f.Name]
			return f.Type == catalog.Country && there && !slices.ContainsFunc(of.From, blank)
		})
		for _, f := range targets[n].Type.Fields {
			if f.Type == catalog.Phone && !told {
				headers = append(headers, d.Fields[f.Name].From...)
			}
		}
	}
	return headers
}

// mostNamed is how many texts of a column are looked up among the records.
const mostNamed = 20

// viewsOf readies the columns of an import for suggestions, as often as it is asked.
func (s *Service) viewsOf(ctx context.Context, i store.Import, c catalog.Catalog) (func() *suggest.View, error) {
	beside, err := s.readBeside(ctx, i)
	if err != nil {
		return nil, err
	}
	shares, err := s.sharesNamed(ctx, i, c, beside)
	if err != nil {
		return nil, err
	}
	pointed, err := s.pointedBeside(ctx, c, i, beside)
	if err != nil {
		return nil, err
	}
	points, err := s.pointsBeside(ctx, c, i, beside)
	if err != nil {
		return nil, err
	}
	by, err := s.store.Person(ctx, i.MadeBy)
	if err != nil {
		return nil, err
	}
	_, house, _ := strings.Cut(strings.ToLower(by.Email), "@")
	return func() *suggest.View {
		return suggest.NewView(i.Columns.V).Among(c).Naming(shares).PointedTo(pointed).Pointing(points).AtHouse(house)
	}, nil
}

// sharesNamed gives for each column of an import how many of its texts name records that the types
// of a catalog point to, or rows of other files of its bundle that become such; see View.Naming.
func (s *Service) sharesNamed(ctx context.Context, i store.Import, c catalog.Catalog,
	beside []store.Import) (map[string][]float64, error) {
	columns := i.Columns.V
	var texts, numbers []string
	isNumber := map[string]bool{} // of what another column says the names of
	for _, col := range columns {
		for _, c := range suggest.NumbersBeside(columns, col.Header) {
			isNumber[c.Header] = true
		}
	}
	for _, col := range columns {
		some := col.Samples[:min(len(col.Samples), mostNamed)]
		if texts = append(texts, some...); isNumber[col.Header] {
			numbers = append(numbers, some...)
		}
	}
	shares := map[string][]float64{}
	for _, t := range c.Types {
		pointed := slices.ContainsFunc(c.Types, func(from catalog.RecordType) bool {
			return from.Name != t.Name && slices.ContainsFunc(from.Fields, func(f catalog.Field) bool {
				return f.Type == catalog.Reference && f.To == t.Name
			})
		})
		if !pointed {
			continue
		}
		named, err := s.store.Named(ctx, i.Workspace, t, texts)
		if err != nil {
			return nil, err
		}
		rows, err := s.namedBeside(ctx, t, beside, texts, false)
		if err != nil {
			return nil, err
		}
		numbered, err := s.namedBeside(ctx, t, beside, numbers, true)
		if err != nil {
			return nil, err
		}
		shares[t.Name] = make([]float64, len(columns))
		for n, at := 0, 0; n < len(columns); n++ {
			of, found := min(len(columns[n].Samples), mostNamed), 0.0
			for range of {
				if named[at] || rows[texts[at]] || isNumber[columns[n].Header] && numbered[texts[at]] {
					found++
				}
				at++
			}
			shares[t.Name][n] = found / float64(max(1, of))
		}
	}
	return shares, nil
}

// memories reads what was chosen for headers before, of all record types.
func (s *Service) memories(ctx context.Context, workspace string) (func(typeName string) suggest.Memory, error) {
	all, err := s.store.Memories(ctx, workspace)
	if err != nil {
		return nil, err
	}
	return func(typeName string) suggest.Memory { return all[typeName] }, nil
}

// AddDraft lets the rows of an import make a further record: what is certain of
// its columns is placed, and the drafts of a row are linked.
func (s *Service) AddDraft(ctx context.Context, i store.Import, draft mapping.Draft, version int,
	by store.Person) error {
	if err := store.OnVersion(version, i.RoutineVersion, i.Name); err != nil {
		return err
	}
	c, err := s.store.Catalog(store.Whole(ctx), i.Workspace)
	if err != nil {
		return err
	}
	t, err := c.MustType(draft.Type)
	if err != nil {
		return err
	}
	memory, err := s.memories(ctx, i.Workspace)
	if err != nil {
		return err
	}
	views, err := s.viewsOf(ctx, i, c)
	if err != nil {
		return err
	}
	view := views()
	if i.Routine.V == nil { // the first
		r := suggest.Routine(t, view.Across([]suggest.Target{{Type: t, Memory: memory(t.Name)}}))
		r.Drafts[0].Name = draft.Name
		return s.SetRoutine(ctx, i, r.Fillable(c, by.Role), version, by)
	}
	r := view.WithDraft(*i.Routine.V, c, draft, memory)
	added := &r.Drafts[len(r.Drafts)-1]
	added.Fields = mapping.Routine{Drafts: []mapping.Draft{*added}}.Fillable(c, by.Role).Drafts[0].Fields
	return s.SetRoutine(ctx, i, r, version, by)
}
