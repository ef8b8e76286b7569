package suggest

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"uchi/internal/core/sheet"
)

// columnsOf makes columns of “header=cell|cell;header=cell|cell”.
func columnsOf(text string) (columns []sheet.Column) {
	for part := range strings.SplitSeq(text, ";") {
		header, cells, _ := strings.Cut(part, "=")
		columns = append(columns, column(header, strings.Split(cells, "|")...))
	}
	return columns
}

// What headers that nobody understands leave open is told by what is left of columns and fields.
func TestWhatIsLeft(t *testing.T) {
	people := "Grace Whitlock|Simon Osei|Priya Chandra|Hazel Kirkby|Owen Moffat|Ruth Sexton|Tariq Lyle|Fiona Rudge|Joan Vance"
	few := "Grace Whitlock|Simon Osei|Grace Whitlock|Simon Osei|Grace Whitlock|Simon Osei|Grace Whitlock|Simon Osei|Grace Whitlock"
	reps := strings.Repeat("Baptiste Querville|Solène Querville|Maëlle Querville|", 2) +
		"Maëlle Querville|Solène Querville|Maëlle Querville"
	firms := "Varnholt Timber Ltd|Quellick Foods plc|Dorrimore Haulage Ltd|Estrava Plastics Ltd|Hembleton Controls " +
		"plc|Okerley Foods Ltd|Pannick Timber plc|Tressold Haulage Ltd|Umberlow Foods Ltd"
	days := "28/01/2027|15/12/2026|28/02/2027|30/06/2027|17/03/2027|14/04/2027|22/05/2027|19/06/2027|13/07/2027"
	ticks := "y|n|y|y|n|y|n|n|y"
	heat := "high|low|medium|low|high|medium|low|high|low"
	plans := "Racking for the new depot|Conveyor for hall two|Cold room, second phase|Trial of two units|Spare parts for " +
		"a year|Sorting line upgrade|Service for three sites|Control cabinet swap|Belt change in summer"
	said := "wants a quote by Easter|rang twice and got no answer|prefers to be written to|moved from the Leeds " +
		"office|ask for Brian if out||pays late, be polite|wants to see one running|the board decides in spring"
	lines := "+44 113 496 0123|+44 20 7946 0018|+44 113 496 0871|+44 117 496 0662|+44 113 496 0333|+44 20 7946 0444|+44 " +
		"113 496 0555|+44 117 496 0666|+44 113 496 0777"
	mobiles := "+47 912 34 567|+46 70 174 06 35|+45 20 12 34 56|+31 6 12345678|+47 913 34 567|+46 70 174 06 36|+45 21 12 " +
		"34 56|+31 6 12345679|+47 914 34 567"
	codes := "T-203|T-207|T-211|T-219|T-220|T-222|T-227|T-230|T-241"
	contact, lead, deal := "First name=A|B|C|D|E|F|G|H|I;Surname="+
		"Whitlock|Osei|Chandra|Kirkby|Moffat|Sexton|Lyle|Rudge|Vance", "Firm="+firms, "Account="+firms
	for name, x := range map[string]struct{ recordType, beside, columns, want string }{
		"few names are owners":          {"opportunity", deal, "Zorb=" + few, "Zorb owner"},
		"many are not":                  {"contact", contact, "Zorb=" + people, ""},
		"many are whom deals are about": {"opportunity", deal, "Zorb=" + people, "Zorb contact"},
		"initials of who": {"opportunity", deal, "Who zorbed=" + strings.Repeat("GW|SO|", 4) + "GW",
			"Who zorbed owner"},
		"given names of who": {"opportunity", deal, "Who=" + strings.Repeat("Beth|Samuel|Peter|", 3) + "Beth",
			"Who owner"},
		"mailboxes of with": {"opportunity", deal,
			"With=" + strings.ReplaceAll(strings.ToLower(strings.ReplaceAll(people, " ", ".")), "|", "@firm.example|") +
				"@firm.example", "With contact"},
		"initials of nobody knows": {"opportunity", deal, "Zorb=" + strings.Repeat("GW|SO|", 4) + "GW", ""},
		"full names under a mark": {"contact", "KT_MAIL=a@x.example;KT_ORT=Kiel;KT_PLZ=24103;KT_TEL=1;KT_FIRMA=" + firms, "KT_NAME=" + people,
			"KT_NAME family_name, KT_NAME given_name"},
		"full names":        {"lead", lead, "Zorb=" + people, "Zorb family_name, Zorb given_name"},
		"two of full names": {"lead", lead, "Zorb=" + people + ";Blip=" + strings.ToUpper(people), ""},
		"streets without a header": {"contact", contact, "F4=14 Quarry Road|2 Chapel Lane|27 Station Approach|88a Market " +
			"Place|5 The Maltings|3 Canal Wharf|9 Mill Street|1 High Street|6 Bridge Road", "F4 street"},
		"a day without a header":       {"lead", lead, "F4=" + days, "F4 met_on"},
		"the one day of deals":         {"opportunity", deal, "Zorb=" + days, "Zorb expected_close"},
		"days gone by close nothing":   {"opportunity", deal, "Zorb=" + strings.ReplaceAll(strings.ReplaceAll(days, "2026", "2023"), "2027", "2024"), ""},
		"one of two that deals have":   {"opportunity", deal + ";Closes=" + days, "F4=" + days, ""},
		"numbers without a header":     {"account", "Company=" + firms, "F4=12|40|7|130|22|9|61|18|33", ""},
		"what a header lists":          {"lead", lead, "High/medium/low=" + heat, "High/medium/low interest"},
		"what a header lists of cells": {"contact", contact, "Mr/Mrs=" + strings.Repeat("Mr|Mrs|Dr|", 3) + "Mr", "Mr/Mrs honorific"},
		"few words are no towns": {"contact", contact, "Varm/lunken/kold=" + strings.Repeat("varm|lunken|kold|", 3) + "kold;F4=" +
			strings.Repeat("varm|lunken|kold|", 3) + "kold", ""},
		"initials of who is in charge": {"opportunity", deal, "RESP_INIT=" + strings.Repeat("GW|SO|", 4) + "GW", "RESP_INIT owner"},
		"what a company is called in full": {"account", "Short name=" + strings.ReplaceAll(strings.ReplaceAll(firms, " Ltd", ""), " plc", ""),
			"Full name=" + firms, "Full name legal_name"},
		"numbers that the towns' codes tell apart": {"contact", contact + ";Postcode=LS1 4AP|TR1 2HX|NR3 1AU|SY8 1AA|YO21 3PU|" +
			"CA3 8JH|SA1 8AS|FK8 1EB|EX4 3AD", "F4=0113 496 0123|020 7946 0018|0113 496 0871|0117 496 0662|0113 496 0333|020 7946 " +
			"0444|0113 496 0555|0117 496 0666|0113 496 0777;F5=07700 900123|07700 900124|07700 900129|07700 900321|07700 900777|" +
			"07700 900555|07700 900444|07700 900333|07700 900222", "F4 phone, F5 mobile"},
		"names of companies": {"account",
			"Town=Leeds|Truro|Norwich|Ludlow|Whitby|Carlisle|Swansea|Stirling|Exeter", "Zorb=" + firms, "Zorb name"},
		"the full name alone": {"account",
			"Town=Leeds|Truro|Norwich|Ludlow|Whitby|Carlisle|Swansea|Stirling|Exeter", "Registered name=" + firms,
			"Registered name name"},
		"the full name beside one": {"account", "Name=" + firms, "Registered name=" + firms,
			"Registered name legal_name"},
		"the day that a deal needs": {"opportunity", deal, "Zorb=" + days, "Zorb expected_close"},
		"two of days of the same time": {"opportunity", deal, "Zorb=" + days + ";Blip=" + strings.Replace(days, "28/01",
			"27/01", 1), ""},
		"a day that nothing needs": {"lead", lead, "Zorb=" + days, ""},
		"owners are no companies":  {"task", "Subject=" + plans + ";Due=" + days, "Looked after by=" + firms, ""},
		"owners are no job titles": {"contact", contact, "Responsible for=Purchasing manager|Head of sales|Financial " +
			"director|Warehouse clerk|Sales representative|Production planner|Office manager|Accountant|Managing director", ""},
		"owners come again":    {"contact", contact, "Owner code=" + codes + "|T-242|T-250|T-251", ""},
		"titles are no owners": {"opportunity", deal, "Betr.=" + plans, "Betr. title"},
		"kinds are no owners": {"task", "Subject=" + plans + ";Due=" + days,
			"Owner=" + strings.Repeat("visit|call|letter|", 3) + "visit", ""},
		"initials are no remarks": {"contact", contact, "Comm=" + strings.Repeat("KL|RA|", 4) + "KL", ""},
		"a name beside the family name": {"contact",
			"Surname=Whitlock|Osei|Chandra|Kirkby|Moffat|Sexton|Lyle|Rudge|Vance",
			"Nom=Grace|Simon|Priya|Hazel|Owen|Ruth|Peter|Fiona|Joan", "Nom given_name"},
		"few people are no remarks":   {"opportunity", deal, "Comment=" + reps, ""},
		"few people are no companies": {"account", "Registered name=" + firms, "Account name=" + reps, ""},
		"full names of two who sell":  {"staff", "EMAIL=a.lang@x.example|u.kurz@x.example", "DESAGE=Donati Silvia|Moretti Aldo", "DESAGE name"},
		"what a given name is called, though it is whole": {"staff", "EMAIL=a.lang@x.example|u.kurz@x.example",
			"Jméno=Jana Horáková|Petr Malý", "Jméno name"},
		"companies in titles": {"opportunity", "Ügyfélkód=" + codes + ";Fázis=" + strings.Repeat("új|", 8) + "új",
			"Megnevezés=Parti áram Tihany Kft.|Mérők Dunai Kikötő|Mólóvilágítás Siófok|Parti áram Keszthely|Mérők Balaton Bt.|" +
				"Mólóvilágítás Füred|Parti áram Tisza Kft.|Mérők Ráckeve|Mólóvilágítás Győr", "Megnevezés title"},
		"of two columns nobody can tell": {"staff", "EMAIL=a.lang@x.example|u.kurz@x.example",
			"DESAGE=Donati Silvia|Moretti Aldo;DESCAP=Ferri Ugo|Sala Rita", ""},
		"areas are no names of who sells": {"staff", "EMAIL=a.lang@x.example|u.kurz@x.example", "DESAGE=Area Nord|Area Sud", ""},
		"what is done of tasks": {"task", "Subject=" + plans + ";Due=" + days,
			"Status=" + strings.Repeat("Udført|Åben|", 4) + "Åben", "Status done"},
		"other states of tasks": {"task", "Subject=" + plans + ";Due=" + days,
			"Status=" + strings.Repeat("red|green|", 4) + "red", ""},
		"what is done is no stage": {"opportunity", "Title=" + plans + ";Account=" + firms,
			"Status=" + strings.Repeat("Realizada|Pendente|", 4) + "Pendente", ""},
		"a time of the day ends no deal": {"opportunity", deal, "Zorb=" + strings.ReplaceAll(days, "|", " 09:30|") + " 10:15", ""},
		"midnight may":                   {"opportunity", deal, "Zorb=" + strings.ReplaceAll(days, "|", " 00:00|") + " 00:00", "Zorb expected_close"},
		"the registered name beside the other": {"account", "Town=Leeds|Truro|Norwich|Ludlow|Whitby|Carlisle|Swansea|Stirling|Exeter",
			"Nome Fantasia=" + firms + ";Razão Social=" + firms, "Nome Fantasia name, Razão Social legal_name"},
		"a tick of a task":            {"task", "Subject=" + plans + ";Due=" + days, "Zorb=" + ticks, "Zorb done"},
		"yes and no are no countries": {"contact", contact, "Pays=" + ticks, ""},
		"two languages that say so": {"contact", contact, "Sprog=" + strings.Repeat("DA|NO|", 4) + "DA",
			"Sprog language"},
		"consent is asked for":            {"contact", contact, "Zorb=" + ticks, ""},
		"a choice":                        {"lead", lead, "Zorb=" + heat, "Zorb interest"},
		"the title of deals":              {"opportunity", deal, "Zorb=" + plans, "Zorb title"},
		"a description that is the title": {"opportunity", deal, "Description=" + plans, "Description title"},
		"a description beside one": {"opportunity", deal + ";Title=" + plans, "Description=" + said,
			"Description description"},
		"an address is no title": {"opportunity", deal, "Street=14 Quarry Road|2 Chapel Lane|27 Station " +
			"Approach|88a Market Place|5 The Maltings|3 Canal Wharf|9 Mill Street|1 High Street|6 Bridge Road", ""},
		"the superior is not the person": {"lead", lead, "Reports to=" + people, ""},
		"a delivery is no end of a deal": {"opportunity", deal, "Delivery date=" + days, ""},
		"remarks":                        {"contact", contact, "Zorb=" + said, "Zorb description"},
		"lines and mobiles": {"contact", contact, "Zorb=" + lines + ";Blip=" + mobiles,
			"Blip mobile, Zorb phone"},
		"the number of what is named": {"opportunity", deal + ";Zorb=" + plans, "Zorb no.=" + codes,
			"Zorb no. source_ref"},
		"the number of something else": {"opportunity", deal + ";Zorb=" + plans, "Blip no.=" + codes, ""},
	} {
		rt, _ := standard(t).Type(x.recordType)
		var got []string
		for _, s := range Columns(rt, columnsOf(x.beside+";"+x.columns), nil) {
			if s.Taken && strings.Contains(x.columns, s.Column+"=") && !strings.Contains(x.beside, s.Column+"=") {
				got = append(got, s.Column+" "+s.Field)
			}
		}
		slices.Sort(got)
		if strings.Join(got, ", ") != x.want {
			t.Errorf("%s: %q, want %q", name, strings.Join(got, ", "), x.want)
		}
	}
}

