package main_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

const visitors = "Ref,First name,Surname,E-mail,Country,Birthday\nV-1,Åse,Øksnes,a@x.example,NO,1986-11-05\n" +
	"V-2,Nils,Berg,bad,NO,1986-11-05\nV-3,Mai,Li,m@x.example,Norwya,1986-11-06\n" +
	"V-4,Otto,Groß,o@x.example,Norwya,31/11/1986\n"

// Held rows are mended where they stand: a cell in the grid, a word for all rows,
// a cell beside its value; each time the check follows at once.
func TestConsoleMend(t *testing.T) {
	s := serve(t)
	s.uchi(3, "", "import", s.file("visitors.csv", visitors), "--into", "contact", "--check-only")
	p := open(s)
	held := func(n string) {
		t.Helper()
		p.do(n+" held", chromedp.WaitVisible(`//button[@aria-pressed][contains(., "hold")]/b[.="`+n+`"]`, chromedp.BySearch))
	}
	p.do("open the check", chromedp.Navigate(p.server+"/w/main/imports/1/check"))
	held("3")
	// In the grid: typing replaces the cell, Enter keeps it, the focus goes on.
	p.click(`//div[@role="gridcell"][contains(., "bad")]`)
	p.do("mend the cell", chromedp.Focus(`div[role=grid]`, chromedp.ByQuery), chromedp.KeyEvent(kb.F2),
		chromedp.WaitVisible(`//input[@aria-label="E-mail, row 3"]`, chromedp.BySearch),
		chromedp.KeyEvent("a", chromedp.KeyModifiers(2)), chromedp.KeyEvent("nils@x.example"+kb.Enter))
	held("2")
	p.sees("div", "Mended. nils@x.example")
	// A word for all rows that say it, a near miss at hand.
	p.click(`//button[@role="tab"][.="Check"]`)
	p.click(`//aside//button[contains(., "Country")][contains(., "no country")]`)
	p.click(`//button[.="Norway?"]`)
	p.do("see it kept", chromedp.WaitVisible(`//span[@role="status"][.="Saved"]`, chromedp.BySearch))
	p.click(`//aside//button[.="Check 4 rows" or .="Check again"]`)
	held("1")
	// Beside the value, with the row as the record that it becomes.
	p.click(`//button[@aria-pressed][contains(., "hold")]`)
	p.click(`//div[@role="gridcell"][contains(., "Groß")]`)
	p.click(`//button[contains(., "Change the cell")][contains(., "Birthday")]`)
	p.do("mend the date", chromedp.WaitVisible(`//aside//input[@aria-label="Birthday, row 5"]`, chromedp.BySearch),
		chromedp.KeyEvent("a", chromedp.KeyModifiers(2)), chromedp.KeyEvent("1970-11-30"+kb.Enter))
	p.do("nothing is held", chromedp.WaitNotPresent(`//button[@aria-pressed][contains(., "hold")]`, chromedp.BySearch))
	p.do("all rows are shown again", chromedp.WaitVisible(`//button[@aria-pressed="true"][contains(., "all")]`, chromedp.BySearch),
		chromedp.WaitVisible(`//div[@role="gridcell"][contains(., "Øksnes")]`, chromedp.BySearch))
	p.click(`//button[@role="tab"][.="Check"]`)
	p.sees("span", "2 cells were mended; the source stays as it was.")
	p.click(`//button[.="Take all back"]`)
	held("2")
}

// Rows that are held as they are for one record are put together where that is said.
func TestConsoleRowsForOneRecord(t *testing.T) {
	s := serve(t)
	s.uchi(3, "", "import", s.file("visitors.csv", "Ref,First name,Surname,Phone\nV-1,Åse,Øksnes,\nV-1,Åse,Øksnes,+4722334455\n"),
		"--into", "contact", "--check-only")
	p := open(s)
	p.do("open the check", chromedp.Navigate(p.server+"/w/main/imports/1/check"))
	p.click(`//aside//button[contains(., "the row is for the same record as an earlier one")]`)
	p.click(`//aside//button[.="Make one of them, top to bottom"]`)
	p.do("see it kept", chromedp.WaitVisible(`//span[@role="status"][.="Saved"]`, chromedp.BySearch))
	p.click(`//aside//button[.="Check 2 rows" or .="Check again"]`)
	p.do("none is held", chromedp.WaitVisible(`//button[@aria-pressed][contains(., "create")]/b[.="1"]`, chromedp.BySearch),
		chromedp.WaitNotPresent(`//button[@aria-pressed][contains(., "hold")]`, chromedp.BySearch))
	s.uchi(0, "", "load", "1", "--yes")
	if out := s.uchi(0, "", "records", "contact", "CON-1"); !strings.Contains(out, "+4722334455") {
		t.Errorf("the rows were not put together:\n%s", out)
	}
}

