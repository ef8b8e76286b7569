package value

import (
	"testing"

	"uchi/internal/core/catalog"
)

func TestCapitalsAsNames(t *testing.T) {
	of := func(l catalog.Likeness) catalog.Field {
		return catalog.Field{Name: "x", Type: catalog.Text, Likeness: l}
	}
	for _, x := range []struct {
		field    catalog.Likeness
		in, want string
	}{
		{catalog.AsFamilyName, "KRÜGER", "Krüger"}, {catalog.AsFamilyName, "VAN DER KADE", "van der Kade"},
		{catalog.AsFamilyName, "O'NEILL", "O'Neill"}, {catalog.AsFamilyName, "MCDONALD", "McDonald"},
		{catalog.AsFamilyName, "MÜLLER-LÜDENSCHEIDT", "Müller-Lüdenscheidt"}, {catalog.AsFamilyName, "NG", "Ng"},
		{catalog.AsFamilyName, "Krüger", "Krüger"}, {catalog.AsFamilyName, "ΚΑΠΕΤΑΝΟΣ", "Καπετανος"},
		{catalog.AsFamilyName, "DE", "De"}, {catalog.AsGivenName, "ANNA-LENA", "Anna-Lena"},
		{catalog.AsGivenName, "J.P.", "J.P."}, {catalog.AsGivenName, "JEAN P.", "Jean P."}, {catalog.AsGivenName, "", ""},
		{catalog.AsCompanyName, "MARINA BREMERHAVEN GMBH & CO. KG", "Marina Bremerhaven GmbH & Co. KG"},
		{catalog.AsCompanyName, "HSH WERFT AG", "HSH Werft AG"}, {catalog.AsCompanyName, "PORT OF CORK LTD.",
			"Port of Cork Ltd."},
		{catalog.AsCompanyName, "3M MARINE", "3M Marine"}, {catalog.AsCompanyName, "IBM", "IBM"},
		{catalog.AsCompanyName, "SKARVIKA BOATYARD AS", "Skarvika Boatyard AS"},
		{catalog.AsStreet, "AM NEUEN HAFEN 12B", "Am Neuen Hafen 12B"}, {catalog.AsLocality, "FRANKFURT AM MAIN",
			"Frankfurt am Main"}, {catalog.AsLocality, "SAINT-TROPEZ", "Saint-Tropez"},
	} {
		if got, trouble := NewReader(of(x.field), Settings{Capitals: AsNames}).Read(x.in); got != x.want {
			t.Errorf("%s %q: %q %s, want %q", x.field, x.in, got, trouble.Code, x.want)
		}
		if got, _ := NewReader(of(x.field), Settings{}).Read(x.in); got != x.in {
			t.Errorf("%q is set without being told: %q", x.in, got)
		}
	}
	job := catalog.Field{Name: "job", Type: catalog.Text, Holds: catalog.HoldsJobTitle}
	if got, _ := NewReader(job, Settings{Capitals: AsNames}).Read("CEO AND OWNER"); got != "CEO and Owner" {
		t.Errorf("a job title: %q", got)
	}
	if got, _ := NewReader(catalog.Field{Name: "note", Type: catalog.Text},
		Settings{Capitals: AsNames}).Read("STOP IT"); got != "STOP IT" {
		t.Errorf("what holds no names is set: %q", got)
	}
}
