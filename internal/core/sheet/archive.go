package sheet

import (
	"archive/zip"
	"fmt"
	"io"
	"os"
	"path"
	"slices"
	"strings"

	"uchi/internal/core/fault"
)

// openRows opens the stream of rows of a source whose reading is settled.
func openRows(src Source, reading Reading, limits Limits) (Reader, []io.Closer, error) {
	format, _, err := sniff(src)
	if err != nil {
		return nil, nil, err
	}
	switch format {
	case formatZIP:
		inner, file, _, err := openMember(src, reading.File)
		if err != nil {
			return nil, nil, err
		}
		r, closers, err := openRows(inner, reading, limits)
		return r, append(closers, file), err
	case formatXLSX, formatODS:
		b, err := openWorkbook(src, format, limits)
		if err != nil {
			return nil, nil, err
		}
		s, err := b.sheet(reading.Sheet)
		if err != nil {
			return nil, nil, err
		}
		if format == formatODS {
			t, err := b.openTable(s)
			return t, []io.Closer{t}, err
		}
		t, err := b.openSheet(s)
		if err != nil {
			return nil, nil, err
		}
		return t, []io.Closer{t}, nil
	case formatJSON:
		j, err := newJSONLines(src, reading, limits)
		return j, nil, err
	}
	d, err := newDelimited(src, reading, limits)
	return d, nil, err
}

// sniffArchive tells a workbook from an archive of several files.
func sniffArchive(src Source) (string, error) {
	z, err := zip.NewReader(src, src.Size)
	if err != nil {
		return "", fault.New(fault.Invalid, "bad_spreadsheet", "the file begins like a workbook or archive but is damaged or cut off").At(fault.Place{File: src.Name}).Mended("Save it again and send that.")
	}
	for _, f := range z.File {
		if f.Flags&1 != 0 {
			return "", fault.New(fault.Invalid, "encrypted", "the file is protected by a password").At(fault.Place{File: src.Name}).Mended("Save it without a password and send that.")
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
		name := path.Base(f.Name)
		if f.FileInfo().IsDir() || strings.HasPrefix(name, ".") || strings.HasPrefix(f.Name, "__MACOSX/") {
			continue
		}
		list = append(list, f)
	}
	return list
}

// spooled is a member of an archive, unpacked to a temporary file that has no
// name: nothing in the archive decides where it goes.
type spooled struct{ *os.File }

// openMember unpacks one file of an archive, the first when none is named.
func openMember(src Source, name string) (Source, io.Closer, []Finding, error) {
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
		return Source{}, nil, nil, fault.New(fault.Invalid, "empty_source", "the archive holds no file").At(fault.Place{File: src.Name}).Mended("Send an archive with sheets in it.")
	}
	at := 0
	if name != "" {
		if at = slices.Index(names, name); at < 0 {
			return Source{}, nil, nil, fault.New(fault.Invalid, "unknown_file", "the archive holds no such file").At(fault.Place{File: src.Name}).With(name).Mended("Files: " + fault.Cut(strings.Join(names, ", "), 300) + ".")
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
		f.Close()
		return Source{}, nil, nil, fmt.Errorf("unpack %s: %w", names[at], err)
	}
	found := Finding{Option: "file", Value: names[at], Sure: len(list) == 1, Evidence: "the only file of the archive", Choices: names}
	if len(list) > 1 {
		found.Evidence = "the first of " + itoa(len(list)) + " files in the archive"
	}
	return Source{Name: names[at], Size: size, ReaderAt: f}, spooled{f}, []Finding{found}, nil
}
