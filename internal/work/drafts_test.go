package work

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/life"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
	"uchi/internal/core/value"
	"uchi/internal/core/verdict"
	"uchi/internal/schema"
	"uchi/internal/staging"
	"uchi/internal/store"
)

// drafted lets the rows of a new import make further records.
func (b *bench) drafted(text, into string, types ...string) store.Import {
	b.Helper()
	i := b.upload(into, text)
	for _, t := range types {
		b.ok(b.work.AddDraft(b.Context(), i, mapping.Draft{Type: t}, 0, b.person))
		i = b.wait(i.ID)
	}
	return i
}

// rows lists for each row its verdict or outcome, and in brackets those of its
// drafts with their records.
func (b *bench) rows(i store.Import) []string {
	b.Helper()
	rows, err := b.room.Rows(b.Context(), i, staging.RowFilter{}, 0, -1, 500)
	b.ok(err)
	var out []string
	for _, r := range rows {
		word := "-"
		if r.Verdict != nil {
			word = string(*r.Verdict)
		}
		if r.Outcome != nil {
			word = string(*r.Outcome)
		}
		var parts []string
		for _, p := range r.Drafts {
			s := "-"
			if p.Verdict != nil {
				s = string(*p.Verdict)
			}
			if p.Outcome != nil {
				s = string(*p.Outcome)
			}
			if p.Record != nil {
				s += fmt.Sprint(" ", *p.Record)
			}
			parts = append(parts, s)
		}
		out = append(out, fmt.Sprintf("%d %s (%s)", r.Row, word, strings.Join(parts, ", ")))
	}
	return out
}

// fields lists the origins of a routine, as draft.field=columns or draft.
func fields(r mapping.Routine) string {
	var out []string
	for _, d := range r.Drafts {
		for _, name := range slices.Sorted(maps.Keys(d.Fields)) {
			o := d.Fields[name]
			out = append(out, d.Called()+"."+name+"="+strings.Join(o.From, "+")+o.Draft)
		}
	}
	return strings.Join(out, " ")
}

const dealRows = `Company,Website,Contact first name,Contact last name,Contact e-mail,Deal title,Stage,Value,Expected close
Nordkai Marina,nordkai.example,Kari,Øksnes,kari@nordkai.example,Twelve pedestals,offered,1200,2026-12-01
Nordkai Marina,,Per,Lie,per@nordkai.example,Chargers,scoped,80,2027-01-15
Havneby Havn,havneby.example,Eva,Dahl,eva@havneby.example,Pier B,identified,300,2027-02-01
Sund Båt,,Ola,Moe,ola@sund.example,,,,
`

// One row makes an account, a contact and an opportunity, each linked to the
// other; rows that draft the same account make it once.
func TestSeveralDrafts(t *testing.T) {
	b := start(t)
	b.loaded("account", "Company,Website,Town\nHavneby Havn,havneby.example,Havneby\n")
	i := b.drafted(dealRows, "opportunity", "account", "contact")
	b.want(fields(*i.Routine.V), "opportunity.account=account opportunity.amount=Value opportunity.contact=contact "+
		"opportunity.expected_close=Expected close opportunity.stage=Stage opportunity.title=Deal title "+
		"account.name=Company account.website=Website contact.account=account contact.email=Contact e-mail "+
		"contact.family_name=Contact last name contact.given_name=Contact first name")
	i = b.check(i)
	b.want(strings.Join(b.rows(i), "\n"), strings.Join([]string{
		"2 create (create, create, create)",
		"3 create (create, skip, create)", // the account of row 2
		"4 create (create, same 1, create)",
		"5 create (skip, create, create)", // no deal
	}, "\n"))
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 4})
	b.want(i.Totals.V.Drafts[1].Verdicts, map[string]int64{"create": 2, "same": 1, "skip": 1})
	i = b.load(i)
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"created": 4})
	b.want(strings.Join(b.rows(i), "\n"), strings.Join([]string{
		"2 created (created 1, created 2, created 1)", "3 created (created 2, skipped 2, created 2)",
		"4 created (created 3, unchanged 1, created 3)", "5 created (skipped, created 3, created 4)"}, "\n"))
	for id, account := range map[string]string{"CON-1": "ACC-2", "CON-2": "ACC-2", "CON-3": "ACC-1", "CON-4": "ACC-3"} {
		b.want(b.record("contact", id).Links["account"].ID, account)
	}
	deal := b.record("opportunity", "OPP-2")
	b.want(deal.Links["account"].ID+" "+deal.Links["contact"].ID, "ACC-2 CON-2")
	b.want(b.record("account", "ACC-2").Values["website"], "https://nordkai.example")

	again := b.drafted(dealRows, "opportunity", "account", "contact")
	again = b.check(b.change(again, func(r *mapping.Routine) { r.Drafts = r.Drafts[1:] }))
	b.want(again.Totals.V.Verdicts, map[string]int64{"same": 4})
	again = b.load(again)
	b.want(again.Outcomes.V, map[verdict.Outcome]int64{"unchanged": 4})
}

