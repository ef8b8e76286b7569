package main_test

import (
	"archive/zip"
	"bytes"
	"encoding/base64"
	"encoding/csv"
	"encoding/json"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"
)

// line is a command, the code that it ends with, and what is to be found in what it says; see isSaid.
type line struct {
	does string // the words of the command, parted by |
	in   string // standard input
	code int
	says []string
}

// runs carries out commands one behind the other.
func (s *service) runs(lines ...line) {
	s.Helper()
	for _, l := range lines {
		isSaid(s.T, l.does, s.uchi(l.code, l.in, strings.Split(l.does, "|")...), l.says)
	}
}

// isSaid looks for texts in what a command says, blanks as one; those behind a ! are not to be there.
func isSaid(t *testing.T, does, out string, texts []string) {
	t.Helper()
	said := strings.Join(strings.Fields(out), " ")
	for _, want := range texts {
		if absent, ok := strings.CutPrefix(want, "!"); ok {
			if strings.Contains(said, absent) {
				t.Errorf("uchi %s says %q:\n%s", does, absent, out)
			}
		} else if !strings.Contains(said, want) {
			t.Errorf("uchi %s does not say %q:\n%s", does, want, out)
		}
	}
}

// as runs commands as somebody else, who signs in first.
func (s *service) as(email, secret string, lines ...line) {
	s.Helper()
	home := s.home
	s.home = s.TempDir()
	s.uchi(0, secret, "login", email)
	s.runs(lines...)
	s.home = home
}

// People are let in, given roles everywhere and in single workspaces, suspended, admitted and removed; what
// they may not do says why, and which role may.
func TestPeopleByCommand(t *testing.T) {
	s := serve(t)
	const yoko, secret = "yoko@lanternquay.example", "salt wind and good rope"
	s.runs(
		line{does: "people|add|" + yoko + "|--name|Yoko Shiota|--role|operator|--password", in: secret, says: []string{yoko}},
		line{does: "people|add|" + yoko + "|--name|Again", code: 1, says: []string{"Error:"}},
		line{does: "people|add|nobody|--name|X", code: 1, says: []string{"Error:", "e-mail"}},
		line{does: "people|add|z@lanternquay.example|--role|captain", code: 1, says: []string{"Error:", "captain"}},
		line{does: "people|add|mats@lanternquay.example|--name|Mats Holm|--role|viewer", says: []string{"/"}}, // a link
		line{does: "people", says: []string{"Yoko Shiota " + yoko + " operator", "Mats Holm mats@lanternquay.example viewer"}},
		line{does: "workspaces|add|practice", says: []string{"practice"}},
	)
	s.as(yoko, secret, line{does: "tokens|add|nightly|--role|administrator", code: 6, says: []string{"Error:"}}) // more than they may
	s.runs(
		line{does: "people|change|" + yoko + "|--in|practice|--role|administrator", says: []string{yoko}},
		line{does: "people|change|" + yoko + "|--name|Yoko S. Shiota", says: []string{"Yoko S. Shiota"}},
		line{does: "people", says: []string{"Yoko S. Shiota " + yoko + " operator", "practice: administrator"}},
		line{does: "people|change|" + yoko + "|--in|nowhere|--role|viewer", code: 1, says: []string{"Error:"}},
	)
	s.as(yoko, secret,
		line{does: "people", code: 6, says: []string{"Error:", "administrator"}},
		line{does: "log", code: 6, says: []string{"Error:"}},
		line{does: "settings|--keep-days|3", code: 6, says: []string{"Error:", "administrator"}},
		line{does: "workspaces|remove|practice|--yes", code: 6, says: []string{"Error:"}},
		line{does: "fields|add|account|berths|--type|integer|--label|Berths", code: 6, says: []string{"Error:", "administrator"}},
		line{does: "fields|add|account|berths|--type|integer|--label|Berths|-w|practice", says: []string{"berths"}},
		line{does: "tokens|add|nightly|--role|viewer|--days|2|--only|main", says: []string{"uchi_"}},
		line{does: "tokens", says: []string{"nightly viewer main"}},
		line{does: "sessions", says: []string{"No."}},
	)
	token := regexp.MustCompile(`(?m)^\s*(\S{20,})\s*$`).FindStringSubmatch(s.uchi(0, "", "tokens", "add", "script", "--role", "viewer"))
	if token == nil {
		t.Fatal("the secret of a token is not printed")
	}
	s.runs(
		line{does: "records|account|--token|" + token[1], says: []string{"!Error"}},
		line{does: "records|account|ACC-1|--set|name=X|--token|" + token[1], code: 1, says: []string{"Error:"}},
		line{does: "people|suspend|" + yoko, says: []string{yoko}},
		line{does: "people", says: []string{"suspended"}},
		line{does: "login|" + yoko, in: secret, code: 6, says: []string{"Error:"}},
		line{does: "people|admit|" + yoko, says: []string{yoko}},
		line{does: "people|change|" + yoko + "|--role|viewer", says: []string{"viewer"}},
	)
	s.as(yoko, secret, line{does: "import|" + s.file("a.csv", "Company\nQuay\n") + "|--into|account|--yes", code: 6,
		says: []string{"Error:"}})
	s.runs(
		line{does: "people|remove|" + yoko + "|--yes"},
		line{does: "people", says: []string{"!" + yoko}},
		line{does: "people|suspend|" + admin, code: 1, says: []string{"Error:"}}, // somebody must be able to let others in
		line{does: "log|--text|person", says: []string{"Administrator"}},
		line{does: "log|prove", says: []string{"!Error"}},
	)
}

