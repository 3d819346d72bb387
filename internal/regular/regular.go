// Package regular reads regular files up to a bound, so that no pipe, device or endless file in the place of one keeps the program waiting or takes its memory.
package regular

import (
	"fmt"
	"io"
	"io/fs"
	"os"
)

const (
	Small = 16 << 20  // bytes of a file that somebody writes: a configuration, a manifest, a list of cookies
	Large = 512 << 20 // bytes of a file that a program writes: a record, a report, an answer, a page
)

// ReadFile gives the bytes of a regular file that has at most max of them. A link is followed.
func ReadFile(name string, max int64) ([]byte, error) {
	return read(name, max, os.Stat, os.Open)
}

// ReadIn does so for a file below a root, which no link leaves.
func ReadIn(root *os.Root, name string, max int64) ([]byte, error) {
	return read(name, max, root.Stat, root.Open)
}

func read(name string, max int64, stat func(string) (fs.FileInfo, error), open func(string) (*os.File, error)) ([]byte, error) {
	about, err := stat(name) // a pipe would keep open waiting
	if err != nil {
		return nil, err
	}
	if err := Check(name, about, max); err != nil {
		return nil, err
	}
	f, err := open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	if about, err = f.Stat(); err != nil {
		return nil, err
	}
	if err := Check(name, about, max); err != nil {
		return nil, err
	}
	data, err := io.ReadAll(io.LimitReader(f, max+1))
	if err != nil {
		return nil, err
	}
	if int64(len(data)) > max {
		return nil, tooLarge(name, max)
	}
	return data, nil
}

// Check says what is wrong with something that stands where a regular file of at most max bytes is wanted; nil for nothing.
func Check(name string, about fs.FileInfo, max int64) error {
	if !about.Mode().IsRegular() {
		return fmt.Errorf("%s is %s, and not a file", name, Kind(about.Mode()))
	}
	if about.Size() > max {
		return tooLarge(name, max)
	}
	return nil
}

func tooLarge(name string, max int64) error {
	return fmt.Errorf("%s is larger than %d MB", name, max>>20)
}

// Kind names what is no regular file.
func Kind(m fs.FileMode) string {
	switch {
	case m.IsDir():
		return "a folder"
	case m&fs.ModeSymlink != 0:
		return "a link"
	case m&fs.ModeNamedPipe != 0:
		return "a pipe"
	case m&fs.ModeSocket != 0:
		return "a socket"
	case m&fs.ModeDevice != 0:
		return "a device"
	}
	return "something else"
}
