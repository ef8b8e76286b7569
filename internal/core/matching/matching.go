// Package matching finds which record a draft is. It makes the normal forms by
// which names, companies and addresses are compared, the blocking keys by
// which candidates are found without comparing everything with everything, and
// the score by which a candidate is taken, asked about or left.
//
// The score is the weight of evidence of record linkage: for every comparison
// the logarithm (base 2, so in bits) of how much more often its result is seen
// between records of the same person or company than between any two. Sources:
// H. B. Newcombe et al., "Automatic linkage of vital records", Science 130
// (1959), for weights and the rarity of values; I. P. Fellegi and A. B. Sunter,
// "A theory for record linkage", JASA 64 (1969), for the decision with two
// bounds; W. E. Winkler, "Using the EM algorithm for weight computation in the
// Fellegi-Sunter model of record linkage" (1988), for weights without labels.
//
// It knows no database and no face.
package matching

import (
	"cmp"
	"hash/fnv"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/value"
)

// Kind is one comparison: of one field or of several that belong together.
type Kind string

// kinds lists them; a comparison's place in it is its number.
var kinds = []Kind{Given, Family, Company, Employer, Email, Phone, Web, Place, Date, Code, Text, Link}

// The comparisons.
const (
	Given    Kind = "given_name"
	Family   Kind = "family_name"
	Company  Kind = "company_name"
	Employer Kind = "employer" // the company of a person
	Email    Kind = "email"
	Phone    Kind = "phone"
	Web      Kind = "web"
	Place    Kind = "place"
	Date     Kind = "date"
	Code     Kind = "code"
	Text     Kind = "text"
	Link     Kind = "link" // a reference that is no employer
)

// Level is the result of a comparison.
type Level uint8

// The results, from agreement to contradiction.
const (
	Blank       Level = iota // one side says nothing
	Same                     // the same after normalising
	Alternative              // a short or fond form
	Initial                  // one is the initial of the other
	Near                     // a slip of typing apart
	Part                     // one is part of the other
	Loose                    // a name: other letters, as of a slip in a short one or of bad reading
	Local                    // e-mail: the same mailbox name elsewhere
	Domain                   // e-mail: the same company's mail
	Area                     // address: the same town, no street to compare
	Neighbour                // address: another house of the street
	Town                     // address: another street of the town
	Differs
	levels
)

var levelNames = [levels]string{"blank", "same", "alternative", "initial", "near", "part", "loose", "local",
	"domain", "area", "neighbour", "town", "differs"}

// String implements fmt.Stringer.
func (l Level) String() string { return levelNames[l] }

// Edition changes whenever the keys of the same values do, so that kept keys
// are made anew.
const Edition = "10"

// saying is what a field tells about which record it is of.
type saying int

const (
	itsRest saying = iota // something that many have
	itsName               // who or what it is
	itsOwn                // what tells it from its namesakes
)

// way is how the fields of one likeness are compared.
type way struct {
	like catalog.Likeness
	kind Kind // the comparison of which they are a part, with others of that kind; empty for none
	says saying
}

// ways is the registry of comparisons: every likeness has its entry. How values
// are made ready stands in Prepare, how two are compared in the method of Comparer
// for the kind, and what a result weighs in the weights.
var ways = []way{
	{catalog.AsHonorific, "", itsRest}, // only speaks against, with the given name
	{catalog.AsGivenName, Given, itsRest},
	{catalog.AsFamilyName, Family, itsName},
	{catalog.AsCompanyName, Company, itsName}, // of a person it is the employer's
	{catalog.AsEmail, Email, itsOwn},
	{catalog.AsPhone, Phone, itsOwn},
	{catalog.AsWeb, Web, itsOwn},
	{catalog.AsStreet, Place, itsRest},
	{catalog.AsPostalCode, Place, itsRest},
	{catalog.AsLocality, Place, itsRest},
	{catalog.AsCountry, Place, itsRest},
	{catalog.AsDate, Date, itsOwn},
	{catalog.AsCode, Code, itsOwn},
	{catalog.AsText, Text, itsRest},
	{catalog.AsLink, Link, itsRest},
	{catalog.AsEmployer, Link, itsRest}, // of a person it is the employer's
}

func wayOf(like catalog.Likeness) way {
	return ways[slices.IndexFunc(ways, func(w way) bool { return w.like == like })]
}

