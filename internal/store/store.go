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
	"net/url"
	"strings"
	"sync"

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
	pool  *pgxpool.Pool
	db    *sqlx.DB
	log   *slog.Logger
	tries Tries
	types typeReader
	seen  sync.Map // seenTypes by workspace
}

// OldestServer is the oldest PostgreSQL that serves, as server_version_num.
const OldestServer = 150000

// Options say which database is opened, and for whom.
type Options struct {
	URL string
	// Process is the name under which a service process is known. It stays the
	// same when the process starts again, and is the name of its connections.
	Process string
	// Connections is how many connections the process needs; the zero value is
	// enough for tests and tools. A URL that allows fewer is refused.
	Connections int
	// Tries says how often signing in may be tried; the zero value is the usual.
	Tries Tries
	Log   *slog.Logger
}

// fewestConnections do for a process that runs nothing.
const fewestConnections = 8

// Open connects to a database and brings its tables up to date; several
// processes may do so at once.
func Open(ctx context.Context, opt Options) (*Store, error) {
	cfg, err := pgxpool.ParseConfig(opt.URL)
	if err != nil {
		return nil, fault.New(fault.Invalid, "bad_database_url", "the database's URL cannot be read").
			Mended("It looks like postgres://user@127.0.0.1:5432/uchi.")
	}
	need := max(opt.Connections, fewestConnections)
	if asked, _ := url.Parse(opt.URL); asked != nil && asked.Query().Get("pool_max_conns") != "" &&
		int(cfg.MaxConns) < need {
		return nil, fault.Newf(fault.Invalid, "too_few_connections",
			"the database's URL allows the service %d connections, and it needs %d", cfg.MaxConns, need).
			Mended("Raise pool_max_conns in the URL, or take it out; or let the service do fewer things at once (--workers).")
	}
	cfg.MaxConns = max(cfg.MaxConns, int32(need))
	cfg.ConnConfig.RuntimeParams["search_path"] = Schema
	cfg.ConnConfig.RuntimeParams["timezone"] = "UTC"
	cfg.ConnConfig.RuntimeParams["datestyle"] = "ISO"
	cfg.ConnConfig.RuntimeParams["application_name"] = applicationName(opt.Process)
	// The statements are few and long, and made anew for each import: compiling
	// them takes the server longer than carrying them out.
	cfg.ConnConfig.RuntimeParams["jit"] = "off"
	// Of staging tables the planner needs their size and which columns tell rows
	// apart; a sample of 300 rows for each of these steps is enough for that, and
	// ten times quicker than the server's own default.
	cfg.ConnConfig.RuntimeParams["default_statistics_target"] = "10"
	pool, err := pgxpool.NewWithConfig(ctx, cfg)
	if err != nil {
		return nil, fmt.Errorf("open database: %w", err)
	}
	s := &Store{pool: pool, db: sqlx.NewDb(stdlib.OpenDBFromPool(pool), "pgx"), log: opt.Log, tries: opt.Tries}
	if s.tries == (Tries{}) {
		s.tries = usualTries
	}
	if err := s.prepare(ctx, need); err != nil {
		s.Close()
		return nil, err
	}
	return s, nil
}

// applicationName is the name of a process's connections.
func applicationName(process string) string {
	const most = 63 // the server cuts longer names
	name := "uchi " + process
	return strings.ToValidUTF8(name[:min(len(name), most)], "")
}

func (s *Store) prepare(ctx context.Context, connections int) error {
	var version, allowed int
	err := s.pool.QueryRow(ctx, `select current_setting('server_version_num')::int,
		current_setting('max_connections')::int`).Scan(&version, &allowed)
	if err != nil {
		return fault.New(fault.Busy, "database_unreachable", "the database does not answer: "+
			err.Error()).Mended("Start PostgreSQL, or correct the URL.")
	}
	if version < OldestServer {
		return fault.Newf(fault.Invalid, "database_too_old", "PostgreSQL %d is too old",
			version/10000).Mended("Version 15 or newer is needed.")
	}
	if allowed < connections {
		return fault.Newf(fault.Invalid, "too_few_connections", "the database server takes %d connections, and "+
			"the service needs %d", allowed, connections).
			Mended("Raise the server's max_connections, or let the service do fewer things at once (--workers).")
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
	//nolint:errcheck // the lock ends with the connection
	defer conn.ExecContext(context.WithoutCancel(ctx), "select pg_advisory_unlock($1)", lock)
	if _, err := conn.ExecContext(ctx, "create schema if not exists "+Schema); err != nil {
		return fmt.Errorf("prepare database: %w", err)
	}
	provider, err := goose.NewProvider(goose.DialectPostgres, s.db.DB, must(subMigrations()),
		goose.WithLogger(goose.NopLogger()))
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
	if err := s.ensureWorkspace(ctx, "main", "Main"); err != nil {
		return err
	}
	return s.evolve(ctx)
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
func (s *Store) inTx(ctx context.Context, f func(tx pgx.Tx) error) error {
	return pgx.BeginFunc(ctx, s.pool, f)
}

// Beat shows that a process lives.
func (s *Store) Beat(ctx context.Context, process string) error {
	_, err := s.db.ExecContext(ctx, `insert into processes values ($1, now()) on conflict (name) do update
		set beat = now()`, process)
	return err
}

// IsMissing reports whether a query has found no row.
func IsMissing(err error) bool { return errors.Is(err, sql.ErrNoRows) || errors.Is(err, pgx.ErrNoRows) }

// SQLState gives the SQLSTATE of a server error, empty for others.
func SQLState(err error) string {
	var pg *pgconn.PgError
	if errors.As(err, &pg) {
		return pg.Code
	}
	return ""
}

// Told gives the fault of an error of the database that who has asked can do something about: its disk
// is full, or a text holds a sign that it does not keep; nil for any other error.
func Told(err error) *fault.Error {
	switch SQLState(err) {
	case "53100": // disk_full
		return fault.New(fault.Busy, "disk_full", "the database has no room left on its disk").
			Mended("Make room on it, then begin again: what was loaded stays, and nothing is there by half.")
	case "22021", "22P05": // character_not_in_repertoire, untranslatable_character
		return fault.New(fault.Invalid, "bad_text", "a text holds a sign that cannot be kept, such as that of the number 0").
			Mended("Take it out.")
	}
	return nil
}

// Passing reports whether an error of the database may go away when the same
// is tried again: a broken connection, a deadlock, a serialisation failure, a
// table that the last statement of a killed process was still making.
func Passing(err error) bool {
	switch state := SQLState(err); state {
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
