package work

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"io"
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
	"uchi/internal/core/verdict"
	"uchi/internal/core/view"
	"uchi/internal/staging"
	"uchi/internal/store"
)

func columns(names ...string) store.RecordFilter {
	return store.RecordFilter{View: view.View{Columns: names}}
}

// A sheet of records goes out, one value is changed, a row and a column are taken
// away, and one row is new: brought back, its columns go to their fields by
// themselves, and only what was changed is an update.
func TestExportAndBack(t *testing.T) {
	b := start(t)
	b.room.OfMany()
	b.loaded("account", "Source ref,Company,Town\nA-1,Tern Marina,Ternvik\n=A-2,Gull Marina,Gullvik\n"+
		"A-3,Skarv,Skarvholm\n")
	b.loaded("contact", "Ref,Given name,Family name,E-mail,Phone,Account\n"+
		"K-1,Kari,Øksnes,kari@x.example,+4755112233,A-1\nK-2,\"Jan \"\"Q\"\"\",\"Dal, Jr\",,,A-1\n")
	export := func(typeName string, x Export) string {
		t.Helper()
		_, _, write, err := b.work.Exporting(b.Context(), "main", typeName, x)
		b.ok(err)
		var out strings.Builder
		b.ok(write(b.Context(), &out))
		return out.String()
	}
	made := export("account", Export{Format: CSV, Filter: columns("name", "locality", "source_ref")})
	b.want(made, "\ufeffAccount id,Name,Town or city,Number in the old system\nACC-1:1,Tern Marina,Ternvik,A-1\n"+
		"ACC-2:1,Gull Marina,Gullvik,'=A-2\nACC-3:1,Skarv,Skarvholm,A-3\n")
	back := strings.NewReplacer("Gullvik", "Gullholm", "ACC-3:1,Skarv,Skarvholm,A-3\n", ",Krogsø,Krogvik,\n").Replace(made)
	i := b.upload("account", back)
	b.want(fields(*i.Routine.V), "account.id=Account id account.locality=Town or city account.name=Name "+
		"account.source_ref=Number in the old system")
	i = b.check(i)
	b.want(b.rows(i), "[2 same (same 1) 3 update (update 2) 4 create (create)]")
	i = b.load(i)
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"created": 1, "updated": 1, "unchanged": 1})
	b.want(b.record("account", "ACC-2").Values["source_ref"], "=A-2")

	// All fields of another type, with references, in every form.
	all := b.check(b.upload("contact", export("contact", Export{Format: CSV})))
	b.want(all.Totals.V.Verdicts, map[string]int64{"same": 2})
	b.want(export("contact", Export{Format: JSONL,
		Filter: store.RecordFilter{View: view.View{Columns: []string{"family_name", "account"}}, Text: "dal"}}),
		`{"account":"ACC-1","family_name":"Dal, Jr","id":"CON-2:1"}`+"\n")
	book := b.check(b.upload("contact", export("contact", Export{Format: XLSX})))
	b.want(book.Totals.V.Verdicts, map[string]int64{"same": 2})

	open := b.check(b.upload("contact", export("contact", Export{Format: ODS})))
	b.want(open.Totals.V.Verdicts, map[string]int64{"same": 2})
	// Beside a reference stands the name of its record, to be read and not to be loaded.
	b.want(strings.Contains(fields(*open.Routine.V), "Account ›"), false)
	b.want(slices.ContainsFunc(open.Columns.V,
		func(c sheet.Column) bool { return c.Header == "Account › Name" && c.Samples[0] == "Tern Marina" }), true)

	// Others change records while the sheet is away: what only they have changed stays,
	// what only the sheet has changed is taken, what both have changed is held.
	away := export("account", Export{Format: CSV, Filter: columns("name", "locality", "website")})
	b.loaded("account", "Account id,Town or city,Website\nACC-1,Ternby,https://tern.example\nACC-2,Gullby,\n"+
		"ACC-3,Skarvby,\n")
	away = strings.NewReplacer("Tern Marina,Ternvik,", "Tern Harbour,Ternvik,", "Gullholm,", "Gullsund,", "Skarvholm,",
		"Skarvby,").Replace(away)
	i = b.check(b.upload("account", away))
	b.want(b.rows(i), "[2 update (update 1) 3 hold (hold 2) 4 same (same 3) 5 same (same 4)]")
	b.want(b.codes(i), "[3 changed_on_both_sides locality]")
	rows, err := b.room.Rows(b.Context(), i, staging.RowFilter{}, 0, -1, 10)
	b.ok(err)
	b.want(rows[1].Problems[0].Detail, "Gullholm when the sheet was made, now Gullby")
	_, err = b.work.Edit(b.Context(), i, []CellEdit{{3, "Town or city", "Gullby"}}, b.person)
	b.ok(err)
	i = b.load(b.again(i))
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"updated": 1, "unchanged": 3})
	tern := b.record("account", "ACC-1").Values
	b.want(tern["name"]+" "+tern["locality"]+" "+tern["website"], "Tern Harbour Ternby https://tern.example")
	b.agree(i)

	// A cell that was emptied is told from one that was blank; it empties the value where
	// blank cells may, and nothing that others have filled meanwhile.
	emptied := strings.NewReplacer("Ternby", "", "Gullby",
		"").Replace(export("account", Export{Format: CSV, Filter: columns("name", "locality", "website", "phone")}))
	b.loaded("account", "Account id,Phone\nACC-1,+4755112299\n")
	i = b.check(b.upload("account", emptied))
	b.want(b.codes(i), "[2 emptied_in_sheet locality 3 emptied_in_sheet locality]")
	b.want(b.rows(i), "[2 same (same 1) 3 same (same 2) 4 same (same 3) 5 same (same 4)]")
	i = b.load(b.check(b.change(i, func(r *mapping.Routine) { r.Drafts[0].Blank = mapping.Clear })))
	b.want(b.codes(i), "[]")
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"updated": 2, "unchanged": 2})
	tern = b.record("account", "ACC-1").Values
	b.want(tern["locality"]+tern["phone"], "+4755112299")
	b.loaded("account", "Account id,Town or city\nACC-3,Skarvsund\n")
	i = b.check(b.change(b.upload("account", strings.Replace(emptied, "Skarvby", "", 1)),
		func(r *mapping.Routine) { r.Drafts[0].Blank = mapping.Clear }))
	b.want(b.codes(i), "[4 changed_on_both_sides locality]")

	// A stage that only others have moved on is no doubt about the sheet.
	b.loaded("opportunity", deals+"Mooring lines,ACC-1,offered,5000,EUR,2026-12-01,D-1\n")
	pipeline := export("opportunity", Export{Format: CSV})
	b.loaded("opportunity", "Opportunity id,Stage,Expected close\nOPP-1,agreed,2027-02-01\n")
	i = b.check(b.change(b.upload("opportunity", pipeline),
		func(r *mapping.Routine) { r.Drafts[0].Doubtful = mapping.HoldDoubt }))
	b.want(b.codes(i), "[]")
	b.want(b.rows(i), "[2 same (same 1)]")

	for code, x := range map[string]Export{"unknown_format": {Format: "pdf"},
		"unknown_field": {Format: CSV, Filter: columns("shoe")}} {
		if _, _, _, err := b.work.Exporting(b.Context(), "main", "contact", x); !fault.Is(err, code) {
			t.Errorf("%+v: %v, want %s", x, err, code)
		}
	}
}

