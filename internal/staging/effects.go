package staging

import (
	"context"
	"fmt"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/matching"
	"uchi/internal/pgcopy"
	"uchi/internal/schema"
	"uchi/internal/store"
)

// RuleEffect is what a match rule says of the records that are there: how well it
// tells them apart, and which of them it would put together.
type RuleEffect struct {
	Rule    catalog.MatchRule
	Of      int64 // records of the type
	Looked  int64 // records looked at: those that have all fields which must be equal, or the sample of a likeness
	Alone   int64 // of these, the ones with no other that is equal in the fields
	Largest int64 // most records that are equal in the fields
	Takes   bool  // a single find by the rule is taken, not asked
	Taken   int64 // pairs of records that likeness would take for one
	Asked   int64 // pairs that it would ask about
	Pairs   []AlikePair
}

// AlikePair are two records that a rule would put together, or ask about.
type AlikePair struct {
	A, B    store.Link
	Percent float64 // 100 when they are equal in the fields
	Taken   bool
	Against []string
}

// mostExamples is how many pairs of each kind are shown of a rule.
const mostExamples = 6

// Effects tells what match rules say of the records of a type; nothing is changed.
func (r *Room) Effects(ctx context.Context, workspace string, c catalog.Catalog, t catalog.RecordType,
	rules []catalog.MatchRule) ([]RuleEffect, error) {
	var of int64
	if err := r.pool.QueryRow(ctx, `select count(*) from `+schema.Records(workspace, t.Name)).Scan(&of); err != nil {
		return nil, fmt.Errorf("count records: %w", err)
	}
	var list []RuleEffect
	for _, rule := range rules {
		e := RuleEffect{Rule: rule, Of: of, Takes: rule.One != catalog.Ask}
		var err error
		switch {
		case byID(rule):
			e.Looked, e.Alone, e.Largest = of, of, min(of, 1)
		case len(rule.Fields) > 0:
			err = r.equalEffect(ctx, workspace, t, &e)
		default:
			err = r.alikeEffect(ctx, workspace, c, t, &e)
		}
		if err != nil {
			return nil, fmt.Errorf("try a match rule: %w", err)
		}
		list = append(list, e)
	}
	return list, nil
}

// equalEffect groups the records by the fields that must be equal.
func (r *Room) equalEffect(ctx context.Context, workspace string, t catalog.RecordType, e *RuleEffect) error {
	groups := groupsOf(workspace, t, e.Rule.Fields)
	err := r.pool.QueryRow(ctx, `select coalesce(sum(n), 0)::bigint, coalesce(sum(n) filter (where n = 1), 0)::bigint,
		coalesce(max(n), 0) from (`+groups+`) y`).
		Scan(&e.Looked, &e.Alone, &e.Largest)
	if err != nil {
		return err
	}
	e.Takes = e.Takes && tellsApart(t, e.Rule, e.Looked, e.Alone)
	type pair struct {
		A int64  `db:"a"`
		B int64  `db:"b"`
		X string `db:"a_title"`
		Y string `db:"b_title"`
	}
	pairs, err := collect[pair](ctx, r.pool, nil, q(`
		select p.a, p.b, {x} as a_title, {y} as b_title
		from (select ids[1] as a, ids[2] as b from ({groups}) y where n > 1 order by n, ids[1] limit @most) p
		join {records_x} x on x.id = p.a join {records_y} y on y.id = p.b`,
		frag{"groups": groups, "x": schema.TitleText(t, "x"), "y": schema.TitleText(t, "y"),
			"records_x": schema.Records(workspace, t.Name), "records_y": schema.Records(workspace, t.Name)},
		arg{"most": mostExamples}))
	for _, p := range pairs {
		e.Pairs = append(e.Pairs, AlikePair{A: linkTo(t, p.A, p.X), B: linkTo(t, p.B, p.Y), Percent: 100, Taken: e.Takes})
	}
	return err
}

func linkTo(t catalog.RecordType, id int64, title string) store.Link {
	return store.Link{Type: t.Name, ID: t.RecordID(id), Title: title}
}

