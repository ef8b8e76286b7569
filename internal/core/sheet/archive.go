package sheet

import (
	"archive/zip"
	"fmt"
	"io"
	"os"
	"path"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"uchi/internal/core/fault"

	"golang.org/x/text/encoding/charmap"
)

// openRows opens the stream of rows of a source whose reading is settled. What it
// opens is closed again when it fails.
func openRows(src Source, reading Reading, limits Limits) (Reader, []io.Closer, error) {
	if reading.Turned {
		reading.Turned, reading.HeaderRow = false, 0
		rows, closers, err := openRows(src, reading, limits)
		if err != nil {
			return nil, nil, err
		}
		t, err := newTurned(src, rows, limits)
		if err != nil {
			for _, c := range closers {
				c.Close() //nolint:errcheck // only read from
			}
			return nil, nil, err
		}
		return t, closers, nil
	}
	format, _, err := sniff(src)
	if err != nil {
		return nil, nil, err
	}
	switch format {
	case formatZIP:
		own, within, _ := strings.Cut(reading.File, Within)
		inner, file, _, err := openMember(src, own)
		if err != nil {
			return nil, nil, err
		}
		reading.File = within
		r, closers, err := openRows(inner, reading, limits)
		if err != nil {
			file.Close() //nolint:errcheck // only read from
			return nil, nil, err
		}
		return r, append(closers, file), nil
	case formatXLSX, formatODS:
		b, err := openWorkbook(src, format, limits)
		if err != nil {
			return nil, nil, err
		}
		s, err := b.sheet(reading.Sheet)
		if err != nil {
			return nil, nil, err
		}
		hidden := hiding{leave: reading.Hidden == LeaveHidden, header: reading.HeaderRow}
		hidden.off = reading.mergedFirst()
		if format == formatODS {
			if err := b.foreseeTable(s, &hidden); err != nil {
				return nil, nil, err
			}
			t, err := b.openTable(s, hidden)
			if err != nil {
				return nil, nil, err
			}
			return t, []io.Closer{t}, nil
		}
		if err := b.readStyles(); err != nil {
			return nil, nil, err
		}
		if err := b.foresee(s, &hidden); err != nil {
			return nil, nil, err
		}
		t, err := b.openSheet(s, hidden)
		if err != nil {
			return nil, nil, err
		}
		return t, []io.Closer{t}, nil
	case formatJSON:
		j, err := newJSONLines(src, reading, limits)
		return j, nil, err
	case formatHTML:
		p, err := newPageTable(src, reading, limits)
		return p, nil, err
	}
	d, err := newDelimited(src, reading, limits)
	return d, nil, err
}

// sniffArchive tells a workbook from an archive of several files.
func sniffArchive(src Source) (string, error) {
	z, err := zip.NewReader(src, src.Size)
	if err != nil {
		return "", fault.New(fault.Invalid, "bad_spreadsheet", "the file begins like a workbook or archive but "+
			"is damaged or cut off").At(fault.Place{File: src.Name}).Mended("Save it again and send that.")
	}
	for _, f := range z.File {
		if f.Flags&1 != 0 {
			return "", fault.New(fault.Invalid, "encrypted",
				"the file is protected by a password").At(fault.Place{File: src.Name}).Mended("Save it without a password and send that.")
		}
		switch strings.ToLower(f.Name) {
		case "xl/workbook.xml":
			return formatXLSX, nil
		case odsContent:
			return formatODS, nil
		}
	}
	return formatZIP, nil
}

// members lists the files of an archive that may hold a sheet.
func members(z *zip.Reader) []*zip.File {
	var list []*zip.File
	for _, f := range z.File {
		f.Name = nameIn(f.Name)
		name := path.Base(f.Name)
		if f.FileInfo().IsDir() || strings.HasPrefix(name, ".") || strings.HasPrefix(f.Name, "__MACOSX/") {
			continue
		}
		list = append(list, f)
	}
	return list
}

