package cli

import (
	"context"
	"strings"

	"uchi/internal/client"
	"uchi/internal/core/catalog"

	"github.com/spf13/cobra"
)

func (a *app) typesCmd() *cobra.Command {
	return &cobra.Command{
		Use: "types", GroupID: "look", Args: args(cobra.NoArgs), Short: "List the record types",
		RunE: a.on(func(ctx context.Context, c *client.Conn, _ []string) error {
			r, err := c.ListTypesWithResponse(ctx, c.Workspace)
			if err != nil {
				return err
			}
			if a.asJSON {
				return a.printJSON(r.JSON200)
			}
			tab := a.table("Type", "Label", "Ids", "Fields", "Required", "Found by")
			for _, t := range r.JSON200.Types {
				var required, rules []string
				for _, f := range t.Fields {
					if f.Required {
						required = append(required, f.Name)
					}
				}
				for _, m := range t.Match {
					if len(m.Alike) > 0 {
						rules = append(rules, strings.TrimPrefix(strings.Join(m.Fields, " + ")+" + likeness", " + "))
					} else {
						rules = append(rules, strings.Join(m.Fields, " + "))
					}
				}
				tab.AppendRow([]any{t.Name, t.Plural, t.Prefix, len(t.Fields), strings.Join(required, ", "), strings.Join(rules, ", ")})
			}
			tab.Render()
			return nil
		}),
	}
}

func (a *app) fieldsCmd() *cobra.Command {
	cmd := &cobra.Command{
		Use: "fields TYPE", GroupID: "look", Args: args(cobra.ExactArgs(1)), Short: "List the fields of a record type, or add one",
		Example: "  uchi fields contact\n  uchi fields add account berth_count --label \"Berths\" --type integer",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			t, err := a.recordType(ctx, c, list[0])
			if err != nil {
				return err
			}
			return a.showFields(t)
		}),
	}
	var f catalog.Field
	var kind string
	var choices []string
	add := &cobra.Command{
		Use: "add TYPE NAME", Args: args(cobra.ExactArgs(2)), Short: "Add a field of your own to a record type",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			f.Name, f.Type = list[1], catalog.FieldType(kind)
			if f.Label == "" {
				f.Label = strings.ToUpper(f.Name[:1]) + strings.ReplaceAll(f.Name[1:], "_", " ")
			}
			for _, ch := range choices {
				code, label, ok := strings.Cut(ch, "=")
				if !ok {
					label = code
				}
				f.Choices = append(f.Choices, catalog.Choice{Code: code, Label: label})
			}
			r, err := c.AddFieldWithResponse(ctx, c.Workspace, list[0], f)
			if err != nil {
				return err
			}
			return a.showFields(*r.JSON201)
		}),
	}
	fl := add.Flags()
	fl.StringVar(&f.Label, "label", "", "words above the column (made from the name when left out)")
	fl.StringVar(&kind, "type", "text", "field type, such as text, integer, date, choice, reference")
	fl.StringVar(&f.Help, "help-text", "", "what belongs into the field")
	fl.BoolVar(&f.Required, "required", false, "every new record needs it")
	fl.BoolVar(&f.Key, "key", false, "unique when filled")
	fl.BoolVar(&f.Lookup, "lookup", false, "can be matched by, though not unique")
	fl.StringVar((*string)(&f.Likeness), "likeness", "", "as what it is compared by likeness, such as family_name, company_name, street, code, text")
	fl.IntVar(&f.Length, "length", 0, "most characters")
	fl.IntVar(&f.Precision, "precision", 0, "digits after the decimal sign")
	fl.StringVar(&f.To, "to", "", "record type that a reference points to")
	fl.StringArrayVar(&choices, "choice", nil, "a choice: code or code=Label (repeatable)")
	cmd.AddCommand(add)
	return cmd
}

func (a *app) showFields(t catalog.RecordType) error {
	if a.asJSON {
		return a.printJSON(t)
	}
	tab := a.table("Field", "Label", "Type", "", "Choices or help")
	for _, f := range t.Fields {
		var marks []string
		for _, m := range []struct {
			on   bool
			word string
		}{{f.Required, "required"}, {f.Key, "key"}, {f.Own, "own"}} {
			if m.on {
				marks = append(marks, m.word)
			}
		}
		what := f.Help
		if len(f.Choices) > 0 {
			var codes []string
			for _, ch := range f.Choices {
				codes = append(codes, ch.Code)
			}
			what = strings.Join(codes, ", ")
		}
		kind := string(f.Type)
		if f.To != "" {
			kind += " → " + f.To
		}
		tab.AppendRow([]any{f.Name, f.Label, kind, strings.Join(marks, ", "), oneLine(what, 60)})
	}
	tab.Render()
	return nil
}
