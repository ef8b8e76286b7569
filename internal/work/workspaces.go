package work

import (
	"cmp"
	"context"

	"uchi/internal/core/catalog"
	"uchi/internal/core/expr"
	"uchi/internal/core/fault"
	"uchi/internal/core/rights"
	"uchi/internal/core/suggest"
	"uchi/internal/staging"
	"uchi/internal/store"
)

// mustCover says that a person does not have a role in another workspace than the one that the
// request is about; one that they may not look at is not there for them.
func (s *Service) mustCover(ctx context.Context, by store.Person, workspace string, need rights.Role) error {
	if err := s.store.MustWorkspace(ctx, workspace); err != nil {
		return err
	}
	role, err := s.store.RoleIn(ctx, by, workspace)
	switch {
	case err != nil:
		return err
	case role == rights.None:
		return store.ErrNoWorkspace.With(workspace)
	case !role.Covers(need):
		return ErrRole(need).At(fault.Place{Path: workspace})
	}
	return nil
}

// AddWorkspace makes a workspace with the standard record types, or as a copy of another of which
// the person is an administrator. The records of a copy come along afterwards.
func (s *Service) AddWorkspace(ctx context.Context, name, label string, from store.Copy, by store.Person) error {
	if from.From != "" {
		if err := s.mustCover(ctx, by, from.From, rights.Administrator); err != nil {
			return err
		}
	}
	err := s.store.CopyWorkspace(ctx, name, label, from, by.ID)
	if err == nil && from.Share > 0 {
		s.wakeUp()
	}
	return err
}

// RenameWorkspace gives a workspace other words for people.
func (s *Service) RenameWorkspace(ctx context.Context, name, label string, by store.Person) error {
	return s.store.RenameWorkspace(ctx, name, label, by.ID)
}

// SetNothing sets which texts stand for nothing in a workspace, beside those that do everywhere.
func (s *Service) SetNothing(ctx context.Context, name string, words []string, by store.Person) error {
	return s.store.SetNothing(ctx, name, words, by.ID)
}

// CloseWorkspace closes a workspace, so that nothing in it changes, or opens it again.
func (s *Service) CloseWorkspace(ctx context.Context, name string, closed bool, by store.Person) error {
	return s.store.CloseWorkspace(ctx, name, closed, by.ID)
}

// RemoveWorkspace removes a workspace with all that it holds, when it holds as many
// records as are said.
func (s *Service) RemoveWorkspace(ctx context.Context, name string, records int64, by store.Person) error {
	return s.store.RemoveWorkspace(ctx, name, records, by.ID)
}

// CopyRoutine takes a routine over into another workspace, under its name or another; what
// does not fit the record types there is refused.
func (s *Service) CopyRoutine(ctx context.Context, workspace, name, to, as string,
	by store.Person) (store.SavedRoutine, error) {
	saved, err := s.store.Routine(ctx, workspace, name)
	if err != nil {
		return saved, err
	}
	if err := s.mustCover(ctx, by, to, rights.Operator); err != nil {
		return saved, err
	}
	if err := s.store.MustBeOpen(ctx, to); err != nil {
		return saved, err
	}
	r := saved.Document.V
	r.Name = cmp.Or(as, r.Name)
	return s.SaveRoutine(ctx, to, r, 0, by)
}

// AddField adds a field of the customer's own to a record type. A version above
// 0 is that of the description which the change is made on.
func (s *Service) AddField(ctx context.Context, workspace, typeName string, f catalog.Field, version int,
	by store.Person) (catalog.RecordType, error) {
	return s.store.ChangeType(ctx, workspace, typeName, version, by.ID, "add field "+f.Name,
		func(c catalog.Catalog, t catalog.RecordType) (catalog.RecordType, error) {
			return c.AddField(t, f)
		})
}

// AddType adds a record type of the customer's own: what is not said of it follows
// from the rest.
func (s *Service) AddType(ctx context.Context, workspace string, t catalog.RecordType,
	by store.Person) (catalog.RecordType, error) {
	c, err := s.store.Catalog(ctx, workspace)
	if err != nil {
		return t, err
	}
	if t, err = c.NewType(t); err != nil {
		return t, err
	}
	if _, err := expr.CompileRules(t); err != nil {
		return t, err
	}
	return t, s.store.AddType(ctx, workspace, t, by.ID)
}

