package cli

import (
	"context"
	"fmt"
	"strconv"
	"strings"
	"time"

	"uchi/internal/client"
	"uchi/internal/core/fault"

	"github.com/spf13/cobra"
)

func (a *app) logCmd() *cobra.Command {
	var p client.ListLogParams
	var since, until, out string
	cmd := &cobra.Command{
		Use: "log", GroupID: "look", Args: args(cobra.NoArgs), Short: "Who did what, newest first (administrators)",
		Example: "  uchi log\n  uchi log --text load --in main --since 2026-11-01\n" +
			"  uchi log --person sofia@lanternquay.example --out log.csv\n  uchi log prove",
		RunE: a.on(func(ctx context.Context, c *client.Conn, _ []string) error {
			var err error
			if p.Since, err = moment(since); err != nil {
				return err
			}
			if p.Until, err = moment(until); err != nil {
				return err
			}
			if out != "" {
				r, err := c.DownloadLog(ctx, &client.DownloadLogParams{Person: p.Person, In: p.In, Text: p.Text, Since: p.Since,
					Until: p.Until})
				if err != nil {
					return err
				}
				return a.answerInto(strings.TrimPrefix(out, "-"), r.Body)
			}
			r, err := c.ListLogWithResponse(ctx, &p)
			if err != nil {
				return err
			}
			if a.asJSON {
				return a.printJSON(r.JSON200)
			}
			a.printLog(r.JSON200.Entries)
			if r.JSON200.Next != "" {
				fmt.Fprintf(a.out, "… more; go on with --cursor %s\n", r.JSON200.Next)
			}
			return nil
		}),
	}
	f := cmd.Flags()
	f.StringVar(&p.Person, "person", "", "only of this person, by e-mail address; - for what the service did by itself")
	f.StringVar(&p.In, "in", "", "only of this workspace")
	f.StringVar(&p.Text, "text", "", "only with this in what was done or to what")
	f.StringVar(&since, "since", "", "only from this day or moment on")
	f.StringVar(&until, "until", "", "only before this day or moment")
	f.StringVar(&p.Cursor, "cursor", "", "go on behind an earlier page")
	f.IntVar(&p.Limit, "limit", 40, "most entries to list")
	f.StringVarP(&out, "out", "o", "", "write all of them as CSV into this file; - is standard output")
	cmd.AddCommand(a.proveLogCmd())
	return cmd
}

// moment reads a day, of the clock here, or a moment (RFC 3339); blank is none.
func moment(s string) (time.Time, error) {
	if s == "" {
		return time.Time{}, nil
	}
	if t, err := time.ParseInLocation(time.DateOnly, s, time.Local); err == nil {
		return t, nil
	}
	t, err := time.Parse(time.RFC3339, s)
	if err != nil {
		return t, usageError{fmt.Errorf("%q is neither a day such as 2026-03-31 nor a moment such as 2026-03-31T10:00:00Z",
			s)}
	}
	return t, nil
}

func (a *app) printLog(list []client.LogEntry) {
	tab := a.table("Entry", "When", "Who", "Did", "What", "Where", "From")
	for _, e := range list {
		who := e.Person
		if who == "" {
			who = "the service"
		}
		if e.Token != "" {
			who += " (token " + e.Token + ")"
		}
		what := e.Subject
		for n, ch := range e.Changed {
			if n == 4 {
				what += fmt.Sprintf("\n… and %d more", len(e.Changed)-n)
				break
			}
			what += "\n" + ch.Path + ": " + oneLine(orBlank(ch.Was), 30) + " → " + oneLine(orBlank(ch.Now), 30)
		}
		tab.AppendRow([]any{strconv.FormatInt(e.Id, 10), e.At.Local().Format("2006-01-02 15:04:05"), who, e.Action, what,
			e.Workspace, e.Address})
	}
	tab.Render()
}

func (a *app) proveLogCmd() *cobra.Command {
	var p client.ProveLogParams
	cmd := &cobra.Command{
		Use: "prove", Args: args(cobra.NoArgs), Short: "See whether entries of the log were changed or taken away",
		Long: `Looks through the seals of the log. Every entry is sealed with the one before it, so that one that is changed or taken
away shows. Keep the last seal elsewhere: with --once it tells later whether the end of the log was cut off.`,
		Example: "  uchi log prove\n  uchi log prove --once 5f0c…",
		RunE: a.on(func(ctx context.Context, c *client.Conn, _ []string) error {
			r, err := c.ProveLogWithResponse(ctx, &p)
			if err != nil {
				return err
			}
			proof := r.JSON200
			if a.asJSON {
				if err := a.printJSON(proof); err != nil {
					return err
				}
			}
			if !proof.Whole {
				return fault.Newf(fault.Conflict, "log_broken", "the log is not whole at its seal %d: %s", proof.Broken,
					proof.Why).With(fmt.Sprintf("entry %d", proof.Entry)).
					Mended("Compare it with a backup.")
			}
			if !a.asJSON {
				fmt.Fprintf(a.out, "The log is whole: %s. The last seal: %s\n", plural(proof.Entries, "entry", "entries"),
					proof.Last)
			}
			return nil
		}),
	}
	cmd.Flags().StringVar(&p.Once, "once", "", "the seal that the log once ended with")
	return cmd
}
