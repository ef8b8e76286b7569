package main

import (
	"context"
	"fmt"
	"path/filepath"
	"time"

	"uchi/bench/made"

	"github.com/jackc/pgx/v5"
)

// rowsACompany is how many rows there are for one company.
const rowsACompany = 5

// drafted measures rows that hold a company, a person and a deal each, into an
// empty workspace: the check (with upload and reading) and the load.
func drafted(ctx context.Context, sizes, bin, out, dir string) error {
	fmt.Printf("%10s  %10s  %10s  %10s  %9s\n", "rows", "records", "check", "load", "memory")
	return eachSize(sizes, func(n uint64) error { return draftedOne(ctx, n, bin, out, dir) })
}

func draftedOne(ctx context.Context, n uint64, bin, out, dir string) error {
	server, s, err := afresh(ctx, bin, dir)
	if err != nil {
		return err
	}
	defer server.Stop()
	defer s.stop()
	file := filepath.Join(out, fmt.Sprintf("enquiries-%d.csv", n))
	world := made.World{Seed: 7}
	if err := write(file, made.EnquiryHeader, n,
		func(i uint64) []string { return world.Enquiry(i, n/rowsACompany) }); err != nil {
		return err
	}
	began := time.Now()
	if _, err := s.uchi(ctx, "", "import", file, "--into", "contact", "--add", "account", "--add", "opportunity",
		"--match", "email", "--check-only"); err != nil {
		return err
	}
	checked := time.Since(began)
	began = time.Now()
	if _, err := s.uchi(ctx, "", "load", "1", "--yes"); err != nil {
		return err
	}
	loaded := time.Since(began)
	memory, err := peak(s.cmd.Process.Pid)
	if err != nil {
		return err
	}
	records, err := countRecords(ctx, server.URL)
	if err != nil {
		return err
	}
	fmt.Printf("%10d  %10d  %8.1f s  %8.1f s  %5d MiB\n", n, records, checked.Seconds(), loaded.Seconds(), memory>>10)
	return nil
}

func countRecords(ctx context.Context, database string) (n int64, err error) {
	conn, err := pgx.Connect(ctx, database)
	if err != nil {
		return 0, err
	}
	defer conn.Close(ctx)
	err = conn.QueryRow(ctx, `select (select count(*) from w_main.r_account) + (select count(*)
		from w_main.r_contact) + (select count(*) from w_main.r_opportunity)`).Scan(&n)
	return n, err
}
