package work

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"log/slog"
	"maps"
	"math/rand/v2"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/life"
	"uchi/internal/core/mapping"
	"uchi/internal/core/rights"
	"uchi/internal/core/sheet"
	"uchi/internal/core/verdict"
	"uchi/internal/pgtest"
	"uchi/internal/staging"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
)

func TestMain(m *testing.M) { os.Exit(pgtest.Run(m)) }

type bench struct {
	*testing.T
	store  *store.Store
	room   *staging.Room
	work   *Service
	person store.Person

	workspace string // in which imports are waited for; main when empty
}

func prepare(url string) error {
	s, err := store.Open(context.Background(), store.Options{URL: url, Process: "test",
		Log: slog.New(slog.DiscardHandler)})
	if err != nil {
		return err
	}
	defer s.Close()
	_, err = s.AddPerson(context.Background(), "a@lanternquay.example", "Ada", rights.Operator, "a long password", 0)
	return err
}

func start(t *testing.T) *bench {
	t.Helper()
	t.Parallel()
	return startOn(t, pgtest.Database(t, prepare))
}

// startOn starts a service on a database.
func startOn(t *testing.T, url string) *bench {
	t.Helper()
	log := slog.New(slog.DiscardHandler)
	s, err := store.Open(t.Context(), store.Options{URL: url, Process: "test",
		Connections: staging.Connections(2), Log: log})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	people, err := s.People(t.Context())
	if err != nil || len(people) != 1 {
		t.Fatalf("%d people, %v", len(people), err)
	}
	room := staging.New(s, log).Strictly().InChunks(2) // so that all that is loaded crosses their bounds
	w, err := New(s, room, Options{Process: "test", Workers: 2, MostBytes: 1 << 30, AheadFrom: 1, Limits: sheet.DefaultLimits, Log: log})
	if err != nil {
		t.Fatal(err)
	}
	if err := w.Start(context.Background()); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
		defer cancel()
		if err := w.Stop(ctx); err != nil {
			t.Logf("stop: %v", err)
		}
	})
	return &bench{T: t, store: s, room: room, work: w, person: people[0]}
}

func (b *bench) ok(err error) {
	b.Helper()
	if err != nil {
		b.Fatal(err)
	}
}

// wait waits until nobody works on the import.
func (b *bench) wait(id int64) store.Import {
	b.Helper()
	b.until(`select run is null from imports where id = $1`, id)
	i, err := b.store.Import(b.Context(), cmp.Or(b.workspace, "main"), id)
	b.ok(err)
	return i
}

// until asks the database, of which that costs hardly anything, until what a query asks is so.
func (b *bench) until(query string, args ...any) {
	b.Helper()
	for range 6000 {
		var is bool
		b.ok(b.store.Pool().QueryRow(b.Context(), query, args...).Scan(&is))
		if is {
			return
		}
		time.Sleep(10 * time.Millisecond)
	}
	b.Fatalf("it does not come to its end: %s", query)
}

func (b *bench) upload(into, text string) store.Import {
	b.Helper()
	i, err := b.work.Upload(b.Context(), Upload{Workspace: "main", FileName: "test.csv", Into: into,
		Body: strings.NewReader(text), Bytes: int64(len(text)), By: b.person})
	b.ok(err)
	return b.wait(i.ID)
}

// change edits the routine of an import.
func (b *bench) change(i store.Import, f func(*mapping.Routine)) store.Import {
	b.Helper()
	r := *i.Routine.V
	f(&r)
	b.ok(b.work.SetRoutine(b.Context(), i, r, 0, b.person))
	return b.wait(i.ID)
}

func (b *bench) check(i store.Import) store.Import {
	b.Helper()
	b.ok(b.work.Check(b.Context(), i, b.person))
	i = b.wait(i.ID)
	if i.Trouble.V != nil {
		b.Fatalf("check: %+v", i.Trouble.V)
	}
	return i
}

func (b *bench) load(i store.Import) store.Import {
	b.Helper()
	b.ok(b.work.Load(b.Context(), i, LoadRequest{}, b.person))
	i = b.wait(i.ID)
	if i.Trouble.V != nil {
		b.Fatalf("load: %+v", i.Trouble.V)
	}
	return i
}

func (b *bench) loaded(into, text string) store.Import {
	b.Helper()
	return b.load(b.check(b.upload(into, text)))
}

