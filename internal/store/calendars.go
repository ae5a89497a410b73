package store

import (
	"context"
	"encoding/json"
	"errors"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"pikegate/internal/core/daycount"
)

// Calendar is a calendar of counts as it is kept.
type Calendar struct {
	Key                     string    // what is counted
	Source, Dataset, Column string    // names, for people
	Began                   time.Time // when the count that is under way began; the zero time where none is
	Counted                 time.Time // when the last whole count ended; the zero time where none did
	Changes                 string    // what the database said of the state of the records when it began
	Problem                 string    // why the last count was not finished
	Days                    daycount.Calendar
}

// calendarRow is a row of the table calendars.
type calendarRow struct {
	Key                     string `gorm:"primaryKey"`
	Source, Dataset, Column string
	Began, Counted          string // RFC 3339, UTC; "" for never
	Changes, Problem        string
	Body                    []byte
}

// TableName is GORM's interface for the name of a model's table.
func (calendarRow) TableName() string { return "calendars" }

// SetCalendar keeps a calendar in place of what was kept of it.
func (s *Store) SetCalendar(ctx context.Context, c *Calendar) error {
	body, err := json.Marshal(&c.Days)
	if err != nil {
		return err
	}
	row := calendarRow{Key: c.Key, Source: c.Source, Dataset: c.Dataset, Column: c.Column, Began: stamp(c.Began), Counted: stamp(c.Counted), Changes: c.Changes, Problem: c.Problem, Body: body}
	return roomless(s.db.WithContext(ctx).Clauses(clause.OnConflict{UpdateAll: true}).Create(&row).Error)
}

// Calendar finds a calendar, nil where none is kept.
func (s *Store) Calendar(ctx context.Context, key string) (*Calendar, error) {
	var row calendarRow
	err := s.db.WithContext(ctx).Where(&calendarRow{Key: key}).Take(&row).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	return row.calendar()
}

// Calendars lists the calendars of a source, or of all where that is "", by dataset and
// column.
func (s *Store) Calendars(ctx context.Context, source string) ([]*Calendar, error) {
	var rows []calendarRow
	find := s.db.WithContext(ctx).Order("source, dataset, column, key")
	if source != "" {
		find = find.Where(&calendarRow{Source: source})
	}
	if err := find.Find(&rows).Error; err != nil {
		return nil, err
	}
	all := make([]*Calendar, len(rows))
	for i, row := range rows {
		var err error
		if all[i], err = row.calendar(); err != nil {
			return nil, err
		}
	}
	return all, nil
}

// ForgetCalendar forgets a calendar.
func (s *Store) ForgetCalendar(ctx context.Context, key string) error {
	return s.db.WithContext(ctx).Delete(&calendarRow{Key: key}).Error
}

func (r calendarRow) calendar() (*Calendar, error) {
	c := &Calendar{Key: r.Key, Source: r.Source, Dataset: r.Dataset, Column: r.Column, Changes: r.Changes, Problem: r.Problem}
	var err, also error
	c.Began, err = stamped(r.Began)
	c.Counted, also = stamped(r.Counted)
	return c, errors.Join(err, also, json.Unmarshal(r.Body, &c.Days))
}

// stamp writes a time, "" for the zero time; stamped reads it.
func stamp(t time.Time) string {
	if t.IsZero() {
		return ""
	}
	return t.UTC().Format(time.RFC3339Nano)
}

func stamped(text string) (time.Time, error) {
	if text == "" {
		return time.Time{}, nil
	}
	return time.Parse(time.RFC3339Nano, text)
}
