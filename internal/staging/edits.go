package staging

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/sheet"
	"uchi/internal/core/suggest"
	"uchi/internal/core/value"
	"uchi/internal/pgcopy"
	"uchi/internal/schema"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
)

// Cell is a cell of an import with what it is to say.
type Cell struct {
	Row   int64
	Place int // of the column, counted from 0
	Value string
}

// The temporary table edited holds the cells that an act changes: row_no, place,
// value, and was, what they say before. stepEdits fills and uses it.
var stepEdits = step{does: "changes cells", reads: "cells results verdicts problems asked replaced brought",
	writes: "cells"}

func (r *Room) edit(ctx context.Context, tx pgx.Tx, i store.Import, statements ...stmt) (int64, error) {
	word, ok := r.rows(i)
	if !ok {
		return 0, errNotStaged
	}
	return r.carryOut(ctx, tx, store.Run{Import: i.ID}, stepEdits, word, statements)
}

// Edit changes cells, for the change of an act, and gives how many differ now. A
// row that is settled is not changed: it gives an error that names the row.
func (r *Room) Edit(ctx context.Context, tx pgx.Tx, i store.Import, cells []Cell, by int64) (int64, error) {
	rows, places, values := make([]int64, len(cells)), make([]int32, len(cells)), make([]string, len(cells))
	for n, c := range cells {
		rows[n], places[n], values[n] = c.Row, int32(c.Place), c.Value
	}
	if err := r.openFor(ctx, tx, i, rows); err != nil {
		return 0, err
	}
	return r.change(ctx, tx, i, q(`insert into edited (row_no, place, value)
		select distinct on (row_no, place) row_no, place, value
		from unnest(@rows::bigint[], @places::int[], @values::text[]) with ordinality x (row_no, place, value, n)
		order by row_no, place, n desc`, arg{"rows": rows, "places": places, "values": values}), by)
}

// openFor gives an error when a row is not there, or settled.
func (r *Room) openFor(ctx context.Context, tx pgx.Tx, i store.Import, rows []int64) error {
	cells, ok := cellsOf(i)
	if !ok {
		return errNotStaged
	}
	type found struct {
		Row   int64 `db:"row_no"`
		There bool  `db:"there"`
	}
	list, err := collect[found](ctx, tx, nil, q(`
		select x.row_no, c.row_no is not null as there
		from unnest(@rows::bigint[]) x (row_no) left join `+cells+` c on c.row_no = x.row_no
		where c.row_no is null or `+settledRow(resultsTable(i.ID), "x")+` order by 1 limit 1`, arg{"rows": rows}))
	if err != nil {
		return fmt.Errorf("look for rows: %w", err)
	}
	switch {
	case len(list) == 0:
		return nil
	case !list[0].There:
		return fault.New(fault.NotFound, "unknown_row",
			"the sheet has no such row").At(fault.Place{Row: list[0].Row}).With(fmt.Sprint(list[0].Row))
	}
	return fault.New(fault.Conflict, "row_settled",
		"the row was loaded, so its cells no longer change").At(fault.Place{Row: list[0].Row}).
		Mended("Change its record, or take the load of the row back first.")
}

// TakeBack makes cells say again what their source does: of some rows, of one
// column, or with neither of all. It gives how many there were.
func (r *Room) TakeBack(ctx context.Context, tx pgx.Tx, i store.Import, rows []int64, place int,
	by int64) (int64, error) {
	return r.change(ctx, tx, i, q(`insert into edited (row_no, place, value)
		select row_no, place, was from edits
		where import = @import and (cardinality(@rows::bigint[]) = 0 or row_no = any(@rows))
		and (@place < 0 or place = @place)`,
		arg{"import": i.ID, "rows": append([]int64{}, rows...), "place": place}), by)
}

