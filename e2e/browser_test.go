// Package e2e drives the real pages in headless Chromium (Debian package chromium-headless-shell). No test
// sleeps: each waits for what the page says.
package e2e

import (
	"context"
	_ "embed"
	"encoding/json"
	"flag"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	goruntime "runtime"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"ironthread/core/predict"
	"ironthread/demo"
	"ironthread/demo/demotest"
	"ironthread/scan/wire"
	"ironthread/scan/wire/wiretest"
	"ironthread/soak"
	"ironthread/store"
	"ironthread/store/storetest"
	"ironthread/web"
	"ironthread/web/worked"
)

var browser context.Context

func TestMain(m *testing.M) {
	flag.Parse()
	if _, given := os.LookupEnv("GOMAXPROCS"); !given { // a test waits for its browser most of the time
		_ = flag.Set("test.parallel", strconv.Itoa(tabsPerCore*goruntime.GOMAXPROCS(0)))
	}
	os.Exit(run(m))
}

// tabsPerCore is how many tests run side by side on a core.
const tabsPerCore = 2

func run(m *testing.M) int {
	options := append(chromedp.DefaultExecAllocatorOptions[:],
		chromedp.ExecPath("/usr/bin/chromium-headless-shell"), chromedp.WindowSize(1280, 800), chromedp.NoSandbox,
		chromedp.Flag("disable-gpu", true), chromedp.Flag("disable-quic", true),
		chromedp.Flag("disable-component-update", true), chromedp.Flag("disable-sync", true),
		chromedp.Flag("disable-background-networking", true), chromedp.Flag("force-prefers-reduced-motion", true))
	allocator, cancel := chromedp.NewExecAllocator(context.Background(), options...)
	defer cancel()
	var end context.CancelFunc
	browser, end = chromedp.NewContext(allocator)
	defer end()
	if err := chromedp.Do(browser); err != nil {
		fmt.Fprintf(os.Stderr, "the browser tests need Debian's chromium-headless-shell: %v\n", err)
		return 1
	}
	return wiretest.Main(func() int { return storetest.Main(m) }, wire.Stream) // what the tests send to a vehicle is read by tshark
}

// site is the application on the demo workshop.
type site struct {
	url  string
	keep *store.Store
	app  *web.App
	down atomic.Bool  // the network is cut: connections end without an answer
	gaps bool         // it will be, and browsers say so on their console
	lost atomic.Int32 // so many answers with an editor's drawing are lost on their way from now on

	missing bool // what is not there is asked for, too
}

// circuits are worked out once for all tests.
var circuits = worked.NewCircuits(predict.DefaultBytes, nil)

// open gives a workshop of a test's own. Tests run side by side, each in tabs of its own of one browser.
func open(t *testing.T) *site {
	t.Helper()
	t.Parallel()
	keep := demotest.Open(t)
	app, err := web.New(keep, web.Options{Workshop: demo.Workshop, Patience: time.Minute, Circuits: circuits, Loopback: true})
	require.NoError(t, err)
	go app.Listen(t.Context())
	s := &site{keep: keep}
	handler := app.Handler()
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if s.down.Load() || strings.HasPrefix(r.URL.Path, "/drafts/") && s.lost.Load() > 0 && s.lost.Add(-1) >= 0 {
			panic(http.ErrAbortHandler)
		}
		handler.ServeHTTP(w, r)
	}))
	t.Cleanup(server.Close)
	t.Cleanup(app.Close) // its streams end first
	s.url = server.URL
	return s
}

// tab is one tab with its own cookies; anything on its console fails the test.
type tab struct {
	t       *testing.T
	ctx     context.Context
	touched int // clicks, and fields that were gone to
}

// patience is how long anything may take that a test waits for: long enough for any machine that does other things beside.
const patience = 3 * time.Minute

func (s *site) tab(t *testing.T) *tab { return s.tabSized(t, 1280, 800) }

