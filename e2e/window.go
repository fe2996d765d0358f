// Package e2e tries Ruvel as its users do: a real server, a real database and a real browser. Every act of the hand is an
// event of pointer, wheel, finger or key that the browser itself makes, but for this: the focus is put where Tab would come
// after many presses (Focus).
// Where times of frames and of changes that are heard are measured, in bench, the page itself makes the moves, since the
// way from here to the browser would be measured with them.
package e2e

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/chromedp/cdproto/browser"
	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/performance"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/cdproto/storage"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/require"
)

// patience is how long a window waits for something to show. It is generous: waiting
// costs nothing when all is well, and a machine may be busy with something else.
const patience = 2 * time.Minute

// look is how often a window is looked at. Each time costs the page a layout.
const look = 30 * time.Millisecond

// tick is how often it is looked whether something outside the page has happened.
const tick = 20 * time.Millisecond

// Window is a browser window of 1280x800.
type Window struct {
	*tab
	t    testing.TB
	base string
}

// tab is where pages are shown, with a storage of its own.
type tab struct {
	ctx     context.Context
	close   context.CancelFunc
	faults  []string
	refused []string // requests, which says more of why a test failed
	spent   bool     // something was changed of it that no other test may have
}

// OpenWindow opens a window on a server's address. Windows without flags share one
// browser, each with storage of its own; flags start a browser for the window alone. What
// the page throws, or is refused by its own security policy, fails the test at its end.
func OpenWindow(t testing.TB, base string, flags ...chromedp.ExecAllocatorOption) *Window {
	t.Helper()
	w := &Window{t: t, base: base}
	if len(flags) > 0 {
		allocator, stop := newBrowser(flags...)
		t.Cleanup(stop)
		ctx, closeWindow := chromedp.NewContext(allocator)
		w.tab = &tab{ctx: ctx, close: closeWindow, spent: true}
		w.watch()
	} else if w.tab = shared.take(); w.tab == nil {
		ctx, closeWindow := chromedp.NewContext(sharedBrowser(t), chromedp.WithNewBrowserContext())
		w.tab = &tab{ctx: ctx, close: closeWindow}
		w.watch()
	}
	t.Cleanup(func() {
		faults := w.faults
		if t.Failed() {
			t.Logf("what the server refused in it: %q; jobs: %s", w.refused, jobsOf(w))
		}
		if t.Failed() || len(faults) > 0 || w.spent || !w.emptied() {
			w.close()
		} else {
			w.refused = nil
			shared.give(w.tab)
		}
		require.Empty(t, faults, "what the page complained about")
	})
	w.begin()
	return w
}

// jobsOf lists what the show of the open desk has under way and what of it failed, if a desk is open.
func jobsOf(w *Window) string {
	ctx, cancel := context.WithTimeout(w.ctx, 5*time.Second)
	defer cancel()
	said, _ := chromedp.Run(ctx, chromedp.Evaluate[string](`(async () => {
		const of = location.pathname.match(/^\/episodes\/([^/]+)/)?.[1];
		const show = of && (await (await fetch("/api/episodes/" + of)).json()).episode?.show;
		return show ? await (await fetch("/api/shows/" + show + "/jobs")).text() : "";
	})()`, chromedp.EvalAwaitPromise))
	return said
}

// spoilt is the context of a window of which more is changed than can be put back: no other test gets it.
func (w *Window) spoilt() context.Context {
	w.spent = true
	return w.ctx
}

// emptied leaves the page and forgets what it has kept, so that another test finds the window as a new one.
func (w *Window) emptied() bool {
	ctx, cancel := context.WithTimeout(w.ctx, 5*time.Second)
	defer cancel()
	origin, err := chromedp.Run(ctx, chromedp.Evaluate[string](`sessionStorage.clear(), location.origin`))
	if err != nil || chromedp.Do(ctx, chromedp.Navigate("about:blank")) != nil {
		return false
	}
	for _, o := range []string{origin, w.base} {
		if _, err := chromedp.Call(ctx, storage.ClearDataForOrigin, storage.ClearDataForOriginParams{Origin: o, StorageTypes: "all"}); err != nil {
			return false
		}
	}
	_, err = chromedp.Call(ctx, page.ResetNavigationHistory, cdp.Empty{})
	return err == nil
}

// full is the whole of Chromium, which knows real devices and permissions; without it windows are of its part for programs,
// which shows and does the same for a third of the work.
var full = chromedp.ExecPath("/usr/bin/chromium")

