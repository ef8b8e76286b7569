package main_test

import (
	"fmt"
	"strings"
	"syscall"
	"testing"
	"time"

	"uchi/internal/client"

	"github.com/chromedp/chromedp"
)

// A rival's customer base in one archive: in the right order, linked as it was, the
// second time the same, and taken back as one.
func TestBundleFromTheCommandLine(t *testing.T) {
	s := serve(t)
	const archive = "../../demo/brightmooring.zip"
	if out := s.uchi(1, "", "bundle", archive, "nowhere.csv", "--yes"); !strings.Contains(out, "nowhere.csv") ||
		strings.Contains(s.uchi(0, "", "bundles"), "brightmooring") {
		t.Errorf("a file that is not there, and the others are sent:\n%s", out)
	}
	out := s.uchi(3, "", "import", archive, "--yes")
	for _, want := range []string{"after customers.csv: Contacts point to accounts by Account", "5 files came along",
		"Bundle 1 is loaded"} {
		if !strings.Contains(out, want) {
			t.Errorf("it does not say %q:\n%s", want, out)
		}
	}
	counts := func() string {
		var n []int64
		for _, name := range []string{"staff", "account", "contact", "lead", "opportunity", "line", "task", "note",
			"attachment"} {
			n = append(n, s.count("select count(*) from w_main.r_"+name))
		}
		return fmt.Sprint(n)
	}
	if got := counts(); got != "[3 7 7 3 3 5 3 3 4]" {
		t.Errorf("records: %s", got)
	}
	if out := s.uchi(0, "", "records", "contact", "--columns", "account.parent,reports_to", "--filter",
		`source_ref == "BP-2"`); !strings.Contains(out, "Stonewharf Harbours") || !strings.Contains(out, "Rosalind Harker") {
		t.Errorf("the links of a contact:\n%s", out)
	}
	if out := s.uchi(0, "", "bundles", "save", "1", "Monthly"); !strings.Contains(out, "Saved Monthly: people.csv") {
		t.Errorf("saved:\n%s", out)
	}
	again := s.uchi(3, "", "import", archive, "--check-only")
	if !strings.Contains(again, `people.csv is set up by the routine "Monthly: people.csv"`) {
		t.Errorf("the set-up of the second time:\n%s", again)
	}
	if strings.Contains(again, "create") || strings.Count(again, "same") != 9 {
		t.Errorf("the second time:\n%s", again)
	}
	if out := s.uchi(0, "", "bundles", "undo", "1", "--plan"); strings.Contains(out, "cannot be taken back") ||
		!strings.Contains(out, "7 accounts") || !strings.Contains(out, "7 contacts") {
		t.Errorf("what would go:\n%s", out)
	}
	s.uchi(4, "n\n", "bundles", "undo", "1")
	s.uchi(0, "", "bundles", "undo", "1", "--yes")
	if got := counts(); got != "[0 0 0 0 0 0 0 0 0]" {
		t.Errorf("records that are left: %s", got)
	}
	s.uchi(4, "n\n", "bundles", "load", "2")
	if got := counts(); got != "[0 0 0 0 0 0 0 0 0]" {
		t.Errorf("records of a bundle that nobody wanted to load: %s", got)
	}
	s.uchi(0, "", "bundles", "discard", "2")
	if out := s.uchi(0, "", "bundles"); strings.Contains(out, "ready") {
		t.Errorf("the list:\n%s", out)
	}
}

