// Package suggest works out which column belongs to which field: from the
// words of the header in many languages, from what stands in the cells, and
// from what was chosen before. Each suggestion has a confidence and a reason
// that a person understands; all columns are assigned together, so that no
// field is given twice. It knows no database and no face.
package suggest

import (
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
	"uchi/internal/core/textkind"
	"uchi/internal/core/value"
)

// Suggestion is the field that a column seems to belong to, with the reason.
type Suggestion struct {
	Column     string        `json:"column"`
	Draft      string        `json:"draft,omitempty"` // which of the row's drafts, where there are several
	Field      string        `json:"field"`
	Take       mapping.Take  `json:"take,omitempty"`  // when only a part of the cells is meant
	Fixed      string        `json:"fixed,omitempty"` // a value that the header names, which the field gets in every row
	Join       string        `json:"join,omitempty"`  // what stands between it and what the field is made of before it
	When       *mapping.When `json:"when,omitempty"`  // in which rows it does
	Confidence float64       `json:"confidence"`      // 0 to 1
	Reason     string        `json:"reason"`
	Taken      bool          `json:"taken"`            // certain enough to be taken without asking
	Others     []Other       `json:"others,omitempty"` // what it may be instead, where it is not taken; the likeliest first

	left   bool // nothing else is left for it; see whatIsLeft
	joins  bool // with another column of the field
	before bool // it is said before that other one, wherever it stands
}

// Other is a field that a column may belong to instead of the one suggested.
type Other struct {
	Draft      string  `json:"draft,omitempty"`
	Field      string  `json:"field"`
	Confidence float64 `json:"confidence"`
	Reason     string  `json:"reason"`
}

// mostOthers is how many are told.
const mostOthers = 3

// Confidence at and above which a suggestion is taken without asking, and below
// which it is not even shown.
const (
	certain = 0.9
	doubt   = 0.45
)

// fewest is how many filled cells it takes for values to speak up.
const fewest = 3

// Memory is what a workspace chose before: folded header → field.
type Memory map[string]string

// Key is the form of a header under which choices are remembered.
func Key(header string) string { return strings.Join(tokens(header), " ") }

// inUnits reports whether a field's values may be in thousands or millions.
func inUnits(f catalog.Field) bool { return f.Type == catalog.Money || f.Type == catalog.Decimal }

func withID(t catalog.RecordType) []catalog.Field {
	id := catalog.Field{Name: mapping.IDField, Label: t.Label + " id", Type: catalog.Text,
		Synonyms: []string{t.Name + " id", t.Prefix + " id", "record id", "id"}}
	return append([]catalog.Field{id}, t.Fields...)
}

// judge gives the confidence that a column with header h is a field, the n-th of
// those that the header was compared with, and the reason; fit is what its cells say.
func judge(f catalog.Field, n int, h header, col sheet.Column, fit fit, what string, memory Memory) (float64, string) {
	words, reason := h.said[n].score, h.said[n].reason
	chosen := false
	// Where a column has no header but its letter, the one before it of that letter may have been anything.
	lettered := col.Header == col.Letter && fit < tells
	if field, ok := memory[h.all]; ok && !lettered {
		if chosen = field == f.Name; chosen {
			words, reason = 0.99, "this workspace chose it for the same header before"
		} else {
			words *= 0.7
		}
	}
	if words == 0 && h.known {
		return 0, ""
	}
	if words >= doubt && value.Opposes(f, col.Header) { // to be offered, and no more
		words, reason = min(words, leastVague-0.01), reason+"; the header says the opposite, so its yes is read as no"
	}
	if h.unit != "" && inUnits(f) && value.ToBeMultiplied(f, col.Header) &&
		slices.ContainsFunc(col.Samples, func(s string) bool { return digitsIn(s) > value.LongestInUnits }) {
		return min(words, 0.8), reason + ", but its amounts seem too large to be in " + string(h.unit)
	}
	if fit == distinctive && words == 0 && (!h.mute && !strong(f.Type) || h.asks) {
		fit = neutralFit // a header that says something else knows better
	}
	if col.Filled < fewest && (fit == distinctive || words >= 0.98) {
		fit = neutralFit // one or two cells do not outweigh the field's own name
	}
	switch {
	case words < certain && fit == distinctive && h.aside:
		return 0.5, "the header names something else, but " + what
	case words == 0 && fit == distinctive:
		return 0.91, "the header says little, but " + what
	case words == 0 && fit == tells && h.mute:
		return 0.91, "the header says nothing, and " + what
	case words == 0 && fit == supports && h.mute:
		return 0.7, "the header says nothing, and " + what
	case words == 0 && !h.aside && (fit == tells || fit == supports && f.Type == catalog.Phone):
		return 0.5, "the header is not understood, but " + what // to be offered, and no more
	case words == 0:
		return 0, ""
	case fit == contradicts:
		return words * 0.5, reason + ", but " + what
	case fit == distinctive && words < leastHeld && !strong(f.Type): // a share of something is not any share
		return words, reason + ", and " + what
	case fit == distinctive && words < 0.97:
		return max(min(0.97, words+0.06), 0.92), reason + ", and " + what
	case fit == against && !chosen && (words < certain || words < exactly && f.HoldsWords() && f.Type != catalog.OneChoice ||
		h.alsoSays(n)):
		return words * 0.5, reason + ", but " + what
	case fit == tells && words >= leastHeld && words < certain, fit == supports && words >= leastVague && words < certain,
		// little else can be read as one
		fit == supports && words >= leastHeld && words < certain && f.Type == catalog.Language:
		return 0.91, reason + ", and " + what
	}
	return words, reason
}

