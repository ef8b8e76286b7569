package work

import (
	"testing"

	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
	"uchi/internal/core/verdict"
)

// Where a record of a person is found by likeness, its name takes on what the row says more of
// it, and nothing else.
func TestNamesInFuller(t *testing.T) {
	b := start(t)
	b.loaded("contact", "First name,Surname,E-mail,Birthday\n"+
		"Tess,Harrow,tess@quay.example,1990-03-02\n"+
		"W.,Nguyen,w.nguyen@asia.example,1971-05-06\n"+
		"Saskia van,Vermeer,saskia@kaag.example,1982-07-08\n"+
		"Anna,Brandt-Kerr,anna@leith.example,1983-09-10\n"+
		"Olaf,Lie,olaf@lie.example,1984-11-12\n")
	b.load(b.check(b.upload("contact", "First name,Surname,E-mail,Birthday\n"+
		"Tess,Harrow-Penrose,tess@quay.example,1990-03-02\n"+ // a double name
		"Wei,Nguyen,w.nguyen@asia.example,1971-05-06\n"+ // the name of an initial
		"Saskia,van Vermeer,saskia@kaag.example,1982-07-08\n"+ // parted otherwise
		"Anna,Kerr,anna@leith.example,1983-09-10\n"+ // less
		"Olaf J.,LIE-HAUG,olaf@lie.example,1984-11-12\n"))) // an initial, and capitals
	for id, want := range map[string]string{"CON-1": "Tess Harrow-Penrose", "CON-2": "Wei Nguyen",
		"CON-3": "Saskia van Vermeer", "CON-4": "Anna Brandt-Kerr", "CON-5": "Olaf Lie"} {
		v := b.record("contact", id).Values
		b.want(v["given_name"]+" "+v["family_name"], want)
	}
}

// A desk's mailbox in the place of a person's own is told; in that of another desk's, or where
// there is none, it is not.
func TestDesksOverPeople(t *testing.T) {
	b := start(t)
	b.loaded("contact", "Number in the old system,Surname,E-mail\n1,Harrow,tess@quay.example\n2,Moe,office@moe.example\n"+
		"3,Lie,\n4,Dahl,kari@dahl.example\n")
	i := b.check(b.upload("contact", "Number in the old system,Surname,E-mail\n1,Harrow,info@quay.example\n"+
		"2,Moe,info@moe.example\n3,Lie,info@lie.example\n4,Dahl,kd@dahl.example\n"))
	b.want(b.codes(i), "[2 doubtful_value email]")
}

// A company that a row names in fewer or more words than that for which its person works by the
// record is asked about: one that is made would stand beside it. The answer holds for all rows of
// that company.
func TestCompaniesOfKnownPeople(t *testing.T) {
	b := start(t)
	b.load(b.check(b.drafted("First name,Surname,Company,E-mail,Mobile\nSaskia,Vermeer,Jachthaven De "+
		"Kaag,saskia@kaag.example,+31612345678\nRhona,McCall,McCall Boats,rhona@mccall.example,+447700900111\n", "contact",
		"account")))
	const rows = "First name,Surname,Company,E-mail,Mobile\n" +
		"Saskia,Vermeer,De Kaag,saskia@kaag.example,+31612345678\n" + // 2 less of the name
		"Piet,Jansen,De Kaag,piet@kaag.example,+31612345999\n" + // 3 the same company
		"Rhona,McCall,Firth Chandlery,rhona@firth.example,+447700900111\n" + // 4 another company
		"Ada,Nowhere,Boats,ada@boats.example,\n" // 5 nobody is known there
	i := b.check(b.drafted(rows, "contact", "account"))
	b.want(b.rows(i)[0], "2 ask (ask 1, ask)")
	b.want(b.rows(i)[3], "5 create (create, create)")
	b.want(i.Totals.V.Verdicts["ask"], 1)
	_, err := b.work.Answer(b.Context(), i,
		[]Given{{Row: 2, Choice: verdict.ChooseTake, Record: "ACC-1", Draft: "account"}}, b.person)
	b.ok(err)
	i = b.check(b.again(i))
	b.want(b.rows(i)[:2], "[2 same (same 1, same 1) 3 create (create, skip)]")
	b.load(i)
	b.want(b.record("contact", "CON-3").Values["account"], "ACC-1")
	b.want(b.counts()["account"], 4)
}

