package sheet

import (
	"archive/zip"
	"fmt"
	"io"
	"math"
	"path"
	"slices"
	"strconv"
	"strings"
	"time"

	"uchi/internal/core/fault"
)

// workbook is an open spreadsheet of Office Open XML (ISO/IEC 29500) or
// OpenDocument (ISO/IEC 26300), read as a stream.
type workbook struct {
	src    Source
	zip    *zip.Reader
	limits Limits
	sheets []sheetPart
	is1904 bool            // days are counted from 1904
	styles []cellStyle     // by the number that cells carry
	struck map[string]bool // styles of OpenDocument by which cells are struck through
	texts  *sharedTexts
}

type sheetPart struct {
	name   string
	hidden bool
	part   string // in the archive; for OpenDocument all are in one
}

func (b *workbook) file(name string) (*zip.File, bool) {
	i := slices.IndexFunc(b.zip.File, func(f *zip.File) bool { return strings.EqualFold(f.Name, name) })
	if i < 0 {
		return nil, false
	}
	return b.zip.File[i], true
}

// unpack opens a part of an archive, guarded against parts that unpack to far
// more than any sheet.
func unpack(f *zip.File, limits Limits) (io.ReadCloser, error) {
	r, err := f.Open()
	if err != nil {
		return nil, errXML
	}
	return &guarded{ReadCloser: r, left: limits.UnpackedBytes, packed: int64(f.CompressedSize64)}, nil
}

type guarded struct {
	io.ReadCloser
	left, done, packed int64
}

// bombRatio is how many times its packed size a part may unpack to, once it is
// larger than bombFrom.
const (
	bombRatio = 400
	bombFrom  = 64 << 20
)

func (g *guarded) Read(p []byte) (int, error) {
	n, err := g.ReadCloser.Read(p)
	g.done += int64(n)
	g.left -= int64(n)
	if g.left < 0 || g.done > bombFrom && g.done > bombRatio*max(g.packed, 1) {
		return n, fault.New(fault.Invalid, "unpacks_too_large",
			"the file unpacks to far more than a sheet holds").Mended("Send the sheet as CSV; the limit can be raised when the service is started.")
	}
	if err != nil && err != io.EOF {
		return n, fmt.Errorf("%w: %w", errXML, err)
	}
	return n, err
}

func openWorkbook(src Source, format string, limits Limits) (*workbook, error) {
	z, err := zip.NewReader(src, src.Size)
	if err != nil {
		return nil, errXML.At(fault.Place{File: src.Name})
	}
	b := &workbook{src: src, zip: z, limits: limits}
	if format == formatODS {
		return b, b.listTables()
	}
	return b, b.listSheets()
}

func (b *workbook) each(part string, f func(x *xmlReader) error) error {
	file, ok := b.file(part)
	if !ok {
		return errXML.At(fault.Place{File: b.src.Name}).With(part)
	}
	r, err := unpack(file, b.limits)
	if err != nil {
		return err
	}
	defer r.Close()
	x := newXML(r, b.limits.CellBytes*2)
	for {
		err := x.next()
		if err == io.EOF {
			return nil
		}
		if err != nil {
			return err
		}
		if err := f(x); err != nil {
			if err == io.EOF {
				return nil
			}
			return err
		}
	}
}

func (b *workbook) listSheets() error {
	targets := map[string]string{}
	err := b.each("xl/_rels/workbook.xml.rels", func(x *xmlReader) error {
		if x.kind == xmlStart && string(x.name) == "Relationship" {
			t := x.attr("Target")
			if strings.HasPrefix(t, "/") {
				t = strings.TrimPrefix(t, "/")
			} else {
				t = path.Join("xl", t)
			}
			targets[x.attr("Id")] = t
		}
		return nil
	})
	if err != nil {
		return err
	}
	return b.each("xl/workbook.xml", func(x *xmlReader) error {
		if x.kind != xmlStart {
			return nil
		}
		switch string(x.name) {
		case "workbookPr":
			v := x.attr("date1904")
			b.is1904 = v == "1" || v == "true"
		case "sheet":
			b.sheets = append(b.sheets, sheetPart{name: x.attr("name"), hidden: x.attr("state") != "" &&
				x.attr("state") != "visible", part: targets[x.attr("id")]})
		}
		return nil
	})
}

