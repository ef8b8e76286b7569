// Package made makes up marinas, companies and people in the world of the demo,
// in any number, the same from the same seed. Nothing in it is real: domains
// end in .example and telephone numbers are plainly invented but well formed.
package made

import (
	"fmt"
	"math/rand/v2"
	"strings"
)

type place struct {
	country, code, trunk string
	digits               int // of an invented national number behind the trunk
	towns, streets       []string
	given, family        []string
	forms                []string
}

var places = []place{
	{"Norway", "NO", "+4755", 6, words("Skarvika Lynghavn Tarevik Ytrenes Fjordby Havsund Krabbevåg Mellomøy"),
		words("Bryggeveien Fyrgata Strandkaien Sjøgata"),
		words("Ingrid Lars Solveig Øyvind Marit Håkon Astrid Sverre Tone Kjell"),
		words("Havnes Brattvik Nordlie Sæther Tangvald Øksnes Lyngstad Myrvang"), words("AS ANS")},
	{"Sweden", "SE", "+46313", 6, words("Ljungskär Granholmen Tångsund Ekvik Björkö Marhamn"),
		words("Hamngatan Bryggvägen Strandgatan Sjövägen"),
		words("Elsa Nils Åsa Gunnar Maja Björn Karin Sten Linnéa Olle"),
		words("Bergskär Holmvik Strandell Åkerhamn Sjölin Granqvist"), words("AB")},
	{"Denmark", "DK", "+4533", 6, words("Rørhavn Tangby Lillesund Krogsø Vesterbro Strandby"),
		words("Havnegade Strandvej Molevej Fyrvej"), words("Mette Søren Kirsten Jens Birgit Anders Lone Poul"),
		words("Kroghavn Strandlund Rønsholt Bølgemose Holmbæk"), words("ApS A/S")},
	{"Finland", "FI", "+3589", 7, words("Lokkisaari Kaislaranta Merikylä Tyrskylä Saunalahti"),
		words("Satamakatu Rantatie Majakkatie Laiturikuja"), words("Aino Eero Helmi Onni Kaisa Väinö Tuuli Arvo"),
		words("Lokkinen Rantasalmi Tyrskynen Kaisla Merikoski"), words("Oy")},
	{"Germany", "DE", "+4940", 7, words("Möwenhafen Schilfsund Tangby Ankerwiek Leuchtholm"),
		words("Hafenstraße Am Kai Deichweg Bootsgasse"), words("Jürgen Heike Klaus Antje Björn Ulrike Sönke Dörte"),
		words("Möwes Deichgräber Schilfer Ankermann Großkai Weiß"), words("GmbH KG")},
	{"Netherlands", "NL", "+3120", 7, words("Schelpdam Zilverhaven Rietwijk Oosterkade"),
		words("Havenkade Steigerweg Dijkstraat Sluispad"), words("Sanne Joost Femke Bram Lieke Teun"),
		words("van der Kade Steigerman Rietveen Zeebergen Dijkhuis"), words("BV VOF")},
	{"United Kingdom", "GB", "+44131496", 4, words("Gullhaven Kelpmouth Brinewick Saltcombe Anchorby"),
		words("Harbour Road|Quay Street|Slipway Lane|Lighthouse Walk"),
		words("Fiona Angus Maeve Callum Morag Ewan Isla Rory"),
		words("Gullane Kelpie Saltmarsh Brineham Quayle Harbottle"), words("Ltd Limited")},
	{"Greece", "GR", "+30210", 7, words("Φαρονήσι Γλαρολίμανο Αλμυρή Κοχυλάκι"), words("Λιμένος Φάρου Ακτής Γλάρων"),
		words("Ελένη Νίκος Σοφία Γιώργος Άννα Κώστας"), words("Γλάρος Αλμυράκης Λιμενάρης Κοχυλάς Φαράκης"), words("ΑΕ ΕΠΕ")},
	{"Japan", "JP", "+8145", 7, words("灯ヶ浦 潮見町 鴎浜 碇崎"), words("港町 灯台通り 浜辺 桟橋"), words("陽子 健 美咲 大輔 直美 亮"),
		words("潮田 鴎川 碇 浜崎 灯野"), words("株式会社")},
}

func words(s string) []string {
	if strings.Contains(s, "|") {
		return strings.Split(s, "|")
	}
	return strings.Fields(s)
}

var jobs = []string{"Harbour master", "Marina manager", "Yard foreman", "Purchasing", "Electrician",
	"Club secretary", "Technical lead", "Berth officer", "Treasurer", "Owner"}
var kinds = []string{"Marina", "Boatyard", "Sailing Club", "Harbour Authority", "Charter"}
var kindCodes = []string{"marina", "boatyard", "sailing_club", "harbour_authority", "charter"}

// World makes things up from a seed.
type World struct{ Seed uint64 }

