package work

import (
	"fmt"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/mapping"
	"uchi/internal/core/verdict"
	"uchi/internal/staging"
	"uchi/internal/store"
)

const people = `Ref,Given name,Family name,E-mail,Phone,Street,Postal code,Town,Birthday
P-1,Kari,Øksnes,kari@oksnes.example,+4755112233,Storgata 4,5003,Bergvik,1980-04-03
P-2,Ola,Tangvald,info@marina.example,+4755112234,Sjøgata 1,5004,Bergvik,1975-01-30
P-3,Berit,Myrvang,info@marina.example,+4755112235,Sjøgata 1,5004,Bergvik,1990-06-11
P-4,Jan,Hansen,,,,,Bergvik,1961-01-30
P-5,Jan,Hansen,,,,,Bergvik,1988-09-09
`

// Known people are found though they are written otherwise, those that share a
// mailbox are kept apart, the married name is asked about.
func TestFoundByLikeness(t *testing.T) {
	b := start(t)
	b.loaded("contact", people)
	i := b.check(b.upload("contact",
		strings.Join([]string{"Given name,Family name,E-mail,Phone,Street,Postal code,Town,Birthday",
			"KARI,ØKSNES,,+47 55 11 22 33,Storgata 4,5003,,",                  // 2 Kari, typed anew
			"Bertie,Myrvang,info@marina.example,,,,Bergvik,11.06.1990",        // 3 a name that could be hers
			"Nils,Berg,info@marina.example,,,,,",                              // 4 another at the mailbox
			"Kari,Solberg,kari@oksnes.example,,,,,",                           // 5 married, perhaps
			"Jan,Hansen,,,,,Bergvik,",                                         // 6 which of the two?
			"Ola,Tangvald,ola@private.example,+4755112234,,,,1975-01-30",      // 7 another mailbox
			"Ola,Tangvald,,+4755112234,Sjøgata 1,5004,Bergvik,2004-05-05",     // 8 his son
			"Ingrid,Lyngset,ingrid@lyngset.example,+4799887766,,,,1966-02-02", // 9 new
		}, "\n")))
	got := map[int64]string{}
	rows, err := b.room.Rows(b.Context(), i, staging.RowFilter{}, 0, -1, 50)
	b.ok(err)
	for _, r := range rows {
		got[r.Row] = string(*r.Verdict)
		if len(r.Drafts) > 0 && r.Drafts[0].Record != nil {
			got[r.Row] += fmt.Sprintf(" CON-%d", *r.Drafts[0].Record)
		}
		if r.Question != nil {
			got[r.Row] += " " + string(*r.Question)
		}
	}
	b.want(got, map[int64]string{2: "same CON-1", 3: "ask alike", 4: "create", 5: "ask alike", 6: "ask several",
		7: "update CON-2", 8: "ask alike", 9: "create"})
	q, err := b.work.Question(b.Context(), i, 5, "")
	b.ok(err)
	if len(q.Candidates) != 1 || q.Candidates[0].Title != "Kari Øksnes" ||
		q.Candidates[0].Values["birthday"] != "1980-04-03" || len(q.Candidates[0].Reasons.V) == 0 ||
		fmt.Sprint(q.Candidates[0].Against.V) != "[other_family_name]" {
		t.Errorf("the married name: %+v", q.Candidates)
	}
	if i.Totals.V.Asked == nil {
		t.Error("questions are not counted by kind")
	}
}

