package record

import (
	"bytes"
	"encoding/hex"
	"errors"
	"fmt"
	"mime"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"crypto/sha256"

	"github.com/pelletier/go-toml/v2"

	"tachyform.dev/tachyform/internal/config"
	"tachyform.dev/tachyform/internal/regular"
)

// ErrOther is wrapped when a folder holds something else than recorded answers.
var ErrOther = errors.New("it holds something else than recorded answers, so nothing was written")

// header begins the list.
const header = `# What servers answered when Tachyform recorded it. Rehearsals, audits and "tachyform fit" answer with it where the site has no file.
# Recording again replaces this file and those that it names. Values that looked like secrets are "removed", and * in queries.

`

// Written says what Write did.
type Written struct {
	List             string // path of the list
	Files            int    // beside it
	Changed, Removed int    // of the files and the list: written anew, and no longer there
}

// Write puts a recording into a folder, in place of what an earlier one wrote there. Its error wraps [ErrOther] when the folder is somebody else's.
func Write(dir string, r *Recording) (*Written, error) {
	w := &Written{List: filepath.Join(dir, config.RecordedName)}
	old, err := listed(dir, w.List)
	if err != nil {
		return nil, err
	}
	if len(r.Answers)+len(r.Led) == 0 && old == nil {
		return w, nil
	}
	list := struct {
		Server struct {
			Redirect []config.ServerRedirect `toml:"redirect,omitempty"`
			Answer   []config.ServerAnswer   `toml:"answer,omitempty"`
		} `toml:"server"`
	}{}
	for _, l := range r.Led {
		list.Server.Redirect = append(list.Server.Redirect, config.ServerRedirect{From: l.From, To: l.To, Status: l.Status})
	}
	files := map[string][]byte{}
	for i := range r.Answers {
		a := &r.Answers[i]
		name := nameOf(a, files)
		files[name] = a.Body
		x := config.ServerAnswer{Origin: a.Origin, Path: a.Path, Query: &a.Query, File: name, Type: a.Type}
		if a.Status != 200 {
			x.Status = a.Status
		}
		list.Server.Answer = append(list.Server.Answer, x)
	}
	text, err := toml.Marshal(list)
	if err != nil {
		return nil, err
	}
	text = append([]byte(header), text...)
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return nil, err
	}
	root, err := os.OpenRoot(dir)
	if err != nil {
		return nil, err
	}
	defer root.Close()
	names := []string{}
	for name := range files {
		names = append(names, name)
	}
	slices.Sort(names)
	for _, name := range names {
		if err := put(root, name, files[name], w); err != nil {
			return nil, err
		}
	}
	if err := put(root, config.RecordedName, text, w); err != nil { // last, so that it never names what is not there
		return nil, err
	}
	w.Files = len(files)
	for _, name := range old {
		if _, still := files[name]; still {
			continue
		}
		if err := root.Remove(name); err == nil {
			w.Removed++
		}
		for d := path.Dir(name); d != "." && root.Remove(d) == nil; d = path.Dir(d) {
			continue // folders that are empty now
		}
	}
	return w, nil
}

// listed gives the files of an earlier recording.
func listed(dir, list string) ([]string, error) {
	c, err := config.Read(list)
	if errors.Is(err, os.ErrNotExist) {
		entries, err := os.ReadDir(dir)
		if err == nil && len(entries) > 0 {
			return nil, fmt.Errorf("%s: %w", dir, ErrOther)
		}
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	var out []string
	for _, a := range c.Server.Answer {
		if filepath.IsLocal(filepath.FromSlash(a.File)) && a.File != config.RecordedName {
			out = append(out, a.File)
		}
	}
	return out, nil
}

// put writes a file as a whole, unless it is there already.
func put(root *os.Root, name string, data []byte, w *Written) error {
	if old, err := regular.ReadIn(root, name, regular.Large); err == nil && bytes.Equal(old, data) {
		return nil
	}
	if d := path.Dir(name); d != "." {
		if err := root.MkdirAll(d, 0o755); err != nil {
			return err
		}
	}
	w.Changed++
	spare := name + ".new"
	if err := root.WriteFile(spare, data, 0o644); err != nil {
		return err
	}
	return root.Rename(spare, name)
}

// nameOf gives the name of an answer's file, which no other has.
func nameOf(a *Answer, taken map[string][]byte) string {
	host := "site"
	if _, h, ok := strings.Cut(a.Origin, "://"); ok {
		host = plain(h)
	}
	p := strings.Trim(a.Path, "/")
	if p == "" || strings.HasSuffix(a.Path, "/") {
		p = path.Join(p, "index")
	}
	segments := strings.Split(p, "/")
	for i, s := range segments {
		segments[i] = plain(s)
	}
	p = strings.Join(segments, "/")
	ext := path.Ext(p)
	stem := strings.TrimSuffix(p, ext)
	if ext == "" {
		ext = extension(a.Type)
	}
	sum := sha256.Sum256([]byte(a.URL()))
	if a.Query != "" {
		stem += "." + hex.EncodeToString(sum[:4])
	}
	name := host + "/" + stem + ext
	clashes := func(n string) bool {
		for t := range taken {
			if strings.EqualFold(t, n) || strings.HasPrefix(strings.ToLower(t), strings.ToLower(n)+"/") || strings.HasPrefix(strings.ToLower(n), strings.ToLower(t)+"/") {
				return true
			}
		}
		return false
	}
	if clashes(name) || len(name) > 180 {
		name = host + "/" + hex.EncodeToString(sum[:8]) + ext
	}
	return name
}

// plain keeps what every file system can name.
func plain(s string) string {
	out := strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' || r == '.' || r == '-' || r == '_' {
			return r
		}
		return '_'
	}, s)
	if out == "" || strings.Trim(out, ".") == "" {
		return "_"
	}
	return out
}

// extension gives that of a type; data without one are bytes.
func extension(mediaType string) string {
	essence, _, err := mime.ParseMediaType(mediaType)
	if err != nil {
		return ".bin"
	}
	switch {
	case strings.HasSuffix(essence, "json"):
		return ".json"
	case strings.HasSuffix(essence, "xml"):
		return ".xml"
	case essence == "text/html":
		return ".html"
	case essence == "text/css":
		return ".css"
	case strings.HasSuffix(essence, "javascript"):
		return ".js"
	case essence == "text/csv":
		return ".csv"
	case strings.HasPrefix(essence, "text/"):
		return ".txt"
	case strings.HasPrefix(essence, "image/"), strings.HasPrefix(essence, "font/"):
		return "." + plain(strings.TrimPrefix(essence[strings.IndexByte(essence, '/')+1:], "x-"))
	}
	return ".bin"
}
