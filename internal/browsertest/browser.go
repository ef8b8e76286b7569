// Package browsertest drives the console in a headless Chromium from Debian's
// packages, for the tests and for the pictures in the documents. The browser
// reaches nothing but loopback.
package browsertest

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"time"

	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
)

// Width and Height are the smallest comfortable size of the console.
const (
	Width  = 1280
	Height = 800
)

// ErrMissing says that no Chromium is installed.
var ErrMissing = errors.New("chromium is not installed; install Debian's package chromium")

// Start opens a browser with a fresh profile; stop ends it.
func Start(ctx context.Context) (tab context.Context, stop func(), err error) {
	path, err := exec.LookPath("chromium")
	if err != nil {
		return nil, nil, ErrMissing
	}
	profile, err := os.MkdirTemp("", "uchi-browser")
	if err != nil {
		return nil, nil, err
	}
	opts := []chromedp.ExecAllocatorOption{chromedp.ExecPath(path), chromedp.UserDataDir(profile),
		chromedp.WindowSize(Width, Height), chromedp.Headless, chromedp.NoSandbox,
		chromedp.NoFirstRun, chromedp.NoDefaultBrowserCheck, chromedp.DisableGPU}
	for _, name := range []string{"disable-background-networking", "disable-component-update", "disable-sync",
		"disable-quic", "disable-default-apps", "disable-extensions", "disable-domain-reliability", "no-pings",
		"disable-dev-shm-usage"} {
		opts = append(opts, chromedp.Flag(name, true))
	}
	opts = append(opts, chromedp.Flag("proxy-server", "direct://"), chromedp.Flag("proxy-bypass-list", "*"),
		chromedp.Flag("disable-features", "Translate,OptimizationHints,MediaRouter,AutofillServerCommunication"),
		chromedp.Flag("host-resolver-rules", "MAP * ~NOTFOUND , EXCLUDE 127.0.0.1 , EXCLUDE localhost"))
	alloc, cancelAlloc := chromedp.NewExecAllocator(ctx, opts...)
	tab, cancel := chromedp.NewContext(alloc)
	stop = func() { cancel(); cancelAlloc(); os.RemoveAll(profile) }
	if err := chromedp.Run(tab, chromedp.EmulateViewport(Width, Height)); err != nil {
		stop()
		return nil, nil, fmt.Errorf("start chromium: %w", err)
	}
	// A page that asks whether it may be left while something is being saved answers nothing else
	// until somebody says yes.
	chromedp.ListenTarget(tab, func(event any) {
		if _, asks := event.(*page.EventJavascriptDialogOpening); asks {
			go Do(tab, page.HandleJavaScriptDialog(true)) //nolint:errcheck // the page may be gone
		}
	})
	return tab, stop, nil
}

// Do runs actions, each batch within half a minute.
func Do(tab context.Context, actions ...chromedp.Action) error {
	ctx, cancel := context.WithTimeout(tab, 30*time.Second)
	defer cancel()
	return chromedp.Run(ctx, actions...)
}

// Awaited lets Evaluate wait for a promise.
func Awaited(p *runtime.EvaluateParams) *runtime.EvaluateParams { return p.WithAwaitPromise(true) }

// SignIn opens the console and signs in.
func SignIn(tab context.Context, server, email, password string) error {
	return Do(tab, chromedp.Navigate(server), chromedp.WaitVisible(`input[name=email]`),
		chromedp.SendKeys(`input[name=email]`, email),
		chromedp.SendKeys(`input[name=password]`, password), chromedp.Click(`button[type=submit]`),
		chromedp.WaitVisible(`nav[aria-label=Main]`))
}

// Text selects what holds exactly this text.
func Text(tag, text string) string { return fmt.Sprintf(`//%s[normalize-space(.)="%s"]`, tag, text) }

// Holding selects what holds this text somewhere.
func Holding(tag, text string) string {
	return fmt.Sprintf(`//%s[contains(normalize-space(.), "%s")]`, tag, text)
}