// Answers are followed by the next check, survive another, and can be taken back.
func TestAnswers(t *testing.T) {
	b := start(t)
	b.loaded("contact", people)
	i := b.check(b.upload("contact", "Given name,Family name,E-mail,Phone,Birthday\n"+
		"Kari,Solberg,kari@oksnes.example,+4790909090,\nJan,Hansen,,,\nBerit,Solberg,,+4755112235,\n"))
	b.want(i.Totals.V.Verdicts, map[string]int64{"ask": 3})
	answer := func(g ...Given) error { _, err := b.work.Answer(b.Context(), i, g, b.person); return err }
	for code, g := range map[string][]Given{
		"unknown_choice":     {{Row: 2, Choice: "perhaps"}},
		"unknown_record":     {{Row: 2, Choice: verdict.ChooseTake, Record: "CON-99"}},
		"answer_contradicts": {{Row: 2, Choice: verdict.ChooseNew, Record: "CON-1"}},
		"answered_twice":     {{Row: 2, Choice: verdict.ChooseNew}, {Row: 2, Choice: verdict.ChooseTake, Record: "CON-1"}},
		"unknown_row":        {{Row: 77, Choice: verdict.ChooseNew}},
		"unknown_field":      {{Row: 2, Choice: verdict.ChooseNew, Keep: []string{"shoe"}}},
	} {
		if err := answer(g...); !fault.Is(err, code) {
			t.Errorf("%+v: %v, want %s", g, err, code)
		}
	}
	b.ok(answer(Given{Row: 2, Choice: verdict.ChooseTake, Record: "CON-1", Keep: []string{"family_name"}},
		Given{Row: 3, Choice: verdict.ChooseLeaveOut}, Given{Row: 4, Choice: verdict.ChooseNew}))
	i = b.again(i)
	if err := b.work.Load(b.Context(), i, LoadRequest{}, b.person); !fault.Is(err, "answered_since_check") {
		t.Errorf("a load before the answers count: %v", err)
	}
	for range 2 { // the second check says the same
		i = b.check(i)
		b.want(i.Totals.V.Verdicts, map[string]int64{"update": 1, "skip": 1, "create": 1})
	}
	_, err := b.work.TakeBack(b.Context(), i, []int64{4}, b.person)
	b.ok(err)
	i = b.check(i)
	b.want(i.Totals.V.Verdicts, map[string]int64{"update": 1, "skip": 1, "ask": 1})
	i = b.load(i)
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"updated": 1, "skipped": 1, "held": 1})
	r := b.record("contact", "CON-1")
	b.want(r.Values["family_name"]+" "+r.Values["phone"], "Øksnes +4790909090")
	// What is left is asked again, answered, and loaded.
	b.ok(answer(Given{Row: 4, Choice: verdict.ChooseTake}))
	i = b.load(b.check(b.again(i)))
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"updated": 2, "skipped": 1, "held": 0})
	b.want(b.record("contact", "CON-3").Values["family_name"], "Solberg")
}

// again reads the import as it is now.
func (b *bench) again(i store.Import) store.Import {
	b.Helper()
	i, err := b.store.Import(b.Context(), "main", i.ID)
	b.ok(err)
	return i
}

// Answers that rows are none of the records do not make two records of rows that
// are the same: what the rows are to each other is said as well.
func TestAllNewMakesNoTwo(t *testing.T) {
	b := start(t)
	b.loaded("contact", people)
	const son = "Ola,Tangvald,,+4755112234,Sjøgata 1,5004,Bergvik,2004-05-05" // of Ola, born 1975
	i := b.check(b.upload("contact",
		strings.Join([]string{"Given name,Family name,E-mail,Phone,Street,Postal code,Town,Birthday",
			son,                                   // 2
			strings.Replace(son, "Ola", "OLA", 1), // 3 again
			"Ola,Tangvald,,+4755112234,Sjøgata 1,5004,Bergvik,1999-11-20", // 4 another son, or a wrong birthday
		}, "\n")))
	b.want(b.rows(i), "[2 ask (ask) 3 hold (hold) 4 ask (ask)]")
	q, err := b.work.Question(b.Context(), i, 4, "")
	b.ok(err)
	var offered []string
	for _, c := range q.Candidates {
		if c.OtherRow != nil {
			offered = append(offered, fmt.Sprint("row ", *c.OtherRow))
		} else {
			offered = append(offered, fmt.Sprint("record ", *c.Record))
		}
	}
	b.want(offered, "[record 2 row 2 row 3]")
	allNew := func() {
		t.Helper()
		_, err := b.work.AnswerMany(b.Context(), b.again(i), staging.QuestionFilter{}, verdict.ChooseNew, b.person)
		b.ok(err)
		i = b.check(b.again(i))
	}
	allNew()
	b.want(b.rows(i), "[2 create (create) 3 hold (hold) 4 create (create)]")
	b.want(b.codes(i), "[3 duplicate_row ]")
	// Who says of the row itself that it is another is believed.
	_, err = b.work.Answer(b.Context(), b.again(i), []Given{{Row: 3, Choice: verdict.ChooseNew}}, b.person)
	b.ok(err)
	i = b.check(b.again(i))
	b.want(b.rows(i), "[2 create (create) 3 create (create) 4 create (create)]")
	// Loaded, the same rows are the records that they made, though others are like them.
	_, err = b.work.Answer(b.Context(), b.again(i), []Given{{Row: 3, Choice: verdict.ChooseLeaveOut}}, b.person)
	b.ok(err)
	i = b.load(b.check(b.again(i)))
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"created": 2, "skipped": 1})
	next := b.check(b.upload("contact", "Given name,Family name,E-mail,Phone,Street,Postal code,Town,Birthday\n"+son+"\n"))
	b.want(b.rows(next), "[2 same (same 6)]")
}

