package suggest

import (
	"maps"
	"regexp"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/sheet"
	"uchi/internal/core/value"
)

// Home is the country that the telephone numbers of a sheet seem to be of where they name none.
type Home struct {
	Country string `json:"country"` // ISO 3166
	Reason  string `json:"reason"`
}

// What companies, postal codes and addresses of the net are written like in one country, or in few.
var (
	formsAtHome = byForm(map[string]string{
		"DE AT CH": "GmbH", "DE AT": "KG", "DE": "OHG, e.K., e.V., UG", "GB IE": "Ltd, Limited, plc", "GB": "LLP",
		"US": "Inc., LLC, Corp.",
		"FR": "SARL, SAS, EURL", "ES": "S.L., SL, S.L.U., SLU", "IT": "S.r.l., S.p.A., S.n.c.",
		"PT": "Lda.", "BR": "Ltda.", "NL": "B.V.", "BE": "BVBA", "SE": "AB, HB", "NO": "AS, ASA", "DK": "ApS",
		"FI": "Oy, Oyj", "PL": "Sp. z o.o.", "CZ SK": "s.r.o.", "DK CZ": "A/S", "HU": "Kft., Zrt., Bt.",
		"TR": "A.Ş., Ltd. Şti.", "GR": "Α.Ε., Ο.Ε., ΕΠΕ, Α.Ε.Β.Ε.", "JP": "株式会社",
	})
	codesAtHome = []struct {
		form      *regexp.Regexp
		countries string
	}{
		{regexp.MustCompile(`^\d{2}-\d{3}$`), "PL"},
		{regexp.MustCompile(`^\d{5}-\d{3}$`), "BR"},
		{regexp.MustCompile(`^\d{4}-\d{3}$`), "PT"},
		{regexp.MustCompile(`^\d{3}-\d{4}$`), "JP"},
		{regexp.MustCompile(`^\d{4} ?[A-Z]{2}$`), "NL"},
		{regexp.MustCompile(`^[A-Z]{1,2}\d[A-Z\d]? \d[A-Z]{2}$`), "GB"},
		{regexp.MustCompile(`^\d{3} \d{2}$`), "SE CZ SK GR"},
		{regexp.MustCompile(`^\d{5}-\d{4}$`), "US"},
	}
	// By what the column of postal codes is called, and how many figures they have.
	codesCalled = []struct {
		words, countries string
		figures          int
	}{
		{"plz,postleitzahl,pstlz", "DE", 5}, {"plz,postleitzahl,pstlz", "AT CH", 4},
		{"code postal,codepostal,code post", "FR", 5}, {"code postal,codepostal,code post", "BE CH LU", 4},
		{"npa", "CH", 4}, {"cp,c p", "FR ES MX", 5},
		{"codigo postal,código postal,cod postal,cód postal,codpostal", "ES MX", 5}, {"cap,codice postale", "IT", 5},
		{"postnr,postnummer", "SE", 5}, {"postnr,postnummer", "NO DK", 4}, {"postinumero,postinro", "FI", 5},
		{"zip,zip code,zipcode", "US", 5}, {"psč,psc", "CZ SK", 5}, {"irányítószám,irsz,ir szám", "HU", 4},
		{"posta kodu", "TR", 5}, {"τκ,τ κ,ταχ κωδικας", "GR", 5},
	}
	figuresFirst = regexp.MustCompile(`^(\d{4,5})(?:[ ,]+\p{L}|$)`)
	countryOfNet = map[string]string{"uk": "GB"}
	netsAtHome   = strings.Fields("de at ch fr es it pt br nl be se no dk fi pl cz sk hu tr gr jp uk ie us ca au nz mx " +
		"ar cl is ee lv lt hr si ro bg")
	signOfPlace = regexp.MustCompile(`[\w-]\.([a-z]{2})(?:[/:?#]|$)`)
)

// byForm turns countries with their legal forms about.
func byForm(countries map[string]string) map[string]string {
	forms := map[string]string{}
	for list, written := range countries {
		for form := range strings.SplitSeq(written, ", ") {
			forms[value.Words(form)] = list
		}
	}
	return forms
}

// How many of the numbers must be ones of a country, how much must speak for it, and how many
// times as much as for any other: a sheet of several countries is at home in none.
const (
	mostAtHome    = 0.8
	leastForHome  = 1.0
	clearlyAtHome = 3
)

