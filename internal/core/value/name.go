package value

import (
	"slices"
	"strings"
	"unicode/utf8"

	"uchi/internal/core/catalog"
)

// particles belong to the family name behind them.
var particles = strings.Fields("van von der den de del della di da dos das du la le ten ter zu zum zur af av bin al el mac")

// firstOfTwo are the family names of Spain and Portugal that most people have as the first of
// two, but for those that are given names as well; ands stand between two.
var (
	firstOfTwo = strings.Fields(`garcia rodriguez gonzalez fernandez lopez martinez sanchez perez gomez jimenez ruiz hernandez diaz moreno munoz alvarez romero
		gutierrez navarro torres dominguez vazquez ramos ramirez serrano blanco molina morales suarez ortega delgado castro ortiz rubio sanz nunez iglesias medina
		garrido cortes castillo lozano guerrero cano prieto mendez calvo gallego herrera marquez cabrera campos vega fuentes carrasco diez caballero nieto aguilar
		herrero gimenez santana hidalgo montero ibanez ferrer duran benitez mora arias vargas carmona crespo soto saez velasco moya soler parra gallardo rojas
		silva ferreira pereira oliveira costa rodrigues martins sousa fernandes goncalves gomes lopes marques alves almeida ribeiro pinto carvalho teixeira
		moreira correia mendes nunes soares vieira monteiro cardoso rocha neves coelho pires antunes matos fonseca`)
	ands = []string{"y", "e", "i"}
)

var (
	shortParticles = strings.Fields("v. d. v.d. v.d vd. z.") // as they are written: V. is an initial
	joiners        = strings.Fields("& + / und u. and et og och")
)

var titles = strings.Fields("mr mrs ms miss dr prof professor herr frau hr fr m mme mlle sr sra srta sig signor signora dott ing dipl dhr mevr kapt capt captain")

// Degrees stand behind a name and belong to neither half of it: some without a comma too;
// capital ones only as they are written here, since others could be initials or a short name.
var (
	behindNames    = strings.Fields("phd dphil mba msc bsc llm llb jr sr ii iii iv esq")
	degrees        = slices.Concat(behindNames, strings.Fields("md dr dipl ing"))
	capitalDegrees = strings.Fields("MA BA RN CPA OBE MBE")
)

// isParticle reports whether a word belongs to the family name behind it, also a short form
// of some that do: "v. d. Heide".
func isParticle(word string) bool {
	return slices.Contains(particles, Fold(word)) || slices.Contains(shortParticles, word)
}

// SeveralPeople reports whether a name is that of more than one person, or of a firm called
// after its people: "Hans und Petra Meier", "Brodersen & Sohn".
func SeveralPeople(s string) bool {
	words := strings.Fields(s)
	for i, w := range words {
		if i > 0 && i < len(words)-1 && slices.Contains(joiners, strings.ToLower(w)) {
			return true
		}
	}
	return false
}

// SplitName parts a full name into given and family name: "Ada van der Kade",
// "van der Kade, Ada", "KADE Ada". Forms of address and titles in front of either half are
// passed over, and so are degrees after a comma. One word alone is a family name.
func SplitName(s string) (given, family string) {
	words, at := halves(s)
	if at < 0 {
		at = familyAt(words)
		return strings.Join(words[:max(at, 0)], " "), strings.Join(words[max(at, 0):], " ")
	}
	return strings.Join(words[at:], " "), strings.Join(words[:at], " ")
}

// familyAt gives the place at which the family name begins that stands last: its last word,
// with the particles before it; with the two of "López García" or "Ortega y Gasset".
func familyAt(words []string) int {
	at := len(words) - 1
	switch {
	case len(words) > 3 && slices.Contains(ands, words[at-1]):
		at -= 2
	case len(words) > 2 && slices.Contains(firstOfTwo, Fold(words[at-1])):
		at--
	}
	for at > 1 && isParticle(words[at-1]) {
		at--
	}
	return at
}

// SplitFamilyFirst parts a full name whose family name stands first: "Kade Ada",
// "van der Kade Ada Mary". What else it knows is what SplitName does.
func SplitFamilyFirst(s string) (given, family string) {
	words, at := halves(s)
	if at < 0 {
		at = 0
		for at < len(words)-2 && isParticle(words[at]) {
			at++
		}
		at = min(at+1, len(words))
	}
	return strings.Join(words[at:], " "), strings.Join(words[:at], " ")
}

// TitleKey gives the form in which whole titles of records of a type are compared: that of a
// company's name, or of both halves of a person's, in whichever order they are written.
func TitleKey(t catalog.RecordType, title string) string {
	is := func(as catalog.Likeness) bool {
		return slices.ContainsFunc(t.Title, func(name string) bool { f, _ := t.Field(name); return f.ComparedAs() == as })
	}
	switch {
	case is(catalog.AsGivenName) && is(catalog.AsFamilyName): // a half may be called as a legal form is, such as Ås
		given, family := SplitName(title)
		return strings.TrimSpace(NameKey(given) + " " + NameKey(family))
	case !is(catalog.AsCompanyName):
		if family, given, ok := strings.Cut(title, ","); ok && !strings.Contains(given, ",") {
			title = given + " " + family
		}
	}
	return NameKey(title)
}

// halves gives the words of a name without titles and degrees. Where a comma, or capitals
// that only the family name has, tell its halves apart, the family name is the first at of
// them; else at is -1.
func halves(s string) (words []string, at int) {
	parts := strings.Split(s, ",")
	for len(parts) > 1 && behindName(parts[len(parts)-1], strings.Join(parts[:len(parts)-1], "")) {
		parts = parts[:len(parts)-1]
	}
	family := untitled(parts[0])
	for len(parts) == 1 && len(family) > 2 && slices.Contains(behindNames, Fold(strings.ReplaceAll(family[len(family)-1], ".", ""))) {
		family = family[:len(family)-1]
	}
	if len(parts) > 1 {
		return slices.Concat(family, untitled(strings.Join(parts[1:], ","))), len(family)
	}
	loud := func(w string) bool {
		return strings.ToUpper(w) == w && strings.ToLower(w) != w && utf8.RuneCountInString(w) > 2
	}
	front := slices.IndexFunc(family, func(w string) bool { return !loud(w) })
	behind := len(family)
	for behind > 0 && loud(family[behind-1]) {
		behind--
	}
	switch {
	case front > 0 && behind == len(family):
		return family, front
	case front == 0 && behind < len(family) && !slices.ContainsFunc(family[:behind], loud):
		return slices.Concat(family[behind:], family[:behind]), len(family) - behind
	}
	return family, -1
}

// untitled gives the words of a name without the titles in front of it, but never none.
func untitled(name string) []string {
	words := strings.Fields(name)
	for len(words) > 1 && slices.Contains(titles, strings.TrimSuffix(Fold(words[0]), ".")) {
		words = words[1:]
	}
	return words
}

// behindName reports whether what stands behind the last comma is no half of a name but
// degrees; a full name that is not written in capitals is before those in capitals.
func behindName(last, name string) bool {
	full := strings.ToUpper(name) != name && len(strings.Fields(name)) > 1
	return !slices.ContainsFunc(strings.Fields(last), func(w string) bool {
		return !slices.Contains(degrees, Fold(strings.ReplaceAll(w, ".", ""))) && !(full && slices.Contains(capitalDegrees, w))
	})
}
