package main_test

import (
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
)

// A file that a program sends breaks a bound and waits; it is mended, a second person
// says yes, and it is loaded; the log and the notices tell of it.
func TestFeedThatWaits(t *testing.T) {
	s := serve(t)
	s.uchi(0, "Customer no,Company,Status\nM-1,Ulvsund Havn,customer\nM-2,Kyst Gjestehavn,prospect\n", "import",
		"-", "--into", "account", "--map", "source_ref=Customer no", "--yes")
	s.uchi(0, "", "routine", "save", "marinas", "--import", "1")
	s.uchi(0, "", "feeds", "set", "marinas", "--routine", "marinas", "--sent", "--files", "*.csv", "--bound", "held=0")
	s.uchi(0, "", "feeds", "send", "marinas", s.file("a.csv", "Customer no,Company,Status\nM-1,Ulvsund Havn,partner\n"+
		"M-2,Kyst Gjestehavn,prospect\n"))
	s.feed("a.csv", "loaded")
	s.uchi(0, "", "feeds", "send", "marinas", s.file("b.csv", "Customer no,Company,Status\nM-1,Ulvsund Havn,customer\n"+
		"M-2,Kyst Gjestehavn,hibernating\n"))
	s.feed("b.csv", "waiting")
	if out := s.uchi(1, "", "feeds", "send", "marinas",
		s.file("c.csv", "Customer no,Company,Status\nM-3,X,partner\n")); !strings.Contains(out, "feed_busy") {
		t.Errorf("what is sent while one waits:\n%s", out)
	}
	if out := s.uchi(0, "", "notices"); !strings.Contains(out, "b.csv waits for a person") ||
		!strings.Contains(out, "1 of 2 rows are held or ask a person, at most 0 may") {
		t.Errorf("the notices:\n%s", out)
	}
	s.uchi(0, "", "approval", "--type", "account")
	p := open(s)
	p.do("open the feed", chromedp.Navigate(p.server+"/w/main/feeds/marinas"))
	p.sees("h2", "b.csv waits for a person")
	p.sees("li", "words that the routine does not know: Status: hibernating")
	p.click(`//a[.="See what it would do"]`)
	p.do("see the check", chromedp.WaitVisible(`//div[@role="grid"]//span[contains(., "hibernating")] | //div[@role="gridcell"][contains(., "hibernating")]`, chromedp.BySearch))
	p.do("go to the load", chromedp.Navigate(p.server+"/w/main/imports/3/load"))
	p.do("ask", chromedp.SendKeys(`[aria-label="What whoever decides should know"]`, "One row waits"))
	p.click(`//button[.="Ask for a yes"]`)
	p.sees("p", "You have asked for it")
	s.uchi(0, "shore power for all\n", "people", "add", "second@lanternquay.example", "--password", "--name", "Second",
		"--role", "operator")
	if out := s.uchi(6, "", "approve", "3"); !strings.Contains(out, "own_asking") {
		t.Errorf("who asked approves:\n%s", out)
	}
	mine := s.home
	s.home = t.TempDir()
	s.uchi(0, "shore power for all\n", "login", "second@lanternquay.example")
	if out := s.uchi(0, "", "approve", "3"); !strings.Contains(out, "Second has said yes") {
		t.Errorf("approved:\n%s", out)
	}
	s.home = mine
	p.do("see the yes", chromedp.Reload(),
		chromedp.WaitVisible(`//p[contains(., "Second")][contains(., "has said yes")]`, chromedp.BySearch))
	s.uchi(3, "", "load", "3", "--yes")
	s.feed("b.csv", "loaded")
	if out := s.uchi(0, "", "log", "--text", "approv"); strings.Count(out, "approval") < 2 ||
		!strings.Contains(out, "Second") {
		t.Errorf("the log:\n%s", out)
	}
	if out := s.uchi(0, "", "log", "prove"); !strings.Contains(out, "The log is whole") {
		t.Errorf("the proof:\n%s", out)
	}
}

// feed waits until a file of the feed stands where it should.
func (s *service) feed(file, state string) {
	s.Helper()
	var out string
	for range 300 {
		out = s.uchi(0, "", "feeds", "marinas")
		for line := range strings.Lines(out) {
			if f := strings.Fields(line); len(f) > 3 && f[0] == file && strings.Contains(line, state) {
				return
			}
		}
		time.Sleep(50 * time.Millisecond)
	}
	s.Fatalf("%s is not %s:\n%s", file, state, out)
}
