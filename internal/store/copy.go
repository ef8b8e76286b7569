package store

import (
	"bufio"
	"context"
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"strings"
	"time"

	"uchi/internal/core/catalog"
	"uchi/internal/core/value"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/shopspring/decimal"
)

// copyBuffer writes rows in the binary format of COPY (PostgreSQL manual,
// COPY, "Binary Format"). Rows are encoded by hand because boxing every value
// for the driver costs half as much again.
type copyBuffer struct{ b []byte }

var copyHeader = []byte("PGCOPY\n\xff\r\n\x00\x00\x00\x00\x00\x00\x00\x00\x00")

func (c *copyBuffer) row(columns int) { c.b = binary.BigEndian.AppendUint16(c.b, uint16(columns)) }
func (c *copyBuffer) null()           { c.b = append(c.b, 0xff, 0xff, 0xff, 0xff) }

func (c *copyBuffer) int64(v int64) {
	c.b = binary.BigEndian.AppendUint32(c.b, 8)
	c.b = binary.BigEndian.AppendUint64(c.b, uint64(v))
}

func (c *copyBuffer) int16(v int16) {
	c.b = binary.BigEndian.AppendUint32(c.b, 2)
	c.b = binary.BigEndian.AppendUint16(c.b, uint16(v))
}

func (c *copyBuffer) int32(v int32) {
	c.b = binary.BigEndian.AppendUint32(c.b, 4)
	c.b = binary.BigEndian.AppendUint32(c.b, uint32(v))
}

func (c *copyBuffer) float32(v float32) {
	c.b = binary.BigEndian.AppendUint32(c.b, 4)
	c.b = binary.BigEndian.AppendUint32(c.b, math.Float32bits(v))
}

// jsonb writes a JSON document (jsonb_send: a version and the text).
func (c *copyBuffer) jsonb(document []byte) {
	c.b = binary.BigEndian.AppendUint32(c.b, uint32(1+len(document)))
	c.b = append(append(c.b, 1), document...)
}

func (c *copyBuffer) text(s string) {
	c.b = binary.BigEndian.AppendUint32(c.b, uint32(len(s)))
	c.b = append(c.b, s...)
}

// textOrNull writes an empty text as null.
func (c *copyBuffer) textOrNull(s string) {
	if s == "" {
		c.null()
		return
	}
	c.text(s)
}

// OIDs of the elements of arrays.
const (
	textOID = 25
	int4OID = 23
)

// int32s writes an array of integers (array_send, as below).
func (c *copyBuffer) int32s(list []int32) {
	if len(list) == 0 {
		c.b = append(c.b, 0, 0, 0, 12, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, int4OID)
		return
	}
	c.b = binary.BigEndian.AppendUint32(c.b, uint32(20+8*len(list)))
	c.b = append(c.b, 0, 0, 0, 1, 0, 0, 0, 0, 0, 0, 0, int4OID)
	c.b = binary.BigEndian.AppendUint32(c.b, uint32(len(list)))
	c.b = append(c.b, 0, 0, 0, 1)
	for _, v := range list {
		c.int32(v)
	}
}

// texts writes an array of text (array_send: dimensions, null flag, element
// type, length, lower bound, elements).
func (c *copyBuffer) texts(list []string) {
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
		c.text(s)
	}
}

// epoch is where PostgreSQL counts its days and microseconds from.
var epoch = time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC)

// value writes a canonical text as its type in the table; blank is null.
func (c *copyBuffer) value(t catalog.FieldType, v string) error {
	if v == "" {
		c.null()
		return nil
	}
	switch t {
	case catalog.Integer, catalog.Reference:
		var n int64
		if _, err := fmt.Sscan(v, &n); err != nil {
			return fmt.Errorf("encode integer %q: %w", v, err)
		}
		c.int64(n)
	case catalog.Decimal, catalog.Money, catalog.Percent:
		return c.numeric(v)
	case catalog.Date:
		d, err := time.Parse(time.DateOnly, v)
		if err != nil {
			return fmt.Errorf("encode date: %w", err)
		}
		c.int32(int32((d.Unix() - epoch.Unix()) / (24 * 60 * 60)))
	case catalog.DateTime:
		d, err := time.Parse(time.RFC3339, v)
		if err != nil {
			return fmt.Errorf("encode date-time: %w", err)
		}
		c.int64(d.UnixMicro() - epoch.UnixMicro())
	case catalog.YesNo:
		c.b = append(c.b, 0, 0, 0, 1)
		if v == "true" {
			c.b = append(c.b, 1)
		} else {
			c.b = append(c.b, 0)
		}
	case catalog.Choices:
		c.texts(strings.Split(v, value.ListSeparator))
	default:
		c.text(v)
	}
	return nil
}

