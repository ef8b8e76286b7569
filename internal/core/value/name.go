package value

import (
	"slices"
	"strings"
)

// particles belong to the family name behind them.
var particles = strings.Fields("van von der den de del della di da dos das du la le ten ter zu zum zur af av bin al el mac")

var titles = strings.Fields("mr mrs ms miss dr prof professor herr frau hr fr m mme mlle sr sra srta sig signor signora dott ing dipl dhr mevr kapt capt captain")

// SplitName parts a full name into given and family name: "Ada van der Kade",
// "van der Kade, Ada". Forms of address in front are passed over. One word
// alone is a family name.
func SplitName(s string) (given, family string) {
	s = strings.Join(strings.Fields(s), " ")
	if last, first, ok := strings.Cut(s, ","); ok {
		return strings.TrimSpace(first), strings.TrimSpace(last)
	}
	words := strings.Fields(s)
	for len(words) > 1 && slices.Contains(titles, strings.TrimSuffix(Fold(words[0]), ".")) {
		words = words[1:]
	}
	if len(words) == 0 {
		return "", ""
	}
	at := len(words) - 1
	for at > 1 && slices.Contains(particles, Fold(words[at-1])) {
		at--
	}
	return strings.Join(words[:at], " "), strings.Join(words[at:], " ")
}
