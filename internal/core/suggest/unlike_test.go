package suggest

import (
	"fmt"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
	"uchi/internal/core/value"
)

// A file may have the headers of the one before and other things below them.
func TestCellsUnlikeTheirFields(t *testing.T) {
	ct, _ := standard(t).Type("contact")
	p := sheet.NewProfiler([]string{"Name", "Town", "Mail", "Born", "Note"})
	for n, name := range []string{"Kelpie Marine Ltd", "Sea Loch Charters Ltd", "Moss Boats GmbH", "Holm ApS",
		"Rigging Direct Inc", "Solent Sails Ltd", "Harbour Lights"} {
		p.Add(sheet.Row{Number: int64(n + 2),
			Cells: []string{name, []string{"Norway", "Denmark", "Sweden", "Finland", "Germany", "France", "Spain"}[n],
				fmt.Sprintf("m%d@x.example", n), fmt.Sprintf("196%d-03-04", n), fmt.Sprintf("note %d", n)}})
	}
	columns, _ := p.Profile()
	d := mapping.Draft{Type: "contact", Fields: map[string]mapping.Origin{
		"given_name":  {From: []string{"Name"}, Take: mapping.TakeGivenName},
		"family_name": {From: []string{"Name"}, Take: mapping.TakeFamilyName},
		"locality":    {From: []string{"Town"}}, "email": {From: []string{"Mail"}}, "birthday": {From: []string{"Born"}},
		"description": {From: []string{"Note"}},
	}}
	got := ""
	for _, u := range NewView(columns).Unlike([]Target{{Type: ct}}, []mapping.Draft{d}) {
		got += u.Column + ": " + u.Why + "\n"
	}
	if want := "Name: its values look like names of companies\nTown: its values are countries\n"; got != want {
		t.Errorf("%s, want %s", got, want)
	}
	o := d.Fields["locality"]
	o.Values = map[string]string{"Norway": "Oslo"}
	d.Fields["locality"] = o
	if list := NewView(columns).Unlike([]Target{{Type: ct}}, []mapping.Draft{d}); len(list) != 1 {
		t.Errorf("what has a list of its own is doubted: %+v", list)
	}
}

// Where the header has more names than the rows have cells, nothing is taken, and it is said of what a routine has placed.
func TestNothingIsTakenUnderNamesTooMany(t *testing.T) {
	contact, _ := standard(t).Type("contact")
	columns := columnsOf("Given name=Ada|Bo|Cy|Di;Family name=Holm|Moe|Lind|Kade;E-mail=a@x.example|b@x.example|c@x.example|d@x.example;Town=")
	for _, shifted := range []bool{false, true} {
		columns[3].Unreached = shifted
		taken := 0
		for _, s := range NewView(columns).Across([]Target{{Type: contact}}) {
			if s.Taken {
				taken++
			}
		}
		drafts := []mapping.Draft{{Type: "contact", Fields: map[string]mapping.Origin{"email": {From: []string{"E-mail"}}}}}
		unlike := NewView(columns).Unlike([]Target{{Type: contact}}, drafts)
		if (taken == 0) != shifted || (len(unlike) > 0) != shifted || shifted && unlike[0].Column != "Town" {
			t.Errorf("shifted %v: %d are taken, %+v", shifted, taken, unlike)
		}
	}
}

// Lines where mobile numbers belong are said; mobile numbers where any telephone is asked for are not.
func TestLinesUnderMobileNumbers(t *testing.T) {
	contact, _ := standard(t).Type("contact")
	columns := columnsOf("A=+420 377 312 265|+420 541 586 721|+420 224 811 100|+420 595 490 158|+420 377 846 108|+420 541 088 865;" +
		"B=+420 602 068 020|+420 721 219 965|+420 721 687 397|+420 777 083 047|+420 603 111 222|+420 602 437 080")
	for mobile, want := range map[string]string{"A": "A: its values are no mobile numbers", "B": ""} {
		phone := map[string]string{"A": "B", "B": "A"}[mobile]
		d := mapping.Draft{Type: "contact", Fields: map[string]mapping.Origin{
			"mobile": {From: []string{mobile}}, "phone": {From: []string{phone}}}}
		got := ""
		for _, u := range NewView(columns).Unlike([]Target{{Type: contact}}, []mapping.Draft{d}) {
			got += u.Column + ": " + u.Why
		}
		if got != want {
			t.Errorf("mobile from %s: %q, want %q", mobile, got, want)
		}
	}
}

