package secret

import (
	"strings"
	"testing"

	"uchi/internal/core/fault"
)

// A secret is opened with the key and for the purpose that it was sealed for, also when
// the key is no longer the first; never otherwise.
func TestBox(t *testing.T) {
	old, now := NewKey(), NewKey()
	first, err := New("# of last year\n" + old + "\n")
	if err != nil {
		t.Fatal(err)
	}
	sealed, err := first.Seal("shore power", "feed 1")
	if err != nil || strings.Contains(sealed, "shore") {
		t.Fatal(sealed, err)
	}
	if again, _ := first.Seal("shore power", "feed 1"); again == sealed {
		t.Error("two of the same look alike")
	}
	both, err := New(now + "\n" + old)
	if err != nil {
		t.Fatal(err)
	}
	for name, b := range map[string]Box{"the key": first, "a newer key before it": both} {
		if plain, err := b.Open(sealed, "feed 1"); err != nil || plain != "shore power" {
			t.Errorf("%s: %q %v", name, plain, err)
		}
	}
	if both.Current(sealed) || !first.Current(sealed) {
		t.Error("which key it was is not told")
	}
	other, err := New(now)
	if err != nil {
		t.Fatal(err)
	}
	for name, f := range map[string]func() (string, error){
		"another key":     func() (string, error) { return other.Open(sealed, "feed 1") },
		"another purpose": func() (string, error) { return first.Open(sealed, "feed 2") },
		"changed":         func() (string, error) { return first.Open(sealed[:len(sealed)-2]+"xx", "feed 1") },
		"cut off":         func() (string, error) { return first.Open(sealed[:12], "feed 1") },
	} {
		if plain, err := f(); !fault.Is(err, "other_key") || plain != "" {
			t.Errorf("%s: %q %v", name, plain, err)
		}
	}
	if _, err := (Box{}).Seal("x", "y"); !fault.Is(err, "no_key") {
		t.Error(err)
	}
	if _, err := (Box{}).Open(sealed, "feed 1"); !fault.Is(err, "no_key") {
		t.Error(err)
	}
	if plain, err := (Box{}).Open("", "x"); plain != "" || err != nil {
		t.Error(plain, err)
	}
	if _, err := New("c2hvcnQ="); !fault.Is(err, "bad_key") {
		t.Error(err)
	}
}
