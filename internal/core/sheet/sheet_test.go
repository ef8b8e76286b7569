package sheet

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"io"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/fault"

	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
)

func source(text string) Source {
	return Source{Name: "test.csv", Size: int64(len(text)), ReaderAt: strings.NewReader(text)}
}

// readAll detects and reads a source the way an import does.
func readAll(text string, set Reading) (header []string, rows []Row, err error) {
	src := source(text)
	reading, _, err := Detect(src, set)
	if err != nil {
		return nil, nil, err
	}
	t, err := Open(src, reading, DefaultLimits)
	if err != nil {
		return nil, nil, err
	}
	for {
		r, err := t.Next()
		if err == io.EOF {
			return t.Header, rows, nil
		}
		if err != nil {
			return t.Header, rows, err
		}
		rows = append(rows, Row{Number: r.Number, Cells: slices.Clone(r.Cells)})
	}
}

func TestReadDialects(t *testing.T) {
	latin, _ := charmap.Windows1252.NewEncoder().String("Navn;By\nÅse;Kalvøya – øst\n")
	wide, _ := unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewEncoder().String("Navn\tBy\nÅse\tKalvøya\n")
	for name, c := range map[string]struct {
		text   string
		set    Reading
		header []string
		rows   []Row
	}{
		"comma": {"a,b\n1,2\n", Reading{}, []string{"a", "b"}, []Row{{Number: 2, Cells: []string{"1", "2"}}}},
		"semicolon": {"a;b\n1,5;2\n", Reading{}, []string{"a", "b"},
			[]Row{{Number: 2, Cells: []string{"1,5", "2"}}}},
		"tab": {"a\tb\n1\t2\n", Reading{}, []string{"a", "b"}, []Row{{Number: 2, Cells: []string{"1", "2"}}}},
		"bar": {"a|b\r\n1|2\r\n", Reading{}, []string{"a", "b"},
			[]Row{{Number: 2, Cells: []string{"1", "2"}}}},
		"carriage returns": {"a,b\r1,2\r3,4", Reading{}, []string{"a", "b"},
			[]Row{{Number: 2, Cells: []string{"1", "2"}}, {Number: 3, Cells: []string{"3", "4"}}}},
		"byte order mark": {"\ufeffa,b\n1,2\n", Reading{}, []string{"a", "b"},
			[]Row{{Number: 2, Cells: []string{"1", "2"}}}},
		"quotes": {"a,b\n\"x, \"\"y\"\"\",\"line\nbreak\"\n3,4\n", Reading{}, []string{"a", "b"},
			[]Row{{Number: 2, Cells: []string{`x, "y"`, "line\nbreak"}}, {Number: 3, Cells: []string{"3", "4"}}}},
		"a quote inside": {"a,b\n5' 6\" tall,2\n", Reading{}, []string{"a", "b"},
			[]Row{{Number: 2, Cells: []string{`5' 6" tall`, "2"}}}},
		"an undoubled quote": {"a,b\n\"the \"Gull\" pier\",2\n", Reading{}, []string{"a", "b"},
			[]Row{{Number: 2, Cells: []string{`the "Gull" pier`, "2"}}}},
		"blank lines": {"a,b\n\n1,2\n,\n\n3,4\n", Reading{}, []string{"a", "b"},
			[]Row{{Number: 3, Cells: []string{"1", "2"}}, {Number: 6, Cells: []string{"3", "4"}}}},
		"sep line": {"sep=;\na;b\n1;2\n", Reading{}, []string{"a", "b"},
			[]Row{{Number: 2, Cells: []string{"1", "2"}}}},
		"ragged": {"a,b\n1\n1,2,3\n", Reading{}, []string{"a", "b"},
			[]Row{{Number: 2, Cells: []string{"1"}}, {Number: 3, Cells: []string{"1", "2", "3"}}}},
		"title rows": {"Brightmooring customers,,\nas of May,,\n,,\nName,Town,Mail\nA,B,c@d.example\n" +
			"E,F,g@h.example\n", Reading{}, []string{"Name", "Town", "Mail"},
			[]Row{{Number: 5, Cells: []string{"A", "B", "c@d.example"}}, {Number: 6, Cells: []string{"E", "F", "g@h.example"}}}},
		"years as headers": {"Sales of the north\nName,Town,2024,2025\nTern,Os,12,14.5\nSkarv,Moss,7,8\n", Reading{},
			[]string{"Name", "Town", "2024", "2025"}, []Row{
				{Number: 3, Cells: []string{"Tern", "Os", "12", "14.5"}}, {Number: 4, Cells: []string{"Skarv", "Moss", "7", "8"}}}},
		"years as values": {"Boats of the north\n\nTern,Os,2019,2021\nSkarv,Moss,2020,2022\n", Reading{HeaderRow: 3},
			[]string{"Tern", "Os", "2019", "2021"}, []Row{
				{Number: 4, Cells: []string{"Skarv", "Moss", "2020", "2022"}}}},
		"header by hand": {"x,y\na,b\n1,2\n", Reading{HeaderRow: 2}, []string{"a", "b"},
			[]Row{{Number: 3, Cells: []string{"1", "2"}}}},
		"last row by hand": {"a,b\n1,2\n3,4\nTotal,6\n", Reading{LastRow: 3}, []string{"a", "b"},
			[]Row{{Number: 2, Cells: []string{"1", "2"}}, {Number: 3, Cells: []string{"3", "4"}}}},
		"duplicate and empty": {"a,a,,b,\n1,2,3,4\n", Reading{}, []string{"a", "a (2)", "Column C", "b"},
			[]Row{{Number: 2, Cells: []string{"1", "2", "3", "4"}}}},
		"windows-1252": {latin, Reading{}, []string{"Navn", "By"},
			[]Row{{Number: 2, Cells: []string{"Åse", "Kalvøya – øst"}}}},
		"utf-16": {wide, Reading{}, []string{"Navn", "By"},
			[]Row{{Number: 2, Cells: []string{"Åse", "Kalvøya"}}}},
		"nul bytes": {"a,b\nx\x00y,2\n", Reading{}, []string{"a", "b"},
			[]Row{{Number: 2, Cells: []string{"x\u2400y", "2"}}}},
		"bytes of no encoding": {"a,b\n" + strings.Repeat("å,ø\n", 400) + "\xff,2\n", Reading{Encoding: "utf-8"},
			[]string{"a", "b"}, nil},
		"count below": {"Name,Town,Tel,Note\nA,x,1,\nB,y,2,\nTotal marinas: 2 rows,,,\n", Reading{},
			[]string{"Name", "Town", "Tel", "Note"}, []Row{{Number: 2, Cells: []string{"A", "x", "1", ""}},
				{Number: 3, Cells: []string{"B", "y", "2", ""}}}},
		"called like totals": {"Name,Town,Tel,Note\nA,x,1,\nTotal: Marine,,,\n", Reading{},
			[]string{"Name", "Town", "Tel", "Note"}, []Row{{Number: 2, Cells: []string{"A", "x", "1", ""}},
				{Number: 3, Cells: []string{"Total: Marine", "", "", ""}}}},
		"totals below": {"Name,Sum,Town\nA,1,x\nB,2,y\nTotal,3,\n", Reading{}, []string{"Name", "Sum", "Town"},
			[]Row{{Number: 2, Cells: []string{"A", "1", "x"}}, {Number: 3, Cells: []string{"B", "2", "y"}}}},
		"a record called so": {"Name,Sum,Town\nA,1,x\nTotal,3,y\nB,2,y\n", Reading{}, []string{"Name", "Sum", "Town"},
			[]Row{{Number: 2, Cells: []string{"A", "1", "x"}}, {Number: 3, Cells: []string{"Total", "3", "y"}},
				{Number: 4, Cells: []string{"B", "2", "y"}}}},
		"a total in a sentence": {"Name,Sum,Town,Note\nA,1,x,\n,,,\nTotal,,,\n", Reading{},
			[]string{"Name", "Sum", "Town", "Note"}, []Row{{Number: 2, Cells: []string{"A", "1", "x", ""}}}},
		"no quoting": {"a,b\n\"x,2\n", Reading{Quote: "none"}, []string{"a", "b"},
			[]Row{{Number: 2, Cells: []string{`"x`, "2"}}}},
	} {
		header, rows, err := readAll(c.text, c.set)
		if err != nil || !slices.Equal(header, c.header) {
			t.Errorf("%s: header %q, %v; want %q", name, header, err, c.header)
			continue
		}
		if c.rows == nil {
			if last := rows[len(rows)-1]; last.Cells[0] != "\ufffd" {
				t.Errorf("%s: last row %q", name, last.Cells)
			}
			continue
		}
		if !slices.EqualFunc(rows, c.rows,
			func(a, b Row) bool { return a.Number == b.Number && slices.Equal(a.Cells, b.Cells) }) {
			t.Errorf("%s: rows %v, want %v", name, rows, c.rows)
		}
	}
}

