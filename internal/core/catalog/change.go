package catalog

import (
	"slices"
	"strings"

	"uchi/internal/core/fault"
	"uchi/internal/core/rights"
)

// Part is a part of a field's description that a customer can change.
type Part string

// The parts that can be changed on a field that is there.
const (
	LabelPart    Part = "label"
	HelpPart     Part = "help"
	RequiredPart Part = "required"
	LengthPart   Part = "length"
	DefaultPart  Part = "default"
	ChoicesPart  Part = "choices"
	RetiredPart  Part = "retired"
	LimitsPart   Part = "limits" // who may see and fill it
	MatchPart    Part = "match"  // the match rules of a type
	KnownPart    Part = "known"  // by what records of other types are known
)

// FieldChange is what is to be changed of a field. A nil part stays as it is.
type FieldChange struct {
	Name     *string // a new name; the customer's own fields only
	Label    *string
	Help     *string
	Required *bool
	Length   *int
	Default  *string
	Choices  []Choice // all of them, in their order; codes that were there must stay, closed or open
	Retired  *bool
	SeenBy   *rights.Role // the least role; an empty one is every viewer
	FilledBy *rights.Role // an empty one is every operator
}

// AddField gives a copy of t with one more field, one version on.
func (c Catalog) AddField(t RecordType, f Field) (RecordType, error) {
	if other := t.Now(f.Name); other != f.Name {
		return t, nameTaken(t, f.Name, "a field of the record type had this name once, and routines may still use it")
	}
	if _, there := t.Field(f.Name); there {
		return t, nameTaken(t, f.Name, "the record type already has a field of this name")
	}
	f.Own = true
	f.Choices = labelled(f.Choices, nil)
	f.SeenBy, f.FilledBy = unless(f.SeenBy, rights.Viewer), unless(f.FilledBy, rights.Operator)
	if err := c.CheckField(t, f); err != nil {
		return t, err
	}
	t.Fields = append(slices.Clone(t.Fields), f)
	t.Version++
	return t, nil
}

// ChangeMatch gives a copy of t whose records are found by other match rules, one
// version on; with no rules given, by the usual ones: those of the standard type,
// or those that a type of a customer's own begins with.
func (t RecordType) ChangeMatch(rules []MatchRule) (RecordType, error) {
	out := t
	out.Changed = slices.DeleteFunc(slices.Clone(t.Changed), func(p Part) bool { return p == MatchPart })
	if len(rules) > 0 {
		for _, r := range rules {
			if err := t.CheckMatchRule(r); err != nil {
				return t, err
			}
		}
		out.Changed = append(out.Changed, MatchPart)
	} else {
		rules = t.usualMatch()
		standard, err := Standard()
		if err != nil {
			return t, err
		}
		if s, ok := standard.Type(t.Name); ok {
			rules = s.Match
		}
	}
	out.Match = slices.Clone(rules)
	out.Version++
	return out, nil
}

// ChangeKnown gives a copy of t with what is done with rows that are known as records
// of another type changed, one version on.
func (c Catalog) ChangeKnown(t RecordType, typeName string, means Find) (RecordType, error) {
	out := t
	out.Known = slices.Clone(t.Known)
	there := false
	for n := range out.Known {
		if out.Known[n].Type == typeName {
			out.Known[n].Means, there = means, true
			if err := c.CheckKnown(t, out.Known[n]); err != nil {
				return t, err
			}
		}
	}
	if !there {
		return t, fault.New(fault.NotFound, "unknown_record_type",
			"nothing says how these are known as records of that type").With(typeName)
	}
	if !slices.Contains(t.Changed, KnownPart) {
		out.Changed = append(slices.Clone(t.Changed), KnownPart)
	}
	out.Version++
	return out, nil
}

func nameTaken(t RecordType, name, why string) error {
	return fault.New(fault.Conflict, "field_exists",
		why).At(fault.Place{Path: t.Name}).With(name).Mended("Take another name.")
}

// ChangeField gives a copy of t in which one field is changed, one version on.
// What is kept in records stays: a type is not changed, a choice is closed and
// never taken away, a length is only raised.
func (c Catalog) ChangeField(t RecordType, name string, change FieldChange) (RecordType, error) {
	n := slices.IndexFunc(t.Fields, func(f Field) bool { return f.Name == name })
	if n < 0 {
		return t, fault.New(fault.NotFound, "unknown_field", "the record type "+t.Name+" has no such field").With(name)
	}
	out := t
	out.Fields = slices.Clone(t.Fields)
	f := &out.Fields[n]
	if change.Name != nil && *change.Name != name {
		var err error
		if out, err = out.renamed(n, *change.Name); err != nil {
			return t, err
		}
		f = &out.Fields[n]
	}
	if err := f.change(t, change); err != nil {
		return t, err
	}
	out.Version++
	return out, c.CheckType(out)
}

