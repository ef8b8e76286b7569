package suggest

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"uchi/internal/core/catalog"
	"uchi/internal/core/sheet"
	"uchi/internal/core/textkind"
)

// Titles, remarks and numbers in what is left: what the records are called, and what is said of them.

// sentence reports whether some word of a text but the first begins with a small letter, and is none
// that stands within names (van, de la).
func sentence(s string) bool {
	words := strings.Fields(s)
	return slices.ContainsFunc(words[min(1, len(words)):], func(w string) bool {
		first, _ := utf8.DecodeRuneInString(w)
		short := strings.Contains(strings.TrimRight(w, ".,"), ".") // d.o.o.
		return unicode.IsLower(first) && len([]rune(w)) > 3 && !short
	})
}

// firms takes the one column of names of which some have the legal form of a company for the companies: people and
// towns have none.
func (l *left) firms() {
	f, ok := l.free(func(f catalog.Field) bool {
		return f.ComparedAs() == catalog.AsEmployer || f.ComparedAs() == catalog.AsCompanyName && f.Required ||
			f.Type == catalog.Reference && f.To == "account" && l.meant("company")(f)
	})
	if !ok {
		return
	}
	col, ok := onlyOne(l.open(), func(c remaining) bool {
		with := share(c.Samples, withLegalForm)
		return c.quiet && with > someFirms && with*float64(len(c.Samples)) >= fewest && share(c.Samples, sentence) < 0.1 &&
			l.view.kinds[c.at].p[textkind.Phrase] < 0.5
	})
	if ok {
		l.take(col, f.Name, "some of its values have the legal forms of companies, and those of no other column do")
	}
}

// titles takes the one column of phrases, or of names of companies, that is always filled for what
// the records are called.
func (l *left) titles() {
	title := l.target.Type.Title
	f, ok := l.free(func(f catalog.Field) bool {
		return len(title) == 1 && f.Name == title[0] && f.Type == catalog.Text && f.Required
	})
	always := func(c remaining) bool { return c.Blank == 0 && c.Longest <= longestTitle && !filledLike(*c.Column) }
	switch {
	case !ok:
		return
	case f.ComparedAs() == catalog.AsCompanyName:
		if col, ok := onlyOne(l.rest(), func(c remaining) bool {
			companies := share(c.Samples, withLegalForm) > 0.3 || l.view.kinds[c.at].p[textkind.Company] > 0.97
			return always(c) && c.Distinct*2 > c.Filled && companies
		}); ok {
			l.take(col, f.Name, "it is the one column of names of companies that is always filled")
			return
		}
		for n, s := range l.list { // what they are called in full is all that they are called
			other, _ := l.target.Type.Field(s.Field)
			named := other.Type == catalog.Text && other.ComparedAs() == f.ComparedAs()
			if s.Draft == l.target.Draft && s.Taken && named {
				if col, ok := onlyOne(l.rest(), func(c remaining) bool {
					return l.suggested(c, f) && always(c) && c.Distinct*2 > c.Filled
				}); ok {
					l.take(col, f.Name, "what they are called in full stands in “"+s.Column+"”")
					return
				}
				l.list[n].Field, l.list[n].Reason = f.Name, s.Reason+", and no other column has the "+f.Label
				return
			}
		}
		return
	}
	_, addressed := l.target.Type.FieldAs(catalog.AsStreet)
	link, _ := companyLink(l.target.Type)
	_, named := l.given(link.Name) // whose company it is, is said elsewhere
	if col, ok := onlyOne(l.rest(), func(c remaining) bool {
		p := l.view.kinds[c.at].p
		people := p[textkind.FullName] > 0.95 && share(c.Samples, sentence) < 0.3
		streets := addressed && p[textkind.Street] > 0.5
		company := share(c.Samples, withLegalForm) > 0.2 && !(named && l.suggested(c, f))
		named := people || streets || p[textkind.Job] > 0.9 || company
		words := share(c.Samples, severalWords)
		return always(c) && (l.phrases(c) || !named && (words > 0.6 && l.unsaid(c, f) || words > 0.4 && l.suggested(c, f)))
	}); ok {
		l.take(col, f.Name, "it is the one column of phrases that is always filled")
		return
	}
	if col, ok := onlyOne(l.unplaced(), func(c remaining) bool {
		p := l.view.kinds[c.at].p
		other := p[textkind.FullName] > 0.5 || p[textkind.Company] > 0.5 || share(c.Samples, withLegalForm) > 0.2
		return always(c) && !other && slices.ContainsFunc(lift(headerWords(l.view.mark.off(c.Header))).sets, func(set []string) bool {
			return slices.Equal(set, []string{"name"}) || slices.Equal(set, []string{"what"})
		})
	}); ok {
		l.take(col, f.Name, "it is what they are called")
		return
	}
	// No record is without a title: what is called a description, and stands in every row, is it.
	for _, s := range l.list {
		about, _ := l.target.Type.Field(s.Field)
		at := slices.IndexFunc(l.all, func(c sheet.Column) bool { return c.Header == s.Column })
		if s.Draft != l.target.Draft || !s.Taken || about.Type != catalog.LongText || at < 0 {
			continue
		}
		if c := (remaining{Column: &l.all[at]}); always(c) && c.Filled >= fewestMute {
			l.list = slices.DeleteFunc(l.list, func(x Suggestion) bool {
				return x.Column == s.Column || x.Draft == s.Draft && x.Field == f.Name
			})
			s.Field, s.Confidence, s.Reason = f.Name, leftOver, "every record needs its "+f.Label+
				", and it is the one short text that is always there"
			l.list = append(l.list, s)
			return
		}
	}
}

