package view

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"uchi/internal/core/catalog"
	"uchi/internal/core/fault"
	"uchi/internal/core/value"

	"cel.dev/cel-go/cel"
	"cel.dev/cel-go/common/ast"
	"cel.dev/cel-go/common/operators"
	"cel.dev/cel-go/common/types"
)

// Node is a part of a filter that is true or not: All, Any, Not or Test.
type Node interface{ node() }

// All is true when all of its parts are.
type All []Node

// Any is true when one of its parts is.
type Any []Node

// Not is true when its part is not, also where a blank field makes it neither.
type Not struct{ Of Node }

// Test compares a field with values.
type Test struct {
	Path
	Op     Op
	Values []Value // one, or several with In
	Lower  bool    // the field's text is compared in small letters
}

func (All) node()  {}
func (Any) node()  {}
func (Not) node()  {}
func (Test) node() {}

// Op is how a field is compared.
type Op string

// The ways. Filled takes no value; Has is of lists, the others of texts.
const (
	Equal     Op = "=="
	Less      Op = "<"
	AtMost    Op = "<="
	More      Op = ">"
	AtLeast   Op = ">="
	In        Op = "in"
	Contains  Op = "contains"
	StartsAs  Op = "startsWith"
	EndsAs    Op = "endsWith"
	Has       Op = "has"
	Filled    Op = "filled"
	different Op = "!="
)

// Value is what a field is compared with, as a canonical text; of a date it may
// be a number of days from today.
type Value struct {
	Text  string
	Today bool // Text is a count of days from today
}

// celNames maps the operators of CEL to ours.
var celNames = map[string]Op{
	operators.Equals: Equal, operators.NotEquals: different, operators.Less: Less, operators.LessEquals: AtMost,
	operators.Greater: More, operators.GreaterEquals: AtLeast, operators.In: In,
	string(Contains): Contains, string(StartsAs): StartsAs, string(EndsAs): EndsAs,
}

// turned are the operators with their sides exchanged.
var turned = map[Op]Op{Equal: Equal, different: different, Less: More, AtMost: AtLeast, More: Less, AtLeast: AtMost}

// mostDeep bounds how deep a filter may be nested; mostLong its characters.
const (
	mostDeep = 40
	mostLong = 20_000
)

// Filter reads a filter over the records of a type; nil is all records. An error
// says the place in the text, what is wrong there and what would mend it.
func Filter(c catalog.Catalog, t catalog.RecordType, text string) (Node, error) {
	if strings.TrimSpace(text) == "" {
		return nil, nil
	}
	if len(text) > mostLong {
		return nil, fault.New(fault.TooLarge, "bad_filter", fmt.Sprintf("a filter has at most %d characters", mostLong)).
			At(fault.Place{Path: "filter"}).Mended("Choose by fewer values, or by another field.")
	}
	if !utf8.ValidString(text) || strings.ContainsRune(text, 0) {
		return nil, fault.New(fault.Invalid, "bad_filter", "the filter holds bytes that are no text").
			At(fault.Place{Path: "filter"}).Mended("Write it in UTF-8.")
	}
	env, err := cel.NewEnv(cel.ClearMacros())
	if err != nil {
		return nil, fmt.Errorf("read filter: %w", err)
	}
	parsed, issues := env.Parse(text)
	if issues.Err() != nil {
		e := issues.Errors()[0]
		return nil, wrong(text, fmt.Sprintf("the filter cannot be read: %s", e.Message)).
			At(fault.Place{Path: fmt.Sprintf("filter, character %d",
				e.Location.Column()+1)}).Mended(`Write it such as country == "NO" && amount > 1000.`)
	}
	r := reader{c: c, t: t, text: text, info: parsed.NativeRep().SourceInfo()}
	return r.condition(parsed.NativeRep().Expr(), 0)
}

func wrong(text, message string) *fault.Error {
	return fault.New(fault.Invalid, "bad_filter", message).With(text)
}

type reader struct {
	c    catalog.Catalog
	t    catalog.RecordType
	text string
	info *ast.SourceInfo
}

