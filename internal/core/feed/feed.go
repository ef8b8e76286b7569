// Package feed says what runs by itself: where its files come from, when it looks,
// which files it takes, and the bounds within which they are loaded without a person.
package feed

import (
	"cmp"
	"fmt"
	"net/url"
	"path"
	"regexp"
	"slices"
	"strings"

	"uchi/internal/core/fault"
)

// Kind is a kind of place that files come from.
type Kind string

// The kinds of places.
const (
	Folder Kind = "folder" // on the machine of the service, below a folder that it may read
	SFTP   Kind = "sftp"   // on a host that speaks the SSH File Transfer Protocol
	HTTPS  Kind = "https"  // one file at an address
	Sent   Kind = "sent"   // other programs send files here
)

// Kinds lists the kinds of places.
var Kinds = []Kind{Folder, SFTP, HTTPS, Sent}

// Place is where files come from. Its password or key is kept apart.
type Place struct {
	Kind   Kind   `json:"kind" yaml:"kind"`
	Folder string `json:"folder,omitempty" yaml:"folder,omitempty"`
	Host   string `json:"host,omitempty" yaml:"host,omitempty"`
	Port   int    `json:"port,omitempty" yaml:"port,omitempty"` // 22 when left out
	User   string `json:"user,omitempty" yaml:"user,omitempty"`
	URL    string `json:"url,omitempty" yaml:"url,omitempty"`
}

// After is what is done with a file when it has been loaded.
type After string

// What is done with a file that has been loaded.
const (
	Leave After = "leave" // it stays, and is not taken again
	Move  After = "move"  // into a folder beside it
)

// Feed is the set-up of a feed.
type Feed struct {
	Name    string `json:"name" yaml:"name"`
	Routine string `json:"routine" yaml:"routine"` // by which its files are set up
	Place   Place  `json:"place" yaml:"place"`
	// the pattern of their names, with * and ?; all when blank
	Files string `json:"files,omitempty" yaml:"files,omitempty"`
	Then  []Part `json:"then,omitempty" yaml:"then,omitempty"` // further files, loaded behind these
	Set   bool   `json:"set,omitempty" yaml:"set,omitempty"`   // files are taken when one of each part is there
	// only the newest of those that are new; else all, oldest first
	Newest bool `json:"newest,omitempty" yaml:"newest,omitempty"`
	Still  int  `json:"still,omitempty" yaml:"still,omitempty"` // for how many seconds a file must not have grown
	// behind the name of a file: the name of one that says that it is whole, such as .done
	Mark   string `json:"mark,omitempty" yaml:"mark,omitempty"`
	After  After  `json:"after,omitempty" yaml:"after,omitempty"`
	MoveTo string `json:"move_to,omitempty" yaml:"move_to,omitempty"`
	When   When   `json:"when" yaml:"when"`
	Bounds Bounds `json:"bounds" yaml:"bounds"`
}

// Part is one kind of the files of a feed.
type Part struct {
	Files   string `json:"files" yaml:"files"`     // the pattern of their names
	Routine string `json:"routine" yaml:"routine"` // by which they are set up
}

// mostParts is how many kinds of files a feed takes.
const mostParts = 12

// Parts gives the kinds of files that the feed takes, in the order in which they are loaded.
func (f Feed) Parts() []Part { return append([]Part{{Files: f.Files, Routine: f.Routine}}, f.Then...) }

// PartOf gives the place of the first part that takes files of a name, or -1.
func (f Feed) PartOf(name string) int {
	if f.Mark != "" && strings.HasSuffix(name, f.Mark) || strings.HasPrefix(name, ".") {
		return -1
	}
	return slices.IndexFunc(f.Parts(), func(p Part) bool {
		ok, err := path.Match(strings.ToLower(p.Files), strings.ToLower(name))
		return p.Files == "" || ok && err == nil
	})
}

// RoutineOf gives the routine for files of a name.
func (f Feed) RoutineOf(name string) string { return f.Parts()[max(f.PartOf(name), 0)].Routine }

// What holds when nothing is said.
const (
	UsualStill  = 5
	UsualMoveTo = "loaded"
	sshPort     = 22
)

var nameShape = regexp.MustCompile(`^[\p{L}\p{N}][\p{L}\p{N} ._-]{0,79}$`)

// Usual gives the feed with what holds where it says nothing.
func (f Feed) Usual() Feed {
	f.Still, f.After = cmp.Or(f.Still, UsualStill), cmp.Or(f.After, Leave)
	if f.After == Move {
		f.MoveTo = cmp.Or(f.MoveTo, UsualMoveTo)
	}
	if f.Place.Kind == SFTP {
		f.Place.Port = cmp.Or(f.Place.Port, sshPort)
	}
	return f
}