// remarks takes the one column of whole sentences that is left for what may be said of a record.
func (l *left) remarks() {
	f, ok := l.free(func(f catalog.Field) bool { return f.Type == catalog.LongText })
	if !ok {
		return
	}
	if col, ok := onlyOne(l.open(), func(c remaining) bool {
		sentences := l.phrases(c) && wordsInCells(*c.Column, 3) && share(c.Samples, sentence) > 0.5
		// What is said of records is hardly said of several in the same words: names of courses and services are.
		return sentences && c.Distinct > fewest && c.Longest >= shortestRemark && c.Distinct*2 > c.Filled
	}); ok {
		l.take(col, f.Name, "it is the one column of sentences")
	}
}

// shortestRemark is how long the longest of some remarks is at least.
const shortestRemark = 16

// ownNumber takes a column for the numbers of what the rows are where its header says that they are
// numbers of what the column of names is called (“Tender”, “Tender no.”), or where it stands first.
func (l *left) ownNumber() {
	key, ok := l.free(func(f catalog.Field) bool {
		return ownKey(f) && setScore(l.target.Type.Name, f, []string{"number", "old"}) >= certain
	})
	if !ok {
		return
	}
	x, named := l.view.compare(l.target.Type, l.target.Memory), ""
	if len(l.target.Type.Title) == 1 {
		named, _ = l.given(l.target.Type.Title[0])
	}
	if col, ok := onlyOne(l.openOr(key), func(c remaining) bool {
		number := false
		rest := slices.DeleteFunc(headerWords(c.Header), func(w string) bool {
			is := slices.Contains(lexicon[w], "number") || slices.Contains(lexicon[w], "code")
			number = number || is
			return is || small[w]
		})
		fit := x.fits[c.at][slices.IndexFunc(x.fields, func(f catalog.Field) bool { return f.Name == key.Name })]
		first := c.at == 0 && c.Blank == 0 && c.head.strange // where lists have the numbers of what they list
		same := named != "" && strings.Join(rest, " ") == strings.Join(headerWords(named), " ")
		mute := c.quiet && c.at == 0 && len(l.list) > 1 && tellsApart(*c.Column)
		return (number && len(rest) > 0 && (same || first) || mute) && fit == supports
	}); ok {
		l.take(col, key.Name, "its numbers tell the rows apart")
	}
}

// severalWords reports whether a text is several words.
func severalWords(s string) bool { return len(strings.Fields(s)) > 1 && aWord.MatchString(s) }

// longestTitle is how long the titles of records are at the most.
const longestTitle = 80

// phrases reports whether the texts of a column are phrases, and no names of anything.
func (l *left) phrases(c remaining) bool { return l.view.kinds[c.at].p[textkind.Phrase] > 0.5 }

// filledLike reports whether a few texts fill a column, as choices do.
func filledLike(c sheet.Column) bool { return c.Distinct*4 < c.Filled }