// The full name of somebody is kept as it is said, and the same name turned about replaces nothing.
func TestFullNamesTurned(t *testing.T) {
	b := start(t)
	b.loaded("staff", "Name,E-mail\nIngrid Havnes,ih@lantern.example\n\"Harbottle, Callum\",ch@lantern.example\n"+
		"Lars Brattvik,lb@lantern.example\n")
	b.want(b.record("staff", "STF-2").Values["name"], "Callum Harbottle")
	i := b.check(b.upload("staff", "Name,E-mail\n\"Havnes, Ingrid\",ih@lantern.example\n"+
		"HARBOTTLE CALLUM,ch@lantern.example\nLars Brattvik-Moe,lb@lantern.example\n"))
	b.want(b.rows(i), "[2 same (same 1) 3 same (same 2) 4 update (update 3)]")
}

// None over a count or an amount is told and not written; it is where nothing is there, and where
// the field's policy says so.
func TestNoneOverANumber(t *testing.T) {
	b := start(t)
	b.loaded("account", "Number in the old system,Company,Employees\n1,Alpha,150\n2,Beta,\n3,Gamma,7\n")
	const sheet = "Number in the old system,Employees\n1,0\n2,0\n3,8\n"
	i := b.check(b.upload("account", sheet))
	b.want(b.codes(i), "[2 doubtful_value employees]")
	b.want(b.rows(i), "[2 same (same 1) 3 update (update 2) 4 update (update 3)]")
	b.load(b.check(b.change(b.upload("account", sheet),
		func(r *mapping.Routine) { r.Drafts[0].Doubtful = mapping.TakeRows })))
	b.want(b.record("account", "ACC-1").Values["employees"], "0")
}

// A number that is there with the code of another country stays: the row's has mostly been lent
// that of the sheet. Another number is another.
func TestNumbersOfAnotherCountry(t *testing.T) {
	b := start(t)
	b.loaded("contact", "Number in the old system,Surname,Phone\n1,Moe,+45 33 22 11 01\n2,Lie,+45 33 22 11 02\n"+
		"3,Dahl,+45 33 22 11 03\n")
	i := b.upload("contact", "Number in the old system,Surname,Phone\n1,Moe,33 22 11 01\n2,Lie,33 22 11 99\n"+
		"3,Dahl,+45 33 22 11 03\n")
	i = b.check(b.read(i, sheet.Reading{Country: "NO"}))
	b.want(b.codes(i), "[2 doubtful_value phone]")
	b.want(b.rows(i), "[2 same (same 1) 3 update (update 2) 4 same (same 3)]")
}

// What only stands in another language, in short or with another sign is there already; the row says
// nothing new then.
func TestOtherNamesOfTheSame(t *testing.T) {
	b := start(t)
	b.loaded("contact", "Number in the old system,Surname,Street,City,Region,Job title,Language\n"+
		"1,Moe,12 Quay Road,København,Bayern,Chief Executive Officer,nb\n"+
		"2,Lie,ul. Portowa 7,München,Toscana,Head of Sales,nn\n3,Dahl,Calle Mayor 3,St. Ives,Skåne,Buyer,de\n"+
		"4,Ek,Via Roma 12,Warszawa,Bayern,Harbour master,sv\n")
	i := b.check(b.uploaded("contact", "Number in the old system,Surname,Street,City,Region,Job title,Language\n"+
		"1,Moe,\"12, Quay Rd.\",Copenhagen,Bavaria,CEO,Norwegian\n2,Lie,Portowa 7,Munich,Tuscany,Sales,no\n"+
		"3,Dahl,\"C/ Mayor, 3\",Saint Ives,Scania,Buyer,German\n4,Ek,Via Roma 14,Warsaw,Hessen,CEO,sv\n"))
	b.want(b.rows(i), "[2 same (same 1) 3 same (same 2) 4 same (same 3) 5 update (update 4)]")
	b.load(i)
	b.want(b.record("contact", "CON-4").Values["locality"]+" "+b.record("contact", "CON-4").Values["street"]+" "+
		b.record("contact", "CON-4").Values["region"]+" "+b.record("contact", "CON-4").Values["job_title"],
		"Warszawa Via Roma 14 Hessen CEO")
}

