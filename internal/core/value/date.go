package value

import (
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"uchi/internal/core/catalog"
	"uchi/internal/core/problem"
)

// months knows the names of the months in the common European languages by
// their folded first letters, enough of them to tell them apart, and in Roman figures.
var months = map[string]int{}

func init() {
	for i, names := range []string{
		"january jan januar janvier janv enero ene gennaio gen januari janeiro januari tammikuu tammikuuta stycznia styczen " +
			"ιανουαριος ιανουαριου ιαν ledna leden januarie ianuarie ocak sty tammi i",
		"february feb februar fevrier fevr fev febrero febbraio februari fevereiro helmikuu helmikuuta lutego luty " +
			"φεβρουαριος φεβρουαριου φεβ unora unor februarie subat lut helmi ii",
		"march mar marts marz maerz mars marzo maart mrt marco maaliskuu maaliskuuta marca marzec μαρτιος μαρτιου μαρ " +
			"brezna brezen marcius martie mart maalis iii",
		"april apr avril avr abril abr aprile huhtikuu huhtikuuta kwietnia kwiecien απριλιος απριλιου απρ dubna duben " +
			"aprilis aprilie nisan kwi huhti iv",
		"may mai mayo maggio mag mei maio maj toukokuu toukokuuta maja μαιος μαιου μαι kvetna kveten majus mayis touko v",
		"june jun juni juin junio giugno giu junho kesakuu kesakuuta czerwca czerwiec ιουνιος ιουνιου ιουν cervna cerven " +
			"junius iunie haziran cze kesa vi",
		"july jul juli juillet juil julio luglio lug julho heinakuu heinakuuta lipca lipiec ιουλιος ιουλιου ιουλ cervence " +
			"cervenec julius iulie temmuz lip heina vii",
		"august aug aout agosto ago augustus augusti elokuu elokuuta sierpnia sierpien αυγουστος αυγουστου αυγ srpna srpen " +
			"augusztus agustos sie elo viii",
		"september sep sept septembre septiembre settembre set setembro syyskuu syyskuuta wrzesnia wrzesien σεπτεμβριος " +
			"σεπτεμβριου σεπ σεπτ zari szeptember septembrie eylul wrz syys ix",
		"october oct oktober okt octobre octubre ottobre ott outubro out lokakuu lokakuuta pazdziernika pazdziernik " +
			"οκτωβριος οκτωβριου οκτ rijna rijen octombrie ekim paz loka x",
		"november nov novembre noviembre novembro marraskuu marraskuuta listopada listopad νοεμβριος νοεμβριου νοε " +
			"νοεμ listopadu noiembrie kasim lis marras xi",
		"december dec dezember dez decembre diciembre dic dicembre desember des dezembro joulukuu joulukuuta grudnia " +
			"grudzien δεκεμβριος δεκεμβριου δεκ prosince prosinec decembrie aralik gru joulu xii",
	} {
		for n := range strings.FieldsSeq(names) {
			months[n] = i + 1
		}
	}
}

// clocks are the times of day that may stand behind a date. Anything else says more than
// the date does: another one, a remark, a doubt.
var clocks = regexp.MustCompile(`(?i)^\d{1,2}(?:[:.h]\d{2}){0,2}(?:[.,]\d+)?h? ?(?:[ap]\.?m\.?|uhr)? ?(?:z|[a-z]{3,4})?(?:[+-]\d{2}:?\d{2})?(?: [a-z]{3,4}| \([^()]*\))?$`)

// notThen are the words and signs before a date that make it mean another time than the day:
// before it, after it, about then.
var notThen = wordSet(`ab bis vor nach seit ca circa etwa before after from until till by since about approx around
	spatestens fruhestens avant apres depuis jusqu vers des antes
	despues desde hasta prima dopo dal fino entro circa voor na vanaf tot omstreeks fra til etter for innan efter
	fran omkring po przed do od`)

