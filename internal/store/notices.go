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

// Notify tells those of the people who want to know of such a thing and may sign in, and
// the programs that do.
func Notify(ctx context.Context, tx pgx.Tx, n Notice, people []int64) error {
	_, err := tx.Exec(ctx, `
		insert into notices (person, workspace, kind, subject, lines, link)
		select p.id, $2, $3, $4, $5, $6 from people p where p.id = any($1) and p.active and $3 = any(p.told)`,
		people, n.Workspace, n.Kind, fault.Cut(n.Subject, 200), JSON[[]string]{append([]string{}, n.Lines.V...)}, n.Link)
	if err != nil {
		return fmt.Errorf("notify: %w", err)
	}
	return callHooks(ctx, tx, n)
}

// Notices lists what a person was told, newest first.
func (s *Store) Notices(ctx context.Context, person int64, most int) ([]Notice, error) {
	var list []Notice
	err := s.db.SelectContext(ctx, &list, `
		select n.id, n.person, n.workspace, n.kind, n.subject, n.lines, n.link, n.made_at, n.sent_at, n.tries, n.next_at, n.trouble, p.email, p.name
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
			select n.id, n.person, n.workspace, n.kind, n.subject, n.lines, n.link, n.made_at, n.sent_at, n.tries, n.next_at, n.trouble, p.email, p.name
			from notices n join people p on p.id = n.person where n.person = $1 and n.id > $2 order by n.id limit 100`, person, after)
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
	list := []string{}
	for _, k := range kinds {
		if !slices.Contains(NoticeKinds, k) {
			return fault.New(fault.Invalid, "unknown_notice", "nobody is told of such a thing").With(string(k)).
				Mended(fmt.Sprintf("Choose of %v.", NoticeKinds))
		}
		list = append(list, string(k))
	}
	changed := &Changed{}
	return s.logged(ctx, Entry{Person: person, Action: "change notices", Changed: changed}, func(tx pgx.Tx) error {
		var was []string
		err := tx.QueryRow(ctx, `with was as materialized (select told from people where id = $1) update people set told = $2 where id = $1 returning (select told from was)`, person, list).Scan(&was)
		changed.Set(map[string]any{"told": was}, map[string]any{"told": list})
		return err
	})
}

// noticeWaits are how long it takes until a notice that could not be sent is tried
// again; behind the last it is given up.
var noticeWaits = []time.Duration{time.Minute, 5 * time.Minute, 30 * time.Minute, 2 * time.Hour, 6 * time.Hour, 24 * time.Hour}

// SendNotice sends the next notice that is to go out; ok is false when there is none. No
// other process sends it meanwhile, and an error of send is noted with it.
func (s *Store) SendNotice(ctx context.Context, send func(Notice) error) (ok bool, err error) {
	err = s.inTx(ctx, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, `
			select n.id, n.person, n.workspace, n.kind, n.subject, n.lines, n.link, n.made_at, n.sent_at, n.tries, n.next_at, n.trouble, p.email, p.name
			from notices n join people p on p.id = n.person where n.next_at <= now() order by n.next_at limit 1 for update of n skip locked`)
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
			_, err = tx.Exec(ctx, `update notices set tries = tries + 1, next_at = $2, trouble = $3 where id = $1`, n.ID, next, fault.Cut(err.Error(), 500))
			return err
		}
		_, err = tx.Exec(ctx, `update notices set tries = tries + 1, sent_at = now(), next_at = null, trouble = '' where id = $1`, n.ID)
		return err
	})
	if err != nil {
		return false, fmt.Errorf("send a notice: %w", err)
	}
	return ok, nil
}
