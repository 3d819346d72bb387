package present

import (
	"bytes"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"rsc.io/qr"
)

// TestQR reads the drawn code back, module by module.
func TestQR(t *testing.T) {
	const address = "https://192.168.1.7:8417/"
	var out bytes.Buffer
	s := New(&out, false)
	require.NoError(t, s.Serving(Served{Site: address, Control: "https://192.168.1.7:8418/x/", Authority: "/home/you/authority.pem", Fingerprint: strings.Repeat("AB:", 31) + "AB", Trust: "http://192.168.1.7:8419/authority.pem", Others: true}))
	assert.Contains(t, out.String(), "Certificate Trust Settings")
	code, err := qr.Encode(address, qr.L)
	require.NoError(t, err)
	var rows [][]rune
	for line := range strings.Lines(out.String()) {
		if text := strings.TrimPrefix(strings.TrimSuffix(line, "\n"), "    "); len([]rune(text)) == code.Size+4 && strings.ContainsAny(text, "█▀▄") {
			rows = append(rows, []rune(text))
		}
	}
	require.Len(t, rows, (code.Size+5)/2)
	for y := range code.Size {
		for x := range code.Size {
			c := rows[(y+2)/2][x+2]
			light := c == '█' || c == '▀' && (y+2)%2 == 0 || c == '▄' && (y+2)%2 == 1
			assert.Equal(t, code.Black(x, y), !light, "%d,%d", x, y)
		}
	}
	for line := range strings.Lines(out.String()) {
		assert.LessOrEqual(t, len([]rune(strings.TrimRight(line, "\n"))), 80, line)
	}
}
