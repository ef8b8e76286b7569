// Command generate writes made-up files of any size as CSV to standard output.
package main

import (
	"bufio"
	"encoding/csv"
	"flag"
	"fmt"
	"os"

	"uchi/bench/made"
)

func main() {
	rows := flag.Uint64("rows", 1000, "how many rows")
	what := flag.String("what", "incoming", "existing (contacts that are there), incoming (a file for them) or accounts")
	existing := flag.Uint64("existing", 1000, "how many contacts are there, for incoming")
	seed := flag.Uint64("seed", 8, "the same seed makes the same file")
	flag.Parse()
	w := made.World{Seed: *seed}
	header, row := made.ContactHeader, w.Contact
	switch *what {
	case "existing":
	case "incoming":
		row = func(n uint64) []string { return w.Incoming(n, *existing) }
	case "accounts":
		header, row = made.AccountHeader, func(n uint64) []string { return w.Account(n, []string{""}) }
	default:
		fmt.Fprintln(os.Stderr, "generate: --what is existing, incoming or accounts")
		os.Exit(2)
	}
	buf := bufio.NewWriterSize(os.Stdout, 1<<20)
	out := csv.NewWriter(buf)
	out.Write(header) //nolint:errcheck // the writer keeps the error
	for n := range *rows {
		out.Write(row(n)) //nolint:errcheck // the writer keeps the error
	}
	out.Flush()
	if err := out.Error(); err != nil {
		fmt.Fprintln(os.Stderr, "generate:", err)
		os.Exit(1)
	}
	if err := buf.Flush(); err != nil {
		fmt.Fprintln(os.Stderr, "generate:", err)
		os.Exit(1)
	}
}
