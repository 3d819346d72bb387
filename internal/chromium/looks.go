package chromium

import (
	"context"
	"fmt"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
)

// Emulate has pages be drawn for a medium, "screen" or "print", and in a colour scheme, "light" or "dark".
func (b *Browser) Emulate(medium, scheme string) error {
	_, err := chromedp.Call(b.ctx, emulation.SetEmulatedMedia, emulation.SetEmulatedMediaParams{Media: medium, Features: []*emulation.MediaFeature{{Name: "prefers-color-scheme", Value: scheme}}})
	return err
}

// Install gives the browser's own reports on the open page: what hinders its installation, and what is wrong with
// its manifest.
func (b *Browser) Install() (hindrances []string, manifest []string, err error) {
	ctx, cancel := context.WithTimeout(b.ctx, patience)
	defer cancel()
	found, err := chromedp.Call(ctx, page.GetInstallabilityErrors, cdp.Empty{})
	if err != nil {
		return nil, nil, err
	}
	for _, e := range found.InstallabilityErrors {
		hindrances = append(hindrances, e.ErrorID)
	}
	got, err := chromedp.Call(ctx, page.GetAppManifest, page.GetAppManifestParams{})
	if err != nil {
		return nil, nil, err
	}
	for _, p := range got.Errors {
		manifest = append(manifest, fmt.Sprintf("%d:%d: %s", p.Line, p.Column, p.Message))
	}
	return hindrances, manifest, nil
}

// Manifest gives what the browser makes of the open page's manifest.
func (b *Browser) Manifest() (page.GetAppManifestResult, error) {
	ctx, cancel := context.WithTimeout(b.ctx, patience)
	defer cancel()
	got, err := chromedp.Call(ctx, page.GetAppManifest, page.GetAppManifestParams{})
	if err != nil {
		return page.GetAppManifestResult{}, err
	}
	return got, nil
}

// Screenshot draws the open page in a window of some CSS px, each of as many device px as scale says.
func (b *Browser) Screenshot(width, height int64, scale float64) ([]byte, error) {
	ctx, cancel := context.WithTimeout(b.ctx, patience)
	defer cancel()
	if _, err := chromedp.Call(ctx, emulation.SetDeviceMetricsOverride, emulation.SetDeviceMetricsOverrideParams{Width: width, Height: height, DeviceScaleFactor: scale, Mobile: width < 600}); err != nil {
		return nil, err
	}
	shot, err := chromedp.Call(ctx, page.CaptureScreenshot, page.CaptureScreenshotParams{Format: page.CaptureScreenshotFormatPng})
	if err != nil {
		return nil, err
	}
	return shot.Data, nil
}

// Evaluate runs a script in the open page and gives the string that it comes to.
func (b *Browser) Evaluate(script string) (string, error) {
	ctx, cancel := context.WithTimeout(b.ctx, patience)
	defer cancel()
	return evaluate[string](ctx, script)
}

// Sheet draws a page of HTML that needs nothing else, as wide and high as it is, up to 4000 by 20000 px.
func (b *Browser) Sheet(html string) ([]byte, error) {
	ctx, cancel := context.WithTimeout(b.root, patience)
	defer cancel()
	if _, err := chromedp.Call(ctx, emulation.ClearDeviceMetricsOverride, cdp.Empty{}); err != nil {
		return nil, err
	}
	if _, err := chromedp.Call(ctx, page.Navigate, page.NavigateParams{URL: "about:blank"}); err != nil {
		return nil, err
	}
	tree, err := chromedp.Call(ctx, page.GetFrameTree, cdp.Empty{})
	if err != nil {
		return nil, err
	}
	if _, err := chromedp.Call(ctx, page.SetDocumentContent, page.SetDocumentContentParams{FrameID: tree.FrameTree.Frame.ID, HTML: html}); err != nil {
		return nil, err
	}
	size, err := evaluate[[]float64](ctx, `(async () => { await Promise.all([...document.images].map((i) => i.decode().catch(() => {}))); const e = document.documentElement; return [e.scrollWidth, e.scrollHeight]; })()`)
	if err != nil {
		return nil, err
	}
	width, height := min(int64(size[0]), 4000), min(int64(size[1]), 20000)
	if _, err := chromedp.Call(ctx, emulation.SetDeviceMetricsOverride, emulation.SetDeviceMetricsOverrideParams{Width: width, Height: height, DeviceScaleFactor: 1}); err != nil {
		return nil, err
	}
	shot, err := chromedp.Call(ctx, page.CaptureScreenshot, page.CaptureScreenshotParams{Format: page.CaptureScreenshotFormatPng})
	if err != nil {
		return nil, err
	}
	return shot.Data, nil
}
