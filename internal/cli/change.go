package cli

import (
	"cmp"
	"context"
	"fmt"
	"os"
	"slices"
	"strings"

	"uchi/internal/client"
	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
	"uchi/internal/core/value"

	"github.com/spf13/pflag"
)

// routineChange is what flags change in a routine.
type routineChange struct {
	may                  string
	maps, fixed, compute []string
	find, link           []string
	readAs, means, when  []string
	where                string
	match, both, blank   []string
	unreadable           []string
	doubtful             []string
	takeAt, askAt        float64
	newerBy, repeats     string
	gone, held           string
	drafts, drop         []string
	draft                string
	grouped, byName      bool
	from                 string // a routine's document
	load                 mapping.LoadPolicy
}

func (r *routineChange) add(fl *pflag.FlagSet) {
	fl.StringVar(&r.may, "may", "", "what the import may do: create_or_update, create, update or delete")
	fl.StringVar(&r.from, "from", "",
		"take reading and mapping from a routine's document (YAML or JSON); the other flags change it")
	fl.StringArrayVar(&r.drafts, "add", nil,
		"let each row make a further record: a record type, or name=type (repeatable)")
	fl.StringArrayVar(&r.drop, "drop", nil, "let rows no longer make this record, by its name (repeatable)")
	fl.StringVar(&r.draft, "draft", "", "which of the row's records the other flags speak of; the first when left out")
	fl.StringArrayVar(&r.maps, "map", nil, "place a column: field=Header (repeatable; =A+B joins two columns, "+
		"given_name+family_name= parts one; field= takes it out; draft.field= for another record of the row)")
	fl.StringArrayVar(&r.fixed, "fixed", nil, "one value for all rows: field=value (repeatable)")
	fl.StringArrayVar(&r.compute, "compute", nil,
		`compute a value: field=CEL, such as 'description="No. " + cells["Nr"]' (repeatable)`)
	fl.StringArrayVar(&r.find, "find", nil, "look a record up: reference:field=Header, such as owner:email=Sales "+
		"mail (repeatable; all of a reference's must fit)")
	fl.StringArrayVar(&r.link, "link", nil, "let a reference point to another record of the row: field=name (repeatable)")
	fl.StringArrayVar(&r.readAs, "read-as", nil, "how a column is read: field=day_first, month_first, year_first, "+
		"dot, comma, of_hundred, of_one or either (60 or 0.6 for 60 %), first_day or last_day (of a month or a quarter), "+
		"since_1900 or since_1904 (46112 as a day, as spreadsheet programs count them), lowest, middle or highest (of "+
		"a range such as 11-50), ones, thousands or millions (what amounts are in), opposite or same (whether yes means no, "+
		"as under Opted out), as_names (KRÜGER as Krüger; repeatable)")
	fl.StringArrayVar(&r.means, "means", nil, "say what a word of a column means: field:word=meaning, such as "+
		"country:UK=GB; nothing behind = leaves it blank (repeatable)")
	fl.StringArrayVar(&r.when, "when", nil, "take a field's column only in rows of which another says so: field:Header=word, "+
		"such as account:About=company; a column that several fields take so goes to each; field:= for all rows (repeatable)")
	fl.BoolVar(&r.grouped, "grouped", false, "rows that are blank for the record belong to that of the row above")
	fl.BoolVar(&r.byName, "by-name", false, "the whole name tells which record of the draft is meant, as in a link: rows "+
		"of one name are for one record")
	fl.StringArrayVar(&r.match, "match", nil, "find records by: field, A+B for both, alike=A+B+C by likeness "+
		"(repeatable, tried in order); default for the type's own rules")
	fl.Float64Var(&r.takeAt, "take-at", 0, "percent of likeness from which a record is taken")
	fl.Float64Var(&r.askAt, "ask-at", 0, "percent of likeness from which a record is asked about")
	fl.StringArrayVar(&r.both, "both", nil, "when record and row both have a value: replace, keep, newer, or "+
		"field=replace, keep, newer, add (repeatable)")
	fl.StringArrayVar(&r.doubtful, "doubtful", nil, "when the record knows it better (a later date or stage, a mailbox "+
		"at the company, a number where the row says 0), or a name seems turned: keep what is there, take the row's value, "+
		"hold the row, or field=keep, take, hold (repeatable)")
	fl.StringArrayVar(&r.unreadable, "unreadable", nil, "when a value cannot be read: hold the row, leave_out the value, "+
		"or field=hold, leave_out; link=create makes records that are missing (repeatable)")
	fl.StringArrayVar(&r.blank, "blank", nil,
		"when the row says nothing: leave, clear, or field=leave, clear (repeatable)")
	fl.StringVar(&r.newerBy, "newer-by", "", "the column that tells how old a row is")
	fl.StringVar(&r.gone, "gone", "", "children of a record that the rows speak of, such as lines of a deal, which "+
		"no row names: leave or remove")
	fl.StringVar(&r.held, "held", "", "of rows of several records, what is held where one of them has a problem: "+
		"row (all of them), or record (it and those that need it)")
	fl.StringVar(&r.repeats, "repeats", "", "rows that are for the same record: hold, once, first, last, merge or ask")
	fl.BoolVar(&r.load.Whole, "whole", false, "loads by this set-up write all rows in one transaction, or none")
	fl.Int64Var(&r.load.PauseHeld, "pause-held", 0, "loads by this set-up pause when so many rows are held")
	fl.Int64Var(&r.load.StopFails, "stop-fails", 0, "loads by this set-up stop when the database has refused so many rows")
	fl.StringVar(&r.where, "where", "", `leave rows out for which this does not hold, such as 'cells["State"] != "gone"'`)
}

