package cli

import (
	"bytes"
	"errors"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"testing"
	"time"

	"uchi/internal/client"
	"uchi/internal/core/fault"
	"uchi/internal/core/verdict"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
)

// shown gives what is written, with the spaces at the ends of its lines gone.
func shown(f func(a *app)) string {
	var out bytes.Buffer
	f(&app{out: &out, errs: &out, in: strings.NewReader("")})
	lines := strings.Split(out.String(), "\n")
	for n := range lines {
		lines[n] = strings.TrimRight(lines[n], " ")
	}
	return strings.Trim(strings.Join(lines, "\n"), "\n")
}

// same compares what is written with what should be, line by line.
func same(t *testing.T, what, got, want string) {
	t.Helper()
	if want = strings.Trim(want, "\n"); got != want {
		t.Errorf("%s:\n%s\nwant\n%s", what, got, want)
	}
}

// What a check has come to is said in numbers that a person can add up.
func TestTotalsAreSaid(t *testing.T) {
	totals := client.Totals{
		Rows: 12_345, Partly: 2, Verdicts: map[string]int64{"create": 12_000, "update": 300, "hold": 40, "ask": 1, "skip": 4},
		Drafts: []client.DraftCount{
			{Name: "account", Type: "account", Verdicts: map[string]int64{"create": 3000, "same": 9000, "hold": 40}},
			{Name: "contact", Type: "contact", Verdicts: map[string]int64{"create": 12_000, "update": 300, "hold": 40, "ask": 1}},
		},
		Asked:   []client.AskedCount{{Kind: verdict.AskAlike, Count: 1, Message: "a record is like it, but not surely the same"}},
		Reasons: []client.ReasonCount{{Reason: string(verdict.ByAnswer), Count: 4, Message: "left out by hand"}},
		Changes: []client.FieldCount{{Field: "phone", Count: 250, Over: 20}, {Field: "street", Count: 60}},
	}
	same(t, "two records a row", shown(func(a *app) { a.showTotals(totals) }), `
Verdict     Rows
──────────────────
● create  12 000
◐ update     300
– skip         4
? ask          1
■ hold        40

Record   create  update   same  ask  hold
───────────────────────────────────────────
account   3 000       0  9 000    0    40
contact  12 000     300      0    1    40
of rows that are held back, other records are written: 2 rows
asked, a record is like it, but not surely the same: 1
left out, left out by hand: 4

Values that would change: phone 250 (20 replace a value), street 60`)
	one := client.Totals{Rows: 1, Verdicts: map[string]int64{"same": 1}, Drafts: totals.Drafts[:1]}
	same(t, "one record", shown(func(a *app) { a.showTotals(one) }), `
Verdict  Rows
───────────────
○ same      1`)
}

// The question before a load says what would be written, records where rows make several.
func TestQuestionBeforeALoad(t *testing.T) {
	draft := func(v map[string]int64) []client.DraftCount {
		return []client.DraftCount{{Name: "contact", Verdicts: v}}
	}
	for want, x := range map[string]client.Totals{
		"Create 5?": {Drafts: draft(map[string]int64{"create": 5})},
		"Create 1 200 and update 3 and delete 2?": {Drafts: draft(map[string]int64{"create": 1200, "update": 3, "delete": 2, "same": 9})},
		"Update 1 (1 row held back)?":             {Verdicts: map[string]int64{"ask": 1}, Drafts: draft(map[string]int64{"update": 1, "ask": 1})},
		"Create 7 (3 rows held back, of 2 of them other records are written)?": {Verdicts: map[string]int64{"ask": 1, "hold": 2}, Partly: 2,
			Drafts: []client.DraftCount{{Verdicts: map[string]int64{"create": 4}}, {Verdicts: map[string]int64{"create": 3}}}},
		"Nothing would be written. Note the outcomes?":                    {Drafts: draft(map[string]int64{"same": 4})},
		"Nothing would be written. Note the outcomes (8 rows held back)?": {Verdicts: map[string]int64{"hold": 8}},
	} {
		if got := loadQuestion(client.Import{Totals: x}); got != want {
			t.Errorf("%q, want %q", got, want)
		}
	}
}

// What an undo would do comes first, then what it cannot, then single records.
func TestUndoPlanIsSaid(t *testing.T) {
	plan := client.UndoPlan{
		Counts: []client.UndoCount{{Act: "return", Says: "1 value of 1 contact stays: changed by somebody else since", Why: "changed_since"},
			{Act: "remove", Says: "12 contacts go"}},
		Items: []client.UndoItem{{Record: "CON-7", Title: "Ada Berg", Row: 1200, Says: "the phone stays"}, {Record: "CON-8", Says: "goes"}},
	}
	var does bool
	same(t, "a plan", shown(func(a *app) { does = a.showUndoPlan(plan) }), `
  12 contacts go
What cannot be taken back:
  1 value of 1 contact stays: changed by somebody else since
Record              Row  What happens
──────────────────────────────────────────
CON-7   Ada Berg  1 200  the phone stays
CON-8                    goes`)
	if !does {
		t.Error("it does nothing")
	}
	for what, p := range map[string]client.UndoPlan{"nothing left": {}, "nothing that can be": {Counts: plan.Counts[:1]}} {
		text := shown(func(a *app) { does = a.showUndoPlan(p) })
		if does || text == "" {
			t.Errorf("%s: %v, %s", what, does, text)
		}
	}
}

