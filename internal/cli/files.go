package cli

import (
	"errors"
	"io"
	"os"
	"path/filepath"
)

// readable is the mode of a file that others may read, own of one for its user alone.
const (
	readable os.FileMode = 0o644
	own      os.FileMode = 0o600
)

// writeFile writes a file under a temporary name and gives it its own when it is whole.
func writeFile(path string, mode os.FileMode, write func(io.Writer) error) (err error) {
	f, err := os.CreateTemp(filepath.Dir(path), "."+filepath.Base(path)+".*")
	var refused *os.PathError
	if errors.As(err, &refused) { // without the temporary name, which says nothing to anybody
		return &os.PathError{Op: "write", Path: path, Err: refused.Err}
	}
	if err != nil {
		return err
	}
	defer func() {
		if err != nil {
			f.Close()
			os.Remove(f.Name())
		}
	}()
	if err := write(f); err != nil {
		return err
	}
	if err := f.Chmod(mode); err != nil {
		return err
	}
	if err := f.Close(); err != nil {
		return err
	}
	return os.Rename(f.Name(), path)
}
