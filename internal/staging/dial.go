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
// the row belongs to, or else of the source. The company's is known once its record is found, or
// the row that is to become it.

var stepDial = step{
	does:   "reads telephone numbers as those of the company's country",
	reads:  "draft cells links became dialled",
	writes: "dialled draft problems",
}

// dial reads the numbers again of rows that name no country, whose company has one that is
// not the source's.
func (k *draftCheck) dial(ctx context.Context) error {
	if !k.dials() {
		return nil
	}
	phones := k.plan.Phones()
	company, _ := k.company()
	target, _ := k.catalog.Type(company.Field.To)
	country, _ := target.FieldAs(catalog.AsCountry)
	if err := k.do(ctx, stepDial, q(`create unlogged table {dialled} (row_no bigint not null, place integer not null, value text not null, country text not null)`)); err != nil {
		return err
	}
	var national []string // a cell that may be a number without its country
	for _, at := range phones {
		for _, column := range k.plan.ColumnsOf(at) {
			national = append(national, `c.cells[`+schema.Int(column+1)+`] ~ '^[^+]'`)
		}
	}
	said := `null`
	if nameable(company) {
		said = `d.` + textColumn(company.Field.Name)
	}
	query, _, err := q(`
		with {beside}
		select x.row_no, x.country, c.cells
		from (
			select d.row_no, coalesce(t.{country}, b.country) as country
			from {linked} left join {targets} t on t.id = {company} left join beside b on b.l = {said}
			where {silent}
		) x
		join {cells} c on c.row_no = x.row_no
		where x.country <> {source} and ({national})`,
		frag{"country": schema.Value(country.Name), "linked": k.linked(), "company": referenceOf(company.Field), "source": schema.Literal(k.country), "said": said, "beside": k.besideCountry(company, country),
			"targets": schema.Records(k.i.Workspace, target.Name), "silent": k.silentOfCountry(), "national": strings.Join(national, " or ")}).compose(k.word)
	if err != nil {
		return err
	}
	out := pgcopy.Into(ctx, k.room.onConn(k.run), k.table("dialled"), []string{"row_no", "place", "value", "country"})
	var texts []string
	err = pgcopy.Out(ctx, k.room.reading, query, func(fields [][]byte) error {
		texts = pgcopy.TextsOf(fields[2], texts)
		for _, at := range phones {
			v := k.plan.PhoneOf(at, texts, string(fields[1]))
			if v == "" {
				continue
			}
			out.Row(4)
			out.Int64(pgcopy.Int64Of(fields[0]))
			out.Int32(int32(at))
			out.Text(v)
			out.Text(string(fields[1]))
			if err := out.Flush(); err != nil {
				return err
			}
		}
		return nil
	})
	if err := out.End(err); err != nil {
		return fmt.Errorf("%s: %w", stepDial.does, err)
	}
	statements := []stmt{q(`create index on {dialled} (row_no)`), q(`analyze {dialled}`)}
	for _, at := range phones {
		f := k.plan.Fields[at].Field
		set := schema.Value(f.Name) + ` = x.value`
		if f.Normalised() {
			set += `, ` + schema.Key(f.Name) + ` = x.value`
		}
		statements = append(statements,
			q(`update {draft} d set {set} from {dialled} x where x.row_no = d.row_no and x.place = @place`, frag{"set": set}, arg{"place": at}),
			q(`delete from {problems} p using {dialled} x where x.row_no = p.row_no and x.place = @place and p.field = @field and p.code = @code`,
				arg{"place": at, "field": k.plan.Named(f.Name), "code": string(problem.BadPhone)}))
	}
	return k.do(ctx, stepDial, statements...)
}

// besideCountry is the query, as beside (l, country), of the countries of those companies that
// rows of other imports of the bundle, or other rows of this one, are to become, by the texts
// that name them: by a key, or by the name, where all rows of it are in one country.
func (k *draftCheck) besideCountry(company mapping.FieldPlan, country catalog.Field) string {
	if !nameable(company) {
		return `beside as (select null::text as l, null::text as country)`
	}
	named := []string{`select null::text as l, null::text as country where false`}
	for _, to := range k.mayName(company) {
		if to.draft.field(country.Name) == nil {
			continue
		}
		rows := to.draft.everyRow("draft")
		for _, f := range to.draft.plan.Fields {
			if f.Field.Normalised() {
				named = append(named, `select w.l, t.`+schema.Value(country.Name)+` from forms w join `+rows+` t on t.`+schema.Key(f.Field.Name)+` = w.form`)
			}
		}
		if title := to.draft.titleOf("t"); title != "" {
			named = append(named, `select w.l, t.`+schema.Value(country.Name)+` from want w join `+rows+` t on `+title+` = w.m where w.m <> ''`)
		}
	}
	return `want as materialized (
			select distinct d.` + textColumn(company.Field.Name) + ` as l, d.` + namedColumn(company.Field.Name) + ` as m, d.` + formsColumn(company.Field.Name) + ` as o
			from {draft} d where d.` + textColumn(company.Field.Name) + ` is not null
		),
		forms as materialized (select l, l as form from want union select l, unnest(o) collate "C" from want where o is not null),
		beside as materialized (select l, min(country) as country from (` + strings.Join(named, " union all ") + `) n where country is not null group by l having count(distinct country) = 1)`
}

// dials reports whether the company of a row may tell whose numbers its telephone numbers are.
func (k *draftCheck) dials() bool {
	_, there := k.company()
	return there && len(k.plan.Phones()) > 0
}

// Dialled is a telephone number that was read as one of its company's country.
type Dialled struct {
	Value   string
	Country string // ISO 3166
}

// RowDialled gives, once there was a check, the telephone numbers of a row that the n-th draft
// has by the country of its company, by their places among the draft's fields.
func (r *Room) RowDialled(ctx context.Context, i store.Import, plan *mapping.Plan, n int, row int64) (map[int]Dialled, error) {
	c, err := r.store.Catalog(store.Whole(ctx), i.Workspace)
	if err != nil {
		return nil, err
	}
	check, ok := r.holding(i, plan, c)
	if !ok || !check.drafts[n].dials() {
		return nil, nil
	}
	rows, err := r.pool.Query(ctx, `select place, value, country from `+check.drafts[n].table("dialled")+` where row_no = $1`, row)
	if err != nil {
		return nil, fmt.Errorf("read the numbers of a row: %w", err)
	}
	found := map[int]Dialled{}
	var at int
	var d Dialled
	_, err = pgx.ForEachRow(rows, []any{&at, &d.Value, &d.Country}, func() error {
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
	return `not exists (select from ` + k.Check.drafts[n].table("draft") + ` o where o.row_no = d.row_no and o.` + schema.Value(field) + ` is not null)`
}
