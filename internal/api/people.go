package api

import (
	"context"
	"net/http"
	"time"

	"uchi/internal/core/rights"
	"uchi/internal/store"
	"uchi/internal/work"
)

// Sign-in, tokens and people.

func (s *Server) cookie(value string, age int) string {
	c := http.Cookie{Name: s.cookieName(), Value: value, Path: "/", HttpOnly: true, SameSite: http.SameSiteStrictMode,
		MaxAge: age, Secure: s.opt.Secure}
	return c.String()
}

func (h *handlers) SignIn(ctx context.Context, r SignInRequestObject) (SignInResponseObject, error) {
	p, secret, err := h.work.SignIn(ctx, r.Body.Email, r.Body.Password)
	if err != nil {
		return nil, err
	}
	cookie := h.cookie(secret, int(store.SessionLength/time.Second))
	return SignIn200JSONResponse{Body: personView(p), Headers: SignIn200ResponseHeaders{SetCookie: cookie}}, nil
}

// SignOut ends every session of the browser by its cookie.
func (h *handlers) SignOut(ctx context.Context, _ SignOutRequestObject) (SignOutResponseObject, error) {
	if err := h.work.SignOut(ctx, sessionOf(ctx)); err != nil {
		return nil, err
	}
	return SignOut204Response{Headers: SignOut204ResponseHeaders{SetCookie: h.cookie("", -1)}}, nil
}

func (h *handlers) WhoAmI(ctx context.Context, r WhoAmIRequestObject) (WhoAmIResponseObject, error) {
	p := personOf(ctx)
	v := personView(p)
	if r.Params.In != "" {
		role, err := h.store.RoleIn(ctx, p, r.Params.In)
		if err != nil {
			return nil, err
		}
		if role.Covers(rights.Operator) && h.store.MustBeOpen(ctx, r.Params.In) != nil {
			role = rights.Viewer // nothing changes in it
		}
		v.RoleHere = string(role)
	}
	return WhoAmI200JSONResponse(v), nil
}

func (h *handlers) ListTokens(ctx context.Context, _ ListTokensRequestObject) (ListTokensResponseObject, error) {
	list, err := h.store.Tokens(ctx, personOf(ctx).ID)
	out := ListTokens200JSONResponse{Tokens: []Token{}}
	for _, t := range list {
		out.Tokens = append(out.Tokens, tokenView(t, ""))
	}
	return out, err
}

func (h *handlers) AddToken(ctx context.Context, r AddTokenRequestObject) (AddTokenResponseObject, error) {
	p := personOf(ctx)
	days := r.Body.Days
	if days == 0 {
		days = 90
	}
	ends := time.Now().AddDate(0, 0, days)
	if r.Body.Days == 0 && p.Until != nil && ends.After(*p.Until) { // nothing was said, so as long as may be
		ends = *p.Until
	}
	t, secret, err := h.work.AddToken(ctx, p, store.NewToken{Label: r.Body.Label, Role: rights.Role(r.Body.Role),
		Workspace: r.Body.Workspace, Ends: ends})
	return AddToken201JSONResponse(tokenView(t, secret)), err
}

func (h *handlers) RemoveToken(ctx context.Context, r RemoveTokenRequestObject) (RemoveTokenResponseObject, error) {
	return RemoveToken204Response{}, h.work.RemoveToken(ctx, personOf(ctx), r.Token)
}

func (h *handlers) ListPeople(ctx context.Context, _ ListPeopleRequestObject) (ListPeopleResponseObject, error) {
	list, err := h.store.People(ctx)
	out := ListPeople200JSONResponse{People: []Person{}}
	if err != nil {
		return nil, err
	}
	roles, err := h.store.WorkspaceRoles(ctx)
	for _, p := range list {
		v := personView(p)
		for workspace, role := range roles[p.ID] {
			if v.Roles == nil {
				v.Roles = map[string]string{}
			}
			v.Roles[workspace] = string(role)
		}
		out.People = append(out.People, v)
	}
	return out, err
}

func (h *handlers) ChangePerson(ctx context.Context, r ChangePersonRequestObject) (ChangePersonResponseObject, error) {
	b := r.Body
	change := store.PersonChange{Name: b.Name, Suspended: b.Suspended, Password: b.Password}
	if b.Role != nil {
		role := rights.Role(*b.Role)
		change.Role = &role
	}
	for workspace, role := range b.Roles {
		if change.Roles == nil {
			change.Roles = map[string]rights.Role{}
		}
		change.Roles[workspace] = rights.Role(role)
	}
	p, err := h.work.ChangePerson(ctx, r.Person, change, personOf(ctx))
	return ChangePerson200JSONResponse(personView(p)), err
}

func (h *handlers) ChangePassword(ctx context.Context, r ChangePasswordRequestObject) (ChangePasswordResponseObject,
	error) {
	return ChangePassword204Response{}, h.work.ChangePassword(ctx, personOf(ctx), r.Body.Old, r.Body.New, sessionOf(ctx))
}

func (h *handlers) AddPerson(ctx context.Context, r AddPersonRequestObject) (AddPersonResponseObject, error) {
	p, err := h.work.AddPerson(ctx, r.Body.Email, r.Body.Name, rights.Role(r.Body.Role), r.Body.Password, personOf(ctx))
	v := personView(p)
	if err == nil && r.Body.Password == "" {
		var i work.Invitation
		i, err = h.work.Invite(ctx, p.ID, personOf(ctx))
		v.Invitation = invitationView(i)
	}
	return AddPerson201JSONResponse(v), err
}

func invitationView(i work.Invitation) Invitation {
	return Invitation{Link: i.Link, EndsAt: i.Ends, Mailed: i.Mailed}
}

func (h *handlers) InvitePerson(ctx context.Context, r InvitePersonRequestObject) (InvitePersonResponseObject, error) {
	i, err := h.work.Invite(ctx, r.Person, personOf(ctx))
	return InvitePerson201JSONResponse(invitationView(i)), err
}

func (h *handlers) RemovePerson(ctx context.Context, r RemovePersonRequestObject) (RemovePersonResponseObject, error) {
	return RemovePerson204Response{}, h.work.RemovePerson(ctx, r.Person, personOf(ctx))
}

func (h *handlers) TakeInvitation(ctx context.Context, r TakeInvitationRequestObject) (TakeInvitationResponseObject,
	error) {
	p, secret, err := h.work.TakeInvitation(ctx, r.Body.Invitation, r.Body.Password)
	if err != nil {
		return nil, err
	}
	cookie := h.cookie(secret, int(store.SessionLength/time.Second))
	return TakeInvitation200JSONResponse{Body: personView(p),
		Headers: TakeInvitation200ResponseHeaders{SetCookie: cookie}}, nil
}
