package main_test

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"testing"
	"time"

	"uchi/internal/browsertest"

	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// page is the console in a browser, signed in.
type page struct {
	*testing.T
	tab    context.Context
	server string
}

func open(s *service) *page {
	s.Helper()
	tab, stop, err := browsertest.Start(context.Background())
	if err != nil {
		s.Fatal(err)
	}
	s.Cleanup(stop)
	p := &page{T: s.T, tab: tab, server: "http://" + s.address}
	chromedp.ListenTarget(tab, func(e any) {
		if x, ok := e.(*runtime.EventExceptionThrown); ok {
			s.Errorf("the console threw: %s", x.ExceptionDetails.Error())
		}
	})
	if err := browsertest.SignIn(tab, p.server, admin, password); err != nil {
		p.fail("sign in", err)
	}
	return p
}

func (p *page) fail(what string, err error) {
	p.Helper()
	var text string
	//nolint:errcheck // only to say more
	browsertest.Do(p.tab, chromedp.Evaluate(`location.pathname + "\n" + document.body.innerText`, &text))
	p.Fatalf("%s: %v\nthe page says:\n%.2000s", what, err, text)
}

// do carries out actions that wait for what they need.
func (p *page) do(what string, actions ...chromedp.Action) {
	p.Helper()
	if err := browsertest.Do(p.tab, actions...); err != nil {
		p.fail(what, err)
	}
}

func (p *page) click(xpath string) {
	p.Helper()
	p.do("find "+xpath, chromedp.WaitVisible(xpath, chromedp.BySearch))
	// What is still on the move, because an answer arrives above it, would be missed, and so would
	// all that lies under a dialog which has not gone yet.
	quoted, err := json.Marshal(xpath)
	if err != nil {
		p.Fatal(err)
	}
	where := `(() => {
		const node = document.evaluate(` + string(quoted) +
		`, document, null, XPathResult.FIRST_ORDERED_NODE_TYPE, null).singleNodeValue
		const locked = getComputedStyle(document.body).pointerEvents === "none" &&
			!document.querySelector('[data-state=open]:is([role=dialog],[role=alertdialog],[role=menu],[role=listbox])')
		const box = node?.getBoundingClientRect()
		const over = box && document.elementFromPoint(box.x + box.width / 2, box.y + box.height / 2)
		const covered = over && !node.contains(over) && !over.contains(node)
		return locked || covered ? String(Math.random()) : JSON.stringify(box ?? null)
	})()`
	was := ""
	for range 50 {
		var now string
		p.do("see where it is", chromedp.Evaluate(where, &now))
		if now == was {
			break
		}
		was = now
		time.Sleep(40 * time.Millisecond)
	}
	p.do("click "+xpath, chromedp.Click(xpath, chromedp.BySearch, chromedp.NodeVisible))
}

// until waits until an expression holds in the page.
func (p *page) until(what, expression string) {
	p.Helper()
	for began := time.Now(); ; time.Sleep(40 * time.Millisecond) {
		var holds bool
		if p.do(what, chromedp.Evaluate(expression, &holds)); holds {
			return
		}
		if time.Since(began) > 20*time.Second {
			p.Fatalf("%s: never", what)
		}
	}
}

// sees waits until an element holds a text.
func (p *page) sees(tag, text string) {
	p.Helper()
	p.do(fmt.Sprintf("see %q", text), chromedp.WaitVisible(browsertest.Holding(tag, text), chromedp.BySearch))
}

func (p *page) address() (path string) {
	p.Helper()
	p.do("address", chromedp.Evaluate(`location.pathname + location.search`, &path))
	return path
}

