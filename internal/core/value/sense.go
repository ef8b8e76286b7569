package value

import (
	"regexp"
	"strings"

	"uchi/internal/core/catalog"
)

// Sense tells whether the yes of a column is a yes to what its field asks: under “Unsubscribed”
// it is a no to the consent.
type Sense string

// The ways in which yes and no are meant; empty is as the header says.
const (
	SameSense     Sense = "same"
	OppositeSense Sense = "opposite"
)

// Senses lists those that can be chosen.
var Senses = []Sense{SameSense, OppositeSense}

var (
	smallThenCapital = regexp.MustCompile(`(\p{Ll})(\p{Lu})`)

	// Words that deny, at the beginning of a header and anywhere in it; and those that do together.
	denyFirst = wordSet(`no not non dont kein keine keinen nicht pas ne sin geen niet sem nao ingen inget ikke inte ej
		uten uden ei nie
		bez brak mh χωρις`)
	denyWords = wordSet(`unsubscribed unsubscribe optout optedout abgemeldet abbestellt abbestellung widerruf widerrufen
		widersprochen
		widerspruch gesperrt sperre sperrvermerk werbesperre mailsperre blocked block desinscrit desinscrite desabonne
		desabonnee disiscritto disiscritta revocado revocada revocato revocata withdrawn revoked refused declined afgemeld
		uitgeschreven avregistrerad avanmald frameldt frabedt avmeldt reservert kielto markkinointikielto rezygnacja wycofana
		inactive inaktiv inactif inactivo inattivo inactief inativo disabled deactivated deaktiviert archived archiviert dnc
		donotcontact donotemail`)
	denyPhrase = []string{" opt out ", " opted out ", " do not ", " don t ", " ne pas ", " baja "}
)

// Denies reports whether a header says the opposite of what it names: “Do not e-mail”, “Kein
// Newsletter”, “Opted out”.
func Denies(header string) bool {
	words := strings.Fields(Words(smallThenCapital.ReplaceAllString(header, "$1 $2")))
	if len(words) == 0 {
		return false
	}
	if denyFirst[words[0]] && len(words) > 1 {
		return true
	}
	for _, w := range words {
		if denyWords[w] {
			return true
		}
	}
	text := " " + strings.Join(words, " ") + " "
	for _, p := range denyPhrase {
		if strings.Contains(text, p) {
			return true
		}
	}
	return false
}

// Opposes reports whether the yes of a column with such a header is a no to what a field asks.
func Opposes(f catalog.Field, header string) bool {
	return f.Type == catalog.YesNo && Denies(header) != Denies(f.Label) && joined(header) != joined(f.Label) &&
		joined(header) != joined(f.Name)
}

// joined is a name without what parts its words.
func joined(s string) string {
	words := Words(s)
	if strings.IndexByte(words, ' ') < 0 {
		return words
	}
	return strings.ReplaceAll(words, " ", "")
}

// Opposite gives no for yes and yes for no. Who says in words that there is a consent, or none,
// is taken at the word: “unsubscribed” is no consent whatever the header.
func Opposite(s string) string {
	switch w := Fold(s); {
	case yesWords[w]:
		return "no"
	case noWords[w]:
		return "yes"
	}
	switch w := Words(s); {
	case refused[w]: // it says what the header says
		return "no"
	case agreed[w]:
		return "yes"
	}
	return s
}
