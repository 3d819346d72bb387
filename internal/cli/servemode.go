package cli

import (
	"encoding/json"
	"os"
	"path/filepath"
	"slices"

	"tachyform.dev/tachyform/internal/regular"
	"tachyform.dev/tachyform/internal/serve"
)

// modes remembers, beside the user's other configuration, in which mode folders were when serve ended, if it was not the real one.
type modes struct{ file, folder string }

// modesOf is where the mode of a folder is remembered; nothing is when the user has no folder for configurations.
func modesOf(dir string) modes {
	config, err1 := os.UserConfigDir()
	folder, err2 := filepath.Abs(dir)
	if err1 != nil || err2 != nil {
		return modes{}
	}
	return modes{filepath.Join(config, "tachyform", "serve.json"), folder}
}

func (m modes) all() map[string]serve.Mode {
	known := map[string]serve.Mode{}
	if data, err := regular.ReadFile(m.file, regular.Small); err == nil {
		_ = json.Unmarshal(data, &known) // what is damaged is forgotten
	}
	return known
}

// last gives the mode in which the folder was served last.
func (m modes) last() serve.Mode {
	if m.file == "" {
		return serve.Real
	}
	if last := m.all()[m.folder]; slices.Contains(serve.Modes, last) {
		return last
	}
	return serve.Real
}

// keep remembers a mode. That it cannot is no harm: the real one comes next time.
func (m modes) keep(mode serve.Mode) {
	known := m.all()
	if m.file == "" || known[m.folder] == mode || mode == serve.Real && known[m.folder] == "" {
		return
	}
	if delete(known, m.folder); mode != serve.Real {
		known[m.folder] = mode
	}
	data, err := json.MarshalIndent(known, "", "  ")
	if err != nil || os.MkdirAll(filepath.Dir(m.file), 0o700) != nil {
		return
	}
	if temp := m.file + ".tmp"; os.WriteFile(temp, append(data, '\n'), 0o600) == nil {
		_ = os.Rename(temp, m.file)
	}
}
