package sheet

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"uchi/internal/core/fault"
	"uchi/internal/core/value"
)

// jsonLines reads one JSON object a line. The names in the first lines are the
// header, in their order; members of objects are named with a dot between, a
// list's items are joined. A row's number is its line, so the header, which
// stands in no line, is row 0.
type jsonLines struct {
	src    Source
	in     *bufio.Reader
	limits Limits
	header []string
	place  map[string]int
	line   int64
	first  bool
	cells  []string
}

// headerLines is how many lines are looked at for names.
const headerLines = 200

func newJSONLines(src Source, reading Reading, limits Limits) (*jsonLines, error) {
	text, err := decoded(io.NewSectionReader(src, 0, src.Size), reading.Encoding)
	if err != nil {
		return nil, err
	}
	j := &jsonLines{src: src, in: bufio.NewReaderSize(text, 256<<10), limits: limits, place: map[string]int{}, first: true}
	look, err := decoded(io.NewSectionReader(src, 0, src.Size), reading.Encoding)
	if err != nil {
		return nil, err
	}
	head := &jsonLines{src: src, in: bufio.NewReaderSize(look, 256<<10), limits: limits, place: j.place}
	for range headerLines {
		names, _, err := head.object()
		if err == io.EOF {
			break
		}
		if err != nil {
			return nil, err
		}
		for _, n := range names {
			if _, known := j.place[n]; !known {
				j.place[n] = len(j.header)
				j.header = append(j.header, n)
			}
		}
		if len(j.header) > limits.Columns {
			return nil, tooManyColumns(limits).At(fault.Place{File: src.Name, Row: head.line})
		}
	}
	return j, nil
}

// object reads the next line that is not blank.
func (j *jsonLines) object() (names, values []string, err error) {
	for {
		line, err := j.readLine()
		if err != nil {
			return nil, nil, err
		}
		j.line++
		if line = bytes.TrimSpace(line); len(line) == 0 {
			continue
		}
		d := json.NewDecoder(bytes.NewReader(line))
		d.UseNumber()
		if t, err := d.Token(); err != nil || t != json.Delim('{') {
			return nil, nil, j.bad("the line is not a JSON object")
		}
		if err := j.members(d, "", &names, &values); err != nil {
			return nil, nil, j.bad("the line is not valid JSON: " + err.Error())
		}
		return names, values, nil
	}
}

func (j *jsonLines) bad(message string) error {
	return fault.New(fault.Invalid, "bad_json_line", message).At(fault.Place{File: j.src.Name, Row: j.line}).Mended("Write one object a line, as in JSON Lines.")
}

func (j *jsonLines) readLine() ([]byte, error) {
	var line []byte
	for {
		part, err := j.in.ReadSlice('\n')
		line = append(line, part...)
		switch {
		case len(line) > j.limits.RowBytes:
			return nil, fault.New(fault.Invalid, "cell_too_long", "a line is longer than "+itoa(j.limits.RowBytes)+" bytes").At(fault.Place{File: j.src.Name, Row: j.line + 1}).Mended("Split it.")
		case errors.Is(err, bufio.ErrBufferFull):
			continue
		case err == io.EOF && len(line) > 0:
			return line, nil
		}
		return line, err
	}
}

func (j *jsonLines) members(d *json.Decoder, prefix string, names, values *[]string) error {
	for d.More() {
		t, err := d.Token()
		if err != nil {
			return err
		}
		name := prefix + fmt.Sprint(t)
		if err := j.member(d, name, names, values); err != nil {
			return err
		}
	}
	_, err := d.Token()
	return err
}

func (j *jsonLines) member(d *json.Decoder, name string, names, values *[]string) error {
	t, err := d.Token()
	if err != nil {
		return err
	}
	switch v := t.(type) {
	case json.Delim:
		if v == '{' {
			return j.members(d, name+".", names, values)
		}
		var items []string
		var inner []string
		for d.More() {
			var in []string
			if err := j.member(d, name, &in, &inner); err != nil {
				return err
			}
		}
		items = append(items, inner...)
		if _, err := d.Token(); err != nil {
			return err
		}
		*names, *values = append(*names, name), append(*values, strings.Join(items, "; "))
	case nil:
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
	names, values, err := j.object()
	if err != nil {
		return Row{}, err
	}
	j.cells = j.cells[:0]
	for range j.header {
		j.cells = append(j.cells, "")
	}
	for i, n := range names {
		if at, ok := j.place[n]; ok {
			j.cells[at] = values[i]
		} else { // a name that only comes later: the row is ragged
			j.cells = append(j.cells, n+": "+values[i])
		}
	}
	return Row{Number: j.line, Cells: j.cells}, nil
}
