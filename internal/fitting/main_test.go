package fitting

import (
	"context"
	"os"
	"slices"
	"sync"
	"testing"

	"tachyform.dev/tachyform/internal/icon"
)

// TestMain has icons drawn once that many tests want.
func TestMain(m *testing.M) {
	type drawn struct {
		icons   []icon.Icon
		remarks []string
	}
	var known sync.Map
	really := draw
	draw = func(ctx context.Context, key string, m *icon.Master, o icon.Options) ([]icon.Icon, []string, error) {
		if d, ok := known.Load(key); ok {
			return slices.Clone(d.(drawn).icons), d.(drawn).remarks, nil
		}
		icons, remarks, err := really(ctx, key, m, o)
		if err == nil {
			known.Store(key, drawn{slices.Clone(icons), remarks})
		}
		return icons, remarks, err
	}
	os.Exit(m.Run())
}