// A type of one's own has fields, choices, a key and rules that are seen and changed; what it wants is told, in a
// document and in a sheet to fill in, and such a sheet maps itself.
func TestTypesAndFieldsByCommand(t *testing.T) {
	s := serve(t)
	sheet := filepath.Join(t.TempDir(), "berths.csv")
	s.runs(
		line{does: "types|add|Berth|--field|Berth no=text,key|--field|Marina=reference,account" +
			"|--field|Length=decimal|--field|Kind=choice,pontoon,buoy|--show",
			says: []string{"Berth no", "Marina", "pontoon"}},
		line{does: "types", says: []string{"!berth"}},
		line{does: "types|add|Berth|--field|Berth no=text,key|--field|Marina=reference,account" +
			"|--field|Length=decimal|--field|Kind=choice,pontoon,buoy",
			says: []string{"berth"}},
		line{does: "types|add|Berth|--field|No=text", code: 1, says: []string{"Error:"}},
		line{does: "types|add|Tide|--field|Height=fathoms", code: 2, says: []string{"fathoms", "decimal, money"}},
		line{does: "types", says: []string{"berth"}},
		line{does: "types|berth", says: []string{"# Berths", "**Berth no**", "pontoon"}},
		line{does: "fields|berth", says: []string{"berth_no", "key", "account"}},
		line{does: "fields|add|berth|depth|--label|Depth|--type|decimal|--help-text|At low water", says: []string{"depth"}},
		line{does: "fields|add|berth|depth|--type|decimal", code: 1, says: []string{"Error:", "depth"}},
		line{does: "fields|add|berth|side|--type|weather", code: 1, says: []string{"Error:", "weather"}},
		line{does: "fields|change|berth|kind|--choice|pontoon|--choice|buoy|--choice|quay=At the quay", says: []string{"kind"}},
		line{does: "fields|change|berth|depth|--name|draught|--label|Draught", says: []string{"draught"}},
		line{does: "fields|change|berth|berth_no|--length|1", code: 1, says: []string{"Error:"}},
		line{does: "fields|berth", says: []string{"draught Draught", "quay", "!depth Depth"}},
		line{does: "fields|retire|berth|length", says: []string{"length"}},
		line{does: "fields|berth", says: []string{"retired"}},
		line{does: "fields|restore|berth|length", says: []string{"length"}},
		line{does: "fields|retire|berth|berth_no", code: 1, says: []string{"Error:"}}, // by which it is called
		line{does: "rules|berth", says: []string{"Berth no"}},
		line{does: "rules|berth|--from|" + s.file("rules.yaml", "- fields: [berth_no]\n- fields: [marina, length]\n  one: ask\n"),
			says: []string{"Marina"}},
		line{does: "rules|berth|--from|" + s.file("bad.yaml", "- fields: [mooring]\n"), code: 1, says: []string{"Error:", "mooring"}},
		line{does: "rules|berth|--usual", says: []string{"Berth no"}},
		line{does: "starter|berth|-o|" + sheet, says: []string{"berths.csv"}},
		line{does: "starter|mooring", code: 1, says: []string{"Error:", "mooring"}},
		line{does: "import|" + s.file("accounts.csv", "Company\nQuay Marina\n") + "|--into|account|--yes", says: []string{"1"}},
	)
	header, err := os.ReadFile(sheet)
	if err != nil {
		t.Fatal(err)
	}
	first, err := csv.NewReader(bytes.NewReader(bytes.TrimPrefix(header, []byte("\ufeff")))).Read()
	if err != nil {
		t.Fatal(err)
	}
	cells := map[string]string{"Berth no": "A-1", "Marina": "Quay Marina", "Length": "12.5", "Kind": "pontoon", "Draught": "2.1"}
	var row []string
	for _, h := range first {
		row = append(row, cells[strings.TrimSuffix(h, " *")])
	}
	var filled strings.Builder
	w := csv.NewWriter(&filled)
	w.Write(first) //nolint:errcheck // into memory
	w.Write(row)   //nolint:errcheck // into memory
	w.Flush()
	s.runs(
		line{does: "import|" + s.file("filled.csv", filled.String()) + "|--into|berth|--yes", says: []string{"created 1"}},
		line{does: "records|berth|--columns|berth_no,marina,draught,kind", says: []string{"A-1 Quay Marina 2.1 pontoon"}},
		line{does: "records|berth|BER-1|--set|draught=1.8|--note|Silted up", says: []string{"1.8"}},
		line{does: "records|berth|BER-1", says: []string{"2.1", "1.8", "Silted up"}},
		line{does: "records|berth|BER-1|--set|draught=deep", code: 1, says: []string{"Error:", "deep"}},
		line{does: "records|account|ACC-1", says: []string{"A-1"}}, // what refers to it
	)
}

