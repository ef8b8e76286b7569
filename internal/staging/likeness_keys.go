package staging

import (
	"context"
	"fmt"
	"hash/fnv"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/matching"
	"uchi/internal/pgcopy"
	"uchi/internal/schema"

	"github.com/jackc/pgx/v5/pgxpool"
)

// RefreshLikeness brings the likeness keys of a record type up to date: those
// of records that are new, changed or gone since the last time. They are derived
// from the records and kept beside them, so that writers need not know of them.
func (r *Room) RefreshLikeness(ctx context.Context, workspace string, t catalog.RecordType) error {
	err := r.refreshLikeness(ctx, workspace, t)
	if err != nil {
		return fmt.Errorf("refresh likeness keys: %w", err)
	}
	return nil
}

// Of few records and rows all keys are gone through as quickly as they are looked up.
const (
	leastIndexed = 5_000
	// So many keys are added to an index, or such a part of those that are there; for more it is
	// made anew.
	mostAnew, partAnew = 2_000, 50
)

// ReadyLikeness makes ready what lets a few rows be compared with many records: keys that
// are up to date, and an index of them. It is done beside everything else, for one type at a
// time, when records were written or compared. What is not finished is begun anew the next time.
func (r *Room) ReadyLikeness(ctx context.Context, workspace string, t catalog.RecordType) error {
	r.readying.Lock()
	defer r.readying.Unlock()
	var many bool
	err := r.pool.QueryRow(ctx, `select count(*) >= $1 from (select from `+schema.Records(workspace, t.Name)+
		` limit $1) x`, leastIndexed).Scan(&many)
	if err != nil || !many {
		return err
	}
	if err := r.RefreshLikeness(ctx, workspace, t); err != nil {
		return err
	}
	keys := schema.LikenessKeys(workspace, t.Name)
	if there, err := r.indexed(ctx, keys); err != nil || there {
		return err
	}
	for _, sql := range []string{
		`drop index if exists ` + keysIndex(keys), // that was not finished
		indexKeys(keys, "concurrently"),
		`vacuum (analyze) ` + keys, // so that records are counted in the index alone
	} {
		if _, err := r.pool.Exec(ctx, sql); err != nil {
			return fmt.Errorf("make likeness ready: %w", err)
		}
	}
	return nil
}

// keysIndex names the index of a table of keys, as no table is named.
func keysIndex(table string) string { return strings.TrimSuffix(table, `"`) + `.index"` }

// indexKeys is the statement that makes an index of a table of keys, by their blocks and terms.
// New keys go into it at once: each look-up would go through a list of those that wait.
func indexKeys(table, how string) string {
	name := keysIndex(table)
	return `create index ` + how + ` if not exists ` + name[strings.Index(name, `".`)+2:] + ` on ` + table + `
		using gin (blocks, terms) with (fastupdate = off)`
}

// indexed reports whether a table of keys has its index.
func (r *Room) indexed(ctx context.Context, table string) (there bool, err error) {
	err = r.pool.QueryRow(ctx, `select exists (select from pg_index where indexrelid = to_regclass($1) and indisvalid)`,
		keysIndex(table)).Scan(&there)
	return there, err
}

// comparing makes workers that add the terms and the blocking keys of the compared values in the
// second field of each row to what begin has written of it.
func comparing(c *matching.Comparer, begin func(fields [][]byte, values []string, to *pgcopy.Buffer)) ([]pgcopy.Worker, error) {
	return sideBySide(func() (pgcopy.Worker, error) {
		var values []string
		return func(fields [][]byte, to []pgcopy.Buffer) error {
			values = pgcopy.TextsOf(fields[1], values)
			subject := c.Prepare(values)
			begin(fields, values, &to[0])
			to[0].Int32s(subject.Terms())
			to[0].Int32s(c.Blocks(&subject))
			return nil
		}, nil
	})
}

// keysOf says how the likeness keys of a record type stand.
type keysOf struct {
	edition  string // of the comparison
	writes   int64  // how often the records were written by now
	same     bool   // they are of this edition
	upToDate bool
}

