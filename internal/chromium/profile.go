package chromium

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"time"

	"github.com/chromedp/cdproto/serviceworker"
	"github.com/chromedp/chromedp"
)

// endPatience is how long a browser may take to write its folder and to end.
const endPatience = 20 * time.Second

// Keep notes what is stored: the browser ends, its folder is copied, and the function goes on with such a copy, as often as it is called. The copy
// that is kept lies beside it. What is open is closed; a worker's globals are lost.
func (b *Browser) Keep() (func() error, error) {
	kept := b.profile + "-kept"
	if err := b.end(); err != nil {
		return nil, err
	}
	if err := copyFolder(b.profile, kept); err != nil {
		return nil, err
	}
	if err := b.launch(); err != nil {
		return nil, err
	}
	fresh := true
	return func() error {
		if fresh { // nothing happened since
			fresh = false
			return nil
		}
		if err := b.end(); err != nil {
			return err
		}
		if err := os.RemoveAll(b.profile); err != nil {
			return err
		}
		if err := copyFolder(kept, b.profile); err != nil {
			return err
		}
		return b.launch()
	}, nil
}

// end closes the browser so that everything is in its folder.
func (b *Browser) end() error {
	ctx, cancel := context.WithTimeout(b.root, endPatience)
	defer cancel()
	err := chromedp.Cancel(ctx)
	b.stop()
	if err != nil && !errors.Is(err, context.Canceled) {
		return fmt.Errorf("ending the browser: %w", err)
	}
	return nil
}

// launch starts the browser again, with everything that it was told.
func (b *Browser) launch() error {
	b.mu.Lock()
	b.versions, b.regs = map[string]*serviceworker.Version{}, map[string]*serviceworker.Registration{}
	b.mu.Unlock()
	if err := b.start(); err != nil {
		return err
	}
	return b.SetNetwork(b.network)
}

// copyFolder copies the regular files of a folder; links, sockets and locks are the old browser's own.
func copyFolder(from, to string) error {
	return filepath.WalkDir(from, func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		rel, err := filepath.Rel(from, path)
		if err != nil {
			return err
		}
		out := filepath.Join(to, rel)
		switch {
		case d.IsDir():
			return os.MkdirAll(out, 0o700)
		case d.Type().IsRegular():
			return copyFile(path, out)
		}
		return nil
	})
}

func copyFile(from, to string) error {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	out, err := os.OpenFile(to, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	if _, err := io.Copy(out, in); err != nil {
		_ = out.Close()
		return err
	}
	return out.Close()
}
