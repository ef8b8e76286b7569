package staging

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/matching"
	"uchi/internal/core/problem"
	"uchi/internal/core/verdict"
	"uchi/internal/schema"
)

// recordForm is the SQL of the form in which a match rule compares a field of a
// record, given by its alias: the kept normal form where there is one, the record
// that a reference names, else the text in small letters.
func recordForm(t catalog.RecordType, name, alias string) string {
	f, _ := t.Field(name)
	switch {
	case name == mapping.IDField:
		return alias + `.id`
	case f.Normalised():
		return alias + `.` + schema.Key(name)
	case schema.InTitle(t, name):
		return `nullif(` + alias + `.` + schema.Name(name) + `, '')`
	case f.Kind().Form == catalog.LinkForm:
		return schema.Column(f, alias)
	}
	return `lower(` + schema.Text(f, schema.Column(f, alias)) + `)`
}

// draftForm is the SQL of the same form of a row of drafts d, with the joins of
// linked.
func (k *draftCheck) draftForm(name string) string {
	if f, _ := k.plan.Type.Field(name); name != mapping.IDField && f.Kind().Form == catalog.LinkForm {
		return k.comparedReference(*k.field(name))
	}
	return recordForm(k.plan.Type, name, "d")
}

// forms names the columns of the forms of fields of rows d, and gives their SQL.
func (k *draftCheck) forms(fields []string) (names, columns, filled []string) {
	for n, name := range fields {
		as, sql := fmt.Sprintf("c%d", n+1), k.draftForm(name)
		names, columns, filled = append(names, as), append(columns, sql+` as `+as), append(filled, sql+` is not null`)
	}
	return names, columns, filled
}

// keyed reports whether the normal forms of all fields of a rule are kept, in
// drafts and records alike.
func (k *draftCheck) keyed(rule catalog.MatchRule) bool {
	return !slices.ContainsFunc(rule.Fields, func(name string) bool {
		f, _ := k.plan.Type.Field(name)
		return name != mapping.IDField && !f.Normalised()
	})
}

