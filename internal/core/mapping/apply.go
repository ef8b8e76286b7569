package mapping

import (
	"cmp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"uchi/internal/core/catalog"
	"uchi/internal/core/expr"
	"uchi/internal/core/problem"
	"uchi/internal/core/sheet"
	"uchi/internal/core/value"
)

// Typed is what typing one row gives: values in the order of the draft's fields.
type Typed struct {
	LeftOut  bool     // the routine's condition does not hold for the row
	Example  bool     // the row only shows what a filled one looks like; it is left out
	Empty    bool     // the row says nothing of this draft
	Above    int64    // the row above to whose record it belongs, 0 when none
	ID       int64    // record id given in the row, 0 when none
	Version  int      // of the record that the row was made of, 0 when not said
	Values   []string // canonical texts, empty when blank
	Cleared  []string // fields that the row empties
	NewerAt  string   // when the row was last right, empty when it does not say
	Problems []problem.Problem
}

// text gives what the row says for this origin, before it is typed.
func (o *origin) text(cells []string) string {
	var s string
	switch {
	case !o.when.holds(cells):
	case len(o.from) == 0:
		s = o.fixed
	case len(o.from) == 1:
		s = o.cell(cells, 0)
	default:
		var parts []string
		for n := range o.from {
			if c := o.cell(cells, n); c != "" {
				parts = append(parts, c)
			}
		}
		s = strings.Join(parts, o.join)
	}
	if s != "" && o.split != "" {
		s = partOf(s, o.split, o.part)
	}
	if s != "" && o.take != "" {
		if o.kept != (kept{}) {
			s = o.take.placed(s, o.kept)
		} else {
			s = cmp.Or(o.take.of(s), o.currency)
		}
	}
	if s != "" && (o.values != nil || o.turned) {
		to, listed := o.values[value.Fold(s)]
		switch {
		case listed:
			s = to
		case o.turned:
			s = value.Opposite(s)
		}
	}
	if o.cut > 0 && len(s) > o.cut {
		if r := []rune(s); len(r) > o.cut {
			s = value.Trim(string(r[:o.cut]))
		}
	}
	if s == "" {
		s = o.otherwise
	}
	return s
}

// cell gives the n-th of the origin's cells, behind its header when asked.
func (o *origin) cell(cells []string, n int) string {
	i := o.from[n]
	if i >= len(cells) {
		return ""
	}
	c := value.Unguard(value.Trim(cells[i]))
	if c != "" && o.nothing.Is(c) {
		if _, said := o.values[value.Fold(c)]; !said {
			return ""
		}
	}
	if c != "" && o.labels != nil {
		return o.labels[n] + ": " + c
	}
	return c
}

// partOf gives the n-th part of a text, counted from 1, or from the end when
// n is negative; empty when there are not so many.
func partOf(s, by string, n int) string {
	parts := strings.Split(s, by)
	if n < 0 {
		n += len(parts) + 1
	}
	if n < 1 || n > len(parts) {
		return ""
	}
	return value.Trim(parts[n-1])
}

// Misfit finds the problem of a row that is not like the others: one that was deleted where it comes from, has
// filled cells beyond the header, or a single one where rows fill most columns, as a heading does.
func (p *Plan) Misfit(row sheet.Row) (problem.Problem, bool) {
	for i := p.columns; i < len(row.Cells); i++ {
		if value.Trim(row.Cells[i]) != "" {
			return problem.Problem{Code: problem.RaggedRow, Value: row.Cells[i], Detail: strconv.Itoa(len(row.Cells)) +
				" cells under " + strconv.Itoa(p.columns) + " headers"}, true
		}
	}
	for _, i := range p.deleted {
		if i < len(row.Cells) && value.IsDeleted(value.Trim(row.Cells[i])) {
			return problem.Problem{Code: problem.MarkedDeleted, Column: p.headers[i], Value: row.Cells[i]}, true
		}
	}
	if p.usual == 0 {
		return problem.Problem{}, false
	}
	lone := -1
	for i, c := range row.Cells {
		if value.Trim(c) == "" {
			continue
		}
		if lone >= 0 {
			return problem.Problem{}, false
		}
		lone = i
	}
	if lone < 0 {
		return problem.Problem{}, false
	}
	return problem.Problem{Code: problem.LoneCell, Column: p.headers[lone], Value: row.Cells[lone],
		Detail: strconv.Itoa(p.usual)}, true
}

