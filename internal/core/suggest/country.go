package suggest

import (
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
	weights, reasons := map[string]float64{}, map[string]string{}
	speaks := func(countries string, weight float64, reason string) {
		list := strings.Fields(countries)
		for _, c := range list {
			weights[c] += weight / float64(len(list))
			if reasons[c] == "" {
				reasons[c] = reason
			}
		}
	}
	for _, col := range v.columns {
		if slices.Contains(phones, col.Header) {
			for _, s := range col.Samples {
				if country := value.PhoneCountry(s); country != "" {
					coded = append(coded, country)
				} else if likePhone(s) {
					local = append(local, s)
				}
			}
			continue
		}
		v.speakForHome(col, speaks)
	}
	if len(local) == 0 {
		return home, false
	}
	for _, country := range coded {
		if 2*len(coded) >= len(local) { // a few among many are rather those abroad
			speaks(country, 1, "others are written with its code")
		}
	}
	best, second := 0.0, 0.0
	for country, weight := range weights {
		if weight > best {
			best, second = weight, best
			home = Home{Country: country, Reason: reasons[country]}
		} else {
			second = max(second, weight)
		}
	}
	there := share(local, func(s string) bool { return value.PhoneIn(s, home.Country) })
	if best < leastForHome || best < clearlyAtHome*second || there < mostAtHome {
		return Home{}, false
	}
	return home, true
}

// speakForHome tells which countries the cells of a column speak for.
func (v *View) speakForHome(col sheet.Column, speaks func(countries string, weight float64, reason string)) {
	if slices.ContainsFunc(lift(headerWords(col.Header)).sets,
		func(set []string) bool { return slices.Contains(set, "country") }) {
		country := value.NewReader(catalog.Field{Name: "country", Type: catalog.Country}, value.Settings{})
		for _, s := range col.Samples {
			if code, _ := country.Read(s); code != "" {
				speaks(code, 1, "the rows that name a country name this one")
			}
		}
		return
	}
	if countries := statesIn(col); countries != "" {
		for range col.Samples {
			speaks(countries, 1, "the states are of that country")
		}
		return
	}
	for _, s := range col.Samples {
		for _, c := range codesAtHome {
			if c.form.MatchString(value.Trim(s)) {
				speaks(c.countries, 1, "the postal codes are written as there")
			}
		}
		words := strings.Fields(value.Words(s))
		for n := min(4, len(words)-1); n > 0; n-- {
			if countries, is := formsAtHome[strings.Join(words[len(words)-n:], " ")]; is {
				speaks(countries, 1, "companies have legal forms of that country")
				break
			}
		}
		m := signOfPlace.FindStringSubmatch(strings.ToLower(value.Trim(s)))
		if m != nil && slices.Contains(netsAtHome, m[1]) && !strings.Contains(value.Trim(s), " ") {
			country := strings.ToUpper(m[1])
			if other := countryOfNet[m[1]]; other != "" {
				country = other
			}
			speaks(country, 1, "addresses of the net are of that country")
		}
	}
}

// statesIn gives the countries of which nearly all cells of a column are states, where its header says that it has
// regions.
func statesIn(col sheet.Column) string {
	region := func(set []string) bool { return slices.Contains(set, "region") }
	if !slices.ContainsFunc(lift(headerWords(col.Header)).sets, region) {
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
