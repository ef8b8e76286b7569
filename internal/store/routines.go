package store

import (
	"context"
	"fmt"
	"time"

	"uchi/internal/core/fault"
	"uchi/internal/core/mapping"

	"github.com/jackc/pgx/v5"
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
	if err := s.db.SelectContext(ctx, &list, `select `+routineColumns+` where r.workspace = $1 order by r.name`,
		workspace); err != nil {
		return nil, fmt.Errorf("list routines: %w", err)
	}
	return list, nil
}

// Routine reads a routine by its name.
func (s *Store) Routine(ctx context.Context, workspace, name string) (SavedRoutine, error) {
	var r SavedRoutine
	err := s.db.GetContext(ctx, &r, `select `+routineColumns+` where r.workspace = $1 and r.name = $2`, workspace, name)
	if IsMissing(err) {
		return r, fault.New(fault.NotFound, "unknown_routine",
			"there is no routine of this name").With(name).Mended("See uchi routine.")
	}
	if err != nil {
		return r, fmt.Errorf("read routine: %w", err)
	}
	return r, nil
}

// SaveRoutine keeps a routine under its name, as the next version when there is
// one. A version above 0 is that which the change was made on: an older one is
// refused.
func (s *Store) SaveRoutine(ctx context.Context, workspace string, r mapping.Routine, version int, by int64) error {
	changed := &Changed{Now: r}
	return s.logged(ctx, Entry{Person: by, Workspace: workspace, Action: "save routine", Subject: r.Name,
		Changed: changed}, func(tx pgx.Tx) error {
		var was JSON[mapping.Routine]
		err := tx.QueryRow(ctx, `select document from routines where workspace = $1 and name = $2 for update`, workspace,
			r.Name).Scan(&was)
		if err == nil {
			changed.Was = was.V
		} else if !IsMissing(err) {
			return fmt.Errorf("save routine: %w", err)
		}
		tag, err := tx.Exec(ctx, `
			insert into routines (workspace, name, type, headers, document, changed_by)
			values (@workspace, @name, @type, @headers, @document, @by)
			on conflict (workspace, name) do update set
				type = excluded.type, headers = excluded.headers, document = excluded.document,
				changed_by = excluded.changed_by, changed_at = now(), version = routines.version + 1
			where @version = 0 or routines.version = @version`,
			pgx.StrictNamedArgs{"workspace": workspace, "name": r.Name, "type": r.Drafts[0].Type, "headers": r.Columns(),
				"document": JSON[mapping.Routine]{r}, "by": by, "version": version})
		if err != nil {
			return fmt.Errorf("save routine: %w", err)
		}
		if tag.RowsAffected() == 0 {
			return errChangedMeanwhile.With(r.Name)
		}
		return nil
	})
}

// RemoveRoutine forgets a routine; imports made with it stay.
func (s *Store) RemoveRoutine(ctx context.Context, workspace, name string, by int64) error {
	return s.logged(ctx, Entry{Person: by, Workspace: workspace, Action: "remove routine", Subject: name},
		func(tx pgx.Tx) error {
			tag, err := tx.Exec(ctx, `delete from routines where workspace = $1 and name = $2`, workspace, name)
			if err != nil {
				return fmt.Errorf("remove routine: %w", err)
			}
			if tag.RowsAffected() == 0 {
				return fault.New(fault.NotFound, "unknown_routine", "there is no routine of this name").With(name)
			}
			return nil
		})
}
