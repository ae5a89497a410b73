// Package service is what the product does: it keeps definitions, understands
// answers, and runs reports. The API, the command line and the console all
// come through here; what things mean is in the core.
package service

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"golang.org/x/sync/semaphore"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/definition"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
	"pikegate/internal/load"
	"pikegate/internal/source"
	"pikegate/internal/store"
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
	// SpoolBytes is the most of a result that waits on the disk for a slow reader, 1 GiB where
	// it is 0.
	SpoolBytes int64
	// LoadBytes is the most that a file to be loaded may have, 512 MiB where it is 0; Loads is
	// how much such a file may hold.
	LoadBytes int64
	Loads     load.Limits
	// Functions are those that custom SQL may call, beside the engines' own that only compute.
	Functions []string
	// Sources are where sources may be and what they may refer to. Its Dir is that of the
	// service.
	Sources source.Rules
	Now     func() time.Time
}

const (
	usualLoadBytes  = 512 << 20
	usualSpoolBytes = 1 << 30
)

// ownFile is the file of the service's own records, in its directory.
const ownFile = "pikegate.db"

// rules are those of the sources of the service.
func (c Config) rules() source.Rules {
	rules := c.Sources
	rules.Dir, rules.Reserved = c.Dir, []string{ownFile, ownFile + "-wal", ownFile + "-shm", lockFile}
	return rules
}

// RecordsPath is the file of the embedded business records in a directory.
func RecordsPath(dir string) string { return filepath.Join(dir, source.EmbeddedFile) }

// todaySetting is the day that the service takes for today; unset, it is the
// day that clocks show in the zone of the report.
const todaySetting = "today"

// Service is safe for concurrent use.
type Service struct {
	config  Config
	locked  *os.File // which keeps the directory for this service
	store   *store.Store
	sources *source.Pool
	today   atomic.Int64 // a civil.Day; the zero Day: what clocks show

	spool       spool
	uploads     chan struct{}       // one for each file that is being taken in
	loading     *semaphore.Weighted // of one: a load at a time
	checks      *semaphore.Weighted // of the uploads that are being checked
	inspections *semaphore.Weighted
	changing    sync.Mutex   // so that catalogs follow each other as they were stored
	changes     atomic.Int64 // how many there were
	published   atomic.Pointer[published]
	running     atomic.Int64   // runs that are being streamed
	stopped     sync.WaitGroup // what goes on by itself
	close       func() error
}

// published is what readers see at one time: the definitions, and the SQL that
// was made of their columns.
type published struct {
	*catalog.Catalog
	broken    map[catalog.Ref]fault.List // what is stored and does not fit any more
	revisions map[catalog.Ref]int
	relations sync.Map // *definition.Dataset to *relation
	extents   sync.Map // *record.Column to knownExtent
	strips    remembered[stripOf, knownStrip]
	fits      sync.Map // *definition.Dataset to knownFits
	built     sync.Map // name of a report to []Revised
}

func (s *Service) publish(c *catalog.Catalog, docs []catalog.Document, broken map[catalog.Ref]fault.List) {
	p := &published{Catalog: c, broken: broken, revisions: map[catalog.Ref]int{}}
	for _, d := range docs {
		p.revisions[d.Ref] = d.Revision
	}
	s.published.Store(p)
	used := map[catalog.Connection]bool{}
	for _, from := range c.Sources {
		used[from.At] = true
	}
	s.sources.Keep(used)
}

// forget forgets what is known of the data, since they have changed.
func (p *published) forget() {
	p.extents.Clear()
	p.strips.clear()
	p.fits.Clear()
	p.relations.Clear()
}

// builtOf lists the definitions that a report is made of, itself first, with their
// revisions.
func (p *published) builtOf(report string) []Revised {
	if known, ok := p.built.Load(report); ok {
		return known.([]Revised)
	}
	var all []Revised
	for _, ref := range p.PartsOf(catalog.Ref{Kind: catalog.KindReport, Name: report}) {
		all = append(all, Revised{Kind: ref.Kind, Name: ref.Name, Revision: p.revisions[ref]})
	}
	p.built.Store(report, all)
	return all
}

