package store

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/matching"
	"uchi/internal/core/problem"
	"uchi/internal/core/verdict"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
)

// Check works out over staged drafts what each row would do: links, matches,
// duplicates within the source, differences, verdicts. It writes to staging
// alone. Every step is one set operation over all rows.
type Check struct {
	store   *Store
	id      int64
	before  string // tryPart when it is only tried
	ws      string
	plan    *mapping.Plan
	catalog catalog.Catalog
	columns map[string]int // position of a header among the cells
	drafts  []*draftCheck  // in the order of the routine
	run     func(step string, statements ...string) error
}

// draftCheck is the part of a check that is about one of the drafts of a row.
type draftCheck struct {
	*Check
	plan    *mapping.DraftPlan
	part    string // stands before the names of its tables; empty when a row makes one draft
	table   string // of the records
	weights matching.Weights
	cleared map[string]bool // fields that some row empties
	keeps   bool            // some answer keeps values of the record
	alike   map[string]bool // fields that likeness may compare
}

// NewCheck prepares the check of an import whose drafts are staged.
func (s *Store) NewCheck(i Import, plan *mapping.Plan, c catalog.Catalog) *Check {
	k := &Check{store: s, id: i.ID, ws: i.Workspace, plan: plan, catalog: c, columns: map[string]int{}}
	for _, col := range i.Columns.V {
		k.columns[col.Header] = col.Position
	}
	for n, dp := range plan.Drafts {
		d := &draftCheck{Check: k, plan: dp, table: recordTable(i.Workspace, dp.Type.Name)}
		if plan.Several() {
			d.part = fmt.Sprintf("d%d_", n+1)
		}
		k.drafts = append(k.drafts, d)
	}
	return k
}

// inOrder gives the drafts so that each comes after those it points to.
func (k *Check) inOrder() []*draftCheck {
	var list []*draftCheck
	for _, n := range k.plan.Order {
		list = append(list, k.drafts[n])
	}
	return list
}

// Writes tells how often record types have been written to, together; taken
// before the check, it lets the load see whether anybody has written since.
func (s *Store) Writes(ctx context.Context, workspace string, types []string) (int64, error) {
	var n int64
	err := s.db.GetContext(ctx, &n, `select coalesce(sum(writes), 0) from record_types where workspace = $1 and name = any($2)`, workspace, types)
	return n, err
}

// Try makes the check one that is only tried: it works in tables of its own,
// which Forget drops.
func (k *Check) Try() *Check {
	k.before = tryPart
	return k
}

// Forget drops what a check that was only tried has made.
func (k *Check) Forget(ctx context.Context) error { return k.store.dropDerived(ctx, k.id, tryPart) }

// Alone runs f while nobody else tries a check of the import.
func (s *Store) Alone(ctx context.Context, id int64, f func() error) error {
	return s.pool.AcquireFunc(ctx, func(conn *pgxpool.Conn) error {
		if _, err := conn.Exec(ctx, `select pg_advisory_lock(8845, $1)`, int32(id)); err != nil {
			return fmt.Errorf("try: %w", err)
		}
		defer conn.Exec(context.WithoutCancel(ctx), `select pg_advisory_unlock(8845, $1)`, int32(id)) //nolint:errcheck // the lock ends with the connection
		return f()
	})
}

func (k *Check) stage(part string) string {
	if part == "cells" {
		return stage(k.id, part)
	}
	return stage(k.id, k.before+part)
}

// stage names a table of the draft; cells and problems are those of the row.
func (k *draftCheck) stage(part string) string {
	if part == "cells" || part == "problems" {
		return k.Check.stage(part)
	}
	return k.Check.stage(k.part + part)
}

// Run carries out the steps and gives the totals. The rules of the record types
// are judged between, by judges, which see the values that records would have.
func (k *Check) Run(ctx context.Context, judges []Judge) (verdict.Totals, error) {
	var totals verdict.Totals
	err := k.store.pool.AcquireFunc(ctx, func(conn *pgxpool.Conn) error {
		// Room for the hash tables of a million rows.
		if _, err := conn.Exec(ctx, `set work_mem = '192MB'`); err != nil {
			return err
		}
		defer conn.Exec(context.WithoutCancel(ctx), `reset work_mem`) //nolint:errcheck // the connection is thrown away when this fails
		k.run = k.runner(ctx, conn.Conn())
		for _, d := range k.drafts {
			if err := d.begin(ctx, conn.Conn()); err != nil {
				return err
			}
		}
		for _, d := range k.inOrder() {
			if err := d.settle(ctx, conn.Conn()); err != nil {
				return err
			}
		}
		for n, d := range k.drafts {
			if err := d.examine(ctx, judges[n]); err != nil {
				return err
			}
		}
		if err := k.conclude(ctx, conn.Conn()); err != nil {
			return err
		}
		var err error
		totals, err = k.totals(ctx, conn.Conn())
		return err
	})
	return totals, err
}

