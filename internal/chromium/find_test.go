package chromium

import (
	"context"
	"errors"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestWhereBrowsersLie(t *testing.T) {
	env := func(name string) string {
		return map[string]string{"HOME": "/Users/mairi", "ProgramFiles": `C:\Program Files`, "LocalAppData": `C:\Users\mairi\AppData\Local`}[name]
	}
	mac := places("darwin", env)
	assert.Equal(t, "/Applications/Chromium.app/Contents/MacOS/Chromium", mac[0])
	assert.Contains(t, mac, "/Users/mairi/Applications/Google Chrome.app/Contents/MacOS/Google Chrome")
	windows := places("windows", env)
	assert.Equal(t, `C:\Program Files\Chromium\Application\chrome.exe`, windows[0])
	assert.Contains(t, windows, `C:\Users\mairi\AppData\Local\Google\Chrome\Application\chrome.exe`)
	assert.Len(t, windows, 6, "not below folders that are not known")
	assert.Contains(t, places("linux", env), "/snap/bin/chromium")
}

func TestTheOneThatIsNamed(t *testing.T) {
	file := filepath.Join(t.TempDir(), "browser")
	require.NoError(t, os.WriteFile(file, nil, 0o755))
	ctx, err := With(context.Background(), file)
	require.NoError(t, err)
	found, err := Find(ctx)
	require.NoError(t, err)
	assert.Equal(t, file, found)
	_, err = With(context.Background(), file+"s")
	assert.ErrorContains(t, err, "there is no such file")
	_, err = With(context.Background(), filepath.Dir(file))
	assert.ErrorContains(t, err, "is a folder")
}

func TestWhatDoesNotStart(t *testing.T) {
	assert.ErrorIs(t, startError("/bin/x", context.Canceled), context.Canceled, "who interrupts is not told of a fault")
	assert.EqualError(t, startError("/bin/x", errors.New("chrome failed to start:\n")), "/bin/x does not start as a Chromium does: it ended without a word; name another one with --browser")
	assert.EqualError(t, startError("/bin/x", errors.New("chrome failed to start:\nno display")), "/bin/x does not start as a Chromium does: no display; name another one with --browser")
}
