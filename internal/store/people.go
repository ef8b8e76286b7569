package store

import (
	"cmp"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/base64"
	"fmt"
	"strings"
	"time"

	"uchi/internal/core/fault"
	"uchi/internal/core/rights"

	"github.com/jackc/pgx/v5"
	"golang.org/x/crypto/argon2"
)

// Person is somebody who signs in.
type Person struct {
	ID     int64       `db:"id"`
	Email  string      `db:"email"`
	Name   string      `db:"name"`
	Role   rights.Role `db:"role"`
	Active bool        `db:"active"`
	MadeAt time.Time   `db:"made_at"`
	// Until is when the token ends by which the person has signed in, and Token its
	// label; nil for who has signed in with a password.
	Until *time.Time `db:"until"`
	Token string     `db:"token"`
	// Most is the role of the token, which no workspace gives more than; empty for none.
	Most rights.Role `db:"most"`
	// Only is the workspace that the token is for; empty for all of them.
	Only string `db:"only"`
}

// personColumns are those of a person who has signed in without a token.
const personColumns = `id, email, name, role, active, made_at, null::timestamptz as until, '' as token, '' as most, '' as only`

// told is what the log says of a person.
func (p Person) told(newPassword bool) map[string]any {
	return map[string]any{"name": p.Name, "role": p.Role, "active": p.Active, "new_password": newPassword}
}

var errNoPerson = fault.New(fault.NotFound, "unknown_person", "there is no such person")

// Argon2id with the second recommended parameter set of RFC 9106.
const (
	argonTime   = 3
	argonMemory = 64 << 10 // KiB
	argonLanes  = 4
	argonKey    = 32
)

// hashing lets only as many passwords be hashed at once as memory allows; waiting is
// how many may wait for it, so that a flood of them is refused and stops nothing else.
var (
	hashing = make(chan struct{}, 2)
	waiting = make(chan struct{}, 32)
)

var errCrowded = fault.New(fault.Busy, "too_many_sign_ins",
	"too many people sign in at this moment").Mended("Try again in a few seconds.")

func argon(password string, salt []byte) []byte {
	hashing <- struct{}{}
	defer func() { <-hashing }()
	return argon2.IDKey([]byte(password), salt, argonTime, argonMemory, argonLanes, argonKey)
}

func hashPassword(password string) string {
	salt := make([]byte, 16)
	rand.Read(salt) //nolint:errcheck // never fails
	b64 := base64.RawStdEncoding
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=%d$%s$%s", argon2.Version, argonMemory, argonTime, argonLanes,
		b64.EncodeToString(salt), b64.EncodeToString(argon(password, salt)))
}

func checkPassword(hash, password string) bool {
	parts := strings.Split(hash, "$")
	if len(parts) != 6 {
		argon(password, make([]byte, 16)) // an unknown person takes as long as a known one
		return false
	}
	salt, err := base64.RawStdEncoding.DecodeString(parts[4])
	if err != nil {
		return false
	}
	return subtle.ConstantTimeCompare([]byte(base64.RawStdEncoding.EncodeToString(argon(password, salt))),
		[]byte(parts[5])) == 1
}

// secret makes a random secret and the hash under which it is kept.
func secret(prefix string) (plain string, hash []byte) {
	plain = prefix + strings.ToLower(rand.Text()) + strings.ToLower(rand.Text())
	sum := sha256.Sum256([]byte(plain))
	return plain, sum[:]
}

func hashOf(plain string) []byte {
	sum := sha256.Sum256([]byte(plain))
	return sum[:]
}

// PasswordLength is the fewest characters of a password.
const PasswordLength = 10

func longEnough(password string) error {
	if len([]rune(password)) >= PasswordLength {
		return nil
	}
	return fault.Newf(fault.Invalid, "password_too_short", "a password has at least %d characters", PasswordLength).
		Mended("Three or four words do well.")
}

// AddPerson makes a person who can sign in; by is who does so, 0 for the service
// itself. Without a password they cannot until they are invited, or come from the
// organisation's provider.
func (s *Store) AddPerson(ctx context.Context, email, name string, role rights.Role, password string,
	by int64) (Person, error) {
	switch {
	case !role.Valid():
		return Person{}, fault.New(fault.Invalid, "unknown_role",
			"there is no such role").With(string(role)).Mended("Roles: viewer, operator, administrator.")
	case !strings.Contains(email, "@") || strings.TrimSpace(name) == "":
		return Person{}, fault.New(fault.Invalid, "person_incomplete",
			"a person needs an e-mail address and a name").With(email)
	}
	hashed := noPassword
	if password != "" {
		if err := longEnough(password); err != nil {
			return Person{}, err
		}
		hashed = hashPassword(password)
	}
	var p Person
	err := s.logged(ctx, Entry{Person: by, Action: "add person", Subject: strings.ToLower(email)}, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, `insert into people (email, name, role, password) values (lower($1), $2, $3, $4)
			returning `+personColumns, email, name, role, hashed)
		if err != nil {
			return err
		}
		p, err = pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[Person])
		return err
	})
	if SQLState(err) == "23505" {
		return p, fault.New(fault.Conflict, "person_exists", "somebody with this e-mail address is already here").With(email)
	}
	if err != nil {
		return p, fmt.Errorf("add person: %w", err)
	}
	return p, nil
}

