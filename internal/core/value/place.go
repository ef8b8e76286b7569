package value

import (
	"maps"
	"regexp"
	"strings"
	"unicode"
)

// Place is the parts of an address.
type Place struct {
	Street, Code, Town string
	Region             string // a state or a province, as it is written
	Country            string // likewise, behind the town
	Abroad             string // the code of ISO 3166 of the country whose letters stand before the postal code
	Written            string // the postal code with those letters
}

// Postal codes as they stand before a town, or behind it: figures with letters, in one
// group or two, perhaps behind the code of a country.
const (
	codesBefore = `(?:[A-Z]{1,3}(?: ?- ?| ))?(?:\d{4} ?[A-Z]{2}\b|\d{2}-\d{3}|\d{3,6}(?:[- ]\d{2,4})?|[A-Z]{1,2}\d[A-Z\d]? ?\d[A-Z]{2}|[A-Z]\d[\dW] ?[A-Z\d]{4}\b)`
	codesBehind = `\d{4,6}(?:-\d{3,4})?|\d{2}-\d{3}|\d{3} \d{2}|\d{4} ?[A-Z]{2}|[A-Z]{1,2}\d[A-Z\d]? ?\d[A-Z]{2}|[A-Z]\d[A-Z] ?\d[A-Z]\d|[A-Z]\d[\dW] ?[A-Z\d]{4}`
)

var (
	codeBefore = regexp.MustCompile(`^(` + codesBefore + `)(?:[ ,]+(?:[-–] )?|-)(\p{L}.*)$`)
	codeBehind = regexp.MustCompile(`^(\p{L}.*?)[ ,]+(?:[-–] )?(?:(` + codesBehind + `)|\((` + codesBehind + `)\))$`)
	codeGlued  = regexp.MustCompile(`^(\d{4,5})(\p{Lu}\p{Ll}.*)$`)
)

// codeAlone are codes that look like one with a town: those of the Netherlands, and the
// French ones of large receivers.
var codeAlone = regexp.MustCompile(`(?i)^(?:\d{4} [a-z]{2}|\d{5} cedex(?: \d{1,2})?)$`)

// stateLetters are the letters of states, provinces and cantons, by country (ISO 3166).
var stateLetters = map[string]map[string]bool{
	"US": wordSet(`AL AK AZ AR CA CO CT DE FL GA HI ID IL IN IA KS KY LA ME MD MA MI MN MS MO MT NE NV NH NJ NM NY
		NC ND OH OK OR PA RI SC SD TN TX UT VT VA WA WV WI WY DC PR`),
	"CA": wordSet("AB BC MB NB NL NS NT NU ON PE QC SK YT"),
	"AU": wordSet("NSW VIC QLD WA SA TAS ACT NT"),
	"CH": wordSet("AG AI AR BE BL BS FR GE GL GR JU LU NE NW OW SG SH SO SZ TG TI UR VD VS ZG ZH"),
	"BR": wordSet("AC AL AP AM BA CE DF ES GO MA MT MS MG PA PB PR PE PI RJ RN RS RO RR SC SP SE TO"),
}

// states are those of the United States, Canada and Australia, which are written between a town and its code.
var states = func() map[string]bool {
	all := map[string]bool{}
	for _, country := range []string{"US", "CA", "AU"} {
		maps.Copy(all, stateLetters[country])
	}
	return all
}()

// CountriesOfState gives the countries, as far as they are known, that have a state of these letters (MD, Md.).
func CountriesOfState(letters string) (countries []string) {
	letters = strings.ToUpper(strings.Trim(letters, ". "))
	for country, has := range stateLetters {
		if has[letters] {
			countries = append(countries, country)
		}
	}
	return countries
}

// province is a province behind its town in brackets: Genova (GE).
var province = regexp.MustCompile(`^(\p{L}.*?) \(([A-Z]{2})\)$`)

