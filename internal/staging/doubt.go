package staging

import (
	"context"
	"fmt"
	"maps"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/matching"
	"uchi/internal/core/problem"
	"uchi/internal/core/value"
	"uchi/internal/schema"
)

// Values that say less than a record knows: what is doubtful is said in SQL once,
// for the difference and the problems alike.

// doubt is the SQL of whether the value now of a field, from a staged draft, says less than what
// is in its record; null and false are no.
func (k *draftCheck) doubt(fp mapping.FieldPlan, now string) string {
	was := schema.Column(fp.Field, "r")
	switch fp.Doubt {
	case catalog.Older:
		return now + ` < ` + was
	case catalog.Zero:
		sql := now + ` = 0`
		if fp.Field.Type == catalog.Money {
			sql = `(` + sql + ` or ` + now + ` * 1000 = ` + was + `)`
		}
		return sql + ` and ` + was + ` <> 0`
	case catalog.Given:
		return now + ` and not ` + was
	case catalog.Shared:
		return sharedSite(now) + ` and not ` + sharedSite(was)
	case catalog.Vague:
		vague := ` in (` + literals(fp.Field.Vague()) + `)`
		return now + vague + ` and not ` + was + vague
	case catalog.Lent:
		var same []string
		for _, f := range k.plan.Type.Fields {
			if f.Type != catalog.Money {
				continue
			}
			there := schema.Column(f, "r")
			said := `true`
			if k.field(f.Name) != nil {
				said = `coalesce(` + drafted(f) + ` = ` + there + `, true)`
			}
			same = append(same, there+` is not null and `+said)
		}
		return now + ` <> ` + was + ` and (` + strings.Join(same, " or ") + `)`
	case catalog.Turned:
		part := func(of, v string) string { return `extract(` + of + ` from ` + v + `)` }
		turned := part("month", now) + ` = ` + part("day", was) + ` and ` + part("day", now) + ` = ` + part("month", was)
		first := part("doy", now) + ` = 1`
		return now + ` <> ` + was + ` and ` + part("year", now) + ` = ` + part("year", was) + ` and (` + turned + ` or ` +
			first + `)`
	case catalog.Abroad, catalog.Fixed: // the country is mostly that of the row or the sheet, which nobody dials
		number := func(v string) string { return `split_part(` + v + `, ';', 1)` }
		const digits, code = 8, 3 // of the number, and up to the country's code
		last := func(v string) string { return `right(` + number(v) + `, ` + schema.Int(digits) + `)` }
		first := func(v string) string { return `left(` + v + `, ` + schema.Int(code) + `)` }
		sql := first(now) + ` <> ` + first(was) + ` and ` + last(now) + ` = ` + last(was)
		if fp.Doubt == catalog.Fixed {
			mobile, known := value.Mobiles()
			sql += ` or ` + was + ` ~ ` + schema.Literal(mobile) + ` and ` + now + ` ~ ` + schema.Literal(known) + ` and ` +
				now + ` !~ ` + schema.Literal(mobile)
		}
		return now + ` <> ` + was + ` and (` + sql + `)`
	case catalog.Lower:
		var codes []string
		for _, c := range fp.Field.Choices {
			codes = append(codes, schema.Literal(c.Code))
		}
		order := `array[` + list(codes) + `]::text[]`
		return `array_position(` + order + `, ` + now + `) < array_position(` + order + `, ` + was + `)`
	case catalog.Private:
		domain := func(v string) string { return `lower(split_part(` + v + `, '@', 2))` }
		anybodys := ` in (` + literals(value.PrivateMail()) + `)`
		sql := domain(now) + anybodys + ` and not ` + domain(was) + anybodys
		// Or the mailbox that is there is at the company for which the person works, and
		// goes on to work by what the row says.
		for _, w := range k.workplaces() {
			stays := `true`
			if k.field(w.field.Name) != nil {
				stays = `coalesce(` + drafted(w.field) + ` = ` + schema.Column(w.field, "r") + `, true)`
			}
			sql = `(` + sql + ` or ` + stays + ` and ` + w.has(domain(was)) + ` and not ` +
				w.has(domain(now)) + `)`
		}
		if _, people := k.plan.Type.FieldAs(catalog.AsFamilyName); people {
			sql = desksOver(now, was) + ` or ` + domain(now) + ` <> ` + domain(was) + ` and ` + sql
		}
		// Most mailboxes are those that are there.
		return `case when ` + now + ` <> ` + was + ` then ` + sql + ` end`
	}
	return `false`
}

