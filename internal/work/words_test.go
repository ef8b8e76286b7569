package work

import (
	"strings"
	"testing"

	"uchi/internal/core/value"
)

// The words that stand for codes in a workbook are read as these codes again, for
// every choice of every type and every country.
func TestWordsOfAWorkbookComeBack(t *testing.T) {
	b := start(t)
	c, err := b.store.Catalog(b.Context(), "main")
	b.ok(err)
	for _, r := range c.Types {
		for _, f := range r.Fields {
			codes := []string{}
			for _, ch := range f.Choices {
				codes = append(codes, ch.Code)
			}
			switch f.Type {
			case "yes_no":
				codes = []string{"true", "false"}
			case "country":
				for _, country := range value.Countries() {
					codes = append(codes, country.Code)
				}
			case "choices":
				codes = append(codes, strings.Join(codes, value.ListSeparator))
			}
			word, reader := inWords(f), value.NewReader(f, value.Settings{})
			for _, code := range codes {
				if got, trouble := reader.Read(word(code)); got != code {
					t.Errorf("%s.%s: %s is written %q, and read as %q (%v)", r.Name, f.Name, code, word(code), got, trouble)
				}
			}
		}
	}
}
