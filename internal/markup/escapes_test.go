package markup

import (
	"testing"

	"github.com/dop251/goja"
	"github.com/stretchr/testify/assert"
)

// TestUnquote compares with what the engine makes of the same literals.
func TestUnquote(t *testing.T) {
	for _, body := range []string{
		`plain`, `\/api\/boats`, `\u002fapi\x2ftides`, `caf\u00e9`, `caf\u{e9}`, `\x1b[2J`, `a\nb\tc\vd\be\ff\rg`, `\'\"\\\` + "`", `\0`, `\08`, `\101\60\7`, `\377\47`,
		`\ud83d\ude00`, `\ud83d!`, `\ude00`, `\u{1F600}`, `a\` + "\n" + `b`, `a\` + "\r\n" + `b`, `a\` + "\u2028" + `b`, `\é\z\-`, `\u{0000000041}`, `end\\`,
	} {
		want, err := goja.New().RunString(`"` + body + `"`)
		if !assert.NoError(t, err, body) {
			continue
		}
		assert.Equal(t, want.String(), unquoteJS([]byte(body)), body)
	}
	assert.Equal(t, " 0", unquoteJS([]byte(`\400`)), "an octal escape goes to 377 (the engine's to 777)")
	for _, broken := range []string{`\`, `\x`, `\x1`, `\u`, `\u12`, `\u{`, `\u{}`, `\u{110000}`, `\ud83d\`, `\ud83d\u`, `\xzz`, `\u{zz}`} {
		assert.NotPanics(t, func() { unquoteJS([]byte(broken)) }, broken)
	}
}
