// Package textkind tells what kind of thing the texts of a column are: given names,
// family names, full names, companies, streets, towns, job titles or mere phrases, in whatever
// language. It was learned from open lists of names and places of some seventy
// locales (see learn), and is kept as a compact table. The method is a multinomial
// naive Bayes classifier over character n-grams (Manning, Raghavan and Schütze,
// Introduction to Information Retrieval, 2008, chapter 13). It knows no fields.
package textkind

import (
	_ "embed"
	"hash/fnv"
	"math"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"
)

// Kind is what a text is.
type Kind int

// The kinds.
const (
	Given Kind = iota
	Family
	FullName
	Company
	Street
	Town
	Job
	Phrase // a remark, the name of a project: words of no other kind
	Kinds  // how many there are
)

// Names of the kinds, as the lists that are learned from call them.
var Names = [Kinds]string{"given", "family", "full", "company", "street", "town", "job", "phrase"}

// buckets is how many n-grams are told apart: others share a place.
const buckets = 1 << 14

//go:embed table.bin
var tableBytes []byte

// step is by how much one unit of the table changes a logarithm.
const step = 1.0 / 16

// Features gives the places of a text's n-grams in the table: of two to four letters
// of each word with its ends marked, of the word as a whole, and of the text's shape.
func Features(text string) (list []uint16) {
	add := func(s string) {
		h := fnv.New32a()
		h.Write([]byte(s)) //nolint:errcheck // never fails
		list = append(list, uint16(h.Sum32()%buckets))
	}
	words := Words(text)
	for _, w := range words {
		rs := []rune("^" + w + "$")
		add("w" + w)
		for n := 2; n <= 4; n++ {
			for at := 0; at+n <= len(rs); at++ {
				add(string(rs[at : at+n]))
			}
		}
	}
	shape := []rune("#")
	for n, w := range strings.Fields(text) {
		if n == 5 {
			break
		}
		r, _ := utf8.DecodeRuneInString(w)
		switch {
		case strings.IndexFunc(w, unicode.IsDigit) >= 0:
			shape = append(shape, '9')
		case unicode.IsLower(r):
			shape = append(shape, 'a')
		case len(w) < 4:
			shape = append(shape, 'I')
		default:
			shape = append(shape, 'A')
		}
	}
	if strings.Contains(text, ",") {
		shape = append(shape, ',')
	}
	for range 4 { // the shape counts as several n-grams
		add(string(shape))
	}
	return list
}

// Words gives the words of a text in small letters without accents; digits become
// nines.
func Words(text string) []string {
	var b strings.Builder
	for _, r := range norm.NFKD.String(strings.ToLower(text)) {
		switch {
		case unicode.Is(unicode.M, r):
		case unicode.IsDigit(r):
			b.WriteByte('9')
		case unicode.IsLetter(r):
			b.WriteRune(r)
		case r == '.' || r == '\'' || r == '’':
		default:
			b.WriteByte(' ')
		}
	}
	return strings.Fields(b.String())
}

// fewestTexts is how many texts it takes to say anything.
const fewestTexts = 3

// mostTexts bounds how many are looked at.
const mostTexts = 60

// Of gives the probability of each kind for a column of texts, between 0 and 1, as
// if it were one of them; ok is false when there are too few texts.
func Of(texts []string) (p [Kinds]float64, ok bool) {
	var sum [Kinds]float64
	n := 0
	for _, t := range texts[:min(len(texts), mostTexts)] {
		features := Features(t)
		if len(features) <= 4 {
			continue
		}
		n++
		var one [Kinds]float64
		for _, f := range features {
			for k := range one {
				one[k] += float64(tableBytes[int(f)*int(Kinds)+k])
			}
		}
		// N-grams of a text hang together: each text counts as a few independent ones.
		weight := step * independent / float64(len(features))
		most := slices.Max(one[:])
		for k := range one {
			sum[k] += max(one[k]-most, -farthest/weight) * weight
		}
		for k, less := range byLists(t) {
			sum[k] -= less
		}
	}
	if n < fewestTexts {
		return p, false
	}
	most := slices.Max(sum[:])
	total := 0.0
	for k := range sum {
		p[k] = math.Exp(sum[k] - most)
		total += p[k]
	}
	for k := range p {
		p[k] /= total
	}
	return p, true
}

// byLists gives how much likelier it is, as a logarithm, that a single word is of another kind than
// each, as the lists of names have it: of given names half are in their list and in no other, of
// family names and towns one in twenty.
func byLists(text string) (less [Kinds]float64) {
	words := Words(text)
	if len(words) != 1 {
		return less
	}
	h := half{given: listed(0, words[0]), family: listed(1, words[0])}
	if h.onlyGiven() {
		less[Family], less[Town] = 2.4, 2.9
	} else {
		less[Given] = 0.75
	}
	if h.onlyFamily() {
		less[Given], less[Town] = less[Given]+2.5, less[Town]+1
	}
	return less
}

// independent is as how many independent n-grams a text counts; farthest bounds how
// much one text can say against a kind.
const (
	independent = 6.0
	farthest    = 4.0
)

// Learn makes the table from lists of texts of each kind.
func Learn(lists [Kinds][]string) []byte {
	var counts [Kinds][buckets]float64
	table := make([]byte, buckets*int(Kinds))
	for k, list := range lists {
		total := 0.0
		for _, t := range list {
			features := Features(t)
			for _, f := range features {
				counts[k][f] += 1 / float64(len(features)) // long texts count no more
				total += 1 / float64(len(features))
			}
		}
		for f := range buckets {
			p := (counts[k][f] + 0.02) / (total + 0.02*buckets)
			counts[k][f] = math.Log(p)
		}
	}
	for f := range buckets {
		most := math.Inf(-1)
		for k := range counts {
			most = max(most, counts[k][f])
		}
		for k := range counts { // 255 is the likeliest kind
			table[f*int(Kinds)+k] = byte(max(0, 255+math.Round((counts[k][f]-most)/step)))
		}
	}
	return table
}
