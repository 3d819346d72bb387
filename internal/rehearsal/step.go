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

// step is one step, parsed.
type step struct {
	verb string
	args []string
	rest string // everything behind the verb, as it stands
	kind *stepKind
}

// stepKind is a kind of step: what it is called, what stands behind it, and what is done. It is all that the language knows of it: the parser, the
// help and the documentation are made of these.
type stepKind struct {
	verb  string
	forms []form
	needs int                    // words behind the verb
	exact string                 // what has to stand behind it, "" for anything
	wrong func(args step) string // what is wrong with what stands behind it, "" for nothing; nil when nothing can be
	do    func(p *telling, s step) (saw, why string, err error)
}

// form is a way to write a step, and what it does.
type form struct{ usage, does string }

// stepKinds are all kinds of steps, in the order in which they are explained.
var stepKinds = []stepKind{
	{verb: "open", forms: []form{{"open URL", "open a page in the tab in use"}}, needs: 1, do: func(p *telling, s step) (string, string, error) { return p.open(s.args[0]) }},
	{verb: "reload", forms: []form{{"reload [hard]", "open the same page again; hard is past the worker and the browser's cache"}}, do: (*telling).reload,
		wrong: func(s step) string {
			return unless(s.rest == "" || s.rest == "hard", `it is "reload", or "reload hard"`)
		}},
	{verb: "tab", forms: []form{{"tab N", "go to another tab, from 1; the one after the last is opened"}}, needs: 1, do: (*telling).goToTab,
		wrong: func(s step) string {
			n, err := strconv.Atoi(s.args[0])
			return unless(err == nil && n >= 1, "tabs have numbers from 1")
		}},
	{verb: "close", forms: []form{{"close", "close the tab in use"}}, do: (*telling).closeTab},
	{verb: "fetch", forms: []form{{"fetch URL", "a script of the page fetches"}}, needs: 1, do: (*telling).send},
	{verb: "post", forms: []form{{"post URL [BODY]", "a script of the page posts"}}, needs: 1, do: (*telling).send},
	{verb: "wait", forms: []form{{"wait DURATION", "time passes, such as 30s (on the embedded stage only)"}}, needs: 1, do: (*telling).wait,
		wrong: func(s step) string {
			d, err := time.ParseDuration(s.args[0])
			return unless(err == nil && d > 0 && d <= 365*24*time.Hour, "a duration is written as 30s, 5m or 2h")
		}},
	{verb: "network", forms: []form{{"network STATE", "online, offline, slow, failing, portal"}, {"network GLOB STATE", "one address: online, offline, slow, failing, portal, missing"}}, needs: 1, do: (*telling).change,
		wrong: func(s step) string {
			states := stage.Networks
			if len(s.args) > 1 {
				states = append(slices.Clone(states), site.Missing)
			}
			return unless(slices.Contains(states, stage.Network(s.args[len(s.args)-1])), "the network is online, offline, slow, failing or portal; single addresses can be missing, too")
		}},
	{verb: "serve", exact: "next", forms: []form{{"serve next", "the server has the next release"}}, needs: 1, do: (*telling).serveNext},
	{verb: "take", exact: "over", forms: []form{{"take over", "the waiting worker takes over"}}, needs: 1, do: (*telling).takeOver},
	{verb: "stop", exact: "worker", forms: []form{{"stop worker", "the worker is ended, and its globals are lost"}}, needs: 1, do: func(p *telling, _ step) (string, string, error) { return "", "", p.st.Rest() }},
	{verb: "forget", exact: "everything", forms: []form{{"forget everything", "stores, databases and workers are gone"}}, needs: 1, do: func(p *telling, _ step) (string, string, error) { return "", "", p.st.Clear() }},
	{verb: "click", forms: []form{{"click WHAT", "a tap on what a selector names, or on what has this text"}}, needs: 1, do: (*telling).act},
	{verb: "type", forms: []form{{"type SELECTOR TEXT", "a text is typed into a field"}}, needs: 2, do: (*telling).act},
	{verb: "choose", forms: []form{{"choose SELECTOR VALUE", "an option of a list is chosen, or a box ticked (true, false)"}}, needs: 2, do: (*telling).act},
	{verb: "submit", forms: []form{{"submit SELECTOR", "a form is sent"}}, needs: 1, do: (*telling).act},
	{verb: "back", forms: []form{{"back", "the browser's button: back to the page before"}}, do: (*telling).act},
	{verb: "forward", forms: []form{{"forward", "the browser's button: on to the page after"}}, do: (*telling).act},
	{verb: "location", forms: []form{{"location LAT LON", "the device is there, and pages that ask may know (Geolocation)"}}, needs: 2, do: (*telling).stand,
		wrong: func(s step) string {
			for i, most := range []float64{90, 180} {
				if v, err := strconv.ParseFloat(s.args[i], 64); err != nil || !(v >= -most && v <= most) {
					return "it is latitude and longitude in degrees, such as \"location 57.15 -7.30\""
				}
			}
			return ""
		}},
	{verb: "push", forms: []form{{"push [TEXT]", "a push message comes to the worker (the visitor has allowed it)"}}, do: (*telling).message},
	{verb: "tap", forms: []form{{"tap notification [NAME]", "a tap on what is shown, or on its action of that name (on the embedded stage only)"}}, needs: 1, do: (*telling).message,
		wrong: func(s step) string {
			return unless(s.args[0] == "notification", `it is "tap notification", or with the name of an action`)
		}},
	{verb: "sync", forms: []form{{"sync TAG", "the browser fires the sync event of a tag"}}, needs: 1, do: (*telling).message},
	{verb: "expect", needs: 1, do: (*telling).expect, forms: formsOf(expectations),
		wrong: func(s step) string {
			x, rest := expectationOf(s)
			switch {
			case x == nil:
				return "what can be expected is " + strings.Join(expectable(), ", ")
			case len(rest) < x.needs:
				return "something is missing behind " + strings.Join(s.args[:len(s.args)-len(rest)], " ")
			case x.wrong != nil:
				return x.wrong(rest)
			}
			return ""
		}},
}