// begin readies the staged drafts and finds the records that reference columns
// name.
func (k *draftCheck) begin(ctx context.Context, conn *pgx.Conn) error {
	own, _, err := k.store.Weights(ctx, k.ws, k.plan.Type.Name)
	if err != nil {
		return err
	}
	k.weights = own.Weights.V
	if err := k.prepare(ctx, conn); err != nil {
		return err
	}
	return k.run("links", k.links()...)
}

// settle finds for each draft the record that it is for, or the earlier row.
func (k *draftCheck) settle(ctx context.Context, conn *pgx.Conn) error {
	if err := k.run("drafts", k.leftOutWith()...); err != nil {
		return err
	}
	if k.plan.Shared {
		if err := k.run("repeats", k.collapse()...); err != nil {
			return err
		}
	}
	if err := k.find(ctx); err != nil {
		return err
	}
	if err := k.repeats(ctx, conn); err != nil {
		return err
	}
	if !k.plan.Shared {
		return nil
	}
	return k.became(ctx)
}

// examine holds drafts that lack a value, or against which rules or other
// records stand.
func (k *draftCheck) examine(ctx context.Context, judge Judge) error {
	if err := k.run("required values", k.required()...); err != nil {
		return err
	}
	if k.plan.May == mapping.Delete {
		return k.run("what refers to it", k.referred()...)
	}
	if len(k.plan.Type.Rules) == 0 {
		return nil
	}
	if err := k.judge(ctx, judge); err != nil {
		return fmt.Errorf("check, record rules: %w", err)
	}
	return nil
}

// conclude gives the verdicts.
func (k *Check) conclude(ctx context.Context, conn *pgx.Conn) error {
	err := k.run("problems", `create index on `+k.stage("problems")+` (row_no)`, `create index on `+k.stage("problems")+` (code, field, row_no)`, `analyze `+k.stage("problems"))
	if err != nil {
		return err
	}
	if k.plan.Several() {
		if err := k.run("questions", k.gather("questions"), k.gather("candidates")); err != nil {
			return err
		}
		if err := k.heldWith(ctx, conn); err != nil {
			return err
		}
	}
	q := []string{`create index on ` + k.stage("questions") + ` (kind, percent, row_no)`, `create index on ` + k.stage("candidates") + ` (row_no, draft, place)`, `analyze ` + k.stage("questions")}
	for _, d := range k.drafts {
		q = append(q, d.verdicts(), `alter table `+d.stage("verdicts")+` add primary key (row_no)`, `analyze `+d.stage("verdicts"))
	}
	if k.plan.Several() {
		q = append(q, k.rowVerdicts(), `alter table `+k.stage("verdicts")+` add primary key (row_no)`, `analyze `+k.stage("verdicts"))
	}
	return k.run("verdicts", append(q, `create index on `+k.stage("verdicts")+` (verdict, row_no)`,
		`create unlogged table `+k.stage("anchors")+` (word text not null, n bigint not null, row_no bigint not null, primary key (word, n))`, anchorsOf(k.stage, "verdicts", "verdict"))...)
}

// runner gives the function that runs the statements of a step.
func (k *Check) runner(ctx context.Context, conn *pgx.Conn) func(step string, statements ...string) error {
	return func(step string, statements ...string) error {
		for _, q := range statements {
			if q == "" {
				continue
			}
			began := time.Now()
			if _, err := conn.Exec(ctx, q); err != nil {
				return fmt.Errorf("check, %s: %w", step, err)
			}
			k.store.log.Debug("check", "import", k.id, "step", step, "ms", time.Since(began).Milliseconds(), "statement", firstLine(q)[:min(110, len(firstLine(q)))])
		}
		return nil
	}
}

