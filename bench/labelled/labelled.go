// Package labelled makes records and rows of which it is known which belong
// together: typing slips, other formats, missing values, namesakes, fathers and
// sons, couples at one mailbox, branches of a company, in a dozen languages.
// The same seed gives the same set. It is what the quality of matching is
// measured on; all of it is made up.
package labelled

import (
	"fmt"
	"math"
	"math/rand/v2"
	"strings"

	"uchi/internal/core/value"
)

// Row is a row of the incoming file.
type Row struct {
	Values map[string]string // by field
	Truth  int               // index of the record that it is, -1 when it is none
	Kind   string            // what was done to it, or what it is made to be taken for
}

// Set is records that are there and rows that come.
type Set struct {
	Type    string
	Fields  []string
	Records []map[string]string
	Rows    []Row
}

type maker struct {
	r     *rand.Rand
	boxes map[string]bool // mailboxes that are somebody's
}

func newMaker(seed, stream uint64) *maker {
	return &maker{rand.New(rand.NewPCG(seed, stream)), map[string]bool{}}
}

func pick[T any](r *rand.Rand, list []T) T { return list[r.IntN(len(list))] }

// skewed picks the front of a list more often, as names are spread.
func skewed[T any](r *rand.Rand, list []T) T {
	return list[int(math.Pow(r.Float64(), 1.7)*float64(len(list)))]
}

func (mk *maker) chance(p float64) bool { return mk.r.Float64() < p }

var personFields = []string{"honorific", "given_name", "family_name", "email", "phone", "mobile", "street",
	"postal_code", "locality", "country", "birthday"}

// People makes contacts: records that are there, and rows of which the given
// share is of people who are there.
func People(seed uint64, records, rows int, share float64) Set {
	mk := newMaker(seed, 1)
	s := Set{Type: "contact", Fields: personFields}
	for len(s.Records) < records {
		p := mk.person()
		s.Records = append(s.Records, p)
		if mk.chance(.06) && len(s.Records) < records { // families and namesakes are there as well
			q, _ := mk.other(p)
			s.Records = append(s.Records, q)
		}
	}
	s.come(mk, rows, share, .25, kinds{mk.again, mk.other, mk.person})
	return s
}

// kinds are the ways in which rows are made: of a record once more, of what is
// easily taken for it, and new.
type kinds struct {
	again, other func(map[string]string) (map[string]string, string)
	fresh        func() map[string]string
}

// come makes the rows: the given share is of records that are there, and of the
// others some are made to be taken for one.
func (s *Set) come(mk *maker, rows int, share, taken float64, k kinds) {
	for len(s.Rows) < rows {
		switch {
		case mk.chance(share):
			at := mk.r.IntN(len(s.Records))
			v, kind := k.again(s.Records[at])
			s.Rows = append(s.Rows, Row{v, at, kind})
		case mk.chance(taken):
			v, kind := k.other(pick(mk.r, s.Records))
			s.Rows = append(s.Rows, Row{v, -1, kind})
		default:
			s.Rows = append(s.Rows, Row{k.fresh(), -1, "new"})
		}
	}
	mk.r.Shuffle(len(s.Rows), func(i, j int) { s.Rows[i], s.Rows[j] = s.Rows[j], s.Rows[i] })
}

func (mk *maker) family(t tongue) string {
	if mk.chance(.35) {
		return skewed(mk.r, t.families)
	}
	return pick(mk.r, t.starts) + pick(mk.r, t.ends)
}

func (mk *maker) town(t tongue) string { return pick(mk.r, t.starts) + skewed(mk.r, t.ends) }

func (mk *maker) postal(t tongue, town string) string {
	h := uint32(2166136261)
	for _, c := range town {
		h = (h ^ uint32(c)) * 16777619
	}
	r := rand.New(rand.NewPCG(uint64(h), 5))
	var b strings.Builder
	for i, c := range t.postal {
		switch {
		case c == '9' && i < len(t.postal)-1:
			b.WriteByte(byte('1' + r.IntN(9)))
		case c == '9':
			b.WriteByte(byte('0' + mk.r.IntN(10)))
		case c >= 'A' && c <= 'Z':
			b.WriteByte(byte('A' + r.IntN(24)))
		default:
			b.WriteRune(c)
		}
	}
	return b.String()
}

