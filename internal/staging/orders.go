package staging

import (
	"context"
	"fmt"
	"slices"
	"strconv"

	"uchi/internal/core/catalog"
	"uchi/internal/core/sheet"
	"uchi/internal/core/value"
	"uchi/internal/pgcopy"
	"uchi/internal/schema"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
)

// The order of the rows of an import by what stands in a column is made when it is
// first asked for: a key for each row (see value.Orderer), which changes with the
// cells. What says nothing stands last either way.

// RowOrder is the order in which rows are looked at; the zero value is that of the
// source.
type RowOrder struct {
	By   *sheet.Column // nil is the number of the row
	Down bool          // the last comes first
}

// orderTable names the table of the places of rows by a column.
func orderTable(i store.Import, position int) string {
	return table(i.ID, *i.CellsRun, orderPart+strconv.Itoa(position))
}

const orderPart = "order_"

// sql is the SQL by which rows s of a table of places are ordered.
func (o RowOrder) sql() string {
	if o.Down {
		return `s.blank, s.key desc, s.row_no`
	}
	return `s.blank, s.key, s.row_no`
}

// orderer makes the keys of a column's texts.
func orderer(i store.Import, by sheet.Column) *value.Orderer {
	s := value.Settings{DecimalSign: by.DecimalSign, Guessed: true, DateOrder: value.DateOrder(by.DateOrder)}
	if d := i.Reading.V.DecimalSign; d != "" {
		s.DecimalSign, s.Guessed = d, false
	}
	if d := i.Reading.V.DateOrder; d != "" {
		s.DateOrder = value.DateOrder(d)
	}
	holds := catalog.Text
	switch by.Guess {
	case "number":
		holds = catalog.Decimal
	case "date":
		holds = catalog.Date
	}
	return value.NewOrderer(holds, s)
}

// readyOrder makes the places of all rows by a column, unless they are there. Cells do
// not change meanwhile.
func (r *Room) readyOrder(ctx context.Context, i store.Import, o RowOrder) error {
	cells, ok := cellsOf(i)
	if !ok {
		return errNotStaged
	}
	name := orderTable(i, o.By.Position)
	if there, err := r.there(ctx, name); err != nil || there {
		return err
	}
	making := func() error {
		return pgx.BeginFunc(ctx, r.pool, func(tx pgx.Tx) error {
			if _, err := tx.Exec(ctx, `select pg_advisory_xact_lock(hashtextextended($1, 0))`, name); err != nil {
				return err
			}
			if there, err := r.there(ctx, name); err != nil || there {
				return err
			}
			if _, err := tx.Exec(ctx, `lock table `+cells+` in share mode`); err != nil {
				return err
			}
			return r.fillOrder(ctx, tx, i, *o.By, cells, name)
		})
	}
	if err := r.Trying(ctx, making); err != nil {
		if isGone(err) {
			return err
		}
		return fmt.Errorf("put rows in order: %w", err)
	}
	if i.Rows > MostUnready { // else each row is looked up to see whether it is still there
		if _, err := r.pool.Exec(ctx, `vacuum `+name); err != nil && !isGone(err) {
			return fmt.Errorf("put rows in order: %w", err)
		}
	}
	return nil
}

