package column

import (
	"slices"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/value"
)

func pattern(t *testing.T, source string) Pattern {
	t.Helper()
	p, err := ParsePattern(source)
	require.NoError(t, err)
	return p
}

// stored is a value as a driver hands it on.
func stored(v any) value.Value {
	switch v := v.(type) {
	case int64:
		return value.Whole(v)
	case float64:
		return value.Real(v)
	case string:
		return value.Chars(v)
	case value.Value:
		return v
	}
	return value.Value{}
}

func TestPatternsThatAreNotRead(t *testing.T) {
	for _, c := range []struct{ source, want string }{
		{"MMMM/d/yyyy", `"MMMM" in the pattern "MMMM/d/yyyy" is not read; MM is`},
		{"yyyy-MM-dd H:mm", `"H" in the pattern "yyyy-MM-dd H:mm" is not read; HH is`},
		{"Mdyyyy", `in the pattern "Mdyyyy" nothing parts M from what follows it`},
		{"yyyy-MM-dd-dd", `the pattern "yyyy-MM-dd-dd" has "dd" twice`},
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

func TestPatternsThatWereMeant(t *testing.T) {
	for source, want := range map[string]string{"YYYY-MM-DD": "yyyy-MM-dd", "dd/mm/yyyy": "dd/MM/yyyy", "%Y-%m-%d %H:%M:%S": "yyyy-MM-dd HH:mm:ss", "YYYY-MM-DDTHH24:MI:SSZ": "yyyy-MM-dd'T'HH:mm:ss'Z'",
		"dd.MM.yyyy hh:mm": "dd.MM.yyyy HH:mm", "D-MON-YY": "d-MMM-yy", "yyyy-MM-dd H:mm": "yyyy-MM-dd HH:mm", "yyyy-MM": "", "week": "", "yyyy-MM-dd'": ""} {
		assert.Equal(t, want, NearPattern(source), source)
	}
}

func TestStoredValues(t *testing.T) {
	zulu := &Column{Type: Instant, Stored: StoredText, Pattern: pattern(t, "yyyy-MM-dd'T'HH:mm:ss'Z'")}
	for _, c := range []struct {
		name   string
		column *Column
		value  any
		want   string // RFC 3339 in UTC, "" for an unreadable one
	}{
		{"eight digits", &Column{Type: Date, Stored: StoredText, Pattern: pattern(t, "yyyyMMdd")}, "20260305", "2026-03-05T00:00:00Z"},
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
		{"one digit or two", &Column{Type: Date, Stored: StoredText, Pattern: pattern(t, "M/d/yyyy")}, "3/5/2026", "2026-03-05T00:00:00Z"},
		{"two digits or one", &Column{Type: Date, Stored: StoredText, Pattern: pattern(t, "M/d/yyyy")}, "03/05/2026", "2026-03-05T00:00:00Z"},
		{"no digit", &Column{Type: Date, Stored: StoredText, Pattern: pattern(t, "M/d/yyyy")}, "3//2026", ""},
		{"a month's name", &Column{Type: Date, Stored: StoredText, Pattern: pattern(t, "d-MMM-yyyy")}, "5-mAR-2026", "2026-03-05T00:00:00Z"},
		{"no month's name", &Column{Type: Date, Stored: StoredText, Pattern: pattern(t, "d-MMM-yyyy")}, "5-arm-2026", ""},
		{"a year of the 2000s", &Column{Type: Date, Stored: StoredText, Pattern: pattern(t, "M/d/yy")}, "3/5/68", "2068-03-05T00:00:00Z"},
		{"a year of the 1900s", &Column{Type: Date, Stored: StoredText, Pattern: pattern(t, "M/d/yy")}, "3/5/69", "1969-03-05T00:00:00Z"},
		{"a serial day's time", &Column{Type: Datetime, Stored: SerialDays}, 46086.604166666664, "2026-03-05T14:30:00Z"},
		{"a whole serial day", &Column{Type: Datetime, Stored: SerialDays}, int64(46086), "2026-03-05T00:00:00Z"},
		{"a serial moment after the calendar", &Column{Type: Datetime, Stored: SerialDays}, 2958466.0, ""},
		{"day first", &Column{Type: Datetime, Stored: StoredText, Pattern: pattern(t, "dd.MM.yyyy HH:mm")}, "05.03.2026 14:30", "2026-03-05T14:30:00Z"},
		{"eight digits as a number", &Column{Type: Date, Stored: EightDigits}, int64(20260305), "2026-03-05T00:00:00Z"},
		{"no day as a number", &Column{Type: Date, Stored: EightDigits}, int64(20260230), ""},
		{"serial day", &Column{Type: Date, Stored: SerialDays}, int64(46086), "2026-03-05T00:00:00Z"},
		{"serial day with a time", &Column{Type: Date, Stored: SerialDays}, 46086.604, "2026-03-05T00:00:00Z"},
		{"serial day 1", &Column{Type: Date, Stored: SerialDays}, int64(1), "1899-12-31T00:00:00Z"},
		{"serial day out of the calendar", &Column{Type: Date, Stored: SerialDays}, 1e6 * 9, ""},
		{"the last serial day", &Column{Type: Date, Stored: SerialDays}, 2958465.5, "9999-12-31T00:00:00Z"},
		{"a serial day after it", &Column{Type: Date, Stored: SerialDays}, int64(99999999), ""},
		{"the last epoch second", &Column{Type: Instant, Stored: EpochSeconds}, int64(253402300799), "9999-12-31T23:59:59Z"},
		{"an epoch second after it", &Column{Type: Instant, Stored: EpochSeconds}, int64(253402300800), ""},
		{"an epoch second in the year 248073", &Column{Type: Instant, Stored: EpochSeconds}, int64(7766279631452), ""},
		{"the first epoch second", &Column{Type: Instant, Stored: EpochSeconds}, int64(-62135596800), "0001-01-01T00:00:00Z"},
		{"an epoch second before it", &Column{Type: Instant, Stored: EpochSeconds}, -62135596800.5, ""},
		{"epoch milliseconds out of the calendar", &Column{Type: Instant, Stored: EpochMillis}, value.Digits("253402300800000"), ""},
		{"epoch milliseconds", &Column{Type: Instant, Stored: EpochMillis}, int64(1772721015999), "2026-03-05T14:30:15Z"},
		{"epoch milliseconds before 1970", &Column{Type: Instant, Stored: EpochMillis}, int64(-1), "1969-12-31T23:59:59Z"},
		{"epoch seconds", &Column{Type: Instant, Stored: EpochSeconds}, int64(1772721015), "2026-03-05T14:30:15Z"},
		{"exact epoch milliseconds", &Column{Type: Instant, Stored: EpochMillis}, value.Digits("1772721015999.0"), "2026-03-05T14:30:15Z"},
		{"exact eight digits", &Column{Type: Date, Stored: EightDigits}, value.Digits("20260305"), "2026-03-05T00:00:00Z"},
		{"not a number", &Column{Type: Instant, Stored: EpochSeconds}, value.Digits("NaN"), ""},
		{"native day", &Column{Type: Date, Stored: Native}, "2026-03-05", "2026-03-05T00:00:00Z"},
		{"native day with a time", &Column{Type: Date, Stored: Native}, "2026-03-05 00:00:00", "2026-03-05T00:00:00Z"},
		{"native wall time", &Column{Type: Datetime, Stored: Native}, "2026-03-05 14:30:15.25", "2026-03-05T14:30:15Z"},
		{"native instant", &Column{Type: Instant, Stored: Native}, "2026-03-05 14:30:15.999999+00", "2026-03-05T14:30:15Z"},
		{"native instant without an offset", &Column{Type: Instant, Stored: Native}, "2026-03-05 14:30:15", "2026-03-05T14:30:15Z"},
		{"infinity", &Column{Type: Date, Stored: Native}, "infinity", ""},
		{"before the year 1", &Column{Type: Instant, Stored: Native}, "0044-03-15 12:00:00+00 BC", ""},
		{"a day before the year 1", &Column{Type: Date, Stored: Native}, "0044-03-15 BC", ""},
		{"a day with a time", &Column{Type: Date, Stored: Native}, "2026-03-05 10:30:00.5", "2026-03-05T00:00:00Z"},
		{"no day at all", &Column{Type: Date, Stored: Native}, "0000-00-00", ""},
		{"after the year 9999", &Column{Type: Date, Stored: Native}, "10000-01-01", ""},
		{"text for epoch seconds", &Column{Type: Instant, Stored: EpochSeconds}, "1772721015", ""},
	} {
		day, seconds, ok := c.column.Moment(stored(c.value))
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
		want   any
	}{
		{&Column{Type: Date, Stored: StoredText, Pattern: pattern(t, "yyyyMMdd")}, "20260305"},
		{&Column{Type: Date, Stored: StoredText, Pattern: pattern(t, "yyyy-MM-dd")}, "2026-03-05"},
		{&Column{Type: Instant, Stored: StoredText, Pattern: pattern(t, "yyyy-MM-dd HH:mm:ss")}, "2026-03-04 22:00:00"},
		{&Column{Type: Instant, Stored: StoredText, Pattern: pattern(t, "yyyy-MM-dd'T'HH:mm:ss'Z'")}, "2026-03-04T22:00:00"},
		{&Column{Type: Instant, Stored: EpochSeconds}, int64(1772661600)},
		{&Column{Type: Instant, Stored: EpochMillis}, int64(1772661600000)},
		{&Column{Type: Date, Stored: EightDigits}, int64(20260305)},
		{&Column{Type: Date, Stored: SerialDays}, int64(46086)},
		{&Column{Type: Datetime, Stored: StoredText, Pattern: pattern(t, "yyyy-MM-dd HH:mm:ss")}, "2026-03-05 00:00:00"},
		{&Column{Type: Date, Stored: StoredText, Pattern: pattern(t, "M/d/yyyy")}, "2026-03-05"},
	} {
		assert.Equal(t, c.want, c.column.Bound(civil.StartOf(d), helsinki))
	}
	// Before standard time a day of this zone starts at 22:20:11 UTC; a pattern
	// without seconds rounds up, to the first value that can be stored.
	old := &Column{Type: Instant, Stored: StoredText, Pattern: pattern(t, "yyyy-MM-dd HH:mm")}
	assert.Equal(t, "1869-12-31 22:21", old.Bound(civil.StartOf(civil.MustParseDay("1870-01-01")), helsinki))
}

func TestABatchKeepsItsRows(t *testing.T) {
	var b value.Batch
	for round := range 3 {
		b.Reset(2, 10)
		text := []byte("0")
		for i := range 1000 {
			text = strconv.AppendInt(text[:0], int64(i), 10)
			b.AddChars(text)
			b.Add(value.Whole(int64(i + round)))
		}
		clear(text)
		require.Equal(t, 1000, b.Len())
		for i := range 1000 {
			row := b.Row(i)
			require.Equal(t, strconv.Itoa(i), row[0].String())
			require.Equal(t, strconv.Itoa(i+round), row[1].String())
		}
	}
}

// All texts that a pattern reads as a day, and no others, are those of the day.
func TestTextsOfADay(t *testing.T) {
	day := civil.MustParseDay("2026-03-05")
	for pattern, want := range map[string][]string{
		"M/d/yyyy":   {"03/05/2026", "03/5/2026", "3/05/2026", "3/5/2026"},
		"dd.MM.yyyy": {"05.03.2026"},
		"d-M-yy":     {"05-03-26", "05-3-26", "5-03-26", "5-3-26"},
	} {
		p := MustPattern(pattern)
		got, ok := p.TextsOf(day)
		assert.True(t, ok)
		slices.Sort(got)
		assert.Equal(t, want, got, pattern)
		for _, text := range got {
			read, _, ok := p.parse(text)
			assert.True(t, ok && read == day, text)
		}
	}
	none, ok := MustPattern("d-M-yy").TextsOf(civil.MustParseDay("1926-03-05"))
	assert.True(t, ok)
	assert.Empty(t, none, "two digits stand for another year")
	_, ok = MustPattern("d MMM yyyy").TextsOf(day)
	assert.False(t, ok, "names in any case are too many")
}
