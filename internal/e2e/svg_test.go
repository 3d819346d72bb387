package e2e

import (
	"bytes"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"sort"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// drawings are packages with SVG files under open licences that nobody here drew: Debian's by name, npm's with a version.
var drawings = []string{"tango-icon-theme", "elementary-xfce-icon-theme", "adwaita-icon-theme", "bootstrap-icons@1.13.1", "flag-icons@7.5.0"}

// perPackage is how many files of each are compared.
const perPackage = 8

// unpacked gives the folder of a Debian or npm package.
func unpacked(t testing.TB, name string) string {
	t.Helper()
	cache, err := os.UserCacheDir()
	require.NoError(t, err)
	dir := filepath.Join(cache, "tachyform-test-sites", name)
	if _, err := os.Stat(filepath.Join(dir, "done")); err == nil {
		return dir
	}
	require.NoError(t, os.RemoveAll(dir))
	require.NoError(t, os.MkdirAll(dir, 0o755))
	script := "apt-get download \"$0\" >/dev/null 2>&1 || { apt-get update -qq >/dev/null; apt-get download \"$0\" >/dev/null; }; dpkg-deb -x ./*.deb tree; rm ./*.deb; touch done"
	if strings.Contains(name, "@") {
		script = "npm pack --silent \"$0\" >/dev/null; mkdir tree; tar xzf ./*.tgz -C tree; rm ./*.tgz; touch done"
	}
	sh := exec.Command("sh", "-ec", script, name)
	sh.Dir = dir
	out, err := sh.CombinedOutput()
	require.NoError(t, err, "fetching %s\n%s", name, out)
	return dir
}

// picked gives every so many-th SVG of a package, in path order.
func picked(t testing.TB, dir string) []string {
	t.Helper()
	var all []string
	require.NoError(t, filepath.WalkDir(filepath.Join(dir, "tree"), func(p string, d fs.DirEntry, err error) error {
		if err == nil && d.Type().IsRegular() && strings.HasSuffix(p, ".svg") {
			if info, e := d.Info(); e == nil && info.Size() < 300_000 {
				all = append(all, p)
			}
		}
		return err
	}))
	sort.Strings(all)
	require.GreaterOrEqual(t, len(all), perPackage, dir)
	var out []string
	for i := range perPackage {
		out = append(out, all[i*len(all)/perPackage])
	}
	return out
}

// TestDrawingsAsInChromium draws 40 SVG files at 512 px and compares with Chromium's own rendering.
func TestDrawingsAsInChromium(t *testing.T) {
	needsAll(t)
	t.Parallel()
	dir := t.TempDir()
	files := map[string]string{"index.html": "<!doctype html><title>Drawings</title>"}
	from := map[string]string{}
	for _, name := range drawings {
		for i, p := range picked(t, unpacked(t, name)) {
			data, err := os.ReadFile(p)
			require.NoError(t, err)
			at := fmt.Sprintf("%s-%d.svg", strings.SplitN(name, "@", 2)[0], i)
			files[at], from[at] = string(data), filepath.Base(p)
		}
	}
	write(t, filepath.Join(dir, "web"), files)
	b, _ := browse(t, filepath.Join(dir, "web"), "/")
	_, err := b.Open("/")
	require.NoError(t, err)
	names := make([]string, 0, len(from))
	for n := range from {
		names = append(names, n)
	}
	sort.Strings(names)
	right := 0
	for _, n := range names {
		encoded, err := b.Evaluate(`(async () => {
			const i = new Image(); i.src = "/` + n + `"; await i.decode();
			const c = document.createElement("canvas"); c.width = c.height = 512;
			const w = i.naturalWidth || 512, h = i.naturalHeight || 512, k = 512 / Math.max(w, h);
			c.getContext("2d").drawImage(i, (512 - w * k) / 2, (512 - h * k) / 2, w * k, h * k);
			return c.toDataURL().split(",")[1] })()`)
		require.NoError(t, err, n)
		raw, err := base64.StdEncoding.DecodeString(encoded)
		require.NoError(t, err)
		theirs, err := png.Decode(bytes.NewReader(raw))
		require.NoError(t, err)
		out := fine(t, dir, "icons", filepath.Join("web", n), "--out", "icons", "--force", "--effort", "quick", "--format", "json")
		var said struct{ Remarks []string }
		require.NoError(t, json.Unmarshal([]byte(out), &said))
		data, err := os.ReadFile(filepath.Join(dir, "icons", "icon-512.png"))
		require.NoError(t, err)
		ours, err := png.Decode(bytes.NewReader(data))
		require.NoError(t, err)
		mean, off, lost := difference(ours, theirs)
		if mean <= 0.005 && off <= 0.005 && !lost {
			right++
			continue
		}
		assert.NotEmpty(t, said.Remarks, "%s (%s) differs, and nothing is said", n, from[n])
		t.Logf("%s (%s): mean difference %.2f%%, %.2f%% of the pixels clearly off, content lost: %t; said: %v", n, from[n], mean*100, off*100, lost, said.Remarks)
	}
	t.Logf("%d of %d as Chromium draws them", right, len(names))
	for i, n := range names[:8] { // as lossy pictures, which Chromium writes and shows
		encoded, err := b.Evaluate(`(async () => {
			const i = new Image(); i.src = "/` + n + `"; await i.decode();
			const c = document.createElement("canvas"); c.width = c.height = 512; const x = c.getContext("2d");
			if (` + fmt.Sprint(i%2 == 0) + `) { x.fillStyle = "#f0e6c8"; x.fillRect(0, 0, 512, 512); }
			x.drawImage(i, 0, 0, 512, 512);
			const lossy = c.toDataURL("image/webp", 0.9), j = new Image(); j.src = lossy; await j.decode(); x.clearRect(0, 0, 512, 512); x.drawImage(j, 0, 0);
			return lossy.split(",")[1] + " " + c.toDataURL().split(",")[1] })()`)
		require.NoError(t, err, n)
		lossy, shown, _ := strings.Cut(encoded, " ")
		source, err := base64.StdEncoding.DecodeString(lossy)
		require.NoError(t, err)
		require.Contains(t, string(source[:64]), "VP8")
		raw, err := base64.StdEncoding.DecodeString(shown)
		require.NoError(t, err)
		theirs, err := png.Decode(bytes.NewReader(raw))
		require.NoError(t, err)
		write(t, dir, map[string]string{"lossy.webp": string(source)})
		fine(t, dir, "icons", "lossy.webp", "--out", "lossy", "--force", "--effort", "quick")
		data, err := os.ReadFile(filepath.Join(dir, "lossy", "icon-512.png"))
		require.NoError(t, err)
		ours, err := png.Decode(bytes.NewReader(data))
		require.NoError(t, err)
		mean, _, lost := difference(ours, theirs)
		assert.Lessf(t, mean, 0.01, "%s as a lossy picture", n)
		assert.Falsef(t, lost, "%s as a lossy picture", n)
	}
	assert.GreaterOrEqual(t, float64(right), 0.95*float64(len(names)))
}

// difference compares premultiplied RGBA: the mean difference, the share of pixels that differ by over 32 of 255, and whether all do in some square of
// 6 x 6, as where something is missing.
func difference(a, b image.Image) (mean, off float64, lost bool) {
	n := a.Bounds().Dx()
	total, bad := 0, 0
	squares := map[[2]int]int{}
	for y := range n {
		for x := range n {
			p, q := color.RGBAModel.Convert(a.At(x, y)).(color.RGBA), color.RGBAModel.Convert(b.At(x, y)).(color.RGBA)
			worst := 0
			for _, d := range []int{int(p.R) - int(q.R), int(p.G) - int(q.G), int(p.B) - int(q.B), int(p.A) - int(q.A)} {
				d = max(d, -d)
				total += d
				worst = max(worst, d)
			}
			if worst > 32 {
				bad++
				squares[[2]int{x / 6, y / 6}]++
				lost = lost || squares[[2]int{x / 6, y / 6}] == 36
			}
		}
	}
	return float64(total) / float64(n*n*4*255), float64(bad) / float64(n*n), lost
}
