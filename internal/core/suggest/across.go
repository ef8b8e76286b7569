package suggest

import (
	"cmp"
	"fmt"
	"regexp"
	"runtime"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"uchi/internal/core/catalog"
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
	columns    []sheet.Column
	kinds      []kindsOf // of the texts of each column
	types      map[string]*compared
	groups     map[string]map[int]inGroup // the columns in numbered groups of each type; see Among
	ranked     []TypeSuggestion           // best first, once they were asked for
	called     []string                   // the names of the sheet, the nearest first
	lacking    map[string]bool            // types alone do not find all that they need but links; see Types
	words      [][]string                 // of the header of each column
	mark       tableMark                  // that most headers have, and that says nothing
	peopleWord string                     // what headers call the people of the rows; see wordForPeople
	people     map[string]bool            // headers of columns of full names; see fullNames
	lying      bool                       // the first column holds names of fields; see OnItsSide
	house      string                     // the domain of the mailboxes of who imports it; see AtHouse
	catalog    catalog.Catalog            // see Among
	meant      map[string]string          // record types by words that were asked for; see typeMeant

	pointed map[string]map[string]string // columns that are named from other sheets; see PointedTo
	points  map[string]string            // columns that hold the numbers of other sheets; see Pointing
}

// compared is a record type with how well each column fits each of its fields.
type compared struct {
	fields  []catalog.Field
	words   map[string]bool // single words by which the type is known
	scores  [][]float64     // by column and field
	reasons [][]string
	fits    [][]fit // what the cells say about each field, with the reason
	looks   [][]string
	heads   []header // of the columns, as they were compared with it
}

// NewView readies columns for being compared.
func NewView(columns []sheet.Column) *View {
	v := &View{
		columns: columns, kinds: make([]kindsOf, len(columns)), types: map[string]*compared{},
		lacking: map[string]bool{}, people: map[string]bool{}, mark: markOf(columns), peopleWord: wordForPeople(columns),
	}
	for n, col := range columns {
		v.words = append(v.words, tokens(col.Header))
		if v.kinds[n].p, v.kinds[n].known = textkind.Of(col.Samples); share(col.Samples, hangul.MatchString) > 0.5 {
			v.kinds[n].p, v.kinds[n].known = [textkind.Kinds]float64{}, false // of which too few names were learned
		}
		v.kinds[n].texts, v.kinds[n].memo = len(col.Samples), map[string]float64{}
		v.kinds[n].length = len(strings.Join(col.Samples, "")) / max(1, len(col.Samples))
	}
	for n := range v.kinds {
		given := func(m int) bool { // short codes look like given names as well
			return m >= 0 && m < len(v.kinds) && v.kinds[m].p[textkind.Given] > 0.95 && v.kinds[m].length > 2
		}
		v.kinds[n].beside = given(n-1) || given(n+1)
	}
	v.askMails()
	return v
}

var hangul = regexp.MustCompile(`\p{Hangul}`)

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

// PointedTo tells the view in which of its columns the numbers stand by which another sheet points to records
// of a type: for each type the headers of such columns, with the header of the one that points.
func (v *View) PointedTo(by map[string]map[string]string) *View {
	v.pointed = by
	return v
}

// Pointing tells the view which of its columns hold numbers of rows of other sheets, as their headers say: the
// record type of each by the header.
func (v *View) Pointing(to map[string]string) *View {
	v.points = to
	return v
}

// compare gives how well the columns fit the fields of a type.
func (v *View) compare(t catalog.RecordType, memory Memory) *compared {
	if x, ok := v.types[t.Name]; ok {
		return x
	}
	v.compareAll([]Target{{Type: t, Memory: memory}})
	return v.types[t.Name]
}

