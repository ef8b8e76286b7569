package sheet

import (
	"bufio"
	"encoding/binary"
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"

	"uchi/internal/core/fault"
)

// sharedTexts keeps the texts that cells point to in a temporary file, in
// blocks of which the latest used stay at hand: cells point to them mostly in
// the order in which they stand. What is at hand is bounded in bytes, however
// long the texts are.
type sharedTexts struct {
	file   *os.File
	starts []int64 // offset of each block, and of the end
	count  int
	kept   map[int][]string
	bytes  int64 // of the blocks at hand
}

const (
	blockTexts   = 64
	mostBlock    = 1 << 20  // bytes of a block that is kept at hand
	mostKept     = 24 << 20 // bytes of all of them
	mostTexts    = 20_000_000
	longestTexts = 32_767 * 4 // bytes: the most characters that the format allows in a cell
)

func (b *workbook) readSharedTexts() error {
	b.texts = &sharedTexts{kept: map[int][]string{}}
	if _, ok := b.file("xl/sharedStrings.xml"); !ok {
		return nil
	}
	f, err := os.CreateTemp("", "uchi-texts")
	if err != nil {
		return fmt.Errorf("keep shared texts: %w", err)
	}
	os.Remove(f.Name()) //nolint:errcheck // it lives as long as it is open
	b.texts.file = f
	w := bufio.NewWriterSize(f, 256<<10)
	var at int64
	var text []byte
	err = b.each("xl/sharedStrings.xml", func(x *xmlReader) error {
		if x.kind != xmlStart || string(x.name) != "si" {
			return nil
		}
		var err error
		if text, err = x.richText("si", text[:0], longestTexts); err != nil {
			return err
		}
		if b.texts.count%blockTexts == 0 {
			b.texts.starts = append(b.texts.starts, at)
		}
		if b.texts.count++; b.texts.count > mostTexts {
			return fault.New(fault.Invalid, "too_many_texts", "the workbook has more than "+itoa(mostTexts)+
				" different texts").Mended("Send the sheet as CSV.")
		}
		var head [binary.MaxVarintLen64]byte
		n := binary.PutUvarint(head[:], uint64(len(text)))
		at += int64(n + len(text))
		w.Write(head[:n]) //nolint:errcheck // Flush tells
		w.Write(text)     //nolint:errcheck // Flush tells
		return nil
	})
	if err != nil {
		return err
	}
	b.texts.starts = append(b.texts.starts, at)
	return w.Flush()
}

// richText gathers the text of an element: all its t, without readings (rPh), at
// most so many bytes.
func (x *xmlReader) richText(until string, text []byte, most int) ([]byte, error) {
	if x.empty {
		return text, x.next()
	}
	inText := false
	for {
		if err := x.next(); err != nil {
			if err == io.EOF {
				return text, errXML
			}
			return text, err
		}
		switch name := string(x.name); {
		case x.kind == xmlText:
			if inText {
				text = append(text, x.text...)
			}
			if len(text) > most {
				return text, tooLong(most)
			}
		case x.kind == xmlStart && name == "rPh":
			if err := x.skip(); err != nil {
				return text, err
			}
		case x.kind == xmlStart && name == "t":
			inText = !x.empty
		case x.kind == xmlEnd && name == "t":
			inText = false
		case x.kind == xmlEnd && name == until:
			return text, nil
		}
	}
}

func (t *sharedTexts) get(n int) (string, error) {
	if n < 0 || n >= t.count {
		return "", errXML
	}
	at := n / blockTexts
	if block, ok := t.kept[at]; ok {
		return block[n%blockTexts], nil
	}
	size := t.starts[at+1] - t.starts[at]
	if size > mostBlock { // long texts are read one by one
		block, err := t.read(at, n%blockTexts)
		if err != nil {
			return "", err
		}
		return block[n%blockTexts], nil
	}
	block, err := t.read(at, -1)
	if err != nil {
		return "", err
	}
	for k := range t.kept { // any will do
		if t.bytes+size <= mostKept {
			break
		}
		t.bytes -= t.starts[k+1] - t.starts[k]
		delete(t.kept, k)
	}
	t.kept[at] = block
	t.bytes += size
	return block[n%blockTexts], nil
}

// read reads a block: all its texts, or with only not below 0 that one alone.
func (t *sharedTexts) read(n, only int) ([]string, error) {
	r := bufio.NewReader(io.NewSectionReader(t.file, t.starts[n], t.starts[n+1]-t.starts[n]))
	block := make([]string, min(blockTexts, t.count-n*blockTexts))
	for i := range block {
		size, err := binary.ReadUvarint(r)
		if err != nil {
			return nil, fmt.Errorf("read shared texts: %w", err)
		}
		if only >= 0 && i != only {
			if _, err := r.Discard(int(size)); err != nil {
				return nil, fmt.Errorf("read shared texts: %w", err)
			}
			continue
		}
		b := make([]byte, size)
		if _, err := io.ReadFull(r, b); err != nil {
			return nil, fmt.Errorf("read shared texts: %w", err)
		}
		block[i] = clean(unescapeControls(string(b)))
	}
	return block, nil
}

func (t *sharedTexts) close() {
	if t != nil && t.file != nil {
		t.file.Close()
	}
}

// unescapeControls resolves _x000D_, in which this format writes control characters.
func unescapeControls(s string) string {
	i := strings.Index(s, "_x")
	if i < 0 {
		return s
	}
	var b strings.Builder
	for {
		if i < 0 || i+7 > len(s) {
			b.WriteString(s)
			return b.String()
		}
		n, err := strconv.ParseUint(s[i+2:min(i+6, len(s))], 16, 16)
		if err != nil || s[i+6] != '_' {
			b.WriteString(s[:i+2])
			s = s[i+2:]
		} else {
			b.WriteString(s[:i])
			if n == 0 {
				b.WriteRune('\u2400')
			} else if n != '\r' {
				b.WriteRune(rune(n))
			}
			s = s[i+7:]
		}
		i = strings.Index(s, "_x")
	}
}
