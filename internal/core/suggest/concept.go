package suggest

import (
	_ "embed"
	"maps"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/value"
)

// A header is also understood by what its words mean: each word is lifted to the
// concepts that it can stand for, in whatever language and short form, and a field is
// known by sets of concepts. “NM_FIRST”, “Vorname” and “Prénom” are all the given
// name, and none of them need be listed as a synonym.

//go:embed lexicon.txt
var lexiconText string

// lexicon maps words and phrases, in compared form, to the concepts that they can mean.
var lexicon, longestPhrase = readLexicon(lexiconText)

func readLexicon(text string) (words map[string][]string, longest int) {
	words = map[string][]string{}
	for line := range strings.Lines(text) {
		concept, list, ok := strings.Cut(strings.TrimSpace(line), ":")
		if !ok || strings.HasPrefix(concept, "#") {
			continue
		}
		for w := range strings.FieldsSeq(list) {
			phrase := value.Words(strings.ReplaceAll(w, "_", " "))
			if phrase == "" || slices.Contains(words[phrase], concept) {
				continue
			}
			words[phrase] = append(words[phrase], concept)
			longest = max(longest, strings.Count(phrase, " ")+1)
		}
	}
	return words, longest
}

// means are the sets of concepts by which fields are known, by the field's name, or by
// those of type and field where the name says less. The first are the surer ones; a
// question mark is behind those that the cells must agree with.
var means = map[string][]string{
	"account.name": {"company", "company name", "customer", "customer name", "company customer", "supplier name", "supplier?",
		"name?", "person?"},
	"staff.name": {"name", "person name", "owner name", "owner", "employees", "full name", "person", "family given",
		"name given"},
	"given_name":  {"given", "given name"},
	"family_name": {"family", "family name"},
	"honorific":   {"salutation", "title?"},
	"email":       {"email", "email address", "email number", "address?"},
	"phone": {
		"phone", "phone number", "landline", "landline phone", "main phone", "main number", "work number",
		"main phone number", "direct phone", "direct", "direct number", "direct work", "main?", "work?",
		"person?", "phone private?",
	},
	"mobile": {"mobile", "mobile phone", "mobile number", "mobile phone number", "mobile private",
		"mobile phone private", "person?"},
	"job_title": {"job", "job title", "job name", "job work", "company job", "title?", "does?"},
	"account": {"company", "company name", "customer", "customer name", "company customer", "company person",
		"company work", "legal name", "legal", "where?", "supplier?"},
	"company": {"company", "company name", "customer", "customer name", "company customer", "legal name", "legal",
		"where?"},
	"website": {"web", "web address", "email web"},
	"street": {
		"street", "street address", "address", "address line", "street number", "street name", "address number?",
		"company address", "address private?",
	},
	"locality":    {"town", "town name", "address town", "where?"},
	"region":      {"region", "region name", "region code"},
	"postal_code": {"postal", "postal code", "postal number", "address postal", "postal town?", "address code?"},
	"country":     {"country", "country code", "country name", "address country", "country region?"},
	"birthday":    {"birth", "birth date", "date?", "when?"},
	"language":    {"language", "language code", "language person", "language preferred"},
	"email_consent": {
		"consent", "consent ok", "consent email", "email ok", "consent email ok", "consent code", "consent name",
		"consent main",
	},
	"source_ref": {
		"customer number", "person number", "old number", "address number", "number system", "old number system",
		"deal number", "subject number",
		"customer code", "person code", "company code", "code number", "old code", "number?", "code?",
		"customer?", "person?", "deal?",
	},
	"registration_number": {
		"registration", "registration number", "company registration", "company registration number",
		"registration code", "company registration code",
	},
	"legal_name": {"legal name", "company legal", "company legal name", "legal?", "full name?", "company full name"},
	"industry":   {"industry", "industry name", "industry code", "company industry", "industry notes", "does"},
	"employees": {
		"employees", "employees number", "count employees", "employees count", "company employees",
		"number employees", "employees estimated", "employees amount", "employees quantity",
	},
	"status":            {"status", "customer status", "customer kind", "status code", "kind?"},
	"opportunity.stage": {"stage", "deal stage", "deal status", "stage code", "stage name", "status"},
	"owner": {
		"owner", "owner name", "email owner", "owner person", "owner number", "customer owner", "owner code",
		"company owner", "who?",
	},
	"description": {
		"notes", "notes main", "notes private", "notes status", "customer notes", "notes person", "deal notes",
		"notes origin", "kind notes", "met notes", "notes subject",
	},
	"task.owner": {"owner", "owner name", "email owner", "owner person", "owner number", "owner code", "who"},
	"parent": {"parent", "company parent", "name parent", "customer parent", "number parent",
		"customer number parent"},
	"team":   {"team", "name team"},
	"active": {"active", "active ok", "active code"},
	"opportunity.title": {"deal", "deal name", "deal title", "deal subject", "subject", "title", "deal notes", "name?",
		"what?"},
	"contact": {"person", "person name", "customer person", "email person", "company person"},
	"amount": {
		"amount", "amount net", "deal amount", "amount currency", "amount net currency", "estimated amount",
		"expected amount",
		"revenue", "expected revenue", "estimated revenue", "revenue currency", "deal revenue", "net revenue",
		"deal price", "expected price", "net price?", "price?", "net?",
	},
	"estimated_value": {
		"estimated amount", "amount", "amount currency", "amount currency estimated", "amount interest",
		"expected revenue", "estimated revenue", "estimated deal", "estimated deal amount", "deal amount",
		"estimated order", "estimated?", "expected amount", "amount expected deal",
	},
	"currency":    {"currency", "currency code"},
	"probability": {"probability", "percent probability", "close probability", "close percent", "percent?"},
	"expected_close": {
		"close", "close date", "close expected", "close date expected", "close deal", "close due", "close estimated",
		"close date estimated", "expected order", "due expected", "deal due expected", "due estimated",
		"date expected", "expected?", "when?",
	},
	"opened_on":    {"opened", "date opened", "deal opened", "date?"},
	"loss_reason":  {"lost reason", "unmade", "reason?", "lost?"},
	"interest":     {"interest", "interest kind", "interest level", "count interest"},
	"origin":       {"origin", "name origin", "kind origin", "origin person"},
	"met_on":       {"met", "date met", "when met", "date person?", "date?", "when?"},
	"subject":      {"subject", "deal subject", "name subject", "subject title", "what?"},
	"task.subject": {"job", "subject", "deal subject", "name subject", "subject title", "what?"},
	"due_on":       {"due", "date due", "due estimated", "date?", "when?"},
	"done":         {"done", "done ok", "done status", "ok?", "status?"},
	"kind":         {"kind", "kind subject", "code kind"},
	"line.product": {"product", "name product", "notes product", "name", "notes", "number product?", "code product?",
		"what?"},
	"product":     {"product", "name product", "notes product", "number product?", "code product?", "what?"},
	"quantity":    {"quantity", "product quantity", "quantity unit", "number quantity", "count unit", "count?"},
	"unit_price":  {"price", "price unit", "amount price unit", "net price", "net price unit", "price product", "price quantity"},
	"position":    {"line number", "line order", "count line", "line?"},
	"opportunity": {"deal", "deal number", "deal name", "order", "order number", "order code"},

	// What is not known by such a number itself points by it.
	"opportunity.account": byCompany, "task.account": byCompany, "note.account": byCompany,
	"attachment.account":  byCompany,
	"opportunity.contact": byPerson, "task.contact": byPerson, "note.contact": byPerson, "attachment.contact": byPerson,

	"note.text":       {"notes", "notes subject", "notes met"},
	"note.written_on": {"date", "date met", "met", "date notes", "opened", "date opened", "when?"},
	"note.author":     {"owner", "owner name", "notes owner"},

	"reports_to": {"reports", "name reports", "person reports"},
}