// Columns whose headers say nothing are told by their cells and by each other.
func TestColumnsToldByEachOther(t *testing.T) {
	titles := "Cold store extension|Labelling for two sites|Pilot, one line|Mezzanine floor in the old hall|Replacement " +
		"of six trucks|Packing line upgrade|New pedestals for quay seven|Metering in the north basin|Winter storage for twelve boats"
	remarks := "spoke to the assistant, very helpful|uses a competitor now|gate code is needed for deliveries|prefers " +
		"calls before ten|invoice goes to the head office|wants to see one running first|asked for a discount again|the board decides in spring|"
	amounts := "72,500|1,250|36,000|18,000|4,800|49,491|977|117,313|2,400"
	early := "23/12/2025|09/01/2026|22/01/2026|25/12/2025|15/11/2025|05/08/2025|11/08/2025|17/12/2025|13/08/2025"
	late := "25/07/2026|20/08/2026|13/09/2026|10/02/2027|13/08/2026|03/10/2026|19/12/2026|19/10/2026|20/08/2026"
	for name, x := range map[string]struct{ columns, want string }{
		"all": {"Text 1=" + titles + ";Number 1=" + amounts + ";Date 1=" + early + ";Date 2=" + late +
			";Text 2=" + remarks, "Text 1 title, Number 1 amount, Date 1 opened_on, Date 2 expected_close, Text 2 description"},
		"days the other way": {"A=" + late + ";B=" + early, "A expected_close, B opened_on"},
		"days mixed":         {"A=" + early + ";B=" + strings.Replace(early, "23/12/2025", "24/12/2025", 1), ""},
		"two of amounts":     {"A=" + amounts + ";B=" + strings.ReplaceAll(amounts, "0", "1"), ""},
		"a counter":          {"A=001|002|003|004|005|006|007|008|009", ""},
		"codes":              {"A=10023|10044|10058|20011|20013|20019|30002|30077|30080", ""},
		"two of phrases":     {"A=" + titles + ";B=" + strings.TrimSuffix(remarks, "|") + "|one more thing to say", ""},
		"headers that speak": {"Remark=" + remarks + ";Cost=" + amounts, "Remark description"},
	} {
		var got []string
		rt, _ := standard(t).Type("opportunity")
		for _, s := range Columns(rt, columnsOf(x.columns), nil) {
			if s.Taken {
				got = append(got, fmt.Sprint(s.Column, " ", s.Field))
			}
		}
		if strings.Join(got, ", ") != x.want {
			t.Errorf("%s: %q, want %q", name, strings.Join(got, ", "), x.want)
		}
	}
}

