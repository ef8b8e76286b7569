// Package bundle orders several imports by what their records point to. It computes
// and knows no database and no face.
package bundle

import (
	"fmt"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
)

// Member is one import of a bundle, as far as the order depends on it.
type Member struct {
	Name  string
	Makes []string // the record types that its rows become
	Rank  int      // of the first of them among the record types
	Links []Link
}

// Link is a field of a member by whose texts records of a type are looked up.
type Link struct {
	Type     string // the record type of the field, by its plural
	Field    string // its label
	Path     string // draft and field, as routines name it
	To       string // the record type that it points to
	ToPlural string
	Required bool
}

// Place is where a member stands in the order.
type Place struct {
	Member  int      // its place among the members
	Reasons []string // why it stands here
	Later   []Later  // links to what members behind it make
}

// Later is a link to records that a member behind makes: it is written when these
// are there.
type Later struct {
	Link   Link
	Member int // the one that makes them
}

// MemberOf gives what the order needs to know of an import by its routine; an
// import without one makes nothing yet.
func MemberOf(c catalog.Catalog, name string, r *mapping.Routine) Member {
	m := Member{Name: name, Rank: len(c.Types)}
	if r == nil {
		return m
	}
	for n, d := range r.Drafts {
		t, ok := c.Type(d.Type)
		if !ok {
			continue
		}
		if n == 0 {
			m.Rank = slices.IndexFunc(c.Types, func(x catalog.RecordType) bool { return x.Name == t.Name })
		}
		if !slices.Contains(m.Makes, t.Name) {
			m.Makes = append(m.Makes, t.Name)
		}
		for _, f := range t.Fields {
			o, ok := d.Fields[f.Name]
			if !ok || f.Kind().Form != catalog.LinkForm || o.Draft != "" {
				continue
			}
			to, _ := c.Type(f.To)
			m.Links = append(m.Links, Link{Type: t.Plural, Field: f.Label, Path: d.Called() + "." + f.Name, To: f.To,
				ToPlural: to.Plural, Required: f.Required})
		}
	}
	return m
}

func (m Member) makes(t string) bool { return slices.Contains(m.Makes, t) }

// pointsTo gives the links of a member by which it needs another.
func (m Member) pointsTo(other Member) (links []Link) {
	for _, l := range m.Links {
		if other.makes(l.To) {
			links = append(links, l)
		}
	}
	return links
}

// Order puts members into the order in which their links need each other. Where
// they point to each other in a ring, the one goes first whose links can best wait:
// first those that are not required, then the fewest. Members that do not need
// each other stand in the order of their record types, then as they are given.
func Order(members []Member) []int {
	var out []int
	placed := func(n int) bool { return slices.Contains(out, n) }
	for len(out) < len(members) {
		best, bestCost := -1, 0
		for n, m := range members {
			if placed(n) {
				continue
			}
			cost := 0
			for o, other := range members {
				if o == n || placed(o) {
					continue
				}
				for _, l := range m.pointsTo(other) {
					switch {
					case l.Required:
						cost += 1000
					case m.makes(l.To): // most of them are in the same file
						cost++
					default:
						cost += 10
					}
				}
			}
			if best < 0 || cost < bestCost || cost == bestCost && m.Rank < members[best].Rank {
				best, bestCost = n, cost
			}
		}
		out = append(out, best)
	}
	return out
}

// Explain says of each member of an order why it stands where it does, and which of
// its links wait for members behind it.
func Explain(members []Member, order []int) []Place {
	var list []Place
	for at, n := range order {
		p, m := Place{Member: n}, members[n]
		for _, o := range order[:at] {
			for _, l := range m.pointsTo(members[o]) {
				p.Reasons = append(p.Reasons, fmt.Sprintf("after %s: %s point to %s by %s", members[o].Name, l.Type,
					lower(l.ToPlural), l.Field))
			}
		}
		for _, o := range order[at+1:] {
			for _, l := range m.pointsTo(members[o]) {
				p.Later = append(p.Later, Later{Link: l, Member: o})
				p.Reasons = append(p.Reasons,
					fmt.Sprintf("%s points to %s of %s, which come later: it is written when they are there", l.Field,
						lower(l.ToPlural), members[o].Name))
			}
		}
		list = append(list, p)
	}
	return list
}

// Trouble words what cannot work in an order: a link that a record must have and
// that would have to wait. It gives the field to loosen, empty for none.
func Trouble(members []Member, places []Place) (says string, path string) {
	for _, p := range places {
		for _, l := range p.Later {
			if l.Link.Required && !members[p.Member].makes(l.Link.To) {
				return fmt.Sprintf("%s must have %s, and the %s are made by %s, which comes later", l.Link.Type, l.Link.Field,
					lower(l.Link.ToPlural), members[l.Member].Name), l.Link.Path
			}
		}
	}
	return "", ""
}

func lower(s string) string { return strings.ToLower(s) }