// numeric writes a decimal as base-10000 digits (numeric_send).
func (c *copyBuffer) numeric(v string) error {
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

// copyStream is a COPY in progress on a connection of its own.
type copyStream struct {
	copyBuffer
	pipe *io.PipeWriter
	done chan error
	rows int64
}

const copyFlush = 256 << 10

// copyInto starts a COPY into a table; end must be called.
func copyInto(ctx context.Context, pool *pgxpool.Pool, table string, columns []string) *copyStream {
	r, w := io.Pipe()
	s := &copyStream{pipe: w, done: make(chan error, 1)}
	s.b = append(make([]byte, 0, copyFlush+64<<10), copyHeader...)
	go func() {
		err := pool.AcquireFunc(ctx, func(conn *pgxpool.Conn) error {
			_, err := conn.Conn().PgConn().CopyFrom(ctx, r, "copy "+table+" ("+strings.Join(columns, ", ")+") from stdin (format binary)")
			return err
		})
		r.CloseWithError(err)
		s.done <- err
	}()
	return s
}

// flush sends what has gathered, when it is enough.
func (s *copyStream) flush() error {
	s.rows++
	if len(s.b) < copyFlush {
		return nil
	}
	return s.send()
}

func (s *copyStream) send() error {
	if _, err := s.pipe.Write(s.b); err != nil {
		return fmt.Errorf("copy: %w", err)
	}
	s.b = s.b[:0]
	return nil
}

// end finishes the COPY, or gives it up when failed is not nil.
func (s *copyStream) end(failed error) error {
	if failed == nil {
		s.b = binary.BigEndian.AppendUint16(s.b, 0xffff)
		failed = s.send()
	}
	if failed != nil {
		s.pipe.CloseWithError(failed)
		if err := <-s.done; err != nil && sqlState(err) != "57014" && sqlState(err) != "" {
			return fmt.Errorf("copy: %w", err)
		}
		return failed
	}
	s.pipe.Close()
	if err := <-s.done; err != nil {
		return fmt.Errorf("copy: %w", err)
	}
	return nil
}

// copyOut runs a query through COPY and calls f with each row's fields; a nil
// field is null. The slices are used again.
func copyOut(ctx context.Context, pool *pgxpool.Pool, query string, f func(fields [][]byte) error) error {
	return pool.AcquireFunc(ctx, func(conn *pgxpool.Conn) error { return copyOutOn(ctx, conn.Conn(), query, f) })
}

func copyOutOn(ctx context.Context, conn *pgx.Conn, query string, f func(fields [][]byte) error) error {
	ctx, cancel := context.WithCancel(ctx)
	defer cancel()
	r, w := io.Pipe()
	done := make(chan error, 1)
	go func() {
		_, err := conn.PgConn().CopyTo(ctx, w, "copy ("+query+") to stdout (format binary)")
		w.CloseWithError(err)
		done <- err
	}()
	err := readCopy(bufio.NewReaderSize(r, 256<<10), f)
	if err != nil {
		cancel()
		r.CloseWithError(err)
		<-done
		return err
	}
	return <-done
}

func readCopy(r *bufio.Reader, f func(fields [][]byte) error) error {
	if _, err := r.Discard(len(copyHeader)); err != nil {
		return fmt.Errorf("read copied rows: %w", err)
	}
	var head [4]byte
	var buf []byte
	var fields [][]byte
	for {
		if _, err := io.ReadFull(r, head[:2]); err != nil {
			return fmt.Errorf("read copied rows: %w", err)
		}
		n := int16(binary.BigEndian.Uint16(head[:2]))
		if n < 0 {
			_, err := io.Copy(io.Discard, r)
			return err
		}
		fields = fields[:0]
		buf = buf[:0]
		var spans [][2]int
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
			buf = append(buf, make([]byte, size)...)
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

// textArray reads an array of text that COPY has written. The texts are parts
// of one new string, so they may be kept.
func textArray(b []byte, into []string) []string {
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

func int64Of(b []byte) int64 { return int64(binary.BigEndian.Uint64(b)) }