// keysStand tells how the likeness keys of a record type stand.
func (r *Room) keysStand(ctx context.Context, workspace string, t catalog.RecordType,
	c *matching.Comparer) (k keysOf, err error) {
	edition := fnv.New64a()
	fmt.Fprint(edition, matching.Edition)
	for _, f := range c.Fields {
		fmt.Fprint(edition, f.Name, f.ComparedAs())
	}
	k.edition = fmt.Sprintf("%x", edition.Sum64())
	keys := schema.LikenessKeys(workspace, t.Name)
	if _, err := r.pool.Exec(ctx, `create unlogged table if not exists `+keys+
		` (record_id bigint not null, version integer not null, terms integer[] not null, blocks integer[] not null)`); err != nil {
		return k, err
	}
	// A crash of the server empties the table.
	err = r.pool.QueryRow(ctx, `
		select t.writes, coalesce(k.edition = $3, false), coalesce(k.edition = $3 and k.writes = t.writes, false)
		and exists (select from `+keys+`)
		from record_types t left join likeness_keys k on k.workspace = t.workspace and k.type = t.name
		where t.workspace = $1 and t.name = $2`, workspace, t.Name, k.edition).Scan(&k.writes, &k.same, &k.upToDate)
	return k, err
}

func (r *Room) refreshLikeness(ctx context.Context, workspace string, t catalog.RecordType) error {
	c := matching.NewComparer(t, nil)
	if is, err := r.keysStand(ctx, workspace, t, c); err != nil || is.upToDate {
		return err
	}
	lock := fnv.New32a()
	lock.Write([]byte(schema.LikenessKeys(workspace, t.Name))) //nolint:errcheck // never fails
	return r.pool.AcquireFunc(ctx, func(conn *pgxpool.Conn) error {
		if _, err := conn.Exec(ctx, `select pg_advisory_lock(8844, $1)`, int32(lock.Sum32())); err != nil {
			return err
		}
		//nolint:errcheck // the lock ends with the connection
		defer conn.Exec(context.WithoutCancel(ctx), `select pg_advisory_unlock(8844, $1)`, int32(lock.Sum32()))
		// How often the records were written is asked before they are read: what is written
		// meanwhile is looked for the next time.
		is, err := r.keysStand(ctx, workspace, t, c)
		if err != nil || is.upToDate { // somebody else has brought them
			return err
		}
		return r.makeKeys(ctx, conn, workspace, t, c, is)
	})
}

// makeKeys makes the keys of records that have none, and drops those of others.
func (r *Room) makeKeys(ctx context.Context, conn *pgxpool.Conn, workspace string, t catalog.RecordType,
	c *matching.Comparer, is keysOf) error {
	keys, records := schema.LikenessKeys(workspace, t.Name), schema.Records(workspace, t.Name)
	stale := `delete from ` + keys + ` b where not exists (select from ` + records +
		` r where r.id = b.record_id and r.version = b.version)`
	if !is.same {
		stale = `delete from ` + keys
	}
	if _, err := conn.Exec(ctx, stale); err != nil {
		return err
	}
	// The keys that are there are gone through once: those that come meanwhile would be looked at
	// for each record, where the table was empty when the server made its plan.
	const there = `with there as materialized (select record_id from %s) `
	missing := ` from ` + records + ` r where not exists (select from there b where b.record_id = r.id)`
	if indexed, err := r.indexed(ctx, keys); err != nil {
		return err
	} else if indexed {
		var anew bool
		many := fmt.Sprintf(there, keys) + `select (select count(*) ` + missing + `) > greatest($1, (select count(*)
			from there) / $2)`
		if err := conn.QueryRow(ctx, many, mostAnew, partAnew).Scan(&anew); err != nil {
			return err
		}
		if anew {
			if _, err := conn.Exec(ctx, `drop index if exists `+keysIndex(keys)); err != nil {
				return err
			}
		}
	}
	out := pgcopy.Into(ctx, r.reading, keys, []string{"record_id", "version", "terms", "blocks"})
	query := fmt.Sprintf(there, keys) + `select r.id, ` + comparedColumns(c.Fields, ofRecord("r"), noEmployers) +
		`, r.version` + missing
	workers, err := comparing(c, func(f [][]byte, _ []string, to *pgcopy.Buffer) {
		to.Row(4)
		to.Int64(pgcopy.Int64Of(f[0]))
		to.Int32(pgcopy.Int32Of(f[2]))
	})
	if err == nil {
		err = pgcopy.Through(ctx, r.reading, query, workers, []*pgcopy.In{out}, nil)
	}
	if err := out.End(err); err != nil {
		return err
	}
	if out.Rows > 0 {
		if _, err := conn.Exec(ctx, `analyze `+keys); err != nil {
			return err
		}
	}
	_, err = conn.Exec(ctx, `
		insert into likeness_keys (workspace, type, edition, writes, records)
		values ($1, $2, $3, $4, (select count(*) from `+keys+`))
		on conflict (workspace, type) do update set edition = excluded.edition, writes = excluded.writes, records = excluded.records`, workspace, t.Name, is.edition, is.writes)
	return err
}
