package store

import (
	"context"
	"fmt"
	"strings"
	"time"

	"uchi/internal/core/fault"
	"uchi/internal/core/rights"

	"github.com/jackc/pgx/v5"
)

// SessionLength is how long a sign-in lasts.
const SessionLength = 14 * 24 * time.Hour

// ErrSignIn says that e-mail and password do not belong together, and no more.
var ErrSignIn = fault.New(fault.Unsigned, "sign_in_failed", "the e-mail address and the password do not fit together").
	Mended("Check both and try again.")

// Tries says how often signing in may be tried before one has to wait: for one account,
// and from one address of the network, which many may share. Each further try doubles
// the time.
type Tries struct {
	Account, Address int
	First, Longest   time.Duration
}

// usualTries hold in the service.
var usualTries = Tries{Account: 5, Address: 50, First: 2 * time.Second, Longest: 15 * time.Minute}

// wait is how long nobody may try after so many tries.
func (t Tries) wait(tries, free int) time.Duration {
	if tries < free {
		return 0
	}
	return min(t.First<<min(tries-free, 20), t.Longest)
}

// SignIn gives a session's secret when the password is right. It takes as long, and
// says the same, whether there is such a person or not.
func (s *Store) SignIn(ctx context.Context, email, password string) (Person, string, error) {
	email = strings.ToLower(strings.TrimSpace(email))
	select {
	case waiting <- struct{}{}:
		defer func() { <-waiting }()
	default:
		return Person{}, "", errCrowded
	}
	account := hashOf("account " + email)
	if err := s.mayTry(ctx, account, addressTries(ctx)); err != nil {
		return Person{}, "", err
	}
	var row struct {
		Person
		Password string `db:"password"`
	}
	err := s.db.GetContext(ctx, &row, `select `+personColumns+`, password from people where email = $1 and active`, email)
	if err != nil && !IsMissing(err) {
		return Person{}, "", fmt.Errorf("sign in: %w", err)
	}
	if !checkPassword(row.Password, password) {
		return Person{}, "", s.refused(ctx, row.ID, email, ErrSignIn)
	}
	plain, err := s.enter(ctx, row.ID, "", account, func(pgx.Tx) error { return nil })
	if err != nil {
		return Person{}, "", fmt.Errorf("sign in: %w", err)
	}
	return row.Person, plain, nil
}

// enter gives the secret of a session for who has shown who they are, and forgets their
// tries; how is what the log says of it, and also is what belongs to it.
func (s *Store) enter(ctx context.Context, person int64, how string, tries []byte,
	also func(tx pgx.Tx) error) (string, error) {
	plain, hash := secret("")
	err := s.logged(ctx, Entry{Person: person, Action: "sign in", Subject: how}, func(tx pgx.Tx) error {
		if err := beginSession(ctx, tx, person, hash); err != nil {
			return err
		}
		// many may work behind one address
		if _, err := tx.Exec(ctx, `update sign_in_tries set tries = greatest(tries - 1, 0) where who = $1`,
			addressTries(ctx)); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `delete from sign_in_tries where who = $1 or since < now() - make_interval(secs => $2)`,
			tries, s.tries.Longest.Seconds()); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `delete from sessions where ends_at < now()`); err != nil {
			return err
		}
		return also(tx)
	})
	return plain, err
}

// addressTries is under what the tries from an address of the network are counted.
func addressTries(ctx context.Context) []byte { return hashOf("address " + originOf(ctx).Address) }

func beginSession(ctx context.Context, tx pgx.Tx, person int64, hash []byte) error {
	o := originOf(ctx)
	_, err := tx.Exec(ctx, `insert into sessions (hash, person, ends_at, address, agent) values ($1, $2, $3, $4, $5)`,
		hash, person, time.Now().Add(SessionLength), o.Address, fault.Cut(o.Agent, 300))
	return err
}

// noPassword stands for the password of people who have none here.
const noPassword = "none"

// SignInBy gives a session's secret for whom a provider vouches: somebody who is here, or
// who is made with a role that the provider's groups give. With a role it is theirs from
// then on; the last administrator stays one.
func (s *Store) SignInBy(ctx context.Context, email, name string, role rights.Role) (Person, string, error) {
	email = strings.ToLower(strings.TrimSpace(email))
	var p Person
	err := s.db.GetContext(ctx, &p, `select `+personColumns+` from people where email = $1 and removed_at is null`, email)
	switch {
	case err != nil && !IsMissing(err):
		return p, "", fmt.Errorf("sign in: %w", err)
	case err == nil && !p.Active, err != nil && role == "":
		return p, "", fault.New(fault.Denied, "provider_unknown",
			"you may not sign in here").With(email).Mended("Ask an administrator.")
	case err == nil && role != "" && role != p.Role:
		changed, err := s.ChangePerson(ctx, p.ID, PersonChange{Role: &role}, 0)
		if err != nil && !fault.Is(err, "last_administrator") {
			return p, "", err
		}
		if err == nil {
			p = changed
		}
	}
	plain, hash := secret("")
	made := p.ID == 0
	err = s.inTx(ctx, func(tx pgx.Tx) error {
		if made {
			rows, err := tx.Query(ctx, `insert into people (email, name, role, password) values ($1, $2, $3, $4)
				returning `+personColumns, email, fault.Cut(name, 200), role, noPassword)
			if err != nil {
				return err
			}
			if p, err = pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[Person]); err != nil {
				return err
			}
			if err := logIn(ctx, tx, Entry{Action: "add person", Subject: email,
				Changed: &Changed{nil, p.told(false)}}); err != nil {
				return err
			}
		}
		if err := beginSession(ctx, tx, p.ID, hash); err != nil {
			return err
		}
		return logIn(ctx, tx, Entry{Person: p.ID, Action: "sign in", Subject: "by the organisation"})
	})
	if err != nil {
		return p, "", fmt.Errorf("sign in: %w", err)
	}
	return p, plain, nil
}

