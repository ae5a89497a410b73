package source

import (
	"context"
	"errors"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"pikegate/internal/core/compile"
	"pikegate/internal/core/value"
)

// inspection is how a database is asked for its tables: each is a statement with the name of a
// table as its one value, save tables.
type inspection struct {
	tables  string // name and sort of each
	columns string // name, type, and 0 or 1 for: never missing, of texts, compared by code point; place in the key, from 1
	indexes string // name, 0 or 1 for unique, and column, in the order of the index
	about   string // about how many records there are; %s stands for the table's name, quoted, where it is needed
	rights  string // one number, over 0 where the account may write; "" where there is no account
	// changes is one text or number that changes when the records of a table do, as far as the
	// database says; %s stands for the table's name, quoted. beside is such a text that the
	// database does not say, nil for none.
	changes string
	beside  func() string
	read    string // one number: the records that the session has read so far; "" where the database does not count them
	explain string // what asks for the plan of a statement that follows
	planned func(row []value.Value) planLine
}

// Table is what a database says of a table; its Columns are empty where there is none
// of that name.
type Table struct {
	Columns []TableColumn
	Indexes []Index
	About   int64 // how many records it has, about
}

// TableColumn is a column of a table.
type TableColumn struct {
	Name string
	Type string // as the database calls it
	Key  int    // place in the primary key, from 1; 0 for none
	compile.Fact
}

// Index is an index of a table over all its records.
type Index struct {
	Name    string
	Unique  bool
	Columns []string
}

// IsBare reports whether it has no index at all, as views have none: nothing but its
// records tells whether a key is one.
func (t *Table) IsBare() bool { return len(t.Indexes) == 0 && len(t.Key()) == 0 }

// Key lists the columns of the primary key.
func (t *Table) Key() []string {
	var key []TableColumn
	for _, c := range t.Columns {
		if c.Key > 0 {
			key = append(key, c)
		}
	}
	slices.SortFunc(key, func(a, b TableColumn) int { return a.Key - b.Key })
	names := make([]string, len(key))
	for i, c := range key {
		names[i] = c.Name
	}
	return names
}

// Leads reports whether an index starts with the column.
func (t *Table) Leads(col string) bool {
	return slices.ContainsFunc(t.Indexes, func(i Index) bool { return i.Columns[0] == col })
}

// IsUnique reports whether no two records have the same values in the columns, none of
// them missing.
func (t *Table) IsUnique(columns []string) bool {
	return t.isUnique(columns, func(Index) bool { return true })
}

// TellsApart reports whether no two records have the same in the columns, missing values
// included, of which a unique index lets several in.
func (t *Table) TellsApart(columns []string) bool {
	return t.isUnique(columns, func(i Index) bool {
		return !slices.ContainsFunc(t.Columns, func(c TableColumn) bool { return slices.Contains(i.Columns, c.Name) && !c.NotNull && c.Key == 0 })
	})
}

func (t *Table) isUnique(columns []string, serves func(Index) bool) bool {
	covers := func(unique []string) bool {
		return len(unique) > 0 && !slices.ContainsFunc(unique, func(c string) bool { return !slices.Contains(columns, c) })
	}
	return covers(t.Key()) || slices.ContainsFunc(t.Indexes, func(i Index) bool { return i.Unique && covers(i.Columns) && serves(i) })
}

// Facts are what the compiler wants to know of the columns of a table. To SQLite's
// dialect they make no difference.
func (v View) Facts(t *Table) map[string]compile.Fact {
	if v.dialect == (compile.SQLite{}) {
		return nil
	}
	facts := make(map[string]compile.Fact, len(t.Columns))
	for _, c := range t.Columns {
		facts[c.Name] = c.Fact
	}
	return facts
}

// Changes is a text that changes when the records of some tables do, as far as the database
// tells: of SQLite the size and the time of the file and the greatest number of a record, of
// PostgreSQL its counts of inserted, updated and deleted records, of MariaDB the time of the
// last change. It is "" where there is no sign, as of views. That it is the same does not
// prove that nothing changed within the same moment.
func (v View) Changes(ctx context.Context, tables ...string) (string, error) {
	var signs []string
	for _, name := range tables {
		sign := ""
		err := v.ask(ctx, strings.ReplaceAll(v.inspection.changes, "%s", v.dialect.Name(name)), name, func(row []value.Value) { sign = row[0].String() })
		if none := (*Error)(nil); errors.As(err, &none) && none.Trouble == Changed {
			err, sign = nil, "" // a view, or a table without numbers
		}
		if err != nil || sign == "" && v.inspection.beside == nil {
			return "", err
		}
		signs = append(signs, name+" "+sign)
	}
	if v.inspection.beside != nil {
		signs = append(signs, v.inspection.beside())
	}
	return strings.Join(signs, ", "), nil
}

