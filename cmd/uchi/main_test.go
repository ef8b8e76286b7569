package main_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"uchi/internal/client"
	"uchi/internal/core/verdict"
	"uchi/internal/pgtest"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
)

var binary string

func TestMain(m *testing.M) {
	dir, err := os.MkdirTemp("", "uchi-binary")
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	binary = filepath.Join(dir, "uchi")
	if out, err := exec.Command("go", "build", "-o", binary, ".").CombinedOutput(); err != nil {
		fmt.Fprintf(os.Stderr, "build: %v\n%s", err, out)
		os.Exit(1)
	}
	code := pgtest.Run(m)
	os.RemoveAll(dir)
	os.Exit(code)
}

const (
	admin    = "admin@lanternquay.example"
	password = "shore power for all"
)

// service is the real binary on loopback, on a database of its own.
type service struct {
	*testing.T
	database string
	address  string
	home     string
	flags    []string // of serve
	process  *exec.Cmd
	log      *bytes.Buffer
}

// prepare makes the tables once for all tests.
func prepare(url string) error {
	st, err := store.Open(context.Background(), store.Options{URL: url, Process: "test",
		Log: slog.New(slog.DiscardHandler)})
	if err == nil {
		st.Close()
	}
	return err
}

// serve starts a service for a test, which runs beside the others.
func serve(t *testing.T, flags ...string) *service {
	t.Helper()
	t.Parallel()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	s := &service{T: t, database: pgtest.Database(t, prepare), address: l.Addr().String(), home: t.TempDir(), flags: flags}
	l.Close()
	s.start()
	t.Cleanup(func() { s.stop(os.Interrupt) })
	s.uchi(0, password, "login", admin)
	return s
}

func (s *service) start() {
	s.Helper()
	s.log = &bytes.Buffer{}
	s.process = exec.Command(binary,
		append([]string{"serve", "--database", s.database, "--listen", s.address, "--admin", admin}, s.flags...)...)
	s.process.Env = append(os.Environ(), "UCHI_ADMIN_PASSWORD="+password)
	s.process.Stderr = s.log
	if err := s.process.Start(); err != nil {
		s.Fatal(err)
	}
	for range 400 {
		if r, err := http.Get("http://" + s.address + "/ready"); err == nil {
			r.Body.Close()
			if r.StatusCode == http.StatusOK {
				return
			}
		}
		time.Sleep(25 * time.Millisecond)
	}
	s.Fatalf("the service does not get ready:\n%s", s.log)
}

func (s *service) stop(signal os.Signal) {
	s.process.Process.Signal(signal) //nolint:errcheck // it may have ended
	s.process.Wait()                 //nolint:errcheck // killed or interrupted
}

// uchi runs a command and wants an exit code.
func (s *service) uchi(want int, stdin string, args ...string) string {
	s.Helper()
	c := exec.Command(binary, append(args, "--server", "http://"+s.address)...)
	c.Env = append(os.Environ(), "XDG_CONFIG_HOME="+s.home)
	c.Stdin = strings.NewReader(stdin)
	var out, errs bytes.Buffer
	c.Stdout, c.Stderr = &out, &errs
	c.Run() //nolint:errcheck // the code is looked at
	if got := c.ProcessState.ExitCode(); got != want {
		s.Fatalf("uchi %v: exit code %d, want %d\n%s%s", args, got, want, &out, &errs)
	}
	return out.String() + errs.String()
}

func (s *service) file(name, text string) string {
	s.Helper()
	path := filepath.Join(s.TempDir(), name)
	if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
		s.Fatal(err)
	}
	return path
}

func (s *service) conn() *client.Conn {
	s.Helper()
	b, err := os.ReadFile(filepath.Join(s.home, "uchi", "login.json"))
	if err != nil {
		s.Fatal(err)
	}
	var l client.Login
	if err := json.Unmarshal(b, &l); err != nil {
		s.Fatal(err)
	}
	l.Server = "http://" + s.address // which may be another process than that at which the sign-in was
	c, err := client.Connect(l, "main")
	if err != nil {
		s.Fatal(err)
	}
	return c
}

