package matching

import (
	"fmt"
	"strings"
)

var levelWords = map[Level]string{
	Same:        "the same",
	Alternative: "a short or fond form",
	Initial:     "only the initial",
	Loose:       "much alike",
	Near:        "a slip of typing apart",
	Part:        "one is part of the other",
	Local:       "the same mailbox name at another address",
	Domain:      "of the same company's mail",
	Area:        "the same town",
	Neighbour:   "another house of the street",
	Town:        "another street of the town",
	Differs:     "differs",
}

// Says puts what a comparison says into words, under the label of its field:
// "Family name: the same, shared by 12 (+7.3)".
func (r Reason) Says(label string) string {
	var words string
	for l, name := range levelNames {
		if name == r.Level {
			words = levelWords[Level(l)]
		}
	}
	shared := ""
	if r.Count > 1 {
		shared = fmt.Sprintf(", shared by %d", r.Count)
	}
	return fmt.Sprintf("%s: %s%s (%+.1f)", label, words, shared, r.Bits)
}

var againstWords = map[string]string{
	OtherGiven:      "another given name",
	OtherFamily:     "another family name",
	OtherDate:       "another date of birth",
	OtherDay:        "another date",
	OtherParty:      "it belongs to somebody else",
	OtherGeneration: "father or son by the name",
	OtherSex:        "another form of address",
	OtherCompany:    "another name of the company",
	OtherForm:       "another legal form",
	OtherUnit:       "another company of the same house",
	OtherPlace:      "another place",
	OtherCode:       "another number",
	InitialOnly:     "only an initial to go by",
	NameInPart:      "the names agree only in part",
	LooseName:       "the names are much alike, not the same",
	OneKind:         "little agrees beside the name",
	NoName:          "no name to go by",
	OnlyEqual:       "they say the same, which is too little to tell",
}

// AgainstSays puts what keeps a candidate from being taken into words.
func AgainstSays(word string) string {
	if s, ok := againstWords[word]; ok {
		return s
	}
	return strings.ReplaceAll(word, "_", " ")
}
