package store

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"sync/atomic"
	"time"

	"github.com/mattn/go-sqlite3"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"
)

// Receipt is the record of a run as it is kept.
type Receipt struct {
	ID        int64
	Report    string
	Person    string
	State     string
	StartedAt time.Time
	Begun     bool   // it was kept before, while it was running
	Sent      bool   // all of its result was handed on
	Body      []byte // JSON
	Head      []byte // JSON, what a list shows of it; of a list it stands in the place of Body
	Digests   []byte // nil where they were not kept
}

// receipt is a row of the table receipts.
type receipt struct {
	ID        int64 `gorm:"primaryKey;autoIncrement:false"` // else the database would be asked for it
	Report    string
	Person    string
	State     string
	StartedAt string // in startForm
	Body      []byte
	Head      []byte
	Digests   []byte
	Sent      bool `gorm:"->"` // as withSent reads it
}

// withSent reads, beside columns of receipts, whether their results were handed on.
const withSent = "EXISTS (SELECT 1 FROM handed_on WHERE receipt_id = id) AS sent"

// handedOn is a row of the table handed_on.
type handedOn struct {
	ReceiptID int64 `gorm:"primaryKey;autoIncrement:false"`
}

// TableName is GORM's interface for the name of a model's table.
func (handedOn) TableName() string { return "handed_on" }

func rowOf(r Receipt) receipt {
	return receipt{ID: r.ID, Report: r.Report, Person: r.Person, State: r.State, StartedAt: r.StartedAt.UTC().Format(startForm), Body: r.Body, Head: r.Head, Digests: r.Digests}
}

// The states that the store itself knows of.
const (
	Running     = "running"
	Interrupted = "interrupted"
)

// startForm is RFC 3339 with microseconds, in which texts sort by time.
const startForm = "2006-01-02T15:04:05.000000Z"

// kept is a receipt that waits to be committed with others.
type kept struct {
	Receipt
	done chan error
}

// mostTogether is how many receipts are committed at once, gatherTime how long the
// first of them waits for others.
const (
	mostTogether = 256
	gatherTime   = time.Millisecond
)

// commits writes the receipts that are waiting in one transaction, repeatedly: while one commit
// is being written, the next receipts are collected. It has a connection of its
// own, with statements that are prepared once, since every run waits for them.
func (s *Store) commits() {
	defer close(s.committed)
	idle := time.NewTicker(sentTime)
	defer idle.Stop()
	for {
		select {
		case first, open := <-s.waiting:
			if !open {
				s.keepSent()
				return
			}
			s.keepTogether(s.gather(first))
		case <-idle.C:
			s.keepSent()
		}
	}
}

// keepTogether writes receipts in one transaction.
func (s *Store) keepTogether(together []kept) {
	failed := make([]error, len(together))
	err := s.keeping.Transaction(func(tx *gorm.DB) error {
		keepAll(tx, together, failed, false)
		keepAll(tx, together, failed, true)
		return nil
	})
	for i, k := range together {
		k.done <- roomless(errors.Join(failed[i], err))
	}
}

// keepAll writes the receipts that have begun anew, or those that have not, by one statement:
// under load statements cost more than rows. Where that fails each is written by itself, so that
// only the one to blame fails.
func keepAll(tx *gorm.DB, together []kept, failed []error, begun bool) {
	var rows []receipt
	var at []int
	for i, k := range together {
		if k.Begun == begun {
			rows, at = append(rows, rowOf(k.Receipt)), append(at, i)
		}
	}
	if begun {
		tx = tx.Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "id"}}, DoUpdates: clause.AssignmentColumns([]string{"state", "body", "head", "digests"})}).Session(&gorm.Session{})
	}
	if len(rows) == 0 || tx.Create(&rows).Error == nil {
		return
	}
	for i := range rows {
		failed[at[i]] = tx.Create(&rows[i]).Error
	}
}

// sentTime is the longest that it takes until what is known of a receipt's result is on
// the disk. A service that ends before that says that it does not know.
const sentTime = time.Second

// Sent says that all of a run's result was handed on. It waits for nothing: it is written
// with others, soon.
func (s *Store) Sent(id int64) {
	s.sending.Lock()
	defer s.sending.Unlock()
	s.sent[id] = true
}

