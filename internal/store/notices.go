package store

import (
	"context"
	"fmt"
	"slices"
	"time"

	"uchi/internal/core/fault"

	"github.com/jackc/pgx/v5"
)

// NoticeKind is what a notice tells of.
type NoticeKind string

// What people can be told of.
const (
	Waits      NoticeKind = "waits"       // a file that a feed has taken waits for a person
	Failed     NoticeKind = "failed"      // a feed could not look
	Ended      NoticeKind = "ended"       // a feed has loaded a file
	AsksYes    NoticeKind = "approval"    // somebody asks for a yes
	Decided    NoticeKind = "decided"     // somebody has said yes or no to what I asked for
	HandedOver NoticeKind = "handed_over" // an import was handed over to me
)

// NoticeKinds lists them.
var NoticeKinds = []NoticeKind{Waits, Failed, Ended, AsksYes, Decided, HandedOver}

// Notice is something that a person is told of.
type Notice struct {
	ID        int64          `db:"id"`
	Person    int64          `db:"person"`
	Workspace *string        `db:"workspace"`
	Kind      NoticeKind     `db:"kind"`
	Subject   string         `db:"subject"`
	Lines     JSON[[]string] `db:"lines"`
	Link      string         `db:"link"`
	MadeAt    time.Time      `db:"made_at"`
	SentAt    *time.Time     `db:"sent_at"`
	Tries     int            `db:"tries"`
	NextAt    *time.Time     `db:"next_at"`
	Trouble   string         `db:"trouble"`
	Email     string         `db:"email"`
	Name      string         `db:"name"`
}

// FeedNotices are the kinds that tell of feeds.
var FeedNotices = []NoticeKind{Waits, Failed, Ended}

// Notify tells those of the people who want to know of such a thing and may sign in, and
// the programs that do.
func Notify(ctx context.Context, tx pgx.Tx, n Notice, people []int64) error {
	return notify(ctx, tx, n, `p.id = any($6) and $2 = any(p.told)`, people)
}

// NotifyOfFeed tells those who want to know of such a thing of a feed: who follows it, and else
// whom it acts for. Nobody is told of a workspace that they may not look at.
func NotifyOfFeed(ctx context.Context, tx pgx.Tx, n Notice, f Feed) error {
	return notify(ctx, tx, n, `case
			when exists (select from feed_followers w where w.feed = $6 and w.person = p.id)
			then exists (select from feed_followers w where w.feed = $6 and w.person = p.id and $2 = any(w.told))
			else p.id = (select owner from feeds where id = $6) and $2 = any(p.told)
		end and coalesce((select role from workspace_roles r where r.person = p.id
		and r.workspace = $1), p.role) <> 'none'`, f.ID)
}

// notify tells the people p who may sign in and for whom who holds, of whom $6 tells.
func notify(ctx context.Context, tx pgx.Tx, n Notice, who string, of any) error {
	_, err := tx.Exec(ctx, `
		insert into notices (person, workspace, kind, subject, lines, link)
		select p.id, $1, $2, $3, $4, $5 from people p where p.active and `+who,
		n.Workspace, n.Kind, fault.Cut(n.Subject, 200), JSON[[]string]{append([]string{}, n.Lines.V...)}, n.Link, of)
	if err != nil {
		return fmt.Errorf("notify: %w", err)
	}
	return callHooks(ctx, tx, n)
}

// FeedTold gives of what a person is told of a feed; usual when that is what they are told of
// feeds of theirs, and nothing of those of others.
func (s *Store) FeedTold(ctx context.Context, f Feed, person int64) (kinds []NoticeKind, usual bool, err error) {
	var list []string
	err = s.pool.QueryRow(ctx, `select told from feed_followers where feed = $1 and person = $2`, f.ID, person).Scan(&list)
	if usual = IsMissing(err); usual {
		list, err = nil, nil
		if f.Owner == person {
			err = s.pool.QueryRow(ctx, `select told from people where id = $1`, person).Scan(&list)
		}
	}
	if err != nil {
		return nil, false, fmt.Errorf("read of what somebody is told: %w", err)
	}
	for _, k := range FeedNotices {
		if slices.Contains(list, string(k)) {
			kinds = append(kinds, k)
		}
	}
	return kinds, usual, nil
}

// SetFeedTold sets of what a person is told of a feed; nil lets what they are told usually hold.
func (s *Store) SetFeedTold(ctx context.Context, f Feed, person int64, kinds *[]NoticeKind) error {
	changed := &Changed{}
	return s.logged(ctx, Entry{Person: person, Workspace: f.Workspace, Action: "change notices", Subject: f.Name,
		Changed: changed}, func(tx pgx.Tx) error {
		if kinds == nil {
			changed.Set(nil, map[string]any{"told": "as usual"})
			if _, err := tx.Exec(ctx, `delete from feed_followers where feed = $1 and person = $2`, f.ID, person); err != nil {
				return fmt.Errorf("set of what somebody is told: %w", err)
			}
			return nil
		}
		list, err := noticeWords(*kinds, FeedNotices)
		if err != nil {
			return err
		}
		changed.Set(nil, map[string]any{"told": list})
		_, err = tx.Exec(ctx, `insert into feed_followers (feed, person, told) values ($1, $2, $3)
			on conflict (feed, person) do update set told = excluded.told`, f.ID, person, list)
		if err != nil {
			return fmt.Errorf("set of what somebody is told: %w", err)
		}
		return nil
	})
}

