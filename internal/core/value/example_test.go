package value_test

import (
	"fmt"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/value"
)

// A reader turns cells of one field into canonical texts. What it does not
// understand, or could read two ways, is a problem and never a guess.
func ExampleReader() {
	r := value.NewReader(catalog.Field{Name: "amount", Type: catalog.Money}, value.Settings{DecimalSign: ","})
	for _, cell := range []string{"€ 1.250,50", "(12)", "3.5k", ""} {
		text, trouble := r.Read(cell)
		fmt.Println(strings.TrimSpace(fmt.Sprintf("%q %s", text, trouble.Code)))
	}
	// Output:
	// "1250.50"
	// "-12.00"
	// "" bad_number
	// ""
}

// Any spelling of a key gives, among its forms, the one under which it is kept.
func ExampleNamer() {
	t := catalog.RecordType{Fields: []catalog.Field{{Name: "website", Type: catalog.URL, Key: true}}}
	fmt.Println(value.NewNamer(t, value.Settings{}).Forms("HTTPS://www.Tern.example/"))
	// Output: [https://www.tern.example/ tern.example]
}
