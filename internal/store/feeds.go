package store

import (
	"context"
	"fmt"
	"net/url"
	"time"

	"uchi/internal/core/fault"
	"uchi/internal/core/feed"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
)

// Feed is a feed of a workspace with where it stands.
type Feed struct {
	ID        int64           `db:"id"`
	Workspace string          `db:"workspace"`
	Name      string          `db:"name"`
	Document  JSON[feed.Feed] `db:"document"`
	Secret    string          `db:"secret"` // encrypted
	HostKey   string          `db:"host_key"`
	Paused    bool            `db:"paused"`
	NextAt    *time.Time      `db:"next_at"`
	Why       string          `db:"why"`
	Try       bool            `db:"try"`
	AskedBy   *int64          `db:"asked_by"`
	Run       *int64          `db:"run"`
	Version   int             `db:"version"`
	Owner     int64           `db:"owner"`
	OwnerName string          `db:"owner_name"`
	MadeAt    time.Time       `db:"made_at"`
	ChangedAt time.Time       `db:"changed_at"`
}

// FeedRun is one look of a feed.
type FeedRun struct {
	ID      int64          `db:"id"`
	Feed    int64          `db:"feed"`
	Why     string         `db:"why"` // time, by hand, or again: a file has ended
	Person  string         `db:"person"`
	DueAt   time.Time      `db:"due_at"`
	BeganAt time.Time      `db:"began_at"`
	EndedAt *time.Time     `db:"ended_at"`
	Seen    int            `db:"seen"`
	Missed  int            `db:"missed"`
	Said    string         `db:"said"`
	Trouble JSON[*Trouble] `db:"trouble"`
}

// FeedState is where a file that a feed has taken stands.
type FeedState string

// The states of such a file.
const (
	FeedReading    FeedState = "reading"
	FeedChecking   FeedState = "checking"
	FeedWaiting    FeedState = "waiting" // for a person, with the reasons
	FeedLoading    FeedState = "loading"
	FeedLoaded     FeedState = "loaded"
	FeedRefused    FeedState = "refused"     // a person has not loaded it
	FeedPassedOver FeedState = "passed_over" // it came before, or is not the newest
)

// FeedFile is a file that a feed has taken.
type FeedFile struct {
	ID       int64               `db:"id"`
	Feed     int64               `db:"feed"`
	Run      *int64              `db:"run"`
	Name     string              `db:"name"`
	Bytes    int64               `db:"bytes"`
	Modified *time.Time          `db:"modified"`
	Tag      string              `db:"tag"`
	SHA256   string              `db:"sha256"`
	Import   *int64              `db:"import"`
	State    FeedState           `db:"state"`
	Reasons  JSON[[]feed.Breach] `db:"reasons"`
	Try      bool                `db:"try"`
	Rows     int64               `db:"rows"`
	Moved    bool                `db:"moved"`
	TakenAt  time.Time           `db:"taken_at"`
	EndedAt  *time.Time          `db:"ended_at"`
}

const feedColumns = `f.id, f.workspace, f.name, f.document, f.secret, f.host_key, f.paused, f.next_at, f.why, f.try, f.asked_by, f.run, f.version, f.owner, p.name as owner_name, f.made_at, f.changed_at
	from feeds f join people p on p.id = f.owner`

const feedFileColumns = `x.id, x.feed, x.run, x.name, x.bytes, x.modified, x.tag, x.sha256, x.import, x.state, x.reasons, x.try, x.rows, x.moved, x.taken_at, x.ended_at from feed_files x`

// notEnded is the SQL of whether a file x of a feed has not ended.
const notEnded = `x.state in ('reading', 'checking', 'waiting', 'loading')`

var errNoFeed = fault.New(fault.NotFound, "unknown_feed",
	"there is no such feed in this workspace").Mended("See uchi feeds.")

// Feeds lists the feeds of a workspace by name.
func (s *Store) Feeds(ctx context.Context, workspace string) ([]Feed, error) {
	var list []Feed
	if err := s.db.SelectContext(ctx, &list, `select `+feedColumns+` where f.workspace = $1 order by f.name`,
		workspace); err != nil {
		return nil, fmt.Errorf("list feeds: %w", err)
	}
	return list, nil
}

