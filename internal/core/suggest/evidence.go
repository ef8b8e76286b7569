package suggest

import (
	_ "embed"
	"maps"
	"math"
	"slices"
	"strconv"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/sheet"
	"uchi/internal/core/textkind"
)

// What speaks for and against a sheet being of a record type, and how much each of it weighs.

// Evidence is what speaks for or against a record type, in words, and how much of it there is. What is said of a type by
// its name has it in front, and weighs for that type alone.
type Evidence map[string]float64

// Weigh sums up what evidence says, each kind by its weight, as the logarithm of odds; what has no weight says nothing.
func (e Evidence) Weigh(weights map[string]float64) (sum float64) {
	for _, what := range slices.Sorted(maps.Keys(e)) { // in one order, so that it is the same each time
		sum += weights[what] * e[what]
	}
	return sum
}

// Likelihoods gives how likely each of several things is, of which one is so, from the logarithms of their odds; together
// they are 1.
func Likelihoods(odds []float64) []float64 {
	if len(odds) == 0 {
		return nil
	}
	out := make([]float64, len(odds))
	most, sum := slices.Max(odds), 0.0
	for n, x := range odds {
		out[n] = math.Exp(x - most)
		sum += out[n]
	}
	for n := range out {
		out[n] /= sum
	}
	return out
}

// Evidence gives for each record type, by its name, what of a sheet speaks for and against it; it is what the weights are
// learned from.
func (v *View) Evidence(c catalog.Catalog) map[string]Evidence {
	out := map[string]Evidence{}
	all := v.findings(c, func(string) Memory { return nil })
	for n, e := range v.evidence(all) {
		out[all[n].of.Name] = e
	}
	return out
}

// finding is what the columns of a sheet find in a record type by itself.
type finding struct {
	of       catalog.RecordType
	placed   map[string]bool   // columns
	got      map[string]bool   // fields; true for those that were said, and not only left
	from     map[string]string // columns, by field
	sum      float64           // of the columns, how sure each is and how much its field tells
	required int               // fields without which no record is made
	wanted   int               // of those, how many there are
	filled   float64           // of those, in how many rows they are filled
	lacks    bool              // one that is no link is not found
	known    bool              // the rows are those who own records
	house    bool              // they have mailboxes of who imports them
}

// findings are those of all types, in the order of the catalog.
func (v *View) findings(c catalog.Catalog, memory func(typeName string) Memory) []finding {
	var all []Target
	for _, t := range c.Types {
		all = append(all, Target{Type: t, Memory: memory(t.Name)})
	}
	v.compareAll(all)
	filledIn := map[string]float64{}
	for _, col := range v.columns {
		filledIn[col.Header] = float64(col.Filled) / float64(max(1, col.Filled+col.Blank))
		if col.Filled == 0 && col.Blank == 0 { // nothing is known of its rows
			filledIn[col.Header] = 1
		}
	}
	var out []finding
	for _, target := range all {
		out = append(out, v.finds(c, target, filledIn))
	}
	return out
}

// finds gives what the columns find in a type, each filled in a share of the rows.
func (v *View) finds(c catalog.Catalog, target Target, filledIn map[string]float64) finding {
	t := target.Type
	f := finding{of: t, placed: map[string]bool{}, got: map[string]bool{}, from: map[string]string{}}
	full := map[string]float64{} // fields, in what share of the rows
	for _, s := range v.Across([]Target{target}) {
		if !s.Taken {
			continue
		}
		f.got[s.Field], f.from[s.Field] = f.got[s.Field] || !s.left, s.Column
		full[s.Field] = max(full[s.Field], filledIn[s.Column])
		field, _ := t.Field(s.Field)
		f.known = f.known || t.InUse != "" && (field.Key || slices.Contains(t.Title, s.Field)) && v.namesRows(t.Name, s.Column)
		f.house = f.house || field.Type == catalog.Email && v.atHouse(s.Column)
		if !f.placed[s.Column] { // a column may go to two fields, and counts once
			weight := s.Confidence * telling(c, s.Field)
			if s.left {
				weight *= leftWeight
			}
			f.sum += weight
		}
		f.placed[s.Column] = true
	}
	for _, field := range t.Fields {
		if !field.Required || field.Default != "" {
			continue
		}
		f.wanted++
		if _, ok := f.got[field.Name]; ok {
			f.required++
			f.filled += min(1, full[field.Name]/mostlyFilled)
		} else if field.Type != catalog.Reference {
			f.lacks = true
		}
	}
	return f
}