// exec does something to the database behind the service's back.
func (s *service) exec(statement string) {
	s.Helper()
	conn, err := pgx.Connect(context.Background(), s.database)
	if err != nil {
		s.Fatal(err)
	}
	defer conn.Close(context.Background())
	if _, err := conn.Exec(context.Background(), statement); err != nil {
		s.Fatal(err)
	}
}

func (s *service) count(query string) (n int64) {
	s.Helper()
	conn, err := pgx.Connect(context.Background(), s.database)
	if err != nil {
		s.Fatal(err)
	}
	defer conn.Close(context.Background())
	if err := conn.QueryRow(context.Background(), query).Scan(&n); err != nil {
		s.Fatal(err)
	}
	return n
}

func TestImportFromTheCommandLine(t *testing.T) {
	s := serve(t)
	path := s.file("contacts.csv", "Ref,Family name,E-mail,Post\nK-1,Øksnes,a@x.example,Skipper\nK-2,Berg,bad,Cook\n")
	out := s.uchi(3, "", "import", path, "--into", "contact", "--check-only")
	for _, want := range []string{"the header is the field's name", "● create", "■ hold", "bad_email",
		"there is no @ in it", "Nothing was written"} {
		if !strings.Contains(out, want) {
			t.Errorf("the check does not say %q:\n%s", want, out)
		}
	}
	if out := s.uchi(4, "n\n", "load", "1"); !strings.Contains(out, "Create 1 (1 row held back)?") {
		t.Errorf("the question: %s", out)
	}
	if n := s.count(`select count(*) from w_main.r_contact`); n != 0 {
		t.Errorf("%d records after no", n)
	}
	s.uchi(3, "y\n", "load", "1")
	if out := s.uchi(0, "", "records", "contact", "CON-1"); !strings.Contains(out, "Øksnes") ||
		!strings.Contains(out, "import 1") {
		t.Errorf("the record: %s", out)
	}
	if out := s.uchi(0, "", "rows", "1", "--outcome", "held", "--csv"); !strings.Contains(out,
		"K-2,Berg,bad,Cook,3,held") {
		t.Errorf("held rows: %s", out)
	}
	out = s.uchi(0, "", "import", path, "--into", "contact", "--json", "--yes", "--map", "email=", "--map",
		"job_title=Post")
	var i client.Import
	if err := json.Unmarshal([]byte(out), &i); err != nil || i.Outcomes[string(verdict.Created)] != 1 ||
		i.Outcomes[string(verdict.Unchanged)] != 1 {
		t.Errorf("%v: %s", err, out)
	}
	s.uchi(0, "Name\nKalvøya\n", "import", "-", "--into", "account", "--yes")
	s.uchi(0, "", "fields", "add", "account", "berths", "--type", "integer")
	if out := s.uchi(0, "", "fields", "account"); !strings.Contains(out, "berths") {
		t.Errorf("fields: %s", out)
	}
	s.uchi(0, "", "routine", "save", "crew", "--import", "2")
	if out := s.uchi(0, "", "routine", "show", "crew"); !strings.Contains(out, "job_title:") {
		t.Errorf("the routine: %s", out)
	}
	if out := s.uchi(0, "", "import", path, "--check-only", "--routine", "crew"); !strings.Contains(out, "chosen") &&
		!strings.Contains(out, "job_title") {
		t.Errorf("with the routine: %s", out)
	}
	if out := s.uchi(0, "", "read", path); !strings.Contains(out, "seems to be contact") ||
		!strings.Contains(out, "family_name") {
		t.Errorf("what is in the file: %s", out)
	}
	s.uchi(0, "", "routine", "remove", "crew")
	for _, args := range [][]string{{"types"}, {"imports"}, {"imports", "1"}, {"workspaces"}, {"tokens"}, {"people"},
		{"mapping", "1"}, {"records", "contact", "--text", "berg"}, {"completion", "bash"}, {"--help"},
		{"import", "--help"}} {
		if out := s.uchi(0, "", args...); out == "" {
			t.Errorf("uchi %v says nothing", args)
		}
	}
}

