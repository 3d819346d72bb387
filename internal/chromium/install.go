package chromium

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"github.com/chromedp/cdproto/pwa"
	"github.com/chromedp/cdproto/target"
	"github.com/chromedp/chromedp"
)

// App is an installed app as it was opened.
type App struct {
	URL        string // root-relative
	Title      string
	Display    string // the display mode that a style sheet finds
	Theme      string // of the page's tag, "" for none
	Controlled bool   // a worker answers for it
	Told       string // what its scripts wrote of it that it was opened (the attribute data-told), "" for nothing
}

// InstallApp installs the app of a page of the site into the profile, by its absolute id.
func (b *Browser) InstallApp(id, page string) error {
	ctx, cancel := context.WithTimeout(b.ctx, patience)
	defer cancel()
	if _, err := chromedp.Call(ctx, pwa.Install, pwa.InstallParams{ManifestID: id, InstallURLOrBundleURL: b.server.Origin + page}); err != nil {
		return fmt.Errorf("installing %s: %w", id, err)
	}
	// Who installs by the browser's offer gets a window; by the protocol it is a tab until this is said.
	if _, err := chromedp.Call(ctx, pwa.ChangeAppUserSettings, pwa.ChangeAppUserSettingsParams{ManifestID: id, DisplayMode: pwa.DisplayModeStandalone}); err != nil {
		return fmt.Errorf("a window for %s: %w", id, err)
	}
	return nil
}

// LaunchApp opens an installed app, at an address of it or, for "", at its start URL, and closes it again.
func (b *Browser) LaunchApp(id, address string) (*App, error) {
	ctx, cancel := context.WithTimeout(b.ctx, patience)
	defer cancel()
	if address != "" {
		address = b.server.Origin + address
	}
	return b.opens(ctx, id, func() error {
		_, err := chromedp.Call(ctx, pwa.Launch, pwa.LaunchParams{ManifestID: id, URL: address})
		return err
	})
}

// OpenWithApp opens a file with an installed app, and closes its window again.
func (b *Browser) OpenWithApp(id, file string) (*App, error) {
	ctx, cancel := context.WithTimeout(b.ctx, patience)
	defer cancel()
	return b.opens(ctx, id, func() error {
		_, err := chromedp.Call(ctx, pwa.LaunchFilesInApp, pwa.LaunchFilesInAppParams{ManifestID: id, Files: []string{file}})
		return err
	})
}

// opens waits for the window of an app, and looks at it.
func (b *Browser) opens(ctx context.Context, id string, launch func() error) (*App, error) {
	before, err := b.windows(ctx)
	if err != nil {
		return nil, err
	}
	if err := launch(); err != nil {
		return nil, fmt.Errorf("opening %s: %w", id, err)
	}
	var opened target.ID // what Launch gives is the tab around the page
	if err := b.until(patience, func() (bool, error) {
		now, err := b.windows(ctx)
		for _, w := range now {
			if !slices.Contains(before, w) {
				opened = w
			}
		}
		return opened != "", err
	}); err != nil {
		return nil, err
	}
	window, end := chromedp.NewContext(b.root, chromedp.WithTargetID(opened))
	defer end()
	text, err := evaluate[string](window, `new Promise((done) => {
  const tell = () => done(JSON.stringify({URL: location.href, Title: document.title, Display: ["window-controls-overlay", "tabbed", "fullscreen", "standalone", "minimal-ui", "browser"].find((m) => matchMedia("(display-mode: " + m + ")").matches) || "",
    Theme: (document.querySelector("meta[name=theme-color]") || {}).content || "", Controlled: !!navigator.serviceWorker.controller, Told: document.documentElement.dataset.told || ""}));
  const root = document.documentElement; // a page that waits to be told says so
  const ready = () => { if (root.dataset.told !== "waits") tell(); else new MutationObserver(tell).observe(root, {attributes: true}); };
  if (document.readyState === "complete") ready(); else addEventListener("load", ready);
})`)
	if err != nil {
		return nil, fmt.Errorf("the window of %s: %w", id, err)
	}
	var a App
	if err := json.Unmarshal([]byte(text), &a); err != nil {
		return nil, err
	}
	a.URL = b.relative(a.URL)
	return &a, nil
}

// windows lists the pages that are open.
func (b *Browser) windows(ctx context.Context) ([]target.ID, error) {
	got, err := chromedp.Call(ctx, target.GetTargets, target.GetTargetsParams{})
	if err != nil {
		return nil, err
	}
	var out []target.ID
	for _, t := range got.TargetInfos {
		if t.Type == "page" {
			out = append(out, t.TargetID)
		}
	}
	return out, nil
}

// FileTypes gives the media types that the system opens with an installed app.
func (b *Browser) FileTypes(id string) ([]string, error) {
	ctx, cancel := context.WithTimeout(b.ctx, patience)
	defer cancel()
	got, err := chromedp.Call(ctx, pwa.GetOsAppState, pwa.GetOsAppStateParams{ManifestID: id})
	if err != nil {
		return nil, err
	}
	var out []string
	for _, h := range got.FileHandlers {
		for _, a := range h.Accepts {
			out = append(out, a.MediaType)
		}
	}
	return out, nil
}
