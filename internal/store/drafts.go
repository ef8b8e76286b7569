package store

import (
	"context"
	"fmt"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/problem"
	"uchi/internal/core/verdict"

	"github.com/jackc/pgx/v5"
)

// A row may make several drafts that point to each other. Each has tables of
// its own, with d and its number before their names; problems are the row's.
// A draft that is to make a record which another points to stands for it by its
// row number, below 0, until the load has made the record.

// mostNamesakes is how many different drafts of one name are compared to see
// which of them say less of the same.
const mostNamesakes = 50

// leftOutWith leaves drafts out that need another draft of the row which the
// routine's condition leaves out.
func (k *draftCheck) leftOutWith() []string {
	var q []string
	for _, fp := range k.plan.Fields {
		if fp.Draft < 0 || !fp.Field.Required {
			continue
		}
		aside := k.Check.drafts[fp.Draft].stage("aside")
		q = append(q, fmt.Sprintf(`insert into %s select d.row_no, %s, null from %s d join %s a on a.row_no = d.row_no left join %s above on above.row_no = a.other_row
			where (a.why = %s or above.why = %s) and not exists (select from %s x where x.row_no = d.row_no)`,
			k.stage("aside"), lit(string(verdict.ByCondition)), k.stage("draft"), aside, aside, lit(string(verdict.ByCondition)), lit(string(verdict.ByCondition)), k.stage("aside")))
	}
	return q
}

// compared is the SQL of the form in which a field of row d is compared between
// rows; references need the joins of linkJoins.
func (k *draftCheck) compared(fp mapping.FieldPlan) string {
	f := fp.Field
	switch {
	case f.Type == catalog.Reference && fp.Draft >= 0:
		return referenceOf(f.Name) + `::text`
	case f.Type == catalog.Reference:
		return `coalesce(d.` + fieldColumn(f.Name) + `::text, d.` + textColumn(f.Name) + `)`
	case f.Normalised():
		return `d.` + keyColumn(f.Name)
	case titleSet(k.plan.Type)[f.Name]:
		return `d.` + nameColumn(f.Name)
	}
	return `lower(` + textOf(f, `d.`+fieldColumn(f.Name)) + `)`
}

// telling chooses the fields that say which record is meant.
func (k *draftCheck) telling() []mapping.FieldPlan {
	var list []mapping.FieldPlan
	alike := false
	for _, fp := range k.plan.Fields {
		alike = alike || fp.Field.ComparedAs() != ""
	}
	title := titleSet(k.plan.Type)
	for _, fp := range k.plan.Fields {
		f := fp.Field
		if !alike || f.ComparedAs() != "" || f.Normalised() || title[f.Name] || f.Type == catalog.Reference {
			list = append(list, fp)
		}
	}
	return list
}

