package cli

import (
	"errors"
	"fmt"
	"maps"
	"os"
	"slices"
	"strings"

	"uchi/internal/core/fault"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
	"gopkg.in/yaml.v3"
)

// configFlag names the file that may say what no flag and no variable says.
const configFlag = "config"

// variableOf is the variable of the environment that says what a flag says.
func variableOf(flag string) string {
	return "UCHI_" + strings.ToUpper(strings.ReplaceAll(flag, "-", "_"))
}

// configured sets the command's own flags that were not given: from their variables of
// the environment, else from the file that --config names. The file is YAML, with the
// names of the flags without dashes before them; a list for what is repeatable, a
// mapping for what is written NAME=VALUE.
func configured(cmd *cobra.Command) error {
	own := cmd.LocalNonPersistentFlags()
	path := os.Getenv(variableOf(configFlag))
	if f := own.Lookup(configFlag); f.Changed {
		path = f.Value.String()
	}
	said, err := readConfig(path)
	if err != nil {
		return err
	}
	for _, name := range slices.Sorted(maps.Keys(said)) {
		if f := own.Lookup(name); f == nil || name == configFlag || name == "help" {
			return fault.New(fault.Invalid, "unknown_setting", "there is no such setting").At(fault.Place{File: path,
				Row: int64(said[name].Line)}).With(name).
				Mended("Settings have the names of the flags: see uchi serve --help.")
		}
	}
	var wrong error
	own.VisitAll(func(f *pflag.Flag) {
		if f.Changed || f.Name == "help" || f.Name == configFlag || wrong != nil {
			return
		}
		variable := variableOf(f.Name)
		text, there := os.LookupEnv(variable)
		node, written := said[f.Name]
		switch {
		case there:
			if err := own.Set(f.Name, text); err != nil {
				wrong = badSetting(err, fault.Place{Path: variable}, text)
			}
		case written:
			for _, text := range settingOf(node) {
				if err := own.Set(f.Name, text); err != nil && wrong == nil {
					wrong = badSetting(err, fault.Place{File: path, Row: int64(node.Line), Path: f.Name}, text)
				}
			}
		}
	})
	return wrong
}

func badSetting(err error, at fault.Place, text string) error {
	return fault.New(fault.Invalid, "bad_setting",
		err.Error()).At(at).With(text).Mended("See uchi serve --help for what it may be.")
}

// readConfig reads a file of settings; no path is no setting.
func readConfig(path string) (map[string]yaml.Node, error) {
	if path == "" {
		return nil, nil
	}
	text, err := os.ReadFile(path)
	if err != nil {
		return nil, fault.New(fault.Invalid, "no_settings", "the file of settings cannot be read: "+
			errors.Unwrap(err).Error()).With(path).Mended("Name another with --config.")
	}
	var said map[string]yaml.Node
	if err := yaml.Unmarshal(text, &said); err != nil {
		return nil, fault.New(fault.Invalid, "bad_settings", "the file of settings is no YAML mapping: "+
			err.Error()).At(fault.Place{File: path}).
			Mended("Write a line for each setting, such as listen: 0.0.0.0:8844.")
	}
	return said, nil
}

// settingOf gives the texts of a setting, one for each time that its flag would be given.
func settingOf(n yaml.Node) (list []string) {
	switch n.Kind {
	case yaml.SequenceNode:
		for _, x := range n.Content {
			list = append(list, x.Value)
		}
	case yaml.MappingNode:
		for k := 0; k+1 < len(n.Content); k += 2 {
			list = append(list, fmt.Sprintf("%s=%s", n.Content[k].Value, n.Content[k+1].Value))
		}
	default:
		list = append(list, n.Value)
	}
	return list
}