// Two columns that say nothing, behind that of the streets, are the codes and the towns where they look like it and agree
// with each other in how many there are.
func TestBehindTheStreet(t *testing.T) {
	const streets = "Given=Ada|Bo|Cy|Dora|Even|Finn|Gro|Hal|Ida;Surname=Moe|Lie|Ray|Vik|Aas|Dahl|Ruud|Lund|Berg;" +
		"Straße=Hafenstraße 12|Am Kai 3a|Strandweg 45|Fischergang 7|Mole 2|Kai 5|Ring 8|Hafenstraße 14|Am Kai 9"
	const codes, towns = "24235|24340|25813|23570|17192|24235|24340|25813|23570", "Laboe|Eckernförde|Husum|Travemünde|Waren (Müritz)|Laboe|" +
		"Eckernförde|Husum|Travemünde"
	placed := "F7 postal_code, F8 locality"
	for name, x := range map[string]struct{ columns, want string }{
		"code and town":          {"F7=" + codes + ";F8=" + towns, placed},
		"town and code":          {"F7=" + towns + ";F8=" + codes, "F7 locality, F8 postal_code"},
		"codes of other lengths": {"F7=24235|2434|258|23570|1|24235|2434|258|23570;F8=" + towns, ""},
		"no words behind":        {"F7=" + codes + ";F8=12|14|15|9|3|12|14|15|9", ""},
		"words of small letters": {"F7=" + codes + ";F8=new|old|lapsed|open|shut|new|old|lapsed|open", ""},
		"more words than codes": {"F7=24235|24235|24235|24235|24235|24235|24235|24235|24340" +
			";F8=Laboe|Husum|Kiel|Plön|Preetz|Eutin|Ratzeburg|Mölln|Laboe", "F8 locality"}, // by what they are
		"a header that says another": {"Boat no=" + codes + ";F8=" + towns, ""},
		"three of them":              {"F6=x|y|z|u|v|w|r|s|t;F7=" + codes + ";F8=" + towns, placed}, // by what they are
	} {
		got := takenOf(t, "contact", columnsOf(streets+";"+x.columns)...)
		var list []string
		for _, h := range []string{"F7", "F8", "Boat no"} {
			if got[h] == "postal_code" || got[h] == "locality" {
				list = append(list, h+" "+got[h])
			}
		}
		if s := strings.Join(list, ", "); s != x.want {
			t.Errorf("%s: %q, want %q", name, s, x.want)
		}
	}
}

