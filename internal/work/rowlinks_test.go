package work

import (
	"fmt"
	"strings"
	"testing"

	"uchi/internal/core/life"
	"uchi/internal/core/mapping"
	"uchi/internal/core/verdict"
	"uchi/internal/schema"
	"uchi/internal/store"
)

// parents gives the names of accounts with those of their parents.
func (b *bench) parents() string {
	b.Helper()
	rows, err := b.store.Pool().Query(b.Context(), `
		select a.`+schema.Value("name")+` || coalesce('>' || p.`+schema.Value("name")+`, '')
		from `+schema.Records("main", "account")+` a left join `+schema.Records("main", "account")+` p on p.id = a.`+
		schema.Value("parent")+`
		order by a.id`)
	b.ok(err)
	defer rows.Close()
	var list []string
	for rows.Next() {
		var s string
		b.ok(rows.Scan(&s))
		list = append(list, s)
	}
	return strings.Join(list, " ")
}

// Parents stand further down, name each other in a ring, and themselves; a name that
// two rows have is asked for, and what hangs on a held row is held with it.
const harbours = `Name,External ID,Parent account,Country
Ulvsund,B-1,Kyst Group,NO
Kyst Group,B-2,B-3,NO
Nordkai Holding,B-3,B-2,NO
Selvhavn,B-4,Selvhavn,NO
Twice,B-5,,NO
Twice,B-6,,SE
Under two,B-7,Twice,NO
Bad country,B-8,,Nowhereland
Under bad,B-9,B-8,NO
Far below,B-10,B-9,NO
Alone,B-11,Nobody here,NO
`

func TestLinksToOtherRows(t *testing.T) {
	b := start(t)
	i := b.check(b.upload("account", harbours))
	b.want(strings.Join(b.rows(i), "\n"),
		strings.Join([]string{"2 create (create)", "3 create (create)", "4 create (create)", "5 create (create)",
			"6 create (create)",
			"7 ask (ask)", "8 hold (hold)", "9 hold (hold)", "10 hold (hold)", "11 hold (hold)", "12 hold (hold)"}, "\n"))
	b.want(strings.Join(b.codes(i), "\n"), "8 link_ambiguous parent\n9 bad_country country\n10 link_held parent\n"+
		"11 link_held parent\n12 link_not_found parent")
	// A parent is mended: what hangs on it is free, the check stays the same.
	check := *i.CheckRun
	i = b.mend(i, CellEdit{9, "Country", "NO"}, CellEdit{12, "Parent account", "Under bad"},
		CellEdit{8, "Parent account", "B-5"})
	b.want(*i.CheckRun, check)
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 10, "ask": 1})
	i = b.mend(i, CellEdit{10, "Name", "Renamed"}) // and the child loses it again
	b.want(strings.Join(b.codes(i), "\n"), "12 link_not_found parent")
	i = b.load(b.mend(i, CellEdit{12, "Parent account", "Renamed"}))
	b.want(b.parents(), "Ulvsund>Kyst Group Kyst Group>Nordkai Holding Nordkai Holding>Kyst Group Selvhavn>Selvhavn Twice "+
		"Under two>Twice Bad country Renamed>Bad country Far below>Renamed Alone>Renamed")
	b.want(b.record("account", "ACC-1").Version, 1)
	again := b.check(b.upload("account", harbours))
	b.want(again.Totals.V.Verdicts, map[string]int64{"same": 6, "hold": 4, "ask": 1})
	i = b.undo(i, UndoRequest{})
	b.want(b.outcomes(i), map[verdict.Outcome]int64{"undone": 10, "held": 1})
	b.want(b.parents(), "")
}

// inSteps loads an import in chunks of so many rows, each by a process that has just
// been started, and pauses behind the first of them for somebody else to act.
func (b *bench) inSteps(i store.Import, rows int, between func()) store.Import {
	b.Helper()
	run := b.begun(i, life.Load)
	for n := 0; ; n++ {
		now, err := b.store.Import(b.Context(), "main", i.ID)
		b.ok(err)
		plan, err := mapping.NewPlan(*now.Routine.V, b.catalog(), now.Columns.V)
		b.ok(err)
		l, err := b.room.NewLoad(run, now, plan, b.catalog(), nil)
		b.ok(err)
		b.ok(l.Look(b.Context()))
		ended, err := l.Chunk(b.Context(), rows)
		b.ok(err)
		if ended {
			return b.wait(i.ID)
		}
		if n == 0 {
			between()
		}
	}
}

// A link waits for a record that a later transaction makes, of new records and of
// those that were there, and of one that somebody else has changed meanwhile.
func TestLinksThatWait(t *testing.T) {
	b := start(t)
	b.loaded("account", "Name,External ID,Town\nOld one,B-1,Havn\nOther,B-2,Sund\n")
	const rows = "Name,External ID,Town,Parent account\nOld one,B-1,Vik,Top\nOther,B-2,,Top\nNew,B-3,,Top\n" +
		"Top,B-4,,Old one\n"
	i := b.check(b.upload("account", rows))
	b.want(i.Totals.V.Verdicts, map[string]int64{"update": 2, "create": 2})
	before := b.records("account")
	i = b.inSteps(i, 2, func() {
		b.want(b.record("account", "ACC-1").Links["parent"].ID, "")
		_, err := b.store.Pool().Exec(b.Context(), `update `+schema.Records("main", "account")+
			` set version = version + 1, changed_at = now(), `+schema.Value("locality")+` = 'Else' where id = 2`)
		b.ok(err)
	})
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"updated": 2, "created": 2})
	b.want(b.parents(), "Old one>Top Other>Top New>Top Top>Old one")
	for id, version := range map[string]int{"ACC-1": 2, "ACC-2": 4, "ACC-3": 1, "ACC-4": 1} {
		b.want(fmt.Sprint(id, b.record("account", id).Version), fmt.Sprint(id, version))
	}
	account, _ := b.catalog().Type("account")
	events, err := b.store.History(b.Context(), "main", account, "ACC-1")
	b.ok(err)
	b.want(len(events), 2) // made, and changed once
	again := b.check(b.upload("account", rows))
	b.want(again.Totals.V.Verdicts, map[string]int64{"same": 4})
	b.undo(i, UndoRequest{})
	b.want(b.records("account"), strings.Replace(before, "Sund", "Else", 1))
}