// prepare readies the drafts and makes the tables that the steps fill; answers
// that were given before are settled first.
func (k *draftCheck) prepare(ctx context.Context, conn *pgx.Conn) error {
	aside, settled := k.stage("aside"), k.stage("settled")
	err := k.run("drafts", `alter table `+k.stage("draft")+` add primary key (row_no)`, `analyze `+k.stage("draft"),
		`create unlogged table `+k.stage("matches")+` (row_no bigint not null, record_id bigint not null, version integer not null, rule smallint not null, score real, alike text[])`,
		`create unlogged table `+k.stage("questions")+` (row_no bigint not null, kind text not null, rule smallint not null, candidates integer not null, percent real not null, draft text not null default `+lit(k.plan.Name)+`)`,
		`create unlogged table `+k.stage("candidates")+` (row_no bigint not null, place integer not null, record_id bigint, other_row bigint, percent real not null, reasons jsonb, against text[], alike text[], draft text not null default `+lit(k.plan.Name)+`)`,
		`create unlogged table `+settled+` as select a.row_no, a.choice, a.record_id, a.other_row, nullif(a.keep, '{}') as keep from (select distinct on (row_no) * from answers
			where import = `+itoa(k.id)+` and (draft = `+lit(k.plan.Name)+` or choice = 'leave_out') order by row_no, choice <> 'leave_out') a join `+k.stage("draft")+` d using (row_no)`,
		`alter table `+settled+` add primary key (row_no)`, `analyze `+settled,
		`insert into `+aside+` select row_no, `+lit(string(verdict.ByAnswer))+`, null from `+settled+` where choice = 'leave_out'`)
	if err != nil {
		return err
	}
	return k.observe(ctx, conn)
}

// observe looks at what the staged drafts and answers make use of.
func (k *draftCheck) observe(ctx context.Context, conn queryRower) error {
	var names []string
	err := conn.QueryRow(ctx, `select coalesce((select array_agg(distinct x) from `+k.stage("draft")+` d, unnest(d.cleared) x where d.cleared is not null), '{}'),
		exists (select from `+k.stage("settled")+` where keep is not null)`).Scan(&names, &k.keeps)
	if err != nil {
		return fmt.Errorf("look at the drafts: %w", err)
	}
	k.alike = map[string]bool{}
	for _, rule := range k.plan.Rules {
		for _, name := range rule.Alike {
			k.alike[name] = true
		}
	}
	k.cleared = map[string]bool{}
	for _, n := range names {
		k.cleared[n] = true
	}
	return nil
}

type queryRower interface {
	QueryRow(ctx context.Context, sql string, args ...any) pgx.Row
}

// value is the SQL for the cell that a field's value came from, as it stands in
// the source; it is asked for rows with problems alone.
func (k *draftCheck) value(fp mapping.FieldPlan) string {
	at, ok := k.columns[fp.Column()]
	if !ok {
		return `''`
	}
	return fmt.Sprintf(`coalesce((select left(c.cells[%d], %d) from %s c where c.row_no = d.row_no), '')`, at+1, longestShown, k.stage("cells"))
}

func lit(s string) string { return `'` + strings.ReplaceAll(s, `'`, `''`) + `'` }

func (k *draftCheck) problem(code problem.Code, fp *mapping.FieldPlan, detail, from string) string {
	field, col, val := lit(k.plan.Named("")), `''`, `''`
	if fp != nil {
		field, col, val = lit(k.plan.Named(fp.Field.Name)), lit(fp.Column()), k.value(*fp)
	}
	return `insert into ` + k.stage("problems") + ` select d.row_no, ` + lit(string(code)) + `, ` + field + `, ` + col + `, ` + val + `, ` + detail + ` ` + from
}

func (k *draftCheck) field(name string) *mapping.FieldPlan {
	i := slices.IndexFunc(k.plan.Fields, func(fp mapping.FieldPlan) bool { return fp.Field.Name == name })
	if i < 0 {
		return nil
	}
	return &k.plan.Fields[i]
}

func recordIDs(prefix string) string {
	return `string_agg(` + lit(prefix+"-") + ` || id, ', ' order by id)`
}

