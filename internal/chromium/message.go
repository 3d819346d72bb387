package chromium

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/chromedp/cdproto/browser"
	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/serviceworker"
	"github.com/chromedp/chromedp"

	"tachyform.dev/tachyform/internal/entrance"
	"tachyform.dev/tachyform/internal/stage"
)

// look is how often what has no event is looked at.
const look = 20 * time.Millisecond

// showing is how long a worker has to show a notification after a push message.
const showing = 15 * time.Second

// registration gives the id of the first registration of the site.
func (b *Browser) registration() (id serviceworker.RegistrationID, scope string) {
	b.mu.Lock()
	defer b.mu.Unlock()
	for _, r := range b.regs {
		if scope == "" || r.ScopeURL < scope {
			id, scope = r.RegistrationID, r.ScopeURL
		}
	}
	return id, scope
}

// Push lets a push message come, for a visitor who has allowed notifications. Whether the worker listens cannot be seen: a worker that shows nothing
// within 15 seconds counts as one that shows nothing.
func (b *Browser) Push(text string, _ bool) (*stage.Event, error) {
	id, scope := b.registration()
	if id == "" {
		return &stage.Event{}, nil
	}
	if _, err := chromedp.Call(b.ctx, browser.SetPermission, browser.SetPermissionParams{Permission: &browser.PermissionDescriptor{Name: "notifications"}, Setting: browser.PermissionSettingGranted, Origin: b.server.Origin}); err != nil {
		return nil, fmt.Errorf("allowing notifications: %w", err)
	}
	before, err := b.Notifications()
	if err != nil {
		return nil, err
	}
	b.Remarks()
	if _, err := chromedp.Call(b.ctx, serviceworker.DeliverPushMessage, serviceworker.DeliverPushMessageParams{Origin: b.server.Origin, RegistrationID: id, Data: text}); err != nil {
		return nil, fmt.Errorf("a push message: %w", err)
	}
	e := &stage.Event{Worker: b.relative(scope), Listens: true}
	err = b.until(showing, func() (bool, error) {
		b.mu.Lock()
		for _, r := range b.remarks {
			e.Error, e.File, e.Line, e.Column = r.Message, r.File, r.Line, r.Column
		}
		b.mu.Unlock()
		now, err := b.Notifications()
		if err != nil {
			return false, err
		}
		if len(now) > len(before) {
			e.Shown = now[len(before):]
		}
		return e.Error != "" || len(e.Shown) > 0, nil
	})
	return e, err
}

// until waits until something is so, at most for some time.
func (b *Browser) until(limit time.Duration, is func() (bool, error)) error {
	end := time.NewTimer(limit)
	defer end.Stop()
	next := time.NewTicker(look)
	defer next.Stop()
	for {
		if ok, err := is(); ok || err != nil {
			return err
		}
		select {
		case <-next.C:
		case <-end.C:
			return nil
		case <-b.ctx.Done():
			return b.ctx.Err()
		}
	}
}

// Tap is not possible here: nothing of the protocol taps on a notification.
func (b *Browser) Tap(string) (*stage.Event, error) { return nil, errors.ErrUnsupported }

// Sync fires the event of a tag.
func (b *Browser) Sync(tag string) (*stage.Event, error) {
	id, scope := b.registration()
	if id == "" {
		return &stage.Event{}, nil
	}
	_, err := chromedp.Call(b.ctx, serviceworker.DispatchSyncEvent, serviceworker.DispatchSyncEventParams{Origin: b.server.Origin, RegistrationID: id, Tag: tag})
	return &stage.Event{Worker: b.relative(scope), Listens: true}, err
}

// Notifications lists what is shown.
func (b *Browser) Notifications() ([]stage.Notification, error) {
	ctx, cancel := context.WithTimeout(b.ctx, patience)
	defer cancel()
	text, err := evaluate[string](ctx, `(async () => { const all = []; for (const r of await navigator.serviceWorker.getRegistrations()) for (const n of await r.getNotifications()) all.push({Title: n.title, Body: n.body, Tag: n.tag, Actions: (n.actions || []).map((a) => a.action)}); return JSON.stringify(all); })()`)
	if err != nil {
		return nil, err
	}
	var out []stage.Notification
	return out, json.Unmarshal([]byte(text), &out)
}

// OpenForm posts a form, from the page that is open.
func (b *Browser) OpenForm(url string, f *entrance.Form) (*stage.Load, error) {
	data, err := json.Marshal(f)
	if err != nil {
		return nil, err
	}
	target, err := json.Marshal(b.server.Origin + url)
	if err != nil {
		return nil, err
	}
	ctx, cancel := context.WithTimeout(b.ctx, patience)
	defer cancel()
	tree, err := chromedp.Call(ctx, page.GetFrameTree, cdp.Empty{})
	if err != nil {
		return nil, fmt.Errorf("%s: %w", url, err)
	}
	b.mu.Lock()
	b.requests, b.order, b.errors = map[network.RequestID]*request{}, nil, nil
	b.frame, b.loader = tree.FrameTree.Frame.ID, tree.FrameTree.Frame.LoaderID
	b.mu.Unlock()
	script := fmt.Sprintf(`(() => { const given = %s, form = document.createElement("form"); form.method = "post"; form.action = %s; form.enctype = given.Enctype;
  const field = (name, kind) => { const i = document.createElement("input"); i.type = kind; i.name = name; form.append(i); return i; };
  for (const [name, value] of given.Fields || []) field(name, "hidden").value = value;
  for (const f of given.Files || []) { const all = new DataTransfer(); all.items.add(new File([f.Data], f.Name, {type: f.Type})); field(f.Field, "file").files = all.files; }
  document.documentElement.append(form); setTimeout(() => form.submit(), 0); return true; })()`, data, target)
	if _, err := evaluate[bool](ctx, script); err != nil {
		return nil, fmt.Errorf("%s: %w", url, err)
	}
	at, failed := "", ""
	if err := b.until(patience, func() (bool, error) {
		b.mu.Lock()
		defer b.mu.Unlock()
		if at == "" {
			at = b.follow()
		}
		for _, r := range b.requests {
			if r.kind == network.ResourceTypeDocument && r.loader == b.loader && at != "" {
				failed = r.failed
				return r.finished, nil
			}
		}
		return false, nil
	}); err != nil {
		return nil, err
	}
	l := &stage.Load{URL: url, AnsweredBy: stage.ByBrowser, Why: failed}
	if at == "" {
		l.Why = "the navigation never began"
	}
	if failed != "" || at == "" {
		return l, nil
	}
	return l, b.rest(ctx, url, l)
}
