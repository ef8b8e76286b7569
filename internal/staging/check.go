package staging

import (
	"context"
	"fmt"
	"slices"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/matching"
	"uchi/internal/core/problem"
	"uchi/internal/core/verdict"
	"uchi/internal/pgcopy"
	"uchi/internal/schema"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
)

// Check works out over staged drafts what each row would do: links, matches,
// duplicates within the source, differences, verdicts. It writes to staging
// alone. Every step is a set operation over the rows that are staged: all of
// them, a sample, or some with those that they are coupled with.
type Check struct {
	room    *Room
	run     store.Run // that makes the tables; for what only reads, the run that made them
	i       store.Import
	plan    *mapping.Plan
	catalog catalog.Catalog
	country string         // of the source, for phone numbers
	columns map[string]int // position of a header among the cells
	drafts  []*draftCheck  // in the order of the routine
	// whole is the check of all rows that a check of some rows is a part of; nil
	// for one that stands by itself.
	whole *Check
	rows  []int64 // those that it is of, then
	size  int64   // how many rows it is of
	// beside are the other imports of the bundle that the import belongs to.
	beside []*neighbour
	conn   *conn      // on which the steps are done, while they are
	twice  *saidTwice // the keys that rows say more than once; nil where they were not gathered
	said   []saying   // of all rows, once there are verdicts
}

// draftCheck is the part of a check that is about one of the drafts of a row.
type draftCheck struct {
	*Check
	n       int // its place in the routine, counted from 0
	plan    *mapping.DraftPlan
	weights matching.Weights
	cleared map[string]bool // fields that some row empties
	keeps   bool            // some answer keeps values of the record
	dated   bool            // some row says of which version of its record it was made
	alike   map[string]bool // fields that likeness may compare
	keysOf  int             // the rule whose keys are staged, counted from 1
}

// NewCheck prepares a check, by a run, of an import whose cells are staged.
func (r *Room) NewCheck(run store.Run, i store.Import, plan *mapping.Plan, c catalog.Catalog) *Check {
	k := &Check{room: r, run: run, i: i, plan: plan, catalog: c, country: i.Reading.V.Country, columns: map[string]int{},
		size: i.Rows}
	for _, col := range i.Columns.V {
		k.columns[col.Header] = col.Position
	}
	for n, dp := range plan.Drafts {
		k.drafts = append(k.drafts, &draftCheck{Check: k, n: n, plan: dp})
	}
	return k
}

// holding gives the check that holds for an import, to read what it has staged.
func (r *Room) holding(i store.Import, plan *mapping.Plan, c catalog.Catalog) (*Check, bool) {
	if i.CheckRun == nil {
		return nil, false
	}
	return r.NewCheck(store.Run{ID: *i.CheckRun, Import: i.ID}, i, plan, c), true
}

// do carries out the statements of a step about the row.
func (k *Check) do(ctx context.Context, st step, statements ...stmt) error {
	_, err := k.conn.do(ctx, st, k.word, statements...)
	return err
}

// do carries out the statements of a step about the draft.
func (k *draftCheck) do(ctx context.Context, st step, statements ...stmt) error {
	_, err := k.touch(ctx, st, statements...)
	return err
}

// touch carries out the statements of a step about the draft and tells how many
// rows the last one touched.
func (k *draftCheck) touch(ctx context.Context, st step, statements ...stmt) (int64, error) {
	return k.conn.do(ctx, st, k.word, statements...)
}

// fewRows is up to how many rows are gone through as quickly as one is found by an index: to
// make the indexes of a check of a handful took a third of its time.
const fewRows = 1000

// index is the statement that lets rows of a table be found by columns, when there are many.
func (k *Check) index(table, columns string) stmt {
	if k.size <= k.room.few {
		return stmt{}
	}
	return q(`create index on {of} (`+columns+`)`, frag{"of": "{" + table + "}"})
}

// indexSome lets those be found of which a condition holds.
func (k *Check) indexSome(table, columns, which string) stmt {
	s := k.index(table, columns)
	if s.text != "" {
		s.text += ` where ` + which
	}
	return s
}

// findable is the statement that lets a row be found in a table that has each once, when there
// are many.
func (k *Check) findable(table string) stmt {
	if k.size <= k.room.few {
		return stmt{}
	}
	return q(`alter table {of} add primary key (row_no)`, frag{"of": "{" + table + "}"})
}

