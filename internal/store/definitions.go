package store

import (
	"context"
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/difference"
)

// Change is what putting a document did.
type Change string

const (
	New     Change = "new"
	Changed Change = "changed"
	Same    Change = "same"
)

// Stored is what became of one document.
type Stored struct {
	catalog.Ref
	Change     Change
	Revision   int
	Difference []difference.Change // where it changed
}

// definition is a row of the table definitions, with the revisions that belong to it.
type definition struct {
	ID        int64
	Kind      catalog.Kind
	Name      string
	Current   *int64     // the revision that readers see, nil where they see none
	Published *revision  `gorm:"foreignKey:Current"`
	Revisions []revision `gorm:"foreignKey:DefinitionID"`
}

// revision is a row of the table revisions.
type revision struct {
	ID           int64
	DefinitionID int64
	Number       int
	Text         string
	File         string
	Line         int
	SavedAt      string // RFC 3339, UTC
	SavedBy      string
}

// document is a revision as it is read.
func (r revision) document(ref catalog.Ref) catalog.Document {
	return catalog.Document{Ref: ref, Text: r.Text, File: r.File, Line: r.Line, Revision: r.Number}
}

// called limits a query to the definition of a name.
func called(ref catalog.Ref) func(*gorm.DB) *gorm.DB {
	return func(db *gorm.DB) *gorm.DB { return db.Where(&definition{Kind: ref.Kind, Name: ref.Name}) }
}

// find finds a definition; ErrNone where there is none of the name.
func find(db *gorm.DB, ref catalog.Ref) (definition, error) {
	var d definition
	err := db.Scopes(called(ref)).Take(&d).Error
	return d, none(err)
}

// none gives a record that was not found its cause.
func none(err error) error {
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return ErrNone
	}
	return err
}

// Published returns the published revision of every definition, as documents.
func (s *Store) Published(ctx context.Context) ([]catalog.Document, error) {
	return published(s.db.WithContext(ctx))
}

func published(db *gorm.DB) ([]catalog.Document, error) {
	var all []definition
	if err := db.InnerJoins("Published").Order("kind, name").Find(&all).Error; err != nil {
		return nil, err
	}
	docs := make([]catalog.Document, len(all))
	for i, d := range all {
		docs[i] = d.Published.document(catalog.Ref{Kind: d.Kind, Name: d.Name})
	}
	return docs, nil
}

// Save is how documents are put.
type Save struct {
	By    string
	Now   time.Time
	Draft bool                // keep what is published
	Gone  []catalog.Ref       // definitions to take away from readers
	Base  map[catalog.Ref]int // the latest revision that the writer saw, by definition; absent where that does not matter
}

// Conflict is a definition that somebody else saved in the meantime.
type Conflict struct {
	catalog.Ref
	Saw    int
	Latest Revision
}

func (c *Conflict) Error() string {
	return fmt.Sprintf("the %s was saved as revision %d by %s at %s, after revision %d that this one was made from", c.Ref, c.Latest.Number, c.Latest.SavedBy, c.Latest.SavedAt, c.Saw)
}

// Revision is one saved state of a definition.
type Revision struct {
	Number    int    `json:"revision" doc:"Its number, from 1."`
	SavedAt   string `json:"saved_at" doc:"When it was saved, RFC 3339, UTC."`
	SavedBy   string `json:"saved_by" doc:"Who saved it."`
	Published bool   `json:"published" doc:"Whether it is the one that readers see."`
}

// Put stores documents as revisions, all or none, and publishes them unless they
// are drafts. check is handed every definition as it will be published, within
// the same transaction, and its error leaves all as it was.
func (s *Store) Put(ctx context.Context, docs []catalog.Document, save Save, check func(all []catalog.Document) error) ([]Stored, error) {
	var stored []Stored
	err := s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		stored = make([]Stored, len(docs))
		for i, d := range docs {
			one, err := put(tx, d, save)
			if err != nil {
				return err
			}
			stored[i] = one
		}
		for _, ref := range save.Gone {
			if err := tx.Model(&definition{}).Scopes(called(ref)).Update("current", nil).Error; err != nil {
				return err
			}
		}
		all, err := published(tx)
		if err != nil {
			return err
		}
		return check(all)
	})
	return stored, err
}

// ErrNone is the cause where there is no such definition or revision.
var ErrNone = errors.New("no such definition or revision")

// Revisions lists the revisions of a definition, the latest first.
func (s *Store) Revisions(ctx context.Context, ref catalog.Ref) ([]Revision, error) {
	db := s.db.WithContext(ctx)
	d, err := find(db.Preload("Revisions", func(db *gorm.DB) *gorm.DB {
		return db.Select("id", "definition_id", "number", "saved_at", "saved_by").Order("number DESC")
	}), ref)
	if err != nil {
		return nil, err
	}
	all := make([]Revision, len(d.Revisions))
	for i, r := range d.Revisions {
		all[i] = Revision{Number: r.Number, SavedAt: r.SavedAt, SavedBy: r.SavedBy, Published: d.Current != nil && r.ID == *d.Current}
	}
	return all, nil
}

