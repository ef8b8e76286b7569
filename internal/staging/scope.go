package staging

import (
	"context"
	"errors"
	"fmt"
	"hash/fnv"
	"maps"
	"slices"
	"strings"
	"time"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/matching"
	"uchi/internal/pgcopy"
	"uchi/internal/schema"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
)

// A check of all rows can be brought up to date for some of them: these, and
// those that they are coupled with, are checked by themselves, in tables of
// their own, and then take their places in the tables of the whole.

// mostCoupled is how many rows a check of some rows takes on; a check of all is
// as quick for more.
const mostCoupled = 20_000

// mostSteps is over how many rows a coupling is followed, each the next one's, and longestWalk
// for how long, once there were fewSteps: a check of all is quicker than to walk a longer
// chain row by row.
const (
	mostSteps   = 100
	fewSteps    = 3
	longestWalk = 3 * time.Second
)

var stepCoupled = step{
	does:  "finds the rows that are coupled with some rows",
	reads: "draft aside matches repeats became candidates settled verdicts",
}

// Coupled gives rows with all those that are coupled with them by the check that
// holds and the answers given since: for the same record, with the same key,
// repeats of one another, rows that one may be the same as, parents and children,
// and what links to or from them. ok is false when they are too many, or when no
// check holds.
func (r *Room) Coupled(ctx context.Context, i store.Import, plan *mapping.Plan, c catalog.Catalog,
	rows []int64) (all []int64, ok bool, err error) {
	k, ok := r.holding(i, plan, c)
	if !ok {
		return nil, false, nil
	}
	return k.coupledWith(ctx, k, rows)
}

// CoupledNow gives the rows of a check of some rows with all those that are coupled
// with them by what it has found, which need not be what the whole has said of
// them: their cells may have changed.
func (k *Check) CoupledNow(ctx context.Context) (all []int64, ok bool, err error) {
	return k.whole.coupledWith(ctx, k, k.rows)
}

// coupledWith gives rows with all that are coupled with them by the check k of all
// rows; what the rows themselves say is taken from the check now.
func (k *Check) coupledWith(ctx context.Context, now *Check, rows []int64) (all []int64, ok bool, err error) {
	seen := map[int64]bool{}
	for _, row := range rows {
		seen[row] = true
	}
	began := time.Now()
	for step, next := 0, rows; len(next) > 0; step++ {
		if len(seen) > mostCoupled || step > mostSteps || step > fewSteps && time.Since(began) > longestWalk {
			return nil, false, nil
		}
		var parts []string
		for n, d := range k.drafts {
			sql, _, err := d.coupled(now.drafts[n]).compose(d.word)
			if err != nil {
				return nil, false, fmt.Errorf("%s: %w", stepCoupled.does, err)
			}
			parts = append(parts, sql)
		}
		found, err := k.room.pool.Query(ctx, strings.Join(parts, " union "),
			pgx.StrictNamedArgs{"rows": next, "import": k.i.ID})
		if err != nil {
			return nil, false, fmt.Errorf("%s: %w", stepCoupled.does, err)
		}
		list, err := pgx.CollectRows(found, pgx.RowTo[int64])
		if isGone(err) {
			return nil, false, nil
		}
		if err != nil {
			return nil, false, fmt.Errorf("%s: %w", stepCoupled.does, err)
		}
		next = next[:0:0]
		for _, row := range list {
			if !seen[row] {
				seen[row] = true
				next = append(next, row)
			}
		}
		now = k // of the rows that have come
	}
	return slices.Sorted(maps.Keys(seen)), true, nil
}

