package sheet

import (
	"fmt"
	"strings"
	"testing"

	"uchi/internal/core/fault"
)

// companies have people, of whom some have several telephones, and one address each.
const companies = `[
 {"accountId": "A1", "name": "Tern Ltd", "tags": ["a", "b"], "addresses": [{"city": "Cowes", "post": "PO31"}],
  "people": [{"id": 7, "name": "Ada", "phones": [{"n": "1"}, {"n": "2"}]}, {"id": 8, "name": "Bo"}]},
 {"accountId": "A2", "name": "Gull Ltd", "addresses": [], "people": []},
 {"accountId": "A3", "name": "Kade AS", "addresses": null, "people": [{"id": 9, "name": "Cy", "mail": "cy@kade.example"}]}
]`

// A list that never has more than one object is read like the object; one that has more is a table of its own, of
// which each row says in what it stands.
func TestInnerLists(t *testing.T) {
	lines := `{"id":1,"title":"x","items":[{"sku":"P","qty":2},{"sku":"M","qty":1}]}` + "\n" +
		`{"id":2,"title":"y","items":[{"sku":"P","qty":5}]}` + "\n"
	for _, c := range []struct {
		name, file, text, sheet, header string
		rows                            []string
		notices                         string
	}{
		{"the objects", "x.json", companies, "", "accountId|name|tags|addresses.city|addresses.post|people",
			[]string{"1 A1|Tern Ltd|a; b|Cowes|PO31|7; Ada; 1; 2; 8; Bo", "2 A2|Gull Ltd||||", "3 A3|Kade AS||||9; Cy; cy@kade.example"},
			"inner_lists"},
		{"by their name", "x.json", companies, "objects", "accountId|name|tags|addresses.city|addresses.post|people",
			[]string{"1 A1|Tern Ltd|a; b|Cowes|PO31|7; Ada; 1; 2; 8; Bo", "2 A2|Gull Ltd||||", "3 A3|Kade AS||||9; Cy; cy@kade.example"},
			"inner_lists"},
		{"the people", "x.json", companies, "people", "accountId|id|name|phones|mail",
			[]string{"1 A1|7|Ada|1; 2|", "2 A1|8|Bo||", "3 A3|9|Cy||cy@kade.example"}, ""},
		{"the addresses, though each has one", "x.json", companies, "addresses", "accountId|city|post", []string{"1 A1|Cowes|PO31"}, ""},
		{"lines of offers", "old/offers.jsonl", lines, "items", "offers.id|sku|qty", []string{"1 1|P|2", "2 1|M|1", "3 2|P|5"}, ""},
		{"in a list that is called", "x.json", `{"data":{"deals":[` + strings.ReplaceAll(strings.TrimSpace(lines), "\n", ",") + `]}}`,
			"items", "deals.id|sku|qty", []string{"1 1|P|2", "2 1|M|1", "3 2|P|5"}, ""},
		{"of objects without a number", "x.json", `[{"title":"x","l":[{"a":1},{"a":2}]},{"title":"y","l":[]}]`, "l", "title|a",
			[]string{"1 x|1", "2 x|2"}, ""},
		{"that nothing tells apart", "x.json", `[{"l":[{"a":1},{"a":2}]},{"l":[{"a":3}]}]`, "l", "a", []string{"1 1", "2 2", "3 3"}, ""},
		{"of texts and objects", "x.json", `[{"id":1,"l":[{"a":1},"b"]},{"id":2,"l":[{"a":3},{"a":4}]}]`, "", "id|l",
			[]string{"1 1|1; b", "2 2|3; 4"}, ""},
		{"of one line", "x.jsonl", `{"dealId":"D1","items":[{"a":1},{"a":2}]}`, "items", "dealId|a", []string{"1 D1|1", "2 D1|2"}, ""},
		{"a line that is no object", "x.jsonl", lines + "what?\n", "items", "x.id|sku|qty", []string{"1 1|P|2", "2 1|M|1", "3 2|P|5"}, ""},
	} {
		header, rows, notices, err := readDetected(c.file, c.text, Reading{Sheet: c.sheet})
		if err != nil || header != c.header || fmt.Sprint(rows) != fmt.Sprint(c.rows) || notices != c.notices {
			t.Errorf("%s: %s %q %s %v", c.name, header, rows, notices, err)
		}
	}
	for _, none := range []string{"tags", "phones", "people.phones", "else"} {
		if _, _, _, err := readDetected("x.json", companies, Reading{Sheet: none}); !fault.Is(err, "unknown_sheet") {
			t.Errorf("%s: %v", none, err)
		}
	}
}