func (b *workbook) sheet(name string) (sheetPart, error) {
	for _, s := range b.sheets {
		if s.name == name {
			return s, nil
		}
	}
	var names []string
	for _, s := range b.sheets {
		names = append(names, s.name)
	}
	return sheetPart{}, fault.New(fault.Invalid, "unknown_sheet",
		"the source has no such sheet").At(fault.Place{File: b.src.Name}).With(name).Mended("Sheets: " +
		strings.Join(names, ", ") + ".")
}

// cellStyle is how the number in a cell is meant.
type cellStyle struct {
	date, clock, percent bool
	struck               bool // what it says is struck through
	pad                  int  // zeros in front up to this many digits, as postal codes have
}

// Number formats that need no description (ISO/IEC 29500-1, 18.8.30).
func builtinStyle(id int) cellStyle {
	switch {
	case id == 9 || id == 10:
		return cellStyle{percent: true}
	case id >= 14 && id <= 17 || id >= 27 && id <= 31 || id >= 50 && id <= 58 || id == 36:
		return cellStyle{date: true}
	case id == 22:
		return cellStyle{date: true, clock: true}
	case id >= 18 && id <= 21 || id >= 45 && id <= 47 || id >= 32 && id <= 35:
		return cellStyle{clock: true}
	}
	return cellStyle{}
}

// styleOf reads a format code: what stands in quotes, brackets and behind a
// backslash does not count.
func styleOf(code string) cellStyle {
	code, _, _ = strings.Cut(code, ";")
	var plain strings.Builder
	for i := 0; i < len(code); i++ {
		switch c := code[i]; c {
		case '"':
			if n := strings.IndexByte(code[i+1:], '"'); n >= 0 {
				i += n + 1
			}
		case '[':
			if n := strings.IndexByte(code[i:], ']'); n >= 0 {
				i += n
			}
		case '\\', '_', '*':
			i++
		default:
			plain.WriteByte(c)
		}
	}
	p := strings.ToLower(plain.String())
	s := cellStyle{percent: strings.Contains(p, "%")}
	if p != "general" && !strings.ContainsAny(p, "0#?") {
		s.date = strings.ContainsAny(p, "yd") || strings.Contains(p, "mmm") || p == "m/"
		s.clock = strings.ContainsAny(p, "hs")
	}
	if len(p) > 1 && strings.Trim(p, "0") == "" {
		s.pad = len(p)
	}
	return s
}

func (b *workbook) readStyles() error {
	if _, ok := b.file("xl/styles.xml"); !ok {
		return nil
	}
	own := map[int]cellStyle{}
	var fonts []bool // whether they strike through
	inFonts, inCells := false, false
	return b.each("xl/styles.xml", func(x *xmlReader) error {
		switch name := string(x.name); {
		case x.kind == xmlStart && name == "numFmt":
			own[x.number("numFmtId", 0)] = styleOf(x.attr("formatCode"))
		case name == "fonts" && x.kind != xmlText:
			inFonts = x.kind == xmlStart && !x.empty
		case x.kind == xmlStart && name == "font" && inFonts:
			fonts = append(fonts, false)
		case x.kind == xmlStart && name == "strike" && inFonts && len(fonts) > 0:
			fonts[len(fonts)-1] = x.attr("val") == "" || isTrue(x.attr("val"))
		case name == "cellXfs" && x.kind != xmlText:
			inCells = x.kind == xmlStart && !x.empty
		case x.kind == xmlStart && name == "xf" && inCells:
			id := x.number("numFmtId", 0)
			s, ok := own[id]
			if !ok {
				s = builtinStyle(id)
			}
			if font := x.number("fontId", 0); font >= 0 && font < len(fonts) {
				s.struck = fonts[font]
			}
			b.styles = append(b.styles, s)
		}
		return nil
	})
}

// strikes reports whether the cell that has just started is struck through.
func (b *workbook) strikes(x *xmlReader) bool {
	style := x.number("s", 0)
	return style > 0 && style < len(b.styles) && b.styles[style].struck
}

// sheetRows streams the rows of one sheet of an Office Open XML workbook.
type sheetRows struct {
	book  *workbook
	part  io.ReadCloser
	x     *xmlReader
	cells []string
	row   int64
	hiding
}

func (b *workbook) openSheet(s sheetPart, hidden hiding) (*sheetRows, error) {
	f, ok := b.file(s.part)
	if !ok {
		return nil, errXML.At(fault.Place{File: b.src.Name, Sheet: s.name})
	}
	if err := b.readSharedTexts(); err != nil {
		b.texts.close()
		return nil, err
	}
	r, err := unpack(f, b.limits)
	if err != nil {
		b.texts.close()
		return nil, err
	}
	return &sheetRows{book: b, part: r, x: newXML(r, b.limits.CellBytes*2), hiding: hidden}, nil
}

