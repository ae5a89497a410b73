package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/edit"
)

// Draft is what a developer is writing of a definition.
type Draft struct {
	catalog.Ref
	Person  string
	Text    string
	Base    int // the revision that it started from; 0 for a new definition
	Version int // how often it was saved
	SavedAt time.Time
	// Undo and Redo are how many steps can be taken back and made again.
	Undo, Redo int
}

// draft is a row of the table drafts.
type draft struct {
	ID      int64
	Person  string
	Kind    catalog.Kind
	Name    string
	Text    string
	Base    int
	Version int
	Step    int
	SavedAt string
}

// draftStep is a row of the table draft_steps.
type draftStep struct {
	DraftID int64         `gorm:"primaryKey"`
	Number  int           `gorm:"primaryKey"`
	Changes []edit.Change `gorm:"serializer:json"`
	Base    int
	Was     int
	Typed   bool
}

// mostSteps is how many steps of a draft can be taken back.
const mostSteps = 500

// MovedOn is a draft that was saved elsewhere in the meantime, by a second window for one.
type MovedOn struct {
	Saw int
	Now Draft
}

func (m *MovedOn) Error() string {
	return fmt.Sprintf("the draft of the %s was saved elsewhere meanwhile, as version %d after version %d that this one goes on from", m.Now.Ref, m.Now.Version, m.Saw)
}

// savedAt is when a row was last saved.
func (d draft) savedAt() time.Time {
	at, _ := time.Parse(time.RFC3339Nano, d.SavedAt)
	return at
}

// told is a row as what it tells.
func (d draft) told(kept steps) Draft {
	told := Draft{Ref: catalog.Ref{Kind: d.Kind, Name: d.Name}, Person: d.Person, Text: d.Text, Base: d.Base, Version: d.Version, SavedAt: d.savedAt()}
	if kept.First > 0 {
		told.Undo, told.Redo = d.Step-kept.First+1, kept.Last-d.Step
	}
	return told
}

// Drafts lists drafts by kind and name: those of a person, or of everybody where that is "". What
// steps they have is not told.
func (s *Store) Drafts(ctx context.Context, person string) ([]Draft, error) {
	return s.drafts(ctx, draft{Person: person})
}

// DraftsOf lists the drafts of a definition by person. What steps they have is not told.
func (s *Store) DraftsOf(ctx context.Context, ref catalog.Ref) ([]Draft, error) {
	return s.drafts(ctx, draft{Kind: ref.Kind, Name: ref.Name})
}

// drafts lists the drafts that have what like has.
func (s *Store) drafts(ctx context.Context, like draft) ([]Draft, error) {
	var rows []draft
	if err := s.db.WithContext(ctx).Where(&like).Order("kind, name, person").Find(&rows).Error; err != nil {
		return nil, err
	}
	all := make([]Draft, len(rows))
	for i, r := range rows {
		all[i] = r.told(steps{})
	}
	return all, nil
}

// Draft returns a person's draft of a definition; ErrNone where there is none.
func (s *Store) Draft(ctx context.Context, person string, ref catalog.Ref) (Draft, error) {
	db := s.db.WithContext(ctx)
	d, err := draftOf(db, person, ref)
	if err != nil {
		return Draft{}, err
	}
	kept, err := stepsOf(db, d)
	return d.told(kept), err
}

func draftOf(db *gorm.DB, person string, ref catalog.Ref) (draft, error) {
	var d draft
	err := db.Scopes(writtenBy(person, ref)).Take(&d).Error
	return d, none(err)
}

// writtenBy limits a query to a person's draft of a definition.
func writtenBy(person string, ref catalog.Ref) func(*gorm.DB) *gorm.DB {
	return func(db *gorm.DB) *gorm.DB {
		return db.Where("person = ? AND kind = ? AND name = ?", person, ref.Kind, ref.Name)
	}
}

// steps are the numbers of the first and the last step of a draft that are kept, 0 for none.
type steps struct{ First, Last int }

func stepsOf(db *gorm.DB, d draft) (kept steps, err error) {
	err = db.Model(&draftStep{}).Where("draft_id = ?", d.ID).Select("coalesce(min(number), 0) AS first, coalesce(max(number), 0) AS last").Scan(&kept).Error
	return kept, err
}

// Rewritten is what a draft is changed to.
type Rewritten struct {
	Text string
	Made []edit.Change // the changes of the text
	Base int           // the revision that it starts from now
	// Typed is text as it is being typed: what follows it soon is one step with it.
	Typed bool
}

// typingPause is how long typing rests until what follows is a step of its own.
const typingPause = time.Second