var (
	byCompany = []string{
		"company", "company name", "customer", "customer name", "company customer", "company person", "customer number",
		"customer code", "company number", "company code",
		"number system customer", "where?",
	}
	byPerson = []string{"person", "person name", "customer person", "email person", "company person", "person number",
		"person code"}
)

// flavours say which of several of a kind it is, or how it is written; without them it
// is the same field.
var flavours = wordSet("work main code name full address net ok percent currency preferred invoice house what when where who")

// entities are the concepts by which the records of a type are known themselves.
var entities = map[string][]string{
	"account": {"company", "customer", "supplier"}, "contact": {"person", "customer"}, "lead": {"person", "customer"},
	"opportunity": {"deal"}, "staff": {"person", "owner", "employees"}, "line": {"product", "deal"}, "task": {"subject"},
}

// whose reports whether a concept says what a choice is about: records of some type, or work for them.
func whose(concept string) bool {
	return concept == "job" || concept == "order" || slices.ContainsFunc(slices.Collect(maps.Values(entities)),
		func(known []string) bool { return slices.Contains(known, concept) })
}

// small words join others and mean nothing themselves.
var small = wordSet(`
	the a an of for and or in to at by on as is are held get be bis until till we you i my our your their his her
	per if it this that which der die das des dem den ein eine von vom zu zum zur und oder im am ist wir sie le la les l
	de du des d et ou un une en au aux el los las del y o al lo il gli di della dello dei e van het een of op te os do
	da dos das em och av på til fra med i og eller ja tai se z w na do dla i a το η ο του της και z v a na
	ihr ihre ihrem ihren euer eure uw jouw je votre vos tu su sus vuestro vuestra sua suo vostro vostra seu
	vosso twoj twoja
	din ditt er jeres deres teidän σας vas váš
	he she him hij zij zijn er sie es il elle él ella lui lei hun hon han on ona ele ela
	noch still encore ancora aún todavía nog ännu stadig vielä jeszcze ainda ακόμη
	concerné concernée concernés concernées betreffend betreffende betroffene concerned interesado interessato
	txt tx dsc dscr html kz jn yn u f they there did actual actuel actuelle exercé zajmowane
`)

