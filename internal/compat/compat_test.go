package compat

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestSince(t *testing.T) {
	for statement, want := range map[string]string{
		`{"version_added":"42"}`:                                                 "42",
		`{"version_added":"\u226480"}`:                                           "\u226480",
		`{"version_added":true}`:                                                 "true",
		`{"version_added":false}`:                                                "",
		`{"version_added":null}`:                                                 "",
		`{"version_added":"preview"}`:                                            "",
		`{"version_added":"42","version_removed":"50"}`:                          "",
		`{"version_added":"42","version_removed":false}`:                         "42",
		`{"version_added":"42","flags":[{"type":"preference"}]}`:                 "",
		`[{"version_added":"preview"},{"version_added":"7"}]`:                    "7",
		`[{"version_added":"3","flags":[{"type":"x"}]},{"version_added":false}]`: "",
		`"nonsense"`: "",
	} {
		assert.Equal(t, want, Read([]byte(`{"support":{"chrome":`+statement+`}}`)).Since("chrome"), statement)
	}
	assert.Empty(t, Read([]byte(`{"support":{}}`)).Since("chrome"))
	assert.Empty(t, Read([]byte(`[]`)).Since("chrome"))
}