// The whole way in the console: upload, map a column, check, mend, load, look.
func TestConsole(t *testing.T) {
	s := serve(t)
	s.uchi(0, "Name\nKalvøya Marina\n", "import", "-", "--into", "account", "--yes")
	path := s.file("fair.csv", "First name,Surname,Company,E-mail,Thing\nÅse,Øksnes,Kalvøya Marina,a@x.example,hello\n"+
		"Nils,Berg,Kalvøya Marina,bad,there\nMai,,Nowhere,m@x.example,\n")
	p := open(s)
	p.sees("h1", "Nothing waits for you")
	p.do("upload", chromedp.SetUploadFiles(`input[type=file]`, []string{path}, chromedp.ByQuery))
	p.sees("h1", "fair.csv")
	p.sees("button", "Columns")
	p.sees("span", "4 of 5 placed")

	// A column is mapped by hand, from the keyboard.
	p.click(`//button[@aria-label="Thing goes to no field"]`)
	p.do("type a field's name", chromedp.WaitVisible(`input[role=combobox]`),
		chromedp.SendKeys(`input[role=combobox]`, "notes\r"))
	p.do("see it placed", chromedp.WaitVisible(`//button[@aria-label="Thing goes to Description"]`, chromedp.BySearch))
	p.sees("span", "5 of 5 placed")

	p.click(`//button[.="Go on to the check"]`)
	p.click(`//button[contains(., "Check 3 rows")]`)
	p.sees("span", "2 held")
	p.sees("li", "this is not an e-mail address")
	p.click(`//button[contains(., "this is not an e-mail address")]`)
	p.do("see the chosen rows", chromedp.WaitVisible(`//div[@role="grid"][@aria-rowcount="1"]`, chromedp.BySearch))
	if a := p.address(); !strings.Contains(a, "problem=bad_email") {
		t.Errorf("the filter is not in the address: %s", a)
	}
	p.click(`//div[@role="row"][contains(., "Nils")]`) // not before it is there
	p.sees("dd", "there is no @ in it")

	p.click(`//nav[@aria-label="Stations"]//button[contains(., "Load")]`)
	p.click(`//aside//button[.="Create 1"]`)
	p.sees("p", "2 rows are held back")
	p.click(`//div[@role="dialog"]//button[.="Create 1"]`)
	p.sees("p", "The load is done")
	p.click(`//button[.="See the result"]`)
	p.sees("section", "created")
	p.click(`//a[contains(., "See the new leads")]|//a[contains(., "See the new contacts")]`)
	p.click(`//a[contains(., "Øksnes")]`)
	p.sees("h1", "Åse Øksnes")
	p.sees("li", "import 2")
	before := p.address()
	p.do("reload", chromedp.Reload(), chromedp.WaitVisible(`//h1[contains(., "Åse Øksnes")]`, chromedp.BySearch))
	if after := p.address(); after != before {
		t.Errorf("the address does not survive a reload: %s, %s", before, after)
	}
}

// Every page opens, in its empty state too, without an error and with nothing
// wider than the smallest comfortable window.
func TestEveryPageOpens(t *testing.T) {
	s := serve(t)
	p := open(s)
	visit := func(path, tag, text string) {
		t.Helper()
		p.do("open "+path, chromedp.Navigate(p.server+path))
		p.sees(tag, text)
		var wide bool
		p.do("measure "+path, chromedp.Evaluate(`document.documentElement.scrollWidth > innerWidth`, &wide))
		if wide {
			t.Errorf("%s is wider than %d pixels", path, browsertest.Width)
		}
	}
	visit("/w/main", "h1", "Nothing waits for you")
	visit("/w/main/imports", "div", "No imports yet")
	visit("/w/main/records/contact", "div", "No contacts yet")
	visit("/w/main/records/contact/CON-1", "div", "there is no such contact")
	visit("/w/main/types/account", "td", "registration_number")
	visit("/w/main/account", "h1", "People, tokens and workspaces")
	visit("/w/main/api", "summary", "Upload a source and have it read")
	visit("/w/main/imports/99/check", "div", "no such import")
	visit("/w/main/nothing/here", "div", "There is no such page")
	s.uchi(1, "", "import", s.file("bad.csv", "a,b\n1,\"2\n"), "--into", "contact")
	visit("/w/main/imports/1/source", "div", "never closed")
	wide := strings.Repeat("Column with a rather long name,", 199) + "Surname\n"
	for n := range 300 {
		wide += strings.Repeat("x,", 199) + string([]rune{'B', rune('a' + n/18), rune('d' + n%18), 'a', '\n'})
	}
	s.uchi(0, "", "import", s.file("wide.csv", wide), "--into", "contact", "--yes")
	visit("/w/main/imports/2/columns", "span", "1 of 200 placed")
}

