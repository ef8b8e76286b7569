package store

import (
	"context"
	"fmt"
	"time"

	"uchi/internal/core/catalog"
	"uchi/internal/core/matching"
)

// EstimatedWeights are chances that were found from a workspace's own records.
type EstimatedWeights struct {
	Weights JSON[matching.Weights] `db:"document"`
	Pairs   int64                  `db:"pairs"` // candidate pairs that were looked at
	Share   float64                `db:"share"` // of them that seem to belong together, 0 to 1
	MadeBy  string                 `db:"made_by"`
	MadeAt  time.Time              `db:"made_at"`
}

// Weights gives the estimated weights of a record type; ok is false when there
// are none and the default ones hold.
func (s *Store) Weights(ctx context.Context, workspace, typeName string) (w EstimatedWeights, ok bool, err error) {
	err = s.db.GetContext(ctx, &w, `select w.document, w.pairs, w.share, p.name as made_by, w.made_at from weights w join people p on p.id = w.made_by where w.workspace = $1 and w.type = $2`, workspace, typeName)
	if isMissing(err) {
		w.Weights.V = matching.DefaultWeights()
		return w, false, nil
	}
	if err != nil {
		return w, false, fmt.Errorf("read weights: %w", err)
	}
	return w, true, nil
}

// SaveWeights keeps estimated weights.
func (s *Store) SaveWeights(ctx context.Context, workspace, typeName string, w EstimatedWeights, by int64) error {
	_, err := s.db.ExecContext(ctx, `insert into weights (workspace, type, document, pairs, share, made_by) values ($1, $2, $3, $4, $5, $6)
		on conflict (workspace, type) do update set document = excluded.document, pairs = excluded.pairs, share = excluded.share, made_by = excluded.made_by, made_at = now()`,
		workspace, typeName, w.Weights, w.Pairs, w.Share, by)
	if err != nil {
		return fmt.Errorf("keep weights: %w", err)
	}
	return nil
}

// ForgetWeights makes the default weights hold again.
func (s *Store) ForgetWeights(ctx context.Context, workspace, typeName string) error {
	if _, err := s.db.ExecContext(ctx, `delete from weights where workspace = $1 and type = $2`, workspace, typeName); err != nil {
		return fmt.Errorf("forget weights: %w", err)
	}
	return nil
}

// Sizes of the sample that weights are estimated from.
const (
	sampleRecords = 20_000
	samplePairs   = 60_000
	sampleRandom  = 20_000
)

// SamplePairs compares records of a type with each other: pairs that share a
// blocking key, and pairs put together at random.
func (s *Store) SamplePairs(ctx context.Context, workspace string, t catalog.RecordType) (candidates, random []matching.Vector, err error) {
	if err := s.RefreshLikeness(ctx, workspace, t); err != nil {
		return nil, nil, err
	}
	c := matching.NewComparer(t, nil)
	keys, records := likenessTable(workspace, t.Name), recordTable(workspace, t.Name)
	collect := func(pairs string, into *[]matching.Vector) error {
		a := comparedColumns(c.Fields, func(f catalog.Field) string { return `a.` + fieldColumn(f.Name) })
		b := comparedColumns(c.Fields, func(f catalog.Field) string { return `b.` + fieldColumn(f.Name) })
		return copyOut(ctx, s.pool, `select `+a+`, `+b+` from (`+pairs+`) p join `+records+` a on a.id = p.one join `+records+` b on b.id = p.other`, func(f [][]byte) error {
			x, y := c.Prepare(textArray(f[0], nil)), c.Prepare(textArray(f[1], nil))
			*into = append(*into, c.Vector(&x, &y))
			return nil
		})
	}
	sample := fmt.Sprintf(`(select record_id, blocks from %s order by hashint8(record_id) limit %d)`, keys, sampleRecords)
	err = collect(fmt.Sprintf(`with mine as materialized (select record_id, unnest(blocks) as b from %s s), small as materialized (select b from mine group by b having count(*) between 2 and 30)
		select distinct x.record_id as one, y.record_id as other from mine x join small using (b) join mine y using (b) where x.record_id < y.record_id limit %d`, sample, samplePairs), &candidates)
	if err != nil {
		return nil, nil, fmt.Errorf("sample pairs: %w", err)
	}
	err = collect(fmt.Sprintf(`with mine as materialized (select record_id, row_number() over (order by hashint8(record_id)) as n, count(*) over () as all_of from %s s)
		select x.record_id as one, y.record_id as other from mine x join mine y on y.n = x.n %% x.all_of + 1 where x.record_id <> y.record_id limit %d`, sample, sampleRandom), &random)
	if err != nil {
		return nil, nil, fmt.Errorf("sample pairs: %w", err)
	}
	return candidates, random, nil
}