// Small words of rows and answers.
func TestSmallWords(t *testing.T) {
	for p, want := range map[float64]string{0: "0 %", 61.9: "61 %", 99.4: "99 %", 99.5: "over 99 %", 100: "over 99 %"} {
		if got := percent(p); got != want {
			t.Errorf("%v: %s", p, got)
		}
	}
	for want, x := range map[string]client.Answer{
		"": {}, "new": {Choice: verdict.ChooseNew}, "leave_out": {Choice: verdict.ChooseLeaveOut},
		"take CON-3": {Choice: verdict.ChooseTake, Record: "CON-3"}, "take row 7": {Choice: verdict.ChooseTake, OtherRow: 7},
		"take": {Choice: verdict.ChooseTake},
	} {
		if got := answerWords(x); got != want {
			t.Errorf("%+v: %q, want %q", x, got, want)
		}
	}
	for text, ok := range map[string]bool{"1": true, "120000": true, "0": false, "-3": false, "2a": false, "": false, "1.5": false} {
		n, err := rowNumber(text)
		if (err == nil) != ok || ok && n < 1 {
			t.Errorf("row %q: %d, %v", text, n, err)
		}
	}
	if got := filled([]string{" ", "a", "", " b ", "c"}, 2); !reflect.DeepEqual(got, []string{"a", "b"}) {
		t.Errorf("%q", got)
	}
	if orBlank("") != "(blank)" || orBlank("a\nb") != "a b" || len(orBlank(strings.Repeat("x", 99))) > 45 {
		t.Errorf("%q, %q", orBlank("a\nb"), orBlank(strings.Repeat("x", 99)))
	}
	if got := recordsOf(client.Row{Drafts: []client.RowDraft{{Record: "ACC-1"}, {}, {Record: "CON-2"}}}); got != "ACC-1 CON-2" {
		t.Error(got)
	}
}

