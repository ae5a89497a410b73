package infer

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"pikegate/internal/core/value"
)

func TestGuesses(t *testing.T) {
	texts := func(all ...string) (values []value.Value) {
		for _, text := range all {
			values = append(values, value.Chars(text))
		}
		return values
	}
	for _, c := range []struct {
		name     string
		values   []value.Value
		fromFile bool
		want     string // type, stored, pattern, scale
		or       string
		share    float64
	}{
		{"day", texts("2026-03-05", "2026-12-31"), false, "date text yyyy-MM-dd 0", "", 1},
		{"day", texts("20260305", "20261231"), true, "date text yyyyMMdd 0", "", 1},
		{"day", texts("3/5/2026", "12/31/2026"), false, "date text M/d/yyyy 0", "", 1},
		{"day", texts("3/5/2026", "2/1/2026"), false, "date text M/d/yyyy 0", "d/M/yyyy", 1},
		{"day", texts("3.5.2026", "31.12.2026"), true, "date text d.M.yyyy 0", "", 1},
		{"at", texts("2026-03-05T14:00:00Z", "2026-03-05T14:00:00.5Z"), false, "instant text yyyy-MM-dd'T'HH:mm:ss'Z' 0", "", 1},
		{"at", texts("2026-03-05 14:00:00"), false, "datetime text yyyy-MM-dd HH:mm:ss 0", "", 1},
		{"day", texts("2026-03-05", "2026-03-06", "2026-03-07", "2026-03-08", "2026-03-09", "2026-03-10", "2026-03-11", "2026-03-12", "2026-03-13", "soon"), false, "date text yyyy-MM-dd 0", "", 0.9},
		{"day", texts("2026-03-05", "soon"), false, "text   0", "", 1},
		{"manifest_day", []value.Value{value.Whole(20260305), value.Whole(20261231), {}}, false, "date yyyymmdd  0", "", 1},
		{"number", []value.Value{value.Whole(20260305), value.Whole(20261231)}, false, "date yyyymmdd  0", "", 1},
		{"number", []value.Value{value.Whole(20260305), value.Whole(20261331)}, false, "integer   0", "", 1},
		{"stamp", []value.Value{value.Whole(946684799), value.Whole(1700000000)}, false, "instant epoch-seconds  0", "", 1},
		{"seq", []value.Value{value.Whole(946684799), value.Whole(1700000000)}, false, "integer   0", "", 1},
		{"seq", []value.Value{value.Whole(946684800), value.Whole(1700000000)}, false, "instant epoch-seconds  0", "", 1},
		{"seq", []value.Value{value.Whole(1700000000000)}, false, "instant epoch-milliseconds  0", "", 1},
		{"seq", []value.Value{value.Real(1700000000.5)}, false, "instant epoch-seconds  0", "", 1},
		{"seq", []value.Value{value.Digits("1700000000123.0")}, false, "instant epoch-milliseconds  0", "", 1},
		{"seq", []value.Value{value.Whole(45000)}, false, "integer   0", "", 1},
		{"left_at", []value.Value{value.Real(45000.5)}, false, "datetime serial-days  0", "", 1},
		{"day", texts("Jan 1 2000", "dec 31 2026"), false, "date text MMM d yyyy 0", "", 1},
		{"day", texts("5-Mar-2026"), false, "date text d-MMM-yyyy 0", "", 1},
		{"day", texts("12/25/26"), false, "date text M/d/yy 0", "", 1},
		{"day", texts("2/1/26"), false, "date text M/d/yy 0", "d/M/yy", 1},
		{"at", texts("2001/01/01 00:47"), false, "datetime text yyyy/MM/dd HH:mm 0", "", 1},
		{"delivered_at", []value.Value{value.Whole(1700000000)}, false, "instant epoch-seconds  0", "", 1},
		{"delivered_at", []value.Value{value.Whole(1700000000000)}, false, "instant epoch-milliseconds  0", "", 1},
		{"due_date", []value.Value{value.Whole(46086), value.Whole(46087)}, false, "date serial-days  0", "", 1},
		{"fare", []value.Value{value.Real(12.5), value.Whole(3), value.Real(0.25)}, false, "decimal   2", "", 1},
		{"fare", texts("12345678901234567.89", "1.5"), false, "decimal text  2", "", 1},
		{"fare", texts("12345678901234567.89", "1.5"), true, "decimal text  2", "", 1},
		{"fare", texts("0.12345678"), true, "number   0", "", 1},
		{"ratio", []value.Value{value.Real(1.0 / 3)}, false, "number   0", "", 1},
		{"fare", texts("12.50", "3", ""), true, "decimal   2", "", 1},
		{"pieces", texts("12", "-3"), true, "integer   0", "", 1},
		{"postcode", texts("00123", "4711"), true, "text   0", "", 1},
		{"pieces", texts("12", "n/a"), true, "text   0", "", 1},
		{"full", texts("yes", "No"), true, "yes-no   0", "", 1},
		{"twelve", texts("12", "13"), false, "text   0", "", 1},
		{"nothing", []value.Value{{}, {}}, false, "text   0", "", 1},
	} {
		g := Of(c.name, c.values, c.fromFile)
		got := string(g.Type) + " " + string(g.Stored) + " " + g.Pattern.String() + " " + string(rune('0'+g.Scale))
		assert.Equal(t, c.want, got, "%s %v", c.name, c.values)
		assert.Equal(t, c.or, g.Or, "%s %v", c.name, c.values)
		assert.InDelta(t, c.share, g.Share, 1e-9, "%s %v", c.name, c.values)
	}
}

// What nobody would see in a result is not settled: which end of a date is the day, and
// whether a time is local or by UTC.
func TestWhatIsNotSettled(t *testing.T) {
	for _, c := range []struct {
		name     string
		value    value.Value
		settled  bool
		byValues bool
		orSerial bool
	}{
		{"at", value.Chars("2026-03-05 14:00:00"), false, false, false},
		{"at", value.Chars("2026-03-05T14:00:00Z"), true, false, false},
		{"day", value.Chars("3/5/2026"), false, false, false},
		{"day", value.Chars("13/5/2026"), true, false, false},
		{"number", value.Whole(20260305), true, true, false},
		{"manifest_day", value.Whole(20260305), true, false, false},
		{"seats", value.Whole(45000), true, false, true},
		{"seats", value.Whole(450), true, false, false},
	} {
		g := Of(c.name, []value.Value{c.value}, false)
		assert.Equal(t, c.settled, g.IsSettled(), "%s %s", c.name, c.value)
		assert.Equal(t, c.byValues, g.ByValues, "%s %s", c.name, c.value)
		assert.Equal(t, c.orSerial, g.OrSerial, "%s %s", c.name, c.value)
	}
}
