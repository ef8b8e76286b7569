package mapping

import (
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/sheet"
)

// placeOfBoth are the kinds of fields that whoever names a record shares with it: a person's
// address in a list of companies is that of the company. The region is one as well.
var placeOfBoth = []catalog.Likeness{catalog.AsStreet, catalog.AsPostalCode, catalog.AsLocality, catalog.AsCountry}

// Creating gives the routine with a draft for every link of which it says that records which
// are missing are created: with their names, the place that the row says, and what they belong
// to where the row belongs to it as well. Such a draft finds records as the link did, and by
// the rules of its type, asks about near names, and changes none that is there. It gives an error of kind Invalid at
// a field that cannot be treated so.
func (r Routine) Creating(c catalog.Catalog, columns []sheet.Column) (Routine, error) {
	out := r
	out.Drafts = slices.Clone(r.Drafts)
	for n := range r.Drafts {
		t, ok := c.Type(r.Drafts[n].Type)
		if !ok {
			continue // said by Check
		}
		for _, f := range t.Fields {
			if out.Drafts[n].Fields[f.Name].Unreadable != CreateMissing {
				continue
			}
			made, err := out.missing(c, n, f, columns)
			if err != nil {
				return r, err
			}
			out.Drafts = append(out.Drafts, made)
			out.Drafts[n].Fields = withField(out.Drafts[n].Fields, f.Name, Origin{Draft: made.Called()})
		}
	}
	return out, nil
}

// missing gives the draft of the records that a link of a draft names and that are not there.
func (r Routine) missing(c catalog.Catalog, n int, link catalog.Field, columns []sheet.Column) (Draft, error) {
	d := r.Drafts[n]
	o := d.Fields[link.Name]
	refused := func(why, mend string) (Draft, error) {
		return Draft{}, fault.New(fault.Invalid, "cannot_create",
			why).At(fault.Place{Path: fmt.Sprintf("drafts[%d].fields.%s", n, link.Name)}).
			With(string(CreateMissing)).Mended(mend)
	}
	t, ok := c.Type(link.To)
	may := or(d.May, r.May)
	switch {
	case !ok || link.Type != catalog.Reference:
		return refused("only records that a link names can be created where they are missing", "Say hold or leave_out.")
	case t.InUse != "" || t.Timeline != nil:
		return refused(strings.ToLower(t.Plural)+" are not created because somebody names them",
			"Load them first, or say hold or leave_out.")
	case may == Update || may == Delete:
		return refused("nothing is created where records are only changed or deleted",
			"Let the import create as well, or say hold or leave_out.")
	case len(o.Find) > 0 || o.Draft != "" || o.Split != "" || o.Take != "" || len(o.From) != 1 || o.Compute != "" || o.When != nil:
		return refused("records are created by the names in one column",
			"Let the link come from one column, or add a draft for the records.")
	case numbered(t, o, columns):
		return refused("the column holds numbers or ids, which would become names",
			"Say which records they mean, or add a draft for the records, with a column that names them.")
	}
	made := Draft{Name: r.freeName(d, link), Type: t.Name, May: Create, ByName: namesOne(t), Where: d.Where}
	if made.Name == made.Type {
		made.Name = ""
	}
	var unnamed bool
	if made.Fields, unnamed = named(t, o); unnamed {
		return refused("a name alone does not make a record of this type",
			"Add a draft for the records, with what they need.")
	}
	from, _ := c.Type(d.Type)
	for _, f := range t.Fields {
		if _, there := made.Fields[f.Name]; there || t.Name == d.Type {
			continue // the parent of a company is not where the company is
		}
		for _, mine := range from.Fields {
			given, filled := d.Fields[mine.Name]
			place := slices.Contains(placeOfBoth, f.ComparedAs()) && f.ComparedAs() == mine.ComparedAs() ||
				f.Holds == catalog.HoldsRegion && mine.Holds == f.Holds
			same := f.Type == catalog.Reference && mine.Type == catalog.Reference && f.To == mine.To && f.To != t.Name
			if to, _ := c.Type(f.To); !filled || !place && !(same && to.InUse == "") {
				continue
			}
			given.Both, given.Blank, given.Unreadable, given.Doubtful = "", "", "", ""
			made.Fields[f.Name] = given
			break
		}
	}
	for _, f := range t.Fields {
		if _, filled := made.Fields[f.Name]; f.Required && !filled {
			return refused("a name alone does not make a record of this type: "+f.Label+" is required",
				"Add a draft for the records, with what they need.")
		}
	}
	return made, nil
}

// named gives the origins of a record's name, from the text that a link came from; words that
// mean a record by its id still do.
func named(t catalog.RecordType, o Origin) (fields map[string]Origin, unnamed bool) {
	fields = map[string]Origin{}
	names := Origin{From: o.From, Otherwise: o.Otherwise, Values: maps.Clone(o.Values)}
	var ids []string
	for _, word := range slices.Sorted(maps.Keys(o.Values)) {
		if _, err := t.ParseRecordID(o.Values[word]); err == nil {
			ids = append(ids, fmt.Sprintf(`cells[%s] == %s ? %s : `, strconv.Quote(o.From[0]), strconv.Quote(word),
				strconv.Quote(o.Values[word])))
			delete(names.Values, word)
		}
	}
	if len(ids) > 0 {
		fields[IDField] = Origin{Compute: strings.Join(ids, "") + `""`}
	}
	if len(names.Values) == 0 {
		names.Values = nil
	}
	given, hasGiven := t.FieldAs(catalog.AsGivenName)
	family, hasFamily := t.FieldAs(catalog.AsFamilyName)
	switch {
	case hasGiven && hasFamily && slices.Contains(t.Title, family.Name):
		first, last := names, names
		first.Take, last.Take = TakeGivenName, TakeFamilyName
		fields[given.Name], fields[family.Name] = first, last
	case len(t.Title) == 1:
		fields[t.Title[0]] = names
	default:
		return nil, true
	}
	return fields, false
}

// namesOne reports whether a whole name tells records of a type apart: many people are called
// the same.
func namesOne(t catalog.RecordType) bool {
	family, person := t.FieldAs(catalog.AsFamilyName)
	return len(t.Title) == 1 && !(person && slices.Contains(t.Title, family.Name))
}

// numbered reports whether there are ids and numbers among the texts of a link.
func numbered(t catalog.RecordType, o Origin, columns []sheet.Column) bool {
	if len(o.From) != 1 {
		return false
	}
	n := slices.IndexFunc(columns, func(col sheet.Column) bool { return col.Header == o.From[0] })
	if n < 0 {
		return false
	}
	return slices.ContainsFunc(columns[n].Samples, func(s string) bool { return noName(t, s) })
}

// inNumbers is what numbers of records look like: figures, with a few letters before them.
var inNumbers = regexp.MustCompile(`^\pL{0,4}[-/_.#]?\d[\d./_-]*$`)

// noName reports whether a text that should name a record is its id, a number or an address.
func noName(t catalog.RecordType, s string) bool {
	_, err := t.ParseRecordID(s)
	return err == nil || inNumbers.MatchString(s) || strings.Contains(s, "@")
}

// freeName gives a name for the draft of a link that no other draft has.
func (r Routine) freeName(d Draft, link catalog.Field) string {
	name := link.Name
	for n := 2; r.indexOf(name) >= 0; n++ {
		name = d.Called() + "_" + link.Name
		if n > 2 {
			name += "_" + strconv.Itoa(n)
		}
	}
	return fault.Cut(name, 40)
}
