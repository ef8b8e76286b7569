package sheet

import (
	"bytes"
	"cmp"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"uchi/internal/core/fault"
	"uchi/internal/core/value"
)

// sampleSize is how many bytes detection looks at.
const sampleSize = 256 << 10

var delimiterNames = map[byte]string{',': "comma", ';': "semicolon", '\t': "tab", '|': "bar"}

// Kinds of file that are no sheets, by their first bytes.
var otherFiles = []struct{ start, name string }{
	{"%PDF", "a PDF document"}, {"\x89PNG", "a picture"}, {"\xff\xd8\xff", "a picture"},
	{"GIF8", "a picture"}, {"\x1f\x8b", "a compressed file"}, {"7z\xbc\xaf", "a compressed file"},
	{"Rar!", "a compressed file"}, {"\x7fELF", "a program"}, {"MZ\x90", "a program"},
	{"SQLite format 3", "a database"},
}

// What marked texts begin with, in small letters.
var (
	pageStarts = []string{"<!doctype html", "<html", "<head", "<body", "<table", "<meta", "<style", "<div", "<center"}
	xmlStarts  = []string{"<?xml", "<!doctype"}
)

// The formats that are read.
const (
	formatText = "delimited text"
	formatXLSX = "Office Open XML workbook"
	formatODS  = "OpenDocument spreadsheet"
	formatJSON = "JSON"
	formatHTML = "web page"
	formatZIP  = "ZIP archive"
)

// sniff tells the format of a source by its first bytes and, for archives, by
// what they hold.
func sniff(src Source) (string, []byte, error) {
	sample := make([]byte, min(src.Size, sampleSize))
	if _, err := io.ReadFull(io.NewSectionReader(src, 0, src.Size), sample); err != nil {
		return "", nil, fmt.Errorf("read the start of %s: %w", src.Name, err)
	}
	if len(bytes.TrimSpace(bytes.TrimPrefix(sample, utf8BOM))) == 0 {
		return "", nil, fault.New(fault.Invalid, "empty_source", "the file is empty").At(fault.Place{File: src.Name}).
			Mended("Send a file with a header row and at least one row below it.")
	}
	if bytes.HasPrefix(sample, []byte("PK\x03\x04")) {
		format, err := sniffArchive(src)
		return format, nil, err
	}
	if bytes.HasPrefix(sample, []byte(oleStart)) {
		if protected(src, sample) {
			return "", nil, fault.New(fault.Invalid, "encrypted",
				"the workbook is protected by a password").At(fault.Place{File: src.Name}).
				Mended("Open it with the password, save it without one, and send that.")
		}
		return "", nil, fault.New(fault.Invalid, "not_text",
			"this is a workbook in the old binary format (.xls)").At(fault.Place{File: src.Name}).
			Mended("Open it in the spreadsheet program and save it as .xlsx, .ods or CSV.")
	}
	for _, o := range otherFiles {
		if bytes.HasPrefix(sample, []byte(o.start)) {
			return "", nil, notText(src, "this is "+o.name+", not a spreadsheet that can be read")
		}
	}
	start := bytes.TrimLeft(bytes.TrimPrefix(sample, utf8BOM), " \t\r\n")
	switch start := strings.ToLower(string(start[:min(len(start), 500)])); {
	case hasPrefix(start, xmlStarts) && !hasPrefix(start, pageStarts) && !strings.Contains(start, "<html"):
		return "", nil, notText(src, "this is an XML document, not a spreadsheet that can be read")
	case (hasPrefix(start, pageStarts) || hasPrefix(start, xmlStarts)) && holdsTable(sample):
		return formatHTML, sample, nil
	case hasPrefix(start, pageStarts), hasPrefix(start, xmlStarts):
		return "", nil, notText(src, "this is a web page without a table")
	}
	shape, _ := shapeOfJSON(src.Name, sample, src.Size <= int64(len(sample)))
	switch {
	case shape == noJSON:
		return formatText, sample, nil
	case shape == oneObject:
		return "", nil, fault.New(fault.Invalid, "one_json_object",
			"this is one JSON document without a list of objects").At(fault.Place{File: src.Name}).
			Mended("Send one array of objects, or one object a line (JSON Lines).")
	}
	return formatJSON, sample, nil
}

func hasPrefix(s string, starts []string) bool {
	return slices.ContainsFunc(starts, func(start string) bool { return strings.HasPrefix(s, start) })
}