// Workspaces are made, copied, renamed, closed and removed; what is closed can be looked at and not changed.
func TestWorkspacesByCommand(t *testing.T) {
	s := serve(t)
	accounts := s.file("accounts.csv", "Company,Town\nQuay Marina,Bergen\nTern Works,not asked\n")
	s.runs(
		line{does: "workspaces|add|branch|--label|The branch", says: []string{"branch"}},
		line{does: "workspaces|add|branch", code: 1, says: []string{"Error:", "branch"}},
		line{does: "workspaces|add|No good", code: 1, says: []string{"Error:"}},
		line{does: "workspaces|nothing|not asked|xxx|-w|branch", says: []string{"not asked"}},
		line{does: "workspaces|nothing|-w|branch", says: []string{"not asked", "xxx"}},
		line{does: "workspaces|nothing", says: []string{"!not asked"}},
		line{does: "import|" + accounts + "|--into|account|--yes|-w|branch", says: []string{"created 2"}},
		line{does: "records|account|-w|branch|--columns|name,locality", says: []string{"Tern Works", "!not asked"}},
		line{does: "records|account", says: []string{"!Tern Works"}},
		line{does: "views|account|--save|In Bergen|--filter|locality == \"Bergen\"|--shared|-w|branch", says: []string{"In Bergen"}},
		line{does: "workspaces|add|copy|--from|branch|--share|100", says: []string{"copy"}},
		line{does: "records|account|-w|copy", says: []string{"Quay Marina", "Tern Works"}},
		line{does: "records|account|--view|In Bergen|-w|copy", says: []string{"Quay Marina", "!Tern Works"}},
		line{does: "workspaces|rename|branch|The northern branch"},
		line{does: "workspaces|close|branch"},
		line{does: "workspaces", says: []string{"The northern branch", "closed"}},
		line{does: "records|account|-w|branch", says: []string{"Tern Works"}},
		line{does: "import|" + accounts + "|--into|account|--yes|-w|branch", code: 1, says: []string{"Error:", "closed"}},
		line{does: "records|account|ACC-1|--set|locality=Moss|-w|branch", code: 1, says: []string{"Error:", "closed"}},
		line{does: "workspaces|open|branch"},
		line{does: "records|account|ACC-1|--set|locality=Moss|-w|branch", says: []string{"Moss"}},
		line{does: "workspaces|remove|main|--yes", code: 1, says: []string{"Error:"}},
		line{does: "workspaces|remove|copy", in: "no\n", says: []string{"copy"}},
		line{does: "records|account|-w|copy", says: []string{"Quay Marina"}},
		line{does: "workspaces|remove|copy|--yes"},
		line{does: "records|account|-w|copy", code: 1, says: []string{"Error:", "copy"}},
		line{does: "records|account|-w|nowhere", code: 1, says: []string{"Error:", "nowhere"}},
	)
}

