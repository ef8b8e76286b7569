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

// A text may name what another row of the source is to become: a parent further
// down, a superior in the list. Such a link stands for it by the row's number, below
// 0. Where the row comes later in the load than the one that points to it, the link
// waits, and is written with the record that it leads to: rows may point to each
// other in a ring, and to themselves.

var (
	stepRowLinks = step{
		does:   "looks up what texts name among the other rows",
		reads:  "draft links cells",
		writes: "links problems closer draft",
	}
	stepWaiting = step{
		does:   "writes the links that have waited for a record",
		reads:  "waits results verdicts problems",
		writes: "records history results problems",
	}
)

// becoming reports whether links may lead to what the rows of the draft become.
func (k *draftCheck) becoming() bool { return k.plan.Shared || k.plan.Meant || k.i.Bundle != nil }

// waiting reports whether links of the draft may lead to other rows.
func (k *draftCheck) waiting() bool {
	return slices.ContainsFunc(k.plan.Fields,
		func(fp mapping.FieldPlan) bool { return fp.Becomes() >= 0 || k.i.Bundle != nil && nameable(fp) })
}

// comparedReference is the SQL of the record that a reference of draft d points to,
// given the joins of linked, for comparing rows before it is known which of them
// other rows name: of a text that names no record a number that no record has, and
// that rows of the same text share.
func (k *draftCheck) comparedReference(fp mapping.FieldPlan) string {
	if !k.outward(fp) {
		return referenceOf(fp.Field)
	}
	text := `d.` + textColumn(fp.Field.Name)
	return `coalesce(` + referenceOf(fp.Field) + `, -abs(hashtextextended(` + text +
		`, 0) % 4611686018427387904) - 4611686018427387904)`
}

// everyRow is the SQL of a table of the draft as it stands for all rows, for the
// statements of another draft.
func (k *draftCheck) everyRow(part string) string { return k.amongAs(part, k.table(part)) }

