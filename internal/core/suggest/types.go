package suggest

import (
	"cmp"
	"slices"
	"strconv"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/sheet"
	"uchi/internal/core/textkind"
	"uchi/internal/core/value"
)

// Which record type a sheet is of, and how sure that is.

// Types ranks the record types by how likely it is that the rows are of them, best first, with the reason; memory gives
// what was chosen for each before.
//
// How likely each is follows from what speaks for and against it, weighed as labelled sheets have taught (multinomial
// logistic regression, see D. McFadden, "Conditional logit analysis of qualitative choice behavior", 1974).
func (v *View) Types(c catalog.Catalog, memory func(typeName string) Memory) []TypeSuggestion {
	if v.ranked != nil {
		return v.ranked
	}
	all := v.findings(c, memory)
	evidence, named := v.evidence(all), v.named(c)
	odds := make([]float64, len(all))
	for n, f := range all {
		odds[n] = v.speaks(f, evidence[n], named)
	}
	var out []TypeSuggestion
	for n, p := range Likelihoods(odds) {
		f := all[n]
		v.lacking[f.of.Name] = f.lacks
		reason := strconv.Itoa(len(f.placed)) + " of " + strconv.Itoa(len(v.columns)) + " columns and " +
			strconv.Itoa(f.required) + " of " + strconv.Itoa(f.wanted) + " required fields are found"
		if f.called(named) {
			reason += ", and the sheet is called so"
		}
		out = append(out, TypeSuggestion{Type: f.of.Name, Score: p * f.enough(len(v.columns)), Reason: reason, found: f})
	}
	slices.SortStableFunc(out, func(a, b TypeSuggestion) int { return cmp.Compare(b.Score, a.Score) })
	for n := range out {
		out[n].loses = v.loses(c, out[n].found, out)
	}
	v.ranked = out
	return out
}

// loses reports whether another type, which may be meant, has a place for a column that this one has none for, by a field
// that it alone has. Who fills in a form may be a contact as well as a lead.
func (v *View) loses(c catalog.Catalog, f finding, all []TypeSuggestion) bool {
	if f.known || f.house && f.of.InUse != "" {
		return false
	}
	asked := []string{"contact", "lead"}
	form := slices.Contains(asked, f.of.Name) && v.askedInForm()
	return slices.ContainsFunc(all, func(other TypeSuggestion) bool {
		return other.Type != f.of.Name && other.Score >= likely &&
			(other.found.alone(c, f) || form && slices.Contains(asked, other.Type))
	})
}

// namesRows reports whether a column names records of a type, each once.
func (v *View) namesRows(typeName, header string) bool {
	at := slices.IndexFunc(v.columns, func(c sheet.Column) bool { return c.Header == header })
	return at >= 0 && v.columns[at].Filled > 1 && v.kinds[at].names[typeName] >= enoughNamed && !comesAgain(v.columns[at])
}

// AtHouse tells the view the domain of the mailboxes of who imports the sheet: rows with such are colleagues.
// A domain that lends mailboxes to everybody says nothing.
func (v *View) AtHouse(domain string) *View {
	if !value.PrivateDomain(domain) {
		v.house = domain
	}
	return v
}

// atHouse reports whether a column holds mailboxes of the domain of who imports it, each another.
func (v *View) atHouse(header string) bool {
	at := slices.IndexFunc(v.columns, func(c sheet.Column) bool { return c.Header == header })
	return at >= 0 && v.house != "" && v.columns[at].Filled > 1 && !comesAgain(v.columns[at]) &&
		share(v.columns[at].Samples, func(s string) bool {
			_, domain, _ := strings.Cut(strings.ToLower(value.Trim(s)), "@")
			return domain == v.house
		}) >= allAtHouse
}

// allAtHouse is how many of the mailboxes must be of that domain: a few colleagues may stand in any list.
const allAtHouse = 0.9

// Words of headers of lists that are made at a fair, and what they say of who spoke to somebody there.
var (
	fairWords = wordSet(`badge badgenr badgeno badgenummer cracha bricka bricknr messe messa feira feria fiera targi
		salon salone messut massa massan veletrh vasar fuar expo beurs visitor visitors besucher visitante visiteur visitatore besoker besokende kavija scan scanned scannet gescannt
		εκθεση 展示会 名刺 名刺交換日`)
	spokenTo = keys("spoken to by", "talked to by", "met by", "vu par", "rencontre par", "gesprochen mit", "gesprach mit",
		"gesproken met", "snakket med", "talte med", "pratade med", "traffad av", "mott av", "modt af", "rozmawial",
		"rozmawiala", "incontrato da", "hablado con", "atendido por",
		"quien lo atendio", "quien atendio", "qui l’a vu", "wer sprach", "chi ha parlato", "wie sprak", "hvem talte med", "vem pratade", "μιλησε με", "keskusteli kanssa")
)

