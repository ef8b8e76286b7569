package work

import (
	"strings"
	"testing"

	"uchi/internal/core/sheet"
	"uchi/internal/store"
)

// phoneOf gives the telephone number that a row has, with why it is read so.
func (b *bench) phoneOf(i store.Import, row int64) string {
	b.Helper()
	r, err := b.work.RowAsRecord(b.Context(), i, row)
	b.ok(err)
	for _, v := range r.Drafts[0].Values {
		if v.Field.Name == "phone" {
			return v.After + " " + v.Why
		}
	}
	return ""
}

// Numbers without a country are those of the row's country, else of the company's, else of
// the source's.
func TestPhonesOfTheCompanysCountry(t *testing.T) {
	b := start(t)
	b.room.OfMany()
	b.loaded("account", "Name,Country\nTangby Havn,DK\nLeuchtholm Marina,DE\nKalvøya Marina,NO\nNowhere Quay,\n")
	phones := func(i store.Import) string {
		b.load(i)
		var list []string
		for _, row := range strings.Split(b.records("contact"), "\n") {
			for _, part := range strings.Split(row, `"`) {
				if strings.HasPrefix(part, "+") {
					list = append(list, part)
				}
			}
		}
		return strings.Join(list, " ")
	}
	i := b.upload("contact", strings.Join([]string{"Family name,Company,Phone,Mobile",
		"Berg,Tangby Havn,33 81 62 50,20 12 34 56",      // Danish, though it can be Norwegian
		"Li,Leuchtholm Marina,040 5361361,0171 1234567", // no Norwegian number at all
		"Moe,Kalvøya Marina,55 15 31 70,",               // as the source says
		"Nau,Nowhere Quay,55 15 31 71,",                 // the company says none
		"Ost,Leuchtholm Marina,+47 55 15 31 72,",        // says it itself
		"Pihl,Leuchtholm Marina,12,",                    // no number of either
	}, "\n"))
	b.ok(b.work.SetReading(b.Context(), i, sheet.Reading{Country: "NO"}, b.person))
	i = b.check(b.wait(i.ID))
	b.want(b.codes(i), []string{"7 bad_phone phone"})
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 5, "hold": 1})
	b.want(b.phoneOf(i, 2), "+4533816250 read as a number of DK, where the company is")
	b.want(b.phoneOf(i, 4), "+4755153170 ")
	// A cell that is mended is read as before.
	i = b.mend(i, CellEdit{2, "Phone", "33 81 62 51"})
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 5, "hold": 1})
	b.want(b.phoneOf(i, 2), "+4533816251 read as a number of DK, where the company is")
	b.want(phones(i), "+4533816251 +4520123456 +49405361361 +491711234567 +4755153170 +4755153171 +4755153172")

	// So they are where the company is another record of the row, which is found.
	i = b.drafted("Family name,Company,Company street,Phone\nQuist,Tangby Havn,Havnegade 1,33 81 62 70\n"+
		"Rask,New Quay,Kai 1,55 15 31 77\n", "contact", "account")
	b.ok(b.work.SetReading(b.Context(), i, sheet.Reading{Country: "NO"}, b.person))
	b.load(b.check(b.wait(i.ID)))
	b.want(b.record("contact", "CON-6").Values["phone"]+" "+b.record("contact", "CON-7").Values["phone"],
		"+4533816270 +4755153177")
}

// Where neither the row nor its company nor the source tells the country of a number, the town
// does, when the other rows that name it all put it into one country.
func TestPhonesOfTheTownsCountry(t *testing.T) {
	b := start(t)
	i := b.upload("lead", strings.Join([]string{"Family name,Company,Phone,Town,Region,Country",
		"Amsel,A Yard,+49 341 5550101,Leipzig,,DE",
		"Birke,B Yard,,LEIPZIG,,Germany",
		"Clas,C Yard,0341 5550103,Leipzig,,",   // so it is German
		"Dorn,D Yard,341 5550104,Leipzig,,",    // no number as it is dialled there
		"Ebel,E Yard,01632 960105,Halden,,",    // one row alone says where that is
		"Fisk,F Yard,,Halden,,NO",              //
		"Gray,G Yard,,Cambridge,,GB",           // two rows say two countries
		"Hill,H Yard,,Cambridge,,US",           //
		"Ives,I Yard,01632 960109,Cambridge,,", //
		"Jay,J Yard,,Boston,Lincolnshire,GB",   // a Boston of another region
		"Kerr,K Yard,,Boston,Lincolnshire,GB",  //
		"Lund,L Yard,01632 960112,Boston,Massachusetts,",
		"Moss,M Yard,01632 960113,Boston,lincolnshire,",
		"Nash,N Yard,01632 960114,,,", // no town either
	}, "\n"))
	i = b.check(i)
	b.want(b.codes(i), []string{"5 bad_phone phone", "6 bad_phone phone", "10 bad_phone phone", "13 bad_phone phone",
		"15 bad_phone phone"})
	b.want(b.phoneOf(i, 4), "+493415550103 read as a number of DE, where other rows say that the town is")
	b.want(b.phoneOf(i, 14), "+441632960113 read as a number of GB, where other rows say that the town is")

	// What a row says of a town is taken back from the others when it is mended, and lent to
	// them; a check of all rows says the same.
	i = b.mend(i, CellEdit{3, "Country", "Austria"})
	b.want(b.codes(i), []string{"4 bad_phone phone", "5 bad_phone phone", "6 bad_phone phone", "10 bad_phone phone",
		"13 bad_phone phone", "15 bad_phone phone"})
	i = b.mend(i, CellEdit{3, "Country", "DE"}, CellEdit{9, "Country", "GB"}, CellEdit{15, "Town", "Boston"})
	b.want(b.codes(i), []string{"5 bad_phone phone", "6 bad_phone phone", "13 bad_phone phone"})
	i = b.check(i)
	b.want(b.codes(i), []string{"5 bad_phone phone", "6 bad_phone phone", "13 bad_phone phone"})
	i = b.mend(i, CellEdit{11, "Region", "Lincoln"}, CellEdit{12, "Region", "Lincoln"})
	b.want(b.codes(i), []string{"5 bad_phone phone", "6 bad_phone phone", "13 bad_phone phone", "14 bad_phone phone"})
}
