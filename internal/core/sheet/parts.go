package sheet

import (
	"archive/zip"
	"bytes"
	"io"
	"slices"
	"strings"

	"uchi/internal/core/fault"
)

// Part is one sheet of a source that holds several: a file of an archive, a sheet of
// a workbook.
type Part struct {
	File    string // as Reading has it; empty where the source is no archive
	Sheet   string // empty where the file holds but one table
	Trouble *fault.Error

	inner bool // its sheet says little without what it stands in
}

// Called is what people call the part of a source of this name.
func (p Part) Called(source string) string {
	switch {
	case p.File == "" && p.Sheet == "":
		return source
	case p.Sheet == "":
		return p.File
	case p.File == "" && p.inner:
		return source + Within + p.Sheet
	case p.File == "":
		return p.Sheet
	}
	return p.File + Within + p.Sheet
}

// MostParts is how many parts of one source are taken at once.
const MostParts = 200

// Parts lists what a source holds that may be read as a sheet each: the files of an
// archive, those in archives within it, and the shown sheets of workbooks that hold
// a table. What cannot be read stands there with its trouble, and does not stop the
// others. A source that is one sheet is one part without a name.
//
// Documents, which Files gives, are no parts.
func Parts(src Source) ([]Part, error) {
	if isDocument(src.Name) {
		return nil, nil
	}
	format, _, err := sniff(src)
	if err != nil {
		return nil, err
	}
	return partsOf(src, format)
}

// Several reports whether a source is an archive that holds more than one sheet, or
// files beside it.
func Several(src Source) bool {
	z, err := zip.NewReader(src, src.Size)
	if err != nil {
		return false
	}
	if len(members(z)) > 1 {
		return true
	}
	parts, err := Parts(src)
	return err == nil && len(parts) > 1
}

func partsOf(src Source, format string) ([]Part, error) {
	switch format {
	case formatXLSX, formatODS:
		return sheetsOf(src, format)
	case formatZIP:
		return filesOf(src)
	case formatHTML:
		return partsOfPage(src)
	case formatJSON:
		return partsOfJSON(src)
	}
	return []Part{{}}, nil
}

func sheetsOf(src Source, format string) ([]Part, error) {
	b, err := openWorkbook(src, format, DefaultLimits)
	if err != nil {
		return nil, err
	}
	var list []Part
	for _, name := range b.shown() {
		rows, err := firstRows(src, Reading{Sheet: name})
		switch {
		case err != nil:
			list = append(list, Part{Sheet: name, Trouble: asTrouble(err)})
		case isGuide(name, rows):
		case slices.ContainsFunc(rows, func(r Row) bool { return filled(r) > 1 }):
			list = append(list, Part{Sheet: name})
		default:
			list = append(list, Part{Sheet: name, Trouble: fault.New(fault.Invalid, "no_table",
				"the sheet holds no table").With(name)})
		}
	}
	if len(list) == 1 {
		list[0].Sheet = ""
	}
	return list, nil
}

func filesOf(src Source) ([]Part, error) {
	z, err := zip.NewReader(src, src.Size)
	if err != nil {
		return nil, errXML.At(fault.Place{File: src.Name})
	}
	files := slices.DeleteFunc(members(z), func(f *zip.File) bool { return isDocument(f.Name) })
	if len(files) > MostParts {
		return nil, fault.Newf(fault.TooLarge, "too_many_files", "the archive holds %d files, more than %d", len(files),
			MostParts).At(fault.Place{File: src.Name}).
			Mended("Send archives with fewer files in them.")
	}
	type content struct {
		sum  uint32
		size uint64
	}
	var list []Part
	first := map[content]string{}
	for _, f := range files {
		of := content{f.CRC32, f.UncompressedSize64}
		if same := first[of]; same != "" && of.size > 0 {
			list = append(list, Part{File: f.Name, Trouble: SameAs(same)})
			continue
		}
		first[of] = f.Name
		inner, err := partsWithin(src, f.Name)
		if err != nil {
			list = append(list, Part{File: f.Name, Trouble: asTrouble(err)})
			continue
		}
		for _, p := range inner {
			p.File = joinFile(f.Name, p.File)
			list = append(list, p)
		}
	}
	return list, nil
}

// SameAs is the trouble with a part of which the content stands in another as well: both would make
// the same records.
func SameAs(other string) *fault.Error {
	return fault.New(fault.Conflict, "same_content", "its content is that of "+
		other).Mended("Nothing is missing: the rows are read there.")
}

func partsWithin(src Source, name string) ([]Part, error) {
	inner, file, _, err := openMember(src, name)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	format, sample, err := sniff(inner)
	if err != nil {
		return nil, err
	}
	if format == formatText && bytes.IndexByte(sample, 0) >= 0 && controls(sample) > len(sample)/20 {
		return nil, notText(inner, "this is not a sheet")
	}
	if format == formatText && MediaType(name) == sheetTypes[".txt"] && !isTable(inner) {
		return nil, nil
	}
	return partsOf(inner, format)
}

// isTable reports whether the first lines of a text stand in columns, rather than in
// sentences.
func isTable(src Source) bool {
	reading, _, err := Detect(src, Reading{})
	if err != nil {
		return true // what is wrong is said when it is read
	}
	rows, err := firstRows(src, reading)
	if err != nil {
		return true
	}
	wide := 0
	for _, r := range rows {
		if last := r.Cells[max(0, len(r.Cells)-1):]; filled(r) > 1 && !strings.HasSuffix(last[0], ".") {
			wide++
		}
	}
	return wide > 1 && wide*2 > len(rows)
}

func asTrouble(err error) *fault.Error {
	if f, ok := fault.From(err); ok {
		return f
	}
	return fault.New(fault.Invalid, "unreadable_part", err.Error())
}

// oleStart begins the containers of old binary workbooks, and of workbooks that a
// password protects.
const oleStart = "\xd0\xcf\x11\xe0"

// protected reports whether such a container holds a workbook that a password
// protects (ECMA-376 part 3, MS-OFFCRYPTO: a stream called EncryptedPackage).
func protected(src Source, sample []byte) bool {
	name := []byte("E\x00n\x00c\x00r\x00y\x00p\x00t\x00e\x00d\x00P\x00a\x00c\x00k\x00a\x00g\x00e\x00")
	if bytes.Contains(sample, name) {
		return true
	}
	end := make([]byte, min(src.Size, sampleSize)) // its directory may stand at the end
	n, err := src.ReadAt(end, src.Size-int64(len(end)))
	return (err == nil || err == io.EOF) && bytes.Contains(end[:n], name)
}
