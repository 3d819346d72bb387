package chromium

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/chromedp/cdproto/browser"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"

	"tachyform.dev/tachyform/internal/stage"
)

// Reload loads what the tab shows again, past worker and caches.
func (b *Browser) Reload() (*stage.Load, error) {
	ctx, cancel := context.WithTimeout(b.ctx, b.patience())
	defer cancel()
	at, err := evaluate[string](ctx, "location.pathname + location.search")
	if err != nil {
		return nil, err
	}
	yes := true
	b.mu.Lock()
	b.requests, b.order, b.errors = map[network.RequestID]*request{}, nil, nil
	b.mu.Unlock()
	if _, err := chromedp.Call(ctx, page.Reload, page.ReloadParams{IgnoreCache: &yes}); err != nil {
		return nil, fmt.Errorf("%s: %w", at, err)
	}
	lost := &stage.Load{URL: at, AnsweredBy: stage.ByBrowser, Why: "there is no network"}
	for {
		b.mu.Lock()
		came := b.follow() != ""
		b.mu.Unlock()
		if came {
			break
		}
		select {
		case <-b.idled:
		case <-time.After(50 * time.Millisecond):
		case <-ctx.Done():
			return lost, nil
		}
	}
	l := &stage.Load{URL: at, AnsweredBy: stage.ByBrowser}
	if err := b.rest(ctx, at, l); err != nil {
		if b.network != stage.Online || errors.Is(err, context.DeadlineExceeded) { // its own error page is none that can be looked at
			return lost, nil
		}
		return nil, err
	}
	if l.Status == 0 {
		return lost, nil
	}
	return l, nil
}

// Stand puts the device to a latitude and longitude, in degrees, which pages of the site may know.
func (b *Browser) Stand(latitude, longitude float64) error {
	if _, err := chromedp.Call(b.ctx, browser.SetPermission, browser.SetPermissionParams{Permission: &browser.PermissionDescriptor{Name: "geolocation"}, Setting: browser.PermissionSettingGranted, Origin: b.server.Origin}); err != nil {
		return fmt.Errorf("allowing the location: %w", err)
	}
	accuracy := 1.0
	if _, err := chromedp.Call(b.ctx, emulation.SetGeolocationOverride, emulation.SetGeolocationOverrideParams{Latitude: &latitude, Longitude: &longitude, Accuracy: &accuracy}); err != nil {
		return fmt.Errorf("the location: %w", err)
	}
	return nil
}