// sharedSite is the SQL of whether an address on the web is on a site that all companies can be on.
func sharedSite(v string) string {
	host, sites := `substring(lower(`+v+`) from '^(?:[a-z]+://)?(?:www[.])?([^/:?#]+)')`,
		`(`+literals(value.SharedSites())+`)`
	// de. and the like
	return `(` + host + ` in ` + sites + ` or regexp_replace(` + host + `, '^[a-z]{2}[.]', '') in ` + sites + `)`
}

// desksOver is the SQL of whether one mailbox is a desk's and the other a person's own.
func desksOver(now, was string) string {
	desks := func(v string) string {
		return `btrim(lower(split_part(` + v + `, '@', 1)), '0123456789.-_') in (` + literals(value.RoleMailboxes()) + `)`
	}
	return `(` + desks(now) + ` and not ` + desks(was) + `)`
}

// workplace is a field of a person's record that points to the company, of which something
// tells the domains.
type workplace struct {
	field     catalog.Field
	company   catalog.RecordType
	companies string // the table of its records
}

// workplaces lists the fields of a record that point to the company for which somebody works.
func (k *draftCheck) workplaces() (list []workplace) {
	for _, f := range k.plan.Type.Fields {
		t, ok := k.catalog.Type(f.To)
		if f.ComparedAs() != catalog.AsEmployer || !ok || len(domainsOf(t, "e")) == 0 {
			continue
		}
		list = append(list, workplace{f, t, schema.Records(k.i.Workspace, t.Name)})
	}
	return list
}

// domainsOf lists the SQL of the domains of a company, given by its alias.
func domainsOf(t catalog.RecordType, company string) (list []string) {
	for _, f := range t.Fields {
		switch f.ComparedAs() {
		case catalog.AsWeb:
			list = append(list, `lower(substring(`+schema.Column(f, company)+` from '^(?:[a-z]+://)?(?:www[.])?([^/:?#]+)'))`)
		case catalog.AsEmail:
			list = append(list, `lower(split_part(`+schema.Column(f, company)+`, '@', 2))`)
		}
	}
	return list
}

// alias names the company of the record of a staged draft.
func (w workplace) alias() string { return schema.Ident("at_" + w.field.Name) }

// join is the SQL that sets the company beside the record r of a staged draft.
func (w workplace) join() string {
	return ` left join ` + w.companies + ` ` + w.alias() + ` on ` + w.alias() + `.id = ` + schema.Column(w.field, "r")
}

// has is the SQL of whether a domain is one of the company of the record of a staged draft, which
// stands beside it, so that the server can look at the rows on all cores: it does not where a
// query looks something up for each row.
func (w workplace) has(domain string) string {
	return `coalesce(` + domain + ` in (` + list(domainsOf(w.company, w.alias())) + `), false)`
}

var stepDoubt = step{does: "notes what records know better", reads: "draft aside matches links settled became " +
	"records cells moved", writes: "problems"}

// doubtful are the words of each doubt, before the value that is there.
var doubtful = map[catalog.Doubt]string{
	catalog.Older:   "the record has a later date",
	catalog.Lower:   "the record is further on already",
	catalog.Private: "the record has a mailbox at the company",
	catalog.Zero:    "the record has a number other than 0, or a thousand times as much",
	catalog.Given:   "consent is not given in the record",
	catalog.Shared:  "the record has an address of its own",
	catalog.Abroad:  "the record has this number in another country",
	catalog.Fixed:   "the record has a mobile number, or this one in another country",
	catalog.Vague:   "the record has a choice that says more",
	catalog.Lent:    "the record has its amount in another currency, and the row has no other amount",
	catalog.Turned:  "the record has day and month the other way round, or a day where the row has the first of January",
}

var (
	stepNames = step{does: "lets names stand that records have", reads: "draft matches questions candidates records",
		writes: "problems"}
	stepFond = step{does: "looks for names that are short for those of records", reads: "draft matches records",
		writes: "matches"}
	stepLost = step{does: "lets values be that records have in full", reads: "draft matches records", writes: "problems"}
)

