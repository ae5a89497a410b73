package main

import (
	"errors"
	"fmt"
	"os"
	"time"

	"github.com/xuri/excelize/v2"

	"pikegate/demo"
)

// workbook compares a workbook of a million records with a plain loop over the same library's stream
// writer, and tells how much the service grows meanwhile.
func (b *bench) workbook() error {
	db, err := b.fillFile(records)
	if err != nil {
		return err
	}
	defer db.Close()
	if err := b.put(definitions("own", "", "stored: text, pattern: yyyy-MM-dd")); err != nil {
		return err
	}
	ours, theirs := b.path("ours.xlsx"), b.path("theirs.xlsx")
	command := b.curl("own", "trips", ours)
	command[len(command)-1] = b.url + "/api/v1/reports/own-trips/runs?output=xlsx"
	fmt.Printf("ours:    %v\nby hand: rows of database/sql into excelize's StreamWriter\n", command)
	before, err := b.resident()
	if err != nil {
		return err
	}
	var took [2][]time.Duration
	most := 0
	for range rounds {
		start := time.Now()
		c := b.command(command[0], command[1:]...)
		c.Stderr = os.Stderr
		if err := c.Start(); err != nil {
			return err
		}
		ended := make(chan error, 1)
		go func() { ended <- c.Wait() }()
		for err = errRunning; errors.Is(err, errRunning); {
			select {
			case err = <-ended:
			case <-time.After(50 * time.Millisecond):
				now, wrong := b.resident()
				if most = max(most, now); wrong != nil {
					return wrong
				}
			}
		}
		if err != nil {
			return err
		}
		took[0] = append(took[0], time.Since(start))
		start = time.Now()
		if err := byHandWorkbook(db, theirs); err != nil {
			return err
		}
		took[1] = append(took[1], time.Since(start))
	}
	n, err := sameSheets(ours, theirs)
	if err != nil {
		return err
	}
	fmt.Printf("%d records, the same in both\n", n)
	p, q := median(took[0]), median(took[1])
	b.add("XLSX of 1,000,000 records from SQLite, to a plain loop over the same library", seconds(p), seconds(q), fmt.Sprintf("%.2f", p.Seconds()/q.Seconds()), "1.1")
	b.add("growth of resident memory meanwhile", fmt.Sprintf("%.1f MiB", float64(max(most-before, 0))/1024), "-", "-", "64 MiB")
	return nil
}

var errRunning = errors.New("it runs")

// byHandWorkbook writes the trips as one writes it by hand.
func byHandWorkbook(db demo.Database, path string) error {
	f := excelize.NewFile()
	defer f.Close()
	format := "yyyy-mm-dd"
	dated, err := f.NewStyle(&excelize.Style{CustomNumFmt: &format})
	if err != nil {
		return err
	}
	w, err := f.NewStreamWriter("Sheet1")
	if err != nil {
		return err
	}
	if err := w.SetRow("A1", []any{"trip_id", "travel_on", "route", "vessel", "party", "fare"}); err != nil {
		return err
	}
	rows, err := db.Query(shown + " AND date(travel_on) = travel_on" + sorted)
	if err != nil {
		return err
	}
	defer rows.Close()
	for n := 2; rows.Next(); n++ {
		var id, party int64
		var on, route, vessel string
		var fare float64
		if err := rows.Scan(&id, &on, &route, &vessel, &party, &fare); err != nil {
			return err
		}
		day, err := time.Parse(time.DateOnly, on)
		if err != nil {
			return err
		}
		if err := w.SetRow(fmt.Sprintf("A%d", n), []any{id, excelize.Cell{StyleID: dated, Value: day}, route, vessel, party, fare}); err != nil {
			return err
		}
	}
	return errors.Join(rows.Err(), w.Flush(), f.SaveAs(path))
}

// sameSheets compares the raw cells of two workbooks' first sheets, below their headings.
func sameSheets(ours, theirs string) (int, error) {
	var all [2]*excelize.Rows
	for i, path := range []string{ours, theirs} {
		f, err := excelize.OpenFile(path, excelize.Options{RawCellValue: true})
		if err != nil {
			return 0, err
		}
		defer f.Close()
		if all[i], err = f.Rows(f.GetSheetName(0)); err != nil {
			return 0, err
		}
		defer all[i].Close()
	}
	for n := -1; ; n++ {
		more, too := all[0].Next(), all[1].Next()
		if !more || !too {
			if more != too {
				return n, fmt.Errorf("one of them ends after %d records", n)
			}
			return n, nil
		}
		x, err := all[0].Columns()
		y, wrong := all[1].Columns()
		if err := errors.Join(err, wrong); err != nil {
			return n, err
		}
		if n >= 0 && fmt.Sprint(x) != fmt.Sprint(y) {
			return n, fmt.Errorf("record %d differs: %q and %q", n, x, y)
		}
	}
}