// linkRows looks up, for texts that name no record by id or key, the rows that are
// to become what they name: by a key, else by their whole title, of people in whichever
// order its halves stand, else of those who own records by one of their names or the
// initials. A name that a record has as well as a row for another record is the name of two.
func (k *draftCheck) linkRows(ctx context.Context) error {
	for i := range k.plan.Fields {
		fp := &k.plan.Fields[i]
		if !k.outward(*fp) {
			continue
		}
		target, with := k.linkWords(fp)
		byKey, byName := []string{`select null::text as l, null::bigint as id where false`},
			[]string{`select null::text as l, null::bigint as id where false`}
		people := []string{`select r.id, ` + spoken(`r.`+schema.Title, schema.TitleText(target, "r")) +
			` as name from {targets} r`}
		var theirs []string
		others, err := k.otherRows(ctx, fp)
		if err != nil {
			return err
		}
		for n, to := range others {
			from := fmt.Sprintf("theirs%d", n)
			columns := []string{`t.row_no`, to.record + ` as record_id`}
			for _, f := range to.draft.plan.Fields {
				if f.Field.Normalised() {
					for _, forms := range []string{`want`, `other_forms`} {
						byKey = append(byKey, `select w.l, `+to.record+` from `+forms+` w join (`+to.rows+`) on t.`+schema.Key(f.Field.Name)+
							` = w.form where w.form <> ''`)
					}
				}
			}
			if title := to.draft.titleOf("t"); title != "" {
				columns = append(columns, title+` as title`, to.draft.saidTitle("t")+` as said`)
				people = append(people, `select t.record_id, `+spoken(`t.title`, `t.said`)+` from `+from+` t where t.record_id < 0`)
				named := `select w.l, t.record_id from rest w join ` + from + ` t on t.title = w.m where w.m <> ''`
				switch {
				case namesCompany(target):
					named += ` and not ` + schema.OtherForm(`w.l`, `t.said`)
				case namesPeople(target):
					byName = append(byName, `select w.l, t.record_id
						from (select l, m, unnest(`+anyOrder(`m`)+
						`) as turned from rest where there is null and `+hasHalves(`m`)+`) w join `+from+` t on t.title = w.turned
						where w.turned <> w.m and not exists (select from `+from+` o where o.title = w.m)`)
				}
				byName = append(byName, named)
			}
			theirs = append(theirs, from+` as materialized (select `+list(columns)+` from `+to.rows+`),`)
		}
		with["short"] = k.byShort(target, fp.Field.Name, strings.Join(people, " union all "))
		with["by_key"], with["by_name"], with["theirs"] = strings.Join(byKey, " union "), strings.Join(byName, " union "),
			strings.Join(theirs, " ")
		with["by_keys"] = strings.Join(byKey, " union all ")
		with["says"] = `case when h.id < 0 then ` + k.saysRow("h.id") + ` else ` + schema.RecordID(target, "h.id") + ` end`
		// Nearly all texts of an old system's numbers are the key of one row and of nothing else: these are
		// noted first, so that the names of the rows are looked at for what is left alone.
		statements := []stmt{q(`
			insert into {links} (field, lookup, record_id, finds, how)
			with want as materialized (
				select d.{l} as l, d.{l} as form, min(d.{o}) as o
				from {draft} d left join {links} x on x.field = {field} and x.lookup = d.{l}
				where d.{l} is not null and x.lookup is null and {id} is null
				group by 1
			),
			other_forms as materialized (select l, unnest(o) collate "C" as form from want where o is not null)
			select {field}, l, min(id), 1, @row from ({by_keys}) k (l, id) group by l having min(id) = max(id)`, with,
			arg{"row": string(ByRow)}), q(`
			with want as materialized (
				select d.{l} as l, d.{m} as m, d.{l} as form, min(d.{o}) as o, x.record_id as there, x.lookup is not null as noted
				from {draft} d left join {links} x on x.field = {field} and x.lookup = d.{l}
				where d.{l} is not null and case when x.lookup is null then {id} is null
					else x.finds = 0 or x.how in ('name', 'bare_name') and x.finds = 1 end
				group by 1, 2, 5, 6
			),
			other_forms as materialized (select l, unnest(o) collate "C" as form from want where o is not null),
			by_key as materialized (select l, id, @row as how from ({by_key}) k (l, id)),
			rest as materialized (select * from want w where not exists (select from by_key k where k.l = w.l)),
			{theirs}
			by_name as materialized (
				{by_name}
				union
				select l, there from want where there is not null
			),
			{short}
			others as materialized (
				select l, id, @name as how from by_name
				union all
				select l, id, @short from by_short
				union all
				select l, id, @short from by_initial
			),
			told as materialized (
				select l, min(id) as id, count(*) as finds, max(how) as how
				from (select * from by_key union all select * from others) h
				group by l
			),
			several as (
				select h.l, left(string_agg({says}, ', ' order by h.id desc), 100) as shown
				from (select * from by_key union all select * from others) h join told t on t.l = h.l and t.finds > 1
				group by h.l
			),
			noted as (
				insert into {links} (field, lookup, record_id, finds, shown, how)
				select {field}, w.l, case when t.finds = 1 then t.id end, coalesce(t.finds, 0), s.shown, coalesce(t.how, '')
				from want w left join told t on t.l = w.l left join several s on s.l = w.l
				where not w.noted
			)
			update {links} x set record_id = case when t.finds = 1 then t.id end, finds = t.finds, shown = s.shown, how = t.how
			from want w join told t on t.l = w.l left join several s on s.l = t.l
			where w.noted and x.field = {field} and x.lookup = w.l and (t.finds > 1 or t.id is distinct from x.record_id)`, with,
			arg{"row": string(ByRow), "name": string(ByRowName), "short": string(ByShort)}),
			q(`analyze {links}`)}
		if err := k.do(ctx, stepRowLinks, statements...); err != nil {
			return err
		}
	}
	if !k.namesRows() {
		return nil
	}
	return k.do(ctx, stepRowLinks, k.index("links", "field, lookup"))
}

// namesRows reports whether texts of the draft may name what other rows become.
func (k *draftCheck) namesRows() bool {
	return slices.ContainsFunc(k.plan.Fields, func(fp mapping.FieldPlan) bool { return k.outward(fp) })
}

// otherRows is the rows of a draft that a text may name.
type otherRows struct {
	named
	rows   string // SQL of the rows t, as from what is selected
	record string // SQL of what row t is to become, as this import stands for it
	loaded string // SQL of whether row t has been loaded
}

// otherRows lists the rows that a field may name.
func (k *draftCheck) otherRows(ctx context.Context, fp *mapping.FieldPlan) (list []otherRows, err error) {
	for _, to := range k.mayName(*fp) {
		o := otherRows{named: to, record: `b.record_id`, loaded: `false`}
		var results string
		if to.in != nil { // a row beside stands below the rows of this import, until it is loaded
			o.record = `case when b.record_id < 0 then b.record_id - ` + schema.Int(to.in.base()) + ` else b.record_id end`
			there, err := k.room.there(ctx, resultsTable(to.in.Import.ID))
			if err != nil {
				return nil, err
			}
			if there {
				o.record, o.loaded = `coalesce(o.record_id, `+o.record+`)`, `o.record_id is not null`
				results = ` left join ` + resultsTable(to.in.Import.ID) + ` o on o.row_no = t.row_no and o.draft = ` +
					schema.Int(to.draft.n+1) + ` and o.last`
			}
		}
		o.rows = to.draft.everyRow("draft") + ` t join ` + to.draft.everyRow("became") +
			` b on b.row_no = t.row_no and b.record_id is not null` + results
		list = append(list, o)
	}
	return list, nil
}

