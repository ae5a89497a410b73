package catalog

import (
	"fmt"
	"slices"
	"strings"

	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/summary"
)

// SectionKind is how a section shows what its query tells.
type SectionKind string

const (
	Figure SectionKind = "figure" // a number
	Chart  SectionKind = "chart"
	Table  SectionKind = "table"
)

// SectionKinds lists them in the order of the reference.
var SectionKinds = []SectionKind{Figure, Chart, Table}

// Section is a part of what a report shows.
type Section struct {
	Kind  SectionKind
	Label string // what people read above it; "" where its query says enough
	// Query is what it shows. That of a figure has no groups, that of a chart those that it draws;
	// both tell one figure.
	Query     *Query
	From      *Query         // the query that is named, which Query is or is made of
	Where     *criteria.Node // what the report and the section want beside the query; nil for nothing
	Compare   []prompt.Derivation
	Totals    []*column.Column // of those shown in a table, the ones whose total is told
	Subtotals *summary.Group   // what those totals are told for too, nil for nothing
	Better    Better           // of a figure
	Line      *Query           // what a figure's small line is drawn of, nil for none
	Drawn     Drawn            // of a chart
	ReaderMay []Freedom        // of a table of records
	Offers    []*column.Column // that a reader may add to those shown
}

// Better is which change of a figure is drawn as a good one.
type Better string

const (
	Less Better = "less"
	More Better = "more"
)

// Betters lists them in the order of the reference.
var Betters = []Better{Less, More}

// Freedom is what a reader may change of a table.
type Freedom string

const (
	Columns Freedom = "columns" // hide, add and order them
	Sort    Freedom = "sort"
	Grouped Freedom = "group" // by a column or a unit
)

// Freedoms lists them in the order of the reference.
var Freedoms = []Freedom{Columns, Sort, Grouped}

// DrawnAs is the kind of a chart.
type DrawnAs string

const (
	ColumnChart DrawnAs = "column"
	LineChart   DrawnAs = "line"
	AreaChart   DrawnAs = "area"
	BarChart    DrawnAs = "bar"
	ShareChart  DrawnAs = "share" // of the whole, as stacked columns
)

// DrawnKinds lists them in the order of the reference.
var DrawnKinds = []DrawnAs{ColumnChart, LineChart, AreaChart, BarChart, ShareChart}

// Drawn is how a chart is drawn.
type Drawn struct {
	As      DrawnAs
	Across  int // the place of the group along the axis
	Split   int // that of the group that makes series of it, -1 for none
	Stacked bool
}

// MostSeries is how many series a chart has at most; further ones are put together.
const MostSeries = 12

// Criteria are all the conditions that hold for the section, nil for none.
func (s *Section) Criteria() *criteria.Node { return criteria.Both(s.Query.Criteria(), s.Where) }

// Parts are the criteria that hold together for the section, any of which may be nil: those of its
// dataset first, then those of its query, and those of the report and of its own.
func (s *Section) Parts() []*criteria.Node {
	return []*criteria.Node{s.Query.Of.Where, s.Query.Where, s.Where}
}

// Shown are the columns of its rows: those of its query, and for each comparison the figures once
// more.
func (s *Section) Shown() []*column.Column {
	if len(s.Compare) == 0 {
		return s.Query.Show
	}
	spec := s.Query.Summary
	shown := spec.Shown()
	for _, d := range s.Compare {
		for _, f := range spec.Figures[:spec.Told()] {
			c := *f.Shown
			c.Name = fmt.Sprintf("%s_%s", c.Name, strings.ReplaceAll(string(d), "-", "_"))
			c.Label = fmt.Sprintf("%s, %s", c.Label, Compared(d))
			shown = append(shown, &c)
		}
	}
	return shown
}

// Compared is a comparison in words.
func Compared(d prompt.Derivation) string {
	if d == prompt.YearBefore {
		return "a year before"
	}
	return "the period before"
}

// Has reports whether a reader may change something of the section.
func (s *Section) Has(f Freedom) bool {
	return slices.Contains(s.ReaderMay, f)
}
