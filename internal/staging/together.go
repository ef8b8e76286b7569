package staging

import (
	"context"
	"fmt"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/problem"
	"uchi/internal/core/verdict"
	"uchi/internal/schema"
)

// The drafts of a row may point to each other, and rows may draft the same
// record for others to point to. A draft that is to make a record which another
// points to stands for it by its row number, below 0, until the load has made
// the record.

// mostNamesakes is how many different drafts of one name are compared to see
// which of them say less of the same.
const mostNamesakes = 50

var (
	stepLeaveOut = step{does: "leaves out drafts that need one which is left out", reads: "draft aside", writes: "aside"}
	stepTitle    = step{
		does:   "finds the one record of a name",
		reads:  "draft aside settled links became records",
		writes: "matches questions candidates several",
	}
	stepCollapse = step{
		does:   "puts rows together that draft the same record",
		reads:  "draft aside settled matches problems links became",
		writes: "twins leads fuller",
	}
	stepBecome = step{does: "says which record each draft is for", reads: "draft matches results repeats",
		writes: "became aside"}
)

// leaveOutWith leaves drafts out that need another draft of the row which the
// routine's condition leaves out.
func (k *draftCheck) leaveOutWith(ctx context.Context) error {
	var statements []stmt
	for _, fp := range k.plan.Fields {
		if fp.Draft < 0 || !fp.Field.Required {
			continue
		}
		statements = append(statements, q(`insert into {aside} (row_no, why)
			select d.row_no, @why
			from {draft} d
			join {theirs} a on a.row_no = d.row_no
			left join {theirs} above on above.row_no = a.other_row
			where (a.why = @why or above.why = @why) and {stays d}`,
			frag{"theirs": k.Check.drafts[fp.Draft].table("aside")}, arg{"why": string(verdict.ByCondition)}))
	}
	return k.do(ctx, stepLeaveOut, statements...)
}

// compared is the SQL of the form in which a field of draft d is compared
// between rows; references need the joins of linked.
func (k *draftCheck) compared(fp mapping.FieldPlan) string {
	f := fp.Field
	switch {
	case f.Kind().Form == catalog.LinkForm && fp.Draft >= 0:
		return referenceOf(f) + `::text`
	case f.Kind().Form == catalog.LinkForm:
		return `coalesce(` + schema.Column(f, "d") + `::text, d.` + textColumn(f.Name) + `)`
	case f.Normalised():
		return `d.` + schema.Key(f.Name)
	case schema.InTitle(k.plan.Type, f.Name):
		return `d.` + schema.Name(f.Name)
	}
	return `lower(` + schema.Text(f, schema.Column(f, "d")) + `)`
}

// comparedIn is the SQL of the same form in record r; ok is false for references,
// which may be drafts themselves.
func (k *draftCheck) comparedIn(f catalog.Field) (sql string, ok bool) {
	switch {
	case f.Kind().Form == catalog.LinkForm:
		return "", false
	case f.Normalised():
		return `r.` + schema.Key(f.Name), true
	case schema.InTitle(k.plan.Type, f.Name):
		return `r.` + schema.Name(f.Name), true
	}
	return `lower(` + schema.Text(f, schema.Column(f, "r")) + `)`, true
}

// tellsApart lists the fields that say which record is meant: those that are
// compared by likeness, keys, look-ups, the title and references; of types of
// which nothing is compared by likeness all.
func (k *draftCheck) tellsApart() (fields []mapping.FieldPlan) {
	alike := false
	for _, fp := range k.plan.Fields {
		alike = alike || fp.Field.ComparedAs() != ""
	}
	for _, fp := range k.plan.Fields {
		f := fp.Field
		if !alike || f.ComparedAs() != "" || f.Normalised() || schema.InTitle(k.plan.Type, f.Name) ||
			f.Kind().Form == catalog.LinkForm {
			fields = append(fields, fp)
		}
	}
	return fields
}

// titleOf is the SQL of the title of a row of drafts, in its normal form, as far
// as the routine gives it; empty when it gives none of it.
func (k *draftCheck) titleOf(row string) string {
	var parts []string
	for _, name := range k.plan.Type.Title {
		if k.field(name) != nil {
			parts = append(parts, row+`.`+schema.Name(name))
		}
	}
	if len(parts) == 0 {
		return ""
	}
	// As concat_ws does it, by which the server does not let rows be found in an index.
	title := parts[0]
	for _, p := range parts[1:] {
		title = `coalesce(` + title + ` || ' ' || ` + p + `, ` + title + `, ` + p + `)`
	}
	return `coalesce(` + title + `, '')`
}

