package mapping

import (
	"cmp"
	"strings"

	"uchi/internal/core/value"
)

// of gives the part of a text.
func (t Take) of(s string) string {
	switch t {
	case TakeGivenName:
		given, _ := value.SplitName(s)
		return given
	case TakeFamilyName:
		_, family := value.SplitName(s)
		return family
	case TakeFamilyFirst:
		_, family := value.SplitFamilyFirst(s)
		return family
	case TakeGivenLast:
		given, _ := value.SplitFamilyFirst(s)
		return given
	case TakeHonorific:
		return value.Honorific(s)
	case TakeAddresseeHonorific, TakeAddresseeGiven, TakeAddresseeFamily:
		return nameTakes[t].of(addressee(s).Person)
	case TakeAddresseeCompany:
		return addressee(s).Company
	case TakeCurrency:
		return value.CurrencyIn(s)
	case TakePostalCode, TakeTown, TakeRegion, TakeCountry,
		TakeAddressStreet, TakeAddressCode, TakeAddressTown, TakeAddressRegion, TakeAddressCountry:
		return t.placed(s, kept{})
	}
	words := strings.Fields(s)
	if len(words) == 0 {
		return ""
	}
	if t == TakeLastWord {
		return words[len(words)-1]
	}
	return words[0]
}

// nameTakes gives the part of a name for that of the name on an envelope.
var nameTakes = map[Take]Take{TakeAddresseeHonorific: TakeHonorific, TakeAddresseeGiven: TakeGivenName,
	TakeAddresseeFamily: TakeFamilyName}

// addressee gives whom an envelope is for.
func addressee(s string) value.Addressee {
	who, _, _ := value.SplitEnvelope(s)
	return who
}

// name gives the full name of which the origin takes a half: that of the cell, or on an envelope.
func (o *origin) name(cells []string) string {
	s := o.cell(cells, 0)
	if nameTakes[o.take] != "" {
		return addressee(s).Person
	}
	return s
}

// kept says what of a place no field takes, so that it stays where it stands: the region and the
// country behind the town, the letters of a country before the postal code, and whom an envelope is for
// before the street.
type kept struct{ region, country, person, company bool }

// placed gives the part of a place, or of a whole address, with what is kept.
func (t Take) placed(s string, k kept) string {
	p := value.TownOf(s)
	if p.Town == s && (t == TakeTown || t == TakeRegion) {
		if parts, ok := value.TownAndRegion(s); ok {
			p = parts
		}
	}
	if t.ofAddress() {
		var ok bool
		if p, ok = value.SplitAddress(s); !ok {
			p = value.Place{Street: s}
		} else if t == TakeAddressStreet {
			p.Street = streetOf(s, k)
		}
	}
	switch t {
	case TakeAddressStreet:
		return p.Street
	case TakePostalCode, TakeAddressCode:
		if k.country {
			return p.Written
		}
		return p.Code
	case TakeTown, TakeAddressTown:
		town := p.Town
		if k.region && p.Region != "" {
			town += ", " + p.Region
		}
		if k.country && p.Country != "" {
			town += ", " + p.Country
		}
		return town
	case TakeRegion, TakeAddressRegion:
		return p.Region
	default:
		return cmp.Or(p.Country, p.Abroad)
	}
}

// streetOf gives the street of a whole address, with what is kept of whom it is for.
func streetOf(s string, k kept) string {
	who, p, _ := value.SplitEnvelope(s)
	street := p.Street
	if k.person && who.Person != "" {
		street = strings.Trim(who.Person+", "+street, ", ")
	}
	if k.company && who.Company != "" {
		street = strings.Trim(who.Company+", "+street, ", ")
	}
	return street
}

// ofAddress reports whether it is a part of a whole address.
func (t Take) ofAddress() bool {
	switch t {
	case TakeAddressStreet, TakeAddressCode, TakeAddressTown, TakeAddressRegion, TakeAddressCountry:
		return true
	}
	return false
}

// splitsName reports whether it is a half of a person's name.
func (t Take) splitsName() bool {
	switch t {
	case TakeGivenName, TakeFamilyName, TakeFamilyFirst, TakeGivenLast, TakeHonorific:
		return true
	}
	return nameTakes[t] != ""
}
