package problem

import (
	"strings"
	"testing"
)

// Every code has a sentence, a remedy and a summary, and none shows its seams.
func TestWordsOfEveryCode(t *testing.T) {
	for _, c := range Codes() {
		p := Problem{Code: c, Field: "email", Column: "Mail", Value: "x", Detail: "the detail"}
		for what, s := range map[string]string{"message": p.Message(), "remedy": p.Mend(), "summary": Summary(c)} {
			if s == "" || strings.ContainsAny(s, "{}") || strings.Contains(s, "..") {
				t.Errorf("%s, %s: %q", c, what, s)
			}
		}
	}
}

func TestString(t *testing.T) {
	p := Problem{Code: BadEmail, Column: "E-mail", Value: "x", Detail: "there is no @ in it"}
	if got, want := p.String(), `E-mail "x": this is not an e-mail address: there is no @ in it. Write it as name@domain.example.`; got != want {
		t.Errorf("got  %s\nwant %s", got, want)
	}
}
