// Command bench measures the product beside what a good engineer would write or use
// by hand: the same records, on the same machine, in one run. Each measure prints
// both commands, compares the two outputs, takes the median of five and prints the
// ratio. make bench runs all of them.
package main

import (
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"log"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"

	"pikegate/demo"
	"pikegate/internal/core/catalog"
)

// records is how many there are; a request asks for about 1,000,000 of them.
const records = 1_200_000

// rounds is how often each side of a measure is timed.
const rounds = 5

func main() {
	log.SetFlags(0)
	if len(os.Args) == 3 && os.Args[1] == handServes {
		log.Fatal(serveByHand(os.Args[2]))
	}
	dir, err := os.MkdirTemp("", "bench")
	if err != nil {
		log.Fatal(err)
	}
	b := &bench{dir: dir}
	err = b.run(os.Args[1:])
	b.stop()
	os.RemoveAll(dir)
	if err != nil {
		log.Fatal(err)
	}
}

type bench struct {
	ctx     context.Context // of the measure under way
	dir     string
	service *exec.Cmd
	url     string
	table   []string // the lines of the summary
}

// measures are what is measured, by the name that picks one on the command line. What takes microseconds
// comes first: the servers go on to work on what was written to them for a while.
var measures = []struct {
	name string
	run  func(*bench) error
	most time.Duration // within which it ends
}{
	{"start", (*bench).start, time.Minute},
	{"core", (*bench).core, 5 * time.Minute},
	{"console", (*bench).console, time.Minute},
	{"workroom", (*bench).workroom, 3 * time.Minute},
	{"sqlite", (*bench).sqlite, 5 * time.Minute},
	{"postgres", (*bench).postgres, 5 * time.Minute},
	{"mariadb", (*bench).mariadb, 5 * time.Minute},
	{"requests", (*bench).requests, 5 * time.Minute},
	{"evidence", (*bench).evidence, 5 * time.Minute},
	{"sized", (*bench).sized, 20 * time.Minute},
	{"calendar", (*bench).calendar, 15 * time.Minute},
	{"memory", (*bench).memory, 15 * time.Minute},
	{"workbook", (*bench).workbook, 10 * time.Minute},
	{"readers", (*bench).readers, 10 * time.Minute},
}

func (b *bench) run(only []string) error {
	fmt.Printf("%s, %d processors, %s/%s\n", time.Now().Format(time.DateOnly), runtime.NumCPU(), runtime.GOOS, runtime.GOARCH)
	var failed []error
	for _, m := range measures {
		if len(only) > 0 && !slices.Contains(only, m.name) {
			continue
		}
		fmt.Printf("\n== %s\n", m.name)
		if err := b.within(m.most, m.run); err != nil {
			fmt.Printf("failed: %v\n", err)
			failed = append(failed, fmt.Errorf("%s: %w", m.name, err))
		}
	}
	fmt.Printf("\n| measure | ours | by hand | ratio | limit |\n|---|---|---|---|---|\n%s\n", strings.Join(b.table, "\n"))
	return errors.Join(failed...)
}

// within runs one measure. At its deadline the commands that it started and the service are killed,
// so that it ends; a measure that fails leaves nothing behind for the next one.
func (b *bench) within(most time.Duration, measure func(*bench) error) error {
	ctx, cancel := context.WithTimeout(context.Background(), most)
	defer cancel()
	b.ctx = ctx
	if b.service == nil {
		if err := b.serve(); err != nil {
			return err
		}
	}

	ended := make(chan error, 1)
	go func() { ended <- measure(b) }()
	select {
	case err := <-ended:
		if err != nil {
			b.stop()
		}
		return err
	case <-ctx.Done():
	}

	b.kill()
	missed := fmt.Errorf("it did not end within %s", most)
	select {
	case err := <-ended:
		missed = errors.Join(missed, err)
	case <-time.After(time.Minute):
		missed = fmt.Errorf("%w, nor once its commands were killed", missed)
	}
	b.stop() // so that the next measure does not meet a service that was killed
	return missed
}

// command is a command that is killed, with what it started, at the deadline of the measure.
func (b *bench) command(name string, args ...string) *exec.Cmd {
	c := exec.CommandContext(b.ctx, name, args...)
	c.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	c.Cancel = func() error { return syscall.Kill(-c.Process.Pid, syscall.SIGKILL) }
	c.WaitDelay = 5 * time.Second
	return c
}

