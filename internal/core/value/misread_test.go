package value

import (
	"testing"

	"golang.org/x/text/encoding/charmap"
)

func TestMisread(t *testing.T) {
	for s, want := range map[string]string{
		"MÃ¼ller": "Müller", "Ã˜ksnes": "Øksnes", "JosÃ©": "José", "KÃ¸benhavn": "København", "5 â‚¬": "5 €", "Oâ€™Hara": "O’Hara", "PÅ‚ock": "Płock", "zakupÃ³w": "zakupów",
		"Müller": "", "ÅÄÖ": "", "Ærø": "", "RĂŞINARI": "", "Ñandú": "", "Ã": "", "plain": "", "": "", "ÉÈÊ": "", "Βόλος": "", "東京": "", "SÃO PAULO": "", "Ðóra": "", "Åland Ä": "",
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
		if meant, ok := Misread(s); ok && meant == s {
			t.Errorf("%q is meant as itself", s)
		}
		var wrong []rune
		for _, b := range []byte(s) {
			wrong = append(wrong, charmap.Windows1252.DecodeByte(b))
		}
		if meant, ok := Misread(string(wrong)); ok && meant != s {
			if again, more := Misread(meant); !more || again == meant {
				t.Errorf("%q decoded wrongly is taken for %q", s, meant)
			}
		}
	})
}