// links looks up, once for every different text, the record that it names: by
// a key first, else by a title that only one record has; or as the mapping says.
func (k *draftCheck) links() []string {
	q := []string{`create unlogged table ` + k.stage("links") + ` (field text not null, lookup text collate "C" not null, record_id bigint, finds integer not null, shown text)`}
	for i := range k.plan.Fields {
		fp := &k.plan.Fields[i]
		if fp.Field.Type != catalog.Reference || fp.Draft >= 0 {
			continue
		}
		target, _ := k.catalog.Type(fp.Field.To)
		table := recordTable(k.ws, target.Name)
		l, m := textColumn(fp.Field.Name), reachNameColumn(fp.Field.Name)
		hit := k.hitByText(target, table)
		if len(fp.Find) > 0 {
			hit = k.hitByFields(fp.Find, table)
		}
		f := lit(fp.Field.Name)
		q = append(q,
			`insert into `+k.stage("links")+`
			with want as materialized (select distinct `+l+` as l, `+m+` as m from `+k.stage("draft")+` where `+l+` is not null),
			`+hit+`
			select `+f+`, w.l, min(h.id), count(h.id), (select `+recordIDs(target.Prefix)+` from (select id from hit x where x.l = w.l order by id limit 5) five where count(h.id) > 1)
			from want w left join hit h on h.l = w.l group by w.l`,
			k.problem(problem.LinkNotFound, fp, lit(strings.ToLower(target.Label)), `from `+k.stage("draft")+` d join `+k.stage("links")+` x on x.field = `+f+` and x.lookup = d.`+l+` where x.finds = 0`),
			k.problem(problem.LinkAmbiguous, fp, `x.shown`, `from `+k.stage("draft")+` d join `+k.stage("links")+` x on x.field = `+f+` and x.lookup = d.`+l+` where x.finds > 1`),
			k.problem(problem.RecordMissing, fp, `''`, `from `+k.stage("draft")+` d where d.`+fieldColumn(fp.Field.Name)+` is not null
				and not exists (select from `+table+` r where r.id = d.`+fieldColumn(fp.Field.Name)+`)`))
	}
	return append(q, `create index on `+k.stage("links")+` (field, lookup)`, `analyze `+k.stage("links"))
}

// hitByText is the SQL that finds what one text names, as hit (l, id).
func (k *draftCheck) hitByText(target catalog.RecordType, table string) string {
	var keys []string
	for _, f := range target.Fields {
		if f.Normalised() {
			keys = append(keys, `select w.l, r.id from want w join `+table+` r on r.`+keyColumn(f.Name)+` = w.l`)
		}
	}
	if len(keys) == 0 {
		keys = append(keys, `select null::text as l, null::bigint as id where false`)
	}
	return `by_key as materialized (` + strings.Join(keys, " union ") + `),
			hit as (select l, id from by_key union all
				select w.l, r.id from want w join ` + table + ` r on r.` + titleColumn + ` = w.m where w.m <> '' and not exists (select from by_key b where b.l = w.l))`
}

// hitByFields is the SQL that finds records equal in all of the given fields, as
// hit (l, id).
func (k *draftCheck) hitByFields(parts []mapping.FindPart, table string) string {
	var on []string
	for n, part := range parts {
		column := textOf(part.Field, `r.`+fieldColumn(part.Field.Name))
		switch {
		case part.Field.Normalised():
			column = `r.` + keyColumn(part.Field.Name)
		case part.ByName:
			column = `r.` + nameColumn(part.Field.Name)
		}
		on = append(on, fmt.Sprintf(`split_part(w.l, E'\x1f', %d) <> '' and %s = split_part(w.l, E'\x1f', %d)`, n+1, column, n+1))
	}
	return `hit as (select w.l, r.id from want w join ` + table + ` r on ` + strings.Join(on, " and ") + `)`
}

// required finds rows that would make a record without a value it must have,
// or whose value could not be read.
func (k *draftCheck) required() []string {
	if k.plan.May == mapping.Update || k.plan.May == mapping.Delete {
		return nil
	}
	var q []string
	for _, f := range k.plan.Type.Fields {
		if !f.Required || f.Default != "" {
			continue
		}
		from := `from ` + k.stage("draft") + ` d where not exists (select from ` + k.stage("aside") + ` a where a.row_no = d.row_no) and not exists (select from ` + k.stage("matches") + ` m where m.row_no = d.row_no)
			and not exists (select from ` + k.stage("questions") + ` x where x.row_no = d.row_no)`
		fp := k.field(f.Name)
		if fp == nil {
			q = append(q, `insert into `+k.stage("problems")+` select d.row_no, `+lit(string(problem.RequiredMissing))+`, `+lit(k.plan.Named(f.Name))+`, '', '', '' `+from)
			continue
		}
		from += ` and d.` + fieldColumn(f.Name) + ` is null`
		if fp.Draft >= 0 {
			from += ` and not exists (select from ` + k.drafts[fp.Draft].stage("became") + ` b where b.row_no = d.row_no)`
		} else if f.Type == catalog.Reference {
			from += ` and d.` + textColumn(f.Name) + ` is null`
		}
		q = append(q, k.problem(problem.RequiredMissing, fp, `''`, from+` and not exists (select from `+k.stage("problems")+` p where p.row_no = d.row_no and p.field = `+lit(k.plan.Named(f.Name))+`)`))
	}
	return q
}

