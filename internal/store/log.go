package store

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"reflect"
	"strconv"
	"time"

	"uchi/internal/core/fault"

	"github.com/jackc/pgx/v5"
)

// Entry is one line of the log: who did what to what. A person of 0 is the
// service itself; the workspace is empty for what is about all of them.
type Entry struct {
	Person    int64
	Workspace string
	Action    string
	Subject   string
	Changed   *Changed // of settings, filled until the entry is written
}

// Changed is what an act has changed of settings: those of their parts that differ.
type Changed struct{ Was, Now any }

// Set notes what something was and is.
func (c *Changed) Set(was, now any) { c.Was, c.Now = was, now }

// Origin is from where an act comes.
type Origin struct {
	Address string // of the network
	Agent   string // the program that it was done with
	Request string // id of the request
	Token   string // label of the token that it was done with
}

type originKey struct{}

// From gives a context in which acts come from an origin.
func From(ctx context.Context, o Origin) context.Context {
	return context.WithValue(ctx, originKey{}, o)
}

func originOf(ctx context.Context) Origin {
	o, _ := ctx.Value(originKey{}).(Origin)
	return o
}

func logIn(ctx context.Context, tx pgx.Tx, e Entry) error {
	o := originOf(ctx)
	var detail []byte
	if e.Changed != nil {
		was, now, err := e.Changed.parts()
		if err == nil && (was != nil || now != nil) {
			detail, err = json.Marshal(map[string]any{"was": was, "now": now})
		}
		if err != nil {
			return fmt.Errorf("write the log: %w", err)
		}
	}
	_, err := tx.Exec(ctx, `insert into log (person, workspace, action, subject, address, request, token, detail)
		values (nullif($1, 0), nullif($2, ''), $3, $4, $5, $6, $7, $8)`,
		e.Person, e.Workspace, e.Action, e.Subject, o.Address, o.Request, o.Token, detail)
	if err != nil {
		return fmt.Errorf("write the log: %w", err)
	}
	return nil
}

// logged makes a change and its entry in the log in one transaction.
func (s *Store) logged(ctx context.Context, e Entry, f func(tx pgx.Tx) error) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		if err := f(tx); err != nil {
			return err
		}
		return logIn(ctx, tx, e)
	})
}

// parts gives those parts of two documents that differ, nil for none.
func (c Changed) parts() (was, now any, err error) {
	plain := func(v any) (out any, err error) {
		b, err := json.Marshal(v)
		if err == nil {
			err = json.Unmarshal(b, &out)
		}
		return byNames(out), err
	}
	if was, err = plain(c.Was); err != nil {
		return nil, nil, err
	}
	if now, err = plain(c.Now); err != nil {
		return nil, nil, err
	}
	was, now = differing(was, now)
	return was, now, nil
}

// byNames turns lists of things that have names into the things by their names, so that
// one that was put between others does not make all differ.
func byNames(v any) any {
	switch v := v.(type) {
	case map[string]any:
		for k, x := range v {
			v[k] = byNames(x)
		}
	case []any:
		out := map[string]any{}
		for _, x := range v {
			m, _ := x.(map[string]any)
			name, ok := m["name"].(string)
			if !ok {
				return v
			}
			out[name] = byNames(x)
		}
		if len(out) == len(v) && len(v) > 0 {
			return out
		}
	}
	return v
}

func differing(a, b any) (x, y any) {
	if reflect.DeepEqual(a, b) {
		return nil, nil
	}
	ma, ok := a.(map[string]any)
	mb, both := b.(map[string]any)
	if !ok || !both {
		return a, b
	}
	was, now := map[string]any{}, map[string]any{}
	for k, v := range ma {
		if w, there := mb[k]; !there {
			was[k] = v
		} else if v, w = differing(v, w); v != nil || w != nil {
			was[k], now[k] = v, w
		}
	}
	for k, w := range mb {
		if _, there := ma[k]; !there {
			now[k] = w
		}
	}
	return was, now
}

