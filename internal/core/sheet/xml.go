package sheet

import (
	"bufio"
	"bytes"
	"errors"
	"io"
	"strconv"
	"unicode/utf8"

	"uchi/internal/core/fault"
	"uchi/internal/core/value"
)

// xmlReader pulls elements and text out of the XML of spreadsheets, as a
// stream. It knows as much of XML 1.0 as these need: no document types (they
// are refused, since they can be made to explode), names without their prefix.
type xmlReader struct {
	in    *bufio.Reader
	buf   []byte
	kind  xmlKind
	name  []byte // of the element, without its prefix
	attrs []byte // between the name and the end of the tag
	text  []byte
	empty bool // the element ends where it starts; its end comes next
	most  int  // bytes of one tag or one run of text
}

type xmlKind int

const (
	xmlStart xmlKind = iota
	xmlEnd
	xmlText
)

func newXML(r io.Reader, most int) *xmlReader {
	return &xmlReader{in: bufio.NewReaderSize(r, 128<<10), most: most}
}

var errXML = fault.New(fault.Invalid, "bad_spreadsheet",
	"the spreadsheet's inside is damaged").Mended("Open it in a spreadsheet program, save it again, and send that.")

var errDoctype = fault.New(fault.Invalid, "hostile_file", "the spreadsheet's inside declares a document type, which "+
	"no spreadsheet program writes").Mended("Save it again from a spreadsheet program.")

// until reads up to and with the byte; what is read stays in buf.
func (x *xmlReader) until(end byte) error {
	for {
		part, err := x.in.ReadSlice(end)
		x.buf = append(x.buf, part...)
		if len(x.buf) > x.most {
			return tooLong(x.most)
		}
		if errors.Is(err, bufio.ErrBufferFull) {
			continue
		}
		return err
	}
}

func tooLong(most int) *fault.Error {
	return fault.New(fault.Invalid, "cell_too_long", "a cell is longer than "+itoa(most)+
		" bytes").Mended("Shorten it; the limit can be raised when the service is started.")
}

// next gives the next start, end or text that is not blank space between tags.
func (x *xmlReader) next() error {
	if x.empty {
		x.empty, x.kind = false, xmlEnd
		return nil
	}
	x.buf = x.buf[:0]
	err := x.until('<')
	if err != nil && err != io.EOF {
		return err
	}
	if err == io.EOF {
		if len(bytes.TrimSpace(x.buf)) > 0 {
			return errXML
		}
		return io.EOF
	}
	if n := len(x.buf) - 1; n > 0 {
		if err := x.in.UnreadByte(); err != nil {
			return err
		}
		x.kind, x.text = xmlText, unescape(x.buf[:n])
		return nil
	}
	return x.tag()
}

func (x *xmlReader) tag() error {
	x.buf = x.buf[:0]
	for {
		if err := x.until('>'); err != nil {
			return errXML
		}
		b := x.buf[:len(x.buf)-1]
		switch {
		case bytes.HasPrefix(b, []byte("!--")):
			if !bytes.HasSuffix(b, []byte("--")) || len(b) < 5 {
				continue
			}
			return x.next()
		case bytes.HasPrefix(b, []byte("![CDATA[")):
			if !bytes.HasSuffix(b, []byte("]]")) {
				continue
			}
			x.kind, x.text = xmlText, b[8:len(b)-2]
			return nil
		case bytes.HasPrefix(b, []byte("!")):
			return errDoctype
		case bytes.HasPrefix(b, []byte("?")):
			if !bytes.HasSuffix(b, []byte("?")) {
				continue
			}
			return x.next()
		}
		if quoted(b) { // a > inside an attribute
			continue
		}
		if len(b) > 0 && b[0] == '/' {
			x.kind, x.name = xmlEnd, local(bytes.TrimSpace(b[1:]))
			return nil
		}
		if n := len(b); n > 0 && b[n-1] == '/' {
			x.empty, b = true, b[:n-1]
		}
		name, attrs := b, []byte(nil)
		if i := bytes.IndexAny(b, " \t\r\n"); i >= 0 {
			name, attrs = b[:i], b[i:]
		}
		if len(name) == 0 {
			return errXML
		}
		x.kind, x.name, x.attrs = xmlStart, local(name), attrs
		return nil
	}
}

// quoted reports whether what follows a part of a tag stands in quotes.
func quoted(tag []byte) bool {
	for {
		i := bytes.IndexAny(tag, `"'`)
		if i < 0 {
			return false
		}
		end := bytes.IndexByte(tag[i+1:], tag[i])
		if end < 0 {
			return true
		}
		tag = tag[i+end+2:]
	}
}

func local(name []byte) []byte {
	if i := bytes.IndexByte(name, ':'); i >= 0 {
		return name[i+1:]
	}
	return name
}

// attr gives an attribute by its name without prefix, empty when there is none.
func (x *xmlReader) attr(name string) string {
	rest := x.attrs
	for {
		eq := bytes.IndexByte(rest, '=')
		if eq < 0 {
			return ""
		}
		key := local(bytes.TrimSpace(rest[:eq]))
		rest = bytes.TrimLeft(rest[eq+1:], " \t\r\n")
		if len(rest) == 0 {
			return ""
		}
		end := bytes.IndexByte(rest[1:], rest[0])
		if end < 0 {
			return ""
		}
		if string(key) == name {
			return string(unescape(rest[1 : end+1]))
		}
		rest = rest[end+2:]
	}
}

// number gives an attribute as a whole number of at least least.
func (x *xmlReader) number(name string, least int) int {
	n, err := strconv.Atoi(x.attr(name))
	if err != nil || n < least {
		return least
	}
	return n
}

// skip passes over the element that has just started.
func (x *xmlReader) skip() error {
	for depth := 1; depth > 0; {
		if err := x.next(); err != nil {
			return err
		}
		switch x.kind {
		case xmlStart:
			depth++
		case xmlEnd:
			depth--
		}
	}
	return nil
}

// unescape resolves the five entities of XML and numeric characters in place.
func unescape(b []byte) []byte {
	at := bytes.IndexByte(b, '&')
	if at < 0 {
		return b
	}
	out := b[:at]
	for rest := b[at:]; len(rest) > 0; {
		if rest[0] != '&' {
			n := bytes.IndexByte(rest, '&')
			if n < 0 {
				n = len(rest)
			}
			out = append(out, rest[:n]...)
			rest = rest[n:]
			continue
		}
		end := bytes.IndexByte(rest, ';')
		if end < 0 || end > 12 {
			out, rest = append(out, '&'), rest[1:]
			continue
		}
		switch entity := string(rest[1:end]); entity {
		case "amp":
			out = append(out, '&')
		case "lt":
			out = append(out, '<')
		case "gt":
			out = append(out, '>')
		case "quot":
			out = append(out, '"')
		case "apos":
			out = append(out, '\'')
		default:
			out = appendCharacter(out, entity)
		}
		rest = rest[end+1:]
	}
	return out
}

func appendCharacter(out []byte, entity string) []byte {
	if len(entity) < 2 || entity[0] != '#' {
		return out
	}
	digits, base := entity[1:], 10
	if digits[0] == 'x' {
		digits, base = digits[1:], 16
	}
	n, err := strconv.ParseUint(digits, base, 32)
	switch {
	case err != nil || !utf8.ValidRune(rune(n)):
		return utf8.AppendRune(out, utf8.RuneError)
	case n == 0: // which neither XML nor a text of ours can hold
		return utf8.AppendRune(out, value.NulMark)
	}
	return utf8.AppendRune(out, rune(n))
}
