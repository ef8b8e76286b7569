package mapping

import (
	"cmp"

	"uchi/internal/core/catalog"
	"uchi/internal/core/expr"
	"uchi/internal/core/sheet"
	"uchi/internal/core/value"
)

// origin is where the value of one field comes from, made ready: the columns, and what is done to their cells.
type origin struct {
	from      []int
	column    string // header of the first column, for problems
	when      *when  // nil for all rows
	join      string
	take      Take
	kept      kept     // what of a place no field takes, and stays with this one
	currency  string   // that the header names, for what takes it from amounts
	labels    []string // headers that stand before the cells, for notes
	split     string
	part      int
	cut       int
	fixed     string
	compute   *expr.Program
	otherwise string
	values    map[string]string
	turned    bool           // yes in the cells is a no to the field
	nothing   *value.Nothing // tells cells that stand for nothing
}

// when tells in which rows an origin speaks.
type when struct {
	at    int
	is    map[string]bool // by their folded words
	words []string        // as they were given
	said  string          // header of the column
}

// holds reports whether it does in a row.
func (w *when) holds(cells []string) bool {
	return w == nil || w.at < len(cells) && w.is[value.Fold(cells[w.at])]
}

// newOrigin makes ready where the values of a field come from; a column that the source does not have is passed over.
func (dp *DraftPlan) newOrigin(o Origin, f catalog.Field, nothing []string, columns []column) (origin, error) {
	out := origin{nothing: value.NewNothing(f, nothing), join: o.Join, take: o.Take, split: o.Split, part: o.Part,
		cut: o.Cut, fixed: o.Fixed, otherwise: o.Otherwise}
	switch {
	case out.join != "":
	case o.Labelled:
		out.join = "\n"
	default:
		out.join = " "
	}
	for _, name := range o.From {
		if i := columnAt(columns, name); i >= 0 {
			out.from = append(out.from, i)
			if o.Labelled {
				out.labels = append(out.labels, name)
			}
		}
	}
	if o.When != nil {
		out.when = &when{is: map[string]bool{}, words: o.When.Is, said: o.When.Column,
			at: columnAt(columns, o.When.Column)}
		for _, word := range o.When.Is {
			out.when.is[value.Fold(word)] = true
		}
	}
	if len(o.From) > 0 {
		out.column = o.From[0]
		if o.Take == TakeCurrency {
			out.currency, _ = value.CurrencyOf(o.From[0])
		}
		out.turned = f.Type == catalog.YesNo && (o.Sense == value.OppositeSense || o.Sense == "" &&
			value.Opposes(f, o.From[0]))
	}
	if len(o.Values) > 0 {
		out.values = map[string]string{}
		for from, to := range o.Values {
			out.values[value.Fold(from)] = to
		}
	}
	if o.Compute != "" {
		var err error
		if out.compute, err = expr.CompileText(o.Compute, dp.header); err != nil {
			return out, err
		}
		dp.expr = true
	}
	return out, nil
}

// settings takes what was set by hand first, for the field and then for the
// source, then what the whole column decides.
func settings(reading sheet.Reading, f catalog.Field, by Origin, o origin,
	columns []column) (value.Settings, error) {
	s := value.Settings{
		DecimalSign: cmp.Or(by.DecimalSign, reading.DecimalSign),
		DateOrder:   cmp.Or(by.DateOrder, value.DateOrder(reading.DateOrder)),
		Percents:    by.Percents, Unit: by.Unit, Capitals: by.Capitals, Spans: by.Spans, Rough: by.Rough,
		DayNumbers: by.DayNumbers, Country: reading.Country,
	}
	for _, i := range o.from {
		if s.Unit == "" && value.ToBeMultiplied(f, columns[i].Header) {
			s.Unit, _ = value.UnitOf(columns[i].Header)
			s.UnitUnsaid, s.UnitFigures = true, columns[i].Figures[cmp.Or(s.DecimalSign, columns[i].DecimalSign)]
		}
		if s.Percents == "" {
			s.Percents = columns[i].Percents
		}
		if s.DecimalSign == "" && columns[i].DecimalSign != "" {
			s.DecimalSign, s.Guessed = columns[i].DecimalSign, true
		}
		if s.DateOrder == "" {
			s.DateOrder = columns[i].DateOrder
		}
	}
	var err error
	s.Zone, err = reading.Location()
	return s, err
}

// Column gives the header that a field's value comes from, empty when none.
func (fp FieldPlan) Column() string { return fp.origin.column }

// Read reads one text of a cell as the field would, without its value list.
func (fp FieldPlan) Read(text string) (string, value.Trouble) {
	if fp.origin.turned {
		text = value.Opposite(text)
	}
	return fp.reader.ReadIn(text, "")
}

// ReadListed reads one text as the field would, by its value list first; a text
// that the list empties says nothing.
func (fp FieldPlan) ReadListed(text string) (string, value.Trouble) {
	if to, ok := fp.origin.values[value.Fold(text)]; ok {
		if to == "" {
			return "", value.Trouble{}
		}
		return fp.reader.ReadIn(to, "")
	}
	return fp.Read(text)
}
