package staging

import (
	"testing"

	"uchi/internal/core/catalog"
)

// What a record had before is told from its history, newest entry first. What was blank when it was deleted comes back
// blank, though the work had given it a value that somebody took away; and a name that a field had counts as its own.
func TestWhatARecordHadBefore(t *testing.T) {
	account := catalog.RecordType{Name: "account", Prefix: "ACC", Fields: []catalog.Field{
		{Name: "name", Type: catalog.Text}, {Name: "phone", Type: catalog.Text}, {Name: "town", Type: catalog.Text, Was: []string{"city"}}}}
	for what, x := range map[string]struct {
		entries [][3]string // kind, changes, what it was
		want    []wantedField
	}{
		"changed twice": {[][3]string{{"update", `{"phone":["2","3"]}`, ""}, {"update", `{"phone":["1","2"]}`, ""}},
			[]wantedField{{}, {known: true, want: "1", left: "3"}, {}}},
		"changed by somebody between": {[][3]string{{"update", `{"phone":["9","3"]}`, ""}, {"update", `{"phone":["1","2"]}`, ""}},
			[]wantedField{{}, {known: true, ended: true, want: "9", left: "3"}, {}}},
		"deleted": {[][3]string{{"delete", `{}`, `{"f_name":"Tern","f_city":"Moss"}`}},
			[]wantedField{{known: true, want: "Tern"}, {known: true}, {known: true, want: "Moss"}}},
		"given, taken away by somebody, deleted": {[][3]string{{"delete", `{}`, `{"f_name":"Tern"}`},
			{"update", `{"phone":["1","2"]}`, ""}},
			[]wantedField{{known: true, want: "Tern"}, {known: true, ended: true}, {known: true}}},
		"emptied and deleted": {[][3]string{{"delete", `{}`, `{"f_name":"Tern"}`}, {"update", `{"phone":["1",null]}`, ""}},
			[]wantedField{{known: true, want: "Tern"}, {known: true, want: "1"}, {known: true}}},
		"came back": {[][3]string{{"restore", `{}`, `{"f_name":"Tern"}`}, {"update", `{"name":["Gull","Tern"]}`, ""}},
			[]wantedField{{}, {}, {}}},
	} {
		w := newWantWriter(undoType{RecordType: account}, catalog.Catalog{}, nil, nil, 0)
		for n, e := range x.entries {
			if err := w.add(7, int32(9-n), e[0], []byte(e[1]), []byte(e[2])); err != nil {
				t.Fatal(err)
			}
		}
		for n, got := range w.now.fields {
			if got.shown = [2]string{}; got != x.want[n] {
				t.Errorf("%s: %s is %+v, want %+v", what, account.Fields[n].Name, got, x.want[n])
			}
		}
	}
}
