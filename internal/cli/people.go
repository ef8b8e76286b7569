package cli

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"uchi/internal/client"
	"uchi/internal/core/fault"

	"github.com/spf13/cobra"
)

func (a *app) workspacesCmd() *cobra.Command {
	var label string
	cmd := &cobra.Command{
		Use: "workspaces", GroupID: "look", Args: args(cobra.NoArgs),
		Short: "List the workspaces, add, copy, rename, close or remove one",
		RunE: a.on(func(ctx context.Context, c *client.Conn, _ []string) error {
			r, err := c.ListWorkspacesWithResponse(ctx)
			if err != nil {
				return err
			}
			if a.asJSON {
				return a.printJSON(r.JSON200)
			}
			tab := a.table("Workspace", "Label", "State")
			for _, w := range r.JSON200.Workspaces {
				state := ""
				switch f := w.Filling; {
				case f.Trouble.Code != "":
					state = "not filled: " + f.Trouble.Message
				case f.From != "" && f.Chosen == 0:
					state = "records come along from " + f.From
				case f.From != "":
					state = fmt.Sprintf("records come along from %s: %d of %d", f.From, f.Records, f.Chosen)
				case !w.ClosedAt.IsZero():
					state = "closed since " + w.ClosedAt.Local().Format("2006-01-02 15:04")
				}
				tab.AppendRow([]any{w.Name, w.Label, state})
			}
			tab.Render()
			return nil
		}),
	}
	var from client.NewWorkspace
	add := &cobra.Command{
		Use: "add NAME", Args: args(cobra.ExactArgs(1)),
		Short: "Make a workspace with the standard record types, or as a copy of another",
		Long: `Makes a workspace. As a copy it has the record types, rules, routines and views of another, and as many
of its records as wished, under their ids and with all that they refer to; history and imports stay behind. The records
come along in the background: Ctrl-C leaves them coming, and nothing changes in the workspace before they are there.
What was set up there comes back with uchi routine copy.`,
		Example: "  uchi workspaces add practice\n" +
			"  uchi workspaces add rehearsal --from main --share 10 --label \"Rehearsal\"",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			from.Name, from.Label = list[0], label
			if _, err := c.AddWorkspaceWithResponse(ctx, from); err != nil {
				return err
			}
			if err := a.followFilling(ctx, c, list[0]); err != nil {
				return err
			}
			return a.tellWorkspace(ctx, c, list[0])
		}),
	}
	add.Flags().StringVar(&label, "label", "", "words for people")
	add.Flags().StringVar(&from.From, "from", "", "the workspace that it is a copy of")
	add.Flags().IntVar(&from.Share, "share", 0, "of a hundred of its records, how many come along")
	rename := &cobra.Command{
		Use: "rename NAME WORDS", Args: args(cobra.ExactArgs(2)), Short: "Give a workspace other words for people",
		Example: "  uchi workspaces rename practice \"Rehearsal of the spring load\"",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			_, err := c.ChangeWorkspaceWithResponse(ctx, list[0], client.WorkspaceChange{Label: list[1]})
			return err
		}),
	}
	closing := func(use, short string, closed bool) *cobra.Command {
		return &cobra.Command{
			Use: use + " NAME", Args: args(cobra.ExactArgs(1)), Short: short, Example: "  uchi workspaces " + use + " practice",
			RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
				_, err := c.ChangeWorkspaceWithResponse(ctx, list[0], client.WorkspaceChange{Closed: &closed})
				return err
			}),
		}
	}
	cmd.AddCommand(closing("close", "Close a workspace: it can be looked at, and nothing in it changes", true),
		closing("open", "Open a closed workspace again", false))
	var yes bool
	remove := &cobra.Command{
		Use: "remove NAME", Args: args(cobra.ExactArgs(1)), Short: "Remove a workspace with its records and imports; " +
			"it cannot be taken back", Example: "  uchi workspaces remove practice",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			w, err := c.GetWorkspaceWithResponse(ctx, list[0])
			if err != nil {
				return err
			}
			if !yes {
				h := w.JSON200
				ok, err := a.confirm(fmt.Sprintf("Remove %s with %s, %s and %s? It cannot be taken back", h.Name,
					plural(h.Records, "record", "records"), plural(h.Imports, "import", "imports"),
					plural(h.Routines, "routine", "routines")))
				if err == nil && !ok {
					fmt.Fprintln(a.errs, "It stays.")
				}
				if err != nil || !ok {
					return err
				}
			}
			_, err = c.RemoveWorkspaceWithResponse(ctx, list[0], &client.RemoveWorkspaceParams{Records: w.JSON200.Records})
			return err
		}),
	}
	remove.Flags().BoolVar(&yes, "yes", false, "do not ask")
	cmd.AddCommand(rename, remove)
	cmd.AddCommand(add, a.nothingCmd())
	return cmd
}