// fillOrder fills the table of places while a transaction keeps the cells as they are.
func (r *Room) fillOrder(ctx context.Context, tx pgx.Tx, i store.Import, by sheet.Column, cells, name string) error {
	inside := func(ctx context.Context, f func(conn *pgx.Conn) error) error {
		return pgx.BeginFunc(ctx, r.pool, func(tx pgx.Tx) error {
			if _, err := tx.Exec(ctx, `create unlogged table `+name+
				` (row_no bigint not null, blank boolean not null, key bytea not null)`); err != nil {
				return err
			}
			if err := f(tx.Conn()); err != nil {
				return err
			}
			for _, sql := range []string{
				`alter table ` + name + ` add primary key (row_no)`,
				`create index on ` + name + ` (blank, key, row_no)`,
				`create index on ` + name + ` (blank, key desc, row_no)`,
				`analyze ` + name,
			} {
				if _, err := tx.Exec(ctx, sql); err != nil {
					return err
				}
			}
			return nil
		})
	}
	order := orderer(i, by)
	out := pgcopy.Into(ctx, inside, name, []string{"row_no", "blank", "key"})
	here := func(_ context.Context, f func(conn *pgx.Conn) error) error { return f(tx.Conn()) }
	err := pgcopy.Out(ctx, here, `select c.row_no, c.cells[`+schema.Int(by.Position+1)+`] from `+cells+` c`,
		func(fields [][]byte) error {
			key := order.Key(string(fields[1]))
			out.Row(3)
			out.Int64(pgcopy.Int64Of(fields[0]))
			out.Bool(len(key) == 0)
			out.Text(string(key))
			return out.Flush()
		})
	return out.End(err)
}

// mostMoved is up to how many rows find their new places one by one when their cells
// change; of more, the orders are made again when they are asked for.
const mostMoved = 20_000

// changeOrders lets the places of rows follow their cells, where they are kept; the
// cells that changed stand in the temporary table edited.
func (r *Room) changeOrders(ctx context.Context, tx pgx.Tx, i store.Import) error {
	word, ok := r.rows(i)
	if !ok {
		return nil
	}
	type kept struct {
		Position int   `db:"position"`
		Moved    int64 `db:"moved"`
	}
	begins := fmt.Sprintf("i%d_r%d_%s", i.ID, *i.CellsRun, orderPart)
	orders, err := collect[kept](ctx, tx, word, q(`
		select o.position, count(*) as moved
		from (select substring(tablename from length(@begins::text) + 1)::int as position from pg_tables
		where schemaname = 'staging' and starts_with(tablename, @begins)) o
		join edited e on e.place = o.position
		group by 1`, arg{"begins": begins}))
	if err != nil {
		return fmt.Errorf("put changed rows in order: %w", err)
	}
	for _, o := range orders {
		name := orderTable(i, o.Position)
		at := slices.IndexFunc(i.Columns.V, func(c sheet.Column) bool { return c.Position == o.Position })
		if at < 0 || o.Moved > mostMoved {
			if _, err := tx.Exec(ctx, `drop table `+name); err != nil {
				return fmt.Errorf("put changed rows in order: %w", err)
			}
			continue
		}
		by := i.Columns.V[at]
		type cell struct {
			Row  int64  `db:"row_no"`
			Text string `db:"text"`
		}
		list, err := collect[cell](ctx, tx, word, q(`select e.row_no, e.value as text from edited e
			where e.place = @place`, arg{"place": by.Position}))
		if err != nil {
			return fmt.Errorf("put changed rows in order: %w", err)
		}
		order := orderer(i, by)
		var rows []int64
		var keys [][]byte
		for _, c := range list {
			rows, keys = append(rows, c.Row), append(keys, append([]byte{}, order.Key(c.Text)...))
		}
		if _, err := tx.Exec(ctx, `update `+name+
			` s set key = x.key, blank = x.key = '' from unnest($1::bigint[], $2::bytea[]) x (row_no, key) where x.row_no = s.row_no`, rows, keys); err != nil {
			return fmt.Errorf("put changed rows in order: %w", err)
		}
	}
	return nil
}

// ordered is the SQL of the numbers of the rows that a filter chooses, in an order, from
// a place on.
func (f RowFilter) ordered(i store.Import, o RowOrder, args arg) string {
	from := orderTable(i, o.By.Position) + ` s`
	if f != (RowFilter{}) {
		from += ` join (select x.row_no from ` + f.chosen(args) + `) y on y.row_no = s.row_no`
	}
	return `select s.row_no from ` + from + ` order by ` + o.sql() + ` offset @offset limit @limit`
}
