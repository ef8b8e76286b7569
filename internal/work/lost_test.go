package work

import (
	"testing"

	"uchi/internal/core/mapping"
	"uchi/internal/core/verdict"
	"uchi/internal/staging"
	"uchi/internal/store"
)

// A sheet saved in an encoding without some letters changes no record that has them, and makes
// none.
func TestLettersThatASheetHasLost(t *testing.T) {
	b := start(t)
	b.loaded("contact", "First name,Surname,E-mail,City\nŁukasz,Wiśniewski,lw@x.example,Gdańsk\n"+
		"Jiří,Dvořák,jd@x.example,Mělník\n")
	const back = "Contact id,First name,Surname,E-mail,City\nCON-1,?ukasz,Wi?niewski,lw@x.example,Gda?sk\n" +
		"CON-2,Ji?í,Novot?ý,jd@x.example,M?lník\n,Ay?e,Demir,ad@x.example,\n"
	i := b.check(b.upload("contact", back))
	b.want(b.codes(i), "[3 lost_letters family_name 4 lost_letters given_name]")
	b.want(i.Totals.V.Verdicts, map[string]int64{"same": 1, "hold": 2})

	// Who says that rows replace what is there is asked about each; who takes them as they stand is not.
	chosen := func(policy mapping.Doubtful) store.Import {
		return b.check(b.change(b.upload("contact", back), func(r *mapping.Routine) {
			r.Drafts[0].Both, r.Drafts[0].Doubtful = mapping.Replace, policy
		}))
	}
	b.want(chosen("").Totals.V.Verdicts, map[string]int64{"hold": 3})
	b.want(chosen(mapping.TakeRows).Totals.V.Verdicts, map[string]int64{"update": 2, "create": 1})
}

// What a spreadsheet program makes of numbers and codes changes no record that has them in full;
// a value in full takes the place of what such a program has left.
func TestDigitsThatASheetHasLost(t *testing.T) {
	b := start(t)
	const full = "Name,Street,Postal code,Registration number,Number in the old system\n" +
		"Alpha Marina,5-6,0150,123456789012345678,00017\nBeta Marina,Kai 7,01067,007E5,MAR-1\n"
	b.loaded("account", full)
	i := b.check(b.upload("account", "Account id,Name,Street,Postal code,Registration number,Number in the old system\n"+
		"ACC-1,Alpha Marina,05-Jun,150,1.23457E+17,17\nACC-2,Beta Marina,Kai 7,1067,700000,01-Mar\n"))
	b.want(i.Totals.V.Verdicts, map[string]int64{"same": 2})
	// What no such program does is a change: another number, another word, a code in capitals.
	i = b.check(b.change(b.upload("account", "Account id,Street,Postal code,Number in the old system,Registration "+
		"number\nACC-1,5-7,0151,00018,1.23457E+15\nACC-2,Kai 10,01068,Mar-12,12345\n"),
		func(r *mapping.Routine) { r.Drafts[0].Doubtful = mapping.TakeRows }))
	b.want(i.Totals.V.Changes, []verdict.FieldCount{{Field: "postal_code", Count: 2, Over: 2},
		{Field: "registration_number", Count: 2, Over: 2}, {Field: "source_ref", Count: 2, Over: 2},
		{Field: "street", Count: 2, Over: 2}})
	b.want(b.check(b.upload("account", "Account id,Street,Number in the old system\nACC-1,2026-06-05,\n"+
		"ACC-2,,Mar-01\n")).Totals.V.Verdicts, map[string]int64{"same": 2})
	b.want(b.codes(b.check(b.upload("account", "Name,Street,Postal code,Number in the old system\n"+
		"Gamma Marina,05-Jun,1000,1.2E+15\n"))), "[2 damaged_number source_ref 2 made_a_date street]")

	_, err := b.work.ChangeRecord(b.Context(), "main", "account", "ACC-1", 0,
		map[string]string{"postal_code": "150", "street": "05-Jun", "source_ref": "17"}, b.person)
	b.ok(err)
	b.load(b.check(b.upload("account", "Account id,Street,Postal code,Number in the old system\nACC-1,5-6,0150,00017\n")))
	v := b.record("account", "ACC-1").Values
	b.want(v["postal_code"]+" "+v["street"]+" "+v["source_ref"], "0150 5-6 00017")
}

// Marks for notes below a list are no part of names: the rows are held until the marks are taken
// away, in all cells at once, but for a record that has just this.
func TestMarksBesideNames(t *testing.T) {
	b := start(t)
	b.load(b.check(b.change(b.upload("account", "Number in the old system,Company\n1,Quay Ltd*\n"),
		func(r *mapping.Routine) { r.Drafts[0].Doubtful = mapping.TakeRows })))
	i := b.check(b.upload("account", "Number in the old system,Company\n1,Quay Ltd*\n2,Tern Works AS ¹\n"+
		"3,Sail*Spar Ltd\n"))
	b.want(b.codes(i), "[3 footnote_mark name]")
	b.want(i.Totals.V.Verdicts, map[string]int64{"same": 1, "hold": 1, "create": 1})
	_, err := b.work.Replace(b.Context(), i, ReplaceRequest{Column: "Company", How: FindPattern, Find: `\s*[*†‡#¹²³]+$`,
		Rows: staging.RowFilter{Problem: "footnote_mark"}}, b.person)
	b.ok(err)
	i = b.again(i)
	b.want(i.Totals.V.Verdicts, map[string]int64{"same": 1, "create": 2})
}