func newBrowser(flags ...chromedp.ExecAllocatorOption) (context.Context, context.CancelFunc) {
	options := append(chromedp.DefaultExecAllocatorOptions[:],
		chromedp.ExecPath("/usr/bin/chromium-headless-shell"), chromedp.NoSandbox, chromedp.WSURLReadTimeout(patience), chromedp.WindowSize(1280, 800),
		chromedp.Flag("disable-quic", true), chromedp.Flag("disable-background-networking", true), chromedp.Flag("disable-component-update", true),
		chromedp.Flag("autoplay-policy", "no-user-gesture-required"), chromedp.Flag("hide-scrollbars", true), chromedp.Flag("mute-audio", false))
	return chromedp.NewExecAllocator(context.Background(), append(options, flags...)...)
}

// shared is the browser of all windows without flags, once there is one, with the tabs that wait for a test.
var shared sharing

type sharing struct {
	sync.Mutex
	ctx  context.Context
	stop context.CancelFunc
	idle []*tab
}

// take gives a tab that another test has done with; nil if there is none.
func (s *sharing) take() *tab {
	s.Lock()
	defer s.Unlock()
	if len(s.idle) == 0 {
		return nil
	}
	last := s.idle[len(s.idle)-1]
	s.idle = s.idle[:len(s.idle)-1]
	return last
}

func (s *sharing) give(of *tab) {
	s.Lock()
	defer s.Unlock()
	s.idle = append(s.idle, of)
}

func sharedBrowser(t testing.TB) context.Context {
	t.Helper()
	shared.Lock()
	defer shared.Unlock()
	if shared.ctx == nil {
		allocator, stop := newBrowser()
		ctx, closeBrowser := chromedp.NewContext(allocator)
		require.NoError(t, chromedp.Do(ctx)) // which starts it
		shared.ctx, shared.stop = ctx, func() { closeBrowser(); stop() }
	}
	return shared.ctx
}

// closeShared ends the shared browser.
func closeShared() {
	shared.Lock()
	defer shared.Unlock()
	if shared.ctx != nil {
		shared.stop()
	}
}

// OpenSecond opens another tab of the same browser.
func (w *Window) OpenSecond() *Window {
	w.t.Helper()
	ctx, closeTab := chromedp.NewContext(w.ctx)
	second := &Window{t: w.t, tab: &tab{ctx: ctx, close: closeTab}, base: w.base}
	w.t.Cleanup(closeTab)
	second.watch()
	second.begin()
	return second
}

// begin gives a window its size, and the focus that it would have in front of somebody:
// several are open at once.
func (w *Window) begin() {
	w.t.Helper()
	w.Do(chromedp.EmulateViewport(1280, 800))
	_, err := chromedp.Call(w.ctx, emulation.SetFocusEmulationEnabled, emulation.SetFocusEmulationEnabledParams{Enabled: true})
	require.NoError(w.t, err)
}

func (w *Window) watch() {
	w.t.Helper()
	require.NoError(w.t, chromedp.Listen(w.ctx, func(event any) {
		switch e := event.(type) {
		case *runtime.EventExceptionThrown:
			w.faults = append(w.faults, e.ExceptionDetails.Text+" "+describe(e.ExceptionDetails.Exception))
		case *log.EventEntryAdded:
			if e.Entry.Source == log.EntrySourceNetwork {
				w.refused = append(w.refused, e.Entry.Text+" "+e.Entry.URL)
			}
		case *runtime.EventConsoleAPICalled:
			if e.Type == runtime.ConsoleAPICalledTypeError || e.Type == runtime.ConsoleAPICalledTypeWarning {
				var words []string
				for _, a := range e.Args {
					words = append(words, describe(a))
				}
				w.faults = append(w.faults, strings.Join(words, " "))
			}
		}
	}))
}

func describe(o *runtime.RemoteObject) string {
	if o == nil {
		return ""
	}
	return string(o.Value) + o.Description
}

// Do runs browser actions; an error ends the test.
func (w *Window) Do(steps ...chromedp.Action[chromedp.Void]) {
	w.t.Helper()
	require.NoError(w.t, chromedp.Do(w.ctx, steps...))
}

// Go opens a path of the server.
func (w *Window) Go(path string) {
	w.t.Helper()
	w.Do(chromedp.Navigate(w.base + path))
}

// Back goes back, as by the browser's button.
func (w *Window) Back() {
	w.t.Helper()
	w.Do(chromedp.NavigateBack())
}

