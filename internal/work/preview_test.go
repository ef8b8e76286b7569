package work

import (
	"fmt"
	"maps"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/mapping"
)

// A reference can be looked up by several fields, all of which must fit.
func TestLookedUp(t *testing.T) {
	b := start(t)
	b.load(b.check(b.exactly(b.upload("account", "Company,Country,Customer number\nNordkai Marina,NO,N-1\n"+
		"Nordkai Marina,SE,N-2\nHavneby Havn,DK,N-3\n"), "source_ref")))
	i := b.upload("contact", "Last name,Firm,Land\nBerg,nordkai marina,Sverige\nDahl,Nordkai Marina,Norway\n"+
		"Li,Havneby Havn,NO\nMoe,,\nVik,Havneby Havn,\n")
	find := func(fields map[string]mapping.Origin) func(*mapping.Routine) {
		return func(r *mapping.Routine) { r.Drafts[0].Fields["account"] = mapping.Origin{Find: fields} }
	}
	i = b.check(b.change(i, find(map[string]mapping.Origin{"name": {From: []string{"Firm"}},
		"country": {From: []string{"Land"}}})))
	b.want(strings.Join(b.codes(i), "\n"), "4 link_not_found account\n6 link_not_found account")
	b.load(i)
	b.want(b.record("contact", "CON-1").Links["account"].ID+" "+b.record("contact", "CON-2").Links["account"].ID+
		" "+b.record("contact", "CON-3").Values["account"], "ACC-2 ACC-1 ")

	i = b.check(b.change(b.upload("contact", "Last name,No\nBerg,n-3\nLi,N-9\n"),
		find(map[string]mapping.Origin{"source_ref": {From: []string{"No"}}})))
	b.want(b.codes(i), "[3 link_not_found account]")
}

// A preview says what a routine that is not kept would make of rows.
func TestPreview(t *testing.T) {
	b := start(t)
	i := b.upload("contact", "First name,Last name,Born\nkari,øksnes,03/04/1980\nper,lie,05/06/1981\n")
	say := func(field, expression string) []string {
		b.Helper()
		r := *i.Routine.V
		d := r.Drafts[0]
		d.Fields = maps.Clone(d.Fields)
		if field == "" {
			d.Where = expression
		} else {
			d.Fields[field] = mapping.Origin{Compute: expression}
		}
		r.Drafts = []mapping.Draft{d}
		list, err := b.work.Preview(b.Context(), i, r, "contact", field, 0)
		b.ok(err)
		var out []string
		for _, p := range list {
			s := fmt.Sprint(p.Row, " ", p.Text, " ", p.LeftOut)
			if p.Problem != nil {
				s += " " + string(p.Problem.Code)
			}
			out = append(out, s)
		}
		return out
	}
	b.want(say("given_name", `cells["First name"].title()`), "[2 Kari false 3 Per false]")
	b.want(say("", `cells["Last name"] != "lie"`), "[2  false 3  true]")
	b.want(say("email", `cells["First name"]`), "[2  false bad_email 3  false bad_email]")
	b.want(say("description", `"born in " + "1980-04-03".year() + ", month " + "1980-04-03".month() + ", day " + "1980-04-03".day() + cells["Born"].year()`),
		"[2 born in 1980, month 4, day 3 false 3 born in 1980, month 4, day 3 false]")
	r := *i.Routine.V
	r.Drafts = []mapping.Draft{{Type: "contact", Where: `cells["Boat"] == ""`}}
	if _, err := b.work.Preview(b.Context(), i, r, "contact", "", 0); !fault.Is(err, "bad_expression") {
		t.Error(err)
	}
	if _, err := b.work.Preview(b.Context(), i, *i.Routine.V, "boat", "", 0); !fault.Is(err, "unknown_draft") {
		t.Error(err)
	}
	b.want(b.codes(b.check(i)), "[2 ambiguous_date birthday 3 ambiguous_date birthday]")
	i = b.check(b.change(i, func(r *mapping.Routine) {
		o := r.Drafts[0].Fields["birthday"]
		o.DateOrder = "month_first"
		r.Drafts[0].Fields["birthday"] = o
	}))
	b.want(b.codes(i), "[]")
	b.load(i)
	b.want(b.record("contact", "CON-1").Values["birthday"], "1980-03-04")
}

// The values of a column are listed once each, with what they mean: a choice, a
// country, a record.
func TestColumnValues(t *testing.T) {
	b := start(t)
	b.load(b.check(b.exactly(b.upload("account", "Company,Customer number\nNordkai Marina,N-1\nHavneby,N-2\n"+
		"Havneby,N-3\n"), "source_ref")))
	i := b.upload("lead", "Last name,Company,Country,Interest\nA,X,UK,hot\nB,X, UK ,very hot\nC,X,Atlantis,\n"+
		"D,X,Norge,boat\nE,X,UK,hot\n")
	list := func(column, draft, field string) string {
		b.Helper()
		values, more, err := b.work.ColumnValues(b.Context(), i, column, draft, field)
		b.ok(err)
		out := fmt.Sprint(more)
		for _, v := range values {
			out += fmt.Sprintf("|%s %d %s %s?%s", v.Text, v.Count, v.Meaning, v.Label, v.Guess)
		}
		return out
	}
	b.want(list("Country", "lead", "country"), "false|UK 3 GB GB?|Atlantis 1  ?|Norge 1 NO NO?")
	b.want(list("Interest", "lead", "interest"), "false|hot 2 high High?|boat 1  ?|very hot 1  ?high")
	if _, _, err := b.work.ColumnValues(b.Context(), i, "Boat", "lead", "country"); !fault.Is(err, "unknown_column") {
		t.Error(err)
	}

	// A choice that is added is known from then on, and so is another spelling.
	_, err := b.work.AddChoice(b.Context(), "main", "lead", "interest",
		catalog.Choice{Code: "boat", Label: "Boat"}, b.person)
	b.ok(err)
	_, err = b.work.AddChoice(b.Context(), "main", "lead", "interest", catalog.Choice{Code: "high", Label: "Very hot"},
		b.person)
	b.ok(err)
	b.want(list("Interest", "lead", "interest"), "false|hot 2 high High?|boat 1 boat Boat?|very hot 1 high High?")
	if _, err := b.work.AddChoice(b.Context(), "main", "lead", "company", catalog.Choice{Code: "x", Label: "X"},
		b.person); !fault.Is(err, "no_choices") {
		t.Error(err)
	}

	i = b.upload("contact", "Last name,Account\nA,nordkai marina\nB,Havneby\nC,n-2\nD,ACC-1\nE,Nobody\n")
	b.want(list("Account", "contact", "account"), "false|ACC-1 1 ACC-1 Nordkai Marina?|Havneby 1  ?|Nobody 1  ?|n-2 1 "+
		"ACC-2 Havneby?|nordkai marina 1 ACC-1 Nordkai Marina?")
	i = b.check(b.change(i, func(r *mapping.Routine) {
		o := r.Drafts[0].Fields["account"]
		o.Values = map[string]string{"Havneby": "ACC-3", "Nobody": ""}
		r.Drafts[0].Fields["account"] = o
	}))
	b.want(b.codes(i), "[]")
	b.load(i)
	b.want(b.record("contact", "CON-2").Links["account"].ID+b.record("contact", "CON-5").Values["account"], "ACC-3")
}
