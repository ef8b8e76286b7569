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
		{"Tel=040 1|050 2;Name=Werft Nord GmbH|Hafen Kiel GmbH", ""}, // of three countries
		{"Tel=0431 5550101|0461 5550102;Name=Werft Nord GmbH|Hafen Kiel GmbH", // whose numbers are of one
			"DE companies have legal forms of that country"},
		{"Komórka=601123456|602234567;Kod=81-350|11-500", "PL the postal codes are written as there"},
		{"telefon=04841 17812|0461 55501;plz=25813|24937", "DE postal codes are called and written as there"},
		{"Telefon=0662 882345|01 5123456;PLZ Ort=5020 Salzburg|1010 Wien", "AT postal codes are called and written as there"},
		{"Telefon=044 668 18 00|031 311 22 33|062 834 55 66;PLZ=8001|3011;Name=Kran AG|Boot GmbH",
			"CH postal codes are called and written as there"},
		{"Tél=02 40 55 01 20|0612345678;CP=44000|69002", "FR postal codes are called and written as there"},
		{"Telefono=954 55 01 20|612 345 678;C.P.=41001|29001", "ES postal codes are called and written as there"},
		{"Tlf=55 21 01 20|912 34 567;Postnr=5003|9008", ""}, // of Norway, or Denmark
		{"Phone=617-555-0120|6175550121;Zip Code=02108|75201", "US postal codes are called and written as there"},
		{"Telefon=04841 17812|0461 55501;Code=25813|24937", ""},
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