// change sets the parts that are given and notes them on a standard field.
func (f *Field) change(t RecordType, by FieldChange) error {
	bad := func(code, message, value, mend string) error {
		return fault.New(fault.Invalid, code, message).At(fault.Place{Path: t.Name + "." + f.Name}).With(value).Mended(mend)
	}
	note := func(p Part) {
		if !f.Own && !slices.Contains(f.Changed, p) {
			f.Changed = append(slices.Clone(f.Changed), p)
		}
	}
	if by.Label != nil {
		f.Label = strings.TrimSpace(*by.Label)
		note(LabelPart)
	}
	if by.Help != nil {
		f.Help = strings.TrimSpace(*by.Help)
		note(HelpPart)
	}
	if by.Required != nil {
		f.Required = *by.Required
		note(RequiredPart)
	}
	if by.Default != nil {
		f.Default = *by.Default
		note(DefaultPart)
	}
	if by.Length != nil {
		if *by.Length < f.MaxLength() {
			return bad("length_lowered", "the length of a field that is there can only be raised, so that "+
				"no value is too long", "", "Give a length of at least the present one.")
		}
		f.Length = *by.Length
		note(LengthPart)
	}
	if by.Choices != nil {
		for _, old := range f.Choices {
			if !slices.ContainsFunc(by.Choices, func(x Choice) bool { return x.Code == old.Code }) {
				return bad("choice_taken_away", "a choice that is there is closed, not taken away: records may have it",
					old.Code, "Keep it and say that it is closed.")
			}
		}
		f.Choices = labelled(by.Choices, f.Choices)
		note(ChoicesPart)
	}
	if by.Retired != nil && *by.Retired != f.Retired {
		if *by.Retired && slices.Contains(t.Title, f.Name) {
			return bad("title_field", "the field names the records, so it cannot be retired", f.Name, "")
		}
		if *by.Retired && f.Required && !f.Own {
			return bad("required_field", "a required standard field cannot be retired", f.Name, "Make it optional first.")
		}
		f.Retired = *by.Retired
		f.Required = f.Required && !f.Retired
		note(RetiredPart)
	}
	if by.SeenBy != nil {
		f.SeenBy = unless(*by.SeenBy, rights.Viewer)
		note(LimitsPart)
	}
	if by.FilledBy != nil {
		f.FilledBy = unless(*by.FilledBy, rights.Operator)
		note(LimitsPart)
	}
	return nil
}

// unless gives a role, or none where it is the usual one, which limits nothing.
func unless(r, usual rights.Role) rights.Role {
	if usual.Covers(r) && r.Valid() {
		return ""
	}
	return r
}

// labelled gives choices with the labels and other spellings that those of the
// same code have, where they bring none; a new choice without a label is called
// by its code.
func labelled(choices, before []Choice) []Choice {
	out := slices.Clone(choices)
	for i := range out {
		if n := slices.IndexFunc(before, func(x Choice) bool { return x.Code == out[i].Code }); n >= 0 {
			if out[i].Label == "" {
				out[i].Label = before[n].Label
			}
			if out[i].Other == nil {
				out[i].Other = before[n].Other
			}
		}
		if out[i].Label == "" {
			out[i].Label = out[i].Code
		}
	}
	return out
}

// renamed gives a copy in which one of the customer's own fields has another
// name everywhere within the type; the old name stays known.
func (t RecordType) renamed(n int, name string) (RecordType, error) {
	old := t.Fields[n]
	if !old.Own {
		return t, fault.New(fault.Invalid, "standard_field",
			"the name of a standard field stays").At(fault.Place{Path: t.Name}).With(old.Name).
			Mended("Change its label, which is what people see.")
	}
	if at := t.Now(name); at != name && at != old.Name {
		return t, nameTaken(t, name, "a field of the record type had this name once, and routines may still use it")
	}
	if _, there := t.Field(name); there {
		return t, nameTaken(t, name, "the record type already has a field of this name")
	}
	swap := func(list []string) []string {
		out := slices.Clone(list)
		for i := range out {
			if out[i] == old.Name {
				out[i] = name
			}
		}
		return out
	}
	f := old
	f.Name = name
	f.Was = append(slices.DeleteFunc(slices.Clone(old.Was), func(w string) bool { return w == name }), old.Name)
	t.Fields = slices.Clone(t.Fields)
	t.Fields[n] = f
	t.Title = swap(t.Title)
	t.Match = slices.Clone(t.Match)
	for i := range t.Match {
		t.Match[i].Fields, t.Match[i].Alike = swap(t.Match[i].Fields), swap(t.Match[i].Alike)
	}
	return t, nil
}

