package work

import (
	"fmt"
	"strings"
	"testing"

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

// found lists the rows of an import in whose cells a text stands.
func (b *bench) found(i store.Import, text string) string {
	b.Helper()
	rows, err := b.room.Rows(b.Context(), i, staging.RowFilter{Text: text}, 0, -1, 500)
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
		mended, said := i.Digest, i.Totals.V.Verdicts
		b.crash(i) // made anew, the check says the same
		i = b.check(i)
		b.want(i.Totals.V.Verdicts, said)
		if i.Digest != mended {
			t.Errorf("%s: the check made anew says something else of the rows", name)
		}
	}
}
