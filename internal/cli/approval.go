package cli

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"uchi/internal/client"

	"github.com/spf13/cobra"
)

func (a *app) askCmd() *cobra.Command {
	var note string
	cmd := &cobra.Command{
		Use: "ask NUMBER", GroupID: "load", Args: args(cobra.ExactArgs(1)),
		Short:   "Ask for a second person's yes to the load of a checked import",
		Example: "  uchi ask 12 --note \"From the branch office; the towns are right\"",
		RunE: func(cmd *cobra.Command, list []string) error {
			c, i, err := a.withImport(cmd.Context(), list[0])
			if err != nil {
				return err
			}
			r, err := c.AskApprovalWithResponse(cmd.Context(), c.Workspace, i.Id, client.AskApprovalJSONRequestBody{Note: note})
			if err != nil {
				return err
			}
			return a.printApproval(*r.JSON200)
		},
	}
	cmd.Flags().StringVar(&note, "note", "", "what whoever decides should know")
	return cmd
}

func (a *app) approveCmd() *cobra.Command {
	var no string
	cmd := &cobra.Command{
		Use: "approve NUMBER", GroupID: "load", Args: args(cobra.ExactArgs(1)),
		Short: "Say yes to the load that another asks for, or no with a reason",
		Long: `Says yes to the load of an import as it is checked. Look at it first: uchi imports NUMBER, uchi rows NUMBER, uchi rows
NUMBER --overwrites. Any change after the yes takes it back. Who asked does not approve.`,
		Example: "  uchi approve 12\n  uchi approve 12 --no \"The towns are missing\"",
	}
	cmd.RunE = func(_ *cobra.Command, list []string) error {
		c, i, err := a.withImport(cmd.Context(), list[0])
		if err != nil {
			return err
		}
		r, err := c.DecideApprovalWithResponse(cmd.Context(), c.Workspace, i.Id,
			client.DecideApprovalJSONRequestBody{Yes: !cmd.Flags().Changed("no"), Reason: no})
		if err != nil {
			return err
		}
		return a.printApproval(*r.JSON200)
	}
	cmd.Flags().StringVar(&no, "no", "", "say no, for this reason")
	return cmd
}

// printApproval says where the yes to the load of an import stands.
func (a *app) printApproval(i client.Import) error {
	if a.asJSON {
		return a.printJSON(i)
	}
	a.showApproval(i.Approval)
	return nil
}

// showApproval says who has asked for the yes and what was decided; nothing where none is needed.
func (a *app) showApproval(p client.Approval) {
	if p.Why != "" {
		fmt.Fprintf(a.out, "The load needs a second person's yes: %s.\n", p.Why)
	}
	switch {
	case p.AskedBy == "":
	case p.DecidedBy == "":
		fmt.Fprintf(a.out, "%s has asked for it on %s; nobody has decided.\n", p.AskedBy, dayAndTime(p.AskedAt))
	case p.Yes:
		fmt.Fprintf(a.out, "%s has said yes on %s.\n", p.DecidedBy, dayAndTime(p.DecidedAt))
	default:
		fmt.Fprintf(a.out, "%s has said no on %s: %s\n", p.DecidedBy, dayAndTime(p.DecidedAt), p.Reason)
	}
}

func (a *app) approvalCmd() *cobra.Command {
	var rules client.ApprovalRules
	cmd := &cobra.Command{
		Use: "approval", GroupID: "service", Args: args(cobra.NoArgs), Short: "Which loads of the workspace need a second " +
			"person's yes, and set it (administrators)",
		Long: `Shows which loads of the workspace need a second person's yes. With a flag sets it; what is not said stays.

--operators-above lets operators load so many records by themselves, --operators-share lets them change or delete so
many percent of the records of a type; above that an administrator says yes, and administrators load without asking.`,
		Example: "  uchi approval\n  uchi approval --type account --above 10000\n  uchi approval --operators-above 500\n" +
			"  uchi approval --always=false --type \"\" --above 0",
	}
	cmd.RunE = a.on(func(ctx context.Context, c *client.Conn, _ []string) error {
		r, err := c.GetApprovalRulesWithResponse(ctx, c.Workspace)
		if err != nil {
			return err
		}
		now, said := *r.JSON200, cmd.Flags().Changed
		changed, blank := false, func(name string) bool { return name == "" }
		for flag, set := range map[string]func(){
			"always":          func() { now.Always = rules.Always },
			"type":            func() { now.Types = slices.DeleteFunc(rules.Types, blank) },
			"routine":         func() { now.Routines = slices.DeleteFunc(rules.Routines, blank) },
			"above":           func() { now.Above = rules.Above },
			"operators-above": func() { now.OperatorsAbove = rules.OperatorsAbove },
			"operators-share": func() { now.OperatorsShare = rules.OperatorsShare },
		} {
			if said(flag) {
				set()
				changed = true
			}
		}
		if changed {
			set, err := c.SetApprovalRulesWithResponse(ctx, c.Workspace, now)
			if err != nil {
				return err
			}
			now = *set.JSON200
		}
		if a.asJSON {
			return a.printJSON(now)
		}
		var lines []string
		if now.Always {
			lines = append(lines, "every load")
		}
		if len(now.Types) > 0 {
			lines = append(lines, "loads into "+strings.Join(now.Types, ", "))
		}
		if len(now.Routines) > 0 {
			lines = append(lines, "loads by the routines "+strings.Join(now.Routines, ", "))
		}
		if now.Above > 0 {
			lines = append(lines, fmt.Sprintf("loads that make, change or delete more than %s records", number(now.Above)))
		}
		if now.OperatorsAbove > 0 {
			lines = append(lines, fmt.Sprintf("loads of operators above %s records, from an administrator",
				number(now.OperatorsAbove)))
		}
		if now.OperatorsShare > 0 {
			lines = append(lines, fmt.Sprintf("loads of operators that change or delete more than %d %% of the records "+
				"of a type, from an administrator", now.OperatorsShare))
		}
		if len(lines) == 0 {
			fmt.Fprintln(a.out, "No load needs a second person's yes.")
			return nil
		}
		fmt.Fprintln(a.out, "A second person's yes is needed for:")
		for _, l := range lines {
			fmt.Fprintln(a.out, "  "+l)
		}
		return nil
	})
	f := cmd.Flags()
	f.BoolVar(&rules.Always, "always", false, "every load needs it")
	f.StringArrayVar(&rules.Types, "type", nil, "loads into this record type need it (repeatable; blank for none)")
	f.StringArrayVar(&rules.Routines, "routine", nil, "loads by this routine need it (repeatable; blank for none)")
	f.Int64Var(&rules.Above, "above", 0, "loads that make, change or delete more records need it; 0 for no limit")
	f.Int64Var(&rules.OperatorsAbove, "operators-above", 0,
		"so many records an operator loads without an administrator; 0 for no limit")
	f.Int64Var(&rules.OperatorsShare, "operators-share", 0, "so many percent of the records of a type an operator "+
		"changes or deletes without an administrator; 0 for no limit")
	return cmd
}
