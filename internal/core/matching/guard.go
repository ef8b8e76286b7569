package matching

import (
	"math"
	"slices"
	"strings"

	"uchi/internal/core/textkind"
)

// Beside the weights, guards look at what speaks against a pair: they say how much the evidence
// allows, whatever it weighs. docs/matching.md tells how often each of them is right.

// Words for what keeps a score from being taken.
const (
	OtherGiven      = "other_given_name"
	OtherFamily     = "other_family_name"
	LooseName       = "loose_name"
	OtherDate       = "other_date" // of birth
	OtherDay        = "other_day"
	OtherGeneration = "other_generation"
	OtherSex        = "other_form_of_address"
	OtherCompany    = "other_company_name"
	OtherForm       = "other_legal_form"
	OtherUnit       = "other_company_of_the_house"
	OtherPlace      = "other_place"
	OtherCode       = "other_code"
	OtherParty      = "other_party"
	InitialOnly     = "initial_only"
	NameInPart      = "name_in_part"
	OneKind         = "one_kind_of_evidence"
	NoName          = "no_name"
	OnlyEqual       = "only_equal" // they say the same, and that is of many
)

// evidence is what the guards look at.
type evidence struct {
	levels [12]Level // by the numbers of the kinds
	counts [12]int64 // how many records share what agrees
	role   bool      // the row's mailbox is a desk's
	own    int64     // the most records that share what is one's own
	two    bool      // they are two people, however much they share
}

// The numbers of the kinds, for the evidence.
const (
	nGiven = iota
	nFamily
	nCompany
	nEmployer
	nEmail
	nPhone
	nWeb
	nPlace
	nDate
	nCode
	nText
	nLink
)

// single reports whether two agree in what hardly anybody else has.
func (ev *evidence) single(kind int) bool {
	return ev.levels[kind] == Same && ev.counts[kind] <= ev.own
}

// reaches reports whether two people are called alike by their given name and reached by what
// nobody else has, a mailbox or a number: whatever speaks against them, they are never told apart
// without a question.
func (ev *evidence) reaches() bool {
	if !ev.single(nPhone) && (ev.role || !ev.single(nEmail)) {
		return false
	}
	switch ev.levels[nGiven] {
	case Same, Near, Alternative, Part:
		return true
	case Initial, Loose:
		return positive(ev.levels[nFamily])
	}
	return false
}

// stranger reports whether two people differ in both their names, and are not born on the same
// day: then they share a desk or a house, however much of it.
func (ev *evidence) stranger() bool {
	return ev.levels[nGiven] == Differs && ev.levels[nFamily] == Differs && ev.levels[nDate] != Same
}

func positive(l Level) bool { return l != Blank && l != Differs }

// askFrom is the weight, in bits, from which a pair is asked about whatever speaks
// against it: more than one in 65,000 that so much agrees by chance. What is
// wrongly asked costs a glance, a record made beside its own twin costs more.
const askFrom = 16

// sureOf is the weight from which names that agree only in part, or by an initial,
// are taken beside other evidence: 12 bits are one in four thousand.
const sureOf = 12

// rareOf is the weight from which a little beside the whole name is enough, since so few are
// called so: 11 bits are one in two thousand, beside all that is known.
const rareOf = 11

// wholeOf is the weight from which one thing that speaks against a pair is outweighed by what
// is one person's own, such as the mailbox: 22 bits are one in four millions.
const wholeOf = 22

// scarceFrom is the weight from which a name beside which little agrees is worth a question: where
// it is as likely as not.
const scarceFrom = 0

// singleFrom is the weight from which names that differ in writing are taken beside
// something that nobody else has: 7 bits are one in 128, beside all that is known.
const singleFrom = 7

func (s *Score) limit(m Most, why string) {
	s.Most = max(s.Most, m)
	if !slices.Contains(s.Against, why) {
		s.Against = append(s.Against, why)
	}
}

// people is what two people share, as the guards see it.
type people struct {
	*evidence
	a, b          *Subject
	given, family Level
	called        bool // the given name is the same, but for a slip
	own           bool // the mailbox is one person's
	alone         bool // the number is one that hardly anybody else has
	reached       bool // the mailbox, or a number
	born          bool // on the same day
	house         bool
	colleague     bool // works for the same company, or one called nearly the same
	personal      int  // how many of mailbox, birthday and number agree
	sure, whole   bool // the weight is at least sureOf, wholeOf
}

