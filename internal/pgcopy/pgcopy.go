// Package pgcopy streams rows into and out of PostgreSQL by COPY in its binary
// format (PostgreSQL manual, COPY, "Binary Format"). Rows are encoded by hand
// because boxing every value for the driver costs half as much again. It knows
// the format and nothing of what the rows mean.
package pgcopy

import (
	"bufio"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/shopspring/decimal"
)

// Buffer gathers rows in the binary format: Row first, then one value for each
// of its columns.
type Buffer struct {
	Rows int64 // that were begun
	b    []byte
}

var header = []byte("PGCOPY\n\xff\r\n\x00\x00\x00\x00\x00\x00\x00\x00\x00")

// Row begins a row of so many columns.
func (c *Buffer) Row(columns int) {
	c.Rows++
	c.b = binary.BigEndian.AppendUint16(c.b, uint16(columns))
}

// Null writes a null of any type.
func (c *Buffer) Null() { c.b = append(c.b, 0xff, 0xff, 0xff, 0xff) }

// Raw writes a value of any type as it was read; nil is null.
func (c *Buffer) Raw(b []byte) {
	if b == nil {
		c.Null()
		return
	}
	c.b = binary.BigEndian.AppendUint32(c.b, uint32(len(b)))
	c.b = append(c.b, b...)
}

// Int64 writes a bigint.
func (c *Buffer) Int64(v int64) {
	c.b = binary.BigEndian.AppendUint32(c.b, 8)
	c.b = binary.BigEndian.AppendUint64(c.b, uint64(v))
}

// Int16 writes a smallint.
func (c *Buffer) Int16(v int16) {
	c.b = binary.BigEndian.AppendUint32(c.b, 2)
	c.b = binary.BigEndian.AppendUint16(c.b, uint16(v))
}

// Int32 writes an integer.
func (c *Buffer) Int32(v int32) {
	c.b = binary.BigEndian.AppendUint32(c.b, 4)
	c.b = binary.BigEndian.AppendUint32(c.b, uint32(v))
}

// Float32 writes a real.
func (c *Buffer) Float32(v float32) {
	c.b = binary.BigEndian.AppendUint32(c.b, 4)
	c.b = binary.BigEndian.AppendUint32(c.b, math.Float32bits(v))
}

// Bool writes a boolean.
func (c *Buffer) Bool(v bool) {
	c.b = append(c.b, 0, 0, 0, 1, 0)
	if v {
		c.b[len(c.b)-1] = 1
	}
}

// JSONB writes a JSON document (jsonb_send: a version and the text).
func (c *Buffer) JSONB(document []byte) {
	c.b = binary.BigEndian.AppendUint32(c.b, uint32(1+len(document)))
	c.b = append(append(c.b, 1), document...)
}

// Text writes a text.
func (c *Buffer) Text(s string) {
	c.b = binary.BigEndian.AppendUint32(c.b, uint32(len(s)))
	c.b = append(c.b, s...)
}

// TextOrNull writes a text, an empty one as null.
func (c *Buffer) TextOrNull(s string) {
	if s == "" {
		c.Null()
		return
	}
	c.Text(s)
}

// OIDs of the elements of arrays.
const (
	textOID = 25
	int4OID = 23
)

// Int32s writes an array of integers (array_send, as below).
func (c *Buffer) Int32s(list []int32) {
	if len(list) == 0 {
		c.b = append(c.b, 0, 0, 0, 12, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, int4OID)
		return
	}
	c.b = binary.BigEndian.AppendUint32(c.b, uint32(20+8*len(list)))
	c.b = append(c.b, 0, 0, 0, 1, 0, 0, 0, 0, 0, 0, 0, int4OID)
	c.b = binary.BigEndian.AppendUint32(c.b, uint32(len(list)))
	c.b = append(c.b, 0, 0, 0, 1)
	for _, v := range list {
		c.Int32(v)
	}
}

