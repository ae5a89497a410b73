package cli

import (
	"errors"
	"io"
	"os"
	"path/filepath"
)

// writeFile writes a file under a temporary name and gives it its own when it is whole.
func writeFile(path string, write func(io.Writer) error) (err error) {
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
	if err := f.Chmod(0o644); err != nil {
		return err
	}
	if err := f.Close(); err != nil {
		return err
	}
	return os.Rename(f.Name(), path)
}
