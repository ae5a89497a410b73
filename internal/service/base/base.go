package base

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync/atomic"
	"time"

	"golang.org/x/sync/semaphore"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/definition"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
	"pikegate/internal/load"
	"pikegate/internal/source"
	"pikegate/internal/store"
)

// Beside are the published definitions with those of files in their place.
func (s *Base) Beside(ctx context.Context, files []catalog.File) (*catalog.Catalog, error) {
	if len(files) == 0 {
		return s.Published.Load().Catalog, nil
	}
	release, err := s.Checking(ctx)
	if err != nil {
		return nil, err
	}
	defer release()
	stored, err := s.Store.Published(ctx)
	if err != nil {
		return nil, err
	}
	zone := s.Zone()
	_, defs, found := definition.Check(files, stored, s.Setting(s.Today(zone), zone), s.Config.Functions...)
	if wrong := found.Errors(); len(wrong) > 0 {
		return nil, &Refusal{Kind: DefinitionsRefused, Faults: wrong}
	}
	return defs, nil
}

// usualChecks is how many uploads are checked at once; others wait.
const usualChecks = 2

// Checking waits for the turn of an upload that is to be checked, which takes the
// processor and memory by its size.
func (s *Base) Checking(ctx context.Context) (release func(), err error) {
	if err := s.checks.Acquire(ctx, 1); err != nil {
		return nil, err
	}
	return func() { s.checks.Release(1) }, nil
}

// DaysIn is the first and the last day of a column, as they were within the last
// minute.
func (s *Base) DaysIn(ctx context.Context, of *catalog.Dataset, c *column.Column) (civil.Period, error) {
	published := s.Published.Load()
	if known, ok := published.extents.Load(c); ok && s.Config.Now().Sub(known.(knownExtent).at) < extentAge {
		return known.(knownExtent).days, nil
	}
	if len(of.Values) > 0 {
		return civil.Period{}, nil // which records it has depends on the answers
	}
	from, err := s.Relation(ctx, of)
	if err != nil {
		return civil.Period{}, err
	}
	var days civil.Period
	err = s.Look(ctx, from.Source, s.Config.RunTime, func(ctx context.Context, v source.View) error {
		extent, ok, err := extentOf(ctx, v, from.Sql, compile.Query{}, c)
		if ok && c.Type == column.Instant {
			days = civil.Period{First: civil.DayHolding(extent.First, of.Source.Zone), Last: civil.DayHolding(extent.Last, of.Source.Zone)}
		} else if ok {
			days = civil.Period{First: civil.DayAt(extent.First, time.UTC), Last: civil.DayAt(extent.Last, time.UTC)}
		}
		return err
	})
	if err != nil {
		return civil.Period{}, s.Failed(of, err)
	}
	published.extents.Store(c, knownExtent{days, s.Config.Now()})
	return days, nil
}

// Zone is the zone of the business: that of its sources where they agree, else UTC.
func (s *Base) Zone() *time.Location {
	var zone *time.Location
	for _, from := range s.Published.Load().Sources {
		if zone != nil && zone.String() != from.Zone.String() {
			return time.UTC
		}
		zone = from.Zone
	}
	if zone == nil {
		return time.UTC
	}
	return zone
}

// Relation finds the source of a dataset and the SQL for it.
func (s *Base) Relation(ctx context.Context, d *catalog.Dataset) (*Relation, error) {
	published := s.Published.Load()
	if known, ok := published.relations.Load(d); ok && s.Config.Now().Sub(known.(*Relation).at) < factAge {
		return known.(*Relation), nil
	}
	from, err := s.SourceAt(ctx, d.Source.At)
	if err != nil {
		return nil, s.Failed(d, err)
	}
	r := &Relation{Source: from, at: s.Config.Now()}
	facts := map[string]map[string]compile.Fact{}
	if len(d.From.Tables()) > 0 {
		err = s.Look(ctx, from, structureTime, func(ctx context.Context, v source.View) error {
			tables, err := TablesOf(ctx, v, d)
			if err != nil {
				return err
			}
			for as, t := range tables {
				facts[as] = v.Facts(t)
			}
			r.Unique = IsUnique(d, tables)
			r.Fits = s.knownFits(ctx, published, v, d, tables)
			return nil
		})
	}
	if err != nil {
		return nil, s.Failed(d, err)
	}
	if !r.Unique {
		r.Ties = d.Root().Columns
	}
	r.Sql = compile.New(from.Dialect(), d.From, facts)
	if published.Datasets[d.Name] == d { // and not one that is only tried
		published.relations.Store(d, r)
	}
	return r, nil
}