// crash empties what a crash of the database empties: unlogged tables.
func (b *bench) crash(i store.Import) {
	b.Helper()
	emptied := 0
	for range 20 { // tables that no longer hold are still being dropped
		rows, err := b.store.Pool().Query(b.Context(), `select c.oid::regclass::text from pg_class c
			join pg_namespace n on n.oid = c.relnamespace
			where n.nspname = 'staging' and c.relpersistence = 'u' and c.relkind = 'r' and c.relname ~ $1`,
			fmt.Sprintf("^i%d_", i.ID))
		b.ok(err)
		tables, err := pgx.CollectRows(rows, pgx.RowTo[string])
		b.ok(err)
		emptied = len(tables)
		if _, err = b.store.Pool().Exec(b.Context(), `truncate `+strings.Join(tables, ", ")); err == nil {
			break
		}
		time.Sleep(20 * time.Millisecond)
	}
	if emptied == 0 {
		b.Fatal("nothing is staged")
	}
}

// begun begins a run of an import that no job does: the test does it itself, as
// another process.
func (b *bench) begun(i store.Import, event life.Event) store.Run {
	b.Helper()
	return b.begunTo(i, event, store.Run{})
}

// begunTo is as begun, of a run that is to do what another says.
func (b *bench) begunTo(i store.Import, event life.Event, what store.Run) (run store.Run) {
	b.Helper()
	b.ok(b.store.Act(b.Context(), "main", i.ID,
		store.Act{Event: event, By: b.person, Run: what, Enqueue: func(_ context.Context, _ pgx.Tx, r store.Run) error {
			run = r
			return nil
		}}))
	run, err := b.store.StartRun(b.Context(), run.ID, "another")
	b.ok(err)
	b.ok(b.store.Beat(b.Context(), "another"))
	return run
}

// codes lists row, code and field of every problem.
func (b *bench) codes(i store.Import) []string {
	b.Helper()
	rows, err := b.room.Rows(b.Context(), i, staging.RowFilter{}, 0, -1, 500)
	b.ok(err)
	var out []string
	for _, r := range rows {
		for _, p := range r.Problems {
			out = append(out, fmt.Sprintf("%d %s %s", r.Row, p.Code, p.Field))
		}
	}
	return out
}

func (b *bench) record(typeName, id string) store.Record {
	b.Helper()
	r, err := b.store.Record(b.Context(), "main", typeName, id)
	b.ok(err)
	return r
}

func (b *bench) want(got, want any) {
	b.Helper()
	if fmt.Sprint(got) != fmt.Sprint(want) {
		b.Errorf("got  %v\nwant %v", got, want)
	}
}

// exactly has rows found by these fields alone, each in turn.
func (b *bench) exactly(i store.Import, fields ...string) store.Import {
	b.Helper()
	return b.change(i, func(r *mapping.Routine) {
		r.Drafts[0].Match = nil
		for _, f := range fields {
			r.Drafts[0].Match = append(r.Drafts[0].Match, catalog.MatchRule{Fields: []string{f}, Several: catalog.Hold})
		}
	})
}

func TestCreateUpdateSame(t *testing.T) {
	b := start(t)
	i := b.loaded("contact", "Ref,Family name,E-mail,Phone\nK-1,Øksnes,a@x.example,+47 55 11 22 33\n"+
		"K-2,Nordlie,b@x.example,\n")
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"created": 2})
	i = b.loaded("contact", "Ref,Family name,E-mail,Phone\nk-1 ,Øksnes,a@x.example,+4755112233\n"+
		"K-2,Nordlie-Berg,,+4755112244\n,Sæther,B@X.example,\nCON-9,Myrvang,c@x.example,\n")
	// the mailbox of row 4 is that of somebody of another name
	b.want(i.Totals.V.Verdicts, map[string]int64{"same": 1, "update": 1, "ask": 1, "create": 1})
	r := b.record("contact", "CON-2")
	b.want(r.Values["family_name"], "Nordlie-Berg")
	b.want(r.Values["email"], "b@x.example") // the blank cell left it
	b.want(r.Version, 2)
	h, err := b.store.History(b.Context(), "main", r.Type, "CON-2")
	b.ok(err)
	b.want(len(h), 2)
	b.want(*h[0].Changes.V["phone"][1], "+4755112244")
	if h[0].Changes.V["phone"][0] != nil || *h[0].Import != i.ID || h[0].Person != "Ada" {
		t.Errorf("history: %+v", h[0])
	}
	list, _, err := b.store.Records(b.Context(), "main", "contact", store.RecordFilter{Text: "nordlie-berg", Limit: 10})
	b.ok(err)
	b.want(len(list), 1) // the title's normal form follows the change
}

