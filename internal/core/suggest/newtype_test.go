package suggest

import (
	"fmt"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/sheet"
)

// What a sheet holds that no type fits becomes fields of a type of its own.
func TestNewTypeFromASheet(t *testing.T) {
	c, err := catalog.Standard()
	if err != nil {
		t.Fatal(err)
	}
	p := sheet.NewProfiler([]string{"Berth no", "Marina", "Length", "Kind", "Price a year", "Taken", "Since",
		"Watched by", "Remarks", "Id", "", "Free"})
	kinds := []string{"Pontoon", "Buoy", "Quay"}
	for n := range 12 {
		p.Add(sheet.Row{Number: int64(n + 2), Cells: []string{fmt.Sprintf("A-%02d", n), "Ulvsund Havn",
			fmt.Sprintf("%d.5", 6+n), kinds[n%3], fmt.Sprintf("€ %d.00", 900+n),
			[]string{"yes", "no"}[n%2], fmt.Sprintf("2019-03-%02d", n+1), fmt.Sprintf("w%d@x.example", n),
			fmt.Sprintf("remark number %d of many", n), fmt.Sprint(n), "", ""}})
	}
	columns, _ := p.Profile()
	got, err := c.NewType(NewView(columns).NewType(c, "old.zip > all/berths.csv"))
	if err != nil {
		t.Fatal(err)
	}
	want := map[string]catalog.FieldType{"berth_no": catalog.Text, "length": catalog.Decimal, "kind": catalog.OneChoice,
		"price_a_year": catalog.Money, "taken": catalog.YesNo,
		"since": catalog.Date, "currency": catalog.Currency, "watched_by": catalog.Email, "remarks": catalog.Text}
	for name, ft := range want {
		if f, ok := got.Field(name); !ok || f.Type != ft {
			t.Errorf("%s: %+v", name, f)
		}
	}
	number, _ := got.Field("berth_no")
	kind, _ := got.Field("kind")
	if got.Label != "Berth" || got.Plural != "Berths" || !number.Key || len(kind.Choices) != 3 || len(got.Fields) != 11 {
		t.Errorf("%s/%s, key %v, %d choices, %d fields", got.Label, got.Plural, number.Key, len(kind.Choices),
			len(got.Fields))
	}
}
