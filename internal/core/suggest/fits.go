package suggest

import (
	"path"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"uchi/internal/core/catalog"
	"uchi/internal/core/sheet"
	"uchi/internal/core/value"
)

// fits is the registry of what speaks for a column being of a field type, and
// what against it. Every type has its entry; the reason is a half sentence.
var fits = map[catalog.FieldType]func(c *cells) (fit, string){
	catalog.Text:      fitText,
	catalog.LongText:  fitRemarks,
	catalog.Reference: fitReference,
	catalog.Integer:   fitNumber,
	catalog.Decimal:   fitNumber,
	catalog.Money:     fitNumber,
	catalog.Percent:   fitNumber,
	catalog.Date:      fitDate,
	catalog.DateTime:  fitDate,
	catalog.YesNo:     readAs(catalog.YesNo, "its values are neither yes nor no", "its values are yes and no"),
	catalog.Language:  readAs(catalog.Language, "its values are no languages", "its values are languages"),
	catalog.Currency:  fitCurrency,
	catalog.Country:   fitCountry,
	catalog.OneChoice: fitChoice,
	catalog.Choices:   func(*cells) (fit, string) { return neutralFit, "" },
	catalog.Email:     fitEmail,
	catalog.Phone:     fitPhone,
	catalog.URL:       fitURL,
	catalog.File:      fitFile,
}

// readAs is for types that nothing but their own texts can be read as, and that
// a column may still be when a few can.
func readAs(as catalog.FieldType, otherwise, so string) func(c *cells) (fit, string) {
	return func(c *cells) (fit, string) {
		switch r := c.readable(as); {
		case r < 0.3:
			return contradicts, otherwise
		case r > 0.9:
			return supports, so
		}
		return neutralFit, ""
	}
}