func (r *Reader) date(s string) (string, Trouble) {
	if at, ok := moment(s); ok {
		switch {
		case r.set.Zone != nil:
			s = at.In(r.set.Zone).Format(time.DateOnly)
		case midnightElsewhere(at, s):
			return "", Trouble{problem.DayByZone, at.Format(time.DateOnly) + " or " + at.AddDate(0, 0, 1).Format(time.DateOnly)}
		}
	}
	day, clock, t := r.dayAndClock(s)
	switch {
	case t.Code != "":
		return "", t
	case clock != "" && !clocks.MatchString(clock):
		return "", Trouble{Code: problem.BadDate}
	case r.ahead != "" && day >= r.ahead:
		return "", Trouble{Code: r.aheadAs}
	case r.oldest != "" && day < r.oldest:
		return "", Trouble{Code: problem.BirthLongAgo}
	case r.youngest != "" && day > r.youngest:
		return "", Trouble{Code: problem.BirthLately}
	}
	return day, Trouble{}
}

// moment reads an instant in UTC as programs write it (RFC 3339): 2026-03-31T22:00:00Z.
func moment(s string) (at time.Time, ok bool) {
	if len(s) < 20 || s[len(s)-1] != 'Z' || s[4] != '-' {
		return at, false
	}
	at, err := time.Parse(time.RFC3339Nano, s[:10]+"T"+s[11:])
	return at, err == nil
}

// midnightElsewhere reports whether an instant may be the midnight with which a day begins where
// it was noted, east of Greenwich: then it is the next day. A program that has a day only gives
// it so; on the hour, and often with the thousandths that it does not have.
func midnightElsewhere(at time.Time, s string) bool {
	if at.Second() != 0 || at.Nanosecond() != 0 || at.Minute()%15 != 0 {
		return false
	}
	if strings.HasSuffix(s, ":00.000Z") {
		return at.Hour() >= 10
	}
	return at.Hour() >= 20 && at.Minute() == 0
}

// DayNumbers tells from which day numbers are counted that stand where a day is wanted.
type DayNumbers string

// The counts of spreadsheet programs: 1 is the first day of the year, and 1900 has a 29 February.
const (
	Since1900 DayNumbers = "since_1900"
	Since1904 DayNumbers = "since_1904"
)

// WaysOfDayNumbers lists those that can be chosen.
var WaysOfDayNumbers = []DayNumbers{Since1900, Since1904}

// IsDayNumber reports whether a text may be a day as spreadsheet programs count them, from 1927
// to 2099, with or without a time of the day.
func IsDayNumber(s string) bool {
	if len(s) < 5 || digits(s[:5]) < 0 || len(s) > 5 && s[5] != '.' && s[5] != ',' {
		return false
	}
	whole, rest, parted := strings.Cut(strings.Replace(s, ",", ".", 1), ".")
	return len(whole) == 5 && digits(whole) >= 10_000 && digits(whole) <= 73_050 &&
		(!parted || digits(rest) >= 0 && len(rest) < 16)
}

// dayCounted reads such a text.
func (r *Reader) dayCounted(s string) (day, clock string, t Trouble) {
	first := time.Date(1899, 12, 30, 0, 0, 0, 0, time.UTC)
	if r.set.DayNumbers == Since1904 {
		first = time.Date(1904, 1, 1, 0, 0, 0, 0, time.UTC)
	}
	day = first.AddDate(0, 0, digits(s[:5])).Format(time.DateOnly)
	if r.set.DayNumbers == "" {
		return "", "", Trouble{problem.DayNumber, day}
	}
	if len(s) > 6 {
		part, _ := strconv.ParseFloat("0."+s[6:], 64) //nolint:errcheck // they are figures
		clock = time.Time{}.Add(time.Duration(math.Round(part*24*60*60)) * time.Second).Format(time.TimeOnly)
	}
	return day, clock, Trouble{}
}

// hourSign is that of 17h02.
var hourSign = regexp.MustCompile(`^(\d{1,2})H(\d{2})$`)