// coupled is the query of the rows that are next to the rows @rows in a draft;
// what these say themselves stands in the tables of the check now.
func (k *draftCheck) coupled(now *draftCheck) stmt {
	parts := []string{
		// For the same record, found or answered.
		`select b.row_no from {matches_now} a join {matches} b on b.record_id = a.record_id where a.row_no = any(@rows)`,
		`select b.row_no from answers a join {matches} b on b.record_id = a.record_id where a.import = @import
			and a.draft = {name} and a.row_no = any(@rows)`,
		`select b.row_no from answers a join answers b on b.import = a.import and b.draft = a.draft
			and b.record_id = a.record_id
			where a.import = @import and a.draft = {name} and a.row_no = any(@rows)`,
		`select a.other_row from answers a where a.import = @import and a.draft = {name} and a.row_no = any(@rows)
			and a.other_row is not null`,
		`select a.row_no from answers a where a.import = @import and a.draft = {name} and a.other_row = any(@rows)`,
		// Repeats, and what may be one.
		`select lead from {repeats} where row_no = any(@rows)`,
		`select row_no from {repeats} where lead = any(@rows)`,
		`select other_row from {candidates} where row_no = any(@rows) and other_row is not null`,
		`select row_no from {candidates} where other_row = any(@rows)`,
		`select other_row from {settled} where row_no = any(@rows) and other_row is not null`,
		`select row_no from {settled} where other_row = any(@rows)`,
		// What stands for what, parents and children among them.
		`select other_row from {verdicts} where row_no = any(@rows) and other_row is not null`,
		`select row_no from {verdicts} where other_row = any(@rows)`,
	}
	if k.becoming() {
		parts = append(parts,
			`select -record_id from {became} where row_no = any(@rows) and record_id < 0`,
			`select row_no from {became} where -record_id = any(@rows)`)
	}
	parts = append(parts, k.meetRows(now)...)
	if town, ok := k.sameTown(now); ok {
		parts = append(parts, town)
	}
	if k.plan.Shared {
		if a, b := k.titleOf("a"), k.titleOf("b"); a != "" { // rows of one name are looked at together
			parts = append(parts, `select b.row_no from {draft_now} a join {draft} b on `+b+` = `+a+`
				where a.row_no = any(@rows) and `+a+` <> ''`)
		}
	}
	for _, fields := range k.equals() {
		var same []string
		for _, name := range fields {
			if form, ok := k.plainForm(name); ok {
				same = append(same, fmt.Sprintf(form, "b")+` = `+fmt.Sprintf(form, "a"))
			}
		}
		if len(same) == 0 {
			continue
		}
		parts = append(parts, `select b.row_no from {draft_now} a join {draft} b on `+strings.Join(same, " and ")+`
			where a.row_no = any(@rows)`)
	}
	return q(strings.Join(parts, " union "), frag{"matches_now": now.table("matches"), "draft_now": now.table("draft")})
}

// plainForm is the SQL, with a place for the alias of the rows, of the form in which
// a rule compares a field between rows, references as they were given; ok is false
// for what is another draft of the row, by which rows are coupled already.
func (k *draftCheck) plainForm(name string) (sql string, ok bool) {
	fp := k.field(name)
	switch {
	case fp == nil || fp.Draft >= 0:
		return "", false
	case fp.Field.Kind().Form == catalog.LinkForm:
		return `coalesce(` + schema.Column(fp.Field, "%[1]s") + `::text, %[1]s.` + textColumn(name) + `)`, true
	case fp.Field.Normalised():
		return `%[1]s.` + schema.Key(name), true
	}
	return `lower(` + schema.Text(fp.Field, schema.Column(fp.Field, "%[1]s")) + `)`, true
}

// equals lists the fields by which rows are for one record when they are equal in
// all of them: each key, and those that a rule compares exactly.
func (k *draftCheck) equals() (list [][]string) {
	for _, fp := range k.plan.Fields {
		if fp.Field.Key {
			list = append(list, []string{fp.Field.Name})
		}
	}
	for _, rule := range k.plan.Rules {
		if len(rule.Fields) > 0 && !byID(rule) {
			list = append(list, rule.Fields)
		}
	}
	return list
}

