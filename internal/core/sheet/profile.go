package sheet

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"uchi/internal/core/fault"
	"uchi/internal/core/value"

	"github.com/axiomhq/hyperloglog"
)

// Column is one column of a sheet with what its cells look like.
type Column struct {
	Position    int      `json:"position"` // counted from 0
	Letter      string   `json:"letter"`
	Header      string   `json:"header"`
	Filled      int64    `json:"filled"`
	Blank       int64    `json:"blank"`
	Nothing     []Count  `json:"nothing,omitempty"` // of the blank ones, texts that stand for nothing, such as - and n/a
	Distinct    int64    `json:"distinct"`          // estimated when large
	Longest     int      `json:"longest"`           // in characters
	Guess       string   `json:"guess"`             // text, number, date, email, phone, url, yes_no
	Share       float64  `json:"share"`             // of the filled cells that fit the guess
	Top         []Count  `json:"top,omitempty"`
	Samples     []string `json:"samples,omitempty"` // the first different values
	Shapes      []Count  `json:"shapes,omitempty"`
	DateOrder   string   `json:"date_order,omitempty"`   // what the whole column decides
	DecimalSign string   `json:"decimal_sign,omitempty"` // what the whole column decides
	// how its numbers are written if they are percentages: of_one, of_hundred, or mixed
	Percents string `json:"percents,omitempty"`
	Capitals bool   `json:"capitals,omitempty"` // a third of its samples or more are in capitals throughout
	Unit     string `json:"unit,omitempty"`     // in what its amounts are by its header: thousands, millions
	// date_order or decimal_sign, when cells can be read two ways and the column does not decide
	Unsettled string `json:"unsettled,omitempty"`
	// the lines of the sheet end before it, so that the header has names too many and they may stand over others' cells
	Unreached bool `json:"unreached,omitempty"`
}

// AllDiffer reports whether each filled cell says something else, as far as the profile knows: how many different texts
// there are is an estimate beyond the first few hundred, which errs by three of a hundred at most (HyperLogLog with 2¹⁴
// registers, Flajolet and others 2007: 0.8 of a hundred in one standard deviation).
func (c Column) AllDiffer() bool {
	if c.Filled <= topKept {
		return c.Distinct == c.Filled
	}
	return c.Distinct*100 >= c.Filled*97
}

// Count is a value or shape with how often it stands in a column.
type Count struct {
	Text  string `json:"text"`
	Count int64  `json:"count"`
}

// Profiler gathers the profile of every column while the rows pass.
type Profiler struct {
	columns []columnProfile
	header  []string
	rows    int64
	ragged  int64
	first   int64   // row number of the first ragged row
	loose   int64   // rows with a quote that is opened and never closed
	quoted  int64   // row number of the first of them
	lone    int64   // rows with one filled cell
	alone   int64   // row number of the first of them
	holding int64   // cells that hold lines that are like rows
	holds   int64   // row number of the first of them
	ends    []int64 // of parted rows, how many have so many cells; longer ones count as the header
	// cells whose text was decoded wrongly before, those with a formula's error, and numbers
	// that were shortened
	misread, failed, shortened sighting
}

// sighting is something that is wrong with cells: how many there are, the row and the column of
// the first, and what that says.
type sighting struct {
	count, row      int64
	column, example string
}

func (s *sighting) saw(row int64, column, example string) {
	if s.count++; s.count == 1 {
		s.row, s.column, s.example = row, column, strings.Clone(example)
	}
}

// notice tells of what was seen, where anything was.
func (s sighting) notice(list []Notice, code, message string) []Notice {
	if s.count == 0 {
		return list
	}
	return append(list, Notice{Code: code, Message: fmt.Sprintf(message, s.example), Row: s.row, Column: s.column, Count: s.count})
}

type columnProfile struct {
	filled, dayFirst, monthFirst, dated int64
	dotted                              int64 // days first, with dots between
	dotSign, commaSign, openSign        int64
	ofOne, ofHundred                    int64
	longest                             int
	distinct                            *hyperloglog.Sketch // once there are more different values than top takes
	top                                 map[string]int64
	unique                              bool // so many values that counting the frequent ones is pointless
	shapes                              map[string]*shapeCount
	openDate                            int64
	figures, zeros                      int64                     // cells of six or eight figures alone, and of noughts
	inFigures                           map[value.DateOrder]int64 // of these, those that can be a day in an order
	samples                             []string
	nothing                             map[string]int64
}