// fore is what stands before the postal codes of a country on letters from abroad: the letters
// that its cars bear (Vienna Convention on Road Traffic, annex 3), or its code of ISO 3166.
type fore struct {
	country string
	code    *regexp.Regexp // the form of the country's codes
	kept    bool           // it is a part of them at home too: LV-1010
}

var (
	fores    = map[string]fore{}
	foreCode = regexp.MustCompile(`^([A-Z]{1,3})(?: ?- ?| )(\d.*)$`)
)

func init() {
	for digits, letters := range map[string]string{
		`\d{3}`: `IS=IS`,
		`\d{4}`: `A=AT AT=AT B=BE BE=BE CH=CH FL=LI LI=LI DK=DK L=LU LU=LU N=NO NO=NO H=HU HU=HU SI=SI SLO=SI
			BG=BG CY=CY MK=MK AL=AL LV=LV MD=MD AZ=AZ`,
		`\d{4,5}`: `D=DE DE=DE`, // of four figures before 1993
		`\d{5}`: `F=FR FR=FR FI=FI FIN=FI SF=FI I=IT IT=IT E=ES ES=ES HR=HR EE=EE EST=EE RS=RS SRB=RS BA=BA BIH=BA
			ME=ME MNE=ME TR=TR UA=UA MC=MC SM=SM LT=LT`,
		`\d{3} ?\d{2}`:     `S=SE SE=SE CZ=CZ SK=SK GR=GR`,
		`\d{2}-?\d{3}`:     `PL=PL`,
		`\d{4}(?:-\d{3})?`: `P=PT PT=PT`,
		`\d{4} ?[A-Z]{2}`:  `NL=NL`,
		`\d{6}`:            `RO=RO RU=RU RUS=RU BY=BY`,
	} {
		form := regexp.MustCompile(`^` + digits + `$`)
		for one := range strings.FieldsSeq(letters) {
			written, country, _ := strings.Cut(one, "=")
			fores[written] = fore{country, form, country == "LV" || country == "LT" || country == "MD" || country == "AZ"}
		}
	}
}

// CodeOf parts a postal code as letters from abroad bear it, D-24159 or NL 1012 AB, into the
// ISO 3166 code of the country, which is empty where none stands before it, and the code as it
// is written in the country itself.
func CodeOf(s string) (country, code string) {
	if s == "" || s[0] < 'A' || s[0] > 'Z' {
		return "", s
	}
	m := foreCode.FindStringSubmatch(s)
	if m == nil {
		return "", s
	}
	switch f, ok := fores[m[1]]; {
	case !ok || !f.code.MatchString(m[2]):
		return "", s
	case f.kept:
		return f.country, s
	default:
		return f.country, m[2]
	}
}

// SplitTown parts a postal code and a town that stand together, with the state or province
// that is known by its letters, and the country before the code: "8010 Graz", "London SW1A 1AA",
// "Boston, MA 02110", "16121 Genova (GE)", "D-24159 Kiel". It is not ok where they do not.
func SplitTown(s string) (p Place, ok bool) {
	s = strings.TrimPrefix(strings.Join(strings.Fields(s), " "), "〒")
	for _, sign := range []string{", ", " / "} {
		if at := strings.LastIndex(s, sign); at > 0 && isCountry(s[at+len(sign):]) {
			if p, ok = SplitTown(s[:at]); ok {
				p.Country = s[at+len(sign):]
			}
			return p, ok
		}
	}
	if codeAlone.MatchString(s) {
		return p, false
	}
	if m := codeBefore.FindStringSubmatch(s); m != nil {
		p.Town = m[2]
		p.coded(m[1])
	} else if m := codeGlued.FindStringSubmatch(s); m != nil {
		p.Town = m[2]
		p.coded(m[1])
	} else if m := codeBehind.FindStringSubmatch(s); m != nil {
		p.Town = strings.TrimRight(m[1], ", ")
		p.coded(m[2] + m[3])
		at := strings.LastIndexByte(p.Town, ' ')
		if last := p.Town[at+1:]; states[last] { // or it is all there is
			p.Town, p.Region = strings.TrimRight(p.Town[:max(at, 0)], ", "), last
		}
	} else {
		return p, false
	}
	if m := province.FindStringSubmatch(p.Town); m != nil {
		p.Town, p.Region = m[1], m[2]
	} else if m := behindTown.FindStringSubmatch(p.Town); m != nil && provinces[Fold(m[3])] {
		p.Town, p.Region = m[1], m[3]
	}
	return p, true
}

