package main

import (
	"bytes"
	"compress/gzip"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"time"
)

// What has no equal by hand is held to a limit alone.

// timed is a line of a benchmark of the tests: its name, nanoseconds and allocations.
var timed = regexp.MustCompile(`(?m)^Benchmark(\S+?)(?:-\d+)?\s+\d+\s+([\d.]+) ns/op\s+\d+ B/op\s+(\d+) allocs/op`)

// core measures reading days, and answers that become statements.
func (b *bench) core() error {
	command := []string{"go", "test", "-p", "1", "-count", strconv.Itoa(rounds), "-run", "^$", "-bench", "^(BenchmarkRead|BenchmarkValidateAndCompile)$", "./internal/core/phrase", "./internal/core/compile"}
	fmt.Println(strings.Join(command, " "))
	out, err := b.command(command[0], command[1:]...).CombinedOutput()
	if err != nil {
		return fmt.Errorf("%w: %s", err, out)
	}
	micro := func(d time.Duration) string { return fmt.Sprintf("%.2f µs", float64(d)/1000) }
	took, allocations := map[string][]time.Duration{}, ""
	for _, line := range timed.FindAllStringSubmatch(string(out), -1) {
		n, err := strconv.ParseFloat(line[2], 64)
		if err != nil {
			return err
		}
		if took[line[1]] = append(took[line[1]], time.Duration(n)); line[1] == "ValidateAndCompile" {
			allocations = line[3]
		}
	}
	var iso, other, compiled time.Duration
	for name, all := range took {
		switch once := median(all); {
		case name == "ValidateAndCompile":
			compiled = once
		case strings.HasPrefix(name, "Read/2026-03-0"):
			iso = max(iso, once)
		default:
			other = max(other, once)
		}
	}
	if iso == 0 || other == 0 || compiled == 0 {
		return fmt.Errorf("a benchmark is missing: %s", out)
	}
	b.add("answers checked and criteria compiled, 5 prompts, 8 conditions", fmt.Sprintf("%s, %s allocations", micro(compiled), allocations), "-", "-", "10 µs, 100 allocations")
	b.add("a day or a period read from text: ISO", micro(iso), "-", "-", "1 µs")
	b.add("the same: the slowest of the other forms", micro(other), "-", "-", "3 µs")
	return nil
}

// loaded are the scripts and styles that a page of the console names.
var loaded = regexp.MustCompile(`(?:src|href)="/(assets/[^"]+)"`)

// console measures what a reader's first page loads.
func (b *bench) console() error {
	page, err := os.ReadFile("console/dist/index.html")
	if err != nil {
		return err
	}
	var packed bytes.Buffer
	for _, name := range loaded.FindAllSubmatch(page, -1) {
		text, err := os.ReadFile(filepath.Join("console/dist", string(name[1])))
		if err != nil {
			return err
		}
		w := gzip.NewWriter(&packed)
		if _, err := w.Write(text); err != nil {
			return err
		}
		if err := w.Close(); err != nil {
			return err
		}
	}
	b.add("the console's scripts and styles for a reader's first page, gzip", fmt.Sprintf("%d kB", packed.Len()/1000), "-", "-", "120 kB")
	return nil
}

// workroom measures key strokes in a definition of 60 conditions, in a browser.
func (b *bench) workroom() error {
	db, err := b.fillFile(1000)
	if err != nil {
		return err
	}
	defer db.Close()
	var conditions strings.Builder
	for i := range 60 {
		fmt.Fprintf(&conditions, "    - %s: {at_least: %d}\n", []string{"party", "fare", "trip_id"}[i%3], i+1)
	}
	text := definitions("own", "", "stored: text, pattern: yyyy-MM-dd") + "---\npikegate: 1\nquery: sixty\nof: own-trips\nshow: [trip_id, travel_on]\nwhere:\n  any:\n" + conditions.String()
	if err := b.put(text); err != nil {
		return err
	}
	c := b.command("node", "keystroke.mjs", b.url, "sixty", "party")
	c.Dir, c.Stderr = "console", os.Stderr
	fmt.Println(strings.Join(c.Args, " "))
	out, err := c.Output()
	if err != nil {
		return err
	}
	var all []time.Duration
	for _, word := range strings.Fields(string(out)) {
		took, err := strconv.ParseFloat(word, 64)
		if err != nil {
			return err
		}
		all = append(all, time.Duration(took*float64(time.Millisecond)))
	}
	if len(all) == 0 {
		return errors.New("no key stroke was timed")
	}
	b.add("a key stroke in the workroom until sentence, findings and file agree, 60 conditions", fmt.Sprintf("%d ms", median(all).Milliseconds()), "-", "-", "50 ms")
	return nil
}

// readers lets 64 readers at a mix of the demo's reports for five minutes.
func (b *bench) readers() error {
	const span = 5 * time.Minute
	c := b.command("go", "test", "-count", "1", "-timeout", "30m", "-run", "^TestSoakReaders$", "-v", "./internal/api")
	c.Env = append(os.Environ(), "PIKEGATE_SOAK="+span.String())
	fmt.Println("PIKEGATE_SOAK="+span.String(), strings.Join(c.Args, " "))
	text, err := c.Output()
	if err != nil {
		return fmt.Errorf("%w: %s", err, text)
	}
	found := regexp.MustCompile(`(\d+) requests in \S+, (\d+) failed; live memory (\d+) to (\d+) KiB`).FindSubmatch(text)
	if found == nil {
		return fmt.Errorf("the readers did not tell: %s", text)
	}
	kib := func(n []byte) float64 {
		k, _ := strconv.Atoi(string(n)) // which are digits
		return float64(k) / 1024
	}
	b.add("64 readers at once on a mix of the demo's reports for 5 minutes", fmt.Sprintf("%s requests, %s failed; live memory %.0f to %.0f MiB", found[1], found[2], kib(found[3]), kib(found[4])), "-", "-", "no error, no growth after a minute")
	return nil
}
