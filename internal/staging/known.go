package staging

import (
	"context"
	"maps"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/problem"
	"uchi/internal/core/verdict"
	"uchi/internal/schema"
)

var stepKnown = step{
	does:   "looks for what is there as a record of another type",
	reads:  "draft aside matches settled links became problems",
	writes: "problems aside questions",
}

// known tells of rows that would make a record that they are there already as one of
// another type, each once for a type: told, held or left out, as the record type says.
func (k *draftCheck) known(ctx context.Context) error {
	var statements []stmt
	for _, rule := range k.plan.Type.Known {
		same, ok := k.sameElsewhere(rule)
		if !ok {
			continue
		}
		target, _ := k.catalog.Type(rule.Type)
		with := []any{
			frag{"linked": k.linked(), "others": schema.Records(k.i.Workspace, target.Name), "same": same,
				"who": schema.Literal(strings.ToLower(target.Label)+" ") + ` || ` + schema.RecordID(target, `r.id`) +
					` || ' ' || ` + schema.TitleText(target, "r"),
				"new": `{stays d} and {unfound d} and {unanswered d}`},
			arg{"code": string(problem.KnownElsewhere), "field": k.plan.Named(""), "type": strings.ToLower(target.Label) + " %"},
		}
		if rule.Means == catalog.Skip {
			statements = append(statements,
				q(`insert into {aside} (row_no, why) select distinct d.row_no, @why from {linked} join {others} r on {same}
					where {new}`, with[0], arg{"why": string(verdict.KnownAs)}),
				q(`delete from {questions} where row_no in (select row_no from {aside} where why = @why)`,
					arg{"why": string(verdict.KnownAs)}))
			continue
		}
		light := `true`
		if rule.Means == catalog.Hold {
			light = `false`
		}
		statements = append(statements, q(`insert into {problems} (row_no, code, field, col, value, detail, light)
			select d.row_no, @code, @field, '', '', (array_agg({who} order by r.id))[1], {light}
			from {linked} join {others} r on {same}
			where {new} and not exists (select from {problems} p where p.row_no = d.row_no and p.code = @code
			and p.field = @field and p.detail like @type)
			group by d.row_no`, append(with, frag{"light": light})...))
	}
	return k.do(ctx, stepKnown, statements...)
}

// sameElsewhere is the SQL of whether draft d, with the joins of linked, is known as a
// record r of another type; ok is false when a field is not given.
func (k *draftCheck) sameElsewhere(rule catalog.KnownAs) (sql string, ok bool) {
	target, found := k.catalog.Type(rule.Type)
	if !found {
		return "", false
	}
	var parts []string
	for _, mine := range slices.Sorted(maps.Keys(rule.Fields)) {
		theirs := rule.Fields[mine]
		fp := k.field(mine)
		f, there := target.Field(theirs)
		if fp == nil || !there {
			return "", false
		}
		switch {
		case fp.Field.Normalised() && f.Normalised():
			parts = append(parts, `r.`+schema.Key(theirs)+` = d.`+schema.Key(mine))
		case schema.InTitle(k.plan.Type, mine) && schema.InTitle(target, theirs):
			column := schema.Name(theirs)
			if len(target.Title) == 1 { // which has an index
				column = schema.Title
			}
			parts = append(parts, `r.`+column+` = d.`+schema.Name(mine)+` and d.`+schema.Name(mine)+` <> ''`)
			if fp.Field.ComparedAs() == catalog.AsCompanyName {
				parts = append(parts, `not `+schema.OtherForm(schema.Column(fp.Field, "d"), schema.Column(f, "r")))
			}
		default:
			parts = append(parts, `lower(`+schema.Text(f, schema.Column(f, "r"))+`) = lower(`+schema.Text(fp.Field,
				schema.Column(fp.Field, "d"))+`)`)
		}
	}
	return strings.Join(parts, " and "), true
}
