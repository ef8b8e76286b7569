package store

import (
	"context"
	"fmt"
	"maps"
	"math/bits"
	"slices"
	"strings"
	"time"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/problem"
	"uchi/internal/core/verdict"

	"github.com/jmoiron/sqlx"
)

// Load carries out verdicts in chunks. Each chunk is one transaction that
// writes records, history, outcomes and the place where the next chunk starts,
// so that a process may die at any moment and another goes on.
type Load struct {
	store *Store
	i     Import
	check *Check
}

// ChunkRows is how many rows a transaction of a load carries out.
const ChunkRows = 20_000

// NewLoad prepares the load of a checked import.
func (s *Store) NewLoad(i Import, plan *mapping.Plan, c catalog.Catalog) *Load {
	return &Load{store: s, i: i, check: s.NewCheck(i, plan, c)}
}

// Prepare makes the tables of outcomes.
func (l *Load) Prepare(ctx context.Context) error {
	err := l.store.exec(ctx, `create table if not exists `+stage(l.i.ID, "outcomes")+` (row_no bigint primary key, outcome text not null, record_id bigint, detail text)`)
	if err != nil || !l.check.plan.Several() {
		return err
	}
	return l.store.exec(ctx, `create table if not exists `+stage(l.i.ID, "draft_outcomes")+` (row_no bigint not null, outcome text not null, record_id bigint, draft text not null, type text not null, primary key (row_no, draft))`)
}

// Look prepares for what the checked rows make use of; the verdicts must be staged.
func (l *Load) Look(ctx context.Context) error {
	for _, d := range l.check.drafts {
		if err := d.observe(ctx, l.store.pool); err != nil {
			return err
		}
	}
	return nil
}

// Staged reports whether the verdicts are there: after a crash of the database
// unlogged tables are empty, and the check must run again before the load goes on.
func (l *Load) Staged(ctx context.Context) (bool, error) {
	there, err := l.store.hasTable(ctx, l.i.ID, "verdicts")
	if err != nil || !there {
		return false, err
	}
	err = l.store.db.GetContext(ctx, &there, `select exists (select from `+stage(l.i.ID, "verdicts")+`)`)
	return there, err
}

// Chunk carries out the next rows, at most the given number. It reports whether
// the load has ended, which is also so when it was paused or stopped.
func (l *Load) Chunk(ctx context.Context, rows int) (ended bool, err error) {
	err = l.store.inTx(ctx, func(tx *sqlx.Tx) error {
		var at struct {
			State    State                           `db:"state"`
			Next     int64                           `db:"next_row"`
			Writes   int64                           `db:"writes"`
			Done     int64                           `db:"done_rows"`
			Outcomes JSON[map[verdict.Outcome]int64] `db:"outcomes"`
		}
		if err := tx.GetContext(ctx, &at, `select state, next_row, writes, done_rows, outcomes from imports where id = $1 for update`, l.i.ID); err != nil {
			return fmt.Errorf("lock import: %w", err)
		}
		if at.State != StateLoading {
			ended = true
			_, err := tx.ExecContext(ctx, `update imports set busy = '' where id = $1`, l.i.ID)
			return err
		}
		c := chunk{Load: l, tx: tx, number: at.Done / int64(rows)}
		if err := c.bounds(ctx, at.Next, rows); err != nil {
			return err
		}
		if c.rows == 0 {
			ended = true
			_, err := tx.ExecContext(ctx, `update imports set state = 'loaded', busy = '', ended_at = now(), changed_at = now() where id = $1`, l.i.ID)
			return err
		}
		counts, locked, err := c.carryOut(ctx, at.Writes)
		if err != nil {
			return err
		}
		if at.Outcomes.V == nil {
			at.Outcomes.V = map[verdict.Outcome]int64{}
		}
		for o, n := range counts {
			at.Outcomes.V[o] += n
		}
		_, err = tx.ExecContext(ctx, `update imports set next_row = $2, done_rows = done_rows + $3, outcomes = $4, writes = writes + $5, changed_at = now() where id = $1`,
			l.i.ID, c.high+1, c.rows, at.Outcomes, locked)
		if err != nil {
			return fmt.Errorf("note progress: %w", err)
		}
		return nil
	})
	return ended, err
}

// chunk is the work of one transaction on the rows from low to high.
type chunk struct {
	*Load
	tx        *sqlx.Tx
	number    int64 // how many there were before, about
	low, high int64
	rows      int64
}