func (mk *maker) phone(t tongue) string {
	n := 8
	switch t.country {
	case "GB":
		return fmt.Sprintf("+447700900%03d", mk.r.IntN(1000)) // a range set aside for fiction
	case "DE", "NL", "FR", "ES", "IT", "PL", "SE", "FI":
		n = 9
	case "GR":
		return "+3021" + mk.figures(8)
	}
	return t.dial + pick(mk.r, []string{"2", "4", "5", "6", "7"}) + mk.figures(n-1)
}

func (mk *maker) figures(n int) string {
	b := make([]byte, n)
	for i := range b {
		b[i] = byte('0' + mk.r.IntN(10))
	}
	return string(b)
}

func (mk *maker) street(t tongue) string {
	road := fmt.Sprintf(pick(mk.r, t.roads), pick(mk.r, t.starts)+pick(mk.r, []string{"", "", pick(mk.r, t.ends)}))
	n := fmt.Sprint(1 + mk.r.IntN(90))
	if mk.chance(.1) {
		n += pick(mk.r, []string{"A", "B"})
	}
	if t.country == "GB" || t.country == "FR" {
		return n + " " + road
	}
	return road + " " + n
}

func (mk *maker) date() string {
	return fmt.Sprintf("%d-%02d-%02d", 1938+mk.r.IntN(68), 1+mk.r.IntN(12), 1+mk.r.IntN(28))
}

// mail gives a person a mailbox of their own.
func (mk *maker) mail(given, family, domain string) string {
	for n := 0; ; n++ {
		local := mk.local(given, family)
		if n > 2 {
			local += mk.figures(2)
		}
		if m := local + "@" + domain; !mk.boxes[m] {
			mk.boxes[m] = true
			return m
		}
	}
}

// box writes a name as people do in mailboxes.
func box(s string) string {
	return strings.ReplaceAll(value.Words(greekLetters.Replace(bareLetters.Replace(s))), " ", "")
}

// local is a mailbox's name, mostly made of the person's.
func (mk *maker) local(given, family string) string {
	g, fa := box(given), box(family)
	switch mk.r.IntN(5) {
	case 0:
		return g[:1] + fa
	case 1:
		return fmt.Sprintf("%s.%s%d", g, fa, mk.r.IntN(99))
	case 2:
		return fa
	}
	return g + "." + fa
}

func (mk *maker) domain() string {
	if mk.chance(.5) {
		return pick(mk.r, []string{"freepost.example", "mailhaven.example", "postbox.example", "openmail.example",
			"inbox.example"})
	}
	t := pick(mk.r, tongues[:9])
	return box(pick(mk.r, t.starts)+pick(mk.r, t.ends)) + "-" +
		pick(mk.r, []string{"marina", "boats", "yard", "harbour", "sail"}) + ".example"
}

func (mk *maker) person() map[string]string {
	t := pick(mk.r, tongues)
	woman := mk.chance(.5)
	given, honorific := skewed(mk.r, t.men), "Mr"
	if woman {
		given, honorific = skewed(mk.r, t.women), "Ms"
	}
	if mk.chance(.08) && !strings.Contains(given, " ") {
		list := t.men
		if woman {
			list = t.women
		}
		if second := pick(mk.r, list); second != given {
			given += pick(mk.r, []string{" ", "-"}) + second
		}
	}
	family := mk.family(t)
	town := mk.town(t)
	p := map[string]string{"given_name": given, "family_name": family, "locality": town, "country": t.country}
	some := func(share float64, field, v string) {
		if mk.chance(share) {
			p[field] = v
		}
	}
	some(.4, "honorific", honorific)
	some(.8, "email", mk.mail(given, family, mk.domain()))
	some(.6, "phone", mk.phone(t))
	some(.4, "mobile", mk.phone(t))
	some(.8, "street", mk.street(t))
	p["postal_code"] = mk.postal(t, town)
	some(.55, "birthday", mk.date())
	if mk.chance(.03) { // a shared mailbox
		p["email"] = pick(mk.r, []string{"info", "office", "post", "kontakt"}) + "@" + mk.domain()
	}
	return p
}

