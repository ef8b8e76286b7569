package store

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"sync"

	"uchi/internal/core/fault"
	"uchi/internal/core/sheet"

	"github.com/jackc/pgx/v5"
)

// chunkBytes is how much of a source one row of source_chunks holds.
const chunkBytes = 1 << 20

// SaveSource stores a source in chunks while it arrives and gives its id. A
// source that is cut off or larger than most bytes leaves nothing behind.
func (s *Store) SaveSource(ctx context.Context, name string, body io.Reader, declared, most int64) (int64, error) {
	var id int64
	err := s.inTx(ctx, func(tx pgx.Tx) error {
		if err := tx.QueryRow(ctx, `insert into sources (name) values ($1) returning id`, name).Scan(&id); err != nil {
			return err
		}
		sum := sha256.New()
		var total int64
		rows := &chunkRows{source: id, in: io.TeeReader(io.LimitReader(body, most+1), sum)}
		if _, err := tx.CopyFrom(ctx, pgx.Identifier{"source_chunks"}, []string{"source", "number", "bytes"},
			rows); err != nil {
			return errors.Join(rows.err, err)
		}
		total = rows.total
		switch {
		case total > most:
			return fault.Newf(fault.TooLarge, "source_too_large", "the source is larger than %d MiB",
				most>>20).At(fault.Place{File: name}).
				Mended("Split it, or raise the limit when the service is started.")
		case declared >= 0 && total != declared:
			return fault.Newf(fault.Invalid, "upload_cut_off", "%d bytes were announced and %d arrived", declared,
				total).At(fault.Place{File: name}).Mended("Send it again.")
		}
		_, err := tx.Exec(ctx, `update sources set bytes = $1, sha256 = $2, whole = true where id = $3`, total,
			hex.EncodeToString(sum.Sum(nil)), id)
		return err
	})
	if err != nil {
		if errors.Is(err, io.ErrUnexpectedEOF) {
			return 0, fault.New(fault.Invalid, "upload_cut_off",
				"the upload ended before the whole file had arrived").At(fault.Place{File: name}).Mended("Send it again.")
		}
		return 0, fmt.Errorf("store source: %w", err)
	}
	return id, nil
}

// SourceSum gives the SHA-256 of a stored source, and its size.
func (s *Store) SourceSum(ctx context.Context, id int64) (sum string, bytes int64, err error) {
	if err := s.pool.QueryRow(ctx, `select sha256, bytes from sources where id = $1`, id).Scan(&sum, &bytes); err != nil {
		return "", 0, fmt.Errorf("read source: %w", err)
	}
	return sum, bytes, nil
}

// chunkRows gives the chunks to COPY one by one.
type chunkRows struct {
	source int64
	in     io.Reader
	number int32
	buf    []byte
	total  int64
	err    error
	ended  bool
}

func (c *chunkRows) Next() bool {
	if c.ended || c.err != nil {
		return false
	}
	if c.buf == nil {
		c.buf = make([]byte, chunkBytes)
	}
	n, err := io.ReadFull(c.in, c.buf[:chunkBytes])
	switch {
	case err == io.EOF || err == io.ErrUnexpectedEOF && n < chunkBytes && n > 0 && c.atEnd():
		c.ended = true
	case err != nil:
		c.err = err
		return false
	}
	if n == 0 {
		return false
	}
	c.buf = c.buf[:n]
	c.total += int64(n)
	c.number++
	return true
}

// atEnd tells a source that has ended from one that was cut off: only the
// former says so again.
func (c *chunkRows) atEnd() bool {
	_, err := c.in.Read(make([]byte, 1))
	if err != io.EOF {
		c.err = err
	}
	return err == io.EOF
}

func (c *chunkRows) Values() ([]any, error) {
	return []any{c.source, c.number - 1, c.buf}, nil
}
func (c *chunkRows) Err() error { return c.err }

// OpenSource gives a stored source as one that can be read from any place; a
// few chunks are kept at hand.
func (s *Store) OpenSource(ctx context.Context, id int64) (sheet.Source, error) {
	var name string
	var size int64
	if err := s.pool.QueryRow(ctx, `select name, bytes from sources where id = $1 and whole`, id).Scan(&name,
		&size); err != nil {
		if IsMissing(err) {
			return sheet.Source{}, fault.New(fault.NotFound, "source_gone",
				"the source is no longer kept").Mended("Upload the file again.")
		}
		return sheet.Source{}, fmt.Errorf("open source: %w", err)
	}
	return sheet.Source{Name: name, Size: size, ReaderAt: &chunkReader{ctx: ctx, store: s, source: id, size: size,
		kept: map[int64][]byte{}}}, nil
}

const chunksKept = 4

type chunkReader struct {
	ctx    context.Context //nolint:containedctx // io.ReaderAt has no room for one
	store  *Store
	source int64
	size   int64
	mu     sync.Mutex
	kept   map[int64][]byte
	order  []int64
}

func (r *chunkReader) chunk(n int64) ([]byte, error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if b, ok := r.kept[n]; ok {
		return b, nil
	}
	var b []byte
	if err := r.store.pool.QueryRow(r.ctx, `select bytes from source_chunks where source = $1 and number = $2`,
		r.source, n).Scan(&b); err != nil {
		return nil, fmt.Errorf("read source: %w", err)
	}
	if len(r.order) >= chunksKept {
		delete(r.kept, r.order[0])
		r.order = r.order[1:]
	}
	r.kept[n] = b
	r.order = append(r.order, n)
	return b, nil
}

// ReadAt implements io.ReaderAt.
func (r *chunkReader) ReadAt(p []byte, off int64) (int, error) {
	done := 0
	for done < len(p) {
		at := off + int64(done)
		if at >= r.size {
			return done, io.EOF
		}
		b, err := r.chunk(at / chunkBytes)
		if err != nil {
			return done, err
		}
		done += copy(p[done:], b[at%chunkBytes:])
	}
	return done, nil
}
