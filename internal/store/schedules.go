package store

import (
	"context"
	"errors"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Schedule is a row of the table schedules: one that somebody made for themselves.
type Schedule struct {
	Name   string `gorm:"primaryKey"`
	Person string
	Role   string
	Text   string
	MadeAt time.Time `gorm:"serializer:moment"`
}

// ScheduleMark is a row of the table schedule_marks.
type ScheduleMark struct {
	Schedule    string `gorm:"primaryKey"`
	Times       string
	Reached     time.Time `gorm:"serializer:moment"`
	Fingerprint string
}

// RunState is what became of a time of a schedule.
type RunState string

// The states of a time of a schedule.
const (
	RunClaimed RunState = "claimed"
	RunDone    RunState = "done"
	RunFailed  RunState = "failed"
	RunSkipped RunState = "skipped"
)

// ScheduleRun is a row of the table schedule_runs.
type ScheduleRun struct {
	ID         int64
	Schedule   string
	DueAt      time.Time `gorm:"serializer:moment"`
	Person     string
	State      RunState
	Tries      int
	NextAt     time.Time `gorm:"serializer:moment"`
	Receipt    int64
	Problem    string
	EndedAt    time.Time  `gorm:"serializer:moment"`
	Deliveries []Delivery `gorm:"foreignKey:RunID"`
}

// DeliveryState is what became of what was to be sent.
type DeliveryState string

// The states of a delivery. One that is doubtful was being sent when the service ended: it may have
// arrived, and is not sent again.
const (
	Waiting   DeliveryState = "waiting"
	Sending   DeliveryState = "sending"
	Sent      DeliveryState = "sent"
	NotWanted DeliveryState = "not_wanted"
	Doubtful  DeliveryState = "doubtful"
	Failed    DeliveryState = "failed"
)

// Delivery is a row of the table deliveries.
type Delivery struct {
	ID        int64
	RunID     int64
	Place     int
	Kind      string
	Recipient string
	State     DeliveryState
	Tries     int
	NextAt    time.Time `gorm:"serializer:moment"`
	Problem   string
	EndedAt   time.Time `gorm:"serializer:moment"`
}

// Schedules lists those that people made for themselves, by name.
func (s *Store) Schedules(ctx context.Context) (all []Schedule, err error) {
	return all, s.db.WithContext(ctx).Order("name").Find(&all).Error
}

// SetSchedule adds a schedule, or puts it in the place of the one of its name.
func (s *Store) SetSchedule(ctx context.Context, sc Schedule, by AuditEntry) error {
	return s.Audited(ctx, by, func(tx *gorm.DB) error {
		return tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&sc).Error
	})
}

// DropSchedule drops a schedule that somebody made.
func (s *Store) DropSchedule(ctx context.Context, name string, by AuditEntry) error {
	return s.Audited(ctx, by, func(tx *gorm.DB) error {
		return tx.Where(&Schedule{Name: name}).Delete(&Schedule{}).Error
	})
}

// Reached is how far a schedule has come; where it was not known, or had other times, it begins now.
func (s *Store) Reached(ctx context.Context, schedule, times string, now time.Time) (m ScheduleMark, err error) {
	db := s.db.WithContext(ctx)
	err = db.Where(&ScheduleMark{Schedule: schedule}).Take(&m).Error
	if err == nil && m.Times != times || errors.Is(err, gorm.ErrRecordNotFound) {
		m.Schedule, m.Times, m.Reached = schedule, times, now
		err = db.Save(&m).Error
	}
	return m, roomless(err)
}

// Claim puts a time of a schedule on record before anything is run for it, and that the schedule has
// come so far; false where it is on record already.
func (s *Store) Claim(ctx context.Context, r *ScheduleRun) (claimed bool, err error) {
	err = s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		added := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(r)
		claimed = added.RowsAffected > 0
		if added.Error != nil {
			return added.Error
		}
		return tx.Model(&ScheduleMark{}).Where(&ScheduleMark{Schedule: r.Schedule}).Update("reached", moment(r.DueAt)).Error
	})
	return claimed, roomless(err)
}

// Due lists the times of schedules that are to be run, and those of which something is to be sent, by
// now; each with what is to be sent of it.
func (s *Store) Due(ctx context.Context, now time.Time) (runs []ScheduleRun, err error) {
	err = s.db.WithContext(ctx).Preload("Deliveries", func(db *gorm.DB) *gorm.DB { return db.Order("id") }).
		Where("state = ? AND next_at <= ?", RunClaimed, moment(now)).
		Or("state <> ? AND id IN (SELECT run_id FROM deliveries WHERE state = ? AND next_at <= ?)", RunClaimed, Waiting, moment(now)).
		Order("due_at, id").Find(&runs).Error
	return runs, err
}

// SetRun puts what became of a time of a schedule on record, with what is to be sent of it and the
// fingerprint that the next result is held to; "" for the one before.
func (s *Store) SetRun(ctx context.Context, r *ScheduleRun, fingerprint string) error {
	err := s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := tx.Omit("Deliveries").Save(r).Error; err != nil {
			return err
		}
		if len(r.Deliveries) > 0 {
			for i := range r.Deliveries {
				r.Deliveries[i].RunID = r.ID
			}
			if err := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&r.Deliveries).Error; err != nil {
				return err
			}
		}
		if fingerprint == "" {
			return nil
		}
		return tx.Model(&ScheduleMark{}).Where(&ScheduleMark{Schedule: r.Schedule}).Update("fingerprint", fingerprint).Error
	})
	return roomless(err)
}

// SetDelivery puts what became of a delivery on record.
func (s *Store) SetDelivery(ctx context.Context, d *Delivery) error {
	return roomless(s.db.WithContext(ctx).Save(d).Error)
}

// Interrupted finds what was being sent when the service ended.
func (s *Store) Interrupted(ctx context.Context) (all []Delivery, err error) {
	return all, s.db.WithContext(ctx).Where(&Delivery{State: Sending}).Find(&all).Error
}

// ScheduleRuns lists the latest times of a schedule, the latest first, with what was sent of each.
func (s *Store) ScheduleRuns(ctx context.Context, schedule string, most int) (all []ScheduleRun, err error) {
	err = s.db.WithContext(ctx).Preload("Deliveries", func(db *gorm.DB) *gorm.DB { return db.Order("id") }).
		Where(&ScheduleRun{Schedule: schedule}).Order("due_at DESC").Limit(most).Find(&all).Error
	return all, err
}

// PruneSchedules forgets times of schedules that ended before a moment.
func (s *Store) PruneSchedules(ctx context.Context, before time.Time) error {
	return s.db.WithContext(ctx).Where("state <> ? AND due_at < ? AND id NOT IN (SELECT run_id FROM deliveries WHERE state IN (?, ?))", RunClaimed, moment(before), Waiting, Sending).Delete(&ScheduleRun{}).Error
}
