package work

import (
	"cmp"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/life"
	"uchi/internal/core/mapping"
	"uchi/internal/core/verdict"
	"uchi/internal/schema"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
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
	b.room.OfMany()
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

// namedRow is a person of a list, or a record (with an id), as the plain reference sees them.
type namedRow struct {
	row                int64 // 0 of a record
	id                 string
	ref, given, family string
}

// named says, by the plain reference, what a text names: the records and rows of that number, else of
// that name in either order, a record before rows of numbers and beside rows of names.
func named(text string, records, rows []namedRow) (list []string) {
	if text == "" {
		return nil
	}
	words := strings.Fields(strings.ToLower(text))
	called := func(p namedRow, turned bool) bool {
		own := []string{strings.ToLower(p.given), strings.ToLower(p.family)}
		if turned {
			own[0], own[1] = own[1], own[0]
		}
		return slices.Equal(own, words)
	}
	all := func(of []namedRow, good func(namedRow) bool) (found []string) {
		for _, p := range of {
			if good(p) {
				found = append(found, cmp.Or(p.id, fmt.Sprint("row ", p.row)))
			}
		}
		return found
	}
	byRef := func(p namedRow) bool { return strings.EqualFold(p.ref, text) }
	byName := func(of []namedRow) []string {
		if straight := all(of, func(p namedRow) bool { return called(p, false) }); len(straight) > 0 {
			return straight
		}
		return all(of, func(p namedRow) bool { return called(p, true) })
	}
	if found := all(records, byRef); len(found) > 0 {
		return found
	}
	there := byName(records)
	if len(there) > 1 {
		return there
	}
	if found := all(rows, byRef); len(found) > 0 {
		return append(there, found...)
	}
	if len(there) == 1 { // only those of the very name beside it
		return append(there, all(rows, func(p namedRow) bool { return called(p, false) })...)
	}
	return byName(rows)
}

// What a superior's text names in lists put together by chance is what a plain reference says, in a check
// of all rows as in checks of those that were mended one by one.
func TestTextsThatNameRows(t *testing.T) {
	b := start(t)
	r := rand.New(rand.NewPCG(101, 4))
	given, family := []string{"Ada", "Bo", "Cai", "Dag"}, []string{"Berg", "Lund", "Moe", "Vik"}
	pick := func(from []string) string { return from[r.IntN(len(from))] }
	var records []namedRow
	text := "Ref,Given name,Family name\n"
	for n := range 6 {
		p := namedRow{id: fmt.Sprint("CON-", n+1), ref: fmt.Sprint("R-", n+1), given: pick(given), family: pick(family)}
		records = append(records, p)
		text += p.ref + "," + p.given + "," + p.family + "\n"
	}
	loaded := b.upload("contact", text)
	b.load(b.check(b.exactly(loaded, "source_ref")))

	someName := func() string {
		switch g, f := pick(given), pick(family); r.IntN(7) {
		case 0:
			return fmt.Sprint("R-", 1+r.IntN(8))
		case 1, 2:
			return fmt.Sprint("N-", 1+r.IntN(30))
		case 3:
			return f + " " + g
		case 4:
			return ""
		default:
			return g + " " + f
		}
	}
	var rows []namedRow
	var names []string
	text = "Ref,Given name,Family name,Reports to\n"
	for n := range 24 {
		p := namedRow{row: int64(n + 2), ref: fmt.Sprint("N-", n+1), given: pick(given), family: pick(family)}
		rows, names = append(rows, p), append(names, someName())
		text += p.ref + "," + p.given + "," + p.family + "," + names[n] + "\n"
	}
	i := b.check(b.exactly(b.upload("contact", text), "source_ref"))
	compare := func(what string) {
		t.Helper()
		said := map[int64]string{}
		for _, line := range b.codes(i) {
			var row int64
			var code, field string
			if _, err := fmt.Sscan(line, &row, &code, &field); err == nil && field == "reports_to" && code != "link_held" {
				said[row] = code
			}
		}
		leads := map[int64]int64{} // the id of a record, or a row's number below 0
		staged := fmt.Sprintf("staging.i%d_r%d_d1_", i.ID, *i.CheckRun)
		list, err := b.store.Pool().Query(b.Context(), `select d.row_no, coalesce(x.record_id, 0) from `+staged+`draft d join `+staged+
			`links x on x.field = 'reports_to' and x.lookup = d.l_reports_to`)
		b.ok(err)
		var row, to int64
		_, err = pgx.ForEachRow(list, []any{&row, &to}, func() error { leads[row] = to; return nil })
		b.ok(err)
		for n, p := range rows {
			found, code, to := named(names[n], records, rows), "", int64(0)
			switch {
			case names[n] == "":
			case len(found) == 0:
				code = "link_not_found"
			case len(found) > 1:
				code = "link_ambiguous"
			case strings.HasPrefix(found[0], "row "):
				_, err = fmt.Sscanf(found[0], "row %d", &to)
				to = -to
			default:
				_, err = fmt.Sscanf(found[0], "CON-%d", &to)
			}
			b.ok(err)
			if said[p.row] != code || leads[p.row] != to {
				t.Errorf("%s: row %d, %q: %q and %d, want %q and %d (%v)", what, p.row, names[n], said[p.row], leads[p.row], code, to, found)
			}
		}
	}
	compare("all rows")
	for n := range 25 {
		at := r.IntN(len(rows))
		edit := CellEdit{Row: rows[at].row}
		switch r.IntN(4) {
		case 0:
			was := rows[at].family
			for rows[at].family == was {
				rows[at].family = pick(family)
			}
			edit.Column, edit.Value = "Family name", rows[at].family
		case 1:
			rows[at].ref = fmt.Sprint("N-", 40+n)
			edit.Column, edit.Value = "Ref", rows[at].ref
		default:
			was := names[at]
			for names[at] == was {
				names[at] = someName()
			}
			edit.Column, edit.Value = "Reports to", names[at]
		}
		i = b.mend(i, edit)
		compare(fmt.Sprint("mend ", n, " ", edit))
		if t.Failed() {
			return
		}
	}
}

// A text that is another spelling of a row's key is checked again with it.
func TestOtherSpellingsOfARowsKey(t *testing.T) {
	b := start(t)
	i := b.check(b.exactly(b.upload("contact", "Ref,Family name,E-mail,Reports to\nK-1,Berg,ada@x.example,\nK-2,Li,,mailto:ada@x.example\n"),
		"source_ref"))
	b.want(len(b.codes(i)), 0)
	i = b.mend(i, CellEdit{2, "E-mail", "else@x.example"})
	b.want(strings.Join(b.codes(i), "\n"), "3 link_not_found reports_to")
	i = b.mend(i, CellEdit{2, "E-mail", "ada@x.example"})
	b.want(len(b.codes(i)), 0)
	i = b.mend(i, CellEdit{3, "Reports to", "Ada <ada@x.example>"})
	b.want(len(b.codes(i)), 0)
}

// A row that hangs in a short chain is checked again with it; of a long one all rows are, and say the same.
func TestMendingInAChain(t *testing.T) {
	b := start(t)
	for _, n := range []int{12, 240} {
		text := "Name,External ID,Parent account,Country\n"
		for k := range n {
			text += fmt.Sprintf("Quay %d,B%d-%d,B%d-%d,NO\n", k, n, k, n, k+1)
		}
		text += fmt.Sprintf("Top,B%d-%d,,NO\n", n, n)
		i := b.check(b.exactly(b.upload("account", text), "source_ref"))
		b.want(i.Totals.V.Verdicts, map[string]int64{"create": int64(n + 1)})
		check := *i.CheckRun
		i = b.mend(i, CellEdit{int64(n + 2), "Country", "Nowhereland"})
		b.want(i.Totals.V.Verdicts, map[string]int64{"hold": int64(n + 1)})
		b.want(*i.CheckRun == check, n == 12)
		i = b.mend(i, CellEdit{int64(n + 2), "Country", "NO"})
		b.want(i.Totals.V.Verdicts, map[string]int64{"create": int64(n + 1)})
	}
}