// comparison is one comparison of a record type with the fields that it takes.
type comparison struct {
	kind   Kind
	number int // of the kind
	fields []string
}

// Comparer prepares and compares the records of one type by some of its fields.
type Comparer struct {
	Fields      []catalog.Field // whose values are prepared, in this order
	at          map[catalog.Likeness][]int
	comparisons []comparison
	entity      Kind // Family for types of people, Company, or Text
	of          catalog.RecordType
}

// Thing reports whether records of a type are told apart by what they are called and
// to whom they belong, such as opportunities and tasks.
func Thing(t catalog.RecordType) bool {
	return has(t, catalog.AsText) && has(t, catalog.AsLink) && !has(t, catalog.AsFamilyName) &&
		!has(t, catalog.AsCompanyName)
}

// NewComparer makes a comparer of a record type. Only the named fields are
// compared; with none named, all that can be.
func NewComparer(t catalog.RecordType, names []string) *Comparer {
	c := &Comparer{at: map[catalog.Likeness][]int{}, entity: Text, of: t}
	for _, f := range t.Fields {
		like := f.ComparedAs()
		if like == "" || len(names) > 0 && !slices.Contains(names, f.Name) {
			continue
		}
		c.at[like] = append(c.at[like], len(c.Fields))
		c.Fields = append(c.Fields, f)
	}
	switch {
	case has(t, catalog.AsFamilyName):
		c.entity = Family
	case has(t, catalog.AsCompanyName):
		c.entity = Company
	}
	c.plan()
	return c
}

func has(t catalog.RecordType, like catalog.Likeness) bool {
	return slices.ContainsFunc(t.Fields, func(f catalog.Field) bool { return f.ComparedAs() == like })
}

// Telling gives the places of fields that say who or what a record is (a name),
// and of those that, beside the name, tell it from its namesakes. Records that
// are equal in all compared fields, and filled in one of each, are the same.
func (c *Comparer) Telling() (names, others []int) {
	for i, f := range c.Fields {
		switch w := wayOf(f.ComparedAs()); {
		case w.says == itsName && !c.employer(i):
			names = append(names, i)
		case w.says == itsOwn:
			others = append(others, i)
		}
	}
	return names, others
}

// employers are the references and names that say for whom a person works.
func (c *Comparer) employer(i int) bool {
	f := c.Fields[i]
	return c.entity == Family && (f.Likeness == catalog.AsCompanyName || f.Likeness == catalog.AsEmployer)
}

// plan gathers the comparisons of the type in the order of the ways.
func (c *Comparer) plan() {
	for _, w := range ways {
		for _, i := range c.at[w.like] {
			kind := w.kind
			if c.employer(i) {
				kind = Employer
			}
			if kind == "" {
				continue
			}
			at := slices.IndexFunc(c.comparisons, func(of comparison) bool { return of.kind == kind })
			if at < 0 {
				at = len(c.comparisons)
				c.comparisons = append(c.comparisons, comparison{kind, slices.Index(kinds, kind), nil})
			}
			c.comparisons[at].fields = append(c.comparisons[at].fields, c.Fields[i].Name)
		}
	}
}

// Subject is a record or draft made ready for comparison.
type Subject struct {
	person    person
	companies []company // of a company its names, of a person the employer's
	employers []string  // ids of employers
	email     mailbox
	phones    []string
	webs      []string
	place     place
	dates     []string
	codes     []string
	texts     []string
	links     []string
	terms     []int32 // by slot, 0 when blank: what is counted for rarity
}

// Slots of terms whose frequency is counted.
const (
	termGiven = iota
	termFamily
	termEmail
	termDomain
	termPhone
	termPhone2
	termHouse
	termPostal
	termLocality
	termEmployer
	termCompany
	termWeb
	termDate
	termText
	termLink  // and, one each, those of further links
	termSlots = termLink + mostLinks
)

// mostLinks is how many references of a record are counted.
const mostLinks = 4

func (c *Comparer) first(values []string, like catalog.Likeness) string {
	for _, i := range c.at[like] {
		if values[i] != "" {
			return values[i]
		}
	}
	return ""
}

func (c *Comparer) all(values []string, like catalog.Likeness) []string {
	var out []string
	for _, i := range c.at[like] {
		out = append(out, values[i])
	}
	return out
}

// EmployerMark stands between the id of the record for whom a person works and
// that record's name, with which an employer under another id, or one that is
// yet to be made, is compared.
const EmployerMark = "\x1f"

