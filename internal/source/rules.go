package source

import (
	"cmp"
	"errors"
	"io"
	"io/fs"
	"log/slog"
	"net"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"syscall"

	"pikegate/internal/core/catalog"
)

// Rules are what a service's admin allows definitions of sources to reach and to refer to.
type Rules struct {
	// Dir is the directory of the service, where the embedded records and files of
	// relative names lie.
	Dir string
	// Variables are the environment variables that addresses and passwords may come from;
	// a name that ends in * stands for all that begin so.
	Variables []string
	// Hidden are variables that they may not come from all the same: the service's own.
	Hidden []string
	// SecretDirs are the directories whose files they may come from, those of relative
	// names in Dir.
	SecretDirs []string
	// FileDirs are the directories that SQLite files may lie in beside Dir; none for all.
	FileDirs []string
	// Servers are those that may be connected to, as HOST or HOST:PORT, of sockets their
	// paths; none for all.
	Servers []string
	// Reserved are the files in Dir that no source may read, since they are the service's own.
	Reserved []string
	// Variable is what an environment variable holds, os.Getenv where it is nil.
	Variable func(name string) string
	// Log is where the sources log to, slog.Default() where it is nil.
	Log *slog.Logger
}

func (r Rules) log() *slog.Logger { return cmp.Or(r.Log, slog.Default()) }

func (r Rules) variable(name string) string {
	if r.Variable == nil {
		return os.Getenv(name)
	}
	return r.Variable(name)
}

// mostSecret is the most bytes that a file with an address or a password may have.
const mostSecret = 64 << 10

// lookUp finds the address and the password that a definition refers to. What they
// hold stands in no error.
func (r Rules) lookUp(c catalog.Connection) (address, password string, err error) {
	if address, err = r.Referred(c.Address, "address"); err != nil {
		return "", "", err
	}
	if c.Password != (catalog.Reference{}) {
		password, err = r.Referred(c.Password, "password")
	}
	return address, password, err
}

// Referred finds a text that a definition refers to; what says what it is, for errors.
func (r Rules) Referred(to catalog.Reference, what string) (string, error) {
	if to.Env != "" {
		if !r.hasVariable(to.Env) {
			return "", failed(Forbidden, "the environment variable %s, which its %s comes from, is none of those that the setting secret-variables lists", to.Env, what)
		}
		text := strings.TrimSpace(r.variable(to.Env))
		if text == "" {
			return "", failed(Unset, "the environment variable %s, which its %s comes from, is not set", to.Env, what)
		}
		return text, nil
	}
	path := r.path(to.File)
	switch allowed, err := r.isIn(path, r.SecretDirs); {
	case err != nil:
		return "", failed(Unset, "the file %s, which its %s comes from, cannot be read", to.File, what)
	case !allowed:
		return "", failed(Forbidden, "the file %s, which its %s comes from, is in no directory that the setting secret-files lists", to.File, what)
	}
	text, err := readSecret(path)
	if err != nil {
		return "", failed(Unset, "the file %s, which its %s comes from, %s", to.File, what, err)
	}
	return strings.TrimSpace(text), nil
}

func (r Rules) hasVariable(name string) bool {
	return !slices.Contains(r.Hidden, name) && slices.ContainsFunc(r.Variables, func(allowed string) bool {
		start, many := strings.CutSuffix(allowed, "*")
		return name == allowed || many && strings.HasPrefix(name, start)
	})
}

func (r Rules) path(name string) string {
	if filepath.IsAbs(name) {
		return name
	}
	return filepath.Join(r.Dir, name)
}

// isIn reports whether a file lies in one of some directories once all links are followed.
// The system's own views of processes and devices are in none.
func (r Rules) isIn(path string, dirs []string) (bool, error) {
	real, err := filepath.EvalSymlinks(path)
	if err != nil {
		return false, err
	}
	for _, system := range []string{"/proc", "/sys", "/dev"} {
		if isBelow(real, system) {
			return false, nil
		}
	}
	for _, dir := range dirs {
		if dir, err := filepath.EvalSymlinks(r.path(dir)); err == nil && isBelow(real, dir) {
			return true, nil
		}
	}
	return false, nil
}

func isBelow(path, dir string) bool {
	rest, err := filepath.Rel(dir, path)
	return err == nil && filepath.IsLocal(rest)
}

// readSecret reads a small regular file. Its errors complete a sentence about the file.
func readSecret(path string) (string, error) {
	f, err := os.OpenFile(path, os.O_RDONLY|syscall.O_NONBLOCK, 0) // which waits for nobody to write to a pipe
	if err != nil {
		return "", errors.New("cannot be read")
	}
	defer f.Close()
	if info, err := f.Stat(); err != nil || !info.Mode().IsRegular() {
		return "", errors.New("is no regular file")
	}
	text, err := io.ReadAll(io.LimitReader(f, mostSecret+1))
	switch {
	case err != nil:
		return "", errors.New("cannot be read")
	case len(text) > mostSecret:
		return "", errors.New("is longer than 64 kB")
	}
	return string(text), nil
}

// allowsServer reports whether a server may be connected to.
func (r Rules) allowsServer(host, port string) bool {
	return len(r.Servers) == 0 || slices.ContainsFunc(r.Servers, func(allowed string) bool {
		return strings.EqualFold(allowed, host) || strings.EqualFold(allowed, net.JoinHostPort(host, port))
	})
}

// errServer is what connecting to another server fails with.
var errServer = failed(Forbidden, "its server is none of those that the setting source-servers lists")

// database finds the SQLite file of a source: a regular one, that is allowed, and that is
// not the service's own.
func (r Rules) database(path string) (fs.FileInfo, error) {
	info, err := os.Stat(path)
	switch {
	case err != nil:
		return nil, failed(Unreached, "its file cannot be opened")
	case !info.Mode().IsRegular():
		return nil, failed(Unset, "its file is no regular file")
	}
	for _, name := range r.Reserved {
		if own, err := os.Stat(filepath.Join(r.Dir, name)); err == nil && os.SameFile(own, info) {
			return nil, failed(Forbidden, "its file holds the service's own records")
		}
	}
	dirs := append([]string{"."}, r.FileDirs...)
	if len(r.FileDirs) == 0 {
		dirs = []string{"/"}
	}
	if allowed, err := r.isIn(path, dirs); err != nil || !allowed {
		return nil, failed(Forbidden, "its file is in no directory that the setting source-files lists")
	}
	return info, nil
}

// isLoopback reports whether a host is this machine, so that nothing leaves it.
func isLoopback(host string) bool {
	ip := net.ParseIP(host)
	return host == "localhost" || strings.HasPrefix(host, "/") || ip != nil && ip.IsLoopback()
}
