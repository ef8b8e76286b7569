package main_test

import (
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// The grid is walked cell by cell, copied, and its columns are set up and stay
// so; Back takes a filter back; dialogs give the focus back.
func TestConsoleGrid(t *testing.T) {
	s := serve(t)
	s.uchi(3, "", "import", s.file("crew.csv", "First name,Surname,E-mail,Remark\nÅse,Øksnes,a@x.example,\"two\nlines\"\n"+
		"Nils,Berg,bad,one\nMai,Li,m@x.example,three\n"), "--into", "contact", "--check-only")
	p := open(s)
	here := func(want string) {
		t.Helper()
		p.do("the focus in "+want, chromedp.WaitVisible(`//div[@data-here][contains(., "`+want+`")]`, chromedp.BySearch))
	}
	p.do("open the check", chromedp.Navigate(p.server+"/w/main/imports/1/check"))
	p.sees("div", "Øksnes")
	p.do("watch the clipboard", chromedp.Evaluate(`navigator.clipboard.writeText = async (s) => { window.copied = s; }`,
		nil))
	p.do("go to the grid", chromedp.Focus(`div[role=grid]`, chromedp.ByQuery), chromedp.KeyEvent(kb.ArrowRight))
	here("Øksnes")
	p.do("walk", chromedp.KeyEvent(kb.ArrowDown), chromedp.KeyEvent(kb.End))
	here("one")
	p.do("walk back", chromedp.KeyEvent(kb.Home))
	here("Nils")
	p.do("to the end", chromedp.KeyEvent(kb.End, chromedp.KeyModifiers(2)))
	here("Mai")
	copied := func() (text string) {
		t.Helper()
		p.do("copy", chromedp.KeyEvent("c", chromedp.KeyModifiers(2)),
			chromedp.WaitVisible(`//div[@role="status"][contains(., "copied")]`, chromedp.BySearch),
			chromedp.Evaluate(`window.copied`, &text))
		return text
	}
	if got := copied(); got != "Mai" {
		t.Errorf("copied %q, want the cell", got)
	}
	p.do("choose all rows", chromedp.KeyEvent(kb.Home, chromedp.KeyModifiers(2)),
		chromedp.KeyEvent(kb.ArrowDown, chromedp.KeyModifiers(8)), chromedp.KeyEvent(kb.ArrowDown, chromedp.KeyModifiers(8)))
	p.do("copy", chromedp.KeyEvent("c", chromedp.KeyModifiers(2)),
		chromedp.WaitVisible(`//div[@role="status"][contains(., "3 rows are copied")]`, chromedp.BySearch))
	var text string
	want := "First name\tSurname\tE-mail\tRemark\nÅse\tØksnes\ta@x.example\t\"two\nlines\"\nNils\tBerg\tbad\tone\n" +
		"Mai\tLi\tm@x.example\tthree"
	if p.do("read it", chromedp.Evaluate(`window.copied`, &text)); text != want {
		t.Errorf("copied\n%s\nwant\n%s", text, want)
	}

	// A column is hidden from its menu, by the keyboard, and stays so.
	p.do("open a column's menu", chromedp.Focus(`//button[@aria-label="Column Surname"]`, chromedp.BySearch),
		chromedp.KeyEvent(kb.Enter))
	p.click(`//div[@role="menuitem"][.="Hide it"]`)
	p.do("see it hidden", chromedp.WaitNotPresent(`//button[@aria-label="Column Surname"]`, chromedp.BySearch),
		chromedp.Reload(), chromedp.WaitVisible(`//div[@role="gridcell"][contains(., "Nils")]`, chromedp.BySearch))
	p.do("it stays so", chromedp.WaitNotPresent(`//div[@role="columnheader"][contains(., "Surname")]`, chromedp.BySearch))
	p.do("open another's menu", chromedp.Focus(`//button[@aria-label="Column E-mail"]`, chromedp.BySearch),
		chromedp.KeyEvent(kb.Enter))
	p.click(`//div[@role="menuitem"][contains(., "Show all columns")]`)
	p.do("see it again", chromedp.WaitVisible(`//div[@role="columnheader"][contains(., "Surname")]`, chromedp.BySearch))

	// Rows are ordered by a column from its menu, a text is found in one column only,
	// and both stand in the address.
	first := func(name string) {
		t.Helper()
		p.do("the first row", chromedp.WaitVisible(`//div[@role="row"][@aria-rowindex="1"][contains(., "`+name+`")]`,
			chromedp.BySearch))
	}
	p.do("open a column's menu", chromedp.Focus(`//button[@aria-label="Column Surname"]`, chromedp.BySearch),
		chromedp.KeyEvent(kb.Enter))
	p.click(`//div[@role="menuitem"][.="Sort up"]`)
	first("Nils")
	p.do("see it said", chromedp.WaitVisible(`//div[@role="columnheader"][@aria-sort="ascending"][contains(., "Surname")]`, chromedp.BySearch))
	p.do("load it anew", chromedp.Reload())
	first("Nils")
	p.do("open a column's menu", chromedp.Focus(`//button[@aria-label="Column Surname"]`, chromedp.BySearch),
		chromedp.KeyEvent(kb.Enter))
	p.click(`//div[@role="menuitem"][.="Find in it…"]`)
	p.do("look for a text", chromedp.WaitVisible(`//input[@aria-label="Search “Surname”"]`, chromedp.BySearch),
		chromedp.KeyEvent("L"+kb.Enter),
		// Nils and the e-mail addresses are others
		chromedp.WaitVisible(`//div[@role="grid"][@aria-rowcount="1"]`, chromedp.BySearch))
	first("Mai")
	p.click(`//button[@aria-label="Search all columns"]`)
	p.do("see more", chromedp.WaitVisible(`//div[@role="grid"][@aria-rowcount="3"]`, chromedp.BySearch))
	p.do("look at all again", chromedp.Navigate(p.server+"/w/main/imports/1/check"))
	first("Øksnes")

	// A filter is a step that Back takes back.
	p.click(`//button[contains(., "hold")]`)
	p.do("see the held row", chromedp.WaitVisible(`//div[@role="grid"][@aria-rowcount="1"]`, chromedp.BySearch))
	p.do("go back", chromedp.NavigateBack(), chromedp.WaitVisible(`//div[@role="grid"][@aria-rowcount="3"]`,
		chromedp.BySearch))
	if a := p.address(); strings.Contains(a, "verdict") {
		t.Errorf("Back did not take the filter back: %s", a)
	}

	// Letters act only where their view has the focus, and dialogs give it back.
	p.do("ask for help", chromedp.Focus(`div[role=grid]`, chromedp.ByQuery), chromedp.KeyEvent("?"))
	p.sees("h2", "Help")
	p.sees("h1", "Mend") // the page of the guide
	p.do("close it", chromedp.KeyEvent(kb.Escape), chromedp.WaitNotPresent(`[role=dialog]`, chromedp.ByQuery))
	p.until("have the focus back on the grid", `document.activeElement.getAttribute("role") === "grid"`)
	p.do("search", chromedp.KeyEvent("/"), chromedp.KeyEvent("?"))
	var typed string
	if p.do("see the text", chromedp.Value(`[data-search]`, &typed, chromedp.ByQuery)); !strings.HasSuffix(typed, "?") {
		t.Errorf("a sign typed into the search acted as a key; the field says %q", typed)
	}
}

// Who may only look is offered nothing else, and not shown what is kept from them; they
// have chosen their password by a link.
func TestConsoleViewer(t *testing.T) {
	s := serve(t)
	s.uchi(0, "Name,Town,Employees\nKalvøya Marina,Bodø,14\n", "import", "-", "--into", "account", "--yes")
	s.uchi(0, "Name,Town,Employees\nTern Marina,Ternvik,1777\n", "import", "-", "--into", "account", "--check-only")
	s.uchi(0, "", "fields", "change", "account", "employees", "--seen-by", "operator")
	const viewer = "viewer@lanternquay.example"
	_, link, _ := strings.Cut(s.uchi(0, "", "people", "add", viewer, "--name", "Vera Viewer", "--role", "viewer"),
		"/invitation#")
	p := open(s)
	p.click(`//nav[@aria-label="Main"]//button[contains(., "Administrator")]`)
	p.click(`//div[@role="menuitem"][contains(., "Sign out")]`)
	p.do("wait to be out", chromedp.WaitVisible(`input[name=email]`))
	p.do("take up the invitation", chromedp.Navigate(p.server+"/invitation#"+strings.TrimSpace(link)),
		chromedp.WaitVisible(`input[type=password]`),
		chromedp.SendKeys(`input[type=password]`, "a password of her own"+kb.Enter),
		chromedp.WaitVisible(`nav[aria-label=Main]`))
	absent := func(path, ready, xpath string) {
		t.Helper()
		p.do("open "+path, chromedp.Navigate(p.server+path), chromedp.WaitVisible(ready, chromedp.BySearch))
		var n int
		if p.do("look", chromedp.Evaluate(`document.evaluate("count(`+strings.ReplaceAll(xpath, `"`, `'`)+
			`)", document, null, XPathResult.NUMBER_TYPE, null).numberValue`, &n)); n > 0 {
			t.Errorf("%s offers %s to a viewer", path, xpath)
		}
	}
	absent("/w/main", `//h1`, `//input[@type="file"]`)
	absent("/w/main/types/account", `//td[.="registration_number"]`, `//button[.="Add a field" or .="Change"]`)
	absent("/w/main/account", `//h2[contains(., "My tokens")]`, `//h2[.="People" or .="Cleaning up"]`)
	absent("/w/main/imports/2/columns", `//button[@aria-label="Town goes to Town or city"]`,
		`//button[@aria-label="Town goes to Town or city"][not(@disabled)]`)
	absent("/w/main/imports/2/load", `//aside`, `//aside//button[contains(., "Create")][not(@disabled)]`)
	p.sees("p", "this takes the role operator")
	absent("/w/main/imports/2/columns", `//div[@role="gridcell"][contains(., "•••")]`, `//*[contains(., "1777")]`)
	absent("/w/main/records/account/ACC-1", `//dd[contains(., "kept from your role")]`, `//dd[contains(., "14")]`)
}
