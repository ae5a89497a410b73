package daycount

import (
	"encoding/json"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"pikegate/internal/core/civil"
)

func at(minute int) time.Time {
	return time.Unix(1_700_000_000, 0).Add(time.Duration(minute) * time.Minute).UTC()
}

func TestACalendarTellsHowOldItsFiguresAre(t *testing.T) {
	day := civil.MustParseDay("2026-03-01")
	var c Calendar
	assert.False(t, c.Within(civil.Period{}).IsKnown(), "nothing was counted")
	c.Set(civil.Period{}, []Day{{day, 3, 0}, {day + 1, 0, 0}, {day + 9, 4, 0}}, at(0))
	c.SetBeside(Beside{Missing: 2, Unreadable: 1, At: at(1)})
	c.Set(civil.Period{First: day + 9, Last: day + 12}, []Day{{day + 9, 5, 0}, {day + 11, 6, 0}, {day + 40, 9, 0}}, at(7))
	assert.Equal(t, Figure{3, at(0)}, c.Before(day+9))
	assert.Equal(t, Figure{11, at(7)}, c.Within(civil.Period{First: day + 9, Last: day + 12}))
	assert.Equal(t, Figure{11, at(0)}, c.After(day), "as old as the oldest part")
	assert.Equal(t, Figure{17, at(0)}, c.All())
	assert.Equal(t, civil.Period{First: day, Last: day + 11}, c.Reach())
	assert.Equal(t, []Day{{day + 9, 5, 0}, {day + 11, 6, 0}}, c.Days(civil.Period{First: day + 1}))
	units, oldest := c.Units([]civil.Day{day + 9, day + 11, day + 13})
	assert.Equal(t, []int64{5, 6}, units)
	assert.Equal(t, at(7), oldest)
	assert.True(t, c.IsComplete())
	assert.Zero(t, c.Within(civil.Period{First: day + 1, Last: day}).Records, "an empty run")
}

// Whatever is counted in whatever order: each day has the figure and the time of the last
// count that it was in, also after the calendar was kept.
func TestCalendarsAgreeWithAPlainList(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		const days = 12
		first := civil.MustParseDay("2026-01-01")
		var c Calendar
		var records, when [days]int64
		for round := range rapid.IntRange(1, 8).Draw(t, "rounds") {
			from, through := rapid.IntRange(0, days-1).Draw(t, "from"), rapid.IntRange(0, days-1).Draw(t, "through")
			var counted []Day
			for i := from; i <= through; i++ {
				records[i], when[i] = rapid.Int64Range(0, 3).Draw(t, "records"), at(round).UnixMilli()
				counted = append(counted, Day{first + civil.Day(i), records[i], records[i] / 2})
			}
			if from <= through {
				c.Set(civil.Period{First: first + civil.Day(from), Last: first + civil.Day(through)}, counted, at(round))
			}
		}
		text, err := json.Marshal(&c)
		require.NoError(t, err)
		var back Calendar
		require.NoError(t, json.Unmarshal(text, &back))
		from := rapid.IntRange(0, days-1).Draw(t, "asked from")
		through := rapid.IntRange(from, days-1).Draw(t, "asked through")
		want := Figure{At: at(1000)}
		for i := from; i <= through; i++ {
			want = want.with(Figure{records[i], moment(when[i])})
		}
		for _, c := range []*Calendar{&c, &back} {
			assert.Equal(t, want, c.Within(civil.Period{First: first + civil.Day(from), Last: first + civil.Day(through)}))
		}
	})
}