// A set-up is saved as a routine, offered for the next file, and used; the grid
// is walked from the keyboard; a value is computed; the theme stays.
func TestConsoleRoutineAndKeyboard(t *testing.T) {
	s := serve(t)
	first := s.file("crew.csv", "Zeichen,Familienname,Post\nK-1,Berg,Koch\nK-2,Li,Maat\n")
	second := s.file("crew-2.csv", "Zeichen,Familienname,Post,Boot\nK-3,Ek,Maat,Tern\n")
	s.uchi(0, "", "import", first, "--into", "contact", "--check-only", "--map", "source_ref=Zeichen")
	p := open(s)
	p.do("open the columns", chromedp.Navigate(p.server+"/w/main/imports/1/columns"))
	p.click(`//button[contains(., "Save as routine")]`)
	p.do("name it", chromedp.WaitVisible(`//div[@role="dialog"]//input`, chromedp.BySearch),
		chromedp.SendKeys(`//div[@role="dialog"]//input`, "weekly crew", chromedp.BySearch))
	p.click(`//div[@role="dialog"]//button[.="Save it"]`)
	p.do("see it go", chromedp.WaitNotPresent(`//div[@role="dialog"]`, chromedp.BySearch))
	p.until("the focus returns", `document.activeElement?.tagName === "BUTTON"`)

	// The grid from the keyboard.
	p.sees("div", "K-2")
	p.do("walk the rows", chromedp.Focus(`div[role=grid]`), chromedp.KeyEvent(kb.ArrowDown),
		chromedp.WaitVisible(`//div[@role="row"][@aria-selected="true"]`, chromedp.BySearch), chromedp.KeyEvent(kb.ArrowDown))
	p.sees("div", "Li")
	if a := p.address(); !strings.Contains(a, "row=3") {
		t.Errorf("the chosen row is not in the address: %s", a)
	}

	// A value is computed; what is wrong is said in place.
	p.click(`//button[@role="tab"][.="Columns"]`)
	p.click(`//button[contains(., "Leave rows out")]`)
	box := `//textarea[@aria-label="Expression in CEL"]`
	var text string
	p.do("close the completions", chromedp.WaitVisible(box, chromedp.BySearch),
		chromedp.SendKeys(box, `cells[`, chromedp.BySearch), chromedp.WaitVisible(`//ul[@id="offers"]`, chromedp.BySearch),
		chromedp.KeyEvent(kb.Escape),
		chromedp.WaitNotPresent(`//ul[@id="offers"]`, chromedp.BySearch), chromedp.Value(box, &text, chromedp.BySearch))
	if text != `cells[` {
		t.Errorf("Escape on the completions lost the text: %q", text)
	}
	p.do("type an expression", chromedp.SendKeys(box, `"Nowhere"] == "x"`, chromedp.BySearch))
	p.click(`//div[@role="dialog"]//button[.="Use it"]`)
	p.sees("div", "no column Nowhere")
	p.click(`//div[@role="dialog"]//button[@aria-label="Close"]`)
	p.click(`//div[@role="dialog"]//button[.="Leave it"]`) // what is typed is not lost unasked
	p.do("see it go", chromedp.WaitNotPresent(`//div[@role="dialog"]`, chromedp.BySearch))
	p.click(`//button[contains(., "Leave rows out")]`)
	p.do("type it right", chromedp.WaitVisible(box, chromedp.BySearch),
		chromedp.SendKeys(box, `cells["Post"] != "Koch"`, chromedp.BySearch))
	p.click(`//div[@role="dialog"]//button[.="Use it"]`)
	p.do("see it go", chromedp.WaitNotPresent(`//div[@role="dialog"]`, chromedp.BySearch))
	p.sees("h3", "Only some rows")
	p.click(`//button[.="Go on to the check"]`)
	p.click(`//button[contains(., "Check 2 rows")]`)
	p.sees("button", "skip")

	// The next file is recognised.
	p.do("go to the imports", chromedp.Navigate(p.server+"/w/main/imports"),
		chromedp.WaitReady(`input[type=file]`, chromedp.ByQuery), chromedp.SetUploadFiles(`input[type=file]`,
			[]string{second}, chromedp.ByQuery))
	p.sees("h1", "crew-2.csv")
	p.sees("div", "weekly crew")
	p.sees("span", "new: Boot")
	p.click(`//button[.="Use it"]`)
	p.do("see it used", chromedp.WaitVisible(`//button[@aria-label="Zeichen goes to Number in the old system"]`,
		chromedp.BySearch))

	// Dark stays dark.
	p.click(`//nav[@aria-label="Main"]//button[contains(., "Administrator")]`)
	p.click(`//div[@role="menuitem"][contains(., "Dark")]`)
	var theme string
	p.do("reload", chromedp.Reload(), chromedp.WaitVisible(`nav[aria-label=Main]`),
		chromedp.Evaluate(`document.documentElement.dataset.theme`, &theme))
	if theme != "dark" {
		t.Errorf("after a reload the theme is %s", theme)
	}
}