// Of whom a person has said that they are another than a record, is not asked about
// when the same row comes again, and the other is found as well; what is written
// otherwise is asked as before.
func TestToldApart(t *testing.T) {
	b := start(t)
	const father, son = "Ola,Tangvald,+4755112234,Bergvik,1975-03-02", "Ola,Tangvald,+4755112234,Bergvik,"
	const header = "Given name,Family name,Phone,Town,Birthday\n"
	b.loaded("contact", header+father+"\n")
	b.loaded("account", "Company,Town,Country\nNordkai Marina,Nordkai,NO\n")
	for _, x := range []struct{ into, header, first, again, other, otherwise string }{
		{"contact", header, son, son, father, "O.,Tangvald,+4755112234,Bergvik,"},
		{"account", "Company,Town,Country\n", "Nordkai Marina Service,Nordkai,NO", "Nordkai Marina Service,Nordkai,NO",
			"Nordkai Marina,Nordkai,NO", "Nordkai Marina Servce,Nordkai,NO"},
	} {
		i := b.check(b.upload(x.into, x.header+x.first+"\n"))
		if x.into == "account" {
			b.want(b.rows(i), "[2 ask (ask)]")
		}
		_, err := b.work.Answer(b.Context(), i, []Given{{Row: 2, Choice: verdict.ChooseNew}}, b.person)
		b.ok(err)
		i = b.load(b.check(b.again(i)))
		b.want(i.Outcomes.V, map[verdict.Outcome]int64{"created": 1})
		b.want(b.rows(b.check(b.upload(x.into, x.header+x.again+"\n"))), "[2 same (same 2)]")
		b.want(b.rows(b.check(b.upload(x.into, x.header+x.other+"\n"))), "[2 same (same 1)]")
		b.want(b.rows(b.check(b.upload(x.into, x.header+x.otherwise+"\n"))), "[2 ask (ask)]")
	}
}