// change carries out the change of cells that a statement puts into edited.
func (r *Room) change(ctx context.Context, tx pgx.Tx, i store.Import, fill stmt, by int64) (int64, error) {
	_, err := r.edit(ctx, tx, i,
		q(`create temp table edited (row_no bigint not null, place int not null, was text, value text not null)
			on commit drop`),
		fill,
		q(`update edited e set was = coalesce(c.cells[e.place + 1], '') from {cells} c where c.row_no = e.row_no`),
		q(`delete from edited e where e.was is null or e.was = e.value or `+settledRow(resultsTable(i.ID), "e")),
		q(`analyze edited`))
	if err != nil {
		return 0, err
	}
	var n int64
	if err := tx.QueryRow(ctx, `select count(*) from edited`).Scan(&n); err != nil || n == 0 {
		return 0, err
	}
	if err := store.KeepEdits(ctx, tx, i.ID, by); err != nil {
		return 0, err
	}
	if _, err = r.edit(ctx, tx, i, setCells("edited")); err != nil {
		return 0, err
	}
	if err := r.changeTexts(ctx, tx, i); err != nil {
		return 0, err
	}
	return n, r.changeOrders(ctx, tx, i)
}

// setCells is the statement that makes cells say what a table (row_no, place,
// value) has for them.
func setCells(from string) stmt {
	return q(`
		update {cells} c set cells = x.cells
		from (
			select c.row_no, (
				select array_agg(coalesce(r.said[array_position(r.places, n - 1)], c.cells[n], '') order by n)
				from generate_series(1, greatest(cardinality(c.cells), r.last + 1)) n
			) as cells
			from (
				select row_no, max(place) as last, array_agg(place) as places, array_agg(value) as said
				from {from} y group by row_no
			) r join {cells} c on c.row_no = r.row_no
		) x
		where x.row_no = c.row_no`, frag{"from": from})
}

// mostNear is how many records are compared with a text that names none.
const mostNear = 3000

// NearRecords gives records of a type whose title is near a text, the nearest
// first: those that begin alike, and those that have its longest word.
func (r *Room) NearRecords(ctx context.Context, workspace string, t catalog.RecordType, text string,
	most int) ([]store.Link, error) {
	key := value.TitleKey(t, text)
	if key == "" {
		return nil, nil
	}
	longest := ""
	for w := range strings.FieldsSeq(key) {
		if len(w) > len(longest) {
			longest = w
		}
	}
	initials := ""
	if short := strings.ReplaceAll(key, " ", ""); len(short) < 5 && !namesCompany(t) {
		initials = short
	}
	beginning := []rune(key)
	type found struct {
		ID    int64  `db:"id"`
		Title string `db:"title"`
	}
	list, err := collect[found](ctx, r.pool,
		func(string) (string, bool, bool) { return schema.Records(workspace, t.Name), true, true }, q(`
		with near as (
			(select x.id from {records} x where x.{key} like @beginning limit @most)
			union
			(select x.id from {records} x where x.{key} like @word limit @most / 10)
			union
			select x.id from (select * from {records} where @initials <> '' order by id limit @most) x where {first} = @initials
		)
		select x.id, {title} as title from near n join {records} x on x.id = n.id`,
			frag{"key": schema.Title, "title": schema.TitleText(t, "x"), "first": `regexp_replace(x.` + schema.Title +
				`, '([^ ])[^ ]* ?', '\1', 'g')`},
			arg{"initials": initials, "beginning": store.LikeEscape(string(beginning[:min(3, len(beginning))])) + "%",
				"word": "%" + store.LikeEscape(longest) + "%", "most": mostNear}))
	if err != nil {
		return nil, fmt.Errorf("look for near names: %w", err)
	}
	near := map[int64]float64{}
	for _, x := range list {
		near[x.ID] = suggest.Nearness(text, x.Title)
		if initials != "" && initials == suggest.Initials(x.Title) {
			near[x.ID] = max(near[x.ID], nearInitials)
		}
	}
	slices.SortFunc(list, func(a, b found) int {
		return cmp.Or(cmp.Compare(near[b.ID], near[a.ID]), cmp.Compare(a.ID, b.ID))
	})
	var out []store.Link
	for _, x := range list[:min(most, len(list))] {
		if near[x.ID] >= leastNear {
			out = append(out, store.Link{Type: t.Name, ID: t.RecordID(x.ID), Title: x.Title})
		}
	}
	return out, nil
}

// leastNear is how near a title must be to be offered, and nearInitials how near one
// is of which the text is the initials.
const (
	leastNear    = 0.5
	nearInitials = 0.9
)

// Replacement is what is found in a column, and what it becomes.
type Replacement struct {
	Place  int // of the column, counted from 0
	Rows   RowFilter
	Change func(text string) string // gives the text itself where nothing is found
	Above  *Above                   // nil where Change says what cells become
}

