// Package fault holds the one error value that travels from the place where
// something went wrong to the person who must mend it. It carries a stable
// code, a sentence, the place, the value and the remedy; the faces only
// translate it (HTTP status, exit code, message). It knows no face itself.
package fault

import (
	"errors"
	"fmt"
	"runtime/debug"
	"strings"
)

// Kind says what class of trouble it is; faces map it to their own numbers.
type Kind int

// The kinds of trouble.
const (
	Invalid  Kind = iota // the input is wrong and can be mended by whoever sent it
	NotFound             // what was named is not there
	Conflict             // it does not fit the present state
	Denied               // the person may not do this
	Unsigned             // nobody is signed in
	TooLarge             // a limit was passed
	Busy                 // try again later
	Stale                // it was made on an older version
	TooMany              // it was tried too often; later it may be tried again
)

// Place says where: any part may be empty or zero. Row is the row number as a
// spreadsheet program shows it (1 is the first).
type Place struct {
	File   string `json:"file,omitempty"`
	Sheet  string `json:"sheet,omitempty"`
	Row    int64  `json:"row,omitempty"`
	Column string `json:"column,omitempty"`
	Path   string `json:"path,omitempty"` // place in a document, such as drafts[0].fields.email
}

// String gives the place in words, widest first; empty when nothing is known.
func (p Place) String() string {
	var parts []string
	add := func(label, s string) {
		if s != "" {
			parts = append(parts, label+s)
		}
	}
	add("", p.File)
	add("sheet ", p.Sheet)
	if p.Row > 0 {
		parts = append(parts, fmt.Sprintf("row %d", p.Row))
	}
	add("column ", p.Column)
	add("at ", p.Path)
	return strings.Join(parts, ", ")
}

// Error is a fault as a value. Code is stable and in snake_case.
type Error struct {
	Kind    Kind
	Code    string
	Message string
	Place   Place
	Value   string
	Mend    string
	Err     error
}

// Error joins the message, the place, the value and the remedy to one line.
func (e *Error) Error() string {
	var b strings.Builder
	b.WriteString(e.Message)
	if p := e.Place.String(); p != "" {
		b.WriteString(" (" + p + ")")
	}
	if e.Value != "" {
		fmt.Fprintf(&b, ": %q", Cut(e.Value, 80))
	}
	if e.Mend != "" {
		b.WriteString(". " + e.Mend)
	}
	return b.String()
}

// Unwrap gives the cause.
func (e *Error) Unwrap() error { return e.Err }

// Is reports whether target is a fault with the same code.
func (e *Error) Is(target error) bool {
	t, ok := target.(*Error)
	return ok && t.Code == e.Code
}

// New makes a fault.
func New(kind Kind, code, message string) *Error {
	return &Error{Kind: kind, Code: code, Message: message}
}

// Newf makes a fault with a formatted message.
func Newf(kind Kind, code, format string, args ...any) *Error {
	return New(kind, code, fmt.Sprintf(format, args...))
}

// At gives a copy with a place.
func (e *Error) At(p Place) *Error { c := *e; c.Place = p; return &c }

// With gives a copy with the offending value.
func (e *Error) With(value string) *Error { c := *e; c.Value = value; return &c }

// Mended gives a copy with the remedy.
func (e *Error) Mended(by string) *Error { c := *e; c.Mend = by; return &c }

// From gives the fault inside err, if there is one.
func From(err error) (*Error, bool) {
	var f *Error
	ok := errors.As(err, &f)
	return f, ok
}

// Is reports whether err holds a fault with this code.
func Is(err error, code string) bool {
	f, ok := From(err)
	return ok && f.Code == code
}

// Cut shortens s to at most n runes, marking the cut with an ellipsis.
func Cut(s string, n int) string {
	count := 0
	for i := range s {
		if count == n {
			return s[:i] + "…"
		}
		count++
	}
	return s
}

// Safely turns a panic of f into an error with where it was: it ends a piece of work, and not the
// process. Of a goroutine it must be called in that.
func Safely(f func() error) (err error) {
	defer func() {
		if v := recover(); v != nil {
			err = fmt.Errorf("panic: %v\n%s", v, debug.Stack())
		}
	}()
	return f()
}
