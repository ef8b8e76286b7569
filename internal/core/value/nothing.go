package value

import (
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"uchi/internal/core/catalog"
)

// What people write where there is nothing to write, in the languages of the
// product. A word that may also be a name is none in fields that hold names.
var (
	nothingWords = strings.Fields(`n/a n.a. n.a n/k n/av not_available not_applicable not_known not_given not_specified
		unknown unspecified undefined tbd tba tbc t.b.d. t.b.a. t.b.c. t.b.d t.b.a t.b.c missing empty blank
		k.a. k.a k/a keine_angabe keine_angaben ohne_angabe o.a. unbekannt nicht_bekannt nicht_vorhanden entfällt entf. fehlt
		s/o n.c. n/c nc n.d. n/d inconnu inconnue non_communiqué non_renseigné non_disponible sans_objet à_compléter
		s/d s.d. desconocido desconocida sin_datos sin_dato no_aplica no_disponible no_consta
		sconosciuto sconosciuta non_noto non_disponibile non_applicabile n.p.
		onbekend n.v.t. nvt n.b. niet_bekend niet_van_toepassing geen_gegevens
		desconhecido desconhecida não_disponível não_se_aplica sem_dados
		okänd okänt saknas ej_angivet ej_tillämpligt uppgift_saknas ukendt ikke_oplyst mangler ukjent ikke_oppgitt ikke_kjent
		tuntematon ei_tiedossa ei_tietoa puuttuu nieznany nieznana nieznane brak_danych nie_dotyczy b/d b.d.
		άγνωστο άγνωστος δ/υ n.n. n.n neznámý neznámá neznámé není není_známo není_k_dispozici 不明 未定 未記入 該当なし なし 無し #n/v
		n.t.b. ntb n.n.b. nnb n.o.k. (null) <null> [null] [object_object] http:// https:// http://www. https://www. www. mailto:`)
	nothingOrName = strings.Fields(`n.v. n.v na nil null none nan without ohne sans sin senza sem zonder uden uten
		utan kein keine aucun aucune ninguno ninguna nessuno nessuna geen nenhum ingen inga intet ei_ole brak žádný žádná`)
	// What stands where a name belongs, and is none either.
	namelessWords = strings.Fields(`nn xx xxx xxxx test dummy noname no_name ohne_namen sans_nom sin_nombre senza_nome
		sem_nome geen_naam inget_namn intet_navn ikke_navn ei_nimeä bez_nazwiska bez_nazwy bez_jména
		testfirma musterfirma musterkunde mustermann muster muster_gmbh asdf qwertz qwerty barverkauf barkunde
		laufkundschaft walk_in walk-in walk-in_customer cash_sale cash_customer diverse diverses
		various several mehrere plusieurs miscellaneous sonstige sonstiges varios diversen intern internal`)
	// Names of people that are such words too, when they are written as names are.
	alsoNames = wordSet(`Na Nan Nil Sem Sin Null Sans Nn`)
)

// Words by which somebody says that they are of no company: private ones alone, negations
// with a noun, for a company may be called Sem or Keine; and all of them together.
var (
	privateWords = wordSet(`privat private privatperson privatkunde privatkunden privatkundin privatpersoner selbst
		particulier particuliere
		particular particulares privato privata yksityinen yksityishenkilo prywatny prywatna prywatnie ιδιωτης
		selbstandig selbststandig freiberuflich freiberufler freelance freelancer autonomo autonoma independant
		independante zzp zzper rentner pensionar retired ruhestand self student studentin studerende studerande etudiant
		etudiante estudiante studente studentessa opiskelija arbeitslos unemployed`)
	negations    = wordSet(`kein keine ohne no without none sans aucune sin ninguna sem senza nessuna geen ingen ei bez`)
	companyNouns = wordSet(`firma company business firm unternehmen person persona personne individual customer client
		kunde kundin entreprise
		societe empresa azienda ditta bedrijf persoon virksomhed foretag bedrift yritysta firmy osoba privee fisica`)
)