// A mobile number stays where the row has that of a house in the same column, and a day of birth where the
// row has turned day and month, or knows the year alone.
func TestMobilesAndDaysOfBirthStay(t *testing.T) {
	b := start(t)
	b.loaded("contact", "Number in the old system,Surname,Mobile,Birthday\n1,Moe,+47 922 55 501,1978-03-12\n"+
		"2,Lie,+47 922 55 502,1978-03-12\n3,Dahl,+1 415 555 0132,1978-03-12\n4,Ek,+47 55 12 34 56,1978-03-25\n")
	i := b.check(b.upload("contact", "Number in the old system,Surname,Mobile,Birthday\n1,Moe,+47 55 12 34 56,1978-12-03\n"+
		"2,Lie,+47 922 55 509,1978-01-01\n3,Dahl,+1 212 555 0199,1979-03-12\n4,Ek,+47 922 55 504,1978-03-26\n"))
	b.want(b.codes(i), "[2 doubtful_value birthday 2 doubtful_value mobile 3 doubtful_value birthday]")
	b.want(b.rows(i), "[2 same (same 1) 3 update (update 2) 4 update (update 3) 5 update (update 4)]")
}

// A choice for what is none of the others, a mailbox that anybody may have, and another currency for the
// amount that is there, are told and not written; a currency that comes with another amount is.
func TestLessOfAChoiceAndACurrency(t *testing.T) {
	b := start(t)
	b.loaded("account", "Number in the old system,Company,Industry,E-mail\n1,Alpha,marina,office@alpha.example\n"+
		"2,Beta,other,beta@gmail.com\n3,Gamma,,\n")
	i := b.check(b.upload("account", "Number in the old system,Industry,E-mail\n1,other,alpha@gmail.com\n"+
		"2,marina,beta@web.de\n3,other,gamma@gmail.com\n"))
	b.want(b.codes(i), "[2 doubtful_value email 2 doubtful_value industry]")
	b.want(b.rows(i), "[2 same (same 1) 3 update (update 2) 4 update (update 3)]")
	const deals = "Number in the old system,Opportunity,Account,Stage,Amount,Currency,Expected close\n"
	b.loaded("opportunity", deals+"1,Berths,Alpha,offered,5000,EUR,2027-12-01\n2,Crane,Beta,offered,5000,EUR,2027-12-01\n"+
		"3,Slip,Beta,offered,5000,EUR,2027-12-01\n")
	i = b.check(b.upload("opportunity", "Number in the old system,Opportunity,Amount,Currency\n1,Berths,5000,USD\n2,Crane,6000,USD\n"+
		"3,Slip,,USD\n"))
	b.want(b.codes(i), "[2 doubtful_value currency 4 doubtful_value currency]")
	b.want(b.rows(i), "[2 same (same 1) 3 update (update 2) 4 same (same 3)]")
}

// A row that lies between a father, who is there, and his son makes no one of them, since the son's birthday speaks against
// the record that the row between has found. Where that row says nothing for it which the record does not say, the son
// is another, as he were without it; where it does, such as his number, he is asked about.
func TestASonBehindARowOfHisFather(t *testing.T) {
	b := start(t)
	const header = "First name,Surname,E-mail,Phone,Street,Postal code,Town,Birthday\n"
	b.loaded("contact", header+"Ola,Tangvald,ola@tangvald.example,+4755112233,Strandgata 12,5003,Bergen,1948-04-11\n")
	const son = "Ola,Tangvald,,+4777889944,Strandgata 12,5003,Bergen,1973-10-05\n"
	i := b.check(b.upload("contact", header+son))
	b.want(b.rows(i), "[2 create (create)]")
	i = b.check(b.upload("contact", header+"Ola,Tangvald,,+4755112233,Strandgata 12,5003,Bergen,\n"+son))
	b.want(b.rows(i), "[2 same (same 1) 3 create (create)]")
	i = b.check(b.upload("contact", header+"Ola,Tangvald,ola@tangvald.example,+4777889944,Strandgata 12,5003,Bergen,\n"+son))
	b.want(b.rows(i), "[2 update (update 1) 3 ask (ask)]")
	const moved = "Ola,Tangvald,,+4777889944,Nygata 3,5017,Bergen,1973-10-05\n" // to where the row between lives
	i = b.check(b.upload("contact", header+"Ola,Tangvald,ola@tangvald.example,+4755112233,Nygata 3,5017,Bergen,\n"+moved))
	b.want(b.rows(i), "[2 update (update 1) 3 ask (ask)]")
}
