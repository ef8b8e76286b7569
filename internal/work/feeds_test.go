package work

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"uchi/internal/core/fault"
	"uchi/internal/core/feed"
	"uchi/internal/core/life"
	"uchi/internal/core/mapping"
	"uchi/internal/core/rights"
	"uchi/internal/core/verdict"
	"uchi/internal/store"
)

// fed is a bench with a folder that feeds look into, and a routine for marinas.
func fed(t *testing.T) (*bench, string) {
	b := start(t)
	dir := t.TempDir()
	b.work.opt.Places.Folders = []string{dir}
	i := b.upload("account", "External ID,Company,Status\nM-1,Ulvsund Havn,customer\nM-2,Kyst Gjestehavn,prospect\n")
	r := *i.Routine.V
	r.Name = "marinas"
	_, err := b.work.SaveRoutine(b.Context(), "main", r, 0, b.person)
	b.ok(err)
	b.ok(b.work.Do(b.Context(), i, life.Discard, b.person))
	return b, dir
}

// put writes a file, changed so many hours ago.
func (b *bench) put(dir, name, text string, hours int) {
	b.Helper()
	path := filepath.Join(dir, name)
	b.ok(os.WriteFile(path, []byte(text), 0o600))
	at := time.Now().Add(-time.Duration(hours) * time.Hour)
	b.ok(os.Chtimes(path, at, at))
}

func (b *bench) setFeed(f feed.Feed) {
	b.Helper()
	f.Routine = "marinas"
	f.Mark = ".done" // else each look waits for a while
	if f.When.Cron == "" && f.Place.Kind != feed.Sent {
		f.When.Cron = "0 3 1 1 *"
	}
	b.ok(b.work.SetFeed(b.Context(), "main", "marinas weekly", 0, FeedSetting{Document: &f}, b.person))
}

// rests has the feed look and waits until nothing of it is under way.
func (b *bench) rests(try bool) (store.Feed, []string) {
	b.Helper()
	b.ok(b.work.AskFeed(b.Context(), "main", "marinas weekly", try, b.person))
	return b.resting()
}

func (b *bench) resting() (store.Feed, []string) {
	b.Helper()
	quiet := 0
	for range 1500 {
		f, err := b.store.Feed(b.Context(), "main", "marinas weekly")
		b.ok(err)
		files, err := b.store.FeedFiles(b.Context(), f.ID, 0)
		b.ok(err)
		busy := func(x store.FeedFile) bool {
			if x.State == store.FeedWaiting && x.Import != nil { // what a person has done meanwhile is yet to be seen
				i, err := b.store.ImportAnywhere(b.Context(), *x.Import)
				b.ok(err)
				return slices.Contains([]life.State{life.Loaded, life.Closed, life.Discarded}, i.State)
			}
			return x.State == store.FeedReading || x.State == store.FeedChecking || x.State == store.FeedLoading
		}
		waits := slices.ContainsFunc(files, func(x store.FeedFile) bool { return x.State == store.FeedWaiting })
		due := f.NextAt != nil && f.NextAt.Before(time.Now()) && !waits && (!f.Paused || f.Why == "by hand")
		if quiet++; f.Run != nil || due || slices.ContainsFunc(files, busy) {
			quiet = 0
		}
		if quiet > 2 {
			slices.Reverse(files)
			var said []string
			for _, x := range files {
				s := x.Name + " " + string(x.State)
				for _, r := range x.Reasons.V {
					if s += "; " + r.Bound; r.Bound == "load" { // it should not have failed
						s += ": " + r.Says
					}
				}
				said = append(said, s)
			}
			return f, said
		}
		b.work.wakeUp()
		time.Sleep(20 * time.Millisecond)
	}
	b.Fatal("the feed does not come to rest")
	panic("unreachable")
}

func marinas(from, to int, status string) string {
	var s strings.Builder
	s.WriteString("External ID,Company,Status\n")
	for n := from; n <= to; n++ {
		fmt.Fprintf(&s, "M-%d,Havn %d,%s\n", n, n, status)
	}
	return s.String()
}

