package store

import (
	"context"
	"fmt"

	"github.com/jackc/pgx/v5"
)

// Gauge is a number of the service as it is now.
type Gauge struct {
	Name  string `db:"name"`
	Of    string `db:"of"` // which part; empty where there is one number
	Count int64  `db:"count"`
}

// Gauges tells how much is under way and how much waits, in all workspaces.
func (s *Store) Gauges(ctx context.Context) ([]Gauge, error) {
	rows, err := s.pool.Query(ctx, `
		select 'runs' as name, work as of, count(*) as count from runs where ended_at is null and process <> '' group by work
		union all select 'jobs_waiting', '', count(*) from river_job where kind = 'import'
		and state in ('available', 'scheduled', 'retryable')
		union all select 'feed_files', state, count(*) from feed_files x where `+notEnded+` group by state
		union all select 'feeds_failing', '', count(*) from feeds f where not f.paused
		and (select r.trouble is not null from feed_runs r where r.feed = f.id order by r.id desc limit 1)
		union all select 'notices_waiting', '', count(*) from notices where next_at is not null
		union all select 'hook_calls_waiting', '', count(*) from hook_calls where next_at is not null
		union all select 'processes', '', count(*) from processes where beat > now() - interval '20 seconds'`)
	if err != nil {
		return nil, fmt.Errorf("count what is under way: %w", err)
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Gauge])
}