// Views are kept and forgotten; records go out in every format, now or in the background, and what went
// out can come back.
func TestViewsAndExportsByCommand(t *testing.T) {
	s := serve(t)
	dir := t.TempDir()
	at := func(name string) string { return filepath.Join(dir, name) }
	read := func(name string) string {
		t.Helper()
		b, err := os.ReadFile(at(name))
		if err != nil {
			t.Fatal(err)
		}
		return string(b)
	}
	s.runs(
		line{does: "import|" + s.file("accounts.csv", "Company,Town,Country,Number\nQuay Marina,Bergen,NO,K-1\n"+
			"Tern Works,Plymouth,GB,K-2\n"+
			"\"Skua, Sails\",Oslo,NO,K-3\n") + "|--into|account|--map|source_ref=Number|--yes", says: []string{"created 3"}},
		line{does: "views|account|--save|Norwegian|--filter|country == \"NO\"|--columns|name,locality|--sort|-name",
			says: []string{"Norwegian"}},
		line{does: "views|account|--save|Bad|--filter|country === 1", code: 1, says: []string{"Error:"}},
		line{does: "views|account|--save|Bad|--columns|harbour", code: 1, says: []string{"Error:", "harbour"}},
		line{does: "views|account", says: []string{"Norwegian", "!Bad"}},
		line{does: "records|account|--view|Norwegian", says: []string{"Skua, Sails Oslo", "!Tern Works"}},
		line{does: "records|account|--filter|name.lower().contains(\"tern\")", says: []string{"Tern Works", "!Quay"}},
		line{does: "records|account|--text|K-2", says: []string{"Tern Works", "!Quay"}},
		line{does: "records|account|--sort|nothing", code: 1, says: []string{"Error:", "nothing"}},
		line{does: "export|account|--view|Norwegian|-o|" + at("a.csv"), says: []string{"a.csv"}},
		line{does: "export|account|--format|jsonl|-o|" + at("a.jsonl"), says: []string{"a.jsonl"}},
		line{does: "export|account|-o|" + at("a.xlsx"), says: []string{"a.xlsx"}},
		line{does: "export|account|-o|" + at("a.ods"), says: []string{"a.ods"}},
		line{does: "export|account|--format|docx", code: 1, says: []string{"Error:", "docx"}},
		line{does: "export|account|--format|csv|--delimiter|semicolon|--columns|name,country",
			says: []string{"Name;Country", "Skua, Sails;NO"}},
		line{does: "views|account|--remove|Norwegian", says: []string{"!Norwegian"}},
		line{does: "views|account|--remove|Norwegian", code: 1, says: []string{"Error:"}},
		line{does: "records|account|--view|Norwegian", code: 1, says: []string{"Error:", "Norwegian"}},
		line{does: "export|account|--later|--format|csv", says: []string{"uchi exports"}},
	)
	if text := read("a.csv"); strings.Count(text, "\n") != 3 || strings.Index(text, "Skua") > strings.Index(text, "Quay") {
		t.Errorf("the view as CSV:\n%s", text)
	}
	for n, text := range strings.Split(strings.TrimSpace(read("a.jsonl")), "\n") {
		var record map[string]any
		if err := json.Unmarshal([]byte(text), &record); err != nil || record["name"] == nil {
			t.Errorf("line %d: %v in %s", n+1, err, text)
		}
	}
	for _, name := range []string{"a.xlsx", "a.ods"} {
		if _, err := zip.NewReader(strings.NewReader(read(name)), int64(len(read(name)))); err != nil {
			t.Errorf("%s: %v", name, err)
		}
	}
	for range 100 {
		if strings.Contains(s.uchi(0, "", "exports"), "ready") {
			break
		}
		time.Sleep(50 * time.Millisecond)
	}
	s.runs(
		line{does: "exports|1|-o|" + at("later.csv"), says: []string{"later.csv"}},
		line{does: "exports|remove|1"},
		line{does: "exports|1", code: 1, says: []string{"Error:"}},
	)
	// A workbook that went out is changed elsewhere and comes back: here as CSV.
	s.uchi(0, "", "export", "account", "-o", at("back.csv"))
	changed := strings.Replace(read("back.csv"), "Plymouth", "Fowey", 1)
	s.runs(
		line{does: "import|" + s.file("back.csv", changed) + "|--into|account|--check-only",
			says: []string{"update 1", "same 2", "locality 1"}},
		line{does: "records|account|ACC-2", says: []string{"Plymouth"}},
		line{does: "load|2|--yes"},
		line{does: "records|account|ACC-2", says: []string{"Fowey"}},
	)
}

