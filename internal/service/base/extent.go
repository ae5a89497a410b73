package base

import (
	"context"
	"time"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/compile"
	"pikegate/internal/source"
)

// DaysIn is the first and the last day of a column, as they were within the last
// minute.
func (s *Base) DaysIn(ctx context.Context, of *catalog.Dataset, c *column.Column) (civil.Period, error) {
	published := s.In(ctx)
	if known, ok := published.extents.Load(c); ok && !of.IsLimited() && s.Config().Now().Sub(known.(knownExtent).at) < extentAge {
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
	err = s.Look(ctx, from.Source, s.Config().RunTime, func(ctx context.Context, v source.View) error {
		var err error
		days, err = DaysOf(ctx, v, from.SQL, of, c)
		return err
	})
	if err != nil {
		return civil.Period{}, s.Failed(of, err)
	}
	if !of.IsLimited() {
		published.extents.Store(c, knownExtent{days, s.Config().Now()})
	}
	return days, nil
}

// DaysOf is the first and the last day of a column of a dataset, in a snapshot; open where it
// has none.
func DaysOf(ctx context.Context, v source.View, sql *compile.Compiler, of *catalog.Dataset, c *column.Column) (civil.Period, error) {
	extent, ok, err := extentOf(ctx, v, sql, compile.Query{}, c)
	switch {
	case !ok || err != nil:
		return civil.Period{}, err
	case c.Type == column.Instant:
		return civil.Period{First: civil.DayHolding(extent.First, of.Source.Zone), Last: civil.DayHolding(extent.Last, of.Source.Zone)}, nil
	}
	return civil.Period{First: civil.DayAt(extent.First, time.UTC), Last: civil.DayAt(extent.Last, time.UTC)}, nil
}

// extentAge is how long an extent of data is taken for true, for what is offered.
const extentAge = time.Minute

type knownExtent struct {
	days civil.Period
	at   time.Time
}

// ExtentsOf finds the extents of the columns whose wall time a query asks for, in
// the snapshot that it is to run in.
func ExtentsOf(ctx context.Context, v source.View, sql *compile.Compiler, q compile.Query) (map[*column.Column]compile.Extent, error) {
	found := map[*column.Column]compile.Extent{}
	for _, c := range q.Timed() {
		extent, ok, err := extentOf(ctx, v, sql, q, c)
		if err != nil {
			return nil, err
		}
		if ok {
			found[c] = extent
		}
	}
	return found, nil
}

// extentOf is the first and the last value of a dated column, in seconds, those of
// days and wall times as if UTC; false where none can be read.
func extentOf(ctx context.Context, v source.View, sql *compile.Compiler, q compile.Query, c *column.Column) (compile.Extent, bool, error) {
	var ends [2]int64
	for i := range ends {
		seconds, ok, err := EdgeOf(ctx, v, sql, q, c, i == 1)
		if err != nil || !ok {
			return compile.Extent{}, false, err
		}
		ends[i] = seconds
	}
	return compile.Extent{First: ends[0], Last: ends[1]}, true, nil
}

// EdgeOf is the first value of a column of a query's dataset, or the last, in seconds, those of days
// and wall times as if UTC; false where none can be read.
func EdgeOf(ctx context.Context, v source.View, sql *compile.Compiler, q compile.Query, c *column.Column, last bool) (int64, bool, error) {
	stored, err := v.One(ctx, sql.Edge(q, c, last))
	if err != nil {
		return 0, false, err
	}
	_, seconds, ok := c.Moment(stored)
	return seconds, ok, nil
}