// letNamesStand takes back that the halves of a name seem turned where the record that was found
// has them so, or where likeness has told the two names to be the same, in whichever order and
// writing: what is there is kept then. Of a record found by a key turned names would be written over
// its own. While it is asked whether the row is such a record, the doubt does not hold the row: it
// does again when the answer is that it is somebody else.
func (k *draftCheck) letNamesStand(ctx context.Context) error {
	given, family := k.fieldAs(catalog.AsGivenName), k.fieldAs(catalog.AsFamilyName)
	if given == nil || family == nil || k.plan.May == mapping.Create {
		return nil
	}
	if some, err := k.anyProblem(ctx, string(problem.NameOrder)); err != nil || !some {
		return err
	}
	words := frag{
		"fields": literals([]string{given.Field.Name, family.Field.Name}),
		"given":  schema.Name(given.Field.Name), "family": schema.Name(family.Field.Name),
		"of_row": `p.row_no = d.row_no and p.code = @code and p.field = @field`,
	}
	with := arg{"code": string(problem.NameOrder), "field": k.plan.Named(family.Field.Name)}
	statements := []stmt{q(`delete from {problems} p
		using {draft} d join {matches} m on m.row_no = d.row_no join {records} r on r.id = m.record_id
		where {of_row} and ((r.{given}, r.{family}) = (d.{given}, d.{family}) or m.alike @> array[{fields}])`, words, with)}
	if !family.Light {
		statements = append(statements, q(`update {problems} p set light = exists (
				select from {candidates} c join {questions} x on x.row_no = c.row_no join {records} r on r.id = c.record_id
				where c.row_no = d.row_no and ((r.{given}, r.{family}) = (d.{given}, d.{family}) or c.alike @> array[{fields}]))
			from {draft} d where {of_row}`, words, with))
	}
	return k.do(ctx, stepNames, statements...)
}

// findFond marks the rows whose given name is a short or fond form of that of the record that a key
// has found for them (Kathi for Katharina), as likeness marks those that it finds: the record keeps its own.
func (k *draftCheck) findFond(ctx context.Context) error {
	given, ok := k.fondly()
	if !ok {
		return nil
	}
	type names struct {
		Row int64  `db:"row_no"`
		Now string `db:"now"`
		Was string `db:"was"`
	}
	with := frag{
		"now": schema.Column(given, "d"), "was": schema.Column(given, "r"), "name": schema.Name(given.Name),
		"given": schema.Literal(given.Name),
	}
	list, err := collect[names](ctx, k.conn.pg, k.word, q(`
		select d.row_no, {now} as now, {was} as was from {draft} d join {matches} m on m.row_no = d.row_no
		join {records} r on r.id = m.record_id
		where length(d.{name}) + 1 < length(r.{name})
		and not coalesce({given} = any(m.alike), false)`, with))
	if err != nil {
		return fmt.Errorf("%s: %w", stepFond.does, err)
	}
	var rows []int64
	for _, x := range list {
		if matching.ShortOf(x.Now, x.Was) {
			rows = append(rows, x.Row)
		}
	}
	if len(rows) == 0 {
		return nil
	}
	return k.do(ctx, stepFond, q(`update {matches} m set alike = array_append(m.alike, {given})
		where m.row_no = any(@rows)`, with, arg{"rows": rows}))
}

// fondly gives the field of given names where rows may change those of records.
func (k *draftCheck) fondly() (catalog.Field, bool) {
	given := k.fieldAs(catalog.AsGivenName)
	if given == nil || given.Chosen || k.plan.May == mapping.Create || k.plan.May == mapping.Delete {
		return catalog.Field{}, false
	}
	return given.Field, true
}

// letLostBe takes back that a value has lost letters or digits where the record that was found
// has them all: it keeps them. So it does with what is in question where the record has just that.
func (k *draftCheck) letLostBe(ctx context.Context) error {
	var there []string
	for _, fp := range k.plan.Fields {
		if fp.Losable && !fp.Chosen {
			now, was := schema.Column(fp.Field, "d"), schema.Column(fp.Field, "r")
			there = append(there, `p.field = `+schema.Literal(k.plan.Named(fp.Field.Name))+` and (`+lost(now, was)+` or `+now+
				` = `+was+`)`)
		}
	}
	if len(there) == 0 || k.plan.May == mapping.Create {
		return nil
	}
	if some, err := k.anyProblem(ctx, lostCodes...); err != nil || !some {
		return err
	}
	// Without statistics the server goes through all rows for the few that have a problem.
	return k.do(ctx, stepLost, q(`analyze {problems}`), q(`delete from {problems} p
		using {draft} d join {matches} m on m.row_no = d.row_no join {records} r on r.id = m.record_id
		where p.row_no = d.row_no and p.code = any(@codes) and ({there})`,
		frag{"there": strings.Join(there, " or ")}, arg{"codes": lostCodes}))
}

// anyProblem reports whether a row has a problem of some codes: mostly none has, and all that rows have found need
// not be gone through.
func (k *draftCheck) anyProblem(ctx context.Context, codes ...string) (some bool, err error) {
	sql, _, err := q(`select exists (select from {problems} where code in (` + literals(codes) + `))`).compose(k.word)
	if err != nil {
		return false, err
	}
	if err := k.conn.pg.QueryRow(ctx, sql).Scan(&some); err != nil {
		return false, fmt.Errorf("%s: %w", stepLost.does, err)
	}
	return some, nil
}

