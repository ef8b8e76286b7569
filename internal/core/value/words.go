package value

import (
	"cmp"
	"maps"
	"net/url"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"uchi/internal/core/problem"

	"golang.org/x/net/idna"
	"golang.org/x/net/publicsuffix"
	"golang.org/x/text/currency"
	"golang.org/x/text/language"
	"golang.org/x/text/language/display"
)

var yesWords, noWords = map[string]bool{}, map[string]bool{}

func init() {
	for w := range strings.FieldsSeq("yes y true t 1 x on ok ja j oui o vrai si s verdadero vero sim v kylla k tosi tak " +
		"prawda ναι αληθες はい 有 ✓ ✔ ☑ wahr waar sant sandt sann ano igen igaz evet da ν jā jah taip") {
		yesWords[Fold(w)] = true
	}
	for w := range strings.FieldsSeq("no n false f 0 off nein non faux falso nao nee onwaar nej nei usann falsk falskt " +
		"ei epatosi nie falsz οχι ψευδες いいえ 無 ✗ ✘ ☐ falsch ne nem hayır hamis nu ο nē") {
		noWords[Fold(w)] = true
	}
}

// What stands for yes and no where somebody is asked for a consent, in compared form.
var (
	agreed = phraseSet(`opt in, opted in, optin, subscribed, granted, given, accepted, confirmed, agreed, erteilt,
		angemeldet, bestatigt, accepte, acceptee, inscrit, inscrite, aceptado, aceptada, accettato, accettata, iscritto, iscritta,
		aangemeld, aceito, aceita, anmald, tilmeldt, pameldt, tilaaja, zgoda udzielona,
		double opt in, abonne, abonnee, zugestimmt, einwilligung erteilt, consent given`)
	refused = phraseSet(`opt out, opted out, optout, unsubscribed, withdrawn, declined, refused, denied, rejected,
		revoked, abgemeldet, widerrufen, abgelehnt, verweigert, refuse, refusee, desinscrit, desinscrite, rechazado, rechazada,
		rifiutato, rifiutata, disiscritto, afgemeld, geweigerd, recusado, recusada, avanmald, avregistrerad, frameldt, avmeldt, perunut, zgoda
		wycofana, nicht erteilt, not given, kein newsletter, no newsletter, pas de newsletter, desabonne, desabonnee`)
)

// conditions are what is said of something instead of yes and no, by the word that a field of it is
// called: what is not done is open.
var conditions = []struct {
	called   string
	yes, not map[string]bool
}{
	{
		"done",
		phraseSet(`closed, complete, erledigt, abgeschlossen, fertig, fait, termine, terminee, clos, hecho, cerrado, fatto,
			completato, chiuso, klaar, afgerond, gedaan, klar, avslutad, færdig, ferdig, afsluttet,
			zrobione, zamkniete, feito, concluido, tehty, valmis, hotovo, kesz, ολοκληρωθηκε, εγινε, 完了, 済, 済み,
			completed, carried out, held, took place, durchgeführt, durchgefuhrt, stattgefunden, ausgeführt, ausgefuhrt,
			effectue, effectuee, realise, realisee, realizado, realizada, completado, completada, finalizado, finalizada,
			effettuato, effettuata, svolto, svolta, uitgevoerd, voltooid, concluida, udført, utført, utford,
			genomford, gennemført, gjennomført, suoritettu, wykonane, zrealizowane, provedeno, splneno, megtortent`),
		phraseSet(`open, pending, to do, todo, not done, offen, unerledigt, ouvert, a faire, en attente, abierto,
			pendiente, por hacer, aperto, da fare, openstaand, te doen, oppen, aben, apen, ikke gjort,
			otwarte, do zrobienia, aberto, pendente, por fazer, avoin, kesken, otevreno, nyitott, ανοιχτο, εκκρεμει,
			nicht erledigt, noch offen, pas fait, non fatto, no hecho, niet gedaan, ikke ferdig, inte klar, niezrobione,
			not completed, incomplete, undone, 未完了, 未, planned, scheduled, geplant, angesetzt, planifie, planifiee,
			prevu, prevue, planificado, planificada, programado, programada, pianificato, pianificata, programmato,
			programmata, gepland, planejado, planejada, agendado, agendada, planerad, planlagt, suunniteltu,
			zaplanowane, naplanovano, tervezett`),
	},
	{
		"active",
		phraseSet(`aktiv, actif, active, activo, activa, attivo, attiva, actief, aktywny, aktywna, ativo, ativa,
			aktiivinen, aktivni, aktiv medarbejder, employed, in post, ενεργος`),
		phraseSet(`inactive, left, retired, resigned, inaktiv, ausgeschieden, inactif, inactive, parti, partie, inactivo,
			inactiva, baja, inattivo, inattiva, inactief, uit dienst, nieaktywny, nieaktywna,
			inativo, inativa, slutat, fratradt, sluttet, ei aktiivinen, neaktivni, ανενεργος`),
	},
}

