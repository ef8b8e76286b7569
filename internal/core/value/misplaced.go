package value

import (
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"uchi/internal/core/catalog"
)

// Texts that stand in the wrong field, and those that stand in an address, or where a job is
// named, and say that there is none.

// badPlace reports whether a text must belong to another field, as where cells of a row have
// slipped: a postal code without a figure, a town or a job title of figures alone, a mailbox where
// words are, a country where a town is, several cells in one. Regions have numbers in some
// countries, and so have streets.
func (d *Doubter) badPlace(s string) bool {
	switch {
	case d.as == catalog.AsPostalCode:
		return badCode(s)
	case d.as == catalog.AsLocality:
		if badTown(s) {
			return true
		}
	case d.as == catalog.AsStreet:
		if badStreet(s) {
			return true
		}
	case d.job:
		if badJob(s) {
			return true
		}
	case d.as == catalog.AsHonorific:
		return badHonorific(s)
	}
	return d.words && (isMailbox(s) || d.as != catalog.AsCompanyName && isWebAddress(s)) ||
		severalCells(d.as, s)
}

func isWebAddress(s string) bool { return strings.HasPrefix(s, "www.") || strings.Contains(s, "://") }

// badCode reports whether what stands where a postal code does is none: it has no figure, or a
// town stands with it, or a letter where a figure was meant.
func badCode(s string) bool {
	if !strings.ContainsFunc(s, unicode.IsDigit) || len(s) < leastCode || letterForFigure.MatchString(s) {
		return true
	}
	if !strings.ContainsFunc(s, unicode.IsLower) && len(s) < 11 {
		return false
	}
	p, ok := SplitTown(s)
	return ok && utf8.RuneCountInString(p.Town) > 2
}

// leastCode is of how many signs the shortest postal codes are; shorter ones are of districts, and numbers of houses.
const leastCode = 3

// letterForFigure is a code of figures with an O or an l among them; no country has such codes.
var letterForFigure = regexp.MustCompile(`^\d{2,4}[OoIl]\d{0,3}$`)

// badTown reports whether what stands where a town does says more than one, or something else: its
// postal code, its country, a country alone, a street.
func badTown(s string) bool {
	if !strings.ContainsFunc(s, unicode.IsLetter) {
		return true
	}
	if strings.ContainsAny(s, "0123456789") {
		_, coded := SplitTown(s)
		return coded || streetWithNumber.MatchString(s)
	}
	if strings.ContainsAny(s, ",(/-") {
		if _, ok := townBefore(s); ok {
			return true
		}
	}
	return countryAlone(s)
}

// streetWithNumber is what is called a street, in the languages of the product, before or behind a number.
var streetWithNumber = regexp.MustCompile(`(?i)(?:str(?:\.|a(?:ß|ss)e)|weg|allee|gasse|platz|straat|laan|gata|gatan|gade|vei|vej|katu|tie) \d+ ?[a-z]?$|` +
	`^\d+ ?[a-z]? .+ (?:st|street|rd|road|ave|avenue|lane|ln|drive|dr|boulevard|blvd)\.?$|^(?:ul\.|via|rue|calle|rua|avenida|avenue) .+ \d+$|^\d+,? (?:rue|avenue|boulevard|quai|place) `)

// noTowns are countries that no town is called by, but for the names that some are: Franca lies in
// Brazil, America in the Netherlands.
var (
	noTowns = wordSet("DE AT CH FR ES IT GB NL BE DK SE FI PL CZ PT GR IE US CA JP")
	noLands = wordSet("franca america holland poland denmark italy england wales")
)

// countryAlone reports whether a text is the name of such a country.
func countryAlone(s string) bool {
	words := Words(s)
	return len(words) > 3 && noTowns[countryNames()[words]] && !noLands[words]
}

// badStreet reports whether what stands where a street does is another thing: a telephone number, an
// address on the web, or a whole address.
func badStreet(s string) bool {
	if !strings.ContainsFunc(s, func(r rune) bool { return unicode.IsLetter(r) || unicode.IsNumber(r) }) {
		return true
	}
	if (s[0] == '+' || s[0] == '0') && phoneAlone.MatchString(s) || isWebAddress(s) {
		return true
	}
	if !strings.ContainsAny(s, ",;") {
		return false
	}
	p, ok := SplitAddress(s)
	return ok && p.Street != "" && len(p.Code) > 3
}

var phoneAlone = regexp.MustCompile(`^(?:\+|00)\d[\d ()/.-]{7,}$`)

// badJob reports whether what stands where a job does is a number, a letter, a form of address or a company.
func badJob(s string) bool {
	return !strings.ContainsFunc(s, unicode.IsLetter) || len(s) == 1 ||
		addressForms[bare(s)] && OnlyTitles(s) || ofCompany(s) && !atWork.MatchString(s)
}

// atWork is what stands between a job and the company where it is done.
var atWork = regexp.MustCompile(`(?i),|@| (?:at|of|for|with|bei|der|von|chez|de|en|di|presso|bij|van|hos|på|i|w) `)

// badHonorific reports whether what stands where a form of address does is none for one person: a
// number or a letter for it, a sex, a word for a company or a family, two of them, or a whole line.
func badHonorific(s string) bool {
	if isMailbox(s) || !strings.ContainsFunc(s, unicode.IsLetter) || len(s) == 1 && s != "M" { // for Monsieur
		return true
	}
	words := strings.Fields(Words(s))
	return slices.ContainsFunc(words, func(w string) bool { return noOnesAddress[w] }) ||
		len(words) > 1 && strings.ContainsAny(s, "&/+") || len(words) > 2 && joins(words)
}

