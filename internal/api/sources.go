package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"pikegate/internal/core/column"
	"pikegate/internal/core/infer"
	"pikegate/internal/service/counts"
	"pikegate/internal/source"
)

// SourceInfo is a database of business records.
type SourceInfo struct {
	Name   string `json:"name" doc:"Its name."`
	Title  string `json:"title,omitempty" doc:"What people call it."`
	Engine string `json:"engine" doc:"What kind of database it is."`
	Zone   string `json:"zone" doc:"IANA zone that days are taken in."`
}

// SourceList is the published sources.
type SourceList struct {
	Sources []SourceInfo `json:"sources" doc:"By name."`
}

// TableNames is what a source has.
type TableNames struct {
	Tables []TableKind `json:"tables" doc:"By name."`
}

// TableKind is a table, or a view.
type TableKind struct {
	Name string `json:"name" doc:"Its name in the database."`
	Kind string `json:"kind" enum:"table,view" doc:"What it is."`
	// Columns are there where they were asked for.
	Columns []string `json:"columns,omitempty" doc:"Names of its columns in their order, where they were asked for; of the first 500 tables."`
}

// TableInfo is what a table holds.
type TableInfo struct {
	Table    string       `json:"table" doc:"Its name in the database."`
	About    int64        `json:"about" doc:"About how many records it has."`
	LookedAt int64        `json:"looked_at" doc:"How many records were looked at."`
	Sampled  bool         `json:"sampled" doc:"Whether those are a sample, from both ends of the key: then all figures of the columns are the sample's."`
	Key      []string     `json:"key" doc:"The columns of its key."`
	Columns  []ColumnInfo `json:"columns" doc:"In the order of the table."`
	Indexes  []IndexInfo  `json:"indexes" doc:"Over all records."`
	Rows     [][]*string  `json:"rows" doc:"Some records, each value in plain form, null for a missing one."`
	Proposal string       `json:"proposal" doc:"A dataset on the table, as YAML."`
}

// ColumnInfo is what a column holds, of the records looked at.
type ColumnInfo struct {
	Name         string           `json:"name" doc:"Its name."`
	DatabaseType string           `json:"database_type" doc:"Its type, as the database calls it."`
	Required     bool             `json:"required" doc:"Whether the database keeps it from being missing."`
	Missing      int64            `json:"missing" doc:"How many values are missing."`
	Distinct     int64            `json:"distinct" doc:"How many different values there are."`
	Least        string           `json:"least,omitempty" doc:"The least value."`
	Greatest     string           `json:"greatest,omitempty" doc:"The greatest value."`
	Commonest    []infer.Frequent `json:"commonest,omitempty" doc:"The values that come most often among the records looked at; absent where each comes once."`
	Spread       []int64          `json:"spread,omitempty" doc:"Of numbers and dates: how many of the records looked at lie in each of some bars of equal width from the least to the greatest."`
	Type         string           `json:"type" doc:"What the values seem to mean."`
	Scale        int              `json:"scale,omitempty" doc:"Digits after the point."`
	Stored       string           `json:"stored,omitempty" doc:"How dates seem to be stored."`
	Pattern      string           `json:"pattern,omitempty" doc:"The pattern of dates in text."`
	OrPattern    string           `json:"or_pattern,omitempty" doc:"Another pattern that all values fit as well."`
	OrType       string           `json:"or_type,omitempty" doc:"Another type that they can have: of times without a zone, which may be local or by UTC."`
	Share        float64          `json:"share" doc:"The share of the values that fit, from 0 to 1."`
}

// IndexInfo is an index of a table.
type IndexInfo struct {
	Name    string   `json:"name" doc:"Its name."`
	Unique  bool     `json:"unique" doc:"Whether no two records have the same values in it."`
	Columns []string `json:"columns" doc:"Its columns, in order."`
}

func (r routes) registerSources(api huma.API) {
	const path = Prefix + "/sources"
	huma.Register(api, huma.Operation{OperationID: "list-sources", Method: http.MethodGet, Path: path, Summary: "The databases of business records"}, r.sources)
	huma.Register(api, huma.Operation{OperationID: "list-tables", Method: http.MethodGet, Path: path + "/{source}/tables", Summary: "The tables of a source", Errors: []int{404, 502, 504}}, r.tables)
	huma.Register(api, huma.Operation{OperationID: "inspect-table", Method: http.MethodGet, Path: path + "/{source}/tables/{table}",
		Summary: "What a table holds, and a dataset proposed for it", Errors: []int{404, 502, 504}}, r.inspect)
	huma.Register(api, huma.Operation{OperationID: "propose-joins", Method: http.MethodGet, Path: path + "/{source}/tables/{table}/joins",
		Summary: "Tables whose records could stand beside those of a table, and what each join would do to them", Errors: []int{404, 502, 504}}, r.joins)
	huma.Register(api, huma.Operation{OperationID: "list-counts", Method: http.MethodGet, Path: path + "/{source}/counts",
		Summary: "What is known of the records of large tables by day, and from when", Errors: []int{404, 502, 504}}, r.counts(false))
	huma.Register(api, huma.Operation{OperationID: "count-again", Method: http.MethodPost, Path: path + "/{source}/counts",
		Summary: "Count the records of large tables anew", Errors: []int{404, 502, 504}}, r.counts(true))
}

