package matching

import (
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"uchi/bench/labelled"
	"uchi/internal/core/catalog"
)

func comparerOf(t testing.TB, typeName string) *Comparer {
	t.Helper()
	c, err := catalog.Standard()
	if err != nil {
		t.Fatal(err)
	}
	rt, ok := c.Type(typeName)
	if !ok {
		t.Fatalf("no type %s", typeName)
	}
	return NewComparer(rt, nil)
}

func (c *Comparer) valuesOf(m map[string]string) []string {
	out := make([]string, len(c.Fields))
	for i, f := range c.Fields {
		out[i] = m[f.Name]
	}
	return out
}

// A record meets itself and what is written of it again by some key, has no
// more keys than allowed, and scores the same whichever side it stands on.
func TestPairsMeetAndAreFair(t *testing.T) {
	for _, set := range []labelled.Set{labelled.People(61, 400, 600, .9), labelled.Companies(62, 400, 600, .9)} {
		c := comparerOf(t, set.Type)
		judge := c.Judge(DefaultWeights(), Frequencies{N: 400, Count: func(int32) int64 { return 1 }})
		met, pairs := 0, 0
		for _, row := range set.Rows {
			s := c.Prepare(c.valuesOf(row.Values))
			keys := c.Blocks(&s)
			if len(keys) > mostBlocks || len(slices.Compact(slices.Sorted(slices.Values(keys)))) != len(keys) ||
				slices.Contains(keys, 0) {
				t.Fatalf("keys %v", keys)
			}
			if row.Truth < 0 {
				continue
			}
			other := c.Prepare(c.valuesOf(set.Records[row.Truth]))
			pairs++
			if slices.ContainsFunc(c.Blocks(&other), func(k int32) bool { return slices.Contains(keys, k) }) {
				met++
			}
			one, two := judge.Compare(&s, &other), judge.Compare(&other, &s)
			if math.Abs(one.Bits-two.Bits) > 4 || one.Most != two.Most {
				t.Errorf("%.1f and %.1f bits, %v and %v:\n%v\n%v", one.Bits, two.Bits, one.Against, two.Against, row.Values,
					set.Records[row.Truth])
			}
			if self := judge.Compare(&other, &other); self.Bits < one.Bits-3 {
				t.Errorf("less like itself than another is: %.1f, %.1f", self.Bits, one.Bits)
			}
		}
		if met*100 < pairs*98 {
			t.Errorf("%s: of %d pairs %d meet", set.Type, pairs, met)
		}
	}
}

// Which values take part changes what is compared, not what a key means: a
// draft with few fields meets the record that has all.
func TestFewFieldsMeetMany(t *testing.T) {
	c, err := catalog.Standard()
	if err != nil {
		t.Fatal(err)
	}
	rt, _ := c.Type("contact")
	few, many := NewComparer(rt, []string{"email", "family_name"}), NewComparer(rt, nil)
	if len(few.Fields) != 2 || len(many.Fields) < 10 {
		t.Fatalf("%d and %d fields", len(few.Fields), len(many.Fields))
	}
	person := contact("Kari", "Øksnes", "kari@x.example", "+4755112233", "Storgata 4", "5003", "1980-04-03")
	a, b := few.Prepare(few.valuesOf(person)), many.Prepare(many.valuesOf(person))
	for _, k := range few.Blocks(&a) {
		if !slices.Contains(many.Blocks(&b), k) && a.email.whole == "" {
			t.Errorf("a key of the few is not one of the many")
		}
	}
	if !slices.ContainsFunc(few.Blocks(&a), func(k int32) bool { return slices.Contains(many.Blocks(&b), k) }) {
		t.Error("they do not meet")
	}
}

// Leads are people with a company written out.
func TestLeads(t *testing.T) {
	there := contact("Kari", "Øksnes", "", "", "", "", "")
	there["company"] = "Kalvøya Marina AS"
	there["locality"] = "Kalvøya"
	row := contact("Kari", "Øksnes", "", "", "", "", "")
	row["company"], row["locality"] = "Kalvoya Marina", "Kalvøya"
	if s := compare(t, "lead", 10_000, 1, row, there); Decide([]Score{s}, 95, 40) != Found {
		t.Errorf("the same lead: %.1f %% %v %v", s.Percent, s.Reasons, s.Against)
	}
	row["company"], row["locality"] = "Krogsø Werft", "Krogsø"
	if s := compare(t, "lead", 10_000, 1, row, there); Decide([]Score{s}, 95, 40) == Found {
		t.Errorf("of another company: %.1f %% %v", s.Percent, s.Reasons)
	}
}