// Eval evaluates an expression in the page.
func Eval[T any](w *Window, expression string) T {
	w.t.Helper()
	v, err := chromedp.Run(w.ctx, chromedp.Evaluate[T](expression, chromedp.EvalAwaitPromise))
	require.NoError(w.t, err, expression)
	return v
}

// Until waits for an expression to become true. One that speaks of what is not there yet is not. What takes its time is
// looked at less often: reading all of a page is work for it.
func (w *Window) Until(expression string) {
	w.t.Helper()
	this := waits.Add(1)
	looked := fmt.Sprintf(`(() => {
		const looks = window.__looks?.of === %d ? window.__looks : (window.__looks = {of: %d, n: 0});
		if (looks.n++ > %d && looks.n %% 4) return false;
		try { return !!(%s) } catch { return false }
	})()`, this, this, int(time.Second/look), expression)
	_, err := chromedp.Run(w.ctx, chromedp.Poll[bool](looked, chromedp.WithPollingInterval(look), chromedp.WithPollingTimeout(patience)))
	if err != nil {
		require.NoError(w.t, err, "waiting for %s; the window is in %s", expression, w.pictured())
	}
}

// waits counts what was waited for, so that each wait is known to the page.
var waits atomic.Int64

// pictured says where there is a picture of the window, for who looks into why a test failed.
func (w *Window) pictured() (path string) {
	path = filepath.Join(os.TempDir(), "ruvel-e2e-"+strings.ReplaceAll(w.t.Name(), "/", "-")+".png")
	w.Picture(path)
	return path
}

// UntilText waits until a text can be read on the page.
func (w *Window) UntilText(text string) {
	w.t.Helper()
	w.Until(fmt.Sprintf("document.body.innerText.includes(%q)", text))
}

// untilClips waits until the desk shows so many clips.
func (w *Window) untilClips(n int) {
	w.t.Helper()
	w.Until(fmt.Sprintf(`document.querySelectorAll(".clip").length === %d`, n))
}

// Box is where an element is on the screen.
type Box struct{ X, Y, Width, Height float64 }

// At is a place in the box, from 0 to 1 either way.
func (b Box) At(x, y float64) (float64, float64) { return b.X + b.Width*x, b.Y + b.Height*y }

// Find waits until an element is there and stands still for two frames, and says where
// it is. The first of several counts.
func (w *Window) Find(css string) Box {
	w.t.Helper()
	w.Until(standing(css, "true"))
	return Eval[Box](w, fmt.Sprintf(`(r => ({X: r.x, Y: r.y, Width: r.width, Height: r.height}))(document.querySelector(%q).getBoundingClientRect())`, css))
}

// standing is true of an element that has been in one place for two frames and of which
// a condition holds; e is the element, r its box.
func standing(css, condition string) string {
	return fmt.Sprintf(`(() => {
		const e = document.querySelector(%q);
		if (!e) return false;
		e.scrollIntoView({block: "nearest"});
		const r = e.getBoundingClientRect(), seen = window.__seen ??= new WeakMap(), s = seen.get(e) ?? {calm: 0};
		const place = [r.x, r.y, r.width, r.height].join();
		s.calm = s.place === place ? s.calm + 1 : 0;
		s.place = place;
		seen.set(e, s);
		if (s.calm < 2 || !(%s)) return false;
		seen.delete(e);
		return true;
	})()`, css, condition)
}

// reachable is true where a press on the middle of an element meets the element and
// nothing that lies over it, such as a dialog on its way in or out.
const reachable = `(t => t && (e.contains(t) || t.contains(e) && t.matches("label")))(document.elementFromPoint(r.x + r.width / 2, r.y + r.height / 2))`

// Button is the selector of a button by its accessible name; it marks the element.
func (w *Window) Button(name string) string {
	w.t.Helper()
	find := fmt.Sprintf(`[...document.querySelectorAll("button, a, [role=menuitem], label.el-radio-button")].find(b => b.offsetParent && !b.disabled && ((b.getAttribute("aria-label") ?? b.innerText).trim() === %q))`, name)
	w.Until(find)
	Eval[bool](w, fmt.Sprintf(`(() => { document.querySelectorAll("[data-found]").forEach(e => e.removeAttribute("data-found")); %s.setAttribute("data-found", ""); return true })()`, find))
	return marked
}

// Press clicks the button with a name.
func (w *Window) Press(name string) {
	w.t.Helper()
	w.clicked(func() string { return w.Button(name) })
}

// Click clicks the middle of an element once it stands still and nothing lies over it.
func (w *Window) Click(css string) {
	w.t.Helper()
	w.clicked(func() string { return css })
}

