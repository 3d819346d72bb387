// Make bundles the DOM that pages run on from the unpacked npm package @mixmark-io/domino: go run ./third_party/domino/make PACKAGE-FOLDER
package main

import (
	"fmt"
	"os"
	"path/filepath"

	"github.com/evanw/esbuild/pkg/api"
)

// entry names the parts of the package that the stage uses.
const entry = `
exports.impl = require("./lib/impl");
exports.HTMLParser = require("./lib/HTMLParser");
exports.utils = require("./lib/utils");
exports.EventTarget = require("./lib/EventTarget");
exports.Event = require("./lib/Event");
exports.select = require("./lib/select");
exports.htmlelts = require("./lib/htmlelts");
exports.svg = require("./lib/svg");
exports.FilteredElementList = require("./lib/FilteredElementList");
exports.NodeUtils = require("./lib/NodeUtils");
exports.MUTATE = require("./lib/MutationConstants");
`

func main() {
	if err := run(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run() error {
	if len(os.Args) != 2 {
		return fmt.Errorf("name the folder of the unpacked package")
	}
	dir, err := filepath.Abs(os.Args[1])
	if err != nil {
		return err
	}
	out := api.Build(api.BuildOptions{AbsWorkingDir: dir, Stdin: &api.StdinOptions{Contents: entry, ResolveDir: dir}, Bundle: true, Format: api.FormatIIFE, GlobalName: "domino", Target: api.ES2015,
		MinifyWhitespace: true, MinifySyntax: true, LegalComments: api.LegalCommentsNone, Platform: api.PlatformBrowser, LogLevel: api.LogLevelWarning})
	if len(out.Errors) > 0 {
		return fmt.Errorf("bundling failed: %s", out.Errors[0].Text)
	}
	if err := os.WriteFile("third_party/domino/domino.js", out.OutputFiles[0].Contents, 0o644); err != nil {
		return err
	}
	licence, err := os.ReadFile(filepath.Join(dir, "LICENSE"))
	if err != nil {
		return err
	}
	return os.WriteFile("third_party/domino/LICENSE", licence, 0o644)
}
