package work

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"sync"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/life"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
	"uchi/internal/core/verdict"
	"uchi/internal/staging"
	"uchi/internal/store"
)

func lines(head string, n int, line func(int) string) string {
	var b strings.Builder
	b.WriteString(head + "\n")
	for i := range n {
		b.WriteString(line(i) + "\n")
	}
	return b.String()
}

// Any filter, walked by cursor or by position, gives each of its rows once and
// in order, whether many have the verdict or outcome or few.
func TestPagesOfRows(t *testing.T) {
	for name, every := range map[string]int{"many are held": 3, "few are held": 40} {
		t.Run(name, func(t *testing.T) {
			b := start(t)
			i := b.check(b.upload("contact", lines("Ref,Family name,E-mail", 2500, func(n int) string {
				mail := fmt.Sprintf("p%d@x.example", n)
				if n%every == 0 {
					mail = "bad"
				}
				return fmt.Sprintf("K-%d,Berg %d,%s", n, n%7, mail)
			})))
			held := (2500 + every - 1) / every
			b.pages(i, "all", staging.RowFilter{}, 2500)
			b.pages(i, "held", staging.RowFilter{Verdict: "hold"}, held)
			b.pages(i, "create", staging.RowFilter{Verdict: "create"}, 2500-held)
			b.pages(i, "problem", staging.RowFilter{Problem: "bad_email", Field: "email"}, held)
			b.pages(i, "text", staging.RowFilter{Text: "berg 3"}, 357)
			b.pages(i, "both", staging.RowFilter{Verdict: "create", Text: "Berg 5"}, -1)
			b.pages(i, "none", staging.RowFilter{Problem: "bad_date"}, 0)
			b.room.InChunks(1000)
			i = b.load(i)
			b.pages(i, "what was held", staging.RowFilter{Outcome: "held"}, held)
			b.pages(i, "what was created", staging.RowFilter{Outcome: "created"}, 2500-held)
		})
	}
}

// pages walks the rows that a filter chooses, of which there are so many, where that is known.
func (b *bench) pages(i store.Import, name string, f staging.RowFilter, want int) {
	b.Helper()
	count, err := b.room.CountRows(b.Context(), i, f)
	b.ok(err)
	var walked []int64
	after := int64(0)
	for {
		page, err := b.room.Rows(b.Context(), i, f, after, -1, 300)
		b.ok(err)
		for _, r := range page {
			walked = append(walked, r.Row)
			after = r.Row
		}
		if len(page) < 300 {
			break
		}
	}
	if int64(len(walked)) != count || want >= 0 && len(walked) != want || !slices.IsSorted(walked) ||
		len(slices.Compact(slices.Clone(walked))) != len(walked) {
		b.Errorf("%s: %d rows walked, %d counted, want %d", name, len(walked), count, want)
	}
	for _, at := range []int64{0, 1, 62, 999, 1000, 1001, 2437, count - 1} {
		if at < 0 || at >= count {
			continue
		}
		page, err := b.room.Rows(b.Context(), i, f, 0, at, 1)
		b.ok(err)
		if len(page) != 1 || page[0].Row != walked[at] {
			b.Errorf("%s: position %d gives %v, want row %d", name, at, page, walked[at])
		}
	}
}

// Two loads at once into one record type damage neither each other nor a key:
// every key is there once, and who came second is set aside.
func TestTwoLoadsAtOnce(t *testing.T) {
	b := start(t)
	b.room.InChunks(5000)
	const n = 30_000
	text := func(name string) string {
		return lines("Ref,Family name,E-mail", n,
			func(k int) string { return fmt.Sprintf("K-%d,%s,p%d@x.example", k, name, k) })
	}
	first, second := b.check(b.upload("contact", text("First"))), b.check(b.upload("contact", text("Second")))
	b.ok(b.work.Load(b.Context(), first, LoadRequest{}, b.person))
	b.ok(b.work.Load(b.Context(), second, LoadRequest{}, b.person))
	first, second = b.wait(first.ID), b.wait(second.ID)
	created := first.Outcomes.V[verdict.Created] + second.Outcomes.V[verdict.Created]
	held := first.Outcomes.V[verdict.Held] + second.Outcomes.V[verdict.Held]
	failed := first.Outcomes.V[verdict.Failed] + second.Outcomes.V[verdict.Failed]
	if created != n || held != n || failed != 0 {
		t.Errorf("created %d, held %d, failed %d; want %d, %d, 0", created, held, failed, n, n)
	}
	var keys int64
	b.ok(b.store.Pool().QueryRow(b.Context(), `select count(distinct k_source_ref) from w_main.r_contact`).Scan(&keys))
	b.want(keys, n)
}