func TestBadSources(t *testing.T) {
	for name, c := range map[string]struct{ text, code string }{
		"empty":                {"", "empty_source"},
		"only white space":     {" \n\n ", "empty_source"},
		"a picture":            {"\x89PNG\r\n\x1a\n0000", "not_text"},
		"an archive":           {"PK\x03\x04aaaa", "bad_spreadsheet"},
		"bytes":                {strings.Repeat("\x01\x02\x03\x1b", 100), "not_text"},
		"quote never closed":   {"a,b\n1,\"2\n3,4\n", "quote_not_closed"},
		"ten thousand columns": {strings.Repeat("a,", 10_000) + "a\n", "too_many_columns"},
		"an endless cell":      {"a,b\n1," + strings.Repeat("x", 3<<20) + "\n", "cell_too_long"},
		"an endless quote":     {"a,b\n1,\"" + strings.Repeat("x\n", 2<<20) + "\n", "cell_too_long"},
	} {
		_, _, err := readAll(c.text, Reading{})
		f, ok := fault.From(err)
		if !ok || f.Code != c.code || f.Mend == "" {
			t.Errorf("%s: %v, want %s with a remedy", name, err, c.code)
		}
	}
	_, _, err := readAll("a,b\n1,2\n3,\"4\n", Reading{})
	if f, _ := fault.From(err); f == nil || f.Place.Row != 3 || f.Place.Column != "B" {
		t.Errorf("the place of an unclosed quote: %+v", f)
	}
	for _, set := range []Reading{{Encoding: "klingon"}, {Delimiter: ";;"}, {DateOrder: "sideways"}, {DecimalSign: "!"},
		{HeaderRow: 5, LastRow: 2}, {Zone: "Mars"}, {Country: "ZZ"}, {Country: "47"}} {
		if _, _, err := readAll("a,b\n1,2\n", set); !fault.Is(err, "bad_reading") {
			t.Errorf("%+v: %v, want bad_reading", set, err)
		}
	}
}