// noDates are days that programs write where there is none, by their digits: zeros, the first
// and the last day that they know.
var noDates = wordSet(`00000000 00010101 01010001 19000101 01011900 19000100 18991230 30121899 12301899 18991231
	31121899 12311899
	17530101 01011753 29991231 31122999 12312999 99991231 31129999 12319999`)

// inTwoFigures are days and months of one.
var inTwoFigures = regexp.MustCompile(`\b\d\b`)

// NoDate reports whether a text where a day stands is one of them, with midnight or without.
func NoDate(s string) bool {
	if len(s) < 8 || s[0] < '0' || s[0] > '9' {
		return s == "000000"
	}
	if len(s) < 10 && strings.ContainsAny(s, "./-") { // 1.1.1900
		s = inTwoFigures.ReplaceAllString(s, "0$0")
	}
	var digits [8]byte
	n, at := 0, 0
	for ; at < len(s) && s[at] != ' ' && s[at] != 'T'; at++ {
		switch c := s[at]; {
		case c == '-' || c == '.' || c == '/':
		case c < '0' || c > '9' || n == len(digits):
			return false
		default:
			digits[n] = c
			n++
		}
	}
	return noDates[string(digits[:n])] && strings.Trim(s[at:], " T0:.Z+") == ""
}

func wordSet(text string) map[string]bool {
	set := map[string]bool{}
	for w := range strings.FieldsSeq(text) {
		set[w] = true
	}
	return set
}

// noCompany reports whether a text where a company is named says that there is none.
func noCompany(s string) bool {
	begin, _, _ := strings.Cut(strings.TrimLeft(s, "(- "), " ") // most names are told by it
	if begin = Fold(strings.TrimRight(begin, ",.;:)")); !privateWords[begin] && !negations[begin] && !companyNouns[begin] {
		return false
	}
	private, negated, noun := false, false, false
	for w := range strings.FieldsSeq(Words(s)) {
		switch {
		case privateWords[w]:
			private = true
		case negations[w]:
			negated = true
		case companyNouns[w]:
			noun = true
		default:
			return false
		}
	}
	return private || negated && noun
}

// What people write before the sign of an address, and behind it, where they have none.
var (
	noBoxes = wordSet(`noreply no-reply no.reply donotreply do-not-reply nichtantworten nepasrepondre noemail nomail
		no-email no-mail noaddress nomailbox donotemail donotmail keinemail keine-email keinemailadresse pasdemail pasdemel
		sinemail sincorreo nessunaemail geenemail semmail ingenepost ingenmail eiemail`)
	noNames = wordSet(`none no na n/a nil null nobody unknown unbekannt inconnu desconocido onbekend nowhere keine
		kein geen nessuno ingen brak`)
	dullNames = wordSet(`test email mail abc xyz xxx asdf aaa`)
)

// noMailbox reports whether an address is one of those that people make up to fill a field:
// noemail@company.example, none@none.com, test@test.com.
func noMailbox(s string) bool {
	local, domain, ok := strings.Cut(strings.ToLower(s), "@")
	name, _, _ := strings.Cut(domain, ".")
	dull := noNames[name] || dullNames[name] || name == "example" || name == "domain"
	return ok && (noBoxes[local] || noNames[local] && dull || dullNames[local] && (local == name || name == "example"))
}

// Nothing tells texts that stand for nothing from values, for one field.
type Nothing struct {
	words   map[string]bool
	lengths [256]uint64 // by first byte: of how many bytes words are, below 64
	reads   func(string) bool
	company bool // the field names a company
	day     bool // or is a date
	mail    bool // or a mailbox
	phone   bool // or a telephone number
}

