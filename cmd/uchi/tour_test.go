package main_test

import (
	"bytes"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
)

// lockedBuffer is what a process says, read while it goes on.
type lockedBuffer struct {
	mu sync.Mutex
	b  bytes.Buffer
}

// Write implements io.Writer.
func (l *lockedBuffer) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.b.Write(p)
}

func (l *lockedBuffer) String() string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.b.String()
}

// portsInARow finds the first of so many free ports in a row: behind the demo's own are those of the stand-ins.
// They lie below the ones that are given to whoever asks for any.
func portsInARow(t *testing.T, n int) int {
	t.Helper()
	for first := 18_840; first < 32_000; first += n {
		free := 0
		for ; free < n; free++ {
			l, err := net.Listen("tcp", "127.0.0.1:"+strconv.Itoa(first+free))
			if err != nil {
				break
			}
			l.Close()
		}
		if free == n {
			return first
		}
	}
	t.Fatal("no ports are free")
	return 0
}

// demo starts the demo as make demo does, and waits until it says how to end it.
func demo(t *testing.T) *service {
	t.Helper()
	t.Parallel()
	s := &service{T: t, address: "127.0.0.1:" + strconv.Itoa(portsInARow(t, 6)), home: t.TempDir()}
	data, err := os.MkdirTemp("", "uchi-demo") // of which the database's own user may see what is in it
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(data) })
	said := &lockedBuffer{}
	s.process = exec.Command(binary, "demo", "--data", filepath.Join(data, "demo"), "--files", "../../demo", "--listen", s.address)
	s.process.Env = append(os.Environ(), "XDG_CONFIG_HOME="+s.home)
	s.process.Stdout, s.process.Stderr = said, said
	if err := os.Chmod(data, 0o755); err != nil {
		t.Fatal(err)
	}
	if err := s.process.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.stop(os.Interrupt) })
	for began := time.Now(); !strings.Contains(said.String(), "Ctrl-C"); time.Sleep(100 * time.Millisecond) {
		if time.Since(began) > 3*time.Minute {
			t.Fatalf("the demo does not get ready:\n%s", said)
		}
	}
	return s
}

// The first ten minutes of the README, step by step: what it says is there.
func TestTheFirstTenMinutes(t *testing.T) {
	s := demo(t)
	p := open(s)
	rows := func(verdict, n string) {
		t.Helper()
		p.do(n+" "+verdict, chromedp.WaitVisible(`//button[@aria-pressed][contains(., "`+verdict+`")]/b[.="`+n+`"]`, chromedp.BySearch))
	}
	station := func(name string) {
		t.Helper()
		p.click(`//nav[@aria-label="Stations"]//button[contains(., "` + name + `")]`)
	}
	choose := func(name string) { // at the start page
		t.Helper()
		p.do("the start page", chromedp.Navigate(p.server+"/w/main"))
		p.click(`//a[contains(., "` + name + `")]`)
	}

	// 2. What waits.
	for _, name := range []string{"boat-show-leads.csv", "fair-visitors.csv", "quay-enquiries.csv", "deal-lines.csv",
		"brightmooring-accounts.csv"} {
		p.sees("a", name)
	}
	// 3. Held rows: one problem is chosen, and a row looked at as the record that it becomes.
	choose("boat-show-leads.csv")
	station("Check")
	rows("create", "8")
	rows("hold", "6")
	p.click(`//aside//button[contains(., "this is not one of the field") and contains(., "choices")]`)
	p.click(`//div[@role="row"][contains(., "very interested")]`)
	p.sees("dd", "very interested")
	// 4. What the word means.
	station("Columns")
	p.click(`//aside//button[.="Interest…"]`)
	p.click(`//div[@role="dialog"]//button[@aria-label="Meaning of very interested"]`)
	p.click(`//div[@role="option"][.="High"]`)
	p.click(`//div[@role="dialog"]//button[.="Keep the list"]`)
	station("Check")
	p.click(`//aside//button[.="Check 14 rows"]`)
	rows("hold", "5")
	// 5. The load.
	station("Load")
	p.sees("button", "rehearse it in another workspace first")
	p.click(`//aside//button[.="Create 9"]`)
	p.click(`//div[@role="dialog"]//button[.="Create 9"]`)
	p.sees("p", "The load is done")
	// 6. The result, a lead with its history, and what taking back would do.
	station("Result")
	p.sees("button", "Take back what was loaded…")
	result := p.address()
	p.click(`//a[contains(., "See the new leads")]`)
	p.click(`//table//a|//div[@role="row"]//a`)
	p.sees("li", "import "+strings.Split(strings.TrimPrefix(result, "/w/main/imports/"), "/")[0])
	p.do("back to the result", chromedp.Navigate(p.server+result))
	p.click(`//button[.="Take back what was loaded…"]`)
	p.sees("div", "Take back what was loaded?")
	// 7. Questions, one by one.
	choose("fair-visitors.csv")
	station("Check")
	p.click(`//button[.="Answer them one by one"]`)
	p.sees("main", "Bram")
	p.do("take him", chromedp.KeyEvent("t"))
	p.click(`//button[@role="tab"][.="Check"]`)
	p.click(`//button[.="Check again"]`)
	p.sees("nav", "2 asked") // of three
	station("Matching")
	p.sees("p", "Tried on all")
	// 8. Several records a row.
	choose("quay-enquiries.csv")
	station("Load")
	p.sees("button", "Create 14")
	station("Columns")
	p.sees("section", "Each row becomes")

	// 9. to 13. The same by command line.
	said := func(want int, stdin string, args ...string) func(parts ...string) {
		t.Helper()
		out := s.uchi(want, stdin, args...)
		return func(parts ...string) {
			t.Helper()
			for _, part := range parts {
				if !strings.Contains(out, part) {
					t.Errorf("uchi %s does not say %q:\n%s", strings.Join(args, " "), part, out)
				}
			}
		}
	}
	said(3, "y\n", "import", "../../demo/brightmooring-contacts.csv", "--into", "contact")("● created     5", "◐ updated     3", "■ held        6")
	said(0, "", "records", "contact", "--text", "havnes-")("Άννα Havnes-Αλμυράκης")
	said(0, "", "rows", "12", "--outcome", "held", "--csv")("ewan@gannetsound.example", "What is wrong")
	said(0, "", "questions", "6")("CON-149")
	said(0, "", "read", "../../demo/brightmooring-contacts.xlsx")("hidden")
	said(0, "", "read", "../../demo/quay-report.csv")("left out")
	sheet := filepath.Join(t.TempDir(), "accounts.xlsx")
	said(0, "", "export", "account", "--view", "Norwegian customers", "-o", sheet)("Written to")
	said(4, "n\n", "import", sheet, "--into", "account")("same")
	said(3, "y\n", "import", "../../demo/brightmooring.zip")("Bundle 1 is loaded")
	said(0, "", "records", "attachment")("ATT-")
	said(0, "", "bundles", "undo", "1", "--yes")("undone")
	said(0, "", "approval", "--type", "account")("loads into account")
	said(0, "", "ask", "11", "--note", "The three rows are with Berit")("Administrator has asked for it")
}