// LogEntry is an entry of the log as it is read.
type LogEntry struct {
	ID        int64            `db:"id"`
	At        time.Time        `db:"at"`
	Person    string           `db:"person"` // empty for the service itself
	Email     string           `db:"email"`
	Workspace string           `db:"workspace"`
	Action    string           `db:"action"`
	Subject   string           `db:"subject"`
	Address   string           `db:"address"`
	Request   string           `db:"request"`
	Token     string           `db:"token"`
	Detail    *json.RawMessage `db:"detail"`
}

// LogFilter says which entries of the log are looked at; what is blank does not narrow.
type LogFilter struct {
	Person       string // an e-mail address, or - for the service itself
	Workspace    string
	Text         string // in the action or the subject
	Since, Until *time.Time
	Before       int64 // an entry: only older ones
}

// EachLogEntry reads entries of the log, newest first, at most so many; 0 is all.
func (s *Store) EachLogEntry(ctx context.Context, f LogFilter, most int, each func(LogEntry) error) error {
	rows, err := s.pool.Query(ctx, `
		select l.id, l.at, coalesce(p.name, '') as person, coalesce(p.email, '') as email,
		coalesce(l.workspace, '') as workspace, l.action, l.subject, l.address, l.request, l.token, l.detail
		from log l left join people p on p.id = l.person
		where (@person = '' or p.email = lower(@person) or @person = '-' and l.person is null)
			and (@workspace = '' or l.workspace = @workspace)
			and (@text = '' or strpos(lower(l.action || ' ' || l.subject), lower(@text)) > 0)
			and (@since::timestamptz is null or l.at >= @since) and (@until::timestamptz is null or l.at < @until)
			and (@before::bigint = 0 or l.id < @before)
		order by l.id desc limit nullif(@most::bigint, 0)`,
		pgx.StrictNamedArgs{"person": f.Person, "workspace": f.Workspace, "text": f.Text, "since": f.Since,
			"until": f.Until, "before": f.Before, "most": most})
	if err != nil {
		return fmt.Errorf("read the log: %w", err)
	}
	defer rows.Close()
	for rows.Next() {
		e, err := pgx.RowToStructByName[LogEntry](rows)
		if err != nil {
			return fmt.Errorf("read the log: %w", err)
		}
		if err := each(e); err != nil {
			return err
		}
	}
	if err := rows.Err(); err != nil {
		return fmt.Errorf("read the log: %w", err)
	}
	return nil
}

// sealed is the SQL of what of an entry l goes into its seal.
const sealed = `json_build_array(l.id, (extract(epoch from l.at) * 1000000)::bigint, l.person, l.workspace, l.action, l.subject, l.address, l.request, l.token, l.detail)::text`

// lateBy is how many entries may be written before one that was begun earlier.
const lateBy = 10_000

// sealChunk is how many entries are sealed at once.
const sealChunk = 5_000

// SealLog seals the entries that are not yet, in one process at a time. Those that were
// begun long before they were written are found by a thorough look.
func (s *Store) SealLog(ctx context.Context, thorough bool) error {
	for {
		n, err := s.sealSome(ctx, thorough)
		if err != nil {
			return fmt.Errorf("seal the log: %w", err)
		}
		if n < sealChunk {
			return nil
		}
	}
}

func (s *Store) sealSome(ctx context.Context, thorough bool) (n int, err error) {
	err = s.inTx(ctx, func(tx pgx.Tx) error {
		var mine bool
		const lock = 0x7365616c
		if err := tx.QueryRow(ctx, `select pg_try_advisory_xact_lock($1)`, lock).Scan(&mine); err != nil || !mine {
			return err
		}
		number, before, err := lastSeal(ctx, tx)
		if err != nil {
			return err
		}
		rows, err := tx.Query(ctx, `
			select l.id, `+sealed+` from log l
			where ($1 or l.id > (select coalesce(max(entry), 0) - $2 from log_seals)) and not exists (select from log_seals s
			where s.entry = l.id)
			order by l.id limit $3`, thorough, lateBy, sealChunk)
		if err != nil {
			return err
		}
		var ids, numbers []int64
		var hashes [][]byte
		var id int64
		var text string
		_, err = pgx.ForEachRow(rows, []any{&id, &text}, func() error {
			number++
			before = seal(before, text)
			ids, numbers, hashes = append(ids, id), append(numbers, number), append(hashes, before)
			return nil
		})
		if err != nil || len(ids) == 0 {
			return err
		}
		n = len(ids)
		_, err = tx.Exec(ctx, `insert into log_seals (number, entry, hash) select *
			from unnest($1::bigint[], $2::bigint[], $3::bytea[])`, numbers, ids, hashes)
		return err
	})
	return n, err
}