func TestAnswersInBulk(t *testing.T) {
	b := start(t)
	var there, come strings.Builder
	there.WriteString("Given name,Family name,E-mail,Birthday\n")
	come.WriteString("Given name,Family name,E-mail,Birthday\n")
	starts, ends := strings.Fields("Ås Berg Dal Ek Furu Gran Hav Lyng"), strings.Fields("nes vik stad heim rud")
	for n := range 40 {
		name, mail := starts[n%8]+ends[n/8], fmt.Sprintf("k%d@%s.example", n*31, ends[n%5])
		fmt.Fprintf(&there, "Kari,%s,%s,%d-04-%02d\n", name, mail, 1950+n, n%28+1)
		fmt.Fprintf(&come, "Kari,%s,%s,\n", "Tor"+strings.ToLower(starts[n/8]), mail)
	}
	b.load(b.check(b.exactly(b.upload("contact", there.String()), "email")))
	i := b.check(b.upload("contact", come.String()))
	asked := i.Totals.V.Verdicts["ask"]
	if asked < 30 {
		t.Fatalf("verdicts %v, %v", i.Totals.V.Verdicts, b.codes(i))
	}
	first, err := b.room.Questions(b.Context(), i, staging.QuestionFilter{}, 0, 1)
	b.ok(err)
	like := staging.QuestionFilter{Like: staging.DraftOf{Row: first[0].Row, Draft: first[0].Draft}}
	alike, err := b.room.CountQuestions(b.Context(), i, like)
	b.ok(err)
	var same int64
	every, err := b.room.Questions(b.Context(), i, staging.QuestionFilter{}, 0, 100)
	b.ok(err)
	for _, q := range every {
		if q.Kind == first[0].Kind && fmt.Sprint(q.First.Against.V) == fmt.Sprint(first[0].First.Against.V) {
			same++
		}
	}
	b.want(alike, same)
	n, err := b.work.AnswerMany(b.Context(), i, staging.QuestionFilter{Kind: verdict.AskAlike, From: 10},
		verdict.ChooseTake, b.person)
	b.ok(err)
	some, err := b.room.CountQuestions(b.Context(), i, staging.QuestionFilter{Open: true})
	b.ok(err)
	b.want(n+some, asked)
	_, err = b.work.AnswerMany(b.Context(), i, staging.QuestionFilter{}, verdict.ChooseLeaveOut, b.person)
	b.ok(err)
	all, unseen, err := b.store.CountAnswers(b.Context(), i.ID)
	b.ok(err)
	b.want(fmt.Sprint(all, unseen), fmt.Sprint(asked, asked))
	i = b.check(b.again(i))
	b.want(i.Totals.V.Verdicts["update"], n)
	_, err = b.work.LeaveOut(b.Context(), i, staging.RowFilter{Verdict: string(verdict.Update)}, b.person)
	b.ok(err)
	i = b.check(b.again(i))
	b.want(i.Totals.V.Verdicts["update"], 0)
	gone, err := b.work.TakeBack(b.Context(), i, nil, b.person)
	b.ok(err)
	b.want(gone, asked)
	b.want(b.check(b.again(i)).Totals.V.Verdicts["ask"], asked)
}

// Rows of one file that are for the same record, by each policy.
func TestRepeatedRows(t *testing.T) {
	b := start(t)
	text := "Ref,Given name,Family name,E-mail,Phone,Birthday\n" +
		"K-1,Kari,Øksnes,kari@oksnes.example,,1980-04-03\n" + // 2
		"K-2,Nils,Berg,nils@berg.example,,\n" + // 3
		"K-1,,Øksnes,,+4755112233,\n" + // 4 the number again
		",Kari,Oeksnes,kari@oksnes.example,,03.04.1980\n" // 5 like row 2
	for policy, want := range map[mapping.Repeats]string{
		mapping.HoldRepeats: "map[create:2 hold:2]", mapping.FirstWins: "map[create:2 skip:2]",
		mapping.LastWins: "map[create:2 skip:2]", mapping.MergeRows: "map[create:2 skip:2]",
		mapping.AskRepeats: "map[ask:2 create:2]",
	} {
		i := b.check(b.change(b.upload("contact", text), func(r *mapping.Routine) { r.Drafts[0].Repeats = policy }))
		b.want(fmt.Sprint(policy, " ", i.Totals.V.Verdicts), fmt.Sprint(policy, " ", want))
		rows, err := b.room.Rows(b.Context(), i, staging.RowFilter{}, 0, -1, 9)
		b.ok(err)
		var named []string
		for _, r := range rows {
			if r.OtherRow != nil {
				named = append(named, fmt.Sprintf("%d %s %d", r.Row, *r.Reason, *r.OtherRow))
			}
			for _, p := range r.Problems {
				named = append(named, fmt.Sprintf("%d %s", r.Row, p.Detail))
			}
		}
		b.want(fmt.Sprint(policy, named),
			fmt.Sprint(policy, map[mapping.Repeats][]string{mapping.HoldRepeats: {"4 2", "5 2"},
				mapping.FirstWins: {"4 repeated 2", "5 repeated 2"}, mapping.LastWins: {"2 repeated 5", "4 repeated 5"},
				mapping.MergeRows: {"4 merged 2", "5 merged 2"}}[policy]))
	}
	i := b.upload("contact", text)
	i = b.load(b.check(b.change(i, func(r *mapping.Routine) { r.Drafts[0].Repeats = mapping.MergeRows })))
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"created": 2, "skipped": 2})
	r := b.record("contact", "CON-1")
	b.want(r.Values["phone"]+" "+r.Values["family_name"]+" "+r.Values["given_name"], "+4755112233 Oeksnes Kari")
	// An answer that a row is an earlier one puts its values there.
	i = b.check(b.change(b.upload("contact", "Ref,Given name,Family name,Phone\nK-7,Åse,Ny,\nK-7,,,+4755112277\n"),
		func(r *mapping.Routine) { r.Drafts[0].Repeats = mapping.AskRepeats }))
	_, err := b.work.AnswerMany(b.Context(), i, staging.QuestionFilter{Kind: verdict.AskRepeat},
		verdict.ChooseTake, b.person)
	b.ok(err)
	i = b.check(b.again(i))
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 1, "skip": 1})
	b.load(i)
	b.want(b.record("contact", "CON-3").Values["phone"], "+4755112277")
}

