package staging

import (
	"context"
	"fmt"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/verdict"
	"uchi/internal/schema"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
)

// Choice says which of the checked rows a load is to begin with; the zero value
// is all.
type Choice struct {
	Rows  string // an int8multirange of row numbers; empty is no bound
	First int64  // above 0: the first so many that would be written
	Each  bool   // one row of each kind: of each verdict, in each combination of drafts
}

// All reports whether all rows are chosen.
func (c Choice) All() bool { return c == Choice{} }

// Chosen is what a choice of rows comes to.
type Chosen struct {
	Only     string // the rows, with those that they need, as an int8multirange
	Rows     int64  // how many were chosen
	Needed   int64  // how many more they need: rows that they point to or repeat
	Verdicts map[string]int64
}

// Choose finds the rows of a choice, in a checked import, with the rows that they
// need: a row that makes the record which another points to, or for which another
// stands.
func (r *Room) Choose(ctx context.Context, i store.Import, plan *mapping.Plan, c catalog.Catalog,
	choice Choice) (Chosen, error) {
	out := Chosen{Verdicts: map[string]int64{}}
	k, ok := r.holding(i, plan, c)
	if !ok {
		return out, errNotStaged
	}
	first := k.drafts[0]
	writes := literals([]verdict.Verdict{verdict.Create, verdict.Update, verdict.Delete})
	chosen := `select v.row_no from {verdicts} v where true`
	args := arg{}
	if choice.Rows != "" {
		args["rows"] = choice.Rows
		chosen += ` and v.row_no <@ @rows::text::int8multirange`
	}
	switch {
	case choice.Each:
		kinds := []string{`v.row_verdict`}
		var joins string
		for n, d := range k.drafts[1:] {
			a := fmt.Sprintf("v%d", n+2)
			joins += ` join ` + d.table("verdicts") + ` ` + a + ` on ` + a + `.row_no = v.row_no`
			kinds = append(kinds, a+`.verdict`)
		}
		all := strings.Join(append(kinds, `v.verdict`), ", ")
		chosen = strings.Replace(chosen, `select v.row_no from {verdicts} v`, `select distinct on (`+all+`) v.row_no, `+all+
			` from {verdicts} v`+joins, 1)
		chosen = `select row_no from (` + chosen + ` and v.row_verdict in (` + writes + `) order by ` + all + `, v.row_no) x`
	case choice.First > 0:
		args["first"] = choice.First
		chosen += ` and v.row_verdict in (` + writes + `) order by v.row_no limit @first`
	}
	var needs []string
	for _, d := range k.drafts {
		verdicts := d.table("verdicts")
		needs = append(needs, `select n.row_no, n.other_row as need from `+verdicts+` n where n.other_row is not null`)
		for _, fp := range d.plan.Fields {
			if fp.Becomes() >= 0 {
				link := schema.Column(fp.Field, "n")
				needs = append(needs, `select n.row_no, -`+link+` from `+verdicts+` n where `+link+` < 0 and -`+link+` <> n.row_no`)
			}
		}
	}
	err := pgx.BeginFunc(ctx, r.pool, func(tx pgx.Tx) error {
		type found struct {
			Only *string `db:"only"`
			Rows int64   `db:"rows"`
			All  int64   `db:"all_rows"`
		}
		if _, err := tx.Exec(ctx, `set local work_mem = '128MB'`); err != nil {
			return err
		}
		list, err := collect[found](ctx, tx, first.word, q(`
			with recursive chosen as materialized ({chosen}),
			needs as materialized ({needs}),
			closed as (
				select row_no from chosen
				union
				select n.need from closed c join needs n on n.row_no = c.row_no
			),
			there as (select c.row_no from closed c join {verdicts} v on v.row_no = c.row_no)
			select range_agg(int8range(row_no, row_no + 1))::text as only, (select count(*)
			from chosen) as rows, count(*) as all_rows from there`,
			frag{"chosen": chosen, "needs": strings.Join(needs, " union all ")}, args))
		if err != nil || list[0].Only == nil {
			return err
		}
		out.Only, out.Rows, out.Needed = *list[0].Only, list[0].Rows, list[0].All-list[0].Rows
		words, err := collect[counted](ctx, tx, first.word, q(`
			select v.row_verdict as word, count(*) as count from {verdicts} v where v.row_no <@ @only::text::int8multirange
			group by 1`, arg{"only": out.Only}))
		for _, w := range words {
			out.Verdicts[w.Word] = w.Count
		}
		return err
	})
	if isGone(err) {
		return out, errNotStaged
	}
	if err != nil {
		return out, fmt.Errorf("choose rows: %w", err)
	}
	return out, nil
}
