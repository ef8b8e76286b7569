package cli

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"uchi/internal/client"
	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
)

// setRoutine changes the routine of an import as it was when it was looked at:
// the service refuses the change when somebody else was faster.
func (a *app) setRoutine(ctx context.Context, c *client.Conn, i client.Import,
	routine mapping.Routine) (client.Import, error) {
	r, err := c.SetRoutineWithResponse(ctx, c.Workspace, i.Id,
		&client.SetRoutineParams{IfMatch: client.MadeOn(i.RoutineVersion)}, routine)
	if err != nil {
		return client.Import{}, err
	}
	return *r.JSON200, nil
}

// tells reports whether a rule can work with the fields that the draft gives.
func tells(d mapping.Draft, t catalog.RecordType) bool {
	rules := d.Match
	if len(rules) == 0 {
		rules = t.Match
	}
	there := func(name string) bool { _, ok := d.Fields[name]; return ok }
	return slices.ContainsFunc(rules, func(r catalog.MatchRule) bool {
		for _, name := range r.Fields {
			if !there(name) {
				return false
			}
		}
		return len(r.Alike) == 0 || slices.ContainsFunc(r.Alike, there)
	})
}

// rulesInWords says by what records are found, the record type's own rules when
// a routine has none.
func rulesInWords(rules []catalog.MatchRule, t catalog.RecordType) string {
	if len(rules) == 0 {
		rules = t.Match
	}
	var parts []string
	for _, r := range rules {
		parts = append(parts, r.Says(t))
	}
	return strings.Join(parts, "; else ")
}

// policyWords says how values and repeated rows are treated, as far as it is
// not the default.
func policyWords(d mapping.Draft) []string {
	var out []string
	add := func(on bool, format string, v ...any) {
		if on {
			out = append(out, fmt.Sprintf(format, v...))
		}
	}
	add(d.May != "", "may: %s", d.May)
	add(d.Both != "" && d.Both != mapping.Replace, "when both have a value: %s", d.Both)
	add(d.Blank != "" && d.Blank != mapping.Leave, "when the row is blank: %s", d.Blank)
	add(d.NewerBy != "", "rows are as old as %q says", d.NewerBy)
	add(d.Repeats != "" && d.Repeats != mapping.HoldRepeats, "rows for the same record: %s", d.Repeats)
	add(d.Unreadable != "" && d.Unreadable != mapping.HoldRow, "values that cannot be read: %s", d.Unreadable)
	add(d.Doubtful != "" && d.Doubtful != mapping.KeepThere, "doubtful values: %s", d.Doubtful)
	add(d.Gone == mapping.RemoveGone, "what the file does not name any more is deleted")
	for _, name := range slices.Sorted(maps.Keys(d.Fields)) {
		o := d.Fields[name]
		add(o.Unreadable != "", "%s, when it cannot be read: %s", name, o.Unreadable)
		add(o.Doubtful != "", "%s, when it is doubtful: %s", name, o.Doubtful)
		add(o.Both != "", "%s, when both have a value: %s", name, o.Both)
		add(o.Blank != "", "%s, when the row is blank: %s", name, o.Blank)
	}
	return out
}

// showHome says of which country telephone numbers without one seem to be, if anything tells.
func (a *app) showHome(i client.Import, home client.Home) {
	if home.Country != "" {
		fmt.Fprintf(a.out, "Telephone numbers that name no country seem to be of %s (%s); read them so: uchi "+
			"mapping %d --country %s\n", home.Country, home.Reason, i.Id, home.Country)
	}
}

func (a *app) recordType(ctx context.Context, c *client.Conn, name string) (catalog.RecordType, error) {
	r, err := c.GetTypeWithResponse(ctx, c.Workspace, name)
	if err != nil {
		return catalog.RecordType{}, err
	}
	return *r.JSON200, nil
}