func (s *site) tabSized(t *testing.T, width, height int64) *tab {
	t.Helper()
	var mu sync.Mutex
	var complaints []string
	complain := func(text string) {
		mu.Lock()
		defer mu.Unlock()
		complaints = append(complaints, text)
	}
	ctx, cancel := chromedp.NewContext(browser, chromedp.WithNewBrowserContext(), chromedp.WithListener(func(ev any) {
		switch e := ev.(type) {
		case *runtime.EventExceptionThrown:
			complain("exception: " + e.ExceptionDetails.Text)
		case *log.EventEntryAdded:
			// A refused form is answered with 422, and one that could not be recorded with 503;
			// the browser logs both.
			expected := strings.Contains(e.Entry.Text, "status of 422") || strings.Contains(e.Entry.Text, "status of 503") ||
				s.missing && strings.Contains(e.Entry.Text, "status of 404")
			cut := s.gaps && (strings.Contains(e.Entry.Text, "net::ERR_") ||
				strings.Contains(e.Entry.Text, "fetching the script"))
			if e.Entry.Level == log.EntryLevelError && !expected && !cut {
				complain("log: " + e.Entry.Text + " " + e.Entry.URL)
			}
		case *runtime.EventConsoleAPICalled:
			if e.Type == runtime.ConsoleAPICalledTypeError || e.Type == runtime.ConsoleAPICalledTypeWarning {
				args, _ := json.Marshal(e.Args)
				if cut := s.gaps && strings.Contains(string(args), "Failed to fetch"); !cut {
					complain("console: " + string(args))
				}
			}
		}
	}))
	ctx, stop := context.WithTimeout(ctx, 5*patience+gapFor(t))
	t.Cleanup(func() {
		stop()
		cancel()
		mu.Lock()
		defer mu.Unlock()
		for _, c := range complaints {
			t.Errorf("the console is not clean: %s", c)
		}
	})
	b := &tab{t: t, ctx: ctx}
	// The tab lives as long as the context of its first action.
	require.NoError(t, chromedp.Do(ctx, chromedp.EmulateViewport(width, height)))
	return b
}

func (b *tab) do(steps ...chromedp.Action[chromedp.Void]) {
	b.t.Helper()
	ctx, cancel := context.WithTimeout(b.ctx, patience)
	defer cancel()
	for _, step := range steps {
		err := chromedp.Do(ctx, step)
		for swappedAway(ctx, err) {
			err = chromedp.Do(ctx, step)
		}
		if err != nil {
			b.t.Fatalf("%v; the page says: %.600s", err, b.text("body"))
		}
	}
}

// swappedAway tells that what a step had found was swapped for a new one before it could be touched: it is to be looked for
// again. Nothing has been typed or pressed by then.
func swappedAway(ctx context.Context, err error) bool {
	return err != nil && ctx.Err() == nil && strings.Contains(err.Error(), "Could not find node")
}

func (b *tab) visit(url string) { b.t.Helper(); b.do(chromedp.Navigate(url)) }

// holds waits until the page says so. It asks now and then: asking at each frame makes the browser draw every frame.
func holds(expr string) chromedp.Action[bool] {
	return chromedp.Poll[bool](expr, chromedp.WithPollingInterval(10*time.Millisecond))
}

// quiet waits until no answer is on its way.
func (b *tab) quiet() {
	b.t.Helper()
	ctx, cancel := context.WithTimeout(b.ctx, patience)
	defer cancel()
	for {
		_, err := chromedp.Run(ctx, holds(`!document.documentElement.hasAttribute("data-busy")`))
		if err == nil {
			return
		}
		if ctx.Err() != nil {
			b.t.Fatalf("an answer never came: %v", err)
		}
	}
}

// again is how often a place is looked for that is not there yet.
var again = chromedp.RetryInterval(20 * time.Millisecond)

// click clicks what a selector finds, once it can be seen.
func (b *tab) click(selector string) {
	b.t.Helper()
	b.touched++

	clickOn(b, chromedp.CSS(selector), chromedp.NodeVisible, again)
}

// clickSVG touches something of the drawing, which has no box of its own to be scrolled to.
func (b *tab) clickSVG(selector string) {
	b.t.Helper()
	b.touched++
	b.waits(fmt.Sprintf(`!!document.querySelector(%q)`, selector))
	b.quiet()
	b.eval(fmt.Sprintf(`(document.querySelector(%q).dispatchEvent(new MouseEvent("click", { bubbles: true })), "")`, selector))
}

// count is how many there are of what a selector finds.
func (b *tab) count(selector string) int {
	b.t.Helper()
	n, err := strconv.Atoi(b.eval(fmt.Sprintf(`String(document.querySelectorAll(%q).length)`, selector)))
	require.NoError(b.t, err)
	return n
}

// clickOn clicks once nothing is on its way; what has been swapped away between the look and the touch is looked for again.
func clickOn[S chromedp.Selectable](b *tab, what S, options ...chromedp.QueryOption) {
	b.t.Helper()
	ctx, cancel := context.WithTimeout(b.ctx, patience)
	defer cancel()
	for {
		b.quiet()
		err := chromedp.Do(ctx, chromedp.Click(what, options...))
		if err == nil {
			return
		}
		if !swappedAway(ctx, err) {
			b.t.Fatalf("%v; the page says: %.600s", err, b.text("body"))
		}
	}
}