// A row is loaded whole or not at all, and what belongs to a row that is held
// is held with it.
func TestDraftsAreHeldTogether(t *testing.T) {
	b := start(t)
	i := b.drafted(`Company,Town,Country,Contact last name,Contact e-mail
Kaldvik Båt,Kaldvik,Norway,Holm,bad
Kaldvik Båt,,,Sand,sand@kaldvik.example
Lysvik Havn,Lysvik,Atlantis,Lund,lund@lysvik.example
Lysvik Havn,,,Vik,vik@lysvik.example
Torvik,Torvik,Norway,Berg,berg@torvik.example
Torvik,Oslo,Norway,Dal,dal@torvik.example
,,,Fri,fri@x.example
`, "contact", "account")
	i = b.check(i)
	b.want(strings.Join(b.codes(i), "\n"), "2 bad_email contact.email\n4 bad_country account.country")
	b.want(strings.Join(b.rows(i), "\n"), strings.Join([]string{
		"2 hold (hold, skip)", // its contact is wrong; its account stands in row 3, with the town of this row
		"3 create (create, create)",
		"4 hold (hold, skip)",
		"5 create (create, create)",
		"6 create (create, create)",
		"7 create (create, create)", // another town, another company
		"8 create (create, skip)",
	}, "\n"))
	i = b.load(i)
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"created": 5, "held": 2})
	b.want(b.record("account", "ACC-1").Values["locality"], "Kaldvik")
	b.want(b.record("contact", "CON-5").Links["account"].ID, "")
}

// A row that is found wanting late, or that is asked about, gives the company that it stands
// for over to the next sound one, with all that is said of it; who is mended joins them.
func TestSoundRowsStand(t *testing.T) {
	b := start(t)
	b.loaded("contact", "First name,Last name,Town\nTorunn,Skarvnes,Lysvik\n")
	rows := `Company,Website,Contact first name,Contact last name,Contact e-mail
Kaldvik Båt,kaldvik.example,Ola,,ola@kaldvik.example
Kaldvik Båt,,Nils,,nils@kaldvik.example
Kaldvik Båt,,Per,Sand,sand@kaldvik.example
Kaldvik Båt,,Kari,Lie,lie@kaldvik.example
Lysvik Havn,lysvik.example,Ida,,ida@lysvik.example
`
	i := b.check(b.drafted(rows, "contact", "account"))
	b.want(strings.Join(b.codes(i), "\n"), "2 required_missing contact.family_name\n"+
		"3 required_missing contact.family_name\n6 required_missing contact.family_name")
	b.want(strings.Join(b.rows(i), "\n"), strings.Join([]string{
		"2 hold (hold, skip)", "3 hold (hold, skip)", "4 create (create, create)", "5 create (create, skip)",
		"6 hold (hold, hold)"}, "\n"))
	i = b.load(i)
	b.want(strings.Join(b.rows(i), "\n"), strings.Join([]string{
		"2 held (held, skipped 1)", "3 held (held, skipped 1)", "4 created (created 2, created 1)",
		"5 created (created 3, skipped 1)", "6 held (held, held)"}, "\n"))
	b.want(b.record("account", "ACC-1").Values["website"], "https://kaldvik.example")
	i = b.load(b.check(b.mend(i, CellEdit{Row: 2, Column: "Contact last name", Value: "Moe"},
		CellEdit{Row: 6, Column: "Contact last name", Value: "Dal"})))
	b.want(b.record("contact", "CON-4").Links["account"].ID+" "+b.record("contact", "CON-5").Links["account"].ID,
		"ACC-1 ACC-2")
	b.agree(i)
}