func (r routineChange) none() bool {
	lists := slices.Concat(r.maps, r.fixed, r.compute, r.find, r.link, r.readAs, r.means, r.when, r.match, r.both, r.blank,
		r.unreadable, r.doubtful, r.drafts, r.drop)
	return len(lists) == 0 && r.may+r.where+r.newerBy+r.repeats+r.gone+r.held+r.from == "" && r.takeAt+r.askAt == 0 &&
		!r.grouped && !r.byName && r.load == (mapping.LoadPolicy{})
}

// rulesAlone reports whether nothing changes but by what records are found, which rows are typed without.
func (r routineChange) rulesAlone() bool {
	r.match, r.takeAt, r.askAt, r.load = nil, 0, 0, mapping.LoadPolicy{}
	return r.none()
}

// change changes the routine of an import as the flags say.
func (a *app) change(ctx context.Context, c *client.Conn, i client.Import,
	change routineChange) (client.Import, error) {
	if change.from != "" {
		var err error
		if i, err = a.takeDocument(ctx, c, i, change.from); err != nil {
			return i, err
		}
	}
	for _, s := range change.drafts {
		name, typeName, ok := strings.Cut(s, "=")
		if !ok {
			name, typeName = "", s
		}
		on := &client.AddDraftParams{IfMatch: client.MadeOn(i.RoutineVersion)}
		r, err := c.AddDraftWithResponse(ctx, c.Workspace, i.Id, on, client.AddDraftJSONRequestBody{Name: name,
			Type: typeName})
		if err != nil {
			return i, err
		}
		i = *r.JSON200
	}
	types, err := a.draftTypes(ctx, c, i.Routine)
	if err != nil {
		return i, err
	}
	routine, err := change.apply(i.Routine, types)
	if err != nil {
		return i, err
	}
	return a.setRoutine(ctx, c, i, routine)
}

// takeDocument sets an import up by a routine's document.
func (a *app) takeDocument(ctx context.Context, c *client.Conn, i client.Import, file string) (client.Import, error) {
	document, err := os.ReadFile(file)
	if err != nil {
		return i, fault.New(fault.Invalid, "file_refused", "the file cannot be opened: "+
			err.Error()).At(fault.Place{File: file})
	}
	r, err := mapping.ReadRoutine(document)
	if err != nil {
		if f, ok := fault.From(err); ok {
			return i, f.At(fault.Place{File: file})
		}
		return i, err
	}
	if r.Reading != (sheet.Reading{}) && r.Reading != i.Reading {
		if _, err := c.SetReadingWithResponse(ctx, c.Workspace, i.Id, r.Reading); err != nil {
			return i, err
		}
		if i, err = a.follow(ctx, c, i.Id, "Reading"); err != nil {
			return i, err
		}
	}
	var headers []string
	for _, col := range i.Columns {
		headers = append(headers, col.Header)
	}
	kept, ok := r.Fitted(headers)
	if !ok {
		return i, fault.New(fault.Invalid, "routine_does_not_fit",
			"the source has none of the columns that the routine takes").At(fault.Place{File: file}).
			Mended("Columns of the routine: " + fault.Cut(strings.Join(r.Columns(), ", "), 300) + ".")
	}
	return a.setRoutine(ctx, c, i, kept)
}