// reference is the SQL for the record that a reference field of the draft
// points to, given the join of linkJoins.
func referenceOf(name string) string {
	return `coalesce(d.` + fieldColumn(name) + `, ` + linkAlias(name) + `.record_id)` // the record that a draft is to become has its row's number below 0
}

func linkAlias(name string) string { return ident("x_" + name) }

func (k *draftCheck) references() []mapping.FieldPlan {
	var refs []mapping.FieldPlan
	for _, fp := range k.plan.Fields {
		if fp.Field.Type == catalog.Reference {
			refs = append(refs, fp)
		}
	}
	return refs
}

func (k *draftCheck) linkJoins() string {
	var b strings.Builder
	for _, fp := range k.references() {
		a := linkAlias(fp.Field.Name)
		if fp.Draft >= 0 {
			b.WriteString(` left join ` + k.drafts[fp.Draft].stage("became") + ` ` + a + ` on ` + a + `.row_no = d.row_no`)
			continue
		}
		b.WriteString(` left join ` + k.stage("links") + ` ` + a + ` on ` + a + `.field = ` + lit(fp.Field.Name) + ` and ` + a + `.lookup = d.` + textColumn(fp.Field.Name))
	}
	return b.String()
}

// shown is the SQL for a value as it stands in differences: the canonical text,
// for references the record's id.
func (k *draftCheck) shown(f catalog.Field, column string) string {
	if f.Type != catalog.Reference {
		return textOf(f, column)
	}
	t, _ := k.catalog.Type(f.To)
	if fp := k.field(f.Name); fp != nil && fp.Draft >= 0 {
		return `case when ` + column + ` < 0 then ` + lit("new "+strings.ToLower(t.Label)+" of row ") + ` || -` + column + ` else ` + lit(t.Prefix+"-") + ` || ` + column + ` end`
	}
	return lit(t.Prefix+"-") + ` || ` + column
}

// referred holds rows whose record others point to, but for those that go too.
func (k *draftCheck) referred() []string {
	var q []string
	for _, t := range k.catalog.Types {
		for _, f := range t.Fields {
			if f.Type != catalog.Reference || f.To != k.plan.Type.Name {
				continue
			}
			also := ``
			if t.Name == k.plan.Type.Name {
				also = ` and x.id not in (select record_id from ` + k.stage("matches") + `)`
			}
			q = append(q, k.problem(problem.StillReferred, nil, `x.n || ' ' || `+lit(t.Plural+" by "+f.Label), `from `+k.stage("matches")+` d join
				(select x.`+fieldColumn(f.Name)+` as id, count(*) as n from `+recordTable(k.ws, t.Name)+` x where x.`+fieldColumn(f.Name)+` in (select record_id from `+k.stage("matches")+`)`+also+` group by 1) x
				on x.id = d.record_id where not exists (select from `+k.stage("aside")+` a where a.row_no = d.row_no)`))
		}
	}
	return q
}

