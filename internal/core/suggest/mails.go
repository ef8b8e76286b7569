package suggest

import (
	"strings"
	"unicode"

	"uchi/internal/core/sheet"
	"uchi/internal/core/textkind"
	"uchi/internal/core/value"
)

// Names of people stand in their e-mail addresses: a column of words of which most are there is of such names, and
// where there is one of family names, others that look like family names are of something else. The names of companies
// stand in their domains.

// mailed is whether the texts of a column stand in the e-mail addresses of its sheet.
type mailed int

const (
	untold     mailed = iota // the addresses do not tell
	inMails                  // most do
	endsMails                // most do, as the last word, where family names mostly stand
	notInMails               // hardly any does, and those of another column that is not of given names do
)

const (
	// fewestMails is how many addresses with words of some length it takes for them to tell.
	fewestMails = 8
	// mostMailed and leastMailed are how many texts of a column stand in addresses where it is of names, and where it is not.
	mostMailed, leastMailed = 0.5, 0.1
	// fewestHouses is how many domains it takes for them to tell, and shortestHouse how long the beginning of a name
	// is that is looked for there.
	fewestHouses, shortestHouse = 5, 4
)

// askMails finds out which columns hold words of the e-mail addresses, and names of the domains.
func (v *View) askMails() {
	v.askDomains()
	words := mailWords(v.columns)
	if words == nil {
		return
	}
	families := false
	shares := make([]float64, len(v.columns))
	for n, col := range v.columns {
		if len(col.Samples) < fewestToTell || v.kinds[n].length < 3 || !v.kinds[n].known {
			continue
		}
		ends := 0
		shares[n] = share(col.Samples, func(s string) bool {
			in := words[lettersOf(value.Fold(s))]
			if in == untold {
				in = words[lettersOf(value.Fold(inPlainLetters.Replace(s)))]
			}
			if in == endsMails {
				ends++
			}
			return in != untold
		})
		if shares[n] > mostMailed {
			v.kinds[n].mailed = inMails
			if float64(ends) > mostMailed*shares[n]*float64(len(col.Samples)) {
				v.kinds[n].mailed = endsMails
				families = families || v.kinds[n].p[textkind.Given] < 0.5
			}
		}
	}
	for n, col := range v.columns {
		if families && shares[n] < leastMailed && len(col.Samples) >= fewestToTell {
			v.kinds[n].mailed = notInMails
		}
	}
}

// askDomains finds the one column after whose texts the domains are called: where people and their companies have
// one name, they do not tell which is which.
func (v *View) askDomains() {
	d := domainsOf(v.columns)
	if len(d.whole) < fewestHouses {
		return
	}
	var after []int
	for n, col := range v.columns {
		if len(col.Samples) >= fewest && v.kinds[n].known && share(col.Samples, func(s string) bool {
			return d.calledAfter(value.Fold(s)) || d.calledAfter(value.Fold(inPlainLetters.Replace(s)))
		}) > mostMailed {
			after = append(after, n)
		}
	}
	if len(after) == 1 {
		v.kinds[after[0]].housed = true
	}
}

// mailWords gives the words before the sign of the e-mail addresses of two words or more, without what parts them;
// nil where there are too few.
func mailWords(columns []sheet.Column) map[string]mailed {
	words := map[string]mailed{}
	told := 0
	for _, col := range columns {
		for _, s := range col.Samples {
			box, _, ok := strings.Cut(value.Fold(s), "@")
			if !ok || strings.Contains(box, " ") {
				continue
			}
			parts := strings.FieldsFunc(box, func(r rune) bool { return r == '.' || r == '_' || r == '-' })
			if len(parts) < 2 {
				continue
			}
			told++
			for n, p := range parts {
				switch p = lettersOf(p); {
				case len(p) < 3:
				case n == len(parts)-1:
					words[p] = endsMails
				case words[p] == untold:
					words[p] = inMails
				}
			}
		}
	}
	if told < fewestMails {
		return nil
	}
	return words
}

// domains are those of a sheet, their letters before the last dot, and how these begin.
type domains struct{ whole, begins map[string]bool }

// domainsOf gives the domains of the e-mail addresses and web addresses, but those that many have mailboxes at.
func domainsOf(columns []sheet.Column) domains {
	d := domains{map[string]bool{}, map[string]bool{}}
	for _, col := range columns {
		for _, s := range col.Samples {
			s = value.Fold(s)
			_, domain, ok := strings.Cut(s, "@")
			if !ok {
				_, domain, ok = strings.Cut(s, "www.")
			}
			domain, _, _ = strings.Cut(domain, "/")
			end := strings.LastIndexByte(domain, '.')
			if !ok || end < 0 || value.PrivateDomain(domain) {
				continue
			}
			house := lettersOf(domain[:end])
			if len(house) < shortestHouse {
				continue
			}
			d.whole[house] = true
			for n := shortestHouse; n <= len(house); n++ {
				d.begins[house[:n]] = true
			}
		}
	}
	return d
}

// calledAfter reports whether a domain begins like a word of a name that is folded, or the name like a domain.
func (d domains) calledAfter(name string) bool {
	if strings.ContainsAny(name, "@/") {
		return false
	}
	for w := range strings.FieldsSeq(name) {
		if d.begins[lettersOf(w)] {
			return true
		}
	}
	all := lettersOf(name)
	for n := shortestHouse; n <= len(all); n++ {
		if d.whole[all[:n]] {
			return true
		}
	}
	return false
}

// lettersOf leaves the letters of a text.
func lettersOf(s string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) {
			return r
		}
		return -1
	}, s)
}