func TestWhatAnImportMayDo(t *testing.T) {
	b := start(t)
	b.loaded("staff", "Name,E-mail\nAda,a@x.example\n")
	for may, want := range map[mapping.May]map[string]int64{
		mapping.Create: {"create": 1, "skip": 1}, mapping.Update: {"skip": 1, "update": 1},
		mapping.CreateOrUpdate: {"create": 1, "update": 1},
	} {
		i := b.upload("staff", "Name,E-mail\nAda L,a@x.example\nBo,b@x.example\n")
		i = b.check(b.change(i, func(r *mapping.Routine) { r.May = may }))
		b.want(i.Totals.V.Verdicts, want)
	}
}

// Every kind of problem is found at its row and field.
func TestProblems(t *testing.T) {
	b := start(t)
	b.load(b.check(b.exactly(b.upload("account", "Name,Ref\nKalvøya Marina,A-1\nKrogsø Marina,A-2\n"+
		"Krogsø Marina,A-3\n"), "source_ref")))
	i := b.check(b.exactly(b.upload("contact",
		strings.Join([]string{"CON id,Ref,Family name,E-mail,Birthday,Account,Phone,Consent to e-mail",
			"ACC-1,K-1,Berg,a@x.example,1990-01-01,A-1,,",     // 2 a wrong prefix
			"CON-77,K-2,Berg,b@x.example,1990-01-01,A-1,,",    // 3 no such record
			",K-3,,c@x.example,1990-01-01,A-1,,",              // 4 required
			",K-4,Berg,not-mail,03/04/1990,A-1,,perhaps",      // 5 mail, date, yes or no
			",K-5,Berg,d@x.example,,Krogsø marina,,",          // 6 two accounts of the name
			",K-6,Berg,e@x.example,,Nowhere,12,",              // 7 none
			",K-7,Berg,f@x.example,,kalvøya MARINA ltd,,",     // 8 by name, whatever the form
			",K-7,Berg,g@x.example,,,,",                       // 9 the key again
			",,Berg,F@X.example,,,,",                          // 10 the mail of row 8 again
			",K-8," + strings.Repeat("x", 200) + ",,,ACC-2,,", // 11 too long
			",K-9,Berg,,,ACC-99,,,,more",                      // 12 no such account, ragged
		}, "\n")), "id", "source_ref", "email"))
	b.want(strings.Join(b.codes(i), "\n"), strings.Join([]string{
		"2 bad_record_id id", "3 record_missing id", "4 required_missing family_name", "5 ambiguous_date birthday",
		"5 bad_email email", "5 bad_yes_no email_consent", "6 link_ambiguous account",
		"7 link_not_found account", "7 bad_phone phone", "9 duplicate_row source_ref", "10 duplicate_row email",
		"11 too_long family_name", "12 ragged_row ", "12 record_missing account"}, "\n"))
	i = b.load(i)
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"created": 1, "held": 10})
	var sheet bytes.Buffer
	c, err := b.store.Catalog(b.Context(), "main")
	b.ok(err)
	b.ok(b.work.WriteRows(b.Context(), i, c, staging.RowFilter{Outcome: "held"}, &sheet))
	if got := sheet.String(); strings.Count(got, "\n") != 11 || !strings.Contains(got, `An id looks like CON-1042`) {
		t.Errorf("held rows: %s", got)
	}
	r := b.record("contact", "CON-1")
	b.want(r.Links["account"].Title, "Kalvøya Marina")
}

func TestSeveralFoundAndKeyTaken(t *testing.T) {
	b := start(t)
	b.loaded("contact", "Ref,Family name,E-mail\nK-1,Ek,info@x.example\nK-2,Bø,one@x.example\n")
	// A second record of the same mail can only come in with its key.
	i := b.upload("contact", "Ref,Family name,E-mail\nK-3,Li,info@x.example\n")
	i = b.change(i, func(r *mapping.Routine) {
		r.Drafts[0].Match = []catalog.MatchRule{{Fields: []string{"source_ref"}}}
	})
	b.load(b.check(i))
	i = b.check(b.exactly(b.upload("contact", "Family name,E-mail\nEk,INFO@x.example\n"), "email"))
	b.want(b.codes(i), "[2 several_found email]")
	i = b.check(b.upload("contact", "CON id,Family name,Ref\nCON-2,Bø,K-1\n"))
	b.want(b.codes(i), "[2 key_taken source_ref]")
}

