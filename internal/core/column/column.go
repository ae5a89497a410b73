// Package column says what the columns of business records mean: their types, how a
// database stores their dates, and the patterns of dates in texts. It renders days and
// instants in a column's stored form, and reads stored values back.
package column

import (
	"math"
	"strings"
	"time"

	"github.com/shopspring/decimal"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/value"
)

// Type is what the values of a column mean.
type Type string

const (
	Text     Type = "text"
	Integer  Type = "integer"
	Decimal  Type = "decimal"  // exact, with Scale digits after the point
	Number   Type = "number"   // binary floating point, as near as that comes
	YesNo    Type = "yes-no"   // 1 or 0 where the database has no type for it
	Date     Type = "date"     // a civil date
	Datetime Type = "datetime" // what a local clock showed; no zone plays a part
	Instant  Type = "instant"  // a point on the UTC time line
)

// Types lists them in the order of the reference.
var Types = []Type{Text, Integer, Decimal, Number, YesNo, Date, Datetime, Instant}

// IsDated reports whether conditions with days apply to the type.
func (t Type) IsDated() bool { return t == Date || t == Datetime || t == Instant }

// IsTimed reports whether conditions with times of day apply to the type.
func (t Type) IsTimed() bool { return t == Datetime || t == Instant }

// IsNumeric reports whether conditions with numbers apply to the type.
func (t Type) IsNumeric() bool { return t == Integer || t == Decimal || t == Number }

// Stored is how a date or an instant lies in the database.
type Stored string

const (
	Native       Stored = "native"             // as the database's own type for it
	StoredText   Stored = "text"               // by the column's pattern
	EightDigits  Stored = "yyyymmdd"           // the integer 20260305
	SerialDays   Stored = "serial-days"        // days since 1899-12-30; a fraction is a time of day, to the second
	EpochSeconds Stored = "epoch-seconds"      // since 1970-01-01T00:00:00Z
	EpochMillis  Stored = "epoch-milliseconds" // since the same
)

// StoredForms tells the forms in which each type can be stored, in the order of
// the reference.
var StoredForms = map[Type][]Stored{
	Date:     {Native, StoredText, EightDigits, SerialDays},
	Datetime: {Native, StoredText, SerialDays},
	Instant:  {Native, StoredText, EpochSeconds, EpochMillis},
	Decimal:  {Native, StoredText},
}

// serialStart is day 0 of serial days, 1899-12-30.
var serialStart = civil.MustDay(1899, time.December, 30)

// Column is one field of a dataset.
type Column struct {
	Name  string
	Label string // what people read
	Type  Type
	Scale int    // digits after the point; decimals only
	Unit  string // "min", "EUR"; numbers only, may be empty
	// EmptyMissing says that empty text stands for a missing value; texts only.
	EmptyMissing bool
	Stored       Stored // dates and instants; of decimals "" or StoredText
	Pattern      Pattern
	// Zone is whose wall time the text of an instant shows; nil for UTC. A wall
	// time that comes twice stands for its first pass.
	Zone *time.Location
	// KeptFrom are the roles and groups of people whom its values are not shown to.
	KeptFrom []string
}

// IsText reports whether the database holds the column as text.
func (c *Column) IsText() bool { return c.Type == Text || c.Stored == StoredText && c.Type.IsDated() }

// HasPlainBounds reports whether the stored values of a dated column sort by time, so that
// bounds compare with them as they are and an index serves.
func (c *Column) HasPlainBounds() bool {
	return c.Stored != StoredText || c.Pattern.Sorts()
}

// Range is the least stored number that stands for a date of the calendar, and the first
// after it that does not any more; false where dates are not stored as numbers of units
// since some day.
func (c *Column) Range() (least, beyond int64, ok bool) {
	switch c.Stored {
	case EpochSeconds:
		return civil.MinDay.Midnight(), (civil.MaxDay + 1).Midnight(), true
	case EpochMillis:
		return civil.MinDay.Midnight() * 1000, (civil.MaxDay + 1).Midnight() * 1000, true
	case SerialDays:
		return int64(civil.MinDay - serialStart), int64(civil.MaxDay + 1 - serialStart), true
	}
	return 0, 0, false
}

// HoldsWholeDays reports whether a stored value is a day and nothing more, so that the
// start of a day in the same form is equal to it. Serial days can have a time of day as
// their fraction, and texts something after the day.
func (c *Column) HoldsWholeDays() bool {
	return c.Type == Date && c.Stored != SerialDays && (c.Stored != StoredText || c.Pattern.Suffix() == "")
}

