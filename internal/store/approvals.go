package store

import (
	"context"
	"fmt"
	"time"

	"uchi/internal/core/approval"
	"uchi/internal/core/fault"

	"github.com/jackc/pgx/v5"
)

// Approval is somebody's asking for a second person's yes to the load of an import.
type Approval struct {
	ID        int64      `db:"id"`
	Import    int64      `db:"import"`
	CheckRun  int64      `db:"check_run"`
	CheckedAt time.Time  `db:"checked_at"`
	Routine   int        `db:"routine"`
	AskedBy   int64      `db:"asked_by"`
	Asker     string     `db:"asker"`
	AskedAt   time.Time  `db:"asked_at"`
	Note      string     `db:"note"`
	DecidedBy *int64     `db:"decided_by"`
	Decider   string     `db:"decider"`
	DecidedAt *time.Time `db:"decided_at"`
	Yes       *bool      `db:"yes"`
	Reason    string     `db:"reason"`
}

// Of reports whether it is of the check of an import as it stands: nothing was checked,
// mended or answered since.
func (a Approval) Of(i Import) bool {
	return i.CheckRun != nil && *i.CheckRun == a.CheckRun && i.CheckedAt != nil && i.CheckedAt.Equal(a.CheckedAt) &&
		i.RoutineVersion == a.Routine &&
		(i.AnsweredAt == nil || !i.AnsweredAt.After(a.CheckedAt))
}

// ApprovalRules reads which loads of a workspace need a yes.
func (s *Store) ApprovalRules(ctx context.Context, workspace string) (approval.Rules, error) {
	var r JSON[approval.Rules]
	err := s.pool.QueryRow(ctx, `select approval from workspaces where name = $1`, workspace).Scan(&r)
	if IsMissing(err) {
		return r.V, ErrNoWorkspace.With(workspace)
	}
	if err != nil {
		return r.V, fmt.Errorf("read approval: %w", err)
	}
	return r.V, nil
}

// SetApprovalRules sets which loads of a workspace need a yes.
func (s *Store) SetApprovalRules(ctx context.Context, workspace string, r approval.Rules, by int64) error {
	if err := r.Check(); err != nil {
		return err
	}
	was, err := s.ApprovalRules(ctx, workspace)
	if err != nil {
		return err
	}
	return s.logged(ctx, Entry{
		Person: by, Workspace: workspace, Action: "set approval", Subject: workspace, Changed: &Changed{was, r},
	}, func(tx pgx.Tx) error {
		_, err := tx.Exec(ctx, `update workspaces set approval = $2 where name = $1`, workspace, JSON[approval.Rules]{r})
		return err
	})
}

// LastApproval gives the last asking for a yes to an import; ok is false when nobody has.
func (s *Store) LastApproval(ctx context.Context, importID int64) (a Approval, ok bool, err error) {
	err = s.db.GetContext(ctx, &a, `
		select a.id, a.import, a.check_run, a.checked_at, a.routine, a.asked_by, p.name as asker, a.asked_at, a.note,
		a.decided_by, coalesce(d.name, '') as decider, a.decided_at, a.yes, a.reason
		from approvals a join people p on p.id = a.asked_by left join people d on d.id = a.decided_by where a.import = $1
		order by a.id desc limit 1`, importID)
	if IsMissing(err) {
		return a, false, nil
	}
	if err != nil {
		return a, false, fmt.Errorf("read approval: %w", err)
	}
	return a, true, nil
}

// AskApproval asks for a second person's yes to the load of an import as it is checked.
// Those who may say it are told.
func (s *Store) AskApproval(ctx context.Context, i Import, note string, administrators bool, says []string,
	by Person) error {
	return s.logged(ctx, Entry{Person: by.ID, Workspace: i.Workspace, Action: "ask for approval",
		Subject: importSubject(i.ID)}, func(tx pgx.Tx) error {
		_, err := tx.Exec(ctx, `insert into approvals (import, check_run, checked_at, routine, asked_by, note)
			values ($1, $2, $3, $4, $5, $6)`,
			i.ID, i.CheckRun, i.CheckedAt, i.RoutineVersion, by.ID, fault.Cut(note, 2000))
		if err != nil {
			return fmt.Errorf("ask for approval: %w", err)
		}
		rows, err := tx.Query(ctx, `
			select p.id from people p left join workspace_roles w on w.person = p.id and w.workspace = $3
			where p.active and p.id <> $1 and (coalesce(w.role, p.role) = 'administrator'
			or coalesce(w.role, p.role) = 'operator' and not $2)`, by.ID, administrators, i.Workspace)
		if err != nil {
			return fmt.Errorf("ask for approval: %w", err)
		}
		people, err := pgx.CollectRows(rows, pgx.RowTo[int64])
		if err != nil {
			return fmt.Errorf("ask for approval: %w", err)
		}
		n := Notice{
			Workspace: &i.Workspace, Kind: AsksYes, Subject: by.Name + " asks for your yes: " + i.Name,
			Link: fmt.Sprintf("/w/%s/imports/%d/load", i.Workspace, i.ID),
		}
		n.Lines.V = says
		if note != "" {
			n.Lines.V = append([]string{"“" + fault.Cut(note, 300) + "”"}, says...)
		}
		return Notify(ctx, tx, n, people)
	})
}

// Decide says yes or no to an asking that nobody has decided.
func (s *Store) Decide(ctx context.Context, i Import, a Approval, yes bool, reason string, by Person) error {
	action := map[bool]string{true: "approve", false: "refuse approval"}[yes]
	return s.logged(ctx, Entry{Person: by.ID, Workspace: i.Workspace, Action: action, Subject: importSubject(i.ID)},
		func(tx pgx.Tx) error {
			tag, err := tx.Exec(ctx, `update approvals set decided_by = $2, decided_at = now(), yes = $3, reason = $4
			where id = $1 and yes is null`, a.ID, by.ID, yes, fault.Cut(reason, 2000))
			if err != nil {
				return fmt.Errorf("decide: %w", err)
			}
			if tag.RowsAffected() == 0 {
				return fault.New(fault.Conflict, "decided_already", "somebody else has decided it meanwhile")
			}
			n := Notice{
				Workspace: &i.Workspace, Kind: Decided,
				Subject: by.Name + " says " + map[bool]string{true: "yes", false: "no"}[yes] + ": " + i.Name,
				Link:    fmt.Sprintf("/w/%s/imports/%d/load", i.Workspace, i.ID),
			}
			if reason != "" {
				n.Lines.V = []string{"“" + fault.Cut(reason, 300) + "”"}
			}
			return Notify(ctx, tx, n, []int64{a.AskedBy})
		})
}
