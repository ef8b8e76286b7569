package suggest

import (
	"math"
	"strings"
	"testing"

	"uchi/internal/core/catalog"
)

// What a text may have meant is offered, the nearest first, and nothing that is far from it.
func TestNear(t *testing.T) {
	c := standard(t)
	field := func(typeName, name string) catalog.Field {
		rt, _ := c.Type(typeName)
		f, ok := rt.Field(name)
		if !ok {
			t.Fatalf("%s has no %s", typeName, name)
		}
		return f
	}
	country, stage, email := field("account", "country"), field("opportunity", "stage"), field("contact", "email")
	for _, x := range []struct {
		f    catalog.Field
		text string
		want string // the first; empty for none
	}{
		{country, "Sth Korea", "KR"}, {country, "Nroway", "NO"}, {country, "Grmany", "DE"}, {country, "untied kingdom", "GB"},
		{country, "Korea South", "KR"}, {country, "  sweeden ", "SE"}, {country, "", ""}, {country, "???", ""},
		{country, "x", ""},
		{stage, "offerd", "offered"}, {stage, "wn", "won"}, {stage, "lostt", "lost"}, {stage, "pending approval of board", ""},
		{email, "ada@gmial.com", "ada@gmail.com"}, {email, "ada@lanternquay.example", ""}, {email, "ada", ""},
	} {
		list := Near(x.f, x.text, 5)
		got := ""
		if len(list) > 0 {
			got = list[0].Text
		}
		if got != x.want {
			t.Errorf("%s %q: %+v, want %q first", x.f.Name, x.text, list, x.want)
		}
		for n, m := range list {
			if m.Label == "" || m.score < leastNear || n > 0 && m.score > list[n-1].score {
				t.Errorf("%s %q: %+v", x.f.Name, x.text, list)
			}
		}
		if len(Near(x.f, x.text, 1)) > 1 {
			t.Errorf("%s %q: more than was asked for", x.f.Name, x.text)
		}
	}
	closed := stage
	closed.Choices = append([]catalog.Choice{}, stage.Choices...)
	for n := range closed.Choices {
		closed.Choices[n].Closed = closed.Choices[n].Code == "offered"
	}
	for _, m := range Near(closed, "offerd", 5) {
		if m.Text == "offered" {
			t.Error("a choice that is no longer in use is offered")
		}
	}
}

// Nearness is nearly the same either way round, 1 for the same and never more, and falls with each slip.
func TestNearness(t *testing.T) {
	words := []string{"", "a", "anchorby marina", "anchorbay", "marina anchorby", "anchorby", "fjordline hotels", "Fjordline Hotels AS",
		"øresund", "oresund", "東京", "Sth Korea", "South Korea", strings.Repeat("long ", 30)}
	for _, a := range words {
		for _, b := range words {
			ab, ba := Nearness(a, b), Nearness(b, a)
			if math.Abs(ab-ba) > 0.06 || ab < 0 || ab > 1 || math.IsNaN(ab) {
				t.Errorf("%q and %q: %v and %v", a, b, ab, ba)
			}
		}
		if strings.TrimSpace(a) != "" && Nearness(a, a) != 1 {
			t.Errorf("%q is not near to itself: %v", a, Nearness(a, a))
		}
	}
	for _, x := range [][3]string{ // the first is nearer to the second than to the third
		{"anchorbay", "anchorby", "harbour"}, {"marina anchorby", "anchorby marina", "marina"}, {"Sth Korea", "South Korea", "North Korea"},
		{"fjordline hotels", "fjordline hotel", "fjord hotels"},
	} {
		if Nearness(x[0], x[1]) <= Nearness(x[0], x[2]) {
			t.Errorf("%q is %v from %q and %v from %q", x[0], Nearness(x[0], x[1]), x[1], Nearness(x[0], x[2]), x[2])
		}
	}
	for name, want := range map[string]string{"Ingrid Havnes": "ih", "Ada": "a", "": "", "Øyvind  Ås-Berg": "oab", "Dr. Bo Li": "dbl"} {
		if got := Initials(name); got != want {
			t.Errorf("%q: %q, want %q", name, got, want)
		}
	}
}
