package catalog

import "slices"

// FieldType is the type of a field's value.
type FieldType string

// The field types.
const (
	Text      FieldType = "text"
	LongText  FieldType = "long_text"
	Integer   FieldType = "integer"
	Decimal   FieldType = "decimal"
	Money     FieldType = "money"
	Percent   FieldType = "percent"
	Date      FieldType = "date"
	DateTime  FieldType = "date_time"
	YesNo     FieldType = "yes_no"
	OneChoice FieldType = "choice"
	Choices   FieldType = "choices"
	Email     FieldType = "email"
	Phone     FieldType = "phone"
	URL       FieldType = "url"
	Country   FieldType = "country"
	Language  FieldType = "language"
	Currency  FieldType = "currency"
	Reference FieldType = "reference"
	File      FieldType = "file"
)

// Form is how the values of a field type are held, whatever they mean. The
// store has one column type for each form, conditions one kind of value.
type Form string

// The forms.
const (
	TextForm   Form = "text"
	WholeForm  Form = "whole"  // a whole number
	NumberForm Form = "number" // a decimal number of any precision
	AmountForm Form = "amount" // a decimal number of a fixed precision
	DateForm   Form = "date"   // a day
	MomentForm Form = "moment" // a point in time
	YesNoForm  Form = "yes_no"
	ListForm   Form = "list" // several codes
	LinkForm   Form = "link" // the id of a record
)

// Forms lists the forms.
var Forms = []Form{TextForm, WholeForm, NumberForm, AmountForm, DateForm, MomentForm, YesNoForm, ListForm, LinkForm}

// Adding is how two values of a field are put together.
type Adding string

// The ways to add; the zero value means that values cannot be added.
const (
	AddLines Adding = "lines" // one below the other
	AddParts Adding = "parts" // behind each other, a comma between
	AddItems Adding = "items" // into one list
)

// Holding is what the texts of a field are, for telling which columns can be it.
type Holding string

// What texts can be; the zero value says nothing.
const (
	HoldsWords    Holding = "words"     // names of things, titles: no numbers, no dates
	HoldsPerson   Holding = "person"    // full names of people
	HoldsJobTitle Holding = "job_title" // words that are no forms of address either
	HoldsRegion   Holding = "region"    // states and provinces, by name or by letters
	HoldsBirth    Holding = "birth"     // days of birth, which never lie ahead
	HoldsPast     Holding = "past"      // days of what has happened, which never lie ahead
	HoldsConsent  Holding = "consent"   // whether somebody has agreed to something
	HoldsChance   Holding = "chance"    // how likely something is, from 0 to 100 %
	HoldsStaff    Holding = "staff"     // how many people somebody employs: never below none
	HoldsMobile   Holding = "mobile"    // telephones that somebody has about them
)

// namedAs are the comparisons of fields whose texts are names, so words.
var namedAs = []Likeness{AsGivenName, AsFamilyName, AsHonorific, AsCompanyName, AsStreet, AsLocality}

// HoldsWords reports whether the field's texts are words rather than figures.
func (f Field) HoldsWords() bool {
	return f.Holds == HoldsWords || f.Holds == HoldsPerson || f.Holds == HoldsJobTitle || f.Holds == HoldsRegion ||
		slices.Contains(namedAs, f.ComparedAs())
}

// Kind says all about a field type that is the same for every field of it. It
// is one entry of the registry below; how its texts are read and compared
// stands in the registry of package value, what speaks for a column being of
// the type in that of package suggest.
type Kind struct {
	Type      FieldType
	Form      Form
	MaxLength int      // most characters of a field that says nothing else; 0 is no limit
	Digits    int      // digits kept behind the decimal sign, when the field says nothing else
	Key       bool     // fields of the type may be keys
	Choices   bool     // fields of the type need choices
	Words     bool     // its values are words with a meaning, which a value list can translate
	Add       Adding   // how values are added; empty when they are not
	Likeness  Likeness // as what fields are compared by likeness, when they say nothing else
	Written   bool     // people write the same value in several ways
	Editor    string   // the console's editor, by its name there
}

// kinds is the registry of field types, in the order in which they are offered.
var kinds = []Kind{
	{Type: Text, Form: TextForm, MaxLength: 255, Key: true, Add: AddParts, Written: true, Editor: "line"},
	{Type: LongText, Form: TextForm, MaxLength: 100_000, Add: AddLines, Written: true, Editor: "lines"},
	{Type: Integer, Form: WholeForm, Key: true, Editor: "number"},
	{Type: Decimal, Form: NumberForm, Digits: 6, Editor: "number"},
	{Type: Money, Form: AmountForm, Digits: 2, Editor: "number"},
	{Type: Percent, Form: NumberForm, Digits: 4, Editor: "number"},
	{Type: Date, Form: DateForm, Editor: "day"},
	{Type: DateTime, Form: MomentForm, Editor: "moment"},
	{Type: YesNo, Form: YesNoForm, Words: true, Editor: "yes_no"},
	{Type: OneChoice, Form: TextForm, Choices: true, Words: true, Editor: "choice"},
	{Type: Choices, Form: ListForm, Choices: true, Words: true, Add: AddItems, Editor: "choices"},
	// RFC 5321 path limit less the angle brackets
	{Type: Email, Form: TextForm, MaxLength: 254, Key: true, Likeness: AsEmail, Editor: "line"},
	{Type: Phone, Form: TextForm, Key: true, Likeness: AsPhone, Editor: "line"},
	{Type: URL, Form: TextForm, MaxLength: 2000, Key: true, Likeness: AsWeb, Written: true, Editor: "line"},
	{Type: Country, Form: TextForm, Words: true, Editor: "country"},
	{Type: Language, Form: TextForm, Words: true, Editor: "language"},
	{Type: Currency, Form: TextForm, Words: true, Editor: "currency"},
	{Type: Reference, Form: LinkForm, Editor: "record"},
	{Type: File, Form: TextForm, Editor: "file"}, // the SHA-256 of what it holds, in hexadecimal
}

// FieldTypes lists every field type in the order in which they are offered.
var FieldTypes = func() (list []FieldType) {
	for _, k := range kinds {
		list = append(list, k.Type)
	}
	return list
}()

// KindOf gives the entry of a field type; the zero Kind for one that is not there.
func KindOf(t FieldType) Kind {
	return kindOf[t]
}

var kindOf = func() map[FieldType]Kind {
	of := map[FieldType]Kind{}
	for _, k := range kinds {
		of[k.Type] = k
	}
	return of
}()

// Kind gives the entry of the field's type.
func (f Field) Kind() Kind { return KindOf(f.Type) }

// KeyTypes lists the types of fields that may be keys.
func KeyTypes() (list []FieldType) {
	for _, k := range kinds {
		if k.Key {
			list = append(list, k.Type)
		}
	}
	return list
}
