package work

import (
	"archive/zip"
	"context"
	"encoding/csv"
	"fmt"
	"io"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
	"uchi/internal/core/value"
	"uchi/internal/core/view"
	"uchi/internal/store"
)

// mostOffered is up to how many records a drop-down offers those of a type by name.
const mostOffered = 300

// held are the kinds of cells of a workbook that values of a type are written to.
var held = map[catalog.FieldType]sheet.Holds{
	catalog.Date: sheet.Days, catalog.DateTime: sheet.Moments,
	catalog.Integer: sheet.Numbers, catalog.Decimal: sheet.Numbers, catalog.Money: sheet.Numbers,
	catalog.Percent: sheet.Numbers,
}

// examples are what a value of a type looks like.
var examples = map[catalog.FieldType]string{
	catalog.Date: "2026-03-31", catalog.DateTime: "2026-03-31 14:30", catalog.Integer: "12", catalog.Decimal: "2.5",
	catalog.Money: "1250.00", catalog.Percent: "60", catalog.YesNo: "yes",
	catalog.Email: "name@company.example", catalog.Phone: "+47 22 00 00 00", catalog.URL: "https://company.example",
	catalog.Country: "Norway", catalog.Language: "nb", catalog.Currency: "EUR",
}

// Starting readies an empty sheet to be filled in for records of one type, or of
// several, a sheet each: required fields first, with what belongs into each column, and
// a row that shows what a filled one looks like, which is not loaded. It gives a
// function that writes it, and how the file's name ends. What is wrong with the choice
// is said before.
func (s *Service) Starting(ctx context.Context, workspace string, typeNames, fields []string,
	format Format) (ending string, write func(w io.Writer) error, err error) {
	c, err := s.store.Catalog(ctx, workspace)
	if err != nil {
		return "", nil, err
	}
	if format != XLSX && format != ODS && format != CSV {
		return "", nil, fault.New(fault.Invalid, "unknown_format",
			"a starter sheet cannot be made so").With(string(format)).Mended("Choose xlsx, ods or csv.")
	}
	var book sheet.Book
	for _, name := range typeNames {
		t, err := c.MustType(name)
		if err != nil {
			return "", nil, err
		}
		list, err := chosen(t, fields)
		if err != nil {
			return "", nil, err
		}
		one, err := s.starterSheet(ctx, workspace, c, t, list)
		if err != nil {
			return "", nil, err
		}
		book.Sheets = append(book.Sheets, one)
		book.Guide = append(book.Guide, guideLines(c, t, list)...)
	}
	book.Guide = slices.Insert(book.Guide, 0, sheet.GuideHeader)
	switch {
	case format == XLSX:
		return "xlsx", func(w io.Writer) error { return sheet.WriteXLSX(w, book) }, nil
	case format == ODS:
		return "ods", func(w io.Writer) error { return sheet.WriteODS(w, book) }, nil
	case len(book.Sheets) == 1:
		return "csv", func(w io.Writer) error { return writeCSV(w, book.Sheets[0]) }, nil
	}
	return "zip", func(w io.Writer) error { // a file for each type
		z := zip.NewWriter(w)
		for _, one := range book.Sheets {
			f, err := z.Create(one.Name + ".csv")
			if err == nil {
				err = writeCSV(f, one)
			}
			if err != nil {
				return fmt.Errorf("write starter sheet: %w", err)
			}
		}
		return z.Close()
	}, nil
}

// writeCSV writes a sheet as RFC 4180, in UTF-8 with a byte order mark.
func writeCSV(w io.Writer, one sheet.BookSheet) error {
	if _, err := io.WriteString(w, "\ufeff"); err != nil {
		return err
	}
	out := csv.NewWriter(w)
	header := make([]string, len(one.Columns))
	for n, c := range one.Columns {
		header[n] = c.Header
	}
	err := out.Write(header)
	for err == nil {
		var row sheet.BookRow
		if row, err = one.Next(); err == nil {
			err = out.Write(row.Cells)
		}
	}
	if err != io.EOF {
		return err
	}
	out.Flush()
	return out.Error()
}

// starterSheet is the sheet of one record type, with its row that shows how.
func (s *Service) starterSheet(ctx context.Context, workspace string, c catalog.Catalog, t catalog.RecordType,
	list []catalog.Field) (sheet.BookSheet, error) {
	one := sheet.BookSheet{Name: t.Plural}
	slices.SortStableFunc(list, func(a, b catalog.Field) int { return order(b.Required) - order(a.Required) })
	shows := sheet.BookRow{}
	for n, f := range list {
		column, err := s.bookColumn(ctx, workspace, c, f)
		if err != nil {
			return one, err
		}
		one.Columns = append(one.Columns, column)
		example := exampleOf(f, column.Choices)
		if n == 0 {
			example = strings.TrimSpace(mapping.ExampleMark + " " + example)
		}
		shows.Cells = append(shows.Cells, example)
	}
	done := false
	one.Next = func() (sheet.BookRow, error) {
		if done {
			return shows, io.EOF
		}
		done = true
		return shows, nil
	}
	return one, nil
}

