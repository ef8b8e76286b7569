package cli

import (
	"fmt"
	"os"
	"strconv"
	"strings"

	"uchi/internal/core/fault"
	"uchi/internal/core/verdict"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
	"golang.org/x/term"
)

// Colours, as parameters of the SGR sequence (ECMA-48).
const (
	red   = "31"
	blue  = "34"
	green = "32"
	amber = "33"
	faint = "2"
	bold  = "1"
)

// paint colours text on a terminal, unless NO_COLOR is set.
func (a *app) paint(colour, s string) string {
	if !a.terminal || os.Getenv("NO_COLOR") != "" {
		return s
	}
	return "\x1b[" + colour + "m" + s + "\x1b[0m"
}

var wordColours = map[string]string{"create": green, "created": green, "update": blue, "updated": blue, "ask": amber,
	"hold": red, "held": red, "failed": red, "delete": red, "deleted": red, "undone": amber,
	"same": faint, "unchanged": faint, "skip": faint, "skipped": faint}

// word shows a verdict or outcome with its shape and colour.
func (a *app) word(w string) string {
	if w == "" {
		return ""
	}
	return a.paint(wordColours[w], verdict.Mark(w)+" "+w)
}

// width is how wide the terminal is; wide enough for anything when it is none.
func (a *app) width() int {
	if w, _, err := term.GetSize(int(os.Stdout.Fd())); a.terminal && err == nil {
		return w
	}
	return 160
}

// rules of the tables: a line under the header, nothing else.
func (a *app) table(header ...any) table.Writer {
	t := table.NewWriter()
	t.SetOutputMirror(a.out)
	style := table.Style{Name: "uchi", Box: table.StyleBoxLight, Options: table.Options{SeparateHeader: true}}
	style.Box.PaddingLeft, style.Box.PaddingRight = "", "  "
	style.Format.Header = text.FormatDefault
	t.SetStyle(style)
	t.Style().Size.WidthMax = a.width()
	row := table.Row{}
	var columns []table.ColumnConfig
	for i, h := range header {
		row = append(row, a.paint(bold, fmt.Sprint(h)))
		switch h {
		case "Rows", "Likeness", "Others", "Filled", "Blank", "Different", "Row", "No.", "Fields",
			"create", "update", "delete", "same", "skip", "ask", "hold": // how many rows have the verdict
			columns = append(columns, table.ColumnConfig{Number: i + 1, Align: text.AlignRight, AlignHeader: text.AlignRight})
		case "What", "What happens": // what is wrong and what would mend it is never cut off
			columns = append(columns, table.ColumnConfig{Number: i + 1, WidthMax: a.room(), WidthMaxEnforcer: text.WrapSoft})
		}
	}
	t.SetColumnConfigs(columns)
	t.AppendHeader(row)
	return t
}

// room is how wide the last column of a table of rows may be.
func (a *app) room() int { return max(30, a.width()-58) }

// oneLine makes a value fit a cell of a table.
func oneLine(s string, n int) string {
	return fault.Cut(strings.Join(strings.Fields(s), " "), n)
}

// number groups the digits of a count by thousands, with a thin gap.
func number(n int64) string {
	s := strconv.FormatInt(n, 10)
	for i := len(s) - 3; i > 0; i -= 3 {
		s = s[:i] + " " + s[i:]
	}
	return s
}

func plural(n int64, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return number(n) + " " + many
}

// size writes how large a file is.
func size(bytes int64) string { return number((bytes+1023)>>10) + " KiB" }
