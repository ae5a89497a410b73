package base

import (
	"archive/tar"
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"syscall"
	"time"

	"pikegate/internal/source"
	"pikegate/internal/store"
)

// manifestFile stands first in a backup, which is a tar file, and tells what is in it.
const manifestFile = "backup.json"

// Manifest is what a backup tells of itself.
type Manifest struct {
	PikeGate int          `json:"pikegate"` // the form of backups: 1
	Version  string       `json:"version"`  // of the program that made it
	Tables   int          `json:"tables"`   // the version of the own records' tables
	MadeAt   time.Time    `json:"made_at"`
	Files    []BackedFile `json:"files"`
}

// BackedFile is a file of a backup, in the order in which they follow.
type BackedFile struct {
	Name   string `json:"name"`
	Bytes  int64  `json:"bytes"`
	SHA256 string `json:"sha256"`
}

// Backup is the service's own records and the embedded business records, each as it is at one moment.
type Backup struct {
	manifest Manifest
	files    []*os.File
}

// Backup copies them while the service goes on. The backup is to be closed.
func (s *Base) Backup(ctx context.Context, version string) (_ *Backup, err error) {
	b := &Backup{manifest: Manifest{PikeGate: 1, Version: version, Tables: store.Tables(), MadeAt: s.Config().Now().UTC()}}
	defer func() {
		if err != nil {
			b.Close()
		}
	}()
	for _, name := range []string{source.EmbeddedFile, ownFile} { // the own records know of all that is loaded
		path := filepath.Join(s.Config().Dir, name)
		if _, err := os.Stat(path); errors.Is(err, fs.ErrNotExist) {
			continue // nothing was loaded yet
		}
		f, err := s.snapshot(ctx, path)
		if err != nil {
			return nil, err
		}
		b.files = append(b.files, f)
		sum := sha256.New()
		n, err := io.Copy(sum, f)
		if err != nil {
			return nil, err
		}
		if _, err := f.Seek(0, io.SeekStart); err != nil {
			return nil, err
		}
		b.manifest.Files = append(b.manifest.Files, BackedFile{Name: name, Bytes: n, SHA256: hex.EncodeToString(sum.Sum(nil))})
	}
	return b, nil
}

// Send writes the backup as a tar file.
func (b *Backup) Send(to io.Writer) error {
	text, err := json.MarshalIndent(b.manifest, "", "  ")
	if err != nil {
		return err
	}
	t := tar.NewWriter(to)
	put := func(name string, size int64, from io.Reader) error {
		if err := t.WriteHeader(&tar.Header{Name: name, Mode: 0o600, Size: size, ModTime: b.manifest.MadeAt}); err != nil {
			return err
		}
		_, err := io.Copy(t, from)
		return err
	}
	if err := put(manifestFile, int64(len(text)), bytes.NewReader(text)); err != nil {
		return err
	}
	for i, f := range b.files {
		if err := put(b.manifest.Files[i].Name, b.manifest.Files[i].Bytes, f); err != nil {
			return err
		}
	}
	return t.Close()
}

// Close lets the copies go.
func (b *Backup) Close() {
	for _, f := range b.files {
		f.Close()
	}
}

// snapshot is a copy of an SQLite file as it is at one moment, in a file without a name.
func (s *Base) snapshot(ctx context.Context, path string) (*os.File, error) {
	info, err := os.Stat(path)
	if err != nil {
		return nil, err
	}
	if err := s.Spool.Room(info.Size()); err != nil {
		return nil, err
	}
	dir, err := os.MkdirTemp(s.Spool.Dir, "backup-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	copied := filepath.Join(dir, filepath.Base(path))
	if err := store.Snapshot(ctx, path, copied); err != nil {
		return nil, err
	}
	return os.Open(copied)
}

// mostManifest is the most bytes that a manifest may have.
const mostManifest = 1 << 20

// ErrBackup is for a file that is no backup, or not a whole one.
var ErrBackup = errors.New("the backup cannot be restored")

func noBackup(format string, args ...any) error {
	return fmt.Errorf("%w: "+format, append([]any{ErrBackup}, args...)...)
}

// Restore puts what a backup holds in a directory in which no service has been yet: all of it, once
// it was found whole, or nothing.
func Restore(ctx context.Context, dir string, from io.Reader) (*Manifest, error) {
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, err
	}
	held, err := lock(dir)
	if err != nil {
		return nil, err
	}
	defer held.Close()
	for _, name := range []string{ownFile, source.EmbeddedFile} {
		if _, err := os.Lstat(filepath.Join(dir, name)); !errors.Is(err, fs.ErrNotExist) {
			return nil, fmt.Errorf("%s has %s already; restore into an empty directory, or move the file away first", dir, name)
		}
	}
	t := tar.NewReader(from)
	head, err := t.Next()
	if err != nil || head.Name != manifestFile {
		return nil, noBackup("it does not begin with %s", manifestFile)
	}
	m := &Manifest{}
	if err := json.NewDecoder(io.LimitReader(t, mostManifest)).Decode(m); err != nil || m.PikeGate != 1 {
		return nil, noBackup("its %s cannot be read, or is of a newer form", manifestFile)
	}
	if m.Tables > store.Tables() {
		return nil, noBackup("version %s made it, which is newer than this program; restore it with that one", m.Version)
	}
	var written []string
	defer func() {
		for _, path := range written {
			_ = os.Remove(path) // those that are in place have another name by now
		}
	}()
	for _, f := range m.Files {
		if f.Name != ownFile && f.Name != source.EmbeddedFile {
			return nil, noBackup("it holds %q, which is no file of a service", f.Name)
		}
		if head, err := t.Next(); err != nil || head.Name != f.Name || head.Size != f.Bytes {
			return nil, noBackup("it was cut off before %s, or put together otherwise", f.Name)
		}
		path := filepath.Join(dir, f.Name+".restored")
		written = append(written, path)
		if err := restored(ctx, path, t, f); err != nil {
			return nil, err
		}
	}
	if len(m.Files) == 0 || m.Files[len(m.Files)-1].Name != ownFile {
		return nil, noBackup("it does not hold %s", ownFile)
	}
	for i, f := range m.Files { // the own records last: with them it is a service's directory
		if err := os.Rename(written[i], filepath.Join(dir, f.Name)); err != nil {
			return nil, err
		}
	}
	return m, nil
}

// restored writes one file, and holds it to what was told of it.
func restored(ctx context.Context, path string, from io.Reader, told BackedFile) error {
	f, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_TRUNC, 0o600)
	if err != nil {
		return err
	}
	sum := sha256.New()
	_, err = io.Copy(io.MultiWriter(f, sum), from)
	if err = errors.Join(err, f.Sync(), f.Close()); err != nil {
		if errors.Is(err, syscall.ENOSPC) {
			return err
		}
		return noBackup("%s was cut off: %w", told.Name, err)
	}
	if hex.EncodeToString(sum.Sum(nil)) != told.SHA256 {
		return noBackup("%s is not as it was written", told.Name)
	}
	if err := store.Sound(ctx, path); err != nil {
		return noBackup("%s is not sound: %w", told.Name, err)
	}
	return nil
}