// keepSent writes which results were handed on since it last did. What cannot be written is tried again.
func (s *Store) keepSent() {
	s.sending.Lock()
	rows := make([]handedOn, 0, len(s.sent))
	for id := range s.sent {
		rows = append(rows, handedOn{id})
	}
	s.sending.Unlock()
	const most = 500 // by one statement
	if len(rows) == 0 || s.keeping.Clauses(clause.OnConflict{DoNothing: true}).CreateInBatches(rows, most).Error != nil {
		return // which is logged
	}
	s.sending.Lock()
	defer s.sending.Unlock()
	for _, r := range rows {
		delete(s.sent, r.ReceiptID)
	}
}

func (s *Store) isSent(id int64) bool {
	s.sending.Lock()
	defer s.sending.Unlock()
	return s.sent[id]
}

// gather collects what is committed together: what is waiting, and where other runs
// are on their way what they bring within a moment, since each commit costs the disk
// the same. A run by itself waits for nobody.
func (s *Store) gather(first kept) []kept {
	together := append(make([]kept, 0, 8), first)
	var late <-chan time.Time
	for len(together) < mostTogether {
		select {
		case k, open := <-s.waiting:
			if !open {
				return together
			}
			together = append(together, k)
			continue
		default:
		}
		if int64(len(together)) >= s.underWay.Load() {
			return together
		}
		if late == nil {
			late = time.After(gatherTime)
		}
		select {
		case k, open := <-s.waiting:
			if !open {
				return together
			}
			together = append(together, k)
		case <-late:
			return together
		}
	}
	return together
}

// startCommits opens the connection that receipts are written on.
func (s *Store) startCommits() error {
	var err error
	if s.keeping, err = pool(s.path, s.most, true, s.log); err != nil {
		return err
	}
	s.waiting, s.committed = make(chan kept, mostTogether), make(chan struct{})
	go s.commits()
	return nil
}

// endCommits ends it, once what waits is written.
func (s *Store) endCommits() error {
	s.closing.Lock()
	defer s.closing.Unlock()
	if s.waiting == nil || s.closed {
		return nil
	}
	s.closed = true
	close(s.waiting)
	<-s.committed
	return closeDB(s.keeping)
}

// Keep writes a receipt, or where it has begun writes it anew, with others that came at the same time.
// When it returns, a crash does not lose it. It runs to the end even if the caller's context is
// cancelled.
func (s *Store) Keep(r Receipt) error {
	k := kept{Receipt: r, done: make(chan error, 1)}
	s.closing.RLock()
	if s.closed {
		s.closing.RUnlock()
		return errClosed
	}
	s.waiting <- k
	s.closing.RUnlock()
	err := <-k.done
	s.full.Store(errors.Is(err, ErrNoRoom))
	return err
}

// Begun is a run that has begun. It is on record as running once somebody waits for that, or it has
// lasted a moment; where it ends before, its end alone is written.
type Begun struct {
	store   *Store
	row     func() (Receipt, error)
	at      time.Time
	ended   atomic.Bool
	once    sync.Once
	written bool
	err     error
}

// beginTime is the longest that a run is under way and not on record as running.
const beginTime = 20 * time.Millisecond

// Begin begins a run. row makes its receipt; it may be called at any time until the run's end is kept,
// or never.
func (s *Store) Begin(row func() (Receipt, error)) *Begun {
	s.underWay.Add(1)
	b := &Begun{store: s, row: row, at: time.Now()}
	s.begun.add(b)
	return b
}

// beginnings are the runs that began within the last moment, in order. One timer serves them all: one
// for each run would cost as much as its answers do.
type beginnings struct {
	sync.Mutex
	runs []*Begun // none where the timer is not set
}

func (l *beginnings) add(b *Begun) {
	l.Lock()
	defer l.Unlock()
	if l.runs = append(l.runs, b); len(l.runs) == 1 {
		time.AfterFunc(beginTime, l.record)
	}
}

// record puts the runs on record that are still under way a moment after they began.
func (l *beginnings) record() {
	l.Lock()
	defer l.Unlock()
	for len(l.runs) > 0 {
		first := l.runs[0]
		if left := beginTime - time.Since(first.at); left > 0 && !first.ended.Load() {
			time.AfterFunc(left, l.record)
			return
		}
		l.runs[0], l.runs = nil, l.runs[1:]
		if !first.ended.Load() {
			go func() { _ = first.OnRecord() }() // who waits for it is told
		}
	}
	l.runs = nil
}

// OnRecord waits until a crash does not lose that the run has begun.
func (b *Begun) OnRecord() error {
	b.once.Do(func() {
		var r Receipt
		if r, b.err = b.row(); b.err == nil {
			b.err = b.store.Keep(r)
		}
		b.written = b.err == nil
		b.store.underWay.Add(-1) // nobody knows when it will end
	})
	return b.err
}

