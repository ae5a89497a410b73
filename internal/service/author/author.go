package author

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"io"
	"maps"
	"slices"

	"golang.org/x/sync/semaphore"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/definition"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
	"pikegate/internal/load"
	"pikegate/internal/service/base"
	"pikegate/internal/source"
	"pikegate/internal/store"
)

// Load brings a file of records into a table of the embedded records. The file is put
// aside first, so that a slow sender holds nobody up; then one load runs at a time.
// Readers see the table as it was until the load is whole. declared is how many bytes the
// sender says the file has, -1 where that is not said.
func (s *Author) Load(ctx context.Context, from io.Reader, declared int64, req load.Request) (*load.Report, error) {
	if err := load.CheckTable(req.Table); err != nil {
		return nil, err
	}
	select {
	case s.uploads <- struct{}{}:
		defer func() { <-s.uploads }()
	default:
		return nil, ErrUploads
	}
	file, size, err := s.base.Spool.Put(from, declared, s.base.Config.LoadBytes)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	if err := s.loading.Acquire(ctx, 1); err != nil {
		return nil, err
	}
	defer s.loading.Release(1)
	if err := s.base.Spool.Room(size); err != nil {
		return nil, err
	}
	db, err := s.embedded()
	if err != nil {
		return nil, err
	}
	defer db.Close()
	req.Limits, req.Spool = s.base.Config.Loads, s.base.Spool.Dir
	report, err := load.Load(ctx, db, io.NewSectionReader(file, 0, size), req)
	if err != nil || req.Dry {
		return report, err
	}
	s.base.Forget()
	loaded := store.Loaded{At: s.base.Config.Now(), By: base.PersonOf(ctx).Name, Rows: int(report.Loaded)}
	return report, s.base.Store.SetLoaded(ctx, req.Table, loaded)
}

// embedded opens the embedded records to be written.
func (s *Author) embedded() (*sql.DB, error) {
	return sql.Open("sqlite3", store.DSN(base.RecordsPath(s.base.Config.Dir)))
}

// RenameTable gives a loaded table another name.
func (s *Author) RenameTable(ctx context.Context, name, to string) error {
	return s.changeTable(ctx, name, func(tx *sql.Tx) error {
		if err := load.CheckTable(to); err != nil {
			return err
		}
		var there int
		if err := tx.QueryRowContext(ctx, "SELECT count(*) FROM sqlite_master WHERE name = ? COLLATE NOCASE", to).Scan(&there); err != nil {
			return err
		}
		if there > 0 {
			return &base.Refusal{Kind: base.Conflicting, Faults: fault.List{fault.New("name_taken", "there is a table %q already; nothing was renamed", to)}}
		}
		if _, err := tx.ExecContext(ctx, "ALTER TABLE "+compile.SQLite{}.Name(name)+" RENAME TO "+compile.SQLite{}.Name(to)); err != nil {
			return err
		}
		return s.base.Store.RenameLoaded(ctx, name, to)
	})
}

// RemoveTable takes a loaded table away, with its records.
func (s *Author) RemoveTable(ctx context.Context, name string) error {
	return s.changeTable(ctx, name, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, "DROP TABLE "+compile.SQLite{}.Name(name)); err != nil {
			return err
		}
		return s.base.Store.RenameLoaded(ctx, name, "")
	})
}

// changeTable changes a table that was loaded and that no dataset describes.
func (s *Author) changeTable(ctx context.Context, name string, change func(*sql.Tx) error) error {
	if err := s.loading.Acquire(ctx, 1); err != nil {
		return err
	}
	defer s.loading.Release(1)
	if users := s.describing(name); len(users) > 0 {
		return base.InUse("table "+name, "changed", users)
	}
	known, err := s.base.Store.LoadedTables(ctx)
	if err != nil {
		return err
	}
	if !slices.Contains(known, name) {
		f := fault.New(UnknownTable, "no table %q was loaded", english.Shorten(name))
		f.Suggest(fault.Near(name, known))
		return &base.Refusal{Kind: base.Unknown, Faults: fault.List{f}}
	}
	db, err := s.embedded()
	if err != nil {
		return err
	}
	defer db.Close()
	tx, err := db.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	if err := change(tx); err != nil {
		return err
	}
	if err := tx.Commit(); err != nil {
		return err
	}
	s.base.Forget()
	return nil
}

// describing are the published datasets on a table of the embedded records.
func (s *Author) describing(table string) []catalog.Ref {
	var users []catalog.Ref
	all := s.base.Published.Load().Datasets
	for _, name := range slices.Sorted(maps.Keys(all)) {
		d := all[name]
		if d.Base != nil || d.Source == nil || d.Source.At.Engine != catalog.Embedded {
			continue
		}
		if slices.Contains(slices.Collect(maps.Values(d.From.Tables())), table) {
			users = append(users, catalog.Ref{Kind: catalog.KindDataset, Name: name})
		}
	}
	return users
}

