package staging

import (
	"context"
	"fmt"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/problem"
	"uchi/internal/schema"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
)

// Imports of a bundle link to each other's rows: a contact to the company that the
// accounts file will make. Such a link stands for it by a number below those of the
// import's own rows, that of the other import in the bundle and of the row in it;
// when the load begins, the records that the others have made take its place. A link
// to an import that is loaded later waits until that has been loaded, whose load then
// writes it.

// Beside is another import of the bundle that an import belongs to.
type Beside struct {
	Import store.Import
	Plan   *mapping.Plan
	Later  bool // it is loaded after this one
}

// neighbour is an import beside that of a check, with its own check if one holds.
type neighbour struct {
	Beside
	check *Check
}

// rowBits is how many bits the number of a row has in that of a row beside.
const rowBits = 40

// outsideOf is the number below which all that is linked to stands in other imports.
const outsideOf = -(int64(1) << rowBits)

// isOutside is the SQL of whether a link leads to a row of another import.
func isOutside(link string) string { return link + ` <= ` + schema.Int(outsideOf) }

// base is what is taken off the number of a row below 0 to stand for it from outside.
func (b Beside) base() int64 { return b.Import.Place << rowBits }

// holds is the SQL of whether a link leads to a row of this import.
func (b Beside) holds(link string) string {
	return link + ` between ` + schema.Int(-b.base()-(1<<rowBits)+1) + ` and ` + schema.Int(-b.base())
}

// rowOf is the SQL of the number of the row that a link leads to, in whatever import.
func rowOf(link string) string {
	return `(-` + link + ` & ` + schema.Int(-outsideOf-1) + `)`
}

// Among tells a check of the other imports of its bundle.
func (k *Check) Among(list []Beside) {
	k.beside = nil
	for _, b := range list {
		n := &neighbour{Beside: b}
		n.check, _ = k.room.holding(b.Import, b.Plan, k.catalog)
		k.beside = append(k.beside, n)
	}
}

// named is what a link by text may lead to: the rows of a draft, of this import or of
// one beside.
type named struct {
	draft *draftCheck
	in    *neighbour // nil for this import
}

// nameable reports whether the records that a field points to are looked up by text.
func nameable(fp mapping.FieldPlan) bool {
	return fp.Field.Kind().Form == catalog.LinkForm && fp.Draft < 0 && len(fp.Find) == 0
}

// mayName lists the drafts whose rows a field may name.
func (k *draftCheck) mayName(fp mapping.FieldPlan) (list []named) {
	if !nameable(fp) {
		return nil
	}
	if fp.Rows >= 0 {
		list = append(list, named{draft: k.Check.drafts[fp.Rows]})
	}
	for _, n := range k.beside {
		if at := n.Plan.Makes(fp.Field.To); at >= 0 && n.check != nil {
			list = append(list, named{draft: n.check.drafts[at], in: n})
		}
	}
	return list
}

// unchecked reports whether a field may name rows of an import that is loaded later,
// and of which it is not known yet what its rows become.
func (k *draftCheck) unchecked(fp mapping.FieldPlan) bool {
	for _, n := range k.beside {
		if nameable(fp) && n.Later && n.check == nil && n.Plan.Makes(fp.Field.To) >= 0 {
			return true
		}
	}
	return false
}

// outward reports whether a field may name other rows than those of records.
func (k *draftCheck) outward(fp mapping.FieldPlan) bool {
	return k.unchecked(fp) || len(k.mayName(fp)) > 0
}

// saysRow is the SQL that says in words which row a link below 0 leads to.
func (k *Check) saysRow(link string) string {
	if len(k.beside) == 0 {
		return `'row ' || -` + link
	}
	var whens string
	for _, n := range k.beside {
		whens += ` when ` + n.holds(link) + ` then ` + schema.Literal(" of "+n.Import.Name)
	}
	return `'row ' || case when ` + isOutside(link) + ` then ` + rowOf(link) + ` else -` + link + ` end || case` +
		whens + ` else '' end`
}

