package store

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"math/rand/v2"
	"os"
	"strings"
	"sync"
	"testing"
	"time"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/rights"
	"uchi/internal/pgtest"

	"github.com/jackc/pgx/v5/pgconn"
)

func TestMain(m *testing.M) { os.Exit(pgtest.Run(m)) }

// with are the options for a database of the tests.
func with(url string) Options {
	return Options{URL: url, Process: "test", Log: slog.New(slog.DiscardHandler)}
}

// run runs statements one by one.
func run(ctx context.Context, s *Store, statements ...string) error {
	for _, q := range statements {
		if _, err := s.pool.Exec(ctx, q); err != nil {
			return err
		}
	}
	return nil
}

func prepare(url string) error {
	s, err := Open(context.Background(), with(url))
	if err == nil {
		s.Close()
	}
	return err
}

func open(t *testing.T) *Store {
	t.Helper()
	s, err := Open(t.Context(), with(pgtest.Database(t, prepare)))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	return s
}

// Two processes that start at once on an empty database do not disturb each other.
func TestOpenAtOnce(t *testing.T) {
	url := pgtest.Database(t, prepare)
	empty, err := Open(t.Context(), with(url))
	if err != nil {
		t.Fatal(err)
	}
	if err := run(t.Context(), empty, `drop schema uchi cascade`, `drop schema staging cascade`,
		`drop schema w_main cascade`); err != nil {
		t.Fatal(err)
	}
	empty.Close()
	var all sync.WaitGroup
	errs := make([]error, 4)
	for n := range errs {
		all.Go(func() {
			s, err := Open(context.Background(), with(url))
			if errs[n] = err; err == nil {
				s.Close()
			}
		})
	}
	all.Wait()
	if err := errors.Join(errs...); err != nil {
		t.Fatal(err)
	}
}

func TestOpenFaults(t *testing.T) {
	if _, err := Open(t.Context(), with("postgres://127.0.0.1:1/none")); !fault.Is(err, "database_unreachable") {
		t.Errorf("no server: %v", err)
	}
	if _, err := Open(t.Context(), with("::::")); !fault.Is(err, "bad_database_url") {
		t.Errorf("no URL: %v", err)
	}
}

// What one process keeps of the record types is theirs who ask, and follows what others change.
func TestKeptTypesFollow(t *testing.T) {
	url := pgtest.Database(t, prepare)
	var s [2]*Store
	for n := range s {
		var err error
		if s[n], err = Open(t.Context(), with(url)); err != nil {
			t.Fatal(err)
		}
		t.Cleanup(s[n].Close)
	}
	said := func() string {
		c, err := s[0].Catalog(t.Context(), "main")
		if err != nil {
			return err.Error()
		}
		account, _ := c.Type("account")
		f, there := account.Field("berths")
		out := fmt.Sprint(there, f.Label, c.Nothing)
		account.Fields[0].Label, c.Types[0].Label = "of who asks", "of who asks"
		return out
	}
	for range 2 { // read, and kept
		if got := said(); got != "false[]" {
			t.Fatal(got)
		}
	}
	_, err := s[1].addField(t.Context(), "main", "account", catalog.Field{Name: "berths", Label: "Berths", Type: catalog.Integer})
	if err != nil || said() != "trueBerths[]" {
		t.Errorf("a field that another process has added: %s, %v", said(), err)
	}
	if err := s[1].SetNothing(t.Context(), "main", []string{"xxx"}, 0); err != nil || said() != "trueBerths[xxx]" {
		t.Errorf("words that stand for nothing: %s, %v", said(), err)
	}
	c, err := s[0].Catalog(t.Context(), "main")
	if account, _ := c.Type("account"); err != nil || account.Fields[0].Label == "of who asks" {
		t.Errorf("what one has changed others see: %v", err)
	}
	if _, err := s[0].Catalog(t.Context(), "nowhere"); !fault.Is(err, ErrNoWorkspace.Code) {
		t.Errorf("no such workspace: %v", err)
	}
}

func (s *Store) addField(ctx context.Context, workspace, typeName string, f catalog.Field) (catalog.RecordType, error) {
	return s.ChangeType(ctx, workspace, typeName, 0, 0, "add field",
		func(c catalog.Catalog, t catalog.RecordType) (catalog.RecordType, error) { return c.AddField(t, f) })
}