// MakesNone tells whether the row makes no record of the draft: it says nothing of it, is
// left out, or is an example.
func (t *Typed) MakesNone() bool { return t.Empty || t.LeftOut || t.Example }

// ExampleMark begins the first cell of a row that only shows what a filled one looks
// like, as starter sheets have it. Such a row is left out.
const ExampleMark = "(example)"

func isExample(row sheet.Row) bool {
	return len(row.Cells) > 0 && strings.HasPrefix(row.Cells[0], ExampleMark)
}

// Apply types one row for the draft. The result's slices are used again by the next call.
func (dp *DraftPlan) Apply(row sheet.Row, out *Typed) {
	out.ID, out.Version, out.LeftOut, out.Example, out.Empty, out.Above, out.NewerAt, out.Problems = 0, 0, false, false,
		false, 0, "", out.Problems[:0]
	out.Values, out.Cleared = out.Values[:0], out.Cleared[:0]
	for range dp.Fields {
		out.Values = append(out.Values, "")
	}
	if dp.blank(row) {
		if out.Empty = true; dp.Grouped {
			out.Above = dp.above
		}
		return
	}
	if out.Example = isExample(row); out.Example {
		return
	}
	dp.above = row.Number
	var seen expr.Row
	if dp.where != nil || dp.expr {
		seen = dp.seen(row)
	}
	if dp.where != nil {
		holds, err := dp.where.Holds(seen)
		if err != nil {
			out.Problems = append(out.Problems, problem.Problem{Code: problem.ComputeFailed, Field: dp.Named(""),
				Detail: err.Error()})
			return
		}
		if out.LeftOut = !holds; out.LeftOut {
			return
		}
	}
	if dp.HasID {
		dp.applyID(row, out)
	}
	if dp.newer != nil {
		dp.applyNewer(row, out)
	}
	country := ""
	if dp.country >= 0 {
		country = dp.applyCountry(row, seen, out)
	} else if dp.lender != nil {
		country = dp.lender.countryOf(row, &dp.lent)
	}
	for i := range dp.Fields {
		if i != dp.country {
			dp.applyField(i, row, country, seen, out)
		}
	}
	unsaid := dp.unsaid(row, out)
	dp.doubtCurrency(row, out)
	dp.givenBehind(row, out)
	dp.doubtOrder(row, out)
	dp.joinTitles(row, out)
	dp.partAddress(row, out)
	dp.doubtLost(row, country, out)
	if dp.Type.Timeline != nil && out.ID == 0 && !unsaid && dp.aboutNothing(out) {
		out.Problems = append(out.Problems, problem.Problem{Code: problem.AboutNothing, Field: dp.Named("")})
	}
}

// unsaid tells of cells that no field takes, since another says in a word that is not known of
// which field they are, and whether there are such.
func (dp *DraftPlan) unsaid(row sheet.Row, out *Typed) (any bool) {
	for i := range dp.Fields {
		fp := &dp.Fields[i]
		w := fp.origin.when
		if w == nil || w.at < 0 || w.at >= len(row.Cells) || fp.origin.cell(row.Cells, 0) == "" {
			continue
		}
		said, some := false, false
		for n, other := range dp.Fields {
			if o := other.origin; o.when != nil && o.when.at == w.at && slices.Equal(o.from, fp.origin.from) {
				said, some = said || o.when.holds(row.Cells), some || n < i
			}
		}
		if any = any || !said; !said && !some { // it is said once
			var words []string
			for _, other := range dp.Fields {
				if o := other.origin; o.when != nil && o.when.at == w.at {
					words = append(words, o.when.words...)
				}
			}
			out.Problems = append(out.Problems, problem.Problem{Code: problem.WhenUnknown, Field: dp.Named(fp.Field.Name),
				Column: w.said, Value: value.Trim(row.Cells[w.at]), Detail: strings.Join(words, ", "), Light: fp.Light})
		}
	}
	return any
}