// formOf is the SQL of the legal form in the title of a row of drafts of companies,
// null for none; ok is false for drafts of anything else.
func (k *draftCheck) formOf(row string) (sql string, ok bool) {
	if !namesCompany(k.plan.Type) || k.titleOf(row) == "" {
		return "", false
	}
	return `nullif(` + schema.LegalForm(k.saidTitle(row)) + `, '')`, true
}

// saidTitle is the SQL of the title of a row of drafts as it was given.
func (k *draftCheck) saidTitle(row string) string {
	var parts []string
	for _, name := range k.plan.Type.Title {
		if fp := k.field(name); fp != nil {
			parts = append(parts, schema.Text(fp.Field, schema.Column(fp.Field, row)))
		}
	}
	return `concat_ws(' ', ` + list(parts) + `)`
}

// collapse puts together, before anything is looked up, rows that draft the same
// record for others to point to: those that are equal in all that tells records
// apart, those of the same name where none contradicts another, and else those
// that say less of just one of them.
func (k *draftCheck) collapse(ctx context.Context) error {
	switch k.plan.Repeats {
	case mapping.Once, mapping.MergeRows, mapping.FirstWins:
	default:
		return nil
	}
	var values, agree []string
	for n, fp := range k.tellsApart() {
		values = append(values, k.compared(fp))
		agree = append(agree, fmt.Sprintf(`count(distinct t.vals[%d]) < 2`, n+1))
	}
	if form, ok := k.formOf("d"); ok { // companies of one name and different forms are two
		values = append(values, form)
		agree = append(agree, fmt.Sprintf(`count(distinct t.vals[%d]) < 2`, len(values)))
	}
	if len(values) == 0 {
		return nil
	}
	// Where the name alone tells which is meant, the rows of each name and form are one.
	alone, of, some := `t.vals`, `{leads} t`, `num_nonnulls(variadic vals) > 0`
	if k.plan.Whole {
		alone, of, some = `array['']::text[]`, `(select title, vals, row_no as lead from {twins}) t`, `title <> ''`
		if _, ok := k.formOf("d"); ok {
			alone = fmt.Sprintf(`array[coalesce(t.vals[%d], '')]`, len(values))
		}
	}
	title := k.titleOf("d")
	if title == "" {
		title = `''`
	}
	statements := []stmt{
		q(`create unlogged table {twins} as
			select d.row_no, d.row_no as lead, ''::text as field, false as merge, {title} as title,
			array[{values}]::text[] as vals, s.row_no is not null as settled
			from {linked}
			left join {settled} s on s.row_no = d.row_no
			where {stays d}`, frag{"title": title, "values": list(values), "linked": k.linked()}),
		q(`analyze {twins}`),
		q(`create unlogged table {leads} as
			select title, {alone} as vals, min(row_no) as lead, count(*) over (partition by title) as namesakes
			from {twins} t
			where {some}
			group by title, {alone}`, frag{"alone": alone, "some": some}),
		q(`analyze {leads}`),
		q(`update {leads} l set lead = x.lead, namesakes = 1
			from (
				select title, min(t.lead) as lead
				from {of}
				where title <> '' and exists (select from {leads} n where n.title = t.title and n.namesakes > 1)
				group by title having {agree}
			) x
			where l.title = x.title`, frag{"agree": strings.Join(agree, " and "), "of": of}),
		q(`create unlogged table {fuller} as
			select a.lead, b.lead as into_row
			from {leads} a join {leads} b on b.title = a.title and b.lead <> a.lead
			where a.title <> '' and a.namesakes between 2 and @most
				and not exists (select from unnest(a.vals, b.vals) x (p, q) where p is not null and p is distinct from q)`,
			arg{"most": mostNamesakes}),
		q(`update {leads} l set lead = x.into_row
			from (
				select f.lead, min(f.into_row) as into_row
				from {fuller} f
				where not exists (select from {fuller} m where m.lead = f.into_row)
				group by f.lead having count(*) = 1
			) x
			where l.lead = x.lead`),
		// Arrays with nulls in the same places are equal.
		q(`update {twins} t set lead = l.lead from {leads} l where l.title = t.title and l.vals = {alone}`,
			frag{"alone": alone}),
		q(`delete from {twins} where lead = row_no`),
		q(`analyze {twins}`),
	}
	if err := k.do(ctx, stepCollapse, statements...); err != nil {
		return err
	}
	// A row with an answer of its own stands for the others, and is no repeat.
	if err := k.do(ctx, stepFirst, append(k.comeFirst("twins"), q(`delete from {twins} where settled`))...); err != nil {
		return err
	}
	if err := k.do(ctx, stepTreated, k.treatRepeats("twins")...); err != nil {
		return err
	}
	return k.do(ctx, stepCollapse, q(`drop table {twins}, {leads}, {fuller}`))
}

