package main

import (
	"context"
	"fmt"
	"path/filepath"
	"slices"
	"time"

	"uchi/bench/made"
	"uchi/internal/browsertest"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// watched measures what a person sees of a checked import of so many rows in the
// console: its first view, a filter, an order that was asked for before, and scrolling,
// in a headless browser on the same machine.
func watched(ctx context.Context, sizes, bin, out, dir string) error {
	fmt.Printf("%10s  %10s  %10s  %10s  %10s  %14s\n", "rows", "first view", "filter", "order", "late", "late, no rows")
	return eachSize(sizes, func(n uint64) error { return watch(ctx, n, bin, out, dir) })
}

// asRowsCome does something in the page and gives how many milliseconds went by until
// the grid had other rows in view.
const asRowsCome = `(act) => new Promise((done) => {
	const grid = document.querySelector('[role=grid]');
	const rows = () => [grid.getAttribute('aria-rowcount'), ...[...grid.querySelectorAll('[role=row][aria-rowindex]')].slice(0, 5).map((r) => r.textContent)].join('|');
	const was = rows();
	const began = performance.now();
	act();
	const look = () => (rows() !== was && grid.querySelector('[role=gridcell]') ? done(performance.now() - began) : requestAnimationFrame(look));
	requestAnimationFrame(look);
})`

// scrolled scrolls for three seconds, a screen every six frames, and gives the part of the frames that
// came late, in percent.
const scrolled = `(box) => new Promise((done) => {
	let frames = 0, late = 0, last = performance.now();
	const end = last + 3000;
	const next = (now) => {
		const missed = Math.round((now - last) / (1000 / 60)) - 1;
		if (frames > 0 && missed > 0) late += missed;
		frames += 1 + Math.max(0, missed);
		last = now;
		box.scrollTop += 100;
		if (now < end) requestAnimationFrame(next);
		else done(100 * late / frames);
	};
	requestAnimationFrame(next);
})`

// emptyPage is a page of the same height in which nothing is drawn.
const emptyPage = `(() => {
	document.body.innerHTML = '<div id="box"><div></div></div>';
	const box = document.getElementById('box');
	box.style.cssText = 'height:600px;overflow:auto';
	box.firstChild.style.height = '10000000px';
	return box;
})()`

func watch(ctx context.Context, n uint64, bin, out, dir string) error {
	file := filepath.Join(out, fmt.Sprintf("existing-%d.csv", n))
	if err := write(file, made.ContactHeader, n, made.World{Seed: 8}.Contact); err != nil {
		return err
	}
	server, s, err := afresh(ctx, bin, dir)
	if err != nil {
		return err
	}
	defer server.Stop()
	defer s.stop()
	if _, err := s.uchi(ctx, "", "import", file, "--into", "contact", "--match", "source_ref",
		"--check-only"); err != nil {
		return err
	}
	if _, err := s.uchi(ctx, "", "mend", "cell", "1", "5", made.ContactHeader[3]+"=no address"); err != nil {
		return err
	}
	tab, stop, err := browsertest.Start(ctx)
	if err != nil {
		return err
	}
	defer stop()
	if err := browsertest.SignIn(tab, "http://"+listen, "bench@lanternquay.example", password); err != nil {
		return err
	}
	began := time.Now()
	if err := browsertest.Do(tab, chromedp.Navigate("http://"+listen+"/w/main/imports/1/check"),
		chromedp.WaitVisible(`[role=gridcell]`, chromedp.ByQuery)); err != nil {
		return err
	}
	view := time.Since(began)
	// What the page does in the meantime is not what is measured.
	time.Sleep(2*time.Second + time.Duration(n)*20*time.Microsecond)
	measure := func(script string) (ms float64, err error) {
		err = browsertest.Do(tab, chromedp.Evaluate(script, &ms, browsertest.Awaited))
		return ms, err
	}
	click := func(selector, word string) string {
		return fmt.Sprintf(`(%s)(() => [...document.querySelectorAll('%s')].find((b) => b.textContent.includes(%q)).click())`, asRowsCome, selector, word)
	}
	var filter, order float64 // the slowest of them
	for range 5 {
		for _, word := range []string{"hold", "all"} {
			ms, err := measure(click("main button", word))
			if err != nil {
				return fmt.Errorf("filter: %w", err)
			}
			filter = max(filter, ms)
		}
	}
	for k := range 6 {
		menu := chromedp.Tasks{chromedp.Focus(`//button[starts-with(@aria-label, "Column `+made.ContactHeader[2]+`")]`,
			chromedp.BySearch), chromedp.KeyEvent(kb.Enter), chromedp.WaitVisible(`[role=menuitem]`, chromedp.ByQuery)}
		if err := browsertest.Do(tab, menu); err != nil {
			return fmt.Errorf("open a column's menu: %w", err)
		}
		ms, err := measure(click("[role=menuitem]", []string{"Sort down", "Sort up"}[k%2]))
		if err != nil {
			return fmt.Errorf("order: %w", err)
		}
		if k > 1 { // the order is made when it is first asked for
			order = max(order, ms)
		}
	}
	scroll := func(box string) (part float64, err error) { // the middle of five times
		var parts []float64
		for range 5 {
			if part, err = measure(`(` + scrolled + `)(` + box + `)`); err != nil {
				return 0, fmt.Errorf("scroll: %w", err)
			}
			parts = append(parts, part)
		}
		slices.Sort(parts)
		return parts[len(parts)/2], nil
	}
	late, err := scroll(`document.querySelector('[role=grid]')`)
	if err != nil {
		return err
	}
	empty, err := scroll(emptyPage)
	if err != nil {
		return err
	}
	fmt.Printf("%10d  %7d ms  %7.0f ms  %7.0f ms  %9.1f%%  %13.1f%%\n", n, view.Milliseconds(), filter, order, late, empty)
	return nil
}