// draftChunk is the part of a chunk that is about one of the drafts of a row.
type draftChunk struct {
	*chunk
	check   *draftCheck
	plan    *mapping.DraftPlan
	table   string
	history string
	creates int64
	base    int64 // the new records get the ids after this
}

func (c *chunk) bounds(ctx context.Context, next int64, most int) error {
	var b struct {
		Low  *int64 `db:"low"`
		High *int64 `db:"high"`
		Rows int64  `db:"rows"`
	}
	err := c.tx.GetContext(ctx, &b, `select min(row_no) as low, max(row_no) as high, count(*) as rows
		from (select row_no from `+stage(c.i.ID, "verdicts")+` where row_no >= $1 order by row_no limit $2) x`, next, most)
	if err != nil {
		return fmt.Errorf("find the next rows: %w", err)
	}
	if b.Rows > 0 {
		c.low, c.high, c.rows = *b.Low, *b.High, b.Rows
	}
	return nil
}

// drafts gives the parts of the chunk, each behind those that it points to.
func (c *chunk) drafts(ctx context.Context) ([]*draftChunk, error) {
	var list []*draftChunk
	for _, k := range c.check.inOrder() {
		d := &draftChunk{chunk: c, check: k, plan: k.plan, table: k.table, history: historyTable(c.i.Workspace, k.plan.Type.Name)}
		if err := c.tx.GetContext(ctx, &d.creates, `select count(*) from `+k.stage("verdicts")+` v where v.verdict = 'create' and `+c.where("v")); err != nil {
			return nil, fmt.Errorf("count what is to be made: %w", err)
		}
		list = append(list, d)
	}
	return list, nil
}

// lock takes the record types that are written to, in the order of their names,
// and reserves ids. A type's row is the lock under which its records are written
// and the counter of those who did: whoever else wrote since the check shows.
func (c *chunk) lock(ctx context.Context, drafts []*draftChunk) (locked, writes int64, err error) {
	byType := map[string][]*draftChunk{}
	for _, d := range drafts {
		byType[d.plan.Type.Name] = append(byType[d.plan.Type.Name], d)
	}
	for _, name := range slices.Sorted(maps.Keys(byType)) {
		creates := int64(0)
		for _, d := range byType[name] {
			creates += d.creates
		}
		var own struct {
			Base   int64 `db:"base"`
			Writes int64 `db:"writes"`
		}
		err := c.tx.GetContext(ctx, &own, `update record_types set next_id = next_id + $3, writes = writes + 1 where workspace = $1 and name = $2
			returning next_id - $3 - 1 as base, writes - 1 as writes`, c.i.Workspace, name, creates)
		if err != nil {
			return 0, 0, fmt.Errorf("reserve ids: %w", err)
		}
		for _, d := range byType[name] {
			d.base = own.Base
			own.Base += d.creates
		}
		locked, writes = locked+1, writes+own.Writes
	}
	return locked, writes, nil
}

func (c *chunk) exec(ctx context.Context, step, query string) error {
	began := time.Now()
	if _, err := c.tx.ExecContext(ctx, query); err != nil {
		return fmt.Errorf("load, %s: %w", step, err)
	}
	c.store.log.Debug("load", "import", c.i.ID, "step", step, "from", c.low, "ms", time.Since(began).Milliseconds())
	return nil
}

func (c *chunk) where(alias string) string {
	return fmt.Sprintf(`%s.row_no between %d and %d`, alias, c.low, c.high)
}