// A feed loads what is whole, in its order, each content once, within its bounds, and
// puts it away; what breaks a bound waits for a person with the reason, and nothing
// behind it is taken before that is settled.
func TestFeed(t *testing.T) {
	b, dir := fed(t)
	b.setFeed(feed.Feed{
		Place: feed.Place{Kind: feed.Folder, Folder: dir}, Files: "marinas-*.csv", After: feed.Move,
		Bounds: feed.Bounds{Held: feed.Limit{Set: true}, Size: feed.Limit{Set: true, Number: 50, Percent: true},
			OtherColumns: true},
	})
	b.put(dir, "marinas-1.csv", marinas(1, 10, "customer"), 5)
	b.put(dir, "marinas-1.csv.done", "", 5)
	b.put(dir, "marinas-2.csv", marinas(1, 12, "prospect"), 4)
	b.put(dir, "marinas-2.csv.done", "", 4)
	b.put(dir, "marinas-3.csv", marinas(1, 12, "partner"), 3) // not whole yet
	b.put(dir, "leads.csv", "x", 2)
	f, said := b.rests(false)
	b.want(strings.Join(said, "\n"), "marinas-1.csv loaded\nmarinas-2.csv loaded")
	b.want(b.records("account") != "" && f.Run == nil, true)
	there, err := filepath.Glob(filepath.Join(dir, "*", "*"))
	b.ok(err)
	var names []string
	for _, p := range there {
		names = append(names, filepath.Base(p))
	}
	b.want(strings.Join(names, " "), "marinas-1.csv marinas-1.csv.done marinas-2.csv marinas-2.csv.done")
	runs, err := b.store.FeedRuns(b.Context(), f.ID, 10)
	b.ok(err)
	b.want(runs[len(runs)-1].Said, "took marinas-1.csv")
	b.want(runs[0].Said, "1 not whole yet: they have no .done")

	// The same content under another name, and one that breaks bounds.
	b.put(dir, "marinas-3.csv.done", "", 3)
	b.put(dir, "marinas-3.csv", marinas(1, 12, "prospect"), 3)
	b.put(dir, "marinas-4.csv", "External ID,Company\nM-99,\nM-2,Kyst\n", 2)
	b.put(dir, "marinas-4.csv.done", "", 2)
	b.put(dir, "marinas-5.csv", marinas(1, 13, "former"), 1)
	b.put(dir, "marinas-5.csv.done", "", 1)
	_, said = b.rests(false)
	b.want(strings.Join(said[2:], "\n"), "marinas-3.csv passed_over; came before\n"+
		"marinas-4.csv waiting; missing columns; held; size")
	b.want(fault.Is(b.work.AskFeed(b.Context(), "main", "marinas weekly", true, b.person), "feed_busy"), true)

	// A person decides; then the next one is taken.
	files, err := b.store.FeedFiles(b.Context(), f.ID, 1)
	b.ok(err)
	i, err := b.store.Import(b.Context(), "main", *files[0].Import)
	b.ok(err)
	b.ok(b.work.Do(b.Context(), i, life.Discard, b.person))
	_, said = b.resting()
	b.want(strings.Join(said[3:], "\n"), "marinas-4.csv refused; missing columns; held; size\nmarinas-5.csv loaded")
	b.want(strings.Count(b.records("account"), "former"), 13)
	if got := entriesOf(b, "load"); !strings.Contains(got, "Ada load import") {
		t.Errorf("the log says\n%s", got)
	}
}

// entriesOf words entries of the log with a text.
func entriesOf(b *bench, text string) string {
	b.Helper()
	var list []string
	b.ok(b.store.EachLogEntry(b.Context(), store.LogFilter{Text: text}, 100, func(e store.LogEntry) error {
		list = append(list, e.Person+" "+e.Action+" "+e.Subject)
		return nil
	}))
	return strings.Join(list, "\n")
}

