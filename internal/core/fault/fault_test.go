package fault

import (
	"errors"
	"fmt"
	"strings"
	"testing"
)

// A panic is an error that says where it was; an error stays the one that it is.
func TestSafely(t *testing.T) {
	own := errors.New("own")
	if err := Safely(func() error { return own }); err != own {
		t.Errorf("an error: %v", err)
	}
	var list []int
	err := Safely(func() error { list[3]++; return nil })
	if err == nil || !strings.Contains(err.Error(), "index out of range") ||
		!strings.Contains(err.Error(), "fault_test.go") {
		t.Errorf("a panic: %v", err)
	}
}

// A fault says what, where, which value and what would mend it, in one line; each part is set on a copy.
func TestErrorInOneLine(t *testing.T) {
	plain := New(Invalid, "bad_row", "the row is wrong")
	full := plain.At(Place{File: "a.csv", Sheet: "People", Row: 7, Column: "Mail", Path: "x"}).With("sam@").Mended("Write all of it.")
	for f, want := range map[*Error]string{
		plain:                               "the row is wrong",
		full:                                `the row is wrong (a.csv, sheet People, row 7, column Mail, at x): "sam@". Write all of it.`,
		plain.With("x"):                     `the row is wrong: "x"`,
		plain.At(Place{Row: 3}):             "the row is wrong (row 3)",
		plain.Mended("Mend it."):            "the row is wrong. Mend it.",
		Newf(Busy, "busy", "%d wait", 3):    "3 wait",
		plain.With(strings.Repeat("ø", 90)): `the row is wrong: "` + strings.Repeat("ø", 80) + `…"`,
	} {
		if got := f.Error(); got != want {
			t.Errorf("got  %s\nwant %s", got, want)
		}
	}
	if plain.Value+plain.Mend != "" || plain.Place != (Place{}) {
		t.Errorf("the fault itself has changed: %+v", plain)
	}
}

// A fault is found in what wraps it, is one of the same code, and gives its cause.
func TestFaultsAreFound(t *testing.T) {
	cause := errors.New("the disk is full")
	f := &Error{Kind: TooLarge, Code: "disk_full", Message: "no room", Err: cause}
	wrapped := fmt.Errorf("load row 3: %w", f)
	if got, ok := From(wrapped); !ok || got != f || !Is(wrapped, "disk_full") || Is(wrapped, "busy") {
		t.Errorf("found %v", got)
	}
	if !errors.Is(wrapped, New(Busy, "disk_full", "")) || errors.Is(wrapped, New(TooLarge, "busy", "")) {
		t.Error("faults are compared by something else than their code")
	}
	if !errors.Is(wrapped, cause) {
		t.Error("the cause is lost")
	}
	if _, ok := From(cause); ok || Is(cause, "") || Is(nil, "disk_full") {
		t.Error("any error is a fault")
	}
}

// Texts are cut between letters, and only where they are longer.
func TestCut(t *testing.T) {
	for _, x := range []struct {
		text string
		n    int
		want string
	}{{"Øksnes", 3, "Øks…"}, {"Øks", 3, "Øks"}, {"", 3, ""}, {"ab", 0, "…"}, {"日本語", 2, "日本…"}} {
		if got := Cut(x.text, x.n); got != x.want {
			t.Errorf("%q to %d: %q", x.text, x.n, got)
		}
	}
}
