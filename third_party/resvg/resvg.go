// Package resvg carries the unmodified WebAssembly build of the resvg SVG renderer. See README.md beside it for
// its version, licence and source.
package resvg

import (
	"bytes"
	"compress/gzip"
	_ "embed"
	"io"
)

//go:embed resvg.wasm.gz
var packed []byte

// SHA256 is the digest of the module that [Module] gives, in hexadecimal.
const SHA256 = "22bf6e9f9a100d972da0411a69c5ba504367fc1fa87b3b64e3f35e53926d2d70"

// Module unpacks the WebAssembly module.
func Module() ([]byte, error) {
	z, err := gzip.NewReader(bytes.NewReader(packed))
	if err != nil {
		return nil, err
	}
	return io.ReadAll(z)
}
