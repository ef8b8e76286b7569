package suggest

import (
	"cmp"
	"regexp"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
	"uchi/internal/core/value"
)

// What one field holds may stand in several columns: a street and its house number, two
// family names, what stands before a family name. Such columns are joined, in the order in which people say them.

// houseNumbers are headers of columns of house numbers, and of what is added to them.
var houseNumbers = keys("hausnummer", "hausnr", "haus nr", "hausnummer zusatz", "hausnummernzusatz",
	"hausnummerzusatz", "hsnr", "hnr", "huisnummer", "huisnr", "huis nr", "huisnummer toevoeging", "huisnr toev",
	"toevoeging", "toev",
	"house number", "house no", "house nr", "house", "street number", "street no", "building number", "numero de voie",
	"n de voie", "no de voie", "no voie", "numero voie", "numero de rue", "n rue",
	"numero de calle", "numero de portal", "civico", "numero civico", "n civico", "nr civico", "num civico",
	"gatunummer", "gatunr", "husnummer", "husnr", "gatenummer", "gatenr", "vejnummer", "talon numero", "talonumero",
	"talon nro",
	"nr domu", "numer domu", "nr budynku", "numer budynku", "cislo popisne", "cislo domu", "cislo orientacni",
	"hazszam", "hsz", "numero da porta", "n porta", "kapi no", "bina no")

// saidFirst are those in languages in which the number stands before the street.
var saidFirst = keys("house number", "house no", "house nr", "house", "street number", "street no",
	"building number", "numero de voie", "n de voie", "no de voie", "no voie", "numero voie", "numero de rue", "n rue")

// anyNumbers are headers that say no more than that something is a number: behind a street it is
// that of the house.
var anyNumbers = keys("nr", "no", "n", "nº", "n°", "num", "numero", "numer", "number", "nummer", "numéro", "número",
	"αριθμος", "#")

// secondFamilyNames are headers of columns of a second family name.
var secondFamilyNames = keys("2º apellido", "2 apellido", "2o apellido", "2do apellido", "segundo apellido",
	"apellido 2", "apellido2", "apellido materno", "materno", "ap materno", "second surname", "second last name",
	"surname 2",
	"segundo sobrenome", "segundo apelido")

// namePrefixes are headers of columns of what stands before a family name: van der, de, von.
var namePrefixes = keys("tussenvoegsel", "tussenvoegsels", "tussenv", "tussenvgsl", "tv", "voorvoegsel",
	"voorvoegsels", "infix", "surname prefix", "family name prefix", "last name prefix", "namensvorsatz", "vorsatzwort",
	"namenszusatz")

var houseNumber = regexp.MustCompile(`^(?i:(nr|no|n°|nº|č\.?p\.?)[. ]*)?\d{1,5} ?[\p{L}]?( ?[-/+] ?\d{0,5} ?\p{L}{0,4})?$`)

// withoutNumber are what stands where a house has no number (senza numero civico, sin número).
var withoutNumber = keys("s n c", "snc", "s n", "sn", "b n", "bn")

func isHouseNumber(s string) bool { return houseNumber.MatchString(s) || withoutNumber[value.Words(s)] }

// joinStreets lets house numbers in a column of their own follow the street.
func joinStreets(target Target, columns []sheet.Column, list []Suggestion) []Suggestion {
	f, ok := target.Type.FieldAs(catalog.AsStreet)
	if !ok {
		return list
	}
	of := mainColumn(target, columns, list, f.Name)
	// they stand there already
	if of < 0 || share(columns[of].Samples, func(s string) bool { return digitsIn(s) > 0 }) > 0.4 {
		return list
	}
	for n, col := range columns {
		key := Key(col.Header)
		added := strings.Contains(key, "toev") || strings.Contains(key, "zusatz")
		said := houseNumbers[key] && (added || share(col.Samples, isHouseNumber) > 0.7)
		behind := n == of+1 && anyNumbers[key] && share(col.Samples, isHouseNumber) > 0.9
		if n == of || len(col.Samples) == 0 || !said && !behind {
			continue
		}
		list = joinedTo(target, list, f.Name, columns[of].Header, col.Header, "the number of the house, behind the street")
	}
	return list
}

// joinLines lets the further lines of an address follow the first: “Address 2” behind “Address 1”,
// where the town has a column of its own. A house often has a name, and stands in the second.
func joinLines(target Target, columns []sheet.Column, list []Suggestion) []Suggestion {
	f, ok := target.Type.FieldAs(catalog.AsStreet)
	if !ok {
		return list
	}
	of := mainColumn(target, columns, list, f.Name)
	town := slices.ContainsFunc(list, func(s Suggestion) bool {
		f, _ := target.Type.Field(s.Field)
		return s.Draft == target.Draft && s.Taken && s.Take == "" && f.ComparedAs() == catalog.AsLocality
	})
	if of < 0 || !town {
		return list
	}
	first, at := lineOf(columns[of].Header)
	if first == "" || at > 1 {
		return list
	}
	for _, col := range columns {
		base, n := lineOf(col.Header)
		if base != first || n < 2 || len(col.Samples) == 0 || share(col.Samples, noLine) > 0.2 {
			continue
		}
		list = joinedTo(target, list, f.Name, columns[of].Header, col.Header, "it is the next line of the address")
		if last := &list[len(list)-1]; last.Column == col.Header && last.joins {
			last.Join = ", "
		}
	}
	return list
}

