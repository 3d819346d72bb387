// Command make draws the demo site anew: pages from one template, photographs and a sound that are computed. Run it
// in the demo folder with "go run ./make"; its output is committed, and the same every time.
package main

import (
	"bytes"
	"fmt"
	"html/template"
	"os"
	"path/filepath"
)

func write(name string, data []byte) {
	p := filepath.Join("site", filepath.FromSlash(name))
	if err := os.MkdirAll(filepath.Dir(p), 0o755); err != nil {
		panic(err)
	}
	if err := os.WriteFile(p, data, 0o644); err != nil {
		panic(err)
	}
}

type page struct {
	Path, Title, Description, Section string
	Scripts                           []string
	Body                              template.HTML
}

func main() {
	for i, s := range scenes {
		write(fmt.Sprintf("photos/%s.jpg", s.name), s.draw(uint64(i+1)))
	}
	write("assets/horn.wav", horn())
	t := template.Must(template.New("page").Parse(layout))
	for _, p := range pages() {
		var b bytes.Buffer
		if err := t.Execute(&b, p); err != nil {
			panic(err)
		}
		write(p.Path, b.Bytes())
	}
}
