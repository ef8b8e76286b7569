package work

import (
	"bytes"
	"fmt"
	"io"
	"testing"
	"time"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/rights"
	"uchi/internal/core/view"
	"uchi/internal/store"
)

// exported waits until an export of a person is written or has failed.
func (b *bench) exported(x store.Export) store.Export {
	b.Helper()
	for range 2000 {
		now, err := b.store.Export(b.Context(), "main", x.ID, x.MadeBy)
		b.ok(err)
		if now.EndedAt != nil {
			return now
		}
		time.Sleep(10 * time.Millisecond)
	}
	b.Fatal("the export does not end")
	panic("unreachable")
}

// An export in the background is the same as one that is streamed, and its person's alone.
func TestExportsInTheBackground(t *testing.T) {
	b := start(t).asAdministrator()
	b.loaded("account", lines("Company,Town", 300, func(k int) string { return fmt.Sprintf("Marina %d,Oslo", k) }))
	chosen := Export{Format: CSV,
		Filter: store.RecordFilter{View: view.View{Filter: `name != "Marina 7"`, Columns: []string{"name", "locality"}}}}
	_, err := b.work.StartExport(b.Context(), "main", "account", Export{Format: "pdf"}, b.person)
	b.want(fault.Is(err, "unknown_format"), true)
	x, err := b.work.StartExport(b.Context(), "main", "account", chosen, b.person)
	b.ok(err)
	x = b.exported(x)
	b.want([]any{x.Records, x.Name, x.Trouble.V == nil}, []any{int64(299), "account.csv", true})
	_, file, err := b.work.OpenExport(b.Context(), "main", x.ID, b.person)
	b.ok(err)
	got, err := io.ReadAll(file)
	b.ok(err)
	_, _, write, err := b.work.Exporting(b.Context(), "main", "account", chosen)
	b.ok(err)
	var direct bytes.Buffer
	b.ok(write(b.Context(), &direct))
	if !bytes.Equal(got, direct.Bytes()) || int64(len(got)) != x.Bytes {
		t.Errorf("%d bytes are written in the background, %d are streamed", len(got), direct.Len())
	}

	other, err := b.store.AddPerson(b.Context(), "other@x.example", "Other", rights.Viewer, "a long password", 0)
	b.ok(err)
	_, _, err = b.work.OpenExport(b.Context(), "main", x.ID, other)
	b.want(fault.Is(err, "unknown_export"), true)
	b.want(fault.Is(b.work.RemoveExport(b.Context(), "main", x.ID, other), "unknown_export"), true)

	// Everybody's shows what they may see, whoever writes it.
	seenBy := rights.Operator
	_, err = b.work.ChangeField(b.Context(), "main", "account", "locality", catalog.FieldChange{SeenBy: &seenBy},
		0, b.person)
	b.ok(err)
	mine, err := b.work.StartExport(store.SeenAs(b.Context(), rights.Viewer), "main", "account",
		Export{Format: JSONL}, other)
	b.ok(err)
	_, file, err = b.work.OpenExport(b.Context(), "main", b.exported(mine).ID, other)
	b.ok(err)
	got, err = io.ReadAll(file)
	b.ok(err)
	b.want(bytes.Contains(got, []byte("Oslo")), false)
	b.want(bytes.Contains(got, []byte("Marina 7")), true)

	// With a token that may do less it shows less, and is fetched with that token.
	token := b.person
	token.Role = rights.Viewer
	byToken, err := b.work.StartExport(store.SeenAs(b.Context(), rights.Viewer), "main", "account",
		Export{Format: JSONL}, token)
	b.ok(err)
	_, file, err = b.work.OpenExport(b.Context(), "main", b.exported(byToken).ID, token)
	b.ok(err)
	got, err = io.ReadAll(file)
	b.ok(err)
	b.want(bytes.Contains(got, []byte("Oslo")), false)

	// Who may see less by now does not get what they could see then.
	less := b.person
	less.Role = rights.Viewer
	_, _, err = b.work.OpenExport(b.Context(), "main", x.ID, less)
	b.want(fault.Is(err, "role_too_low"), true)

	// Removed, nothing of it stays; and what was asked for by somebody who was shut out fails.
	b.ok(b.work.RemoveExport(b.Context(), "main", x.ID, b.person))
	_, err = b.store.OpenSource(b.Context(), *x.Source)
	b.want(fault.Is(err, "source_gone"), true)
	off := true
	_, err = b.work.ChangePerson(b.Context(), other.ID, store.PersonChange{Suspended: &off}, b.person)
	b.ok(err)
	late, err := b.work.StartExport(b.Context(), "main", "account", Export{Format: JSONL}, other)
	b.ok(err)
	b.want(b.exported(late).Trouble.V.Code, "role_too_low")
}

// An export whose process is silent is another's after a while, and the first can no longer end it.
func TestAnExportOfADeadProcess(t *testing.T) {
	b := start(t)
	x := store.Export{MadeBy: b.person.ID}
	b.ok(b.store.Pool().QueryRow(b.Context(),
		`insert into exports (workspace, type, chosen, name, media, records, made_by, process, beat_at)
		values ('main', 'account', '{"Format":"csv"}', 'account.csv', 'text/csv', 0, $1, 'dead', now()) returning id`,
		b.person.ID).Scan(&x.ID))
	_, ok, err := b.store.ClaimExport(b.Context(), "second", time.Minute)
	b.ok(err)
	b.want(ok, false)
	_, ok, err = b.store.ClaimExport(b.Context(), "second", 0)
	b.ok(err)
	b.want(ok, true)
	mine, err := b.store.BeatExport(b.Context(), x.ID, "dead", 10)
	b.ok(err)
	b.want(mine, false)
	mine, err = b.store.EndExport(b.Context(), x.ID, "dead", nil, &store.Trouble{Code: "late"})
	b.ok(err)
	b.want(mine, false)
	mine, err = b.store.EndExport(b.Context(), x.ID, "second", nil, nil) // it stops: the next may write it
	b.ok(err)
	b.want(mine, true)
	b.work.wakeUp()
	b.want(b.exported(x).Trouble.V == nil, true)
}