// Rows for one record that contradict each other are held under the policy
// once, and so is what belongs to them.
func TestRowsDisagree(t *testing.T) {
	b := start(t)
	text := `Company,Customer number,Employees,Contact last name
Torvik,A-1,12,Berg
Torvik,A-1,14,Dal
Torvik,A-1,,Li
`
	i := b.check(b.drafted(text, "contact", "account"))
	b.want(strings.Join(b.codes(i), "\n"), "3 rows_disagree account.employees")
	b.want(strings.Join(b.rows(i), "\n"), "2 create (create, create)\n3 hold (hold, hold)\n4 create (create, skip)")
	i = b.check(b.change(i, func(r *mapping.Routine) { r.Drafts[1].Repeats = mapping.MergeRows }))
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 3})
	b.load(i)
	b.want(b.record("account", "ACC-1").Values["employees"], "14")
	b.want(b.record("contact", "CON-3").Links["account"].ID, "ACC-1")

	if err := b.work.SetRoutine(b.Context(), i,
		mapping.Routine{May: mapping.Create,
			Drafts: []mapping.Draft{{Type: "contact", Fields: map[string]mapping.Origin{"account": {Draft: "account"}}},
				{Type: "account", Repeats: mapping.LastWins,
					Fields: map[string]mapping.Origin{"name": {From: []string{"Company"}}}}}}, 0, b.person); !fault.Is(err,
		"last_of_linked") {
		t.Error(err)
	}
}

// The lines of a deal stand below it, the deal's cells blank.
func TestRowsBelow(t *testing.T) {
	b := start(t)
	b.loaded("account", "Company\nHavneby Havn\n")
	text := `Deal no,Deal,Account,Stage,Expected close,Product,Quantity,Unit price
D-1,Pier B,Havneby Havn,offered,2027-02-01,Pedestal 32 A,4,900
,,,,,Charger,2,150
,,,,,Cable,x,10
D-2,Lost one,Havneby Havn,lost,2027-02-01,Pedestal 16 A,1,700
,,,,,Charger,1,150
D-3,Pier C,Havneby Havn,won,2027-03-01,Bollard,3,80
`
	i := b.drafted(text, "opportunity", "line")
	if d := i.Routine.V.Drafts[0]; !d.Grouped || i.Routine.V.Drafts[1].Fields["opportunity"].Draft != "opportunity" {
		t.Fatalf("%+v", *i.Routine.V)
	}
	i = b.check(b.change(i, func(r *mapping.Routine) { r.Drafts[0].Where = `cells["Deal no"] != "D-3"` }))
	b.want(strings.Join(b.codes(i), "\n"), "4 bad_number line.quantity\n5 rule_broken opportunity.loss_reason\n"+
		"6 link_held line.opportunity")
	b.want(strings.Join(b.rows(i), "\n"),
		strings.Join([]string{"2 create (create, create)", "3 create (skip, create)", "4 hold (skip, hold)",
			"5 hold (hold, hold)", "6 hold (skip, hold)", "7 skip (skip, skip)"}, "\n"))
	i = b.load(i)
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"created": 2, "held": 3, "skipped": 1})
	b.want(b.record("line", "LIN-2").Links["opportunity"].ID, "OPP-1")

	// What is mended later still belongs to the row that was loaded before.
	i = b.check(b.change(i, func(r *mapping.Routine) {
		o := r.Drafts[1].Fields["quantity"]
		o.Values = map[string]string{"x": "5"}
		r.Drafts[1].Fields["quantity"] = o
	}))
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 1, "hold": 2, "skip": 1}) // the condition may have changed
	i = b.load(i)
	b.want(b.record("line", "LIN-3").Links["opportunity"].ID, "OPP-1")
	b.want(i.Outcomes.V["created"], 3)
}