func TestRecordRules(t *testing.T) {
	b := start(t)
	b.loaded("account", "Name\nKalvøya Marina\n")
	head := "Ref,Title,Account,Stage,Expected close,Loss reason\n"
	i := b.loaded("opportunity", head+"D-1,Pier,Kalvøya Marina,won,2026-05-01,\n"+
		"D-2,Jetty,Kalvøya Marina,lost,2026-05-01,\nD-3,Buoy,Kalvøya Marina,lost,2026-05-01,price\n")
	b.want(b.codes(i), "[3 rule_broken loss_reason]")
	// The rule judges what the record would be, not what the row says.
	i = b.check(b.upload("opportunity", "Ref,Stage\nD-1,lost\nD-3,lost\n"))
	b.want(b.codes(i), "[2 rule_broken loss_reason]")
}

// What the check says is what the load does, and a second load of the same
// file would do nothing: over random files and records.
func TestTheCheckIsTheLoad(t *testing.T) {
	b := start(t)
	b.room.InChunks(10)
	r := rand.New(rand.NewPCG(7, 8))
	for round := range 6 {
		var text strings.Builder
		text.WriteString("Ref,Given name,Family name,E-mail,Birthday,Phone\n")
		for range 60 {
			pick := func(list ...string) string { return list[r.IntN(len(list))] }
			mail := pick("", "bad", fmt.Sprintf("p%d@x.example", r.IntN(40)))
			ref := fmt.Sprint("K-", r.IntN(40))
			if mail != "" && mail != "bad" { // a row without anything to be found by would be made again
				ref = pick("", ref)
			}
			fmt.Fprintf(&text, "%s,%s,%s,%s,%s,%s\n", ref, pick("", "Åse", "Nils"), pick("", "Berg", "Li", "Øksnes"),
				mail, pick("", "1990-01-01", "31.02.1990"), pick("", "+47 5511223"+fmt.Sprint(r.IntN(9)), "12"))
		}
		i := b.upload("contact", text.String())
		if round%2 == 0 {
			i = b.exactly(i, "source_ref", "email")
		}
		i = b.check(i)
		said := maps.Clone(i.Totals.V.Verdicts)
		i = b.load(i)
		want := map[verdict.Outcome]int64{}
		for v, n := range said {
			want[verdict.OutcomeOf(verdict.Verdict(v))] += n
		}
		b.want(fmt.Sprint(round, i.Outcomes.V), fmt.Sprint(round, want))
		if round%2 == 1 {
			continue // what was asked about may be found once the others are there
		}
		again := b.check(b.exactly(b.upload("contact", text.String()), "source_ref", "email"))
		b.want(again.Totals.V.Verdicts["create"]+again.Totals.V.Verdicts["update"], 0)
	}
}

// Rows that are left can be mended by the mapping and loaded; the others are
// not touched again.
func TestLoadWhatIsLeft(t *testing.T) {
	b := start(t)
	i := b.loaded("lead", "Family name,Company,Interest\nBerg,Kalvøya,very interested\nLi,Krogsø,high\n")
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"created": 1, "held": 1})
	i = b.change(i, func(r *mapping.Routine) {
		o := r.Drafts[0].Fields["interest"]
		o.Values = map[string]string{"Very interested": "high"}
		r.Drafts[0].Fields["interest"] = o
	})
	i = b.check(i)
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 1})
	i = b.load(i)
	b.want(i.Outcomes.V[verdict.Created], 2)
	b.want(i.Outcomes.V[verdict.Held], 0)
	list, _, err := b.store.Records(b.Context(), "main", "lead", store.RecordFilter{Limit: 10})
	b.ok(err)
	b.want(len(list), 2)
}

