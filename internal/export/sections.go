package export

import (
	"encoding/json"
	"io"
	"time"

	"pikegate/internal/core/column"
	"pikegate/internal/core/value"
)

// Result is where the sections of a result are written: each is begun, gets its rows and is ended.
type Result interface {
	// Section is where the rows of a section go. It is not ended by itself.
	Section(head Head, columns []*column.Column) Writer
	// EndSection ends the section, which may not have begun. Its tail is a JSON object that says
	// what there is to know of it.
	EndSection(head Head, tail []byte) error
	// End finishes the result with the receipt, JSON.
	End(receipt []byte) error
}

// Whole is a result of one section, which nothing but its rows is told of.
type Whole struct{ Writer }

// Section is the writer.
func (w Whole) Section(Head, []*column.Column) Writer { return w.Writer }

// EndSection leaves the end to End.
func (w Whole) EndSection(Head, []byte) error { return nil }

// Head is what stands before the rows of a section.
type Head struct {
	Section int      `json:"section" doc:"Its number, from 1."`
	Kind    string   `json:"kind" enum:"figure,chart,table" doc:"How it shows what its query tells."`
	Query   string   `json:"query" doc:"Name of the query."`
	Label   string   `json:"label" doc:"What people read above it."`
	Chart   *Chart   `json:"chart,omitempty" doc:"How a chart is drawn."`
	Columns []Column `json:"columns" doc:"The columns, in the order of the values in each row."`
}

// Chart says how a chart is drawn of the rows of its section.
type Chart struct {
	Kind    string  `json:"kind" enum:"column,line,area,bar,share" doc:"How it is drawn; share is of the whole, as stacked columns."`
	Across  string  `json:"across" doc:"The column along its axis."`
	By      string  `json:"by,omitempty" doc:"The unit or part of the calendar that stands there; absent for values."`
	Up      string  `json:"up" doc:"The column that is drawn."`
	Split   string  `json:"split,omitempty" doc:"The column that makes series of it."`
	Stacked bool    `json:"stacked,omitempty" doc:"Whether the series stand on each other."`
	AddsUp  bool    `json:"adds_up,omitempty" doc:"Whether the numbers of several series come to one of all of them."`
	Prompt  string  `json:"prompt,omitempty" doc:"The prompt that an answer to narrows the report to one unit or value of the axis; absent where none takes it."`
	Compare []Other `json:"compare,omitempty" doc:"The columns of other periods that stand beside it."`
}

// Other is a column of another period.
type Other struct {
	With string `json:"with" enum:"previous,year-before" doc:"Which period it is."`
	Up   string `json:"up" doc:"The column that is drawn."`
}

// NewSections makes the result of several sections, as JSON or as events.
func NewSections(f Format, to io.Writer, zone *time.Location) Result {
	s := &sections{out: output{to: to, zone: zone, buffer: *buffers.Get().(*[]byte)}, events: f == Events}
	return s
}

// sections writes several sections: an object whose member sections has them, and the receipt last;
// or events.
type sections struct {
	out    output
	events bool
	begun  bool     // anything
	any    bool     // a section
	open   bool     // the one at hand
	rows   int      // of that
	failed [][]byte // sections that did not begin, whole, which wait until something is sent
}

// Section begins a section when its first row is there.
func (s *sections) Section(head Head, columns []*column.Column) Writer {
	s.open, s.rows = false, 0
	s.out.columns, s.out.dates = columns, make([]repeated, len(columns))
	return &sectionWriter{s, head}
}

// start starts the result, and hands on the sections that failed before.
func (s *sections) start() {
	if !s.begun && !s.events {
		s.out.buffer = append(s.out.buffer, `{"sections":[`...)
	}
	s.begun = true
	for _, text := range s.failed {
		s.next()
		s.out.buffer = append(s.out.buffer, text...)
	}
	s.failed = nil
}

// next separates a section from the one before.
func (s *sections) next() {
	if s.any && !s.events {
		s.out.buffer = append(s.out.buffer, ',')
	}
	s.any = true
	if !s.events {
		s.out.buffer = append(s.out.buffer, '\n')
	}
}

// opened is what a section begins with.
func (s *sections) opened(b []byte, head Head) ([]byte, error) {
	text, err := json.Marshal(head)
	if err != nil {
		return nil, err
	}
	if s.events {
		return append(append(append(b, `{"event":"section",`...), text[1:]...), '\n'), nil
	}
	return append(append(b, text[:len(text)-1]...), `,"rows":[`...), nil
}

// closed is what it ends with: what is told of it, whatever its head says again left out.
func (s *sections) closed(b, tail []byte) []byte {
	if s.events {
		return append(append(append(b, `{"event":"section_end",`...), tail[1:]...), '\n')
	}
	b = append(b, "\n]"...)
	if len(tail) > len("{}") {
		b = append(b, ',')
	}
	return append(b, tail[1:]...)
}

func (s *sections) EndSection(head Head, tail []byte) error {
	tail, err := beyondHead(tail)
	if err != nil {
		return err
	}
	if s.open {
		s.open = false
		s.out.buffer = s.closed(s.out.buffer, tail)
		return s.out.send()
	}
	text, err := s.opened(nil, head)
	s.failed = append(s.failed, s.closed(text, tail))
	return err
}

// beyondHead is what is told of a section without what its head tells.
func beyondHead(tail []byte) ([]byte, error) {
	var told map[string]json.RawMessage
	if err := json.Unmarshal(tail, &told); err != nil {
		return nil, err
	}
	for _, name := range []string{"section", "kind", "query", "label"} {
		delete(told, name)
	}
	return json.Marshal(told)
}

func (s *sections) End(receipt []byte) error {
	s.start()
	if s.events {
		s.out.buffer = append(append(append(s.out.buffer, `{"event":"receipt","receipt":`...), receipt...), "}\n"...)
	} else {
		s.out.buffer = append(append(append(s.out.buffer, "\n],\"receipt\":"...), receipt...), '}', '\n')
	}
	return s.out.end()
}

// sectionWriter writes the rows of a section.
type sectionWriter struct {
	*sections
	head Head
}

func (w *sectionWriter) Begin() (err error) {
	w.start()
	w.next()
	w.open = true
	if w.out.buffer, err = w.opened(w.out.buffer, w.head); err != nil {
		return err
	}
	return w.out.send()
}

func (w *sectionWriter) Row(values []value.Value) error {
	if w.events {
		return w.out.rowEvent(values)
	}
	w.rows++
	return w.out.row(w.rows == 1, values)
}

// Flush sends what was written on its way.
func (w *sectionWriter) Flush() error { return w.out.Flush() }

// End is told to the section's result.
func (w *sectionWriter) End([]byte) error { return nil }
