package staging

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/problem"
	"uchi/internal/core/verdict"
	"uchi/internal/schema"
)

var (
	stepRepeats = step{
		does:   "finds rows that are for the same record",
		reads:  "draft aside matches settled twice links became",
		writes: "repeats twice",
	}
	stepFollow = step{does: "lets what repeats a repeat repeat its lead", writes: "repeats"}
	stepFirst  = step{does: "lets the first sound row stand for the others", reads: "problems settled matches twice",
		writes: "repeats twins twice"}
	stepTreated = step{
		does:   "treats rows that are for the same record by the policy",
		reads:  "draft settled repeats twins twice links became problems cells",
		writes: "aside matches questions candidates problems draft repeats twins twice",
	}
	stepKeys = step{does: "finds keys that another record has", reads: "draft matches aside settled records cells",
		writes: "problems"}
)

// findRepeats finds rows that are for the same record and treats them by the
// policy, and finds keys that another record has.
func (k *draftCheck) findRepeats(ctx context.Context) error {
	statements := []stmt{
		q(`create unlogged table {repeats} (
			row_no bigint primary key, lead bigint not null, field text not null default '', merge boolean not null default false)`),
		q(`insert into {repeats} (row_no, lead, merge)
			select d.row_no, s.other_row, true
			from {settled} s join {draft} d using (row_no)
			where s.choice = 'take' and s.other_row is not null
				and exists (select from {draft} o where o.row_no = s.other_row)`),
	}
	if k.plan.May != mapping.Create { // else each is passed over, for the record is there
		statements = append(statements, q(`insert into {repeats} (row_no, lead)
			select d.row_no, x.first
			from {matches} d
			join (
				select d.record_id, min(d.row_no) as first from {matches} d
				where {stays d}
				group by record_id having count(*) > 1
			) x using (record_id)
			where d.row_no > x.first and {stays d}
			on conflict do nothing`))
	}
	var done []string
	for i := range k.plan.Fields {
		if f := k.plan.Fields[i].Field; f.Key {
			done = append(done, f.Name)
			statements = append(statements, k.sameKey([]string{f.Name}, true))
		}
	}
	for _, rule := range k.plan.Rules {
		fields := strings.Join(rule.Fields, " ")
		if fields != "" && len(rule.Alike) == 0 && !byID(rule) && !rule.RowsApart && !slices.Contains(done, fields) {
			done = append(done, fields)
			statements = append(statements, k.sameKey(rule.Fields, false))
		}
	}
	if err := k.do(ctx, stepRepeats, statements...); err != nil {
		return err
	}
	for n, rule := range k.plan.Rules {
		if len(rule.Alike) > 0 {
			if err := k.repeatAlike(ctx, n+1, rule); err != nil {
				return err
			}
		}
	}
	if err := k.followLeads(ctx); err != nil {
		return err
	}
	if k.plan.Shared {
		if err := k.do(ctx, stepFirst, k.comeFirst("repeats")...); err != nil {
			return err
		}
	}
	if err := k.do(ctx, stepTreated, k.treatRepeats("repeats")...); err != nil {
		return err
	}
	return k.holdKeys(ctx)
}