// ClickOn clicks the element that an expression gives, once it gives one.
func (w *Window) ClickOn(expression string) {
	w.t.Helper()
	w.clicked(func() string {
		w.Until(expression)
		Eval[bool](w, fmt.Sprintf(`(() => { document.querySelectorAll("[data-found]").forEach(e => e.removeAttribute("data-found")); (%s)?.setAttribute("data-found", ""); return true })()`, expression))
		return marked
	})
}

// marked is the selector of what was found, for as long as it is not drawn anew.
const marked = "[data-found]"

// clicked clicks what is found. If that comes or goes at that very moment, or what stands above it does, what is pressed is
// something else, or is not what is let go of; then it is found and clicked again.
func (w *Window) clicked(find func() string) {
	w.t.Helper()
	const tries = 8
	for range tries {
		css := find()
		gone := "false"
		if css == marked {
			gone = `!document.querySelector("` + marked + `")`
		}
		w.Until(gone + " || " + standing(css, reachable))
		at := Eval[*Box](w, fmt.Sprintf(`(() => {
			const of = () => { const e = document.querySelector(%q); return e?.closest("label") ?? e }; // it may have been drawn anew
			const meant = of(); // which need not be what the selector finds any more once it is clicked
			if (!meant) return null;
			const is = ({target}) => [meant, of()].some(e => e?.contains(target) || target.closest("label")?.contains(e));
			const seen = {down: false, held: false, clicked: false};
			const once = {once: true, capture: true}; // before anything of the page hears of it
			addEventListener("pointerdown", e => (seen.down = is(e)), once);
			addEventListener("gotpointercapture", () => (seen.held = true), once);
			addEventListener("click", e => (seen.clicked = is(e)), once);
			window.__met = () => seen.clicked || seen.down && (seen.held || !of());
			const r = document.querySelector(%q).getBoundingClientRect();
			return {X: r.x, Y: r.y, Width: r.width, Height: r.height};
		})()`, css, css))
		if at == nil {
			continue
		}
		x, y := at.At(0.5, 0.5)
		w.Do(chromedp.MouseClickXY(x, y))
		if Eval[bool](w, `window.__met?.() ?? true`) { // there is another page by now
			return
		}
		w.t.Logf("%s moved away while it was clicked", css)
	}
	require.Fail(w.t, "what was pressed moved away again and again")
}

// pressIfThere clicks what an expression gives, if it still gives something: it may go by itself.
func (w *Window) pressIfThere(expression string) {
	w.t.Helper()
	at := Eval[*Box](w, fmt.Sprintf(`(e => { const r = e?.getBoundingClientRect(); return r ? {X: r.x, Y: r.y, Width: r.width, Height: r.height} : null })(%s)`, expression))
	if at != nil {
		x, y := at.At(0.5, 0.5)
		w.Do(chromedp.MouseClickXY(x, y))
	}
}

// DoubleClick clicks the middle of an element twice, as fast as a hand does.
func (w *Window) DoubleClick(css string) {
	w.t.Helper()
	w.Until(standing(css, reachable))
	x, y := w.Find(css).At(0.5, 0.5)
	w.Do(chromedp.MouseClickXY(x, y), chromedp.MouseClickXY(x, y, chromedp.ClickCount(2)))
}

// Focus puts the focus on an element, where Tab would come after many presses.
func (w *Window) Focus(css string) {
	w.t.Helper()
	w.Until(fmt.Sprintf(`document.querySelector(%q)`, css))
	w.Do(chromedp.Evaluate[chromedp.Void](fmt.Sprintf(`document.querySelector(%q).focus()`, css)))
}

// Choose picks an option of a list by its text.
func (w *Window) Choose(css, text string) {
	w.t.Helper()
	const shown = `[...document.querySelectorAll(".el-select-dropdown__item")].filter(e => e.getBoundingClientRect().height > 0)`
	w.Until(shown + `.length === 0`) // the list before has closed
	w.Click(`.el-select:has(` + css + `)`)
	w.ClickOn(fmt.Sprintf(shown+`.find(e => e.innerText.trim().startsWith(%q))`, text))
}

// Paste puts a text into the field that has the focus, as from a clipboard.
func (w *Window) Paste(text string) {
	w.t.Helper()
	_, err := chromedp.Call(w.ctx, input.InsertText, input.InsertTextParams{Text: text})
	require.NoError(w.t, err)
}

