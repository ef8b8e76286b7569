package value

import (
	"strings"
	"testing"
)

func TestSplitTown(t *testing.T) {
	for s, want := range map[string][3]string{
		"8010 Graz": {"8010", "Graz"}, "D-20457 Hamburg": {"20457", "Hamburg"},
		"1012 AB Amsterdam": {"1012 AB", "Amsterdam"}, "09-400 Płock": {"09-400", "Płock"},
		"114 55 Stockholm": {"114 55", "Stockholm"}, "London SW1A 1AA": {"SW1A 1AA", "London"},
		"Boston, MA 02110": {"02110", "Boston", "MA"}, "Boston MA 02110": {"02110", "Boston", "MA"},
		"Sydney NSW 2000": {"2000", "Sydney", "NSW"}, "Ottawa, ON K1A 0B1": {"K1A 0B1", "Ottawa", "ON"},
		"16121 Genova (GE)": {"16121", "Genova", "GE"}, "48001 - Bilbao (Bizkaia)": {"48001", "Bilbao", "Bizkaia"},
		"24106 Kiel (Wik)": {"24106", "Kiel (Wik)", ""}, "20457 Hamburg DE": {"20457", "Hamburg DE"},
		"Dublin D02 X285": {"D02 X285", "Dublin"}, "D02 X285 Dublin": {"D02 X285", "Dublin"},
		"Cork T12AB12": {"T12AB12", "Cork"}, "Dublin 2": {}, "4600  Køge ": {"4600", "Køge"},
		"24103-Kiel": {"24103", "Kiel"}, "24103 - Kiel": {"24103", "Kiel"}, "24103Kiel": {"24103", "Kiel"},
		"Kiel (24103)": {"24103", "Kiel"}, "Madrid - 28001": {"28001", "Madrid"}, "Warszawa 00-950": {"00-950", "Warszawa"},
		"〒150-0001 東京都渋谷区": {"150-0001", "東京都渋谷区"}, "Halle (Saale)": {}, "24103KIEL": {}, "3rd Avenue": {},
		"75008 Paris": {"75008", "Paris"}, "106 82 Αθήνα": {"106 82", "Αθήνα"}, "Graz": {}, "1011 AB": {}, "1011 ab": {},
		"75008 CEDEX": {}, "75008 Paris CEDEX 08": {"75008", "Paris CEDEX 08"}, "8804 Au": {}, "8010": {},
		"12 High Street": {}, "Stationsvej 117": {}, "": {}, "Ottawa K1A 0B1": {"K1A 0B1", "Ottawa"},
	} {
		if p, ok := SplitTown(s); [3]string{p.Code, p.Town, p.Region} != want || ok != (want[0] != "") {
			t.Errorf("%q: %+v, want %q", s, p, want)
		}
	}
}

// A country behind a town or an address is part of it; what is none leaves the address whole.
func TestCountriesBehindPlaces(t *testing.T) {
	for s, want := range map[string]string{
		"10115 Berlin, Deutschland": "10115|Berlin||Deutschland", "Boston, MA 02110, USA": "02110|Boston|MA|USA",
		"Oslo, Norway": "|||", "24103 Kiel / Germany": "24103|Kiel||Germany",
	} {
		if p, _ := SplitTown(s); strings.Join([]string{p.Code, p.Town, p.Region, p.Country}, "|") != want {
			t.Errorf("%q: %+v", s, p)
		}
	}
	for s, want := range map[string]string{
		"Havnegata 7, 0150 Oslo, Norway":           "Havnegata 7|0150|Oslo||Norway",
		"5 Mill St, Austin, TX 78701, USA":         "5 Mill St|78701|Austin|TX|USA",
		"80-873 Gdańsk, Na Ostrowiu 15/20, Polska": "Na Ostrowiu 15/20|80-873|Gdańsk||Polska",
		"Quay 5, 0150 Oslo, Floor B":               "||||",
	} {
		if p, _ := SplitAddress(s); strings.Join([]string{p.Street, p.Code, p.Town, p.Region, p.Country}, "|") != want {
			t.Errorf("%q: %+v", s, p)
		}
	}
}