// metAtFair reports whether headers say that the people of a sheet were met at a fair.
func (v *View) metAtFair() bool {
	met := func(c sheet.Column) bool { // on a day of which nothing else is said
		return len(c.Samples) > 0 && share(c.Samples, func(s string) bool { return value.OrderOf(s) != "" }) > 0.8 &&
			slices.ContainsFunc(lift(headerWords(c.Header)).sets, func(set []string) bool {
				return slices.Contains(set, "met") && !slices.ContainsFunc(set, func(x string) bool { return x != "met" && x != "date" })
			})
	}
	return slices.ContainsFunc(v.columns, func(c sheet.Column) bool {
		return met(c) || spokenTo[Key(c.Header)] || slices.ContainsFunc(tokens(c.Header), func(w string) bool { return fairWords[w] })
	})
}

// Words of headers by which a form addresses who fills it in.
var inForms = wordSet(`you your ihr ihre votre vos vous uw jouw vuestro vuestra vostro vostra tuo tua seu sua vosso
	din ditt deres twoj twoja twoje σας`)

// askedInForm reports whether headers are the questions of a form to people who fill it in.
func (v *View) askedInForm() bool {
	asked := 0
	for _, c := range v.columns {
		if slices.ContainsFunc(strings.Fields(value.Words(c.Header)), func(w string) bool { return inForms[w] }) {
			asked++
		}
	}
	return asked > 1
}

// leftWeight is how much what is taken because nothing else is left says about the type of a sheet,
// beside what its columns say.
const leftWeight = 0.7

// hangs reports whether a column names files, which speaks for records of a type that
// hang files on others. Notes are told by nothing but what their sheet is called: all
// records may have a text, a day and a person.
func (v *View) hangs(t catalog.RecordType) bool {
	return t.Timeline.File != "" && slices.ContainsFunc(v.columns, func(col sheet.Column) bool {
		return len(col.Samples) > 0 && share(col.Samples, fileName) > 0.7
	})
}

// haveBirthdays reports whether a header names days of birth, in whatever form (dd/mm/yyyy), or cells are days of
// so long ago under one that only asks when.
func (v *View) haveBirthdays() bool {
	return slices.ContainsFunc(v.columns, func(col sheet.Column) bool {
		for _, set := range lift(headerWords(col.Header)).sets {
			if slices.Contains(set, "birth") && !slices.Contains(set, "someone") {
				return true
			}
			if len(set) == 1 && set[0] == "when" && len(col.Samples) >= fewestToTell && share(col.Samples, func(s string) bool {
				return value.OrderOf(s) != "" && yearIn(s) > 1920 && yearIn(s) < 2010
			}) > 0.9 {
				return true
			}
		}
		return false
	})
}

// havePeople reports whether a header may name people, or cells are names of people.
func (v *View) havePeople() bool {
	for n, col := range v.columns {
		k := v.kinds[n]
		if k.known && k.p[textkind.FullName]+k.p[textkind.Given]+k.p[textkind.Family] > 0.5 ||
			slices.ContainsFunc(lift(headerWords(col.Header)).sets, func(set []string) bool {
				return slices.ContainsFunc(set, func(c string) bool { return slices.Contains(ofPeople, c) })
			}) {
			return true
		}
	}
	return false
}

// ofPeople are the concepts of headers of columns that may name people.
var ofPeople = []string{"name", "person", "given", "family", "employees", "birth"}

// haveRegistrations reports whether a header names the numbers that companies have in a register, or for their taxes.
func (v *View) haveRegistrations() bool {
	return slices.ContainsFunc(v.columns, func(col sheet.Column) bool {
		l := lift(headerWords(col.Header))
		return l.unknown == 0 && col.Filled > 0 && slices.ContainsFunc(l.sets, func(set []string) bool {
			return slices.Contains(set, "registration")
		})
	})
}

// telling is how much a field says about which type a sheet is of: one that all types
// have, such as an owner, less than one that is of this type alone.
func telling(c catalog.Catalog, field string) float64 {
	have := 0
	for _, t := range c.Types {
		if _, ok := t.Field(field); ok {
			have++
		}
	}
	return 1.4 - 0.8*float64(have-1)/float64(max(1, len(c.Types)-1))
}

// Sure gives the record type that a sheet is of; ok is false when none is likely enough, or another is likely that has a
// place for what would be lost: then a person is asked.
func Sure(ranked []TypeSuggestion) (typeName string, ok bool) {
	if len(ranked) == 0 || ranked[0].Score < sure || ranked[0].loses {
		return "", false
	}
	return ranked[0].Type, true
}

// Likely gives the record types of which a person may say that a sheet is of them.
func Likely(ranked []TypeSuggestion) (list []TypeSuggestion) {
	for _, s := range ranked {
		if s.Score >= likely {
			list = append(list, s)
		}
	}
	return list
}

// How likely a record type must be for it to be taken, and for it to be named where a person is asked.
const (
	sure   = 0.6
	likely = 0.03
)

// TypeSuggestion is a record type that a sheet may belong to.
type TypeSuggestion struct {
	Type   string  `json:"type"`
	Score  float64 `json:"score"` // how likely it is, from 0 to 1
	Reason string  `json:"reason"`

	found finding
	loses bool // see loses
}
