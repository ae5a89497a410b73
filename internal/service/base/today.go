package base

import (
	"context"
	"time"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
)

// Zone is the zone of the business: that of its sources where they agree, else UTC.
func (s *Base) Zone() *time.Location {
	var zone *time.Location
	for _, from := range s.Published.Load().Sources {
		if zone != nil && zone.String() != from.Zone.String() {
			return time.UTC
		}
		zone = from.Zone
	}
	if zone == nil {
		return time.UTC
	}
	return zone
}

// todaySetting is the day that the service takes for today; unset, it is the
// day that clocks show in the zone of the report.
const todaySetting = "today"

// SetToday makes the service take a day for today, whatever clocks show.
func (s *Base) SetToday(ctx context.Context, d civil.Day) error {
	s.today.Store(int64(d))
	return s.Store.SetSetting(ctx, todaySetting, d.String())
}

// FixedToday is the day that the service was told to take for today; not
// valid where it goes by the clock.
func (s *Base) FixedToday() civil.Day { return civil.Day(s.today.Load()) }

// Today is the current day in the zone.
func (s *Base) Today(zone *time.Location) civil.Day {
	if fixed := s.FixedToday(); fixed.IsValid() {
		return fixed
	}
	return civil.DayAt(s.Config().Now().Unix(), zone)
}

// Setting is what answers are read by. As of the day that clocks show, it is the
// time that they show; as of any other, the last second of the day.
func (s *Base) Setting(ctx context.Context, asOf civil.Day, zone *time.Location) phrase.Setting {
	setting := phrase.Setting{AsOf: asOf, Order: s.Config().DayOrder, FiscalStart: s.Config().FiscalStart, Zone: zone, Now: s.Config().Now().Unix()}
	if s.FixedToday().IsValid() || civil.DayAt(setting.Now, zone) != asOf {
		setting.Now = civil.FirstInstant(asOf+1, zone) - 1
	}
	if p := s.In(ctx); p != nil {
		setting.Seasons = p.Seasons
	}
	return setting
}

// AsOf reads the as-of day that a caller passed; today where there is none.
func (s *Base) AsOf(ctx context.Context, text string, zone *time.Location) (civil.Day, error) {
	today := s.Today(zone)
	if text == "" {
		return today, nil
	}
	r, f := phrase.Day(text, s.Setting(ctx, today, zone))
	if f != nil {
		f.Message = "as of: " + f.Message
		return 0, &Refusal{Kind: fault.AnswersRefused, Faults: fault.List{f}}
	}
	return r.Period.First, nil
}