func tongueOf(country string) tongue {
	for _, t := range tongues {
		if t.country == country {
			return t
		}
	}
	return tongues[0]
}

func clone(p map[string]string) map[string]string {
	q := map[string]string{}
	for k, v := range p {
		q[k] = v
	}
	return q
}

// other makes somebody else who is easily taken for p.
func (mk *maker) other(p map[string]string) (map[string]string, string) {
	t := tongueOf(p["country"])
	q := mk.person()
	for q["country"] != p["country"] {
		q = mk.person()
	}
	q["country"] = p["country"]
	take := func(fields ...string) {
		for _, f := range fields {
			if p[f] != "" {
				q[f] = p[f]
			} else {
				delete(q, f)
			}
		}
	}
	switch mk.r.IntN(6) {
	case 0: // a namesake
		take("given_name", "family_name", "honorific")
		if q["email"] != "" {
			q["email"] = mk.mail(q["given_name"], q["family_name"], mk.domain())
		}
		return q, "namesake"
	case 1: // father and son
		take("given_name", "family_name", "honorific", "street", "postal_code", "locality")
		if mk.chance(.5) {
			take("phone")
		}
		if p["birthday"] == "" {
			p["birthday"] = mk.date()
		}
		var y, mo, d int
		fmt.Sscanf(p["birthday"], "%d-%d-%d", &y, &mo, &d)
		shift := 22 + mk.r.IntN(16)
		if y > 1970 {
			shift = -shift
		}
		q["birthday"] = fmt.Sprintf("%d-%02d-%02d", y+shift, 1+mk.r.IntN(12), 1+mk.r.IntN(28))
		if q["email"] != "" {
			q["email"] = mk.mail(q["given_name"], q["family_name"], mk.domain())
		}
		return q, "father and son"
	case 2: // a couple, or a sister
		take("family_name", "street", "postal_code", "locality", "phone")
		if mk.chance(.4) {
			take("email")
		}
		for first := string([]rune(p["given_name"])[:3]); strings.Contains(q["given_name"], first) ||
			strings.Contains(p["given_name"], string([]rune(q["given_name"])[:3])); {
			q["given_name"] = pick(mk.r, append(t.women, t.men...))
		}
		return q, "same family"
	case 3: // two at one mailbox or switchboard
		take("email", "phone")
		if q["given_name"] == p["given_name"] {
			q["family_name"] += pick(mk.r, t.ends)
		}
		return q, "same mailbox"
	case 4: // namesake of the town
		take("given_name", "family_name", "postal_code", "locality")
		q["birthday"] = mk.date()
		if p["birthday"] == "" {
			p["birthday"] = mk.date()
		}
		delete(q, "phone")
		return q, "namesake of the town"
	}
	take("street", "postal_code", "locality") // neighbours in one house
	return q, "same house"
}

// slip makes one slip of typing.
func (mk *maker) slip(s string) string {
	r := []rune(s)
	if len(r) < 4 {
		return s
	}
	i := 1 + mk.r.IntN(len(r)-2)
	switch mk.r.IntN(4) {
	case 0:
		r[i], r[i+1] = r[i+1], r[i]
	case 1:
		r = append(r[:i], r[i+1:]...)
	case 2:
		r = append(r[:i], append([]rune{r[i]}, r[i:]...)...)
	default:
		r[i] = rune("aeiorstnl"[mk.r.IntN(9)])
	}
	return string(r)
}