// A load begins with a row; it is looked at, taken back, and all is loaded; then
// that is taken back after somebody else has changed a record, whose change stays.
func TestConsoleUndo(t *testing.T) {
	s := serve(t)
	s.uchi(3, "", "import", s.file("visitors.csv", "Ref,First name,Surname,E-mail\nV-1,Åse,Øksnes,a@x.example\n"+
		"V-2,Nils,Berg,n@x.example\nV-3,Mai,Li,bad\n"), "--into", "contact", "--check-only")
	p := open(s)
	p.do("open the load", chromedp.Navigate(p.server+"/w/main/imports/1/load"))
	p.click(`//button[contains(., "Load some rows first")]`)
	p.click(`//button[@role="combobox"][@aria-label="Which rows"]`)
	p.click(`//div[@role="option"][contains(., "These rows")]`)
	p.do("name no row", chromedp.Focus(`//label[contains(., "Such as")]//input`, chromedp.BySearch),
		chromedp.KeyEvent("a", chromedp.KeyModifiers(2)), chromedp.KeyEvent(kb.Backspace),
		chromedp.WaitVisible(`//button[@disabled][.="Load these rows first"]`, chromedp.BySearch)) // and not all of them
	p.do("name a row", chromedp.Focus(`//label[contains(., "Such as")]//input`, chromedp.BySearch),
		chromedp.KeyEvent("a", chromedp.KeyModifiers(2)), chromedp.KeyEvent("3"))
	p.click(`//button[.="Load 1 row first"]`)
	p.click(`//div[@role="dialog"]//button[.="Load 1 row"]`)
	p.click(`//button[contains(., "Look at them")]`)
	p.sees("span", "Some rows loaded by Administrator")
	p.click(`//button[contains(., "Take back what was loaded")]`)
	p.click(`//div[@role="dialog"]//button[.="1 contact goes"]`)
	p.click(`//button[.="Check them again"]`)
	p.click(`//button[contains(., "Go on to the load")]`)
	p.click(`//button[.="Create 2"]`)
	p.click(`//div[@role="dialog"]//button[.="Create 2"]`)
	p.do("loaded", chromedp.WaitVisible(`//span[contains(., "loaded")]`, chromedp.BySearch))
	p.click(`//button[.="See the result"]`)
	out := s.uchi(0, "", "records", "contact", "--text", "øksnes", "--json")
	id := out[strings.Index(out, "CON-"):]
	id = id[:strings.IndexByte(id, '"')]

	// Somebody changes the record by hand, in the console.
	p.do("open the record", chromedp.Navigate(p.server+"/w/main/records/contact/"+id))
	p.click(`//button[.="Change values"]`)
	p.do("change it", chromedp.SendKeys(`//label[contains(., "Job title")]//input`, "Skipper", chromedp.BySearch))
	p.click(`//button[.="Change 1 value"]`)
	p.sees("dd", "Skipper")
	p.do("note it", chromedp.SendKeys(`input[aria-label="A note about this record"]`, "Met at the quay"+kb.Enter,
		chromedp.ByQuery))
	p.sees("p", "Met at the quay")

	p.do("open the result", chromedp.Navigate(p.server+"/w/main/imports/1/result"))
	p.click(`//button[contains(., "Take back what was loaded")]`)
	p.sees("li", "1 contact stays: changed by somebody else since")
	p.click(`//div[@role="dialog"]//button[.="1 contact goes"]`)
	p.do("undone", chromedp.WaitVisible(`//button[@aria-pressed][contains(., "undone")]`, chromedp.BySearch))
	out = s.uchi(0, "", "records", "contact")
	if !strings.Contains(out, "Øksnes") || strings.Contains(out, "Berg") {
		t.Errorf("after the undo there are\n%s", out)
	}
}

