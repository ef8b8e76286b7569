package work

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"uchi/internal/core/fault"
	"uchi/internal/core/life"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
	"uchi/internal/core/verdict"
	"uchi/internal/staging"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
)

// agree sees that the counters of an import are those of the tables.
func (b *bench) agree(i store.Import) {
	b.Helper()
	rows, err := b.store.Pool().Query(b.Context(), fmt.Sprintf(`select of_row, count(*) from staging.i%d_results
		where last and of_row is not null group by of_row`, i.ID))
	b.ok(err)
	defer rows.Close()
	counted := map[verdict.Outcome]int64{}
	for rows.Next() {
		var o verdict.Outcome
		var n int64
		b.ok(rows.Scan(&o, &n))
		counted[o] = n
	}
	b.ok(rows.Err())
	said := maps.Clone(i.Outcomes.V)
	maps.DeleteFunc(said, func(_ verdict.Outcome, n int64) bool { return n == 0 })
	if !maps.Equal(said, counted) {
		b.Errorf("the import says %v, the tables %v", said, counted)
	}
	for _, q := range []struct{ what, query string }{
		{"two outcomes that hold for one draft", `select count(*) from (select row_no, draft from staging.i%d_results
			where last group by 1, 2 having count(*) > 1) x`},
		{"runs of which the counters differ", `select count(*) from runs r where r.import = %d and r.work = 'load'
			and r.ended <> 'taken' and r.ended is not null
			and r.done_rows <> (select coalesce(sum(value::bigint), 0) from jsonb_each_text(r.outcomes))`},
	} {
		var n int
		b.ok(b.store.Pool().QueryRow(b.Context(), fmt.Sprintf(q.query, i.ID)).Scan(&n))
		if n > 0 {
			b.Errorf("%d %s", n, q.what)
		}
	}
}

// Counters are those of the tables after refusals, checks again and repeated loads.
func TestCountersAreThoseOfTheTables(t *testing.T) {
	b := start(t)
	_, err := b.store.Pool().Exec(b.Context(),
		`alter table w_main.r_contact add constraint no_dragons check (f_family_name <> 'Dragon')`)
	b.ok(err)
	i := b.load(b.check(b.upload("contact", "Ref,Family name,E-mail\nK-1,Berg,a@x.example\nK-2,Dragon,\nK-3,Li,bad\n"+
		"K-1,Berg,\nK-5,Moe,m@x.example\n")))
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"created": 2, "failed": 1, "held": 2})
	b.agree(i)
	_, err = b.store.Pool().Exec(b.Context(), `alter table w_main.r_contact drop constraint no_dragons`)
	b.ok(err)
	i = b.check(i)
	b.agree(i)
	i = b.load(i)
	b.want(i.Outcomes.V["created"], int64(3))
	b.agree(i)
	i = b.load(b.check(i))
	b.agree(i)
	runs, err := b.store.Runs(b.Context(), i.ID)
	b.ok(err)
	var loads []string
	for _, r := range runs {
		if r.Work == life.LoadingRun {
			loads = append(loads, fmt.Sprint(r.Outcomes.V[verdict.Created], " of ", r.Done))
		}
	}
	b.want(loads, "[0 of 1 1 of 3 2 of 5]") // each run keeps its own
}

// Rows that were left out by hand are looked at again when their answers are
// taken back, also after a load.
func TestTakenInAgainAfterTheLoad(t *testing.T) {
	b := start(t)
	i := b.check(b.upload("contact", "Ref,Family name\nK-1,Berg\nK-2,Li\nK-3,Moe\nK-4,Dal\nK-5,Ek\n"))
	var out []Given
	for row := int64(2); row < 6; row++ {
		out = append(out, Given{Row: row, Choice: verdict.ChooseLeaveOut})
	}
	_, err := b.work.Answer(b.Context(), i, out, b.person)
	b.ok(err)
	i = b.load(b.check(b.again(i)))
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"created": 1, "skipped": 4})
	_, err = b.work.TakeBack(b.Context(), i, nil, b.person)
	b.ok(err)
	i = b.check(b.again(i))
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 4})
	i = b.load(i)
	b.want(i.Outcomes.V["created"], int64(5))
	b.want(i.Outcomes.V["skipped"], int64(0))
	b.agree(i)
}

