package value

import (
	"testing"

	"uchi/internal/core/catalog"
)

// A half of a name is without the name of birth that stands behind it.
func TestHalfName(t *testing.T) {
	for in, want := range map[string]string{
		"Lehmann geb. Meier": "Lehmann", "Lehmann, geb. Meier": "Lehmann", "Anna (geb. Meier)": "Anna",
		"Dupont née Blanc": "Dupont", "van Nee": "van Nee", "Nee Lund": "Nee Lund",
		"Anna Nee Lund": "Anna Nee Lund", "geb. Meier": "geb. Meier", "Lehmann geb.": "Lehmann geb.", "": "",
		"Lehmann": "Lehmann", "Lund, MBA": "Lund", "Lund, PhD, CPA": "Lund", "van der Kade, Ph.D.": "van der Kade",
		"Berg 🚤": "Berg", "O'Hara ✔": "O'Hara", "Reyes-": "Reyes", "- Reyes,": "Reyes", "-": "-", "Kade Prof. Dr.": "Kade",
		"Dr. Kade": "Kade", "Frau Kade": "Kade", "Graf Kade": "Graf Kade", "Berg-Lund": "Berg-Lund", "Reyes, Kari": "Reyes, Kari",
		"Ada M.": "Ada M.", "🚤": "🚤", "田中様": "田中", "田中": "田中",
		"JosÃ©": "JosÃ©", "Kade ©": "Kade ©", "- ,": "-",
	} {
		if got := HalfName(in); got != want {
			t.Errorf("%q: %q, want %q", in, got, want)
		}
	}
}

// Quotes around a whole name are none of its letters.
func TestQuotedNames(t *testing.T) {
	family := catalog.Field{Name: "family_name", Type: catalog.Text, Likeness: catalog.AsFamilyName}
	company := catalog.Field{Name: "name", Type: catalog.Text, Likeness: catalog.AsCompanyName}
	check(t, family, Settings{}, []readCase{{"“Müller”", "Müller", ""}, {"'Müller'", "Müller", ""}, {`"Müller"`, "Müller", ""},
		{"„Müller“", "Müller", ""}, {"«Müller»", "Müller", ""}, {"'t Hoff", "'t Hoff", ""}, {"'", "'", ""}, {"''", "''", ""}})
	check(t, company, Settings{}, []readCase{{`"Gull"`, "Gull", ""}, {`Stocznia "Gull" S.A.`, `Stocznia "Gull" S.A.`, ""},
		{`"Gull" and "Tern"`, `"Gull" and "Tern"`, ""}})
	check(t, field(catalog.Text), Settings{}, []readCase{{`"Gull"`, `"Gull"`, ""}})
}

func TestNoName(t *testing.T) {
	family := NewDoubter(catalog.Field{Name: "family_name", Type: catalog.Text, Likeness: catalog.AsFamilyName})
	company := NewDoubter(catalog.Field{Name: "name", Type: catalog.Text, Likeness: catalog.AsCompanyName})
	for in, want := range map[string][2]bool{
		"ada@kade.example": {true, true}, "https://kade.example": {true, true}, "www.kade.example": {true, false},
		"4711": {true, false}, "Kade": {}, "@home Ltd": {true, false}, "Kelpie Marine GmbH": {true, false},
		"da Silva e Sá": {}, "3": {true, false}, "O": {}, "鴎川": {}, "Kade @ Lund": {},
	} {
		if got := [2]bool{family.NoName(in), company.NoName(in)}; got != want {
			t.Errorf("%q: %v, want %v", in, got, want)
		}
	}
	if company.NoName("") || !family.NoName("<unreadable>") || !family.NoName("ada_kade") ||
		!family.NoName("Ada.Kade") || family.NoName("50%_off") || family.NoName("J.P.") || !company.NoName("[see note]") {
		t.Error("remarks in brackets")
	}
	if NewDoubter(catalog.Field{Name: "note", Type: catalog.Text}).NoName("ada@kade.example") {
		t.Error("a note may be an address")
	}
}