func lastSeal(ctx context.Context, q interface {
	QueryRow(ctx context.Context, sql string, args ...any) pgx.Row
},
) (number int64, hash []byte, err error) {
	err = q.QueryRow(ctx, `select number, hash from log_seals order by number desc limit 1`).Scan(&number, &hash)
	if IsMissing(err) {
		return 0, nil, nil
	}
	return number, hash, err
}

// seal is the hash of an entry and of the seal before it.
func seal(before []byte, text string) []byte {
	sum := sha256.Sum256(append(bytes.Clone(before), text...))
	return sum[:]
}

// LogProof is what a look through the seals of the log has found.
type LogProof struct {
	Entries  int64  // that are sealed
	Unsealed int64  // that are not yet
	Last     string // the last seal, in hexadecimal; whoever keeps it elsewhere can tell later whether the end was cut off
	Broken   int64  // the number of the first seal that does not fit, 0 for none
	Entry    int64  // the entry that it is of
	Why      string
}

// ProveLog looks through all seals of the log; with the seal that the log once ended
// with, in hexadecimal, whether it is still there.
func (s *Store) ProveLog(ctx context.Context, once string) (p LogProof, err error) {
	rows, err := s.pool.Query(ctx, `
		select s.number, s.entry, s.hash, case when l.id is null then '' else `+sealed+
		` end from log_seals s left join log l on l.id = s.entry order by s.number`)
	if err != nil {
		return p, fmt.Errorf("prove the log: %w", err)
	}
	broken := func(number, entry int64, why string) {
		if p.Broken == 0 {
			p.Broken, p.Entry, p.Why = number, entry, why
		}
	}
	var number, entry int64
	var hash, before []byte
	var text string
	found := once == ""
	_, err = pgx.ForEachRow(rows, []any{&number, &entry, &hash, &text}, func() error {
		p.Entries++
		switch {
		case number != p.Entries:
			broken(p.Entries, entry, "a seal is missing before it")
		case text == "":
			broken(number, entry, "the entry is gone")
		case !bytes.Equal(seal(before, text), hash):
			broken(number, entry, "the entry, or its seal, was changed")
		}
		before = bytes.Clone(hash)
		found = found || hex.EncodeToString(hash) == once
		return nil
	})
	if err != nil {
		return p, fmt.Errorf("prove the log: %w", err)
	}
	p.Last = hex.EncodeToString(before)
	if !found {
		broken(p.Entries+1, 0, "the seal that it once ended with is not there: its end was cut off, or the seal is of another log")
	}
	if err := s.pool.QueryRow(ctx, `select count(*) from log l where not exists (select from log_seals s
		where s.entry = l.id)`).Scan(&p.Unsealed); err != nil {
		return p, fmt.Errorf("prove the log: %w", err)
	}
	return p, nil
}

// ParseLogBefore reads the cursor of a page of the log.
func ParseLogBefore(cursor string) (int64, error) {
	if cursor == "" {
		return 0, nil
	}
	n, err := strconv.ParseInt(cursor, 10, 64)
	if err != nil || n <= 0 {
		return 0, fault.New(fault.Invalid, "bad_cursor",
			"the cursor is not one of this list").With(cursor).Mended("Begin at the first page again.")
	}
	return n, nil
}
