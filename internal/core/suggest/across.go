package suggest

import (
	"cmp"
	"slices"
	"strconv"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
	"uchi/internal/core/textkind"
	"uchi/internal/core/value"
	"uchi/internal/core/view"
)

// Target is one of the drafts of a row, for which columns are sought.
type Target struct {
	Draft  string // its name in the routine; empty when a row makes one draft
	Type   catalog.RecordType
	Memory Memory // what was chosen for the type before
}

// View is the columns of a sheet as they are compared with record types, each
// type once. It is not safe for use by several goroutines.
type View struct {
	columns []sheet.Column
	kinds   []kindsOf // of the texts of each column
	types   map[string]*compared
	groups  map[string]map[int]inGroup // the columns in numbered groups of each type; see Among
	ranked  []TypeSuggestion           // best first, once they were asked for
	called  []string                   // the words of the sheet's name
}

// compared is a record type with how well each column fits each of its fields.
type compared struct {
	fields  []catalog.Field
	words   map[string]bool // single words by which the type is known
	scores  [][]float64     // by column and field
	reasons [][]string
}

// NewView readies columns for being compared.
func NewView(columns []sheet.Column) *View {
	v := &View{columns: columns, kinds: make([]kindsOf, len(columns)), types: map[string]*compared{}}
	for n, col := range columns {
		v.kinds[n].p, v.kinds[n].known = textkind.Of(col.Samples)
		v.kinds[n].texts, v.kinds[n].memo = len(col.Samples), map[string]float64{}
		v.kinds[n].length = len(strings.Join(col.Samples, "")) / max(1, len(col.Samples))
	}
	for n := range v.kinds {
		given := func(m int) bool { return m >= 0 && m < len(v.kinds) && v.kinds[m].p[textkind.Given] > 0.95 }
		v.kinds[n].beside = given(n-1) || given(n+1)
	}
	return v
}

// Naming tells the view how many of each column's texts, between 0 and 1, name records of
// each type that are there.
func (v *View) Naming(shares map[string][]float64) *View {
	for n := range v.kinds {
		v.kinds[n].names = map[string]float64{}
		for typeName, of := range shares {
			v.kinds[n].names[typeName] = of[n]
		}
	}
	return v
}

// compare gives how well the columns fit the fields of a type.
func (v *View) compare(t catalog.RecordType, memory Memory) *compared {
	if x, ok := v.types[t.Name]; ok {
		return x
	}
	x := &compared{fields: withID(t), words: wordsOf(t)}
	forms := make([]fieldForms, len(x.fields))
	for i, f := range x.fields {
		forms[i] = formsOf(f)
	}
	for n, col := range v.columns {
		scores, reasons := make([]float64, len(x.fields)), make([]string, len(x.fields))
		if !strings.Contains(col.Header, view.Arrow) { // what is shown of another record is not this one's
			h := headerOf(t.Name, v.headerFor(t.Name, n), x.fields, forms, x.words)
			for i, f := range x.fields {
				scores[i], reasons[i] = judge(t, f, i, h, col, v.kinds[n], memory)
			}
		}
		x.scores, x.reasons = append(x.scores, scores), append(x.reasons, reasons)
	}
	v.types[t.Name] = x
	return x
}

// Columns gives for each column the field it seems to belong to; columns for
// which nothing is known are left out.
func Columns(t catalog.RecordType, columns []sheet.Column, memory Memory) []Suggestion {
	return NewView(columns).Across([]Target{{Type: t, Memory: memory}})
}

// place is a field of one of the targets, by its place among the type's.
type place struct {
	target, at int
	field      catalog.Field
}

// Across gives for each column the draft and the field it seems to belong to.
// All columns are assigned together, over all drafts: a header that says whose
// it is (“Company phone”) goes to the draft of that type, one that does not
// stays with the columns beside it.
func (v *View) Across(targets []Target) []Suggestion {
	list, _ := v.across(targets)
	return list
}