// To try tells what it would do with the last file, and loads nothing; the file is then
// loaded as if it had not been tried.
func TestFeedTried(t *testing.T) {
	b, dir := fed(t)
	b.setFeed(feed.Feed{Place: feed.Place{Kind: feed.Folder, Folder: dir}, Files: "*.csv", Bounds: feed.UsualBounds})
	b.put(dir, "a.csv", marinas(1, 10, "customer"), 5)
	b.put(dir, "a.csv.done", "", 5)
	f, said := b.rests(true)
	b.want(strings.Join(said, "\n"), "a.csv waiting; tried")
	b.want(b.records("account"), "")
	files, err := b.store.FeedFiles(b.Context(), f.ID, 1)
	b.ok(err)
	b.want(files[0].Reasons.V[0].Says, "it was only tried: within its bounds it would have been loaded")
	i, err := b.store.Import(b.Context(), "main", *files[0].Import)
	b.ok(err)
	b.want(i.State, life.Ready)
	b.ok(b.work.Do(b.Context(), i, life.Discard, b.person))
	_, said = b.resting()
	b.want(strings.Join(said, "\n"), "a.csv refused; tried\na.csv loaded")
	_, said = b.rests(true)
	b.want(said[2], "a.csv waiting; tried")
}

// What is wrong with a feed, its place or its owner ends the look with the reason.
func TestFeedTrouble(t *testing.T) {
	b, dir := fed(t)
	sub := filepath.Join(dir, "in")
	b.ok(os.Mkdir(sub, 0o700))
	b.put(sub, "a.csv", "Colour,Shape\nred,round\n", 5)
	b.put(sub, "a.csv.done", "", 5)
	b.setFeed(feed.Feed{Place: feed.Place{Kind: feed.Folder, Folder: sub}})
	_, said := b.rests(false)
	b.want(strings.Join(said, ""), "a.csv waiting; routine_does_not_fit")
	trouble := func(change func()) string {
		t.Helper()
		change()
		f, _ := b.rests(false)
		runs, err := b.store.FeedRuns(b.Context(), f.ID, 1)
		b.ok(err)
		if len(runs) == 0 || runs[0].Trouble.V == nil {
			return ""
		}
		return runs[0].Trouble.V.Code
	}
	i, err := b.store.Import(b.Context(), "main", 2)
	b.ok(err)
	b.ok(b.work.Do(b.Context(), i, life.Discard, b.person))
	b.resting()
	b.want(trouble(func() { b.setFeed(feed.Feed{Place: feed.Place{Kind: feed.Folder, Folder: "/etc"}}) }),
		"folder_refused")
	b.want(trouble(func() {
		b.ok(os.Symlink("/etc", filepath.Join(dir, "away")))
		b.setFeed(feed.Feed{Place: feed.Place{Kind: feed.Folder, Folder: filepath.Join(dir, "away")}})
	}), "folder_refused")
	b.want(trouble(func() {
		b.setFeed(feed.Feed{Place: feed.Place{Kind: feed.HTTPS,
			URL: "http://127.0.0.1:1/a.csv"}})
	}), "private_address")
	b.put(sub, "b.csv", marinas(1, 2, "customer"), 4)
	b.put(sub, "b.csv.done", "", 4)
	b.want(trouble(func() {
		b.setFeed(feed.Feed{Place: feed.Place{Kind: feed.Folder, Folder: sub}})
		_, err := b.store.AddPerson(b.Context(), "second@x.example", "Second", rights.Administrator, "a long password", 0)
		b.ok(err)
		suspended := true
		_, err = b.store.ChangePerson(b.Context(), b.person.ID, store.PersonChange{Suspended: &suspended}, b.person.ID)
		b.ok(err)
	}), "owner_may_not")
	for code, f := range map[string]feed.Feed{
		"routine_missing": {Place: feed.Place{Kind: feed.Sent}}, "unknown_routine": {Place: feed.Place{Kind: feed.Sent},
			Routine: "none"},
	} {
		if err := b.work.SetFeed(b.Context(), "main", "x", 0, FeedSetting{Document: &f}, b.person); !fault.Is(err, code) {
			t.Errorf("%s: %v", code, err)
		}
	}
}