// mostlyFilled is in what share of the rows what a type requires is filled in sheets of it: where it
// is in fewer, most rows are something else.
const mostlyFilled = 0.5

// called reports whether the sheet is called as records of the type are, and could be of them.
func (f finding) called(named map[string]bool) bool {
	return f.required == f.wanted && len(f.placed) > 0 && named[f.of.Name]
}

// perColumn is how much of the sheet is found, a column that tells as much as most counting 1.
func (f finding) perColumn(columns int) float64 { return f.sum / float64(max(1, columns)) }

// alone reports whether a column is said to be of a field that only this type has, and is of nothing in another.
func (f finding) alone(c catalog.Catalog, in finding) bool {
	for field, said := range f.got {
		if said && !in.placed[f.from[field]] && c.OnlyIn(f.of.Name, field) {
			return true
		}
	}
	return false
}

// enough is 1 where so much of a sheet is found that it can be told what it is, and less where it is less; 0 where hardly
// anything is.
func (f finding) enough(columns int) float64 {
	least := leastFound
	switch {
	case len(f.placed) < 2: // one column says little
		least = 1
	case f.wanted > 0 && f.required == 0 && len(f.placed)*2 < columns:
		return 0
	case f.wanted > 0 && f.required == 0:
		least = leastUnnamed
	case f.lacks:
		least = leastLacking
	}
	return min(1, math.Pow(f.perColumn(columns)/least, 3))
}

// How much of a sheet must be found for it to be told what it is, how much where something is not found that each
// record must have, and how much where nothing of that is found.
const (
	leastFound   = 0.28
	leastLacking = 0.4
	leastUnnamed = 0.6
)

// evidence gives what speaks for and against each of the types.
func (v *View) evidence(all []finding) (out []Evidence) {
	columns := max(1, len(v.columns))
	most := 0
	for _, f := range all {
		most = max(most, len(f.placed))
	}
	understood := math.Pow(float64(most)/float64(columns), 3) // what is not there is so only where all is understood
	birthdays, met, form := v.haveBirthdays(), v.metAtFair(), v.askedInForm()
	firms, people := v.haveRegistrations(), v.havePeople()
	deals, chances := false, false
	for _, f := range all {
		if f.of.Name == "opportunity" {
			deals = f.got["expected_close"] && howMany(f.got, "title", "stage", "probability") > 1
			chances = f.got["probability"]
		}
	}
	for _, f := range all {
		t := f.of.Name
		e := Evidence{
			"found":       math.Log(0.01 + f.perColumn(columns)),
			"placed":      float64(len(f.placed)) / float64(columns),
			"placed less": float64(len(f.placed)-most) / float64(columns),
			"fewer":       float64(len(f.placed) - most),
			"missing":     float64(f.wanted - f.required),

			"missing, and all is understood": float64(f.wanted-f.required) * understood,
		}
		say := func(what string, so bool) {
			if so {
				e[what] = 1
			}
		}
		family, person := f.of.FieldAs(catalog.AsFamilyName)
		given, _ := f.of.FieldAs(catalog.AsGivenName)
		_, named := f.got[family.Name]
		_, givenToo := f.got[given.Name]
		say("no people, and birthdays", birthdays && !person &&
			!slices.ContainsFunc(f.of.Fields, func(x catalog.Field) bool { return x.Holds == catalog.HoldsBirth }))
		if person && !people && !named && !givenToo {
			e["people without a name"] = understood
		}
		say("people, and numbers of a register", person && firms && (!givenToo || f.from[given.Name] == f.from[family.Name]))
		like, firm := v.namesIn(f)
		switch _, company := f.of.FieldAs(catalog.AsCompanyName); {
		case person || f.of.InUse != "":
			e["people, named as people"], e["people, named as companies"] = like, firm
		case company:
			e["companies, named as companies"], e["companies, named as people"] = firm, like
		}
		say("nothing that is required", f.wanted > 0 && f.required == 0)
		if f.of.Timeline == nil { // of what hangs on others nothing can be learned; see ofNothing
			for field, said := range f.got {
				say(t+" "+field, said)
			}
			say(t, true)
			say(t+", met at a fair", met)
			say(t+", asked in a form", form)
			say(t+", with chances", chances)
			say(t+", where rows are deals", deals)
			marks := marksOf[t]
			say(t+", without its marks", marks != nil &&
				!slices.ContainsFunc(marks, func(field string) bool { return f.got[field] }))
		}
		out = append(out, e)
	}
	return out
}

