package sheet

import (
	"bytes"
	"errors"
	"io"
	"strings"
	"unicode/utf8"

	"github.com/wlynxg/chardet"
	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/htmlindex"
	"golang.org/x/text/encoding/ianaindex"
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
	if enc, err := htmlindex.Get(name); err == nil {
		return enc, nil
	}
	enc, err := ianaindex.IANA.Encoding(name) // such as those of DOS
	if err == nil && enc == nil {
		err = errors.New("an encoding that nothing here reads")
	}
	return enc, err
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
		if escapesJapanese(sample) {
			return found("iso-2022-jp", true, "it changes to Japanese characters as mails do")
		}
		if isASCII(sample) {
			return found(utf8Name, true, "only characters that are the same in every encoding")
		}
		return found(utf8Name, true, "all its bytes are valid UTF-8")
	}
	if n := bytes.Count([]byte(strings.ToValidUTF8(string(sample), "\ufffd")), []byte("\ufffd")); n > 0 &&
		n*200 < nonASCII(sample) {
		return found(utf8Name, false, "nearly all its bytes are valid UTF-8")
	}
	if name := japaneseEncoding(sample); name != "" {
		return found(name, true, "its bytes are not UTF-8; read so, they are kana and common kanji")
	}
	guess := chardet.Detect(sample)
	name := strings.ToLower(guess.Encoding)
	if latin, lead, ok := latinEncoding(sample); ok && !eastAsian[name] {
		return found(latin, lead >= sureLead, "its bytes are not UTF-8; read so, its words have the letters of one language")
	}
	if _, err := encodingByName(name); err != nil || name == "" || name == "ascii" || name == utf8Name {
		name = "windows-1252"
	}
	if greekEncodings[name] {
		name = greekEncoding(sample)
	}
	return found(name, guess.Confidence > 0.8, "its bytes are not UTF-8; the letters fit this encoding best")
}

// greekEncodings have the same letters in the same places, but for one.
var greekEncodings = map[string]bool{"iso-8859-7": true, "windows-1253": true}

// greekEncoding tells them apart by the capital alpha with an accent, which is a sign in the other: it
// stands before letters.
func greekEncoding(text []byte) string {
	const inWindows, inISO, firstLetter = 0xa2, 0xb6, 0xb8
	windows, iso := 0, 0
	for n, c := range text[:max(0, len(text)-1)] {
		switch before := text[n+1] >= firstLetter; {
		case c == inWindows && before:
			windows++
		case c == inISO && before:
			iso++
		}
	}
	if iso > windows {
		return "iso-8859-7"
	}
	return "windows-1253" // which programs of today write
}

// sureLead is how much better an encoding must fit than any that reads a text otherwise.
const sureLead = 0.2

// eastAsian are encodings in which letters of ASCII can be halves of others.
var eastAsian = map[string]bool{"shift_jis": true, "cp932": true, "windows-31j": true, "euc-jp": true,
	"iso-2022-jp": true, "euc-kr": true, "cp949": true, "gb2312": true, "gb18030": true,
	"gbk": true, "hz-gb-2312": true, "big5": true, "euc-tw": true}

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