// Texts writes an array of text (array_send: dimensions, null flag, element
// type, length, lower bound, elements).
func (c *Buffer) Texts(list []string) {
	size := 20
	if len(list) == 0 {
		size = 12
	}
	for _, s := range list {
		size += 4 + len(s)
	}
	c.b = binary.BigEndian.AppendUint32(c.b, uint32(size))
	if len(list) == 0 {
		c.b = append(c.b, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, textOID)
		return
	}
	c.b = append(c.b, 0, 0, 0, 1, 0, 0, 0, 0, 0, 0, 0, textOID)
	c.b = binary.BigEndian.AppendUint32(c.b, uint32(len(list)))
	c.b = append(c.b, 0, 0, 0, 1)
	for _, s := range list {
		c.Text(s)
	}
}

// epoch is where PostgreSQL counts its days and microseconds from.
var epoch = time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC)

// Date writes the day of a time.
func (c *Buffer) Date(t time.Time) { c.Int32(int32((t.Unix() - epoch.Unix()) / (24 * 60 * 60))) }

// Moment writes a time as timestamptz.
func (c *Buffer) Moment(t time.Time) { c.Int64(t.UnixMicro() - epoch.UnixMicro()) }

// Numeric writes a decimal as base-10000 digits (numeric_send).
func (c *Buffer) Numeric(v string) error {
	d, err := decimal.NewFromString(v)
	if err != nil {
		return fmt.Errorf("encode number: %w", err)
	}
	scale := int(-d.Exponent())
	sign := uint16(0)
	if d.IsNegative() {
		sign, d = 0x4000, d.Abs()
	}
	whole, part, _ := strings.Cut(d.StringFixed(int32(max(scale, 0))), ".")
	whole = strings.TrimLeft(whole, "0")
	whole = strings.Repeat("0", (4-len(whole)%4)%4) + whole
	part += strings.Repeat("0", (4-len(part)%4)%4)
	all := whole + part
	weight := len(whole)/4 - 1
	c.b = binary.BigEndian.AppendUint32(c.b, uint32(8+len(all)/2))
	c.b = binary.BigEndian.AppendUint16(c.b, uint16(len(all)/4))
	c.b = binary.BigEndian.AppendUint16(c.b, uint16(int16(weight)))
	c.b = binary.BigEndian.AppendUint16(c.b, sign)
	c.b = binary.BigEndian.AppendUint16(c.b, uint16(max(scale, 0)))
	for i := 0; i < len(all); i += 4 {
		n := uint16(all[i]-'0')*1000 + uint16(all[i+1]-'0')*100 + uint16(all[i+2]-'0')*10 + uint16(all[i+3]-'0')
		c.b = binary.BigEndian.AppendUint16(c.b, n)
	}
	return nil
}

// In is a COPY into a table that is in progress.
type In struct {
	Buffer
	pipe *io.PipeWriter
	done chan error
}

// flushAt is how many bytes gather before they are sent.
const flushAt = 256 << 10

// OnConn runs f with a connection that nobody else uses meanwhile.
type OnConn func(ctx context.Context, f func(conn *pgx.Conn) error) error

// Into starts a COPY into a table, whose name and columns are SQL, on a
// connection of its own. End must be called.
func Into(ctx context.Context, on OnConn, table string, columns []string) *In {
	r, w := io.Pipe()
	s := &In{pipe: w, done: make(chan error, 1)}
	s.b = append(make([]byte, 0, flushAt+64<<10), header...)
	go func() {
		err := on(ctx, func(conn *pgx.Conn) error {
			_, err := conn.PgConn().CopyFrom(ctx, r, "copy "+table+" ("+strings.Join(columns, ", ")+
				") from stdin (format binary)")
			return err
		})
		r.CloseWithError(err)
		s.done <- err
	}()
	return s
}

// Flush sends what has gathered when it is enough; it stands behind the last value of a row.
func (s *In) Flush() error {
	if len(s.b) < flushAt {
		return nil
	}
	return s.send()
}

// append adds the rows of a buffer, which is empty then.
func (s *In) append(rows *Buffer) error {
	s.b, s.Rows = append(s.b, rows.b...), s.Rows+rows.Rows
	rows.b, rows.Rows = rows.b[:0], 0
	return s.Flush()
}

func (s *In) send() error {
	if _, err := s.pipe.Write(s.b); err != nil {
		return fmt.Errorf("copy: %w", err)
	}
	s.b = s.b[:0]
	return nil
}

