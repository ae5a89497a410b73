package phrase

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/fault"
)

// What stands after the arrow is offered, parted by bars, and nothing else.
func TestWhatIsOffered(t *testing.T) {
	s := inZone(t, "Europe/Helsinki")
	kinds := map[string]func(text string) *fault.Fault{
		"day":           func(text string) *fault.Fault { _, f := Day(text, s); return f },
		"period":        func(text string) *fault.Fault { _, f := Period(text, s); return f },
		"moment":        func(text string) *fault.Fault { _, f := Moment(text, s); return f },
		"moment-period": func(text string) *fault.Fault { _, f := MomentPeriod(text, s); return f },
		"time-range":    func(text string) *fault.Fault { _, f := TimeRange(text); return f },
	}
	for kind, lines := range map[string]string{
		"day": `
			Thrusday 5 March 2026 -> Thursday 5 March 2026
			5.Mar.2026 -> 5 Mar 2026
			Mar. 5, 2026 -> Mar 5, 2026
			on the 5th of March 2026 -> 5th March 2026
			2026 Mar 5 -> 5 Mar 2026
			2026 03 05 -> 5 Mar 2026
			2026-3 -> 1 Mar 2026 | 31 Mar 2026
			5 Dec -> 5 Dec 2026 | 5 Dec 2025
			23 Nov -> 23 Nov 2026
			Fri 5 Dec -> 5 Dec 2025
			Mon 23 Nov -> 23 Nov 2026
			Tue 23 Nov ->
			Q2 -> 1 Apr 2026 | 30 Jun 2026
			Q5 ->
			5/3 -> 5 Mar 2026 | 3 May 2026
			25/3 -> 25 Mar 2026
			last month -> start of last month | end of last month
			last 7 days ->
			7 days -> 7 days ago | in 7 days
			two weeks ago -> 2 weeks ago
			end of February 2026 -> 28 Feb 2026
			29 Feb -> 28 Feb 2026
			1 Mar 2026 to 5 Mar 2026 ->
			start of month ->`,
		"period": `
			5 Mar to 10 Mar 2026 -> 5 Mar 2026 to 10 Mar 2026
			20 Dec to 5 Jan 2026 -> 20 Dec 2025 to 5 Jan 2026
			20 Dec to 5 Jan -> 20 Dec 2026 to 5 Jan 2027 | 20 Dec 2025 to 5 Jan 2026
			1 Mar to 31 Mar -> 1 Mar 2026 to 31 Mar 2026
			Nov to Feb -> Nov 2026 to Feb 2027
			Q4 to Q1 -> Q4 2026 to Q1 2027
			5/3 to 6/3 -> 5 Mar 2026 to 6 Mar 2026 | 3 May 2026 to 3 Jun 2026
			20 Dec 2025 to 5 Jan -> 20 Dec 2025 to 5 Jan 2026
			Mar to May -> Mar 2026 to May 2026
			20 Dec to 1 Jan 0001 ->
			December -> Dec 2026 | Dec 2025
			Q4 -> Q4 2026
			Q1/Q2 2026 -> Q1 2026 to Q2 2026
			31 Feb 2026 to 5 Mar 2026 -> 28 Feb 2026 to 5 Mar 2026
			yesterday / 31 Feb 2027 -> yesterday to 28 Feb 2027
			3/4/2026 to 5/4/2026 -> 3 Apr 2026 to 5 Apr 2026 | 4 Mar 2026 to 4 May 2026
			3/4/2026 to 25/4/2026 -> 3 Apr 2026 to 25/4/2026 | 4 Mar 2026 to 25/4/2026
			Fri 5 Mar 2026 to 32 Mar 2026 -> Thu 5 Mar 2026 to 31 Mar 2026
			since 31 Feb 2026 -> since 28 Feb 2026
			../31 Feb 2026 -> until 28 Feb 2026
			5 Mar 2026 14:00 to 6 Mar 2026 -> 5 Mar 2026 to 6 Mar 2026
			month 13 to 5 Mar 2026 ->
			2026-13 to 5 Mar 2026 ->
			5 Apr 2026 to 31 Feb 2026 ->
			since last month -> since start of last month
			last month to today -> start of last month to today
			today through next week -> today to end of next week
			last 3 months to today -> 1 Aug 2026 to today
			last day to today -> 22 Nov 2026 to today
			lst mnth to todya -> start of last month to today
			1 Mar 2026-5 Mar 2026 -> 1 Mar 2026 to 5 Mar 2026
			25/3/2026-31/3/2026 -> 25/3/2026 to 31/3/2026
			1/3/2026-5/3/2026 -> 1 Mar 2026 to 5 Mar 2026 | 3 Jan 2026 to 3 May 2026
			1 Mar 2026 – 5 Mar 2026 -> 1 Mar 2026 - 5 Mar 2026
			1–15 March 2026 -> 1 Mar 2026 to 15 March 2026
			5 to 10 Mar 26 -> 5 Mar 2026 to 10 Mar 26
			March 5-10, 2026 -> 5 Mar 2026 to 10 Mar 2026
			5 Mar 2026 to 10 -> 5 Mar 2026 to 10 Mar 2026
			2026-03-01/05 -> 1 Mar 2026 to 5 Mar 2026
			10 to 5 Mar 2026 ->
			Jan-Mar 2026 -> Jan 2026 to Mar 2026
			2026 Q1 -> Q1 2026
			Q1-2026 -> Q1 2026
			2026-03-05/03-10 -> 2026-03-05 to 10 Mar 2026
			2026-03-05/10 -> 5 Mar 2026 to 10 Mar 2026
			2026-12-30/01-02 -> 2026-12-30 to 2 Jan 2027
			3-2026 -> Mar 2026
			13/2026 ->
			Mar, 2026 -> Mar 2026
			week 10 2026 -> 2026-W10
			2026 w 10 -> 2026-W10
			7 days -> last 7 days | 7 days to date
			3 months -> last 3 months
			previous month -> last month
			YTD -> year to date
			between 1 Mar 2026 and 5 Mar 2026 -> from 1 Mar 2026 to 5 Mar 2026
			1 Mar 2026 thru 5 Mar 2026 -> 1 Mar 2026 through 5 Mar 2026
			from 1 Mar 2026 -> since 1 Mar 2026
			start of 2026 to today ->
			end of Q1 2026 -> 31 Mar 2026
			the of ->`,
		"moment": `
			2026-03-05 2pm -> 5 Mar 2026 14:00
			5 Mar 2026 at 14:30 -> 5 Mar 2026 14:30
			5 Mar 2026, 2:30:15.5 pm -> 5 Mar 2026 14:30:15
			2026-03-05T143015 -> 5 Mar 2026 14:30:15
			5 Mar 2026 14:30 GMT -> 5 Mar 2026 14:30Z
			2026-03-05T14:30-0330 -> 5 Mar 2026 14:30-03:30
			2026-03-05T14:30+01 -> 5 Mar 2026 14:30+01:00
			2026-03-05T14:30+99 ->
			5 Mar 2026 13pm ->
			5 Mar 14:30 -> 5 Mar 2026 14:30
			31 Feb 2026 2pm -> 28 Feb 2026 14:00
			3/4/2026 14:30 -> 3 Apr 2026 14:30 | 4 Mar 2026 14:30
			29 Mar 2026 3:30am -> 29 Mar 2026 02:59 | 29 Mar 2026 04:00
			14:30 -> 23 Nov 2026 14:30
			yesterday noon -> yesterday 12:00
			an hour ago -> 1 hour ago
			last month ->`,
		"moment-period": `
			5 Mar 2026 2pm to 5 Mar 2026 5pm -> 5 Mar 2026 14:00 to 5 Mar 2026 17:00
			5 Mar 2026 06:00 to 6 Mar 2026 -> 5 Mar 2026 06:00 to 6 Mar 2026 24:00
			5 Mar 2026 to 6 Mar 2026 09:00 -> 5 Mar 2026 00:00 to 6 Mar 2026 09:00
			5 Mar 2026 06:00 to 09:00 -> 5 Mar 2026 06:00 to 5 Mar 2026 09:00
			yesterday 6am to 9am -> yesterday 06:00 to yesterday 09:00
			since 5 Mar 2026 -> since 5 Mar 2026 00:00
			until 5 Mar 2026 -> until 5 Mar 2026 24:00
			25 Oct 2026 03:30 to 31 Nov 2026 05:00 -> 25 Oct 2026 03:30 to 30 Nov 2026 05:00
			past 6 hrs -> last 6 hours
			2026-03-05/03-10 -> 5 Mar 2026 00:00 to 10 Mar 2026 24:00
			06:00 to 09:00 ->
			Mar 2026 -> 1 Mar 2026 00:00 to 31 Mar 2026 24:00`,
		"time-range": `
			6am to 9am -> 06:00 to 09:00
			06:00-09:00 -> 06:00 to 09:00
			0600 to 0900 -> 06:00 to 09:00
			22–2 -> 22:00 to 02:00
			between 6:00 and 9:00 -> from 6:00 to 9:00
			since 06:00 ->
			06:00Z to 09:00Z ->
			25 to 26 ->
			06:00 ->`,
	} {
		for _, line := range strings.Split(strings.TrimSpace(lines), "\n") {
			text, want, _ := strings.Cut(strings.TrimSpace(line), " ->")
			f := kinds[kind](text)
			if assert.NotNil(t, f, "%s %q", kind, text) {
				assert.Equal(t, strings.TrimSpace(want), strings.Join(f.Suggestions, " | "), "%s %q: %s", kind, text, f.Code)
			}
			for _, suggestion := range f.Suggestions {
				require.Nil(t, kinds[kind](suggestion), "%s %q", kind, suggestion)
			}
		}
	}
}

