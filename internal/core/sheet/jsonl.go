package sheet

import (
	"bufio"
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"
	"unicode/utf8"

	"uchi/internal/core/fault"
	"uchi/internal/core/value"
)

// jsonLines reads objects of JSON: one a line (JSON Lines), or the items of one
// array, which may stand within an object, as services wrap what they answer. The names
// in the first objects are the header, in their order; members
// of objects are named with a dot between, a list's items are joined. Lists of objects within the objects
// are read as innerlists.go says. A row's
// number is that of its line, or its place in the array; the header, which stands
// in no line, is row 0. A line that is no object among others that are stands as it is
// behind blank cells, as a row with more of them than the header.
type jsonLines struct {
	src    Source
	next   func() ([]byte, error) // the next object, blank for a blank line
	limits Limits
	byLine bool
	text   []byte // of the last object, or of what stands where one should
	header []string
	place  map[string]int
	read   int64 // the number of the object that was read last
	first  bool
	cells  []string
	others bool     // the document holds other lists
	beside []string // names of what stands beside the list

	main    string // what the objects are called beside the lists within them
	list    string // the list within each object that is read; empty for the objects themselves
	items   []item // of it, that are still to be read
	rows    int64  // of it, that were read
	within  int    // how many lists stand around what is being read
	learns  bool
	learned *shapeOfObjects
	number  struct{ name, called, text string } // of the object that items stand in
}

// How the objects of a document stand in it.
type jsonShape int

const (
	noJSON      jsonShape = iota
	jsonByLine            // one a line
	jsonList              // in one array
	jsonWrapped           // in an array within an object
	oneObject             // it is one object, and no list of others
)

// listPlace is where a list of objects stands: the names that lead to it, and the byte of its bracket.
type listPlace struct {
	path   string
	from   int
	beside []string // names of what stands before it, and is not read
}

// mostBeside is how many names of what is not read are told.
const mostBeside = 6

// mostWraps is how many objects a list may stand in.
const mostWraps = 4

// shapeOfJSON tells by the beginning of a text, which may be all of it, how objects stand in it. Of a single
// object on one line its source's name may say that it is a line, rather than what stands around a list.
func shapeOfJSON(name string, sample []byte, all bool) (jsonShape, listPlace) {
	body := bytes.TrimLeft(bytes.TrimPrefix(sample, utf8BOM), " \t\r\n")
	before := len(sample) - len(body)
	if rest, ok := bytes.CutPrefix(body, []byte("[")); ok && bytes.HasPrefix(bytes.TrimLeft(rest, " \t\r\n"),
		[]byte("{")) {
		return jsonList, listPlace{from: before}
	}
	if !bytes.HasPrefix(body, []byte("{")) {
		return noJSON, listPlace{}
	}
	line, rest, _ := bytes.Cut(body, []byte("\n"))
	whole := json.Valid(line)
	lines := slices.Contains([]string{".jsonl", ".ndjson"}, strings.ToLower(path.Ext(name)))
	cut := !all && len(line) == len(body) // the line goes on behind the sample
	if whole && (len(bytes.TrimSpace(rest)) > 0 || !all || lines) || lines && cut {
		return jsonByLine, listPlace{}
	}
	if list, ok := wrappedList(body); ok {
		list.from += before
		return jsonWrapped, list
	}
	switch {
	case whole, len(line) > sampleSize/2:
		return jsonByLine, listPlace{}
	case likeJSON(body):
		return oneObject, listPlace{}
	}
	return noJSON, listPlace{}
}

// wrappedList finds the first list of objects within the object that a text begins with, but for
// those in other lists.
func wrappedList(text []byte) (listPlace, bool) {
	d := json.NewDecoder(bytes.NewReader(text))
	var names []string // that lead to what stands next
	depth, name := 0, true
	var beside []string
	for {
		t, err := d.Token()
		if err != nil {
			return listPlace{}, false
		}
		switch t := t.(type) {
		case json.Delim:
			switch t {
			case '{':
				if depth++; depth > mostWraps {
					return listPlace{}, false
				}
				name = true
				continue
			case '}':
				if depth--; depth == 0 {
					return listPlace{}, false
				}
				names = names[:depth-1]
			case '[':
				at := int(d.InputOffset())
				if bytes.HasPrefix(bytes.TrimLeft(text[at:], " \t\r\n"), []byte("{")) {
					return listPlace{path: strings.Join(names, "."), from: at - 1, beside: beside}, true
				}
				for d.More() { // values: they are passed over
					var ignored json.RawMessage
					if d.Decode(&ignored) != nil {
						return listPlace{}, false
					}
				}
				if _, err := d.Token(); err != nil {
					return listPlace{}, false
				}
				names = names[:depth-1]
			}
			name = true
		default:
			if s, ok := t.(string); ok && name {
				names, name = append(names[:depth-1], s), false
				continue
			}
			if len(beside) < mostBeside {
				beside = append(beside, strings.Join(names, "."))
			}
			names, name = names[:depth-1], true
		}
	}
}

