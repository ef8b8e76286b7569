package value

import (
	"strings"
	"unicode"
)

// Addressee is whom the lines before the street name, as on an envelope.
type Addressee struct {
	Person  string // with the form of address and the titles before the name
	Company string
}

// SplitEnvelope parts what stands on an envelope into whom it is for and the address: “Herrn / Dr. Peter
// Kade / Hafenstr. 12 / 24103 Kiel”, by lines or commas. It is not ok where the cell is no whole
// address, or names nobody before the street for certain: a house has a name too (“Rose Cottage, Mill Lane”).
func SplitEnvelope(s string) (who Addressee, p Place, ok bool) {
	p, ok = SplitAddress(s)
	if !ok {
		return Addressee{}, p, false
	}
	lines := strings.Split(p.Street, ", ")
	street := len(lines) // where it begins: at the first line with a number, or a box
	for i, line := range lines {
		if strings.ContainsAny(line, "0123456789") || aBox(line) {
			street = i
			break
		}
	}
	before, n := "", 0
	for ; n < street; n++ {
		line := lines[n]
		words := strings.Fields(Words(line))
		bare := forWhom.ReplaceAllString(line, "")
		switch {
		case len(words) == 1 && plainAddresses[words[0]]: // Herrn
			before = line + " "
			continue
		case len(words) == 1 && toCompany[words[0]]: // Firma
			continue
		case len(words) == 0 || aside[words[0]]:
		case who.Company == "" && (ofCompany(line) || companyForms[words[len(words)-1]] && len(words) > 1):
			who.Company = withoutFirm(line)
			continue
		case who.Person == "" && ofOne(words) && (before != "" || bare != line || Honorific(line) != ""):
			who.Person = before + bare
			continue
		case strings.Contains(s, "\n") && n+1 < len(lines) && capitalised(line) && ofOne(words) && len(words) > 1:
			if !aCompany(words) && who.Person == "" && len(words) < 5 {
				who.Person = line
				continue
			}
			if aCompany(words) && who.Company == "" && who.Person == "" {
				who.Company = withoutFirm(line)
				continue
			}
		}
		break
	}
	if who == (Addressee{}) {
		return who, p, false
	}
	p.Street = strings.Join(lines[n:], ", ")
	return who, p, true
}

var (
	// toCompany are words on the line above a company's name.
	toCompany = wordSet("firma fa an to societe ste empresa ditta spettle aan til till")
	// aside begin lines that name a part of a company, a household, or somebody at whom the letter is left.
	aside = wordSet(`abteilung abt abteil dept department service serv einkauf vertrieb buchhaltung empfang reception
		purchasing accounts co bei chez familie family famille familia famiglia eheleute ehepaar
		rechnung postfach box the`)
	// aHouse are words in the names of houses, which stand before a street as well.
	aHouse = wordSet(`house haus hof cottage villa building court lodge manor farm mill tower turm gebaude gebäude
		residence residencia residenza immeuble batiment bâtiment edificio edificio zentrum center centre park quay pier
		suite floor etage`)
	boxes = []string{"postfach", "po box", "p o box", "postboks", "box", "bp", "apartado", "casella postale", "postbus"}
)

// aBox reports whether a line is that of a box at a post office.
func aBox(line string) bool {
	words := Words(line)
	for _, box := range boxes {
		if rest, ok := strings.CutPrefix(words, box); ok && (rest == "" || rest[0] == ' ') {
			return true
		}
	}
	return false
}

// ofOne reports whether a line that would name somebody names one person, and no house.
func ofOne(words []string) bool {
	for _, w := range words {
		if aHouse[w] || andWords[w] {
			return false
		}
	}
	return true
}

var andWords = wordSet("und and et y e og och en i ja")

// aCompany reports whether words that are common in the names of companies stand in one.
func aCompany(words []string) bool {
	for _, w := range words {
		if len(w) > 3 && commonInCompanies[w] || companyForms[w] && len(w) > 2 || w == "club" || w == "verein" || w == "werft" {
			return true
		}
	}
	return false
}

// capitalised reports whether the words of a line begin as names do; small ones may stand between.
func capitalised(line string) bool {
	large := 0
	for w := range strings.FieldsSeq(line) {
		switch r := []rune(w)[0]; {
		case unicode.IsUpper(r):
			large++
		case !isParticle(w):
			return false
		}
	}
	return large > 1
}

// withoutFirm takes the word Firma off the front of a company's name.
func withoutFirm(line string) string {
	for _, firm := range []string{"Firma ", "Fa. "} {
		if name, ok := strings.CutPrefix(line, firm); ok {
			return name
		}
	}
	return line
}