// Wheel turns the wheel at a place, so many notches.
func (w *Window) Wheel(x, y, notches float64, modifiers ...chromedp.Modifier) {
	w.t.Helper()
	w.Do(chromedp.MouseEvent(chromedp.MouseMoved, x, y))
	w.Do(chromedp.MouseEvent(input.DispatchMouseEventTypeMouseWheel, x, y, func(p *input.DispatchMouseEventParams) {
		p.DeltaX, p.DeltaY = 1e-6, 120*notches // the browser wants both, and what is nothing is not sent
		for _, m := range modifiers {
			chromedp.ButtonModifiers(m)(p)
		}
	}))
}

// Over moves the pointer to the middle of an element.
func (w *Window) Over(css string) {
	w.t.Helper()
	x, y := w.Find(css).At(0.5, 0.5)
	w.Do(chromedp.MouseEvent(chromedp.MouseMoved, x, y))
}

// Drag moves the pointer from one place to another in steps, as a hand does.
func (w *Window) Drag(x, y, toX, toY float64, modifiers ...chromedp.Modifier) {
	w.t.Helper()
	with := func(p *input.DispatchMouseEventParams) {
		p.Button, p.Buttons, p.ClickCount = input.MouseButtonLeft, 1, 1
		for _, m := range modifiers {
			chromedp.ButtonModifiers(m)(p)
		}
	}
	w.Do(chromedp.MouseEvent(chromedp.MouseMoved, x, y), chromedp.MouseEvent(chromedp.MousePressed, x, y, with))
	const steps = 8
	for i := 1.0; i <= steps; i++ {
		w.Do(chromedp.MouseEvent(chromedp.MouseMoved, x+(toX-x)*i/steps, y+(toY-y)*i/steps, with))
	}
	w.Do(chromedp.MouseEvent(chromedp.MouseReleased, toX, toY, with))
}

// Drop drops files from outside on a place of the page.
func (w *Window) Drop(x, y float64, files ...string) {
	w.t.Helper()
	data := &input.DragData{Items: []*input.DragDataItem{}, Files: files, DragOperationsMask: 1}
	for _, kind := range []input.DispatchDragEventType{
		input.DispatchDragEventTypeDragEnter, input.DispatchDragEventTypeDragOver, input.DispatchDragEventTypeDrop,
	} {
		_, err := chromedp.Call(w.ctx, input.DispatchDragEvent, input.DispatchDragEventParams{Type: kind, X: x, Y: y, Data: data})
		require.NoError(w.t, err)
	}
}

// DragItem drags something that can be picked up to another place and drops it there.
func (w *Window) DragItem(x, y, toX, toY float64) {
	w.t.Helper()
	dragged := make(chan *input.DragData, 1)
	require.NoError(w.t, chromedp.Listen(w.ctx, func(event any) {
		if e, ok := event.(*input.EventDragIntercepted); ok {
			select {
			case dragged <- e.Data:
			default:
			}
		}
	}))
	_, err := chromedp.Call(w.ctx, input.SetInterceptDrags, input.SetInterceptDragsParams{Enabled: true})
	require.NoError(w.t, err)
	w.Drag(x, y, x+30, y+10)
	select {
	case data := <-dragged:
		for _, kind := range []input.DispatchDragEventType{
			input.DispatchDragEventTypeDragEnter, input.DispatchDragEventTypeDragOver, input.DispatchDragEventTypeDrop,
		} {
			_, err := chromedp.Call(w.ctx, input.DispatchDragEvent, input.DispatchDragEventParams{Type: kind, X: toX, Y: toY, Data: data})
			require.NoError(w.t, err)
		}
	case <-time.After(patience):
		require.Fail(w.t, "nothing was picked up")
	}
	_, err = chromedp.Call(w.ctx, input.SetInterceptDrags, input.SetInterceptDragsParams{Enabled: false})
	require.NoError(w.t, err)
}

// Key presses keys one after the other.
func (w *Window) Key(keys string, modifiers ...chromedp.Modifier) {
	w.t.Helper()
	w.Do(chromedp.KeyEvent(keys, chromedp.KeyModifiers(modifiers...)))
}

// KeyDown presses a key and holds it until KeyUp.
func (w *Window) KeyDown(key, code string) {
	w.t.Helper()
	w.key(input.DispatchKeyEventTypeKeyDown, key, code)
}

// KeyUp lets a key go.
func (w *Window) KeyUp(key, code string) {
	w.t.Helper()
	w.key(input.DispatchKeyEventTypeKeyUp, key, code)
}