// namePages are the encodings that names in archives are written in which are not UTF-8,
// that of the format itself (APPNOTE.TXT, appendix D) first.
var namePages = []*charmap.Charmap{charmap.CodePage437, charmap.CodePage850, charmap.Windows1252,
	charmap.CodePage852, charmap.CodePage866}

// nameIn gives the name of a file in an archive as UTF-8: by the encoding in which most
// of what is not ASCII are letters.
func nameIn(raw string) string {
	raw = strings.ReplaceAll(raw, "\x00", "_")
	if utf8.ValidString(raw) {
		return raw
	}
	best, most := "", -1
	for _, page := range namePages {
		name, err := page.NewDecoder().String(raw)
		if err != nil {
			continue
		}
		letters := 0
		for _, r := range name {
			// the first page has Greek signs
			if r >= utf8.RuneSelf && r != utf8.RuneError && unicode.IsLetter(r) && !unicode.Is(unicode.Greek, r) {
				letters++
			}
		}
		if letters > most {
			best, most = name, letters
		}
	}
	return strings.ToValidUTF8(best, "_")
}

// spooled is a member of an archive, unpacked to a temporary file that has no
// name: nothing in the archive decides where it goes.
type spooled struct{ *os.File }

// Within stands between the name of a whole and that of its part: an archive and a file in it, a
// sheet and a table on it.
const Within = " > "

func joinFile(archive, file string) string {
	if file == "" {
		return archive
	}
	return archive + Within + file
}

// mostNested is how deep archives may stand in archives.
const mostNested = 2

// openMember unpacks one file of an archive, the first when none is named. A file
// in an archive within the archive is chosen by itself.
func openMember(src Source, name string) (Source, io.Closer, []Finding, error) {
	if src.nested >= mostNested {
		return Source{}, nil, nil, fault.New(fault.Invalid, "nested_too_deep", "archives stand in each other more than "+
			itoa(mostNested)+" deep").
			At(fault.Place{File: src.Name}).Mended("Unpack it, and send the file itself.")
	}
	z, err := zip.NewReader(src, src.Size)
	if err != nil {
		return Source{}, nil, nil, errXML.At(fault.Place{File: src.Name})
	}
	list := members(z)
	var names []string
	for _, f := range list {
		names = append(names, f.Name)
	}
	if len(list) == 0 {
		return Source{}, nil, nil, fault.New(fault.Invalid, "empty_source",
			"the archive holds no file").At(fault.Place{File: src.Name}).Mended("Send an archive with sheets in it.")
	}
	at := 0
	if name != "" {
		if at = slices.Index(names, name); at < 0 {
			return Source{}, nil, nil, fault.New(fault.Invalid, "unknown_file",
				"the archive holds no such file").At(fault.Place{File: src.Name}).With(name).Mended("Files: " +
				fault.Cut(strings.Join(names, ", "), 300) + ".")
		}
	}
	r, err := unpack(list[at], DefaultLimits)
	if err != nil {
		return Source{}, nil, nil, err
	}
	defer r.Close()
	f, err := os.CreateTemp("", "uchi-member")
	if err != nil {
		return Source{}, nil, nil, fmt.Errorf("unpack %s: %w", names[at], err)
	}
	os.Remove(f.Name()) //nolint:errcheck // it lives as long as it is open
	size, err := io.Copy(f, r)
	if err != nil {
		f.Close() //nolint:errcheck // given up
		if where, ok := fault.From(err); ok {
			return Source{}, nil, nil, where.At(fault.Place{File: names[at]})
		}
		return Source{}, nil, nil, fmt.Errorf("unpack %s: %w", names[at], err)
	}
	found := Finding{Option: "file", Value: names[at], Sure: len(list) == 1, Evidence: "the only file of the archive",
		Choices: names}
	if len(list) > 1 {
		found.Evidence = "the first of " + itoa(len(list)) + " files in the archive"
	}
	return Source{Name: names[at], Size: size, ReaderAt: f, nested: src.nested + 1}, spooled{f}, []Finding{found}, nil
}