// Companies that are called as people could be are none, where some say their legal form.
func TestCompaniesCalledLikePeople(t *testing.T) {
	account, _ := standard(t).Type("account")
	d := mapping.Draft{Type: "account", Fields: map[string]mapping.Origin{"name": {From: []string{"Firma"}}}}
	const names = "Firma=Marina Gdynia%s|Marina Szczecin|Paula Adamczyk|Marina Olsztyn|Anna Kowalska|Marina Giżycko|Klara Nowak|Marina Wolin"
	for form, want := range map[string]int{"": 1, " S.A.": 0} {
		list := NewView(columnsOf(fmt.Sprintf(names, form))).Unlike([]Target{{Type: account}}, []mapping.Draft{d})
		if len(list) != want {
			t.Errorf("with %q: %+v", form, list)
		}
	}
}

// What is told of yes and no is what is read: of a header that denies what its field asks, unless
// somebody has said how it is meant.
func TestColumnsThatSayTheOpposite(t *testing.T) {
	ct, _ := standard(t).Type("contact")
	own := ct
	own.Fields = []catalog.Field{{Name: "do_not_disturb", Label: "Do not disturb", Type: catalog.YesNo}}
	for _, x := range []struct {
		t             catalog.RecordType
		field, header string
		sense         value.Sense
		want          int
	}{
		{ct, "email_consent", "Opted out", "", 1}, {ct, "email_consent", "Newsletter", "", 0},
		{ct, "email_consent", "Opted out", value.SameSense, 0}, {own, "do_not_disturb", "Do not disturb", "", 0},
	} {
		d := mapping.Draft{Fields: map[string]mapping.Origin{x.field: {From: []string{x.header}, Sense: x.sense}}}
		if got := Opposite([]Target{{Type: x.t}}, []mapping.Draft{d}); len(got) != x.want {
			t.Errorf("%s under %q (%s): %v", x.field, x.header, x.sense, got)
		}
	}
}

// Two headers that have changed places are seen by what stands below them.
func TestHeadersThatChangedPlaces(t *testing.T) {
	lead, _ := standard(t).Type("lead")
	given := "Anneke|Bas|Cornelia|Dirk|Femke|Gijs|Hanna|Jolanda"
	firms := "Kade Techniek B.V.|Havenlicht N.V.|De Steiger B.V.|Roerdomp V.O.F.|Schip & Zoon B.V.|Kraan B.V.|Tuig N.V.|Loods B.V."
	drafts := []mapping.Draft{{Type: "lead", Fields: map[string]mapping.Origin{
		"company": {From: []string{"Firma"}}, "given_name": {From: []string{"Voornaam"}}}}}
	for cells, want := range map[string]int{
		"Firma=" + firms + ";Voornaam=" + given: 0,
		"Firma=" + given + ";Voornaam=" + firms: 2,
	} {
		if list := NewView(columnsOf(cells)).Unlike([]Target{{Type: lead}}, drafts); len(list) != want {
			t.Errorf("%s: %+v, want %d", cells, list, want)
		}
	}
}

// What was chosen before for such a header is offered, and no more, where something else stands below it now.
func TestWhatWasChosenBeforeMustLookLikeIt(t *testing.T) {
	lead, _ := standard(t).Type("lead")
	given := "Anneke|Bas|Cornelia|Dirk|Femke|Gijs|Hanna|Jolanda"
	firms := "Kade Techniek B.V.|Havenlicht N.V.|De Steiger B.V.|Roerdomp V.O.F.|Schip & Zoon B.V.|Kraan B.V.|Tuig N.V.|Loods B.V."
	memory := Memory{Key("Bdrf"): "company"}
	for cells, want := range map[string]bool{firms: true, given: false} {
		taken := false
		for _, s := range NewView(columnsOf("Bdrf=" + cells)).Across([]Target{{Type: lead, Memory: memory}}) {
			taken = taken || s.Field == "company" && s.Taken
		}
		if taken != want {
			t.Errorf("%s: taken for the company %v", cells, taken)
		}
	}
}
