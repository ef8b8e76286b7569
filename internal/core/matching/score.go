package matching

import (
	"math"
	"slices"
	"strings"
	"unicode/utf8"
)

// Reason is what one comparison says.
type Reason struct {
	Kind   Kind     `json:"kind"`
	Fields []string `json:"fields"`
	Level  string   `json:"level"`
	Bits   float64  `json:"bits"`            // for (positive) or against
	Count  int64    `json:"count,omitempty"` // how many records share the value that agrees
}

// Score is how much speaks for two records being the same.
type Score struct {
	Bits    float64  // the weight of all comparisons and of the prior
	Percent float64  // the probability that they are the same by the weights alone, 0 to 100
	Likely  float64  // the same with what speaks against it: what is shown
	Reasons []Reason // what each comparison says, blank ones left out
	Most    Most     // the most that this evidence allows
	Against []string // why it allows no more, as stable words
}

// Most is the most that evidence allows, whatever the score.
type Most uint8

// From everything to nothing.
const (
	MayTake Most = iota
	MayAsk
	MayNothing
)

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
	OtherUnit       = "other_company_of_the_house"
	OtherPlace      = "other_place"
	OtherCode       = "other_code"
	OtherParty      = "other_party"
	InitialOnly     = "initial_only"
	NameInPart      = "name_in_part"
	OneKind         = "one_kind_of_evidence"
	NoName          = "no_name"
)

// Alike lists the fields whose values say the same in other writing: a short
// form, an initial, a slip of typing, other letters. They tell nothing new, so
// a row that is found by them leaves the record's values as they are.
func (s Score) Alike() []string {
	var out []string
	for _, r := range s.Reasons {
		switch r.Kind {
		case Given, Family, Company:
			if r.Level != Differs.String() {
				out = append(out, r.Fields...)
			}
		case Place:
			if r.Level == Same.String() || r.Level == Near.String() || r.Level == Area.String() {
				out = append(out, r.Fields...)
			}
		default:
			if r.Level == Near.String() || r.Level == Part.String() {
				out = append(out, r.Fields...)
			}
		}
	}
	return out
}