// Detect finds out how a source is to be read. What was set by hand in set is
// kept and not looked for.
func Detect(src Source, set Reading) (Reading, []Finding, error) {
	if err := set.Check(); err != nil {
		return set, nil, err
	}
	format, sample, err := sniff(src)
	if err != nil {
		return set, nil, err
	}
	findings := []Finding{{Option: "format", Value: format, Sure: true, Evidence: "its first bytes say so"}}
	switch format {
	case formatZIP:
		own, within, _ := strings.Cut(set.File, Within)
		inner, file, found, err := openMember(src, own)
		if err != nil {
			return set, nil, err
		}
		defer file.Close()
		set.File = within
		set, more, err := Detect(inner, set)
		set.File = joinFile(inner.Name, set.File)
		return set, append(append(findings, found...), more...), err
	case formatXLSX, formatODS:
		b, err := openWorkbook(src, format, DefaultLimits)
		if err != nil {
			return set, nil, err
		}
		if set.Sheet != "" {
			findings = append(findings, Finding{Option: "sheet", Value: set.Sheet, Sure: true, Evidence: "chosen by hand",
				Choices: b.shown()})
		} else {
			f, err := b.detectSheet()
			if err != nil {
				return set, nil, err
			}
			set.Sheet = f.Value
			findings = append(findings, f)
		}
	case formatJSON:
		findings[0].Value, findings[0].Evidence = wordsOfJSON(shapeOfJSON(src.Name, sample, src.Size <= int64(len(sample))))
		tables, err := tablesOfJSON(src, set.Encoding)
		if err != nil {
			return set, nil, err
		}
		if len(tables) > 1 {
			f := Finding{Option: "sheet", Value: cmp.Or(set.Sheet, tables[0]), Sure: set.Sheet != "",
				Evidence: "the objects themselves, and no list within them", Choices: tables}
			if set.Sheet != "" {
				f.Evidence = "chosen by hand"
			}
			set.Sheet = f.Value
			findings = append(findings, f)
		}
		return set, findings, nil
	case formatHTML:
		if set.Encoding == "" {
			f := pageEncoding(src, sample)
			set.Encoding = f.Value
			findings = append(findings, f)
		}
		if set.Sheet == "" {
			f, err := detectTable(src, set.Encoding)
			if err != nil {
				return set, nil, err
			}
			set.Sheet = f.Value
			findings = append(findings, f)
		}
	case formatText:
		var more []Finding
		if set, more, err = detectText(src, sample, set); err != nil {
			return set, nil, err
		}
		findings = append(findings, more...)
	}
	if set.HeaderRow == 0 && !set.NoHeader {
		rows, err := firstRows(src, set)
		if err != nil {
			return set, nil, err
		}
		if f, none := detectNoHeader(rows); none && set.FirstRow <= 1 {
			set.NoHeader = true
			return set, append(findings, f), nil
		}
		if set.FirstRow > 0 {
			rows = slices.DeleteFunc(rows, func(r Row) bool { return r.Number >= set.FirstRow })
		}
		f, row := detectHeader(rows)
		set.HeaderRow = row
		findings = append(findings, f)
	}
	return set, findings, nil
}

// headerSearch is how many rows are looked at for the header.
const headerSearch = 60

func firstRows(src Source, reading Reading) ([]Row, error) {
	limits := DefaultLimits
	limits.Columns = 20_000 // what is too wide is said when it is read
	r, closers, err := openRows(src, reading, limits)
	if err != nil {
		return nil, err
	}
	defer (&Table{closers: closers}).Close()
	from, to, _ := reading.columns()
	var rows []Row
	for len(rows) < headerSearch {
		row, err := r.Next()
		if err != nil {
			break // what is wrong further down is said when it is read
		}
		rows = append(rows, Row{Number: row.Number, Cells: slices.Clone(row.part(from, to).Cells)})
	}
	return rows, nil
}

func (b *workbook) shown() (names []string) {
	for _, s := range b.sheets {
		if !s.hidden {
			names = append(names, s.name)
		}
	}
	return names
}