// End keeps the receipt of the run when it has ended.
func (b *Begun) End(r Receipt) error {
	b.ended.Store(true)
	waitedFor := false
	b.once.Do(func() { waitedFor = true }) // now it will not be written as running any more
	if r.Begun = b.written; waitedFor {
		defer b.store.underWay.Add(-1)
	}
	return b.store.Keep(r)
}

// ErrNoRoom is the cause where there is no room for the service's own records, on the disk
// or in what they may take.
var ErrNoRoom = errors.New("there is no room for the service's own records")

// roomless gives an error of a full disk or a full file its cause.
func roomless(err error) error {
	var own sqlite3.Error
	if errors.As(err, &own) && (own.Code == sqlite3.ErrFull || own.Code == sqlite3.ErrIoErr) {
		return fmt.Errorf("%w: %w", ErrNoRoom, err)
	}
	return err
}

var errClosed = errors.New("the service's records are closed")

// NextReceipt is the number of the next receipt. No other call returns it.
func (s *Store) NextReceipt() int64 { return s.lastReceipt.Add(1) }

// interrupt ends the receipts of runs that were cut off when the service last ended,
// and finds the number of the last receipt.
func (s *Store) interrupt() error {
	if err := s.db.Model(&receipt{}).Where(&receipt{State: Running}).Update("state", Interrupted).Error; err != nil {
		return err
	}
	var last int64
	err := s.db.Model(&receipt{}).Select("coalesce(max(id), 0)").Scan(&last).Error
	s.lastReceipt.Store(last)
	return err
}

// Receipt finds a receipt; ErrNone where there is none of the number.
func (s *Store) Receipt(ctx context.Context, id int64) (*Receipt, error) {
	var row receipt
	if err := s.db.WithContext(ctx).Select("*", withSent).Take(&row, id).Error; err != nil {
		return nil, none(err)
	}
	return s.read(row)
}

// read is a receipt as it was kept.
func (s *Store) read(r receipt) (*Receipt, error) {
	started, err := time.Parse(time.RFC3339, r.StartedAt)
	return &Receipt{ID: r.ID, Report: r.Report, Person: r.Person, State: r.State, StartedAt: started, Body: r.Body, Digests: r.Digests, Sent: r.Sent || s.isSent(r.ID)}, err
}

// Wanted is which receipts to list; what is not set leaves all.
type Wanted struct {
	Report, Person, State string
	From, Until           time.Time // when they started, both or neither; the second excluded
	Before                int64     // the number that they are below
	Most                  int
}

// mostListed is how many bytes a receipt may have that was kept without a head, to be listed.
const mostListed = 64 << 10

// Receipts lists receipts, the latest first, with their heads in place of their bodies.
func (s *Store) Receipts(ctx context.Context, w Wanted) ([]Receipt, error) {
	db := s.db.WithContext(ctx)
	var rows []receipt
	err := db.Select("id, report, person, state, started_at, coalesce(head, CASE WHEN length(body) <= ? THEN body END) AS body, "+withSent, mostListed).
		Where(&receipt{Report: w.Report, Person: w.Person, State: w.State}).Scopes(w.otherwise, w.started(db)).Order("id DESC").Limit(w.Most).Find(&rows).Error
	if err != nil {
		return nil, err
	}
	all := make([]Receipt, len(rows))
	for i, row := range rows {
		r, err := s.read(row)
		if err != nil {
			return nil, err
		}
		all[i] = *r
	}
	return all, nil
}

// otherwise says the state once more as the index on states has it, where it has it, and
// limits to receipts below a number.
func (w Wanted) otherwise(db *gorm.DB) *gorm.DB {
	if w.State != "" && w.State != Running && w.State != "rows" {
		db = db.Where("state NOT IN ('running', 'rows')")
	}
	if w.Before > 0 {
		db = db.Where("id < ?", w.Before)
	}
	return db
}

// started limits to runs that started within a time, by their numbers, in whose order they
// are listed.
func (w Wanted) started(in *gorm.DB) func(*gorm.DB) *gorm.DB {
	return func(db *gorm.DB) *gorm.DB {
		if w.From.IsZero() {
			return db
		}
		return db.Where("id IN (?)", in.Model(&receipt{}).Select("id").Where("started_at >= ? AND started_at < ?", w.From.UTC().Format(startForm), w.Until.UTC().Format(startForm)))
	}
}

