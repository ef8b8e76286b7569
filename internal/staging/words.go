package staging

import (
	"slices"

	"uchi/internal/schema"
)

// The words of a check: its tables, by the run that made them, and the rules about rows, of which each is
// stated here and nowhere else.

// table names a table of the row.
func (k *Check) table(part string) string { return table(k.i.ID, k.run.ID, part) }

// table names a table of the draft.
func (k *draftCheck) table(part string) string { return k.Check.table(draftPart(k.n, part)) }

// rowTables and draftTables are the words of the tables that a check makes.
var (
	rowTables   = []string{"left", "problems", "asked", "offered", "anchors", "shifts", "typed"}
	draftTables = []string{"draft", "aside", "links", "settled", "matches", "questions", "candidates", "repeats",
		"became", "verdicts", "keys",
		"twice", "opposed", "several", "twins", "leads", "fuller", "pairs", "found", "mine", "reach", "small", "near", "moved",
		"waits", "closer", "gone", "numbers", "often"}
)

// word is the vocabulary of what is said of the row.
func (k *Check) word(w string) (sql string, isTable, ok bool) {
	switch {
	case slices.Contains(rowTables, w):
		return k.table(w), true, true
	case w == "results":
		return resultsTable(k.i.ID), true, true
	case w == "cells":
		name, ok := cellsOf(k.i)
		return name, true, ok
	}
	return "", false, false
}

// word is the vocabulary of what is said of one draft: its tables, those of its
// records, and the rules, of which each is stated here and nowhere else. The
// parameter of a rule is the alias of the rows that it is about.
func (k *draftCheck) word(w string) (sql string, isTable, ok bool) {
	switch {
	case slices.Contains(draftTables, w):
		return k.table(w), true, true
	case w == "records":
		return schema.Records(k.i.Workspace, k.plan.Type.Name), true, true
	case w == "history":
		return schema.History(k.i.Workspace, k.plan.Type.Name), true, true
	case w == "likeness_keys":
		return schema.LikenessKeys(k.i.Workspace, k.plan.Type.Name), true, true
	case w == "n":
		return schema.Int(k.n + 1), false, true
	case w == "name":
		return schema.Literal(k.plan.Name), false, true
	}
	if rule, row, parameter := cutWord(w); parameter {
		if sql, ok := k.rule(rule, row); ok {
			return sql, false, true
		}
	}
	return k.Check.word(w)
}

// rule gives the SQL of a rule about the rows of an alias.
func (k *draftCheck) rule(rule, row string) (sql string, ok bool) {
	none := func(table string) string {
		return `not exists (select from {` + table + `} x where x.row_no = ` + row + `.row_no)`
	}
	switch rule {
	case "stays": // the draft is not left out
		return none("aside"), true
	case "sound": // nothing is wrong with the row, but for what it is loaded without
		return `not exists (select from {problems} x where x.row_no = ` + row + `.row_no and ` + k.wrong("x") + `)`, true
	case "unfound": // no record was found for the draft
		return none("matches"), true
	case "unanswered": // no person has said what it is
		return none("settled"), true
	case "unasked": // nobody is asked about it
		return none("questions"), true
	case "single": // no other row stands for it
		return none("repeats"), true
	case "unsettled":
		// No answer and no earlier rule has found anything, not even a question;
		// and who names a record by its id means that one.
		return none("matches") + ` and ` + none("questions") + ` and ` + none("aside") + ` and ` + none("settled") +
			k.unnamed(row), true
	case "open":
		// The draft would make a record, or a person is asked about it.
		return none("matches") + ` and ` + none("aside") + ` and ` + none("repeats") + k.unnamed(row), true
	}
	return "", false
}

// wrong is the SQL of whether a problem, given by its alias, holds the draft: each that is not
// light does, unless what is wrong with another record of the row holds only that one.
func (k *draftCheck) wrong(p string) string {
	sql := `not ` + p + `.light`
	if k.Check.plan.Apart {
		sql += ` and split_part(` + p + `.field, '.', 1) in ('', ` + schema.Literal(k.plan.Name) + `)`
	}
	return sql
}

// about is the SQL of whether a question, given by its alias, holds the draft, likewise.
func (k *draftCheck) about(x string) string {
	if k.Check.plan.Apart {
		return x + `.draft = ` + schema.Literal(k.plan.Name)
	}
	return `true`
}

// unnamed adds to a rule about the rows of an alias that they do not name their
// record by its id.
func (k *draftCheck) unnamed(row string) string {
	if !k.plan.HasID {
		return ""
	}
	return ` and not exists (select from {draft} x where x.row_no = ` + row + `.row_no and x.id is not null)`
}

// undenied is the rule that nobody has said of a row, given by its alias, that it
// is another one than the row other, which is SQL; what was said before it was
// noted of what is about all.
func (k *draftCheck) undenied(row, other string) string {
	return `not exists (select from {settled} s where s.row_no = ` + row + `.row_no and (
		s.choice <> 'new' or s.denied is null or ` + other + ` = any(s.denied)
		or exists (select from ` + k.among("matches") + ` m where m.row_no = ` + other + `
			and m.record_id = any(s.denied_records))))`
}

func cutWord(w string) (word, parameter string, ok bool) {
	for i := range len(w) {
		if w[i] == ' ' {
			return w[:i], w[i+1:], true
		}
	}
	return w, "", false
}