// rowsElsewhere is as elsewhere, for links to what other rows become; of several for one record the first
// counts, so that it is said once.
func (k *draftCheck) rowsElsewhere(fp *mapping.FieldPlan, target catalog.RecordType, others otherRows, with frag) stmt {
	to := others.draft
	var fields []catalog.Field
	for _, f := range to.plan.Fields {
		fields = append(fields, f.Field)
	}
	apart := k.apart(fp, target, fields, "t")
	title := to.titleOf("t")
	if apart == "" || title == "" {
		return stmt{}
	}
	columns := []string{`t.row_no`, others.record + ` as record_id`, title + ` as title`, to.saidTitle("t") + ` as said`}
	for _, f := range fields {
		if f.ComparedAs() == catalog.AsCountry || f.ComparedAs() == catalog.AsLocality {
			columns = append(columns, schema.Column(f, "t"))
		}
	}
	return k.hold(problem.LinkDoubtful, fp, `t.said`, `
		from {draft} d
		join {links} x on x.field = {field} and x.lookup = d.{l} and x.how = `+literal(ByRowName)+`
		join (
			select distinct on (record_id) * from (select `+list(columns)+` from `+others.rows+`) theirs order by record_id, row_no
		) t on t.record_id = x.record_id and t.title = d.{m}
		where `+schema.LegalForm(`d.{l}`)+` <> `+schema.LegalForm(`t.said`)+` and `+apart, with)
}

// meetRows gives the queries of the rows of this draft that link to the rows @rows,
// or would, and of those that these link to.
func (k *draftCheck) meetRows(now *draftCheck) (parts []string) {
	for _, fp := range k.plan.Fields {
		if fp.Rows < 0 {
			continue
		}
		field, l, m, o := schema.Literal(fp.Field.Name), textColumn(fp.Field.Name), namedColumn(fp.Field.Name),
			formsColumn(fp.Field.Name)
		parts = append(parts, fmt.Sprintf(`select d.row_no from {links} x join {draft} d on d.%s = x.lookup
			where x.field = %s and x.record_id < 0 and -x.record_id = any(@rows)`, l, field),
			`select d.row_no from {draft} d where -`+schema.Column(fp.Field, "d")+` = any(@rows)`)
		theirs, theirsNow := k.Check.drafts[fp.Rows], now.Check.drafts[fp.Rows].table("draft")
		for _, f := range theirs.plan.Fields {
			if key := schema.Key(f.Field.Name); f.Field.Normalised() {
				parts = append(parts,
					fmt.Sprintf(`select d.row_no from %s t join {draft} d on d.%s = t.%s where t.row_no = any(@rows)`,
						theirsNow, l, key),
					fmt.Sprintf(`select d.row_no from %s t join {draft} d on t.%s = any(d.%s)
						where t.row_no = any(@rows) and d.%s is not null`, theirsNow, key, o, o),
					fmt.Sprintf(`select t.row_no from (select unnest(d.%s || d.%s) as form from {draft_now} d where d.row_no = any(@rows)) n
						join %s t on t.%s = n.form`, o, l, theirs.table("draft"), key))
			}
		}
		if title := theirs.titleOf("t"); title != "" {
			names, called := `array[`+title+`]`, `array[d.`+m+`]`
			if namesPeople(theirs.plan.Type) { // in whichever order the halves stand
				names, called = anyOrder(title), anyOrder(`d.`+m)
			}
			parts = append(parts,
				fmt.Sprintf(`select d.row_no from (select unnest(%s) as name from %s t where t.row_no = any(@rows)) n
					join {draft} d on d.%s = n.name where n.name <> ''`, names, theirsNow, m),
				fmt.Sprintf(`select t.row_no from (select unnest(%s) as name from {draft_now} d where d.row_no = any(@rows)) n
					join %s t on %s = n.name where n.name <> ''`, called, theirs.table("draft"), title))
		}
	}
	return parts
}