// What several finds of a rule mean, and a single one.
func TestWhatFindsMean(t *testing.T) {
	b := start(t)
	b.load(b.check(b.exactly(b.upload("contact", "Ref,Family name,E-mail,Phone\nK-1,Ek,info@x.example,\n"+
		"K-2,Bø,info@x.example,+4755112233\nK-3,Li,info@x.example,\n"), "source_ref")))
	for _, c := range []struct {
		one, several catalog.Find
		want         string
	}{{"", "", "ask "}, {"", catalog.Hold, "hold CON-1"}, {"", catalog.Skip, "skip "},
		{"", catalog.Oldest, "update CON-1"}, {"", catalog.Newest, "update CON-3"}, {"", catalog.Full, "update CON-2"}} {
		i := b.change(b.upload("contact", "Family name,E-mail\nNy,info@x.example\n"), func(r *mapping.Routine) {
			r.Drafts[0].Match = []catalog.MatchRule{{Fields: []string{"email"}, One: c.one, Several: c.several}}
		})
		i = b.check(i)
		rows, err := b.room.Rows(b.Context(), i, staging.RowFilter{}, 0, -1, 9)
		b.ok(err)
		got := string(*rows[0].Verdict) + " "
		if rows[0].Drafts[0].Record != nil {
			got += fmt.Sprintf("CON-%d", *rows[0].Drafts[0].Record)
		}
		b.want(string(c.several)+got, string(c.several)+c.want)
	}
	i := b.change(b.upload("contact", "Ref,Family name\nK-1,Ny\n"), func(r *mapping.Routine) {
		r.Drafts[0].Match = []catalog.MatchRule{{Fields: []string{"source_ref"}, One: catalog.Ask}}
	})
	b.want(b.check(i).Totals.V.Verdicts, map[string]int64{"ask": 1})
}