// sameKey finds rows that are equal in fields of which the normal form is kept.
// Of the rows that are alike, the one that has a record stands, else the first.
// Unless all are to be found, rows that have found a record of their own, or of
// which a person has said that they are not the row that stands, are no repeats.
func (k *draftCheck) sameKey(fields []string, all bool) stmt {
	names, columns, filled := k.forms(fields)
	only := `true`
	if !all {
		only = `{unfound d} and ` + k.undenied("d", "x.first")
	}
	with := []any{
		frag{"names": list(names), "columns": list(columns), "filled": strings.Join(filled, " and "), "only": only,
			"linked": k.linked()},
		arg{"field": fields[0]},
	}
	// What stands twice is found by its key alone first: mostly there is nothing.
	twice := `select {names} from (select {columns} from {linked} where {filled}) d group by {names} having count(*) > 1`
	if len(fields) == 1 && keptAsTyped(k.field(fields[0]).Field) {
		if keys, known := k.twice.of(k.n, fields[0]); known && len(keys) == 0 {
			return stmt{}
		} else if known {
			twice = `select c1 collate "C" as c1 from unnest(@twice::text[]) c1`
			with = append(with, arg{"twice": keys})
		}
	}
	return q(`insert into {repeats} (row_no, lead, field)
		with twice as materialized ({twice}),
		same as (
			select d.* from twice t join (select d.row_no, {columns} from {linked} where {filled} and {stays d}) d
			using ({names})
		)
		select d.row_no, x.first, @field
		from same d
		join (
			select {names}, coalesce(min(m.row_no), min(d.row_no)) as first
			from same d left join {matches} m on m.row_no = d.row_no
			group by {names}
		) x using ({names})
		where d.row_no <> x.first and {only}
		on conflict do nothing`, append(with, frag{"twice": twice})...)
}

// longestChain bounds how often leads are followed; a chain doubles each time.
const longestChain = 50

// followLeads lets a row that repeats a repeat repeat its lead.
func (k *draftCheck) followLeads(ctx context.Context) error {
	for range longestChain {
		touched, err := k.touch(ctx, stepFollow, q(`update {repeats} a set lead = b.lead from {repeats} b
			where a.lead = b.row_no and a.row_no <> b.lead`))
		if err != nil {
			return err
		}
		if touched == 0 {
			break
		}
	}
	return k.do(ctx, stepFollow, q(`analyze {repeats}`))
}

// treatRepeats follows the policy for the rows of a table, {repeats} or {twins},
// that are for the same record as their lead.
func (k *draftCheck) treatRepeats(table string) []stmt {
	from := frag{"same": "{" + table + "}", "wrong": k.wrong("p")}
	leave := func(why verdict.Reason, which string) []stmt {
		return []stmt{
			q(`insert into {aside} (row_no, why, other_row) select row_no, @why, lead from {same} d where {which}`, from,
				frag{"which": which}, arg{"why": string(why)}),
			q(`delete from {questions} where row_no in (select row_no from {same} d where {which})`, from, frag{"which": which}),
		}
	}
	// What was found for any of the rows is found for the one that stands.
	pass := func(which string) stmt {
		return q(`insert into {matches} (row_no, record_id, version, rule, score, alike)
			select distinct on (d.lead) d.lead, m.record_id, m.version, m.rule, m.score, m.alike
			from {same} d join {matches} m on m.row_no = d.row_no
			where {which} and not exists (select from {matches} x where x.row_no = d.lead)
			order by d.lead, d.row_no`, from, frag{"which": which})
	}
	merge := func(which string) []stmt {
		return append([]stmt{pass(which), k.merged(from, which, `d.row_no desc`)}, leave(verdict.Merged, which)...)
	}
	const others = `not d.merge`
	statements := merge(`d.merge`)
	if k.plan.Whole && table == "twins" {
		statements = append(statements, k.onlyAgreed(from, others)...)
		return append(append(statements, pass(others)), leave(verdict.Merged, others)...)
	}
	switch k.plan.Repeats {
	case mapping.Once:
		agree, held := k.onlyAgreeing(from, func(catalog.Field) bool { return true })
		statements = append(append(statements, held...), pass(agree), k.merged(from, agree, `d.row_no <> g.lead, d.row_no`))
		return append(statements, leave(verdict.Merged, agree)...)
	case mapping.FirstWins:
		return append(append(statements, pass(others)), leave(verdict.Repeated, others)...)
	case mapping.LastWins: // the last row becomes the lead
		statements = append(statements,
			q(`create unlogged table {twice} as
				select lead as first, max(row_no) as last from {same} d where not d.merge
				group by lead having max(row_no) > lead`, from),
			q(`update {same} d set lead = t.last from {twice} t where d.lead = t.first and not d.merge
				and d.row_no <> t.last`, from),
			q(`update {same} d set row_no = t.first, lead = t.last from {twice} t where d.row_no = t.last
				and not d.merge`, from),
			q(`drop table {twice}`), pass(others))
		return append(statements, leave(verdict.Repeated, others)...)
	case mapping.MergeRows: // of two numbers that one record cannot have, one would be lost
		agree, held := k.onlyAgreeing(from, func(f catalog.Field) bool { return f.Key && f.Type == catalog.Text })
		return append(append(statements, held...), merge(agree)...)
	case mapping.AskRepeats:
		return append(statements,
			q(`insert into {questions} (row_no, kind, rule, candidates, percent)
				select row_no, @kind, 0, 1, 100 from {same} d
				where not d.merge and {unasked d} and {undenied}`, from, frag{"undenied": k.undenied("d", "d.lead")},
				arg{"kind": string(verdict.AskRepeat)}),
			q(`insert into {candidates} (row_no, place, other_row, percent)
				select d.row_no, 1, d.lead, 100 from {same} d
				where not d.merge
					and exists (select from {questions} x where x.row_no = d.row_no and x.kind = @kind)
					and not exists (select from {candidates} c where c.row_no = d.row_no)`, from,
				arg{"kind": string(verdict.AskRepeat)}))
	}
	return append(statements, q(`insert into {problems} (row_no, code, field, col, value, detail)
		select d.row_no, @code, {named}, {column}, {cell}, '' || d.lead
		from {same} d join {draft} using (row_no)
		where not d.merge`, from,
		frag{"named": k.namedOf(`d.field`), "column": k.columnOf(`d.field`), "cell": k.cellOf(`d.field`)},
		arg{"code": string(problem.DuplicateRow)}))
}