// noticeWords gives kinds as words, all of which must be among some.
func noticeWords(kinds, among []NoticeKind) ([]string, error) {
	list := []string{}
	for _, k := range kinds {
		if !slices.Contains(among, k) {
			return nil, fault.New(fault.Invalid, "unknown_notice", "nobody is told of such a thing").With(string(k)).
				Mended(fmt.Sprintf("Choose of %v.", among))
		}
		list = append(list, string(k))
	}
	return list, nil
}

// Notices lists what a person was told, newest first.
func (s *Store) Notices(ctx context.Context, person int64, most int) ([]Notice, error) {
	var list []Notice
	err := s.db.SelectContext(ctx, &list, `
		select n.id, n.person, n.workspace, n.kind, n.subject, n.lines, n.link, n.made_at, n.sent_at, n.tries, n.next_at,
		n.trouble, p.email, p.name
		from notices n join people p on p.id = n.person where n.person = $1 order by n.id desc limit $2`, person, most)
	if err != nil {
		return nil, fmt.Errorf("list notices: %w", err)
	}
	return list, nil
}

// NoticesAfter lists what a person was told behind a notice, oldest first; of a negative one
// none, but last is always the newest that there is.
func (s *Store) NoticesAfter(ctx context.Context, person, after int64) (list []Notice, last int64, err error) {
	if after < 0 {
		err = s.pool.QueryRow(ctx, `select coalesce(max(id), 0) from notices where person = $1`, person).Scan(&last)
	} else {
		last = after
		err = s.db.SelectContext(ctx, &list, `
			select n.id, n.person, n.workspace, n.kind, n.subject, n.lines, n.link, n.made_at, n.sent_at, n.tries, n.next_at,
			n.trouble, p.email, p.name
			from notices n join people p on p.id = n.person where n.person = $1 and n.id > $2 order by n.id limit 100`,
			person, after)
	}
	if err != nil {
		return nil, after, fmt.Errorf("list new notices: %w", err)
	}
	if len(list) > 0 {
		last = list[len(list)-1].ID
	}
	return list, last, nil
}

// Told gives of what a person is told.
func (s *Store) Told(ctx context.Context, person int64) ([]NoticeKind, error) {
	var list []string
	if err := s.pool.QueryRow(ctx, `select told from people where id = $1`, person).Scan(&list); err != nil {
		return nil, fmt.Errorf("read of what somebody is told: %w", err)
	}
	kinds := []NoticeKind{}
	for _, k := range list {
		kinds = append(kinds, NoticeKind(k))
	}
	return kinds, nil
}

// SetTold sets of what a person is told.
func (s *Store) SetTold(ctx context.Context, person int64, kinds []NoticeKind) error {
	list, err := noticeWords(kinds, NoticeKinds)
	if err != nil {
		return err
	}
	changed := &Changed{}
	return s.logged(ctx, Entry{Person: person, Action: "change notices", Changed: changed}, func(tx pgx.Tx) error {
		var was []string
		err := tx.QueryRow(ctx, `with was as materialized (select told from people where id = $1) update people
			set told = $2 where id = $1 returning (select told from was)`, person, list).Scan(&was)
		changed.Set(map[string]any{"told": was}, map[string]any{"told": list})
		return err
	})
}

// noticeWaits are how long it takes until a notice that could not be sent is tried
// again; behind the last it is given up.
var noticeWaits = []time.Duration{time.Minute, 5 * time.Minute, 30 * time.Minute, 2 * time.Hour, 6 * time.Hour,
	24 * time.Hour}

// SendNotice sends the next notice that is to go out; ok is false when there is none. No
// other process sends it meanwhile, and an error of send is noted with it.
func (s *Store) SendNotice(ctx context.Context, send func(Notice) error) (ok bool, err error) {
	err = s.inTx(ctx, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, `
			select n.id, n.person, n.workspace, n.kind, n.subject, n.lines, n.link, n.made_at, n.sent_at, n.tries, n.next_at,
			n.trouble, p.email, p.name
			from notices n join people p on p.id = n.person where n.next_at <= now() order by n.next_at
			limit 1 for update of n skip locked`)
		if err != nil {
			return err
		}
		n, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[Notice])
		if IsMissing(err) {
			return nil
		}
		if err != nil {
			return err
		}
		ok = true
		if err := send(n); err != nil {
			var next *time.Time
			if n.Tries < len(noticeWaits) {
				at := time.Now().Add(noticeWaits[n.Tries])
				next = &at
			}
			_, err = tx.Exec(ctx, `update notices set tries = tries + 1, next_at = $2, trouble = $3 where id = $1`, n.ID,
				next, fault.Cut(err.Error(), 500))
			return err
		}
		_, err = tx.Exec(ctx, `update notices set tries = tries + 1, sent_at = now(), next_at = null, trouble = ''
			where id = $1`, n.ID)
		return err
	})
	if err != nil {
		return false, fmt.Errorf("send a notice: %w", err)
	}
	return ok, nil
}