// Above says which cells of a column take what the next cell above says that is none of them and
// not blank: those that say a text, any of the rows that are chosen, or those that are blank.
type Above struct {
	Says string // blank cells, when it is empty
	Any  bool   // whatever they say
}

// aboves is the SQL of the cells that take what stands above them: row_no, was and value.
func (x Replacement) aboves(i store.Import, args arg) stmt {
	found := `btrim(coalesce(c.cells[{n}], '')) = ''`
	switch {
	case x.Above.Any:
		found = `true`
	case x.Above.Says != "":
		found, args["says"] = `coalesce(c.cells[{n}], '') = @says`, x.Above.Says
	}
	return q(`
		select row_no, text as was, value
		from (
			select row_no, text, found, first_value(text) over (partition by part order by row_no) as value
			from (
				select row_no, text, found, count(*) filter (where not found and btrim(text) <> '') over (order by row_no) as part
				from (
					select c.row_no, coalesce(c.cells[{n}], '') as text, `+found+` and ({cond}) as found
					from {cells} c {said}
				) said
			) parted
			where part > 0
		) filled
		where found and value <> text and not {settled}`,
		frag{"n": schema.Int(x.Place + 1), "cond": x.Rows.cond(args), "settled": settledRow(resultsTable(i.ID), "filled")},
		args)
}

// Replaced is a text of a column with what it becomes.
type Replaced struct {
	Was, Value string
	Count      int64
}

