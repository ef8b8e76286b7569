package staging

import (
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/value"
	"uchi/internal/schema"
)

// Records that a key has found and that are somebody else: where a column of a sheet has been
// sorted by itself, or a number given anew, each row would be written over another's record.

// stranger is the SQL of whether the record r that a key has found for row q is called otherwise,
// by other names and not by the same in other writing, while nothing else of the row says that it is the
// record, or has its name in another field; with the field of the name. ok is false where names are taken as they stand.
func (k *draftCheck) stranger() (sql string, of *mapping.FieldPlan, ok bool) {
	var row, record, differ []string
	others := k.othersToo()
	for i := range k.plan.Fields {
		fp := &k.plan.Fields[i]
		if !schema.InTitle(k.plan.Type, fp.Field.Name) || !k.calls(fp.Field) &&
			(others == "" || fp.Field.Holds != catalog.HoldsWords) {
			continue
		}
		if !fp.Losable {
			return "", nil, false
		}
		name := schema.Name(fp.Field.Name)
		row, record = append(row, `q.`+name), append(record, `r.`+name)
		change := `q.` + name + ` <> '' and q.` + name + ` is distinct from r.` + name
		if k.dated {
			change += ` and not ` + k.unmoved(*fp, drafted(fp.Field))
		}
		differ = append(differ, `(`+change+`)`)
		if of == nil || fp.Field.ComparedAs() == catalog.AsFamilyName {
			of = fp
		}
	}
	if of == nil {
		return "", nil, false
	}
	for _, name := range k.plan.Type.Title { // a record has both halves
		f, _ := k.plan.Type.Field(name)
		if col := `r.` + schema.Name(name); k.calls(f) && !slices.Contains(record, col) {
			record = append(record, col)
		}
	}
	var byKey []string // the rules that find by a key or an id
	for n, rule := range k.plan.Rules {
		if byID(rule) || len(rule.Alike) == 0 && slices.ContainsFunc(rule.Fields, k.isKey) {
			byKey = append(byKey, schema.Int(n+1))
		}
	}
	if len(byKey) == 0 {
		return "", nil, false
	}
	common := `'{}'`
	if of.Field.ComparedAs() == catalog.AsCompanyName {
		common = `array[` + literals(value.CommonInCompanies()) + `]`
	}
	asked := func(said, tenths string) string {
		return `uchi.strangers(` + said + `, concat_ws(' ', ` + list(record) + `), ` + common + `, ` + tenths + `)`
	}
	all, away := `concat_ws(' ', `+list(row)+`)`, k.otherPlaces()
	other := asked(all, slipped)
	if away != "" && k.calls(of.Field) {
		strict := []string{asked(all, muchAlike)}
		if len(row) > 1 { // one half of a name alone is many people's
			for _, half := range row {
				strict = append(strict, asked(half, slipped))
			}
		}
		other = `case when ` + away + ` then ` + strings.Join(strict, " or ") + ` else ` + other + ` end`
	}
	if !k.calls(of.Field) {
		other += ` and ` + others
	}
	if same := k.sameOtherwise(); same != "" {
		other += ` and not coalesce(` + same + `, false)`
	}
	sql = `q.found_by in (` + list(byKey) + `) and (` + strings.Join(differ, " or ") + `) and (` + other + k.turnedAbout(of.Field) + `)`
	return sql, of, true
}

// turnedAbout is the SQL, behind another condition, of whether row q says as the name what record r has in another field, and there
// the name of the record, as where two columns of a sheet are under each other's header; empty without such a field.
func (k *draftCheck) turnedAbout(name catalog.Field) (sql string) {
	same := func(a, b catalog.Field) string {
		return `lower(` + schema.Column(a, "q") + `) = lower(` + schema.Column(b, "r") + `)`
	}
	for i := range k.plan.Fields {
		f := k.plan.Fields[i].Field
		if f.Type == catalog.Text && !f.Key && !schema.InTitle(k.plan.Type, f.Name) {
			sql += ` or coalesce(` + same(name, f) + ` and ` + same(f, name) + `, false)`
		}
	}
	return sql
}

// How alike words must be, in tenths of their pairs of letters, to be one with a slip in it; and where
// something else speaks against it.
const (
	slipped   = "4"
	muchAlike = "6"
)

// otherPlaces is the SQL of whether row q says two things or more that record r has otherwise, of those which hardly
// change together: where it is, its mailbox, its telephone, its address on the web, the day of birth.
func (k *draftCheck) otherPlaces() string {
	var differ []string
	for i := range k.plan.Fields {
		f := k.plan.Fields[i].Field
		reached := f.Type == catalog.Email || f.Type == catalog.Phone || f.Type == catalog.URL
		switch {
		case reached || f.Holds == catalog.HoldsBirth:
			differ = append(differ, `coalesce((`+schema.Column(f, "q")+` <> `+schema.Column(f, "r")+`)::int, 0)`)
		case f.ComparedAs() == catalog.AsStreet || f.ComparedAs() == catalog.AsLocality: // how they begin, in any writing
			begins := func(alias string) string { return `left(lower(` + schema.Column(f, alias) + `), 4)` }
			differ = append(differ, `coalesce((`+begins("q")+` <> `+begins("r")+`)::int, 0)`)
		}
	}
	if len(differ) < 2 {
		return ""
	}
	return strings.Join(differ, " + ") + ` > 1`
}

// isKey reports whether a field of the record type is a key.
func (k *draftCheck) isKey(field string) bool {
	f, ok := k.plan.Type.Field(field)
	return ok && f.Key
}

// othersToo is the SQL of whether what row q must point to, as a deal to its company, is not what the record
// points to: where things are called otherwise, that alone says little. It is empty without such a field.
func (k *draftCheck) othersToo() string {
	for _, fp := range k.plan.Fields {
		if fp.Field.Required && fp.Field.Kind().Form == catalog.LinkForm {
			return drafted(fp.Field) + ` <> ` + schema.Column(fp.Field, "r")
		}
	}
	return ""
}

// sameOtherwise is the SQL of whether something that tells records apart, and by which r was not found, is the
// same in the row: a mailbox, a telephone number, an address on the web, a key, the day of birth, the street.
func (k *draftCheck) sameOtherwise() string {
	var same []string
	for i := range k.plan.Fields {
		f := k.plan.Fields[i].Field
		reached := f.Type == catalog.Email || f.Type == catalog.Phone || f.Type == catalog.URL
		if !reached && !f.Key && f.Holds != catalog.HoldsBirth && f.ComparedAs() != catalog.AsStreet {
			continue
		}
		equal := schema.Column(f, "q") + ` = ` + schema.Column(f, "r")
		var by []string // the rules that look for it
		for n, rule := range k.plan.Rules {
			if slices.Contains(rule.Fields, f.Name) {
				by = append(by, schema.Int(n+1))
			}
		}
		if len(by) > 0 {
			equal += ` and q.found_by not in (` + list(by) + `)`
		}
		same = append(same, equal)
	}
	return strings.Join(same, " or ")
}

// calls reports whether a field of a title is the name of what records are of, or a half of it: of
// people that is not the company.
func (k *draftCheck) calls(f catalog.Field) bool {
	_, people := k.plan.Type.FieldAs(catalog.AsFamilyName)
	return f.Holds == catalog.HoldsPerson || value.HoldsNames(f) && !(people && f.Likeness == catalog.AsCompanyName)
}
