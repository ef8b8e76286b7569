package value

import "strings"

// privateMail are domains under which anybody can have a mailbox.
var privateMail = wordSet(`gmail.com googlemail.com yahoo.com yahoo.co.uk yahoo.de yahoo.fr yahoo.it yahoo.es
	ymail.com outlook.com outlook.de outlook.fr hotmail.com hotmail.co.uk hotmail.de hotmail.fr
		hotmail.it hotmail.es live.com live.de live.fr live.nl live.se live.no live.dk msn.com icloud.com me.com mac.com
		aol.com proton.me protonmail.com mail.com email.com zoho.com fastmail.com hey.com
		gmx.de gmx.net gmx.at gmx.ch gmx.com web.de t-online.de freenet.de arcor.de posteo.de mailbox.org 1und1.de
		orange.fr wanadoo.fr free.fr laposte.net sfr.fr neuf.fr bbox.fr libero.it virgilio.it tin.it alice.it
		tiscali.it telenet.be skynet.be proximus.be ziggo.nl planet.nl hetnet.nl home.nl kpnmail.nl xs4all.nl bluewin.ch
		hispeed.ch telia.com bredband.net spray.se online.no broadpark.no mail.dk jubii.dk luukku.com
		wp.pl onet.pl o2.pl interia.pl poczta.onet.pl sapo.pt terra.es telefonica.net seznam.cz centrum.cz azet.sk
		btinternet.com sky.com talktalk.net virginmedia.com ntlworld.com otenet.gr yandex.ru mail.ru
		naver.com qq.com 163.com 126.com docomo.ne.jp ezweb.ne.jp softbank.ne.jp`)

// roleBoxes are mailboxes of a desk, not of a person.
var roleBoxes = wordSet(`info office post mail mails email e-mail contact kontakt contacto contatto contato hello
	hallo hei hej admin
	administrator sales verkauf ventas vente vendite salg forsaljning service support help team reception rezeption empfang
	booking reservations bookings accounts accounting finance invoice invoices rechnung faktura fakturor marina harbour
	harbor hafen havn havnekontor hamn hamnen club secretary sekretariat sekretariatet secretariat secretaria noreply
	no-reply webmaster postmaster marketing enquiries enquiry inquiries jobs hr na none unknown noemail nomail test x`)

// deskWords stand for a desk where a person is named; "Marina" and "Post" are names.
var deskWords = wordSet(`direktion buro büro bureau kontor kontoret kancelaria biuro ufficio segreteria oficina
	escritorio escritório secretariado sekretariatet kantoor info office reception rezeption empfang sales verkauf
	ventas vendite salg forsaljning accounting finance admin support
	booking reservations sekretariat sekretariatet secretariat secretaria marketing enquiries hr department dept
	desk team staff front back abteilung abt einkauf vertrieb buchhaltung verwaltung zentrale leitung geschaftsleitung
	geschäftsleitung geschaftsfuhrung geschäftsführung personal
	service comptabilite comptabilité accueil achats direction administration compras administracion recepcion direccion
	acquisti amministrazione inkoop verkoop boekhouding administratie
	administracao inkop ekonomi indkob indkøb bogholderi innkjop innkjøp okonomi økonomi osto myynti zakupy ksiegowosc
	recepcja biuro purchasing procurement logistics warehouse workshop switchboard
	accounts payable receivable human resources customer care technique technical technischer technische teknisk tecnico
	técnico tecnica técnica
	commercial commerciale comercial client clients clientele clientèle export import services generale générale general
	urbanisme juridique legal it edv informatik informatique informatica`)

// MailOrder tells what a mailbox says of the order in which its owner's names stand. One that calls the owner by the
// given name behind the initial of the family name, as m.rossi of Rossi Marco, has them turned: nearly all that are made
// of an initial and a name have the family name. One that has the given name, or its initial, before the family name,
// as they stand, says that they stand well. Mostly it says neither.
func MailOrder(address, given, family string) (turned, well bool) {
	local, _, ok := strings.Cut(address, "@")
	single := !strings.ContainsRune(Words(given), ' ')
	local, given, family = joined(local), joined(given), joined(family)
	if !ok || given == "" || family == "" || given[0] == family[0] {
		return false, false
	}
	turned = single && len(given) > 3 && local == family[:1]+given
	initial := given[:1] + family
	slipped := len(family) > 3 && strings.HasPrefix(local, initial[:5]) // in the end of the family name
	return turned, local == given+family || len(family) > 2 && local == initial || slipped
}