// across is as Across, and gives those suggestions too that are not taken because they seem to
// be of the lines of what a draft makes.
func (v *View) across(targets []Target) (out, ofLines []Suggestion) {
	places := v.placesOf(targets)
	whose := v.whoseOf(targets)
	said := slices.ContainsFunc(v.columns, func(c sheet.Column) bool { return c.Filled > 0 })
	people := v.namesPeople(targets)
	scores := make([][]float64, len(v.columns))
	reasons := make([][]string, len(v.columns))
	for c := range v.columns {
		scores[c], reasons[c] = make([]float64, len(places)), make([]string, len(places))
		for i, p := range places {
			if v.onlyGroups(targets, p.target) && !v.isGrouped(c) {
				continue
			}
			scores[c][i], reasons[c][i] = v.fit(targets[p.target], p, c, whose[c])
			if c == people && p.field.ComparedAs() == catalog.AsCompanyName {
				scores[c][i] *= 0.55
			}
			if said && v.columns[c].Filled == 0 { // it gives way to one that says something
				scores[c][i] = min(scores[c][i], certain)
			}
		}
		unsure(places, whose[c], scores[c])
	}
	v.numberCustomers(targets, places, scores, reasons)
	v.besideFamily(places, scores)
	v.firstOfSeveral(places, whose, scores)
	for c, i := range assign(scores) {
		if i < 0 || scores[c][i] < doubt {
			continue
		}
		s := Suggestion{Column: v.columns[c].Header, Draft: targets[places[i].target].Draft, Field: places[i].field.Name, Confidence: scores[c][i], Reason: reasons[c][i]}
		if unit, _ := value.UnitOf(s.Column); inUnits(places[i].field) && value.ToBeMultiplied(places[i].field, s.Column) {
			s.Reason += ", and its amounts are in " + string(unit)
		}
		if s.Taken = s.Confidence >= certain; !s.Taken {
			s.Others = othersOf(targets, places, i, scores[c], reasons[c])
		}
		out = append(out, s)
	}
	for n, target := range targets {
		var mine []sheet.Column
		for c, col := range v.columns {
			if whose[c].target == n || whose[c].target == unknown && !v.onlyGroups(targets, n) {
				mine = append(mine, col)
			}
		}
		for _, look := range []func(Target, []sheet.Column, []Suggestion) []Suggestion{
			whoseNumbers, ownNumbers, besideGiven, splitNames, splitAddresses, splitTowns, besideTown, splitAmounts, joinStreets, joinNames,
		} {
			out = look(target, mine, out)
		}
		out = nameFiles(target, out)
	}
	ofLines = v.doubtTotals(targets, out)
	order := map[string]int{}
	for i, c := range v.columns {
		order[c.Header] = i
	}
	// What is said before or behind that to which it is joined stands so.
	at := func(s Suggestion) (place, rank int) {
		place, rank = order[s.Column], 1
		for _, x := range out {
			switch key := headerKey(s.Column); {
			case !s.joins || x.joins || x.Draft != s.Draft || x.Field != s.Field:
			case namePrefixes[key]:
				return min(place, order[x.Column]), 0
			case houseNumbers[key] && !saidFirst[key]:
				return max(place, order[x.Column]), 2
			}
		}
		return place, rank
	}
	ordered := slices.Clone(out)
	slices.SortStableFunc(ordered, func(a, b Suggestion) int {
		placeA, rankA := at(a)
		placeB, rankB := at(b)
		return cmp.Or(cmp.Compare(placeA, placeB), cmp.Compare(rankA, rankB), cmp.Compare(a.Field, b.Field))
	})
	return ordered, ofLines
}

// totalWords are words of headers of sums, which beside quantities and prices are of a line and
// not of what it belongs to.
var totalWords = wordSet(`total totals sum summe gesamt gesamtpreis gesamtbetrag zeilensumme linetotal ttc ht totale totaal totalt
	summa yhteensa razem suma subtotal`)

