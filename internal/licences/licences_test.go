package licences

import (
	"bufio"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestEveryModuleIsNamed compares with go.mod: what is built in stands in it in the version that is named here.
func TestEveryModuleIsNamed(t *testing.T) {
	list, err := All()
	require.NoError(t, err)
	versions := map[string]string{}
	for _, p := range list {
		assert.NotEmpty(t, p.Text, p.Name)
		assert.Equal(t, p.Licence, Kind(p.Text), p.Name)
		versions[p.Name] = p.Version
	}
	assert.Equal(t, "tachyform", list[0].Name)
	f, err := os.Open("../../go.mod")
	require.NoError(t, err)
	defer f.Close()
	required := map[string]string{}
	direct := 0
	for lines := bufio.NewScanner(f); lines.Scan(); {
		w := strings.Fields(strings.TrimPrefix(strings.TrimSpace(lines.Text()), "require "))
		if len(w) < 2 || !strings.HasPrefix(w[1], "v") {
			continue
		}
		required[w[0]] = w[1]
		if len(w) == 2 && versions[w[0]] != "" {
			direct++
		}
	}
	for name, version := range versions {
		if version != "" && strings.Contains(name, ".") {
			assert.Equal(t, required[name], version, "%s: go run ./internal/licences/make", name)
		}
	}
	assert.Greater(t, direct, 15, "what the program needs itself is among them")
	for _, name := range []string{"resvg", "domino", "browser-compat-data", "Go", "github.com/dop251/goja", "github.com/inconshreveable/mousetrap"} {
		assert.Contains(t, versions, name)
	}
}

func TestFind(t *testing.T) {
	got, err := Find("GOJA")
	require.NoError(t, err)
	require.Len(t, got, 1)
	assert.Contains(t, got[0].Text, "Permission is hereby granted")
	_, err = Find("nothing")
	assert.ErrorContains(t, err, `"nothing"`)
	assert.Equal(t, "", Kind("all rights reserved"))
}