// mayTry counts a try to sign in, unless there were too many: then it says how long to
// wait. What was tried counts before it is known whether it was right, so that many at
// once are no way around.
func (s *Store) mayTry(ctx context.Context, account, address []byte) error {
	return s.inTx(ctx, func(tx pgx.Tx) error {
		for _, x := range []struct {
			who  []byte
			free int
		}{{account, s.tries.Account}, {address, s.tries.Address}} {
			var tries int
			var since float64
			err := tx.QueryRow(ctx, `
				insert into sign_in_tries as t (who, tries) values ($1, 0)
				on conflict (who) do update set tries = case when t.since < now() - make_interval(secs => $2) then 0
				else t.tries end
				returning tries, extract(epoch from now() - since)`, x.who, s.tries.Longest.Seconds()).Scan(&tries, &since)
			if err != nil {
				return fmt.Errorf("count tries to sign in: %w", err)
			}
			left := s.tries.wait(tries, x.free) - time.Duration(since*float64(time.Second))
			if left > 0 {
				return fault.New(fault.TooMany, "too_many_tries", "signing in was tried too often").
					Mended(fmt.Sprintf("Try again in %d seconds.", int(left/time.Second)+1))
			}
			if _, err := tx.Exec(ctx, `update sign_in_tries set tries = tries + 1, since = now() where who = $1`,
				x.who); err != nil {
				return fmt.Errorf("count tries to sign in: %w", err)
			}
		}
		return nil
	})
}

// refused notes in the log that somebody was not let in, and says so.
func (s *Store) refused(ctx context.Context, person int64, email string, said error) error {
	err := s.logged(ctx, Entry{Person: person, Action: "fail to sign in", Subject: fault.Cut(email, 254)},
		func(pgx.Tx) error { return nil })
	if err != nil {
		return err
	}
	return said
}

// SignOut ends a session.
func (s *Store) SignOut(ctx context.Context, plain string) error {
	_, err := s.db.ExecContext(ctx, `delete from sessions where hash = $1`, hashOf(plain))
	return err
}

// ErrUnsigned says that nobody is signed in.
var ErrUnsigned = fault.New(fault.Unsigned, "not_signed_in", "sign in first")

// BySession finds who a session belongs to.
func (s *Store) BySession(ctx context.Context, plain string) (Person, error) {
	return s.bySecret(ctx, `
		with seen as (update sessions set seen_at = now() where hash = $1 and seen_at < now() - interval '1 minute')
		select p.id, p.email, p.name, p.role, p.active, p.made_at, null::timestamptz as until, '' as token, '' as most,
		'' as only from sessions x join people p on p.id = x.person
		where x.hash = $1 and x.ends_at > now() and p.active`, plain)
}

// ByToken finds who a token belongs to; the role is the lesser of the person's and the token's.
func (s *Store) ByToken(ctx context.Context, plain string) (Person, error) {
	return s.bySecret(ctx, `
		with used as (update tokens set used_at = now() where hash = $1
		and (used_at is null or used_at < now() - interval '1 minute'))
		select p.id, p.email, p.name, p.active, p.made_at, x.ends_at as until, x.label as token, x.role as most,
		coalesce(x.workspace, '') as only,
		case when p.role = 'viewer' or x.role = 'viewer' then 'viewer' when p.role = 'operator'
		or x.role = 'operator' then 'operator' else 'administrator' end as role
		from tokens x join people p on p.id = x.person where x.hash = $1 and x.ends_at > now() and p.active`, plain)
}

func (s *Store) bySecret(ctx context.Context, query, plain string) (Person, error) {
	var p Person
	err := s.db.GetContext(ctx, &p, query, hashOf(plain))
	if IsMissing(err) {
		return p, ErrUnsigned
	}
	if err != nil {
		return p, fmt.Errorf("look up who is signed in: %w", err)
	}
	return p, nil
}

// Session is a sign-in that has not ended.
type Session struct {
	ID      int64     `db:"id"`
	Address string    `db:"address"`
	Agent   string    `db:"agent"`
	MadeAt  time.Time `db:"made_at"`
	SeenAt  time.Time `db:"seen_at"`
	EndsAt  time.Time `db:"ends_at"`
	Own     bool      `db:"own"` // it is that by which they are asked for
}

// Sessions lists a person's sign-ins, newest first; own is the secret of the present one.
func (s *Store) Sessions(ctx context.Context, person int64, own string) ([]Session, error) {
	var list []Session
	err := s.db.SelectContext(ctx, &list, `select id, address, agent, made_at, seen_at, ends_at, hash = $2 as own
		from sessions where person = $1 and ends_at > now() order by made_at desc`, person, hashOf(own))
	if err != nil {
		return nil, fmt.Errorf("list sessions: %w", err)
	}
	return list, nil
}

// EndSession ends one sign-in of a person.
func (s *Store) EndSession(ctx context.Context, person, id int64) error {
	return s.endOwn(ctx, "session", person, id)
}

// endOwn ends a session, a token or a passkey of a person.
func (s *Store) endOwn(ctx context.Context, what string, person, id int64) error {
	return s.logged(ctx, Entry{Person: person, Action: "end " + what, Subject: fmt.Sprint(id)}, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `delete from `+what+`s where id = $1 and person = $2`, id, person)
		if err != nil {
			return fmt.Errorf("end %s: %w", what, err)
		}
		if tag.RowsAffected() == 0 {
			return fault.New(fault.NotFound, "unknown_"+what, "you have no such "+what).With(fmt.Sprint(id))
		}
		return nil
	})
}