// detectSheet takes the first sheet that is shown and holds something.
func (b *workbook) detectSheet() (Finding, error) {
	shown := b.shown()
	for _, name := range shown {
		rows, err := firstRows(b.src, Reading{Sheet: name})
		if err != nil {
			return Finding{}, err
		}
		if slices.ContainsFunc(rows, func(r Row) bool { return filled(r) > 1 }) {
			f := Finding{Option: "sheet", Value: name, Sure: len(shown) == 1, Evidence: "the only sheet", Choices: shown}
			if len(shown) > 1 {
				f.Evidence = "the first of " + itoa(len(shown)) + " sheets that holds a table"
			}
			return f, nil
		}
	}
	if len(shown) > 0 {
		return Finding{Option: "sheet", Value: shown[0], Evidence: "no sheet holds a table"}, nil
	}
	return Finding{}, fault.New(fault.Invalid, "empty_source",
		"the workbook shows no sheet").At(fault.Place{File: b.src.Name}).Mended("Show the sheet and save it again.")
}

func detectText(src Source, sample []byte, set Reading) (Reading, []Finding, error) {
	var findings []Finding
	if set.Encoding == "" {
		f := detectEncoding(sample, src.Size <= sampleSize)
		set.Encoding = f.Value
		findings = append(findings, f)
	}
	text, err := decoded(bytes.NewReader(sample), set.Encoding)
	if err != nil {
		return set, nil, err
	}
	plain, _ := io.ReadAll(text)
	if nuls := bytes.Count(plain, []byte{0}); nuls > 5 && nuls*50 > len(plain) || controls(plain)*20 > len(plain) {
		return set, nil, notText(src, "the file holds bytes that do not stand in text")
	}
	if set.Quote == "" {
		if f, found := detectQuote(plain); found {
			set.Quote = f.Value
			findings = append(findings, f)
		}
	}
	if set.Delimiter == "" {
		f := detectDelimiter(src, plain, set)
		set.Delimiter = f.Value
		findings = append(findings, f)
	}
	width, share := commonWidth(sampleRows(src, plain, set, 200))
	if set.Escape == "" {
		if f, found := detectEscape(src, plain, set, share); found {
			set.Escape = f.Value
			findings = append(findings, f)
		}
	}
	if set.Comment == "" {
		if f, found := detectComment(sampleRows(src, plain, set, 5000), width); found {
			set.Comment = f.Value
			findings = append(findings, f)
		}
	}
	return set, findings, nil
}

// leastQuoted is how many lines must begin and end with a single quote to be told by it.
const leastQuoted = 2

// detectQuote looks for single quotes around cells: nearly all lines begin and end with one, and
// none with a double one.
func detectQuote(text []byte) (Finding, bool) {
	lines, quoted := 0, 0
	for line := range bytes.Lines(text) {
		line = bytes.TrimSpace(line)
		if len(line) == 0 {
			continue
		}
		lines++
		if line[0] == '"' {
			return Finding{}, false
		}
		if len(line) > 1 && line[0] == '\'' && line[len(line)-1] == '\'' {
			quoted++
		}
	}
	if quoted < leastQuoted || quoted*10 < lines*8 {
		return Finding{}, false
	}
	return Finding{Option: "quote", Value: "'", Sure: quoted == lines, Evidence: "lines begin and end with it"}, true
}

