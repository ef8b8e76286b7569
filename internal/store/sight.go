package store

import (
	"context"
	"slices"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/rights"
)

type sightKey struct{}

// SeenAs gives a context in which everything is read with the eyes of a role: record
// types lack the fields that are kept from it, and imports come with a veil. Without
// it, as in jobs, all is seen.
func SeenAs(ctx context.Context, r rights.Role) context.Context {
	return context.WithValue(ctx, sightKey{}, r)
}

// Whole gives a context in which all is seen again: for what is decided and written,
// never for what is shown.
func Whole(ctx context.Context) context.Context { return SeenAs(ctx, "") }

// sightOf is the role with whose eyes is looked; ok is false when all is seen.
func sightOf(ctx context.Context) (r rights.Role, ok bool) {
	r, _ = ctx.Value(sightKey{}).(rights.Role)
	return r, r != "" && r != rights.Administrator
}

// Catalog reads the record types of a workspace, as who looks sees them.
func (s *Store) Catalog(ctx context.Context, workspace string) (catalog.Catalog, error) {
	c, err := s.catalog(ctx, workspace)
	if r, limited := sightOf(ctx); limited {
		c = c.SeenBy(r)
	}
	return c, err
}

// veil covers what is kept of imports from who looks.
func (s *Store) veil(ctx context.Context, workspace string, list ...*Import) error {
	r, limited := sightOf(ctx)
	if !limited || len(list) == 0 {
		return nil
	}
	c, err := s.catalog(ctx, workspace)
	if err != nil {
		return err
	}
	for _, i := range list {
		if i.Routine.V == nil {
			continue
		}
		i.Veil = mapping.NewVeil(*i.Routine.V, c, i.Headers(), r)
		i.Columns.V = slices.Clone(i.Columns.V)
		for _, n := range i.Veil.Columns {
			col := &i.Columns.V[n]
			col.Nothing, col.Top, col.Samples, col.Shapes = nil, nil, nil, nil
		}
		if t := i.Trouble.V; i.Veil.Covers() && t != nil && t.Value != "" {
			kept := *t
			kept.Value = catalog.Masked
			i.Trouble.V = &kept
		}
	}
	return nil
}
