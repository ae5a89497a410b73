// Package record says what a business record is made of: its columns, their
// types, and how a database stores their dates. It renders days and instants
// in a column's stored form, and reads stored values back.
package record

import (
	"time"

	"pikegate/internal/core/civil"
)

// Type is what the values of a column mean.
type Type string

const (
	Text    Type = "text"
	Integer Type = "integer"
	Decimal Type = "decimal" // exact, with Scale digits after the point
	Date    Type = "date"    // a civil date
	Instant Type = "instant" // a point on the UTC time line
)

// Types lists them in the order of the reference.
var Types = []Type{Text, Integer, Decimal, Date, Instant}

// IsDated reports whether conditions with days apply to the type.
func (t Type) IsDated() bool { return t == Date || t == Instant }

// IsNumeric reports whether conditions with numbers apply to the type.
func (t Type) IsNumeric() bool { return t == Integer || t == Decimal }

// Stored is how a date or an instant lies in the database.
type Stored string

const (
	StoredText   Stored = "text"          // by the column's pattern
	EpochSeconds Stored = "epoch-seconds" // whole seconds since 1970-01-01T00:00:00Z
)

// StoredForms lists them in the order of the reference.
var StoredForms = []Stored{StoredText, EpochSeconds}

// Column is one field of a dataset.
type Column struct {
	Name    string
	Label   string // what people read
	Type    Type
	Scale   int    // digits after the point; decimals only
	Unit    string // "min", "EUR"; numbers only, may be empty
	Stored  Stored // dates and instants only
	Pattern Pattern
}

// Value is one stored value as it came from the database: nil for a missing
// one, else int64, float64, string or []byte. A []byte belongs to the driver
// and is valid only until the next row.
type Value any

// Moment reads a stored date or instant. For a date, day is set; for an
// instant, seconds since the POSIX epoch and its nanoseconds. ok is false for
// a value that does not fit the column's stored form: it is unreadable, and
// neither early nor late.
func (c *Column) Moment(v Value) (day civil.Day, seconds int64, ok bool) {
	switch c.Stored {
	case EpochSeconds:
		seconds, ok = v.(int64)
		return 0, seconds, ok
	case StoredText:
		switch text := v.(type) {
		case string:
			return c.Pattern.parse(text)
		case []byte:
			return c.Pattern.parse(string(text))
		}
	}
	return 0, 0, false
}

// Bound is the first stored value, in the column's own form, at or after the
// start of the day in the zone: a string or an int64, fit to be compared with
// the stored values as they are.
func (c *Column) Bound(d civil.Day, zone *time.Location) Value {
	if c.Type == Date {
		return c.Pattern.render(d.Midnight())
	}
	first := civil.FirstInstant(d, zone)
	if c.Stored == EpochSeconds {
		return first
	}
	return c.Pattern.render(first)
}