// inOrder gives the drafts so that each comes after those it points to.
func (k *Check) inOrder() []*draftCheck {
	var list []*draftCheck
	for _, n := range k.plan.Order {
		list = append(list, k.drafts[n])
	}
	return list
}

// Judge says which rules of its type a record with these values (by field name,
// canonical texts) would break.
type Judge func(values map[string]string) []problem.Problem

// Found is what a check has found, beside the verdicts that it has staged.
type Found struct {
	Totals verdict.Totals
	Digest int64 // of the verdicts; see digest
}

// Run carries out the steps and gives what they have found. The rules of the
// record types are judged between, by judges, which see the values that records
// would have.
func (k *Check) Run(ctx context.Context, judges []Judge) (Found, error) {
	var out Found
	err := k.room.withConn(ctx, k.run, func(c *conn) error {
		k.conn = c
		for _, d := range k.drafts {
			if err := d.begin(ctx); err != nil {
				return err
			}
		}
		for _, d := range k.inOrder() {
			if err := d.settle(ctx); err != nil {
				return err
			}
		}
		for _, d := range k.drafts {
			if err := d.linkRows(ctx); err != nil {
				return err
			}
		}
		for _, d := range k.drafts {
			if err := d.tellLate(ctx, withRows); err != nil {
				return err
			}
		}
		for n, d := range k.drafts {
			if err := d.examine(ctx, judges[n]); err != nil {
				return err
			}
		}
		if err := k.conclude(ctx); err != nil {
			return err
		}
		var err error
		out, err = k.found(ctx, c.pg)
		return err
	})
	if err != nil {
		return out, fmt.Errorf("check: %w", err)
	}
	return out, nil
}

// found counts what the check that has ended has found.
func (k *Check) found(ctx context.Context, on querier) (out Found, err error) {
	return k.foundOf(ctx, on, `true`)
}

// foundOf counts what the check has found of the rows of which a condition on
// row_no holds.
func (k *Check) foundOf(ctx context.Context, on querier, which string) (out Found, err error) {
	if out.Totals, err = k.totals(ctx, on, which); err != nil {
		return out, err
	}
	if out.Digest, err = k.digest(ctx, on, which); err != nil {
		return out, err
	}
	gone, err := k.digestGone(ctx, on)
	out.Digest ^= gone
	return out, err
}

// begin readies the staged drafts and finds the records that reference columns
// name.
func (k *draftCheck) begin(ctx context.Context) error {
	own, _, err := k.room.store.Weights(ctx, k.i.Workspace, k.plan.Type.Name)
	if err != nil {
		return err
	}
	k.weights = own.Weights.V
	if err := k.prepare(ctx); err != nil {
		return err
	}
	return k.link(ctx)
}

// settle finds for each draft the record that it is for, or the earlier row.
func (k *draftCheck) settle(ctx context.Context) error {
	if err := k.tellLate(ctx, withDrafts); err != nil {
		return err
	}
	if err := k.leaveOutWith(ctx); err != nil {
		return err
	}
	if err := k.dial(ctx); err != nil {
		return err
	}
	if k.plan.Shared {
		if err := k.collapse(ctx); err != nil {
			return err
		}
	}
	if err := k.find(ctx); err != nil {
		return err
	}
	if err := k.moved(ctx); err != nil {
		return err
	}
	if err := k.findRepeats(ctx); err != nil {
		return err
	}
	if err := k.findFond(ctx); err != nil {
		return err
	}
	if err := k.askEmployers(ctx); err != nil {
		return err
	}
	if !k.becoming() {
		return nil
	}
	return k.becomes(ctx)
}

