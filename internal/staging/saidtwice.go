package staging

import (
	"encoding/json"
	"hash/maphash"
	"maps"
	"slices"
	"sync"

	"uchi/internal/core/catalog"
)

// saidTwice finds the keys that more than one row says while the rows are typed: mostly a few or none, for which the server
// would gather them all. It keeps a hash of each key; one that it finds may be there once, but none that is there twice is
// missing. Its keys are gathered by any number of saidKeys, side by side.
type saidTwice struct {
	seed maphash.Seed

	mu    sync.Mutex
	seen  map[uint64]struct{}
	twice map[saidKey]bool
	size  int  // of the keys in twice, in bytes
	whole bool // all keys were noted
}

// saidKey is a key that a row says in a field of the n-th draft, counted from 0.
type saidKey struct {
	Draft int
	Field string
	Key   string
}

// Bounds of what is kept: how many keys (a million take some 20 MB), and how many bytes of those that were found. Beyond
// them the server looks for itself.
const (
	mostSeen  = 4_000_000
	mostTwice = 1 << 20
)

func newSaidTwice() *saidTwice {
	return &saidTwice{seed: maphash.MakeSeed(), seen: map[uint64]struct{}{}, twice: map[saidKey]bool{}, whole: true}
}

// keptAsTyped reports whether rows are compared by a form of a field that stands as it was typed, but that one row may be
// given what another says: the country of a telephone number may be found later.
func keptAsTyped(f catalog.Field) bool {
	return f.Normalised() && f.Kind().Form != catalog.LinkForm && f.Type != catalog.Phone
}

// of gives the keys of a field that rows may say twice; ok is false when that is not known.
func (s *saidTwice) of(draft int, field string) (keys []string, ok bool) {
	if s == nil || !s.whole {
		return nil, false
	}
	for k := range s.twice {
		if k.Draft == draft && k.Field == field {
			keys = append(keys, k.Key)
		}
	}
	slices.Sort(keys)
	return keys, true
}

// text is what was found, for another process.
func (s *saidTwice) text() (string, error) {
	text, err := json.Marshal(saidTwiceText{s.whole, slices.Collect(maps.Keys(s.twice))})
	return string(text), err
}

type saidTwiceText struct {
	Whole bool
	Twice []saidKey
}

// saidTwiceOf gives what another has found.
func saidTwiceOf(text string) (*saidTwice, error) {
	var found saidTwiceText
	if err := json.Unmarshal([]byte(text), &found); err != nil {
		return nil, err
	}
	s := &saidTwice{twice: map[saidKey]bool{}, whole: found.Whole}
	for _, k := range found.Twice {
		s.twice[k] = true
	}
	return s, nil
}

// saidKeys are keys of rows that one typist has typed and not noted yet.
type saidKeys struct {
	to     *saidTwice // nil notes none
	keys   []saidKey
	hashes []uint64
}

// keysAtOnce is how many keys are worth the lock.
const keysAtOnce = 500

// add takes on the key of a row in the n-th field of all.
func (b *saidKeys) add(k saidKey, n int) {
	b.keys, b.hashes = append(b.keys, k), append(b.hashes, maphash.String(b.to.seed, k.Key)+uint64(n))
	if len(b.keys) == keysAtOnce {
		b.note()
	}
}

// note notes the keys that have gathered.
func (b *saidKeys) note() {
	if len(b.keys) == 0 {
		return
	}
	s := b.to
	s.mu.Lock()
	defer s.mu.Unlock()
	for n, k := range b.keys {
		if !s.whole {
			break
		}
		if _, said := s.seen[b.hashes[n]]; !said {
			s.seen[b.hashes[n]] = struct{}{}
		} else if !s.twice[k] {
			s.twice[k] = true
			s.size += len(k.Key)
		}
		if s.whole = len(s.seen) <= mostSeen && s.size <= mostTwice; !s.whole {
			s.seen, s.twice = nil, nil // of no use any more
		}
	}
	b.keys, b.hashes = b.keys[:0], b.hashes[:0]
}