// joins reports whether one of the words stands between two people.
func joins(words []string) bool {
	return slices.ContainsFunc(words[1:len(words)-1], func(w string) bool { return slices.Contains(joiners, w) })
}

var (
	// noOnesAddress are such words, and those with which letters begin.
	noOnesAddress = wordSet(`male female mannlich weiblich masculin feminin masculino femenino maschio femmina man vrouw
		mand kvinde kvinne kvinna mies nainen mezczyzna kobieta
		company firma firm unternehmen gesellschaft societe entreprise empresa azienda ditta bedrijf virksomhed foretag yritys
		familie family famille familia famiglia fam eheleute ehepaar couple conjuges coniugi dear sehr geehrter geehrte
		cher chere estimado estimada egregio gentile geachte kara hej`)
	// addressForms stand before a name and are no work that somebody does.
	addressForms = wordSet("mr mrs ms miss mx dr prof herr herrn frau fraulein frl fr hr mme mlle sr sra srta sig sigra dott dottssa dhr mevr")
	// hasLeft says of somebody that there is no one to write to.
	hasLeft = newSayings("deceased|dead|passed " +
		"away|verstorben|gestorben|décédé|décédée|fallecido|fallecida|deceduto|deceduta|overleden|avliden|død|zmarły|zmarła|left|has left|left company|left the company|" +
		"no longer there|no longer with company|no longer with the company|no longer works here|gone|ausgeschieden|nicht " +
		"mehr im unternehmen|nicht mehr da|ehemalig|ehemaliger mitarbeiter|a quitté|a quitté la société|" +
		"parti|partie|ya no trabaja|ya no está|non più in azienda|uit dienst|niet meer " +
		"werkzaam|slutat|stoppet|sluttet|fratrådt|lähtenyt|nie pracuje|former employee|ex employee")
	// nowhere says that an address is not known, or is one that stands elsewhere; anything stands
	// where something had to.
	nowhere = newSayings("address unknown|unknown address|no address|no street|no fixed address|moved|moved " +
		"away|returned mail|return to sender|undeliverable|not deliverable|see account|see company|see notes|" +
		"same|same address|same as company|same as account|same as office|as company|as account|various|several|home " +
		"office|homeoffice|remote|street|city|town|postcode|zip|" +
		"adresse unbekannt|unbekannte adresse|keine adresse|unbekannt verzogen|verzogen|siehe firma|wie firma|siehe " +
		"unternehmen|siehe notiz|diverse|mehrere|straße|stadt|plz|" +
		"adresse inconnue|inconnu à cette adresse|npai|pas d adresse|déménagé|voir société|voir " +
		"entreprise|divers|plusieurs|ville|dirección desconocida|sin dirección|ver empresa|varios|varias|" +
		"indirizzo sconosciuto|senza indirizzo|trasferito|vedi azienda|adres onbekend|geen adres|verhuisd|zie " +
		"bedrijf|adress okänd|flyttat|se företag|adresse ukendt|flyttet|se firma|adresse ukjent|" +
		"osoite tuntematon|muuttanut|adres nieznany|brak adresu|xx|xxx|xxxx|test|dummy|asdf|qwertz|qwerty")
	anything = newSayings("xx|xxx|xxxx|test|dummy|asdf|qwertz|qwerty")
	zeros    = regexp.MustCompile(`^0+$|^9{5,}$`)
)

// saysNothing reports whether a part of an address, a job title or a subject may stand for
// nothing: "moved", "see account", "xxx".
func (d *Doubter) saysNothing(s string) bool {
	switch d.as {
	case catalog.AsPostalCode:
		return (s[0] == '0' || s[0] == '9') && zeros.MatchString(s)
	case catalog.AsStreet, catalog.AsLocality:
		return nowhere.are(s)
	}
	return (d.job || d.subject) && anything.are(s)
}

// sayings are texts that say one thing, in small letters. Others are mostly told from them by their
// first letter and their length.
type sayings struct {
	texts   map[string]bool
	lengths [256]uint64 // by first byte: of how many bytes texts are, below 64
}

func newSayings(texts string) *sayings {
	list := &sayings{texts: map[string]bool{}}
	for t := range strings.SplitSeq(texts, "|") {
		list.texts[t] = true
		for _, first := range []string{t, strings.ToUpper(t)} {
			list.lengths[first[0]] |= 1 << len(t)
		}
	}
	return list
}

// are reports whether a text is one of them.
func (list *sayings) are(s string) bool {
	return len(s) < 64 && list.lengths[s[0]]&(1<<len(s)) != 0 && list.texts[strings.ToLower(s)]
}

// formerly reports whether a part of an address says that it was one: "old: Quay 5", "Quay 5
// (until 2025)".
func formerly(s string) bool { return strings.ContainsAny(s, ":(") && oldAddress.MatchString(s) }

var oldAddress = regexp.MustCompile(`(?i)^(?:old|alt|former|formerly|früher|ehem\.|ehemals|ancienne|anc\.|antigua|vecchio|oud|gammel|gammal) ?: ?\S|` +
	`\((?:old|alt|former|formerly|früher|until|bis|jusqu|hasta|fino|tot|til|till|do|valid|gültig|ab|from|wrong|falsch)\b[^()]*\)$`)

// severalCells reports whether a name or a place is more than one cell, where a quote sign that
// was none has taken the signs between them into one.
func severalCells(as catalog.Likeness, s string) bool {
	switch as {
	case catalog.AsCompanyName, catalog.AsGivenName, catalog.AsFamilyName, catalog.AsLocality, catalog.AsStreet:
		return strings.Count(s, ";") > 1 || strings.Contains(s, "\t")
	}
	return false
}
