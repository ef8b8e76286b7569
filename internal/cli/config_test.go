package cli

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"uchi/internal/core/fault"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
)

// started is the command of the service with arguments, not run.
func started(t *testing.T, list ...string) *cobra.Command {
	t.Helper()
	cmd := (&app{}).serveCmd()
	if err := cmd.ParseFlags(list); err != nil {
		t.Fatal(err)
	}
	return cmd
}

func configFile(t *testing.T, text string) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), "uchi.yaml")
	if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
	return path
}

// A flag goes before a variable of the environment, and that before the file; what is
// repeatable is a list in it, what is NAME=VALUE a mapping.
func TestConfigured(t *testing.T) {
	path := configFile(t, `
listen: 0.0.0.0:1
process: from the file
workers: 5
behind-tls: true
feed-folder: [/srv/a, /srv/b]
oidc-roles:
  crm-admins: administrator
  sales: operator
`)
	t.Setenv("UCHI_PROCESS", "from the environment")
	t.Setenv("UCHI_WORKERS", "4")
	cmd := started(t, "--config", path, "--workers", "3")
	if err := configured(cmd); err != nil {
		t.Fatal(err)
	}
	for name, want := range map[string]string{
		"listen": "0.0.0.0:1", "process": "from the environment", "workers": "3", "behind-tls": "true",
		"feed-folder": "[/srv/a,/srv/b]",
		"oidc-roles":  "[crm-admins=administrator,sales=operator]", "max-source": "4096",
	} {
		got := cmd.Flags().Lookup(name).Value.String()
		if name == "oidc-roles" { // in any order
			parts := strings.Split(strings.Trim(got, "[]"), ",")
			slices.Sort(parts)
			got = "[" + strings.Join(parts, ",") + "]"
		}
		if got != want {
			t.Errorf("%s is %q, want %q", name, got, want)
		}
	}
}

func TestBadConfiguration(t *testing.T) {
	for text, want := range map[string]string{
		"listen: 0.0.0.0:1\nport: 8844\n": "unknown_setting 2", "workers: many\n": "bad_setting 1",
		"- listen\n": "bad_settings 0", "config: other.yaml\n": "unknown_setting 1",
	} {
		err := configured(started(t, "--config", configFile(t, text)))
		f, ok := fault.From(err)
		if !ok || fmt.Sprint(f.Code, " ", f.Place.Row) != want {
			t.Errorf("%q: %v, want %s", text, err, want)
		}
	}
	if err := configured(started(t, "--config", "/nowhere/uchi.yaml")); !fault.Is(err, "no_settings") {
		t.Errorf("no file: %v", err)
	}
	t.Setenv("UCHI_MAX_CELL", "large")
	if err := configured(started(t)); !fault.Is(err, "bad_setting") {
		t.Errorf("a bad variable: %v", err)
	}
}

// The guide of operation names everything that can be set, and nothing else; the example
// in the repository can be read.
func TestEverySettingIsTold(t *testing.T) {
	text, err := os.ReadFile("../../docs/operation.md")
	if err != nil {
		t.Fatal(err)
	}
	_, table, _ := strings.Cut(string(text), "## What can be set")
	table, _, _ = strings.Cut(table, "\n## ")
	cmd := started(t, "--config", "../../deploy/uchi.yaml")
	cmd.LocalNonPersistentFlags().VisitAll(func(f *pflag.Flag) {
		if f.Name != "help" && !strings.Contains(table, "`--"+f.Name+"`") {
			t.Errorf("--%s is not in the table of settings", f.Name)
		}
	})
	for _, part := range strings.Split(table, "`--")[1:] {
		name, _, _ := strings.Cut(part, "`")
		if cmd.Flags().Lookup(name) == nil {
			t.Errorf("the table of settings names --%s, which is not there", name)
		}
	}
	if err := configured(cmd); err != nil {
		t.Errorf("the example: %v", err)
	}
}
