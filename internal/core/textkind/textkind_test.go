package textkind

import (
	"fmt"
	"slices"
	"testing"
)

// Columns in languages and of sorts that the lists do not hold word by word are told.
func TestOf(t *testing.T) {
	for want, columns := range map[Kind][][]string{
		Given: {{"Ingrid", "Matteo", "Annika", "Jürgen", "Camille", "Piotr"},
			{"Eleni", "Kostas", "Maria", "Giorgos", "Sofia"}},
		FullName: {{"Ingrid Solbakken", "Matteo Ferrando", "Annika Lindqvist", "Piotr Nowak"},
			{"Petersen, Jürgen", "Rousseau, Camille", "Romero, Carlos", "Virtanen, Helena"}},
		Company: {{"Havsund Verft AS", "Lindqvist Marin AB", "Petersen Bootsbau GmbH", "Chantier Rousseau SARL"},
			{"Tern Marina Ltd", "Gull & Sons", "Skarv Boatyard plc", "Quay Partners LLC"}},
		Street: {{"Sjøgata 14", "Via del Porto 3", "Hamngatan 22", "Am Hafen 7"},
			{"12 rue du Quai", "45 High Street", "9 Harbour Road"}},
		Job: {{"Innkjøpssjef", "Responsabile acquisti", "Betriebsleiter", "Directrice technique"},
			{"Harbour master", "Purchasing manager", "Sales director", "Chief engineer"}},
		Phrase: {{"rings back next week", "wants a new price list", "two berths from may", "pays by card"}},
		Town:   {{"Rotterdam", "Antwerpen", "Bremen", "Marseille", "Genova", "Gdynia"}},
	} {
		for _, texts := range columns {
			p, ok := Of(texts)
			best := slices.Index(p[:], slices.Max(p[:]))
			if !ok || Kind(best) != want {
				t.Errorf("%q are %s at %.2f, want %s", texts, Names[best], p[best], Names[want])
			}
		}
	}
	if p, _ := Of([]string{"möchte im Herbst neu verhandeln", "noch kein Termin",
		"hat Angebot erhalten"}); slices.Max(p[:Phrase]) > 0.9 {
		t.Errorf("phrases that are not known are told as something: %v", p)
	}
	if _, ok := Of([]string{"one", "two", ""}); ok {
		t.Error("too few texts say something")
	}
}

// What is learned tells what it was learned from, and the same lists give the same table.
func TestLearn(t *testing.T) {
	var lists [Kinds][]string
	for k := range lists {
		for n := range 30 {
			lists[k] = append(lists[k], fmt.Sprintf("%s %c%c word", Names[k], 'a'+n%7, 'k'+n%11))
		}
	}
	table := Learn(lists)
	if len(table)+len(LearnNames(nil, nil)) != len(tableBytes) || !slices.Equal(table, Learn(lists)) {
		t.Fatalf("%d bytes, the table that is kept has %d", len(table), len(tableBytes))
	}
	for k, list := range lists {
		var sums [Kinds]int
		for _, f := range Features(list[3]) {
			for other := range sums {
				sums[other] += int(table[int(f)*int(Kinds)+other])
			}
		}
		if best := slices.Index(sums[:], slices.Max(sums[:])); best != k {
			t.Errorf("%q is told as %s", list[3], Names[best])
		}
	}
}

func FuzzFeatures(f *testing.F) {
	f.Add("Øksnes, Kari 12 株式会社 \xff")
	f.Fuzz(func(t *testing.T, s string) {
		for _, x := range Features(s) {
			if int(x) >= buckets {
				t.Fatalf("place %d", x)
			}
		}
		Of([]string{s, s + "a", s + " b"})
	})
}
