// Package expr compiles and evaluates conditions over records in the Common
// Expression Language (CEL, github.com/google/cel-spec). A field is a variable
// of its name: numbers are doubles (0 when blank), yes/no is a boolean (no when
// blank), everything else is a string. It knows no database and no face.
package expr

import (
	"fmt"
	"strconv"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/problem"

	"cel.dev/cel-go/cel"
)

// costLimit bounds the work of one evaluation, in CEL's own units.
const costLimit = 100_000

// Rules judges records by the rules of their type.
type Rules struct {
	fields   []catalog.Field
	programs []program
}

type program struct {
	rule catalog.RecordRule
	run  cel.Program
}

// celTypes are the kinds of value that conditions see, by the form of the field;
// those of other forms are texts.
var celTypes = map[catalog.Form]*cel.Type{
	catalog.WholeForm:  cel.DoubleType,
	catalog.NumberForm: cel.DoubleType,
	catalog.AmountForm: cel.DoubleType,
	catalog.YesNoForm:  cel.BoolType,
}

func celType(f catalog.Field) *cel.Type {
	if t, ok := celTypes[f.Kind().Form]; ok {
		return t
	}
	return cel.StringType
}

// CompileRules makes the rules of a record type ready.
func CompileRules(t catalog.RecordType) (*Rules, error) {
	var vars []cel.EnvOption
	for _, f := range t.Fields {
		vars = append(vars, cel.Variable(f.Name, celType(f)))
	}
	env, err := cel.NewEnv(vars...)
	if err != nil {
		return nil, fmt.Errorf("record rules of %s: %w", t.Name, err)
	}
	r := &Rules{fields: t.Fields}
	for _, rule := range t.Rules {
		ast, issues := env.Compile(rule.Condition)
		if issues.Err() != nil || ast.OutputType() != cel.BoolType {
			return nil, fault.New(fault.Invalid, "bad_condition", "a record rule is not a condition that can be judged").
				At(fault.Place{Path: t.Name + ".rules." + rule.Name}).With(rule.Condition).Mended(fmt.Sprint(issues.Err()))
		}
		run, err := env.Program(ast, cel.CostLimit(costLimit))
		if err != nil {
			return nil, fmt.Errorf("record rule %s: %w", rule.Name, err)
		}
		r.programs = append(r.programs, program{rule, run})
	}
	return r, nil
}

// Judge gives the rules that a record with these values (canonical texts by
// field name) breaks.
func (r *Rules) Judge(values map[string]string) []problem.Problem {
	vars := make(map[string]any, len(r.fields))
	for _, f := range r.fields {
		vars[f.Name] = celValue(f, values[f.Name])
	}
	var broken []problem.Problem
	for _, p := range r.programs {
		out, _, err := p.run.Eval(vars)
		if err != nil {
			broken = append(broken, problem.Problem{Code: problem.ComputeFailed, Field: p.rule.Field, Detail: err.Error()})
			continue
		}
		if ok, _ := out.Value().(bool); !ok {
			broken = append(broken, problem.Problem{Code: problem.RuleBroken, Field: p.rule.Field,
				Value: values[p.rule.Field], Detail: p.rule.Message})
		}
	}
	return broken
}

func celValue(f catalog.Field, v string) any {
	switch celType(f) {
	case cel.DoubleType:
		n, _ := strconv.ParseFloat(v, 64)
		return n
	case cel.BoolType:
		return v == "true"
	}
	return v
}
