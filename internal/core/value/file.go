package value

import (
	"path"
	"regexp"
	"strings"

	"uchi/internal/core/problem"

	"golang.org/x/text/unicode/norm"
)

// Files are files that cells may name: what they hold, as the SHA-256 of it in
// hexadecimal, by where they stand and what they are called.
type Files struct {
	paths map[string]string
	names map[string]string // by the last part of the path; ambiguous for several that differ
	holds map[string]bool
}

// ambiguous stands for what files of one name hold that differ.
const ambiguous = "?"

// NewFiles makes files known by their paths, each with the SHA-256 of what it holds, and
// others by that alone, as sheets of records name them.
func NewFiles(paths map[string]string, sums ...string) *Files {
	f := &Files{paths: map[string]string{}, names: map[string]string{}, holds: map[string]bool{}}
	for _, sum := range sums {
		f.holds[sum] = true
	}
	for p, sum := range paths {
		key := filePath(p)
		f.paths[key], f.holds[sum] = sum, true
		name := path.Base(key)
		if was, ok := f.names[name]; ok && was != sum {
			sum = ambiguous
		}
		f.names[name] = sum
	}
	return f
}

// filePath is where a file stands in one writing of it: of any system, from the root
// of what it came in.
func filePath(s string) string {
	s = strings.ReplaceAll(strings.ToLower(norm.NFC.String(Trim(s))), `\`, "/")
	if len(s) > 2 && s[1] == ':' {
		s = s[2:]
	}
	return strings.TrimPrefix(path.Clean("/"+s), "/")
}

// find gives what a file holds: that at the path, or with a path that is not there, as
// of the computer that the sheet was made on, that of the name alone. There may be none
// or several, which is said.
func (f *Files) find(text string) (sum string, t Trouble) {
	if f == nil {
		return "", Trouble{Code: problem.FileMissing}
	}
	key := filePath(text)
	if sum, ok := f.paths[key]; ok {
		return sum, Trouble{}
	}
	for at := key; ; { // the end of a longer path
		_, rest, ok := strings.Cut(at, "/")
		if !ok {
			break
		}
		if sum, ok := f.paths[rest]; ok {
			return sum, Trouble{}
		}
		at = rest
	}
	switch sum := f.names[path.Base(key)]; sum {
	case "":
		return "", Trouble{Code: problem.FileMissing}
	case ambiguous:
		return "", Trouble{problem.FileSeveral, path.Base(key)}
	default:
		return sum, Trouble{}
	}
}

var sumShape = regexp.MustCompile(`^[0-9a-f]{64}$`)

// WithFiles lets the reader find the files that cells name.
func (r *Reader) WithFiles(f *Files) { r.files = f }

// file reads the name of a file, or what an export writes of one: its SHA-256.
func (r *Reader) file(s string) (string, Trouble) {
	if r.files != nil && sumShape.MatchString(s) && r.files.holds[s] {
		return s, Trouble{}
	}
	return r.files.find(s)
}
