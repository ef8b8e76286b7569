package value

import (
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/problem"
)

// How likely something is lies between nothing and all; other shares may be more.
func TestChances(t *testing.T) {
	for s, want := range map[string]string{
		"60": "60", "0": "0", "100": "100", "100.0": "100", "99,5 %": "99.5", "100.5": string(problem.OutOfRange),
		"150": string(problem.OutOfRange), "1000": string(problem.OutOfRange), "-5": string(problem.OutOfRange),
	} {
		r := NewReader(catalog.Field{Name: "chance", Type: catalog.Percent, Precision: 1, Holds: catalog.HoldsChance},
			Settings{DecimalSign: map[bool]string{true: ",", false: "."}[s == "99,5 %"]})
		got, trouble := r.Read(s)
		if trouble.Code != "" {
			got = string(trouble.Code)
		}
		if got != want {
			t.Errorf("%s: %s, want %s", s, got, want)
		}
	}
	if got, trouble := NewReader(catalog.Field{Name: "growth", Type: catalog.Percent, Precision: 1},
		Settings{}).Read("150"); got != "150" {
		t.Errorf("a growth of 150 %%: %s %+v", got, trouble)
	}
}

// Nobody employs fewer people than none, and numbers of telephones are none of people.
func TestNumbersOfStaff(t *testing.T) {
	staff := catalog.Field{Name: "employees", Type: catalog.Integer, Holds: catalog.HoldsStaff}
	check(t, staff, Settings{}, []readCase{{"0", "0", ""}, {"2100000", "2100000", ""}, {"-5", "", problem.OutOfRange},
		{"4822011580", "", problem.OutOfRange}})
	check(t, field(catalog.Integer), Settings{}, []readCase{{"-5", "-5", ""}, {"4822011580", "4822011580", ""}})
}