func (a *app) showMapping(ctx context.Context, c *client.Conn, i client.Import, s client.Suggestions) error {
	types, err := a.draftTypes(ctx, c, i.Routine)
	if err != nil {
		return err
	}
	var into []string
	for _, t := range types {
		into = append(into, strings.ToLower(t.Plural))
	}
	fmt.Fprintf(a.out, "%s  %s, %s into %s\n", a.paint(bold, i.File.Name), plural(i.Rows, "row", "rows"),
		plural(int64(len(i.Columns)), "column", "columns"), strings.Join(into, " and "))
	for _, f := range i.Findings {
		if !f.Sure {
			fmt.Fprintf(a.out, "  %s: %s (%s)\n", f.Option, readable(f.Value), f.Evidence)
		}
	}
	a.showNotices(i.Notices)
	if noticed(i, sheet.AnotherTable) {
		if i.Below > 0 {
			fmt.Fprintf(a.out, "  Import %d reads the table below.\n", i.Below)
		} else {
			fmt.Fprintf(a.out, "  Import the table below too: uchi import --below %d\n", i.Id)
		}
	}
	fmt.Fprintln(a.out)
	a.showColumns(i, types, s.Columns)
	for _, u := range s.Unlike {
		if u.Field == "" { // it is among what was noticed
			continue
		}
		fmt.Fprintf(a.out, "%s goes to %s, but %s\n", u.Column, u.Place(), u.Why)
	}
	for n, d := range i.Routine.Drafts {
		a.showDraft(i.Routine, d, types[n])
	}
	if i.Routine.Held == mapping.HeldRecord {
		fmt.Fprintln(a.out, "A record that is held does not hold the others of its row.")
	}
	fmt.Fprintln(a.out)
	for _, k := range s.Routines {
		if i.Routine.Name != k.Name {
			fmt.Fprintf(a.out, "The routine %q fits (%d%% of its columns%s%s); use it with --routine\n", k.Name,
				int(k.Share*100), drift(", missing ", columnsOf(k.Missing)), drift(", new ", k.New)+drift(", not known: ",
					newValues(k.Values)))
		}
	}
	a.showHome(i, s.Home)
	if set := s.Together; len(set.Types) > 0 {
		fmt.Fprintf(a.out, "%s; make these records of each row with --into %s --add %s\n", set.Reason, set.Types[0],
			strings.Join(set.Types[1:], " --add "))
	}
	for _, d := range s.Drafts {
		add := d.Type
		if d.Name != "" {
			add = d.Name + "=" + d.Type
		}
		fmt.Fprintf(a.out, "%s; make such records too with --add %s\n", d.Reason, add)
	}
	if n := len(i.Unplaced); n > 0 {
		fmt.Fprintf(a.out, "%s with --map field=Header\n", plural(int64(n), "column is not placed; place it",
			"columns are not placed; place them"))
	}
	return nil
}

func columnsOf(list []client.MissingColumn) (names []string) {
	for _, m := range list {
		if m.Now == "" {
			names = append(names, m.Column)
		}
	}
	return names
}

// draftTypes reads the record type of each draft.
func (a *app) draftTypes(ctx context.Context, c *client.Conn, r mapping.Routine) ([]catalog.RecordType, error) {
	var types []catalog.RecordType
	for _, d := range r.Drafts {
		t, err := a.recordType(ctx, c, d.Type)
		if err != nil {
			return nil, err
		}
		types = append(types, t)
	}
	return types, nil
}

// fieldOf names a field of a draft; with several drafts the draft's name stands
// before it.
func fieldOf(r mapping.Routine, d mapping.Draft, field string) string {
	if len(r.Drafts) == 1 {
		return field
	}
	return d.Called() + "." + field
}

// showColumns shows where each column goes, and why.
func (a *app) showColumns(i client.Import, types []catalog.RecordType, suggested []client.Suggestion) {
	placed, required, tells := map[string][]string{}, map[string]bool{}, map[string]string{}
	for n, d := range i.Routine.Drafts {
		for _, f := range append([]catalog.Field{{Name: mapping.IDField}}, types[n].Fields...) {
			o := d.Fields[f.Name]
			if o.When != nil {
				tells[o.When.Column] = strings.Join(o.From, " + ")
				o.When = nil
			}
			for _, from := range o.Columns() {
				placed[from] = append(placed[from], fieldOf(i.Routine, d, f.Name))
				required[from] = required[from] || f.Required
			}
		}
	}
	tab := a.table("Column", "Filled", "Goes to", "Because")
	for _, col := range i.Columns {
		fields, reason := placed[col.Header], ""
		for _, s := range suggested {
			field := strings.TrimPrefix(s.Draft+"."+s.Field, ".")
			switch {
			case s.Column != col.Header:
			case slices.Contains(fields, field):
				reason = s.Reason
			case len(fields) > 0:
				for _, o := range s.Others {
					if slices.Contains(fields, strings.TrimPrefix(o.Draft+"."+o.Field, ".")) {
						reason = cmp.Or(reason, o.Reason)
					}
				}
			case len(fields) == 0:
				reason = "perhaps " + field + ": " + s.Reason
				for _, o := range s.Others {
					reason += "; or " + strings.TrimPrefix(o.Draft+"."+o.Field, ".")
				}
			}
		}
		if len(fields) > 0 && reason == "" {
			reason = "placed so before"
		}
		shown := strings.Join(fields, " + ")
		if required[col.Header] {
			shown += " *"
		}
		if len(fields) == 0 {
			shown = a.paint(faint, "–")
		}
		if of := tells[col.Header]; of != "" && len(fields) == 0 {
			reason = "it tells of which field “" + of + "” is"
		}
		tab.AppendRow([]any{oneLine(col.Header, 28), number(col.Filled), shown, oneLine(reason, max(30, a.width()-62))})
	}
	tab.Render()
}