// Letters of a country before a postal code tell the country, and are part of the code in few.
func TestLettersBeforeCodes(t *testing.T) {
	for s, want := range map[string]string{
		"D-24159 Kiel": "24159|Kiel|DE|D-24159", "A 6900 Bregenz": "6900|Bregenz|AT|A 6900",
		"CH - 8200 Schaffhausen": "8200|Schaffhausen|CH|CH - 8200",
		"NL-1012 AB Amsterdam":   "1012 AB|Amsterdam|NL|NL-1012 AB", "SE-111 22 Stockholm": "111 22|Stockholm|SE|SE-111 22",
		"LV-1010 Rīga":  "LV-1010|Rīga|LV|LV-1010",
		"FL-9490 Vaduz": "9490|Vaduz|LI|FL-9490", "DK-6400": "6400||DK|DK-6400", "24159": "24159|||24159", "Kiel": "|Kiel||",
		"CA-94103 San Francisco": "CA-94103|San Francisco||CA-94103", "AZ-85001 Phoenix": "AZ-85001|Phoenix||AZ-85001",
	} {
		p := TownOf(s)
		if got := strings.Join([]string{p.Code, p.Town, p.Abroad, p.Written}, "|"); got != want {
			t.Errorf("%q: %q, want %q", s, got, want)
		}
	}
	if p, ok := SplitAddress("Sund 4, D-18439 Stralsund"); !ok || p.Abroad != "DE" || p.Country != "" {
		t.Errorf("an address: %+v", p)
	}
}

func TestHonorific(t *testing.T) {
	for name, want := range map[string]string{
		"Frau Dr. Anke Kade": "Frau Dr.", "Herr Jürgen Kröger": "Herr", "Dott.ssa Chiara Ferrando": "Dott.ssa",
		"Kade, Dr. Ada": "Dr.", "Mr Kade": "Mr", "de heer Jan Kade": "de heer",
		"Ada Kade": "", "Kade": "", "Kade, Ada": "", "Ada Kade, MBA": "", "M. Kade": "M.",
		"Prof. Dr. med. Per Lund": "Prof. Dr. med.", "": "", "pan Novák": "pan", "p. Kasia Zielińska": "p.",
		"P. Kasia": "", "Pan Wei": "", "Ing. Jiří Dvořák, Ph.D.": "Ing.",
	} {
		if got := Honorific(name); got != want {
			t.Errorf("%q: %q, want %q", name, got, want)
		}
	}
}

func TestMobileShare(t *testing.T) {
	for _, x := range []struct {
		texts []string
		home  string
		share float64
		told  int
	}{
		{[]string{"+49 151 23456789", "0171 2345678", "+49 160 1234567"}, "", 1, 3},
		{[]string{"+49 30 901820", "030 901821", "+49 89 23300"}, "", 0, 3},
		{[]string{"+47 22 00 00 00", "+47 41 00 00 00"}, "", 0.5, 2},
		{[]string{"none", "12"}, "", 0, 0},
		{[]string{"0171 2345678", "0160 1234567"}, "", 0, 0},
		{[]string{"0171 2345678", "0160 1234567"}, "DE", 1, 2},
		{[]string{"+47 41 00 00 00", "22 00 00 00"}, "DE", 0.5, 2},                  // what is written says more
		{[]string{"07700 900123", "07700 900456", "01632 960001"}, "GB", 2. / 3, 3}, // that are set aside, by how they begin
		{[]string{"06 39 98 12 34", "02 96 12 34 56"}, "FR", 0.5, 2},
	} {
		if share, told := MobileShare(x.texts, x.home); share != x.share || told != x.told {
			t.Errorf("%q: %v of %d", x.texts, share, told)
		}
	}
}