func TestAddField(t *testing.T) {
	s := open(t)
	ctx := t.Context()
	got, err := s.addField(ctx, "main", "account", catalog.Field{Name: "berths", Label: "Berths",
		Type: catalog.Integer, Key: true})
	if err != nil || got.Version != 2 {
		t.Fatalf("version %d, %v", got.Version, err)
	}
	c, err := s.Catalog(ctx, "main")
	if err != nil {
		t.Fatal(err)
	}
	account, _ := c.Type("account")
	if f, ok := account.Field("berths"); !ok || !f.Own {
		t.Errorf("the field is not kept: %+v", f)
	}
	if err := run(ctx, s, `insert into w_main.r_account (id, created_by, changed_by, f_berths, k_berths)
		values (1, 1, 1, 7, '7')`); err != nil {
		t.Error(err)
	}
	if err := run(ctx, s, `insert into w_main.r_account (id, created_by, changed_by, k_berths)
		values (2, 1, 1, '7')`); SQLState(err) != "23505" {
		t.Errorf("a key is not unique: %v", err)
	}
	for code, f := range map[string]catalog.Field{"field_exists": {Name: "berths", Label: "x", Type: catalog.Text},
		"bad_name": {Name: "a b", Label: "x", Type: catalog.Text}} {
		if _, err := s.addField(ctx, "main", "account", f); !fault.Is(err, code) {
			t.Errorf("%+v: %v", f, err)
		}
	}
	if _, err := s.Catalog(ctx, "nowhere"); !fault.Is(err, "unknown_workspace") {
		t.Error(err)
	}
}

func TestWorkspacesAreApart(t *testing.T) {
	s := open(t)
	ctx := t.Context()
	if err := s.AddWorkspace(ctx, "practice", "", 0); err != nil {
		t.Fatal(err)
	}
	if _, err := s.addField(ctx, "practice", "contact", catalog.Field{Name: "boat", Label: "Boat",
		Type: catalog.Text}); err != nil {
		t.Fatal(err)
	}
	c, _ := s.Catalog(ctx, "main")
	contact, _ := c.Type("contact")
	if _, there := contact.Field("boat"); there {
		t.Error("a field of one workspace shows in another")
	}
	for code, name := range map[string]string{"workspace_exists": "main", "bad_name": "My Space"} {
		if err := s.AddWorkspace(ctx, name, "", 0); !fault.Is(err, code) {
			t.Errorf("%s: %v", name, err)
		}
	}
}

func TestSourceComesBack(t *testing.T) {
	s := open(t)
	ctx := t.Context()
	r := rand.New(rand.NewPCG(5, 6))
	for _, size := range []int{0, 1, chunkBytes - 1, chunkBytes, chunkBytes + 1, 3*chunkBytes + 17} {
		want := make([]byte, size)
		for i := range want {
			want[i] = byte(r.IntN(256))
		}
		id, err := s.SaveSource(ctx, "x", bytes.NewReader(want), int64(size), 1<<30)
		if err != nil {
			t.Fatal(err)
		}
		src, err := s.OpenSource(ctx, id)
		if err != nil {
			t.Fatal(err)
		}
		got, err := io.ReadAll(io.NewSectionReader(src, 0, src.Size))
		if err != nil || !bytes.Equal(got, want) {
			t.Errorf("%d bytes: %d came back, %v", size, len(got), err)
		}
		for range 20 {
			if size == 0 {
				break
			}
			at, n := r.IntN(size), r.IntN(2*chunkBytes)
			part := make([]byte, n)
			read, _ := src.ReadAt(part, int64(at))
			if !bytes.Equal(part[:read], want[at:min(at+n, size)]) {
				t.Fatalf("%d bytes at %d of %d differ", n, at, size)
			}
		}
	}
}

type cutOff struct{ left int }

func (c *cutOff) Read(p []byte) (int, error) {
	if c.left == 0 {
		return 0, io.ErrUnexpectedEOF
	}
	n := min(len(p), c.left)
	c.left -= n
	return n, nil
}