// HomeOf finds the country of the telephone numbers in some columns that name none: most of them
// are numbers there, and something else in the sheet is of that country as well. It is to be
// offered, never taken. With nothing to tell, or something of another country too, ok is false.
func (v *View) HomeOf(phones []string) (home Home, ok bool) {
	var local, coded []string
	var all []evidence
	most := func(is func(s, country string) bool) func(country string) bool {
		known := map[string]bool{}
		return func(country string) bool {
			if _, ok := known[country]; !ok {
				known[country] = share(local, func(s string) bool { return is(s, country) }) >= mostAtHome
			}
			return known[country]
		}
	}
	readable, givenOut := most(value.PhoneIn), most(value.PhoneOf)
	speaks := func(countries, reason string) {
		list := strings.Fields(countries)
		if slices.ContainsFunc(list, givenOut) { // of what several countries have, the numbers tell whose it is
			list = slices.DeleteFunc(list, func(c string) bool { return !givenOut(c) })
		}
		all = append(all, evidence{list, reason})
	}
	for _, col := range v.columns {
		if slices.Contains(phones, col.Header) {
			for _, s := range col.Samples {
				if country := value.PhoneCountry(s); country != "" {
					coded = append(coded, country)
				} else if likePhone(s) || digitsIn(s) >= 7 && digitsIn(s) == len(value.Trim(s)) {
					local = append(local, s)
				}
			}
		}
	}
	if len(local) == 0 {
		return home, false
	}
	for _, col := range v.columns {
		if !slices.Contains(phones, col.Header) {
			v.speakForHome(col, speaks)
		}
	}
	for _, country := range coded {
		if 2*len(coded) >= len(local) { // a few among many are rather those abroad
			speaks(country, "others are written with its code")
		}
	}
	weights := map[string]float64{}
	for _, e := range all {
		for _, c := range e.countries {
			weights[c] += 1 / float64(len(e.countries))
		}
	}
	for _, country := range slices.Sorted(maps.Keys(weights)) {
		if weights[country] > weights[home.Country] {
			home.Country = country
		}
	}
	if weights[home.Country] < leastForHome || !readable(home.Country) {
		return Home{}, false
	}
	fewest := 0
	for _, e := range all {
		if n := len(e.countries); slices.Contains(e.countries, home.Country) && (fewest == 0 || n < fewest) {
			home.Reason, fewest = e.reason, n
		}
	}
	for other := range weights {
		mine, others := 0, 0 // what speaks for one of the two alone
		for _, e := range all {
			here, there := slices.Contains(e.countries, home.Country), slices.Contains(e.countries, other)
			if here && !there {
				mine++
			} else if there && !here {
				others++
			}
		}
		if other != home.Country && mine < max(1, clearlyAtHome*others) {
			return Home{}, false
		}
	}
	return home, true
}

// evidence is what speaks for one country, or for one of a few.
type evidence struct {
	countries []string
	reason    string
}

// speakForHome tells which countries the cells of a column speak for.
func (v *View) speakForHome(col sheet.Column, speaks func(countries, reason string)) {
	if saysInPart(col.Header, "country") {
		country := value.NewReader(catalog.Field{Name: "country", Type: catalog.Country}, value.Settings{})
		for _, s := range col.Samples {
			if code, _ := country.Read(s); code != "" {
				speaks(code, "the rows that name a country name this one")
			}
		}
		return
	}
	if countries := statesIn(col); countries != "" {
		for range col.Samples {
			speaks(countries, "the states are of that country")
		}
		return
	}
	called := " " + strings.Join(tokens(col.Header), " ") + " "
	for _, s := range col.Samples {
		for _, c := range codesCalled {
			m := figuresFirst.FindStringSubmatch(value.Trim(s))
			if m != nil && len(m[1]) == c.figures && slices.ContainsFunc(strings.Split(c.words, ","),
				func(w string) bool { return strings.Contains(called, " "+w+" ") }) {
				speaks(c.countries, "postal codes are called and written as there")
			}
		}
		for _, c := range codesAtHome {
			if c.form.MatchString(value.Trim(s)) {
				speaks(c.countries, "the postal codes are written as there")
			}
		}
		words := strings.Fields(value.Words(s))
		for n := min(4, len(words)-1); n > 0; n-- {
			if countries, is := formsAtHome[strings.Join(words[len(words)-n:], " ")]; is {
				speaks(countries, "companies have legal forms of that country")
				break
			}
		}
		m := signOfPlace.FindStringSubmatch(strings.ToLower(value.Trim(s)))
		if m != nil && slices.Contains(netsAtHome, m[1]) && !strings.Contains(value.Trim(s), " ") {
			country := strings.ToUpper(m[1])
			if other := countryOfNet[m[1]]; other != "" {
				country = other
			}
			speaks(country, "addresses of the net are of that country")
		}
	}
}

// statesIn gives the countries of which nearly all cells of a column are states, where its header says that it has
// regions.
func statesIn(col sheet.Column) string {
	if !saysInPart(col.Header, "region") {
		return ""
	}
	count := map[string]int{}
	for _, s := range col.Samples {
		if p, ok := value.TownAndRegion(s); ok { // a town stands before it
			s = p.Region
		}
		for _, country := range value.CountriesOfState(s) {
			count[country]++
		}
	}
	var countries []string
	for country, n := range count {
		if n > 1 && n*10 > len(col.Samples)*9 {
			countries = append(countries, country)
		}
	}
	slices.Sort(countries)
	return strings.Join(countries, " ")
}