// applyCountry gives the row its country.
func (dp *DraftPlan) applyCountry(row sheet.Row, seen expr.Row, out *Typed) string {
	dp.applyField(dp.country, row, "", seen, out)
	if out.Values[dp.country] == "" {
		out.Values[dp.country] = dp.countryOfPlace(row)
	}
	return out.Values[dp.country]
}

// countryOfPlace reads the country that stands with the town or the postal code of a row whose cell
// for it is blank.
func (dp *DraftPlan) countryOfPlace(row sheet.Row) string {
	own := &dp.Fields[dp.country]
	if own.origin.take != "" || len(own.origin.from) == 0 || own.origin.text(row.Cells) != "" {
		return ""
	}
	for _, i := range []int{dp.town, dp.code, dp.street} {
		if i < 0 {
			continue
		}
		if p, ok := dp.placeIn(i, row.Cells); ok {
			if v := dp.countryNamed(p); v != "" {
				return v
			}
		}
	}
	return ""
}

// doubtCurrency finds the problem of an amount that stands in another currency than the one that
// the row has.
func (dp *DraftPlan) doubtCurrency(row sheet.Row, out *Typed) {
	if dp.currency < 0 || out.Values[dp.currency] == "" {
		return
	}
	for i := range dp.Fields {
		fp := &dp.Fields[i]
		if fp.Field.Type != catalog.Money || out.Values[i] == "" || len(fp.origin.from) == 0 {
			continue
		}
		said, can := value.InCurrency(fp.origin.text(row.Cells), out.Values[dp.currency])
		if can {
			continue
		}
		out.Problems = append(out.Problems, problem.Problem{
			Code: problem.OtherCurrency, Field: dp.Named(fp.Field.Name), Column: fp.origin.column,
			Value:  fp.origin.cell(row.Cells, 0),
			Detail: said + ", and " + out.Values[dp.currency], Light: fp.Light,
		})
		if fp.Light {
			out.Values[i] = ""
		}
	}
}

// doubtLost finds the problems of values that have lost something on their way here, or that may
// stand for no name, or for what the row above has. But for these they stay, as a record may
// have them so, or in full.
func (dp *DraftPlan) doubtLost(row sheet.Row, country string, out *Typed) {
	for i := range dp.Fields {
		fp := &dp.Fields[i]
		if !fp.Losable && !fp.Above || out.Values[i] == "" || len(out.Problems) > 0 && dp.otherPlace(fp, out) {
			continue
		}
		code, detail := fp.doubt(out.Values[i])
		if code != problem.SameAsAbove && fp.Names && dp.namesNobody(i, out) {
			code, detail = problem.PerhapsNothing, ""
		}
		if code == "" && fp.Losable && fp.as == catalog.AsPostalCode {
			code, detail = dp.shortCode(fp, country, out.Values[i], out)
		}
		if code == "" {
			continue
		}
		told := slices.Contains(problem.Told, code)
		out.Problems = append(out.Problems, problem.Problem{Code: code, Field: dp.Named(fp.Field.Name),
			Column: fp.origin.column, Value: fp.origin.cell(row.Cells, 0), Detail: detail, Light: fp.Light || told})
		if fp.Light && !told || code == problem.SameAsAbove {
			out.Values[i] = ""
		}
	}
}

// seenTexts are texts of a field of which something has been found out that need not be asked again:
// names, towns and jobs come again, numbers do not, so that not many are remembered, and where few come again none is asked for.
type seenTexts struct {
	texts        map[string]bool
	asked, found int
	idle         bool
}

// mostSeen is how many are remembered, oftenAsked after how many questions it is seen whether one in seldomFound is answered.
const (
	mostSeen    = 1000
	oftenAsked  = 5000
	seldomFound = 8
)