// onlyAgreed lets the row that stands for rows of one name say what all of them agree on.
// What they say differently of a place leaves all of it blank: a street is of no use in
// another town.
func (k *draftCheck) onlyAgreed(from frag, which string) []stmt {
	places := []catalog.Likeness{catalog.AsStreet, catalog.AsPostalCode, catalog.AsLocality}
	var differs, placed, blank []string
	for i, fp := range k.plan.Fields {
		if schema.InTitle(k.plan.Type, fp.Field.Name) {
			continue
		}
		flag := fmt.Sprintf(`c%d`, i)
		differs = append(differs, fmt.Sprintf(`count(distinct %s) > 1 as %s`, k.compared(fp), flag))
		if slices.Contains(places, fp.Field.ComparedAs()) {
			placed = append(placed, flag)
		}
	}
	if len(differs) == 0 {
		return nil
	}
	for i, fp := range k.plan.Fields {
		when := fmt.Sprintf(`t.c%d`, i)
		if slices.Contains(places, fp.Field.ComparedAs()) {
			when = `(t.` + strings.Join(placed, ` or t.`) + `)`
		}
		for _, col := range columnsOf(k.plan.Type, fp.Field) {
			if !schema.InTitle(k.plan.Type, fp.Field.Name) {
				blank = append(blank, fmt.Sprintf(`%s = case when %s then null else o.%[1]s end`, col.name, when))
			}
		}
	}
	return []stmt{
		q(`create unlogged table {twice} as
			select g.lead, {differs}
			from (
				select d.row_no, d.lead from {same} d where {which}
				union
				select d.lead, d.lead from {same} d where {which}
			) g
			join {linked} on d.row_no = g.row_no
			group by g.lead`, from, frag{"differs": list(differs), "which": which, "linked": k.linked()}),
		k.merged(from, which, `d.row_no <> g.lead, d.row_no`),
		q(`update {draft} o set {blank} from {twice} t where o.row_no = t.lead`, frag{"blank": list(blank)}),
		q(`drop table {twice}`),
	}
}

// ofField is the SQL that chooses by the name of a field, which is SQL.
func (k *draftCheck) ofField(field, otherwise string, of func(fp mapping.FieldPlan) string) string {
	var whens string
	for _, fp := range k.plan.Fields {
		if fp.Field.Normalised() || k.inRule(fp.Field.Name) {
			whens += ` when ` + schema.Literal(fp.Field.Name) + ` then ` + of(fp)
		}
	}
	if whens == "" {
		return otherwise
	}
	return `case ` + field + whens + ` else ` + otherwise + ` end`
}

