// Package sheets reads sheets of which somebody has said what they are and what their columns hold. The weights of
// record types are learned from them, and the tests look how well they are read.
package sheets

import (
	"bufio"
	"fmt"
	"io"
	"strings"

	"uchi/internal/core/sheet"
)

// Sheet is a sheet with the record types that it may be taken for and the fields that each of its columns may go to, as
// "phone/mobile", "-" for none and "family_name+given_name" for several at once.
type Sheet struct {
	Types   []string
	About   string // types, a language, and what it is
	Columns []sheet.Column
	Fields  []string // by column
}

// Read reads sheets, of which each is a line "== contact+account en: what it is" and a line for each column: its header,
// its fields and its cells, parted by "|". Blank lines and those that begin with "//" are left out. Of a line that is neither
// it gives an error that names the line.
func Read(r io.Reader) (list []Sheet, err error) {
	var headers []string
	var rows [][]string
	finish := func() {
		if len(list) == 0 {
			return
		}
		p := sheet.NewProfiler(headers)
		for n, cells := range rows {
			p.Add(sheet.Row{Number: int64(n + 2), Cells: cells})
		}
		list[len(list)-1].Columns, _ = p.Profile()
		headers, rows = nil, nil
	}
	lines := bufio.NewScanner(r)
	for number := 1; lines.Scan(); number++ {
		line := lines.Text()
		if about, ok := strings.CutPrefix(line, "== "); ok {
			finish()
			types, _, _ := strings.Cut(about, " ")
			list = append(list, Sheet{Types: strings.Split(types, "+"), About: about})
			continue
		}
		if line == "" || strings.HasPrefix(line, "//") {
			continue
		}
		parts := strings.Split(line, "|")
		if len(parts) < 2 || len(list) == 0 {
			return nil, fmt.Errorf("line %d: %q is no column of a sheet: write header|field|cells, below a line == type", number, line)
		}
		headers = append(headers, parts[0])
		list[len(list)-1].Fields = append(list[len(list)-1].Fields, parts[1])
		for n, cell := range parts[2:] {
			if n == len(rows) {
				rows = append(rows, nil)
			}
			rows[n] = append(rows[n], cell)
		}
	}
	finish()
	return list, lines.Err()
}