func (s *seenTexts) has(text string) bool {
	if s.idle {
		return false
	}
	s.asked++
	if s.texts[text] {
		s.found++
		return true
	}
	s.idle = s.asked >= oftenAsked && s.found*seldomFound < s.asked
	return false
}

func (s *seenTexts) add(text string) {
	if s.texts == nil {
		s.texts = map[string]bool{}
	}
	if !s.idle && len(s.texts) < mostSeen {
		s.texts[strings.Clone(text)] = true
	}
}

// doubt gives the problem of a value that shows in it alone; empty when none does.
func (fp *FieldPlan) doubt(v string) (code problem.Code, detail string) {
	if fp.sound.has(v) {
		return "", ""
	}
	switch {
	case fp.Above && fp.doubter.SameAsAbove(v):
		return problem.SameAsAbove, ""
	case !fp.Losable:
		return "", ""
	}
	if code = fp.doubter.Lost(v); code != "" {
		return code, ""
	}
	if detail = fp.doubter.BesideCompany(v); detail != "" {
		return problem.BesideName, detail
	}
	if fp.Field.Type == catalog.Email {
		if detail = value.MeantMailbox(v); detail != "" {
			return problem.MisspeltDomain, detail
		}
	}
	fp.sound.add(v)
	return "", ""
}

// shortCode finds the problem of a postal code that has fewer figures than those of its country.
func (dp *DraftPlan) shortCode(fp *FieldPlan, country, code string, out *Typed) (problem.Code, string) {
	of, state := fp.reader.Country(country), ""
	if dp.region >= 0 {
		state = strings.ToUpper(strings.Trim(out.Values[dp.region], ". "))
	}
	zero := value.InZeroState(state)
	if of == "" && zero {
		of = "US"
	}
	elsewhere := of == "US" && len(state) == 2 && !zero
	if whole := value.LostZero(of, code); whole != "" && !elsewhere {
		return problem.LostZero, whole
	}
	if short := value.ShortCode(country, code); short != "" {
		return problem.ShortCode, short
	}
	return "", ""
}

// otherPlace reports whether it is said already that a field names another place than the row.
func (dp *DraftPlan) otherPlace(fp *FieldPlan, out *Typed) bool {
	return slices.ContainsFunc(out.Problems, func(p problem.Problem) bool {
		return p.Code == problem.OtherPlace && p.Field == dp.Named(fp.Field.Name)
	})
}

// namesNobody reports whether a value that names somebody may stand for no name, or for a desk.
func (dp *DraftPlan) namesNobody(i int, out *Typed) bool {
	other := ""
	if dp.given >= 0 {
		if other = out.Values[dp.given]; i == dp.given {
			other = out.Values[dp.family]
		}
	}
	if other == "" && dp.job >= 0 && dp.Fields[i].as == catalog.AsFamilyName &&
		value.Fold(out.Values[dp.job]) == value.Fold(out.Values[i]) { // a student called Student
		return true
	}
	return value.Nobody(dp.Fields[i].Field, other, out.Values[i])
}

// countryOf gives the country that the draft has in a row; what else it says stays in out.
func (dp *DraftPlan) countryOf(row sheet.Row, out *Typed) string {
	out.Values, out.Problems = append(out.Values[:0], make([]string, len(dp.Fields))...), out.Problems[:0]
	var seen expr.Row
	if dp.expr {
		seen = dp.seen(row)
	}
	return dp.applyCountry(row, seen, out)
}

// aboutNothing reports whether a note, or the like, points to no record at all.
func (dp *DraftPlan) aboutNothing(out *Typed) bool {
	for i, fp := range dp.Fields {
		if fp.Field.Kind().Form == catalog.LinkForm && (fp.Draft >= 0 || out.Values[i] != "") {
			return false
		}
	}
	return true
}

// empties reports whether a text is the marker that empties a value, as people
// read it. Most texts are told from it by their last letter.
func (dp *DraftPlan) empties(text string) bool {
	a, b := text[len(text)-1], dp.clear[len(dp.clear)-1]
	if 'A' <= a && a <= 'Z' {
		a += 'a' - 'A'
	}
	if a < utf8.RuneSelf && b < utf8.RuneSelf && a != b {
		return false
	}
	return value.Fold(text) == dp.clear
}

