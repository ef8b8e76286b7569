package value

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"testing/quick"

	"uchi/internal/core/catalog"
	"uchi/internal/core/problem"
)

// spellings of one value for each field type, the canonical text first, and what
// the type must refuse.
var spellings = map[catalog.FieldType]struct{ same, refused []string }{
	catalog.Text:     {[]string{"Åse Myhre", " Åse Myhre\u00a0"}, []string{"M\u00c3\u00a5s\ufffd"}},
	catalog.LongText: {[]string{"one\ntwo", "one\ntwo\n"}, []string{"M\u00c3\u00a5s\ufffd"}},
	catalog.Integer:  {[]string{"1250", "1 250", "01250", "1.250,0"}, []string{"3.5 t", "12 metres", "a dozen", "1,5"}},
	catalog.Decimal:  {[]string{"1250.5", "1 250,50", "1'250.5"}, []string{"3.5x", "1.2M", "x"}},
	catalog.Money: {[]string{"1250.00", "€ 1 250,00", "EUR 1250", "1250.- "},
		[]string{"3.5x", "1.2 M 3", "10 TXYZ", "some", "12 + 3"}},
	catalog.Percent: {[]string{"60", "60 %", "60,0%"}, []string{"60 of 100", "most"}},
	catalog.Date:    {[]string{"2026-03-31", "31 March 2026", "31.03.2026"}, []string{"31.02.2026", "soon"}},
	catalog.DateTime: {[]string{"2026-07-01T10:30:00Z", "2026-07-01 10:30", "2026-07-01T12:30:00+02:00"},
		[]string{"2026-07-01 25:30", "soon"}},
	catalog.YesNo:     {[]string{"true", "Yes", "ja", "1"}, []string{"perhaps"}},
	catalog.OneChoice: {[]string{"high", "Very High", "HOG", "hot"}, []string{"middle", "old"}},
	catalog.Choices:   {[]string{"high;low", "Low; hot", "low;high;low"}, []string{"high;middle"}},
	catalog.Email: {[]string{"kari@tern.example", "<kari@tern.example>", "mailto:kari@tern.example"},
		[]string{"kari at tern", "a@b@c.example"}},
	catalog.Phone: {[]string{"+4755112233", "+47 55 11 22 33", "0047 55112233", "55 11 22 33"},
		[]string{"none", "12"}},
	catalog.URL:       {[]string{"https://tern.example", "tern.example"}, []string{"no site", "a@tern.example"}},
	catalog.Country:   {[]string{"NO", "Norway", "norge"}, []string{"Atlantis"}},
	catalog.Language:  {[]string{"de", "German", "deutsch"}, []string{"Atlantean"}},
	catalog.Currency:  {[]string{"EUR", "eur", "€"}, []string{"shells"}},
	catalog.Reference: {[]string{"A-17", " A-17 "}, []string{"M\ufffds"}},
	catalog.File: {[]string{layout, "plans/Layout.PDF", `C:\Office\plans\layout.pdf`, "./plans/layout.pdf",
		"old.pdf"}, []string{"plans/quay.pdf", "layout", "plan.txt", "../layout.txt", strings.Repeat("0", 64)}},
}

// layout is the SHA-256 of a file that stands in several places.
var layout = strings.Repeat("1f", 32)

// cameAlong are files that cells may name; two that differ are both called plan.txt.
var cameAlong = NewFiles(map[string]string{"plans/layout.pdf": layout, "Plans/old.pdf": layout,
	"a/plan.txt": strings.Repeat("a", 64), "b/plan.txt": strings.Repeat("b", 64)})

// Every field type of the registry is read: all spellings of a value give one
// canonical text, which is read back as itself; what is not understood is held
// and never shortened; the normal form of what is one already is itself.
func TestEveryFieldTypeIsRead(t *testing.T) {
	for _, ft := range catalog.FieldTypes {
		s, ok := spellings[ft]
		if !ok {
			t.Errorf("%s has no spellings here", ft)
			continue
		}
		f := field(ft)
		r := NewReader(f, Settings{Country: "NO", DateOrder: DayFirst, DecimalSign: ""})
		r.WithFiles(cameAlong)
		for _, text := range s.same {
			got, trouble := r.Read(text)
			if got != s.same[0] {
				t.Errorf("%s %q: %q %+v, want %q", ft, text, got, trouble, s.same[0])
			}
		}
		if again, trouble := r.Read(s.same[0]); again != s.same[0] {
			t.Errorf("%s: %q is read back as %q %+v", ft, s.same[0], again, trouble)
		}
		key := Key(f, s.same[0])
		if key == "" || Key(f, "") != "" {
			t.Errorf("%s: normal forms %q and %q", ft, key, Key(f, ""))
		}
		for _, text := range s.refused {
			if got, trouble := r.Read(text); trouble.Code == "" || got != "" {
				t.Errorf("%s: %q was taken for %q", ft, text, got)
			}
		}
		if _, trouble := r.Read(""); trouble.Code != "" {
			t.Errorf("%s: a blank cell is %s", ft, trouble.Code)
		}
	}
	for ft := range kinds {
		if !slices.Contains(catalog.FieldTypes, ft) {
			t.Errorf("%s is read and is no field type", ft)
		}
	}
}

// Any spelling of a key is found by the forms of a namer, for every type that a
// key may have.
func TestEveryKeyIsFoundBySpelling(t *testing.T) {
	for _, ft := range catalog.KeyTypes() {
		f := field(ft)
		f.Key = true
		n := NewNamer(catalog.RecordType{Name: "x", Fields: []catalog.Field{f}}, Settings{Country: "NO"})
		for _, text := range spellings[ft].same {
			if key := Key(f, spellings[ft].same[0]); !slices.Contains(n.Forms(text), key) {
				t.Errorf("%s: %q has the forms %q, without %q", ft, text, n.Forms(text), key)
			}
		}
	}
}

// Whatever a cell says: a value that is read is read back as itself, and what is
// refused has no value.
func TestReadingIsStable(t *testing.T) {
	for _, ft := range catalog.FieldTypes {
		r := NewReader(field(ft), Settings{Country: "NO", DateOrder: DayFirst, DecimalSign: "."})
		stable := func(s string, n int32, form uint8) bool {
			text := s
			if form%4 != 0 { // any text is seldom a value
				text = fmt.Sprintf([]string{"", "%d", "%d.5", "%d/1/2026"}[form%4], n)
			}
			got, trouble := r.Read(text)
			if trouble.Code != "" {
				return got == ""
			}
			again, after := r.Read(got)
			return again == got && after.Code == ""
		}
		if err := quick.Check(stable, &quick.Config{MaxCount: 3000}); err != nil {
			t.Errorf("%s: %v", ft, err)
		}
	}
}

// An amount is the whole of what its cell says, or a problem.
func TestAmountsAreNeverShortened(t *testing.T) {
	check(t, field(catalog.Money), Settings{DecimalSign: "."}, []readCase{
		{"3.5k", "3500.00", ""}, {"1.2M", "1200000.00", ""}, {"1.2 t", "", problem.BadNumber}, {"10 TEUR", "10000.00", ""},
		{"10 boxes", "", problem.BadNumber},
		{"5 Mio. €", "5000000.00", ""}, {"2 x 100", "", problem.BadNumber}, {"100-200", "", problem.RoughNumber},
		{"ca. 100", "", problem.RoughNumber},
		{"100 EUR", "100.00", ""}, {"$100", "100.00", ""}, {"100.00 kr", "100.00", ""}, {"-100 EUR", "-100.00", ""},
	})
}