// followFilling shows how the records of a copy come along, until they are there.
func (a *app) followFilling(ctx context.Context, c *client.Conn, name string) error {
	bar := a.bar(-1, "Copying records")
	defer bar.Finish() //nolint:errcheck // only a picture
	for {
		w, err := c.GetWorkspaceWithResponse(ctx, name)
		if err != nil {
			return err
		}
		f := w.JSON200.Filling
		if t := f.Trouble; t.Code != "" {
			return fault.New(fault.Conflict, t.Code, t.Message).With(name).Mended(t.Mend)
		}
		if f.From == "" {
			return nil
		}
		if f.Chosen > 0 {
			bar.ChangeMax64(f.Chosen)
		}
		bar.Set64(f.Records) //nolint:errcheck // only a picture
		select {
		case <-ctx.Done():
			return context.Cause(ctx)
		case <-time.After(200 * time.Millisecond):
		}
	}
}

// tellWorkspace says what a workspace holds.
func (a *app) tellWorkspace(ctx context.Context, c *client.Conn, name string) error {
	w, err := c.GetWorkspaceWithResponse(ctx, name)
	if err != nil {
		return err
	}
	if a.asJSON {
		return a.printJSON(w.JSON200)
	}
	h := w.JSON200
	fmt.Fprintf(a.out, "%s holds %s, %s and %s.\n", h.Name, plural(h.Records, "record", "records"),
		plural(h.Imports, "import", "imports"), plural(h.Routines, "routine", "routines"))
	return nil
}

func (a *app) nothingCmd() *cobra.Command {
	return &cobra.Command{
		Use: "nothing [TEXT...]", Args: args(cobra.ArbitraryArgs),
		Short: "List the texts that stand for nothing here beside the usual ones, or set them",
		Long: `List or set the texts that stand for nothing in this workspace. A cell that says one
of them is a blank, as one that says -, n/a or unknown is everywhere.`,
		Example: "  uchi workspaces nothing\n  uchi workspaces nothing \"not asked\" xxx\n" +
			"  uchi workspaces nothing \"\"    " +
			"    none beside the usual ones",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			if len(list) > 0 {
				if _, err := c.ChangeWorkspaceWithResponse(ctx, c.Workspace, client.WorkspaceChange{Nothing: list}); err != nil {
					return err
				}
			}
			r, err := c.ListWorkspacesWithResponse(ctx)
			if err != nil {
				return err
			}
			for _, w := range r.JSON200.Workspaces {
				if w.Name != c.Workspace {
					continue
				}
				if a.asJSON {
					return a.printJSON(w)
				}
				for _, text := range w.Nothing {
					fmt.Fprintln(a.out, text)
				}
			}
			return nil
		}),
	}
}

