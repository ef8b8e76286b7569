package main_test

import (
	"context"
	"flag"
	"fmt"
	"maps"
	"math/rand/v2"
	"net"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"uchi/internal/client"
	"uchi/internal/pg"

	"github.com/jackc/pgx/v5"
)

// A short torture is one of the tests; make torture asks for more.
var (
	kills   = flag.Int("kills", 4, "how often the service is killed under torture")
	crashes = flag.Int("crashes", 1, "how often the database is stopped at once under torture")
	many    = flag.Int64("rows", 6000, "how many rows an import has under torture; a load carries 20,000 out at once")
	seed    = flag.Uint64("seed", 26, "of what happens under torture, and when")
)

// rack is a service and a database server that are both killed at any moment.
type rack struct {
	*service
	dir    string
	port   int
	server *pg.Server
	r      *rand.Rand
	killed map[string]int // by the work that went on
	downs  map[string]int
}

// up starts the database server anew, on the port that it had.
func (k *rack) up() {
	k.Helper()
	server, err := pg.Start(context.Background(), pg.Options{Dir: k.dir, Port: k.port})
	if err != nil {
		said, _ := os.ReadFile(filepath.Join(k.dir, "postgresql.log"))
		k.Fatalf("%v\n%s", err, said)
	}
	k.server = server
}

// crash ends the database as a power cut would: nothing is written out, and
// unlogged tables are empty when it comes back.
func (k *rack) crash() {
	k.Helper()
	b, err := os.ReadFile(filepath.Join(k.dir, "postgresql", "postmaster.pid"))
	if err != nil {
		k.Fatal(err)
	}
	first, _, _ := strings.Cut(string(b), "\n")
	pid, err := strconv.Atoi(first)
	if err != nil {
		k.Fatal(err)
	}
	if err := syscall.Kill(pid, syscall.SIGQUIT); err != nil {
		k.Fatal(err)
	}
	k.server.Stop()
	k.up()
}

// strike kills the service, or the database when it is its turn.
func (k *rack) strike(during string, c int) {
	k.Helper()
	if c < *crashes && k.r.IntN(*kills+*crashes) < *crashes || sum(k.killed) >= *kills {
		k.crash()
		k.downs[during]++
		return
	}
	k.stop(syscall.SIGKILL)
	k.start()
	k.killed[during]++
}

// list gives what a query finds, a text each.
func (k *rack) list(query string) string {
	k.Helper()
	conn, err := pgx.Connect(context.Background(), k.database)
	if err != nil {
		return err.Error()
	}
	defer conn.Close(context.Background())
	rows, err := conn.Query(context.Background(), query)
	if err != nil {
		return err.Error()
	}
	list, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		return err.Error()
	}
	return strings.Join(list, "\n")
}

func sum(counts map[string]int) (n int) {
	for _, c := range counts {
		n += c
	}
	return n
}

// now reads the newest import; a service that just lost its database may need a moment.
func (k *rack) now() (i client.Import, there bool) {
	k.Helper()
	var err error
	for range 400 {
		id := k.count(`select coalesce(max(id), 0) from uchi.imports`)
		if id == 0 {
			return i, false
		}
		if i, err = k.conn().Import(context.Background(), id); err == nil {
			return i, true
		}
		time.Sleep(25 * time.Millisecond)
	}
	k.Fatal(err)
	panic("unreachable")
}

