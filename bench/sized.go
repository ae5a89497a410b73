package main

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"time"

	"pikegate/demo"
	"pikegate/internal/core/catalog"
)

// sizedDefinitions describe a table of so many records, 2,500 on each day: of its name, where it is, and how days are stored.
const sizedDefinitions = `{pikegate: 1, source: of_%[1]s, zone: Europe/Helsinki%[2]s}
---
{pikegate: 1, dataset: %[1]s, source: of_%[1]s, table: %[1]s, key: [trip_id], columns: {trip_id: {type: integer}, travel_on: {type: date, %[3]s}, route: {type: text}, party: {type: integer}}}
---
{pikegate: 1, prompt: sized-days, ask: "Which days?", type: period, default: today}
---
{pikegate: 1, query: %[1]s, of: %[1]s, show: [trip_id, travel_on, route, party], sort: [travel_on], where: {all: [{travel_on: {within: {prompt: sized-days}}}, {party: {at_least: 2}}]}}
---
{pikegate: 1, report: %[1]s, title: Sized, prompts: [sized-days], sections: [{table: {query: %[1]s}}]}
`

// The day that is asked for, which both tables have the same records of.
const sizedDay = "2026-10-05"

// sized compares what a run costs on tables of very different sizes whose period has the same
// records.
func (b *bench) sized() error {
	for _, engine := range []catalog.Engine{catalog.SQLite, catalog.Postgres} {
		if err := b.sizedOn(engine); err != nil {
			return err
		}
	}
	if err := b.opening(); err != nil {
		return err
	}
	return b.deep()
}

func (b *bench) sizedOn(engine catalog.Engine) error {
	of := map[catalog.Engine]string{catalog.SQLite: "SQLite", catalog.Postgres: "PostgreSQL"}[engine]
	for name, millions := range map[string]int{tableOn(engine, 1): 1, tableOn(engine, 20): 20} {
		if err := b.makeSized(engine, name, millions*1_000_000); err != nil {
			return err
		}
		if _, err := b.ask("sources/of_"+name+"/counts", nil, http.MethodPost); err != nil {
			return err
		}
	}
	var took [3][]time.Duration // with evidence on the small table, on the large one, and without on that
	for range 20 * rounds {
		for i, run := range []struct {
			millions int
			evidence bool
		}{{1, true}, {20, true}, {20, false}} {
			d, err := b.page(tableOn(engine, run.millions), map[string]any{"answers": map[string]string{"sized-days": sizedDay}, "limit": 100, "uncounted": true, "evidence": run.evidence}, nil)
			if err != nil {
				return err
			}
			took[i] = append(took[i], d)
		}
	}
	small, large, bare := median(took[0]), median(took[1]), median(took[2])
	b.add("report of one day, 100 rows, all evidence, "+of+": 20,000,000 records, to 1,000,000", milli(large), milli(small), fmt.Sprintf("%.2f", large.Seconds()/small.Seconds()), "1.3")
	b.add("the same on 20,000,000: with evidence, to without", milli(large), milli(bare), fmt.Sprintf("%.2f", large.Seconds()/bare.Seconds()), "1.5, and 20 ms more")
	return nil
}

// tableOn is the name of a table of so many million records.
func tableOn(engine catalog.Engine, millions int) string {
	return fmt.Sprintf("trips_%d_%s", millions, engine)
}

func milli(d time.Duration) string { return fmt.Sprintf("%.1f ms", float64(d.Microseconds())/1000) }

// opening measures what a reader waits for when a report's page is opened: its questions, the
// histogram, and the count before a run of a long period.
func (b *bench) opening() error {
	report := tableOn(catalog.SQLite, 20)
	var all []time.Duration
	for range 5 * rounds {
		start := time.Now()
		for _, get := range []string{"reports/" + report, "reports/" + report + "/prompts/sized-days/histogram"} {
			if _, err := b.ask(get, nil, http.MethodGet); err != nil {
				return err
			}
		}
		if _, err := b.ask("reports/"+report+"/matches", map[string]any{"answers": map[string]string{"sized-days": "2020-01-01/2023-12-31"}}, http.MethodPost); err != nil {
			return err
		}
		all = append(all, time.Since(start))
	}
	b.add("opening a report's page on 20,000,000 records: questions, histogram, count before a run of four years", milli(median(all)), "-", "-", "100 ms")
	return nil
}

// deep compares a page far into a result with one near its beginning.
func (b *bench) deep() error {
	report := tableOn(catalog.SQLite, 20)
	var told struct {
		Receipt struct {
			ID   int64
			Next string
		}
	}
	if _, err := b.page(report, map[string]any{"answers": map[string]string{"sized-days": "2010-01-01/2026-12-31"}, "limit": 100}, &told); err != nil {
		return err
	}
	of := told.Receipt.ID
	var near, far []time.Duration
	for page := 2; page <= 1030; page++ {
		d, err := b.page(report, map[string]any{"of": of, "after": told.Receipt.Next, "limit": 100}, &told)
		if err != nil {
			return err
		}
		switch {
		case page < 32:
			near = append(near, d)
		case page >= 1000:
			far = append(far, d)
		}
	}
	x, y := median(far), median(near)
	b.add("page 1,000 of a result, to page 2", milli(x), milli(y), fmt.Sprintf("%.2f", x.Seconds()/y.Seconds()), "1.2")
	return nil
}

