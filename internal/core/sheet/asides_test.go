package sheet

import (
	"io"
	"slices"
	"strings"
	"testing"
)

// rowsOf reads a text as it is detected and gives its rows, joined, and the codes of notices.
func rowsOf(t *testing.T, text string, set Reading) (rows []string, notices map[string]Notice) {
	t.Helper()
	src := Source{Name: "x.csv", Size: int64(len(text)), ReaderAt: strings.NewReader(text)}
	reading, _, err := Detect(src, set)
	if err != nil {
		t.Fatal(err)
	}
	table, err := Open(src, reading, DefaultLimits)
	if err != nil {
		t.Fatal(err)
	}
	defer table.Close()
	profile := NewProfiler(table.Header)
	for {
		row, err := table.Next()
		if err == io.EOF {
			break
		}
		if err != nil {
			t.Fatal(err)
		}
		profile.Add(row)
		rows = append(rows, itoa(int(row.Number))+" "+strings.Join(row.Cells, "|"))
	}
	notices = map[string]Notice{}
	_, list := profile.Profile()
	for _, n := range append(list, table.Rest()...) {
		notices[n.Code] = n
	}
	return rows, notices
}

// A printed report has lines that are no records; each kind is left out and said.
func TestRowsThatAreNoRecordsAreLeftOut(t *testing.T) {
	report := `# Berths, printed 2026-11-20
Company;Town;Phone;E-mail;Revenue
# Norway
Fjordlys Marin AS;Bergen;55 21 44 10;post@fjordlys.example;1.250.000,00
Total Marine AS;Bergen;55 21 44 11;post@total.example;9.000,00
Subtotal Norway;;;;1.259.000,00
Page 1 of 2;;;;
Company;Town;Phone;E-mail;Revenue
Tidewerft KG;Emden;04921 8044;post@tidewerft.example;5.580.500,00
Germany Total;;;;5.580.500,00
Quay 9;Kiel;;;
Grand total;;;;6.839.500,00
`
	rows, notices := rowsOf(t, report, Reading{})
	var first []string
	for _, r := range rows {
		name, _, _ := strings.Cut(r, "|")
		first = append(first, name)
	}
	if want := []string{"4 Fjordlys Marin AS", "5 Total Marine AS", "9 Tidewerft KG",
		"11 Quay 9"}; !slices.Equal(first, want) {
		t.Errorf("rows: %q, want %q", first, want)
	}
	for code, want := range map[string][2]int64{"comment_lines": {1, 2}, "header_again": {8, 1}, "page_line": {7, 1},
		"totals_row": {6, 3}} {
		if n := notices[code]; n.Row != want[0] || n.Count != want[1] {
			t.Errorf("%s: first in row %d, %d rows; want %v", code, n.Row, n.Count, want)
		}
	}
	all, notices := rowsOf(t, report, Reading{Asides: ReadAsides, Comment: "none"})
	if len(all) != 10 || len(notices) > 1 {
		t.Errorf("read like the others: %d rows, %v", len(all), notices)
	}
}

// What is said below a table about it is no record, in a narrow table too; a record of which
// only the name is known is one.
func TestRemarksBelowATable(t *testing.T) {
	const table = "Company,Town,Employees\nHarbour Ltd,Leeds,12\nPier Ltd,York,5\nDock Ltd,Bath,8\n"
	for below, want := range map[string]struct {
		rows            int
		totals, remarks int64
	}{
		"\nGrand total,,25\nPrinted 12/03/2026 by Anna\n":    {3, 1, 1},
		"Total,,25\nall figures of last year\nsee the web\n": {3, 1, 2},
		"\nSource: the chamber of trade\n* estimated\n":      {3, 0, 2},
		"\nStand 31.12.2026\n":                               {3, 0, 1},
		"\nStand Boats Ltd,Hull,\n":                          {4, 0, 0},
		"\nQuay 9 Ltd,,\n":                                   {4, 0, 0},
		"\nNote,,\n":                                         {4, 0, 0},
		"Printed Matter Ltd,,\n":                             {4, 0, 0},
		"\nPrinted Matter Ltd,,\nLock Ltd,Ely,4\n":           {5, 0, 0},
		"Total,40,25\n":                                      {3, 1, 0},
		"Total,Paris,900\n":                                  {4, 0, 0},
		"Total,,900\nLock Ltd,Ely,4\n":                       {5, 0, 0},
	} {
		rows, notices := rowsOf(t, table+below, Reading{})
		if len(rows) != want.rows || notices[totalsRow].Count != want.totals || notices[noteLine].Count != want.remarks {
			t.Errorf("%q: %d rows, %v; want %+v", below, len(rows), notices, want)
		}
	}
	if rows, _ := rowsOf(t, table+"\nSource: the chamber of trade\n", Reading{Asides: ReadAsides}); len(rows) != 4 {
		t.Errorf("read like the others: %q", rows)
	}
}

