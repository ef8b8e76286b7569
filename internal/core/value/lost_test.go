package value

import (
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/problem"
)

// A question mark within a word stands for a letter; behind one it is a question.
func TestLostLetters(t *testing.T) {
	for s, want := range map[string]bool{
		"Wi?niewski": true, "?ukasz": true, "P?ístav": true, "Ji?? Novák": true, "Marina Gda?sk": true, "O?Brien": true,
		"????": false, "Marina?": false, "Who? Me": false,
		"(?)": false, "? Marina": false, "?Marina": false, "Hauptstra?e 5": true, "https://a.example/?q=x": false,
		"": false, "12?": false, "Ιων?ας": true,
	} {
		if got := lostLetters(s); got != want {
			t.Errorf("%q: %t, want %t", s, got, want)
		}
	}
}

// What spreadsheet programs make of numbers and codes is told where nothing else reads so.
func TestLost(t *testing.T) {
	number := catalog.Field{Name: "ref", Type: catalog.Text, Key: true}
	street := catalog.Field{Name: "street", Type: catalog.Text, Likeness: catalog.AsStreet}
	postal := catalog.Field{Name: "postal_code", Type: catalog.Text, Likeness: catalog.AsPostalCode}
	town := catalog.Field{Name: "locality", Type: catalog.Text, Likeness: catalog.AsLocality}
	family := catalog.Field{Name: "family_name", Type: catalog.Text, Likeness: catalog.AsFamilyName}
	job := catalog.Field{Name: "job_title", Type: catalog.Text, Holds: catalog.HoldsJobTitle}
	honorific := catalog.Field{Name: "honorific", Type: catalog.Text, Likeness: catalog.AsHonorific}
	company := catalog.Field{Name: "name", Type: catalog.Text, Likeness: catalog.AsCompanyName}
	title := catalog.Field{Name: "title", Type: catalog.Text, Holds: catalog.HoldsWords}
	for _, c := range []struct {
		of   catalog.Field
		in   string
		want problem.Code
	}{
		{number, "1.23457E+17", problem.DamagedNumber}, {number, "1,2E+05", problem.DamagedNumber}, {number, "1E5", ""},
		{number, "A-1.2E+05", ""},
		{number, "01-Mar", problem.MadeDate}, {number, "Mar-01", problem.MadeDate}, {number, "01-Mai", problem.MadeDate},
		{number, "01-Max", ""}, {number, "MAR-01", ""}, {number, "01-DEC", ""}, {number, "1-mai", problem.MadeDate},
		{number, "MAR-1", ""}, {number, "1-3", ""},
		{postal, "Greifswald", problem.BadPlace}, {postal, "5003", ""}, {postal, "SW1A 1AA", ""},
		{postal, "SE-411 03", ""}, {postal, "５００３", ""},
		{town, "5003", problem.BadPlace}, {town, "Åndalsnes 2", ""}, {town, "kai@kai.example", problem.BadPlace},
		{town, "大阪市", ""},
		{street, "12", ""}, {street, "post@kai.example", problem.BadPlace}, {title, "Line @ quay", ""},
		{street, ";Fr. Silke Möller;0431 55 12 4;", problem.BadPlace}, {town, "Kiel;24103", ""},
		{street, "Kai 2\tKiel", problem.BadPlace}, {title, "Crane; cradle; slip", ""},
		{family, "Coral-Reyes*", problem.FootnoteMark}, {family, "† Berg", problem.FootnoteMark},
		{company, "Tern Works AS ¹", problem.FootnoteMark}, {company, "Tern Ltd.**", problem.FootnoteMark},
		{company, "#1 Marine", ""}, {company, "Sail*Spar", ""}, {family, "*", ""}, {company, "Quay 2", ""},
		{company, "DUPLICATE - Quay Ltd", problem.NotToUse}, {company, "Quay Ltd (do not use!)", problem.NotToUse},
		{company, "zzz Quay Ltd", problem.NotToUse}, {company, "Quay Ltd NICHT VERWENDEN", problem.NotToUse},
		{company, "Quay Ltd (gesperrt)", problem.NotToUse}, {company, "Quay Ltd - gelöscht", problem.NotToUse},
		{family, "Frau", problem.PerhapsNothing}, {family, "Dr.", problem.PerhapsNothing}, {family, "Herr", problem.PerhapsNothing},
		{street, ", ,", problem.BadPlace}, {street, "5", ""}, {family, "M³ller", problem.LostLetters}, {family, "M¸ller", problem.LostLetters},
		{family, "MŸller", problem.LostLetters}, {family, "L'HAŸ", ""}, {family, "Gal·la", ""}, {family, "O´Brien", ""},
		{family, "Mª José", ""}, {company, "Tern™ Works", ""}, {company, "m² Bau", ""}, {street, "Kai 5½", ""},
		{company, "12345", problem.BadName}, {company, "+49 40 123456", problem.BadName},
		{company, "24103 Kiel", problem.BadName}, {company, "www.quay.example", problem.BadName}, {company, "3M", ""},
		{company, "1. FC Kiel", ""}, {company, "Town:", problem.BadName}, {family, "Telephone:", problem.BadName},
		{company, "Quay Ltd?", problem.LostLetters}, {family, "Kade?", problem.LostLetters},
		{company, "Key Duplicate Service Ltd", ""}, {company, "Zzzap Boats", ""}, {company, "Useful Boats", ""},
		{title, "DUPLICATE - Quay Ltd", ""},
		{company, "Astilleros Cano (baja)", problem.NotToUse}, {company, "Baja Marine SL", ""}, {company, "Náutica (Baja)", problem.NotToUse},
		{company, "Werft Kade GmbH (Insolvenz)", problem.NotToUse}, {company, "Tern Works - closed", problem.NotToUse},
		{company, "Closed Cell Foam Ltd", ""}, {company, "Marina (Baja California)", ""}, {company, "Quay-Closed", ""},
		{title, "Berths (closed)", ""},
		{company, "Dublette", problem.NotToUse}, {company, "Port Sète (à supprimer)", problem.NotToUse},
		{company, "Kiel Boot – bitte löschen", problem.NotToUse}, {family, "Doublon", ""},
		{family, "Berg do not use", problem.NotToUse},
		{postal, "24103 Kiel", problem.BadPlace}, {postal, "24O03", problem.BadPlace},
		{postal, "00000", problem.PerhapsNothing}, {postal, "99999", problem.PerhapsNothing}, {postal, "1012 AB", ""},
		{postal, "75002 CEDEX 2", ""}, {postal, "D-24103", ""},
		{town, "24103 Kiel", problem.BadPlace}, {town, "Kiel 24103", problem.BadPlace},
		{town, "Kiel, Germany", problem.BadPlace}, {town, "D-Kiel", problem.BadPlace}, {town, "Germany", problem.BadPlace},
		{town, "Hauptstr. 5", problem.BadPlace},
		{town, "12 Quay Road", problem.BadPlace}, {town, "Luxembourg", ""}, {town, "Singapore", ""},
		{town, "Kiel (Wik)", ""}, {town, "Praha 4", ""}, {town, "Biel/Bienne", ""}, {town, "29 Palms", ""},
		{town, "Boston, MA", ""}, {town, "Clermont-Ferrand", ""}, {town, "St-Malo", ""},
		{town, "Kiel?", problem.LostLetters}, {town, "home office", problem.PerhapsNothing},
		{town, "xxx", problem.PerhapsNothing}, {town, "Same", problem.PerhapsNothing},
		{town, "Stadt", problem.PerhapsNothing}, {town, "Ort", ""}, {town, "Vari", ""},
		{street, "+44 20 7946 0123", problem.BadPlace}, {street, "Hauptstr. 5, 24103 Kiel", problem.BadPlace},
		{street, "https://maps.example/x", problem.BadPlace}, {street, "Flat 3, 34 Oak Street", ""},
		{street, "5 Main St, Suite 4", ""}, {street, "0123 Main St", ""},
		{street, "see account", problem.PerhapsNothing}, {street, "Verzogen", problem.PerhapsNothing},
		{street, "old: Kai 5", problem.NotToUse}, {street, "Kai 5 (until 2025)", problem.NotToUse},
		{street, "Kai 5 (Hof)", ""}, {street, "Alter Kai 5", ""},
		{job, "Mr", problem.BadPlace}, {job, "f", problem.BadPlace}, {job, "Quay Ltd", problem.BadPlace},
		{job, "12", problem.BadPlace}, {job, "deceased", problem.NotToUse}, {job, "Nicht mehr da", problem.NotToUse},
		{job, "do not use", problem.NotToUse}, {job, "Test", problem.PerhapsNothing},
		{job, "Harbour master", ""}, {job, "Master of Quay Ltd", ""}, {job, "Dr. med. vet.", ""}, {job, "Tester", ""},
		{job, "Left bank warden", ""},
		{honorific, "1", problem.BadPlace}, {honorific, "m", problem.BadPlace}, {honorific, "Firma", problem.BadPlace},
		{honorific, "Herr/Frau", problem.BadPlace}, {honorific, "Mr and Mrs", problem.BadPlace},
		{honorific, "Dear Mr Kade", problem.BadPlace},
		{honorific, "Prof. Dr.", ""}, {honorific, "Mx", ""}, {honorific, "Herr Dr.", ""}, {honorific, "Sig.ra", ""},
		{honorific, "M", ""}, {honorific, "様", ""}, {honorific, "κ", ""},
		{number, "1001.0", problem.MadeNumber}, {number, "1.0", ""}, {number, "1001.5", ""}, {title, "1001.0", ""},
		{street, "05-Jun", problem.MadeDate}, {street, "5-6", ""}, {street, "Kai 5. Juni", ""}, {title, "05-Jun", ""},
		{title, "Wi?niewski", problem.LostLetters}, {number, "A?b", ""},
	} {
		if got := NewDoubter(c.of).Lost(c.in); got != c.want {
			t.Errorf("%s %q: %q, want %q", c.of.Name, c.in, got, c.want)
		}
	}
}

