package manifest

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"tachyform.dev/tachyform/internal/weburl"
)

// Image is a processed image resource (Image Resource text). Icons have Purpose; screenshots FormFactor and Label.
type Image struct {
	Src        string   `json:"src"` // absolute
	Sizes      []string `json:"sizes,omitempty"`
	Type       string   `json:"type,omitempty"`
	Purpose    []string `json:"purpose,omitempty"`
	Label      string   `json:"label,omitempty"`
	FormFactor string   `json:"form_factor,omitempty"`
	Platform   string   `json:"platform,omitempty"`
	Line       int      `json:"-"`
	Column     int      `json:"-"`
}

// Shortcut is a processed shortcut item (App Information text, "shortcuts").
type Shortcut struct {
	Name        string  `json:"name"`
	ShortName   string  `json:"short_name,omitempty"`
	Description string  `json:"description,omitempty"`
	URL         string  `json:"url"`
	Icons       []Image `json:"icons,omitempty"`
}

// list gives the entries of a list member, with a problem for another type.
func (p *processor) list(o *Value, key, member string) []*Value {
	v := o.get(key)
	if v == nil {
		return nil
	}
	if v.kind != array {
		p.problem(v, member, Warning, fmt.Sprintf("%s is %s; a list is expected, so it is ignored", member, kindNames[v.kind]), "write [ … ]")
		return nil
	}
	return v.items
}

// objects gives the entries of a list that are objects, with a problem for each other one.
func (p *processor) objects(o *Value, key, member string, each func(item *Value, member string)) {
	for i, item := range p.list(o, key, member) {
		if i == maxItems {
			p.problem(item, member, Warning, fmt.Sprintf("only the first %d are looked at", maxItems), "leave out what nobody needs")
			return
		}
		at := fmt.Sprintf("%s[%d]", member, i)
		if item.kind != object {
			p.problem(item, at, Warning, "not an object; it is ignored", "")
			continue
		}
		each(item, at)
	}
}

// maxItems is how many items of a list are processed. No app has as many.
const maxItems = 2000

// icons processes a list of icons.
func (p *processor) icons(o *Value, key, member string) []Image {
	var out []Image
	p.objects(o, key, member, func(item *Value, member string) {
		img, ok := p.image(item, member)
		if ok && p.purpose(item, member, &img) {
			out = append(out, img)
		}
	})
	return out
}

// screenshots processes that member (App Information text, "screenshots").
func (p *processor) screenshots(o *Value) []Image {
	var out []Image
	p.objects(o, "screenshots", "screenshots", func(item *Value, member string) {
		img, ok := p.image(item, member)
		if !ok {
			return
		}
		img.Label = p.trimmed(item, "label", member+".label")
		img.Platform = p.textAs(item, "platform", member+".platform")
		f := strings.ToLower(strings.TrimSpace(p.textAs(item, "form_factor", member+".form_factor")))
		switch f {
		case "narrow", "wide":
			img.FormFactor = f
		case "":
		default:
			p.problem(item.get("form_factor"), member+".form_factor", Warning, fmt.Sprintf("%q is no form factor%s; it is ignored, and a desktop shows wide ones only", f, suggest(f, []string{"narrow", "wide"})), `write "narrow" or "wide"`)
		}
		out = append(out, img)
	})
	return out
}

func (p *processor) image(item *Value, member string) (Image, bool) {
	img := Image{}
	img.Line, img.Column = p.at.of(item.start)
	src := item.get("src")
	if src == nil || src.kind != text {
		p.problem(item, member+".src", Warning, "src is missing or no string; the entry is ignored", `add "src"`)
		return img, false
	}
	u, err := p.manifestURL.Parse(src.str)
	if err != nil {
		p.problem(src, member+".src", Warning, fmt.Sprintf("%q is no valid URL; the entry is ignored", src.str), "")
		return img, false
	}
	if strings.TrimSpace(src.str) == "" {
		p.problem(src, member+".src", Warning, "an empty src is the address of the manifest itself, which is no picture", "name the picture")
	}
	switch scheme := strings.TrimSuffix(u.Protocol(), ":"); scheme {
	case "http", "https", "data", "blob":
	default:
		p.problem(src, member+".src", Warning, fmt.Sprintf("pictures are not loaded from %s: addresses; the entry is ignored", scheme), "name a file of the site")
		return img, false
	}
	img.Src = u.Href(false)
	img.Type = strings.TrimSpace(p.textAs(item, "type", member+".type"))
	if s := item.get("sizes"); s != nil {
		if s.kind != text {
			p.problem(s, member+".sizes", Warning, "sizes is "+kindNames[s.kind]+"; a string such as \"192x192\" is expected, so it is ignored", "")
		} else {
			img.Sizes = p.sizes(s, member)
		}
	}
	return img, true
}

