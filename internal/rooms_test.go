package internal_test

import (
	"os/exec"
	"strings"
	"testing"
)

// Imports go down the layers only: faces → work → staging → store → schema → core. A package may
// import those of layers below its own, and core packages only those listed.
var layers = []struct {
	path string
	may  []string
}{
	{"uchi/internal/core/fault", nil},
	{"uchi/internal/core/problem", []string{"core/fault"}},
	{"uchi/internal/core/catalog", []string{"core/fault"}},
	{"uchi/internal/core/value", []string{"core/catalog", "core/fault", "core/problem"}},
	{"uchi/internal/core/sheet", []string{"core/fault", "core/value"}},
	{"uchi/internal/core/textkind", nil},
	{"uchi/internal/core/textkind/learn", []string{"core/textkind"}},
	{"uchi/internal/core/view", []string{"core/catalog", "core/fault", "core/value"}},
	{"uchi/internal/core/expr", []string{"core/catalog", "core/fault", "core/problem"}},
	{"uchi/internal/core/mapping", []string{"core/"}},
	{"uchi/internal/core/matching", []string{"core/catalog", "core/value"}},
	{"uchi/internal/core/suggest", []string{"core/"}},
	{"uchi/internal/core/verdict", []string{"core/mapping"}},
	{"uchi/internal/core/life", []string{"core/fault"}},
	{"uchi/internal/pgcopy", nil},
	{"uchi/internal/schema", []string{"core/", "pgcopy"}},
	{"uchi/internal/store", []string{"core/", "schema", "pgcopy"}},
	{"uchi/internal/staging", []string{"core/", "pgcopy", "schema", "store"}},
	{"uchi/internal/work", []string{"core/", "staging", "store"}},
	{"uchi/internal/pg", []string{"core/fault"}},
	{"uchi/internal/api", []string{"core/", "staging", "store", "work", "api"}},
	{"uchi/internal/client", []string{"core/"}},
	{"uchi/internal/cli", []string{"core/", "staging", "store", "work", "api", "client", "pg", "web"}},
}

// What the core must not know.
var outside = []string{"database/sql", "net/http", "github.com/jackc", "github.com/jmoiron", "github.com/riverqueue", "github.com/go-chi", "github.com/spf13", "golang.org/x/term", "log/slog"}

func TestImportsPointOneWay(t *testing.T) {
	known := map[string][]string{}
	for _, l := range layers {
		known[l.path] = l.may
	}
	out, err := exec.Command("go", "list", "-f", `{{.ImportPath}} {{join .Imports " "}}`, "uchi/internal/...").Output()
	if err != nil {
		t.Fatal(err)
	}
	for line := range strings.Lines(string(out)) {
		pkg, imports, _ := strings.Cut(strings.TrimSpace(line), " ")
		may, listed := known[pkg]
		if strings.HasSuffix(pkg, "test") || pkg == "uchi/internal" {
			continue
		}
		if !listed {
			t.Errorf("%s has no place in the layers; give it one", pkg)
			continue
		}
		for imp := range strings.FieldsSeq(imports) {
			if strings.HasPrefix(pkg, "uchi/internal/core/") {
				for _, o := range outside {
					if strings.HasPrefix(imp, o) {
						t.Errorf("%s imports %s, which the core must not know", pkg, imp)
					}
				}
			}
			if own, ok := strings.CutPrefix(imp, "uchi/"); ok && !allowed(strings.TrimPrefix(own, "internal/"), may) {
				t.Errorf("%s may not import %s", pkg, imp)
			}
		}
	}
}

func allowed(imp string, may []string) bool {
	for _, m := range may {
		if imp == m || strings.HasSuffix(m, "/") && strings.HasPrefix(imp, m) {
			return true
		}
	}
	return false
}

// Names that say nothing about what belongs in a package.
func TestPackageNamesSaySomething(t *testing.T) {
	out, err := exec.Command("go", "list", "uchi/internal/...", "uchi/bench/...", "uchi/api/...").Output()
	if err != nil {
		t.Fatal(err)
	}
	for pkg := range strings.Lines(string(out)) {
		for part := range strings.SplitSeq(strings.TrimSpace(pkg), "/") {
			switch part {
			case "util", "utils", "common", "helpers", "models", "types", "misc", "shared":
				t.Errorf("package %s is called %s", strings.TrimSpace(pkg), part)
			}
		}
	}
}