// alsoSays reports whether a header says a field other than the n-th as surely as any.
func (h header) alsoSays(n int) bool {
	for i, s := range h.said {
		if i != n && s.score >= certain {
			return true
		}
	}
	return false
}

// How well a header must say a field for cells to settle it: those that can hardly be
// anything else settle one that holds the field's words among others, those that agree
// one whose words are vague.
const (
	leastHeld  = 0.68
	leastVague = 0.735
)

// exactly is how well a header says a field that says it and nothing else.
const exactly = 0.925

// Routine makes the routine that takes what is certain.
func Routine(t catalog.RecordType, suggestions []Suggestion) mapping.Routine {
	return mapping.Routine{May: mapping.CreateOrUpdate,
		Drafts: []mapping.Draft{{Type: t.Name, Fields: Fields(suggestions)}}}
}

// fullNameHeaders are headers of a column that holds given and family name
// together, when neither has a column of its own.
var fullNameHeaders = keys("name", "nominativo", "full name", "contact", "contact name", "person", "contact person",
	"ansprechpartner", "ansprechpartnerin", "kontaktperson", "nom complet", "nom et prenom", "nom prenom", "prenom nom",
	"nom prenoms", "name vorname", "vorname name", "naam voornaam", "voornaam naam", "interlocuteur",
	"nombre completo", "nombre y apellidos", "persona de contacto", "nome completo", "nome e cognome", "referente",
	"naam", "volledige naam", "contactpersoon", "pessoa de contato", "namn", "fullstandigt namn", "navn", "fulde navn",
	"fullt navn",
	"nimi", "koko nimi", "yhteyshenkilo", "imie i nazwisko", "osoba kontaktowa", "ονοματεπωνυμο", "vor und nachname",
	"vor und zuname", "氏名", "担当者名")

// formNames are the headers of forms that ask for it, where people write what they like.
var formNames = keys("your name", "ihr name", "dein name", "votre nom", "uw naam", "jouw naam", "je naam", "ditt namn", "ert namn", "dit navn",
	"ditt navn", "nimesi", "su nombre", "tu nombre", "seu nome", "o seu nome", "il tuo nome", "il suo nome", "το ονομα σας")

// keys gives phrases as a set of what headers are compared by.
func keys(phrases ...string) map[string]bool {
	set := map[string]bool{}
	for _, s := range phrases {
		set[Key(s)] = true
	}
	return set
}

// personSets are the sets of concepts of headers that name a person as a whole.
var personSets = []string{"person", "name person", "name", "full name", "customer person", "customer name",
	"full name person", "name work"}

// fullNames is holdsFullNames, found out once for a column.
func (v *View) fullNames(col sheet.Column) bool {
	holds, told := v.people[col.Header]
	if !told {
		holds = holdsFullNames(v.unmarked(col))
		v.people[col.Header] = holds
	}
	return holds
}

// unmarked gives a column with its header without the mark of the sheet.
func (v *View) unmarked(col sheet.Column) sheet.Column {
	col.Header = v.mark.off(col.Header)
	return col
}