// More records than a sheet holds are workbooks in a ZIP: all records once, in their
// order, and no part is empty.
func TestExportInParts(t *testing.T) {
	c, err := catalog.Standard()
	if err != nil {
		t.Fatal(err)
	}
	account, _ := c.Type("account")
	name, err := view.Find(c, account, "name")
	if err != nil {
		t.Fatal(err)
	}
	for records, want := range map[int]string{0: "", 3: "Accounts-1.ods", 6: "Accounts-1.ods Accounts-2.ods",
		7: "Accounts-1.ods Accounts-2.ods Accounts-3.ods"} {
		each := func(_ context.Context, f func(store.Record) error) error {
			for n := range records {
				if err := f(store.Record{Type: account, ID: int64(n + 1), Version: 1,
					Values: map[string]string{"name": fmt.Sprint("Marina ", n)}}); err != nil {
					return err
				}
			}
			return nil
		}
		head := sheet.BookSheet{Name: "Accounts", Columns: sheet.Columns([]string{"Account id", "Name"})}
		var out bytes.Buffer
		x := Export{Format: ODS, Filter: columns("name")}
		if err := exportBooks(t.Context(), &out, x, []view.Path{name}, head, 3, each); err != nil {
			t.Fatal(err)
		}
		z, err := zip.NewReader(bytes.NewReader(out.Bytes()), int64(out.Len()))
		if err != nil {
			t.Fatal(err)
		}
		var names []string
		rows := 0
		for _, f := range z.File {
			names = append(names, f.Name)
			part, err := f.Open()
			if err != nil {
				t.Fatal(err)
			}
			b, err := io.ReadAll(part)
			if err != nil {
				t.Fatal(err)
			}
			book, err := zip.NewReader(bytes.NewReader(b), int64(len(b)))
			if err != nil {
				t.Fatal(err)
			}
			content, err := book.Open("content.xml")
			if err != nil {
				t.Fatal(err)
			}
			text, err := io.ReadAll(content)
			if err != nil {
				t.Fatal(err)
			}
			rows += strings.Count(string(text), "<text:p>Marina ")
		}
		if got := strings.Join(names, " "); got != want || rows != records {
			t.Errorf("%d records: %s with %d rows, want %s", records, got, rows, want)
		}
	}
}
