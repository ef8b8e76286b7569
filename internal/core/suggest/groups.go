package suggest

import (
	"cmp"
	"maps"
	"regexp"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/sheet"
	"uchi/internal/core/textkind"
	"uchi/internal/core/value"
)

// Columns may come in numbered groups, one for each of several records of a type that a row
// holds: "Contact 1", "Contact 1 e-mail", "Contact 2", "Contact 2 e-mail".

// numbered is a header that begins with a word and a number.
var numbered = regexp.MustCompile(`^\s*(\pL[\pL -]*?)[ _.#-]*([1-9])(?:[ _:./-]+(.*)|(\pL.*))?$`)

// inGroup is what a header says that belongs to a numbered group.
type inGroup struct {
	number string
	says   string // what is left of the header
}

// Among tells the view which record types there are, so that it finds the columns in numbered
// groups of each. A column alone makes no group, but beside groups one of names: "Contact 1"
// to "Contact 3" may be a telephone, a mobile and a mailbox of one.
func (v *View) Among(c catalog.Catalog) *View {
	v.groups, v.catalog = map[string]map[int]inGroup{}, c
	v.lying = v.labelled(c)
	for _, t := range c.Types {
		words, found := wordsOf(t), map[int]inGroup{}
		for n, col := range v.columns {
			m := numbered.FindStringSubmatch(col.Header)
			if m == nil || v.isGrouped(n) {
				continue
			}
			if stem := tokens(m[1]); len(stem) == 1 && words[stem[0]] {
				found[n] = inGroup{m[2], value.Trim(m[3] + m[4])}
			}
		}
		size := map[string]int{}
		for _, g := range found {
			size[g.number]++
		}
		maps.DeleteFunc(found, func(n int, g inGroup) bool { return size[g.number] == 1 && !v.holdsNames(n) })
		if len(found) > 1 {
			v.groups[t.Name] = found
		}
	}
	return v
}

// holdsNames reports whether the cells of a column are names of people.
func (v *View) holdsNames(column int) bool {
	p := v.kinds[column].p
	return v.kinds[column].known && p[textkind.FullName]+p[textkind.Given]+p[textkind.Family] > ofPersons
}

// isGrouped reports whether a column is in a numbered group of any type.
func (v *View) isGrouped(column int) bool {
	for _, groups := range v.groups {
		if _, ok := groups[column]; ok {
			return true
		}
	}
	return false
}

// headerFor is the header of a column as it is compared with the fields of a type: of one in
// a group of it, what stands behind the number, and a name where nothing does.
func (v *View) headerFor(t catalog.RecordType, column int) string {
	if g, ok := v.groups[t.Name][column]; ok {
		return cmp.Or(g.says, "Name")
	}
	if listsValues(v.columns[column]) {
		return ""
	}
	header := v.columns[column].Header
	if rest, ok := v.cutPeople(header); ok {
		return rest
	}
	return header
}

// ofOthers reports whether a header says that its column is about people, and the records are none.
func (v *View) ofOthers(t catalog.RecordType, header string) bool {
	_, said := v.cutPeople(header)
	_, people := t.FieldAs(catalog.AsFamilyName)
	return said && !people
}

// wordForPeople gives the word, folded, that stands before the given names and the family names of a sheet (“Rep first name”,
// “Rep surname”): it says who the people of its rows are, whatever else it may mean. It is empty where none does, and
// where it may mean our own people and they are few, or come again and again.
func wordForPeople(columns []sheet.Column) string {
	before := map[string]map[string]bool{} // what is said behind each word
	for _, c := range columns {
		words := headerWords(c.Header)
		if len(words) < 2 {
			continue
		}
		if slices.Contains(lexicon[words[0]], "owner") && (c.Filled < fewestMute || c.Distinct*2 <= c.Filled) {
			continue
		}
		for _, half := range []string{"given", "family"} {
			if slices.ContainsFunc(lift(words[1:]).sets, func(set []string) bool { return slices.Equal(set, []string{half}) }) {
				if before[words[0]] == nil {
					before[words[0]] = map[string]bool{}
				}
				before[words[0]][half] = true
			}
		}
	}
	var found []string
	for w, said := range before {
		if len(said) > 1 {
			found = append(found, w)
		}
	}
	if len(found) != 1 {
		return ""
	}
	return found[0]
}

