package store

import (
	"encoding/json"
	"fmt"
	"sync"

	"uchi/internal/core/catalog"
)

// typeReader reads the descriptions of record types and keeps what it has read, by the text, so
// that nearly every act finds its types read already. The zero value is ready; it is safe for use
// by several goroutines.
type typeReader struct {
	lock sync.Mutex
	read map[string]catalog.RecordType
}

// typesKept is how many descriptions are kept: those of some twenty workspaces.
const typesKept = 256

// Read gives the type that a text describes; it is the caller's own.
func (r *typeReader) Read(text string) (catalog.RecordType, error) {
	r.lock.Lock()
	t, ok := r.read[text]
	r.lock.Unlock()
	if ok {
		return t.Copy(), nil
	}
	if err := json.Unmarshal([]byte(text), &t); err != nil {
		return t, fmt.Errorf("read record types: %w", err)
	}
	r.lock.Lock()
	defer r.lock.Unlock()
	if r.read == nil || len(r.read) >= typesKept {
		r.read = map[string]catalog.RecordType{}
	}
	r.read[text] = t.Copy()
	return t, nil
}
