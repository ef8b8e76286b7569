package mapping

import (
	"cmp"
	"slices"
	"strconv"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/sheet"
	"uchi/internal/core/value"
)

func itoa(n int) string { return strconv.Itoa(n) }

// Suggestion is the field that a column seems to belong to, with the reason.
type Suggestion struct {
	Column     string  `json:"column"`
	Field      string  `json:"field"`
	Confidence float64 `json:"confidence"` // 0 to 1
	Reason     string  `json:"reason"`
	Taken      bool    `json:"taken"` // certain enough to be taken without asking
}

// Confidence at and above which a suggestion is taken without asking.
const certain = 0.9

// Suggest gives for each column the field it seems to belong to; columns for
// which nothing is known are left out. No field is given twice: where two
// columns claim one, the better keeps it and the other loses it.
func Suggest(t catalog.RecordType, columns []sheet.Column) []Suggestion {
	var all []Suggestion
	for _, col := range columns {
		for _, f := range withID(t) {
			if s, ok := compare(t, f, col); ok {
				all = append(all, s)
			}
		}
	}
	slices.SortStableFunc(all, func(a, b Suggestion) int { return cmp.Compare(b.Confidence, a.Confidence) })
	columnDone, fieldDone := map[string]bool{}, map[string]bool{}
	var out []Suggestion
	for _, s := range all {
		if columnDone[s.Column] || fieldDone[s.Field] {
			continue
		}
		columnDone[s.Column], fieldDone[s.Field] = true, true
		s.Taken = s.Confidence >= certain
		out = append(out, s)
	}
	order := map[string]int{}
	for i, c := range columns {
		order[c.Header] = i
	}
	slices.SortFunc(out, func(a, b Suggestion) int { return cmp.Compare(order[a.Column], order[b.Column]) })
	return out
}

func withID(t catalog.RecordType) []catalog.Field {
	return append([]catalog.Field{{Name: IDField, Label: "Record id", Type: catalog.Text, Synonyms: []string{t.Name + " id", t.Label + " id", t.Prefix + " id"}}}, t.Fields...)
}

// headerWords prepares a header: trailing stars and numbering are decoration.
func headerWords(s string) string {
	s = strings.TrimSuffix(strings.TrimSpace(s), "*")
	return value.Words(strings.ReplaceAll(s, "_", " "))
}

func compare(t catalog.RecordType, f catalog.Field, col sheet.Column) (Suggestion, bool) {
	h := headerWords(col.Header)
	s := Suggestion{Column: col.Header, Field: f.Name}
	switch {
	case h == "":
		return s, false
	case h == headerWords(f.Name):
		s.Confidence, s.Reason = 1, "the header is the field's name"
	case h == headerWords(f.Label):
		s.Confidence, s.Reason = 0.99, "the header is the field's label"
	case h == headerWords(t.Label+" "+f.Label) || h == headerWords(t.Name+" "+f.Name):
		s.Confidence, s.Reason = 0.98, "the header is the record type with the field's label"
	default:
		i := slices.IndexFunc(f.Synonyms, func(w string) bool { return headerWords(w) == h })
		if i < 0 {
			return s, false
		}
		s.Confidence, s.Reason = 0.95-float64(i)/1000, "“"+f.Synonyms[i]+"” is another word for "+f.Label
	}
	if why := contradicts(t, f, col); why != "" {
		s.Confidence *= 0.6
		s.Reason += ", but " + why
	}
	return s, true
}

// fewest is how many filled cells it takes for values to speak against a header.
const fewest = 5

// contradicts says when a column's values cannot be the field's.
func contradicts(t catalog.RecordType, f catalog.Field, col sheet.Column) string {
	if f.Name == IDField && len(col.Top) > 0 {
		if !slices.ContainsFunc(col.Top, func(c sheet.Count) bool { _, err := t.ParseRecordID(c.Text); return err == nil }) {
			return "its values do not look like " + t.RecordID(1042)
		}
	}
	if col.Filled < fewest || col.Share < 0.8 {
		return ""
	}
	fits := func(classes ...string) string {
		if slices.Contains(classes, col.Guess) {
			return ""
		}
		return "its values look like " + col.Guess
	}
	switch f.Type {
	case catalog.Email:
		return fits("email")
	case catalog.Date, catalog.DateTime:
		return fits("date", "number")
	case catalog.Integer, catalog.Decimal, catalog.Money, catalog.Percent:
		return fits("number", "text", "phone")
	case catalog.URL:
		return fits("url", "text")
	case catalog.Phone:
		return fits("phone", "number", "text")
	case catalog.Country, catalog.OneChoice, catalog.YesNo:
		return fits("text", "number")
	}
	if col.Guess == "email" && f.Type == catalog.Text {
		return "its values look like e-mail addresses"
	}
	return ""
}

// SuggestType ranks the record types by how many of the columns find a field,
// best first, with the reason.
func SuggestType(c catalog.Catalog, columns []sheet.Column) []TypeSuggestion {
	var out []TypeSuggestion
	for _, t := range c.Types {
		placed, required, wanted := 0, 0, 0
		got := map[string]bool{}
		for _, s := range Suggest(t, columns) {
			if s.Taken {
				placed++
				got[s.Field] = true
			}
		}
		for _, f := range t.Fields {
			if f.Required {
				wanted++
				if got[f.Name] {
					required++
				}
			}
		}
		score := float64(placed) / float64(max(1, len(columns)))
		if wanted > 0 {
			score *= 0.4 + 0.6*float64(required)/float64(wanted)
		}
		out = append(out, TypeSuggestion{Type: t.Name, Score: score,
			Reason: itoa(placed) + " of " + itoa(len(columns)) + " columns and " + itoa(required) + " of " + itoa(wanted) + " required fields are found"})
	}
	slices.SortStableFunc(out, func(a, b TypeSuggestion) int { return cmp.Compare(b.Score, a.Score) })
	return out
}

// TypeSuggestion is a record type that a sheet may belong to.
type TypeSuggestion struct {
	Type   string  `json:"type"`
	Score  float64 `json:"score"`
	Reason string  `json:"reason"`
}

// FromSuggestions makes the routine that takes what is certain.
func FromSuggestions(t catalog.RecordType, suggestions []Suggestion) Routine {
	d := Draft{Type: t.Name, Fields: map[string]Origin{}}
	for _, s := range suggestions {
		if s.Taken {
			d.Fields[s.Field] = Origin{From: []string{s.Column}}
		}
	}
	return Routine{May: CreateOrUpdate, Drafts: []Draft{d}}
}