// unless gives what is wrong when something does not hold.
func unless(holds bool, why string) string {
	if holds {
		return ""
	}
	return why
}

// expectation is something that can be expected, by the words behind "expect".
type expectation struct {
	words []string // that stand for it
	form  form
	needs int                        // words behind these
	wrong func(args []string) string // as of steps
	early bool                       // no page has to be open
	holds func(p *telling, word, rest string) (saw, why string)
}

var expectations = []expectation{
	{words: []string{"whole", "partial", "blank", "stand-in", "lost"}, form: form{"expect OUTCOME", "of the page opened last: whole, partial, blank, stand-in, lost"}, holds: (*telling).cameOut},
	{words: []string{"title"}, needs: 1, form: form{"expect title TEXT", "the title of the page holds the text"}, holds: (*telling).titled},
	{words: []string{"text"}, needs: 1, form: form{"expect text TEXT", "what the visitor reads holds the text"}, holds: (*telling).reads},
	{words: []string{"no text"}, needs: 1, form: form{"expect no text TEXT", "what the visitor reads does not hold it"}, holds: (*telling).doesNotRead},
	{words: []string{"notification"}, needs: 1, form: form{"expect notification TEXT", "one is shown that holds the text"}, holds: func(p *telling, _, rest string) (string, string) { return p.shown(false, rest) }},
	{words: []string{"no notification"}, form: form{"expect no notification", "none is shown"}, holds: func(p *telling, _, rest string) (string, string) { return p.shown(true, rest) }},
	{words: []string{"location"}, needs: 1, form: form{"expect location URL", "the tab shows this address"}, holds: (*telling).stands},
	{words: []string{"element"}, needs: 1, form: form{"expect element SELECTOR", "there is such an element"}, holds: (*telling).hasElement},
	{words: []string{"status"}, needs: 1, form: form{"expect status N", "of the page, or of what was fetched last"}, holds: (*telling).answeredWith,
		wrong: func(args []string) string {
			_, err := strconv.Atoi(args[0])
			return unless(err == nil, "it is a status such as 200")
		}},
	{words: []string{"body"}, needs: 1, form: form{"expect body TEXT", "of what was fetched last"}, holds: (*telling).fetchedBody},
	{words: []string{"release"}, needs: 1, form: form{"expect release N", "page and parts are of release 1 or 2, and of no other"}, holds: (*telling).isOf,
		wrong: func(args []string) string {
			return unless(args[0] == "1" || args[0] == "2", "it is release 1 or 2")
		}},
	{words: []string{"no mix"}, form: form{"expect no mix", "page and parts are of one release"}, holds: (*telling).isOfOne},
	{words: []string{"stored"}, needs: 1, early: true, form: form{"expect stored URL", "some store holds it"}, holds: func(p *telling, _, rest string) (string, string) { return p.stored(rest, true) }},
	{words: []string{"not stored"}, needs: 1, early: true, form: form{"expect not stored URL", "no store holds it"}, holds: func(p *telling, _, rest string) (string, string) { return p.stored(rest, false) }},
}

func formsOf(list []expectation) (out []form) {
	for _, x := range list {
		out = append(out, x.form)
	}
	return out
}

// expectable lists the words of all expectations.
func expectable() (out []string) {
	for _, x := range expectations {
		out = append(out, x.words...)
	}
	return out
}

// expectationOf finds what a step expects, by two words or one, and what stands behind these. It is nil for nothing that is known.
func expectationOf(s step) (*expectation, []string) {
	for _, n := range []int{2, 1} {
		if len(s.args) < n {
			continue
		}
		words := strings.Join(s.args[:n], " ")
		for i := range expectations {
			if slices.Contains(expectations[i].words, words) {
				return &expectations[i], s.args[n:]
			}
		}
	}
	return nil, nil
}

// Steps describes the step language, a line for each way to write a step.
var Steps = func() string {
	var lines []string
	for _, k := range stepKinds {
		for _, f := range k.forms {
			lines = append(lines, fmt.Sprintf("%-24s %s", f.usage, f.does))
		}
	}
	return strings.Join(lines, "\n")
}()

// StepTable is the same as a table of Markdown.
func StepTable() string {
	var b strings.Builder
	b.WriteString("| step | |\n|---|---|\n")
	for _, k := range stepKinds {
		for _, f := range k.forms {
			fmt.Fprintf(&b, "| `%s` | %s |\n", f.usage, f.does)
		}
	}
	return b.String()
}

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
	wrong := func(why string) (step, error) { return step{}, fmt.Errorf("%q: %s: %w", text, why, ErrStep) }
	var verbs []string
	for i := range stepKinds {
		if verbs = append(verbs, stepKinds[i].verb); stepKinds[i].verb == s.verb {
			s.kind = &stepKinds[i]
		}
	}
	switch k := s.kind; {
	case k == nil:
		return wrong("it begins with one of " + strings.Join(verbs, ", "))
	case len(s.args) < k.needs:
		return wrong("something is missing behind " + s.verb)
	case k.exact != "" && s.rest != k.exact:
		return wrong(fmt.Sprintf("it is %q", s.verb+" "+k.exact))
	case k.wrong != nil:
		if why := k.wrong(s); why != "" {
			return wrong(why)
		}
	}
	return s, nil
}
