package main_test

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// messyPeople is a sheet as somebody sends it: dates the other way round, words for countries, what stands for
// nothing, a repeat, a telephone number without its country, an address that is none.
const messyPeople = `Nr;Vorname;Nachname;Firma;E-Mail;Telefon;Land;Geb.;Stichwort
K-1;Ada;Moe;Quay Marina;ada@quay.example;55 11 22 33;Norwegen;31.01.1980;ruft zurück
K-2;Bo;Lie;Quay Marina;bo@quay.example;;Norwegen;-;
K-3;Cyrus;Okafor;Tern Works;cyrus(at)tern;;Atlantis;12.12.1990;
K-4;Dora;Sande;Tern Works;dora@tern.example;;Schweden;03.04.1975;Preisliste
K-4;Dora;Sande;Tern Works;dora@tern.example;;Schweden;03.04.1975;Preisliste
K-5;;;;;;;;
K-6;Even;Vik;Nowhere Boats;even@nowhere.example;;Norwegen;29.02.1981;
`

// A whole job by command: a messy sheet is mended where it stands, tried with few rows, loaded, taken back
// and loaded again; what is said at each step is what holds.
func TestAJobByCommand(t *testing.T) {
	s := serve(t)
	held := filepath.Join(t.TempDir(), "held.csv")
	s.runs(
		line{does: "import|" + s.file("accounts.csv", "Company,Town\nQuay Marina,Bergen\nTern Works,Moss\n") + "|--into|account|--yes",
			says: []string{"created 2"}},
		line{does: "read|" + s.file("people.csv", messyPeople), says: []string{"Vorname", "contact", ";"}},
		line{does: "import|" + s.file("people.csv", messyPeople) + "|--into|contact|--country|NO|--match|source_ref|--match|email|--check-only", code: 3,
			says: []string{"create 3", "Nachname 6 family_name", "Geb. 5 birthday", "bad_email", "bad_country", "link_not_found", "bad_date"}},
		line{does: "rows|2|--verdict|hold", says: []string{"Atlantis", "cyrus(at)tern", "Nowhere Boats", "29.02.1981", "!Ada"}},
		line{does: "rows|2|--problem|bad_country", says: []string{"Atlantis", "!Nowhere"}},
		line{does: "rows|2|--text|tern|--column|Firma|--limit|2", says: []string{"Tern Works", "!Quay"}},
		line{does: "rows|2|--verdict|perhaps", code: 1, says: []string{"Error:", "perhaps"}},
		line{does: "rows|2|--row|2", says: []string{"Ada", "1980-01-31", "+4755112233"}},
		line{does: "imports", says: []string{"people.csv", "ready"}},
		line{does: "imports|2", says: []string{"people.csv"}},
		line{does: "imports|--state|loaded", says: []string{"accounts.csv", "!people.csv"}},
		line{does: "imports|--state|asleep", code: 1, says: []string{"Error:", "asleep", "open, checking, ready"}},
		line{does: "imports|--into|contcat", code: 1, says: []string{"Error:", "contcat"}},
		line{does: "questions|2|--kind|never", code: 1, says: []string{"Error:", "alike, several, repeat"}},

		// Mended one by one, and all of a kind.
		line{does: "mend|cell|2|4|E-Mail=cyrus@tern.example", says: []string{"1 cell changed"}},
		line{does: "mend|cell|2|4|Shoe=44", code: 1, says: []string{"Error:", "Shoe"}},
		line{does: "mend|cell|2|999|Land=Norwegen", code: 1, says: []string{"Error:"}},
		line{does: "mend|replace|2|Land|Atlantis|Portugal|--yes", says: []string{"1 cell changed"}},
		line{does: "mend|replace|2|Land|(|x|--pattern|--yes", code: 1, says: []string{"Error:", "pattern"}},
		line{does: "mend|list|2", says: []string{"cyrus(at)tern", "cyrus@tern.example", "Atlantis", "Administrator"}},
		line{does: "mend|blank|2|Geb.|--problem|bad_date|--yes", says: []string{"1 cell changed"}},
		line{does: "mend|back|2|--column|Land", says: []string{"1 cell"}},
		line{does: "rows|2|--problem|bad_country", says: []string{"Atlantis"}},
		line{does: "mapping|2|--means|country:Atlantis=PT|--unreadable|account=create", says: []string{"account"}},
		line{does: "check|2", code: 3, says: []string{"create 5", "skip 1", "hold 1", "duplicate_row"}},
		line{does: "rows|2|--verdict|hold|--csv", says: []string{"Row mark"}},
	)
	sheet := s.uchi(0, "", "rows", "2", "--verdict", "hold", "--csv")
	mended := strings.Replace(sheet, ";K-5;", ";K-5;", 1)
	if err := os.WriteFile(held, []byte(mended), 0o600); err != nil {
		t.Fatal(err)
	}
	s.runs(
		line{does: "mend|sheet|2|" + held, says: []string{"0 cells"}}, // nothing was changed in it
		line{does: "values|2|country", says: []string{"Norwegen", "NO", "Atlantis", "PT"}},
		line{does: "values|2|shoe", code: 2, says: []string{"shoe"}},
		line{does: "answer|2|--rows|hold|leave_out", says: []string{"!Error"}},
		line{does: "check|2", says: []string{"create 5", "skip"}},

		// A trial of two rows, looked at, and then the rest.
		line{does: "load|2|--first|2|--yes", says: []string{"created 2"}},
		line{does: "records|contact|--columns|given_name,family_name,account", says: []string{"Ada Moe Quay Marina", "Bo Lie", "!Dora"}},
		line{does: "mend|cell|2|2|Nachname=X", code: 1, says: []string{"Error:"}}, // it is loaded
		line{does: "imports|discard|2", code: 1, says: []string{"Error:"}},
		line{does: "load|2|--yes", says: []string{"created 5"}},
		line{does: "rows|2|--outcome|created", says: []string{"CON-1", "CON-5"}},
		line{does: "records|account", says: []string{"Nowhere Boats"}},
		line{does: "imports|runs|2", says: []string{"load", "check"}},

		// Somebody changes a record; what the load made of the others goes, that stays.
		line{does: "records|contact|CON-2|--set|job_title=Skipper", says: []string{"Skipper"}},
		line{does: "undo|2|--plan", says: []string{"CON-2"}},
		line{does: "undo|2|--rows|2|--yes", says: []string{"1"}},
		line{does: "records|contact", says: []string{"!Ada", "Lie"}},
		line{does: "undo|2|--yes", says: []string{"!Error"}},
		line{does: "records|contact", says: []string{"Lie", "!Dora"}},
		line{does: "records|account", says: []string{"!Nowhere Boats", "Quay Marina"}},
		line{does: "imports|close|2"},
		line{does: "load|2|--yes", code: 1, says: []string{"Error:", "closed"}},
		line{does: "imports|reopen|2"},
		line{does: "imports|hand-over|2|nobody@lanternquay.example", code: 1, says: []string{"Error:"}},
	)

	// The same file once more, to the same workspace: what is there is found, the rest is made.
	out := s.uchi(3, "", "import", s.file("people.csv", messyPeople), "--into", "contact", "--country", "NO", "--match", "source_ref", "--match",
		"email", "--check-only")
	if said := strings.Join(strings.Fields(out), " "); !strings.Contains(said, "same 1") && !strings.Contains(said, "update 1") {
		t.Errorf("Bo Lie is there still, and the second check says:\n%s", out)
	}
}