// NewPartialCheck prepares a check of some rows, which brings the check that holds
// up to date; ok is false when none does.
func (r *Room) NewPartialCheck(run store.Run, i store.Import, plan *mapping.Plan, c catalog.Catalog,
	rows []int64) (k *Check, ok bool) {
	whole, ok := r.holding(i, plan, c)
	if !ok {
		return nil, false
	}
	k = r.NewCheck(run, i, plan, c)
	k.whole, k.rows = whole, rows
	return k, true
}

// among is the SQL of a table of the draft as it stands for all rows: of a check of
// some, its own rows beside the others of the whole.
func (k *draftCheck) among(part string) string { return k.amongAs(part, `{`+part+`}`) }

// amongAs is among with the SQL of the check's own table.
func (k *draftCheck) amongAs(part, own string) string {
	if k.whole == nil {
		return own
	}
	return `(select * from ` + k.whole.drafts[k.n].table(part) + `
		where row_no not in (select unnest(` + numbers(k.rows) + `)) union all select * from ` + own + `)`
}

// joinAmong is the SQL that joins the row of a number, given as SQL, of a table of the draft as it
// stands for all rows. Of a check of some rows each is looked up by itself: the server takes it
// for better to go through all of them.
func (k *draftCheck) joinAmong(part, alias, row string) string {
	if k.whole == nil {
		return `join {` + part + `} ` + alias + ` on ` + alias + `.row_no = ` + row
	}
	return `cross join lateral (select x.* from ` + k.among(part) + ` x where x.row_no = ` + row + ` limit 1) ` + alias
}

// everyLink is the SQL of the links of the draft as they stand for all texts.
func (k *draftCheck) everyLink() string {
	own := k.table("links")
	if k.whole == nil {
		return own
	}
	return `(select * from ` + k.whole.drafts[k.n].table("links") + ` w where not exists (select from ` + own +
		` o where o.field = w.field and o.lookup = w.lookup) union all select * from ` + own + `)`
}

// Outside gives the rows outside those of a check of some rows that must be checked
// with them after all: what is compared of a row by likeness has changed, or
// whether it has found a record, and the others have as much in common with it,
// before or now, as candidates have. ok is false when a row is compared where the
// whole check had no reason to compare any.
func (k *Check) Outside(ctx context.Context) (rows []int64, ok bool, err error) {
	return k.outside(ctx, func(d *draftCheck) (blocks []int32, ok bool, err error) {
		if d.keysOf == 0 {
			return nil, true, nil
		}
		whole := k.whole.drafts[d.n]
		var compared bool
		err = k.room.pool.QueryRow(ctx, `select exists (select from `+whole.table("keys")+`)`).Scan(&compared)
		if err != nil || !compared {
			return nil, false, err
		}
		query, _, err := q(`
			with old as (select * from {whole} where row_no in (select unnest({rows}))),
			touched as (
				select n.blocks as now, o.blocks as before
				from {keys} n full join old o on o.row_no = n.row_no
				where n.values is distinct from o.values
					or exists (select from {matches} m where m.row_no = n.row_no) <> exists (select from {was_found} m
					where m.row_no = n.row_no)
			)
			select unnest(now) from touched union select unnest(before) from touched`,
			frag{"whole": whole.table("keys"), "was_found": whole.table("matches"), "rows": numbers(k.rows)}).compose(d.word)
		if err != nil {
			return nil, false, err
		}
		found, err := k.room.pool.Query(ctx, query)
		if err != nil {
			return nil, false, err
		}
		blocks, err = pgx.CollectRows(found, pgx.RowTo[int32])
		return blocks, true, err
	})
}

