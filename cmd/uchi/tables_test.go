package main_test

import (
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
)

// A table below another is imported too, by command and in the console; of tables side by side
// one is read.
func TestBelowInConsoleAndCommandLine(t *testing.T) {
	s := serve(t)
	sheet := s.file("both.csv", "Company,Town,Country\nTern Marina,Ternvik,NO\n\nPeople\nFirst name,Surname,Company\n"+
		"Marit,Moe,Tern Marina\n\nFirst name,Surname,Town\nAnke,Petersen,Kiel\n")
	if out := s.uchi(0, "", "import", sheet, "--yes"); !strings.Contains(out, "“People” row 5") ||
		!strings.Contains(out, "uchi import --below 1") {
		t.Errorf("the table below is not told:\n%s", out)
	}
	if out := s.uchi(0, "", "import", "--below", "1", "--yes"); !strings.Contains(out, "● created     1") ||
		!strings.Contains(out, "uchi import --below 2") {
		t.Errorf("the table below:\n%s", out)
	}
	if out := s.uchi(2, "", "import", "--below", "1", sheet); !strings.Contains(out, "not both") {
		t.Errorf("a file and none:\n%s", out)
	}
	beside := s.file("beside.csv", "Company,Town,,First name,Surname\nGull Marina,Gullvik,,Jens,Holm\n"+
		"Kite Marina,Kitevik,,,\n")
	if out := s.uchi(0, "", "import", beside, "--columns", "D:", "--check-only"); !strings.Contains(out,
		"1 row, 2 columns into contacts") {
		t.Errorf("the columns of one table:\n%s", out)
	}

	p := open(s)
	p.do("open the import of people", chromedp.Navigate(p.server+"/w/main/imports/2/source"))
	p.click(`//div[@role="status"][contains(., "Another table begins in row 8")]//button[.="Import it too"]`)
	p.do("see the third table", chromedp.WaitVisible(`//div[@role="gridcell"][contains(., "Petersen")]`,
		chromedp.BySearch))
	p.do("go back", chromedp.Navigate(p.server+"/w/main/imports/2/source"))
	p.sees("a", "import 4")
}
