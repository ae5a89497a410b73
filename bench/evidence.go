package main

import (
	"bufio"
	"bytes"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"strings"
	"time"

	"golang.org/x/sync/errgroup"

	"pikegate/internal/api"
	"pikegate/internal/service/receipt"
	"pikegate/internal/store"
)

// conditions is a report with eight conditions.
const conditions = `
{pikegate: 1, query: own-conditions, of: own-trips, show: [trip_id, travel_on, route, vessel, party, fare], sort: [travel_on],
 where: {all: [{travel_on: {within: {prompt: own-days}}}, {route: {none_of: [Route 1, Route 2]}}, {party: {at_least: 2}}, {fare: {at_least: 10}},
   {vessel: {is_not: Vessel 3}}, {party: {at_most: 5}}, {fare: {less_than: 850}}, {route: {starts_with: Route}}]}}
---
{pikegate: 1, report: own-conditions, title: Conditions, prompts: [own-days], sections: [{table: {query: own-conditions}}]}
`

// byHandConditions are the same conditions, as one would write them.
var byHandConditions = []string{
	"travel_on >= '" + first + "' AND travel_on < '" + after + "'", "route NOT IN ('Route 1', 'Route 2')", "party >= 2", "fare >= 10",
	"vessel <> 'Vessel 3'", "party <= 5", "fare < 850", "route LIKE 'Route%'",
}

// byHandCounts are the statements that count by hand what the evidence tells.
func byHandCounts() []string {
	const from = " FROM trips"
	all := strings.Join(byHandConditions, " AND ")
	others := strings.Join(byHandConditions[1:], " AND ")
	counts := []string{
		"SELECT count(*)" + from,
		"SELECT count(*)" + from + " WHERE travel_on < '" + first + "' AND date(travel_on) = travel_on",
		"SELECT count(*)" + from + " WHERE travel_on >= '" + after + "' AND date(travel_on) = travel_on",
		"SELECT count(*)" + from + " WHERE travel_on IS NULL",
		"SELECT count(*)" + from + " WHERE date(travel_on) IS NOT travel_on AND travel_on IS NOT NULL",
		"SELECT min(travel_on), max(travel_on)" + from,
		"SELECT min(travel_on), max(travel_on)" + from + " WHERE " + all,
		"SELECT count(*)" + from + " WHERE " + all + " AND travel_on = '" + first + "'",
		"SELECT count(*)" + from + " WHERE " + all + " AND travel_on = '" + last + "'",
		"SELECT max(travel_on)" + from + " WHERE travel_on < '" + first + "' AND " + others,
		"SELECT min(travel_on)" + from + " WHERE travel_on >= '" + after + "' AND " + others,
	}
	for i := range byHandConditions {
		counts = append(counts, "SELECT count(*)"+from+" WHERE "+strings.Join(byHandConditions[:i+1], " AND "))
	}
	return counts
}

// evidence compares the counting of evidence with the counting statements by hand.
func (b *bench) evidence() error {
	if err := b.put(conditions); err != nil {
		return err
	}
	db, err := sql.Open("sqlite3", "file:"+b.path("records.db")+"?mode=ro")
	if err != nil {
		return err
	}
	defer db.Close()
	counts := byHandCounts()
	fmt.Printf("ours:    the evidence of own-conditions\nby hand: %s\n", strings.Join(counts, ";\n         "))
	var took [2][]time.Duration
	var statements int
	for range rounds {
		r, err := b.withEvidence()
		if err != nil {
			return err
		}
		took[0] = append(took[0], time.Duration(r.Time.Counting*float64(time.Millisecond)))
		statements = r.Evidence.Statements

		start := time.Now()
		left, err := countedByHand(db, counts)
		if err != nil {
			return err
		}
		took[1] = append(took[1], time.Since(start))
		if got := r.Evidence.ConditionCounts[len(r.Evidence.ConditionCounts)-1].Left; got != left {
			return fmt.Errorf("%d records are left after all conditions, and %d by hand", got, left)
		}
	}
	var first [2][]time.Duration // until the rows are here, with evidence and without
	for range 10 * rounds {
		for i, asked := range []bool{true, false} {
			d, err := b.untilRows(asked)
			if err != nil {
				return err
			}
			first[i] = append(first[i], d)
		}
	}
	with, without := median(first[0]), median(first[1])
	b.add("until the first 200 rows are there: with all evidence, to without", with.Round(time.Microsecond).String(), without.Round(time.Microsecond).String(), fmt.Sprintf("%.2f", with.Seconds()/without.Seconds()), "1.0")
	ours, hand := median(took[0]), median(took[1])
	fmt.Printf("%d statements against %d\n", statements, len(counts))
	b.add("all evidence of 8 conditions over 1,200,000 records, to the counting statements by hand", seconds(ours), seconds(hand), fmt.Sprintf("%.2f", ours.Seconds()/hand.Seconds()), "1.1")
	return nil
}

