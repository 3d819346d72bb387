package markup

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestFormToken(t *testing.T) {
	for page, want := range map[string]string{
		`<form><input type="hidden" name="csrfmiddlewaretoken" value="x">`: "csrfmiddlewaretoken",
		`<INPUT VALUE=x NAME=_token>`:                                      "_token",
		`<input name='authenticity_token'>`:                                "authenticity_token",
		`<input name="harbour"><input name=q>`:                             "",
		`<p>csrf token</p><button name="token">`:                           "",
		`<input value="name=token" name="q">`:                              "token", // rather too careful
	} {
		assert.Equal(t, want, FormToken([]byte(page)), page)
	}
}
