package site

import (
	"errors"
	"io"
	"io/fs"
	"os"
	"path"
	"path/filepath"

	"golang.org/x/sys/unix"
)

// On Linux one system call opens a path and refuses any that leaves the folder; os.Root needs one for every part of
// the path. Where the kernel lacks it, os.Root does the work.

func (s *Site) openBeneath(p string, flags int, mode uint32) (int, error) {
	for {
		fd, err := unix.Openat2(int(s.dir.Fd()), p, &unix.OpenHow{Flags: uint64(flags | unix.O_CLOEXEC), Mode: uint64(mode), Resolve: unix.RESOLVE_BENEATH | unix.RESOLVE_NO_MAGICLINKS})
		if !errors.Is(err, unix.EINTR) && !errors.Is(err, unix.EAGAIN) {
			return fd, err
		}
	}
}

func unsupported(err error) bool { return errors.Is(err, unix.ENOSYS) || errors.Is(err, unix.EPERM) }

// readFile reads a whole file into buf.
func (s *Site) readFile(p string, buf []byte) ([]byte, error) {
	fd, err := s.openBeneath(p, unix.O_RDONLY, 0)
	if unsupported(err) {
		return s.readRoot(p, buf)
	}
	if err != nil {
		return buf[:0], err
	}
	defer unix.Close(fd)
	var st unix.Stat_t
	if err := unix.Fstat(fd, &st); err != nil {
		return buf[:0], err
	}
	if st.Mode&unix.S_IFMT == unix.S_IFDIR {
		return buf[:0], unix.EISDIR
	}
	return readAll(func(b []byte) (int, error) {
		for {
			n, err := unix.Read(fd, b)
			if errors.Is(err, unix.EINTR) {
				continue
			}
			if n == 0 && err == nil {
				return 0, io.EOF
			}
			return max(n, 0), err
		}
	}, st.Size, buf)
}

// WriteTemp writes a new file with a mode, or an old temporary one anew.
func (s *Site) WriteTemp(p string, data []byte, mode fs.FileMode) error {
	fd, err := s.openBeneath(p, unix.O_WRONLY|unix.O_CREAT|unix.O_TRUNC|unix.O_NOFOLLOW, uint32(mode.Perm())|0o200)
	if unsupported(err) {
		return s.writeRoot(p, data, mode)
	}
	if err != nil {
		return err
	}
	for len(data) > 0 {
		n, e := unix.Write(fd, data)
		if errors.Is(e, unix.EINTR) {
			continue
		}
		if err = e; err != nil {
			break
		}
		data = data[n:]
	}
	if err == nil {
		err = unix.Fchmod(fd, uint32(mode.Perm()))
	}
	if e := unix.Close(fd); err == nil {
		err = e
	}
	return err
}

// Replace renames a file within its folder.
func (s *Site) Replace(from, to string) error {
	dir := path.Dir(to)
	if path.Dir(from) != dir {
		return s.root.Rename(filepath.FromSlash(from), filepath.FromSlash(to))
	}
	fd, err := s.openBeneath(dir, unix.O_PATH|unix.O_DIRECTORY, 0)
	if unsupported(err) {
		return s.root.Rename(filepath.FromSlash(from), filepath.FromSlash(to))
	}
	if err != nil {
		return err
	}
	defer unix.Close(fd)
	if err := unix.Renameat(fd, path.Base(from), fd, path.Base(to)); err != nil {
		return &os.LinkError{Op: "rename", Old: from, New: to, Err: err}
	}
	return nil
}