// compareAll compares the columns with the types of some targets, several columns at a time: what
// is found out about the cells of one is kept with it, for all types.
func (v *View) compareAll(targets []Target) {
	var fresh []*compared
	var forms [][]fieldForms
	targets = slices.DeleteFunc(slices.Clone(targets), func(t Target) bool { return v.types[t.Type.Name] != nil })
	for _, t := range targets {
		x := &compared{
			fields: withID(t.Type), words: wordsOf(t.Type),
			scores: make([][]float64, len(v.columns)), reasons: make([][]string, len(v.columns)),
			fits: make([][]fit, len(v.columns)), looks: make([][]string, len(v.columns)), heads: make([]header, len(v.columns)),
		}
		of := make([]fieldForms, len(x.fields))
		for i, f := range x.fields {
			of[i] = formsOf(f)
		}
		fresh, forms = append(fresh, x), append(forms, of)
		v.types[t.Type.Name] = x
	}
	var all sync.WaitGroup
	var next atomic.Int64
	var failed atomic.Value // what a column's worker panicked with, for who asked
	for range min(runtime.GOMAXPROCS(0), len(v.columns)) {
		all.Go(func() {
			defer func() {
				if p := recover(); p != nil {
					failed.CompareAndSwap(nil, fmt.Sprint(p))
				}
			}()
			readers := map[string]*value.Reader{}
			for n := int(next.Add(1)) - 1; n < len(v.columns); n = int(next.Add(1)) - 1 {
				kinds := v.kinds[n]
				kinds.readers = readers
				for k, t := range targets {
					v.compareColumn(n, t, fresh[k], forms[k], kinds)
				}
			}
		})
	}
	all.Wait()
	if p := failed.Load(); p != nil {
		panic(p)
	}
}

func (v *View) compareColumn(n int, t Target, x *compared, forms []fieldForms, kinds kindsOf) {
	col := v.columns[n]
	scores, reasons := make([]float64, len(x.fields)), make([]string, len(x.fields))
	fits, looks := make([]fit, len(x.fields)), make([]string, len(x.fields))
	x.heads[n] = header{aside: true}
	if !strings.Contains(col.Header, view.Arrow) && !v.ofOthers(t.Type, col.Header) { // what is of another record is not this one's
		h := headerOf(t.Type.Name, v.headerFor(t.Type, n), x.fields, forms, x.words)
		if _, grouped := v.groups[t.Type.Name][n]; !grouped {
			h.all = Key(col.Header) // as it is remembered
		}
		if rest, ok := v.mark.cut(col.Header); ok && (!h.known || v.mark.also || v.mark.initials) {
			if plain := headerOf(t.Type.Name, rest, x.fields, forms, x.words); !h.known || v.mark.initials || plain.best() > h.best() {
				h = plain
				h.all = Key(col.Header) // as it is remembered
			}
		}
		for i, f := range x.fields {
			if !h.known || h.said[i].score > 0 || t.Memory[h.all] == f.Name { // else it is another
				fits[i], looks[i] = fitOf(t.Type, f, col, kinds)
			}
			scores[i], reasons[i] = judge(f, i, h, col, fits[i], looks[i], t.Memory)
			if t.Memory[h.all] == f.Name && fits[i] != contradicts { // headers may have changed places since
				if why := v.unlike(t.Type, f, "", n); why != "" {
					scores[i], reasons[i] = scores[i]*0.5, reasons[i]+", but "+why
				}
			}
		}
		x.heads[n] = h
		if refuted(h, fits) {
			for i, f := range x.fields {
				if !plainKinds[f.Type] || h.said[i].score > 0 {
					continue
				}
				if fit, what := fitOf(t.Type, f, col, kinds); fit == distinctive && col.Filled >= fewest {
					fits[i], looks[i], scores[i], reasons[i] = fit, what, leftOver, "the header says something else, but "+what
				}
			}
		}
	}
	x.scores[n], x.reasons[n], x.fits[n], x.looks[n] = scores, reasons, fits, looks
}

// plainKinds are the types of which cells can hardly be anything else.
var plainKinds = map[catalog.FieldType]bool{catalog.Country: true, catalog.Currency: true, catalog.Email: true,
	catalog.URL: true, catalog.OneChoice: true}

// refuted reports whether a header says a field for sure, and the cells are nothing that it says: a
// short form was meant otherwise.
func refuted(h header, fits []fit) bool {
	if h.aside {
		return false
	}
	for i, s := range h.said {
		if s.score >= certain && fits[i] != contradicts {
			return false
		}
	}
	return h.known
}

// Columns gives for each column the field it seems to belong to; columns for
// which nothing is known are left out.
func Columns(t catalog.RecordType, columns []sheet.Column, memory Memory) []Suggestion {
	return NewView(columns).Across([]Target{{Type: t, Memory: memory}})
}

// letTellingGo lets a column whose cells look like something else than a field holds give way to one
// whose header says the field as well, and whose cells tell it.
func (v *View) letTellingGo(targets []Target, places []place, scores [][]float64) {
	for i, p := range places {
		fits := v.compare(targets[p.target].Type, targets[p.target].Memory).fits
		told := false
		for c := range v.columns {
			told = told || scores[c][i] >= certain && fits[c][p.at] >= tells
		}
		for c := range v.columns {
			if told && fits[c][p.at] == against {
				scores[c][i] = min(scores[c][i], certain-0.01)
			}
		}
	}
}

