package store

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/rights"
	"uchi/internal/pgtest"
)

// entries words the entries of the log that a filter chooses.
func entries(t *testing.T, s *Store, f LogFilter) (list []string) {
	t.Helper()
	err := s.EachLogEntry(t.Context(), f, 0, func(e LogEntry) error {
		detail := ""
		if e.Detail != nil {
			detail = string(*e.Detail)
		}
		list = append(list, strings.TrimSpace(strings.Join([]string{e.Email, e.Workspace, e.Action, e.Subject, e.Address,
			e.Token, detail}, " ")))
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	return list
}

// The log says who did what, from where, and what of settings has changed and no more;
// it is narrowed by who, where, what and when.
func TestLogSaysWhatChanged(t *testing.T) {
	s := open(t)
	p, err := s.AddPerson(t.Context(), "op@x.example", "Op", rights.Operator, "a long password", 0)
	if err != nil {
		t.Fatal(err)
	}
	ctx := From(t.Context(), Origin{Address: "192.0.2.7", Token: "nightly"})
	role := rights.Viewer
	if err := errors.Join(
		s.SetSettings(ctx, Settings{KeepDays: 30}, p.ID),
		s.SetNothing(ctx, "main", []string{"xxx"}, p.ID),
	); err != nil {
		t.Fatal(err)
	}
	_, err = s.ChangePerson(ctx, p.ID, PersonChange{Role: &role}, p.ID)
	if !fault.Is(err, "last_administrator") {
		t.Fatal(err)
	}
	if _, _, err := s.FirstAdministrator(ctx, "a@x.example", ""); err != nil {
		t.Fatal(err)
	}
	if _, err := s.AddPerson(ctx, "admin@x.example", "Admin", rights.Administrator, "a long password", 0); err != nil {
		t.Fatal(err)
	}
	if _, err := s.ChangePerson(ctx, p.ID, PersonChange{Role: &role}, p.ID); err != nil {
		t.Fatal(err)
	}
	label := "Firm"
	_, err = s.ChangeType(ctx, "main", "account", 0, p.ID, "change field",
		func(c catalog.Catalog, rt catalog.RecordType) (catalog.RecordType, error) {
			rt.Fields = slices.Clone(rt.Fields)
			rt.Fields[0].Label = label
			rt.Version++
			return rt, nil
		})
	if err != nil {
		t.Fatal(err)
	}
	want := []string{
		`op@x.example main change field account 192.0.2.7 nightly {"now": {"fields": {"name": {"label": "Firm"}}, "version": 2}, "was": {"fields": {"name": {"label": "Name"}}, "version": 1}}`,
		`op@x.example  change person op@x.example 192.0.2.7 nightly {"now": {"role": "viewer"}, "was": {"role": "operator"}}`,
		`op@x.example main change workspace main 192.0.2.7 nightly {"now": {"nothing": ["xxx"]}, "was": {"nothing": []}}`,
		`op@x.example  change settings service 192.0.2.7 nightly {"now": {"keep_days": 30}, "was": {"keep_days": 90}}`,
	}
	if got := entries(t, s, LogFilter{Person: "OP@x.example"}); !slices.Equal(got, want) {
		t.Errorf("got\n%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
	soon := time.Now().Add(time.Hour)
	for _, x := range []struct {
		LogFilter
		n int
	}{{LogFilter{Workspace: "main"}, 3}, {LogFilter{Text: "WORKSPACE MAIN"}, 2}, {LogFilter{Person: "-"}, 3},
		{LogFilter{Since: &soon}, 0}} {
		if got := entries(t, s, x.LogFilter); len(got) != x.n {
			t.Errorf("%+v chooses %d of the log, not %d:\n%s", x.LogFilter, len(got), x.n, strings.Join(got, "\n"))
		}
	}
}

// What is done to the log behind the service's back shows: an entry changed or taken
// away, a seal taken away, the end cut off.
func TestLogIsSealed(t *testing.T) {
	s := open(t)
	addSeven(t, s)
	prove := func(once string) LogProof {
		t.Helper()
		if err := s.SealLog(t.Context(), true); err != nil {
			t.Fatal(err)
		}
		p, err := s.ProveLog(t.Context(), once)
		if err != nil {
			t.Fatal(err)
		}
		return p
	}
	whole := prove("")
	if whole.Why != "" || whole.Entries != 8 || whole.Unsealed != 0 {
		t.Fatalf("%+v", whole)
	}
	if again := prove(whole.Last); again != whole {
		t.Errorf("%+v, then %+v", whole, again)
	}
	// Who changes an entry and seals it anew has to seal all behind it.
	var before []byte
	var text string
	if err := errors.Join(
		run(t.Context(), s, `update log set subject = 'somebody else'
			where id = (select entry from log_seals where number = 3)`),
		s.pool.QueryRow(t.Context(), `select hash from log_seals where number = 2`).Scan(&before),
		s.pool.QueryRow(t.Context(), `select `+sealed+` from log l where l.id = (select entry from log_seals
			where number = 3)`).Scan(&text),
	); err != nil {
		t.Fatal(err)
	}
	if _, err := s.pool.Exec(t.Context(), `update log_seals set hash = $1 where number = 3`,
		seal(before, text)); err != nil {
		t.Fatal(err)
	}
	if p, err := s.ProveLog(t.Context(), ""); err != nil || p.Broken != 4 {
		t.Errorf("an entry that was sealed anew: %+v, %v", p, err)
	}
	for why, how := range map[string]string{
		"was changed": `update log set action = 'nothing' where id = (select min(id) + 2 from log)`,
		"the entry is gone": `alter table log_seals drop constraint log_seals_entry_fkey; delete from log
			where id = (select min(id) + 2 from log)`,
		"missing before it": `delete from log_seals where number = 3`,
		"was cut off": `delete from log_seals where number > 5; delete from log
			where id > (select max(entry) from log_seals)`,
	} {
		other := open(t)
		addSeven(t, other)
		if err := other.SealLog(t.Context(), true); err != nil {
			t.Fatal(err)
		}
		before, err := other.ProveLog(t.Context(), "")
		if err != nil || before.Why != "" || before.Entries != 8 {
			t.Fatalf("%+v, %v", before, err)
		}
		if err := run(t.Context(), other, strings.Split(how, "; ")...); err != nil {
			t.Fatal(err)
		}
		if p, err := other.ProveLog(t.Context(), before.Last); err != nil || !strings.Contains(p.Why, why) {
			t.Errorf("%s: %+v, %v", why, p, err)
		}
	}
}

func addSeven(t *testing.T, s *Store) {
	t.Helper()
	for n := range 7 {
		if _, err := s.AddPerson(t.Context(), fmt.Sprintf("p%d@x.example", n), "P", rights.Viewer, "a long password",
			0); err != nil {
			t.Fatal(err)
		}
	}
}

// Guessing is made slow, for one account as for one address, and a right password opens
// nothing meanwhile; whether there is such an account does not show.
func TestGuessingIsSlow(t *testing.T) {
	opt := with(pgtest.Database(t, prepare))
	opt.Tries = Tries{Account: 2, Address: 6, First: time.Minute, Longest: time.Hour}
	s, err := Open(t.Context(), opt)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	if _, err := s.AddPerson(t.Context(), "op@x.example", "Op", rights.Operator, "a long password", 0); err != nil {
		t.Fatal(err)
	}
	here := From(t.Context(), Origin{Address: "192.0.2.1"})
	for _, email := range []string{"op@x.example", "nobody@x.example"} {
		for n := range 2 {
			if _, _, err := s.SignIn(here, email, "wrong"); !errors.Is(err, ErrSignIn) {
				t.Errorf("%s, try %d: %v", email, n, err)
			}
		}
		if _, _, err := s.SignIn(here, email, "a long password"); !fault.Is(err, "too_many_tries") {
			t.Errorf("%s: %v", email, err)
		}
	}
	if err := run(t.Context(), s, `update sign_in_tries set since = since - interval '2 minutes'`); err != nil {
		t.Fatal(err)
	}
	if _, _, err := s.SignIn(here, "op@x.example", "a long password"); err != nil {
		t.Errorf("after the time: %v", err)
	}
	for n := range 8 {
		_, _, err := s.SignIn(From(t.Context(), Origin{Address: "192.0.2.2"}), fmt.Sprintf("p%d@x.example", n), "wrong")
		if want := n >= 6; fault.Is(err, "too_many_tries") != want {
			t.Errorf("try %d from one address: %v", n, err)
		}
	}
	if got := entries(t, s, LogFilter{Text: "fail to sign in"}); len(got) != 10 {
		t.Errorf("%d failures are logged:\n%s", len(got), strings.Join(got, "\n"))
	}
	list, err := s.Sessions(t.Context(), 1, "")
	if err != nil || len(list) != 1 || list[0].Address != "192.0.2.1" {
		t.Errorf("%+v, %v", list, err)
	}
	if err := s.EndSession(t.Context(), 2, list[0].ID); !fault.Is(err, "unknown_session") {
		t.Errorf("the session of another: %v", err)
	}
}

// Documents differ by what is in them, not by where it stands.
func TestDiffering(t *testing.T) {
	var a, b any
	if err := errors.Join(
		json.Unmarshal([]byte(`{"list":[{"name":"x","n":1},{"name":"y","n":2}],"same":[1,2],"gone":true}`), &a),
		json.Unmarshal([]byte(`{"list":[{"name":"z","n":3},{"name":"y","n":2},{"name":"x","n":4}],"same":[1,2]}`), &b),
	); err != nil {
		t.Fatal(err)
	}
	was, now, err := Changed{a, b}.parts()
	x, _ := json.Marshal(was)
	y, _ := json.Marshal(now)
	if err != nil || string(x) != `{"gone":true,"list":{"x":{"n":1}}}` ||
		string(y) != `{"list":{"x":{"n":4},"z":{"n":3,"name":"z"}}}` {
		t.Errorf("%s %s %v", x, y, err)
	}
}
