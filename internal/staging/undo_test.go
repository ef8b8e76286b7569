package staging

import (
	"fmt"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/store"
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

// What returns values grows with the links of a type, and not with each way in which they can return.
func TestValuesOfManyLinksReturn(t *testing.T) {
	berth := catalog.RecordType{Name: "berth", Label: "Berth", Plural: "Berths", Prefix: "BRT"}
	length := func(links int) int {
		berth.Fields = nil
		for n := range links {
			berth.Fields = append(berth.Fields, catalog.Field{Name: fmt.Sprint("beside_", n), Type: catalog.Reference, To: "berth"})
		}
		c := undoChunk{Undo: &Undo{i: store.Import{Workspace: "main"}, catalog: catalog.Catalog{Types: []catalog.RecordType{berth}}},
			t: undoType{RecordType: berth, touched: berth.Fields}}
		sql, _, err := c.giveBack(frag{"acts": c.those()}).compose(c.of(c.t))
		if err != nil {
			t.Fatal(err)
		}
		return len(sql)
	}
	if few, many := length(4), length(16); many > 6*few {
		t.Errorf("four links take %d letters, sixteen %d", few, many)
	}
}
