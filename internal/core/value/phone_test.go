package value

import (
	"regexp"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/problem"

	"github.com/nyaruka/phonenumbers"
)

func TestPhones(t *testing.T) {
	check(t, field(catalog.Phone), Settings{}, []readCase{{"+47 55 11 22 33", "+4755112233", ""},
		{"0047 55112233", "+4755112233", ""}, {"+44 (0)131 496 0101", "+441314960101", ""},
		{"55112233", "", problem.BadPhone}, {"+47 1", "", problem.BadPhone},
		{"4.91E+11", "", problem.DamagedNumber}, {"not known", "", problem.BadPhone},
		{"+47 55112233 / +47 55112244", "", problem.SeveralValues}, {"+999 12345678", "", problem.BadPhone},
		{"+1 555 0100 123", "+15550100123", ""}, {"+1 415 555 0132;ext=9", "+14155550132;ext=9", ""}})
	check(t, field(catalog.Phone), Settings{Country: "GB"}, []readCase{{"0131 496 0101", "+441314960101", ""},
		{"0131 496 010", "", problem.BadPhone}, {"+44 131 496 010", "", problem.BadPhone}, {"0800 1111", "+448001111", ""},
		{"1234567890", "", problem.BadPhone}, {"0123456789", "", problem.BadPhone}, {"7777777", "", problem.BadPhone},
		{"441314960101.0", "+441314960101", ""}})
	// What can only be dialled in its own town is another number elsewhere.
	check(t, field(catalog.Phone), Settings{Country: "DE"}, []readCase{{"55 12-0", "", problem.BadPhone},
		{"555123", "", problem.BadPhone}, {"04561 55 12-0", "+49456155120", ""}, {"(0431) 5551", "+494315551", ""},
		{"431 555123", "+49431555123", ""}, {"+49 4561 551", "+494561551", ""}})
	check(t, field(catalog.Phone), Settings{Country: "IT"}, []readCase{{"06 1234567", "+39061234567", ""}})
	if got, _ := NewReader(field(catalog.Phone), Settings{Country: "GB"}).ReadIn("55 11 22 33",
		"NO"); got != "+4755112233" {
		t.Errorf("the row's country does not win: %q", got)
	}
}

// What tells mobiles is so of the numbers that are given as examples of each country.
func TestMobiles(t *testing.T) {
	mobile, told := Mobiles()
	isMobile, isTold := regexp.MustCompile(mobile), regexp.MustCompile(told)
	for code := range mobiles {
		region := phonenumbers.GetRegionCodeForCountryCode(code)
		for kind, want := range map[phonenumbers.PhoneNumberType]bool{phonenumbers.MOBILE: true, phonenumbers.FIXED_LINE: false} {
			n := phonenumbers.Format(phonenumbers.GetExampleNumberForType(region, kind), phonenumbers.E164)
			if !isTold.MatchString(n) || isMobile.MatchString(n) != want {
				t.Errorf("%s: %s is a mobile: %v", region, n, !want)
			}
		}
	}
	if isTold.MatchString("+14155550132") {
		t.Error("numbers of North America tell nothing")
	}
}

func TestPhoneShortcut(t *testing.T) {
	for _, n := range []string{"+4755112233", "+441314960101", "+49405550101", "+46313550101", "+35898550312",
		"+302109550101", "+81455550101", "+4533445566", "+31207550305", "+3531555031", "+390612345678", "+47551122",
		"+4912", "+1234567890123456"} {
		full, fullTrouble := readPhone(n, "")
		p := newPhoneReader()
		if quickly, ok := p.plain(n); ok && (quickly != full || fullTrouble.Code != "") {
			t.Errorf("%s: quick %q, full %q %v", n, quickly, full, fullTrouble)
		}
	}
}