// What holds for the service and what people and programs are told is set by command.
func TestSettingsByCommand(t *testing.T) {
	key := filepath.Join(t.TempDir(), "key")
	if err := os.WriteFile(key, []byte(base64.StdEncoding.EncodeToString(make([]byte, 32))), 0o600); err != nil {
		t.Fatal(err)
	}
	s := serve(t, "--key-file", key)
	s.runs(
		line{does: "settings", says: []string{"90 days"}},
		line{does: "settings|--keep-days|30", says: []string{"30 days"}},
		line{does: "settings|--keep-days|0", code: 1, says: []string{"Error:"}},
		line{does: "settings", says: []string{"30 days"}},
		line{does: "notices", says: []string{"!Error"}},
		line{does: "notices|--tell|waits,failed", says: []string{"waits", "failed"}},
		line{does: "notices|--tell|weather", code: 1, says: []string{"Error:", "weather"}},
		line{does: "notices|--tell|none"},
		line{does: "hooks|add|ftp://tools.example/x", code: 1, says: []string{"Error:"}},
		line{does: "hooks|add|https://tools.example/uchi|--of|waits,failed", says: []string{"whsec_"}},
		line{does: "hooks|add|https://tools.example/other|--of|tides", code: 1, says: []string{"Error:", "tides"}},
		line{does: "hooks", says: []string{"https://tools.example/uchi", "waits"}},
		line{does: "hooks|remove|1"},
		line{does: "hooks", says: []string{"!tools.example"}},
		line{does: "approval", says: []string{"!Error"}},
		line{does: "approval|--type|account|--above|100", says: []string{"account", "100"}},
		line{does: "approval|--type|mooring", code: 1, says: []string{"Error:", "mooring"}},
		line{does: "approval|--type||--above|0", says: []string{"!mooring"}},
		line{does: "log|--text|settings", says: []string{"30"}},
		line{does: "log|--person|nobody@lanternquay.example", says: []string{"!settings"}},
		line{does: "log|--since|yesterday", code: 2, says: []string{"yesterday"}},
	)
}

