package deliver

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"regexp"
	"strings"
	"time"
)

// Put puts a file into a directory below dir, whole or not at all. Nothing leads out of dir, no link
// either.
func Put(dir, below, name, from string) (err error) {
	root, err := os.OpenRoot(dir)
	if err != nil {
		return fmt.Errorf("the directory for deliveries cannot be opened: %w", err)
	}
	defer root.Close()
	if err := root.MkdirAll(below, 0o750); err != nil {
		return err
	}
	source, err := os.Open(from)
	if err != nil {
		return err
	}
	defer source.Close()
	unfinished := path.Join(below, "."+name+".unfinished")
	to, err := root.OpenFile(unfinished, os.O_CREATE|os.O_WRONLY|os.O_TRUNC, 0o640)
	if err != nil {
		return err
	}
	_, err = io.Copy(to, source)
	if err == nil {
		err = to.Sync()
	}
	if err = errors.Join(err, to.Close()); err == nil {
		err = root.Rename(unfinished, path.Join(below, name))
	}
	if err != nil {
		return errors.Join(err, root.Remove(unfinished))
	}
	return nil
}

var braces = regexp.MustCompile(`\\\{[^{}]*\\\}`)

// Clear removes the files of a directory below dir that are called as a template says, with anything in
// its braces, and were written before a moment.
func Clear(dir, below, template string, before time.Time) error {
	root, err := os.OpenRoot(dir)
	if err != nil {
		return err
	}
	defer root.Close()
	called, err := regexp.Compile("^" + braces.ReplaceAllString(regexp.QuoteMeta(template), `[0-9A-Za-z-]+`) + "$")
	if err != nil {
		return err
	}
	entries, err := fs.ReadDir(root.FS(), path.Clean(below))
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	for _, e := range entries {
		info, failed := e.Info()
		if failed == nil && info.Mode().IsRegular() && called.MatchString(e.Name()) && info.ModTime().Before(before) && !strings.HasPrefix(e.Name(), ".") {
			err = errors.Join(err, root.Remove(path.Join(below, e.Name())))
		}
	}
	return err
}
