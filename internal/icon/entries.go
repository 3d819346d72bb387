package icon

import "fmt"

// Entry is an image of a manifest's icons (Image Resource text).
type Entry struct {
	Src     string `json:"src"`
	Sizes   string `json:"sizes"`
	Type    string `json:"type"`
	Purpose string `json:"purpose,omitempty"`
}

// Entries gives the members of a manifest's icons for a set; src says where a file is, as seen from the manifest.
// Touch icons and favicons are linked by pages, not by manifests.
func Entries(set []Icon, src func(Icon) string) []Entry {
	var out []Entry
	for _, i := range set {
		e := Entry{Src: src(i), Type: i.Type}
		switch i.Purpose {
		case Any, Maskable, Mono:
			e.Sizes = fmt.Sprintf("%dx%d", i.Sizes[0], i.Sizes[0])
			if i.Purpose != Any {
				e.Purpose = i.Purpose
			}
			out = append(out, e)
		}
	}
	return out
}