// inRule reports whether a rule compares a field exactly.
func (k *draftCheck) inRule(field string) bool {
	return slices.ContainsFunc(k.plan.Rules,
		func(rule catalog.MatchRule) bool { return slices.Contains(rule.Fields, field) })
}

// namedOf is the SQL of a field's name as it stands in problems.
func (k *draftCheck) namedOf(field string) string {
	return k.ofField(field, schema.Literal(k.plan.Named("")),
		func(fp mapping.FieldPlan) string { return schema.Literal(k.plan.Named(fp.Field.Name)) })
}

// columnOf is the SQL for the header that a field comes from.
func (k *draftCheck) columnOf(field string) string {
	return k.ofField(field, `''`, func(fp mapping.FieldPlan) string { return schema.Literal(fp.Column()) })
}

// cellOf is the SQL for the cell that a field of row d comes from.
func (k *draftCheck) cellOf(field string) string { return k.ofField(field, `''`, k.cell) }

// merged puts the values of repeated rows into the row that stands: of the
// filled values the first in the given order.
func (k *draftCheck) merged(from frag, which, order string) stmt {
	var firsts, set []string
	by := order
	form, formed := k.formOf("d")
	if formed = formed && k.plan.Repeats == mapping.Once; !formed {
		form = `null`
	}
	for i, col := range valueColumns(k.plan) {
		order := by
		if formed && slices.ContainsFunc(k.plan.Type.Title, func(name string) bool {
			return col.name == schema.Value(name) || col.name == schema.Name(name)
		}) { // of the names of one company that with its legal form says more
			order = `g.form is null, ` + by
		}
		pick := `(array_agg(d.` + col.name + ` order by ` + order + `) filter (where d.` + col.name + ` is not null))[1]`
		if col.sqlType == "text[]" { // an array of arrays would not do
			pick = `string_to_array((array_agg(array_to_string(d.` + col.name + `, E'\x1f') order by ` + order +
				`) filter (where d.` + col.name + ` is not null))[1], E'\x1f')`
		}
		firsts = append(firsts, fmt.Sprintf(`%s as c%d`, pick, i))
		set = append(set, fmt.Sprintf(`%s = m.c%d`, col.name, i))
	}
	if len(set) == 0 {
		return stmt{}
	}
	return q(`update {draft} o set {set}
		from (
			select g.lead, {firsts}
			from (
				select g.row_no, g.lead, {form} as form -- once a row: it costs more than all the rest
				from (
					select d.row_no, d.lead from {same} d where {which}
					union
					select d.lead, d.lead from {same} d where {which}
				) g
				join {draft} d on d.row_no = g.row_no
				offset 0
			) g
			join {draft} d on d.row_no = g.row_no
			group by g.lead
		) m
		where o.row_no = m.lead`, from, frag{"form": form, "set": list(set), "firsts": list(firsts), "which": which})
}

// comeFirst makes the first sound row of each group of a table, {repeats} or
// {twins}, stand for it, so that what points to it is loaded after it, and before
// all one with an answer; groups that have found a record stay.
func (k *draftCheck) comeFirst(table string) []stmt {
	from := frag{"same": "{" + table + "}", "wrong": k.wrong("p")}
	return []stmt{
		q(`create unlogged table {twice} as
			select lead as first, (array_agg(g.row_no order by
				not exists (select from {settled} s where s.row_no = g.row_no),
				exists (select from {problems} p where p.row_no = g.row_no and {wrong}),
				g.row_no))[1] as best
			from (select row_no, lead from {same} union select lead, lead from {same}) g
			where not exists (select from {matches} m where m.row_no = g.lead)
			group by lead`, from),
		q(`delete from {twice} where first = best`),
		q(`update {same} d set lead = t.best from {twice} t where d.lead = t.first and d.row_no <> t.best`, from),
		q(`update {same} d set row_no = t.first, lead = t.best from {twice} t where d.row_no = t.best`, from),
		q(`drop table {twice}`),
	}
}

