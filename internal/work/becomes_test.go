package work

import (
	"fmt"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/verdict"
)

// situation is one way in which a row meets a record.
type situation struct {
	there, given string // "" is blank, marker clears
	newer, keep  bool   // the row is newer than the record; a person said to keep what is there
}

const marker = "(leer)"

// becomes is the plain reference for what a field holds afterwards.
func becomes(s situation, both mapping.Both, blank mapping.Blank, add func(was, now string) string) string {
	switch {
	case s.keep:
		return s.there
	case s.given == marker, s.given == "" && blank == mapping.Clear:
		return ""
	case s.given == "" || s.there == s.given:
		return s.there
	case s.there == "":
		return s.given
	case both == mapping.Keep, both == mapping.Newer && !s.newer:
		return s.there
	case both == mapping.Add && add != nil:
		return add(s.there, s.given)
	}
	return s.given
}

// What a field becomes, for every policy, blank policy, clear marker, age and
// answer, in fields that are held and added in different ways: as the plain
// reference says, in the check as in the load.
func TestWhatAFieldBecomes(t *testing.T) {
	b := start(t)
	b.room.InChunks(50)
	_, err := b.work.AddField(b.Context(), "main", "contact", catalog.Field{Name: "topics", Label: "Topics",
		Type:    catalog.Choices,
		Choices: []catalog.Choice{{Code: "moor", Label: "Moor"}, {Code: "power", Label: "Power"}}}, 0, b.person)
	b.ok(err)
	fields := []struct {
		name, header, there, given string
		add                        func(was, now string) string
	}{
		{"job_title", "Job title", "Master", "Owner", func(was, now string) string { return was + ", " + now }},
		{"description", "Description", "met", "wrote", func(was, now string) string { return was + "\n" + now }},
		{"birthday", "Birthday", "1980-04-03", "1991-12-24", nil},
		{"topics", "Topics", "power", "moor", func(string, string) string { return "moor;power" }},
		{"email_consent", "Consent to e-mail", "true", "false", nil},
	}
	var all []situation
	for _, there := range []bool{false, true} {
		for _, given := range []int{0, 1, 2, 3} { // blank, another value, the same, the marker
			for _, newer := range []bool{false, true} {
				for _, keep := range []bool{false, true} {
					s := situation{newer: newer, keep: keep}
					if there {
						s.there = "there"
					}
					s.given = []string{"", "given", "there", marker}[given]
					all = append(all, s)
				}
			}
		}
	}
	head := "Ref,Family name,Updated,Job title,Description,Birthday,Topics,Consent to e-mail\n"
	said := func(word, there, given string) string {
		return map[string]string{"": "", "there": there, "given": given, marker: marker}[word]
	}
	policies := []mapping.Both{mapping.Replace, mapping.Keep, mapping.Add, mapping.Newer}
	var first strings.Builder
	first.WriteString(head)
	for p := range 2 * len(policies) {
		for n, s := range all {
			fmt.Fprintf(&first, "P%d-%d,Berg %d-%d,", p, n, p, n)
			for _, f := range fields {
				fmt.Fprintf(&first, ",%s", said(s.there, f.there, f.given))
			}
			first.WriteString("\n")
		}
	}
	b.want(b.loaded("contact", first.String()).Outcomes.V["created"], 2*len(policies)*len(all))
	for p := range 2 * len(policies) {
		both, blank := policies[p/2], []mapping.Blank{mapping.Leave, mapping.Clear}[p%2]
		text := head
		for n, s := range all {
			text += fmt.Sprintf("P%d-%d,Berg %d-%d,%s", p, n, p, n,
				map[bool]string{false: "2020-01-01", true: "2099-01-01"}[s.newer])
			for _, f := range fields {
				text += "," + said(s.given, f.there, f.given)
			}
			text += "\n"
		}
		i := b.change(b.upload("contact", text), func(r *mapping.Routine) {
			d := &r.Drafts[0]
			d.Match = []catalog.MatchRule{{Fields: []string{"source_ref"}}}
			d.NewerBy, d.ClearMarker = "Updated", "(LEER)" // compared as people read
			for _, f := range fields {
				o := d.Fields[f.name]
				if o.Blank = blank; both != mapping.Add || f.add != nil {
					o.Both = both
				}
				d.Fields[f.name] = o
			}
		})
		i = b.check(i)
		var answers []Given
		for n, s := range all {
			if s.keep {
				g := Given{Row: int64(n + 2), Choice: verdict.ChooseTake, Record: fmt.Sprintf("CON-%d", p*len(all)+n+1)}
				for _, f := range fields {
					g.Keep = append(g.Keep, f.name)
				}
				answers = append(answers, g)
			}
		}
		_, err := b.work.Answer(b.Context(), i, answers, b.person)
		b.ok(err)
		i = b.check(b.again(i))
		rows := b.parts(i)
		i = b.load(i)
		for n, s := range all {
			id := fmt.Sprintf("CON-%d", p*len(all)+n+1)
			values := b.record("contact", id).Values
			verdicts := rows[int64(n+2)]
			if len(verdicts) != 1 {
				t.Fatalf("row %d has %d drafts", n+2, len(verdicts))
			}
			changed := 0
			for _, f := range fields {
				in := situation{said(s.there, f.there, f.given), said(s.given, f.there, f.given), s.newer, s.keep}
				want := becomes(in, both, blank, f.add)
				if values[f.name] != want {
					t.Errorf("%s, %s, blank %s, %+v: %q, want %q", f.name, both, blank, in, values[f.name], want)
				}
				diff, told := verdicts[0].Changes[f.name]
				if told != (want != in.there) || told && (deref(diff[0]) != in.there || deref(diff[1]) != want) {
					t.Errorf("%s, %s, blank %s, %+v: the check said %v", f.name, both, blank, in, diff)
				}
				if told {
					changed++
				}
			}
			if word := string(verdicts[0].Verdict); word != map[bool]string{false: "same", true: "update"}[changed > 0] {
				t.Errorf("row %d is %s with %d changes", n+2, word, changed)
			}
		}
		b.want(i.Outcomes.V["updated"]+i.Outcomes.V[verdict.Unchanged], len(all))
	}
}

func deref(s *string) string {
	if s == nil {
		return ""
	}
	return *s
}