// Whom to ask for at a company, and its number and address, are no part of its name.
func TestBesideCompany(t *testing.T) {
	company := catalog.Field{Name: "name", Type: catalog.Text, Likeness: catalog.AsCompanyName}
	for in, want := range map[string]string{
		"Quay GmbH, Herr Lund": "Herr Lund", "Quay GmbH z.Hd. Frau Lund": "z.Hd. Frau Lund",
		"Quay Ltd c/o Tern Works": "c/o Tern Works", "Quay Ltd, attn: Ada Kade": "attn: Ada Kade",
		"Quay AS Tel 040 123456":             "Tel 040 123456",
		"Quay GmbH, Hafenstr. 3, 24103 Kiel": "Hafenstr. 3, 24103 Kiel", "Quay Sarl, Mme Lund": "Mme Lund",
		"Quay Ltd": "", "Lund, Berg & Partner": "", "Kiel, Port of": "", "Tel Aviv Marina": "", "Marina Faora, Vigo": "",
		"Herr & Frau Lund": "", "Quay 3, Berth 7": "", "Telefonbau Lund 24": "", "A/S Lund": "", "Mr. Lund's Boats": "",
	} {
		if got := NewDoubter(company).BesideCompany(in); got != want {
			t.Errorf("%q: %q, want %q", in, got, want)
		}
	}
	street := NewDoubter(catalog.Field{Name: "street", Type: catalog.Text, Likeness: catalog.AsStreet})
	if got := street.BesideCompany("c/o Lund, Kai 3"); got != "" {
		t.Errorf("beside a street: %q", got)
	}
}