// Tabs and line ends come with what is pasted; control characters are not read.
func TestPastedTextIsOffered(t *testing.T) {
	for text, want := range map[string][]string{"last\tmonth": {"last month"}, "5\r\nMar 2026": {"5 Mar 2026"}, "1 Mar 2026\t5 Mar 2026": nil, "5\x00Mar 2026": nil} {
		_, f := Period(text, setting)
		if assert.NotNil(t, f, "%q", text) {
			assert.Equal(t, fault.NotADate, f.Code, "%q", text)
			assert.Equal(t, want, f.Suggestions, "%q", text)
		}
	}
}

// A number of any length is a number: it never stands for a smaller one.
func TestNumbersOfAnyLength(t *testing.T) {
	s := inZone(t, "UTC")
	for digits := 1; digits < 100; digits++ {
		n := strings.Repeat("9", digits)
		_, f := Day(n+" days ago", s)
		assert.Equal(t, digits < 6, f == nil, "%s days ago", n)
		_, f = Moment(n+" minutes ago", s)
		assert.Equal(t, digits < 10, f == nil, "%s minutes ago", n)
		for _, text := range []string{n + " days to date", "last " + n + " years", "next " + n + " quarters", n + " Mar 2026", "2026-" + n, n + "-01-01"} {
			if _, f = Period(text, s); digits > 5 {
				assert.NotNil(t, f, text)
			}
		}
	}
}