// Rules are tried as they are changed, questions are answered from the
// keyboard, and the next check follows them.
func TestConsoleQuestions(t *testing.T) {
	s := serve(t)
	s.uchi(0, "Given name,Family name,E-mail,Birthday\nKari,Øksnes,kari@x.example,1980-04-03\n"+
		"Ola,Berg,ola@x.example,1975-01-30\n", "import", "-", "--into", "contact", "--yes")
	s.uchi(3, "", "import", s.file("fair.csv", "Given name,Family name,E-mail,Birthday\nKari,Solberg,kari@x.example,\n"+
		"Ola,Lund,ola@x.example,\n"), "--into", "contact", "--check-only")
	p := open(s)
	p.do("open the matching", chromedp.Navigate(p.server+"/w/main/imports/2/matching"))
	p.sees("p", "Tried on all 2 rows.")
	p.sees("p", "2 asked")
	p.click(`//button[@aria-label="Rows for the same record"]`)
	p.click(`//div[@role="option"][contains(., "make one of them")]`)
	p.click(`//button[.="Use these rules"]`)
	p.do("see them used", chromedp.WaitNotPresent(`//button[.="Use these rules"]`, chromedp.BySearch))
	p.click(`//button[.="Go on to the check"]`)
	p.click(`//button[contains(., "Check 2 rows")]`)
	p.sees("span", "2 asked")
	p.click(`//button[.="Answer them one by one"]`)
	p.sees("span", "Row 2: a record is like it")
	p.sees("li", "E-mail: the same")
	p.do("keep the family name", chromedp.Click(`//label[contains(., "becomes Solberg")]`, chromedp.BySearch))
	p.sees("label", "stays")
	p.do("take it", chromedp.KeyEvent("t"))
	p.sees("span", "Row 3: a record is like it")
	p.do("a new one", chromedp.KeyEvent("n"))
	p.sees("span", "a new record")
	p.click(`//button[@role="tab"][.="Check"]`)
	p.sees("p", "Something was answered or mended since. It counts after another check.")
	p.click(`//button[.="Check again"]`)
	p.sees("button", "Go on to the load")
	p.click(`//button[.="Go on to the load"]`)
	p.click(`//aside//button[.="Create 1"]`)
	p.click(`//div[@role="dialog"]//button[.="Create 1"]`)
	p.sees("p", "The load is done")
	if out := s.uchi(0, "", "records", "contact", "--json"); strings.Contains(out, "Solberg") ||
		!strings.Contains(out, "Lund") {
		t.Errorf("the records: %s", out)
	}
}

