package staging

import (
	"encoding/json"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/value"
	"uchi/internal/schema"
)

// after is the SQL of the value that a field of the record that was found for a staged draft would
// have. The check compares it with what is there, and the load writes the difference.
func (k *draftCheck) after(fp mapping.FieldPlan) string {
	const row, record = stagedRow, "r"
	f := fp.Field
	was, now := schema.Column(f, record), drafted(f)
	given := now
	if f.Key && f.Type == catalog.Text && !fp.Chosen {
		now = `case when not coalesce(` + lost(now, was) + `, false) then ` + now + ` end`
	}
	if f.Normalised() { // another spelling of the same key says nothing new
		key := func(alias string) string { return plainKey(f, alias) }
		now = `case when ` + key(row) + ` is distinct from ` + key(record) + ` then ` + now + ` end`
	}
	if f.Kind().Written && !f.Key && !fp.Chosen {
		same := otherwise(f, now, was)
		if schema.InTitle(k.plan.Type, f.Name) { // and another writing of a company's legal form
			same = `(` + same + ` or ` + row + `.` + schema.Name(f.Name) + ` = ` + record + `.` + schema.Name(f.Name) + `)`
		}
		now = `case when not coalesce(` + same + `, false) then ` + now + ` end`
	}
	if shorter := shortened(f, now, was); shorter != "" && !fp.Chosen {
		now = `case when not coalesce(` + shorter + `, false) then ` + now + ` end`
	}
	if k.dated {
		now = `case when not ` + k.unmoved(fp, now) + ` then ` + now + ` end`
	}
	if fp.Doubt != catalog.NoDoubt && fp.Doubtful == mapping.KeepThere {
		now = `case when not coalesce(` + k.doubt(fp, now) + `, false) then ` + now + ` end`
	}
	both := fp.Both
	var out string
	switch both {
	case mapping.Keep:
		out = `coalesce(` + was + `, ` + now + `)`
	case mapping.Add:
		out = added(f, now, was)
	case mapping.Newer:
		out = `case when ` + was + ` is null or ` + row + `.newer_at > ` + record + `.changed_at then coalesce(` + now +
			`, ` + was + `) else ` + was + ` end`
	default:
		out = `coalesce(` + now + `, ` + was + `)`
	}
	if both != mapping.Keep {
		switch own := k.likenessRules(); {
		case own != "" && f.Key: // found by likeness, a record keeps its own keys
			out = `case when ` + row + `.found_by in (` + own + `) then coalesce(` + was + `, ` + now + `) else ` + out + ` end`
		case !fp.Chosen && k.alike[f.Name]: // and what the row only writes otherwise
			more := ``
			if other, ok := k.otherHalf(f); ok {
				more = ` and not coalesce(` + fuller(given, was, schema.Column(other, record)) + `, false)`
			}
			alike := schema.Literal(f.Name) + ` = any(` + row + `.alike)`
			out = `case when ` + alike + more + ` then coalesce(` + was + `, ` + now + `) else ` + out + ` end`
		}
	}
	if fp.Blank == mapping.Clear {
		blank := given + ` is null`
		if k.dated { // a cell that was blank when the sheet was made says nothing
			blank += ` and not ` + k.unmoved(fp, given)
		}
		out = `case when ` + blank + ` then null else ` + out + ` end`
	}
	if k.cleared[f.Name] {
		out = `case when ` + schema.Literal(f.Name) + ` = any(` + row + `.cleared) then null else ` + out + ` end`
	}
	if k.keeps {
		out = `case when ` + schema.Literal(f.Name) + ` = any(` + row + `.keep) then ` + was + ` else ` + out + ` end`
	}
	// Most rows say of most fields what is there, or nothing, or are the first to say
	// something, and need none of this.
	first, same := ``, given+` = `+was
	if fp.Blank != mapping.Clear && !k.cleared[f.Name] {
		same += ` or ` + given + ` is null`
	}
	if !k.dated && !k.keeps {
		first = ` when ` + was + ` is null then ` + given
	}
	return `case when ` + same + ` then ` + was + first + ` else ` + out + ` end`
}

