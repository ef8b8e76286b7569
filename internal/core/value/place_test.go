package value

import "testing"

func TestSplitTown(t *testing.T) {
	for s, want := range map[string][2]string{
		"8010 Graz": {"8010", "Graz"}, "D-20457 Hamburg": {"D-20457", "Hamburg"}, "1012 AB Amsterdam": {"1012 AB", "Amsterdam"}, "09-400 Płock": {"09-400", "Płock"},
		"114 55 Stockholm": {"114 55", "Stockholm"}, "London SW1A 1AA": {"SW1A 1AA", "London"}, "Boston, MA 02110": {"02110", "Boston, MA"}, "4600  Køge ": {"4600", "Køge"},
		"75008 Paris": {"75008", "Paris"}, "106 82 Αθήνα": {"106 82", "Αθήνα"}, "Graz": {}, "1011 AB": {}, "1011 ab": {}, "75008 CEDEX": {}, "75008 Paris CEDEX 08": {"75008", "Paris CEDEX 08"}, "8804 Au": {}, "8010": {}, "12 High Street": {}, "Stationsvej 117": {}, "": {}, "Ottawa K1A 0B1": {"K1A 0B1", "Ottawa"},
	} {
		if code, town := SplitTown(s); code != want[0] || town != want[1] {
			t.Errorf("%q: %q and %q, want %q", s, code, town, want)
		}
	}
}

func TestMobileShare(t *testing.T) {
	for _, x := range []struct {
		texts []string
		share float64
		told  int
	}{
		{[]string{"+49 151 23456789", "0171 2345678", "+49 160 1234567"}, 1, 3},
		{[]string{"+49 30 901820", "030 901821", "+49 89 23300"}, 0, 3},
		{[]string{"+47 22 00 00 00", "+47 41 00 00 00"}, 0.5, 2},
		{[]string{"none", "12"}, 0, 0},
	} {
		if share, told := MobileShare(x.texts); share != x.share || told != x.told {
			t.Errorf("%q: %v of %d", x.texts, share, told)
		}
	}
}

func TestSplitAddress(t *testing.T) {
	for in, want := range map[string][3]string{
		"Am Hafen 3, 17493 Greifswald": {"Am Hafen 3", "17493", "Greifswald"}, "Hafenstr. 12\n18546 Sassnitz": {"Hafenstr. 12", "18546", "Sassnitz"},
		"Sund 4, D-18439 Stralsund": {"Sund 4", "D-18439", "Stralsund"}, "Hafenstraße 6; 17440 Kröslin": {"Hafenstraße 6", "17440", "Kröslin"},
		"c/o Kai, Steg B, 25761 Büsum, Deutschland": {"c/o Kai, Steg B", "25761", "Büsum"}, "4 Quay Road, Anchorby, AB1 2CD": {"4 Quay Road", "AB1 2CD", "Anchorby"},
		"12 Quay Road\nAnchorby AB1 2CD\nUnited Kingdom": {"12 Quay Road", "AB1 2CD", "Anchorby"}, "Havenkade 12, 8607 AA Sneek": {"Havenkade 12", "8607 AA", "Sneek"},
		"3 rue du Port, 17000 La Rochelle": {"3 rue du Port", "17000", "La Rochelle"}, "Am Hafen 3 17493 Greifswald": {"Am Hafen 3", "17493", "Greifswald"},
		"Am Hafen 3": {}, "17493 Greifswald": {}, "Kai 1, 2": {}, "Am Hafen 3, Greifswald": {}, "": {}, "Postfach 1234": {}, "12 Main St, Springfield, IL 62701": {},
	} {
		street, code, town, ok := SplitAddress(in)
		if got := [3]string{street, code, town}; got != want || ok != (want[1] != "") {
			t.Errorf("%q: %q %v, want %q", in, got, ok, want)
		}
	}
}
