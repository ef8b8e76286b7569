package staging

import (
	"context"
	"fmt"

	"uchi/internal/core/catalog"
	"uchi/internal/core/matching"
	"uchi/internal/pgcopy"
	"uchi/internal/schema"
)

// Sizes of the sample that weights are estimated from.
const (
	sampleRecords = 20_000
	samplePairs   = 60_000
	sampleRandom  = 20_000
)

// SamplePairs compares records of a type with each other: pairs that share a
// blocking key, and pairs put together at random.
func (r *Room) SamplePairs(ctx context.Context, workspace string, all catalog.Catalog,
	t catalog.RecordType) (candidates, random []matching.Vector, err error) {
	if err := r.RefreshLikeness(ctx, workspace, t); err != nil {
		return nil, nil, err
	}
	c := matching.NewComparer(t, nil)
	keys, records := schema.LikenessKeys(workspace, t.Name), schema.Records(workspace, t.Name)
	collect := func(pairs string, into *[]matching.Vector) error {
		query := `select ` + comparedColumns(c.Fields, ofRecord("a"), employerOf(workspace, all, "a")) + `, ` +
			comparedColumns(c.Fields, ofRecord("b"), employerOf(workspace, all, "b")) + `
			from (` + pairs + `) p join ` + records + ` a on a.id = p.one join ` + records + ` b on b.id = p.other`
		return pgcopy.Out(ctx, r.reading, query, func(f [][]byte) error {
			x, y := c.Prepare(pgcopy.TextsOf(f[0], nil)), c.Prepare(pgcopy.TextsOf(f[1], nil))
			*into = append(*into, c.Vector(&x, &y))
			return nil
		})
	}
	if err = collect(samplePairsOf(keys), &candidates); err != nil {
		return nil, nil, fmt.Errorf("sample pairs: %w", err)
	}
	err = collect(fmt.Sprintf(`with mine as materialized (select record_id,
		row_number() over (order by hashint8(record_id)) as n, count(*) over () as all_of from %s s)
		select x.record_id as one, y.record_id as other from mine x join mine y on y.n = x.n %% x.all_of + 1
		where x.record_id <> y.record_id limit %d`, sampleOf(keys), sampleRandom), &random)
	if err != nil {
		return nil, nil, fmt.Errorf("sample pairs: %w", err)
	}
	return candidates, random, nil
}

// sampleOf is the query of a sample of likeness keys, the same ones each time.
func sampleOf(keys string) string {
	return fmt.Sprintf(`(select record_id, blocks from %s order by hashint8(record_id) limit %d)`, keys, sampleRecords)
}

// samplePairsOf is the query of the pairs, one and other, of sampled records that
// share a blocking key.
func samplePairsOf(keys string) string {
	return fmt.Sprintf(`
		with mine as materialized (select record_id, unnest(blocks) as b from %s s),
		small as materialized (select b from mine group by b having count(*) between 2 and 30)
		select distinct x.record_id as one, y.record_id as other from mine x join small using (b) join mine y using (b)
		where x.record_id < y.record_id limit %d`, sampleOf(keys), samplePairs)
}
