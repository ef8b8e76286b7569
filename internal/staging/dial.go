package staging

import (
	"context"
	"fmt"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/problem"
	"uchi/internal/pgcopy"
	"uchi/internal/schema"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
)

// Telephone numbers without a country are those of the row's, or else of the company that
// the row belongs to, or else of the source, or else of the town: where every other row of the
// source that names both puts it in one country. The company's is known once its record is
// found, or the row that is to become it.

// What a telephone number has its country from, where the row does not say it.
const (
	byCompany = "company"
	byTown    = "town"
)

var stepDial = step{
	does:   "reads telephone numbers as those of the country of the company, or of the town",
	reads:  "draft cells links became numbers",
	writes: "numbers draft problems",
}

// dial reads the numbers again of rows that name no country, whose company has one that is
// not the source's, or whose town is known to lie in one.
func (k *draftCheck) dial(ctx context.Context) error {
	if !k.dials() {
		return nil
	}
	phones := k.plan.Phones()
	if err := k.do(ctx, stepDial, q(`create unlogged table {numbers} (
		row_no bigint not null, place integer not null, value text not null, country text not null, told_by text not null)`)); err != nil {
		return err
	}
	var national []string // a cell that may be a number without its country
	for _, at := range phones {
		for _, column := range k.plan.ColumnsOf(at) {
			national = append(national, `c.cells[`+schema.Int(column+1)+`] ~ '^[^+]'`)
		}
	}
	query, _, err := q(`
		with {beside}, {towns}
		select x.row_no, coalesce(x.country, x.lies_in), case when x.country is null then {by_town}
		else {by_company} end, c.cells
		from (
			select d.row_no, {country} as country, {lies_in} as lies_in
			from {linked} {company} {home}
			where {silent}
		) x
		join {cells} c on c.row_no = x.row_no
		where coalesce(x.country, x.lies_in) <> {source} and ({national})`,
		k.tellsCountry(), frag{"linked": k.linked(), "source": schema.Literal(k.country),
			"by_town": schema.Literal(byTown), "by_company": schema.Literal(byCompany),
			"silent": k.silentOfCountry(), "national": strings.Join(national, " or ")}).compose(k.word)
	if err != nil {
		return err
	}
	out := pgcopy.Into(ctx, k.room.onConn(k.run), k.table("numbers"),
		[]string{"row_no", "place", "value", "country", "told_by"})
	var texts []string
	err = pgcopy.Out(ctx, k.room.reading, query, func(fields [][]byte) error {
		texts = pgcopy.TextsOf(fields[3], texts)
		country, by := string(fields[1]), string(fields[2])
		for _, at := range phones {
			v := k.plan.PhoneOf(at, texts, country, by == byTown)
			if v == "" {
				continue
			}
			out.Row(5)
			out.Int64(pgcopy.Int64Of(fields[0]))
			out.Int32(int32(at))
			out.Text(v)
			out.Text(country)
			out.Text(by)
			if err := out.Flush(); err != nil {
				return err
			}
		}
		return nil
	})
	if err := out.End(err); err != nil {
		return fmt.Errorf("%s: %w", stepDial.does, err)
	}
	statements := []stmt{k.index("numbers", "row_no"), q(`analyze {numbers}`)}
	for _, at := range phones {
		f := k.plan.Fields[at].Field
		set := schema.Value(f.Name) + ` = x.value`
		if f.Normalised() {
			set += `, ` + schema.Key(f.Name) + ` = x.value`
		}
		statements = append(statements,
			q(`update {draft} d set {set} from {numbers} x where x.row_no = d.row_no and x.place = @place`, frag{"set": set},
				arg{"place": at}),
			q(`delete from {problems} p using {numbers} x where x.row_no = p.row_no and x.place = @place and p.field = @field
				and p.code = @code`,
				arg{"place": at, "field": k.plan.Named(f.Name), "code": string(problem.BadPhone)}))
	}
	return k.do(ctx, stepDial, statements...)
}