// findByTitle finds, for a draft that others point to, the one record of its name
// as a link would, where nothing that tells records apart says otherwise.
func (k *draftCheck) findByTitle(ctx context.Context) error {
	title := k.titleOf("d")
	if title == "" {
		return nil
	}
	var differs []string
	for _, fp := range k.tellsApart() {
		if theirs, ok := k.comparedIn(fp.Field); ok && !schema.InTitle(k.plan.Type, fp.Field.Name) {
			differs = append(differs, theirs+` <> `+k.compared(fp))
		}
	}
	apart := `false`
	if len(differs) > 0 {
		apart = `coalesce(bool_or(` + strings.Join(differs, " or ") + `), false)`
	}
	same, other := `true`, `false`
	if form, ok := k.formOf("d"); ok { // of companies of one name that of the same form is meant, never one of another
		theirs := schema.TitleText(k.plan.Type, "r")
		same, other = `coalesce(`+form+`, '') = `+schema.LegalForm(theirs), schema.OtherForm(k.saidTitle("d"), theirs)
	}
	sure := `(count(*) = 1 or count(*) filter (where {same}) = 1) and not {apart}`
	if k.plan.Whole {
		sure = `count(*) filter (where {same}) = 1 or count(*) = 1 and not {apart}`
	}
	statements := []stmt{q(`insert into {matches} (row_no, record_id, version, rule)
		select d.row_no, (array_agg(r.id order by not {same}, r.id))[1], (array_agg(r.version
		order by not {same}, r.id))[1], @rule
		from {linked} join {records} r on r.{key} = {title}
		where r.{key} <> '' and {unsettled d} and not {other}
		group by d.row_no having {sure}`,
		frag{"linked": k.linked(), "key": schema.Title, "title": title, "sure": sure, "apart": apart, "same": same,
			"other": other},
		arg{"rule": len(k.plan.Rules) + 1})}
	if k.plan.Whole {
		statements = append(statements, k.askNamesakes(title)...)
	}
	return k.do(ctx, stepTitle, append(statements, q(`analyze {matches}`))...)
}

// askNamesakes asks about records of a name that a row gives with another legal form, or in
// another place: one that is made beside them would be a second of that name.
func (k *draftCheck) askNamesakes(title string) []stmt {
	return k.askAbout(nil, nil, `
		select d.row_no, r.id
		from {linked} join {records} r on r.{key} = {title}
		where r.{key} <> '' and {unsettled d}`, frag{"linked": k.linked(), "key": schema.Title, "title": title})
}

// askAbout asks of rows whether they are for one of the records that a query gives for
// them, as row_no and id. Of the fields alike a record keeps what it has when the answer is
// that it is; against says why it is not taken.
func (k *draftCheck) askAbout(alike, against []string, query string, with ...any) []stmt {
	return []stmt{
		q(`create unlogged table {several} as
			select row_no, count(distinct id) as finds, (array_agg(distinct id order by id))[1:@most] as ids
			from (`+query+`) x
			group by row_no`, append(with, arg{"most": mostCandidates})...),
		q(`insert into {questions} (row_no, kind, rule, candidates, percent)
			select row_no, case finds when 1 then @alike else @several end, @rule, finds, @percent from {several}`,
			arg{"alike": string(verdict.AskAlike), "several": string(verdict.AskSeveral), "rule": len(k.plan.Rules) + 1,
				"percent": namesakePercent}),
		q(`insert into {candidates} (row_no, place, record_id, percent, against, alike)
			select x.row_no, i.place, i.id, @percent, @against::text[], @alike::text[]
			from {several} x, unnest(x.ids) with ordinality i (id, place)`,
			arg{"percent": namesakePercent, "against": against, "alike": alike}),
		q(`drop table {several}`),
	}
}

