package fitting

import (
	"os"

	"golang.org/x/sys/unix"
)

// syncAll makes everything written to the file system that holds dir durable, in one go for many files.
func syncAll(dir string) error {
	d, err := os.Open(dir)
	if err != nil {
		return err
	}
	defer d.Close()
	return unix.Syncfs(int(d.Fd()))
}