// holdsFullNames tells whether a column holds given and family names together: its
// header names a person, or says nothing, and its cells are such names.
func holdsFullNames(col sheet.Column) bool {
	if !wordsInCells(col, 2) {
		return false
	}
	if share(col.Samples, withLegalForm) > 0.3 {
		return false // they are those of companies
	}
	if namesBoth(col) {
		return true
	}
	l := lift(headerWords(col.Header))
	person := l.unknown == 0 && slices.ContainsFunc(l.sets, func(set []string) bool {
		return slices.Contains(set, "person") && slices.Contains(personSets, strings.Join(set, " "))
	})
	names := withoutTitles(col.Samples)
	kinds, ok := textkind.Of(names)
	var halves textkind.Halves
	if !ok || kinds[textkind.FullName] < ofPersons && (kinds[textkind.FullName] < 0.5 && !person ||
		share(names, halves.Given) < leastGiven) {
		return false
	}
	sure := kinds[textkind.FullName] >= fullNames
	h := headerOf("", col.Header, nil, nil, nil)
	if h.mute {
		return (sure || h.asks) && col.Distinct*3 > col.Filled // those who come again and again are our own
	}
	return person || sure && l.unknown == 0 && slices.ContainsFunc(l.sets, func(set []string) bool {
		return slices.Contains(personSets, strings.Join(set, " ")) || len(set) == 0
	})
}

// perhapsFullNames tells whether a column may hold names of people that are too few, or too
// mixed with other words, to tell.
func (v *View) perhapsFullNames(col sheet.Column) bool {
	l := lift(headerWords(col.Header))
	return wordsInCells(col, 2) && !v.fullNames(col) && share(col.Samples, withLegalForm) <= 0.3 && l.unknown == 0 &&
		slices.ContainsFunc(l.sets, func(set []string) bool {
			return slices.Contains(personSets, strings.Join(set, " "))
		})
}

// withoutTitles gives texts that begin with a form of address or a title without it and the
// degrees behind: "Ing. Jiří Dvořák, Ph.D." is a name like others.
func withoutTitles(texts []string) []string {
	out := make([]string, len(texts))
	for n, s := range texts {
		if out[n] = s; value.Honorific(s) != "" && len(strings.Fields(s)) > 2 {
			given, family := value.SplitName(s)
			out[n] = strings.TrimSpace(given + " " + family)
		}
	}
	return out
}

// headerWords gives the words of a header, taken apart and without what only decorates it, or
// only says which of several it is.
func headerWords(header string) []string {
	words := strings.Fields(value.Words(decoration.Replace(splitCapitals(header))))
	if last := len(words) - 1; last > 0 && len(words[last]) == 1 && isDigit(words[last][0]) {
		words = words[:last]
	}
	return words
}

// namesBoth tells whether a column means the given and the family name, of which no other
// gives either: its header has a word for each, or for one of them where its cells are full
// names or turn a name about, as in "Berg, Nils".
func namesBoth(col sheet.Column) bool {
	if fullNameHeaders[Key(col.Header)] || formNames[Key(col.Header)] && share(col.Samples, func(s string) bool {
		n := len(strings.Fields(s))
		return n > 1 && n < 5 && digitsIn(s) == 0
	}) > 0.8 {
		return true
	}
	kinds, ok := textkind.Of(withoutTitles(col.Samples))
	full := ok && kinds[textkind.FullName] >= fullNames || share(col.Samples, func(s string) bool {
		family, given, ok := strings.Cut(s, ",")
		return ok && strings.TrimSpace(family) != "" && strings.TrimSpace(given) != "" &&
			!strings.ContainsAny(s, "0123456789@")
	}) > 0.7
	l := lift(headerWords(col.Header))
	return l.unknown == 0 && slices.ContainsFunc(l.sets, func(set []string) bool {
		given, family := slices.Contains(set, "given"), slices.Contains(set, "family")
		return given && family || full && (given || family)
	})
}