// collapse puts together, before anything is looked up, rows that draft the same
// record for others to point to: those that are equal in all that tells records
// apart, those of the same name where none contradicts another, and else those
// that say less of just one of them.
func (k *draftCheck) collapse() []string {
	switch k.plan.Repeats {
	case mapping.Once, mapping.MergeRows, mapping.FirstWins:
	default:
		return nil
	}
	twins, leads, fuller := k.stage("twins"), k.stage("leads"), k.stage("fuller")
	var values, title []string
	names := titleSet(k.plan.Type)
	for _, fp := range k.telling() {
		values = append(values, k.compared(fp))
		if names[fp.Field.Name] {
			title = append(title, `d.`+nameColumn(fp.Field.Name))
		}
	}
	if len(values) == 0 {
		return nil
	}
	var agree []string
	for n := range values {
		agree = append(agree, fmt.Sprintf(`count(distinct vals[%d]) < 2`, n+1))
	}
	named := `''`
	if len(title) > 0 {
		named = `concat_ws(' ', ` + strings.Join(title, ", ") + `)`
	}
	q := []string{`drop table if exists ` + twins + `, ` + leads + `, ` + fuller,
		fmt.Sprintf(`create unlogged table %s as select d.row_no, d.row_no as lead, ''::text as field, false as merge, %s as title, array[%s]::text[] as vals, s.row_no is not null as settled from %s d%s
			left join %s s on s.row_no = d.row_no where not exists (select from %s x where x.row_no = d.row_no)`,
			twins, named, strings.Join(values, ", "), k.stage("draft"), k.linkJoins(), k.stage("settled"), k.stage("aside")),
		`analyze ` + twins,
		fmt.Sprintf(`create unlogged table %s as select title, vals, min(row_no) as lead, count(*) over (partition by title) as namesakes from %s where num_nonnulls(variadic vals) > 0 group by title, vals`, leads, twins),
		`analyze ` + leads,
		fmt.Sprintf(`update %s l set lead = x.lead, namesakes = 1 from (select title, min(lead) as lead from %s where title <> '' and namesakes > 1 group by title having %s) x where l.title = x.title`, leads, leads, strings.Join(agree, " and ")),
		fmt.Sprintf(`create unlogged table %s as select a.lead, b.lead as into_row from %s a join %s b on b.title = a.title and b.lead <> a.lead
			where a.title <> '' and a.namesakes between 2 and %d and not exists (select from unnest(a.vals, b.vals) x (p, q) where p is not null and p is distinct from q)`, fuller, leads, leads, mostNamesakes),
		fmt.Sprintf(`update %s l set lead = x.into_row from (select f.lead, min(f.into_row) as into_row from %s f where not exists (select from %s m where m.lead = f.into_row) group by f.lead having count(*) = 1) x where l.lead = x.lead`, leads, fuller, fuller),
		`update ` + twins + ` t set lead = l.lead from ` + leads + ` l where l.title = t.title and l.vals = t.vals`, // arrays with nulls in the same places are equal
		`delete from ` + twins + ` where lead = row_no`, `analyze ` + twins}
	q = append(q, k.comeFirst(twins)...)
	q = append(q, `delete from `+twins+` where settled`) // a row with an answer of its own is no repeat
	q = append(q, k.treatRepeats(twins)...)
	return append(q, `drop table `+twins+`, `+leads+`, `+fuller)
}

// findByTitle finds, for a draft that others point to, the one record of its name
// as a link would, where nothing that tells records apart says otherwise.
func (k *draftCheck) findByTitle() string {
	var title, differs []string
	names := titleSet(k.plan.Type)
	for _, fp := range k.telling() {
		f := fp.Field
		if names[f.Name] {
			title = append(title, `d.`+nameColumn(f.Name))
			continue
		}
		column := `lower(` + textOf(f, `r.`+fieldColumn(f.Name)) + `)`
		if f.Normalised() {
			column = `r.` + keyColumn(f.Name)
		}
		differs = append(differs, column+` <> `+k.compared(fp))
	}
	if len(title) == 0 {
		return ""
	}
	apart := `false`
	if len(differs) > 0 {
		apart = `coalesce(bool_or(` + strings.Join(differs, " or ") + `), false)`
	}
	return fmt.Sprintf(`insert into %s select d.row_no, min(r.id), min(r.version), %d from %s d%s join %s r on r.%s = concat_ws(' ', %s) where r.%s <> ''%s group by d.row_no having count(*) = 1 and not %s`,
		k.stage("matches"), len(k.plan.Rules)+1, k.stage("draft"), k.linkJoins(), k.table, titleColumn, strings.Join(title, ", "), titleColumn, k.unsettled("d"), apart)
}

// comeFirst makes the first sound row of each group stand for it, so that what
// points to it is loaded after it, and before all one with an answer; groups
// that have found a record stay.
func (k *draftCheck) comeFirst(repeats string) []string {
	twice := k.stage("twice")
	return []string{`drop table if exists ` + twice,
		fmt.Sprintf(`create unlogged table %s as select lead as first, (array_agg(g.row_no order by not exists (select from %s s where s.row_no = g.row_no), exists (select from %s p where p.row_no = g.row_no), g.row_no))[1] as best
			from (select row_no, lead from %s union select lead, lead from %s) g where not exists (select from %s m where m.row_no = g.lead) group by lead`, twice, k.stage("settled"), k.stage("problems"), repeats, repeats, k.stage("matches")),
		`delete from ` + twice + ` where first = best`,
		`update ` + repeats + ` d set lead = t.best from ` + twice + ` t where d.lead = t.first and d.row_no <> t.best`,
		`update ` + repeats + ` d set row_no = t.first, lead = t.best from ` + twice + ` t where d.row_no = t.best`,
		`drop table ` + twice}
}

