package suggest

import (
	"regexp"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/sheet"
	"uchi/internal/core/value"
)

// Whose numbers a column of numbers holds: those of what the rows are, or of the customers that
// these belong to.

// numbersOfCompanies are the sets of concepts of headers that mean the number of a customer, or
// that in the companies register.
var numbersOfCompanies = []string{"customer number", "customer code", "company number", "company code",
	"registration", "company registration", "registration number", "company registration number"}

// ofCompanies reports whether a header means the number of a customer.
func ofCompanies(header string) bool {
	l := lift(headerWords(header))
	return l.unknown == 0 && slices.ContainsFunc(l.sets, func(set []string) bool {
		return slices.Contains(numbersOfCompanies, strings.Join(set, " "))
	})
}

// companyLink gives the field by which records of a type belong to a customer.
func companyLink(t catalog.RecordType) (catalog.Field, bool) {
	at := slices.IndexFunc(t.Fields, func(f catalog.Field) bool {
		return f.Type == catalog.Reference && f.To != t.Name && slices.Contains(means[f.Name], "company")
	})
	if at < 0 {
		return catalog.Field{}, false
	}
	return t.Fields[at], true
}

// ownKey reports whether a field holds numbers or words that one record has.
func ownKey(f catalog.Field) bool { return f.Key && f.Type == catalog.Text }

// Numbering reports whether a column may number the rows: each has another short text in it, without a space.
func Numbering(c sheet.Column) bool {
	return c.Filled > 0 && c.Blank == 0 && !comesAgain(c) && c.Longest <= 40 &&
		!slices.ContainsFunc(c.Samples, func(s string) bool { return strings.ContainsAny(value.Trim(s), " @") })
}

// comesAgain reports whether values of a column stand in it more than once; how many different ones
// there are is estimated in a large one.
func comesAgain(c sheet.Column) bool { return c.Distinct < c.Filled-c.Filled/50 }

// whoseNumbers looks at columns of customers' numbers that were taken for the numbers of what
// belongs to customers, such as contacts: where they repeat they are not these's; where they
// do not, nobody can tell.
func whoseNumbers(target Target, columns []sheet.Column, list []Suggestion) []Suggestion {
	if _, ok := companyLink(target.Type); !ok {
		return list
	}
	for n, s := range list {
		f, _ := target.Type.Field(s.Field)
		of := slices.IndexFunc(columns, func(c sheet.Column) bool { return c.Header == s.Column })
		if s.Draft != target.Draft || !s.Taken || !ownKey(f) || target.Memory[Key(s.Column)] == s.Field || of < 0 ||
			!ofCompanies(s.Column) {
			continue
		}
		list = slices.Clone(list)
		list[n].Taken, list[n].Confidence, list[n].Reason = false, perhaps,
			"it may number these, or the customers that they belong to"
		if comesAgain(columns[of]) {
			list[n].Reason = "it repeats, so it numbers the customers and not these"
		}
		break
	}
	return list
}

// wordsAlone reports whether a text is several words without any figure, as no number is.
func wordsAlone(s string) bool {
	return digitsIn(s) == 0 && strings.Contains(strings.TrimSpace(s), " ")
}

