package distribution

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/gzip"
	"encoding/json"
	"io"
	"io/fs"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var files = []File{{"bin/tachyform", 0o755, []byte("program")}, {"a.txt", 0o644, []byte("text")}}

// unpacked reads an archive: names with modes, and contents.
func unpacked(t *testing.T, data []byte) (names []string, contents map[string]string) {
	t.Helper()
	z, err := gzip.NewReader(bytes.NewReader(data))
	require.NoError(t, err)
	assert.True(t, z.ModTime.IsZero())
	assert.Empty(t, z.Name)
	contents = map[string]string{}
	for r := tar.NewReader(z); ; {
		h, err := r.Next()
		if err == io.EOF {
			return names, contents
		}
		require.NoError(t, err)
		assert.Equal(t, epoch.Unix(), h.ModTime.Unix())
		assert.Equal(t, []any{0, 0, "", ""}, []any{h.Uid, h.Gid, h.Uname, h.Gname})
		text, err := io.ReadAll(r)
		require.NoError(t, err)
		names = append(names, h.Name+" "+fs.FileMode(h.Mode).String())
		contents[h.Name] = string(text)
	}
}

func TestArchives(t *testing.T) {
	data, err := TarGz(files, false)
	require.NoError(t, err)
	names, contents := unpacked(t, data)
	assert.Equal(t, []string{"a.txt -rw-r--r--", "bin/tachyform -rwxr-xr-x"}, names)
	assert.Equal(t, "program", contents["bin/tachyform"])
	turned := slices.Clone(files)
	slices.Reverse(turned)
	again, err := TarGz(turned, false)
	require.NoError(t, err)
	assert.Equal(t, data, again, "whatever the order")

	data, err = Zip(files)
	require.NoError(t, err)
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	require.Len(t, z.File, 2)
	assert.Equal(t, fs.FileMode(0o755), z.File[1].Mode())
	r, err := z.File[1].Open()
	require.NoError(t, err)
	text, err := io.ReadAll(r)
	require.NoError(t, err)
	assert.Equal(t, "program", string(text))
}

func TestDeb(t *testing.T) {
	data, err := Deb(Control{"tachyform", "0.2.0", "amd64", "Somebody <a@b.example>", "a summary", "One line.\n\nAnother."}, files)
	require.NoError(t, err)
	require.True(t, bytes.HasPrefix(data, []byte("!<arch>\n")))
	members := map[string][]byte{}
	for rest := data[8:]; len(rest) > 0; {
		size, err := strconv.Atoi(strings.TrimSpace(string(rest[48:58])))
		require.NoError(t, err)
		assert.Equal(t, "`\n", string(rest[58:60]))
		members[strings.TrimSpace(string(rest[:16]))] = rest[60 : 60+size]
		rest = rest[60+size+size%2:]
	}
	assert.Equal(t, "2.0\n", string(members["debian-binary"]))
	_, control := unpacked(t, members["control.tar.gz"])
	assert.Contains(t, control["control"], "Package: tachyform\nVersion: 0.2.0\nArchitecture: amd64\n")
	assert.Contains(t, control["control"], "Description: a summary\n One line.\n .\n Another.\n")
	assert.Contains(t, control["md5sums"], "1cb251ec0d568de6a929b520c4aed8d1  a.txt\n")
	names, _ := unpacked(t, members["data.tar.gz"])
	assert.Equal(t, []string{"./a.txt -rw-r--r--", "./bin/ -rwxr-xr-x", "./bin/tachyform -rwxr-xr-x"}, names)
}

func TestNPM(t *testing.T) {
	data, err := NPM("0.2.0", []byte("readme"), []byte("licence"))
	require.NoError(t, err)
	names, contents := unpacked(t, data)
	assert.Contains(t, names, "package/bin/tachyform.js -rwxr-xr-x")
	var about struct {
		Optional map[string]string `json:"optionalDependencies"`
		Scripts  map[string]string `json:"scripts"`
	}
	require.NoError(t, json.Unmarshal([]byte(contents["package/package.json"]), &about))
	assert.Empty(t, about.Scripts, "nothing is run when it is installed")
	assert.Len(t, about.Optional, len(Targets))
	for _, target := range Targets {
		assert.Equal(t, "0.2.0", about.Optional[target.NPMName()])
		data, err := target.NPM("0.2.0", []byte("program"), nil)
		require.NoError(t, err)
		_, contents := unpacked(t, data)
		assert.Equal(t, "program", contents["package/bin/"+target.Program()])
	}
	assert.Equal(t, "@tachyform/win32-x64", Target{"windows", "amd64"}.NPMName())
	assert.Equal(t, "tachyform.exe", Target{"windows", "amd64"}.Program())
}