// onlyOnce treats repeated rows by the policy once: those that contradict the
// others are held, the rest fill each other's blanks.
func (k *draftCheck) onlyOnce(repeats string) (agree string, q []string) {
	twice, problems := k.stage("twice"), k.stage("problems")
	var first []string
	for i, fp := range k.plan.Fields {
		c := k.compared(fp)
		first = append(first, fmt.Sprintf(`(array_agg(%s order by d.row_no <> g.lead, d.row_no) filter (where %s is not null))[1] as c%d`, c, c, i))
	}
	if len(first) == 0 {
		return `not d.merge`, nil
	}
	q = []string{`drop table if exists ` + twice,
		fmt.Sprintf(`create unlogged table %s as select g.lead, %s from (select row_no, lead from %s where not merge union select lead, lead from %s where not merge) g join %s d on d.row_no = g.row_no%s group by g.lead`,
			twice, strings.Join(first, ", "), repeats, repeats, k.stage("draft"), k.linkJoins()), `analyze ` + twice}
	for i := range k.plan.Fields {
		fp := &k.plan.Fields[i]
		q = append(q, k.problem(problem.RowsDisagree, fp, `'' || t.lead`, fmt.Sprintf(`from %s t join %s d on d.row_no = t.row_no join %s w on w.lead = t.lead%s where not t.merge and %s <> w.c%d
			and not exists (select from %s p where p.row_no = d.row_no and p.code = %s and p.field = %s)`,
			repeats, k.stage("draft"), twice, k.linkJoins(), k.compared(*fp), i, problems, lit(string(problem.RowsDisagree)), lit(k.plan.Named(fp.Field.Name)))))
	}
	return fmt.Sprintf(`not d.merge and not exists (select from %s p where p.row_no = d.row_no and p.code = %s)`, problems, lit(string(problem.RowsDisagree))), append(q, `drop table `+twice)
}

// became says for each row of a draft that others point to which record it is
// for: one that is there, or the one that a row is to make.
func (k *draftCheck) became(ctx context.Context) error {
	became, aside := k.stage("became"), k.stage("aside")
	follow := lit(string(verdict.Merged)) + `, ` + lit(string(verdict.Repeated))
	made := `-coalesce(a.other_row, d.row_no)`
	if k.plan.May == mapping.Update {
		made = `null`
	}
	earlier := `select null::bigint as row_no, null::bigint as record_id where false`
	if there, err := k.store.hasTable(ctx, k.id, k.outcomesPart()); err != nil {
		return err
	} else if there {
		earlier = k.outcomes()
	}
	return k.run("links",
		// What stands for collapsed rows may be found to repeat another row.
		fmt.Sprintf(`update %s a set other_row = b.other_row from %s b where a.other_row = b.row_no and a.why in (%s) and b.why in (%s)`, aside, aside, follow, follow),
		fmt.Sprintf(`create unlogged table %s as select d.row_no, coalesce(m.record_id, %s) as record_id from %s d left join %s a on a.row_no = d.row_no
			left join %s m on m.row_no = coalesce(a.other_row, d.row_no) where a.row_no is null or a.why in (%s)`, became, made, k.stage("draft"), aside, k.stage("matches"), follow),
		fmt.Sprintf(`insert into %s select a.row_no, coalesce(b.record_id, o.record_id) from %s a left join %s b on b.row_no = a.other_row left join (%s) o on o.row_no = a.other_row
			where a.why = %s and coalesce(b.record_id, o.record_id) is not null`, became, aside, became, earlier, lit(string(verdict.Grouped))),
		`create index on `+became+` (row_no)`, `analyze `+became)
}