func (s *Score) people(a, b *Subject, ev *evidence) people {
	p := people{evidence: ev, a: a, b: b, given: ev.levels[nGiven], family: ev.levels[nFamily]}
	p.sure, p.whole = s.Bits >= sureOf, s.Bits >= wholeOf
	phone, employer := ev.levels[nPhone] == Same, ev.levels[nEmployer]
	p.called = p.given == Same || p.given == Near
	p.own, p.alone = !ev.role && ev.single(nEmail), ev.single(nPhone)
	p.reached, p.born, p.house = p.own || phone, ev.levels[nDate] == Same, ev.levels[nPlace] == Same
	p.colleague = employer == Same || employer == Near
	p.personal = howMany(p.own, p.born, phone)
	return p
}

// guardPerson keeps people apart that share much but not their name or
// birthday: couples at one mailbox, fathers and sons, namesakes.
func (s *Score) guardPerson(a, b *Subject, ev *evidence) {
	p := s.people(a, b, ev)
	s.guardNames(p)
	s.guardShortNames(p)
	s.guardBirth(p)
	s.guardKin(p)
	s.guardNamesInPart(p)
	s.guardScarce(p)
}

// guardNames looks at a name that is another, or much alike.
func (s *Score) guardNames(p people) {
	switch {
	case p.given == Differs && p.family == Differs:
		s.limit(MayNothing, OtherGiven)
	case p.family == Differs && p.apart() && otherNumbersOf(p.a.phones, p.b.phones):
		p.two = true
		s.limit(MayNothing, OtherFamily)
	case p.hardly():
		s.limit(MayNothing, LooseName)
	case p.given == Loose || p.family == Loose:
		if !s.slipped(p) {
			s.limit(MayAsk, LooseName)
		}
	case p.given == Differs:
		kin := p.born && p.family != Blank || positive(p.family) && (p.own || p.alone && !p.house)
		switch {
		case p.fondly():
		case kin:
			s.limit(MayAsk, OtherGiven) // perhaps such a fond name; or somebody of the same household
		default:
			s.limit(MayNothing, OtherGiven)
		}
	case p.family == Differs:
		switch {
		case s.married(p):
		case p.own || p.alone || p.born || p.livesThere():
			s.limit(MayAsk, OtherFamily) // married, perhaps; but at the number of a house there is more than one Anna
		default:
			s.limit(MayNothing, OtherFamily)
		}
	}
}

// fondly reports whether a given name is a fond name that no list has: at a mailbox with one of the
// two in it, which is no couple's. But Ola at the mailbox of Kari is her husband: of two names that
// are known neither is a form of the other.
func (p people) fondly() bool {
	if !positive(p.family) || !p.own || !p.sure || !p.born && !p.colleague || !p.a.givesItsName() && !p.b.givesItsName() {
		return false
	}
	x, y := p.a.person.given[0], p.b.person.given[0]
	if x[0] == y[0] && !p.a.spellsItsName() && !p.b.spellsItsName() { // u.kade is Uwe's as well as Ulrike's
		return false
	}
	return !twoNames(x, y) && !(textkind.GivenName(x) && textkind.GivenName(y))
}

// slipped reports whether a name that is much alike is a slip: where the other name agrees, and
// what is one person's own. But twins share their birthday, and who lives in one house its number
// and often a mailbox.
func (s *Score) slipped(p people) bool {
	alike := p.given == Loose && (p.family == Same || p.family == Near) ||
		p.family == Loose && slices.Contains([]Level{Same, Near, Alternative, Part}, p.given)
	switch {
	case alike && p.whole && (p.reached && !p.house || p.personal > 0 && p.colleague):
		return true
	case p.given == Loose && p.family == Same && p.own && p.born:
		return true
	case p.family == Loose && p.given == Same && p.personal > 0 && s.Bits >= sureOf+8:
		return true
	}
	single := p.own || p.born || p.alone
	return alike && single && s.Bits >= singleFrom && (p.given != Loose || (p.own || p.alone) && !p.house)
}

