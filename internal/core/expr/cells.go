package expr

import (
	"fmt"
	"slices"
	"strings"
	"sync"
	"unicode"

	"uchi/internal/core/fault"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"
	"cel.dev/cel-go/common/types"
	"cel.dev/cel-go/common/types/ref"
	"cel.dev/cel-go/ext"
)

// Names under which an expression over a row finds what it needs.
const (
	cellsName  = "cells"  // cells["Header"], the text of a cell
	fieldsName = "fields" // fields["name"], a field's value settled before
)

// Row is what an expression over a row sees.
type Row struct {
	Cells  map[string]string
	Fields map[string]string
}

// Program is an expression over a row, ready to be evaluated many times.
type Program struct{ run cel.Program }

func textFunction(name string, f func(string) string) cel.EnvOption {
	return cel.Function(name, cel.MemberOverload(name+"_text", []*cel.Type{cel.StringType}, cel.StringType,
		cel.UnaryBinding(func(v ref.Val) ref.Val {
			s, ok := v.Value().(string)
			if !ok {
				return types.MaybeNoSuchOverloadErr(v)
			}
			return types.String(f(s))
		})))
}

// TitleCase writes every word with one capital: "VAN DER kade" → "Van Der Kade".
func TitleCase(s string) string {
	first := true
	return strings.Map(func(r rune) rune {
		if !unicode.IsLetter(r) && r != '\'' {
			first = true
			return r
		}
		if first {
			first = false
			return unicode.ToTitle(r)
		}
		return unicode.ToLower(r)
	}, s)
}

// Digits keeps the digits of a text.
func Digits(s string) string {
	return strings.Map(func(r rune) rune {
		if r >= '0' && r <= '9' {
			return r
		}
		return -1
	}, s)
}

// datePart gives a part of a date (YYYY-MM-DD, alone or before a time) without
// leading zeros; other texts have none.
func datePart(from, to int) func(string) string {
	return func(s string) string {
		if len(s) < 10 || s[4] != '-' || s[7] != '-' || Digits(s[:4]+s[5:7]+s[8:10]) != s[:4]+s[5:7]+s[8:10] {
			return ""
		}
		return strings.TrimLeft(s[from:to], "0")
	}
}

// cellEnv gives what expressions are read in, which is made once.
var cellEnv = sync.OnceValues(func() (*cel.Env, error) {
	texts := cel.MapType(cel.StringType, cel.StringType)
	return cel.NewEnv(cel.Variable(cellsName, texts), cel.Variable(fieldsName, texts), ext.Strings(),
		textFunction("title", TitleCase), textFunction("digits", Digits), textFunction("upper", strings.ToUpper),
		textFunction("lower", strings.ToLower),
		textFunction("year", datePart(0, 4)), textFunction("month", datePart(5, 7)), textFunction("day", datePart(8, 10)))
})

// CompileText makes an expression ready that gives a text; headers are the
// columns that it may name.
func CompileText(source string, headers []string) (*Program, error) {
	return compile(source, headers, cel.StringType, "a text")
}

// CompileCondition makes an expression ready that says yes or no.
func CompileCondition(source string, headers []string) (*Program, error) {
	return compile(source, headers, cel.BoolType, "yes or no")
}

// whatIsWrong says where an expression is wrong, and how.
func whatIsWrong(issues *cel.Issues) string {
	var parts []string
	for _, e := range issues.Errors() {
		at := fmt.Sprintf("at character %d", e.Location.Column()+1)
		if e.Location.Line() > 1 {
			at = fmt.Sprintf("in line %d at character %d", e.Location.Line(), e.Location.Column()+1)
		}
		parts = append(parts, at+": "+strings.TrimSuffix(strings.ReplaceAll(e.Message, "\n", " "), " (in container '')"))
	}
	return strings.Join(parts, "; ")
}

func compile(source string, headers []string, want *cel.Type, words string) (*Program, error) {
	bad := func(why string) error {
		return fault.New(fault.Invalid, "bad_expression", "the expression cannot be used: "+why).With(source).
			Mended(`Write it in CEL, such as cells["First"] + " " + cells["Last"].title(), or fields["stage"] == "lost" ? "other" : "" for what ` +
				`a field says that comes before.`)
	}
	env, err := cellEnv()
	if err != nil {
		return nil, fmt.Errorf("prepare expressions: %w", err)
	}
	tree, issues := env.Compile(source)
	if issues.Err() != nil {
		return nil, bad(whatIsWrong(issues))
	}
	if !tree.OutputType().IsExactType(want) {
		return nil, bad("it gives " + tree.OutputType().String() + ", and " + words + " is needed")
	}
	if name, known := unknownCell(tree, headers); !known {
		return nil, bad("the source has no column " + name)
	}
	run, err := env.Program(tree, cel.CostLimit(costLimit))
	if err != nil {
		return nil, bad(err.Error())
	}
	return &Program{run}, nil
}

// Headers lists the columns whose cells an expression names, in the order in which it does; none for one that
// cannot be used.
func Headers(source string) []string {
	env, err := cellEnv()
	if err != nil {
		return nil
	}
	tree, issues := env.Parse(source)
	if issues.Err() != nil {
		return nil
	}
	return headersIn(tree)
}

// unknownCell looks for a cell by a header that the source does not have.
func unknownCell(tree *cel.Ast, headers []string) (name string, known bool) {
	for _, name := range headersIn(tree) {
		if !slices.Contains(headers, name) {
			return name, false
		}
	}
	return "", true
}

// headersIn lists the columns whose cells an expression names.
func headersIn(tree *cel.Ast) (names []string) {
	ast.PostOrderVisit(tree.NativeRep().Expr(), ast.NewExprVisitor(func(e ast.Expr) {
		if e.Kind() != ast.CallKind || e.AsCall().FunctionName() != operators.Index {
			return
		}
		a := e.AsCall().Args()
		if a[0].Kind() != ast.IdentKind || a[0].AsIdent() != cellsName || a[1].Kind() != ast.LiteralKind {
			return
		}
		if name, ok := a[1].AsLiteral().Value().(string); ok && !slices.Contains(names, name) {
			names = append(names, name)
		}
	}))
	return names
}

func (p *Program) eval(r Row) (any, error) {
	out, _, err := p.run.Eval(map[string]any{cellsName: r.Cells, fieldsName: r.Fields})
	if err != nil {
		return nil, err
	}
	return out.Value(), nil
}

// Text evaluates an expression that gives a text.
func (p *Program) Text(r Row) (string, error) {
	v, err := p.eval(r)
	if err != nil {
		return "", err
	}
	s, _ := v.(string)
	return s, nil
}

// Holds evaluates a condition.
func (p *Program) Holds(r Row) (bool, error) {
	v, err := p.eval(r)
	if err != nil {
		return false, err
	}
	b, _ := v.(bool)
	return b, nil
}