// Rows that may be somebody who is there are asked about; answers are given one by one, many at once and by a file,
// listed and taken back.
func TestAnswersByCommand(t *testing.T) {
	s := serve(t)
	people := "Given name,Family name,E-mail,Mobile,Town\n"
	rows := people
	for n, name := range []string{"Marit,Hansen", "Olav,Brekke", "Sunniva,Dahl", "Torkel,Ruud", "Wenche,Lunde", "Yngve,Aas"} {
		family := strings.ToLower(name[strings.Index(name, ",")+1:])
		people += fmt.Sprintf("%s,%s@quay.example,+4791234%03d,Bergen\n", name, family, 137*n)
		rows += fmt.Sprintf("%s,,+4798765%03d,Bergen\n", name, 91*n) // the same name in the same town, another number
	}
	s.runs(
		line{does: "import|" + s.file("there.csv", people) + "|--into|contact|--yes", says: []string{"created 6"}},
		line{does: "import|" + s.file("rows.csv", rows) + "|--into|contact|--check-only", code: 3, says: []string{"ask 6"}},
		line{does: "questions|2", says: []string{"Hansen", "CON-1"}},
		line{does: "questions|2|2", says: []string{"CON-1", "+4798765000", "+4791234000"}},
		line{does: "answer|2|2|take|CON-1", says: []string{"!Error"}},
		line{does: "answer|2|3|new", says: []string{"!Error"}},
		line{does: "answer|2|4|perhaps", code: 1, says: []string{"take, new, leave_out"}},
		line{does: "answer|2|4|take|CON-999", code: 1, says: []string{"Error:"}},
		line{does: "answer|2|--file|" + s.file("answers.csv", "row,choice,record\n4,take,CON-3\n5,leave_out,\n"), says: []string{"2"}},
		line{does: "answer|2|--file|" + s.file("bad.csv", "row,choice\n4,maybe\n"), code: 1, says: []string{"Error:", "maybe"}},
		line{does: "answers|2", says: []string{"CON-1", "new", "CON-3", "leave_out"}},
		line{does: "answer|2|--many|--kind|alike|take", says: []string{"2"}},
		line{does: "questions|2|--open", says: []string{"!Brekke"}},
		line{does: "check|2", says: []string{"create 1", "update 4", "skip 1"}},
		line{does: "answers|take-back|2|3"},
		line{does: "check|2", code: 3, says: []string{"ask 1"}},
		line{does: "answers|2|--csv", says: []string{"row,", "CON-1"}},
		line{does: "try|2|--take-at|70|--ask-at|50|--sample|0", says: []string{"update"}},
		line{does: "load|2|--yes", code: 3, says: []string{"updated 4"}},
		line{does: "records|contact|CON-1", says: []string{"+4798765000", "+4791234000"}}, // history keeps what was there
	)
}

