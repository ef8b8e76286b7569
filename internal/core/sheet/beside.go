package sheet

import "uchi/internal/core/fault"

// Beside makes a profile in a goroutine of its own, while its caller goes on with
// the rows. Add and End are for one goroutine.
type Beside struct {
	rows    []Row
	cells   []string // of these rows
	batches chan []Row
	done    chan error
}

// besideRows is how many rows are handed over at a time, besideCells of how many cells at most.
const (
	besideRows  = 256
	besideCells = 16 << 10
)

// Beside starts to take rows into the profile, which nobody may look at before End.
func (p *Profiler) Beside() *Beside {
	b := &Beside{batches: make(chan []Row, 2), done: make(chan error, 1)}
	go func() {
		err := fault.Safely(func() error { return p.addAll(b.batches) })
		for range b.batches { // what came after a panic
		}
		b.done <- err
	}()
	return b
}

func (p *Profiler) addAll(batches <-chan []Row) error {
	for rows := range batches {
		for _, row := range rows {
			p.Add(row)
		}
	}
	return nil
}

// Add takes one row into the profile; its cells may be used again.
func (b *Beside) Add(row Row) {
	from := len(b.cells)
	b.cells = append(b.cells, row.Cells...)
	row.Cells = b.cells[from:len(b.cells):len(b.cells)]
	if b.rows = append(b.rows, row); len(b.rows) == besideRows || len(b.cells) > besideCells {
		b.send()
	}
}

func (b *Beside) send() {
	b.batches <- b.rows
	b.rows, b.cells = make([]Row, 0, len(b.rows)), make([]string, 0, cap(b.cells))
}

// End waits until all rows are in the profile. It must be called.
func (b *Beside) End() error {
	if len(b.rows) > 0 {
		b.send()
	}
	close(b.batches)
	return <-b.done
}
