package schema

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"uchi/internal/core/catalog"
	"uchi/internal/core/value"
	"uchi/internal/pgcopy"

	"github.com/tidwall/gjson"
)

// form is how a form of value stands in a table: its column type, its
// canonical text, and how a canonical text is copied into it. A new form of
// the catalogue needs an entry here; a new field type of an old form needs none.
type form struct {
	sqlType func(f catalog.Field) string
	text    func(value string) string
	copy    func(out *pgcopy.Buffer, canonical string) error
}

var forms = map[catalog.Form]form{
	catalog.TextForm: {
		sqlType: always("text"),
		text:    func(v string) string { return v },
		copy:    func(out *pgcopy.Buffer, s string) error { out.Text(s); return nil },
	},
	catalog.WholeForm:  {sqlType: always("bigint"), text: castText, copy: copyWhole},
	catalog.LinkForm:   {sqlType: always("bigint"), text: castText, copy: copyWhole},
	catalog.NumberForm: {sqlType: always("numeric"), text: trimmedText, copy: (*pgcopy.Buffer).Numeric},
	catalog.AmountForm: {
		sqlType: func(f catalog.Field) string { return fmt.Sprintf("numeric(20, %d)", f.Digits()) },
		text:    castText,
		copy:    (*pgcopy.Buffer).Numeric,
	},
	catalog.DateForm:   {sqlType: always("date"), text: castText, copy: copyDate},
	catalog.MomentForm: {sqlType: always("timestamptz"), text: momentText, copy: copyMoment},
	catalog.YesNoForm: {
		sqlType: always("boolean"),
		text:    castText,
		copy:    func(out *pgcopy.Buffer, s string) error { out.Bool(s == "true"); return nil },
	},
	catalog.ListForm: {
		sqlType: always("text[]"),
		text:    func(v string) string { return `array_to_string(` + v + `, ` + Literal(value.ListSeparator) + `)` },
		copy: func(out *pgcopy.Buffer, s string) error {
			out.Texts(strings.Split(s, value.ListSeparator))
			return nil
		},
	},
}

func always(sqlType string) func(catalog.Field) string {
	return func(catalog.Field) string { return sqlType }
}

func castText(v string) string    { return v + `::text` }
func trimmedText(v string) string { return `trim_scale(` + v + `)::text` }
func momentText(v string) string {
	return `to_char(` + v + `, 'YYYY-MM-DD"T"HH24:MI:SS"Z"')`
}

func copyWhole(out *pgcopy.Buffer, s string) error {
	n, err := strconv.ParseInt(s, 10, 64)
	if err != nil {
		return fmt.Errorf("encode whole number: %w", err)
	}
	out.Int64(n)
	return nil
}

func copyDate(out *pgcopy.Buffer, s string) error {
	t, err := time.Parse(time.DateOnly, s)
	if err != nil {
		return fmt.Errorf("encode date: %w", err)
	}
	out.Date(t)
	return nil
}

func copyMoment(out *pgcopy.Buffer, s string) error {
	t, err := time.Parse(time.RFC3339, s)
	if err != nil {
		return fmt.Errorf("encode date-time: %w", err)
	}
	out.Moment(t)
	return nil
}

// Type is the column type of a field's value.
func Type(f catalog.Field) string { return forms[f.Kind().Form].sqlType(f) }

// Copier gives what writes canonical texts of a field into a COPY; a blank
// text becomes null.
func Copier(f catalog.Field) func(out *pgcopy.Buffer, canonical string) error {
	write := forms[f.Kind().Form].copy
	return func(out *pgcopy.Buffer, canonical string) error {
		if canonical == "" {
			out.Null()
			return nil
		}
		if err := write(out, canonical); err != nil {
			return fmt.Errorf("field %s: %w", f.Name, err)
		}
		return nil
	}
}

// Typed is the SQL of a field's value, from the SQL of its canonical text; blank
// is null.
func Typed(f catalog.Field, text string) string {
	text = `nullif(` + text + `, '')`
	if f.Kind().Form == catalog.ListForm {
		return `string_to_array(` + text + `, ` + Literal(value.ListSeparator) + `)`
	}
	return text + `::` + Type(f)
}

// Row is the SQL of what a record was, as a JSON object of texts: its values that are not blank, in their canonical
// form, and when, by whom and from where it came. What is made of the values, to look them up by, is not in it. The
// server makes an object of texts in a third of the time of one of typed values, as it need not look up their types.
func Row(t catalog.RecordType, alias string) string {
	names, texts := []string{}, []string{}
	add := func(column, text string) { names, texts = append(names, Literal(column)), append(texts, text) }
	for _, column := range []string{"created_at", "created_by", "import"} {
		add(column, alias+`.`+column+`::text`)
	}
	for _, f := range t.Fields {
		add("f_"+f.Name, Text(f, Column(f, alias)))
	}
	return `jsonb_strip_nulls(jsonb_object(array[` + strings.Join(names, ", ") + `], array[` + strings.Join(texts, ", ") + `]))`
}

// RowReader reads what records of a type were, as the history keeps it: see Row.
type RowReader struct {
	t      catalog.RecordType
	places map[string]int
}

// NewRowReader readies a reader.
func NewRowReader(t catalog.RecordType) *RowReader {
	return &RowReader{t: t, places: t.Places()}
}

// Read gives the canonical texts of the fields that a record had, by their places among those of its
// type, from its row as the server writes it as JSON; blank ones are left out. Links are the numbers of the records.
func (r *RowReader) Read(row []byte, found func(field int, text string)) (err error) {
	gjson.ParseBytes(row).ForEach(func(column, cell gjson.Result) bool {
		name, ours := strings.CutPrefix(column.String(), "f_")
		n, known := r.places[name]
		if !ours || !known || cell.Type == gjson.Null {
			return true
		}
		var text string
		if text, err = ofCell(r.t.Fields[n], cell); err != nil {
			err = fmt.Errorf("read a row: field %s: %w", r.t.Fields[n].Name, err)
			return false
		}
		if text != "" {
			found(n, text)
		}
		return true
	})
	return err
}

// ofCell gives the canonical text of one value in JSON: a text that is one, or a value of its type, as rows were kept
// before.
func ofCell(f catalog.Field, cell gjson.Result) (string, error) {
	switch form := f.Kind().Form; {
	case form == catalog.MomentForm:
		at, err := time.Parse(time.RFC3339, cell.String())
		return at.UTC().Format("2006-01-02T15:04:05Z"), err
	case cell.Type == gjson.String:
		return cell.String(), nil
	case form == catalog.NumberForm && strings.Contains(cell.Raw, "."):
		return strings.TrimSuffix(strings.TrimRight(cell.Raw, "0"), "."), nil
	case form == catalog.ListForm:
		var list []string
		for _, item := range cell.Array() {
			list = append(list, item.String())
		}
		return strings.Join(list, value.ListSeparator), nil
	}
	return cell.Raw, nil
}