const (
	topKept    = 512 // values counted per column, by Misra and Gries (1982) once there are more
	shapesKept = 64

	samplesKept   = 24
	longestSample = 120 // bytes
)

// standsForNothing tells such texts from values whatever the column is for.
var standsForNothing = value.NothingAnywhere(nil)

// nothingKept is how many different texts that stand for nothing a column counts.
const nothingKept = 20

// NewProfiler starts the profile of a table with these headers.
func NewProfiler(header []string) *Profiler {
	p := &Profiler{header: header, columns: make([]columnProfile, len(header)), ends: make([]int64, len(header)+1)}
	for i := range p.columns {
		p.columns[i] = columnProfile{top: map[string]int64{}, shapes: map[string]*shapeCount{}}
	}
	return p
}

// Add takes one row into the profile.
func (p *Profiler) Add(row Row) {
	p.rows++
	if row.LooseQuote {
		if p.loose++; p.quoted == 0 {
			p.quoted = row.Number
		}
	}
	if row.Parted {
		p.ends[min(len(row.Cells), len(p.header))]++
	}
	full := 0
	for i, c := range row.Cells {
		if full < 2 && value.Trim(c) != "" {
			full++
		}
		if i >= len(p.columns) {
			if value.Trim(c) != "" {
				p.ragged++
				if p.first == 0 {
					p.first = row.Number
				}
				full = 0
				break
			}
			continue
		}
		if p.holdsRows(c) {
			if p.holding++; p.holds == 0 {
				p.holds = row.Number
			}
		}
		if c != "" {
			p.columns[i].add(c)
			if meant, wrong := value.Misread(c); wrong {
				example := ""
				if p.misread.count == 0 {
					example = "“" + fault.Cut(c, 40) + "” for “" + fault.Cut(meant, 40) + "”"
				}
				p.misread.saw(row.Number, p.header[i], example)
			}
			switch failed, shortened := value.Harmed(value.Trim(c)); {
			case failed:
				p.failed.saw(row.Number, p.header[i], c)
			case shortened:
				p.shortened.saw(row.Number, p.header[i], c)
			}
		}
	}
	if full == 1 {
		if p.lone++; p.alone == 0 {
			p.alone = row.Number
		}
	}
}

func (c *columnProfile) add(cell string) {
	cell = value.Trim(cell)
	if cell == "" {
		return
	}
	if standsForNothing.Is(cell) || value.NoDate(cell) && strings.ContainsAny(cell, "-./") {
		if c.nothing == nil {
			c.nothing = map[string]int64{}
		}
		if _, known := c.nothing[cell]; known || len(c.nothing) < nothingKept {
			c.nothing[strings.Clone(cell)]++
		}
		return
	}
	c.filled++
	if len(cell) > c.longest {
		c.longest = max(c.longest, utf8.RuneCountInString(cell))
	}
	if len(c.samples) < samplesKept && len(cell) <= longestSample && !slices.Contains(c.samples, cell) {
		c.samples = append(c.samples, strings.Clone(cell))
	}
	if c.distinct != nil {
		c.distinct.Insert([]byte(cell))
	}
	if c.filled%uniqueEvery == 0 && !c.unique && c.distinct != nil {
		c.unique = c.distinct.Estimate() > uint64(c.filled)*9/10
	}
	if !c.unique {
		c.count(cell)
	}
	var space [24]byte
	seen := c.shape(appendShape(space[:0], cell), cell)
	seen.count++
	switch seen.class {
	case "date":
		c.date(cell)
	case "number":
		c.number(cell)
	case "text":
		if len(cell) > longestAmount {
			return
		}
		amount := strings.TrimFunc(cell, func(r rune) bool { return unicode.IsLetter(r) || unicode.IsSpace(r) })
		if len(amount) < len(cell) && strings.Trim(amount, "0123456789.,") == "" {
			c.sign(amount) // as of “VND 500,000,000”
		}
	}
}

// longestAmount is how long an amount with its currency may be, in bytes.
const longestAmount = 24

// different is how many different values there were: exact while there are few.
func (c *columnProfile) different() int64 {
	if c.distinct == nil {
		return int64(len(c.top))
	}
	return int64(c.distinct.Estimate())
}

