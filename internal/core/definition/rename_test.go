package definition_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/definition"
	"pikegate/internal/core/phrase"
)

const named = `pikegate: 1
source: harbour
zone: Europe/Oslo
---
pikegate: 1
dataset: trips
title: Trips
source: harbour
table: trips
key: [id]
columns:
  id: {type: integer}
  left_on: {type: date}
  prompt: {type: text}      # a column called prompt
---
pikegate: 1
period: summer
from: 1 Jun
through: 31 Aug
---
pikegate: 1
prompt: days
ask: Which days of summer?
type: period
required: true
offer: [last summer, summer 2025, last month]
---
pikegate: 1
prompt: before
ask: The days before
derived: previous days
---
pikegate: 1
dataset: by-sql
title: Trips
source: harbour
sql: |
  SELECT id, left_on FROM trips  -- ':days_first' stays
  WHERE left_on >= :days_first AND left_on < :days_next_day AND ':daystart' <> ''
key: [id]
columns: {id: {type: integer}, left_on: {type: date}}
values: {days_first: left_on, days_next_day: left_on}
---
pikegate: 1
filter: in-days
of: trips
where: {left_on: {within: {prompt: days}}}
---
pikegate: 1
query: trips
of: trips
show: [left_on]
where:
  any:
    - filter: in-days       # "days" is a prompt too
    - prompt: {is: days}
    - left_on: {within: {prompt: before}}
---
pikegate: 1
query: from-sql
of: by-sql
show: [left_on]
---
pikegate: 1
report: trips
title: days
prompts: [{prompt: days, ask: "When?"}]
sections: [{table: {query: trips}}, {table: {query: from-sql}}]
---
pikegate: 1
proof: trips
report: trips
as_of: 2026-07-01
answers: {days: last summer}
expect: {records: 1}
`

func TestRenamed(t *testing.T) {
	docs, faults := definition.Split(catalog.File{Name: "named.yaml", Text: named})
	require.Empty(t, faults)
	setting := phrase.Setting{AsOf: civil.MustParseDay("2026-11-23"), Zone: time.UTC}
	for what, c := range map[string]struct {
		of       catalog.Ref
		to       string
		old, new []string
	}{
		"a prompt": {catalog.Ref{Kind: catalog.KindPrompt, Name: "days"}, "travel-days", []string{
			"prompt: days\n", "derived: previous days", ">= :days_first", "< :days_next_day", "values: {days_first: left_on, days_next_day: left_on}",
			"within: {prompt: days}", "{prompt: days, ask", "answers: {days:"}, []string{
			"prompt: travel-days\n", "derived: previous travel-days", ">= :travel_days_first", "< :travel_days_next_day", "values: {travel_days_first: left_on, travel_days_next_day: left_on}",
			"within: {prompt: travel-days}", "{prompt: travel-days, ask", "answers: {travel-days:"}},
		"a period": {catalog.Ref{Kind: catalog.KindPeriod, Name: "summer"}, "high-season", []string{
			"period: summer", "[last summer, summer 2025,", "{days: last summer}"}, []string{
			"period: high-season", "[last high-season, high-season 2025,", "{days: last high-season}"}},
		"a dataset": {catalog.Ref{Kind: catalog.KindDataset, Name: "trips"}, "voyages", []string{"dataset: trips", "filter: in-days\nof: trips", "query: trips\nof: trips"}, []string{
			"dataset: voyages", "filter: in-days\nof: voyages", "query: trips\nof: voyages"}},
		"a query":  {catalog.Ref{Kind: catalog.KindQuery, Name: "trips"}, "voyages", []string{"query: trips\n", "{query: trips}"}, []string{"query: voyages\n", "{query: voyages}"}},
		"a filter": {catalog.Ref{Kind: catalog.KindFilter, Name: "in-days"}, "in-time", []string{"filter: in-days\n", "- filter: in-days "}, []string{"filter: in-time\n", "- filter: in-time "}},
		"a report": {catalog.Ref{Kind: catalog.KindReport, Name: "trips"}, "voyages", []string{"report: trips\ntitle", "report: trips\nas_of"}, []string{"report: voyages\ntitle", "report: voyages\nas_of"}},
		"a source": {catalog.Ref{Kind: catalog.KindSource, Name: "harbour"}, "quay", []string{"source: harbour\nzone", "source: harbour\ntable", "source: harbour\nsql"}, []string{"source: quay\nzone", "source: quay\ntable", "source: quay\nsql"}},
	} {
		t.Run(what, func(t *testing.T) {
			want := named
			for i, old := range c.old {
				require.Equal(t, 1, strings.Count(want, old), old)
				want = strings.Replace(want, old, c.new[i], 1)
			}
			changed, faults := definition.Renamed(docs, c.of, c.to, setting)
			require.Empty(t, faults)
			var is []string
			for _, d := range docs {
				text := d.Text
				for _, after := range changed {
					if after.Ref == d.Ref || d.Ref == c.of && after.Name == c.to && after.Kind == c.of.Kind {
						text = after.Text
					}
				}
				is = append(is, text)
			}
			assert.Equal(t, want, strings.Join(is, "---\n"))
		})
	}
}

func TestWhatIsNotRenamed(t *testing.T) {
	docs, _ := definition.Split(catalog.File{Name: "named.yaml", Text: named})
	for to, says := range map[string]string{
		"before":  "there is a prompt before already [name_taken]",
		"My days": `"My days" is not a name; names are small letters and digits, parted by - or _; did you mean "my-days"? [not_an_identifier]`,
	} {
		_, faults := definition.Renamed(docs, catalog.Ref{Kind: catalog.KindPrompt, Name: "days"}, to, phrase.Setting{AsOf: civil.MustParseDay("2026-11-23")})
		assert.EqualError(t, faults, says)
	}
	_, faults := definition.Renamed(docs, catalog.Ref{Kind: catalog.KindPrompt, Name: "none"}, "some", phrase.Setting{AsOf: civil.MustParseDay("2026-11-23")})
	assert.EqualError(t, faults, "no prompt none [unknown_definition]")
}