// verdicts computes the difference of every row once and gives the verdict.
func (k *draftCheck) verdicts() string {
	var differ, pairs []string
	for _, fp := range k.plan.Fields {
		f := fp.Field
		was := `r.` + fieldColumn(f.Name)
		after := k.after(fp, "q", "r", now(f))
		d := after + ` is distinct from ` + was
		differ = append(differ, `(`+d+`)`)
		pairs = append(pairs, lit(f.Name)+`, case when `+d+` then jsonb_build_array(`+k.shown(f, was)+`, `+k.shown(f, `(`+after+`)`)+`) end`)
	}
	changed, changes := `false`, `null::jsonb`
	if len(differ) > 0 && k.plan.May != mapping.Delete {
		changed = strings.Join(differ, " or ")
		var groups []string
		for group := range slices.Chunk(pairs, 45) { // a function takes at most 100 arguments
			groups = append(groups, `jsonb_build_object(`+strings.Join(group, ", ")+`)`)
		}
		changes = `jsonb_strip_nulls(` + strings.Join(groups, " || ") + `)`
	}
	var refs, none string
	for _, fp := range k.references() {
		refs += `, q.` + resolvedColumn(fp.Field.Name) + ` as ` + fieldColumn(fp.Field.Name)
		none += `, null::bigint`
	}
	v := func(c verdict.Case) string { return lit(string(verdict.Decide(k.plan.May, c))) }
	reason := func(r verdict.Reason) string { return lit(string(r)) }
	return `create unlogged table ` + k.stage("verdicts") + ` as select q.row_no, q.record_id, q.version, q.found_by, q.score, q.alike` + refs + `,
		case when a.row_no is not null then ` + v(verdict.Case{LeftOut: true}) + `
			when p.row_no is not null then ` + v(verdict.Case{Problems: true}) + `
			when x.row_no is not null then ` + v(verdict.Case{Question: true}) + `
			when q.record_id is null then ` + v(verdict.Case{}) + `
			when ` + changed + ` then ` + v(verdict.Case{Found: true, Changes: true}) + ` else ` + v(verdict.Case{Found: true}) + ` end collate "C" as verdict,
		case when q.record_id is not null and a.row_no is null and (` + changed + `) then ` + changes + ` end as changes,
		case when a.row_no is not null then a.why
			when p.row_no is null and x.row_no is null and q.record_id is null and ` + fmt.Sprint(verdict.Decide(k.plan.May, verdict.Case{}) == verdict.Skip) + ` then ` + reason(verdict.NothingFound) + `
			when p.row_no is null and x.row_no is null and q.record_id is not null and ` + fmt.Sprint(verdict.Decide(k.plan.May, verdict.Case{Found: true}) == verdict.Skip) + ` then ` + reason(verdict.AlreadyThere) + ` end as why,
		a.other_row
		from ` + k.staged() + ` left join ` + k.stage("aside") + ` a on a.row_no = q.row_no
		left join (select distinct row_no from ` + k.stage("problems") + `) p on p.row_no = q.row_no
		left join (select distinct row_no from ` + k.Check.stage("questions") + `) x on x.row_no = q.row_no
		union all select row_no, null, null, null, null, null` + none + `, ` + lit(string(verdict.Skip)) + ` collate "C", null, why, other_row from ` + k.stage("aside") + ` a
		where not exists (select from ` + k.stage("draft") + ` d where d.row_no = a.row_no)`
}

func (k *Check) totals(ctx context.Context, conn *pgx.Conn) (verdict.Totals, error) {
	t := verdict.Totals{Verdicts: map[string]int64{}, Problems: []verdict.ProblemCount{}, Changes: []verdict.FieldCount{}}
	rows, err := conn.Query(ctx, `select verdict, count(*) from `+k.stage("verdicts")+` group by verdict`)
	if err != nil {
		return t, fmt.Errorf("count verdicts: %w", err)
	}
	var v string
	var n int64
	if _, err := pgx.ForEachRow(rows, []any{&v, &n}, func() error { t.Verdicts[v] = n; t.Rows += n; return nil }); err != nil {
		return t, fmt.Errorf("count verdicts: %w", err)
	}
	rows, err = conn.Query(ctx, `select code, field, count(distinct row_no) as count from `+k.stage("problems")+` group by code, field order by count desc, code, field`)
	if err != nil {
		return t, fmt.Errorf("count problems: %w", err)
	}
	if t.Problems, err = pgx.CollectRows(rows, pgx.RowToStructByName[verdict.ProblemCount]); err != nil {
		return t, fmt.Errorf("count problems: %w", err)
	}
	for _, d := range k.drafts {
		if err := d.count(ctx, conn, &t); err != nil {
			return t, err
		}
	}
	rows, err = conn.Query(ctx, `select q.kind, count(*) from `+k.stage("questions")+` q join `+k.stage("verdicts")+` v using (row_no) where v.verdict = 'ask' group by q.kind order by q.kind`)
	if err != nil {
		return t, fmt.Errorf("count questions: %w", err)
	}
	if t.Asked, err = pgx.CollectRows(rows, pgx.RowToStructByName[verdict.AskedCount]); err != nil {
		return t, fmt.Errorf("count questions: %w", err)
	}
	rows, err = conn.Query(ctx, `select why as reason, count(*) from `+k.stage("verdicts")+` where why is not null group by why order by why`)
	if err != nil {
		return t, fmt.Errorf("count reasons: %w", err)
	}
	if t.Reasons, err = pgx.CollectRows(rows, pgx.RowToStructByName[verdict.ReasonCount]); err != nil {
		return t, fmt.Errorf("count reasons: %w", err)
	}
	return t, nil
}

