package mapping

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"slices"

	"uchi/internal/core/catalog"
	"uchi/internal/core/sheet"
	"uchi/internal/core/value"
)

// column is all that a plan takes from a column of a source and its profile, so that two plans of which the columns are
// equal do the same with each row.
type column struct {
	Header      string
	DecimalSign string // what the whole column decides, as the next two
	DateOrder   value.DateOrder
	Percents    value.Percents
	Figures     map[string]int // of amounts in units, by their decimal sign: see value.FiguresInUnits; nil where its header names no unit
}

// plannable gives the columns of a source as a plan sees them.
func plannable(columns []sheet.Column) []column {
	list := make([]column, len(columns))
	for i, c := range columns {
		list[i] = column{Header: c.Header, DecimalSign: c.DecimalSign, DateOrder: value.DateOrder(c.DateOrder),
			Percents: value.Percents(c.Percents)}
		if unit, _ := value.UnitOf(c.Header); unit == "" {
			continue
		}
		list[i].Figures = map[string]int{}
		for _, sign := range []string{"", ".", ","} {
			list[i].Figures[sign] = value.FiguresInUnits(c.Samples, sign)
		}
	}
	return list
}

// columnAt gives the place of the column with a header, -1 where there is none.
func columnAt(columns []column, header string) int {
	return slices.IndexFunc(columns, func(c column) bool { return c.Header == header })
}

// fingerprint is what the typing of rows depends on, as a text: the routine, the columns, how many cells rows usually fill
// and the record types. What records are found by is no part of it where each row makes one record.
func fingerprint(r Routine, c catalog.Catalog, columns []column, usual int) (string, error) {
	r.Name, r.Load, r.Drafts = "", nil, slices.Clone(r.Drafts)
	if len(r.Drafts) == 1 {
		r.Drafts[0].Match = nil
	}
	text, err := json.Marshal(struct {
		Routine Routine
		Columns []column
		Usual   int
		Edition int64 // of the record types, and of what stands for nothing
	}{r, columns, usual, c.Edition()})
	if err != nil {
		return "", err
	}
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:]), nil
}

// Typing tells plans apart that may type a row otherwise: those of one workspace that have the same make the same drafts of
// it. In the field of a two-digit year they do so within one year.
func (p *Plan) Typing() string { return p.typing }
