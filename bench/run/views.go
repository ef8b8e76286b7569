package main

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"time"

	"uchi/bench/made"
	"uchi/internal/client"

	"github.com/jackc/pgx/v5"
)

// looked are the views whose pages are measured: which of the fields they filter and
// sort by have no index is said behind.
var looked = []struct {
	what string
	p    client.ListRecordsParams
}{
	{"all, by id", client.ListRecordsParams{}},
	{"all, by name", client.ListRecordsParams{Sort: []string{"title"}}},
	{"country (no index)", client.ListRecordsParams{Filter: `country == "NO"`}},
	{"part of a job title (no index)", client.ListRecordsParams{Filter: `job_title.lower().contains("director")`}},
	{"an e-mail", client.ListRecordsParams{Filter: `email == "nobody@nowhere.example"`}},
	{"nobody (no index)", client.ListRecordsParams{Filter: `family_name == "Nobody At All"`}},
	{"all, by family name (no index)", client.ListRecordsParams{Sort: []string{"family_name", "-changed_at"}}},
}

// viewed measures pages of views of so many records, and exports of all of them beside
// the server's own COPY.
func viewed(ctx context.Context, sizes, bin, out, dir string) error {
	return eachSize(sizes, func(n uint64) error { return view(ctx, n, bin, out, dir) })
}

func view(ctx context.Context, n uint64, bin, out, dir string) error {
	existing := filepath.Join(out, fmt.Sprintf("existing-%d.csv", n))
	if err := write(existing, made.ContactHeader, n, made.World{Seed: 8}.Contact); err != nil {
		return err
	}
	server, s, err := afresh(ctx, bin, dir)
	if err != nil {
		return err
	}
	defer server.Stop()
	defer s.stop()
	if _, err := s.uchi(ctx, "", "import", existing, "--into", "contact", "--yes", "--match", "source_ref"); err != nil {
		return err
	}
	if err := settle(ctx, server.URL, "w_main.r_contact"); err != nil {
		return err
	}
	c, err := s.conn()
	if err != nil {
		return err
	}
	fmt.Printf("%d records; the first page of 100, then, once indexes are made, of 100 times 95 at most\n", n)
	for _, l := range looked {
		p := l.p
		p.Limit = 100
		page := func(int) error {
			r, err := c.ListRecordsWithResponse(ctx, "main", "contact", &p)
			if err == nil {
				p.Cursor = r.JSON200.Next // page by page, from the first on again at the end
			}
			return err
		}
		first, err := slow(1, page)
		if err != nil {
			return err
		}
		if err := indexed(ctx, server.URL); err != nil {
			return err
		}
		took, err := slow(100, page)
		if err != nil {
			return err
		}
		fmt.Printf("%7d ms  %7d ms  %s\n", first.Milliseconds(), took.Milliseconds(), l.what)
	}
	columns := "id, version, " + "f_given_name, f_family_name, f_email, f_phone, f_mobile, f_job_title, f_street, " +
		"f_postal_code, f_locality, f_country"
	began := time.Now()
	copied := exec.CommandContext(ctx, "psql", server.URL, "-qc", "copy (select "+columns+
		" from w_main.r_contact order by id) to stdout (format csv)")
	to, err := os.Create(filepath.Join(out, "copied.csv")) // the export is written into a file as well
	if err != nil {
		return err
	}
	defer os.Remove(to.Name()) //nolint:errcheck // the next run makes it anew
	defer to.Close()           //nolint:errcheck // only measured
	copied.Stdout, copied.Stderr = to, os.Stderr
	if err := copied.Run(); err != nil {
		return err
	}
	hand := time.Since(began)
	fmt.Printf("%8.1f s     psql's COPY of 10 columns\n", hand.Seconds())
	for _, format := range []string{"csv", "jsonl", "xlsx"} {
		began = time.Now()
		file := filepath.Join(out, "export."+format)
		if _, err := s.uchi(ctx, "", "export", "contact", "-o", file, "--columns",
			"given_name,family_name,email,phone,mobile,job_title,street,postal_code,locality,country"); err != nil {
			return err
		}
		took := time.Since(began)
		memory, err := peak(s.cmd.Process.Pid)
		if err != nil {
			return err
		}
		fmt.Printf("%8.1f s     export as %s, %.2f times; %d MiB at most so far\n", took.Seconds(), format,
			took.Seconds()/hand.Seconds(), memory>>10)
		os.Remove(file) //nolint:errcheck // the next run makes it anew
	}
	return nil
}

// indexed waits until the indexes are made that looks at records have asked for.
func indexed(ctx context.Context, url string) error {
	conn, err := pgx.Connect(ctx, url)
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	for wanted := true; wanted; time.Sleep(100 * time.Millisecond) {
		if err := conn.QueryRow(ctx, `select exists (select from uchi.view_indexes where made_at is null
			and trouble is null)`).Scan(&wanted); err != nil {
			return err
		}
	}
	return nil
}
