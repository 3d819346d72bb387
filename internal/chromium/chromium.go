// Package chromium is a real Chromium as a stage, over the DevTools protocol.
package chromium

import (
	"context"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"sort"
	"strings"
	"sync"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/cdproto/serviceworker"
	"github.com/chromedp/cdproto/storage"
	"github.com/chromedp/chromedp"

	"tachyform.dev/tachyform/internal/serve"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
)

// patience is how long a page may take in real time; without a network an answer comes at once or never.
const (
	patience        = 30 * time.Second
	offlinePatience = 8 * time.Second
	slowPatience    = 14 * time.Second // our worker waits for ten seconds before it gives a page up
)

// Browser is a Chromium with a fresh profile, visiting one local server.
type Browser struct {
	server  *serve.Server
	base    context.Context // what ends every browser
	path    string
	profile string // the folder that everything is stored in
	own     string // the folder around it, when it goes with the browser; else ""
	cancel  []context.CancelFunc
	root    context.Context // of the browser and its first tab, which stays open until the end
	network stage.Network

	tabs []*tab
	*tab // the one in use

	mu       sync.Mutex
	versions map[string]*serviceworker.Version
	regs     map[string]*serviceworker.Registration
	remarks  []stage.Remark
	changed  chan struct{} // told when workers change
	console  []string
	log      []string
	parts    bool
	scripts  bool // what visitors read is compared
}

// Start starts a browser for a server. It is ended by Close, and with ctx; what it stores goes with it.
func Start(ctx context.Context, server *serve.Server) (*Browser, error) {
	dir, err := os.MkdirTemp("", "tachyform-chromium-")
	if err != nil {
		return nil, err
	}
	b, err := StartIn(ctx, server, filepath.Join(dir, "visitor"))
	if err != nil {
		_ = os.RemoveAll(dir)
		return nil, err
	}
	b.own = dir
	return b, nil
}

// StartIn starts a browser that keeps what it stores in a folder, so that another one can go on with it.
func StartIn(ctx context.Context, server *serve.Server, profile string) (*Browser, error) {
	path, err := Find(ctx)
	if err != nil {
		return nil, err
	}
	b := &Browser{server: server, base: ctx, path: path, profile: profile, network: stage.Online, versions: map[string]*serviceworker.Version{},
		regs: map[string]*serviceworker.Registration{}, changed: make(chan struct{}, 1)}
	if err := b.start(); err != nil {
		return nil, err
	}
	return b, nil
}

// start starts the browser's process.
func (b *Browser) start() error {
	opts := append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath(b.path), chromedp.NoSandbox, chromedp.DisableGPU,
		chromedp.Flag("disable-quic", true), chromedp.Flag("disable-component-update", true),
		chromedp.Flag("autoplay-policy", "no-user-gesture-required"), chromedp.WindowSize(1280, 800))
	opts = append(opts, chromedp.UserDataDir(b.profile))
	alloc, cancel1 := chromedp.NewExecAllocator(b.base, opts...)
	root, cancel2 := chromedp.NewContext(alloc, chromedp.WithErrorf(func(format string, args ...any) { // what the library complains of is nothing that users can do something about
		b.mu.Lock()
		defer b.mu.Unlock()
		b.log = append(b.log, "driver: "+fmt.Sprintf(format, args...))
	}))
	b.root, b.cancel = root, []context.CancelFunc{cancel2, cancel1}
	b.tab = b.newTab(root, func() {})
	b.tabs = []*tab{b.tab}
	if err := b.enable(); err != nil {
		b.stop()
		return startError(b.path, err)
	}
	return nil
}

// startError says that a browser does not start, and what it said.
func startError(path string, err error) error {
	if errors.Is(err, context.Canceled) || errors.Is(err, context.DeadlineExceeded) {
		return fmt.Errorf("starting %s: %w", path, err)
	}
	said := strings.TrimSpace(strings.TrimPrefix(err.Error(), "chrome failed to start:"))
	if said == "" {
		said = "it ended without a word"
	}
	return fmt.Errorf("%s does not start as a Chromium does: %s; name another one with --browser", path, said)
}

