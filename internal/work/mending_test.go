package work

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/life"
	"uchi/internal/core/verdict"
	"uchi/internal/staging"
)

// mended is a kind of sheet that is put together by chance and mended cell by cell.
type mended struct {
	into    string
	there   [][2]string // what is loaded before: a type and a sheet
	columns []string
	values  map[string][]string
}

var mendedSheets = map[string]mended{
	"people with superiors": {
		into: "contact",
		there: [][2]string{
			{"account", "Name,City\nQuay Marina AS,Bergen\nTern Works Ltd,Plymouth\n"},
			{"contact", "Ref,Given name,Family name,E-mail,Town,Account\nR-1,Ada,Moe,ada@quay.example,Bergen,Quay Marina AS\n" +
				"R-2,Bo,Lie,bo@tern.example,Plymouth,Tern Works Ltd\nR-3,Cyrus,Lie,,Oslo,\n"},
		},
		columns: []string{"Ref", "Given name", "Family name", "E-mail", "Phone", "Birthday", "Town", "Country", "Account", "Reports to"},
		values: map[string][]string{
			"Ref": {"R-1", "N-1", "N-2", "N-3", "", "", ""}, "Given name": {"Ada", "Adda", "Bo", "Cyrus", ""}, "Family name": {"Moe", "Lie", "Okafor"},
			"E-mail": {"ada@quay.example", "bo@tern.example", "cy@skua.example", "", "", "bad"},
			"Phone":  {"55 31 20 01", "+47 55 31 20 01", "01752 496001", ""}, "Birthday": {"1980-02-03", "1981-02-03", "", "31.31.1980"},
			"Town": {"Bergen", "Plymouth", "Oslo", ""}, "Country": {"NO", "GB", ""},
			"Account":    {"Quay Marina AS", "Quay Marina", "Tern Works Ltd", "Nobody Ltd", ""},
			"Reports to": {"Ada Moe", "Moe Ada", "R-2", "N-1", "N-2", "Cyrus Okafor", "mailto:cy@skua.example", "CON-1", "", ""},
		},
	},
	"companies with parents": {
		into: "account",
		there: [][2]string{{"account", "Name,External ID,City,Website,Registration number\nQuay Marina AS,B-1,Bergen,quay.example,NO 1\n" +
			"Tern Works Ltd,B-2,Plymouth,,\nTern Works GmbH,B-3,Husum,,\n"}},
		columns: []string{"Name", "External ID", "City", "Country", "Website", "Phone", "Parent account"},
		values: map[string][]string{
			"Name":        {"Quay Marina AS", "Quay Marina", "Quay Marina Holding AS", "Tern Works", "Tern Works Ltd", "Heron Boats AS", "Heron Boat AS"},
			"External ID": {"B-1", "B-7", "B-8", "", "", ""}, "City": {"Bergen", "Plymouth", "Husum", ""}, "Country": {"NO", "GB", "DE", ""},
			"Website": {"quay.example", "https://www.quay.example/", "heron.example", ""}, "Phone": {"+47 55 31 20 01", "55312001", ""},
			"Parent account": {"Quay Marina Holding AS", "B-7", "Heron Boats", "Tern Works", "ACC-1", "", ""},
		},
	},
	"deals": {
		into: "opportunity",
		there: [][2]string{
			{"account", "Name,City\nQuay Marina AS,Bergen\nTern Works Ltd,Plymouth\n"},
			{"contact", "Given name,Family name,Account\nAda,Moe,Quay Marina AS\nAda,Moe,Tern Works Ltd\nBo,Lie,\n"},
			{"opportunity", "Title,Account,Stage,Expected close\nTwelve pedestals,Quay Marina AS,offered,2027-03-01\n"},
		},
		columns: []string{"Ref", "Title", "Account", "Contact", "Stage", "Amount", "Expected close"},
		values: map[string][]string{
			"Ref": {"D-1", "D-2", "", ""}, "Title": {"Twelve pedestals", "Twelve pedestal", "Lights of pier 2", "Lights of pier 3", ""},
			"Account": {"Quay Marina AS", "Quay Marina", "Tern Works Ltd", "", "Nobody"}, "Contact": {"Ada Moe", "Moe, Ada", "Bo Lie", ""},
			"Stage": {"offered", "won", "perhaps"}, "Amount": {"100", "1200.50", "1.2.3", ""}, "Expected close": {"2027-03-01", "2027-04-01", ""},
		},
	},
	"leads": {
		into: "lead",
		there: [][2]string{
			{"account", "Name,City\nQuay Marina AS,Bergen\n"},
			{"contact", "Given name,Family name,E-mail\nAda,Moe,ada@quay.example\n"},
			{"lead", "Given name,Family name,Company,E-mail,Status\nBo,Lie,Tern Works Ltd,bo@tern.example,new\n"},
		},
		columns: []string{"Given name", "Family name", "Company", "E-mail", "Mobile", "Status", "Estimated value"},
		values: map[string][]string{
			"Given name": {"Ada", "Bo", "B.", "Cyrus", ""}, "Family name": {"Moe", "Lie", "Ly", "Okafor"},
			"Company": {"Quay Marina", "Tern Works", "Tern Works Ltd", "Heron Boats", ""},
			"E-mail":  {"ada@quay.example", "bo@tern.example", "bo.lie@tern.example", "", "bad"}, "Mobile": {"+44 7700 900001", "07700 900001", ""},
			"Status": {"new", "contacted", "odd"}, "Estimated value": {"1000", "1,000", "ten", ""},
		},
	},
}