// add adds a line to the summary.
func (b *bench) add(what, ours, theirs, ratio, limit string) {
	line := fmt.Sprintf("| %s | %s | %s | %s | %s |", what, ours, theirs, ratio, limit)
	fmt.Println(line)
	b.table = append(b.table, line)
}

const binary = "bin/pikegate"

// serve starts the service and gives it its definitions.
func (b *bench) serve() error {
	free, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return err
	}
	address := free.Addr().String()
	if err := free.Close(); err != nil {
		return err
	}
	b.url = "http://" + address
	b.service = exec.Command(binary, "serve", "--data", b.dir, "--listen", address, "--log", "error", "--run-time", "1h")
	b.service.Stderr = os.Stderr
	if err := b.service.Start(); err != nil {
		return err
	}
	return b.answers()
}

func (b *bench) answers() error {
	for range 20_000 {
		resp, err := http.Get(b.url + "/healthz")
		if err == nil {
			resp.Body.Close()
			return nil
		}
		time.Sleep(500 * time.Microsecond)
	}
	return errors.New("the service does not answer")
}

// kill ends the service at once. It does not wait for the process; stop does.
func (b *bench) kill() {
	if b.service != nil && b.service.Process != nil {
		_ = b.service.Process.Kill()
	}
}

func (b *bench) stop() {
	if b.service != nil && b.service.Process != nil {
		_ = b.service.Process.Signal(os.Interrupt)
		_ = b.service.Wait()
		b.service = nil
	}
}

// put gives the service definitions.
func (b *bench) put(text string) error {
	path := filepath.Join(b.dir, "definitions.yaml")
	if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
		return err
	}
	out, err := b.command(binary, "put", "--server", b.url, path).CombinedOutput()
	if err != nil {
		return fmt.Errorf("%w: %s", err, out)
	}
	return nil
}

// definitions describe the trips on an engine.
func definitions(source, keys, on string) string {
	return strings.NewReplacer("SOURCE", source, "KEYS", keys, "ON", on).Replace(`pikegate: 1
source: SOURCE
zone: Europe/Helsinki
KEYS---
pikegate: 1
dataset: SOURCE-trips
source: SOURCE
table: trips
key: [trip_id]
columns:
  trip_id: {type: integer}
  travel_on: {type: date, ON}
  route: {type: text}
  vessel: {type: text}
  party: {type: integer}
  fare: {type: decimal, scale: 2}
---
{pikegate: 1, prompt: SOURCE-days, ask: Days, type: period}
---
{pikegate: 1, query: SOURCE-trips, of: SOURCE-trips, show: [trip_id, travel_on, route, vessel, party, fare], where: {travel_on: {within: {prompt: SOURCE-days}}}, sort: [travel_on]}
---
{pikegate: 1, report: SOURCE-trips, title: Trips, prompts: [SOURCE-days], sections: [{table: {query: SOURCE-trips}}]}
---
{pikegate: 1, query: SOURCE-sums, of: SOURCE-trips, where: {travel_on: {within: {prompt: SOURCE-days}}}, group: [{travel_on: {by: day, fill: true}}, route], summaries: {trips: count, people: {sum: party}, fares: {sum: fare}}}
---
{pikegate: 1, report: SOURCE-sums, title: Sums, prompts: [SOURCE-days], sections: [{table: {query: SOURCE-sums, compare: previous, totals: [trips, people, fares]}}]}
`)
}

// columns are those of the trips; days go up with the ids, as they do where records
// are written day by day.
func trip(i int) []string {
	day := time.Date(2024, 1, 1, 0, 0, 0, 0, time.UTC).AddDate(0, 0, i/1000+i*7919%30)
	return []string{strconv.Itoa(i), day.Format(time.DateOnly), fmt.Sprintf("Route %d", i*31%40), fmt.Sprintf("Vessel %d", i*17%23), strconv.Itoa(1 + i%6),
		fmt.Sprintf("%d.%02d", i*3571%90000/100, i*3571%100)}
}