// carryOut writes the chunk's records, history and outcomes. It gives the change
// in the number of outcomes, and how many record types were written to.
func (c *chunk) carryOut(ctx context.Context, known int64) (map[verdict.Outcome]int64, int64, error) {
	drafts, err := c.drafts(ctx)
	if err != nil {
		return nil, 0, err
	}
	locked, writes, err := c.lock(ctx, drafts)
	if err != nil {
		return nil, 0, err
	}
	outcomes := stage(c.i.ID, "outcomes")
	before, err := c.count(ctx, outcomes)
	if err != nil {
		return nil, 0, err
	}
	if err := c.exec(ctx, "earlier outcomes", `delete from `+outcomes+` o where `+c.where("o")+` and o.outcome in ('held', 'failed')`); err != nil {
		return nil, 0, err
	}
	if c.check.plan.Several() {
		if err := c.exec(ctx, "earlier outcomes", `delete from `+stage(c.i.ID, "draft_outcomes")+` o where `+c.where("o")+` and not exists (select from `+outcomes+` x where x.row_no = o.row_no)`); err != nil {
			return nil, 0, err
		}
	}
	if writes != known {
		for _, d := range drafts {
			if err := c.exec(ctx, "changed since the check", d.setAside()); err != nil {
				return nil, 0, err
			}
		}
	}
	if err := c.heldWith(ctx, drafts); err != nil {
		return nil, 0, err
	}
	for _, d := range drafts {
		for _, step := range []struct{ name, query string }{{"create", d.create()}, {"update", d.update()}, {"delete", d.remove()}, {"outcomes", d.rest()}} {
			if err := c.exec(ctx, step.name, step.query); err != nil {
				return nil, 0, err
			}
		}
		// What points to these records is looked up in a table that is still
		// growing: its size must be known, or the server looks in loops.
		if d.plan.Shared && bits.OnesCount64(uint64(c.number)) < 2 {
			if err := c.exec(ctx, "analyze", `analyze `+stage(c.i.ID, "draft_outcomes")); err != nil {
				return nil, 0, err
			}
		}
	}
	if c.check.plan.Several() {
		if err := c.exec(ctx, "outcomes of rows", c.rowOutcomes()); err != nil {
			return nil, 0, err
		}
	}
	after, err := c.count(ctx, outcomes)
	if err != nil {
		return nil, 0, err
	}
	for o, n := range before {
		after[o] -= n
	}
	return after, locked, nil
}

// heldWith holds rows that point to what another row was to make and did not.
func (c *chunk) heldWith(ctx context.Context, drafts []*draftChunk) error {
	outcomes := stage(c.i.ID, "outcomes")
	for { // until nothing more depends on what is held
		var held int64
		for _, d := range drafts {
			for _, fp := range d.plan.Fields {
				if fp.Draft < 0 {
					continue
				}
				ref := `v.` + fieldColumn(fp.Field.Name)
				res, err := c.tx.ExecContext(ctx, fmt.Sprintf(`with late as (select v.row_no, -%s as other_row from %s v where %s and %s < 0 and -%s <> v.row_no and v.verdict in ('create', 'update', 'same')
					and not exists (select from %s o where o.row_no = v.row_no) and case when -%s >= %d then -%s > %d or exists (select from %s o where o.row_no = -%s)
					else not exists (select from (%s) o where o.row_no = -%s and o.record_id is not null) end),
					noted as (insert into %s select row_no, %s, %s, '', '', 'row ' || other_row from late)
					insert into %s select row_no, 'held', null, 'row ' || other_row || ' was not loaded' from late`,
					ref, d.check.stage("verdicts"), c.where("v"), ref, ref, outcomes, ref, c.low, ref, c.high, outcomes, ref, c.check.drafts[fp.Draft].outcomes(), ref,
					stage(c.i.ID, "problems"), lit(string(problem.LinkHeld)), lit(d.plan.Named(fp.Field.Name)), outcomes))
				if err != nil {
					return fmt.Errorf("load, links: %w", err)
				}
				n, _ := res.RowsAffected()
				held += n
			}
		}
		if held == 0 {
			return nil
		}
	}
}

// rowOutcomes is the SQL that gives the outcome of each row from those of its
// drafts.
func (c *chunk) rowOutcomes() string {
	order := []verdict.Outcome{verdict.Failed, verdict.Held, verdict.Created, verdict.Updated, verdict.Unchanged, verdict.Skipped}
	var words []string
	for _, o := range order {
		words = append(words, lit(string(o)))
	}
	list := `array[` + strings.Join(words, ", ") + `]`
	return fmt.Sprintf(`insert into %s select o.row_no, (%s)[min(array_position(%s, o.outcome))], min(o.record_id) filter (where o.draft = %s) from %s o where %s
		and not exists (select from %s x where x.row_no = o.row_no and %s) group by o.row_no`,
		stage(c.i.ID, "outcomes"), list, list, lit(c.check.plan.Drafts[0].Name), stage(c.i.ID, "draft_outcomes"), c.where("o"), stage(c.i.ID, "outcomes"), c.where("x"))
}

