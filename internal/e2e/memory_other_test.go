//go:build !linux

package e2e

import "os"

// mostMemory is measured on Linux only.
func mostMemory(*os.ProcessState) int64 { return 0 }