// What is no longer needed is dropped after a run has ended, when the next may
// have begun: what that has staged stays.
func TestDroppingSparesTheNextRun(t *testing.T) {
	b := start(t)
	i := b.check(b.upload("contact", "Ref,Family name\nK-1,Berg\nK-2,Li\n"))
	before := *i.CheckRun
	run := b.begun(i, life.Check)
	staged := func(id int64) (n int) {
		b.ok(b.store.Pool().QueryRow(b.Context(), `select count(*) from pg_tables where schemaname = 'staging'
			and tablename ~ $1`, fmt.Sprintf("^i%d_r%d_", i.ID, id)).Scan(&n))
		return n
	}
	_, err := b.store.Pool().Exec(b.Context(), fmt.Sprintf(`create table staging.i%d_r%d_left (row_no bigint)`,
		i.ID, run.ID))
	b.ok(err)
	b.ok(b.room.Drop(b.Context(), i.ID, *i.CellsRun)) // as the run before does, late
	b.want([]int{staged(*i.CellsRun), staged(before), staged(run.ID)}, []int{1, 0, 1})
	b.ok(b.work.end(b.Context(), run, life.Failed, &store.Trouble{Code: "over", Message: "over"}))
	b.want(staged(run.ID), 0)
}

// A process that was silent, comes back and finds its run taken writes nothing:
// no record, no outcome, nothing in staging.
func TestALateProcessWritesNothing(t *testing.T) {
	b := start(t)
	i := b.check(b.upload("contact", "Ref,Family name\nK-1,Berg\nK-2,Li\n"))
	for _, event := range []life.Event{life.Load, life.Check, life.ChangeReading} {
		run := b.begun(i, event)
		late, err := b.store.Import(b.Context(), "main", i.ID)
		b.ok(err)
		// Another process takes the run over, and does it.
		_, err = b.store.Pool().Exec(b.Context(), `update processes set beat = now() - interval '1 hour'
			where name = 'another'`)
		b.ok(err)
		b.ok(b.work.takeOver(b.Context(), ""))
		i = b.wait(i.ID)
		if i.Trouble.V != nil {
			b.Fatalf("%s: %+v", event, i.Trouble.V)
		}
		_, err = b.room.DropLeftovers(b.Context())
		b.ok(err)
		before := b.everything(i)
		do := map[life.Work]func(context.Context, store.Run, store.Import) error{life.Reading: b.work.read,
			life.CheckingRun: b.work.check, life.LoadingRun: b.work.load}
		if err := do[run.Work](b.Context(), run, late); !errors.Is(err, store.ErrTaken) {
			b.Errorf("%s: the late process meets %v", event, err)
		}
		if err := b.work.end(b.Context(), run, life.Failed, &store.Trouble{Code: "late", Message: "late"}); err != nil {
			b.Errorf("%s: the late process ends with %v", event, err)
		}
		b.want(b.everything(i), before)
	}
}

// everything lists how many rows there are in the tables of an import and of its
// records, and how it stands.
func (b *bench) everything(i store.Import) string {
	b.Helper()
	now, err := b.store.Import(b.Context(), "main", i.ID)
	b.ok(err)
	rows, err := b.store.Pool().Query(b.Context(), `select schemaname || '.' || tablename from pg_tables
		where schemaname in ('staging', 'w_main') order by 1`)
	b.ok(err)
	var names []string
	for rows.Next() {
		var name string
		b.ok(rows.Scan(&name))
		names = append(names, name)
	}
	b.ok(rows.Err())
	list := []string{string(now.State), string(now.Work), fmt.Sprint(now.Outcomes.V)}
	for _, name := range names {
		var n int
		if err := b.store.Pool().QueryRow(b.Context(), `select count(*) from `+name).Scan(&n); err == nil && n > 0 {
			list = append(list, fmt.Sprint(name, " ", n))
		}
	}
	return strings.Join(list, "\n")
}

