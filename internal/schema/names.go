// Package schema says how records stand in PostgreSQL: the names of tables and
// columns as values, the column type of every form of value, and the DDL of a
// record type's tables with their changes. It knows the catalogue and the
// server's SQL, and runs nothing itself.
package schema

import (
	"slices"
	"strconv"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/value"

	"github.com/jackc/pgx/v5"
)

// Ident writes the parts of a name as SQL, each quoted.
func Ident(parts ...string) string { return pgx.Identifier(parts).Sanitize() }

// Literal writes a text as SQL, without a brace that opens: words of statements stand behind those.
func Literal(s string) string {
	if strings.Contains(s, "{") {
		return `E'` + braceless.Replace(s) + `'`
	}
	return `'` + strings.ReplaceAll(s, `'`, `''`) + `'`
}

var braceless = strings.NewReplacer(`'`, `''`, `\`, `\\`, `{`, `\x7b`)

// Int writes a number as SQL.
func Int[T ~int | ~int64](n T) string { return strconv.FormatInt(int64(n), 10) }

// Workspace names the PostgreSQL schema of a workspace.
func Workspace(workspace string) string { return Ident("w_" + workspace) }

// Records names the table of the records of a type.
func Records(workspace, typeName string) string { return Ident("w_"+workspace, "r_"+typeName) }

// History names the table of what happened to records of a type.
func History(workspace, typeName string) string { return Ident("w_"+workspace, "h_"+typeName) }

// LikenessKeys names the table that keeps terms and blocking keys beside the
// records of a type.
func LikenessKeys(workspace, typeName string) string { return Ident("w_"+workspace, "b_"+typeName) }

// Value names the column of a field's value.
func Value(field string) string { return Ident("f_" + field) }

// Key names the column of a field's normal form, for keys and look-ups.
func Key(field string) string { return Ident("k_" + field) }

// Name names the column of a field's normal form as part of the title.
func Name(field string) string { return Ident("n_" + field) }

// Title is the column of the normal form of a record's whole title.
const Title = "t_key"

// Column gives the text of a field's value in SQL, read from a column of its
// form, or from an expression.
func Column(f catalog.Field, alias string) string { return alias + "." + Value(f.Name) }

// Text is the SQL of a field's canonical text, from its value.
func Text(f catalog.Field, value string) string { return forms[f.Kind().Form].text(value) }

// InitialsOf is the SQL of the first letters of the words of a name.
func InitialsOf(name string) string {
	return `(select string_agg(left(w, 1), '' order by n) from regexp_split_to_table(` + name +
		`, '[ -]+') with ordinality p (w, n))`
}

// TitleText is the SQL of a record's title as people read it.
func TitleText(t catalog.RecordType, alias string) string {
	var parts []string
	for _, n := range t.Title {
		f, _ := t.Field(n)
		parts = append(parts, `nullif(`+Text(f, Column(f, alias))+`, '')`)
	}
	return `concat_ws(' ', ` + strings.Join(parts, ", ") + `)`
}

// LegalForm is the SQL of the legal form that stands at the end of a company's
// name, or at its beginning, in one spelling of it; empty for a name without one.
// Two names that are equal but for it are of two companies. The spellings are brought together without patterns, as the
// server keeps 32 of these ready and makes each anew for every name where there are more.
func LegalForm(name string) string {
	form := `(?:` + strings.Join(value.CompanyForms(), "|") + `|a s|z oo|spol s ro|s ro)`
	plain := `' ' || regexp_replace(lower(replace(` + name + `, '.', '')), '[[:space:],;/&()+-]+', ' ', 'g')`
	sql := `coalesce(substring(` + plain + ` from '((?: (?:and|und|et|og|och|` + form + `))+) ?$'), substring(` +
		plain + ` from '^( ` + form + `) '), '') || ' '`
	for _, same := range append([][2]string{{"a s", "as"}, {"z oo", "zoo"}, {"and", ""}, {"und", ""}},
		value.SameForms...) {
		to := ` `
		if same[1] != "" {
			to = ` ` + same[1] + ` `
		}
		sql = `replace(` + sql + `, ' ` + same[0] + ` ', '` + to + `')`
	}
	return `replace(` + sql + `, ' ', '')`
}

// OtherForm is the SQL of whether two names, equal without their legal forms, are
// of companies of different ones.
func OtherForm(a, b string) string {
	x, y := LegalForm(a), LegalForm(b)
	return `(` + x + ` <> '' and ` + y + ` <> '' and ` + x + ` <> ` + y + `)`
}

// InTitle tells which fields are part of the title.
func InTitle(t catalog.RecordType, field string) bool { return slices.Contains(t.Title, field) }

// RecordID is the SQL of a record's id as people see it.
func RecordID(t catalog.RecordType, id string) string {
	return Literal(t.Prefix+"-") + ` || ` + id
}

// Shown is the SQL of a field's value as the history keeps it: the canonical
// text, for a reference the id of the record as people see it.
func Shown(c catalog.Catalog, f catalog.Field, value string) string {
	if f.Kind().Form != catalog.LinkForm {
		return Text(f, value)
	}
	t, _ := c.Type(f.To)
	return RecordID(t, value)
}

// Becomes is what becomes of a field, in SQL: whether anything does, and the texts before and after.
type Becomes struct{ Field, Is, Was, Now string }

// Changes is the SQL of a JSON object of what becomes of fields, as the history keeps it: for each
// that changes the texts before and after as a list of two. It is put together as text, because
// jsonb_build_object looks up the type of each argument for each row, and most fields do not change.
func Changes(list []Becomes) string {
	if len(list) == 0 {
		return `'{}'::jsonb`
	}
	text := func(sql string) string { return `coalesce(to_json((` + sql + `)::text)::text, 'null')` }
	members := make([]string, 0, len(list))
	for _, c := range list {
		members = append(members, `case when `+c.Is+` then `+Literal(`,"`+c.Field+`":[`)+` || `+text(c.Was)+` || ',' || `+
			text(c.Now)+` || ']' else '' end`)
	}
	return object(members)
}

// object is the SQL of a JSON object of members, each a text that begins with a comma or is empty.
func object(members []string) string {
	return `('{' || substr(` + strings.Join(members, " || ") + `, 2) || '}')::jsonb`
}
