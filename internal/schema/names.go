// Package schema says how records stand in PostgreSQL: the names of tables and
// columns as values, the column type of every form of value, and the DDL of a
// record type's tables with their changes. It knows the catalogue and the
// server's SQL, and runs nothing itself.
package schema

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/value"

	"github.com/jackc/pgx/v5"
)

// Ident writes the parts of a name as SQL, each quoted.
func Ident(parts ...string) string { return pgx.Identifier(parts).Sanitize() }

// Literal writes a text as SQL.
func Literal(s string) string { return `'` + strings.ReplaceAll(s, `'`, `''`) + `'` }

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
	return `(select string_agg(left(w, 1), '' order by n) from regexp_split_to_table(` + name + `, '[ -]+') with ordinality p (w, n))`
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
// Two names that are equal but for it are of two companies.
func LegalForm(name string) string {
	form := `(?:` + strings.Join(value.CompanyForms(), "|") + `|a s|z oo)`
	plain := `' ' || regexp_replace(lower(replace(` + name + `, '.', '')), '[[:space:],;/&()+-]+', ' ', 'g')`
	sql := `coalesce(substring(` + plain + ` from '((?: (?:and|und|et|og|och|` + form + `))+) ?$'), substring(` + plain + ` from '^( ` + form + `) '), '')`
	for _, same := range append([][2]string{{"a s", "as"}, {"z oo", "zoo"}, {"and", ""}, {"und", ""}}, value.SameForms...) {
		sql = `regexp_replace(` + sql + `, ' ` + same[0] + `( |$)', ' ` + same[1] + `\1')`
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

// Object is the SQL of a JSON object without the members that are null, of any
// number of members; each pair is a name and a value in SQL, a comma between.
func Object(pairs []string) string {
	if len(pairs) == 0 {
		return `'{}'::jsonb`
	}
	const most = 45 // a function takes at most 100 arguments
	var groups []string
	for group := range slices.Chunk(pairs, most) {
		groups = append(groups, `jsonb_build_object(`+strings.Join(group, ", ")+`)`)
	}
	return fmt.Sprintf(`jsonb_strip_nulls(%s)`, strings.Join(groups, " || "))
}