func TestSplitAddress(t *testing.T) {
	for in, want := range map[string][4]string{
		"Am Hafen 3, 17493 Greifswald": {"Am Hafen 3", "17493", "Greifswald"},
		"Hafenstr. 12\n18546 Sassnitz": {"Hafenstr. 12", "18546", "Sassnitz"},
		"Sund 4, D-18439 Stralsund":    {"Sund 4", "18439", "Stralsund"}, "Hafenstraße 6; 17440 Kröslin": {"Hafenstraße 6",
			"17440", "Kröslin"},
		"c/o Kai, Steg B, 25761 Büsum, Deutschland":      {"c/o Kai, Steg B", "25761", "Büsum"},
		"4 Quay Road, Anchorby, AB1 2CD":                 {"4 Quay Road", "AB1 2CD", "Anchorby"},
		"12 Quay Road\nAnchorby AB1 2CD\nUnited Kingdom": {"12 Quay Road", "AB1 2CD", "Anchorby"},
		"Havenkade 12, 8607 AA Sneek":                    {"Havenkade 12", "8607 AA", "Sneek"},
		"3 rue du Port, 17000 La Rochelle":               {"3 rue du Port", "17000", "La Rochelle"},
		"Am Hafen 3 17493 Greifswald":                    {"Am Hafen 3", "17493", "Greifswald"},
		"Am Hafen 3":                                     {}, "17493 Greifswald": {}, "Kai 1, 2": {},
		"Am Hafen 3, Greifswald": {}, "": {},
		"Postfach 1234": {}, "P.O. Box 44, Cork": {},
		"12 Main St, Springfield, IL 62701":              {"12 Main St", "62701", "Springfield", "IL"},
		"12 Main St, Suite 4, Springfield IL 62701, USA": {"12 Main St, Suite 4", "62701", "Springfield", "IL"},
		"Level 3, 20 Bond St, Sydney NSW 2000":           {"Level 3, 20 Bond St", "2000", "Sydney", "NSW"},
		"2 Quay, Cork, T12 AB12":                         {"2 Quay", "T12 AB12", "Cork"},
		"Via Roma 12 - 16121 Genova (GE)":                {"Via Roma 12", "16121", "Genova", "GE"},
		"10 rue du Port 17000 La Rochelle":               {"10 rue du Port", "17000", "La Rochelle"},
		"Storgatan 5 SE-111 22 Stockholm":                {"Storgatan 5", "111 22", "Stockholm"},
		"Dorpsstraat 5a 1234AB Dorp":                     {"Dorpsstraat 5a", "1234AB", "Dorp"},
		"ul. Morska 5/7 81-323 Gdynia":                   {"ul. Morska 5/7", "81-323", "Gdynia"},
		"50 Wharf St Portland ME 04101":                  {"50 Wharf St", "04101", "Portland", "ME"},
		"12B Old Dock Rd. Key West FL 33040-1234":        {"12B Old Dock Rd.", "33040-1234", "Key West", "FL"},
		"50 Wharf Portland ME 04101":                     {}, "80-873 Gdańsk, Na Ostrowiu 15/20": {"Na Ostrowiu 15/20",
			"80-873", "Gdańsk"}, "Hel, 84-150, ul. Kuracyjna 1": {"ul. Kuracyjna 1", "84-150", "Hel"},
		"4600 Køge\nHavnevej 3":                    {"Havnevej 3", "4600", "Køge"},
		"80-873 Gdańsk, Na Ostrowiu 15/20, Polska": {"Na Ostrowiu 15/20", "80-873", "Gdańsk"},
		"12345 Main St, Suite 4":                   {}, "12345 Ocean Blvd, Miami": {}, "80-873 Gdańsk, Poland": {},
		"20457 Hamburg, Germany": {}, "Hel, 84-150": {}, "Postfach 12, 8010 Graz": {"Postfach 12", "8010", "Graz"},
		"12 Quay Road 4": {}, "5 Route 66 Bar": {},
	} {
		p, ok := SplitAddress(in)
		if got := [4]string{p.Street, p.Code, p.Town, p.Region}; got != want || ok != (want[1] != "") {
			t.Errorf("%q: %q %v, want %q", in, got, ok, want)
		}
	}
}

// A town with its region behind it, in the ways in which people write them; a country is none.
func TestTownAndRegion(t *testing.T) {
	for in, want := range map[string][2]string{
		"Savona (SV)": {"Savona", "SV"}, "Florianópolis/SC": {"Florianópolis", "SC"}, "Manaus - AM": {"Manaus", "AM"},
		"Houston, Texas": {"Houston", "Texas"}, "Boston, MA": {"Boston", "MA"}, "Stratford-upon-Avon": {},
		"Kiel, Germany": {}, "Oslo": {}, "16121 Genova (GE)": {}, "St. Michaels, MD": {"St. Michaels", "MD"},
	} {
		p, ok := TownAndRegion(in)
		if !ok {
			p = Place{}
		}
		if got := [2]string{p.Town, p.Region}; got != want {
			t.Errorf("%s: %q, want %q", in, got, want)
		}
	}
}