// Below a gap, words above columns of other kinds are the header of another table.
func TestAnotherTableIsNotReadAsRowsOfTheFirst(t *testing.T) {
	companies := "No;Company;Town;Since\nK-1;Fjordlys Marin AS;Bergen;2019-02-01\nK-2;Tidewerft KG;Emden;2020-05-09\n"
	for name, c := range map[string]struct {
		below string
		rows  int
		at    int64
	}{
		"under a title": {"\n\nPeople;;;\nFirst name;Last name;No;E-mail\nSigrid;Aune;K-1;sigrid@fjordlys.example\n" +
			"Anke;Siebels;K-2;anke@tidewerft.example\n", 2, 7},
		"narrower": {"\nPerson;E-mail\nSigrid Aune;sigrid@fjordlys.example\n" +
			"Anke Siebels;anke@tidewerft.example\n", 2, 5},
		"more rows of the first": {"\nK-3;Porto Sereno;Savona;2021-01-01\nK-4;Quai;Brest;2021-02-01\n", 4, 0},
		"a row with a remark":    {"\nK-x;Porto Sereno;Savona;pending\nK-4;Quai;Brest;2021-02-01\n", 4, 0},
		"without a gap":          {"First;Last;No;E-mail\nSigrid;Aune;K-1;sigrid@fjordlys.example\n", 4, 0},
	} {
		rows, notices := rowsOf(t, companies+c.below, Reading{Delimiter: ";"})
		if n := notices["another_table"]; len(rows) != c.rows || n.Row != c.at {
			t.Errorf("%s: %d rows, another table in row %d; want %d and %d: %q", name, len(rows), n.Row, c.rows, c.at, rows)
		}
	}
	rows, _ := rowsOf(t, companies+"\nPerson;E-mail\nSigrid Aune;sigrid@fjordlys.example\n", Reading{HeaderRow: 5})
	if len(rows) != 1 {
		t.Errorf("by itself: %q", rows)
	}
}

func TestHeadingsOfGroupsAreNoticed(t *testing.T) {
	sheet := "Company;Town;Phone;E-mail\nNorway;;;\nFjordlys;Bergen;55214410;a@b.example\n" +
		"Havnesund;Oslo;55214411;c@b.example\nGermany;;;\nTidewerft;Emden;0492180;d@b.example\n" +
		"Wellen;Kiel;0492181;e@b.example\nQuay;Kiel;0492182;f@b.example\nPier;Kiel;0492183;g@b.example\n"
	if _, notices := rowsOf(t, sheet, Reading{}); notices["lone_cells"].Count != 2 || notices["lone_cells"].Row != 2 {
		t.Errorf("%+v", notices["lone_cells"])
	}
}

func TestAGapBetweenTablesSideBySideIsNoticed(t *testing.T) {
	_, notices := rowsOf(t, "Company;Town;;Name;E-mail\nFjordlys;Bergen;;Sigrid;a@b.example\n"+
		"Tidewerft;Emden;;Anke;c@b.example\n", Reading{})
	if n := notices["gap_column"]; n.Column != "Column C" {
		t.Errorf("%+v", notices)
	}
	_, notices = rowsOf(t, "Company;Town;Fax;Name\nFjordlys;Bergen;;Sigrid\nTidewerft;Emden;;Anke\n", Reading{})
	if _, said := notices["gap_column"]; said {
		t.Error("a column that has a header is no gap")
	}
}

