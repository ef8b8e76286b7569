package suggest

import (
	"regexp"
	"slices"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/mapping"
	"uchi/internal/core/sheet"
	"uchi/internal/core/value"
)

// Addresses, postal codes and towns that stand in one column, or side by side.

// splitAddresses turns a column of whole addresses into its parts, where nothing else gives a
// postal code or a town.
func splitAddresses(target Target, columns []sheet.Column, list []Suggestion) []Suggestion {
	street, ok := target.Type.FieldAs(catalog.AsStreet)
	if !ok {
		return list
	}
	at := slices.IndexFunc(list, func(s Suggestion) bool {
		return s.Draft == target.Draft && s.Field == street.Name && s.Taken && s.Take == ""
	})
	if at < 0 {
		return list
	}
	of := slices.IndexFunc(columns, func(c sheet.Column) bool { return c.Header == list[at].Column })
	if of < 0 {
		return list
	}
	whole := share(columns[of].Samples, func(s string) bool { _, ok := value.SplitAddress(s); return ok })
	parts := map[string]mapping.Take{street.Name: mapping.TakeAddressStreet}
	for as, take := range map[catalog.Likeness]mapping.Take{
		catalog.AsPostalCode: mapping.TakeAddressCode,
		catalog.AsLocality:   mapping.TakeAddressTown,
	} {
		f, ok := target.Type.FieldAs(as)
		given := func(s Suggestion) bool { return s.Draft == target.Draft && s.Field == f.Name && s.Taken }
		if ok && !slices.ContainsFunc(list, given) {
			parts[f.Name] = take
		}
	}
	if whole == 0 || whole < 0.3 && len(parts) < 3 { // the cells for the rest take it from some
		return list
	}
	withMore(target, list, parts, mapping.TakeAddressRegion, mapping.TakeAddressCountry, columns[of], value.SplitAddress)
	reason := "the cells hold whole addresses"
	if withAddressee(target, list, parts, columns[of]) {
		reason += ", and before them whom they are of"
	}
	return parted(list, target, columns[of].Header, 0.95, reason, parts)
}

// addressed is in how many whole addresses somebody must be named before the street.
const addressed = 0.5

// withAddressee adds the parts of whom the addresses of a column are of, where most name somebody, and
// no other column does.
func withAddressee(target Target, list []Suggestion, parts map[string]mapping.Take, col sheet.Column) bool {
	named, people, companies := 0, 0, 0
	for _, s := range col.Samples {
		who, _, ok := value.SplitEnvelope(s)
		if ok {
			named++
		}
		if who.Person != "" {
			people++
		}
		if who.Company != "" {
			companies++
		}
	}
	if float64(named) < addressed*float64(len(col.Samples)) {
		return false
	}
	free := func(as catalog.Likeness) (string, bool) {
		f, ok := target.Type.FieldAs(as)
		return f.Name, ok && !slices.ContainsFunc(list, func(s Suggestion) bool {
			return s.Draft == target.Draft && s.Field == f.Name && s.Taken && s.Column != col.Header
		})
	}
	given, hasGiven := free(catalog.AsGivenName)
	family, hasFamily := free(catalog.AsFamilyName)
	added := false
	if people > 0 && hasGiven && hasFamily {
		parts[given], parts[family], added = mapping.TakeAddresseeGiven, mapping.TakeAddresseeFamily, true
		if honorific, ok := free(catalog.AsHonorific); ok {
			parts[honorific] = mapping.TakeAddresseeHonorific
		}
	}
	for _, as := range []catalog.Likeness{catalog.AsCompanyName, catalog.AsEmployer} {
		if company, ok := free(as); ok && companies > 0 {
			parts[company], added = mapping.TakeAddresseeCompany, true
			break
		}
	}
	return added
}

// splitTowns turns a column of postal codes with towns into the two fields, when
// nothing else gives a postal code.
func splitTowns(target Target, columns []sheet.Column, list []Suggestion) []Suggestion {
	code, ok := target.Type.FieldAs(catalog.AsPostalCode)
	town, both := target.Type.FieldAs(catalog.AsLocality)
	if !ok || !both {
		return list
	}
	if slices.ContainsFunc(list, func(s Suggestion) bool {
		return s.Draft == target.Draft && s.Field == code.Name && s.Taken && s.Take == "" && !together(columns, s.Column)
	}) {
		return list
	}
	placed := func(column, field string) bool { // any column, when it is not named
		return slices.ContainsFunc(list, func(s Suggestion) bool {
			return s.Draft == target.Draft && s.Field == field && s.Taken && (column == "" || s.Column == column)
		})
	}
	for _, col := range columns {
		l := lift(headerWords(col.Header))
		means := func(concepts ...string) bool {
			return slices.ContainsFunc(l.sets, func(set []string) bool {
				return !slices.ContainsFunc(concepts, func(c string) bool { return !slices.Contains(set, c) })
			})
		}
		both := means("town", "postal") && townsIn(col) > 0.3 || placed(col.Header, town.Name) && !placed("", code.Name) &&
			townsIn(col) > 0
		if !both && (!means("town") && !means("postal") && !isMute(tokens(col.Header)) || !together(columns, col.Header)) {
			continue
		}
		parts := map[string]mapping.Take{code.Name: mapping.TakePostalCode, town.Name: mapping.TakeTown}
		withMore(target, list, parts, mapping.TakeRegion, mapping.TakeCountry, col, value.SplitTown)
		list = parted(list, target, col.Header, 0.95, "the cells hold postal code and town together", parts)
		break
	}
	return list
}