// Expected gives the rows of which Outside would say so, as far as can be told of
// what was typed of the rows that were touched, before anything is looked up.
func (k *Check) Expected(ctx context.Context, touched []int64) ([]int64, error) {
	rows, _, err := k.outside(ctx, func(d *draftCheck) (blocks []int32, ok bool, err error) {
		var c *matching.Comparer
		for _, rule := range d.plan.Rules {
			if len(rule.Alike) > 0 {
				c = matching.NewComparer(d.plan.Type, rule.Alike)
			}
		}
		var cols []string
		for n, f := range c.Fields {
			text := `coalesce(` + schema.Text(f, schema.Column(f, "d")) + `, '')`
			if f.Kind().Form == catalog.LinkForm || d.field(f.Name) == nil {
				text = d.expectedLink(f, `w.values[`+schema.Int(n+1)+`]`)
			}
			cols = append(cols, text)
		}
		query, _, err := q(`
			select w.values, array[{now}]::text[] from {draft} d join {whole} w on w.row_no = d.row_no
			where d.row_no in (select unnest({rows})) and cardinality(w.values) = {fields}`,
			frag{"now": list(cols), "whole": k.whole.drafts[d.n].table("keys"), "rows": numbers(touched),
				"fields": schema.Int(len(cols))}).compose(d.word)
		if err != nil {
			return nil, false, err
		}
		err = pgcopy.Out(ctx, k.room.reading, query, func(f [][]byte) error {
			before, now := pgcopy.TextsOf(f[0], nil), pgcopy.TextsOf(f[1], nil)
			if slices.Equal(before, now) {
				return nil
			}
			for _, values := range [][]string{before, now} {
				subject := c.Prepare(values)
				blocks = append(blocks, c.Blocks(&subject)...)
			}
			return nil
		})
		return blocks, true, err
	})
	return rows, err
}

// expectedLink is the SQL of what is compared of a reference of draft d, of which before is what
// was: what it points to is not looked up yet, but when another draft of the row names it, and
// names it otherwise now, it is that.
func (k *draftCheck) expectedLink(f catalog.Field, before string) string {
	fp := k.field(f.Name)
	if fp == nil || fp.Draft < 0 || f.ComparedAs() != catalog.AsEmployer {
		return before
	}
	target := k.Check.drafts[fp.Draft]
	for _, name := range target.plan.Type.Title {
		if target.field(name) == nil {
			return before
		}
	}
	mark := schema.Literal(matching.EmployerMark)
	title := `(select ` + schema.TitleText(target.plan.Type, "e") + ` from ` + target.table("draft") + ` e where e.row_no = d.row_no)`
	return `case when ` + title + ` = split_part(` + before + `, ` + mark + `, 2) then ` + before +
		` else '-' || d.row_no || ` + mark + ` || ` + title + ` end`
}

// outside gives the rows outside those of the check that share blocking keys,
// which blocksOf gives for each draft, as candidates do.
func (k *Check) outside(ctx context.Context, blocksOf func(d *draftCheck) (blocks []int32, ok bool, err error)) (rows []int64,
	ok bool, err error) {
	seen := map[int64]bool{}
	for n, d := range k.drafts {
		if d.likenessRules() == "" {
			continue
		}
		blocks, ok, err := blocksOf(d)
		if err != nil {
			return nil, false, fmt.Errorf("%s: %w", stepCoupled.does, err)
		}
		if !ok {
			return nil, false, nil
		}
		if len(blocks) == 0 {
			continue
		}
		whole := k.whole.drafts[n].table("keys")
		indexed, err := k.room.indexed(ctx, whole)
		if err != nil {
			return nil, false, err
		}
		holders := `(select x.row_no, x.b from (select row_no, unnest(blocks) as b from ` + whole + `) x
			where x.b in (select b from blocks))`
		if indexed {
			rare, err := d.rareBlocks(ctx, "b.b")
			if err != nil {
				return nil, false, err
			}
			holders = `(select h.row_no, b.b from blocks b cross join lateral (select w.row_no from ` + whole + ` w
				where w.blocks @> array[b.b] limit ` + schema.Int(mostSharing) + ` + 1) h where ` + rare + `)`
		}
		found, err := k.room.pool.Query(ctx, `
			with blocks as materialized (select distinct unnest(@blocks::integer[]) as b),
			reached as (
				select x.row_no, x.b, count(*) over (partition by x.b) as n
				from `+holders+` x
			)
			select distinct row_no from reached
			where n <= @sharing and not row_no = any(@rows)`,
			pgx.StrictNamedArgs{"blocks": blocks, "sharing": mostSharing, "rows": k.rows})
		if err != nil {
			return nil, false, fmt.Errorf("%s: %w", stepCoupled.does, err)
		}
		list, err := pgx.CollectRows(found, pgx.RowTo[int64])
		if err != nil {
			return nil, false, fmt.Errorf("%s: %w", stepCoupled.does, err)
		}
		for _, row := range list {
			seen[row] = true
		}
	}
	return slices.Sorted(maps.Keys(seen)), true, nil
}

