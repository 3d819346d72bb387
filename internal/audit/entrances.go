package audit

import (
	"bytes"
	"cmp"
	"fmt"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/entrance"
	"tachyform.dev/tachyform/internal/markup"
	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/stage"
	"tachyform.dev/tachyform/internal/survey"
)

// wayIn says in words how somebody comes in.
func wayIn(e rehearsal.EntranceResult) string {
	switch e.Kind {
	case entrance.Start:
		return "the icon"
	case entrance.Shortcut:
		return fmt.Sprintf("the shortcut %q", e.Name)
	case entrance.Share:
		return "what other apps share"
	case entrance.File:
		return fmt.Sprintf("a file of the type %s", cmp.Or(e.Name, "that the app opens"))
	case entrance.Protocol:
		return "a link of " + e.Name + ":"
	}
	return "a new note"
}

// entered makes findings of the ways in that were tried.
func (f *facts) entered(which func(rehearsal.EntranceResult) bool, find func(rehearsal.EntranceResult) string) ([]Finding, bool) {
	if !f.readable() || f.rehearsal == nil {
		return nil, false
	}
	var out []Finding
	applies := false
	for _, e := range f.rehearsal.Entrances {
		if !which(e) || e.Outcome == rehearsal.NotKnown {
			continue
		}
		applies = true
		if m := find(e); m != "" {
			x := f.at(e.Member, m, "")
			x.URL = e.URL
			out = append(out, x)
		}
	}
	return out, applies
}

// asks says whether a script asks for something of a device.
func (f *facts) asks(feature string) bool {
	for _, a := range f.inv.Features {
		if a.ID == feature {
			return true
		}
	}
	return false
}

// placed writes the place of a page's error, "" when it is not known.
func placed(e rehearsal.Error) string {
	if e.Line == 0 {
		return ""
	}
	return fmt.Sprintf(" (%s:%d:%d)", e.File, e.Line, e.Column)
}

// outcomeWords says what an outcome is to people.
func outcomeWords(e rehearsal.EntranceResult) string {
	switch e.Outcome {
	case rehearsal.Lost:
		return "shows the browser's error page"
	case rehearsal.StandIn:
		return "shows another page"
	case rehearsal.Partial:
		return "lacks something"
	}
	return "shows next to nothing"
}

