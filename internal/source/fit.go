package source

import (
	"context"
	"slices"
	"strconv"
	"strings"

	"pikegate/internal/core/column"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/infer"
	"pikegate/internal/core/value"
)

// Fit is how the values of a column of a table fit what a dataset says of them.
type Fit struct {
	Column   *column.Column
	Looked   int      // values that were looked at, those that are missing left out
	Unfit    int      // those of them that do not fit
	Examples []string // some of these, each another one
	Seems    infer.Guess
}

// fitRows is how many records are looked at from either end of a table.
const fitRows = 1000

// mostExamples is how many values that do not fit are told.
const mostExamples = 3

// Fits holds some records of a table, from both ends of its key, to what a dataset says
// of its columns, each by its name in the table. Columns that any value fits are left
// out.
//
// It looks at each column in one pass over the sample.
func (v View) Fits(ctx context.Context, name string, t *Table, columns map[string]*column.Column) ([]Fit, error) {
	var names, shown, forwards, backwards []string
	var fits []Fit
	for _, c := range t.Columns {
		of := columns[c.Name]
		if of == nil || of.Type == column.Text {
			continue
		}
		names = append(names, c.Name)
		shown = append(shown, v.dialect.Shown(compile.Column{Column: &column.Column{Name: c.Name}, Fact: c.Fact}))
		fits = append(fits, Fit{Column: of})
	}
	if len(names) == 0 {
		return nil, nil
	}
	for _, k := range t.Key() {
		forwards, backwards = append(forwards, v.dialect.Name(k)), append(backwards, v.dialect.Name(k)+" DESC")
	}
	values := make([][]value.Value, len(names))
	for _, order := range [][]string{forwards, backwards} {
		s := "SELECT " + strings.Join(shown, ", ") + " FROM " + v.dialect.Name(name)
		if len(order) > 0 {
			s += " ORDER BY " + strings.Join(order, ", ")
		}
		rows := 0
		err := v.Rows(ctx, compile.Statement{SQL: s + " LIMIT " + strconv.Itoa(fitRows)}, func(row []value.Value) error {
			rows++
			for i, val := range row {
				if !val.IsMissing() {
					values[i] = append(values[i], clipped(val))
				}
			}
			return nil
		})
		if err != nil {
			return nil, err
		}
		if len(order) == 0 || rows < fitRows {
			break // there are no two ends, or they are the same
		}
	}
	for i := range fits {
		f := &fits[i]
		f.Looked = len(values[i])
		for _, val := range values[i] {
			if f.Column.Fits(val) {
				continue
			}
			f.Unfit++
			if text := val.String(); len(f.Examples) < mostExamples && !slices.Contains(f.Examples, text) {
				f.Examples = append(f.Examples, text)
			}
		}
		f.Seems = infer.Of(names[i], values[i], false)
	}
	return fits, nil
}

// SameKey is a key that several records have.
type SameKey struct {
	Values  []string
	Records int64 // how many records have it
}

// mostKeys is how many records a table has before it is no longer searched for records
// of the same key.
const mostKeys = 2_000_000

// SameKey finds the key that the most records of a table have, nil where each record has
// one of its own, or where the table is too large to be searched.
func (v View) SameKey(ctx context.Context, name string, key []string, t *Table) (*SameKey, error) {
	if t.About > mostKeys {
		return nil, nil
	}
	columns := make([]string, len(key))
	for i, k := range key {
		c := compile.Column{Column: &column.Column{Name: k, Type: column.Text}}
		for _, of := range t.Columns {
			if of.Name == k {
				c.Fact = of.Fact
			}
		}
		if columns[i] = v.dialect.Name(k); c.Text {
			columns[i] = v.dialect.Value(c)
		}
	}
	list := strings.Join(columns, ", ")
	s := compile.Statement{SQL: "SELECT count(*), " + list + " FROM " + v.dialect.Name(name) + " GROUP BY " + list + " HAVING count(*) > 1 ORDER BY 1 DESC LIMIT 1"}
	var same *SameKey
	err := v.Rows(ctx, s, func(row []value.Value) error {
		same = &SameKey{}
		same.Records, _ = row[0].Int()
		for _, val := range row[1:] {
			same.Values = append(same.Values, val.String())
		}
		return nil
	})
	return same, err
}
