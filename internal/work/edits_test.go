package work

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"uchi/internal/core/fault"
	"uchi/internal/core/life"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
	"uchi/internal/core/verdict"
	"uchi/internal/staging"
	"uchi/internal/store"

	"github.com/xuri/excelize/v2"
)

const messy = "Ref,Family name,E-mail,Country\nK-1,Berg,ada@x.example,NO\nK-2,Li,bad,Atlantis\n" +
	"K-1,Moe,cy@x.example,NO\nK-4,,di@x.example,Atlantis\n"

// mend changes cells and gives the import as it is then.
func (b *bench) mend(i store.Import, cells ...CellEdit) store.Import {
	b.Helper()
	n, err := b.work.Edit(b.Context(), i, cells, b.person)
	b.ok(err)
	b.want(n, int64(len(cells)))
	return b.again(i)
}

// A cell is changed beside its source: the row, and those coupled with it, are
// checked again at once; the edit is kept with who made it and can be taken back.
func TestMendACell(t *testing.T) {
	b := start(t)
	i := b.check(b.upload("contact", messy))
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 1, "hold": 3})
	check := *i.CheckRun
	i = b.mend(i, CellEdit{4, "Ref", "K-3"})
	b.want(i.State, life.Ready)
	b.want(*i.CheckRun, check) // brought up to date, not made anew
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 2, "hold": 2})
	i = b.mend(i, CellEdit{3, "E-mail", "bo@x.example"}, CellEdit{3, "Country", "NO"},
		CellEdit{5, "Family name", "Eik"}, CellEdit{5, "Country", "se"})
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 4})
	edits, err := b.store.Edits(b.Context(), i.ID, 0, 50)
	b.ok(err)
	b.want(fmt.Sprint(len(edits), edits[0].Row, edits[0].Was, edits[0].Value, edits[0].Person),
		fmt.Sprint(5, 3, "bad", "bo@x.example", b.person.Name))
	_, err = b.work.Edit(b.Context(), i, []CellEdit{{9, "Ref", "x"}}, b.person)
	if !fault.Is(err, "unknown_row") {
		t.Errorf("a row that is not there: %v", err)
	}
	_, err = b.work.Edit(b.Context(), i, []CellEdit{{3, "Nickname", "x"}}, b.person)
	if !fault.Is(err, "unknown_column") {
		t.Errorf("a column that is not there: %v", err)
	}
	// What the database loses in a crash is made again from the source and the edits.
	b.crash(i)
	i = b.check(i)
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 4})
	// One by one, and all.
	n, err := b.work.TakeEditsBack(b.Context(), i, []int64{4}, "", b.person)
	b.ok(err)
	b.want(n, int64(1))
	b.want(b.again(i).Totals.V.Verdicts, map[string]int64{"create": 3, "hold": 1})
	_, err = b.work.TakeEditsBack(b.Context(), i, nil, "", b.person)
	b.ok(err)
	i = b.again(i)
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 1, "hold": 3})
	count, err := b.store.CountEdits(b.Context(), i.ID)
	b.ok(err)
	b.want(count, int64(0))
	// A row that was loaded is past mending here, until its load is taken back.
	i = b.load(i)
	if _, err := b.work.Edit(b.Context(), i, []CellEdit{{2, "Family name", "Bergh"}}, b.person); !fault.Is(err,
		"row_settled") {
		t.Errorf("a loaded row: %v", err)
	}
	i = b.mend(i, CellEdit{4, "Ref", "K-3"})
	b.want(i.State, life.Ready) // a held one is checked
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 1, "hold": 2})
	i = b.load(i)
	b.want(i.Outcomes.V[verdict.Created], int64(2))
	// Which rows there are stays, while cells of them are mended.
	if err := b.work.SetReading(b.Context(), i, sheet.Reading{HeaderRow: 2}, b.person); !fault.Is(err, "rows_stay") {
		t.Errorf("another header row: %v", err)
	}
}