// splitRegions turns a column that is called after towns and regions, or after towns alone, and has both in its
// cells, into the two fields: “Boston, MA”.
func splitRegions(target Target, columns []sheet.Column, list []Suggestion) []Suggestion {
	town, ok := target.Type.FieldAs(catalog.AsLocality)
	at := slices.IndexFunc(target.Type.Fields, func(f catalog.Field) bool { return f.Holds == catalog.HoldsRegion })
	if !ok || at < 0 {
		return list
	}
	region := target.Type.Fields[at].Name
	for _, col := range columns {
		both := slices.ContainsFunc(lift(headerWords(col.Header)).sets, func(set []string) bool {
			return slices.Equal(set, []string{"region", "town"})
		})
		elsewhere := slices.ContainsFunc(list, func(s Suggestion) bool {
			return s.Draft == target.Draft && s.Taken && s.Column != col.Header && (s.Field == town.Name || s.Field == region)
		})
		told := func(s string) bool {
			p, ok := value.TownAndRegion(s)
			return ok && (both || len(value.CountriesOfState(p.Region)) > 0)
		}
		if (both || says(col.Header, "town")) && !elsewhere && len(col.Samples) > 0 && share(col.Samples, told) > 0.6 {
			return parted(list, target, col.Header, 0.95, "the cells hold town and region together",
				map[string]mapping.Take{town.Name: mapping.TakeTown, region: mapping.TakeRegion})
		}
	}
	return list
}

// tellCountry lets a column of postal codes or of towns give the country as well, where its letters
// stand before many codes, or its name behind some towns, and nothing else gives it.
func tellCountry(target Target, columns []sheet.Column, list []Suggestion) []Suggestion {
	country := slices.IndexFunc(target.Type.Fields, func(f catalog.Field) bool { return f.Type == catalog.Country })
	if country < 0 {
		return list
	}
	given := func(field string) int {
		return slices.IndexFunc(list,
			func(s Suggestion) bool { return s.Draft == target.Draft && s.Field == field && s.Taken })
	}
	for _, of := range []struct {
		as     catalog.Likeness
		take   mapping.Take
		names  func(string) bool
		least  float64
		reason string
	}{
		{catalog.AsPostalCode, mapping.TakePostalCode, func(s string) bool {
			c, _ := value.CodeOf(value.Trim(s))
			return c != ""
		}, 0.3, "the letters of countries stand before postal codes"},
		{catalog.AsLocality, mapping.TakeTown, func(s string) bool {
			p := value.TownOf(value.Trim(s))
			return p.Country != "" || p.Abroad != "" && p.Town != ""
		}, 0, "countries stand behind towns"},
	} {
		f, ok := target.Type.FieldAs(of.as)
		at := given(f.Name)
		if !ok || at < 0 || list[at].Take != "" || given(target.Type.Fields[country].Name) >= 0 {
			continue
		}
		col := slices.IndexFunc(columns, func(c sheet.Column) bool { return c.Header == list[at].Column })
		if col < 0 || !slices.ContainsFunc(columns[col].Samples, of.names) ||
			share(columns[col].Samples, of.names) < of.least {
			continue
		}
		list = parted(list, target, columns[col].Header, 0.95, of.reason,
			map[string]mapping.Take{f.Name: of.take, target.Type.Fields[country].Name: mapping.TakeCountry})
	}
	return list
}

// likePostalCode are the forms of postal codes that are told from numbers of other things where
// they stand beside a town.
var likePostalCode = regexp.MustCompile(`^(?:[A-Z]{1,3}[- ]?)?(?:\d{4,6}|\d{3} \d{2}|\d{2}[- ]\d{3}|\d{4,5}-\d{3}|` +
	`\d{3}-\d{4}|\d{5}-\d{4})$|^[A-Z]{1,2}\d[A-Z\d]? ?\d[A-Z]{2}$|^\d{4} ?[A-Z]{2}$|^[A-Z]\d[A-Z] ?\d[A-Z]\d$`)