// Check says what is wrong with the set-up.
func (f Feed) Check() error {
	bad := func(code, message, at, value, mend string) error {
		return fault.New(fault.Invalid, code, message).At(fault.Place{Path: at}).With(value).Mended(mend)
	}
	switch {
	case !nameShape.MatchString(f.Name):
		return bad("bad_name", "a feed's name has letters, digits, spaces, dots and hyphens, at most 80", "name", f.Name,
			"For example: marinas weekly.")
	case !slices.Contains(Kinds, f.Place.Kind):
		return bad("unknown_place", "there is no such kind of place", "place.kind", string(f.Place.Kind),
			fmt.Sprintf("Choose one of %v.", Kinds))
	case f.After != "" && f.After != Leave && f.After != Move:
		return bad("unknown_after", "a file that was loaded cannot be treated so", "after", string(f.After),
			"Choose leave or move.")
	case f.After == Move && (f.Place.Kind == HTTPS || f.Place.Kind == Sent):
		return bad("cannot_move", "a file at such a place cannot be moved", "after", string(f.After),
			"Leave it; it is not taken again.")
	case strings.ContainsAny(f.MoveTo, `/\`) || f.MoveTo == "..":
		return bad("bad_folder", "files that were loaded are moved into a folder beside them", "move_to", f.MoveTo,
			"Give the name of one folder.")
	case f.Still < 0 || f.Still > 3600:
		return bad("bad_still", "a file is looked at for at most an hour before it is taken", "still", fmt.Sprint(f.Still),
			"Give seconds.")
	case strings.ContainsAny(f.Mark, `/\`):
		return bad("bad_mark", "the mark of a whole file stands behind its name", "mark", f.Mark, "For example: .done.")
	}
	if len(f.Then) > 0 && f.Place.Kind == HTTPS {
		return bad("one_file", "at an address there is one file", "then", f.Then[0].Files, "Set a feed up for each.")
	}
	if len(f.Then) >= mostParts {
		return bad("too_many_parts", "a feed takes so many kinds of files", "then", fmt.Sprint(len(f.Then)+1),
			fmt.Sprintf("At most %d.", mostParts))
	}
	if f.Set && len(f.Then) == 0 {
		return bad("no_set", "one kind of files is no set", "set", "", "Say under then which files belong to them.")
	}
	for n, p := range f.Parts() {
		at := "files"
		if n > 0 {
			at = fmt.Sprintf("then[%d].files", n-1)
		}
		switch _, err := path.Match(p.Files, ""); {
		case err != nil:
			return bad("bad_pattern", "the pattern of names cannot be read", at, p.Files, "For example: marinas-*.csv.")
		case p.Files == "" && len(f.Then) > 0:
			return bad("pattern_missing", "of several kinds of files each has a pattern of names", at, "",
				"For example: marinas-*.csv.")
		case p.Routine == "":
			return bad("routine_missing", "a feed names the routine by which its files are set up",
				strings.TrimSuffix(at, "files")+"routine", p.Files, "Load one file by hand and save its set-up as a routine.")
		}
	}
	if err := f.Place.check(bad); err != nil {
		return err
	}
	if err := f.When.Check(); err != nil {
		return err
	}
	if f.When.Cron == "" && f.Place.Kind != Sent {
		return bad("time_missing", "a feed says when it looks", "when.cron", "",
			"For example: 30 6 * * 1-5, at half past six on weekdays.")
	}
	return f.Bounds.Check()
}

func (p Place) check(bad func(code, message, at, value, mend string) error) error {
	switch p.Kind {
	case Folder:
		if p.Folder == "" {
			return bad("folder_missing", "the place has no folder", "place.folder", "",
				"Give a folder on the service's machine.")
		}
	case SFTP:
		if p.Host == "" || p.User == "" {
			return bad("host_missing", "the place needs a host and a user", "place.host", p.Host, "")
		}
		if p.Port < 0 || p.Port > 65535 {
			return bad("bad_port", "there is no such port", "place.port", fmt.Sprint(p.Port), "22 is the usual one.")
		}
	case HTTPS:
		u, err := url.Parse(p.URL)
		if err != nil || u.Host == "" || u.Scheme != "https" && u.Scheme != "http" || u.User != nil {
			return bad("bad_url", "the address cannot be read, or holds a password", "place.url", p.URL,
				"It looks like https://files.example/marinas.csv; the password is given apart.")
		}
	}
	return nil
}

// Takes reports whether the feed takes files of a name.
func (f Feed) Takes(name string) bool { return f.PartOf(name) >= 0 }

// Turn gives the part whose files are due after some were taken, given their names, the newest
// first: of a set each has its turn, and the first begins the next set.
func (f Feed) Turn(taken []string) int {
	for _, name := range taken {
		if at := f.PartOf(name); at >= 0 {
			return (at + 1) % len(f.Parts())
		}
	}
	return 0
}