func (b *Browser) newTab(ctx context.Context, end context.CancelFunc) *tab {
	return &tab{b: b, ctx: ctx, close: end, requests: map[network.RequestID]*request{}, idle: map[string]bool{}, idled: make(chan struct{}, 1)}
}

// Tab goes to the tab with a number, from 0; the one after the last is opened.
func (b *Browser) Tab(number int) error {
	if number < 0 || number > len(b.tabs) {
		return fmt.Errorf("there is no tab %d", number)
	}
	if number == len(b.tabs) {
		ctx, end := chromedp.NewContext(b.root)
		b.tab = b.newTab(ctx, end)
		b.tabs = append(b.tabs, b.tab)
		return b.enable()
	}
	b.tab = b.tabs[number]
	return nil
}

// CloseTab closes the tab in use and goes to the one before. The browser's first goes to an empty page instead, which no
// worker controls.
func (b *Browser) CloseTab() error {
	i := slices.Index(b.tabs, b.tab)
	if b.ctx == b.root {
		if _, err := chromedp.Call(b.ctx, page.Navigate, page.NavigateParams{URL: "about:blank"}); err != nil {
			return err
		}
		if len(b.tabs) == 1 { // no page is left: a worker that waits takes over now, unless the next page comes first
			b.await(3 * time.Second)
		}
		return nil
	}
	b.tabs[i].close()
	b.tabs = slices.Delete(b.tabs, i, i+1)
	b.tab = b.tabs[max(0, i-1)]
	return nil
}

// Release replaces the site that the server answers with.
func (b *Browser) Release(s *site.Server) { b.server.Release(s) }

// Received gives the requests that reached the site since the last call.
func (b *Browser) Received() []stage.Sent {
	var out []stage.Sent
	for _, r := range b.server.Log() {
		s := stage.Sent{Method: r.Method, URL: r.URL, Status: r.Status, Body: r.Body}
		for k, values := range r.Header {
			for _, v := range values {
				s.Header = append(s.Header, [2]string{strings.ToLower(k), v})
			}
		}
		out = append(out, s)
	}
	return out
}

// SetFaults changes the network for single addresses while it is online.
func (b *Browser) SetFaults(f site.Faults) { b.server.SetFaults(f) }

// Post gives a message to the worker that controls the open page, or to the one that waits to take over.
func (b *Browser) Post(message string, waiting bool) error {
	quoted, err := json.Marshal(message)
	if err != nil {
		return err
	}
	which := "navigator.serviceWorker.controller"
	if waiting {
		which = "(await navigator.serviceWorker.getRegistration()).waiting"
	}
	there, err := evaluate[bool](b.ctx, `(async () => { const w = `+which+`; if (w) w.postMessage(`+string(quoted)+`); return !!w })()`)
	if err == nil && !there {
		return errors.New("no worker controls the open page, or waits")
	}
	return err
}

// Update has the browser look for a new worker now, as it does soon after a navigation.
func (b *Browser) Update() error {
	ctx, cancel := context.WithTimeout(b.ctx, patience)
	defer cancel()
	_, err := evaluate[bool](ctx, `(async () => { const r = navigator.serviceWorker && await navigator.serviceWorker.getRegistration(); if (r) await r.update().catch(() => {}); return true })()`)
	return err
}

// Quota bounds what the site may store, in bytes.
func (b *Browser) Quota(bytes int64) error {
	size := float64(bytes)
	_, err := chromedp.Call(b.ctx, storage.OverrideQuotaForOrigin, storage.OverrideQuotaForOriginParams{Origin: b.server.Origin, QuotaSize: &size})
	return err
}

// KeepParts has every load say what the page and its parts are.
func (b *Browser) KeepParts() { b.parts = true }

