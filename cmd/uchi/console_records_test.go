package main_test

import (
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// A filter is put together by choosing, sorted by from a column's menu, and saved as a
// view that has an address; rows that are copied from it and pasted come back as the
// records that they are.
func TestConsoleViews(t *testing.T) {
	s := serve(t)
	s.uchi(0, "", "import", s.file("accounts.csv", "Company,Country,Employees\nTern Marina,NO,12\nGull Marina,SE,7\n"+
		"Skarv Boatyard,NO,30\nLomvi Marina,NO,5\n"), "--into", "account", "--yes")
	p := open(s)
	p.do("open the records", chromedp.Navigate(p.server+"/w/main/records/account"))
	p.sees("div", "Skarv Boatyard")
	p.click(`//button[contains(., "Filter")]`)
	p.click(`//button[contains(., "Add a condition")]`)
	choose := func(label, option string) {
		t.Helper()
		p.click(`//button[@role="combobox"][@aria-label="` + label + `"]`)
		p.click(`//div[@role="option"][.="` + option + `"]`)
	}
	choose("Field of condition 1", "Country")
	choose("How condition 1 compares", "is")
	p.do("type the value", chromedp.SendKeys(`//input[@aria-label="Value of condition 1"]`, "NO"+kb.Enter,
		chromedp.BySearch))
	p.sees("code", "country ==")
	p.do("three are left", chromedp.WaitVisible(`//div[@role="grid"][@aria-rowcount="3"]`, chromedp.BySearch))

	// What is wrong with a filter that is written by hand is told; it is not applied.
	p.click(`//button[.="As text"]`)
	p.do("write it by hand", chromedp.WaitVisible("textarea", chromedp.ByQuery),
		chromedp.Evaluate(`document.querySelector("textarea").select()`, nil),
		chromedp.SendKeys(`//textarea`, `employees > "6"`+kb.Enter, chromedp.BySearch))
	p.sees("div", "without quotes")
	p.do("put it right", chromedp.WaitVisible("textarea", chromedp.ByQuery),
		chromedp.Evaluate(`document.querySelector("textarea").select()`, nil),
		chromedp.SendKeys(`//textarea`, `country == "NO" && employees > 6`+kb.Enter, chromedp.BySearch))
	p.do("two are left", chromedp.WaitVisible(`//div[@role="grid"][@aria-rowcount="2"]`, chromedp.BySearch))

	p.do("open a column's menu", chromedp.Focus(`//button[@aria-label="Column Account"]`, chromedp.BySearch),
		chromedp.KeyEvent(kb.Enter))
	p.click(`//div[@role="menuitem"][.="Sort down"]`)
	p.do("see it sorted", chromedp.WaitVisible(`//div[@role="columnheader"][@aria-sort="descending"]`, chromedp.BySearch),
		chromedp.WaitVisible(`//div[@role="row"][@aria-rowindex="1"][contains(., "Tern")]`, chromedp.BySearch))

	p.click(`//button[@data-view]`)
	p.click(`//div[@role="menuitem"][contains(., "Save as a view")]`)
	p.do("name it", chromedp.SendKeys(`//div[@role="dialog"]//input`, "Larger Norwegians"+kb.Enter, chromedp.BySearch))
	p.do("see its name", chromedp.WaitVisible(`//button[@data-view][contains(., "Larger Norwegians")][not(contains(., "changed"))]`, chromedp.BySearch))
	if at := p.address(); at != "/w/main/records/account?view=1" {
		t.Errorf("the view is at %s", at)
	}
	if out := s.uchi(0, "", "records", "account", "--view", "larger norwegians"); !strings.Contains(out,
		"2 accounts") || strings.Index(out, "Tern") > strings.Index(out, "Skarv") {
		t.Errorf("by command:\n%s", out)
	}
	p.do("another person's address", chromedp.Navigate(p.server+"/w/main/records/account?view=7"))
	p.sees("div", "This view is not there")

	// Copied rows come back as the records that they are.
	p.do("back to the view", chromedp.Navigate(p.server+"/w/main/records/account?view=1"),
		chromedp.WaitVisible(`//div[@role="grid"][@aria-rowcount="2"]`, chromedp.BySearch))
	p.do("copy", chromedp.Evaluate(`navigator.clipboard.writeText = async (s) => { window.copied = s; }`, nil),
		chromedp.Focus(`div[role=grid]`, chromedp.ByQuery),
		chromedp.KeyEvent(kb.ArrowDown, chromedp.KeyModifiers(8)), chromedp.KeyEvent("c", chromedp.KeyModifiers(2)),
		chromedp.WaitVisible(`//div[@role="status"][contains(., "2 rows are copied")]`, chromedp.BySearch))
	var text string
	p.do("read it", chromedp.Evaluate(`window.copied`, &text))
	if !strings.HasPrefix(text, "Account id\tName\t") {
		t.Fatalf("copied %q", text)
	}
	out := s.uchi(0, "", "import", s.file("pasted.tsv", strings.Replace(text, "\t30\t", "\t31\t", 1)), "--into",
		"account", "--yes", "--json")
	if !strings.Contains(out, `"updated": 1`) || !strings.Contains(out, `"unchanged": 1`) {
		t.Errorf("pasted:\n%s\n%s", text, out)
	}
}