// A draft is asked about by its name, and answered.
func TestAskedDrafts(t *testing.T) {
	b := start(t)
	b.loaded("account", "Company,Town\nNordkai Marina,Bergen\nNordkai Marina,Oslo\n")
	i := b.check(b.drafted("Company,Website,Contact last name\nNordkai Marina,nordkai.example,Berg\n"+
		"Nordkai Marina,,Dal\n", "contact", "account"))
	b.want(strings.Join(b.rows(i), "\n"), "2 ask (ask, ask)\n3 hold (hold, skip)")
	list, err := b.room.Questions(b.Context(), i, staging.QuestionFilter{}, 0, 10)
	b.ok(err)
	if len(list) != 1 || list[0].Draft != "account" || list[0].First == nil {
		t.Fatalf("%+v", list)
	}
	q, err := b.work.Question(b.Context(), i, 2, "")
	b.ok(err)
	b.want(q.Type.Name, "account")
	if _, err := b.work.Answer(b.Context(), i, []Given{{Row: 2, Draft: "boat", Choice: verdict.ChooseNew}},
		b.person); !fault.Is(err, "unknown_draft") {
		t.Error(err)
	}
	_, err = b.work.Answer(b.Context(), i,
		[]Given{{Row: 2, Draft: "account", Choice: verdict.ChooseTake, Record: "ACC-2"}}, b.person)
	b.ok(err)
	i = b.load(b.check(b.again(i)))
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"created": 2})
	b.want(b.record("contact", "CON-1").Links["account"].ID+b.record("contact", "CON-2").Links["account"].ID, "ACC-2ACC-2")
	b.want(b.record("account", "ACC-2").Values["website"], "https://nordkai.example")
}

// A record that the server refuses takes its whole row with it, and the rows
// that belong to it are held.
func TestRefusedDraft(t *testing.T) {
	b := start(t)
	_, err := b.store.Pool().Exec(b.Context(),
		`alter table w_main.r_contact add constraint no_dragons check (f_family_name <> 'Dragon')`)
	b.ok(err)
	i := b.load(b.check(b.drafted("Company,Website,Contact last name\nA Marina,a.example,Dragon\nA Marina,,Berg\n"+
		"B Marina,b.example,Li\n", "contact", "account")))
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"failed": 1, "held": 1, "created": 1})
	b.want(b.rows(i)[:2], "[2 failed (failed, failed) 3 held (held, skipped)]")
	_, err = b.store.Pool().Exec(b.Context(), `alter table w_main.r_contact drop constraint no_dragons`)
	b.ok(err)
	i = b.load(b.check(i))
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"failed": 0, "held": 0, "created": 3})
}