// CountList is what is known of the records of a source by day.
type CountList struct {
	Counts []counts.DayCounts `json:"counts" doc:"By each dated column that a report asks for days of."`
}

func (r routes) counts(again bool) func(ctx context.Context, in *struct {
	Source string `path:"source"`
}) (*body[CountList], error) {
	return func(ctx context.Context, in *struct {
		Source string `path:"source"`
	}) (*body[CountList], error) {
		list, err := r.service.Counts.List(ctx, in.Source, again)
		if err != nil {
			return nil, problemOf(ctx, err)
		}
		return &body[CountList]{CountList{list}}, nil
	}
}

// JoinList is joins that are proposed.
type JoinList struct {
	Joins []source.JoinProposal `json:"joins" doc:"By table."`
}

func (r routes) joins(ctx context.Context, in *struct {
	Source string `path:"source"`
	Table  string `path:"table"`
}) (*body[JoinList], error) {
	all, err := r.service.Author.Joins(ctx, in.Source, in.Table)
	return answered[JoinList](ctx)(&JoinList{all}, err)
}

func (r routes) sources(context.Context, *struct{}) (*body[SourceList], error) {
	list := SourceList{Sources: []SourceInfo{}}
	for _, s := range r.service.Author.Sources() {
		list.Sources = append(list.Sources, SourceInfo{Name: s.Name, Title: s.Title, Engine: string(s.At.Engine), Zone: s.Zone.String()})
	}
	return &body[SourceList]{list}, nil
}

func (r routes) tables(ctx context.Context, in *struct {
	Source  string `path:"source"`
	Columns bool   `query:"columns" doc:"Tell the names of the columns too."`
}) (*body[TableNames], error) {
	found, err := r.service.Author.Tables(ctx, in.Source, in.Columns)
	if err != nil {
		return nil, problemOf(ctx, err)
	}
	list := TableNames{Tables: []TableKind{}}
	for _, t := range found {
		list.Tables = append(list.Tables, TableKind{Name: t.Name, Kind: t.Sort, Columns: t.Columns})
	}
	return &body[TableNames]{list}, nil
}

func (r routes) inspect(ctx context.Context, in *struct {
	Source string `path:"source"`
	Table  string `path:"table"`
	Whole  bool   `query:"whole" doc:"Count the figures of a large table over all its records, and not over a sample."`
}) (*body[TableInfo], error) {
	p, of, err := r.service.Author.Inspect(ctx, in.Source, in.Table, in.Whole)
	if err != nil {
		return nil, problemOf(ctx, err)
	}
	return &body[TableInfo]{tableInfo(in.Table, p, p.Propose(of, in.Table))}, nil
}

func tableInfo(name string, p *source.Profile, proposal string) TableInfo {
	info := TableInfo{Table: name, About: p.About, LookedAt: p.Looked, Sampled: p.Sampled, Key: p.Key(), Columns: []ColumnInfo{}, Indexes: []IndexInfo{}, Rows: [][]*string{}, Proposal: proposal}
	for _, c := range p.Columns {
		orType := ""
		if c.Guess.OrInstant {
			orType = string(column.Instant)
		}
		info.Columns = append(info.Columns, ColumnInfo{Name: c.Name, DatabaseType: c.Type, Required: c.NotNull, Missing: c.Missing, Distinct: c.Distinct, Least: c.Least, Greatest: c.Greatest, Commonest: c.Commonest, Spread: c.Spread,
			Type: string(c.Guess.Type), Scale: c.Guess.Scale, Stored: string(c.Guess.Stored), Pattern: c.Guess.Pattern.String(), OrPattern: c.Guess.Or, OrType: orType, Share: c.Guess.Share})
	}
	for _, i := range p.Indexes {
		info.Indexes = append(info.Indexes, IndexInfo{Name: i.Name, Unique: i.Unique, Columns: i.Columns})
	}
	for _, row := range p.Rows {
		shown := make([]*string, len(row))
		for i, v := range row {
			if !v.IsMissing() {
				text := v.String()
				shown[i] = &text
			}
		}
		info.Rows = append(info.Rows, shown)
	}
	return info
}
