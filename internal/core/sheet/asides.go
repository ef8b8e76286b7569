package sheet

import (
	"regexp"
	"slices"
	"strconv"
	"strings"

	"uchi/internal/core/fault"
	"uchi/internal/core/value"
)

// ReadAsides is the reading in which rows that are no records are read like the others.
const ReadAsides = "read"

// rowsAhead is how many rows a table looks ahead: a row is judged by those below it.
const rowsAhead = 5

// asides tells the rows of a sheet that are no records: the header said again on every
// page, totals, page numbers, and the beginning of another table. It counts them.
type asides struct {
	header []string // as it stands in the sheet; nil when there is none
	lower  []string // its second row; nil when it has one
	width  int
	ends   bool // a person said where the table ends

	counts  map[string]*Notice
	another *Notice // where another table begins; what is below belongs to it
	before  Row     // the row above that was read
	summed  bool    // below the totals of all
}

const (
	headerAgain = "header_again"
	totalsRow   = "totals_row"
	pageLine    = "page_line"
	noteLine    = "note_line"
	unitsRow    = "units_row"
)

// AnotherTable is the code of the notice that below a gap another table begins, which is left
// out.
const AnotherTable = "another_table"

var asideWords = map[string]string{
	headerAgain:  "the header stands again among the rows; it is left out",
	totalsRow:    "rows read like totals; they are left out",
	pageLine:     "rows are numbers of pages; they are left out",
	noteLine:     "lines below the table are remarks on it; they are left out",
	unitsRow:     "the row below the header says in what its columns are, or numbers them; it is left out",
	AnotherTable: "another table begins here, which is no part of this import",
}

// is reports whether a row is left out; ahead are the next rows below it, none at the end, and
// heads is that of the Table.
func (a *asides) is(row Row, ahead []Row, heads func([]string) bool) bool {
	if a.another != nil {
		a.another.Count++
		return true
	}
	n, code := 0, ""
	few := a.few(row)
	if few {
		n = filled(row)
	}
	switch {
	case a.saysHeader(row):
		code = headerAgain
	case a.before.Number == 0 && a.onlyUnits() && len(a.header) > 1 && (saysUnits(row, ahead) || numbersColumns(row, ahead)):
		code = unitsRow
	case few && n == 1 && pageNumber.MatchString(strings.ToLower(firstFilled(row))):
		code = pageLine
	case few && (len(ahead) == 0 && !a.ends && lastTotals(row) || a.totals(row, n)), !a.ends && a.sumsUp(row, ahead):
		code = totalsRow
		a.summed = totalsWords[value.Words(firstFilled(row))]
	case few && n == 1 && !a.ends && a.remark(row, ahead):
		code = noteLine
	case !a.ends && a.before.Number > 0 && row.Number > a.before.Number+1:
		if at, title, begins := a.begins(row, ahead, heads); begins {
			a.another = &Notice{Code: AnotherTable, Message: asideWords[AnotherTable], Row: at, Count: 1, Title: title}
			return true
		}
	}
	if code == "" {
		a.summed = false
		a.before = row // its cells stay as they are until the next is looked at
		return false
	}
	a.before.Cells = slices.Clone(a.before.Cells)
	if a.counts[code] == nil {
		a.counts[code] = &Notice{Code: code, Message: asideWords[code], Row: row.Number}
	}
	a.counts[code].Count++
	return true
}

// notices tells what was left out.
func (a *asides) notices() (list []Notice) {
	for _, code := range []string{unitsRow, headerAgain, totalsRow, pageLine, noteLine} {
		if n := a.counts[code]; n != nil {
			list = append(list, *n)
		}
	}
	if a.another != nil {
		list = append(list, *a.another)
	}
	return list
}

// few reports whether at most half of the columns are filled.
func (a *asides) few(row Row) bool {
	n := 0
	for _, c := range row.Cells {
		if !blank(c) {
			if n++; n*2 > a.width {
				return false
			}
		}
	}
	return true
}

// units are what stands in a row that says in what columns are, beside what is in brackets: units,
// the shapes of dates, kinds of values, and whether one is wanted.
var units = regexp.MustCompile(`^(?i:[€$£%#°]|k ?[€$£]|[tm]€|eur|usd|gbp|nok|sek|dkk|chf|pln|czk|k ?eur|teur|meur|mio\.? ?€?|k|tsd\.?|[dmyjaå]{1,4}[./-][dmyjaå]{1,4}([./-][dmyjaå]{1,4})?|iso( ?\d{1,5})?( ?alpha)?-?\d?|fte|pcs\.?|stk\.?|st|qty|kg|t|m|cm|mm|m²|m2|m³|km|kw|kwh|h|hrs?|min|days?|tage|years?|jahre|text|texts?|string|varchar(\(\d+\))?|char(\(\d+\))?|int(eger)?|number|numeric|decimal|date|datum|zahl|bool(ean)?|y/n|j/n|yes/no|ja/nein|required|mandatory|optional|pflicht|pflichtfeld|oui/non|obligatoire|facultatif|[*]|max\.? ?\d+)$`)

