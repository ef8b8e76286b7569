package work

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/life"
	"uchi/internal/core/mapping"
	"uchi/internal/schema"
	"uchi/internal/staging"
	"uchi/internal/store"
)

// indexesOf counts the indexes on what an import has staged.
func (b *bench) indexesOf(i store.Import) (n int) {
	b.Helper()
	b.ok(b.store.Pool().QueryRow(b.Context(), `select count(*) from pg_indexes where schemaname = 'staging' and tablename like $1`,
		fmt.Sprintf(`i%d\_%%`, i.ID)).Scan(&n))
	return n
}

// found lists the rows of an import in whose cells a text stands: the same whether it was
// looked up beforehand or not, and as many as are counted.
func (b *bench) found(i store.Import, text string) string {
	b.Helper()
	list := b.foundBy(i, staging.RowFilter{Text: text})
	f, err := b.room.Find(b.Context(), i, staging.RowFilter{Text: text})
	b.ok(err)
	b.want(b.foundBy(i, f), list)
	n, err := b.room.CountRows(b.Context(), i, f)
	b.ok(err)
	b.want(n, int64(len(strings.Fields(list))))
	return list
}

// foundBy lists the rows of an import that a filter chooses.
func (b *bench) foundBy(i store.Import, f staging.RowFilter) string {
	b.Helper()
	rows, err := b.room.Rows(b.Context(), i, f, 0, -1, 500)
	b.ok(err)
	var list []string
	for _, r := range rows {
		list = append(list, schema.Int(r.Row))
	}
	return strings.Join(list, " ")
}

// What an import of many rows is made ready by helps for any kind of rows: a text is found at once, and a cell that is
// set right changes what is found and what is counted as it does where nothing was made ready.
func TestImportsAreMadeReadyForMending(t *testing.T) {
	b := start(t)
	b.room.OfMany()
	b.loaded("staff", "Name,E-mail\nIngrid Havnes,ingrid@lanternquay.example\n")
	b.loaded("account", "Name,City,Number\nQuay House,Bergen,A-1\nAnchorby Marina,Oslo,A-2\n")
	type shape struct {
		into, text string
		more       []string // what the rows make beside
		mend       CellEdit
		was        string // what the cell says before
	}
	people := "Ref,Given name,Family name,E-mail,Birthday,Town,Company,Reports to,Owner\n"
	for n := range 40 {
		people += fmt.Sprintf("K-%d,Ada%d,Berg%d,p%d@x%d.example,1980-01-%02d,Bergen,Firm %d AS,,Ingrid Havnes\n", n, n, n/3, n, n%7, n%28+1, n%5)
	}
	deals := "Deal,Account,Stage,Expected close,Amount,Line,Product,Quantity,Unit price\n"
	for n := range 20 {
		deals += fmt.Sprintf("Berths %d,Quay House,offered,2027-03-%02d,1000,%d,Post 16 A,%d,12.50\n", n/4, n/4+1, (n%4+1)*10, n+1)
	}
	for name, x := range map[string]shape{
		"people":               {"contact", people, nil, CellEdit{9, "E-mail", "mended@x.example"}, "p7@x0.example"},
		"people and companies": {"contact", people, []string{"account"}, CellEdit{9, "Company", "Mended AS"}, "p7@x0.example"},
		"companies with parents": {"account", "Name,City,Parent\nNorth,Oslo,Group\nSouth,Oslo,Group\nGroup,Oslo,\nEast,Moss,North\n", nil,
			CellEdit{5, "City", "Mended"}, "moss"},
		"deals with lines": {"opportunity", deals, []string{"line"}, CellEdit{4, "Product", "Mended 32 A"}, "berths 0"},
		"tasks": {"task", "Subject,Due,Account,Done\nRing,2027-01-02,Quay House,no\nWrite,2027-01-03,Anchorby Marina,yes\n", nil,
			CellEdit{3, "Subject", "Mended"}, "write"},
		"leads": {"lead", "Company,Given name,Family name,E-mail,Mobile,Met on\nSkua AS,Ada,Berg,ada@skua.example,+4791234567,2026-05-01\n" +
			"Tern AS,Bo,Li,bo@tern.example,+4791234568,2026-05-02\n", nil, CellEdit{3, "Company", "Mended AS"}, "tern as"},
	} {
		i := b.check(b.drafted(x.text, x.into, x.more...))
		plan, c, err := b.work.planOf(b.Context(), i)
		b.ok(err)
		before := b.indexesOf(i)
		for range 2 { // a second time changes nothing
			if err := b.room.ReadyForMending(b.Context(), i, plan, c); err != nil {
				t.Fatalf("%s: %v", name, err)
			}
		}
		if ready := b.indexesOf(i); ready < before+5 {
			t.Errorf("%s: %d indexes where there were %d", name, ready, before)
		}
		if got := b.found(i, x.was); !strings.Contains(" "+got+" ", fmt.Sprintf(" %d ", x.mend.Row)) {
			t.Errorf("%s: %q stands in %s", name, x.was, got)
		}
		b.want(b.found(i, "mended"), "")
		i = b.mend(i, x.mend)
		b.want(b.found(i, "mended"), fmt.Sprint(x.mend.Row))
		for _, column := range i.Headers() {
			f, err := Filter(i, column, staging.RowFilter{Text: "mended"})
			b.ok(err)
			f, err = b.room.Find(b.Context(), i, f)
			b.ok(err)
			b.want(b.foundBy(i, f), map[bool]string{true: fmt.Sprint(x.mend.Row)}[column == x.mend.Column])
		}
		mended, said := i.Digest, i.Totals.V.Verdicts
		b.crash(i) // made anew, the check says the same
		i = b.check(i)
		b.want(i.Totals.V.Verdicts, said)
		if i.Digest != mended {
			t.Errorf("%s: the check made anew says something else of the rows", name)
		}
	}
}