// Where two record types fit alike a person is asked which it is, and told where nobody
// can be asked; the questions of one command take their lines one after the other.
func TestWhichTypeIsAsked(t *testing.T) {
	s := serve(t)
	path := s.file("fair.csv", "Lfd.;Anrede;Name, Vorname;Firma;Str./Nr.;PLZ Ort;Land;Tel. gesch.;Handy;Mail;Geb.;Interesse;Bem.\n"+
		"1;Frau;Brandt, Sibylle;Werft Brandt GmbH;Am Speicher 4;24103 Kiel;D;+49 431 "+
		"555120;;s.brandt@werft-brandt.example;03.04.71;hoch;Angebot\n"+
		"2;Herr;Okonjo, Felix;Segelschule Okonjo;Hafenstr. 12;23966 Wismar;D;+49 3841 5550;;felix@segelschule-okonjo.example;;mittel;\n"+
		"3;Herr;Petersen, Jan-Ole;Yachtservice Petersen KG;Kai 7;24837 Schleswig;D;+49 4621 555433;+49 171 "+
		"5550103;jo.petersen@yachtservice-petersen.example;30.07.69;hoch;\n")
	if out := s.uchi(1, "", "import", path, "--yes"); !strings.Contains(out, "none clearly best: contact") ||
		!strings.Contains(out, "lead, ") || !strings.Contains(out, "uchi mapping 1 --add TYPE") {
		t.Errorf("nobody asked: %s", out)
	}
	if out := s.uchi(0, "lead\ny\n", "import", path); !strings.Contains(out,
		"Of which type, or types, are the rows?") || !strings.Contains(out, "created     3") {
		t.Errorf("asked: %s", out)
	}
	if n := s.count(`select count(*) from w_main.r_lead`); n != 3 {
		t.Errorf("%d leads", n)
	}
}

func TestExitCodesAndFaults(t *testing.T) {
	s := serve(t)
	for _, c := range []struct {
		code int
		says string
		args []string
	}{
		{2, "unknown flag", []string{"import", "--colour"}},
		{2, "requires at least 1 arg", []string{"import"}},
		{2, "not the number of one of the imports", []string{"check", "x"}},
		{1, "cannot be opened", []string{"import", "/nowhere.csv", "--into", "contact"}},
		{1, "no such record type", []string{"import", s.file("a.csv", "a\n1\n"), "--into", "boat"}},
		{1, "never closed", []string{"import", s.file("b.csv", "a,b\n1,\"2\n"), "--into", "contact"}},
		{1, "file is empty", []string{"import", s.file("c.csv", ""), "--into", "contact"}},
		{1, "no record type fits", []string{"import", s.file("d.csv", "x,y\n1,2\n")}},
		{1, "has no such field", []string{"import", s.file("e.csv", "Surname\nBerg\n"), "--into", "contact", "--map",
			"shoe_size=Surname"}},
		{1, "no such import", []string{"check", "999"}},
		{1, "while the import is open", []string{"load", "1", "--yes"}},
		{6, "sign in first", []string{"imports", "--token", "nonsense"}},
	} {
		if out := s.uchi(c.code, "", c.args...); !strings.Contains(out, c.says) {
			t.Errorf("uchi %v does not say %q:\n%s", c.args, c.says, out)
		}
	}
	s.stop(os.Interrupt)
	if out := s.uchi(5, "", "imports"); !strings.Contains(out, "uchi serve") {
		t.Errorf("no service: %s", out)
	}
}

// killWhileLoading kills and starts the service so many times while it loads an
// import, whenever so many more rows are done; it gives how often it could.
func (s *service) killWhileLoading(id int64, times int, every int64) (kills int, i client.Import) {
	s.Helper()
	c := s.conn()
	for kills < times {
		i, err := c.Import(s.Context(), id)
		if err != nil {
			s.Fatal(err)
		}
		if i.State != client.Loading {
			break
		}
		if i.Done < int64(kills)*every {
			time.Sleep(2 * time.Millisecond)
			continue
		}
		s.stop(syscall.SIGKILL)
		kills++
		s.start()
	}
	i, err := c.Wait(s.Context(), id, nil)
	if err != nil {
		s.Fatal(err)
	}
	return kills, i
}

