package matching

import (
	"cmp"
	"strings"

	"uchi/internal/core/value"
)

// place is an address made ready for comparison.
type place struct {
	street   string // its name without the kind of road, small Latin letters
	house    string // number with its letter: 12b
	part     string // the number of a part of the house
	postal   string
	locality string
	country  string
}

// Words for the kind of a road, which come long, short or not at all. Those in
// the second list also end a word: Hafenstr., Storgata.
var roads = squeezedWords(`street st str strasse road rd avenue ave av avenida avda lane ln drive dr square sq place
	pl platz plaza piazza plass court ct crescent cres terrace ter quay close gardens gdns walk way row hill
	rue r boulevard blvd bvd bld bd chemin ch che route rte allee all impasse imp quai cours passage
	calle c cl paseo po camino carretera ctra via viale vle corso cso vicolo largo strada rua r travessa praca
	straat weg laan ln plein dijk kade gracht dreef
	gata gatan gatan g gate gt gaten vei veien vn v vag vagen vej vejen alle stien sti stigen torg torget plads
	katu tie kuja polku ulica ul aleja al plac pl osiedle os odos leoforos leof plateia pl 
	apt apartment flat unit suite no nr n num numero numer number hus haus og etg etage floor door building bldg po box
	postbox postboks postfach bp c o
	de du des del della van der den la le les am an im zum y`)

var roadEnds = squeezed("strasse str gaten gatan gata gate gade gt vn veien vejen vagen vei vej vag weg straat " +
	"laan kade katu tie allee platz plein torget torg gasse")

func squeezedWords(list string) map[string]bool { return words(strings.Join(squeezed(list), " ")) }

// indoors are words before the number of a part of a house, where that of the house stands too.
var indoors = squeezedWords("flat apt apartment unit suite ste room floor lgh leil wohnung whg top app appt appartement depto piso")

func squeezed(list string) []string {
	var out []string
	for w := range strings.FieldsSeq(list) {
		out = append(out, squeeze(w))
	}
	return out
}

func newPlace(street, postal, locality, country string) place {
	abroad, code := value.CodeOf(postal)
	p := place{country: cmp.Or(country, abroad)}
	p.postal = strings.ReplaceAll(Latin(code), " ", "")
	p.postal = strings.TrimLeft(p.postal, "0")
	if c := strings.ToLower(country); len(c) == 2 && strings.HasPrefix(p.postal, c) && len(p.postal) > 5 { // SE-411 03
		p.postal = p.postal[2:]
	}
	for i, w := range strings.Fields(Latin(value.OwnName(locality))) {
		w = squeeze(w)
		if i > 0 && (particles[w] || isInitial(w)) {
			continue
		}
		switch w { // St. and Saint
		case "saint", "sankt", "sint", "sainte", "ste":
			w = "st"
		}
		p.locality += w
	}
	var names []string
	inside := false
	for w := range strings.FieldsSeq(Latin(apartFromNumber(street))) {
		if w[0] >= '0' && w[0] <= '9' {
			switch n := strings.TrimLeft(w, "0"); {
			case p.house != "":
			case inside:
				p.part = n
			default:
				p.house = n
			}
			inside = false
			continue
		}
		// 12 B
		if p.house != "" && isInitial(w) && !strings.ContainsAny(p.house[len(p.house)-1:], "abcdefgh") &&
			len(names) > 0 && w <= "h" {
			p.house += w
			continue
		}
		w = squeeze(w)
		if inside = indoors[w]; inside || roads[w] {
			continue
		}
		for _, end := range roadEnds {
			if len(w) > len(end)+2 && strings.HasSuffix(w, end) {
				w = strings.TrimSuffix(w, end)
				break
			}
		}
		names = append(names, w)
	}
	p.street, p.house = strings.Join(names, ""), cmp.Or(p.house, p.part)
	return p
}

// apartFromNumber sets a number apart that follows a short form of a road at once: Hafenstr.12.
func apartFromNumber(street string) string {
	for i := 1; i < len(street); i++ {
		if street[i-1] == '.' && street[i] >= '0' && street[i] <= '9' {
			return street[:i] + " " + street[i:]
		}
	}
	return street
}

func (p place) blank() bool { return p.street == "" && p.postal == "" && p.locality == "" }

// likePlace compares two addresses as one thing, since their parts depend on
// each other.
func likePlace(a, b place) Level {
	area := Blank // postal code and town
	agree := func(x, y string, alike bool) {
		switch {
		case x == "" || y == "":
		case alike:
			area = Same
		case area == Blank:
			area = Differs
		}
	}
	agree(a.postal, b.postal, a.postal == b.postal)
	agree(a.locality, b.locality, a.locality == b.locality || near(a.locality, b.locality) || len(a.locality) > 5 &&
		sound(a.locality) == sound(b.locality))
	if area == Differs && a.postal != "" && b.postal != "" && len(a.postal) > 3 &&
		distance(a.postal, b.postal, 1) == 1 && (a.locality == "" || b.locality == "") {
		area = Near
	}
	if a.street == "" || b.street == "" {
		switch {
		case area == Same || area == Near:
			return Area
		case area == Blank && a.country != "" && b.country != "" && a.country != b.country && !a.blank() && !b.blank():
			return Differs
		}
		return area
	}
	streets := likeStreets(a.street, b.street)
	oneDoor := a.house == b.house && a.house != "" && (a.part == b.part || a.part == "" || b.part == "")
	switch {
	case streets && area != Differs && oneDoor:
		return Same
	case streets && area != Differs &&
		(a.house == "" || b.house == "" || strings.TrimRight(a.house, "abcdefgh") == strings.TrimRight(b.house, "abcdefgh")):
		return Near
	case streets && area == Same:
		return Neighbour // another house of the street
	case area == Same:
		return Town // another street of the town
	}
	return Differs
}

// likeStreets reports whether two names of streets are one, but for slips.
func likeStreets(a, b string) bool {
	if a == b || near(a, b) || slipInRoad(a, b) || slipInRoad(b, a) {
		return true
	}
	return len(a) > 5 && sound(a) == sound(b) && distance(a, b, 3) <= 3
}

// slipInRoad reports whether a street is another with a word for a road more that has a slip in it:
// Station Avehue, tue Victor Hugo.
func slipInRoad(more, street string) bool {
	rest, ok := strings.CutSuffix(more, street)
	if !ok {
		rest, ok = strings.CutPrefix(more, street)
	}
	if !ok || len(rest) < 2 {
		return false
	}
	for w := range roads {
		if len(w) > 1 && distance(rest, w, 1) <= 1 {
			return true
		}
	}
	return false
}

// sameTown reports whether two places name the same town, or the same postal code.
func sameTown(a, b place) bool {
	return a.locality != "" && a.locality == b.locality || a.postal != "" && a.postal == b.postal
}
