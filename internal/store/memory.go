package store

import (
	"context"
	"fmt"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/suggest"
	"uchi/internal/core/value"
	"uchi/internal/schema"

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
		on conflict (workspace, type, header) do update set field = excluded.field, chosen_at = now()`, workspace,
		typeName, headers, fields)
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
	if err := s.db.SelectContext(ctx, &list, `select type, header, field from header_choices where workspace = $1`,
		workspace); err != nil {
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

// Named tells of each text whether it names a record of a type that is there: by the whole
// title, in either order of a person's name, by a key that is telling, or, of those who own records, by the
// first name or the initials.
func (s *Store) Named(ctx context.Context, workspace string, t catalog.RecordType, texts []string) ([]bool, error) {
	var at []int64
	var title, key []string
	var telling []bool
	forms := value.NewNamer(t, value.Settings{})
	for n, text := range texts {
		if text = value.Trim(text); text == "" || len(text) > longestNamed {
			continue
		}
		at, title, key, telling = append(at, int64(n)), append(title, value.TitleKey(t, text)), append(key, ""),
			append(telling, false)
		for _, form := range forms.Forms(text) {
			at, title, key, telling = append(at, int64(n)), append(title, ""), append(key, form),
				append(telling, value.Telling(text))
		}
	}
	records := schema.Records(workspace, t.Name)
	hits := []string{`exists (select from ` + records + ` r where x.title <> '' and r.` + schema.Title + ` = x.title)`}
	for _, f := range t.Fields {
		if f.Key && (f.Type == catalog.Email || f.Type == catalog.Text) {
			hits = append(hits, `x.telling and exists (select from `+records+` r where x.key <> '' and r.`+schema.Key(f.Name)+
				` = x.key)`)
		}
	}
	if t.InUse != "" {
		hits = append(hits, `x.title in (select split_part(`+schema.Title+`, ' ', 1) from `+records+`)`,
			`x.title in (select `+schema.InitialsOf(schema.Title)+` from `+records+`)`)
	}
	var found []int64
	err := s.db.SelectContext(ctx, &found, `
		select distinct x.n from unnest($1::bigint[], $2::text[], $3::text[], $4::boolean[]) x (n, title, key, telling)
		where (x.title <> '' or x.key <> '') and (`+strings.Join(hits, " or ")+`)`, at, title, key, telling)
	if err != nil {
		return nil, fmt.Errorf("look names up: %w", err)
	}
	named := make([]bool, len(texts))
	for _, n := range found {
		named[n] = true
	}
	return named, nil
}

// longestNamed is how long a text may be to be looked up as a name.
const longestNamed = 200