// askEmployers asks, where a row's person was found and the company that the row names was
// not, whether it is the one that the person works for by the record: where one of the two
// names has all words of the other, a company that is made for the row would be a second one.
func (k *draftCheck) askEmployers(ctx context.Context) error {
	for _, fp := range k.references() {
		if fp.Draft < 0 || fp.Field.ComparedAs() != catalog.AsEmployer {
			continue
		}
		to := k.Check.drafts[fp.Draft]
		title := to.titleOf("d")
		if !namesCompany(to.plan.Type) || title == "" || to.plan.May == mapping.Create || to.plan.May == mapping.Delete {
			continue
		}
		err := to.do(ctx, stepTitle, to.askAbout(to.plan.Type.Title, nil, `
			select d.row_no, e.id
			from {people_found} m
			join {people} r on r.id = m.record_id
			join {records} e on e.id = r.{employer}
			join {became} b on b.row_no = m.row_no and b.record_id < 0
			join {draft} d on d.row_no = -b.record_id,
			lateral (select string_to_array({title}, ' ') as said, string_to_array(e.{key}, ' ') as known) w
			where {unsettled d} and e.{key} <> '' and {title} <> ''
				and (w.said <@ w.known and w.said::text ~ '[[:alpha:]]{4}' or w.known <@ w.said
				and w.known::text ~ '[[:alpha:]]{4}')`,
			frag{"people_found": k.table("matches"), "people": schema.Records(k.i.Workspace, k.plan.Type.Name),
				"employer": schema.Value(fp.Field.Name),
				"title":    title, "key": schema.Title})...)
		if err != nil {
			return err
		}
	}
	return nil
}

// namesakePercent is the percentage of likeness that is said of records of a row's name and
// another form or place, and of what says the same where that tells little: as likely as not, so that they are not among those that are taken
// many at once.
const namesakePercent = 50

// becomes says for each row of a draft that others point to which record it is
// for: one that is there, or the one that a row is to make.
func (k *draftCheck) becomes(ctx context.Context) error {
	// A row that is held because another says the same is for the record of that.
	stands := `coalesce(a.other_row, d.row_no)`
	lead := ""
	if !k.plan.Shared && k.plan.Repeats == mapping.HoldRepeats {
		stands, lead = `coalesce(a.other_row, s.lead, d.row_no)`, `left join {repeats} s on s.row_no = d.row_no`
	}
	made := `-` + stands
	if k.plan.May == mapping.Update {
		made = `null`
	}
	with := frag{"made": made, "stands": stands, "lead": lead, "follow": follow}
	return k.do(ctx, stepBecome,
		// What stands for collapsed rows may be found to repeat another row.
		q(`update {aside} a set other_row = b.other_row from {aside} b
			where a.other_row = b.row_no and a.why in ({follow}) and b.why in ({follow})`, with),
		q(`create unlogged table {became} as
			select d.row_no, coalesce(m.record_id, {made}) as record_id
			from {draft} d
			left join {aside} a on a.row_no = d.row_no
			{lead}
			left join {matches} m on m.row_no = {stands}
			where a.row_no is null or a.why in ({follow})`, with),
		q(`insert into {became} (row_no, record_id)
			select a.row_no, coalesce(b.record_id, o.record_id)
			from {aside} a
			left join {became} b on b.row_no = a.other_row
			left join {results} o on o.row_no = a.other_row and o.draft = {n} and o.last
			where a.why = @grouped and coalesce(b.record_id, o.record_id) is not null`, arg{"grouped": string(verdict.Grouped)}),
		k.index("became", "row_no"),
		q(`analyze {became}`))
}

var (
	stepTwice = step{does: "holds drafts that seem to be for the record of another draft",
		reads: "draft aside matches problems", writes: "problems"}
	stepGive = step{
		does:   "lets a sound row stand for those whose row is held",
		reads:  "draft aside problems asked matches",
		writes: "twice draft aside became repeats links",
	}
	stepHeld = step{does: "holds what points to a record that is not to be had",
		reads: "draft aside problems asked cells links", writes: "problems"}
)