// Two drafts of one type in a row are two records, unless they seem to be the
// same: then the row is held.
func TestTwoDraftsOfAType(t *testing.T) {
	b := start(t)
	b.loaded("contact", "Ref,Last name,E-mail\nK-1,Øksnes,kari@x.example\n")
	i := b.upload("contact", "Name,Mail,Deputy,Deputy mail\nBerg,berg@x.example,Dal,dal@x.example\n"+
		"Li,li@x.example,Berg,\nØksnes,kari@x.example,Øksnes,kari@x.example\nMoe,moe@x.example,Moe,other@x.example\n"+
		"Vik,vik@x.example,,\n")
	i = b.change(i, func(r *mapping.Routine) {
		byMail := []catalog.MatchRule{{Fields: []string{"email"}}}
		r.Drafts = []mapping.Draft{
			{Type: "contact", Match: byMail, Fields: map[string]mapping.Origin{"family_name": {From: []string{"Name"}},
				"email": {From: []string{"Mail"}}, "reports_to": {Draft: "deputy"}}},
			{Name: "deputy", Type: "contact", Match: byMail,
				Fields: map[string]mapping.Origin{"family_name": {From: []string{"Deputy"}},
					"email": {From: []string{"Deputy mail"}}}},
		}
	})
	i = b.check(i)
	b.want(strings.Join(b.codes(i), "\n"), "3 duplicate_row deputy\n4 duplicate_row deputy")
	b.want(strings.Join(b.rows(i), "\n"), "2 create (create, create)\n3 hold (hold, hold)\n4 hold (hold 1, hold 1)\n"+
		"5 create (create, create)\n6 create (create, skip)")
	i = b.load(i)
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"created": 3, "held": 2})
	var linked int
	b.ok(b.store.Pool().QueryRow(b.Context(), `select count(*) from `+schema.Records("main", "contact")+` r
		join `+schema.Records("main", "contact")+` d on d.id = r.`+schema.Value("reports_to")+`
		where (r.`+schema.Value("email")+`, d.`+schema.Value("email")+`) in (('berg@x.example', 'dal@x.example'),
			('moe@x.example', 'other@x.example'))`).Scan(&linked))
	b.want(linked, 2)
}

