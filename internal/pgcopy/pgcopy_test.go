package pgcopy

import (
	"context"
	"errors"
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"
	"time"

	"uchi/internal/pgtest"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
)

func TestMain(m *testing.M) { os.Exit(pgtest.Run(m)) }

var errGivenUp = errors.New("given up")

// connecting gives each COPY a connection of its own.
func connecting(url string) OnConn {
	return func(ctx context.Context, f func(conn *pgx.Conn) error) error {
		conn, err := pgx.Connect(ctx, url)
		if err != nil {
			return err
		}
		defer conn.Close(context.WithoutCancel(ctx))
		return f(conn)
	}
}

// probing makes a database of its own for a test: a connection, and one for each COPY.
func probing(t *testing.T) (OnConn, *pgx.Conn) {
	url := pgtest.Database(t, nil)
	conn, err := pgx.Connect(t.Context(), url)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { conn.Close(context.Background()) }) //nolint:errcheck // the database goes with it
	return connecting(url), conn
}

// Rows that COPY writes and reads are the same, blanks and all.
func TestThereAndBack(t *testing.T) {
	on, conn := probing(t)
	if _, err := conn.Exec(t.Context(), `create table probe (n bigint, cells text[])`); err != nil {
		t.Fatal(err)
	}
	want := [][]string{{"a", "", "c"}, {}, {strings.Repeat("å", 100_000)}, {"\\", "\t", "\n", `"{,}"`, "NULL"}, {"漢字"}}
	in := Into(t.Context(), on, "probe", []string{"n", "cells"})
	for n, cells := range want {
		in.Row(2)
		in.Int64(int64(n))
		in.Texts(cells)
		if err := in.Flush(); err != nil {
			t.Fatal(err)
		}
	}
	if err := in.End(nil); err != nil {
		t.Fatal(err)
	}
	n := 0
	err := Out(t.Context(), on, `select n, cells from probe order by n`, func(f [][]byte) error {
		if got := TextsOf(f[1], nil); !slices.Equal(got, want[n]) || Int64Of(f[0]) != int64(n) {
			t.Errorf("row %d: %.40q, want %.40q", n, got, want[n])
		}
		n++
		return nil
	})
	if err != nil || n != len(want) {
		t.Errorf("%d rows, %v", n, err)
	}
	if err := Out(t.Context(), on, `select 1::bigint from generate_series(1, 100000)`,
		func([][]byte) error { return errGivenUp }); !errors.Is(err, errGivenUp) {
		t.Errorf("a reader that gives up: %v", err)
	}
	// A COPY that is given up leaves nothing, and says why.
	in = Into(t.Context(), on, "probe", []string{"n", "cells"})
	in.Row(2)
	in.Int64(99)
	in.Texts(nil)
	if err := in.End(errGivenUp); !errors.Is(err, errGivenUp) {
		t.Errorf("given up: %v", err)
	}
	var there int
	if err := conn.QueryRow(t.Context(), `select count(*) from probe`).Scan(&there); err != nil || there != len(want) {
		t.Errorf("%d rows, %v", there, err)
	}
	// One that the server refuses says so.
	in = Into(t.Context(), on, "nowhere", []string{"n"})
	var pg *pgconn.PgError
	if err := in.End(nil); !errors.As(err, &pg) || pg.Code != "42P01" {
		t.Errorf("into nowhere: %v", err)
	}
}

// Rows that pass several workers come in the order in which they were asked for, once each,
// whatever the workers make of them; what goes wrong ends it, and says so.
func TestThrough(t *testing.T) {
	on, conn := probing(t)
	const rows = 20_123
	through := func(worker Worker, passed func(int64) error, tables ...string) error {
		var into []*In
		for _, name := range tables {
			if _, err := conn.Exec(t.Context(), `drop table if exists `+name+`; create table `+name+
				` (place bigint generated always as identity, n bigint, said text)`); err != nil {
				t.Fatal(err)
			}
			into = append(into, Into(t.Context(), on, name, []string{"n", "said"}))
		}
		err := Through(t.Context(), on, `select n::bigint, case when n % 3 > 0 then repeat('å', n % 50) end
			from generate_series(1, `+fmt.Sprint(rows)+`) n`,
			[]Worker{worker, worker, worker}, into, passed)
		for _, in := range into {
			if e := in.End(err); err == nil {
				err = e
			}
		}
		return err
	}
	add := func(fields [][]byte, to *Buffer) {
		to.Row(2)
		to.Int64(Int64Of(fields[0]))
		to.Raw(fields[1])
	}
	even := func(fields [][]byte, to []Buffer) error {
		n := Int64Of(fields[0])
		add(fields, &to[n%2])
		if n%1000 == 0 { // some make more, and take longer
			time.Sleep(time.Millisecond)
			add(fields, &to[0])
		}
		return nil
	}
	var last int64
	if err := through(even, func(n int64) error { last = n; return nil }, "evens", "odds"); err != nil || last != rows {
		t.Fatalf("%d rows passed, %v", last, err)
	}
	for name, want := range map[string]int{"evens": rows/2 + rows/1000, "odds": (rows + 1) / 2} {
		var there, turned, wrong int
		err := conn.QueryRow(t.Context(),
			`select count(*), count(*) filter (where n < before), count(*) filter (where said is distinct from case
				when n % 3 > 0 then repeat('å', n::integer % 50) end)
			from (select *, lag(n) over (order by place) as before from `+name+`) x`).Scan(&there, &turned, &wrong)
		if err != nil || there != want || turned > 0 || wrong > 0 {
			t.Errorf("%s: %d rows and not %d, %d out of order, %d otherwise, %v", name, there, want, turned, wrong, err)
		}
	}
	all := func(int64) error { return nil }
	for name, bad := range map[string]struct {
		worker Worker
		passed func(int64) error
		says   string
	}{
		"a worker fails": {func(f [][]byte, _ []Buffer) error { return at(f, 7000, func() error { return errGivenUp }) },
			all, "given up"},
		"a worker panics": {func(f [][]byte, _ []Buffer) error { return at(f, 7000, func() error { panic("no more") }) },
			all, "panic: no more"},
		"nobody wants any": {even, func(n int64) error { return errGivenUp }, "given up"},
		"the server does not": {func(f [][]byte, to []Buffer) error {
			to[0].Row(2)
			to[0].Text("three")
			to[0].Text("no number")
			return nil
		}, all, "SQLSTATE 08P01"},
	} {
		if err := through(bad.worker, bad.passed, "evens", "odds"); err == nil || !strings.Contains(err.Error(), bad.says) {
			t.Errorf("%s: %v", name, err)
		}
		var there int
		if err := conn.QueryRow(t.Context(), `select (select count(*) from evens) + (select count(*)
			from odds)`).Scan(&there); err != nil || there > 0 {
			t.Errorf("%s: %d rows are there, %v", name, there, err)
		}
	}
	if err := Through(t.Context(), on, `select 1 from nowhere`, []Worker{even}, nil, all); err == nil ||
		!strings.Contains(err.Error(), "nowhere") {
		t.Errorf("of no table: %v", err)
	}
}

// at does something at one row.
func at(fields [][]byte, n int64, do func() error) error {
	if Int64Of(fields[0]) == n {
		return do()
	}
	return nil
}