// Whatever is killed, and whenever: an import ends, every row has one outcome,
// nothing is doubled, nothing stays busy, and what the file says is what is there.
func TestTorture(t *testing.T) {
	t.Parallel() // on a server of its own
	const bad = 97
	rows := *many
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	dir, err := os.MkdirTemp("/var/tmp", "uchi-torture")
	if err != nil {
		t.Fatal(err)
	}
	if err := os.Chmod(dir, 0o711); err != nil {
		t.Fatal(err)
	}
	k := &rack{dir: dir, r: rand.New(rand.NewPCG(*seed, 1)), killed: map[string]int{}, downs: map[string]int{}}
	port, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	k.port = port.Addr().(*net.TCPAddr).Port
	k.service = &service{T: t, address: l.Addr().String(), home: t.TempDir()}
	l.Close()
	port.Close()
	k.up()
	k.database = k.server.URL
	t.Cleanup(func() { k.stop(os.Interrupt); k.server.Stop(); os.RemoveAll(dir) })
	k.start()
	k.uchi(0, password, "login", admin)

	within := map[string]time.Duration{"upload": 30 * time.Millisecond, "read": 60 * time.Millisecond,
		"check": 600 * time.Millisecond, "load": 400 * time.Millisecond,
		"edit": 300 * time.Millisecond, "undo": 900 * time.Millisecond}
	aim := func() string {
		return []string{"upload", "read", "check", "check", "load", "load", "edit", "undo", "undo"}[k.r.IntN(9)]
	}
	target := aim()
	there, history := map[string]bool{}, int64(0)
	// What the records say, whatever their versions.
	const records = `select coalesce(bit_xor(hashtextextended(id || ' ' || k_source_ref || ' ' || f_family_name || ' ' || coalesce(f_email, ''), 0)), 0) from w_main.r_contact`
	const versions = `select coalesce(sum(version - 1), 0)::bigint from w_main.r_contact`
	revised := int64(0)
	for round := 0; sum(k.killed) < *kills || sum(k.downs) < *crashes; round++ {
		var text strings.Builder
		text.WriteString("Ref,Family name,E-mail\n")
		sound, mends := int64(0), round%3 == 1
		was, thereBefore := k.count(records), maps.Clone(there)
		for n := range rows {
			ref, mail := fmt.Sprintf("K-%d", n+int64(round)*rows/3), fmt.Sprintf("p%d@x.example", n+int64(round)*rows/3)
			if n%bad == 3 {
				mail = "no mail"
			}
			if mail != "no mail" || mends {
				sound++
				there[ref] = true
			}
			fmt.Fprintf(&text, "%s,Berg %d,%s\n", ref, round, mail)
		}
		before, _ := k.now()
		hit := func(during string) {
			if during != target || sum(k.killed)+sum(k.downs) >= *kills+*crashes {
				return
			}
			time.Sleep(time.Duration(k.r.Int64N(int64(within[during]) * max(1, rows/6000))))
			if i, ok := k.now(); during == "upload" || during == "edit" || ok && string(i.Busy) == during {
				k.strike(during, sum(k.downs))
				target = aim()
			}
		}
		said := "" // by the service to the act before
		for began := time.Now(); ; {
			if time.Since(began) > 3*time.Minute {
				i, _ := k.now()
				t.Fatalf("round %d does not end: import %d, state %s, busy %q, %d of %d rows done; answered last: %s\n%s\n%s",
					round, i.Id, i.State, i.Busy, i.Done, i.Rows, said,
					k.list(`select format('run %s %s of %s, attempt %s %s at %s', r.id, r.work, r.process, j.attempt, j.state,
						j.scheduled_at) from uchi.runs r
						left join uchi.river_job j on (j.args->>'run')::bigint = r.id where r.ended_at is null`),
					k.list(`select format('%s %s %s %s %s', pid, state, wait_event, now() - query_start, left(query, 150))
						from pg_stat_activity where datname = current_database()`))
			}
			i, ok := k.now()
			if !ok || i.Id == before.Id {
				ended := make(chan struct{})
				go func() {
					defer close(ended)
					//nolint:errcheck // it may be cut off
					k.conn().UploadWithBodyWithResponse(context.Background(), "main",
						&client.UploadParams{Name: fmt.Sprintf("round-%d.csv", round), Into: "contact"}, "text/csv",
						strings.NewReader(text.String()))
				}()
				hit("upload")
				<-ended
				continue
			}
			if i.Busy != "" {
				hit(string(i.Busy))
				time.Sleep(5 * time.Millisecond)
				continue
			}
			if i.State == client.Loaded {
				break
			}
			edited := func() int64 { return k.count(fmt.Sprintf(`select count(*) from uchi.edits where import = %d`, i.Id)) }
			if i.State == client.Ready && mends && edited() == 0 {
				ended := make(chan struct{})
				go func() {
					defer close(ended)
					r, err := k.conn().ReplaceWithResponse(context.Background(), "main", i.Id,
						client.Replacement{Column: "E-mail", How: "whole", Find: "no mail", Replace: ""})
					said = answer(r, err)
				}()
				hit("edit")
				<-ended
				if n := edited(); n != 0 && n != (rows-3+bad-1)/bad {
					t.Fatalf("round %d: %d cells were mended, want all or none", round, n)
				}
				continue
			}
			can := func(act client.ActAct) bool {
				return slices.ContainsFunc(i.Acts, func(a client.Act) bool { return a.Act == act && a.Possible })
			}
			switch ctx := context.Background(); {
			case can(client.ActActResume):
				r, err := k.conn().ResumeWithResponse(ctx, "main", i.Id)
				said = answer(r, err)
			case can(client.ActActLoad):
				r, err := k.conn().LoadWithResponse(ctx, "main", i.Id, client.LoadRequest{})
				said = answer(r, err)
			case can(client.ActActCheck):
				r, err := k.conn().CheckWithResponse(ctx, "main", i.Id)
				said = answer(r, err)
			default:
				t.Fatalf("round %d: nothing leads on from %s: %+v, %+v", round, i.State, i.Trouble, i.Acts)
			}
		}
		i, _ := k.now()
		history += i.Outcomes["updated"]
		revised += i.Outcomes["updated"]
		for what, x := range map[string]struct {
			query string
			want  int64
		}{
			"outcomes":      {fmt.Sprintf(`select count(*) from staging.i%d_results where last`, i.Id), rows},
			"rows with one": {fmt.Sprintf(`select count(distinct row_no) from staging.i%d_results where last`, i.Id), rows},
			"held": {fmt.Sprintf(`select count(*) from staging.i%d_results where last and outcome = 'held'`,
				i.Id), rows - sound},
			"records":        {`select count(*) from w_main.r_contact`, int64(len(there))},
			"different keys": {`select count(distinct k_source_ref) from w_main.r_contact`, int64(len(there))},
			"of this round": {fmt.Sprintf(`select count(*) from w_main.r_contact where f_family_name = 'Berg %d'`, round),
				sound},
			"history":         {`select count(*) from w_main.h_contact`, history},
			"versions":        {versions, revised},
			"busy runs":       {`select count(*) from uchi.runs where ended_at is null`, 0},
			"imports at work": {`select count(*) from uchi.imports where run is not null`, 0},
			"done by the runs": {fmt.Sprintf(`select sum(value::bigint)::bigint from uchi.runs, jsonb_each_text(outcomes)
				where import = %d and work = 'load' and ended <> 'taken'`, i.Id), rows},
			"runs of which the counters differ": {fmt.Sprintf(`select count(*) from uchi.runs r where import = %d and work = 'load'
				and ended <> 'taken' and done_rows <> (select coalesce(sum(value::bigint), 0) from jsonb_each_text(outcomes))`, i.Id), 0},
			"told by the face": {fmt.Sprintf(`select %d`, i.Outcomes["created"]+i.Outcomes["updated"]+i.Outcomes["unchanged"]+
				i.Outcomes["held"]), rows},
		} {
			got := k.count(x.query)
			for range 40 { // what was beside a database that has crashed ends when it answers
				if got == x.want || what != "busy runs" {
					break
				}
				time.Sleep(100 * time.Millisecond)
				got = k.count(x.query)
			}
			if got != x.want {
				t.Errorf("round %d, %s: %d, want %d", round, what, got, x.want)
			}
		}
		if round%2 == 0 && !t.Failed() { // taken back, it is as if the load had never been
			if r, err := k.conn().UndoWithResponse(context.Background(), "main", i.Id, client.UndoRequest{}); err != nil ||
				r.StatusCode() >= 300 {
				t.Fatalf("round %d: the undo does not begin: %v", round, err)
			}
			for began := time.Now(); ; time.Sleep(5 * time.Millisecond) {
				if i, _ = k.now(); i.Busy == "" {
					break
				}
				hit("undo")
				if time.Since(began) > 3*time.Minute {
					t.Fatalf("round %d: the undo does not end: %+v", round, i)
				}
			}
			for what, x := range map[string][2]int64{
				"the records": {k.count(records), was},
				"undone rows": {i.Outcomes["undone"], sound},
				"rows with one": {k.count(fmt.Sprintf(`select count(distinct row_no) from staging.i%d_results where last
					and of_row is not null`, i.Id)), rows},
				"outcomes":        {k.count(fmt.Sprintf(`select count(*) from staging.i%d_results where last`, i.Id)), rows},
				"imports at work": {k.count(`select count(*) from uchi.imports where run is not null`), 0},
			} {
				if x[0] != x[1] {
					t.Errorf("round %d, taken back, %s: %d, want %d; the import is %s", round, what, x[0], x[1], i.State)
				}
			}
			there = thereBefore
			history, revised = k.count(`select count(*) from w_main.h_contact`), k.count(versions)
		}
		if t.Failed() {
			t.Fatalf("seed %d: killed during %v, database stopped during %v; the import: %+v", *seed, k.killed, k.downs, i)
		}
	}
	t.Logf("killed during %v, database stopped during %v", k.killed, k.downs)
}

// answer is what the service has answered to an act, or why it has not.
func answer(r interface{ Status() string }, err error) string {
	if err != nil {
		return err.Error()
	}
	return r.Status()
}