// shapeCount is how often a shape stands in a column and what it stands for.
type shapeCount struct {
	count int64
	class string
}

// shape finds the count of a shape; beyond those kept all others are one.
func (c *columnProfile) shape(shape []byte, cell string) *shapeCount {
	if s, ok := c.shapes[string(shape)]; ok {
		return s
	}
	text, class := string(shape), classOf(string(shape))
	if class == "date" && strings.Contains(text, "9") && !value.LooksLikeDate(cell) {
		class = "number"
	}
	if len(c.shapes) >= shapesKept {
		text = "…"
		if s, ok := c.shapes[text]; ok {
			return s
		}
		class = "text"
	}
	s := &shapeCount{class: class}
	c.shapes[text] = s
	return s
}

func (c *columnProfile) date(cell string) {
	c.dated++
	if len(cell) >= 10 && cell[4] == '-' && cell[7] == '-' {
		return // year first, beyond doubt
	}
	switch value.OrderOf(cell) {
	case value.DayFirst:
		// which is so by its dots, and says nothing of others
		if at := strings.IndexAny(cell, "./-"); at >= 0 && cell[at] == '.' {
			c.dotted++
		} else {
			c.dayFirst++
		}
	case value.MonthFirst:
		c.monthFirst++
	case "":
		if strings.ContainsAny(cell, "/-") {
			c.openDate++
		}
	}
}

func (c *columnProfile) number(cell string) {
	switch value.PercentOf(cell) {
	case value.OfOne:
		c.ofOne++
	case value.OfHundred:
		c.ofHundred++
	}
	if len(cell) == 6 || len(cell) == 8 {
		c.inFigure(cell)
	}
	c.sign(cell)
}

// inFigure takes note of the orders in which figures alone can be a day.
func (c *columnProfile) inFigure(cell string) {
	if strings.Trim(cell, "0") == "" { // where there is no day
		c.zeros++
		return
	}
	c.figures++
	for _, o := range value.OrdersOfFigures(cell) {
		if c.inFigures == nil {
			c.inFigures = map[value.DateOrder]int64{}
		}
		c.inFigures[o]++
	}
}

// leastFigures is from how many cells on figures alone tell in which order they are days. Other numbers
// are days in some order once in ten times.
const leastFigures = 3

// ordersOfFigures lists the orders in which nearly all filled cells are days of figures alone: none where
// they are no days.
func (c *columnProfile) ordersOfFigures() (list []value.DateOrder) {
	if c.figures < leastFigures || (c.figures+c.zeros)*10 < c.filled*9 {
		return nil
	}
	for _, o := range value.DateOrders {
		if c.inFigures[o]*20 >= c.figures*19 {
			list = append(list, o)
		}
	}
	return list
}

// sign takes note of which decimal sign a number shows.
func (c *columnProfile) sign(cell string) {
	if !strings.ContainsAny(cell, ".,") {
		return
	}
	sign, sure := value.SignOf(strings.Trim(cell, "€$£¥% \u00a0"))
	switch {
	case !sure:
		c.openSign++
	case sign == ',':
		c.commaSign++
	default:
		c.dotSign++
	}
}

// uniqueEvery is after how many values a column is looked at for having nearly
// only different ones.
const uniqueEvery = 20_000

func (c *columnProfile) count(cell string) {
	if n, ok := c.top[cell]; ok {
		c.top[cell] = n + 1
		return
	}
	if len(c.top) < topKept {
		c.top[strings.Clone(cell)] = 1
		return
	}
	if c.distinct == nil { // until now all different values were at hand
		c.distinct = hyperloglog.NewNoSparse()
		for v := range c.top {
			c.distinct.Insert([]byte(v))
		}
		c.distinct.Insert([]byte(cell))
	}
	for v, n := range c.top {
		if n == 1 {
			delete(c.top, v)
		} else {
			c.top[v] = n - 1
		}
	}
}

// fewestHeld is how many lines of a cell must look like rows, and widestText how many cells
// a line of mere text may seem to have.
const (
	fewestHeld = 2
	widestText = 3
)

