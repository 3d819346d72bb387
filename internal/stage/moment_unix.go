//go:build unix

package stage

import (
	"syscall"
	"time"
)

// worked is the processor time that the process has used.
func worked() time.Duration {
	var u syscall.Rusage
	if syscall.Getrusage(syscall.RUSAGE_SELF, &u) != nil {
		return 0
	}
	return time.Duration(u.Utime.Nano() + u.Stime.Nano())
}
