package author

import (
	"errors"
)

// usualUploads is how many files are taken in at once.
const usualUploads = 4

// ErrUploads is the cause where as many files as may be are being taken in.
var ErrUploads = errors.New("as many files as may be are being loaded already")
