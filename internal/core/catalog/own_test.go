package catalog

import (
	"testing"

	"uchi/internal/core/fault"
)

// A type of a customer's own needs little said; the rest follows, and is sound.
func TestNewType(t *testing.T) {
	c, err := Standard()
	if err != nil {
		t.Fatal(err)
	}
	berth, err := c.NewType(RecordType{Label: "Liegeplatz (Süd)", Fields: []Field{
		{Label: "Berth no", Type: Text, Key: true}, {Label: "Größe", Type: Decimal}, {Label: "Name", Type: Text},
		{Label: "Marina", Type: Reference, To: "account"},
		{Label: "Beside", Type: Reference, To: "liegeplatz_sud"}, {Label: "名前", Type: Text}}})
	if err != nil {
		t.Fatal(err)
	}
	if berth.Name != "liegeplatz_sud" || berth.Prefix != "LIE" || berth.Title[0] != "name" || len(berth.Match) != 2 ||
		berth.Match[1].Fields[0] != "berth_no" ||
		berth.Fields[1].Name != "grosse" || berth.Fields[5].Name != "field_6" || !berth.Own {
		t.Errorf("made: %+v", berth)
	}
	bare, err := c.NewType(RecordType{Label: "Lead magnet", Fields: []Field{{Label: "What", Type: Text}}})
	if err != nil || bare.Prefix != "LE2" || bare.Match[1].One != Ask {
		t.Errorf("without a key: %+v %v", bare, err)
	}
	for code, x := range map[string]RecordType{
		"label_missing":       {Fields: []Field{{Label: "What", Type: Text}}},
		"type_exists":         {Label: "Account", Fields: []Field{{Label: "What", Type: Text}}},
		"prefix_taken":        {Label: "Berth", Prefix: "CON", Fields: []Field{{Label: "What", Type: Text}}},
		"fields_missing":      {Label: "Berth"},
		"unknown_record_type": {Label: "Berth", Fields: []Field{{Label: "What", Type: Reference, To: "nothing"}}},
		"reserved_name":       {Label: "Berth", Fields: []Field{{Name: "id", Label: "Id", Type: Text}}},
	} {
		if _, err := c.NewType(x); !fault.Is(err, code) {
			t.Errorf("%s: %v", code, err)
		}
	}
}