// Rehearse works out what each phrase of a report means on the days. Nothing is run.
func (s *Author) Rehearse(ctx context.Context, name string, try Tried) (*Rehearsal, error) {
	defs, err := s.base.Beside(ctx, try.Files)
	if err != nil {
		return nil, err
	}
	report := defs.Reports[name]
	if report == nil {
		return nil, base.UnknownReport(name, defs)
	}
	zone := report.Table.Of.Source.Zone
	r := &Rehearsal{Report: name, Phrases: []Rehearsed{}}
	for _, text := range try.AsOf {
		day, err := s.base.AsOf(text, zone)
		if err != nil {
			return nil, err
		}
		r.Days = append(r.Days, TellingDay{Day: day, Why: "asked for"})
	}
	if len(r.Days) == 0 {
		r.Days = tellingDays(s.base.Today(zone), zone)
	}
	for i := range r.Days {
		r.Days[i].Spelled = r.Days[i].Day.Spelled()
	}
	add := func(where, text string, mean func(phrase.Setting) Meaning) {
		if slices.ContainsFunc(r.Phrases, func(p Rehearsed) bool { return p.Phrase == text && p.Where == where }) {
			return
		}
		p := Rehearsed{Phrase: text, Where: where}
		for _, day := range r.Days {
			setting := s.base.Setting(day.Day, zone)
			setting.Seasons = defs.Seasons
			p.Means = append(p.Means, mean(setting))
		}
		r.Phrases = append(r.Phrases, p)
	}
	for _, p := range report.Answered() {
		rehearsePrompt(p, add)
	}
	report.Criteria().Walk(func(n *criteria.Node) {
		if n.Column == nil || !n.Column.Type.IsDated() {
			return
		}
		for _, text := range n.Operand.Texts {
			add("condition on "+n.Column.Label, text, func(s phrase.Setting) Meaning {
				read, refused := phrase.Period(text, s)
				if refused != nil {
					return Meaning{Refused: refused.Sentence()}
				}
				return Meaning{Spelled: read.Period.Spelled()}
			})
		}
	})
	return r, nil
}

// Author helps those who write definitions: to look into sources, to load files, to see
// what phrases mean.
type Author struct {
	base        *base.Base
	uploads     chan struct{}       // one for each file that is being taken in
	loading     *semaphore.Weighted // of one: a load at a time
	inspections *semaphore.Weighted
}

func New(base *base.Base) *Author {
	c := base.Config
	return &Author{base: base, uploads: make(chan struct{}, cmp.Or(c.Uploads, usualUploads)), loading: semaphore.NewWeighted(1), inspections: semaphore.NewWeighted(int64(cmp.Or(c.Inspections, usualInspections)))}
}

// UnknownTable is the code of a table that a source does not have.
const UnknownTable = "unknown_table"

// Sources lists the published sources by name.
func (s *Author) Sources() []*catalog.Source {
	all := s.base.Published.Load().Sources
	found := make([]*catalog.Source, 0, len(all))
	for _, name := range slices.Sorted(maps.Keys(all)) {
		found = append(found, all[name])
	}
	return found
}

// looking hands a snapshot of a source to use.
func (s *Author) looking(ctx context.Context, name string, use func(context.Context, source.View, *catalog.Source) error) (*catalog.Source, error) {
	known := s.base.Published.Load().Sources
	of := known[name]
	if of == nil {
		f := fault.New(definition.UnknownSource, "no source %q", english.Shorten(name))
		f.Suggest(fault.Near(name, slices.Sorted(maps.Keys(known))))
		return nil, &base.Refusal{Kind: base.Unknown, Faults: fault.List{f}}
	}
	from, err := s.base.SourceAt(ctx, of.At)
	if err == nil {
		err = s.base.Look(ctx, from, s.base.Config.RunTime, func(ctx context.Context, v source.View) error { return use(ctx, v, of) })
	}
	var refused *base.Refusal
	if err != nil && !errors.As(err, &refused) && !errors.Is(err, base.ErrTime) {
		err = &base.SourceError{Source: name, Err: err}
	}
	return of, err
}

// Tables lists the tables and views of a source.
func (s *Author) Tables(ctx context.Context, name string) (tables []source.TableName, err error) {
	_, err = s.looking(ctx, name, func(ctx context.Context, v source.View, _ *catalog.Source) error {
		tables, err = v.Tables(ctx)
		return err
	})
	return tables, err
}

// usualInspections is how many tables are looked at at once, since each takes some tens of
// MiB; others wait.
const usualInspections = 2

// Inspect looks at a table of a source and its records; of a large one at a sample, the
// figures of which whole counts over all records.
func (s *Author) Inspect(ctx context.Context, name, table string, whole bool) (profile *source.Profile, of *catalog.Source, err error) {
	if err := s.inspections.Acquire(ctx, 1); err != nil {
		return nil, nil, err
	}
	defer s.inspections.Release(1)
	of, err = s.looking(ctx, name, func(ctx context.Context, v source.View, of *catalog.Source) error {
		if profile, err = v.Profile(ctx, table, of.Zone, whole); err != nil || len(profile.Columns) > 0 {
			return err
		}
		f := fault.New(UnknownTable, "the source %q has no table %q", name, english.Shorten(table))
		if known, err := v.Tables(ctx); err == nil {
			names := make([]string, len(known))
			for i, t := range known {
				names[i] = t.Name
			}
			f.Suggest(fault.Near(table, names))
		}
		return &base.Refusal{Kind: base.Unknown, Faults: fault.List{f}}
	})
	return profile, of, err
}
