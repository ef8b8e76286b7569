package store

import (
	"context"
	"fmt"
	"time"

	"uchi/internal/core/fault"
	"uchi/internal/core/mapping"
)

// SavedRoutine is a routine kept under a name.
type SavedRoutine struct {
	Name      string                `db:"name"`
	Type      string                `db:"type"`
	Document  JSON[mapping.Routine] `db:"document"`
	Version   int                   `db:"version"`
	ChangedBy string                `db:"changed_by"`
	ChangedAt time.Time             `db:"changed_at"`
}

const routineColumns = `r.name, r.type, r.document, r.version, coalesce(p.name, '') as changed_by, r.changed_at from routines r left join people p on p.id = r.changed_by`

// Routines lists the routines of a workspace by name.
func (s *Store) Routines(ctx context.Context, workspace string) ([]SavedRoutine, error) {
	var list []SavedRoutine
	if err := s.db.SelectContext(ctx, &list, `select `+routineColumns+` where r.workspace = $1 order by r.name`, workspace); err != nil {
		return nil, fmt.Errorf("list routines: %w", err)
	}
	return list, nil
}

// Routine reads a routine by its name.
func (s *Store) Routine(ctx context.Context, workspace, name string) (SavedRoutine, error) {
	var r SavedRoutine
	err := s.db.GetContext(ctx, &r, `select `+routineColumns+` where r.workspace = $1 and r.name = $2`, workspace, name)
	if isMissing(err) {
		return r, fault.New(fault.NotFound, "unknown_routine", "there is no routine of this name").With(name).Mended("See uchi routine.")
	}
	if err != nil {
		return r, fmt.Errorf("read routine: %w", err)
	}
	return r, nil
}

// SaveRoutine keeps a routine under its name, as the next version when there is one.
func (s *Store) SaveRoutine(ctx context.Context, workspace string, r mapping.Routine, by int64) error {
	_, err := s.pool.Exec(ctx, `insert into routines (workspace, name, type, headers, document, changed_by) values ($1, $2, $3, $4, $5, $6)
		on conflict (workspace, name) do update set type = excluded.type, headers = excluded.headers, document = excluded.document, changed_by = excluded.changed_by, changed_at = now(), version = routines.version + 1`,
		workspace, r.Name, r.Drafts[0].Type, r.Columns(), JSON[mapping.Routine]{r}, by)
	if err != nil {
		return fmt.Errorf("save routine: %w", err)
	}
	return nil
}

// RemoveRoutine forgets a routine; imports made with it stay.
func (s *Store) RemoveRoutine(ctx context.Context, workspace, name string) error {
	res, err := s.db.ExecContext(ctx, `delete from routines where workspace = $1 and name = $2`, workspace, name)
	if err != nil {
		return fmt.Errorf("remove routine: %w", err)
	}
	if n, _ := res.RowsAffected(); n == 0 {
		return fault.New(fault.NotFound, "unknown_routine", "there is no routine of this name").With(name)
	}
	return nil
}
