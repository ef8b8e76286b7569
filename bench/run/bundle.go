package main

import (
	"context"
	"fmt"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"time"

	"uchi/bench/made"
	"uchi/internal/pg"

	"github.com/jackc/pgx/v5"
)

// bundled measures a customer base of so many contacts, with a twentieth as many
// accounts, of which a third have a parent anywhere in their file, and a fifth as many
// deals; contacts have an account and a superior anywhere in theirs. It comes as three
// files into an empty workspace, once by a job written by hand and once as a bundle.
func bundled(ctx context.Context, sizes, bin, out, dir string) error {
	fmt.Printf("%10s  %10s  %10s  %6s  %9s\n", "contacts", "by hand", "service", "ratio", "memory")
	return eachSize(sizes, func(n uint64) error { return bundledOne(ctx, n, bin, out, dir) })
}

// bundleFiles writes the three files of a customer base and gives their paths.
func bundleFiles(out string, contacts uint64) ([]string, error) {
	dir := filepath.Join(out, fmt.Sprintf("bundle-%d", contacts))
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return nil, err
	}
	w := made.World{Seed: 9}
	accounts, deals := max(contacts/20, 1), max(contacts/5, 1)
	at := func(n, of, step uint64) uint64 { return (n*step + 7) % of } // anywhere, and the same each time
	number := func(kind string, n uint64) string { return fmt.Sprintf("%s-%07d", kind, n) }
	files := []struct {
		name   string
		header []string
		rows   uint64
		row    func(n uint64) []string
	}{
		{"accounts.csv", []string{"Company", "Number in the old system", "Parent account", "Town or city", "Country"},
			accounts, func(n uint64) []string {
				a, parent := w.Account(n, []string{""}), ""
				if n%3 == 0 {
					parent = number("AC", at(n, accounts, 7919))
				}
				return []string{a[0], number("AC", n), parent, a[10], a[12]}
			}},
		{"contacts.csv", []string{"Number in the old system", "Given name", "Family name", "E-mail", "Phone", "Account",
			"Reports to"}, contacts, func(n uint64) []string {
			c := w.Contact(n)
			return []string{c[0], c[1], c[2], c[3], c[4], number("AC", at(n, accounts, 31)),
				fmt.Sprintf("BM-%07d", at(n, contacts, 7919))}
		}},
		{"deals.csv", []string{"Deal title", "Number in the old system", "Stage", "Account", "Contact", "Amount",
			"Expected close"}, deals, func(n uint64) []string {
			return []string{fmt.Sprintf("Pedestals for pier %d", n), number("DL", n), "offered",
				number("AC", at(n, accounts, 13)), fmt.Sprintf("BM-%07d", at(n, contacts, 3)),
				fmt.Sprintf("%d.00", 900+n%9000), fmt.Sprintf("2027-%02d-%02d", 1+n%12, 1+n%28)}
		}},
	}
	var paths []string
	for _, f := range files {
		path := filepath.Join(dir, f.name)
		if err := write(path, f.header, f.rows, f.row); err != nil {
			return nil, err
		}
		paths = append(paths, path)
	}
	return paths, nil
}

func bundledOne(ctx context.Context, n uint64, bin, out, dir string) error {
	files, err := bundleFiles(out, n)
	if err != nil {
		return err
	}
	few, err := bundleFiles(out, 200)
	if err != nil {
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
	hand, err := bundleByHand(ctx, server.URL, files)
	if err != nil {
		return err
	}
	s, err := serve(ctx, server.URL, bin)
	if err != nil {
		return err
	}
	defer s.stop()
	// Records are found as the hand-written job finds them, by their numbers: a bundle
	// of a few rows is set up so, and the next is set up by its routines.
	steps := [][]string{append([]string{"bundle", "--check-only"}, few...)}
	for i := range few {
		steps = append(steps, []string{"mapping", fmt.Sprint(i + 1), "--match", "source_ref"})
	}
	for _, step := range append(steps, []string{"bundles", "save", "1", "bench"}, []string{"bundles", "discard", "1"}) {
		if _, err := s.uchi(ctx, "", step...); err != nil {
			return err
		}
	}
	began := time.Now()
	if _, err := s.uchi(ctx, "", append([]string{"bundle", "--yes"}, files...)...); err != nil {
		return err
	}
	took := time.Since(began)
	memory, err := peak(s.cmd.Process.Pid)
	if err != nil {
		return err
	}
	records, err := countRecords(ctx, server.URL)
	if err != nil {
		return err
	}
	if want := int64(n + max(n/20, 1) + max(n/5, 1)); records != want {
		return fmt.Errorf("%d records were made of %d", records, want)
	}
	fmt.Printf("%10d  %8.1f s  %8.1f s  %6.2f  %5d MiB\n", n, hand.Seconds(), took.Seconds(),
		took.Seconds()/hand.Seconds(), memory>>10)
	return nil
}

// bundleByHand runs the hand-written job in a database of its own.
func bundleByHand(ctx context.Context, server string, files []string) (time.Duration, error) {
	u, err := url.Parse(server)
	if err != nil {
		return 0, err
	}
	u.Path = "byhand"
	conn, err := pgx.Connect(ctx, server)
	if err != nil {
		return 0, err
	}
	defer conn.Close(ctx)
	if _, err := conn.Exec(ctx, "create database byhand"); err != nil {
		return 0, err
	}
	began := time.Now()
	c := exec.CommandContext(ctx, "psql", u.String(), "-qX", "-v", "accounts="+files[0], "-v", "contacts="+files[1],
		"-v", "deals="+files[2], "-f", "bench/handwritten-bundle.sql")
	if b, err := c.CombinedOutput(); err != nil {
		return 0, fmt.Errorf("psql: %w\n%s", err, b)
	}
	took := time.Since(began)
	_, err = conn.Exec(ctx, "drop database byhand")
	return took, err
}