// What a person says of words at a file that waited holds for the next.
func TestFeedLearns(t *testing.T) {
	b, dir := fed(t)
	b.setFeed(feed.Feed{Place: feed.Place{Kind: feed.Folder, Folder: dir},
		Bounds: feed.Bounds{Held: feed.Limit{Set: true}, OtherColumns: true}})
	b.put(dir, "a.csv", marinas(1, 3, "hibernating"), 5)
	b.put(dir, "a.csv.done", "", 5)
	f, said := b.rests(false)
	b.want(strings.Join(said, ""), "a.csv waiting; new values; held")
	files, err := b.store.FeedFiles(b.Context(), f.ID, 1)
	b.ok(err)
	i, err := b.store.Import(b.Context(), "main", *files[0].Import)
	b.ok(err)
	i = b.change(i, func(r *mapping.Routine) {
		o := r.Drafts[0].Fields["status"]
		o.Values = map[string]string{"hibernating": "former"}
		r.Drafts[0].Fields["status"] = o
	})
	b.load(b.check(i))
	_, said = b.resting()
	b.want(strings.Join(said, ""), "a.csv loaded; new values; held")
	b.put(dir, "b.csv", marinas(4, 5, "hibernating"), 4)
	b.put(dir, "b.csv.done", "", 4)
	_, said = b.rests(false)
	b.want(said[1], "b.csv loaded")
	b.want(strings.Count(b.records("account"), "former"), 5)
}

// What a person has answered at one file of a feed counts for rows of the next that say
// just the same, wherever they stand, and for no others.
func TestFeedRecallsAnswers(t *testing.T) {
	b, dir := fed(t)
	b.loaded("account", "External ID,Company,Website\nM-1,Ulvsund Havn,https://ulvsund.example\n"+
		"M-2,Kyst Havn,https://kyst.example\n")
	b.setFeed(feed.Feed{Place: feed.Place{Kind: feed.Folder, Folder: dir},
		Bounds: feed.Bounds{Held: feed.Limit{Set: true}, AnyValues: true}})
	const head = "External ID,Company,Status\n"
	const asked, twin, held = ",Ulvsund Havn,customer\n", ",Kyst Havn,prospect\n", "M-8,Fjell Havn,no idea\n"
	put := func(name, rows string, hours int) []string {
		t.Helper()
		b.put(dir, name, head+rows, hours)
		b.put(dir, name+".done", "", hours)
		_, said := b.rests(false)
		return said
	}
	file := func(n int) store.Import {
		t.Helper()
		f, err := b.store.Feed(b.Context(), "main", "marinas weekly")
		b.ok(err)
		list, err := b.store.FeedFiles(b.Context(), f.ID, 0)
		b.ok(err)
		i, err := b.store.ImportAnywhere(b.Context(), *list[len(list)-1-n].Import)
		b.ok(err)
		return i
	}
	b.want(put("a.csv", asked+twin+held, 5), []string{"a.csv waiting; held"})
	i := file(0)
	b.want(i.Totals.V.Verdicts, map[string]int64{"ask": 2, "hold": 1})
	_, err := b.work.Answer(b.Context(), i, []Given{{Row: 2, Choice: verdict.ChooseTake},
		{Row: 3, Choice: verdict.ChooseNew}, {Row: 4, Choice: verdict.ChooseLeaveOut}}, b.person)
	b.ok(err)
	b.load(b.check(i))
	_, said := b.resting()
	b.want(said, []string{"a.csv loaded; held"})
	before := strings.Count(b.records("account"), "\n")

	// They stand elsewhere now; what was said to be new is not made a second time.
	b.want(put("b.csv", held+"M-1,Ulvsund Havn,prospect\n"+twin, 4)[1], "b.csv loaded")
	b.want(file(1).Totals.V.Verdicts["skip"], int64(1))
	b.want(strings.Count(b.records("account"), "\n"), before)
	b.want(put("c.csv", asked+twin, 3)[2], "c.csv loaded")
	b.want(strings.Count(b.records("account"), "\n"), before)
	b.want(put("d.csv", "M-8,Fjell Havn AS,no idea\n", 2)[3], "d.csv waiting; held") // it says something else
}