// An error or a panic at any step of any run ends the run with its reason and
// frees the import, which can then be worked on as if nothing had been.
func TestTroubleAtEveryStep(t *testing.T) {
	b := start(t)
	b.loaded("contact", people)
	var mu sync.Mutex
	var steps []string
	fail := ""
	how := 0
	b.room.FailAt(func(step string) error {
		mu.Lock()
		defer mu.Unlock()
		if !slices.Contains(steps, step) {
			steps = append(steps, step)
		}
		if step != fail {
			return nil
		}
		if how == 1 {
			panic("a fault of ours")
		}
		return errors.New("it does not work")
	})
	set := func(step string, h int) {
		mu.Lock()
		defer mu.Unlock()
		fail, how = step, h
	}
	number := 0
	checked := func() store.Import {
		number++
		i := b.upload("contact", fmt.Sprintf("Given name,Family name,E-mail,Birthday,Company\n"+
			"Kari,Solberg%d,kari@oksnes.example,1980-04-03,Tern %d\nNils,Ny%d,n%d@ny.example,,\nNils,Ny%d,n%d@ny.example,,\n",
			number, number, number, number, number, number))
		b.ok(b.work.AddDraft(b.Context(), i, mapping.Draft{Type: "account"}, 0, b.person))
		return b.check(b.wait(i.ID))
	}
	troubled := func(i store.Import, step string) store.Import {
		t.Helper()
		i = b.wait(i.ID)
		if i.Trouble.V == nil || i.Trouble.V.Message == "" || i.Trouble.V.Mend == "" || i.State == life.Checking ||
			i.State == life.Loading {
			t.Errorf("at %q the import is left %s: %+v", step, i.State, i.Trouble.V)
		}
		set("", 0)
		return i
	}
	b.upload("contact", people)
	since := func(before []string) []string {
		return slices.DeleteFunc(slices.Clone(steps), func(s string) bool { return slices.Contains(before, s) })
	}
	ofRead := slices.Clone(steps)
	i := checked()
	ofCheck := since(ofRead)
	i = b.load(i)
	b.agree(i)
	ofLoad := since(slices.Concat(ofRead, ofCheck))
	before := slices.Clone(steps)
	i = b.undo(i, UndoRequest{})
	ofUndo := since(before)
	if len(ofRead) < 1 || len(ofCheck) < 15 || len(ofLoad) < 5 || len(ofUndo) < 5 {
		t.Fatalf("only these steps were seen: %v, %v, %v, %v", ofRead, ofCheck, ofLoad, ofUndo)
	}
	for n, step := range ofRead {
		set(step, n%2)
		b.ok(b.work.SetReading(b.Context(), i, sheet.Reading{Country: "NO"}, b.person))
		i = troubled(i, step)
	}
	for n, step := range ofUndo {
		i = b.load(b.check(i))
		set(step, n%2)
		b.ok(b.work.Undo(b.Context(), i, UndoRequest{}, b.person))
		i = troubled(i, step)
		i = b.undo(i, UndoRequest{})
		b.want(i.State, life.Undone)
	}
	i = checked()
	for n, step := range ofCheck {
		set(step, n%2) // every other step panics
		b.ok(b.work.Check(b.Context(), i, b.person))
		i = troubled(i, step)
	}
	i = b.check(i)
	for n, step := range ofLoad {
		set(step, n%2)
		b.ok(b.work.Load(b.Context(), i, LoadRequest{}, b.person))
		i = troubled(i, step)
		b.ok(b.work.Do(b.Context(), i, life.Resume, b.person))
		i = b.wait(i.ID)
		b.want(i.State, life.Loaded)
		b.agree(i)
		i = checked()
	}
}