// plainKey is the SQL of a key, of text without spaces and the sign between letters and figures: HRB 12345
// is HRB-12345. Other signs tell keys apart, 1.23 from 12.3 and a.b@ from ab@.
func plainKey(f catalog.Field, alias string) string {
	v := alias + `.` + schema.Key(f.Name)
	if f.Type != catalog.Text {
		return v
	}
	return `regexp_replace(` + v + `, '\s+|(?<=[[:alpha:]])[-./](?=[0-9])', '', 'g')`
}

// shortened is the SQL for whether a value that people do not write in several ways is less of what is
// there: a telephone number without its extension, a language without its country. It is empty for others.
func shortened(f catalog.Field, now, was string) string {
	switch f.Type {
	case catalog.Phone:
		return `starts_with(` + was + `, ` + now + ` || ';')`
	case catalog.Language: // Norwegian is written in two ways, of which most programs know none
		return `(starts_with(` + was + `, ` + now + ` || '-') or ` + now + ` = 'no' and ` + was + ` in ('nb', 'nn'))`
	}
	return ""
}

// otherwise is the SQL for whether a value says what is there already, in other
// writing (capitals, accents, spaces, marks; of an address on the web the scheme,
// www and a stroke at its end), or only the first words of it, or it cut off within a word (electr.
// for Electrician, Hafenstr. for Hafenstraße 12a, what a narrow column has left of a remark), or the last
// of a family name, or the code of a region, or a person's full name in another order,
// or a postal code with or without the letters of its country, or it with question marks for letters that an
// encoding could not write, or less of it otherwise (see lost).
// Each way of that has a sign which is quickly looked for, and most values that differ have none, so that they are
// told apart before the work of it.
func otherwise(f catalog.Field, now, was string) string {
	words := func(v string) string {
		if f.Type == catalog.URL {
			v = `regexp_replace(` + v + `, '^https?://(www[.])?', '', 'i')`
		}
		return plainWords(v)
	}
	joined := func(v string) string { return `replace(` + words(v) + `, ' ', '')` }
	shorter := `length(` + now + `) < length(` + was + `)`
	ends := func(part string) string { // the first value is the last words of the second
		return `right(` + words(was) + `, length(` + part + `) + 1) = ' ' || ` + part
	}
	endAlike := `(lower(right(` + now + `, 1)) = lower(right(` + was + `, 1)) or ` + notPlain(now, was) + `)`
	signs := []string{beginAlike(now, was)}
	ways := []string{joined(now) + ` = ` + joined(was), `starts_with(` + words(was) + `, ` + words(now) + ` || ' ')`}
	add := func(sign, way string) { signs, ways = append(signs, sign), append(ways, way) }
	if f.Type == catalog.Text || f.Type == catalog.LongText {
		ways = append(ways, shorter+` and `+now+` ~ '[[:alpha:]][.…]*$' and (`+now+` ~ '[.…]$' or length(`+now+`) >= `+
			schema.Int(leastCut)+`) and starts_with(`+joined(was)+`, `+joined(now)+`)`)
	}
	if f.HoldsWords() { // Koeln for Köln, as what knows no such letters writes them
		ways = append(ways, now+` ~ '^[ -~]+$' and `+was+` ~ '[äöüåæøßÄÖÜÅÆØ]' and `+inTwo(now)+` = `+inTwo(was))
	}
	if f.Holds == catalog.HoldsPerson {
		sorted := func(v string) string {
			return `array(select w from unnest(string_to_array(` + words(v) + `, ' ')) w order by w)`
		}
		add(`true`, sorted(now)+` = `+sorted(was))
	}
	if f.ComparedAs() == catalog.AsPostalCode {
		bare := func(v string) string { return joined(`regexp_replace(` + v + `, '^[A-Z]{1,3}( ?- ?| )(?=[0-9])', '')`) }
		add(endAlike, bare(now)+` = `+bare(was))
	}
	if f.ComparedAs() == catalog.AsHonorific { // Mr for Dr., Dr. for Prof. Dr.
		degree := func(v string) string { return words(v) + ` ~ '\m(dr|prof|professor|dott|dottssa|ing|mag|dipl)\M'` }
		add(`true`, ends(words(now)))
		add(`true`, degree(was)+` and not `+degree(now))
	}
	if f.ComparedAs() == catalog.AsFamilyName { // Berg for van der Berg
		add(`(`+endAlike+` and (`+shorter+` or `+notPlain(now, was)+`))`, ends(words(now)))
	}
	if f.Holds == catalog.HoldsRegion { // CA for California
		letters := `'^' || regexp_replace(` + now + `, '(.)', '\1.*', 'g')`
		short := now + ` ~ '^[A-Z]{2,3}$'`
		add(short, short+` and length(`+was+`) > 4 and `+was+` ~* (`+letters+`)`)
	}
	if f.ComparedAs() == catalog.AsStreet { // High St for High Street, Portowa 7 for ul. Portowa 7
		add(sameFigures(now, was), `length(`+words(now)+`) <= length(`+words(was)+`) and `+inFull(words(now))+` = `+
			inFull(words(was)))
	}
	if f.ComparedAs() == catalog.AsLocality || f.Holds == catalog.HoldsRegion { // Copenhagen for København
		add(`(`+now+` !~ '^[A-Za-z ]+$' or `+was+` !~ '^[A-Za-z ]+$' or `+namesElsewhere()+` ?| array[lower(`+now+`), lower(`+
			was+`)])`, ownNames(words(now))+` = `+ownNames(words(was)))
	}
	if f.Holds == catalog.HoldsJobTitle {
		first := func(v string) string { return `regexp_replace(` + v + `, '(\w)\w*\s*', '\1', 'g')` }
		plain := `regexp_replace(` + words(was) + `, '\m(of|and|the|for)\M\s*', '', 'g')`
		add(`position('of' in lower(`+was+`)) > 0 and `+was+` ~* '\mof\M'`, // Sales for Head of Sales
			`starts_with(reverse(`+words(was)+`), reverse(' of ' || `+words(now)+`))`)
		short := now + ` ~ '^[A-Z]{2,5}$'`
		add(short, short+` and lower(`+now+`) in (`+first(words(was))+`, `+first(plain)+`)`) // CEO for Chief Executive Officer
	}
	return `(` + now + ` <> ` + was + ` and (` + lost(now, was) + ` or (` + strings.Join(signs, " or ") + `) and ` + joined(now) +
		` <> '' and (` + strings.Join(ways, " or ") + `)))`
}