// follow is the SQL of why a row is put aside for another that stands for it.
var follow = literal(verdict.Merged) + `, ` + literal(verdict.Repeated)

// holdTogether holds rows that point to a record which is not to be had: one
// that is not found and may not be made, or that of a row which is held or asked
// about.
func (k *Check) holdTogether(ctx context.Context) error {
	for n, b := range k.drafts {
		for _, a := range k.drafts[:n] {
			if a.plan.Type.Name == b.plan.Type.Name {
				if err := b.do(ctx, stepTwice, b.alsoDraftedBy(a)...); err != nil {
					return err
				}
			}
		}
	}
	for _, d := range k.drafts {
		for i := range d.plan.Fields {
			fp := &d.plan.Fields[i]
			if fp.Draft < 0 {
				continue
			}
			target := k.drafts[fp.Draft]
			err := d.do(ctx, stepHeld, d.hold(problem.LinkNotFound, fp,
				schema.Literal(strings.ToLower(target.plan.Type.Label)), `
				from {draft} d join {target} b on b.row_no = d.row_no
				where b.record_id is null and {stays d}`, frag{"target": target.table("became")}))
			if err != nil {
				return err
			}
		}
	}
	for _, d := range k.drafts {
		if err := d.holdWithBeside(ctx); err != nil {
			return err
		}
	}
	for { // until nothing more depends on what is held
		var held int64
		for _, d := range k.drafts {
			n, err := d.holdWithTarget(ctx)
			if err != nil {
				return err
			}
			held += n
		}
		if held == 0 {
			return nil
		}
	}
}

// giveOver lets the first sound row of those that draft the same record stand for them,
// with all that they say of it, where the one that stands is held or asked about for what
// another of its drafts says: a wrong phone number of one person does not hold the
// company, and all others who belong to it.
func (k *draftCheck) giveOver(ctx context.Context) error {
	if !k.plan.Shared || k.Check.plan.Apart { // then nothing else of a row holds it
		return nil
	}
	var set []string
	for _, col := range valueColumns(k.plan) {
		set = append(set, col.name+` = l.`+col.name)
	}
	statements := []stmt{
		q(`create unlogged table {twice} as
			select a.other_row as first, min(a.row_no) as next
			from (
				select row_no from {problems} where not light union select row_no from {asked}
				except
				(
					select row_no from {problems} where not light and split_part(field, '.', 1) in ('', {name})
					union all
					select row_no from {asked} where draft = {name}
					union all
					select row_no from {matches}
				)
			) w
			join {aside} a on a.other_row = w.row_no
			where a.why in ({follow}) and {sound a} and not exists (select from {asked} x where x.row_no = a.row_no)
			group by a.other_row`, frag{"follow": follow}),
		q(`update {draft} d set {set} from {draft} l, {twice} t where d.row_no = t.next and l.row_no = t.first`,
			frag{"set": list(set)}),
		q(`update {aside} a set other_row = t.next from {twice} t where a.other_row = t.first and a.row_no <> t.next`),
		q(`update {aside} a set row_no = t.first, other_row = t.next from {twice} t where a.row_no = t.next
			and a.other_row = t.first`),
		q(`update {became} b set record_id = -t.next from {twice} t where b.record_id = -t.first`),
		q(`update {repeats} d set lead = t.next from {twice} t where d.lead = t.first and d.row_no <> t.next`),
		q(`update {repeats} d set row_no = t.first, lead = t.next from {twice} t where d.row_no = t.next
			and d.lead = t.first`),
	}
	for _, d := range k.drafts {
		for _, fp := range d.plan.Fields {
			if fp.Rows == k.n {
				with := frag{"links": d.table("links"), "theirs": d.table("draft"), "field": schema.Literal(fp.Field.Name),
					"value": schema.Value(fp.Field.Name)}
				statements = append(statements,
					q(`update {links} x set record_id = -t.next from {twice} t
						where x.field = {field} and x.record_id = -t.first`, with),
					q(`update {theirs} d set {value} = -t.next from {twice} t where d.{value} = -t.first`, with))
			}
		}
	}
	return k.do(ctx, stepGive, append(statements, q(`drop table {twice}`))...)
}

