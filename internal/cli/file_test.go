package cli

import (
	"errors"
	"io"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"testing/iotest"

	"uchi/internal/core/fault"
)

// A file is there whole or not at all, never takes another's place, and leaves nothing beside.
func TestFilesAreWhole(t *testing.T) {
	dir := t.TempDir()
	name := filepath.Join(dir, "people.csv")
	half := io.MultiReader(strings.NewReader("half"), iotest.ErrReader(errors.New("cut off")))
	if err := intoFile(name, half); err == nil {
		t.Error("half of a file is written")
	}
	seen := func() (names []string) {
		list, err := os.ReadDir(dir)
		if err != nil {
			t.Fatal(err)
		}
		for _, e := range list {
			names = append(names, e.Name())
		}
		return names
	}
	if got := seen(); len(got) > 0 {
		t.Errorf("what is left: %q", got)
	}
	// While it comes nothing stands under its name.
	in, out := io.Pipe()
	done := make(chan error)
	go func() { done <- intoFile(name, in) }()
	io.WriteString(out, "one,") //nolint:errcheck // it is read
	if _, err := os.Lstat(name); err == nil {
		t.Error("a part stands under the name of the whole")
	}
	io.WriteString(out, "two") //nolint:errcheck // it is read
	out.Close()
	if err := <-done; err != nil {
		t.Fatal(err)
	}
	if b, err := os.ReadFile(name); err != nil || string(b) != "one,two" || len(seen()) != 1 {
		t.Errorf("%q, %v, %q", b, err, seen())
	}
	if err := intoFile(name, strings.NewReader("other")); !fault.Is(err, "file_exists") {
		t.Errorf("over another file: %v", err)
	}
	if err := intoFile(filepath.Join(dir, "none", "x.csv"), strings.NewReader("x")); !fault.Is(err, "not_written") {
		t.Errorf("in no folder: %v", err)
	}
	// It is for whom the person's own files are.
	defer syscall.Umask(syscall.Umask(0o077))
	own := filepath.Join(dir, "own.csv")
	if err := intoFile(own, strings.NewReader("x")); err != nil {
		t.Fatal(err)
	}
	if st, err := os.Stat(own); err != nil || st.Mode().Perm() != 0o600 {
		t.Errorf("%v, %v", st, err)
	}
}