// The same by command line.
func TestUndoAndMendByCommand(t *testing.T) {
	s := serve(t)
	file := s.file("visitors.csv", visitors)
	s.uchi(3, "", "import", file, "--into", "contact", "--check-only")
	says := func(want string, status int, args ...string) {
		t.Helper()
		out := s.uchi(status, "", args...)
		if !strings.Contains(out, want) {
			t.Errorf("uchi %s says\n%s\nwant %q in it", strings.Join(args, " "), out, want)
		}
	}
	says("1 cell changed", 0, "mend", "cell", "1", "3", "E-mail=nils@x.example")
	says("Norway", 0, "mend", "near", "1", "country", "Norwya")
	says("2 cells changed", 0, "mend", "replace", "1", "Country", "Norwya", "NO", "--yes")
	book := filepath.Join(t.TempDir(), "held.xlsx")
	s.uchi(0, "", "rows", "1", "--verdict", "hold", "--xlsx", book)
	if _, err := os.Stat(book); err != nil {
		t.Error(err)
	}
	says("1 row of the import in the sheet", 0, "mend", "sheet", "1", book)
	says("Source says", 0, "mend", "list", "1")
	says("1 cell changed", 0, "mend", "blank", "1", "Birthday", "--problem", "bad_date", "--yes")
	says("The rest is checked", 0, "load", "1", "--first", "2", "--yes")
	says("2 contacts go", 0, "undo", "1", "--plan")
	says("undone", 0, "undo", "1", "--yes")
	says("create     4", 0, "check", "1")
	says("created", 0, "load", "1", "--yes")
	s.uchi(0, "", "records", "contact", "CON-5", "--set", "job_title=Skipper", "--note", "Met at the quay")
	says("1 contact stays: changed by somebody else since", 0, "undo", "1", "--plan")
	says("undone", 0, "undo", "1", "--yes")
	says("Met at the quay", 0, "records", "contact", "CON-5")
	says("undo", 0, "imports", "runs", "1")
}

// Zeros that a spreadsheet program has left out are put back in all cells at once.
func TestZerosArePutBack(t *testing.T) {
	s := serve(t)
	s.uchi(3, "Ref;Firma;PLZ;Land\nZ-1;Elbe Boote GmbH;1067;DE\nZ-2;Saale Marin AG;6108;DE\n"+
		"Z-3;Kiel Boot GmbH;24103;DE\n", "import", "-", "--into", "account", "--check-only")
	p := open(s)
	p.do("go to the check", chromedp.Navigate(p.server+"/w/main/imports/1/check"))
	p.click(`//button[contains(., "a zero seems to be lost in front")]`)
	p.click(`//button[.="Put the zeros back"]`)
	p.until("nothing is held", `document.body.innerText.includes("2 cells were mended") && document.body.innerText.includes("Nothing is wrong")`)
}

// Cells that say that they hold what stands above take it by one press, and blank ones of a column
// in the dialog, which shows first what would change.
func TestTakingWhatStandsAbove(t *testing.T) {
	s := serve(t)
	s.uchi(3, "Firma;Ort\nElbe Boote GmbH;Kiel\nSaale Marin AG;dito\nWerft Nord;\n", "import", "-", "--into", "account",
		"--check-only")
	p := open(s)
	p.do("go to the check", chromedp.Navigate(p.server+"/w/main/imports/1/check"))
	p.click(`//button[contains(., "this says that the value is that of the row above")]`)
	p.click(`//button[.="Take what stands above"]`)
	p.until("the cell says it", `document.body.innerText.includes("1 cell was mended") && document.body.innerText.includes("Nothing is wrong")`)
	if out := s.uchi(0, "", "mend", "above", "1", "Ort", "--yes"); !strings.Contains(out, "1 cell changed") {
		t.Errorf("blank cells: %s", out)
	}
	if out := s.uchi(0, "", "rows", "1", "--text", "Kiel"); strings.Count(out, "Kiel") != 3 {
		t.Errorf("the rows say %s", out)
	}
	s.uchi(2, "", "mend", "above", "1")
}
