package work

import (
	"context"
	"fmt"
	"strings"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/value"
)

// Describe writes what records of a type want as a document in Markdown, to hand to
// those who send files: every field with its type and length, whether it must be there,
// what it takes, an example, and what refers to such records.
func (s *Service) Describe(ctx context.Context, workspace, typeName string) (string, error) {
	c, t, err := s.typeOf(ctx, workspace, typeName)
	if err != nil {
		return "", err
	}
	return describe(c, t), nil
}

func describe(c catalog.Catalog, t catalog.RecordType) string {
	var b strings.Builder
	fields := t.Offered().Fields
	fmt.Fprintf(&b, "# %s\n\nWhat a file with %s may hold. Columns are recognised by these names and by many others; "+
		"their order does not matter.\n\n", t.Plural, strings.ToLower(t.Plural))
	b.WriteString("| Column | Required | Type | Takes | Example | What belongs there |\n|---|---|---|---|---|---|\n")
	for _, f := range fields {
		takesWhat := takes(c, f)
		if len(f.Choices) > 0 {
			takesWhat = "one of its choices, below"
			if f.Type == catalog.Choices {
				takesWhat = "any of its choices, below, a " + value.ListSeparator + " between"
			}
		}
		fmt.Fprintf(&b, "| **%s** | %s | %s | %s | %s | %s |\n", inCell(f.Label), requiredWord(t, f), kindOf(f),
			inCell(takesWhat), inCell(examples[f.Type]), inCell(f.Help))
	}
	for _, f := range fields {
		if len(f.Choices) == 0 {
			continue
		}
		fmt.Fprintf(&b, "\n## %s: choices\n\n", f.Label)
		for _, ch := range f.Choices {
			switch {
			case ch.Closed:
			case len(ch.Other) > 0:
				fmt.Fprintf(&b, "- %s (`%s`), also %s\n", ch.Label, ch.Code, fault.Cut(strings.Join(ch.Other, ", "), 120))
			default:
				fmt.Fprintf(&b, "- %s (`%s`)\n", ch.Label, ch.Code)
			}
		}
	}
	if len(t.Rules) > 0 {
		b.WriteString("\n## What must hold\n\n")
		for _, r := range t.Rules {
			fmt.Fprintf(&b, "- %s\n", r.Message)
		}
	}
	b.WriteString("\n## How a row finds its record\n\n")
	for _, r := range t.Match {
		fmt.Fprintf(&b, "- %s\n", r.Says(t))
	}
	if list := c.PointingTo(t.Name); len(list) > 0 {
		b.WriteString("\n## What refers to them\n\n")
		for _, p := range list {
			fmt.Fprintf(&b, "- %s, by %s\n", p.Type.Plural, p.Field.Label)
		}
	}
	return b.String()
}

// requiredWord says whether a field must be filled; at times is where a rule says when.
func requiredWord(t catalog.RecordType, f catalog.Field) string {
	if f.Required {
		return "yes"
	}
	for _, r := range t.Rules {
		if r.Field == f.Name {
			return "at times"
		}
	}
	return ""
}

// inCell writes a text so that it stays in its cell of a table.
func inCell(s string) string {
	return strings.NewReplacer("|", "\\|", "\n", " ").Replace(s)
}