func (r *Reader) dateTime(s string) (string, Trouble) {
	if at, err := time.Parse(time.RFC3339Nano, s); err == nil {
		return at.UTC().Format(time.RFC3339), Trouble{}
	}
	day, clock, t := r.dayAndClock(s)
	if t.Code != "" {
		return "", t
	}
	zone := r.set.Zone
	if zone == nil {
		zone = time.UTC
	}
	if clock == "" {
		clock = "00:00"
	}
	clock = hourSign.ReplaceAllString(strings.ToUpper(clock), "$1:$2")
	for _, layout := range []string{"15:04", "15:04:05", "3:04 PM", "3:04:05 PM", "3:04PM", "15.04", "3.04 PM",
		"15:04 -0700", "15:04:05 -0700", "15:04:05Z07:00", "15:04:05 Z07:00"} {
		if at, err := time.ParseInLocation("2006-01-02 "+layout, day+" "+clock, zone); err == nil {
			return at.UTC().Format(time.RFC3339), Trouble{}
		}
	}
	return "", Trouble{Code: problem.BadDate}
}

// Spans tells which day is meant where a cell names a week, a month, a quarter or half a year.
type Spans string

// The days of a span.
const (
	FirstDay Spans = "first_day"
	LastDay  Spans = "last_day"
)

// WaysOfSpans lists those that can be chosen.
var WaysOfSpans = []Spans{FirstDay, LastDay}

// Spans of a year as people write them, folded: "q1 2027", "1q27", "2027-q1", "1. quartal
// 2027", "h2 2027", "2027-03", "3/2027"; and with a month in letters on either side.
var (
	partFirst  = regexp.MustCompile(`^(?:([qhtks])\s?([1-4])|([1-4])\.?\s?(?:([qhtks])|(quartal|quarter|trimestre|trim|kwartaal|kvartal|kwartal|halbjahr|half|semestre|hj)))[\s./-]*(?:of\s|de\s)?'?(\d{4}|\d{2})$`)
	yearFirst  = regexp.MustCompile(`^(\d{4})[\s./-]*([qhtks])\s?([1-4])$`)
	monthAhead = regexp.MustCompile(`^(\d{1,2})[./-](\d{4})$`)
	yearAhead  = regexp.MustCompile(`^(\d{4})[./-](\d{1,2})$`)
	wordAhead  = regexp.MustCompile(`^(\pL+)\.?(?:[\s./-]*'?(\d{4})|(?:[./-]|\s?')(\d{2}))$`) // "Dec 26" may be the 26th
	wordBehind = regexp.MustCompile(`^(\d{4})[\s./-]*(\pL+)\.?$`)

	// Weeks are those of ISO 8601 (“sem.” may be half a year as well): "kw 20/2027", "week 20 2027", "2027-w20", "20. kw 2027".
	weekWord  = `(?:kw|kalenderwoche|woche|week|wk|w|cw|semaine|semana|sett|settimana|vecka|uke|uge|viikko|vko|vk|tydz|tydzien|tyd|tyden|het|hafta|εβδ|εβδομαδα)`
	weekAhead = regexp.MustCompile(`^` + weekWord +
		`\.?\s?(\d{1,2})(?:[\s,./-]+'?|\s?')(\d{4}|\d{2})$|^(\d{1,2})\.?\s?` + weekWord + `[\s./-]*'?(\d{4}|\d{2})$`)
	yearWeek = regexp.MustCompile(`^(\d{4})[\s./-]*` + weekWord + `\.?\s?(\d{1,2})$`)
)