// showDraft says what does not stand in the columns: fixed and computed values,
// links, conditions, rules and policies.
func (a *app) showDraft(r mapping.Routine, d mapping.Draft, t catalog.RecordType) {
	if len(r.Drafts) > 1 {
		fmt.Fprintf(a.out, "\n%s\n", a.paint(bold, d.Called()))
	}
	for _, f := range t.Fields {
		name := fieldOf(r, d, f.Name)
		switch o := d.Fields[f.Name]; {
		case o.Fixed != "":
			fmt.Fprintf(a.out, "%s is %q in all rows\n", name, o.Fixed)
		case o.Compute != "":
			fmt.Fprintf(a.out, "%s is computed: %s\n", name, o.Compute)
		case o.Draft != "":
			fmt.Fprintf(a.out, "%s is the %s of the row\n", name, o.Draft)
		case o.When != nil:
			fmt.Fprintf(a.out, "%s is taken from %s in rows whose %s says %s\n", name, strings.Join(o.From, " + "), o.When.Column,
				strings.Join(o.When.Is, " or "))
		case len(o.Find) > 0:
			fmt.Fprintf(a.out, "%s is looked up by %s\n", name, strings.Join(slices.Sorted(maps.Keys(o.Find)), " and "))
		}
	}
	if d.Grouped {
		fmt.Fprintln(a.out, "rows that are blank here belong to the row above")
	}
	if d.Where != "" {
		fmt.Fprintf(a.out, "only rows with: %s\n", d.Where)
	}
	switch {
	case tells(d, t):
		fmt.Fprintf(a.out, "Found by %s.\n", rulesInWords(d.Match, t))
	case len(d.Match) > 0:
		fmt.Fprintf(a.out, "To be found by %s, which no column gives: so it cannot be checked.\n", rulesInWords(d.Match, t))
	default:
		fmt.Fprintln(a.out, "No rule tells which record a row is for: one that is equal to a record in all that it says is "+
			"that record, every other makes a new one.")
	}
	if r.PointsTo(d.Called()) {
		switch label := strings.ToLower(t.Label); {
		case d.ByName:
			fmt.Fprintf(a.out, "Its whole name tells which %s is meant; another of the name, but for its legal form, is asked about.\n", label)
			fmt.Fprintf(a.out, "Rows of one name make it once, with what they agree on.\n")
		case len(d.Match) == 0:
			fmt.Fprintln(a.out, "Else the one of the same name, if nothing says otherwise.")
			fallthrough
		default:
			fmt.Fprintf(a.out, "Rows for the same %s make it once.\n", label)
		}
	}
	for _, w := range policyWords(d) {
		fmt.Fprintln(a.out, w)
	}
}

func drift(word string, columns []string) string {
	if len(columns) == 0 {
		return ""
	}
	return word + strings.Join(columns, ", ")
}

func newValues(list []client.NewValue) []string {
	var out []string
	for _, v := range list {
		out = append(out, fmt.Sprintf("%q in %s", v.Text, v.Column))
	}
	return out
}

func readable(s string) string {
	if s == "\t" {
		return "tab"
	}
	return s
}

// noticed reports whether something of a code was noticed in the source of an import.
func noticed(i client.Import, code string) bool {
	return slices.ContainsFunc(i.Notices, func(n sheet.Notice) bool { return n.Code == code })
}

// showNotices says what was noticed in a source, with the place where it stands first.
func (a *app) showNotices(list []sheet.Notice) {
	for _, n := range list {
		place := n.Column
		if n.Title != "" {
			place = "“" + n.Title + "”"
		}
		if n.Row > 0 {
			place += fmt.Sprintf(" row %d", n.Row)
		}
		fmt.Fprintf(a.out, "  %s: %s%s  %s\n", a.paint(amber, "note"), n.Message, countIn(n.Count), strings.TrimSpace(place))
	}
}

func countIn(n int64) string {
	if n == 0 {
		return ""
	}
	return " (" + plural(n, "row", "rows") + ")"
}
