package catalog

import (
	"slices"
	"strings"
)

// Doubt is a way in which a row may say less than a record knows already.
type Doubt string

// The ways. What a row says so is not wrong, but it is told, and a policy decides.
const (
	NoDoubt Doubt = ""
	Older   Doubt = "older"   // a date before the one that is there
	Lower   Doubt = "lower"   // a choice that comes before the one that is there
	Private Doubt = "private" // a private mailbox over one at the company, or a desk's over a person's own
	Vague   Doubt = "vague"   // a choice for what is none of the others
	Lent    Doubt = "lent"    // another currency for the amount that is there, which mostly is that of the sheet
	Abroad  Doubt = "abroad"  // a telephone number that is there with the code of another country
	Fixed   Doubt = "fixed"   // the same, or a telephone in a house over one that somebody has about them
	// a day of birth with day and month the other way round, or the first of January of the year that is known
	Turned Doubt = "turned"
	// none, where a count or an amount is there, as programs write what they do not know; or a thousandth of it
	Zero   Doubt = "zero"
	Given  Doubt = "given"  // consent where it is not given, as old sheets still have it
	Shared Doubt = "shared" // a page on a site that all companies can be on, over one of its own
)

// Doubts tells in which way a value of the field can be worse than one that is
// there. A birthday is no older for being earlier.
func (t RecordType) Doubts(f Field) Doubt {
	_, people := t.FieldAs(AsFamilyName)
	money := slices.ContainsFunc(t.Fields, func(f Field) bool { return f.Type == Money })
	switch {
	case f.Key:
		return NoDoubt
	case f.Ordered && f.Type == OneChoice:
		return Lower
	case f.Type == OneChoice && len(f.Vague()) > 0:
		return Vague
	case f.Type == Currency && money:
		return Lent
	case f.Type == Email:
		return Private
	case f.Type == Date && !(people && f.ComparedAs() == AsDate), f.Type == DateTime:
		return Older
	case f.Type == Phone && f.Holds == HoldsMobile:
		return Fixed
	case f.Type == Phone:
		return Abroad
	case f.Type == Date && f.Holds == HoldsBirth:
		return Turned
	case f.Holds == HoldsConsent && f.Type == YesNo:
		return Given
	case f.Type == URL:
		return Shared
	case !f.Required && (f.Type == Integer || f.Type == Decimal || f.Type == Money):
		return Zero
	}
	return NoDoubt
}

// vagueChoices are words for what is none of the other choices.
var vagueChoices = strings.Fields(`other others misc miscellaneous unknown unspecified undefined various sonstige sonstiges
	andere unbekannt divers diverses autre autres inconnu otro otros otra otras altro altri overig overige anders annat övrigt
	andet annet inne outro outros muu άλλο その他`)

// Vague gives the codes of a field's choices that are for what is none of the others.
func (f Field) Vague() (codes []string) {
	for _, c := range f.Choices {
		if slices.Contains(vagueChoices, strings.ToLower(c.Code)) || slices.Contains(vagueChoices, strings.ToLower(c.Label)) {
			codes = append(codes, c.Code)
		}
	}
	return codes
}
