package cli

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"uchi/internal/client"
	"uchi/internal/core/catalog"
	"uchi/internal/core/rights"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
)

func (a *app) typesCmd() *cobra.Command {
	var out string
	cmd := &cobra.Command{
		Use: "types [TYPE]", GroupID: "look", Args: args(cobra.MaximumNArgs(1)),
		Short: "List the record types, or say what one wants",
		Long: `Lists the record types. With one named, writes what its records want as a document in Markdown, to read or to
hand to those who send files: every field with its type and length, whether it must be there, what it takes with all its
choices, an example, how a row finds its record, and what refers to such records.`,
		Example: "  uchi types\n  uchi types contact\n  uchi types contact -o contacts.md",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			if len(list) == 1 {
				if a.asJSON {
					t, err := a.recordType(ctx, c, list[0])
					if err != nil {
						return err
					}
					return a.printJSON(t)
				}
				r, err := c.DescribeType(ctx, c.Workspace, list[0])
				if err != nil {
					return err
				}
				return a.answerInto(out, r.Body)
			}
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
				tab.AppendRow([]any{t.Name, t.Plural, t.Prefix, len(t.Fields), strings.Join(required, ", "),
					strings.Join(rules, ", ")})
			}
			tab.Render()
			return nil
		}),
	}
	cmd.Flags().StringVarP(&out, "out", "o", "", "write the document into this file")
	cmd.AddCommand(a.addTypeCmd())
	return cmd
}

func (a *app) addTypeCmd() *cobra.Command {
	var t client.NewType
	var fields []string
	var from string
	var show bool
	cmd := &cobra.Command{
		Use: "add [LABEL]", Args: args(cobra.MaximumNArgs(1)),
		Short: "Add a record type of your own, by its fields or from an import's columns",
		Long: `Adds a record type. Its fields are given one by one, as label=type, or are made of the columns of an import: types,
choices, references and the key from what stands in the cells. --show tells what would be added.

A field is label=type, behind it key, required, or for a reference the record type: "Berth no=text,key",
"Marina=reference,account". Choices are given as Kind=choice,pontoon,buoy.`,
		Example: "  uchi types add Berth --field \"Berth no=text,key\" --field Marina=reference,account --field " +
			"Length=decimal\n  uchi types add --from-import 12 --show\n  uchi types add Berth --from-import 12 --field " +
			"Marina=reference,account\n  uchi mapping 12 --add berth",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			if from != "" {
				id, err := numberOf(from, "import")
				if err != nil {
					return err
				}
				r, err := c.ProposeTypeWithResponse(ctx, c.Workspace, id)
				if err != nil {
					return err
				}
				p := *r.JSON200
				t.Fields, t.Title = p.Fields, p.Title
				if len(list) == 0 {
					t.Label, t.Plural = p.Label, cmp.Or(t.Plural, p.Plural)
				}
			}
			if len(list) == 1 {
				t.Label = list[0]
			}
			if t.Label == "" {
				return usageError{fmt.Errorf("say what one such record is called, or give --from-import")}
			}
			for _, s := range fields {
				f, err := newField(s)
				if err != nil {
					return err
				}
				if n := slices.IndexFunc(t.Fields, func(x catalog.Field) bool { return x.Name == f.Name }); n >= 0 {
					t.Fields[n] = f // it was proposed otherwise
				} else {
					t.Fields = append(t.Fields, f)
				}
			}
			if show {
				return a.showNewType(t)
			}
			r, err := c.AddTypeWithResponse(ctx, c.Workspace, t)
			if err != nil {
				return err
			}
			if a.asJSON {
				return a.printJSON(r.JSON201)
			}
			fmt.Fprintf(a.out, "%s: ids %s-1, …\n", r.JSON201.Plural, r.JSON201.Prefix)
			return a.showFields(*r.JSON201)
		}),
	}
	f := cmd.Flags()
	f.StringVar(&t.Name, "name", "", "as it stands in addresses and routines; made of the label when left out")
	f.StringVar(&t.Plural, "plural", "", "the word for several records")
	f.StringVar(&t.Prefix, "prefix", "", "of the ids, two to six capital letters or digits")
	f.StringSliceVar(&t.Title, "title", nil, "names of the fields by which a record is called")
	f.StringArrayVar(&fields, "field", nil, "a field as label=type, also in place of one that is proposed (repeatable)")
	f.StringVar(&from, "from-import", "", "make the fields of the columns of this import")
	f.BoolVar(&show, "show", false, "only show what would be added")
	return cmd
}

