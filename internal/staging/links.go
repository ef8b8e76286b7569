package staging

import (
	"context"
	"fmt"
	"slices"
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

// LinkFind says by what the record that a reference names was found.
type LinkFind string

// The ways in which a reference finds its record.
const (
	ByID        LinkFind = "id"        // its id
	ByKey       LinkFind = "key"       // a key
	ByName      LinkFind = "name"      // its whole name
	ByBareName  LinkFind = "bare_name" // its name but for a legal form that one of the two lacks
	ByInitial   LinkFind = "initial"   // the family name behind its initial
	ByShort     LinkFind = "short"     // one of its names, or the initials
	ByBelonging LinkFind = "belonging" // its name, and what it belongs to
	ByFields    LinkFind = "fields"    // the fields that the routine looks it up by
	ByDraft     LinkFind = "draft"     // it is what another draft of the row is for
	ByRow       LinkFind = "row"       // it is what another row is for, by a key
	ByRowName   LinkFind = "row_name"  // it is what another row is for, by the whole name
)

// Says gives it in words.
func (f LinkFind) Says() string {
	return map[LinkFind]string{
		ByID: "found by its id", ByKey: "found by a key", ByName: "found by its whole name",
		ByFields:   "found by the fields of the look-up",
		ByBareName: "found by its name without the legal form", ByShort: "found by one of its names or the initials",
		ByInitial: "found by the family name and the initial", ByBelonging: "found by its name, among several " +
			"by what it belongs to", ByDraft: "the record of another draft of this row", ByRow: "the record of another row", ByRowName: "the record of another row",
	}[f]
}

var stepLinks = step{does: "looks up the records that texts name", reads: "draft cells",
	writes: "links problems closer draft"}

// link looks up, once for every different text, the record that it names: by its
// id, by a key, in any spelling of it, else by a title that only one record has;
// or as the mapping says. What can be the id of one record and the key of another
// (the old system's numbers may look like ids) is decided by the whole column: by
// the reading that explains all of it where the other does not. Where both do, it
// is no more certain than any other text that two records answer to.
func (k *draftCheck) link(ctx context.Context) error {
	var tell []stmt
	statements := []stmt{q(`create unlogged table {links} (
		field text not null, lookup text collate "C" not null, record_id bigint, finds integer not null,
		shown text, sole text, how text not null) with (fillfactor = {spare})`, frag{"spare": k.spare()})}
	for i := range k.plan.Fields {
		fp := &k.plan.Fields[i]
		if fp.Field.Kind().Form != catalog.LinkForm || fp.Draft >= 0 {
			continue
		}
		target, with := k.linkWords(fp)
		statements = append(statements,
			q(`insert into {links} (field, lookup, record_id, finds, shown, sole, how)
				with want as materialized (
					select {l} as l, {m} as m, min({o}) as o, min({value}) as id from {draft} where {l} is not null group by 1, 2
				),
				{hit},
				told as materialized (
					select w.l, w.id, r.id is not null as there, min(h.id) as found, count(h.id) as finds,
					coalesce(bool_or(h.by_key), false) as keyed, min(h.how) as by
					from want w left join hit h on h.l = w.l left join {targets} r on r.id = w.id
					where {noted}
					group by w.l, w.id, r.id
				),
				said as materialized (
					select *, case when there and finds = 0 then 'id' when keyed and not there then 'key' end as sole from told
				),
				reads as (
					select coalesce(bool_or(sole = 'id'), false) as ids, coalesce(bool_or(sole = 'key'), false) as keys
					from (select sole from said {whole}) x
				),
				several as materialized (
					select l, {ids} as shown from (select l, id, row_number() over (partition by l order by id) as n from hit) x
					where n <= 5 group by l having count(*) > 1
				),
				near as materialized (
					select x.l, string_agg({record} || ' ' || {title}, ', ' order by r.id) as shown
					from (
						select l, id, row_number() over (partition by l order by id) as n
						from by_name b where not exists (select from hit h where h.l = b.l)
					) x
					join {targets} r using (id)
					where x.n <= 3 group by x.l
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
					case when how = 'found' and finds = 1 then found when how = 'id' then id end,
					case how when 'found' then finds when 'id' then 1 else 2 end,
					case
						when how = 'both' then (select {ids} from (values (d.id), (d.found)) two (id))
						when how = 'found' and finds > 1 then s.shown
						when how = 'found' and finds = 0 then n.shown
					end,
					sole,
					case when how = 'id' then `+literal(ByID)+` else coalesce(by, '') end
				from decided d left join several s on s.l = d.l left join near n on n.l = d.l`, with, frag{"noted": k.notedAtOnce(fp)}))
		if k.when(fp) == atOnce {
			tell = append(tell, k.tellLinks(fp, target, nil, with)...)
		}
	}
	if !k.namesRows() { // else more texts are to come
		statements = append(statements, k.index("links", "field, lookup"))
	}
	statements = append(statements, q(`analyze {links}`))
	statements = append(statements, tell...)
	return k.do(ctx, stepLinks, statements...)
}

// notedAtOnce is the SQL of which texts of a field are noted before other rows are looked at: of those
// that may name rows the ones that a record may answer to. A check of some rows notes
// all, so that nothing is taken from what the texts named before.
func (k *draftCheck) notedAtOnce(fp *mapping.FieldPlan) string {
	if k.whole != nil || !k.outward(*fp) {
		return `true`
	}
	return `(h.l is not null or w.id is not null or exists (select from by_name x where x.l = w.l))`
}

// spare is how full the pages of tables are made whose rows are written again where links
// lead to other rows: half, so that what is written anew stays on its page.
func (k *draftCheck) spare() string {
	if k.namesRows() {
		return "50"
	}
	return "100"
}

// tellLate notes what is to be said of the links of which it is known at a time.
func (k *draftCheck) tellLate(ctx context.Context, now knownAt) error {
	for i := range k.plan.Fields {
		fp := &k.plan.Fields[i]
		if fp.Field.Kind().Form != catalog.LinkForm || fp.Draft >= 0 || k.when(fp) != now {
			continue
		}
		others, err := k.otherRows(ctx, fp)
		if err != nil {
			return err
		}
		target, with := k.linkWords(fp)
		if err := k.do(ctx, stepLinks, k.tellLinks(fp, target, others, with)...); err != nil {
			return err
		}
	}
	return nil
}

// linkWords gives the record type that a reference points to, and the words of the
// statements about it.
func (k *draftCheck) linkWords(fp *mapping.FieldPlan) (catalog.RecordType, frag) {
	target, _ := k.catalog.Type(fp.Field.To)
	hit := k.hitByText(target, fp.Field.Name)
	if len(fp.Find) > 0 {
		hit = hitByFields(fp.Find)
	}
	name := fp.Field.Name
	return target, frag{
		"targets": schema.Records(k.i.Workspace, target.Name), "hit": hit, "by": schema.Title, "ids": recordIDs(target),
		"id": schema.Column(fp.Field, "d"),
		"l":  textColumn(name), "m": namedColumn(name), "value": schema.Value(name), "whole": k.wholeReads(name),
		"o":     formsColumn(name),
		"field": schema.Literal(name), "record": schema.RecordID(target, "r.id"), "title": schema.TitleText(target, "r"),
	}
}

// tellLinks notes the rows whose texts name no record, or several, or one of which
// it is not certain.
func (k *draftCheck) tellLinks(fp *mapping.FieldPlan, target catalog.RecordType, others []otherRows, with frag) []stmt {
	label := schema.Literal(strings.ToLower(target.Label))
	missing, said := label, arg{}
	if meant := fp.Meanings(); len(meant) > 0 {
		said["meant"] = meant
		missing = `case when d.{l} = any(@meant) then ` + label +
			` || ' “' || d.{l} || '”, which this word is said to mean,' else ` + label + ` end`
	}
	list, among := k.belonging(fp, target, others, with)
	list = append(list,
		k.note(problem.LinkNotFound, fp, fp.Light, missing,
			`from {draft} d join {links} x on x.field = {field} and x.lookup = d.{l} where x.finds = 0 and x.shown is null`,
			with, said),
		k.hold(problem.LinkDoubtful, fp, `x.shown`,
			`from {draft} d join {links} x on x.field = {field} and x.lookup = d.{l} where x.finds = 0
				and x.shown is not null`, with),
		k.elsewhere(fp, target, with),
		k.hasLeft(fp, target, with),
		k.hold(problem.LinkAmbiguous, fp, `x.shown`,
			`from {draft} d join {links} x on x.field = {field} and x.lookup = d.{l} where x.finds > 1`+among, with),
		k.hold(problem.RecordMissing, fp, `''`,
			`from {draft} d
				where {id} is not null and not exists (select from {targets} r where r.id = {id})
					and not exists (select from {links} x where x.field = {field} and x.lookup = d.{l})`, with))
	for _, to := range others {
		list = append(list, k.rowsElsewhere(fp, target, to, with))
	}
	if among != "" {
		list = append(list, q(`drop table {closer}`))
	}
	return list
}

// wholeReads is the SQL, behind that of a check of some rows, of how the whole
// column was read before; empty for a check of all.
func (k *draftCheck) wholeReads(field string) string {
	if k.whole == nil {
		return ""
	}
	return `union all select sole from ` + k.whole.drafts[k.n].table("links") + ` where field = ` + schema.Literal(field)
}

// hitByText is the SQL that finds what one text names, as hit (l, id, by_key, how):
// by a key, else by the whole name. Of companies whose names are equal but for the
// legal form, the one of the same form is meant; one of another form never is, and
// stands in by_name alone.
func (k *draftCheck) hitByText(target catalog.RecordType, field string) string {
	byKey := []string{`select null::text as l, null::bigint as id where false`}
	for _, f := range target.Fields {
		if f.Normalised() {
			byKey = append(byKey, `select w.l, r.id from forms w join {targets} r on r.`+schema.Key(f.Name)+` = w.form`)
		}
	}
	forms := `null::text[]`
	if namesCompany(target) { // where the names differ as they stand
		forms = `case when lower(w.l) <> lower({title}) then array[` + schema.LegalForm(`w.l`) + `, ` + schema.LegalForm(`{title}`) +
			`] end`
	}
	turned := ``
	if namesPeople(target) { // in whichever order the halves of a name stand, which has no figures
		turned = `
			union
			select w.l, r.id, true, false
			from (
				-- Each order is looked up by itself: of an array of them the server would ask every record.
				select w.l, unnest(` + anyOrder(`w.m`) + `) as name from want w
				where ` + hasHalves(`w.m`) + ` and not exists (select from by_key b where b.l = w.l)
					and not exists (select from {targets} r where r.` + schema.Title + ` = w.m)
			) w
			join {targets} r on r.` + schema.Title + ` = w.name`
	}
	return `forms as materialized (
			select l, l as form from want union all select l, unnest(o) collate "C" from want where o is not null
		),
		by_key as materialized (` + strings.Join(byKey, " union ") + `),
		by_name as materialized (
			select l, id, forms is null or forms[1] = forms[2] as same,
				forms is not null and forms[1] <> '' and forms[2] <> '' and forms[1] <> forms[2] as other
			from (
				select w.l, r.id, ` + forms + ` as forms
				from want w join {targets} r on r.` + schema.Title + ` = w.m
				where w.m <> '' and not exists (select from by_key b where b.l = w.l)
				offset 0 -- the forms of a pair cost more than all the rest, and are wanted once
			) pairs` + turned + `
		),
		` + k.byShort(target, field, `select r.id, `+spoken(`r.`+schema.Title, schema.TitleText(target, "r"))+
		` as name from {targets} r`) + `
		hit as (
			select l, id, true as by_key, ` + literal(ByKey) + ` as how from by_key
			union all
			select l, id, false, case when same then ` + literal(ByName) + ` else ` + literal(ByBareName) + ` end from by_name n
			where not other and (same or not exists (select from by_name x where x.l = n.l and x.same))
			union all
			select l, id, false, ` + literal(ByShort) + ` from by_short
			union all
			select l, id, false, ` + literal(ByInitial) + ` from by_initial
		)`
}

// byShort is the SQL that finds those who own records by their first names, family names or
// initials, as by_short (l, id): one word, where nothing else is found, and all such texts of
// the column are those of somebody. Else the column speaks of other people, and who is
// called so among ours is not meant. A family name behind its initial needs no others, as
// by_initial (l, id). People is the query of those there are, by id and name.
func (k *draftCheck) byShort(target catalog.RecordType, field, people string) string {
	if target.InUse == "" {
		return `by_short as materialized (select null::text as l, null::bigint as id where false),
			by_initial as materialized (select null::text as l, null::bigint as id where false),`
	}
	whole := `true`
	if k.whole != nil { // as the whole column was read
		whole = `exists (select from ` + k.whole.drafts[k.n].table("links") + ` where field = ` + schema.Literal(field) + `
			and how = ` + literal(ByShort) + `)`
	}
	return `named as materialized (
			select id, ` + schema.InitialsOf(`name`) +
		` as initials, split_part(name, ' ', 1) as first, substring(name from ' (.*)$') as family, substring(name from ' ([^ ]*)$') as last
			from (` + people + `) people
		),
		unknown as materialized (
			select w.l, w.m from want w
			where not exists (select from by_key b where b.l = w.l) and not exists (select from by_name b where b.l = w.l)
		),
		by_initial as materialized (
			select distinct u.l, r.id from unknown u
			join (select id, unnest(array[left(first, 1) || ' ' || family, left(first, 1) || ' ' || last]) as name from named) r
				on r.name = u.m
		),
		short as materialized (select l, m from unknown where m ~ '^[[:alpha:]]{2,}$'),
		whose as materialized (
			select distinct s.l, r.id from short s
			join (select id, unnest(array[initials, first, last]) as name from named) r on r.name = s.m
		),
		by_short as materialized (
			select l, id from whose
			where ` + whole + ` and not exists (select from short s where not exists (select from whose x where x.l = s.l))
		),`
}

// spoken is the SQL of a name, as titles are compared, in the order in which it is spoken: of a
// name that is said with a comma (Bauer, Maria) what stands behind it comes first.
func spoken(title, said string) string {
	words, family := `string_to_array(`+title+`, ' ')`, `cardinality(regexp_split_to_array(btrim(split_part(`+said+
		`, ',', 1)), '[\s-]+'))`
	return `case when ` + said + ` like '%,%' then array_to_string((` + words + `)[` + family + ` + 1:] || (` + words +
		`)[:` + family + `], ' ') else ` + title + ` end`
}

// namesCompany reports whether the title of records of a type is a company's name.
func namesCompany(t catalog.RecordType) bool {
	return slices.ContainsFunc(t.Title, func(name string) bool {
		f, _ := t.Field(name)
		return f.ComparedAs() == catalog.AsCompanyName
	})
}

// anyOrder is the SQL of the names that a name may be, as it stands and with its first or last
// word at the other end.
func anyOrder(name string) string {
	return `array[` + name + `, regexp_replace(` + name + `, '^(.+) (\S+)$', '\2 \1'), regexp_replace(` + name +
		`, '^(\S+) (.+)$', '\2 \1')]`
}

// hasHalves is the SQL of whether a name has several words and no figures. It is put so that the server, which knows nothing
// of the texts, does not expect that hardly any are: then it would go through all records for each.
func hasHalves(name string) string {
	return `(strpos(` + name + `, ' ') > 0 and strpos(translate(` + name + `, '0123456789', '0000000000'), '0') < 1)`
}

// namesPeople reports whether the title of records of a type is a person's name.
func namesPeople(t catalog.RecordType) bool {
	return t.InUse != "" || slices.ContainsFunc(t.Title, func(name string) bool {
		f, _ := t.Field(name)
		return f.ComparedAs() == catalog.AsFamilyName
	})
}

// hasLeft tells of rows whose link leads to a record that is not in use any more; they
// are held where the policy of the field says so.
func (k *draftCheck) hasLeft(fp *mapping.FieldPlan, target catalog.RecordType, with frag) stmt {
	f, ok := target.Field(target.InUse)
	if !ok {
		return stmt{}
	}
	return k.note(problem.LinkLeft, fp, fp.Doubtful != mapping.HoldDoubt, `{title}`, `
		from {draft} d
		left join {links} x on x.field = {field} and x.lookup = d.{l}
		join {targets} r on r.id = coalesce(x.record_id, {id})
		where not {in_use}`, with, frag{"in_use": schema.Column(f, "r")})
}

// elsewhere holds rows whose link was found by a name that lacks its legal form, or
// has one where the record's has none, where the row is of another country or town
// than the record.
func (k *draftCheck) elsewhere(fp *mapping.FieldPlan, target catalog.RecordType, with frag) stmt {
	apart := k.apart(fp, target, target.Fields, "r")
	if apart == "" {
		return stmt{}
	}
	return k.hold(problem.LinkDoubtful, fp, `{record} || ' ' || {title}`, `
		from {draft} d
		join {links} x on x.field = {field} and x.lookup = d.{l}
		join {targets} r on r.id = x.record_id
		where x.how = `+literal(ByBareName)+` and `+apart, with)
}

// apart is the SQL of whether row d is of another country or town than what a link to a company by its name
// leads to; empty where nothing tells. Companies of a group are in many places.
func (k *draftCheck) apart(fp *mapping.FieldPlan, target catalog.RecordType, fields []catalog.Field, theirs string) string {
	if len(fp.Find) > 0 || target.Name == k.plan.Type.Name || !namesCompany(target) {
		return ""
	}
	var apart []string
	for _, like := range []catalog.Likeness{catalog.AsCountry, catalog.AsLocality} {
		for i := range k.plan.Fields {
			mine := k.plan.Fields[i].Field
			for _, f := range fields {
				if mine.ComparedAs() == like && f.ComparedAs() == like {
					written := func(v string) string { return `lower(` + v + `)` }
					if like == catalog.AsLocality {
						written = func(v string) string { return ownNames(plainWords(v)) }
					}
					apart = append(apart, written(schema.Column(mine, "d"))+` <> `+written(schema.Column(f, theirs)))
				}
			}
		}
	}
	if len(apart) == 0 {
		return ""
	}
	return `coalesce(` + strings.Join(apart, " or ") + `, false)`
}

// hitByFields is the SQL that finds records equal in all of the given fields, in
// the manner of hitByText.
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
		on = append(on, fmt.Sprintf(`split_part(w.l, E'\x1f', %d) <> '' and %s = split_part(w.l, E'\x1f', %d)`, n+1,
			column, n+1))
	}
	return `by_name as (select l, null::bigint as id from want where false),
		hit as (select w.l, r.id, true as by_key, ` + literal(ByFields) + ` as how from want w join {targets} r on ` +
		strings.Join(on, " and ") + `)`
}

