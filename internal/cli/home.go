package cli

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
)

// dataHome is a directory of ours in the user's data home: $XDG_DATA_HOME, or .local/share
// (XDG Base Directory Specification 0.8).
func dataHome(name string) string {
	home := os.Getenv("XDG_DATA_HOME")
	if !filepath.IsAbs(home) { // which is to be ignored
		user, err := os.UserHomeDir()
		if err != nil {
			user = os.TempDir()
		}
		home = filepath.Join(user, ".local", "share")
	}
	return filepath.Join(home, "pikegate", name)
}

// settle moves a directory of ours from where it was kept by earlier versions, the user's
// cache, to the data home, where nothing stands yet; and says so. dir is left alone where it
// is another one.
func settle(dir string, out io.Writer) error {
	name := filepath.Base(dir)
	cache, err := os.UserCacheDir()
	if err != nil || dir != dataHome(name) {
		return nil
	}
	old := filepath.Join(cache, "pikegate", name)
	if _, err := os.Stat(dir); !errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if _, err := os.Stat(old); err != nil {
		return nil
	}
	err = os.MkdirAll(filepath.Dir(dir), 0o700)
	if err == nil {
		err = os.Rename(old, dir)
	}
	if err != nil {
		return fail(exitFailed, "the files of earlier versions in %s could not be moved to %s: %w; move them, or name their directory by --data", old, dir, err)
	}
	_, err = fmt.Fprintf(out, "pikegate: the files in %s were moved to %s\n", old, dir)
	return err
}