// married reports whether somebody is called as before but for the family: born on the same day,
// and found at the same place or number; or at a number of her own; or at the mailbox, beside
// something else that goes with the person.
func (s *Score) married(p people) bool {
	there := p.house || p.colleague
	switch {
	case p.born && (p.reached || there):
		return p.called && s.Bits >= singleFrom+1 || positive(p.given) && p.given != Loose && p.sure
	case p.alone && p.given == Same && there && s.Bits >= sureOf+6:
		return !p.apart() // the number is the company's, then
	}
	return p.called && p.sure && p.own && (p.alone || p.born || there)
}

// apart reports whether two people have each a mailbox that says their family name, of which it is
// not the other's: heinz.werner@ and h.birkenhauser@.
func (p people) apart() bool {
	mail := p.levels[nEmail]
	return (mail == Domain || mail == Differs) && p.a.namesItsFamily(p.b) && p.b.namesItsFamily(p.a)
}

// hardly reports whether one half of the names is only much alike and the other is another, while nothing
// that is one's own agrees: a number of colleagues is the company's.
func (p people) hardly() bool {
	alike := p.given == Loose && p.family == Differs || p.family == Loose && p.given == Differs
	return alike && !p.own && !p.born && (!p.alone || p.colleague)
}

// otherNumbersOf reports whether each of two has a number that is not the other's.
func otherNumbersOf(a, b []string) bool {
	lacks := func(list []string) func(string) bool { return func(n string) bool { return !slices.Contains(list, n) } }
	return slices.ContainsFunc(a, lacks(b)) && slices.ContainsFunc(b, lacks(a))
}

// namesItsFamily reports whether the mailbox has the person's family name in it, and not that of
// another.
func (s *Subject) namesItsFamily(other *Subject) bool {
	local, own, theirs := squeeze(s.email.plain), squeeze(strings.Join(s.person.family, "")),
		squeeze(strings.Join(other.person.family, ""))
	return len(own) > 2 && strings.Contains(local, own) && (theirs == "" || !strings.Contains(local, theirs))
}

// livesThere reports whether somebody of the same given name lives in a house where nobody else is
// known to, and works for the same company, while no mailbox says another name.
func (p people) livesThere() bool {
	mail := p.levels[nEmail]
	return p.single(nPlace) && p.given == Same && positive(p.levels[nEmployer]) && mail != Domain && mail != Differs
}

// guardShortNames looks at given names of which one is only part of the other, or a short form of it.
func (s *Score) guardShortNames(p people) {
	if p.given == Part && aside(p.a.person.given, p.b.person.given) {
		turned := slices.ContainsFunc(p.a.person.given, func(w string) bool { return slices.Contains(p.b.person.family, w) })
		two := !turned && crossed(p.a.person.given, p.b.person.given)
		if two && !(p.own && p.born) || !p.born && !(p.sure && p.personal > 0) {
			s.limit(MayAsk, NameInPart)
		}
	}
	if p.given == Blank || p.family == Blank || p.given == Same && p.family == Same || p.personal > 0 {
		return
	}
	// A short form beside a slip, or beside another employer, may be a relative or a namesake.
	slip := p.family == Near && (p.house || p.colleague) && s.Bits >= singleFrom-2
	there := p.house || p.levels[nPlace] == Near
	if p.given == Alternative && !slip && (p.family != Same || s.Bits < singleFrom+2) || there &&
		p.levels[nEmployer] == Differs {
		s.limit(MayAsk, LooseName)
	}
}

// guardBirth looks at another day of birth.
func (s *Score) guardBirth(p people) {
	if p.levels[nDate] != Differs {
		return
	}
	named := positive(p.given) && positive(p.family)
	switch {
	case named && p.own && p.alone && p.whole && !p.house:
		// A slip in the day; but in one house a daughter may be called as her mother.
	case named && p.reached:
		s.limit(MayAsk, OtherDate)
	default:
		s.limit(MayNothing, OtherDate)
	}
}