// SaysDone reports whether a text says that something is done, or that it is still to do.
func SaysDone(s string) bool {
	w := strings.Join(strings.Fields(Fold(s)), " ")
	return w == "done" || conditions[0].yes[w] || conditions[0].not[w]
}

// inState tells whether a text says that what the field asks is so, or not; ok is false where it says neither.
func (r *Reader) inState(s string) (so, ok bool) {
	w := strings.Join(strings.Fields(Fold(s)), " ")
	for _, c := range conditions {
		if r.named[c.called] && (c.yes[w] || c.not[w]) {
			return c.yes[w], true
		}
	}
	return false, false
}

// shortened reports whether a text is the field's own name, cut short by a full stop: “erl.” under Erledigt.
func (r *Reader) shortened(s string) bool {
	stem, cut := strings.CutSuffix(s, ".")
	if !cut || len(stem) < 3 {
		return false
	}
	for word := range r.named {
		if strings.HasPrefix(word, stem) {
			return true
		}
	}
	return false
}

// yesNo takes the field's own name for a yes as well: “done” under Done.
func (r *Reader) yesNo(s string) (string, Trouble) {
	switch w := Fold(s); {
	case yesWords[w], r.named[Words(s)], r.shortened(w):
		return "true", Trouble{}
	case noWords[w]:
		return "false", Trouble{}
	}
	if so, ok := r.inState(s); ok {
		return strconv.FormatBool(so), Trouble{}
	}
	switch w := Words(s); {
	case agreed[w]:
		return "true", Trouble{}
	case refused[w]:
		return "false", Trouble{}
	}
	if words := strings.Fields(Words(s)); len(words) == 2 { // Newsletter: ja
		for n, w := range words {
			if (yesWords[w] || noWords[w]) && mailings[words[1-n]] {
				return strconv.FormatBool(yesWords[w]), Trouble{}
			}
		}
	}
	return "", Trouble{Code: problem.BadYesNo}
}

// mailings are what people say yes or no to, in words of their own.
var mailings = wordSet(`newsletter newsletters mailing mailings mail mails e-mail email werbung reklame advertising
	publicité pubblicità publicidad publicidade boletín boletim nieuwsbrief nyhetsbrev nyhedsbrev uutiskirje`)

