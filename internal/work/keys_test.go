package work

import (
	"fmt"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/mapping"
	"uchi/internal/store"
)

// A field that is renamed goes on working in routines that know it by its old
// name; one that is retired is no longer offered, and keeps its values.
func TestRenamedAndRetiredFields(t *testing.T) {
	b := start(t)
	_, err := b.work.AddField(b.Context(), "main", "account", catalog.Field{Name: "berths", Label: "Berths",
		Type: catalog.Integer}, 0, b.person)
	b.ok(err)
	i := b.upload("account", "Company,Berths\nTern,12\n")
	b.want(i.Routine.V.Drafts[0].Fields["berths"].From, "[Berths]")
	name, yes, no := "moorings", true, false
	_, err = b.work.ChangeField(b.Context(), "main", "account", "berths", catalog.FieldChange{Name: &name}, 0, b.person)
	b.ok(err)
	i = b.load(b.check(i))
	b.want(b.record("account", "ACC-1").Values["moorings"], "12")
	_, err = b.work.ChangeField(b.Context(), "main", "account", "moorings", catalog.FieldChange{Retired: &yes},
		0, b.person)
	b.ok(err)
	other := b.upload("account", "Company,Moorings\nGull,7\n")
	if _, there := other.Routine.V.Drafts[0].Fields["moorings"]; there {
		t.Error("a retired field is placed")
	}
	if err := b.work.Check(b.Context(), i, b.person); !fault.Is(err, "field_retired") {
		t.Errorf("a routine that fills a retired field: %v", err)
	}
	b.want(b.record("account", "ACC-1").Values["moorings"], "12")
	_, err = b.work.ChangeField(b.Context(), "main", "account", "moorings", catalog.FieldChange{Retired: &no}, 0, b.person)
	b.ok(err)
	b.check(b.again(i))
	for code, change := range map[string]catalog.FieldChange{"field_exists": {Name: ptr("name")}} {
		if _, err := b.work.ChangeField(b.Context(), "main", "account", "moorings", change, 0,
			b.person); !fault.Is(err, code) {
			t.Errorf("%+v: %v", change, err)
		}
	}
	if _, err := b.work.ChangeField(b.Context(), "main", "account", "name", catalog.FieldChange{Name: ptr("firm")}, 0,
		b.person); !fault.Is(err, "standard_field") {
		t.Error(err)
	}
	if _, err := b.work.ChangeField(b.Context(), "main", "account", "name", catalog.FieldChange{Label: ptr("Firm")}, 1,
		b.person); !fault.Is(err, "changed_meanwhile") {
		t.Error(err)
	}
}

func ptr[T any](v T) *T { return &v }

// Any spelling of a key finds the record that a reference names.
func TestLinksByAnySpellingOfAKey(t *testing.T) {
	b := start(t)
	for name, ft := range map[string]catalog.FieldType{"k_text": catalog.Text, "k_number": catalog.Integer,
		"k_mail": catalog.Email, "k_phone": catalog.Phone, "k_web": catalog.URL} {
		_, err := b.work.AddField(b.Context(), "main", "account", catalog.Field{Name: name, Label: name, Type: ft,
			Key: true}, 0, b.person)
		b.ok(err)
	}
	b.loaded("account", "Company,k_text,k_number,k_mail,k_phone,k_web\nTern,Ærø-7,4711,hello@tern.example,+47 22 00 00 "+
		"00,https://www.tern.example/\n")
	spellings := []string{"Ærø-7", "ÆRØ-7", " ærø-7 ", "4711", "4 711", "hello@tern.example", "Hello@TERN.example",
		"+4722000000", "+47 22 00 00 00", "0047 22 00 00 00",
		"https://www.tern.example/", "tern.example", "http://tern.example", "WWW.Tern.Example", "Tern", "ACC-1", "acc-1"}
	i := b.upload("contact", lines("Ref,Family name,Account", len(spellings),
		func(n int) string { return fmt.Sprintf("K-%d,Berg,%s", n, spellings[n]) }))
	i = b.check(b.change(i, func(r *mapping.Routine) { r.Drafts[0].Match = []catalog.MatchRule{{Fields: []string{"source_ref"}}} }))
	b.want(b.codes(i), "[]")
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": int64(len(spellings))})
	t0, _ := b.catalog().Type("account")
	found, err := b.room.LinksOf(b.Context(), "main", t0, spellings)
	b.ok(err)
	for _, s := range spellings {
		if found[s].ID != "ACC-1" {
			t.Errorf("%q names %+v", s, found[s])
		}
	}
}

func (b *bench) catalog() catalog.Catalog {
	b.Helper()
	c, err := b.store.Catalog(b.Context(), "main")
	b.ok(err)
	return c
}

// The history of a deleted record can be read.
func TestHistoryOfWhatIsGone(t *testing.T) {
	b := start(t)
	b.loaded("account", "Source ref,Company\nA-1,Tern\n")
	gone := b.upload("account", "Source ref\nA-1\n")
	b.load(b.check(b.change(gone, func(r *mapping.Routine) { r.May = mapping.Delete })))
	account, _ := b.catalog().Type("account")
	h, err := b.store.History(b.Context(), "main", account, "ACC-1")
	b.ok(err)
	if len(h) != 1 || h[0].Kind != "delete" || *h[0].Changes.V["name"][0] != "Tern" {
		t.Errorf("%+v", h)
	}
	if _, err := b.store.History(b.Context(), "main", account, "ACC-2"); !fault.Is(err, "unknown_record") {
		t.Errorf("of one that never was: %v", err)
	}
}

// A text that is the id of one record and the number that another had in the old
// system is read as the whole column is: by the reading that explains all of it.
// Where both do, nobody guesses.
func TestIDsAndNumbersThatLookAlike(t *testing.T) {
	b := start(t)
	b.loaded("account", "Ref,Name\nACC-0,Quay House\nACC-1,Anchorby Marina\nACC-2,Fjordline Hotels\n") // ids 1 to 3
	linked := func(text string) string {
		t.Helper()
		i := b.check(b.upload("contact", text))
		list := b.codes(i)
		i = b.load(i)
		b.agree(i)
		records, _, err := b.store.Records(b.Context(), "main", "contact", store.RecordFilter{Import: i.ID, Limit: 10})
		b.ok(err)
		for _, r := range records {
			list = append(list, r.Links["account"].Title)
		}
		return strings.Join(list, ", ")
	}
	// ACC-0 is no id, so the column holds numbers of the old system.
	b.want(linked("Family name,Company\nBerg,ACC-0\nLi,ACC-1\nMoe,ACC-2\n"),
		"Quay House, Anchorby Marina, Fjordline Hotels")
	// ACC-3 is no number of the old system, so it holds ids.
	b.want(linked("Family name,Company\nEik,ACC-1\nDal,ACC-3\n"), "Quay House, Fjordline Hotels")
	// Each can be both.
	b.want(linked("Family name,Company\nEk,ACC-1\n"), "2 link_ambiguous account")
	b.want(linked("Family name,Company\nAas,ACC-9\n"), "2 record_missing account")
}