// TakeOver lets a waiting worker become active.
func (b *Browser) TakeOver() error {
	regs, err := b.Registrations()
	if err != nil {
		return err
	}
	for _, r := range regs {
		if r.State == "waiting" {
			_, err := chromedp.Call(b.ctx, serviceworker.SkipWaiting, serviceworker.SkipWaitingParams{ScopeURL: b.server.Origin + r.Scope})
			return err
		}
	}
	return errors.New("no worker waits to take over")
}

// Clear removes everything that the site has stored, and its workers.
func (b *Browser) Clear() error {
	if _, err := chromedp.Call(b.ctx, storage.ClearDataForOrigin, storage.ClearDataForOriginParams{Origin: b.server.Origin, StorageTypes: "all"}); err != nil {
		return err
	}
	_, err := chromedp.Call(b.ctx, network.ClearBrowserCache, cdp.Empty{})
	return err
}

// enable asks the browser for the events that are listened to.
func (b *Browser) enable() error {
	if err := chromedp.Listen(b.ctx, b.tab.event); err != nil {
		return err
	}
	if _, err := chromedp.Call(b.ctx, log.Enable, cdp.Empty{}); err != nil {
		return err
	}
	if _, err := chromedp.Call(b.ctx, network.Enable, network.EnableParams{}); err != nil {
		return err
	}
	if _, err := chromedp.Call(b.ctx, page.SetLifecycleEventsEnabled, page.SetLifecycleEventsEnabledParams{Enabled: true}); err != nil {
		return err
	}
	if b.scripts {
		if err := b.withoutOffer(); err != nil {
			return err
		}
		if err := b.tellOnline(); err != nil {
			return err
		}
	}
	_, err := chromedp.Call(b.ctx, serviceworker.Enable, cdp.Empty{})
	return err
}

// tellOnline has navigator.onLine say whether there is a network, as it does on a device.
func (b *Browser) tellOnline() error {
	_, err := chromedp.Call(b.ctx, network.OverrideNetworkState, network.OverrideNetworkStateParams{Offline: b.network == stage.Offline, DownloadThroughput: -1, UploadThroughput: -1})
	return err
}

// RunScripts is told when what visitors read is compared: the offer to install then never comes, since when it does depends on the visitor.
func (b *Browser) RunScripts(run bool) {
	if run && !b.scripts {
		b.scripts = true
		for _, t := range b.tabs {
			was := b.tab
			b.tab = t
			_ = b.withoutOffer()
			b.tab = was
		}
	}
}

func (b *Browser) withoutOffer() error {
	_, err := chromedp.Call(b.ctx, page.AddScriptToEvaluateOnNewDocument, page.AddScriptToEvaluateOnNewDocumentParams{Source: `addEventListener("beforeinstallprompt", (e) => { e.preventDefault(); e.stopImmediatePropagation(); }, true)`})
	return err
}

// evaluate runs a script in the open page and waits for what it promises.
func evaluate[T any](ctx context.Context, script string) (T, error) {
	return chromedp.Run(ctx, chromedp.Evaluate[T](script, func(p *runtime.EvaluateParams) { yes := true; p.AwaitPromise = &yes }))
}

// Kill ends the browser at once, as a crash does. What it has not written to its folder is lost.
func (b *Browser) Kill() { b.cancel[len(b.cancel)-1]() }

// Close ends the browser.
func (b *Browser) Close() {
	if b.own == "" {
		b.stop()
		return
	}
	_ = b.end() // gently, so that nothing writes into its folder any more
	_ = os.RemoveAll(b.own)
}

func (b *Browser) stop() {
	for _, c := range b.cancel {
		c()
	}
}

// Name is "chromium".
func (b *Browser) Name() string { return "chromium" }

func (b *Browser) relative(u string) string {
	if rest, ok := strings.CutPrefix(u, b.server.Origin); ok && strings.HasPrefix(rest, "/") {
		return rest
	}
	return u
}

// Fetch lets a script of the open page fetch a URL.
func (b *Browser) Fetch(url string) (*stage.Answer, error) { return b.Send(stage.Message{URL: url}) }

