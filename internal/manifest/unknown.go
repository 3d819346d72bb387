package manifest

import (
	"fmt"
	"slices"
	"strings"
)

var processedMembers = []string{"name", "short_name", "description", "id", "start_url", "scope", "display", "display_override",
	"orientation", "theme_color", "background_color", "lang", "dir", "icons", "screenshots", "shortcuts", "share_target", "file_handlers",
	"protocol_handlers", "scope_extensions", "launch_handler", "note_taking", "prefer_related_applications", "related_applications", "permissions_policy"}

// otherMembers are those that no step above processes, with what becomes of them.
var otherMembers = map[string]string{
	"categories":       "", // app stores read it
	"iarc_rating_id":   "", // app stores read it
	"$schema":          "", // editors read it
	"tab_strip":        "",
	"widgets":          "",
	"edge_side_panel":  "",
	"handle_links":     "",
	"version":          "looked at in isolated apps only: changing it brings visitors of a site nothing new",
	"author":           "manifests of browser extensions have it; browsers ignore it here",
	"manifest_version": "manifests of browser extensions have it; browsers ignore it here",
	"gcm_sender_id":    "obsolete: push messages use the Push API's own keys",
	"capture_links":    "obsolete: launch_handler took its place",
	"url_handlers":     "obsolete: scope_extensions took its place",
	"user_preferences": "it was proposed and given up; browsers ignore it",
	"theme_colors":     "it was proposed and given up; browsers ignore it",
	"serviceworker":    "obsolete: pages register their worker themselves",
	"splash_pages":     "obsolete; browsers ignore it",
	"default_locale":   "manifests of browser extensions have it; browsers ignore it here",
}

// unknown tells members that no browser knows from obsolete and misspelt ones.
func (p *processor) unknown(o *Value) {
	known := slices.Clone(processedMembers)
	for m := range otherMembers {
		known = append(known, m)
	}
	slices.Sort(known)
	for _, m := range o.members {
		if slices.Contains(processedMembers, m.key) || strings.HasPrefix(m.key, "_") {
			continue
		}
		at := &Value{start: m.keyStart}
		if why, ok := otherMembers[m.key]; ok {
			if why != "" {
				p.problem(at, m.key, Advice, fmt.Sprintf("%q is %s", m.key, why), "remove it")
			}
			continue
		}
		if len(p.Problems) >= maxProblems { // what may be meant costs more than to say that it is unknown
			p.more++
			continue
		}
		lower := strings.ToLower(strings.ReplaceAll(m.key, "-", "_"))
		hint := suggest(lower, known)
		switch {
		case slices.Contains(known, lower):
			p.problem(at, m.key, Warning, fmt.Sprintf("no member is called %q; it is ignored", m.key), fmt.Sprintf("write %q", lower))
		case hint != "":
			p.problem(at, m.key, Warning, fmt.Sprintf("no member is called %q%s; it is ignored", m.key, hint), "correct the name")
		default:
			p.problem(at, m.key, Advice, fmt.Sprintf("no browser knows a member %q; it is ignored", m.key), "")
		}
	}
}
