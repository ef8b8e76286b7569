package suggest

import (
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/sheet"
	"uchi/internal/core/textkind"
	"uchi/internal/core/value"
)

// owner says to which target a column belongs by its header (said), by its cells, or by the
// columns before it; target is unknown when nothing tells.
type owner struct {
	target  int
	said    bool
	own     bool   // its cells tell it, or what its header means
	because string // what tells it when its header does not
}

// whoseOf finds out for each column to which of several targets it belongs.
func (v *View) whoseOf(targets []Target) []owner {
	out := make([]owner, len(v.columns))
	for c := range out {
		out[c].target = unknown
	}
	if len(targets) > 1 {
		v.tell(targets, out)
	}
	v.grouped(targets, out)
	return out
}

// tell finds out to which of several targets the columns belong that are in no numbered group.
func (v *View) tell(targets []Target, out []owner) {
	words := make([]map[string]bool, len(targets))
	for n, t := range targets {
		words[n] = v.compare(t.Type, t.Memory).words
	}
	person := slices.IndexFunc(targets, func(t Target) bool { _, ok := t.Type.FieldAs(catalog.AsFamilyName); return ok })
	company := slices.IndexFunc(targets, func(t Target) bool { _, ok := t.Type.FieldAs(catalog.AsCompanyName); return ok })
	names, people := v.nameWords(), v.namesPeople(targets)
	owned := slices.ContainsFunc(targets[0].Type.Fields,
		func(f catalog.Field) bool { return setScore(targets[0].Type.Name, f, []string{"owner"}) >= certain })
	last := owner{target: unknown}
	for c, col := range v.columns {
		if v.isGrouped(c) {
			continue
		}
		said := -1
		for _, w := range v.words[c] {
			for n := range targets {
				switch {
				case !words[n][w]:
				case said >= 0 && said != n:
					said = len(targets) // it names two
				default:
					said = n
				}
			}
		}
		_, ofPeople := v.cutPeople(col.Header)
		switch {
		case ofPeople && person >= 0 && company != person:
			last = owner{person, false, false, "it stands beside “" + col.Header + "”"}
			out[c] = owner{person, true, false, ""}
		case said >= 0 && said < len(targets):
			last = owner{said, false, false, "it stands beside “" + col.Header + "”"}
			out[c] = owner{said, true, false, ""}
		case said < 0 && company >= 0 && company != person && (namesCustomers(col.Header) || ofCustomers(col.Header)):
			last = owner{company, false, false, "it stands beside “" + col.Header + "”"}
			out[c] = owner{company, true, false, ""}
		case said < 0 && company >= 0 && company != person && partOf(col.Header, partsOfCompanies, "company", "customer"):
			last = owner{company, false, false, "it stands beside “" + col.Header + "”"}
			out[c] = owner{company, true, false, ""}
		case said < 0 && person >= 0 && company != person && partOf(col.Header, partsOfPeople, "person"):
			last = owner{person, false, false, "it stands beside “" + col.Header + "”"}
			out[c] = owner{person, true, false, ""}
		case said < 0 && person >= 0 && company != person && says(col.Header, "name") && v.standsByGiven(c):
			out[c] = owner{person, false, true, "it stands by the given names"}
		case said < 0 && owned && (meansOnly(col.Header, "owner", "name owner", "code owner", "number owner") || v.namesFew(c)):
			out[c] = owner{0, false, true, "who looks after the row looks after its first record"}
		case said < 0 && c == people:
			out[c] = owner{person, false, true, "its cells are names of people"}
		case said < 0 && person >= 0 && calledLike(col, names):
			out[c] = owner{person, false, true, "its mailboxes are called like the people"}
		case said < 0 && company >= 0 && company != person && ofDesks(col):
			out[c] = owner{company, false, true, "its mailboxes are those of desks"}
		case said < 0 && person >= 0 && company != person && meansLine(col.Header, "direct"):
			out[c] = owner{person, false, true, "a direct line is a person’s"}
		case said < 0 && person >= 0 && company >= 0 && company != person && meansLine(col.Header, "main") &&
			v.moreThanCompanies(col):
			out[c] = owner{person, false, true, "one company has several of them"}
		case said < 0 && company >= 0 && company != person && meansLine(col.Header, "main"):
			out[c] = owner{company, false, true, "the main one is the company’s"}
		case said < 0:
			out[c] = last
		}
	}
	v.enclose(targets, out)
}

// enclose gives columns of which nothing says whose they are to the draft that the next ones before and behind them that
// are surely of one are both of: what stands between the trade of a company and its telephone is the company's.
func (v *View) enclose(targets []Target, out []owner) {
	surely := make([]int, len(out)) // the target that a column is of by what it says, or by what only one has
	for c := range out {
		if surely[c] = unknown; out[c].said {
			surely[c] = out[c].target
		} else if only, ok := v.onlyHas(targets, c); ok {
			surely[c] = only
		}
	}
	for c := range out {
		if surely[c] != unknown || out[c].own || v.isGrouped(c) {
			continue
		}
		before, behind := c-1, c+1
		for before >= 0 && surely[before] == unknown {
			before--
		}
		for behind < len(out) && surely[behind] == unknown {
			behind++
		}
		if before >= 0 && behind < len(out) && surely[before] == surely[behind] && surely[before] >= 0 {
			out[c] = owner{surely[before], false, true, "it stands between “" + v.columns[before].Header + "” and “" +
				v.columns[behind].Header + "”"}
		}
	}
}

