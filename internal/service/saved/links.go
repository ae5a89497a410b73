package saved

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/prompt"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/base"
	"pikegate/internal/store"
)

// NewLink is a live link to be made.
type NewLink struct {
	Asked
	Name    string `json:"name" minLength:"1" maxLength:"80" doc:"What it is for."`
	Format  string `json:"format" enum:"csv,json" doc:"What it sends."`
	Section int    `json:"section,omitempty" minimum:"0" maximum:"1000" doc:"The number of the section that it sends; CSV has room for one, and takes the only table without it."`
	// Form is how CSV is written; what it says is the API's.
	Form json.RawMessage `json:"-"`
}

// Link is a live link, as it is listed.
type Link struct {
	ID        int64                     `json:"id" doc:"Its number."`
	Name      string                    `json:"name" doc:"What it is for."`
	Report    string                    `json:"report" doc:"Name of the report."`
	Title     string                    `json:"title" doc:"Its title; its name where there is no such report any more."`
	Person    string                    `json:"person" doc:"Who made it, and whose rights it has."`
	Format    string                    `json:"format" enum:"csv,json" doc:"What it sends."`
	Section   int                       `json:"section,omitempty" doc:"The number of the section that it sends."`
	AsOf      string                    `json:"as_of,omitempty" doc:"The day to take for today, where it is frozen; absent where phrases move."`
	Answers   map[string]prompt.Entered `json:"answers" doc:"As they were entered, by prompt."`
	View      answer.View               `json:"view" doc:"How the main table is seen."`
	MadeAt    time.Time                 `json:"made_at" doc:"When it was made."`
	UsedAt    *time.Time                `json:"used_at,omitempty" doc:"When it was used last; absent where it never was."`
	Uses      int64                     `json:"uses" doc:"How often it was used."`
	RevokedAt *time.Time                `json:"revoked_at,omitempty" doc:"When it was revoked; absent where it is not."`
	Form      json.RawMessage           `json:"-"`
	Role      string                    `json:"-"`
}

// mostLinks is how many live links a person may have that are not revoked.
const mostLinks = 200

// MakeLink makes a live link of answers that pass. Its token is told this once.
func (s *Saved) MakeLink(ctx context.Context, report string, n NewLink) (_ *Link, token string, err error) {
	asOf, err := s.checked(ctx, report, n.Asked)
	if err != nil {
		return nil, "", err
	}
	section := n.Section
	if section == 0 && n.Format == "csv" {
		section = answer.OnlyTable
	}
	of, err := s.base.Report(ctx, report)
	if err == nil {
		_, _, err = answer.Seen(of, section, n.View)
	}
	if err != nil {
		return nil, "", err
	}
	who := base.PersonOf(ctx)
	own, err := s.base.Store.Links(ctx, who.Name)
	if err != nil {
		return nil, "", err
	}
	open := 0
	for _, l := range own {
		if l.RevokedAt.IsZero() {
			open++
		}
	}
	if open >= mostLinks {
		return nil, "", &base.Refusal{Kind: fault.Conflict, Faults: fault.List{fault.New(fault.Conflict, "%s are open already; revoke some of them first", english.Count(open, "live link"))}}
	}
	answers, view, err := encoded(n.Asked)
	if err != nil {
		return nil, "", err
	}
	token = rand.Text() + rand.Text()
	row, err := s.base.Store.MakeLink(ctx, store.LiveLink{Person: who.Name, Role: who.Role, Report: report, Name: n.Name, Format: n.Format, Form: n.Form, Section: n.Section,
		AsOf: asOf, Answers: answers, View: view, MadeAt: s.base.Config().Now()}, token)
	if err != nil {
		return nil, "", err
	}
	l, err := s.toldLink(ctx, row)
	return l, token, err
}

func (s *Saved) toldLink(ctx context.Context, row store.LiveLink) (*Link, error) {
	l := &Link{ID: row.ID, Name: row.Name, Report: row.Report, Title: row.Report, Person: row.Person, Role: row.Role, Format: row.Format, Form: row.Form, Section: row.Section, AsOf: row.AsOf, MadeAt: row.MadeAt, Uses: row.Uses}
	if err := errors.Join(json.Unmarshal(row.Answers, &l.Answers), json.Unmarshal(row.View, &l.View)); err != nil {
		return nil, fmt.Errorf("live link %d cannot be read: %w", row.ID, err)
	}
	if report, err := s.base.Report(ctx, row.Report); err == nil {
		l.Title = report.Title
	}
	if !row.UsedAt.IsZero() {
		l.UsedAt = &row.UsedAt
	}
	if !row.RevokedAt.IsZero() {
		l.RevokedAt = &row.RevokedAt
	}
	return l, nil
}

// Links lists the live links of the person, the latest first; of everybody for an admin.
func (s *Saved) Links(ctx context.Context) ([]Link, error) {
	who := base.PersonOf(ctx)
	of := who.Name
	if who.Role == "admin" {
		of = ""
	}
	rows, err := s.base.Store.Links(ctx, of)
	if err != nil {
		return nil, err
	}
	rows = slices.DeleteFunc(rows, func(l store.LiveLink) bool { return s.base.IsHidden(ctx, l.Report) })
	return each(ctx, rows, s.toldLink)
}

// Revoke revokes a live link of one's own; an admin revokes any.
func (s *Saved) Revoke(ctx context.Context, id int64) error {
	who := base.PersonOf(ctx)
	row, err := s.base.Store.Link(ctx, id)
	if errors.Is(err, store.ErrNone) || err == nil && row.Person != who.Name && who.Role != "admin" {
		return unknown(fault.UnknownLink, "no live link %d", id)
	}
	if err != nil || !row.RevokedAt.IsZero() {
		return err
	}
	return s.base.Store.RevokeLink(ctx, id, s.base.Config().Now())
}

// Use finds a live link by its token, and puts on record that it is used. One that was revoked is
// refused.
func (s *Saved) Use(ctx context.Context, token string) (*Link, error) {
	row, err := s.base.Store.LinkOf(ctx, token)
	switch {
	case errors.Is(err, store.ErrNone):
		return nil, &base.Refusal{Kind: fault.Unknown, Faults: fault.List{fault.New(fault.UnknownLink, "there is no such live link")}}
	case err != nil:
		return nil, err
	case !row.RevokedAt.IsZero():
		return nil, &base.Refusal{Kind: fault.LinkRevoked, Faults: fault.List{fault.New(fault.LinkRevoked, "this live link was revoked on %s; ask %s for another", row.RevokedAt.UTC().Format("2 Jan 2006"), row.Person)}}
	}
	if err := s.base.Store.UsedLink(ctx, row.ID, s.base.Config().Now()); err != nil {
		s.base.Log.WarnContext(ctx, "the use of a live link could not be put on record", "link", row.ID, "error", err)
	}
	return s.toldLink(ctx, row)
}