// doubtTotals leaves amounts and remarks that seem to be those of lines to be asked about, where rows make
// both lines and what they belong to: those that are filled where the name of the latter is
// not, and sums beside a quantity and a price, in every line that has one. It gives those.
func (v *View) doubtTotals(targets []Target, list []Suggestion) (ofLines []Suggestion) {
	filled := map[string]int64{}
	for _, c := range v.columns {
		filled[c.Header] = c.Filled
	}
	taken := func(t Target, is func(catalog.Field) bool) (columns []string) {
		for _, s := range list {
			if f, ok := t.Type.Field(s.Field); ok && s.Draft == t.Draft && s.Taken && is(f) {
				columns = append(columns, s.Column)
			}
		}
		return columns
	}
	for _, child := range targets {
		parent, ok := child.Type.ParentField()
		at := slices.IndexFunc(targets, func(t Target) bool { return t.Type.Name == parent.To })
		if !ok || at < 0 {
			continue
		}
		whole := targets[at]
		prices := taken(child, func(f catalog.Field) bool { return f.Type == catalog.Money })
		counts := taken(child, func(f catalog.Field) bool { return f.Type == catalog.Decimal || f.Type == catalog.Integer })
		names := taken(whole, func(f catalog.Field) bool { return slices.Contains(whole.Type.Title, f.Name) })
		if len(names) == 0 {
			names = taken(whole, func(f catalog.Field) bool { return f.Type == catalog.Reference && f.Required })
		}
		for n := range list {
			s := &list[n]
			f, ok := whole.Type.Field(s.Field)
			if !ok || s.Draft != whole.Draft || !s.Taken {
				continue
			}
			more := len(names) > 0 && filled[s.Column] > filled[names[0]] // it stands where the whole says nothing
			each := len(prices) > 0 && len(counts) > 0 && filled[s.Column] >= filled[prices[0]]
			sums := each && slices.ContainsFunc(headerWords(s.Column), func(w string) bool { return totalWords[value.Fold(w)] })
			if f.Type == catalog.Money && (sums || more) || f.Type == catalog.LongText && len(prices)+len(counts) > 0 && more {
				s.Taken, s.Confidence = false, min(s.Confidence, 0.6)
				s.Reason += ", but it seems to be that of the " + strings.ToLower(child.Type.Label)
				ofLines = append(ofLines, *s)
			}
		}
	}
	return ofLines
}

// othersOf gives the likeliest places of a column beside the one that it was given.
func othersOf(targets []Target, places []place, given int, scores []float64, reasons []string) (list []Other) {
	for i, p := range places {
		if i != given && scores[i] >= doubt {
			list = append(list, Other{Draft: targets[p.target].Draft, Field: p.field.Name, Confidence: scores[i], Reason: reasons[i]})
		}
	}
	slices.SortStableFunc(list, func(a, b Other) int { return cmp.Compare(b.Confidence, a.Confidence) })
	return list[:min(len(list), mostOthers)]
}

// placesOf lists the fields that columns may go to. A reference to the type of
// another draft is left out: the draft itself is what it points to.
func (v *View) placesOf(targets []Target) []place {
	var list []place
	for n, target := range targets {
		for at, f := range v.compare(target.Type, target.Memory).fields {
			drafted := f.Type == catalog.Reference && slices.ContainsFunc(targets, func(o Target) bool { return o.Type.Name == f.To && o.Type.Name != target.Type.Name })
			if !drafted {
				list = append(list, place{n, at, f})
			}
		}
	}
	return list
}

// namesPeople gives the column of the names of the people of a draft, where just one has them:
// it is none of names of companies, whatever its header allows. It is -1 when there is none.
func (v *View) namesPeople(targets []Target) int {
	at := -1
	for _, target := range targets {
		if _, ok := target.Type.FieldAs(catalog.AsFamilyName); !ok {
			continue
		}
		for c, col := range v.columns {
			switch {
			case v.isGrouped(c) || !holdsFullNames(target.Type, col) || c == at:
			case at >= 0:
				return -1
			default:
				at = c
			}
		}
	}
	return at
}

// besideFamily lets a column that is only called a name be none of companies' names where family names have a
// column of their own and given names none: there it is the given name (Nombre, 1er apellido).
func (v *View) besideFamily(places []place, scores [][]float64) {
	family, given := false, false
	var named []int
	for c, col := range v.columns {
		l := lift(headerWords(col.Header))
		for _, set := range l.sets {
			given = given || slices.Contains(set, "given")
			family = family || slices.Contains(set, "family") && !slices.Contains(set, "person")
		}
		only := l.unknown == 0 && slices.ContainsFunc(l.sets, func(set []string) bool { return slices.Equal(set, []string{"name"}) })
		if only && share(col.Samples, withLegalForm) < 0.2 {
			named = append(named, c)
		}
	}
	if !family || given {
		return
	}
	for _, c := range named {
		for i, p := range places {
			if p.field.ComparedAs() == catalog.AsCompanyName {
				scores[c][i] *= 0.5
			}
		}
	}
}

