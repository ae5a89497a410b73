package export

import (
	"cmp"
	"encoding/json"
	"strings"
	"time"

	"pikegate/internal/core/english"
)

// ran is what the formats for people tell of a run, as its receipt has it.
type ran struct {
	ID       int64  `json:"id"`
	Title    string `json:"title"`
	Person   string `json:"person"`
	AsOf     string `json:"as_of"`
	Zone     string `json:"zone"`
	Clock    string `json:"clock"`
	ReadBack string `json:"read_back"`
	Answers  []struct {
		Prompt  string `json:"prompt"`
		Given   bool   `json:"given"`
		Spelled string `json:"spelled"`
	} `json:"answers"`
	Notes     []string      `json:"notes"`
	Rows      int           `json:"rows"`
	Records   *int64        `json:"records"`
	StartedAt time.Time     `json:"started_at"`
	Sections  []toldSection `json:"sections"`
	Evidence  *struct {
		Fingerprint string `json:"fingerprint"`
		Ends        *struct {
			First *struct{ Spelled string } `json:"first"`
			Last  *struct{ Spelled string } `json:"last"`
		} `json:"ends"`
	} `json:"evidence"`
	Totals    []toldTotal    `json:"totals"`
	Subtotals []toldSubtotal `json:"subtotals"`
}

// toldSection is what is told of a section behind its rows.
type toldSection struct {
	Label     string          `json:"label"`
	Says      string          `json:"says"`
	Notes     []string        `json:"notes"`
	Problem   string          `json:"problem"`
	Value     json.RawMessage `json:"value"`
	Unit      string          `json:"unit"`
	Totals    []toldTotal     `json:"totals"`
	Subtotals []toldSubtotal  `json:"subtotals"`
	Compare   []struct {
		With       string          `json:"with"`
		Spelled    string          `json:"spelled"`
		First      string          `json:"first"`
		Value      json.RawMessage `json:"value"`
		Difference json.RawMessage `json:"difference"`
		PerCent    *string         `json:"per_cent"`
	} `json:"compare"`
}

type toldTotal struct {
	Column string `json:"column"`
	Label  string `json:"label"`
	Unit   string `json:"unit"`
	Value  string `json:"value"`
}

type toldSubtotal struct {
	Value  json.RawMessage `json:"value"`
	Rows   int             `json:"rows"`
	Totals []toldTotal     `json:"totals"`
}

// totalLines tell what the columns of a section come to.
func totalLines(of string, totals []toldTotal) (all []line) {
	for _, t := range totals {
		all = append(all, line{of, strings.TrimSpace(t.Label + " " + english.GroupedDigits(t.Value) + " " + t.Unit)})
	}
	return all
}

func readRan(text []byte) (*ran, error) {
	r := &ran{}
	return r, json.Unmarshal(text, r)
}

// line is a thing that is told, with its name.
type line struct {
	label string
	value any // a text or a number
}

// lines tell what ran: the report, what it says, each answer by what its prompt asks, the receipt.
func (r *ran) lines(zone *time.Location, asks map[string]string) []line {
	all := []line{{"Report", r.Title}, {"What it says", r.ReadBack}}
	for _, a := range r.Answers {
		answer := "left unanswered"
		if a.Given {
			answer = a.Spelled
		}
		all = append(all, line{cmp.Or(asks[a.Prompt], a.Prompt), answer})
	}
	if r.Records != nil {
		all = append(all, line{"Records", *r.Records})
	} else {
		all = append(all, line{"Rows", r.Rows})
	}
	all = append(all, line{"As of", r.AsOf}, line{"Days by the clock of", r.Zone}, line{"Run by", r.Person},
		line{"Run at", r.StartedAt.In(zone).Format("2006-01-02 15:04:05 -07:00")})
	if r.ID > 0 {
		all = append(all, line{"Receipt", r.ID})
	}
	if r.Evidence != nil && r.Evidence.Fingerprint != "" {
		all = append(all, line{"Fingerprint", r.Evidence.Fingerprint})
	}
	return all
}
