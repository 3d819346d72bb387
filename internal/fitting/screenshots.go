package fitting

import (
	"bytes"
	"fmt"
	"image/png"
	"path"
	"sort"
	"strings"
)

// Screenshot is a picture of the start page.
type Screenshot struct {
	FormFactor string // narrow or wide
	PNG        []byte
}

const screenshotsDir = "screenshots"

// shot is an entry of the manifest's screenshots.
type shot struct {
	Src        string `json:"src"`
	Sizes      string `json:"sizes"`
	Type       string `json:"type"`
	FormFactor string `json:"form_factor"`
	Label      string `json:"label"`
}

// screenshots writes the new ones, or keeps those of an earlier fit.
func (f *fitter) screenshots() ([]shot, error) {
	pictures := map[string][]byte{}
	for _, s := range f.opts.Screenshots {
		pictures[path.Join(screenshotsDir, "app-"+s.FormFactor+".png")] = s.PNG
	}
	if len(pictures) == 0 {
		for p := range f.rec.Files {
			if strings.HasPrefix(p, screenshotsDir+"/app-") && f.isOurs(p) {
				data, err := f.site.Read(p)
				if err != nil {
					return nil, err
				}
				pictures[p] = data
			}
		}
	}
	var out []shot
	for p, data := range pictures {
		if _, taken := f.site.File(p); taken && !f.isOurs(p) {
			f.remark("%s is the site's own: no screenshot is written there", p)
			continue
		}
		size, err := png.DecodeConfig(bytes.NewReader(data))
		if err != nil {
			return nil, fmt.Errorf("%s: %w", p, err)
		}
		f.write("screenshot", p, data)
		form := strings.TrimSuffix(strings.TrimPrefix(path.Base(p), "app-"), ".png")
		out = append(out, shot{f.url(p), fmt.Sprintf("%dx%d", size.Width, size.Height), "image/png", form, f.app.name})
	}
	sort.Slice(out, func(i, j int) bool { return out[i].Src < out[j].Src })
	return out, nil
}
