package counts

import (
	"context"
	"maps"
	"slices"
	"time"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/daycount"
	"pikegate/internal/core/prompt"
	"pikegate/internal/service/base"
	"pikegate/internal/source"
)

// State is what is known of the records of a dataset by day.
type State string

// The states of a calendar.
const (
	Counted  State = "counted"
	Counting State = "counting"
	Waiting  State = "waiting" // for its hours, or for its turn
	Failed   State = "failed"
	Off      State = "off"
	Small    State = "small" // so few that they are counted whenever somebody asks
)

// States lists them in the order of the reference.
var States = []State{Counted, Counting, Waiting, Failed, Off, Small}

// DayCounts is what is known of the records of a dataset by one of its dated columns.
type DayCounts struct {
	Dataset    string     `json:"dataset" doc:"Name of the dataset."`
	Column     string     `json:"column" doc:"Name of the column that they are counted by."`
	State      State      `json:"state" doc:"Whether they are counted."`
	Records    *int64     `json:"records,omitempty" doc:"All records; absent where they were not counted."`
	First      *civil.Day `json:"first,omitempty" doc:"First day that has records."`
	Last       *civil.Day `json:"last,omitempty" doc:"Last day that has records."`
	Missing    *int64     `json:"missing,omitempty" doc:"Records without a date."`
	Unreadable *int64     `json:"unreadable,omitempty" doc:"Records whose stored value is no date."`
	Oldest     *time.Time `json:"oldest,omitempty" doc:"When the oldest of the counts was made."`
	CountedAt  *time.Time `json:"counted_at,omitempty" doc:"When all were last counted."`
	Share      float64    `json:"share,omitempty" doc:"While they are being counted: the share of the days that is done."`
	Problem    string     `json:"problem,omitempty" doc:"Why the last count was not finished."`
}

// List tells what is known of a source: by each dated column that a report asks for a period
// of, and what was counted besides. With again all that is large is counted anew first.
func (c *Counts) List(ctx context.Context, name string, again bool) ([]DayCounts, error) {
	published := c.base.Published.Load()
	if published.Sources[name] == nil {
		return nil, base.UnknownSource(name, published.Catalog)
	}
	all := []DayCounts{}
	for _, asked := range askedColumns(published.Catalog, name) {
		from, err := c.base.Relation(ctx, asked.dataset)
		if err != nil {
			return nil, err
		}
		of := c.Of(asked.dataset.Unlimited(), asked.column, from)
		if of == nil {
			continue
		}
		large := false
		err = c.base.Look(ctx, from.Source, c.base.Config().RunTime, func(ctx context.Context, v source.View) (err error) {
			large, err = c.IsLarge(ctx, v, asked.dataset, from, of.query)
			return err
		})
		if err != nil {
			return nil, c.base.Failed(asked.dataset, err)
		}
		if large && again {
			if err := c.Again(ctx, of); err != nil {
				return nil, c.base.Failed(asked.dataset, err)
			}
		}
		info, err := c.info(ctx, of, large)
		if err != nil {
			return nil, err
		}
		all = append(all, info)
	}
	return all, nil
}

// info is what is known of one calendar.
func (c *Counts) info(ctx context.Context, of *Of, large bool) (DayCounts, error) {
	info := DayCounts{Dataset: of.Dataset.Name, Column: of.Column.Name, State: Small}
	k, err := c.find(ctx, of)
	if err != nil {
		return info, err
	}
	c.mu.Lock()
	now, isWanted := k.calendar, k.wanted
	days := k.calendar.Days.Clone()
	c.mu.Unlock()
	if large || !now.Counted.IsZero() {
		info.State, info.Problem = stateOf(of, now.Counted, now.Began, now.Problem, isWanted), now.Problem
	}
	if !now.Began.IsZero() {
		if reach := days.Reach(); reach.IsClosed() {
			done := 0
			for d := reach.First; d <= reach.Last; d++ {
				if days.OldestBefore(civil.Period{First: d, Last: d}, now.Began) == 0 {
					done++
				}
			}
			info.Share = float64(done) / float64(reach.Days())
		}
	}
	if now.Counted.IsZero() {
		return info, nil
	}
	figure := func(f daycount.Figure) *int64 { return &f.Records }
	records := days.All()
	info.Records, info.Missing, info.Unreadable = figure(records), figure(days.Missing()), figure(days.Unreadable())
	info.Oldest, info.CountedAt = &records.At, &now.Counted
	if reach := days.Reach(); reach.IsClosed() {
		info.First, info.Last = &reach.First, &reach.Last
	}
	return info, nil
}

func stateOf(of *Of, counted, began time.Time, problem string, isWanted bool) State {
	switch {
	case problem != "":
		return Failed
	case !began.IsZero() && isWanted:
		return Counting
	case !counted.IsZero():
		return Counted
	case of.Dataset.Source.Counting.Off:
		return Off
	}
	return Waiting
}

// asked is a dated column of a dataset that some report compares with an answer.
type asked struct {
	dataset *catalog.Dataset
	column  *column.Column
}

// askedColumns are those of a source, by dataset and column.
func askedColumns(all *catalog.Catalog, name string) []asked {
	var found []asked
	for _, report := range slices.Sorted(maps.Keys(all.Reports)) {
		all.Reports[report].Walk(func(of *catalog.Dataset, n *criteria.Node) {
			a := asked{of, n.Column}
			if of.Source.Name == name && n.Column != nil && n.Column.Type.IsDated() && asksDays(n.Operand.Prompt) && !slices.Contains(found, a) {
				found = append(found, a)
			}
		})
	}
	return found
}

func asksDays(p *prompt.Prompt) bool {
	return p != nil && p.Type != prompt.Choice && p.Type != prompt.TimeRange
}
