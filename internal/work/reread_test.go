package work

import (
	"bytes"
	"fmt"
	"testing"

	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
	"uchi/internal/store"
)

// uploaded uploads a file, of whose rows nobody says what they are.
func (b *bench) uploaded(name, body string) store.Import {
	b.Helper()
	i, err := b.work.Upload(b.Context(), Upload{Workspace: "main", FileName: name, Body: bytes.NewReader([]byte(body)),
		Bytes: int64(len(body)), By: b.person})
	b.ok(err)
	return b.wait(i.ID)
}

// read reads a source otherwise.
func (b *bench) read(i store.Import, r sheet.Reading) store.Import {
	b.Helper()
	b.ok(b.work.SetReading(b.Context(), i, r, b.person))
	return b.wait(i.ID)
}

// placed gives the field that a column goes to, and the record type before it.
func (b *bench) placed(i store.Import, header string) string {
	b.Helper()
	for name, o := range i.Routine.V.Drafts[0].Fields {
		if len(o.From) == 1 && o.From[0] == header {
			return i.Into + " " + name
		}
	}
	return i.Into + " -"
}

// What was suggested for one part of a source is not kept for another: a column in the same
// place is another column, and the rows may be something else. What a person said is kept
// for columns of the same name alone.
func TestAnotherPartOfASource(t *testing.T) {
	b := start(t)
	const companies = "No,Company,Street,Town\n1,Alpha Marina AS,Kaigata 1,Bergen\n2,Beta Havn AS,Kaigata 2,Voss\n" +
		"3,Gamma Verft AS,Kaigata 3,Molde\n"
	const people = "No,Surname,Job title,Mobile\n7,Moe,Director,+4790112233\n8,Lie,Buyer,+4790112234\n" +
		"9,Dahl,Captain,+4790112235\n"
	zip := b.zipped("companies.csv", companies, "people.csv", people)

	i := b.uploaded("old.zip", zip)
	b.want(b.placed(i, "Street"), "account street")
	i = b.read(i, sheet.Reading{File: "people.csv"})
	b.want(b.placed(i, "Job title"), "contact job_title")
	b.want(b.placed(i, "Mobile"), "contact mobile")
	b.want(b.placed(i, "Surname"), "contact family_name")
	i = b.read(i, sheet.Reading{File: "companies.csv"})
	b.want(b.placed(i, "Street"), "account street")

	// The type that a person gave stays; what was only suggested for it does not.
	i, err := b.work.Upload(b.Context(), Upload{Workspace: "main", FileName: "old.zip", Into: "contact",
		Body: bytes.NewReader([]byte(zip)), Bytes: int64(len(zip)), By: b.person})
	b.ok(err)
	i = b.read(b.wait(i.ID), sheet.Reading{File: "people.csv"})
	b.want(b.placed(i, "Job title"), "contact job_title")

	// A person's choices go with their columns, wherever these stand.
	i = b.change(b.uploaded("old.zip", zip), func(r *mapping.Routine) {
		r.Drafts[0].Fields = map[string]mapping.Origin{"name": {From: []string{"Company"}},
			"legal_name": {From: []string{"Street"}}, "source_ref": {From: []string{"No"}}}
	})
	i = b.read(i, sheet.Reading{File: "people.csv"})
	b.want(b.placed(i, "No"), "account source_ref")
	b.want(b.placed(i, "Surname"), "account -")
	b.want(b.placed(i, "Job title"), "account -")
	b.agree(i)
}

// Columns keep their places when only the letters of their headers were read otherwise.
func TestAnotherEncodingOfASource(t *testing.T) {
	b := start(t)
	const latin = "Name,Stra\xdfe,Ort\nAlpha Werft,Kai 1,K\xf6ln\nBeta Werft,Kai 2,K\xf6ln\n"
	i := b.change(b.read(b.upload("account", latin), sheet.Reading{Encoding: "iso-8859-5"}), func(r *mapping.Routine) {
		r.Drafts = []mapping.Draft{{Type: "account", Fields: map[string]mapping.Origin{"name": {From: []string{"Name"}},
			"street": {From: []string{"Straпe"}}}}}
	})
	i = b.read(i, sheet.Reading{Encoding: "iso-8859-1"})
	b.want(b.placed(i, "Straße"), "account street")
}

// What was only suggested is not remembered as chosen: in the next sheet the same header may be
// something else.
func TestWhatNobodyChose(t *testing.T) {
	b := start(t)
	b.loaded("account", "Company\nAlpha Marina\n")
	first := b.upload("opportunity", lines("Deal,Title,Customer,Value,Expected close,Stage", 7, func(n int) string {
		return fmt.Sprintf("D%d,Refit of pier %d,Alpha Marina,%d00,2027-01-0%d,won", n+1, n+1, n+1, n+1)
	}))
	b.want(b.placed(first, "Deal"), "opportunity source_ref")
	b.load(b.check(first))
	next := b.upload("opportunity", "Deal no,Deal,Customer\nBD-1,Pedestals west quay,Alpha Marina\n"+
		"BD-2,Charger for the pilot boat,Alpha Marina\nBD-3,Refit of pier C,Alpha Marina\n")
	b.want(b.placed(next, "Deal"), "opportunity title")
	b.want(b.placed(next, "Deal no"), "opportunity source_ref")
	b.load(b.check(b.change(next, func(r *mapping.Routine) {
		delete(r.Drafts[0].Fields, "title")
		r.Drafts[0].Fields["description"] = mapping.Origin{From: []string{"Deal"}}
	})))
	b.want(b.placed(b.upload("opportunity", "Deal,Customer\nText,Alpha Marina\n"), "Deal"), "opportunity description")
}

// A sheet on its side is told, turned when somebody says so, and loaded with the numbers of its columns.
func TestASheetOnItsSide(t *testing.T) {
	b := start(t)
	i := b.uploaded("side.csv", "Company,Tern Boats Ltd,Gull Marine Ltd,Kade AS\nStreet,12 Quay Street,3 Dock Road,Strandgata 4\n"+
		"Town,Cowes,Falmouth,Bergen\n\nPostcode,PO31 7QE,TR11 3TS,5003\nCountry,GB,GB,Nowhere\nWebsite,tern.example,gull.example,kade.example\n")
	told := false
	for _, n := range i.Notices.V {
		told = told || n.Code == "on_its_side"
	}
	b.want([]any{told, i.Into}, []any{true, ""})
	i = b.read(i, sheet.Reading{Turned: true})
	b.want([]any{i.Into, len(i.Notices.V), b.placed(i, "Postcode")}, []any{"account", 0, "account postal_code"})
	i = b.check(i)
	b.want(b.rows(i), "[2 create (create) 3 create (create) 4 hold (hold)]")
	b.load(i)
	b.want(b.record("account", "ACC-2").Values["locality"], "Falmouth")
}