// purpose reads an icon's purposes; it reports false when none is left that browsers know.
func (p *processor) purpose(item *Value, member string, img *Image) bool {
	img.Purpose = []string{"any"}
	s := p.textAs(item, "purpose", member+".purpose")
	if strings.TrimSpace(s) == "" {
		return true
	}
	v := item.get("purpose")
	img.Purpose = nil
	known := []string{"any", "maskable", "monochrome"}
	for _, w := range strings.Fields(strings.ToLower(s)) {
		switch {
		case !slices.Contains(known, w):
			p.problem(v, member+".purpose", Warning, fmt.Sprintf("unknown purpose %q%s; it is ignored", w, suggest(w, known)), "use any, maskable or monochrome")
		case !slices.Contains(img.Purpose, w):
			img.Purpose = append(img.Purpose, w)
		}
	}
	if img.Purpose == nil {
		p.problem(v, member+".purpose", Warning, "no purpose that browsers know is left; the icon is dropped", "")
		return false
	}
	return true
}

func (p *processor) sizes(v *Value, member string) []string {
	var out []string
	for _, token := range strings.Fields(v.str) {
		w, h, ok := ParseSize(token)
		switch {
		case strings.EqualFold(token, "any"):
			out = append(out, "any")
		case ok && (w > math.MaxInt32 || h > math.MaxInt32):
			p.problem(v, member+".sizes", Warning, fmt.Sprintf("%q is larger than browsers count; it is taken as any", token), "")
			out = append(out, "any")
		case !ok:
			p.problem(v, member+".sizes", Warning, fmt.Sprintf("%q is no size; it is skipped", token), `write sizes like "192x192", separated by spaces`)
		default:
			out = append(out, fmt.Sprintf("%dx%d", w, h))
		}
	}
	if len(out) == 0 {
		p.problem(v, member+".sizes", Warning, "no size is left; an icon without a size is never used for installing", `write "sizes": "512x512"`)
	}
	return out
}

// ParseSize reads one size such as 192x192, in px.
func ParseSize(token string) (w, h int, ok bool) {
	a, b, found := strings.Cut(strings.ToLower(token), "x")
	if !found || a == "" || b == "" || a[0] == '0' || b[0] == '0' {
		return 0, 0, false
	}
	w, err := strconv.Atoi(a)
	if err != nil || w < 0 || a[0] == '+' {
		return 0, 0, false
	}
	h, err = strconv.Atoi(b)
	return w, h, err == nil && h > 0 && b[0] != '+'
}

// maxShortcuts is how many Chromium keeps.
const maxShortcuts = 10

// shortcuts processes that member (App Information text, "processing shortcuts").
func (p *processor) shortcuts(o *Value, scope *weburl.URL) {
	p.objects(o, "shortcuts", "shortcuts", func(item *Value, member string) {
		name := p.trimmed(item, "name", member+".name")
		if name == "" {
			p.problem(item, member+".name", Warning, "a shortcut without a name is ignored", `add "name"`)
			return
		}
		u := p.inScope(item, "url", member, scope, "the shortcut is ignored")
		if u == nil {
			return
		}
		if len(p.Processed.Shortcuts) == maxShortcuts {
			p.problem(item, member, Warning, fmt.Sprintf("browsers keep the first %d shortcuts at most; this one is dropped", maxShortcuts), "keep the most useful ones, in order")
			return
		}
		p.Processed.Shortcuts = append(p.Processed.Shortcuts, Shortcut{Name: name, ShortName: p.trimmed(item, "short_name", member+".short_name"),
			Description: p.trimmed(item, "description", member+".description"), URL: u.Href(false), Icons: p.icons(item, "icons", member+".icons")})
	})
}

// inScope reads a URL member that has to lie in the scope; nil with a problem when it does not.
func (p *processor) inScope(item *Value, key, member string, scope *weburl.URL, lost string) *weburl.URL {
	v := item.get(key)
	if v == nil || v.kind != text {
		at := v
		if at == nil {
			at = item
		}
		p.problem(at, member+"."+key, Warning, fmt.Sprintf("%s is missing or no string; %s", key, lost), "add "+strconv.Quote(key))
		return nil
	}
	u, err := p.manifestURL.Parse(v.str)
	switch {
	case err != nil:
		p.problem(v, member+"."+key, Warning, fmt.Sprintf("%q is no valid URL; %s", v.str, lost), "")
		return nil
	case scope == nil || !within(u, scope):
		p.problem(v, member+"."+key, Warning, fmt.Sprintf("%q is not inside the scope; %s", v.str, lost), "name a page inside the scope")
		return nil
	}
	return u
}