// All cells of a kind at once.
func TestReplace(t *testing.T) {
	b := start(t)
	i := b.check(b.upload("contact", messy))
	for _, c := range []struct {
		q    ReplaceRequest
		want string
	}{
		{ReplaceRequest{Column: "Country", How: FindWhole, Find: "Atlantis", Replace: "PT"}, "2 [{Atlantis PT 2}]"},
		{ReplaceRequest{Column: "E-mail", How: FindPart, Find: "x.example", Replace: "y.example"},
			"3 [{ada@x.example ada@y.example 1} {cy@x.example cy@y.example 1} {di@x.example di@y.example 1}]"},
		{ReplaceRequest{Column: "E-mail", How: FindPattern, Find: `^(\w)\w+@`, Replace: "$1@"},
			"3 [{ada@x.example a@x.example 1} {cy@x.example c@x.example 1} {di@x.example d@x.example 1}]"},
		{ReplaceRequest{Column: "E-mail", How: FindAny, Rows: staging.RowFilter{Problem: "bad_email"}}, "1 [{bad  1}]"},
	} {
		n, values, more, err := b.work.Replacing(b.Context(), i, c.q)
		b.ok(err)
		if got := fmt.Sprint(n, " ", values); got != c.want || more {
			t.Errorf("%+v gives %s, want %s", c.q, got, c.want)
		}
	}
	n, err := b.work.Replace(b.Context(), i, ReplaceRequest{Column: "Country", How: FindWhole, Find: "Atlantis",
		Replace: "PT"}, b.person)
	b.ok(err)
	b.want(n, int64(2))
	n, err = b.work.Replace(b.Context(), b.again(i), ReplaceRequest{Column: "E-mail", How: FindAny,
		Rows: staging.RowFilter{Problem: "bad_email"}}, b.person)
	b.ok(err)
	b.want(n, int64(1))
	i = b.again(i)
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 2, "hold": 2})
	if _, err := b.work.Replace(b.Context(), i, ReplaceRequest{Column: "Country", How: FindPattern, Find: "("},
		b.person); !fault.Is(err, "bad_pattern") {
		t.Errorf("a bad pattern: %v", err)
	}
	left, err := b.work.LeaveOut(b.Context(), i, staging.RowFilter{Verdict: "hold", Problem: "duplicate_row"}, b.person)
	b.ok(err)
	b.want(left, int64(1))
	b.want(b.check(b.again(i)).Totals.V.Verdicts, map[string]int64{"create": 2, "hold": 1, "skip": 1})
}

// A sheet of held rows is mended elsewhere and brought back: rows in any order,
// some deleted, columns added; each takes its place.
func TestBringBack(t *testing.T) {
	b := start(t)
	i := b.check(b.upload("contact", messy))
	c := b.catalog()
	held := staging.RowFilter{Verdict: "hold"}
	bring := func(i store.Import, name string, sheet []byte) (BroughtBack, error) {
		return b.work.BringBack(b.Context(), i, name, bytes.NewReader(sheet), int64(len(sheet)), b.person)
	}
	// As CSV: rows turned round, a column more, one row left out, one of no import.
	var out bytes.Buffer
	b.ok(b.work.WriteRows(b.Context(), i, c, held, &out))
	lines, err := csv.NewReader(strings.NewReader(strings.TrimPrefix(out.String(), "\ufeff"))).ReadAll()
	b.ok(err)
	b.want(len(lines), 4)
	row3 := append([]string{"new"}, lines[1]...)
	row3[3], row3[4] = "bo@x.example", "NO"
	row4 := append([]string{"new"}, lines[2]...)
	row4[1] = "K-3"
	stranger := append([]string{"new"}, lines[3]...)
	stranger[len(stranger)-1] = "999-5-abcd"
	var back bytes.Buffer
	w := csv.NewWriter(&back)
	w.WriteAll([][]string{append([]string{"Mine"}, lines[0]...), row4, row3, stranger}) //nolint:errcheck // into memory
	got, err := bring(i, "held.csv", back.Bytes())
	b.ok(err)
	b.want(fmt.Sprint(got), fmt.Sprint(BroughtBack{Rows: 2, Cells: 3,
		Left: []staging.LeftRow{{Row: 4, Why: "it is a row of import 999"}}, LeftCount: 1, Columns: []string{"Mine"}}))
	i = b.again(i)
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 3, "hold": 1})
	// As a workbook: the wrong cells are marked and say why.
	out.Reset()
	b.ok(b.work.WriteWorkbook(b.Context(), i, c, held, &out))
	f, err := excelize.OpenReader(bytes.NewReader(out.Bytes()))
	b.ok(err)
	notes, err := f.GetComments("Rows")
	b.ok(err)
	b.want(len(notes), 2)
	if !strings.Contains(notes[0].Text, "a required value is missing") {
		t.Errorf("the note says %q", notes[0].Text)
	}
	b.ok(f.SetCellValue("Rows", "B2", "Eik"))
	b.ok(f.SetCellValue("Rows", "D2", "SE"))
	book, err := f.WriteToBuffer()
	b.ok(err)
	got, err = bring(i, "held.xlsx", book.Bytes())
	b.ok(err)
	b.want(fmt.Sprint(got.Rows, got.Cells, got.LeftCount, got.Columns), "1 2 0 []")
	i = b.again(i)
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 4})
	// Brought back to another import, or without marks, it changes nothing.
	other := b.check(b.upload("contact", messy))
	if _, err := bring(other, "held.xlsx", book.Bytes()); !fault.Is(err, "other_rows") {
		t.Errorf("another import: %v", err)
	}
	if _, err := bring(other, "x.csv", []byte(messy)); !fault.Is(err, "no_row_marks") {
		t.Errorf("no marks: %v", err)
	}
	// Rows that were loaded meanwhile are told.
	i = b.load(i)
	got, err = bring(i, "held.xlsx", book.Bytes())
	b.ok(err)
	b.want(fmt.Sprint(got.Cells, got.Left), "0 [{2 row 5 was loaded already}]")
}