// holdWithBeside holds rows that point to a row of an import which is loaded before,
// and is held there or asked about, and to a record that is another's in such an import.
func (k *draftCheck) holdWithBeside(ctx context.Context) error {
	for i := range k.plan.Fields {
		fp := &k.plan.Fields[i]
		for _, to := range k.mayName(*fp) {
			if to.in == nil || to.in.Later {
				continue
			}
			err := k.do(ctx, stepHeld, k.hold(problem.LinkHeld, fp, k.saysRow("b.record_id"), `
				from `+k.linkOf(fp)+`
				where {there}
					and (
						exists (select from {their_problems} p where p.row_no = {row} and not p.light)
						or exists (select from {their_asked} x where x.row_no = {row})
					)
					and {stays d}`,
				frag{"there": to.in.holds("b.record_id"), "row": rowOf("b.record_id"),
					"their_problems": to.in.check.table("problems"), "their_asked": to.in.check.table("asked")}))
			if err != nil {
				return err
			}
			// the number that is given belongs to somebody else in that import than among the records
			row := schema.Int(-to.in.base()) + ` - w.row_no`
			err = k.do(ctx, stepHeld, k.hold(problem.LinkHeld, fp, k.saysRow("("+row+")"), `
				from {draft} d join {links} b on b.field = {field} and b.lookup = d.{l} and b.how = `+literal(ByKey)+`
				join {became} w on w.record_id = b.record_id
				where exists (select from {their_problems} p where p.row_no = w.row_no and p.code = @other) and {stays d}`,
				frag{"field": schema.Literal(fp.Field.Name), "l": textColumn(fp.Field.Name),
					"became": to.draft.table("became"), "their_problems": to.in.check.table("problems")},
				arg{"other": string(problem.OtherName)}))
			if err != nil {
				return err
			}
		}
	}
	return nil
}

var stepMadeBefore = step{does: "tells what another import of the bundle makes before",
	reads: "draft aside matches questions problems", writes: "problems"}

// tellMadeBefore tells of rows that would make a record which an import that is loaded
// before makes: one with the same key, or equal in all that a rule compares exactly, and of
// companies one of the same name or reached by the same number or address. They are looked up
// again when that has been loaded.
func (k *draftCheck) tellMadeBefore(ctx context.Context) error {
	if k.plan.May == mapping.Update {
		return nil
	}
	var list []stmt
	for _, n := range k.beside {
		if n.Later || n.check == nil {
			continue
		}
		for _, o := range n.check.drafts {
			if o.plan.Type.Name != k.plan.Type.Name {
				continue
			}
			for _, same := range k.equalBeside(o) {
				list = append(list, k.note(problem.MadeBefore, nil, true, `'row ' || min(o.row_no) || {of}`, `
					from {draft} d join {theirs} o on {same} join {their_verdicts} v on v.row_no = o.row_no and v.verdict = 'create'
					where {stays d} and {unfound d} and {unasked d} and {sound d} and not {noted}
					group by d.row_no`,
					frag{"of": schema.Literal(" of " + n.Import.Name), "theirs": o.table("draft"), "same": same,
						"their_verdicts": o.table("verdicts"), "noted": k.noted(problem.MadeBefore, "")}))
			}
		}
	}
	return k.do(ctx, stepMadeBefore, list...)
}