var entranceChecks = []Check{
	{
		ID: "manifest/entrance-unanswered", Level: Warning, Title: "Every way into the app is answered",
		Example: `"shortcuts": [{"name": "Tides", "url": "/tide/"}], and the page is /tides/`,
		Why:     "Somebody who taps the shortcut, shares to the app or opens a file with it gets an error page.",
		Mend:    "correct the address, or answer it", Spec: "W3C Web Application Manifest, \"shortcuts member\"; Web Share Target",
		Matters: []string{"chromium-desktop", "chromium-android", "samsung-android"},
		run: func(f *facts) ([]Finding, bool) {
			return f.entered(func(e rehearsal.EntranceResult) bool {
				return e.Network == string(stage.Online) && e.Kind != entrance.Start // another check is about that
			}, func(e rehearsal.EntranceResult) string {
				if e.Outcome != rehearsal.Lost && e.Status < 400 {
					return ""
				}
				return fmt.Sprintf("%s leads to %s, which answers with %d", wayIn(e), e.URL, e.Status)
			})
		},
	},
	{
		ID: "offline/entrance-lost", Level: Warning, Title: "Every way into the app leads somewhere without a network",
		Example: `"start_url": "/?from=icon" and a worker that stores "/" only`,
		Why:     "Without a network, a tap on the icon or on a shortcut shows another page, or the browser's error page, although the page itself is stored.",
		Mend:    "have the worker answer the address as it stands in the manifest, with its query, or write it without one", Spec: "W3C Web Application Manifest, \"start_url member\", \"shortcuts member\"",
		run: func(f *facts) ([]Finding, bool) {
			if !f.workers() {
				return nil, false // that nothing is there without a network is said of all pages
			}
			return f.entered(func(e rehearsal.EntranceResult) bool {
				return e.Network == string(stage.Offline) && e.Method == "GET" && !f.private(e.URL) && f.answeredOnline(e)
			}, func(e rehearsal.EntranceResult) string {
				if e.Outcome == rehearsal.Whole || e.Outcome == rehearsal.Partial {
					return ""
				}
				return fmt.Sprintf("%s leads to %s, which %s without a network", wayIn(e), e.URL, outcomeWords(e))
			})
		},
	},
	{
		ID: "offline/share-lost", Level: Warning, Title: "What other apps share is not lost", Example: `"share_target": {"method": "POST", …} and no rule that keeps the post`,
		Why:  "People share a picture or a text to the app where there is no network; it is gone, and nobody says so.",
		Mend: "keep it: [[rule]] match = the action, method = \"POST\", answer = \"outbox\"; or take it in the worker's fetch handler", Spec: "Web Share Target",
		Matters: []string{"chromium-desktop", "chromium-android", "samsung-android"},
		run: func(f *facts) ([]Finding, bool) {
			return f.entered(func(e rehearsal.EntranceResult) bool {
				return e.Network == string(stage.Offline) && e.Method == "POST"
			}, func(e rehearsal.EntranceResult) string {
				if e.Outcome == rehearsal.Whole {
					return ""
				}
				return fmt.Sprintf("what is shared to %s is lost without a network: it %s, and nothing is sent later", e.URL, outcomeWords(e))
			})
		},
	},
	{
		ID: "manifest/file-not-taken", Level: Warning, Title: "Files that the app opens are taken", Example: `"file_handlers" and no script that mentions launchQueue`,
		Why:  "The system hands the file over, the app opens, and shows nothing of it.",
		Mend: "take it by launchQueue.setConsumer, or leave file_handlers out", Spec: "Web App Manifest - Incubations, \"file_handlers member\", \"launch queue\"",
		Matters: []string{"chromium-desktop"},
		run: func(f *facts) ([]Finding, bool) {
			if !f.readable() || len(f.manifest.Processed.FileHandlers) == 0 || f.scriptsElsewhere() {
				return nil, false // a script of another origin may do it
			}
			tried := false
			found, _ := f.entered(func(e rehearsal.EntranceResult) bool {
				return e.Kind == entrance.File && e.Network == string(stage.Online) && e.Launch != nil && e.Status < 400
			}, func(e rehearsal.EntranceResult) string {
				tried = true
				switch l := e.Launch; {
				case !l.Heard:
					return fmt.Sprintf("%s opens %s, where no script asks launchQueue for it", wayIn(e), e.URL)
				case len(l.Errors) > 0 && !l.Read: // what it makes of the content is another matter: the file is made up
					return fmt.Sprintf("%s is told to a script of %s, which fails before it reads it: %s%s", wayIn(e), e.URL, l.Errors[0].Message, placed(l.Errors[0]))
				}
				return ""
			})
			if tried || f.asks("launch") {
				return found, true
			}
			return []Finding{f.at("file_handlers", "no script of the site asks launchQueue for the files that are opened with the app", "")}, true
		},
	},
	{
		ID: "manifest/launch-not-heard", Level: Warning, Title: "An app whose window stays where it is hears what was asked of it",
		Example: `"launch_handler": {"client_mode": "focus-existing"} and no script that asks launchQueue`,
		Why:     "While the app is open, a tap on a shortcut, a link or a file only brings its window to the front: it goes on showing what it showed.",
		Mend:    "take the address by launchQueue.setConsumer and show what it names, or write navigate-existing", Spec: "Web App Manifest - Incubations, \"launch_handler member\", \"launch queue\"",
		Matters: []string{"chromium-desktop"},
		run: func(f *facts) ([]Finding, bool) {
			if !f.readable() || len(f.manifest.Processed.LaunchHandler) == 0 || f.manifest.Processed.LaunchHandler[0] != "focus-existing" || f.scriptsElsewhere() {
				return nil, false
			}
			var tried []string
			_, _ = f.entered(func(e rehearsal.EntranceResult) bool {
				return e.Kind == entrance.Start && e.Network == string(stage.Online) && e.Launch != nil && e.Status < 400
			}, func(e rehearsal.EntranceResult) string {
				if !e.Launch.Heard {
					tried = append(tried, e.URL)
				}
				return ""
			})
			switch {
			case len(tried) > 0:
				return []Finding{f.at("launch_handler", fmt.Sprintf("the window stays where it is, and no script of %s asks launchQueue what the app was opened with", tried[0]), "")}, true
			case !f.asks("launch"):
				return []Finding{f.at("launch_handler", "the window stays where it is, and no script of the site asks launchQueue what the app was opened with", "")}, true
			}
			return nil, true
		},
	},
	{
		ID: "worker/push-fails", Level: Warning, Title: "Push messages are taken", Example: "onpush = (e) => show(e.data.json().notification.title)",
		Why:  "The handler fails, so the visitor gets no notification, or one that the browser makes up.",
		Mend: "look at the line; take messages without data, and with other data than your own server's", Spec: "Push API, \"receiving push messages\"",
		run: func(f *facts) ([]Finding, bool) {
			p := f.pushes()
			if p == nil {
				return nil, false
			}
			if p.Error == "" {
				return nil, true
			}
			return []Finding{{File: f.script(cmp.Or(p.File, p.Worker)), Line: p.Line, Column: p.Column, Message: fmt.Sprintf("a push message makes the worker fail: %s (tried with JSON, with a text and without data)", p.Error)}}, true
		},
	},
	{
		ID: "worker/push-shows-nothing", Level: Warning, Title: "Push messages are shown",
		Example: "onpush = (e) => { registration.showNotification(\"Late\"); } without waitUntil, or a handler that only stores",
		Why:     "Browsers show a notification of their own when a site shows none (\"updated in the background\"), and take the permission back when it happens often.",
		Mend:    "show a notification for every message, inside of event.waitUntil", Spec: "Push API, \"userVisibleOnly\"",
		run: func(f *facts) ([]Finding, bool) {
			p := f.pushes()
			if p == nil || p.Error != "" {
				return nil, false
			}
			if len(p.Shown) > 0 {
				return nil, true
			}
			if p.Read && f.mayShow(p.Worker) { // what a message has to say is between the site and its server
				return nil, false
			}
			return []Finding{{File: f.script(p.Worker), Message: "the worker takes a push message and shows no notification"}}, true
		},
	},
	{
		ID: "worker/tap-does-nothing", Level: Warning, Title: "A tap on a notification opens the app",
		Example: "onpush shows a notification, and nothing listens for notificationclick",
		Why:     "The visitor taps on the message and nothing happens.",
		Mend:    "listen for notificationclick: close the notification and bring a page to the front, or open one (clients.openWindow), inside of event.waitUntil", Spec: "Notifications API, \"notificationclick\"; Service Workers, section 4.3.4",
		run: func(f *facts) ([]Finding, bool) {
			p := f.pushes()
			if p == nil || p.Tap == nil {
				return nil, false
			}
			t, at := p.Tap, Finding{File: f.script(cmp.Or(p.Tap.File, p.Worker)), Line: p.Tap.Line, Column: p.Tap.Column}
			switch {
			case !t.Listens:
				at.Message = "the worker shows notifications, and nothing listens for a tap on them"
			case t.Error != "":
				at.Message = "a tap on the notification makes the worker fail: " + t.Error
			case t.Opened == "" && t.Focused == "":
				at.Message = "a tap on the notification opens no page and brings none to the front"
			case t.Outcome == rehearsal.Lost || t.Outcome == rehearsal.StandIn:
				at.Message = fmt.Sprintf("a tap on the notification opens %s, which is not there", t.Opened)
			default:
				return nil, true
			}
			return []Finding{at}, true
		},
	},
}