// AddChoice gives a record type with a further choice of one of its fields, or
// with other spellings of a choice that is there.
func (c Catalog) AddChoice(t RecordType, field string, choice Choice) (RecordType, error) {
	n := slices.IndexFunc(t.Fields, func(f Field) bool { return f.Name == field })
	if n < 0 || len(t.Fields[n].Choices) == 0 {
		return t, fault.New(fault.Invalid, "no_choices",
			"the field has no choices").At(fault.Place{Path: t.Name}).With(field).Mended("Name a choice field of the record type.")
	}
	out := t
	out.Fields = slices.Clone(t.Fields)
	f := &out.Fields[n]
	f.Choices = slices.Clone(f.Choices)
	if at := slices.IndexFunc(f.Choices, func(x Choice) bool { return x.Code == choice.Code }); at >= 0 {
		f.Choices[at] = f.Choices[at].with(append(slices.Clone(choice.Other), choice.Label))
	} else {
		f.Choices = append(f.Choices, choice)
	}
	out.Version++
	return out, c.CheckField(out, *f)
}

// with gives the choice with further spellings, none twice.
func (ch Choice) with(spellings []string) Choice {
	ch.Other = slices.Clone(ch.Other)
	for _, w := range spellings {
		if w != "" && w != ch.Label && !slices.Contains(ch.Other, w) {
			ch.Other = append(ch.Other, w)
		}
	}
	return ch
}

// Learned gives a standard record type as a workspace has it, with what the
// product has learned about the type since: fields, synonyms, choices and other
// spellings that are new, and the labels, helps and rules that the customer has
// not changed. What the customer changed or added stays as it is; where a field
// of the customer's own has the name of a new standard one, the customer's stays.
func (t RecordType) Learned(standard RecordType) RecordType {
	out := t
	out.Label, out.Plural, out.Synonyms, out.Rules, out.Match = standard.Label, standard.Plural, standard.Synonyms,
		standard.Rules, standard.Match
	if t.OwnMatch() {
		out.Match = t.Match
	}
	out.InUse, out.Timeline = standard.InUse, standard.Timeline
	if out.Known = standard.Known; slices.Contains(t.Changed, KnownPart) {
		out.Known = t.Known
	}
	out.Fields = slices.Clone(t.Fields)
	for _, s := range standard.Fields {
		n := slices.IndexFunc(out.Fields, func(f Field) bool { return f.Name == s.Name || slices.Contains(f.Was, s.Name) })
		switch {
		case n < 0:
			out.Fields = append(out.Fields, s)
		case !out.Fields[n].Own:
			out.Fields[n] = out.Fields[n].learned(s)
		}
	}
	out.Version++
	return out
}

func (f Field) learned(s Field) Field {
	changed := func(p Part) bool { return slices.Contains(f.Changed, p) }
	if !changed(LabelPart) {
		f.Label = s.Label
	}
	if !changed(HelpPart) {
		f.Help = s.Help
	}
	f.Likeness, f.Holds, f.Ordered = s.Likeness, s.Holds, s.Ordered
	f.Synonyms = slices.Clone(f.Synonyms)
	for _, w := range s.Synonyms {
		if !slices.Contains(f.Synonyms, w) {
			f.Synonyms = append(f.Synonyms, w)
		}
	}
	f.Choices = slices.Clone(f.Choices)
	for _, ch := range s.Choices {
		at := slices.IndexFunc(f.Choices, func(x Choice) bool { return x.Code == ch.Code })
		switch {
		case at >= 0:
			f.Choices[at] = f.Choices[at].with(ch.Other)
		case !changed(ChoicesPart):
			f.Choices = append(f.Choices, ch)
		}
	}
	return f
}

// OwnMatch reports whether the match rules of the type are the customer's own.
func (t RecordType) OwnMatch() bool { return slices.Contains(t.Changed, MatchPart) }
