package e2e

import (
	"os"
	"syscall"
)

// mostMemory gives the most memory that a program had, in kB.
func mostMemory(p *os.ProcessState) int64 { return p.SysUsage().(*syscall.Rusage).Maxrss }
