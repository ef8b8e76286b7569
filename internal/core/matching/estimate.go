package matching

import (
	"maps"
	"math"
)

// Vector is the results of one pair's comparisons, blank ones left out.
type Vector map[Kind]Level

// Vector compares two subjects and gives the bare results.
func (c *Comparer) Vector(a, b *Subject) Vector {
	given, family, _ := likePerson(a.person, b.person)
	v := Vector{}
	for _, cmp := range c.comparisons {
		if l, _ := c.level(cmp.kind, a, b, given, family); l != Blank {
			v[cmp.kind] = l
		}
	}
	return v
}

// Strengths of what is known beforehand, in pairs: so many pairs must be seen
// for an estimate to count as much as the default.
const (
	knownM = 200
	knownU = 2000
)

const rounds = 40

// Estimate finds the chances from pairs alone, without anybody saying which of
// them belong together: M by expectation and maximisation over candidate pairs
// (Dempster, Laird and Rubin 1977; for record linkage Winkler 1988), U by
// counting over pairs put together at random. Both lean on the start weights
// as far as there are few pairs. It also gives the share of the candidate
// pairs that seem to belong together, 0 to 1.
func Estimate(candidates, random []Vector, start Weights) (Weights, float64) {
	m, u := start.clone(), start.clone()
	share := .1
	belongs := make([]float64, len(candidates))
	for range rounds {
		// Expectation: how likely is each pair one?
		total := 0.0
		for i, v := range candidates {
			yes, no := math.Log(share), math.Log(1-share)
			for k, l := range v {
				yes += math.Log(math.Max(m[k][l].M, 1e-6))
				no += math.Log(math.Max(u[k][l].U, 1e-6))
			}
			belongs[i] = 1 / (1 + math.Exp(no-yes))
			total += belongs[i]
		}
		if len(candidates) > 0 {
			share = math.Min(math.Max((total+1)/(float64(len(candidates))+10), 1e-4), .9)
		}
		// Maximisation: the chances that make this most likely. Among candidates
		// those that do not belong agree more often than any two; that is kept
		// apart in u and not given back.
		count(candidates, start, m, func(i int) float64 { return belongs[i] }, knownM,
			func(c *Chance) *float64 { return &c.M })
		count(candidates, start, u, func(i int) float64 { return 1 - belongs[i] }, knownM,
			func(c *Chance) *float64 { return &c.U })
	}
	out := m
	count(random, start, out, func(int) float64 { return 1 }, knownU, func(c *Chance) *float64 { return &c.U })
	return out, share
}

func (w Weights) clone() Weights {
	out := Weights{}
	for k, levels := range w {
		out[k] = maps.Clone(levels)
	}
	return out
}

// count sets one chance of every result to its weighted share among pairs.
func count(pairs []Vector, start, into Weights, weight func(i int) float64, known float64,
	part func(*Chance) *float64) {
	seen, all := map[Kind]map[Level]float64{}, map[Kind]float64{}
	for i, v := range pairs {
		w := weight(i)
		for k, l := range v {
			if seen[k] == nil {
				seen[k] = map[Level]float64{}
			}
			seen[k][l] += w
			all[k] += w
		}
	}
	for k, levels := range start {
		for l, c := range levels {
			got := into[k][l]
			*part(&got) = (seen[k][l] + known**part(&c)) / (all[k] + known)
			into[k][l] = got
		}
	}
}