// What likeness tells in other writing is listed, what is new is not.
func TestAlikeFields(t *testing.T) {
	there := contact("William", "Øksnes", "bill@x.example", "+4755112233", "Storgata 4", "5003", "1980-04-03")
	row := contact("Bill", "Oeksnes", "bill@x.example", "+4799999999", "Storgt. 4", "5003", "1980-03-04")
	got := compare(t, "contact", 10_000, 1, row, there).Alike()
	for _, want := range []string{"given_name", "family_name", "street", "birthday"} {
		if !slices.Contains(got, want) {
			t.Errorf("%s is not among %v", want, got)
		}
	}
	for _, other := range []string{"email", "phone"} {
		if slices.Contains(got, other) {
			t.Errorf("%s is among %v", other, got)
		}
	}

	// A fond name that no list has takes the place of no name either, where the pair is taken in spite of it.
	row = contact("Tippan", "Øksnes", "kari@x.example", "", "", "", "1980-04-03")
	there = contact("Kari", "Øksnes", "kari@x.example", "", "", "", "1980-04-03")
	if got := compare(t, "contact", 10_000, 1, row, there); got.Most != MayTake ||
		!slices.Contains(got.Alike(), "given_name") {
		t.Errorf("%v, alike in %v", got.Most, got.Alike())
	}
}

func TestSays(t *testing.T) {
	r := Reason{Kind: Family, Level: Same.String(), Bits: 7.25, Count: 12}
	if got := r.Says("Family name"); got != "Family name: the same, shared by 12 (+7.2)" &&
		got != "Family name: the same, shared by 12 (+7.3)" {
		t.Error(got)
	}
	for l := Same; l < levels; l++ {
		if levelWords[l] == "" || l.String() == "" {
			t.Errorf("level %d has no words", l)
		}
	}
	for _, why := range []string{OtherGiven, OtherFamily, OtherDate, OtherGeneration, OtherSex, OtherCompany,
		OtherForm, OtherUnit,
		OtherPlace, OtherCode, InitialOnly, NameInPart, OneKind, NoName, OnlyEqual} {
		if againstWords[why] == "" {
			t.Errorf("%s has no words", why)
		}
	}
	if AgainstSays("of_tomorrow") != "of tomorrow" {
		t.Error("an unknown word is said as it stands")
	}
}

// Any text can be compared: nothing panics, the likeness is a percentage.
func FuzzCompare(f *testing.F) {
	f.Add("Kari", "Øksnes jr.", "kari@x.example", "+47 55", "Storgata 4 B", "Kalvøya Marina A/S")
	f.Add("J P", "van der", "@", "0000000", "12", "株式会社")
	f.Add("\u0301", "-", "a@", "e", "0", "II 2")
	r := rand.New(rand.NewPCG(1, 2))
	comparers := []*Comparer{comparerOf(f, "contact"), comparerOf(f, "lead"), comparerOf(f, "account")}
	f.Fuzz(func(t *testing.T, given, family, mail, phone, street, company string) {
		for _, c := range comparers {
			a := c.valuesOf(map[string]string{"given_name": given, "family_name": family, "email": mail, "phone": phone,
				"street": street, "company": company, "name": company, "postal_code": phone, "locality": family,
				"birthday": street, "website": mail})
			b := slices.Clone(a)
			r.Shuffle(len(b), func(i, j int) { b[i], b[j] = b[j], b[i] })
			x, y := c.Prepare(a), c.Prepare(b)
			s := c.Judge(DefaultWeights(), Frequencies{N: 10, Count: func(int32) int64 { return 3 }}).Compare(&x, &y)
			if math.IsNaN(s.Percent) || s.Percent < 0 || s.Percent > 100 {
				t.Fatalf("%v %%: %q, %q", s.Percent, a, b)
			}
			if len(c.Blocks(&x)) > mostBlocks {
				t.Fatal("too many keys")
			}
		}
	})
}

// What is seen of two words before their sounds and misreadings are made leaves none out that are
// alike by them.
func TestSieves(t *testing.T) {
	words := strings.Fields(`schmidt smith schmitt muller miller mvller rnuller berg bergh petersen pedersen harnrner
		hammer clark
		dark kahn cohn jansson jonson wilms vvilrns 5chu1z schulz li lee iida ilda oddny 0ddny ßa źle nowak novak`)
	r := rand.New(rand.NewPCG(7, 7))
	for range 4000 { // and words with letters changed, put in and left out
		w := []byte(words[r.IntN(30)])
		for range 1 + r.IntN(3) {
			at := r.IntN(len(w))
			switch r.IntN(3) {
			case 0:
				w[at] = "abcdefghijklmnopqrstuvwxyz0158"[r.IntN(30)]
			case 1:
				w = slices.Insert(w, at, "rnclivjshtkz"[r.IntN(12)])
			default:
				if len(w) > 2 {
					w = slices.Delete(w, at, at+1)
				}
			}
		}
		words = append(words, string(w))
	}
	for range 200_000 {
		x, y := words[r.IntN(len(words))], words[r.IntN(len(words))]
		if distance(misread.Replace(x), misread.Replace(y), 1) <= 1 && !mayMisread(x, y) {
			t.Fatalf("%s and %s may be misread", x, y)
		}
		if k := sound(x); len(k) > 2 && k == sound(y) && !maySound(x, y) {
			t.Fatalf("%s and %s sound alike", x, y)
		}
	}
}