// guardKin keeps fathers from sons by the word behind their names, and women from men by the form
// of address.
func (s *Score) guardKin(p people) {
	if x, y := p.a.person.generation, p.b.person.generation; x != y {
		if x > 0 && y > 0 {
			s.limit(MayNothing, OtherGeneration)
		} else if !p.born {
			s.limit(MayAsk, OtherGeneration)
		}
	}
	if x, y := p.a.person.sex, p.b.person.sex; x != y && x > 0 && y > 0 {
		s.Bits -= 3
		s.limit(MayAsk, OtherSex)
	}
}

// guardNamesInPart looks at initials, at family names of which one is part of the other, and at
// names that are not there.
func (s *Score) guardNamesInPart(p people) {
	// An initial there is no relative's.
	known := p.levels[nEmployer] == Same || p.personal > 0 && !p.house || p.sure && p.colleague
	enough := p.given == Initial && (known && s.Bits >= singleFrom+2 || p.alone && !p.house && positive(p.family) &&
		s.Bits >= singleFrom-1)
	if (p.given == Initial || p.given == Blank && p.family != Blank) && !p.own && !p.born && !enough {
		s.limit(MayAsk, InitialOnly)
	}
	inPart := s.Bits >= singleFrom+2 && p.given == Same || p.sure && p.given == Near || p.colleague && p.called &&
		s.Bits >= singleFrom-2
	if p.family == Initial || p.family == Part && p.personal == 0 && !inPart {
		s.limit(MayAsk, NameInPart)
	}
	if p.given == Blank && p.family == Blank {
		// the mailbox is all there is to go by, and it is one person's
		if p.own && len(p.a.person.given)+len(p.a.person.family) == 0 {
			s.Bits = math.Max(s.Bits, 6)
		} else {
			s.limit(MayAsk, NoName)
		}
	}
	if p.family == Blank && p.given != Blank && !p.own {
		s.limit(MayAsk, NoName)
	}
}

// guardScarce wants one thing beside the name that agrees wholly, or two in part.
func (s *Score) guardScarce(p people) {
	kinds, differs := 0, false
	named := p.called && (p.family == Same || p.family == Near)
	for _, k := range []int{nEmail, nPhone, nPlace, nDate, nEmployer, nWeb, nCode} {
		switch l := p.levels[k]; {
		case l == Differs:
			differs = true
		case l == Same, k == nPlace && l == Near, k == nEmail && l == Near, k == nEmployer && l == Near && named &&
			p.levels[nPhone] != Differs:
			kinds += 2
		case positive(l) && l != Town && l != Domain && l != Neighbour:
			kinds++
		}
	}
	switch {
	case kinds == 0 && (p.given == Blank || p.given == Initial) && p.family != Blank:
		s.limit(MayNothing, OneKind)
	case kinds == 1 && !differs && named && s.Bits >= rareOf: // of rare names a little is enough
	case kinds < 2 && s.Bits < scarceFrom:
		s.limit(MayNothing, OneKind)
	case kinds < 2:
		s.limit(MayAsk, OneKind)
	}
}

// givesItsName reports whether the mailbox has the person's given name in it, or its initial before
// the family name.
func (s *Subject) givesItsName() bool {
	local, family := squeeze(s.email.plain), squeeze(strings.Join(s.person.family, ""))
	return s.spellsItsName() || slices.ContainsFunc(s.person.given, func(w string) bool {
		return len(w) > 0 && family != "" && local == w[:1]+family
	})
}

// spellsItsName reports whether the mailbox has the person's given name in it.
func (s *Subject) spellsItsName() bool {
	local := squeeze(s.email.plain)
	return slices.ContainsFunc(s.person.given, func(w string) bool { return len(w) > 2 && strings.Contains(local, w) })
}

// howMany tells how many of these are so.
func howMany(list ...bool) (n int) {
	for _, is := range list {
		if is {
			n++
		}
	}
	return n
}

// otherForm reports whether all names of two companies have legal forms, and none of one has that of
// one of the other: a GmbH beside its GmbH & Co. KG.
func (s *Subject) otherForm(o *Subject) bool {
	for _, x := range s.companies {
		for _, y := range o.companies {
			a, b := plainForms[formOf(x.said)], plainForms[formOf(y.said)]
			if a == "" || b == "" || a == b {
				return false
			}
		}
	}
	return len(s.companies) > 0 && len(o.companies) > 0
}

