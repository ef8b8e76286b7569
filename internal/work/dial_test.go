package work

import (
	"strings"
	"testing"

	"uchi/internal/core/sheet"
	"uchi/internal/store"
)

// Numbers without a country are those of the row's country, else of the company's, else of
// the source's.
func TestPhonesOfTheCompanysCountry(t *testing.T) {
	b := start(t)
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
	said := func(row int64) string {
		r, err := b.work.RowAsRecord(b.Context(), i, row)
		b.ok(err)
		for _, v := range r.Drafts[0].Values {
			if v.Field.Name == "phone" {
				return v.After + " " + v.Why
			}
		}
		return ""
	}
	b.want(said(2), "+4533816250 read as a number of DK, where the company is")
	b.want(said(4), "+4755153170 ")
	// A cell that is mended is read as before.
	i = b.mend(i, CellEdit{2, "Phone", "33 81 62 51"})
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 5, "hold": 1})
	b.want(said(2), "+4533816251 read as a number of DK, where the company is")
	b.want(phones(i), "+4533816251 +4520123456 +49405361361 +491711234567 +4755153170 +4755153171 +4755153172")

	// So they are where the company is another record of the row, which is found.
	i = b.drafted("Family name,Company,Company street,Phone\nQuist,Tangby Havn,Havnegade 1,33 81 62 70\nRask,New Quay,Kai 1,55 15 31 77\n", "contact", "account")
	b.ok(b.work.SetReading(b.Context(), i, sheet.Reading{Country: "NO"}, b.person))
	b.load(b.check(b.wait(i.ID)))
	b.want(b.record("contact", "CON-6").Values["phone"]+" "+b.record("contact", "CON-7").Values["phone"], "+4533816270 +4755153177")
}