// equalBeside lists the rules, as SQL, by which a draft d and one of another import, o, are for
// one record.
func (k *draftCheck) equalBeside(o *draftCheck) (rules []string) {
	same := func(name string) (sql string, ok bool) {
		mine, ok := k.plainForm(name)
		theirs, there := o.plainForm(name)
		if !ok || !there || k.field(name).Field.Kind().Form == catalog.LinkForm { // links are counted by import
			return "", false
		}
		return fmt.Sprintf(theirs, "o") + ` = ` + fmt.Sprintf(mine, "d"), true
	}
	for _, fields := range k.equals() {
		var all []string
		for _, name := range fields {
			if sql, ok := same(name); ok {
				all = append(all, sql)
			}
		}
		if len(all) == len(fields) {
			rules = append(rules, strings.Join(all, " and "))
		}
	}
	if !namesCompany(k.plan.Type) {
		return rules
	}
	if mine, theirs := k.titleOf("d"), o.titleOf("o"); mine != "" && theirs != "" {
		rules = append(rules, theirs+` = `+mine+` and `+mine+` <> ''`)
	}
	for _, fp := range k.plan.Fields {
		reached := fp.Field.Type == catalog.Email || fp.Field.Type == catalog.Phone || fp.Field.Type == catalog.URL
		if sql, ok := same(fp.Field.Name); reached && ok {
			rules = append(rules, sql)
		}
	}
	return rules
}

var stepSettle = step{does: "puts records in the place of rows beside", reads: "verdicts", writes: "verdicts waits"}

// Settle puts the records that the other imports of the bundle have made by now in the
// place of the rows that links lead to. Links to imports that are loaded later wait.
func (l *Load) Settle(ctx context.Context) error {
	if len(l.check.beside) == 0 {
		return nil
	}
	return l.room.store.Guarded(ctx, l.run, func(tx pgx.Tx) error {
		for _, d := range l.check.drafts {
			for _, fp := range d.plan.Fields {
				for _, to := range d.mayName(fp) {
					if to.in == nil {
						continue
					}
					if err := l.settle(ctx, tx, d, fp, to); err != nil {
						return err
					}
				}
			}
		}
		var next int64
		if err := tx.QueryRow(ctx, `select next_row from imports where id = $1`, l.i.ID).Scan(&next); err != nil {
			return fmt.Errorf("settle links: %w", err)
		}
		digest, err := l.check.digest(ctx, tx, `v.row_no >= `+schema.Int(next))
		if err != nil {
			return err
		}
		return store.SetLeft(ctx, tx, l.i.ID, next, digest)
	})
}

func (l *Load) settle(ctx context.Context, tx pgx.Tx, d *draftCheck, fp mapping.FieldPlan, to named) error {
	target, _ := l.check.catalog.Type(fp.Field.To)
	name := schema.Literal(fp.Field.Name)
	with := frag{
		"value": schema.Value(fp.Field.Name), "link": schema.Column(fp.Field, "v"),
		"there": to.in.holds(schema.Column(fp.Field, "v")), "row": rowOf(schema.Column(fp.Field, "v")),
		"field": name, "record": schema.RecordID(target, "o.record_id"), "theirs": resultsTable(to.in.Import.ID),
		"place":  schema.Int(to.draft.n + 1),
		"member": schema.Int(to.in.Import.Place),
	}
	loaded, err := l.room.there(ctx, resultsTable(to.in.Import.ID))
	if err != nil {
		return err
	}
	var list []stmt
	if loaded {
		list = append(list, q(`update {verdicts} v set {value} = o.record_id,
				changes = case when v.changes ? {field} then v.changes || jsonb_build_object({field},
				jsonb_build_array(v.changes->{field}->0, {record})) else v.changes end
			from {theirs} o
			where {there} and o.row_no = {row} and o.draft = {place} and o.last and o.record_id is not null`, with))
	}
	if to.in.Later {
		list = append(list,
			q(`insert into {waits} (row_no, field, target, member)
				select v.row_no, {field}, {row}, {member} from {verdicts} v where {there} and v.verdict in ('create', 'update')`,
				with),
			// Where the link is all that would change, this load changes nothing.
			q(`update {verdicts} v set {value} = null, changes = nullif(v.changes - {field}, '{}'),
					verdict = case when v.verdict = 'update' and v.changes - {field} = '{}' then 'same' else v.verdict end
				where {there}`, with))
	}
	_, err = l.room.carryOut(ctx, tx, l.run, stepSettle, d.word, list)
	return err
}

var stepFill = step{does: "writes the links of other imports that have waited for this one", reads: "waits",
	writes: "records history problems results"}

