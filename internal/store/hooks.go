package store

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"uchi/internal/core/fault"

	"github.com/jackc/pgx/v5"
)

// Hook is an address of another program that is told what people are told.
type Hook struct {
	ID        int64     `db:"id"`
	Workspace string    `db:"workspace"`
	URL       string    `db:"url"`
	Kinds     []string  `db:"kinds"`
	Secret    string    `db:"secret"` // encrypted
	Paused    bool      `db:"paused"`
	Trouble   string    `db:"trouble"`
	MadeBy    string    `db:"made_by"`
	MadeAt    time.Time `db:"made_at"`
}

// HookCall is something that such a program is told.
type HookCall struct {
	ID      int64           `db:"id"`
	Hook    int64           `db:"hook"`
	Kind    NoticeKind      `db:"kind"`
	Body    json.RawMessage `db:"body"`
	MadeAt  time.Time       `db:"made_at"`
	SentAt  *time.Time      `db:"sent_at"`
	Tries   int             `db:"tries"`
	NextAt  *time.Time      `db:"next_at"`
	Trouble string          `db:"trouble"`
}

const (
	hookColumns = `h.id, h.workspace, h.url, h.kinds, h.secret, h.paused, h.trouble, p.name as made_by, h.made_at from hooks h join people p on p.id = h.made_by`
	callColumns = `c.id, c.hook, c.kind, c.body, c.made_at, c.sent_at, c.tries, c.next_at, c.trouble from hook_calls c`
)

// callHooks lets the programs that want to know of such a thing be told.
func callHooks(ctx context.Context, tx pgx.Tx, n Notice) error {
	if n.Workspace == nil {
		return nil
	}
	body, err := json.Marshal(map[string]any{
		"type": string(n.Kind), "timestamp": time.Now().UTC().Format(time.RFC3339),
		"data": map[string]any{"workspace": *n.Workspace, "subject": n.Subject, "lines": append([]string{}, n.Lines.V...),
			"link": n.Link},
	})
	if err != nil {
		return fmt.Errorf("notify: %w", err)
	}
	_, err = tx.Exec(ctx, `insert into hook_calls (hook, kind, body) select id, $2, $3 from hooks where workspace = $1
		and $2 = any(kinds) and not paused`, *n.Workspace, n.Kind, body)
	if err != nil {
		return fmt.Errorf("notify: %w", err)
	}
	return nil
}

// Hooks lists the hooks of a workspace.
func (s *Store) Hooks(ctx context.Context, workspace string) ([]Hook, error) {
	rows, err := s.pool.Query(ctx, `select `+hookColumns+` where h.workspace = $1 order by h.id`, workspace)
	if err != nil {
		return nil, fmt.Errorf("list hooks: %w", err)
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Hook])
}

// HookCalls lists what a hook was told, newest first.
func (s *Store) HookCalls(ctx context.Context, hook int64, most int) ([]HookCall, error) {
	rows, err := s.pool.Query(ctx, `select `+callColumns+` where c.hook = $1 order by c.id desc limit $2`, hook, most)
	if err != nil {
		return nil, fmt.Errorf("list calls: %w", err)
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[HookCall])
}

// AddHook adds a hook and gives its number.
func (s *Store) AddHook(ctx context.Context, h Hook, by int64) (int64, error) {
	var id int64
	err := s.logged(ctx, Entry{Person: by, Workspace: h.Workspace, Action: "add hook", Subject: h.URL},
		func(tx pgx.Tx) error {
			return tx.QueryRow(ctx, `insert into hooks (workspace, url, kinds, secret, made_by) values ($1, $2, $3, $4, $5)
			returning id`, h.Workspace, h.URL, h.Kinds, h.Secret, by).Scan(&id)
		})
	if err != nil {
		return 0, fmt.Errorf("add hook: %w", err)
	}
	return id, nil
}

// RemoveHook forgets a hook.
func (s *Store) RemoveHook(ctx context.Context, workspace string, id, by int64) error {
	return s.logged(ctx, Entry{Person: by, Workspace: workspace, Action: "remove hook", Subject: fmt.Sprint(id)},
		func(tx pgx.Tx) error {
			tag, err := tx.Exec(ctx, `delete from hooks where id = $1 and workspace = $2`, id, workspace)
			if err == nil && tag.RowsAffected() == 0 {
				return fault.New(fault.NotFound, "unknown_hook", "there is no such hook in this workspace").With(fmt.Sprint(id))
			}
			return err
		})
}

// ErrHookGone says that the program at a hook wants to be told no more.
var ErrHookGone = fault.New(fault.NotFound, "hook_gone", "the address wants to be told no more")

// CallHook makes the next call that is to be made; ok is false when there is none. An
// error of call is noted with it, and it is tried again; a hook whose call was given up,
// or that wants no more, is paused.
func (s *Store) CallHook(ctx context.Context, call func(Hook, HookCall) error) (ok bool, err error) {
	err = s.inTx(ctx, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, `select `+callColumns+` where c.next_at <= now() order by c.next_at
			limit 1 for update of c skip locked`)
		if err != nil {
			return err
		}
		c, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[HookCall])
		if IsMissing(err) {
			return nil
		}
		if err != nil {
			return err
		}
		ok = true
		rows, err = tx.Query(ctx, `select `+hookColumns+` where h.id = $1`, c.Hook)
		if err != nil {
			return err
		}
		h, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[Hook])
		if err != nil {
			return err
		}
		failed := call(h, c)
		if failed == nil {
			_, err = tx.Exec(ctx, `update hook_calls set tries = tries + 1, sent_at = now(), next_at = null, trouble = ''
				where id = $1`, c.ID)
			return err
		}
		var next *time.Time
		gone := fault.Is(failed, ErrHookGone.Code)
		if c.Tries < len(noticeWaits) && !gone {
			at := time.Now().Add(noticeWaits[c.Tries])
			next = &at
		}
		if _, err = tx.Exec(ctx, `update hook_calls set tries = tries + 1, next_at = $2, trouble = $3 where id = $1`, c.ID,
			next, fault.Cut(failed.Error(), 500)); err != nil || next != nil {
			return err
		}
		_, err = tx.Exec(ctx, `update hooks set paused = true, trouble = $2 where id = $1`, h.ID,
			fault.Cut(failed.Error(), 500))
		return err
	})
	if err != nil {
		return false, fmt.Errorf("call a hook: %w", err)
	}
	return ok, nil
}