// besideTown takes a column that is only called a code for the postal codes where it stands
// beside the town or the street, holds such codes, and nothing else gives them.
func besideTown(target Target, columns []sheet.Column, list []Suggestion) []Suggestion {
	code, ok := target.Type.FieldAs(catalog.AsPostalCode)
	if !ok || slices.ContainsFunc(list,
		func(s Suggestion) bool { return s.Draft == target.Draft && s.Field == code.Name && s.Taken }) {
		return list
	}
	addressed := func(at int) bool {
		return at >= 0 && at < len(columns) && slices.ContainsFunc(list, func(s Suggestion) bool {
			f, _ := target.Type.Field(s.Field)
			as := f.ComparedAs()
			return s.Taken && s.Column == columns[at].Header && s.Draft == target.Draft &&
				(as == catalog.AsLocality || as == catalog.AsStreet)
		})
	}
	for at, col := range columns {
		l := lift(headerWords(col.Header))
		called := l.unknown == 0 && slices.ContainsFunc(l.sets,
			func(set []string) bool { return slices.Equal(set, []string{"code"}) })
		if !called || !addressed(at-1) && !addressed(at+1) ||
			share(col.Samples, func(s string) bool { return likePostalCode.MatchString(strings.ToUpper(strings.TrimSpace(s))) }) < 0.8 ||
			slices.ContainsFunc(list, func(s Suggestion) bool {
				f, _ := target.Type.Field(s.Field)
				return s.Column == col.Header && s.Taken && !ownKey(f)
			}) {
			continue
		}
		return parted(list, target, col.Header, 0.93, "it stands beside the address, and its values "+
			"look like postal codes", map[string]mapping.Take{code.Name: ""})
	}
	return list
}

// withMore adds the region and the country to the parts of a column where its cells have some
// and nothing else gives them.
func withMore(target Target, list []Suggestion, parts map[string]mapping.Take, region, country mapping.Take,
	col sheet.Column, split func(string) (value.Place, bool)) {
	add := func(is func(catalog.Field) bool, take mapping.Take, of func(value.Place) string) {
		at := slices.IndexFunc(target.Type.Fields, is)
		if at < 0 {
			return
		}
		name := target.Type.Fields[at].Name
		given := func(s Suggestion) bool {
			return s.Draft == target.Draft && s.Field == name && s.Taken && s.Column != col.Header
		}
		shown := func(s string) bool { p, _ := split(s); return of(p) != "" }
		if !slices.ContainsFunc(list, given) && slices.ContainsFunc(col.Samples, shown) {
			parts[name] = take
		}
	}
	add(func(f catalog.Field) bool { return f.Holds == catalog.HoldsRegion }, region,
		func(p value.Place) string { return p.Region })
	add(func(f catalog.Field) bool { return f.Type == catalog.Country }, country,
		func(p value.Place) string { return p.Country + p.Abroad })
}

// together tells whether the cells of a column hold postal codes with towns.
func together(columns []sheet.Column, header string) bool {
	n := slices.IndexFunc(columns, func(c sheet.Column) bool { return c.Header == header })
	return n >= 0 && townsIn(columns[n]) > 0.8
}

// townsIn is the part of a column's cells that are a postal code with a town. Where the numbers before the
// words are of houses it is none.
func townsIn(col sheet.Column) float64 {
	if len(col.Samples) == 0 || houseNumbersFirst(col.Samples) {
		return 0
	}
	return share(col.Samples, func(s string) bool { _, ok := value.SplitTown(s); return ok })
}

// houseNumbersFirst reports whether the numbers before words are those of houses (“940 Michael Way”, “15 Mill Road”),
// which are of as many figures as it happens: postal codes of a country are all of as many.
func houseNumbersFirst(cells []string) bool {
	figures := map[int]int{}
	all, short, most := 0, 0, 0
	for _, s := range cells {
		m := numberFirst.FindStringSubmatch(value.Trim(s))
		if m == nil {
			continue
		}
		n := len(m[1])
		all++
		if figures[n]++; n < 4 {
			short++
		}
		most = max(most, figures[n])
	}
	return all >= fewest && short*10 >= all && most*20 < all*19 || streetTypes(cells)
}

// numberFirst is a number alone before words.
var numberFirst = regexp.MustCompile(`^(\d{1,6})(?: ?\pL)?,? \pL`)

// streetTypes reports whether many texts end in what kinds of streets are called in English, or name a flat:
// “274 Harbour Street”, “12 Mill Road Apt. 3”.
func streetTypes(cells []string) bool {
	return len(cells) > 0 && share(cells, endsInStreet.MatchString) > 0.3
}

var endsInStreet = regexp.MustCompile(`(?i)^\d.* (?:street|st\.?|road|rd\.?|avenue|ave\.?|lane|ln\.?|drive|dr\.?|way|square|sq\.?` +
	`|court|ct\.?|close|crescent|place|pl\.?|terrace|boulevard|blvd\.?|highway|hwy\.?|parkway|row|walk|quay)` +
	`(?:,? (?:apt|apartment|suite|ste|unit|flat)\.? ?\w+)?$|^\d.* (?:apt|apartment|suite|ste|unit|flat)\.? ?\d+\w*$`)
