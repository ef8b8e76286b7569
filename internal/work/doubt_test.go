package work

import (
	"fmt"
	"strings"
	"testing"

	"uchi/internal/core/mapping"
	"uchi/internal/core/verdict"
)

// An older date, an earlier stage and a private mailbox over that at the company are
// told, and what is there stays unless a policy says otherwise.
func TestDoubtfulValues(t *testing.T) {
	b := start(t)
	b.loaded("account", "Source ref,Company,Website\nA-1,Tern Marina,https://www.tern.example\n"+
		"A-2,Gull Marina,gull.example\n")
	b.loaded("contact", "Ref,Family name,E-mail,Birthday,Account\nK-1,Ek,ek@tern.example,1980-04-03,A-1\n"+
		"K-2,Li,li@club.example,,A-1\nK-3,Bo,bo@tern.example,,A-1\n")
	b.loaded("opportunity", deals+"Mooring lines,A-1,agreed,5000,EUR,2026-12-01,D-1\n")
	people := "Ref,Family name,E-mail,Birthday,Account\n" +
		"K-1,Ek,ek@gmail.com,1979-04-03,\n" + // 2 private; the birthday is only another
		"K-2,Li,li@gmail.com,,\n" + // 3 private over one at a club
		"K-3,Bo,bo@gull.example,,A-2\n" // 4 works elsewhere now
	i := b.load(b.check(b.upload("contact", people)))
	b.want(b.codes(i), "[2 doubtful_value email 3 doubtful_value email]")
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"updated": 2, "unchanged": 1})
	b.want(b.record("contact", "CON-1").Values["email"]+" "+b.record("contact", "CON-1").Values["birthday"],
		"ek@tern.example 1979-04-03")
	b.want(b.record("contact", "CON-3").Values["email"], "bo@gull.example")

	pipeline := deals + "Mooring lines,A-1,offered,6000,EUR,2026-10-01,D-1\n"
	with := func(policy mapping.Doubtful) string {
		i := b.check(b.change(b.upload("opportunity", pipeline), func(r *mapping.Routine) { r.Drafts[0].Doubtful = policy }))
		b.want(len(b.codes(i)), map[mapping.Doubtful]int{"": 2, mapping.HoldDoubt: 2, mapping.TakeRows: 0}[policy])
		word := b.rows(i)[0]
		if policy != mapping.HoldDoubt {
			b.load(i)
		}
		r := b.record("opportunity", "OPP-1").Values
		return word + " " + r["stage"] + " " + r["expected_close"] + " " + r["amount"]
	}
	c, err := b.store.Catalog(b.Context(), "main")
	b.ok(err)
	i = b.check(b.upload("opportunity", deals+"Mooring,A-1,won,6000,EUR,2027-01-15,D-1\n"+
		"New,A-1,won,1,EUR,2027-01-15,D-2\n"))
	var out strings.Builder
	b.ok(b.work.WriteOverwrites(b.Context(), i, c, &out))
	b.want(out.String(), "\ufeffRow,Record,Field,There,Becomes\n2,OPP-1,Stage,agreed,won\n"+
		"2,OPP-1,Amount,5000.00,6000.00\n2,OPP-1,Expected close,2026-12-01,2027-01-15\n")
	worst, err := b.room.FirstOverwrites(b.Context(),
		b.check(b.upload("contact", "Ref,Family name,E-mail,Account\nK-1,Ekdahl,,\nK-2,Quist,li@club.example,\n")), 5)
	b.ok(err)
	b.want([]int64{worst[0].Row, worst[1].Row}, "[3 2]") // another name before a longer one
	b.want(with(mapping.HoldDoubt), "2 hold (hold 1) agreed 2026-12-01 5000.00")
	b.want(with(""), "2 update (update 1) agreed 2026-12-01 6000.00")
	b.want(with(mapping.TakeRows), "2 update (update 1) offered 2026-10-01 6000.00")
}

// A fond or short name leaves the full one of a record that a key has found; the full name, another
// spelling and another name are written.
func TestFondNames(t *testing.T) {
	b := start(t)
	b.loaded("contact", "Ref,Given name,Family name,E-mail\nK-1,Katharina,Ek,ek@tern.example\nK-2,Tom,Li,li@tern.example\n"+
		"K-3,Anne,Bo,bo@tern.example\nK-4,Robert,Au,au@tern.example\nK-5,Friedrich,Ost,ost@tern.example\n")
	i := b.check(b.upload("contact", "Ref,Given name,Family name,Job title\nK-1,Kathi,Ek,Skipper\nK-2,Thomas,Li,\n"+
		"K-3,Ann,Bo,\nK-4,Sven,Au,\nK-5,Fritz,Ost,\n"))
	b.want(i.Totals.V.Verdicts, map[verdict.Verdict]int64{"update": 4, "same": 1})
	b.load(i)
	var names []string
	for n := range 5 {
		names = append(names, b.record("contact", fmt.Sprint("CON-", n+1)).Values["given_name"])
	}
	b.want(names, []string{"Katharina", "Thomas", "Ann", "Sven", "Friedrich"})
	b.want(b.record("contact", "CON-1").Values["job_title"], "Skipper")
	again := b.change(b.upload("contact", "Ref,Given name,Family name\nK-5,Fritz,Ost\n"), func(r *mapping.Routine) {
		given := r.Drafts[0].Fields["given_name"]
		given.Both = mapping.Replace
		r.Drafts[0].Fields["given_name"] = given
	})
	b.load(b.check(again))
	b.want(b.record("contact", "CON-5").Values["given_name"], "Fritz") // as somebody has said
}

// A header, and a word for nothing, may have braces, as those of templates do.
func TestBracesInHeaders(t *testing.T) {
	b := start(t)
	b.loaded("contact", "Given name,Family name,E-mail,Phone\nAda,Kade,ada@kade.example,+4722123456\n")
	i := b.upload("contact", "Given name,Family name,E-mail,{field} Phone\nAda,Kade,ada@kade.example,+4622123456\n"+
		"Ada,Kade,ada@kade.example,+4722123456\n")
	i = b.check(b.change(i, func(r *mapping.Routine) {
		r.Drafts[0].Fields["phone"] = mapping.Origin{From: []string{"{field} Phone"}}
	}))
	b.want(b.codes(i), "[2 doubtful_value phone 3 duplicate_row ]")
	b.want(b.codes(b.check(b.change(i, func(r *mapping.Routine) { r.Drafts[0].Doubtful = mapping.TakeRows }))),
		"[3 duplicate_row ]")
}
