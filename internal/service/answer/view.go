package answer

import (
	"slices"
	"strings"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/column"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/summary"
	"pikegate/internal/service/base"
)

// View is how a reader wants a table of records: which columns, in what order, put together by what.
// It changes nothing of which records there are.
type View struct {
	Columns []string `json:"columns,omitempty" maxItems:"1000" doc:"Names of the columns, in their order; those of the report where absent."`
	Sort    []string `json:"sort,omitempty" maxItems:"100" doc:"Columns, each ascending or descending; the order of the report where absent."`
	Group   string   `json:"group,omitempty" maxLength:"1000" doc:"The column that records are put together by: how many each of its values has, and what they come to."`
	By      string   `json:"by,omitempty" enum:"day,week,month,quarter,year,weekday,month_of_year,hour_of_day" doc:"Of a date the unit or part of the calendar that they are put together by."`
}

// IsEmpty reports whether it is as published.
func (v View) IsEmpty() bool {
	return len(v.Columns) == 0 && len(v.Sort) == 0 && v.Group == "" && v.By == ""
}

// Seen is a report with a section of some number, or OnlyTable, seen as a reader wants it, and that
// section; the main one for 0.
func Seen(r *catalog.Report, number int, v View) (*catalog.Report, *catalog.Section, error) {
	section, err := SectionOf(r, number)
	if err != nil || v.IsEmpty() {
		return r, section, err
	}
	return viewed(r, section, v)
}

// viewed is a report with the table of records that is wanted seen as a reader wants it, and that
// table as it is published.
func viewed(r *catalog.Report, section *catalog.Section, v View) (*catalog.Report, *catalog.Section, error) {
	seen := *section
	query := *section.Query
	seen.Query, seen.Subtotals = &query, nil
	var faults fault.List
	refuse := func(code fault.Code, format string, args ...any) *fault.Fault {
		f := fault.New(code, format, args...)
		faults = append(faults, f)
		return f
	}
	may := func(f catalog.Freedom) bool {
		if !section.Has(f) {
			refuse(fault.ViewNotAllowed, "readers do not change the %s of this table", map[catalog.Freedom]string{catalog.Columns: "columns", catalog.Sort: "order", catalog.Grouped: "groups"}[f])
		}
		return section.Has(f)
	}
	offered := slices.Concat(section.Query.Show, section.Offers)
	find := func(name string) *column.Column {
		var names []string
		for _, c := range offered {
			if names = append(names, c.Name); c.Name == name {
				return c
			}
		}
		refuse(fault.UnknownColumn, "the table offers no column %q", english.Shorten(name)).Suggest(fault.Near(name, names))
		return nil
	}
	if len(v.Columns) > 0 && may(catalog.Columns) {
		query.Show = nil
		for _, name := range v.Columns {
			if c := find(name); c != nil && !slices.Contains(query.Show, c) {
				query.Show = append(query.Show, c)
			}
		}
		seen.Totals = slices.DeleteFunc(slices.Clone(seen.Totals), func(t *column.Column) bool { return !slices.Contains(query.Show, t) })
	}
	if v.Group == "" && v.By != "" {
		refuse(fault.InvalidRequest, "by says what the dates of a group have in common, and no group is named")
	}
	if v.Group != "" && may(catalog.Grouped) {
		if c := find(v.Group); c != nil {
			g := summary.Group{Of: c, By: summary.By(v.By)}
			if why := g.Refused(); why != "" {
				refuse(fault.TypeMismatch, "%s", why)
			} else {
				query.Summary = counting(g, seen.Totals)
				query.Show, query.Sort = query.Summary.Shown(), nil
				offered = query.Show
			}
		}
	}
	if len(v.Sort) > 0 && may(catalog.Sort) {
		query.Sort = nil
		for _, text := range v.Sort {
			name, descending := strings.CutSuffix(text, " descending")
			if c := find(strings.TrimSuffix(name, " ascending")); c != nil {
				query.Sort = append(query.Sort, criteria.Sort{Column: c, Descending: descending})
			}
		}
	}
	if len(faults) > 0 {
		return nil, nil, &base.Refusal{Kind: fault.AnswersRefused, Faults: faults}
	}
	if len(v.Sort) == 0 && len(v.Columns) == 0 || query.Summary == nil && slices.Equal(query.Sort, section.Query.Sort) {
		seen.Subtotals = section.Subtotals
	}
	if query.Summary != nil {
		seen.Subtotals = nil
	}
	report := *r
	report.Sections = slices.Clone(r.Sections)
	report.Sections[slices.Index(r.Sections, section)] = &seen
	return &report, &seen, nil
}

// counting is a summary of how many records each group has, and what some columns come to.
func counting(g summary.Group, totals []*column.Column) *summary.Spec {
	g.Shown = g.ShownAs(g.Of.Name, g.Of.Label)
	records := summary.Figure{Kind: summary.Count}
	records.Shown = records.ShownAs("records", "Records", nil)
	sums := summary.Sums(totals)
	return &summary.Spec{Groups: []summary.Group{g}, Figures: append([]summary.Figure{records}, sums.Figures...)}
}
