package lint_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/definition"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
)

// found are the codes of what is found in a query of these conditions, sorted and with its dates shown unless
// the rest says otherwise.
func found(where, rest string) []fault.Code {
	text := `{pikegate: 1, source: harbour, zone: Europe/Helsinki}
---
{pikegate: 1, dataset: calls, source: harbour, table: calls, key: [id], columns: {
  id: {type: integer}, on: {type: date, stored: text, pattern: yyyy-MM-dd}, ship: {type: text},
  guests: {type: integer}}}
---
{pikegate: 1, prompt: days, ask: When, type: period, required: true}
---
{pikegate: 1, prompt: day, ask: From when, type: day, required: true}
---
{pikegate: 1, query: calls, of: calls, ` + rest + `, where: ` + where + `}
---
{pikegate: 1, report: calls, title: Calls, prompts: [days, day], sections: [{table: {query: calls}}]}`
	files := []catalog.File{{Name: "calls.yaml", Text: text}}
	_, _, all := definition.Check(files, nil, phrase.Setting{AsOf: civil.MustParseDay("2026-11-23")})
	codes := []fault.Code{}
	for _, f := range all {
		if f.Code != fault.PromptNotUsed {
			codes = append(codes, f.Code)
		}
	}
	return codes
}

func TestConditionsThatCannotBeMeant(t *testing.T) {
	const shown = "show: [id, on], sort: [on]"
	for where, want := range map[string][]fault.Code{
		"{guests: {at_least: 3}}":                                     {},
		"{all: [{guests: {less_than: 3}}, {guests: {more_than: 5}}]}": {fault.NeverHolds},
		// No whole number lies between 5 and 6.
		"{all: [{guests: {less_than: 6}}, {guests: {more_than: 5}}]}":                      {fault.NeverHolds},
		"{all: [{guests: {less_than: 7}}, {guests: {more_than: 5}}]}":                      {},
		"{all: [{ship: {is: Tern}}, {ship: {is: Gull}}]}":                                  {fault.NeverHolds},
		"{any: [{ship: {is: Tern}}, {ship: {is: Gull}}]}":                                  {},
		"{all: [{ship: {is: Tern}}, {ship: missing}]}":                                     {fault.NeverHolds},
		"{all: [{on: {before: 2026-01-01}}, {on: {within: {prompt: days}}}]}":              {},
		"{all: [{on: {before: 2026-01-01}}, {on: {within: 2026-03}}]}":                     {fault.NeverHolds},
		"{any: [{guests: {at_least: 3}}, {guests: {less_than: 5}}]}":                       {fault.AlwaysHolds},
		"{any: [{guests: {at_least: 5}}, {guests: {less_than: 3}}]}":                       {},
		"{all: [{guests: {at_least: 3}}, {guests: {at_least: 5}}]}":                        {fault.Implied},
		"{all: [{ship: {any_of: [Tern, Gull]}}, {ship: {is: Tern}}]}":                      {fault.Implied},
		"{all: [{any: [{guests: {at_least: 3}}, {ship: {is: Tern}}]}, {guests: missing}]}": {},
	} {
		assert.Equal(t, want, found(where, shown), where)
	}
}

func TestWhatMisleadsReaders(t *testing.T) {
	assert.Equal(t, []fault.Code{fault.NoSort}, found("{guests: {at_least: 3}}", "show: [id]"))
	assert.Equal(t, []fault.Code{fault.DateNotShown}, found("{on: {within: {prompt: days}}}", "show: [id], sort: [id]"))
	assert.Equal(t, []fault.Code{}, found("{on: {within: {prompt: days}}}", "show: [id, on], sort: [id]"))
}