// fileName is the shape of the name of a file of which there is a known kind.
func fileName(s string) bool {
	name := path.Base(strings.ReplaceAll(value.Trim(s), `\`, "/"))
	return name != path.Ext(name) && sheet.MediaType(name) != ""
}

// fitFile is for the names of files, which nothing else looks like.
func fitFile(c *cells) (fit, string) {
	switch r := c.share("names of files", fileName); {
	case r > 0.7:
		return distinctive, "its values are names of files"
	case r < 0.2:
		return contradicts, "its values are no names of files"
	}
	return neutralFit, ""
}

// fitDate is for days. Those of birth are years ago, and others are not.
func fitDate(c *cells) (fit, string) {
	if c.share("day numbers", value.IsDayNumber) > 0.6 {
		return neutralFit, ""
	}
	if c.readable(catalog.Date) < 0.3 {
		return contradicts, "its values are no dates"
	}
	// a number of days, or no date
	if c.share("digits alone", func(s string) bool { return digitsIn(s) == len(s) }) > 0.5 {
		return neutralFit, ""
	}
	born := c.share("born", func(s string) bool { y := yearIn(s); return y > 1920 && y < 2010 })
	switch {
	case c.field.Holds == catalog.HoldsBirth:
		if born > 0.9 {
			return distinctive, "its values are days of birth"
		}
		if born < 0.3 && c.share("years", func(s string) bool { return yearIn(s) > 0 }) > 0.9 {
			return against, "its values are no days of birth"
		}
	case born > 0.9:
		return against, "its values are days of long ago"
	case c.field.Holds == catalog.HoldsPast && c.share("years ahead", inYearsAhead) > 0.9:
		return against, "its values are days that lie ahead"
	}
	if c.field.Type == catalog.Date && c.share("clocks", atATime) > 0.8 {
		return neutralFit, "" // as when a program wrote something down
	}
	return supports, "its values are dates"
}

// inYearsAhead reports whether a text is a day of the next years.
func inYearsAhead(s string) bool { return yearIn(s) > time.Now().Year() }

// yearIn gives the year of four figures that stands in a text, 0 without one.
func yearIn(s string) int {
	for at := 0; at+4 <= len(s); at++ {
		alone := (at == 0 || !isDigit(s[at-1])) && (at+4 == len(s) || !isDigit(s[at+4]))
		if y, err := strconv.Atoi(s[at : at+4]); err == nil && alone && y > 1800 && y < 2200 {
			return y
		}
	}
	return 0
}

func isDigit(c byte) bool { return c >= '0' && c <= '9' }

func fitNumber(c *cells) (fit, string) {
	if c.readable(c.field.Type) < 0.3 && c.readable(catalog.Money) < 0.3 {
		return contradicts, "its values are no numbers"
	}
	percent := c.share("percent", func(s string) bool { return strings.Contains(s, "%") })
	money := c.share("money", value.WithCurrency)
	switch {
	case c.field.Type == catalog.Percent && percent > 0.7:
		if c.share("halves and more", atLeastHalf) == 0 { // as discounts and taxes are
			return supports, "its values are small percentages"
		}
		return distinctive, "its values are percentages"
	case c.field.Type != catalog.Percent && percent > 0.7:
		return contradicts, "its values are percentages"
	case c.field.Type == catalog.Money && money > 0.7:
		return distinctive, "its values are amounts of money"
	case c.field.Type == catalog.Integer && money > 0.7:
		return contradicts, "its values are amounts of money"
	case c.readable(c.field.Type) > 0.9:
		return supports, "its values are numbers"
	}
	return neutralFit, ""
}

// atLeastHalf reports whether a text is a percentage of fifty or more.
func atLeastHalf(s string) bool {
	n, err := strconv.ParseFloat(strings.ReplaceAll(strings.Trim(s, "% \u00a0\u202f"), ",", "."), 64)
	return err == nil && n >= 50
}

// mostStaff is up to how many people the owners of records are taken to be.
const mostStaff = 200

// ownMail tells whether a column holds mailboxes of a house's own people: one domain,
// and the same ones again and again.
func (c *cells) ownMail() bool {
	domain := ""
	if c.col.Filled < 5 || c.col.Distinct > mostStaff || c.col.Distinct*10 > c.col.Filled*8 {
		return false
	}
	return c.share("", func(s string) bool {
		_, d, ok := strings.Cut(strings.ToLower(strings.TrimSpace(s)), "@")
		if domain == "" {
			domain = d
		}
		return ok && d == domain
	}) > 0.95 && !value.PrivateDomain(domain)
}

// manyHouses reports whether a column holds mailboxes of which most are at a house of their own: a house's own people
// are not.
func (c *cells) manyHouses() bool {
	houses := map[string]bool{}
	mails := c.share("", func(s string) bool {
		_, domain, ok := strings.Cut(strings.ToLower(strings.TrimSpace(s)), "@")
		if ok {
			houses[domain] = true
		}
		return ok
	})
	return mails > 0.8 && len(c.col.Samples) >= fewest && len(houses)*2 > len(c.col.Samples)
}

// eachAnother reports whether nearly all texts of a column of some length, or all of a short one, are numbers of
// something, and others than before: people come again.
func (c *cells) eachAnother() bool {
	few := c.col.Filled >= fewest && c.col.Distinct == c.col.Filled
	return (few || c.col.Filled >= 12 && c.col.Distinct*10 > c.col.Filled*9) &&
		c.share("numbers of something", func(s string) bool { return digitsIn(s) > 2 && likeCode(s) }) > 0.8
}

// enoughNamed is how many texts of a column must name records for it to point to them.
const enoughNamed = 0.6

func fitReference(c *cells) (fit, string) {
	if c.names[c.field.To] >= enoughNamed {
		return tells, "its values name records that are there"
	}
	switch {
	case c.writtenDates() > 0.6 || c.telephone() > 0.6:
		return contradicts, "its values are numbers or dates"
	case c.field.To != "staff" && c.col.Longest == 1 && c.share("single letters", singleLetters.MatchString) > 0.9:
		return contradicts, "its values are single letters"
	case c.share("web addresses",
		func(s string) bool { return strings.Contains(s, "://") || strings.HasPrefix(s, "www.") }) > 0.6:
		return contradicts, "its values are web addresses"
	}
	if c.field.To == "staff" {
		if c.ownMail() {
			return distinctive, "its values are mailboxes of few people at one house"
		}
		switch {
		case c.eachAnother():
			return contradicts, "its values are numbers, nearly each another"
		case c.manyHouses():
			return contradicts, "its values are mailboxes of many houses"
		}
		if c.share("initials", initials.MatchString) > 0.9 && c.col.Distinct*2 <= c.col.Filled {
			return supports, "its values are initials of few people"
		}
	} else if c.ownMail() {
		return against, "its values are mailboxes of few people at one house"
	}
	named, why := c.companies()
	switch {
	case c.field.ComparedAs() == catalog.AsEmployer, c.field.To == "account", named == neutralFit:
		return named, why
	case named == tells && (c.field.To == "staff" || c.field.To == "contact"):
		return contradicts, why
	}
	return against, why
}

// companies compares texts with names of companies, of which many end with a legal form.
func (c *cells) companies() (fit, string) {
	switch r := c.share("companies", withLegalForm); {
	case r > 0.7 && len(c.col.Samples) >= fewestToTell:
		return tells, "its values are names of companies"
	case r > 0.5:
		return supports, "its values are names of companies"
	case r*float64(len(c.col.Samples)) >= fewest && r > someFirms && c.share("sentences of companies", sentence) < 0.1:
		return supports, "some of its values are names of companies with their legal forms"
	}
	return neutralFit, ""
}

// partners are several people, as companies are called after them: “Chapman, Hunt and Pittman”, “Smith & Sons”.
var partners = regexp.MustCompile(`(?i)^\pL[\pL\pM'’.-]+(?:, \pL[\pL\pM'’.-]+)*` +
	`(?: (?:and|und|et|y|e|en|och|og|i) | ?& ?)\pL[\pL\pM'’. -]+$`)

// someFirms is how many of a column's texts must have a legal form for the others to be companies too: people have none.
const someFirms = 0.1

// withLegalForm reports whether a text is the name of a company with its legal form.
func withLegalForm(s string) bool {
	return value.NameKey(s) != value.Words(s) || strings.HasSuffix(s, "公司")
}

func fitEmail(c *cells) (fit, string) {
	switch {
	case c.ownMail():
		return against, "its values are mailboxes of few people at one house"
	case c.readable(catalog.Email) > 0.8:
		return distinctive, "its values are e-mail addresses"
	case c.mails() < 0.3:
		return contradicts, "its values are no e-mail addresses"
	}
	return neutralFit, ""
}

func fitURL(c *cells) (fit, string) {
	written := func(s string) bool {
		return strings.Contains(s, "www.") || strings.Contains(s, "://") || strings.Count(s, ".") > 0 &&
			!strings.ContainsAny(s, "0123456789,")
	}
	switch r := c.readable(catalog.URL); {
	case r > 0.8 && c.mails() < 0.2 && c.share("written links", written) > 0.7:
		return distinctive, "its values are web addresses"
	case r < 0.2:
		return contradicts, "its values are no web addresses"
	}
	return neutralFit, ""
}

func fitPhone(c *cells) (fit, string) {
	if c.mails() > 0.3 || c.share("five digits", func(s string) bool { return digitsIn(s) >= 5 }) < 0.3 {
		return contradicts, "its values are no telephone numbers"
	}
	if c.writtenDates() > 0.8 {
		return contradicts, "its values are dates"
	}
	if c.share("phones", likePhone) < 0.8 {
		return neutralFit, ""
	}
	mobile := c.once("mobiles", func() float64 { // -1 when it cannot be told
		if share, told := value.MobileShare(c.col.Samples, ""); told >= fewest {
			return share
		}
		return -1
	})
	if mobile >= 0 && c.field.ComparedAs() == catalog.AsPhone {
		switch wanted := c.field.Name == "mobile"; {
		case mobile > 0.97 && wanted && len(c.col.Samples) >= fewestToTell:
			return tells, "its values are mobile numbers"
		case mobile > 0.8 && wanted:
			return supports, "its values are mobile numbers"
		case mobile > 0.9:
			return against, "its values are mobile numbers"
		case mobile < 0.2 && wanted:
			return against, "its values are no mobile numbers"
		}
	}
	return supports, "its values are telephone numbers"
}

// noPhone is how days are written, the numbers of companies that end in those of a branch and
// of a check (12.345.678/0001-90), and postal codes (1193-140): digits in groups too.
var noPhone = regexp.MustCompile(`^(\d{1,2}[./-]\d{1,2}[./-]\d{2,4}|\d{4}[./-]\d{1,2}[./-]\d{1,2}` +
	`|\d{2}\.\d{3}\.\d{3}/\d{4}-\d{2}|\d{4,5}-\d{3})$`)

// likePhone tells whether a text is written as telephone numbers are: digits in groups,
// or with a plus or a nought in front.
func likePhone(s string) bool {
	s = strings.TrimSpace(s)
	n := digitsIn(s)
	if n < 7 || n > 17 || value.OrderOf(s) != "" && yearIn(s) > 0 || noPhone.MatchString(s) {
		return false
	}
	for _, r := range strings.TrimRight(strings.ToLower(s), "0123456789") {
		if !strings.ContainsRune("0123456789 +-()/.xext", r) {
			return false
		}
	}
	return strings.ContainsAny(s, "+ -()/") && !strings.ContainsAny(s, ",") || strings.HasPrefix(s, "0") ||
		dotted.MatchString(s)
}

// dotted is a telephone number in groups with dots between, of which those behind the first are not all of three
// figures, as those of an amount are: 636.726.7491.
var dotted = regexp.MustCompile(`^\d{2,4}(?:\.\d{2,4}){1,3}\.(?:\d{2}|\d{4})$`)

func fitCountry(c *cells) (fit, string) {
	letters := c.share("single letters", func(s string) bool { return len(s) == 1 }) == 1 // which may be classes
	initial := c.col.Longest <= 2 && c.share("countries of many customers", func(s string) bool {
		return oftenMeant[value.Words(s)]
	}) < 0.7 // of a few people, which are codes of far islands by chance
	switch r := c.readable(catalog.Country); {
	case r > 0.85 && initial && !letters:
		return supports, "its values are codes of countries"
	case r > 0.85 && c.col.Distinct > 1 && !letters:
		return distinctive, "its values are countries"
	case r < 0.2:
		return contradicts, "its values are no countries"
	}
	return neutralFit, ""
}

// oftenMeant are the countries that two letters rather mean than somebody's initials: those of Europe and the largest
// economies, by ISO 3166.
var oftenMeant = wordSet(`AT BE BG CH CY CZ DE DK EE ES FI FR GB GR HR HU IE IS IT LI LT LU LV MT NL NO PL PT RO SE SI SK UK
	AR AU BR CA CN ID IN JP KR MX NZ RU SA TR US ZA SG HK TW AE IL TH MY VN PH EG MA UA RS`)

// fitCurrency is sure of codes and signs that are nothing else: a header that speaks of the amount
// as well is that of its currency then.
func fitCurrency(c *cells) (fit, string) {
	fit, what := readAs(catalog.Currency, "its values are no currencies", "its values are currencies")(c)
	if fit == supports && c.share("currency codes",
		func(s string) bool { return len([]rune(s)) <= 3 && digitsIn(s) == 0 }) == 1 {
		return tells, what
	}
	return fit, what
}

func fitChoice(c *cells) (fit, string) {
	if c.col.Distinct > 60 || c.col.Longest > 60 {
		return contradicts, "its values are too many for a choice"
	}
	r := c.reader("choice "+c.of+"."+c.field.Name, c.field, value.Settings{})
	telling := 0
	known := c.share("", func(s string) bool {
		code, _ := r.Read(s)
		if code != "" && !everyday[value.Words(s)] {
			telling++
		}
		return code != ""
	})
	switch {
	case known > 0.75 && telling > 1 && telling*2 >= len(c.col.Samples):
		return distinctive, "its values are choices of the field"
	case known >= 0.6 && telling > 1 && c.col.Filled >= fewestMute && comesAgain(c.col): // of which one is new
		return tells, "its values are choices of the field"
	case known == 1 && c.col.Distinct > 1 && c.col.Filled >= fewestMute:
		return tells, "its values are choices of the field"
	case known > 0.6:
		return supports, "its values are choices of the field"
	case known == 0 && c.share("figures", likeCode) > 0.8 && !slices.ContainsFunc(c.field.Choices,
		func(ch catalog.Choice) bool {
			return likeCode(ch.Code) || likeCode(ch.Label) || slices.ContainsFunc(ch.Other, likeCode)
		}):
		return contradicts, "its values are numbers or codes, and the choices are words"
	case known == 0 && c.col.Filled > 3 && float64(c.col.Distinct) > 0.7*float64(c.col.Filled) &&
		c.share("sentences", func(s string) bool { return len(strings.Fields(s)) > 2 }) > 0.4:
		return contradicts, "its values are sentences, each another"
	case known == 0 && c.col.Distinct > 8 && float64(c.col.Distinct) > 0.7*float64(c.col.Filled):
		return contradicts, "its values are nearly all different, and none is a choice of the field"
	case known == 0 && c.col.Distinct > 1 && c.share("done or to do", value.SaysDone) > 0.9:
		return contradicts, "its values say what is done"
	case known == 0 && len(c.field.Choices) <= grades && c.col.Distinct > grades+1: // pontoons are no degree of interest
		return contradicts, "it has more words than the field has choices, and none of these"
	case known == 0 && c.col.Filled > 3 && c.people:
		return contradicts, "its values are names of people"
	case known == 0 && c.col.Filled > 3 && c.col.Distinct > 2:
		return against, "none of its values is a choice of the field"
	}
	return neutralFit, ""
}

// grades is how many choices a field has at most that are degrees of one thing: high, medium and low.
const grades = 3

// likeCode reports whether a text is a number, or one with a letter or two, as A12, and no word.
func likeCode(s string) bool { return digitsIn(s) > 0 && !aWord.MatchString(s) }

// aWord is found in a text that holds one: of three letters, or of one sign that is a word itself.
var aWord = regexp.MustCompile(`\pL{3}|[\p{Han}\p{Hiragana}\p{Katakana}\p{Hangul}]`)

// everyday are words that many lists of choices have.
var everyday = wordSet(`low medium high other open closed new none call mail visit meeting e-mail email phone web yes
	no hot warm cold
	some strong little misc price cost partner call telephone letter niedrig mittel hoch
	haut moyen bas alto medio bajo basso alta media baixa alto laag hoog hög låg høj lav neu nouveau nuevo nuovo novo ny
	uusi nowy sonstige autre otro altro anders annat andet andere`)

// grouped tells whether the texts are telephone numbers in groups, and not numbers that
// only have as many digits. Those of a register are written in groups as well (987 654 321):
// they do not begin as telephone numbers do.
func (c *cells) grouped() bool {
	if c.field.ComparedAs() == catalog.AsCode &&
		c.share("dialled", func(s string) bool { return strings.IndexAny(value.Trim(s), "+0(") == 0 }) < 0.3 {
		return false
	}
	return c.share("phones", likePhone) > 0.7 && c.share("groups", func(s string) bool {
		return strings.ContainsAny(strings.TrimSpace(s), " +()/") || strings.Count(s, "-") > 1 && digitsIn(s) > 9
	}) > 0.5
}

// fitText is for lines of text: they are no addresses of the net, and what
// fitNames says.
func fitText(c *cells) (fit, string) {
	links := c.share("links", func(s string) bool { return strings.Contains(s, "://") || strings.HasPrefix(s, "www.") })
	switch {
	case c.mails() > 0.6:
		return contradicts, "its values are e-mail addresses"
	case c.share("percents", func(s string) bool { return strings.HasSuffix(s, "%") && digitsIn(s) > 0 }) > 0.8:
		return contradicts, "its values are percentages"
	case c.share("labels", func(s string) bool { return strings.HasSuffix(s, ":") }) > 0.5: // of cards, one below the other
		return contradicts, "its values are labels of others"
	case c.field.Type == catalog.Text && (c.field.Key || c.field.ComparedAs() == catalog.AsCode) && c.grouped():
		return contradicts, "its values are telephone numbers"
	case c.field.ComparedAs() == catalog.AsStreet && c.col.Longest <= 4:
		return contradicts, "its values are too short for a street"
	case c.field.ComparedAs() == catalog.AsStreet &&
		c.share("domains", func(s string) bool { return strings.Contains(s, ".") && !strings.ContainsAny(s, " ,0123456789") }) > 0.9:
		return contradicts, "its values are addresses of the net"
	case c.field.ComparedAs() == catalog.AsStreet &&
		c.share("a word", func(s string) bool { return aWord.MatchString(s) }) < 0.4:
		return contradicts, "its values are no words"
	case c.field.ComparedAs() == catalog.AsLocality && len(c.col.Samples) > 1 &&
		c.share("initials", initials.MatchString) > 0.9:
		return contradicts, "its values are initials, or codes"
	case c.field.ComparedAs() != catalog.AsPostalCode && c.lettered() > 0.8:
		return contradicts, "its values are postal codes"
	case c.field.ComparedAs() == catalog.AsPostalCode && c.lettered() > 0.8 && len(c.col.Samples) >= fewest:
		return tells, "its values are postal codes"
	case c.field.Holds == catalog.HoldsRegion && c.col.Longest <= 4 &&
		c.share("capitals", func(s string) bool { return strings.ToUpper(s) == s && digitsIn(s) == 0 }) > 0.9:
		return supports, "its values are codes of regions"
	case c.field.ComparedAs() == catalog.AsCompanyName:
		if fit, what := c.companies(); fit != neutralFit {
			return fit, what
		}
	case links > 0.6:
		return contradicts, "its values are web addresses"
	}
	return fitNames(c)
}

// lettered is the part of the texts that are postal codes with letters, as in the United Kingdom,
// the Netherlands and Canada.
func (c *cells) lettered() float64 {
	return c.share("postal codes with letters",
		func(s string) bool { return letteredCode.MatchString(strings.ToUpper(value.Trim(s))) })
}

var letteredCode = regexp.MustCompile(`^(?:[A-Z]{1,2}\d[A-Z\d]? ?\d[A-Z]{2}|\d{4} [A-Z]{2}|[A-Z]\d[A-Z] ?\d[A-Z]\d)$`)

// singleLetters are the initials of given names (J., J.P., Chr. A.).
var singleLetters = regexp.MustCompile(`^\s*(?:\p{Lu}(?:[.\s-]+|$)|\p{Lu}\p{Ll}{1,2}\.\s*)+$`)

// fitNames compares texts with what the field holds: names are no numbers,
// postal codes no words.
func fitNames(c *cells) (fit, string) {
	firms, why := c.companies()
	f, address := c.field, c.share("forms of address", func(s string) bool { return formsOfAddress[value.Words(s)] })
	switch {
	case f.HoldsWords() && (c.share("mostly digits", func(s string) bool { return digitsIn(s)*2 > len(s) }) > 0.6 ||
		c.writtenDates() > 0.6):
		return contradicts, "its values are numbers or dates"
	case f.ComparedAs() == catalog.AsGivenName && c.share("single letters", singleLetters.MatchString) > 0.9:
		return against, "its values are initials" // of given names, where nothing says them in full
	case firms != neutralFit && (f.ComparedAs() == catalog.AsGivenName || f.ComparedAs() == catalog.AsFamilyName):
		return contradicts, why
	case (f.ComparedAs() == catalog.AsGivenName || f.ComparedAs() == catalog.AsFamilyName) &&
		c.share("partners", partners.MatchString) > someFirms:
		return contradicts, "its values are names of several people, or of companies"
	case f.ComparedAs() == catalog.AsHonorific && address < 0.5:
		return contradicts, "its values are no forms of address"
	case f.ComparedAs() == catalog.AsHonorific && address > 0.8:
		return distinctive, "its values are forms of address"
	case f.Holds == catalog.HoldsJobTitle && max(address, c.share("titles", value.OnlyTitles)) > 0.5:
		return contradicts, "its values are forms of address, or degrees"
	case f.Holds == catalog.HoldsWords && c.fewPeople(): // a thing is not called so, and hardly one of several
		return contradicts, "its values name few people again and again"
	case f.Key && c.telephone() > 0.6:
		return contradicts, "its values are telephone numbers"
	case f.Key && f.Type == catalog.Text && isAmounts(c.col):
		return contradicts, "its values are amounts"
	case f.Key && c.share("bank accounts", bankAccount.MatchString) > 0.8:
		return contradicts, "its values are numbers of bank accounts"
	case f.Key && f.Type == catalog.Text && c.writtenDates() > 0.6:
		return contradicts, "its values are dates"
	case f.Key && f.Type == catalog.Text &&
		c.share("words", func(s string) bool { return digitsIn(s) == 0 && s != strings.ToUpper(s) }) > 0.6:
		return contradicts, "its values are words, not numbers"
	case f.Key && f.Type == catalog.Text && c.share("several words", severalWords) > 0.8:
		return against, "its values are phrases, not numbers"
	case f.Key && c.field.Type == catalog.Text && c.col.AllDiffer() && c.col.Longest < 25 &&
		c.share("some digit", func(s string) bool { return digitsIn(s) > 0 }) > 0.9:
		return supports, "its values are numbers that tell records apart"
	case f.ComparedAs() == catalog.AsPostalCode &&
		(c.col.Longest > 20 || c.share("some digit", func(s string) bool { return digitsIn(s) > 0 }) < 0.4):
		return contradicts, "its values are no postal codes"
	}
	return neutralFit, ""
}

// bankAccount is the form of the number of a bank account by ISO 13616 (IBAN).
var bankAccount = regexp.MustCompile(`^[A-Z]{2}\d{2} ?(?:[A-Z0-9]{4} ?){3,7}[A-Z0-9]{0,3}$`)

// fitRemarks is for what is said of a record, which is no list of companies.
func fitRemarks(c *cells) (fit, string) {
	if named, why := c.companies(); named == tells {
		return contradicts, why
	}
	if c.col.Filled >= fewest && c.share("figures", likeCode) > 0.95 { // marks, not remarks
		return contradicts, "its values are numbers"
	}
	return fitNames(c)
}

// longestTick is how long a yes or no is at the most.
const longestTick = 6

// takesTicks are the types of fields whose values may be a yes, a no, a one or a nought.
var takesTicks = map[catalog.FieldType]bool{
	catalog.YesNo: true, catalog.OneChoice: true, catalog.Choices: true, catalog.Integer: true,
	catalog.Decimal: true, catalog.Money: true, catalog.Percent: true,
}

// ticks reports whether a column says yes and no, as lists do. NO and DA may be countries and
// languages as well.
func (c *cells) ticks() bool {
	return c.col.Longest <= longestTick && c.col.Distinct > 1 && c.col.Distinct <= mostTicks &&
		c.readable(catalog.YesNo) > 0.9
}

// mostTicks is in how many ways a column says yes and no.
const mostTicks = 6

// is reports whether a field is of a type and all texts are its values.
func (c *cells) is(of catalog.FieldType) bool { return c.field.Type == of && c.readable(of) > 0.9 }

var formsOfAddress = map[string]bool{}

func init() {
	for w := range strings.SplitSeq("mr|mrs|ms|miss|mx|dr|prof|sir|lady|lord|capt|captain|rev|herr|frau|hr|fr|herr dr|frau dr|prof dr"+
		"|m|mme|mlle|monsieur|madame|mademoiselle|me|sr|sra|srta|don|doña|dna|sig|sigra|signor|signora|dott|dottssa|ing|avv"+
		"|dña|da|bay|bayan|dl|dna|domnul|doamna|mgr|bc|mudr|judr|phdr|rndr|mag|dhr|mevr|de heer|mevrouw|senhor|senhora|herra|rouva|pan|pani|κ|κα|κος|κυριος|κυρια|様|さん", "|") {
		formsOfAddress[value.Words(w)] = true
	}
}

func share(list []string, good func(string) bool) float64 {
	n := 0
	for _, s := range list {
		if good(s) {
			n++
		}
	}
	return float64(n) / float64(max(1, len(list)))
}

func digitsIn(s string) int {
	n := 0
	for i := 0; i < len(s); i++ {
		if s[i] >= '0' && s[i] <= '9' {
			n++
		}
	}
	return n
}

// Choice guesses which choice of a field a text means that is none of its
// spellings; empty when nothing is near.
func Choice(f catalog.Field, text string) string {
	said := value.Words(text)
	if said == "" {
		return ""
	}
	best, code := 0, ""
	for _, c := range f.Choices {
		if c.Closed {
			continue
		}
		for _, w := range append([]string{c.Code, c.Label}, c.Other...) {
			w = value.Words(w)
			near := 0
			switch {
			case w == "":
			case close1(said, w):
				near = 3
			case contains(strings.Fields(said), strings.Fields(w)):
				near = 2
			case len([]rune(said)) >= 4 && (strings.HasPrefix(w, said) || strings.HasPrefix(said, w) && len([]rune(w)) >= 4):
				near = 1
			}
			if near > best {
				best, code = near, c.Code
			}
		}
	}
	return code
}