func (c *chunk) count(ctx context.Context, outcomes string) (map[verdict.Outcome]int64, error) {
	var list []struct {
		Outcome verdict.Outcome `db:"outcome"`
		N       int64           `db:"n"`
	}
	if err := c.tx.SelectContext(ctx, &list, `select outcome, count(*) as n from `+outcomes+` o where `+c.where("o")+` group by outcome`); err != nil {
		return nil, fmt.Errorf("count outcomes: %w", err)
	}
	m := map[verdict.Outcome]int64{}
	for _, x := range list {
		m[x.Outcome] = x.N
	}
	return m, nil
}

// namedSince is the SQL of rows that are to make a record of a name of which
// somebody else has made one since the check; what is found by likeness or name
// is not looked up again in a load.
func (c *draftChunk) namedSince() string {
	if c.check.likenessRules() == "" && !c.plan.Shared || c.i.CheckBegan == nil {
		return ""
	}
	var title []string
	for _, name := range c.plan.Type.Title {
		if c.check.field(name) != nil {
			title = append(title, `d.`+nameColumn(name))
		}
	}
	if len(title) == 0 {
		return ""
	}
	return fmt.Sprintf(`select v.row_no, r.id, 'a record of this name is there now' from %s v join %s d using (row_no) join %s r on r.%s = concat_ws(' ', %s)
		where %s and v.verdict = 'create' and r.%s <> '' and r.import is distinct from %d and r.created_at > %s`,
		c.check.stage("verdicts"), c.check.stage("draft"), c.table, titleColumn, strings.Join(title, ", "), c.where("v"), titleColumn, c.i.ID, lit(c.i.CheckBegan.Format(time.RFC3339Nano)))
}

// setAside writes the outcome of rows whose verdict no longer holds because
// somebody else has written records of the type since the check: a record that
// was found has changed, or one that was not there is there now. It runs only
// when the type's counter shows that somebody has.
func (c *draftChunk) setAside() string {
	found := []string{`select v.row_no, v.record_id, 'the record has changed' as why from ` + c.check.stage("verdicts") + ` v join ` + c.table + ` r on r.id = v.record_id
		where ` + c.where("v") + ` and v.verdict in ('update', 'delete') and r.version <> v.version`}
	rules := slices.DeleteFunc(slices.Clone(c.plan.Rules), func(r catalog.MatchRule) bool { return len(r.Fields) == 0 })
	for _, fp := range c.plan.Fields {
		if fp.Field.Key {
			rules = append(rules, catalog.MatchRule{Fields: []string{fp.Field.Name}})
		}
	}
	for _, rule := range rules {
		if rule.Fields[0] == mapping.IDField {
			continue
		}
		found = append(found, `select v.row_no, r.id, 'a record that fits is there now' from `+c.check.stage("verdicts")+` v join `+c.check.stage("draft")+` d using (row_no)
			join `+c.table+` r on `+c.check.on(rule)+` where `+c.where("v")+` and (v.verdict = 'create' or v.verdict = 'update' and r.id <> v.record_id)
			and r.import is distinct from `+fmt.Sprint(c.i.ID))
	}
	if named := c.namedSince(); named != "" {
		found = append(found, named)
	}
	recordOf := `record_id`
	if c.check.part != "" { // the row's record is that of its first draft
		recordOf = `null`
	}
	return `with stale as (select row_no, min(record_id) as record_id, min(why) as why from (` + strings.Join(found, " union all ") + `) x group by row_no),
		noted as (insert into ` + stage(c.i.ID, "problems") + ` select row_no, ` + lit(string(problem.ChangedSince)) + `, ` + lit(c.plan.Named("")) + `, '', '', why || ': ' || ` + lit(c.plan.Type.Prefix+"-") + ` || record_id from stale)
		insert into ` + stage(c.i.ID, "outcomes") + ` select row_no, 'held', ` + recordOf + `, why from stale on conflict do nothing`
}

func (c *draftChunk) todo(verdictName, joins string) string {
	for _, fp := range c.plan.Fields {
		if fp.Draft >= 0 { // what another draft has become by now
			joins += ` left join (` + c.chunk.check.drafts[fp.Draft].outcomes() + `) ` + linkAlias(fp.Field.Name) + ` on ` + linkAlias(fp.Field.Name) + `.row_no = -v.` + fieldColumn(fp.Field.Name)
		}
	}
	return c.check.stage("verdicts") + ` v join ` + c.check.stage("draft") + ` d on d.row_no = v.row_no` + joins + `
		where ` + c.where("v") + ` and ` + c.where("d") + ` and v.verdict = ` + lit(verdictName) + `
		and ` + c.open()
}

