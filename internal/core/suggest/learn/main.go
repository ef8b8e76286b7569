// Command learn makes the weights by which package suggest tells what record type a sheet is of, from labelled sheets:
// make learn. It prints how well they do on sheets that they were not learned from.
package main

import (
	"cmp"
	"fmt"
	"io"
	"maps"
	"math"
	"math/rand/v2"
	"os"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/sheet"
	"uchi/internal/core/suggest"
	"uchi/internal/core/suggest/sheets"
)

func main() {
	if err := run(os.Args[1:]); err != nil {
		fmt.Fprintln(os.Stderr, "learn:", err)
		os.Exit(1)
	}
}

func run(args []string) error {
	if len(args) != 2 {
		return fmt.Errorf("say where the labelled sheets are, and where the weights go")
	}
	f, err := os.Open(args[0])
	if err != nil {
		return err
	}
	defer f.Close()
	list, err := sheets.Read(f)
	if err != nil {
		return fmt.Errorf("read the labelled sheets: %w", err)
	}
	c, err := catalog.Standard()
	if err != nil {
		return err
	}
	all := examples(c, list)
	check(os.Stderr, all)
	return os.WriteFile(args[1], []byte(written(learn(all))), 0o644)
}

// copies are made of each sheet, of which a share of the columns that a sheet may be without is left out and a share of the
// headers says nothing any more: sheets that nobody here has seen are understood in part, and some are small.
var copies = []struct{ without, spoilt float64 }{{0, 0}, {0, 0.25}, {0, 0.45}, {0.5, 0.1}}

// needed reports whether no sheet of the type would be without a column.
func needed(c catalog.Catalog, s sheets.Sheet, column int) bool {
	t, _ := c.Type(s.Types[0])
	return slices.ContainsFunc(strings.FieldsFunc(s.Fields[column], func(r rune) bool { return r == '/' || r == '+' }),
		func(field string) bool {
			f, _ := t.Field(field)
			return f.Required || slices.Contains(t.Title, field)
		})
}

// fewest is how many columns are left at least.
const fewest = 3

// example is a sheet, or a copy of it, with what speaks for each type.
type example struct {
	sheet, copy int
	types       []string // of the catalog
	speaks      []suggest.Evidence
	right       []bool
}

// examples are the sheets and their spoilt copies.
func examples(c catalog.Catalog, all []sheets.Sheet) (list []example) {
	for n, s := range all {
		if first, _ := c.Type(s.Types[0]); first.Timeline != nil { // which are told by their names
			continue
		}
		for k, x := range copies {
			r := rand.New(rand.NewPCG(uint64(n), uint64(k)))
			var columns []sheet.Column
			for at, col := range s.Columns {
				left := len(s.Columns) - at
				if len(columns)+left > fewest && r.Float64() < x.without && !needed(c, s, at) {
					continue
				}
				if r.Float64() < x.spoilt {
					col.Header = opaque(r, at)
				}
				columns = append(columns, col)
			}
			list = append(list, exampleOf(c, s, n, k, columns))
		}
		if n%100 == 0 {
			fmt.Fprintf(os.Stderr, "%d of %d sheets\n", n, len(all))
		}
	}
	return list
}

func exampleOf(c catalog.Catalog, s sheets.Sheet, n, k int, columns []sheet.Column) example {
	e := example{sheet: n, copy: k}
	evidence := suggest.NewView(columns).Among(c).Evidence(c)
	for _, t := range c.Types {
		e.types = append(e.types, t.Name)
		e.speaks = append(e.speaks, ofOneType(c, t, evidence[t.Name]))
		e.right = append(e.right, slices.Contains(s.Types, t.Name) && !pointedTo(c, t.Name, s.Types))
	}
	return e
}

// ofOneType is evidence without the fields that other types have as well: in which of them a column stands in these few
// sheets is chance.
func ofOneType(c catalog.Catalog, t catalog.RecordType, e suggest.Evidence) suggest.Evidence {
	return without(e, func(what string) bool {
		field, ok := strings.CutPrefix(what, t.Name+" ")
		return ok && !c.OnlyIn(t.Name, field)
	})
}

// without is evidence without what is to be left out.
func without(e suggest.Evidence, out func(what string) bool) suggest.Evidence {
	e = maps.Clone(e)
	maps.DeleteFunc(e, func(what string, _ float64) bool { return out(what) })
	return e
}