// provinces are those of Spain, as they stand in brackets behind a town; in others there it is a part of the town.
var provinces = phraseSet(`a coruña, la coruña, álava, araba, albacete, alicante, alacant, almería, asturias, ávila, badajoz,
	baleares, illes balears, islas baleares, barcelona, bizkaia, vizcaya, burgos, cáceres, cádiz, cantabria, castellón,
	castelló, ciudad real, córdoba, cuenca, gipuzkoa, guipúzcoa, girona, gerona, granada, guadalajara, huelva, huesca, jaén,
	la rioja, las palmas, león, lleida, lérida, lugo, madrid, málaga, murcia, navarra, nafarroa, ourense, orense, palencia,
	pontevedra, salamanca, santa cruz de tenerife, tenerife, segovia, sevilla, soria, tarragona, teruel, toledo, valencia,
	valència, valladolid, zamora, zaragoza`)

// TownOf parts what stands where a postal code and a town are expected: a cell that holds but one
// of them is that. A country may stand behind the town.
func TownOf(s string) Place {
	if p, ok := SplitTown(s); ok {
		return p
	}
	p, ok := townBefore(s)
	if ok {
		return p
	}
	if p.coded(s); loneCode.MatchString(s) || p.Abroad != "" {
		return p
	}
	return Place{Town: s}
}

// townBefore parts a town and the country that it lies in: "Kiel, Germany", "Kiel (Germany)", "D-Kiel".
func townBefore(s string) (p Place, ok bool) {
	if m := behindLetters.FindStringSubmatch(s); m != nil && fores[m[1]].country != "" {
		return Place{Town: m[2], Abroad: fores[m[1]].country}, true
	}
	m := behindTown.FindStringSubmatch(s)
	if m == nil {
		return p, false
	}
	if in := strings.TrimSpace(m[2] + m[3]); isCountry(in) {
		return Place{Town: m[1], Country: in}, true
	}
	return p, false
}

// StateBehind parts a town and the letters of a state behind it, "Boston, MA"; the letters may mean a
// country as well.
func StateBehind(s string) (p Place, ok bool) {
	m := behindTown.FindStringSubmatch(s)
	if m == nil || !states[strings.TrimSpace(m[2])] {
		return p, false
	}
	return Place{Town: m[1], Region: strings.TrimSpace(m[2])}, true
}

// TownAndRegion parts a town and what lies behind it in its cell, where a region does: "Savona (SV)",
// "Florianópolis/SC", "Manaus - AM", "Houston, Texas".
func TownAndRegion(s string) (p Place, ok bool) {
	if m := behindDash.FindStringSubmatch(s); m != nil {
		return Place{Town: m[1], Region: m[2]}, true
	}
	m := behindTown.FindStringSubmatch(s)
	if m == nil {
		return p, false
	}
	p = Place{Town: m[1], Region: strings.TrimSpace(m[2] + m[3])}
	return p, !isCountry(p.Region)
}

// behindDash is a town before the letters of its state.
var behindDash = regexp.MustCompile(`^(\pL[^,()/\d]*?) ?[-–] ?([A-Z]{2,3})$`)

// behindLetters is a town behind the letters of a country: D-Kiel.
var behindLetters = regexp.MustCompile(`^([A-Z]{1,3}) ?- ?(\pL{4}.*)$`)

