package catalog

import (
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/fault"
)

func ptr[T any](v T) *T { return &v }

// withOwn gives the standard catalogue with a field of the customer's own in one type.
func withOwn(t *testing.T, typeName string, f Field) (Catalog, RecordType) {
	t.Helper()
	c := standardOrFail(t)
	rt, _ := c.Type(typeName)
	more, err := c.AddField(rt, f)
	if err != nil {
		t.Fatal(err)
	}
	c.Types = slices.Clone(c.Types)
	c.Types[slices.IndexFunc(c.Types, func(x RecordType) bool { return x.Name == typeName })] = more
	return c, more
}

// What is changed of a field is changed, noted on a standard one, and leaves the type before as it was.
func TestChangeField(t *testing.T) {
	c := standardOrFail(t)
	account, _ := c.Type("account")
	before := account.Version
	for name, x := range map[string]struct {
		field  string
		change FieldChange
		part   Part
		got    func(f Field) any
		want   any
	}{
		"its label":   {"phone", FieldChange{Label: ptr(" Switchboard ")}, LabelPart, func(f Field) any { return f.Label }, "Switchboard"},
		"its help":    {"phone", FieldChange{Help: ptr("Who answers")}, HelpPart, func(f Field) any { return f.Help }, "Who answers"},
		"required":    {"phone", FieldChange{Required: ptr(true)}, RequiredPart, func(f Field) any { return f.Required }, true},
		"its default": {"country", FieldChange{Default: ptr("NO")}, DefaultPart, func(f Field) any { return f.Default }, "NO"},
		"its length":  {"registration_number", FieldChange{Length: ptr(90)}, LengthPart, func(f Field) any { return f.Length }, 90},
		"retired":     {"phone", FieldChange{Retired: ptr(true)}, RetiredPart, func(f Field) any { return f.Retired }, true},
	} {
		out, err := c.ChangeField(account, x.field, x.change)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		f, _ := out.Field(x.field)
		if x.got(f) != x.want || !slices.Contains(f.Changed, x.part) || out.Version != before+1 {
			t.Errorf("%s: %v, noted %v, version %d", name, x.got(f), f.Changed, out.Version)
		}
		if was, _ := account.Field(x.field); x.got(was) == x.want || len(was.Changed) > 0 || account.Version != before {
			t.Errorf("%s: the type before has changed", name)
		}
	}
}

// What would lose something that is in records is refused, with what would do instead.
func TestChangesThatAreRefused(t *testing.T) {
	c, account := withOwn(t, "account", Field{Name: "berths", Label: "Berths", Type: Integer})
	kind, _ := account.Field("status")
	for code, x := range map[string]struct {
		field  string
		change FieldChange
	}{
		"unknown_field":     {"boats", FieldChange{}},
		"length_lowered":    {"registration_number", FieldChange{Length: ptr(10)}},
		"choice_taken_away": {"status", FieldChange{Choices: kind.Choices[1:]}},
		"title_field":       {"name", FieldChange{Retired: ptr(true)}},
		"standard_field":    {"phone", FieldChange{Name: ptr("telephone")}},
		"field_exists":      {"berths", FieldChange{Name: ptr("phone")}},
	} {
		if _, err := c.ChangeField(account, x.field, x.change); !fault.Is(err, code) {
			t.Errorf("%s: %v", code, err)
		}
	}
	opportunity, _ := c.Type("opportunity")
	if _, err := c.ChangeField(opportunity, "stage", FieldChange{Retired: ptr(true)}); !fault.Is(err, "required_field") {
		t.Errorf("a required field that is retired: %v", err)
	}
}

// A field of one's own is called otherwise everywhere in its type, its old name is known, and is no other field's.
func TestRenamedFields(t *testing.T) {
	c, account := withOwn(t, "account", Field{Name: "berth_no", Label: "Berth", Type: Text, Key: true, Likeness: AsCode})
	account, err := account.ChangeMatch([]MatchRule{{Fields: []string{"berth_no"}}, {Alike: []string{"name", "berth_no"}}})
	if err != nil {
		t.Fatal(err)
	}
	out, err := c.ChangeField(account, "berth_no", FieldChange{Name: ptr("berth")})
	if err != nil {
		t.Fatal(err)
	}
	if _, there := out.Field("berth_no"); there || out.Now("berth_no") != "berth" || out.Now("berth") != "berth" {
		t.Errorf("it is called %q", out.Now("berth_no"))
	}
	if got := strings.Join(slices.Concat(out.Match[0].Fields, out.Match[1].Alike), " "); got != "berth name berth" {
		t.Errorf("the rules name %s", got)
	}
	if _, err := c.AddField(out, Field{Name: "berth_no", Label: "Again", Type: Text}); !fault.Is(err, "field_exists") {
		t.Errorf("a field by its old name: %v", err)
	}
	back, err := c.ChangeField(out, "berth", FieldChange{Name: ptr("berth_no")})
	if f, there := back.Field("berth_no"); err != nil || !there || !slices.Equal(f.Was, []string{"berth"}) {
		t.Errorf("called as before: %+v %v", f.Was, err)
	}
}