// letCodesGo lets a column of codes give way, for what a thing is called, to one of words whose header says the
// field as well: the item's code (sku) stands beside its description.
func (v *View) letCodesGo(targets []Target, places []place, scores [][]float64) {
	codes := func(c int) bool { return share(v.columns[c].Samples, codeAlone.MatchString) > 0.9 }
	for i, p := range places {
		if p.field.Holds != catalog.HoldsWords {
			continue
		}
		words := false
		for c, col := range v.columns {
			words = words || scores[c][i] >= certain && len(col.Samples) > 0 && !codes(c)
		}
		for c := range v.columns {
			chosen := targets[p.target].Memory[Key(v.columns[c].Header)] == p.field.Name
			if words && !chosen && codes(c) {
				scores[c][i] = min(scores[c][i], perhaps)
			}
		}
	}
}

// codeAlone is a text of capitals and figures without a gap: P32, LQ-M10.
var codeAlone = regexp.MustCompile(`^[\p{Lu}\d][\p{Lu}\d./_-]*$`)

// doubtBeside takes nothing from what seems to be another table beside the one that is read.
func (v *View) doubtBeside(list []Suggestion) {
	from, to := sheet.BesideGap(v.columns)
	for _, col := range v.columns[from:to] {
		for n := range list {
			if s := &list[n]; s.Column == col.Header && s.Taken {
				s.Taken, s.Confidence = false, min(s.Confidence, perhaps)
				s.Reason += ", but it seems to be of another table beside this one"
			}
		}
	}
}

