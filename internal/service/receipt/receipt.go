// Package receipt has the record of a run: what was asked and understood, what was sent to the
// source, how it ended and the evidence. It lists receipts, finds them and deletes old ones.
package receipt

import (
	"cmp"
	"encoding/json"
	"maps"
	"slices"
	"time"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/readback"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/base"
	"pikegate/internal/store"
)

// Receipt is the record of a run.
type Receipt struct {
	ID             int64                     `json:"id" doc:"Its number; 0 for a run that is not on record."`
	Report         string                    `json:"report" doc:"Name of the report."`
	Title          string                    `json:"title" doc:"Its title."`
	Revisions      []base.Revised            `json:"revisions,omitempty" doc:"The definitions that it was made of, each with its revision."`
	Again          int64                     `json:"again,omitempty" doc:"The receipt that this run repeats."`
	PageOf         int64                     `json:"page_of,omitempty" doc:"The receipt of the run that these are further rows of; such a page has no receipt of its own."`
	Person         string                    `json:"person" doc:"Who ran it."`
	As             string                    `json:"as,omitempty" doc:"The person as whom it was seen by who ran it; absent where they ran it for themselves."`
	Limits         string                    `json:"limits,omitempty" doc:"The same for all whom there is the same of the report for; absent for who sees all of it."`
	Role           string                    `json:"role" doc:"What they may do."`
	AsOf           civil.Day                 `json:"as_of" doc:"The day taken for today."`
	Zone           string                    `json:"zone" doc:"IANA zone that days were taken in."`
	Clock          string                    `json:"clock" doc:"What people call that zone's time."`
	ZoneRules      string                    `json:"zone_rules" doc:"Release of the IANA time zone data that was used."`
	Reading        *answer.ReadBy            `json:"reading,omitempty" doc:"What else the answers were read by."`
	Entered        map[string]prompt.Entered `json:"entered,omitempty" doc:"The answers as they were given, by prompt."`
	Section        int                       `json:"section,omitempty" doc:"The number of the section that alone was wanted; absent where all were."`
	View           *answer.View              `json:"view,omitempty" doc:"How its reader wanted to see the main section; absent for as it is published."`
	Limit          int                       `json:"limit,omitempty" doc:"Most rows that were asked for; absent for all."`
	Skip           int                       `json:"skip,omitempty" doc:"Rows that were left out first."`
	Answers        []answer.Understood       `json:"answers,omitempty" doc:"The answers, as entered and as understood."`
	ReadBack       string                    `json:"read_back" doc:"What ran, in a sentence."`
	ReadBackPieces []readback.Piece          `json:"read_back_pieces,omitempty" doc:"The same sentence with its values set off."`
	SQL            string                    `json:"sql,omitempty" doc:"The statement that the source was sent."`
	Values         []string                  `json:"values,omitempty" doc:"The values bound to it, in order."`
	State          State                     `json:"state" doc:"How the run ended."`
	Says           string                    `json:"says" doc:"The state in words."`
	Notes          []string                  `json:"notes,omitempty" doc:"What to know before reading the rows: values that cannot be read, a key that does not tell records apart."`
	Problem        string                    `json:"problem,omitempty" doc:"Why there is no whole result."`
	Errors         []fault.Fault             `json:"errors,omitempty" doc:"Each thing to mend."`
	Rows           int                       `json:"rows" doc:"How many rows this result holds; of one that is not whole, how many were read."`
	Records        *int64                    `json:"records,omitempty" doc:"How many records match in all; absent where that was not asked for and is not known from the rows."`
	Groups         *int64                    `json:"groups,omitempty" doc:"Of a summary: how many rows it has in all."`
	LeftOut        []LeftOut                 `json:"left_out,omitempty" doc:"Of a summary: figures whose column has no value in some of the records, or none that can be read."`
	Totals         []Total                   `json:"totals,omitempty" doc:"Totals over all rows, of the columns that the report says; of records they are part of the evidence."`
	Subtotals      []Subtotal                `json:"subtotals,omitempty" doc:"Those totals for the rows that lie together, where the report wants them, in the order of the rows."`
	Compare        []OtherPeriod             `json:"compare,omitempty" doc:"Of a summary that is compared: the other periods, in the order of the columns that stand for them."`
	Main           int                       `json:"main,omitempty" doc:"Of a run of several sections: the number of the one that rows, records and evidence are of."`
	Sections       []Section                 `json:"sections,omitempty" doc:"Of a run of several sections: each, in order. What the receipt says of rows, records and evidence is of the main one: the first table of records, else the first table, else the first section."`
	Next           string                    `json:"next,omitempty" doc:"What to ask for further rows of this run after; absent where there are none."`
	Changes        string                    `json:"changes,omitempty" doc:"What the database said of the state of its tables when a page of rows was read."`
	DataChanged    bool                      `json:"data_changed,omitempty" doc:"Of further rows: whether the database says that its tables changed since the first ones were read."`
	Evidence       *Evidence                 `json:"evidence,omitempty" doc:"What shows that the result is right; absent where it was not asked for."`
	KeptUntil      *time.Time                `json:"kept_until,omitempty" doc:"Until when its rows are kept at the latest: what is asked of it until then is of the same records."`
	NotKept        string                    `json:"not_kept,omitempty" doc:"Why its rows are not kept, although they were to be."`
	Progress       *Progress                 `json:"progress,omitempty" doc:"Of a run that is under way: how far it is."`
	StartedAt      time.Time                 `json:"started_at" doc:"When the run started."`
	TookMS         float64                   `json:"took_ms" doc:"How long it took, in milliseconds."`
	Time           Spent                     `json:"time" doc:"Where the time went."`

	Partly bool `json:"-"` // what is kept of it could not all be read
}

