package store

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
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
	ws      string
	plan    *mapping.DraftPlan
	may     mapping.May
	catalog catalog.Catalog
	columns map[string]int // position of a header among the cells
	table   string         // of the records
}

// NewCheck prepares the check of an import whose drafts are staged.
func (s *Store) NewCheck(i Import, plan *mapping.DraftPlan, may mapping.May, c catalog.Catalog) *Check {
	k := &Check{store: s, id: i.ID, ws: i.Workspace, plan: plan, may: may, catalog: c, columns: map[string]int{}, table: recordTable(i.Workspace, plan.Type.Name)}
	for _, col := range i.Columns.V {
		k.columns[col.Header] = col.Position
	}
	return k
}

// Writes tells how often the record type has been written to; taken before the
// check, it lets the load see whether anybody has written since.
func (s *Store) Writes(ctx context.Context, workspace, typeName string) (int64, error) {
	var n int64
	err := s.db.GetContext(ctx, &n, `select writes from record_types where workspace = $1 and name = $2`, workspace, typeName)
	return n, err
}

func (k *Check) stage(part string) string { return stage(k.id, part) }

// Run carries out the steps and gives the totals. The rules of the record type
// are judged between, by judge, which sees the values that records would have.
func (k *Check) Run(ctx context.Context, judge Judge) (verdict.Totals, error) {
	var totals verdict.Totals
	err := k.store.pool.AcquireFunc(ctx, func(conn *pgxpool.Conn) error {
		// Room for the hash tables of a million rows.
		if _, err := conn.Exec(ctx, `set work_mem = '192MB'`); err != nil {
			return err
		}
		defer conn.Exec(context.WithoutCancel(ctx), `reset work_mem`) //nolint:errcheck // the connection is thrown away when this fails
		run := func(step string, statements ...string) error {
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
		if err := run("drafts", `alter table `+k.stage("draft")+` add primary key (row_no)`, `analyze `+k.stage("draft")); err != nil {
			return err
		}
		if err := run("links", k.links()...); err != nil {
			return err
		}
		if err := run("matches", k.matches()...); err != nil {
			return err
		}
		if err := run("duplicates", k.duplicates()...); err != nil {
			return err
		}
		if err := run("required values", k.required()...); err != nil {
			return err
		}
		if len(k.plan.Type.Rules) > 0 {
			if err := k.judge(ctx, judge); err != nil {
				return fmt.Errorf("check, record rules: %w", err)
			}
		}
		err := run("verdicts", `create index on `+k.stage("problems")+` (row_no)`, `create index on `+k.stage("problems")+` (code, field, row_no)`, `analyze `+k.stage("problems"),
			k.verdicts(), `alter table `+k.stage("verdicts")+` add primary key (row_no)`, `create index on `+k.stage("verdicts")+` (verdict, row_no)`, `analyze `+k.stage("verdicts"),
			`create unlogged table `+k.stage("anchors")+` (word text not null, n bigint not null, row_no bigint not null, primary key (word, n))`, anchorsOf(k.id, "verdicts", "verdict"))
		if err != nil {
			return err
		}
		totals, err = k.totals(ctx, conn.Conn())
		return err
	})
	return totals, err
}

// value is the SQL for the cell that a field's value came from, as it stands in
// the source; it is asked for rows with problems alone.
func (k *Check) value(fp mapping.FieldPlan) string {
	at, ok := k.columns[fp.Column()]
	if !ok {
		return `''`
	}
	return fmt.Sprintf(`coalesce((select left(c.cells[%d], %d) from %s c where c.row_no = d.row_no), '')`, at+1, longestShown, k.stage("cells"))
}

func lit(s string) string { return `'` + strings.ReplaceAll(s, `'`, `''`) + `'` }

func (k *Check) problem(code problem.Code, fp *mapping.FieldPlan, detail, from string) string {
	field, col, val := `''`, `''`, `''`
	if fp != nil {
		field, col, val = lit(fp.Field.Name), lit(fp.Column()), k.value(*fp)
	}
	return `insert into ` + k.stage("problems") + ` select d.row_no, ` + lit(string(code)) + `, ` + field + `, ` + col + `, ` + val + `, ` + detail + ` ` + from
}

func (k *Check) field(name string) *mapping.FieldPlan {
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
// a key first, else by a title that only one record has.
func (k *Check) links() []string {
	q := []string{`create unlogged table ` + k.stage("links") + ` (field text not null, lookup text collate "C" not null, record_id bigint, finds integer not null, shown text)`}
	for i := range k.plan.Fields {
		fp := &k.plan.Fields[i]
		if fp.Field.Type != catalog.Reference {
			continue
		}
		target, _ := k.catalog.Type(fp.Field.To)
		table := recordTable(k.ws, target.Name)
		l, m := textColumn(fp.Field.Name), reachNameColumn(fp.Field.Name)
		var keys []string
		for _, f := range target.Fields {
			if f.Normalised() {
				keys = append(keys, `select w.l, r.id from want w join `+table+` r on r.`+keyColumn(f.Name)+` = w.l`)
			}
		}
		if len(keys) == 0 {
			keys = append(keys, `select null::text as l, null::bigint as id where false`)
		}
		f := lit(fp.Field.Name)
		q = append(q,
			`insert into `+k.stage("links")+`
			with want as materialized (select distinct `+l+` as l, `+m+` as m from `+k.stage("draft")+` where `+l+` is not null),
			by_key as materialized (`+strings.Join(keys, " union ")+`),
			hit as (select l, id from by_key union all
				select w.l, r.id from want w join `+table+` r on r.`+titleColumn+` = w.m where w.m <> '' and not exists (select from by_key b where b.l = w.l))
			select `+f+`, w.l, min(h.id), count(h.id), (select `+recordIDs(target.Prefix)+` from (select id from hit x where x.l = w.l order by id limit 5) five where count(h.id) > 1)
			from want w left join hit h on h.l = w.l group by w.l`,
			k.problem(problem.LinkNotFound, fp, lit(strings.ToLower(target.Label)), `from `+k.stage("draft")+` d join `+k.stage("links")+` x on x.field = `+f+` and x.lookup = d.`+l+` where x.finds = 0`),
			k.problem(problem.LinkAmbiguous, fp, `x.shown`, `from `+k.stage("draft")+` d join `+k.stage("links")+` x on x.field = `+f+` and x.lookup = d.`+l+` where x.finds > 1`),
			k.problem(problem.RecordMissing, fp, `''`, `from `+k.stage("draft")+` d where d.`+fieldColumn(fp.Field.Name)+` is not null
				and not exists (select from `+table+` r where r.id = d.`+fieldColumn(fp.Field.Name)+`)`))
	}
	return append(q, `create index on `+k.stage("links")+` (field, lookup)`, `analyze `+k.stage("links"))
}

// on joins the columns of a match rule between draft d and record r.
func (k *Check) on(rule catalog.MatchRule) string {
	var parts []string
	for _, name := range rule.Fields {
		if name == mapping.IDField {
			parts = append(parts, `r.id = d.id`)
			continue
		}
		parts = append(parts, `r.`+keyColumn(name)+` = d.`+keyColumn(name))
	}
	return strings.Join(parts, " and ")
}

func (k *Check) unique(rule catalog.MatchRule) bool {
	for _, name := range rule.Fields {
		if f, _ := k.plan.Type.Field(name); name == mapping.IDField || f.Key {
			return true
		}
	}
	return false
}

// matches finds the record of each row by the rules in their order; a row that
// one rule has settled is not looked up by the next.
func (k *Check) matches() []string {
	q := []string{`create unlogged table ` + k.stage("matches") + ` (row_no bigint not null, record_id bigint not null, version integer not null, rule smallint not null)`}
	draft, matches := k.stage("draft"), k.stage("matches")
	for n, rule := range k.plan.Rules {
		rest := ""
		if n > 0 {
			rest = ` and not exists (select from ` + matches + ` m where m.row_no = d.row_no)`
		}
		if k.plan.HasID && rule.Fields[0] != mapping.IDField {
			rest += ` and d.id is null` // who names a record means it
		}
		if k.unique(rule) {
			q = append(q, fmt.Sprintf(`insert into %s select d.row_no, r.id, r.version, %d from %s d join %s r on %s where true%s`, matches, n+1, draft, k.table, k.on(rule), rest))
		} else {
			several := k.stage("several")
			q = append(q, `drop table if exists `+several,
				`create unlogged table `+several+` as select d.row_no, min(r.id) as record_id, count(*) as finds, (array_agg(r.id order by r.id))[1:5] as ids
				from `+draft+` d join `+k.table+` r on `+k.on(rule)+` where true`+rest+` group by d.row_no`,
				fmt.Sprintf(`insert into %s select x.row_no, x.record_id, r.version, %d from %s x join %s r on r.id = x.record_id`, matches, n+1, several, k.table),
				k.problem(problem.SeveralFound, k.field(rule.Fields[0]), `(select `+recordIDs(k.plan.Type.Prefix)+` from unnest(x.ids) id) || case when x.finds > 5 then ', …' else '' end`,
					`from `+several+` d join `+several+` x using (row_no) where x.finds > 1`),
				`drop table `+several)
		}
		q = append(q, `analyze `+matches)
	}
	q = append(q, `create index on `+matches+` (row_no)`, `analyze `+matches)
	if k.plan.HasID {
		q = append(q, `insert into `+k.stage("problems")+` select d.row_no, `+lit(string(problem.RecordMissing))+`, 'id', '', `+lit(k.plan.Type.Prefix+"-")+` || d.id, ''
			from `+draft+` d where d.id is not null and not exists (select from `+matches+` m where m.row_no = d.row_no)`)
	}
	return q
}

// duplicates finds rows that are for the same record (the later names the
// earlier) and keys that another record has.
func (k *Check) duplicates() []string {
	draft, matches := k.stage("draft"), k.stage("matches")
	earlier := `'' || x.first`
	q := []string{k.problem(problem.DuplicateRow, nil, earlier, `from `+matches+` d join (select record_id, min(row_no) as first from `+matches+` group by record_id having count(*) > 1) x
		using (record_id) where d.row_no > x.first`)}
	once := ` and not exists (select from ` + k.stage("problems") + ` p where p.row_no = d.row_no and p.code = ` + lit(string(problem.DuplicateRow)) + `)`
	var done []string
	// Of the rows that are alike, the one that has a record stands, else the
	// first; the others are held unless they have found a record of their own.
	same := func(fields []string, all bool) {
		var cols, filled []string
		for _, name := range fields {
			cols = append(cols, keyColumn(name))
			filled = append(filled, `d.`+keyColumn(name)+` is not null`)
		}
		list := strings.Join(cols, ", ")
		if slices.Contains(done, list) {
			return
		}
		done = append(done, list)
		others := ` and not exists (select from ` + matches + ` m where m.row_no = d.row_no)`
		if all {
			others = ""
		}
		// What stands twice is found by its key alone first: mostly there is nothing.
		q = append(q, `drop table if exists `+k.stage("twice"), `create unlogged table `+k.stage("twice")+` as select `+list+` from `+draft+` d where `+strings.Join(filled, " and ")+`
			group by `+list+` having count(*) > 1`, `analyze `+k.stage("twice"),
			k.problem(problem.DuplicateRow, k.field(fields[0]), earlier, `from `+draft+` d join (select `+list+`, coalesce(min(m.row_no), min(d.row_no)) as first
			from `+k.stage("twice")+` t join `+draft+` d using (`+list+`) left join `+matches+` m on m.row_no = d.row_no group by `+list+`) x using (`+list+`)
			where d.row_no <> x.first`+others+once), `drop table `+k.stage("twice"))
	}
	for i := range k.plan.Fields {
		fp := &k.plan.Fields[i]
		if !fp.Field.Key {
			continue
		}
		same([]string{fp.Field.Name}, true)
		col := keyColumn(fp.Field.Name)
		own := k.ruleOf(fp.Field.Name)
		if own != 1 { // rows that are looked up by this key first have found whoever has it
			q = append(q, k.problem(problem.KeyTaken, fp, lit(k.plan.Type.Prefix+"-")+` || r.id`, `from `+draft+` d join `+k.table+` r on r.`+col+` = d.`+col+`
				left join `+matches+` m on m.row_no = d.row_no where m.record_id is distinct from r.id`))
		}
		if len(k.plan.Rules) > 1 || own == 0 {
			q = append(q, k.problem(problem.KeyDiffers, fp, lit(k.plan.Type.Prefix+"-")+` || r.id || ' has ' || r.`+fieldColumn(fp.Field.Name), `from `+matches+` m join `+draft+` d on d.row_no = m.row_no
				join `+k.table+` r on r.id = m.record_id where r.`+col+` <> d.`+col+fmt.Sprintf(` and m.rule <> %d`, own)+k.notByID()))
		}
	}
	for _, rule := range k.plan.Rules {
		if rule.Fields[0] != mapping.IDField {
			same(rule.Fields, false)
		}
	}
	return q
}

// ruleOf gives the number of the rule that looks a row up by one field alone, 0
// for none.
func (k *Check) ruleOf(field string) int {
	for n, rule := range k.plan.Rules {
		if len(rule.Fields) == 1 && rule.Fields[0] == field {
			return n + 1
		}
	}
	return 0
}

// notByID leaves out the rows that name their record by its id: they may give
// it another key.
func (k *Check) notByID() string {
	for n, rule := range k.plan.Rules {
		if rule.Fields[0] == mapping.IDField {
			return fmt.Sprintf(` and m.rule <> %d`, n+1)
		}
	}
	return ""
}

// required finds rows that would make a record without a value it must have,
// or whose value could not be read.
func (k *Check) required() []string {
	if k.may == mapping.Update {
		return nil
	}
	var q []string
	for _, f := range k.plan.Type.Fields {
		if !f.Required || f.Default != "" {
			continue
		}
		from := `from ` + k.stage("draft") + ` d where not exists (select from ` + k.stage("matches") + ` m where m.row_no = d.row_no)`
		fp := k.field(f.Name)
		if fp == nil {
			q = append(q, `insert into `+k.stage("problems")+` select d.row_no, `+lit(string(problem.RequiredMissing))+`, `+lit(f.Name)+`, '', '', '' `+from)
			continue
		}
		from += ` and d.` + fieldColumn(f.Name) + ` is null`
		if f.Type == catalog.Reference {
			from += ` and d.` + textColumn(f.Name) + ` is null`
		}
		q = append(q, k.problem(problem.RequiredMissing, fp, `''`, from+` and not exists (select from `+k.stage("problems")+` p where p.row_no = d.row_no and p.field = `+lit(f.Name)+`)`))
	}
	return q
}

// reference is the SQL for the record that a reference field of the draft
// points to, given the join of linkJoins.
func referenceOf(name string) string {
	return `coalesce(d.` + fieldColumn(name) + `, ` + linkAlias(name) + `.record_id)`
}

func linkAlias(name string) string { return ident("x_" + name) }

func (k *Check) references() []mapping.FieldPlan {
	var refs []mapping.FieldPlan
	for _, fp := range k.plan.Fields {
		if fp.Field.Type == catalog.Reference {
			refs = append(refs, fp)
		}
	}
	return refs
}

func (k *Check) linkJoins() string {
	var b strings.Builder
	for _, fp := range k.references() {
		a := linkAlias(fp.Field.Name)
		b.WriteString(` left join ` + k.stage("links") + ` ` + a + ` on ` + a + `.field = ` + lit(fp.Field.Name) + ` and ` + a + `.lookup = d.` + textColumn(fp.Field.Name))
	}
	return b.String()
}

// now is the SQL for a field's value in the draft, references resolved.
func now(f catalog.Field) string {
	if f.Type == catalog.Reference {
		return referenceOf(f.Name)
	}
	return `d.` + fieldColumn(f.Name)
}

// shown is the SQL for a value as it stands in differences: the canonical text,
// for references the record's id.
func (k *Check) shown(f catalog.Field, column string) string {
	if f.Type == catalog.Reference {
		t, _ := k.catalog.Type(f.To)
		return lit(t.Prefix+"-") + ` || ` + column
	}
	return textOf(f, column)
}

// verdicts computes the difference of every row once and gives the verdict.
func (k *Check) verdicts() string {
	var differ, pairs []string
	for _, fp := range k.plan.Fields {
		f := fp.Field
		n, was := now(f), `r.`+fieldColumn(f.Name)
		d := n + ` is not null and ` + n + ` is distinct from ` + was
		if f.Normalised() { // another spelling of the same key says nothing new
			d = `d.` + keyColumn(f.Name) + ` is distinct from r.` + keyColumn(f.Name) + ` and ` + n + ` is not null`
		}
		differ = append(differ, `(`+d+`)`)
		pairs = append(pairs, lit(f.Name)+`, case when `+d+` then jsonb_build_array(`+k.shown(f, was)+`, `+k.shown(f, n)+`) end`)
	}
	changed, changes := `false`, `null::jsonb`
	if len(differ) > 0 {
		changed = strings.Join(differ, " or ")
		var groups []string
		for group := range slices.Chunk(pairs, 45) { // a function takes at most 100 arguments
			groups = append(groups, `jsonb_build_object(`+strings.Join(group, ", ")+`)`)
		}
		changes = `jsonb_strip_nulls(` + strings.Join(groups, " || ") + `)`
	}
	var refs, none string
	for _, fp := range k.references() {
		refs += `, ` + referenceOf(fp.Field.Name) + ` as ` + fieldColumn(fp.Field.Name)
		none += `, null::bigint`
	}
	v := func(c verdict.Case) string { return lit(string(verdict.Decide(k.may, c))) }
	return `create unlogged table ` + k.stage("verdicts") + ` as select d.row_no, m.record_id, m.version, m.rule` + refs + `,
		case when p.row_no is not null then ` + v(verdict.Case{Problems: true}) + `
			when m.record_id is null then ` + v(verdict.Case{}) + `
			when ` + changed + ` then ` + v(verdict.Case{Found: true, Changes: true}) + ` else ` + v(verdict.Case{Found: true}) + ` end collate "C" as verdict,
		case when m.record_id is not null and (` + changed + `) then ` + changes + ` end as changes
		from ` + k.stage("draft") + ` d left join ` + k.stage("matches") + ` m on m.row_no = d.row_no
		left join ` + k.table + ` r on r.id = m.record_id
		left join (select distinct row_no from ` + k.stage("problems") + `) p on p.row_no = d.row_no` + k.linkJoins() + `
		union all select row_no, null, null, null` + none + `, ` + lit(string(verdict.Skip)) + ` collate "C", null from ` + k.stage("left")
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
	rows, err = conn.Query(ctx, `select e.key as field, count(*) as count, count(*) filter (where e.value->>0 is not null) as over
		from `+k.stage("verdicts")+` v, jsonb_each(v.changes) e where v.verdict = 'update' group by e.key order by count desc, e.key`)
	if err != nil {
		return t, fmt.Errorf("count changes: %w", err)
	}
	if t.Changes, err = pgx.CollectRows(rows, pgx.RowToStructByName[verdict.FieldCount]); err != nil {
		return t, fmt.Errorf("count changes: %w", err)
	}
	return t, nil
}

// Judge says which rules of its type a record with these values (by field name,
// canonical texts) would break.
type Judge func(values map[string]string) []problem.Problem

// judge streams the values that records would have past the rules of their type.
func (k *Check) judge(ctx context.Context, judge Judge) error {
	var cols, names []string
	for _, f := range k.plan.Type.Fields {
		value := textOf(f, `r.`+fieldColumn(f.Name))
		if fp := k.field(f.Name); fp != nil {
			value = textOf(f, `coalesce(`+now(f)+`, r.`+fieldColumn(f.Name)+`)`)
		}
		cols = append(cols, `coalesce(`+value+`, '')`)
		names = append(names, f.Name)
	}
	query := `select d.row_no, array[` + strings.Join(cols, ", ") + `]::text[] from ` + k.stage("draft") + ` d left join ` + k.stage("matches") + ` m on m.row_no = d.row_no
		left join ` + k.table + ` r on r.id = m.record_id` + k.linkJoins()
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
			if err := addProblem(out, int64Of(fields[0]), p); err != nil {
				return err
			}
		}
		return nil
	})
	return out.end(err)
}
