package sheet

import (
	"bytes"
	"io"
	"strings"
	"unicode/utf8"

	"github.com/wlynxg/chardet"
	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/htmlindex"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"
)

const utf8Name = "utf-8"

func encodingByName(name string) (encoding.Encoding, error) {
	switch strings.ToLower(name) {
	case "", utf8Name:
		return encoding.Nop, nil
	case "utf-16le":
		return unicode.UTF16(unicode.LittleEndian, unicode.UseBOM), nil
	case "utf-16be":
		return unicode.UTF16(unicode.BigEndian, unicode.UseBOM), nil
	}
	return htmlindex.Get(name)
}

var utf8BOM = []byte{0xef, 0xbb, 0xbf}

// decoded gives the text of src in UTF-8, without a byte order mark.
func decoded(r io.Reader, name string) (io.Reader, error) {
	enc, err := encodingByName(name)
	if err != nil {
		return nil, err
	}
	if enc != encoding.Nop {
		return transform.NewReader(r, enc.NewDecoder()), nil
	}
	head := make([]byte, 3)
	n, err := io.ReadFull(r, head)
	if err != nil && err != io.EOF && err != io.ErrUnexpectedEOF {
		return nil, err
	}
	if bytes.Equal(head[:n], utf8BOM) {
		n = 0
	}
	return io.MultiReader(bytes.NewReader(head[:n]), r), nil
}

// detectEncoding looks at the first bytes: a byte order mark, valid UTF-8, the
// zero bytes of UTF-16, and at last the statistics of letters.
func detectEncoding(sample []byte, whole bool) Finding {
	found := func(v string, sure bool, evidence string) Finding {
		return Finding{Option: "encoding", Value: v, Sure: sure, Evidence: evidence}
	}
	switch {
	case bytes.HasPrefix(sample, utf8BOM):
		return found(utf8Name, true, "the file begins with the byte order mark of UTF-8")
	case bytes.HasPrefix(sample, []byte{0xff, 0xfe}):
		return found("utf-16le", true, "the file begins with a byte order mark of UTF-16")
	case bytes.HasPrefix(sample, []byte{0xfe, 0xff}):
		return found("utf-16be", true, "the file begins with a byte order mark of UTF-16")
	}
	if odd, even := zeros(sample); odd+even > len(sample)/5 {
		if odd > even {
			return found("utf-16le", true, "every second byte is zero, as in UTF-16")
		}
		return found("utf-16be", true, "every second byte is zero, as in UTF-16")
	}
	if !whole { // the sample may end within a character
		for i := 0; i < 4 && len(sample) > 0 && !utf8.Valid(sample); i++ {
			sample = sample[:len(sample)-1]
		}
	}
	if utf8.Valid(sample) {
		if isASCII(sample) {
			return found(utf8Name, true, "only characters that are the same in every encoding")
		}
		return found(utf8Name, true, "all its bytes are valid UTF-8")
	}
	if n := bytes.Count([]byte(strings.ToValidUTF8(string(sample), "\ufffd")), []byte("\ufffd")); n > 0 && n*200 < nonASCII(sample) {
		return found(utf8Name, false, "nearly all its bytes are valid UTF-8")
	}
	guess := chardet.Detect(sample)
	name := strings.ToLower(guess.Encoding)
	// Statistics mix up the Windows code pages of western Europe with those of
	// Turkey and the Baltic; without a letter that only those have, it is 1252.
	switch name {
	case "", "ascii", "iso-8859-1", "iso-8859-15", "iso-8859-9", "windows-1254", "windows-1257", "macroman", "utf-8", "johab":
		name = "windows-1252"
	}
	if centralEuropean(sample) && (name == "windows-1252" || name == "iso-8859-2") {
		name = "windows-1250"
	}
	if _, err := encodingByName(name); err != nil {
		name = "windows-1252"
	}
	return found(name, guess.Confidence > 0.8, "its bytes are not UTF-8; the letters fit this encoding best")
}

func zeros(b []byte) (odd, even int) {
	for i, c := range b {
		if c == 0 {
			if i%2 == 1 {
				odd++
			} else {
				even++
			}
		}
	}
	return odd, even
}

func isASCII(b []byte) bool { return nonASCII(b) == 0 }

func nonASCII(b []byte) int {
	n := 0
	for _, c := range b {
		if c >= utf8.RuneSelf {
			n++
		}
	}
	return n
}

// centralEuropean counts letters at places where windows-1250 has Polish, Czech
// and Hungarian letters and windows-1252 has signs that do not stand in words.
func centralEuropean(b []byte) bool {
	marks, letters := 0, 0
	for i, c := range b {
		if c < utf8.RuneSelf {
			continue
		}
		inWord := i > 0 && isLetterByte(b[i-1]) || i+1 < len(b) && isLetterByte(b[i+1])
		switch c {
		case 0x9c, 0x9f, 0xb3, 0xb9, 0xbf, 0x8c, 0x8f, 0xa3, 0xa5, 0xaf: // ś ź ł ą ż Ś Ź Ł Ą Ż
			if inWord {
				marks++
			}
		default:
			letters++
		}
	}
	return marks > 2 && marks*3 > letters
}

func isLetterByte(c byte) bool { return c|0x20 >= 'a' && c|0x20 <= 'z' }
