package mapping

import (
	"fmt"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
)

func TestPartings(t *testing.T) {
	standard, err := catalog.Standard()
	if err != nil {
		t.Fatal(err)
	}
	for fields, want := range map[string]string{
		"contact given_name+family_name":           "[{given_name given_name} {family_name family_name}]",
		"contact family_name+given_name":           "[{family_name family_name_first} {given_name given_name_last}]",
		"contact honorific+given_name+family_name": "[{honorific honorific} {given_name given_name} {family_name family_name}]",
		"contact honorific+family_name+given_name": "[{honorific honorific} {family_name family_name_first} {given_name given_name_last}]",
		"contact postal_code+locality":             "[{postal_code postal_code} {locality town}]",
		"contact locality+postal_code":             "[{postal_code postal_code} {locality town}]",
		"account locality+region":                  "[{locality town} {region region}]",
		"account street+postal_code+locality":      "[{street address_street} {postal_code address_postal_code} {locality address_town}]",
		"account street+postal_code+locality+region": "[{street address_street} {postal_code address_postal_code} " +
			"{locality address_town} {region address_region}]",
		"contact postal_code+locality+country":     "[{postal_code postal_code} {locality town} {country country}]",
		"opportunity amount+currency":              "[{amount } {currency currency}]",
		"contact given_name+phone":                 "[]",
		"contact given_name":                       "[]",
		"contact given_name+family_name+honorific": "[]",
		"account website+street":                   "[]",
		"account name+street+postal_code": "[{name addressee_company} {street address_street} " +
			"{postal_code address_postal_code}]",
		"contact given_name+family_name+street": "[{given_name addressee_given_name} " +
			"{family_name addressee_family_name} {street address_street}]",
		"opportunity amount+amount":                    "[]",
		"contact given_name+family_name+given_name":    "[]",
		"account street+postal_code+locality+locality": "[]",
	} {
		name, list, _ := strings.Cut(fields, " ")
		rt, _ := standard.Type(name)
		parts, ok := PartingOf(rt, strings.Split(list, "+"))
		if got := fmt.Sprint(parts); got != want || ok != (want != "[]") {
			t.Errorf("%s: %s %v, want %s", fields, got, ok, want)
		}
	}
}
