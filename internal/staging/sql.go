package staging

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"go.opentelemetry.io/otel/attribute"
	"go.opentelemetry.io/otel/trace"
)

// SQL is written as texts in which {word} stands for a table, a column or a
// rule: a piece of SQL that is said in one place and has a name. A word may
// have a parameter, the alias of the rows that it is about: {unsettled d}.
// Values stand as @name.

// frag gives further words to one statement.
type frag map[string]string

// arg gives the values of one statement.
type arg map[string]any

// stmt is a statement before its words are replaced.
type stmt struct {
	text  string
	words frag
	args  arg
}

// q makes a statement of a text, with further words and values.
func q(text string, with ...any) stmt {
	s := stmt{text: text, words: frag{}, args: arg{}}
	for _, w := range with {
		switch w := w.(type) {
		case frag:
			for k, v := range w {
				s.words[k] = v
			}
		case arg:
			for k, v := range w {
				s.args[k] = v
			}
		}
	}
	return s
}

// vocabulary gives the SQL of a word, and whether it names a table.
type vocabulary func(word string) (sql string, isTable, ok bool)

// compose replaces the words of a text and tells which tables it names.
func (s stmt) compose(lookup vocabulary) (sql string, tables []string, err error) {
	var b strings.Builder
	rest := s.text
	for {
		before, after, found := strings.Cut(rest, "{")
		b.WriteString(before)
		if !found {
			return b.String(), tables, nil
		}
		word, behind, closed := strings.Cut(after, "}")
		if !closed || !isWord(word) { // braces of SQL itself, as in '{}'
			b.WriteByte('{')
			rest = after
			continue
		}
		rest = behind
		if own, ok := s.words[word]; ok {
			// A word of the statement's own may hold words itself.
			sql, more, err := stmt{text: own, words: s.words}.compose(lookup)
			if err != nil {
				return "", nil, err
			}
			b.WriteString(sql)
			tables = append(tables, more...)
			continue
		}
		sql, isTable, ok := lookup(word)
		if !ok {
			return "", nil, fmt.Errorf("SQL has no word {%s}", word)
		}
		if isTable {
			b.WriteString(sql)
			tables = append(tables, word)
			continue
		}
		inner, more, err := stmt{text: sql, words: s.words}.compose(lookup)
		if err != nil {
			return "", nil, err
		}
		b.WriteString(inner)
		tables = append(tables, more...)
	}
}

func isWord(s string) bool {
	return s != "" && s[0] >= 'a' && s[0] <= 'z' && strings.Trim(s, "abcdefghijklmnopqrstuvwxyz_0123456789 ") == ""
}

// step is one piece of the work on an import, with the tables that it reads and
// writes, by their words, parted by spaces.
type step struct {
	does   string
	reads  string
	writes string
}

// allows reports whether the step has said that it touches a table.
func (s step) allows(table string) bool {
	return slices.Contains(strings.Fields(s.reads), table) || slices.Contains(strings.Fields(s.writes), table)
}

// conn is the connection on which the steps of a run are done, one transaction
// for each.
type conn struct {
	room *Room
	run  store.Run
	pg   *pgxpool.Conn
}

// stepSettings are the settings of the server for the steps of a run: the memory
// that one operation may use before it goes to disk (the hash tables of a million
// rows), that a second core is worth its while from a few thousand rows on,
// where the server's own settings have it wait for millions, and that a step does not wait
// for the disk: what it stages is made anew after a crash, and the end of the run, which
// says that it is there, does wait for all before it.
var stepSettings = []struct{ name, value string }{
	{"work_mem", "192MB"},
	{"parallel_setup_cost", "200"},
	{"parallel_tuple_cost", "0.01"},
	{"min_parallel_table_scan_size", "1MB"},
	{"synchronous_commit", "off"},
}

// withConn runs f with a connection for the steps of a run.
func (r *Room) withConn(ctx context.Context, run store.Run, f func(c *conn) error) error {
	return r.pool.AcquireFunc(ctx, func(pg *pgxpool.Conn) error {
		var set, reset string
		for _, s := range stepSettings {
			set += `set ` + s.name + ` = '` + s.value + `';`
			reset += `reset ` + s.name + `;`
		}
		if _, err := pg.Exec(ctx, set, pgx.QueryExecModeSimpleProtocol); err != nil {
			return err
		}
		//nolint:errcheck // the connection is thrown away when this fails
		defer pg.Exec(context.WithoutCancel(ctx), reset, pgx.QueryExecModeSimpleProtocol)
		return f(&conn{room: r, run: run, pg: pg})
	})
}

// do carries out the statements of a step in one transaction, and gives how many
// rows the last one touched.
func (c *conn) do(ctx context.Context, st step, lookup vocabulary, statements ...stmt) (touched int64, err error) {
	err = pgx.BeginFunc(ctx, c.pg, func(tx pgx.Tx) error {
		if err := store.Guard(ctx, tx, c.run); err != nil {
			return err
		}
		touched, err = c.room.carryOut(ctx, tx, c.run, st, lookup, statements)
		return err
	})
	return touched, err
}

// carryOut runs the statements of a step within a transaction.
func (r *Room) carryOut(ctx context.Context, tx pgx.Tx, run store.Run, st step, lookup vocabulary,
	statements []stmt) (touched int64, err error) {
	if r.failAt != nil {
		if err := r.failAt(st.does); err != nil {
			return 0, err
		}
	}
	for _, s := range statements {
		if s.text == "" {
			continue
		}
		sql, tables, err := s.compose(lookup)
		if err != nil {
			return 0, fmt.Errorf("%s: %w", st.does, err)
		}
		if r.strict {
			for _, t := range tables {
				if !st.allows(t) {
					return 0, fmt.Errorf("the step %q touches {%s} and does not say so, in: %s", st.does, t, s.text)
				}
			}
		}
		began := time.Now()
		// The simple protocol takes values in any statement, also in those that
		// make tables.
		tag, err := tx.Exec(ctx, sql, pgx.QueryExecModeSimpleProtocol, pgx.StrictNamedArgs(s.args))
		if err != nil {
			return 0, fmt.Errorf("%s: %w", st.does, err)
		}
		touched = tag.RowsAffected()
		r.note(run, st.does, began, s.text)
		if span := trace.SpanFromContext(ctx); span.IsRecording() {
			_, step := span.TracerProvider().Tracer("uchi/internal/staging").Start(ctx, st.does, trace.WithTimestamp(began),
				trace.WithAttributes(attribute.Int64("uchi.rows", touched)))
			step.End()
		}
	}
	return touched, nil
}