// A choice is added, or learns other spellings; what it is called already is none, and nothing is said twice.
func TestAddChoice(t *testing.T) {
	c := standardOrFail(t)
	account, _ := c.Type("account")
	out, err := c.AddChoice(account, "status", Choice{Code: "rival", Label: "Rival", Other: []string{"competitor"}})
	if err != nil {
		t.Fatal(err)
	}
	for range 2 {
		if out, err = c.AddChoice(out, "status", Choice{Code: "rival", Label: "Opponent", Other: []string{"Rival", "other yard"}}); err != nil {
			t.Fatal(err)
		}
	}
	f, _ := out.Field("status")
	last := f.Choices[len(f.Choices)-1]
	if last.Label != "Rival" || strings.Join(last.Other, ", ") != "competitor, other yard, Opponent" {
		t.Errorf("%+v", last)
	}
	if was, _ := account.Field("status"); len(was.Choices) != len(f.Choices)-1 {
		t.Error("the type before has changed")
	}
	for _, none := range []string{"phone", "boats"} {
		if _, err := c.AddChoice(account, none, Choice{Code: "x", Label: "X"}); !fault.Is(err, "no_choices") {
			t.Errorf("%s: %v", none, err)
		}
	}
	if _, err := c.AddChoice(account, "status", Choice{Label: "X"}); !fault.Is(err, "bad_choice") {
		t.Errorf("a choice without a code: %v", err)
	}
	several := Field{Name: "services", Label: "Services", Type: Choices, Choices: []Choice{{Code: "lift", Label: "Lift"}}}
	if _, err := c.AddField(account, several); err != nil {
		t.Error(err)
	}
	several.Choices = []Choice{{Code: "lift;crane", Label: "Lift and crane"}}
	if _, err := c.AddField(account, several); !fault.Is(err, "bad_choice") {
		t.Errorf("a code with what stands between choices: %v", err)
	}
}

// Of choices that come anew, those that were there keep their labels and spellings where none are given.
func TestChoicesInAnotherOrder(t *testing.T) {
	c := standardOrFail(t)
	account, _ := c.Type("account")
	f, _ := account.Field("status")
	var list []Choice
	for _, x := range slices.Backward(f.Choices) {
		list = append(list, Choice{Code: x.Code, Closed: x.Code == "former"})
	}
	out, err := c.ChangeField(account, "status", FieldChange{Choices: append(list, Choice{Code: "rival"})})
	if err != nil {
		t.Fatal(err)
	}
	got, _ := out.Field("status")
	if first := got.Choices[0]; first.Code != "former" || !first.Closed || first.Label != "Former customer" || len(first.Other) < 5 {
		t.Errorf("the first is %+v", first)
	}
	if last := got.Choices[len(got.Choices)-1]; last.Label != "rival" {
		t.Errorf("a choice without a label is called %q", last.Label)
	}
}

// What is offered leaves out what is retired, and the rules that need it; what points to a type is known; and every
// change makes another edition.
func TestOfferedAndPointing(t *testing.T) {
	c := standardOrFail(t)
	edition := c.Edition()
	account, _ := c.Type("account")
	retired, err := c.ChangeField(account, "registration_number", FieldChange{Retired: ptr(true)})
	if err != nil {
		t.Fatal(err)
	}
	c.Types = slices.Clone(c.Types)
	c.Types[slices.IndexFunc(c.Types, func(x RecordType) bool { return x.Name == "account" })] = retired
	if c.Edition() == edition {
		t.Error("the edition is the same")
	}
	offered, err := c.Offered().MustType("account")
	if err != nil {
		t.Fatal(err)
	}
	if _, there := offered.Field("registration_number"); there ||
		slices.ContainsFunc(offered.Match, func(m MatchRule) bool { return slices.Contains(m.Fields, "registration_number") }) {
		t.Error("what is retired is offered")
	}
	if _, err := c.MustType("boat"); !fault.Is(err, "unknown_record_type") || !strings.Contains(err.Error(), "opportunity") {
		t.Errorf("of a type that is not there: %v", err)
	}
	var from []string
	for _, p := range c.PointingTo("opportunity") {
		from = append(from, p.Type.Name+"."+p.Field.Name)
	}
	slices.Sort(from)
	if got := strings.Join(from, " "); got != "attachment.opportunity line.opportunity note.opportunity task.opportunity" {
		t.Errorf("to opportunities point %s", got)
	}
}

// The usual rules of a type of a customer's own are those that it begins with: its keys find
// its records, and where it has none what they are called is asked about.
func TestUsualRulesOfOwnTypes(t *testing.T) {
	c, err := Standard()
	if err != nil {
		t.Fatal(err)
	}
	for _, x := range []struct {
		fields []Field
		want   string
	}{
		{[]Field{{Label: "Berth no", Type: Text, Key: true}, {Label: "Name", Type: Text}}, "id, berth_no"},
		{[]Field{{Label: "Name", Type: Text}, {Label: "Length", Type: Decimal}}, "id, name?"},
	} {
		own, err := c.NewType(RecordType{Label: "Berth", Fields: x.fields})
		if err != nil {
			t.Fatal(err)
		}
		said := func(t RecordType) string {
			var list []string
			for _, r := range t.Match {
				s := strings.Join(r.Fields, "+")
				if r.One == Ask {
					s += "?"
				}
				list = append(list, s)
			}
			return strings.Join(list, ", ")
		}
		if got := said(own); got != x.want {
			t.Errorf("a new type is found by %s, want %s", got, x.want)
		}
		other, err := own.ChangeMatch([]MatchRule{{Fields: []string{"id"}}})
		if err != nil {
			t.Fatal(err)
		}
		usual, err := other.ChangeMatch(nil)
		if err != nil {
			t.Fatal(err)
		}
		if got := said(usual); got != x.want || usual.OwnMatch() {
			t.Errorf("the usual rules are %s, want %s", got, x.want)
		}
	}
}
