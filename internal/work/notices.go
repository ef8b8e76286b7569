package work

import (
	"bytes"
	"context"
	"fmt"
	"html/template"
	"slices"
	"strings"

	"uchi/internal/core/feed"
	"uchi/internal/core/verdict"
	"uchi/internal/mail"
	"uchi/internal/staging"
	"uchi/internal/store"

	"github.com/jackc/pgx/v5"
)

// Notices are written in the transaction of what they tell of, and go out afterwards,
// from whatever process: so none is lost, and a mail server that does not answer stops
// nothing.

// sendNotices sends what is to go out by mail.
func (s *Service) sendNotices(ctx context.Context) error {
	if s.opt.Mail == nil {
		return nil
	}
	for {
		ok, err := s.store.SendNotice(ctx, func(n store.Notice) error {
			held, err := s.heldSheet(ctx, n)
			if err != nil { // the mail says where they are
				s.opt.Log.Warn("a notice goes out without its held rows", "notice", n.ID, "error", err)
			}
			err = s.opt.Mail.Send(ctx, s.mailOf(n, held))
			if err != nil {
				s.opt.Log.Warn("a notice could not be sent", "notice", n.ID, "tries", n.Tries+1, "error", err)
			}
			return err
		})
		if err != nil || !ok {
			return err
		}
	}
}

var mailPage = template.Must(template.New("").Parse(`<!doctype html><html lang="en"><head><meta charset="utf-8"><title>{{.Subject}}</title></head>
<body style="margin:0;background:#f6f3ec;color:#26221c;font-family:system-ui,sans-serif;font-size:14px;line-height:1.5">
<div style="max-width:560px;margin:0 auto;padding:24px">
<h1 style="font-size:18px;margin:0 0 12px">{{.Subject}}</h1>
<ul style="margin:0 0 16px;padding-left:20px">{{range .Lines}}<li>{{.}}</li>{{end}}</ul>
{{if .Link}}<p><a href="{{.Link}}" style="display:inline-block;background:#1d4280;color:#ffffff;padding:8px 14px;border-radius:6px;text-decoration:none">Look at it</a></p>{{end}}
<p style="color:#6f685c;font-size:12px;margin-top:24px">Uchi tells you of this because you want to know. Change it under your name in the console.</p>
</div></body></html>
`))

// largestHeld is how large a sheet of held rows may be to hang on a mail, in bytes.
const largestHeld = 1 << 20

// heldSheet makes a workbook of the held rows of the import that a notice speaks of, as whoever
// it goes to may see them; none where there are many.
func (s *Service) heldSheet(ctx context.Context, n store.Notice) ([]mail.File, error) {
	var id int64
	if n.Workspace == nil {
		return nil, nil
	}
	if _, err := fmt.Sscanf(n.Link, "/w/"+*n.Workspace+"/imports/%d", &id); err != nil || s.opt.MailRows <= 0 {
		return nil, nil //nolint:nilerr // it speaks of no import
	}
	to, err := s.store.PersonIn(ctx, n.Person, *n.Workspace)
	if err != nil {
		return nil, err
	}
	ctx = store.SeenAs(ctx, to.Role)
	i, err := s.store.Import(ctx, *n.Workspace, id)
	if err != nil {
		return nil, err
	}
	f, held := staging.RowFilter{Verdict: string(verdict.Hold)}, int64(0)
	if len(i.Outcomes.V) > 0 {
		f, held = staging.RowFilter{Outcome: string(verdict.Held)}, i.Outcomes.V[verdict.Held]
	} else if i.Totals.V != nil {
		held = i.Totals.V.Verdicts[string(verdict.Hold)]
	}
	if held == 0 || held > int64(s.opt.MailRows) {
		return nil, nil
	}
	c, err := s.store.Catalog(ctx, i.Workspace)
	if err != nil {
		return nil, err
	}
	var book bytes.Buffer
	if err := s.WriteWorkbook(ctx, i, c, f, &book); err != nil || book.Len() > largestHeld {
		return nil, err
	}
	return []mail.File{{Name: fmt.Sprintf("import-%d-held.xlsx", i.ID), Body: book.Bytes()}}, nil
}