// knownFits is how the values of a dataset's tables fit, none where that cannot be told soon
// enough.
func (s *Base) knownFits(ctx context.Context, p *Published, v source.View, d *catalog.Dataset, tables map[string]*source.Table) []source.Fit {
	root := d.Root()
	if known, ok := p.fits.Load(root); ok && s.Config.Now().Sub(known.(fitsThen).at) < fitAge {
		return known.(fitsThen).fits
	}
	looking, cancel := context.WithTimeout(ctx, fitTime)
	defer cancel()
	fits, err := FitsOf(looking, v, root, tables)
	if err != nil {
		slog.WarnContext(ctx, "it could not be told how the values of a dataset fit", "dataset", d.Name, "error", err)
	}
	if ctx.Err() == nil && p.Datasets[root.Name] == root {
		p.fits.Store(root, fitsThen{fits, s.Config.Now()})
	}
	return fits
}

// Failed is an error of the source of a dataset; of whoever asked and of the time that
// there was, it is what it was.
func (s *Base) Failed(d *catalog.Dataset, err error) error {
	if errors.Is(err, ErrTime) || errors.Is(err, context.Canceled) {
		return err
	}
	return &SourceError{Source: d.Source.Name, Err: err}
}

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

// Base is what the rooms of the service share: its files, what is published, and the way to
// the sources.
type Base struct {
	Config    Config
	locked    *os.File // which keeps the directory for this service
	Store     *store.Store
	sources   *source.Pool
	Spool     Spool
	today     atomic.Int64        // a civil.Day; the zero Day: what clocks show
	checks    *semaphore.Weighted // of the uploads that are being checked
	Published atomic.Pointer[Published]
	Changed   atomic.Int64 // how often what is published or what its data are has changed
}

func (s *Base) Publish(c *catalog.Catalog, docs []catalog.Document, broken map[catalog.Ref]fault.List) {
	p := &Published{Catalog: c, broken: broken, Revisions: map[catalog.Ref]int{}}
	for _, d := range docs {
		p.Revisions[d.Ref] = d.Revision
	}
	s.Published.Store(p)
	s.Changed.Add(1)
	used := map[catalog.Connection]bool{}
	for _, from := range c.Sources {
		used[from.At] = true
	}
	s.sources.Keep(used)
}

// Forget forgets what is known of the data, since they have changed.
func (s *Base) Forget() {
	s.Changed.Add(1)
	p := s.Published.Load()
	p.extents.Clear()
	p.fits.Clear()
	p.relations.Clear()
}

// Open opens the files in a directory, which it takes for this process, and makes its own
// where there is none.
func Open(ctx context.Context, c Config) (*Base, error) {
	held, err := lock(c.Dir)
	if err != nil {
		return nil, err
	}
	spool, err := OpenSpool(c.Dir)
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
	s := &Base{Config: c, locked: held, Store: own, sources: source.NewPool(c.rules()), Spool: spool, checks: semaphore.NewWeighted(int64(cmp.Or(c.Checks, usualChecks)))}
	if err := s.load(ctx); err != nil {
		s.Close()
		return nil, err
	}
	return s, nil
}

// Close closes all files, and lets the directory go.
func (s *Base) Close() error {
	return errors.Join(s.sources.Close(), s.Store.Close(), s.locked.Close())
}