// Feed reads one feed.
func (s *Store) Feed(ctx context.Context, workspace, name string) (Feed, error) {
	var f Feed
	err := s.db.GetContext(ctx, &f, `select `+feedColumns+` where f.workspace = $1 and f.name = $2`, workspace, name)
	if IsMissing(err) {
		return f, errNoFeed.With(name)
	}
	if err != nil {
		return f, fmt.Errorf("read feed: %w", err)
	}
	return f, nil
}

func (s *Store) feedByID(ctx context.Context, id int64) (Feed, error) {
	var f Feed
	if err := s.db.GetContext(ctx, &f, `select `+feedColumns+` where f.id = $1`, id); err != nil {
		return f, fmt.Errorf("read feed %d: %w", id, err)
	}
	return f, nil
}

// FeedChange is what is set of a feed; nil leaves what is there.
type FeedChange struct {
	Document *feed.Feed
	Secret   *string // encrypted
	Paused   *bool
	HostKey  *string
}

// SetFeed makes a feed, or changes one that is there: with a version above 0 only on
// that one. Whoever does so is who it acts for from then on, when its set-up changes.
func (s *Store) SetFeed(ctx context.Context, workspace, name string, version int, change FeedChange, by int64) error {
	changed := &Changed{}
	return s.logged(ctx, Entry{Person: by, Workspace: workspace, Action: "set feed", Subject: name, Changed: changed},
		func(tx pgx.Tx) error {
			rows, err := tx.Query(ctx, `select `+feedColumns+` where f.workspace = $1 and f.name = $2 for update of f`,
				workspace, name)
			if err != nil {
				return fmt.Errorf("set feed: %w", err)
			}
			f, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[Feed])
			there := err == nil
			switch {
			case err != nil && !IsMissing(err):
				return fmt.Errorf("set feed: %w", err)
			case !there && change.Document == nil:
				return errNoFeed.With(name)
			case !there && version > 0 || there && version > 0 && version != f.Version:
				return errChangedMeanwhile.With(name)
			}
			told := func(f Feed) map[string]any {
				return map[string]any{"set_up": f.Document.V, "paused": f.Paused, "host_key": f.HostKey, "new_secret": false}
			}
			was := told(f)
			if change.Document != nil {
				f.Document.V, f.Owner = *change.Document, by
			}
			if change.Secret != nil {
				f.Secret = *change.Secret
			}
			if change.Paused != nil {
				f.Paused = *change.Paused
			}
			if change.HostKey != nil {
				f.HostKey = *change.HostKey
			}
			now := told(f)
			now["new_secret"] = change.Secret != nil
			changed.Set(was, now)
			if !there {
				changed.Was = nil
			}
			next := f.NextAt
			if change.Document != nil || change.Paused != nil {
				next = nil
				if at := f.Document.V.When.Next(time.Now()); !at.IsZero() {
					next = &at
				}
			}
			_, err = tx.Exec(ctx, `
			insert into feeds (workspace, name, document, secret, host_key, paused, next_at, owner)
			values (@workspace, @name, @document, @secret, @host_key, @paused, @next, @owner)
			on conflict (workspace, name) do update
			set document = excluded.document, secret = excluded.secret, host_key = excluded.host_key, paused = excluded.paused,
				next_at = excluded.next_at, owner = excluded.owner, version = feeds.version + 1, changed_at = now()`,
				pgx.StrictNamedArgs{"workspace": workspace, "name": name, "document": f.Document, "secret": f.Secret,
					"host_key": f.HostKey, "paused": f.Paused, "next": next, "owner": f.Owner})
			if err != nil {
				return fmt.Errorf("set feed: %w", err)
			}
			return nil
		})
}

// RemoveFeed forgets a feed and what it has taken; its imports stay.
func (s *Store) RemoveFeed(ctx context.Context, workspace, name string, by int64) error {
	return s.logged(ctx, Entry{Person: by, Workspace: workspace, Action: "remove feed", Subject: name},
		func(tx pgx.Tx) error {
			tag, err := tx.Exec(ctx, `delete from feeds where workspace = $1 and name = $2`, workspace, name)
			if err != nil {
				return fmt.Errorf("remove feed: %w", err)
			}
			if tag.RowsAffected() == 0 {
				return errNoFeed.With(name)
			}
			return nil
		})
}

