package source

import (
	"errors"
	"net"
	"regexp"
	"syscall"
)

// spareConnections are those beside the runs: for lists of choices, extents, and
// what the database says of its tables.
const spareConnections = 4

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