// Random acts of people and ends of runs: the import is never stuck, there are
// never two runs, and its counters are those of the tables.
func TestRandomActs(t *testing.T) {
	b := start(t)
	r := rand.New(rand.NewPCG(20, 26))
	i := b.upload("contact", lines("Ref,Family name,E-mail", 60, func(n int) string {
		return fmt.Sprintf("K-%d,%s,%s", n%50, []string{"Berg", "Li", ""}[n%3], []string{"a@x.example", "bad", ""}[r.IntN(3)])
	}))
	do := map[life.Event]func() error{
		life.ChangeReading: func() error {
			return b.work.SetReading(b.Context(), i, sheet.Reading{Country: []string{"NO", "SE"}[r.IntN(2)]}, b.person)
		},
		life.ChangeRoutine: func() error { return b.work.SetRoutine(b.Context(), i, *i.Routine.V, 0, b.person) },
		life.Answer: func() error {
			_, err := b.work.Answer(b.Context(), i, []Given{{Row: int64(2 + r.IntN(60)), Choice: verdict.ChooseLeaveOut}},
				b.person)
			return err
		},
		life.Check: func() error { return b.work.Check(b.Context(), i, b.person) },
		life.Load:  func() error { return b.work.Load(b.Context(), i, LoadRequest{}, b.person) },
	}
	for n := range 150 {
		event := life.Acts[r.IntN(len(life.Acts))]
		if event == life.Close || event == life.Discard { // the end, which comes below
			continue
		}
		var err error
		if f := do[event]; f != nil {
			err = f()
		} else {
			err = b.work.Do(b.Context(), i, event, b.person)
		}
		if _, ok := fault.From(err); err != nil && !ok {
			t.Fatalf("act %d, %s: %v", n, event, err)
		}
		var open int
		b.ok(b.store.Pool().QueryRow(b.Context(), `select count(*) from runs where import = $1 and ended_at is null
			and work <> 'try'`, i.ID).Scan(&open))
		if open > 1 {
			t.Fatalf("act %d, %s: %d runs at once", n, event, open)
		}
		if r.IntN(3) > 0 {
			i = b.wait(i.ID)
			b.agree(i)
		} else {
			time.Sleep(time.Duration(r.IntN(20)) * time.Millisecond)
		}
	}
	i = b.wait(i.ID)
	b.agree(i)
	if i.State == life.Paused {
		b.ok(b.work.Do(b.Context(), i, life.Stop, b.person))
		i = b.wait(i.ID)
	}
	end := life.Discard
	if i.Written {
		end = life.Close
	}
	b.ok(b.work.Do(b.Context(), i, end, b.person))
}

// A check of some rows says of all rows what a check of all says: after answers
// given and taken back, over rows that repeat each other, share records and
// point to each other's.
func TestSomeRowsAreAsGoodAsAll(t *testing.T) {
	b := start(t)
	b.loaded("account", "Company,Town\nTern Marina,Ternvik\nGull Marina,Gullvik\n")
	b.loaded("contact", people)
	for seed := range uint64(6) {
		r := rand.New(rand.NewPCG(seed+2, 9))
		given, family := []string{"Kari", "Nils", "Maja", "Kåre"}, []string{"Øksnes", "Oksnes", "Myrvang", "Solberg", "Ny"}
		i := b.upload("contact", lines("Company,Given name,Family name,E-mail,Birthday", 40, func(int) string {
			return strings.Join([]string{
				[]string{"", "Tern Marina", "Gull Marina", "Skarv Marina", "Skarv Marina Ltd"}[r.IntN(5)], given[r.IntN(4)],
				family[r.IntN(5)],
				[]string{"", "kari@oksnes.example", fmt.Sprintf("p%d@x.example", r.IntN(9))}[r.IntN(3)],
				[]string{"", "1980-04-03"}[r.IntN(2)],
			}, ",")
		}))
		if seed%2 == 1 {
			b.ok(b.work.AddDraft(b.Context(), i, mapping.Draft{Type: "account"}, 0, b.person))
			i = b.wait(i.ID)
		}
		i = b.check(b.change(i, func(r *mapping.Routine) { r.Drafts[0].Repeats = mapping.AskRepeats }))
		for round := range 4 {
			asked, err := b.room.Questions(b.Context(), i, staging.QuestionFilter{}, 0, 100)
			b.ok(err)
			var answers []Given
			seen := map[staging.DraftOf]bool{}
			for range 3 {
				g := Given{Row: int64(2 + r.IntN(40)), Choice: verdict.ChooseLeaveOut}
				if len(asked) > 0 && r.IntN(4) > 0 {
					q := asked[r.IntN(len(asked))]
					g = Given{Row: q.Row, Draft: q.Draft, Choice: []verdict.Choice{verdict.ChooseTake, verdict.ChooseNew}[r.IntN(2)]}
				} else {
					g.Draft = "contact"
				}
				if at := (staging.DraftOf{Row: g.Row, Draft: g.Draft}); !seen[at] {
					seen[at] = true
					answers = append(answers, g)
				}
			}
			_, err = b.work.Answer(b.Context(), i, answers, b.person)
			b.ok(err)
			if round == 3 {
				_, err = b.work.TakeBack(b.Context(), i, []int64{answers[0].Row}, b.person)
				b.ok(err)
			}
			before := *i.CheckRun
			i = b.check(b.again(i))
			if *i.CheckRun != before {
				t.Fatalf("seed %d, round %d: all rows were checked", seed, round)
			}
			some, totals, codes := b.rows(i), i.Totals.V, b.codes(i)
			_, err = b.store.Pool().Exec(b.Context(), `update imports set catalogue = -1 where id = $1`, i.ID) // so that all are
			b.ok(err)
			_, err = b.store.Pool().Exec(b.Context(), `insert into touched_rows values ($1, 2) on conflict do nothing`, i.ID)
			b.ok(err)
			i = b.check(b.again(i))
			if *i.CheckRun == before {
				t.Fatalf("seed %d, round %d: not all rows were checked", seed, round)
			}
			for n, row := range b.rows(i) {
				if some[n] != row {
					t.Errorf("seed %d, round %d: %s, but of all rows: %s", seed, round, some[n], row)
				}
			}
			b.want(codes, fmt.Sprint(b.codes(i)))
			b.want(totals.Verdicts, i.Totals.V.Verdicts)
		}
	}
}