// onlyUnits reports whether nothing was left out so far but rows that say in what columns are.
func (a *asides) onlyUnits() bool {
	return len(a.counts) == 0 || len(a.counts) == 1 && a.counts[unitsRow] != nil
}

// fewestNumbered is how many columns a row must number to be told by it.
const fewestNumbered = 3

// numbersColumns reports whether a row below the header numbers the columns, 1, 2, 3 and on, as forms do, and
// the next one does not go on so.
func numbersColumns(row Row, ahead []Row) bool {
	numbered := func(row Row, from int) bool {
		for n, c := range row.Cells {
			if value.Trim(c) != strconv.Itoa(n+from) {
				return false
			}
		}
		return len(row.Cells) >= fewestNumbered
	}
	return numbered(row, 1) && len(ahead) > 0 && !numbered(ahead[0], 2) && !numbered(ahead[0], 1)
}

// saysUnits reports whether the row below the header says in what the columns are: all its filled
// cells, two at least, are units or stand in brackets, and the rows below are otherwise.
func saysUnits(row Row, ahead []Row) bool {
	said := 0
	for n, c := range row.Cells {
		if c = value.Trim(c); c == "" {
			continue
		}
		bracketed := len(c) > 2 && strings.ContainsRune("([{<", rune(c[0])) && strings.ContainsRune(")]}>", rune(c[len(c)-1]))
		if !bracketed && !units.MatchString(c) {
			return false
		}
		for _, r := range ahead {
			if n < len(r.Cells) && (value.Trim(r.Cells[n]) == c || units.MatchString(value.Trim(r.Cells[n]))) {
				return false // such are the values of the column
			}
		}
		said++
	}
	return said > 1 && len(ahead) > 0
}

// saysHeader reports whether a row is the header once more, or a row of it.
func (a *asides) saysHeader(row Row) bool {
	return saysAgain(a.header, row) || a.lower != nil && saysAgain(a.lower, row)
}

// saysAgain reports whether a row says what a row of a header does.
func saysAgain(header []string, row Row) bool {
	if len(header) < 2 || len(row.Cells) == 0 || row.Cells[0] != header[0] {
		return false
	}
	for i, c := range row.Cells {
		if i >= len(header) && value.Trim(c) != "" || i < len(header) && c != header[i] &&
			value.Trim(c) != value.Trim(header[i]) {
			return false
		}
	}
	n := filled(row)
	return n > 1 && n == filled(Row{Cells: header})
}

func firstFilled(row Row) string {
	for _, c := range row.Cells {
		if c = value.Trim(c); c != "" {
			return c
		}
	}
	return ""
}

var pageNumber = regexp.MustCompile(`^[-–—\s]*(?:page|seite|side|sida|sivu|pagina|página|strona|oldal|strana|σελίδα)\s*:?\s*\d+(?:\s*(?:of|von|de|di|van|av|af|z|sur|/)\s*\d+)?[-–—\s]*$`)

var (
	totalsWords = wordsOf("total|totals|grand total|sum|summe|gesamt|insgesamt|gesamtsumme|gesamtergebnis|total " +
		"general|somme|totaal|totale|totali|totalt|summa|yhteensa|razem|suma|soma|συνολο|合計")
	countWords = wordsOf("count|number|rows|records|anzahl|zeilen|nombre|numero|lignes|aantal|antal|liczba")
	// Words at the beginning or the end of what totals are called within a sheet.
	partTotals = wordsOf("total|totals|subtotal|summe|zwischensumme|teilsumme|ergebnis|total " +
		"partiel|somme|totaal|subtotaal|totale|subtotale|totalt|delsumma|delsum|valisumma|razem|suma czesciowa|συνολο|小計|合計")
)

func wordsOf(list string) map[string]bool {
	m := map[string]bool{}
	for w := range strings.SplitSeq(list, "|") {
		m[value.Words(w)] = true
	}
	return m
}

// lastTotals reports whether the row at the end begins with a word for totals, perhaps with
// what it counts behind a colon or a number.
func lastTotals(row Row) bool {
	c := firstFilled(row)
	return totalsWords[value.Words(c)] || countsRows(c)
}

// totals reports whether a row with n filled cells is one of totals: "Subtotal Norway",
// "Norway Total" and nothing but figures beside it.
func (a *asides) totals(row Row, n int) bool {
	if n < 2 || a.width < 3 {
		return false
	}
	c := firstFilled(row)
	if len(c) > 80 || kindOfCell(c) != "text" {
		return false
	}
	for _, other := range row.Cells {
		if other = value.Trim(other); other != "" && other != c && kindOfCell(other) != "number" {
			return false
		}
	}
	words := strings.ReplaceAll(strings.ReplaceAll(value.Words(c), "sub total", "subtotal"), "sous total", "subtotal")
	first, _, _ := strings.Cut(words, " ")
	return partTotals[first] || partTotals[words[strings.LastIndexByte(words, ' ')+1:]]
}

