package sheet

import (
	"archive/zip"
	"io"
	"path"
	"strings"

	"uchi/internal/core/fault"
)

// MostFiles is how many files of one archive are taken along with its sheets.
const MostFiles = 10_000

// MostFileBytes is the size of the largest file that is taken along.
const MostFileBytes = 25 << 20

// mostSheetBytes is the size of the largest sheet that is taken along as a file too.
const mostSheetBytes = 5 << 20

// documents are the kinds of files that people hang on records and that are no sheets,
// by their ending, with their media types (IANA registry).
var documents = map[string]string{
	".pdf": "application/pdf", ".rtf": "application/rtf", ".md": "text/markdown", ".html": "text/html",
	".htm": "text/html",
	".doc": "application/msword", ".docx": "application/vnd.openxmlformats-officedocument.wordprocessingml.document",
	".odt":  "application/vnd.oasis.opendocument.text",
	".ppt":  "application/vnd.ms-powerpoint",
	".pptx": "application/vnd.openxmlformats-officedocument.presentationml.presentation",
	".odp":  "application/vnd.oasis.opendocument.presentation",
	".png":  "image/png", ".jpg": "image/jpeg", ".jpeg": "image/jpeg", ".gif": "image/gif", ".webp": "image/webp",
	".tif": "image/tiff", ".tiff": "image/tiff", ".heic": "image/heic", ".svg": "image/svg+xml",
	".eml": "message/rfc822", ".vcf": "text/vcard", ".ics": "text/calendar", ".dxf": "image/vnd.dxf",
	".dwg": "image/vnd.dwg", ".gpx": "application/gpx+xml", ".kml": "application/vnd.google-earth.kml+xml",
	".mp3": "audio/mpeg", ".m4a": "audio/mp4", ".wav": "audio/wav", ".mp4": "video/mp4", ".xml": "application/xml",
}

// sheetTypes are the kinds of files that may be sheets, and documents as well.
var sheetTypes = map[string]string{
	".txt": "text/plain", ".csv": "text/csv", ".tsv": "text/tab-separated-values", ".json": "application/json",
	".jsonl": "application/jsonl",
	".xls":   "application/vnd.ms-excel", ".xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
	".ods": "application/vnd.oasis.opendocument.spreadsheet",
}

// MediaType gives the media type of a file by the ending of its name; empty for kinds
// that are not taken along, such as programs.
func MediaType(name string) string {
	ext := strings.ToLower(path.Ext(name))
	if t := documents[ext]; t != "" {
		return t
	}
	return sheetTypes[ext]
}

// isDocument reports whether a file is one that cannot be a sheet, by its name.
func isDocument(name string) bool { return documents[strings.ToLower(path.Ext(name))] != "" }

// File is a file that came along with sheets.
type File struct {
	Path  string // from the root of the archive; the name of a file that came alone
	Media string
}

// Files gives the files of a source that people may hang on records, one after the
// other: those of an archive and of archives within it, or the source itself. What is
// too large, or of a kind that is not taken, is told as a part with its trouble where
// Parts says nothing of it.
func Files(src Source, take func(f File, r io.Reader) error) ([]Part, error) {
	format, _, err := sniff(src)
	if err != nil && !isDocument(src.Name) {
		return nil, nil // Parts says so
	}
	if format != formatZIP || isDocument(src.Name) {
		return nil, takeFile(src.Name, src.Size, io.NewSectionReader(src, 0, src.Size), take)
	}
	f := fileWalk{take: take}
	err = f.walk(src, "")
	return f.left, err
}

type fileWalk struct {
	take func(f File, r io.Reader) error
	seen int
	left []Part
}

func (w *fileWalk) walk(src Source, folder string) error {
	z, err := zip.NewReader(src, src.Size)
	if err != nil {
		return errXML.At(fault.Place{File: src.Name})
	}
	for _, f := range members(z) {
		if w.seen++; w.seen > MostFiles {
			return fault.Newf(fault.TooLarge, "too_many_files", "the archive holds more than %d files",
				MostFiles).At(fault.Place{File: src.Name}).
				Mended("Send archives with fewer files in them.")
		}
		name := path.Join(folder, f.Name)
		if strings.EqualFold(path.Ext(name), ".zip") {
			if err := w.within(src, f.Name, path.Dir(name)); err != nil {
				return err
			}
			continue
		}
		r, err := unpack(f, DefaultLimits)
		if err == nil {
			err = takeFile(name, int64(f.UncompressedSize64), r, w.take) //nolint:gosec // compared with a limit
			r.Close()                                                    //nolint:errcheck // only read from
		}
		if trouble, ok := fault.From(err); ok {
			w.left = append(w.left, Part{File: f.Name, Trouble: trouble})
		} else if err != nil {
			return err
		}
	}
	return nil
}

// within takes the files of an archive in an archive; one that cannot be opened is told
// of by Parts.
func (w *fileWalk) within(src Source, name, folder string) error {
	inner, file, _, err := openMember(src, name)
	if err != nil {
		return nil //nolint:nilerr // told as a part
	}
	defer file.Close() //nolint:errcheck // only read from
	return w.walk(inner, folder)
}

func takeFile(name string, size int64, r io.Reader, take func(f File, r io.Reader) error) error {
	f := File{Path: name, Media: MediaType(name)}
	switch {
	case f.Media == "", size == 0, !isDocument(name) && size > mostSheetBytes:
		return nil
	case size > MostFileBytes:
		return fault.Newf(fault.TooLarge, "file_too_large", "a file that hangs on a record has at most %d MiB",
			MostFileBytes>>20).At(fault.Place{File: name}).
			Mended("Make it smaller, or keep it elsewhere and load its address.")
	}
	return take(f, r)
}
