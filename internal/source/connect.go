package source

import (
	"errors"
	"net"
	"os"
	"regexp"
	"strings"
	"syscall"

	"pikegate/internal/core/definition"
)

// spareConnections are those beside the runs: for lists of choices, extents, and
// what the database says of its tables.
const spareConnections = 4

// lookUp finds the address and the password that a definition refers to. What they
// hold stands in no error.
func lookUp(c definition.Connection) (address, password string, err error) {
	if address, err = referred(c.Address, "address"); err != nil {
		return "", "", err
	}
	if c.Password != (definition.Reference{}) {
		password, err = referred(c.Password, "password")
	}
	return address, password, err
}

func referred(r definition.Reference, what string) (string, error) {
	text := ""
	switch {
	case r.Env != "":
		if text = strings.TrimSpace(os.Getenv(r.Env)); text == "" {
			return "", failed(Unset, "the environment variable %s, which its %s comes from, is not set", r.Env, what)
		}
	default:
		content, err := os.ReadFile(r.File)
		if err != nil {
			return "", failed(Unset, "the file %s, which its %s comes from, cannot be read", r.File, what)
		}
		text = strings.TrimSpace(string(content))
	}
	return text, nil
}

// names are how engines name what they stumble over.
var names = regexp.MustCompile("(?:near|at or near|column|table|relation|function|Unknown column|no such column:|no such table:|no such function:) ?['\"`]?([^'\"`\\s(]+)")

// quotedIn is the part of a statement that a message names.
func quotedIn(message string) string {
	if m := names.FindStringSubmatch(message); m != nil {
		return m[1]
	}
	return ""
}

// unreached tells why a server cannot be reached, without its address.
func unreached(err error) error {
	var name *net.DNSError
	var number syscall.Errno
	var timed interface{ Timeout() bool }
	switch {
	case errors.As(err, &name):
		return failed(Unreached, "its host name is not known")
	case errors.As(err, &number):
		return failed(Unreached, "no connection to its server: %s", number)
	case errors.As(err, &timed) && timed.Timeout():
		return failed(Unreached, "its server does not answer")
	}
	return failed(Unreached, "no connection to its server")
}
