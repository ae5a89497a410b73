// Package demo makes the world that the product is tried on: Lantern Sound
// Ferries, an invented line with invented harbours, vessels and customers.
//
// The same as-of day always gives the same records. They reach up to that day,
// so that "last month" is never empty, and what lies ahead is there too:
// sailings on sale, certificates that expire.
package demo

import (
	"context"
	"embed"
	"fmt"
	"strings"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
)

//go:embed definitions/*.yaml people/*.yaml
var files embed.FS

// ServerVariable is the environment variable that holds the address of the server
// that the demo is made on, where it is one.
const ServerVariable = "PIKEGATE_DEMO_SERVER"

// Source is the name of the ferry line's source.
const Source = "harbour"

// Schema is the schema of the ferry line on a server, which nothing else lies in.
const Schema = "lantern_sound"

// Definitions are the files that describe the ferry line's tables and reports, with
// its records on an engine.
func Definitions(on catalog.Engine) []catalog.File { return definitions("definitions", on) }

// PeopleDefinitions are further ones, whose records depend on who asks.
func PeopleDefinitions() []catalog.File { return definitions("people", catalog.Embedded) }

// OwnSchedule is a schedule that one of the demo's people has for herself.
const OwnSchedule = `pikegate: 1
schedule: fuel-of-the-week
report: fuel-at-your-harbour
answers: {harbour-deliveries: last week}
at: last weekday of month at 17:00
send:
  - mail: {to: [solveig@example.test], attach: pdf}
`

func definitions(in string, on catalog.Engine) []catalog.File {
	entries, err := files.ReadDir(in)
	if err != nil {
		panic(err) // embedded: it is there or the program was not built
	}
	all := make([]catalog.File, len(entries))
	for i, e := range entries {
		text, err := files.ReadFile(in + "/" + e.Name())
		if err != nil {
			panic(err)
		}
		all[i] = catalog.File{Name: e.Name(), Text: string(text)}
		if on != catalog.Embedded {
			all[i].Text = strings.Replace(all[i].Text, clock, fmt.Sprintf("%sengine: %s\naddress: {env: %s}\nschema: %s\n", clock, on, ServerVariable, Schema), 1)
		}
	}
	return all
}

// clock is the last line of the ferry line's source.
const clock = "clock: Harbour time\n"

// Fill makes the ferry tables anew. On SQLite and PostgreSQL that is one transaction:
// whoever reads sees the old ones or the new ones, whole.
func Fill(ctx context.Context, db Database, asOf civil.Day) error {
	tx, err := db.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	w, err := newWorld(asOf)
	if err != nil {
		return err
	}
	for _, t := range tables {
		if err := db.fill(ctx, tx, w.with(t.name), t); err != nil {
			return fmt.Errorf("table %s: %w", t.name, err)
		}
	}
	return tx.Commit()
}

// table is one table of the ferry line: its columns with their SQL types, its
// indexes, and what writes its rows.
type table struct {
	name    string
	columns []string
	indexes []string
	rows    func(w *world, put func(values ...any))
}