// End finishes the COPY, or gives it up when failed is not nil; then it gives
// failed back, or the server's own error where that was the cause.
func (s *In) End(failed error) error {
	if failed == nil {
		s.b = binary.BigEndian.AppendUint16(s.b, 0xffff)
		failed = s.send()
	}
	if failed != nil {
		s.pipe.CloseWithError(failed)
		if err := <-s.done; refused(err) {
			return fmt.Errorf("copy: %w", err)
		}
		return failed
	}
	s.pipe.Close() //nolint:errcheck // never fails
	if err := <-s.done; err != nil {
		return fmt.Errorf("copy: %w", err)
	}
	return nil
}

// refused reports whether the server itself has refused rows: it has not when
// the COPY was given up (SQLSTATE 57014).
func refused(err error) bool {
	var pg *pgconn.PgError
	return errors.As(err, &pg) && pg.Code != "57014"
}

// Out runs a query through COPY on a connection of its own and calls f with the
// fields of each row; a nil field is null. The slices are used again.
func Out(ctx context.Context, on OnConn, query string, f func(fields [][]byte) error) error {
	return on(ctx, func(conn *pgx.Conn) error { return outOn(ctx, conn, query, f) })
}

func outOn(ctx context.Context, conn *pgx.Conn, query string, f func(fields [][]byte) error) error {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	r, w := io.Pipe()
	done := make(chan error, 1)
	go func() {
		_, err := conn.PgConn().CopyTo(ctx, w, "copy ("+query+") to stdout (format binary)")
		w.CloseWithError(err)
		done <- err
	}()
	err := read(bufio.NewReaderSize(r, 256<<10), f)
	if err != nil {
		cancel()
		r.CloseWithError(err)
		<-done
		return err
	}
	return <-done
}

func read(r *bufio.Reader, f func(fields [][]byte) error) error {
	if _, err := r.Discard(len(header)); err != nil {
		return fmt.Errorf("read copied rows: %w", err)
	}
	var head [4]byte
	buf := make([]byte, 0, 4<<10) // never nil, as nil is null
	var fields [][]byte
	var spans [][2]int
	for {
		if _, err := io.ReadFull(r, head[:2]); err != nil {
			return fmt.Errorf("read copied rows: %w", err)
		}
		n := int16(binary.BigEndian.Uint16(head[:2]))
		if n < 0 {
			_, err := io.Copy(io.Discard, r)
			return err
		}
		fields, buf, spans = fields[:0], buf[:0], spans[:0]
		for range n {
			if _, err := io.ReadFull(r, head[:]); err != nil {
				return fmt.Errorf("read copied rows: %w", err)
			}
			size := int(int32(binary.BigEndian.Uint32(head[:])))
			if size < 0 {
				spans = append(spans, [2]int{-1, -1})
				continue
			}
			from := len(buf)
			if from+size > cap(buf) {
				buf = append(make([]byte, 0, 2*(from+size)), buf...)
			}
			buf = buf[:from+size]
			if _, err := io.ReadFull(r, buf[from:]); err != nil {
				return fmt.Errorf("read copied rows: %w", err)
			}
			spans = append(spans, [2]int{from, from + size})
		}
		for _, s := range spans {
			if s[0] < 0 {
				fields = append(fields, nil)
			} else {
				fields = append(fields, buf[s[0]:s[1]])
			}
		}
		if err := f(fields); err != nil {
			return err
		}
	}
}

// TextsOf reads an array of text into a list that is used again. The texts are
// parts of one new string, so they may be kept.
func TextsOf(b []byte, into []string) []string {
	into = into[:0]
	if len(b) < 20 {
		return into
	}
	s := string(b)
	n := int(binary.BigEndian.Uint32(b[12:]))
	at := 20
	for range n {
		size := int(int32(binary.BigEndian.Uint32(b[at:])))
		at += 4
		if size < 0 {
			into = append(into, "")
			continue
		}
		into = append(into, s[at:at+size])
		at += size
	}
	return into
}

// Int64Of reads a bigint.
func Int64Of(b []byte) int64 { return int64(binary.BigEndian.Uint64(b)) }

// Int32Of reads an integer.
func Int32Of(b []byte) int32 { return int32(binary.BigEndian.Uint32(b)) }