// Progress is how far a run is.
type Progress struct {
	Stage Stage `json:"stage" enum:"waiting,reading,counting" doc:"What goes on: it waits for a turn at the source, reads its rows, or counts its evidence."`
	Ahead int   `json:"ahead,omitempty" doc:"While it waits: how many runs have their turn before."`
	Rows  int64 `json:"rows,omitempty" doc:"About how many rows were read so far."`
	Share *int  `json:"share,omitempty" doc:"While it reads: how much of the asked period is done, in per cent; absent where the order of the rows does not tell."`
}

// Stage is what goes on in a run.
type Stage string

// The stages, in their order.
const (
	Waiting  Stage = "waiting"
	Reading  Stage = "reading"
	Counting Stage = "counting"
)

// ViewOf is how its reader wanted to see the main section.
func (r *Receipt) ViewOf() answer.View {
	if r.View == nil {
		return answer.View{}
	}
	return *r.View
}

// Total is a total over all rows.
type Total struct {
	Column string `json:"column" doc:"Name of the column."`
	Label  string `json:"label" doc:"What people read."`
	Unit   string `json:"unit,omitempty" doc:"Its unit."`
	Value  string `json:"value" doc:"In digits; of dates as they are stored."`
}

// Subtotal is what rows that lie together come to.
type Subtotal struct {
	Column  string          `json:"column" doc:"Name of the column, or of the group, that they have in common."`
	Value   json.RawMessage `json:"value" doc:"What they have in common: a value as it stands in the rows, or a unit of the calendar."`
	Rows    int64           `json:"rows" doc:"How many rows they are."`
	Records int64           `json:"records" doc:"How many records."`
	Totals  []Total         `json:"totals" doc:"What they come to."`
}

// OtherPeriod is another period that a section is compared with.
type OtherPeriod struct {
	With       string          `json:"with" enum:"previous,year-before" doc:"Which period it is."`
	First      *civil.Day      `json:"first,omitempty" doc:"Its first day, included."`
	Last       *civil.Day      `json:"last,omitempty" doc:"Its last day, included."`
	Spelled    string          `json:"spelled" doc:"The same, so that nobody can misread it; why there is none, where there is none."`
	Value      json.RawMessage `json:"value,omitempty" doc:"Of a figure: what it is there; null where it is missing."`
	Difference json.RawMessage `json:"difference,omitempty" doc:"Of a figure: how much more it is here than there; null where one of them is missing."`
	PerCent    *string         `json:"per_cent,omitempty" doc:"Of a figure: the difference in per cent of what it is there; absent where that is 0 or missing."`
	SQL        string          `json:"sql,omitempty" doc:"The statement that the source was sent for it."`
	Values     []string        `json:"values,omitempty" doc:"The values bound to it, in order."`
}

// Section is what a section of a report showed.
type Section struct {
	Section     int             `json:"section" doc:"Its number, from 1."`
	Kind        string          `json:"kind" enum:"figure,chart,table" doc:"How it shows what its query tells."`
	Query       string          `json:"query" doc:"Name of the query."`
	Label       string          `json:"label" doc:"What people read above it."`
	Says        string          `json:"says,omitempty" doc:"What holds for it beside what the read-back says of all."`
	SQL         string          `json:"sql,omitempty" doc:"The statement that the source was sent."`
	Values      []string        `json:"values,omitempty" doc:"The values bound to it, in order."`
	Rows        int             `json:"row_count" doc:"How many rows it has here."`
	Records     *int64          `json:"records,omitempty" doc:"How many records it shows, or is of; absent where that is not known."`
	Groups      *int64          `json:"groups,omitempty" doc:"Of a summary: how many rows it has in all."`
	LeftOut     []LeftOut       `json:"left_out,omitempty" doc:"Figures whose column has no value in some of the records, or none that can be read."`
	Totals      []Total         `json:"totals,omitempty" doc:"Totals over all rows."`
	Subtotals   []Subtotal      `json:"subtotals,omitempty" doc:"Those totals for rows that lie together."`
	Value       json.RawMessage `json:"value,omitempty" doc:"Of a figure: what it is; null where there is nothing that it could be of."`
	Unit        string          `json:"unit,omitempty" doc:"Of a figure: its unit."`
	Better      string          `json:"better,omitempty" enum:"less,more" doc:"Of a figure: which change is a good one."`
	Compare     []OtherPeriod   `json:"compare,omitempty" doc:"The other periods that it is compared with."`
	Line        []Point         `json:"line,omitempty" doc:"Of a figure: what it is in each unit of the calendar, for a small line."`
	Notes       []string        `json:"notes,omitempty" doc:"What to know before reading it."`
	Fingerprint string          `json:"fingerprint,omitempty" doc:"The SHA-256 of all its rows; absent where they were not all read."`
	Problem     string          `json:"problem,omitempty" doc:"Why it is not there, or not whole; the others stand."`
	Code        fault.Code      `json:"code,omitempty" doc:"The code of what is wrong with it."`
	TookMS      float64         `json:"took_ms,omitempty" doc:"How long it took, in milliseconds."`
}

