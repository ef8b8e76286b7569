package sheet

import (
	"archive/zip"
	"bufio"
	"encoding/xml"
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"
)

// rowsToFill is for how many empty rows below the last a sheet has drop-downs and
// formats in an OpenDocument spreadsheet, where they belong to cells.
const rowsToFill = 5000

const odsMime = "application/vnd.oasis.opendocument.spreadsheet"

const odsManifest = `<?xml version="1.0" encoding="UTF-8"?>
<manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0" manifest:version="1.3">
<manifest:file-entry manifest:full-path="/" manifest:version="1.3" manifest:media-type="` + odsMime + `"/>
<manifest:file-entry manifest:full-path="content.xml" manifest:media-type="text/xml"/>
</manifest:manifest>
`

const odsHead = `<?xml version="1.0" encoding="UTF-8"?>
<office:document-content office:version="1.3"
 xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0"
 xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0" xmlns:style="urn:oasis:names:tc:opendocument:xmlns:style:1.0"
 xmlns:fo="urn:oasis:names:tc:opendocument:xmlns:xsl-fo-compatible:1.0" xmlns:number="urn:oasis:names:tc:opendocument:xmlns:datastyle:1.0"
 xmlns:of="urn:oasis:names:tc:opendocument:xmlns:of:1.2" xmlns:svg="urn:oasis:names:tc:opendocument:xmlns:svg-compatible:1.0">
<office:automatic-styles>
<number:text-style style:name="Ft"><number:text-content/></number:text-style>
<number:date-style style:name="Fday"><number:year number:style="long"/><number:text>-</number:text><number:month number:style="long"/><number:text>-</number:text><number:day number:style="long"/></number:date-style>
<number:date-style style:name="Fmoment"><number:year number:style="long"/><number:text>-</number:text><number:month number:style="long"/><number:text>-</number:text><number:day number:style="long"/><number:text> </number:text><number:hours number:style="long"/><number:text>:</number:text><number:minutes number:style="long"/></number:date-style>
<style:style style:name="shown" style:family="table"><style:table-properties table:display="true"/></style:style>
<style:style style:name="hidden" style:family="table"><style:table-properties table:display="false"/></style:style>
<style:style style:name="wide" style:family="table-column"><style:table-column-properties style:column-width="4.2cm"/></style:style>
<style:style style:name="head" style:family="table-cell" style:data-style-name="Ft"><style:text-properties fo:font-weight="bold"/></style:style>
<style:style style:name="required" style:family="table-cell" style:data-style-name="Ft"><style:table-cell-properties fo:background-color="#` + requiredColour + `"/><style:text-properties fo:font-weight="bold"/></style:style>
<style:style style:name="text" style:family="table-cell" style:data-style-name="Ft"/>
<style:style style:name="noted" style:family="table-cell" style:data-style-name="Ft"><style:table-cell-properties fo:background-color="#` + notedColour + `"/></style:style>
<style:style style:name="day" style:family="table-cell" style:data-style-name="Fday"/>
<style:style style:name="moment" style:family="table-cell" style:data-style-name="Fmoment"/>
`

// WriteODS writes an OpenDocument spreadsheet (ISO/IEC 26300), its rows as a stream.
func WriteODS(w io.Writer, book Book) error {
	z := zip.NewWriter(w)
	// The kind of the file stands first and is not packed, as the standard has it.
	mime, err := z.CreateHeader(&zip.FileHeader{Name: "mimetype", Method: zip.Store})
	if err == nil {
		_, err = io.WriteString(mime, odsMime)
	}
	if err != nil {
		return fmt.Errorf("write workbook: %w", err)
	}
	manifest, err := z.Create("META-INF/manifest.xml")
	if err == nil {
		_, err = io.WriteString(manifest, odsManifest)
	}
	if err != nil {
		return fmt.Errorf("write workbook: %w", err)
	}
	content, err := z.Create(odsContent)
	if err != nil {
		return fmt.Errorf("write workbook: %w", err)
	}
	o := odsBook{w: bufio.NewWriterSize(content, 1<<16)}
	o.book(book)
	if o.err == nil {
		o.err = o.w.Flush()
	}
	if o.err != nil {
		return o.err
	}
	if err := z.Close(); err != nil {
		return fmt.Errorf("write workbook: %w", err)
	}
	return nil
}