// A cell set right leaves an import as a check of all rows would, whatever hangs together in it and
// whatever was answered before.
func TestMendingHangsTogether(t *testing.T) {
	for name, m := range mendedSheets {
		t.Run(name, func(t *testing.T) { mendByChance(start(t), m, 3, 6) })
	}
}

// mendByChance puts a sheet together, mends so many of its cells one by one, and compares each time with a
// check of all rows.
func mendByChance(b *bench, m mended, seed uint64, edits int) {
	b.Helper()
	for _, l := range m.there {
		b.loaded(l[0], l[1])
	}
	const rows = 24
	r := rand.New(rand.NewPCG(seed, 7))
	any := func(column string) string { return m.values[column][r.IntN(len(m.values[column]))] }
	text := strings.Join(m.columns, ",") + "\n"
	for range rows {
		var row []string
		for _, c := range m.columns {
			row = append(row, `"`+any(c)+`"`)
		}
		text += strings.Join(row, ",") + "\n"
	}
	i := b.check(b.upload(m.into, text))
	for n := range edits {
		edit := CellEdit{Row: 2 + r.Int64N(rows), Column: m.columns[r.IntN(len(m.columns))]}
		edit.Value = any(edit.Column)
		asked, err := b.room.Questions(b.Context(), i, staging.QuestionFilter{}, 0, 100)
		b.ok(err)
		if n%3 == 2 && len(asked) > 0 {
			q := asked[r.IntN(len(asked))]
			_, err = b.work.Answer(b.Context(), i, []Given{{Row: q.Row, Draft: q.Draft,
				Choice: []verdict.Choice{verdict.ChooseTake, verdict.ChooseNew, verdict.ChooseLeaveOut}[r.IntN(3)]}}, b.person)
			b.ok(err)
			i = b.check(b.again(i))
		}
		_, err = b.work.Edit(b.Context(), i, []CellEdit{edit}, b.person)
		b.ok(err)
		i = b.again(i)
		b.want(i.State, life.Ready)
		part, said, digest := b.rows(i), b.codes(i), i.Digest
		_, err = b.store.Pool().Exec(b.Context(), `update imports set catalogue = 0 where id = $1`, i.ID) // so that all is checked
		b.ok(err)
		i = b.check(i)
		for _, was := range []struct{ got, want []string }{{part, b.rows(i)}, {said, b.codes(i)}} {
			if !slices.Equal(was.got, was.want) || digest != i.Digest {
				b.Fatalf("seed %d, edit %d, %v: mended\n%s\nchecked\n%s\nof\n%s", seed, n+1, edit, differing(was.got, was.want),
					differing(was.want, was.got), text)
			}
		}
	}
}

// differing gives the lines that another list has not.
func differing(list, other []string) string {
	var out []string
	for _, l := range list {
		if !slices.Contains(other, l) {
			out = append(out, fmt.Sprint("  ", l))
		}
	}
	return strings.Join(out, "\n")
}
