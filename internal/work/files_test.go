package work

import (
	"archive/zip"
	"bytes"
	"fmt"
	"io"
	"strings"
	"testing"
	"time"

	"uchi/internal/core/fault"
	"uchi/internal/core/life"
	"uchi/internal/store"
)

// zipped packs files, names and contents by turns.
func (b *bench) zipped(files ...string) string {
	b.Helper()
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	for n := 0; n < len(files); n += 2 {
		w, err := z.Create(files[n])
		b.ok(err)
		_, err = io.WriteString(w, files[n+1])
		b.ok(err)
	}
	b.ok(z.Close())
	return out.String()
}

// timeline words what is told of a record beside its own changes.
func (b *bench) timeline(typeName, id string) string {
	b.Helper()
	c, err := b.store.Catalog(b.Context(), "main")
	b.ok(err)
	t, err := c.MustType(typeName)
	b.ok(err)
	events, err := b.store.History(b.Context(), "main", t, id)
	b.ok(err)
	var list []string
	for _, e := range events {
		if e.Kind == "note" || e.Kind == "file" {
			list = append(list, fmt.Sprintf("%s %s by %s: %s %.4s", e.At.UTC().Format(time.DateOnly), e.Kind, e.Person,
				e.Text, e.File))
		}
	}
	return strings.Join(list, "\n")
}

// A ZIP of accounts, notes about them and a sheet that says which file belongs to
// which: the files hang on the records, and notes stand on their timelines with their
// days and authors. The second time all is the same; the undo takes them off again, and
// what no record ever had is cleaned up.
func TestFilesHangOnRecords(t *testing.T) {
	b := start(t)
	all := b.zipped("accounts.csv", "Company,External ID,Country\nUlvsund Havn,B-1,NO\nKyst Group,B-2,NO\n",
		"notes.csv", "Account,Date,Author,Note\nB-1,2026-03-02,Per Lie,Wants a quote\nB-2,2026-03-03,Eva Dal,\"Paid late\n"+
			"Twice\"\n,2026-03-04,Eva Dal,About whom?\n",
		"attachments.csv", "File name,Account,Description\nplans\\layout.pdf,B-1,The quay\nplans/terms.txt,B-2,\n"+
			"plans/gone.pdf,B-2,\n",
		"plans/layout.pdf", "%PDF-1.7 quay", "plans/terms.txt", "Thirty days, net.\nNo discount, ever.", "plans/spare.png",
		"\x89PNG nobody names it", "setup.exe", "MZ\x00\x00\x00\x01")
	bundle := b.bundled("all.zip", all)
	v, err := b.work.Bundle(b.Context(), bundle)
	b.ok(err)
	b.want(v.Files, 3)
	var left []string
	for _, l := range bundle.LeftOut.V {
		left = append(left, l.Name+" "+l.Code)
	}
	b.want(strings.Join(left, ", "), "setup.exe not_text")
	bundle = b.checkBundle(bundle)
	b.want(b.said(bundle), "accounts.csv ready map[create:2]\nnotes.csv ready map[create:2 hold:1]\n"+
		"attachments.csv ready map[create:2 hold:1]")
	b.want(strings.Join(b.codes(b.members(bundle)[2]), "\n"), "4 file_missing file")
	b.want(strings.Join(b.codes(b.members(bundle)[1]), "\n"), "4 about_nothing ")

	b.ok(b.work.LoadBundle(b.Context(), bundle, store.BundlePolicy{}, b.person))
	bundle = b.settled(bundle)
	b.want([]any{bundle.State, bundle.Trouble.V}, []any{life.Loaded, (*store.Trouble)(nil)})
	today := time.Now().UTC().Format(time.DateOnly)
	b.want(b.timeline("account", "ACC-1"), today+" file by Ada: plans\\layout.pdf 345b\n"+
		"2026-03-02 note by Per Lie: Wants a quote ")
	b.want(b.timeline("account", "ACC-2"), today+" file by Ada: plans/terms.txt 91dc\n"+
		"2026-03-03 note by Eva Dal: Paid late\nTwice ")
	f, src, err := b.store.OpenFile(b.Context(), b.record("attachment", "ATT-1").Values["file"])
	b.ok(err)
	body, err := io.ReadAll(io.NewSectionReader(src, 0, src.Size))
	b.ok(err)
	b.want(f.Name+" "+f.Media+" "+string(body), "plans/layout.pdf application/pdf %PDF-1.7 quay")

	again := b.bundled("all.zip", all)
	b.want(b.said(b.checkBundle(again)), "accounts.csv ready map[same:2]\nnotes.csv ready map[hold:1 same:2]\n"+
		"attachments.csv ready map[hold:1 same:2]")

	// A sheet of the records names their files by what they hold; one that no record has is
	// not believed.
	sum := b.record("attachment", "ATT-1").Values["file"]
	back := b.check(b.upload("attachment", "Id,Name,File\nATT-1,Layout,"+sum+"\n,Other,"+strings.Repeat("0", 64)+"\n"))
	b.want(back.Totals.V.Verdicts, map[string]int64{"update": 1, "hold": 1})

	// What a bundle brought is kept as long as a record has it, or had it, or the bundle is
	// in its time.
	dropped, err := b.store.DropFiles(b.Context(), time.Hour)
	b.ok(err)
	b.want(dropped, int64(0))
	b.ok(b.work.DiscardBundle(b.Context(), again, b.person))
	dropped, err = b.store.DropFiles(b.Context(), -time.Hour)
	b.ok(err)
	b.want(dropped, int64(4))
	_, _, err = b.store.OpenFile(b.Context(), f.SHA256)
	b.ok(err)
	b.ok(b.work.UndoBundle(b.Context(), bundle, b.person))
	bundle = b.settled(bundle)
	b.want(bundle.State, life.Undone)
	b.want(b.records("account", "note", "attachment"), b.records())
	_, _, err = b.store.OpenFile(b.Context(), f.SHA256)
	b.ok(err)
	_, _, err = b.store.OpenFile(b.Context(), strings.Repeat("0", 64))
	b.want(fault.Is(err, "unknown_file"), true)
}