// A source that is cut off, too short or too large leaves nothing behind.
func TestHalfSources(t *testing.T) {
	s := open(t)
	ctx := t.Context()
	for code, c := range map[string]struct {
		body     io.Reader
		declared int64
	}{"upload_cut_off": {&cutOff{3 << 20}, -1}, "source_too_large": {bytes.NewReader(make([]byte, 5<<20)), -1}} {
		if _, err := s.SaveSource(ctx, "x", c.body, c.declared, 4<<20); !fault.Is(err, code) {
			t.Errorf("%v, want %s", err, code)
		}
	}
	if _, err := s.SaveSource(ctx, "x", strings.NewReader("short"), 10, 4<<20); !fault.Is(err, "upload_cut_off") {
		t.Error(err)
	}
	var n int
	if err := s.db.Get(&n, `select (select count(*) from sources) + (select count(*)
		from source_chunks)`); err != nil || n != 0 {
		t.Errorf("%d rows are left behind, %v", n, err)
	}
}

func TestSignIn(t *testing.T) {
	s := open(t)
	ctx := t.Context()
	if made, shown, err := s.FirstAdministrator(ctx, "A@x.example", ""); err != nil || !made ||
		len(shown) < PasswordLength {
		t.Fatalf("made %v, password %q, %v", made, shown, err)
	}
	if made, _, _ := s.FirstAdministrator(ctx, "b@x.example", "another password"); made {
		t.Error("a second first administrator was made")
	}
	p, err := s.AddPerson(ctx, "Op@x.example", "Op", rights.Operator, "a long password", 0)
	if err != nil {
		t.Fatal(err)
	}
	for _, wrong := range [][2]string{{"op@x.example", "wrong password"}, {"nobody@x.example", "a long password"},
		{"op@x.example", ""}} {
		if _, _, err := s.SignIn(ctx, wrong[0], wrong[1]); !errors.Is(err, ErrSignIn) {
			t.Errorf("%v: %v", wrong, err)
		}
	}
	_, session, err := s.SignIn(ctx, "OP@x.example", "a long password")
	if err != nil {
		t.Fatal(err)
	}
	if got, err := s.BySession(ctx, session); err != nil || got.ID != p.ID {
		t.Errorf("%+v, %v", got, err)
	}
	if err := s.SignOut(ctx, session); err != nil {
		t.Fatal(err)
	}
	if _, err := s.BySession(ctx, session); !errors.Is(err, ErrUnsigned) {
		t.Errorf("after signing out: %v", err)
	}
	if _, _, err := s.AddToken(ctx, p, NewToken{Label: "x", Role: rights.Administrator,
		Ends: time.Now().Add(time.Hour)}); !fault.Is(err, "role_too_high") {
		t.Error(err)
	}
	tok, plain, err := s.AddToken(ctx, p, NewToken{Label: "x", Role: rights.Viewer, Ends: time.Now().Add(time.Hour)})
	if err != nil {
		t.Fatal(err)
	}
	if got, err := s.ByToken(ctx, plain); err != nil || got.Role != rights.Viewer {
		t.Errorf("%+v, %v", got, err)
	}
	if err := s.RemoveToken(ctx, p.ID, tok.ID); err != nil {
		t.Error(err)
	}
	if _, err := s.ByToken(ctx, plain); !errors.Is(err, ErrUnsigned) {
		t.Errorf("an ended token works: %v", err)
	}
	for code, bad := range map[string]error{"unknown_role": addPerson(s, "x@x.example", "captain", "a long password"),
		"password_too_short": addPerson(s, "x@x.example", rights.Viewer, "short"),
		"person_exists":      addPerson(s, "op@x.example", rights.Viewer, "a long password")} {
		if !fault.Is(bad, code) {
			t.Errorf("%v, want %s", bad, code)
		}
	}
}

func addPerson(s *Store, email string, role rights.Role, password string) error {
	_, err := s.AddPerson(context.Background(), email, "X", role, password, 0)
	return err
}