// beginAlike is the SQL for whether two texts may begin with the same letters or figures when their accents and what is
// neither are left out: unless both begin with others of the Latin alphabet, three where there are so many.
func beginAlike(now, was string) string {
	first := func(v string, n int) string { return `lower(left(` + v + `, ` + schema.Int(n) + `) collate "C")` }
	plain := func(v string) string {
		return `(` + first(v, 1) + ` between '0' and '9' or ` + first(v, 1) + ` between 'a' and 'z')`
	}
	three := func(v string) string { return first(v, 3) + ` ~ '^[0-9a-z]{3}$'` }
	return `case when ` + first(now, 1) + ` = ` + first(was, 1) + ` then ` + first(now, 3) + ` = ` + first(was, 3) +
		` or not (` + three(now) + ` and ` + three(was) + `) else not (` + plain(now) + ` and ` + plain(was) + `) end`
}

// notPlain is the SQL for whether a text holds or ends with what may stand for another letter or for none: anything but
// the letters and figures of the Latin alphabet.
func notPlain(now, was string) string {
	strange := func(v string) string {
		return `octet_length(` + v + `) <> length(` + v + `) or right(` + v + `, 1) !~ '[0-9A-Za-z]'`
	}
	return strange(now) + ` or ` + strange(was)
}