// press presses a key as a keyboard does: a page that takes the key leaves nothing to type.
// (chromedp's own key event types the character all the same.)
func (b *tab) press(key string) {
	b.t.Helper()
	b.quiet()
	for _, kind := range []input.DispatchKeyEventType{input.DispatchKeyEventTypeRawKeyDown, input.DispatchKeyEventTypeKeyUp} {
		_, err := chromedp.Call(b.ctx, input.DispatchKeyEvent, input.DispatchKeyEventParams{Type: kind, Key: key})
		require.NoError(b.t, err)
	}
}

// chord presses a key with Control held.
func (b *tab) chord(key string) {
	b.t.Helper()
	for _, kind := range []input.DispatchKeyEventType{input.DispatchKeyEventTypeRawKeyDown, input.DispatchKeyEventTypeKeyUp} {
		_, err := chromedp.Call(b.ctx, input.DispatchKeyEvent, input.DispatchKeyEventParams{Type: kind, Key: key, Modifiers: 2})
		require.NoError(b.t, err)
	}
}

func (b *tab) keys(text string) {
	b.t.Helper()
	b.quiet()
	b.do(chromedp.KeyEvent(text))
}

func (b *tab) fill(selector, text string) {
	b.t.Helper()
	b.touched++

	b.quiet()
	b.do(chromedp.SendKeys(chromedp.CSS(selector), text, chromedp.NodeVisible, again))
}

// sees waits until a place of the page holds a text.
func (b *tab) sees(selector, text string) {
	b.t.Helper()
	ctx, cancel := context.WithTimeout(b.ctx, patience)
	defer cancel()
	s, _ := json.Marshal(selector)
	w, _ := json.Marshal(text)
	expr := fmt.Sprintf(`[...document.querySelectorAll(%s)].some(e => e.textContent.replace(/\s+/g, " ").includes(%s))`, s, w)
	_, err := chromedp.Run(ctx, holds(expr))
	for err != nil && ctx.Err() == nil { // another page has come meanwhile
		_, err = chromedp.Run(ctx, holds(expr))
	}
	if err != nil {
		b.t.Fatalf("%s never said %q: %v; it says: %.400s; the page: %.900s", selector, text, err, b.text(selector), b.text("body"))
	}
}

func (b *tab) text(selector string) string {
	ctx, cancel := context.WithTimeout(b.ctx, patience)
	defer cancel()
	s, _ := json.Marshal(selector)
	text, err := chromedp.Run(ctx, chromedp.Evaluate[string](fmt.Sprintf(`[...document.querySelectorAll(%s)].map(e =>
		e.textContent.replace(/\s+/g, " ")).join(" | ")`, s)))
	if err != nil {
		return err.Error()
	}
	return text
}

func (b *tab) eval(expr string) string {
	b.t.Helper()
	v, err := chromedp.Run(b.ctx, chromedp.Evaluate[string](expr))
	require.NoError(b.t, err)
	return v
}

//go:embed vendor/axe.min.js
var axe string

// accessible runs axe-core over what a drive has come to: nothing serious or critical may be found. How dark letters stand on
// their ground takes half of axe-core's time; each page is asked that in TestEveryPageIsAccessible, what a drive has opened on
// it in the soak.
func (b *tab) accessible() {
	b.t.Helper()
	b.judged(soak.Whole())
}

// judged runs axe-core, its rule on contrast with it or not.
func (b *tab) judged(contrast bool) {
	b.t.Helper()
	b.quiet()
	b.waits(`document.readyState === "complete"`) // its styles are there
	// Injected through the protocol, so that the page's own policy stays as it is.
	if b.eval(`String(typeof axe)`) == "undefined" {
		_, err := chromedp.Run(b.ctx, chromedp.Evaluate[bool](axe+"; true"))
		require.NoError(b.t, err)
	}
	found, err := chromedp.Run(b.ctx, chromedp.Evaluate[string](fmt.Sprintf(`axe.run(document, {resultTypes: ["violations"],
		rules: {"color-contrast": {enabled: %t}}}).then(r => r.violations
		.filter(v => v.impact === "serious" || v.impact === "critical")
		.map(v => v.id + " (" + v.impact + "): " + v.nodes.slice(0, 3).map(n => n.html.slice(0, 160) +
			" " + (n.any[0]?.message || "")).join(" ;; ")).join("\n"))`, contrast), chromedp.EvalAwaitPromise))
	require.NoError(b.t, err)
	if found != "" {
		b.t.Errorf("axe-core: %s", found)
	}
}