// Open opens the service's files, and makes its own where there is none.
func Open(ctx context.Context, c Config) (*Service, error) {
	held, err := lock(c.Dir)
	if err != nil {
		return nil, err
	}
	spool, err := openSpool(c.Dir)
	if err != nil {
		held.Close()
		return nil, err
	}
	own, err := openOwn(c)
	if err != nil {
		held.Close()
		return nil, err
	}
	c.EvidenceTime = cmp.Or(c.EvidenceTime, c.RunTime)
	c.LoadBytes, c.SpoolBytes = cmp.Or(c.LoadBytes, usualLoadBytes), cmp.Or(c.SpoolBytes, usualSpoolBytes)
	s := &Service{spool: spool, uploads: make(chan struct{}, cmp.Or(c.Uploads, usualUploads)), loading: semaphore.NewWeighted(1), checks: semaphore.NewWeighted(int64(cmp.Or(c.Checks, usualChecks))), inspections: semaphore.NewWeighted(int64(cmp.Or(c.Inspections, usualInspections))), config: c, locked: held, store: own, sources: source.NewPool(c.rules())}
	background, stop := context.WithCancel(context.WithoutCancel(ctx))
	s.close = sync.OnceValue(func() error {
		stop()
		s.stopped.Wait()
		for range endTime / endStep { // until those that were cut off are on record as such
			if s.running.Load() == 0 {
				break
			}
			time.Sleep(endStep)
		}
		return errors.Join(s.sources.Close(), s.store.Close(), s.locked.Close())
	})
	if err := s.load(ctx); err != nil {
		s.Close()
		return nil, err
	}
	s.stopped.Go(func() { s.prune(background) })
	return s, nil
}

// openOwn opens the service's own records, which like all its files are for nobody else.
func openOwn(c Config) (*store.Store, error) {
	for _, path := range []string{filepath.Join(c.Dir, ownFile), RecordsPath(c.Dir)} {
		for _, beside := range []string{"", "-wal", "-shm"} {
			if err := os.Chmod(path+beside, 0o600); err != nil && !errors.Is(err, fs.ErrNotExist) {
				return nil, err
			}
		}
	}
	return store.Open(filepath.Join(c.Dir, ownFile), c.OwnBytes)
}

func (s *Service) load(ctx context.Context) error {
	text, err := s.store.Setting(ctx, todaySetting)
	if err != nil {
		return fmt.Errorf("read the service's settings: %w", err)
	}
	today, _ := civil.ParseDay(text)
	s.today.Store(int64(today))
	docs, err := s.store.Published(ctx)
	if err != nil {
		return fmt.Errorf("read the definitions: %w", err)
	}
	defs, broken := definition.Load(docs, s.setting(s.Today(time.UTC), time.UTC), s.config.Functions...)
	for ref, faults := range broken {
		for _, f := range faults {
			slog.ErrorContext(ctx, "a stored definition is left out", "definition", ref.String(), "fault", f.Error())
		}
	}
	s.publish(defs, docs, broken)
	return nil
}

// endTime is the longest that closing waits for runs whose readers were cut off, looking
// every endStep.
const (
	endTime = 3 * time.Second
	endStep = 10 * time.Millisecond
)

// Close closes the service's files. It may be called again, which does nothing.
func (s *Service) Close() error {
	return s.close()
}

// Ready reports whether the service can do its work: its records can be read, and runs can
// be put on record.
func (s *Service) Ready(ctx context.Context) error {
	return errors.Join(s.store.Ping(ctx), s.spool.room(0))
}

// SetToday makes the service take a day for today, whatever clocks show.
func (s *Service) SetToday(ctx context.Context, d civil.Day) error {
	s.today.Store(int64(d))
	return s.store.SetSetting(ctx, todaySetting, d.String())
}

// FixedToday is the day that the service was told to take for today; not
// valid where it goes by the clock.
func (s *Service) FixedToday() civil.Day { return civil.Day(s.today.Load()) }

// Today is the current day in the zone.
func (s *Service) Today(zone *time.Location) civil.Day {
	if fixed := s.FixedToday(); fixed.IsValid() {
		return fixed
	}
	return civil.DayAt(s.config.Now().Unix(), zone)
}

