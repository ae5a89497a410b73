package schedule

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"strings"
	"time"
	"unicode/utf8"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/column"
	"pikegate/internal/core/english"
	"pikegate/internal/deliver"
	"pikegate/internal/export"
	"pikegate/internal/service/answer"
	"pikegate/internal/service/receipt"
)

// mailedRows is how many rows stand in a mail itself.
const mailedRows = 50

// message is what a mail says of a result.
type message struct {
	Title, ReadBack string
	Figures         []figure
	Columns         []string
	Rows            [][]string
	Right           []bool // which columns stand on the right
	More            string // what is said of further rows
	Totals          string
	Notes           []string
	Evidence        string
	Link            string
	Receipt         int64
	Schedule        string
	Note            string
}

// figure is a number that a report shows in large.
type figure struct{ Label, Value string }

// makeMessage reads what a mail says of the result.
func (p *parcel) makeMessage() (*message, error) {
	r := p.receipt
	m := &message{Title: r.Title, ReadBack: r.ReadBack, Notes: r.Notes, Evidence: evidenceOf(r), Link: p.link(), Receipt: r.ID, Schedule: p.o.Name}
	report, err := p.s.base.Report(p.ctx, p.o.Report.Name)
	if err != nil {
		return nil, err
	}
	main := max(r.Main, 1)
	for i, section := range report.Sections {
		switch {
		case section.Kind == catalog.Figure:
			rows, _, err := p.rows(i+1, 1)
			if err != nil {
				return nil, err
			}
			if len(rows) == 2 && len(rows[1]) > 0 {
				label := section.Label
				if label == "" {
					label = rows[0][len(rows[0])-1]
				}
				m.Figures = append(m.Figures, figure{label, rows[1][0]})
			}
		case i+1 == main:
			rows, right, err := p.rows(main, mailedRows)
			if err != nil {
				return nil, err
			}
			if len(rows) > 0 {
				m.Columns, m.Rows, m.Right = rows[0], rows[1:], right
			}
		}
	}
	var totals []string
	for _, t := range r.Totals {
		totals = append(totals, strings.TrimSpace(t.Label+" "+t.Value+" "+t.Unit))
	}
	if len(totals) > 0 {
		m.Totals = "In all: " + english.Both(totals) + "."
	}
	all := int64(r.Rows)
	if r.Groups != nil {
		all = *r.Groups
	} else if r.Records != nil && len(r.Sections) == 0 {
		all = *r.Records
	}
	if more := all - int64(len(m.Rows)); more > 0 && len(m.Rows) > 0 {
		m.More = fmt.Sprintf("and %s more", english.Grouped(more))
	}
	return m, nil
}

// asShown is how days stand in a mail; times follow as clocks showed them.
var asShown = column.MustPattern("yyyy-MM-dd")

// rows are the first rows of a section as texts, the labels of its columns first, and which of these are
// numbers.
func (p *parcel) rows(section, most int) ([][]string, []bool, error) {
	started, err := p.s.runs.Prepare(p.ctx, p.o.Report.Name, answer.Request{Of: p.run.Receipt, Section: section, Limit: most})
	if err != nil {
		return nil, nil, err
	}
	var out bytes.Buffer
	result, closed := started.In(export.CSV, export.CSVForm{Dates: asShown}, &out)
	defer closed()
	if _, err = started.Stream(p.ctx, result); err != nil {
		return nil, nil, err
	}
	rows, err := csv.NewReader(&out).ReadAll()
	if err != nil && !errors.Is(err, io.EOF) {
		return nil, nil, err
	}
	right := make([]bool, len(started.Columns))
	for i, c := range started.Columns {
		right[i] = c.Type.IsNumeric()
		if len(rows) > 0 && i < len(rows[0]) {
			rows[0][i] = c.Label
			if c.Unit != "" {
				rows[0][i] += " (" + c.Unit + ")"
			}
		}
	}
	return rows, right, nil
}