// groupsOf is the query of how many records say the same in some fields, n, with
// the first two of them, ids.
func groupsOf(workspace string, t catalog.RecordType, fields []string) string {
	var theirs, filled []string
	for _, name := range fields {
		form := recordForm(t, name, "r")
		theirs, filled = append(theirs, form), append(filled, form+` is not null`)
	}
	return `select count(*) as n, (array_agg(r.id order by r.id))[1:2] as ids from ` + schema.Records(workspace,
		t.Name) + ` r
		where ` + strings.Join(filled, " and ") + ` group by ` + list(theirs)
}

// What makes a combination of fields tell records apart: of so many records that
// have them all, at least this share are the only ones with what they say.
const (
	leastMeasured = 100
	leastAlone    = .95
)

// tellsApart reports whether a single find by a rule of equal fields may be taken:
// one with a key or a look-up field, one with the title and a reference (a line of
// a deal), and any combination that tells nearly all records apart, of which so
// many have the fields and so many are alone with what they say. What other rules
// find is asked.
func tellsApart(t catalog.RecordType, rule catalog.MatchRule, have, alone int64) bool {
	return tells(t, rule) || have >= leastMeasured && float64(alone) >= leastAlone*float64(have)
}

// tells reports whether a rule tells records apart by what its fields are.
func tells(t catalog.RecordType, rule catalog.MatchRule) bool {
	var titled, linked bool
	for _, name := range rule.Fields {
		f, _ := t.Field(name)
		if name == mapping.IDField || f.Normalised() {
			return true
		}
		titled = titled || schema.InTitle(t, name)
		linked = linked || f.Kind().Form == catalog.LinkForm
	}
	return titled && linked
}

// alikeEffect compares a sample of the records with one another.
func (r *Room) alikeEffect(ctx context.Context, workspace string, all catalog.Catalog, t catalog.RecordType,
	e *RuleEffect) error {
	if err := r.RefreshLikeness(ctx, workspace, t); err != nil {
		return err
	}
	keys := schema.LikenessKeys(workspace, t.Name)
	freq := matching.Frequencies{Own: 2, N: e.Of, Prior: matching.PriorRows}
	counts := map[int32]int64{}
	err := pgcopy.Out(ctx, r.reading, fmt.Sprintf(`select t, count(*) from (select unnest(terms) as t from %s) x
		group by t having count(*) > 1 order by 2 desc limit %d`, keys, mostFrequent), func(f [][]byte) error {
		counts[pgcopy.Int32Of(f[0])] = pgcopy.Int64Of(f[1])
		return nil
	})
	if err != nil {
		return err
	}
	freq.Count = func(term int32) int64 { return max(counts[term], 1) }
	weights, _, err := r.store.Weights(ctx, workspace, t.Name)
	if err != nil {
		return err
	}
	c := matching.NewComparer(t, e.Rule.Alike)
	judge := c.Judge(weights.Weights.V, freq)
	takeAt, askAt := e.Rule.Bounds()
	e.Looked = min(e.Of, sampleRecords)
	title := func(alias string) string { return schema.TitleText(t, alias) }
	var shown [2]int
	return pgcopy.Out(ctx, r.reading, `
		select p.one, p.other, `+title("a")+`, `+title("b")+`, `+
		comparedColumns(c.Fields, ofRecord("a"), employerOf(workspace, all, "a"))+`, `+comparedColumns(c.Fields,
		ofRecord("b"), employerOf(workspace, all, "b"))+`
		from (`+samplePairsOf(keys)+`) p
		join `+schema.Records(workspace, t.Name)+` a on a.id = p.one join `+schema.Records(workspace, t.Name)+
		` b on b.id = p.other
		order by p.one, p.other`, func(f [][]byte) error {
		x, y := c.Prepare(pgcopy.TextsOf(f[4], nil)), c.Prepare(pgcopy.TextsOf(f[5], nil))
		s := judge.Compare(&x, &y)
		if !s.Asked(askAt) {
			return nil
		}
		kind := 0
		if taken := s.Most == matching.MayTake && s.Percent >= takeAt && e.Takes; taken {
			e.Taken++
		} else {
			kind = 1
			e.Asked++
		}
		if shown[kind]++; shown[kind] <= mostExamples {
			e.Pairs = append(e.Pairs, AlikePair{
				A: linkTo(t, pgcopy.Int64Of(f[0]), string(f[2])), B: linkTo(t, pgcopy.Int64Of(f[1]), string(f[3])),
				Percent: s.Likely, Taken: kind == 0, Against: s.Against,
			})
		}
		return nil
	})
}