// pruned is how many receipts go at a time, so that nobody waits long for the file.
const pruned = 500

// Prune deletes receipts of runs that started before a time, the oldest first, a few at a
// time and no more than most, and tells how many went. The last receipt stays, so that its
// number is not used again.
func (s *Store) Prune(ctx context.Context, before time.Time, most int64) (gone int64, err error) {
	for gone < most && ctx.Err() == nil {
		step := min(pruned, most-gone)
		db := s.db.WithContext(ctx)
		last := db.Model(&receipt{}).Select("max(id)")
		old := db.Model(&receipt{}).Select("id").Where("started_at < ? AND state <> ? AND id < (?)", before.UTC().Format(startForm), Running, last).Order("started_at").Limit(int(step))
		result := db.Where("id IN (?)", old).Delete(&receipt{})
		if gone += result.RowsAffected; result.Error != nil || result.RowsAffected < step {
			return gone, result.Error
		}
		select {
		case <-ctx.Done():
		case <-time.After(20 * time.Millisecond): // others have their turn
		}
	}
	return gone, ctx.Err()
}

// Counted is how many receipts there are, and when the latest run started; the zero time
// where there is none.
func (s *Store) Counted(ctx context.Context) (n int64, latest time.Time, err error) {
	var row struct {
		N      int64
		Latest string
	}
	if err := s.db.WithContext(ctx).Model(&receipt{}).Select("count(*) AS n, coalesce(max(started_at), '') AS latest").Scan(&row).Error; err != nil || row.Latest == "" {
		return row.N, time.Time{}, err
	}
	latest, err = time.Parse(time.RFC3339, row.Latest)
	return row.N, latest, err
}

// Loaded is when a table of the embedded records was last loaded.
type Loaded struct {
	At   time.Time
	By   string
	Rows int
}

// loadRow is a row of the table loads.
type loadRow struct {
	Table    string `gorm:"column:table_name;primaryKey"`
	LoadedAt string // RFC 3339, UTC
	LoadedBy string
	Rows     int
}

// TableName is GORM's interface for the name of a model's table.
func (loadRow) TableName() string { return "loads" }

// loads are what is known of loads without a look at the records: every run with evidence asks.
type loads struct {
	sync.Mutex
	known map[string]*Loaded // by table, nil for one that never was loaded
}

// forget is called before what is on record of loads changes, and what it returns after.
func (l *loads) forget() (unlock func()) {
	l.Lock()
	l.known = map[string]*Loaded{}
	return l.Unlock
}

// SetLoaded remembers a load.
func (s *Store) SetLoaded(ctx context.Context, table string, l Loaded) error {
	defer s.loads.forget()()
	return s.db.WithContext(ctx).Clauses(clause.OnConflict{UpdateAll: true}).
		Create(&loadRow{Table: table, LoadedAt: l.At.UTC().Format(time.RFC3339), LoadedBy: l.By, Rows: l.Rows}).Error
}

// LoadedAt tells when a table was last loaded, nil where it never was.
func (s *Store) LoadedAt(ctx context.Context, table string) (*Loaded, error) {
	s.loads.Lock()
	defer s.loads.Unlock()
	if known, ok := s.loads.known[table]; ok {
		return known, nil
	}
	loaded, err := s.loadedAt(ctx, table)
	if err == nil {
		s.loads.known[table] = loaded
	}
	return loaded, err
}

func (s *Store) loadedAt(ctx context.Context, table string) (*Loaded, error) {
	var row loadRow
	err := s.db.WithContext(ctx).Where(&loadRow{Table: table}).Take(&row).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	at, err := time.Parse(time.RFC3339, row.LoadedAt)
	return &Loaded{At: at, By: row.LoadedBy, Rows: row.Rows}, err
}

// LoadedTables lists the tables that were loaded, by name.
func (s *Store) LoadedTables(ctx context.Context) (names []string, err error) {
	err = s.db.WithContext(ctx).Model(&loadRow{}).Order("table_name").Pluck("table_name", &names).Error
	return names, err
}

// RenameLoaded gives what is remembered of a load the table's other name.
func (s *Store) RenameLoaded(ctx context.Context, table, to string) error {
	defer s.loads.forget()()
	return s.db.WithContext(ctx).Model(&loadRow{Table: table}).Update("table_name", to).Error
}

// ForgetLoaded forgets a load.
func (s *Store) ForgetLoaded(ctx context.Context, table string) error {
	defer s.loads.forget()()
	return s.db.WithContext(ctx).Delete(&loadRow{Table: table}).Error
}