// A job that the queue gave to a process which died before it could say that it
// has it is taken up again: by the process when it starts, or by another later.
func TestGivenOutToTheDead(t *testing.T) {
	b := start(t)
	i := b.upload("contact", people)
	for own, since := range map[string]time.Duration{"dead": 0, "": time.Minute} {
		b.ok(b.store.Act(b.Context(), "main", i.ID, store.Act{Event: life.Check, By: b.person,
			Enqueue: func(ctx context.Context, tx pgx.Tx, r store.Run) error {
				_, err := tx.Exec(ctx, `insert into river_job (kind, args, queue, max_attempts, state, attempt, attempted_at, attempted_by)
				values ('import', jsonb_build_object('import', $1::bigint, 'run', $2::bigint), 'default', 25, 'running', 1,
				now() - make_interval(secs => $3), '{dead}')`, i.ID, r.ID, since.Seconds())
				return err
			}}))
		b.ok(b.work.takeOver(b.Context(), own))
		b.want(b.wait(i.ID).State, life.Ready)
	}
}

// What a row links to is still there when the row is written, or the row is set
// aside with the reason.
func TestTargetsDeletedMeanwhile(t *testing.T) {
	b := start(t)
	b.room.InChunks(10) // what is carried out ahead has ids of its own
	b.loaded("account", "Source ref,Company\nA-1,Tern\nA-2,Gull\n")
	i := b.check(b.upload("contact", "Ref,Family name,Account\nK-1,Berg,A-1\nK-2,Li,A-2\n"))
	gone := b.upload("account", "Source ref\nA-1\n")
	gone = b.load(b.check(b.change(gone, func(r *mapping.Routine) { r.May = mapping.Delete })))
	b.want(gone.Outcomes.V, map[verdict.Outcome]int64{"deleted": 1})
	i = b.again(i)
	if fault.Is(b.work.Load(b.Context(), i, LoadRequest{}, b.person), "written_since_check") {
		t.Fatal("contacts were not written since")
	}
	i = b.wait(i.ID)
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"created": 1, "held": 1})
	b.want(b.codes(i), "[2 link_gone account]")
	b.want(b.record("contact", "CON-1").Values["family_name"], "Li") // ids of rows that are set aside are not used again
	b.agree(i)
}

// A delete and a new link to its record cannot both win, whoever comes first.
func TestDeleteAgainstLink(t *testing.T) {
	b := start(t)
	b.room.InChunks(20)
	const n = 300
	b.loaded("account", lines("Source ref,Company", n, func(n int) string { return fmt.Sprintf("A-%d,Company %d", n, n) }))
	for round := range 4 {
		link := b.check(b.upload("contact",
			lines("Ref,Family name,Account", n, func(n int) string { return fmt.Sprintf("K-%d-%d,Berg,A-%d", round, n, n) })))
		gone := b.upload("account", lines("Source ref", n, func(n int) string { return fmt.Sprintf("A-%d", n) }))
		gone = b.check(b.change(gone, func(r *mapping.Routine) { r.May = mapping.Delete }))
		var both sync.WaitGroup
		both.Go(func() {
			// refused where records were written since, which is as good
			_ = b.work.Load(context.Background(), link, LoadRequest{}, b.person)
		})
		both.Go(func() {
			_ = b.work.Load(context.Background(), gone, LoadRequest{}, b.person)
		})
		both.Wait()
		link, gone = b.wait(link.ID), b.wait(gone.ID)
		var dangling int
		b.ok(b.store.Pool().QueryRow(b.Context(), `select count(*) from w_main.r_contact c where f_account is not null
			and not exists (select from w_main.r_account a where a.id = c.f_account)`).Scan(&dangling))
		if dangling > 0 {
			t.Fatalf("round %d: %d links lead nowhere; linked %v, deleted %v", round, dangling, link.Outcomes.V, gone.Outcomes.V)
		}
		b.agree(link)
		b.agree(gone)
	}
}