func (w World) rand(kind, n uint64) *rand.Rand { return rand.New(rand.NewPCG(w.Seed^kind<<56, n)) }

func pick[T any](r *rand.Rand, list []T) T { return list[r.IntN(len(list))] }

func digits(r *rand.Rand, n int) string {
	var b strings.Builder
	for range n {
		b.WriteByte(byte('0' + r.IntN(10)))
	}
	return b.String()
}

// postal makes up a postal code in the form of the country's.
func (p place) postal(r *rand.Rand) string {
	code := digits(r, 5)
	switch p.code {
	case "NO", "DK", "NL":
		return code[:4]
	case "JP":
		return code + code[:2]
	case "GB":
		return "AB" + code[:1] + " " + code[1:2] + "CD"
	}
	return code
}

// ContactHeader names the columns of Contact.
var ContactHeader = []string{"Reference", "Given name", "Family name", "E-mail", "Phone", "Mobile", "Job title",
	"Street", "Town", "Region", "Postal code", "Country", "Birthday", "Notes"}

// Contact makes up the nth contact, as the columns of ContactHeader.
func (w World) Contact(n uint64) []string {
	r := w.rand(1, n)
	p := pick(r, places)
	given, family := pick(r, p.given), pick(r, p.family)
	return []string{
		fmt.Sprintf("BM-%07d", n), given, family,
		fmt.Sprintf("p%d@%s.example", n, pick(r, []string{"lightberth", "quaymail", "saltpost", "moorings"})),
		p.trunk + digits(r, p.digits), p.trunk + digits(r, p.digits), pick(r, jobs),
		fmt.Sprintf("%s %d", pick(r, p.streets), 1+r.IntN(200)), pick(r, p.towns), "", p.postal(r), p.code,
		fmt.Sprintf("%d-%02d-%02d", 1940+r.IntN(65), 1+r.IntN(12), 1+r.IntN(28)), "",
	}
}

// Incoming makes up the nth row of a file of contacts for a workspace that
// holds the first existing contacts: of ten rows three are new, three change a
// telephone number and a job title, four say nothing new.
func (w World) Incoming(n, existing uint64) []string {
	switch n % 10 {
	case 0, 1, 2:
		return w.Contact(existing + n)
	case 3, 4, 5:
		c := w.Contact(n % existing)
		r := w.rand(2, n)
		c[4] = c[4][:len(c[4])-3] + digits(r, 3)
		c[6] = pick(r, jobs)
		return c
	}
	return w.Contact(n % existing)
}

// AccountHeader names the columns of Account.
var AccountHeader = []string{"Name", "Registration number", "Number in the old system", "Website", "E-mail", "Phone",
	"Industry", "Employees", "Status", "Street", "Town or city", "Postal code", "Country", "Owner"}

// Account makes up the nth account, as the columns of AccountHeader.
func (w World) Account(n uint64, owners []string) []string {
	r := w.rand(3, n)
	p := pick(r, places)
	k := r.IntN(len(kinds))
	town := pick(r, p.towns)
	host := fmt.Sprintf("%s%d.example", []string{"berth", "yard", "sail", "port", "hire"}[k], n)
	return []string{
		fmt.Sprintf("%s %s %d %s", town, kinds[k], n, pick(r, p.forms)), p.code + digits(r, 8), fmt.Sprintf("LQ-%05d", n),
		"https://www." + host, "office@" + host,
		p.trunk + digits(r, p.digits), kindCodes[k], fmt.Sprint(1 + r.IntN(120)),
		pick(r, []string{"prospect", "customer", "customer", "partner", "former"}),
		fmt.Sprintf("%s %d", pick(r, p.streets), 1+r.IntN(120)), town, p.postal(r), p.code, pick(r, owners),
	}
}

// EnquiryHeader names the columns of Enquiry.
var EnquiryHeader = []string{"Company", "Website", "Company phone", "Street", "Town", "Country",
	"Contact first name", "Contact last name", "Contact e-mail", "Deal number", "Deal title", "Stage", "Deal value",
	"Expected close"}

// Enquiry makes up the nth row of a file in which each row holds a company, a
// person there and a deal: so many companies, of which most rows leave out what
// others say.
func (w World) Enquiry(n, companies uint64) []string {
	r := w.rand(4, n)
	a, c := w.Account(n%companies, []string{""}), w.Contact(n)
	row := []string{a[0], a[3], a[5], a[9], a[10], a[12], c[1], c[2], c[3], fmt.Sprintf("EN-%07d", n),
		fmt.Sprintf("%d pedestals", 1+r.IntN(60)), pick(r, []string{"identified", "scoped", "offered"}),
		fmt.Sprint(500 * (1 + r.IntN(90))), fmt.Sprintf("2027-%02d-%02d", 1+r.IntN(12), 1+r.IntN(28))}
	for i := 1; i < 6; i++ {
		if r.IntN(2) == 0 {
			row[i] = ""
		}
	}
	return row
}