// lineWords are what a header says that is of a line of an address, whoever lives there
// (“Business Street 2”).
var lineWords = []string{"address", "street", "line"}

// lineOf gives what a header says that is a line of an address, and which it is, 0 where it does
// not say; empty for any other header.
func lineOf(header string) (base string, n int) {
	base = value.Fold(strings.TrimSpace(header))
	if m := severalOf.FindStringSubmatch(base); m != nil {
		base, n = m[1], int(m[2][0]-'0')
	}
	isLine := func(set []string) bool {
		return slices.ContainsFunc(set, func(c string) bool { return slices.Contains(lineWords, c) })
	}
	if l := lift(headerWords(base)); l.unknown > 0 || !slices.ContainsFunc(l.sets, isLine) {
		return "", 0
	}
	return base, n
}

// noLine reports whether a text is no line of an address but a whole place, or none at all.
func noLine(s string) bool {
	_, place := value.SplitTown(s)
	return place || strings.Contains(s, "@") || likePhone(s)
}

// joinNames lets a second family name follow the first, and what stands before a family name go before it.
func joinNames(target Target, columns []sheet.Column, list []Suggestion) []Suggestion {
	f, ok := target.Type.FieldAs(catalog.AsFamilyName)
	if !ok {
		return list
	}
	second := slices.IndexFunc(columns, func(c sheet.Column) bool { return secondFamilyNames[Key(c.Header)] })
	of := mainColumn(target, columns, list, f.Name)
	if of < 0 && second >= 0 { // the first is then the one that speaks of a family name as well
		of = slices.IndexFunc(columns, func(c sheet.Column) bool {
			l := lift(headerWords(c.Header))
			return c.Header != columns[second].Header &&
				slices.ContainsFunc(l.sets, func(set []string) bool { return slices.Equal(set, []string{"family"}) })
		})
		if of >= 0 {
			list = slices.DeleteFunc(list, func(s Suggestion) bool {
				return s.Column == columns[of].Header || s.Draft == target.Draft && s.Field == f.Name
			})
			list = append(list, Suggestion{Column: columns[of].Header, Draft: target.Draft, Field: f.Name, Confidence: 0.95,
				Taken: true, Reason: "it is the first of two family names"})
		}
	}
	if of < 0 {
		return list
	}
	if second >= 0 && second != of {
		list = joinedTo(target, list, f.Name, columns[of].Header, columns[second].Header, "it is the second family name")
	}
	for n, col := range columns {
		if n != of && namePrefixes[Key(col.Header)] &&
			share(col.Samples, func(s string) bool { return digitsIn(s) == 0 && len(s) <= 12 }) > 0.9 {
			list = joinedTo(target, list, f.Name, columns[of].Header, col.Header, "it stands before the family name")
		}
	}
	return list
}

// joinTitles lets a title in a column of its own follow the form of address: Frau, and Dr.
func joinTitles(target Target, columns []sheet.Column, list []Suggestion) []Suggestion {
	f, ok := target.Type.FieldAs(catalog.AsHonorific)
	if !ok || mainColumn(target, columns, list, f.Name) < 0 {
		return list
	}
	saying := func(concept string) int {
		return slices.IndexFunc(columns, func(c sheet.Column) bool {
			return says(c.Header, concept) && share(c.Samples, func(s string) bool {
				return formsOfAddress[value.Words(s)] || value.OnlyTitles(s)
			}) > 0.5
		})
	}
	form, title := saying("salutation"), saying("title")
	if form < 0 || title < 0 || slices.ContainsFunc(list, func(s Suggestion) bool {
		return s.Taken && s.Field != f.Name && (s.Column == columns[form].Header || s.Column == columns[title].Header)
	}) {
		return list
	}
	list = slices.DeleteFunc(slices.Clone(list), func(s Suggestion) bool {
		return s.Column == columns[form].Header || s.Draft == target.Draft && s.Field == f.Name
	})
	list = append(list, Suggestion{Column: columns[title].Header, Draft: target.Draft, Field: f.Name, Confidence: 0.95,
		Taken: true, Reason: "it is the title, behind the form of address"})
	list = joinedTo(target, list, f.Name, columns[title].Header, columns[form].Header, "its values are forms of address")
	if last := &list[len(list)-1]; last.joins {
		last.before = true
	}
	return list
}

