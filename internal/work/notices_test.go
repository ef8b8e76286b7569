package work

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"net"
	"strings"
	"testing"
	"time"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/feed"
	"uchi/internal/core/rights"
	"uchi/internal/core/sheet"
	"uchi/internal/mail"
	"uchi/internal/standin"
	"uchi/internal/store"
)

// A file that waits, one that was loaded and an import that is handed over are told to
// those who want to know, by mail with the reasons and a link; a server that refuses is
// tried again, and the notice stays with the reason.
func TestNotices(t *testing.T) {
	b, dir := fed(t)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	b.ok(err)
	ctx, stop := context.WithCancel(context.Background())
	t.Cleanup(stop)
	m := &standin.Mail{Refuse: func(to string) error {
		if strings.HasPrefix(to, "away@") {
			return errors.New("no such box")
		}
		return nil
	}}
	go m.Serve(ctx, l) //nolint:errcheck // ends with the test
	server, err := mail.Parse("smtp://"+l.Addr().String(), "", "Uchi <uchi@lanternquay.example>")
	b.ok(err)
	b.work.opt.MailRows = 10
	b.work.opt.Mail, b.work.opt.PublicURL = server, "https://uchi.lanternquay.example"
	b.ok(b.work.SetTold(b.Context(), b.person, []store.NoticeKind{store.Waits, store.Ended}))
	b.setFeed(feed.Feed{Place: feed.Place{Kind: feed.Folder, Folder: dir}, Bounds: feed.UsualBounds})
	b.put(dir, "a.csv", marinas(1, 10, "customer"), 5)
	b.put(dir, "a.csv.done", "", 5)
	b.put(dir, "b.csv", strings.ReplaceAll(marinas(1, 10, "hibernating"), "Havn 3", "<b>Havn & 3</b>"), 4)
	b.put(dir, "b.csv.done", "", 4)
	b.rests(false)
	for range 300 {
		if len(m.Sent()) >= 2 {
			break
		}
		b.work.wakeUp()
		time.Sleep(20 * time.Millisecond)
	}
	sent := m.Sent()
	b.want(len(sent), 2)
	b.want(sent[0].To+" "+sent[0].Subject, b.person.Email+" a.csv was loaded")
	b.want(sent[0].Text, "a.csv was loaded\r\n\r\n- Brought by the feed marinas weekly.\r\n- 10 rows, 10 created.\r\n\r\n"+
		"Look at it: https://uchi.lanternquay.example/w/main/imports/2\r\n\r\nUchi tells you of this because you want "+
		"to know. Change it under your name in the console.\r\n")
	for _, want := range []string{"b.csv waits for a person",
		"words that the routine does not know: Status: hibernating",
		"10 of 10 rows are held or ask a person, at most 5 % may", "https://uchi.lanternquay.example/w/main/imports/3"} {
		if !strings.Contains(sent[1].Text, want) || !strings.Contains(sent[1].HTML, want) {
			t.Errorf("the mail does not say %q:\n%s\n%s", want, sent[1].Text, sent[1].HTML)
		}
	}
	// The held rows hang on the mail, mended they take their places again; many do not.
	if len(sent[0].Files) != 0 || len(sent[1].Files) != 1 {
		t.Fatalf("%d and %d files hang on the mails", len(sent[0].Files), len(sent[1].Files))
	}
	held := sent[1].Files[0]
	b.want(held.Name, "import-3-held.xlsx")
	b.want(strings.Count(cellsOf(t, mail.File(held)), "|hibernating|"), 10)
	kept := rights.Administrator
	_, err = b.work.ChangeField(b.Context(), "main", "account", "status", catalog.FieldChange{SeenBy: &kept}, 0, b.person)
	b.ok(err)
	masked, err := b.work.heldSheet(b.Context(), store.Notice{Person: b.person.ID, Workspace: ptr("main"),
		Link: "/w/main/imports/3"})
	b.ok(err)
	b.want(len(masked), 1)
	if cells := cellsOf(t, masked[0]); !strings.Contains(cells, "Havn & 3") || strings.Contains(cells, "hibernating") {
		t.Errorf("what is kept from the role hangs on the mail: %s", cells)
	}
	b.work.opt.MailRows = 9
	files, err := b.work.heldSheet(b.Context(), store.Notice{Person: b.person.ID, Workspace: ptr("main"),
		Link: "/w/main/imports/3"})
	b.ok(err)
	b.want(len(files), 0)
	away, err := b.store.AddPerson(b.Context(), "away@lanternquay.example", "Away", rights.Operator, "a long password", 0)
	b.ok(err)
	i, err := b.store.Import(b.Context(), "main", 2)
	b.ok(err)
	b.ok(b.store.HandOver(b.Context(), i, away.Email, b.person))
	b.ok(b.work.sendNotices(b.Context()))
	list, err := b.store.Notices(b.Context(), away.ID, 10)
	b.ok(err)
	b.want(len(list), 1)
	if n := list[0]; n.SentAt != nil || n.Tries != 1 || !strings.Contains(n.Trouble, "no such box") ||
		n.NextAt == nil || time.Until(*n.NextAt) < 30*time.Second {
		t.Errorf("%+v", n)
	}
	b.want(len(m.Sent()), 2)
	if err := b.work.SetTold(b.Context(), b.person, []store.NoticeKind{"gossip"}); err == nil {
		t.Error("told of gossip")
	}
}