// Other programs may send files; what is sent while one has not ended is refused, as is
// what came before.
func TestFeedIsSent(t *testing.T) {
	b, _ := fed(t)
	b.setFeed(feed.Feed{Place: feed.Place{Kind: feed.Sent}, Files: "*.csv"})
	send := func(name, text string) error {
		f, err := b.store.Feed(b.Context(), "main", "marinas weekly")
		b.ok(err)
		_, err = b.work.SendToFeed(b.Context(), f, name, strings.NewReader(text), int64(len(text)))
		return err
	}
	b.ok(send("a.csv", marinas(1, 3, "customer")))
	_, said := b.resting()
	b.want(strings.Join(said, ""), "a.csv loaded")
	b.want(fault.Is(send("b.csv", marinas(1, 3, "customer")), "came_before"), true)
	b.want(fault.Is(send("b.txt", "x"), "not_taken"), true)
	b.ok(send("c.csv", "External ID,Company\nM-9,Havn 9\n"))
	b.resting()
	b.want(fault.Is(send("d.csv", marinas(1, 4, "customer")), "feed_busy"), true)
}

// Several kinds of files go each by their own routine, in their order: of a set nothing is
// taken before it is whole, and contacts find the accounts that came with them.
func TestFeedOfSeveral(t *testing.T) {
	b, dir := fed(t)
	i := b.upload("contact", "Last name,Account,E-mail\nLi,M-1,x@x.example\n")
	r := *i.Routine.V
	r.Name = "people"
	_, err := b.work.SaveRoutine(b.Context(), "main", r, 0, b.person)
	b.ok(err)
	b.ok(b.work.Do(b.Context(), i, life.Discard, b.person))
	set := feed.Feed{Place: feed.Place{Kind: feed.Folder, Folder: dir}, Files: "marinas-*.csv",
		Then: []feed.Part{{Files: "people-*.csv", Routine: "people"}}, Set: true}
	b.setFeed(set)
	missing := set
	missing.Then = []feed.Part{{Files: "people-*.csv", Routine: "nobody"}}
	missing.Routine = "marinas"
	missing.When.Cron = "0 3 1 1 *"
	b.want(fault.Is(b.work.SetFeed(b.Context(), "main", "marinas weekly", 0, FeedSetting{Document: &missing}, b.person),
		"unknown_routine"), true)

	whole := func(name, text string, hours int) {
		b.put(dir, name, text, hours)
		b.put(dir, name+".done", "", hours)
	}
	people := func(n int) string {
		return fmt.Sprintf("Last name,Account,E-mail\nEk,M-%d,ek%[1]d@x.example\nMoe,M-1,moe%[1]d@x.example\n", n)
	}
	whole("people-1.csv", people(9), 9)
	f, said := b.rests(false)
	b.want(strings.Join(said, "\n"), "")
	runs, err := b.store.FeedRuns(b.Context(), f.ID, 1)
	b.ok(err)
	b.want(runs[0].Said, "the set is not whole: it waits for marinas-*.csv")
	whole("marinas-1.csv", marinas(1, 9, "customer"), 5)
	whole("people-2.csv", people(10), 2)
	_, said = b.rests(false)
	b.want(strings.Join(said, "\n"), "marinas-1.csv loaded\npeople-1.csv loaded")
	b.want(b.record("contact", "CON-1").Links["account"].ID, "ACC-9")
	whole("marinas-2.csv", marinas(1, 10, "customer"), 1)
	_, said = b.rests(false)
	b.want(strings.Join(said[2:], "\n"), "marinas-2.csv loaded\npeople-2.csv loaded")

	// A file that says what one before has said has had its turn.
	whole("marinas-3.csv", marinas(1, 11, "customer"), 0)
	whole("people-3.csv", people(10), 0)
	b.rests(false)
	whole("marinas-4.csv", marinas(1, 12, "customer"), 0)
	whole("people-4.csv", people(12), 0)
	b.rests(false)
	_, said = b.rests(false)
	b.want(strings.Join(said[4:], "\n"), "marinas-3.csv loaded\npeople-3.csv passed_over; came before\n"+
		"marinas-4.csv loaded\npeople-4.csv loaded")

	b.setFeed(feed.Feed{Place: feed.Place{Kind: feed.Sent}, Files: "marinas-*.csv", Then: set.Then, Set: true})
	f, err = b.store.Feed(b.Context(), "main", "marinas weekly")
	b.ok(err)
	_, err = b.work.SendToFeed(b.Context(), f, "people-3.csv", strings.NewReader(people(3)), 9)
	b.want(fault.Is(err, "out_of_turn"), true)
}