// A number with its country's code and no sign before it is not dialled at home.
// What stands beside a number is never dialled and never passed over.
func TestWhatStandsBesideAPhone(t *testing.T) {
	p := newPhoneReader()
	for _, c := range []struct {
		cell, country, want string
		code                problem.Code
	}{
		{"0431 / 39 92 18", "DE", "+49431399218", ""},
		{"0431/399218-12", "DE", "+4943139921812", ""},
		{"04699 / 12 34 56", "DE", "+494699123456", ""},
		{"07700/0003416", "GB", "", problem.BadPhone},
		{"0431 / 399218 / 0171 2345678", "DE", "", problem.SeveralValues},
		{"0431 399218 Durchwahl 12", "DE", "+4943139921812", ""},
		{"016 7985078", "IT", "+390167985078", ""}, {"016 798507", "ES", "", problem.BadPhone},
		{"(13) 3341-4049 r. 26", "BR", "+551333414049;ext=26", ""},
		{"0431 3992-0, DW 18", "DE", "+49431399218", ""}, // it stands for the 0
		{"0161 496 0607 DW 68", "GB", "+441614960607;ext=68", ""},
		{"Tel. 0431 399218", "DE", "+49431399218", ""},
		{"\u202a+49 431 399218\u202c", "DE", "+49431399218", ""},
		{"1-800-FLOWERS", "US", "+18003569377", ""},
		{"0431 399218 (priv.)", "DE", "", problem.BadPhone},
		{"0171-2345678 (Handy)", "DE", "+491712345678", ""},
		{"0431 399218 - Zentrale", "DE", "+49431399218", ""},
		{"+44 20 7946 0018 (office)", "", "+442079460018", ""},
		{"Tel./Fax 0431 399218", "DE", "+49431399218", ""},
		{"0431 399218 = Fax", "DE", "", problem.BadPhone},
		{"0431 399218 (alt)", "DE", "", problem.BadPhone},
		{"0171/2345678 privat", "DE", "", problem.BadPhone},
		{"Fax: 0431 399218", "DE", "", problem.BadPhone},
		{"c/o Anna 0431 399218", "DE", "", problem.BadPhone},
		{"0431 399218, 0171 2345678", "DE", "", problem.SeveralValues},
		{"0431 399218 oder 0171 2345678", "DE", "", problem.SeveralValues},
		{"0431 399218-0/-12", "DE", "", problem.SeveralValues},
		{"0431 39 92 18 / 19", "DE", "", problem.SeveralValues},
		{"55214410/11", "NO", "", problem.SeveralValues},
		{"58 301 22 34 w. 12", "PL", "+48583012234;ext=12", ""},
		{"+47 (0) 22 00 00 00", "NO", "+4722000000", ""},
		{"+39 (0)6 1234567", "IT", "+39061234567", ""},
		{"0421/5550", "NO", "", problem.BadPhone},
		{"06 1234567", "IT", "+39061234567", ""},
		{"08-123 456 ankn. 7", "SE", "+468123456;ext=7", ""},
		{"04 91 22 33 44 poste 12", "FR", "+33491223344;ext=12", ""},
		{"06 1234 5678 interno 4", "IT", "+390612345678;ext=4", ""},
	} {
		if got, trouble := p.read(Trim(c.cell), c.country); got != c.want || trouble.Code != c.code {
			t.Errorf("%q (%s): %q, %q (%s); want %q, %q", c.cell, c.country, got, trouble.Code, trouble.Detail, c.want, c.code)
		}
	}
}

func TestPhonesWithCode(t *testing.T) {
	for in, want := range map[[2]string]string{
		{"DE", "49 171 1234567"}: "+491711234567", {"DE", "0491 1234567"}: "+494911234567",
		{"DE", "0171 1234567"}: "+491711234567", {"GB", "44 20 7946 0101"}: "+442079460101",
		{"NO", "47123456"}: "+4747123456", {"NO", "4722123456"}: "+4722123456", {"DK", "45123456"}: "+4545123456",
		{"US", "1 212 555 0199"}: "+12125550199", {"SE", "046-123 45"}: "+464612345",
	} {
		if got, trouble := NewReader(catalog.Field{Name: "phone", Type: catalog.Phone}, Settings{}).ReadIn(in[1],
			in[0]); got != want {
			t.Errorf("%q: %q %s, want %q", in, got, trouble.Code, want)
		}
	}
}

// Zeros are no number of a telephone, with the code of a country or without.
func TestNoPhone(t *testing.T) {
	n := NewNothing(catalog.Field{Name: "phone", Type: catalog.Phone}, nil)
	for text, want := range map[string]bool{"0": true, "000-000-0000": true, "0000000000": true, "+1 000 000 0000": true,
		"+47 00 00 00 00": true, "00000": true, "00": false, "+47 22 00 00 00": false, "0800 000000": false, "112": false} {
		if got := n.Is(text); got != want {
			t.Errorf("%q: %v, want %v", text, got, want)
		}
	}
}

// Numbers that can be read as those of several countries are given out in one, and dialled there as they are written.
func TestPhoneOf(t *testing.T) {
	for s, want := range map[string]string{"0662 882345": "AT DE", "044 668 18 00": "CH DE", "662 882345": "ES PL", "954 55 01 20": "ES PL",
		"601 123 456": "ES PL", "+43 662 882345": "", "ext 12": ""} {
		var got []string
		for _, country := range []string{"AT", "CH", "DE", "ES", "PL"} {
			if PhoneOf(s, country) {
				got = append(got, country)
			}
		}
		if strings.Join(got, " ") != want {
			t.Errorf("%q: %v, want %q", s, got, want)
		}
	}
}
