package cli

import (
	"bufio"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
)

func newDate() *cobra.Command {
	var flags dateFlags
	c := &cobra.Command{
		Use:   "date TEXT...",
		Short: "Show how a date, a period or a moment is read",
		Long: `Show how each text is read, without a service. The text - reads one text a line
from standard input. Beside days, periods and moments there are periods of moments
and ranges of times of day, as prompts can ask for them.`,
		Example: `  pikegate date "5 mar 2026" "last 3 months"
  pikegate date --type day --day-order day-first 3/4/2026
  pikegate date --zone Europe/Helsinki --output json "Oct 2026"
  pikegate date --type moment --zone Europe/Helsinki "25 Oct 2026 03:30"`,
		Args:              arity(1, anyNumber),
		ValidArgsFunction: cobra.NoFileCompletions,
		RunE: func(c *cobra.Command, texts []string) error {
			r, err := flags.reader(c.OutOrStdout(), time.Now())
			if err != nil {
				return err
			}
			if err := r.all(texts, c.InOrStdin()); err != nil {
				return fail(exitFailed, "%w", err)
			}
			if r.refused > 0 {
				return &exit{code: exitAnswers, err: errSaid}
			}
			return nil
		},
	}
	f := c.Flags()
	wordFlag(c, &flags.kind, "type", "period", dateTypes, "what the texts are")
	f.StringVar(&flags.asOf, "as-of", "", "the day to take for today")
	wordFlag(c, &flags.order, "day-order", "", []phrase.DayOrder{phrase.DayFirst, phrase.MonthFirst}, "how days that are all digits are read")
	f.StringVar(&flags.zone, "zone", "", "IANA zone: moments are read in it, and days come with their instants")
	f.StringVar(&flags.fiscal, "fiscal-year-starts", "", "month that the fiscal year starts with, 1 to 12")
	outputFlag(c, &flags.output)
	return c
}

// errSaid is a failure that standard output has told of already.
var errSaid = errors.New("some of it was refused")

var dateTypes = []string{"day", "period", "moment", "moment-period", "time-range"}

type dateFlags struct {
	kind, asOf, order, zone, fiscal, output string
}

// dateReader reads texts and writes one line for each.
type dateReader struct {
	kind    string
	json    bool
	zoned   bool // a zone was named
	setting phrase.Setting
	out     *bufio.Writer
	refused int
}

func (f dateFlags) reader(out io.Writer, now time.Time) (*dateReader, error) {
	r := &dateReader{kind: f.kind, json: f.output == "json", zoned: f.zone != "", out: bufio.NewWriter(out)}
	zone := now.Location()
	if r.zoned {
		var unknown *fault.Fault
		if zone, unknown = phrase.Zone(f.zone); unknown != nil {
			return nil, fail(exitUsage, "zone: %s", unknown.Sentence())
		}
	}
	order, err := dayOrder(f.order)
	if err != nil {
		return nil, fail(exitUsage, "day-order: %w", err)
	}
	r.setting = phrase.Setting{AsOf: civil.DayAt(now.Unix(), zone), Order: order, Zone: zone, Now: now.Unix()}
	if !r.zoned {
		r.setting.Zone = time.UTC
	}
	if f.fiscal != "" {
		if r.setting.FiscalStart, err = fiscalStart(f.fiscal); err != nil {
			return nil, fail(exitUsage, "fiscal-year-starts: %w", err)
		}
	}
	if f.asOf != "" {
		asOf, refused := phrase.Day(f.asOf, r.setting)
		if refused != nil {
			return nil, fail(exitUsage, "as-of: %s", refused.Sentence())
		}
		// As of a day, now is its last second.
		r.setting.AsOf = asOf.Period.First
		r.setting.Now = civil.FirstInstant(r.setting.AsOf+1, r.setting.Zone) - 1
	}
	return r, nil
}

func (r *dateReader) all(texts []string, in io.Reader) error {
	for _, text := range texts {
		if text != "-" {
			r.read(text)
			continue
		}
		lines := bufio.NewReader(in)
		for {
			line, err := lines.ReadString('\n')
			if line != "" || err == nil {
				r.read(strings.TrimSuffix(strings.TrimSuffix(line, "\n"), "\r"))
			}
			if errors.Is(err, io.EOF) {
				break
			}
			if err != nil {
				return err
			}
		}
	}
	return r.out.Flush()
}