// span reads a text that names a week, a month or a part of a year, as its first and last day; ok is
// false when it names none.
func (r *Reader) span(s string) (first, last time.Time, ok bool) {
	s = Fold(s)
	none := time.Time{}
	between := func(y, from, to int, ok bool) (time.Time, time.Time, bool) {
		return time.Date(y, time.Month(from), 1, 0, 0, 0, 0, time.UTC), time.Date(y, time.Month(to)+1, 0, 0, 0, 0, 0,
			time.UTC), ok
	}
	part := func(kind, n, y string) (time.Time, time.Time, bool) {
		of := 3
		if kind != "" && strings.Contains("hs", kind[:1]) { // half a year
			of = 6
		}
		last := digits(n) * of
		return between(r.year(y), last-of+1, last, last <= 12)
	}
	week := func(n, y string) (time.Time, time.Time, bool) {
		fourth := time.Date(r.year(y), 1, 4, 0, 0, 0, 0, time.UTC) // which is always in the first week
		monday := fourth.AddDate(0, 0, 7*(digits(n)-1)-(int(fourth.Weekday())+6)%7)
		year, is := monday.ISOWeek()
		return monday, monday.AddDate(0, 0, 6), year == r.year(y) && is == digits(n)
	}
	if m := weekAhead.FindStringSubmatch(s); m != nil {
		return week(m[1]+m[3], m[2]+m[4])
	}
	if m := yearWeek.FindStringSubmatch(s); m != nil {
		return week(m[2], m[1])
	}
	if m := partFirst.FindStringSubmatch(s); m != nil {
		return part(m[1]+m[4]+m[5], m[2]+m[3], m[6])
	}
	if m := yearFirst.FindStringSubmatch(s); m != nil {
		return part(m[2], m[3], m[1])
	}
	month := func(y string, n int) (time.Time, time.Time, bool) {
		return between(r.year(y), n, n, n >= 1 && n <= 12 && r.year(y) >= 1000)
	}
	if m := monthAhead.FindStringSubmatch(s); m != nil {
		return month(m[2], digits(m[1]))
	}
	if m := yearAhead.FindStringSubmatch(s); m != nil {
		return month(m[1], digits(m[2]))
	}
	if m := wordAhead.FindStringSubmatch(s); m != nil {
		return month(m[2]+m[3], months[m[1]])
	}
	if m := wordBehind.FindStringSubmatch(s); m != nil {
		return month(m[1], months[m[2]])
	}
	return none, none, false
}

// Days of any year, as those are noted on which people are congratulated.
var (
	dayOfMonth = regexp.MustCompile(`^(?:\d{1,2}[./-]\s?\d{1,2}\.?|--\d{2}-?\d{2})$`)
	dayInWords = regexp.MustCompile(`^\d{1,2}\.?\s(?:de\s)?(\pL+)\.?$|^(\pL+)\.?\s\d{1,2}(?:st|nd|rd|th)?$`)
)

// yearless reports whether a text is such a day.
func yearless(s string) bool {
	m := dayInWords.FindStringSubmatch(Fold(s))
	return dayOfMonth.MatchString(s) || m != nil && months[m[1]+m[2]] > 0
}

// daySpanned reads such a text as the day that is meant by it.
func (r *Reader) daySpanned(s string) (day string, t Trouble) {
	first, last, ok := r.span(s)
	switch {
	case !ok && yearless(s):
		return "", Trouble{problem.BadDate, "it has no year"}
	case !ok:
		return "", Trouble{Code: problem.BadDate}
	case r.set.Spans == FirstDay:
		return first.Format(time.DateOnly), Trouble{}
	case r.set.Spans == LastDay:
		return last.Format(time.DateOnly), Trouble{}
	}
	return "", Trouble{Code: problem.PartialDate}
}

// eras are those of Japan, by their sign and first letter, with the year before the first.
var eras = map[string]int{"明治": 1867, "大正": 1911, "昭和": 1925, "平成": 1988, "令和": 2018, "M": 1867, "T": 1911,
	"S": 1925, "H": 1988, "R": 2018}

// ofEra is a date with the year of an era: 令和8年3月31日, R8.3.31.
var ofEra = regexp.MustCompile(`^(?:(明治|大正|昭和|平成|令和) ?(元|\d{1,2})年 ?|([MTSHR])(\d{1,2})[./-])(\d{1,2})[月./-] ?(\d{1,2})日?`)

// yearOfEra reads such a date at the start of s, and gives back the rest.
func yearOfEra(s string) (year, month, day int, rest string, ok bool) {
	if s == "" || s[0] >= '0' && s[0] <= '9' { // as most dates begin
		return 0, 0, 0, "", false
	}
	m := ofEra.FindStringSubmatch(s)
	if m == nil {
		return 0, 0, 0, "", false
	}
	n := 1 // 元
	if m[2] != "元" {
		n = digits(m[2] + m[4])
	}
	return eras[m[1]+m[3]] + n, digits(m[5]), digits(m[6]), strings.TrimSpace(s[len(m[0]):]), true
}

