package main

import (
	"database/sql"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"os/exec"
	"strings"
	"sync"
	"time"

	"github.com/gin-gonic/gin"
	_ "github.com/mattn/go-sqlite3"
)

// byHand is the handler that a good engineer would write for the one report: the SQL
// in the code, the days checked, the rows scanned into a struct.
func byHand(file string) (http.Handler, error) {
	db, err := sql.Open("sqlite3", "file:"+file+"?mode=ro")
	if err != nil {
		return nil, err
	}
	type asked struct {
		First string `json:"first"`
		Last  string `json:"last"`
	}
	type trip struct {
		ID     int64    `json:"trip_id"`
		On     string   `json:"travel_on"`
		Route  string   `json:"route"`
		Vessel string   `json:"vessel"`
		Party  int64    `json:"party"`
		Fare   *float64 `json:"fare"`
	}
	gin.SetMode(gin.ReleaseMode)
	engine := gin.New()
	engine.Use(gin.Recovery())
	engine.POST("/trips", func(c *gin.Context) {
		var a asked
		if err := c.ShouldBindJSON(&a); err != nil {
			c.JSON(http.StatusBadRequest, err.Error())
			return
		}
		first, err := time.Parse(time.DateOnly, a.First)
		last, errLast := time.Parse(time.DateOnly, a.Last)
		if err != nil || errLast != nil || last.Before(first) {
			c.JSON(http.StatusUnprocessableEntity, "two days, in order")
			return
		}
		rows, err := db.QueryContext(c, "SELECT trip_id, travel_on, route, vessel, party, fare FROM trips WHERE travel_on >= ? AND travel_on < ? ORDER BY travel_on, trip_id LIMIT 100",
			a.First, last.AddDate(0, 0, 1).Format(time.DateOnly))
		if err != nil {
			c.JSON(http.StatusInternalServerError, err.Error())
			return
		}
		defer rows.Close()
		all := make([]trip, 0, 100)
		for rows.Next() {
			var t trip
			if err := rows.Scan(&t.ID, &t.On, &t.Route, &t.Vessel, &t.Party, &t.Fare); err != nil {
				c.JSON(http.StatusInternalServerError, err.Error())
				return
			}
			all = append(all, t)
		}
		if err := rows.Err(); err != nil {
			c.JSON(http.StatusInternalServerError, err.Error())
			return
		}
		c.JSON(http.StatusOK, all)
	})
	return engine, nil
}

// handServes is the argument by which this program is the service written by hand, and nothing else:
// a service shares its processor with its clients, not its process.
const handServes = "by-hand"

// serveByHand serves the handler written by hand on an address of its choice, which it prints.
func serveByHand(file string) error {
	handler, err := byHand(file)
	if err != nil {
		return err
	}
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return err
	}
	fmt.Println(listener.Addr())
	return http.Serve(listener, handler)
}

// startByHand starts the service written by hand, and tells where it is and how it is ended.
func startByHand(file string) (address string, end func(), err error) {
	own, err := os.Executable()
	if err != nil {
		return "", nil, err
	}
	c := exec.Command(own, handServes, file)
	c.Stderr = os.Stderr
	out, err := c.StdoutPipe()
	if err != nil {
		return "", nil, err
	}
	if err := c.Start(); err != nil {
		return "", nil, err
	}
	end = func() {
		_ = c.Process.Kill()
		_ = c.Wait()
	}
	if _, err := fmt.Fscan(out, &address); err != nil {
		end()
		return "", nil, err
	}
	return address, end, nil
}

// requests compares requests for the first 100 rows with a handler written by hand.
//
// It is one measurement from start to end.
func (b *bench) requests() error {
	address, end, err := startByHand(b.path("records.db"))
	if err != nil {
		return err
	}
	defer end()
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 64}}
	ask := func(url, body string) (string, error) {
		resp, err := client.Post(url, "application/json", strings.NewReader(body))
		if err != nil {
			return "", err
		}
		defer resp.Body.Close()
		text, err := io.ReadAll(resp.Body)
		if err == nil && resp.StatusCode != http.StatusOK {
			err = fmt.Errorf("%s: %s", resp.Status, text)
		}
		return string(text), err
	}
	sides := [2]asked{
		{b.url + "/api/v1/reports/own-trips/runs?output=ndjson", fmt.Sprintf(`{"answers":{"own-days":"%s/%s"},"limit":100,"uncounted":true}`, first, last)},
		{"http://" + address + "/trips", fmt.Sprintf(`{"first":"%s","last":"%s"}`, first, last)},
	}
	var counts [2]int
	for i, side := range sides {
		fmt.Printf("%s %s\n", side.url, side.body)
		text, err := ask(side.url, side.body)
		if err != nil {
			return err
		}
		counts[i] = strings.Count(text, `"trip_id"`)
	}
	if counts != [2]int{100, 100} {
		return fmt.Errorf("%v records came", counts)
	}
	record, closed, err := b.recorder()
	if err != nil {
		return err
	}
	defer closed()
	var took [3][]time.Duration
	for range 2000 {
		once, err := record()
		if err != nil {
			return err
		}
		took[2] = append(took[2], once)
		for i, side := range sides {
			start := time.Now()
			if _, err := ask(side.url, side.body); err != nil {
				return err
			}
			took[i] = append(took[i], time.Since(start))
		}
	}
	x, y, once := median(took[0]), median(took[1]), median(took[2])
	beyond := x - once
	fmt.Printf("%s in all, of which the commit of the receipt takes %s\n", x.Round(time.Microsecond), once.Round(time.Microsecond))
	b.add("first 100 rows of an indexed range: median time beyond the receipt's commit", beyond.Round(time.Microsecond).String(), y.Round(time.Microsecond).String(), fmt.Sprintf("%.2f", beyond.Seconds()/y.Seconds()), "1.15")

	rates, err := manyClients(ask, sides)
	if err != nil {
		return err
	}
	rate := func(d time.Duration) float64 { return clients * requestsEach / d.Seconds() }
	p, q := rate(median(rates[0])), rate(median(rates[1]))
	b.add("the same, requests a second with 32 clients", fmt.Sprintf("%.0f", p), fmt.Sprintf("%.0f", q), fmt.Sprintf("%.2f", p/q), "0.9 or more")
	return nil
}

// asked is a request for the first records.
type asked struct{ url, body string }

// How many clients ask at once, and how many requests each of them makes.
const clients, requestsEach = 32, 100

// manyClients is how long each side takes for the requests of all clients, round by round.
func manyClients(ask func(url, body string) (string, error), sides [2]asked) (rates [2][]time.Duration, err error) {
	for range rounds {
		for i, side := range sides {
			var all sync.WaitGroup
			failed := make(chan error, clients)
			start := time.Now()
			for range clients {
				all.Go(func() {
					for range requestsEach {
						if _, err := ask(side.url, side.body); err != nil {
							failed <- err
							return
						}
					}
				})
			}
			all.Wait()
			select {
			case err := <-failed:
				return rates, err
			default:
			}
			rates[i] = append(rates[i], time.Since(start))
		}
	}
	return rates, nil
}