// What cells say outweighs the words of a header, where they can be nothing of what it means.
func TestCellsAgainstHeaders(t *testing.T) {
	const firms = "Quay Ltd|Tern AS|Skua GmbH|Gull BV|Kite SA|Heron AB|Petrel plc|Auk Oy|Plover Ltd"
	const names = "Ada Moe|Bo Lie|Cy Ray|Dora Vik|Even Aas|Finn Dahl|Gro Ruud|Hal Lund|Ida Berg"
	for _, x := range []struct{ recordType, columns, header, not, want string }{
		{"account", "Name=" + firms + ";IND_CD=Marina|Boatyard|Marina|Charter|Other|Marina|Charter|Other|Marina", "IND_CD", "street", "industry"},
		{"account", "Name=" + firms + ";Site address=quay.example|tern.example|skua.example|gull.example|kite.example|heron.example|" +
			"petrel.example|auk.example|plover.example", "Site address", "street", "website"},
		{"lead", "Who=" + names + ";Firm=" + firms + ";Date=4.3.YYYY|5.3.YYYY|9.3.YYYY|1.4.YYYY|2.4.YYYY|7.4.YYYY|8.4.YYYY|9.4.YYYY|3.5.YYYY", "Date",
			"met_on", ""}, // nobody has met them yet
		{"account", "Dealer=" + firms + ";Phone=+4755112233|+4755112234|+4755112235|+4755112236|+4755112237|+4755112238|+4755112239|" +
			"+4755112240|+4755112241;Looked after by=Ada Moe|Bo Lie|Ada Moe|Bo Lie|Ada Moe|Bo Lie|Ada Moe|Bo Lie|Ada Moe", "Dealer", "", "name"},
		{"contact", "Who to ring=" + names + ";Their boss=Pia Holm|Ada Moe|Ada Moe|Bo Lie|Bo Lie|Cy Ray|Cy Ray|Ada Moe|Pia Holm", "Who to ring",
			"source_ref", ""},
		{"contact", "Given=Ada|Bo|Cy|Dora|Even|Finn|Gro|Hal|Ida;Surname=Moe|Lie|Ray|Vik|Aas|Dahl|Ruud|Lund|Berg;Body=" + firms, "Body", "description",
			"account"},
		{"contact", "Given=Ada|Bo|Cy;Surname=Moe|Lie|Ray;Car reg=AB12 CDE|XY34 ZZZ|AB12 CDE", "Car reg", "account", ""},
		{"contact", "Given=Ada|Bo|Cy|Dora|Even|Finn|Gro|Hal|Ida;Surname=Moe|Lie|Ray|Vik|Aas|Dahl|Ruud|Lund|Berg;F9=07700 900633|07700 900912|" +
			"07700 900617|07700 900095|07700 900410|07700 900365|07700 900374|07700 900789|07700 900130", "F9", "phone", ""},
	} {
		columns := strings.ReplaceAll(x.columns, "YYYY", strconv.Itoa(time.Now().Year()+1))
		got := takenOf(t, x.recordType, columnsOf(columns)...)[x.header]
		if got == x.not || x.want != "" && got != x.want {
			t.Errorf("%q of %s is %q, want %q and never %q", x.header, x.recordType, got, x.want, x.not)
		}
	}
}