// fit gives how well a column fits a place, with the reason: as the field says,
// and as it is known whose the column is.
func (v *View) fit(target Target, p place, column int, whose owner) (float64, string) {
	x := v.compare(target.Type, target.Memory)
	s, reason := x.scores[column][p.at], x.reasons[column][p.at]
	switch {
	case whose.target == elsewhere:
		s *= 0.55
	case s == 0 || whose.target == unknown:
	case whose.target != p.target && whose.said:
		s *= 0.55
	case whose.target != p.target:
		s -= 0.02
	case !whose.said:
		reason += ", and " + whose.because
	}
	return s, reason
}

// unsure lowers a column that fits several drafts alike, when nothing says
// whose it is.
func unsure(places []place, whose owner, scores []float64) {
	if whose.target >= 0 {
		return
	}
	best := map[int]float64{}
	for i, p := range places {
		best[p.target] = max(best[p.target], scores[i])
	}
	good := 0
	for _, s := range best {
		if s >= certain {
			good++
		}
	}
	if good < 2 {
		return
	}
	for i := range scores {
		scores[i] *= 0.8
	}
}

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
	last := owner{target: unknown}
	for c, col := range v.columns {
		if v.isGrouped(c) {
			continue
		}
		said := -1
		for _, w := range tokens(col.Header) {
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
		switch {
		case said >= 0 && said < len(targets):
			last = owner{said, false, false, "it stands beside “" + col.Header + "”"}
			out[c] = owner{said, true, false, ""}
		case said < 0 && c == people:
			out[c] = owner{person, false, true, "its cells are names of people"}
		case said < 0 && person >= 0 && calledLike(col, names):
			out[c] = owner{person, false, true, "its mailboxes are called like the people"}
		case said < 0 && company >= 0 && company != person && ofDesks(col):
			out[c] = owner{company, false, true, "its mailboxes are those of desks"}
		case said < 0 && company >= 0 && company != person && meansMain(col.Header):
			out[c] = owner{company, false, true, "the main one is the company’s"}
		case said < 0:
			out[c] = last
		}
	}
}

// inPlainLetters writes letters as people do who have none of them at hand.
var inPlainLetters = strings.NewReplacer("ä", "ae", "ö", "oe", "ü", "ue", "Ä", "Ae", "Ö", "Oe", "Ü", "Ue", "å", "aa", "Å", "Aa", "ø", "oe", "Ø", "Oe")