// fill makes the trips with so many records, and an index by day.
func fill(db demo.Database, types map[string]string, analyze string, n int) error {
	ctx := context.Background()
	if _, err := db.ExecContext(ctx, "DROP TABLE IF EXISTS trips"); err != nil { // of a run before
		return err
	}
	if _, err := db.ExecContext(ctx, fmt.Sprintf("CREATE TABLE trips (trip_id INTEGER PRIMARY KEY, travel_on %s NOT NULL, route %[2]s NOT NULL, vessel %[2]s NOT NULL, party INTEGER NOT NULL, fare %s)",
		types["day"], types["text"], types["fare"])); err != nil {
		return err
	}
	const most = 1000
	tx, err := db.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer tx.Rollback()
	var insert strings.Builder
	for i := 1; i <= n; i++ {
		if insert.Len() > 0 {
			insert.WriteString(", ")
		}
		v := trip(i)
		fmt.Fprintf(&insert, "(%s, '%s', '%s', '%s', %s, %s)", v[0], v[1], v[2], v[3], v[4], v[5])
		if i%most == 0 || i == n {
			if _, err := tx.ExecContext(ctx, "INSERT INTO trips VALUES "+insert.String()); err != nil {
				return err
			}
			insert.Reset()
		}
	}
	if err := tx.Commit(); err != nil {
		return err
	}
	for _, s := range []string{"CREATE INDEX by_day ON trips (travel_on, trip_id)", analyze} {
		if _, err := db.ExecContext(ctx, s); err != nil {
			return err
		}
	}
	return nil
}

// openFile opens the file of the service's own source, to be written to.
func (b *bench) openFile() (demo.Database, error) {
	return demo.OpenFile("file:" + b.path("records.db") + "?_journal_mode=WAL&_synchronous=OFF")
}

// fillFile makes so many trips in it.
func (b *bench) fillFile(n int) (demo.Database, error) {
	db, err := b.openFile()
	if err != nil {
		return db, err
	}
	return db, fill(db, map[string]string{"day": "TEXT", "text": "TEXT", "fare": "REAL"}, "ANALYZE", n)
}

const (
	first, last, after = "2024-02-01", "2026-11-05", "2026-11-06" // about 1,000,000 trips
	shown              = "SELECT trip_id, travel_on, route, vessel, party, fare FROM trips WHERE travel_on >= '" + first + "' AND travel_on < '" + after + "'"
	sorted             = " ORDER BY travel_on, trip_id"
)

// curl is the command that asks for all rows of a report as CSV.
func (b *bench) curl(source, report, to string) []string {
	return b.curlOn(source, report, first, last, to)
}

func (b *bench) curlOn(source, report, first, last, to string) []string {
	return []string{"curl", "-s", "-S", "--fail", "-o", to, "-H", "Content-Type: application/json", "-d", fmt.Sprintf(`{"answers":{"%s-days":"%s/%s"}}`, source, first, last),
		b.url + "/api/v1/reports/" + source + "-" + report + "/runs?output=csv"}
}

// compare times both commands, in turns, and compares what they wrote.
func (b *bench) compare(what, limit string, ours, theirs []string, oursOut, theirsOut string, toFile bool) error {
	fmt.Printf("ours:    %s\nby hand: %s\n", strings.Join(ours, " "), strings.Join(theirs, " "))
	var took [2][]time.Duration
	for range rounds {
		for i, command := range [][]string{ours, theirs} {
			start := time.Now()
			c := b.command(command[0], command[1:]...)
			c.Stderr = os.Stderr
			if i == 1 && toFile {
				f, err := os.Create(theirsOut)
				if err != nil {
					return err
				}
				c.Stdout = f
				defer f.Close()
			}
			if err := c.Run(); err != nil {
				return fmt.Errorf("%s: %w", command[0], err)
			}
			took[i] = append(took[i], time.Since(start))
		}
	}
	n, err := same(oursOut, theirsOut)
	if err != nil {
		return err
	}
	fmt.Printf("%d records, the same in both\n", n)
	a, c := median(took[0]), median(took[1])
	b.add(what, seconds(a), seconds(c), fmt.Sprintf("%.2f", a.Seconds()/c.Seconds()), limit)
	return nil
}

func seconds(d time.Duration) string { return fmt.Sprintf("%.2f s", d.Seconds()) }

func median(all []time.Duration) time.Duration {
	slices.Sort(all)
	return all[len(all)/2]
}

// same compares two results field by field: as texts, or as numbers where their
// texts differ in zeros at the end. MariaDB's client parts fields by tabs.
func same(ours, theirs string) (int, error) {
	a, err := os.Open(ours)
	if err != nil {
		return 0, err
	}
	defer a.Close()
	c, err := os.Open(theirs)
	if err != nil {
		return 0, err
	}
	defer c.Close()
	left, right := csv.NewReader(a), csv.NewReader(c)
	if strings.HasSuffix(theirs, ".tsv") {
		right.Comma = '\t'
	}
	for n := -1; ; n++ {
		x, err := left.Read()
		y, errRight := right.Read()
		if err == io.EOF && errRight == io.EOF {
			return n, nil
		}
		if err := errors.Join(err, errRight); err != nil {
			return n, fmt.Errorf("after %d records: %w", n, err)
		}
		for i := range x {
			p, err := strconv.ParseFloat(x[i], 64)
			q, errRight := strconv.ParseFloat(y[i], 64)
			if x[i] != y[i] && (err != nil || errRight != nil || p != q) {
				return n, fmt.Errorf("record %d differs: %q and %q", n, x, y)
			}
		}
	}
}