// answeredOnline says whether a way in leads somewhere with a network.
func (f *facts) answeredOnline(e rehearsal.EntranceResult) bool {
	return slices.ContainsFunc(f.rehearsal.Entrances, func(o rehearsal.EntranceResult) bool {
		return o.Member == e.Member && o.Network == string(stage.Online) && o.Status > 0 && o.Status < 400
	})
}

// pushes gives what came of a push message, nil when none was brought.
func (f *facts) pushes() *rehearsal.PushResult {
	if f.rehearsal == nil {
		return nil
	}
	return f.rehearsal.Push
}

// mayShow says whether a worker's script, or one of the site's that it may import, shows notifications at all.
func (f *facts) mayShow(worker string) bool {
	path, _, _ := strings.Cut(worker, "?")
	for u := range f.inv.Closure(path) {
		if bytes.Contains(f.bytes(u), []byte("showNotification")) {
			return true
		}
	}
	return bytes.Contains(f.bytes(path), []byte("showNotification"))
}

// scriptsElsewhere says whether pages take scripts from other origins, which are not read.
func (f *facts) scriptsElsewhere() bool {
	return slices.ContainsFunc(f.summary.Foreign, func(o survey.Foreign) bool { return slices.Contains(o.Uses, string(markup.UseScript)) })
}

// script gives the file of a worker's script by its address.
func (f *facts) script(address string) string {
	u, _, _ := strings.Cut(address, "?")
	file, _ := f.server.Find(u)
	return cmp.Or(file, u)
}
