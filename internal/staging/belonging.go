package staging

import (
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/problem"
	"uchi/internal/schema"
)

// knownAt is when it is known of links what they lead to.
type knownAt int

const (
	atOnce     knownAt = iota // by the records alone
	withDrafts                // once it is known which records the other drafts are for
	withRows                  // once it is known which rows become what texts name
	never                     // not before an import that is loaded later has been checked
)

// when tells when it is known what the links of a field lead to: where several answer to
// a text, not before it is known what else of the row tells them apart.
func (k *draftCheck) when(fp *mapping.FieldPlan) knownAt {
	target, _ := k.catalog.Type(fp.Field.To)
	mine, _, ok := k.shared(fp, target)
	switch {
	case k.unchecked(*fp) || ok && k.unchecked(mine):
		return never
	case k.outward(*fp) || ok && mine.Draft < 0 && k.outward(mine):
		return withRows
	case ok && mine.Draft >= 0:
		return withDrafts
	}
	return atOnce
}

// shared gives another link of the rows to what the records that a link leads to belong to,
// which may be another draft of the row.
func (k *draftCheck) shared(fp *mapping.FieldPlan, target catalog.RecordType) (mine mapping.FieldPlan,
	theirs catalog.Field, ok bool) {
	if len(fp.Find) > 0 {
		return mine, theirs, false
	}
	for _, theirs := range target.Fields {
		owner, _ := k.catalog.Type(theirs.To)
		// who looks after it is another matter
		if theirs.Type != catalog.Reference || theirs.To == target.Name || owner.InUse != "" {
			continue
		}
		for _, mine := range k.references() {
			if mine.Field.To == theirs.To && mine.Field.Name != fp.Field.Name {
				return mine, theirs, true
			}
		}
	}
	return mine, theirs, false
}

// belonging tells records of one name apart by what they belong to, where the row says it
// too: of several people of a name the one at the row's account is meant, and one who is at
// another is held. Others are the rows that may be meant as well. Among is the SQL, behind
// that of rows x with several records, of that none of them was chosen so.
func (k *draftCheck) belonging(fp *mapping.FieldPlan, target catalog.RecordType, others []otherRows, with frag) (
	statements []stmt, among string) {
	mine, theirs, ok := k.shared(fp, target)
	if !ok {
		return nil, ""
	}
	owner, _ := k.catalog.Type(mine.Field.To)
	by := frag{
		"mine": `coalesce(h.record_id, ` + schema.Column(mine.Field, "d") + `)`,
		"beside": `left join {links} h on h.field = ` + schema.Literal(mine.Field.Name) + ` and h.lookup = d.` +
			textColumn(mine.Field.Name),
	}
	if mine.Draft >= 0 {
		by["mine"], by["beside"] = `h.record_id`, `left join `+k.Check.drafts[mine.Draft].table("became")+
			` h on h.row_no = d.row_no`
	}
	by["orders"] = `array[d.` + namedColumn(fp.Field.Name) + `]`
	if namesPeople(target) {
		by["orders"] = anyOrder(`d.` + namedColumn(fp.Field.Name))
	}
	belongs := schema.Column(theirs, "r")
	are := []string{`select r.id, r.` + schema.Title + ` as title, ` + belongs + ` as theirs, {record} || ' ' || {title} as says
		from {targets} r`}
	for _, to := range others {
		if sql := k.belongingRows(to, theirs); sql != "" {
			are = append(are, sql)
		}
	}
	by["are"] = strings.Join(are, " union all ")
	statements = []stmt{
		q(`create unlogged table {closer} as
			select d.row_no, min(r.id) as id
			from (
				select d.row_no, {mine} as mine, unnest({orders}) as name
				from {draft} d join {links} x on x.field = {field} and x.lookup = d.{l} and x.finds > 1
				{beside}
				where d.{m} <> '' and {id} is null
			) d
			join ({are}) r on r.title = d.name and r.theirs = d.mine
			group by d.row_no having count(distinct r.id) = 1`, with, by),
		q(`update {draft} d set {value} = c.id from {closer} c where c.row_no = d.row_no`, with),
	}
	if fp.Field.To != k.plan.Type.Name { // a superior may well be at another company of the house
		statements = append(statements,
			k.hold(problem.LinkApart, fp, `a.says || ', of ' || case when a.theirs < 0 then `+k.saysRow("a.theirs")+`
				else (select `+schema.TitleText(owner, "o")+` from `+schema.Records(k.i.Workspace, owner.Name)+`
				o where o.id = a.theirs) end`, `
			from (
				select d.row_no, (array_agg(r.says order by r.theirs, r.says))[1] as says, min(r.theirs) as theirs
				from {draft} d join {links} x on x.field = {field} and x.lookup = d.{l}
					and x.how in (`+literal(ByName)+`, `+literal(ByRowName)+`)
				{beside}
				join ({are}) r on r.id = x.record_id and r.title = any({orders})
				where {mine} is not null and r.theirs is not null
				group by d.row_no having not bool_or(r.theirs = {mine})
			) a join {draft} d on d.row_no = a.row_no`, with, by))
	}
	return append(statements, k.findable("closer")),
		` and not exists (select from {closer} c where c.row_no = d.row_no)`
}

// belongingRows is the SQL of rows that a text may name, as the records that they become: the
// id or what stands for it, the title, what it belongs to and how it is said. What a row
// that has been loaded belongs to its record tells.
func (k *draftCheck) belongingRows(to otherRows, theirs catalog.Field) string {
	title, fp := to.draft.titleOf("t"), to.draft.field(theirs.Name)
	if title == "" || fp == nil {
		return ""
	}
	link := `coalesce(h.record_id, ` + schema.Column(fp.Field, "t") + `)`
	join := ` left join ` + to.draft.everyLink() + ` h on h.field = ` + schema.Literal(fp.Field.Name) + ` and h.lookup = t.` +
		textColumn(fp.Field.Name)
	if fp.Draft >= 0 {
		link = `h.record_id`
		join = ` left join ` + to.draft.Check.drafts[fp.Draft].everyRow("became") + ` h on h.row_no = t.row_no`
	}
	if to.in != nil { // as this import stands for it
		own := Beside{Import: k.i}
		link = `case when ` + own.holds(link) + ` then ` + link + ` + ` + schema.Int(own.base()) + ` when ` + link +
			` < 0 and not ` + isOutside(link) + ` then ` + link + ` - ` + schema.Int(to.in.base()) + ` else ` + link + ` end`
	}
	return `select id, title, theirs, case when id < 0 then ` + k.saysRow("id") + ` else ` +
		schema.RecordID(to.draft.plan.Type, "id") + ` end || ' ' || said as says from (
			select ` + to.record + ` as id, ` + title + ` as title, ` + link + ` as theirs, ` + to.draft.saidTitle("t") + ` as said
			from ` + to.rows + join + ` where not (` + to.loaded + `)) r`
}
