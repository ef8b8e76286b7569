package value

import (
	"encoding/csv"
	"strings"
	"testing"
)

// What a spreadsheet program would take for a formula, or change, is guarded, and the
// way back gives what was there; numbers and words stay as they are.
func TestGuard(t *testing.T) {
	for text, want := range map[string]string{
		"": "", "Tern": "Tern", "=1+1": "'=1+1", "+4755112233": "'+4755112233", "@sum": "'@sum", "-12.50": "-12.50",
		"-": "'-", "-cmd|x": "'-cmd|x", "'t Zand": "'t Zand", "\tx": "'\tx",
	} {
		if got := Guard(text); got != want {
			t.Errorf("%q is guarded as %q, want %q", text, got, want)
		}
		if got := Unguard(Guard(text)); got != text {
			t.Errorf("%q comes back as %q", text, got)
		}
	}
}

func FuzzGuard(f *testing.F) {
	for _, s := range []string{"=x", "'=x", "''", "+1", "-1", "\r", "'t"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		// A text that begins with an apostrophe and a sign was one before: it is read as
		// what stands behind, guarded or not.
		if got, want := Unguard(Guard(s)), Unguard(s); got != want && got != s {
			t.Errorf("%q comes back as %q", s, got)
		}
		var b strings.Builder
		w := csv.NewWriter(&b)
		if err := w.Write([]string{Guard(s), "x"}); err != nil {
			t.Fatal(err)
		}
		w.Flush()
		if cell := b.String(); strings.ContainsAny(cell[:1], "=@") {
			t.Errorf("%q begins a line as a formula: %q", s, cell)
		}
	})
}

// What keeps a spreadsheet program from changing figures is no part of them.
func TestUnguardFigures(t *testing.T) {
	for s, want := range map[string]string{
		`="00123"`: "00123", `="+44 20"`: "+44 20", `="a ""b"" c"`: `a "b" c`, `=""`: `=""`, `="a"&"b"`: `="a"&"b"`,
		`=A1`: `=A1`, "'00124": "00124", "'+44": "+44", "'0431 55": "0431 55",
		"'t Hooft": "'t Hooft", "'99 Boats": "'99 Boats", "'99": "'99", "'": "'", "": "",
	} {
		if got := Unguard(s); got != want {
			t.Errorf("%s: %s, want %s", s, got, want)
		}
	}
}