// detectEscape looks for a backslash before quotes that do not end their cell, and for cells
// that say \N for nothing, as databases write them. The rows must be no less even with it:
// share of them have the same number of cells without.
func detectEscape(src Source, text []byte, reading Reading, share float64) (Finding, bool) {
	delim, quote := reading.Delimiter[0], byte('"')
	if reading.Quote != "" {
		quote = signOf(reading.Quote)
	}
	quotes, doubled, nothings := 0, 0, 0
	const escaped = `\'"nrtN0bZ` // what databases write a backslash before
	for at, c := range text {
		if c == '\\' && (at == 0 || text[at-1] != '\\') && at+1 < len(text) && text[at+1] != delim && text[at+1] >= ' ' &&
			strings.IndexByte(escaped, text[at+1]) < 0 {
			return Finding{}, false // C:\Users
		}
		ends := func(n int) bool {
			return at+n >= len(text) || text[at+n] == delim || text[at+n] == '\n' || text[at+n] == '\r'
		}
		begins := at == 0 || text[at-1] == delim || text[at-1] == '\n'
		switch {
		case c == '\\' && at+1 < len(text) && text[at+1] == quote && quote != 0 && !ends(2):
			quotes++
		case c == '\\' && at+1 < len(text) && text[at+1] == 'N' && begins && ends(2):
			nothings++
		case c == quote && quote != 0 && at+1 < len(text) && text[at+1] == quote && !begins && text[at-1] != '\\':
			doubled++
		}
	}
	if quotes+nothings == 0 {
		return Finding{}, false
	}
	reading.Escape = `\`
	_, with := commonWidth(sampleRows(src, text, reading, 200))
	if with < share || quotes > 0 && doubled > 0 && with == share {
		return Finding{}, false
	}
	evidence := "a backslash stands before quotes within cells"
	if quotes == 0 {
		evidence = `cells say \N for nothing`
	}
	return Finding{Option: "escape", Value: reading.Escape, Sure: doubled == 0, Evidence: evidence}, true
}

// detectComment looks for rows that begin with # and have fewer cells than most, among none
// that begins so and is as wide.
func detectComment(rows []Row, width int) (Finding, bool) {
	const sign = "#"
	n := 0
	for _, r := range rows {
		if !strings.HasPrefix(r.Cells[0], sign) {
			continue
		}
		if width < 2 || len(r.Cells) >= width {
			return Finding{}, false
		}
		n++
	}
	return Finding{Option: "comment", Value: sign, Sure: n > 1, Evidence: "lines that begin with it are no rows: " +
		"they have fewer cells than the others"}, n > 0
}

func notText(src Source, message string) error {
	return fault.New(fault.Invalid, "not_text",
		message).At(fault.Place{File: src.Name}).Mended("Save the sheet as CSV and send that.")
}

func controls(b []byte) int {
	n := 0
	for _, c := range b {
		if c < 0x20 && c != '\n' && c != '\r' && c != '\t' && c != 0 {
			n++
		}
	}
	return n
}

// sampleRows parses the sample; the row at its end, which may be cut, is left out.
func sampleRows(src Source, text []byte, reading Reading, most int) []Row {
	d := newDelimitedText(src, bytes.NewReader(text), reading, Limits{CellBytes: len(text) + 1, Columns: 20_000,
		RowBytes: len(text) + 1})
	var rows []Row
	for len(rows) < most {
		row, err := d.Next()
		if err != nil {
			break
		}
		rows = append(rows, Row{Number: row.Number, Cells: append([]string(nil), row.Cells...)})
	}
	if len(rows) > 1 && int64(len(text)) < src.Size && len(rows) < most {
		rows = rows[:len(rows)-1]
	}
	return rows
}

// detectDelimiter parses the sample with each candidate and takes the one that
// gives most rows the same number of cells.
func detectDelimiter(src Source, text []byte, reading Reading) Finding {
	if line, _, _ := bytes.Cut(text, []byte("\n")); len(line) < 10 && bytes.HasPrefix(bytes.ToLower(line),
		[]byte("sep=")) && len(line) > 4 {
		return Finding{Option: "delimiter", Value: string(line[4:5]), Sure: true, Evidence: "the first line says so (sep=)"}
	}
	best, bestScore, bestWidth, second := byte(','), 0.0, 1, 0.0
	for _, c := range []byte{',', ';', '\t', '|'} {
		reading.Delimiter = string(c)
		width, share := commonWidth(sampleRows(src, text, reading, 200))
		score := 0.0
		if width > 1 {
			score = share * (1 + float64(min(width, 20))/40)
		}
		if score > bestScore {
			best, bestScore, bestWidth, second = c, score, width, bestScore
		} else {
			second = max(second, score)
		}
	}
	if bestScore == 0 {
		return Finding{Option: "delimiter", Value: ",", Sure: false,
			Evidence: "no delimiter is seen; the file seems to have one column"}
	}
	return Finding{Option: "delimiter", Value: string(best), Sure: bestScore > second*1.15,
		Evidence: fmt.Sprintf("with %s most rows have %d cells", delimiterNames[best], bestWidth)}
}

// commonWidth gives the most frequent number of cells and the share of rows that have it.
func commonWidth(rows []Row) (width int, share float64) {
	counts := map[int]int{}
	total := 0
	for _, r := range rows {
		if !r.Blank() {
			counts[len(r.Cells)]++
			total++
		}
	}
	if total == 0 {
		return 0, 0
	}
	for w, n := range counts {
		if n > counts[width] || n == counts[width] && w > width {
			width = w
		}
	}
	return width, float64(counts[width]) / float64(total)
}

// detectHeader takes the first row that is filled about as wide as the rows
// below it and reads like names rather than values.
func detectHeader(rows []Row) (Finding, int64) {
	widest := 0
	for _, r := range rows {
		widest = max(widest, filled(r))
	}
	first := int64(1)
	seen := false
	for at, r := range rows {
		n := filled(r)
		if n == 0 {
			continue
		}
		if !seen {
			first, seen = r.Number, true
		}
		if n*10 < widest*6 || n == 1 && widest > 1 || !likeNames(r, rows[at+1:]) {
			continue
		}
		if r.Number == first {
			return Finding{Option: "header_row", Value: fmt.Sprint(r.Number), Sure: true,
				Evidence: "the first filled row reads like column names"}, r.Number
		}
		return Finding{Option: "header_row", Value: fmt.Sprint(r.Number), Sure: false,
			Evidence: fmt.Sprintf("the rows above it are not filled across; row %d reads like column names", r.Number)}, r.Number
	}
	return Finding{Option: "header_row", Value: fmt.Sprint(first), Sure: false,
		Evidence: "no row reads like column names; the first filled row is taken"}, first
}

// detectNoHeader reports whether the first filled row is a row of data like those
// below it: where a column holds numbers, dates or addresses all the way down,
// so does the first row, in all such columns, and no cell of it stands alone.
func detectNoHeader(rows []Row) (Finding, bool) {
	var data []Row
	for _, r := range rows {
		if filled(r) > 0 {
			data = append(data, r)
		}
	}
	if len(data) < 3 {
		return Finding{}, false
	}
	first, telling := data[0], 0
	for n, cell := range first.Cells {
		kind := kindOfCell(cell)
		same, other := 0, 0
		for _, r := range data[1:] {
			if n < len(r.Cells) && strings.TrimSpace(r.Cells[n]) != "" {
				if kindOfCell(r.Cells[n]) == kindOfCell(data[1].Cells[min(n, len(data[1].Cells)-1)]) {
					same++
				} else {
					other++
				}
			}
		}
		below := ""
		if n < len(data[1].Cells) {
			below = kindOfCell(data[1].Cells[n])
		}
		if below == "" || below == "text" || same < 2 || other*5 > same {
			continue // words below words say nothing
		}
		if kind != below && kind != "" {
			return Finding{}, false // a word above numbers is a header
		}
		if kind == below && !likeYear(cell) { // years are headers as often as values
			telling++
		}
	}
	if telling == 0 {
		return Finding{}, false
	}
	return Finding{Option: "no_header", Value: "true", Sure: telling > 1,
		Evidence: "the first row holds the same kinds of values as the rows below it, so there seems to be no header; " +
			"columns are called A, B, C"}, true
}

// likeYear reports whether a cell may be a year.
func likeYear(cell string) bool {
	n, err := strconv.Atoi(strings.TrimSpace(cell))
	return err == nil && n >= 1900 && n <= 2100
}

// kindOfCell says roughly what stands in a cell; empty for a blank one.
func kindOfCell(cell string) string {
	c := strings.TrimSpace(cell)
	switch {
	case c == "":
		return ""
	case strings.Contains(c, "@"):
		return "address"
	case value.OrderOf(c) != "":
		return "date"
	}
	return classOf(shapeOf(c))
}

func filled(r Row) int {
	n := 0
	for _, c := range r.Cells {
		if !blank(c) {
			n++
		}
	}
	return n
}

// blank reports whether nothing stands in a cell; most show that by their first byte.
func blank(cell string) bool {
	return cell == "" || (cell[0] <= ' ' || cell[0] >= utf8.RuneSelf) && strings.TrimSpace(cell) == ""
}

// likeNames reports whether a row reads like names of columns: words, and years where none stands
// below them.
func likeNames(r Row, below []Row) bool {
	numbers, words, all := 0, 0, 0
	for n, c := range r.Cells {
		c = strings.TrimSpace(c)
		if c == "" {
			continue
		}
		all++
		switch k := classOf(shapeOf(c)); {
		case k == "text" && len(c) <= 120 && value.OrderOf(c) == "":
			words++
		case !likeYear(c) || !headsNoYears(n, below):
			numbers++
		}
	}
	return numbers*5 <= all && words > 0
}

// headsNoYears reports whether something stands in a column of some rows, and none of it is a year.
func headsNoYears(n int, rows []Row) bool {
	const looked = 5
	seen := 0
	for _, r := range rows {
		if n >= len(r.Cells) || strings.TrimSpace(r.Cells[n]) == "" {
			continue
		}
		if likeYear(r.Cells[n]) {
			return false
		}
		if seen++; seen == looked {
			break
		}
	}
	return seen > 0
}