// alone are those of the small words that mean something where they are all that a header says: “İl” is a province.
var alone = wordSet(`il`)

func wordSet(words string) map[string]bool {
	set := map[string]bool{}
	for w := range strings.FieldsSeq(words) {
		set[value.Words(w)] = true
	}
	return set
}

// lifted is what the words of a header can mean.
type lifted struct {
	sets    [][]string // of concepts, in alphabetical order; one of them is meant
	unknown int        // words that mean nothing that is known
	slips   int        // words that were taken for one that is a letter away
}

// mostReadings bounds in how many ways a header is read.
const mostReadings = 24

// lift gives what words can mean.
func lift(words []string) lifted {
	var out lifted
	out.sets = [][]string{nil}
	add := func(concepts []string) {
		out.sets = joined(out.sets, meantBy(concepts))
	}
	words, out.slips = corrected(words)
	if len(words) == 1 && alone[words[0]] {
		add(lexicon[words[0]])
		words = nil
	}
	for at := 0; at < len(words); {
		n, concepts := longestAt(words[at:])
		if n > 0 {
			add(concepts)
			at += n
			continue
		}
		w := words[at]
		at++
		switch parts := compound(w); {
		case small[w]:
		case parts != nil:
			for _, p := range parts {
				add(p)
			}
		case inPhrase[w] && len([]rune(w)) > 5 && lexicon[aSlipFrom([]rune(w))] != nil: // its phrase is not there
			add(lexicon[aSlipFrom([]rune(w))])
			out.slips++
		case strings.Trim(w, "0123456789") != "": // numbers tell columns apart and no more
			out.unknown++
		}
	}
	for n := range out.sets {
		slices.Sort(out.sets[n])
	}
	return out
}

// meantBy gives what words mean as sets: a word of several concepts at once means all of them.
func meantBy(concepts []string) (sets [][]string) {
	for _, c := range concepts {
		sets = append(sets, strings.Split(c, "+"))
	}
	return sets
}