// AskFeed has a feed look at once; to try loads nothing.
func (s *Store) AskFeed(ctx context.Context, workspace, name string, try bool, by int64) error {
	action := "run feed"
	if try {
		action = "try feed"
	}
	return s.logged(ctx, Entry{Person: by, Workspace: workspace, Action: action, Subject: name}, func(tx pgx.Tx) error {
		var file, state string
		err := tx.QueryRow(ctx, `
			select x.name, x.state from feed_files x join feeds f on f.id = x.feed
			where f.workspace = $1 and f.name = $2 and `+notEnded, workspace, name).Scan(&file, &state)
		if err == nil {
			return fault.New(fault.Conflict, "feed_busy", "a file of the feed has not ended: "+state).With(file).
				Mended("Load it or discard it; then the feed looks again by itself.")
		}
		if !IsMissing(err) {
			return fmt.Errorf("run feed: %w", err)
		}
		tag, err := tx.Exec(ctx, `update feeds set next_at = now(), why = 'by hand', try = $3, asked_by = $4
			where workspace = $1 and name = $2`, workspace, name, try, by)
		if err != nil {
			return fmt.Errorf("run feed: %w", err)
		}
		if tag.RowsAffected() == 0 {
			return errNoFeed.With(name)
		}
		return nil
	})
}

// LookAgain has a feed look at once because a file of it has ended.
func lookAgain(ctx context.Context, tx pgx.Tx, feed int64) error {
	_, err := tx.Exec(ctx, `update feeds set next_at = now(), why = 'again', try = false where id = $1 and not paused
		and (next_at is null or next_at > now())`, feed)
	return err
}

// ClaimFeed takes a feed that is to look, and makes the run for it; ok is false when
// there is none. Those of which a file has not ended wait.
func (s *Store) ClaimFeed(ctx context.Context, process string) (f Feed, r FeedRun, ok bool, err error) {
	err = s.inTx(ctx, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, `select `+feedColumns+`
			where f.next_at <= now() and f.run is null and not exists (select from workspaces w where w.name = f.workspace
			and w.closed_at is not null) and (not f.paused or f.why = 'by hand')
				and not exists (select from feed_files x where x.feed = f.id and `+notEnded+`)
			order by f.next_at limit 1 for update of f skip locked`)
		if err != nil {
			return err
		}
		f, err = pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[Feed])
		if IsMissing(err) {
			return nil
		}
		if err != nil {
			return err
		}
		missed, now := 0, time.Now()
		if f.Why == "time" {
			for at := f.Document.V.When.Next(*f.NextAt); !at.IsZero() && at.Before(now) &&
				missed < 1000; at = f.Document.V.When.Next(at) {
				missed++
			}
		}
		rows, err = tx.Query(ctx, `insert into feed_runs (feed, process, why, person, due_at, missed)
			values ($1, $2, $3, $4, $5, $6)
			returning id, feed, why, '' as person, due_at, began_at, ended_at, seen, missed, said, trouble`, f.ID, process,
			f.Why, f.AskedBy, f.NextAt, missed)
		if err != nil {
			return err
		}
		if r, err = pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[FeedRun]); err != nil {
			return err
		}
		var next *time.Time
		if at := f.Document.V.When.Next(now); !at.IsZero() {
			next = &at
		}
		_, err = tx.Exec(ctx, `update feeds set run = $2, next_at = $3, why = 'time', try = false, asked_by = null
			where id = $1`, f.ID, r.ID, next)
		ok = err == nil
		return err
	})
	if err != nil {
		return f, r, false, fmt.Errorf("look for feeds: %w", err)
	}
	return f, r, ok, nil
}

// EndFeedRun ends a look of a feed. One that has failed, where the one before it has not
// failed so, is told to whoever it acts for, and who follows it.
func (s *Store) EndFeedRun(ctx context.Context, r FeedRun, f Feed) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		if t := r.Trouble.V; t != nil {
			var before *string
			err := tx.QueryRow(ctx, `select trouble->>'code' from feed_runs where feed = $1 and id < $2 order by id desc
				limit 1`, r.Feed, r.ID).Scan(&before)
			if err != nil && !IsMissing(err) {
				return fmt.Errorf("end a look of a feed: %w", err)
			}
			if before == nil || *before != t.Code {
				n := Notice{
					Workspace: &f.Workspace, Kind: Failed, Subject: "The feed " + f.Name + " cannot look",
					Link: "/w/" + f.Workspace + "/feeds/" + url.PathEscape(f.Name),
				}
				n.Lines.V = []string{t.Message + ".", t.Mend}
				if err := NotifyOfFeed(ctx, tx, n, f); err != nil {
					return err
				}
			}
		}
		if _, err := tx.Exec(ctx, `update feed_runs set ended_at = now(), seen = $2, said = $3, trouble = $4 where id = $1
			and ended_at is null`, r.ID, r.Seen, r.Said, r.Trouble); err != nil {
			return fmt.Errorf("end a look of a feed: %w", err)
		}
		_, err := tx.Exec(ctx, `update feeds set run = null where run = $1`, r.ID)
		if err != nil {
			return fmt.Errorf("end a look of a feed: %w", err)
		}
		return nil
	})
}