// A row that the database refuses fails alone; all others load.
func TestRefusedRow(t *testing.T) {
	b := start(t)
	_, err := b.store.Pool().Exec(b.Context(),
		`alter table w_main.r_contact add constraint no_dragons check (f_family_name <> 'Dragon')`)
	b.ok(err)
	i := b.check(b.upload("contact", lines("Ref,Family name", 300, func(n int) string {
		if n == 123 || n == 299 {
			return fmt.Sprintf("K-%d,Dragon", n)
		}
		return fmt.Sprintf("K-%d,Berg", n)
	})))
	i = b.load(i)
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"created": 298, "failed": 2})
	rows, err := b.room.Rows(b.Context(), i, staging.RowFilter{Outcome: "failed"}, 0, -1, 10)
	b.ok(err)
	if len(rows) != 2 || rows[0].Row != 125 || len(rows[0].Problems) == 0 ||
		!strings.Contains(rows[0].Problems[0].Detail, "refused") {
		t.Errorf("failed rows: %+v", rows)
	}
}

// A download holds every chosen row with its original cells, whatever stands in them.
func TestDownloadComesBack(t *testing.T) {
	b := start(t)
	text := "Ref,Family name,Remarks\nK-1,\"Berg \"\"the\"\" elder\",\"two,\nlines\"\nK-2,Øksnes,=1+1\nK-3,,\n"
	i := b.loaded("contact", text)
	c, err := b.store.Catalog(b.Context(), i.Workspace)
	b.ok(err)
	var out bytes.Buffer
	b.ok(b.work.WriteRows(b.Context(), i, c, staging.RowFilter{}, &out))
	r := csv.NewReader(strings.NewReader(strings.TrimPrefix(out.String(), "\ufeff")))
	rows, err := r.ReadAll()
	b.ok(err)
	b.want(len(rows), 4)
	b.want(rows[1][:3], []string{"K-1", `Berg "the" elder`, "two,\nlines"})
	b.want(rows[1][3:6], []string{"2", "created", "CON-1"})
	b.want(rows[3][4], "held")
	// The download is itself a source: its rows are known, and what was held is still held.
	again := b.check(b.upload("contact", out.String()))
	b.want(again.Totals.V.Verdicts, map[string]int64{"same": 2, "hold": 1})
}

// Owners are found by e-mail and by name, a default fills what a row leaves
// out, and own fields take part like any other.
func TestLinksDefaultsAndOwnFields(t *testing.T) {
	b := start(t)
	b.loaded("staff", "Name,E-mail\nIngrid Havnes,ingrid@lq.example\nHeike Möwes,heike@lq.example\n")
	b.want(b.record("staff", "STF-1").Values["active"], "true")
	_, err := b.work.AddField(b.Context(), "main", "account", catalog.Field{Name: "berths", Label: "Berths",
		Type: catalog.Integer}, 0, b.person)
	b.ok(err)
	_, err = b.work.AddField(b.Context(), "main", "account", catalog.Field{Name: "services", Label: "Services",
		Type: catalog.Choices, Choices: []catalog.Choice{{Code: "power", Label: "Power"},
			{Code: "water", Label: "Water"}}}, 0, b.person)
	b.ok(err)
	i := b.loaded("account", "Name,Owner,Berths,Services\nKalvøya,INGRID@lq.example,120,Water; Power\n"+
		"Krogsø,heike mowes,,power\nTarevik,STF-1,12,\nHavsund,Nobody,1,fire\n")
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"created": 3, "held": 1})
	r := b.record("account", "ACC-1")
	b.want(r.Links["owner"].ID, "STF-1")
	b.want(r.Values["berths"], "120")
	b.want(r.Values["services"], "power;water")
	b.want(b.record("account", "ACC-2").Links["owner"].Title, "Heike Möwes")
	ref, err := b.store.ReferringTo(b.Context(), "main", b.record("staff", "STF-1"), 5)
	b.ok(err)
	if len(ref) != 1 || ref[0].Count != 2 || ref[0].Field.Name != "owner" {
		t.Errorf("referring: %+v", ref)
	}
	i = b.check(b.upload("account", "ACC id,Berths,Services\nACC-1,120,\"power, water\"\nACC-2,60,\n"))
	b.want(i.Totals.V.Verdicts, map[string]int64{"same": 1, "update": 1})
}

