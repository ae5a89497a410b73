package service

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"math"
	"slices"
	"strings"
	"time"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
	"pikegate/internal/core/prompt"
	"pikegate/internal/core/readback"
	"pikegate/internal/load"
	"pikegate/internal/source"
	"pikegate/internal/store"
)

// State tells how a run ended.
type State string

const (
	Running         State = store.Running
	Rows            State = "rows"
	NoRows          State = "no_rows"
	Refused         State = "refused"
	InError         State = "definition_in_error"
	SourceNotReady  State = "source_failed"
	SourceBusy      State = "source_busy"
	CutByTime       State = "cut_by_time"
	CutBySize       State = "cut_by_size"
	Cancelled       State = "cancelled"
	Interrupted     State = store.Interrupted
	FailedByService State = "failed"
)

// States lists them, each with its words.
var States = []struct {
	State State
	Says  string
}{
	{Running, "It is running."},
	{Rows, "Records came back."},
	{NoRows, "No record matches. The run went well."},
	{Refused, "An answer was refused; nothing was run."},
	{InError, "The report's definition is in error; nothing was run."},
	{SourceNotReady, "The source did not answer, or not with what was asked; there is no result."},
	{SourceBusy, "As many runs as the source allows ran and waited already; nothing was run."},
	{CutByTime, "It took longer than it may and was cut; what was sent is not the whole result."},
	{CutBySize, "The result has more rows than its source allows and was cut; what was sent is not the whole."},
	{Cancelled, "Whoever asked went away before all was sent."},
	{Interrupted, "The service ended in the middle of it; what was sent may not be the whole result."},
	{FailedByService, "The service failed; its log has the cause. There is no result."},
}

// AllStates are the states by themselves, in the order of States.
func AllStates() []State {
	all := make([]State, len(States))
	for i, s := range States {
		all[i] = s.State
	}
	return all
}

// Says is the state in words.
func (s State) Says() string {
	for _, known := range States {
		if known.State == s {
			return known.Says
		}
	}
	return string(s)
}

// Receipt is the record of a run.
type Receipt struct {
	ID        int64                     `json:"id" doc:"Its number; 0 for a run that is not on record."`
	Report    string                    `json:"report" doc:"Name of the report."`
	Title     string                    `json:"title" doc:"Its title."`
	Revisions []Revised                 `json:"revisions,omitempty" doc:"The definitions that it was made of, each with its revision."`
	Again     int64                     `json:"again,omitempty" doc:"The receipt that this run repeats."`
	PageOf    int64                     `json:"page_of,omitempty" doc:"The receipt of the run that these are further rows of; such a page has no receipt of its own."`
	Person    string                    `json:"person" doc:"Who ran it."`
	Role      string                    `json:"role" doc:"What they may do."`
	AsOf      civil.Day                 `json:"as_of" doc:"The day taken for today."`
	Zone      string                    `json:"zone" doc:"IANA zone that days were taken in."`
	Clock     string                    `json:"clock" doc:"What people call that zone's time."`
	ZoneRules string                    `json:"zone_rules" doc:"Release of the IANA time zone data that was used."`
	Reading   *ReadBy                   `json:"reading,omitempty" doc:"What else the answers were read by."`
	Entered   map[string]prompt.Entered `json:"entered,omitempty" doc:"The answers as they were given, by prompt."`
	Limit     int                       `json:"limit,omitempty" doc:"Most rows that were asked for; absent for all."`
	Skip      int                       `json:"skip,omitempty" doc:"Rows that were left out first."`
	Answers   []Understood              `json:"answers,omitempty" doc:"The answers, as entered and as understood."`
	ReadBack  string                    `json:"read_back" doc:"What ran, in a sentence."`
	Pieces    []readback.Piece          `json:"read_back_pieces,omitempty" doc:"The same sentence with its values set off."`
	SQL       string                    `json:"sql,omitempty" doc:"The statement that the source was sent."`
	Values    []string                  `json:"values,omitempty" doc:"The values bound to it, in order."`
	State     State                     `json:"state" doc:"How the run ended."`
	Says      string                    `json:"says" doc:"The state in words."`
	Notes     []string                  `json:"notes,omitempty" doc:"What to know before reading the rows: values that cannot be read, a key that does not tell records apart."`
	Problem   string                    `json:"problem,omitempty" doc:"Why there is no whole result."`
	Faults    []fault.Fault             `json:"errors,omitempty" doc:"Each thing to mend."`
	Rows      int                       `json:"rows" doc:"How many rows this result holds; of one that is not whole, how many were read."`
	Records   *int64                    `json:"records,omitempty" doc:"How many records match in all; absent where that was not asked for and is not known from the rows."`
	Evidence  *Evidence                 `json:"evidence,omitempty" doc:"What shows that the result is right; absent where it was not asked for."`
	StartedAt time.Time                 `json:"started_at" doc:"When the run started."`
	TookMS    float64                   `json:"took_ms" doc:"How long it took, in milliseconds."`
	Time      Spent                     `json:"time" doc:"Where the time went."`

	partly bool // what is kept of it could not all be read
}

