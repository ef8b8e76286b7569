package store

import (
	"context"
	"fmt"
	"time"

	"uchi/internal/core/fault"
	"uchi/internal/core/life"
	"uchi/internal/core/mapping"

	"github.com/jackc/pgx/v5"
)

// Bundle is several imports that belong together.
type Bundle struct {
	ID         int64              `db:"id"`
	Workspace  string             `db:"workspace"`
	Name       string             `db:"name"`
	State      life.State         `db:"state"`
	Ordered    bool               `db:"ordered"` // by hand
	LeftOut    JSON[[]LeftOut]    `db:"left_out"`
	Plan       JSON[[]BundleStep] `db:"plan"`
	At         int                `db:"at"`
	Begun      bool               `db:"begun"`
	Policy     JSON[BundlePolicy] `db:"policy"`
	Trouble    JSON[*Trouble]     `db:"trouble"`
	WorkedBy   *int64             `db:"worked_by"`
	MadeBy     int64              `db:"made_by"`
	MadeByName string             `db:"made_by_name"`
	MadeAt     time.Time          `db:"made_at"`
	ChangedAt  time.Time          `db:"changed_at"`
}

// Works reports whether work is under way on the bundle.
func (b Bundle) Works() bool {
	return b.State == life.Checking || b.State == life.Loading || b.State == life.Undoing
}

// LeftOut is something that was sent with a bundle and cannot be read.
type LeftOut struct {
	Name string `json:"name"`
	Trouble
}

// BundleStep is one act of the work on a bundle.
type BundleStep struct {
	Import int64      `json:"import"`
	Act    life.Event `json:"act"`
	// Was is what a check in the middle of a load is to say again, by verdict.
	Was     map[string]int64 `json:"was,omitempty"`
	Removes int64            `json:"removes,omitempty"` // likewise, of children that are gone from the source
	// Twice is how many of the rows that make a record may change it instead, since an
	// import before makes it.
	Twice int64 `json:"twice,omitempty"`
}

// BundlePolicy says when the load of a bundle gives way.
type BundlePolicy struct {
	mapping.LoadPolicy
	GoOn bool `json:"go_on,omitempty"` // with the next import, where one has given way
}

const bundleColumns = `b.id, b.workspace, b.name, b.state, b.ordered, b.left_out, b.plan, b.at, b.begun, b.policy, b.trouble, b.worked_by,
	b.made_by, p.name as made_by_name, b.made_at, b.changed_at
	from bundles b join people p on p.id = b.made_by`

func bundleSubject(id int64) string { return fmt.Sprintf("bundle %d", id) }

// AddBundle makes a bundle without imports.
func (s *Store) AddBundle(ctx context.Context, workspace, name string, by Person) (Bundle, error) {
	var id int64
	err := s.inTx(ctx, func(tx pgx.Tx) error {
		if err := tx.QueryRow(ctx, `insert into bundles (workspace, name, made_by) values ($1, $2, $3) returning id`,
			workspace, name, by.ID).Scan(&id); err != nil {
			return err
		}
		return logIn(ctx, tx, Entry{Person: by.ID, Workspace: workspace, Action: "make", Subject: bundleSubject(id)})
	})
	if err != nil {
		return Bundle{}, fmt.Errorf("make bundle: %w", err)
	}
	return s.Bundle(ctx, workspace, id)
}

// Bundle reads one bundle.
func (s *Store) Bundle(ctx context.Context, workspace string, id int64) (Bundle, error) {
	var b Bundle
	err := s.db.GetContext(ctx, &b, `select `+bundleColumns+` where b.id = $1 and b.workspace = $2`, id, workspace)
	if IsMissing(err) {
		return b, fault.New(fault.NotFound, "unknown_bundle",
			"there is no such bundle in this workspace").With(fmt.Sprint(id)).
			Mended("See uchi bundles.")
	}
	if err != nil {
		return b, fmt.Errorf("read bundle: %w", err)
	}
	return b, nil
}

