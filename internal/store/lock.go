package store

import (
	"context"
	"fmt"
	"maps"
	"slices"

	"github.com/jackc/pgx/v5"
)

// Locked is what a transaction has of a record type that it writes: the ids
// after Base are its own, as many as it asked for.
type Locked struct {
	Base int64 // the new records get the ids after this
	// Writes counts the transactions that have written to the type before.
	Writes int64
}

// LockTypes takes the record types of a workspace that a transaction writes,
// with how many new ids it needs of each, and keeps those that it links to from
// being written until its end. Whoever writes records, or links to them, does so
// under this lock; so a record cannot go while something new points to it. Types
// are taken by name, so that two transactions cannot wait for each other. It
// gives what it has of those written, and how often those linked were written.
func LockTypes(ctx context.Context, tx pgx.Tx, workspace string, write map[string]int64,
	linked []string) (map[string]Locked, int64, error) {
	names := slices.Sorted(maps.Keys(write))
	for _, l := range linked {
		if _, ok := write[l]; !ok && !slices.Contains(names, l) {
			names = append(names, l)
		}
	}
	slices.Sort(names)
	out := map[string]Locked{}
	var links int64
	for _, name := range names {
		ids, ok := write[name]
		if !ok {
			var n int64
			if err := tx.QueryRow(ctx, `select writes from record_types where workspace = $1 and name = $2 for share`,
				workspace, name).Scan(&n); err != nil {
				return nil, 0, fmt.Errorf("lock record type %s: %w", name, err)
			}
			links += n
			continue
		}
		var l Locked
		err := tx.QueryRow(ctx, `
			update record_types set next_id = next_id + $3, writes = writes + 1 where workspace = $1 and name = $2
			returning next_id - $3 - 1, writes - 1`, workspace, name, ids).Scan(&l.Base, &l.Writes)
		if err != nil {
			return nil, 0, fmt.Errorf("lock record type %s: %w", name, err)
		}
		out[name] = l
	}
	return out, links, nil
}