// Send lets a script of the open page send something.
func (b *Browser) Send(m stage.Message) (*stage.Answer, error) {
	wait := patience
	if b.network == stage.Slow {
		wait = offlinePatience
	}
	ctx, cancel := context.WithTimeout(b.ctx, wait)
	defer cancel()
	type fetched struct {
		Result string `json:"result"`
		Status int    `json:"status"`
		Type   string `json:"type"`
		Body   string `json:"body"`
		Why    string `json:"why"`
		Worker bool   `json:"worker"`
	}
	init := map[string]any{}
	if m.Method != "" {
		init["method"] = m.Method
	}
	if m.Body != "" {
		init["body"] = m.Body
	}
	headers := map[string]string{}
	if m.Type != "" {
		headers["Content-Type"] = m.Type
	}
	for _, h := range m.Header {
		headers[h[0]] = h[1]
	}
	init["headers"] = headers
	quoted, err := json.Marshal([]any{m.URL, init})
	if err != nil {
		return nil, err
	}
	out, err := evaluate[fetched](ctx, `(async () => { try { const r = await fetch(...`+string(quoted)+`); const b = new Uint8Array(await r.arrayBuffer());
		let s = ""; for (let i = 0; i < b.length; i += 8192) s += String.fromCharCode(...b.subarray(i, i + 8192));
		return {result: "answered", status: r.status, type: (r.headers.get("content-type") || "").split(";")[0].trim().toLowerCase(), body: btoa(s)} } catch (e) { return {result: "rejected", status: 0, body: "", why: String(e)} } })()`)
	if errors.Is(err, context.DeadlineExceeded) && b.network == stage.Slow {
		return &stage.Answer{URL: m.URL, Result: "rejected", Why: "the network does not answer in time"}, nil
	}
	if err != nil {
		return nil, fmt.Errorf("%s: %w", m.URL, err)
	}
	a := &stage.Answer{URL: m.URL, Result: out.Result, Status: out.Status, Type: out.Type, Why: out.Why}
	if out.Result == "answered" {
		body, err := base64.StdEncoding.DecodeString(out.Body)
		if err != nil {
			return nil, err
		}
		sum := sha256.Sum256(body)
		a.SHA256, a.Body = hex.EncodeToString(sum[:]), string(body)
	}
	return a, nil
}

// SetNetwork changes what the server does: it stops, holds back its answers, fails, or plays captive portal.
func (b *Browser) SetNetwork(n stage.Network) error {
	b.network = n
	if b.scripts {
		for _, t := range b.tabs {
			was := b.tab
			b.tab = t
			err := b.tellOnline()
			if b.tab = was; err != nil {
				return err
			}
		}
	}
	return b.server.SetNetwork(n)
}

// Settle waits until every worker is activated, waiting or redundant.
func (b *Browser) Settle() error {
	ctx, cancel := context.WithTimeout(b.ctx, patience)
	defer cancel()
	for {
		// A registration may have been asked for and not be reported yet.
		expected, err := evaluate[bool](ctx, `(async () => { if (!navigator.serviceWorker) return false;
			const r = await navigator.serviceWorker.getRegistration(); return !!(r && (r.installing || r.active && r.active.state === "activating")) })()`)
		if err != nil {
			return err
		}
		b.mu.Lock()
		busy := expected
		for _, v := range b.versions {
			if v.Status == serviceworker.VersionStatusInstalling || v.Status == serviceworker.VersionStatusActivating || v.Status == serviceworker.VersionStatusNew {
				busy = true
			}
		}
		b.mu.Unlock()
		if !busy {
			if b.await(400 * time.Millisecond) { // it may be about to take over
				continue
			}
			return nil
		}
		select {
		case <-b.changed:
		case <-ctx.Done():
			return fmt.Errorf("a worker never settled: %w", ctx.Err())
		}
	}
}