// holdWithTarget holds rows of a draft that point to the record of a row which
// is held or asked about, and tells how many.
func (k *draftCheck) holdWithTarget(ctx context.Context) (held int64, err error) {
	for i := range k.plan.Fields {
		fp := &k.plan.Fields[i]
		if fp.Becomes() < 0 {
			continue
		}
		to := k.Check.drafts[fp.Becomes()]
		if err := to.giveOver(ctx); err != nil {
			return held, err
		}
		points := `{draft} d join {target} b on b.row_no = d.row_no`
		if fp.Rows >= 0 {
			points = k.linkOf(fp)
		}
		// The row itself is held as a whole, but where its records are held apart.
		itself, says := `-b.record_id <> d.row_no`, `'row ' || -b.record_id`
		if k.Check.plan.Apart && to != k {
			itself, says = `true`, `case when -b.record_id = d.row_no then 'this row' else 'row ' || -b.record_id end`
		}
		bad := `select row_no from {problems} p where ` + to.wrong("p") + ` union select row_no from {asked} x
			where ` + to.about("x")
		// rows of one draft hold each other, however long the chain; those whose record another row can make are given over first
		if fp.Rows == k.n {
			bad = `with recursive edges as materialized (
						select d.row_no, -b.record_id as target from ` + points + `
						where b.record_id < 0 and -b.record_id <> d.row_no and {stays d}
					),
					bad (row_no) as (
						(` + bad + `)
						union
						select e.row_no from bad b join edges e on e.target = b.row_no
						where not exists (select from {aside} a where a.other_row = e.row_no)
					)
					select row_no from bad`
		}
		n, err := k.touch(ctx, stepHeld, k.hold(problem.LinkHeld, fp, says, `
			from `+points+`
			where b.record_id < 0 and `+itself+` and -b.record_id in (`+bad+`)
				and {stays d} and not {noted}`,
			frag{"target": to.table("became"), "noted": k.noted(problem.LinkHeld, fp.Field.Name)}))
		if err != nil {
			return held, err
		}
		held += n
	}
	return held, nil
}

// alsoDraftedBy holds drafts that seem to be for the same record as another draft
// of the same type, in the same row or in another: those that have found the same
// record, have the same key, or the same name and nothing that says otherwise.
func (k *draftCheck) alsoDraftedBy(other *draftCheck) []stmt {
	theirs := frag{
		"theirs": other.table("draft"), "their_matches": other.table("matches"), "noted": k.noted(problem.DuplicateRow, ""),
		"free": `{stays d} and not exists (select from ` + other.table("aside") + ` x where x.row_no = o.row_no)`,
		"new":  `{free} and {unfound d} and not exists (select from {their_matches} x where x.row_no = o.row_no)`,
	}
	note := func(from string, with ...any) stmt {
		return k.hold(problem.DuplicateRow, nil, `'' || d.other`, `
			from (select d.row_no, min(o.row_no) as other `+from+` group by d.row_no) d
			where not {noted}`, append(with, theirs)...)
	}
	statements := []stmt{note(`from {matches} d join {their_matches} o on o.record_id = d.record_id where {free}`)}
	var differs []string
	for _, fp := range k.plan.Fields {
		f := fp.Field
		switch {
		case other.field(f.Name) == nil, f.Kind().Form == catalog.LinkForm: // may be drafts themselves
		case f.Key:
			statements = append(statements, note(`from {draft} d join {theirs} o on o.{key} = d.{key} where {new}`,
				frag{"key": schema.Key(f.Name)}))
		case schema.InTitle(k.plan.Type, f.Name):
		case f.Normalised():
			differs = append(differs, `o.`+schema.Key(f.Name)+` <> d.`+schema.Key(f.Name))
		case f.ComparedAs() != "":
			differs = append(differs, `lower(`+schema.Text(f, schema.Column(f, "o"))+`) <> lower(`+
				schema.Text(f, schema.Column(f, "d"))+`)`)
		}
	}
	mine, others := k.titleOf("d"), other.titleOf("o")
	if mine == "" || others == "" {
		return statements
	}
	apart := `false`
	if len(differs) > 0 {
		apart = `coalesce(` + strings.Join(differs, ` or `) + `, false)`
	}
	return append(statements, note(`from {draft} d join {theirs} o on {others} = {mine} where {mine} <> ''
		and not {apart} and {new}`,
		frag{"mine": mine, "others": others, "apart": apart}))
}