// extensions are headers of columns of the extension of the telephone before them, and generations
// those of what tells a daughter from her mother.
var (
	extensions = keys("ext", "ext no", "ext nr", "extn", "extension", "phone ext", "tel ext", "phone extension",
		"tel extension", "office ext", "durchwahl", "durchw", "dw", "nebenstelle", "nst", "klappe", "poste", "n poste",
		"extension tel",
		"extensión", "anexo", "interno", "int", "toestel", "toestelnr", "toestelnummer", "anknytning", "anknytn", "ankn",
		"lokalnr", "lokalnummer", "ramal", "wewnętrzny", "nr wewnętrzny", "wewn", "wew", "alanumero", "linka", "mellék")
	generations = keys("suffix", "name suffix", "suffix name", "sfx", "generation", "generational suffix", "gen suffix")
)

// isExtension reports whether a text is a few figures, as the extension of a telephone is.
func isExtension(s string) bool {
	return digitsIn(s) > 0 && len(s) <= 6 && strings.Trim(s, "0123456789-. ") == ""
}

// joinExtensions lets the extension in a column of its own follow the telephone before it, and a
// generation the family name.
func joinExtensions(target Target, columns []sheet.Column, list []Suggestion) []Suggestion {
	few := func(c sheet.Column, is func(string) bool) bool {
		return len(c.Samples) > 0 && share(c.Samples, is) > 0.8
	}
	for n, col := range columns {
		key := Key(col.Header)
		switch {
		case n > 0 && extensions[key] && few(col, isExtension):
			at := slices.IndexFunc(list, func(s Suggestion) bool {
				f, _ := target.Type.Field(s.Field)
				return s.Draft == target.Draft && s.Column == columns[n-1].Header && s.Taken && s.Take == "" &&
					f.Type == catalog.Phone
			})
			dialled := at >= 0 && slices.ContainsFunc(list, func(s Suggestion) bool { // what stands between is the same for all
				return s.Draft == target.Draft && s.Field == list[at].Field && s.joins
			})
			if at < 0 || dialled {
				continue
			}
			list = joinedTo(target, list, list[at].Field, columns[n-1].Header, col.Header,
				"it is the extension of the number before it")
			if last := &list[len(list)-1]; last.Column == col.Header && last.joins {
				last.Join = " ext. "
			}
		case generations[key] && few(col, value.IsGeneration):
			if f, ok := target.Type.FieldAs(catalog.AsFamilyName); ok {
				if of := mainColumn(target, columns, list, f.Name); of >= 0 {
					list = joinedTo(target, list, f.Name, columns[of].Header, col.Header,
						"it tells which generation, behind the family name")
				}
			}
		}
	}
	return list
}

// dialCodes are headers of columns of what is dialled before the telephone numbers behind them: the
// code of an area or of a country.
var dialCodes = keys("area code", "phone area code", "tel area code", "std", "std code", "dialling code",
	"dialing code", "dial code", "phone code", "phone country code", "country code phone", "country code", "country dial code",
	"vorwahl", "vorw", "ortsvorwahl", "tel vorwahl", "telefonvorwahl", "vorwahl tel", "vorwahl telefon",
	"mobilvorwahl", "vorwahl mobil", "landervorwahl", "landesvorwahl", "vorwahl land", "indicatif", "indicatif tel",
	"indicatif pays", "indicatif regional", "prefijo", "prefijo tel", "prefijo pais", "prefisso", "prefisso tel",
	"prefisso internazionale", "netnummer", "netnr", "kengetal", "landnummer", "riktnummer", "riktnr", "landsnummer",
	"landskod", "landekode", "landkode", "retningsnummer", "kierunkowy", "nr kierunkowy", "numer kierunkowy",
	"indicativo", "ddd", "suuntanumero", "suuntanro", "maatunnus", "predvolba", "korzetszam", "korzet",
	"κωδικοσ περιοχησ", "市外局番", "国番号")

var (
	areaCode    = regexp.MustCompile(`^\(?0?\d{1,5}\)?[-/]?$`)
	countryDial = regexp.MustCompile(`^(\+|00)\d{1,4}$`)
	dialsAll    = regexp.MustCompile(`^[ (]*(0|\+)`) // with the code of the area, or of the country
	dialsAbroad = regexp.MustCompile(`^[ (]*(00|\+)`)
)