// A file of answers says of which of a row's records each is, so that it says the same when it is read again.
func TestAnswersAboutSeveralRecords(t *testing.T) {
	s := serve(t)
	s.uchi(0, "Name,Town,Country,Website\nTern Marina GmbH,Laboe,DE,www.tern.example\nGull Yachts Ltd,Oban,GB,www.gull.example\n",
		"import", "-", "--into", "account", "--yes")
	s.uchi(3, "Company,Company town,Company country,Company website,First name,Surname\n"+
		"Tern Marina AG,Laboe,DE,www.tern.example,Ada,Berg\nGull Yacht Ltd,Fowey,GB,www.gull.example,Bo,Ek\n"+
		"Heron Quay AS,Moss,NO,www.heron.example,Cy,Moe\n",
		"import", "-", "--into", "contact", "--add", "account", "--check-only")
	s.runs(
		line{does: "answer|2|2|new"},
		line{does: "answer|2|3|take|ACC-2"},
		line{does: "check|2", says: []string{"contact 3 0", "account 2 1"}},
		line{does: "answers|2", says: []string{"2 account new", "3 account take ACC-2"}},
	)
	given := s.uchi(0, "", "answers", "2", "--csv")
	if want := "row,choice,draft,record,other_row,keep\n2,new,account,,,\n3,take,account,ACC-2,,name\n"; given != want {
		t.Fatalf("%s, want %s", given, want)
	}
	s.runs(
		line{does: "answer|2|2|new"}, // about the company still, of which nothing is asked any more
		line{does: "answer|2|4|new", code: 1, says: []string{"more than one record", "account, contact", "Say which"}},
		line{does: "answer|2|--file|-", in: given},
		line{does: "check|2", says: []string{"contact 3 0", "account 2 1"}},
		line{does: "answers|take-back|2|--all"},
		line{does: "check|2", code: 3, says: []string{"create 1", "ask 2"}},
		line{does: "answer|2|--file|-", in: given},
		line{does: "check|2", says: []string{"contact 3 0", "account 2 1"}},
		line{does: "answer|2|--file|-", in: strings.Replace(given, "record,", "recrd,", 1), code: 1, says: []string{"no such column", "recrd"}},
	)
}