// open chooses rows of verdicts v that have no outcome yet. The range is said
// once more, so that only the chunk's part of a growing table is looked at.
func (c *draftChunk) open() string {
	open := `not exists (select from ` + stage(c.i.ID, "outcomes") + ` o where o.row_no = v.row_no and ` + c.where("o") + `)`
	if c.check.part != "" {
		open += ` and not exists (select from ` + stage(c.i.ID, "draft_outcomes") + ` o where o.row_no = v.row_no and ` + c.where("o") + ` and o.draft = ` + lit(c.plan.Name) + `)`
	}
	return open
}

// note is the SQL that keeps outcomes: row_no, outcome and record_id of a query.
func (c *draftChunk) note(query string) string {
	if c.check.part == "" {
		return `insert into ` + stage(c.i.ID, "outcomes") + ` ` + query
	}
	return `insert into ` + stage(c.i.ID, "draft_outcomes") + ` select x.*, ` + lit(c.plan.Name) + `, ` + lit(c.plan.Type.Name) + ` from (` + query + `) x`
}

// sources gives for every column that the draft fills its name and the SQL of
// its value; references come resolved from the verdicts.
func (c *draftChunk) sources() (columns, values []string) {
	title := titleSet(c.plan.Type)
	for _, fp := range c.plan.Fields {
		f := fp.Field
		from := `d.` + fieldColumn(f.Name)
		if f.Type == catalog.Reference {
			from = `v.` + fieldColumn(f.Name)
		}
		if fp.Draft >= 0 {
			from = `case when ` + from + ` < 0 then ` + linkAlias(f.Name) + `.record_id else ` + from + ` end`
		}
		columns, values = append(columns, fieldColumn(f.Name)), append(values, from)
		if f.Normalised() {
			columns, values = append(columns, keyColumn(f.Name)), append(values, "d."+keyColumn(f.Name))
		}
		if title[f.Name] {
			columns, values = append(columns, nameColumn(f.Name)), append(values, "d."+nameColumn(f.Name))
		}
	}
	return columns, values
}

// changes is the SQL of the difference as history keeps it: with the record that
// another draft of the row has become in the place of the row.
func (c *draftChunk) changes() string {
	out := `v.changes`
	for _, fp := range c.plan.Fields {
		if fp.Draft >= 0 {
			t, _ := c.check.catalog.Type(fp.Field.To)
			out = fmt.Sprintf(`case when v.%s < 0 and v.changes ? %s then %s || jsonb_build_object(%s, jsonb_build_array(v.changes->%s->0, %s || %s.record_id)) else %s end`,
				fieldColumn(fp.Field.Name), lit(fp.Field.Name), out, lit(fp.Field.Name), lit(fp.Field.Name), lit(t.Prefix+"-"), linkAlias(fp.Field.Name), out)
		}
	}
	return out
}

// titleOf is the SQL of the record's title in its normal form.
func (c *draftChunk) titleOf(part func(column string, inDraft bool) string) string {
	var parts []string
	for _, name := range c.plan.Type.Title {
		if p := part(nameColumn(name), c.check.field(name) != nil); p != "" {
			parts = append(parts, p)
		}
	}
	if len(parts) == 0 {
		return `''`
	}
	return `concat_ws(' ', ` + strings.Join(parts, ", ") + `)`
}

func (c *draftChunk) create() string {
	if c.creates == 0 {
		return `select 1`
	}
	columns, values := c.sources()
	for _, f := range c.plan.Type.Fields {
		if f.Default == "" {
			continue
		}
		def := lit(f.Default) + `::` + sqlType(f)
		if i := slices.Index(columns, fieldColumn(f.Name)); i >= 0 {
			values[i] = `coalesce(` + values[i] + `, ` + def + `)`
		} else {
			columns, values = append(columns, fieldColumn(f.Name)), append(values, def)
		}
	}
	aliased := make([]string, len(values))
	for i := range values {
		aliased[i] = fmt.Sprintf("%s as c%d", values[i], i)
	}
	picked := make([]string, len(values))
	for i := range values {
		picked[i] = fmt.Sprintf("c%d", i)
	}
	title := c.titleOf(func(column string, inDraft bool) string {
		if !inDraft {
			return ""
		}
		return "d." + column
	})
	return fmt.Sprintf(`with todo as materialized (select v.row_no, %d + row_number() over (order by v.row_no) as new_id, %s as title_key%s from %s),
		made as (insert into %s (id, created_by, changed_by, import, %s%s) select new_id, %d, %d, %d, title_key%s from todo order by new_id)
		%s`,
		c.base, title, prefixed(aliased), c.todo("create", ""),
		c.table, titleColumn, prefixed(columns), c.i.MadeBy, c.i.MadeBy, c.i.ID, prefixed(picked),
		c.note(`select row_no, 'created', new_id from todo`))
}

