package sheet

import (
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"strings"
	"testing"
)

// eventsOf is a document as encoding/xml reads it: its elements with the
// attributes that ours are asked for, and the text between. ok is false where a
// spreadsheet's inside would not be so: not well-formed, with a document type,
// in another encoding, or with line ends of a kind that are made one.
func eventsOf(b []byte) (list []string, ok bool) {
	if bytes.ContainsAny(b, "\r") {
		return nil, false
	}
	d := xml.NewDecoder(bytes.NewReader(b))
	for {
		token, err := d.RawToken()
		if errors.Is(err, io.EOF) {
			return list, true
		}
		if err != nil {
			return nil, false
		}
		switch x := token.(type) {
		case xml.StartElement:
			text := "<" + x.Name.Local
			for _, name := range []string{"r", "v"} {
				for _, a := range x.Attr {
					if a.Name.Local == name {
						text += fmt.Sprintf(" %s=%q", name, a.Value)
						break
					}
				}
			}
			list = append(list, text)
		case xml.EndElement:
			list = append(list, "</"+x.Name.Local)
		case xml.CharData:
			list = addText(list, string(x))
		case xml.Directive:
			return nil, false
		case xml.ProcInst:
			if x.Target == "xml" && bytes.Contains(x.Inst, []byte("encoding")) {
				return nil, false
			}
		}
	}
}

// addText adds text to a list of events; texts beside each other are one.
func addText(list []string, text string) []string {
	if text == "" {
		return list
	}
	if n := len(list) - 1; n >= 0 && strings.HasPrefix(list[n], "=") {
		list[n] += text
		return list
	}
	return append(list, "="+text)
}

// ownEvents is the same as our reader has it.
func ownEvents(b []byte) (list []string, err error) {
	x := newXML(bytes.NewReader(b), 1<<20)
	for {
		if err := x.next(); err == io.EOF {
			return list, nil
		} else if err != nil {
			return list, err
		}
		switch x.kind {
		case xmlStart:
			text := "<" + string(x.name)
			for _, name := range []string{"r", "v"} {
				if v := x.attr(name); v != "" || bytes.Contains(x.attrs, []byte(name+"=")) {
					text += fmt.Sprintf(" %s=%q", name, v)
				}
			}
			list = append(list, text)
		case xmlEnd:
			list = append(list, "</"+string(x.name))
		case xmlText:
			list = addText(list, string(x.text))
		}
	}
}

// written makes a document of bytes: each says what comes next. So a fuzzer
// reaches what is well-formed at once.
func written(b []byte) []byte {
	var out strings.Builder
	var open []string
	names := []string{"row", "c", "x:t", "is", "table:cell"}
	texts := []string{"Øksnes", " a b ", "&amp;", "&lt;x&gt;", "&#233;", "&#xE9;", "]]", "1 > 0", "'q'", "\n",
		"&quot;&apos;"}
	values := []string{"A1", "a>b", "&amp;", "&#65;", "it's", "", "x y"}
	out.WriteString("<s>")
	for n, c := range b {
		pick := func(list []string) string { return list[(int(c)/8+n)%len(list)] }
		switch c % 8 {
		case 0, 1:
			name := pick(names)
			open = append(open, name)
			fmt.Fprintf(&out, "<%s r=\"%s\">", name, pick(values))
		case 2:
			fmt.Fprintf(&out, "<%s  v=\"%s\" r='%s' />", pick(names), pick(values),
				strings.ReplaceAll(pick(values), "'", "&apos;"))
		case 3:
			if len(open) > 0 {
				out.WriteString("</" + open[len(open)-1] + ">")
				open = open[:len(open)-1]
			}
		case 4:
			out.WriteString("<!-- " + strings.ReplaceAll(pick(texts), "--", "") + "-->")
		case 5:
			out.WriteString("<![CDATA[" + pick(values) + "<&>" + "]]>")
		default:
			out.WriteString(strings.ReplaceAll(pick(texts), "]]", "]"))
		}
	}
	for n := len(open) - 1; n >= 0; n-- {
		out.WriteString("</" + open[n] + ">")
	}
	out.WriteString("</s>")
	return []byte(out.String())
}

// FuzzXMLAgainst compares our reader of elements with that of the standard
// library, on documents that spreadsheet programs may write.
func FuzzXMLAgainst(f *testing.F) {
	for _, s := range []string{"", "\x00\x06\x03", "\x02\x04\x05\x07", "0\x080\x10abcdefgh", "\x01\x09\x11\x19!)1",
		"\x05\x0d\x15\x1d%-5="} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, b []byte) {
		doc := written(b)
		want, ok := eventsOf(doc)
		if !ok {
			t.Fatalf("the document that was made is not well-formed: %s", doc)
		}
		got, err := ownEvents(doc)
		if err != nil {
			t.Fatalf("%v, of %s", err, doc)
		}
		if strings.Join(got, "\n") != strings.Join(want, "\n") {
			t.Fatalf("%s\nours:     %q\nstandard: %q", doc, got, want)
		}
	})
}