// ownNumbers takes a column for the numbers of what the rows are, whatever its header says, where
// another column names rows by what stands in it: the superior, the parent, or what points to these rows from
// another sheet.
func (v *View) ownNumbers(target Target, columns []sheet.Column, list []Suggestion) []Suggestion {
	at := slices.IndexFunc(target.Type.Match, func(m catalog.MatchRule) bool {
		f, ok := target.Type.Field(strings.Join(m.Fields, ""))
		return ok && ownKey(f)
	})
	if at < 0 {
		return list
	}
	key := target.Type.Match[at].Fields[0]
	mine := func(s Suggestion) bool { return s.Draft == target.Draft && s.Taken }
	pointed := v.pointed[target.Type.Name]
	header := "" // of the column that is taken for the numbers by what it is called
	if of := slices.IndexFunc(list, func(s Suggestion) bool { return mine(s) && s.Field == key }); of >= 0 {
		header = list[of].Column
		if len(pointed) == 0 || target.Memory[Key(header)] == key {
			return list
		}
	}
	by := func(own sheet.Column) (header string) { // the column that names rows by it
		for _, s := range list {
			link, _ := target.Type.Field(s.Field)
			names := slices.IndexFunc(columns, func(c sheet.Column) bool { return c.Header == s.Column })
			if mine(s) && link.To == target.Type.Name && names >= 0 && namesRows(columns[names], own) {
				return s.Column
			}
		}
		return pointed[own.Header]
	}
	var may []sheet.Column
	for _, own := range columns {
		taken := slices.ContainsFunc(list, func(s Suggestion) bool { return s.Column == own.Header && s.Taken })
		if (!taken || own.Header == header) && own.Blank == 0 && !comesAgain(own) && share(own.Samples, wordsAlone) < 0.9 &&
			by(own) != "" {
			may = append(may, own)
		}
	}
	for _, worse := range []func(c sheet.Column) bool{ // a rank is none, nor is what counts the rows beside other numbers
		func(c sheet.Column) bool { return !strings.HasSuffix(" "+Key(by(c)), " "+Key(c.Header)) }, // company_id, and id
		func(c sheet.Column) bool { return !saysNumber(c.Header) },
		func(c sheet.Column) bool { return countsRows(c.Samples) },
	} {
		if rest := slices.DeleteFunc(slices.Clone(may), worse); len(may) > 1 && len(rest) > 0 {
			may = rest
		}
	}
	reason := func(own sheet.Column) string { return "“" + by(own) + "” names rows by it" }
	if len(may) == 0 && header == "" { // long numbers that are drawn by lot are nothing else
		for _, own := range columns {
			taken := slices.ContainsFunc(list, func(s Suggestion) bool { return s.Column == own.Header && s.Taken })
			if !taken && Numbering(own) && drawnByLot(own) && stemOf(own.Header) == "" {
				may = append(may, own)
			}
		}
		reason = func(sheet.Column) string { return "each row has a long number of its own" }
	}
	if len(may) != 1 || may[0].Header == header { // nobody can tell better
		return list
	}
	own := may[0]
	list = slices.DeleteFunc(slices.Clone(list), func(s Suggestion) bool {
		return s.Column == own.Header || mine(s) && s.Field == key
	})
	return append(list, Suggestion{Column: own.Header, Draft: target.Draft, Field: key, Confidence: certain, Taken: true,
		Reason: reason(own)})
}

// drawnByLot reports whether the numbers of a column are so long that none is another's by chance: UUIDs,
// or letters and figures in a row.
func drawnByLot(c sheet.Column) bool {
	return len(c.Samples) > 0 && share(c.Samples, func(s string) bool {
		s = value.Trim(s)
		return aUUID.MatchString(s) || longCode.MatchString(s) && digitsIn(s) > 1 && digitsIn(s) < len(s)
	}) > 0.95
}

var (
	aUUID    = regexp.MustCompile(`^\{?[0-9A-Fa-f]{8}(?:-[0-9A-Fa-f]{4}){3}-[0-9A-Fa-f]{12}\}?$`) // as RFC 9562 writes them
	longCode = regexp.MustCompile(`^[0-9A-Za-z]{12,32}$`)
)

// stemOf is what a header says beside that it is a number or a name: “org_id” and “org_name” have one stem, and
// so have “Debitornr.” and “Debitornavn”.
func stemOf(header string) string {
	var stem []string
	for _, w := range headerWords(header) {
		if isNaming(lexicon[w]) {
			continue
		}
		stem = append(stem, bareStem(w))
	}
	return strings.Join(stem, " ")
}

// isNaming reports whether a word is one for numbers, codes or names.
func isNaming(concepts []string) bool {
	return slices.ContainsFunc(concepts, func(c string) bool { return c == "number" || c == "code" || c == "name" })
}

// bareStem cuts a word for numbers or names off the end of a compound whose beginning is known as well.
func bareStem(w string) string {
	const shortest = 4
	for cut := shortest; cut <= len(w)-2; cut++ {
		head, tail := w[:cut], w[cut:]
		if !isNaming(lexicon[tail]) {
			continue
		}
		for _, joint := range []string{"", "s", "n", "en", "e", "es"} {
			if _, known := lexicon[strings.TrimSuffix(head, joint)]; known && strings.HasSuffix(head, joint) {
				return head
			}
		}
	}
	return w
}

// sameStem reports whether two headers are the number and the name of one thing: they have one stem, or both
// are of a customer, whatever they call it (“Asiakasnro”, “Asiakkaan nimi”).
func sameStem(numbers, names string) bool {
	stem := stemOf(names)
	return stem != "" && stem == stemOf(numbers) || namesCustomers(names) && ofCustomers(numbers)
}