// NewNothing makes it ready for a field, with further texts that stand for nothing
// in a workspace. What the field itself can read as a choice, a country or the
// like is a value.
func NewNothing(f catalog.Field, more []string) *Nothing {
	n := &Nothing{words: map[string]bool{}, company: f.ComparedAs() == catalog.AsCompanyName ||
		f.ComparedAs() == catalog.AsEmployer,
		day: f.Type == catalog.Date || f.Type == catalog.DateTime, mail: f.Type == catalog.Email,
		phone: f.Type == catalog.Phone}
	for _, w := range nothingWords {
		n.add(strings.ReplaceAll(w, "_", " "))
	}
	if !HoldsNames(f) {
		for _, w := range nothingOrName {
			n.add(strings.ReplaceAll(w, "_", " "))
		}
	}
	for _, w := range more {
		n.add(w)
	}
	switch f.Type {
	case catalog.OneChoice, catalog.Choices, catalog.Country, catalog.Language, catalog.Currency, catalog.YesNo:
		r := NewReader(f, Settings{})
		n.reads = func(s string) bool {
			_, trouble := r.Read(s)
			return trouble.Code == ""
		}
	}
	return n
}

// NothingAnywhere tells texts that stand for nothing whatever their field.
func NothingAnywhere(more []string) *Nothing {
	return NewNothing(catalog.Field{Likeness: catalog.AsFamilyName}, more)
}

// perhapsNothing are the words that stand for nothing, or are a name.
var perhapsNothing = func() map[string]bool {
	set := map[string]bool{}
	for _, w := range slices.Concat(nothingOrName, namelessWords) {
		set[strings.ReplaceAll(w, "_", " ")] = true
	}
	set["n.n."], set["n. n."] = true, true
	return set
}()

const longestNothing = 24

// Nobody reports whether what names somebody, with the other half of a person's name or none, may
// stand for no name, or for a desk: "none" or "brak". A person's name that is written as one is
// one, where its other half stands beside it (Ute Ohne) or it is a usual one (Sem, Null).
func Nobody(f catalog.Field, other, s string) bool {
	if len(s) > longestNothing || !HoldsNames(f) {
		return false
	}
	low := strings.ToLower(s)
	first, _, _ := strings.Cut(low, " ")
	switch { // most names are told by their words
	case perhapsNothing[low] && (strings.EqualFold(other, s) || !writtenAsName(f, s, other != "")): // Test Test
		return true
	case f.Likeness == catalog.AsFamilyName && deskWords[first]:
		return desk(other, s)
	case f.Likeness == catalog.AsFamilyName:
		return madeUpPerson(other, low)
	case f.Likeness == catalog.AsCompanyName:
		return madeUpCompany(low)
	}
	return false
}

// Names that people make up to try something: of companies with any of the words beside them, of people the
// family names alone or the whole names.
var (
	madeUp = wordSet(`test tests testing demo dummy sample example muster mustermann musterfrau beispiel probe prueba prueb
		prova essai exemple exemplo teste ejemplo esempio voorbeeld proef testowa testowy przyklad przykład przykladowa przykładowa exempel eksempel
		esimerkki testi τεστ テスト testfirma testkunde testunternehmen testbedrijf testklant testcompany testaccount testforetag testföretag
		testvirksomhed testkund musterfirma musterkunde beispielfirma demofirma`)
	besideMadeUp = wordSet(`account customer client lead bitte ignorieren please ignore loschen delete de di da av nr no 1 2 3 4
		5 user data record entry eintrag datensatz klant klient kund cliente clients kunden`)
	madeUpFamilies = wordSet("mustermann musterfrau mustermensch musterperson")
	madeUpPeople   = phraseSet(`prenom nom, john doe, jane doe, joe bloggs, foo bar, test user, test person, test account, test kunde, test kontakt,
		test contact, test lead, tester test, test tester, first last, vorname nachname, prénom nom, nombre apellido, n. n., n n,
		mickey mouse, donald duck, fulano de tal, pepito perez`)
)

// madeUpWith are the family names of whole ones that are made up.
var madeUpWith = func() map[string]bool {
	set := map[string]bool{}
	for name := range madeUpPeople {
		_, family, _ := strings.Cut(name, " ")
		set[family] = true
	}
	return set
}()

