package work

import "testing"

// A column whose header says little, or nothing, goes to the reference whose records its
// values name: people by their first names or initials, companies and people by their names.
func TestColumnsThatNameRecords(t *testing.T) {
	b := start(t)
	b.loaded("staff", "Name,E-mail\nIngrid Havnes,i@lanternquay.example\nLars Brattvik,l@lanternquay.example\n"+
		"Elsa Holmvik,e@lanternquay.example\n")
	b.loaded("account", "Company\nTern Marina\nGull Yachts AS\nSkerry Boats\n")
	b.loaded("contact", "First name,Family name,E-mail\nKari,Ek,k@tern.example\nBo,Li,b@gull.example\n"+
		"Åse,Dahl,a@skerry.example\n")
	rows := "Visit,Ingrid,\"Ek, Kari\",Tern Marina\nCall,Lars,Bo Li,Gull Yachts\nWrite,Elsa,Åse Dahl,Skerry Boats\n" +
		"Call again,Ingrid,Nobody Known,Elsewhere\n"
	i := b.upload("task", "Action,Who,With,At\n"+rows)
	for field, column := range map[string]string{"owner": "Who", "contact": "With", "account": "At"} {
		if from := i.Routine.V.Drafts[0].Fields[field].From; len(from) != 1 || from[0] != column {
			t.Errorf("%s comes from %q, want %s", field, from, column)
		}
	}
	i = b.upload("account", "Firm,Col 2\nNord Marina,IH\nSud Marina,LB\nVest Marina,EH\nAust Marina,IH\n")
	if from := i.Routine.V.Drafts[0].Fields["owner"].From; len(from) != 1 || from[0] != "Col 2" {
		t.Errorf("the owner comes from %q, want the column of initials", from)
	}
	// What names records of the type itself is not taken for another of them, and a header
	// that says something else is believed.
	i = b.upload("account", "Firm,Remark\nTern Marina,Gull Yachts\nGull Yachts,Skerry Boats\nSkerry Boats,Tern Marina\n")
	for field, o := range i.Routine.V.Drafts[0].Fields {
		if field != "name" && field != "description" {
			t.Errorf("%s comes from %q", field, o.From)
		}
	}
}