func (a *app) changePersonCmd() *cobra.Command {
	var name, role, in string
	var password bool
	cmd := &cobra.Command{
		Example: "  uchi people change yoko@lanternquay.example --role operator\n  uchi people change " +
			"yoko@lanternquay.example --in practice --role administrator\n" +
			"  uchi people change yoko@lanternquay.example --in main --role none",
		Use: "change EMAIL", Args: args(cobra.ExactArgs(1)), Short: "Change a person's name or role, or give a " +
			"new password, read from standard input",
	}
	cmd.RunE = a.on(func(ctx context.Context, c *client.Conn, list []string) error {
		var change client.PersonChange
		if cmd.Flags().Changed("name") {
			change.Name = &name
		}
		switch {
		case in != "" && role == "usual":
			change.Roles = map[string]string{in: ""}
		case in != "":
			change.Roles = map[string]string{in: role}
		case cmd.Flags().Changed("role"):
			r := client.Role(role)
			change.Role = &r
		}
		if password {
			p, err := a.readPassword()
			if err != nil {
				return err
			}
			change.Password = &p
		}
		return a.changePerson(ctx, c, list[0], change)
	})
	cmd.Flags().StringVar(&name, "name", "", "the person's name")
	cmd.Flags().StringVar(&role, "role", "", "viewer, operator or administrator")
	cmd.Flags().StringVar(&in, "in", "", "the role holds in this workspace alone; none for not even to look, usual "+
		"for that which they have everywhere")
	cmd.Flags().BoolVar(&password, "password", false, "read a new password; the person's sessions end")
	return cmd
}

func (a *app) suspendCmd(name, short string, suspended bool) *cobra.Command {
	return &cobra.Command{
		Use: name + " EMAIL", Args: args(cobra.ExactArgs(1)), Short: short,
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			return a.changePerson(ctx, c, list[0], client.PersonChange{Suspended: &suspended})
		}),
	}
}

func (a *app) invitePersonCmd() *cobra.Command {
	return &cobra.Command{
		Use: "invite EMAIL", Args: args(cobra.ExactArgs(1)),
		Short: "Make a link by which somebody chooses a password, a forgotten one too",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			p, err := personCalled(ctx, c, list[0])
			if err != nil {
				return err
			}
			r, err := c.InvitePersonWithResponse(ctx, p.Id)
			if err != nil {
				return err
			}
			return a.tellInvitation(p.Email, *r.JSON201)
		}),
	}
}

// tellInvitation prints the link of an invitation, which is told once.
func (a *app) tellInvitation(email string, i client.Invitation) error {
	if a.asJSON {
		return a.printJSON(i)
	}
	if i.Mailed {
		fmt.Fprintf(a.out, "The link was mailed to %s. ", email)
	} else {
		fmt.Fprintf(a.out, "Hand the link to %s. ", email)
	}
	fmt.Fprintf(a.out, "It can be used once, until %s:\n\n  %s\n", dayAndTime(i.EndsAt), i.Link)
	return nil
}

func (a *app) removePersonCmd() *cobra.Command {
	var yes bool
	cmd := &cobra.Command{
		Use: "remove EMAIL", Args: args(cobra.ExactArgs(1)),
		Short: "Remove somebody; what they did stays under their name, " +
			"and their address is free again",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			p, err := personCalled(ctx, c, list[0])
			if err != nil {
				return err
			}
			if !yes {
				ok, err := a.confirm(fmt.Sprintf("Remove %s (%s)? It cannot be taken back", p.Name, p.Email))
				if err == nil && !ok {
					fmt.Fprintln(a.errs, "They stay.")
				}
				if err != nil || !ok {
					return err
				}
			}
			_, err = c.RemovePersonWithResponse(ctx, p.Id)
			return err
		}),
	}
	cmd.Flags().BoolVar(&yes, "yes", false, "do not ask")
	return cmd
}

// personCalled finds the person with an e-mail address.
func personCalled(ctx context.Context, c *client.Conn, email string) (client.Person, error) {
	r, err := c.ListPeopleWithResponse(ctx)
	if err != nil {
		return client.Person{}, err
	}
	for _, p := range r.JSON200.People {
		if strings.EqualFold(p.Email, email) {
			return p, nil
		}
	}
	return client.Person{}, fault.New(fault.NotFound, "unknown_person",
		"there is no such person").With(email).Mended("See uchi people.")
}

// changePerson changes the person with an e-mail address.
func (a *app) changePerson(ctx context.Context, c *client.Conn, email string, change client.PersonChange) error {
	p, err := personCalled(ctx, c, email)
	if err != nil {
		return err
	}
	r, err := c.ChangePersonWithResponse(ctx, p.Id, change)
	if err != nil {
		return err
	}
	return a.tellPerson(*r.JSON200)
}