// cellsOf gives what stands in the rows of a workbook that hangs on a mail.
func cellsOf(t *testing.T, f mail.File) string {
	t.Helper()
	src := sheet.Source{Name: f.Name, Size: int64(len(f.Body)), ReaderAt: bytes.NewReader(f.Body)}
	reading, _, err := sheet.Detect(src, sheet.Reading{})
	if err != nil {
		t.Fatal(err)
	}
	table, err := sheet.Open(src, reading, sheet.DefaultLimits)
	if err != nil {
		t.Fatal(err)
	}
	var cells strings.Builder
	for {
		row, err := table.Next()
		if err != nil {
			return cells.String()
		}
		cells.WriteString(strings.Join(row.Cells, "|") + "\n")
	}
}

// Of a feed those are told whom it acts for, unless they want less of it, and those who follow it,
// of what they said; never who may not look at its workspace.
func TestWhoIsToldOfAFeed(t *testing.T) {
	b, dir := fed(t)
	b.ok(b.work.SetTold(b.Context(), b.person, []store.NoticeKind{store.Waits, store.Ended}))
	b.setFeed(feed.Feed{Place: feed.Place{Kind: feed.Folder, Folder: dir}, Bounds: feed.UsualBounds})
	person := func(email string) store.Person {
		p, err := b.store.AddPerson(b.Context(), email, email, rights.Operator, "a long password", 0)
		b.ok(err)
		return p
	}
	follows, waitsOnly, out, nobody := person("follows@x.example"), person("waits@x.example"), person("out@x.example"),
		person("nobody@x.example")
	const name = "marinas weekly"
	set := func(p store.Person, kinds ...store.NoticeKind) {
		t.Helper()
		b.ok(b.work.SetFeedTold(b.Context(), "main", name, &kinds, p))
	}
	set(follows, store.Waits, store.Ended)
	set(waitsOnly, store.Waits)
	set(out, store.Ended)
	none := rights.None
	_, err := b.store.AddPerson(b.Context(), "admin@x.example", "Admin", rights.Administrator, "a long password", 0)
	b.ok(err)
	_, err = b.store.ChangePerson(b.Context(), out.ID, store.PersonChange{Roles: map[string]rights.Role{"main": none}},
		b.person.ID)
	b.ok(err)
	f, err := b.store.Feed(b.Context(), "main", name)
	b.ok(err)
	said := func(p store.Person) string {
		t.Helper()
		kinds, usual, err := b.store.FeedTold(b.Context(), f, p.ID)
		b.ok(err)
		return fmt.Sprint(kinds, usual)
	}
	b.want(said(b.person)+said(follows)+said(nobody), "[waits ended] true[waits ended] false[] true")
	bring := func(file string) {
		t.Helper()
		b.put(dir, file, marinas(1, 10, "customer"), 5)
		b.put(dir, file+".done", "", 5)
		b.rests(false)
	}
	told := func(p store.Person) (subjects string) {
		t.Helper()
		list, err := b.store.Notices(b.Context(), p.ID, 10)
		b.ok(err)
		for _, n := range list {
			subjects += n.Subject + ";"
		}
		return subjects
	}
	bring("a.csv")
	b.want(told(b.person)+told(follows)+told(waitsOnly)+told(out)+told(nobody), "a.csv was loaded;a.csv was loaded;")
	set(b.person) // of nothing
	b.ok(b.work.SetFeedTold(b.Context(), "main", name, nil, follows))
	b.want(said(b.person)+said(follows), "[] false[] true")
	b.want(fault.Is(b.work.SetFeedTold(b.Context(), "main", name, &[]store.NoticeKind{store.AsksYes}, follows),
		"unknown_notice"), true)
	b.want(fault.Is(b.work.SetFeedTold(b.Context(), "main", "no such", nil, follows), "unknown_feed"), true)
	b.ok(b.store.Pool().QueryRow(b.Context(), `select 1 from log where action = 'change notices' and subject = $1
		limit 1`, name).Scan(new(int)))
	b.put(dir, "b.csv", marinas(20, 30, "hibernating"), 4)
	b.put(dir, "b.csv.done", "", 4)
	b.rests(false)
	b.want(told(b.person)+told(follows)+told(waitsOnly)+told(out)+told(nobody),
		"a.csv was loaded;a.csv was loaded;b.csv waits for a person;")
}