// A word for nothing where a name belongs makes no record called so, and leaves one that is.
func TestNamesThatMayBeNone(t *testing.T) {
	b := start(t)
	b.loaded("contact", "First name,Surname,E-mail\nAda,Null,an@x.example\n")
	const sheet = "First name,Surname,E-mail\n,brak,b@x.example\nAda,NULL,an@x.example\nRolf,Kade,rk@x.example\n"
	i := b.check(b.upload("contact", sheet))
	b.want(b.codes(i), "[2 perhaps_nothing family_name 3 perhaps_nothing family_name]")
	i = b.check(b.change(b.upload("contact", sheet), func(r *mapping.Routine) { r.Drafts[0].Doubtful = mapping.TakeRows }))
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 2, "same": 1})
}

// What another program has left of a value, and what it would not.
func TestWhatOtherProgramsLeave(t *testing.T) {
	b := start(t)
	for _, c := range []struct {
		now, was string
		want     bool
	}{
		{"Wi?niewski", "Wiśniewski", true}, {"?ukasz", "Łukasz", true}, {"Wi?niewski", "Wixniewski", false},
		{"Wi?niewsk", "Wiśniewski", false}, {"a_?", "a%ś", false},
		{"150", "0150", true}, {"0150", "150", false}, {"150", "0151", false}, {"98.1", "98.10", true},
		{"1", "100", false}, {"1.000", "1", false},
		{"123456789012345000", "123456789012345678", true}, {"123456789012346000", "123456789012345678", false},
		{"1.23457E+17", "123456789012345678", true}, {"1.23457E+16", "123456789012345678", false},
		{"2.2E+17", "123456789012345678", false},
		{"700000", "007E5", true}, {"1.00E+05", "1E5", true}, {"12345", "7E5", false}, {"7E5", "700000", false},
		{"05-Jun", "5-6", true}, {"06-May", "5-6", true}, {"07-Jun", "5-6", false}, {"08-Sep", "5-6", false},
		{"2026-06-05", "5/6", true}, {"2026-07-05", "5/6", false},
		{"01-Mar", "MAR-1", true}, {"Mar-01", "MAR1", true}, {"MAR-01", "MAR-1", false}, {"Mar-02", "MAR-1", false},
		{"Berg 10", "Berg 9", false}, {"Set 12", "Set 1", false}, {"Kai 7", "Kai", false},
		{"2026-06-05", "2026-05-06", false},
	} {
		var got bool
		b.ok(b.store.Pool().QueryRow(b.Context(), `select uchi.lost($1, $2)`, c.now, c.was).Scan(&got))
		if got != c.want {
			t.Errorf("%q of %q: %t, want %t", c.now, c.was, got, c.want)
		}
	}
}

// Cells that have slipped into the next column make no record of them, and leave one that has
// them so.
func TestCellsThatHaveSlipped(t *testing.T) {
	b := start(t)
	const sheet = "Name,Street,Postal code,City,Registration number\nAlpha Marina,Kai 1,Greifswald,17489,R1\n" +
		"Beta Marina,Kai 2,17489,Greifswald,R2\nGamma Marina,post@gamma.example,,,R3\n"
	i := b.check(b.upload("account", sheet))
	b.want(b.codes(i), "[2 bad_place locality 2 bad_place postal_code 4 bad_place street]")
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 1, "hold": 2})
	b.load(b.check(b.change(b.upload("account", sheet),
		func(r *mapping.Routine) { r.Drafts[0].Doubtful = mapping.TakeRows })))
	b.want(b.check(b.upload("account", sheet)).Totals.V.Verdicts, map[string]int64{"same": 3})
}

// A row that its sheet says was deleted is held while nobody has said what is done with the column: it is let go
// where the cell is blanked, left out by a condition, and loaded where a field takes the column.
func TestRowsThatWereDeleted(t *testing.T) {
	b := start(t)
	const sheet = "Ref,Family name,DEL_FLG\nK-1,Berg,N\nK-2,Lie,Y\nK-3,Moe,\n"
	i := b.check(b.upload("contact", sheet))
	b.want(b.codes(i), "[3 marked_deleted ]")
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 2, "hold": 1})
	_, err := b.work.Edit(b.Context(), i, []CellEdit{{3, "DEL_FLG", ""}}, b.person)
	b.ok(err)
	b.want(b.again(i).Totals.V.Verdicts, map[string]int64{"create": 3})

	i = b.check(b.change(b.upload("contact", sheet), func(r *mapping.Routine) {
		r.Drafts[0].Where = `cells["DEL_FLG"] != "Y"`
	}))
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 2, "skip": 1})
	i = b.check(b.change(b.upload("contact", sheet), func(r *mapping.Routine) {
		r.Drafts[0].Fields["description"] = mapping.Origin{From: []string{"DEL_FLG"}}
	}))
	b.want(i.Totals.V.Verdicts["create"], int64(3))
}

// Postal codes that are too short for their country are told, and loaded as they stand; those that people take are
// not told, and a record that has just this one has it told no more.
func TestShortPostalCodes(t *testing.T) {
	b := start(t)
	const sheet = "Ref,Company,Zip,Country\nA-1,Oxford Yard,241,DE\nA-2,Kiel Yard,24103,DE\nA-3,Oslo Yard,150,NO\n"
	i := b.check(b.change(b.upload("account", sheet), func(r *mapping.Routine) {
		r.Drafts[0].Fields["postal_code"] = mapping.Origin{From: []string{"Zip"}, Doubtful: mapping.TakeRows}
	}))
	b.want(b.codes(i), "[]")
	i = b.load(b.check(b.upload("account", sheet)))
	b.want(b.codes(i), "[2 short_code postal_code 4 lost_zero postal_code]")
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"created": 2, "held": 1})
	b.want(b.record("account", "ACC-1").Values["postal_code"], "241")
	b.want(b.codes(b.check(b.upload("account", sheet))), "[4 lost_zero postal_code]")
}