// What many rows have is counted beforehand, and stays counted right from one mended cell to the next; what is
// found with it is what a check of all rows finds.
func TestWhatManyRowsHaveStaysCounted(t *testing.T) {
	b := start(t)
	r := rand.New(rand.NewPCG(3, 8))
	given, family := []string{"Ada", "Bo", "Cyrus", "Dora", "Even"}, []string{"Berg", "Berg", "Berg", "Berg", "Li", "Ruud"}
	text := "Given name,Family name,E-mail,Town,Company,Company town\n"
	for n := range 420 {
		text += fmt.Sprintf("%s,%s,p%d@quay.example,Bergen,Firm %d AS,Oslo\n", given[r.IntN(5)], family[r.IntN(6)], n, n/3)
	}
	i := b.check(b.drafted(text, "contact", "account"))
	plan, c, err := b.work.planOf(b.Context(), i)
	b.ok(err)
	b.ok(b.room.ReadyForMending(b.Context(), i, plan, c))
	counted := func(i store.Import, draft int) (n int64, wrong string) {
		name := func(part string) string { return fmt.Sprintf("staging.i%d_r%d_d%d_%s", i.ID, *i.CheckRun, draft, part) }
		b.ok(b.store.Pool().QueryRow(b.Context(), `
			with keys as (select k.*, not exists (select from `+name("aside")+` a where a.row_no = k.row_no) as stays from `+name("keys")+` k),
			now as (
				select 0 as kind, 0 as code, count(*) as n from keys
				union all select 1, t, count(*) from keys, unnest(terms) t group by t
				union all select 2, b, count(*) filter (where stays) from keys, unnest(blocks) b group by b
			)
			select count(*), coalesce(string_agg(format('%s %s: %s for %s', o.kind, o.code, o.n, now.n), ', ')
				filter (where o.n <> now.n or now.n is null), '')
			from `+name("often")+` o left join now on now.kind = o.kind and now.code = o.code`).Scan(&n, &wrong))
		return n, wrong
	}
	for range 5 {
		edits := []CellEdit{
			{2 + r.Int64N(420), "Family name", family[r.IntN(6)]}, {2 + r.Int64N(420), "Town", []string{"Oslo", "Moss"}[r.IntN(2)]},
			{2 + r.Int64N(420), "Company", fmt.Sprintf("Firm %d AS", r.IntN(200))},
			{2 + r.Int64N(420), "E-mail", fmt.Sprintf("p%d@quay.example", r.IntN(500))},
		}
		_, err := b.work.Edit(b.Context(), i, edits, b.person)
		b.ok(err)
		held := *i.CheckRun
		i = b.again(i)
		b.want(*i.CheckRun, held) // not all were checked
		for _, draft := range []int{1, 2} {
			n, wrong := counted(i, draft)
			b.want(wrong, "")
			if draft == 1 && n < 5 {
				t.Fatalf("only %d values are counted of draft %d", n, draft)
			}
		}
	}
	mended, part := i.Digest, b.rows(i)
	b.crash(i)
	i = b.check(i)
	b.want(b.rows(i), part)
	b.want(i.Digest, mended)
}

