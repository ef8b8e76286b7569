package suggest

import "testing"

// What is called a name holds those of companies where they have their legal forms, however few there are: no
// people are made of them, and the rows are companies.
func TestNamesOfCompaniesAreNoPeople(t *testing.T) {
	c := standard(t)
	nothing := func(string) Memory { return nil }
	for cells, want := range map[string]string{
		"Name=Quay Ltd|Tern AS;Town=Oslo|Moss": "account",
		"Name=Quay Ltd|Tern AS|Skua GmbH;Town=Oslo|Moss|Kiel;E-mail=a@q.example|b@t.example|c@s.example": "account",
		"Navn=Kari Moe|Ola Lie;Tlf=55112233|55112234;Mail=kari@moe.example|ola@lie.example":              "contact",
		"Name=Moe, Ada|Lie, Bo;E-mail=ada@x.example|bo@x.example":                                        "contact",
		"Name=Ada Moe|Bo Lie;Company=Quay Ltd|Tern AS;Interest=hot|cold":                                 "lead",
	} {
		v := NewView(columnsOf(cells)).Among(c)
		types := v.Types(c, nothing)
		if len(types) == 0 || types[0].Type != want {
			t.Errorf("%s seems to be %+v, want %s", cells, types, want)
		}
	}
	contact, _ := c.Type("contact")
	for _, s := range NewView(columnsOf("Name=Quay Ltd|Tern AS|Skua GmbH;Town=Oslo|Moss|Kiel")).Among(c).Across([]Target{{Type: contact}}) {
		if s.Column == "Name" && s.Taken && (s.Field == "given_name" || s.Field == "family_name") {
			t.Errorf("companies are taken for people: %+v", s)
		}
	}
}

// Whose day of birth is known are contacts rather than leads, also where the headers say little; and of companies and
// deals nobody has one.
func TestWhoHasADayOfBirth(t *testing.T) {
	c := standard(t)
	nothing := func(string) Memory { return nil }
	const people = "Text 1=Maud|Imogen|Thea|Clement|Piers|Bronwen|Saskia|Rupert|Jasper;Text 2=Lorimer|Fothergill|Dunmore|Kettlewell|Ackroyd|" +
		"Corless|Muncaster|Nettleton|Eastaugh;Text 3=Dunmore Shipping plc|Corless Marine Ltd|Heddle Chandlery Ltd|Inskip Ltd|Quay Ltd|" +
		"Tern Ltd|Skua plc|Gull Ltd|Kite Ltd;Text 4=maud@dunmore.example|imogen@corless.example|thea@heddle.example|clement@inskip.example|" +
		"piers@quay.example|bronwen@tern.example|saskia@skua.example|rupert@gull.example|jasper@kite.example"
	const born = ";Date 1=26/07/1968|19/08/1972|04/01/1951|12/05/2001|15/03/1955|09/08/1967|08/02/1981|10/04/1957|07/03/1979"
	types := NewView(columnsOf(people+born)).Among(c).Types(c, nothing)
	score := map[string]float64{}
	for _, s := range types {
		score[s.Type] = s.Score
	}
	if types[0].Type != "contact" || score["lead"] > 0.9*score["contact"] || score["account"] > 0.5*score["contact"] {
		t.Errorf("with days of birth the types are %+v", types)
	}
}
