package store

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/problem"
	"uchi/internal/core/verdict"

	"github.com/jackc/pgx/v5"
)

func itoa[T int | int64](n T) string { return strconv.FormatInt(int64(n), 10) }

// on joins the columns of a match rule between draft d and record r.
func (k *draftCheck) on(rule catalog.MatchRule) string {
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

// byID reports whether the rule finds by the record's id.
func byID(rule catalog.MatchRule) bool { return slices.Equal(rule.Fields, []string{mapping.IDField}) }

// unique reports whether a rule of fields that must be equal can find one
// record at most.
func (k *draftCheck) unique(rule catalog.MatchRule) bool {
	for _, name := range rule.Fields {
		if f, _ := k.plan.Type.Field(name); name == mapping.IDField || f.Key {
			return true
		}
	}
	return false
}

// unsettled chooses the rows (by their alias) for which no answer or earlier rule has found
// anything, not even a question.
func (k *draftCheck) unsettled(row string) string {
	var s string
	for _, part := range []string{"matches", "questions", "aside", "settled"} {
		s += ` and not exists (select from ` + k.stage(part) + ` x where x.row_no = ` + row + `.row_no)`
	}
	if k.plan.HasID {
		s += ` and ` + row + `.id is null` // who names a record means it
	}
	return s
}

// find looks the record of each row up: as people have answered, then by the
// rules in their order; a row that one rule has settled is not looked up by the
// next.
func (k *draftCheck) find(ctx context.Context) error {
	draft, matches, settled := k.stage("draft"), k.stage("matches"), k.stage("settled")
	err := k.run("answers", fmt.Sprintf(`insert into %s select s.row_no, r.id, r.version, 0 from %s s join %s r on r.id = s.record_id where s.choice = 'take'`, matches, settled, k.table),
		k.problem(problem.AnswerGone, nil, lit(k.plan.Type.Prefix+"-")+` || s.record_id`, `from `+settled+` d join `+settled+` s using (row_no)
			where s.choice = 'take' and s.record_id is not null and not exists (select from `+matches+` m where m.row_no = s.row_no)`))
	if err != nil {
		return err
	}
	if err := k.findByRow(ctx); err != nil {
		return err
	}
	if err := k.run("answers", `analyze `+matches); err != nil {
		return err
	}
	byName := !k.plan.ByName
	for n, rule := range k.plan.Rules {
		if len(rule.Alike) > 0 && !byName {
			byName = true
			if err := k.run("matches", k.findByTitle(), `analyze `+matches); err != nil {
				return err
			}
		}
		switch {
		case len(rule.Alike) > 0:
			err = k.findAlike(ctx, n+1, rule)
		case byID(rule):
			err = k.run("matches", fmt.Sprintf(`insert into %s select d.row_no, r.id, r.version, %d from %s d join %s r on r.id = d.id
				where not exists (select from %s x where x.row_no = d.row_no) and not exists (select from %s x where x.row_no = d.row_no)`, matches, n+1, draft, k.table, k.stage("aside"), settled))
		case k.unique(rule) && rule.One != catalog.Ask:
			err = k.run("matches", fmt.Sprintf(`insert into %s select d.row_no, r.id, r.version, %d from %s d join %s r on %s where true%s`, matches, n+1, draft, k.table, k.on(rule), k.unsettled("d")))
		default:
			err = k.findEqual(n+1, rule)
		}
		if err != nil {
			return err
		}
		if err := k.run("matches", `analyze `+matches); err != nil {
			return err
		}
	}
	if !byName {
		if err := k.run("matches", k.findByTitle(), `analyze `+matches); err != nil {
			return err
		}
	}
	if len(k.plan.Rules) == 0 {
		if err := k.run("matches", k.findTwins()); err != nil {
			return err
		}
	}
	q := []string{`create index on ` + matches + ` (row_no)`, `analyze ` + matches}
	if k.plan.HasID {
		q = append(q, `insert into `+k.stage("problems")+` select d.row_no, `+lit(string(problem.RecordMissing))+`, 'id', '', `+lit(k.plan.Type.Prefix+"-")+` || d.id, ''
			from `+draft+` d where d.id is not null and not exists (select from `+matches+` m where m.row_no = d.row_no)
			and not exists (select from `+k.stage("aside")+` a where a.row_no = d.row_no)`)
	}
	return k.run("matches", q...)
}

// findTwins is the SQL for drafts of which no rule says what record they are for,
// such as lines and tasks: a row that is equal to a record in all that it says is
// that record, the first such row the first such record, and so on. So a file
// that is loaded twice does not make everything twice.
func (k *draftCheck) findTwins() string {
	var mine, theirs []string
	for _, fp := range k.plan.Fields {
		f := fp.Field
		column := fieldColumn(f.Name)
		if f.Type == catalog.Reference {
			mine, theirs = append(mine, `coalesce(`+referenceOf(f.Name)+`::text, '')`), append(theirs, `coalesce(r.`+column+`::text, '')`)
			continue
		}
		mine, theirs = append(mine, `coalesce(`+textOf(f, `d.`+column)+`, '')`), append(theirs, `coalesce(`+textOf(f, `r.`+column)+`, '')`)
	}
	if len(mine) == 0 {
		return ""
	}
	said := func(list []string) string { return `concat_ws(E'\x1f', ` + strings.Join(list, ", ") + `)` }
	return fmt.Sprintf(`insert into %s select d.row_no, r.id, r.version, 1 from
		(select d.row_no, %s as said, row_number() over (partition by %s order by d.row_no) as n from %s d%s where true%s) d join
		(select r.id, r.version, %s as said, row_number() over (partition by %s order by r.id) as n from %s r) r on r.said = d.said and r.n = d.n`,
		k.stage("matches"), said(mine), said(mine), k.stage("draft"), k.linkJoins(), k.unsettled("d"), said(theirs), said(theirs), k.table)
}

// findByRow follows answers that name an earlier row which is loaded already:
// the row is for the record that the earlier one has become.
func (k *draftCheck) findByRow(ctx context.Context) error {
	there, err := k.store.hasTable(ctx, k.id, k.outcomesPart())
	if err != nil {
		return err
	}
	gone := ``
	if there {
		err := k.run("answers", fmt.Sprintf(`insert into %s select s.row_no, r.id, r.version, 0 from %s s join (%s) o on o.row_no = s.other_row join %s r on r.id = o.record_id
			where s.choice = 'take' and o.outcome not in ('held', 'failed')`, k.stage("matches"), k.stage("settled"), k.outcomes(), k.table))
		if err != nil {
			return err
		}
		gone = ` and not exists (select from ` + k.stage("matches") + ` m where m.row_no = s.row_no)`
	}
	return k.run("answers", k.problem(problem.AnswerGone, nil, `'row ' || s.other_row`, `from `+k.stage("settled")+` d join `+k.stage("settled")+` s using (row_no)
		where s.choice = 'take' and s.other_row is not null and not exists (select from `+k.stage("draft")+` o where o.row_no = s.other_row)`+gone))
}

// mostCandidates is how many records a question offers.
const mostCandidates = 8

// findEqual finds by fields that must be equal and of which several records may
// have the same.
func (k *draftCheck) findEqual(n int, rule catalog.MatchRule) error {
	several := k.stage("several")
	order := map[catalog.Find]string{catalog.Oldest: `r.id`, catalog.Newest: `r.id desc`, catalog.Full: k.filled() + ` desc, r.id`}[rule.Several]
	if order == "" {
		order = `r.id`
	}
	q := []string{`drop table if exists ` + several,
		`create unlogged table ` + several + ` as select d.row_no, count(*) as finds, (array_agg(r.id order by ` + order + `))[1:` + itoa(mostCandidates) + `] as ids
		from ` + k.stage("draft") + ` d join ` + k.table + ` r on ` + k.on(rule) + ` where true` + k.unsettled("d") + ` group by d.row_no`}
	take := func(cond string) string {
		return fmt.Sprintf(`insert into %s select x.row_no, r.id, r.version, %d from %s x join %s r on r.id = x.ids[1] where %s`, k.stage("matches"), n, several, k.table, cond)
	}
	ask := func(kind verdict.Question, cond string) []string {
		return []string{fmt.Sprintf(`insert into %s select row_no, %s, %d, finds, 100 from %s where %s`, k.stage("questions"), lit(string(kind)), n, several, cond),
			fmt.Sprintf(`insert into %s select x.row_no, i.place, i.id, null, 100 from %s x, unnest(x.ids) with ordinality i (id, place) where %s`, k.stage("candidates"), several, cond)}
	}
	if rule.One == catalog.Ask {
		q = append(q, ask(verdict.AskAlike, `finds = 1`)...)
	} else {
		q = append(q, take(`finds = 1`))
	}
	switch rule.Several {
	case catalog.Oldest, catalog.Newest, catalog.Full:
		q = append(q, take(`finds > 1`))
	case catalog.Skip:
		q = append(q, `insert into `+k.stage("aside")+` select row_no, `+lit(string(verdict.SeveralThere))+`, null from `+several+` where finds > 1`)
	case catalog.Hold:
		q = append(q, take(`finds > 1`), k.severalFound(rule))
	default:
		q = append(q, ask(verdict.AskSeveral, `finds > 1`)...)
	}
	return k.run("matches", append(q, `drop table `+several)...)
}

// severalFound notes the problem of rows that fit several records.
func (k *draftCheck) severalFound(rule catalog.MatchRule) string {
	return k.problem(problem.SeveralFound, k.field(rule.Uses()[0]), `(select `+recordIDs(k.plan.Type.Prefix)+` from unnest(x.ids[1:5]) id) || case when x.finds > 5 then ', …' else '' end`,
		`from `+k.stage("draft")+` d join `+k.stage("several")+` x using (row_no) where x.finds > 1`)
}

// filled is the SQL for how many values a record has.
func (k *draftCheck) filled() string {
	var cols []string
	for _, f := range k.plan.Type.Fields {
		cols = append(cols, `r.`+fieldColumn(f.Name))
	}
	return `num_nonnulls(` + strings.Join(cols, ", ") + `)`
}

// repeats finds rows that are for the same record and treats them by the
// policy, and finds keys that another record has.
func (k *draftCheck) repeats(ctx context.Context, conn *pgx.Conn) error {
	repeats, matches := k.stage("repeats"), k.stage("matches")
	free := ` and not exists (select from ` + k.stage("aside") + ` x where x.row_no = d.row_no)`
	q := []string{`create unlogged table ` + repeats + ` (row_no bigint primary key, lead bigint not null, field text not null default '', merge boolean not null default false)`,
		`insert into ` + repeats + ` select d.row_no, s.other_row, '', true from ` + k.stage("settled") + ` s join ` + k.stage("draft") + ` d using (row_no) where s.choice = 'take' and s.other_row is not null
			and exists (select from ` + k.stage("draft") + ` o where o.row_no = s.other_row)`,
		`insert into ` + repeats + ` select d.row_no, x.first from ` + matches + ` d join (select d.record_id, min(d.row_no) as first from ` + matches + ` d where true` + free + ` group by record_id having count(*) > 1) x
		using (record_id) where d.row_no > x.first` + free + ` on conflict do nothing`}
	var done []string
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
		// Of the rows that are alike, the one that has a record stands, else the
		// first; rows that have found a record of their own are not repeats.
		others := ` and not exists (select from ` + matches + ` m where m.row_no = d.row_no) and not exists (select from ` + k.stage("settled") + ` s where s.row_no = d.row_no)`
		if all {
			others = ""
		}
		// What stands twice is found by its key alone first: mostly there is nothing.
		q = append(q, `drop table if exists `+k.stage("twice"), `create unlogged table `+k.stage("twice")+` as select `+list+` from `+k.stage("draft")+` d where `+strings.Join(filled, " and ")+`
			group by `+list+` having count(*) > 1`, `analyze `+k.stage("twice"),
			`insert into `+repeats+` select d.row_no, x.first, `+lit(fields[0])+` from `+k.stage("draft")+` d join (select `+list+`, coalesce(min(m.row_no), min(d.row_no)) as first
			from `+k.stage("twice")+` t join `+k.stage("draft")+` d using (`+list+`) left join `+matches+` m on m.row_no = d.row_no where true`+free+` group by `+list+`) x using (`+list+`)
			where d.row_no <> x.first`+others+free+` on conflict do nothing`, `drop table `+k.stage("twice"))
	}
	for i := range k.plan.Fields {
		if fp := &k.plan.Fields[i]; fp.Field.Key {
			same([]string{fp.Field.Name}, true)
		}
	}
	for _, rule := range k.plan.Rules {
		if len(rule.Fields) > 0 && len(rule.Alike) == 0 && !byID(rule) {
			same(rule.Fields, false)
		}
	}
	if err := k.run("repeats", q...); err != nil {
		return err
	}
	for n, rule := range k.plan.Rules {
		if len(rule.Alike) > 0 {
			if err := k.repeatAlike(ctx, n+1, rule); err != nil {
				return err
			}
		}
	}
	// A row that repeats a repeat repeats its lead.
	for range 50 {
		tag, err := conn.Exec(ctx, `update `+repeats+` a set lead = b.lead from `+repeats+` b where a.lead = b.row_no and a.row_no <> b.lead`)
		if err != nil {
			return fmt.Errorf("check, repeats: %w", err)
		}
		if tag.RowsAffected() == 0 {
			break
		}
	}
	if err := k.run("repeats", `analyze `+repeats); err != nil {
		return err
	}
	if k.plan.Shared {
		if err := k.run("repeats", k.comeFirst(repeats)...); err != nil {
			return err
		}
	}
	if err := k.run("repeats", k.treatRepeats(repeats)...); err != nil {
		return err
	}
	return k.run("keys", k.keys()...)
}

