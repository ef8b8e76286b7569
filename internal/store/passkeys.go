package store

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"uchi/internal/core/fault"

	"github.com/jackc/pgx/v5"
)

// Passkey is a key pair of a person's device (Web Authentication, level 3), by which they
// sign in without a password. Only its public half is here.
type Passkey struct {
	ID     int64      `db:"id"`
	Person int64      `db:"person"`
	Label  string     `db:"label"`
	MadeAt time.Time  `db:"made_at"`
	UsedAt *time.Time `db:"used_at"`
	// Credential is what the device calls the key, and Handle what it calls the person.
	Credential []byte `db:"credential"`
	Handle     []byte `db:"handle"`
	// Kept is what the face that asks devices keeps of it.
	Kept json.RawMessage `db:"kept"`
}

const passkeyColumns = `id, person, label, made_at, used_at, credential, handle, kept`

const (
	// AskLength is how long a device may take to answer.
	AskLength = 5 * time.Minute
	// mostPasskeys is how many a person may have.
	mostPasskeys = 20
	// mostAsks is how many questions may wait for an answer, of all and of one address of
	// the network, so that nobody fills the database by asking, or keeps others from it.
	mostAsks, mostAsksOfOne = 10_000, 50
)

// ErrPasskey says that a passkey was not accepted, and no more.
var ErrPasskey = fault.New(fault.Unsigned, "passkey_refused", "the passkey was not accepted").
	Mended("Try again, or sign in with your password.")

var errNoAsk = fault.New(fault.Conflict, "passkey_too_late",
	"the device took too long, or has answered before").Mended("Try again.")

// AskPasskey keeps what a device is asked for, until it has answered; person is who adds a
// passkey, 0 for who wants to sign in. The secret that it gives tells the answer's question.
func (s *Store) AskPasskey(ctx context.Context, person int64, data []byte) (string, error) {
	plain, hash := secret("")
	err := s.inTx(ctx, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `delete from passkey_asks where ends_at < now()`); err != nil {
			return err
		}
		tag, err := tx.Exec(ctx, `insert into passkey_asks (hash, person, address, data, ends_at)
			select $1, nullif($2, 0::bigint), $3, $4, $5
			where (select count(*) from passkey_asks) < $6 and (select count(*) from passkey_asks where address = $3) < $7`,
			hash, person, addressTries(ctx), data, time.Now().Add(AskLength), mostAsks, mostAsksOfOne)
		if err == nil && tag.RowsAffected() == 0 {
			return errCrowded
		}
		return err
	})
	if f, ok := fault.From(err); ok {
		return "", f
	}
	if err != nil {
		return "", fmt.Errorf("ask for a passkey: %w", err)
	}
	return plain, nil
}

// TakeAsk gives what a device was asked for; it can be answered once, by the same person.
func (s *Store) TakeAsk(ctx context.Context, ask string, person int64) (data []byte, err error) {
	err = s.db.GetContext(ctx, &data, `delete from passkey_asks where hash = $1 and person is not distinct
		from nullif($2, 0::bigint) and ends_at > now() returning data`, hashOf(ask), person)
	if IsMissing(err) {
		return nil, errNoAsk
	}
	if err != nil {
		return nil, fmt.Errorf("find what was asked for: %w", err)
	}
	return data, nil
}

// MayHavePasskey tells whether a person may add a passkey: whoever knows their password,
// which an open session alone does not show. People whom their organisation signs in have
// none, else they could come in after it has let them go.
func (s *Store) MayHavePasskey(ctx context.Context, p Person, password string) error {
	if p.Until != nil {
		return errByPassword
	}
	if err := s.isPassword(ctx, p, password); err != nil {
		return err
	}
	list, err := s.Passkeys(ctx, p.ID)
	if err == nil && len(list) >= mostPasskeys {
		return fault.Newf(fault.Conflict, "too_many_passkeys", "you have %d passkeys, and no more than that are kept",
			mostPasskeys).Mended("End one that you do not use.")
	}
	return err
}