// sameRecord is the rule that draft d, with the joins of linked, and record r are
// equal in all that a match rule compares exactly.
func (k *draftCheck) sameRecord(rule catalog.MatchRule) string {
	var parts []string
	for _, name := range rule.Fields {
		parts = append(parts, recordForm(k.plan.Type, name, "r")+` = `+k.draftForm(name))
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

var (
	stepAnswers = step{does: "follows answers", reads: "draft settled records results cells", writes: "matches problems"}
	stepByID    = step{does: "finds records by their ids", reads: "draft aside settled records", writes: "matches"}
	stepByKey   = step{does: "finds records by a key", reads: "draft aside settled questions records", writes: "matches"}
	stepByEqual = step{
		does:   "finds records by equal fields",
		reads:  "draft aside settled records several cells links became",
		writes: "matches questions candidates aside problems several",
	}
	stepByTwin = step{does: "finds records that are equal in all",
		reads: "draft aside settled questions links became records", writes: "matches"}
	stepMatched = step{does: "notes ids that no record has", reads: "draft aside", writes: "matches problems"}
)

// find looks the record of each row up: as people have answered, then by the
// rules in their order; a row that one rule has settled is not looked up by the
// next.
func (k *draftCheck) find(ctx context.Context) error {
	if err := k.followAnswers(ctx); err != nil {
		return err
	}
	byName := !k.plan.ByName
	if !slices.ContainsFunc(k.plan.Rules, func(rule catalog.MatchRule) bool {
		return !byID(rule) && !rule.RowsApart && !(len(rule.Alike) > 0 && matching.Thing(k.plan.Type))
	}) {
		if err := k.findTwins(ctx); err != nil {
			return err
		}
	}
	for n, rule := range k.plan.Rules {
		if len(rule.Alike) > 0 && !byName {
			byName = true
			if err := k.findByTitle(ctx); err != nil {
				return err
			}
		}
		if err := k.findByRule(ctx, n+1, rule); err != nil {
			return err
		}
	}
	if !byName {
		if err := k.findByTitle(ctx); err != nil {
			return err
		}
	}
	statements := []stmt{k.index("matches", "row_no"), q(`analyze {matches}`)}
	if k.plan.HasID {
		statements = append(statements, q(`insert into {problems} (row_no, code, field, col, value, detail)
			select d.row_no, @code, @field, '', @prefix || d.id, ''
			from {draft} d where d.id is not null and {unfound d} and {stays d}`,
			arg{"code": string(problem.RecordMissing), "field": k.plan.Named(mapping.IDField),
				"prefix": k.plan.Type.Prefix + "-"}))
	}
	return k.do(ctx, stepMatched, statements...)
}

// findByRule finds by the n-th rule, counted from 1.
func (k *draftCheck) findByRule(ctx context.Context, n int, rule catalog.MatchRule) error {
	with := []any{frag{"same": k.sameRecord(rule)}, arg{"rule": n}}
	switch {
	case len(rule.Alike) > 0:
		return k.findAlike(ctx, n, rule)
	case byID(rule):
		return k.do(ctx, stepByID, q(`insert into {matches} (row_no, record_id, version, rule)
			select d.row_no, r.id, r.version, @rule
			from {draft} d join {records} r on {same}
			where {stays d} and {unanswered d}`, with...), q(`analyze {matches}`))
	case k.unique(rule) && rule.One != catalog.Ask:
		return k.do(ctx, stepByKey, q(`insert into {matches} (row_no, record_id, version, rule)
			select d.row_no, r.id, r.version, @rule
			from {draft} d join {records} r on {same}
			where {unsettled d}`, with...), q(`analyze {matches}`))
	}
	return k.findEqual(ctx, n, rule)
}

// followAnswers takes the records that people have named, and for answers that
// name an earlier row which is loaded already the record that it has become.
func (k *draftCheck) followAnswers(ctx context.Context) error {
	return k.do(ctx, stepAnswers,
		q(`insert into {matches} (row_no, record_id, version, rule)
			select s.row_no, r.id, r.version, 0
			from {settled} s join {records} r on r.id = s.record_id
			where s.choice = 'take' and {unfound s}`),
		k.hold(problem.AnswerGone, nil, schema.RecordID(k.plan.Type, "s.record_id"), `
			from {settled} d join {settled} s using (row_no)
			where s.choice = 'take' and s.record_id is not null and {unfound d}`),
		q(`insert into {matches} (row_no, record_id, version, rule)
			select s.row_no, r.id, r.version, 0
			from {settled} s
			join {results} o on o.row_no = s.other_row and o.draft = {n} and o.last and o.outcome not in ('held', 'failed')
			join {records} r on r.id = o.record_id
			where s.choice = 'take'`),
		k.hold(problem.AnswerGone, nil, `'row ' || s.other_row`, `
			from {settled} d join {settled} s using (row_no)
			where s.choice = 'take' and s.other_row is not null and {unfound d}
				and not exists (select from {draft} o where o.row_no = s.other_row)`),
		q(`analyze {matches}`),
	)
}

// findTwins is for drafts of which no key says what record they are for, and of which
// several may be equal, such as lines and tasks: a row that is equal to a record in
// all that it says is that record, the first such row the first such record, and so
// on. So a file that is loaded twice does not make everything twice. It must say what the
// record is called, where its type asks for that: of one account alone no deal is known.
func (k *draftCheck) findTwins(ctx context.Context) error {
	var mine, theirs []string
	named := `true`
	for _, name := range k.plan.Type.Title {
		f, _ := k.plan.Type.Field(name)
		if !f.Required {
			continue
		}
		if k.field(name) == nil {
			return nil
		}
		named += ` and d.` + schema.Value(name) + ` is not null`
	}
	for _, fp := range k.plan.Fields {
		f := fp.Field
		of := func(value string) string { return `coalesce(` + schema.Text(f, value) + `, '')` }
		if f.Kind().Form == catalog.LinkForm {
			mine = append(mine, of(k.comparedReference(fp)))
		} else {
			mine = append(mine, of(schema.Column(f, "d")))
		}
		theirs = append(theirs, of(schema.Column(f, "r")))
	}
	if len(mine) == 0 {
		return nil
	}
	return k.do(ctx, stepByTwin, q(`insert into {matches} (row_no, record_id, version, rule)
		select d.row_no, r.id, r.version, 1
		from (
			select d.row_no, {mine} as said, row_number() over (partition by {mine} order by d.row_no) as n
			from {linked} where {unsettled d} and {named}
		) d
		join (
			select r.id, r.version, {theirs} as said, row_number() over (partition by {theirs} order by r.id) as n
			from {records} r
		) r on r.said = d.said and r.n = d.n`,
		frag{"mine": said(mine), "theirs": said(theirs), "linked": k.linked(), "named": named}))
}

// said is the SQL of several values as one text.
func said(values []string) string { return `concat_ws(E'\x1f', ` + list(values) + `)` }

// mostCandidates is how many records a question offers.
const mostCandidates = 8

// preferred is the SQL of the order in which a rule prefers records r.
func (k *draftCheck) preferred(several catalog.Find) string {
	switch several {
	case catalog.Newest:
		return `r.id desc`
	case catalog.Full:
		return k.filled() + ` desc, r.id`
	}
	return `r.id`
}

// findEqual finds by fields that must be equal and of which several records may
// have the same.
func (k *draftCheck) findEqual(ctx context.Context, n int, rule catalog.MatchRule) error {
	take := func(finds string) stmt {
		return q(`insert into {matches} (row_no, record_id, version, rule)
			select x.row_no, r.id, r.version, @rule
			from {several} x join {records} r on r.id = x.ids[1]
			where {finds}`, frag{"finds": finds}, arg{"rule": n})
	}
	ask := func(kind verdict.Question, finds string) []stmt {
		return []stmt{
			q(`insert into {questions} (row_no, kind, rule, candidates, percent)
				select row_no, @kind, @rule, finds, 100 from {several} where {finds}`,
				frag{"finds": finds}, arg{"kind": string(kind), "rule": n}),
			q(`insert into {candidates} (row_no, place, record_id, percent)
				select x.row_no, i.place, i.id, 100
				from {several} x, unnest(x.ids) with ordinality i (id, place)
				where {finds}`, frag{"finds": finds}),
		}
	}
	// What the rows say is looked up once each, however many rows and records say it.
	names, mine, filled := k.forms(rule.Fields)
	var same []string
	for n, name := range rule.Fields {
		same = append(same, recordForm(k.plan.Type, name, "r")+` = w.`+names[n])
	}
	free := `true`
	if rule.RowsApart { // a record that another row has found is not meant as well
		free = `not exists (select from {matches} m where m.record_id = r.id)`
	}
	statements := []stmt{q(`create unlogged table {several} as
		with said as materialized (
			select d.row_no, {mine} from {linked} where {filled} and {unsettled d}
		),
		hit as materialized (
			select {names}, count(*) as finds, (array_agg(r.id order by {order}))[1:@most] as ids
			from (select distinct {names} from said) w join {records} r on {same} and {free}
			group by {names}
		)
		select s.row_no, h.finds, h.ids from said s join hit h using ({names})`,
		frag{"same": strings.Join(same, " and "), "order": k.preferred(rule.Several), "mine": list(mine),
			"names":  list(names),
			"filled": strings.Join(filled, " and "), "linked": k.linked(), "free": free}, arg{"most": mostCandidates})}
	takes, err := k.takes(ctx, rule)
	if err != nil {
		return err
	}
	if !takes {
		statements = append(statements, ask(verdict.AskAlike, `finds = 1`)...)
	} else {
		statements = append(statements, take(`finds = 1`))
	}
	switch rule.Several {
	case catalog.Oldest, catalog.Newest, catalog.Full:
		statements = append(statements, take(`finds > 1`))
	case catalog.Skip:
		statements = append(statements, q(`insert into {aside} (row_no, why)
			select row_no, @why from {several} where finds > 1`, arg{"why": string(verdict.SeveralThere)}))
	case catalog.Hold:
		statements = append(statements, take(`finds > 1`), k.severalFound(rule))
	default:
		statements = append(statements, ask(verdict.AskSeveral, `finds > 1`)...)
	}
	return k.do(ctx, stepByEqual, append(statements, q(`drop table {several}`), q(`analyze {matches}`))...)
}

// takes reports whether a single find by a rule may be taken, which for fields that
// need not tell records apart is measured on the records.
func (k *draftCheck) takes(ctx context.Context, rule catalog.MatchRule) (bool, error) {
	if rule.One == catalog.Ask || tells(k.plan.Type, rule) {
		return rule.One != catalog.Ask, nil
	}
	var have, alone int64
	err := k.conn.pg.QueryRow(ctx, `select coalesce(sum(n), 0)::bigint, coalesce(sum(n) filter (where n = 1), 0)::bigint
		from (`+groupsOf(k.i.Workspace, k.plan.Type, rule.Fields)+`) y`).Scan(&have, &alone)
	if err != nil {
		return false, fmt.Errorf("%s: %w", stepByEqual.does, err)
	}
	return tellsApart(k.plan.Type, rule, have, alone), nil
}

// severalFound notes the problem of rows that fit several records.
func (k *draftCheck) severalFound(rule catalog.MatchRule) stmt {
	return k.hold(problem.SeveralFound, k.field(rule.Uses()[0]),
		`(select `+recordIDs(k.plan.Type)+` from unnest(x.ids[1:5]) id) || case when x.finds > 5 then ', …' else '' end`,
		`from {draft} d join {several} x using (row_no) where x.finds > 1`)
}

// filled is the SQL for how many values a record has.
func (k *draftCheck) filled() string {
	var cols []string
	for _, f := range k.plan.Type.Fields {
		cols = append(cols, schema.Column(f, "r"))
	}
	return `num_nonnulls(` + list(cols) + `)`
}

// likenessRules lists the numbers of the rules that find by likeness.
func (k *draftCheck) likenessRules() string {
	var numbers []string
	for n, rule := range k.plan.Rules {
		if len(rule.Alike) > 0 {
			numbers = append(numbers, schema.Int(n+1))
		}
	}
	return list(numbers)
}