func (b *bench) path(name string) string { return filepath.Join(b.dir, name) }

// start is how long it takes until the service answers.
func (b *bench) start() error {
	var took []time.Duration
	for range rounds {
		b.stop()
		begin := time.Now()
		if err := b.serve(); err != nil {
			return err
		}
		took = append(took, time.Since(begin))
	}
	b.add("`pikegate serve` until it answers", fmt.Sprintf("%d ms", median(took).Milliseconds()), "-", "-", "200 ms")
	return nil
}

func (b *bench) sqlite() error {
	file := b.path("records.db")
	db, err := b.fillFile(records)
	if err != nil {
		return err
	}
	defer db.Close()
	if err := b.put(definitions("own", "", "stored: text, pattern: yyyy-MM-dd")); err != nil {
		return err
	}
	err = b.compare("CSV of 1,000,000 records from SQLite, to `sqlite3 -csv`", "0.7", b.curl("own", "trips", b.path("ours.csv")),
		[]string{"sqlite3", "-csv", "-header", file, shown + " AND date(travel_on) = travel_on" + sorted}, b.path("ours.csv"), b.path("theirs.csv"), true)
	if err != nil {
		return err
	}
	return b.compare(summed+" from SQLite, to the two GROUP BYs by hand", "1.1", b.curlOn("own", "sums", second, last, b.path("ours.csv")),
		[]string{"sqlite3", "-csv", "-header", file, sums("julianday(travel_on) - julianday('%s')", "trips")}, b.path("ours.csv"), b.path("theirs.csv"), true)
}

const (
	summed = "a summary of about 1,000,000 by day and route with fill, totals and the period before"
	second = "2025-06-20" // about half of the trips are from that day on, and half from as many days before
	before = "2024-02-02"
)

// sums are two periods by day and route, as one writes it by hand. offset tells how many days a day
// lies after another.
func sums(offset, table string) string {
	period := func(from, until string) string {
		return fmt.Sprintf("SELECT "+offset+" AS n, travel_on, route, count(*) AS trips, sum(party) AS people, round(sum(fare), 2) AS fares FROM %s WHERE travel_on >= '%[1]s' AND travel_on < '%[3]s' GROUP BY travel_on, route", from, table, until)
	}
	return "SELECT a.travel_on, a.route, a.trips, a.people, a.fares, b.trips AS trips_previous, b.people AS people_previous, b.fares AS fares_previous FROM (" +
		period(second, after) + ") a JOIN (" + period(before, second) + ") b ON a.n = b.n AND a.route = b.route ORDER BY a.travel_on, a.route"
}

// server makes the trips on a server, and describes them to the service.
func (b *bench) server(engine catalog.Engine, types map[string]string, analyze string) error {
	db, err := demo.OpenServer(context.Background(), engine, os.Getenv(variable(engine)), "bench")
	if err != nil {
		return err
	}
	defer db.Close()
	if err := fill(db, types, analyze, records); err != nil {
		return err
	}
	return b.put(definitions(string(engine), fmt.Sprintf("engine: %s\naddress: {env: %s}\nschema: bench\n", engine, variable(engine)), "stored: native"))
}

func variable(engine catalog.Engine) string {
	return "PIKEGATE_TEST_" + strings.ToUpper(string(engine))
}

func (b *bench) postgres() error {
	if err := b.server(catalog.Postgres, map[string]string{"day": "date", "text": `text COLLATE "C"`, "fare": "numeric(8, 2)"}, "VACUUM ANALYZE trips"); err != nil {
		return err
	}
	copied := fmt.Sprintf(`\copy (%s) to '%s' csv header`, strings.ReplaceAll(shown, "FROM trips", "FROM bench.trips")+sorted, b.path("theirs.csv"))
	err := b.compare("the same from PostgreSQL, to `psql \\copy`", "0.75", b.curl("postgres", "trips", b.path("ours.csv")), []string{"psql", os.Getenv(variable(catalog.Postgres)), "-q", "-c", copied},
		b.path("ours.csv"), b.path("theirs.csv"), false)
	if err != nil {
		return err
	}
	copied = fmt.Sprintf(`\copy (%s) to '%s' csv header`, sums("travel_on - date '%s'", "bench.trips"), b.path("theirs.csv"))
	return b.compare("the same summary from PostgreSQL", "1.1", b.curlOn("postgres", "sums", second, last, b.path("ours.csv")), []string{"psql", os.Getenv(variable(catalog.Postgres)), "-q", "-c", copied},
		b.path("ours.csv"), b.path("theirs.csv"), false)
}

