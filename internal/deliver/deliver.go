// Package deliver sends results out of the service: by mail, into a folder, to a web hook.
package deliver

import "errors"

// ErrDoubtful is for what may have arrived: the other side broke off before it said so.
var ErrDoubtful = errors.New("it is not known whether it arrived: the other side broke off before it said so")

// ErrUnreached is for a server that could not be reached.
var ErrUnreached = errors.New("it cannot be reached")

// Refused is why something will not be taken, however often it is sent.
type Refused struct{ Why string }

func (r *Refused) Error() string { return r.Why }

// File is a file that is sent.
type File struct {
	Name      string // what it is called there
	Path      string // where it lies here
	MediaType string
	Bytes     int64
}
