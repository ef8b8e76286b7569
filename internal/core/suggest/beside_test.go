package suggest

import (
	"fmt"
	"slices"
	"strings"
	"testing"
)

// Columns whose headers say nothing are told by what stands beside them, by how their cells begin and end, and
// by the e-mail addresses of the sheet.
func TestColumnsToldBesideOthers(t *testing.T) {
	const (
		firms    = "Quay Ltd|Tern AS|Skua GmbH|Gull BV|Kite SA|Heron AB|Petrel plc|Auk Oy|Plover Ltd|Knot AG"
		given    = "Ada|Bo|Cecilia|Dora|Even|Finn|Greta|Hal|Ida|Jonas"
		families = "Andresen|Solbakken|Ferrando|Lindqvist|Petersen|Rousseau|Nowak|Virtanen|Romero|Vestergaard"
		houses   = "940 Michael Way|36 Taylor Course|9397 Stewart Road|704 Rogers Close|6851 Perez Lane|15 Mill Road|8 Quay|" +
			"213 Hill Street|4 Dock Road|77 Lock Lane"
		codes    = "24235|24340|25813|23570|17192|24105|23669|25980|24376|24306"
		lettered = "M4X 5C7|H7E1R5|P3C 5P2|K8V6X1|K9S 2J1|B9X8E3|G9H 6L6|A1B 2C3|V5K 0A1|T2P 1J9"
		towns    = "Laboe|Eckernförde|Husum|Travemünde|Waren (Müritz)|Kiel|Timmendorf|Sylt|Kappeln|Plön"
		strange  = "Port Lea|Gregersentown|Pernilleborough|Kjeldsenview|North Kasperberg|Karenfurt|Nissenhaven|Lake Bo|" +
			"East Dora|Finnbury"
		countries = "DE|DE|DK|DE|DE|SE|DE|DE|DE|DE"
		mails     = "ada.andresen@a.example|bo.solbakken@b.example|cecilia.ferrando@c.example|dora.lindqvist@d.example|" +
			"even.petersen@e.example|finn.rousseau@f.example|greta.nowak@g.example|hal.virtanen@h.example|ida.romero@i.example|" +
			"jonas.vestergaard@j.example"
	)
	for name, x := range map[string]struct{ is, columns, want string }{
		"numbers of houses first": {"account", "A=" + firms + ";B=" + houses, "A name, B street"},
		"between street and state": {"account", "A=" + firms + ";B=" + houses + ";C=" + codes + ";D=" + countries,
			"A name, B street, C postal_code, D country"},
		"codes with letters": {"account", "A=" + firms + ";B=" + houses + ";C=" + lettered + ";D=" + strange,
			"A name, B street, C postal_code, D locality"},
		"codes beside towns": {"account", "A=" + firms + ";B=" + codes + ";C=" + towns, "A name, B postal_code, C locality"},
		"towns and countries": {"account", "A=" + firms + ";B=" + towns + ";C=" + countries,
			"A name, B locality, C country"},
		"years beside towns": {"account", "A=" + firms + ";B=" + towns + ";C=" + countries + ";D=1961|1974|2001|1999|2012|1987|1955|2003|2010|1993",
			"A name, B locality, C country"},
		"numbers in turn": {"account", "A=" + firms + ";B=10021|10024|10027|10035|10041|10052|10053|10060|10071|" +
			"10082;C=" + towns + ";D=" +
			countries, "A name, C locality, D country"},
		"Portuguese codes are no phones": {"account", "A=" + firms + ";B=1193-140|7469-812|4845-914|3669-488|1447-257|" +
			"2184-666|5225-916|9737-674|7872-180|4227-654",
			"A name"},
		"phones with dots": {"account", "A=" + firms + ";B=636.726.7491|312.466.5210|928.636.2130|747.343.5321|443.114.8934|" +
			"276.288.0454|139.333.3367|" +
			"684.120.9911|451.906.1182|539.772.6610", "A name, B phone"},
		"phones that begin in many ways": {"contact", "A=" + given + ";B=" + families + ";C=(653)391-3122|(720)302-3030|965-428-5563|" +
			"874-297-6789|133-213-8680|251-903-3976|(377)409-9408|442-334-6720|569-385-2599|" +
			"(215)903-3976", "A given_name, B family_name, C phone"},
		"phones that may be mobile": {"contact", "A=" + given + ";B=" + families + ";C=0664 9879779|0664 4567895|0664 8506816|" +
			"0664 1679613|" +
			"0664 8854039|0664 9241482|0664 0345577|0664 1112223|0664 8877665|0664 5544332", "A given_name, B family_name"},
		"companies by some legal forms": {"contact", "A=" + given + ";B=" + families + ";C=Mimica d.d.|Guštin|Cik|" +
			"Makovac j.d.o.o.|Martinović|" +
			"Halambek d.o.o.|Čović|Kopjar d.d.|Vaněk s.r.o.|Zeman", "A given_name, B family_name, C account"},
		"companies of partners": {"lead", "A=Chapman, Hunt and Pittman|Brown, Williams and Ward|Scott & Baker|" +
			"Ware, Sanchez and Young|Allen|Turner|" +
			"Robinson|Jones and Sons|Roman|Perkins", ""},
		"names in e-mail addresses": {"contact", "A=" + given + ";X=" + codes + ";B=" + families + ";C=" + mails + ";D=" + strange,
			"A given_name, B family_name, C email"},
		"domains of companies": {"contact", "A=" + given + ";B=" + families + ";C=Roberts-Barnes|Phelps-Wells|Chavez-Phelps|" +
			"Williams-Hughes|Rojas-Webb;" +
			"D=ada.andresen@robertsbarnes.example|bo.solbakken@phelpswells.example|cecilia.ferrando@chavezphelps.example|" +
			"dora.lindqvist@williamshughes.example|even.petersen@rojaswebb.example|finn.rousseau@robertsbarnes.example|" +
			"greta.nowak@phelpswells.example|hal.virtanen@chavezphelps.example|ida.romero@williamshughes.example|" +
			"jonas.vestergaard@rojaswebb.example",
			"A given_name, B family_name, D email"}, // five names come again, and may be anything
		"bank accounts": {"contact", "A=DE68887207141219393982|DE41393828108735775011|DE14393104245362865929|DE22109269032612434854|" +
			"DE41545361061649655492|DE36057782943463633676|DE28154716313519120110|DE05313874470765202950;B=" + given + ";C=" + families,
			"B given_name, C family_name"},
		"when a program wrote": {"opportunity", "T=Cold store extension|Labelling for two sites|Pilot, one line|" +
			"Mezzanine in the old hall|Six trucks|" +
			"Packing line upgrade|New pedestals for quay seven|Metering in the basin;A=2026-01-03 11:20:31|2026-02-11 10:01:11|" +
			"2026-03-09 15:22:54|" +
			"2026-01-30 12:12:12|2026-04-02 09:45:01|2026-02-27 17:05:43|2026-05-13 08:31:00|2026-03-22 13:14:15;B=2027-05-01|" +
			"2027-06-12|2027-04-30|" +
			"2027-09-01|2027-08-15|2027-07-07|2027-05-21|2027-10-10", "T title, B expected_close"},
		"small percentages":     {"opportunity", "A=0%|5%|10%|15%|5%|0%|10%|15%|5%", ""},
		"a column by its place": {"account", "Col1=" + firms + ";Col2=on|off|on|off|on|off|on|off|on|off", "Col1 name"},
		"what a stage is called": {"opportunity", "stageDesc=Quoted|Won|Lost|Negotiation|Won|Lost|Quoted|Won|" +
			"Negotiation", "stageDesc stage"},
		"what a source is called": {"lead", "srcDesc=trade fair|website|referral|website|trade fair|website|referral|website|website",
			"srcDesc origin"},
		"a stage of which one word is new": {"opportunity", "A=Proposal|Won|Lost|Haggling|Won|Lost|Proposal|Won|Haggling|Won", "A stage"},
	} {
		got := takenOf(t, x.is, columnsOf(x.columns)...)
		var list []string
		for header, field := range got {
			list = append(list, fmt.Sprint(header, " ", field))
		}
		slices.Sort(list)
		if s := strings.Join(list, ", "); s != sortedList(x.want) {
			t.Errorf("%s: %q, want %q", name, s, sortedList(x.want))
		}
	}
}

func sortedList(s string) string {
	list := strings.Split(s, ", ")
	slices.Sort(list)
	return strings.Join(list, ", ")
}

// What was chosen for a column without a header, which has only its letter, says nothing of the next file's.
func TestLettersAreNotRemembered(t *testing.T) {
	contact, _ := standard(t).Type("contact")
	const towns = "Laboe|Husum|Kiel|Plön|Preetz|Eutin|Ratzeburg|Mölln"
	for header, want := range map[string]bool{"A": false, "Ha": true} {
		columns := columnsOf(header + "=" + towns)
		columns[0].Letter = "A"
		taken := false
		for _, s := range Columns(contact, columns, Memory{Key(header): "job_title"}) {
			taken = taken || s.Taken && s.Field == "job_title"
		}
		if taken != want {
			t.Errorf("%q is taken: %v", header, taken)
		}
	}
}