// Files without headers all have the columns A, B and C: a routine is recognised where they hold what it takes.
func TestRoutineOfFilesWithoutHeaders(t *testing.T) {
	b := start(t)
	lines := func(columns ...string) (text string) {
		for n := range 8 {
			for at, words := range columns {
				if at > 0 {
					text += ","
				}
				text += strings.Split(words, "|")[n]
			}
			text += "\n"
		}
		return text
	}
	const given, family = "Ingrid|Matteo|Annika|Helena|Carlos|Camille|Heinrich|Gudrun",
		"Solbakken|Lindqvist|Petersen|Rousseau|Virtanen|Schröder|Andersson|Kowalski"
	const mails = "a@quay.example|b@quay.example|c@tern.example|d@tern.example|e@skua.example|f@skua.example|g@auk.example|h@auk.example"
	none := sheet.Reading{NoHeader: true}
	i := b.read(b.upload("contact", lines(given, family, mails)), none)
	i = b.change(i, func(r *mapping.Routine) {
		r.Drafts[0].Fields = map[string]mapping.Origin{"given_name": {From: []string{"A"}}, "family_name": {From: []string{"B"}},
			"email": {From: []string{"C"}}}
		r.Name = "members"
	})
	_, err := b.work.SaveRoutine(b.Context(), "main", *i.Routine.V, 0, b.person)
	b.ok(err)
	for name, x := range map[string]struct {
		text string
		want int
	}{
		"of halves turned":  {lines(family, given, mails), 0},
		"with others":       {lines("Birgit|Claudia|Stefan|Wolfgang|Sabine|Martina|Jürgen|Thomas", family, mails), 1},
		"of columns turned": {lines(mails, given, family), 0},
		"of something else": {lines("Quay Ltd|Tern AS|Skua GmbH|Gull BV|Kite SA|Heron AB|Auk Oy|Knot AG",
			"Oslo|Bergen|Kiel|Husum|Brest|Vigo|Ghent|Turku", "1|2|3|4|5|6|7|8"), 0},
		"of one column more": {lines(given, family, mails, "1|2|3|4|5|6|7|8"), 1},
		"of the kind":        {lines(given, family, mails), 1},
	} {
		list, err := b.work.Recognise(b.Context(), b.read(b.upload("contact", x.text), none))
		b.ok(err)
		if len(list) != x.want {
			t.Errorf("%s: %+v", name, list)
		}
	}
}

// A routine saved from one file is recognised in the next, with its drift, and
// sets it up.
func TestRoutineIsRecognised(t *testing.T) {
	b := start(t)
	i := b.upload("contact", "Zeichen,Familienname,Post\nK-1,Berg,Koch\n")
	i = b.change(i, func(r *mapping.Routine) {
		r.Drafts[0].Fields = map[string]mapping.Origin{"source_ref": {From: []string{"Zeichen"}},
			"family_name": {From: []string{"Familienname"}}, "language": {Fixed: "de"}}
		r.Name, r.Ignored = "weekly", []string{"Post"}
	})
	_, err := b.work.SaveRoutine(b.Context(), "main", *i.Routine.V, 0, b.person)
	b.ok(err)
	saved, err := b.work.SaveRoutine(b.Context(), "main", *i.Routine.V, 0, b.person)
	b.ok(err)
	b.want(saved.Version, 2)
	next := b.upload("contact", "Zeichen,Familienname,Post,Boot\nK-2,Li,Maat,Tern\n")
	list, err := b.work.Recognise(b.Context(), next)
	b.ok(err)
	if len(list) != 1 || list[0].Share != 1 || !slices.Equal(list[0].New, []string{"Boot"}) || list[0].Missing != nil {
		t.Fatalf("recognised: %+v", list)
	}
	b.ok(b.work.UseRoutine(b.Context(), next, "weekly", 0, b.person))
	next = b.load(b.check(b.wait(next.ID)))
	b.want(b.record("contact", "CON-1").Values["language"], "de")
	// Columns that were renamed take the place of those that they were; what is needed
	// and not there is told.
	moved := b.upload("contact", "Zeichen,Nachname,Hobby\nK-3,Øksnes,Segeln\n")
	list, err = b.work.Recognise(b.Context(), moved)
	b.ok(err)
	b.want(fmt.Sprint(list[0].Missing, list[0].New), "[{Familienname [Family name] true Nachname}] [Hobby]")
	b.ok(b.work.UseRoutine(b.Context(), moved, "weekly", 0, b.person))
	moved = b.wait(moved.ID)
	b.want(fields(*moved.Routine.V), "contact.family_name=Nachname contact.language= contact.source_ref=Zeichen")
	lacking := b.upload("contact", "Familienname,Post\nBerg,Koch\n")
	b.ok(b.work.UseRoutine(b.Context(), lacking, "weekly", 0, b.person))
	list, err = b.work.Recognise(b.Context(), b.wait(lacking.ID))
	b.ok(err)
	b.want(fmt.Sprint(list[0].Missing), "[{Zeichen [Number in the old system] true }]")
	other := b.upload("contact", "a,b\n1,2\n")
	list, err = b.work.Recognise(b.Context(), other)
	b.ok(err)
	b.want(len(list), 0)
	// of another kind
	wide := b.upload("contact", "Zeichen,Familienname,Boot,Liegeplatz,Hafen,Segel,Farbe\nK-9,Ek,Tern,7,Os,ja,rot\n")
	list, err = b.work.Recognise(b.Context(), wide)
	b.ok(err)
	b.want(len(list), 0)
	for code, err := range map[string]error{
		"unknown_routine":      b.work.UseRoutine(b.Context(), other, "monthly", 0, b.person),
		"routine_does_not_fit": b.work.UseRoutine(b.Context(), other, "weekly", 0, b.person),
	} {
		if !fault.Is(err, code) {
			t.Errorf("%v, want %s", err, code)
		}
	}
	b.ok(b.work.RemoveRoutine(b.Context(), "main", "weekly", b.person))
	if _, err := b.store.Routine(b.Context(), "main", "weekly"); !fault.Is(err, "unknown_routine") {
		t.Error(err)
	}
}

