package value

import (
	"strings"
	"testing"

	"golang.org/x/text/encoding/charmap"
)

func TestMisread(t *testing.T) {
	for s, want := range map[string]string{
		"MÃ¼ller": "Müller", "Ã˜ksnes": "Øksnes", "JosÃ©": "José", "KÃ¸benhavn": "København", "5 â‚¬": "5 €",
		"Oâ€™Hara": "O’Hara", "PÅ‚ock": "Płock", "zakupÃ³w": "zakupów",
		"Müller": "", "ÅÄÖ": "", "Ærø": "", "RĂŞINARI": "", "Ñandú": "", "Ã": "", "plain": "", "": "", "ÉÈÊ": "",
		"Βόλος": "", "東京": "", "SÃO PAULO": "", "Ðóra": "", "Åland Ä": "",
		"Smith &amp; Sons": "Smith & Sons", "O&#39;Neil": "O'Neil", "M&uuml;ller": "Müller", "&lt;3 boats": "<3 boats",
		"<b>Bold</b> Boats": "Bold Boats", "line1<br>line2": "line1 line2",
		"<p>Two</p><p>parts</p>": "Two parts", `<a href="https://x.example">x</a>`: "x", "K&#xF8;benhavn": "København",
		"M=C3=BCller": "Müller", "M=FCller": "Müller", "M%C3%BCller GmbH": "Müller GmbH", "M%FCller": "Müller",
		`M\u00fcller`: "Müller", "M<U+00FC>ller": "Müller", "M+APw-ller": "Müller", "Mu¨ller": "Müller",
		"a=b": "", "x=C3": "", "=C3": "", "100%": "", "A%41": "", `C:\u00`: "", "Hull+A1": "", "B+A-": "", "K=20B": "",
		"https://x.example/M%C3%BCller": "", "Gross%": "", "u¨": "", "naïve": "", "u\u0308": "",
		"Smith & Sons": "", "A&B; C": "", "&nosuch;": "", "a < b > c": "", "<info@x.example>": "", "R&D;": "", "<br>": "",
	} {
		if meant, ok := Misread(s); meant != want || ok != (want != "") {
			t.Errorf("%q: %q, want %q", s, meant, want)
		}
	}
}

// What was decoded wrongly is given back as it was meant, and what was not is left.
func FuzzMisread(f *testing.F) {
	f.Add("Øksnes – Åse")
	f.Fuzz(func(t *testing.T, s string) {
		if strings.ContainsAny(s, "&<=%\\+") { // what is written for web pages and mails is taken off layer by layer
			return
		}
		if meant, ok := Misread(s); ok && meant == s {
			t.Errorf("%q is meant as itself", s)
		}
		var wrong []rune
		for _, b := range []byte(s) {
			wrong = append(wrong, charmap.Windows1252.DecodeByte(b))
		}
		if strings.Contains(string(wrong), "¨") { // two dots behind a vowel are put onto it
			return
		}
		if meant, ok := Misread(string(wrong)); ok && meant != s {
			if again, more := Misread(meant); !more || again == meant {
				t.Errorf("%q decoded wrongly is taken for %q", s, meant)
			}
		}
	})
}
