package catalog

import (
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/customsql"
)

// From is where the records of a dataset come from: a table, a table with others
// joined to it, or custom SQL.
type From struct {
	Table   string
	Joins   []Join
	Origins []Origin // of each column, where some have another name in their table
	SQL     []customsql.Piece
	Rows    *criteria.Bound // those of the records that there are for who asks; nil for all
}

// Join is a table whose records stand beside those of the tables before it.
type Join struct {
	Table string
	As    string // what its columns are named by
	Left  bool   // records that find none there stay
	On    []Pair
}

// Pair is a column of a joined table, and the column before it that has the same
// value.
type Pair struct {
	Column string
	Equals Origin
}

// Origin is a column in its table.
type Origin struct {
	Name   string // in the dataset
	Table  string // the name of the table, or what a join calls it
	Column string // in the table
}

// Tables are the tables by what their columns are named by.
func (f From) Tables() map[string]string {
	if f.SQL != nil {
		return nil
	}
	tables := map[string]string{f.Table: f.Table}
	for _, j := range f.Joins {
		tables[j.As] = j.Table
	}
	return tables
}

// IsPlain reports whether the columns are those of one table, under their own names.
func (f From) IsPlain() bool { return f.SQL == nil && f.Origins == nil }