// ProposeType makes of the columns of an import a record type that it would fit, to be
// looked at and added.
func (s *Service) ProposeType(ctx context.Context, i store.Import) (catalog.RecordType, error) {
	c, err := s.store.Catalog(ctx, i.Workspace)
	if err != nil {
		return catalog.RecordType{}, err
	}
	if len(i.Columns.V) == 0 {
		return catalog.RecordType{}, fault.New(fault.Conflict, "rows_not_read",
			"the rows are not read yet").Mended("Wait until the source has been read.")
	}
	return suggest.NewView(i.Columns.V).NewType(c.Offered(), i.Name), nil
}

// ChangeField changes a field of a record type: its name, words, bounds or
// choices, or whether it is retired.
func (s *Service) ChangeField(ctx context.Context, workspace, typeName, field string, change catalog.FieldChange,
	version int, by store.Person) (catalog.RecordType, error) {
	return s.store.ChangeType(ctx, workspace, typeName, version, by.ID, "change field "+field,
		func(c catalog.Catalog, t catalog.RecordType) (catalog.RecordType, error) {
			return c.ChangeField(t, field, change)
		})
}

// ChangeMatch lets the records of a type be found by other match rules, with none
// by the usual ones. Imports that are open use them at their next check, but for
// those with rules of their own.
func (s *Service) ChangeMatch(ctx context.Context, workspace, typeName string, rules []catalog.MatchRule,
	version int, by store.Person) (catalog.RecordType, error) {
	return s.store.ChangeType(ctx, workspace, typeName, version, by.ID, "change match rules",
		func(_ catalog.Catalog, t catalog.RecordType) (catalog.RecordType, error) {
			return t.ChangeMatch(rules)
		})
}

// ChangeKnown changes what is done with rows that are known as records of another
// type: take tells of it and loads them all the same.
func (s *Service) ChangeKnown(ctx context.Context, workspace, typeName, other string, means catalog.Find,
	version int, by store.Person) (catalog.RecordType, error) {
	return s.store.ChangeType(ctx, workspace, typeName, version, by.ID, "change what is done with those known as "+
		other, func(c catalog.Catalog, t catalog.RecordType) (catalog.RecordType, error) {
		return c.ChangeKnown(t, other, means)
	})
}

// typeOf gives a record type of a workspace, with all of its types.
func (s *Service) typeOf(ctx context.Context, workspace, typeName string) (catalog.Catalog, catalog.RecordType, error) {
	c, err := s.store.Catalog(ctx, workspace)
	if err != nil {
		return c, catalog.RecordType{}, err
	}
	t, err := c.MustType(typeName)
	return c, t, err
}

// TryMatch tells what match rules say of the records of a type that are there; with
// none given, those that hold.
func (s *Service) TryMatch(ctx context.Context, workspace, typeName string,
	rules []catalog.MatchRule) (catalog.RecordType, []staging.RuleEffect, error) {
	c, t, err := s.typeOf(ctx, workspace, typeName)
	if err != nil {
		return t, nil, err
	}
	if len(rules) == 0 {
		rules = t.Match
	}
	for _, r := range rules {
		if err := t.CheckMatchRule(r); err != nil {
			return t, nil, err
		}
	}
	effects, err := s.room.Effects(ctx, workspace, c, t, rules)
	return t, effects, err
}

// AddChoice adds a choice to a field of a record type, or other spellings to one
// that is there.
func (s *Service) AddChoice(ctx context.Context, workspace, typeName, field string, choice catalog.Choice,
	by store.Person) (catalog.RecordType, error) {
	return s.store.ChangeType(ctx, workspace, typeName, 0, by.ID, "add choice "+choice.Code+" to "+field,
		func(c catalog.Catalog, t catalog.RecordType) (catalog.RecordType, error) {
			return c.AddChoice(t, field, choice)
		})
}