// Point is a point of a figure's line.
type Point struct {
	Of    string          `json:"of" doc:"The unit of the calendar."`
	Value json.RawMessage `json:"value" doc:"What the figure is there."`
}

// LeftOut is how many records a figure of a summary leaves out.
type LeftOut struct {
	Figure     string `json:"figure" doc:"Name of the figure."`
	Label      string `json:"label" doc:"What people read."`
	Missing    int64  `json:"missing" doc:"Records without a value."`
	Unreadable int64  `json:"unreadable,omitempty" doc:"Records whose stored value is no number or no date."`
}

// Spent is where the time of a run went, in milliseconds. What is sent while records are
// being read counts as reading.
type Spent struct {
	Checking  float64 `json:"checking_ms" doc:"Reading the answers and holding them to the limits and the data."`
	Recording float64 `json:"recording_ms" doc:"Waiting until it was on record that the run had begun, where anything was sent before its end; putting its end on record is not told here."`
	Waiting   float64 `json:"waiting_ms" doc:"For a turn at the source."`
	Database  float64 `json:"database_ms" doc:"Reading the records."`
	Sending   float64 `json:"sending_ms" doc:"Handing them to whoever asked, beyond the time of reading."`
	Counting  float64 `json:"counting_ms" doc:"The evidence."`
}

// Milliseconds is a length of time as receipts tell it.
func Milliseconds(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 }

// Row is the receipt as it is kept. One of a run that is under way needs no head: it is small.
func (r *Receipt) Row(body, head, digests []byte) store.Receipt {
	return store.Receipt{ID: r.ID, Report: r.Report, Person: r.Person, State: string(r.State), StartedAt: r.StartedAt, Body: body, Head: head, Digests: digests}
}

// Shortened is a receipt with the beginnings of the answers that were given, for a run that
// was refused: whoever gave them has them.
func (r *Receipt) Shortened() *Receipt {
	short := *r
	short.Answers, short.ReadBack = nil, ""
	short.Entered = map[string]prompt.Entered{}
	left := MostRefused / 2
	for _, name := range slices.Sorted(maps.Keys(r.Entered)) {
		text := r.Entered[name].String()
		if len(name)+len(text) > left {
			name, text = english.Shorten(name), english.Shorten(text)
		}
		if left -= len(name) + len(text); left < 0 {
			break
		}
		short.Entered[name] = prompt.OneText(text)
	}
	return &short
}

// Head is what a list shows of a receipt, JSON.
func (r *Receipt) Head() ([]byte, error) {
	head := *r
	head.Revisions, head.ReadBackPieces, head.SQL, head.Values, head.Evidence, head.Sections, head.Subtotals = nil, nil, "", nil, nil, nil, nil // which the receipt itself tells
	head.Errors = head.Errors[:min(len(head.Errors), 3)]
	text, err := json.Marshal(&head)
	if err == nil && len(text) > MostHead {
		head.Answers, head.Entered, head.ReadBack, head.Problem, head.Errors, head.Notes = nil, nil, beginning(head.ReadBack), beginning(head.Problem), nil, nil
		text, err = json.Marshal(&head)
	}
	return text, err
}

// read takes from a kept receipt what can be read of it, and says where that is not all.
func (r *Receipt) read(row store.Receipt) {
	if len(row.Body) == 0 {
		r.ID, r.Report, r.Title, r.Person, r.StartedAt = row.ID, row.Report, row.Report, row.Person, row.StartedAt
		r.Problem = "There is too much of this run to list it; its receipt tells it."
	} else if err := json.Unmarshal(row.Body, r); err != nil {
		r.Partly = true
		r.ID, r.Report, r.Title, r.Person, r.StartedAt = row.ID, row.Report, cmp.Or(r.Title, row.Report), row.Person, row.StartedAt
		r.Problem = "What is kept of this run cannot be read to its end: " + err.Error()
	}
	r.State = State(row.State)
	r.Says = r.State.Says()
	if !row.Sent && (r.State == Rows || r.State == NoRows) {
		r.Says = notKnownToHaveArrived
	}
}