// at finds the draft and field that a name means: draft.field, or a field of the
// draft that the flags speak of.
func (c routineChange) at(r *mapping.Routine, name string) (*mapping.Draft, string, error) {
	of := c.draft
	if draft, field, ok := strings.Cut(name, "."); ok {
		of, name = draft, field
	}
	if of == "" {
		return &r.Drafts[0], name, nil
	}
	n := slices.IndexFunc(r.Drafts, func(d mapping.Draft) bool { return d.Called() == of })
	if n < 0 {
		return nil, "", usageError{fmt.Errorf("the rows make no record called %q", of)}
	}
	return &r.Drafts[n], name, nil
}

// apply changes a routine as the flags say; types are those of its drafts.
func (c routineChange) apply(r mapping.Routine, types []catalog.RecordType) (mapping.Routine, error) {
	for n := range r.Drafts {
		if r.Drafts[n].Fields == nil {
			r.Drafts[n].Fields = map[string]mapping.Origin{}
		}
	}
	if c.held != "" {
		r.Held = mapping.Held(c.held)
	}
	if c.load != (mapping.LoadPolicy{}) {
		r.Load = &c.load
	}
	if err := c.dropDrafts(&r); err != nil {
		return r, err
	}
	if err := c.place(&r, types); err != nil {
		return r, err
	}
	origins := []struct {
		pairs  []string
		origin func(string) mapping.Origin
	}{
		{c.fixed, func(v string) mapping.Origin { return mapping.Origin{Fixed: v} }},
		{c.compute, func(v string) mapping.Origin { return mapping.Origin{Compute: v} }},
		{c.link, func(v string) mapping.Origin { return mapping.Origin{Draft: v} }},
	}
	for _, set := range origins {
		for _, m := range set.pairs {
			name, v, ok := strings.Cut(m, "=")
			if !ok || v == "" {
				return r, usageError{fmt.Errorf("%q is not of the form field=value", m)}
			}
			d, field, err := c.at(&r, name)
			if err != nil {
				return r, err
			}
			d.Fields[field] = set.origin(v)
		}
	}
	if err := c.lookUp(&r); err != nil {
		return r, err
	}
	if err := c.say(&r); err != nil {
		return r, err
	}
	if err := c.sayWhen(&r); err != nil {
		return r, err
	}
	d, _, err := c.at(&r, "")
	if err != nil {
		return r, err
	}
	switch {
	case c.may != "" && c.draft != "":
		d.May = mapping.May(c.may)
	case c.may != "":
		r.May = mapping.May(c.may)
	}
	if c.where != "" {
		d.Where = c.where
	}
	d.Grouped, d.ByName = d.Grouped || c.grouped, d.ByName || c.byName
	t := types[slices.IndexFunc(types, func(t catalog.RecordType) bool { return t.Name == d.Type })]
	return r, c.applyPolicies(d, t)
}

// dropDrafts takes drafts out, with the links to them.
func (c routineChange) dropDrafts(r *mapping.Routine) error {
	for _, name := range c.drop {
		if _, _, err := (routineChange{draft: name}).at(r, ""); err != nil {
			return err
		}
		*r = r.Without(name)
	}
	if len(r.Drafts) == 0 {
		return usageError{fmt.Errorf("a row makes one record at least")}
	}
	return nil
}