// heldWith holds rows that point to a record which is not to be had: one that is
// not found and may not be made, or that of a row which is held or asked about.
func (k *Check) heldWith(ctx context.Context, conn *pgx.Conn) error {
	if err := k.run("repeats", k.draftedTwice()...); err != nil {
		return err
	}
	for _, d := range k.drafts {
		for i := range d.plan.Fields {
			fp := &d.plan.Fields[i]
			if fp.Draft < 0 {
				continue
			}
			target := k.drafts[fp.Draft]
			err := k.run("links", d.problem(problem.LinkNotFound, fp, lit(strings.ToLower(target.plan.Type.Label)),
				`from `+d.stage("draft")+` d join `+target.stage("became")+` b on b.row_no = d.row_no where b.record_id is null and not exists (select from `+d.stage("aside")+` a where a.row_no = d.row_no)`))
			if err != nil {
				return err
			}
		}
	}
	for { // until nothing more depends on what is held
		var held int64
		for _, d := range k.drafts {
			for i := range d.plan.Fields {
				fp := &d.plan.Fields[i]
				if fp.Draft < 0 {
					continue
				}
				tag, err := conn.Exec(ctx, d.problem(problem.LinkHeld, fp, `'row ' || -b.record_id`, fmt.Sprintf(`from %s d join %s b on b.row_no = d.row_no where b.record_id < 0 and -b.record_id <> d.row_no
					and (exists (select from %s p where p.row_no = -b.record_id) or exists (select from %s x where x.row_no = -b.record_id))
					and not exists (select from %s a where a.row_no = d.row_no) and not exists (select from %s p where p.row_no = d.row_no and p.code = %s and p.field = %s)`,
					d.stage("draft"), k.drafts[fp.Draft].stage("became"), k.stage("problems"), k.stage("questions"), d.stage("aside"), k.stage("problems"), lit(string(problem.LinkHeld)), lit(d.plan.Named(fp.Field.Name)))))
				if err != nil {
					return fmt.Errorf("check, links: %w", err)
				}
				held += tag.RowsAffected()
			}
		}
		if held == 0 {
			return nil
		}
	}
}

// draftedTwice holds drafts that seem to be for the same record as another draft
// of the same type, in the same row or in another: those that have found the same
// record, have the same key, or the same name and nothing that says otherwise.
func (k *Check) draftedTwice() []string {
	var q []string
	for n, b := range k.drafts {
		for _, a := range k.drafts[:n] {
			if a.plan.Type.Name == b.plan.Type.Name {
				q = append(q, b.alsoDraftedBy(a)...)
			}
		}
	}
	return q
}

func (k *draftCheck) alsoDraftedBy(other *draftCheck) []string {
	free := func(c *draftCheck, row string) string {
		return ` and not exists (select from ` + c.stage("aside") + ` x where x.row_no = ` + row + `.row_no)`
	}
	fresh := func(c *draftCheck, row string) string {
		return free(c, row) + ` and not exists (select from ` + c.stage("matches") + ` x where x.row_no = ` + row + `.row_no)`
	}
	said := ` and not exists (select from ` + k.stage("problems") + ` p where p.row_no = d.row_no and p.code = ` + lit(string(problem.DuplicateRow)) + ` and p.field = ` + lit(k.plan.Named("")) + `)`
	note := func(from string) string {
		return k.problem(problem.DuplicateRow, nil, `'' || d.other`, `from (select d.row_no, min(o.row_no) as other `+from+` group by d.row_no) d where true`+said)
	}
	q := []string{note(`from ` + k.stage("matches") + ` d join ` + other.stage("matches") + ` o on o.record_id = d.record_id where true` + free(k, "d") + free(other, "o"))}
	names := titleSet(k.plan.Type)
	var title, differs []string
	for _, fp := range k.plan.Fields {
		f := fp.Field
		theirs := other.field(f.Name)
		switch {
		case theirs == nil:
		case f.Key:
			q = append(q, note(`from `+k.stage("draft")+` d join `+other.stage("draft")+` o on o.`+keyColumn(f.Name)+` = d.`+keyColumn(f.Name)+` where true`+fresh(k, "d")+fresh(other, "o")))
		case names[f.Name]:
			title = append(title, nameColumn(f.Name))
		case f.Type == catalog.Reference: // may be drafts themselves
		case f.Normalised():
			differs = append(differs, `o.`+keyColumn(f.Name)+` <> d.`+keyColumn(f.Name))
		case f.ComparedAs() != "":
			differs = append(differs, `lower(`+textOf(f, `o.`+fieldColumn(f.Name))+`) <> lower(`+textOf(f, `d.`+fieldColumn(f.Name))+`)`)
		}
	}
	if len(title) == 0 {
		return q
	}
	full := func(row string) string {
		return `concat_ws(' ', ` + row + `.` + strings.Join(title, `, `+row+`.`) + `)`
	}
	apart := ``
	if len(differs) > 0 {
		apart = ` and not coalesce(` + strings.Join(differs, ` or `) + `, false)`
	}
	return append(q, note(`from `+k.stage("draft")+` d join `+other.stage("draft")+` o on `+full("o")+` = `+full("d")+` where `+full("d")+` <> ''`+apart+fresh(k, "d")+fresh(other, "o")))
}

