package value_test

import (
	"bytes"
	"slices"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/value"
)

// Texts stand in the order in which a person would put them, whatever they are written as.
func TestOrder(t *testing.T) {
	for name, x := range map[string]struct {
		holds catalog.FieldType
		set   value.Settings
		want  []string
	}{
		"letters": {catalog.Text, value.Settings{}, []string{"Äbtissin", "ahoy", "Berth 2", "berth 10", "Øksnes",
			"Zebu", "白馬"}},
		"amounts": {catalog.Decimal, value.Settings{DecimalSign: ",", Guessed: true}, []string{
			"-1.200,50", "-3", "0", "0,5", "2", "9 %", "10 %", "900,00", "€ 1.000", "1.000,01", "12.000.000", "about ten",
			"to be said"}},
		"days": {catalog.Date, value.Settings{DateOrder: value.DayFirst}, []string{
			"31.12.1999", "2.1.2026", "1 February 2026", "2026-03-04", "31/12/2026", "soon"}},
		"figures in letters": {catalog.Text, value.Settings{}, []string{"A-9", "A-10", "A-100", "B-1"}},
	} {
		t.Run(name, func(t *testing.T) {
			o := value.NewOrderer(x.holds, x.set)
			mixed := slices.Clone(x.want)
			slices.Reverse(mixed)
			slices.SortStableFunc(mixed, func(a, b string) int { return bytes.Compare(o.Key(a), o.Key(b)) })
			if !slices.Equal(mixed, x.want) {
				t.Errorf("got  %q\nwant %q", mixed, x.want)
			}
			if key := o.Key(" \u00a0"); len(key) != 0 {
				t.Errorf("what says nothing has the key %x", key)
			}
		})
	}
}