// Answers are read from a sheet as people keep it: columns in any order, open questions left blank, and with the sign
// between that their program writes; what is wrong is told with its line.
func TestReadAnswers(t *testing.T) {
	dir := t.TempDir()
	read := func(text string) ([]client.Answer, error) {
		file := filepath.Join(dir, "answers.csv")
		if err := os.WriteFile(file, []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
		return (&app{}).readAnswers(file)
	}
	want := []client.Answer{{Row: 3, Choice: verdict.ChooseTake, Record: "CON-9", Keep: []string{"phone", "email"}},
		{Row: 9, Draft: "contact", Choice: verdict.ChooseTake, OtherRow: 4, Keep: []string{}},
		{Row: 12, Choice: verdict.ChooseLeaveOut, Keep: []string{}}}
	for name, text := range map[string]string{
		"as it is written": "row,choice,draft,record,other_row,keep\n3,take,,CON-9,,phone email\n5,,,CON-1,,\n" +
			"9,take,contact,,4,\n12,leave_out,,,,\n",
		"in another order":  "Choice , ROW,record,keep,other_row,draft\ntake,3,CON-9,phone email\n,5\ntake,9,,,4,contact\nleave_out,12\n",
		"with semicolons":   "\ufeffrow;choice;record;keep;other_row;draft\r\n3;take;CON-9;phone email;;\r\n9;take;;;4;contact\r\n12;leave_out;;;;\r\n",
		"with tabs":         "row\tchoice\trecord\tkeep\tother_row\tdraft\n3\ttake\tCON-9\tphone email\n9\ttake\t\t\t4\tcontact\n12\tleave_out\n",
		"without a newline": "row,choice,record,keep,other_row,draft\n3,take,CON-9,phone email\n9,take,,,4,contact\n12,leave_out",
	} {
		got, err := read(text)
		if err != nil || !reflect.DeepEqual(got, want) {
			t.Errorf("%s: %+v, %v", name, got, err)
		}
	}
	for text, place := range map[string]int64{
		"":                                 0 + 1,
		"number,choice\n3,take\n":          1,
		"row,answer\n3,take\n":             1,
		"row,choice,recrd\n3,take,CON-9\n": 1, // would take the likeliest
		"row\n3\n":                         1,
		"row,choice\n3,take\nthree,new\n":  3,
		"row,choice,other_row\n3,take,x\n": 2,
		"row,choice\n,take\n":              2,
	} {
		_, err := read(text)
		f, is := fault.From(err)
		if !is || f.Code != "bad_answers" || f.Place.Row != place {
			t.Errorf("%q: %v, in row %d, want %d", text, err, f.Place.Row, place)
		}
	}
	_, err := read("row,choice\n\"3,take\n")
	if f, is := fault.From(err); !is || f.Place.Row != 2 || f.Mend == "" {
		t.Errorf("an open quote: %v", err)
	}
	if _, err := (&app{}).readAnswers(filepath.Join(dir, "none.csv")); !fault.Is(err, "file_refused") {
		t.Errorf("no file: %v", err)
	}
	if got, err := (&app{in: strings.NewReader("row,choice\n3,new\n")}).readAnswers("-"); err != nil || len(got) != 1 || got[0].Row != 3 {
		t.Errorf("from the pipe: %+v, %v", got, err)
	}
}

// Sizes of files are told in full units.
func TestSizes(t *testing.T) {
	for bytes, want := range map[int64]string{0: "0 KiB", 1: "1 KiB", 1024: "1 KiB", 1025: "2 KiB", 5 << 20: "5 120 KiB"} {
		if got := size(bytes); got != want {
			t.Errorf("%d: %s", bytes, got)
		}
	}
}

// What is wrong is said to people with its place and its remedy below each other, and to a script as the service says it.
func TestFaultsAreSaid(t *testing.T) {
	f := fault.New(fault.Invalid, "bad_email", "this is not an e-mail address").At(fault.Place{File: "people.csv", Row: 7, Column: "Mail"}).
		With("ada(at)quay").Mended("Write it as name@domain.example.")
	same(t, "to people", shown(func(a *app) { a.printFault(f) }), `
Error: this is not an e-mail address
  where  people.csv, row 7, column Mail
  value  "ada(at)quay"
  mend   Write it as name@domain.example.
  code   bad_email`)
	same(t, "to a script", shown(func(a *app) {
		a.asJSON = true
		a.printFault(f)
	}), `
{
  "code": "bad_email",
  "title": "this is not an e-mail address",
  "place": {
    "file": "people.csv",
    "row": 7,
    "column": "Mail"
  },
  "value": "ada(at)quay",
  "mend": "Write it as name@domain.example."
}`)
	same(t, "without more", shown(func(a *app) {
		a.asJSON = true
		a.printFault(fault.New(fault.Conflict, "busy", "it is busy"))
	}), `
{
  "code": "busy",
  "title": "it is busy"
}`)
}

// Where a load needs a second person's yes, it is said who has asked, and what was decided.
func TestApprovalIsSaid(t *testing.T) {
	asked := time.Date(2026, 11, 3, 9, 30, 0, 0, time.Local)
	for want, p := range map[string]client.Approval{
		"": {},
		"The load needs a second person's yes: it is into accounts.":        {Why: "it is into accounts"},
		"Ada Moe has asked for it on 2026-11-03 09:30; nobody has decided.": {AskedBy: "Ada Moe", AskedAt: asked},
		"Bo Lie has said yes on 2026-11-03 10:30.": {AskedBy: "Ada Moe", AskedAt: asked, DecidedBy: "Bo Lie", DecidedAt: asked.Add(time.Hour),
			Yes: true},
		"Bo Lie has said no on 2026-11-03 10:30: the towns are missing": {AskedBy: "Ada Moe", AskedAt: asked, DecidedBy: "Bo Lie",
			DecidedAt: asked.Add(time.Hour), Reason: "the towns are missing"},
	} {
		same(t, "an approval", shown(func(a *app) { a.showApproval(p) }), want)
	}
}

// A flag that is given and says nothing is refused, at every command, but for those that make something blank.
func TestFlagsThatSayNothing(t *testing.T) {
	looked := 0
	var walk func(path string)
	walk = func(path string) {
		find := func() *cobra.Command { // each time anew, since flags are parsed once
			root := (&app{}).root()
			cmd, _, err := root.Find(strings.Fields(path))
			if err != nil {
				t.Fatal(err)
			}
			return cmd
		}
		cmd := find()
		cmd.InheritedFlags() // brings those of the commands above
		cmd.Flags().VisitAll(func(f *pflag.Flag) {
			_, list := f.Value.(pflag.SliceValue)
			if f.Value.Type() != "string" && !list {
				return
			}
			looked++
			for _, text := range []string{"", " "} {
				with := find()
				if err := with.ParseFlags([]string{"--" + f.Name + "=" + text}); err != nil {
					continue // it is refused there
				}
				var usage usageError
				if err := noBlanks(with); errors.As(err, &usage) == mayBeBlank(f) {
					t.Errorf("uchi %s --%s=%q: %v", path, f.Name, text, err)
				}
			}
		})
		for _, sub := range cmd.Commands() {
			walk(strings.TrimSpace(path + " " + sub.Name()))
		}
	}
	walk("")
	if looked < 150 {
		t.Errorf("only %d flags were looked at", looked)
	}
	root := (&app{}).root()
	root.SetArgs([]string{"load", "12", "--rows", "", "--yes"})
	var usage usageError
	if err := root.Execute(); !errors.As(err, &usage) || !strings.Contains(err.Error(), "--rows is given and says nothing") {
		t.Errorf("uchi load 12 --rows \"\": %v", err)
	}
}