// fail says what is wrong at a part of the filter.
func (r reader) fail(e ast.Expr, message, mend string) error {
	at := r.info.GetStartLocation(e.ID()).Column() + 1
	return wrong(r.text, message).At(fault.Place{Path: fmt.Sprintf("filter, character %d", at)}).Mended(mend)
}

// condition reads a part that is true or not.
func (r reader) condition(e ast.Expr, deep int) (Node, error) {
	if deep > mostDeep {
		return nil, r.fail(e, "the filter is nested too deep", "Make it flatter.")
	}
	switch e.Kind() {
	case ast.CallKind:
		return r.call(e, deep)
	case ast.IdentKind, ast.SelectKind:
		p, err := r.path(e)
		if err != nil {
			return nil, err
		}
		if p.Field.Type != catalog.YesNo {
			return nil, r.fail(e, p.Name+" is not true or false by itself", "Compare it with a value, or write filled("+
				p.Name+").")
		}
		return Test{Path: p, Op: Equal, Values: []Value{{Text: "true"}}}, nil
	case ast.LiteralKind:
		if yes, ok := e.AsLiteral().Value().(bool); ok {
			if yes {
				return All{}, nil
			}
			return Any{}, nil
		}
	}
	return nil, r.fail(e, "this is no condition", `Write it such as country == "NO".`)
}

func (r reader) call(e ast.Expr, deep int) (Node, error) {
	call := e.AsCall()
	args := call.Args()
	parts := func() ([]Node, error) {
		list := make([]Node, 0, len(args))
		for _, a := range args {
			n, err := r.condition(a, deep+1)
			if err != nil {
				return nil, err
			}
			list = append(list, n)
		}
		return list, nil
	}
	switch name := call.FunctionName(); name {
	case operators.LogicalAnd:
		list, err := parts()
		return All(flat(list, func(n Node) ([]Node, bool) { a, ok := n.(All); return a, ok && len(a) > 0 })), err
	case operators.LogicalOr:
		list, err := parts()
		return Any(flat(list, func(n Node) ([]Node, bool) { a, ok := n.(Any); return a, ok && len(a) > 0 })), err
	case operators.LogicalNot:
		list, err := parts()
		if err != nil {
			return nil, err
		}
		return Not{list[0]}, nil
	case string(Filled):
		if len(args) != 1 || call.IsMemberFunction() {
			return nil, r.fail(e, "filled takes one field", "Write filled(email).")
		}
		p, err := r.path(args[0])
		return Test{Path: p, Op: Filled}, err
	default:
		op, known := celNames[name]
		if !known {
			return nil, r.fail(e, "the filter knows no "+strings.Trim(name, "_@")+" here",
				"There are == != < <= > >= in && || !, contains, startsWith, endsWith, .lower(), filled() and today().")
		}
		if call.IsMemberFunction() {
			args = append([]ast.Expr{call.Target()}, args...)
		}
		if len(args) != 2 {
			return nil, r.fail(e, name+" compares a field with one value", `Write it such as name.`+name+`("nord").`)
		}
		return r.compare(e, op, args[0], args[1])
	}
}

// flat takes the parts of parts of the same kind up.
func flat(list []Node, inner func(Node) ([]Node, bool)) (out []Node) {
	for _, n := range list {
		if in, ok := inner(n); ok {
			out = append(out, in...)
		} else {
			out = append(out, n)
		}
	}
	return out
}

