package store

import (
	"context"
	"fmt"

	"uchi/internal/core/suggest"

	"github.com/jackc/pgx/v5"
)

// Remember keeps which field was chosen for each header of a record type, for
// the change of an act.
func Remember(ctx context.Context, tx pgx.Tx, workspace, typeName string, chosen suggest.Memory) error {
	var headers, fields []string
	for h, f := range chosen {
		if h != "" {
			headers, fields = append(headers, h), append(fields, f)
		}
	}
	_, err := tx.Exec(ctx, `
		insert into header_choices (workspace, type, header, field)
		select $1, $2, h, f from unnest($3::text[], $4::text[]) x (h, f)
		on conflict (workspace, type, header) do update set field = excluded.field, chosen_at = now()`, workspace, typeName, headers, fields)
	if err != nil {
		return fmt.Errorf("remember headers: %w", err)
	}
	return nil
}

// Memories gives what was chosen for headers before, by record type.
func (s *Store) Memories(ctx context.Context, workspace string) (map[string]suggest.Memory, error) {
	var list []struct {
		Type   string `db:"type"`
		Header string `db:"header"`
		Field  string `db:"field"`
	}
	if err := s.db.SelectContext(ctx, &list, `select type, header, field from header_choices where workspace = $1`, workspace); err != nil {
		return nil, fmt.Errorf("read remembered headers: %w", err)
	}
	all := map[string]suggest.Memory{}
	for _, x := range list {
		if all[x.Type] == nil {
			all[x.Type] = suggest.Memory{}
		}
		all[x.Type][x.Header] = x.Field
	}
	return all, nil
}