// doubtNames takes nothing where the header has names too many: they may stand over the cells of others.
func (v *View) doubtNames(list []Suggestion) {
	if !slices.ContainsFunc(v.columns, unreached) {
		return
	}
	for n := range list {
		if s := &list[n]; s.Taken {
			s.Taken, s.Confidence = false, min(s.Confidence, perhaps)
			s.Reason += ", but " + tooManyNames
		}
	}
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
	if v.lying {
		return nil, nil
	}
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
			// What every record needs is rather the column that is always filled.
			if col := v.columns[c]; p.field.Required && scores[c][i] >= certain && col.Filled > 0 {
				scores[c][i] = max(certain, scores[c][i]-0.03*float64(col.Blank)/float64(col.Filled+col.Blank))
			}
			if said && v.columns[c].Filled == 0 { // it gives way to one that says something
				scores[c][i] = min(scores[c][i], certain)
			}
		}
		v.unsure(targets, places, c, whose[c], scores[c])
	}
	v.pointElsewhere(places, scores)
	v.numberCustomers(targets, places, scores, reasons)
	v.besideFamily(places, scores)
	v.fullBeside(places, scores)
	v.firstOfSeveral(places, whose, scores)
	v.letTellingGo(targets, places, scores)
	v.letCodesGo(targets, places, scores)
	given := assign(scores)
	for c, i := range given {
		if i < 0 || scores[c][i] < doubt {
			continue
		}
		s := Suggestion{Column: v.columns[c].Header, Draft: targets[places[i].target].Draft, Field: places[i].field.Name,
			Confidence: scores[c][i], Reason: reasons[c][i]}
		if unit, _ := value.UnitOf(s.Column); inUnits(places[i].field) && value.ToBeMultiplied(places[i].field, s.Column) {
			s.Reason += ", and its amounts are in " + string(unit)
		}
		if t := targets[places[i].target].Type; places[i].field.Key && likeOwnIDs(t, v.columns[c].Samples) {
			s.Reason += ", though its values look like ids of this workspace’s own " + strings.ToLower(t.Plural)
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
			whoseNumbers, v.ownNumbers, v.linksByNumber, v.tellAbout, v.besideGiven, v.splitNames, splitRegions, splitAddresses, splitTowns,
			besideTown, tellCountry,
			splitAmounts,
			joinStreets, joinLines, joinNames, joinTitles, joinDialCodes, joinExtensions, joinWholeNames, v.whatIsLeft,
		} {
			out = look(target, mine, out)
		}
		out = nameFiles(target, out)
	}
	v.doubtPrices(targets, out)
	ofLines = v.doubtTotals(targets, out)
	v.doubtBeside(out)
	v.doubtNames(out)
	order := map[string]int{}
	for i, c := range v.columns {
		order[c.Header] = i
	}
	// What is said before or behind that to which it is joined stands so.
	at := func(s Suggestion) (place, rank int) {
		place, rank = order[s.Column], 1
		for _, x := range out {
			switch key := Key(s.Column); {
			case !s.joins || x.joins || x.Draft != s.Draft || x.Field != s.Field:
			case s.before, namePrefixes[key]:
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

// likeOwnIDs reports whether texts are written as the ids of records of a type are. Where the header speaks of
// another number they are not taken for such: other programs number their records so too.
func likeOwnIDs(t catalog.RecordType, samples []string) bool {
	return len(samples) > 0 && share(samples, func(s string) bool {
		id, err := t.ParseRecordID(s)
		return err == nil && t.RecordID(id) == strings.TrimSpace(s)
	}) > 0.9
}

// totalWords are words of headers of sums, which beside quantities and prices are of a line and
// not of what it belongs to.
var totalWords = wordSet(`total totals sum summe gesamt gesamtpreis gesamtbetrag zeilensumme linetotal ttc ht totale
	totaal totalt
	summa yhteensa razem suma subtotal`)

// doubtPrices leaves prices to be asked about that stand beside a quantity, where what the rows become has none:
// they are those of one thing each, and no amounts of a whole.
func (v *View) doubtPrices(targets []Target, list []Suggestion) {
	if !slices.ContainsFunc(v.columns, func(c sheet.Column) bool { return says(c.Header, "quantity") }) {
		return
	}
	for n := range list {
		s := &list[n]
		at := slices.IndexFunc(targets, func(t Target) bool { return t.Draft == s.Draft })
		if at < 0 {
			continue
		}
		f, _ := targets[at].Type.Field(s.Field)
		counted := slices.ContainsFunc(targets[at].Type.Fields,
			func(f catalog.Field) bool { return setScore(targets[at].Type.Name, f, []string{"quantity"}) >= certain })
		if s.Taken && f.Type == catalog.Money && !counted && says(s.Column, "price") {
			s.Taken, s.Confidence = false, min(s.Confidence, perhaps)
			s.Reason += ", but beside a quantity it seems to be the price of one"
		}
	}
}

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
			list = append(list, Other{Draft: targets[p.target].Draft, Field: p.field.Name, Confidence: scores[i],
				Reason: reasons[i]})
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
			drafted := f.Type == catalog.Reference &&
				slices.ContainsFunc(targets, func(o Target) bool { return o.Type.Name == f.To && o.Type.Name != target.Type.Name })
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
			case v.isGrouped(c) || !v.fullNames(col) || c == at:
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
		only := l.unknown == 0 && slices.ContainsFunc(l.sets,
			func(set []string) bool { return slices.Equal(set, []string{"name"}) })
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

// fullBeside lets the full name of a company be its legal one where another column has its name, or its short one.
func (v *View) fullBeside(places []place, scores [][]float64) {
	full, named := -1, false
	for c, col := range v.columns {
		sets := lift(headerWords(col.Header)).sets
		says := func(concepts ...string) bool {
			return slices.ContainsFunc(sets, func(set []string) bool { return slices.Equal(set, concepts) })
		}
		if says("full", "name") || says("company", "full", "name") {
			full = c
		} else {
			named = named || says("name") || says("company") || says("company", "name")
		}
	}
	if full < 0 || !named {
		return
	}
	for i, p := range places {
		switch {
		case p.field.ComparedAs() != catalog.AsCompanyName || p.field.Type != catalog.Text:
		case p.field.Required:
			scores[full][i] *= 0.5
		case scores[full][i] >= doubt:
			scores[full][i] = max(scores[full][i], leftOver)
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
// whose it is: its cells do where they tell the field of one, and speak for none of the others'. They do so too
// where it only stands beside columns of another.
func (v *View) unsure(targets []Target, places []place, column int, whose owner, scores []float64) {
	if whose.said || whose.own {
		return
	}
	best := map[int]int{} // the place of each target that fits best
	for i, p := range places {
		if at, any := best[p.target]; !any || scores[i] > scores[at] {
			best[p.target] = i
		}
	}
	good, told, not := 0, unknown, 0
	for target, i := range best {
		if scores[i] < certain {
			continue
		}
		good++
		switch fit := v.compare(targets[target].Type, targets[target].Memory).fits[column][places[i].at]; {
		case fit >= tells:
			told = target
		case fit < supports:
			not++
		}
	}
	clear := told != unknown && not == good-1
	if good < 2 || whose.target >= 0 && !clear {
		return
	}
	for i, p := range places {
		if !clear || p.target != told {
			scores[i] *= 0.8
		}
	}
}