// Rows that make several records are there whole or not at all, whenever the
// service is killed, and every record is made once.
func TestKilledWithSeveralDrafts(t *testing.T) {
	s := serve(t)
	const rows, companies = 60_000, 9_000
	var text strings.Builder
	text.WriteString("Company,Contact last name,Contact e-mail,Customer number\n")
	for n := range rows {
		fmt.Fprintf(&text, "Harbour %d,Berg,p%d@x.example,A-%d\n", n%companies, n, n%companies)
	}
	s.uchi(0, "", "import", s.file("people.csv", text.String()), "--into", "contact", "--add", "account", "--map",
		"account.source_ref=Customer number", "--match", "email", "--check-only")
	if r, err := s.conn().LoadWithResponse(t.Context(), "main", 1, client.LoadRequest{}); err != nil ||
		r.StatusCode() != http.StatusAccepted {
		t.Fatalf("load: %v", err)
	}
	kills, i := s.killWhileLoading(1, 2, 20_000)
	if kills == 0 || i.State != client.Loaded || i.Outcomes["created"] != rows {
		t.Fatalf("killed %d times, the import is %s: %v %+v", kills, i.State, i.Outcomes, i.Trouble)
	}
	for what, x := range map[string]struct {
		query string
		want  int64
	}{
		"outcomes of drafts": {`select count(*) from staging.i1_results where last`, 2 * rows},
		"accounts":           {`select count(*) from w_main.r_account`, companies},
		"contacts":           {`select count(*) from w_main.r_contact`, rows},
		"with their account": {`select count(*) from w_main.r_contact c join w_main.r_account a on a.id = c.f_account
			where a.f_name = 'Harbour ' || (substring(c.f_email from 'p([0-9]+)@')::int % 9000)`, rows},
	} {
		if got := s.count(x.query); got != x.want {
			t.Errorf("%s: %d, want %d", what, got, x.want)
		}
	}
}

// Killed in the middle of a load, the service goes on by itself after the
// restart; every row has one outcome and no record is doubled or lost.
func TestKilledInTheMiddleOfALoad(t *testing.T) {
	s := serve(t)
	const rows, existing = 90_000, 20_000
	var text strings.Builder
	text.WriteString("Ref,Family name,E-mail\n")
	for n := range existing {
		fmt.Fprintf(&text, "K-%d,Old,p%d@x.example\n", n, n)
	}
	s.uchi(0, "", "import", s.file("existing.csv", text.String()), "--into", "contact", "--yes")
	text.Reset()
	text.WriteString("Ref,Family name,E-mail\n")
	for n := range rows {
		fmt.Fprintf(&text, "K-%d,Berg,p%d@x.example\n", n, n)
	}
	s.uchi(0, "", "import", s.file("incoming.csv", text.String()), "--into", "contact", "--check-only")
	if r, err := s.conn().LoadWithResponse(t.Context(), "main", 2, client.LoadRequest{}); err != nil ||
		r.StatusCode() != http.StatusAccepted {
		t.Fatalf("load: %v", err)
	}
	kills, i := s.killWhileLoading(2, 3, 25_000)
	if kills == 0 || i.State != client.Loaded {
		t.Fatalf("killed %d times, the import is %s: %+v", kills, i.State, i.Trouble)
	}
	for what, x := range map[string]struct {
		query string
		want  int64
	}{
		"outcomes":       {`select count(*) from staging.i2_results`, rows},
		"rows with one":  {`select count(distinct row_no) from staging.i2_results`, rows},
		"created":        {`select count(*) from staging.i2_results where outcome = 'created'`, rows - existing},
		"updated":        {`select count(*) from staging.i2_results where outcome = 'updated'`, existing},
		"records":        {`select count(*) from w_main.r_contact`, rows},
		"different keys": {`select count(distinct k_source_ref) from w_main.r_contact`, rows},
		"changed once":   {`select count(*) from w_main.r_contact where version = 2`, existing},
		"history":        {`select count(*) from w_main.h_contact`, existing},
		"done by the runs": {`select sum(done_rows)::bigint from uchi.runs where import = 2 and work = 'load'
			and ended <> 'taken'`, rows},
		"outcomes of runs": {`select sum(value::bigint)::bigint from uchi.runs, jsonb_each_text(outcomes)
			where import = 2 and work = 'load' and ended <> 'taken'`, rows},
		"linked to a record": {`select count(*) from staging.i2_results o join w_main.r_contact r on r.id = o.record_id`,
			rows},
	} {
		if got := s.count(x.query); got != x.want {
			t.Errorf("%s: %d, want %d", what, got, x.want)
		}
	}
	if i.Outcomes["created"] != rows-existing || i.Outcomes["updated"] != existing {
		t.Errorf("the import says %v", i.Outcomes)
	}
}