// odsBook writes until something goes wrong, which it keeps.
type odsBook struct {
	w     *bufio.Writer
	notes int
	err   error
}

func (o *odsBook) put(parts ...string) {
	for _, p := range parts {
		if o.err == nil {
			_, o.err = o.w.WriteString(p)
		}
	}
}

// text puts a text into XML; what XML cannot hold becomes a replacement sign.
func (o *odsBook) text(s string) {
	if o.err == nil {
		o.err = xml.EscapeText(o.w, []byte(s))
	}
}

func (o *odsBook) book(book Book) {
	o.put(odsHead)
	for digits := range 7 {
		n := strconv.Itoa(digits)
		o.put(`<number:number-style style:name="Fnumber`, n, `"><number:number number:decimal-places="`, n,
			`" number:min-integer-digits="1"/></number:number-style>`,
			`<style:style style:name="number`, n, `" style:family="table-cell" style:data-style-name="Fnumber`, n, `"/>`, "\n")
	}
	// A number with any digits is shown as it is.
	o.put(`<style:style style:name="number" style:family="table-cell"/>`, "\n",
		`</office:automatic-styles><office:body><office:spreadsheet><table:content-validations>`, "\n")
	lists := 0
	for s, sheet := range book.Sheets {
		for n, c := range sheet.Columns {
			if len(c.Choices) == 0 {
				continue
			}
			at := Letter(lists)
			lists++
			o.put(`<table:content-validation table:name="`, validation(s, n),
				`" table:condition="of:cell-content-is-in-list([$`, listsSheet, `.$`, at, `$1:.$`, at, `$`,
				strconv.Itoa(len(c.Choices)),
				`])" table:allow-empty-cell="true" table:display-list="unsorted"><table:error-message table:message-type="warning" table:display="true"><text:p>This is none of the values that are known here.</text:p></table:error-message></table:content-validation>`, "\n")
		}
	}
	o.put(`</table:content-validations>`)
	for s, sheet := range book.Sheets {
		o.sheet(s, sheet)
	}
	if len(book.Guide) > 0 {
		o.plainSheet(guideSheet, "shown", len(book.Guide), func(n int) []string { return book.Guide[n] })
	}
	if lists > 0 {
		o.lists(book)
	}
	o.put(`</office:spreadsheet></office:body></office:document-content>`)
}

func validation(sheet, column int) string { return fmt.Sprintf("list%d-%d", sheet+1, column+1) }

func (o *odsBook) sheet(s int, sheet BookSheet) {
	o.put(`<table:table table:style-name="shown" table:name="`)
	o.text(sheet.Name)
	o.put(`"><table:table-column table:style-name="wide" table:number-columns-repeated="`,
		strconv.Itoa(max(1, len(sheet.Columns))), `"/><table:table-header-rows><table:table-row>`)
	for _, c := range sheet.Columns {
		style := "head"
		if c.Required {
			style = "required"
		}
		o.cell(c.Header, style, "", c.Note)
	}
	o.put("</table:table-row></table:table-header-rows>\n")
	styles, checks := make([]string, len(sheet.Columns)), make([]string, len(sheet.Columns))
	for n, c := range sheet.Columns {
		styles[n] = c.odsStyle()
		if len(c.Choices) > 0 {
			checks[n] = ` table:content-validation-name="` + validation(s, n) + `"`
		}
	}
	rows := 0
	for ; sheet.Next != nil && o.err == nil; rows++ {
		row, err := sheet.Next()
		if err == io.EOF {
			break
		}
		if err == nil && rows == MostBookRows {
			err = tooManyRows()
		}
		if err != nil {
			o.err = err
			return
		}
		o.put(`<table:table-row>`)
		for at, c := range row.Cells {
			note, noted := row.Notes[at]
			switch {
			case noted:
				o.cell(c, "noted", checks[at], note)
			case c == "":
				o.put(`<table:table-cell table:style-name="`, styles[at], `"`, checks[at], `/>`)
			default:
				o.value(c, sheet.Columns[at].Holds, styles[at], checks[at])
			}
		}
		o.put("</table:table-row>\n")
	}
	if empty := min(rowsToFill, MostBookRows-rows); empty > 0 && len(sheet.Columns) > 0 {
		o.put(`<table:table-row table:number-rows-repeated="`, strconv.Itoa(empty), `">`)
		for at := range sheet.Columns {
			o.put(`<table:table-cell table:style-name="`, styles[at], `"`, checks[at], `/>`)
		}
		o.put(`</table:table-row>`)
	}
	o.put("</table:table>\n")
}