// PersonChange is what is to be changed of a person; nil leaves what is there.
type PersonChange struct {
	Name      *string
	Role      *rights.Role
	Suspended *bool
	Password  *string                // a new one
	Roles     map[string]rights.Role // in single workspaces; an empty one lets the role hold that they have everywhere
}

// ChangePerson changes a person. Who is suspended, or gets a new password, is
// signed out at once, and a new password ends their passkeys; the last administrator who may sign in stays one.
func (s *Store) ChangePerson(ctx context.Context, id int64, change PersonChange, by int64) (Person, error) {
	var p Person
	switch {
	case change.Role != nil && !change.Role.Valid():
		return p, fault.New(fault.Invalid, "unknown_role", "there is no such role").With(string(*change.Role)).
			Mended("Roles: viewer, operator, administrator.")
	case change.Name != nil && strings.TrimSpace(*change.Name) == "":
		return p, fault.New(fault.Invalid, "person_incomplete", "a person needs a name")
	}
	var hashed *string
	if change.Password != nil {
		if err := longEnough(*change.Password); err != nil {
			return p, err
		}
		h := hashPassword(*change.Password)
		hashed = &h
	}
	was, err := s.present(ctx, id)
	if err != nil {
		return p, err
	}
	changed := &Changed{}
	err = s.logged(ctx, Entry{Person: by, Action: "change person", Subject: was.Email, Changed: changed},
		func(tx pgx.Tx) error {
			if err := lockAdministrators(ctx, tx); err != nil {
				return err
			}
			rows, err := tx.Query(ctx, `
			update people set
				name = coalesce($2, name), role = coalesce($3, role), active = coalesce(not $4::boolean, active), password = coalesce($5, password)
			where id = $1
			returning `+personColumns, id, change.Name, change.Role, change.Suspended, hashed)
			if err != nil {
				return err
			}
			p, err = pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[Person])
			if err != nil {
				return err
			}
			before, err := setRoles(ctx, tx, id, change.Roles)
			if err != nil {
				return err
			}
			a, b := was.told(false), p.told(hashed != nil)
			if len(change.Roles) > 0 {
				a["in"], b["in"] = before, change.Roles
			}
			changed.Set(a, b)
			if err := anAdministratorStays(ctx, tx, p.Email); err != nil {
				return err
			}
			if hashed != nil { // whoever knew the old one may have made them
				if err := endPasskeys(ctx, tx, id); err != nil {
					return err
				}
			}
			if p.Active && hashed == nil {
				return nil
			}
			_, err = tx.Exec(ctx, `delete from sessions where person = $1`, id)
			return err
		})
	if f, ok := fault.From(err); ok {
		return Person{}, f
	}
	if err != nil {
		return Person{}, fmt.Errorf("change person: %w", err)
	}
	return p, nil
}

// ChangePassword changes a person's own password when the old one is right. All
// sessions end but the one whose secret is given.
func (s *Store) ChangePassword(ctx context.Context, p Person, old, password, session string) error {
	if p.Until != nil {
		return errByPassword
	}
	if err := longEnough(password); err != nil {
		return err
	}
	if err := s.isPassword(ctx, p, old); err != nil {
		return err
	}
	hashed := hashPassword(password)
	return s.logged(ctx, Entry{Person: p.ID, Action: "change password"}, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `update people set password = $2 where id = $1`, p.ID, hashed); err != nil {
			return err
		}
		_, err := tx.Exec(ctx, `delete from sessions where person = $1 and hash <> $2`, p.ID, hashOf(session))
		return err
	})
}

// errByPassword says that a token does not do for what decides who signs in.
var errByPassword = fault.New(fault.Conflict, "by_password_only",
	"how you sign in is not changed with a token").Mended("Sign in with your password.")

// isPassword refuses a password that is not the person's own.
func (s *Store) isPassword(ctx context.Context, p Person, password string) error {
	var hash string
	if err := s.db.GetContext(ctx, &hash, `select password from people where id = $1`, p.ID); err != nil {
		return fmt.Errorf("look a password up: %w", err)
	}
	if hash == noPassword {
		return fault.New(fault.Conflict, "no_password_here", "you have no password here: your organisation signs you in")
	}
	if !checkPassword(hash, password) {
		return fault.New(fault.Invalid, "wrong_password", "the password is not right")
	}
	return nil
}

// FirstAdministrator makes an administrator when there is nobody yet. The
// password is made up when none is given; it is returned only then.
func (s *Store) FirstAdministrator(ctx context.Context, email, password string) (made bool, shown string, err error) {
	var n int
	if err := s.db.GetContext(ctx, &n, `select count(*) from people`); err != nil {
		return false, "", fmt.Errorf("count people: %w", err)
	}
	if n > 0 {
		return false, "", nil
	}
	if password == "" {
		password, _ = secret("")
		password = password[:20]
		shown = password
	}
	_, err = s.AddPerson(ctx, email, "Administrator", rights.Administrator, password, 0)
	if fault.Is(err, "person_exists") { // another process was quicker
		return false, "", nil
	}
	return err == nil, shown, err
}