// Two processes on one database share the work; what one begins the other ends
// when the first dies.
func TestTwoProcesses(t *testing.T) {
	s := serve(t)
	other := &service{T: t, database: s.database, home: s.home}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	other.address = l.Addr().String()
	l.Close()
	other.start()
	defer other.stop(os.Interrupt)
	other.uchi(0, password, "login", admin)
	other.uchi(0, "Name\nKalvøya\n", "import", "-", "--into", "account", "--yes")
	s.uchi(0, password, "login", admin)
	if out := s.uchi(0, "", "records", "account"); !strings.Contains(out, "Kalvøya") {
		t.Errorf("one process does not see what the other wrote: %s", out)
	}
}

func (s *service) request(method, path, token string, body io.Reader, header map[string]string) *http.Response {
	s.Helper()
	r, err := http.NewRequest(method, "http://"+s.address+path, body)
	if err != nil {
		s.Fatal(err)
	}
	if token != "" {
		r.Header.Set("Authorization", "Bearer "+token)
	}
	for k, v := range header {
		r.Header.Set(k, v)
	}
	res, err := http.DefaultClient.Do(r)
	if err != nil {
		s.Fatal(err)
	}
	s.Cleanup(func() { res.Body.Close() })
	return res
}

func TestInterface(t *testing.T) {
	s := serve(t)
	var l client.Login
	b, _ := os.ReadFile(filepath.Join(s.home, "uchi", "login.json"))
	if err := json.Unmarshal(b, &l); err != nil {
		t.Fatal(err)
	}
	viewer := strings.TrimSpace(s.uchi(0, "", "tokens", "add", "look", "--role", "viewer"))
	js := map[string]string{"Content-Type": "application/json"}
	for _, c := range []struct {
		method, path, token, body string
		header                    map[string]string
		status                    int
		code                      string
	}{
		{"GET", "/health", "", "", nil, 200, ""},
		{"GET", "/ready", "", "", nil, 200, ""},
		{"GET", "/", "", "", nil, 200, ""},
		{"GET", "/w/main/imports/1/check", "", "", nil, 200, ""}, // the console's own pages
		{"GET", "/metrics", "", "", nil, 401, "not_signed_in"},
		{"GET", "/metrics", l.Token, "", nil, 200, ""},
		{"GET", "/api/v1/openapi.yaml", "", "", nil, 401, "not_signed_in"},
		{"GET", "/api/v1/openapi.yaml", viewer, "", nil, 200, ""},
		{"GET", "/api/v1/workspaces/main/imports", "", "", nil, 401, "not_signed_in"},
		{"GET", "/api/v1/workspaces/main/imports", viewer, "", nil, 200, ""},
		{"GET", "/api/v1/workspaces/main/imports?cursor=!", viewer, "", nil, 422, "bad_cursor"},
		{"GET", "/api/v1/workspaces/main/imports?limit=many", viewer, "", nil, 422, "bad_request"},
		{"GET", "/api/v1/workspaces/none/types", viewer, "", nil, 404, "unknown_workspace"},
		{"GET", "/api/v1/workspaces/main/records/boat", viewer, "", nil, 404, "unknown_record_type"},
		{"GET", "/api/v1/workspaces/main/records/contact/ACC-1", viewer, "", nil, 422, "not_a_record_id"},
		{"GET", "/api/v1/workspaces/main/records/contact/CON-1", viewer, "", nil, 404, "unknown_record"},
		{"GET", "/api/v1/workspaces/main/records/contact?filter=nonsense", viewer, "", nil, 422, "unknown_field"},
		{"GET", "/api/v1/nothing", viewer, "", nil, 404, "unknown_path"},
		{"POST", "/api/v1/workspaces/main/imports?name=x.csv", viewer, "a\n1\n",
			map[string]string{"Content-Type": "application/octet-stream"}, 403, "role_too_low"},
		{"POST", "/api/v1/workspaces/main/types/contact/fields", viewer, `{"name":"x","label":"X","type":"text"}`, js, 403,
			"role_too_low"},
		{"POST", "/api/v1/session", "", `{"email":"a@b.example","password":"wrong"}`, js, 401, "sign_in_failed"},
		{"POST", "/api/v1/session", "", `{`, js, 422, "bad_json"},
		{"POST", "/api/v1/session", "", `{"email":"` + admin + `","password":"` + password + `"}`,
			map[string]string{"Content-Type": "application/json", "Origin": "https://elsewhere.example"}, 403, ""},
		{"POST", "/api/v1/session", "", `{"email":"` + admin + `","password":"` + password + `"}`, js, 200, ""},
	} {
		r := s.request(c.method, c.path, c.token, strings.NewReader(c.body), c.header)
		if r.StatusCode != c.status {
			t.Errorf("%s %s: status %d, want %d", c.method, c.path, r.StatusCode, c.status)
			continue
		}
		if c.code != "" {
			var p client.Problem
			if err := json.NewDecoder(r.Body).Decode(&p); err != nil || p.Code != c.code || p.Status != c.status ||
				p.Title == "" || p.Request == "" || r.Header.Get("Content-Type") != "application/problem+json" {
				t.Errorf("%s %s: %+v, %v; want %s", c.method, c.path, p, err, c.code)
			}
		}
		if c.path == "/api/v1/session" && c.status == 200 {
			k := r.Header.Get("Set-Cookie")
			for _, want := range []string{"HttpOnly", "SameSite=Strict"} {
				if !strings.Contains(k, want) {
					t.Errorf("cookie %q lacks %s", k, want)
				}
			}
		}
	}
	// An upload that ends before its announced length leaves nothing behind.
	conn, err := net.Dial("tcp", s.address)
	if err != nil {
		t.Fatal(err)
	}
	fmt.Fprintf(conn, "POST /api/v1/workspaces/main/imports?name=cut.csv HTTP/1.1\r\nHost: x\r\n"+
		"Authorization: Bearer %s\r\nContent-Type: application/octet-stream\r\nContent-Length: 100000\r\n\r\na,b\n"+
		"1,2\n", l.Token)
	conn.Close()
	time.Sleep(200 * time.Millisecond)
	if n := s.count(`select (select count(*) from uchi.sources) + (select count(*) from uchi.imports)`); n != 0 {
		t.Errorf("a cut-off upload leaves %d rows behind", n)
	}
}