// Edits of random cells, one after the other, bring the check to where a check of
// the whole would.
func TestMendingIsAsGoodAsChecking(t *testing.T) {
	b := start(t)
	r := rand.New(rand.NewPCG(5, 11))
	values := map[string][]string{"Ref": {"K-1", "K-2", "K-3", ""}, "Family name": {"Berg", "Li", ""},
		"E-mail": {"ada@x.example", "bad", ""}, "Country": {"NO", "Atlantis", "SE"}}
	columns := []string{"Ref", "Family name", "E-mail", "Country"}
	text := strings.Join(columns, ",") + "\n"
	for range 40 {
		var row []string
		for _, c := range columns {
			row = append(row, values[c][r.IntN(len(values[c]))])
		}
		text += strings.Join(row, ",") + "\n"
	}
	i := b.check(b.upload("contact", text))
	for range 12 {
		c := columns[r.IntN(4)]
		_, err := b.work.Edit(b.Context(), i, []CellEdit{{2 + r.Int64N(40), c, values[c][r.IntN(len(values[c]))]}}, b.person)
		b.ok(err)
		i = b.again(i)
		part := b.rows(i)
		b.want(i.State, life.Ready)
		// so that all is checked
		_, err = b.store.Pool().Exec(b.Context(), `update imports set catalogue = 0 where id = $1`, i.ID)
		b.ok(err)
		whole := b.check(i)
		b.want(b.rows(whole), part)
		b.want(whole.Digest, i.Digest)
		i = whole
	}
}

// What a cell may have meant is offered, the nearest first.
func TestNear(t *testing.T) {
	b := start(t)
	b.loaded("account", "Name\nAnchorby Marina\nAnker Boats\nQuay House\n")
	b.loaded("staff", "Name,E-mail\nIngrid Havnes,ih@uchi.example\nIda Moe,im@uchi.example\n")
	i := b.upload("contact", messy)
	for _, c := range []struct{ field, text, want string }{
		{"account", "Anchorbay", "Anchorby Marina"},
		{"country", "Sth Corea", "South Korea"},
		{"country", "Norwya", "Norway"},
		{"owner", "I.H.", "Ingrid Havnes"},
		{"owner", "im", "Ida Moe"},
	} {
		near, err := b.work.Near(b.Context(), i, "", c.field, c.text)
		b.ok(err)
		if len(near) == 0 || near[0].Label != c.want {
			t.Errorf("near %q: %v, want %s", c.text, near, c.want)
		}
	}
}

// A value that cannot be read does not hold its row where the routine says so: the
// rest is loaded and the value is listed. Keys and required fields hold.
func TestTrifles(t *testing.T) {
	b := start(t)
	text := "Ref,Family name,E-mail,Birthday,Account\nK-1,Berg,ada@x.example,31/11/1970,\nK-2,Li,bad,1970-01-31,\n" +
		"K-3,Moe,,,Atlantis\nK-4,,,,\n"
	i := b.change(b.upload("contact", text), func(r *mapping.Routine) { r.Drafts[0].Unreadable = mapping.LeaveValue })
	i = b.check(i)
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 2, "hold": 2})
	b.want(fmt.Sprint(i.Totals.V.Problems), "[{link_not_found account 1 false} {required_missing family_name 1 false} "+
		"{bad_date birthday 1 true} {bad_email email 1 true}]")
	i = b.load(i)
	b.want(b.outcomes(i), map[verdict.Outcome]int64{"created": 2, "held": 2})
	b.want(b.record("contact", "CON-2").Values["email"], "")
	b.want(b.record("contact", "CON-2").Values["birthday"], "1970-01-31")
	var detail string
	b.ok(b.store.Pool().QueryRow(b.Context(), fmt.Sprintf(`select detail from staging.i%d_results where row_no = 3`,
		i.ID)).Scan(&detail))
	b.want(detail, "without E-mail bad")
	held := b.upload("contact", text)
	r := *held.Routine.V
	o := r.Drafts[0].Fields["family_name"]
	o.Unreadable = mapping.LeaveValue
	r.Drafts[0].Fields["family_name"] = o
	if err := b.work.SetRoutine(b.Context(), held, r, 0, b.person); !fault.Is(err, "must_be_read") {
		t.Errorf("a required field: %v", err)
	}
}