func TestOneName(t *testing.T) {
	for in, want := range map[string]bool{
		"Brodersen & Sohn": false, "Hans und Petra Möwes": false, "Ada / Femke Kade": false, "Ada Kade/Per Lund": false,
		"Kade, Ada; Lund, Per": false, "Familie Kade": false,
		"And Berg": true, "Berg &": true, "Ortega y Gasset": true, "Ute Undine Und": true, "Ada von und zu Stein": true,
		"Ada Kade (until May)": false, "Ada Kade (CEO)": false, "Ada Kade (2)": false, "Ada Kade - Sales": false,
		"Ada Kade – GF": false, "Ada Kade, CEO": false, "Ada Kade, MD": true, "Ciro e Gennaro Esposito": false, "Ortega y Gasset, José": true,
		"Ana Ortega y Gasset": true, "João da Silva e Sousa": true, "Kade, Ada | Berg": false,
		"The Harbour Master": false, "(Ada Kade)": false, "Ada Kade?": false, "new: Ada Kade": false,
		"Ada Kade -GF-": false, "Ada Kade GF": false, "Kade GF": true, "Ada Kade mobil": false,
		"Ada Kade aka Addie": false, "Kade Dr. Ada": false,
		"KADE Dr. Ada": true, "Ada Kade, Per Lund, Bo Berg": false, "A.+B. Kade": false, "Ada u Bo Kade": false,
		"Ada S. kade": true, "ADA H. kade": true, "Omar al-Sayed Khan": true, "Maria do Carmo Reis": true,
		"Juan de los Reyes": true, "Jan d'hondt Berg": true, "Omar el-masri Khan": true, "kpt. Jan Kade": true,
		"Kpt. Jan Kade": true, "Neha y. Kade": true, "Ada Kade jetzt Lund": false, "Ada Kade, née Lund": true,
		"- Ada Kade": true, "Sekr. Ada Kade": false,
		"Ada (Addie) Kade": true, "Ada Kade (Addie)": true, "Ola Dahl (Elektriker)": false,
		"Dahl, Nils (Elektriker)": false, "Jo (Johanna) Lie": true, "Dipl.-Ing. (FH) Ada Kade": true,
		"Kade-Lund, Ada": true, "Ada Kade, M.Sc.": true, "López García, María José": true,
	} {
		if _, got := OneName(in); got != want {
			t.Errorf("%q: %v, want %v", in, got, want)
		}
	}
	for in, want := range map[string]string{"1. Vors. Klaus Riedle": "1. Vors.", "Ada Kade (GF)": "GF",
		"Ada Kade 2": "2", "Ada Kade, CEO": "CEO", "Ada Kade": "", "Yuki Tanaka 田中 由紀": "田中 由紀", "Tanaka, Yuki 由紀": "由紀",
		"田中 由紀":                    "",
		"Hafenmeister Lutz Ehlers": "Hafenmeister", "Frau Ehlers, Hafenmeisterin": "Hafenmeisterin", "Ada Meister": "",
		"Meister, Ada": "", "Werftleiterin Ada Kade": "Werftleiterin", "Md Karim Rahman": "", "VP Ada Kade": "VP",
		"Baumeister, Karin": "", "Ada Kade\nPer Lund": "", "Ada\nKade": "", "Ada Kade <ada-2@kade.example>": "",
		"p.o. dyr. Anna Mazur": "p.o. dyr.", "kier. Kade Ada": "kier.", "dr inż. Ada Kade": "", "v. d. Berg Ada": "",
		"j. Kade": "", "st. ada kade": "", "mgr. Ada Kade": ""} {
		if got, _ := OneName(in); got != want {
			t.Errorf("beside %q: %q, want %q", in, got, want)
		}
	}
}