// sumsUp reports whether a row of a narrow table sums it up, with nothing below but lines of one
// cell: a word for totals stands alone, at the end, below a gap or with cells left blank, and beside
// it are figures alone.
func (a *asides) sumsUp(row Row, ahead []Row) bool {
	c := firstFilled(row)
	if !totalsWords[value.Words(c)] || !alone(ahead) || a.before.Number == 0 {
		return false
	}
	figures := 0
	for _, other := range row.Cells {
		if other = value.Trim(other); other != "" && other != c {
			if kindOfCell(other) != "number" {
				return false
			}
			figures++
		}
	}
	return figures > 0 && (figures+1 < a.width || row.Number > a.before.Number+1 || len(ahead) == 0)
}

// alone reports whether no row has more than one filled cell.
func alone(rows []Row) bool {
	return !slices.ContainsFunc(rows, func(r Row) bool { return filled(r) > 1 })
}

// remarkWords begin what is said below a table about it.
var remarkWords = wordsOf("printed|generated|exported|created|prepared|report|source|sources|note|notes|remark|remarks|legend|confidential|as of|as at|last updated|end of report|gedruckt|druckdatum|erstellt|erzeugt|exportiert|quelle|hinweis|anmerkung|legende|vertraulich|stand|imprimé|exporté|généré|édité|remarque|légende|confidentiel|état au|impreso|exportado|generado|fuente|nota|leyenda|confidencial|stampato|esportato|generato|fonte|legenda|riservato|afgedrukt|geëxporteerd|gegenereerd|bron|opmerking|vertrouwelijk|utskriven|utskrivet|skapad|källa|anmärkning|udskrevet|eksporteret|kilde|bemærkning|fortroligt|wydrukowano|wygenerowano|źródło|uwaga|poufne|impresso|gerado|observação|εκτυπώθηκε|πηγή|σημείωση")

// remark reports whether a row of one cell below a table says something about it: below the totals,
// or below a gap and with a word, a star or a sign for it; nothing but such rows follow.
func (a *asides) remark(row Row, ahead []Row) bool {
	if a.width < 3 || a.before.Number == 0 || !alone(ahead) {
		return false
	}
	if a.summed || a.counts[noteLine] != nil {
		return true
	}
	c := firstFilled(row)
	if row.Number <= a.before.Number+1 {
		return false
	}
	words := strings.Fields(value.Words(c))
	for n := min(3, len(words)); n > 0; n-- {
		if remarkWords[strings.Join(words[:n], " ")] {
			return len(words) > 1
		}
	}
	return strings.HasPrefix(c, "*") || strings.HasPrefix(c, "©")
}

// countsRows reports whether a text counts something: "Total: 25 contacts", "Anzahl 25".
func countsRows(s string) bool {
	word, rest, colon := strings.Cut(s, ":")
	if !colon {
		word, rest, _ = strings.Cut(s, " ")
	}
	rest = strings.TrimSpace(rest)
	first, _, _ := strings.Cut(value.Words(word), " ") // of "Total contacts: 25"
	return (totalsWords[first] || countWords[first]) && rest != "" && rest[0] >= '0' && rest[0] <= '9'
}

// begins reports whether another table begins at a row below a gap, perhaps with a title
// alone: words above columns of other kinds than those above the gap, or that are known to head
// columns. It gives the row of its header, and the title.
func (a *asides) begins(row Row, ahead []Row, heads func([]string) bool) (header int64, title string, yes bool) {
	if filled(row) == 1 {
		if len(ahead) == 0 {
			return 0, "", false
		}
		title = fault.Cut(firstFilled(row), 80)
		row, ahead = ahead[0], ahead[1:]
	}
	if filled(row) < 2 || !onlyWords(row) {
		return 0, "", false
	}
	for n, rest := range ahead { // of the table itself
		if filled(rest) < 2 || n > 0 && rest.Number > ahead[n-1].Number+1 {
			ahead = ahead[:n]
			break
		}
	}
	if len(ahead) == 0 || ahead[0].Number > row.Number+1 {
		return 0, "", false
	}
	telling, other := 0, filled(row) != len(a.header) && widthOf(row) != a.width
	for i, c := range row.Cells {
		below := ""
		for _, r := range ahead {
			if i < len(r.Cells) && below == "" {
				below = kindOfCell(r.Cells[i])
			}
			if i < len(r.Cells) && kindOfCell(r.Cells[i]) != below && value.Trim(r.Cells[i]) != "" {
				below = "text"
			}
		}
		if value.Trim(c) == "" {
			if below != "" {
				return 0, "", false // a cell is missing: it is a row of data, not a header
			}
			continue
		}
		above := ""
		if i < len(a.before.Cells) {
			above = kindOfCell(a.before.Cells[i])
		}
		if below != "" && below != "text" {
			telling++
			other = other || above != "" && above != below
		}
	}
	return row.Number, title, telling > 0 && other || heads != nil && heads(row.Cells)
}

// onlyWords reports whether all filled cells of a row are different short words.
func onlyWords(row Row) bool {
	var seen []string
	for _, c := range row.Cells {
		if c = value.Trim(c); c == "" {
			continue
		}
		if len(c) > 60 || kindOfCell(c) != "text" || standsForNothing.Is(c) || slices.Contains(seen, c) {
			return false
		}
		seen = append(seen, c)
	}
	return true
}