// dayAndClock reads the date at the start of s as 2006-01-02 and gives back the rest.
func (r *Reader) dayAndClock(s string) (day, clock string, t Trouble) {
	if len(s) > 60 {
		return "", "", Trouble{Code: problem.BadDate}
	}
	if len(s) == 10 && s[4] == '-' && s[7] == '-' { // the plain case first
		if y, m, d := digits(s[:4]), digits(s[5:7]), digits(s[8:]); validDate(y, m, d) {
			return s, "", Trouble{}
		}
		return "", "", noSuchDay(digits(s[:4]), digits(s[5:7]), digits(s[8:]))
	}
	if (len(s) == 6 || len(s) == 8) && digits(s) > 0 {
		day, t := r.dayInFigures(s)
		return day, "", t
	}
	if IsDayNumber(s) {
		return r.dayCounted(s)
	}
	if y, m, d, rest, ok := yearOfEra(s); ok {
		if !validDate(y, m, d) {
			return "", "", noSuchDay(y, m, d)
		}
		return isoDate(y, m, d), rest, Trouble{}
	}
	parts, seps, clock := dateParts(s)
	if len(parts) != 3 {
		day, t := r.daySpanned(s)
		return day, "", t
	}
	y, m, d, t := r.arrange(parts, seps)
	if t.Code != "" {
		return "", "", t
	}
	if !validDate(y, m, d) {
		return "", "", noSuchDay(y, m, d)
	}
	return isoDate(y, m, d), bareClock(clock), Trouble{}
}

// noSuchDay tells why there is no such day, where its month is one: the 31st of June.
func noSuchDay(year, month, day int) Trouble {
	t := Trouble{Code: problem.BadDate}
	if month < 1 || month > 12 || day < 1 || day > 31 || year < 1 {
		return t
	}
	last := time.Date(year, time.Month(month)+1, 0, 0, 0, 0, 0, time.UTC)
	if day > last.Day() {
		t.Detail = last.Format("January 2006") + " has " + strconv.Itoa(last.Day()) + " days"
	}
	return t
}

// OrdersOfFigures lists the orders in which six or eight figures with no sign between can be a day:
// 800403, 03041980. A year in full is of the last century or of this one, so that it is never
// first and last in one text.
func OrdersOfFigures(s string) (list []DateOrder) {
	if len(s) != 6 && len(s) != 8 || digits(s) < 0 {
		return nil
	}
	two, last := len(s)-4, digits(s[len(s)-2:])
	for _, o := range []struct {
		order            DateOrder
		year, month, day int
	}{
		{YearFirst, digits(s[:two]), digits(s[two : two+2]), last},
		{DayFirst, digits(s[4:]), digits(s[2:4]), digits(s[:2])},
		{MonthFirst, digits(s[4:]), digits(s[:2]), digits(s[2:4])},
	} {
		year := o.year
		if two == 2 {
			year += 2000 // which has a 29 February where 1900 has none
		}
		if year >= 1900 && year < 2101 && validDate(year, o.month, o.day) {
			list = append(list, o.order)
		}
	}
	return list
}

// dayInFigures reads such a text in the order of its column; by itself where there is but one.
func (r *Reader) dayInFigures(s string) (string, Trouble) {
	orders := OrdersOfFigures(s)
	order := r.set.DateOrder
	switch {
	case len(s) == 8 && len(orders) == 0: // of another century
		if y, m, d := digits(s[:4]), digits(s[4:6]), digits(s[6:]); validDate(y, m, d) {
			return isoDate(y, m, d), Trouble{}
		}
		return "", Trouble{Code: problem.BadDate}
	case slices.Contains(orders, order):
	case len(orders) == 1 && (order == "" || len(s) == 8):
		order = orders[0]
	case len(orders) > 1 && (order == "" || len(s) == 8):
		return "", Trouble{Code: problem.AmbiguousDate}
	default:
		return "", Trouble{Code: problem.BadDate}
	}
	two := len(s) - 4
	switch order {
	case DayFirst:
		return isoDate(r.year(s[4:]), digits(s[2:4]), digits(s[:2])), Trouble{}
	case MonthFirst:
		return isoDate(r.year(s[4:]), digits(s[:2]), digits(s[2:4])), Trouble{}
	}
	return isoDate(r.year(s[:two]), digits(s[two:two+2]), digits(s[two+2:])), Trouble{}
}

