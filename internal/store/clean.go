package store

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"uchi/internal/core/fault"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
)

// Settings are what an administrator has set for the whole service.
type Settings struct {
	// KeepDays is for how many days sources and results are kept after the last
	// change of their import. Records, history and log stay.
	KeepDays int `json:"keep_days"`
}

// DefaultKeepDays holds until somebody sets something else.
const DefaultKeepDays = 90

// Bounds of the days for which sources and results are kept.
const (
	fewestKeepDays = 1
	mostKeepDays   = 3650
)

// settingsName is under what the settings are kept.
const settingsName = "service"

// Settings reads them.
func (s *Store) Settings(ctx context.Context) (Settings, error) {
	set := Settings{KeepDays: DefaultKeepDays}
	var doc []byte
	err := s.pool.QueryRow(ctx, `select value from settings where name = $1`, settingsName).Scan(&doc)
	if IsMissing(err) {
		return set, nil
	}
	if err == nil {
		err = json.Unmarshal(doc, &set)
	}
	if err != nil {
		return set, fmt.Errorf("read settings: %w", err)
	}
	return set, nil
}

// SetSettings changes them.
func (s *Store) SetSettings(ctx context.Context, set Settings, by int64) error {
	if set.KeepDays < fewestKeepDays || set.KeepDays > mostKeepDays {
		return fault.New(fault.Invalid, "bad_keep_days", fmt.Sprintf("sources and results are kept from %d to %d days",
			fewestKeepDays, mostKeepDays)).
			At(fault.Place{Path: "keep_days"}).With(fmt.Sprint(set.KeepDays))
	}
	was, err := s.Settings(ctx)
	if err != nil {
		return err
	}
	return s.logged(ctx, Entry{Person: by, Action: "change settings", Subject: "service", Changed: &Changed{was, set}},
		func(tx pgx.Tx) error {
			_, err := tx.Exec(ctx, `insert into settings (name, value) values ($1, $2) on conflict (name) do update
			set value = excluded.value`, settingsName, JSON[Settings]{set})
			if err != nil {
				return fmt.Errorf("keep settings: %w", err)
			}
			return nil
		})
}

// Alone runs f unless another process does so.
func (s *Store) Alone(ctx context.Context, f func() error) error {
	return s.pool.AcquireFunc(ctx, func(conn *pgxpool.Conn) error {
		const lock = 0x636c656e
		var mine bool
		if err := conn.QueryRow(ctx, `select pg_try_advisory_lock($1)`, lock).Scan(&mine); err != nil || !mine {
			return err
		}
		//nolint:errcheck // the lock ends with the connection
		defer conn.Exec(context.WithoutCancel(ctx), `select pg_advisory_unlock($1)`, lock)
		return f()
	})
}

// DropUnfinished removes sources of which no import came, made longer ago than
// the given time, and tells how many.
func (s *Store) DropUnfinished(ctx context.Context, since time.Duration) (int64, error) {
	tag, err := s.pool.Exec(ctx, `
		delete from sources s
		where s.made_at < now() - make_interval(secs => $1) and not exists (select from imports i where i.source = s.id)
		and not exists (select from files f where f.source = s.id) and not exists (select from exports e
		where e.source = s.id)`, since.Seconds())
	if err != nil {
		return 0, fmt.Errorf("drop unfinished uploads: %w", err)
	}
	return tag.RowsAffected(), nil
}

// DropSource removes a source of which no import came.
func (s *Store) DropSource(ctx context.Context, id int64) error {
	_, err := s.pool.Exec(ctx, `delete from sources s where s.id = $1 and not exists (select from imports i
		where i.source = s.id) and not exists (select from files f where f.source = s.id) and not exists (select
		from exports e where e.source = s.id)`, id)
	if err != nil {
		return fmt.Errorf("drop a source: %w", err)
	}
	return nil
}

// PastTheirTime lists the imports whose source and results are not kept any
// longer: those that were not changed for the given time, and on which nothing
// runs.
func (s *Store) PastTheirTime(ctx context.Context, since time.Duration) ([]int64, error) {
	rows, err := s.pool.Query(ctx, `
		select id from imports
		where cleaned_at is null and run is null and changed_at < now() - make_interval(secs => $1)
		order by id`, since.Seconds())
	if err != nil {
		return nil, fmt.Errorf("look for imports past their time: %w", err)
	}
	return pgx.CollectRows(rows, pgx.RowTo[int64])
}

// ForgetSource removes the bytes of an import's source, unless somebody has
// begun to work on it meanwhile. What it was, and what became of its rows in
// numbers, stays in the list.
func (s *Store) ForgetSource(ctx context.Context, id int64) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		var source int64
		err := tx.QueryRow(ctx, `
			update imports set cleaned_at = now(), cells_run = null, check_run = null, totals = null, state = rest
			where id = $1 and run is null and state not in ('closed', 'discarded') returning source`, id).Scan(&source)
		if IsMissing(err) {
			err = tx.QueryRow(ctx, `
				update imports set cleaned_at = now(), cells_run = null, check_run = null, totals = null
				where id = $1 and run is null returning source`, id).Scan(&source)
		}
		if err != nil {
			return fmt.Errorf("forget the source: %w", err)
		}
		_, err = tx.Exec(ctx, `
			delete from source_chunks c where c.source = $1
				and not exists (select from imports i where i.source = $1 and i.cleaned_at is null)`, source)
		if err != nil {
			return fmt.Errorf("forget the source: %w", err)
		}
		return logIn(ctx, tx, Entry{Action: "clean up", Subject: importSubject(id)})
	})
}