// onlyHas gives the one target that has a field which the header of a column says, and that no other has.
func (v *View) onlyHas(targets []Target, c int) (only int, ok bool) {
	for n, t := range targets {
		x := v.compare(t.Type, t.Memory)
		for i := range x.fields {
			if x.scores[c][i] < certain {
				continue
			}
			if ok && only != n {
				return 0, false
			}
			only, ok = n, true
			break
		}
	}
	return only, ok
}

// namesFew tells whether a column holds the full names of few people, who come again and again.
func (v *View) namesFew(c int) bool {
	seen := &cells{col: v.columns[c], memo: v.kinds[c].memo}
	return v.columns[c].Filled >= fewestMute && seen.fewPeople()
}

// moreThanCompanies tells whether a column says clearly more than there are companies in the
// sheet, which come again.
func (v *View) moreThanCompanies(col sheet.Column) bool {
	for n, of := range v.columns {
		names := v.kinds[n].known && v.kinds[n].p[textkind.Company] > 0.97 ||
			slices.ContainsFunc(lift(headerWords(of.Header)).sets,
				func(set []string) bool { return slices.Equal(set, []string{"company"}) })
		if names && of.Filled >= fewestToTell && of.Distinct*4 <= of.Filled*3 && col.Distinct*4 > of.Distinct*5 {
			return true
		}
	}
	return false
}

// inPlainLetters writes letters as people do who have none of them at hand.
var inPlainLetters = strings.NewReplacer("ä", "ae", "ö", "oe", "ü", "ue", "Ä", "Ae", "Ö", "Oe", "Ü", "Ue", "å", "aa",
	"Å", "Aa", "ø", "oe", "Ø", "Oe")

// nameWords gives the words of the names of people in the sheet.
func (v *View) nameWords() map[string]bool {
	words := map[string]bool{}
	for n, col := range v.columns {
		p := v.kinds[n].p
		byCells := v.kinds[n].known && p[textkind.Given]+p[textkind.Family]+p[textkind.FullName] >= 0.9
		if !byCells && !meansOnly(col.Header, "given", "given name", "family", "family name") {
			continue
		}
		for _, s := range col.Samples {
			for _, said := range []string{s, inPlainLetters.Replace(s)} { // Köhler is koehler in a mailbox, or kohler
				for w := range strings.FieldsSeq(value.Words(said)) {
					if len(w) > 2 {
						words[w] = true
					}
				}
			}
		}
	}
	return words
}

// calledLike tells whether most cells of a column are mailboxes with one of these words
// before the sign.
func calledLike(col sheet.Column, names map[string]bool) bool {
	return len(names) > 0 && share(col.Samples, func(s string) bool {
		local, _, ok := strings.Cut(value.Fold(s), "@")
		for w := range names {
			if ok && strings.Contains(local, w) {
				return true
			}
		}
		return false
	}) > 0.5
}

// ofDesks tells whether most cells of a column are mailboxes of nobody's own.
func ofDesks(col sheet.Column) bool {
	return len(col.Samples) > 0 && share(col.Samples, func(s string) bool {
		local, _, ok := strings.Cut(strings.ToLower(strings.TrimSpace(s)), "@")
		return ok && value.RoleMailbox(local)
	}) > 0.5
}

// meansLine tells whether a header means a number or mailbox that is the main one, such as a
// switchboard's, or the direct one.
func meansLine(header, which string) bool {
	l := lift(headerWords(header))
	return l.unknown == 0 && slices.ContainsFunc(l.sets, func(set []string) bool {
		other := func(c string) bool { return !slices.Contains([]string{which, "number", "phone", "email", "work"}, c) }
		return slices.Contains(set, which) && !slices.ContainsFunc(set, other)
	})
}

// wordsOf gives the single words by which a record type is known.
func wordsOf(t catalog.RecordType) map[string]bool {
	words := map[string]bool{}
	for _, s := range append([]string{t.Name, t.Label, t.Plural}, t.Synonyms...) {
		if w := tokens(s); len(w) == 1 {
			words[w[0]] = true
		}
	}
	return words
}

// standsByGiven reports whether a column stands right beside one whose header says given names.
func (v *View) standsByGiven(c int) bool {
	given := func(n int) bool { return n >= 0 && n < len(v.columns) && says(v.columns[n].Header, "given") }
	return given(c-1) || given(c+1)
}

// partsOfPeople are what headers say of a person whom they name (AP Vorname, contact mobile), partsOfCompanies what they
// say of a company (Betriebsort, firm web).
var (
	partsOfPeople    = []string{"given", "family", "job", "mobile", "email", "salutation", "birth"}
	partsOfCompanies = []string{"town", "street", "postal", "region", "country", "phone", "web", "industry", "employees", "registration"}
)

// partOf reports whether a header says that what it names is one of some parts of a whole: one of these.
func partOf(header string, parts []string, wholes ...string) bool {
	l := lift(headerWords(header))
	return l.unknown == 0 && slices.ContainsFunc(l.sets, func(set []string) bool {
		among := func(list []string) bool {
			return slices.ContainsFunc(set, func(c string) bool { return slices.Contains(list, c) })
		}
		return len(set) == 2 && among(wholes) && among(parts)
	})
}