func (c BookColumn) odsStyle() string {
	switch c.Holds {
	case Texts:
		return "text"
	case Numbers:
		if c.Digits > 0 && c.Digits < 7 {
			return "number" + strconv.Itoa(c.Digits)
		}
	}
	return string(c.Holds)
}

// value puts a filled cell of its kind.
func (o *odsBook) value(s string, holds Holds, style, check string) {
	kind := ""
	switch holds {
	case Numbers:
		if f, ok := number(s); ok {
			kind = `float" office:value="` + strconv.FormatFloat(f, 'f', -1, 64)
		}
	case Days, Moments:
		if t, ok := day(s, holds); ok {
			layout := time.DateOnly
			if holds == Moments {
				layout = "2006-01-02T15:04:05"
			}
			kind = `date" office:date-value="` + t.Format(layout)
		}
	}
	if kind == "" {
		o.cell(s, style, check, "")
		return
	}
	o.put(`<table:table-cell table:style-name="`, style, `"`, check, ` office:value-type="`, kind, `"><text:p>`)
	o.text(s)
	o.put(`</text:p></table:table-cell>`)
}

// cell puts a text with a note.
func (o *odsBook) cell(s, style, check, note string) {
	o.put(`<table:table-cell table:style-name="`, style, `"`, check, ` office:value-type="string">`)
	if note != "" {
		if o.notes++; o.notes <= mostBookNotes {
			o.put(`<office:annotation svg:width="8cm">`)
			o.paragraphs(note)
			o.put(`</office:annotation>`)
		}
	}
	o.paragraphs(cutCell(s))
	o.put(`</table:table-cell>`)
}

// paragraphs puts a text, each line of it a paragraph; blanks that XML would take
// together are counted.
func (o *odsBook) paragraphs(s string) {
	for line := range strings.SplitSeq(s, "\n") {
		o.put(`<text:p>`)
		for n, part := range strings.Split(line, "\t") {
			if n > 0 {
				o.put(`<text:tab/>`)
			}
			for part != "" {
				word := strings.TrimLeft(part, " ")
				if blanks := len(part) - len(word); blanks > 0 {
					o.put(`<text:s text:c="`, strconv.Itoa(blanks), `"/>`)
				}
				end := strings.Index(word, "  ")
				if end < 0 {
					end = len(strings.TrimRight(word, " "))
				}
				o.text(word[:end])
				part = word[end:]
			}
		}
		o.put(`</text:p>`)
	}
}

// plainSheet puts a sheet of texts.
func (o *odsBook) plainSheet(name, style string, rows int, row func(n int) []string) {
	o.put(`<table:table table:style-name="`, style, `" table:name="`, name,
		`"><table:table-column table:style-name="wide"/>`)
	for n := range rows {
		o.put(`<table:table-row>`)
		for _, c := range row(n) {
			o.cell(strings.TrimSpace(c), "text", "", "")
		}
		o.put(`</table:table-row>`)
	}
	o.put("</table:table>\n")
}

// lists puts what drop-downs offer, a column for each.
func (o *odsBook) lists(book Book) {
	var columns [][]string
	rows := 0
	for _, sheet := range book.Sheets {
		for _, c := range sheet.Columns {
			if len(c.Choices) > 0 {
				columns = append(columns, c.Choices)
				rows = max(rows, len(c.Choices))
			}
		}
	}
	o.plainSheet(listsSheet, "hidden", rows, func(n int) []string {
		row := make([]string, len(columns))
		for at, c := range columns {
			if n < len(c) {
				row[at] = c[n]
			}
		}
		return row
	})
}
