package work

import (
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
	"uchi/internal/core/value"
	"uchi/internal/store"
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

// Export chooses the records and fields of an export.
type Export struct {
	Filter store.RecordFilter
	Fields []string // by name, in their order; all that are in use when empty
	Format Format
}

// Exporting readies an export: it gives the type and a function that streams it. What
// is wrong with the choice is said before anything is written.
func (s *Service) Exporting(ctx context.Context, workspace, typeName string, x Export) (catalog.RecordType, func(ctx context.Context, w io.Writer) error, error) {
	_, t, err := s.typeOf(ctx, workspace, typeName)
	if err != nil {
		return t, nil, err
	}
	fields, err := exported(t, x.Fields)
	if err != nil {
		return t, nil, err
	}
	if !slices.Contains(Formats, x.Format) {
		return t, nil, fault.New(fault.Invalid, "unknown_format", "records cannot be exported so").With(string(x.Format)).Mended(fmt.Sprintf("Choose one of %v.", Formats))
	}
	each := func(ctx context.Context, f func(r store.Record) error) error {
		return s.store.EachRecord(ctx, workspace, typeName, x.Filter, f)
	}
	return t, func(ctx context.Context, w io.Writer) error {
		switch x.Format {
		case JSONL:
			return exportLines(ctx, w, fields, each)
		case XLSX:
			return exportBook(ctx, w, t, fields, each)
		}
		return exportCSV(ctx, w, t, fields, each)
	}, nil
}

// exported gives the fields of an export.
func exported(t catalog.RecordType, names []string) ([]catalog.Field, error) {
	var fields []catalog.Field
	for _, f := range t.Fields {
		if len(names) == 0 && !f.Retired {
			fields = append(fields, f)
		}
	}
	for _, name := range names {
		f, ok := t.Field(name)
		if !ok {
			return nil, fault.New(fault.Invalid, "unknown_field", "the record type "+t.Name+" has no such field").With(name).Mended("See its fields, or leave the choice out for all of them.")
		}
		fields = append(fields, f)
	}
	return fields, nil
}

// exportHeader names the columns so that they go to their fields by themselves when
// the sheet is brought back.
func exportHeader(t catalog.RecordType, fields []catalog.Field) []string {
	header := []string{t.Label + " id"}
	for _, f := range fields {
		header = append(header, f.Label)
	}
	return header
}

// exportRow gives the cells of a record: its id with its version, by which a sheet
// that comes back tells what it was made from, and its values, references by the ids
// of their records.
func exportRow(cells []string, r store.Record, fields []catalog.Field) []string {
	cells = append(cells, r.Type.RecordID(r.ID)+mapping.VersionMark+strconv.Itoa(r.Version))
	for _, f := range fields {
		cells = append(cells, exportValue(r, f))
	}
	return cells
}

func exportValue(r store.Record, f catalog.Field) string {
	if l, ok := r.Links[f.Name]; ok {
		return l.ID
	}
	return r.Values[f.Name]
}

type eachRecord func(ctx context.Context, f func(r store.Record) error) error

func exportCSV(ctx context.Context, w io.Writer, t catalog.RecordType, fields []catalog.Field, each eachRecord) error {
	if _, err := io.WriteString(w, "\ufeff"); err != nil {
		return err
	}
	out := csv.NewWriter(w)
	if err := out.Write(exportHeader(t, fields)); err != nil {
		return err
	}
	var cells []string
	err := each(ctx, func(r store.Record) error {
		cells = exportRow(cells[:0], r, fields)
		for n := range cells {
			cells[n] = value.Guard(cells[n])
		}
		return out.Write(cells)
	})
	if err != nil {
		return err
	}
	out.Flush()
	return out.Error()
}

func exportLines(ctx context.Context, w io.Writer, fields []catalog.Field, each eachRecord) error {
	out := json.NewEncoder(w)
	out.SetEscapeHTML(false)
	return each(ctx, func(r store.Record) error {
		line := map[string]any{"id": r.Type.RecordID(r.ID), "version": r.Version}
		for _, f := range fields {
			if v := exportValue(r, f); v != "" {
				line[f.Name] = v
			}
		}
		return out.Encode(line)
	})
}

func exportBook(ctx context.Context, w io.Writer, t catalog.RecordType, fields []catalog.Field, each eachRecord) error {
	next, stop := iter.Pull2(func(yield func(sheet.BookRow, error) bool) {
		err := each(ctx, func(r store.Record) error {
			cells := exportRow(nil, r, fields)
			for n, c := range cells { // which would come back shortened
				if len(c) > sheet.MostCellText && utf8.RuneCountInString(c) > sheet.MostCellText {
					return fault.New(fault.Invalid, "cell_too_long", fmt.Sprintf("a cell of a workbook holds at most %d characters", sheet.MostCellText)).
						With(r.Type.RecordID(r.ID) + " " + fields[n-1].Name).Mended("Export as CSV, or leave the field out.")
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
	return sheet.WriteBook(w, t.Plural, exportHeader(t, fields), func() (sheet.BookRow, error) {
		row, err, ok := next()
		if !ok {
			return row, io.EOF
		}
		return row, err
	})
}
