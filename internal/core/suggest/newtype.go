package suggest

import (
	"fmt"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/sheet"
	"uchi/internal/core/value"
)

// mostChoices is how many different words a column has at most of which choices are
// made; each must stand there this often on average.
const (
	mostChoices    = 12
	leastRepeated  = 2.5
	longestChoice  = 40
	longestOneLine = 200
)

// NewType proposes a record type of a customer's own for a sheet that none fits: a
// field for every column, of the type that its cells tell, with choices where few
// words are repeated, references where a column names records of a type that is
// there, and a key where a column numbers the rows. It is to be looked at: a header is
// kept as the field's label.
func (v *View) NewType(c catalog.Catalog, name string) catalog.RecordType {
	t := catalog.RecordType{Label: labelOf(name)}
	t.Plural = t.Label + "s"
	if one, many := strings.TrimSuffix(t.Label, "s"), t.Label; one != many && len(one) > 2 {
		t.Label, t.Plural = one, many
	}
	var rows int64
	for _, col := range v.columns {
		rows = max(rows, col.Filled+col.Blank)
	}
	seen := map[string]int{}
	signed := false // some amounts carry a currency, which is a field of its own
	for n, col := range v.columns {
		if col.Filled == 0 {
			continue
		}
		f := v.newField(c, n, col, rows)
		f.Name = catalog.Slug(f.Label)
		if f.Name == "" || slices.Contains(catalog.Reserved, f.Name) {
			f.Name = strings.TrimPrefix(f.Name+"_"+strings.ToLower(col.Letter), "_")
		}
		if seen[f.Name]++; seen[f.Name] > 1 {
			f.Name = fmt.Sprintf("%s_%d", f.Name, seen[f.Name])
		}
		t.Fields = append(t.Fields, f)
		signed = signed || f.Type == catalog.Money &&
			slices.ContainsFunc(col.Samples, value.WithCurrency)
	}
	if signed && !slices.ContainsFunc(t.Fields,
		func(f catalog.Field) bool { return f.Type == catalog.Currency || f.Name == "currency" }) {
		t.Fields = append(t.Fields, catalog.Field{Name: "currency", Label: "Currency", Type: catalog.Currency})
	}
	called := slices.IndexFunc(t.Fields, func(f catalog.Field) bool { return f.Type == catalog.Text && names(f.Label) })
	if key := slices.IndexFunc(t.Fields, func(f catalog.Field) bool { return f.Key }); key >= 0 {
		t.Fields[key].Required = true
		if called < 0 {
			called = key
		}
	}
	if called >= 0 {
		t.Title = []string{t.Fields[called].Name}
	}
	return t
}

// names reports whether a header says that its cells are what the rows are called by.
func names(header string) bool {
	return slices.ContainsFunc(tokens(header), func(w string) bool {
		return slices.Contains([]string{"name", "title", "subject", "product", "label", "bezeichnung", "titel", "nom",
			"nombre", "nome", "naam", "namn", "navn", "nimi", "nazwa"}, w)
	})
}

// labelOf makes the words for a record of the name of its sheet.
func labelOf(name string) string {
	words := strings.Fields(strings.Map(func(r rune) rune {
		if r == '_' || r == '-' || r == '.' || r >= '0' && r <= '9' {
			return ' '
		}
		return r
	}, ownName(name)))
	if len(words) == 0 {
		return "Record"
	}
	label := []rune(strings.ToLower(strings.Join(words, " ")))
	return strings.ToUpper(string(label[:1])) + string(label[1:])
}