// tellsCountry gives the words that say which country the company of a row of draft d has, and
// in which one its town lies.
func (k *draftCheck) tellsCountry() frag {
	words := frag{"beside": `beside as (select null::text as l, null::text as country)`, "company": "",
		"country": `null::text`,
		"towns":   `towns as (select null::text as town, null::text as country, null::text[] as regions)`, "home": "",
		"lies_in": `null::text`}
	if company, ok := k.company(); ok {
		target, _ := k.catalog.Type(company.Field.To)
		country, _ := target.FieldAs(catalog.AsCountry)
		said := `null`
		if nameable(company) {
			said = `d.` + textColumn(company.Field.Name)
			words["beside"] = k.besideCountry(company, country)
		}
		words["company"] = `left join ` + schema.Records(k.i.Workspace, target.Name) + ` t on t.id = ` +
			referenceOf(company.Field) + `
			left join beside b on b.l = ` + said
		words["country"] = `coalesce(t.` + schema.Value(country.Name) + `, b.country)`
	}
	if p, ok := k.placed(); ok {
		region := func(alias string) string {
			if p.region == "" {
				return `null::text`
			}
			return `lower(` + alias + `.` + p.region + `)`
		}
		words["towns"] = `towns as materialized (
			select lower(o.` + p.town + `) as town, min(o.` + p.country + `) as country, array_agg(distinct ` + region("o") +
			`) as regions
			from ` + p.draft.everyRow("draft") + ` o
			where o.` + p.town + ` is not null and o.` + p.country + ` is not null
			group by 1 having count(*) >= ` + schema.Int(leastOfTown) + ` and count(distinct o.` + p.country + `) = 1)`
		at := "d"
		if p.draft != k {
			at, words["home"] = "h", `left join `+p.draft.table("draft")+` h on h.row_no = d.row_no`
		}
		words["lies_in"] = `(select w.country from towns w
			where w.town = lower(` + at + `.` + p.town + `) and (` + region(at) + ` is null or ` + region(at) +
			` = any(w.regions)))`
	}
	return words
}

// leastOfTown is how many rows must put a town into its country: one may be wrong.
const leastOfTown = 2

// place is the draft of the rows that says their country and their town; region is empty where
// it says none.
type place struct {
	draft                 *draftCheck
	country, town, region string // columns
}

// placed gives what may tell the country of a telephone number by its town; ok is false where
// the source has a country of its own.
func (k *draftCheck) placed() (p place, ok bool) {
	n, country, ok := k.Check.plan.CountryOf(k.n)
	if !ok || k.country != "" {
		return p, false
	}
	p.draft, p.country = k.Check.drafts[n], schema.Value(country)
	for _, fp := range p.draft.plan.Fields {
		switch {
		case fp.Field.ComparedAs() == catalog.AsLocality:
			p.town = schema.Value(fp.Field.Name)
		case fp.Field.Holds == catalog.HoldsRegion:
			p.region = schema.Value(fp.Field.Name)
		}
	}
	return p, p.town != ""
}

// sameTown is the query of the rows whose telephone numbers are to be read again when what the
// rows @rows say of their towns has changed.
func (k *draftCheck) sameTown(now *draftCheck) (sql string, ok bool) {
	p, ok := k.placed()
	if !ok || !k.dials() {
		return "", false
	}
	says := func(a string) string {
		said := []string{a + `.` + p.town, a + `.` + p.country}
		if p.region != "" {
			said = append(said, a+`.`+p.region)
		}
		return `(` + strings.Join(said, ", ") + `)`
	}
	return `select b.row_no from ` + p.draft.table("draft") + ` b
		where b.` + p.country + ` is null and lower(b.` + p.town + `) in (
				select unnest(array[lower(a.` + p.town + `), lower(w.` + p.town + `)])
				from ` + now.Check.drafts[p.draft.n].table("draft") + ` a join ` + p.draft.table("draft") + ` w using (row_no)
				where a.row_no = any(@rows) and ` + says("a") + ` is distinct from ` + says("w") + `)
			and (b.row_no in (select row_no from {numbers} where told_by = ` + schema.Literal(byTown) + `)
				or b.row_no in (select row_no from {problems} where code = ` + schema.Literal(string(problem.BadPhone)) + `))`, true
}