// From the column's card: a field of one's own, with the type that the values
// suggest, and the notes.
func TestConsoleNewFieldAndNotes(t *testing.T) {
	s := serve(t)
	s.uchi(0, "", "import", s.file("berths.csv", "Name,Berths,Remark one\nKalvøya Marina,120,deep water\n"+
		"Krogsø Werft,80,shallow\n"), "--into", "account", "--check-only", "--map", "description=")
	p := open(s)
	p.do("open the columns", chromedp.Navigate(p.server+"/w/main/imports/1/columns"))
	p.click(`//button[@aria-label="Berths goes to no field"]`)
	p.click(`//button[.="A new field…"]`)
	p.sees("span", "Its name will be berths.")
	p.click(`//div[@role="dialog"]//button[.="Add Berths"]`)
	p.do("see it placed", chromedp.WaitVisible(`//button[@aria-label="Berths goes to Berths"]`, chromedp.BySearch))
	p.click(`//button[starts-with(@aria-label, "Remark one goes to no field")]`)
	p.click(`//button[.="Add to the notes"]`)
	p.do("see it in the notes", chromedp.WaitVisible(`//button[@aria-label="Remark one goes to Description"]`,
		chromedp.BySearch))
	s.uchi(0, "", "check", "1")
	s.uchi(0, "", "load", "1", "--yes")
	if out := s.uchi(0, "", "records", "account", "ACC-1", "--json"); !strings.Contains(out, `"berths": "120"`) ||
		!strings.Contains(out, "Remark one: deep water") {
		t.Errorf("the record: %s", out)
	}
}

// A row becomes two records that are linked: offered from the columns, shown
// side by side, loaded together.
func TestConsoleSeveralDrafts(t *testing.T) {
	s := serve(t)
	s.uchi(3, "", "import", s.file("quay.csv", "Contact first name,Contact last name,Contact "+
		"e-mail,Company,Website,Town\nÅse,Øksnes,a@x.example,Kalvøya Marina,kalvoya.example,Kalvøya\n"+
		"Nils,Berg,n@x.example,Kalvøya Marina,,\n"), "--into", "contact", "--check-only")
	p := open(s)
	p.do("open the columns", chromedp.Navigate(p.server+"/w/main/imports/1/columns"))
	p.sees("b", "Also accounts?")
	p.click(`//button[.="Make them too"]`)
	p.do("see the company go to the account",
		chromedp.WaitVisible(`//button[@aria-label="Company goes to Account · Name"]`, chromedp.BySearch))
	p.sees("span", "the account of the row")

	// A column goes to both records.
	p.click(`//button[@aria-label="Town goes to Account · Town or city"]`)
	p.click(`//label[contains(., "It stays where it is too")]`)
	p.do("pick the contact's town", chromedp.SendKeys(`input[role=combobox]`, "contact town\r"))
	p.do("see both", chromedp.WaitVisible(`//button[@aria-label="Town goes to Account · Town or city + Contact · Town or city"]`, chromedp.BySearch))

	p.click(`//button[.="Go on to the check"]`)
	p.click(`//button[contains(., "Check 2 rows")]`)
	p.sees("h3", "The records of the rows")
	p.click(`//div[@role="row"][contains(., "Nils")]`)
	p.do("see them side by side",
		chromedp.WaitVisible(`//section[@aria-label="Contact"]//dd[contains(., "n@x.example")]`, chromedp.BySearch),
		chromedp.WaitVisible(`//section[@aria-label="Account"][contains(., "row 2")]`, chromedp.BySearch))
	// A row is left out, and taken in again.
	p.click(`//button[.="Leave this row out"]`)
	p.click(`//button[@role="tab"][.="Check"]`)
	p.sees("p", "Something was answered or mended since. It counts after another check.")
	p.click(`//button[.="Check again"]`)
	p.sees("button", "left out by hand")
	p.click(`//div[@role="row"][contains(., "Nils")]`)
	p.click(`//button[.="Take this row in again"]`)
	p.click(`//button[@role="tab"][.="Check"]`)
	p.sees("p", "Something was answered or mended since. It counts after another check.")
	p.click(`//button[.="Check again"]`)
	p.sees("button", "Go on to the load")
	p.click(`//div[@role="row"][contains(., "Nils")]`)
	p.click(`//section[@aria-label="Account"]//button[.="See row 2"]`)
	p.do("be there", chromedp.WaitVisible(`//section[@aria-label="Contact"]//dd[contains(., "a@x.example")]`,
		chromedp.BySearch))

	p.click(`//nav[@aria-label="Stations"]//button[contains(., "Load")]`)
	p.click(`//aside//button[.="Create 3"]`)
	p.sees("p", "2 contacts are made and 0 are changed")
	p.click(`//div[@role="dialog"]//button[.="Create 3"]`)
	p.sees("p", "The load is done")
	if out := s.uchi(0, "", "records", "contact", "--json"); strings.Count(out, `"id": "ACC-1"`) != 2 {
		t.Errorf("the contacts are not linked: %s", out)
	}
}