// mailOf words a notice as a mail, on which the held rows may hang.
func (s *Service) mailOf(n store.Notice, held []mail.File) mail.Message {
	if len(held) > 0 {
		n.Lines.V = append(n.Lines.V,
			"The held rows hang on this mail. Mend them there, and bring the sheet back at the import.")
	}
	link := n.Link
	if link != "" {
		link = strings.TrimSuffix(s.opt.PublicURL, "/") + link
	}
	var text strings.Builder
	text.WriteString(n.Subject + "\n\n")
	for _, l := range n.Lines.V {
		text.WriteString("- " + l + "\n")
	}
	if link != "" {
		text.WriteString("\nLook at it: " + link + "\n")
	}
	text.WriteString("\nUchi tells you of this because you want to know. Change it under your name in the console.\n")
	var page bytes.Buffer
	data := struct {
		Subject, Link string
		Lines         []string
	}{n.Subject, link, n.Lines.V}
	if err := mailPage.Execute(&page, data); err != nil { // the text says it as well
		s.opt.Log.Warn("a notice has no HTML", "error", err)
	}
	return mail.Message{ID: fmt.Sprintf("notice-%d@%s", n.ID, s.mailHost()), To: n.Email, Subject: n.Subject,
		Text: text.String(), HTML: page.String(), Files: held}
}

// Mails reports whether notices go out by mail.
func (s *Service) Mails() bool { return s.opt.Mail != nil }

// Notices lists what a person was told, newest first.
func (s *Service) Notices(ctx context.Context, by store.Person, most int) ([]store.Notice, error) {
	return s.store.Notices(ctx, by.ID, most)
}

// SetTold sets of what a person is told.
func (s *Service) SetTold(ctx context.Context, by store.Person, kinds []store.NoticeKind) error {
	return s.store.SetTold(ctx, by.ID, kinds)
}

// SetFeedTold sets of what a person is told of a feed; nil lets what they are told usually hold.
func (s *Service) SetFeedTold(ctx context.Context, workspace, name string, kinds *[]store.NoticeKind,
	by store.Person) error {
	f, err := s.store.Feed(ctx, workspace, name)
	if err != nil {
		return err
	}
	return s.store.SetFeedTold(ctx, f, by.ID, kinds)
}

// aboutFile tells whoever a feed acts for, and who follows it, what has become of a file.
func aboutFile(ctx context.Context, tx pgx.Tx, f store.Feed, kind store.NoticeKind, i store.Import, says string,
	why []feed.Breach) error {
	n := store.Notice{Workspace: &f.Workspace, Kind: kind, Subject: i.Name + " " + says,
		Link: fmt.Sprintf("/w/%s/imports/%d", f.Workspace, i.ID)}
	for _, b := range why {
		n.Lines.V = append(n.Lines.V, b.Says)
	}
	n.Lines.V = append(n.Lines.V, "Brought by the feed "+f.Name+".", totalsOf(i))
	return store.NotifyOfFeed(ctx, tx, n, f)
}

// totalsOf words what the rows of an import would become, or have.
func totalsOf(i store.Import) string {
	parts := []string{fmt.Sprintf("%d rows", i.Rows)}
	if len(i.Outcomes.V) > 0 {
		for o, n := range i.Outcomes.V {
			if n > 0 {
				parts = append(parts, fmt.Sprintf("%d %s", n, o))
			}
		}
	} else if i.Totals.V != nil {
		for v, n := range i.Totals.V.Verdicts {
			if n > 0 {
				parts = append(parts, fmt.Sprintf("%d %s", n, v))
			}
		}
	}
	slices.Sort(parts[1:])
	return strings.Join(parts, ", ") + "."
}
