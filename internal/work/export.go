package work

import (
	"cmp"
	"context"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"iter"
	"slices"
	"strconv"
	"unicode/utf8"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
	"uchi/internal/core/view"
	"uchi/internal/store"

	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"
)

// Format is the form in which records are exported.
type Format string

// The forms.
const (
	CSV   Format = "csv"   // RFC 4180, UTF-8 with a byte order mark
	JSONL Format = "jsonl" // one JSON object a line
	XLSX  Format = "xlsx"  // ECMA-376
)

// Formats lists them in the order in which they are offered.
var Formats = []Format{CSV, JSONL, XLSX}

// Export chooses the records and columns of an export, and how they are written.
type Export struct {
	Filter    store.RecordFilter
	Format    Format
	Delimiter string // of CSV: a comma (when empty), a semicolon or a tab
	UTF16     bool   // CSV in UTF-16 instead of UTF-8, both with a byte order mark
}

// Delimiters are those that a CSV can be written with.
var Delimiters = []string{",", ";", "\t"}

// Exporting readies an export: it gives the type and a function that streams it. What
// is wrong with the choice is said before anything is written.
func (s *Service) Exporting(ctx context.Context, workspace, typeName string, x Export) (catalog.RecordType, func(ctx context.Context, w io.Writer) error, error) {
	c, t, err := s.typeOf(ctx, workspace, typeName)
	if err != nil {
		return t, nil, err
	}
	if len(x.Filter.Columns) == 0 {
		for _, f := range t.Offered().Fields {
			x.Filter.Columns = append(x.Filter.Columns, f.Name)
		}
	}
	shown, err := view.Read(c, t, x.Filter.View)
	if err != nil {
		return t, nil, err
	}
	x.Delimiter = cmp.Or(x.Delimiter, ",")
	if !slices.Contains(Formats, x.Format) {
		return t, nil, fault.New(fault.Invalid, "unknown_format", "records cannot be exported so").With(string(x.Format)).Mended(fmt.Sprintf("Choose one of %v.", Formats))
	}
	if !slices.Contains(Delimiters, x.Delimiter) {
		return t, nil, fault.New(fault.Invalid, "unknown_format", "values cannot be parted so").With(x.Delimiter).Mended("Choose a comma, a semicolon or a tab.")
	}
	each := func(ctx context.Context, f func(r store.Record) error) error {
		return s.store.EachRecord(ctx, workspace, typeName, x.Filter, f)
	}
	return t, func(ctx context.Context, w io.Writer) error {
		switch x.Format {
		case JSONL:
			return exportLines(ctx, w, shown.Columns, each)
		case XLSX:
			return exportBook(ctx, w, t, shown.Columns, each)
		}
		return s.exportCSV(ctx, w, workspace, t, x, shown.Columns)
	}, nil
}

// exportHeader names the columns so that they go to their fields by themselves when
// the sheet is brought back; those of other records are only to be read.
func exportHeader(t catalog.RecordType, columns []view.Path) []string {
	header := []string{t.Label + " id"}
	for _, p := range columns {
		header = append(header, p.Label())
	}
	return header
}

// exportRow gives the cells of a record: its id with its version, by which a sheet
// that comes back tells what it was made from, and its values, references by the ids
// of their records.
func exportRow(cells []string, r store.Record, columns []view.Path) []string {
	cells = append(cells, r.Type.RecordID(r.ID)+mapping.VersionMark+strconv.Itoa(r.Version))
	for _, p := range columns {
		cells = append(cells, r.Values[p.Name])
	}
	return cells
}

type eachRecord func(ctx context.Context, f func(r store.Record) error) error

func (s *Service) exportCSV(ctx context.Context, w io.Writer, workspace string, t catalog.RecordType, x Export, columns []view.Path) error {
	var encoded io.WriteCloser
	if x.UTF16 {
		encoded = transform.NewWriter(w, unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewEncoder())
		w = encoded
	} else if _, err := io.WriteString(w, "\ufeff"); err != nil {
		return err
	}
	out := csv.NewWriter(w)
	out.Comma = rune(x.Delimiter[0])
	if err := out.Write(exportHeader(t, columns)); err != nil {
		return err
	}
	if out.Flush(); out.Error() != nil {
		return out.Error()
	}
	if err := s.store.CopyRecords(ctx, workspace, t.Name, x.Filter, x.Delimiter, mapping.VersionMark, w); err != nil {
		return err
	}
	if encoded != nil {
		return encoded.Close()
	}
	return nil
}

func exportLines(ctx context.Context, w io.Writer, columns []view.Path, each eachRecord) error {
	out := json.NewEncoder(w)
	out.SetEscapeHTML(false)
	return each(ctx, func(r store.Record) error {
		line := map[string]any{"id": r.Type.RecordID(r.ID), "version": r.Version}
		for _, p := range columns {
			if v := r.Values[p.Name]; v != "" {
				line[p.Name] = v
			}
		}
		return out.Encode(line)
	})
}

func exportBook(ctx context.Context, w io.Writer, t catalog.RecordType, columns []view.Path, each eachRecord) error {
	next, stop := iter.Pull2(func(yield func(sheet.BookRow, error) bool) {
		err := each(ctx, func(r store.Record) error {
			cells := exportRow(nil, r, columns)
			for n, c := range cells { // which would come back shortened
				if len(c) > sheet.MostCellText && utf8.RuneCountInString(c) > sheet.MostCellText {
					return fault.New(fault.Invalid, "cell_too_long", fmt.Sprintf("a cell of a workbook holds at most %d characters", sheet.MostCellText)).
						With(r.Type.RecordID(r.ID) + " " + columns[n-1].Name).Mended("Export as CSV, or leave the field out.")
				}
			}
			if !yield(sheet.BookRow{Cells: cells}, nil) {
				return errEnough
			}
			return nil
		})
		if err != nil && !errors.Is(err, errEnough) {
			yield(sheet.BookRow{}, err)
		}
	})
	defer stop()
	return sheet.WriteBook(w, t.Plural, exportHeader(t, columns), func() (sheet.BookRow, error) {
		row, err, ok := next()
		if !ok {
			return row, io.EOF
		}
		return row, err
	})
}