// ChangeDraft saves what change makes of a draft, as a step that can be taken back. version is the
// one that it goes on from; 0 for none, and then the draft begins as start. Where the draft was
// saved meanwhile the error is a MovedOn.
func (s *Store) ChangeDraft(ctx context.Context, person string, ref catalog.Ref, version int, now time.Time, start Draft, change func(Draft) (Rewritten, error)) (Draft, error) {
	return s.saveDraft(ctx, person, ref, version, now, &start, func(tx *gorm.DB, d *draft) error {
		to, err := change(d.told(steps{}))
		if err != nil || len(to.Made) == 0 && to.Base == d.Base {
			return err
		}
		if err := tx.Where("draft_id = ? AND (number > ? OR number <= ?)", d.ID, d.Step, d.Step+1-mostSteps).Delete(&draftStep{}).Error; err != nil {
			return err
		}
		var last draftStep
		err = tx.Where("draft_id = ? AND number = ?", d.ID, d.Step).Take(&last).Error
		if err != nil && !errors.Is(err, gorm.ErrRecordNotFound) {
			return err
		}
		if to.Typed && last.Typed && now.Sub(d.savedAt()) < typingPause {
			last.Changes = edit.Between(edit.Splice(d.Text, edit.Inverse(last.Changes)), to.Text)
			d.Text = to.Text
			if len(last.Changes) == 0 { // it was typed back
				d.Step--
				return tx.Delete(&last).Error
			}
			return tx.Save(&last).Error
		}
		d.Step++
		step := draftStep{DraftID: d.ID, Number: d.Step, Changes: to.Made, Base: to.Base, Was: d.Base, Typed: to.Typed}
		d.Text, d.Base = to.Text, to.Base
		return tx.Create(&step).Error
	})
}

// ErrNoStep is the cause where no step is left that can be taken back or made again.
var ErrNoStep = errors.New("there is no such step")

// StepDraft takes the last step of a draft back, or makes the next one again.
func (s *Store) StepDraft(ctx context.Context, person string, ref catalog.Ref, version int, now time.Time, back bool) (Draft, error) {
	return s.saveDraft(ctx, person, ref, version, now, nil, func(tx *gorm.DB, d *draft) error {
		number := d.Step
		if !back {
			number++
		}
		var step draftStep
		err := tx.Where("draft_id = ? AND number = ?", d.ID, number).Take(&step).Error
		if errors.Is(err, gorm.ErrRecordNotFound) {
			return ErrNoStep
		}
		if err != nil {
			return err
		}
		if back {
			d.Text, d.Step, d.Base = edit.Splice(d.Text, edit.Inverse(step.Changes)), d.Step-1, step.Was
		} else {
			d.Text, d.Step, d.Base = edit.Splice(d.Text, step.Changes), d.Step+1, step.Base
		}
		return nil
	})
}

// mostBefore is how many steps are looked back through for a text.
const mostBefore = 100

// TextBefore is the latest text that a draft had and that is wanted, some steps back; "" for none.
func (s *Store) TextBefore(ctx context.Context, person string, ref catalog.Ref, isWanted func(text string) bool) (string, error) {
	d, err := draftOf(s.db.WithContext(ctx), person, ref)
	if err != nil {
		return "", err
	}
	var back []draftStep
	if err := s.db.WithContext(ctx).Where("draft_id = ? AND number <= ?", d.ID, d.Step).Order("number DESC").Limit(mostBefore).Find(&back).Error; err != nil {
		return "", err
	}
	text := d.Text
	for _, step := range back {
		if text = edit.Splice(text, edit.Inverse(step.Changes)); isWanted(text) {
			return text, nil
		}
	}
	return "", nil
}

// saveDraft changes a draft in one transaction.
func (s *Store) saveDraft(ctx context.Context, person string, ref catalog.Ref, version int, now time.Time, start *Draft, change func(tx *gorm.DB, d *draft) error) (saved Draft, err error) {
	err = s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		d, err := draftOf(tx, person, ref)
		if errors.Is(err, ErrNone) && version == 0 && start != nil {
			d = draft{Person: person, Kind: ref.Kind, Name: ref.Name, Text: start.Text, Base: start.Base}
			err = tx.Create(&d).Error
		}
		if err != nil {
			return err
		}
		if d.Version != version {
			kept, err := stepsOf(tx, d)
			if err != nil {
				return err
			}
			return &MovedOn{Saw: version, Now: d.told(kept)}
		}
		if err := change(tx, &d); err != nil {
			return err
		}
		d.Version++
		d.SavedAt = now.UTC().Format(time.RFC3339Nano)
		if err := tx.Save(&d).Error; err != nil {
			return err
		}
		kept, err := stepsOf(tx, d)
		saved = d.told(kept)
		return err
	})
	return saved, err
}

// DropDraft takes a person's draft of a definition away; ErrNone where there is none.
func (s *Store) DropDraft(ctx context.Context, person string, ref catalog.Ref) error {
	gone := s.db.WithContext(ctx).Scopes(writtenBy(person, ref)).Delete(&draft{})
	if gone.Error == nil && gone.RowsAffected == 0 {
		return ErrNone
	}
	return gone.Error
}