// evidence is what the guards look at.
type evidence struct {
	levels [12]Level
	counts [12]int64
	role   bool
	own    int64
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

// Judge scores pairs by weights and frequencies.
type Judge struct {
	comparer *Comparer
	weights  table
	freq     Frequencies
	prior    float64
}

// Judge readies the comparer for scoring.
func (c *Comparer) Judge(w Weights, f Frequencies) *Judge {
	return &Judge{comparer: c, weights: w.table(), freq: f, prior: f.priorBits()}
}

// reaches reports whether two people are called alike by their given name and reached by what
// nobody else has, a mailbox or a number: whatever speaks against them, they are never told apart
// without a question.
func (ev *evidence) reaches() bool {
	own := ev.levels[nEmail] == Same && !ev.role && ev.counts[nEmail] <= ev.own
	alone := ev.levels[nPhone] == Same && ev.counts[nPhone] <= ev.own
	switch ev.levels[nGiven] {
	case Same, Near, Alternative, Part:
		return own || alone
	case Initial, Loose:
		return (own || alone) && positive(ev.levels[nFamily])
	}
	return false
}

// stranger reports whether two people differ in both their names, and are not born on the same
// day: then they share a desk or a house, however much of it.
func (ev *evidence) stranger() bool {
	return ev.levels[nGiven] == Differs && ev.levels[nFamily] == Differs && ev.levels[nDate] != Same
}

// Compare scores two subjects.
func (j *Judge) Compare(a, b *Subject) Score {
	c, f := j.comparer, j.freq
	s := Score{Bits: j.prior, Reasons: make([]Reason, 0, len(c.comparisons))}
	var ev evidence
	given, family, swapped := likePerson(a.person, b.person)
	for _, cmp := range c.comparisons {
		level, t := c.level(cmp.kind, a, b, given, family)
		if level == Blank {
			continue
		}
		ch := j.weights[cmp.number][level]
		if ch.M == 0 {
			continue
		}
		u, count := ch.U, int64(0)
		switch level {
		case Same:
			u, count = f.chance(cmp.kind, ch.U, t)
		case Domain:
			u, count = f.chance(Web, ch.U, t)
		case Area, Town, Neighbour:
			u, count = f.chance(Place, ch.U, t)
		case Near, Alternative: // as rare as the value itself, and some more
			if own := j.weights[cmp.number][Same]; own.M > 0 && t != 0 {
				same, _ := f.chance(cmp.kind, own.U, t)
				u = math.Max(math.Min(ch.U, 4*same), ch.U/20)
			}
		}
		bits := math.Log2(ch.M / u)
		if cmp.kind == Email && (level == Local && a.named() || level == Near && (family == Near || a.named() && b.named())) { // the mailbox only says the name again
			bits = math.Min(bits, 1)
			level = Domain
		}
		if cmp.kind == Email && level == Same && (a.email.role || count > f.own()+1) {
			bits = math.Min(bits, 6)
		}
		if cmp.kind == Email && level == Local {
			bits = math.Min(bits, 6)
		}
		if swapped && (cmp.kind == Given || cmp.kind == Family) {
			bits -= 1
		}
		ev.levels[cmp.number], ev.counts[cmp.number] = level, count
		s.Bits += bits
		s.Reasons = append(s.Reasons, Reason{Kind: cmp.kind, Fields: cmp.fields, Level: level.String(), Bits: math.Round(bits*10) / 10, Count: count})
	}
	ev.role, ev.own = a.email.role, f.own()
	switch c.entity {
	case Family:
		s.guardPerson(a, b, ev)
	case Company:
		s.guardCompany(a, b, ev)
	default:
		if Thing(c.of) {
			s.guardThing(a, b, ev)
		}
	}
	if s.Most == MayNothing && s.Bits >= askFrom && c.entity != Text && !ev.stranger() && !slices.Contains(s.Against, OtherUnit) {
		s.Most = MayAsk
	}
	if c.entity == Family && ev.reaches() {
		s.Most, s.Bits = min(s.Most, MayAsk), max(s.Bits, 0)
	}
	s.Percent = 100 / (1 + math.Exp2(-s.Bits))
	s.Likely = s.likely(c.entity == Family)
	return s
}

// likely gives the chance that a pair is the same in spite of what speaks against
// it, as it was found on labelled sets: people whose names agree in part, or by an
// initial, nearly always are, and so are companies of one name and town; where a name is
// much alike, four of five. What else is asked about is the same in six of ten, whatever it
// weighs: the heavier what agrees, the heavier what does not.
func (s Score) likely(people bool) float64 {
	if s.Most == MayTake {
		return s.Percent
	}
	most := 90.0
	for _, why := range s.Against {
		switch {
		case people && (why == NameInPart || why == InitialOnly), !people && why == OneKind: // the whole name and the town
		case people && why == LooseName:
			most = min(most, 80)
		default:
			most = min(most, 60)
		}
	}
	return min(s.Percent, most)
}

// named reports whether the mailbox is made of the person's name.
func (s *Subject) named() bool {
	local := squeeze(s.email.plain)
	says := func(w string) bool { return len(w) > 2 && strings.Contains(local, w) }
	return slices.ContainsFunc(s.person.given, says) || slices.ContainsFunc(s.person.family, says)
}

// givesItsName reports whether the mailbox has the person's given name in it, or its initial before
// the family name.
func (s *Subject) givesItsName() bool {
	local, family := squeeze(s.email.plain), squeeze(strings.Join(s.person.family, ""))
	return slices.ContainsFunc(s.person.given, func(w string) bool {
		return len(w) > 2 && strings.Contains(local, w) || len(w) > 0 && family != "" && local == w[:1]+family
	})
}

func (s *Score) limit(m Most, why string) {
	s.Most = max(s.Most, m)
	if !slices.Contains(s.Against, why) {
		s.Against = append(s.Against, why)
	}
}

// likePerson compares given and family names as they stand and swapped.
func likePerson(a, b person) (given, family Level, swapped bool) {
	given, family = likeGiven(a.given, b.given), likeFamily(a.family, b.family)
	if given != Differs || family != Differs {
		return given, family, false
	}
	for _, turn := range [][2]person{{a, b}, {b, a}} { // it must not matter who stands first
		x, y := turn[0], turn[1]
		g, f := likeGiven(x.given, y.family), likeFamily(x.family, y.given)
		sure := g == Same || g == Near || f == Same || f == Near
		if sure && g != Differs && f != Differs && f != Initial && f != Part {
			return g, f, true
		}
	}
	return given, family, false
}

// level compares one kind, with the term whose frequency says how rare an
// agreement is.
func (c *Comparer) level(k Kind, a, b *Subject, given, family Level) (Level, int32) {
	switch k {
	case Given:
		return given, a.terms[termGiven]
	case Family:
		return family, a.terms[termFamily]
	case Company:
		return likeCompanies(a, b), a.terms[termCompany]
	case Employer:
		return likeEmployers(a, b), a.terms[termEmployer]
	case Email:
		l := likeMail(a.email, b.email)
		if l == Domain {
			return l, a.terms[termDomain]
		}
		return l, a.terms[termEmail]
	case Phone:
		l, which := likePhones(a.phones, b.phones)
		if l == Same {
			return l, term(termPhone, which)
		}
		return l, 0
	case Web:
		return likeAny(a.webs, b.webs), a.terms[termWeb]
	case Place:
		l := likePlace(a.place, b.place)
		switch {
		case l == Same || l == Near:
			return l, a.terms[termHouse]
		case a.place.postal != "" && a.place.postal == b.place.postal:
			return l, a.terms[termPostal]
		}
		return l, a.terms[termLocality]
	case Date:
		return likeLists(a.dates, b.dates, likeDates), a.terms[termDate]
	case Code:
		return likeLists(a.codes, b.codes, likeExact), 0
	case Text:
		return likeLists(a.texts, b.texts, likeText), a.terms[termText]
	case Link:
		for i := range min(len(a.links), len(b.links), mostLinks) {
			if likeExact(a.links[i], b.links[i]) == Same {
				return Same, a.terms[termLink+i]
			}
		}
		return likeLists(a.links, b.links, likeExact), 0
	}
	return Blank, 0
}

func likeExact(a, b string) Level {
	switch {
	case a == "" || b == "":
		return Blank
	case a == b:
		return Same
	}
	return Differs
}

// letteredApart reports whether two texts are the same but for a letter that stands alone, as
// numbers do: pier A and pier B.
func letteredApart(a, b []string) bool {
	if len(a) != len(b) {
		return false
	}
	apart := false
	for i := range a {
		switch {
		case a[i] == b[i]:
		case utf8.RuneCountInString(a[i]) == 1 && utf8.RuneCountInString(b[i]) == 1:
			apart = true
		default:
			return false
		}
	}
	return apart
}

func likeText(a, b string) Level {
	switch {
	case a == "" || b == "":
		return Blank
	case a == b:
		return Same
	case letteredApart(strings.Fields(a), strings.Fields(b)):
		return Differs
	case near(a, b):
		return Near
	case strings.Contains(a, b) || strings.Contains(b, a):
		return Part
	}
	return Differs
}

// likeLists compares values field by field; the best result that is not blank
// stands, but for a difference beside an agreement.
func likeLists(a, b []string, like func(a, b string) Level) Level {
	out := Blank
	for i := range min(len(a), len(b)) {
		l := like(a[i], b[i])
		if l != Blank && (out == Blank || l < out) {
			out = l
		}
	}
	return out
}

func likeAny(a, b []string) Level {
	if len(a) == 0 || len(b) == 0 {
		return Blank
	}
	for _, x := range a {
		if slices.Contains(b, x) {
			return Same
		}
	}
	return Differs
}

// likeCompanies takes the best of all names, such as a name and a legal name. In
// the same town, the town behind one of the names tells nothing; nor does the other's town
// behind the name of one whose town is not known.
func likeCompanies(a, b *Subject) Level {
	out, near := Blank, sameTown(a.place, b.place)
	for _, x := range a.companies {
		for _, y := range b.companies {
			l := likeCompany(x, y)
			if l != Same && l != Near && (near && (x.town == nil) != (y.town == nil) && called(x.bare(), y.bare()) || x.but(y, b, a) || y.but(x, a, b)) {
				l = Near
			}
			if l != Blank && (out == Blank || l < out) {
				out = l
			}
		}
	}
	return out
}

// but reports whether a name is another one but for the town behind it, which is where the other
// is, and nothing is known of where its own is.
func (c company) but(other company, there, here *Subject) bool {
	if here.place.locality != "" || here.place.postal != "" {
		return false
	}
	bare, ok := c.outOf(squeeze(there.place.locality))
	return ok && called(bare, other)
}

// called reports whether two companies have one name, but for a slip.
func called(a, b company) bool {
	l := likeCompany(a, b)
	return l == Same || l == Near
}

// shortOf reports whether one of the names is one of the other's with words left away.
func (s *Subject) shortOf(full *Subject) bool {
	return slices.ContainsFunc(s.companies, func(x company) bool { return slices.ContainsFunc(full.companies, x.shortOf) })
}

// unitOf reports whether all names are the other's with words behind it that tell companies of
// one house apart, or with the town where it is and the other is not.
func (s *Subject) unitOf(house *Subject, where Level) bool {
	return len(s.companies) > 0 && !slices.ContainsFunc(s.companies, func(x company) bool {
		return !slices.ContainsFunc(house.companies, func(y company) bool {
			return x.unitOf(y) || where == Differs && x.town != nil && y.town == nil && called(x.bare(), y)
		})
	})
}

// likeEmployers compares for whom two people work: by the records, else by their
// names. Two records of one name are nearly the same: which one a row found, or
// made, may be wrong.
func likeEmployers(a, b *Subject) Level {
	ids := Blank
	if len(a.employers) > 0 && len(b.employers) > 0 {
		ids = likeAny(a.employers, b.employers)
	}
	if ids == Same {
		return Same
	}
	switch l := likeCompanies(a, b); {
	case l == Blank:
		return ids
	case l == Same && ids == Differs:
		return Near
	default:
		return l
	}
}

func positive(l Level) bool { return l != Blank && l != Differs }

// guardPerson keeps people apart that share much but not their name or
// birthday: couples at one mailbox, fathers and sons, namesakes.
func (s *Score) guardPerson(a, b *Subject, ev evidence) {
	given, family, date, mail := ev.levels[nGiven], ev.levels[nFamily], ev.levels[nDate], ev.levels[nEmail]
	own := mail == Same && !ev.role && ev.counts[nEmail] <= ev.own
	reached := own || ev.levels[nPhone] == Same
	born := date == Same
	house := ev.levels[nPlace] == Same
	sure := s.Bits >= sureOf
	alone := ev.levels[nPhone] == Same && ev.counts[nPhone] <= ev.own // a number that hardly anybody else has
	single := own || born || alone
	personal := howMany(own, born, ev.levels[nPhone] == Same) // what is one person's own and agrees
	// One name is much alike, and the other agrees.
	alike := given == Loose && (family == Same || family == Near) ||
		family == Loose && slices.Contains([]Level{Same, Near, Alternative, Part}, given)
	whole := s.Bits >= wholeOf
	colleague := ev.levels[nEmployer] == Same || ev.levels[nEmployer] == Near
	called := given == Same || given == Near
	kept := own && (alone || born || house || colleague) // the mailbox, and something else that goes with the person
	// Who is called as before but for the family, born on the same day, and found at the same
	// place or number; or at a number of her own.
	married := born && (own || ev.levels[nPhone] == Same || house || colleague) && (called && s.Bits >= singleFrom+1 || positive(given) && given != Loose && sure) ||
		alone && given == Same && (house || colleague) && s.Bits >= sureOf+6
	switch {
	case given == Differs && family == Differs:
		s.limit(MayNothing, OtherGiven)
	case alike && whole && (reached && !house || personal > 0 && colleague): // a slip; but twins share their birthday, and a house the rest
	case given == Loose && family == Same && own && born:
	case family == Loose && given == Same && personal > 0 && s.Bits >= sureOf+8:
	case alike && single && s.Bits >= singleFrom && (given != Loose || (own || alone) && !house):
		// Beside what nobody else has, one name much alike is a slip. But twins share their
		// birthday, and who lives in one house its number and often a mailbox.
	case given == Loose || family == Loose:
		s.limit(MayAsk, LooseName)
	case given == Differs && positive(family) && own && sure && (born || colleague) && (a.givesItsName() || b.givesItsName()):
		// A fond name that nobody knows: a mailbox with a given name in it is no couple's.
	case given == Differs && born && family != Blank, given == Differs && positive(family) && (own || alone && !house):
		s.limit(MayAsk, OtherGiven) // a fond name that nobody knows, perhaps; or somebody of the same household
	case given == Differs:
		s.limit(MayNothing, OtherGiven)
	case family == Differs && (married || called && sure && kept):
	case family == Differs && (own || alone || born || house && ev.counts[nPlace] <= ev.own && given == Same && positive(ev.levels[nEmployer]) && mail != Domain && mail != Differs):
		s.limit(MayAsk, OtherFamily) // married, perhaps; but at the number of a house there is more than one Anna
	case family == Differs:
		s.limit(MayNothing, OtherFamily)
	}
	if given == Part && aside(a.person.given, b.person.given) && !born && !(sure && personal > 0) {
		s.limit(MayAsk, NameInPart)
	}
	if there := house || ev.levels[nPlace] == Near; given != Blank && family != Blank && (given != Same || family != Same) && personal == 0 {
		// A short form beside a slip, or beside another employer, may be a relative or a namesake.
		slip := family == Near && (house || colleague) && s.Bits >= singleFrom-2
		if given == Alternative && family != Same && !slip || there && ev.levels[nEmployer] == Differs || given == Alternative && s.Bits < 9 && !slip {
			s.limit(MayAsk, LooseName)
		}
	}
	if date == Differs {
		switch {
		case own && alone && whole && !house && positive(given) && positive(family):
			// A slip in the day; but in one house a daughter may be called as her mother.
		case reached && positive(given) && positive(family):
			s.limit(MayAsk, OtherDate)
		default:
			s.limit(MayNothing, OtherDate)
		}
	}
	if x, y := a.person.generation, b.person.generation; x != y {
		if x > 0 && y > 0 {
			s.limit(MayNothing, OtherGeneration)
		} else if !born {
			s.limit(MayAsk, OtherGeneration)
		}
	}
	if x, y := a.person.sex, b.person.sex; x != y && x > 0 && y > 0 {
		s.Bits -= 3
		s.limit(MayAsk, OtherSex)
	}
	// An initial there is no relative's.
	known := ev.levels[nEmployer] == Same || personal > 0 && !house || sure && colleague
	enough := given == Initial && (known && s.Bits >= singleFrom+2 || alone && !house && positive(family) && s.Bits >= singleFrom-1)
	if (given == Initial || given == Blank && family != Blank) && !own && !born && !enough {
		s.limit(MayAsk, InitialOnly)
	}
	inPart := s.Bits >= singleFrom+2 && given == Same || sure && given == Near || colleague && (given == Same || given == Near) && s.Bits >= singleFrom-2
	if family == Initial || family == Part && personal == 0 && !inPart {
		s.limit(MayAsk, NameInPart)
	}
	if given == Blank && family == Blank {
		if own && len(a.person.given)+len(a.person.family) == 0 { // the mailbox is all there is to go by, and it is one person's
			s.Bits = math.Max(s.Bits, 6)
		} else {
			s.limit(MayAsk, NoName)
		}
	}
	if family == Blank && given != Blank && !own {
		s.limit(MayAsk, NoName)
	}
	// One thing beside the name must agree wholly, or two in part.
	kinds, differs := 0, false
	bothNames := called && (family == Same || family == Near)
	for _, k := range []int{nEmail, nPhone, nPlace, nDate, nEmployer, nWeb, nCode} {
		switch l := ev.levels[k]; {
		case l == Differs:
			differs = true
		case l == Same, k == nPlace && l == Near, k == nEmail && l == Near, k == nEmployer && l == Near && bothNames && ev.levels[nPhone] != Differs:
			kinds += 2
		case positive(l) && l != Town && l != Domain && l != Neighbour:
			kinds++
		}
	}
	switch {
	case kinds == 0 && (given == Blank || given == Initial) && family != Blank:
		s.limit(MayNothing, OneKind)
	case kinds == 1 && !differs && bothNames && s.Bits >= rareOf: // of rare names a little is enough
	case kinds < 2 && s.Bits < scarceFrom:
		s.limit(MayNothing, OneKind)
	case kinds < 2:
		s.limit(MayAsk, OneKind)
	}
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

// guardCompany keeps the branches of a company apart.
func (s *Score) guardCompany(a, b *Subject, ev evidence) {
	name, where := ev.levels[nCompany], ev.levels[nPlace]
	own := ev.levels[nEmail] == Same && ev.counts[nEmail] <= ev.own
	reached := ev.levels[nPhone] == Same || own || ev.levels[nCode] == Same
	site := ev.levels[nWeb] == Same && ev.counts[nWeb] <= ev.own
	there := where == Same || where == Near
	switch name {
	case Differs, Blank:
		if reached || site && there {
			s.limit(MayAsk, OtherCompany)
		} else {
			s.limit(MayNothing, OtherCompany)
		}
	case Loose:
		leads := howMany(own, there, site, ev.levels[nCode] == Same, ev.levels[nPhone] == Same && ev.counts[nPhone] <= ev.own) // to this company and no other
		if leads > 1 && s.Bits >= sureOf {
			break // a slip
		}
		if reached || there || site {
			s.limit(MayAsk, LooseName)
		} else {
			s.limit(MayNothing, LooseName)
		}
	case Part, Initial:
		phone := ev.levels[nPhone] == Same && ev.counts[nPhone] <= ev.own
		apart := ev.levels[nPhone] == Differs || ev.levels[nWeb] == Differs
		switch {
		case ev.levels[nCode] == Same:
		case !apart && howMany(phone, where == Same, site) > 1 && s.Bits >= sureOf && a.shortOf(b):
		case a.unitOf(b, where) && !(phone && where == Same):
			s.limit(MayNothing, OtherUnit)
		case reached || there || where == Blank || where == Area:
			s.limit(MayAsk, NameInPart)
		default:
			s.limit(MayNothing, NameInPart)
		}
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
		if !reached || ev.levels[nPhone] == Near || ev.levels[nPhone] == Differs && ev.levels[nCode] != Same { // branches share the mailbox of their house, and a switchboard with other last digits
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
func (s *Score) guardThing(a, b *Subject, ev evidence) {
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

// Decision is what the scores of a draft's candidates come to.
type Decision uint8

// The decisions.
const (
	New      Decision = iota // nothing like it is there
	Found                    // the first candidate is it
	Doubtful                 // a person must say
	Many                     // several are as likely
)

// margin is by how many bits the best must stand before the second to be taken.
const margin = 7

// Decide judges candidates, best first; those below askAt percent are to be
// left out by the caller.
func Decide(list []Score, takeAt, askAt float64) Decision {
	list = slices.DeleteFunc(slices.Clone(list), func(s Score) bool { return !s.Asked(askAt) })
	if len(list) == 0 {
		return New
	}
	best := list[0]
	taken := best.Most == MayTake && best.Percent >= takeAt
	if len(list) == 1 || list[1].Bits < best.Bits-margin {
		if taken {
			return Found
		}
		return Doubtful
	}
	if taken && list[1].Most == MayTake && list[1].Percent >= takeAt {
		return Many
	}
	if taken && list[1].Most != MayTake && list[1].Bits < best.Bits {
		return Found
	}
	return Doubtful
}

// Asked reports whether the score is worth a question.
func (s Score) Asked(askAt float64) bool { return s.Most != MayNothing && s.Percent >= askAt }
