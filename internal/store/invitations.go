package store

import (
	"context"
	"fmt"
	"time"

	"uchi/internal/core/fault"

	"github.com/jackc/pgx/v5"
)

// InvitationLength is how long an invitation can be taken up.
const InvitationLength = 7 * 24 * time.Hour

var errNoInvitation = fault.New(fault.Invalid, "no_invitation",
	"the invitation was taken up, has run out, or was replaced by another").
	Mended("Ask an administrator for a new one.")

// Invite gives the secret of a link by which a person chooses a password; one that was
// given before no longer counts. Who forgot their password is invited the same way.
func (s *Store) Invite(ctx context.Context, id, by int64) (p Person, secretOf string, err error) {
	if p, err = s.present(ctx, id); err != nil {
		return p, "", err
	}
	plain, hash := secret("invitation_")
	err = s.logged(ctx, Entry{Person: by, Action: "invite", Subject: p.Email}, func(tx pgx.Tx) error {
		_, err := tx.Exec(ctx, `insert into invitations (person, hash, made_by, ends_at) values ($1, $2, nullif($3, 0), $4)
			on conflict (person) do update set hash = excluded.hash, made_by = excluded.made_by, ends_at = excluded.ends_at`,
			id, hash, by, time.Now().Add(InvitationLength))
		return err
	})
	if err != nil {
		return p, "", fmt.Errorf("invite: %w", err)
	}
	return p, plain, nil
}

// TakeInvitation gives the person whom an invitation is for a password, and a session;
// their other sessions and their passkeys end. It can be taken up once.
func (s *Store) TakeInvitation(ctx context.Context, plain, password string) (p Person, session string, err error) {
	if err := longEnough(password); err != nil {
		return p, "", err
	}
	select {
	case waiting <- struct{}{}: // hashing takes memory, as it does when signing in
		defer func() { <-waiting }()
	default:
		return p, "", errCrowded
	}
	session, hash := secret("")
	hashed := hashPassword(password)
	err = s.inTx(ctx, func(tx pgx.Tx) error {
		var id int64
		err := tx.QueryRow(ctx, `delete from invitations where hash = $1 and ends_at > now() returning person`,
			hashOf(plain)).Scan(&id)
		if IsMissing(err) {
			return errNoInvitation
		}
		if err != nil {
			return err
		}
		rows, err := tx.Query(ctx, `update people set password = $2 where id = $1 and active and removed_at is null
			returning `+personColumns, id, hashed)
		if err != nil {
			return err
		}
		if p, err = pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[Person]); IsMissing(err) {
			return errNoInvitation
		}
		if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `delete from sessions where person = $1`, id); err != nil {
			return err
		}
		if err := endPasskeys(ctx, tx, id); err != nil {
			return err
		}
		if err := beginSession(ctx, tx, id, hash); err != nil {
			return err
		}
		return logIn(ctx, tx, Entry{Person: id, Action: "take up invitation", Subject: p.Email})
	})
	if f, ok := fault.From(err); ok {
		return Person{}, "", f
	}
	if err != nil {
		return Person{}, "", fmt.Errorf("take up an invitation: %w", err)
	}
	return p, session, nil
}

// RemovePerson takes a person away: they cannot sign in, their tokens and sessions end, and
// their address is free for somebody else. What they did stays under their name. The last
// administrator who may sign in stays.
func (s *Store) RemovePerson(ctx context.Context, id, by int64) error {
	was, err := s.present(ctx, id)
	if err != nil {
		return err
	}
	err = s.logged(ctx, Entry{Person: by, Action: "remove person", Subject: was.Email,
		Changed: &Changed{was.told(false), nil}}, func(tx pgx.Tx) error {
		if err := lockAdministrators(ctx, tx); err != nil {
			return err
		}
		for _, sql := range []string{
			`update people set active = false, removed_at = now(), password = '` + noPassword + `' where id = $1`,
			`delete from sessions where person = $1`, `delete from tokens where person = $1`, `delete from invitations
				where person = $1`,
			`delete from workspace_roles where person = $1`, `delete from passkey_asks where person = $1`,
		} {
			if _, err := tx.Exec(ctx, sql, id); err != nil {
				return err
			}
		}
		if err := endPasskeys(ctx, tx, id); err != nil {
			return err
		}
		return anAdministratorStays(ctx, tx, was.Email)
	})
	if f, ok := fault.From(err); ok {
		return f
	}
	if err != nil {
		return fmt.Errorf("remove person: %w", err)
	}
	return nil
}

// lockAdministrators locks them, so that two changes cannot take the last two.
func lockAdministrators(ctx context.Context, tx pgx.Tx) error {
	_, err := tx.Exec(ctx, `select from people where role = 'administrator' order by id for update`)
	return err
}

// anAdministratorStays refuses a change after which nobody could administer.
func anAdministratorStays(ctx context.Context, tx pgx.Tx, email string) error {
	var left int
	if err := tx.QueryRow(ctx, `select count(*) from people where role = 'administrator'
		and active`).Scan(&left); err != nil {
		return err
	}
	if left == 0 {
		return fault.New(fault.Conflict, "last_administrator", "this is the last administrator who may sign in").With(email).
			Mended("Make somebody else an administrator first.")
	}
	return nil
}
