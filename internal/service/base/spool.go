package base

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"syscall"

	"pikegate/internal/load"
)

// Spool is the directory of what is put aside for a while: files that are being loaded,
// results whose readers are slow. Its files have no name once they are open, so that they
// go with the process.
type Spool struct{ Dir string }

// OpenSpool makes the directory, and clears what a service before left in it.
func OpenSpool(dir string) (Spool, error) {
	s := Spool{filepath.Join(dir, "spool")}
	if err := os.RemoveAll(s.Dir); err != nil {
		return s, err
	}
	return s, os.MkdirAll(s.Dir, 0o700)
}

// Create makes a file without a name, to be read and written until it is closed.
func (s Spool) Create() (*os.File, error) {
	f, err := os.CreateTemp(s.Dir, "*")
	if err == nil {
		err = os.Remove(f.Name())
	}
	return f, err
}

// spare is how many bytes are left free on the disk for what else is written.
const spare = 16 << 20

// Room fails where the disk has none for so many bytes.
func (s Spool) Room(bytes int64) error {
	var disk syscall.Statfs_t
	if err := syscall.Statfs(s.Dir, &disk); err != nil {
		return nil // then writing tells
	}
	if free := int64(disk.Bavail) * disk.Bsize; free < bytes+spare {
		return fmt.Errorf("%w: %d bytes are free, and %d are wanted", load.ErrNoRoom, free, bytes+spare)
	}
	return nil
}

// TooLarge is a file that is larger than it may be.
type TooLarge struct{ Most int64 }

func (e *TooLarge) Error() string {
	return fmt.Sprintf("the file is larger than %s; nothing was loaded", load.Size(e.Most))
}

// Put puts a file aside. declared is how long its sender says it is, -1 where it does not.
func (s Spool) Put(from io.Reader, declared, most int64) (f *os.File, size int64, err error) {
	if declared > most {
		return nil, 0, &TooLarge{most}
	}
	if err := s.Room(max(declared, 0)); err != nil {
		return nil, 0, err
	}
	if f, err = s.Create(); err != nil {
		return nil, 0, err
	}
	size, err = io.Copy(f, io.LimitReader(from, most+1))
	switch {
	case errors.Is(err, syscall.ENOSPC):
		err = fmt.Errorf("%w: %w", load.ErrNoRoom, err)
	case err == nil && size > most:
		err = &TooLarge{most}
	}
	if err != nil {
		f.Close()
		return nil, 0, err
	}
	return f, size, nil
}
