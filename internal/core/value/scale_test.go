package value

import (
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/problem"
)

// Amounts are read as they are meant, or not at all: no word behind one is dropped.
func TestScaledAmounts(t *testing.T) {
	money := NewReader(catalog.Field{Type: catalog.Money}, Settings{})
	for s, want := range map[string]string{
		"3.5k": "3500.00", "1.2M": "1200000.00", "2 Mio": "2000000.00", "2,5 Mio. €": "2500000.00", "10 TEUR": "10000.00",
		"k€ 12": "12000.00", "€12.5k": "12500.00", "12k EUR": "12000.00",
		"(1.5k)": "-1500.00", "-2k": "-2000.00", "15 lakh": "1500000.00", "2 crore": "20000000.00",
		"1,5 mln zł": "1500000.00", "1.25 bn": "1250000000.00", "€ 1.250,–": "1250.00", "(1,200.00)": "-1200.00",
		"1 234,50 kr": "1234.50",
		"300 tkr":     "300000.00", "$4m": "4000000.00", "640": "640.00", "NOK 640": "640.00", "1.5E3": "1500.00",
		"12 kr": "12.00", "100 CR": "1000000000.00", "7 M€": "7000000.00",
		"1,5 CR": "15000000.00", "1200.00 CR": "", "1,200.00CR": "",
		"5 t": "", "5 boxes": "", "k": "", "2 kk": "", "3 Mio x": "", "999999999 Mrd": "",
	} {
		if got, _ := money.Read(s); got != want {
			t.Errorf("%q: %q, want %q", s, got, want)
		}
	}
	number := NewReader(catalog.Field{Type: catalog.Integer}, Settings{})
	for s, want := range map[string]string{"3.5k": "3500", "12 m": "", "12M": "", "2 tsd.": "2000", "1.2345k": "",
		"~50": "", "50-100": "", "12 pcs": "12"} {
		if got, _ := number.Read(s); got != want {
			t.Errorf("%q as a count: %q, want %q", s, got, want)
		}
	}
	for s, want := range map[string]string{"ca. 20k €": "€", "ca. 20k": "", "über 5.000 €": "€", "~ 300 USD": "USD",
		"10k-20k": "", "1.200 bis 1.500": "", "10 to 20 USD": "USD", "10 000 kr": "kr", "10-20k EUR": "EUR", "€5k – €10k": "€", "-5 USD": "USD"} {
		if c := CurrencyIn(s); c != want {
			t.Errorf("%q carries %q, want %q", s, c, want)
		}
	}
	if c := CurrencyIn("10 TEUR"); c != "EUR" {
		t.Errorf("10 TEUR is of %q", c)
	}
}

// A currency beside an amount tells that three digits behind a sign are a group; without it, or
// where the currency has three, it is asked.
func TestGroupsOfAmountsWithTheirCurrency(t *testing.T) {
	for cell, want := range map[string]string{
		"38,500 EUR": "38500.00", "EUR 210.000": "210000.00", "$ 80,000": "80000.00", "1.500 kr": "1500.00",
		"-€ 1.250": "-1250.00",
		"38,500":   "", "210.000": "", "KWD 1.250": "", "1.250": "", "12,50 €": "12.50", "€ 1.250,50": "1250.50",
	} {
		r := NewReader(catalog.Field{Name: "amount", Type: catalog.Money}, Settings{})
		if got, trouble := r.Read(cell); got != want || (want == "") != (trouble.Code == problem.AmbiguousNumber) {
			t.Errorf("%q: %q, %q; want %q", cell, got, trouble.Code, want)
		}
	}
}

// The currency that a header names, and the header without it.
func TestCurrencyOfHeaders(t *testing.T) {
	for header, want := range map[string]string{
		"Amount (EUR)": "EUR Amount", "WERT_USD": "USD WERT", "Value in GBP": "GBP Value", "Belopp SEK": "SEK Belopp",
		"Valor (R$)": "BRL Valor", "Érték (Ft)": "HUF Érték", "Length (ft)": " Length (ft)", "Value US$": "USD Value", "Umsatz (T€)": "EUR Umsatz", "Betrag TNOK": "NOK Betrag", "Kwota (zł)": "PLN Kwota", "Price €": "EUR Price",
		"Amount": " Amount", "EUR": "EUR EUR", "€": "EUR €", "£k": "GBP £k", "EUR/USD rate": " EUR/USD rate",
		"Beløb (kr)": " Beløb (kr)", "Amount ($)": " Amount ($)", "All values": " All values", "Europe": " Europe", "": " ",
	} {
		if code, rest := CurrencyOf(header); code+" "+rest != want {
			t.Errorf("%q: %q %q, want %q", header, code, rest, want)
		}
	}
}