// The jobs of a process that has died are taken over by another.
func TestAnotherProcessTakesOver(t *testing.T) {
	b := start(t)
	i := b.check(b.upload("contact", "Ref,Family name\nK-1,Berg\n"))
	// A dead process has the run: it shows no sign of life.
	ctx := b.Context()
	b.ok(b.work.Stop(ctx))
	b.ok(b.work.Load(ctx, i, LoadRequest{}, b.person))
	_, err := b.store.Pool().Exec(ctx, `update uchi.runs set process = 'dead' where ended_at is null`)
	b.ok(err)
	_, err = b.store.Pool().Exec(ctx, `update uchi.river_job
		set state = 'running', attempt = 1, attempted_by = array['dead'] where state = 'available'`)
	b.ok(err)
	other, err := New(b.store, b.room, Options{Process: "other", Workers: 1, MostBytes: 1 << 20,
		Limits: sheet.DefaultLimits, Log: b.work.opt.Log})
	b.ok(err)
	b.ok(other.Start(ctx))
	b.work = other // the cleanup of the test stops it
	i = b.wait(i.ID)
	b.want(i.State, life.Loaded)
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"created": 1})
}

func TestUploadRefusals(t *testing.T) {
	b := start(t)
	up := func(u Upload) error {
		u.Workspace, u.By = "main", b.person
		if u.Body == nil {
			u.Body = strings.NewReader("a\n1\n")
		}
		_, err := b.work.Upload(b.Context(), u)
		return err
	}
	for code, u := range map[string]Upload{
		"unknown_record_type": {Into: "boat", Bytes: -1},
		"bad_reading":         {Reading: sheet.Reading{DecimalSign: "x"}, Bytes: -1},
		"upload_cut_off":      {Bytes: 1000},
		"unknown_may":         {Routine: &mapping.Routine{May: "burn"}, Bytes: -1},
	} {
		if err := up(u); !fault.Is(err, code) {
			t.Errorf("%v, want %s", err, code)
		}
	}
	if err := up(Upload{Body: io.MultiReader(strings.NewReader("a\n"), failing{}), Bytes: -1}); err == nil {
		t.Error("a broken body is taken")
	}
	list, err := b.store.Imports(b.Context(), "main", store.ImportFilter{Limit: 10})
	b.ok(err)
	b.want(len(list), 0)
	for in, want := range map[string]string{`C:\files\a.csv`: "a.csv", "../../b.csv": "b.csv", "": "pasted.csv",
		"x\x00\ny.csv": "xy.csv"} {
		b.want(cleanName(in), want)
	}
}

type failing struct{}

func (failing) Read([]byte) (int, error) { return 0, errors.New("the line is dead") }

// Many people change and check imports at once; each ends as if alone.
func TestManyImportsAtOnce(t *testing.T) {
	b := start(t)
	var all sync.WaitGroup
	results := make([]map[string]int64, 8)
	for n := range results {
		all.Go(func() {
			i := b.upload("lead", fmt.Sprintf("Ref,Family name,Company\nL-%d,Berg,Kalvøya\n,,\nL-x%d,Li,\n", n, n))
			results[n] = b.check(i).Totals.V.Verdicts
		})
	}
	all.Wait()
	for n, r := range results {
		b.want(fmt.Sprint(n, r), fmt.Sprint(n, map[string]int64{"create": 1, "hold": 1}))
	}
}
