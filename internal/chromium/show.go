package chromium

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"os"
	"os/exec"
	"slices"
	"strings"
	"time"
)

// Shown is what a Chromium with a window of its own begins with.
type Shown struct {
	URL  string
	Maps map[string]string // name and port that pages ask, to name and port that is asked in its place
	Pins []string          // of certificates that are taken as they are: SHA-256 of the key, in base64
}

// Show starts a Chromium with a window, in a profile of its own that is taken away when it ends. It ends with the context, or when its window is
// closed; ended gets what went wrong then, or nil. It fails when there is none, and with [ErrMissing] when none is found.
func Show(ctx context.Context, s Shown) (ended <-chan error, err error) {
	path, err := Find(ctx)
	if err != nil {
		return nil, err
	}
	profile, err := os.MkdirTemp("", "tachyform-browser-")
	if err != nil {
		return nil, err
	}
	args := []string{"--user-data-dir=" + profile, "--no-first-run", "--no-default-browser-check"}
	rules := []string{}
	for from, to := range s.Maps {
		rules = append(rules, "MAP "+from+" "+to)
	}
	if slices.Sort(rules); len(rules) > 0 {
		args = append(args, "--host-resolver-rules="+strings.Join(rules, ","))
	}
	if len(s.Pins) > 0 {
		args = append(args, "--ignore-certificate-errors-spki-list="+strings.Join(s.Pins, ","))
	}
	cmd := exec.CommandContext(ctx, path, append(args, s.URL)...)
	var said bytes.Buffer
	cmd.Stderr = &tail{&said}
	cmd.WaitDelay = 5 * time.Second
	cmd.Cancel = func() error { return cmd.Process.Signal(os.Interrupt) }
	if err := cmd.Start(); err != nil {
		os.RemoveAll(profile)
		return nil, startError(path, err)
	}
	done := make(chan error, 1)
	go func() {
		err := cmd.Wait()
		os.RemoveAll(profile)
		if err != nil && ctx.Err() == nil {
			lines := strings.Split(strings.TrimSpace(said.String()), "\n")
			done <- fmt.Errorf("%s ended (%w): %s", path, err, lines[len(lines)-1])
		}
		close(done)
	}()
	return done, nil
}

// tail keeps the beginning of what a program says of itself.
type tail struct{ b *bytes.Buffer }

func (t *tail) Write(p []byte) (int, error) {
	_, _ = io.CopyN(t.b, bytes.NewReader(p), int64(max(0, 2000-t.b.Len()))) // it cannot fail
	return len(p), nil
}
