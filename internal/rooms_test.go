package internal_test

import (
	"go/parser"
	"go/token"
	"io/fs"
	"path"
	"path/filepath"
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
	{"uchi/internal/core/rights", nil},
	{"uchi/internal/core/problem", []string{"core/fault"}},
	{"uchi/internal/core/catalog", []string{"core/fault", "core/rights"}},
	{"uchi/internal/core/value", []string{"core/catalog", "core/fault", "core/problem"}},
	{"uchi/internal/core/sheet", []string{"core/fault", "core/value"}},
	{"uchi/internal/core/textkind", nil},
	{"uchi/internal/core/textkind/learn", []string{"core/textkind"}},
	{"uchi/internal/core/view", []string{"core/catalog", "core/fault", "core/value"}},
	{"uchi/internal/core/expr", []string{"core/catalog", "core/fault", "core/problem"}},
	{"uchi/internal/core/mapping", []string{"core/"}},
	{"uchi/internal/core/matching", []string{"core/catalog", "core/textkind", "core/value"}},
	{"uchi/internal/core/suggest", []string{"core/"}},
	{"uchi/internal/core/suggest/sheets", []string{"core/sheet"}},
	{"uchi/internal/core/suggest/learn", []string{"core/"}},
	{"uchi/internal/core/bundle", []string{"core/catalog", "core/mapping"}},
	{"uchi/internal/core/verdict", []string{"core/mapping"}},
	{"uchi/internal/core/life", []string{"core/fault"}},
	{"uchi/internal/core/feed", []string{"core/fault", "core/verdict"}},
	{"uchi/internal/core/approval", []string{"core/fault"}},
	{"uchi/internal/core/secret", []string{"core/fault"}},
	{"uchi/internal/places", []string{"core/"}},
	{"uchi/internal/standin", nil},
	{"uchi/internal/mail", []string{"core/fault"}},
	{"uchi/internal/pgcopy", []string{"core/fault"}},
	{"uchi/internal/schema", []string{"core/", "pgcopy"}},
	{"uchi/internal/store", []string{"core/", "schema", "pgcopy"}},
	{"uchi/internal/staging", []string{"core/", "pgcopy", "schema", "store"}},
	{"uchi/internal/work", []string{"core/", "mail", "places", "staging", "store"}},
	{"uchi/internal/pg", []string{"core/fault"}},
	{"uchi/internal/api", []string{"core/", "staging", "store", "work", "api"}},
	{"uchi/internal/client", []string{"core/"}},
	{"uchi/internal/cli", []string{"core/", "places", "staging", "store", "work", "api", "client", "mail", "pg",
		"standin", "web"}},
}

// What the core must not know.
var outside = []string{"database/sql", "net/http", "github.com/jackc", "github.com/jmoiron", "github.com/riverqueue",
	"github.com/go-chi", "github.com/spf13", "golang.org/x/term", "log/slog"}

func TestImportsPointOneWay(t *testing.T) {
	known := map[string][]string{}
	for _, l := range layers {
		known[l.path] = l.may
	}
	for pkg, imports := range importsOf(t, ".") {
		pkg = path.Join("uchi/internal", pkg)
		may, listed := known[pkg]
		if strings.HasSuffix(pkg, "test") || pkg == "uchi/internal" {
			continue
		}
		if !listed {
			t.Errorf("%s has no place in the layers; give it one", pkg)
			continue
		}
		for imp := range imports {
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

// importsOf reads what the packages below a folder import, tests aside. The files are
// read here and not asked of another program, so that a kept result of this test is made
// again when one of them changes.
func importsOf(t *testing.T, dir string) map[string]map[string]bool {
	t.Helper()
	packages := map[string]map[string]bool{}
	err := filepath.WalkDir(dir, func(file string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(file, ".go") || strings.HasSuffix(file, "_test.go") {
			return err
		}
		parsed, err := parser.ParseFile(token.NewFileSet(), file, nil, parser.ImportsOnly)
		if err != nil {
			return err
		}
		pkg := filepath.ToSlash(filepath.Dir(file))
		if packages[pkg] == nil {
			packages[pkg] = map[string]bool{}
		}
		for _, spec := range parsed.Imports {
			packages[pkg][strings.Trim(spec.Path.Value, `"`)] = true
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	return packages
}

// Names that say nothing about what belongs in a package.
func TestPackageNamesSaySomething(t *testing.T) {
	for _, dir := range []string{"../internal", "../bench", "../api", "../cmd"} {
		for pkg := range importsOf(t, dir) {
			for part := range strings.SplitSeq(pkg, "/") {
				switch part {
				case "util", "utils", "common", "helpers", "models", "types", "misc", "shared":
					t.Errorf("package %s is called %s", pkg, part)
				}
			}
		}
	}
}