// gather is the SQL that puts a table of all drafts together.
func (k *Check) gather(part string) string {
	var all []string
	for _, d := range k.drafts {
		all = append(all, `select * from `+d.stage(part))
	}
	return `create unlogged table ` + k.stage(part) + ` as ` + strings.Join(all, " union all ")
}

// rowVerdicts is the SQL that gives the verdict of each row from those of its
// drafts: it is held or asked about as a whole, else what weighs most counts.
func (k *Check) rowVerdicts() string {
	var from, list, parts, changes, whys, others []string
	for n, d := range k.drafts {
		v := fmt.Sprintf("v%d", n+1)
		if n == 0 {
			from = append(from, d.stage("verdicts")+` `+v)
		} else {
			from = append(from, `join `+d.stage("verdicts")+` `+v+` on `+v+`.row_no = v1.row_no`)
		}
		list = append(list, v+`.verdict`)
		parts = append(parts, fmt.Sprintf(`jsonb_build_object('draft', %s, 'type', %s, 'verdict', %s.verdict, 'record', %s.record_id, 'score', %s.score, 'why', %s.why, 'other_row', %s.other_row, 'changes', %s.changes)`, lit(d.plan.Name), lit(d.plan.Type.Name), v, v, v, v, v, v))
		changes = append(changes, fmt.Sprintf(`case when %s.changes is null then '{}' else (select jsonb_object_agg(%s || e.key, e.value) from jsonb_each(%s.changes) e) end`, v, lit(d.plan.Name+"."), v))
		whys, others = append(whys, v+`.why`), append(others, v+`.other_row`)
	}
	all := strings.Join(list, ", ")
	whens := ``
	for _, v := range []verdict.Verdict{verdict.Hold, verdict.Ask, verdict.Create, verdict.Update, verdict.Same} {
		whens += ` when ` + lit(string(v)) + ` in (` + all + `) then ` + lit(string(v))
	}
	left := `not exists (select from unnest(array[` + all + `]) x where x <> ` + lit(string(verdict.Skip)) + `)`
	return `create unlogged table ` + k.stage("verdicts") + ` as select v1.row_no, v1.record_id, v1.version, v1.found_by, v1.score, (case` + whens + ` else ` + lit(string(verdict.Skip)) + ` end) collate "C" as verdict,
		nullif(` + strings.Join(changes, " || ") + `, '{}') as changes, case when ` + left + ` then coalesce(` + strings.Join(whys, ", ") + `) end as why, case when ` + left + ` then coalesce(` + strings.Join(others, ", ") + `) end as other_row,
		jsonb_build_array(` + strings.Join(parts, ", ") + `) as parts from ` + strings.Join(from, " ")
}

// outcomesPart names the table that keeps what became of the draft, and outcomes
// is the SQL that reads it.
func (k *draftCheck) outcomesPart() string {
	if k.part == "" {
		return "outcomes"
	}
	return "draft_outcomes"
}

func (k *draftCheck) outcomes() string {
	if k.part == "" {
		return `select row_no, outcome, record_id from ` + stage(k.id, "outcomes")
	}
	return `select row_no, outcome, record_id from ` + stage(k.id, "draft_outcomes") + ` where draft = ` + lit(k.plan.Name) + ` and type = ` + lit(k.plan.Type.Name)
}