// sameFigures is the SQL for whether two texts have the same figures one after another, or such as
// stand for others.
func sameFigures(now, was string) string {
	figures := func(v string) string { return `regexp_replace(` + v + `, '[^0-9]+', '', 'g')` }
	others := func(v string) string { return v + ` ~ '[０-９⁰¹²³⁴-⁹₀-₉¼-¾⅐-⅞①-⑳]'` }
	return `(` + figures(now) + ` = ` + figures(was) + ` or ` + others(now) + ` or ` + others(was) + `)`
}

// plainWords is the SQL of the words of a text without accents, in small letters, a blank between them.
func plainWords(v string) string {
	return `btrim(regexp_replace(translate(lower(normalize(` + v + `, NFKD) collate "C.utf8"), ` +
		schema.Literal(strokes+marks) + `, ` + schema.Literal(strokesAre) + `), '[^[:alnum:]]+', ' ', 'g'))`
}

// inTwo is the SQL of a text with two letters for those that are written so where they are not known.
func inTwo(v string) string {
	v = `translate(lower(` + v + ` collate "C.utf8"), ' -', '')`
	for _, pair := range [][2]string{{"ä", "ae"}, {"ö", "oe"}, {"ü", "ue"}, {"ß", "ss"}, {"å", "aa"}, {"æ", "ae"},
		{"ø", "oe"}} {
		v = `replace(` + v + `, '` + pair[0] + `', '` + pair[1] + `')`
	}
	return v
}

// inFull is the SQL of a street, in small letters, with short words in full.
func inFull(v string) string {
	v = `regexp_replace(` + v + `, '^ul(ica)? ', '')`
	for _, pair := range [][2]string{{"st", "street"}, {"rd", "road"}, {"ave?", "avenue"}, {"ln", "lane"},
		{"dr", "drive"}, {"sq", "square"}, {"b(lv|ou)?l?d", "boulevard"}, {"pl", "place"}, {"c", "calle"},
		{"avda?", "avenida"}, {"pl?za", "plaza"}, {"p za|p zza|pzza", "piazza"}, {"v", "via"}, {"v le", "viale"}, {"c so", "corso"},
		{"rte", "route"}, {"ul ", ""}} {
		v = `regexp_replace(` + v + `, '\m` + pair[0] + `\M', '` + pair[1] + `')`
	}
	return `regexp_replace(` + v + `, 'str(a(ss|ß)e)?\M', 'strasse', 'g')`
}

// ownNames is the SQL of the name of a town or a region in its own language, where the words of a name are those of
// another.
func ownNames(words string) string {
	return `coalesce(` + namesElsewhere() + ` ->> ` + words + `, regexp_replace(` + words + `, '\mst\M', 'saint', 'g'))`
}

// namesElsewhere is the SQL of what towns and regions are called at home, by what they are called elsewhere.
func namesElsewhere() string {
	names, _ := json.Marshal(value.OwnNames()) // texts always can be
	return schema.Literal(string(names)) + `::jsonb`
}

// otherHalf gives the other half of a person's name.
func (k *draftCheck) otherHalf(f catalog.Field) (catalog.Field, bool) {
	switch f.ComparedAs() {
	case catalog.AsGivenName:
		return k.plan.Type.FieldAs(catalog.AsFamilyName)
	case catalog.AsFamilyName:
		return k.plan.Type.FieldAs(catalog.AsGivenName)
	}
	return catalog.Field{}, false
}