// Databases write a backslash before a quote, and \N for nothing.
func TestEscapesAreReadAsMeant(t *testing.T) {
	for name, c := range map[string]struct {
		text, want string
		set        Reading
	}{
		"quotes": {"a,b,c\n1,\"the \\\"Kaia\\\" quay\",x\n2,y,z\n", "2 1|the \"Kaia\" quay|x", Reading{}},
		"at the end": {"a,b,c\n1,\"pipe of 5\\\" and 6\\\"\",x\n2,\"a \\\"b\\\" c\",z\n",
			"2 1|pipe of 5\" and 6\"|x", Reading{}},
		"nothing":          {"a,b,c\n1,\\N,x\n2,y,\\N\n", "2 1||x", Reading{}},
		"a folder":         {"a,b,c\n1,\"C:\\new\\\",x\n2,\"D:\\\",z\n", `2 1|C:\new\|x`, Reading{}},
		"a path beside":    {"a,b,c\n1,\\N,C:\\Users\n2,y,\\N\n", `2 1|\N|C:\Users`, Reading{}},
		"doubled":          {"a,b,c\n1,\"say \"\"C:\\dir\"\" now\",x\n2,y,z\n", `2 1|say "C:\dir" now|x`, Reading{}},
		"before delimiter": {"a,b,c\n1,left\\, right,x\n2,y,z\n", "2 1|left, right|x", Reading{Escape: `\`}},
		"line break":       {"a,b,c\n1,one\\ntwo,x\n2,y,z\n", "2 1|one\ntwo|x", Reading{Escape: `\`}},
		"none":             {"a,b,c\n1,\\N,x\n2,y,\\N\n", `2 1|\N|x`, Reading{Escape: "none"}},
	} {
		if rows, _ := rowsOf(t, c.text, c.set); len(rows) != 2 || rows[0] != c.want {
			t.Errorf("%s: %q, want %q", name, rows, c.want)
		}
	}
}

// The sign of a column of numbers is no comment.
func TestCommentsAreToldFromNumbers(t *testing.T) {
	for name, c := range map[string]struct {
		text string
		set  Reading
		rows int
	}{
		"a header of numbers":  {"#;Company;Town\n1;Fjordlys;Bergen\n2;Tidewerft;Emden\n", Reading{}, 2},
		"a company of numbers": {"Company;Town\nFjordlys;Bergen\n#1 Marine;Emden\n# a remark\n", Reading{}, 3},
		"remarks":              {"Company;Town\nFjordlys;Bergen\n# a remark\nTidewerft;Emden\n", Reading{}, 2},
		"a line of a cell": {"Company;Town;Note\n#1 Marine;Bergen;x\nFjordlys;Emden;\"two\n# lines\"\n" +
			"Tidewerft;Kiel;y\n", Reading{}, 3},
		"by hand": {"Company;Town\nFjordlys;Bergen\n!Wellen;Kiel\n", Reading{Comment: "!"}, 1},
	} {
		if rows, _ := rowsOf(t, c.text, c.set); len(rows) != c.rows {
			t.Errorf("%s: %q, want %d rows", name, rows, c.rows)
		}
	}
}

// Of two tables side by side one can be read: its columns keep their letters, and rows that are
// blank in it are none.
func TestSomeColumnsOfASheet(t *testing.T) {
	const text = "Company,Town,,First name,Surname,\nTern Marina,Ternvik,,Marit,Jørgensen,x\n" +
		"Gull Marina,Gullvik,,Anke,Petersen,\n,,,Jens,Wellenkamp,\n"
	for _, c := range []struct{ columns, rows string }{
		{"a:b", "2 Tern Marina|Ternvik; 3 Gull Marina|Gullvik"},
		{"D:", "2 Marit|Jørgensen|x; 3 Anke|Petersen|; 4 Jens|Wellenkamp|"},
		{"D:E", "2 Marit|Jørgensen; 3 Anke|Petersen; 4 Jens|Wellenkamp"},
	} {
		rows, notices := rowsOf(t, text, Reading{Columns: c.columns})
		if got := strings.Join(rows, "; "); got != c.rows || notices["gap_column"].Code != "" {
			t.Errorf("%s: %s %v", c.columns, got, notices)
		}
	}
	table, err := Open(Source{Name: "x.csv", Size: int64(len(text)), ReaderAt: strings.NewReader(text)},
		Reading{Columns: "B:D", HeaderRow: 1}, DefaultLimits)
	if err != nil || strings.Join(table.Header, "|") != "Town|Column C|First name" {
		t.Errorf("the names of columns: %v %v", table, err)
	}
	for _, bad := range []string{"D", "4:5", "D:B", ":", "A-D"} {
		if err := (Reading{Columns: bad}).Check(); err == nil {
			t.Errorf("%q is no range of columns", bad)
		}
	}
}

// The row below a header may say in what the columns are, and is no record then.
func TestARowOfUnits(t *testing.T) {
	for _, c := range []struct {
		text string
		rows int
	}{
		{"Company,Employees,Revenue,Since\n(legal name),FTE,k EUR,dd.mm.yyyy\nTern AS,12,1200,31.01.2027\n" +
			"Gull KG,40,5580,15.02.2027\n", 2},
		{"Name;Typ;Pflicht\ntext;text;j/n\nTern;Marina;ja\n", 1},
		{"Name,Country,Currency\nTern,NO,NOK\nGull,DE,EUR\n", 2},
		{"Country,Currency\nEUR,USD\nNOK,SEK\nEUR,GBP\n", 3}, // codes stand further down as well
		{"From,To\nEUR,USD\nGBP,NOK\nCHF,SEK\n", 3},
		{"Item,Unit\n(none),pcs\n", 1}, // nothing below
		{"Unit,Size\nkg,m\npcs,m\n", 2},
		{"Company,Town,Phone\n1,2,3\nTern,Oslo,55\nGull,Bergen,56\n", 2},
		{"Jan,Feb,Mar\n1,2,3\n2,3,4\n4,1,2\n", 3}, // they go on so
		{"Company,Town\n1,2\nTern,Oslo\n", 2},
	} {
		rows, notices := rowsOf(t, c.text, Reading{HeaderRow: 1})
		if len(rows) != c.rows || (notices["units_row"].Row == 2) != (strings.Count(c.text, "\n")-1 != c.rows) {
			t.Errorf("%q: %v %v", c.text, rows, notices)
		}
	}
	if rows, _ := rowsOf(t, "Deal;Sum;Close\n(text);EUR;dd.mm.yyyy\n1;2;3\nCrane;5;31.01.2027\n", Reading{}); len(rows) != 1 {
		t.Errorf("units and numbers: %v", rows)
	}
	if rows, _ := rowsOf(t, "A,B\n(x),kg\n1,2\n", Reading{HeaderRow: 1, Asides: ReadAsides}); len(rows) != 2 {
		t.Errorf("read like the others: %v", rows)
	}
}

// A header of two rows, of which the lower fills gaps of the upper, is one.
func TestHeaderOfTwoRows(t *testing.T) {
	known := func(cells []string) bool {
		return len(cells) > 1 && !slices.ContainsFunc(cells, func(c string) bool {
			return !slices.Contains([]string{"Street", "Postcode", "Town", "First", "Last", "Rep", "Mail"}, c)
		})
	}
	for _, c := range []struct{ text, header, rows string }{
		{"No,Company,Address,,,Turnover,Since\n,,Street,Postcode,Town,kEUR,\n1,a,b,01067,d,5,2020\n",
			"No|Company|Address Street|Address Postcode|Address Town|Turnover kEUR|Since", "3"},
		{"No,Contact,\n,First,Last\n1,a,b\n", "No|Contact First|Contact Last", "3"},
		// another table beside, and the header again
		{"No,Contact,,Note,,,\n,First,Last,,,Rep,Mail\n1,a,b\n,First,Last,,,Rep,Mail\n2,c,d\n",
			"No|Contact First|Contact Last|Note|Column E|Rep|Mail", "3 5"},
		// a number: a row of data
		{"No,Contact,,Town\n1,First,Last,Street\n2,a,b,c\n", "No|Contact|Column C|Town", "2 3"},
		// words that head no columns
		{"No,Contact,,Town\nx,Anna,Lie,Voss\ny,Kari,Moe,Bergen\n", "No|Contact|Column C|Town", "2 3"},
		// no gap
		{"No,First,Last,Town\n,Street,Town,\n1,a,b,c\n", "No|First|Last|Town", "2 3"},
		// a row between
		{"No,Contact,\n\n,First,Last\n1,a,b\n", "No|Contact", "3 4"},
	} {
		src := Source{Name: "x.csv", Size: int64(len(c.text)), ReaderAt: strings.NewReader(c.text)}
		for _, reading := range []Reading{{HeaderRow: 1}, {HeaderRow: 1, FirstRow: 2}} {
			table, err := Open(src, reading, DefaultLimits)
			if err != nil {
				t.Fatal(err)
			}
			table.JoinGroups(known)
			got := strings.Join(table.Header, "|")
			var rows []string
			for {
				row, err := table.Next()
				if err != nil {
					break
				}
				rows = append(rows, itoa(int(row.Number)))
			}
			if reading.FirstRow == 0 && (got != c.header || strings.Join(rows, " ") != c.rows) {
				t.Errorf("%q: %s; rows %v", c.text, got, rows)
			}
			if reading.FirstRow > 0 && strings.Contains(got, " First") {
				t.Errorf("%q: the row below the header was to be data: %s", c.text, got)
			}
			table.Close()
		}
	}
}

// Words above a header that stand over several columns each are joined to those of the columns,
// where they are known to head columns.
func TestWordsOverSeveralColumns(t *testing.T) {
	known := func(cells []string) bool {
		return !slices.ContainsFunc(cells,
			func(c string) bool { return c != "" && c != "Company" && c != "Contact" && c != "Billing address" })
	}
	for _, c := range []struct{ text, header string }{
		{",Company,,,Contact,\nNo.,Name,Town,Country,Name,E-mail\n1,a,b,c,d,e\n",
			"No.|Company Name|Company Town|Company Country|Contact Name|Contact E-mail"},
		{"Company,,Billing address,\nCompany,Town,Street,Town\na,b,c,d\n",
			"Company|Company Town|Billing address Street|Billing address Town"},
		// titles
		{"Customer list,,,Printed by me,\nName,Town,Country,Name,E-mail\na,b,c,d,e\n", "Name|Town|Country|Name (2)|E-mail"},
		{"Company,,\nName,Town,Country\na,b,c\n", "Name|Town|Country"},
		{"Company,Contact\nName,E-mail\na,b\n", "Name|E-mail"},
		// a row between
		{"Company,,,Contact,\n\nName,Town,Country,Name,E-mail\na,b,c,d,e\n", "Name|Town|Country|Name (2)|E-mail"},
	} {
		src := Source{Name: "x.csv", Size: int64(len(c.text)), ReaderAt: strings.NewReader(c.text)}
		row := int64(strings.Count(c.text[:strings.Index(c.text, "Name")+4], "\n") + 1)
		if strings.HasPrefix(c.text, "Company,,Billing") {
			row = 2
		}
		table, err := Open(src, Reading{HeaderRow: row}, DefaultLimits)
		if err != nil {
			t.Fatal(err)
		}
		table.JoinGroups(known)
		if got := strings.Join(table.Header, "|"); got != c.header {
			t.Errorf("%q: %s", c.text, got)
		}
		table.Close()
	}
}
