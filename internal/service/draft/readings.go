package draft

import (
	"context"
	"time"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/value"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/base"
	"pikegate/internal/service/run"
)

// Reading is what some values of a dated column are read as.
type Reading struct {
	Column string     `json:"column" doc:"Name of the column."`
	Values []ReadText `json:"values" doc:"Some of its different values, those that are not read before the others."`
	Looked int        `json:"looked" doc:"How many records were looked at."`
	Unread int        `json:"unread" doc:"How many of them have a value that is not read."`
}

// ReadText is a stored value with what it is read as.
type ReadText struct {
	Stored string `json:"stored" doc:"As it is stored."`
	Means  string `json:"means,omitempty" doc:"What it is read as, so that nobody can misread it; absent where it is not read."`
}

// looked is how many records are looked at for readings, mostReadings how many values are told.
const (
	looked       = 2000
	mostReadings = 8
)

// readings collects what the dated columns of rows are read as.
type readings struct {
	run.Nowhere
	of   []*column.Column
	zone *time.Location
	all  map[*column.Column]*Reading
	seen map[*column.Column]map[string]bool
}

// Row looks at a record.
func (r *readings) Row(row []value.Value) error {
	for i, c := range r.of {
		if !c.Type.IsDated() || row[i].IsMissing() {
			continue
		}
		is := r.all[c]
		is.Looked++
		read := ReadText{Stored: row[i].String()}
		if day, seconds, ok := c.Moment(row[i]); ok {
			read.Means = spelled(c, day, seconds, r.zone)
		} else {
			is.Unread++
		}
		if r.seen[c][read.Stored] {
			continue
		}
		r.seen[c][read.Stored] = true
		if read.Means == "" {
			is.Values = append([]ReadText{read}, is.Values...)
		} else if len(is.Values) < mostReadings {
			is.Values = append(is.Values, read)
		}
		is.Values = is.Values[:min(len(is.Values), mostReadings)]
	}
	return nil
}

// spelled is a date so that nobody can misread it, with its time where it has one.
func spelled(c *column.Column, day civil.Day, seconds int64, zone *time.Location) string {
	switch c.Type {
	case column.Date:
		return day.Spelled()
	case column.Datetime:
		zone = time.UTC
	}
	return civil.DayHolding(seconds, zone).Spelled() + " " + civil.ClockAt(time.Unix(seconds, 0).In(zone))
}

// Readings tells what stored values of the dated columns of a dataset are read as, by one's
// drafts.
func (s *Drafts) Readings(ctx context.Context, runs *run.Runs, dataset string) ([]Reading, error) {
	made, err := s.setOf(ctx)
	if err != nil {
		return nil, err
	}
	ctx = base.With(ctx, made.tried)
	report, err := s.base.Report(ctx, string(catalog.KindDataset)+":"+dataset)
	if err != nil {
		return nil, err
	}
	query := report.Main().Query
	r := &readings{of: query.Show, zone: query.Of.Source.Zone, all: map[*column.Column]*Reading{}, seen: map[*column.Column]map[string]bool{}}
	for _, c := range query.Show {
		r.all[c], r.seen[c] = &Reading{Column: c.Name, Values: []ReadText{}}, map[string]bool{}
	}
	if _, _, err := runs.Try(ctx, report, answer.Request{Limit: looked}, r); err != nil {
		return nil, err
	}
	all := []Reading{}
	for _, c := range query.Show {
		if c.Type.IsDated() {
			all = append(all, *r.all[c])
		}
	}
	return all, nil
}