// After a crash of the database a load checks again; what nobody has seen is not
// written.
func TestOtherVerdictsAreNotWritten(t *testing.T) {
	b := start(t)
	b.loaded("contact", "Ref,Family name\nK-1,Berg\n")
	i := b.check(b.upload("contact", "Ref,Family name\nK-1,Berg-Hav\nK-2,Li\n"))
	b.want(i.Totals.V.Verdicts, map[string]int64{"update": 1, "create": 1})
	b.crash(i)
	// somebody has just changed it
	_, err := b.store.Pool().Exec(b.Context(), `update w_main.r_contact set f_family_name = 'Berg-Hav', version = 2`)
	b.ok(err)
	b.ok(b.work.Load(b.Context(), i, LoadRequest{}, b.person))
	i = b.wait(i.ID)
	if i.State != life.Ready || i.Trouble.V == nil || i.Trouble.V.Code != "checks_differ" {
		t.Fatalf("%s, %+v", i.State, i.Trouble.V)
	}
	b.want(i.Totals.V.Verdicts, map[string]int64{"same": 1, "create": 1})
	var n int
	b.ok(b.store.Pool().QueryRow(b.Context(), `select count(*) from w_main.r_contact`).Scan(&n))
	b.want(n, 1)
	i = b.load(i)
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"unchanged": 1, "created": 1})
}

// What is staged, uploaded and kept beyond its time goes; records and the list
// stay.
func TestCleaning(t *testing.T) {
	b := start(t)
	i := b.loaded("contact", "Ref,Family name\nK-1,Berg\n")
	kept := b.check(b.upload("contact", "Ref,Family name\nK-2,Li\n"))
	_, err := b.store.SaveSource(b.Context(), "given up.csv", strings.NewReader("a\n1\n"), -1, 1<<20)
	b.ok(err)
	exec := func(sql string, args ...any) {
		b.Helper()
		_, err := b.store.Pool().Exec(b.Context(), sql, args...)
		b.ok(err)
	}
	exec(`update sources set made_at = now() - interval '2 hours'`)
	exec(`update imports set changed_at = now() - interval '91 days' where id = $1`, i.ID)
	exec(fmt.Sprintf(`create unlogged table staging.i%d_r999_d1_draft (row_no bigint)`, kept.ID))
	exec(`create unlogged table staging.i999_r1_cells (row_no bigint)`)
	b.ok(b.work.Clean(b.Context()))
	count := func(sql string, args ...any) (n int) {
		b.Helper()
		b.ok(b.store.Pool().QueryRow(b.Context(), sql, args...).Scan(&n))
		return n
	}
	b.want(count(`select count(*) from sources where name = 'given up.csv'`), 0)
	b.want(count(`select count(*) from pg_tables where schemaname = 'staging'
		and (tablename ~ $1 or tablename ~ '^i999_' or tablename ~ '_r999_')`, fmt.Sprintf("^i%d_", i.ID)), 0)
	b.want(count(`select count(*) from source_chunks c join imports i on i.source = c.source where i.id = $1`, i.ID), 0)
	b.want(count(`select count(*) from w_main.r_contact`), 1)
	i = b.again(i)
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"created": 1})
	if i.CleanedAt == nil || i.State != life.Loaded {
		t.Errorf("cleaned at %v, %s", i.CleanedAt, i.State)
	}
	if err := b.work.Check(b.Context(), i, b.person); !fault.Is(err, "rows_not_read") {
		t.Errorf("a cleaned import is checked: %v", err)
	}
	b.load(kept) // untouched

	b.ok(b.work.SetSettings(b.Context(), store.Settings{KeepDays: 7}, b.person))
	set, err := b.work.Settings(b.Context())
	b.ok(err)
	b.want(set.KeepDays, 7)
	if err := b.work.SetSettings(b.Context(), store.Settings{}, b.person); !fault.Is(err, "bad_keep_days") {
		t.Error(err)
	}
}