// cutPeople reports whether a header begins with the word for the people of the rows, and gives what stands behind it.
func (v *View) cutPeople(header string) (rest string, ok bool) {
	words := headerWords(header)
	if v.peopleWord == "" || len(words) < 2 || words[0] != v.peopleWord {
		return "", false
	}
	at := len([]rune(v.peopleWord))
	if runes := []rune(header); len(runes) > at && value.Words(string(runes[:at])) == v.peopleWord {
		rest = strings.TrimLeft(string(runes[at:]), " _.-:/")
	}
	return rest, rest != ""
}

// listsValues reports whether a header only lists what stands in the cells (“hot/warm/cold”, “Mr / Mrs”): it does not
// say what that is.
func listsValues(c sheet.Column) bool {
	parts := eitherOr.Split(strings.ToLower(strings.TrimRight(c.Header, " ?:")), -1)
	if len(parts) < 2 || c.Longest > longestListed {
		return false
	}
	cells := map[string]bool{}
	for _, s := range c.Samples {
		cells[value.Words(s)] = true
	}
	return !slices.ContainsFunc(parts, func(part string) bool { return !cells[value.Words(part)] })
}

// longestListed is how long the values are at most that a header lists.
const longestListed = 20

// sharedPrefix gives the short form, with the sign behind it, with which most headers of a sheet
// begin, as in LD_FNAME and LD_ORG: it says of what table they are. One that means whose they are, or
// another thing than a number of things (CNT for contacts), is none.
func sharedPrefix(columns []sheet.Column) string {
	const fewestSharing, fewestOfAll, longestPrefix = 4, 3, 5
	counts := map[string]int{}
	for _, c := range columns {
		if at := strings.IndexAny(c.Header, "_.-:"); at > 0 && at <= longestPrefix && at+1 < len(c.Header) {
			counts[c.Header[:at+1]]++
		}
	}
	for prefix, n := range counts {
		word := value.Words(prefix)
		known := !vagueMark(prefix) && lexicon[word] != nil && !slices.Equal(lexicon[word], []string{"count"})
		all := n == len(columns) && n >= fewestOfAll // what each begins with tells none from another
		if all || n >= fewestSharing && n*5 >= len(columns)*3 && !known && !small[word] && compound(word) == nil {
			return prefix
		}
	}
	return ""
}

// vagueMark reports whether the mark of a sheet is two letters that may mean many things: KT is a canton, and a
// contact; but FA is a firm, whose things the columns are.
func vagueMark(prefix string) bool {
	word := value.Words(prefix)
	return len(word) == 2 && !slices.ContainsFunc(lexicon[word], func(c string) bool {
		return slices.Contains([]string{"company", "person", "customer", "deal", "owner", "supplier"}, c)
	})
}

// tableMark is what most headers of a sheet begin or end with, and what says of what table they are.
type tableMark struct {
	prefix, suffix string
	also           bool // left out where the whole header is understood too: without a sign between, as in KDNAME, or where all have it
	initials       bool // two letters, which whatever they may mean are left out
}

// off gives a header without the mark, where it has one.
func (m tableMark) off(header string) string {
	if rest, ok := m.cut(header); ok {
		return rest
	}
	return header
}

// cut gives a header without the mark; ok is false where it has none.
func (m tableMark) cut(header string) (rest string, ok bool) {
	switch {
	case m.prefix != "":
		rest, ok = strings.CutPrefix(header, m.prefix)
	case m.suffix != "":
		rest, ok = strings.CutSuffix(header, m.suffix)
	}
	return rest, ok && len(rest) > 1
}

// allCapitals is found in a header of one word in capitals, as programs have them.
var allCapitals = regexp.MustCompile(`^[A-Z]{4,}\d?$`)