// lexiconWords are the single words of the lexicon in alphabetical order.
var lexiconWords = func() (list []string) {
	for phrase := range lexicon {
		if !strings.Contains(phrase, " ") {
			list = append(list, phrase)
		}
	}
	slices.Sort(list)
	return list
}()

// beginningWith gives the words of the lexicon that begin so.
func beginningWith(begin string) []string {
	from, _ := slices.BinarySearch(lexiconWords, begin)
	n := slices.IndexFunc(lexiconWords[from:], func(w string) bool { return !strings.HasPrefix(w, begin) })
	if n < 0 {
		n = len(lexiconWords) - from
	}
	return lexiconWords[from : from+n]
}

// longestAt finds the longest phrase at the beginning of words; small words mean
// nothing by themselves.
func longestAt(words []string) (n int, concepts []string) {
	for n = min(longestPhrase, len(words)); n > 0; n-- {
		phrase := strings.Join(words[:n], " ")
		if n == 1 && small[phrase] && phrase != "by" {
			return 0, nil
		}
		if found, ok := lexicon[phrase]; ok {
			return n, found
		}
		if n == 1 {
			if bare := strings.TrimRight(phrase, "0123456789"); bare != phrase && len(bare) > 1 {
				if found, ok := lexicon[bare]; ok {
					return 1, found
				}
			}
		}
	}
	return 0, nil
}

// compound takes a word apart that is written together, as German, Dutch and Nordic
// headers have it: Ansprechpartnername, Postnummer, Telefoonnummer. Each part must be
// known; joints (s, n, en, e) fall away.
func compound(w string) [][]string {
	for _, joints := range [][]string{{""}, {"s", "n", "en", "e", "es", "er"}} { // zám behind an s is szám first
		if parts := joinedBy(w, joints); parts != nil {
			return parts
		}
	}
	return nil
}

// joinedBy takes a word apart between whose parts one of some joints stands.
func joinedBy(w string, joints []string) [][]string {
	const shortest = 3
	for cut := len(w) - 2; cut >= shortest; cut-- {
		head, tail := w[:cut], w[cut:]
		found, ok := lexicon[tail]
		if !ok || len(tail) < shortest && !slices.Contains(found, "number") {
			continue
		}
		for _, joint := range joints {
			stem, has := strings.CutSuffix(head, joint)
			if !has || len(stem) < shortest {
				continue
			}
			if first, ok := lexicon[stem]; ok {
				return [][]string{first, found}
			}
			if joint == "" {
				if rest := compound(stem); rest != nil {
					return append(rest, found)
				}
			}
		}
	}
	return nil
}

// chained gives what the words of a header can mean where some of them are cut words in a row, as
// the names of columns in old programs are: CODPOS, NUMEMP, BELPOS. Sure is what it says where all
// parts are words of the lexicon; where they only begin some the cells must agree.
func chained(words []string) (sure, likely lifted) {
	known := func(part string) []string {
		if found := lexicon[part]; len(part) > 2 || slices.Contains(found, "number") {
			return found
		}
		return nil
	}
	sure, likely = chain(words, known), chain(words, begun)
	sure.slips, likely.unknown = 1, 1
	return sure, likely
}

// chain reads words of which some are two parts in a row.
func chain(words []string, meaning func(part string) []string) (l lifted) {
	sets, any := [][]string{nil}, false
	for _, w := range words {
		var found [][]string
		if concepts, ok := lexicon[w]; ok {
			found = meantBy(concepts)
		} else {
			found, any = inChain(w, meaning), true
		}
		sets = joined(sets, found)
	}
	if !any {
		return l
	}
	for n := range sets {
		slices.Sort(sets[n])
	}
	return lifted{sets: sets}
}

