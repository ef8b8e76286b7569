package staging

import (
	"context"
	"fmt"

	"uchi/internal/schema"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
)

// rowDigest is the SQL of what the cells of a row say, as a digest.
func rowDigest(cells string) string {
	return `sha256(convert_to(array_to_string(` + cells + `, chr(31), ''), 'UTF8'))`
}

// RememberAnswers notes with the answers of a loaded import what their rows say, so that
// later imports can recall them, and which record a row has made that was said to be new.
// Answers that name another row of the file are not noted: there it stands elsewhere.
func (r *Room) RememberAnswers(ctx context.Context, i store.Import) error {
	cells, ok := cellsOf(i)
	if !ok || i.Routine.V == nil {
		return nil
	}
	var drafts []string
	for _, d := range i.Routine.V.Drafts {
		drafts = append(drafts, d.Called())
	}
	_, err := r.pool.Exec(ctx, `
		update answers a set said = `+rowDigest("c.cells")+`, made = o.record_id
		from `+cells+` c
		cross join unnest($2::text[]) with ordinality d (name, place)
		left join `+resultsTable(i.ID)+` o on o.row_no = c.row_no and o.draft = d.place and o.last
		where a.import = $1 and c.row_no = a.row_no and d.name = a.draft and a.other_row is null`, i.ID, drafts)
	if err != nil {
		return fmt.Errorf("remember answers: %w", err)
	}
	return nil
}

// RecallAnswers answers, for the change of an act, what is asked about rows that say
// just what rows of earlier imports did: the record that was taken, or that was made
// since it was said to be new, if it is offered now; or that the row is left out, also
// when it is held. The latest answer counts. It gives how many were found.
func (r *Room) RecallAnswers(ctx context.Context, tx pgx.Tx, i store.Import, before []int64, by int64) (int64, error) {
	word, ok := r.questions(i)
	if !ok {
		return 0, nil
	}
	args := arg{"before": before}
	given, _, err := q(`
		select distinct on (x.row_no, x.draft) x.row_no, x.draft, case when b.choice = 'new' then 'take'
		else b.choice end as choice,
			case when b.choice <> 'leave_out' then coalesce(b.record_id, b.made) end as record_id, null::bigint as other_row, b.keep
		from (
			select q.row_no, q.draft, true as asked from {waiting} where a.row_no is null
			union all
			select v.row_no, {first}, false from {verdicts} v where v.row_verdict = 'hold'
				and not exists (select from answers h where h.import = {import} and h.row_no = v.row_no)
		) x
		join {cells} c on c.row_no = x.row_no
		join answers b on b.import = any(@before) and b.draft = x.draft and b.said = {digest}
		where b.choice = 'leave_out' or x.asked and exists (
			select from {offered} o where o.row_no = x.row_no and o.draft = x.draft
			and o.record_id = coalesce(b.record_id, b.made))
		order by x.row_no, x.draft, b.at desc`,
		frag{"digest": rowDigest("c.cells"), "first": schema.Literal(i.Routine.V.Drafts[0].Called()),
			"import": schema.Int(i.ID)}, args).compose(word)
	if err != nil {
		return 0, err
	}
	return keep(ctx, tx, i, given, by, pgx.NamedArgs(args))
}