// Whatever stands in rows of several records: each has one outcome, what the
// check says of every record is what the load does, links lead to the record of
// the row's company, and the same file again changes nothing.
func TestDraftsHoldTheirPromise(t *testing.T) {
	b := start(t)
	b.room.InChunks(7)
	for seed := range uint64(4) {
		r := rand.New(rand.NewPCG(seed, 11))
		one := func(list ...string) string { return list[r.IntN(len(list))] }
		var text strings.Builder
		text.WriteString("Company,Town,Website,Employees,Contact last name,Contact e-mail,Deal no,Deal title,Stage,Expected close\n")
		const rows = 120
		for n := range rows {
			company := one("", fmt.Sprintf("Quay %d-%d", seed, r.IntN(12)), fmt.Sprintf("QUAY %d-%d Ltd", seed, r.IntN(12)))
			line := []string{company, "", "", "", one("", "Berg", "Øksnes", "Li"), "", "", "", "", ""}
			if company != "" {
				line[1], line[2], line[3] = one("", "", "Tern"), one("", "", "", "nonsense web"), one("", "12", "12", "13")
			}
			if line[4] != "" {
				line[5] = one(fmt.Sprintf("p%d-%d@x.example", seed, n), fmt.Sprintf("p%d-%d@x.example", seed, r.IntN(rows)), "bad")
			}
			if r.IntN(3) > 0 {
				line[6], line[7], line[8], line[9] = fmt.Sprintf("D-%d-%d", seed, r.IntN(rows)), "Deal",
					one("scoped", "offered", "unheard of"), one("2027-01-31", "2027-02-30")
			}
			text.WriteString(strings.Join(line, ",") + "\n")
		}
		i := b.upload("opportunity", text.String())
		for _, name := range []string{"account", "contact"} {
			b.ok(b.work.AddDraft(b.Context(), i, mapping.Draft{Type: name}, 0, b.person))
			i = b.wait(i.ID)
		}
		i = b.check(b.change(i, func(r *mapping.Routine) {
			r.Held = []mapping.Held{mapping.HeldRow, mapping.HeldRecord}[seed%2]
			for n, policies := range [][]mapping.Repeats{{mapping.LastWins, mapping.HoldRepeats}, {"", mapping.FirstWins},
				{mapping.MergeRows, mapping.FirstWins}} {
				r.Drafts[n].Repeats = policies[seed/2%2]
			}
			r.Drafts[0].Match = []catalog.MatchRule{{Fields: []string{"source_ref"}}}
			r.Drafts[2].Match = []catalog.MatchRule{{Fields: []string{"email"}}}
		}))
		said := b.parts(i)
		again := b.check(b.again(i))
		b.want(fmt.Sprint(b.parts(again)), fmt.Sprint(said)) // staging is made again from what is kept
		before := b.counts()
		i = b.load(again)
		done := b.parts(i)
		want := map[string]int64{}
		for n, s := range said {
			for d, p := range s {
				if p.Verdict == verdict.Create {
					want[p.Type]++
				}
				if got, is := done[n][d].Outcome, verdict.OutcomeOf(p.Verdict); got != is {
					t.Errorf("seed %d, row %d, %s: the check says %s, the load %s", seed, n, p.Name, p.Verdict, got)
				}
			}
		}
		after := b.counts()
		for typeName, n := range want {
			if after[typeName]-before[typeName] != n {
				t.Errorf("seed %d: %d %s records more, the check said %d", seed, after[typeName]-before[typeName], typeName, n)
			}
		}
		var total int64
		for _, n := range i.Outcomes.V {
			total += n
		}
		b.want(total, i.Rows)
		b.companies(i)

		second := b.upload("opportunity", text.String())
		b.ok(b.work.SetRoutine(b.Context(), second, *i.Routine.V, 0, b.person))
		second = b.check(b.wait(second.ID))
		for n, s := range b.parts(second) {
			for d, p := range s {
				if done[n][d].Outcome != verdict.Held && (p.Verdict == verdict.Create || p.Verdict == verdict.Update) {
					t.Errorf("seed %d, row %d, %s: %s the second time", seed, n, p.Name, p.Verdict)
				}
			}
		}
	}
}

// part is what is said of a draft of a row.
type part struct {
	Name, Type string
	Verdict    verdict.Verdict
	Outcome    verdict.Outcome
	Record     int64 // once it was loaded
	Changes    map[string][2]*string
}

// parts gives what is said of each draft of each row.
func (b *bench) parts(i store.Import) map[int64][]part {
	b.Helper()
	rows, err := b.room.Rows(b.Context(), i, staging.RowFilter{}, 0, -1, 500)
	b.ok(err)
	out := map[int64][]part{}
	for _, r := range rows {
		for _, d := range r.Drafts {
			p := part{Name: d.Name, Type: d.Type, Changes: d.Changes.V}
			if d.Verdict != nil {
				p.Verdict = *d.Verdict
			}
			if d.Outcome != nil {
				p.Outcome = *d.Outcome
				if d.Record != nil {
					p.Record = *d.Record
				}
			}
			out[r.Row] = append(out[r.Row], p)
		}
	}
	return out
}

// counts tells how many records there are of each type.
func (b *bench) counts() map[string]int64 {
	b.Helper()
	out := map[string]int64{}
	for _, name := range []string{"account", "contact", "opportunity"} {
		var n int64
		b.ok(b.store.Pool().QueryRow(b.Context(), `select count(*) from w_main.r_`+name).Scan(&n))
		out[name] = n
	}
	return out
}

