package fault

import (
	"errors"
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