// compare reads a comparison of a field with a value.
func (r reader) compare(e ast.Expr, op Op, left, right ast.Expr) (Node, error) {
	if op == In && right.Kind() != ast.ListKind { // "fair" in interests
		p, err := r.path(right)
		if err != nil {
			return nil, err
		}
		if p.Field.Kind().Form != catalog.ListForm {
			return nil, r.fail(right, p.Name+" is not a list", `Write `+p.Name+` == "…", or `+p.Name+` in ["…"].`)
		}
		v, err := r.value(left, p)
		return Test{Path: p, Op: Has, Values: []Value{v}}, err
	}
	if !isField(left) && isField(right) {
		back, ok := turned[op]
		if !ok {
			return nil, r.fail(e, "the field goes first here", `Write it such as name.contains("nord"), or country in ["NO"].`)
		}
		left, right, op = right, left, back
	}
	if isField(right) {
		return nil, r.fail(right, "a field is compared with a value, not with another field", `Texts stand in quotes: "…".`)
	}
	t := Test{Op: op}
	if lowered(left) {
		t.Lower, left = true, left.AsCall().Target()
	}
	var err error
	if t.Path, err = r.path(left); err != nil {
		return nil, err
	}
	form := t.Field.Kind().Form
	texts := op == Contains || op == StartsAs || op == EndsAs
	switch {
	case form == catalog.ListForm:
		return nil, r.fail(e, t.Name+" is a list", `Write "…" in `+t.Name+`, or filled(`+t.Name+`).`)
	case (texts || t.Lower) && form != catalog.TextForm:
		return nil, r.fail(e, t.Name+" is not a text", "Compare it with == < <= > >= or in.")
	case (form == catalog.YesNoForm || form == catalog.LinkForm) && slices.Contains([]Op{Less, AtMost, More, AtLeast}, op):
		return nil, r.fail(e, t.Name+" has no order", "Compare it with == or !=.")
	}
	list := []ast.Expr{right}
	if op == In {
		list = right.AsList().Elements()
	}
	for _, x := range list {
		v, err := r.value(x, t.Path)
		if err != nil {
			return nil, err
		}
		t.Values = append(t.Values, v)
	}
	return settle(t), nil
}

// settle writes comparisons with a blank, and what differs, by the ways there are.
func settle(t Test) Node {
	blank := len(t.Values) == 1 && t.Values[0] == Value{}
	switch {
	case blank && t.Op == Equal:
		return Not{Test{Path: t.Path, Op: Filled}}
	case blank && t.Op == different:
		return Test{Path: t.Path, Op: Filled}
	case t.Op == different:
		t.Op = Equal
		return Not{t}
	}
	return t
}

// lowered tells whether it is a field in small letters: name.lower().
func lowered(e ast.Expr) bool {
	return e.Kind() == ast.CallKind && e.AsCall().FunctionName() == "lower" && e.AsCall().IsMemberFunction() &&
		len(e.AsCall().Args()) == 0
}

func isField(e ast.Expr) bool {
	return lowered(e) || e.Kind() == ast.IdentKind || e.Kind() == ast.SelectKind
}

func (r reader) path(e ast.Expr) (Path, error) {
	name, ok := dotted(e)
	if !ok {
		return Path{}, r.fail(e, "a field is wanted here", `Write it such as country == "NO".`)
	}
	p, err := Find(r.c, r.t, name)
	if f, is := fault.From(err); is {
		at := r.info.GetStartLocation(e.ID()).Column() + 1
		return p, f.At(fault.Place{Path: fmt.Sprintf("filter, character %d", at)})
	}
	return p, err
}

func dotted(e ast.Expr) (string, bool) {
	switch e.Kind() {
	case ast.IdentKind:
		return e.AsIdent(), true
	case ast.SelectKind:
		before, ok := dotted(e.AsSelect().Operand())
		return before + "." + e.AsSelect().FieldName(), ok
	}
	return "", false
}

// mostDays is how far from today a filter may look: a thousand years, within which every day is one for the database.
const mostDays = 365_000

