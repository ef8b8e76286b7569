package suggest

import (
	"maps"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
)

// Rows that may be about a company, a person or a deal often say in one column which of these it
// is, and in another its number: notes, visits, files.

// mostWords is how many different words say what rows are about.
const mostWords = 8

// tellAbout gives a column of numbers to several links, each in the rows of which another column
// says that it is of such a record.
func (v *View) tellAbout(target Target, columns []sheet.Column, list []Suggestion) []Suggestion {
	links, several := map[string]string{}, map[string]bool{} // by the type that they lead to
	for _, f := range target.Type.Fields {
		if f.Type != catalog.Reference || slices.Contains(means[f.Name], "owner") || several[f.To] {
			continue
		}
		if _, two := links[f.To]; two || f.To == target.Type.Name {
			several[f.To] = true
			delete(links, f.To)
			continue
		}
		links[f.To] = f.Name
	}
	taken := func(is func(Suggestion) bool) bool {
		return slices.ContainsFunc(list, func(s Suggestion) bool { return s.Taken && s.Draft == target.Draft && is(s) })
	}
	if len(links) < 2 {
		return list
	}
	for k, words := range columns {
		is, known := v.saysTypes(words, links)
		if len(is) < 2 || known*10 < words.Filled*7 || taken(func(s Suggestion) bool {
			return s.Column == words.Header || slices.ContainsFunc(slices.Sorted(maps.Keys(is)), func(t string) bool { return links[t] == s.Field })
		}) {
			continue
		}
		beside := slices.DeleteFunc(slices.Concat(columns[k+1:min(k+2, len(columns))], columns[max(0, k-1):k]),
			func(c sheet.Column) bool {
				return !v.mayBeNumber(words, c, links) || taken(func(s Suggestion) bool { return s.Column == c.Header })
			})
		if len(beside) == 0 {
			continue
		}
		number := beside[0] // what stands behind it before what stands before it
		list = slices.DeleteFunc(slices.Clone(list), func(s Suggestion) bool {
			return s.Draft == target.Draft && (s.Column == number.Header || s.Column == words.Header)
		})
		for _, to := range slices.Sorted(maps.Keys(is)) {
			list = append(list, Suggestion{Column: number.Header, Draft: target.Draft, Field: links[to], Confidence: certain, Taken: true,
				When:   &mapping.When{Column: words.Header, Is: is[to]},
				Reason: "“" + words.Header + "” says which rows are about such"})
		}
		return list
	}
	return list
}

// saysTypes gives for the record types to which links lead the words of a column that name them,
// and how many of its cells do.
func (v *View) saysTypes(c sheet.Column, links map[string]string) (is map[string][]string, cells int64) {
	is = map[string][]string{}
	if c.Distinct > mostWords || int64(len(c.Top)) < c.Distinct {
		return is, 0
	}
	for _, word := range c.Top {
		if t := v.typeMeant(word.Text); links[t] != "" {
			is[t], cells = append(is[t], word.Text), cells+word.Count
		}
	}
	return is, cells
}

// typeMeant gives the record type of which a word names one record, or several; empty where it
// names none, or may name different ones.
func (v *View) typeMeant(word string) (typeName string) {
	if t, ok := v.meant[word]; ok {
		return t
	}
	if v.meant == nil {
		v.meant = map[string]string{}
	}
	types := namedBy(word, v.catalog)
	if len(types) == 0 {
		for _, set := range lift(headerWords(word)).sets {
			if t := ofConcept[strings.Join(set, " ")]; t != "" {
				types[t] = true
			}
		}
	}
	for t := range types {
		typeName = t
	}
	if len(types) > 1 {
		typeName = ""
	}
	v.meant[word] = typeName
	return typeName
}

// ofConcept are the record types by the concepts that mean one of their records.
var ofConcept = map[string]string{"customer": "account", "company": "account", "person": "contact", "deal": "opportunity"}

// mayBeNumber reports whether a column may say by number or by name which records rows are about, where
// another says in words of what they are.
func (v *View) mayBeNumber(words, c sheet.Column, links map[string]string) bool {
	at, named := slices.IndexFunc(v.columns, func(o sheet.Column) bool { return o.Header == c.Header }), 0.0
	for to := range links {
		named += v.kinds[at].names[to]
	}
	of, begins := strings.CutPrefix(joinedUp(c.Header), joinedUp(words.Header)) // about, aboutnr
	return saysNumber(c.Header) || drawnByLot(c) || named >= enoughNamed || begins && slices.Contains(lexicon[of], "number")
}