// examine holds drafts that lack a value, or against which rules or other
// records stand.
func (k *draftCheck) examine(ctx context.Context, judge Judge) error {
	if err := k.require(ctx); err != nil {
		return err
	}
	if k.plan.May == mapping.Delete {
		if err := k.noteDoubts(ctx); err != nil {
			return err
		}
		return k.holdReferred(ctx)
	}
	if err := k.holdMoved(ctx); err != nil {
		return err
	}
	if err := k.tellEmptied(ctx); err != nil {
		return err
	}
	if err := k.letNamesStand(ctx); err != nil {
		return err
	}
	if err := k.letLostBe(ctx); err != nil {
		return err
	}
	if err := k.noteDoubts(ctx); err != nil {
		return err
	}
	if err := k.known(ctx); err != nil {
		return err
	}
	if err := k.tellMadeBefore(ctx); err != nil {
		return err
	}
	if len(k.plan.Type.Rules) == 0 {
		return nil
	}
	return k.judge(ctx, judge)
}

var (
	stepDrafts = step{
		does:   "readies the drafts, and puts aside what answers leave out",
		reads:  "draft left",
		writes: "draft aside matches questions candidates settled",
	}
	stepObserve = step{does: "looks at what the rows make use of", reads: "draft settled"}
)

// prepare readies the drafts and makes the tables that the steps fill; answers
// that were given before are settled first.
func (k *draftCheck) prepare(ctx context.Context) error {
	err := k.do(ctx, stepDrafts,
		k.findable("draft"),
		q(`analyze {draft}`),
		q(`create unlogged table {aside} as
			select row_no, why, other_row from {left} where draft = {n}`),
		q(`create unlogged table {matches} (
			row_no bigint not null, record_id bigint not null, version integer not null, rule smallint not null, score real, alike text[])`),
		q(`create unlogged table {questions} (
			row_no bigint not null, kind text not null, rule smallint not null, candidates integer not null, percent real not null)`),
		q(`create unlogged table {candidates} (
			row_no bigint not null, place integer not null, record_id bigint, other_row bigint, percent real not null,
			reasons jsonb, against text[], alike text[])`),
		q(`create unlogged table {settled} as
			select a.row_no, a.choice, a.record_id, a.other_row, nullif(a.keep, '{}') as keep, a.denied, a.denied_records
			from (
				select distinct on (row_no) * from answers
				where import = @import and (draft = {name} or choice = 'leave_out')
				order by row_no, choice <> 'leave_out'
			) a
			join {draft} d using (row_no)`, arg{"import": k.i.ID}),
		k.findable("settled"),
		q(`analyze {settled}`),
		q(`insert into {aside} (row_no, why)
			select row_no, @why from {settled} where choice = 'leave_out'`, arg{"why": string(verdict.ByAnswer)}),
		q(`analyze {aside}`), // of a table that was never looked at the server expects a thousand rows
	)
	if err != nil {
		return err
	}
	if err := k.recognise(ctx); err != nil {
		return err
	}
	return k.observe(ctx, k.conn.pg)
}

var stepRecognise = step{does: "recognises the records that rows have become already",
	reads: "draft aside results records history", writes: "draft matches settled"}

// recognise finds for rows that are held for one of their records the others, which an earlier
// load has made or changed, with the version that it has left them at: what others have changed
// since is theirs, whatever the row says. A row that names another record by now is for that.
func (k *draftCheck) recognise(ctx context.Context) error {
	if !k.plan.Known || !k.i.Written {
		return nil
	}
	named := `true`
	if title := k.titleOf("d"); title != "" {
		named = `(r.` + schema.Title + ` = ` + title + ` or exists (
			select from {history} h where h.record_id = r.id and h.version > o.version and h.changes ?| array[` +
			literals(k.plan.Type.Title) + `]))`
	}
	return k.do(ctx, stepRecognise,
		q(`create temp table known on commit drop as
			select distinct on (o.row_no) o.row_no, o.outcome, o.record_id, coalesce((
				select max(h.version) from {history} h where h.record_id = o.record_id
					and (h.run = o.run or h.at <= (select min(r.began_at) from runs r where r.piece = o.run))), 1) as version
			from {draft} d join {results} o on o.row_no = d.row_no and o.draft = {n} and o.outcome not in ('held', 'failed')
			where {stays d}
			order by o.row_no, o.run desc`),
		q(`insert into {matches} (row_no, record_id, version, rule)
			select d.row_no, r.id, r.version, 0
			from {draft} d join known o on o.row_no = d.row_no join {records} r on r.id = o.record_id
			where o.outcome in ('created', 'updated', 'unchanged', 'skipped') and {named}`, frag{"named": named}),
		q(`update {draft} d set was_version = coalesce(d.was_version, o.version) from {matches} m
			join known o on o.row_no = m.row_no where m.row_no = d.row_no`),
		// What was answered before of what it is has been done; which values stay holds on.
		q(`update {settled} s set choice = 'take', record_id = m.record_id, other_row = null from {matches} m
			where m.row_no = s.row_no`),
		q(`drop table known`))
}

