package pgcopy

import (
	"context"
	"encoding/binary"
	"errors"
	"sync"

	"uchi/internal/core/fault"
)

// Worker makes of one row that streams out the rows that stream in, each into
// the buffer of its table. It is called by one goroutine at a time; the fields
// are used again, as in Out.
type Worker func(fields [][]byte, to []Buffer) error

// batch is a run of rows on its way: as they came out, then as they go in.
type batch struct {
	rows int
	out  Buffer   // in the binary format, without header
	in   []Buffer // one for each table
	err  error
	done chan struct{} // closed when a worker has done with it
}

// Bounds of a batch: as many rows as are worth the change of hands, fewer of long ones.
const (
	batchRows  = 250
	batchBytes = 256 << 10
)

// Line passes rows through workers, several batches of them side by side, and adds the rows that these make to tables, in
// the order in which theirs were given. With one worker the rows pass it in their order. A panic of a worker is an error.
type Line struct {
	b      *batch // that is being filled
	tables int
	todo   chan *batch
	line   chan *batch // in their order
	free   chan *batch
	stop   chan struct{} // closed when no more rows are wanted
	ended  chan error
}

// NewLine begins a line, of which End must be called. Passed is told, in the order of the rows, how many of them have been
// added so far; it may be nil.
func NewLine(workers []Worker, into []*In, passed func(rows int64) error) *Line {
	l := &Line{tables: len(into), todo: make(chan *batch), line: make(chan *batch, 2*len(workers)),
		stop: make(chan struct{}), ended: make(chan error, 1)}
	l.free = make(chan *batch, cap(l.line)+len(workers)+1)
	l.b = l.next()
	var working sync.WaitGroup
	for _, w := range workers {
		working.Go(func() {
			for b := range l.todo {
				b.err = fault.Safely(func() error { return b.work(w) })
				close(b.done)
			}
		})
	}
	go func() {
		err := l.add(into, passed)
		working.Wait()
		l.ended <- err
	}()
	return l
}

// add adds what the workers have made of each batch.
func (l *Line) add(into []*In, passed func(rows int64) error) (failed error) {
	var rows int64
	for b := range l.line {
		if failed != nil {
			continue
		}
		<-b.done
		rows += int64(b.rows)
		if failed = b.add(into); failed == nil && passed != nil {
			failed = passed(rows)
		}
		if failed != nil {
			close(l.stop)
			continue
		}
		select {
		case l.free <- b:
		default:
		}
	}
	return failed
}

// next gives an empty batch.
func (l *Line) next() *batch {
	select {
	case b := <-l.free:
		b.rows, b.out.b, b.done = 0, b.out.b[:0], make(chan struct{})
		return b
	default:
		return &batch{in: make([]Buffer, l.tables), done: make(chan struct{})}
	}
}

// Row begins a row of so many columns and gives the buffer for their values. Next stands behind them.
func (l *Line) Row(columns int) *Buffer {
	l.b.out.Row(columns)
	return &l.b.out
}

// Next hands the rows on when there are enough. An error says that no more are wanted; End tells why.
func (l *Line) Next() error {
	if l.b.rows++; l.b.rows < batchRows && len(l.b.out.b) < batchBytes {
		return nil
	}
	if !l.give() {
		return errStopped
	}
	l.b = l.next()
	return nil
}

// give puts a batch into the line and to work.
func (l *Line) give() bool {
	select {
	case l.line <- l.b:
	case <-l.stop:
		return false
	}
	select {
	case l.todo <- l.b:
		return true
	case <-l.stop:
		return false
	}
}

// End waits until all rows have passed, and gives what went wrong with them, else failed.
func (l *Line) End(failed error) error {
	if failed == nil && l.b.rows > 0 && !l.give() {
		failed = errStopped
	}
	close(l.todo)
	close(l.line)
	if err := <-l.ended; err != nil {
		return err
	}
	return failed
}

// From lets the rows of a query pass, by COPY.
func (l *Line) From(ctx context.Context, on OnConn, query string) error {
	return Out(ctx, on, query, func(fields [][]byte) error {
		row := l.Row(len(fields))
		for _, f := range fields {
			row.Raw(f)
		}
		return l.Next()
	})
}

// Through lets the rows of a query pass a line of their own.
func Through(ctx context.Context, on OnConn, query string, workers []Worker, into []*In,
	passed func(rows int64) error) error {
	l := NewLine(workers, into, passed)
	return l.End(l.From(ctx, on, query))
}

// errStopped ends what gives rows that nobody wants any more.
var errStopped = errors.New("the rows are not wanted any more")

// work lets a worker make what goes in of all rows of the batch.
func (b *batch) work(w Worker) error {
	var fields [][]byte
	for rest := b.out.b; len(rest) > 0; {
		fields, rest = fieldsOf(rest, fields)
		if err := w(fields, b.in); err != nil {
			return err
		}
	}
	return nil
}

// add adds what goes in to the tables.
func (b *batch) add(into []*In) error {
	if b.err != nil {
		return b.err
	}
	for n, to := range into {
		if err := to.append(&b.in[n]); err != nil {
			return err
		}
	}
	return nil
}

// fieldsOf reads the fields of the first row of some in the binary format into a
// list that is used again; they are parts of it. A nil field is null.
func fieldsOf(b []byte, into [][]byte) (fields [][]byte, rest []byte) {
	fields = into[:0]
	n := binary.BigEndian.Uint16(b)
	b = b[2:]
	for range n {
		size := int32(binary.BigEndian.Uint32(b))
		b = b[4:]
		if size < 0 {
			fields = append(fields, nil)
			continue
		}
		fields = append(fields, b[:size:size])
		b = b[size:]
	}
	return fields, b
}
