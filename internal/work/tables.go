package work

import (
	"context"
	"fmt"
	"slices"

	"uchi/internal/core/fault"
	"uchi/internal/core/sheet"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
)

// A sheet may hold several tables, one below the other. An import reads one of them; where the
// next begins, its notices tell.

// TableBelow gives the header row of the table that begins below that of an import, 0 for none,
// and the words above it.
func TableBelow(i store.Import) (header int64, title string) {
	n := slices.IndexFunc(i.Notices.V, func(n sheet.Notice) bool { return n.Code == sheet.AnotherTable })
	if n < 0 {
		return 0, ""
	}
	return i.Notices.V[n].Row, i.Notices.V[n].Title
}

// ImportBelow makes an import of the table that begins below that of an import, in the bundle of
// that when it has one. Where there is one already it gives that.
func (s *Service) ImportBelow(ctx context.Context, i store.Import, into string, by store.Person) (store.Import, error) {
	var none store.Import
	if err := MustSee(i); err != nil {
		return none, err
	}
	header, _ := TableBelow(i)
	if header == 0 {
		return none, fault.New(fault.Conflict, "no_table_below", "no other table was seen below that of the import").
			Mended("Say where the one that you mean begins: upload the file again with --header-row.")
	}
	if i.CleanedAt != nil {
		return none, fault.New(fault.Conflict, "no_longer_kept",
			"the source of the import is no longer kept").Mended("Upload the file again.")
	}
	n := below(i)
	n.Into, n.By = into, by.ID
	if into != "" {
		c, err := s.store.Catalog(store.Whole(ctx), i.Workspace)
		if err != nil {
			return none, err
		}
		if _, err := c.MustType(into); err != nil {
			return none, err
		}
	}
	if i.Bundle != nil {
		b, err := s.store.Bundle(ctx, i.Workspace, *i.Bundle)
		if err != nil {
			return none, err
		}
		if openBundle(b, "take further tables") != nil {
			n.Bundle = nil // what was loaded as one stays as it is
		}
	}
	id, err := s.store.AddBelow(ctx, i, n, s.enqueue)
	if err != nil {
		return none, err
	}
	return s.store.Import(ctx, i.Workspace, id)
}

// takeBelow takes the table below that of an import of a bundle into the bundle, as all of a file
// is taken that comes in one.
func (s *Service) takeBelow(ctx context.Context, tx pgx.Tx, i store.Import) error {
	if header, _ := TableBelow(i); header == 0 || i.Bundle == nil || i.Written {
		return nil
	}
	there, err := store.CountBundleIn(ctx, tx, *i.Bundle)
	if err != nil || there >= MostMembers {
		return err
	}
	_, err = store.AddBelowIn(ctx, tx, i, below(i), s.enqueue)
	return err
}

// below is the import of the table below that of an import: of the same part of the source, with
// what was said of its dialect and its values.
func below(i store.Import) store.NewImport {
	header, title := TableBelow(i)
	r := i.Reading.V
	r.HeaderRow, r.NoHeader, r.FirstRow, r.LastRow = header, false, 0, 0
	if title == "" {
		title = fmt.Sprintf("row %d", header)
	}
	part := sheet.Part{File: r.File, Sheet: r.Sheet}
	return store.NewImport{Workspace: i.Workspace, Name: fault.Cut(part.Called(i.FileName)+sheet.Within+title, 200),
		Source: i.Source, Reading: r, Bundle: i.Bundle, By: i.MadeBy}
}
