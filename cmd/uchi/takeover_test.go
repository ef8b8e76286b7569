package main_test

import (
	"fmt"
	"net"
	"net/http"
	"os"
	"strings"
	"syscall"
	"testing"
	"time"

	"uchi/internal/client"
)

// beside starts a second process on the same database.
func (s *service) beside() *service {
	s.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		s.Fatal(err)
	}
	other := &service{T: s.T, database: s.database, address: l.Addr().String(), home: s.home}
	l.Close()
	other.start()
	s.Cleanup(func() { other.stop(os.Interrupt) })
	return other
}

// soon is within how long another process takes over on a machine that does nothing else; the
// test, which runs beside others, allows three times that.
const soon = 30 * time.Second

// Two processes share one database. The one that loads is killed: the other
// takes the load over, and every row has one outcome.
func TestTakeOver(t *testing.T) {
	s := serve(t)
	other := s.beside()
	const rows = 120_000
	var text strings.Builder
	text.WriteString("Surname,E-mail,Remark\n")
	for n := range rows {
		fmt.Fprintf(&text, "Berg,p%d@x.example,%s\n", n, strings.Repeat("x", 60))
	}
	s.uchi(0, "", "import", s.file("people.csv", text.String()), "--into", "contact", "--map", "description=Remark",
		"--match", "email", "--check-only")
	if r, err := s.conn().LoadWithResponse(t.Context(), "main", 1, client.LoadRequest{}); err != nil ||
		r.StatusCode() != http.StatusAccepted {
		t.Fatalf("load: %v", err)
	}
	port := func(x *service) string { return x.address[strings.LastIndex(x.address, ":")+1:] }
	var victim, survivor *service
	for victim == nil {
		switch {
		case s.count(`select count(*) from uchi.runs where work = 'load' and ended_at is null and done_rows > 0
			and process like '%`+port(s)+`'`) > 0:
			victim, survivor = s, other
		case s.count(`select count(*) from uchi.runs where work = 'load' and ended_at is null and done_rows > 0
			and process like '%`+port(other)+`'`) > 0:
			victim, survivor = other, s
		case s.count(`select count(*) from uchi.imports where state = 'loaded'`) > 0:
			t.Fatal("the load had ended before anything could be killed")
		}
	}
	before := s.count(`select done_rows from uchi.runs where work = 'load'`)
	victim.stop(syscall.SIGKILL)
	killed := time.Now()
	for s.count(`select done_rows from uchi.runs where work = 'load' order by id desc limit 1`) <= before &&
		s.count(`select count(*) from uchi.imports where state = 'loaded'`) == 0 {
		if time.Since(killed) > 3*soon {
			t.Fatalf("nobody has taken the load over in %s", time.Since(killed))
		}
		time.Sleep(100 * time.Millisecond)
	}
	t.Logf("taken over after %s", time.Since(killed).Round(time.Second))
	c := survivor.conn()
	i, err := c.Wait(t.Context(), 1, nil)
	if err != nil {
		t.Fatal(err)
	}
	if i.State != client.Loaded || i.Outcomes["created"] != rows {
		t.Errorf("the import is %s: %v %+v", i.State, i.Outcomes, i.Trouble)
	}
	if n := s.count(`select count(*) from w_main.r_contact`); n != rows {
		t.Errorf("%d records, want %d", n, rows)
	}
	if n := s.count(`select count(*) from staging.i1_results where last`); n != rows {
		t.Errorf("%d outcomes, want %d", n, rows)
	}
	if n := s.count(`select count(*) from uchi.imports where run is not null`); n != 0 {
		t.Error("the import is busy for ever")
	}
}
