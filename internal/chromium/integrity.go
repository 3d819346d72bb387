package chromium

import (
	"bytes"
	"context"

	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/chromedp"

	"tachyform.dev/tachyform/internal/stage"
)

// readDigests gives the integrity metadata of what a document asks for, by address: of scripts, style sheets and import maps. The protocol
// reports such files as loaded, whether they were used or not.
const readDigests = `(() => {
	const digests = {}, is = (e, word) => (e.getAttribute("rel") || "").toLowerCase().split(/\s+/).includes(word);
	for (const map of document.querySelectorAll("script[type=importmap]")) {
		try {
			for (const [ref, digest] of Object.entries(JSON.parse(map.textContent).integrity || {})) digests[new URL(ref, document.baseURI).href] = String(digest);
		} catch { /* no map */ }
	}
	for (const e of document.querySelectorAll("script[src][integrity], link[href][integrity]")) {
		if (e.localName === "script" || is(e, "stylesheet")) digests[e.src || e.href] = e.integrity;
	}
	return digests;
})()`

// fits says whether a file that came is what the page's integrity names. A text is given by the protocol as its characters: one that has lost
// its bytes on the way is not judged.
func (b *Browser) fits(ctx context.Context, id network.RequestID, metadata string) bool {
	got, err := chromedp.Call(ctx, network.GetResponseBody, network.GetResponseBodyParams{RequestID: id})
	if err != nil || bytes.Contains(got.Body, []byte("\uFFFD")) {
		return true
	}
	return stage.Fits(func() []byte { return got.Body }, metadata) ||
		stage.Fits(func() []byte { return append([]byte("\uFEFF"), got.Body...) }, metadata)
}
