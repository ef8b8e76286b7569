package work

import (
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
)

// A lead who is a contact already, or whose company is an account, is told; what is
// done with such rows is kept with the record type.
func TestKnownAsAnotherType(t *testing.T) {
	b := start(t)
	b.loaded("account", "Company\nTern Marina AS\n")
	b.loaded("contact", "Family name,E-mail,Mobile\nØksnes,kari@oksnes.example,+4790112233\nBerg,info@marina.example,\n")
	sheet := "Given name,Family name,Company,E-mail,Mobile\n" +
		"Kari,Oksnes,Tern Marina,KARI@oksnes.example,\n" + // 2 a contact, of an account
		"Nils,Li,Gull Marina,info@marina.example,\n" + // 3 another person at the mailbox
		"K.,Øksnes,Skarv,,+47 90 11 22 33\n" + // 4 a contact by the mobile
		"Ane,Dal,Tern Marina Ltd,,\n" // 5 a company of another form
	i := b.check(b.upload("lead", sheet))
	b.want(b.codes(i), "[2 known_elsewhere  2 known_elsewhere  4 known_elsewhere ]")
	b.want(b.rows(i), "[2 create (create) 3 create (create) 4 create (create) 5 create (create)]")
	c, err := b.store.Catalog(b.Context(), "main")
	b.ok(err)
	lead, _ := c.Type("lead")
	_, err = b.work.ChangeKnown(b.Context(), "main", "lead", "contact", catalog.Skip, lead.Version, b.person)
	b.ok(err)
	b.want(b.rows(b.check(b.upload("lead", sheet))), "[2 skip (skip) 3 create (create) 4 skip (skip) 5 create (create)]")
	_, err = b.work.ChangeKnown(b.Context(), "main", "lead", "contact", catalog.Hold, lead.Version+1, b.person)
	b.ok(err)
	b.want(b.rows(b.check(b.upload("lead", sheet))), "[2 hold (hold) 3 create (create) 4 hold (hold) 5 create (create)]")
	for code, typeName := range map[string]string{"unknown_record_type": "staff"} {
		if _, err := b.work.ChangeKnown(b.Context(), "main", "lead", typeName, catalog.Hold, 0,
			b.person); !fault.Is(err, code) {
			t.Errorf("%s: %v, want %s", typeName, err, code)
		}
	}
}
