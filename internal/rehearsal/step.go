package rehearsal

import (
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
)

// ErrStep says that a step of a story is not understood.
var ErrStep = errors.New("no such step")

// Steps describes the step language, a line for each step.
const Steps = `open URL                 open a page in the tab in use
reload [hard]            open the same page again; hard is past the worker and the browser's cache
tab N                    go to another tab, from 1; the one after the last is opened
close                    close the tab in use
fetch URL                a script of the page fetches
post URL [BODY]          a script of the page posts
wait DURATION            time passes, such as 30s (on the embedded stage only)
network STATE            online, offline, slow, failing, portal
network GLOB STATE       one address: online, offline, slow, failing, portal, missing
serve next               the server has the next release
take over                the waiting worker takes over
stop worker              its globals are lost
forget everything        stores, databases and workers are gone
click WHAT               a tap on what a selector names, or on what has this text
type SELECTOR TEXT       a text is typed into a field
choose SELECTOR VALUE    an option of a list is chosen, or a box ticked (true, false)
submit SELECTOR          a form is sent
back, forward            the browser's buttons
location LAT LON         the device is there, and pages that ask may know (Geolocation)
push [TEXT]              a push message comes to the worker (the visitor has allowed it)
tap notification [NAME]  on what is shown, or on its action of that name (on the embedded stage only)
sync TAG                 the browser fires the sync event of a tag
expect OUTCOME           of the page opened last: whole, partial, blank, stand-in, lost
expect title TEXT        its title holds the text
expect text TEXT         what the visitor reads does
expect no text TEXT      it does not
expect notification TEXT one is shown that holds the text; or: expect no notification
expect location URL      the tab shows this address
expect element SELECTOR  there is such an element
expect status N          of the page, or of what was fetched last
expect body TEXT         of what was fetched last
expect release N         page and parts are of release 1 or 2, and of no other
expect no mix            page and parts are of one release
expect stored URL        some store holds it; or: expect not stored URL`

// step is one step, parsed.
type step struct {
	verb string
	args []string
	rest string // everything behind the verb, as it stands
}

// verbs are the steps and how many words they need behind them.
var verbs = map[string]int{"open": 1, "reload": 0, "location": 2, "tab": 1, "close": 0, "fetch": 1, "post": 1, "wait": 1, "network": 1, "serve": 1, "take": 1, "stop": 1, "forget": 1, "expect": 1, "click": 1, "type": 2, "choose": 2, "submit": 1, "back": 0, "forward": 0, "push": 0, "tap": 1, "sync": 1}

// Check says what is wrong with a story's steps, without telling it.
func (s *Story) Check() error {
	for i, text := range s.Steps {
		if err := CheckStep(text); err != nil {
			return fmt.Errorf("story %q, step %d: %w", s.Name, i+1, err)
		}
	}
	return nil
}

// CheckStep says what is wrong with a step of a story.
func CheckStep(text string) error {
	_, err := parseStep(text)
	return err
}

func parseStep(text string) (step, error) {
	words := strings.Fields(text)
	if len(words) == 0 {
		return step{}, fmt.Errorf("an empty step: %w", ErrStep)
	}
	s := step{verb: words[0], args: words[1:], rest: strings.TrimSpace(strings.TrimPrefix(strings.TrimSpace(text), words[0]))}
	needs, known := verbs[s.verb]
	wrong := func(why string) (step, error) { return step{}, fmt.Errorf("%q: %s: %w", text, why, ErrStep) }
	switch {
	case !known:
		return wrong("it begins with one of open, reload, tab, close, fetch, post, wait, network, serve, take, stop, forget, click, type, choose, submit, back, forward, location, push, tap, sync, expect")
	case len(s.args) < needs:
		return wrong("something is missing behind " + s.verb)
	}
	switch s.verb {
	case "tab":
		if n, err := strconv.Atoi(s.args[0]); err != nil || n < 1 {
			return wrong("tabs have numbers from 1")
		}
	case "wait":
		if d, err := time.ParseDuration(s.args[0]); err != nil || d <= 0 || d > 365*24*time.Hour {
			return wrong("a duration is written as 30s, 5m or 2h")
		}
	case "network":
		states := stage.Networks
		if len(s.args) > 1 {
			states = append(slices.Clone(states), site.Missing)
		}
		if !slices.Contains(states, stage.Network(s.args[len(s.args)-1])) {
			return wrong("the network is online, offline, slow, failing or portal; single addresses can be missing, too")
		}
	case "serve", "take", "stop", "forget":
		if full := map[string]string{"serve": "next", "take": "over", "stop": "worker", "forget": "everything"}[s.verb]; s.rest != full {
			return wrong(fmt.Sprintf("it is %q", s.verb+" "+full))
		}
	case "reload":
		if s.rest != "" && s.rest != "hard" {
			return wrong("it is \"reload\", or \"reload hard\"")
		}
	case "location":
		for i, most := range []float64{90, 180} {
			if v, err := strconv.ParseFloat(s.args[i], 64); err != nil || !(v >= -most && v <= most) {
				return wrong("it is latitude and longitude in degrees, such as \"location 57.15 -7.30\"")
			}
		}
	case "tap":
		if s.args[0] != "notification" {
			return wrong("it is \"tap notification\", or with the name of an action")
		}
	case "expect":
		return s, s.checkExpect(text)
	}
	return s, nil
}

func (s *step) checkExpect(text string) error {
	wrong := func(why string) error { return fmt.Errorf("%q: %s: %w", text, why, ErrStep) }
	switch s.args[0] {
	case "whole", "partial", "blank", "stand-in", "lost":
		return nil
	case "title", "text", "body", "stored", "element", "notification", "location":
		if len(s.args) < 2 {
			return wrong("something is missing behind " + s.args[0])
		}
	case "not":
		if len(s.args) < 3 || s.args[1] != "stored" {
			return wrong("it is \"expect not stored URL\"")
		}
	case "no":
		if (len(s.args) != 2 || s.args[1] != "mix" && s.args[1] != "notification") && (len(s.args) < 3 || s.args[1] != "text") {
			return wrong("it is \"expect no mix\", \"expect no notification\" or \"expect no text TEXT\"")
		}
	case "status", "release":
		if len(s.args) < 2 {
			return wrong("a number is missing")
		}
		if n, err := strconv.Atoi(s.args[1]); err != nil || s.args[0] == "release" && n != 1 && n != 2 {
			return wrong("it is a status such as 200, or release 1 or 2")
		}
	default:
		return wrong("what can be expected is whole, partial, blank, stand-in, lost, title, text, no text, element, location, notification, no notification, status, body, release, no mix, stored, not stored")
	}
	return nil
}
