package labelled

import (
	"fmt"
	"strings"
)

var companyFields = []string{"name", "website", "email", "phone", "street", "postal_code", "locality", "country"}

// Companies makes accounts: records that are there, and rows of which the given
// share is of companies that are there.
func Companies(seed uint64, records, rows int, share float64) Set {
	mk := newMaker(seed, 2)
	s := Set{Type: "account", Fields: companyFields}
	for len(s.Records) < records {
		c := mk.company()
		s.Records = append(s.Records, c)
		for mk.chance(.25) && len(s.Records) < records { // branches are there as well
			b, _ := mk.branch(c)
			s.Records = append(s.Records, b)
		}
	}
	s.come(mk, rows, share, .3, kinds{mk.companyAgain, mk.branch, mk.company})
	return s
}

func (mk *maker) company() map[string]string {
	t := pick(mk.r, tongues)
	core := pick(mk.r, t.starts) + pick(mk.r, t.ends)
	switch mk.r.IntN(4) {
	case 0:
		core = mk.family(t)
	case 1:
		core = pick(mk.r, t.starts) + pick(mk.r, t.ends) + " " + pick(mk.r, t.starts) + pick(mk.r, t.ends)
	}
	kind := strings.ReplaceAll(pick(mk.r, t.kinds), "-", " ")
	name := core + " " + kind
	if t.country == "DE" || t.country == "FR" || t.country == "ES" {
		name = kind + " " + core
	}
	name += " " + pick(mk.r, t.forms)
	town := mk.town(t)
	domain := box(core) + pick(mk.r, []string{"", "-" + box(kind)})
	for mk.boxes[domain] {
		domain += "-" + pick(mk.r, []string{"sea", "north", "quay", box(town), mk.figures(2)})
	}
	mk.boxes[domain] = true
	domain += ".example"
	c := map[string]string{"name": name, "locality": town, "postal_code": mk.postal(t, town), "country": t.country}
	some := func(share float64, field, v string) {
		if mk.chance(share) {
			c[field] = v
		}
	}
	some(.7, "website", "https://www."+domain)
	some(.6, "email", pick(mk.r, []string{"info", "office", "post"})+"@"+domain)
	some(.75, "phone", mk.phone(t))
	some(.9, "street", mk.street(t))
	return c
}

// branch makes a company that is easily taken for c: a house of the same group,
// a sister to the north, another business of the owner's name.
func (mk *maker) branch(c map[string]string) (map[string]string, string) {
	t := tongueOf(c["country"])
	b := clone(c)
	town := mk.town(t)
	move := func() {
		b["locality"], b["postal_code"], b["street"] = town, mk.postal(t, town), mk.street(t)
		b["phone"] = mk.phone(t)
	}
	switch mk.r.IntN(4) {
	case 0:
		move()
		if b["email"] != "" {
			_, domain, _ := strings.Cut(b["email"], "@")
			b["email"] = box(town) + "@" + domain
		}
		return b, "branch"
	case 1:
		move()
		b["name"] = c["name"] + " " + town
		delete(b, "email")
		return b, "branch named by town"
	case 2:
		b["name"] = c["name"] + " " + pick(mk.r, []string{"Nord", "North", "Syd", "Sud", "II", "2"})
		b["phone"], b["street"] = mk.phone(t), mk.street(t)
		delete(b, "email")
		return b, "north and south"
	}
	words := strings.Fields(c["name"])
	b = mk.company()
	for b["country"] != c["country"] {
		b = mk.company()
	}
	other := strings.Fields(b["name"])
	other[0] = words[0]
	b["name"] = strings.Join(other, " ")
	if b["name"] == c["name"] {
		b["name"] = fmt.Sprint(pick(mk.r, t.starts), pick(mk.r, t.ends), " ", b["name"])
	}
	return b, "another of the name"
}

// companyAgain writes a company down once more, the way another hand does.
func (mk *maker) companyAgain(c map[string]string) (map[string]string, string) {
	q := clone(c)
	t := tongueOf(c["country"])
	var did []string
	do := func(share float64, what string, f func() bool) {
		if mk.chance(share) && f() {
			did = append(did, what)
		}
	}
	for _, f := range []string{"website", "email", "phone", "street"} {
		do(.22, "blank "+f, func() bool { had := q[f] != ""; delete(q, f); return had })
	}
	if q["website"] == "" && q["email"] == "" && q["phone"] == "" && q["street"] == "" {
		for _, f := range []string{"phone", "street", "email", "website"} {
			if c[f] != "" {
				q[f] = c[f]
				break
			}
		}
	}
	do(.4, "form left out", func() bool {
		for _, form := range t.forms {
			if n, ok := strings.CutSuffix(q["name"], " "+form); ok {
				q["name"] = n
				return true
			}
		}
		return false
	})
	do(.08, "slip in name", func() bool { q["name"] = mk.slip(q["name"]); return true })
	do(.08, "capitals", func() bool { q["name"] = strings.ToUpper(q["name"]); return true })
	do(.12, "letters", func() bool {
		with := pick(mk.r, []*strings.Replacer{plainLetters, bareLetters})
		if t.country == "GR" {
			with = greekLetters
		}
		for _, f := range []string{"name", "street", "locality"} {
			q[f] = with.Replace(q[f])
		}
		return true
	})
	do(.05, "words turned round", func() bool {
		w := strings.Fields(q["name"])
		if len(w) != 2 {
			return false
		}
		q["name"] = w[1] + " " + w[0]
		return true
	})
	do(.08, "other phone", func() bool { had := q["phone"] != ""; q["phone"] = mk.phone(t); return had })
	do(.2, "street short", func() bool {
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
	do(.04, "moved in town", func() bool {
		if q["street"] == "" || q["phone"] == "" && q["website"] == "" {
			return false
		}
		q["street"] = mk.street(t)
		return true
	})
	do(.1, "other mailbox", func() bool {
		_, domain, ok := strings.Cut(q["email"], "@")
		if ok {
			q["email"] = pick(mk.r, []string{"hello", "booking", "sales"}) + "@" + domain
		}
		return ok
	})
	do(.3, "short web address", func() bool {
		if q["website"] == "" {
			return false
		}
		q["website"] = strings.TrimPrefix(q["website"], "https://www.")
		return true
	})
	return q, strings.Join(did, ", ")
}