// The country of telephone numbers is said by its code; a name, or a code in other letters, is asked back.
func TestCountryOfTheReading(t *testing.T) {
	for said, want := range map[string]string{"": "", "NO": "", "GB": "", "no": "NO", "UK": "GB", "Norge": "NO"} {
		err := Reading{Country: said}.Check()
		if want == "" && err != nil || want != "" && (err == nil || !strings.Contains(err.Error(), "Is "+want+" meant?")) {
			t.Errorf("country %q: %v, want %q", said, err, want)
		}
	}
}

// A column tells how its percentages are written, and when it writes them in two ways.
func TestPercentsOfAColumn(t *testing.T) {
	for cells, want := range map[string]string{"0.5 0.25 1 0": "of_one", "50 25 100 0": "of_hundred",
		"50 0.25 100": "mixed", "0,5 0,1": "of_one", "0 1 1": "", "50% 25%": "", "a b": ""} {
		p := NewProfiler([]string{"chance"})
		for n, c := range strings.Fields(cells) {
			p.Add(Row{Number: int64(n + 2), Cells: []string{c}})
		}
		if cols, _ := p.Profile(); cols[0].Percents != want {
			t.Errorf("%s: %q, want %q", cells, cols[0].Percents, want)
		}
	}
}

// Amounts with letters beside them tell of the decimal sign too.
func TestDecimalSignBesideLetters(t *testing.T) {
	for cells, want := range map[string]string{"7,5|VND 500,000,000": "", "VND 500,000,000|12": ".",
		"1.250,00 kr|NOK 12": ",", "Pier 5|Room b": "", "7,5|20 USD": ","} {
		p := NewProfiler([]string{"sum"})
		for n, c := range strings.Split(cells, "|") {
			p.Add(Row{Number: int64(n + 2), Cells: []string{c}})
		}
		if cols, _ := p.Profile(); cols[0].DecimalSign != want {
			t.Errorf("%s: %q, want %q", cells, cols[0].DecimalSign, want)
		}
	}
}