// treatRepeats follows the policy for the rows of a table that are for the same
// record as their lead.
func (k *draftCheck) treatRepeats(repeats string) []string {
	matches, draft := k.stage("matches"), k.stage("draft")
	leave := func(why verdict.Reason, cond string) []string {
		return []string{`insert into ` + k.stage("aside") + ` select row_no, ` + lit(string(why)) + `, lead from ` + repeats + ` d where ` + cond,
			`delete from ` + k.stage("questions") + ` where row_no in (select row_no from ` + repeats + ` d where ` + cond + `)`}
	}
	// What was found for any of the rows is found for the one that stands.
	pass := func(cond string) string {
		return `insert into ` + matches + ` select distinct on (d.lead) d.lead, m.record_id, m.version, m.rule, m.score, m.alike from ` + repeats + ` d join ` + matches + ` m on m.row_no = d.row_no
			where ` + cond + ` and not exists (select from ` + matches + ` x where x.row_no = d.lead) order by d.lead, d.row_no`
	}
	merge := func(cond string) []string {
		q := append([]string{pass(cond)}, k.merged(repeats, cond, `d.row_no desc`))
		return append(q, leave(verdict.Merged, cond)...)
	}
	q := merge(`d.merge`)
	switch k.plan.Repeats {
	case mapping.Once:
		agree, held := k.onlyOnce(repeats)
		q = append(append(q, held...), pass(agree), k.merged(repeats, agree, `d.row_no <> g.lead, d.row_no`))
		return append(q, leave(verdict.Merged, agree)...)
	case mapping.FirstWins:
		q = append(q, pass(`not d.merge`))
		return append(q, leave(verdict.Repeated, `not d.merge`)...)
	case mapping.LastWins: // the last row becomes the lead
		q = append(q, `create unlogged table `+k.stage("twice")+` as select lead as first, max(row_no) as last from `+repeats+` d where not d.merge group by lead having max(row_no) > lead`,
			`update `+repeats+` d set lead = t.last from `+k.stage("twice")+` t where d.lead = t.first and not d.merge and d.row_no <> t.last`,
			`update `+repeats+` d set row_no = t.first, lead = t.last from `+k.stage("twice")+` t where d.row_no = t.last and not d.merge`,
			`drop table `+k.stage("twice"), pass(`not d.merge`))
		return append(q, leave(verdict.Repeated, `not d.merge`)...)
	case mapping.MergeRows:
		return append(q, merge(`not d.merge`)...)
	case mapping.AskRepeats:
		open := `not d.merge and not exists (select from ` + k.stage("settled") + ` s where s.row_no = d.row_no) and not exists (select from ` + k.stage("questions") + ` x where x.row_no = d.row_no)`
		return append(q, `insert into `+k.stage("questions")+` select row_no, `+lit(string(verdict.AskRepeat))+`, 0, 1, 100 from `+repeats+` d where `+open,
			`insert into `+k.stage("candidates")+` select d.row_no, 1, null, d.lead, 100 from `+repeats+` d where not d.merge and exists (select from `+k.stage("questions")+` x where x.row_no = d.row_no and x.kind = `+lit(string(verdict.AskRepeat))+`)
				and not exists (select from `+k.stage("candidates")+` c where c.row_no = d.row_no)`)
	}
	return append(q, `insert into `+k.stage("problems")+` select d.row_no, `+lit(string(problem.DuplicateRow))+`, `+k.namedSQL(`d.field`)+`, `+k.columnOf(`d.field`)+`, `+k.cellOf(`d.field`)+`, '' || d.lead
		from `+repeats+` d join `+draft+` using (row_no) where not d.merge`)
}