// marksOf are the fields of which one is found where a sheet is of a type that has all that a more usual one has.
var marksOf = map[string][]string{
	"lead": {"interest", "origin", "met_on", "estimated_value", "status"},
	"line": {"quantity", "unit_price", "opportunity"},
}

// namesIn tells how much what would name the records looks like names of people, and like names of companies.
func (v *View) namesIn(f finding) (people, firms float64) {
	for _, field := range f.of.Title {
		at := slices.IndexFunc(v.columns, func(c sheet.Column) bool { return c.Header == f.from[field] })
		if at < 0 || len(v.columns[at].Samples) == 0 {
			continue
		}
		p := v.kinds[at].p
		people = max(people, p[textkind.FullName]+p[textkind.Given]+p[textkind.Family])
		firms = max(firms, p[textkind.Company], share(v.columns[at].Samples, withLegalForm))
	}
	return people, firms
}

// howMany counts the fields that were said.
func howMany(got map[string]bool, fields ...string) (n int) {
	for _, f := range fields {
		if got[f] {
			n++
		}
	}
	return n
}

// weights are how much each kind of evidence speaks for a type, as logarithms of odds; made by make learn.
var weights = readWeights()

//go:embed weights.txt
var weightsText string

func readWeights() map[string]float64 {
	out := map[string]float64{}
	for line := range strings.Lines(weightsText) {
		weight, what, _ := strings.Cut(strings.TrimSpace(line), " ")
		if x, err := strconv.ParseFloat(weight, 64); err == nil {
			out[what] = x
		}
	}
	return out
}

// speaks weighs what speaks for a type, and what no labelled sheet can teach: what a workspace and the name of a sheet say,
// and what hangs on other records.
func (v *View) speaks(f finding, e Evidence, named map[string]bool) float64 {
	sum := e.Weigh(weights)
	switch called := f.called(named); {
	case called && f.of.Timeline != nil:
		sum += notCalledSo
	case called:
		sum += byName
	case f.of.Timeline != nil:
		sum -= v.ofNothing(f)
	}
	switch {
	case f.known || f.house && f.of.InUse != "":
		sum += byWorkspace
	case f.house:
		sum -= byWorkspace / 2
	}
	return sum - mostlyBlank*(float64(f.required)-f.filled)/float64(max(1, f.wanted))
}

// ofNothing is how much speaks against notes and attachments that are not called so: all records may have a text, a day and
// a person.
func (v *View) ofNothing(f finding) float64 {
	line := f.of.Timeline
	linked := slices.ContainsFunc(f.of.Fields, func(x catalog.Field) bool {
		_, got := f.got[x.Name]
		return x.Type == catalog.Reference && got
	})
	switch {
	case linked && v.hangs(f.of):
		return 0
	case linked && len(f.placed) == len(v.columns) && f.got[line.Text] && f.got[line.At] && f.got[line.By]:
		return -nothingLeft // and who wrote it when is there
	}
	return notCalledSo
}

// How much it speaks for the people who own records that the rows are known as such, or have mailboxes of who imports
// them; against a type that what it requires is blank in most rows; against notes that they are not called so; and for
// notes that nothing else is told.
const (
	byWorkspace = 3.0
	mostlyBlank = 5.0
	notCalledSo = 4.0
	nothingLeft = 2.5
)