// Ready reports whether the service can do its work: its records can be read, and runs can
// be put on record.
func (s *Base) Ready(ctx context.Context) error {
	return errors.Join(s.Store.Ping(ctx), s.Spool.Room(0))
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

func (s *Base) load(ctx context.Context) error {
	text, err := s.Store.Setting(ctx, todaySetting)
	if err != nil {
		return fmt.Errorf("read the service's settings: %w", err)
	}
	today, _ := civil.ParseDay(text)
	s.today.Store(int64(today))
	docs, err := s.Store.Published(ctx)
	if err != nil {
		return fmt.Errorf("read the definitions: %w", err)
	}
	defs, broken := definition.Load(docs, s.Setting(s.Today(time.UTC), time.UTC), s.Config.Functions...)
	for ref, faults := range broken {
		for _, f := range faults {
			slog.ErrorContext(ctx, "a stored definition is left out", "definition", ref.String(), "fault", f.Error())
		}
	}
	s.Publish(defs, docs, broken)
	return nil
}

// SetToday makes the service take a day for today, whatever clocks show.
func (s *Base) SetToday(ctx context.Context, d civil.Day) error {
	s.today.Store(int64(d))
	return s.Store.SetSetting(ctx, todaySetting, d.String())
}

// FixedToday is the day that the service was told to take for today; not
// valid where it goes by the clock.
func (s *Base) FixedToday() civil.Day { return civil.Day(s.today.Load()) }

// Today is the current day in the zone.
func (s *Base) Today(zone *time.Location) civil.Day {
	if fixed := s.FixedToday(); fixed.IsValid() {
		return fixed
	}
	return civil.DayAt(s.Config.Now().Unix(), zone)
}

// Setting is what answers are read by. As of the day that clocks show, it is the
// time that they show; as of any other, the last second of the day.
func (s *Base) Setting(asOf civil.Day, zone *time.Location) phrase.Setting {
	setting := phrase.Setting{AsOf: asOf, Order: s.Config.DayOrder, FiscalStart: s.Config.FiscalStart, Zone: zone, Now: s.Config.Now().Unix()}
	if s.FixedToday().IsValid() || civil.DayAt(setting.Now, zone) != asOf {
		setting.Now = civil.FirstInstant(asOf+1, zone) - 1
	}
	if p := s.Published.Load(); p != nil {
		setting.Seasons = p.Seasons
	}
	return setting
}

// AsOf reads the as-of day that a caller passed; today where there is none.
func (s *Base) AsOf(text string, zone *time.Location) (civil.Day, error) {
	today := s.Today(zone)
	if text == "" {
		return today, nil
	}
	r, f := phrase.Day(text, s.Setting(today, zone))
	if f != nil {
		f.Message = "as of: " + f.Message
		return 0, &Refusal{Kind: AnswersRefused, Faults: fault.List{f}}
	}
	return r.Period.First, nil
}

// Report finds a published report.
func (s *Base) Report(name string) (*catalog.Report, error) {
	published := s.Published.Load()
	if r := published.Reports[name]; r != nil {
		return r, nil
	}
	if broken := published.broken[catalog.Ref{Kind: catalog.KindReport, Name: name}]; len(broken) > 0 {
		return nil, &Refusal{Kind: DefinitionInError, Faults: broken}
	}
	return nil, UnknownReport(name, published.Catalog)
}

// SourceOf finds a published source, nil where there is none of that name.
func (s *Base) SourceOf(name string) *catalog.Source { return s.Published.Load().Sources[name] }

// Reports lists the published reports by shelf and title. A search keeps those
// that hold each of its words somewhere, in any case.
func (s *Base) Reports(search string) []*catalog.Report {
	words := strings.Fields(strings.ToLower(search))
	var found []*catalog.Report
	for _, r := range s.Published.Load().Reports {
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

// SourceAt is where a definition says that a source is.
func (s *Base) SourceAt(ctx context.Context, c catalog.Connection) (*source.Source, error) {
	if ctx.Value(publishingKey{}) != nil {
		return s.sources.Try(c)
	}
	return s.sources.Get(c)
}

// Look hands a snapshot of a source to use, when it is its turn, for so long and no longer.
func (s *Base) Look(ctx context.Context, from *source.Source, limit time.Duration, use func(context.Context, source.View) error) error {
	leave, err := from.Enter(ctx, PersonOf(ctx).Name, s.Config.RunTime)
	if err != nil {
		return err
	}
	defer leave()
	within, cancel := context.WithTimeoutCause(ctx, limit, fmt.Errorf("%w: %s", ErrTime, limit))
	defer cancel()
	err = from.View(within, func(v source.View) error { return use(within, v) })
	if err != nil && within.Err() != nil && !errors.As(err, new(*source.Error)) {
		return context.Cause(within)
	}
	return err
}