// ReadBy is what answers are read by beside the as-of day and the zone: the same again
// reads them to the same.
type ReadBy struct {
	Now         time.Time       `json:"now" doc:"The moment taken for now."`
	DayOrder    phrase.DayOrder `json:"day_order,omitempty" doc:"How days that are all digits are read; absent where each must have one reading."`
	FiscalStart time.Month      `json:"fiscal_year_starts,omitempty" doc:"Number of the month that the business's year starts with; absent where none is set."`
}

// on is a setting with what answers were read by then; of receipts that do not tell, the
// setting as it is.
func (b *ReadBy) on(set phrase.Setting) phrase.Setting {
	if b != nil {
		set.Now, set.Order, set.FiscalStart = b.Now.Unix(), b.DayOrder, b.FiscalStart
	}
	return set
}

// Spent is where the time of a run went, in milliseconds. What is sent while records are
// being read counts as reading.
type Spent struct {
	Checking  float64 `json:"checking_ms" doc:"Reading the answers and holding them to the limits and the data."`
	Recording float64 `json:"recording_ms" doc:"Putting the run on record before it started; its end takes about as long, and is not told here."`
	Waiting   float64 `json:"waiting_ms" doc:"For a turn at the source."`
	Database  float64 `json:"database_ms" doc:"Reading the records."`
	Sending   float64 `json:"sending_ms" doc:"Handing them to whoever asked, beyond the time of reading."`
	Counting  float64 `json:"counting_ms" doc:"The evidence."`
}

// Revised is one revision of a definition.
type Revised struct {
	Kind     catalog.Kind `json:"kind" doc:"What it defines."`
	Name     string       `json:"name" doc:"Its name."`
	Revision int          `json:"revision" doc:"The number of the revision."`
}

func milliseconds(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 }

// boundTo are the values bound to a statement, in order, for people to read.
func boundTo(s compile.Statement) []string {
	texts := make([]string, len(s.Args))
	for i, value := range s.Args {
		texts[i] = fmt.Sprint(value)
	}
	return texts
}

// RunError is why a run has no result, with the receipt that tells of it.
type RunError struct {
	Receipt int64
	Err     error
}

func (e *RunError) Error() string { return e.Err.Error() }

func (e *RunError) Unwrap() error { return e.Err }

// stateOf is the state of a run that ended with an error.
func stateOf(err error) State {
	var refusal *Refusal
	var failed *SourceError
	var own *source.Error
	switch {
	case errors.As(err, &refusal) && refusal.Kind == DefinitionInError:
		return InError
	case errors.As(err, &refusal):
		return Refused
	case errors.Is(err, ErrTime), errors.As(err, &own) && own.Kind == source.TooLong:
		return CutByTime
	case errors.As(err, &own) && own.Kind == source.Full:
		return SourceBusy
	case errors.Is(err, ErrSize):
		return CutBySize
	case errors.Is(err, context.Canceled), errors.Is(err, ErrGone):
		return Cancelled
	case errors.As(err, &failed):
		return SourceNotReady
	}
	return FailedByService
}

// ended puts on record that a run has no whole result, and why.
func (r *Run) ended(ctx context.Context, err error) error {
	r.receipt.State, r.receipt.Problem = stateOf(err), err.Error()
	var refusal *Refusal
	if errors.As(err, &refusal) {
		for _, f := range refusal.Faults {
			r.receipt.Faults = append(r.receipt.Faults, *f)
		}
	}
	if r.receipt.ID == 0 {
		return err
	}
	if _, unkept := r.finished(nil); unkept != nil {
		slog.ErrorContext(ctx, "a receipt could not be kept", "receipt", r.receipt.ID, "state", r.receipt.State, "error", unkept)
	}
	return &RunError{Receipt: r.receipt.ID, Err: err}
}

// finished puts the end of the run on record, where it is to be, and returns the
// receipt.
func (r *Run) finished(got *reading) ([]byte, error) {
	t := &r.receipt.Time
	t.Checking, t.Waiting, t.Sending, t.Counting = milliseconds(r.checking), milliseconds(r.waiting), milliseconds(r.sent.took), milliseconds(r.counting)
	t.Database = milliseconds(max(0, r.atSource-r.counting))
	r.receipt.TookMS = math.Round(1000*(t.Checking+t.Recording+t.Waiting+t.Database+t.Sending+t.Counting)) / 1000
	r.receipt.Says = r.receipt.State.Says()
	for _, n := range r.ready.notes {
		r.receipt.Notes = append(r.receipt.Notes, n.says)
	}
	text, err := json.Marshal(&r.receipt)
	if err != nil {
		return nil, err
	}
	if r.receipt.ID == 0 {
		return text, nil
	}
	var kept []byte
	if got != nil && got.marks != nil {
		kept = got.marks.packed()
	}
	if len(text) > mostRefused && r.receipt.State == Refused {
		if text, err = json.Marshal(r.receipt.shortened()); err != nil {
			return nil, err
		}
	}
	var head []byte // of a receipt that is small a list shows as much as it likes
	if len(text) > mostHead {
		if head, err = r.receipt.head(); err != nil {
			return nil, err
		}
	}
	row := r.receipt.row(text, head, kept)
	row.Begun = r.begun
	r.begun = false
	return text, r.ready.service.store.Keep(row)
}

