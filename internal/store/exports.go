package store

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"uchi/internal/core/fault"
	"uchi/internal/core/rights"

	"github.com/jackc/pgx/v5"
)

// Export is a sheet of records that is written in the background, for the person who asked for it.
type Export struct {
	ID        int64           `db:"id"`
	Workspace string          `db:"workspace"`
	Type      string          `db:"type"`
	Chosen    json.RawMessage `db:"chosen"`
	Name      string          `db:"name"` // of the file
	Media     string          `db:"media"`
	Records   int64           `db:"records"`
	MadeBy    int64           `db:"made_by"`
	MadeAt    time.Time       `db:"made_at"`
	Bytes     int64           `db:"bytes"`   // written so far
	SeenAs    rights.Role     `db:"seen_as"` // the role by which it is asked for, then that by which it was written
	Source    *int64          `db:"source"`  // the file, once it is whole
	Trouble   JSON[*Trouble]  `db:"trouble"`
	EndedAt   *time.Time      `db:"ended_at"`
}

const exportColumns = `id, workspace, type, chosen, name, media, records, made_by, made_at, bytes, seen_as, source, trouble, ended_at`

// ErrNoExport says that there is no such export, or that it is somebody else's.
var ErrNoExport = fault.New(fault.NotFound, "unknown_export",
	"there is no such export of yours").Mended("See uchi exports.")

// AddExport notes an export that is to be written.
func (s *Store) AddExport(ctx context.Context, x Export) (Export, error) {
	err := s.logged(ctx, Entry{Person: x.MadeBy, Workspace: x.Workspace, Action: "export",
		Subject: fmt.Sprintf("%d records of %s", x.Records, x.Type)}, func(tx pgx.Tx) error {
		return tx.QueryRow(ctx, `
			insert into exports (workspace, type, chosen, name, media, records, made_by, seen_as)
			values ($1, $2, $3, $4, $5, $6, $7, $8) returning id, made_at`,
			x.Workspace, x.Type, x.Chosen, x.Name, x.Media, x.Records, x.MadeBy, x.SeenAs).Scan(&x.ID, &x.MadeAt)
	})
	if err != nil {
		return x, fmt.Errorf("note an export: %w", err)
	}
	return x, nil
}

// Exports lists a person's exports from a workspace, the latest first.
func (s *Store) Exports(ctx context.Context, workspace string, person int64) ([]Export, error) {
	var list []Export
	if err := s.db.SelectContext(ctx, &list, `select `+exportColumns+` from exports where workspace = $1
		and made_by = $2 order by id desc limit 100`, workspace, person); err != nil {
		return nil, fmt.Errorf("list exports: %w", err)
	}
	return list, nil
}

// Export reads one of a person's exports.
func (s *Store) Export(ctx context.Context, workspace string, id, person int64) (Export, error) {
	var x Export
	err := s.db.GetContext(ctx, &x, `select `+exportColumns+` from exports where workspace = $1 and id = $2
		and made_by = $3`, workspace, id, person)
	if IsMissing(err) {
		return x, ErrNoExport.With(fmt.Sprint(id))
	}
	if err != nil {
		return x, fmt.Errorf("read an export: %w", err)
	}
	return x, nil
}

// RemoveExport removes one of a person's exports; what writes it ends.
func (s *Store) RemoveExport(ctx context.Context, workspace string, id, person int64) error {
	var source *int64
	err := s.pool.QueryRow(ctx, `delete from exports where workspace = $1 and id = $2 and made_by = $3
		returning source`, workspace, id, person).Scan(&source)
	if IsMissing(err) {
		return ErrNoExport.With(fmt.Sprint(id))
	}
	if err != nil {
		return fmt.Errorf("remove an export: %w", err)
	}
	if source == nil {
		return nil
	}
	return s.DropSource(ctx, *source)
}

// ClaimExport gives a process an export to write: the first that nobody writes, or whose process
// was silent for the given time.
func (s *Store) ClaimExport(ctx context.Context, process string, silent time.Duration) (x Export, ok bool, err error) {
	rows, err := s.pool.Query(ctx, `
		update exports set process = $1, beat_at = now(), bytes = 0
		where id = (
			select id from exports
			where ended_at is null and (process is null or beat_at < now() - make_interval(secs => $2))
			order by id limit 1 for update skip locked
		)
		returning `+exportColumns, process, silent.Seconds())
	if err != nil {
		return x, false, fmt.Errorf("look for exports: %w", err)
	}
	x, err = pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[Export])
	if IsMissing(err) {
		return x, false, nil
	}
	if err != nil {
		return x, false, fmt.Errorf("look for exports: %w", err)
	}
	return x, true, nil
}

// SeeExportAs notes by which role an export shows what it shows.
func (s *Store) SeeExportAs(ctx context.Context, id int64, process string, role rights.Role) error {
	if _, err := s.pool.Exec(ctx, `update exports set seen_as = $3 where id = $1 and process = $2`, id, process,
		role); err != nil {
		return fmt.Errorf("note who sees an export: %w", err)
	}
	return nil
}

// BeatExport shows that a process still writes an export, and how much it has written; mine is
// false when the export was removed, or is another's by now.
func (s *Store) BeatExport(ctx context.Context, id int64, process string, bytes int64) (mine bool, err error) {
	tag, err := s.pool.Exec(ctx, `update exports set beat_at = now(), bytes = $3 where id = $1 and process = $2
		and ended_at is null`, id, process, bytes)
	if err != nil {
		return false, fmt.Errorf("go on with an export: %w", err)
	}
	return tag.RowsAffected() == 1, nil
}

// EndExport notes that an export is written, with its file, or why it is not. A process that gives
// it up, with neither, leaves it to the next.
func (s *Store) EndExport(ctx context.Context, id int64, process string, source *int64, trouble *Trouble) (mine bool,
	err error) {
	var said any
	if trouble != nil {
		said = JSON[*Trouble]{trouble}
	}
	sql := `update exports set process = null, beat_at = null where id = $1 and process = $2 and $3::bigint is null
		and $4::jsonb is null`
	if source != nil || trouble != nil {
		sql = `update exports set process = null, ended_at = now(), source = $3, trouble = $4,
			bytes = coalesce((select bytes from sources where id = $3), bytes) where id = $1 and process = $2`
	}
	tag, err := s.pool.Exec(ctx, sql, id, process, source, said)
	if err != nil {
		return false, fmt.Errorf("end an export: %w", err)
	}
	return tag.RowsAffected() == 1, nil
}

// DropExports forgets exports that ended longer ago than the given time, and tells how many.
func (s *Store) DropExports(ctx context.Context, since time.Duration) (int64, error) {
	tag, err := s.pool.Exec(ctx, `delete from exports where ended_at < now() - make_interval(secs => $1)`, since.Seconds())
	if err != nil {
		return 0, fmt.Errorf("drop exports: %w", err)
	}
	return tag.RowsAffected(), nil
}