// tellPerson says who somebody is, and what they may do.
func (a *app) tellPerson(p client.Person) error {
	if a.asJSON {
		return a.printJSON(p)
	}
	a.showPeople(p)
	return nil
}

// showPeople lists people with what they may do.
func (a *app) showPeople(people ...client.Person) {
	tab := a.table("Name", "E-mail", "Role", "In single workspaces", "")
	for _, p := range people {
		suspended := ""
		if p.Suspended {
			suspended = "suspended"
		}
		var single []string
		for _, workspace := range slices.Sorted(maps.Keys(p.Roles)) {
			single = append(single, workspace+": "+p.Roles[workspace])
		}
		tab.AppendRow([]any{p.Name, p.Email, p.Role, strings.Join(single, ", "), suspended})
	}
	tab.Render()
}

// dayAndTime writes a moment on the clock here, nothing for none.
func dayAndTime(t time.Time) string {
	if t.IsZero() {
		return ""
	}
	return t.Local().Format("2006-01-02 15:04")
}

// endCmd is the command that ends one of one's own sessions, tokens or passkeys.
func (a *app) endCmd(short, what string, end func(ctx context.Context, c *client.Conn, id int64) error) *cobra.Command {
	return &cobra.Command{
		Use: "end NUMBER", Args: args(cobra.ExactArgs(1)), Short: short,
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			id, err := numberOf(list[0], what)
			if err != nil {
				return err
			}
			return end(ctx, c, id)
		}),
	}
}

func (a *app) sessionsCmd() *cobra.Command {
	cmd := &cobra.Command{
		Use: "sessions", GroupID: "service", Args: args(cobra.NoArgs),
		Short: "List my sign-ins that have not ended, or end one",
		RunE: a.on(func(ctx context.Context, c *client.Conn, _ []string) error {
			r, err := c.ListSessionsWithResponse(ctx)
			if err != nil {
				return err
			}
			if a.asJSON {
				return a.printJSON(r.JSON200)
			}
			tab := a.table("No.", "Made", "Last seen", "From", "With")
			for _, s := range r.JSON200.Sessions {
				tab.AppendRow([]any{s.Id, dayAndTime(s.MadeAt), dayAndTime(s.SeenAt), s.Address, oneLine(s.Agent, 50)})
			}
			tab.Render()
			return nil
		}),
	}
	cmd.AddCommand(a.endCmd("End a sign-in", "session", func(ctx context.Context, c *client.Conn, id int64) error {
		_, err := c.EndSessionWithResponse(ctx, id)
		return err
	}))
	return cmd
}

func (a *app) passkeysCmd() *cobra.Command {
	cmd := &cobra.Command{
		Use: "passkeys", GroupID: "service", Args: args(cobra.NoArgs), Short: "List my passkeys, or end one",
		Long: "Lists the passkeys by which you sign in to the console without a password, or ends one. A passkey is made in " +
			"the console, on the device that keeps it.",
		RunE: a.on(func(ctx context.Context, c *client.Conn, _ []string) error {
			r, err := c.ListPasskeysWithResponse(ctx)
			if err != nil {
				return err
			}
			if a.asJSON {
				return a.printJSON(r.JSON200)
			}
			if len(r.JSON200.Passkeys) == 0 {
				fmt.Fprintln(a.out, "You have no passkeys. They are made in the console, on the page of people and tokens.")
				return nil
			}
			tab := a.table("No.", "Device", "Made", "Last used")
			for _, k := range r.JSON200.Passkeys {
				tab.AppendRow([]any{k.Id, oneLine(k.Label, 50), dayAndTime(k.MadeAt), cmp.Or(dayAndTime(k.UsedAt), "never")})
			}
			tab.Render()
			return nil
		}),
	}
	cmd.AddCommand(a.endCmd("End a passkey", "passkey", func(ctx context.Context, c *client.Conn, id int64) error {
		_, err := c.RemovePasskeyWithResponse(ctx, id)
		return err
	}))
	return cmd
}

