package chromium

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"

	"tachyform.dev/tachyform/internal/stage"
)

// finder defines find(what): the element that a selector names, else the one that has a text.
const finder = `const find = (what) => {
  try { const e = document.querySelector(what); if (e) return e; } catch {}
  const text = (e) => ((e.innerText || "").replace(/\s+/g, " ").trim() || e.getAttribute("aria-label") || e.value || "").toLowerCase(), want = what.toLowerCase(), shown = (e) => e.getClientRects().length > 0;
  const all = [...document.querySelectorAll("a[href], button, input, summary, label, [role=button], [onclick], select, textarea")].filter(shown);
  return all.find((e) => text(e) === want) || all.find((e) => text(e).includes(want)) || [...document.querySelectorAll("body *")].reverse().find((e) => shown(e) && text(e) === want) || null;
};`

var acts = map[string]string{
	"click":  `e.focus && e.focus(); e.click();`,
	"type":   `e.focus(); Object.getOwnPropertyDescriptor(Object.getPrototypeOf(e), "value").set.call(e, value); e.dispatchEvent(new InputEvent("input", {bubbles: true, composed: true, data: value, inputType: "insertText"})); e.dispatchEvent(new Event("change", {bubbles: true}));`,
	"choose": `if (e.localName === "select") { const o = [...e.options].find((o) => o.value === value || o.text === value); if (!o) return false; e.value = o.value; } else e.checked = value !== "false"; e.dispatchEvent(new Event("input", {bubbles: true, composed: true})); e.dispatchEvent(new Event("change", {bubbles: true}));`,
	"submit": `const f = e.localName === "form" ? e : e.form; if (!f) return false; f.requestSubmit();`,
}

// Act does something on the open page: "click", "type", "choose" or "submit", on what a selector or a text names.
func (b *Browser) Act(what, on, value string) (bool, error) {
	act, ok := acts[what]
	if !ok {
		return false, fmt.Errorf("%s: %w", what, errors.ErrUnsupported)
	}
	name, err := json.Marshal(on)
	if err != nil {
		return false, err
	}
	text, err := json.Marshal(value)
	if err != nil {
		return false, err
	}
	return evaluate[bool](b.ctx, fmt.Sprintf(`(() => { %s const e = find(%s), value = %s; if (!e) return false; %s return true; })()`, finder, name, text, act))
}

// Element says whether the open page has an element that a selector or a text names.
func (b *Browser) Element(what string) (bool, error) {
	name, err := json.Marshal(what)
	if err != nil {
		return false, err
	}
	return evaluate[bool](b.ctx, fmt.Sprintf(`(() => { %s return !!find(%s); })()`, finder, name))
}

// Travel goes back (-1) or forward (1) in the tab's history.
func (b *Browser) Travel(by int) (*stage.Load, error) {
	h, err := chromedp.Call(b.ctx, page.GetNavigationHistory, cdp.Empty{})
	if err != nil {
		return nil, err
	}
	to := int(h.CurrentIndex) + by
	if to < 0 || to >= len(h.Entries) {
		return b.Look()
	}
	if _, err := chromedp.Call(b.ctx, page.NavigateToHistoryEntry, page.NavigateToHistoryEntryParams{EntryID: h.Entries[to].ID}); err != nil {
		return nil, err
	}
	return b.Look()
}

// calm is how long nothing has to change before a page is looked at again after something was done on it.
const calm = 600 * time.Millisecond

// Look reads again what the tab shows, once its text has not changed for a while.
func (b *Browser) Look() (*stage.Load, error) {
	ctx, cancel := context.WithTimeout(b.ctx, patience)
	defer cancel()
	script := fmt.Sprintf(`new Promise((done) => { const read = () => %s; let last = read(), same = 0; const look = () => { const now = read(); same = now === last ? same + 50 : 0; last = now; if (same >= %d) done(true); else setTimeout(look, 50); }; setTimeout(look, 50); })`, readText, calm.Milliseconds())
	for range 3 { // the page may be left meanwhile
		if _, err := evaluate[bool](ctx, script); err == nil {
			break
		}
	}
	b.mu.Lock()
	b.follow()
	b.mu.Unlock()
	at, err := evaluate[string](ctx, "location.pathname + location.search + location.hash")
	if err != nil {
		return nil, err
	}
	l := &stage.Load{}
	if err := b.inspect(ctx, l); err != nil { // a page that the browser had kept was not requested again
		l = &stage.Load{URL: at, Status: 200, AnsweredBy: stage.ByBrowser, Ran: true}
		if l.Title, err = evaluate[string](ctx, "document.title"); err != nil {
			return nil, err
		}
		if l.Text, err = evaluate[string](ctx, readText); err != nil {
			return nil, err
		}
		return l, nil
	}
	if at != l.URL {
		l.Shown = at
	}
	return l, nil
}
