package work

import (
	"archive/zip"
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
	"strings"
	"unicode/utf8"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
	"uchi/internal/core/value"
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
	ODS   Format = "ods"   // ISO/IEC 26300
)

// Formats lists them in the order in which they are offered.
var Formats = []Format{CSV, JSONL, XLSX, ODS}

// Export chooses the records and columns of an export, and how they are written.
type Export struct {
	Filter    store.RecordFilter
	Format    Format
	Delimiter string // of CSV: a comma (when empty), a semicolon or a tab
	UTF16     bool   // CSV in UTF-16 instead of UTF-8, both with a byte order mark
}

// Delimiters are those that a CSV can be written with.
var Delimiters = []string{",", ";", "\t"}

// Exporting readies an export: it gives the type, how the file's name ends, and a
// function that streams it. What is wrong with the choice is said before anything is
// written. More records than a sheet holds are workbooks in a ZIP.
func (s *Service) Exporting(ctx context.Context, workspace, typeName string, x Export) (catalog.RecordType, string,
	func(ctx context.Context, w io.Writer) error, error) {
	c, t, err := s.typeOf(ctx, workspace, typeName)
	if err != nil {
		return t, "", nil, err
	}
	if len(x.Filter.Columns) == 0 {
		for _, f := range t.Offered().Fields {
			x.Filter.Columns = append(x.Filter.Columns, f.Name)
		}
	}
	shown, err := view.Read(c, t, x.Filter.View)
	if err != nil {
		return t, "", nil, err
	}
	x.Delimiter = cmp.Or(x.Delimiter, ",")
	if !slices.Contains(Formats, x.Format) {
		return t, "", nil, fault.New(fault.Invalid, "unknown_format",
			"records cannot be exported so").With(string(x.Format)).Mended(fmt.Sprintf("Choose one of %v.", Formats))
	}
	if !slices.Contains(Delimiters, x.Delimiter) {
		return t, "", nil, fault.New(fault.Invalid, "unknown_format",
			"values cannot be parted so").With(x.Delimiter).Mended("Choose a comma, a semicolon or a tab.")
	}
	var head sheet.BookSheet
	n := int64(0)
	if x.Format == XLSX || x.Format == ODS {
		if head, err = s.returnSheet(ctx, workspace, c, t, shown.Columns); err != nil {
			return t, "", nil, err
		}
		if n, err = s.store.CountChosen(ctx, workspace, typeName, x.Filter); err != nil {
			return t, "", nil, err
		}
		x.Filter.Columns = x.Filter.Columns[:0:0]
		for _, p := range withTitles(shown.Columns) {
			x.Filter.Columns = append(x.Filter.Columns, p.Name)
		}
	}
	ending, most := string(x.Format), 0
	if n > sheet.MostBookRows {
		ending, most = "zip", mostPart
	}
	each := func(ctx context.Context, f func(r store.Record) error) error {
		return s.store.EachRecord(ctx, workspace, typeName, x.Filter, f)
	}
	return t, ending, func(ctx context.Context, w io.Writer) error {
		switch x.Format {
		case JSONL:
			return exportLines(ctx, w, shown.Columns, each)
		case XLSX, ODS:
			return exportBooks(ctx, w, x, shown.Columns, head, most, each)
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

// recordVersion is the id of a record with its version, by which a sheet that comes
// back tells what it was made from.
func recordVersion(r store.Record) string {
	return r.Type.RecordID(r.ID) + mapping.VersionMark + strconv.Itoa(r.Version)
}

type eachRecord func(ctx context.Context, f func(r store.Record) error) error

func (s *Service) exportCSV(ctx context.Context, w io.Writer, workspace string, t catalog.RecordType, x Export,
	columns []view.Path) error {
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
		line := map[string]any{"id": recordVersion(r)}
		for _, p := range columns {
			if v := r.Values[p.Name]; v != "" {
				line[p.Name] = v
			}
		}
		return out.Encode(line)
	})
}

// withTitles puts the name of a record beside each reference, to be read.
func withTitles(columns []view.Path) (list []view.Path) {
	for n, p := range columns {
		list = append(list, p)
		if p.Field.Type == catalog.Reference && !p.Own {
			name := p.Name + ".title"
			if n+1 == len(columns) || columns[n+1].Name != name {
				list = append(list, view.Path{Name: name, Links: append(slices.Clone(p.Links), p.Field),
					Field: catalog.Field{Name: "title", Label: "Name", Type: catalog.Text}, Own: true})
			}
		}
	}
	return list
}

// returnSheet is the head of a sheet of records that is made to be changed and brought
// back: the columns of a view, with what belongs into them.
func (s *Service) returnSheet(ctx context.Context, workspace string, c catalog.Catalog, t catalog.RecordType,
	columns []view.Path) (sheet.BookSheet, error) {
	head := sheet.BookSheet{Name: t.Plural, Columns: []sheet.BookColumn{{
		Header: t.Label + " id", Note: "By this the row is known when it comes back: leave it as it is. Rows without " +
			"one are looked up like any others.",
	}}}
	for _, p := range withTitles(columns) {
		if p.Own || len(p.Links) > 0 {
			head.Columns = append(head.Columns, sheet.BookColumn{Header: p.Label(), Holds: held[p.Field.Type],
				Note: "Only to be read: what is changed here is not loaded."})
			continue
		}
		column, err := s.bookColumn(ctx, workspace, c, p.Field)
		if err != nil {
			return head, err
		}
		head.Columns = append(head.Columns, column)
	}
	return head, nil
}

// exportBooks writes records as a workbook, or as several in a ZIP with at most so many
// records each; most is 0 for one.
func exportBooks(ctx context.Context, w io.Writer, x Export, columns []view.Path, head sheet.BookSheet, most int,
	each eachRecord) error {
	var words []func(string) string
	for _, p := range withTitles(columns) {
		words = append(words, inWords(p.Field))
	}
	next, stop := iter.Pull2(func(yield func(sheet.BookRow, error) bool) {
		err := each(ctx, func(r store.Record) error {
			cells := []string{recordVersion(r)}
			for n, name := range x.Filter.Columns {
				v := words[n](r.Values[name])
				// which would come back shortened
				if len(v) > sheet.MostCellText && utf8.RuneCountInString(v) > sheet.MostCellText {
					return fault.New(fault.Invalid, "cell_too_long", fmt.Sprintf("a cell of a workbook holds at most %d characters",
						sheet.MostCellText)).
						With(r.Type.RecordID(r.ID) + " " + name).Mended("Export as CSV, or leave the field out.")
				}
				cells = append(cells, v)
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
	ahead, err, more := next() // one row is read ahead, so that no part is empty
	rows := 0
	head.Next = func() (sheet.BookRow, error) {
		if !more || most > 0 && rows == most {
			return sheet.BookRow{}, io.EOF
		}
		if err != nil {
			return sheet.BookRow{}, err
		}
		row := ahead
		rows++
		ahead, err, more = next()
		return row, nil
	}
	write := sheet.WriteXLSX
	if x.Format == ODS {
		write = sheet.WriteODS
	}
	book := sheet.Book{Sheets: []sheet.BookSheet{head}}
	if most == 0 {
		return write(w, book)
	}
	z := zip.NewWriter(w)
	for part := 1; more; part++ {
		rows = 0
		f, err := z.Create(fmt.Sprintf("%s-%d.%s", head.Name, part, x.Format))
		if err != nil {
			return fmt.Errorf("write workbook: %w", err)
		}
		if err := write(f, book); err != nil {
			return err
		}
	}
	return z.Close()
}

// inWords gives how values of a field stand in a workbook that people work on: codes as
// the words that its drop-down offers.
func inWords(f catalog.Field) func(string) string {
	words := map[string]string{}
	for _, ch := range f.Choices {
		words[ch.Code] = ch.Label
	}
	switch f.Type {
	case catalog.YesNo:
		words["true"], words["false"] = "yes", "no"
	case catalog.Country:
		for _, country := range value.Countries() {
			words[country.Code] = country.Label
		}
	case catalog.Choices:
		return func(v string) string {
			list := strings.Split(v, value.ListSeparator)
			for n, code := range list {
				list[n] = cmp.Or(words[code], code)
			}
			return strings.Join(list, value.ListSeparator)
		}
	}
	return func(v string) string { return cmp.Or(words[v], v) }
}

// mostPart is how many records a part of a large export has.
const mostPart = 1_000_000