// place puts columns to fields; a column moves, it is not copied. Of several fields each
// gets its part.
func (c routineChange) place(r *mapping.Routine, types []catalog.RecordType) error {
	for _, m := range c.maps {
		name, header, ok := strings.Cut(m, "=")
		if !ok {
			return usageError{fmt.Errorf("%q is not of the form field=Header", m)}
		}
		name, more, several := strings.Cut(name, "+")
		d, field, err := c.at(r, name)
		if err != nil {
			return err
		}
		if header == "" {
			delete(d.Fields, field)
			continue
		}
		parts := []mapping.FieldPart{{Field: field}}
		if several {
			t := types[slices.IndexFunc(types, func(t catalog.RecordType) bool { return t.Name == d.Type })]
			if parts, ok = mapping.PartingOf(t, append([]string{field}, strings.Split(more, "+")...)); !ok {
				return usageError{fmt.Errorf("%q: cells cannot be parted over these fields; %s", m, waysToPart(t))}
			}
		}
		for other, o := range d.Fields {
			shared := o.When != nil || slices.ContainsFunc(c.when, func(w string) bool {
				return strings.HasPrefix(w, other+":") || strings.HasPrefix(w, d.Called()+"."+other+":")
			})
			if slices.Equal(o.From, []string{header}) && !shared &&
				!slices.ContainsFunc(parts, func(p mapping.FieldPart) bool { return p.Field == other }) {
				delete(d.Fields, other)
			}
		}
		for _, p := range parts {
			o := d.Fields[p.Field]
			if !slices.Equal(o.From, strings.Split(header, "+")) {
				o.When = nil
			}
			o.From, o.Fixed, o.Compute, o.Take, o.Find, o.Draft = strings.Split(header, "+"), "", "", p.Take, nil, ""
			d.Fields[p.Field] = o
		}
	}
	return nil
}

// waysToPart words over which fields of a type the cells of a column can be parted.
func waysToPart(t catalog.RecordType) string {
	var ways []string
	for _, p := range mapping.Partings(t) {
		var names []string
		for _, f := range p.Fields {
			names = append(names, f.Field)
		}
		ways = append(ways, strings.Join(names, "+"))
	}
	if ways == nil {
		return "those of " + t.Label + " are never parted"
	}
	return "they can be over " + strings.Join(ways, ", ")
}

// lookUp sets by which fields records are looked up.
func (c routineChange) lookUp(r *mapping.Routine) error {
	found := map[string]bool{}
	for _, m := range c.find {
		name, header, ok := strings.Cut(m, "=")
		name, by, split := strings.Cut(name, ":")
		if !ok || !split {
			return usageError{fmt.Errorf("%q is not of the form reference:field=Header", m)}
		}
		d, field, err := c.at(r, name)
		if err != nil {
			return err
		}
		o := d.Fields[field]
		if !found[name] || o.Find == nil {
			o = mapping.Origin{Find: map[string]mapping.Origin{}}
		}
		found[name] = true
		o.Find[by] = mapping.Origin{From: strings.Split(header, "+")}
		d.Fields[field] = o
	}
	return nil
}

// placedAt finds the draft and field that a name in what was given means, to which a column goes.
func (c routineChange) placedAt(r *mapping.Routine, name, given string) (*mapping.Draft, string, error) {
	d, field, err := c.at(r, name)
	if err == nil && len(d.Fields[field].From) == 0 {
		err = usageError{fmt.Errorf("%q: no column goes to the field %s", given, field)}
	}
	return d, field, err
}

// sayWhen sets in which rows columns speak of their fields.
func (c routineChange) sayWhen(r *mapping.Routine) error {
	began := map[string]bool{}
	for _, m := range c.when {
		name, word, ok := strings.Cut(m, "=")
		name, header, split := strings.Cut(name, ":")
		if !ok || !split || (header == "") != (word == "") {
			return usageError{fmt.Errorf("%q is not of the form field:Header=word", m)}
		}
		d, field, err := c.placedAt(r, name, m)
		if err != nil {
			return err
		}
		o := d.Fields[field]
		switch {
		case header == "":
			o.When = nil
		case o.When == nil || o.When.Column != header || !began[name]:
			o.When = &mapping.When{Column: header, Is: []string{word}}
		default:
			o.When = &mapping.When{Column: header, Is: append(slices.Clone(o.When.Is), word)}
		}
		began[name] = true
		d.Fields[field] = o
	}
	return nil
}

