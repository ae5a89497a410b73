// Package counts keeps calendars of counts of large datasets: how many records have a date on
// each day. It makes them in the background, in slices that leave a source to its readers, and
// renews them in part when the data change. What lies around a period is told from them, so
// that a run costs what it returns and not what lies around it.
package counts

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"sync"
	"time"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/phrase"
	"pikegate/internal/core/prompt"
	"pikegate/internal/service/base"
	"pikegate/internal/source"
	"pikegate/internal/store"
)

// Counts keeps the calendars of counts.
type Counts struct {
	base *base.Base

	mu      sync.Mutex
	known   map[string]*known        // by key
	queues  map[*source.Source][]job // what waits, of each source that is being counted
	sizes   base.Remembered[sized, size]
	stopped sync.WaitGroup
	ctx     context.Context // of what is counted in the background; nil before Start
}

// known is a calendar with what is going on with it.
type known struct {
	calendar store.Calendar
	checked  time.Time // when the signs of change were last looked at
	failed   time.Time // when counting last failed
	wanted   bool      // it stands in a queue
}

// New keeps calendars of the datasets that are published. Nothing is counted before Start.
func New(base *base.Base) *Counts {
	return &Counts{base: base, known: map[string]*known{}, queues: map[*source.Source][]job{}}
}

// Start counts in the background until ctx ends, and goes on with what was under way when the
// service last ended. Wait waits until the last slice has ended.
func (c *Counts) Start(ctx context.Context) {
	c.mu.Lock()
	c.ctx = ctx
	c.mu.Unlock()
	c.stopped.Go(func() {
		kept, err := c.base.Store.Calendars(ctx, "")
		if err != nil {
			c.base.Log.ErrorContext(ctx, "the calendars of counts could not be read", "error", err)
		}
		for _, k := range kept {
			if d := c.base.Published.Load().Datasets[k.Dataset]; d == nil || d.Column(k.Column) == nil {
				if err := c.base.Store.ForgetCalendar(ctx, k.Key); err != nil {
					c.base.Log.ErrorContext(ctx, "a calendar of counts could not be forgotten", "dataset", k.Dataset, "error", err)
				}
				continue
			}
			if k.Began.IsZero() {
				continue
			}
			if of := c.named(ctx, k); of != nil {
				c.Find(ctx, of)
			}
		}
	})
}

// IsIdle reports whether nothing is being counted or waits to be.
func (c *Counts) IsIdle() bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	return len(c.queues) == 0
}

// Wait is described at Start.
func (c *Counts) Wait() { c.stopped.Wait() }

// Of is what a calendar counts: the records of a dataset by one of its dated columns.
type Of struct {
	Dataset *catalog.Dataset
	Column  *column.Column
	From    *base.Relation
	query   compile.Query // of the dataset's own criteria
	key     string
	tried   bool // the dataset is not published: what is counted of its like serves, and nothing is counted for it
}

// Of tells what a calendar of a dataset counts. It is nil where there can be none: where the
// records depend on answers, on the person or on the day that it is.
func (c *Counts) Of(d *catalog.Dataset, of *column.Column, from *base.Relation) *Of {
	if d == nil || of == nil || d.IsLimited() || !of.Type.IsDated() || len(d.Values) > 0 || from.SQL.HasCriteriaInside() {
		return nil
	}
	fixed := true
	d.Where.Walk(func(n *criteria.Node) {
		fixed = fixed && n.Operand.Prompt == nil && n.Operand.Person == "" && (n.Column == nil || n.Op != criteria.RecursIn && n.Op != criteria.ClockWithin)
	})
	if !fixed {
		return nil
	}
	now := c.base.Setting(context.Background(), c.base.Today(d.Source.Zone), d.Source.Zone)
	query := own(d, now)
	text := countText(from, query)
	later := now
	for _, later.AsOf = range farDays(now.AsOf) {
		if countText(from, own(d, later)) != text {
			return nil // its criteria mean something else on another day
		}
	}
	sum := sha256.Sum256(fmt.Appendf(nil, "%+v\n%s\n%s %s %s %s %v\n%s", d.Source.At.Place(), text, of.Name, of.Type, of.Stored, of.Pattern, of.Zone, d.Source.Zone))
	tried := c.base.Published.Load().Datasets[d.Name] != d.Defined()
	return &Of{Dataset: d, Column: of, From: from, query: query, key: hex.EncodeToString(sum[:]), tried: tried}
}

// IsTried reports whether the dataset is not published, so that nothing is counted for it.
func (of *Of) IsTried() bool { return of.tried }

// own is a query of the dataset's own criteria.
func own(d *catalog.Dataset, s phrase.Setting) compile.Query {
	where, _ := criteria.Bind(d.Where, prompt.Answers{}, s)
	return compile.Query{Where: where, Zone: d.Source.Zone}
}

// countText is what counts the records, as a text.
func countText(from *base.Relation, q compile.Query) string {
	s := from.SQL.Count(q)
	return fmt.Sprint(s.SQL, s.Args)
}