func prefixed(list []string) string {
	if len(list) == 0 {
		return ""
	}
	return ", " + strings.Join(list, ", ")
}

func (c *draftChunk) update() string {
	if len(c.plan.Fields) == 0 {
		return `select 1`
	}
	columns, values := c.sources()
	var set, aliased []string
	for i, col := range columns {
		aliased = append(aliased, values[i]+` as `+col)
	}
	title := titleSet(c.plan.Type)
	from := ``
	for _, col := range c.check.extras() {
		switch col {
		case "found_by", "alike":
			aliased = append(aliased, `v.`+col)
		case "keep":
			aliased = append(aliased, `s.keep`)
			from = ` left join ` + c.check.stage("settled") + ` s on s.row_no = v.row_no`
		default:
			aliased = append(aliased, `d.`+col)
		}
	}
	// The normal forms go with the value that is taken.
	with := func(fp mapping.FieldPlan, column string) string {
		after := c.check.after(fp, "t", "r", `t.`+fieldColumn(fp.Field.Name))
		return `case when ` + after + ` is not distinct from r.` + fieldColumn(fp.Field.Name) + ` then r.` + column + ` when ` + after + ` is null then null else t.` + column + ` end`
	}
	names := map[string]string{}
	for _, fp := range c.plan.Fields {
		set = append(set, fieldColumn(fp.Field.Name)+` = `+c.check.after(fp, "t", "r", `t.`+fieldColumn(fp.Field.Name)))
		if fp.Field.Normalised() {
			set = append(set, keyColumn(fp.Field.Name)+` = `+with(fp, keyColumn(fp.Field.Name)))
		}
		if title[fp.Field.Name] {
			names[nameColumn(fp.Field.Name)] = with(fp, nameColumn(fp.Field.Name))
			set = append(set, nameColumn(fp.Field.Name)+` = `+names[nameColumn(fp.Field.Name)])
		}
	}
	titled := c.titleOf(func(column string, inDraft bool) string {
		if !inDraft {
			return "r." + column
		}
		return names[column]
	})
	return fmt.Sprintf(`with todo as materialized (select v.row_no, v.record_id, v.version, %s as changes%s from %s),
		changed as (update %s r set version = r.version + 1, changed_at = now(), changed_by = %d, %s = %s, %s from todo t
			where r.id = t.record_id and r.version = t.version returning r.id, r.version, t.row_no, t.changes),
		kept as (insert into %s (record_id, version, person, import, kind, changes) select id, version, %d, %d, 'update', changes from changed)
		%s`,
		c.changes(), prefixed(aliased), c.todo("update", from), c.table, c.i.MadeBy, titleColumn, titled, strings.Join(set, ", "),
		c.history, c.i.MadeBy, c.i.ID, c.note(`select row_no, 'updated', id from changed`))
}