// Bundles lists the bundles of a workspace, newest first, those that were discarded
// left out.
func (s *Store) Bundles(ctx context.Context, workspace string, limit int) ([]Bundle, error) {
	var list []Bundle
	err := s.db.SelectContext(ctx, &list, `select `+bundleColumns+` where b.workspace = $1 and b.state <> 'discarded'
		order by b.id desc limit $2`, workspace, limit)
	if err != nil {
		return nil, fmt.Errorf("list bundles: %w", err)
	}
	return list, nil
}

// BundlesAtWork lists the bundles on which work is under way.
func (s *Store) BundlesAtWork(ctx context.Context) (ids []int64, err error) {
	if err := s.db.SelectContext(ctx, &ids, `select id from bundles
		where state in ('checking', 'loading', 'undoing')`); err != nil {
		return nil, fmt.Errorf("list bundles at work: %w", err)
	}
	return ids, nil
}

// BundleImports gives the imports of a bundle in their order.
func (s *Store) BundleImports(ctx context.Context, bundle int64) ([]Import, error) {
	var list []Import
	err := s.db.SelectContext(ctx, &list, `select `+importColumns+importFrom+`where i.bundle = $1
		order by i.turn, i.place`, bundle)
	if err != nil {
		return nil, fmt.Errorf("list imports of a bundle: %w", err)
	}
	return list, nil
}

// CountBundleIn counts the imports of a bundle, within a transaction.
func CountBundleIn(ctx context.Context, tx pgx.Tx, bundle int64) (n int, err error) {
	if err := tx.QueryRow(ctx, `select count(*) from imports where bundle = $1`, bundle).Scan(&n); err != nil {
		return 0, fmt.Errorf("count imports of a bundle: %w", err)
	}
	return n, nil
}

// ChangeBundle changes a bundle that is locked while f decides; what f leaves in it is
// kept. Acts on its imports that f does are transactions of their own.
func (s *Store) ChangeBundle(ctx context.Context, id int64, f func(b *Bundle) error) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		// acts on its imports look whether it is there
		rows, err := tx.Query(ctx, `select `+bundleColumns+` where b.id = $1 for no key update of b`, id)
		if err != nil {
			return fmt.Errorf("lock bundle: %w", err)
		}
		b, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[Bundle])
		if err != nil {
			return fmt.Errorf("lock bundle: %w", err)
		}
		if err := f(&b); err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `
			update bundles set state = @state, ordered = @ordered, left_out = @left, plan = @plan, at = @at, begun = @begun, policy = @policy,
				trouble = @trouble, worked_by = @by, changed_at = now()
			where id = @id`,
			pgx.StrictNamedArgs{
				"id": id, "state": b.State, "ordered": b.Ordered, "left": b.LeftOut, "plan": b.Plan, "at": b.At,
				"begun": b.Begun, "policy": b.Policy,
				"trouble": b.Trouble, "by": b.WorkedBy,
			})
		if err != nil {
			return fmt.Errorf("change bundle: %w", err)
		}
		return nil
	})
}

// SetTurns puts the imports of a bundle into an order.
func (s *Store) SetTurns(ctx context.Context, bundle int64, imports []int64) error {
	_, err := s.pool.Exec(ctx, `
		update imports i set turn = x.n from unnest($2::bigint[]) with ordinality x (id, n) where i.id = x.id
		and i.bundle = $1 and i.turn <> x.n`, bundle, imports)
	if err != nil {
		return fmt.Errorf("order a bundle: %w", err)
	}
	return nil
}

// LogBundle notes what a person has done with a bundle.
func (s *Store) LogBundle(ctx context.Context, b Bundle, action string, by Person) error {
	return s.logged(ctx, Entry{Person: by.ID, Workspace: b.Workspace, Action: action, Subject: bundleSubject(b.ID)},
		func(pgx.Tx) error { return nil })
}