// email checks an address of the usual form (RFC 5321, without quoted local
// parts and address literals, which nobody can be written to).
func (r *Reader) email(s string) (string, Trouble) {
	bad := func(why string) (string, Trouble) { return "", Trouble{problem.BadEmail, why} }
	if len(s) > 7 && strings.EqualFold(s[:7], "mailto:") {
		s = s[7:]
	}
	if i := strings.LastIndexByte(s, '<'); i >= 0 && strings.HasSuffix(s, ">") {
		s = s[i+1 : len(s)-1]
	}
	s = strings.TrimRight(strings.Trim(s, `'"‘’“”`), ".,;")
	at := strings.LastIndexByte(s, '@')
	if at < 0 {
		return bad("there is no @ in it")
	}
	if strings.Count(s, "@") > 1 {
		if strings.ContainsAny(s, ",; /\n") {
			return "", Trouble{Code: problem.SeveralValues}
		}
		return bad("there are two @ in it")
	}
	local, domain := s[:at], s[at+1:]
	switch {
	case local == "":
		return bad("nothing stands before the @")
	case domain == "":
		return bad("nothing stands behind the @")
	case len(local) > 64:
		return bad("the part before the @ is longer than 64 characters")
	case local[0] == '.' || local[len(local)-1] == '.' || strings.Contains(local, ".."):
		return bad("a dot is in the wrong place")
	}
	for _, c := range local {
		if c <= ' ' || c == 0x7f || strings.ContainsRune(`()<>[]:;,\"`, c) || unicode.IsSpace(c) {
			return bad("it holds a character that addresses do not have")
		}
	}
	domain, ok := hostName(domain)
	if !ok {
		return bad("its domain is not well formed")
	}
	if end := domain[strings.LastIndexByte(domain, '.')+1:]; !r.knownEnd(end) {
		return bad("no domain ends in ." + end)
	}
	rest, off := strings.CutSuffix(domain, ".invalid")
	if dot := strings.LastIndexByte(rest, '.'); off && dot >= 0 && r.knownEnd(rest[dot+1:]) {
		return bad("it was made one that nobody reads, by .invalid at its end")
	}
	return r.fits(local + "@" + domain)
}

// ownEnds are what domains may end in that are in no public list: those of examples (RFC 2606) and
// of networks of one's own.
var ownEnds = wordSet("example test invalid localhost local lan internal intern corp home")

// knownEnd reports whether domains end so, by the public list of suffixes.
func (r *Reader) knownEnd(end string) bool {
	if r.ends[end] || ownEnds[end] {
		return true
	}
	_, known := publicsuffix.PublicSuffix("x." + end)
	if known { // of those that are not there may be any number
		if r.ends == nil {
			r.ends = map[string]bool{}
		}
		r.ends[end] = true
	}
	return known
}

// hostName checks a domain of two labels or more and gives it in small letters.
func hostName(s string) (string, bool) {
	lower := true
	label, dots := 0, 0
	for i := 0; i < len(s); i++ {
		switch c := s[i]; {
		case c >= utf8.RuneSelf:
			// A name in other letters is kept in its ASCII form (RFC 5891), which is what is sent.
			ascii, err := idna.Lookup.ToASCII(s)
			if err != nil || !isASCII(ascii) {
				return "", false
			}
			return hostName(ascii)
		case c == '.':
			if label == 0 || s[i-1] == '-' {
				return "", false
			}
			label = 0
			dots++
		case 'a' <= c && c <= 'z' || '0' <= c && c <= '9':
			label++
		case 'A' <= c && c <= 'Z':
			label++
			lower = false
		case c == '-':
			if label == 0 {
				return "", false
			}
			label++
		default:
			return "", false
		}
		if label > 63 {
			return "", false
		}
	}
	if dots == 0 || label < 2 || s[len(s)-1] == '-' {
		return "", false
	}
	if !lower {
		s = strings.ToLower(s)
	}
	return s, true
}

func isASCII(s string) bool {
	return strings.IndexFunc(s, func(r rune) bool { return r >= utf8.RuneSelf }) < 0
}

func (r *Reader) url(s string) (string, Trouble) {
	bad := Trouble{Code: problem.BadURL}
	s = strings.TrimRight(strings.Trim(s, `'"‘’“”`), ".,;")
	if strings.ContainsAny(s, " \t\n\\\"<>") {
		return "", bad
	}
	full := s
	if !strings.Contains(s, "://") {
		full = "https://" + s
	}
	u, err := url.Parse(full)
	if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.User != nil {
		return "", bad
	}
	host, ok := hostName(u.Hostname())
	if !ok {
		return "", bad
	}
	if rest, named := strings.CutPrefix(host, "www."); named && !strings.Contains(rest, ".") {
		return "", bad // its end is missing
	}
	if p := u.Port(); p != "" {
		host += ":" + p
	}
	u.Host = host
	if u.Path == "/" && u.RawQuery == "" {
		u.Path = ""
	}
	return r.fits(u.String())
}

