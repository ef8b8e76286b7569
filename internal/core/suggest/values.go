package suggest

import (
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/problem"
	"uchi/internal/core/sheet"
	"uchi/internal/core/value"
)

// fit is what the cells of a column say about a field.
type fit int

const (
	neutralFit  fit = iota // nothing for and nothing against
	contradicts            // the cells cannot be this
	distinctive            // the cells look like this and like nothing else
)

// fitOf compares what stands in a column with what a field takes.
func fitOf(t catalog.RecordType, f catalog.Field, col sheet.Column) (fit, string) {
	samples := col.Samples
	if len(samples) == 0 {
		return neutralFit, ""
	}
	if f.Name == mapping.IDField {
		if share(samples, func(s string) bool { _, err := t.ParseRecordID(s); return err == nil }) < 0.5 {
			return contradicts, "its values do not look like " + t.RecordID(1042)
		}
		return distinctive, "its values are ids"
	}
	readable := func(ft catalog.FieldType) float64 {
		r := value.NewReader(catalog.Field{Type: ft, Choices: f.Choices}, value.Settings{Country: "GB"})
		return share(samples, func(s string) bool {
			v, trouble := r.Read(s)
			return v != "" || trouble.Code == problem.AmbiguousDate || trouble.Code == problem.AmbiguousNumber
		})
	}
	mails := share(samples, func(s string) bool { return strings.Contains(s, "@") })
	switch f.Type {
	case catalog.Email:
		switch {
		case readable(catalog.Email) > 0.8:
			return distinctive, "its values are e-mail addresses"
		case mails < 0.3:
			return contradicts, "its values are no e-mail addresses"
		}
	case catalog.URL:
		switch r := readable(catalog.URL); {
		case r > 0.8 && mails < 0.2 && share(samples, func(s string) bool {
			return strings.Contains(s, "www.") || strings.Contains(s, "://") || strings.Count(s, ".") > 0 && !strings.ContainsAny(s, "0123456789,")
		}) > 0.7:
			return distinctive, "its values are web addresses"
		case r < 0.2:
			return contradicts, "its values are no web addresses"
		}
	case catalog.Date, catalog.DateTime:
		if readable(catalog.Date) < 0.3 {
			return contradicts, "its values are no dates"
		}
	case catalog.Integer, catalog.Decimal, catalog.Money, catalog.Percent:
		if readable(f.Type) < 0.3 && readable(catalog.Money) < 0.3 {
			return contradicts, "its values are no numbers"
		}
	case catalog.Phone:
		if share(samples, func(s string) bool { return digitsIn(s) >= 5 }) < 0.3 || mails > 0.3 {
			return contradicts, "its values are no telephone numbers"
		}
		if share(samples, func(s string) bool { return strings.HasPrefix(s, "+") && digitsIn(s) >= 8 }) > 0.8 {
			return neutralFit, ""
		}
	case catalog.Country:
		switch r := readable(catalog.Country); {
		case r > 0.85 && col.Distinct > 1:
			return distinctive, "its values are countries"
		case r < 0.2:
			return contradicts, "its values are no countries"
		}
	case catalog.Language:
		if readable(catalog.Language) < 0.3 {
			return contradicts, "its values are no languages"
		}
	case catalog.Currency:
		if readable(catalog.Currency) < 0.3 {
			return contradicts, "its values are no currencies"
		}
	case catalog.YesNo:
		if readable(catalog.YesNo) < 0.3 {
			return contradicts, "its values are neither yes nor no"
		}
	case catalog.OneChoice:
		if col.Distinct > 60 || col.Longest > 60 {
			return contradicts, "its values are too many for a choice"
		}
		if readable(catalog.OneChoice) > 0.7 && col.Distinct > 1 {
			return neutralFit, ""
		}
	case catalog.Text, catalog.LongText, catalog.Reference:
		return fitText(f, col, mails)
	}
	return neutralFit, ""
}