// Prepare makes values ready, given as canonical texts in the order of Fields.
func (c *Comparer) Prepare(values []string) Subject {
	s := Subject{email: newMailbox(c.first(values, catalog.AsEmail))}
	s.person = newPerson(c.first(values, catalog.AsHonorific), c.first(values, catalog.AsGivenName),
		c.first(values, catalog.AsFamilyName))
	s.place = newPlace(c.first(values, catalog.AsStreet), c.first(values, catalog.AsPostalCode),
		c.first(values, catalog.AsLocality), c.first(values, catalog.AsCountry))
	town := Latin(value.OwnName(c.first(values, catalog.AsLocality)))
	for _, v := range c.all(values, catalog.AsCompanyName) {
		if v != "" {
			s.companies = append(s.companies, newCompany(v, town))
		}
	}
	for _, v := range c.all(values, catalog.AsPhone) {
		if n := lastDigits(v); n != "" && !slices.Contains(s.phones, n) {
			s.phones = append(s.phones, n)
		}
	}
	for _, v := range c.all(values, catalog.AsWeb) {
		if d := webDomain(v); d != "" {
			s.webs = append(s.webs, d)
		}
	}
	s.dates = c.all(values, catalog.AsDate)
	for _, v := range c.all(values, catalog.AsCode) {
		s.codes = append(s.codes, strings.ReplaceAll(value.Words(v), " ", ""))
	}
	for _, v := range c.all(values, catalog.AsText) {
		s.texts = append(s.texts, Latin(v))
	}
	for _, i := range slices.Concat(c.at[catalog.AsLink], c.at[catalog.AsEmployer]) {
		if c.employer(i) {
			id, name, _ := strings.Cut(values[i], EmployerMark)
			if id != "" {
				s.employers = append(s.employers, id)
			}
			if name != "" {
				s.companies = append(s.companies, newCompany(name, town))
			}
		} else {
			s.links = append(s.links, values[i])
		}
	}
	s.terms = make([]int32, termSlots)
	set := func(slot int, parts ...string) {
		for _, p := range parts {
			if p == "" {
				return
			}
		}
		s.terms[slot] = term(slot, parts...)
	}
	if len(s.person.given) > 0 {
		set(termGiven, s.person.given[0])
	}
	set(termFamily, strings.Join(s.person.family, ""))
	set(termEmail, s.email.whole)
	set(termDomain, cmp.Or(s.email.domain, s.site()))
	for i, p := range s.phones {
		if i < 2 {
			s.terms[termPhone+i] = term(termPhone, p)
		}
	}
	set(termHouse, s.place.street, s.place.house, s.place.area())
	set(termPostal, s.place.postal)
	set(termLocality, s.place.locality)
	switch {
	case len(s.employers) > 0:
		set(termEmployer, s.employers[0])
	case c.entity == Family && len(s.companies) > 0:
		set(termEmployer, s.companies[0].joined)
	case len(s.companies) > 0:
		set(termCompany, s.companies[0].joined)
	}
	if len(c.at[catalog.AsWeb]) > 0 {
		set(termWeb, s.site())
	}
	if len(s.dates) > 0 {
		set(termDate, s.dates[0])
	}
	if len(s.texts) > 0 {
		set(termText, s.texts[0])
	}
	for i, id := range s.links[:min(mostLinks, len(s.links))] {
		set(termLink+i, id)
	}
	return s
}

// site is the domain on the web, which the mailbox says too.
func (s *Subject) site() string {
	if len(s.webs) > 0 {
		return s.webs[0]
	}
	return s.email.domain
}

func (p place) area() string {
	if p.postal != "" {
		return p.postal
	}
	return p.locality
}

// Terms are the values of a subject whose frequency counts, as hashes.
func (s *Subject) Terms() []int32 {
	var out []int32
	for _, t := range s.terms {
		if t != 0 {
			out = append(out, t)
		}
	}
	return out
}

// term hashes a value together with what it is (FNV-1a); 0 is never given.
func term(slot int, parts ...string) int32 {
	h := fnv.New32a()
	h.Write([]byte{byte(slot)})
	for _, p := range parts {
		h.Write([]byte(p))
		h.Write([]byte{0})
	}
	if v := int32(h.Sum32()); v != 0 {
		return v
	}
	return 1
}