var behindTown = regexp.MustCompile(`^(\pL[^,()/\d]*?) ?(?:[,/] ?([\pL .'’-]+)|\(([\pL .'’-]+)\))$`)

// coded notes a postal code as it is written.
func (p *Place) coded(s string) {
	p.Written = s
	p.Abroad, p.Code = CodeOf(s)
}

// CountryNamed gives the country (ISO 3166) that a text names, by its code or its name in any
// language that is known; empty when it names none.
func CountryNamed(s string) string { return countryNames()[Words(s)] }

// isCountry reports whether a text names a country, by more than a letter or two that may mean a
// state.
func isCountry(s string) bool {
	words := Words(s)
	return len(words) > 2 && countryNames()[words] != ""
}

// Where a postal code with its town begins behind a street in one piece: the street ends
// with a number ("Am Hafen 3 17493 Greifswald"), or begins with one before a code that
// can be no number of a house ("10 rue du Port 17000 La Rochelle") or, in the United States,
// ends with what streets are called ("50 Wharf St Portland ME 04101").
var (
	inOnePiece = []*regexp.Regexp{
		regexp.MustCompile(`^(\pL.*\d ?[a-zA-Z]?)[ ,]+(?:- )?((?:[A-Z]{1,2}-)?(?:\d{4,5}(?: ?[A-Z]{2})?|\d{3} \d{2}|\d{2}-\d{3}|\d{4}-\d{3}) \pL.*)$`),
		regexp.MustCompile(`^(\d+\S* .+? (?i:st|street|rd|road|ave|avenue|blvd|boulevard|dr|drive|ln|lane|way|ct|court|pl|place|hwy|sq|pkwy|ter)\.?) (\pL[\pL .'-]*,? [A-Z]{2} \d{5}(?:-\d{4})?)$`),
		regexp.MustCompile(`^(\d+ ?[a-zA-Z]?,? \pL.*\pL\.?)[ ,]+(?:- )?((?:[A-Z]{1,2}-)?\d{5} \pL.*)$`),
	}
	loneCode = regexp.MustCompile(`^(?:[A-Z]{1,2}\d[A-Z\d]? ?\d[A-Z]{2}|(?:[A-Z]{1,2}-)?\d{4,6}|[A-Z]\d[\dW] ?[A-Z\d]{4})$`)
)

// SplitAddress parts a whole address in one cell, by lines, commas or semicolons: "Am Hafen 3,
// 17493 Greifswald", "4 Quay Road, Anchorby, AB1 2CD", with a country at its end; and one in Japanese
// writing. It is not ok where no postal code with a town stands behind something else, or something else
// behind those.
func SplitAddress(s string) (p Place, ok bool) {
	if strings.ContainsAny(s, "市区郡") {
		return japaneseAddress(s)
	}
	parts := strings.FieldsFunc(s, func(r rune) bool { return r == '\n' || r == ',' || r == ';' || r == '|' })
	n := 0
	for _, part := range parts {
		if part = strings.TrimSpace(part); part != "" {
			parts[n], n = part, n+1
		}
	}
	parts = parts[:n]
	for _, one := range inOnePiece {
		if n != 1 {
			break
		}
		if m := one.FindStringSubmatch(parts[0]); m != nil {
			parts, n = []string{m[1], m[2]}, 2
		}
	}
	country := ""
	for _, last := range []int{n - 1, n - 2} { // behind the town may stand the country
		switch {
		case last < 1:
			continue
		case last < n-1 && countryNames()[Words(parts[n-1])] == "":
			continue
		case last < n-1:
			country = parts[n-1]
		}
		if loneCode.MatchString(parts[last]) && last >= 2 && !strings.ContainsAny(parts[last-1], "0123456789") {
			p = Place{Street: strings.Join(parts[:last-1], ", "), Town: parts[last-1], Country: country}
			p.coded(parts[last])
			return p, true
		}
		p, ok := SplitTown(parts[last])
		if country != "" {
			p.Country = country
		}
		switch {
		case !ok:
		case p.Town == "" && last >= 2 && !strings.ContainsAny(parts[last-1], "0123456789"): // Springfield, IL 62701
			p.Street, p.Town = strings.Join(parts[:last-1], ", "), parts[last-1]
			return p, true
		case p.Town != "":
			p.Street = strings.Join(parts[:last], ", ")
			return p, true
		}
	}
	return townFirst(parts)
}

