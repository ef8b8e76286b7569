package work

import (
	"context"

	"uchi/internal/core/catalog"
	"uchi/internal/core/view"
	"uchi/internal/store"
)

// Look chooses records of a type: those of a saved view, narrowed and shown otherwise
// as wished.
type Look struct {
	SavedView int64 // 0 is all records
	View      view.View
	Text      string
	Import    int64
}

// Looking gives a look as what the store is asked for. The filter of a saved view and
// that of the look both hold; columns and order of the look go before those of the view.
func (s *Service) Looking(ctx context.Context, workspace string, l Look, by store.Person) (store.RecordFilter, error) {
	f := store.RecordFilter{View: l.View, Text: l.Text, Import: l.Import}
	if l.SavedView == 0 {
		return f, nil
	}
	saved, err := s.store.SavedView(ctx, workspace, l.SavedView, by.ID)
	if err != nil {
		return f, err
	}
	v := saved.View.V
	switch {
	case v.Filter != "" && f.Filter != "":
		f.Filter = "(" + v.Filter + ") && (" + f.Filter + ")"
	case v.Filter != "":
		f.Filter = v.Filter
	}
	if len(f.Columns) == 0 {
		f.Columns = v.Columns
	}
	if len(f.Sort) == 0 {
		f.Sort = v.Sort
	}
	return f, nil
}

// FilterReading is what a filter says, in both its forms, and how many records it
// chooses.
type FilterReading struct {
	Filter     string
	Conditions []view.Condition
	Plain      bool // the conditions say all of it
	Count      int64
}

// ReadFilter reads a filter, or writes one from conditions when the text is empty, and
// counts what it chooses.
func (s *Service) ReadFilter(ctx context.Context, workspace, typeName string, l Look, conditions []view.Condition,
	by store.Person) (r FilterReading, err error) {
	c, t, err := s.typeOf(ctx, workspace, typeName)
	if err != nil {
		return r, err
	}
	if len(conditions) > 0 {
		if l.View.Filter, err = view.Write(c, t, conditions); err != nil {
			return r, err
		}
	}
	node, err := view.Filter(c, t, l.View.Filter)
	if err != nil {
		return r, err
	}
	r.Filter = l.View.Filter
	r.Conditions, r.Plain = view.Conditions(c, node)
	f, err := s.Looking(ctx, workspace, l, by)
	if err != nil {
		return r, err
	}
	r.Count, err = s.store.CountChosen(ctx, workspace, typeName, f)
	return r, err
}

// SaveView keeps a record view, as a new one when its id is 0; one that cannot be
// shown is refused.
func (s *Service) SaveView(ctx context.Context, workspace string, v store.SavedView,
	by store.Person) (store.SavedView, error) {
	c, t, err := s.typeOf(ctx, workspace, v.Type)
	if err != nil {
		return v, err
	}
	if _, err := view.Read(c, t, v.View.V); err != nil {
		return v, err
	}
	return s.store.SaveView(ctx, workspace, v, by)
}

// Trouble says what keeps a view from being shown, such as a field that has been
// retired since; nil when nothing does.
func Trouble(c catalog.Catalog, v store.SavedView) error {
	t, err := c.MustType(v.Type)
	if err == nil {
		_, err = view.Read(c, t, v.View.V)
	}
	return err
}

// RemoveView forgets a record view.
func (s *Service) RemoveView(ctx context.Context, workspace string, id int64, by store.Person) error {
	return s.store.RemoveView(ctx, workspace, id, by)
}
