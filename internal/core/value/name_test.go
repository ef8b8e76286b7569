package value

import (
	"testing"

	"uchi/internal/core/catalog"
)

// A half of a name is without the name of birth that stands behind it.
func TestWithoutBirthName(t *testing.T) {
	for in, want := range map[string]string{
		"Lehmann geb. Meier": "Lehmann", "Lehmann, geb. Meier": "Lehmann", "Anna (geb. Meier)": "Anna", "Dupont née Blanc": "Dupont", "van Nee": "van Nee", "Nee Lund": "Nee Lund",
		"Anna Nee Lund": "Anna Nee Lund", "geb. Meier": "geb. Meier", "Lehmann geb.": "Lehmann geb.", "": "", "Lehmann": "Lehmann",
	} {
		if got := WithoutBirthName(in); got != want {
			t.Errorf("%q: %q, want %q", in, got, want)
		}
	}
}

func TestNoName(t *testing.T) {
	family, company := catalog.Field{Name: "family_name", Type: catalog.Text, Likeness: catalog.AsFamilyName}, catalog.Field{Name: "name", Type: catalog.Text, Likeness: catalog.AsCompanyName}
	for in, want := range map[string][2]bool{
		"ada@kade.example": {true, true}, "https://kade.example": {true, true}, "www.kade.example": {true, false}, "4711": {true, false}, "Kade": {}, "@home Ltd": {true, false}, "Kelpie Marine GmbH": {true, false}, "da Silva e Sá": {}, "3": {true, false}, "O": {}, "鴎川": {}, "Kade @ Lund": {},
	} {
		if got := [2]bool{NoName(family, in), NoName(company, in)}; got != want {
			t.Errorf("%q: %v, want %v", in, got, want)
		}
	}
	if NoName(company, "") || !NoName(family, "<unreadable>") || !NoName(family, "ada_kade") || !NoName(family, "Ada.Kade") || NoName(family, "50%_off") || NoName(family, "J.P.") || !NoName(company, "[see note]") {
		t.Error("remarks in brackets")
	}
	if NoName(catalog.Field{Name: "note", Type: catalog.Text}, "ada@kade.example") {
		t.Error("a note may be an address")
	}
}

func TestOneName(t *testing.T) {
	for in, want := range map[string]bool{
		"Brodersen & Sohn": false, "Hans und Petra Möwes": false, "Ada / Femke Kade": false, "Ada Kade/Per Lund": false, "Kade, Ada; Lund, Per": false, "Familie Kade": false,
		"And Berg": true, "Berg &": true, "Ortega y Gasset": true, "Ute Undine Und": true, "Ada von und zu Stein": true,
		"Ada Kade (until May)": false, "Ada Kade (CEO)": false, "Ada Kade (2)": false, "Ada Kade - Sales": false, "Ada Kade – GF": false, "Ada Kade, CEO": false, "Ada Kade, MD": true, "Ciro e Gennaro Esposito": false, "Ana Ortega y Gasset": true, "João da Silva e Sousa": true, "Kade, Ada | Berg": false,
		"The Harbour Master": false, "(Ada Kade)": false, "Ada Kade?": false, "new: Ada Kade": false, "Ada Kade -GF-": false, "Ada Kade GF": false, "Kade GF": true, "Ada Kade mobil": false, "Ada Kade aka Addie": false, "Kade Dr. Ada": false,
		"KADE Dr. Ada": true, "Ada Kade, Per Lund, Bo Berg": false, "A.+B. Kade": false, "Ada u Bo Kade": false, "Ada S. kade": true, "ADA H. kade": true, "Omar al-Sayed Khan": true, "Maria do Carmo Reis": true, "Juan de los Reyes": true, "Jan d'hondt Berg": true, "Omar el-masri Khan": true, "kpt. Jan Kade": true, "Kpt. Jan Kade": true, "Neha y. Kade": true, "Ada Kade jetzt Lund": false, "Ada Kade, née Lund": true, "- Ada Kade": true, "Sekr. Ada Kade": false,
		"Ada (Addie) Kade": true, "Ada Kade (Addie)": true, "Ola Dahl (Elektriker)": false, "Dahl, Nils (Elektriker)": false, "Jo (Johanna) Lie": true, "Dipl.-Ing. (FH) Ada Kade": true, "Kade-Lund, Ada": true, "Ada Kade, M.Sc.": true, "López García, María José": true,
	} {
		if _, got := OneName(in); got != want {
			t.Errorf("%q: %v, want %v", in, got, want)
		}
	}
	for in, want := range map[string]string{"1. Vors. Klaus Riedle": "1. Vors.", "Ada Kade (GF)": "GF", "Ada Kade 2": "2", "Ada Kade, CEO": "CEO", "Ada Kade": "", "Yuki Tanaka 田中 由紀": "田中 由紀", "Tanaka, Yuki 由紀": "由紀", "田中 由紀": "",
		"Hafenmeister Lutz Ehlers": "Hafenmeister", "Frau Ehlers, Hafenmeisterin": "Hafenmeisterin", "Ada Meister": "", "Meister, Ada": "", "Werftleiterin Ada Kade": "Werftleiterin", "Md Karim Rahman": "", "VP Ada Kade": "VP", "Baumeister, Karin": "", "Ada Kade\nPer Lund": "", "Ada\nKade": "", "Ada Kade <ada-2@kade.example>": "",
		"p.o. dyr. Anna Mazur": "p.o. dyr.", "kier. Kade Ada": "kier.", "dr inż. Ada Kade": "", "v. d. Berg Ada": "", "j. Kade": "", "st. ada kade": "", "mgr. Ada Kade": ""} {
		if got, _ := OneName(in); got != want {
			t.Errorf("beside %q: %q, want %q", in, got, want)
		}
	}
}