// calendar compares the making of a calendar of counts with one grouped statement by hand.
func (b *bench) calendar() error {
	name := tableOn(catalog.SQLite, 10)
	if err := b.makeSized(catalog.SQLite, name, 10_000_000); err != nil {
		return err
	}
	db, err := demo.OpenFile("file:" + b.path("records.db") + "?mode=ro")
	if err != nil {
		return err
	}
	defer db.Close()
	byHand := "SELECT date(travel_on), count(*) FROM " + name + " GROUP BY 1"
	fmt.Printf("ours:    POST /api/v1/sources/of_%s/counts\nby hand: %s\n", name, byHand)
	var took [2][]time.Duration
	for range rounds {
		start := time.Now()
		if _, err := b.ask("sources/of_"+name+"/counts", nil, http.MethodPost); err != nil {
			return err
		}
		took[0] = append(took[0], time.Since(start))
		start = time.Now()
		rows, err := db.Query(byHand)
		if err != nil {
			return err
		}
		for rows.Next() {
		}
		if err := rows.Err(); err != nil {
			return err
		}
		took[1] = append(took[1], time.Since(start))
	}
	x, y := median(took[0]), median(took[1])
	b.add("making the calendar of counts for 10,000,000 records, to one GROUP BY of the day", seconds(x), seconds(y), fmt.Sprintf("%.2f", x.Seconds()/y.Seconds()), "1.3")
	return nil
}

// makeSized makes a table of records that end with the year 2026, the same on its last days
// whatever its size, and describes it to the service.
func (b *bench) makeSized(engine catalog.Engine, name string, records int) error {
	db, where, stored := demo.Database{}, "", "stored: text, pattern: yyyy-MM-dd"
	var err error
	statements := []string{
		"CREATE TABLE " + name + " (trip_id INTEGER PRIMARY KEY, travel_on TEXT, route TEXT, party INTEGER) STRICT",
		fmt.Sprintf(`WITH RECURSIVE n (i) AS (SELECT 0 UNION ALL SELECT i + 1 FROM n WHERE i + 1 < %d)
			INSERT INTO %s SELECT 20000000 - i, date('2026-12-31', '-' || (i / 2500) || ' days'), 'Route ' || (i %% 40), 1 + i %% 5 FROM n`, records, name),
		"CREATE INDEX " + name + "_by_day ON " + name + " (travel_on)",
	}
	switch engine {
	case catalog.Postgres:
		where, stored = fmt.Sprintf(", engine: %s, address: {env: %s}, schema: bench", engine, variable(engine)), "stored: native"
		db, err = demo.OpenServer(context.Background(), engine, os.Getenv(variable(engine)), "bench")
		statements[0] = "CREATE TABLE " + name + ` (trip_id INTEGER PRIMARY KEY, travel_on date, route text COLLATE "C", party INTEGER)`
		statements[1] = fmt.Sprintf("INSERT INTO %s SELECT 20000000 - i, date '2026-12-31' - i / 2500, 'Route ' || (i %% 40), 1 + i %% 5 FROM generate_series(0, %d) AS n (i)", name, records-1)
		statements = append(statements, "VACUUM ANALYZE "+name)
	default:
		db, err = b.openFile()
	}
	if err != nil {
		return err
	}
	defer db.Close()
	for _, statement := range statements {
		if _, err := db.Exec(statement); err != nil {
			return err
		}
	}
	return b.put(fmt.Sprintf(sizedDefinitions, name, where, stored))
}

// page runs a report and tells how long that took; what came is decoded where that is wanted.
func (b *bench) page(report string, body map[string]any, into any) (time.Duration, error) {
	start := time.Now()
	text, err := b.ask("reports/"+report+"/runs?output=json", body, http.MethodPost)
	took := time.Since(start)
	if err == nil && into != nil {
		err = json.Unmarshal(text, into)
	}
	return took, err
}

// ask calls the API.
func (b *bench) ask(path string, body any, method string) ([]byte, error) {
	text, err := json.Marshal(body)
	if err != nil {
		return nil, err
	}
	if body == nil {
		text = nil
	}
	req, err := http.NewRequest(method, b.url+"/api/v1/"+path, bytes.NewReader(text))
	if err != nil {
		return nil, err
	}
	req.Header.Set("Content-Type", "application/json")
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		return nil, err
	}
	defer resp.Body.Close()
	answer, err := io.ReadAll(resp.Body)
	if err == nil && resp.StatusCode != http.StatusOK {
		err = fmt.Errorf("%s: %s", resp.Status, answer)
	}
	return answer, err
}