// RecordsRead asks the database how many records the session has read so far, for this view and
// those before it; told is false where it does not count them.
func (v View) RecordsRead(ctx context.Context) (n int64, told bool, err error) {
	if v.inspection.read == "" {
		return 0, false, nil
	}
	n, err = v.Count(ctx, compile.Statement{SQL: v.inspection.read})
	return n, err == nil, err
}

// MayWrite asks the database whether the account may change what it reads, or everything.
func (v View) MayWrite(ctx context.Context) (bool, error) {
	if v.inspection.rights == "" {
		return false, nil
	}
	n, err := v.Count(ctx, compile.Statement{SQL: v.inspection.rights})
	return n > 0, err
}

// Structure asks the database for the columns and indexes of a table.
func (v View) Structure(ctx context.Context, name string) (*Table, error) {
	if strings.Contains(name, "\x00") || !utf8.ValidString(name) {
		return &Table{}, nil // no table is called so
	}
	columns, err := v.columns(ctx, name)
	t := &Table{Columns: columns}
	if err != nil || len(t.Columns) == 0 {
		return t, err
	}
	err = v.ask(ctx, v.inspection.indexes, name, func(row []value.Value) {
		name := row[0].String()
		if n := len(t.Indexes); n == 0 || t.Indexes[n-1].Name != name {
			t.Indexes = append(t.Indexes, Index{Name: name, Unique: isTrue(row[1])})
		}
		last := &t.Indexes[len(t.Indexes)-1]
		last.Columns = append(last.Columns, row[2].String())
	})
	return t, err
}

// binaryTypes are the types of binary fractions, as databases call them.
var binaryTypes = regexp.MustCompile(`(?i)^(double|float|real)`)

// Table asks the database what it has under a name.
func (v View) Table(ctx context.Context, name string) (*Table, error) {
	t, err := v.Structure(ctx, name)
	if err != nil || len(t.Columns) == 0 {
		return t, err
	}
	var none *Error
	err = v.ask(ctx, strings.ReplaceAll(v.inspection.about, "%s", v.dialect.Name(name)), name, func(row []value.Value) { t.About, _ = row[0].Int() })
	if errors.As(err, &none) && none.Trouble == Changed {
		err = nil // a view, which has no number to tell it by
	}
	return t, err
}

// columns asks the database for those of a table.
func (v View) columns(ctx context.Context, table string) (all []TableColumn, err error) {
	err = v.ask(ctx, v.inspection.columns, table, func(row []value.Value) {
		key, _ := row[5].Int()
		all = append(all, TableColumn{Name: row[0].String(), Type: row[1].String(), Key: int(key),
			Fact: compile.Fact{NotNull: isTrue(row[2]), Text: isTrue(row[3]), Exact: isTrue(row[4]), Binary: binaryTypes.MatchString(row[1].String())}})
	})
	return all, err
}

// ask runs a statement of the catalog about a table.
func (v View) ask(ctx context.Context, sql, table string, use func(row []value.Value)) error {
	return v.Rows(ctx, compile.Statement{SQL: sql, Args: []any{table}}, func(row []value.Value) error {
		use(row)
		return nil
	})
}

func isTrue(v value.Value) bool {
	n, _ := v.Int()
	return n == 1
}

// TableName is a table, or a view, of a database.
type TableName struct {
	Name, Sort string
	Columns    []string // names, where they are asked for
}

// Tables lists what the database has, by name.
func (v View) Tables(ctx context.Context) ([]TableName, error) {
	var names []TableName
	err := v.Rows(ctx, compile.Statement{SQL: v.inspection.tables}, func(row []value.Value) error {
		names = append(names, TableName{Name: row[0].String(), Sort: row[1].String()})
		return nil
	})
	return names, err
}

// mostWithColumns is of how many tables the columns are told.
const mostWithColumns = 500

// TablesWithColumns lists what the database has, by name, each of the first with its columns.
func (v View) TablesWithColumns(ctx context.Context) ([]TableName, error) {
	names, err := v.Tables(ctx)
	for i := range names[:min(len(names), mostWithColumns)] {
		columns, wrong := v.columns(ctx, names[i].Name)
		if wrong != nil {
			return nil, wrong
		}
		for _, c := range columns {
			names[i].Columns = append(names[i].Columns, c.Name)
		}
	}
	return names, err
}