// A file that was taken for leads holds more: the set of records is offered, and
// made by one press.
func TestConsoleTogether(t *testing.T) {
	s := serve(t)
	s.uchi(0, "", "import", s.file("quay.csv", "Company,Contact last name,Contact e-mail,Deal title,Stage,Expected "+
		"close,Deal value\nTern Marina,Berg,b@x.example,Pier A,scoped,2027-01-31,100\n"), "--into", "lead", "--check-only")
	p := open(s)
	p.do("open the columns", chromedp.Navigate(p.server+"/w/main/imports/1/columns"))
	p.click(`//button[.="Make these"]`)
	p.sees("span", "7 of 7 placed")
	p.click(`//button[.="Go on to the check"]`)
	p.click(`//button[contains(., "Check 1 rows")]`)
	p.sees("h3", "The records of the rows")
	p.click(`//nav[@aria-label="Stations"]//button[contains(., "Load")]`)
	p.do("see what it makes", chromedp.WaitVisible(`//aside//button[.="Create 3"]`, chromedp.BySearch))
}

// What can be read two ways is asked at the column; what the words of a column
// mean is listed; an expression is completed and shows what it makes.
func TestConsoleAsksAndShows(t *testing.T) {
	s := serve(t)
	s.uchi(3, "", "import", s.file("fair.csv", "Surname,Company,Met on,Interest,Remarks\nBerg,Tern,03/04/2026,very "+
		"hot,tall\nLi,Tern,05/06/2026,low,short\nEk,Tern,07/08/2026,boat,quiet\n"), "--into", "lead", "--check-only")
	p := open(s)
	p.do("open the columns", chromedp.Navigate(p.server+"/w/main/imports/1/columns"))
	p.click(`//button[.="Day or month first?"]`)
	p.click(`//div[@role="menuitem"][contains(., "The month comes first")]`)
	p.do("see it settled", chromedp.WaitNotPresent(`//button[.="Day or month first?"]`, chromedp.BySearch))

	p.click(`//button[.="Interest…"]`)
	p.sees("span", "2 mean nothing yet")
	p.click(`//div[@role="dialog"]//button[.="High?"]`)
	p.click(`//div[@role="dialog"]//button[@aria-label="Meaning of boat"]`)
	p.click(`//div[@role="option"][contains(., "to the choices")]`)
	p.sees("span", "0 mean nothing yet")
	// From the keyboard: Enter opens what the text of the row means, and the grid has the focus again.
	p.do("walk the list", chromedp.Focus(`//div[@role="grid"][@aria-label="What each text means"]`, chromedp.BySearch),
		chromedp.KeyEvent(kb.ArrowUp+kb.ArrowUp+kb.ArrowUp+kb.Enter))
	p.do("see the choices", chromedp.WaitVisible(`//div[@role="option"][contains(., "leave it blank")]`,
		chromedp.BySearch))
	p.do("choose", chromedp.KeyEvent(kb.End+kb.Escape))
	p.do("see them go", chromedp.WaitNotPresent(`//div[@role="option"]`, chromedp.BySearch))
	p.until("the focus is back in the list",
		`document.activeElement.getAttribute("aria-label") === "What each text means"`)
	p.click(`//button[.="Keep the list"]`)
	p.do("see it go", chromedp.WaitNotPresent(`//div[@role="dialog"]`, chromedp.BySearch))

	p.click(`//button[contains(., "Leave rows out")]`)
	box := `//textarea[@aria-label="Expression in CEL"]`
	p.do("begin an expression", chromedp.WaitVisible(box, chromedp.BySearch),
		chromedp.SendKeys(box, `Remar`, chromedp.BySearch))
	p.sees("code", "Remarks")
	p.do("complete it", chromedp.SendKeys(box, "\r", chromedp.BySearch),
		chromedp.SendKeys(box, ` != "short"`, chromedp.BySearch))
	p.do("see what it makes", chromedp.WaitVisible(`//div[@role="dialog"]//tr[contains(., "row 3")][contains(., "left out")]`, chromedp.BySearch), chromedp.WaitVisible(`//div[@role="dialog"]//tr[contains(., "row 4")][contains(., "taken")]`, chromedp.BySearch))
	p.click(`//div[@role="dialog"]//button[.="Use it"]`)
	p.sees("h3", "Only some rows")
	p.click(`//button[.="Go on to the check"]`)
	p.click(`//button[contains(., "Check 3 rows")]`)
	p.sees("h3", "Nothing is wrong")
	s.uchi(0, "", "load", "1", "--yes")
	if out := s.uchi(0, "", "records", "lead", "--json"); !strings.Contains(out, `"met_on": "2026-03-04"`) ||
		!strings.Contains(out, `"interest": "boat"`) || strings.Contains(out, `"Li"`) {
		t.Errorf("the leads: %s", out)
	}
}

