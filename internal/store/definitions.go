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

type definitionRow struct {
	ID      int64
	Kind    string
	Name    string
	Current *int64
}

func (definitionRow) TableName() string { return "definitions" }

type revisionRow struct {
	ID           int64
	DefinitionID int64
	Number       int
	Text         string
	File         string
	Line         int
	SavedAt      string
	SavedBy      string
}

func (revisionRow) TableName() string { return "revisions" }

// Published returns the published revision of every definition, as documents.
func (s *Store) Published(ctx context.Context) ([]catalog.Document, error) {
	return published(s.db.WithContext(ctx))
}

func published(db *gorm.DB) ([]catalog.Document, error) {
	var docs []catalog.Document
	err := db.Raw(`SELECT d.kind, d.name, r.text, r.file, r.line, r.number AS revision
		FROM definitions d JOIN revisions r ON r.id = d.current ORDER BY d.kind, d.name`).Scan(&docs).Error
	return docs, err
}

// Save is how documents are put.
type Save struct {
	By    string
	Now   time.Time
	Draft bool                // keep what is published
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
	var all []Revision
	err := s.db.WithContext(ctx).Raw(`SELECT r.number, r.saved_at, r.saved_by, r.id = d.current AS published
		FROM definitions d JOIN revisions r ON r.definition_id = d.id WHERE d.kind = ? AND d.name = ? ORDER BY r.number DESC`, ref.Kind, ref.Name).Scan(&all).Error
	if err == nil && len(all) == 0 {
		err = ErrNone
	}
	return all, err
}

// Document returns a revision of a definition; of number 0 the published one.
func (s *Store) Document(ctx context.Context, ref catalog.Ref, number int) (catalog.Document, int, error) {
	var row revisionRow
	err := s.db.WithContext(ctx).Raw(`SELECT r.text, r.file, r.line, r.number
		FROM definitions d JOIN revisions r ON r.definition_id = d.id
		WHERE d.kind = ? AND d.name = ? AND (r.number = ? OR ? = 0 AND r.id = d.current)`, ref.Kind, ref.Name, number, number).Scan(&row).Error
	if err == nil && row.Number == 0 {
		err = ErrNone
	}
	return catalog.Document{Ref: ref, Text: row.Text, File: row.File, Line: row.Line}, row.Number, err
}

// Publish makes a revision the one that readers see; of number 0 the latest. A
// negative number takes the definition away from readers and keeps its revisions.
func (s *Store) Publish(ctx context.Context, ref catalog.Ref, number int, check func(all []catalog.Document) error) error {
	return s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		result := tx.Exec(`UPDATE definitions SET current = (SELECT r.id FROM revisions r WHERE r.definition_id = definitions.id AND (r.number = ? OR ? = 0) ORDER BY r.number DESC LIMIT 1)
			WHERE kind = ? AND name = ? AND (? < 0 OR EXISTS (SELECT 1 FROM revisions r WHERE r.definition_id = definitions.id AND (r.number = ? OR ? = 0)))`,
			number, number, ref.Kind, ref.Name, number, number, number)
		if result.Error != nil {
			return result.Error
		}
		if result.RowsAffected == 0 {
			return ErrNone
		}
		all, err := published(tx)
		if err != nil {
			return err
		}
		return check(all)
	})
}

func put(tx *gorm.DB, d catalog.Document, save Save) (Stored, error) {
	stored := Stored{Ref: d.Ref, Change: Changed}
	var row definitionRow
	err := tx.Where("kind = ? AND name = ?", d.Kind, d.Name).Take(&row).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		stored.Change = New
		row = definitionRow{Kind: string(d.Kind), Name: d.Name}
		err = tx.Create(&row).Error
	}
	if err != nil {
		return stored, err
	}
	var last revisionRow
	err = tx.Where("definition_id = ?", row.ID).Order("number DESC").Limit(1).Find(&last).Error
	if err != nil {
		return stored, err
	}
	if saw, ok := save.Base[d.Ref]; ok && saw != last.Number {
		latest := Revision{Number: last.Number, SavedAt: last.SavedAt, SavedBy: last.SavedBy}
		return stored, &Conflict{Ref: d.Ref, Saw: saw, Latest: latest}
	}
	before := last // what readers see, where they see any
	if row.Current != nil && last.ID != *row.Current {
		before = revisionRow{}
		if err := tx.Where("id = ?", *row.Current).Take(&before).Error; err != nil {
			return stored, err
		}
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
	next := revisionRow{DefinitionID: row.ID, Number: last.Number + 1, Text: d.Text, File: d.File, Line: d.Line,
		SavedAt: save.Now.UTC().Format(time.RFC3339), SavedBy: save.By}
	if err := tx.Create(&next).Error; err != nil {
		return stored, err
	}
	stored.Revision = next.Number
	if save.Draft {
		return stored, nil
	}
	return stored, tx.Model(&row).Update("current", next.ID).Error
}