// querier is a connection, a transaction or the pool.
type querier interface {
	Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error)
	QueryRow(ctx context.Context, sql string, args ...any) pgx.Row
}

// observe looks at what the staged drafts and answers make use of.
func (k *draftCheck) observe(ctx context.Context, on querier) error {
	var names []string
	dated := `false`
	if k.plan.Dated() {
		dated = `exists (select from {draft} where was_version is not null)`
	}
	sql, _, err := q(`
		select
			coalesce((select array_agg(distinct x) from {draft} d, unnest(d.cleared) x where d.cleared is not null), '{}'),
			exists (select from {settled} where keep is not null), {dated}`, frag{"dated": dated}).compose(k.word)
	if err != nil {
		return err
	}
	if err := on.QueryRow(ctx, sql).Scan(&names, &k.keeps, &k.dated); err != nil {
		return fmt.Errorf("%s: %w", stepObserve.does, err)
	}
	k.alike, k.cleared = map[string]bool{}, map[string]bool{}
	for _, rule := range k.plan.Rules {
		for _, name := range rule.Alike {
			k.alike[name] = true
		}
	}
	if given, ok := k.fondly(); ok {
		k.alike[given.Name] = true
	}
	for _, n := range names {
		k.cleared[n] = true
	}
	return nil
}

// cell is the SQL for the cell that a field's value came from, as it stands in
// the source; it is asked for rows with problems alone.
func (k *draftCheck) cell(fp mapping.FieldPlan) string {
	at, ok := k.columns[fp.Column()]
	if !ok {
		return `''`
	}
	return fmt.Sprintf(`coalesce((select left(c.cells[%d], %d) from {cells} c where c.row_no = d.row_no), '')`, at+1,
		longestShown)
}

// hold is the statement that notes a problem of rows d: at a field, or with nil
// at the row as a whole. Detail is SQL, from is the rest of the query.
func (k *draftCheck) hold(code problem.Code, fp *mapping.FieldPlan, detail, from string, with ...any) stmt {
	return k.note(code, fp, false, detail, from, with...)
}

// note is as hold; with light the row is loaded without the value.
func (k *draftCheck) note(code problem.Code, fp *mapping.FieldPlan, light bool, detail, from string, with ...any) stmt {
	field, col, cell := k.plan.Named(""), "", `''`
	if fp != nil {
		field, col, cell = k.plan.Named(fp.Field.Name), fp.Column(), k.cell(*fp)
	}
	return q(`insert into {problems} (row_no, code, field, col, value, detail, light)
		select d.row_no, @code, @field, @col, {cell}, {detail}, @light
		{from}`,
		append(with, frag{"cell": cell, "detail": detail, "from": from}, arg{"code": string(code), "field": field,
			"col": col, "light": light})...)
}

// noted is the rule that such a problem of row d is noted already.
func (k *draftCheck) noted(code problem.Code, field string) string {
	return `exists (
		select from {problems} p
		where p.row_no = d.row_no and p.code = ` + schema.Literal(string(code)) + ` and p.field = ` +
		schema.Literal(k.plan.Named(field)) + `)`
}

func (k *draftCheck) field(name string) *mapping.FieldPlan {
	i := slices.IndexFunc(k.plan.Fields, func(fp mapping.FieldPlan) bool { return fp.Field.Name == name })
	if i < 0 {
		return nil
	}
	return &k.plan.Fields[i]
}

// recordIDs is the SQL that lists ids of a type, as id of a query, as people see them.
func recordIDs(t catalog.RecordType) string {
	return `string_agg(` + schema.RecordID(t, "id") + `, ', ' order by id)`
}

var (
	stepRequired = step{
		does:   "holds what would make a record without a value that it must have",
		reads:  "draft aside matches questions became problems cells",
		writes: "problems",
	}
	stepJudge = step{does: "judges the rules of the record type", reads: "draft aside matches questions links settled " +
		"became records moved", writes: "problems"}
)

