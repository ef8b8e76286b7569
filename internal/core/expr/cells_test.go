package expr

import (
	"strings"
	"testing"

	"uchi/internal/core/fault"
)

func TestExpressions(t *testing.T) {
	row := Row{Cells: map[string]string{"First": "åSE mari", "Last": "ØKSNES", "Nr": "No. 17/4", "Blank": ""},
		Fields: map[string]string{"given_name": "Åse"}}
	headers := []string{"First", "Last", "Nr", "Blank"}
	for source, want := range map[string]string{
		`cells["First"].title()`:                                   "Åse Mari",
		`cells["First"] + " " + cells["Last"].lower()`:             "åSE mari øksnes",
		`cells["Nr"].digits()`:                                     "174",
		`cells["Nr"].split("/")[0]`:                                "No. 17",
		`cells["Nr"].replace("No. ", "")`:                          "17/4",
		`["a", cells["Last"]].join("-")`:                           "a-ØKSNES",
		`cells["Blank"] == "" ? "none" : cells["Blank"]`:           "none",
		`"Dear " + fields["given_name"]`:                           "Dear Åse",
		`cells["First"].substring(0, 1).upper()`:                   "Å",
		`fields.exists(f, f == "email") ? fields["email"] : "n/a"`: "n/a",
	} {
		p, err := CompileText(source, headers)
		if err != nil {
			t.Errorf("%s: %v", source, err)
			continue
		}
		if got, err := p.Text(row); got != want || err != nil {
			t.Errorf("%s: %q, %v; want %q", source, got, err, want)
		}
	}
	for source, want := range map[string]bool{`cells["Last"] == "ØKSNES"`: true, `cells["Nr"].contains("x")`: false,
		`cells["Nr"].matches("[0-9]+")`: true, `size(cells["First"]) > 100`: false} {
		p, err := CompileCondition(source, headers)
		if err != nil {
			t.Fatalf("%s: %v", source, err)
		}
		if got, err := p.Holds(row); got != want || err != nil {
			t.Errorf("%s: %v, %v; want %v", source, got, err, want)
		}
	}
}

// What is wrong is said before any row is read.
func TestBadExpressions(t *testing.T) {
	for source, says := range map[string]string{`cells["First"`: "Syntax error", `1 + 1`: "a text is needed",
		`cells["Nowhere"]`: "no column Nowhere", `nothing`: "undeclared", `cells["First"].explode()`: "undeclared"} {
		_, err := CompileText(source, []string{"First"})
		f, ok := fault.From(err)
		if !ok || f.Code != "bad_expression" || !strings.Contains(f.Message, says) || f.Value != source || f.Mend == "" {
			t.Errorf("%s: %v, want it to say %q", source, err, says)
		}
	}
	if _, err := CompileCondition(`cells["First"]`, []string{"First"}); !fault.Is(err, "bad_expression") {
		t.Errorf("a text for a condition: %v", err)
	}
}

// An expression that would run for ever is ended, and a failing one says why.
func TestExpressionsAreBounded(t *testing.T) {
	long := strings.Repeat("x,", 20_000)
	p, err := CompileText(`cells["A"].split(",").map(a, cells["A"].split(",").map(b, a + b).join("")).join("")`,
		[]string{"A"})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := p.Text(Row{Cells: map[string]string{"A": long}}); err == nil || !strings.Contains(err.Error(), "cost") {
		t.Errorf("no limit: %v", err)
	}
	p, err = CompileText(`cells["A"].split("/")[1]`, []string{"A"})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := p.Text(Row{Cells: map[string]string{"A": "none"}}); err == nil {
		t.Error("a missing part is no error")
	}
}

func TestTitleCaseAndDigits(t *testing.T) {
	for in, want := range map[string]string{"VAN DER kade": "Van Der Kade", "o'hara-berg": "O'hara-Berg",
		"éLAN": "Élan", "": ""} {
		if got := TitleCase(in); got != want {
			t.Errorf("%q: %q, want %q", in, got, want)
		}
	}
	if got := Digits("a1b2 ٣"); got != "12" {
		t.Errorf("digits: %q", got)
	}
}

// The columns that an expression names are told, each once; none of one that cannot be read, or that names a cell
// by what another says.
func TestHeaders(t *testing.T) {
	for source, want := range map[string]string{
		`cells["Due"] == "" ? cells['Date/time'] : cells["Due"]`: "Due, Date/time",
		`fields["stage"] + cells["A"].title()`:                   "A",
		`cells[cells["Which"]]`:                                  "Which",
		`cells["A"`:                                              "", `"plain"`: "",
	} {
		if got := strings.Join(Headers(source), ", "); got != want {
			t.Errorf("%s: got %q, want %q", source, got, want)
		}
	}
}