func (w *Window) key(kind input.DispatchKeyEventType, key, code string) {
	w.t.Helper()
	_, err := chromedp.Call(w.ctx, input.DispatchKeyEvent, input.DispatchKeyEventParams{Type: kind, Key: key, Code: code})
	require.NoError(w.t, err)
}

// Type replaces what stands in a field and confirms it.
func (w *Window) Type(css, text string) {
	w.t.Helper()
	w.Click(css)
	w.Do(chromedp.Evaluate[chromedp.Void](fmt.Sprintf(`document.querySelector(%q).select()`, css)), chromedp.KeyEvent(text), chromedp.KeyEvent(kb.Enter))
}

// Fill replaces what stands in a field.
func (w *Window) Fill(css, text string) {
	w.t.Helper()
	w.Click(css)
	w.Do(chromedp.Evaluate[chromedp.Void](fmt.Sprintf(`document.querySelector(%q).select()`, css)), chromedp.KeyEvent(text))
}

// Crash kills the tab, as the machine does when it runs out of memory.
func (w *Window) Crash() {
	w.t.Helper()
	ctx, cancel := context.WithTimeout(w.spoilt(), 5*time.Second)
	defer cancel()
	_, _ = chromedp.Call(ctx, page.Crash, cdp.Empty{}) // nobody is left to answer
}

// Picture writes a PNG of the window.
func (w *Window) Picture(path string) {
	w.t.Helper()
	data, err := chromedp.Run(w.ctx, chromedp.CaptureScreenshot())
	require.NoError(w.t, err)
	require.NoError(w.t, os.WriteFile(path, data, 0o644))
}

// DownloadsTo makes downloads go into a folder.
func (w *Window) DownloadsTo(dir string) {
	w.t.Helper()
	_, err := chromedp.CallBrowser(w.spoilt(), browser.SetDownloadBehavior, browser.SetDownloadBehaviorParams{
		Behavior: browser.SetDownloadBehaviorBehaviorAllow, DownloadPath: dir, BrowserContextID: chromedp.FromContext(w.ctx).BrowserContextID,
	})
	require.NoError(w.t, err)
}

// OnNewPage runs a script before those of every page opened from now on.
func (w *Window) OnNewPage(script string) {
	w.t.Helper()
	_, err := chromedp.Call(w.spoilt(), page.AddScriptToEvaluateOnNewDocument, page.AddScriptToEvaluateOnNewDocumentParams{Source: script})
	require.NoError(w.t, err)
}

// arrived tells when the page has become that of an address.
func (w *Window) arrived(path string) <-chan struct{} {
	done := make(chan struct{})
	go func() {
		defer close(done)
		_, _ = chromedp.Run(w.ctx, chromedp.Poll[bool](fmt.Sprintf(`location.href.endsWith(%q)`, path), chromedp.WithPollingInterval(look), chromedp.WithPollingTimeout(patience)))
	}()
	return done
}

// ScriptTime is how long scripts of the page have run on its own thread until now, since the first call.
func (w *Window) ScriptTime() time.Duration {
	w.t.Helper()
	_, err := chromedp.Call(w.ctx, performance.Enable, performance.EnableParams{})
	require.NoError(w.t, err)
	metrics, err := chromedp.Call(w.ctx, performance.GetMetrics, cdp.Empty{})
	require.NoError(w.t, err)
	for _, m := range metrics.Metrics {
		if m.Name == "ScriptDuration" {
			return time.Duration(m.Value * float64(time.Second))
		}
	}
	require.Fail(w.t, "the browser does not say how long scripts have run")
	return 0
}

// Settle waits until nothing is fetched any more and what is there has been drawn.
func (w *Window) Settle() {
	w.t.Helper()
	Eval[bool](w, `(async () => {
		const look = () => performance.getEntriesByType("resource").length + " " + [...document.querySelectorAll("canvas")].map(c => {
			if (c.width < 2 || c.height < 2 || !c.checkVisibility()) return 0;
			const p = c.getContext("2d").getImageData(0, Math.floor(c.height / 2) - 1, c.width, 1).data;
			let sum = 0;
			for (let i = 0; i < p.length; i += 4) sum = (sum * 31 + p[i] + 7 * p[i + 1]) % 1e9;
			return sum;
		}).join();
		for (let calm = 0, before = ""; calm < 12; ) {
			await new Promise(requestAnimationFrame);
			const now = look();
			calm = now === before ? calm + 1 : 0;
			before = now;
		}
		return true;
	})()`)
}