// namesCustomers and ofCustomers report whether a header means the names of customers, or their numbers.
func namesCustomers(header string) bool {
	return meansOnly(header, "customer", "customer name", "company", "company name", "company customer", "company customer name")
}

func ofCustomers(header string) bool {
	return meansOnly(header, "customer number", "customer code", "company number", "code company")
}

// meansOnly reports whether a header has no word that is not known, and one of its meanings is among some.
func meansOnly(header string, some ...string) bool {
	l := lift(headerWords(header))
	return l.unknown == 0 && slices.ContainsFunc(l.sets, func(set []string) bool {
		return slices.Contains(some, strings.Join(set, " "))
	})
}

// joinedUp is a header without what stands between its words: AFF_KONNR is affkonnr.
func joinedUp(header string) string { return strings.ReplaceAll(value.Words(header), " ", "") }

// NumbersOf reports whether a header says that its column holds the numbers of another table, whose own are under
// the header own: KUND_NR stands in it as well, with or without a mark of the table before it.
func NumbersOf(header, own string) bool {
	const shortest = 4
	last := joinedUp(own)
	return len(last) >= shortest && stemOf(own) != "" && saysNumber(own) && strings.HasSuffix(joinedUp(header), last)
}

// NumbersBeside gives the columns that hold the numbers of what another column says the names of.
func NumbersBeside(columns []sheet.Column, named string) (list []sheet.Column) {
	for _, c := range columns {
		if c.Header != named && saysNumber(c.Header) && !saysNumber(named) && sameStem(c.Header, named) {
			list = append(list, c)
		}
	}
	return list
}

// linksByNumber lets links be by numbers that are known where names stand beside them, of which several may
// be the same; and takes numbers of what one link alone leads to, which are long or called as they are there.
func (v *View) linksByNumber(target Target, columns []sheet.Column, list []Suggestion) []Suggestion {
	list = slices.Clone(list)
	free := func(header string) bool {
		return !slices.ContainsFunc(list, func(s Suggestion) bool { return s.Column == header && s.Taken })
	}
	var own []sheet.Column // what numbers the rows
	for _, s := range list {
		f, _ := target.Type.Field(s.Field)
		at := slices.IndexFunc(columns, func(c sheet.Column) bool { return c.Header == s.Column })
		if s.Draft == target.Draft && s.Taken && ownKey(f) && at >= 0 {
			own = append(own, columns[at])
		}
	}
	known := func(c sheet.Column, to string) bool {
		if to == target.Type.Name {
			return slices.ContainsFunc(own, func(o sheet.Column) bool { return o.Header != c.Header && namesRows(c, o) })
		}
		at := slices.IndexFunc(v.columns, func(o sheet.Column) bool { return o.Header == c.Header })
		return v.kinds[at].names[to] >= enoughNamed || v.points[c.Header] == to
	}
	to := func(n int, c sheet.Column, reason string) {
		list[n] = Suggestion{Column: c.Header, Draft: target.Draft, Field: list[n].Field, Confidence: certain, Taken: true,
			Reason: reason}
	}
	for n, s := range list {
		f, _ := target.Type.Field(s.Field)
		if s.Draft != target.Draft || f.Type != catalog.Reference || target.Memory[Key(s.Column)] == s.Field {
			continue
		}
		at := slices.IndexFunc(columns, func(c sheet.Column) bool { return c.Header == s.Column })
		if at >= 0 && !s.Taken && drawnByLot(columns[at]) && known(columns[at], f.To) {
			to(n, columns[at], s.Reason+", and its numbers are there")
		}
		if at < 0 || !s.Taken {
			continue
		}
		for _, c := range NumbersBeside(columns, s.Column) {
			if free(c.Header) && c.Blank <= columns[at].Blank && known(c, f.To) {
				to(n, c, "it has the numbers of those that “"+s.Column+"” names")
				break
			}
		}
	}
	for _, c := range columns {
		points := v.points[c.Header]
		if !free(c.Header) || !drawnByLot(c) && points == "" {
			continue
		}
		var links []catalog.Field
		for _, f := range target.Type.Fields {
			given := slices.ContainsFunc(list, func(s Suggestion) bool {
				return s.Draft == target.Draft && s.Field == f.Name && s.Taken
			})
			who := points == "" && slices.Contains(means[f.Name], "owner") // who made it, or changed it, may be there as well
			if f.Type == catalog.Reference && !who && f.To != target.Type.Name && !given && known(c, f.To) {
				links = append(links, f)
			}
		}
		if len(links) == 1 {
			list = slices.DeleteFunc(list, func(s Suggestion) bool { return s.Column == c.Header })
			list = append(list, Suggestion{Column: c.Header, Draft: target.Draft, Field: links[0].Name, Confidence: certain, Taken: true,
				Reason: "its numbers are those of what is there"})
		}
	}
	return list
}