// Close ends the reading.
func (s *sheetRows) Close() error {
	s.book.texts.close()
	return s.part.Close()
}

// Next implements Reader.
func (s *sheetRows) Next() (Row, error) {
	for {
		if err := s.x.next(); err != nil {
			return Row{}, err
		}
		name := string(s.x.name)
		switch {
		case s.x.kind == xmlStart && name == "row":
			s.row = int64(s.x.number("r", int(s.row)+1))
			hidden := isTrue(s.x.attr("hidden")) && s.leavesRow(1)
			if s.x.empty {
				continue
			}
			row, err := s.readRow()
			if err != nil || !hidden {
				return row, err
			}
		case s.x.kind == xmlStart && name == "col" && isTrue(s.x.attr("hidden")):
			s.column(s.x.number("min", 1)-1, s.x.number("max", 1)-1, s.book.limits.Columns)
		case s.x.kind == xmlStart && name == "mergeCell":
			first, _, _ := strings.Cut(s.x.attr("ref"), ":")
			s.merges(rowOf(first))
		}
	}
}

func isTrue(attr string) bool { return attr == "1" || attr == "true" }

func (s *sheetRows) fail(err error, at int) error {
	if f, ok := fault.From(err); ok {
		return f.At(fault.Place{File: s.book.src.Name, Row: s.row, Column: Letter(at)})
	}
	if err == io.EOF {
		return errXML.At(fault.Place{File: s.book.src.Name, Row: s.row})
	}
	return err
}

func (s *sheetRows) readRow() (Row, error) {
	s.cells = s.cells[:0]
	bytes := 0
	s.through = s.through[:0]
	for {
		if err := s.x.next(); err != nil {
			return Row{}, s.fail(err, len(s.cells))
		}
		switch {
		case s.x.kind == xmlEnd && string(s.x.name) == "row":
			if s.row > s.header {
				s.cells = s.fill(s.row, s.cells)
			}
			s.cells = s.strike(s.row, s.cells)
			return Row{Number: s.row, Cells: s.cells}, nil
		case s.x.kind == xmlStart && string(s.x.name) == "c":
			at := len(s.cells)
			if ref := s.x.attr("r"); ref != "" {
				at = columnOf(ref)
			}
			if at >= s.book.limits.Columns {
				return Row{}, s.fail(tooManyColumns(s.book.limits), at)
			}
			ref, struckCell := "", s.struckAt > 0 && s.book.strikes(s.x)
			if len(s.behind) > 0 {
				ref = s.x.attr("r")
			}
			text, err := s.cell()
			if err != nil {
				return Row{}, s.fail(err, at)
			}
			if ref != "" && s.row > s.header {
				text = s.address(ref, text)
			}
			bytes += len(text)
			if len(text) > s.book.limits.CellBytes {
				return Row{}, s.fail(tooLong(s.book.limits.CellBytes), at)
			}
			if bytes > s.book.limits.RowBytes {
				return Row{}, s.fail(rowTooLong(s.book.limits), at)
			}
			if text == "" || s.leavesCell(s.row, at) {
				continue
			}
			if struckCell {
				s.through = append(s.through, at)
			}
			for len(s.cells) <= at {
				s.cells = append(s.cells, "")
			}
			s.cells[at] = text
		}
	}
}

func rowTooLong(l Limits) *fault.Error {
	return fault.New(fault.Invalid, "row_too_long", "a row holds more than "+itoa(l.RowBytes)+" bytes").
		Mended("Split the sheet; the limit can be raised when the service is started.")
}

func tooManyColumns(l Limits) *fault.Error {
	return fault.New(fault.Invalid, "too_many_columns", "the row has more than "+itoa(l.Columns)+" cells").
		Mended("Split the sheet; the limit can be raised when the service is started.")
}

// columnOf gives the column of a cell's name such as BC12, or of a letter, counted from 0; -1 for none.
func columnOf(ref string) int {
	n := 0
	for i := 0; i < len(ref) && ref[i] >= 'A' && ref[i] <= 'Z' && n < 1<<20; i++ {
		n = n*26 + int(ref[i]-'A') + 1
	}
	return n - 1
}

// noResult stands for a formula whose result was not saved, as programs write workbooks that do not
// calculate: a blank cell would hide that it has a value. It is read as an error of the formula. A
// formula whose result is an empty text has one.
const noResult = "#FORMULA!"

