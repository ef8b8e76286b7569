package suggest

import (
	"slices"
	"strings"
	"testing"
)

// Cells with town, state and code give each of them its field, but where another column has the
// state.
func TestTownsWithStates(t *testing.T) {
	contact, _ := standard(t).Type("contact")
	cells := "Baltimore, MD 21202|Annapolis, MD 21401|Boston, MA 02110|Portland ME 04101|Newport, RI 02840"
	for _, x := range []struct{ columns, want string }{
		{"City / State / ZIP=" + cells, "locality town, postal_code postal_code, region region"},
		{"City, ZIP=" + cells, "locality town, postal_code postal_code, region region"},
		{"City / State / ZIP=" + cells + ";State=MD|MD|MA|ME|RI", "locality town, postal_code postal_code"},
		{"LKZ-PLZ-Ort=D-24159 Kiel|A-6900 Bregenz|NL-1012 AB Amsterdam|DK-6400 Sønderborg|26506 Norden",
			"country country, locality town, postal_code postal_code"},
		{"LKZ-PLZ-Ort=D-24159 Kiel|A-6900 Bregenz|D-18055 Rostock|D-20095 Hamburg|D-24937 Flensburg;Land=DE|AT|DE|DE|DE",
			"locality town, postal_code postal_code"},
		{"City=Kiel, Germany|Lyon, France|Oslo|Bergen|Hamburg", "country country, locality town"},
		{"City=Kiel (Germany)|Lyon|Oslo|Bergen|Hamburg;Country=DE|FR|NO|NO|DE", "locality "},
		{"City=Kiel (Wik)|Lyon|Oslo|Bergen|Hamburg", "locality "},
		{"Street=Kai 5|Kai 7|Hafenstr. 8|Nordallee 12|Am Hafen 3, 17493 Greifswald",
			"locality address_town, postal_code address_postal_code, street address_street"},
		{"Anschrift=Herrn Peter Berg, Kai 5, 24159 Kiel|Frau Anna Osei, Kai 7, 24159 Kiel|Kai 8, 24159 Kiel|" +
			"Herrn Per Lund, Nordallee 12, 18055 Rostock|Quay GmbH, Am Hafen 3, 17493 Greifswald",
			"account addressee_company, locality address_town, postal_code address_postal_code, street address_street"},
		{"PLZ=D-24159|A-6900|D-18055|D-20095|24937;Ort=Kiel|Bregenz|Rostock|Hamburg|Flensburg",
			"country country, postal_code postal_code"},
		{"PLZ=24159|6900|18055|D-20095|24937;Ort=Kiel|Bregenz|Rostock|Hamburg|Flensburg", "postal_code "},
		{"PLZ Ort=24143 Kiel|8010 Graz|20095 Hamburg|24937 Flensburg|23966 Wismar", "locality town, postal_code postal_code"},
	} {
		columns := columnsOf("Surname=Whitlock|Osei|Chandra|Kirkby|Moffat;" + x.columns)
		var got []string
		for _, s := range Columns(contact, columns, nil) {
			if s.Taken && s.Column == columns[1].Header {
				got = append(got, s.Field+" "+string(s.Take))
			}
		}
		slices.Sort(got)
		if said := strings.Join(got, ", "); said != x.want {
			t.Errorf("%s: %q, want %q", x.columns, said, x.want)
		}
	}
}

// A column of towns that have the letters of their states behind them gives both.
func TestTownsWithTheirStates(t *testing.T) {
	firm := column("Company", "Harbor Point LLC", "Bayview Yachts Inc", "Lake Boats LLC", "Quay Works Inc")
	for _, x := range []struct {
		cells []string
		want  string
	}{
		{[]string{"Boston, MA", "Newport, RI", "Burlington", "Mystic, CT"}, "locality+region"},
		{[]string{"Boston, Lincs", "Newport", "Burlington", "Mystic"}, "locality"},
	} {
		got := takenOf(t, "account", firm, column("City", x.cells...))["City"]
		if got != x.want && got != "region+locality" {
			t.Errorf("%v goes to %s, want %s", x.cells, got, x.want)
		}
	}
}