// fuller is the SQL for whether a half of a person's name says all that is there, and more: the
// double name that somebody took at the wedding, a second given name, the name of an initial. What
// holds anything but letters and what joins names, is in capitals throughout, or only adds an
// initial, is no better; nor is what the record has in the other half.
func fuller(now, was, other string) string {
	words := func(v string) string { return `replace(lower(` + v + ` collate "C.utf8"), '-', ' ')` }
	each := func(v string) string { return `string_to_array(` + words(v) + `, ' ')` }
	initial := was + ` ~ '^[[:alpha:]][.]?$' and ` + now + ` ~ '^[[:alpha:]]{2}'` +
		` and starts_with(` + words(now) + `, lower(left(` + was + `, 1) collate "C.utf8"))`
	more := []string{
		`starts_with(` + words(now) + `, ` + words(was) + ` || ' ')`,
		`right(` + words(now) + `, length(` + was + `) + 1) = ' ' || ` + words(was),
		initial,
	}
	return `(` + strings.Join([]string{
		`length(` + now + `) > length(` + was + `)`,
		now + ` ~ '^[[:alpha:]][[:alpha:] .''’-]+$'`,
		now + ` <> upper(` + now + ` collate "C.utf8")`,
		now + ` !~ ' [[:alpha:]][.]?$'`,
		`not (` + each(now) + ` && coalesce(` + each(other) + `, '{}'))`,
		`(` + strings.Join(more, " or ") + `)`,
	}, " and ") + `)`
}

// leastCut is from how many characters on a text that ends within a word of another is what was
// left of it, and no word of its own: Sales is none of Salesman. Figures at the end are others.
const leastCut = 12

// lost is the SQL for whether a value is what another program has left of what is there: with a
// question mark for each letter that an encoding could not write (Wi?niewski for Wiśniewski), or as
// a spreadsheet program shows what it takes for a number or a date: 150 for 0150, 1.2E+17 for
// 123456789012345678, 05-Jun or 2026-06-05 for 5-6. Most values that differ are told by having
// neither a figure nor a question mark.
func lost(now, was string) string {
	return `(` + now + ` <> ` + was + ` and ` + now + ` ~ '[0-9?]' and uchi.lost(` + now + `, ` + was + `))`
}

// Letters that Unicode does not take apart, the letters that they count as, and
// the marks that fall away where it does.
const (
	strokes    = "øłđıς"
	strokesAre = "oldiσ"
	marks      = "\u0300\u0301\u0302\u0303\u0304\u0306\u0307\u0308\u030a\u030b\u030c\u0327\u0328"
)

// added is the SQL of two values put together, nothing twice.
func added(f catalog.Field, now, was string) string {
	both := was + ` || ` + schema.Literal(", ") + ` || ` + now
	switch f.Kind().Add {
	case catalog.AddItems:
		return `case when ` + now + ` is null then ` + was + ` when ` + was + ` is null then ` + now +
			` else (select array_agg(distinct x order by x) from unnest(` + was + ` || ` + now + `) x) end`
	case catalog.AddLines:
		both = was + ` || E'\n' || ` + now
	}
	return `case when ` + now + ` is null then ` + was + ` when ` + was + ` is null then ` + now +
		` when position(` + now + ` in ` + was + `) > 0 then ` + was + ` else ` + both + ` end`
}

// staged is the SQL of the staged drafts, with what was found for each and with
// references resolved (v_ and the field's name): as q, with the record as r.
func (k *draftCheck) staged() string {
	cols := []string{`d.*`, `m.record_id`, `m.version`, `m.rule as found_by`, `m.score`, `m.alike`}
	joins := ` left join {matches} m on m.row_no = d.row_no`
	for _, fp := range k.references() {
		cols = append(cols, referenceOf(fp.Field)+` as `+resolvedColumn(fp.Field.Name))
	}
	if k.keeps {
		cols = append(cols, `s.keep`)
		joins += ` left join {settled} s on s.row_no = d.row_no`
	}
	sql := `(select ` + list(cols) + ` from ` + k.linked() + joins + `) ` + stagedRow +
		` left join {records} r on r.id = ` + stagedRow + `.record_id`
	for _, w := range k.workplaces() { // the server leaves out what is not asked for
		sql += w.join()
	}
	return sql
}

// stagedRow is the alias of a draft where it is staged.
const stagedRow = "q"

func resolvedColumn(field string) string { return schema.Ident("v_" + field) }

// drafted is the SQL for a field's value in the draft, references resolved.
func drafted(f catalog.Field) string {
	if f.Kind().Form == catalog.LinkForm {
		return `q.` + resolvedColumn(f.Name)
	}
	return schema.Column(f, "q")
}