// Policies for two values, for blanks, and the marker that empties one.
func TestValuePolicies(t *testing.T) {
	b := start(t)
	head := "Ref,Family name,Given name,Phone,Job title,Description,Birthday,Updated\n"
	b.loaded("contact", head+"K-1,Berg,Kari,+4755112233,Manager,met at the fair,1980-04-03,\n")
	i := b.upload("contact", head+"K-1,Berg-Li,Karin,,(clear),wants pedestals,(CLEAR),2020-01-01\n")
	i = b.change(i, func(r *mapping.Routine) {
		d := &r.Drafts[0]
		d.Match = []catalog.MatchRule{{Fields: []string{"source_ref"}}}
		d.NewerBy = "Updated"
		set := func(field string, change func(o *mapping.Origin)) {
			o := d.Fields[field]
			change(&o)
			d.Fields[field] = o
		}
		set("family_name", func(o *mapping.Origin) { o.Both = mapping.Newer })
		set("given_name", func(o *mapping.Origin) { o.Both = mapping.Keep })
		set("phone", func(o *mapping.Origin) { o.Blank = mapping.Clear })
		set("description", func(o *mapping.Origin) { o.Both = mapping.Add })
	})
	i = b.check(i)
	b.want(i.Totals.V.Verdicts, map[string]int64{"update": 1})
	rows, err := b.room.Rows(b.Context(), i, staging.RowFilter{}, 0, -1, 9)
	b.ok(err)
	said := rows[0].Drafts[0].Changes.V
	b.load(i)
	v := b.record("contact", "CON-1").Values
	b.want(fmt.Sprintf("%s|%s|%s|%s|%s|%s", v["family_name"], v["given_name"], v["phone"], v["job_title"],
		v["description"], v["birthday"]), "Berg|Kari|||met at the fair\nwants pedestals|")
	if len(said) != 4 || *said["description"][1] != v["description"] || said["phone"][1] != nil {
		t.Errorf("the check said %v", said)
	}
	// Loaded again it changes nothing: what is added is there already.
	i = b.upload("contact", head+"K-1,Berg-Hav,,,,wants pedestals,,2099-01-01\n")
	i = b.check(b.change(i, func(r *mapping.Routine) {
		d := &r.Drafts[0]
		d.NewerBy, d.Both = "Updated", mapping.Newer
		o := d.Fields["description"]
		o.Both = mapping.Add
		d.Fields["description"] = o
	}))
	b.want(b.load(i).Outcomes.V, map[verdict.Outcome]int64{"updated": 1})
	v = b.record("contact", "CON-1").Values
	b.want(v["family_name"]+"|"+v["description"], "Berg-Hav|met at the fair\nwants pedestals")
	for code, change := range map[string]func(d *mapping.Draft){
		"cannot_add":       func(d *mapping.Draft) { o := d.Fields["source_ref"]; o.Both = mapping.Add; d.Fields["source_ref"] = o },
		"newer_by_missing": func(d *mapping.Draft) { d.Both, d.NewerBy = mapping.Newer, "" },
		"required_cleared": func(d *mapping.Draft) {
			o := d.Fields["family_name"]
			o.Blank = mapping.Clear
			d.Fields["family_name"] = o
		},
		"unknown_policy": func(d *mapping.Draft) { d.Repeats = "shrug" },
		"unknown_column": func(d *mapping.Draft) { d.NewerBy = "Nowhere" },
	} {
		j := b.upload("contact", head+"K-1,Berg,,,,,,\n")
		r := *j.Routine.V
		change(&r.Drafts[0])
		if err := b.work.SetRoutine(b.Context(), j, r, 0, b.person); !fault.Is(err, code) {
			t.Errorf("%v, want %s", err, code)
		}
	}
}

// Deleting goes by what is found, keeps what others point to, and leaves a trace.
func TestDelete(t *testing.T) {
	b := start(t)
	b.loaded("account", "Name,Ref\nKalvøya Marina,A-1\nKrogsø Werft,A-2\nLynghavn Segelclub,A-3\n")
	b.loaded("contact", "Family name,Account\nBerg,A-1\nLi,A-1\n")
	i := b.upload("account", "Name,Ref\nKalvøya Marina,A-1\nKrogsø,A-2\nz,A-9\n")
	i = b.check(b.change(i, func(r *mapping.Routine) {
		r.May = mapping.Delete
		r.Drafts[0].Match = []catalog.MatchRule{{Fields: []string{"source_ref"}}}
	}))
	b.want(i.Totals.V.Verdicts, map[string]int64{"delete": 1, "hold": 1, "skip": 1})
	b.want(i.Totals.V.Referred, "[{contact account 2}]")
	b.want(b.codes(i), "[2 still_referred ]")
	i = b.load(i)
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"deleted": 1, "held": 1, "skipped": 1})
	if _, err := b.store.Record(b.Context(), "main", "account", "ACC-2"); !fault.Is(err, "unknown_record") {
		t.Errorf("the record is still there: %v", err)
	}
	b.record("account", "ACC-1")
}

// A tried check says what a check would, and leaves the last one alone.
func TestTry(t *testing.T) {
	b := start(t)
	b.loaded("contact", people)
	i := b.check(b.upload("contact", strings.ReplaceAll(people, "Øksnes", "Oeksnes")))
	said := i.Totals.V.Verdicts
	r := *i.Routine.V
	r.Drafts = []mapping.Draft{r.Drafts[0]}
	r.Drafts[0].Match = []catalog.MatchRule{{Alike: []string{"given_name", "family_name", "email", "birthday"}}}
	tried, err := b.work.Try(b.Context(), i, r, 0, b.person)
	b.ok(err)
	if tried.Rows != 5 || tried.Totals.Verdicts["update"]+tried.Totals.Verdicts["same"]+tried.Totals.Verdicts["ask"] != 5 {
		t.Errorf("tried: %+v", tried)
	}
	b.want(b.again(i).Totals.V.Verdicts, said)
	b.load(b.again(i))
	r.Drafts[0].Match = []catalog.MatchRule{{Alike: []string{"country"}}}
	if _, err := b.work.Try(b.Context(), i, r, 100, b.person); !fault.Is(err, "rule_not_selective") {
		t.Errorf("a rule over a country: %v", err)
	}
}

