package pgcopy

import (
	"context"
	"errors"
	"os"
	"slices"
	"strings"
	"testing"

	"uchi/internal/pgtest"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
)

func TestMain(m *testing.M) { os.Exit(pgtest.Run(m)) }

var errGivenUp = errors.New("given up")

// Rows that COPY writes and reads are the same, blanks and all.
func TestThereAndBack(t *testing.T) {
	url := pgtest.Database(t, nil)
	on := func(ctx context.Context, f func(conn *pgx.Conn) error) error {
		conn, err := pgx.Connect(ctx, url)
		if err != nil {
			return err
		}
		defer conn.Close(ctx)
		return f(conn)
	}
	conn, err := pgx.Connect(t.Context(), url)
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close(context.Background())
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
	err = Out(t.Context(), on, `select n, cells from probe order by n`, func(f [][]byte) error {
		if got := TextsOf(f[1], nil); !slices.Equal(got, want[n]) || Int64Of(f[0]) != int64(n) {
			t.Errorf("row %d: %.40q, want %.40q", n, got, want[n])
		}
		n++
		return nil
	})
	if err != nil || n != len(want) {
		t.Errorf("%d rows, %v", n, err)
	}
	if err := Out(t.Context(), on, `select 1::bigint from generate_series(1, 100000)`, func([][]byte) error { return errGivenUp }); !errors.Is(err, errGivenUp) {
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