// evidenceOf is the evidence in a line.
func evidenceOf(r *receipt.Receipt) string {
	records := int64(r.Rows)
	if r.Records != nil {
		records = *r.Records
	}
	text := english.Grouped(records) + " records"
	if records == 1 {
		text = "1 record"
	}
	if e := r.Evidence; e != nil {
		if e.Period != nil && e.All != nil {
			text += fmt.Sprintf(" of all %s: %s before, %s inside, %s after, %s without a date, %s unreadable", english.Grouped(*e.All), english.Grouped(e.Period.Before), english.Grouped(e.Period.Inside), english.Grouped(e.Period.After), english.Grouped(e.Period.Missing), english.Grouped(e.Period.Unreadable))
		}
		if e.Empty != nil {
			text += ". " + e.Empty.Says
		}
		if e.Fingerprint != "" {
			text += ". Fingerprint " + e.Fingerprint[:16]
		}
	}
	return strings.TrimSuffix(text, ".") + "."
}

// to is the mail itself, with a note where there is one.
func (m *message) to(note string) deliver.Message {
	said := *m
	said.Note = note
	return deliver.Message{Subject: m.subject(), Text: said.text(), HTML: said.html()}
}

func (m *message) subject() string {
	if m.Receipt > 0 && len(m.Rows) == 0 && len(m.Figures) == 0 {
		return m.Title + ": no records"
	}
	return m.Title
}

// text is the mail as plain text.
func (m *message) text() string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s\n\n%s\n", m.Title, m.ReadBack)
	for _, n := range m.Notes {
		fmt.Fprintf(&b, "Note: %s\n", n)
	}
	if m.Note != "" {
		fmt.Fprintf(&b, "\n%s\n", m.Note)
	}
	if len(m.Figures) > 0 {
		b.WriteByte('\n')
	}
	for _, f := range m.Figures {
		fmt.Fprintf(&b, "%s: %s\n", f.Label, f.Value)
	}
	if len(m.Rows) > 0 {
		b.WriteByte('\n')
		m.table(&b)
	}
	if m.More != "" {
		fmt.Fprintf(&b, "%s\n", m.More)
	}
	if m.Totals != "" {
		fmt.Fprintf(&b, "%s\n", m.Totals)
	}
	fmt.Fprintf(&b, "\n%s\n", m.Evidence)
	if m.Receipt > 0 {
		fmt.Fprintf(&b, "%s\n", strings.TrimSpace(fmt.Sprintf("Receipt %d. %s", m.Receipt, m.Link)))
	}
	fmt.Fprintf(&b, "\nSent by the schedule %s.\n", m.Schedule)
	return b.String()
}

// mostWide is how wide a column of plain text is at most.
const mostWide = 40

func (m *message) table(b *strings.Builder) {
	rows := append([][]string{m.Columns}, m.Rows...)
	wide := make([]int, len(m.Columns))
	for _, row := range rows {
		for i, cell := range row {
			wide[i] = min(max(wide[i], utf8.RuneCountInString(cell)), mostWide)
		}
	}
	for _, row := range rows {
		var line strings.Builder
		for i, cell := range row {
			if letters := []rune(cell); len(letters) > mostWide {
				cell = string(letters[:mostWide-1]) + "…"
			}
			pad := strings.Repeat(" ", wide[i]-utf8.RuneCountInString(cell))
			if m.Right[i] {
				cell = pad + cell
			} else {
				cell += pad
			}
			if i > 0 {
				line.WriteString("  ")
			}
			line.WriteString(cell)
		}
		b.WriteString(strings.TrimRight(line.String(), " ") + "\n")
	}
}

// failureMail tells the owner of a schedule what went wrong.
func (s *Schedules) failureMail(o owned, due time.Time, to, problem string) deliver.Message {
	zone := o.Zone
	if zone == nil {
		zone = time.UTC
	}
	m := &message{Title: "The schedule " + o.Name + " failed", ReadBack: fmt.Sprintf("What was due %s (%s) failed: %s", due.In(zone).Format("Mon 2 Jan 2006 15:04"), zone, problem), Evidence: "It is tried at its next time again.", Schedule: o.Name}
	sent := m.to("")
	sent.To, sent.At = to, s.base.Config().Now()
	sent.ID = fmt.Sprintf("pikegate-failed-%s-%d", o.Name, due.Unix())
	return sent
}
