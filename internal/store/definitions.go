package store

import (
	"context"
	"errors"
	"time"

	"gorm.io/gorm"

	"pikegate/internal/core/definition"
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
	definition.Ref
	Change   Change
	Revision int
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
func (s *Store) Published(ctx context.Context) ([]definition.Document, error) {
	return published(s.db.WithContext(ctx))
}

func published(db *gorm.DB) ([]definition.Document, error) {
	var docs []definition.Document
	err := db.Raw(`SELECT d.kind, d.name, r.text, r.file, r.line
		FROM definitions d JOIN revisions r ON r.id = d.current ORDER BY d.kind, d.name`).Scan(&docs).Error
	return docs, err
}

// Put stores documents as published revisions, all or none. check is handed
// every definition as it will be, within the same transaction, and its error
// leaves all as it was.
func (s *Store) Put(ctx context.Context, docs []definition.Document, by string, now time.Time, check func(all []definition.Document) error) ([]Stored, error) {
	var stored []Stored
	err := s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		stored = make([]Stored, len(docs))
		for i, d := range docs {
			one, err := put(tx, d, by, now)
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

func put(tx *gorm.DB, d definition.Document, by string, now time.Time) (Stored, error) {
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
	if row.Current != nil && last.ID == *row.Current && last.Text == d.Text {
		stored.Change, stored.Revision = Same, last.Number
		return stored, nil
	}
	next := revisionRow{DefinitionID: row.ID, Number: last.Number + 1, Text: d.Text, File: d.File, Line: d.Line,
		SavedAt: now.UTC().Format(time.RFC3339), SavedBy: by}
	if err := tx.Create(&next).Error; err != nil {
		return stored, err
	}
	stored.Revision = next.Number
	return stored, tx.Model(&row).Update("current", next.ID).Error
}
