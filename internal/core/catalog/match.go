package catalog

import (
	"fmt"
	"slices"

	"uchi/internal/core/fault"
)

// Likeness is as what a field is compared when records are compared by likeness.
type Likeness string

// What a field can be compared as.
const (
	AsGivenName   Likeness = "given_name"
	AsFamilyName  Likeness = "family_name"
	AsHonorific   Likeness = "honorific"
	AsCompanyName Likeness = "company_name"
	AsStreet      Likeness = "street"
	AsLocality    Likeness = "locality"
	AsPostalCode  Likeness = "postal_code"
	AsCode        Likeness = "code" // a number or word that only one has
	AsText        Likeness = "text"
	AsEmail       Likeness = "email"
	AsPhone       Likeness = "phone"
	AsWeb         Likeness = "web"
	AsCountry     Likeness = "country"
	AsDate        Likeness = "date"
	AsLink        Likeness = "link"
	AsEmployer    Likeness = "employer" // a link to the company for which a person works
)

// Likenesses lists them in the order in which they are offered.
var Likenesses = []Likeness{AsGivenName, AsFamilyName, AsHonorific, AsCompanyName, AsStreet, AsLocality,
	AsPostalCode, AsCode, AsText, AsEmail, AsPhone, AsWeb, AsCountry, AsDate, AsLink, AsEmployer}

// ComparedAs tells as what the field is compared by likeness, empty for fields
// that say nothing of who or what a record is.
func (f Field) ComparedAs() Likeness {
	if f.Likeness != "" {
		return f.Likeness
	}
	return f.Kind().Likeness
}

// Find says what is done with what a rule has found.
type Find string

// What a single find means, and what several do.
const (
	Take   Find = "take"    // the row is for the record
	Ask    Find = "ask"     // a person is asked
	Hold   Find = "hold"    // the row is held back
	Skip   Find = "skip"    // the row is left out
	Oldest Find = "oldest"  // the record that was there first is taken
	Newest Find = "newest"  // the record that was made last is taken
	Full   Find = "fullest" // the record with the most values is taken
)

// Ones and Severals list what a single find and what several can mean.
var (
	Ones     = []Find{Take, Ask}
	Severals = []Find{Ask, Hold, Skip, Oldest, Newest, Full}
)

// MatchRule is a set of field comparisons by which a draft finds a record. All
// of Fields must be filled and equal in their normal form. With Alike the
// records are scored by the likeness of those fields: those that score at
// least TakeAt are found, those between AskAt and TakeAt are asked about.
type MatchRule struct {
	Name    string   `json:"name,omitempty" yaml:"name,omitempty"`
	Fields  []string `json:"fields,omitempty" yaml:"fields,omitempty,flow"` // "id" stands for the record id
	Alike   []string `json:"alike,omitempty" yaml:"alike,omitempty,flow"`
	One     Find     `json:"one,omitempty" yaml:"one,omitempty"`         // take when empty
	Several Find     `json:"several,omitempty" yaml:"several,omitempty"` // ask when empty
	TakeAt  float64  `json:"take_at,omitempty" yaml:"take_at,omitempty"` // percent; 0 is the careful default
	AskAt   float64  `json:"ask_at,omitempty" yaml:"ask_at,omitempty"`
	// RowsApart says that rows which are equal in Fields are not for one record:
	// a rule that finds records only, such as for lines, of which a deal may have two
	// of one product.
	RowsApart bool `json:"rows_apart,omitempty" yaml:"rows_apart,omitempty"`
}

// The bounds of likeness when a rule gives none, in percent.
const (
	DefaultTakeAt = 95
	DefaultAskAt  = 40
)

// Bounds gives the two bounds of likeness in percent.
func (r MatchRule) Bounds() (takeAt, askAt float64) {
	takeAt, askAt = r.TakeAt, r.AskAt
	if takeAt == 0 {
		takeAt = DefaultTakeAt
	}
	if askAt == 0 {
		askAt = min(DefaultAskAt, takeAt)
	}
	return takeAt, askAt
}

// Uses tells the fields that the rule compares, exactly or by likeness.
func (r MatchRule) Uses() []string { return slices.Concat(r.Fields, r.Alike) }

// selective are the comparisons by which candidates can be found.
var selective = []Likeness{AsFamilyName, AsCompanyName, AsEmail, AsPhone, AsWeb, AsCode, AsGivenName, AsText}

// CheckMatchRule says whether a match rule can work on this type.
func (t RecordType) CheckMatchRule(r MatchRule) error {
	bad := func(code, message, value, mend string) error {
		return fault.New(fault.Invalid, code, message).At(fault.Place{Path: t.Name}).With(value).Mended(mend)
	}
	if len(r.Fields)+len(r.Alike) == 0 {
		return bad("rule_empty", "a match rule needs at least one field", "",
			"Name fields that must be equal, or fields that must be alike.")
	}
	for _, name := range r.Fields {
		if name == "id" && len(r.Uses()) == 1 {
			continue
		}
		if _, ok := t.Field(name); !ok {
			return bad("unknown_field", "a match rule names a field that the record type does not have", name, "")
		}
	}
	found := len(r.Fields) > 0
	for _, name := range r.Alike {
		f, ok := t.Field(name)
		if !ok {
			return bad("unknown_field", "a match rule names a field that the record type does not have", name, "")
		}
		if f.ComparedAs() == "" {
			return bad("field_not_comparable", "this field cannot be compared by likeness", name,
				fmt.Sprintf("Say in the record type as what it is compared, one of %v, or take another field.", Likenesses))
		}
		found = found || slices.Contains(selective, f.ComparedAs())
	}
	if !found {
		return bad("rule_not_selective", "no field of the match rule tells one record from most others",
			fmt.Sprint(r.Alike), "Add a name, an e-mail, a phone number or a web address.")
	}
	if r.One != "" && !slices.Contains(Ones, r.One) {
		return bad("unknown_find", "a single find cannot mean this", string(r.One), fmt.Sprintf("Choose one of %v.", Ones))
	}
	if r.Several != "" && !slices.Contains(Severals, r.Several) {
		return bad("unknown_find", "several finds cannot mean this", string(r.Several),
			fmt.Sprintf("Choose one of %v.", Severals))
	}
	if takeAt, askAt := r.Bounds(); askAt < 1 || takeAt > 100 || askAt > takeAt {
		return bad("bad_bounds", "the bounds of likeness go from 1 to 100 percent, ask_at not above take_at",
			fmt.Sprintf("%v and %v", takeAt, askAt), "")
	}
	return nil
}

// ParentField gives the field that says whose child a record is: the required reference by
// which a rule finds it among equal ones, such as the deal of a line.
func (t RecordType) ParentField() (Field, bool) {
	for _, rule := range t.Match {
		for _, name := range rule.Fields {
			if f, ok := t.Field(name); ok && rule.RowsApart && f.Type == Reference && f.Required {
				return f, true
			}
		}
	}
	return Field{}, false
}