// A quote that is opened and never closed does not swallow the rows behind it; text of
// several lines that only looks a little like rows stays a cell.
func TestLooseQuotes(t *testing.T) {
	long := strings.Repeat("x,y,z\n", 400_000)
	for name, c := range map[string]struct {
		text  string
		loose int64 // the row that has it
		rows  int
		cell  string // its second cell
	}{
		"up to the next quoted cell": {"a,b,c\n1,\"two,3\n4,5,6\n7,\"eight\",9\n", 2, 3, `"two`},
		"up to the end":              {"a,b,c\n1,\"two,3\n4,5,6\n7,8,9\n", 2, 3, `"two`},
		"up to the limit of a cell":  {"a,b,c\n1,\"two,3\n" + long, 2, 400_001, `"two`},
		"inches behind it":           {"a,b,c\n1,\"two,3\n4,12\" pipe,6\n7,\"eight\",9\n", 2, 3, `"two`},
		"lines of a text": {"a,b,c\n1,\"dear all,\nyes, or no\nlater, he said,\"well\" and left\",3\n", 0,
			1, "dear all,\nyes, or no\nlater, he said,\"well\" and left"},
		"a quoted text of rows": {"a,b,c\n1,\"x,y,z\n1,2,3\n4,5,6\",3\n", 0, 1, "x,y,z\n1,2,3\n4,5,6"},
	} {
		table, err := Open(source(c.text), Reading{Encoding: "utf-8", Delimiter: ",", HeaderRow: 1}, DefaultLimits)
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		rows, loose, cell := 0, int64(0), ""
		for {
			row, err := table.Next()
			if err != nil {
				if err != io.EOF {
					t.Errorf("%s: %v", name, err)
				}
				break
			}
			if rows++; row.Number == 2 {
				cell = row.Cells[1]
			}
			if row.LooseQuote {
				loose = row.Number
			}
		}
		if rows != c.rows || loose != c.loose || cell != c.cell {
			t.Errorf("%s: %d rows, %d has a loose quote, %q; want %d, %d, %q", name, rows, loose, cell, c.rows, c.loose, c.cell)
		}
	}
	p := NewProfiler([]string{"a", "b", "c", "d"})
	for n, cell := range []string{"1,2,3,4\n5,6,7,8\n9,0", "\n1;2;3;4\n5;6;7;8\n",
		"dear all,\nyes, or no, or, well\nbye"} {
		p.Add(Row{Number: int64(n + 2), Cells: []string{"x", cell}})
	}
	if _, notices := p.Profile(); len(notices) != 1 || notices[0].Code != "rows_in_cell" || notices[0].Row != 3 ||
		notices[0].Count != 1 {
		t.Errorf("cells that hold rows: %+v", notices)
	}
}

// What a CSV writer writes comes back, cell by cell, whatever stands in it.
func TestWrittenRowsComeBack(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	letters := []rune("ab ,;\t|\"'\n\r\nøΩ漢0")
	for round := range 300 {
		var want [][]string
		width := 2 + r.IntN(5)
		for n := range 1 + r.IntN(8) {
			row := make([]string, width)
			for i := range row {
				b := make([]rune, r.IntN(9))
				for j := range b {
					b[j] = letters[r.IntN(len(letters))]
				}
				row[i] = strings.ReplaceAll(string(b), "\r", "")
			}
			row[0] = fmt.Sprint("k", n) // no row is blank
			want = append(want, row)
		}
		var buf bytes.Buffer
		w := csv.NewWriter(&buf)
		w.Comma = []rune{',', ';', '\t', '|'}[r.IntN(4)]
		w.UseCRLF = r.IntN(2) == 0
		if err := w.WriteAll(want); err != nil {
			t.Fatal(err)
		}
		d := newDelimitedText(source(buf.String()), bytes.NewReader(buf.Bytes()), Reading{Delimiter: string(w.Comma)},
			DefaultLimits)
		for n, row := range want {
			got, err := d.Next()
			if err != nil {
				t.Fatalf("round %d, row %d: %v\n%q", round, n, err, buf.String())
			}
			for i, cell := range got.Cells { // CRLF endings are written into cells too
				got.Cells[i] = strings.ReplaceAll(cell, "\r\n", "\n")
			}
			if !slices.Equal(got.Cells, row) {
				t.Fatalf("round %d, row %d: got %q, want %q\n%q", round, n, got.Cells, row, buf.String())
			}
		}
	}
}

