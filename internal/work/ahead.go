package work

import (
	"context"
	"slices"

	"uchi/internal/core/fault"
	"uchi/internal/core/sheet"
	"uchi/internal/staging"
	"uchi/internal/store"
)

// Where a check is to follow at once, rows are typed while they are read: by the routine that the import has, or by what the
// first rows suggest. If the whole source suggests something else, or somebody changes it before the check, the check types
// them anew.

// leastAhead is from how many bytes on the rows of a source are typed while they are read: to ask the first rows what they are
// takes as long as is won with some 30,000.
const leastAhead = 4 << 20

// Bounds of what waits for the first rows to have said what they are: from how many rows or cells on they are asked, and how
// many cells and bytes wait at most.
const (
	firstRows      = 3000
	firstCells     = 100_000
	mostWaiting    = 600_000
	longestWaiting = 32 << 20
)

// ahead types rows while they are read. It is for one goroutine; nil types none.
type ahead struct {
	begin   func(first []sheet.Row) (*staging.Ahead, error)
	waiting []sheet.Row
	cells   int // of these
	bytes   int
	asked   chan answer    // once the first rows were asked
	typing  *staging.Ahead // once they have answered
	over    bool           // no more is typed
	failed  error
}

// answer is the typing that has begun; none without an error where the rows are not to be typed ahead.
type answer struct {
	typing *staging.Ahead
	err    error
}

// aheadOf readies the typing of the rows of a source for the check that is to follow at once; nil where none does, or it is
// small.
func (s *Service) aheadOf(ctx context.Context, r store.Run, i store.Import, st *staged) (*ahead, error) {
	if !i.AtOnce || i.Written || i.FileBytes < s.opt.AheadFrom {
		return nil, nil
	}
	if err := s.room.DropTyped(ctx, r); err != nil { // of an earlier attempt
		return nil, err
	}
	return &ahead{begin: func(first []sheet.Row) (*staging.Ahead, error) { return s.typeAhead(ctx, r, i, st, first) }}, nil
}

// typeAhead begins the typing by what the first rows suggest; nil where they suggest nothing that could be typed so.
func (s *Service) typeAhead(ctx context.Context, r store.Run, i store.Import, st *staged,
	first []sheet.Row) (*staging.Ahead, error) {
	profile := sheet.NewProfiler(st.table.Header)
	for _, row := range first {
		profile.Add(row)
	}
	columns, _ := profile.Profile()
	c, err := s.store.Catalog(ctx, i.Workspace)
	if err != nil {
		return nil, err
	}
	result := store.ReadResult{Findings: st.findings, Columns: columns, Reading: i.Reading.V}
	if err := s.firstMapping(ctx, c, i, &result); err != nil || result.Routine == nil || result.Reading != i.Reading.V {
		return nil, err
	}
	i.Columns.V = columns
	_, plan, err := s.planWith(ctx, i, *result.Routine, c)
	if err != nil || plan.Grouped() || plan.NamesFiles() {
		return nil, err
	}
	return s.room.NewCheck(r, i, plan, c).TypeAhead(ctx)
}

// add types a row, or lets it wait for the answer of the first ones. What goes wrong is told by end.
func (a *ahead) add(row sheet.Row) {
	if a == nil || a.over {
		return
	}
	if a.typing != nil {
		a.over = a.typing.Add(row) != nil
		return
	}
	row.Cells = slices.Clone(row.Cells)
	a.waiting, a.cells = append(a.waiting, row), a.cells+len(row.Cells)
	for _, c := range row.Cells {
		a.bytes += len(c)
	}
	if a.asked == nil && (len(a.waiting) == firstRows || a.cells >= firstCells) {
		first, asked := slices.Clip(a.waiting), make(chan answer, 1)
		go func() {
			var got answer
			got.err = fault.Safely(func() (err error) {
				got.typing, err = a.begin(first)
				return err
			})
			asked <- got
		}()
		a.asked = asked
	}
	if a.asked != nil {
		a.goOn(a.cells > mostWaiting || a.bytes > longestWaiting)
	}
}

// goOn types the rows that have waited, if the first ones have answered, or once they have.
func (a *ahead) goOn(wait bool) {
	var got answer
	select {
	case got = <-a.asked:
	default:
		if !wait {
			return
		}
		got = <-a.asked
	}
	a.typing, a.failed = got.typing, got.err
	a.over = got.typing == nil
	for _, row := range a.waiting {
		if a.over {
			break
		}
		a.over = a.typing.Add(row) != nil
	}
	a.waiting = nil
}

// end waits until all rows are typed, or gives up when failed is not nil. It must be called.
func (a *ahead) end(ctx context.Context, failed error) error {
	if a == nil {
		return nil
	}
	if a.asked != nil && a.typing == nil && !a.over {
		a.goOn(true)
	}
	if a.typing == nil {
		return a.failed
	}
	return a.typing.End(ctx, failed)
}