var stepMerge = step{
	does: "lets rows that were checked again take their places",
	writes: "left problems asked offered shifts draft aside links settled matches questions candidates repeats became " +
		"verdicts keys moved waits numbers",
}

// Merge puts what a check of some rows has found in the place of what the whole
// check has said of them, and gives what the whole says now. It is for the end of
// the run. Nothing is counted or ordered anew but these rows.
func (k *Check) Merge(ctx context.Context, tx pgx.Tx) (Found, error) {
	do := func(word vocabulary, statements ...stmt) error {
		_, err := k.room.carryOut(ctx, tx, k.run, stepMerge, word, statements)
		return err
	}
	which := `row_no in (select unnest(` + numbers(k.rows) + `))`
	swap := func(into, from string) []stmt {
		return []stmt{
			q(`delete from {into} where {which}`, frag{"into": into, "which": which}),
			q(`insert into {into} select * from {from}`, frag{"into": into, "from": from}),
		}
	}
	was, err := k.whole.foundOf(ctx, tx, which)
	if err != nil {
		return Found{}, err
	}
	// How many rows of a verdict stand before an anchor shifts.
	first := k.whole.drafts[0]
	now := k.drafts[0].table("verdicts")
	err = do(first.word,
		q(`create unlogged table if not exists {shifts} (word text collate "C" not null, row_no bigint not null, by integer not null)`),
		q(`insert into {shifts} (word, row_no, by)
			select word, row_no, sum(by)
			from (
				select row_verdict as word, row_no, -1 as by from {verdicts} where {which}
				union all
				select row_verdict, row_no, 1 from {now}
			) x group by word, row_no having sum(by) <> 0`, frag{"which": which, "now": now}))
	if err != nil {
		return Found{}, err
	}
	for _, part := range []string{"left", "problems", "asked", "offered"} {
		if err := do(k.whole.word, swap("{"+part+"}", k.table(part))...); err != nil {
			return Found{}, err
		}
	}
	for n, d := range k.whole.drafts {
		from := k.drafts[n]
		parts := []string{"draft", "aside", "settled", "matches", "questions", "candidates", "repeats", "verdicts"}
		if d.becoming() {
			parts = append(parts, "became")
		}
		if d.likenessRules() != "" {
			if err := from.mergeOften(ctx, tx); err != nil {
				return Found{}, err
			}
			parts = append(parts, "keys")
		}
		if d.plan.Dated() {
			parts = append(parts, "moved")
		}
		if d.waiting() {
			parts = append(parts, "waits")
		}
		if d.dials() {
			parts = append(parts, "numbers")
		}
		for _, part := range parts {
			if err := do(d.word, swap("{"+part+"}", from.table(part))...); err != nil {
				return Found{}, err
			}
		}
		err := do(d.word,
			q(`delete from {links} l using {from} f where l.field = f.field and l.lookup = f.lookup`,
				frag{"from": from.table("links")}),
			q(`insert into {links} select * from {from}`, frag{"from": from.table("links")}))
		if err != nil {
			return Found{}, err
		}
	}
	for _, d := range k.whole.drafts {
		if _, err := k.room.carryOut(ctx, tx, k.run, stepGone, d.word, d.goneFrom()); err != nil {
			return Found{}, err
		}
	}
	if k.i.Totals.V == nil || slices.ContainsFunc(k.plan.Drafts,
		func(dp *mapping.DraftPlan) bool { return dp.May == mapping.Delete }) {
		return k.whole.found(ctx, tx) // what refers to deleted records is not counted by row
	}
	is, err := k.whole.foundOf(ctx, tx, which)
	if err != nil {
		return Found{}, err
	}
	return Found{Totals: k.i.Totals.V.Changed(was.Totals, is.Totals), Digest: k.i.Digest ^ was.Digest ^ is.Digest}, nil
}

