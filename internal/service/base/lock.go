package base

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"syscall"
)

// lockFile is the file by which a service has a directory to itself. It holds the
// service's process id, and stays when the service ends.
const lockFile = "lock"

// lock takes a directory for this process. The lock is the system's, so that it goes with
// the process however that ends.
func lock(dir string) (*os.File, error) {
	f, err := os.OpenFile(filepath.Join(dir, lockFile), os.O_RDWR|os.O_CREATE, 0o600)
	if err != nil {
		return nil, err
	}
	switch err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); {
	case errors.Is(err, syscall.EWOULDBLOCK):
		defer f.Close()
		holder, _ := io.ReadAll(io.LimitReader(f, 20)) // who it is only helps
		return nil, fmt.Errorf("the directory %s is in use by another service, process %s; stop it first, or name another directory by --data", dir, strings.TrimSpace(string(holder)))
	case err != nil:
		f.Close()
		return nil, fmt.Errorf("lock %s: %w", f.Name(), err)
	}
	if err := errors.Join(f.Truncate(0), write(f, fmt.Sprintln(os.Getpid()))); err != nil {
		f.Close()
		return nil, err
	}
	return f, nil
}

// Lock takes a directory for this process, until free is called.
func Lock(dir string) (free func() error, err error) {
	held, err := lock(dir)
	if err != nil {
		return nil, err
	}
	return held.Close, nil
}

func write(f *os.File, text string) error {
	_, err := f.WriteAt([]byte(text), 0)
	return err
}
