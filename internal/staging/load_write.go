package staging

import (
	"context"
	"slices"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/problem"
	"uchi/internal/core/verdict"
	"uchi/internal/schema"
	"uchi/internal/store"
)

// What a chunk of a load writes: the records that are made, changed and deleted.

// without is the SQL, behind a comma, of what a row is loaded without, because it
// cannot be read or the record knows it better, and of where it comes from, behind the
// tables that it stands beside; both are empty when no field may be left out so.
func (c *draftChunk) without() (what, from string) {
	if !slices.ContainsFunc(c.plan.Fields,
		func(fp mapping.FieldPlan) bool { return fp.Light || fp.Doubtful == mapping.KeepThere }) {
		return "", ""
	}
	return `, case when v.verdict in ('create', 'update') then w.without end`, `
			left join (
				select x.row_no, 'without ' || string_agg(distinct x.col || ' ' || x.value, ', ') as without
				from {problems} x
				where {within x} and x.light and x.code not in (` + literals(problem.Told) + `)
				group by x.row_no
			) w on w.row_no = v.row_no`
}

// write writes the records of one draft, as it was decided.
func (c *draftChunk) write(ctx context.Context) error {
	if c.creates > 0 {
		if _, err := c.do(ctx, stepCreate, c.create()); err != nil {
			return err
		}
	}
	if c.plan.May == mapping.Delete {
		_, err := c.do(ctx, stepDelete, c.remove())
		return err
	}
	if len(c.plan.Fields) == 0 {
		return nil
	}
	_, err := c.do(ctx, stepUpdate, c.update())
	return err
}

var stepApart = step{does: "remembers which records were told apart", reads: "results settled"}

// tellApart notes of records that were made because a person has said so which
// others they are not: the records and rows that the question named.
func (c *draftChunk) tellApart() stmt {
	return q(`insert into apart (workspace, type, low, high, person)
		select distinct @workspace, @type, least(x.made, x.other), greatest(x.made, x.other), @person::bigint
		from (
			select o.record_id as made, unnest(s.denied_records) as other
			from {results} o join {settled} s on s.row_no = o.row_no and s.choice = 'new'
			where o.last and o.draft = {n} and o.outcome = 'created' and {within o}
			union
			select o.record_id, t.record_id
			from {settled} s cross join unnest(s.denied) r (row_no)
			join {results} o on o.row_no = s.row_no and o.last and o.draft = {n}
			join {results} t on t.row_no = r.row_no and t.last and t.draft = {n}
			where s.choice = 'new' and (s.row_no between @low and @high or r.row_no between @low and @high)
		) x
		where x.made <> x.other
		on conflict do nothing`,
		arg{"workspace": c.i.Workspace, "type": c.plan.Type.Name, "person": c.run.Person, "low": c.low, "high": c.high})
}

// decided is the SQL of the drafts of the chunk with an outcome, as o, with
// their verdicts as v, their values as d, and the records of the rows that their
// references lead to.
func (c *draftChunk) decided(outcome verdict.Outcome) string {
	sql := `{results} o
			join {draft} d on d.row_no = o.row_no
			join {verdicts} v on v.row_no = o.row_no`
	for _, fp := range c.plan.Fields {
		if fp.Becomes() >= 0 { // what another draft has become by now
			a := linkAlias(fp.Field.Name)
			sql += ` left join {results} ` + a + ` on ` + a + `.row_no = -` + schema.Column(fp.Field, "v") + ` and ` +
				a + `.draft = ` + schema.Int(fp.Becomes()+1) + ` and ` + a + `.last`
		}
	}
	return sql + ` where o.last and o.draft = {n} and o.outcome = ` + literal(outcome) + ` and {within o} and {within d}
		and {within v}`
}

// sources gives for every column that the draft fills its name and the SQL of
// its value; references come resolved from the verdicts.
func (c *draftChunk) sources() (columns, values []string) {
	for _, fp := range c.plan.Fields {
		f := fp.Field
		from := schema.Column(f, "d")
		if f.Kind().Form == catalog.LinkForm {
			from = schema.Column(f, "v")
		}
		if fp.Becomes() >= 0 {
			from = `case when ` + from + ` < 0 then ` + linkAlias(f.Name) + `.record_id else ` + from + ` end`
		}
		columns, values = append(columns, schema.Value(f.Name)), append(values, from)
		if f.Normalised() {
			columns, values = append(columns, schema.Key(f.Name)), append(values, `d.`+schema.Key(f.Name))
		}
		if schema.InTitle(c.plan.Type, f.Name) {
			columns, values = append(columns, schema.Name(f.Name)), append(values, `d.`+schema.Name(f.Name))
		}
	}
	return columns, values
}

// changes is the SQL of the difference as history keeps it: with the record that
// another draft of the row has become in the place of the row.
func (c *draftChunk) changes() string {
	out := `v.changes`
	for _, fp := range c.plan.Fields {
		if fp.Becomes() < 0 {
			continue
		}
		t, _ := c.check.catalog.Type(fp.Field.To)
		name := literal(fp.Field.Name)
		out = `case when ` + schema.Column(fp.Field, "v") + ` < 0 and v.changes ? ` + name + ` and ` +
			linkAlias(fp.Field.Name) + `.record_id is null
			then ` + out + ` - ` + name + `
			when ` + schema.Column(fp.Field, "v") + ` < 0 and v.changes ? ` + name + `
			then ` + out + ` || jsonb_build_object(` + name + `, jsonb_build_array(v.changes->` + name + `->0, ` +
			schema.RecordID(t, linkAlias(fp.Field.Name)+`.record_id`) + `))
			else ` + out + ` end`
	}
	return out
}