// remove deletes records that nothing points to, and keeps what they were.
func (c *draftChunk) remove() string {
	if c.plan.May != mapping.Delete {
		return `select 1`
	}
	var pairs []string
	for _, f := range c.plan.Type.Fields {
		column := `r.` + fieldColumn(f.Name)
		pairs = append(pairs, lit(f.Name)+`, case when `+column+` is not null then jsonb_build_array(`+c.check.shown(f, column)+`, null) end`)
	}
	var groups []string
	for group := range slices.Chunk(pairs, 45) {
		groups = append(groups, `jsonb_build_object(`+strings.Join(group, ", ")+`)`)
	}
	free := ``
	for _, t := range c.check.catalog.Types {
		for _, f := range t.Fields {
			if f.Type != catalog.Reference || f.To != c.plan.Type.Name {
				continue
			}
			also := ``
			if t.Name == c.plan.Type.Name {
				also = ` and x.id not in (select record_id from ` + c.check.stage("matches") + `)`
			}
			free += ` and not exists (select from ` + recordTable(c.i.Workspace, t.Name) + ` x where x.` + fieldColumn(f.Name) + ` = r.id` + also + `)`
		}
	}
	return fmt.Sprintf(`with todo as materialized (select v.row_no, v.record_id, v.version from %s v where %s and v.verdict = 'delete' and %s),
		gone as (delete from %s r using todo t where r.id = t.record_id and r.version = t.version%s returning r.id, r.version, t.row_no, jsonb_strip_nulls(%s) as changes),
		kept as (insert into %s (record_id, version, person, import, kind, changes) select id, version + 1, %d, %d, 'delete', changes from gone)
		%s`,
		c.check.stage("verdicts"), c.where("v"), c.open(), c.table, free, strings.Join(groups, " || "), c.history, c.i.MadeBy, c.i.ID, c.note(`select row_no, 'deleted', id from gone`))
}

// rest writes the outcomes of all rows that neither made nor changed a record.
func (c *draftChunk) rest() string {
	var whens []string
	for _, v := range []verdict.Verdict{verdict.Same, verdict.Skip} { // an update that found its record changed is held
		whens = append(whens, `when `+lit(string(v))+` then `+lit(string(verdict.OutcomeOf(v))))
	}
	found := `v.record_id`
	if c.check.part != "" { // the record of the row that stands for it
		found = `coalesce(v.record_id, (select o.record_id from ` + stage(c.i.ID, "draft_outcomes") + ` o where o.draft = ` + lit(c.plan.Name) + ` and o.row_no = v.other_row))`
	}
	return c.note(fmt.Sprintf(`select v.row_no, case v.verdict %s else 'held' end, %s from %s v where %s and %s`, strings.Join(whens, " "), found, c.check.stage("verdicts"), c.where("v"), c.open()))
}

// Refused reports whether the server refused a value or a constraint, so that
// a smaller chunk can find the row.
func Refused(err error) bool {
	state := sqlState(err)
	return strings.HasPrefix(state, "22") || strings.HasPrefix(state, "23")
}

// Refuse writes the outcome failed for the next row, which the server refuses.
func (l *Load) Refuse(ctx context.Context, cause error) error {
	return l.store.inTx(ctx, func(tx *sqlx.Tx) error {
		var next int64
		if err := tx.GetContext(ctx, &next, `select v.row_no from imports i, `+stage(l.i.ID, "verdicts")+` v where i.id = $1 and v.row_no >= i.next_row order by v.row_no limit 1`, l.i.ID); err != nil {
			return fmt.Errorf("find the refused row: %w", err)
		}
		why := cause.Error()
		queries := []struct {
			q    string
			args []any
		}{
			{`insert into ` + stage(l.i.ID, "problems") + ` values ($1, $2, '', '', '', $3)`, []any{next, string(problem.WriteRefused), why}},
			{`insert into ` + stage(l.i.ID, "outcomes") + ` values ($1, 'failed', null, $2) on conflict (row_no) do update set outcome = 'failed', detail = excluded.detail`, []any{next, why}},
			{`update imports set next_row = $2 + 1, done_rows = done_rows + 1, changed_at = now(),
				outcomes = jsonb_set(outcomes, '{failed}', to_jsonb(coalesce((outcomes->>'failed')::bigint, 0) + 1)) where id = $1`, []any{l.i.ID, next}},
		}
		for _, x := range queries {
			if _, err := tx.ExecContext(ctx, x.q, x.args...); err != nil {
				return fmt.Errorf("note the refused row: %w", err)
			}
		}
		return nil
	})
}

// Finish readies the outcomes for being looked at.
func (l *Load) Finish(ctx context.Context) error {
	table := stage(l.i.ID, "outcomes")
	return l.store.exec(ctx, `create index if not exists `+ident(fmt.Sprintf("i%d_outcomes_by", l.i.ID))+` on `+table+` (outcome, row_no)`, `analyze `+table,
		`delete from `+stage(l.i.ID, "anchors")+` where word in ('created', 'updated', 'unchanged', 'skipped', 'held', 'failed', 'deleted')`, anchorsOf(l.check.stage, "outcomes", "outcome"))
}