// likeJSON reports whether what is at the beginning of a text are members of a
// JSON object.
func likeJSON(body []byte) bool {
	d := json.NewDecoder(bytes.NewReader(body))
	for range 3 { // the brace, a name, what it stands for
		if _, err := d.Token(); err != nil {
			return false
		}
	}
	return true
}

// wordsOfJSON says how the objects of a document stand in it, and why that is known.
func wordsOfJSON(shape jsonShape, list listPlace) (format, evidence string) {
	switch shape {
	case jsonList:
		return formatJSON + ", one list", "it begins with a list of objects"
	case jsonWrapped:
		return formatJSON + ", one list", "it is one object, with a list of objects under “" + list.path + "”"
	}
	return formatJSON + " Lines", "its first line is an object"
}

// Bounds of an object, whatever is sent.
const (
	headerLines = 200     // objects that are looked at for names
	mostDepth   = 32      // objects and lists within each other
	mostItems   = 100_000 // of a list within an object
	mostName    = 1000    // bytes of a name with those that it stands in
)

// openJSON readies a document for being read from its first object on.
func openJSON(src Source, encoding string, limits Limits) (*jsonLines, error) {
	text, err := decoded(io.NewSectionReader(src, 0, src.Size), encoding)
	if err != nil {
		return nil, err
	}
	j := &jsonLines{src: src, limits: limits, learned: &shapeOfObjects{}}
	in := bufio.NewReaderSize(text, sampleSize)
	start, err := in.Peek(sampleSize)
	shape, list := shapeOfJSON(src.Name, start, err == io.EOF)
	j.main = mainList(list)
	switch shape {
	case jsonList, jsonWrapped:
		if _, err := in.Discard(list.from); err != nil {
			return nil, err
		}
		j.next, j.beside = j.listed(in), list.beside
	default:
		j.next, j.byLine = j.lines(in), true
	}
	return j, nil
}

func newJSONLines(src Source, reading Reading, limits Limits) (*jsonLines, error) {
	first, err := openJSON(src, reading.Encoding, limits)
	if err != nil {
		return nil, err
	}
	shape, err := first.shapeOf()
	if err != nil {
		return nil, err
	}
	open := func() (*jsonLines, error) {
		j, err := openJSON(src, reading.Encoding, limits)
		if err != nil {
			return nil, err
		}
		j.learned = shape
		if reading.Sheet == "" || reading.Sheet == j.main {
			return j, nil
		}
		if !slices.Contains(shape.order, reading.Sheet) || shape.lists[reading.Sheet].mixed || shape.lists[reading.Sheet].within {
			return nil, fault.New(fault.Invalid, "unknown_sheet", "the objects hold no such list of objects").
				At(fault.Place{File: src.Name, Path: "sheet"}).With(reading.Sheet).Mended("Lists: " +
				strings.Join(append([]string{j.main}, shape.tables()...), ", ") + ".")
		}
		j.list, j.number.name = reading.Sheet, shape.number()
		return j, nil
	}
	head, err := open()
	if err != nil {
		return nil, err
	}
	j, err := open()
	if err != nil {
		return nil, err
	}
	j.place, j.first = map[string]int{}, true
	var broken error
	good, bad := 0, 0
	for range headerLines {
		names, _, err := head.row()
		if err == io.EOF {
			break
		}
		if head.byLine && fault.Is(err, badLine) {
			if bad++; broken == nil {
				broken = err
			}
			continue
		}
		if err != nil {
			return nil, err
		}
		good++
		for _, n := range names {
			if _, known := j.place[n]; !known {
				j.place[n] = len(j.header)
				j.header = append(j.header, n)
			}
		}
		if len(j.header) > limits.Columns {
			return nil, tooManyColumns(limits).At(fault.Place{File: src.Name, Row: head.at()})
		}
	}
	if bad >= max(good, 1) { // it is no list of objects
		return nil, broken
	}
	if j.list != "" && j.number.name != "" {
		j.number.called = j.numberCalled(j.header)
		j.header = append([]string{j.number.called}, j.header...)
		for n, name := range j.header {
			j.place[name] = n
		}
	}
	return j, nil
}

