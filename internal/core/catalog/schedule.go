package catalog

import (
	"fmt"
	"time"

	"pikegate/internal/core/english"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/timetable"
)

// Schedule is a report with the times at which it is run, and where its results are sent.
type Schedule struct {
	Name    string
	Report  *Report
	Answers map[string]prompt.Entered
	At      timetable.Times
	Zone    *time.Location // whose clocks show the times
	// SkipMissed leaves out what fell due while the service was down, in place of running it once.
	SkipMissed bool
	Send       []Sending
	// Check is what is checked in place of running a report, nil for a schedule that runs one. Tell are
	// addresses that are told, beside the owner's, when something starts to fail and when all holds again.
	Check *Checks
	Tell  []string
}

// Checks is what a schedule checks.
type Checks struct {
	Proofs   []*Proof // nil for all that there are then
	Findings bool     // whether all that is published is held against its databases too
}

// String says what is checked, in words.
func (c *Checks) String() string {
	if c.Findings {
		return "all proofs, and what is found in definitions"
	}
	if c.Proofs == nil {
		return "all proofs"
	}
	var names []string
	for _, p := range c.Proofs {
		names = append(names, p.Name)
	}
	if len(names) == 1 {
		return "the proof " + names[0]
	}
	return "the proofs " + english.Both(names)
}

// Sending is one place that results are sent to: a mail, a folder or a web hook, one of them.
type Sending struct {
	Mail   *Mail
	Folder *Folder
	Hook   *Hook
	When   When
}

// String says where it is sent, in words.
func (s Sending) String() string {
	switch {
	case s.Mail != nil:
		return "mail"
	case s.Folder != nil:
		return "folder " + s.Folder.Path
	}
	return "hook " + s.Hook.URL
}

// Mail is who gets a result by mail, and in which formats it is attached.
type Mail struct {
	To     []string
	Attach []string // names of formats of results
}

// Folder is where a result is put as a file. Path is relative, and Name may have {as_of}, {date}, {time},
// {schedule} and {receipt} in it.
type Folder struct {
	Path, Name, Format string
	Keep               int // days, 0 for ever
}

// Hook is where a result is posted to as JSON. Secret is what the signature is made with.
type Hook struct {
	URL    string
	Secret Reference
}

// When is on which results something is sent.
type When struct {
	Kind WhenKind
	More int64 // of WhenMore: than so many records
}

// WhenKind is what a result has to be.
type WhenKind string

const (
	WhenAlways  WhenKind = "always"
	WhenRecords WhenKind = "records" // there are some
	WhenChanged WhenKind = "changed" // they are other ones than those of the run before
	WhenMore    WhenKind = "records more than"
)

// String is as a definition writes it.
func (w When) String() string {
	if w.Kind == WhenMore {
		return fmt.Sprintf("%s %d", w.Kind, w.More)
	}
	return string(w.Kind)
}
