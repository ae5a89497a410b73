package receipt

import (
	"strings"
)

// MostRefused is how many bytes are kept of a run that was refused, mostHead how many are
// listed of any.
const (
	MostRefused = 64 << 10
	MostHead    = 8 << 10
)

// beginning is that of a sentence that is too long for a list.
func beginning(text string) string {
	const most = 500
	if len(text) <= most {
		return text
	}
	return strings.ToValidUTF8(text[:most], "") + "…"
}

// Wanted is which receipts to list; what is not set leaves all.
type Wanted struct {
	Report, Person string
	State          State
	Day            string // any form of a day, on which they started; "" for all
	Before         int64  // the number that they are below
	Most           int
}

// notKnownToHaveArrived is said of a run that went well and whose result may not have come
// through: the service ended, or was killed, while it was on its way.
const notKnownToHaveArrived = "All was read and sent; it is not known to have arrived."