// holdsRows reports whether a cell has lines that have as many cells as the sheet.
func (p *Profiler) holdsRows(cell string) bool {
	if len(p.header) <= widestText || strings.IndexByte(cell, '\n') < 0 {
		return false
	}
	lines := strings.Split(cell, "\n")
	return slices.ContainsFunc([]string{",", ";", "\t", "|"}, func(delim string) bool {
		n := 0
		for _, line := range lines[1 : len(lines)-1] {
			if strings.Count(line, delim) == len(p.header)-1 {
				n++
			}
		}
		return n >= fewestHeld
	})
}

// Profile gives the columns; the profiler may not be used afterwards.
func (p *Profiler) Profile() ([]Column, []Notice) {
	columns := make([]Column, len(p.columns))
	for i := range p.columns {
		columns[i] = p.columns[i].column(p.header[i], i, p.rows)
	}
	var notices []Notice
	if gap := gapColumn(columns); gap >= 0 {
		notices = append(notices, Notice{Code: "gap_column", Message: "an empty column without a header parts the sheet: " +
			"where two tables stand side by side, each row is read as one, unless the columns of one are chosen",
			Column: columns[gap].Header})
	}
	if p.ragged > 0 {
		notices = append(notices, Notice{Code: "ragged_rows",
			Message: "rows have more cells than the header; they are held", Row: p.first, Count: p.ragged})
	}
	if n := p.unreached(columns); n > 0 {
		last := columns[len(columns)-1]
		notices = append(notices, Notice{Code: HeaderTooLong, Message: fmt.Sprintf("the header has %d names, but the rows have %d cells: "+
			"names may stand over the cells of others, so that nothing is placed by itself; where one name was parted in two, "+
			"put it into quotes or take it out", len(columns), n), Column: last.Header, Count: p.ends[n]})
		for i := n; i < len(columns); i++ {
			columns[i].Unreached = true
		}
	}
	if p.lone > 0 && UsualCells(columns) > 0 {
		notices = append(notices, Notice{Code: "lone_cells", Message: "rows hold one cell alone, as headings do; they " +
			"are held unless such rows are read", Row: p.alone, Count: p.lone})
	}
	if p.loose > 0 {
		notices = append(notices, Notice{Code: "loose_quotes", Message: "a quote is opened and never closed; it is read as " +
			"a sign, so that the rows behind it stay rows", Row: p.quoted, Count: p.loose})
	}
	if p.holding > 0 {
		notices = append(notices, Notice{Code: "rows_in_cell", Message: "a cell holds several lines that look like rows of " +
			"the sheet: the quote before them may be closed too late", Row: p.holds, Count: p.holding})
	}
	notices = p.misread.notice(notices, "misread_text",
		"cells hold text that was decoded wrongly before, such as %s; they are held unless they are mended")
	notices = p.failed.notice(notices, "formula_errors",
		"cells hold a formula's error instead of a value, such as %s; they are held where the column is placed")
	notices = p.shortened.notice(notices, "shortened_numbers", "a spreadsheet program has shortened numbers, such as %s: "+
		"their last digits are lost; they are held where the column is placed")
	return columns, notices
}

// HeaderTooLong is the code of the notice that the header has more names than the rows have cells.
const HeaderTooLong = "header_too_long"

// fewestParted is from how many rows on their ends tell that the header has names too many.
const fewestParted = 3

// unreached gives how many cells nearly all rows have, where signs part them, they have fewer than the header
// and no row says anything behind them; else 0.
func (p *Profiler) unreached(columns []Column) int {
	for n, rows := range p.ends[:len(p.header)] {
		nothing := func(c Column) bool { return c.Filled == 0 && len(c.Nothing) == 0 }
		if n > 0 && rows >= fewestParted && rows*10 >= p.rows*9 && !slices.ContainsFunc(columns[n:], func(c Column) bool { return !nothing(c) }) {
			return n
		}
	}
	return 0
}

// gapColumn gives the place of the first column that holds nothing at all, not even a header,
// between others that do; -1 for none.
func gapColumn(columns []Column) int {
	filled := func(c Column) bool { return c.Filled > 0 }
	for i, c := range columns {
		if i > 0 && c.Filled == 0 && len(c.Nothing) == 0 && c.Header == noHeaderName(i) &&
			slices.ContainsFunc(columns[:i], filled) && slices.ContainsFunc(columns[i+1:], filled) {
			return i
		}
	}
	return -1
}