// companies sees that what was made from a row belongs to the company that the
// row names, and to none where it names none.
func (b *bench) companies(i store.Import) {
	b.Helper()
	rows, err := b.room.Rows(b.Context(), i, staging.RowFilter{Outcome: "created"}, 0, -1, 500)
	b.ok(err)
	for _, r := range rows {
		for _, p := range r.Drafts {
			if *p.Outcome != verdict.Created || p.Type == "account" {
				continue
			}
			rec := b.record(p.Type, map[string]string{"contact": "CON-", "opportunity": "OPP-"}[p.Type]+fmt.Sprint(*p.Record))
			if got, want := value.NameKey(rec.Links["account"].Title), value.NameKey(r.Cells.V[0]); got != want {
				b.Errorf("row %d: the %s belongs to %q, the row says %q", r.Row, p.Type, got, want)
			}
		}
	}
}

// Lines and tasks have nothing that tells which record they are: a row that is
// equal to one in all that it says is that record, so the same file does not
// make everything twice.
func TestLoadedTwice(t *testing.T) {
	b := start(t)
	b.loaded("account", "Company\nHavneby Havn\n")
	text := "Deal no,Deal,Account,Stage,Expected close,Product,Quantity\n" +
		"D-1,Pier B,Havneby Havn,offered,2027-02-01,Pedestal,4\n,,,,,Charger,2\n,,,,,Charger,2\n" +
		"D-2,Pier C,Havneby Havn,offered,2027-02-01,Charger,2\n"
	b.want(b.load(b.check(b.drafted(text, "opportunity", "line"))).Outcomes.V, map[verdict.Outcome]int64{"created": 4})
	b.want(b.check(b.drafted(text, "opportunity", "line")).Totals.V.Verdicts, map[string]int64{"same": 4})
	more := b.check(b.drafted(text+",,,,,Charger,2\n,,,,,Charger,3\n", "opportunity", "line"))
	b.want(more.Totals.V.Verdicts, map[string]int64{"same": 4, "create": 2})

	tasks := "Subject,Due on,Done\nCall,2026-12-01,no\nCall,2026-12-01,no\nVisit,2026-12-02,\n"
	b.want(b.loaded("task", tasks).Outcomes.V, map[verdict.Outcome]int64{"created": 3})
	b.want(b.loaded("task", tasks).Outcomes.V, map[verdict.Outcome]int64{"unchanged": 3})
}

// Two loads at once that make the same company: the later one holds its row
// instead of making the company twice.
func TestTwoLoadsOfOneCompany(t *testing.T) {
	b := start(t)
	first := b.check(b.drafted("Company,Website,Contact last name\nTern Marina,tern.example,Berg\n", "contact", "account"))
	second := b.check(b.drafted("Company,Town,Contact last name\nTern Marina,Ternvik,Dal\nGull Marina,Gullvik,Li\n",
		"contact", "account"))
	run := b.begun(second, life.Load)
	b.load(first)
	second, err := b.store.Import(b.Context(), "main", second.ID)
	b.ok(err)
	b.ok(b.work.load(b.Context(), run, second))
	second = b.wait(second.ID)
	b.want(second.Outcomes.V, map[verdict.Outcome]int64{"created": 1, "held": 1})
	b.want(b.counts()["account"], int64(2))
	second = b.load(b.check(second))
	b.want(b.counts()["account"], int64(2))
	b.want(b.record("contact", "CON-4").Links["account"].ID, "ACC-1")
}

// A draft that others point to is found by its name where its type's rules are
// followed, and by the routine's own rules alone where it has some.
func TestFoundByName(t *testing.T) {
	b := start(t)
	b.loaded("account", "Company,Town\nTern Marina,Ternvik\n")
	i := b.check(b.drafted("Company,Website,Contact last name\nTERN Marina Ltd,tern.example,Berg\n", "contact", "account"))
	b.want(b.rows(i), "[2 create (create, update 1)]")
	i = b.check(b.change(i, func(r *mapping.Routine) {
		r.Drafts[1].Match = []catalog.MatchRule{{Fields: []string{"email"}}}
		r.Drafts[1].Fields["email"] = mapping.Origin{Fixed: "quay@tern.example"}
	}))
	b.want(b.rows(i), "[2 create (create, create)]")

	// Opportunities are not compared by likeness; they have a name all the same.
	deal := "Deal,Account,Stage,Expected close,Product,Quantity\nPier B,Tern Marina,offered,2027-02-01,Pedestal,4\n"
	b.load(b.check(b.drafted(deal, "opportunity", "line")))
	b.want(b.rows(b.check(b.drafted(deal, "opportunity", "line"))), "[2 same (same 1, same 1)]")
}