// Find finds the calendar of counts, and sees to it that one is made or renewed where that is
// due; it waits for neither. It is nil where none was counted whole yet.
func (c *Counts) Find(ctx context.Context, of *Of) *store.Calendar {
	if of == nil {
		return nil
	}
	k, err := c.find(ctx, of)
	if err != nil {
		return nil
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	now := c.base.Config().Now()
	if !of.tried && !k.wanted && hasPassed(k.failed, now, retryAge) && (k.calendar.Counted.IsZero() || !k.calendar.Began.IsZero() || hasPassed(k.checked, now, checkAge)) && !of.Dataset.Source.Counting.Off {
		c.want(k, job{of: of})
	}
	if k.calendar.Counted.IsZero() || !k.calendar.Days.IsComplete() {
		return nil
	}
	found := k.calendar
	return &found
}

// Known is the calendar of counts as it is known; nothing is counted for it.
func (c *Counts) Known(ctx context.Context, of *Of) *store.Calendar {
	k, err := c.find(ctx, of)
	if err != nil {
		return nil
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if k.calendar.Counted.IsZero() {
		return nil
	}
	found := k.calendar
	return &found
}

// How long a failed count is left alone, and how long it is believed that nothing changed.
const (
	retryAge = time.Minute
	checkAge = time.Minute
)

// hasPassed reports whether a length of time has passed since a moment; also where the clock was
// set back since.
func hasPassed(since, now time.Time, length time.Duration) bool {
	return now.Before(since) || now.Sub(since) >= length
}

// find is a calendar as it is known, read from the own records where it is asked for first.
func (c *Counts) find(ctx context.Context, of *Of) (*known, error) {
	c.mu.Lock()
	k := c.known[of.key]
	c.mu.Unlock()
	if k != nil {
		return k, nil
	}
	kept, err := c.base.Store.Calendar(ctx, of.key)
	if err != nil {
		return nil, err
	}
	if kept == nil {
		kept = &store.Calendar{Key: of.key}
	}
	if of.tried {
		return &known{calendar: *kept}, nil
	}
	kept.Source, kept.Dataset, kept.Column = of.Dataset.Source.Name, of.Dataset.Name, of.Column.Name
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.known[of.key] == nil {
		c.known[of.key] = &known{calendar: *kept}
	}
	return c.known[of.key], nil
}

// named is what a kept calendar counts, nil where nothing published is counted so any more.
func (c *Counts) named(ctx context.Context, k *store.Calendar) *Of {
	d := c.base.Published.Load().Datasets[k.Dataset]
	if d == nil || d.Column(k.Column) == nil {
		return nil
	}
	from, err := c.base.Relation(ctx, d)
	if err != nil {
		return nil
	}
	of := c.Of(d.Unlimited(), d.Column(k.Column), from)
	if of == nil || of.key != k.Key {
		return nil
	}
	return of
}

// farDays are days on which phrases mean something else than today.
func farDays(today civil.Day) []civil.Day {
	return []civil.Day{today + 1, today + 40, today + 400}
}

// fastCount is up to how long a whole count may have taken for the next one to be made too.
const fastCount = 100 * time.Millisecond

// sizeAge is how long the size of a dataset is believed.
const sizeAge = 10 * time.Minute

type sized struct {
	changed int64
	dataset *catalog.Dataset // a draft's is another one than that which is published
}

type size struct {
	large bool
	at    time.Time
}

// IsLarge reports whether the records of a dataset are too many to be counted whole at each
// run: more than a small table has, and a whole count took longer than an instant, where one was made.
// It counts no more of them than that to learn it.
func (c *Counts) IsLarge(ctx context.Context, v source.View, d *catalog.Dataset, from *base.Relation, q compile.Query) (bool, error) {
	q.Where = nil
	key := sized{c.base.Changed.Load(), d.Defined()}
	if known, ok := c.sizes.Get(key); ok && !hasPassed(known.at, c.base.Config().Now(), sizeAge) {
		return known.large, nil
	}
	n, err := v.Count(ctx, from.SQL.FirstFew(q, c.base.Config().SmallTable+1))
	if err != nil {
		return false, err
	}
	large := n > int64(c.base.Config().SmallTable)
	c.sizes.Put(key, size{large, c.base.Config().Now()})
	return large, nil
}

// Took remembers how long a whole count of so many records of a dataset took: where that was
// an instant, it is no large one.
func (c *Counts) Took(d *catalog.Dataset, records int64, took time.Duration) {
	if records <= int64(c.base.Config().SmallTable) || d.IsLimited() {
		return
	}
	c.sizes.Put(sized{c.base.Changed.Load(), d.Defined()}, size{took > fastCount, c.base.Config().Now()})
}

// change changes a calendar and keeps it. Readers have copies, which do not change.
func (c *Counts) change(ctx context.Context, k *known, change func(*store.Calendar)) error {
	c.mu.Lock()
	changed := k.calendar
	changed.Days = k.calendar.Days.Clone()
	change(&changed)
	k.calendar = changed
	c.mu.Unlock()
	return c.base.Store.SetCalendar(ctx, &changed)
}
