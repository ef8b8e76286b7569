package store

import (
	"context"
	"fmt"
	"io"
	"strings"
	"time"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/sheet"
	"uchi/internal/schema"

	"github.com/jackc/pgx/v5"
)

// SaveFile stores a file that came with a bundle, in chunks and once for each content.
// A file of the same path that came before is replaced.
func (s *Store) SaveFile(ctx context.Context, bundle int64, f sheet.File, body io.Reader) error {
	id, err := s.SaveSource(ctx, f.Path, body, -1, sheet.MostFileBytes)
	if err != nil {
		return err
	}
	err = s.inTx(ctx, func(tx pgx.Tx) error {
		var sum string
		err := tx.QueryRow(ctx, `
			with content as (
				insert into files (sha256, source, media) select sha256, id, $2 from sources where id = $1
				on conflict (sha256) do update set media = files.media
				returning sha256)
			select sha256 from content`, id, f.Media).Scan(&sum)
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `insert into bundle_files (bundle, path, sha256) values ($1, $2, $3)
			on conflict (bundle, path) do update set sha256 = excluded.sha256`, bundle, f.Path, sum)
		return err
	})
	if err != nil {
		return fmt.Errorf("store file: %w", err)
	}
	return s.DropSource(ctx, id) // it stays unless the content was there
}

// BundleFiles gives what the files that came with a bundle hold, by their paths.
func (s *Store) BundleFiles(ctx context.Context, bundle int64) (map[string]string, error) {
	rows, err := s.pool.Query(ctx, `select path, sha256 from bundle_files where bundle = $1`, bundle)
	if err != nil {
		return nil, fmt.Errorf("list files of a bundle: %w", err)
	}
	out := map[string]string{}
	var path, sum string
	_, err = pgx.ForEachRow(rows, []any{&path, &sum}, func() error {
		out[path] = sum
		return nil
	})
	if err != nil {
		return nil, fmt.Errorf("list files of a bundle: %w", err)
	}
	return out, nil
}

// FileInfo is what is known of a file beside what it holds.
type FileInfo struct {
	SHA256 string `db:"sha256"`
	Name   string `db:"name"` // with the folder that it came in
	Media  string `db:"media"`
	Bytes  int64  `db:"bytes"`
	Source int64  `db:"source"`
}

// Files tells of files, by their SHA-256; those that are not there are left out.
func (s *Store) Files(ctx context.Context, sums []string) (map[string]FileInfo, error) {
	out := map[string]FileInfo{}
	if len(sums) == 0 {
		return out, nil
	}
	var list []FileInfo
	err := s.db.SelectContext(ctx, &list, `select f.sha256, s.name, f.media, s.bytes, f.source from files f
		join sources s on s.id = f.source where f.sha256 = any($1)`, sums)
	if err != nil {
		return nil, fmt.Errorf("read files: %w", err)
	}
	for _, f := range list {
		out[f.SHA256] = f
	}
	return out, nil
}

// FilesOfRecords lists what the files of the records of a workspace hold.
func (s *Store) FilesOfRecords(ctx context.Context, workspace string, c catalog.Catalog) (sums []string, err error) {
	for _, t := range c.Types {
		for _, f := range t.Fields {
			if f.Type != catalog.File {
				continue
			}
			var list []string
			column := schema.Value(f.Name)
			err := s.db.SelectContext(ctx, &list, `select distinct `+column+` from `+schema.Records(workspace, t.Name)+`
				where `+column+` is not null`)
			if err != nil {
				return nil, fmt.Errorf("list files of records: %w", err)
			}
			sums = append(sums, list...)
		}
	}
	return sums, nil
}

// OpenFile opens what hangs on a record in a field.
func (s *Store) OpenFile(ctx context.Context, sum string) (FileInfo, sheet.Source, error) {
	found, err := s.Files(ctx, []string{sum})
	if err != nil {
		return FileInfo{}, sheet.Source{}, err
	}
	f, ok := found[sum]
	if !ok {
		return f, sheet.Source{}, fault.New(fault.NotFound, "unknown_file", "the file is not there").With(sum)
	}
	src, err := s.OpenSource(ctx, f.Source)
	return f, src, err
}

// DropFiles removes files that no record has, and none ever had, of bundles that were
// discarded or not changed for the given time.
func (s *Store) DropFiles(ctx context.Context, since time.Duration) (int64, error) {
	spaces, err := s.Workspaces(ctx)
	if err != nil {
		return 0, err
	}
	used := []string{`select sha256 from bundle_files`}
	for _, ws := range spaces {
		c, err := s.Catalog(ctx, ws.Name)
		if err != nil {
			return 0, err
		}
		for _, t := range c.Types {
			for _, f := range t.Fields {
				if f.Type == catalog.File {
					used = append(used, hadFile(ws.Name, t, f)...)
				}
			}
		}
	}
	var dropped int64
	err = s.inTx(ctx, func(tx pgx.Tx) error {
		_, err := tx.Exec(ctx, `
			delete from bundle_files x using bundles b
			where b.id = x.bundle and (b.state = 'discarded' or b.changed_at < now() - make_interval(secs => $1))`,
			since.Seconds())
		if err != nil {
			return err
		}
		tag, err := tx.Exec(ctx, `delete from files f where not exists (select from (`+strings.Join(used, " union all ")+
			`) u (sum) where u.sum = f.sha256)`)
		dropped = tag.RowsAffected()
		return err
	})
	if err != nil {
		return 0, fmt.Errorf("drop files: %w", err)
	}
	return dropped, nil
}

// hadFile is the SQL of the files that records of a type have in a field, and had.
func hadFile(workspace string, t catalog.RecordType, f catalog.Field) []string {
	had := `select h.changes->` + schema.Literal(f.Name) + `->>0 from ` + schema.History(workspace, t.Name) +
		` h where h.changes ? ` + schema.Literal(f.Name)
	gone := `select h.was->>` + schema.Literal("f_"+f.Name) + ` from ` + schema.History(workspace, t.Name) +
		` h where h.was is not null`
	return []string{`select ` + schema.Value(f.Name) + ` from ` + schema.Records(workspace, t.Name), had, gone}
}