// A row that does not say what a deal is called is for none, though it says nothing that a
// deal of its account does not say as well; its lines go to none of them.
func TestNoDealByItsAccountAlone(t *testing.T) {
	b := start(t)
	b.loaded("account", "Name\nQuay House\n")
	b.loaded("opportunity", "Title,Account,Stage,Expected close\nPower for the quay,Quay House,won,2026-12-01\n")
	i := b.upload("opportunity", "Account,Product,Quantity\nQuay House,Pedestal,12\n")
	b.ok(b.work.AddDraft(b.Context(), i, mapping.Draft{Type: "line"}, 0, b.person))
	i = b.check(b.wait(i.ID))
	b.want(b.rows(i), "[2 hold (hold, hold)]")
	i = b.change(i, func(r *mapping.Routine) { r.Drafts[0].Fields["title"] = mapping.Origin{Fixed: "Power for the quay"} })
	b.want(b.rows(b.check(i)), "[2 create (same 1, create)]")
}

// Suggestions for another type than that of the rows look at that type alone; those for the rows
// tell of what country their telephone numbers are.
func TestSuggestionsForAnotherType(t *testing.T) {
	b := start(t)
	i := b.drafted("Company,Town,First name,Surname,Phone\nMarina Sopot Sp. z o.o.,Sopot,Piotr,Nowak,58 555 02 02\n"+
		"Stocznia Wiatr Sp. z o.o.,Gdynia,Zofia,Kowalska,58 555 01 01\n", "account", "contact")
	s, err := b.work.Suggestions(b.Context(), i, "", b.person)
	b.ok(err)
	b.want(s.Home.Country, "PL")
	s, err = b.work.Suggestions(b.Context(), i, "lead", b.person)
	b.ok(err)
	b.want(s.Home.Country, "")
	i = b.wait(i.ID)
	b.ok(b.work.SetReading(b.Context(), i, sheet.Reading{Country: "PL"}, b.person))
	s, err = b.work.Suggestions(b.Context(), b.wait(i.ID), "", b.person)
	b.ok(err)
	b.want(s.Home.Country, "")
}

// Of two drafts of a type that are for one record, in whichever rows, the one that comes first writes it, and the other is
// held: a load can write what the check has said becomes of a field.
func TestTwoDraftsForOneRecord(t *testing.T) {
	b := start(t)
	b.loaded("account", "Number in the old system,Company\nA-1,Gull Marina\n")
	i := b.change(b.upload("account", "Number,Company,Website,Group,Site of the group\n"+
		"A-1,Gull Marina,https://gull.example,,\nA-2,Tern Marina,,A-1,https://group.example\n"), func(r *mapping.Routine) {
		origin := func(h string) mapping.Origin { return mapping.Origin{From: []string{h}} }
		r.Drafts = []mapping.Draft{
			{Type: "account", Fields: map[string]mapping.Origin{"source_ref": origin("Number"), "name": origin("Company"),
				"website": origin("Website")}, Both: mapping.Keep},
			{Type: "account", Name: "group", Fields: map[string]mapping.Origin{"source_ref": origin("Group"), "name": origin("Group"),
				"website": origin("Site of the group")}, Both: mapping.Keep},
		}
	})
	i = b.load(b.check(i))
	b.want(b.rows(i), "[2 updated (updated 1, skipped) 3 held (held, held 1)]")
	b.want(b.record("account", "ACC-1").Values["website"], "https://gull.example")
}
