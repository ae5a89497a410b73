package record

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/civil"
)

func pattern(t *testing.T, source string) Pattern {
	t.Helper()
	p, err := ParsePattern(source)
	require.NoError(t, err)
	return p
}

func TestPatternsThatAreNotRead(t *testing.T) {
	for _, c := range []struct{ source, want string }{
		{"M/d/yyyy", `"M" in the pattern "M/d/yyyy" has no fixed width; only MM is read so far`},
		{"dd.MM.yyyy", `the pattern "dd.MM.yyyy" does not sort by time; fields go yyyy MM dd HH mm ss, from the left and without a gap`},
		{"yyyy-MM", `the pattern "yyyy-MM" needs yyyy, MM and dd, and HH and mm besides where it has a time`},
		{"yyyy-MM-dd HH", `the pattern "yyyy-MM-dd HH" needs yyyy, MM and dd, and HH and mm besides where it has a time`},
		{"yyyy-MM-ddTHH:mm", `"T" in the pattern "yyyy-MM-ddTHH:mm" is not a field that is read; put letters that stand for themselves in single quotes`},
		{"yyyy-MM-dd'T", `the quote in the pattern "yyyy-MM-dd'T" is not closed`},
		{"", `the pattern "" needs yyyy, MM and dd, and HH and mm besides where it has a time`},
	} {
		_, err := ParsePattern(c.source)
		assert.EqualError(t, err, c.want)
	}
}

func TestStoredValues(t *testing.T) {
	zulu := &Column{Type: Instant, Stored: StoredText, Pattern: pattern(t, "yyyy-MM-dd'T'HH:mm:ss'Z'")}
	for _, c := range []struct {
		name   string
		column *Column
		value  Value
		want   string // RFC 3339 in UTC, "" for an unreadable one
	}{
		{"eight digits", &Column{Type: Date, Stored: StoredText, Pattern: pattern(t, "yyyyMMdd")}, "20260305", "2026-03-05T00:00:00Z"},
		{"bytes", &Column{Type: Date, Stored: StoredText, Pattern: pattern(t, "yyyyMMdd")}, []byte("20260305"), "2026-03-05T00:00:00Z"},
		{"no such day", &Column{Type: Date, Stored: StoredText, Pattern: pattern(t, "yyyyMMdd")}, "20260230", ""},
		{"too long", &Column{Type: Date, Stored: StoredText, Pattern: pattern(t, "yyyyMMdd")}, "202603051", ""},
		{"letters", &Column{Type: Date, Stored: StoredText, Pattern: pattern(t, "yyyyMMdd")}, "2026O305", ""},
		{"other separators", &Column{Type: Date, Stored: StoredText, Pattern: pattern(t, "yyyy-MM-dd")}, "2026/03/05", ""},
		{"suffix", zulu, "2026-03-05T14:30:15Z", "2026-03-05T14:30:15Z"},
		{"fraction", zulu, "2026-03-05T14:30:15.250Z", "2026-03-05T14:30:15Z"},
		{"suffix missing", zulu, "2026-03-05T14:30:15", ""},
		{"point without digits", zulu, "2026-03-05T14:30:15.Z", ""},
		{"hour 24", zulu, "2026-03-05T24:00:00Z", ""},
		{"missing", zulu, nil, ""},
		{"epoch seconds", &Column{Type: Instant, Stored: EpochSeconds}, int64(1772721015), "2026-03-05T14:30:15Z"},
		{"text for epoch seconds", &Column{Type: Instant, Stored: EpochSeconds}, "1772721015", ""},
	} {
		day, seconds, ok := c.column.Moment(c.value)
		got := ""
		if ok {
			got = time.Unix(seconds, 0).UTC().Format(time.RFC3339)
		}
		assert.Equal(t, c.want, got, c.name)
		if ok && c.column.Type == Date {
			assert.Equal(t, got[:10], day.String(), c.name)
		}
	}
}

// A bound is short enough to sort before any fraction and suffix.
func TestBounds(t *testing.T) {
	helsinki, err := civil.LoadZone("Europe/Helsinki")
	require.NoError(t, err)
	d := civil.MustParseDay("2026-03-05")
	for _, c := range []struct {
		column *Column
		want   Value
	}{
		{&Column{Type: Date, Stored: StoredText, Pattern: pattern(t, "yyyyMMdd")}, "20260305"},
		{&Column{Type: Date, Stored: StoredText, Pattern: pattern(t, "yyyy-MM-dd")}, "2026-03-05"},
		{&Column{Type: Instant, Stored: StoredText, Pattern: pattern(t, "yyyy-MM-dd HH:mm:ss")}, "2026-03-04 22:00:00"},
		{&Column{Type: Instant, Stored: StoredText, Pattern: pattern(t, "yyyy-MM-dd'T'HH:mm:ss'Z'")}, "2026-03-04T22:00:00"},
		{&Column{Type: Instant, Stored: EpochSeconds}, int64(1772661600)},
	} {
		assert.Equal(t, c.want, c.column.Bound(d, helsinki))
	}
	// Before standard time a day of this zone starts at 22:20:11 UTC; a pattern
	// without seconds rounds up, to the first value that can be stored.
	old := &Column{Type: Instant, Stored: StoredText, Pattern: pattern(t, "yyyy-MM-dd HH:mm")}
	assert.Equal(t, "1869-12-31 22:21", old.Bound(civil.MustParseDay("1870-01-01"), helsinki))
}