// pointedTo reports whether records of a type are pointed to by others of a row: a row of a contact and its company is
// the contact's.
func pointedTo(c catalog.Catalog, name string, types []string) bool {
	return slices.ContainsFunc(c.PointingTo(name), func(p catalog.Pointing) bool {
		return p.Type.Name != name && slices.Contains(types, p.Type.Name)
	})
}

// opaque is a header that says nothing, another in each column.
func opaque(r *rand.Rand, column int) string {
	var b strings.Builder
	for range 2 + r.IntN(3) {
		b.WriteByte("BCDFGHJKLMNPQRSTVWXZ"[r.IntN(20)])
	}
	fmt.Fprint(&b, column)
	return b.String()
}

const (
	rounds   = 20
	pace     = 0.15  // of the steps, of which each weight takes smaller ones the more it has moved (AdaGrad)
	smallest = 0.003 // weights are drawn to nothing by this share of them
	unnamed  = 0.1   // how often a type is met as one that nobody knows, such as companies make for themselves
)

// learn gives the weights under which the labels of the examples are most likely.
func learn(list []example) map[string]float64 {
	r := rand.New(rand.NewPCG(1, 2))
	w, moved := map[string]float64{"found": 2}, map[string]float64{}
	order := slices.Clone(list)
	for range rounds {
		r.Shuffle(len(order), func(a, b int) { order[a], order[b] = order[b], order[a] })
		for _, e := range order {
			speaks := e.speaks
			if r.Float64() < unnamed {
				at := r.IntN(len(e.types))
				speaks = slices.Clone(speaks)
				speaks[at] = without(speaks[at], func(what string) bool { return strings.HasPrefix(what, e.types[at]) })
			}
			p := likelihoods(w, speaks)
			right := 1e-12
			for n, x := range p {
				if e.right[n] {
					right += x
				}
			}
			slope := map[string]float64{}
			for n, x := range p {
				by := x
				if e.right[n] {
					by -= x / right
				}
				if math.Abs(by) > 1e-4 {
					for what, much := range speaks[n] {
						slope[what] += by * much
					}
				}
			}
			for what, s := range slope {
				s += smallest * w[what]
				moved[what] += s * s
				w[what] -= pace * s / math.Sqrt(0.01+moved[what])
			}
		}
	}
	return w
}

// likelihoods gives how likely each type is.
func likelihoods(w map[string]float64, speaks []suggest.Evidence) []float64 {
	odds := make([]float64, len(speaks))
	for n, e := range speaks {
		odds[n] = e.Weigh(w)
	}
	return suggest.Likelihoods(odds)
}

// Sheets that follow each other are of one list, and alike: they are left out together.
const (
	folds  = 4
	inARow = 48
)

// check prints what comes of sheets with weights that were learned from others.
func check(to io.Writer, list []example) {
	type outcome struct {
		p    float64
		well bool
	}
	by := make([][]outcome, len(copies))
	for fold := range folds {
		out := func(e example) bool { return e.sheet/inARow%folds == fold }
		w := learn(slices.DeleteFunc(slices.Clone(list), out))
		for _, e := range list {
			if !out(e) {
				continue
			}
			p := likelihoods(w, e.speaks)
			at := 0
			for n := range p {
				if p[n] > p[at] {
					at = n
				}
			}
			by[e.copy] = append(by[e.copy], outcome{p[at], e.right[at]})
		}
	}
	for _, least := range []float64{0.5, 0.6, 0.7, 0.8, 0.9} {
		for k, outcomes := range by {
			told, wrong := 0, 0
			for _, o := range outcomes {
				switch {
				case o.p >= least && o.well:
					told++
				case o.p >= least:
					wrong++
				}
			}
			fmt.Fprintf(to, "taken from %.1f on, %2.0f %% of columns left out, %2.0f %% of headers spoilt: "+
				"of %d sheets %d are told, %d asked about, %d told wrongly\n", least, 100*copies[k].without, 100*copies[k].spoilt,
				len(outcomes), told, len(outcomes)-told-wrong, wrong)
		}
	}
}

// written is weights as they are kept: a line each, the weight before what it is of.
func written(w map[string]float64) string {
	var lines []string
	for what, x := range w {
		if math.Abs(x) >= 0.05 {
			lines = append(lines, fmt.Sprintf("%.2f %s\n", x, what))
		}
	}
	slices.SortFunc(lines, func(a, b string) int {
		_, aw, _ := strings.Cut(a, " ")
		_, bw, _ := strings.Cut(b, " ")
		return cmp.Compare(aw, bw)
	})
	return strings.Join(lines, "")
}
