// Command run measures the service side by side with the same job written by
// hand in psql, on one private server, and prints seconds, ratio and memory.
package main

import (
	"context"
	"encoding/csv"
	"errors"
	"flag"
	"fmt"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"uchi/bench/made"
	"uchi/internal/pg"

	"github.com/jackc/pgx/v5"
)

func main() {
	sizes := flag.String("rows", "100000,1000000", "sizes to measure, rows into as many existing")
	bin := flag.String("uchi", "bin/uchi", "the service's binary")
	likeness := flag.String("likeness", "",
		"instead, sizes of records to measure likeness against, such as 10000,100000,1000000")
	drafts := flag.String("drafts", "", "instead, sizes of files whose rows hold a company, a person and a deal")
	mending := flag.String("mend", "", "instead, sizes of imports of which cells are mended and the load is taken back")
	console := flag.String("console", "", "instead, sizes of imports of which a browser shows the rows")
	views := flag.String("views", "", "instead, sizes of records of which views are paged and exports are made")
	bundles := flag.String("bundle", "", "instead, numbers of contacts of a customer base that comes as three files")
	out := flag.String("out", "bench/out", "directory for generated files")
	dir := flag.String("data", "/var/tmp/uchi-bench", "directory for the private server; emptied")
	flag.Parse()
	work := func() error { return run(context.Background(), *sizes, *bin, *out, *dir) }
	if flag.NFlag() == 0 { // all that has a bar and takes minutes
		imports := work
		work = func() error {
			return errors.Join(imports(), mended(context.Background(), most, *bin, *out, *dir),
				bundled(context.Background(), most, *bin, *out, *dir))
		}
	}
	if *likeness != "" {
		work = func() error { return alike(context.Background(), *likeness, *bin, *out, *dir) }
	}
	if *drafts != "" {
		work = func() error { return drafted(context.Background(), *drafts, *bin, *out, *dir) }
	}
	if *mending != "" {
		work = func() error { return mended(context.Background(), *mending, *bin, *out, *dir) }
	}
	if *console != "" {
		work = func() error { return watched(context.Background(), *console, *bin, *out, *dir) }
	}
	if *views != "" {
		work = func() error { return viewed(context.Background(), *views, *bin, *out, *dir) }
	}
	if *bundles != "" {
		work = func() error { return bundled(context.Background(), *bundles, *bin, *out, *dir) }
	}
	if err := errors.Join(os.MkdirAll(*out, 0o755), work()); err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(1)
	}
}

// most is how many rows are mended and taken back, and how many contacts come as a bundle, when nothing is said.
const most = "100000"

func run(ctx context.Context, sizes, bin, out, dir string) error {
	fmt.Printf("%10s  %10s  %10s  %6s  %9s\n", "rows", "by hand", "service", "ratio", "memory")
	return eachSize(sizes, func(n uint64) error { return measure(ctx, n, bin, out, dir) })
}

// eachSize measures for each of the sizes, which stand behind each other with
// commas between.
func eachSize(sizes string, measure func(rows uint64) error) error {
	for s := range strings.SplitSeq(sizes, ",") {
		n, err := strconv.ParseUint(s, 10, 64)
		if err != nil {
			return err
		}
		if err := measure(n); err != nil {
			return err
		}
	}
	return nil
}

func write(path string, header []string, rows uint64, row func(uint64) []string) error {
	if st, err := os.Stat(path); err == nil && st.Size() > 0 {
		return nil
	}
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	defer f.Close()
	w := csv.NewWriter(f)
	if err := w.Write(header); err != nil {
		return err
	}
	for n := range rows {
		if err := w.Write(row(n)); err != nil {
			return err
		}
	}
	w.Flush()
	return w.Error()
}