// A second column of telephone numbers is that of the mobiles where all of its numbers are, also in a short list.
func TestSecondPhonesThatAreMobiles(t *testing.T) {
	contact, _ := standard(t).Type("contact")
	for columns, want := range map[string]string{
		"Phone 1=+49 431 555010|+49 431 555020|+49 4343 55503;Phone 2=+49 171 5550101|+49 151 5550202|+49 160 5550303":                        "phone mobile ",
		"contact_phone_1=21 555 01 02|22 555 03 04|21 555 05 06;contact_phone_2=91 555 01 02|93 555 03 04|96 555 05 06;contact_ctry=PT|PT|PT": "phone mobile country ",
		"Phone 1=+49 431 555010|+49 431 555020|+49 4343 55503;Phone 2=+49 431 555011|+49 431 555021|+49 4343 55504":                           "phone ",
		"Phone 1=+49 431 555010|+49 431 555020|+49 4343 55503;Fax 2=+49 171 5550101|+49 151 5550202|+49 160 5550303":                          "phone ",
	} {
		got := ""
		for _, s := range NewView(columnsOf(columns)).Among(standard(t)).Across([]Target{{Type: contact}}) {
			if s.Taken {
				got += s.Field + " "
			}
		}
		if got != want {
			t.Errorf("%s: %q, not %q", columns, got, want)
		}
	}
}