// Words of streets and of parts of houses, in English, where numbers stand first: “12345 Main St,
// Suite 4” begins with no postal code.
var (
	roads = wordSet("st street rd road ave avenue blvd boulevard dr drive ln lane way ct court hwy highway pkwy parkway " +
		"pl place sq square ter terrace cir circle trail trl pike loop")
	indoor = wordSet("suite ste unit apt apartment floor fl room rm bldg building po p box")
)

// townFirst parts an address whose town stands before its street: "80-873 Gdańsk, Na Ostrowiu
// 15", "Hel, 84-150, ul. Kuracyjna 1".
func townFirst(parts []string) (p Place, ok bool) {
	street, country := 1, ""
	if n := len(parts); n > 2 && countryNames()[Words(parts[n-1])] != "" {
		parts, country = parts[:n-1], parts[n-1]
	}
	if len(parts) > 1 {
		p, ok = SplitTown(parts[0])
	}
	if !ok && len(parts) > 2 && !strings.ContainsAny(parts[0], "0123456789") &&
		!strings.ContainsFunc(parts[1], unicode.IsLower) {
		p, ok = SplitTown(parts[1] + " " + parts[0])
		street = 2
	}
	words := strings.Fields(Words(p.Town))
	if !ok || len(words) == 0 || roads[words[len(words)-1]] {
		return Place{}, false
	}
	p.Street, p.Country = strings.Join(parts[street:], ", "), country
	first, _, _ := strings.Cut(Words(p.Street), " ")
	if indoor[first] || !strings.ContainsAny(p.Street, "0123456789") || !strings.ContainsFunc(p.Street, unicode.IsLower) {
		return Place{}, false
	}
	return p, true
}

// Japanese addresses go from the large to the small, with nothing between: the postal code, the prefecture,
// the city with its ward or the district with its town, and the block (Japan Post, how addresses are written).
// A few cities have the word for a city in their names.
var (
	japanese = regexp.MustCompile(`^(?:〒? ?(\d{3}-?\d{4}) *)?(北海道|東京都|京都府|大阪府|\p{Han}{2,3}県)? *` +
		`((?:四日市|廿日市|野々市|八日市|市\p{Han})市|余市郡\p{Han}{1,3}?[町村]|[^市区\d ]{1,6}郡[^市区\d ]{1,6}?[町村]|[^市区郡\d ]{1,6}市(?:[^市区\d ]{1,4}区)?|` +
		`[^市区\d ]{1,6}市|[^市区\d ]{1,5}区) *(.+)$`)
	cityWithDistrict = regexp.MustCompile(`^((?:大和)?郡山市|蒲郡市|小郡市|郡上市) *(.+)$`)
)

// japaneseAddress parts an address in Japanese writing; its block has a number.
func japaneseAddress(s string) (p Place, ok bool) {
	s = strings.Join(strings.Fields(s), " ")
	m := japanese.FindStringSubmatch(s)
	if m == nil || !strings.ContainsFunc(m[4], unicode.IsNumber) && !strings.ContainsAny(m[4], "一二三四五六七八九十") {
		return p, false
	}
	p = Place{Written: m[1], Code: m[1], Region: m[2], Town: m[3], Street: m[4]}
	if city := cityWithDistrict.FindStringSubmatch(m[3] + m[4]); city != nil {
		p.Town, p.Street = city[1], city[2]
	}
	return p, true
}
