package work

import (
	"context"
	"encoding/csv"
	"fmt"
	"io"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/sheet"
	"uchi/internal/core/value"
	"uchi/internal/core/view"
	"uchi/internal/store"
)

// mostOffered is up to how many records a drop-down offers those of a type by name.
const mostOffered = 300

// numberFormats are those of the cells of a starter sheet, by the type of the field.
var numberFormats = map[catalog.FieldType]string{
	catalog.Date: "yyyy-mm-dd", catalog.DateTime: "yyyy-mm-dd hh:mm", catalog.Integer: "0", catalog.Decimal: "0.######", catalog.Money: "0.00", catalog.Percent: "0.##",
}

// examples are what a value of a type looks like.
var examples = map[catalog.FieldType]string{
	catalog.Date: "2026-03-31", catalog.DateTime: "2026-03-31 14:30", catalog.Integer: "12", catalog.Decimal: "2.5", catalog.Money: "1250.00", catalog.Percent: "60", catalog.YesNo: "yes",
	catalog.Email: "name@company.example", catalog.Phone: "+47 22 00 00 00", catalog.URL: "https://company.example", catalog.Country: "Norway", catalog.Language: "nb", catalog.Currency: "EUR",
}

// Starting readies an empty sheet to be filled in for records of one type, or of
// several, a sheet each: required fields first, with what belongs into each column.
// It gives a function that writes it. What is wrong with the choice is said before.
func (s *Service) Starting(ctx context.Context, workspace string, typeNames, fields []string, format Format) (func(w io.Writer) error, error) {
	c, err := s.store.Catalog(ctx, workspace)
	if err != nil {
		return nil, err
	}
	if format != XLSX && (format != CSV || len(typeNames) > 1) {
		return nil, fault.New(fault.Invalid, "unknown_format", "a starter sheet cannot be made so").With(string(format)).Mended("Choose xlsx, or csv for one record type.")
	}
	guide := [][]string{{"Sheet", "Column", "Type", "Required", "Allowed", "Example", "What belongs there"}}
	var sheets []sheet.StarterSheet
	for _, name := range typeNames {
		t, err := c.MustType(name)
		if err != nil {
			return nil, err
		}
		list, err := chosen(t, fields)
		if err != nil {
			return nil, err
		}
		one := sheet.StarterSheet{Name: t.Plural}
		slices.SortStableFunc(list, func(a, b catalog.Field) int { return order(b.Required) - order(a.Required) })
		for _, f := range list {
			offered, err := s.offered(ctx, workspace, c, f)
			if err != nil {
				return nil, err
			}
			one.Columns = append(one.Columns, sheet.StarterColumn{Header: f.Label, Note: wants(c, f), Required: f.Required, Choices: offered, Format: numberFormats[f.Type]})
			guide = append(guide, []string{t.Plural, f.Label, strings.ReplaceAll(string(f.Type), "_", " "), yesWord(f.Required), takes(c, f), examples[f.Type], f.Help})
		}
		for _, r := range t.Rules {
			guide = append(guide, []string{t.Plural, "", "rule", "", "", "", r.Message})
		}
		sheets = append(sheets, one)
	}
	return func(w io.Writer) error {
		if format == XLSX {
			return sheet.WriteStarter(w, sheets, guide)
		}
		var header []string
		for _, col := range sheets[0].Columns {
			header = append(header, col.Header)
		}
		if _, err := io.WriteString(w, "\ufeff"); err != nil {
			return err
		}
		out := csv.NewWriter(w)
		if err := out.Write(header); err != nil {
			return err
		}
		out.Flush()
		return out.Error()
	}, nil
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
			return nil, fault.New(fault.Invalid, "unknown_field", "the record type "+t.Name+" has no such field").With(name).Mended("See its fields, or leave the choice out for all of them.")
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

func yesWord(yes bool) string {
	if yes {
		return "yes"
	}
	return ""
}

// offered gives what the drop-down of a field offers: its choices, yes and no,
// countries, or the records of a type that has few.
func (s *Service) offered(ctx context.Context, workspace string, c catalog.Catalog, f catalog.Field) (list []string, err error) {
	switch f.Type {
	case catalog.YesNo:
		return []string{"yes", "no"}, nil
	case catalog.Country:
		for _, country := range value.Countries() {
			list = append(list, country.Label)
		}
		slices.Sort(list)
	case catalog.Reference:
		records, more, err := s.store.Records(ctx, workspace, f.To, store.RecordFilter{View: view.View{Columns: []string{"id"}, Sort: []string{"title"}}, Limit: mostOffered})
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

// wants says in a few lines what a field wants.
func wants(c catalog.Catalog, f catalog.Field) string {
	lines := []string{f.Help}
	if f.Required {
		lines = append(lines, "Required.")
	}
	what := strings.ReplaceAll(string(f.Type), "_", " ")
	if n := f.MaxLength(); n > 0 {
		what += fmt.Sprintf(", at most %d characters", n)
	}
	lines = append(lines, "Type: "+what+".", takes(c, f))
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
