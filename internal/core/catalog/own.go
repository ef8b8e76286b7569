package catalog

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"unicode"

	"uchi/internal/core/fault"

	"golang.org/x/text/unicode/norm"
)

// NewType completes a record type of a customer's own: what is not said of its name,
// plural, prefix, title and match rules follows from the rest. It says whether the
// type may be added to this catalogue.
func (c Catalog) NewType(t RecordType) (RecordType, error) {
	if t.Label = strings.TrimSpace(t.Label); t.Label == "" {
		return t, fault.New(fault.Invalid, "label_missing", "a record type needs a label").At(fault.Place{Path: "label"}).
			Mended("Give the word for one such record, for example Berth.")
	}
	if t.Name == "" {
		t.Name = cmp.Or(Slug(t.Label), fmt.Sprintf("own_%d", len(c.Types)+1))
	}
	if t.Plural == "" {
		t.Plural = t.Label + "s"
	}
	if _, there := c.Type(t.Name); there {
		return t, fault.New(fault.Conflict, "type_exists",
			"there is already a record type of this name").At(fault.Place{Path: "name"}).With(t.Name).
			Mended("Take another name, or add fields to that one.")
	}
	if t.Prefix == "" {
		t.Prefix = c.freePrefix(t.Name)
	}
	for _, o := range c.Types {
		if o.Prefix == t.Prefix {
			return t, fault.New(fault.Conflict, "prefix_taken",
				"the ids of another record type begin so").At(fault.Place{Path: "prefix"}).With(t.Prefix).
				Mended(o.Plural + " have it. Take another.")
		}
	}
	if len(t.Fields) == 0 {
		return t, fault.New(fault.Invalid, "fields_missing", "a record type has fields").At(fault.Place{Path: "fields"}).
			Mended("Give at least one, by which its records are called.")
	}
	t.Own, t.Version, t.Changed = true, 1, nil
	t.Fields = slices.Clone(t.Fields)
	for n := range t.Fields {
		f := &t.Fields[n]
		if f.Name == "" {
			f.Name = cmp.Or(Slug(f.Label), fmt.Sprintf("field_%d", n+1))
		}
		f.Own, f.Retired, f.Was, f.Changed = true, false, nil, nil
	}
	if len(t.Title) == 0 {
		t.Title = []string{titleOf(t.Fields)}
	}
	if len(t.Match) == 0 {
		t.Match = t.usualMatch()
	}
	with := c
	with.Types = append(slices.Clone(c.Types), t) // its fields may point to it
	return t, with.CheckType(t)
}

// usualMatch gives the match rules of a type of a customer's own for which none were
// given: the id, each key, and without any what it is called, which is asked about.
func (t RecordType) usualMatch() []MatchRule {
	rules := []MatchRule{{Fields: []string{"id"}}}
	for _, f := range t.Fields {
		if f.Key && !f.Retired {
			rules = append(rules, MatchRule{Fields: []string{f.Name}})
		}
	}
	if len(rules) == 1 {
		rules = append(rules, MatchRule{Fields: t.Title, One: Ask})
	}
	return rules
}

// titleOf gives the field by which records are called where nobody says: the first
// text that is no key, else the first field.
func titleOf(fields []Field) string {
	for _, f := range fields {
		if f.Type == Text && !f.Key {
			return f.Name
		}
	}
	return fields[0].Name
}

// freePrefix makes a prefix of ids that no other type has.
func (c Catalog) freePrefix(name string) string {
	taken := func(p string) bool {
		return slices.ContainsFunc(c.Types, func(t RecordType) bool { return t.Prefix == p })
	}
	letters := strings.ToUpper(strings.ReplaceAll(name, "_", ""))
	p := (letters + "XX")[:3]
	for n := 2; taken(p); n++ {
		p = fmt.Sprintf("%s%d", (letters + "XX")[:2], n)
	}
	return p
}

// longestName is how many characters the name of a type or field has at most.
const longestName = 40

// Slug makes a name of a label: small letters, digits and underscores.
func Slug(label string) string {
	var b strings.Builder
	gap := false
	spelt := strings.NewReplacer("ø", "o", "ł", "l", "đ", "d", "ß", "ss", "æ", "ae", "œ", "oe")
	for _, r := range norm.NFKD.String(spelt.Replace(strings.ToLower(label))) {
		if unicode.Is(unicode.Mn, r) {
			continue
		}
		if r < 'a' || r > 'z' {
			if r < '0' || r > '9' || b.Len() == 0 {
				gap = b.Len() > 0
				continue
			}
		}
		if gap {
			b.WriteByte('_')
		}
		gap = false
		b.WriteRune(r)
		if b.Len() == longestName {
			break
		}
	}
	return b.String()
}