// A set-up is kept as a document, shown, changed in an editor and used again; one that is no set-up
// says where and why.
func TestRoutinesByCommand(t *testing.T) {
	s := serve(t)
	contacts := s.file("contacts.csv", "Vorname,Nachname,Mail,Land\nAda,Moe,ada@quay.example,Norwegen\n"+
		"Bo,Lie,bo@quay.example,Atlantis\n")
	s.runs(
		line{does: "import|" + contacts + "|--into|contact|--check-only", code: 3, says: []string{"hold 1", "Atlantis"}},
		line{does: "mapping|1|--means|country:Atlantis=PT", says: []string{"country"}},
		line{does: "check|1", says: []string{"create 2", "!hold 1"}},
		line{does: "routine|save|branch|--import|1", says: []string{"branch"}},
		line{does: "routine", says: []string{"branch"}},
		line{does: "routine|show|branch", says: []string{"Atlantis: PT", "from: [Vorname]"}},
		line{does: "routine|show|other", code: 1, says: []string{"Error:", "other"}},
	)
	kept := s.uchi(0, "", "routine", "show", "branch")
	s.runs(
		line{does: "routine|save|south|--from|" + s.file("south.yaml", strings.ReplaceAll(kept, "Atlantis: PT", "Atlantis: ES")),
			says: []string{"south"}},
		line{does: "routine|save|bad|--from|" + s.file("bad.yaml", strings.Replace(kept, "from: [Vorname]", "frmo: [Vorname]", 1)),
			code: 1,
			says: []string{"Error:", "frmo"}},
		line{does: "routine|save|bad|--from|" + s.file("none.yaml", "[1, 2"), code: 1, says: []string{"Error:"}},
		line{does: "import|" + contacts + "|--routine|south|--yes", says: []string{"created 2"}},
		line{does: "records|contact|--columns|family_name,country", says: []string{"Lie ES"}},
		line{does: "import|" + s.file("less.csv", "Vorname,Mail,Land\nCy,cy@quay.example,Norwegen\n") + "|--routine|south|--yes", code: 1,
			says: []string{"Nachname"}},
		line{does: "routine|remove|south"},
		line{does: "routine|remove|south", code: 1, says: []string{"Error:"}},
		line{does: "import|" + contacts + "|--routine|south|--yes", code: 1, says: []string{"Error:", "south"}},
		line{does: "workspaces|add|branch"},
		line{does: "routine|copy|branch|--to|branch", says: []string{"branch"}},
		line{does: "routine|-w|branch", says: []string{"branch"}},
	)
}

// A file whose cells have changed places under the same names is not loaded by a routine without a look; what a
// person has let pass once, passes again.
func TestChangedPlacesWaitForALook(t *testing.T) {
	s := serve(t)
	sheet := func(name, given, family string) string {
		text := "Vorname,Nachname,Mail,Ort\n"
		for n, g := range strings.Fields(given) {
			text += g + "," + strings.Fields(family)[n] + "," + name + strconv.Itoa(n) + "@quay.example,Laboe\n"
		}
		return s.file(name+".csv", text)
	}
	const given, family = "Ingrid Matteo Annika Helena Carlos Camille Heinrich Gudrun",
		"Solbakken Lindqvist Petersen Rousseau Virtanen Schröder Andersson Kowalski"
	const given2, family2 = "Thomas Birgit Claudia Stefan Wolfgang Sabine Martina Jürgen",
		"Nilsson Hoffmann Bergström Schneider Johansen Wagner Zimmermann Nowak"
	first, turned := sheet("first", given, family), sheet("turned", family, given)
	s.runs(
		line{does: "import|" + first + "|--into|contact|--yes", says: []string{"created 8"}},
		line{does: "routine|save|people|--import|1"},
		line{does: "import|" + turned + "|--routine|people|--yes", code: 1,
			says: []string{"Nachname goes to family_name", "look like given names", "unlike_columns", "uchi load 2"}},
		line{does: "records|contact", says: []string{"8 contacts"}},
		line{does: "bundle|" + turned + "|" + sheet("other", given2, family2) + "|--yes", code: 1,
			says: []string{"unlike_columns", "uchi bundles load"}},
		line{does: "records|contact", says: []string{"8 contacts"}},
	)
	text, err := os.ReadFile(first)
	if err != nil {
		t.Fatal(err)
	}
	longer := s.file("longer.csv", strings.Replace(string(text), "Ort\n", "Ort,Land\n", 1)) // names too many
	s.runs(
		line{does: "import|" + longer + "|--routine|people|--yes", code: 1, says: []string{"header_too_long", "more names than"}},
		line{does: "check|2"},
		line{does: "load|2|--yes", says: []string{"updated 8"}},
		line{does: "import|" + sheet("again", family2, given2) + "|--routine|people|--yes", code: 3, says: []string{"!unlike_columns"}},
	)
}