// Questions from the command line: listed, laid side by side, answered singly,
// from a file and in bulk, taken back; rules are tried; weights are shown.
func TestQuestionsFromTheCommandLine(t *testing.T) {
	s := serve(t)
	s.uchi(0, "Given name,Family name,E-mail,Birthday\nKari,Øksnes,kari@x.example,1980-04-03\n"+
		"Ola,Berg,ola@x.example,1975-01-30\nMai,Lie,mai@x.example,1990-06-11\n", "import", "-", "--into", "contact", "--yes")
	file := s.file("fair.csv", "Given name,Family name,E-mail,Birthday\nKari,Solberg,kari@x.example,\n"+
		"Ola,Lund,ola@x.example,\nMai,Dahl,mai@x.example,\n")
	out := s.uchi(3, "", "import", file, "--into", "contact", "--check-only", "--both", "keep")
	for _, want := range []string{"alike in", "? ask", "when both have a value: keep", "Answer 3 questions"} {
		if !strings.Contains(out, want) {
			t.Errorf("the check does not say %q:\n%s", want, out)
		}
	}
	if out := s.uchi(0, "", "questions", "2"); strings.Count(out, "alike") != 3 || !strings.Contains(out, "CON-1") {
		t.Errorf("questions:\n%s", out)
	}
	if out := s.uchi(0, "", "questions", "2", "2"); !strings.Contains(out, "≠ Øksnes") ||
		!strings.Contains(out, "not taken because: another family name") || !strings.Contains(out, "E-mail: the same") {
		t.Errorf("one question:\n%s", out)
	}
	s.uchi(0, "", "answer", "2", "2", "take", "CON-1", "--keep", "family_name")
	s.uchi(0, "row,choice,record\n3,new,\n4,,\n", "answer", "2", "--file", "-")
	if out := s.uchi(1, "row,choice\n99,new\n", "answer", "2", "--file", "-"); !strings.Contains(out, "unknown_row") {
		t.Errorf("an answer for no row:\n%s", out)
	}
	s.uchi(2, "", "answer", "2", "take")
	s.uchi(0, "", "answer", "2", "--many", "--from", "5", "leave_out")
	if out := s.uchi(0, "", "answers", "2", "--csv"); out != "row,choice,draft,record,other_row,keep\n"+
		"2,take,contact,CON-1,,family_name\n3,new,contact,,,\n4,leave_out,contact,,,\n" {
		t.Errorf("answers:\n%s", out)
	}
	if out := s.uchi(1, "", "load", "2", "--yes"); !strings.Contains(out, "answered_since_check") {
		t.Errorf("a load before the check:\n%s", out)
	}
	if out := s.uchi(0, "", "check", "2"); !strings.Contains(out, "left out by hand: 1") {
		t.Errorf("the check follows:\n%s", out)
	}
	s.uchi(0, "", "answers", "take-back", "2", "4")
	s.uchi(2, "", "answers", "take-back", "2")
	s.uchi(3, "", "check", "2")
	if out := s.uchi(0, "", "try", "2", "--match", "email", "--repeats", "merge"); !strings.Contains(out,
		"Tried on 3 of 3 rows. Contacts found by the same E-mail") {
		t.Errorf("tried:\n%s", out)
	}
	if out := s.uchi(1, "", "try", "2", "--match", "alike=shoe_size"); !strings.Contains(out, "unknown_field") {
		t.Errorf("a rule over no field:\n%s", out)
	}
	if out := s.uchi(0, "", "weights", "contact"); !strings.Contains(out, "family_name") {
		t.Errorf("weights:\n%s", out)
	}
	if out := s.uchi(1, "", "weights", "contact", "--estimate"); !strings.Contains(out, "too_few_records") {
		t.Errorf("weights of three records:\n%s", out)
	}
}