// keep puts on record that the run is about to start.
func (r *Run) keep() error {
	if r.receipt.ID == 0 {
		return nil
	}
	starting := r.receipt
	starting.Pieces = nil // the sentence says as much
	text, err := json.Marshal(&starting)
	if err != nil {
		return err
	}
	r.begun = true
	start := time.Now()
	err = r.ready.service.store.Keep(r.receipt.row(text, nil, nil))
	r.receipt.Time.Recording = milliseconds(time.Since(start))
	return err
}

// row is the receipt as it is kept. One of a run that is under way needs no head: it is small.
func (r *Receipt) row(body, head, marks []byte) store.Receipt {
	return store.Receipt{ID: r.ID, Report: r.Report, Person: r.Person, State: string(r.State), StartedAt: r.StartedAt, Body: body, Head: head, Marks: marks}
}

// mostRefused is how many bytes are kept of a run that was refused, mostHead how many are
// listed of any.
const (
	mostRefused = 64 << 10
	mostHead    = 8 << 10
)

// shortened is a receipt with the beginnings of the answers that were given, for a run that
// was refused: whoever gave them has them.
func (r *Receipt) shortened() *Receipt {
	short := *r
	short.Answers, short.ReadBack = nil, ""
	short.Entered = map[string]prompt.Entered{}
	left := mostRefused / 2
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

// head is what a list shows of a receipt, JSON.
func (r *Receipt) head() ([]byte, error) {
	head := *r
	head.Revisions, head.Pieces, head.SQL, head.Values, head.Evidence = nil, nil, "", nil, nil // which the receipt itself tells
	head.Faults = head.Faults[:min(len(head.Faults), 3)]
	text, err := json.Marshal(&head)
	if err == nil && len(text) > mostHead {
		head.Answers, head.Entered, head.ReadBack, head.Problem, head.Faults, head.Notes = nil, nil, beginning(head.ReadBack), beginning(head.Problem), nil, nil
		text, err = json.Marshal(&head)
	}
	return text, err
}

// beginning is that of a sentence that is too long for a list.
func beginning(text string) string {
	const most = 500
	if len(text) <= most {
		return text
	}
	return strings.ToValidUTF8(text[:most], "") + "…"
}

// Wanted is which receipts to list; what is not set leaves all.
type Wanted struct {
	Report, Person string
	State          State
	Day            string // any form of a day, on which they started; "" for all
	Before         int64  // the number that they are below
	Most           int
}

// History lists receipts, the latest first, without their SQL, revisions and evidence. More reports whether there are further
// ones.
func (s *Service) History(ctx context.Context, w Wanted) (all []Receipt, more bool, err error) {
	wanted := store.Wanted{Report: w.Report, Person: w.Person, State: string(w.State), Before: w.Before, Most: w.Most + 1}
	if w.Day != "" {
		zone := s.zone()
		day, err := s.asOf(w.Day, zone)
		if err != nil {
			return nil, false, err
		}
		wanted.From, wanted.Until = time.Unix(civil.FirstInstant(day, zone), 0), time.Unix(civil.FirstInstant(day+1, zone), 0)
	}
	rows, err := s.store.Receipts(ctx, wanted)
	if err != nil {
		return nil, false, err
	}
	if len(rows) > w.Most {
		rows, more = rows[:w.Most], true
	}
	all = make([]Receipt, len(rows))
	for i, row := range rows {
		r := &all[i]
		r.read(row)
		r.Revisions, r.Pieces, r.SQL, r.Values, r.Evidence = nil, nil, "", nil, nil // of those that were kept without a head
	}
	return all, more, nil
}

// zone is the zone of the business: that of its sources where they agree, else UTC.
func (s *Service) zone() *time.Location {
	var zone *time.Location
	for _, from := range s.published.Load().Sources {
		if zone != nil && zone.String() != from.Zone.String() {
			return time.UTC
		}
		zone = from.Zone
	}
	if zone == nil {
		return time.UTC
	}
	return zone
}

// read takes from a kept receipt what can be read of it, and says where that is not all.
func (r *Receipt) read(row store.Receipt) {
	if len(row.Body) == 0 {
		r.ID, r.Report, r.Title, r.Person, r.StartedAt = row.ID, row.Report, row.Report, row.Person, row.StartedAt
		r.Problem = "There is too much of this run to list it; its receipt tells it."
	} else if err := json.Unmarshal(row.Body, r); err != nil {
		r.partly = true
		r.ID, r.Report, r.Title, r.Person, r.StartedAt = row.ID, row.Report, cmp.Or(r.Title, row.Report), row.Person, row.StartedAt
		r.Problem = "What is kept of this run cannot be read to its end: " + err.Error()
	}
	r.State = State(row.State)
	r.Says = r.State.Says()
	if !row.Sent && (r.State == Rows || r.State == NoRows) {
		r.Says = notKnownToHaveArrived
	}
}

// notKnownToHaveArrived is said of a run that went well and whose result may not have come
// through: the service ended, or was killed, while it was on its way.
const notKnownToHaveArrived = "All was read and sent; it is not known to have arrived."

// Receipt finds the record of a run.
func (s *Service) Receipt(ctx context.Context, id int64) (*Receipt, error) {
	r, _, err := s.kept(ctx, id)
	return r, err
}

// kept finds the record of a run and what is kept of its rows.
func (s *Service) kept(ctx context.Context, id int64) (*Receipt, []byte, error) {
	row, err := s.store.Receipt(ctx, id)
	if errors.Is(err, store.ErrNone) {
		return nil, nil, &Refusal{Kind: Unknown, Faults: fault.List{fault.New("unknown_receipt", "no receipt %d", id)}}
	}
	if err != nil {
		return nil, nil, err
	}
	r := &Receipt{}
	r.read(*row)
	return r, row.Marks, nil
}

// pruneEvery is how often old receipts go.
const pruneEvery = time.Hour

// prune deletes old receipts now and then, and tells when there is little room, until ctx
// ends.
func (s *Service) prune(ctx context.Context) {
	pruner := &pruner{started: time.Now()}
	for {
		s.tellRoom(ctx)
		if s.config.KeepDays > 0 {
			s.pruneOnce(ctx, pruner)
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(pruneEvery):
		}
	}
}

// pruner is what is known of the deleting of old receipts since the service started.
type pruner struct {
	started time.Time // by a clock that nobody sets
	steps   int       // so many hours of it had theirs
}

// A clock that is wrong for one start must not cost the receipts of years. So only a small
// share goes in an hour; and where the clock shows a time long after the latest run, it is
// believed only when the service has seen it for a day.
const (
	trustedAhead = 31 * 24 * time.Hour
	trustedAfter = 24 * time.Hour
)

func (s *Service) pruneOnce(ctx context.Context, p *pruner) {
	all, latest, err := s.store.Counted(ctx)
	now := s.config.Now()
	if err == nil && all > 0 && now.Sub(latest) > trustedAhead && time.Since(p.started) < trustedAfter {
		slog.WarnContext(ctx, "no old receipt is deleted yet: the clock is far ahead of the latest run", "latest", latest, "now", now)
		return
	}
	var gone int64
	if err == nil {
		p.steps++
		gone, err = s.store.Prune(ctx, now.AddDate(0, 0, -s.config.KeepDays), share(all, s.config.KeepDays, p.steps))
	}
	switch {
	case ctx.Err() != nil:
	case err != nil:
		slog.ErrorContext(ctx, "old receipts could not be deleted", "error", err)
	case gone > 0:
		slog.InfoContext(ctx, "old receipts are deleted", "receipts", gone)
	}
}

// share is how many of the receipts may go in the n-th hour, from 1: in a day twice as many as
// come in one where all days are alike, and one at least.
func share(all int64, keepDays, n int) int64 {
	day := 2*all/int64(keepDays) + 1
	return (day*int64((n-1)%24+1)+23)/24 - (day*int64((n-1)%24)+23)/24
}

// roomWarning is the share of the room for the own records from which on it is told that
// there is little left.
const roomWarning = 0.8

// tellRoom warns where the service's own records have little room left.
func (s *Service) tellRoom(ctx context.Context) {
	if notice := s.Notice(ctx); notice != "" {
		slog.WarnContext(ctx, notice)
	}
}

// Notice is what whoever keeps the service should know; "" where that is nothing.
func (s *Service) Notice(ctx context.Context) string {
	taken, most, err := s.store.Room(ctx)
	if err != nil || most == 0 || float64(taken) < roomWarning*float64(most) {
		return ""
	}
	return fmt.Sprintf("the service's own records take %s of the %s that they may: keep receipts for fewer days (receipt-days), or give them more room (own-size)", percent(taken, most), load.Size(most))
}

func percent(part, whole int64) string { return fmt.Sprintf("%d %%", 100*part/whole) }
