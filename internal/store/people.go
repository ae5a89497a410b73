package store

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Person is a row of the table people.
type Person struct {
	ID       int64
	Name     string
	Role     string
	Password string    // what Argon2id made of it, "" for who has none
	Shelves  []string  `gorm:"serializer:json"`
	MadeAt   time.Time `gorm:"serializer:moment"`
	AwayAt   time.Time `gorm:"serializer:moment"`
	// Attributes are what conditions can ask of them.
	Attributes map[string][]string `gorm:"serializer:json"`
	// OpenID is who they are at the provider that they sign in at, "" for who do not.
	OpenID string `gorm:"column:openid"`
}

// Group is a row of the table groups: what several people may, beside what each may.
type Group struct {
	ID         int64
	Name       string
	Role       string              // "" for none
	Shelves    []string            `gorm:"serializer:json"`
	Attributes map[string][]string `gorm:"serializer:json"`
	Members    []Person            `gorm:"many2many:members"`
}

// PassKind is what a pass is for.
type PassKind string

// The kinds of passes.
const (
	Session PassKind = "session"
	Token   PassKind = "token"
)

// Pass is a row of the table passes: what lets a person in without a password.
type Pass struct {
	ID       int64
	PersonID int64
	Kind     PassKind
	Name     string
	Role     string
	Secret   []byte
	Address  string
	MadeAt   time.Time `gorm:"serializer:moment"`
	UsedAt   time.Time `gorm:"serializer:moment"`
	EndsAt   time.Time `gorm:"serializer:moment"`
}

// AuditEntry is a row of the table audit.
type AuditEntry struct {
	ID      int64     `json:"id" doc:"Its number; the first is 1."`
	At      time.Time `json:"at" gorm:"serializer:moment" doc:"When it was."`
	Person  string    `json:"person" doc:"Who did it, or tried to."`
	Action  string    `json:"action" doc:"What was done."`
	Subject string    `json:"subject" doc:"What it was done to."`
	Hash    []byte    `json:"-"`
}

// TableName is GORM's interface for the name of a model's table.
func (AuditEntry) TableName() string { return "audit" }

// hashed is the hash of an entry, over the one before and all that it says.
func (e AuditEntry) hashed(before []byte) []byte {
	text, err := json.Marshal([]any{e.ID, moment(e.At), e.Person, e.Action, e.Subject})
	if err != nil {
		panic("store: an entry of the audit cannot be written: " + err.Error())
	}
	sum := sha256.Sum256(append(bytes.Clone(before), text...))
	return sum[:]
}

// Audited does something and puts on record that it was done, both or neither. What is done may be
// nil.
func (s *Store) Audited(ctx context.Context, e AuditEntry, do func(tx *gorm.DB) error) error {
	err := s.db.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if do != nil {
			if err := do(tx); err != nil {
				return err
			}
		}
		var last AuditEntry
		if err := tx.Order("id DESC").Take(&last).Error; err != nil && !errors.Is(err, gorm.ErrRecordNotFound) {
			return err
		}
		e.ID = last.ID + 1
		e.Hash = e.hashed(last.Hash)
		return tx.Create(&e).Error
	})
	return roomless(err)
}

// Audit lists what was done before an entry, the latest first; before 0 the latest of all.
func (s *Store) Audit(ctx context.Context, before int64, most int) (all []AuditEntry, err error) {
	db := s.db.WithContext(ctx)
	if before > 0 {
		db = db.Where("id < ?", before)
	}
	err = db.Order("id DESC").Limit(most).Find(&all).Error
	return all, err
}

// VerifyAudit holds each entry to its hash, and to there being none left out. It tells how many
// there are, and the first that does not hold; 0 where all do.
func (s *Store) VerifyAudit(ctx context.Context) (entries, wrong int64, err error) {
	rows, err := s.db.WithContext(ctx).Model(&AuditEntry{}).Order("id").Rows()
	if err != nil {
		return 0, 0, err
	}
	defer rows.Close()
	var before []byte
	for rows.Next() {
		var e AuditEntry
		if err := s.db.ScanRows(rows, &e); err != nil {
			return entries, wrong, err
		}
		entries++
		if wrong == 0 && (e.ID != entries || !bytes.Equal(e.Hash, e.hashed(before))) {
			wrong = entries
		}
		before = e.Hash
	}
	return entries, wrong, rows.Err()
}

// ErrTaken is for a name that somebody has.
var ErrTaken = errors.New("the name is taken")

// AddPerson adds a person, on record as done by another. A name is there once, however its letters
// are written; ErrTaken tells of one that is.
func (s *Store) AddPerson(ctx context.Context, p Person, by AuditEntry) error {
	return s.Audited(ctx, by, func(tx *gorm.DB) error {
		added := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&p)
		if added.Error == nil && added.RowsAffected == 0 {
			return ErrTaken
		}
		return added.Error
	})
}

// SetOpenID makes a person the one that they are at the provider; ErrTaken where they are one there already.
func (s *Store) SetOpenID(ctx context.Context, p Person, by AuditEntry) error {
	return s.Audited(ctx, by, func(tx *gorm.DB) error {
		set := tx.Model(&Person{}).Where("id = ? AND openid = ''", p.ID).Update("openid", p.OpenID)
		if set.Error == nil && set.RowsAffected == 0 {
			return ErrTaken
		}
		return set.Error
	})
}

// SetPerson changes a person; where ends is true, what lets them in without a password ends.
func (s *Store) SetPerson(ctx context.Context, p Person, ends bool, by AuditEntry) error {
	return s.Audited(ctx, by, func(tx *gorm.DB) error {
		if ends {
			if err := tx.Where(&Pass{PersonID: p.ID}).Delete(&Pass{}).Error; err != nil {
				return err
			}
		}
		return tx.Save(&p).Error
	})
}

