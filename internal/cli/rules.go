package cli

import (
	"context"
	"fmt"
	"os"
	"strings"

	"uchi/internal/client"
	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"

	"github.com/spf13/cobra"
	"gopkg.in/yaml.v3"
)

func (a *app) rulesCmd() *cobra.Command {
	var from, known string
	var usual, try bool
	cmd := &cobra.Command{
		Use: "rules TYPE", GroupID: "look", Args: args(cobra.ExactArgs(1)),
		Short: "Show by which rules records of a type are found, try others, or let them hold",
		Long: `Shows the match rules of a record type in the order in which they are tried. With --try it says what
each rule makes of the records that are there: how many it tells apart, and which it would put together.
With --known it is said what becomes of a row that would make a record of somebody who is there as a
record of another type, such as a lead who is a contact. With --from FILE other rules are tried, or hold from now on for every import without rules of its own.

The file is YAML or JSON, a list of rules: fields that must be equal, or that must be alike.

  - fields: [id]
  - fields: [source_ref]
  - fields: [family_name, postal_code]
    one: ask
  - alike: [given_name, family_name, email, phone]
    take_at: 99`,
		Example: "  uchi rules contact\n  uchi rules contact --try\n  uchi rules contact --from rules.yaml --try\n" +
			"  uchi rules contact --from rules.yaml\n  uchi rules contact --usual\n  uchi rules lead --known contact=skip",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			var rules []catalog.MatchRule
			if from != "" {
				file, err := os.Open(from)
				if err != nil {
					return err
				}
				defer file.Close()
				d := yaml.NewDecoder(file)
				d.KnownFields(true)
				if err := d.Decode(&rules); err != nil {
					return fault.New(fault.Invalid, "bad_rules", "this is no list of match rules: "+
						err.Error()).At(fault.Place{Path: from}).Mended("See uchi rules --help for what such a file says.")
				}
			}
			if try {
				return a.tryRules(ctx, c, list[0], rules)
			}
			t, err := a.recordType(ctx, c, list[0])
			if err != nil {
				return err
			}
			if from != "" || usual {
				r, err := c.ChangeMatchWithResponse(ctx, c.Workspace, t.Name,
					&client.ChangeMatchParams{IfMatch: fmt.Sprintf("%q", fmt.Sprint(t.Version))},
					client.MatchRules{Rules: append([]catalog.MatchRule{}, rules...)})
				if err != nil {
					return err
				}
				t = *r.JSON200
			}
			if known != "" {
				other, means, _ := strings.Cut(known, "=")
				r, err := c.ChangeKnownWithResponse(ctx, c.Workspace, t.Name, other,
					&client.ChangeKnownParams{IfMatch: fmt.Sprintf("%q", fmt.Sprint(t.Version))},
					client.ChangeKnownJSONRequestBody{Means: client.Find(means)})
				if err != nil {
					return err
				}
				t = *r.JSON200
			}
			if a.asJSON {
				return a.printJSON(t.Match)
			}
			for n, m := range t.Match {
				fmt.Fprintf(a.out, "%d. %s\n", n+1, m.Says(t))
			}
			for _, k := range t.Known {
				other, err := a.recordType(ctx, c, k.Type)
				if err != nil {
					return err
				}
				fmt.Fprintf(a.out, "A row %s\n", k.Says(t, other))
			}
			if t.OwnMatch() {
				fmt.Fprintln(a.out, "These are rules of your own; --usual lets the usual ones hold again.")
			}
			return nil
		}),
	}
	f := cmd.Flags()
	f.StringVar(&from, "from", "", "a file with the rules that are to hold, or to be tried")
	f.StringVar(&known, "known", "", "what is done with rows that are there already as records of another type: "+
		"TYPE=take (told, and loaded), hold or skip")
	f.BoolVar(&usual, "usual", false, "let the usual rules hold again")
	f.BoolVar(&try, "try", false, "say what the rules make of the records that are there; nothing is kept")
	cmd.MarkFlagsMutuallyExclusive("from", "usual")
	cmd.MarkFlagsMutuallyExclusive("try", "usual")
	return cmd
}

// tryRules says what rules make of the records that are there.
func (a *app) tryRules(ctx context.Context, c *client.Conn, typeName string, rules []catalog.MatchRule) error {
	r, err := c.TryMatchWithResponse(ctx, c.Workspace, typeName,
		client.MatchRules{Rules: append([]catalog.MatchRule{}, rules...)})
	if err != nil {
		return err
	}
	if a.asJSON {
		return a.printJSON(r.JSON200)
	}
	for n, e := range r.JSON200.Rules {
		if e.Records == 0 {
			fmt.Fprintln(a.out, "There are no records yet to try them on.")
			return nil
		}
		fmt.Fprintf(a.out, "%d. %s\n   %s\n", n+1, e.Says, effectWords(e))
		for _, p := range e.Pairs {
			word := "asked"
			if p.Taken {
				word = "as one"
			}
			against := ""
			if p.Percent < 100 {
				against = fmt.Sprintf(", %.1f %%", p.Percent)
			}
			if len(p.Against) > 0 {
				against += ": " + strings.Join(p.Against, ", ")
			}
			fmt.Fprintf(a.out, "     %-6s  %s %s  and  %s %s%s\n", word, p.A.Id, p.A.Title, p.B.Id, p.B.Title, against)
		}
	}
	return nil
}

// effectWords puts what a rule makes of the records into a sentence.
func effectWords(e client.RuleEffect) string {
	if e.Taken+e.Asked > 0 || strings.HasPrefix(e.Says, "alike") {
		return fmt.Sprintf("Of %s records, compared with one another: %s pairs would be taken for one, %s asked about.",
			number(e.LookedAt), number(e.Taken), number(e.Asked))
	}
	s := fmt.Sprintf("%s of %s records can be looked up by it, %s of them are told apart", number(e.LookedAt),
		number(e.Records), number(e.Alone))
	if e.Largest > 1 {
		s += fmt.Sprintf("; at most %s are equal in it", number(e.Largest))
	}
	if !e.Takes && e.LookedAt > 0 {
		s += "; what it finds is asked, not taken"
	}
	return s + "."
}
