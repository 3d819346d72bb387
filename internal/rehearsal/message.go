package rehearsal

import (
	"errors"
	"fmt"
	"strconv"
	"strings"

	"tachyform.dev/tachyform/internal/stage"
)

// message lets the browser give the worker an event.
func (p *telling) message(s step) (saw, why string, err error) {
	m, ok := p.st.(Messenger)
	if !ok {
		return "", "this stage brings no push messages", nil
	}
	if p.load == nil {
		return "", "no page was opened before", nil
	}
	var e *stage.Event
	switch s.verb {
	case "push":
		e, err = m.Push(s.rest, s.rest == "")
	case "sync":
		e, err = m.Sync(s.rest)
	default:
		e, err = m.Tap(strings.TrimSpace(strings.TrimPrefix(s.rest, "notification")))
	}
	switch {
	case errors.Is(err, errors.ErrUnsupported):
		return "", "not on this stage: --stage embedded", nil
	case err != nil:
		return "", "", err
	case e == nil:
		return "", "no notification is shown", nil
	case e.Worker == "":
		return "", "no worker is there", nil
	case !e.Listens:
		return "", "the worker does not listen for it", nil
	case e.Error != "":
		return "", fmt.Sprintf("%s (%s:%d)", e.Error, e.File, e.Line), nil
	}
	if s.verb == "sync" {
		return "", "", p.st.Settle()
	}
	if s.verb == "push" {
		if len(e.Shown) == 0 {
			return "", "the worker shows nothing: browsers show a notification of their own then, and take the permission back from sites that do so often", nil
		}
		return fmt.Sprintf("%q is shown", e.Shown[len(e.Shown)-1].Title), "", nil
	}
	switch {
	case e.Focused != "":
		next, err := p.st.Shown()
		if err != nil {
			return "", "", err
		}
		if next != nil {
			p.load = next
		}
		p.url = e.Focused
		return "brings " + e.Focused + " to the front", "", nil
	case strings.HasPrefix(e.Opened, "/"):
		next, err := p.st.Shown()
		if err != nil || next == nil {
			return "", "", err
		}
		p.url, p.load, p.answer = e.Opened, next, nil
		return "opens " + e.Opened + ": " + p.look(), "", nil
	case e.Opened != "":
		return "opens " + e.Opened, "", nil
	}
	return "opens no page", "", nil
}

// shown compares with the notifications that are shown.
func (p *telling) shown(none bool, text string) (saw, why string) {
	m, ok := p.st.(Messenger)
	if !ok {
		return "", "this stage brings no push messages"
	}
	list, err := m.Notifications()
	if err != nil {
		return "", err.Error()
	}
	var all []string
	for _, n := range list {
		if one := strings.TrimSpace(n.Title + " " + n.Body); !none && strings.Contains(one, text) {
			return one, ""
		}
		all = append(all, strconv.Quote(n.Title))
	}
	if none && len(all) == 0 {
		return "", ""
	}
	return strings.Join(all, ", "), fmt.Sprintf("what is shown: %s", orElse(strings.Join(all, ", "), "nothing"))
}
