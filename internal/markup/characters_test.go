package markup

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestCharacters(t *testing.T) {
	const latin, extended, cyrillic = "U+0000-00FF, U+2000-206F", "U+0100-02BA,U+1E00-1E9F", "U+0400-045F, U+4??00"
	for text, want := range map[string][3]bool{
		"plain":                       {true, false, false},
		"caf\u00e9":                   {true, false, false},
		"\u0141\u00f3d\u017a":         {true, true, false},
		"&Lstrok; &x":                 {true, true, false},
		`"\u0451"`:                    {true, false, true},
		`"\u{451}"`:                   {true, false, true},
		`"\xe9"`:                      {true, false, false},
		`a::before{content:"\1e00 "}`: {true, true, false},
		"\U00045600":                  {true, false, true},
		"\xff\\":                      {true, false, false},
	} {
		var one, c Characters
		one.Read([]byte(text))
		c.Join(&one)
		assert.Equal(t, want, [3]bool{c.In(latin), c.In(extended), c.In(cyrillic)}, text)
	}
	var c Characters
	assert.True(t, c.In(""), "no range is all of them")
	assert.True(t, c.In("nonsense"))
	assert.False(t, c.In("u+100"))
	assert.False(t, c.In("U+2A0-200"))
}
