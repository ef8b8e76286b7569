package suggest

import (
	"regexp"
	"slices"
	"strings"
	"time"
	"unicode"

	"uchi/internal/core/catalog"
	"uchi/internal/core/sheet"
	"uchi/internal/core/value"
)

// Days, amounts and telephone numbers in what is left, which are told by each other.

// onlyAmounts reports whether no column but one holds amounts.
func (l *left) onlyAmounts(column int) bool {
	for at, c := range l.view.columns {
		if at != column && isAmounts(c) {
			return false
		}
	}
	return isAmounts(l.view.columns[column])
}

// days takes the two columns of days of which one is before the other for when something began and
// when it will end.
func (l *left) days() {
	opened, hasOpened := l.free(func(f catalog.Field) bool { return f.Type == catalog.Date && l.meant("opened")(f) })
	closes, hasClose := l.free(func(f catalog.Field) bool { return f.Type == catalog.Date && l.meant("close")(f) })
	if earlier, later, ok := daysInTurn(l.open()); ok && hasOpened && hasClose {
		l.take(earlier, opened.Name, "its days are before those of “"+later.Header+"”")
		l.take(later, closes.Name, "its days are after those of “"+earlier.Header+"”")
	}
}

// amounts takes the one column of amounts that is left where only one field holds any.
func (l *left) amounts() {
	if f, ok := l.free(func(f catalog.Field) bool { return f.Type == catalog.Money }); ok {
		if col, ok := onlyOne(l.open(), func(c remaining) bool { return c.quiet && isAmounts(*c.Column) }); ok {
			l.take(col, f.Name, "no other column holds amounts")
		}
	}
}

// phones takes columns of telephone numbers for the mobile ones or the others, as their numbers are.
func (l *left) phones() {
	mobile, hasMobile := l.free(func(f catalog.Field) bool { return f.Type == catalog.Phone && l.meant("mobile")(f) })
	fixed, hasFixed := l.free(func(f catalog.Field) bool { return f.Type == catalog.Phone && l.meant("landline")(f) })
	if !hasMobile && !hasFixed {
		return
	}
	var numbers []remaining
	x := l.view.compare(l.target.Type, l.target.Memory)
	n := slices.IndexFunc(x.fields, func(f catalog.Field) bool { return f.Type == catalog.Phone })
	for _, c := range l.unplacedFrom(fewest) {
		told := !c.head.aside && c.head.said[n].score >= certain
		open := !c.head.aside && c.Filled >= fewestMute && (l.unsaid(c, fixed) || says(c.Header, "phone"))
		if (told || open) && x.fits[c.at][n] != contradicts && likePhones(c.Samples) {
			numbers = append(numbers, c)
		}
	}
	if !slices.ContainsFunc(l.target.Type.Fields, func(f catalog.Field) bool {
		return f.Type == catalog.Phone && l.meant("mobile")(f)
	}) { // then it is of whatever kind
		if len(numbers) == 1 {
			l.take(numbers[0], fixed.Name, "its values are telephone numbers")
		}
		return
	}
	lines, mobiles, unknown := byKind(numbers, "")
	if len(unknown) > 0 { // where the sheet is from may tell
		var headers []string
		for _, c := range unknown {
			headers = append(headers, c.Header)
		}
		if home, ok := l.view.HomeOf(headers); ok {
			lines, mobiles, unknown = byKind(numbers, home.Country)
		}
	}
	if hasMobile && len(mobiles) == 1 {
		l.take(mobiles[0], mobile.Name, "its values are mobile numbers")
	}
	if hasFixed && len(lines) == 1 {
		l.take(lines[0], fixed.Name, "its values are telephone numbers")
	}
	if len(unknown) == 1 && len(lines)+len(mobiles) < 2 { // it is the other, or any
		switch {
		case hasFixed && len(lines) == 0 && beginnings(unknown[0].Samples) >= manyBeginnings:
			l.take(unknown[0], fixed.Name, "its values are telephone numbers that begin in many ways")
		case hasMobile && hasFixed && len(lines) == 1:
			l.take(unknown[0], mobile.Name, "its values are telephone numbers other than those of “"+lines[0].Header+"”")
		case hasFixed && len(lines) == 0 && (!hasMobile || says(unknown[0].Header, "phone")):
			l.take(unknown[0], fixed.Name, "its values are telephone numbers")
		case hasMobile && len(lines)+len(mobiles) == 0:
			if of, ok := l.given(fixed.Name); ok && says(of, "landline") {
				l.take(unknown[0], mobile.Name, "its values are telephone numbers other than those of “"+of+"”")
			}
		}
	}
}

// byKind parts columns of telephone numbers into those of lines, those of mobiles and those of which
// nobody can tell; a number without its country's code is one of home, where that is known.
func byKind(numbers []remaining, home string) (lines, mobiles, unknown []remaining) {
	var both []remaining // which may stand where lines do
	for _, c := range numbers {
		switch part, told := value.MobileShare(c.Samples, home); {
		case told < fewest && saysInPart(c.Header, "mobile"):
			mobiles = append(mobiles, c)
		case told < fewest:
			unknown = append(unknown, c)
		case part > 0.9:
			mobiles = append(mobiles, c)
		case part < 0.5:
			lines = append(lines, c)
		default:
			both = append(both, c)
		}
	}
	if len(lines) == 0 && len(both) == 1 {
		lines = both
	}
	return lines, mobiles, unknown
}