// newField reads a field given as label=type and what is said behind it.
func newField(s string) (catalog.Field, error) {
	label, rest, ok := strings.Cut(s, "=")
	said := strings.Split(rest, ",")
	f := catalog.Field{Label: strings.TrimSpace(label), Name: catalog.Slug(label), Type: catalog.FieldType(said[0])}
	if !ok || f.Label == "" || !slices.Contains(catalog.FieldTypes, f.Type) {
		var types []string
		for _, t := range catalog.FieldTypes {
			types = append(types, string(t))
		}
		return f, usageError{fmt.Errorf("%q is not a field; write it as \"Berth no=text,key\", with one of the types %s",
			s, strings.Join(types, ", "))}
	}
	for _, word := range said[1:] {
		switch word = strings.TrimSpace(word); {
		case word == "key":
			f.Key = true
		case word == "required":
			f.Required = true
		case f.Type == catalog.Reference && f.To == "":
			f.To = word
		case f.Kind().Choices:
			f.Choices = append(f.Choices, catalog.Choice{Code: cmp.Or(catalog.Slug(word), word), Label: word})
		default:
			return f, usageError{fmt.Errorf("%q: nothing is known of %q behind a field of the type %s", s, word, f.Type)}
		}
	}
	return f, nil
}

// showNewType shows a record type before it is added.
func (a *app) showNewType(t client.NewType) error {
	if a.asJSON {
		return a.printJSON(t)
	}
	fmt.Fprintf(a.out, "%s\n", t.Label)
	return a.showFields(catalog.RecordType{Fields: t.Fields})
}

func (a *app) fieldsCmd() *cobra.Command {
	cmd := &cobra.Command{
		Use: "fields TYPE", GroupID: "look", Args: args(cobra.ExactArgs(1)),
		Short:   "List the fields of a record type; add, change or retire one",
		Example: "  uchi fields contact\n  uchi fields add account berth_count --label \"Berths\" --type integer",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			t, err := a.recordType(ctx, c, list[0])
			if err != nil {
				return err
			}
			return a.showFields(t)
		}),
	}
	cmd.AddCommand(a.addFieldCmd(), a.changeFieldCmd(),
		a.retireCmd("retire", "Retire a field: it is no longer filled, and its values stay", true),
		a.retireCmd("restore", "Take a retired field into use again", false))
	return cmd
}

// choicesOf reads choices given as code or code=Label; a code with ~ before it is
// closed. A label that is left out stays, or is the code.
func choicesOf(list []string) (choices []catalog.Choice) {
	for _, ch := range list {
		code, label, _ := strings.Cut(ch, "=")
		code, closed := strings.CutPrefix(code, "~")
		choices = append(choices, catalog.Choice{Code: code, Label: label, Closed: closed})
	}
	return choices
}

func (a *app) addFieldCmd() *cobra.Command {
	var f catalog.Field
	var kind string
	var choices []string
	var limits limitFlags
	cmd := &cobra.Command{
		Use: "add TYPE NAME", Args: args(cobra.ExactArgs(2)), Short: "Add a field of your own to a record type",
		Example: "  uchi fields add account berth_count --label \"Berths\" --type integer --required --default 0",
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			f.Name, f.Type = list[1], catalog.FieldType(kind)
			if f.Label == "" {
				f.Label = strings.ToUpper(f.Name[:1]) + strings.ReplaceAll(f.Name[1:], "_", " ")
			}
			f.Choices = choicesOf(choices)
			f.SeenBy, f.FilledBy = rights.Role(limits.seenBy), rights.Role(limits.filledBy)
			r, err := c.AddFieldWithResponse(ctx, c.Workspace, list[0], f)
			if err != nil {
				return err
			}
			return a.showFields(*r.JSON201)
		}),
	}
	fl := cmd.Flags()
	limits.on(fl)
	fl.StringVar(&f.Label, "label", "", "words above the column (made from the name when left out)")
	fl.StringVar(&kind, "type", "text", "field type, such as text, integer, date, choice, reference")
	fl.StringVar(&f.Help, "help-text", "", "what belongs into the field")
	fl.BoolVar(&f.Required, "required", false, "every new record needs it")
	fl.BoolVar(&f.Key, "key", false, "unique when filled")
	fl.BoolVar(&f.Lookup, "lookup", false, "can be matched by, though not unique")
	fl.StringVar((*string)(&f.Likeness), "likeness", "", "as what it is compared by likeness, such as family_name, "+
		"company_name, street, code, text")
	fl.IntVar(&f.Length, "length", 0, "most characters")
	fl.IntVar(&f.Precision, "precision", 0, "digits after the decimal sign")
	fl.StringVar(&f.Default, "default", "", "value of new records that say nothing")
	fl.StringVar(&f.To, "to", "", "record type that a reference points to")
	fl.StringArrayVar(&choices, "choice", nil, "a choice: code or code=Label (repeatable)")
	return cmd
}

