package audit

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/survey"
)

// application has a good site be an application with one route, /boats, or one with something wrong.
func application(t testing.TB, what string, s *site.Site, rules *site.Rules, o *Options, visits *rehearsal.Options) {
	inv, err := survey.Take(context.Background(), s, survey.Options{})
	require.NoError(t, err)
	a := survey.Application{Shell: "/", Known: "its scripts", Routes: []survey.Route{{Pattern: "/boats", Address: "/boats", Seen: 1, Data: []survey.Data{{Method: "GET", URL: "/api/boats"}}}}}
	if what == "dead" {
		a.Dead = []string{"/gone"}
	}
	inv.Applications, o.Inventory = []survey.Application{a}, inv
	if what != "unanswered" {
		rules.Routes = []site.RouteRule{{Folder: "/", Shell: "/", Except: a.ServerPaths()}}
	}
	rules.Redirects, visits.Led = []site.RedirectRule{{From: "/old", To: "/fares.html", Status: 302}}, []string{"/old"}
	for _, p := range s.Pages() {
		visits.Pages = append(visits.Pages, p.URL)
	}
	visits.Pages, visits.Revisit, visits.MadeUp = append(visits.Pages, "/boats"), []string{"/boats"}, []string{"/api/boats"}
}

// appWorker answers the route with the start page, and keeps what it fetches.
var appWorker = strings.Replace(goodWorker, "onfetch = ", `const kept = async (r) => { const c = await caches.open("v"); try { const x = await fetch(r); if (x.ok) await c.put(r, x.clone()); return x; } catch (e) { return (await c.match(r)) || Response.error(); } };
const routed = (e) => e.request.url.endsWith("/boats") && e.respondWith(e.request.mode === "navigate" ? caches.match("/") : kept(e.request)) === undefined && e.request.url.endsWith("/boats");
onfetch = (e) => routed(e) || good(e);
const good = `, 1)

// appUse is what the application's script does.
const appUse = `fetch("/data.json"); if (window.launchQueue) launchQueue.setConsumer(() => {}); addEventListener("offline", () => {}); if (location.pathname === "/boats") fetch("/api/boats").catch(() => {}); if (document.title === "x") navigator.geolocation.getCurrentPosition(() => {})`
