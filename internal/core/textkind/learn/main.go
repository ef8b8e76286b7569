// Command learn makes the table of package textkind from lists of texts, which
// lists.mjs writes from an npm package of open data: make learn.
package main

import (
	"encoding/json"
	"fmt"
	"os"

	"uchi/internal/core/textkind"
)

func main() {
	if err := run(os.Args[1:]); err != nil {
		fmt.Fprintln(os.Stderr, "learn:", err)
		os.Exit(1)
	}
}

func run(args []string) error {
	if len(args) != 1 {
		return fmt.Errorf("say where the table goes")
	}
	var named map[string][]string
	if err := json.NewDecoder(os.Stdin).Decode(&named); err != nil {
		return err
	}
	var lists [textkind.Kinds][]string
	for k, name := range textkind.Names {
		if lists[k] = named[name]; len(lists[k]) == 0 {
			return fmt.Errorf("no texts of kind %s", name)
		}
		fmt.Fprintf(os.Stderr, "%8d  %s\n", len(lists[k]), name)
	}
	fmt.Fprintf(os.Stderr, "%8d  given and %d family names\n", len(named["givens"]), len(named["families"]))
	return os.WriteFile(args[0], append(textkind.Learn(lists),
		textkind.LearnNames(named["givens"], named["families"])...), 0o644)
}