// again writes a person down once more, the way another hand does.
func (mk *maker) again(p map[string]string) (map[string]string, string) {
	q := clone(p)
	var did []string
	do := func(share float64, what string, f func() bool) {
		if mk.chance(share) && f() {
			did = append(did, what)
		}
	}
	t := tongueOf(p["country"])
	for _, f := range []string{"email", "phone", "mobile", "street", "birthday", "honorific"} {
		do(.22, "blank "+f, func() bool { had := q[f] != ""; delete(q, f); return had })
	}
	// something must be left to go by
	if q["email"] == "" && q["phone"] == "" && q["mobile"] == "" && q["street"] == "" && q["birthday"] == "" {
		for _, f := range []string{"email", "phone", "mobile", "street", "birthday"} {
			if p[f] != "" {
				q[f] = p[f]
				break
			}
		}
	}
	do(.07, "slip in given name", func() bool { q["given_name"] = mk.slip(q["given_name"]); return true })
	do(.09, "slip in family name", func() bool { q["family_name"] = mk.slip(q["family_name"]); return true })
	do(.10, "short name", func() bool {
		list := fondNames[q["given_name"]]
		if len(list) > 0 {
			q["given_name"] = pick(mk.r, list)
		}
		return len(list) > 0
	})
	do(.04, "initial", func() bool { q["given_name"] = string([]rune(q["given_name"])[:1]) + "."; return true })
	do(.03, "second name left out", func() bool {
		g := strings.FieldsFunc(q["given_name"], func(r rune) bool { return r == ' ' || r == '-' })
		if len(g) == 2 {
			q["given_name"] = g[0]
		}
		return len(g) == 2
	})
	do(.04, "names swapped", func() bool {
		q["given_name"], q["family_name"] = q["family_name"],
			q["given_name"]
		return true
	})
	do(.03, "married", func() bool {
		if mk.chance(.5) {
			q["family_name"] = mk.family(t)
		} else {
			q["family_name"] += "-" + mk.family(t)
		}
		if q["email"] == "" && q["phone"] == "" && q["birthday"] == "" { // or nobody could know
			for _, f := range []string{"email", "phone", "birthday"} {
				if p[f] != "" {
					q[f] = p[f]
				}
			}
		}
		return true
	})
	do(.15, "letters", func() bool {
		with := pick(mk.r, []*strings.Replacer{plainLetters, bareLetters})
		if t.country == "GR" {
			with = greekLetters
		}
		for _, f := range []string{"given_name", "family_name", "street", "locality"} {
			q[f] = with.Replace(q[f])
		}
		return true
	})
	do(.08, "capitals", func() bool {
		for _, f := range []string{"given_name", "family_name", "locality"} {
			q[f] = strings.ToUpper(q[f])
		}
		return true
	})
	do(.10, "other mailbox", func() bool {
		if q["email"] == "" {
			return false
		}
		q["email"] = mk.mail(p["given_name"], p["family_name"], mk.domain())
		return true
	})
	do(.04, "slip in e-mail", func() bool {
		local, domain, ok := strings.Cut(q["email"], "@")
		if ok {
			q["email"] = box(mk.slip(local)) + "@" + domain
		}
		return ok
	})
	do(.10, "other phone", func() bool { had := q["phone"] != ""; q["phone"] = mk.phone(t); return had })
	do(.05, "phone as mobile", func() bool {
		if q["phone"] == "" {
			return false
		}
		q["mobile"] = q["phone"]
		delete(q, "phone")
		return true
	})
	do(.10, "moved", func() bool {
		town := mk.town(t)
		q["locality"], q["postal_code"] = town, mk.postal(t, town)
		if q["street"] != "" {
			q["street"] = mk.street(t)
		}
		return true
	})
	do(.20, "street short", func() bool {
		was := q["street"]
		for long, short := range t.short {
			q["street"] = strings.ReplaceAll(q["street"], long, short)
		}
		return q["street"] != was
	})
	do(.05, "slip in street", func() bool {
		if q["street"] == "" {
			return false
		}
		q["street"] = mk.slip(q["street"])
		return true
	})
	do(.03, "day and month swapped", func() bool {
		if len(q["birthday"]) < 10 || q["birthday"][8:] > "12" {
			return false
		}
		q["birthday"] = q["birthday"][:5] + q["birthday"][8:] + "-" + q["birthday"][5:7]
		return true
	})
	do(.03, "slip in birthday", func() bool {
		if q["birthday"] == "" {
			return false
		}
		q["birthday"] = q["birthday"][:8] + fmt.Sprintf("%02d", 1+mk.r.IntN(28))
		return true
	})
	for k, v := range q {
		if v == "" {
			delete(q, k)
		}
	}
	return q, strings.Join(did, ", ")
}
