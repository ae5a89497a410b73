package base

import (
	"cmp"
	"log/slog"
	"path/filepath"
	"time"

	"pikegate/internal/core/phrase"
	"pikegate/internal/deliver"
	"pikegate/internal/load"
	"pikegate/internal/source"
)

// Config is what a service is started with.
type Config struct {
	Dir      string          // where its files lie
	DayOrder phrase.DayOrder // for days that are all digits
	// FiscalStart is the month that the business's year starts with, 0 for none.
	FiscalStart time.Month
	RunTime     time.Duration // the longest that a run may take
	// EvidenceTime is the longest that its evidence may take after it; 0 for as long as
	// the run.
	EvidenceTime time.Duration
	KeepDays     int // how long receipts are kept; 0 for ever
	// Checks, Uploads and Inspections are how many of each go on at once; others wait, or of
	// uploads are turned away. 2, 4 and 2 where they are 0.
	Checks, Uploads, Inspections int
	// OwnBytes is the most that the service's own records may take; 0 for any number.
	OwnBytes int64
	// SmallTable is up to how many records a table is counted whole at each run, 200,000 where
	// it is 0.
	SmallTable int
	// SpoolBytes is the most of a result that waits on the disk for a slow reader, 1 GiB where
	// it is 0.
	SpoolBytes int64
	// KeepResults is how long the rows of a run are kept after it, 0 for not at all. ResultBytes is
	// the most that is kept of one run, ResultsBytes of all; 64 MiB and 1 GiB where they are 0.
	KeepResults               time.Duration
	ResultBytes, ResultsBytes int64
	// LoadBytes is the most that a file to be loaded may have, 512 MiB where it is 0; Loads is
	// how much such a file may hold.
	LoadBytes int64
	Loads     load.Limits
	// Functions are those that custom SQL may call, beside the engines' own that only compute.
	Functions []string
	// Sources are where sources may be and what they may refer to. Its Dir is that of the
	// service.
	Sources source.Rules
	// People is whether one has to sign in even before anybody may. SessionIdle is how long a session
	// lasts without use, SessionTime how long at most; 12 hours and 7 days where they are 0.
	People                   bool
	SessionIdle, SessionTime time.Duration
	// OpenID is the provider that people may sign in at.
	OpenID OpenID
	// Address is where people reach the service, for links; "" for no links.
	Address string
	// Mail is the server that mails are sent by. MailDomains are those that mails may go to, any where
	// there are none; MailBytes is the most that is attached to one, 10 MiB where it is 0.
	Mail        deliver.Server
	MailDomains []string
	MailBytes   int64
	// Deliveries is the directory that results are put into, HookHosts are the hosts that they may be
	// posted to; none where they are empty.
	Deliveries string
	HookHosts  []string
	// KeptMail is where the mail stand-in keeps mails, "" where there is none.
	KeptMail string
	Now      func() time.Time
	// Log is where it logs to, slog.Default() where it is nil.
	Log *slog.Logger
}

const (
	usualLoadBytes  = 512 << 20
	usualSpoolBytes = 1 << 30
	usualSmallTable = 200_000

	usualResultBytes  = 64 << 20
	usualResultsBytes = 1 << 30
)

// ownFile is the file of the service's own records, in its directory.
const ownFile = "pikegate.db"

// OpenID is a provider that people sign in at by OpenID Connect, none where Issuer is "".
type OpenID struct {
	Issuer, Client, Secret string
	Name                   string   // the claim that is a person's name
	Adds                   string   // the role that somebody gets who is not known here; "" where nobody is let in so
	Attributes             []string // the claims that are attributes of people
	Groups                 string   // the claim that names the groups of people, "" for none
}

// whole is the configuration with what is as usual where nothing is said.
func (c Config) whole() *Config {
	c.EvidenceTime = cmp.Or(c.EvidenceTime, c.RunTime)
	c.LoadBytes, c.SpoolBytes = cmp.Or(c.LoadBytes, usualLoadBytes), cmp.Or(c.SpoolBytes, usualSpoolBytes)
	c.SmallTable = cmp.Or(c.SmallTable, usualSmallTable)
	return &c
}

// Config is how the service is configured now. Nobody changes it; Configure puts another one in its place.
func (s *Base) Config() *Config { return s.config.Load() }

// Configure configures the service anew, for what begins from now on. What it does at its start alone stays
// as it was then: the caller hands in the same of that.
func (s *Base) Configure(c Config) {
	s.config.Store(c.whole())
}

func (c Config) log() *slog.Logger { return cmp.Or(c.Log, slog.Default()) }

// rules are those of the sources of the service.
func (c Config) rules() source.Rules {
	rules := c.Sources
	rules.Log = c.log()
	rules.Dir, rules.Reserved = c.Dir, []string{ownFile, ownFile + "-wal", ownFile + "-shm", lockFile}
	return rules
}

// OwnPath is the file of the service's own records in a directory.
func OwnPath(dir string) string { return filepath.Join(dir, ownFile) }

// RecordsPath is the file of the embedded business records in a directory.
func RecordsPath(dir string) string { return filepath.Join(dir, source.EmbeddedFile) }