// lostCodes are the problems of values that a record may have in full, or just so.
var lostCodes = []string{
	string(problem.LostLetters), string(problem.DamagedNumber), string(problem.MadeDate), string(problem.MadeNumber),
	string(problem.BadPlace), string(problem.OtherPlace), string(problem.PerhapsNothing), string(problem.NotToUse),
	string(problem.LostZero), string(problem.ShortCode), string(problem.FootnoteMark), string(problem.MisspeltDomain),
	string(problem.BesideName), string(problem.BadName),
}

// fieldAs gives the plan of the field that is compared in a way; nil when the rows say
// nothing of it.
func (k *draftCheck) fieldAs(as catalog.Likeness) *mapping.FieldPlan {
	f, ok := k.plan.Type.FieldAs(as)
	if !ok {
		return nil
	}
	return k.field(f.Name)
}

// noteDoubts notes the values of rows that a record knows better: of rows that are
// loaded without them, or held, by the policy of the field. And it holds rows for which a key
// has found the record of somebody else.
func (k *draftCheck) noteDoubts(ctx context.Context) error {
	if k.plan.May == mapping.Create {
		return nil
	}
	var details, said, some []string // what is in doubt of each field, and what is said of it
	note := func(code problem.Code, fp *mapping.FieldPlan, light bool, name, when, words string) {
		cell := `null::integer`
		if at, ok := k.columns[fp.Column()]; ok {
			cell = schema.Int(at + 1)
		}
		detail := schema.Ident("detail_" + name)
		details = append(details, `case when `+when+` then `+words+` end as `+detail)
		some = append(some, `y.`+detail+` is not null`)
		said = append(said, `(`+list([]string{
			schema.Literal(string(code)), schema.Literal(k.plan.Named(fp.Field.Name)), schema.Literal(fp.Column()),
			fmt.Sprint(light), cell, `y.` + detail,
		})+`)`)
	}
	if sql, fp, ok := k.stranger(); ok {
		who := schema.TitleText(k.plan.Type, "r") + ` || ', ' || ` + schema.RecordID(k.plan.Type, "r.id")
		note(problem.OtherName, fp, false, "of_another", sql, who)
	}
	for i := range k.plan.Fields {
		fp := &k.plan.Fields[i]
		if fp.Doubt == catalog.NoDoubt || fp.Doubtful == "" || fp.Doubtful == mapping.TakeRows ||
			k.plan.May == mapping.Delete {
			continue
		}
		was, kept := schema.Column(fp.Field, "r"), k.keptByAnswer(fp.Field)
		if k.dated { // what a sheet of records has as it was is not what the row says
			kept = `(` + kept + ` or ` + k.unmoved(*fp, drafted(fp.Field)) + `)`
		}
		words := schema.Literal(doubtful[fp.Doubt]+": ") + ` || ` + k.shown(fp.Field, was)
		if fp.Doubt == catalog.Private {
			own := schema.Literal("the record has a mailbox of the person's own: ") + ` || ` + k.shown(fp.Field, was)
			words = `case when ` + desksOver(drafted(fp.Field), was) + ` then ` + own + ` else ` + words + ` end`
		}
		when := `(` + k.doubt(*fp, drafted(fp.Field)) + `) and not ` + kept
		note(problem.DoubtfulValue, fp, fp.Doubtful == mapping.KeepThere, fp.Field.Name, when, words)
	}
	if len(details) == 0 {
		return nil
	}
	// Few rows have any, so that only of those it is made out which. A volatile column keeps the server from working
	// out twice what is in doubt, and lets it look at many rows on all cores; see decide.
	words := frag{"staged": k.staged(), "details": list(details), "said": list(said), "some": strings.Join(some, " or "),
		"found": `select * from (
			select q.row_no, {details}, clock_timestamp() as looked from {staged} where q.record_id is not null and {stays q}
		) y where {some}`, "from": `({found})`}
	var aside stmt // what an insert finds is looked for on one core
	if k.size > k.room.few {
		aside, words["from"] = q(`create temp table doubts on commit drop as {found}`, maps.Clone(words)), `doubts`
	}
	return k.do(ctx, stepDoubt, aside, q(`insert into {problems} (row_no, code, field, col, value, detail, light)
		select y.row_no, x.code, x.field, x.col, coalesce((select left(c.cells[x.cell], @longest) from {cells} c
		where c.row_no = y.row_no), ''), x.detail, x.light
		from {from} y
		cross join lateral (values {said}) as x (code, field, col, light, cell, detail)
		where x.detail is not null`, words, arg{"longest": longestShown}))
}

// keptByAnswer is the SQL of whether a person has said that row q leaves the value
// of a field as it is.
func (k *draftCheck) keptByAnswer(f catalog.Field) string {
	if !k.keeps {
		return `false`
	}
	return `coalesce(` + schema.Literal(f.Name) + ` = any(q.keep), false)`
}
