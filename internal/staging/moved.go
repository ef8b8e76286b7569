package staging

import (
	"context"

	"uchi/internal/core/mapping"
	"uchi/internal/core/problem"
	"uchi/internal/schema"
)

// A sheet that was made of records says of which version of each it was made. What
// was changed in the records since is told from what was changed in the sheet: a value
// that the sheet has as it was is not taken back, and one that both have changed is
// for a person to settle.

var (
	stepMoved = step{does: "looks up what records were when the sheet was made", reads: "draft matches history",
		writes: "moved"}
	stepEmptied = step{does: "tells which cells of a sheet of records were emptied",
		reads: "draft aside matches settled links became records moved cells", writes: "problems"}
	stepHoldMoved = step{does: "holds what was changed on both sides",
		reads: "draft aside matches settled links became records moved cells", writes: "problems"}
)

// moved notes the values that records had when their rows were written, where they
// were changed since.
func (k *draftCheck) moved(ctx context.Context) error {
	if !k.plan.Dated() {
		return nil
	}
	return k.do(ctx, stepMoved,
		q(`create unlogged table {moved} as
			select distinct on (d.row_no, c.key) d.row_no, c.key as field, c.value->>0 as was
			from {draft} d
			join {matches} m on m.row_no = d.row_no
			join {history} h on h.record_id = m.record_id and h.version > d.was_version, jsonb_each(h.changes) c
			where d.was_version < m.version
			order by d.row_no, c.key, h.version`),
		k.index("moved", "row_no"),
		q(`analyze {moved}`))
}

// unmoved is the SQL of whether a staged draft has a value as it was when
// the sheet was made, though the record was changed since.
func (k *draftCheck) unmoved(fp mapping.FieldPlan, now string) string {
	return `exists (select from {moved} x where x.row_no = q.row_no and x.field = ` +
		schema.Literal(fp.Field.Name) + ` and x.was is not distinct from ` + k.shown(fp.Field, now) + `)`
}

// holdMoved holds rows of which sheet and record have changed a value, each to
// something else.
func (k *draftCheck) holdMoved(ctx context.Context) error {
	if !k.dated {
		return nil
	}
	var list []stmt
	for i := range k.plan.Fields {
		fp := &k.plan.Fields[i]
		now, there := k.shown(fp.Field, drafted(fp.Field)), k.shown(fp.Field, schema.Column(fp.Field, "r"))
		says := now + ` is not null`
		if fp.Blank == mapping.Clear {
			says = `true` // a blank cell as well
		}
		list = append(list, k.hold(problem.ChangedBoth, fp, `d.detail`, `
			from (
				select q.row_no, coalesce(x.was, 'nothing') || ' when the sheet was made, now ' || coalesce({there}, 'nothing') as detail
				from {staged} join {moved} x on x.row_no = q.row_no and x.field = {field}
				where {says} and x.was is distinct from {now} and {there} is distinct from {now} and {there} is distinct
				from x.was and {stays q} and not {kept}
			) d`, frag{"says": says, "staged": k.staged(), "now": now, "there": there, "field": schema.Literal(fp.Field.Name),
			"kept": k.keptByAnswer(fp.Field)}))
	}
	return k.do(ctx, stepHoldMoved, list...)
}

// tellEmptied tells where a cell of a sheet of records was emptied: the record had a
// value when the sheet was made, and the policy leaves it. A cell that was blank
// before says nothing.
func (k *draftCheck) tellEmptied(ctx context.Context) error {
	if !k.dated || !k.plan.HasID {
		return nil
	}
	var list []stmt
	for i := range k.plan.Fields {
		fp := &k.plan.Fields[i]
		if fp.Column() == "" || fp.Blank == mapping.Clear || fp.Field.Required {
			continue
		}
		there := k.shown(fp.Field, schema.Column(fp.Field, "r"))
		list = append(list, q(`insert into {problems} (row_no, code, field, col, value, detail, light)
			select d.row_no, @code, @field, @col, '', d.detail, true
			from (
				select q.row_no, case when x.field is null then {there} else x.was end as detail
				from {staged} left join {moved} x on x.row_no = q.row_no and x.field = {name}
				where q.was_version is not null and {now} is null and {there} is not null
					and {stays q} and not coalesce({name} = any(q.cleared), false)
			) d
			where d.detail is not null and btrim({cell}) = ''`,
			frag{"there": there, "staged": k.staged(), "name": schema.Literal(fp.Field.Name), "now": drafted(fp.Field),
				"cell": k.cell(*fp)},
			arg{"code": string(problem.Emptied), "field": k.plan.Named(fp.Field.Name), "col": fp.Column()}))
	}
	return k.do(ctx, stepEmptied, list...)
}
