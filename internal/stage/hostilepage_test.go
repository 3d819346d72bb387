package stage

import (
	"os"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
)

// TestHostilePages has pages do what they can against the program. Each comes to its end, and the next page is as if nothing had been.
func TestHostilePages(t *testing.T) {
	for name, body := range map[string]string{
		"an endless loop":             "<script>for (;;);</script>",
		"an endless loop in an event": "<script>onload = () => { for (;;); }</script>",
		"promises without end":        "<script>(function f() { Promise.resolve().then(f) })()</script>",
		"timers that make timers":     "<script>const f = () => { setTimeout(f, 0); setTimeout(f, 0) }; f()</script>",
		"an interval for ever":        "<script>setInterval(() => { document.title += 'x' }, 0)</script>",
		"frames for ever":             "<script>(function f() { requestAnimationFrame(f) })()</script>",
		"mutations of mutations":      "<p id=p></p><script>new MutationObserver(() => p.append('x')).observe(p, {childList: true}); p.append('x')</script>",
		"document.write without end":  "<script id=s>document.write('<script>' + s.textContent + '</' + 'script>')</script>",
		"a page that leads to itself": "<script>location.href = '/?' + Math.random()</script>",
		"a page that loads itself":    "<script>location.reload()</script>",
		"history without end":         "<script>for (let i = 0; ; i++) history.pushState(i, '', '?' + i)</script>",
		"deep calls":                  "<script>(function f() { f() })()</script>",
		"elements that make elements": "<x-a></x-a><script>customElements.define('x-a', class extends HTMLElement { connectedCallback() { this.append(document.createElement('x-a')) } })</script>",
		"a huge text":                 "<p id=p></p><script>p.innerHTML = '<b>x</b>'.repeat(1e6)</script>",
		"a deep tree":                 "<p id=p></p><script>p.innerHTML = '<b>'.repeat(1e5)</script>",
		"a string without end":        "<script>let s = 'x'; for (;;) s += s</script>",
		"prototypes of nodes":         "<p id=p>x</p><script>for (const k of Object.getOwnPropertyNames(Node.prototype)) try { Node.prototype[k] = null } catch {} Element.prototype.querySelector = null; Array.prototype.push = null</script>",
		"prototypes of everything":    "<script>for (const C of [Array, Map, Set, Promise, Function, String]) for (const k of Object.getOwnPropertyNames(C.prototype)) try { C.prototype[k] = () => { throw 1 } } catch {}</script>",
		"an error that is a trap":     "<script>throw {get message() { for (;;); }, toString() { throw 1 }}</script>",
		"storage without end":         "<script>for (let i = 0; ; i++) localStorage.setItem('k' + i, 'x'.repeat(1e5))</script>",
		"messages to itself":          "<script>onmessage = () => postMessage('x'.repeat(1e4), '*'); postMessage(1, '*')</script>",
		"channels of channels":        "<script>const c = new MessageChannel(); c.port1.onmessage = () => c.port2.postMessage(1); c.port2.onmessage = () => c.port1.postMessage(1); c.port1.postMessage(1)</script>",
		"requests without end":        "<script>(async () => { for (;;) await fetch('/app.css') })()</script>",
		"pictures without end":        "<script>for (let i = 0; i < 1e5; i++) new Image().src = '/pic.png?' + i</script>",
		"modules of modules":          "<script type=module>for (let i = 0; i < 1e4; i++) import('/app.css?' + i).catch(() => {})</script>",
		"a shift of a module":         "<script type=module>let n = 2n ** 40n; let x = 1n << n</script>",
		"text as code":                "<script>new Function('n', 'return 1n << n')(2n ** 40n)</script>",
		"registrations without end":   "<script>for (let i = 0; i < 1000; i++) navigator.serviceWorker.register('/sw.js?' + i)</script>",
		"events of events":            "<script>addEventListener('x', () => dispatchEvent(new Event('x'))); dispatchEvent(new Event('x'))</script>",
		"a selector":                  "<p id=p></p><script>document.querySelectorAll(':not('.repeat(5000) + 'p' + ')'.repeat(5000))</script>",
	} {
		if os.Getenv("TACHYFORM_ALL") == "" && !slices.Contains([]string{"an endless loop", "promises without end", "mutations of mutations", "a page that leads to itself", "prototypes of nodes", "an error that is a trap"}, name) {
			continue // scripts/test --all has them all
		}
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			files := small("onfetch = () => {};")
			files["hostile/index.html"] = "<!doctype html><title>Hostile</title>" + body
			b := New(serve(t, files, site.Rules{}), nil, Limits{Step: 300 * time.Millisecond, Memory: 256 << 20})
			defer b.Close()
			b.RunScripts(true)
			tab := b.NewTab()
			_, err := tab.Open("/hostile/")
			require.NoError(t, err)
			l, err := tab.Open("/about/")
			require.NoError(t, err)
			assert.Equal(t, "About", l.Title)
		})
	}
}
