// Command pictures takes the pictures of the console that the documents show,
// from a running demo.
package main

import (
	"context"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"uchi/internal/browsertest"

	"github.com/chromedp/chromedp"
)

func main() {
	server := flag.String("server", "http://127.0.0.1:8844", "the running demo")
	out := flag.String("out", "docs/screenshots", "directory for the pictures")
	email := flag.String("email", "admin@lanternquay.example", "who signs in")
	password := flag.String("password", "shore power for all", "password")
	theme := flag.String("theme", "light", "light or dark")
	flag.Parse()
	if err := run(*server, *out, *email, *password, *theme, flag.Args()); err != nil {
		fmt.Fprintln(os.Stderr, "pictures:", err)
		os.Exit(1)
	}
}

// run takes a picture for each argument of the form name=/path, optionally
// followed by " click SELECTOR" parts.
func run(server, out, email, password, theme string, shots []string) error {
	tab, stop, err := browsertest.Start(context.Background())
	if err != nil {
		return err
	}
	defer stop()
	if err := browsertest.SignIn(tab, server, email, password); err != nil {
		return err
	}
	if err := browsertest.Do(tab, chromedp.Evaluate(`localStorage.setItem("uchi-theme", "`+theme+`")`, nil)); err != nil {
		return err
	}
	for _, s := range shots {
		name, rest, ok := strings.Cut(s, "=")
		if !ok {
			return fmt.Errorf("%q is not of the form name=/path", s)
		}
		parts := strings.Split(rest, " click ")
		actions := []chromedp.Action{
			chromedp.Navigate(server + parts[0]),
			chromedp.WaitNotPresent(`//main//*[@role="status"][contains(., "Fetching")]`, chromedp.BySearch),
			chromedp.WaitNotPresent(`//main//*[@aria-busy="true"]`, chromedp.BySearch),
			chromedp.Sleep(900 * time.Millisecond),
		}
		for _, sel := range parts[1:] {
			if keys, ok := strings.CutPrefix(sel, "key "); ok {
				actions = append(actions, chromedp.KeyEvent(keys), chromedp.Sleep(600*time.Millisecond))
				continue
			}
			actions = append(actions, chromedp.Click(sel, chromedp.BySearch), chromedp.Sleep(500*time.Millisecond))
		}
		var png []byte
		actions = append(actions, chromedp.CaptureScreenshot(&png))
		if err := browsertest.Do(tab, actions...); err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
		if err := os.WriteFile(filepath.Join(out, name+".png"), png, 0o644); err != nil {
			return err
		}
	}
	return nil
}
