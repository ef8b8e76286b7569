package cli

import (
	"context"
	"fmt"
	"strings"

	"uchi/internal/client"

	"github.com/spf13/cobra"
)

func (a *app) hooksCmd() *cobra.Command {
	cmd := &cobra.Command{
		Use: "hooks", GroupID: "service", Args: args(cobra.NoArgs),
		Short: "Other programs that are told what people are told (administrators)",
		Long: `Lists the addresses of other programs that are told of what happens in the workspace, with their last calls. A call is a
POST with a JSON body: type, timestamp, and data with workspace, subject, lines and link. It is signed as the Standard
Webhooks specification says, with the secret that is shown when a hook is added.`,
		Example: "  uchi hooks\n  uchi hooks add https://tools.example/uchi --of waits,failed,ended",
		RunE: a.on(func(ctx context.Context, c *client.Conn, _ []string) error {
			r, err := c.ListHooksWithResponse(ctx, c.Workspace)
			if err != nil {
				return err
			}
			if a.asJSON {
				return a.printJSON(r.JSON200)
			}
			tab := a.table("No.", "Address", "Told of", "Last call", "")
			for _, h := range r.JSON200.Hooks {
				var kinds []string
				for _, k := range h.Kinds {
					kinds = append(kinds, string(k))
				}
				last, state := "", ""
				if len(h.Calls) > 0 {
					x := h.Calls[0]
					last = dayAndTime(x.MadeAt) + " " + string(x.Kind)
					switch {
					case !x.SentAt.IsZero():
						state = "told " + dayAndTime(x.SentAt)
					case x.GivenUp:
						state = a.paint(red, "given up: "+x.Trouble)
					case x.Trouble != "":
						state = a.paint(amber, "not yet: "+x.Trouble)
					}
				}
				if h.Paused {
					state = a.paint(red, "paused: "+h.Trouble)
				}
				tab.AppendRow([]any{h.Id, h.Url, strings.Join(kinds, ", "), last, state})
			}
			tab.Render()
			return nil
		}),
	}
	var of []string
	add := &cobra.Command{
		Use: "add ADDRESS", Args: args(cobra.ExactArgs(1)), Short: "Let a program be told; the secret that its calls " +
			"are signed with is printed this once",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			kinds := []client.NoticeKind{}
			for _, k := range of {
				kinds = append(kinds, client.NoticeKind(k))
			}
			r, err := c.AddHookWithResponse(ctx, c.Workspace, client.AddHookJSONRequestBody{Url: list[0], Kinds: kinds})
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
	add.Flags().StringSliceVar(&of, "of", []string{"waits", "failed", "ended"},
		"of what, a comma between: waits, failed, ended, approval, decided, handed_over")
	cmd.AddCommand(add, &cobra.Command{
		Use: "remove NUMBER", Args: args(cobra.ExactArgs(1)), Short: "Tell a program no more",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			id, err := numberOf(list[0], "hook")
			if err != nil {
				return err
			}
			_, err = c.RemoveHookWithResponse(ctx, c.Workspace, id)
			return err
		}),
	})
	return cmd
}