// FreeFeeds ends the looks of processes that have died; they look again at once.
func (s *Store) FreeFeeds(ctx context.Context, own string, silent time.Duration) error {
	_, err := s.pool.Exec(ctx, `
		with dead as (
			update feed_runs r set ended_at = now(), said = 'the service ended meanwhile; it looks again'
			where r.ended_at is null and (r.process = $1 or not exists (select from processes p where p.name = r.process
			and p.beat > now() - make_interval(secs => $2)))
			returning id, feed)
		update feeds f set run = null, next_at = now(), why = 'again' from dead where f.run = dead.id`, own, silent.Seconds())
	if err != nil {
		return fmt.Errorf("free feeds: %w", err)
	}
	return nil
}

// LearnHostKey keeps the key by which an SFTP host was first known.
func (s *Store) LearnHostKey(ctx context.Context, f Feed, key string) error {
	return s.logged(ctx, Entry{
		Workspace: f.Workspace, Action: "learn host key", Subject: f.Name,
		Changed: &Changed{nil, map[string]any{"host_key": key}},
	}, func(tx pgx.Tx) error {
		_, err := tx.Exec(ctx, `update feeds set host_key = $2 where id = $1 and host_key = ''`, f.ID, key)
		return err
	})
}

// FeedRuns lists the looks of a feed, newest first.
func (s *Store) FeedRuns(ctx context.Context, feed int64, most int) ([]FeedRun, error) {
	var list []FeedRun
	err := s.db.SelectContext(ctx, &list, `
		select r.id, r.feed, r.why, coalesce(p.name, '') as person, r.due_at, r.began_at, r.ended_at, r.seen, r.missed, r.said, r.trouble
		from feed_runs r left join people p on p.id = r.person where r.feed = $1 order by r.id desc limit $2`, feed, most)
	if err != nil {
		return nil, fmt.Errorf("list looks of a feed: %w", err)
	}
	return list, nil
}

// FeedFiles lists the files that a feed has taken, newest first; 0 is all.
func (s *Store) FeedFiles(ctx context.Context, feed int64, most int) ([]FeedFile, error) {
	var list []FeedFile
	if err := s.db.SelectContext(ctx, &list, `select `+feedFileColumns+` where x.feed = $1 order by x.id desc
		limit nullif($2, 0)`, feed, most); err != nil {
		return nil, fmt.Errorf("list files of a feed: %w", err)
	}
	return list, nil
}

// OpenFeedFiles lists the files that have not ended, of all feeds.
func (s *Store) OpenFeedFiles(ctx context.Context) ([]FeedFile, error) {
	var list []FeedFile
	if err := s.db.SelectContext(ctx, &list, `select `+feedFileColumns+` where `+notEnded); err != nil {
		return nil, fmt.Errorf("list files of feeds: %w", err)
	}
	return list, nil
}

// FeedFileOf gives the file that an import came from, and its feed; ok is false when no
// feed has brought it.
func (s *Store) FeedFileOf(ctx context.Context, importID int64) (x FeedFile, f Feed, ok bool, err error) {
	err = s.db.GetContext(ctx, &x, `select `+feedFileColumns+` where x.import = $1`, importID)
	if IsMissing(err) {
		return x, f, false, nil
	}
	if err != nil {
		return x, f, false, fmt.Errorf("read a file of a feed: %w", err)
	}
	f, err = s.feedByID(ctx, x.Feed)
	return x, f, err == nil, err
}

