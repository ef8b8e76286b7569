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

// Types ranks the record types by how many of the columns find a field, best
// first, with the reason; memory gives what was chosen for each before.
func (v *View) Types(c catalog.Catalog, memory func(typeName string) Memory) []TypeSuggestion {
	if v.ranked != nil {
		return v.ranked
	}
	columns, named, birthdays, met := v.columns, v.named(c), v.haveBirthdays(), v.metAtFair()
	form := v.askedInForm()
	firms, people := v.haveRegistrations(), v.havePeople()
	var all []Target
	for _, t := range c.Types {
		all = append(all, Target{Type: t, Memory: memory(t.Name)})
	}
	v.compareAll(all)
	filledIn := map[string]float64{}
	for _, col := range columns {
		filledIn[col.Header] = float64(col.Filled) / float64(max(1, col.Filled+col.Blank))
		if col.Filled == 0 && col.Blank == 0 { // nothing is known of its rows
			filledIn[col.Header] = 1
		}
	}
	var out []TypeSuggestion
	deals := false   // each row is one, whoever it is with
	chances := false // headers say how likely something is
	for _, t := range c.Types {
		required, wanted := 0, 0
		// the share of rows in which a field is filled, and that of rows that would load
		full, loads := map[string]float64{}, 0.0
		got, placed := map[string]bool{}, map[string]bool{} // a column may go to two fields, and counts once
		said := map[string]bool{}                           // fields that were not only left
		from := map[string]string{}                         // columns, by field
		sum, known := 0.0, false                            // whether the rows are those who own records
		house := false                                      // whether they have mailboxes of who imports them
		for _, s := range v.Across([]Target{{Type: t, Memory: memory(t.Name)}}) {
			if s.Taken {
				said[s.Field], from[s.Field] = said[s.Field] || !s.left, s.Column
				full[s.Field] = max(full[s.Field], filledIn[s.Column])
				f, _ := t.Field(s.Field)
				known = known || t.InUse != "" && (f.Key || slices.Contains(t.Title, s.Field)) && v.namesRows(t.Name, s.Column)
				house = house || f.Type == catalog.Email && v.atHouse(s.Column)
				if got[s.Field] = true; !placed[s.Column] {
					weight := s.Confidence * telling(c, s.Field)
					if s.left {
						weight *= leftWeight
					}
					sum += weight
				}
				placed[s.Column] = true
			}
		}
		for _, f := range t.Fields {
			if f.Required && f.Default == "" {
				wanted++
				if got[f.Name] {
					required++
					loads += min(1, full[f.Name]/mostlyFilled)
				} else if f.Type != catalog.Reference {
					v.lacking[t.Name] = true
				}
			}
		}
		score := sum / float64(max(1, len(columns)))
		if wanted > 0 {
			score *= 0.4 + 0.6*loads/float64(wanted)
		}
		if _, person := t.FieldAs(catalog.AsFamilyName); birthdays && !person &&
			!slices.ContainsFunc(t.Fields, func(f catalog.Field) bool { return f.Holds == catalog.HoldsBirth }) {
			score *= hardly // only people have them
		}
		if family, person := t.FieldAs(catalog.AsFamilyName); person {
			given, _ := t.FieldAs(catalog.AsGivenName)
			switch {
			case !people && !got[family.Name] && !got[given.Name]:
				score *= nameless
			case firms && (!got[given.Name] || from[given.Name] == from[family.Name]):
				score *= unmet // whoever is named is the one to ask for there
			}
		}
		if known || house && t.InUse != "" {
			score *= byName
		} else if house {
			score *= unmet
		}
		if wanted > 0 && required == 0 { // no row of it would load
			score *= unmarked
		}
		switch {
		case met && t.Name == "contact":
			score *= unmet
		case met && t.Name == "lead":
			said["met_on"] = true
		}
		if marks, ok := marksOf[t.Name]; ok && !slices.ContainsFunc(marks.fields, func(f string) bool { return said[f] }) {
			if t.Name == "lead" && form {
				score *= asWell
			} else {
				score *= marks.without
			}
		}
		linked := slices.ContainsFunc(t.Fields,
			func(f catalog.Field) bool { return f.Type == catalog.Reference && got[f.Name] })
		if line := t.Timeline; line != nil && !(linked && (named[t.Name] || v.hangs(t))) {
			if linked && len(placed) == len(columns) && said[line.Text] && said[line.At] && said[line.By] {
				score *= rarer // nothing is left, and who wrote it when is there
			} else {
				score *= hardly
			}
		}
		reason := strconv.Itoa(len(placed)) + " of " + strconv.Itoa(len(columns)) + " columns and " +
			strconv.Itoa(required) + " of " + strconv.Itoa(wanted) + " required fields are found"
		if required == wanted && len(placed) > 0 && named[t.Name] {
			score, reason = score*byName, reason+", and the sheet is called so"
		}
		out = append(out, TypeSuggestion{Type: t.Name, Score: score, Reason: reason, lacks: v.lacking[t.Name], placed: len(placed)})
		if t.Name == "opportunity" {
			deals = said["expected_close"] && howMany(said, "title", "stage", "probability") > 1
			chances = said["probability"]
		}
	}
	for n := range out {
		if chances && out[n].Type == "lead" { // which have none
			out[n].Score *= rarer
		}
		if deals && slices.Contains(partiesOfDeals, out[n].Type) {
			out[n].Score *= onlyParties
		}
	}
	slices.SortStableFunc(out, func(a, b TypeSuggestion) int { return cmp.Compare(b.Score, a.Score) })
	v.ranked = out
	return out
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

// marksOf are the fields of which one is found where a sheet is of a type that has all
// that a more usual one has: people at companies are contacts, unless something says
// that they are leads, and a text alone is no line of an offer. Without is what is left of its score
// where none is found.
var marksOf = map[string]struct {
	fields  []string
	without float64
}{
	"lead": {[]string{"interest", "origin", "met_on", "estimated_value", "status"}, rarer},
	"line": {[]string{"quantity", "unit_price", "opportunity"}, hardly},
}

const unmarked = 0.8

// partiesOfDeals are the types of whom a deal is with. Where headers say when it is to be decided and two more things that
// only a deal has, the rows are deals, however much they tell of the company and the person; a lead has a worth at most.
var partiesOfDeals = []string{"lead", "contact", "account"}

const onlyParties = 0.5

// howMany counts the fields that were said.
func howMany(said map[string]bool, fields ...string) (n int) {
	for _, f := range fields {
		if said[f] {
			n++
		}
	}
	return n
}

// unmet is for contacts where headers say that people were met at a fair, and for people where companies have
// their numbers in a register.
const unmet = 0.85

// nameless is for people of whom no name is found.
const nameless = 0.7

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

// mostlyFilled is in what share of the rows what a type requires is filled in sheets of it: where it
// is in fewer, most rows are something else.
const mostlyFilled = 0.5

// rarer is for leads, which lists seldom hold without saying so.
const rarer = 0.72

// asWell is for leads where people fill in a form: a list of contacts, or of who asks for something.
const asWell = 0.95

// leftWeight is how much what is taken because nothing else is left says about the type of a sheet,
// beside what its columns say.
const leftWeight = 0.7

// hardly is for notes and attachments that say of no record that they are about it or are not called so, and for all
// but people where there are days of birth.
const hardly = 0.3

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

// Sure gives the record type that a sheet is of; ok is false when none fits, or
// another fits nearly as well: then a person is asked.
func Sure(ranked []TypeSuggestion) (typeName string, ok bool) {
	if len(ranked) == 0 || ranked[0].Score < leastScore || ranked[0].lacks && ranked[0].Score < withoutAll || len(ranked) > 1 && ranked[0].Score < ranked[1].Score*clearly {
		return "", false
	}
	for _, other := range ranked[1:] { // of which something is not found that each must have, but far more else
		if other.placed-ranked[0].placed >= farMore && other.placed*2 >= ranked[0].placed*3 {
			return "", false
		}
	}
	return ranked[0].Type, true
}

// Likely gives the record types of which a person may say that a sheet is of them: those
// that fit well enough and not much worse than the best.
func Likely(ranked []TypeSuggestion) (list []TypeSuggestion) {
	for _, s := range ranked {
		if s.Score >= leastScore && s.Score*clearly*clearly >= ranked[0].Score {
			list = append(list, s)
		}
	}
	return list
}

// How well columns must fit a record type for it to be taken, and by how much better
// than any other.
const (
	leastScore = 0.28
	withoutAll = 0.5 // where something is not found that each record must have
	clearly    = 1.12
	farMore    = 3 // columns
)

// TypeSuggestion is a record type that a sheet may belong to.
type TypeSuggestion struct {
	Type   string  `json:"type"`
	Score  float64 `json:"score"`
	Reason string  `json:"reason"`

	lacks  bool // something is not found that each record must have
	placed int  // columns
}