// Files that are chosen together are shown with their order, put into another, checked,
// loaded and taken back in the console.
func TestConsoleBundle(t *testing.T) {
	s := serve(t)
	p := open(s)
	contacts := s.file("people.csv", "Given name,Family name,E-mail,Account\nKari,Berg,kari@x.example,Ulvsund Havn\n"+
		"Per,Lie,per@x.example,Nobody\n")
	accounts := s.file("customers.csv", "Company,Country\nUlvsund Havn,NO\n")
	p.do("upload", chromedp.SetUploadFiles(`input[type=file]`, []string{contacts, accounts}, chromedp.ByQuery))
	p.sees("h1", "people.csv and 1 more")
	p.sees("div", "after customers.csv: Contacts point to accounts by Account")
	p.click(`//button[.="Check all"]`)
	p.do("see it checked", chromedp.WaitVisible(`//tr[contains(., "people.csv")][contains(., "create")][contains(., "hold")]`, chromedp.BySearch))
	p.click(`//button[@aria-label="Load people.csv earlier"]`)
	p.sees("div", "Account points to accounts of customers.csv, which come later: it is written when they are there")
	p.click(`//button[.="Order by links"]`)
	p.do("see the order again", chromedp.WaitNotPresent(`//button[.="Order by links"]`, chromedp.BySearch))
	p.click(`//button[.="Check all"]`)
	p.click(`//button[.="Load all"]`)
	p.sees("p", "2 records are made and 0 changed; 1 rows are held back. The whole can be taken back.")
	p.click(`//div[@role="dialog"]//button[.="Load all"]`)
	p.do("see it loaded", chromedp.WaitVisible(`//tr[contains(., "people.csv")][contains(., "created")][contains(., "held")]`, chromedp.BySearch))
	if n := s.count("select count(*) from w_main.r_contact c join w_main.r_account a on a.id = c.f_account"); n != 1 {
		t.Errorf("%d contacts are linked", n)
	}
	p.click(`//button[.="Take back"]`)
	p.do("see what goes", chromedp.WaitVisible(`//div[@role="dialog"]//li[contains(., "account")]`, chromedp.BySearch),
		chromedp.WaitVisible(`//div[@role="dialog"]//li[contains(., "contact")]`, chromedp.BySearch))
	p.click(`//div[@role="dialog"]//button[.="Take it back"]`)
	p.do("see it taken back", chromedp.WaitVisible(`//tr[contains(., "people.csv")][contains(., "undone")]`,
		chromedp.BySearch))
	if n := s.count("select count(*) from w_main.r_contact"); n != 0 {
		t.Errorf("%d contacts are left", n)
	}
}

// Killed again and again while it loads a bundle, the service goes on with it by
// itself: every record is made once, and every link is there, also those to rows that
// come later.
func TestKilledWhileLoadingABundle(t *testing.T) {
	s := serve(t)
	const accounts, contacts = 6_000, 50_000
	var a, c strings.Builder
	a.WriteString("Company,External ID,Parent account,Country\n")
	for n := range accounts {
		parent := ""
		if n%3 == 0 {
			parent = fmt.Sprintf("A-%d", (n+1234)%accounts)
		}
		fmt.Fprintf(&a, "Harbour %d,A-%d,%s,NO\n", n, n, parent)
	}
	c.WriteString("Family name,E-mail,External ID,Account,Reports to\n")
	for n := range contacts {
		fmt.Fprintf(&c, "Berg,p%d@x.example,P-%d,A-%d,P-%d\n", n, n, n%accounts, (n+30_000)%contacts)
	}
	s.uchi(0, "", "bundle", s.file("contacts.csv", c.String()), s.file("accounts.csv", a.String()), "--check-only")
	if _, err := s.conn().LoadBundleWithResponse(t.Context(), "main", 1, client.BundlePolicy{}); err != nil {
		t.Fatalf("load: %v", err)
	}
	kills := 0
	for end := time.Now().Add(3 * time.Minute); ; time.Sleep(20 * time.Millisecond) {
		r, err := s.conn().GetBundleWithResponse(t.Context(), "main", 1)
		if err != nil {
			t.Fatal(err)
		}
		b := r.JSON200
		if b.State != client.Loading {
			if b.State != client.Loaded {
				t.Fatalf("the bundle is %s: %+v", b.State, b.Trouble)
			}
			break
		}
		if time.Now().After(end) {
			t.Fatal("the load does not end")
		}
		if kills < 3 && (kills == 0 || b.Imports[len(b.Imports)-1].Import.Done >= int64(kills-1)*20_000 &&
			b.Imports[0].Import.State == client.Loaded) {
			s.stop(syscall.SIGKILL)
			kills++
			s.start()
		}
	}
	for what, x := range map[string]struct {
		query string
		want  int64
	}{
		"accounts": {`select count(*) from w_main.r_account`, accounts},
		"contacts": {`select count(*) from w_main.r_contact`, contacts},
		"parents": {`select count(*) from w_main.r_account x join w_main.r_account p on p.id = x.f_parent
			where p.f_source_ref = 'A-' || ((substring(x.f_source_ref from 3)::int + 1234) % 6000)`, accounts / 3},
		"with their account": {`select count(*) from w_main.r_contact c join w_main.r_account x on x.id = c.f_account
			where x.f_source_ref = 'A-' || (substring(c.f_source_ref from 3)::int % 6000)`, contacts},
		"with their superior": {`select count(*) from w_main.r_contact c join w_main.r_contact x on x.id = c.f_reports_to
			where x.f_source_ref = 'P-' || ((substring(c.f_source_ref from 3)::int + 30000) % 50000)`, contacts},
	} {
		if got := s.count(x.query); got != x.want {
			t.Errorf("%s: %d, want %d", what, got, x.want)
		}
	}
	if kills == 0 {
		t.Error("it was never killed")
	}
	s.uchi(0, "", "bundles", "undo", "1", "--yes")
	if n := s.count(`select (select count(*) from w_main.r_account) + (select count(*) from w_main.r_contact)`); n != 0 {
		t.Errorf("%d records are left", n)
	}
}