// onlyAgreeing holds repeated rows that contradict the others in some fields; agree is the
// condition of the rest.
func (k *draftCheck) onlyAgreeing(from frag, in func(catalog.Field) bool) (agree string, statements []stmt) {
	var first []string
	for i, fp := range k.plan.Fields {
		if in(fp.Field) {
			c := k.compared(fp)
			first = append(first, fmt.Sprintf(`(array_agg(%s order by d.row_no <> g.lead, d.row_no) filter (where %s is not null))[1] as c%d`, c, c, i))
		}
	}
	if len(first) == 0 {
		return `not d.merge`, nil
	}
	linked := frag{"linked": k.linked(), "first": list(first)}
	statements = []stmt{
		q(`create unlogged table {twice} as
			select g.lead, {first}
			from {linked}
			join (
				select row_no, lead from {same} where not merge
				union
				select lead, lead from {same} where not merge
			) g on g.row_no = d.row_no
			group by g.lead`, from, linked),
		q(`analyze {twice}`),
	}
	for i := range k.plan.Fields {
		fp := &k.plan.Fields[i]
		if !in(fp.Field) {
			continue
		}
		statements = append(statements, k.hold(problem.RowsDisagree, fp, `'' || t.lead`, `
			from {linked}
			join {same} t on t.row_no = d.row_no
			join {twice} w on w.lead = t.lead
			where not t.merge and {mine} <> {theirs} and not {noted}`,
			from, linked, frag{"mine": k.compared(*fp), "theirs": fmt.Sprintf(`w.c%d`, i),
				"noted": k.noted(problem.RowsDisagree, fp.Field.Name)}))
	}
	agree = `not d.merge and not exists (select from {problems} p where p.row_no = d.row_no and p.code = ` +
		schema.Literal(string(problem.RowsDisagree)) + `)`
	return agree, append(statements, q(`drop table {twice}`))
}

// holdKeys finds keys that another record has, and rows whose key differs from
// that of the record they have found.
func (k *draftCheck) holdKeys(ctx context.Context) error {
	var statements []stmt
	own := `true`
	if rules := k.likenessRules(); rules != "" { // a record found by likeness keeps its own keys
		own = `m.rule not in (` + rules + `)`
	}
	for i := range k.plan.Fields {
		fp := &k.plan.Fields[i]
		if !fp.Field.Key {
			continue
		}
		with := []any{
			frag{"key": schema.Key(fp.Field.Name), "other": plainKey(fp.Field, "r") + ` <> ` + plainKey(fp.Field, "d"),
				"own": own, "by_id": k.notByID()},
			arg{"rule": k.ruleOf(fp.Field.Name)},
		}
		id := schema.RecordID(k.plan.Type, `r.id`)
		// Rows that are looked up by this key first have found whoever has it, but
		// for those that a person has settled or that name their record by its id.
		which := `true`
		if k.ruleOf(fp.Field.Name) == 1 && !k.plan.HasID {
			which = `d.row_no in (select row_no from {settled})`
		}
		statements = append(statements, k.hold(problem.KeyTaken, fp, id, `
			from {draft} d
			join {records} r on r.{key} = d.{key}
			left join {matches} m on m.row_no = d.row_no
			where {which} and m.record_id is distinct from r.id and {stays d}`, with[0], frag{"which": which}))
		statements = append(statements, k.hold(problem.KeyDiffers, fp, id+` || ' has ' || `+schema.Column(fp.Field, "r"), `
			from {matches} m
			join {draft} d on d.row_no = m.row_no
			join {records} r on r.id = m.record_id
			where {other} and m.rule not in (0, @rule) and {by_id} and {own} and {stays d}`, with...))
	}
	return k.do(ctx, stepKeys, statements...)
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
			return `m.rule <> ` + schema.Int(n+1)
		}
	}
	return `true`
}