// A postal code that has a figure less than those of its country has lost the zero in front.
func TestLostZero(t *testing.T) {
	for in, want := range map[[2]string]string{
		{"DE", "1067"}: "01067", {"US", "2110"}: "02110", {"NO", "150"}: "0150", {"JP", "600001"}: "0600001",
		{"DE", "01067"}: "", {"DE", "106"}: "", {"DE", "D-1067"}: "", {"NO", "5003"}: "", {"AT", "1010"}: "",
		{"CH", "8001"}: "", {"", "1067"}: "", {"DE", ""}: "",
	} {
		if got := LostZero(in[0], in[1]); got != want {
			t.Errorf("%s %s: %q, want %q", in[0], in[1], got, want)
		}
	}
}

// Figures that are fewer than those of the country's codes; more, letters, and what is not known tell nothing.
func TestShortCodes(t *testing.T) {
	for in, want := range map[[2]string]string{
		{"DE", "24103"}: "", {"DE", "241"}: "DE, 5 figures", {"DE", "241033"}: "", {"DE", "D-24103"}: "",
		{"GB", "24103"}: "", {"NL", "8493 AB"}: "", {"NL", "849"}: "NL, 4 figures", {"PT", "4050-260"}: "",
		{"PL", "31-44"}: "PL, 5 figures", {"SE", "411 03"}: "", {"US", "2120"}: "US, 5 figures", {"JP", "24159"}: "",
		{"NO", "24159"}: "", {"IE", "4"}: "", {"", "1"}: "", {"DE", ""}: "DE, 5 figures",
	} {
		if got := ShortCode(in[0], in[1]); got != want {
			t.Errorf("%v: %q, want %q", in, got, want)
		}
	}
	if !InZeroState("MA") || InZeroState("MD") {
		t.Error("all codes of Massachusetts begin with a zero, and none of Maryland")
	}
}

// A program has written the number of a record as it writes amounts.
func TestNumbersWrittenAsAmounts(t *testing.T) {
	key := NewDoubter(catalog.Field{Name: "source_ref", Type: catalog.Text, Key: true, Likeness: catalog.AsCode})
	for in, want := range map[string]problem.Code{
		"10021.0": problem.MadeNumber, "10021.00": problem.MadeNumber, "10'021": problem.MadeNumber,
		"1’234’567": problem.MadeNumber, "10,021": problem.MadeNumber, "10.021": "", "10,02": "", "0,021": "",
		"A10,021": "", "10,021'004": "", "K-1.0": "",
	} {
		if got := key.Lost(in); got != want {
			t.Errorf("%s: %q, want %q", in, got, want)
		}
	}
}