// markOf gives the mark of a sheet: the prefix with a sign behind it, or the letters, five at most, that most of its
// headers, which are one word in capitals each, begin or end with.
func markOf(columns []sheet.Column) tableMark {
	if prefix := sharedPrefix(columns); prefix != "" {
		other := func(c sheet.Column) bool { return !strings.HasPrefix(c.Header, prefix) }
		return tableMark{prefix: prefix, also: !slices.ContainsFunc(columns, other),
			initials: vagueMark(prefix)}
	}
	const fewestSharing, longestMark = 6, 5
	begins, ends := map[string]int{}, map[string]int{}
	for _, c := range columns {
		if !allCapitals.MatchString(c.Header) {
			continue
		}
		for n := 2; n <= longestMark && n+2 <= len(c.Header); n++ {
			begins[c.Header[:n]]++
			ends[c.Header[len(c.Header)-n:]]++
		}
	}
	most := func(counts map[string]int) (affix string) {
		for s, n := range counts {
			if n >= fewestSharing && n*3 >= len(columns)*2 &&
				(len(s) > len(affix) || len(s) == len(affix) && s < affix) {
				affix = s
			}
		}
		return affix
	}
	prefix := most(begins)
	if prefix != "" {
		return tableMark{prefix: prefix, also: true}
	}
	return tableMark{suffix: most(ends), also: true}
}

// numbersOf lists the numbers of groups, in their order.
func numbersOf(groups map[int]inGroup) []string {
	var list []string
	for _, g := range groups {
		list = append(list, g.number)
	}
	slices.Sort(list)
	return slices.Compact(list)
}

// The targets of columns of which nothing tells whose they are, and of those of a record that
// none of the targets is for.
const (
	unknown   = -1
	elsewhere = -2
)

// onlyGroups reports whether a target is another of a type whose columns come in groups:
// what is in none is the first one's.
func (v *View) onlyGroups(targets []Target, n int) bool {
	name := targets[n].Type.Name
	return len(v.groups[name]) > 0 && slices.ContainsFunc(targets[:n], func(t Target) bool { return t.Type.Name == name })
}

// grouped says of the columns in numbered groups to which target they belong: the first group
// to the first target of its type, and so on.
func (v *View) grouped(targets []Target, whose []owner) {
	for typeName, groups := range v.groups {
		var of []int // the targets of the type
		for n, t := range targets {
			if t.Type.Name == typeName {
				of = append(of, n)
			}
		}
		numbers := numbersOf(groups)
		for column, g := range groups {
			target := elsewhere
			if at := slices.Index(numbers, g.number); at < len(of) {
				target = of[at]
			}
			whose[column] = owner{target: target, said: true}
		}
	}
}

// severalOf are headers of which only a number at the end tells which of several they are.
var severalOf = regexp.MustCompile(`^(.*?\pL)[ _.-]*([1-9])$`)

// firstOfSeveral lets the first of several columns of one name, “Firma 1” and “Firma 2”, come
// before the others where both fit a field alike. But for mailboxes and telephones whose cells tell
// whose they are, the others are more of the same, and no field is for them: “Addr 2” is not the street of the
// company because “Addr 1” is that of the person.
func (v *View) firstOfSeveral(places []place, whose []owner, scores [][]float64) {
	first := map[string]int{}
	numberOf := func(c int) (name, number string) {
		m := severalOf.FindStringSubmatch(strings.TrimSpace(v.columns[c].Header))
		if m == nil || v.isGrouped(c) {
			return "", ""
		}
		return value.Fold(m[1]), m[2]
	}
	for c := range v.columns {
		name, number := numberOf(c)
		if at, there := first[name]; name != "" && v.columns[c].Filled > 0 {
			if _, least := numberOf(at); !there || number < least {
				first[name] = c
			}
		}
	}
	for c := range v.columns {
		name, _ := numberOf(c)
		at, there := first[name]
		if name == "" || !there || at == c {
			continue
		}
		for i, s := range scores[c] {
			if s > 0 && scores[at][i] >= s {
				scores[c][i] -= 0.005 // which is little, but enough
			}
		}
		for i := range scores[c] {
			tells := whose[c].own && (places[i].field.Type == catalog.Email || places[i].field.Type == catalog.Phone)
			if scores[at][i] >= certain && !whose[c].said && !tells {
				scores[c][i] *= 0.55
			}
		}
	}
}