func measure(ctx context.Context, n uint64, bin, out, dir string) error {
	world := made.World{Seed: 8}
	existing, incoming := filepath.Join(out, fmt.Sprintf("existing-%d.csv", n)),
		filepath.Join(out, fmt.Sprintf("incoming-%d.csv", n))
	if err := write(existing, made.ContactHeader, n, world.Contact); err != nil {
		return err
	}
	if err := write(incoming, made.ContactHeader, n, func(i uint64) []string { return world.Incoming(i, n) }); err != nil {
		return err
	}
	if err := os.RemoveAll(dir); err != nil {
		return err
	}
	server, err := pg.Start(ctx, pg.Options{Dir: dir})
	if err != nil {
		return err
	}
	defer server.Stop()
	hand, err := byHand(ctx, server.URL, existing, incoming)
	if err != nil {
		return err
	}
	took, memory, err := byService(ctx, server.URL, bin, existing, incoming)
	if err != nil {
		return err
	}
	fmt.Printf("%10d  %8.1f s  %8.1f s  %6.2f  %5d MiB\n", n, hand.Seconds(), took.Seconds(),
		took.Seconds()/hand.Seconds(), memory>>10)
	return nil
}

// byHand runs the hand-written job in a database of its own.
func byHand(ctx context.Context, server, existing, incoming string) (time.Duration, error) {
	u, err := url.Parse(server)
	if err != nil {
		return 0, err
	}
	conn, err := pgx.Connect(ctx, server)
	if err != nil {
		return 0, err
	}
	defer conn.Close(ctx)
	if _, err := conn.Exec(ctx, "create database byhand"); err != nil {
		return 0, err
	}
	u.Path = "byhand"
	if err := psql(ctx, u.String(), "bench/handwritten-setup.sql", existing); err != nil {
		return 0, err
	}
	if _, err := conn.Exec(ctx, "checkpoint"); err != nil {
		return 0, err
	}
	began := time.Now()
	if err := psql(ctx, u.String(), "bench/handwritten.sql", incoming); err != nil {
		return 0, err
	}
	took := time.Since(began)
	if err := conn.Close(ctx); err != nil {
		return 0, err
	}
	if conn, err = pgx.Connect(ctx, server); err != nil {
		return 0, err
	}
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, "drop database byhand")
	return took, err
}

func psql(ctx context.Context, url, script, file string) error {
	c := exec.CommandContext(ctx, "psql", url, "-qX", "-v", "file="+file, "-f", script)
	if b, err := c.CombinedOutput(); err != nil {
		return fmt.Errorf("psql %s: %w\n%s", script, err, b)
	}
	return nil
}

// byService imports the same files through the command line and gives the time
// of the second and the largest resident memory of the service in KiB. Records
// are found as the hand-written job finds them: by keys.
func byService(ctx context.Context, database, bin, existing, incoming string) (time.Duration, int64, error) {
	s, err := serve(ctx, database, bin)
	if err != nil {
		return 0, 0, err
	}
	defer s.stop()
	byKeys := []string{"--into", "contact", "--yes", "--match", "source_ref", "--match", "email"}
	if _, err := s.uchi(ctx, "", append([]string{"import", existing}, byKeys...)...); err != nil {
		return 0, 0, err
	}
	if err := settle(ctx, database, "w_main.r_contact"); err != nil {
		return 0, 0, err
	}
	began := time.Now()
	if _, err := s.uchi(ctx, "", append([]string{"import", incoming}, byKeys...)...); err != nil {
		return 0, 0, err
	}
	took := time.Since(began)
	memory, err := peak(s.cmd.Process.Pid)
	return took, memory, err
}

// settle lets the server put a table in order before something is measured.
func settle(ctx context.Context, database, table string) error {
	conn, err := pgx.Connect(ctx, database)
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	for _, q := range []string{"vacuum analyze " + table, "checkpoint"} {
		if _, err := conn.Exec(ctx, q); err != nil {
			return err
		}
	}
	return nil
}

// peak reads the largest resident memory of a process so far, in KiB.
func peak(pid int) (int64, error) {
	b, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
	if err != nil {
		return 0, err
	}
	for line := range strings.SplitSeq(string(b), "\n") {
		if rest, ok := strings.CutPrefix(line, "VmHWM:"); ok {
			return strconv.ParseInt(strings.TrimSpace(strings.TrimSuffix(strings.TrimSpace(rest), "kB")), 10, 64)
		}
	}
	return 0, fmt.Errorf("process %d does not tell its memory", pid)
}
