package matching

import (
	"slices"
	"strings"
	"unicode/utf8"
)

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
		return likeSites(a, b), a.terms[termWeb]
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
	case strings.Contains(a, b) || strings.Contains(b, a) || wordsOf(a, b) || wordsOf(b, a):
		return Part
	}
	return Differs
}

// wordsOf reports whether all words of a text, two at least, stand in another, in any order: “crane pier 2”
// in “pier 2: new crane”.
func wordsOf(some, all string) bool {
	words := strings.Fields(some)
	if len(words) < 2 {
		return false
	}
	in := strings.Fields(all)
	for _, w := range words {
		if !slices.Contains(in, w) {
			return false
		}
	}
	return true
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

// likeSites compares the domains on the web. Of whom only a mailbox is known, its domain is taken,
// where the mailboxes have not said it already.
func likeSites(a, b *Subject) Level {
	l := likeAny(a.webs, b.webs)
	switch {
	case l == Differs && sisters(a.webs[0], b.webs[0]):
		return Blank
	case l != Blank || len(a.webs) == len(b.webs):
		return l
	}
	if mail := likeMail(a.email, b.email); mail != Same && mail != Domain && a.site() != "" && a.site() == b.site() {
		return Same
	}
	return Blank
}

// likeCompanies takes the best of all names, such as a name and a legal name. In
// the same town, the town behind one of the names tells nothing; nor does the other's town
// behind the name of one whose town is not known.
func likeCompanies(a, b *Subject) Level {
	out, near := Blank, sameTown(a.place, b.place)
	for _, x := range a.companies {
		for _, y := range b.companies {
			l := likeCompany(x, y)
			if l != Same && l != Near {
				oneTown := near && (x.town == nil) != (y.town == nil) && called(x.bare(), y.bare())
				if oneTown || x.but(y, b, a) || y.but(x, a, b) {
					l = Near
				}
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
