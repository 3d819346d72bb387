package truth

import (
	"bytes"
	"image"
	"image/png"
	"os"
	"path/filepath"

	"tachyform.dev/tachyform/internal/site"
)

// Headers gives the rules by which the cases' manifests are sent.
func Headers(cases []Case) []site.HeaderRule {
	var out []site.HeaderRule
	for i, c := range cases {
		if c.Type != "" {
			out = append(out, site.HeaderRule{Path: Path(i) + "m.webmanifest", Name: "Content-Type", Value: c.Type})
		}
	}
	return out
}

// Write puts the cases into a folder as a site, with the pictures that they name.
func Write(dir string, cases []Case) error {
	files := map[string][]byte{"index.html": []byte("<!doctype html><title>Cases</title>"),
		"i/m.svg": []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><path d="M0 0h9v9z"/></svg>`)}
	for name, n := range map[string]int{"i/192.png": 192, "i/512.png": 512, "i/100.png": 100} {
		var b bytes.Buffer
		if err := png.Encode(&b, image.NewGray(image.Rect(0, 0, n, n))); err != nil {
			return err
		}
		files[name] = b.Bytes()
	}
	for i, c := range cases {
		files[Path(i)[1:]+"index.html"] = []byte("<!doctype html><title>Case</title>" + c.Head)
		files[Path(i)[1:]+"m.webmanifest"] = []byte(c.Manifest)
	}
	for name, data := range files {
		p := filepath.Join(dir, filepath.FromSlash(name))
		if err := os.MkdirAll(filepath.Dir(p), 0o755); err != nil {
			return err
		}
		if err := os.WriteFile(p, data, 0o644); err != nil {
			return err
		}
	}
	return nil
}
