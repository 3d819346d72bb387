// Package entrance lists the addresses by which people and other programs come into an app, from its manifest.
package entrance

import (
	"fmt"
	"net/url"
	"strings"

	"tachyform.dev/tachyform/internal/manifest"
)

// Kind is the way in.
type Kind string

// The ways in.
const (
	Start    Kind = "start"    // the icon
	Shortcut Kind = "shortcut" // an entry of the icon's menu
	Share    Kind = "share"    // something that another app shares
	File     Kind = "file"     // a file that is opened with the app
	Protocol Kind = "protocol" // a link of a scheme
	Note     Kind = "note"     // a new note
)

// Entrance is one address.
type Entrance struct {
	Kind   Kind
	Name   string  // of the shortcut, the media type or the scheme, "" for others
	Member string  // of the manifest, such as "shortcuts[0].url"
	URL    string  // root-relative, with its query
	Form   *Form   // what is posted, nil for an address that is gone to
	File   *Upload // what is opened with the app, without a field
}

// Form is what is posted as a form.
type Form struct {
	Fields  [][2]string // names and values
	Files   []Upload
	Enctype string // application/x-www-form-urlencoded or multipart/form-data
}

// Upload is a file in a form.
type Upload struct{ Field, Name, Type, Data string }

// What is shared and opened. Texts have letters that an address has to escape.
const (
	sharedTitle = "Next boat & tide"
	sharedText  = "Staffin to Orran, 9:40"
	sharedURL   = "https://other.example/timetable?day=1"
)

// Of lists the entrances of an app on an origin, in the order of the members. Those on other origins are left out.
func Of(m *manifest.Manifest, origin string) []Entrance {
	var out []Entrance
	p := &m.Processed
	add := func(kind Kind, name, member, address string, form *Form) {
		if u, own := strings.CutPrefix(address, origin); own && strings.HasPrefix(u, "/") {
			out = append(out, Entrance{Kind: kind, Name: name, Member: member, URL: u, Form: form})
		}
	}
	if p.StartURLGiven {
		add(Start, "", "start_url", p.StartURL, nil)
	}
	for i, s := range p.Shortcuts {
		add(Shortcut, s.Name, fmt.Sprintf("shortcuts[%d].url", i), s.URL, nil)
	}
	if t := p.ShareTarget; t != nil {
		address, form := share(t)
		add(Share, "", "share_target.action", address, form)
	}
	for i, h := range p.FileHandlers {
		name, file := "", opened("", nil)
		if len(h.Accept) > 0 {
			name, file = h.Accept[0].Name, opened(h.Accept[0].Name, h.Accept[0].Accept)
		}
		n := len(out)
		if add(File, name, fmt.Sprintf("file_handlers[%d].action", i), h.Action, nil); len(out) > n {
			out[n].File = file
		}
	}
	for i, h := range p.ProtocolHandlers {
		add(Protocol, h.Protocol, fmt.Sprintf("protocol_handlers[%d].url", i), strings.Replace(h.URL, "%s", url.QueryEscape(h.Protocol+":staffin/orran?day=1"), 1), nil)
	}
	if p.NoteTaking != "" {
		add(Note, "", "note_taking.new_note_url", p.NoteTaking, nil)
	}
	return out
}

// share fills in what is shared (Web Share Target, "launching the web share target").
func share(t *manifest.ShareTarget) (address string, form *Form) {
	var fields [][2]string
	for _, f := range [][2]string{{t.Title, sharedTitle}, {t.Text, sharedText}, {t.URL, sharedURL}} {
		if f[0] != "" {
			fields = append(fields, f)
		}
	}
	if t.Method != "POST" {
		u, err := url.Parse(t.Action)
		if err != nil {
			return t.Action, nil
		}
		u.RawQuery = Encode(fields)
		return u.String(), nil
	}
	form = &Form{Fields: fields, Enctype: t.Enctype}
	if t.Enctype == multipartType {
		for _, f := range t.Files {
			form.Files = append(form.Files, upload(f))
		}
	}
	return t.Action, form
}

const multipartType = "multipart/form-data"

// upload makes a file that a filter lets through.
func upload(f manifest.FileFilter) Upload {
	kind, name := "text/plain", "shared.txt"
	for _, a := range f.Accept {
		switch {
		case strings.HasPrefix(a, "."):
			name = "shared" + a
		case strings.HasSuffix(a, "/*"):
			kind = map[string]string{"image/*": "image/png", "audio/*": "audio/mpeg", "video/*": "video/mp4"}[a]
			if kind == "" {
				kind = "text/plain"
			}
		case a != "":
			kind = a
		}
	}
	return Upload{f.Name, name, kind, "shared"}
}

// Encode writes names and values as a form does (URL Standard, "application/x-www-form-urlencoded serializing"), in their order.
func Encode(fields [][2]string) string {
	var parts []string
	for _, f := range fields {
		parts = append(parts, url.QueryEscape(f[0])+"="+url.QueryEscape(f[1]))
	}
	return strings.Join(parts, "&")
}

// boundary of the parts. What is shared does not hold it.
const boundary = "----tachyform-shared"

// Body gives what is posted, with its type.
func (f *Form) Body() (body, contentType string) {
	if f.Enctype != multipartType {
		return Encode(f.Fields), "application/x-www-form-urlencoded"
	}
	var b strings.Builder
	quote := strings.NewReplacer("\"", "%22", "\r", "%0D", "\n", "%0A").Replace
	for _, x := range f.Fields {
		fmt.Fprintf(&b, "--%s\r\nContent-Disposition: form-data; name=\"%s\"\r\n\r\n%s\r\n", boundary, quote(x[0]), x[1])
	}
	for _, x := range f.Files {
		fmt.Fprintf(&b, "--%s\r\nContent-Disposition: form-data; name=\"%s\"; filename=\"%s\"\r\nContent-Type: %s\r\n\r\n%s\r\n", boundary, quote(x.Field), quote(x.Name), x.Type, x.Data)
	}
	fmt.Fprintf(&b, "--%s--\r\n", boundary)
	return b.String(), multipartType + "; boundary=" + boundary
}

// contents are small files of their types, as far as something has to stand in them.
var contents = map[string]string{
	"text/csv": "boat,leaves\nStaffin to Orran,9:40\n", "text/html": "<!doctype html><title>Boats</title><p>Staffin to Orran", "image/svg+xml": `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 1 1"/>`,
	"image/png": "\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR\x00\x00\x00\x01\x00\x00\x00\x01\x08\x06\x00\x00\x00\x1f\x15\xc4\x89\x00\x00\x00\rIDATx\x9cc````\x00\x00\x00\x05\x00\x01\xa5\xf6E@\x00\x00\x00\x00IEND\xaeB`\x82",
}

// opened makes a file of a type, with one of its extensions.
func opened(kind string, extensions []string) *Upload {
	name := "boats"
	if len(extensions) > 0 {
		name += extensions[0]
	}
	data, known := contents[kind]
	switch {
	case known:
	case strings.HasSuffix(kind, "json"):
		data = "{}"
	case strings.HasSuffix(kind, "xml"):
		data = "<boats/>"
	default:
		data = "Staffin to Orran, 9:40\n"
	}
	return &Upload{Name: name, Type: kind, Data: data}
}
