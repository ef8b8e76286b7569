package store

import (
	"context"
	"fmt"

	"uchi/internal/core/suggest"
)

// Remember keeps which field was chosen for each header of a record type.
func (s *Store) Remember(ctx context.Context, workspace, typeName string, chosen suggest.Memory) error {
	var headers, fields []string
	for h, f := range chosen {
		if h != "" {
			headers, fields = append(headers, h), append(fields, f)
		}
	}
	_, err := s.pool.Exec(ctx, `insert into header_choices (workspace, type, header, field) select $1, $2, h, f from unnest($3::text[], $4::text[]) x (h, f)
		on conflict (workspace, type, header) do update set field = excluded.field, chosen_at = now()`, workspace, typeName, headers, fields)
	if err != nil {
		return fmt.Errorf("remember headers: %w", err)
	}
	return nil
}

// Memory gives what was chosen for headers of a record type before.
func (s *Store) Memory(ctx context.Context, workspace, typeName string) (suggest.Memory, error) {
	var list []struct {
		Header string `db:"header"`
		Field  string `db:"field"`
	}
	if err := s.db.SelectContext(ctx, &list, `select header, field from header_choices where workspace = $1 and type = $2`, workspace, typeName); err != nil {
		return nil, fmt.Errorf("read remembered headers: %w", err)
	}
	m := suggest.Memory{}
	for _, x := range list {
		m[x.Header] = x.Field
	}
	return m, nil
}
