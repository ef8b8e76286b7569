package view

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
)

// Condition is one line of a filter as it is put together by choosing: a field, how
// it is compared, and with what. A filter whose conditions all hold is a list of them.
type Condition struct {
	Field  string   `json:"field"` // a path
	How    How      `json:"how"`
	Values []string `json:"values,omitempty"` // as in the filter, without quotes; today(30) is a day thirty days from now
}

// How is how a condition compares, in a word.
type How string

// The ways. Texts are compared without regard to small and capital letters by
// Holding, Beginning and Ending.
const (
	Is         How = "is"
	IsNot      How = "is_not"
	OneOf      How = "one_of"
	NoneOf     How = "none_of"
	Holding    How = "contains"
	Beginning  How = "begins"
	Ending     How = "ends"
	Below      How = "less"
	UpTo       How = "at_most"
	Above      How = "more"
	From       How = "at_least"
	Listing    How = "has"
	NotListing How = "has_not"
	IsFilled   How = "filled"
	IsBlank    How = "blank"
)

// way is how a condition is written as a test, and read back from one.
type way struct {
	how   How
	op    Op
	not   bool
	lower bool
}

var ways = []way{
	{how: Is, op: Equal}, {how: IsNot, op: Equal, not: true},
	{how: OneOf, op: In}, {how: NoneOf, op: In, not: true},
	{how: Holding, op: Contains, lower: true}, {how: Beginning, op: StartsAs, lower: true},
	{how: Ending, op: EndsAs, lower: true},
	{how: Below, op: Less}, {how: UpTo, op: AtMost}, {how: Above, op: More}, {how: From, op: AtLeast},
	{how: Listing, op: Has}, {how: NotListing, op: Has, not: true},
	{how: IsFilled, op: Filled}, {how: IsBlank, op: Filled, not: true},
}

// HowsOf lists the ways in which a field can be compared.
func HowsOf(f catalog.Field) []How {
	switch f.Kind().Form {
	case catalog.ListForm:
		return []How{Listing, NotListing, IsFilled, IsBlank}
	case catalog.YesNoForm:
		return []How{Is, IsNot, IsFilled, IsBlank}
	case catalog.LinkForm:
		return []How{Is, IsNot, OneOf, NoneOf, IsFilled, IsBlank}
	case catalog.TextForm:
		if f.Kind().Words {
			return []How{Is, IsNot, OneOf, NoneOf, IsFilled, IsBlank}
		}
		return []How{Holding, Beginning, Ending, Is, IsNot, OneOf, NoneOf, IsFilled, IsBlank}
	}
	return []How{Is, IsNot, Below, UpTo, Above, From, IsFilled, IsBlank}
}

// Conditions gives a filter as conditions that all hold; ok is false for one that is
// more than that.
func Conditions(c catalog.Catalog, n Node) (list []Condition, ok bool) {
	parts := []Node{n}
	switch n := n.(type) {
	case nil:
		return nil, true
	case All:
		parts = n
	}
	for _, p := range parts {
		one, ok := condition(c, p)
		if !ok {
			return nil, false
		}
		list = append(list, one)
	}
	return list, true
}

func condition(c catalog.Catalog, n Node) (Condition, bool) {
	outer, not := n.(Not)
	if not {
		n = outer.Of
	}
	t, ok := n.(Test)
	if !ok {
		return Condition{}, false
	}
	for _, w := range ways {
		if w.op != t.Op || w.not != not || w.lower != t.Lower {
			continue
		}
		one := Condition{Field: t.Name, How: w.how}
		for _, v := range t.Values {
			one.Values = append(one.Values, shown(c, t.Field, v))
		}
		return one, true
	}
	return Condition{}, false
}

// shown is a value as a condition has it.
func shown(c catalog.Catalog, f catalog.Field, v Value) string {
	if v.Today {
		return "today(" + v.Text + ")"
	}
	if to, ok := c.Type(f.To); ok && f.Type == catalog.Reference {
		if id, err := strconv.ParseInt(v.Text, 10, 64); err == nil {
			return to.RecordID(id)
		}
	}
	return v.Text
}

var fromToday = regexp.MustCompile(`^today\((-?\d{1,6})?\)$`)

// Write gives conditions as a filter that Filter reads as the same.
func Write(c catalog.Catalog, t catalog.RecordType, list []Condition) (string, error) {
	var parts []string
	for n, one := range list {
		text, err := write(c, t, one)
		if f, ok := fault.From(err); ok {
			return "", f.At(fault.Place{Path: fmt.Sprintf("conditions[%d]", n)})
		}
		if err != nil {
			return "", err
		}
		parts = append(parts, text)
	}
	return strings.Join(parts, " && "), nil
}

func write(c catalog.Catalog, t catalog.RecordType, one Condition) (string, error) {
	p, err := Find(c, t, one.Field)
	if err != nil {
		return "", err
	}
	values := make([]string, len(one.Values))
	for n, v := range one.Values {
		values[n] = constant(p.Field, v)
	}
	for _, w := range ways {
		if w.how != one.How {
			continue
		}
		if w.op == Filled {
			values = []string{""}
		}
		if len(values) == 0 || len(values) > 1 && w.op != In {
			return "", fault.New(fault.Invalid, "bad_filter", "a value is missing").With(one.Field)
		}
		return w.text(p.Name, values), nil
	}
	return "", fault.New(fault.Invalid, "bad_filter", "fields are not compared so").With(string(one.How))
}

// text writes one condition; values are constants.
func (w way) text(name string, values []string) string {
	value := values[0]
	not := ""
	if w.not {
		not = "!"
	}
	switch w.op {
	case Filled:
		return not + "filled(" + name + ")"
	case Equal:
		if w.not {
			return name + " != " + value
		}
		return name + " == " + value
	case Has:
		if w.not {
			return "!(" + value + " in " + name + ")"
		}
		return value + " in " + name
	case In:
		in := name + " in [" + strings.Join(values, ", ") + "]"
		if w.not {
			return "!(" + in + ")"
		}
		return in
	case Contains, StartsAs, EndsAs:
		return name + ".lower()." + string(w.op) + "(" + strings.ToLower(value) + ")"
	}
	return name + " " + string(w.op) + " " + value
}

// constant writes a value as a field of its form is compared with it.
func constant(f catalog.Field, v string) string {
	switch f.Kind().Form {
	case catalog.WholeForm, catalog.NumberForm, catalog.AmountForm:
		if _, err := strconv.ParseFloat(v, 64); err == nil {
			return v
		}
	case catalog.YesNoForm:
		if v == "true" || v == "false" {
			return v
		}
	case catalog.DateForm, catalog.MomentForm:
		if fromToday.MatchString(v) {
			return v
		}
	}
	return quote(v)
}

// quote writes a text as CEL does.
func quote(s string) string {
	return `"` + strings.NewReplacer(`\`, `\\`, `"`, `\"`, "\n", `\n`, "\r", `\r`, "\t", `\t`).Replace(s) + `"`
}