// Set-ups are tried out in another workspace and taken over; a second person says yes to a load that needs it.
func TestRehearsalAndApprovalByCommand(t *testing.T) {
	s := serve(t)
	const yoko, secret = "yoko@lanternquay.example", "salt wind and good rope"
	accounts := s.file("accounts.csv", "Company,Place,Staff\nQuay Marina,Bergen,about 12\nTern Works,Moss,40\n")
	s.runs(
		line{does: "people|add|" + yoko + "|--name|Yoko Shiota|--role|operator|--password", in: secret},
		line{does: "workspaces|add|practice"},
		line{does: "import|" + accounts + "|--into|account|--check-only", code: 3, says: []string{"hold 1", "rough_number"}},
		line{does: "rehearse|1|--in|practice", says: []string{"practice"}},
		line{does: "rehearse|1|--in|nowhere", code: 1, says: []string{"Error:", "nowhere"}},
		line{does: "mapping|2|--read-as|employees=lowest|-w|practice", says: []string{"employees"}},
		line{does: "check|2|-w|practice", says: []string{"create 2", "!hold"}},
		line{does: "load|2|--yes|-w|practice", says: []string{"created 2"}},
		line{does: "records|account", says: []string{"!Quay Marina"}},
		line{does: "rehearse|2|--back|-w|practice"},
		line{does: "check|1", says: []string{"create 2", "!hold"}},
		line{does: "approval|--type|account", says: []string{"account"}},
		line{does: "load|1|--yes", code: 1, says: []string{"Error:", "uchi ask"}},
		line{does: "ask|1|--note|The first two", says: []string{"!Error"}},
		line{does: "approve|1", code: 6, says: []string{"Error:"}}, // who asks does not approve
	)
	s.as(yoko, secret,
		line{does: "notices", says: []string{"accounts.csv"}},
		line{does: "approve|1|--no|The towns are missing"},
	)
	s.runs(
		line{does: "imports|1", says: []string{"The towns are missing"}},
		line{does: "load|1|--yes", code: 1, says: []string{"Error:"}},
		line{does: "ask|1"},
	)
	s.as(yoko, secret, line{does: "approve|1"})
	s.runs(
		line{does: "load|1|--yes", says: []string{"created 2"}},
		line{does: "records|account|--columns|name,employees", says: []string{"Quay Marina 12", "Tern Works 40"}},
	)
}

// A customer base comes in one ZIP: companies with their numbers and owners, people, what was noted and the files that
// hang on them. What nobody is named for is not the one who loads; all of it goes again as one.
func TestNotesFilesAndOwnersByCommand(t *testing.T) {
	s := serve(t)
	base := s.file("base.zip", zipped(t,
		"staff.csv", "Name,E-mail,Initials\nIngrid Havnes,ingrid@lanternquay.example,IH\nTom Ferris,tom@lanternquay.example,TF\n",
		"accounts.csv", "Customer no.,Company,Town,Account manager\nK-1,Quay Marina,Bergen,\"Havnes, Ingrid\"\n"+
			"K-2,Tern Works,Moss,tom@lanternquay.example\n"+
			"K-3,Skua Sails,Oslo,\n",
		"contacts.csv", "No.,Given name,Family name,E-mail,Company\nP-1,Ada,Moe,ada@quay.example,K-1\nP-2,Bo,Lie,bo@tern.example,K-2\n",
		"notes.csv", "Note,Date,Author,Account\nPays late,2026-03-01,Ingrid Havnes,K-1\nWants a quote,2026-04-02,TF,K-2\nFor nobody,2026-04-03,TF,K-9\n",
		"attachments.csv", "File,Account\nplans/layout.txt,K-1\nplans/missing.txt,K-2\n",
		"plans/layout.txt", "Pier 5, twelve berths\n",
	))
	saved := filepath.Join(t.TempDir(), "layout.txt")
	s.runs(
		line{does: "bundle|" + base + "|--check-only", code: 3,
			says: []string{"staff.csv", "accounts.csv", "contacts.csv", "notes.csv", "attachments.csv",
				"file_missing", "link_not_found"}},
		line{does: "bundles|1", says: []string{"ready"}},
		line{does: "bundles|load|1|--yes", code: 3, says: []string{"loaded"}},
		line{does: "records|account|--columns|name,owner",
			says: []string{"Quay Marina Ingrid Havnes", "Tern Works Tom Ferris", "!Skua Sails Administrator"}},
		line{does: "records|contact|--columns|family_name,account", says: []string{"Moe Quay Marina", "Lie Tern Works"}},
		line{does: "records|account|ACC-1", says: []string{"Pays late", "layout.txt"}},
		line{does: "records|attachment|ATT-1|--save|" + saved, says: []string{"Written to " + saved}},
		line{does: "records|attachment|ATT-1|--save|" + saved, code: 1, says: []string{"Error:", "there already"}},
		line{does: "bundle|" + base + "|--check-only", code: 3, says: []string{"same 2", "same 3"}},
		line{does: "bundles|undo|1|--yes", says: []string{"undone"}},
		line{does: "records|account", says: []string{"!Quay Marina"}},
		line{does: "records|attachment", says: []string{"!ATT-1"}},
		line{does: "bundles|99", code: 1, says: []string{"Error:"}},
	)
	if text, err := os.ReadFile(saved); err != nil || string(text) != "Pier 5, twelve berths\n" {
		t.Errorf("the file that was saved: %q, %v", text, err)
	}
}