// nameWords gives the words of the names of people in the sheet.
func (v *View) nameWords() map[string]bool {
	words := map[string]bool{}
	for n, col := range v.columns {
		if p := v.kinds[n].p; !v.kinds[n].known || p[textkind.Given]+p[textkind.Family]+p[textkind.FullName] < 0.9 {
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

// meansMain tells whether a header means a main number or mailbox, such as a switchboard's.
func meansMain(header string) bool {
	l := lift(headerWords(header))
	return l.unknown == 0 && slices.ContainsFunc(l.sets, func(set []string) bool {
		other := func(c string) bool { return !slices.Contains([]string{"main", "number", "phone", "email"}, c) }
		return slices.Contains(set, "main") && !slices.ContainsFunc(set, other)
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

// DraftSuggestion is a further record type that the rows seem to hold.
type DraftSuggestion struct {
	Type    string   `json:"type"`
	Name    string   `json:"name,omitempty"` // of the draft, where the type's own is taken
	Columns []string `json:"columns"`        // those that would go to it
	Reason  string   `json:"reason"`
}

// Further finds the record types of which the rows seem to hold a record beside
// the drafts that there are: types that point to one of these or are pointed to,
// whose required fields are all found, and that take columns which would be left.
func (v *View) Further(c catalog.Catalog, targets []Target, memory func(typeName string) Memory) []DraftSuggestion {
	placed := taken(v.Across(targets))
	var out []DraftSuggestion
	for _, t := range c.Types {
		if t.Timeline != nil && !v.hangs(t) {
			continue
		}
		there := slices.DeleteFunc(slices.Clone(targets), func(o Target) bool { return o.Type.Name != t.Name })
		if len(there) > 0 && len(there) >= len(numbersOf(v.groups[t.Name])) || len(there) == 0 && !slices.ContainsFunc(targets, func(o Target) bool { return pointsTo(t, o.Type) || pointsTo(o.Type, t) }) {
			continue
		}
		s := DraftSuggestion{Type: t.Name}
		name := t.Name
		for n := 2; slices.ContainsFunc(targets, func(o Target) bool { return cmp.Or(o.Draft, o.Type.Name) == name }); n++ {
			name = t.Name + "_" + strconv.Itoa(n)
			s.Name = name
		}
		with := slices.Concat(targets, []Target{{Draft: name, Type: t, Memory: memory(t.Name)}})
		all := taken(v.Across(with))
		for _, x := range all {
			if x.Draft == name && !slices.Contains(s.Columns, x.Column) {
				s.Columns = append(s.Columns, x.Column)
			}
		}
		gains := slices.ContainsFunc(s.Columns, func(column string) bool {
			return !slices.ContainsFunc(placed, func(x Suggestion) bool { return x.Column == column })
		})
		if len(s.Columns) > 1 && gains && needed(with[len(targets):], targets, all) {
			s.Reason = strings.Join(s.Columns, ", ") + " seem to be of the " + strings.ToLower(t.Label)
			out = append(out, s)
		}
	}
	slices.SortStableFunc(out, func(a, b DraftSuggestion) int { return cmp.Compare(len(b.Columns), len(a.Columns)) })
	return out
}

// Together is a set of record types of which each row seems to hold one record.
type Together struct {
	Types  []string `json:"types"` // the first is the one that the others are added to
	Reason string   `json:"reason"`
}

// lengthens is how many columns more than one type alone a set of types must
// take to be worth telling.
const lengthens = 3

// Together finds the set of record types that takes most of the columns, when
// that are clearly more than the given drafts take; ok is false otherwise.
func (v *View) Together(c catalog.Catalog, drafts []Target, memory func(typeName string) Memory) (best Together, ok bool) {
	most := columnsIn(taken(v.Across(drafts))) + lengthens
	for _, t := range v.Types(c, memory)[:min(4, len(c.Types))] {
		first, _ := c.Type(t.Type)
		targets := []Target{{Draft: first.Name, Type: first, Memory: memory(first.Name)}}
		set := Together{Types: []string{first.Name}}
		for {
			further := v.Further(c, targets, memory)
			further = slices.DeleteFunc(further, func(s DraftSuggestion) bool { return s.Name != "" }) // of each type once
			if len(further) == 0 {
				break
			}
			next, _ := c.Type(further[0].Type)
			targets = append(targets, Target{Draft: next.Name, Type: next, Memory: memory(next.Name)})
			set.Types = append(set.Types, next.Name)
		}
		list := taken(v.Across(targets))
		if n := columnsIn(list); len(set.Types) > 1 && n >= most && needed(targets, targets, list) {
			most, ok = n+1, true
			best = set
			best.Reason = strconv.Itoa(n) + " of " + strconv.Itoa(len(v.columns)) + " columns are found in " + strings.Join(set.Types, ", ")
		}
	}
	return best, ok
}

// columnsIn counts the different columns of suggestions.
func columnsIn(list []Suggestion) int {
	seen := map[string]bool{}
	for _, s := range list {
		seen[s.Column] = true
	}
	return len(seen)
}

// needed reports whether the required fields of some targets are found among
// what is taken, links to any of the others aside.
func needed(some, all []Target, list []Suggestion) bool {
	for _, t := range some {
		for _, f := range t.Type.Fields {
			there := slices.ContainsFunc(list, func(s Suggestion) bool { return s.Draft == t.Draft && s.Field == f.Name })
			linked := f.Type == catalog.Reference && slices.ContainsFunc(all, func(o Target) bool { return o.Type.Name == f.To })
			if f.Required && f.Default == "" && !there && !linked {
				return false
			}
		}
	}
	return true
}

func taken(list []Suggestion) []Suggestion {
	return slices.DeleteFunc(slices.Clone(list), func(s Suggestion) bool { return !s.Taken })
}

func pointsTo(a, b catalog.RecordType) bool {
	return slices.ContainsFunc(a.Fields, func(f catalog.Field) bool { return f.To == b.Name })
}

// WithDraft gives the routine with a further draft: the columns that are free
// and those that say they are of it go to it, and the drafts are linked. A column
// that merely stands beside one of the new draft moves only where other columns
// say that they are of the drafts that were there: else an address behind the name
// of a company may be the person's, who is known by it.
func (v *View) WithDraft(r mapping.Routine, c catalog.Catalog, draft mapping.Draft, memory func(typeName string) Memory) mapping.Routine {
	out := r
	out.Drafts = slices.Concat(r.Drafts, []mapping.Draft{draft})
	name := draft.Called()
	var targets []Target
	for _, d := range out.Drafts {
		t, _ := c.Type(d.Type)
		targets = append(targets, Target{Draft: d.Called(), Type: t, Memory: memory(d.Type)})
	}
	last := len(out.Drafts) - 1
	fields := map[string]mapping.Origin{}
	columns := v.columns
	whose := v.whoseOf(targets)
	apart := slices.ContainsFunc(whose, func(o owner) bool { return o.said && o.target >= 0 && o.target < last })
	says := func(column string) bool {
		n := slices.IndexFunc(columns, func(c sheet.Column) bool { return c.Header == column })
		return n >= 0 && whose[n].target == last && (whose[n].said || whose[n].own || apart)
	}
	placed := func(column string) bool {
		return slices.ContainsFunc(r.Drafts, func(d mapping.Draft) bool {
			t, _ := c.Type(d.Type)
			for field, o := range d.Fields {
				// What names a record of the type is of the draft from now on; a superior is not.
				f, _ := t.Field(field)
				names := f.To == draft.Type && f.To != d.Type && len(o.Find) == 0
				if slices.Contains(o.From, column) && !names {
					return true
				}
			}
			return false
		})
	}
	all, ofLines := v.across(targets)
	for _, s := range ofLines {
		for i, d := range r.Drafts { // what was the amount of a deal may be that of its lines
			if o := d.Fields[s.Field]; s.Draft == d.Called() && len(o.From) == 1 && o.From[0] == s.Column {
				out.Drafts[i].Fields = without(out.Drafts[i].Fields, s.Field)
			}
		}
	}
	for _, s := range taken(all) {
		if s.Draft != name || placed(s.Column) && !says(s.Column) {
			continue
		}
		for i, d := range r.Drafts { // it moves there from another draft, if it goes nowhere else
			for field, o := range d.Fields {
				if len(o.From) == 1 && o.From[0] == s.Column && len(o.Values) == 0 {
					out.Drafts[i].Fields = without(out.Drafts[i].Fields, field)
				}
			}
		}
		from := []string{s.Column}
		if o := fields[s.Field]; s.joins || slices.ContainsFunc(o.From, func(h string) bool { return namePrefixes[headerKey(h)] }) {
			from = append(o.From, from...)
		}
		fields[s.Field] = mapping.Origin{From: from, Take: s.Take}
	}
	for _, d := range r.Drafts {
		if d.Type != draft.Type || !v.onlyGroups(targets, last) {
			continue
		}
		// What the first points to by a column of no group, such as its company, so does the next.
		t, _ := c.Type(d.Type)
		for field, o := range d.Fields {
			f, _ := t.Field(field)
			grouped := slices.ContainsFunc(o.From, func(h string) bool {
				return v.isGrouped(slices.IndexFunc(columns, func(c sheet.Column) bool { return c.Header == h }))
			})
			if _, own := fields[field]; f.Type == catalog.Reference && o.Draft == "" && !own && !grouped {
				fields[field] = o
			}
		}
		break
	}
	out.Drafts[last].Fields = fields
	out = out.Linked(c)
	for i := range out.Drafts {
		out.Drafts[i].Grouped = out.Drafts[i].Grouped || standsAbove(out, c, i, columns)
	}
	return out
}

func without(fields map[string]mapping.Origin, name string) map[string]mapping.Origin {
	out := map[string]mapping.Origin{}
	for k, v := range fields {
		if k != name {
			out[k] = v
		}
	}
	return out
}

// standsAbove reports whether a draft seems to stand in the first of several
// rows only: the columns that name it have blanks where those of a draft that
// cannot be without it have none.
func standsAbove(r mapping.Routine, c catalog.Catalog, n int, columns []sheet.Column) bool {
	blank := func(d mapping.Draft) (blanks int64, known bool) {
		t, _ := c.Type(d.Type)
		for _, f := range t.Fields {
			if o, ok := d.Fields[f.Name]; ok && f.Required && len(o.From) > 0 {
				for _, col := range columns {
					if col.Header == o.From[0] {
						blanks, known = max(blanks, col.Blank), true
					}
				}
			}
		}
		return blanks, known
	}
	own, known := blank(r.Drafts[n])
	if !known || own == 0 {
		return false
	}
	for _, d := range r.Drafts {
		t, _ := c.Type(d.Type)
		for name, o := range d.Fields {
			if f, _ := t.Field(name); f.Required && o.Draft == r.Drafts[n].Called() {
				below, known := blank(d)
				return known && below == 0
			}
		}
	}
	return false
}
