package work

import (
	"context"
	"fmt"
	"net/url"
	"strings"
	"time"

	"uchi/internal/mail"
	"uchi/internal/store"
)

// Invitation is a link by which somebody chooses a password.
type Invitation struct {
	Link   string
	Ends   time.Time
	Mailed bool // it was sent to them
}

// invitationPath is where the console takes invitations up. The secret stands behind a
// number sign, which no server and no log is told.
const invitationPath = "/invitation#"

// Invite makes a link by which a person chooses a password, and sends it to them where
// mails go out. When it cannot be sent, who invites hands it over.
func (s *Service) Invite(ctx context.Context, id int64, by store.Person) (Invitation, error) {
	p, secret, err := s.store.Invite(ctx, id, by.ID)
	if err != nil {
		return Invitation{}, err
	}
	i := Invitation{Link: strings.TrimSuffix(s.opt.PublicURL, "/") + invitationPath + secret,
		Ends: time.Now().Add(store.InvitationLength)}
	if s.opt.Mail == nil {
		return i, nil
	}
	ends := i.Ends.Format("2 January 2006, 15:04 MST")
	m := mail.Message{ID: fmt.Sprintf("invitation-%d-%d@%s", p.ID, time.Now().UnixNano(), s.mailHost()), To: p.Email,
		Subject: "Choose your password for Uchi",
		Text: fmt.Sprintf("%s lets you sign in to Uchi as %s. Choose your password here until %s:\n\n%s\n\n"+
			"If you did not expect this, leave it.\n", by.Name, p.Email, ends, i.Link)}
	if err := s.opt.Mail.Send(ctx, m); err != nil {
		s.opt.Log.Warn("an invitation could not be mailed", "person", p.ID, "error", err)
		return i, nil
	}
	i.Mailed = true
	return i, nil
}

// mailHost is what Message-IDs end with.
func (s *Service) mailHost() string {
	if u, err := url.Parse(s.opt.PublicURL); err == nil && u.Host != "" {
		return u.Host
	}
	return "uchi"
}

// TakeInvitation takes up an invitation with a password of one's own.
func (s *Service) TakeInvitation(ctx context.Context, secret, password string) (store.Person, string, error) {
	return s.store.TakeInvitation(ctx, secret, password)
}

// RemovePerson takes a person away; what they did stays under their name.
func (s *Service) RemovePerson(ctx context.Context, id int64, by store.Person) error {
	return s.store.RemovePerson(ctx, id, by.ID)
}
