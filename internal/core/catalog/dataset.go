package catalog

import (
	"slices"

	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/prompt"
)

// Dataset is records of a source with their columns.
type Dataset struct {
	Name    string
	Title   string // what its records are called, in the plural
	Source  *Source
	From    From
	Key     []*column.Column
	Columns []*column.Column // in the order as written
	// Base is the dataset that it is on, nil for one on tables or custom SQL.
	Base    *Dataset
	Where   *criteria.Node      // which of their records, those of the bases included; nil for all
	Prompts []*prompt.Prompt    // those that its conditions and its SQL use
	Values  map[int]Placeholder // what the placeholders of its SQL stand for, by their piece

	// Whole is the dataset as it is defined, where this one is what of it there is for a person; else nil.
	Whole *Dataset

	Summed     bool // it is the result of a summary, and no dataset that somebody defined
	Conditions int  // of Where
	Bases      int  // how many datasets it is built on, one on the other
}

// Origins are where the columns stand in their tables, those of a plain dataset too;
// none of custom SQL.
func (d *Dataset) Origins() []Origin {
	if !d.From.IsPlain() {
		return d.From.Origins
	}
	all := make([]Origin, len(d.Columns))
	for i, c := range d.Columns {
		all[i] = Origin{Name: c.Name, Table: d.From.Table, Column: c.Name}
	}
	return all
}

// HasInKey reports whether the key has a column of the table that is called so.
func (d *Dataset) HasInKey(table string) bool {
	return slices.ContainsFunc(d.Origins(), func(o Origin) bool {
		return o.Table == table && slices.ContainsFunc(d.Key, func(k *column.Column) bool { return k.Name == o.Name })
	})
}

// Defined is the dataset as it is defined.
func (d *Dataset) Defined() *Dataset {
	if d.Whole != nil {
		return d.Whole
	}
	return d
}

// IsLimited reports whether only some of its records are there for the person that it is for.
func (d *Dataset) IsLimited() bool { return d.From.Rows != nil }

// Root is the dataset on tables or SQL that this one is on in the end, itself where it
// is that one.
func (d *Dataset) Root() *Dataset {
	for d.Base != nil {
		d = d.Base
	}
	return d
}

// IsOn reports whether the dataset is the other one, or on it.
func (d *Dataset) IsOn(other *Dataset) bool {
	for ; d != nil; d = d.Base {
		if d == other {
			return true
		}
	}
	return false
}

// Column finds a column by its name, nil where there is none.
func (d *Dataset) Column(name string) *column.Column {
	for _, c := range d.Columns {
		if c.Name == name {
			return c
		}
	}
	return nil
}