func webKey(s string) string {
	if i := strings.Index(s, "://"); i >= 0 {
		s = s[i+3:]
	}
	return strings.TrimSuffix(strings.TrimPrefix(strings.ToLower(s), "www."), "/")
}

// nameTongues are the languages whose names of countries and languages are known.
var nameTongues = []language.Tag{language.English, language.German, language.French, language.Spanish,
	language.Italian, language.Dutch,
	language.Portuguese, language.Swedish, language.Danish, language.Norwegian, language.Finnish, language.Polish,
	language.Greek, language.Japanese}

// ownTongues are languages in which their own countries are known beside the others.
var ownTongues = []language.Tag{language.Czech, language.Slovak, language.Hungarian, language.Romanian,
	language.Bulgarian, language.Croatian, language.Slovenian,
	language.Serbian, language.Estonian, language.Latvian, language.Lithuanian, language.Turkish, language.Russian,
	language.Ukrainian, language.Chinese, language.Korean,
	language.Arabic, language.Icelandic, language.Vietnamese, language.Catalan}

// countrySpellings are names of countries that offices use and the lists of names lack.
var countrySpellings = byName(map[string]string{
	"GB": "uk, u k, england, scotland, wales, northern ireland, n ireland, nordirland, great britain, britain, gb, " +
		"gb uk, great britain uk, england uk, uk england, engl, gb eng, gb sct, gb wls, gb nir, united kingdom of great " +
		"britain and northern ireland, grossbritannien, großbritannien, storbritannien, gran bretaña, grande bretagne, gran " +
		"bretagna, groot brittannië",
	"US": "usa, united states of america, america, amerika, us of a, vs, eeuu, ee uu, etats unis, états unis, " +
		"stati uniti d america", "NL": "holland, ned, the netherlands", "GR": "gre, hellas, ellas, ellada, el",
	"JP": "nippon, nihon", "IE": "eire, republic of ireland, rep of ireland, southern ireland",
	"CZ": "czech republic, czech rep, tschechische republik, česká republika, république tchèque, república checa, repubblica ceca",
	"KR": "korea, south korea, sth korea, s korea, republic of korea, korea republic of, korea south, südkorea, 한국",
	"KP": "korea north, dprk",
	"DE": "deutschland, ger, brd, bundesrepublik deutschland, federal republic of germany, frg, germany west, " +
		"west germany, w germany", "NO": "norge, noreg, kingdom of norway", "SE": "sverige", "DK": "danmark, den",
	"FI": "suomi", "IS": "island",
	"RU": "russia, russian federation, russische föderation", "TR": "turkey, turkiye, türkiye",
	"FO": "faroes, faeroe islands, faroyar, färöer", "MK": "macedonia, north macedonia, fyrom, mazedonien",
	"VN": "vietnam, viet nam",
	"AE": "emirates, uae, vae, u a e", "SA": "ksa, kingdom of saudi arabia", "HK": "hong kong, hongkong",
	"MO": "macau, macao", "TW": "taiwan, taiwan province of china, chinese taipei, republic of china",
	"CN": "pr china, p r china, prc, people s republic of china, peoples republic of china, mainland china, vr china",
	"CI": "ivory coast, elfenbeinküste", "MM": "burma", "SZ": "swaziland", "CV": "cape verde, kap verde",
	"TL": "east timor",
	"VA": "vatican, holy see, vatikan", "PS": "palestine, palästina",
	"IR": "islamic republic of iran, iran islamic republic of", "LA": "lao pdr", "SY": "syrian arab republic",
	"BO": "bolivia plurinational state of", "VE": "venezuela bolivarian republic of",
	"TZ": "united republic of tanzania", "MD": "republic of moldova", "BN": "brunei darussalam",
	"CD": "dr congo, drc, democratic republic of the congo, congo kinshasa",
	"CG": "republic of the congo, congo brazzaville",
	"BA": "bosnia, bih, bosnien", "AG": "antigua", "TT": "trinidad", "KN": "st kitts and nevis, st kitts",
	"BS": "the bahamas", "GM": "the gambia", "PH": "the philippines", "VG": "bvi", "VI": "usvi", "KY": "cayman",
	"ZA": "rsa, republic of south africa",
	"IN": "bharat", "NZ": "aotearoa, n z", "AU": "aus", "ES": "canary islands, kanaren, kanarische inseln, islas " +
		"canarias, balearic islands, balearen", "PT": "azores, azoren, açores, madeira", "SJ": "svalbard",
	"BY": "weissrussland, weißrussland", "CH": "sui, schweiz suisse",
})

