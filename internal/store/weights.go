package store

import (
	"context"
	"fmt"
	"time"

	"uchi/internal/core/matching"

	"github.com/jackc/pgx/v5"
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
	err = s.db.GetContext(ctx, &w, `select w.document, w.pairs, w.share, p.name as made_by, w.made_at from weights w
		join people p on p.id = w.made_by where w.workspace = $1 and w.type = $2`, workspace, typeName)
	if IsMissing(err) {
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
	return s.logged(ctx, Entry{Person: by, Workspace: workspace, Action: "estimate weights", Subject: typeName},
		func(tx pgx.Tx) error {
			_, err := tx.Exec(ctx, `
			insert into weights (workspace, type, document, pairs, share, made_by) values ($1, $2, $3, $4, $5, $6)
			on conflict (workspace, type) do update set
				document = excluded.document, pairs = excluded.pairs, share = excluded.share, made_by = excluded.made_by, made_at = now()`,
				workspace, typeName, w.Weights, w.Pairs, w.Share, by)
			if err != nil {
				return fmt.Errorf("keep weights: %w", err)
			}
			return nil
		})
}

// ForgetWeights makes the default weights hold again.
func (s *Store) ForgetWeights(ctx context.Context, workspace, typeName string, by int64) error {
	return s.logged(ctx, Entry{Person: by, Workspace: workspace, Action: "forget weights", Subject: typeName},
		func(tx pgx.Tx) error {
			if _, err := tx.Exec(ctx, `delete from weights where workspace = $1 and type = $2`, workspace,
				typeName); err != nil {
				return fmt.Errorf("forget weights: %w", err)
			}
			return nil
		})
}