// Whatever runs can be cancelled, and leaves nothing behind.
func TestCancel(t *testing.T) {
	b := start(t)
	i := b.check(b.upload("contact", "Ref,Family name\nK-1,Berg\nK-2,Li\n"))
	hold := make(chan struct{})
	var once sync.Once
	b.room.FailAt(func(step string) error {
		once.Do(func() { <-hold })
		return nil
	})
	b.ok(b.work.Check(b.Context(), i, b.person))
	time.Sleep(50 * time.Millisecond)
	b.ok(b.work.Do(b.Context(), b.again(i), life.Cancel, b.person))
	time.Sleep(3 * watchEvery)
	close(hold)
	i = b.wait(i.ID)
	if i.State != life.Open || i.Trouble.V != nil {
		t.Errorf("after a cancelled check: %s, %+v", i.State, i.Trouble.V)
	}
	i = b.check(i)
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 2})
	if err := b.work.Do(b.Context(), i, life.Cancel, b.person); !fault.Is(err, "nothing_runs") {
		t.Errorf("nothing runs: %v", err)
	}

	// A try stands beside.
	hold, once = make(chan struct{}), sync.Once{}
	tried := make(chan error)
	go func() {
		_, err := b.work.Try(context.Background(), i, *i.Routine.V, 0, b.person)
		tried <- err
	}()
	for range 200 {
		if b.again(i).Tries > 0 {
			break
		}
		time.Sleep(10 * time.Millisecond)
	}
	b.ok(b.work.Do(b.Context(), i, life.Cancel, b.person))
	time.Sleep(3 * watchEvery)
	close(hold)
	if err := <-tried; !fault.Is(err, "cancelled") {
		t.Errorf("a cancelled try ends with %v", err)
	}
	b.want(b.load(b.again(i)).Outcomes.V, map[verdict.Outcome]int64{"created": 2})
}

// After rows were loaded, what helps the held rows may change, and which rows
// there are may not.
func TestChangesAfterTheLoad(t *testing.T) {
	b := start(t)
	i := b.loaded("contact", "Ref,Family name,Birthday,Phone\nK-1,Berg,,\nK-2,Li,03/04/1990,22 00 00 00\n")
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"created": 1, "held": 1})
	for code, r := range map[string]sheet.Reading{"rows_stay": {HeaderRow: 2}} {
		if err := b.work.SetReading(b.Context(), i, r, b.person); !fault.Is(err, code) {
			t.Errorf("%+v: %v", r, err)
		}
	}
	r := *i.Routine.V
	r.Drafts = []mapping.Draft{{Type: "lead", Fields: map[string]mapping.Origin{"company": {Fixed: "x"}}}}
	if err := b.work.SetRoutine(b.Context(), i, r, 0, b.person); !fault.Is(err, "types_stay") {
		t.Errorf("another type: %v", err)
	}
	b.ok(b.work.SetReading(b.Context(), i, sheet.Reading{Country: "NO", DateOrder: "day_first"}, b.person))
	i = b.wait(i.ID)
	b.want(i.State, life.Loaded)
	i = b.load(b.check(i))
	b.want(i.Outcomes.V["created"], int64(2))
	b.want(b.record("contact", "CON-2").Values["phone"], "+4722000000")
	// Read in another encoding the rows are the same; as something else they are not.
	b.ok(b.work.SetReading(b.Context(), i, sheet.Reading{Encoding: "utf-16le"}, b.person))
	i = b.wait(i.ID)
	if i.Trouble.V == nil || i.Rows != 2 || i.Reading.V.Encoding != "" {
		t.Errorf("%d rows, %+v, %+v", i.Rows, i.Reading.V, i.Trouble.V)
	}
	b.ok(b.work.Do(b.Context(), i, life.Close, b.person))
	b.want(b.again(i).State, life.Closed)
}
