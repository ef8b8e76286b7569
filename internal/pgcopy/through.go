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

// Through runs a query through COPY, lets workers make other rows of its rows,
// several batches of them side by side, and adds these to the tables in the
// order in which the query gave theirs. Passed is told, in that order, how many
// rows of the query have been added so far; it may be nil. With one worker the
// rows pass it in their order. A panic of a worker is an error.
func Through(ctx context.Context, on OnConn, query string, workers []Worker, into []*In,
	passed func(rows int64) error) error {
	todo, line := make(chan *batch), make(chan *batch, 2*len(workers))
	free := make(chan *batch, cap(line)+len(workers)+1)
	stop := make(chan struct{})
	var working sync.WaitGroup
	for _, w := range workers {
		working.Go(func() {
			for b := range todo {
				b.err = fault.Safely(func() error { return b.work(w) })
				close(b.done)
			}
		})
	}
	given := make(chan error, 1)
	go func() {
		defer close(line)
		defer close(todo)
		given <- cut(ctx, on, query, len(into), free, func(b *batch) bool {
			select {
			case line <- b:
			case <-stop:
				return false
			}
			select {
			case todo <- b:
				return true
			case <-stop:
				return false
			}
		})
	}()
	var failed error
	var rows int64
	for b := range line {
		if failed != nil {
			continue
		}
		<-b.done
		rows += int64(b.rows)
		if failed = b.add(into); failed == nil && passed != nil {
			failed = passed(rows)
		}
		if failed != nil {
			close(stop)
			continue
		}
		select {
		case free <- b:
		default:
		}
	}
	working.Wait()
	if err := <-given; failed == nil {
		failed = err
	}
	return failed
}

// errStopped ends a query whose rows nobody wants any more.
var errStopped = errors.New("the rows are not wanted any more")

// cut runs a query and hands its rows on in batches; give is false when no more is wanted.
func cut(ctx context.Context, on OnConn, query string, tables int, free <-chan *batch, give func(b *batch) bool) error {
	next := func() *batch {
		select {
		case b := <-free:
			b.rows, b.out.b, b.done = 0, b.out.b[:0], make(chan struct{})
			return b
		default:
			return &batch{in: make([]Buffer, tables), done: make(chan struct{})}
		}
	}
	b := next()
	err := Out(ctx, on, query, func(fields [][]byte) error {
		b.out.Row(len(fields))
		for _, f := range fields {
			b.out.Raw(f)
		}
		if b.rows++; b.rows < batchRows && len(b.out.b) < batchBytes {
			return nil
		}
		if !give(b) {
			return errStopped
		}
		b = next()
		return nil
	})
	if err == nil && b.rows > 0 && !give(b) {
		err = errStopped
	}
	return err
}

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