// fitText compares texts: names are not numbers, postal codes are no words.
func fitText(f catalog.Field, col sheet.Column, mails float64) (fit, string) {
	numbers := share(col.Samples, func(s string) bool { return digitsIn(s)*2 > len(s) })
	dates := share(col.Samples, func(s string) bool { return value.OrderOf(s) != "" && strings.ContainsAny(s, "./-") })
	links := share(col.Samples, func(s string) bool { return strings.Contains(s, "://") || strings.HasPrefix(s, "www.") })
	address := share(col.Samples, func(s string) bool { return formsOfAddress[value.Words(s)] })
	isName := slices.Contains([]string{"given_name", "family_name", "name", "company", "locality", "region", "job_title", "honorific", "title", "product", "subject", "street"}, f.Name)
	switch {
	case f.Type == catalog.Reference:
		return neutralFit, ""
	case mails > 0.6 && f.Type != catalog.LongText:
		return contradicts, "its values are e-mail addresses"
	case links > 0.6 && f.Type != catalog.LongText:
		return contradicts, "its values are web addresses"
	case isName && (numbers > 0.6 || dates > 0.6):
		return contradicts, "its values are numbers or dates"
	case f.Name == "honorific" && address < 0.5:
		return contradicts, "its values are no forms of address"
	case f.Name == "honorific" && address > 0.8:
		return distinctive, "its values are forms of address"
	case f.Name == "job_title" && address > 0.5:
		return contradicts, "its values are forms of address"
	case f.Key && share(col.Samples, func(s string) bool { return strings.HasPrefix(s, "+") && digitsIn(s) >= 8 }) > 0.6:
		return contradicts, "its values are telephone numbers"
	case f.Name == "postal_code" && (col.Longest > 20 || share(col.Samples, func(s string) bool { return digitsIn(s) > 0 }) < 0.4):
		return contradicts, "its values are no postal codes"
	}
	return neutralFit, ""
}

var formsOfAddress = map[string]bool{}

func init() {
	for w := range strings.SplitSeq("mr|mrs|ms|miss|mx|dr|prof|sir|lady|lord|capt|captain|rev|herr|frau|hr|fr|herr dr|frau dr|prof dr|m|mme|mlle|monsieur|madame|mademoiselle|me|sr|sra|srta|don|doña|dna|sig|sigra|signor|signora|dott|dottssa|ing|avv|dhr|mevr|de heer|mevrouw|senhor|senhora|herra|rouva|pan|pani|κ|κα|κος|κυριος|κυρια|様|さん", "|") {
		formsOfAddress[value.Words(w)] = true
	}
}

func share(list []string, good func(string) bool) float64 {
	n := 0
	for _, s := range list {
		if good(s) {
			n++
		}
	}
	return float64(n) / float64(max(1, len(list)))
}

func digitsIn(s string) int {
	n := 0
	for i := 0; i < len(s); i++ {
		if s[i] >= '0' && s[i] <= '9' {
			n++
		}
	}
	return n
}

// Choice guesses which choice of a field a text means that is none of its
// spellings; empty when nothing is near.
func Choice(f catalog.Field, text string) string {
	said := value.Words(text)
	if said == "" {
		return ""
	}
	best, code := 0, ""
	for _, c := range f.Choices {
		if c.Closed {
			continue
		}
		for _, w := range append([]string{c.Code, c.Label}, c.Other...) {
			w = value.Words(w)
			near := 0
			switch {
			case w == "":
			case close1([]rune(said), []rune(w)):
				near = 3
			case contains(strings.Fields(said), strings.Fields(w)):
				near = 2
			case len([]rune(said)) >= 4 && (strings.HasPrefix(w, said) || strings.HasPrefix(said, w) && len([]rune(w)) >= 4):
				near = 1
			}
			if near > best {
				best, code = near, c.Code
			}
		}
	}
	return code
}
