package matching

import (
	"math"
	"slices"
	"strings"
)

// Reason is what one comparison says.
type Reason struct {
	Kind   Kind     `json:"kind"`
	Fields []string `json:"fields"`
	Level  string   `json:"level"`
	Bits   float64  `json:"bits"`            // for (positive) or against
	Count  int64    `json:"count,omitempty"` // how many records share the value that agrees
}

// Score is how much speaks for two records being the same.
type Score struct {
	Bits    float64  // the weight of all comparisons and of the prior
	Percent float64  // the probability that they are the same by the weights alone, 0 to 100
	Likely  float64  // the same with what speaks against it: what is shown
	Reasons []Reason // what each comparison says, blank ones left out
	Most    Most     // the most that this evidence allows
	Against []string // why it allows no more, as stable words
}

// Most is the most that evidence allows, whatever the score.
type Most uint8

// From everything to nothing.
const (
	MayTake Most = iota
	MayAsk
	MayNothing
)

// Alike lists the fields whose values say the same in other writing: a short
// form, an initial, a slip of typing, other letters, and, where the pair may be taken in spite of
// it, a fond name that no list has. They tell nothing new, so a row that is found by them leaves
// the record's values as they are.
func (s Score) Alike() []string {
	var out []string
	for _, r := range s.Reasons {
		switch r.Kind {
		case Given, Family, Company:
			if r.Level != Differs.String() || r.Kind == Given && s.Most == MayTake {
				out = append(out, r.Fields...)
			}
		case Place:
			if r.Level == Same.String() || r.Level == Near.String() || r.Level == Area.String() {
				out = append(out, r.Fields...)
			}
		default:
			if r.Level == Near.String() || r.Level == Part.String() {
				out = append(out, r.Fields...)
			}
		}
	}
	return out
}

// Judge scores pairs by weights and frequencies.
type Judge struct {
	comparer *Comparer
	weights  table
	freq     Frequencies
	prior    float64
}

// Judge readies the comparer for scoring.
func (c *Comparer) Judge(w Weights, f Frequencies) *Judge {
	return &Judge{comparer: c, weights: w.table(), freq: f, prior: f.priorBits()}
}

// Compare scores two subjects.
func (j *Judge) Compare(a, b *Subject) Score {
	c, f := j.comparer, j.freq
	s := Score{Bits: j.prior, Reasons: make([]Reason, 0, len(c.comparisons))}
	var ev evidence
	given, family, swapped := likePerson(a.person, b.person)
	for _, cmp := range c.comparisons {
		level, t := c.level(cmp.kind, a, b, given, family)
		if level == Blank {
			continue
		}
		ch := j.weights[cmp.number][level]
		if ch.M == 0 {
			continue
		}
		u, count := ch.U, int64(0)
		switch level {
		case Same:
			u, count = f.chance(cmp.kind, ch.U, t)
		case Domain:
			u, count = f.chance(Web, ch.U, t)
		case Area, Town, Neighbour:
			u, count = f.chance(Place, ch.U, t)
		case Near, Alternative: // as rare as the value itself, and some more
			if own := j.weights[cmp.number][Same]; own.M > 0 && t != 0 {
				same, _ := f.chance(cmp.kind, own.U, t)
				u = math.Max(math.Min(ch.U, 4*same), ch.U/20)
			}
		}
		bits := math.Log2(ch.M / u)
		// the mailbox only says the name again
		if cmp.kind == Email && (level == Local && a.named() || level == Near && (family == Near || a.named() && b.named())) {
			bits = math.Min(bits, 1)
			level = Domain
		}
		if cmp.kind == Email && level == Same && (a.email.role || count > f.own()+1) {
			bits = math.Min(bits, 6)
		}
		if cmp.kind == Email && level == Local {
			bits = math.Min(bits, 6)
		}
		if swapped && (cmp.kind == Given || cmp.kind == Family) {
			bits -= 1
		}
		ev.levels[cmp.number], ev.counts[cmp.number] = level, count
		s.Bits += bits
		s.Reasons = append(s.Reasons, Reason{Kind: cmp.kind, Fields: cmp.fields, Level: level.String(),
			Bits: math.Round(bits*10) / 10, Count: count})
	}
	ev.role, ev.own = a.email.role, f.own()
	switch c.entity {
	case Family:
		s.guardPerson(a, b, &ev)
	case Company:
		s.guardCompany(a, b, &ev)
	default:
		if Thing(c.of) {
			s.guardThing(a, b, &ev)
		}
	}
	others := ev.stranger() || ev.two || s.twice() || slices.Contains(s.Against, OtherUnit)
	if s.Most == MayNothing && s.Bits >= askFrom && c.entity != Text && !others {
		s.Most = MayAsk
	}
	if c.entity == Family && ev.reaches() && !ev.two {
		s.Most, s.Bits = min(s.Most, MayAsk), max(s.Bits, 0)
	}
	s.Percent = 100 / (1 + math.Exp2(-s.Bits))
	s.Likely = s.likely(c.entity == Family)
	return s
}

// twice reports whether a name and a birthday both speak against two people.
func (s Score) twice() bool {
	return slices.Contains(s.Against, OtherDate) && (slices.Contains(s.Against, OtherGiven) ||
		slices.Contains(s.Against, OtherFamily))
}

// likely gives the chance that a pair is the same in spite of what speaks against
// it, as it was found on labelled sets: people whose names agree in part, or by an
// initial, nearly always are, and so are companies of one name and town; where a name is
// much alike, four of five. What else is asked about is the same in six of ten, whatever it
// weighs: the heavier what agrees, the heavier what does not.
func (s Score) likely(people bool) float64 {
	if s.Most == MayTake {
		return s.Percent
	}
	most := 90.0
	for _, why := range s.Against {
		switch {
		case people && (why == NameInPart || why == InitialOnly), !people && why == OneKind: // the whole name and the town
		case people && why == LooseName:
			most = min(most, 80)
		default:
			most = min(most, 60)
		}
	}
	return min(s.Percent, most)
}

// named reports whether the mailbox is made of the person's name.
func (s *Subject) named() bool {
	local := squeeze(s.email.plain)
	says := func(w string) bool { return len(w) > 2 && strings.Contains(local, w) }
	return slices.ContainsFunc(s.person.given, says) || slices.ContainsFunc(s.person.family, says)
}

// Decision is what the scores of a draft's candidates come to.
type Decision uint8

// The decisions.
const (
	New      Decision = iota // nothing like it is there
	Found                    // the first candidate is it
	Doubtful                 // a person must say
	Many                     // several are as likely
)

// margin is by how many bits the best must stand before the second to be taken.
const margin = 7

// Decide judges candidates, best first; those below askAt percent are to be
// left out by the caller.
func Decide(list []Score, takeAt, askAt float64) Decision {
	list = slices.DeleteFunc(slices.Clone(list), func(s Score) bool { return !s.Asked(askAt) })
	if len(list) == 0 {
		return New
	}
	best := list[0]
	taken := best.Most == MayTake && best.Percent >= takeAt
	if len(list) == 1 || list[1].Bits < best.Bits-margin {
		if taken {
			return Found
		}
		return Doubtful
	}
	if taken && list[1].Most == MayTake && list[1].Percent >= takeAt {
		return Many
	}
	if taken && list[1].Most != MayTake && list[1].Bits < best.Bits {
		return Found
	}
	return Doubtful
}

// Asked reports whether the score is worth a question.
func (s Score) Asked(askAt float64) bool { return s.Most != MayNothing && s.Percent >= askAt }
