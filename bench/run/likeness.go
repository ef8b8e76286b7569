package main

import (
	"bytes"
	"context"
	"encoding/csv"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"uchi/bench/labelled"
)

// rowsAlike is how many rows are matched against the records.
const rowsAlike = 100_000

// alike measures how long matching by likeness takes and how good it is, on
// labelled sets: records of the sizes, and rows of which two fifths are there.
func alike(ctx context.Context, sizes, bin, out, dir string) error {
	fmt.Printf("%-9s %9s %8s  %8s %8s  %9s  %9s  %9s  %9s  %8s\n", "set", "records", "rows", "check", "rows/s", "taken",
		"right", "reached", "asked", "memory")
	return eachSize(sizes, func(size uint64) error {
		n := int(size)
		rows := min(rowsAlike, n)
		for _, set := range []labelled.Set{labelled.People(901, n, rows, .4), labelled.Companies(902, n, rows, .4)} {
			if err := alikeOne(ctx, set, bin, out, dir); err != nil {
				return err
			}
		}
		return nil
	})
}

func alikeOne(ctx context.Context, set labelled.Set, bin, out, dir string) error {
	server, s, err := afresh(ctx, bin, dir)
	if err != nil {
		return err
	}
	defer server.Stop()
	defer s.stop()
	records, incoming := filepath.Join(out, "alike-records.csv"), filepath.Join(out, "alike-rows.csv")
	defer os.Remove(records)
	defer os.Remove(incoming)
	// The records have numbers, by which none of them is another, so that they are not compared with each other.
	if err := writeSet(records, slices.Concat(set.Fields, []string{"source_ref"}), len(set.Records),
		func(i int) map[string]string {
			r := maps.Clone(set.Records[i])
			r["source_ref"] = fmt.Sprint("R-", i)
			return r
		}); err != nil {
		return err
	}
	if err := writeSet(incoming, set.Fields, len(set.Rows),
		func(i int) map[string]string { return set.Rows[i].Values }); err != nil {
		return err
	}
	var places []string
	for _, f := range set.Fields {
		places = append(places, "--map", f+"="+f)
	}
	load := []string{"import", records, "--into", set.Type, "--yes", "--map", "source_ref=source_ref", "--match", "source_ref",
		"--doubtful", "take", "--fixed", "description=x"}
	if _, err := s.uchi(ctx, "", append(load, places...)...); err != nil {
		return err
	}
	if err := settle(ctx, server.URL, "w_main.r_"+set.Type); err != nil {
		return err
	}
	began := time.Now()
	if _, err := s.uchi(ctx, "", append([]string{"import", incoming, "--into", set.Type, "--check-only"},
		places...)...); err != nil {
		return err
	}
	took := time.Since(began)
	memory, err := peak(s.cmd.Process.Pid)
	if err != nil {
		return err
	}
	q, err := judge(ctx, s, set)
	if err != nil {
		return err
	}
	n := len(set.Rows)
	fmt.Printf("%-9s %9d %8d  %6.1f s %8.0f  %9d  %7.2f %%  %7.2f %%  %7.2f %%  %4d MiB\n", set.Type, len(set.Records),
		n, took.Seconds(), float64(n)/took.Seconds(),
		q.taken, 100*float64(q.right)/float64(max(q.taken, 1)), 100*float64(q.reached)/float64(max(q.there, 1)),
		100*float64(q.asked)/float64(n), memory>>10)
	return nil
}

func writeSet(path string, fields []string, n int, values func(int) map[string]string) error {
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	defer f.Close()
	w := csv.NewWriter(f)
	if err := w.Write(fields); err != nil {
		return err
	}
	line := make([]string, len(fields))
	for i := range n {
		v := values(i)
		for k, name := range fields {
			line[k] = v[name]
		}
		if err := w.Write(line); err != nil {
			return err
		}
	}
	w.Flush()
	return w.Error()
}

// quality is what became of the rows of a labelled set.
type quality struct{ there, taken, right, reached, asked int }

// judge compares what the check says with the labels: records have the ids of
// their places, and a row's number is its place below the header.
func judge(ctx context.Context, s *service, set labelled.Set) (quality, error) {
	var q quality
	printed, err := s.uchi(ctx, "", "rows", "2", "--csv")
	if err != nil {
		return q, err
	}
	r := csv.NewReader(bytes.NewReader(bytes.TrimPrefix(printed, []byte("\ufeff"))))
	r.FieldsPerRecord = -1
	lines, err := r.ReadAll()
	if err != nil {
		return q, err
	}
	at := slices.Index(lines[0], "Row") // then what became of it, its record
	for _, line := range lines[1:] {
		n, err := strconv.Atoi(line[at])
		if err != nil {
			return q, err
		}
		truth := set.Rows[n-2].Truth
		if truth >= 0 {
			q.there++
		}
		switch line[at+1] {
		case "update", "same", "hold":
			_, id, found := strings.Cut(line[at+2], "-")
			if !found {
				continue
			}
			q.taken++
			if id == strconv.Itoa(truth+1) {
				q.right++
				q.reached++
			}
		case "ask":
			q.asked++
			if truth >= 0 {
				q.reached++ // the candidates are looked at in the core's own test
			}
		}
	}
	return q, nil
}
