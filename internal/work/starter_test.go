package work

import (
	"bytes"
	"strings"
	"testing"

	"uchi/internal/core/fault"
	"uchi/internal/core/verdict"

	"github.com/xuri/excelize/v2"
)

// A starter sheet that is filled in maps itself: every column to its field, required
// fields first; what its drop-downs offer is understood.
func TestStarterSheet(t *testing.T) {
	b := start(t)
	b.loaded("staff", "Name,E-mail\nIngrid Havnes,ih@uchi.example\n")
	b.loaded("account", "Company\nTern Marina\n")
	_, write, err := b.work.Starting(b.Context(), "main", []string{"contact", "opportunity"}, nil, XLSX)
	b.ok(err)
	var out bytes.Buffer
	b.ok(write(&out))
	book, err := excelize.OpenReader(&out)
	b.ok(err)
	b.want(book.GetSheetList(), "[Contacts Opportunities Guide Lists]")
	rows, err := book.GetRows("Contacts")
	b.ok(err)
	header := rows[0]
	b.want(header[0], "Family name")
	comments, err := book.GetComments("Contacts")
	b.ok(err)
	b.want(len(comments), len(header))
	drops, err := book.GetDataValidations("Contacts")
	b.ok(err)
	if len(drops) < 4 {
		t.Errorf("only %d drop-downs", len(drops))
	}
	for n, h := range header {
		column, _ := excelize.ColumnNumberToName(n + 1)
		for row, values := range []map[string]string{
			{"Family name": "Øksnes", "Given name": "Kari", "E-mail": "kari@x.example", "Account": "Tern Marina",
				"Country": "Norway", "Owner": "Ingrid Havnes", "Mobile": "+47 90 11 22 33", "Birthday": "1980-04-03"},
			{"Family name": "Li"},
		} {
			b.ok(book.SetCellStr("Contacts", column+[]string{"3", "4"}[row], values[h]))
		}
	}
	var filled bytes.Buffer
	b.ok(book.Write(&filled))
	i := b.upload("contact", filled.String())
	placed := 0
	for range i.Routine.V.Drafts[0].Fields {
		placed++
	}
	b.want(placed, len(header))
	i = b.load(b.check(i))
	b.want(b.codes(i), "[]")
	b.want(i.Outcomes.V, map[verdict.Outcome]int64{"created": 2, "skipped": 1})
	r := b.record("contact", "CON-1").Values
	b.want(r["country"]+" "+r["owner"]+" "+r["account"]+" "+r["birthday"], "NO STF-1 ACC-1 1980-04-03")

	_, write, err = b.work.Starting(b.Context(), "main", []string{"lead"},
		[]string{"email", "family_name", "company"}, CSV)
	b.ok(err)
	var text strings.Builder
	b.ok(write(&text))
	b.want(text.String(), "\ufeffFamily name,Company,E-mail\n(example) Family name,Company,name@company.example\n")
	for code, ask := range map[string]func() error{
		"unknown_format": func() error {
			_, _, err := b.work.Starting(b.Context(), "main", []string{"lead", "contact"}, nil, JSONL)
			return err
		},
		"unknown_record_type": func() error {
			_, _, err := b.work.Starting(b.Context(), "main", []string{"boat"}, nil, XLSX)
			return err
		},
		"unknown_field": func() error {
			_, _, err := b.work.Starting(b.Context(), "main", []string{"lead"}, []string{"shoe"}, XLSX)
			return err
		},
	} {
		if err := ask(); !fault.Is(err, code) {
			t.Errorf("%v, want %s", err, code)
		}
	}
}

// A record type says on one page what it wants: every field in use, its choices, its
// rules, and what refers to it.
func TestDescribe(t *testing.T) {
	b := start(t)
	text, err := b.work.Describe(b.Context(), "main", "opportunity")
	b.ok(err)
	for _, want := range []string{"# Opportunities", "| **Title** | yes | text, at most 255 characters |",
		"| **Loss reason** | at times |", "- Won (`won`), also", "A lost opportunity needs a reason",
		"- Tasks, by Opportunity", "the same record id"} {
		if !strings.Contains(text, want) {
			t.Errorf("it does not say %q:\n%s", want, text)
		}
	}
	if _, err := b.work.Describe(b.Context(), "main", "boat"); !fault.Is(err, "unknown_record_type") {
		t.Error(err)
	}
}

// A filled starter workbook comes back as a bundle of its sheets; what explains them is none.
func TestStarterSheetsAsABundle(t *testing.T) {
	b := start(t)
	for _, format := range []Format{XLSX, ODS} {
		_, write, err := b.work.Starting(b.Context(), "main", []string{"account", "contact"}, nil, format)
		b.ok(err)
		var out bytes.Buffer
		b.ok(write(&out))
		bundle := b.bundled("starter."+string(format), out.String())
		var names []string
		for _, i := range b.members(bundle) {
			names = append(names, i.Name+" "+i.Into)
		}
		b.want(names, "[Accounts account Contacts contact]")
		b.want(len(bundle.LeftOut.V), 0)
	}
}
