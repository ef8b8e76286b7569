package suggest

import (
	"slices"
	"strings"
	"testing"
)

// What is called a name holds those of companies where they have their legal forms, however few there are: no
// people are made of them, and the rows are companies.
func TestNamesOfCompaniesAreNoPeople(t *testing.T) {
	c := standard(t)
	nothing := func(string) Memory { return nil }
	for cells, want := range map[string]string{ // or one of them
		"Name=Quay Ltd|Tern AS;Town=Oslo|Moss": "account",
		"Name=Quay Ltd|Tern AS|Skua GmbH;Town=Oslo|Moss|Kiel;E-mail=a@q.example|b@t.example|c@s.example":                                                          "account",
		"Navn=Kari Moe|Ola Lie|Per Dahl|Ida Berg;Tlf=55112233|55112234|55112235|55112236;Mail=kari@moe.example|ola@lie.example|per@dahl.example|ida@berg.example": "contact",
		"Name=Moe, Ada|Lie, Bo|Dahl, Per|Berg, Ida;E-mail=ada@x.example|bo@x.example|per@x.example|ida@x.example":                                                 "contact staff",
		"Name=Ada Moe|Bo Lie;Company=Quay Ltd|Tern AS;Interest=hot|cold":                                                                                          "lead",
	} {
		v := NewView(columnsOf(cells)).Among(c)
		types := v.Types(c, nothing)
		if len(types) == 0 || !slices.Contains(strings.Fields(want), types[0].Type) {
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