// byName turns a list of names by country around; the names stand as they are compared.
func byName(byCode map[string]string) map[string]string {
	names := map[string]string{}
	for code, list := range byCode {
		for name := range strings.SplitSeq(list, ",") {
			names[Words(name)] = code
		}
	}
	return names
}

// noCountries are codes beside those of ISO 3166-1: of parts, of groups, and of countries
// that are no more.
var noCountries = wordSet("AC CP DG EA IC TA EU EZ UN QO SU YU CS AN BU DD FX NT TP ZR")

// countrySigns are the distinguishing signs of vehicles (Convention on Road Traffic, Vienna
// 1968, article 37) that are no codes of ISO 3166 and that people write in address lists,
// as in “D” and “D-24103”.
var countrySigns = map[string]string{"a": "AT", "b": "BE", "d": "DE", "e": "ES", "f": "FR", "h": "HU", "i": "IT",
	"l": "LU", "m": "MT", "n": "NO", "p": "PT", "s": "SE", "fl": "LI", "slo": "SI"}

var countryNames = sync.OnceValue(func() map[string]string {
	names := map[string]string{}
	clash := map[string]bool{}
	var codes []string
	put := func(name, code string) {
		k := Words(name)
		if k == "" {
			return
		}
		if was, ok := names[k]; ok && was != code {
			clash[k] = true
			return
		}
		names[k] = code
	}
	for a := 'A'; a <= 'Z'; a++ {
		for b := 'A'; b <= 'Z'; b++ {
			region, err := language.ParseRegion(string(a) + string(b))
			if err != nil || !region.IsCountry() || region.Canonicalize().String() != region.String() {
				continue
			}
			code := region.String()
			if noCountries[code] {
				continue
			}
			codes = append(codes, code)
			put(code, code)
			put(region.ISO3(), code)
			for _, tongue := range nameTongues {
				n := display.Regions(tongue).Name(region)
				put(n, code)
				if tongue == language.English && strings.Contains(n, "&") {
					put(strings.ReplaceAll(n, "&", "and"), code)
				}
			}
		}
	}
	for k := range clash {
		delete(names, k)
	}
	for _, tongue := range ownTongues {
		for _, code := range codes {
			if k := Words(display.Regions(tongue).Name(language.MustParseRegion(code))); k != "" && names[k] == "" && !clash[k] {
				names[k] = code
			}
		}
	}
	for _, tongue := range nameTongues { // Oesterreich, as where letters are plain ones
		for _, code := range codes {
			name := display.Regions(tongue).Name(language.MustParseRegion(code))
			if k := Words(twoLetters.Replace(name)); k != "" && names[k] == "" && !clash[k] {
				names[k] = code
			}
		}
	}
	maps.Copy(names, countrySpellings)
	maps.Copy(names, countrySigns)
	return names
})

// twoLetters are those that people write for letters which their keyboards lack.
var twoLetters = strings.NewReplacer("ä", "ae", "ö", "oe", "ü", "ue", "å", "aa", "ø", "oe", "æ", "ae", "Ä", "Ae",
	"Ö", "Oe", "Ü", "Ue", "Å", "Aa", "Ø", "Oe", "Æ", "Ae")

// NamedCode is a code with its names, the English one first.
type NamedCode struct {
	Code  string
	Label string
	Names []string // in their compared form
}

// Countries lists the countries that are known (ISO 3166), by code.
var Countries = sync.OnceValue(func() []NamedCode {
	names := map[string][]string{}
	for name, code := range countryNames() {
		names[code] = append(names[code], name)
	}
	var list []NamedCode
	for _, code := range slices.Sorted(maps.Keys(names)) {
		region, err := language.ParseRegion(code)
		if err != nil {
			continue
		}
		slices.Sort(names[code])
		list = append(list, NamedCode{Code: code, Label: display.Regions(language.English).Name(region), Names: names[code]})
	}
	return list
})

