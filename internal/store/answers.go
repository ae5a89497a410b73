package store

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// KeptAnswers is a row of the table kept_answers.
type KeptAnswers struct {
	ID      int64
	Person  string
	Report  string
	Name    string
	Shared  bool     // with everybody
	Groups  []string `gorm:"serializer:json"` // that they are shared with
	AsOf    string
	Answers json.RawMessage `gorm:"serializer:json"`
	View    json.RawMessage `gorm:"serializer:json"`
	KeptAt  time.Time       `gorm:"serializer:moment"`
}

// TableName is GORM's interface for the name of a model's table.
func (KeptAnswers) TableName() string { return "kept_answers" }

// KeepAnswers keeps answers under their name, in place of those that the person kept under it.
func (s *Store) KeepAnswers(ctx context.Context, k KeptAnswers) (KeptAnswers, error) {
	if k.Groups == nil {
		k.Groups = []string{}
	}
	unique := []clause.Column{{Name: "person"}, {Name: "report"}, {Name: "name"}}
	err := s.db.WithContext(ctx).Clauses(clause.OnConflict{Columns: unique, DoUpdates: clause.AssignmentColumns([]string{"shared", "groups", "as_of", "answers", "view", "kept_at"})}).Create(&k).Error
	if err != nil {
		return k, roomless(err)
	}
	var row KeptAnswers
	err = s.db.WithContext(ctx).Where("person = ? AND report = ? AND name = ?", k.Person, k.Report, k.Name).Take(&row).Error
	return row, err
}

// AnswersFor lists the answers that a person kept or others share with everybody or one of the person's
// groups, by name: of a report, or of all where that is "".
func (s *Store) AnswersFor(ctx context.Context, person string, groups []string, report string) (all []KeptAnswers, err error) {
	db := s.db.WithContext(ctx).Where("person = ? OR shared OR EXISTS (SELECT 1 FROM json_each(kept_answers.groups) WHERE value IN ?)", person, groups)
	if report != "" {
		db = db.Where("report = ?", report)
	}
	err = db.Order("name, person, report").Find(&all).Error
	return all, err
}

// AnswersKept finds kept answers by number; ErrNone where there are none.
func (s *Store) AnswersKept(ctx context.Context, id int64) (k KeptAnswers, err error) {
	return k, none(s.db.WithContext(ctx).Take(&k, id).Error)
}

// DeleteAnswers forgets kept answers.
func (s *Store) DeleteAnswers(ctx context.Context, id int64) error {
	return s.db.WithContext(ctx).Delete(&KeptAnswers{}, id).Error
}

// LiveLink is a row of the table live_links.
type LiveLink struct {
	ID        int64
	Person    string
	Role      string
	Report    string
	Name      string
	Token     []byte
	Format    string
	Form      json.RawMessage `gorm:"serializer:json"`
	Section   int
	AsOf      string
	Answers   json.RawMessage `gorm:"serializer:json"`
	View      json.RawMessage `gorm:"serializer:json"`
	MadeAt    time.Time       `gorm:"serializer:moment"`
	UsedAt    time.Time       `gorm:"serializer:moment"`
	Uses      int64
	RevokedAt time.Time `gorm:"serializer:moment"`
}

// hashed is what is kept of a token.
func hashed(token string) []byte {
	sum := sha256.Sum256([]byte(token))
	return sum[:]
}

// MakeLink keeps a live link with its token, of which only a hash is kept.
func (s *Store) MakeLink(ctx context.Context, l LiveLink, token string) (LiveLink, error) {
	l.Token = hashed(token)
	err := s.db.WithContext(ctx).Create(&l).Error
	return l, roomless(err)
}

// Links lists the live links of a person, or of everybody where that is "", the latest first.
func (s *Store) Links(ctx context.Context, person string) (all []LiveLink, err error) {
	err = s.db.WithContext(ctx).Where(&LiveLink{Person: person}).Order("id DESC").Find(&all).Error
	return all, err
}

// Link finds a live link by its number; ErrNone where there is none.
func (s *Store) Link(ctx context.Context, id int64) (l LiveLink, err error) {
	return l, none(s.db.WithContext(ctx).Take(&l, id).Error)
}

// LinkOf finds a live link by its token; ErrNone where there is none.
func (s *Store) LinkOf(ctx context.Context, token string) (l LiveLink, err error) {
	return l, none(s.db.WithContext(ctx).Where("token = ?", hashed(token)).Take(&l).Error)
}

// UsedLink puts on record that a live link was used.
func (s *Store) UsedLink(ctx context.Context, id int64, at time.Time) error {
	return s.db.WithContext(ctx).Model(&LiveLink{ID: id}).Updates(map[string]any{"used_at": moment(at), "uses": gorm.Expr("uses + 1")}).Error
}

// RevokeLink revokes a live link.
func (s *Store) RevokeLink(ctx context.Context, id int64, at time.Time) error {
	return s.db.WithContext(ctx).Model(&LiveLink{ID: id}).Update("revoked_at", moment(at)).Error
}