func (b *bench) mariadb() error {
	if err := b.server(catalog.MariaDB, map[string]string{"day": "DATE", "text": "VARCHAR(20)", "fare": "DECIMAL(8, 2)"}, "ANALYZE TABLE trips"); err != nil {
		return err
	}
	at := strings.TrimSuffix(strings.TrimPrefix(os.Getenv(variable(catalog.MariaDB)), "mariadb://root@127.0.0.1:"), "/")
	hand := func(query string) []string {
		return []string{"mariadb", "--no-defaults", "-h", "127.0.0.1", "-P", at, "-u", "root", "--batch", "--quick", "bench", "-e", query}
	}
	err := b.compare("the same from MariaDB, to `mariadb --batch --quick`", "0.95", b.curl("mariadb", "trips", b.path("ours.csv")), hand(shown+sorted), b.path("ours.csv"), b.path("theirs.tsv"), true)
	if err != nil {
		return err
	}
	return b.compare("the same summary from MariaDB", "1.1", b.curlOn("mariadb", "sums", second, last, b.path("ours.csv")), hand(sums("datediff(travel_on, '%s')", "trips")), b.path("ours.csv"), b.path("theirs.tsv"), true)
}

// memory is how much the service grows while ten million records go out.
func (b *bench) memory() error {
	db, err := b.openFile()
	if err != nil {
		return err
	}
	defer db.Close()
	const n = 10_000_000
	if _, err := db.Exec(fmt.Sprintf("CREATE TABLE many AS WITH RECURSIVE n (i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < %d) SELECT i AS trip_id, 'Route ' || (i %% 40) AS route FROM n", n)); err != nil {
		return err
	}
	if _, err := db.Exec("CREATE UNIQUE INDEX many_by_id ON many (trip_id)"); err != nil {
		return err
	}
	if err := b.put(`pikegate: 1
source: own
zone: Europe/Helsinki
---
pikegate: 1
dataset: many
source: own
table: many
key: [trip_id]
columns:
  trip_id: {type: integer}
  route: {type: text}
---
{pikegate: 1, query: many, of: many, show: [trip_id, route], sort: [trip_id]}
---
{pikegate: 1, report: many, title: Many, prompts: [], sections: [{table: {query: many}}]}
`); err != nil {
		return err
	}
	before, err := b.resident()
	if err != nil {
		return err
	}
	resp, err := http.Post(b.url+"/api/v1/reports/many/runs?output=csv", "application/json", strings.NewReader(`{"answers":{}}`))
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	lines, most, err := b.watched(resp.Body)
	if err != nil {
		return err
	}
	if lines != n+1 {
		return fmt.Errorf("%d lines came", lines)
	}
	b.add("growth of resident memory while 10,000,000 records go out as CSV", fmt.Sprintf("%.1f MiB", float64(max(most-before, 0))/1024), "-", "-", "32 MiB")
	return nil
}

// watched reads a body to its end. It counts its lines, and tells the most memory of the
// service meanwhile, in KiB.
func (b *bench) watched(body io.Reader) (lines, most int, err error) {
	read := make([]byte, 1<<20)
	for next := time.Now(); ; {
		k, err := body.Read(read)
		lines += bytes.Count(read[:k], []byte("\n"))
		if time.Now().After(next) {
			now, err := b.resident()
			if err != nil {
				return 0, 0, err
			}
			most, next = max(most, now), time.Now().Add(50*time.Millisecond)
		}
		if err == io.EOF {
			return lines, most, nil
		}
		if err != nil {
			return 0, 0, err
		}
	}
}

// resident is the memory of the service in KiB.
func (b *bench) resident() (int, error) {
	text, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", b.service.Process.Pid))
	if err != nil {
		return 0, err
	}
	_, rest, _ := strings.Cut(string(text), "VmRSS:")
	return strconv.Atoi(strings.Fields(rest)[0])
}
