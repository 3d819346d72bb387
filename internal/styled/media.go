package styled

import (
	"regexp"
	"strconv"
	"strings"
)

// Met says whether a media query list holds for a wide screen of a size in CSS px (Media Queries 4). What is not understood holds.
func Met(media string, width, height int) bool {
	return mediaMet(strings.ToLower(media), width, height)
}

// met says whether an at-rule's condition holds on the screen. What is not understood holds, so that nothing is left out for it.
func met(rule string, width, height int) bool {
	name, condition, _ := strings.Cut(rule, " ")
	switch name {
	case "@media":
		return mediaMet(condition, width, height)
	case "@supports":
		return !strings.HasPrefix(strings.TrimSpace(condition), "not ") && !strings.HasPrefix(strings.TrimSpace(condition), "not(")
	}
	return true
}

var (
	sized  = regexp.MustCompile(`^(min|max)-(width|height|device-width|device-height|aspect-ratio|resolution)\s*:\s*([\d.]+)\s*(px|em|rem|dppx|x|dpi)?$`)
	ranged = regexp.MustCompile(`^(width|height)\s*(<=|>=|<|>)\s*([\d.]+)(px|em|rem)$`)
	chosen = regexp.MustCompile(`^([a-z-]+)\s*:\s*([a-z-]+)$`)
)

// mediaMet evaluates a media query list (Media Queries 4) for a wide screen with a mouse, light colours and no other preference.
func mediaMet(list string, width, height int) bool {
	for q := range strings.SplitSeq(list, ",") {
		if queryMet(strings.TrimSpace(q), width, height) {
			return true
		}
	}
	return strings.TrimSpace(list) == ""
}

func queryMet(q string, width, height int) bool {
	not := false
	if rest, ok := strings.CutPrefix(q, "not "); ok {
		q, not = rest, true
	}
	q = strings.TrimPrefix(q, "only ")
	all := true
	for _, part := range strings.Split(q, " and ") {
		part = strings.TrimSpace(part)
		inside := strings.TrimSuffix(strings.TrimPrefix(part, "("), ")")
		switch ok, known := featureMet(strings.TrimSpace(inside), part == inside, width, height); {
		case !known:
			return true
		case !ok:
			all = false
		}
	}
	return all != not
}

// preferences are what such a screen says to features with words.
var preferences = map[string]string{"orientation": "landscape", "prefers-color-scheme": "light", "prefers-reduced-motion": "no-preference", "prefers-contrast": "no-preference", "prefers-reduced-transparency": "no-preference",
	"prefers-reduced-data": "no-preference", "hover": "hover", "any-hover": "hover", "pointer": "fine", "any-pointer": "fine", "forced-colors": "none", "display-mode": "browser", "scripting": "enabled", "inverted-colors": "none"}

func featureMet(f string, bare bool, width, height int) (ok, known bool) {
	if bare {
		switch f {
		case "screen", "all":
			return true, true
		case "print", "speech", "tty", "tv", "projection", "handheld", "braille", "embossed", "aural":
			return false, true
		}
		return false, false
	}
	if m := sized.FindStringSubmatch(f); m != nil {
		n, err := strconv.ParseFloat(m[3], 64)
		have := float64(width)
		switch {
		case err != nil:
			return false, false
		case strings.HasSuffix(m[2], "height"):
			have = float64(height)
		case m[2] == "aspect-ratio":
			have = float64(width) / float64(height)
		case m[2] == "resolution":
			have = 1
			if m[4] == "dpi" {
				have = 96
			}
		}
		if m[4] == "em" || m[4] == "rem" {
			n *= 16
		}
		return m[1] == "min" && have >= n || m[1] == "max" && have <= n, true
	}
	if m := ranged.FindStringSubmatch(f); m != nil {
		n, err := strconv.ParseFloat(m[3], 64)
		have := float64(width)
		if m[1] == "height" {
			have = float64(height)
		}
		if m[4] != "px" {
			n *= 16
		}
		switch m[2] {
		case "<":
			return have < n, err == nil
		case "<=":
			return have <= n, err == nil
		case ">":
			return have > n, err == nil
		}
		return have >= n, err == nil
	}
	if m := chosen.FindStringSubmatch(f); m != nil {
		if want, is := preferences[m[1]]; is {
			return m[2] == want, true
		}
	}
	return false, false
}
