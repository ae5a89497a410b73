package base

import (
	"context"
	"time"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/compile"
	"pikegate/internal/source"
)

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
		stored, err := v.One(ctx, sql.Edge(q, c, i == 1))
		if err != nil {
			return compile.Extent{}, false, err
		}
		_, seconds, ok := c.Moment(stored)
		if !ok {
			return compile.Extent{}, false, nil
		}
		ends[i] = seconds
	}
	return compile.Extent{First: ends[0], Last: ends[1]}, true, nil
}
