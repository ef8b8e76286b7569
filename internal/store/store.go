// Package store keeps everything in PostgreSQL: people, workspaces and their
// record types, sources, imports with their staging, records with their
// history. Matching, linking, difference and writing are set operations here.
// It knows the core, and neither jobs nor faces.
package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"log/slog"
	"time"

	"uchi/internal/core/fault"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/jmoiron/sqlx"
	"github.com/pressly/goose/v3"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivermigrate"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Schema is the PostgreSQL schema of everything that is not a workspace's records.
const Schema = "uchi"

// Store is the open database.
type Store struct {
	pool *pgxpool.Pool
	db   *sqlx.DB
	log  *slog.Logger
}

// OldestServer is the oldest PostgreSQL that serves, as server_version_num.
const OldestServer = 150000

// Open connects to a database by URL and brings its tables up to date; several
// processes may do so at once.
func Open(ctx context.Context, url string, log *slog.Logger) (*Store, error) {
	cfg, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, fault.New(fault.Invalid, "bad_database_url", "the database's URL cannot be read").
			Mended("It looks like postgres://user@127.0.0.1:5432/uchi.")
	}
	cfg.MaxConns = max(cfg.MaxConns, 48) // a check stages each draft of a row on a connection of its own
	cfg.ConnConfig.RuntimeParams["search_path"] = Schema
	cfg.ConnConfig.RuntimeParams["timezone"] = "UTC"
	cfg.ConnConfig.RuntimeParams["datestyle"] = "ISO"
	cfg.ConnConfig.RuntimeParams["application_name"] = "uchi"
	pool, err := pgxpool.NewWithConfig(ctx, cfg)
	if err != nil {
		return nil, fmt.Errorf("open database: %w", err)
	}
	s := &Store{pool: pool, db: sqlx.NewDb(stdlib.OpenDBFromPool(pool), "pgx"), log: log}
	if err := s.prepare(ctx); err != nil {
		s.Close()
		return nil, err
	}
	return s, nil
}

func (s *Store) prepare(ctx context.Context) error {
	var version int
	if err := s.db.GetContext(ctx, &version, "select current_setting('server_version_num')::int"); err != nil {
		return fault.New(fault.Busy, "database_unreachable", "the database does not answer: "+err.Error()).Mended("Start PostgreSQL, or correct the URL.")
	}
	if version < OldestServer {
		return fault.Newf(fault.Invalid, "database_too_old", "PostgreSQL %d is too old", version/10000).Mended("Version 15 or newer is needed.")
	}
	// One process at a time changes tables; the others wait here and then find nothing to do.
	conn, err := s.db.Connx(ctx)
	if err != nil {
		return fmt.Errorf("prepare database: %w", err)
	}
	defer conn.Close()
	const lock = 0x75636869
	if _, err := conn.ExecContext(ctx, "select pg_advisory_lock($1)", lock); err != nil {
		return fmt.Errorf("prepare database: %w", err)
	}
	defer conn.ExecContext(context.WithoutCancel(ctx), "select pg_advisory_unlock($1)", lock) //nolint:errcheck // the lock ends with the connection
	if _, err := conn.ExecContext(ctx, "create schema if not exists "+Schema); err != nil {
		return fmt.Errorf("prepare database: %w", err)
	}
	provider, err := goose.NewProvider(goose.DialectPostgres, s.db.DB, must(subMigrations()), goose.WithLogger(goose.NopLogger()))
	if err != nil {
		return fmt.Errorf("prepare database: %w", err)
	}
	if _, err := provider.Up(ctx); err != nil {
		return fmt.Errorf("bring tables up to date: %w", err)
	}
	jobs, err := rivermigrate.New(riverpgxv5.New(s.pool), &rivermigrate.Config{Logger: slog.New(slog.DiscardHandler)})
	if err != nil {
		return fmt.Errorf("prepare job queue: %w", err)
	}
	if _, err := jobs.Migrate(ctx, rivermigrate.DirectionUp, nil); err != nil {
		return fmt.Errorf("prepare job queue: %w", err)
	}
	return s.ensureWorkspace(ctx, "main", "Main")
}

// Close ends all connections.
func (s *Store) Close() {
	s.db.Close()
	s.pool.Close()
}

// Pool gives the connections to the job queue.
func (s *Store) Pool() *pgxpool.Pool { return s.pool }

// Ping says whether the database answers.
func (s *Store) Ping(ctx context.Context) error { return s.db.PingContext(ctx) }

// inTx runs f in one transaction.
func (s *Store) inTx(ctx context.Context, f func(tx *sqlx.Tx) error) error {
	tx, err := s.db.BeginTxx(ctx, nil)
	if err != nil {
		return fmt.Errorf("begin: %w", err)
	}
	defer tx.Rollback() //nolint:errcheck // after a commit there is nothing to roll back
	if err := f(tx); err != nil {
		return err
	}
	if err := tx.Commit(); err != nil {
		return fmt.Errorf("commit: %w", err)
	}
	return nil
}

// inPgxTx runs f in one transaction of the driver itself, which COPY and the
// job queue need.
func (s *Store) inPgxTx(ctx context.Context, f func(tx pgx.Tx) error) error {
	return pgx.BeginFunc(ctx, s.pool, f)
}

// Log writes what was done, by whom, to the log.
func (s *Store) Log(ctx context.Context, person int64, workspace, action, subject string) error {
	_, err := s.db.ExecContext(ctx, `insert into log (person, workspace, action, subject) values (nullif($1, 0), nullif($2, ''), $3, $4)`, person, workspace, action, subject)
	if err != nil {
		return fmt.Errorf("write the log: %w", err)
	}
	return nil
}

// Beat shows that a process lives.
func (s *Store) Beat(ctx context.Context, process string) error {
	_, err := s.db.ExecContext(ctx, `insert into processes values ($1, now()) on conflict (name) do update set beat = now()`, process)
	return err
}

// FreeJobs puts back into the queue the jobs that are marked as running by a
// process that no longer lives: at its start a process's own, else those of
// processes silent for longer than the given time.
func (s *Store) FreeJobs(ctx context.Context, own string, silent time.Duration) (int64, error) {
	res, err := s.db.ExecContext(ctx, `update river_job set state = 'available', scheduled_at = now()
		where state = 'running' and (attempted_by[array_upper(attempted_by, 1)] = $1
		or not exists (select from processes p where p.name = attempted_by[array_upper(attempted_by, 1)] and p.beat > now() - make_interval(secs => $2)))`,
		own, silent.Seconds())
	if err != nil {
		return 0, fmt.Errorf("free the jobs of dead processes: %w", err)
	}
	return res.RowsAffected()
}

func isMissing(err error) bool { return errors.Is(err, sql.ErrNoRows) || errors.Is(err, pgx.ErrNoRows) }

// sqlState gives the SQLSTATE of a server error, empty for others.
func sqlState(err error) string {
	var pg *pgconn.PgError
	if errors.As(err, &pg) {
		return pg.Code
	}
	return ""
}

// Passing reports whether an error of the database may go away when the same
// is tried again: a broken connection, a deadlock, a serialisation failure, a
// table that the last statement of a killed process was still making.
func Passing(err error) bool {
	switch state := sqlState(err); state {
	case "40001", "40P01", "55P03", "57P01", "57P02", "57P03", "53300", "42P07":
		return true
	case "23505":
		var pg *pgconn.PgError
		return errors.As(err, &pg) && pg.SchemaName == "pg_catalog"
	case "":
		var connect *pgconn.ConnectError
		return errors.As(err, &connect) || pgconn.SafeToRetry(err) || pgconn.Timeout(err)
	}
	return false
}