// require finds rows that would make a record without a value that it must
// have, or whose value could not be read.
func (k *draftCheck) require(ctx context.Context) error {
	if k.plan.May == mapping.Update || k.plan.May == mapping.Delete {
		return nil
	}
	var list []stmt
	for _, f := range k.plan.Type.Fields {
		if !f.Required || f.Default != "" {
			continue
		}
		from := `from {draft} d where {stays d} and {unfound d} and {unasked d}`
		fp := k.field(f.Name)
		if fp == nil {
			list = append(list, q(`insert into {problems} (row_no, code, field, col, value, detail)
				select d.row_no, @code, @field, '', '', '' {from}`,
				frag{"from": from}, arg{"code": string(problem.RequiredMissing), "field": k.plan.Named(f.Name)}))
			continue
		}
		from += ` and d.` + schema.Value(f.Name) + ` is null`
		with := frag{}
		switch {
		case fp.Draft >= 0:
			from += ` and not exists (select from {target} b where b.row_no = d.row_no)`
			with["target"] = k.Check.drafts[fp.Draft].table("became")
		case f.Kind().Form == catalog.LinkForm:
			from += ` and d.` + textColumn(f.Name) + ` is null`
		}
		from += ` and not exists (select from {problems} p where p.row_no = d.row_no and p.field = ` +
			schema.Literal(k.plan.Named(f.Name)) + `)`
		list = append(list, k.hold(problem.RequiredMissing, fp, `''`, from, with))
	}
	return k.do(ctx, stepRequired, list...)
}

// judge streams the values that records would have past the rules of their type.
func (k *draftCheck) judge(ctx context.Context, judge Judge) error {
	var cols, names []string
	for _, f := range k.plan.Type.Fields {
		text := schema.Text(f, schema.Column(f, "r"))
		if fp := k.field(f.Name); fp != nil {
			text = schema.Text(f, `(`+k.after(*fp)+`)`)
		}
		cols = append(cols, `coalesce(`+text+`, '')`)
		names = append(names, f.Name)
	}
	query, _, err := q(`
		select q.row_no, array[{values}]::text[]
		from {staged}
		where {stays q} and {unasked q}`, frag{"values": list(cols), "staged": k.staged()}).compose(k.word)
	if err != nil {
		return err
	}
	out := pgcopy.Into(ctx, k.room.onConn(k.run), k.Check.table("problems"), problemColumns)
	var texts []string
	values := map[string]string{}
	err = pgcopy.Out(ctx, k.room.reading, query, func(fields [][]byte) error {
		texts = pgcopy.TextsOf(fields[1], texts)
		for i, n := range names {
			values[n] = texts[i]
		}
		for _, p := range judge(values) {
			if fp := k.field(p.Field); fp != nil {
				p.Column = fp.Column()
			}
			p.Field = k.plan.Named(p.Field)
			addProblem(&out.Buffer, pgcopy.Int64Of(fields[0]), p)
			if err := out.Flush(); err != nil {
				return err
			}
		}
		return nil
	})
	if err := out.End(err); err != nil {
		return fmt.Errorf("%s: %w", stepJudge.does, err)
	}
	return nil
}

var stepReferred = step{does: "holds what other records point to", reads: "matches aside", writes: "problems"}

// holdReferred holds rows whose record others point to, but for those that go too.
func (k *draftCheck) holdReferred(ctx context.Context) error {
	var list []stmt
	for _, p := range k.catalog.PointingTo(k.plan.Type.Name) {
		also := `true`
		if p.Type.Name == k.plan.Type.Name {
			also = `x.id not in (select record_id from {matches})`
		}
		list = append(list, k.hold(problem.StillReferred, nil,
			`x.n || ' ' || `+schema.Literal(p.Type.Plural+" by "+p.Field.Label), `
			from {matches} d
			join (
				select {link} as id, count(*) as n from {pointing} x
				where {link} in (select record_id from {matches}) and {also}
				group by 1
			) x on x.id = d.record_id
			where {stays d}`,
			frag{"link": schema.Column(p.Field, "x"), "pointing": schema.Records(k.i.Workspace, p.Type.Name), "also": also}))
	}
	return k.do(ctx, stepReferred, list...)
}
