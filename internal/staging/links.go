package staging

import (
	"context"
	"fmt"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/problem"
	"uchi/internal/schema"
)

// list joins pieces of SQL by commas.
func list(parts []string) string { return strings.Join(parts, ", ") }

// behind writes pieces of SQL each behind a comma.
func behind(parts []string) string {
	if len(parts) == 0 {
		return ""
	}
	return ", " + list(parts)
}

var stepLinks = step{does: "looks up the records that texts name", reads: "draft cells", writes: "links problems"}

// link looks up, once for every different text, the record that it names: by its
// id, by a key, in any spelling of it, else by a title that only one record has;
// or as the mapping says. What can be the id of one record and the key of another
// (the old system's numbers may look like ids) is decided by the whole column: by
// the reading that explains all of it where the other does not. Where both do, it
// is no more certain than any other text that two records answer to.
func (k *draftCheck) link(ctx context.Context) error {
	statements := []stmt{q(`create unlogged table {links} (
		field text not null, lookup text collate "C" not null, record_id bigint, finds integer not null, shown text, sole text)`)}
	for i := range k.plan.Fields {
		fp := &k.plan.Fields[i]
		if fp.Field.Kind().Form != catalog.LinkForm || fp.Draft >= 0 {
			continue
		}
		target, _ := k.catalog.Type(fp.Field.To)
		hit := hitByText(target)
		if len(fp.Find) > 0 {
			hit = hitByFields(fp.Find)
		}
		with := frag{
			"targets": schema.Records(k.i.Workspace, target.Name), "hit": hit, "ids": recordIDs(target), "id": schema.Column(fp.Field, "d"),
			"l": textColumn(fp.Field.Name), "m": namedColumn(fp.Field.Name), "value": schema.Value(fp.Field.Name), "whole": k.wholeReads(fp.Field.Name), "o": formsColumn(fp.Field.Name), "field": schema.Literal(fp.Field.Name),
		}
		statements = append(statements,
			q(`insert into {links} (field, lookup, record_id, finds, shown, sole)
				with want as materialized (
					select {l} as l, {m} as m, min({o}) as o, min({value}) as id from {draft} where {l} is not null group by 1, 2
				),
				{hit},
				told as materialized (
					select w.l, w.id, r.id is not null as there, min(h.id) as found, count(h.id) as finds, coalesce(bool_or(h.by_key), false) as keyed
					from want w left join hit h on h.l = w.l left join {targets} r on r.id = w.id
					group by w.l, w.id, r.id
				),
				said as materialized (
					select *, case when there and finds = 0 then 'id' when keyed and not there then 'key' end as sole from told
				),
				reads as (
					select coalesce(bool_or(sole = 'id'), false) as ids, coalesce(bool_or(sole = 'key'), false) as keys
					from (select sole from said {whole}) x
				),
				decided as (
					select s.*, case
							when id is null or not there or found = id then 'found'
							when finds = 0 or ids and not keys then 'id'
							when keys and not ids then 'found'
							else 'both'
						end as how
					from said s cross join reads
					where id is null or there or finds > 0
				)
				select {field}, d.l,
					case how when 'found' then found when 'id' then id end,
					case how when 'found' then finds when 'id' then 1 else 2 end,
					case
						when how = 'both' then (select {ids} from (values (d.id), (d.found)) two (id))
						when how = 'found' and finds > 1 then (select {ids} from (select id from hit x where x.l = d.l order by id limit 5) five)
					end,
					sole
				from decided d`, with),
			k.hold(problem.LinkNotFound, fp, schema.Literal(strings.ToLower(target.Label)),
				`from {draft} d join {links} x on x.field = {field} and x.lookup = d.{l} where x.finds = 0`, with),
			k.hold(problem.LinkAmbiguous, fp, `x.shown`,
				`from {draft} d join {links} x on x.field = {field} and x.lookup = d.{l} where x.finds > 1`, with),
			k.hold(problem.RecordMissing, fp, `''`,
				`from {draft} d
				where {id} is not null and not exists (select from {targets} r where r.id = {id})
					and not exists (select from {links} x where x.field = {field} and x.lookup = d.{l})`, with))
	}
	statements = append(statements, q(`create index on {links} (field, lookup)`), q(`analyze {links}`))
	return k.do(ctx, stepLinks, statements...)
}