// inChain gives what a word can mean that is two parts in a row.
func inChain(w string, meaning func(part string) []string) (sets [][]string) {
	const shortest, longest = 5, 12
	if len(w) < shortest || len(w) > longest || !plainLetters(w) {
		return nil
	}
	for cut := 2; cut <= len(w)-2; cut++ {
		first, then := meaning(w[:cut]), meaning(w[cut:])
		for _, a := range first {
			for _, b := range then {
				if a != b {
					sets = append(sets, slices.Concat(strings.Split(a, "+"), strings.Split(b, "+")))
				}
			}
		}
	}
	return sets
}

// begun gives what the words of the lexicon mean that a part is or begins.
func begun(part string) (concepts []string) {
	concepts = slices.Clone(lexicon[part])
	if len(part) < 3 {
		return concepts
	}
	for _, w := range beginningWith(part) {
		for _, c := range lexicon[w] {
			if !slices.Contains(concepts, c) {
				concepts = append(concepts, c)
			}
		}
	}
	return concepts
}

// plainLetters reports whether a word is letters from a to z alone.
func plainLetters(w string) bool {
	return strings.IndexFunc(w, func(r rune) bool { return r < 'a' || r > 'z' }) < 0
}

// joined gives each set with each of others.
func joined(sets, others [][]string) (next [][]string) {
	for _, set := range sets {
		for _, other := range others {
			if len(next) == mostReadings {
				return next
			}
			with := slices.Clone(set)
			for _, c := range other {
				if !slices.Contains(with, c) {
					with = append(with, c)
				}
			}
			next = append(next, with)
		}
	}
	return next
}

// conceptScore tells how well what a header means says a field: the sets of concepts
// with or without flavours and what the records are known by themselves.
func conceptScore(t string, f catalog.Field, l lifted) (best float64) {
	for _, set := range l.sets {
		best = max(best, setScore(t, f, set))
	}
	if l.slips > 0 {
		best *= 0.98
	}
	switch {
	case l.unknown == 1:
		best = min(best*0.78, 0.72) // it holds it; the cells must agree
	case l.unknown > 1:
		best = min(best*0.6, 0.6)
	}
	return best
}

func setScore(t string, f catalog.Field, set []string) (best float64) {
	if len(set) == 0 {
		return 0
	}
	known, ok := means[t+"."+f.Name]
	if !ok {
		known = means[f.Name]
	}
	for n, phrase := range known {
		phrase, vague := strings.CutSuffix(phrase, "?")
		wanted := strings.Fields(phrase)
		if ownKey(f) && ofOthers(t, wanted) {
			continue
		}
		slices.Sort(wanted)
		near := float64(n) / 1000
		score := 0.0
		switch rest, ok := leaving(set, wanted); {
		case !ok:
		case len(rest) == 0:
			score = 0.94 - near
		case !slices.ContainsFunc(rest, func(c string) bool { return !flavours[c] && !slices.Contains(entities[t], c) }):
			score = 0.92 - near - 0.004*float64(len(rest))
		case f.Type == catalog.OneChoice && // the type of a job: its words are choices, or it is another's
			!slices.ContainsFunc(rest, func(c string) bool { return !flavours[c] && !whose(c) }):
			score = 0.75 - near
		}
		if vague && score > 0 {
			score = min(score*0.8, 0.75)
		}
		best = max(best, score)
	}
	return best
}

// ofOthers reports whether a number that is called so is that of records of other types alone: a
// contact's number is no account's.
func ofOthers(t string, concepts []string) bool {
	own := entities[t]
	return len(own) > 0 && slices.ContainsFunc(concepts, func(c string) bool {
		enquiry := c == "deal" && t == "lead" // which is what a lead has made
		return (c == "person" || c == "deal" || c == "subject") && !enquiry && !slices.Contains(own, c)
	})
}

// leaving gives a set without the concepts of another, which must all be in it.
func leaving(set, part []string) (rest []string, ok bool) {
	for _, c := range part {
		if !slices.Contains(set, c) {
			return nil, false
		}
	}
	for _, c := range set {
		if !slices.Contains(part, c) {
			rest = append(rest, c)
		}
	}
	return rest, true
}