// Words before and behind a time of day in the languages of the product, and those that mean the
// year before it: "kl. 10.30", "à 10h30", "10:30 uur", "13 grudnia 2026 r.".
var (
	clockAfter  = regexp.MustCompile(`^(?i:um|kl\.?|klo|klokken|klockan|à|a\s+las?|alle|às|om|godz\.?|o\s+godz\.?|v|ve|saat|at|στις|ώρα)\s+(\d)`)
	clockBefore = regexp.MustCompile(`(?i)(\d)\s*(?:uhr|uur|h|hrs|hod\.?|óra)$`)
	yearWord    = regexp.MustCompile(`^(?i:r\.?|roku|г\.?|року)(?:,?\s+|$)`)
)

// bareClock gives what stands behind a date without the words that only say that it is a time of day.
func bareClock(s string) string {
	if s == "" {
		return s
	}
	s = clockAfter.ReplaceAllString(yearWord.ReplaceAllString(s, ""), "$1")
	return clockBefore.ReplaceAllString(s, "$1")
}

// dateParts takes the first three figures or month names off s. A weekday in
// front and the ordinal endings of English are passed over.
func dateParts(s string) (parts []string, seps []rune, clock string) {
	i := 0
	rs := []rune(s)
	for i < len(rs) && len(parts) < 3 {
		c := rs[i]
		j := i
		switch {
		case c >= '0' && c <= '9':
			for j < len(rs) && rs[j] >= '0' && rs[j] <= '9' {
				j++
			}
			parts = append(parts, string(rs[i:j]))
			if len(parts) > 1 && len(seps) < len(parts)-1 {
				seps = append(seps, ' ')
			}
			for _, ord := range []string{"st", "nd", "rd", "th", "er ", "º ", "ª ", "ème ", "e "} {
				if strings.HasPrefix(string(rs[j:]), ord) {
					j += utf8.RuneCountInString(strings.TrimSpace(ord))
					break
				}
			}
		case c == '年' || c == '月':
			seps = append(seps, '-')
			j++
		case unicode.IsLetter(c):
			for j < len(rs) && (unicode.IsLetter(rs[j]) || unicode.Is(unicode.Mn, rs[j])) {
				j++
			}
			word := Fold(string(rs[i:j]))
			if len(parts) == 0 && notThen[word] {
				return nil, nil, ""
			}
			if months[word] > 0 {
				parts = append(parts, word)
			} else if len(parts) == 0 || word == "de" || word == "of" {
				break // a weekday, or a small word between
			} else {
				return nil, nil, ""
			}
		case len(parts) == 0 && strings.ContainsRune("~<>≈≤≥±", c):
			return nil, nil, ""
		default:
			if len(parts) > 0 && len(seps) < len(parts) && !unicode.IsSpace(c) {
				seps = append(seps, c)
			}
			j++
		}
		i = j
	}
	return parts, seps, strings.Trim(string(rs[i:]), " T,.日")
}