// await waits a while for a waiting worker to take over, and says whether one did.
func (b *Browser) await(limit time.Duration) bool {
	waiting := func() bool {
		b.mu.Lock()
		defer b.mu.Unlock()
		for _, v := range b.versions {
			if v.Status == serviceworker.VersionStatusInstalled {
				return true
			}
		}
		return false
	}
	if !waiting() {
		return false
	}
	timer := time.NewTimer(limit)
	defer timer.Stop()
	for waiting() {
		select {
		case <-b.changed:
		case <-timer.C:
			return false
		}
	}
	return true
}

// Rest stops all workers, so that their globals are lost.
func (b *Browser) Rest() error {
	_, err := chromedp.Call(b.ctx, serviceworker.StopAllWorkers, cdp.Empty{})
	return err
}

// Stores lists what is stored.
func (b *Browser) Stores() ([]stage.Store, error) {
	ctx, cancel := context.WithTimeout(b.ctx, patience)
	defer cancel()
	type kept struct {
		Name    string `json:"name"`
		Entries []struct {
			URL    string `json:"url"`
			Type   string `json:"type"`
			Status int    `json:"status"`
			Bytes  int64  `json:"bytes"`
			Opaque bool   `json:"opaque"`
		} `json:"entries"`
	}
	stores, err := evaluate[[]kept](ctx, `(async () => { const out = []; if (typeof caches === "undefined") return out; for (const name of await caches.keys()) {
		const c = await caches.open(name), entries = []; for (const k of await c.keys()) { const r = await c.match(k, {ignoreVary: true});
		if (r) entries.push({url: k.url, type: r.headers.get("content-type") || "", status: r.status, opaque: r.type === "opaque", bytes: (await r.blob()).size}) } out.push({name, entries}) } return out })()`)
	if err != nil {
		return nil, err
	}
	var out []stage.Store
	for _, s := range stores {
		st := stage.Store{Name: s.Name}
		for _, e := range s.Entries {
			st.Entries = append(st.Entries, stage.Stored{URL: b.relative(e.URL), Type: site.Essence(e.Type), Status: e.Status, Bytes: e.Bytes, Opaque: e.Opaque})
		}
		sort.Slice(st.Entries, func(i, j int) bool { return st.Entries[i].URL < st.Entries[j].URL })
		out = append(out, st)
	}
	return out, nil
}

// Registrations lists the workers.
func (b *Browser) Registrations() ([]stage.Registration, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	byReg := map[string]stage.Registration{}
	rank := map[string]int{"none": 0, "failed": 1, "activated": 2, "waiting": 3}
	for _, v := range b.versions {
		state := "none"
		switch v.Status {
		case serviceworker.VersionStatusActivated, serviceworker.VersionStatusActivating:
			state = "activated"
		case serviceworker.VersionStatusInstalled:
			state = "waiting"
		case serviceworker.VersionStatusRedundant:
			state = "failed"
		}
		id := string(v.RegistrationID)
		if r, ok := byReg[id]; ok && rank[r.State] >= rank[state] {
			continue
		}
		r := stage.Registration{URL: b.relative(v.ScriptURL), State: state}
		if g := b.regs[id]; g != nil {
			r.Scope = b.relative(g.ScopeURL)
		}
		byReg[id] = r
	}
	var out []stage.Registration
	for _, r := range byReg {
		out = append(out, r)
	}
	sort.Slice(out, func(i, j int) bool { return out[i].Scope < out[j].Scope })
	return out, nil
}

// Remarks gives what the browser reported since the last call.
func (b *Browser) Remarks() []stage.Remark {
	b.mu.Lock()
	defer b.mu.Unlock()
	r := b.remarks
	b.remarks = nil
	return r
}

// Console gives the error messages and uncaught exceptions of pages since the last call.
func (b *Browser) Console() []string {
	b.mu.Lock()
	defer b.mu.Unlock()
	c := b.console
	b.console = nil
	return c
}

// Log gives what the browser itself wrote to the console about pages since the last call, such as what a policy refused.
func (b *Browser) Log() []string {
	b.mu.Lock()
	defer b.mu.Unlock()
	l := b.log
	b.log = nil
	return l
}
