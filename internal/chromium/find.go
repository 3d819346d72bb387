package chromium

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
)

// ErrMissing says that no Chromium was found on this machine.
var ErrMissing = errors.New("no Chromium was found: install it (Debian: apt-get install chromium), put it into PATH, or name it with --browser")

type chosen struct{}

// With has browsers that are started with the context be the program in a file. It fails for a file that is not there.
func With(ctx context.Context, file string) (context.Context, error) {
	info, err := os.Stat(file)
	switch {
	case errors.Is(err, os.ErrNotExist):
		return nil, fmt.Errorf("%s: there is no such file", file)
	case err != nil:
		return nil, err
	case info.IsDir():
		return nil, fmt.Errorf("%s: is a folder; name the program in it", file)
	}
	if file, err = filepath.Abs(file); err != nil {
		return nil, err
	}
	return context.WithValue(ctx, chosen{}, file), nil
}

// Find gives the path of a Chromium: the one that [With] named, one in PATH, or one where installers put it.
func Find(ctx context.Context) (string, error) {
	if file, ok := ctx.Value(chosen{}).(string); ok {
		return file, nil
	}
	for _, name := range []string{"chromium", "chromium-browser", "google-chrome", "google-chrome-stable", "chrome"} {
		if p, err := exec.LookPath(name); err == nil {
			return p, nil
		}
	}
	for _, p := range places(runtime.GOOS, os.Getenv) {
		if info, err := os.Stat(p); err == nil && !info.IsDir() {
			return p, nil
		}
	}
	return "", ErrMissing
}

// places are where installers put browsers that are made of Chromium, the plain one first.
func places(system string, env func(string) string) []string {
	var out []string
	switch system {
	case "darwin":
		for _, root := range []string{"", env("HOME")} {
			for _, name := range []string{"Chromium", "Google Chrome", "Microsoft Edge"} {
				out = append(out, root+"/Applications/"+name+".app/Contents/MacOS/"+name)
			}
		}
	case "windows":
		for _, name := range []string{`\Chromium\Application\chrome.exe`, `\Google\Chrome\Application\chrome.exe`, `\Microsoft\Edge\Application\msedge.exe`} {
			for _, root := range []string{env("ProgramFiles"), env("ProgramFiles(x86)"), env("LocalAppData")} {
				if root != "" {
					out = append(out, root+name)
				}
			}
		}
	default:
		out = append(out, "/snap/bin/chromium", "/opt/google/chrome/chrome")
	}
	return out
}