// EachReplaced streams the different texts of a column that a replacement
// changes, in rows that are not settled, the most frequent first.
func (r *Room) EachReplaced(ctx context.Context, i store.Import, x Replacement, each func(Replaced) error) error {
	word, ok := r.rows(i)
	if !ok {
		return errNotStaged
	}
	args := arg{}
	texts := q(`
		select coalesce(c.cells[{n}], '') as text, '' as value, count(*) as count
		from {cells} c {said} where {cond} and not {settled}
		group by 1 order by 3 desc, 1`,
		frag{"n": schema.Int(x.Place + 1), "cond": x.Rows.cond(args), "settled": settledRow(resultsTable(i.ID), "c")})
	if x.Above != nil {
		args = arg{}
		cells, _, err := x.aboves(i, args).compose(word)
		if err != nil {
			return err
		}
		texts = q(`select was, value, count(*) from ({cells_above}) x group by 1, 2 order by 3 desc, 1, 2`,
			frag{"cells_above": cells})
	}
	sql, _, err := texts.compose(word)
	if err != nil {
		return err
	}
	rows, err := r.pool.Query(ctx, sql, pgx.StrictNamedArgs(args))
	if err != nil {
		return fmt.Errorf("look through the column: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		var text, now string
		var count int64
		if err := rows.Scan(&text, &now, &count); err != nil {
			return fmt.Errorf("look through the column: %w", err)
		}
		if x.Above == nil {
			now = x.Change(text)
		}
		if now != text {
			if err := each(Replaced{Was: text, Value: now, Count: count}); err != nil {
				return err
			}
		}
	}
	return rows.Err()
}

// StageReplaced stages what a replacement changes, by a run that stands beside
// the import's own; Replace then makes it so.
func (r *Room) StageReplaced(ctx context.Context, run store.Run, i store.Import, x Replacement) error {
	name := table(i.ID, run.ID, "replaced")
	if _, err := r.pool.Exec(ctx, `create unlogged table `+name+` (was text not null, value text not null)`); err != nil {
		return fmt.Errorf("stage what is replaced: %w", err)
	}
	out := pgcopy.Into(ctx, r.onConn(run), name, []string{"was", "value"})
	err := r.EachReplaced(ctx, i, x, func(rep Replaced) error {
		out.Row(2)
		out.Text(rep.Was)
		out.Text(rep.Value)
		return out.Flush()
	})
	return out.End(err)
}

// Replace makes the cells say what a run has staged, for the change of an act.
func (r *Room) Replace(ctx context.Context, tx pgx.Tx, run store.Run, i store.Import, x Replacement,
	by int64) (int64, error) {
	args := arg{"place": x.Place}
	if x.Above != nil {
		word, ok := r.rows(i)
		if !ok {
			return 0, errNotStaged
		}
		cells, _, err := x.aboves(i, args).compose(word)
		if err != nil {
			return 0, err
		}
		return r.change(ctx, tx, i, q(`insert into edited (row_no, place, value) select row_no, @place, value
			from ({cells_above}) x`,
			frag{"cells_above": cells}, args), by)
	}
	return r.change(ctx, tx, i, q(`insert into edited (row_no, place, value)
		select c.row_no, @place, f.value
		from {cells} c {said} join {replaced} f on f.was = coalesce(c.cells[{n}], '')
		where {cond}`,
		frag{"n": schema.Int(x.Place + 1), "cond": x.Rows.cond(args), "replaced": table(i.ID, run.ID, "replaced")}, args), by)
}

// Brought stages the rows of a sheet that comes back, by a run that stands beside
// the import's own.
type Brought struct {
	room *Room
	run  store.Run
	i    store.Import
	out  *pgcopy.In
}

// StageBrought begins to stage rows that come back.
func (r *Room) StageBrought(ctx context.Context, run store.Run, i store.Import) (*Brought, error) {
	name := table(i.ID, run.ID, "brought")
	if _, err := r.pool.Exec(ctx, `create unlogged table `+name+
		` (sheet_row bigint not null, row_no bigint not null, cells text[] not null)`); err != nil {
		return nil, fmt.Errorf("stage what comes back: %w", err)
	}
	return &Brought{r, run, i, pgcopy.Into(ctx, r.onConn(run), name, []string{"sheet_row", "row_no", "cells"})}, nil
}

// Add stages one row, with the number of the import's row whose place it takes.
func (b *Brought) Add(row sheet.Row, number int64) error {
	b.out.Row(3)
	b.out.Int64(row.Number)
	b.out.Int64(number)
	b.out.Texts(row.Cells)
	return b.out.Flush()
}

// End finishes the staging, or gives it up when failed is not nil.
func (b *Brought) End(failed error) error { return b.out.End(failed) }

// LeftRow is a row of a sheet that came back and was not taken over.
type LeftRow struct {
	Row int64  `db:"sheet_row"`
	Why string `db:"why"`
}

// Left lists rows that cannot be taken over: a row that the import does not have,
// that was loaded, or that comes twice.
func (b *Brought) Left(ctx context.Context) ([]LeftRow, error) {
	cells, ok := cellsOf(b.i)
	if !ok {
		return nil, errNotStaged
	}
	return collect[LeftRow](ctx, b.room.pool, nil, q(`
		select sheet_row, case
				when c.row_no is null then 'the import has no row ' || x.row_no
				when `+settledRow(resultsTable(b.i.ID), "x")+` then 'row ' || x.row_no || ' was loaded already'
				else 'row ' || x.row_no || ' comes twice; the last one counts'
			end as why
		from (
			select *, sheet_row <> max(sheet_row) over (partition by row_no) as twice from `+table(b.i.ID, b.run.ID, "brought")+`
		) x left join `+cells+` c on c.row_no = x.row_no
		where c.row_no is null or twice or `+settledRow(resultsTable(b.i.ID), "x")+`
		order by sheet_row`))
}

// TakeOver makes the cells say what the sheet does that came back, for the change
// of an act. At says for each column of the import, counted from 0, where it
// stands in the sheet; columns that are not there stay as they are.
func (b *Brought) TakeOver(ctx context.Context, tx pgx.Tx, at map[int]int, by int64) (int64, error) {
	var places, columns []int32
	for place, column := range at {
		places, columns = append(places, int32(place)), append(columns, int32(column+1))
	}
	return b.room.change(ctx, tx, b.i, q(`insert into edited (row_no, place, value)
		select x.row_no, m.place, coalesce(x.cells[m.at], '')
		from (select distinct on (row_no) * from {brought} order by row_no, sheet_row desc) x
		cross join unnest(@places::int[], @columns::int[]) m (place, at)
		join {cells} c on c.row_no = x.row_no
		where coalesce(x.cells[m.at], '') <> coalesce(c.cells[m.place + 1], '')`,
		frag{"brought": table(b.i.ID, b.run.ID, "brought")}, arg{"places": places, "columns": columns}), by)
}