// initialsWithAccents are short for countries; without their accents they are the codes of others.
var initialsWithAccents = map[string]string{"ČR": "CZ", "ČSR": "CZ", "ÖST": "AT", "Ö": "AT"}

// isPlain reports whether all letters of a text are those of codes, or none is.
func isPlain(s string) bool {
	latin, other := false, false
	for _, r := range s {
		if unicode.Is(unicode.Latin, r) {
			latin, other = true, other || r >= utf8.RuneSelf
		}
	}
	return !latin || !other
}

func (r *Reader) country(s string) (string, Trouble) {
	if code, ok := initialsWithAccents[strings.ToUpper(strings.ReplaceAll(s, ".", ""))]; ok {
		return code, Trouble{}
	}
	if code, ok := countryNames()[Words(s)]; ok && !doubted(s) && (len(Words(s)) > 2 || isPlain(s)) {
		return code, Trouble{}
	}
	if m := twice.FindStringSubmatch(s); m != nil { // "Norway (NO)"
		a, _ := r.country(m[1])
		if b, _ := r.country(m[2]); a != "" && a == b {
			return a, Trouble{}
		}
	}
	return "", Trouble{Code: problem.BadCountry}
}

// twice is something that is said in two ways: behind a dash or in brackets.
var twice = regexp.MustCompile(`^([^()\[\]/|]+?)\s*(?:\s[-–]\s|[(\[/|])\s*([^()\[\]/|]+?)[)\]]?$`)

var languageNames = sync.OnceValue(func() map[string]string {
	names := map[string]string{}
	for _, base := range display.Supported.Tags() {
		b, _ := base.Base()
		tag := language.Make(b.String())
		for _, tongue := range nameTongues {
			if n := display.Languages(tongue).Name(tag); n != "" {
				if k := Words(n); names[k] == "" {
					names[k] = b.String()
				}
			}
		}
		if n := display.Self.Name(tag); n != "" {
			names[Words(n)] = b.String()
		}
	}
	for name, code := range map[string]string{"norsk": "no", "norwegian": "no", "norwegisch": "no", "norvégien": "no",
		"flemish": "nl", "flämisch": "nl", "vlaams": "nl", "flamand": "nl",
		"mandarin": "zh", "castilian": "es", "castellano": "es", "brazilian portuguese": "pt-BR"} {
		names[Words(name)] = code
	}
	return names
})

// aCountrys are codes of languages that are written for the country of the same letters, in
// capitals: UK is hardly Ukrainian, and IN not Indonesian. Those of seldom are it in small
// letters as well: se is rather Swedish than Northern Sami, ch rather Swiss than Chamorro.
var (
	aCountrys = wordSet("UK SI BE IN")
	seldom    = wordSet("se ch ie ee br kr tw")
)

// spokenIn are codes of countries that are none of a language, with the one that is spoken there.
var spokenIn = map[string]string{"dk": "da", "cz": "cs", "gr": "el", "jp": "ja", "cn": "zh", "ua": "uk",
	"us": "en", "gb": "en"}

func (r *Reader) language(s string) (string, Trouble) {
	code := strings.ToLower(s)
	if aCountrys[s] || seldom[code] {
		return "", Trouble{problem.BadLanguage, "these are the letters of a country"}
	}
	if spoken := spokenIn[code]; spoken != "" {
		return spoken, Trouble{}
	}
	if code, ok := languageNames()[Words(s)]; ok && !doubted(s) {
		return code, Trouble{}
	}
	if len(s) <= 12 {
		if tag, err := language.Parse(strings.ReplaceAll(s, "_", "-")); err == nil && tag != language.Und {
			return tag.String(), Trouble{}
		}
	}
	return "", Trouble{Code: problem.BadLanguage}
}