// blank reports whether the row says nothing of the draft: with several drafts,
// all cells of its own columns are blank.
func (dp *DraftPlan) blank(row sheet.Row) bool {
	if !dp.several || len(dp.cells) == 0 {
		return false
	}
	for _, own := range dp.cells {
		if own.at < len(row.Cells) {
			if c := value.Unguard(value.Trim(row.Cells[own.at])); c != "" && !own.nothing.Is(c) {
				return false
			}
		}
	}
	return true
}

// seen is the row as expressions see it.
func (dp *DraftPlan) seen(row sheet.Row) expr.Row {
	r := expr.Row{Cells: make(map[string]string, len(dp.header)), Fields: map[string]string{}}
	for i, h := range dp.header {
		r.Cells[h] = ""
		if i < len(row.Cells) {
			r.Cells[h] = value.Unguard(value.Trim(row.Cells[i]))
		}
	}
	return r
}

func (dp *DraftPlan) applyID(row sheet.Row, out *Typed) {
	text := dp.id.text(row.Cells)
	if text == "" {
		return
	}
	// A sheet that was made of records says which version it was made of.
	text, version, versioned := strings.Cut(text, VersionMark)
	id, err := dp.Type.ParseRecordID(text)
	if versioned && err == nil {
		out.Version, err = strconv.Atoi(version)
	}
	if err != nil {
		out.Problems = append(out.Problems, problem.Problem{Code: problem.BadRecordID, Field: dp.Named(IDField),
			Column: dp.id.column, Value: text, Detail: dp.Type.RecordID(1042)})
		return
	}
	out.ID = id
}

func (dp *DraftPlan) applyNewer(row sheet.Row, out *Typed) {
	text := dp.newer.origin.text(row.Cells)
	v, trouble := dp.newer.reader.Read(text)
	if trouble.Code != "" {
		out.Problems = append(out.Problems, problem.Problem{Code: trouble.Code, Column: dp.newer.origin.column,
			Value: text, Detail: trouble.Detail})
		return
	}
	out.NewerAt = v
}

