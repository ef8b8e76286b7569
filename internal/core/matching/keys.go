package matching

import (
	"slices"
	"strconv"
)

// Kinds of blocking keys; each is a pass over the records that brings together
// those that share the key.
const (
	blockEmail = 100 + iota
	blockLocal
	blockPhone
	blockName
	blockNamePostal
	blockNameTown
	blockNameDate
	blockNameEmployer
	blockNameHouse
	blockBegin
	blockInitial
	blockCompany
	blockWord
	blockWordTown
	blockDomain
	blockHouse
	blockCode
	blockText
	blockDate
	blockLink
	blockInitials
)

// weakBlocks are the kinds of keys that two share easily: a pair that has one of them in
// common, and no other key, is hardly ever the same.
var weakBlocks = []int{blockNamePostal, blockNameTown, blockNameHouse, blockInitial, blockWord, blockWordTown}

// Strong reports whether two that share a blocking key are worth a comparison though they
// share no other; of weak keys they must share two. It is the key's lowest bit.
func Strong(block int32) bool { return block&1 == 1 }

// mostBlocks is how many blocking keys a record may have.
const mostBlocks = 40

// Blocks gives the blocking keys of a subject as hashes: records that share
// none are not compared. The passes overlap, so that a slip in one value or a
// blank leaves others. Blocking is described by Fellegi and Sunter (1969,
// section 3.4) and, with several passes, by Winkler (1995).
func (c *Comparer) Blocks(s *Subject) []int32 {
	var out []int32
	add := func(kind int, parts ...string) {
		for _, p := range parts {
			if p == "" {
				return
			}
		}
		t := term(kind, parts...) | 1
		if slices.Contains(weakBlocks, kind) {
			t--
		}
		if !slices.Contains(out, t) && len(out) < mostBlocks {
			out = append(out, t)
		}
	}
	add(blockEmail, s.email.whole)
	if !s.email.role && len(s.email.local) > 3 {
		add(blockLocal, s.email.plain)
	}
	for _, p := range s.phones {
		add(blockPhone, p)
		if len(p) == 8 {
			add(blockPhone, p[1:])
		}
	}
	for _, code := range s.codes {
		add(blockCode, code)
	}
	for _, t := range s.texts {
		add(blockText, t)
	}
	if c.entity == Family {
		c.personBlocks(s, add)
	} else {
		c.companyBlocks(s, add)
	}
	return out
}

func (c *Comparer) personBlocks(s *Subject, add func(int, ...string)) {
	p := s.person
	family := sounds2(p.family)
	given := roots(p.given)
	town := sound(s.place.locality)
	employer := ""
	switch {
	case len(s.employers) > 0:
		employer = s.employers[0]
	case len(s.companies) > 0:
		employer = s.companies[0].joined
	}
	date := ""
	if len(s.dates) > 0 {
		date = s.dates[0]
	}
	both := slices.Concat(family, given)
	for _, w := range both {
		add(blockNamePostal, w, s.place.postal)
		add(blockNameDate, w, date)
		add(blockNameEmployer, w, employer)
		add(blockNameHouse, w, s.place.street)
	}
	for _, f := range family {
		add(blockNameTown, f, town)
		for _, g := range given { // in either order, for swapped names
			add(blockName, min(f, g), max(f, g))
		}
		if len(p.given) > 0 {
			add(blockInitial, f, p.given[0][:1])
		} else {
			add(blockInitial, f)
		}
	}
	// Slips in both names leave their first letters, in either order, beside the employer
	// or its site.
	if len(p.given) > 0 && len(p.family) > 0 {
		x, y := p.given[0][:1], p.family[0][:1]
		x, y = min(x, y), max(x, y)
		switch {
		case len(s.employers) > 0:
			add(blockInitials, x, y, employer)
		case len(s.companies) > 0: // no record says for whom they work
			add(blockInitials, x, y, sound(employer))
		}
		if len(s.webs) > 0 {
			add(blockInitials, x, y, s.webs[0])
		}
	}
	for _, g := range given {
		if len(p.family) > 0 {
			w := p.family[len(p.family)-1]
			add(blockBegin, g, w[:min(3, len(w))], "begin")
			add(blockBegin, g, w[max(0, len(w)-3):], "end")
		}
	}
	// Swapped, a given name is looked up as a family name is.
	for _, f := range family {
		for _, g := range sounds2(p.given) {
			add(blockName, "swapped", min(f, g), max(f, g))
		}
	}
	// Slips in both names leave the house and the birthday.
	add(blockHouse, s.place.street, s.place.house, s.place.postal)
	add(blockHouse, s.place.street, s.place.house, town)
	add(blockDate, date, s.place.postal)
	add(blockDate, date, town)
	for _, w := range [][]string{p.given, p.family} {
		if len(w) > 0 {
			add(blockDate, date, "begins", w[0][:1])
		}
	}
}

func (c *Comparer) companyBlocks(s *Subject, add func(int, ...string)) {
	town := sound(s.place.locality)
	for _, n := range s.companies {
		add(blockCompany, n.joined)
		if k := sound(n.joined); len(k) > 3 {
			add(blockCompany, "sound", k)
		}
		for i, w := range strong(n.tokens) {
			if i > 4 {
				break
			}
			w = sound(w)
			add(blockWord, w)
			add(blockWordTown, w, town)
			add(blockWordTown, w, s.place.postal)
		}
	}
	for _, d := range s.webs {
		add(blockDomain, d)
	}
	add(blockDomain, s.email.domain)
	add(blockHouse, s.place.street, s.place.house, s.place.postal)
	add(blockHouse, s.place.street, s.place.house, town)
	if c.entity == Text && len(s.texts) > 0 { // titles with a slip in them are found among those of one party
		for i, id := range s.links {
			add(blockLink, strconv.Itoa(i), id)
		}
	}
}

// sounds2 gives the sound of at most two words.
func sounds2(list []string) []string {
	var out []string
	for _, w := range list[:min(2, len(list))] {
		if k := sound(w); k != "" && !slices.Contains(out, k) {
			out = append(out, k)
		}
	}
	return out
}

// roots gives what a given name is looked up by: the groups of its short forms,
// else its sound.
func roots(list []string) []string {
	var out []string
	for _, w := range list[:min(2, len(list))] {
		if isInitial(w) {
			continue
		}
		groups := nicknames[w]
		for _, g := range groups[:min(3, len(groups))] {
			out = append(out, "#"+string(rune('A'+g)))
		}
		if k := sound(w); k != "" && len(groups) == 0 && !slices.Contains(out, k) {
			out = append(out, k)
		}
	}
	return out
}