// People lists everybody.
func (s *Store) People(ctx context.Context) ([]Person, error) {
	var list []Person
	err := s.db.SelectContext(ctx, &list, `select `+personColumns+` from people where removed_at is null
		order by name, id`)
	if err != nil {
		return nil, fmt.Errorf("list people: %w", err)
	}
	return list, nil
}

// present reads a person who was not removed.
func (s *Store) present(ctx context.Context, id int64) (p Person, err error) {
	err = s.db.GetContext(ctx, &p, `select id, email, name, role, active from people where id = $1
		and removed_at is null`, id)
	if IsMissing(err) {
		return p, errNoPerson.With(fmt.Sprint(id))
	}
	if err != nil {
		return p, fmt.Errorf("read person %d: %w", id, err)
	}
	return p, nil
}

// Person reads one person, also one who was removed: what they did stays theirs.
func (s *Store) Person(ctx context.Context, id int64) (Person, error) {
	var p Person
	if err := s.db.GetContext(ctx, &p, `select id, email, name, role, active from people where id = $1`, id); err != nil {
		return p, fmt.Errorf("read person %d: %w", id, err)
	}
	return p, nil
}

// Token is a secret for the command line and scripts, with a role and an end date.
type Token struct {
	ID        int64       `db:"id"`
	Label     string      `db:"label"`
	Role      rights.Role `db:"role"`
	Workspace string      `db:"workspace"` // that it is for; empty for all
	MadeAt    time.Time   `db:"made_at"`
	EndsAt    time.Time   `db:"ends_at"`
	UsedAt    *time.Time  `db:"used_at"` // to the minute
}

const tokenColumns = `id, label, role, coalesce(workspace, '') as workspace, made_at, ends_at, used_at`

// NewToken says what a token is to be; without a workspace it is for all of them, and
// without a role it has that of its maker, in each workspace that which they have there.
type NewToken struct {
	Label     string
	Role      rights.Role
	Workspace string
	Ends      time.Time
}

// AddToken makes a token of a person; its secret is shown this once. Who has
// signed in by a token makes none that outlives it.
func (s *Store) AddToken(ctx context.Context, p Person, n NewToken) (Token, string, error) {
	if p.Until != nil && n.Ends.After(*p.Until) {
		return Token{}, "", fault.New(fault.Denied, "outlives_its_maker",
			"a token that is made with a token ends no later than that").With(n.Ends.Format(time.DateOnly)).
			Mended("Give an end of at most " + p.Until.Format(time.DateTime) + ", or sign in with your password.")
	}
	own, err := s.mostAnywhere(ctx, p)
	if err != nil {
		return Token{}, "", err
	}
	if n.Workspace != "" {
		if own, err = s.RoleIn(ctx, p, n.Workspace); err != nil {
			return Token{}, "", err
		}
		if err := s.MustWorkspace(ctx, n.Workspace); err != nil {
			return Token{}, "", err
		}
		if own == rights.None { // as if it were not there
			return Token{}, "", ErrNoWorkspace.With(n.Workspace)
		}
	}
	n.Role = cmp.Or(n.Role, own)
	if !n.Role.Valid() || !own.Covers(n.Role) {
		return Token{}, "", fault.New(fault.Denied, "role_too_high",
			"a token cannot have a role that you do not have").With(string(n.Role))
	}
	if !n.Ends.After(time.Now()) {
		return Token{}, "", fault.New(fault.Invalid, "end_in_past",
			"the token would have ended already").Mended("Give a day in the future.")
	}
	plain, hash := secret("uchi_")
	var t Token
	err = s.logged(ctx, Entry{Person: p.ID, Action: "add token", Subject: n.Label}, func(tx pgx.Tx) error {
		rows, err := tx.Query(ctx, `insert into tokens (person, label, role, workspace, hash, ends_at)
			values ($1, $2, $3, nullif($4, ''), $5, $6)
			returning `+tokenColumns, p.ID, n.Label, n.Role, n.Workspace, hash, n.Ends)
		if err != nil {
			return err
		}
		t, err = pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[Token])
		return err
	})
	if err != nil {
		return t, "", fmt.Errorf("make token: %w", err)
	}
	return t, plain, nil
}

// Tokens lists a person's tokens.
func (s *Store) Tokens(ctx context.Context, person int64) ([]Token, error) {
	var list []Token
	if err := s.db.SelectContext(ctx, &list, `select `+tokenColumns+` from tokens where person = $1 order by id`,
		person); err != nil {
		return nil, fmt.Errorf("list tokens: %w", err)
	}
	return list, nil
}

// RemoveToken ends a token of a person.
func (s *Store) RemoveToken(ctx context.Context, person, id int64) error {
	return s.endOwn(ctx, "token", person, id)
}