// WithFeedFile does something with a file that a feed has taken, of an import, while
// nobody else does in any process.
func (s *Store) WithFeedFile(ctx context.Context, importID int64, f func() error) error {
	return s.pool.AcquireFunc(ctx, func(conn *pgxpool.Conn) error {
		const lock = 0x66656564
		//nolint:gosec // two that share it wait for each other, no more
		if _, err := conn.Exec(ctx, `select pg_advisory_lock($1, $2)`, lock, int32(importID)); err != nil {
			return fmt.Errorf("lock a file of a feed: %w", err)
		}
		//nolint:errcheck,gosec // the lock ends with the connection
		defer conn.Exec(context.WithoutCancel(ctx), `select pg_advisory_unlock($1, $2)`, lock, int32(importID))
		return f()
	})
}

// PassOver notes files that are not loaded.
func (s *Store) PassOver(ctx context.Context, x FeedFile) error {
	_, err := s.pool.Exec(ctx, `insert into feed_files (feed, run, name, bytes, modified, tag, sha256, state, reasons,
		ended_at) values ($1, $2, $3, $4, $5, $6, $7, 'passed_over', $8, now())`,
		x.Feed, x.Run, x.Name, x.Bytes, x.Modified, x.Tag, x.SHA256, x.Reasons)
	if err != nil {
		return fmt.Errorf("pass over a file: %w", err)
	}
	return nil
}

// TakeFile notes in a transaction that an import was made of a file.
func TakeFile(ctx context.Context, tx pgx.Tx, x FeedFile) error {
	_, err := tx.Exec(ctx, `insert into feed_files (feed, run, name, bytes, modified, tag, sha256, import, state, try)
		values ($1, $2, $3, $4, $5, $6, $7, $8, 'reading', $9)`,
		x.Feed, x.Run, x.Name, x.Bytes, x.Modified, x.Tag, x.SHA256, x.Import, x.Try)
	if err != nil {
		return fmt.Errorf("take a file: %w", err)
	}
	return nil
}

// MoveFeedFile changes where a file stands, unless somebody has done so before; ok tells
// whether it was this one. When it has ended its feed looks again, and also does in the
// same transaction.
func (s *Store) MoveFeedFile(ctx context.Context, x FeedFile, to FeedState, reasons []feed.Breach, rows int64,
	also func(tx pgx.Tx) error) (ok bool, err error) {
	err = s.inTx(ctx, func(tx pgx.Tx) error {
		ended := to == FeedLoaded || to == FeedRefused
		tag, err := tx.Exec(ctx, `update feed_files set state = $3, reasons = $4, rows = $5, ended_at = case
			when $6 then now() end where id = $1 and state = $2`,
			x.ID, x.State, to, JSON[[]feed.Breach]{append([]feed.Breach{}, reasons...)}, rows, ended)
		if err != nil || tag.RowsAffected() == 0 {
			return err
		}
		ok = true
		if also != nil {
			if err := also(tx); err != nil {
				return err
			}
		}
		if ended {
			return lookAgain(ctx, tx, x.Feed)
		}
		return nil
	})
	if err != nil {
		return false, fmt.Errorf("move a file of a feed: %w", err)
	}
	return ok, nil
}

// NoteMoved notes that a file that was loaded was put away at its place.
func (s *Store) NoteMoved(ctx context.Context, id int64) error {
	_, err := s.pool.Exec(ctx, `update feed_files set moved = true where id = $1`, id)
	if err != nil {
		return fmt.Errorf("note a moved file: %w", err)
	}
	return nil
}

// Reseal replaces the encrypted secrets of all feeds and hooks by what change makes of
// them: of each the table, its workspace, and its name or address.
func (s *Store) Reseal(ctx context.Context, by int64, change func(table, workspace, name, sealed string) (string,
	error)) (n int, err error) {
	err = s.logged(ctx, Entry{Person: by, Action: "change the key of passwords", Subject: "service"},
		func(tx pgx.Tx) error {
			for table, name := range map[string]string{"feeds": "name", "hooks": "url"} {
				rows, err := tx.Query(ctx, `select id, workspace, `+name+`, secret from `+table+` where secret <> '' for update`)
				if err != nil {
					return err
				}
				type one struct {
					ID                      int64
					Workspace, Name, Secret string
				}
				list, err := pgx.CollectRows(rows, pgx.RowToStructByPos[one])
				if err != nil {
					return err
				}
				for _, x := range list {
					now, err := change(table, x.Workspace, x.Name, x.Secret)
					if err != nil {
						return err
					}
					if _, err := tx.Exec(ctx, `update `+table+` set secret = $2 where id = $1`, x.ID, now); err != nil {
						return err
					}
					n++
				}
			}
			return nil
		})
	return n, err
}
