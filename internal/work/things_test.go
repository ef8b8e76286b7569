package work

import (
	"fmt"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/mapping"
	"uchi/internal/core/verdict"
)

const deals = "Title,Account,Stage,Amount,Currency,Expected close,Ref\n"

// Opportunities without a number are found by their title and account: a changed
// stage is an update and not a second deal; another date, or a title with a slip,
// is asked; another account or figure is another deal.
func TestDealsWithoutNumber(t *testing.T) {
	b := start(t)
	b.loaded("account", "Source ref,Company\nA-1,Tern Marina\nA-2,Gull Marina\n")
	b.loaded("opportunity", deals+
		"Mooring lines,A-1,offered,5000,EUR,2026-12-01,D-1\n"+
		"Berth 12 rebuilt,A-1,scoped,90000,EUR,2027-03-01,D-2\n"+
		"Season contract,A-2,won,2000,EUR,2026-01-15,D-3\n")
	i := b.check(b.upload("opportunity", deals+
		"Mooring lines,A-1,agreed,5000,EUR,2026-12-01,\n"+ // 2 the stage moved on
		"MOORING  LINES,A-2,offered,5000,EUR,2026-12-01,\n"+ // 3 of another account
		"Berth 14 rebuilt,A-1,scoped,90000,EUR,2027-03-01,\n"+ // 4 another berth
		"Season contract,A-2,offered,2100,EUR,2027-01-15,\n"+ // 5 the next season's, or put off
		"Morring lines,A-1,offered,5200,EUR,2026-12-01,\n"+ // 6 a slip
		"Mooring lines,A-1,offered,700,EUR,2026-12-01,D-9\n")) // 7 another number than the record that row 2 is
	b.want(b.rows(i), "[2 update (update 1) 3 create (create) 4 create (create) 5 ask (ask) 6 ask (ask) 7 ask (ask)]")
	for row, against := range map[int64]string{5: "[other_day]", 6: "[loose_name]"} {
		q, err := b.work.Question(b.Context(), i, row, "")
		b.ok(err)
		b.want(q.Candidates[0].Against.V, against)
	}
}

// Lines are found by deal and product, those that are equal in all first: a changed
// quantity is no second line, and a deal may have two lines of one product.
func TestLinesWithoutNumber(t *testing.T) {
	b := start(t)
	b.loaded("account", "Source ref,Company\nA-1,Tern Marina\n")
	b.loaded("opportunity", deals+"Mooring lines,A-1,offered,5000,EUR,2026-12-01,D-1\n")
	const head = "Opportunity,Product,Quantity,Unit price\n"
	sheet := head + "D-1,Rope,10,5\nD-1,Rope,10,5\nD-1,Cleat,4,20\nD-1,Buoy,1,90\n"
	i := b.load(b.check(b.upload("line", sheet)))
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"created": 4})
	b.want(b.check(b.upload("line", sheet)).Totals.V.Verdicts, map[string]int64{"same": 4})
	i = b.check(b.upload("line", head+"D-1,Rope,10,5\nD-1,rope,12,5\nD-1,Cleat,6,20\nD-1,Fender,2,30\nD-1,Fender,2,35\n"))
	b.want(b.rows(i), "[2 same (same 1) 3 update (update 2) 4 update (update 3) 5 create (create) 6 create (create)]")

	// Another product at the place of a line that no other row is for is perhaps the line itself.
	const placed = "Opportunity,Position,Product,Quantity,Unit price\n"
	b.loaded("opportunity", deals+"Crane,A-1,offered,5000,EUR,2026-12-01,D-2\n")
	b.loaded("line", placed+"D-2,1,Crane 10 t,1,480\nD-2,2,Mounting,1,20\n")
	i = b.check(b.upload("line", placed+"D-2,1,Survey,1,5\nD-2,2,Crane 10 t,1,490\nD-2,3,Mounting,1,20\n"))
	b.want(b.rows(i), "[2 create (create) 3 update (update 5) 4 update (update 6)]")
	i = b.check(b.upload("line", placed+"D-2,1,Crane 12 t,1,520\nD-2,2,Mounting,2,20\nD-2,3,Bollard,8,10\n"))
	b.want(b.rows(i), "[2 ask (ask) 3 update (update 6) 4 create (create)]")
}

func TestTasksWithoutNumber(t *testing.T) {
	b := start(t)
	b.loaded("account", "Source ref,Company\nA-1,Tern Marina\nA-2,Gull Marina\n")
	const head = "Subject,Due on,Done,Account\n"
	b.loaded("task", head+"Call about the mooring,2026-12-01,no,A-1\nCall about the mooring,2026-12-01,no,A-2\n")
	i := b.check(b.upload("task", head+"Call about the mooring,2026-12-01,yes,A-1\n"+
		"Call about the mooring,2027-02-01,no,A-1\nSend the offer,2026-12-01,no,A-1\n"))
	b.want(b.rows(i), "[2 update (update 1) 3 ask (ask) 4 create (create)]")
}

// Who says by what records are found is told when no column gives it, instead of every row making another record.
func TestRulesThatNoColumnGives(t *testing.T) {
	b := start(t)
	i := b.change(b.upload("account", "Company,Town\nTern,Oslo\n"), func(r *mapping.Routine) {
		r.Drafts[0].Match = []catalog.MatchRule{{Fields: []string{"source_ref"}}}
	})
	if err := b.work.Check(b.Context(), i, b.person); !fault.Is(err, "rules_without_columns") {
		t.Fatalf("checked by rules that find nothing: %v", err)
	}
	i = b.change(i, func(r *mapping.Routine) {
		r.Drafts[0].Match = append(r.Drafts[0].Match, catalog.MatchRule{Fields: []string{"name"}, Alike: []string{"locality"}})
	})
	b.want(b.check(i).Totals.V.Verdicts, map[verdict.Verdict]int64{"create": 1})
}

// A rule may compare any fields. What it finds alone is taken when it tells nearly
// all records apart, which is measured on them; else it is asked.
func TestRulesOfAnyFields(t *testing.T) {
	b := start(t)
	b.loaded("contact", "Family name,Job title,Street\n"+lines("", 300, func(n int) string {
		return fmt.Sprintf("Ek %s,Harbour master %d,Quay %d", strings.Repeat("x", n%7), n, n%40)
	})[1:])
	rules := func(fields ...string) []string {
		i := b.change(b.upload("contact", "Family name,Job title,Street\nNy,harbour MASTER 7,Quay 7\n"+
			"Ny,Harbour master 900,Quay 9\n"), func(r *mapping.Routine) {
			r.Drafts[0].Match = []catalog.MatchRule{{Fields: fields}}
		})
		return b.rows(b.check(i))
	}
	b.want(rules("job_title"), "[2 update (update 8) 3 create (create)]")
	b.want(rules("job_title", "street"), "[2 update (update 8) 3 create (create)]")
	b.want(rules("street"), "[2 ask (ask) 3 ask (ask)]")
}