func (r *Reader) arrange(p []string, seps []rune) (y, m, d int, t Trouble) {
	bad := Trouble{Code: problem.BadDate}
	for i, word := range p {
		if n := months[word]; n > 0 { // a month in letters leaves nothing to ask but the year
			rest := append(append([]string{}, p[:i]...), p[i+1:]...)
			a, b := digits(rest[0]), digits(rest[1])
			if len(rest[0]) == 4 {
				return a, n, b, Trouble{}
			}
			return r.year(rest[1]), n, a, Trouble{}
		}
	}
	a, b, c := digits(p[0]), digits(p[1]), digits(p[2])
	if a < 0 || b < 0 || c < 0 {
		return 0, 0, 0, bad
	}
	if len(p[0]) == 4 || len(p[0]) == 2 && len(p[2]) != 4 && r.set.DateOrder == YearFirst {
		return r.year(p[0]), b, c, Trouble{}
	}
	if len(p[2]) != 4 && len(p[2]) != 2 {
		return 0, 0, 0, bad
	}
	year := r.year(p[2])
	switch {
	case a > 12:
		return year, b, a, Trouble{}
	case b > 12:
		return year, a, b, Trouble{}
	case a == b:
		return year, a, b, Trouble{}
	case r.set.DateOrder == DayFirst:
		return year, b, a, Trouble{}
	case r.set.DateOrder == MonthFirst:
		return year, a, b, Trouble{}
	case len(seps) > 0 && seps[0] == '.': // figures parted by dots are written day first wherever they are in use
		return year, b, a, Trouble{}
	}
	return 0, 0, 0, Trouble{Code: problem.AmbiguousDate}
}

// year fills up a two-digit year: up to ten years ahead it is in this century, of birth up
// to now, else in the last.
func (r *Reader) year(s string) int {
	n := digits(s)
	if len(s) != 2 {
		return n
	}
	now := r.set.ThisYear
	if now == 0 {
		now = time.Now().Year()
	}
	n += now / 100 * 100
	ahead := 10
	if r.field.Holds == catalog.HoldsBirth {
		ahead = 0
	}
	if n > now+ahead {
		n -= 100
	}
	return n
}

// OrderOf tells which order a date written with figures shows by itself; empty
// when it shows none.
func OrderOf(s string) DateOrder {
	parts, seps, _ := dateParts(Trim(s))
	if len(parts) != 3 || len(seps) == 0 {
		return ""
	}
	a, b, c := digits(parts[0]), digits(parts[1]), digits(parts[2])
	switch {
	case a < 0 || b < 0 || c < 0, slices.ContainsFunc(parts, inThousands):
		return ""
	case len(parts[0]) == 4 && a < 1000: // 0480-14 25 36 is a telephone number
		return ""
	case len(parts[0]) == 4:
		return YearFirst
	case a > 12 && a <= 31 && b <= 12:
		return DayFirst
	case b > 12 && b <= 31 && a <= 12:
		return MonthFirst
	case seps[0] == '.':
		return DayFirst
	}
	return ""
}

// LooksLikeDate reports whether figures are parted like a date: three groups,
// of which the first or the last can be a year.
func LooksLikeDate(s string) bool {
	p, _, _ := dateParts(Trim(s))
	if len(p) != 3 {
		return false
	}
	return !slices.ContainsFunc(p, inThousands) && (len(p[0]) == 4 && p[0][0] != '0' || len(p[2]) == 4 || len(p[2]) == 2)
}

// inThousands reports whether a part between signs is three figures, as in an amount and
// never in a date.
func inThousands(part string) bool { return len(part) == 3 && digits(part) >= 0 }

// digits reads a short run of figures; -1 when it is not one.
func digits(s string) int {
	if s == "" || len(s) > 8 {
		return -1
	}
	n := 0
	for i := 0; i < len(s); i++ {
		if s[i] < '0' || s[i] > '9' {
			return -1
		}
		n = n*10 + int(s[i]-'0')
	}
	return n
}

func validDate(y, m, d int) bool {
	if y < 1000 || y > 9999 || m < 1 || m > 12 || d < 1 || d > 31 {
		return false
	}
	return d <= 28 || time.Date(y, time.Month(m), d, 0, 0, 0, 0, time.UTC).Day() == d
}

func isoDate(y, m, d int) string {
	b := []byte("0000-00-00")
	b[0], b[1], b[2], b[3] = byte('0'+y/1000), byte('0'+y/100%10), byte('0'+y/10%10), byte('0'+y%10)
	b[5], b[6] = byte('0'+m/10), byte('0'+m%10)
	b[8], b[9] = byte('0'+d/10), byte('0'+d%10)
	return string(b)
}