// A column all of whose values are the same, and many rows with one mailbox,
// are bounded work.
func TestFrequentValuesDoNotExplode(t *testing.T) {
	b := start(t)
	b.room.InChunks(20_000)
	const n = 6000
	text := func(mark string) string {
		return lines("Ref,Given name,Family name,E-mail,Phone,Town", n, func(k int) string {
			return fmt.Sprintf("%[1]s-%[2]d,n/a,%[1]s%[3]d,info@marina.example,+4755112233,Bergvik", mark, k, k*7919%n)
		})
	}
	b.load(b.check(b.exactly(b.upload("contact", text("Berg")), "source_ref")))
	i := b.check(b.upload("contact", text("Lund")))
	if v := i.Totals.V.Verdicts; v["create"]+v["ask"]+v["hold"]+v["update"]+v["same"] != n ||
		v["update"]+v["same"] > n/100 {
		t.Errorf("%v", v)
	}
}

// Weights come from the workspace's own records when there are enough.
func TestEstimatedWeights(t *testing.T) {
	b := start(t)
	b.room.InChunks(20_000)
	b.loaded("contact", people)
	if _, err := b.work.EstimateWeights(b.Context(), "main", "contact", b.person); !fault.Is(err, "too_few_records") {
		t.Errorf("few records: %v", err)
	}
	b.load(b.check(b.exactly(b.upload("contact", lines("Ref,Given name,Family name,E-mail,Town", 4000, func(k int) string {
		return fmt.Sprintf("K-%d,Kari,Nes%dvik,k%d@nes.example,Vik%d", k, k/2, k/2, k%40)
	})), "source_ref")))
	w, err := b.work.EstimateWeights(b.Context(), "main", "contact", b.person)
	b.ok(err)
	if w.Pairs < 500 || w.Share <= 0 || w.Weights.V["given_name"] == nil {
		t.Errorf("%d pairs, share %v", w.Pairs, w.Share)
	}
	b.ok(b.work.ForgetWeights(b.Context(), "main", "contact", b.person))
	if _, own, err := b.store.Weights(b.Context(), "main", "contact"); err != nil || own {
		t.Errorf("the weights are still there: %v", err)
	}
}

// Where rows are found by likeness, a load does not go by a check that others
// have written behind.
func TestWrittenSinceTheCheck(t *testing.T) {
	b := start(t)
	b.loaded("contact", people)
	i := b.check(b.upload("contact", "Given name,Family name,E-mail,Phone\n"+
		"Ingrid,Lyngset,ingrid@lyngset.example,+4799887766\n"))
	b.loaded("contact", "Given name,Family name,E-mail,Phone\nIngrid,Lyngset,ingrid@lyngset.example,+4799887766\n")
	if err := b.work.Load(b.Context(), i, LoadRequest{}, b.person); !fault.Is(err, "written_since_check") {
		t.Errorf("a load behind another: %v", err)
	}
	i = b.load(b.check(b.again(i)))
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"unchanged": 1})
}

// An answer that names a record which is gone since is a problem, not a guess;
// staging that a crash has emptied is made again with the answers.
func TestAnswersOutliveStaging(t *testing.T) {
	b := start(t)
	b.loaded("contact", people)
	i := b.check(b.upload("contact", "Given name,Family name,E-mail,Birthday\n"+
		"Kari,Solberg,kari@oksnes.example,1980-04-03\nNils,Ny,nils@ny.example,\n"))
	_, err := b.work.Answer(b.Context(), i, []Given{{Row: 2, Choice: verdict.ChooseTake, Record: "CON-1"}}, b.person)
	b.ok(err)
	i = b.check(b.again(i))
	b.want(i.Totals.V.Verdicts, map[string]int64{"update": 1, "create": 1})
	b.crash(i)
	i = b.load(i)
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"updated": 1, "created": 1})
	b.want(b.record("contact", "CON-1").Values["family_name"], "Solberg")

	i = b.check(b.upload("contact", "Given name,Family name,E-mail,Birthday\n"+
		"Kari,Myrvang,kari@oksnes.example,1980-04-03\n"))
	_, err = b.work.Answer(b.Context(), i, []Given{{Row: 2, Choice: verdict.ChooseTake, Record: "CON-5"}}, b.person)
	b.ok(err)
	_, err = b.store.Pool().Exec(b.Context(), `delete from w_main.r_contact where id = 5`)
	b.ok(err)
	i = b.check(b.again(i))
	b.want(b.codes(i), "[2 answer_gone ]")
}