func (dp *DraftPlan) applyField(i int, row sheet.Row, country string, seen expr.Row, out *Typed) {
	fp := &dp.Fields[i]
	if len(fp.Find) > 0 {
		out.Values[i] = dp.findText(fp, row, country, seen, out)
		return
	}
	text, ok := dp.textOf(&fp.origin, fp.Field.Name, row, seen, out)
	if text == "" || !ok {
		return
	}
	// What it comes to hangs on nothing else in the row.
	alone := fp.Field.Type == catalog.Text && !fp.origin.take.splitsName()
	if alone && fp.plain.has(text) {
		out.set(i, fp, text, seen)
		return
	}
	given, problems := text, len(out.Problems)
	if fp.origin.take.splitsName() {
		cell := fp.origin.name(row.Cells)
		if beside, ok := value.OneName(cell); !ok || !value.FamilyFirst(cell) && dp.names.Two(cell) {
			if fp.as == catalog.AsFamilyName { // is said once
				code := problem.SeveralValues
				if beside != "" {
					code = problem.BesideName
				}
				out.Problems = append(out.Problems, problem.Problem{
					Code: code, Field: dp.Named(fp.Field.Name), Column: fp.origin.column, Value: cell, Detail: beside, Light: fp.Light,
				})
			}
			return
		}
	}
	// what comes from records comes back as it is
	if as := fp.as; (as == catalog.AsGivenName || as == catalog.AsFamilyName) && !dp.HasID {
		text = value.HalfName(text)
		if as == catalog.AsGivenName {
			text = value.GivenName(text)
		}
		if beside, ok := value.OneHalf(text); !ok && fp.Losable && !fp.origin.take.splitsName() &&
			!fp.doubter.NoName(text) {
			code := problem.SeveralValues
			if beside != "" {
				code = problem.BesideName
			}
			out.Problems = append(out.Problems, problem.Problem{Code: code, Field: dp.Named(fp.Field.Name),
				Column: fp.origin.column, Value: fp.origin.cell(row.Cells, 0), Detail: beside, Light: fp.Light})
		}
	}
	if dp.empties(text) {
		if fp.Field.Required {
			out.Problems = append(out.Problems, problem.Problem{Code: problem.RequiredMissing, Field: dp.Named(fp.Field.Name),
				Column: fp.origin.column, Value: text})
			return
		}
		out.Cleared = append(out.Cleared, fp.Field.Name)
		return
	}
	v, trouble := fp.reader.ReadIn(text, country)
	if fp.Field.Type == catalog.Phone && country == "" {
		if told, first := dp.besidePhone(i, text, row.Cells); told != "" && (first || trouble.Code == problem.BadPhone) {
			v, trouble = told, value.Trouble{}
		}
	}
	if trouble.Code != "" {
		out.Problems = append(out.Problems, problem.Problem{Code: trouble.Code, Field: dp.Named(fp.Field.Name),
			Column: fp.origin.column, Value: text, Detail: trouble.Detail, Light: fp.Light})
		return
	}
	if dp.Whole && dp.Type.Title[0] == fp.Field.Name && noName(dp.Type, text) { // it would make a record called so
		out.Problems = append(out.Problems, problem.Problem{
			Code: problem.LinkNotFound, Field: dp.Named(fp.Field.Name), Column: fp.origin.column,
			Value: text, Detail: strings.ToLower(dp.Type.Label),
		})
		return
	}
	if !dp.HasID && fp.doubter.NoName(v) {
		out.Problems = append(out.Problems, problem.Problem{Code: problem.BadName, Field: dp.Named(fp.Field.Name),
			Column: fp.origin.column, Value: text, Light: fp.Light})
		return
	}
	if alone && v == given && len(out.Problems) == problems {
		fp.plain.add(given)
	}
	out.set(i, fp, v, seen)
}

// set notes the value of a field, for those too that are made of it.
func (t *Typed) set(i int, fp *FieldPlan, v string, seen expr.Row) {
	t.Values[i] = v
	if seen.Fields != nil {
		seen.Fields[fp.Field.Name] = v
	}
}

// textOf gives what the row says for an origin; ok is false when it could not be
// computed.
func (dp *DraftPlan) textOf(o *origin, field string, row sheet.Row, seen expr.Row, out *Typed) (text string, ok bool) {
	text = o.text(row.Cells)
	if o.compute == nil {
		return text, true
	}
	computed, err := o.compute.Text(seen)
	if err != nil {
		out.Problems = append(out.Problems, problem.Problem{Code: problem.ComputeFailed, Field: dp.Named(field),
			Detail: err.Error()})
		return "", false
	}
	if computed = value.Trim(computed); computed != "" {
		text = computed
	}
	return text, true
}

// findText gives the compared forms by which a record is looked up, with FindGap
// between; empty when the row says nothing of any.
func (dp *DraftPlan) findText(fp *FieldPlan, row sheet.Row, country string, seen expr.Row, out *Typed) string {
	forms := make([]string, len(fp.Find))
	filled := 0
	for n := range fp.Find {
		part := &fp.Find[n]
		text, ok := dp.textOf(&part.origin, fp.Field.Name, row, seen, out)
		if !ok {
			return ""
		}
		if text == "" {
			continue
		}
		v, trouble := part.reader.ReadIn(text, country)
		if trouble.Code != "" {
			out.Problems = append(out.Problems, problem.Problem{Code: trouble.Code, Field: dp.Named(fp.Field.Name),
				Column: part.origin.column, Value: text, Detail: trouble.Detail})
			return ""
		}
		filled++
		switch {
		case part.Field.Normalised():
			v = value.Key(part.Field, v)
		case part.ByName:
			v = value.NameKey(v)
		}
		forms[n] = v
	}
	if filled == 0 {
		return ""
	}
	return strings.Join(forms, FindGap)
}