// withEvidence runs the report with evidence and returns its receipt.
func (b *bench) withEvidence() (receipt.Receipt, error) {
	var r receipt.Receipt
	body := fmt.Sprintf(`{"answers":{"own-days":"%s/%s"},"evidence":"whole"}`, first, last)
	resp, err := http.Post(b.url+"/api/v1/reports/own-conditions/runs?output=csv", "application/json", strings.NewReader(body))
	if err != nil {
		return r, err
	}
	defer resp.Body.Close()
	if _, err = io.Copy(io.Discard, resp.Body); err != nil {
		return r, err
	}
	at := strings.Trim(strings.Split(resp.Header.Get("Link"), ";")[0], "<>")
	told, err := http.Get(b.url + at)
	if err != nil {
		return r, err
	}
	defer told.Body.Close()
	return r, json.NewDecoder(told.Body).Decode(&r)
}

// countedByHand runs the counting statements, and returns what the last one counted.
func countedByHand(db *sql.DB, counts []string) (left int64, err error) {
	for _, count := range counts {
		values := []any{&left}
		if strings.HasPrefix(count, "SELECT m") {
			var least, most sql.NullString
			values = []any{&least, &most}[:strings.Count(strings.Split(count, " FROM")[0], "(")]
		}
		if err := db.QueryRow(count).Scan(values...); err != nil {
			return 0, fmt.Errorf("%s: %w", count, err)
		}
	}
	return left, nil
}

// untilRows is how long it takes until the rows of a page are here.
func (b *bench) untilRows(evidence bool) (time.Duration, error) {
	body := fmt.Sprintf(`{"answers":{"own-days":"%s/%s"},"limit":200,"evidence":%t,"uncounted":true}`, first, last, evidence)
	start := time.Now()
	resp, err := http.Post(b.url+"/api/v1/reports/own-conditions/runs?output=json", "application/json", strings.NewReader(body))
	if err != nil {
		return 0, err
	}
	defer resp.Body.Close()
	lines := bufio.NewReader(resp.Body)
	for {
		line, err := lines.ReadSlice('\n')
		if err != nil && err != io.EOF && err != bufio.ErrBufferFull {
			return 0, err
		}
		if bytes.HasSuffix(line, []byte("]\n")) { // the last row has no comma
			return time.Since(start), nil
		}
		if err == io.EOF {
			return 0, errors.New("the rows have no end")
		}
	}
}

// recorder puts the ends of runs on record as the service does: receipts as its last one, in a file of
// its own that has many already.
func (b *bench) recorder() (record func() (time.Duration, error), end func() error, err error) {
	var list api.ReceiptList
	resp, err := http.Get(b.url + api.Prefix + "/receipts?limit=1")
	if err != nil {
		return nil, nil, err
	}
	defer resp.Body.Close()
	if err := json.NewDecoder(resp.Body).Decode(&list); err != nil {
		return nil, nil, err
	}
	text, err := json.Marshal(list.Receipts[0])
	if err != nil {
		return nil, nil, err
	}
	own, err := store.Open(b.path("recorded.db"), 0, slog.Default())
	if err != nil {
		return nil, nil, err
	}
	keep := func() error {
		r := list.Receipts[0].Row(text, nil, nil)
		r.ID = own.NextReceipt()
		return own.Keep(r)
	}
	var many errgroup.Group
	for range 64 {
		many.Go(func() error {
			for range 300 {
				if err := keep(); err != nil {
					return err
				}
			}
			return nil
		})
	}
	if err := many.Wait(); err != nil {
		return nil, nil, errors.Join(err, own.Close())
	}
	return func() (time.Duration, error) {
		start := time.Now()
		err := keep()
		return time.Since(start), err
	}, own.Close, nil
}