// bookColumn is the column of a workbook for a field.
func (s *Service) bookColumn(ctx context.Context, workspace string, c catalog.Catalog,
	f catalog.Field) (sheet.BookColumn, error) {
	offered, err := s.offered(ctx, workspace, c, f)
	column := sheet.BookColumn{Header: f.Label, Holds: held[f.Type], Note: wants(c, f), Required: f.Required,
		Choices: offered}
	if f.Type == catalog.Money {
		column.Digits = f.Digits()
	}
	return column, err
}

// exampleOf shows what a value of a field looks like.
func exampleOf(f catalog.Field, offered []string) string {
	switch {
	case f.Type == catalog.Reference:
		return "" // whatever it named would have to be there
	case f.Type == catalog.OneChoice && len(offered) > 0:
		return offered[0]
	case f.Type == catalog.Text && f.Required:
		return f.Label
	}
	return examples[f.Type]
}

// guideLines explain the fields of a type, and what its rules want.
func guideLines(c catalog.Catalog, t catalog.RecordType, list []catalog.Field) (lines [][]string) {
	for _, f := range list {
		lines = append(lines, []string{t.Plural, f.Label, kindOf(f), requiredWord(t, f), takes(c, f),
			examples[f.Type], f.Help})
	}
	for _, r := range t.Rules {
		label := ""
		if f, ok := t.Field(r.Field); ok {
			label = f.Label
		}
		lines = append(lines, []string{t.Plural, label, "rule", "", "", "", r.Message})
	}
	return lines
}

// chosen gives the fields of these names in their order, or all that are in use.
func chosen(t catalog.RecordType, names []string) ([]catalog.Field, error) {
	if len(names) == 0 {
		return t.Offered().Fields, nil
	}
	var fields []catalog.Field
	for _, name := range names {
		f, ok := t.Field(name)
		if !ok {
			return nil, fault.New(fault.Invalid, "unknown_field", "the record type "+t.Name+
				" has no such field").With(name).Mended("See its fields, or leave the choice out for all of them.")
		}
		fields = append(fields, f)
	}
	return fields, nil
}

func order(required bool) int {
	if required {
		return 1
	}
	return 0
}

// offered gives what the drop-down of a field offers: its choices, yes and no,
// countries, or the records of a type that has few.
func (s *Service) offered(ctx context.Context, workspace string, c catalog.Catalog, f catalog.Field) (list []string,
	err error) {
	switch f.Type {
	case catalog.YesNo:
		return []string{"yes", "no"}, nil
	case catalog.Country:
		for _, country := range value.Countries() {
			list = append(list, country.Label)
		}
		slices.Sort(list)
	case catalog.Reference:
		records, more, err := s.store.Records(ctx, workspace, f.To,
			store.RecordFilter{View: view.View{Columns: []string{"id"}, Sort: []string{"title"}}, Limit: mostOffered})
		if err != nil || more != "" {
			return nil, err
		}
		for _, r := range records {
			list = append(list, r.Title)
		}
	default:
		for _, ch := range f.Choices {
			if !ch.Closed && f.Type != catalog.Choices {
				list = append(list, ch.Label)
			}
		}
	}
	return list, nil
}

// kindOf says of which type and length the values of a field are.
func kindOf(f catalog.Field) string {
	what := strings.ReplaceAll(string(f.Type), "_", " ")
	if n := f.MaxLength(); n > 0 {
		what += fmt.Sprintf(", at most %d characters", n)
	}
	return what
}

// wants says in a few lines what a field wants.
func wants(c catalog.Catalog, f catalog.Field) string {
	lines := []string{f.Help}
	if f.Required {
		lines = append(lines, "Required.")
	}
	lines = append(lines, "Type: "+kindOf(f)+".", takes(c, f))
	if e := examples[f.Type]; e != "" {
		lines = append(lines, "For example "+e+".")
	}
	return strings.Join(slices.DeleteFunc(lines, func(l string) bool { return l == "" }), "\n")
}

// takes says which values a field takes, where they are few or of a kind.
func takes(c catalog.Catalog, f catalog.Field) string {
	switch f.Type {
	case catalog.OneChoice, catalog.Choices:
		var list []string
		for _, ch := range f.Choices {
			if !ch.Closed {
				list = append(list, ch.Label)
			}
		}
		if f.Type == catalog.Choices {
			return "Any of, a semicolon between: " + strings.Join(list, ", ")
		}
		return "One of: " + strings.Join(list, ", ")
	case catalog.YesNo:
		return "yes or no"
	case catalog.Reference:
		if t, ok := c.Type(f.To); ok {
			return "The id, a key or the whole name of one of the " + strings.ToLower(t.Plural)
		}
	}
	if f.Key {
		return "Only one record may have it"
	}
	return ""
}
