// Package places looks into the places that feeds take files from, and takes them.
package places

import (
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"uchi/internal/core/fault"
	"uchi/internal/core/feed"
)

// File is a file at a place.
type File struct {
	Name     string
	Bytes    int64 // -1 when it is not known
	Modified time.Time
	Tag      string // by which an address tells whether what is there has changed
}

// Same reports whether nothing has happened to a file between two looks.
func (f File) Same(o File) bool {
	return f.Name == o.Name && f.Bytes == o.Bytes && f.Modified.Equal(o.Modified) && f.Tag == o.Tag
}

// Place is an open place.
type Place interface {
	// List gives the files, in no order; folders are left out.
	List(ctx context.Context) ([]File, error)
	// Open reads a file.
	Open(ctx context.Context, name string) (io.ReadCloser, error)
	// Move puts a file into a folder beside it, which is made when it is not there; a
	// file that is there under the name is not replaced.
	Move(ctx context.Context, name, folder string) error
	Close() error
}

// Options say what a service may reach, and how long it waits.
type Options struct {
	Folders []string      // that feeds may look into, with those below
	Private bool          // addresses of private networks may be reached
	Silence time.Duration // how long the other side may say nothing
	HostKey string        // of an SFTP host, as a SHA-256 fingerprint; blank when it is not known yet
	Secret  string        // a password, or a private key in PEM
	Tag     string        // of the file that was taken last, for an address
}

// usualSilence ends what hangs.
const usualSilence = time.Minute

// Open opens a place.
func Open(ctx context.Context, p feed.Place, o Options) (Place, error) {
	if o.Silence == 0 {
		o.Silence = usualSilence
	}
	switch p.Kind {
	case feed.Folder:
		return openFolder(p, o)
	case feed.SFTP:
		return openSFTP(ctx, p, o)
	case feed.HTTPS:
		return openAddress(p, o), nil
	}
	return nil, fault.New(fault.Invalid, "unknown_place", "nothing is fetched from such a place").With(string(p.Kind))
}

// folder is a folder on this machine.
type folder struct{ root *os.Root }

func openFolder(p feed.Place, o Options) (Place, error) {
	refused := func(why string) error {
		return fault.New(fault.Denied, "folder_refused", why).At(fault.Place{Path: "place.folder"}).With(p.Folder).
			Mended("Whoever runs the service names the folders with --feed-folder.")
	}
	if len(o.Folders) == 0 {
		return nil, refused("feeds may not look into folders of this machine")
	}
	real, err := filepath.EvalSymlinks(p.Folder)
	if err != nil || !filepath.IsAbs(p.Folder) {
		return nil, refused("there is no such folder")
	}
	below := slices.ContainsFunc(o.Folders, func(root string) bool {
		root, err := filepath.EvalSymlinks(root)
		if err != nil {
			return false
		}
		rel, err := filepath.Rel(root, real)
		return err == nil && rel != ".." && !strings.HasPrefix(rel, ".."+string(filepath.Separator))
	})
	if !below {
		return nil, refused("feeds may not look into this folder")
	}
	root, err := os.OpenRoot(real)
	if err != nil {
		return nil, refused("the folder cannot be read")
	}
	return &folder{root}, nil
}

func (f *folder) List(context.Context) ([]File, error) {
	d, err := f.root.Open(".")
	if err != nil {
		return nil, fmt.Errorf("look into the folder: %w", err)
	}
	defer d.Close() //nolint:errcheck // only read from
	infos, err := d.Readdir(-1)
	if err != nil {
		return nil, fmt.Errorf("look into the folder: %w", err)
	}
	var list []File
	for _, i := range infos {
		if i.Mode().IsRegular() {
			list = append(list, File{Name: i.Name(), Bytes: i.Size(), Modified: i.ModTime()})
		}
	}
	return list, nil
}

func (f *folder) Open(_ context.Context, name string) (io.ReadCloser, error) {
	r, err := f.root.Open(name)
	if err != nil {
		return nil, gone(name, err)
	}
	return r, nil
}

// Move does not follow links out of the folder.
func (f *folder) Move(_ context.Context, name, to string) error {
	if err := f.root.Mkdir(to, 0o755); err != nil && !os.IsExist(err) {
		return fmt.Errorf("make the folder %s: %w", to, err)
	}
	target, err := freeName(name, to, func(path string) bool {
		_, err := f.root.Lstat(path)
		return err == nil
	})
	if err != nil {
		return err
	}
	if err := f.root.Rename(name, target); err != nil {
		return fmt.Errorf("move %s: %w", name, err)
	}
	return nil
}

func (f *folder) Close() error { return f.root.Close() }

// freeName gives where a file can go in a folder without replacing another.
func freeName(name, folder string, there func(path string) bool) (string, error) {
	ext := filepath.Ext(name)
	for n := 1; n < 1000; n++ {
		path := folder + "/" + name
		if n > 1 {
			path = fmt.Sprintf("%s/%s-%d%s", folder, strings.TrimSuffix(name, ext), n, ext)
		}
		if !there(path) {
			return path, nil
		}
	}
	return "", fault.New(fault.Conflict, "folder_full",
		"too many files of this name were loaded and moved already").With(name).
		Mended("Clear the folder " + folder + ".")
}

func gone(name string, err error) error {
	return fault.New(fault.NotFound, "file_gone", "the file cannot be read: "+err.Error()).At(fault.Place{File: name}).
		Mended("It is looked for again the next time.")
}
