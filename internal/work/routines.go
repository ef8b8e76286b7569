package work

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
	"uchi/internal/store"
)

// SaveRoutine keeps a routine under a name of its own. A version above 0 is that
// which the change was made on.
func (s *Service) SaveRoutine(ctx context.Context, workspace string, r mapping.Routine, version int, by store.Person) (store.SavedRoutine, error) {
	c, err := s.store.Catalog(ctx, workspace)
	if err != nil {
		return store.SavedRoutine{}, err
	}
	r.Name = strings.TrimSpace(r.Name)
	if r.Name == "" || len(r.Name) > 100 {
		return store.SavedRoutine{}, fault.New(fault.Invalid, "bad_name", "a routine needs a name of at most 100 characters").At(fault.Place{Path: "name"}).With(r.Name)
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
	Missing []string
	New     []string
	Values  []NewValue // that the routine does not know what to make of
}

// NewValue is a value that stands in a column and means nothing to a routine.
type NewValue struct {
	Column string
	Text   string
}

// leastShare is how much of a routine's columns a file must have to be recognised.
const leastShare = 0.6

// Recognise finds the saved routines that an import may have been made for,
// best first.
func (s *Service) Recognise(ctx context.Context, i store.Import) ([]Recognised, error) {
	saved, err := s.store.Routines(ctx, i.Workspace)
	if err != nil {
		return nil, err
	}
	c, err := s.store.Catalog(ctx, i.Workspace)
	if err != nil {
		return nil, err
	}
	there := headers(i)
	var list []Recognised
	for _, r := range saved {
		wanted := r.Document.V.Columns()
		rec := Recognised{Name: r.Name, Type: r.Type}
		for _, w := range wanted {
			if !slices.Contains(there, w) {
				rec.Missing = append(rec.Missing, w)
			}
		}
		for _, h := range there {
			if !slices.Contains(wanted, h) && !slices.Contains(r.Document.V.Ignored, h) {
				rec.New = append(rec.New, h)
			}
		}
		if len(wanted) > 0 {
			rec.Share = 1 - float64(len(rec.Missing))/float64(len(wanted))
		}
		if rec.Share >= leastShare {
			rec.Values = newValues(r.Document.V, c, i)
			list = append(list, rec)
		}
	}
	slices.SortStableFunc(list, func(a, b Recognised) int {
		return cmp.Or(cmp.Compare(b.Share, a.Share), cmp.Compare(len(a.New), len(b.New)))
	})
	return list, nil
}

// mostNewValues is how many new values are told of.
const mostNewValues = 12

// newValues finds, among the most frequent values of columns whose words have
// meanings, those that the routine could not read.
func newValues(r mapping.Routine, c catalog.Catalog, i store.Import) []NewValue {
	kept, _ := r.Fitted(headers(i))
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
				return len(o.From) == 1 && o.Take == "" && o.Split == "" && col.Header == o.From[0]
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
// leave their fields without an origin.
func (s *Service) UseRoutine(ctx context.Context, i store.Import, name string, version int, by store.Person) error {
	saved, err := s.store.Routine(ctx, i.Workspace, name)
	if err != nil {
		return err
	}
	r := saved.Document.V
	if kept, ok := r.Fitted(headers(i)); ok {
		r = kept
	} else {
		return fault.New(fault.Invalid, "routine_does_not_fit", "the source has none of the columns that the routine takes").With(name).Mended("Columns of the routine: " + fault.Cut(strings.Join(saved.Document.V.Columns(), ", "), 300) + ".")
	}
	return s.SetRoutine(ctx, i, r, version, by)
}