// familyFirst tells whether the family names stand first in full names without a comma: the
// cells say so, or leave it open where the words of the header stand in that order.
func familyFirst(col sheet.Column) bool {
	var firsts, lasts []string
	var names textkind.Halves
	turned, usual := 0, 0
	for n, s := range withoutTitles(col.Samples) {
		words := strings.Fields(s)
		if len(words) != 2 || strings.Contains(col.Samples[n], ",") || value.StandsFirst(s) { // which tell it by themselves
			continue
		}
		firsts, lasts = append(firsts, words[0]), append(lasts, words[1])
		switch isTurned, isUsual := names.Turned(words[0], words[1]); {
		case isTurned:
			turned++
		case isUsual:
			usual++
		}
	}
	if turned+usual > 1 && turned != usual {
		return turned > usual
	}
	first, ok := textkind.Of(firsts)
	last, _ := textkind.Of(lasts)
	turnedBy, usualBy := first[textkind.Family]*last[textkind.Given], first[textkind.Given]*last[textkind.Family]
	if ok && max(turnedBy, usualBy) > 0.9*(turnedBy+usualBy) {
		return turnedBy > usualBy
	}
	family := false
	for _, w := range headerWords(col.Header) {
		concepts := slices.Concat(lift([]string{w}).sets...)
		if slices.Contains(concepts, "given") {
			return family
		}
		family = family || slices.Contains(concepts, "family") || slices.Contains(concepts, "name")
	}
	return false
}

// fullNames is how likely the cells of a column must be full names.
const fullNames = 0.97

// ofPersons is how likely they must be where the header names a person.
const ofPersons = 0.9

// leastGiven is in how many of them a given name must be known where they are less likely.
const leastGiven = 0.5

// splitNames turns a column of full names into the two fields of a person's
// name, when the record type has them and nothing else gave a family name.
func (v *View) splitNames(target Target, columns []sheet.Column, list []Suggestion) []Suggestion {
	family, ok := target.Type.FieldAs(catalog.AsFamilyName)
	given, both := target.Type.FieldAs(catalog.AsGivenName)
	if !ok || !both {
		return list
	}
	var named []string // columns that give a half of the name
	for _, s := range list {
		if s.Draft == target.Draft && s.Taken && (s.Field == family.Name || s.Field == given.Name) {
			named = append(named, s.Column)
		}
	}
	for _, col := range columns {
		if len(named) == 0 && v.perhapsFullNames(col) &&
			!slices.ContainsFunc(list, func(s Suggestion) bool { return s.Column == col.Header }) {
			list = append(list, Suggestion{Column: col.Header, Draft: target.Draft, Field: family.Name,
				Take: mapping.TakeFamilyName, Confidence: perhaps, Reason: "the header names people, and cells hold several words"})
			continue
		}
		if !v.fullNames(col) || len(named) > 0 && (!namesBoth(v.unmarked(col)) || len(named) > 1 || named[0] != col.Header) {
			continue
		}
		takes := map[string]mapping.Take{family.Name: mapping.TakeFamilyName, given.Name: mapping.TakeGivenName}
		if familyFirst(col) {
			takes = map[string]mapping.Take{family.Name: mapping.TakeFamilyFirst, given.Name: mapping.TakeGivenLast}
		}
		reason := "the cells hold given and family name together"
		if slices.ContainsFunc(col.Samples, func(s string) bool { return value.Honorific(s) != "" }) {
			if f, ok := target.Type.FieldAs(catalog.AsHonorific); ok {
				reason += "; the " + strings.ToLower(f.Label) + " before them can go to a field of its own"
			}
		}
		list = parted(list, target, col.Header, 0.93, reason, takes)
		break
	}
	return list
}

// parted lets a column go to several fields, a part of its cells to each, instead of
// what was suggested for it and them.
func parted(list []Suggestion, target Target, column string, confidence float64, reason string,
	parts map[string]mapping.Take) []Suggestion {
	list = slices.DeleteFunc(list, func(s Suggestion) bool {
		_, now := parts[s.Field]
		return s.Column == column || s.Draft == target.Draft && now
	})
	for field, take := range parts {
		list = append(list, Suggestion{Column: column, Draft: target.Draft, Field: field, Take: take,
			Confidence: confidence, Reason: reason, Taken: true})
	}
	return list
}