// row reads the next row: an object, or an item of the list within them.
func (j *jsonLines) row() (names, values []string, err error) {
	if j.list == "" {
		return j.object()
	}
	return j.nextItem()
}

// at is the number of the row that was read last.
func (j *jsonLines) at() int64 {
	if j.list == "" {
		return j.read
	}
	return j.rows
}

// badLine is the code of what stands where an object should.
const badLine = "bad_json_line"

// lines gives one line after the other.
func (j *jsonLines) lines(in *bufio.Reader) func() ([]byte, error) {
	var line []byte
	return func() ([]byte, error) {
		line = line[:0]
		for {
			part, err := in.ReadSlice('\n')
			line = append(line, part...)
			switch {
			case len(line) > j.limits.RowBytes:
				return nil, j.tooLong()
			case errors.Is(err, bufio.ErrBufferFull):
				continue
			case err == io.EOF && len(line) > 0:
				return line, nil
			}
			return line, err
		}
	}
}

// listed gives one item of the array after the other. It counts brackets itself,
// so that no item is held that is longer than a row may be.
func (j *jsonLines) listed(in *bufio.Reader) func() ([]byte, error) {
	var item []byte
	begun := false
	return func() ([]byte, error) {
		item = item[:0]
		depth, quoted, escaped := 0, false, false
		for {
			c, err := in.ReadByte()
			if err == io.EOF {
				return nil, j.bad("the list of objects is cut off")
			}
			if err != nil {
				return nil, err
			}
			switch {
			case quoted:
				quoted, escaped = escaped || c != '"', !escaped && c == '\\'
			case c == '"' && depth > 0:
				quoted = true
			case c == '{' || c == '[' && begun:
				depth++
			case c == '}' || c == ']' && depth > 0:
				depth--
			case depth > 0:
			case c == '[':
				begun = true
				continue
			case c == ']':
				return nil, j.passOver(in)
			case c == ',' || c == ' ' || c == '\t' || c == '\r' || c == '\n' || c >= 0x80: // a byte order mark
				continue
			default:
				return nil, j.bad("an item of the list is not an object")
			}
			if item = append(item, c); len(item) > j.limits.RowBytes {
				return nil, j.tooLong()
			}
			if depth == 0 {
				return item, nil
			}
		}
	}
}

// passOver reads what stands behind the list that was read, and takes note where it holds another.
func (j *jsonLines) passOver(in *bufio.Reader) error {
	quoted, escaped, list := false, false, false
	var text []byte // the last one
	for {
		c, err := in.ReadByte()
		if err != nil {
			return err
		}
		switch {
		case quoted:
			if quoted, escaped = escaped || c != '"', !escaped && c == '\\'; quoted && len(text) < mostName {
				text = append(text, c)
			}
		case c == ':' && len(j.beside) < mostBeside:
			j.beside = append(j.beside, clean(string(text)))
		case c == '"':
			quoted, list, text = true, false, text[:0]
		case c == '[':
			list = true
		case c == '{':
			j.others = j.others || list
			list = false
		case c > ' ':
			list = false
		}
	}
}

// notices tells of what was not read.
func (j *jsonLines) notices() (list []Notice) {
	if j.others {
		list = append(list, Notice{Code: "other_lists",
			Message: "the document holds another list of objects behind the one that is read; send it as a document of its own"})
	}
	if inner := j.learned.tables(); j.list == "" && len(inner) > 0 {
		list = append(list, Notice{Code: "inner_lists", Message: "the objects hold lists of others, which are tables of their own: " +
			strings.Join(inner, ", ") + "; a bundle takes them all, an import reads one as its sheet"})
	}
	if len(j.beside) > 0 {
		list = append(list, Notice{Code: "beside_list", Message: "what stands beside the list is not read: " +
			strings.Join(j.beside, ", ")})
	}
	return list
}