// newField proposes the field for a column.
func (v *View) newField(c catalog.Catalog, n int, col sheet.Column, rows int64) catalog.Field {
	f := catalog.Field{Label: strings.TrimSpace(col.Header), Type: catalog.Text}
	known, sure := v.knownAs(c, n)
	all := func(ft catalog.FieldType, more ...func(*catalog.Field)) bool {
		try := catalog.Field{Name: "x", Type: ft}
		for _, m := range more {
			m(&try)
		}
		r := value.NewReader(try, value.Settings{DateOrder: value.DateOrder(col.DateOrder), DecimalSign: col.DecimalSign})
		for _, s := range col.Samples {
			if _, trouble := r.Read(s); trouble.Code != "" {
				return false
			}
		}
		return len(col.Samples) > 0
	}
	alone := col.Filled == rows && col.AllDiffer() && rows > 1
	switch {
	case sure && known.Type == catalog.Text && known.Key && alone:
		f.Key = true
	case sure && known.Type == catalog.Reference:
		f.Type, f.To = catalog.Reference, known.To
	case sure && slices.Contains([]catalog.FieldType{catalog.Country, catalog.Language, catalog.Currency, catalog.Email,
		catalog.Phone, catalog.URL}, known.Type) && all(known.Type):
		f.Type = known.Type
	case col.Guess == "email" && all(catalog.Email):
		f.Type = catalog.Email
	case col.Guess == "url" && all(catalog.URL):
		f.Type = catalog.URL
	case col.Guess == "phone" && all(catalog.Phone):
		f.Type = catalog.Phone
	case col.Guess != "number" && col.Distinct <= 2 && all(catalog.YesNo):
		f.Type = catalog.YesNo
	case col.Guess == "date" && all(catalog.Date):
		f.Type = catalog.Date
	case slices.ContainsFunc(col.Samples, func(s string) bool { return strings.ContainsAny(s, "€$£¥") }) &&
		all(catalog.Money),
		sure && known.Type == catalog.Money && all(catalog.Money):
		f.Type = catalog.Money
	case slices.ContainsFunc(col.Samples, func(s string) bool { return strings.HasSuffix(s, "%") }) &&
		all(catalog.Percent):
		f.Type = catalog.Percent
	case col.Guess == "number" && alone && numbers(col.Header):
		f.Key = true
	case col.Guess == "number" && all(catalog.Integer):
		f.Type = catalog.Integer
	case col.Guess == "number" && all(catalog.Decimal, func(f *catalog.Field) { f.Precision = 3 }):
		f.Type, f.Precision = catalog.Decimal, 3
	case alone && numbers(col.Header):
		f.Key = true
	case repeats(col):
		f.Type = catalog.OneChoice
		taken := map[string]bool{}
		for _, x := range col.Top {
			code := catalog.Slug(x.Text)
			if code == "" || taken[code] {
				code = fmt.Sprintf("choice_%d", len(f.Choices)+1)
			}
			taken[code] = true
			f.Choices = append(f.Choices, catalog.Choice{Code: code, Label: x.Text})
		}
	case col.Longest > longestOneLine:
		f.Type = catalog.LongText
	}
	return f
}

// numbers reports whether a header says that its cells are numbers by which rows are
// known, and not numbers of something.
func numbers(header string) bool {
	words := tokens(header)
	return slices.ContainsFunc(words, func(w string) bool {
		return slices.Contains([]string{"no", "nr", "id", "key", "code", "number", "nummer", "numero", "ref",
			"reference", "uid"}, w)
	})
}

// repeats reports whether a column holds few words, each again and again.
func repeats(col sheet.Column) bool {
	return col.Distinct <= mostChoices && int(col.Distinct) == len(col.Top) &&
		float64(col.Filled) >= leastRepeated*float64(col.Distinct) && col.Longest <= longestChoice
}

// knownAs gives the field of the types that are there which a column's header and
// cells say it is, where they say so clearly.
func (v *View) knownAs(c catalog.Catalog, n int) (best catalog.Field, sure bool) {
	most := 0.0
	for _, t := range c.Types {
		x := v.compare(t, nil)
		for i, f := range x.fields {
			s := x.scores[n][i]
			if f.Type == catalog.Reference {
				s += 0.001 // a company beside other things is the one that they are of
			}
			if s > most {
				most, best = s, f
			}
		}
	}
	return best, most >= certain
}