// count counts what is said of one draft of the rows.
func (k *draftCheck) count(ctx context.Context, conn *pgx.Conn, t *verdict.Totals) error {
	of := verdict.DraftCount{Name: k.plan.Name, Type: k.plan.Type.Name, Verdicts: map[string]int64{}}
	rows, err := conn.Query(ctx, `select verdict, count(*) from `+k.stage("verdicts")+` group by verdict`)
	if err != nil {
		return fmt.Errorf("count verdicts: %w", err)
	}
	var v string
	var n int64
	if _, err := pgx.ForEachRow(rows, []any{&v, &n}, func() error { of.Verdicts[v] = n; return nil }); err != nil {
		return fmt.Errorf("count verdicts: %w", err)
	}
	t.Drafts = append(t.Drafts, of)
	rows, err = conn.Query(ctx, `select e.key as field, count(*) as count, count(*) filter (where e.value->>0 is not null) as over
		from `+k.stage("verdicts")+` v, jsonb_each(v.changes) e where v.verdict = 'update' group by e.key order by count desc, e.key`)
	if err != nil {
		return fmt.Errorf("count changes: %w", err)
	}
	changes, err := pgx.CollectRows(rows, pgx.RowToStructByName[verdict.FieldCount])
	if err != nil {
		return fmt.Errorf("count changes: %w", err)
	}
	for _, c := range changes {
		c.Field = k.plan.Named(c.Field)
		t.Changes = append(t.Changes, c)
	}
	if k.plan.May == mapping.Delete {
		return k.countReferred(ctx, conn, t)
	}
	return nil
}

// countReferred tells how many records point to those that the rows name.
func (k *draftCheck) countReferred(ctx context.Context, conn *pgx.Conn, t *verdict.Totals) error {
	for _, rt := range k.catalog.Types {
		for _, f := range rt.Fields {
			if f.Type != catalog.Reference || f.To != k.plan.Type.Name {
				continue
			}
			c := verdict.ReferredCount{Type: rt.Name, Field: f.Name}
			err := conn.QueryRow(ctx, `select count(*) from `+recordTable(k.ws, rt.Name)+` x where x.`+fieldColumn(f.Name)+` in (select record_id from `+k.stage("matches")+`)`).Scan(&c.Count)
			if err != nil {
				return fmt.Errorf("count what refers: %w", err)
			}
			if c.Count > 0 {
				t.Referred = append(t.Referred, c)
			}
		}
	}
	return nil
}

// Judge says which rules of its type a record with these values (by field name,
// canonical texts) would break.
type Judge func(values map[string]string) []problem.Problem

// judge streams the values that records would have past the rules of their type.
func (k *draftCheck) judge(ctx context.Context, judge Judge) error {
	var cols, names []string
	for _, f := range k.plan.Type.Fields {
		value := textOf(f, `r.`+fieldColumn(f.Name))
		if fp := k.field(f.Name); fp != nil {
			value = textOf(f, `(`+k.after(*fp, "q", "r", now(f))+`)`)
		}
		cols = append(cols, `coalesce(`+value+`, '')`)
		names = append(names, f.Name)
	}
	query := `select q.row_no, array[` + strings.Join(cols, ", ") + `]::text[] from ` + k.staged() + `
		where not exists (select from ` + k.stage("aside") + ` a where a.row_no = q.row_no) and not exists (select from ` + k.stage("questions") + ` x where x.row_no = q.row_no)`
	out := copyInto(ctx, k.store.pool, k.stage("problems"), problemColumns)
	var texts []string
	values := map[string]string{}
	err := copyOut(ctx, k.store.pool, query, func(fields [][]byte) error {
		texts = textArray(fields[1], texts)
		for i, n := range names {
			values[n] = texts[i]
		}
		for _, p := range judge(values) {
			if fp := k.field(p.Field); fp != nil {
				p.Column = fp.Column()
			}
			p.Field = k.plan.Named(p.Field)
			if err := addProblem(out, int64Of(fields[0]), p); err != nil {
				return err
			}
		}
		return nil
	})
	return out.end(err)
}