// A record that somebody else has written between check and load is not
// trampled on.
func TestChangedSinceTheCheck(t *testing.T) {
	b := start(t)
	b.loaded("contact", "Ref,Family name,E-mail\nK-1,Berg,a@x.example\nK-2,Li,b@x.example\n")
	first := b.check(b.exactly(b.upload("contact", "Ref,Family name,E-mail\nK-1,Berg-Ek,\nK-2,Li-Ek,\n"+
		"K-3,Ny,c@x.example\nK-4,Nå,d@x.example\n"), "source_ref", "email"))
	b.loaded("contact", "Ref,Family name,E-mail\nK-1,Berg-Hav,\nK-3,Nyere,\n,Nåle,d@x.example\n")
	first = b.load(first)
	b.want(first.Outcomes.V, map[verdict.Outcome]int64{"updated": 1, "held": 3})
	b.want(b.codes(first), "[2 changed_since_check  4 changed_since_check  5 changed_since_check ]")
	b.want(b.record("contact", "CON-1").Values["family_name"], "Berg-Hav")
	b.want(b.record("contact", "CON-2").Values["family_name"], "Li-Ek")
	again := b.check(first)
	b.want(again.Totals.V.Verdicts, map[string]int64{"update": 3})
}

// A paused load goes on where it was; a stopped one stays where it is.
func TestPauseAndStop(t *testing.T) {
	b := start(t)
	b.room.InChunks(20_000)
	var text strings.Builder
	text.WriteString("Ref,Family name\n")
	const rows = 3*20_000 + 5
	for n := range rows {
		fmt.Fprintf(&text, "K-%d,Berg\n", n)
	}
	i := b.check(b.upload("contact", text.String()))
	b.ok(b.work.Load(b.Context(), i, LoadRequest{}, b.person))
	b.ok(b.work.Do(b.Context(), i, life.Pause, b.person))
	i = b.wait(i.ID)
	b.want(i.State, life.Paused)
	if i.Done == rows {
		t.Skip("the load was quicker than the pause")
	}
	b.ok(b.work.Do(b.Context(), i, life.Resume, b.person))
	i = b.wait(i.ID)
	b.want(i.State, life.Loaded)
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"created": rows})
	n, err := b.room.CountRows(b.Context(), i, staging.RowFilter{Outcome: "created"})
	b.ok(err)
	b.want(n, rows)
	// Pages at any place of a large sheet.
	for _, at := range []int64{0, 999, 1000, 40_000, rows - 1} {
		page, err := b.room.Rows(b.Context(), i, staging.RowFilter{}, 0, at, 1)
		b.ok(err)
		b.want(page[0].Row, at+2)
		page, err = b.room.Rows(b.Context(), i, staging.RowFilter{Outcome: "created"}, 0, at, 1)
		b.ok(err)
		b.want(page[0].Row, at+2)
	}
}

// When the database has crashed, its unlogged tables are empty; everything is
// rebuilt from the source, and what is loaded stays loaded.
func TestStagingIsRebuilt(t *testing.T) {
	b := start(t)
	i := b.check(b.upload("contact", "Ref,Family name,E-mail\nK-1,Berg,a@x.example\nK-2,Li,bad\n"))
	said := i.Totals.V.Verdicts
	b.crash(i)
	i = b.load(i)
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"created": said["create"], "held": said["hold"]})
	b.want(len(b.codes(i)), 1)
}

func TestReadingByHand(t *testing.T) {
	b := start(t)
	i := b.upload("contact", "Family name;Birthday\nBerg;03/04/1990\n")
	b.want(b.codes(b.check(i)), "[2 ambiguous_date birthday]")
	i, err := b.store.Import(b.Context(), "main", i.ID)
	b.ok(err)
	b.ok(b.work.SetReading(b.Context(), i, sheet.Reading{DateOrder: "day_first"}, b.person))
	i = b.check(b.wait(i.ID))
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 1})
	if err := b.work.SetReading(b.Context(), i, sheet.Reading{DateOrder: "sideways"}, b.person); !fault.Is(err,
		"bad_reading") {
		t.Error(err)
	}
}

func TestBadSourcesLeaveAnImportInTrouble(t *testing.T) {
	b := start(t)
	for text, code := range map[string]string{"": "empty_source", "a,b\n": "no_rows", "a,b\n1,\"2": "quote_not_closed",
		"\x89PNG....": "not_text", strings.Repeat("a,", 9999) + "a\n1\n": "too_many_columns"} {
		i := b.upload("contact", text)
		if i.Trouble.V == nil || i.Trouble.V.Code != code || i.State != life.Open {
			t.Errorf("%.20q: %s, %+v; want %s", text, i.State, i.Trouble.V, code)
		}
		if err := b.work.Check(b.Context(), i, b.person); err == nil {
			t.Errorf("%.20q: it can be checked", text)
		}
		b.ok(b.work.Do(b.Context(), i, life.Discard, b.person))
	}
}