// Names and values in a list are read as the members that they stand for; where a name comes twice, or something else
// stands in it, it is a list like others.
func TestPairsInLists(t *testing.T) {
	for _, c := range []struct{ text, header, rows string }{
		{`[{"id":1,"fields":[{"name":"Berths","value":40},{"name":"Segment","value":"A"}]},
			{"id":2,"fields":[{"name":"Segment","value":"B"}]},{"id":3,"fields":[]},{"id":4}]`,
			"id|Berths|Segment", "[1 1|40|A 2 2||B 3 3|| 4 4||]"},
		{`[{"answers":[{"question":"First name","answer":"Ada"},{"question":"Surname","answer":"Berg"}]},
			{"answers":[{"answer":"Bo","question":"First name"},{"answer":"Lie","question":"Surname"}]}]`,
			"First name|Surname", "[1 Ada|Berg 2 Bo|Lie]"},
		{`[{"Berths":1,"l":[{"name":"Berths","value":2},{"name":"Size","value":3}],"m":[{"key":"Size","value":4},{"key":"Way","value":5}]}]`,
			"Berths|l.Berths|l.Size|m.Size|Way", "[1 1|2|3|4|5]"},
		{`[{"id":1,"l":[{"name":"a","value":1},{"name":"a","value":2}]}]`, "id|l", "[1 1|a; 1; a; 2]"},
		{`[{"id":1,"l":[{"name":"a","value":1,"unit":"m"},{"name":"b","value":2,"unit":"m"}]}]`, "id|l", "[1 1|a; 1; m; b; 2; m]"},
		{`[{"id":1,"l":[{"sku":"P","qty":2},{"sku":"M","qty":3}]}]`, "id|l", "[1 1|P; 2; M; 3]"},
	} {
		header, rows, _, err := readDetected("x.json", c.text, Reading{})
		if err != nil || header != c.header || fmt.Sprint(rows) != c.rows {
			t.Errorf("%s: %s %v %v", c.text, header, rows, err)
		}
	}
	// notes are no fields, whatever their names: none comes again
	for _, names := range []string{"title text", "name value"} {
		name, value, _ := strings.Cut(names, " ")
		var text strings.Builder
		for n := range 9 {
			fmt.Fprintf(&text, `{"id":%d,"notes":[{%q:"Call %d","%s":"x"},{%q:"Visit %d","%s":"y"}]}`+"\n", n, name, n, value, name, n, value)
		}
		header, _, notices, err := readDetected("x.jsonl", text.String(), Reading{})
		if err != nil || header != "id|notes" || notices != "inner_lists" {
			t.Errorf("%s: %s %s %v", names, header, notices, err)
		}
	}
	// a later object with a name twice is not lost
	text := strings.Repeat(`{"id":1,"l":[{"name":"a","value":1}]}`+"\n", headerLines) + `{"id":2,"l":[{"name":"a","value":3},{"name":"b","value":4},{"name":"a","value":5}]}` + "\n"
	_, rows, _, err := readSource(source(text), Reading{})
	ok(t, err)
	if got := strings.Join(rows[len(rows)-1].Cells, "|"); got != "2|3|b: 4|a.2: 5" {
		t.Error(got)
	}
}