// Routines are read, changed, copied and removed as documents; what is wrong
// says where.
func TestConsoleRoutines(t *testing.T) {
	s := serve(t)
	s.uchi(0, "", "import", s.file("crew.csv", "Zeichen,Familienname\nK-1,Berg\n"), "--into", "contact", "--check-only",
		"--map", "source_ref=Zeichen")
	s.uchi(0, "", "routine", "save", "crew", "--import", "1")
	p := open(s)
	p.do("open the routines", chromedp.Navigate(p.server+"/w/main/routines"))
	box := `//textarea[@aria-label="The routine crew in YAML"]`
	p.do("see it", chromedp.WaitVisible(box, chromedp.BySearch))
	p.do("break it", chromedp.SendKeys(box, "\nboats: 3\n", chromedp.BySearch))
	p.click(`//button[.="Save the changes"]`)
	p.sees("div", "no part called boats")
	p.click(`//button[.="Leave it as it was"]`)
	p.do("change it", chromedp.Evaluate(`document.querySelector("textarea").select()`, nil),
		chromedp.SendKeys(box, "may: create\ndrafts: [{type: contact, fields: {family_name: {from: [Familienname]}}}]\n",
			chromedp.BySearch))
	p.click(`//button[.="Save the changes"]`)
	p.sees("span", "version 2")
	p.click(`//button[.="Copy…"]`)
	p.do("name the copy", chromedp.WaitVisible(`//div[@role="dialog"]//input`, chromedp.BySearch))
	p.click(`//div[@role="dialog"]//button[.="Save it"]`)
	p.sees("h2", "crew-copy")
	p.click(`//button[@aria-label="Remove crew-copy"]`)
	p.click(`//button[.="Forget it"]`)
	p.do("see it go", chromedp.WaitNotPresent(`//a[contains(., "crew-copy")]`, chromedp.BySearch))
	if out := s.uchi(0, "", "routine", "show", "crew"); !strings.Contains(out, "may: create\n") {
		t.Errorf("the routine: %s", out)
	}
}