// fillBeside writes, at the end of the load, the links of other imports of the bundle
// that have waited for the records of this one. They are changes of this load, and go
// when it is taken back.
func (c *chunk) fillBeside(ctx context.Context) error {
	for _, n := range c.check.beside {
		if n.check == nil || n.Later {
			continue
		}
		n.check.Among([]Beside{{Import: c.i, Plan: c.check.plan, Later: true}})
		for _, d := range n.check.drafts {
			for _, fp := range d.plan.Fields {
				for _, to := range d.mayName(fp) {
					if to.in == nil {
						continue
					}
					if err := c.fillFrom(ctx, d, fp, to); err != nil {
						return err
					}
				}
			}
		}
	}
	return nil
}

// fillFrom writes the links of one field of a draft d of another import.
func (c *chunk) fillFrom(ctx context.Context, d *draftCheck, fp mapping.FieldPlan, to named) error {
	if there, err := c.room.there(ctx, d.table("waits")); err != nil || !there {
		return err
	}
	var waits bool
	err := c.tx.QueryRow(ctx, `select exists (select from `+d.table("waits")+` where field = $1 and member = $2)`,
		fp.Field.Name, c.i.Place).Scan(&waits)
	if err != nil || !waits {
		return err
	}
	if _, _, err := store.LockTypes(ctx, c.tx, c.i.Workspace, map[string]int64{d.plan.Type.Name: 0}, nil); err != nil {
		return err
	}
	target, _ := c.check.catalog.Type(fp.Field.To)
	waiting := `from {waits} w
		join {results} o on o.row_no = w.row_no and o.draft = {n} and o.last
		and o.outcome in ('created', 'updated', 'unchanged')
		left join {mine} t on t.row_no = w.target and t.draft = {place} and t.last
		where w.field = {field} and w.member = {member}`
	with := frag{
		"value": schema.Value(fp.Field.Name), "field": schema.Literal(fp.Field.Name),
		"now": schema.RecordID(target, "t.id"), "old": schema.RecordID(target, "t.was"),
		"mine": resultsTable(c.i.ID), "place": schema.Int(to.draft.n + 1), "member": schema.Int(c.i.Place),
		"waiting": waiting,
	}
	_, err = c.room.carryOut(ctx, c.tx, c.run, stepFill, d.word, []stmt{
		q(`with todo as materialized (
				select r.id as record_id, r.{value} as was, x.id
				from (select o.record_id, t.record_id as id {waiting} and t.record_id is not null) x
				join {records} r on r.id = x.record_id
			),
			changed as (
				update {records} r set {value} = t.id, version = r.version + 1, changed_at = now(), changed_by = @person
				from todo t where r.id = t.record_id and t.was is distinct from t.id
				returning r.id, r.version, jsonb_build_object({field}, jsonb_build_array(case
				when t.was is not null then {old} end, {now})) as changes
			)
			insert into {history} (record_id, version, person, import, run, kind, changes)
			select id, version, @person, @import, @run, 'update', changes from changed`,
			with, arg{"person": c.run.Person, "import": c.i.ID, "run": c.run.Piece}),
		q(`insert into {problems} (row_no, code, field, col, value, detail, light)
			select w.row_no, @code, @named, @col, '', 'row ' || w.target || @of, true {waiting} and t.record_id is null`,
			with, arg{"code": string(problem.LinkHeld), "named": d.plan.Named(fp.Field.Name), "col": fp.Column(),
				"of": " of " + c.i.Name}),
		q(`update {results} o set detail = coalesce(o.detail || '; ', '') || 'without the link to row ' || p.target || @of
			from (select w.row_no, min(w.target) as target {waiting} and t.record_id is null group by w.row_no) p
			where o.row_no = p.row_no and o.draft = {n} and o.last`, with, arg{"of": " of " + c.i.Name}),
		q(`delete from {waits} w where w.field = {field} and w.member = {member}`, with),
	})
	return err
}