// A member that comes twice in an object loses neither of its values.
func TestMembersThatComeTwice(t *testing.T) {
	header, rows, _, err := readSource(source(`{"a":1,"b":2,"a":3}`+"\n"+`{"a":"","b":5,"a":6}`+"\n"), Reading{})
	ok(t, err)
	if got := fmt.Sprint(header, rows[0].Cells, rows[1].Cells); got != "[a b] [1 2 a: 3] [6 5]" {
		t.Error(got)
	}
}

// A list that is longer than any is, is refused before it fills the memory.
func TestMostItems(t *testing.T) {
	text := `{"id":1,"l":[` + strings.Repeat(`{"a":1},`, mostItems) + `{"a":2}]}` + "\n"
	for _, name := range []string{"", "l"} {
		if _, _, _, err := readDetected("x.jsonl", text, Reading{Sheet: name}); !fault.Is(err, "too_many_items") {
			t.Errorf("%q: %v", name, err)
		}
	}
}

// A bundle takes the objects and each table within them; a document without such is one part.
func TestPartsOfInnerLists(t *testing.T) {
	for text, want := range map[string]string{
		companies: "objects people", `[{"a":1}]`: "", `{"deals":[{"id":1,"items":[{"a":1},{"a":2}],"x":[{"b":1}]}]}`: "deals items",
	} {
		parts, err := Parts(source(text))
		var names []string
		for _, p := range parts {
			names = append(names, p.Sheet)
		}
		if got := strings.Join(names, " "); got != want || err != nil {
			t.Errorf("%s: %q %v", text, got, err)
		}
	}
}

// What stands among the objects of a list later on and is none is a row of its own, with more cells than the header.
func TestOtherThingsInATable(t *testing.T) {
	text := strings.Repeat(`{"id":1,"l":[{"a":1},{"a":2}]}`+"\n", headerLines) + `{"id":2,"l":[{"a":3},"b",{"a":4}]}` + "\n"
	_, rows, _, err := readSource(source(text), Reading{Sheet: "l"})
	ok(t, err)
	var got []string
	for _, r := range rows[2*headerLines:] {
		got = append(got, strings.Join(r.Cells, "|"))
	}
	if want := "3 |l: b 4"; strings.Join(got, " ") != want {
		t.Errorf("%q", got)
	}
}

// What a list that had one object has more of later on stands behind the row, and is not lost.
func TestMoreThanTheFirstObjectsHad(t *testing.T) {
	text := strings.Repeat(`{"id":1,"at":[{"town":"Cowes"}]}`+"\n", headerLines) + `{"id":2,"at":[{"town":"Ryde"},{"town":"Poole"}]}` + "\n"
	header, rows, _, err := readSource(source(text), Reading{})
	ok(t, err)
	last := rows[len(rows)-1].Cells
	if got := strings.Join(header, "|") + " " + strings.Join(last, "|"); got != "id|at.town 2|Ryde|at.2.town: Poole" {
		t.Error(got)
	}
}

// Whatever stands in a document, each of its tables is read to its end, with rows that count up and no more cells
// than the header has but for what came late.
func FuzzInnerLists(f *testing.F) {
	for _, s := range []string{companies, `[{"a":[{"b":1},{"b":[{"c":1},{"c":2}]}]},{"a":null}]`, `{"id":1,"l":[{},{}]}` + "\n" + `{"l":[]}`,
		`{"d":{"l":[{"x":{"y":[1,{"z":2}]}}]}}`, `[{"a.b":1,"a":{"b":[{"c":1},{"d":2}]}}]`, `[{"":[{"":1},{"":2}]}]`} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		src := bytesSource("x.json", b)
		if format, _, err := sniff(src); err != nil || format != formatJSON {
			return
		}
		parts, err := Parts(src)
		if err != nil {
			return
		}
		for _, p := range parts {
			reading, _, err := Detect(src, Reading{Sheet: p.Sheet})
			if err != nil {
				continue
			}
			through(t, src, reading, func(header []string, row Row) {
				if len(row.Cells) < len(header) {
					t.Fatalf("%s: row %d has %d cells of %d", p.Sheet, row.Number, len(row.Cells), len(header))
				}
			})
		}
	})
}
