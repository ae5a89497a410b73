package record

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestGuesses(t *testing.T) {
	texts := func(all ...string) (values []Value) {
		for _, text := range all {
			values = append(values, Chars(text))
		}
		return values
	}
	for _, c := range []struct {
		name     string
		values   []Value
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
		{"manifest_day", []Value{Whole(20260305), Whole(20261231), {}}, false, "date yyyymmdd  0", "", 1},
		{"number", []Value{Whole(20260305), Whole(20261231)}, false, "integer   0", "", 1},
		{"delivered_at", []Value{Whole(1700000000)}, false, "instant epoch-seconds  0", "", 1},
		{"delivered_at", []Value{Whole(1700000000000)}, false, "instant epoch-milliseconds  0", "", 1},
		{"due_date", []Value{Whole(46086), Whole(46087)}, false, "date serial-days  0", "", 1},
		{"fare", []Value{Real(12.5), Whole(3), Real(0.25)}, false, "decimal   2", "", 1},
		{"ratio", []Value{Real(1.0 / 3)}, false, "number   0", "", 1},
		{"fare", texts("12.50", "3", ""), true, "decimal   2", "", 1},
		{"pieces", texts("12", "-3"), true, "integer   0", "", 1},
		{"postcode", texts("00123", "4711"), true, "text   0", "", 1},
		{"pieces", texts("12", "n/a"), true, "text   0", "", 1},
		{"full", texts("yes", "No"), true, "yes-no   0", "", 1},
		{"twelve", texts("12", "13"), false, "text   0", "", 1},
		{"nothing", []Value{{}, {}}, false, "text   0", "", 1},
	} {
		g := GuessOf(c.name, c.values, c.fromFile)
		got := string(g.Type) + " " + string(g.Stored) + " " + g.Pattern.String() + " " + string(rune('0'+g.Scale))
		assert.Equal(t, c.want, got, "%s %v", c.name, c.values)
		assert.Equal(t, c.or, g.Or, "%s %v", c.name, c.values)
		assert.InDelta(t, c.share, g.Share, 1e-9, "%s %v", c.name, c.values)
	}
}