// likePhones reports whether texts are telephone numbers: of numbers that are written in groups, some may be
// written in one.
func likePhones(texts []string) bool {
	figures := func(s string) bool { n := digitsIn(s); return n >= 7 && n <= 12 && n == len(value.Trim(s)) }
	grouped := share(texts, likePhone)
	return grouped > 0.8 || grouped > 0.3 && share(texts, func(s string) bool { return likePhone(s) || figures(s) }) > 0.9
}

// manyBeginnings is with how many different figures the numbers of a column must begin to be no mobile
// numbers, which begin with one or a few in each country.
const manyBeginnings = 6

// beginnings counts the first figures of telephone numbers, behind what is dialled before an area.
func beginnings(texts []string) int {
	found := map[byte]bool{}
	for _, s := range texts {
		s = value.Trim(s)
		if strings.HasPrefix(s, "+") || strings.HasPrefix(s, "00") { // of which the country comes first
			continue
		}
		if at := strings.IndexAny(s, "123456789"); at >= 0 {
			found[s[at]] = true
		}
	}
	return len(found)
}

// saysInPart reports whether a header can mean a concept, whatever else it says.
func saysInPart(header, concept string) bool {
	return slices.ContainsFunc(lift(headerWords(header)).sets, func(set []string) bool { return slices.Contains(set, concept) })
}

// onlyDay takes the one column of days that is left for the day that every record needs.
func (l *left) onlyDay() {
	f, ok := l.free(func(f catalog.Field) bool { return f.Type == catalog.Date && f.Required })
	if !ok {
		return
	}
	closing := l.meant("close")(f) // nobody expects it at a time of the day, or of days gone by alone
	today := time.Now().Format(time.DateOnly)
	if col, ok := onlyOne(l.rest(), func(c remaining) bool {
		days := daysOf(c)
		return c.Blank*5 < c.Filled && len(days) > 0 && (l.unsaid(c, f) || !saysOtherDay(c.Header)) &&
			!(closing && (share(c.Samples, atATime) > 0.7 || days[len(days)-1] < today))
	}); ok {
		l.take(col, f.Name, "it is the one column of days, of which every record needs one")
	}
}

// clockBehind finds the time of the day behind a date in figures.
var clockBehind = regexp.MustCompile(`\d[ T](\d{1,2}[:.h]\d{2})`)

// atATime reports whether a text is a day with a time other than midnight.
func atATime(s string) bool {
	m := clockBehind.FindStringSubmatch(s)
	return m != nil && strings.Trim(m[1], "0:.h") != ""
}

// saysOtherDay reports whether a header says that its days are those of something else.
func saysOtherDay(header string) bool {
	return slices.ContainsFunc(lift(headerWords(header)).sets, func(set []string) bool {
		return slices.ContainsFunc(set, func(c string) bool {
			return c == "opened" || c == "met" || c == "birth" || c == "else" || c == "someone" || c == "date" && len(set) > 1
		})
	})
}

// daysInTurn gives the two columns of days where there are just two, and one is before the other
// at both ends and in the middle.
func daysInTurn(columns []remaining) (earlier, later remaining, ok bool) {
	var dated []remaining
	var days [][]string
	for _, c := range columns {
		if list := daysOf(c); len(list) > 0 {
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

// daysOf gives the days of a column in their order, or none where it is no column of days.
func daysOf(c remaining) (list []string) {
	if share(c.Samples, atATime) > 0.8 { // when a program wrote something down
		return nil
	}
	r := value.NewReader(catalog.Field{Name: "day", Type: catalog.Date},
		value.Settings{DateOrder: value.DateOrder(c.DateOrder)})
	for _, s := range c.Samples {
		if day, trouble := r.Read(s); trouble.Code == "" && day != "" && digitsIn(s) < len(s) {
			list = append(list, day)
		}
	}
	if len(list)*10 < len(c.Samples)*9 {
		return nil
	}
	slices.Sort(list)
	return list
}

// isAmounts reports whether a column holds amounts, and no counter, codes or years: some of them
// are in groups, or have two decimals.
func isAmounts(c sheet.Column) bool {
	if len(c.Samples) == 0 || countsRows(c.Samples) {
		return false
	}
	if first := digitsIn(c.Samples[0]); !slices.ContainsFunc(c.Samples,
		func(s string) bool { return digitsIn(s) != first }) {
		return false // numbers of a register are in groups as well, and all as long
	}
	return share(c.Samples, amountOfMoney) > 0.9 && share(c.Samples, func(s string) bool {
		return digitsIn(s) > 3 && strings.ContainsAny(strings.TrimSpace(s), ".,'’ \u00a0\u202f")
	}) > 0.3
}

// amountOfMoney reports whether a text is written as amounts are; letters beside it are those of a currency.
func amountOfMoney(s string) bool {
	return anAmount.MatchString(s) && (!strings.ContainsFunc(s, unicode.IsUpper) || value.WithCurrency(s))
}

// anAmount is how amounts are written, in groups or not, with a currency or without.
var anAmount = regexp.MustCompile(`^\s*(?:[€$£]|[A-Z]{3})?\s?-?(?:[1-9]\d{0,2}(?:[.,'’ \x{a0}\x{202f}]\d{3})+|[1-9]\d*|0)(?:[.,](?:\d{2}|-+))?\s?(?:[€$£]|[A-Z]{3}|kr\.?)?\s*$`)