// Moment reads a stored date, datetime or instant. For a date, day is set; for
// an instant, seconds since the POSIX epoch; for a datetime both, its seconds as
// if its clock were UTC's. ok is false for
// a value that does not fit the column's stored form: it is unreadable, and
// neither early nor late.
//
// One branch for each stored form.
func (c *Column) Moment(v value.Value) (day civil.Day, seconds int64, ok bool) {
	switch c.Stored {
	case EpochSeconds:
		seconds, ok = c.epoch(v, 1)
		return 0, seconds, ok
	case EpochMillis:
		seconds, ok = c.epoch(v, 1000)
		return 0, seconds, ok
	case EightDigits:
		n, _, isWhole, ok := v.Number()
		if !ok || !isWhole || n < 0 || n > 99_99_99_99 {
			return 0, 0, false
		}
		day, ok = civil.DayOf(int(n/10000), time.Month(n/100%100), int(n%100))
		return day, day.Midnight(), ok
	case SerialDays:
		if c.Type == Datetime {
			return serialMoment(v)
		}
		return serialDay(v)
	case Native:
		text, isText := v.Chars()
		if !isText {
			return 0, 0, false
		}
		return c.native(text)
	case StoredText:
		if text, isText := v.Chars(); isText {
			day, seconds, ok = c.Pattern.parse(text)
		}
		if ok && c.Zone != nil {
			seconds = civil.Unwall(seconds, c.Zone)
		}
	}
	return day, seconds, ok
}

// Wants says what a value of the column is, with its article: "a date in the pattern
// M/d/yyyy", "a whole number".
func (c *Column) Wants() string {
	kind := map[Type]string{Text: "a text", Integer: "a whole number", Decimal: "a number", Number: "a number", YesNo: "yes or no", Date: "a date", Datetime: "a date with a time", Instant: "an instant"}[c.Type]
	switch {
	case c.IsExactText():
		return "a number in digits"
	case !c.Type.IsDated() || c.Stored == Native:
		return kind
	case c.Stored == StoredText:
		return kind + " in the pattern " + c.Pattern.String()
	}
	return kind + " stored as " + string(c.Stored)
}

// Fits reports whether a value that is not missing is one of the column's type in its
// stored form. Any fits a text.
func (c *Column) Fits(v value.Value) bool {
	switch {
	case c.Type.IsDated():
		_, _, ok := c.Moment(v)
		return ok
	case c.IsExactText():
		text, ok := v.Chars()
		return ok && value.IsPlainNumber(text)
	case c.Type == Integer:
		_, f, isWhole, ok := v.Number()
		return isWhole || ok && f == math.Trunc(f)
	case c.Type.IsNumeric():
		return v.IsNumber()
	case c.Type == YesNo:
		n, ok := v.Int()
		return ok && (n == 0 || n == 1)
	}
	return true
}

// Micros is Moment in microseconds, with the fraction of a second that is stored.
func (c *Column) Micros(v value.Value) (day civil.Day, micros int64, ok bool) {
	day, seconds, ok := c.Moment(v)
	if !ok || c.Type == Date {
		return day, seconds * 1e6, ok
	}
	return day, seconds*1e6 + c.fraction(v), true
}

// fraction are the microseconds by which a value that can be read is after its second.
func (c *Column) fraction(v value.Value) int64 {
	switch c.Stored {
	case EpochSeconds:
		return epochFraction(v, 1)
	case EpochMillis:
		return epochFraction(v, 1000)
	case SerialDays:
		return 0
	}
	text, _ := v.Chars()
	pattern := c.Pattern
	if c.Stored == Native {
		pattern = ISOTime
	}
	if len(text) <= pattern.Width() || text[pattern.Width()] != '.' {
		return 0
	}
	micros, unit := int64(0), int64(1e5)
	for _, digit := range text[pattern.Width()+1:] {
		if digit < '0' || digit > '9' {
			break
		}
		micros += int64(digit-'0') * unit
		unit /= 10
	}
	return micros
}

// epochFraction are the microseconds after the second of a number of units since the
// epoch, so many of which are a second.
func epochFraction(v value.Value, units int64) int64 {
	n, f, isWhole, _ := v.Number()
	if isWhole {
		return (n - floor(n, units)*units) * (1e6 / units)
	}
	f /= float64(units)
	return int64((f - math.Floor(f)) * 1e6)
}

// Compared is the column as what its bounds are compared with is read: the column
// itself, but for texts that do not sort by time and are turned into ISO form.
func (c *Column) Compared() *Column {
	if c.Stored != StoredText || c.Pattern.Sorts() {
		return c
	}
	iso := *c
	if iso.Pattern = ISODay; c.Pattern.HasTime() {
		iso.Pattern = ISOTime
	}
	return &iso
}

