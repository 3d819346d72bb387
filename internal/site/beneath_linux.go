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

// Spares are files in a folder of their own inside the site, to be written and then put in another's place. What stood
// there becomes a spare itself and is written again when its name comes up, which saves making a file.
type Spares struct {
	site *Site
	path string
	dir  int    // descriptor
	uid  uint32 // of the files that this process makes
	gid  uint32
}

// Spares makes the folder of spare files, anew when there is one.
func (s *Site) Spares(p string) (*Spares, error) {
	if err := s.root.RemoveAll(filepath.FromSlash(p)); err != nil {
		return nil, err
	}
	if err := s.root.MkdirAll(filepath.FromSlash(p), 0o755); err != nil {
		return nil, err
	}
	sp := &Spares{site: s, path: p, uid: uint32(os.Geteuid()), gid: uint32(os.Getegid())}
	var err error
	if sp.dir, err = s.openBeneath(p, unix.O_RDONLY|unix.O_DIRECTORY, 0); err != nil {
		if !unsupported(err) {
			return nil, err
		}
		sp.dir = -1
	}
	return sp, nil
}

// Close removes the spare files.
func (sp *Spares) Close() {
	if sp.dir >= 0 {
		_ = unix.Close(sp.dir)
	}
	_ = sp.site.root.RemoveAll(filepath.FromSlash(sp.path))
}

// Write fills the spare file of a name.
func (sp *Spares) Write(name string, data []byte, mode fs.FileMode) error {
	if sp.dir < 0 {
		return sp.site.writeRoot(path.Join(sp.path, name), data, mode)
	}
	fd, err := unix.Openat(sp.dir, name, unix.O_WRONLY|unix.O_CREAT|unix.O_NOFOLLOW|unix.O_CLOEXEC, uint32(mode.Perm())|0o200)
	if err != nil || !sp.ours(fd) {
		if err == nil {
			_ = unix.Close(fd)
		}
		if err := unix.Unlinkat(sp.dir, name, 0); err != nil {
			return err
		}
		if fd, err = unix.Openat(sp.dir, name, unix.O_WRONLY|unix.O_CREAT|unix.O_EXCL|unix.O_NOFOLLOW|unix.O_CLOEXEC, uint32(mode.Perm())|0o200); err != nil {
			return err
		}
	}
	size := int64(len(data))
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
		err = unix.Ftruncate(fd, size)
	}
	if err == nil {
		err = unix.Fchmod(fd, uint32(mode.Perm()))
	}
	if e := unix.Close(fd); err == nil {
		err = e
	}
	return err
}

// ours says whether a file may be written again: nobody else holds it open or has another name for it, and it belongs
// to whom a new one would. A write lease is given only for a file that nobody else has open.
func (sp *Spares) ours(fd int) bool {
	var st unix.Stat_t
	if unix.Fstat(fd, &st) != nil || st.Nlink != 1 || st.Uid != sp.uid || st.Gid != sp.gid || st.Mode&unix.S_IFMT != unix.S_IFREG {
		return false
	}
	if st.Size == 0 {
		return true // just made
	}
	if n, err := unix.Flistxattr(fd, nil); err != nil || n > 0 {
		return false // attributes of another file
	}
	if _, err := unix.FcntlInt(uintptr(fd), unix.F_SETLEASE, unix.F_WRLCK); err != nil {
		return false
	}
	_, err := unix.FcntlInt(uintptr(fd), unix.F_SETLEASE, unix.F_UNLCK)
	return err == nil
}

// Place puts the spare file of a name in the place of another file, or where there is none.
func (sp *Spares) Place(name, to string) error {
	if sp.dir < 0 {
		return sp.site.root.Rename(filepath.FromSlash(path.Join(sp.path, name)), filepath.FromSlash(to))
	}
	fd, err := sp.site.openBeneath(path.Dir(to), unix.O_PATH|unix.O_DIRECTORY, 0)
	if err != nil {
		return err
	}
	defer unix.Close(fd)
	err = unix.Renameat2(sp.dir, name, fd, path.Base(to), unix.RENAME_EXCHANGE)
	if err != nil { // nothing is there yet, or the file system cannot exchange
		err = unix.Renameat(sp.dir, name, fd, path.Base(to))
	}
	if errors.Is(err, unix.EXDEV) { // another file system is mounted there
		return sp.site.copyBeside(path.Join(sp.path, name), to)
	}
	if err != nil {
		return &os.LinkError{Op: "rename", Old: name, New: to, Err: err}
	}
	return nil
}

// copyBeside replaces a file on another file system: a copy beside it is made durable and renamed.
func (s *Site) copyBeside(from, to string) error {
	data, err := s.Read(from)
	if err != nil {
		return err
	}
	info, err := s.root.Stat(filepath.FromSlash(from))
	if err != nil {
		return err
	}
	temp := path.Join(path.Dir(to), ".tachyform-"+path.Base(to))
	if err := s.writeRoot(temp, data, info.Mode().Perm()); err != nil {
		return err
	}
	f, err := s.root.Open(filepath.FromSlash(temp))
	if err == nil {
		err = f.Sync()
		_ = f.Close()
	}
	if err == nil {
		err = s.root.Rename(filepath.FromSlash(temp), filepath.FromSlash(to))
	}
	if err != nil {
		_ = s.root.Remove(filepath.FromSlash(temp))
	}
	return err
}