// currencySigns are the signs and words that stand for one currency alone; the
// dollar, pound and crown of several countries are not among them save where
// custom has settled them.
var currencySigns = map[string]string{"€": "EUR", "euro": "EUR", "euros": "EUR", "£": "GBP", "pound sterling": "GBP",
	"us$": "USD", "$": "USD", "r$": "BRL", "a$": "AUD", "au$": "AUD", "c$": "CAD", "ca$": "CAD", "nz$": "NZD", "s$": "SGD",
	"hk$": "HKD", "mx$": "MXN", "nt$": "TWD", "¥": "JPY", "円": "JPY", "yen": "JPY",
	"zł": "PLN", "kč": "CZK", "ft": "HUF", "lei": "RON", "nkr": "NOK", "skr": "SEK", "dkr": "DKK", "nkr.": "NOK",
	"skr.": "SEK", "dkr.": "DKK", "sterling": "GBP", "franken": "CHF", "sfr.": "CHF", "chf": "CHF", "sfr": "CHF",
	"fr.": "CHF", "₺": "TRY", "₹": "INR", "₽": "RUB"}

// CurrencyIn gives what stands beside the figures of an amount, such as the sign
// of “1.250,00 €” or the code of “NOK 640” and “10 TEUR”; empty when nothing does.
func CurrencyIn(s string) string {
	if first := strings.IndexFunc(s, unicode.IsDigit); first > 0 { // “ca. 20k €” is in euros
		if word := strings.TrimRight(Fold(strings.TrimSpace(s[:first])), "."); aboutWords[word] || fromWords[word] ||
			toWords[word] {
			s = s[first:]
		}
	}
	if strings.ContainsAny(s, "-–—~ ") { // also “10k bis 20k”
		if m := rangeOf.FindStringSubmatch(s); m != nil { // “10k-20k” is in nothing that is named
			return cmp.Or(CurrencyIn(m[4]+m[5]+m[6]), CurrencyIn(m[1]+m[2]+m[3]))
		}
	}
	s, _ = scaled(s, true)
	rest := strings.TrimFunc(s, func(r rune) bool {
		return unicode.IsDigit(r) || unicode.IsSpace(r) || strings.ContainsRune(".,'’+-−()", r)
	})
	if strings.ContainsFunc(rest, unicode.IsDigit) {
		return ""
	}
	return rest
}

// severalCurrencies are signs that many currencies have.
var severalCurrencies = map[string]string{"$": "USD CAD AUD NZD MXN SGD HKD BRL ARS CLP COP TWD",
	"kr": "NOK SEK DKK ISK", "kr.": "NOK SEK DKK ISK"}

// SharedSign reports whether a sign does not say which currency is meant.
func SharedSign(sign string) bool { return severalCurrencies[strings.ToLower(sign)] != "" }

// WithCurrency reports whether the sign, word or code of a currency (ISO 4217) stands beside the figures of a text: “€ 3”
// and “NOK 640”, and not “HRB 10233”.
func WithCurrency(s string) bool {
	said := CurrencyIn(s)
	_, ok := currencyOf(said)
	return ok || SharedSign(said)
}

// InCurrency reports whether an amount as it is written can be one in a currency (ISO 4217): the
// sign or code beside it is that of the currency, is not known, or is not there. Said gives what
// stands there.
func InCurrency(s, code string) (said string, can bool) {
	if strings.Trim(s, "0123456789 .,-") == "" { // as most are
		return "", true
	}
	said = CurrencyIn(s)
	low := strings.ToLower(said)
	if list, ok := severalCurrencies[low]; ok {
		return said, slices.Contains(strings.Fields(list), code)
	}
	of, ok := currencyOf(said)
	if !ok {
		return said, true
	}
	return said, of == code
}

// currencyOf gives the code of a currency (ISO 4217) from its sign, a word for it or its code.
func currencyOf(s string) (code string, ok bool) {
	if code, ok := currencySigns[strings.ToLower(s)]; ok {
		return code, true
	}
	unit, err := currency.ParseISO(strings.ToUpper(s))
	return unit.String(), err == nil
}

func (r *Reader) currency(s string) (string, Trouble) {
	if code, ok := currencyOf(s); ok {
		return code, Trouble{}
	}
	return "", Trouble{Code: problem.BadCurrency}
}