// besideGiven takes a column that is only called a name for the family names where
// given names have a column of their own and family names none.
func (v *View) besideGiven(target Target, columns []sheet.Column, list []Suggestion) []Suggestion {
	family, ok := target.Type.FieldAs(catalog.AsFamilyName)
	given, both := target.Type.FieldAs(catalog.AsGivenName)
	has := func(f catalog.Field) bool {
		return slices.ContainsFunc(list,
			func(s Suggestion) bool { return s.Draft == target.Draft && s.Field == f.Name && s.Taken })
	}
	if !ok || !both || has(family) || !has(given) {
		return list
	}
	for _, col := range columns {
		l := lift(headerWords(v.unmarked(col).Header))
		named := slices.ContainsFunc(l.sets, func(set []string) bool {
			return slices.Equal(set, []string{"name"}) || slices.Equal(set, []string{"name", "person"})
		})
		placed := slices.ContainsFunc(list, func(s Suggestion) bool { return s.Column == col.Header && s.Taken })
		if !named || l.unknown > 0 || placed || wordsInCells(col, 2) {
			continue
		}
		list = slices.DeleteFunc(list, func(s Suggestion) bool {
			return s.Column == col.Header || s.Draft == target.Draft && s.Field == family.Name
		})
		return append(list, Suggestion{
			Column: col.Header, Draft: target.Draft, Field: family.Name,
			Confidence: 0.93, Reason: "the given names have a column of their own", Taken: true,
		})
	}
	return list
}

// nameFiles lets the names that files have stand for those that nobody has given them.
func nameFiles(target Target, list []Suggestion) []Suggestion {
	l := target.Type.Timeline
	if l == nil || l.File == "" {
		return list
	}
	at := func(field string) int {
		return slices.IndexFunc(list,
			func(s Suggestion) bool { return s.Draft == target.Draft && s.Field == field && s.Taken })
	}
	file := at(l.File)
	if file < 0 || at(l.Text) >= 0 {
		return list
	}
	list = slices.DeleteFunc(list, func(s Suggestion) bool { return s.Draft == target.Draft && s.Field == l.Text })
	file = at(l.File)
	return append(list, Suggestion{Column: list[file].Column, Draft: target.Draft, Field: l.Text,
		Confidence: list[file].Confidence, Reason: "no other column names the files", Taken: true})
}

// perhaps is the confidence of what is suggested and not taken.
const perhaps = 0.6

// splitAmounts gives a currency field that nothing goes to the signs that stand
// beside the amounts of a column.
func splitAmounts(target Target, columns []sheet.Column, list []Suggestion) []Suggestion {
	at := slices.IndexFunc(target.Type.Fields, func(f catalog.Field) bool { return f.Type == catalog.Currency })
	if at < 0 || slices.ContainsFunc(list,
		func(s Suggestion) bool { return s.Draft == target.Draft && s.Field == target.Type.Fields[at].Name }) {
		return list
	}
	reader := value.NewReader(target.Type.Fields[at], value.Settings{})
	for _, s := range list {
		f, _ := target.Type.Field(s.Field)
		n := slices.IndexFunc(columns, func(c sheet.Column) bool { return c.Header == s.Column })
		if s.Draft != target.Draft || f.Type != catalog.Money || !s.Taken || n < 0 {
			continue
		}
		signed, certain := 0, true
		for _, cell := range columns[n].Samples {
			certain = certain && !value.SharedSign(strings.Trim(cell, " 0123456789.,-–'\u00a0\u202f"))
			if code, trouble := reader.Read(value.CurrencyIn(cell)); trouble.Code == "" && code != "" {
				signed++
			}
		}
		named, _ := value.CurrencyOf(s.Column)
		if signed > 0 || named != "" { // what has none stays without, or is in that of the header
			one := Suggestion{
				Column: s.Column, Draft: s.Draft, Field: target.Type.Fields[at].Name, Take: mapping.TakeCurrency,
				Confidence: 0.94, Reason: "the amounts carry a currency", Taken: true,
			}
			switch {
			case signed == 0:
				one.Take, one.Fixed, one.Reason = "", named, "the header names it"
			case !certain:
				one.Confidence, one.Taken, one.Reason = 0.7, false, "the amounts carry a sign that several currencies have"
			}
			return append(list, one)
		}
	}
	return list
}

// wordsInCells reports whether most samples have at least n words and look
// like names: no digits, no @.
func wordsInCells(col sheet.Column, n int) bool {
	good := 0
	for _, s := range col.Samples {
		if len(strings.Fields(value.Words(s))) >= n && !strings.ContainsAny(s, "0123456789@") {
			good++
		}
	}
	return good*3 >= len(col.Samples)*2 && good > 0
}
