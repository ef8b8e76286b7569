package suggest

import (
	"fmt"
	"strings"
	"testing"

	"uchi/internal/core/sheet"
)

// Columns whose headers say nothing are told by their cells and by each other.
func TestColumnsToldByEachOther(t *testing.T) {
	titles := "Cold store extension|Labelling for two sites|Pilot, one line|Mezzanine floor in the old hall|Replacement of six trucks|Packing line upgrade|New pedestals for quay seven|Metering in the north basin|Winter storage for twelve boats"
	remarks := "spoke to the assistant, very helpful|uses a competitor now|gate code is needed for deliveries|prefers calls before ten|invoice goes to the head office|wants to see one running first|asked for a discount again|the board decides in spring|"
	amounts := "72,500|1,250|36,000|18,000|4,800|49,491|977|117,313|2,400"
	early := "23/12/2025|09/01/2026|22/01/2026|25/12/2025|15/11/2025|05/08/2025|11/08/2025|17/12/2025|13/08/2025"
	late := "25/07/2026|20/08/2026|13/09/2026|10/02/2027|13/08/2026|03/10/2026|19/12/2026|19/10/2026|20/08/2026"
	for name, x := range map[string]struct{ columns, want string }{
		"all":                {"Text 1=" + titles + ";Number 1=" + amounts + ";Date 1=" + early + ";Date 2=" + late + ";Text 2=" + remarks, "Text 1 title, Number 1 amount, Date 1 opened_on, Date 2 expected_close"},
		"days the other way": {"A=" + late + ";B=" + early, "A expected_close, B opened_on"},
		"days mixed":         {"A=" + early + ";B=" + strings.Replace(early, "23/12/2025", "24/12/2025", 1), ""},
		"two of amounts":     {"A=" + amounts + ";B=" + strings.ReplaceAll(amounts, "0", "1"), ""},
		"a counter":          {"A=001|002|003|004|005|006|007|008|009", ""},
		"codes":              {"A=10023|10044|10058|20011|20013|20019|30002|30077|30080", ""},
		"two of phrases":     {"A=" + titles + ";B=" + strings.TrimSuffix(remarks, "|") + "|one more thing to say", ""},
		"headers that speak": {"Remark=" + remarks + ";Cost=" + amounts, "Remark description"},
	} {
		var columns []sheet.Column
		for part := range strings.SplitSeq(x.columns, ";") {
			header, cells, _ := strings.Cut(part, "=")
			columns = append(columns, column(header, strings.Split(cells, "|")...))
		}
		var got []string
		rt, _ := standard(t).Type("opportunity")
		for _, s := range Columns(rt, columns, nil) {
			if s.Taken {
				got = append(got, fmt.Sprint(s.Column, " ", s.Field))
			}
		}
		if strings.Join(got, ", ") != x.want {
			t.Errorf("%s: %q, want %q", name, strings.Join(got, ", "), x.want)
		}
	}
}
