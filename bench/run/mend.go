package main

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"time"

	"uchi/bench/made"
	"uchi/internal/client"
)

// mended measures what people do with an import of so many rows: the answer to
// one mended cell, a page of the grid, a search for a text, and taking a load
// back, beside the load itself.
func mended(ctx context.Context, sizes, bin, out, dir string) error {
	fmt.Printf("%10s  %9s  %10s  %10s  %10s  %9s  %9s  %6s\n", "rows", "cell", "page", "search", "found none", "load",
		"undo", "ratio")
	return eachSize(sizes, func(n uint64) error { return mend(ctx, n, bin, out, dir) })
}

func mend(ctx context.Context, n uint64, bin, out, dir string) error {
	world := made.World{Seed: 8}
	existing, incoming := filepath.Join(out, fmt.Sprintf("existing-%d.csv", n)),
		filepath.Join(out, fmt.Sprintf("incoming-%d.csv", n))
	if err := write(existing, made.ContactHeader, n, world.Contact); err != nil {
		return err
	}
	if err := write(incoming, made.ContactHeader, n, func(i uint64) []string { return world.Incoming(i, n) }); err != nil {
		return err
	}
	server, s, err := afresh(ctx, bin, dir)
	if err != nil {
		return err
	}
	defer server.Stop()
	defer s.stop()
	flags := []string{"--into", "contact", "--match", "source_ref", "--match", "email"}
	if _, err := s.uchi(ctx, "", append([]string{"import", existing, "--yes"}, flags...)...); err != nil {
		return err
	}
	if err := settle(ctx, server.URL, "w_main.r_contact"); err != nil {
		return err
	}
	if _, err := s.uchi(ctx, "", append([]string{"import", incoming, "--check-only"}, flags...)...); err != nil {
		return err
	}
	c, err := s.conn()
	if err != nil {
		return err
	}
	r := rand.New(rand.NewPCG(1, 2))
	at := func() int64 { return 2 + int64(r.Uint64N(n)) }
	// Somebody looks at the rows first, and reads a while.
	if _, err := c.ListRowsWithResponse(ctx, "main", 2, &client.ListRowsParams{Limit: 100}); err != nil {
		return err
	}
	time.Sleep(time.Duration(n) * 20 * time.Microsecond)
	cell, err := slow(60, func(k int) error {
		_, err := c.EditWithResponse(ctx, "main", 2,
			client.CellEdits{Cells: []client.CellEdit{{Row: at(), Column: made.ContactHeader[2],
				Value: fmt.Sprint("Mended", k)}}})
		return err
	})
	if err != nil {
		return err
	}
	page, err := slow(60, func(int) error {
		position := at() - 2
		_, err := c.ListRowsWithResponse(ctx, "main", 2, &client.ListRowsParams{Position: &position, Limit: 100})
		return err
	})
	if err != nil {
		return err
	}
	search := func(text string) (time.Duration, error) {
		return slow(5, func(int) error {
			_, err := c.ListRowsWithResponse(ctx, "main", 2, &client.ListRowsParams{Text: text, Limit: 100, Count: true})
			return err
		})
	}
	found, err := search("Mended3")
	if err != nil {
		return err
	}
	none, err := search("no such text anywhere")
	if err != nil {
		return err
	}
	timed := func(args ...string) (time.Duration, error) {
		began := time.Now()
		_, err := s.uchi(ctx, "", args...)
		return time.Since(began), err
	}
	load, err := timed("load", "2", "--yes")
	if err != nil {
		return err
	}
	undo, err := timed("undo", "2", "--yes")
	if err != nil {
		return err
	}
	ms := func(d time.Duration) string { return fmt.Sprintf("%d ms", d.Milliseconds()) }
	fmt.Printf("%10d  %9s  %10s  %10s  %10s  %7.1f s  %7.1f s  %6.2f\n", n, ms(cell), ms(page), ms(found), ms(none),
		load.Seconds(), undo.Seconds(), undo.Seconds()/load.Seconds())
	return nil
}

// slow does something so many times and gives the time that 95 of 100 do not
// reach.
func slow(times int, f func(n int) error) (time.Duration, error) {
	var took []time.Duration
	for n := range times {
		began := time.Now()
		if err := f(n); err != nil {
			return 0, err
		}
		took = append(took, time.Since(began))
	}
	slices.Sort(took)
	return took[min(len(took)-1, len(took)*95/100)], nil
}

// conn is a connection to the service as the one who has signed in.
func (s *service) conn() (*client.Conn, error) {
	b, err := os.ReadFile(filepath.Join(s.home, "uchi", "login.json"))
	if err != nil {
		return nil, err
	}
	var l client.Login
	if err := json.Unmarshal(b, &l); err != nil {
		return nil, err
	}
	return client.Connect(l, "main")
}