// cell reads the cell that has just started, as a person would read it.
func (s *sheetRows) cell() (string, error) {
	kind, style := s.x.attr("t"), s.x.number("s", 0)
	if s.x.empty {
		return "", s.x.next()
	}
	var v []byte
	inValue, valued, formula := false, false, false
	for {
		if err := s.x.next(); err != nil {
			return "", err
		}
		switch name := string(s.x.name); {
		case s.x.kind == xmlText:
			if inValue {
				v = append(v, s.x.text...)
			}
			if len(v) > longestTexts {
				return "", tooLong(longestTexts)
			}
		case s.x.kind == xmlStart && name == "f":
			formula = true
		case s.x.kind == xmlStart && name == "v":
			inValue, valued = !s.x.empty, true
		case s.x.kind == xmlEnd && name == "v":
			inValue = false
		case s.x.kind == xmlStart && name == "is":
			var err error
			if v, err = s.x.richText("is", v, longestTexts); err != nil {
				return "", err
			}
			kind = "str"
		case s.x.kind == xmlEnd && name == "c" && formula && len(v) == 0 && (kind == "" || kind == "n" || !valued):
			return noResult, nil
		case s.x.kind == xmlEnd && name == "c":
			return s.shown(kind, style, string(v))
		}
	}
}

func (s *sheetRows) shown(kind string, style int, v string) (string, error) {
	switch kind {
	case "s":
		n, err := strconv.Atoi(v)
		if err != nil {
			return "", errXML
		}
		return s.book.texts.get(n)
	case "str":
		return clean(unescapeControls(v)), nil
	case "b":
		return map[string]string{"1": "true", "0": "false"}[v], nil
	case "e", "d":
		return clean(v), nil
	}
	var st cellStyle
	if style < len(s.book.styles) {
		st = s.book.styles[style]
	}
	return shownNumber(v, st, s.book.is1904), nil
}

// shownNumber writes a stored number the way its format means it.
func shownNumber(v string, st cellStyle, is1904 bool) string {
	if v == "" {
		return ""
	}
	n, err := strconv.ParseFloat(v, 64)
	if err != nil || math.IsInf(n, 0) || math.IsNaN(n) {
		return clean(v)
	}
	if st.date || st.clock {
		if text, ok := serialDate(n, st, is1904); ok {
			return text
		}
	}
	if st.percent {
		return plainNumber(n*100) + "%"
	}
	text := plainNumber(n)
	if st.pad > len(text) && n >= 0 && !strings.Contains(text, ".") {
		text = strings.Repeat("0", st.pad-len(text)) + text
	}
	return text
}

// plainNumber writes a binary fraction with the fifteen digits that
// spreadsheets keep, without an exponent.
func plainNumber(n float64) string {
	if n == math.Trunc(n) && math.Abs(n) < 1e15 {
		return strconv.FormatInt(int64(n), 10)
	}
	short := strconv.FormatFloat(n, 'g', 15, 64)
	f, err := strconv.ParseFloat(short, 64)
	if err != nil {
		return short
	}
	if math.Abs(f) >= 1e15 { // its last digits are lost
		return strconv.FormatFloat(f, 'E', -1, 64)
	}
	return strconv.FormatFloat(f, 'f', -1, 64)
}

// serialDate turns a day number into a date; the system of 1900 counts a 29
// February 1900 that never was.
func serialDate(n float64, st cellStyle, is1904 bool) (string, bool) {
	if n < 0 || n > 2_958_466 {
		return "", false
	}
	day := math.Floor(n)
	seconds := math.Round((n - day) * 86400)
	if st.clock && !st.date {
		return time.Unix(int64(seconds), 0).UTC().Format("15:04:05"), day == 0
	}
	first := time.Date(1899, 12, 30, 0, 0, 0, 0, time.UTC)
	switch {
	case is1904:
		first = time.Date(1904, 1, 1, 0, 0, 0, 0, time.UTC)
	case day < 60:
		first = first.AddDate(0, 0, 1)
	}
	t := first.AddDate(0, 0, int(day)).Add(time.Duration(seconds) * time.Second)
	if seconds == 0 {
		return t.Format(time.DateOnly), true
	}
	return t.Format("2006-01-02 15:04:05"), true
}

// notices tells what a person should know of a sheet when it has been read.
func (s *sheetRows) notices() []Notice { return s.hiding.notices(s.book.sheets) }