// referenceOf is the SQL for the record that a reference field of draft d points
// to, given the joins of linked. The record that a draft is to become has its
// row's number below 0.
func referenceOf(f catalog.Field) string {
	return `coalesce(` + linkAlias(f.Name) + `.record_id, ` + schema.Column(f, "d") + `)`
}

// linkOf is the SQL of rows d with the link b of a field by text, what it leads to as
// record_id: what its text names, else the one of several that the row means.
func (k *draftCheck) linkOf(fp *mapping.FieldPlan) string {
	name := fp.Field.Name
	return `{draft} d cross join lateral (select coalesce(x.record_id, ` + schema.Column(fp.Field, "d") + `) as record_id
		from {links} x where x.field = ` + schema.Literal(name) + ` and x.lookup = d.` + textColumn(name) + `) b`
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
		sql += ` left join {links} ` + a + ` on ` + a + `.field = ` + schema.Literal(fp.Field.Name) + ` and ` + a +
			`.lookup = d.` + textColumn(fp.Field.Name)
	}
	return sql
}

// shown is the SQL for a value as it stands in differences: the canonical text,
// for references the record's id.
func (k *draftCheck) shown(f catalog.Field, value string) string {
	if f.Kind().Form != catalog.LinkForm {
		return schema.Text(f, value)
	}
	if fp := k.field(f.Name); fp != nil && (fp.Draft >= 0 || k.outward(*fp)) {
		t, _ := k.catalog.Type(f.To)
		return `case when ` + value + ` < 0 then ` + schema.Literal("new "+strings.ToLower(t.Label)+" of ") + ` || ` +
			k.saysRow(`(`+value+`)`) + ` else ` + schema.RecordID(t, value) + ` end`
	}
	return schema.Shown(k.catalog, f, value)
}