// guardCompany keeps the branches of a company apart.
func (s *Score) guardCompany(a, b *Subject, ev *evidence) {
	name, where := ev.levels[nCompany], ev.levels[nPlace]
	own := ev.single(nEmail)
	reached := ev.levels[nPhone] == Same || own || ev.levels[nCode] == Same
	site := ev.single(nWeb)
	there := where == Same || where == Near
	switch name {
	case Differs, Blank:
		if reached || site && (there || where == Blank) {
			s.limit(MayAsk, OtherCompany)
		} else {
			s.limit(MayNothing, OtherCompany)
		}
	case Loose:
		leads := howMany(own, there, site, ev.levels[nCode] == Same, ev.single(nPhone)) // to this company and no other
		if leads > 1 && s.Bits >= sureOf {
			break // a slip
		}
		if reached || there || site {
			s.limit(MayAsk, LooseName)
		} else {
			s.limit(MayNothing, LooseName)
		}
	case Part, Initial:
		phone := ev.single(nPhone)
		apart := ev.levels[nPhone] == Differs || ev.levels[nWeb] == Differs
		switch {
		case ev.levels[nCode] == Same:
		case !apart && howMany(phone, where == Same, site) > 1 && s.Bits >= sureOf && a.shortOf(b):
		case a.unitOf(b, where) && !(phone && where == Same) && howMany(phone, own, site) < 3:
			s.limit(MayNothing, OtherUnit)
		case reached || there || where == Blank || where == Area:
			s.limit(MayAsk, NameInPart)
		default:
			s.limit(MayNothing, NameInPart)
		}
	}
	if ev.levels[nCode] != Same && a.otherForm(b) {
		s.limit(MayAsk, OtherForm)
	}
	if ev.levels[nCode] == Differs || ev.levels[nWeb] == Differs && otherNumbers(a.webs, b.webs) {
		s.limit(MayAsk, OtherCode)
	}
	switch where {
	case Differs:
		switch {
		case reached && name != Part && (ev.levels[nCode] == Same || ev.levels[nPhone] == Same):
		case reached || site && (name == Same || ev.levels[nPhone] == Blank): // moved, or a branch
			s.limit(MayAsk, OtherPlace)
		default:
			s.limit(MayNothing, OtherPlace)
		}
	case Town, Neighbour:
		called := name == Same || name == Near
		otherPhone := ev.levels[nPhone] == Near || ev.levels[nPhone] == Differs
		if where == Town && called && site && !otherPhone && s.Bits >= singleFrom { // moved within the town
			break
		}
		// Branches share the mailbox of their house, and a switchboard with other last digits.
		if !reached || ev.levels[nPhone] == Near || ev.levels[nPhone] == Differs && ev.levels[nCode] != Same {
			s.limit(MayAsk, OtherPlace)
		}
	}
	kinds := 0
	for _, k := range []int{nEmail, nPhone, nPlace, nWeb, nCode} {
		if l := ev.levels[k]; positive(l) && l != Town && l != Area {
			kinds++
		}
	}
	if kinds == 0 && !(name == Same && where == Area && s.Bits >= singleFrom) {
		s.limit(MayAsk, OneKind)
	}
}

// guardThing keeps apart what is done for or with somebody, such as opportunities and
// tasks: those of other people and companies, of other titles, and of other days,
// which may be the next of a row of them.
func (s *Score) guardThing(a, b *Subject, ev *evidence) {
	if ev.levels[nCode] == Same {
		return
	}
	if ev.levels[nCode] == Differs {
		s.limit(MayNothing, OtherCode)
	}
	switch ev.levels[nText] {
	case Same:
	case Near, Part:
		if numberedApart(strings.Join(a.texts, " "), strings.Join(b.texts, " ")) { // berth 12 and berth 14
			s.limit(MayNothing, OtherCode)
		} else {
			s.limit(MayAsk, LooseName)
		}
	default:
		s.limit(MayNothing, NoName)
	}
	switch ev.levels[nLink] {
	case Same:
	case Blank:
		s.limit(MayNothing, OneKind)
	default:
		s.limit(MayNothing, OtherParty)
	}
	if d := ev.levels[nDate]; d == Differs || d == Near { // a slip, or the next of a row of them
		s.limit(MayAsk, OtherDay)
	}
}
