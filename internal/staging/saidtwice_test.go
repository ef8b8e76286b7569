package staging

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"sync"
	"testing"
)

// Typists side by side miss no key that two rows say, find none of another field or draft, and tell it another process as
// it is. Of more than can be kept nothing is known.
func TestKeysThatRowsSayTwice(t *testing.T) {
	fields := []saidKey{{Draft: 0, Field: "email"}, {Draft: 0, Field: "source_ref"}, {Draft: 1, Field: "email"}}
	s := newSaidTwice()
	said := map[saidKey]int{}
	var mu sync.Mutex
	var working sync.WaitGroup
	for n := range 3 {
		working.Go(func() {
			r := rand.New(rand.NewPCG(uint64(n), 7))
			typist := saidKeys{to: s}
			for range 4321 {
				of := r.IntN(len(fields))
				k := fields[of]
				k.Key = fmt.Sprint("k", r.IntN(9000))
				typist.add(k, of)
				mu.Lock()
				said[k]++
				mu.Unlock()
			}
			typist.note()
		})
	}
	working.Wait()
	text, err := s.text()
	if err != nil {
		t.Fatal(err)
	}
	told, err := saidTwiceOf(text)
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range fields {
		var want []string
		for k, times := range said {
			if times > 1 && k.Draft == f.Draft && k.Field == f.Field {
				want = append(want, k.Key)
			}
		}
		slices.Sort(want)
		for _, s := range []*saidTwice{s, told} {
			if got, ok := s.of(f.Draft, f.Field); !ok || len(want) < 100 || !slices.Equal(got, want) {
				t.Errorf("%+v: %d keys, %v, and not %d", f, len(got), ok, len(want))
			}
		}
	}
	typist := saidKeys{to: s}
	for n := range 2 {
		for range 2 { // twice each
			typist.add(saidKey{Field: "email", Key: fmt.Sprint(n) + strings.Repeat("x", mostTwice/2)}, 0)
		}
	}
	typist.note()
	text, err = s.text()
	if err != nil {
		t.Fatal(err)
	}
	if told, err = saidTwiceOf(text); err != nil {
		t.Fatal(err)
	}
	for _, s := range []*saidTwice{s, told, nil} {
		if keys, ok := s.of(0, "email"); ok || len(keys) > 0 {
			t.Errorf("of too many: %d keys, %v", len(keys), ok)
		}
	}
}
