package tight

import (
	"bytes"
	"compress/zlib"
	"io"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func inflate(t testing.TB, z []byte) []byte {
	t.Helper()
	r, err := zlib.NewReader(bytes.NewReader(z))
	require.NoError(t, err)
	out, err := io.ReadAll(r)
	require.NoError(t, err)
	return out
}

func standard(t testing.TB, data []byte) int {
	t.Helper()
	var b bytes.Buffer
	w, err := zlib.NewWriterLevel(&b, zlib.BestCompression)
	require.NoError(t, err)
	_, err = w.Write(data)
	require.NoError(t, err)
	require.NoError(t, w.Close())
	return b.Len()
}

func samples() map[string][]byte {
	r := rand.New(rand.NewPCG(1, 2))
	noise, waves, mixed := make([]byte, 5000), make([]byte, 60_000), make([]byte, 40_000)
	for i := range noise {
		noise[i] = byte(r.Uint32())
	}
	for i := range waves {
		waves[i] = byte(i*i/700) & 0x3f
	}
	for i := range mixed {
		if mixed[i] = byte(i / 1000); i > 20_000 {
			mixed[i] = byte(r.IntN(3))
		}
	}
	return map[string][]byte{"nothing": nil, "one": {7}, "two": {7, 7}, "run": make([]byte, 100_000), "short run": bytes.Repeat([]byte{1}, 259), "noise": noise, "waves": waves, "mixed": mixed,
		"text": bytes.Repeat([]byte("The ferry to Orran leaves at ten, the ferry to Kelda at noon. "), 300), "far": append(append([]byte("abcdefgh"), noise...), append(make([]byte, 33_000), "abcdefgh"...)...)}
}

func TestZlib(t *testing.T) {
	for name, data := range samples() {
		for _, rounds := range []int{0, 1, 5} {
			z := Zlib(data, rounds)
			assert.True(t, bytes.Equal(data, inflate(t, z)), "%s, %d rounds", name, rounds)
			if rounds == 5 && len(data) > 1000 && name != "noise" {
				assert.LessOrEqual(t, len(z), standard(t, data)+8, name)
			}
		}
	}
	assert.Equal(t, Zlib(samples()["mixed"], 3), Zlib(samples()["mixed"], 3), "the same bytes each time")
}

func TestLengthsAreAPrefixCode(t *testing.T) {
	fibonacci := []int{1, 1}
	for len(fibonacci) < 40 { // whose code without a limit would be 39 bits long
		fibonacci = append(fibonacci, fibonacci[len(fibonacci)-1]+fibonacci[len(fibonacci)-2])
	}
	for _, limit := range []int{7, 15} {
		kraft := 0
		counts := fibonacci
		for _, l := range lengths(counts, limit) {
			require.Positive(t, l)
			require.LessOrEqual(t, int(l), limit)
			kraft += 1 << (limit - int(l))
		}
		assert.Equal(t, 1<<limit, kraft, "no code word is wasted")
	}
	assert.Equal(t, []uint8{0, 1, 0}, lengths([]int{0, 9, 0}, 15))
}

func FuzzZlib(f *testing.F) {
	for _, data := range samples() {
		f.Add(data[:min(len(data), 2000)])
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		if got := inflate(t, Zlib(data, 2)); !bytes.Equal(got, data) {
			t.Fatalf("%d bytes came back as %d", len(data), len(got))
		}
	})
}
