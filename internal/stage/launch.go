package stage

import (
	"fmt"

	"github.com/dop251/goja"
)

// LaunchFile is a file that is opened with an app. Data is its text.
type LaunchFile struct{ Name, Type, Data string }

// Launched is what a page made of it that it was opened as an app (Manifest Incubations, "launch queue").
type Launched struct {
	Heard  bool        // it set a consumer
	Read   bool        // it asked for the file's content
	Errors []PageError // what went wrong after it was told
}

// launch is what a page is told.
type launch struct {
	url    string // absolute
	file   *LaunchFile
	told   Launched
	before int // errors
}

// Launch opens an address as the app does: a script of the page is told of it, and of the file, when there is one. What it made of
// it stands in the load's Launched.
func (t *Tab) Launch(url string, file *LaunchFile) (*Load, error) {
	abs, err := t.b.absolute(url)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", url, err)
	}
	t.led = 0
	t.visit(abs, visitOptions{launch: &launch{url: abs, file: file}})
	if !t.come() {
		t.loader.giveUp()
	}
	return t.look(), nil
}

// hostLaunch adds what the launch queue asks for.
func (d *document) hostLaunch(set func(string, func(goja.FunctionCall) goja.Value)) {
	set("launched", func(c goja.FunctionCall) goja.Value {
		by := d.loader.options.launch
		if by == nil {
			return goja.Null()
		}
		if c.Argument(0).String() == "read" {
			by.told.Read = true
			return goja.Null()
		}
		if by.told.Heard { // told once, whoever asks again
			return goja.Null()
		}
		by.told.Heard, by.before = true, len(d.errors)
		o := d.vm.NewObject()
		_ = o.Set("url", by.url)
		if f := by.file; f != nil {
			_ = o.Set("name", f.Name)
			_ = o.Set("type", f.Type)
			_ = o.Set("data", f.Data)
		}
		return o
	})
}

// launched says what the page made of it, nil when it was not opened as an app.
func (d *document) launched() *Launched {
	by := d.loader.options.launch
	if by == nil {
		return nil
	}
	out := by.told
	if out.Heard {
		out.Errors = d.errors[by.before:]
	}
	return &out
}