// MostUnready is up to how many rows an import need not be made ready for mending:
// it is looked through as quickly.
const MostUnready = 20_000

// ReadyForMending makes ready what lets a few rows of a large check be checked
// again, and a text be found, at once: indexes that a load has no use for, and the
// texts of the rows in one piece. It is done beside everything else.
func (r *Room) ReadyForMending(ctx context.Context, i store.Import, plan *mapping.Plan, c catalog.Catalog) error {
	if err := r.readyTexts(ctx, i); err != nil {
		return err
	}
	k, ok := r.holding(i, plan, c)
	if !ok {
		return nil
	}
	var list, keys []string
	var failed []error
	some := func(table, columns, where string) {
		name := schema.Ident(fmt.Sprintf("%s_%x", strings.Trim(table[strings.LastIndexByte(table, '.')+1:], `"`),
			fnvOf(columns+where)))
		list = append(list, `create index if not exists `+name+` on `+table+` (`+columns+`)`+where)
	}
	index := func(table, columns string) { some(table, columns, "") }
	for _, d := range k.drafts {
		for _, part := range []string{"aside", "settled", "questions", "candidates", "repeats"} {
			index(d.table(part), "row_no")
		}
		index(d.table("matches"), "record_id")
		index(d.table("repeats"), "lead")
		index(d.table("candidates"), "other_row")
		some(d.table("verdicts"), "other_row", ` where other_row is not null`)
		if d.becoming() {
			index(d.table("became"), "(-record_id)")
		}
		if d.plan.Shared {
			if title := d.titleOf("b"); title != "" {
				index(d.table("draft"), `(`+strings.ReplaceAll(title, "b.", "")+`)`)
			}
		}
		if d.likenessRules() != "" {
			index(d.table("keys"), "row_no")
			index(d.table("keys"), "said")
			keys = append(keys, indexKeys(d.table("keys"), ""))
			if err := d.makeOften(ctx); err != nil && !isGone(err) {
				failed = append(failed, fmt.Errorf("make ready for mending: %w", err))
			}
		}
		for _, fp := range d.plan.Fields {
			if fp.Rows >= 0 { // by what its texts name among the rows
				index(d.table("draft"), textColumn(fp.Field.Name))
				index(d.table("draft"), namedColumn(fp.Field.Name))
				some(d.table("draft"), "row_no", ` where `+formsColumn(fp.Field.Name)+` is not null`)
			}
		}
		if p, ok := d.placed(); ok && d.dials() {
			index(p.draft.table("draft"), `lower(`+p.town+`)`)
		}
		for _, fields := range d.equals() {
			// Dates as text cannot be indexed: how they are written is a setting of the server.
			if form, ok := d.plainForm(fields[0]); ok && (d.field(fields[0]).Field.Normalised() ||
				d.field(fields[0]).Field.Kind().Form == catalog.LinkForm) {
				index(d.table("draft"), `(`+strings.ReplaceAll(fmt.Sprintf(form, "x"), "x.", "")+`)`)
			}
		}
	}
	index(k.table("left"), "row_no")
	for _, sql := range append(list, keys...) { // what takes longest at last
		if _, err := r.pool.Exec(ctx, sql); err != nil && !isGone(err) {
			failed = append(failed, fmt.Errorf("make ready for mending, by %s: %w", sql, err))
		}
	}
	return errors.Join(failed...) // each helps without the others
}

func fnvOf(s string) uint32 {
	h := fnv.New32a()
	h.Write([]byte(s)) //nolint:errcheck // never fails
	return h.Sum32()
}