// BesideGap gives the columns, from one to before another, that stand on one side of an empty
// column and are filled in less than half as many rows as those on the other: most likely
// they are another table. Without any it gives none.
func BesideGap(columns []Column) (from, to int) {
	gap := gapColumn(columns)
	if gap < 0 {
		return 0, 0
	}
	most := func(columns []Column) (n int64) {
		for _, c := range columns {
			n = max(n, c.Filled)
		}
		return n
	}
	switch before, behind := most(columns[:gap]), most(columns[gap+1:]); {
	case behind*2 < before:
		return gap + 1, len(columns)
	case before*2 < behind:
		return 0, gap
	}
	return 0, 0
}

// UsualCells gives how many cells rows fill on average, if they fill so many that one with a
// single cell is likely none of them; else 0.
func UsualCells(columns []Column) int {
	const fewest, many, fewestRows = 3, 6, 8
	var filled, rows int64
	for _, c := range columns {
		filled += c.Filled
		rows = max(rows, c.Filled+c.Blank)
	}
	if rows < fewestRows || filled < fewest*rows || filled < many*rows && filled*2 < rows*int64(len(columns)) {
		return 0
	}
	return int((filled + rows/2) / rows)
}

func (c *columnProfile) column(header string, i int, rows int64) Column {
	col := Column{Position: i, Letter: Letter(i), Header: header, Filled: c.filled, Blank: rows - c.filled,
		Longest: c.longest, Distinct: c.different(), Top: topCounts(c.top, 40), Samples: c.samples}
	if len(c.nothing) > 0 {
		col.Nothing = topCounts(c.nothing, 6)
	}
	if len(c.top) < topKept && !c.unique && col.Distinct <= topKept {
		col.Distinct = int64(len(c.top))
	}
	if c.unique {
		col.Top = nil
	}
	classes := map[string]int64{}
	shapes := map[string]int64{}
	for shape, n := range c.shapes {
		classes[n.class] += n.count
		shapes[shape] = n.count
	}
	for _, class := range []string{"email", "url", "phone", "date", "number", "text"} {
		if n := classes[class]; n > classes[col.Guess] {
			col.Guess = class
		}
	}
	col.Shapes = topCounts(shapes, 8)
	if c.filled > 0 {
		col.Share = float64(classes[col.Guess]) / float64(c.filled)
	}
	switch {
	case c.dayFirst > 0 && c.monthFirst == 0, c.dotted > 0 && c.openDate == 0 && c.monthFirst == 0:
		col.DateOrder = string(value.DayFirst)
	case c.monthFirst > 0 && c.dayFirst == 0 && c.dotted == 0:
		col.DateOrder = string(value.MonthFirst)
	case c.openDate > 0:
		col.Unsettled = "date_order"
	default:
		switch orders := c.ordersOfFigures(); {
		case len(orders) == 1:
			col.DateOrder = string(orders[0])
		case len(orders) > 1:
			col.Unsettled = "date_order"
		}
	}
	switch {
	case c.commaSign > 0 && c.dotSign == 0:
		col.DecimalSign = ","
	case c.dotSign > 0 && c.commaSign == 0:
		col.DecimalSign = "."
	case c.openSign > 0:
		col.Unsettled = "decimal_sign"
	}
	switch {
	case c.ofOne > 0 && c.ofHundred > 0:
		col.Percents = string(value.MixedPercents)
	case c.ofOne > 0:
		col.Percents = string(value.OfOne)
	case c.ofHundred > 0:
		col.Percents = string(value.OfHundred)
	}
	loud := 0
	for _, s := range col.Samples {
		if value.InCapitals(s) {
			loud++
		}
	}
	col.Capitals = loud*3 >= len(col.Samples) && loud > 1
	unit, _ := value.UnitOf(col.Header)
	col.Unit = string(unit)
	return col
}

func topCounts(m map[string]int64, most int) []Count {
	counts := make([]Count, 0, len(m))
	for t, n := range m {
		counts = append(counts, Count{Text: t, Count: n})
	}
	slices.SortFunc(counts, func(a, b Count) int {
		return cmp.Or(cmp.Compare(b.Count, a.Count), cmp.Compare(a.Text, b.Text))
	})
	if len(counts) > most {
		counts = counts[:most]
	}
	for i := range counts {
		if len(counts[i].Text) > 200 {
			counts[i].Text = counts[i].Text[:strings.LastIndexFunc(counts[i].Text[:200], func(rune) bool { return true })] + "…"
		}
	}
	return counts
}