// Mended one cell after the other, rows that hold a person and a company say what a check of all of them would say:
// whom they are like and repeat, which company they belong to, what is held for another.
func TestMendingSeveralRecordsIsAsGoodAsChecking(t *testing.T) {
	b := start(t)
	b.loaded("account", "Name,City\nQuay Marina AS,Bergen\nTern Works Ltd,Plymouth\nSkua Sails,Oslo\n")
	b.loaded("contact", "Given name,Family name,E-mail,Town\nAda,Moe,ada@quay.example,Bergen\nBo,Lie,bo@tern.example,Plymouth\n")
	r := rand.New(rand.NewPCG(11, 29))
	values := map[string][]string{
		"Given name": {"Ada", "Adda", "Bo", "Cyrus", ""}, "Family name": {"Moe", "Lie", "Okafor", ""},
		"E-mail": {"ada@quay.example", "bo@tern.example", "cy@skua.example", "bad", ""},
		"Firm":   {"Quay Marina AS", "Quay Marina", "Quai Marina AS", "Tern Works Ltd", "Tern Works", "Heron Boats", ""},
		"Town":   {"Bergen", "Plymouth", "Oslo", ""},
	}
	columns := []string{"Given name", "Family name", "E-mail", "Firm", "Town"}
	any := func(column string) string { return values[column][r.IntN(len(values[column]))] }
	text := strings.Join(columns, ",") + "\n"
	const rows = 30
	for range rows {
		var row []string
		for _, c := range columns {
			row = append(row, any(c))
		}
		text += strings.Join(row, ",") + "\n"
	}
	i := b.drafted(text, "contact", "account")
	i = b.check(b.change(i, func(r *mapping.Routine) {
		for n := range r.Drafts {
			if r.Drafts[n].Type == "account" {
				r.Drafts[n].Fields["name"] = mapping.Origin{From: []string{"Firm"}}
				r.Drafts[n].Fields["locality"] = mapping.Origin{From: []string{"Town"}}
			}
		}
	}))
	plan, c, err := b.work.planOf(b.Context(), i)
	b.ok(err)
	b.ok(b.room.ReadyForMending(b.Context(), i, plan, c))
	partly := 0
	for n := range 14 {
		column, held := columns[r.IntN(len(columns))], *i.CheckRun
		_, err := b.work.Edit(b.Context(), i, []CellEdit{{2 + r.Int64N(rows), column, any(column)}}, b.person)
		b.ok(err)
		i = b.again(i)
		b.want(i.State, life.Ready)
		if *i.CheckRun == held {
			partly++
		}
		part, digest := b.rows(i), i.Digest
		_, err = b.store.Pool().Exec(b.Context(), `update imports set catalogue = 0 where id = $1`, i.ID) // so that all is checked
		b.ok(err)
		whole := b.check(i)
		if got := b.rows(whole); !slices.Equal(got, part) || whole.Digest != digest {
			t.Fatalf("edit %d, of %s: mended the rows are\n%s\nand checked\n%s", n+1, column, part, got)
		}
		i = whole
	}
	if partly < 8 {
		t.Errorf("only %d of 14 edits were checked by themselves", partly)
	}
}