// titleFrom is the SQL of the record's title in its normal form, of parts that
// are given for each of its columns; an empty part is left out.
func (c *draftChunk) titleFrom(part func(field string, inDraft bool) string) string {
	var parts []string
	for _, name := range c.plan.Type.Title {
		if p := part(name, c.check.field(name) != nil); p != "" {
			parts = append(parts, p)
		}
	}
	if len(parts) == 0 {
		return `''`
	}
	return `concat_ws(' ', ` + list(parts) + `)`
}

// create makes the new records, whose ids are decided.
func (c *draftChunk) create() stmt {
	columns, values := c.sources()
	for _, f := range c.plan.Type.Fields {
		if f.Default == "" || f.Retired {
			continue
		}
		def := literal(f.Default) + `::` + schema.Type(f)
		if i := slices.Index(columns, schema.Value(f.Name)); i >= 0 {
			values[i] = `coalesce(` + values[i] + `, ` + def + `)`
		} else {
			columns, values = append(columns, schema.Value(f.Name)), append(values, def)
		}
	}
	title := c.titleFrom(func(field string, inDraft bool) string {
		if !inDraft {
			return ""
		}
		return `d.` + schema.Name(field)
	})
	return q(`insert into {records} (id, created_by, changed_by, import, {title_column}{columns})
		select o.record_id, @person, @person, @import, {title}{values}
		from {decided}
		order by o.record_id`,
		frag{"title_column": schema.Title, "title": title, "columns": behind(columns), "values": behind(values),
			"decided": c.decided(verdict.Created)},
		arg{"person": c.run.Person, "import": c.i.ID})
}

// update changes the records that were found, and keeps in the history what
// they were. The records are those that the check has seen, as setAside tells, so that
// what it has said becomes of a field is not worked out again: it is the value of the draft,
// or none, or what the difference says where the two are put together. Only one draft of one
// row is for a record.
func (c *draftChunk) update() stmt {
	columns, values := c.sources()
	var set, picked []string
	for i, col := range columns {
		picked = append(picked, values[i]+` as `+col)
	}
	// A field that the difference does not name stays as it is.
	changed := func(fp mapping.FieldPlan, to, stays string) string {
		return `case when t.changes ? ` + literal(fp.Field.Name) + ` then ` + to + ` else ` + stays + ` end`
	}
	says := func(fp mapping.FieldPlan) string { return `t.changes->` + literal(fp.Field.Name) + `->>1` }
	taken := func(fp mapping.FieldPlan, column string) string {
		return `case when ` + says(fp) + ` is not null then t.` + column + ` end`
	}
	// The normal forms go with the value that is taken.
	with := func(fp mapping.FieldPlan, column string) string {
		return changed(fp, taken(fp, column), `r.`+column)
	}
	names := map[string]string{}
	for _, fp := range c.plan.Fields {
		f := fp.Field
		to := taken(fp, schema.Value(f.Name))
		if fp.Both == mapping.Add {
			to = schema.Typed(f, says(fp))
		}
		set = append(set, schema.Value(f.Name)+` = `+changed(fp, to, schema.Column(f, "r")))
		if f.Normalised() {
			set = append(set, schema.Key(f.Name)+` = `+with(fp, schema.Key(f.Name)))
		}
		if schema.InTitle(c.plan.Type, f.Name) {
			names[f.Name] = with(fp, schema.Name(f.Name))
			set = append(set, schema.Name(f.Name)+` = `+names[f.Name])
		}
	}
	title := c.titleFrom(func(field string, inDraft bool) string {
		if !inDraft {
			return `r.` + schema.Name(field)
		}
		return names[field]
	})
	return q(`with todo as materialized (
			select v.record_id, {changes} as changes{picked} from {decided}
		),
		changed as (
			update {records} r set version = r.version + 1, changed_at = now(), changed_by = @person, {title_column} = {title}, {set}
			from todo t where r.id = t.record_id
			returning r.id, r.version, t.changes
		)
		insert into {history} (record_id, version, person, import, run, kind, changes)
		select id, version, @person, @import, @run, 'update', changes from changed`,
		frag{"changes": c.changes(), "picked": behind(picked), "decided": c.decided(verdict.Updated),
			"title_column": schema.Title, "title": title, "set": list(set)},
		arg{"person": c.run.Person, "import": c.i.ID, "run": c.run.Piece})
}

// remove deletes records that nothing points to, and keeps what they were.
func (c *draftChunk) remove() stmt {
	return deleteRecords(c.plan.Type, `{records} r using {results} o
			where r.id = o.record_id and o.last and o.draft = {n} and o.outcome = 'deleted' and {within o}`, c.i, c.run)
}

// deleteRecords is the statement that deletes records r of a type, as from says behind
// delete from, and keeps in the history what they were: their rows.
func deleteRecords(t catalog.RecordType, from string, i store.Import, run store.Run) stmt {
	return q(`with gone as (
			delete from `+from+`
			returning r.id, r.version, `+schema.Row(t, "r")+` as was
		)
		insert into {history} (record_id, version, person, import, run, kind, changes, was)
		select id, version + 1, @person, @import, @run, 'delete', '{}', was from gone`,
		arg{"person": run.Person, "import": i.ID, "run": run.Piece})
}
