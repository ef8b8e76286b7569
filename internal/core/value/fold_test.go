package value

import (
	"math/rand/v2"
	"testing"
)

// The letters that most of Europe writes with are folded as any others are, only quicker.
func TestFoldUsual(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 20_000 {
		text := []rune{rune(0x80 + r.IntN(usualEnd-0x80))}
		for range r.IntN(8) {
			text = append(text, []rune{rune(r.IntN(usualEnd)), ' ', 'a', 'Ø', 'я', '\u0301'}[r.IntN(6)])
		}
		r.Shuffle(len(text), func(i, j int) { text[i], text[j] = text[j], text[i] })
		if s := string(text); Fold(s) != foldAny(s) {
			t.Fatalf("%q: %q, not %q", s, Fold(s), foldAny(s))
		}
	}
}
