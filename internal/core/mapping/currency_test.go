package mapping

import (
	"fmt"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/problem"
	"uchi/internal/core/sheet"
)

// An amount that says another currency than the row is held; a sign that several have may be any
// of them.
func TestAmountsInAnotherCurrency(t *testing.T) {
	c, err := catalog.Standard()
	if err != nil {
		t.Fatal(err)
	}
	columns := []sheet.Column{{Header: "Deal"}, {Header: "Amount (EUR)"}, {Header: "Cur"}}
	for _, x := range []struct {
		currency      Origin
		amount, cur   string
		want, problem string
	}{
		{Origin{Fixed: "EUR"}, "1000", "", "1000.00 EUR", ""},
		{Origin{Fixed: "EUR"}, "1000 €", "", "1000.00 EUR", ""},
		{Origin{Fixed: "EUR"}, "1000 USD", "", "1000.00 EUR", "USD, and EUR"},
		{Origin{From: []string{"Cur"}}, "£2000", "EUR", "2000.00 EUR", "£, and EUR"},
		{Origin{From: []string{"Cur"}}, "kr 4000", "NOK", "4000.00 NOK", ""},
		{Origin{From: []string{"Cur"}}, "kr 4000", "GBP", "4000.00 GBP", "kr, and GBP"},
		{Origin{From: []string{"Cur"}}, "$5", "CAD", "5.00 CAD", ""},
		{Origin{From: []string{"Cur"}}, "1000 USD", "", "1000.00 ", ""},
		{Origin{From: []string{"Cur"}}, "12,-", "EUR", "12.00 EUR", ""},
		{Origin{From: []string{"Amount (EUR)"}, Take: TakeCurrency}, "1000 USD", "", "1000.00 USD", ""},
		{Origin{From: []string{"Amount (EUR)"}, Take: TakeCurrency}, "1000", "", "1000.00 EUR", ""}, // that of the header
		{Origin{From: []string{"Amount (EUR)"}, Take: TakeCurrency}, "", "", " ", ""},
	} {
		r := Routine{May: CreateOrUpdate,
			Drafts: []Draft{{Type: "opportunity", Fields: map[string]Origin{"title": {From: []string{"Deal"}},
				"amount": {From: []string{"Amount (EUR)"}}, "currency": x.currency}}}}
		p, err := NewPlan(r, c, columns)
		if err != nil {
			t.Fatal(err)
		}
		var out Typed
		dp := p.Drafts[0]
		dp.Apply(sheet.Row{Number: 2, Cells: []string{"Pier A", x.amount, x.cur}}, &out)
		value := func(name string) string {
			for n, fp := range dp.Fields {
				if fp.Field.Name == name {
					return out.Values[n]
				}
			}
			return ""
		}
		said := ""
		for _, p := range out.Problems {
			if p.Code == problem.OtherCurrency {
				said = p.Detail
			}
		}
		if got := fmt.Sprint(value("amount"), " ", value("currency")); got != x.want || said != x.problem {
			t.Errorf("%q %q: %q %q, want %q %q", x.amount, x.cur, got, said, x.want, x.problem)
		}
	}
}

// Where a value that cannot be read does not hold its row, neither does an amount in another currency.
func TestAnAmountInAnotherCurrencyAsATrifle(t *testing.T) {
	c, err := catalog.Standard()
	if err != nil {
		t.Fatal(err)
	}
	fields := map[string]Origin{"title": {From: []string{"Deal"}},
		"amount": {From: []string{"Amount"}, Unreadable: LeaveValue}, "currency": {Fixed: "EUR"}}
	p, err := NewPlan(Routine{May: CreateOrUpdate, Drafts: []Draft{{Type: "opportunity", Fields: fields}}}, c,
		[]sheet.Column{{Header: "Deal"}, {Header: "Amount"}})
	if err != nil {
		t.Fatal(err)
	}
	var out Typed
	p.Drafts[0].Apply(sheet.Row{Number: 2, Cells: []string{"Pier A", "1000 USD"}}, &out)
	for n, fp := range p.Drafts[0].Fields {
		if fp.Field.Name == "amount" && out.Values[n] != "" {
			t.Errorf("the amount is loaded all the same: %s", out.Values[n])
		}
	}
	if len(out.Problems) != 1 || out.Problems[0].Code != problem.OtherCurrency || !out.Problems[0].Light {
		t.Errorf("problems %+v", out.Problems)
	}
}