// Who was removed is still the one who did what they did, and nobody changes them.
func TestRemovedPeopleStayNamed(t *testing.T) {
	s := open(t)
	ctx := context.Background()
	for _, email := range []string{"first@x.example", "second@x.example"} {
		if err := addPerson(s, email, rights.Administrator, "a long password"); err != nil {
			t.Fatal(err)
		}
	}
	all, err := s.People(ctx)
	if err != nil {
		t.Fatal(err)
	}
	id := all[len(all)-1].ID
	if err := s.RemovePerson(ctx, id, 0); err != nil {
		t.Fatal(err)
	}
	p, err := s.PersonIn(ctx, id, "main")
	if err != nil || p.Name != "X" || p.Active {
		t.Errorf("%+v, %v", p, err)
	}
	_, invited := func() (Person, error) { p, _, err := s.Invite(ctx, id, 0); return p, err }()
	name := "Y"
	_, changed := s.ChangePerson(ctx, id, PersonChange{Name: &name}, 0)
	for what, err := range map[string]error{"invite": invited, "change": changed, "remove": s.RemovePerson(ctx, id, 0)} {
		if !fault.Is(err, "unknown_person") {
			t.Errorf("%s: %v", what, err)
		}
	}
}

// An error of the database that somebody can do something about is told from others, however it is wrapped.
func TestTold(t *testing.T) {
	full := fmt.Errorf("check: %w", &pgconn.PgError{Code: "53100", Message: "No space left on device"})
	if f := Told(full); f == nil || f.Code != "disk_full" || f.Mend == "" {
		t.Errorf("%v", f)
	}
	if f := Told(fmt.Errorf("note: %w", &pgconn.PgError{Code: "22021", Message: "invalid byte sequence"})); f == nil || f.Code != "bad_text" {
		t.Errorf("%v", f)
	}
	for _, err := range []error{nil, errors.New("no space"), &pgconn.PgError{Code: "53300"}} {
		if f := Told(err); f != nil {
			t.Errorf("%v: %v", err, f)
		}
	}
}

// A token is for what its maker may in each workspace, which in one may be more than everywhere; none exceeds the role that
// it was made with, nor the token by which it was made.
func TestTokensWhereRolesDiffer(t *testing.T) {
	s, ctx := open(t), t.Context()
	if _, _, err := s.FirstAdministrator(ctx, "a@x.example", ""); err != nil {
		t.Fatal(err)
	}
	p, err := s.AddPerson(ctx, "viewer@x.example", "Viewer", rights.Viewer, "a long password", 0)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.ChangePerson(ctx, p.ID, PersonChange{Roles: map[string]rights.Role{"main": rights.Administrator}}, p.ID); err != nil {
		t.Fatal(err)
	}
	made := func(by Person, role rights.Role) Person {
		t.Helper()
		ends := time.Now().Add(time.Hour)
		if by.Until != nil {
			ends = by.Until.Add(-time.Minute)
		}
		_, plain, err := s.AddToken(ctx, by, NewToken{Label: "x", Role: role, Ends: ends})
		if err != nil {
			t.Fatal(err)
		}
		with, err := s.ByToken(ctx, plain)
		if err != nil {
			t.Fatal(err)
		}
		return with
	}
	in := func(p Person) rights.Role {
		t.Helper()
		role, err := s.RoleIn(ctx, p, "main")
		if err != nil {
			t.Fatal(err)
		}
		return role
	}
	any, operator := made(p, ""), made(p, rights.Operator)
	if any.Role != rights.Viewer || in(any) != rights.Administrator {
		t.Errorf("with any role: %s everywhere, %s in the workspace", any.Role, in(any))
	}
	if operator.Role != rights.Viewer || in(operator) != rights.Operator {
		t.Errorf("as an operator: %s everywhere, %s in the workspace", operator.Role, in(operator))
	}
	again := made(operator, "")
	if in(again) != rights.Operator {
		t.Errorf("a token made with that of an operator has the role %s", in(again))
	}
	if _, _, err := s.AddToken(ctx, operator, NewToken{Label: "x", Role: rights.Administrator,
		Ends: time.Now().Add(time.Minute)}); !fault.Is(err, "role_too_high") {
		t.Errorf("a token above the one that it is made with: %v", err)
	}
	if _, err := s.ChangePerson(ctx, p.ID, PersonChange{Roles: map[string]rights.Role{"main": ""}}, p.ID); err != nil {
		t.Fatal(err)
	}
	if in(any) != rights.Viewer { // what was taken from the maker, the token has no more
		t.Errorf("a token of somebody who lost a role: %s", in(any))
	}
	if _, _, err := s.AddToken(ctx, any, NewToken{Label: "x", Role: rights.Administrator,
		Ends: time.Now().Add(time.Minute)}); !fault.Is(err, "role_too_high") {
		t.Errorf("a token of a role that its maker has lost: %v", err)
	}
}
