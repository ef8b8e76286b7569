package suggest

import (
	"regexp"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/sheet"
	"uchi/internal/core/textkind"
	"uchi/internal/core/value"
)

// Where headers say nothing (Text 1, Date 2, F7), what the columns are told by each other: of two
// columns of days one is before the other, one column of amounts is left beside shares and
// counters, one column of phrases is always filled.

// fewestMute is how many different cells it takes for such columns to be told apart.
const fewestMute = 8

// fromCellsAlone takes columns whose headers say nothing for what their cells and each other's
// leave to them.
func (v *View) fromCellsAlone(target Target, columns []sheet.Column, list []Suggestion) []Suggestion {
	var mute []sheet.Column
	for _, col := range columns {
		placed := slices.ContainsFunc(list, func(s Suggestion) bool { return s.Column == col.Header && s.Taken })
		if !placed && len(col.Samples) >= fewestMute && v.mute[col.Header] {
			mute = append(mute, col)
		}
	}
	if len(mute) == 0 {
		return list
	}
	take := func(col sheet.Column, field, reason string) {
		list = slices.DeleteFunc(list, func(s Suggestion) bool {
			return s.Column == col.Header || s.Draft == target.Draft && s.Field == field
		})
		list = append(list, Suggestion{
			Column: col.Header, Draft: target.Draft, Field: field, Confidence: 0.91, Taken: true,
			Reason: "the header says nothing, and " + reason,
		})
	}
	free := func(is func(catalog.Field) bool) (only catalog.Field, ok bool) {
		n := 0
		for _, f := range target.Type.Fields {
			if !is(f) {
				continue
			}
			if n++; slices.ContainsFunc(list, func(s Suggestion) bool { return s.Draft == target.Draft && s.Field == f.Name && s.Taken }) {
				return only, false
			}
			only = f
		}
		return only, n == 1
	}
	meant := func(concept string) func(catalog.Field) bool {
		return func(f catalog.Field) bool {
			return f.Type == catalog.Date && setScore(target.Type.Name, f, []string{concept}) >= certain
		}
	}
	opened, hasOpened := free(meant("opened"))
	closes, hasClose := free(meant("close"))
	if earlier, later, ok := daysInTurn(mute); ok && hasOpened && hasClose {
		take(earlier, opened.Name, "its days are before those of “"+later.Header+"”")
		take(later, closes.Name, "its days are after those of “"+earlier.Header+"”")
	}
	if f, ok := free(func(f catalog.Field) bool { return f.Type == catalog.Money }); ok {
		if col, ok := onlyOne(mute, isAmounts); ok {
			take(col, f.Name, "no other column holds amounts")
		}
	}
	if len(target.Type.Title) == 1 {
		f, ok := free(func(f catalog.Field) bool {
			return f.Name == target.Type.Title[0] && f.Type == catalog.Text && f.Required &&
				setScore(target.Type.Name, f, []string{"subject"}) >= certain
		})
		if ok {
			if col, ok := onlyOne(mute, func(c sheet.Column) bool { return isPhrases(c) && c.Blank == 0 && c.Longest <= 80 && !filledLike(c) }); ok {
				take(col, f.Name, "it is the one column of phrases that is always filled")
			}
		}
	}
	return list
}

// onlyOne gives the one column that is so; ok is false where none is, or several.
func onlyOne(columns []sheet.Column, is func(sheet.Column) bool) (one sheet.Column, ok bool) {
	n := 0
	for _, c := range columns {
		if is(c) {
			one = c
			n++
		}
	}
	return one, n == 1
}

// daysInTurn gives the two columns of days where there are just two, and one is before the other
// at both ends and in the middle.
func daysInTurn(columns []sheet.Column) (earlier, later sheet.Column, ok bool) {
	var dated []sheet.Column
	var days [][]string
	for _, c := range columns {
		r := value.NewReader(catalog.Field{Name: "day", Type: catalog.Date}, value.Settings{DateOrder: value.DateOrder(c.DateOrder)})
		var list []string
		for _, s := range c.Samples {
			if day, trouble := r.Read(s); trouble.Code == "" && day != "" {
				list = append(list, day)
			}
		}
		if len(list)*10 >= len(c.Samples)*9 {
			slices.Sort(list)
			dated, days = append(dated, c), append(days, list)
		}
	}
	if len(dated) != 2 {
		return earlier, later, false
	}
	before := func(a, b []string) bool {
		return a[0] < b[0] && a[len(a)/2] < b[len(b)/4] && a[len(a)-1] < b[len(b)-1]
	}
	switch {
	case before(days[0], days[1]):
		return dated[0], dated[1], true
	case before(days[1], days[0]):
		return dated[1], dated[0], true
	}
	return earlier, later, false
}

// isAmounts reports whether a column holds amounts, and no counter, codes or years: some of them
// are in groups, or have two decimals.
func isAmounts(c sheet.Column) bool {
	if len(c.Samples) == 0 || countsRows(c.Samples) {
		return false
	}
	if first := digitsIn(c.Samples[0]); !slices.ContainsFunc(c.Samples, func(s string) bool { return digitsIn(s) != first }) {
		return false // numbers of a register are in groups as well, and all as long
	}
	return share(c.Samples, anAmount.MatchString) > 0.9 && share(c.Samples, func(s string) bool {
		return digitsIn(s) > 3 && strings.ContainsAny(strings.TrimSpace(s), ".,'’ \u00a0\u202f")
	}) > 0.3
}

// anAmount is how amounts are written, in groups or not, with a currency or without.
var anAmount = regexp.MustCompile(`^\s*(?:[€$£]|[A-Z]{3})?\s?-?(?:[1-9]\d{0,2}(?:[.,'’ \x{a0}\x{202f}]\d{3})+|[1-9]\d*|0)(?:[.,](?:\d{2}|-+))?\s?(?:[€$£]|[A-Z]{3}|kr\.?)?\s*$`)

// isPhrases reports whether the texts of a column are phrases, and no names of anything.
func isPhrases(c sheet.Column) bool {
	kinds, ok := textkind.Of(c.Samples)
	return ok && kinds[textkind.Phrase] > 0.5
}

// filledLike reports whether a few texts fill a column, as choices do.
func filledLike(c sheet.Column) bool { return c.Distinct*4 < c.Filled }