func (a *app) changeFieldCmd() *cobra.Command {
	var name, label, help, def string
	var required bool
	var length int
	var choices []string
	var limits limitFlags
	cmd := &cobra.Command{
		Use: "change TYPE NAME", Args: args(cobra.ExactArgs(2)),
		Short: "Rename or re-label a field, or change its bounds and choices",
		Long: `Changes a field that is there. A field's type stays; a length can only be raised; a choice that is
there is closed (~code), not taken away. Fields of your own can be given another name: routines that
use the old one go on working.`,
		Example: "  uchi fields change account berths --name moorings --label Moorings\n  uchi fields change lead interest " +
			"--choice low --choice medium --choice high=\"Very keen\" --choice ~unknown\n  uchi fields change account " +
			"annual_revenue --seen-by administrator",
	}
	fl := cmd.Flags()
	limits.on(fl)
	fl.StringVar(&name, "name", "", "a new name (fields of your own)")
	fl.StringVar(&label, "label", "", "words above the column")
	fl.StringVar(&help, "help-text", "", "what belongs into the field")
	fl.StringVar(&def, "default", "", "value of new records that say nothing")
	fl.BoolVar(&required, "required", false, "whether every new record needs it")
	fl.IntVar(&length, "length", 0, "most characters")
	fl.StringArrayVar(&choices, "choice", nil,
		"all choices in their order: code, code=Label, or ~code for a closed one (repeatable)")
	cmd.RunE = a.on(func(ctx context.Context, c *client.Conn, list []string) error {
		var change client.FieldChange
		if fl.Changed("name") {
			change.Name = &name
		}
		if fl.Changed("label") {
			change.Label = &label
		}
		if fl.Changed("help-text") {
			change.Help = &help
		}
		if fl.Changed("default") {
			change.Default = &def
		}
		if fl.Changed("required") {
			change.Required = &required
		}
		if fl.Changed("length") {
			change.Length = &length
		}
		change.Choices = choicesOf(choices)
		change.SeenBy, change.FilledBy = limits.given()
		return a.changeField(ctx, c, list[0], list[1], change)
	})
	return cmd
}

// limitFlags say who may see and fill a field.
type limitFlags struct{ seenBy, filledBy string }

func (l *limitFlags) on(fl *pflag.FlagSet) {
	fl.StringVar(&l.seenBy, "seen-by", "",
		"the least role that sees what stands in it: viewer (everybody), operator, administrator")
	fl.StringVar(&l.filledBy, "filled-by", "", "the least role that fills it: operator, administrator")
}

// given gives the roles that were named, nil for one that was not.
func (l *limitFlags) given() (seenBy, filledBy *client.FieldLimit) {
	one := func(s string) *client.FieldLimit {
		if s == "" {
			return nil
		}
		role := client.FieldLimit(s)
		return &role
	}
	return one(l.seenBy), one(l.filledBy)
}

func (a *app) retireCmd(name, short string, retired bool) *cobra.Command {
	return &cobra.Command{
		Use: name + " TYPE NAME", Args: args(cobra.ExactArgs(2)), Short: short,
		RunE: a.on(func(ctx context.Context, c *client.Conn, list []string) error {
			return a.changeField(ctx, c, list[0], list[1], client.FieldChange{Retired: &retired})
		}),
	}
}

func (a *app) changeField(ctx context.Context, c *client.Conn, typeName, field string,
	change client.FieldChange) error {
	r, err := c.ChangeFieldWithResponse(ctx, c.Workspace, typeName, field, nil, change)
	if err != nil {
		return err
	}
	return a.showFields(*r.JSON200)
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
		}{{f.Required, "required"}, {f.Key, "key"}, {f.Own, "own"}, {f.Retired, "retired"},
			{f.SeenBy != "", fmt.Sprintf("seen by %ss", f.SeenBy)},
			{f.FilledBy != "", fmt.Sprintf("filled by %ss", f.FilledBy)}} {
			if m.on {
				marks = append(marks, m.word)
			}
		}
		what := f.Help
		if len(f.Choices) > 0 {
			var codes []string
			for _, ch := range f.Choices {
				if ch.Closed {
					codes = append(codes, "~"+ch.Code)
				} else {
					codes = append(codes, ch.Code)
				}
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
