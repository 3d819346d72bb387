// Package domino carries the DOM that the stage runs pages on: the npm package @mixmark-io/domino, bundled and otherwise unmodified. See
// README.md beside it for its version, licence and source.
package domino

import _ "embed"

// Source defines a variable "domino" that holds the package's parts.
//
//go:embed domino.js
var Source string