// RemoveRoutine forgets a saved routine.
func (s *Service) RemoveRoutine(ctx context.Context, workspace, name string, by store.Person) error {
	return s.store.RemoveRoutine(ctx, workspace, name, by.ID)
}

// AddPerson lets somebody sign in.
func (s *Service) AddPerson(ctx context.Context, email, name string, role rights.Role, password string,
	by store.Person) (store.Person, error) {
	return s.store.AddPerson(ctx, email, name, role, password, by.ID)
}

// ChangePerson changes a person's name, role or password, suspends them or lets
// them in again.
func (s *Service) ChangePerson(ctx context.Context, id int64, change store.PersonChange,
	by store.Person) (store.Person, error) {
	return s.store.ChangePerson(ctx, id, change, by.ID)
}

// ChangePassword changes the password of who is signed in; session is the secret
// of the one session that goes on.
func (s *Service) ChangePassword(ctx context.Context, by store.Person, old, password, session string) error {
	return s.store.ChangePassword(ctx, by, old, password, session)
}

// SignIn gives a session's secret when the password is right.
func (s *Service) SignIn(ctx context.Context, email, password string) (store.Person, string, error) {
	return s.store.SignIn(ctx, email, password)
}

// SignInBy gives a session's secret for whom a provider vouches.
func (s *Service) SignInBy(ctx context.Context, email, name string, role rights.Role) (store.Person, string, error) {
	return s.store.SignInBy(ctx, email, name, role)
}

// MayHavePasskey tells whether a person may add a passkey: whoever knows their password.
func (s *Service) MayHavePasskey(ctx context.Context, by store.Person, password string) error {
	return s.store.MayHavePasskey(ctx, by, password)
}

// AskPasskey keeps what a device is asked for, until TakeAsk gives it once.
func (s *Service) AskPasskey(ctx context.Context, by store.Person, data []byte) (string, error) {
	return s.store.AskPasskey(ctx, by.ID, data)
}

// TakeAsk gives what a device was asked for.
func (s *Service) TakeAsk(ctx context.Context, ask string, by store.Person) ([]byte, error) {
	return s.store.TakeAsk(ctx, ask, by.ID)
}

// AddPasskey keeps a passkey of a person.
func (s *Service) AddPasskey(ctx context.Context, k store.Passkey, by store.Person) (store.Passkey, error) {
	k.Person = by.ID
	return s.store.AddPasskey(ctx, k)
}

// RemovePasskey ends a passkey of a person.
func (s *Service) RemovePasskey(ctx context.Context, by store.Person, id int64) error {
	return s.store.RemovePasskey(ctx, by.ID, id)
}

// PasskeyOf finds the passkey by which somebody wants to sign in, and counts the try.
func (s *Service) PasskeyOf(ctx context.Context, credential []byte) (store.Passkey, store.Person, error) {
	return s.store.PasskeyOf(ctx, credential)
}

// SignInByPasskey gives a session's secret for who has answered by a passkey.
func (s *Service) SignInByPasskey(ctx context.Context, k store.Passkey, kept []byte) (string, error) {
	return s.store.SignInByPasskey(ctx, k, kept)
}

// PasskeyRefused notes that a passkey was answered wrongly.
func (s *Service) PasskeyRefused(ctx context.Context, p store.Person) error {
	return s.store.PasskeyRefused(ctx, p)
}

// SignOut ends a session.
func (s *Service) SignOut(ctx context.Context, secret string) error {
	return s.store.SignOut(ctx, secret)
}

// EndSession ends one sign-in of a person.
func (s *Service) EndSession(ctx context.Context, by store.Person, id int64) error {
	return s.store.EndSession(ctx, by.ID, id)
}

// AddToken makes a token of a person; its secret is shown this once.
func (s *Service) AddToken(ctx context.Context, by store.Person, n store.NewToken) (store.Token, string, error) {
	return s.store.AddToken(ctx, by, n)
}

// RemoveToken ends a token of a person.
func (s *Service) RemoveToken(ctx context.Context, by store.Person, id int64) error {
	return s.store.RemoveToken(ctx, by.ID, id)
}
