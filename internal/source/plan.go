package source

import (
	"context"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"pikegate/internal/core/compile"
	"pikegate/internal/core/value"
)

// Plan is how a database says that it would run a statement.
type Plan struct {
	Lines   []string // in the database's own words
	Indexes []string // those that it would use
	Whole   bool     // whether it would read some table from its first record to its last
	Reads   int64    // about how many records it would read, 0 where the database does not say
}

// planLine is what one row of a plan tells.
type planLine struct {
	text  string
	index string // "" for none
	whole bool
	reads int64 // 0 where it does not say
}

// Plan asks the database how it would run a statement, and runs nothing.
func (v View) Plan(ctx context.Context, s compile.Statement) (*Plan, error) {
	s.SQL = v.inspection.explain + " " + s.SQL
	p := &Plan{}
	err := v.Rows(ctx, s, func(row []value.Value) error {
		line := v.inspection.planned(row)
		p.Lines = append(p.Lines, line.text)
		p.Whole = p.Whole || line.whole
		p.Reads += line.reads
		if line.index != "" && !slices.Contains(p.Indexes, line.index) {
			p.Indexes = append(p.Indexes, line.index)
		}
		return nil
	})
	return p, err
}

var sqliteIndex = regexp.MustCompile(`USING (?:COVERING )?INDEX (\S+)|USING (INTEGER PRIMARY KEY)`)

// plannedSQLite reads a row of EXPLAIN QUERY PLAN: id, parent, a number, and words.
func plannedSQLite(row []value.Value) planLine {
	line := planLine{text: row[3].String()}
	if m := sqliteIndex.FindStringSubmatch(line.text); m != nil {
		line.index = m[1] + strings.ToLower(m[2])
	}
	line.whole = strings.HasPrefix(line.text, "SCAN ") && line.index == ""
	return line
}

var postgresIndex = regexp.MustCompile(`Index (?:Only )?Scan(?: Backward)? (?:using|on) "?([^" ]+)`)

// postgresReads is the estimate of a line that reads a table.
var postgresReads = regexp.MustCompile(`Scan .*\brows=(\d+)`)

// plannedPostgres reads a line of EXPLAIN.
func plannedPostgres(row []value.Value) planLine {
	line := planLine{text: row[0].String(), whole: strings.Contains(row[0].String(), "Seq Scan on ")}
	if m := postgresIndex.FindStringSubmatch(line.text); m != nil {
		line.index = m[1]
	}
	if m := postgresReads.FindStringSubmatch(line.text); m != nil {
		line.reads, _ = strconv.ParseInt(m[1], 10, 64)
	}
	return line
}

// plannedMariaDB reads a row of EXPLAIN: id, sort, table, access, possible indexes,
// index, its length, what it is compared with, rows, and more.
func plannedMariaDB(row []value.Value) planLine {
	line := planLine{index: row[5].String(), whole: row[3].String() == "ALL"}
	line.text = fmt.Sprintf("%s %s: %s", strings.ToLower(row[1].String()), row[2], row[3])
	if line.index != "" {
		line.text += " by index " + line.index
	}
	line.text += fmt.Sprintf(", about %s rows", row[8])
	line.reads, _ = strconv.ParseInt(row[8].String(), 10, 64)
	if more := row[9].String(); more != "" {
		line.text += "; " + more
	}
	return line
}
