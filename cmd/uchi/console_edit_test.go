package main_test

import (
	"context"
	"fmt"
	"os"
	"strings"
	"syscall"
	"testing"

	"uchi/internal/browsertest"

	cdp "github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// holdsEdits lets a test hold back what the console sends, until it says go.
const holdsEdits = `(() => {
	const send = window.fetch;
	let open = () => {};
	window.hold = () => { window.held = new Promise((f) => { open = f; }); };
	window.letGo = () => { window.held = undefined; open(); };
	window.fetch = async (r, ...rest) => {
		if (window.held && (r.method ?? rest[0]?.method) === "PUT") await window.held;
		return send(r, ...rest);
	};
})()`

func (p *page) goesTo(column, field string) {
	p.Helper()
	p.do(column+" goes to "+field, chromedp.WaitVisible(`//button[@aria-label="`+column+` goes to `+field+`"]`,
		chromedp.BySearch))
}

func (p *page) place(column, was, field string) {
	p.Helper()
	p.click(`//button[@aria-label="` + column + ` goes to ` + was + `"]`)
	p.do("type a field's name", chromedp.WaitVisible(`input[role=combobox]`),
		chromedp.SendKeys(`input[role=combobox]`, field+"\r"))
}

// Edits of a routine count at once, are undone and redone, survive those of
// others, and are asked about where both changed the same.
func TestConsoleEditing(t *testing.T) {
	s := serve(t)
	s.uchi(0, "Name,Thing,Other,Third\nKalvøya Marina,a,b,c\n", "import", "-", "--into", "account", "--check-only")
	p := open(s)
	p.do("hold", chromedp.ActionFunc(func(ctx context.Context) error {
		_, err := cdp.AddScriptToEvaluateOnNewDocument(holdsEdits).Do(ctx)
		return err
	}), chromedp.Navigate(p.server+"/w/main/imports/1/columns"))
	p.goesTo("Thing", "no field")
	p.place("Thing", "no field", "town")
	p.goesTo("Thing", "Town or city")
	p.sees("span", "Saved")

	undo := func(mod ...chromedp.KeyOption) chromedp.Action {
		return chromedp.Tasks{chromedp.Focus(`div[role=grid]`), chromedp.KeyEvent("z", mod...)}
	}
	p.do("undo", undo(chromedp.KeyModifiers(2)))
	p.goesTo("Thing", "no field")
	p.do("redo", undo(chromedp.KeyModifiers(2|8)))
	p.goesTo("Thing", "Town or city")
	p.sees("span", "Saved")

	// What is undone is the last edit, also while it is on its way.
	p.do("hold", chromedp.Evaluate(`window.hold()`, nil))
	p.place("Third", "no field", "street")
	p.goesTo("Third", "Street")
	p.do("undo", undo(chromedp.KeyModifiers(2)), chromedp.Evaluate(`window.letGo()`, nil))
	p.goesTo("Third", "no field")
	p.goesTo("Thing", "Town or city")
	p.sees("span", "Saved")

	// Somebody else is faster, elsewhere: both count.
	p.do("hold", chromedp.Evaluate(`window.hold()`, nil))
	p.place("Other", "no field", "region")
	p.goesTo("Other", "Region") // on the screen before the service has it
	p.sees("span", "Saving")
	s.uchi(0, "", "mapping", "1", "--map", "description=Third")
	p.do("let go", chromedp.Evaluate(`window.letGo()`, nil))
	p.goesTo("Third", "Description")
	p.goesTo("Other", "Region")
	p.sees("span", "Saved")
	if out := s.uchi(0, "", "imports", "1", "--json"); !strings.Contains(out, `"Other"`) ||
		!strings.Contains(out, `"Third"`) {
		t.Errorf("an edit is lost: %s", out)
	}

	// At the same place: the person is asked.
	p.do("hold", chromedp.Evaluate(`window.hold()`, nil))
	p.place("Third", "Description", "street")
	s.uchi(0, "", "mapping", "1", "--map", "description=Other")
	p.do("let go", chromedp.Evaluate(`window.letGo()`, nil))
	p.sees("h2", "Somebody else has changed the same")
	p.click(`//div[@role="dialog"]//button[.="Keep theirs"]`)
	p.goesTo("Other", "Description")
	p.goesTo("Third", "no field")

	// A column is parted over the fields that no other gives.
	p.click(`//button[@aria-label="Third goes to no field"]`)
	p.do("part it", chromedp.WaitVisible(`input[role=combobox]`), chromedp.SendKeys(`input[role=combobox]`, "code +"))
	p.click(`//li[@role="option"][contains(., "Postal code + Region + Country")]`)
	p.goesTo("Third", "Country + Postal code + Region")
}

// What the service cannot take now waits, and nothing is lost: not when it
// stops, nor when the session ends.
func TestConsoleConnection(t *testing.T) {
	s := serve(t)
	s.uchi(0, "Name,Thing,Other\nKalvøya Marina,a,b\n", "import", "-", "--into", "account", "--check-only")
	p := open(s)
	p.do("open the columns", chromedp.Navigate(p.server+"/w/main/imports/1/columns"))
	p.goesTo("Thing", "no field")
	s.stop(syscall.SIGTERM)
	p.sees("div", "The service has not answered since")
	p.place("Thing", "no field", "town")
	p.goesTo("Thing", "Town or city")
	p.sees("span", "Not saved yet")
	p.sees("div", "Kalvøya Marina") // what was there stays
	s.start()
	p.do("see the banner go", chromedp.WaitNotPresent(`//div[@role="alert"][contains(., "has not answered")]`,
		chromedp.BySearch))
	p.sees("span", "Saved")
	p.goesTo("Thing", "Town or city")

	// The session ends between the words and the key that takes them: earlier the page itself may find out first, and ask.
	p.click(`//button[@aria-label="Other goes to no field"]`)
	p.do("type a field's name", chromedp.WaitVisible(`input[role=combobox]`),
		chromedp.SendKeys(`input[role=combobox]`, "region"))
	s.exec("delete from uchi.sessions")
	p.do("take it", chromedp.KeyEvent(kb.Enter))
	p.sees("h2", "Sign in again")
	field := `//div[@role="dialog"]//input[@name="password"]`
	p.do("sign in wrongly", chromedp.WaitVisible(field, chromedp.BySearch),
		chromedp.SendKeys(field, "wrong password"+kb.Enter, chromedp.BySearch))
	p.do("see that it is wrong", chromedp.WaitVisible(`//div[@role="dialog"]//div[@role="alert"]`, chromedp.BySearch))
	var email string
	p.do("read the address", chromedp.Value(`//div[@role="dialog"]//input[@name="email"]`, &email, chromedp.BySearch))
	if email != admin {
		t.Errorf("a wrong password lost the address: %q", email)
	}
	p.do("sign in", chromedp.SendKeys(field, password+kb.Enter, chromedp.BySearch))
	p.do("see it go", chromedp.WaitNotPresent(`//div[@role="dialog"]`, chromedp.BySearch))
	p.goesTo("Other", "Region")
	p.sees("span", "Saved")
	if out := s.uchi(0, "", "imports", "1", "--json"); !strings.Contains(out, `"Thing"`) ||
		!strings.Contains(out, `"Other"`) {
		t.Errorf("what waited is not there: %s", out)
	}
}

// axe is the checker of accessibility that is injected into pages.
func axe(t *testing.T) string {
	t.Helper()
	b, err := os.ReadFile("../../web/node_modules/axe-core/axe.min.js")
	if err != nil {
		t.Fatal(err)
	}
	return string(b)
}

const asksAxe = `axe.run(document, {runOnly: %s})
	.then((r) => r.violations.map((v) => v.id + ": " + v.help + "\n    " + v.nodes.slice(0, 4).map((n) => n.html.slice(0, 200)).join("\n    ")).join("\n"))`

// Many columns are dealt with at once, as one step that is undone as one.
func TestConsoleSeveralColumns(t *testing.T) {
	s := serve(t)
	s.uchi(0, "Name,Town,Berth,Mooring,Colour\nKalvøya Marina,Os,1,2,red\n", "import", "-", "--into", "account",
		"--check-only")
	p := open(s)
	p.do("open the columns", chromedp.Navigate(p.server+"/w/main/imports/1/columns"))
	p.goesTo("Berth", "no field")
	several := func() {
		t.Helper()
		p.click(`//button[.="Several at once…"]`)
		p.sees("h2", "Several columns at once")
	}
	several()
	p.do("choose those without a field", chromedp.WaitVisible(`//input[@aria-label="Part of a header"]`,
		chromedp.BySearch))
	p.click(`//label[contains(., "only those without a field")]`)
	p.click(`//button[.="Choose the 3 listed"]`)
	p.click(`//label[contains(., "Colour")]`) // and not this one
	p.click(`//button[.="Add 2 to the notes"]`)
	p.goesTo("Berth", "Description")
	p.goesTo("Mooring", "Description")
	p.goesTo("Colour", "no field")
	several()
	p.do("choose by the keyboard", chromedp.Focus(`//div[@role="grid"][@aria-label="Columns of the source"]`,
		chromedp.BySearch), chromedp.KeyEvent(kb.ArrowDown+kb.Enter+kb.ArrowDown+kb.Enter))
	p.click(`//button[.="Take 2 out"]`)
	p.goesTo("Berth", "no field")
	p.do("see what is suggested", chromedp.WaitVisible(`//button[starts-with(@aria-label, "Town goes to no field")]`,
		chromedp.BySearch))
	p.do("undo", chromedp.Focus(`div[role=grid]`), chromedp.KeyEvent("z", chromedp.KeyModifiers(2)))
	p.goesTo("Town", "Town or city")
	p.goesTo("Berth", "Description")
}

// Every page, station and dialog, light and dark, breaks no rule that can be
// checked by a program.
func TestAccessible(t *testing.T) {
	s := serve(t)
	s.uchi(0, "Name,Country,Status\nKalvøya Marina,NO,customer\n", "import", "-", "--into", "account", "--yes")
	s.uchi(3, "First name,Surname,Company,E-mail,Thing\nÅse,Øksnes,Kalvøya Marina,a@x.example,hello\n"+
		"Nils,Berg,Kalvøya Marina,bad,there\n", "import", "-", "--into", "contact", "--check-only")
	s.uchi(0, "", "routine", "save", "weekly", "--import", "2")
	s.uchi(0, "", "feeds", "set", "weekly", "--routine", "weekly", "--sent", "--bound", "held=5%")
	s.uchi(0, "", "approval", "--always")
	s.uchi(3, "", "import", "../../demo/brightmooring.zip", "--check-only")
	p := open(s)
	checker := axe(t)
	for _, x := range []struct{ name, path, click string }{
		{"start", "/w/main", ""}, {"imports", "/w/main/imports", ""}, {"bundle", "/w/main/bundles/1", ""},
		{"records", "/w/main/records/account", ""},
		{"record", "/w/main/records/account/ACC-1", ""}, {"routines", "/w/main/routines/weekly", ""},
		{"types", "/w/main/types/contact", ""},
		{"account", "/w/main/account", ""}, {"log", "/w/main/log", ""}, {"feeds", "/w/main/feeds", ""},
		{"feed", "/w/main/feeds/weekly", ""}, {"nowhere", "/w/main/nowhere", ""},
		{"source", "/w/main/imports/2/source", ""}, {"columns", "/w/main/imports/2/columns", ""},
		{"matching", "/w/main/imports/2/matching", ""},
		{"check", "/w/main/imports/2/check", ""}, {"row", "/w/main/imports/2/check?row=3", ""},
		{"load", "/w/main/imports/2/load", ""},
		{"result", "/w/main/imports/1/result", ""},
		{"field dialog", "/w/main/types/contact", `//button[.="Add a field"]`},
		{"help", "/w/main/imports/2/check", `//button[contains(., "Help and keys")]`},
		{"expression", "/w/main/imports/2/columns", `//button[contains(., "Leave rows out")]`},
		{"values", "/w/main/imports/1/columns", `//button[.="Status…"]`},
		{"several columns", "/w/main/imports/2/columns", `//button[.="Several at once…"]`},
		{"rule", "/w/main/imports/2/matching", `//button[contains(., "Add a rule")]`},
		{"feed dialog", "/w/main/feeds/weekly", `//button[.="Change…"]`},
		{"somebody", "/w/main/account", `//button[.="Add somebody"]`},
	} {
		p.do(x.name, chromedp.Navigate(p.server+x.path), chromedp.WaitVisible(`main`, chromedp.ByQuery),
			chromedp.WaitNotPresent(`//main//*[@role="status"][contains(., "Fetching")]`, chromedp.BySearch))
		if x.click != "" {
			p.click(x.click)
			p.do("see the dialog", chromedp.WaitVisible(`[role=dialog]`))
		}
		p.do("bring the checker", chromedp.Evaluate(checker, nil))
		// In the dark only the colours are others.
		for theme, rules := range map[string]string{"light": `["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]`,
			"dark": `{type: "rule", values: ["color-contrast"]}`} {
			var found string
			p.do(x.name+" in "+theme, chromedp.Evaluate(`document.documentElement.dataset.theme = "`+theme+`"`, nil),
				chromedp.Evaluate(fmt.Sprintf(asksAxe, rules), &found, browsertest.Awaited))
			if found != "" {
				t.Errorf("%s, %s:\n%s", x.name, theme, found)
			}
		}
	}
}

// settled waits until the page is laid out anew.
const settled = `new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(() => done(true))))`

// At 640 pixels, and at 200 % zoom of the smallest comfortable window, nothing
// is wider than the page and everything has room.
func TestNarrow(t *testing.T) {
	s := serve(t)
	s.uchi(0, "Given name,Family name,E-mail,Birthday\nKari,Øksnes,kari@x.example,1980-04-03\n", "import", "-",
		"--into", "contact", "--yes")
	s.uchi(3, "", "import", s.file("fair.csv", "Given name,Family name,E-mail,Birthday\n"+
		"Kari,Solberg,kari@x.example,1980-04-03\nOla,,ola@x.example,1975-01-30\n"), "--into", "contact", "--check-only")
	s.uchi(0, "", "routine", "save", "weekly", "--import", "2")
	s.uchi(0, "", "feeds", "set", "weekly", "--routine", "weekly", "--sent", "--bound", "held=5%")
	s.uchi(0, "", "approval", "--always")
	s.uchi(3, "", "import", "../../demo/brightmooring.zip", "--check-only")
	p := open(s)
	for _, path := range []string{"/w/main", "/w/main/imports", "/w/main/bundles/1", "/w/main/records/contact",
		"/w/main/records/contact/CON-1", "/w/main/routines/weekly",
		"/w/main/types/contact", "/w/main/account", "/w/main/log", "/w/main/feeds", "/w/main/feeds/weekly", "/w/main/api",
		"/w/main/imports/2/source", "/w/main/imports/2/columns", "/w/main/imports/2/matching",
		"/w/main/imports/2/check?row=2", "/w/main/imports/2/load", "/w/main/imports/1/result",
		"/w/main/imports/2/check?verdict=ask&asking=1"} {
		p.do("open "+path, chromedp.Navigate(p.server+path), chromedp.WaitVisible(`h1`, chromedp.ByQuery),
			chromedp.WaitNotPresent(`//main//*[@role="status"][contains(., "Fetching")]`, chromedp.BySearch))
		for _, height := range []int64{800, 400} {
			var over int64
			p.do("narrow the window", chromedp.EmulateViewport(browsertest.Width/2, height),
				chromedp.Evaluate(settled, nil, browsertest.Awaited),
				chromedp.Evaluate(`Math.max(document.documentElement.scrollWidth, document.querySelector("main").scrollWidth + document.querySelector("main").offsetLeft) - innerWidth`, &over))
			if over > 0 {
				t.Errorf("%s at %d: %d pixels wider than the page", path, height, over)
			}
			for _, part := range []string{"section[aria-label=Question] table", "div[role=grid]",
				"aside[aria-label='Side panel']"} {
				var room int64
				p.do("measure "+part, chromedp.Evaluate(`document.querySelector("`+part+`")?.parentElement.clientHeight ?? 1000`,
					&room))
				if room < 90 {
					t.Errorf("%s at %d: %s has only %d pixels of height", path, height, part, room)
				}
			}
		}
	}
}

// A column speaks of a field in the rows of which another column says so, as far as somebody ticks.
func TestConsoleColumnInSomeRows(t *testing.T) {
	s := serve(t)
	s.uchi(0, "Company,External ID\nTern Marina,7\n", "import", "-", "--into", "account", "--yes")
	s.uchi(3, "Text,Of,Ref\nCalled twice,K,7\nWants a quote,K,7\nBroken post,Z,9\n", "import", "-", "--into", "note", "--check-only")
	p := open(s)
	p.do("open the columns", chromedp.Navigate(p.server+"/w/main/imports/2/columns"))
	p.click(`//button[@aria-label="Give a field a value without a column"]`)
	p.click(`//*[@role="option"][contains(., "Account")]`)
	p.click(`//button[.="A column in some rows…"]`)
	p.click(`//button[@aria-label="Column for Account"]`)
	p.click(`//*[@role="option"][.="Ref"]`)
	p.click(`//button[@aria-label="Column that says in which rows"]`)
	p.click(`//*[@role="option"][.="Of"]`)
	p.click(`//label[.="K"]`)
	p.click(`//button[.="Take it in these rows"]`)
	p.goesTo("Ref", "Account")
	p.goesTo("Of", "no field, and tells of Ref")
	p.sees("span", "Ref where Of says K")
	p.sees("span", "Saved")
	s.uchi(3, "", "check", "2")
	out := s.uchi(0, "", "rows", "2")
	for _, want := range []string{"create", `"Z": the word does not say which field the cell beside is for. Write one of: K`} {
		if !strings.Contains(out, want) {
			t.Errorf("%q is not in\n%s", want, out)
		}
	}
	if out = s.uchi(0, "", "mapping", "2"); !strings.Contains(out, "account is taken from Ref in rows whose Of says K") {
		t.Error(out)
	}
}