// Document returns a revision of a definition; of number 0 the published one.
func (s *Store) Document(ctx context.Context, ref catalog.Ref, number int) (catalog.Document, error) {
	db := s.db.WithContext(ctx)
	d, err := find(db.Joins("Published"), ref)
	if err != nil {
		return catalog.Document{Ref: ref}, err
	}
	if number == 0 {
		if d.Published == nil {
			return catalog.Document{Ref: ref}, ErrNone
		}
		return d.Published.document(ref), nil
	}
	r, err := numbered(db, d, number)
	return r.document(ref), err
}

// numbered finds a revision of a definition; of number 0 the latest.
func numbered(db *gorm.DB, d definition, number int) (revision, error) {
	db = db.Where(&revision{DefinitionID: d.ID})
	if number != 0 {
		db = db.Where(&revision{Number: number})
	}
	var r revision
	return r, none(db.Order("number DESC").Take(&r).Error)
}

// Publish makes a revision the one that readers see; of number 0 the latest.
func (s *Store) Publish(ctx context.Context, ref catalog.Ref, number int, check func(all []catalog.Document) error) error {
	return s.show(ctx, ref, func(tx *gorm.DB, d definition) (*int64, error) {
		r, err := numbered(tx, d, number)
		return &r.ID, err
	}, check)
}

// Withdraw takes a definition away from readers and keeps its revisions.
func (s *Store) Withdraw(ctx context.Context, ref catalog.Ref, check func(all []catalog.Document) error) error {
	return s.show(ctx, ref, func(*gorm.DB, definition) (*int64, error) { return nil, nil }, check)
}

// show changes which revision of a definition readers see.
func (s *Store) show(ctx context.Context, ref catalog.Ref, which func(*gorm.DB, definition) (*int64, error), check func(all []catalog.Document) error) error {
	return s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		d, err := find(tx, ref)
		if err != nil {
			return err
		}
		current, err := which(tx, d)
		if err != nil {
			return err
		}
		if err := tx.Model(&d).Update("current", current).Error; err != nil {
			return err
		}
		all, err := published(tx)
		if err != nil {
			return err
		}
		return check(all)
	})
}

// put puts one document. It is one decision, by what is stored, what is published and what the writer saw.
func put(tx *gorm.DB, d catalog.Document, save Save) (Stored, error) {
	stored := Stored{Ref: d.Ref, Change: Changed}
	row, err := find(tx.Joins("Published"), d.Ref)
	if errors.Is(err, ErrNone) {
		stored.Change = New
		row = definition{Kind: d.Kind, Name: d.Name}
		err = tx.Create(&row).Error
	}
	if err != nil {
		return stored, err
	}
	last, err := numbered(tx, row, 0)
	if err != nil && !errors.Is(err, ErrNone) {
		return stored, err
	}
	if saw, ok := save.Base[d.Ref]; ok && saw != last.Number {
		latest := Revision{Number: last.Number, SavedAt: last.SavedAt, SavedBy: last.SavedBy}
		return stored, &Conflict{Ref: d.Ref, Saw: saw, Latest: latest}
	}
	before := last // what readers see, where they see any
	if row.Published != nil {
		before = *row.Published
	}
	same := before
	if save.Draft {
		same = last
	}
	if same.ID != 0 && same.Text == d.Text && (save.Draft || row.Current != nil) {
		stored.Change, stored.Revision = Same, same.Number
		return stored, nil
	}
	if stored.Change == Changed {
		stored.Difference = difference.Between(before.Text, d.Text)
	}
	next := revision{DefinitionID: row.ID, Number: last.Number + 1, Text: d.Text, File: d.File, Line: d.Line,
		SavedAt: save.Now.UTC().Format(time.RFC3339), SavedBy: save.By}
	if err := tx.Create(&next).Error; err != nil {
		return stored, err
	}
	stored.Revision = next.Number
	if save.Draft {
		return stored, nil
	}
	return stored, tx.Model(&row).Omit("Published", "Revisions").Update("current", next.ID).Error
}

// PublishedBy is who saved the revision of a definition that readers see.
func (s *Store) PublishedBy(ctx context.Context, ref catalog.Ref) (string, error) {
	d, err := find(s.db.WithContext(ctx).Joins("Published"), ref)
	if err == nil && d.Published == nil {
		err = ErrNone
	}
	if err != nil {
		return "", err
	}
	return d.Published.SavedBy, nil
}