// MailIs reports whether a mailbox is called by a name and nothing else.
func MailIs(address, name string) bool {
	local, _, ok := strings.Cut(address, "@")
	return ok && name != "" && joined(local) == joined(name)
}

// desk reports whether a person's name is that of a desk: each of its words is one of those that
// name some.
func desk(given, family string) bool {
	words := strings.Fields(Words(given + " " + family))
	for _, w := range words {
		if !deskWords[w] && !between[w] {
			return false
		}
	}
	return len(words) > 0 && !between[words[0]]
}

// between are the words that may stand between them.
var between = wordSet("and und et e y en og och i ja the der die das des de la le of")

// RoleMailbox reports whether what stands before the sign of an address, in small letters,
// is no person's own, as info and office2 are.
func RoleMailbox(local string) bool { return roleBoxes[strings.Trim(local, "0123456789.-_")] }

// RoleMailboxes lists what stands before the sign of such addresses, but for figures and marks
// around it.
func RoleMailboxes() []string { return sorted(roleBoxes) }

// PrivateDomain reports whether anybody can have a mailbox under a domain in small letters.
func PrivateDomain(domain string) bool { return privateMail[domain] }

// PrivateMail lists the domains, in small letters, under which anybody can have a
// mailbox; what is written to one of them need not reach a company.
func PrivateMail() []string { return sorted(privateMail) }

// sharedSites are sites on which all companies can have a page.
var sharedSites = wordSet(`facebook.com fb.com instagram.com linkedin.com xing.com twitter.com x.com youtube.com
	tiktok.com pinterest.com google.com sites.google.com maps.google.com goo.gl linktr.ee wikipedia.org
	tripadvisor.com booking.com yelp.com`)

// SharedSites lists sites, without www, on which all companies can have a page.
func SharedSites() []string { return sorted(sharedSites) }

// wellKnown are domains at which so many have a mailbox that one which is a slip away is no other.
var wellKnown = strings.Fields(`gmail.com googlemail.com hotmail.com outlook.com yahoo.com icloud.com t-online.de freenet.de`)

// besideKey gives the keys around each of those between the letters of a domain.
var besideKey = map[byte]string{'a': "sqz", 'e': "wr", 'i': "uo", 'l': "ko", 'm': "n", 'n': "mb", 'o': "ip", 't': "ry", 'u': "yi",
	'r': "et", 'c': "xv", 'k': "jl", 'h': "gj", 'd': "sf", 'g': "fh"}

// misspelt gives the well-known domain by each that is one slip away: two letters turned, one left out,
// doubled, or struck beside its key. A first letter is neither left out nor another, as mail.com and ymail.com
// are domains too.
var misspelt = func() map[string]string {
	slips := map[string]string{}
	for _, right := range wellKnown {
		for i := range len(right) {
			if i > 0 {
				slips[right[:i]+right[i+1:]] = right
				for _, beside := range besideKey[right[i]] {
					slips[right[:i]+string(beside)+right[i+1:]] = right
				}
			}
			slips[right[:i]+right[i:i+1]+right[i:]] = right
			if i+1 < len(right) {
				slips[right[:i]+right[i+1:i+2]+right[i:i+1]+right[i+2:]] = right
			}
		}
	}
	for domain := range slips {
		if privateMail[domain] || !strings.Contains(domain, ".") {
			delete(slips, domain)
		}
	}
	return slips
}()

// MeantMailbox gives the address that somebody has probably meant whose domain is misspelt; empty
// where nothing shows that.
func MeantMailbox(address string) string {
	local, domain, _ := strings.Cut(address, "@")
	if right := misspelt[strings.ToLower(domain)]; right != "" && local != "" {
		return local + "@" + right
	}
	return ""
}