// wholeReads is the SQL, behind that of a check of some rows, of how the whole
// column was read before; empty for a check of all.
func (k *draftCheck) wholeReads(field string) string {
	if k.whole == nil {
		return ""
	}
	return `union all select sole from ` + k.whole.drafts[k.n].table("links") + ` where field = ` + schema.Literal(field)
}

// hitByText is the SQL that finds what one text names, as hit (l, id).
func hitByText(target catalog.RecordType) string {
	byKey := []string{`select null::text as l, null::bigint as id where false`}
	for _, f := range target.Fields {
		if f.Normalised() {
			byKey = append(byKey, `select w.l, r.id from forms w join {targets} r on r.`+schema.Key(f.Name)+` = w.form`)
		}
	}
	return `forms as materialized (
			select l, l as form from want union all select l, unnest(o) collate "C" from want where o is not null
		),
		by_key as materialized (` + strings.Join(byKey, " union ") + `),
		hit as (
			select l, id, true as by_key from by_key
			union all
			select w.l, r.id, false from want w join {targets} r on r.` + schema.Title + ` = w.m
			where w.m <> '' and not exists (select from by_key b where b.l = w.l)
		)`
}

// hitByFields is the SQL that finds records equal in all of the given fields, as
// hit (l, id).
func hitByFields(parts []mapping.FindPart) string {
	var on []string
	for n, part := range parts {
		column := schema.Text(part.Field, schema.Column(part.Field, "r"))
		switch {
		case part.Field.Normalised():
			column = `r.` + schema.Key(part.Field.Name)
		case part.ByName:
			column = `r.` + schema.Name(part.Field.Name)
		}
		on = append(on, fmt.Sprintf(`split_part(w.l, E'\x1f', %d) <> '' and %s = split_part(w.l, E'\x1f', %d)`, n+1, column, n+1))
	}
	return `hit as (select w.l, r.id, true as by_key from want w join {targets} r on ` + strings.Join(on, " and ") + `)`
}

// referenceOf is the SQL for the record that a reference field of draft d points
// to, given the joins of linked. The record that a draft is to become has its
// row's number below 0.
func referenceOf(f catalog.Field) string {
	return `coalesce(` + linkAlias(f.Name) + `.record_id, ` + schema.Column(f, "d") + `)`
}

func linkAlias(field string) string { return schema.Ident("x_" + field) }

// references lists the fields of the draft that point to records.
func (k *draftCheck) references() (refs []mapping.FieldPlan) {
	for _, fp := range k.plan.Fields {
		if fp.Field.Kind().Form == catalog.LinkForm {
			refs = append(refs, fp)
		}
	}
	return refs
}

// linked is the SQL of draft d with the joins that its references need.
func (k *draftCheck) linked() string {
	sql := `{draft} d`
	for _, fp := range k.references() {
		a := linkAlias(fp.Field.Name)
		if fp.Draft >= 0 {
			sql += ` left join ` + k.Check.drafts[fp.Draft].table("became") + ` ` + a + ` on ` + a + `.row_no = d.row_no`
			continue
		}
		sql += ` left join {links} ` + a + ` on ` + a + `.field = ` + schema.Literal(fp.Field.Name) + ` and ` + a + `.lookup = d.` + textColumn(fp.Field.Name)
	}
	return sql
}

// shown is the SQL for a value as it stands in differences: the canonical text,
// for references the record's id.
func (k *draftCheck) shown(f catalog.Field, value string) string {
	if f.Kind().Form != catalog.LinkForm {
		return schema.Text(f, value)
	}
	if fp := k.field(f.Name); fp != nil && fp.Draft >= 0 {
		t, _ := k.catalog.Type(f.To)
		return `case when ` + value + ` < 0 then ` + schema.Literal("new "+strings.ToLower(t.Label)+" of row ") + ` || -` + value + ` else ` + schema.RecordID(t, value) + ` end`
	}
	return schema.Shown(k.catalog, f, value)
}