func TestProfile(t *testing.T) {
	p := NewProfiler([]string{"mail", "day", "sum", "kind", "open", "none"})
	for n := range 1000 {
		p.Add(Row{Number: int64(n + 2), Cells: []string{fmt.Sprintf("p%d@x.example", n),
			fmt.Sprintf("%02d/03/2026", n%28+1), fmt.Sprintf("%d,50", n), []string{"hot", "cold"}[n%2],
			fmt.Sprintf("%02d/%02d/2026", n%12+1, n%11+1), ""}})
	}
	p.Add(Row{Number: 1002, Cells: []string{"", "", "", "", "", "", "too much"}})
	cols, notices := p.Profile()
	type seen struct {
		guess, order, sign, unsettled string
		filled, distinct              int64
	}
	want := []seen{{"email", "", "", "", 1000, 1000}, {"date", "day_first", "", "", 1000, 28},
		{"number", "", ",", "", 1000, 1000}, {"text", "", "", "", 1000, 2}, {"date", "", "", "date_order", 1000, 132},
		{"", "", "", "", 0, 0}}
	for i, w := range want {
		c := cols[i]
		got := seen{c.Guess, c.DateOrder, c.DecimalSign, c.Unsettled, c.Filled, c.Distinct}
		if w.distinct > topKept { // estimated within a few per cent
			if d := got.distinct - w.distinct; d < -50 || d > 50 {
				t.Errorf("%s: about %d different, want %d", c.Header, got.distinct, w.distinct)
			}
			got.distinct = w.distinct
		}
		if got != w {
			t.Errorf("%s: %+v, want %+v", c.Header, got, w)
		}
	}
	if cols[3].Top[0] != (Count{"cold", 500}) {
		t.Errorf("most frequent: %+v", cols[3].Top)
	}
	if len(notices) != 1 || notices[0].Code != "ragged_rows" || notices[0].Row != 1002 {
		t.Errorf("notices: %+v", notices)
	}
}

func TestLetters(t *testing.T) {
	for i, want := range map[int]string{0: "A", 25: "Z", 26: "AA", 701: "ZZ", 702: "AAA"} {
		if got := Letter(i); got != want {
			t.Errorf("%d: %s, want %s", i, got, want)
		}
	}
}

// No bytes whatsoever bring the reader down, and every row that comes has a
// number above the one before and cells that text can carry.
func FuzzRead(f *testing.F) {
	for _, s := range []string{"a,b\n1,2\n", "sep=;\na;b\n\"x\"\"y\";2\n", "\ufeffa\tb\r\n1\t2",
		"\xff\xfea\x00,\x00b\x00", "a,b\n\"open", "PK\x03\x04", "a,a,,\n1,2,3,4,5\n", "\xe5;\xf8\n1;2\n"} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		src := Source{Name: "fuzz", Size: int64(len(b)), ReaderAt: bytes.NewReader(b)}
		reading, _, err := Detect(src, Reading{})
		if err != nil {
			return
		}
		var p *Profiler
		through(t, src, reading, func(header []string, row Row) {
			if p == nil {
				p = NewProfiler(header)
			}
			for _, c := range row.Cells {
				if strings.ContainsRune(c, 0) || !strings.Contains(strings.ToValidUTF8(c, "\x00"), c) {
					t.Fatalf("row %d has a cell that text cannot carry: %q", row.Number, c)
				}
			}
			p.Add(row)
		})
		if p != nil {
			p.Profile()
		}
	})
}

// through reads a source to its end, if it can be read, whose rows count up.
func through(t *testing.T, src Source, reading Reading, each func(header []string, row Row)) {
	t.Helper()
	table, err := Open(src, reading, Limits{CellBytes: 1 << 16, Columns: 100, RowBytes: 1 << 18})
	if err != nil {
		return
	}
	last := int64(0)
	for {
		row, err := table.Next()
		if err != nil {
			return
		}
		if row.Number <= last {
			t.Fatalf("row %d after row %d", row.Number, last)
		}
		last = row.Number
		each(table.Header, row)
	}
}