// native reads what databases write for their own types: ISO 8601 with a blank
// before the time, a fraction where there is one, and the offset of UTC after an
// instant. What lies outside the years 1 to 9999 is unreadable.
func (c *Column) native(text string) (day civil.Day, seconds int64, ok bool) {
	if c.Type == Date {
		if len(text) == ISODay.Width() {
			return ISODay.parse(text)
		}
		day, _, ok = ISOTime.parse(strings.TrimSuffix(text, "+00")) // a day that the database keeps with a time
		return day, day.Midnight(), ok
	}
	if c.Type == Instant {
		text = strings.TrimSuffix(text, "+00")
	}
	return ISOTime.parse(text)
}

// epoch reads a number of units since the epoch, so many of which are a second.
func (c *Column) epoch(v value.Value, units int64) (seconds int64, ok bool) {
	n, f, isWhole, ok := v.Number()
	least, beyond, _ := c.Range()
	if isWhole {
		return floor(n, units), ok && n >= least && n < beyond
	}
	ok = ok && f >= float64(least) && f < float64(beyond) // NaN is not
	if !ok {
		return 0, false
	}
	return int64(math.Floor(f / float64(units))), true
}

func floor(n, by int64) int64 {
	if n < 0 {
		return -((-n + by - 1) / by)
	}
	return n / by
}

func serialDay(v value.Value) (day civil.Day, seconds int64, ok bool) {
	n, f, isWhole, ok := v.Number()
	if !isWhole {
		if !ok || math.IsNaN(f) || math.Abs(f) > 1e7 {
			return 0, 0, false
		}
		n = int64(math.Floor(f))
	}
	if n < -1e7 || n > 1e7 {
		return 0, 0, false
	}
	day, ok = serialStart.AddDays(int(n))
	return day, day.Midnight(), ok
}

// serialMoment reads a serial day with its time of day, to the nearest second.
func serialMoment(v value.Value) (day civil.Day, seconds int64, ok bool) {
	f, ok := v.AsFloat()
	if !ok || !(math.Abs(f) < 1e7) { // NaN is not
		return 0, 0, false
	}
	seconds = serialStart.Midnight() + int64(math.Round(f*civil.SecondsPerDay))
	day = civil.DayAt(seconds, time.UTC)
	return day, seconds, day.IsValid()
}

// Bound is the first stored value, in the column's own form, at or after an edge
// of a span, with days as clocks in the zone have them: a string, an int64 or a
// decimal.Decimal, fit to be compared with the stored values as they are; for a native column ISO text
// that the database makes a value of its type of; for a pattern that does not
// sort by time, with the values turned into ISO form. A date column has no edges
// but the starts of days.
func (c *Column) Bound(e civil.Edge, zone *time.Location) any {
	var start int64
	switch c.Type {
	case Date:
		start = e.Day().Midnight()
	case Instant:
		start = e.Instant(zone)
	default:
		start = e.Wall(zone)
	}
	switch c.Stored {
	case EpochSeconds:
		return max(start, civil.MinDay.Midnight()) // nothing before it can be read
	case EpochMillis:
		return max(start, civil.MinDay.Midnight()) * 1000
	case SerialDays:
		if c.Type == Datetime { // from where a fraction is rounded up to the second
			return decimal.NewFromInt(2*(start-serialStart.Midnight())).Sub(decimal.New(1, 0)).DivRound(decimal.NewFromInt(2*civil.SecondsPerDay), 12)
		}
		return int64(e.Day() - serialStart)
	case EightDigits:
		y, m, day := e.Day().Date()
		return int64(y*10000 + int(m)*100 + day)
	case Native:
		start = max(start, civil.MinDay.Midnight()) // nothing before it can be read
		if c.Type == Date {
			return ISODay.render(start)
		}
		return ISOTime.render(start)
	}
	if c.Zone != nil {
		start = civil.WallBound(start, c.Zone)
	}
	return c.Pattern.render(start)
}

// IsExactText reports whether the column holds decimals as texts, for digits that
// SQLite's own numbers have no room for.
func (c *Column) IsExactText() bool { return c.Type == Decimal && c.Stored == StoredText }

// AppendDecimal appends a number with as many digits after the point as the column's
// scale. A value with more digits is appended whole, and fits is false. What is no
// number is appended as it is stored.
func (c *Column) AppendDecimal(b []byte, v value.Value) (_ []byte, fits bool) {
	return v.AppendDecimal(b, c.Scale, c.IsExactText())
}
