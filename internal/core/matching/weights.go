package matching

import "math"

// Chance is how often a result is seen: between records of the same person or
// company (M), and between any two (U). U of an agreement is only the average;
// the value's own frequency takes its place.
type Chance struct {
	M float64 `json:"m"`
	U float64 `json:"u"`
}

// Weights hold the chances of every comparison's results. They are what the
// Fellegi-Sunter model calls m- and u-probabilities.
type Weights map[Kind]map[Level]Chance

// DefaultWeights are chances found on made-up records of many languages; a
// workspace can estimate its own from its records.
func DefaultWeights() Weights {
	return Weights{
		Given: {Same: {.80, .01}, Alternative: {.06, .004}, Initial: {.03, .05}, Near: {.05, .002}, Part: {.03, .004},
			Loose: {.025, .012}, Differs: {.02, .92}},
		Family: {Same: {.86, .003}, Near: {.07, .001}, Part: {.03, .0005}, Initial: {.005, .05}, Loose: {.02, .004},
			Differs: {.025, .945}},
		Company: {Same: {.78, .0001}, Near: {.09, .0002}, Part: {.09, .002}, Initial: {.01, .0005}, Loose: {.02, .003},
			Differs: {.03, .994}},
		Employer: {Same: {.72, .002}, Near: {.08, .0005}, Part: {.06, .001}, Initial: {.01, .0005}, Loose: {.02, .005},
			Differs: {.12, .99}},
		Email: {Same: {.75, 1e-6}, Near: {.05, 1e-5}, Local: {.05, 5e-5}, Domain: {.04, .002}, Differs: {.11, .997}},
		Phone: {Same: {.68, 1e-5}, Near: {.05, 2e-5}, Differs: {.27, .999}},
		Web:   {Same: {.85, 1e-4}, Differs: {.15, .999}},
		Place: {Same: {.62, 5e-5}, Near: {.12, 1e-4}, Neighbour: {.03, 3e-4}, Area: {.08, .005}, Town: {.05, .005},
			Differs: {.10, .98}},
		Date: {Same: {.91, 5e-5}, Near: {.07, .0015}, Differs: {.01, .998}},
		Code: {Same: {.97, 1e-6}, Differs: {.03, .999}},
		Text: {Same: {.70, .001}, Near: {.10, .001}, Part: {.05, .005}, Differs: {.15, .99}},
		Link: {Same: {.85, .003}, Differs: {.15, .99}},
	}
}

// table is weights in the order of the kinds' numbers, for quick work.
type table [12][levels]Chance

func (w Weights) table() (t table) {
	for _, from := range []Weights{DefaultWeights(), w} { // what own weights do not say is as usual
		for n, k := range kinds {
			for l, c := range from[k] {
				t[n][l] = c
			}
		}
	}
	return t
}

// rarity says how the frequency of a value becomes the chance that two records
// share it without belonging together: of the f records that have the value
// all but one, and ease more that are not seen here, among n.
var rarity = map[Kind]float64{Given: .5, Family: .5, Company: .1, Employer: .5, Email: .02, Phone: .05, Web: .05,
	Place: .2, Date: .5}

// smooth is the number of records that the average counts for: in a small
// workspace every value is rare, which says nothing.
const smooth = 1000

// Frequencies tells how many of n records have a term.
type Frequencies struct {
	N     int64
	Count func(term int32) int64
	Prior float64 // the share of rows that have one among them before anything is compared; 0 is that of records
	Own   int64   // how many of those that share a value are the pair's own: 1 when one side is counted, 2 when both are
}

// chance gives U of an agreement on a term.
func (f Frequencies) chance(k Kind, average float64, t int32) (u float64, count int64) {
	if t == 0 || f.Count == nil {
		return average, 0
	}
	count = f.Count(t)
	u = (math.Max(float64(count-f.own()), 0) + rarity[k] + smooth*average) / (float64(f.N) + smooth)
	return math.Min(math.Max(u, 1e-9), .99), count
}

func (f Frequencies) own() int64 { return max(f.Own, 1) }

// The share of rows that are expected to be there already: among the records,
// and among the earlier rows of the same source.
const (
	PriorRecords = .3
	PriorRows    = .03
)

// priorBits is the weight with which a pair starts: one of n records is meant,
// and only for a part of the drafts.
func (f Frequencies) priorBits() float64 {
	prior := f.Prior
	if prior == 0 {
		prior = PriorRecords
	}
	return math.Log2(prior / math.Max(float64(f.N), 2))
}
