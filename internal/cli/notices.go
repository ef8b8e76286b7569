package cli

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"strings"

	"uchi/internal/client"

	"github.com/spf13/cobra"
)

func (a *app) noticesCmd() *cobra.Command {
	var told []string
	var follow bool
	cmd := &cobra.Command{
		Use: "notices", GroupID: "look", Args: args(cobra.NoArgs), Short: "What I was told, and of what I want to be told",
		Long: `Lists what you were told, newest first. With --tell says of what you want to be told, in the console and, where the
service has a mail server, by mail: waits (a file of a feed waits for you), failed (a feed could not look), ended (a feed
has loaded a file), approval (somebody asks for your yes), decided (your asking was decided), handed_over; none for nothing.`,
		Example: "  uchi notices\n  uchi notices --tell waits,failed,approval\n  uchi notices --follow --json",
	}
	cmd.RunE = a.on(func(ctx context.Context, c *client.Conn, _ []string) error {
		if follow {
			return c.FollowNotices(ctx, func(n client.PersonNotice) {
				if a.asJSON {
					json.NewEncoder(a.out).Encode(n) //nolint:errcheck // the reader is gone
					return
				}
				a.showNotice(n)
			})
		}
		if cmd.Flags().Changed("tell") {
			kinds := []client.NoticeKind{}
			for _, k := range told {
				if k != "none" {
					kinds = append(kinds, client.NoticeKind(k))
				}
			}
			if _, err := c.SetNoticesWithResponse(ctx, client.SetNoticesJSONRequestBody{Told: kinds}); err != nil {
				return err
			}
		}
		r, err := c.ListNoticesWithResponse(ctx)
		if err != nil {
			return err
		}
		if a.asJSON {
			return a.printJSON(r.JSON200)
		}
		for _, n := range r.JSON200.Notices {
			a.showNotice(n)
		}
		var kinds []string
		for _, k := range r.JSON200.Told {
			kinds = append(kinds, string(k))
		}
		mail := "in the console alone; the service has no mail server"
		if r.JSON200.Mail {
			mail = "also by mail"
		}
		fmt.Fprintf(a.out, "\nYou are told of: %s (%s).\n", cmp.Or(strings.Join(kinds, ", "), "nothing"), mail)
		return nil
	})
	cmd.Flags().BoolVar(&follow, "follow", false, "tell of each as it comes, until it is stopped")
	cmd.Flags().StringSliceVar(&told, "tell", nil, "of what you want to be told, a comma between")
	return cmd
}

func (a *app) showNotice(n client.PersonNotice) {
	how := "not by mail"
	switch {
	case !n.SentAt.IsZero():
		how = "mailed " + dayAndTime(n.SentAt)
	case n.GivenUp:
		how = a.paint(red, "could not be mailed: "+n.Trouble)
	case n.Trouble != "":
		how = a.paint(amber, "not mailed yet: "+n.Trouble)
	}
	fmt.Fprintf(a.out, "%s  %s  %s\n", dayAndTime(n.MadeAt), a.paint(bold, n.Subject), a.paint(faint, how))
	for _, l := range n.Lines {
		fmt.Fprintf(a.out, "    %s\n", l)
	}
}