// besideCountry is the query, as beside (l, country), of the countries of those companies that
// rows of other imports of the bundle, or other rows of this one, are to become, by the texts
// that name them: by a key, or by the name, where all rows of it are in one country.
func (k *draftCheck) besideCountry(company mapping.FieldPlan, country catalog.Field) string {
	named := []string{`select null::text as l, null::text as country where false`}
	for _, to := range k.mayName(company) {
		if to.draft.field(country.Name) == nil {
			continue
		}
		rows := to.draft.everyRow("draft")
		for _, f := range to.draft.plan.Fields {
			if f.Field.Normalised() {
				named = append(named, `select w.l, t.`+schema.Value(country.Name)+` from forms w join `+rows+` t on t.`+
					schema.Key(f.Field.Name)+` = w.form`)
			}
		}
		if title := to.draft.titleOf("t"); title != "" {
			named = append(named, `select w.l, t.`+schema.Value(country.Name)+` from want w join `+rows+` t on `+title+
				` = w.m where w.m <> ''`)
		}
	}
	return `want as materialized (
			select distinct d.` + textColumn(company.Field.Name) + ` as l, d.` + namedColumn(company.Field.Name) +
		` as m, d.` + formsColumn(company.Field.Name) + ` as o
			from {draft} d where d.` + textColumn(company.Field.Name) + ` is not null
		),
		forms as materialized (select l, l as form from want union select l, unnest(o) collate "C" from want
		where o is not null),
		beside as materialized (select l, min(country) as country from (` + strings.Join(named, " union all ") +
		`) n where country is not null group by l having count(distinct country) = 1)`
}

// dials reports whether the company or the town of a row may tell whose numbers its telephone
// numbers are.
func (k *draftCheck) dials() bool {
	_, company := k.company()
	_, town := k.placed()
	return (company || town) && len(k.plan.Phones()) > 0
}

// Dialled is a telephone number that was read as one of the country of its company or its town.
type Dialled struct {
	Value   string
	Country string // ISO 3166
	ByTown  bool
}

// Says gives the reason why the number is read so.
func (d Dialled) Says() string {
	if d.ByTown {
		return "read as a number of " + d.Country + ", where other rows say that the town is"
	}
	return "read as a number of " + d.Country + ", where the company is"
}

// RowDialled gives, once there was a check, the telephone numbers of a row that the n-th draft
// has by the country of its company or its town, by their places among the draft's fields.
func (r *Room) RowDialled(ctx context.Context, i store.Import, plan *mapping.Plan, n int,
	row int64) (map[int]Dialled, error) {
	c, err := r.store.Catalog(store.Whole(ctx), i.Workspace)
	if err != nil {
		return nil, err
	}
	check, ok := r.holding(i, plan, c)
	if !ok || !check.drafts[n].dials() {
		return nil, nil
	}
	rows, err := r.pool.Query(ctx, `select place, value, country, told_by = $2 from `+check.drafts[n].table("numbers")+`
		where row_no = $1`, row, byTown)
	if err != nil {
		return nil, fmt.Errorf("read the numbers of a row: %w", err)
	}
	found := map[int]Dialled{}
	var at int
	var d Dialled
	_, err = pgx.ForEachRow(rows, []any{&at, &d.Value, &d.Country, &d.ByTown}, func() error {
		found[at] = d
		return nil
	})
	if err != nil && !isGone(err) { // what was checked before a column was placed has none
		return nil, fmt.Errorf("read the numbers of a row: %w", err)
	}
	return found, nil
}

// company is the field by which the draft points to a company that has a country.
func (k *draftCheck) company() (mapping.FieldPlan, bool) {
	for _, fp := range k.references() {
		target, ok := k.catalog.Type(fp.Field.To)
		if _, located := target.FieldAs(catalog.AsCountry); ok && located && namesCompany(target) {
			return fp, true
		}
	}
	return mapping.FieldPlan{}, false
}

// silentOfCountry is the rule that the row of draft d says no country.
func (k *draftCheck) silentOfCountry() string {
	n, field, ok := k.Check.plan.CountryOf(k.n)
	switch {
	case !ok:
		return `true`
	case n == k.n:
		return `d.` + schema.Value(field) + ` is null`
	}
	return `not exists (select from ` + k.Check.drafts[n].table("draft") + ` o where o.row_no = d.row_no and o.` +
		schema.Value(field) + ` is not null)`
}