// wait are the statements that note which links lead to rows that come later; those
// of other imports are noted when the load begins. A member of 0 is this import.
func (k *draftCheck) wait() []stmt {
	if !k.waiting() {
		return nil
	}
	all := []string{`select null::bigint as row_no, ''::text as field, null::bigint as target, 0::smallint as member
		where false`}
	for _, fp := range k.plan.Fields {
		if fp.Becomes() >= 0 { // also of its own row, where a row further down stands for it
			link := schema.Column(fp.Field, "v")
			all = append(all, `select v.row_no, `+schema.Literal(fp.Field.Name)+`, -`+link+`, 0::smallint from {verdicts} v
				where `+link+` < 0 and not `+isOutside(link)+` and -`+link+` > v.row_no and v.verdict in ('create', 'update')`)
		}
	}
	return []stmt{
		q(`create unlogged table {waits} as {all}`, frag{"all": strings.Join(all, " union all ")}),
		k.index("waits", "target"),
		q(`analyze {waits}`),
	}
}

// fillWaiting writes the links of rows that were loaded before the rows of this chunk
// that they lead to. Records that nobody else has touched since are not given another
// version: for everybody else the link was written with the record. A link whose row
// has not been loaded after all stays blank, and the row says so. Records are taken in
// the order in which they stand, which is a third of the work of any other.
func (c *draftChunk) fillWaiting(ctx context.Context) error {
	if !c.check.waiting() {
		return nil
	}
	for _, fp := range c.plan.Fields {
		if fp.Becomes() < 0 {
			continue
		}
		target, _ := c.check.catalog.Type(fp.Field.To)
		name := literal(fp.Field.Name)
		with := frag{
			"field": name, "value": schema.Value(fp.Field.Name), "their_place": schema.Int(fp.Becomes() + 1),
			"old": schema.RecordID(target, "t.was"), "now": schema.RecordID(target, "t.now"),
		}
		_, err := c.do(ctx, stepWaiting,
			q(`with todo as materialized (
					select o.record_id, o.outcome, t.record_id as id, coalesce(v.version + 1, 1) as made, r.{value} as was
					from {waits} w
					join {results} t on t.row_no = w.target and t.row_no between @low and @high and t.draft = {their_place}
					and t.last and t.record_id is not null
					join {results} o on o.row_no = w.row_no and o.draft = {n} and o.last and o.outcome in ('created', 'updated')
					join {verdicts} v on v.row_no = w.row_no
					left join {records} r on r.id = o.record_id and o.outcome = 'updated'
					where w.field = {field} and w.member = 0 and w.target between @low and @high and w.row_no < @low
					order by o.record_id
				),
				changed as (
					update {records} r set {value} = t.id, version = case when r.version = t.made then r.version
					else r.version + 1 end, changed_at = now(), changed_by = @person
					from todo t
					where r.id = t.record_id and (r.version = t.made or r.{value} is null)
					returning r.id, r.version, t.outcome, r.version = t.made as untouched, t.was, t.id as now
				),
				told as (
					select id, version, outcome, untouched,
						jsonb_build_object({field}, jsonb_build_array(case when was is not null then {old} end, {now})) as changes
					from changed t where outcome = 'updated' or not untouched
				),
				amended as (
					update {history} h set changes = h.changes || c.changes
					from told c
					where c.outcome = 'updated' and h.record_id = c.id and h.version = c.version and c.untouched
				)
				insert into {history} (record_id, version, person, import, run, kind, changes)
				select id, version, @person, @import, @run, 'update', changes from told where not untouched`,
				with, arg{"low": c.low, "high": c.high, "person": c.run.Person, "import": c.i.ID, "run": c.run.Piece}),
			q(`insert into {problems} (row_no, code, field, col, value, detail, light)
				select w.row_no, @code, @named, @col, '', 'row ' || w.target, true
				from {waits} w
				join {results} o on o.row_no = w.row_no and o.draft = {n} and o.last and o.outcome in ('created', 'updated')
				where w.field = {field} and w.member = 0 and w.target between @low and @high and w.row_no < @low
					and not exists (select from {results} t where t.row_no = w.target
					and t.row_no between @low and @high and t.draft = {their_place} and t.last and t.record_id is not null)`,
				with, arg{"low": c.low, "high": c.high, "code": string(problem.LinkHeld), "named": c.plan.Named(fp.Field.Name),
					"col": fp.Column()}),
			q(`update {results} o set detail = coalesce(o.detail || '; ', '') || 'without the link to row ' || p.target
				from (
					select w.row_no, min(w.target) as target from {waits} w
					where w.field = {field} and w.member = 0 and w.target between @low and @high and w.row_no < @low
						and not exists (select from {results} t where t.row_no = w.target
						and t.row_no between @low and @high and t.draft = {their_place} and t.last and t.record_id is not null)
					group by w.row_no
				) p
				where o.row_no = p.row_no and o.draft = {n} and o.last and o.outcome in (@created, @updated)`,
				with, arg{"low": c.low, "high": c.high, "created": string(verdict.Created), "updated": string(verdict.Updated)}))
		if err != nil {
			return err
		}
	}
	return nil
}