// joinDialCodes lets the code of an area or of a country, in a column of its own, go before the
// telephone numbers behind it, which lack it.
func joinDialCodes(target Target, columns []sheet.Column, list []Suggestion) []Suggestion {
	const farthest = 3
	all := func(c sheet.Column, is *regexp.Regexp) bool {
		return len(c.Samples) > 0 && share(c.Samples, func(s string) bool { return is.MatchString(strings.TrimSpace(s)) }) > 0.9
	}
	whole := func(c sheet.Column, is *regexp.Regexp) bool { return share(c.Samples, is.MatchString) > 0.2 }
	for n, col := range columns {
		abroad := all(col, countryDial)
		if !dialCodes[Key(col.Header)] || !abroad && !all(col, areaCode) {
			continue
		}
		for _, next := range columns[n+1 : min(n+1+farthest, len(columns))] {
			at := slices.IndexFunc(list, func(s Suggestion) bool {
				f, _ := target.Type.Field(s.Field)
				return s.Draft == target.Draft && s.Column == next.Header && s.Taken && s.Take == "" && f.Type == catalog.Phone
			})
			if at < 0 {
				continue
			}
			if abroad && whole(next, dialsAbroad) || !abroad && whole(next, dialsAll) {
				break // they have it
			}
			list = joinedTo(target, list, list[at].Field, next.Header, col.Header, "it is dialled before “"+next.Header+"”")
			if last := &list[len(list)-1]; last.Column == col.Header && last.joins {
				last.before = true
			}
			break
		}
	}
	return list
}

// joinWholeNames joins given and family name, each in a column of its own, where a type keeps the
// name of a person in one field: a half would be written over the whole.
func joinWholeNames(target Target, columns []sheet.Column, list []Suggestion) []Suggestion {
	if _, halves := target.Type.FieldAs(catalog.AsFamilyName); halves {
		return list
	}
	at := slices.IndexFunc(target.Type.Fields, func(f catalog.Field) bool {
		return f.Type == catalog.Text && setScore(target.Type.Name, f, []string{"name", "person"}) >= certain
	})
	if at < 0 {
		return list
	}
	whole := target.Type.Fields[at].Name
	saying := func(sets ...string) int {
		return slices.IndexFunc(columns, func(c sheet.Column) bool {
			l := lift(headerWords(c.Header))
			return l.unknown == 0 && slices.ContainsFunc(l.sets,
				func(set []string) bool { return slices.Contains(sets, strings.Join(set, " ")) })
		})
	}
	given, family := saying("given", "given name"), saying("family", "family name")
	switch {
	case family < 0:
		family = saying("name")
	case given < 0: // beside a family name a name is the given one, where it is not the whole
		if given = saying("name"); given >= 0 && wordsInCells(columns[given], 2) {
			return list
		}
	}
	if given < 0 || family < 0 || given == family || wordsInCells(columns[family], 2) {
		return list
	}
	list = slices.DeleteFunc(list, func(s Suggestion) bool {
		return s.Column == columns[family].Header || s.Draft == target.Draft && s.Field == whole
	})
	list = append(list, Suggestion{
		Column: columns[family].Header, Draft: target.Draft, Field: whole, Confidence: 0.95, Taken: true,
		Reason: "it is the family name, behind the given name",
	})
	list = joinedTo(target, list, whole, columns[family].Header, columns[given].Header,
		"it is the given name, before the family name")
	if last := &list[len(list)-1]; last.joins {
		last.before = true
	}
	return list
}

// mainColumn gives the column that is taken as a whole for a field; -1 when none is.
func mainColumn(target Target, columns []sheet.Column, list []Suggestion, field string) int {
	at := slices.IndexFunc(list, func(s Suggestion) bool {
		return s.Draft == target.Draft && s.Field == field && s.Taken && s.Take == ""
	})
	if at < 0 {
		return -1
	}
	return slices.IndexFunc(columns, func(c sheet.Column) bool { return c.Header == list[at].Column })
}

// joinedTo adds a column to what a field is made of, in the place of what it was taken for.
func joinedTo(target Target, list []Suggestion, field, main, column, reason string) []Suggestion {
	taken := slices.ContainsFunc(list,
		func(s Suggestion) bool { return s.Column == column && s.Taken && s.Draft != target.Draft })
	if column == main || taken {
		return list
	}
	list = slices.DeleteFunc(list, func(s Suggestion) bool { return s.Column == column })
	return append(list, Suggestion{Column: column, Draft: target.Draft, Field: field, Confidence: 0.95, Reason: reason,
		Taken: true, joins: true})
}

// Fields makes the origins of what is taken of a draft, columns of one field joined.
func Fields(list []Suggestion) map[string]mapping.Origin {
	fields := map[string]mapping.Origin{}
	for _, s := range list {
		if !s.Taken {
			continue
		}
		if s.Fixed != "" {
			fields[s.Field] = mapping.Origin{Fixed: s.Fixed}
			continue
		}
		o := fields[s.Field]
		o.From, o.Take, o.Join = append(o.From, s.Column), s.Take, cmp.Or(s.Join, o.Join)
		o.When = s.When
		fields[s.Field] = o
	}
	return fields
}