func (j *jsonLines) tooLong() error {
	return fault.New(fault.Invalid, "cell_too_long", "an object is longer than "+itoa(j.limits.RowBytes)+
		" bytes").At(fault.Place{File: j.src.Name, Row: j.read + 1}).Mended("Split it.")
}

// object reads the next object, passing over blank lines.
func (j *jsonLines) object() (names, values []string, err error) {
	for {
		text, err := j.next()
		if err != nil {
			return nil, nil, err
		}
		j.read++
		if text = bytes.TrimSpace(text); len(text) == 0 {
			continue
		}
		j.text = text
		d := json.NewDecoder(bytes.NewReader(text))
		d.UseNumber()
		if t, err := d.Token(); err != nil || t != json.Delim('{') {
			return nil, nil, j.bad("what stands here is not a JSON object")
		}
		if err := j.members(d, "", 1, &names, &values); err != nil {
			if f, ok := fault.From(err); ok {
				return nil, nil, f.At(fault.Place{File: j.src.Name, Row: j.read})
			}
			return nil, nil, j.bad("the object is not valid JSON: " + err.Error())
		}
		for n, v := range values {
			if len(v) > j.limits.CellBytes {
				return nil, nil, tooLong(j.limits.CellBytes).At(fault.Place{File: j.src.Name, Row: j.read, Column: names[n]})
			}
		}
		return names, values, nil
	}
}

func (j *jsonLines) bad(message string) error {
	return fault.New(fault.Invalid, badLine, message).At(fault.Place{File: j.src.Name,
		Row: j.read}).Mended("Write one object a line, as in JSON Lines, or one array of objects.")
}

// members reads the members of an object that has begun, at a depth.
func (j *jsonLines) members(d *json.Decoder, prefix string, depth int, names, values *[]string) error {
	for d.More() {
		t, err := d.Token()
		if err != nil {
			return err
		}
		if err := j.member(d, prefix+fmt.Sprint(t), depth, names, values); err != nil {
			return err
		}
	}
	_, err := d.Token()
	return err
}

// member reads what stands under a name.
func (j *jsonLines) member(d *json.Decoder, name string, depth int, names, values *[]string) error {
	if depth > mostDepth {
		return fault.Newf(fault.Invalid, "nested_too_deep", "objects and lists stand in each other more than %d deep",
			mostDepth).Mended("Send flatter objects.")
	}
	switch {
	case len(*names) >= j.limits.Columns:
		return tooManyColumns(j.limits)
	case len(name) > mostName:
		return fault.Newf(fault.Invalid, "name_too_long", "the name of a value is longer than %d bytes",
			mostName).Mended("Shorten it.")
	}
	t, err := d.Token()
	if err != nil {
		return err
	}
	switch v := t.(type) {
	case json.Delim:
		if v == '{' {
			return j.members(d, name+".", depth+1, names, values)
		}
		return j.inList(d, name, depth, names, values)
	case nil:
		if l := j.learned.lists[name]; l != nil && l.single() {
			return nil
		}
		*names, *values = append(*names, name), append(*values, "")
	default:
		*names, *values = append(*names, name), append(*values, clean(fmt.Sprint(v)))
	}
	return nil
}

// clean marks what text cannot carry.
func clean(s string) string {
	if !utf8.ValidString(s) || strings.IndexByte(s, 0) >= 0 {
		return strings.ReplaceAll(strings.ToValidUTF8(s, string(value.BytesMark)), "\x00", string(value.NulMark))
	}
	return s
}

// Next implements Reader; the names come first, as row 0.
func (j *jsonLines) Next() (Row, error) {
	if j.first {
		j.first = false
		return Row{Number: 0, Cells: j.header}, nil
	}
	names, values, err := j.row()
	j.cells = j.cells[:0]
	for range j.header {
		j.cells = append(j.cells, "")
	}
	if j.byLine && fault.Is(err, badLine) {
		return Row{Number: j.read, Cells: append(j.cells, clean(string(j.text)))}, nil
	}
	if err != nil {
		return Row{}, err
	}
	for i, n := range names {
		at, ok := j.place[n]
		switch twice := ok && j.cells[at] != "" && values[i] != ""; {
		case ok && !twice:
			j.cells[at] = cmp.Or(values[i], j.cells[at])
		default: // a name that only comes later, or twice: the row is ragged
			j.cells = append(j.cells, n+": "+values[i])
		}
	}
	return Row{Number: j.at(), Cells: j.cells}, nil
}