// Rows that make several records, by flags, by a routine file and over the
// interface alike.
func TestSeveralDraftsFromTheCommandLine(t *testing.T) {
	s := serve(t)
	s.uchi(0, "Name,E-mail\nIda Strand,ida@lanternquay.example\n", "import", "-", "--into", "staff", "--yes")
	path := s.file("quay.csv", "Person,Firm,Place,Keen,Rep mail,Since\n"+
		"Berg,Tern Marina,UKK,very,IDA@lanternquay.example,03/04/1986\nLi,Tern Marina,UKK,so so,,05/06/1986\n")
	says := func(out string, wants ...string) {
		t.Helper()
		for _, want := range wants {
			if !strings.Contains(out, want) {
				t.Errorf("no %q in:\n%s", want, out)
			}
		}
	}
	out := s.uchi(3, "", "import", path, "--into", "contact", "--add", "account", "--check-only", "--map",
		"family_name=Person", "--map", "account.name=Firm", "--map", "account.country=Place",
		"--find", "owner:email=Rep mail", "--map", "birthday=Since", "--map", "account.description=Keen")
	says(out, "into contacts and accounts", "contact.account is the account of the row",
		"contact.owner is looked up by email", "bad_country", "account.country", "ambiguous_date", "Record",
		"Nothing was written")
	says(s.uchi(0, "", "values", "2", "account.country"), "UKK", "not known: held")
	s.uchi(0, "", "mapping", "2", "--means", "account.country:UKK=GB", "--read-as", "contact.birthday=day_first",
		"--draft", "account", "--repeats", "once")
	says(s.uchi(0, "", "values", "2", "account.country"), "by the value list")
	says(s.uchi(0, "", "try", "2"), "Contacts found by", "Accounts found by", "● create")
	out = s.uchi(3, "", "check", "2")
	says(out, "rows_disagree", "account.description")
	s.uchi(0, "", "mapping", "2", "--draft", "account", "--repeats", "merge")
	says(s.uchi(0, "", "check", "2"), "contact", "account")
	if out := s.uchi(4, "n\n", "load", "2"); !strings.Contains(out, "Create 3?") {
		t.Errorf("the question: %s", out)
	}
	says(s.uchi(0, "", "load", "2", "--yes"), "created")
	says(s.uchi(0, "", "rows", "2"), "CON-1 ACC-1", "CON-2 ACC-1", "its values are in row 2")
	says(s.uchi(0, "", "records", "contact", "CON-1", "--json"), `"id": "ACC-1"`, `"id": "STF-1"`,
		`"birthday": "1986-04-03"`)
	if sheet := s.uchi(0, "", "rows", "2", "--csv"); !strings.Contains(sheet, ",created,CON-2 ACC-1,") {
		t.Errorf("the sheet:\n%s", sheet)
	}

	// The routine as a file, and its document over the interface.
	s.uchi(0, "", "routine", "save", "quay", "--import", "2")
	document := s.uchi(0, "", "routine", "show", "quay")
	says(document, "draft: account", "find:", "date_order: day_first", "repeats: merge")
	s.uchi(0, "", "routine", "save", "quay-2", "--from", s.file("quay.yaml", document))
	says(s.uchi(0, "", "import", path, "--routine", "quay-2", "--yes"), "unchanged")
	drifted := s.file("quay-next.csv", "Person,Firm,Place,Keen,Rep mail,Boat\nMoe,Tern Marina,Atlantis,very,,Tern\n")
	says(s.uchi(3, "", "import", drifted, "--from",
		s.file("again.yaml", strings.ReplaceAll(document, "name: quay\n", "")+"reading: {country: NO}\n"), "--check-only"),
		"fits", "missing Since", "new Boat", `not known: "Atlantis" in Place`, "bad_country")
	b, _ := os.ReadFile(filepath.Join(s.home, "uchi", "login.json"))
	var l client.Login
	if err := json.Unmarshal(b, &l); err != nil {
		t.Fatal(err)
	}
	r := s.request("GET", "/api/v1/workspaces/main/routines/quay/document", l.Token, nil, nil)
	got, _ := io.ReadAll(r.Body)
	if string(got) != document || !strings.HasPrefix(r.Header.Get("Content-Type"), "application/yaml") {
		t.Errorf("the document over the interface: %s\n%s", r.Header.Get("Content-Type"), got)
	}
	for body, status := range map[string]int{"may: create\n": 422, "[": 422, document: 200} {
		if r := s.request("PUT", "/api/v1/workspaces/main/routines/quay/document", l.Token, strings.NewReader(body),
			map[string]string{"Content-Type": "application/yaml"}); r.StatusCode != status {
			t.Errorf("%.20q: status %d, want %d", body, r.StatusCode, status)
		}
	}

	// What flags cannot mean is said.
	for _, bad := range [][]string{{"--map", "boat.name=Firm"}, {"--draft", "boat", "--repeats", "ask"},
		{"--drop", "boat"}, {"--find", "owner=Rep mail"}, {"--means", "country=GB"}, {"--read-as", "honorific=day_first"}} {
		s.uchi(2, "", append([]string{"mapping", "3"}, bad...)...)
	}
	says(s.uchi(1, "", "mapping", "3", "--link", "owner=account"), "wrong_draft")
	out = s.uchi(0, "", "mapping", "3", "--drop", "account")
	if strings.Contains(out, "account of the row") {
		t.Errorf("the link stays: %s", out)
	}
}