func (a *app) tokensCmd() *cobra.Command {
	cmd := &cobra.Command{
		Use: "tokens", GroupID: "service", Args: args(cobra.NoArgs), Short: "List my tokens, make or end one",
		RunE: a.on(func(ctx context.Context, c *client.Conn, _ []string) error {
			r, err := c.ListTokensWithResponse(ctx)
			if err != nil {
				return err
			}
			if a.asJSON {
				return a.printJSON(r.JSON200)
			}
			tab := a.table("No.", "Label", "Role", "Workspace", "Made", "Ends", "Last used")
			for _, t := range r.JSON200.Tokens {
				tab.AppendRow([]any{t.Id, t.Label, t.Role, cmp.Or(t.Workspace, "all"), t.MadeAt.Local().Format(time.DateOnly),
					t.EndsAt.Local().Format(time.DateOnly), dayAndTime(t.UsedAt)})
			}
			tab.Render()
			return nil
		}),
	}
	var role, only string
	var days int
	add := &cobra.Command{
		Use: "add LABEL", Args: args(cobra.ExactArgs(1)), Short: "Make a token; its secret is printed this once",
		Example: "  uchi tokens add nightly --role operator --days 30\n  uchi tokens add nightly --only main",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			r, err := c.AddTokenWithResponse(ctx, client.NewToken{Label: list[0], Role: client.Role(role), Workspace: only,
				Days: days})
			if err != nil {
				return err
			}
			if a.asJSON {
				return a.printJSON(r.JSON201)
			}
			fmt.Fprintln(a.out, r.JSON201.Secret)
			return nil
		}),
	}
	add.Flags().StringVar(&role, "role", "", "viewer, operator or administrator (yours when left out)")
	add.Flags().IntVar(&days, "days", 0,
		"days until it ends (90 when left out, or until the token ends by which you are signed in)")
	add.Flags().StringVar(&only, "only", "", "the workspace that it is for (all of them when left out)")
	cmd.AddCommand(add, a.endCmd("End a token", "token", func(ctx context.Context, c *client.Conn, id int64) error {
		_, err := c.RemoveTokenWithResponse(ctx, id)
		return err
	}))
	return cmd
}

func (a *app) peopleCmd() *cobra.Command {
	cmd := &cobra.Command{
		Use: "people", GroupID: "service", Args: args(cobra.NoArgs), Short: "List who may sign in; add, invite, change, " +
			"suspend, admit or remove somebody",
		RunE: a.on(func(ctx context.Context, c *client.Conn, _ []string) error {
			r, err := c.ListPeopleWithResponse(ctx)
			if err != nil {
				return err
			}
			if a.asJSON {
				return a.printJSON(r.JSON200)
			}
			a.showPeople(r.JSON200.People...)
			return nil
		}),
	}
	var p client.NewPerson
	var role string
	var withPassword bool
	add := &cobra.Command{
		Use: "add EMAIL", Args: args(cobra.ExactArgs(1)),
		Short: "Let somebody sign in, who chooses a password by the link that is printed",
		Long: `Lets somebody sign in. They choose their password by the link that is printed, and mailed to them where mails
go out; with --password it is read from standard input instead.`,
		Example: "  uchi people add yoko@lanternquay.example --name \"Yoko Shiota\" --role operator",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			p.Email, p.Role = list[0], client.Role(role)
			if withPassword {
				var err error
				if p.Password, err = a.readPassword(); err != nil {
					return err
				}
			}
			r, err := c.AddPersonWithResponse(ctx, p)
			if err != nil {
				return err
			}
			if withPassword {
				return a.tellPerson(*r.JSON201)
			}
			return a.tellInvitation(p.Email, r.JSON201.Invitation)
		}),
	}
	add.Flags().StringVar(&p.Name, "name", "", "the person's name")
	add.Flags().StringVar(&role, "role", "operator", "viewer, operator or administrator")
	add.Flags().BoolVar(&withPassword, "password", false, "read the first password from standard input")
	cmd.AddCommand(add, a.changePersonCmd(), a.invitePersonCmd(), a.removePersonCmd(),
		a.suspendCmd("suspend", "Let somebody sign in no more; what they did stays named", true),
		a.suspendCmd("admit", "Let somebody sign in again", false))
	return cmd
}