// Text that was decoded wrongly before is told, in whichever column, and is read as it
// was meant when that is chosen.
func TestMisreadText(t *testing.T) {
	src := source("Navn,FÃ¸dt\nÃ˜ksnes,1980\nBerg,1975\nMÃ¼ller,1961\n")
	header, rows, _, err := readSource(src, Reading{})
	ok(t, err)
	p := NewProfiler(header)
	for _, r := range rows {
		p.Add(r)
	}
	_, notices := p.Profile()
	if len(notices) != 1 || notices[0].Code != "misread_text" || notices[0].Count != 2 || notices[0].Column != "Navn" {
		t.Errorf("%+v", notices)
	}
	header, rows, _, err = readSource(src, Reading{Misread: MendMisread})
	ok(t, err)
	if header[1] != "Født" || rows[0].Cells[0] != "Øksnes" || rows[2].Cells[0] != "Müller" {
		t.Errorf("%q %v", header, rows)
	}
	if err := (Reading{Misread: "perhaps"}).Check(); err == nil {
		t.Error("a wrong choice is taken")
	}
}

// The order of days is decided by the whole column also where a weekday or a time of day stands
// beside them.
func TestTheOrderOfDaysBesideTimes(t *testing.T) {
	for cells, want := range map[string]string{
		"11/12/2026 09:14 AM|11/13/2026 02:05 PM": "month_first", "11-12-2026 kl. 10.30|13-12-2026 kl. 9.00": "day_first",
		"Fri 11/12/2026|Sun 13/12/2026":         "day_first",
		"11/12/2026 à 10h30|13/12/2026 à 11h00": "day_first", "11/12/2026 10:30|12/31/2026 10:30:15": "month_first",
		"11/12/2026 10:30 Uhr|11/10/2026 9:30 Uhr": "", "Quay 11/12/2026-7|Quay 13/12/2026-8": "",
		// Dots are day first by themselves, and say nothing of dates with strokes.
		"11.12.2026|1.10.2026": "day_first", "11.12.2026|12/1/26": "", "31.12.2026|12/1/26": "",
		"31/12/2026|12.1.2026|12/1/26": "day_first", "11.12.2026|12/31/26": "",
		// Figures alone have an order where nearly all are days in that, and in no other.
		"800403|751224|690101|031130": "year_first", "040380|241275|010169|301103": "day_first",
		"040380|122475|010169|113003": "month_first", "03041980|24121975|01011969|00000000": "day_first",
		"19800403|19751224|19690101": "year_first", "040308|050407|010225": "", "800403|751224": "",
		"110001|560034|400076|600017": "", "482913|730028|990071": "", "800403|751224|690101|n/k|see file": "",
	} {
		p := NewProfiler([]string{"When"})
		for n, c := range strings.Split(cells, "|") {
			p.Add(Row{Number: int64(n + 2), Cells: []string{c}})
		}
		columns, _ := p.Profile()
		if columns[0].DateOrder != want {
			t.Errorf("%s: %q, want %q", cells, columns[0].DateOrder, want)
		}
		if asked := columns[0].Unsettled == "date_order"; strings.HasPrefix(cells, "040308") != asked && !strings.ContainsAny(cells, "/.-") {
			t.Errorf("%s: asked %v", cells, asked)
		}
	}
}

// What programs have done to cells is told with how many there are, where the first stands and what it says; what people
// write is not.
func TestHarmedCellsAreNoticed(t *testing.T) {
	p := NewProfiler([]string{"Name", "Phone", "Staff"})
	for n, cells := range [][]string{
		{"Quay Ltd", "+47 55 11 22 33", "12"}, {"Tern AS", "4.91E+11", "#REF!"}, {"# 4", " 4,92E+11 ", "#N/A"}, {"Errol", "E-mail", "1.5E+1"},
	} {
		p.Add(Row{Number: int64(n + 2), Cells: cells})
	}
	_, notices := p.Profile()
	said := map[string]Notice{}
	for _, n := range notices {
		said[n.Code] = n
	}
	for code, want := range map[string]Notice{
		"formula_errors":    {Column: "Staff", Row: 3, Count: 2, Message: "#REF!"},
		"shortened_numbers": {Column: "Phone", Row: 3, Count: 2, Message: "4.91E+11"},
	} {
		got := said[code]
		if got.Column != want.Column || got.Row != want.Row || got.Count != want.Count || !strings.Contains(got.Message, want.Message) {
			t.Errorf("%s: %+v, want %+v", code, got, want)
		}
	}
	if len(notices) != 2 {
		t.Errorf("the notices are %+v", notices)
	}
}