// dateResult is one line of JSON: of the readings, the one that was asked for.
type dateResult struct {
	Input string `json:"input"`
	*readDay
	*readPeriod
	*readTimes
	Instant string `json:"instant,omitempty"`
	*instants
	Notes []string   `json:"notes,omitempty"`
	Error *dateError `json:"error,omitempty"`
}

type readTimes struct {
	First string `json:"first"`
	Last  string `json:"last"`
}

type readDay struct {
	Day civil.Day `json:"day"`
}

type readPeriod struct {
	Start *civil.Day `json:"start"` // null where the side is open
	End   *civil.Day `json:"end"`
}

// instants are what whole days cover in a zone.
type instants struct {
	From  *string `json:"from_instant"`  // included
	Until *string `json:"until_instant"` // excluded
}

type dateError struct {
	Code        fault.Code `json:"code"`
	Message     string     `json:"message"`
	Column      int        `json:"column,omitempty"` // of the text, in characters from 1
	Suggestions []string   `json:"suggestions"`
}

func (r *dateReader) read(text string) {
	result := dateResult{Input: text}
	spelled, refused := r.understand(text, &result)
	if refused != nil {
		r.refused++
		result.Error = &dateError{Code: refused.Code, Message: refused.Message, Column: refused.Place.Column, Suggestions: refused.Suggestions}
		if refused.Suggestions == nil {
			result.Error.Suggestions = []string{}
		}
	}
	switch {
	case r.json:
		json.NewEncoder(r.out).Encode(result)
	case refused != nil:
		fmt.Fprintf(r.out, "%s\n  refused: %s [%s]\n", text, refused.Sentence(), refused.Code)
	default:
		fmt.Fprintf(r.out, "%s\n  = %s\n", text, spelled)
		if i := result.instants; i != nil && r.kind != "moment-period" {
			fmt.Fprintf(r.out, "    from %s until %s\n", orOpen(i.From), orOpen(i.Until))
		}
		for _, note := range result.Notes {
			fmt.Fprintf(r.out, "    %s\n", note)
		}
	}
}

func orOpen(instant *string) string {
	if instant == nil {
		return "(open)"
	}
	return *instant
}

func (r *dateReader) understand(text string, into *dateResult) (spelled string, refused *fault.Fault) {
	switch r.kind {
	case "moment", "moment-period":
		return r.moments(text, into)
	case "time-range":
		times, f := phrase.TimeRange(text)
		if f != nil {
			return "", f
		}
		into.readTimes = &readTimes{times.First(), times.Last()}
		return times.Spelled(), nil
	}
	read := phrase.Period
	if r.kind == "day" {
		read = phrase.Day
	}
	reading, f := read(text, r.setting)
	if f != nil {
		return "", f
	}
	p := reading.Period
	into.Notes = reading.Notes
	if r.zoned {
		into.instants = covered(p, r.setting.Zone)
	}
	if r.kind == "day" {
		into.readDay = &readDay{p.First}
		return p.First.Spelled(), nil
	}
	start, end := p.Ends()
	into.readPeriod = &readPeriod{start, end}
	return p.Spelled(), nil
}

func (r *dateReader) moments(text string, into *dateResult) (spelled string, refused *fault.Fault) {
	read := phrase.Moment
	if r.kind == "moment-period" {
		read = phrase.MomentPeriod
	}
	reading, f := read(text, r.setting)
	if f != nil {
		return "", f
	}
	into.Notes = reading.Notes
	if !r.zoned && !reading.Zoned {
		into.Notes = append(into.Notes, "read in UTC, since no zone was named")
	}
	p := reading.Period
	if r.kind == "moment" {
		into.Instant = utc(p.First.At)
		return p.First.Spelled(r.setting.Zone), nil
	}
	into.instants = between(civil.AtMoment(p.First), civil.AfterMoment(p.Last), r.setting.Zone)
	return p.Spelled(r.setting.Zone), nil
}

// covered is the run of instants that the days of a period cover; a side is nil
// where the period is open or ends with the calendar.
func covered(p civil.Period, zone *time.Location) *instants {
	next, _ := p.Last.Next()
	return between(civil.StartOf(p.First), civil.StartOf(next), zone)
}

// between are the instants of two edges, nil for one that is none.
func between(from, until civil.Edge, zone *time.Location) *instants {
	i := &instants{}
	if from.IsSet() {
		at := utc(from.Instant(zone))
		i.From = &at
	}
	if until.IsSet() {
		at := utc(until.Instant(zone))
		i.Until = &at
	}
	return i
}

func utc(seconds int64) string { return time.Unix(seconds, 0).UTC().Format(time.RFC3339) }
