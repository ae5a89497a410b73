package source

import (
	"context"
	"fmt"
	"strings"

	"pikegate/internal/core/compile"
	"pikegate/internal/core/value"
)

// JoinProposal is a table whose records could stand beside those of another, with what that would
// do to them.
type JoinProposal struct {
	Column string `json:"column" doc:"The column of the table."`
	Table  string `json:"table" doc:"The other table."`
	Key    string `json:"key" doc:"Its column that has the same values, each once."`
	Looked int64  `json:"looked" doc:"How many records of the table were looked at."`
	Lost   int64  `json:"lost" doc:"How many of them find no record there: they go, or stay with keep: all."`
	Gained int64  `json:"gained" doc:"How many more records there would be, where some find several."`
}

// The most tables that joins are looked for in, and the most records that are looked at for one.
const (
	mostJoined    = 200
	joinedRecords = 20_000
)

// Joins proposes joins of a table: along columns that are called as the key of another table is, or
// as that table with its key. Each is tried on some of the records.
func (v View) Joins(ctx context.Context, name string) ([]JoinProposal, error) {
	t, err := v.Table(ctx, name)
	if err != nil {
		return nil, err
	}
	tables, err := v.Tables(ctx)
	if err != nil {
		return nil, err
	}
	proposals := []JoinProposal{}
	for _, other := range tables[:min(len(tables), mostJoined)] {
		if other.Name == name {
			continue
		}
		o, err := v.Table(ctx, other.Name)
		if err != nil {
			return nil, err
		}
		for _, key := range o.Columns {
			if !o.IsUnique([]string{key.Name}) {
				continue
			}
			for _, c := range t.Columns {
				if !leadsTo(c.Name, other.Name, key.Name) || sortOf(c.Type) != sortOf(key.Type) || t.IsUnique([]string{c.Name}) {
					continue
				}
				p := JoinProposal{Column: c.Name, Table: other.Name, Key: key.Name}
				if err := v.tryJoin(ctx, name, &p); err != nil {
					return nil, err
				}
				if p.Lost < p.Looked {
					proposals = append(proposals, p)
				}
			}
		}
	}
	return proposals, nil
}

// leadsTo reports whether a column is called as the key of another table, or as that table with
// its key: vessel, vessel_id, vessels_id.
func leadsTo(column, table, key string) bool {
	c, t, k := strings.ToLower(column), strings.ToLower(table), strings.ToLower(key)
	one := strings.TrimSuffix(t, "s")
	return c == k && k != "id" || c == t+"_"+k || c == one+"_"+k || c == one || c == t
}

// sortOf is what a type of a database holds: only like compares with like.
func sortOf(kind string) string {
	name, _, _ := strings.Cut(strings.ToLower(kind), "(")
	switch {
	case strings.Contains(name, "int") || name == "serial":
		return "whole"
	case strings.Contains(name, "char") || strings.Contains(name, "text"):
		return "text"
	}
	return name
}

// tryJoin counts what a join does to some of the records.
func (v View) tryJoin(ctx context.Context, name string, p *JoinProposal) error {
	n := v.dialect.Name
	some := fmt.Sprintf("(SELECT %s AS c FROM %s LIMIT %d) s", n(p.Column), n(name), joinedRecords)
	count := func(sql string, into ...*int64) error {
		return v.Rows(ctx, compile.Statement{SQL: sql}, func(row []value.Value) error {
			for i := range into {
				*into[i], _ = row[i].Int()
			}
			return nil
		})
	}
	if err := count("SELECT count(*) FROM "+some, &p.Looked); err != nil {
		return err
	}
	var joined, found int64
	if err := count(fmt.Sprintf("SELECT count(*), count(o.%[1]s) FROM %[2]s LEFT JOIN %[3]s o ON o.%[1]s = s.c", n(p.Key), some, n(p.Table)), &joined, &found); err != nil {
		return err
	}
	p.Lost, p.Gained = joined-found, joined-p.Looked
	return nil
}