// madeUpCompany reports whether a name is one that somebody has made up to try something: Test Firma,
// Muster AG.
func madeUpCompany(s string) bool {
	tried := false
	for rest, w := s, ""; rest != "" && !tried; { // most names have none of them
		w, rest, _ = strings.Cut(rest, " ")
		tried = len(w) > 3 && madeUp[strings.Trim(w, "().,:;-–*\"'")]
	}
	if !tried {
		return false
	}
	for w := range strings.FieldsSeq(NameKey(s)) {
		if !madeUp[w] && !companyNouns[w] && !besideMadeUp[w] {
			return false
		}
	}
	return true
}

// madeUpPerson reports whether the halves of a name, the family name in small letters, are such a one,
// or say twice that nobody is known.
func madeUpPerson(given, family string) bool {
	return madeUpFamilies[family] || madeUpWith[family] && madeUpPeople[strings.ToLower(given)+" "+family] ||
		strings.EqualFold(given, family) && slices.Contains(nothingWords, family)
}

// writtenAsName reports whether such a word is a name all the same.
func writtenAsName(f catalog.Field, s string, beside bool) bool {
	if f.Likeness == catalog.AsCompanyName {
		return false
	}
	first, rest := utf8.DecodeRuneInString(s)
	return unicode.IsUpper(first) && s[rest:] == strings.ToLower(s[rest:]) && (beside || alsoNames[s])
}

// HoldsNames reports whether a field holds names of people or companies.
func HoldsNames(f catalog.Field) bool {
	switch f.Likeness {
	case catalog.AsGivenName, catalog.AsFamilyName, catalog.AsCompanyName:
		return true
	}
	return false
}

func (n *Nothing) add(word string) {
	word = strings.ToLower(Trim(word))
	if word == "" || len(word) >= 64 {
		return
	}
	n.words[word] = true
	for _, first := range []string{word, strings.ToUpper(word)} {
		n.lengths[first[0]] |= 1 << len(word)
		n.lengths[first[0]] |= 1 << min(63, len(first))
	}
}

// Is reports whether a trimmed text stands for nothing: a sign or two and no
// letter, or one of the words.
func (n *Nothing) Is(s string) bool {
	if s == "" || len(s) >= 64 {
		return false
	}
	if n.company && noCompany(s) || n.day && NoDate(s) || n.mail && noMailbox(s) || n.phone && zerosForPhone(s) {
		return true
	}
	if n.lengths[s[0]]&(1<<len(s)) == 0 && !onlySigns(s) {
		return false
	}
	if !onlySigns(s) && !n.words[strings.ToLower(s)] {
		return false
	}
	return n.reads == nil || !n.reads(s)
}

// zerosForPhone reports whether a text is zeros where a telephone number is asked for. Most are told from those by a
// figure behind where the code of a country stands.
func zerosForPhone(s string) bool {
	number := s
	if s[0] == '+' {
		number = s[min(4, len(s)):]
	}
	return !strings.ContainsAny(number, "123456789") && noPhone.MatchString(s)
}

// noPhone are zeros where a telephone number is asked for, with the code of a country or without.
var noPhone = regexp.MustCompile(`^(?:\+\d{1,3}[ ()./-]*)?(?:0[ ()./-]*){5,}$|^0$`)

// mostSigns is how many signs may stand for nothing: "-", "--", "???", "…".
const mostSigns = 12

// onlySigns reports whether a text is nothing but dashes, dots, question marks,
// slashes and the like. A single sign that means something, such as ✓ or €, is not.
func onlySigns(s string) bool {
	if s[0] < 0x80 && (s[0] >= '0' && s[0] <= '9' || s[0]|0x20 >= 'a' && s[0]|0x20 <= 'z') || len(s) > mostSigns {
		return false
	}
	for _, r := range s {
		if !strings.ContainsRune("-–—−_.…?/\\*~=×∅", r) && !unicode.IsSpace(r) {
			return false
		}
	}
	return true
}