// value reads what a field is compared with, and sees that it can be.
func (r reader) value(e ast.Expr, p Path) (Value, error) {
	form := p.Field.Kind().Form
	if e.Kind() == ast.CallKind && e.AsCall().FunctionName() == "today" {
		if form != catalog.DateForm && form != catalog.MomentForm {
			return Value{}, r.fail(e, p.Name+" is not a date", "Compare it with a value of its kind.")
		}
		days := "0"
		if args := e.AsCall().Args(); len(args) == 1 {
			text, ok := literal(args[0])
			n, err := strconv.Atoi(text)
			if err != nil || !ok {
				return Value{}, r.fail(e, "today takes a whole number of days", "Write today(-30).")
			}
			if max(n, -n) > mostDays {
				return Value{}, r.fail(e, fmt.Sprintf("today takes up to %d days", mostDays), "Compare with a day, such as \"1990-01-01\".")
			}
			days = text
		}
		return Value{Text: days, Today: true}, nil
	}
	text, ok := literal(e)
	if !ok {
		return Value{}, r.fail(e, "a value is wanted here", `Texts stand in quotes, such as "NO"; numbers do not.`)
	}
	if p.Field.Type == catalog.Reference && text != "" {
		to, err := r.c.MustType(p.Field.To)
		if err != nil {
			return Value{}, err
		}
		id, err := to.ParseRecordID(text)
		if err != nil {
			return Value{}, r.fail(e, fmt.Sprintf("%s cannot be compared with %q", p.Name, text),
				fmt.Sprintf("Write an id such as %q, or compare a field behind a dot.", to.RecordID(1042)))
		}
		return Value{Text: strconv.FormatInt(id, 10)}, nil
	}
	v, mend := canonical(p, e, text)
	if mend != "" {
		return Value{}, r.fail(e, fmt.Sprintf("%s cannot be compared with %q", p.Name, text), mend)
	}
	return Value{Text: v}, nil
}

// literal gives a constant as a text.
func literal(e ast.Expr) (string, bool) {
	if e.Kind() == ast.CallKind && e.AsCall().FunctionName() == operators.Negate {
		text, ok := literal(e.AsCall().Args()[0])
		return "-" + text, ok
	}
	if e.Kind() != ast.LiteralKind {
		return "", false
	}
	switch v := e.AsLiteral().(type) {
	case types.String:
		return string(v), !strings.ContainsRune(string(v), 0)
	case types.Int:
		return strconv.FormatInt(int64(v), 10), true
	case types.Uint:
		return strconv.FormatUint(uint64(v), 10), true
	case types.Double:
		return strconv.FormatFloat(float64(v), 'f', -1, 64), true
	case types.Bool:
		return strconv.FormatBool(bool(v)), true
	}
	return "", false
}

// canonical gives a value as the store keeps it; mend says what would be right
// when it cannot be one. A text of nothing is a blank, for fields of any type.
func canonical(p Path, e ast.Expr, text string) (v, mend string) {
	quoted := e.Kind() == ast.LiteralKind && e.AsLiteral().Type() == types.StringType
	if quoted && text == "" {
		return "", ""
	}
	form := p.Field.Kind().Form
	switch form {
	case catalog.WholeForm, catalog.NumberForm, catalog.AmountForm:
		if _, err := strconv.ParseFloat(text, 64); err != nil || quoted {
			return "", "It is a number: write it without quotes, such as 1000."
		}
		return text, ""
	case catalog.YesNoForm:
		if text != "true" && text != "false" || quoted {
			return "", "Write true or false."
		}
		return text, ""
	}
	if !quoted {
		return "", `Write it in quotes: "` + text + `".`
	}
	switch form {
	case catalog.DateForm, catalog.MomentForm:
		for _, layout := range []string{time.DateOnly, time.RFC3339, "2006-01-02T15:04"} {
			if _, err := time.Parse(layout, text); err == nil && (layout == time.DateOnly || form == catalog.MomentForm) {
				return text, ""
			}
		}
		return "", `Write the day as "2026-03-31".`
	}
	return choice(p.Field, text)
}

// choice sees that a field of choices is compared with one of its codes.
func choice(f catalog.Field, text string) (v, mend string) {
	codes := f.Choices
	if f.Type == catalog.Country {
		for _, n := range value.Countries() {
			codes = append(codes, catalog.Choice{Code: n.Code, Label: n.Label})
		}
	}
	if len(codes) == 0 {
		return text, ""
	}
	for _, ch := range codes {
		if ch.Code == text {
			return text, ""
		}
	}
	for _, ch := range codes {
		if strings.EqualFold(ch.Code, text) || strings.EqualFold(ch.Label, text) {
			return "", fmt.Sprintf("Write its code: %q.", ch.Code)
		}
	}
	if f.Type == catalog.Country {
		return "", `Write the code of a country, such as "NO".`
	}
	var list []string
	for _, ch := range codes {
		list = append(list, ch.Code)
	}
	return "", "Its choices are " + strings.Join(list[:min(len(list), 12)], ", ") + "."
}