// What likeness only writes otherwise stays as it is, unless somebody says replace.
func TestLikenessLeavesOtherWritingAlone(t *testing.T) {
	b := start(t)
	b.loaded("contact", people)
	text := "Given name,Family name,E-mail,Phone,Job title\nK.,Oeksnes,kari@oksnes.example,+4755112233,Harbour master\n"
	i := b.check(b.upload("contact", text))
	b.want(i.Totals.V.Verdicts, map[string]int64{"update": 1})
	b.load(i)
	v := b.record("contact", "CON-1").Values
	b.want(v["given_name"]+" "+v["family_name"]+" "+v["job_title"], "Kari Øksnes Harbour master")
	i = b.check(b.change(b.upload("contact", text), func(r *mapping.Routine) {
		o := r.Drafts[0].Fields["family_name"]
		o.Both = mapping.Replace
		r.Drafts[0].Fields["family_name"] = o
	}))
	b.load(i)
	b.want(b.record("contact", "CON-1").Values["family_name"], "Oeksnes")
}

// An answer that a row is an earlier one holds also when the earlier one is
// loaded by then.
func TestAnswerNamesARowThatIsLoaded(t *testing.T) {
	b := start(t)
	i := b.upload("contact", "Ref,Given name,Family name,Phone\nK-7,Åse,Ny,\nK-7,,,+4755112277\n")
	i = b.load(b.check(b.change(i, func(r *mapping.Routine) { r.Drafts[0].Repeats = mapping.AskRepeats })))
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"created": 1, "held": 1})
	_, err := b.work.Answer(b.Context(), i, []Given{{Row: 3, Choice: verdict.ChooseTake, OtherRow: 2}}, b.person)
	b.ok(err)
	i = b.check(b.again(i))
	b.want(i.Totals.V.Verdicts, map[string]int64{"update": 1})
	b.load(i)
	b.want(b.record("contact", "CON-1").Values["phone"], "+4755112277")
	j := b.check(b.upload("contact", "Given name,Family name\nNils,Ek\n"))
	_, err = b.work.Answer(b.Context(), j, []Given{{Row: 2, Choice: verdict.ChooseTake, OtherRow: 99}}, b.person)
	b.ok(err)
	b.want(b.codes(b.check(b.again(j))), "[2 answer_gone ]")
}

// Rows that are equal in all that is compared are one record, however many.
func TestManyEqualRows(t *testing.T) {
	b := start(t)
	i := b.check(b.upload("contact", lines("Given name,Family name,E-mail", 600, func(k int) string {
		return fmt.Sprintf("%s,Øksnes,post@x.example", []string{"Kari", "Ola"}[k%2])
	})))
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 2, "hold": 598})
}

// Rows that are put together lose no key: those with another are held.
func TestMergedRowsLoseNoKey(t *testing.T) {
	b := start(t)
	i := b.upload("account", "Name,Number in the old system,Registration number,Website,Street\n"+
		"Marina Oostende,K-5,R-1,oostende.example,Kaai 44\nMarina Oostende NV,K-6,R-1,oostende.example,Kaai 44\n"+
		"Fjord Marina,K-7,R-2,,Quay 1\nFjord Marina,,R-2,fjord.example,\n")
	i = b.check(b.change(i, func(r *mapping.Routine) { r.Drafts[0].Repeats = mapping.MergeRows }))
	b.want(b.codes(i), "[3 rows_disagree source_ref]")
	b.want(i.Totals.V.Verdicts, map[string]int64{"create": 2, "skip": 1, "hold": 1})
	b.load(i)
	v := b.record("account", "ACC-2").Values
	b.want(v["source_ref"]+" "+v["website"], "K-7 https://fjord.example")
}