// A feed whose process dies in the middle of a look looks again, and loads its file once.
func TestFeedTakenOver(t *testing.T) {
	b, dir := fed(t)
	b.setFeed(feed.Feed{Place: feed.Place{Kind: feed.Folder, Folder: dir}})
	b.put(dir, "a.csv", marinas(1, 4, "customer"), 5)
	b.put(dir, "a.csv.done", "", 5)
	b.ok(b.store.AskFeed(b.Context(), "main", "marinas weekly", false, b.person.ID))
	_, r, ok, err := b.store.ClaimFeed(b.Context(), "a process that is gone")
	b.ok(err)
	b.want(ok, true)
	_, said := b.resting()
	b.want(strings.Join(said, ""), "a.csv loaded")
	runs, err := b.store.FeedRuns(b.Context(), r.Feed, 5)
	b.ok(err)
	b.want(runs[len(runs)-1].Said, "the service ended meanwhile; it looks again")
}

// Rows behind a gap that seem to be another table would be left out: the file waits.
func TestFeedWaitsForAnotherTable(t *testing.T) {
	b, dir := fed(t)
	b.setFeed(feed.Feed{Place: feed.Place{Kind: feed.Folder, Folder: dir}, Files: "marinas-*.csv", After: feed.Move,
		Bounds: feed.Bounds{OtherColumns: true}})
	b.put(dir, "marinas-1.csv", marinas(1, 10, "customer")+"\nPerson,E-mail\nAda Kade,ada@x.example\n"+
		"Per Lund,per@x.example\n", 5)
	b.put(dir, "marinas-1.csv.done", "", 5)
	_, said := b.rests(false)
	b.want(strings.Join(said, "\n"), "marinas-1.csv waiting; another table")
}

// A file with the headers of the one before and other things below them waits for a person, and
// what that person has let pass passes again.
func TestFeedsSeeCellsUnlikeTheirColumns(t *testing.T) {
	b, dir := fed(t)
	b.setFeed(feed.Feed{Place: feed.Place{Kind: feed.Folder, Folder: dir}, Files: "marinas-*.csv", After: feed.Move,
		Bounds: feed.Bounds{OtherColumns: true}})
	people := func(from int) string {
		text := "External ID,Company,Status\n"
		for n, name := range []string{"Anna Johansson", "Peter Schmidt", "Maria Rossi", "John Williams", "Julia Fischer",
			"Michael Brown", "Laura Martin", "Thomas Müller"} {
			text += fmt.Sprintf("M-%d,%s,customer\n", from+n, name)
		}
		return text
	}
	b.put(dir, "marinas-1.csv", marinas(1, 8, "customer"), 5)
	b.put(dir, "marinas-1.csv.done", "", 5)
	b.put(dir, "marinas-2.csv", people(20), 4)
	b.put(dir, "marinas-2.csv.done", "", 4)
	_, said := b.rests(false)
	b.want(strings.Join(said, "\n"), "marinas-1.csv loaded\nmarinas-2.csv waiting; unlike columns")
	f, err := b.store.Feed(b.Context(), "main", "marinas weekly")
	b.ok(err)
	files, err := b.store.FeedFiles(b.Context(), f.ID, 0)
	b.ok(err)
	i, err := b.store.Import(b.Context(), "main", *files[0].Import)
	b.ok(err)
	b.load(i)
	b.resting() // it sees what the person has done
	b.put(dir, "marinas-3.csv", people(40), 3)
	b.put(dir, "marinas-3.csv.done", "", 3)
	_, said = b.rests(false)
	b.want(strings.Join(said, "\n"), "marinas-1.csv loaded\nmarinas-2.csv loaded; unlike columns\nmarinas-3.csv loaded")
}