// namedSQL is the SQL of a field's name as it stands in problems.
func (k *draftCheck) namedSQL(field string) string {
	if k.part == "" {
		return field
	}
	return `rtrim(` + lit(k.plan.Name+".") + ` || ` + field + `, '.')`
}

// columnOf is the SQL for the header that a field comes from.
func (k *draftCheck) columnOf(field string) string {
	var whens string
	for _, fp := range k.plan.Fields {
		if fp.Field.Normalised() && fp.Column() != "" {
			whens += ` when ` + lit(fp.Field.Name) + ` then ` + lit(fp.Column())
		}
	}
	if whens == "" {
		return `''`
	}
	return `case ` + field + whens + ` else '' end`
}

// cellOf is the SQL for the cell that a field of row d comes from.
func (k *draftCheck) cellOf(field string) string {
	var whens string
	for _, fp := range k.plan.Fields {
		if fp.Field.Normalised() {
			whens += ` when ` + lit(fp.Field.Name) + ` then ` + k.value(fp)
		}
	}
	if whens == "" {
		return `''`
	}
	return `case ` + field + whens + ` else '' end`
}

// merged is the SQL that puts the values of repeated rows into the row that
// stands: of the filled values the first in the given order.
func (k *draftCheck) merged(repeats, cond, order string) string {
	var last, set []string
	for i, col := range draftColumns(k.plan) {
		if i == 0 || col.name == "id" || col.name == "newer_at" || col.name == "cleared" {
			continue
		}
		if col.sqlType == "text[]" { // an array of arrays would not do
			last = append(last, fmt.Sprintf(`string_to_array((array_agg(array_to_string(d.%s, ';') order by %s) filter (where d.%s is not null))[1], ';') as c%d`, col.name, order, col.name, i))
		} else {
			last = append(last, fmt.Sprintf(`(array_agg(d.%s order by %s) filter (where d.%s is not null))[1] as c%d`, col.name, order, col.name, i))
		}
		set = append(set, fmt.Sprintf(`%s = m.c%d`, col.name, i))
	}
	if len(set) == 0 {
		return ""
	}
	draft := k.stage("draft")
	group := `(select d.row_no, d.lead from ` + repeats + ` d where ` + cond + ` union select d.lead, d.lead from ` + repeats + ` d where ` + cond + `)`
	return `update ` + draft + ` o set ` + strings.Join(set, ", ") + ` from (select g.lead, ` + strings.Join(last, ", ") + ` from ` + group + ` g join ` + draft + ` d on d.row_no = g.row_no group by g.lead) m where o.row_no = m.lead`
}

