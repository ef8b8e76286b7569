package store

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/value"
	"uchi/internal/core/view"
	"uchi/internal/schema"
)

// CopyRecords writes the records that a filter chooses as delimited text (RFC 4180
// but for the delimiter), as the server makes it: the id with the version first, then
// the columns of the view. Texts that a spreadsheet program would take for formulas
// are guarded as value.Guard does. There is no header.
func (s *Store) CopyRecords(ctx context.Context, workspace, typeName string, f RecordFilter, delimiter, mark string,
	w io.Writer) error {
	q, err := s.recordSQL(ctx, workspace, typeName, f)
	if err != nil {
		return err
	}
	q.plain = true
	cells := []string{schema.RecordID(q.t, "r.id") + ` || ` + schema.Literal(mark) + ` || r.version`}
	for _, p := range q.shown.Columns {
		cells = append(cells, q.guarded(p))
	}
	where, order := q.where(), inOrder(q.order())
	conn, err := s.pool.Acquire(ctx)
	if err != nil {
		return fmt.Errorf("write records: %w", err)
	}
	defer conn.Release()
	out := bufio.NewWriterSize(w, 1<<18) // the server sends row by row
	_, err = conn.Conn().PgConn().CopyTo(ctx, out, `copy (select `+strings.Join(cells, ", ")+q.from()+where+
		"\n order by "+order+
		`) to stdout (format csv, delimiter `+schema.Literal(delimiter)+`)`)
	if err == nil {
		err = out.Flush()
	}
	if err != nil {
		return fmt.Errorf("write records: %w", err)
	}
	return nil
}

// guarded is the SQL of a cell; only texts that people write freely can be taken for a formula.
func (q *recordSQL) guarded(p view.Path) string {
	text := q.text(p)
	if p.Field.Kind().Form != catalog.TextForm && p.Field.Kind().Form != catalog.ListForm {
		return text
	}
	var signs strings.Builder
	for _, c := range value.FormulaSigns {
		if c != '-' { // which numbers begin with as well
			fmt.Fprintf(&signs, ` when %d then '''' || %s`, c, text)
		}
	}
	number := `case when ` + text + ` ~ '^-[0-9.]+$' then ` + text + ` else '''' || ` + text + ` end`
	return `case ascii(` + text + `)` + signs.String() + ` when ascii('-') then ` + number + ` else ` + text + ` end`
}
