package matching

import (
	"strings"

	"uchi/internal/core/value"
)

// mailbox is an e-mail address made ready for comparison.
type mailbox struct {
	whole, local, domain string // domain is blank for providers that anybody uses
	plain                string // local without dots and the like: karines for kari.nes
	role                 bool   // info@, office@: no person's own
}

func newMailbox(v string) mailbox {
	v = strings.ToLower(v)
	local, domain, ok := strings.Cut(v, "@")
	if !ok {
		return mailbox{}
	}
	if tag := strings.IndexByte(local, '+'); tag > 0 { // subaddresses (RFC 5233)
		local = local[:tag]
	}
	m := mailbox{whole: local + "@" + domain, local: local, domain: domain, plain: plainLocal(local),
		role: value.RoleMailbox(local)}
	if value.PrivateDomain(domain) || strings.Contains(domain, "mail") || strings.HasPrefix(domain, "post.") {
		m.domain = ""
	}
	return m
}

func likeMail(a, b mailbox) Level {
	switch {
	case a.whole == "" || b.whole == "":
		return Blank
	case a.whole == b.whole:
		return Same
	case slipInMail(a, b):
		return Near
	case a.plain == b.plain && len(a.local) > 3 && !a.role && !b.role:
		return Local
	case a.domain == b.domain && a.domain != "":
		return Domain
	case sisters(a.domain, b.domain):
		return Blank
	}
	return Differs
}

// sisterWords stand behind a hyphen in domains of a house beside that of the house itself.
var sisterWords = words("int intl international online web shop mail info group gruppe groupe grupo new neu")

// sisters reports whether one domain is the other with such a word, or the letters of a country: they say
// neither that two are one nor that they are not.
func sisters(a, b string) bool {
	x, _, _ := strings.Cut(a, ".")
	y, _, _ := strings.Cut(b, ".")
	if len(x) > len(y) {
		x, y = y, x
	}
	rest, ok := strings.CutPrefix(y, x)
	word, hyphen := strings.CutPrefix(rest, "-")
	return ok && hyphen && len(x) > 2 && (len(word) == 2 || sisterWords[word]) && !otherNumbers([]string{a}, []string{b})
}

// slipInMail reports a slip of typing in either half of the address.
func slipInMail(a, b mailbox) bool {
	host := func(m mailbox) string { _, h, _ := strings.Cut(m.whole, "@"); return h }
	x, y := host(a), host(b)
	if x == y {
		return near(a.local, b.local) && !numberedApart(a.local, b.local)
	}
	label := func(h string) string { l, _, _ := strings.Cut(h, "."); return l }
	return a.local == b.local && near(label(x), label(y)) && !numberedApart(x, y)
}

// plainLocal is the mailbox name without dots and the like: kari.nes, karines.
func plainLocal(s string) string {
	if !strings.ContainsAny(s, ".-_") {
		return s
	}
	return strings.Map(func(r rune) rune {
		if r == '.' || r == '-' || r == '_' {
			return -1
		}
		return r
	}, s)
}

// numberedApart reports whether two mailbox names differ in their figures:
// c001@ and c002@ are two people, and so are anna.gross@ and anna.gross88@.
func numberedApart(a, b string) bool {
	next := func(s string) (byte, string) {
		for i := 0; i < len(s); i++ {
			if s[i] >= '0' && s[i] <= '9' {
				return s[i], s[i+1:]
			}
		}
		return 0, ""
	}
	for {
		var x, y byte
		x, a = next(a)
		y, b = next(b)
		if x != y {
			return true
		}
		if x == 0 {
			return false
		}
	}
}

// lastDigits gives the figures of a phone number that stay the same however
// its country and trunk code are written: the last eight.
func lastDigits(v string) string {
	b := make([]byte, 0, 16)
	for i := 0; i < len(v); i++ {
		if v[i] >= '0' && v[i] <= '9' {
			b = append(b, v[i])
		}
	}
	if len(b) < 5 || strings.Trim(string(b), string(b[len(b)-1:])) == "" { // 00000000
		return ""
	}
	if len(b) > 8 {
		b = b[len(b)-8:]
	}
	return string(b)
}

func likePhones(a, b []string) (Level, string) {
	if len(a) == 0 || len(b) == 0 {
		return Blank, ""
	}
	for _, x := range a {
		for _, y := range b {
			if x == y || len(x) >= 7 && len(y) >= 7 && (strings.HasSuffix(x, y) || strings.HasSuffix(y, x)) {
				return Same, x
			}
		}
	}
	for _, x := range a {
		for _, y := range b {
			if len(x) > 6 && len(x) == len(y) && distance(x, y, 1) == 1 && x[len(x)-2:] == y[len(y)-2:] {
				return Near, x
			}
		}
	}
	return Differs, ""
}

// webDomain gives the domain of a web address without www, in small letters.
func webDomain(v string) string {
	v = strings.ToLower(v)
	if _, rest, ok := strings.Cut(v, "://"); ok {
		v = rest
	}
	v, _, _ = strings.Cut(v, "/")
	v, _, _ = strings.Cut(v, ":")
	return strings.TrimPrefix(v, "www.")
}

// likeDates compares two dates in their canonical text (2026-03-31).
func likeDates(a, b string) Level {
	if len(a) < 10 || len(b) < 10 {
		return Blank
	}
	if a[:10] == b[:10] {
		return Same
	}
	ay, am, ad := a[:4], a[5:7], a[8:10]
	by, bm, bd := b[:4], b[5:7], b[8:10]
	switch {
	case ay == by && am == bd && ad == bm: // day and month swapped
		return Near
	case distance(ay+am+ad, by+bm+bd, 1) == 1:
		// one is a slip, more may be a generation
		if decades := int(ay[2]) - int(by[2]); ay[3] == by[3] && (decades > 1 || decades < -1) {
			return Differs
		}
		return Near
	}
	return Differs
}