// keys finds keys that another record has, and rows whose key differs from
// that of the record they have found.
func (k *draftCheck) keys() []string {
	var q []string
	free := ` and not exists (select from ` + k.stage("aside") + ` x where x.row_no = d.row_no)`
	alike := ``
	if own := k.likenessRules(); own != "" { // a record found by likeness keeps its own keys
		alike = ` and m.rule not in (` + own + `)`
	}
	for i := range k.plan.Fields {
		fp := &k.plan.Fields[i]
		if !fp.Field.Key {
			continue
		}
		col := keyColumn(fp.Field.Name)
		own := k.ruleOf(fp.Field.Name)
		if own != 1 || k.plan.HasID { // rows that are looked up by this key first have found whoever has it
			q = append(q, k.problem(problem.KeyTaken, fp, lit(k.plan.Type.Prefix+"-")+` || r.id`, `from `+k.stage("draft")+` d join `+k.table+` r on r.`+col+` = d.`+col+`
				left join `+k.stage("matches")+` m on m.row_no = d.row_no where m.record_id is distinct from r.id`+free))
		}
		if len(k.plan.Rules) > 1 || own == 0 {
			q = append(q, k.problem(problem.KeyDiffers, fp, lit(k.plan.Type.Prefix+"-")+` || r.id || ' has ' || r.`+fieldColumn(fp.Field.Name), `from `+k.stage("matches")+` m join `+k.stage("draft")+` d on d.row_no = m.row_no
				join `+k.table+` r on r.id = m.record_id where r.`+col+` <> d.`+col+fmt.Sprintf(` and m.rule not in (0, %d)`, own)+k.notByID()+alike+free))
		}
	}
	return q
}

// ruleOf gives the number of the rule that looks a row up by one field alone, 0
// for none.
func (k *draftCheck) ruleOf(field string) int {
	for n, rule := range k.plan.Rules {
		if len(rule.Fields) == 1 && len(rule.Alike) == 0 && rule.Fields[0] == field {
			return n + 1
		}
	}
	return 0
}

// notByID leaves out the rows that name their record by its id: they may give
// it another key.
func (k *draftCheck) notByID() string {
	for n, rule := range k.plan.Rules {
		if byID(rule) {
			return fmt.Sprintf(` and m.rule <> %d`, n+1)
		}
	}
	return ""
}