// A sheet that no record type fits becomes one of its own, by command and in the
// console, and its records are as all others.
func TestRecordTypeFromASheet(t *testing.T) {
	s := serve(t)
	s.uchi(0, "Company,External ID\nStonewharf Marina Ltd,BM-101\nMarina Psarolimani,BM-104\n"+
		"Tangvik Gjestehavn,BM-103\n", "import", "-", "--into", "account", "--yes")
	const berths = "../../demo/brightmooring/berths.csv"
	if out := s.uchi(1, "", "import", berths); !strings.Contains(out, "no record type fits") {
		t.Errorf("a sheet of nothing known:\n%s", out)
	}
	if out := s.uchi(0, "", "types", "add", "--from-import", "2", "--show"); !strings.Contains(out,
		"pontoon, buoy, quay") || !strings.Contains(out, "required, key") {
		t.Errorf("what is proposed:\n%s", out)
	}
	s.uchi(0, "", "types", "add", "--from-import", "2", "--field", "Marina=reference,account", "--prefix", "BTH")
	s.uchi(0, "", "mapping", "2", "--add", "berth")
	s.uchi(0, "", "check", "2")
	s.uchi(0, "", "load", "2", "--yes")
	if out := s.uchi(0, "", "records", "berth", "--columns", "marina.source_ref,kind", "--filter",
		`kind == "buoy" && marina.name.contains("Psaro")`); !strings.Contains(out, "2 berths") || !strings.Contains(out,
		"BTH-5") || !strings.Contains(out, "BM-104") {
		t.Errorf("the records:\n%s", out)
	}
	if out := s.uchi(0, "", "import", berths, "--check-only"); !strings.Contains(out, "○ same      9") {
		t.Errorf("the second time:\n%s", out)
	}
	s.uchi(1, "", "types", "add", "Berth", "--field", "What=text")
	s.uchi(2, "", "types", "add", "Crane", "--field", "What=metal")

	p := open(s)
	cranes := s.file("cranes.csv", "Crane code,Lifts t,Kind,Checked\nC-1,12.5,mobile,2026-01-02\n"+
		"C-2,40,gantry,2026-02-03\nC-3,12.5,mobile,2026-03-04\nC-4,8,mobile,2026-03-04\nC-5,40,gantry,2026-05-01\n")
	p.do("upload", chromedp.SetUploadFiles(`input[type=file]`, []string{cranes}, chromedp.ByQuery))
	p.click(`//button[contains(., "None of these")]`)
	p.click(`//div[@role="dialog"]//button[contains(., "Add Cranes with 4 fields")]`)
	p.do("see its columns placed", chromedp.WaitVisible(`//button[@aria-label="Crane code goes to Crane code"]`,
		chromedp.BySearch))
	p.sees("span", "Saved")
	p.do("see the type", chromedp.Navigate(p.server+"/w/main/types/crane"))
	p.sees("h2", "Crane · ids like CRA-1042 · version 1")
}
