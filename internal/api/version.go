package api

import (
	"strconv"
	"strings"

	"uchi/internal/core/fault"
)

// etag is the entity tag (RFC 9110, section 8.8.3) of a version of a document.
func etag(version int) string { return strconv.Quote(strconv.Itoa(version)) }

// versionOn reads the version that a change was made on from an If-Match header
// (RFC 9110, section 13.1.1); 0 for none and for *, which fits any.
func versionOn(ifMatch string) (int, error) {
	s := strings.TrimSpace(ifMatch)
	if s == "" || s == "*" {
		return 0, nil
	}
	tag, err := strconv.Unquote(s)
	if err != nil {
		tag = ""
	}
	n, err := strconv.Atoi(tag)
	if err != nil || n < 1 {
		return 0, fault.New(fault.Invalid, "bad_version", "If-Match does not name a version").With(s).
			Mended(`It is the ETag that came with the document, such as "7".`)
	}
	return n, nil
}