// Passkeys lists a person's passkeys.
func (s *Store) Passkeys(ctx context.Context, person int64) ([]Passkey, error) {
	var list []Passkey
	if err := s.db.SelectContext(ctx, &list, `select `+passkeyColumns+` from passkeys where person = $1 order by id`,
		person); err != nil {
		return nil, fmt.Errorf("list passkeys: %w", err)
	}
	return list, nil
}

// AddPasskey keeps a passkey of a person.
func (s *Store) AddPasskey(ctx context.Context, k Passkey) (Passkey, error) {
	k.Label = fault.Cut(strings.TrimSpace(k.Label), 100)
	if k.Label == "" {
		return k, fault.New(fault.Invalid, "passkey_without_label",
			"a passkey needs a label").Mended("Name the device that it is kept on.")
	}
	err := s.logged(ctx, Entry{Person: k.Person, Action: "add passkey", Subject: k.Label}, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, `insert into passkeys (person, label, credential, handle, kept) values ($1, $2, $3, $4, $5)
			returning `+passkeyColumns, k.Person, k.Label, k.Credential, k.Handle, k.Kept)
		if err != nil {
			return err
		}
		k, err = pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[Passkey])
		return err
	})
	if SQLState(err) == "23505" {
		return k, fault.New(fault.Conflict, "passkey_exists", "this passkey is kept already")
	}
	if err != nil {
		return k, fmt.Errorf("add passkey: %w", err)
	}
	return k, nil
}

// RemovePasskey ends a passkey of a person.
func (s *Store) RemovePasskey(ctx context.Context, person, id int64) error {
	return s.endOwn(ctx, "passkey", person, id)
}

// endPasskeys ends all passkeys of a person.
func endPasskeys(ctx context.Context, tx pgx.Tx, person int64) error {
	_, err := tx.Exec(ctx, `delete from passkeys where person = $1`, person)
	return err
}

// PasskeyOf finds the passkey by which somebody wants to sign in, and whose it is. It
// counts the try, and refuses when there were too many.
func (s *Store) PasskeyOf(ctx context.Context, credential []byte) (k Passkey, p Person, err error) {
	if err := s.mayTry(ctx, passkeyTries(credential), addressTries(ctx)); err != nil {
		return k, p, err
	}
	err = s.db.GetContext(ctx, &k, `select `+passkeyColumns+` from passkeys where credential = $1`, credential)
	if err == nil {
		err = s.db.GetContext(ctx, &p, `select `+personColumns+` from people where id = $1 and active and password <> $2`,
			k.Person, noPassword)
	}
	if IsMissing(err) {
		return k, p, ErrPasskey
	}
	if err != nil {
		return k, p, fmt.Errorf("find passkey: %w", err)
	}
	return k, p, nil
}

// SignInByPasskey gives a session's secret for who has answered by a passkey, of which
// kept is then known.
func (s *Store) SignInByPasskey(ctx context.Context, k Passkey, kept []byte) (string, error) {
	plain, err := s.enter(ctx, k.Person, "by passkey", passkeyTries(k.Credential), func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `update passkeys set kept = $2, used_at = now() where id = $1`, k.ID, kept)
		if err == nil && tag.RowsAffected() == 0 {
			return ErrPasskey // ended meanwhile
		}
		return err
	})
	if f, ok := fault.From(err); ok {
		return "", f
	}
	if err != nil {
		return "", fmt.Errorf("sign in: %w", err)
	}
	return plain, nil
}

// PasskeyRefused notes that a device has answered wrongly for a passkey that is here.
func (s *Store) PasskeyRefused(ctx context.Context, p Person) error {
	return s.refused(ctx, p.ID, p.Email, ErrPasskey)
}

func passkeyTries(credential []byte) []byte { return hashOf("passkey " + string(credential)) }