// saysNumber reports whether a header may mean the number of something.
func saysNumber(header string) bool {
	return slices.ContainsFunc(lift(headerWords(header)).sets, func(set []string) bool {
		return slices.Contains(set, "number") || slices.Contains(set, "code")
	})
}

// namesRows reports whether what stands in a column stands in another as well: half of it, or, as
// only the first values are looked at, a good part.
func namesRows(names, own sheet.Column) bool {
	there := map[string]bool{}
	for _, s := range own.Samples {
		there[value.Fold(s)] = true
	}
	found := share(names.Samples, func(s string) bool { return there[value.Fold(s)] })
	return found >= 0.5 || found >= 0.2 && found*float64(len(names.Samples)) >= 3
}

// isCustomer reports whether records of a type are people or companies, who may be customers themselves.
func isCustomer(t catalog.RecordType) bool {
	_, person := t.FieldAs(catalog.AsFamilyName)
	_, company := t.FieldAs(catalog.AsCompanyName)
	return person || company
}

// pointElsewhere takes columns that hold the numbers of rows of another sheet for no link to records of other types,
// whatever their headers say: 担当者コード is whom a deal is made with, where the people are numbered so.
func (v *View) pointElsewhere(places []place, scores [][]float64) {
	for c, col := range v.columns {
		to := v.points[col.Header]
		if to == "" {
			continue
		}
		for i, p := range places {
			if p.field.Type == catalog.Reference && p.field.To != to && v.kinds[c].names[p.field.To] < enoughNamed {
				scores[c][i] = 0
			}
		}
	}
}

// numberCustomers lets columns of customers' numbers that repeat, that customers have, or whose rows are no
// customers, go to the link to the customer, where nothing else does, before columns are assigned: the number
// of what the rows are may stand in another.
func (v *View) numberCustomers(targets []Target, places []place, scores [][]float64, reasons [][]string) {
	given, taken := assign(scores), map[int]bool{}
	for c, i := range given {
		taken[i] = taken[i] || i >= 0 && scores[c][i] >= certain
	}
	for c, i := range given {
		sure := i >= 0 && scores[c][i] >= certain
		if sure && !ownKey(places[i].field) || !ofCompanies(v.columns[c].Header) {
			continue
		}
		of := 0 // the target that it is of; where nothing takes it, that of the rows
		if sure {
			of = places[i].target
		} else if len(targets) != 1 {
			continue
		}
		link, ok := companyLink(targets[of].Type)
		known := v.kinds[c].names[link.To] >= enoughNamed
		none := !isCustomer(targets[of].Type)
		beside := false // another column has the rows' own
		for o := range v.columns {
			beside = beside || sure && o != c && scores[o][i] >= certain && !ofCompanies(v.columns[o].Header)
		}
		if !ok || !known && !none && !beside && !comesAgain(v.columns[c]) || sure &&
			targets[of].Memory[Key(v.columns[c].Header)] == places[i].field.Name {
			continue
		}
		to := slices.IndexFunc(places, func(p place) bool { return p.target == of && p.field.Name == link.Name })
		if to >= 0 && taken[to] && sure && none { // the customer is named beside: this is no number of the rows
			scores[c][i] = perhaps
		}
		if to < 0 || taken[to] {
			continue
		}
		scores[c][to], reasons[c][to] = certain, "it numbers customers, and repeats: several rows name the same"
		switch {
		case none:
			reasons[c][to] = "it numbers customers, and these are none"
		case beside:
			reasons[c][to] = "it numbers customers, and another column numbers these"
		}
		if known {
			reasons[c][to] = "it numbers customers, and these are there"
		}
		if sure {
			scores[c][to], scores[c][i] = scores[c][i], 0
		}
	}
}