func TestSplitFamilyFirst(t *testing.T) {
	for in, want := range map[string][2]string{"Kade Femke": {"Femke", "Kade"},
		"Kade Femke Maria": {"Femke Maria", "Kade"}, "van der Kade Femke": {"Femke", "van der Kade"},
		"Kade, Femke": {"Femke", "Kade"}, "Dr. Kade Femke": {"Femke", "Kade"}, "F. Kade": {"F.", "Kade"},
		"F. M. van der Kade": {"F. M.", "van der Kade"}, "Kade F.": {"F.", "Kade"}, "Femke KADE": {"Femke", "KADE"},
		"Kade": {"", "Kade"}, "Le Van": {"Van", "Le"}, "": {"", ""}} {
		given, family := SplitFamilyFirst(in)
		if given != want[0] || family != want[1] {
			t.Errorf("%q: %q and %q, want %q", in, given, family, want)
		}
	}
}

func TestSplitName(t *testing.T) {
	for in, want := range map[string][2]string{
		"佐藤 健太 様": {"健太", "佐藤"}, "田中様": {"", "田中"}, "様": {"", "様"},
		"DE LA CRUZ MARIA": {"MARIA", "DE LA CRUZ"}, "van der Kade Femke": {"Femke", "van der Kade"},
		"J.Mª García": {"J.Mª", "García"}, "Ada Kade, née Lund": {"Ada", "Kade"}, "Ada Kade f. Lund": {"Ada", "Kade"},
		"Kade Ada Dr.": {"Kade", "Ada"},
		"“Ada Kade”":   {"Ada", "Kade"}, "- Ada Kade": {"Ada", "Kade"}, "Ada Kade.": {"Ada", "Kade"},
		"Ada 'Addie' Kade": {"Ada", "Kade"}, "Otto Frhr. v. Berg": {"Otto", "Frhr. v. Berg"},
		"Ewan Saltmarsh": {"Ewan", "Saltmarsh"}, "Femke van der Kade": {"Femke", "van der Kade"},
		"Dr. Ada Mary Quayle": {"Ada Mary", "Quayle"},
		"Kade, Femke":         {"Femke", "Kade"}, "van der Kade, J.P.": {"J.P.", "van der Kade"},
		"Dr. Quayle, Ada": {"Ada", "Quayle"}, "Quayle, Dr. Ada": {"Ada", "Quayle"},
		"Ada Quayle, PhD": {"Ada", "Quayle"}, "Quayle, Ada, M.Sc.": {"Ada", "Quayle"}, "Ada Quayle, MA": {"Ada", "Quayle"},
		"Nguyen, Ba": {"Ba", "Nguyen"}, "NGUYEN, MA": {"MA", "NGUYEN"},
		"López García, M.A.": {"M.A.", "López García"}, "Berg": {"", "Berg"}, "Berg,": {"", "Berg"},
		"DUPONT MARTIN Jean": {"Jean", "DUPONT MARTIN"}, "Jean DUPONT MARTIN": {"Jean", "DUPONT MARTIN"},
		"JP Berg": {"JP", "Berg"}, "Tom O'Malley Jr.": {"Tom", "O'Malley Jr."},
		"O'Malley, Tom, Jr.": {"Tom", "O'Malley Jr."}, "Tom O'Malley, Sr": {"Tom", "O'Malley Sr"},
		"Quayle Ada III": {"Quayle", "Ada III"}, "Quayle A. jun.": {"A.", "Quayle jun."},
		"Ada Quayle PhD": {"Ada", "Quayle"}, "Ada Sr": {"Ada", "Sr"}, "JEAN DUPONT": {"JEAN", "DUPONT"}, "": {"", ""},
		"Herr Jürgen  Möwes": {"Jürgen", "Möwes"},
		"Wiebke v. d. Heide": {"Wiebke", "v. d. Heide"}, "John V. Quayle": {"John V.", "Quayle"},
		"Drs. Ada van der Kade": {"Ada", "van der Kade"}, "Dipl.-Ing. (FH) Ada Kade": {"Ada", "Kade"},
		"Dr. med. Ada Kade": {"Ada", "Kade"}, "Prof. Dr. h.c. mult. Otto Berg": {"Otto", "Berg"},
		"Dr. H. Berg": {"H.", "Berg"}, "Ing Marie Berg": {"Ing Marie", "Berg"}, "de heer P. de Wit": {"P.", "de Wit"},
		"Ing. arch. Petr Berg": {"Petr", "Berg"}, "Mag Berg": {"Mag", "Berg"},
		"Ada Quayle MD": {"Ada", "Quayle"}, "Ada Quayle RN": {"Ada", "Quayle"}, "Quayle VP": {"Quayle", "VP"},
		"Visser M.": {"M.", "Visser"}, "Berg I. I.": {"I. I.", "Berg"}, "Berg A.B.": {"A.B.", "Berg"},
		"van der Kade M.": {"M.", "van der Kade"}, "Berg MJ": {"MJ", "Berg"}, "Anna NG": {"Anna", "NG"},
		"Anna Bo":     {"Anna", "Bo"},
		"J.R.R. Berg": {"J.R.R.", "Berg"}, "M. A. Berg": {"M. A.", "Berg"}, "M. Berg": {"", "Berg"},
		"Nguyễn Văn An": {"Văn An", "Nguyễn"}, "An Nguyễn": {"An", "Nguyễn"}, "Zhang Wei": {"Wei", "Zhang"},
		"Lee Min-ho": {"Min-ho", "Lee"}, "Min-ho Lee": {"Min-ho", "Lee"}, "Omar Al-sayed": {"Omar", "Al-sayed"},
		"Lt Cdr Alan Pike": {"Alan", "Pike"}, "山田 太郎": {"太郎", "山田"},
		"Ada (Addie) Kade": {"Ada", "Kade"}, "(Ada)": {"", "(Ada)"}, `Robert "Bob" Kade`: {"Robert", "Kade"},
		`Kade, Robert „Bob“`: {"Robert „Bob“", "Kade"}, "Ada Kade née Lund": {"Ada", "Kade"}, "Nee Berg": {"Nee", "Berg"},
		"van Dam": {"", "van Dam"}, "Van Berg": {"Van", "Berg"},
		"Kade, Ada van der": {"Ada", "van der Kade"}, "Otto Graf von Stein": {"Otto", "Graf von Stein"},
		"Ada von und zu Stein": {"Ada", "von und zu Stein"}, "Mary-Ann St. John": {"Mary-Ann", "St. John"},
		"St. John, Mary": {"Mary", "St. John"}, "Pat O' Neill": {"Pat", "O' Neill"},
		"María José García López": {"María José", "García López"}, "Juan Fernández Ruiz": {"Juan", "Fernández Ruiz"},
		"Ana Mª Ibáñez": {"Ana Mª", "Ibáñez"}, "García López": {"García", "López"},
		"João da Silva e Sousa": {"João", "da Silva e Sousa"}, "Ana Ortega y Gasset": {"Ana", "Ortega y Gasset"},
		"Anna e Marco": {"Anna e", "Marco"},
	} {
		given, family := SplitName(in)
		if given != want[0] || family != want[1] {
			t.Errorf("%q: %q and %q, want %q", in, given, family, want)
		}
	}
}

// What joins people, and what stands beside a name, is seen in a half of one too; a figure for a letter is a slip.
func TestOneHalf(t *testing.T) {
	for in, want := range map[string]string{
		"Ann": "", "Ann-Marie": "", "Ann & Tom": "several", "Ann und Tom": "several", "Ann/Tom": "several",
		"Reyes (she/her)": "several", "Kade (Brandt)": "Brandt", "Reyes | RYA": "RYA", "Ann (Annie)": "", "de la Torre y Vega": "",
		"Costa e Silva": "", "Wal1in": "", "Ann123": "", "Berg 2-3": "", "van der Kade": "", "O'Hara": "", "Reyes II": "",
		"Reyes, Kari": "", "Public, Jr.": "",
	} {
		beside, ok := OneHalf(in)
		if !ok && beside == "" {
			beside = "several"
		}
		if beside != want {
			t.Errorf("%q: %q, want %q", in, beside, want)
		}
	}
}
