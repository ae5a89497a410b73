package run

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"maps"
	"slices"

	"pikegate/internal/core/compile"
	"pikegate/internal/source"
)

// place is where a page of rows ended: after so many rows, and where the order tells it, behind
// these values.
type place struct {
	Rows   int       `json:"rows"`
	Values []*string `json:"values,omitempty"`
}

func (p place) String() string {
	text, err := json.Marshal(p)
	if err != nil {
		panic("run: a place cannot be written: " + err.Error()) // numbers and texts
	}
	return base64.RawURLEncoding.EncodeToString(text)
}

// placeAfter reads where a page ended, the zero place for "". It refuses what no page of the
// run's query can have told.
func (r *Run) placeAfter(after string) (place, error) {
	p, err := readPlace(after)
	if err != nil {
		return place{}, err
	}
	by := r.ready.Query().SortedBy()
	wrong := p.Values != nil && len(p.Values) != len(by)
	for i := 0; i < len(p.Values) && !wrong; i++ {
		wrong = p.Values[i] != nil && !compile.IsPlace(by[i], *p.Values[i])
	}
	if wrong {
		return place{}, errNoPlace()
	}
	return p, nil
}

// readPlace reads where a page ended, the zero place for "".
func readPlace(after string) (p place, err error) {
	if after == "" {
		return place{}, nil
	}
	text, err := base64.RawURLEncoding.DecodeString(after)
	if err == nil {
		err = json.Unmarshal(text, &p)
	}
	if err != nil || p.Rows < 0 {
		return place{}, errNoPlace()
	}
	return p, nil
}

func errNoPlace() error { return runAgain("after is not what a page of this run told as next") }

// goOn makes a query go on from where a page ended: from its last row, or where the order does
// not tell its place behind as many rows.
func (g *reading) goOn(from place, q *compile.Query) {
	g.before = q.Skip
	if from.Rows == 0 {
		return
	}
	g.before, q.Skip = from.Rows, 0
	if q.After = from.Values; q.After == nil {
		q.Skip = from.Rows
	}
}

// end is where the page ended.
func (g *reading) end(rows int) place {
	p := place{Rows: g.before + rows}
	for i, c := range g.order {
		text, ok := compile.PlaceOf(c, g.last[i])
		if !ok {
			p.Values = nil
			break
		}
		p.Values = append(p.Values, text)
	}
	return p
}

// page tells what to ask further rows after, where there are some; and where it is not known how
// many records match although that was asked for, by what it is to be noticed that the data
// changed meanwhile.
func (r *Run) page(ctx context.Context, v source.View, got *reading) {
	records := r.receipt.Records
	if r.receipt.Groups != nil {
		records = r.receipt.Groups // whose rows are these
	}
	if r.request.Limit > 0 && r.receipt.Rows == r.request.Limit && (records == nil || *records > int64(got.before+r.receipt.Rows)) {
		r.receipt.Next = got.end(r.receipt.Rows).String()
	}
	if r.request.Limit == 0 || records != nil || r.request.Changes == "" && (r.request.Uncounted || r.receipt.Next == "") {
		return
	}
	changes, err := v.Changes(ctx, slices.Sorted(maps.Values(r.ready.Bound.Section.Query.Of.From.Tables()))...)
	if err != nil {
		r.runs.base.Log.WarnContext(ctx, "it is not known whether the data change between pages",
			"report", r.receipt.Report, "error", err)
		return
	}
	r.receipt.Changes = changes
	r.receipt.DataChanged = r.request.Changes != "" && changes != r.request.Changes
}
