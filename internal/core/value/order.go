package value

import (
	"encoding/binary"
	"math"
	"strconv"
	"strings"

	"uchi/internal/core/catalog"

	"golang.org/x/text/collate"
	"golang.org/x/text/language"
)

// Orderer makes keys by which the texts of one column are put in order, as a person
// would do it: amounts by their size, days by their date, and everything else, which
// stands behind these, by its letters whatever their case, with the figures within it
// by their size (Unicode Technical Standard #10, in the order of its default table, with
// the numeric ordering of Unicode Technical Standard #35). It is not safe for use by several goroutines.
type Orderer struct {
	reader *Reader // nil when the column holds neither amounts nor days
	sized  bool    // what it reads are amounts
	order  *collate.Collator
	buffer collate.Buffer
}

// The first bytes of keys: what could be read stands before what could not.
const (
	readKey byte = 1 + iota
	saidKey
)

// longestOrdered is how many bytes of a text its place depends on.
const longestOrdered = 120

// NewOrderer makes an orderer for a column that holds values of a field's type, read as
// the settings say.
func NewOrderer(holds catalog.FieldType, s Settings) *Orderer {
	o := &Orderer{order: collate.New(language.Und, collate.Numeric, collate.IgnoreCase)}
	switch holds {
	case catalog.Integer, catalog.Decimal, catalog.Money, catalog.Percent:
		o.sized = true
		o.reader = NewReader(catalog.Field{Type: catalog.Money}, s)
	case catalog.Date, catalog.DateTime:
		o.reader = NewReader(catalog.Field{Type: catalog.DateTime}, s)
	}
	return o
}

// Key gives the place of a text as bytes, to be compared as such; it is empty for one
// that says nothing.
func (o *Orderer) Key(text string) []byte {
	text = Trim(text)
	if text == "" {
		return nil
	}
	if o.reader != nil {
		if key := o.read(text); key != nil {
			return key
		}
	}
	if len(text) > longestOrdered {
		text = strings.ToValidUTF8(text[:longestOrdered], "")
	}
	o.buffer.Reset()
	return append([]byte{saidKey}, o.order.KeyFromString(&o.buffer, text)...)
}

// read gives the place of a text that can be read as the column's type, else nil.
func (o *Orderer) read(text string) []byte {
	if o.sized {
		text = strings.TrimRight(text, "% \u00a0\u202f")
	}
	v, trouble := o.reader.Read(text)
	if v == "" || trouble.Code != "" {
		return nil
	}
	if !o.sized {
		return append([]byte{readKey}, v...)
	}
	size, err := strconv.ParseFloat(v, 64)
	if err != nil {
		return nil
	}
	bits := math.Float64bits(size)
	if bits>>63 == 1 { // the larger a number below nought, the earlier it stands
		bits = ^bits
	} else {
		bits |= 1 << 63
	}
	return binary.BigEndian.AppendUint64([]byte{readKey}, bits)
}
