package suggest

import (
	"strings"
	"testing"

	"uchi/internal/core/sheet"
)

// The country of numbers that name none is told by what else is of it; without that, or with
// as much for another, it is not guessed.
func TestTheCountryOfTelephoneNumbers(t *testing.T) {
	for _, c := range []struct{ columns, want string }{
		{"Tel.=58 555 01 01|+48 602 345 678|603 456 789", "PL others are written with its code"},
		{"Tel.=58 555 01 01|603 456 789;Kod=81-350|11-500", "PL the postal codes are written as there"},
		{"Tel=0523-555 01|0173-555 02;Företag=Smögens Marina AB|Båtvarvet HB",
			"SE companies have legal forms of that country"},
		{"Phone=020 7946 0101|01308 555 010;Web=www.quay.co.uk|harbour.org.uk/shop",
			"GB addresses of the net are of that country"},
		{"Tel=0523-555 01|0173-555 02;Name=Smögens Marina|Båtvarvet", ""},
		{"Tel=58 555 01 01|603 456 789;Firma=Marina Sopot Sp. z o.o.|Stocznia Wiatr Sp. z o.o.",
			"PL companies have legal forms of that country"},
		{"Tel=0431 5550101|0461 5550102;Name=Werft Nord GmbH|Hafen Kiel GmbH", ""}, // of three countries
		{"Tel=0431 5550101|0461 5550102;Name=Werft Nord GmbH|Hafen Kiel GmbH;Mail=a@nord.de|b@kiel.de",
			"DE companies have legal forms of that country"},
		{"Phone=0131 496 0202|+49 431 555120|+49 30 555120|+44 20 7946 0101|+47 22 00 00 00", ""}, // of several countries
		{"Phone=0131 496 0202|+49 431 555120|+44 20 7946 0101|+44 131 496 0201|+44 1803 555001|+44 1308 555010",
			"GB others are written with its code"},
		{"Tel=0515-412345|06 11223344;Land=NL|Nederland", "NL the rows that name a country name this one"},
		{"Tel=0515-412345|06 11223344;Land=NL|BE", ""},
		// the one abroad
		{"Mobil=0171 5550123|0171 5550124|0171 5550125|+31 6 55501234", ""},
		{"Cell=(410) 555-0123|410.555.0124;St=MD|Md.|VA", "US the states are of that country"},
		{"Telefone=(48) 3222-1010|(92) 3333-4444;Cidade/UF=Paraty/RJ|Salvador/BA", "BR the states are of that country"},
		{"Cell=(410) 555-0123|410.555.0124;Name=MD|VA", ""},
		{"Cell=(410) 555-0123|410.555.0124;City/State=Oxford, MD|Hampton, VA", "US the states are of that country"},
		{"Tel.=033 555 01 01|022 555 01 02;Kt.=BE|GE|TI", "CH the states are of that country"},
		{"Tel=12|34;Name=Smögens Marina AB|Varvet AB", ""},                                         // no numbers there
		{"Tel=+46 523 555 01|+46 173 555 02;Name=Smögens Marina AB|Varvet AB", ""},                 // nothing to tell
		{"Tel=523 555 01;Web=www.a.se;Name=Havn AS", ""},                                           // as much for Norway
		{"Tel=0523-555 01|0173-555 02;Notes=call AS soon as the gate is open. se|see also no", ""}, // words
	} {
		var columns []sheet.Column
		for part := range strings.SplitSeq(c.columns, ";") {
			header, cells, _ := strings.Cut(part, "=")
			columns = append(columns, column(header, strings.Split(cells, "|")...))
		}
		home, ok := NewView(columns).HomeOf([]string{columns[0].Header})
		if got := strings.TrimSpace(home.Country + " " + home.Reason); ok != (c.want != "") || ok && got != c.want {
			t.Errorf("%s: %v %q, want %q", c.columns, ok, got, c.want)
		}
	}
}