// say sets how columns are read and what their words mean.
func (c routineChange) say(r *mapping.Routine) error {
	for _, m := range slices.Concat(c.readAs, c.means) {
		name, v, ok := strings.Cut(m, "=")
		name, word, isWord := strings.Cut(name, ":")
		if !ok {
			return usageError{fmt.Errorf("%q is not of the form field=order or field:word=meaning", m)}
		}
		d, field, err := c.placedAt(r, name, m)
		if err != nil {
			return err
		}
		o := d.Fields[field]
		switch {
		case isWord:
			values := map[string]string{word: v}
			for w, meaning := range o.Values {
				if w != word {
					values[w] = meaning
				}
			}
			o.Values = values
		case v == "dot":
			o.DecimalSign = "."
		case v == "comma":
			o.DecimalSign = ","
		case slices.Contains(value.WaysOfSpans, value.Spans(v)):
			o.Spans = value.Spans(v)
		case slices.Contains(value.WaysOfDayNumbers, value.DayNumbers(v)):
			o.DayNumbers = value.DayNumbers(v)
		case slices.Contains(value.WaysOfRough, value.Rough(v)):
			o.Rough = value.Rough(v)
		case slices.Contains(value.Senses, value.Sense(v)):
			o.Sense = value.Sense(v)
		case slices.Contains(value.Units, value.Unit(v)):
			o.Unit = value.Unit(v)
		case slices.Contains(value.WaysOfCapitals, value.Capitals(v)):
			o.Capitals = value.Capitals(v)
		case slices.Contains(value.WaysOfPercents, value.Percents(v)):
			o.Percents = value.Percents(v)
		default:
			o.DateOrder = value.DateOrder(v)
		}
		d.Fields[field] = o
	}
	return nil
}

// applyPolicies changes how records are found and what happens to values.
func (c routineChange) applyPolicies(d *mapping.Draft, t catalog.RecordType) error {
	if len(c.match) > 0 {
		d.Match = nil
	}
	for _, m := range c.match {
		if m == "default" {
			continue
		}
		if alike, ok := strings.CutPrefix(m, "alike="); ok {
			d.Match = append(d.Match, catalog.MatchRule{Alike: strings.Split(alike, "+")})
		} else {
			d.Match = append(d.Match, catalog.MatchRule{Fields: strings.Split(m, "+")})
		}
	}
	if c.takeAt > 0 || c.askAt > 0 {
		if len(d.Match) == 0 {
			d.Match = slices.Clone(t.Match)
		}
		for i := range d.Match {
			if len(d.Match[i].Alike) > 0 {
				d.Match[i].TakeAt, d.Match[i].AskAt = cmp.Or(c.takeAt, d.Match[i].TakeAt), cmp.Or(c.askAt, d.Match[i].AskAt)
			}
		}
	}
	if c.newerBy != "" {
		d.NewerBy = c.newerBy
	}
	if c.gone != "" {
		d.Gone = mapping.Gone(c.gone)
	}
	if c.repeats != "" {
		d.Repeats = mapping.Repeats(c.repeats)
	}
	set := func(list []string, all func(v string), one func(o *mapping.Origin, v string)) error {
		for _, s := range list {
			field, v, ok := strings.Cut(s, "=")
			if !ok {
				all(s)
				continue
			}
			o, there := d.Fields[field]
			if !there {
				return usageError{fmt.Errorf("%q: no column goes to the field %s", s, field)}
			}
			one(&o, v)
			d.Fields[field] = o
		}
		return nil
	}
	if err := set(c.both, func(v string) { d.Both = mapping.Both(v) },
		func(o *mapping.Origin, v string) { o.Both = mapping.Both(v) }); err != nil {
		return err
	}
	err := set(c.unreadable, func(v string) { d.Unreadable = mapping.Unreadable(v) },
		func(o *mapping.Origin, v string) { o.Unreadable = mapping.Unreadable(v) })
	if err != nil {
		return err
	}
	err = set(c.doubtful, func(v string) { d.Doubtful = mapping.Doubtful(v) },
		func(o *mapping.Origin, v string) { o.Doubtful = mapping.Doubtful(v) })
	if err != nil {
		return err
	}
	return set(c.blank, func(v string) { d.Blank = mapping.Blank(v) },
		func(o *mapping.Origin, v string) { o.Blank = mapping.Blank(v) })
}
