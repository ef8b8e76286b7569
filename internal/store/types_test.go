package store

import (
	"encoding/json"
	"fmt"
	"testing"

	"uchi/internal/core/catalog"
)

// Whoever changes a type that was read changes it for nobody else.
func TestTypesAreReadOnceAndOwned(t *testing.T) {
	c, err := catalog.Standard()
	if err != nil {
		t.Fatal(err)
	}
	text, err := json.Marshal(c.Types[0])
	if err != nil {
		t.Fatal(err)
	}
	var r typeReader
	for range 3 { // as it was read, and as it was kept
		got, err := r.Read(string(text))
		if err != nil {
			t.Fatal(err)
		}
		again, err := json.Marshal(got)
		if err != nil || string(again) != string(text) {
			t.Fatalf("%v: %s, want %s", err, again, text)
		}
		got.Fields[0].Label, got.Fields[0].Synonyms = "changed", append(got.Fields[0].Synonyms[:0], "changed")
	}
	for n := range typesKept + 5 {
		if _, err := r.Read(fmt.Sprintf(`{"name": "t%d"}`, n)); err != nil {
			t.Fatal(err)
		}
	}
	if len(r.read) > typesKept {
		t.Errorf("%d are kept", len(r.read))
	}
	if _, err := r.Read("{"); err == nil {
		t.Error("half a description was read")
	}
}
