package value

import (
	"strings"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/problem"
)

// Addresses that are made up to fill a field say nothing, and no domain ends in .con.
func TestMailboxesThatAreNone(t *testing.T) {
	n := NewNothing(field(catalog.Email), nil)
	for s, want := range map[string]bool{
		"none@none.com": true, "NoEmail@company.example": true, "test@test.com": true, "n/a@na.com": true,
		"unknown@unknown.com": true, "keine-email@firma.example": true,
		"test@marina.example": false, "info@x.example": false, "mail@example.org": true, "mail@abc.com": false,
		"asdf@asdf.com": true, "x@x.example": false, "noemi@x.example": false, "noreply@x.example": true,
		"do-not-reply@x.example": true, "nobody": false,
	} {
		if got := n.Is(s); got != want {
			t.Errorf("%s: %v", s, got)
		}
	}
	check(t, field(catalog.Email), Settings{}, []readCase{
		{"a@mail.con", "", problem.BadEmail}, {"a@mail.comm", "", problem.BadEmail}, {"a@mail.com", "a@mail.com", ""},
		{"a@b.co.uk", "a@b.co.uk", ""}, {"a@b.marina.local", "a@b.marina.local", ""}, {"a@b.museum", "a@b.museum", ""},
	})
}

// A slip in the domain of a well-known provider is seen, and no other domain is taken for one.
func TestMisspeltDomains(t *testing.T) {
	for s, want := range map[string]string{
		"kari@gmial.com": "kari@gmail.com", "kari@GMAI.com": "kari@gmail.com", "kari@gmail.co": "kari@gmail.com",
		"kari@hotmial.com": "kari@hotmail.com", "kari@yahooo.com": "kari@yahoo.com", "kari@outlok.com": "kari@outlook.com",
		"kari@gnail.com": "kari@gmail.com", "kari@t-onlin.de": "kari@t-online.de", "kari@gmail.com": "",
		"kari@mail.com": "", "kari@ymail.com": "", "kari@email.com": "", "kari@outlook.de": "", "kari@yahoo.ca": "",
		"kari@hotmail.co.uk": "", "kari@gmx.de": "", "kari@quay.example": "", "gmial.com": "", "@gmial.com": "",
	} {
		if got := MeantMailbox(s); got != want {
			t.Errorf("%s: %q", s, got)
		}
	}
}

// A desk is no person; a person may be called as one.
func TestDesks(t *testing.T) {
	for name, want := range map[string]bool{
		"Reception": true, "Sales Department": true, "Team Einkauf": true, "Customer Care": true, "Accounts Finance": true,
		"Ana Sales": false, "Info Berg": false, "Harbour Lights": false, "Marina Post": false, "Nå": false, "E": false,
	} {
		given, family, _ := strings.Cut(" "+name, " ")
		if words := strings.Fields(name); len(words) > 1 {
			given, family = words[0], strings.Join(words[1:], " ")
		}
		if got := Nobody(catalog.Field{Likeness: catalog.AsFamilyName}, given, family); got != want {
			t.Errorf("%q: %v", name, got)
		}
	}
}

// What says for whom a letter is, a mailbox, and the titles of peers are no part of a name.
func TestNamesWithMoreAround(t *testing.T) {
	for s, want := range map[string]string{
		"Ada Berg <ada@x.example>": "Ada|Berg", "z.Hd. Frau Kade": "|Kade", "Attn: Ada Berg": "Ada|Berg",
		"Attila Berg": "Attila|Berg", "FAO Ada Berg": "Ada|Berg", "Fao Berg": "Fao|Berg",
		"Sir Ian Moe": "Ian|Moe", "Lady Gómez": "Lady|Gómez", "Vries J de": "J|de Vries",
	} {
		if given, family := SplitName(s); given+"|"+family != want {
			t.Errorf("%q: %s|%s, want %s", s, given, family, want)
		}
	}
}
