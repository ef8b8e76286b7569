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
	postal   string
	locality string
	country  string
}

// Words for the kind of a road, which come long, short or not at all. Those in
// the second list also end a word: Hafenstr., Storgata.
var roads = words(`street st str strasse road rd avenue ave av avenida avda lane ln drive dr square sq place pl platz plaza piazza plass court ct crescent cres terrace ter quay close gardens gdns walk way row hill
	rue boulevard blvd bd bld chemin ch che route rte allee all impasse imp quai cours passage
	calle c cl paseo po camino carretera ctra via viale vle corso cso vicolo largo strada rua r travessa praca
	straat weg laan ln plein dijk kade gracht dreef
	gata gatan gatan g gate gt gaten vei veien vn v vag vagen vej vejen alle stien sti stigen torg torget plads
	katu tie kuja polku ulica ul aleja al plac pl osiedle os odos leoforos leof plateia pl 
	apt apartment flat unit suite no nr n num numero numer number hus haus og etg etage floor door building bldg po box postbox postboks postfach bp c o
	de du des del della van der den la le les am an im zum y`)

var roadEnds = squeezed("strasse str gaten gatan gata gate gade gt vn veien vejen vagen vei vej vag weg straat laan kade katu tie allee platz plein torget torg gasse")

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
	for i, w := range strings.Fields(Latin(locality)) {
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
	for w := range strings.FieldsSeq(Latin(street)) {
		if w[0] >= '0' && w[0] <= '9' {
			if p.house == "" {
				p.house = strings.TrimLeft(w, "0")
			}
			continue
		}
		if p.house != "" && isInitial(w) && !strings.ContainsAny(p.house[len(p.house)-1:], "abcdefgh") && len(names) > 0 && w <= "h" { // 12 B
			p.house += w
			continue
		}
		w = squeeze(w)
		if roads[w] {
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
	p.street = strings.Join(names, "")
	return p
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
	agree(a.locality, b.locality, a.locality == b.locality || near(a.locality, b.locality) || len(a.locality) > 5 && sound(a.locality) == sound(b.locality))
	if area == Differs && a.postal != "" && b.postal != "" && len(a.postal) > 3 && distance(a.postal, b.postal, 1) == 1 && (a.locality == "" || b.locality == "") {
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
	streets := a.street == b.street || near(a.street, b.street) || len(a.street) > 5 && sound(a.street) == sound(b.street) && distance(a.street, b.street, 3) <= 3
	switch {
	case streets && area != Differs && a.house == b.house && a.house != "":
		return Same
	case streets && area != Differs && (a.house == "" || b.house == "" || strings.TrimRight(a.house, "abcdefgh") == strings.TrimRight(b.house, "abcdefgh")):
		return Near
	case streets && area == Same:
		return Neighbour // another house of the street
	case area == Same:
		return Town // another street of the town
	}
	return Differs
}

// sameTown reports whether two places name the same town, or the same postal code.
func sameTown(a, b place) bool {
	return a.locality != "" && a.locality == b.locality || a.postal != "" && a.postal == b.postal
}