// What stands for nothing is a blank: it overwrites nothing, and holds nothing.
func TestNothing(t *testing.T) {
	b := start(t)
	b.loaded("contact", "Ref,Family name,E-mail,Job title,Country\nK-1,Berg,ada@x.example,Clerk,NA\n")
	b.want(b.record("contact", "CON-1").Values["country"], "NA") // Namibia
	text := "Ref,Family name,E-mail,Job title,Country\nK-1,Berg,n/a,unbekannt,-\nK-2,Na,--,not asked,?\n"
	i := b.check(b.exactly(b.upload("contact", text), "source_ref"))
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 1, "same": 1})
	b.want(fmt.Sprint(i.Columns.V[2].Nothing, i.Columns.V[2].Filled), "[{-- 1} {n/a 1}] 0")
	b.ok(b.store.SetNothing(b.Context(), "main", []string{"Not asked"}, b.person.ID))
	i = b.load(b.check(i))
	b.want(b.record("contact", "CON-2").Values, map[string]string{"family_name": "Na", "source_ref": "K-2"})
}

// Cells take what the next one above says that says something of its own: those with a problem,
// those that say a text, or blank ones. Nothing stands above the first; what was loaded stays.
func TestTakingWhatStandsAbove(t *testing.T) {
	b := start(t)
	const sheet = "Company,Town,Phone\n" +
		"dito,Bergen,1\n" + // 2 nothing stands above
		"Alpha Marina,Voss,2\n" + // 3
		"dito,s.o.,3\n" + // 4
		"〃,,4\n" + // 5
		"Beta Havn,,5\n" + // 6
		"dito,Molde,6\n" // 7
	i := b.check(b.exactly(b.upload("account", sheet), "name"))
	companies := func(i store.Import) (list []string) {
		rows, err := b.room.Rows(b.Context(), i, staging.RowFilter{}, 0, -1, 100)
		b.ok(err)
		for _, r := range rows {
			list = append(list, r.Cells.V[0]+"/"+r.Cells.V[1])
		}
		return list
	}
	above := ReplaceRequest{Column: "Company", How: FindAbove, Rows: staging.RowFilter{Problem: "same_as_above",
		Field: "name"}}
	n, values, more, err := b.work.Replacing(b.Context(), i, above)
	b.ok(err)
	b.want([]any{n, values, more},
		[]any{int64(3), []staging.Replaced{{Was: "dito", Value: "Alpha Marina", Count: 1},
			{Was: "dito", Value: "Beta Havn", Count: 1}, {Was: "〃", Value: "Alpha Marina", Count: 1}}, false})
	n, err = b.work.Replace(b.Context(), i, above, b.person)
	b.ok(err)
	b.want(n, 3)
	i = b.again(i)
	b.want(companies(i), "[dito/Bergen Alpha Marina/Voss Alpha Marina/s.o. Alpha Marina/ Beta Havn/ Beta Havn/Molde]")

	// blank ones: s.o. says something
	n, err = b.work.Replace(b.Context(), i, ReplaceRequest{Column: "Town", How: FindAbove}, b.person)
	b.ok(err)
	b.want(n, 2)
	b.want(companies(b.again(i)),
		"[dito/Bergen Alpha Marina/Voss Alpha Marina/s.o. Alpha Marina/s.o. Beta Havn/s.o. Beta Havn/Molde]")
	n, err = b.work.Replace(b.Context(), b.again(i), ReplaceRequest{Column: "Town", How: FindAbove, Find: "s.o."},
		b.person)
	b.ok(err)
	b.want(n, 3)
	i = b.again(i)
	b.want(companies(i), "[dito/Bergen Alpha Marina/Voss Alpha Marina/Voss Alpha Marina/Voss Beta Havn/Voss Beta Havn/Molde]")
	b.agree(i)

	// What was loaded no longer changes, and all edits can be taken back.
	_, err = b.work.TakeEditsBack(b.Context(), i, nil, "", b.person)
	b.ok(err)
	i = b.load(b.again(i))
	n, err = b.work.Replace(b.Context(), b.again(i), ReplaceRequest{Column: "Town", How: FindAbove}, b.person)
	b.ok(err)
	b.want(n, 1) // row 5, which is held; row 6 was loaded
}