// People lists all people by name.
func (s *Store) People(ctx context.Context) (all []Person, err error) {
	return all, s.db.WithContext(ctx).Order("name").Find(&all).Error
}

// PersonNamed finds a person, however the letters of the name are written; ErrNone where there is none.
func (s *Store) PersonNamed(ctx context.Context, name string) (p Person, err error) {
	return p, none(s.db.WithContext(ctx).Where("name = ?", name).Take(&p).Error)
}

// PersonOpenID finds a person by who they are at the provider that they sign in at; ErrNone where there is none.
func (s *Store) PersonOpenID(ctx context.Context, openid string) (p Person, err error) {
	return p, none(s.db.WithContext(ctx).Where("openid = ? AND openid <> ''", openid).Take(&p).Error)
}

// SetPersonIn changes a person and which groups they are in.
func (s *Store) SetPersonIn(ctx context.Context, p Person, groups []Group, by AuditEntry) error {
	return s.Audited(ctx, by, func(tx *gorm.DB) error {
		if err := tx.Save(&p).Error; err != nil {
			return err
		}
		if err := tx.Exec("DELETE FROM members WHERE person_id = ?", p.ID).Error; err != nil {
			return err
		}
		for i := range groups {
			if err := tx.Omit("Members.*").Model(&groups[i]).Association("Members").Append(&p); err != nil {
				return err
			}
		}
		return nil
	})
}

// Groups lists all groups with their members, by name.
func (s *Store) Groups(ctx context.Context) (all []Group, err error) {
	return all, s.db.WithContext(ctx).Preload("Members", func(db *gorm.DB) *gorm.DB { return db.Order("name") }).Order("name").Find(&all).Error
}

// GroupsOf lists the groups that a person is in, by name, without their members.
func (s *Store) GroupsOf(ctx context.Context, person int64) (all []Group, err error) {
	return all, s.db.WithContext(ctx).Where("id IN (SELECT group_id FROM members WHERE person_id = ?)", person).Order("name").Find(&all).Error
}

// SetGroup adds a group or changes the one of its name, with the members that it has from now on.
func (s *Store) SetGroup(ctx context.Context, g Group, by AuditEntry) error {
	return s.Audited(ctx, by, func(tx *gorm.DB) error {
		var known Group
		if err := tx.Where("name = ?", g.Name).Take(&known).Error; err != nil && !errors.Is(err, gorm.ErrRecordNotFound) {
			return err
		}
		g.ID = known.ID
		members := g.Members
		g.Members = nil
		if err := tx.Omit(clause.Associations).Save(&g).Error; err != nil {
			return err
		}
		return tx.Omit("Members.*").Model(&g).Association("Members").Replace(members)
	})
}

// DropGroup drops a group; ErrNone where there is none of that name.
func (s *Store) DropGroup(ctx context.Context, name string, by AuditEntry) error {
	return s.Audited(ctx, by, func(tx *gorm.DB) error {
		gone := tx.Where("name = ?", name).Delete(&Group{})
		if gone.Error == nil && gone.RowsAffected == 0 {
			return ErrNone
		}
		return gone.Error
	})
}

// AddPass keeps a pass with its secret, of which only a hash is kept.
func (s *Store) AddPass(ctx context.Context, p Pass, secret string, by AuditEntry) (Pass, error) {
	p.Secret = hashed(secret)
	err := s.Audited(ctx, by, func(tx *gorm.DB) error { return tx.Create(&p).Error })
	return p, err
}

// PassOf finds a pass that has not ended by its secret, and whose it is; ErrNone where there is none.
func (s *Store) PassOf(ctx context.Context, secret string, now time.Time) (pass Pass, of Person, err error) {
	db := s.db.WithContext(ctx)
	if err := db.Where("secret = ?", hashed(secret)).Take(&pass).Error; err != nil {
		return pass, of, none(err)
	}
	if !now.Before(pass.EndsAt) {
		return pass, of, ErrNone
	}
	if err := db.Take(&of, pass.PersonID).Error; err != nil {
		return pass, of, none(err)
	}
	return pass, of, nil
}

// PassUsed puts on record that a pass is used.
func (s *Store) PassUsed(ctx context.Context, id int64, now time.Time) error {
	used := Pass{UsedAt: now}
	return s.db.WithContext(ctx).Model(&Pass{ID: id}).Select("used_at").Updates(&used).Error
}

// Passes lists the passes of a person that have not ended, the latest first.
func (s *Store) Passes(ctx context.Context, person int64, now time.Time) (all []Pass, err error) {
	err = s.db.WithContext(ctx).Where("person_id = ? AND ends_at > ?", person, moment(now)).Order("id DESC").Find(&all).Error
	return all, err
}

// EndPasses ends passes of a person: one, or where it is 0 all of a kind, or of all kinds where that
// is "". It returns how many ended.
func (s *Store) EndPasses(ctx context.Context, person, id int64, kind PassKind, by AuditEntry) (ended int64, err error) {
	err = s.Audited(ctx, by, func(tx *gorm.DB) error {
		gone := tx.Where(&Pass{PersonID: person, ID: id, Kind: kind}).Delete(&Pass{})
		ended = gone.RowsAffected
		if gone.Error == nil && id != 0 && ended == 0 {
			return fmt.Errorf("pass %d: %w", id, ErrNone)
		}
		return gone.Error
	})
	return ended, err
}