// setting is what answers are read by. As of the day that clocks show, it is the
// time that they show; as of any other, the last second of the day.
func (s *Service) setting(asOf civil.Day, zone *time.Location) phrase.Setting {
	setting := phrase.Setting{AsOf: asOf, Order: s.config.DayOrder, FiscalStart: s.config.FiscalStart, Zone: zone, Now: s.config.Now().Unix()}
	if s.FixedToday().IsValid() || civil.DayAt(setting.Now, zone) != asOf {
		setting.Now = civil.FirstInstant(asOf+1, zone) - 1
	}
	if p := s.published.Load(); p != nil {
		setting.Seasons = p.Seasons
	}
	return setting
}

// asOf reads the as-of day that a caller passed; today where there is none.
func (s *Service) asOf(text string, zone *time.Location) (civil.Day, error) {
	today := s.Today(zone)
	if text == "" {
		return today, nil
	}
	r, f := phrase.Day(text, s.setting(today, zone))
	if f != nil {
		f.Message = "as of: " + f.Message
		return 0, &Refusal{Kind: AnswersRefused, Faults: fault.List{f}}
	}
	return r.Period.First, nil
}

// Kind is the kind of a refusal.
type Kind string

const (
	Unknown            Kind = "unknown"             // no report of that name
	DefinitionInError  Kind = "definition_in_error" // a report that is stored and does not fit any more
	AnswersRefused     Kind = "answers_refused"     // answers that do not pass
	DefinitionsRefused Kind = "definitions_refused" // files that do not pass
	Conflicting        Kind = "conflict"            // somebody else's work would be lost
	LoadRefused        Kind = "load_refused"        // a file that cannot be loaded
)

// Refusal is a request that is not carried out because of something that a
// person can mend.
type Refusal struct {
	Kind   Kind
	Faults fault.List
}

func (r *Refusal) Error() string { return r.Faults.Error() }

// Report finds a published report.
func (s *Service) Report(name string) (*catalog.Report, error) {
	published := s.published.Load()
	if r := published.Reports[name]; r != nil {
		return r, nil
	}
	if broken := published.broken[catalog.Ref{Kind: catalog.KindReport, Name: name}]; len(broken) > 0 {
		return nil, &Refusal{Kind: DefinitionInError, Faults: broken}
	}
	return nil, unknownReport(name, published.Catalog)
}

func unknownReport(name string, among *catalog.Catalog) error {
	f := fault.New(definition.UnknownReport, "no report %q", english.Shorten(name))
	f.Suggest(fault.Near(name, slices.Sorted(maps.Keys(among.Reports))))
	return &Refusal{Kind: Unknown, Faults: fault.List{f}}
}

// SourceOf finds a published source, nil where there is none of that name.
func (s *Service) SourceOf(name string) *catalog.Source { return s.published.Load().Sources[name] }

// Reports lists the published reports by shelf and title. A search keeps those
// that hold each of its words somewhere, in any case.
func (s *Service) Reports(search string) []*catalog.Report {
	words := strings.Fields(strings.ToLower(search))
	var found []*catalog.Report
	for _, r := range s.published.Load().Reports {
		text := strings.ToLower(r.Name + " " + r.Title + " " + r.About + " " + r.Shelf)
		if !slices.ContainsFunc(words, func(w string) bool { return !strings.Contains(text, w) }) {
			found = append(found, r)
		}
	}
	slices.SortFunc(found, func(a, b *catalog.Report) int {
		if by := strings.Compare(a.Shelf, b.Shelf); by != 0 {
			return by
		}
		if by := strings.Compare(a.Title, b.Title); by != 0 {
			return by
		}
		return strings.Compare(a.Name, b.Name)
	})
	return found
}

// Person is who asks. Every request has one.
type Person struct {
	Name string
	Role string // reader, developer or admin
}

type personKey struct{}

// WithPerson tells who asks.
func WithPerson(ctx context.Context, p Person) context.Context {
	return context.WithValue(ctx, personKey{}, p)
}

// PersonOf is who asks; the zero Person where nobody said.
func PersonOf(ctx context.Context) Person {
	p, _ := ctx.Value(personKey{}).(Person)
	return p
}