func TestWrongStates(t *testing.T) {
	b := start(t)
	i := b.upload("contact", "Family name\nBerg\n")
	if err := b.work.Load(b.Context(), i, LoadRequest{}, b.person); !fault.Is(err, "wrong_state") {
		t.Errorf("load before check: %v", err)
	}
	if err := b.work.Do(b.Context(), i, life.Pause, b.person); !fault.Is(err, "wrong_state") {
		t.Errorf("pause without load: %v", err)
	}
	i = b.load(b.check(i))
	if err := b.work.Do(b.Context(), i, life.Discard, b.person); !fault.Is(err, "rows_written") {
		t.Errorf("discard a loaded import: %v", err)
	}
	if _, err := b.store.Import(b.Context(), "main", 999); !fault.Is(err, "unknown_import") {
		t.Error(err)
	}
}

func TestRowAsRecord(t *testing.T) {
	b := start(t)
	b.loaded("contact", "Ref,Family name,E-mail\nK-1,Berg,a@x.example\n")
	i := b.upload("contact", "Ref,Family name,E-mail\nK-1,Berg-Li,\nK-2,Ny,bad\n")
	before, err := b.work.RowAsRecord(b.Context(), i, 2)
	b.ok(err)
	if d := before.Drafts[0]; d.Found != nil || len(d.Values) != 3 {
		t.Errorf("before the check: %d values", len(d.Values))
	}
	i = b.check(i)
	after, err := b.work.RowAsRecord(b.Context(), i, 2)
	b.ok(err)
	d := after.Drafts[0]
	at := slices.IndexFunc(d.Values, func(v RowValue) bool { return v.Field.Name == "family_name" })
	if v := d.Values[at]; v.Before != "Berg" || v.After != "Berg-Li" || !v.Changed || d.Found == nil {
		t.Errorf("after the check: %+v", v)
	}
	if _, err := b.work.RowAsRecord(b.Context(), i, 99); !fault.Is(err, "unknown_row") {
		t.Error(err)
	}
}

func TestConditionLeavesRowsOut(t *testing.T) {
	b := start(t)
	i := b.upload("contact", "Ref,Family name,State\nK-1,Berg,active\nK-2,Li,gone\nK-3,Ek,active\n")
	i = b.change(i, func(r *mapping.Routine) { r.Drafts[0].Where = `cells["State"] != "gone"` })
	i = b.check(i)
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 2, "skip": 1})
	i = b.load(i)
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"created": 2, "skipped": 1})
	if err := b.work.SetRoutine(b.Context(), i,
		func() mapping.Routine { r := *i.Routine.V; r.Drafts[0].Where = "1 +"; return r }(), 0, b.person); !fault.Is(err,
		"bad_expression") {
		t.Errorf("a bad condition: %v", err)
	}
}

// A workbook goes the whole way, and its headers are remembered.
func TestWorkbookAndMemory(t *testing.T) {
	b := start(t)
	book, err := os.ReadFile("../core/sheet/testdata/offices.xlsx")
	b.ok(err)
	up := func() store.Import {
		i, err := b.work.Upload(b.Context(), Upload{Workspace: "main", FileName: "offices.xlsx", Into: "account",
			Body: bytes.NewReader(book), Bytes: int64(len(book)), By: b.person})
		b.ok(err)
		return b.wait(i.ID)
	}
	i := up()
	b.want(i.Rows, 4)
	i = b.change(i, func(r *mapping.Routine) {
		delete(r.Drafts[0].Fields, "registration_number")
		r.Drafts[0].Fields["name"] = mapping.Origin{From: []string{"Office"}}
		r.Drafts[0].Fields["source_ref"] = mapping.Origin{From: []string{"Number"}}
	})
	i = b.load(b.check(i))
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"created": 4})
	i = up()
	b.want(i.Routine.V.Drafts[0].Fields["source_ref"].From, "[Number]")
	b.want(b.check(i).Totals.V.Verdicts, map[string]int64{"same": 4})
}
