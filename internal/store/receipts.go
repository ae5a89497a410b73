package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"maps"
	"slices"
	"time"

	"github.com/mattn/go-sqlite3"
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

type receiptRow struct {
	ID        int64
	Report    string
	Person    string
	State     string
	StartedAt string
	Body      []byte
	Marks     []byte
	Sent      bool
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
	gatherTime   = 500 * time.Microsecond
)

// commits writes the receipts that are waiting in one transaction, again and again:
// while one commit is on its way to the disk the next receipts gather. Its connection
// and its statements are its own, since every run waits for them twice.
func (s *Store) commits(conn *sql.Conn, begin, end, sent *sql.Stmt) {
	defer close(s.committed)
	defer conn.Close()
	for _, statement := range []*sql.Stmt{begin, end, sent} { // else SQLite keeps the file open
		defer statement.Close()
	}
	ctx := context.Background()
	idle := time.NewTicker(sentTime)
	defer idle.Stop()
	for {
		var together []kept
		open := true
		select {
		case first, more := <-s.waiting:
			if open = more; more {
				together = s.gather(first)
			}
		case <-idle.C:
		}
		handedOn := s.takeSent()
		if len(together) == 0 && len(handedOn) == 0 {
			if !open {
				return
			}
			continue
		}
		failed := make([]error, len(together))
		_, err := conn.ExecContext(ctx, "BEGIN IMMEDIATE")
		for _, id := range handedOn {
			if err == nil {
				_, err = sent.ExecContext(ctx, id)
			}
		}
		for i, k := range together {
			if err != nil {
				break
			}
			if k.Begun {
				_, failed[i] = end.ExecContext(ctx, k.State, k.Body, k.Head, k.Digests, k.ID)
			} else {
				_, failed[i] = begin.ExecContext(ctx, k.ID, k.Report, k.Person, k.State, k.StartedAt.UTC().Format(startForm), k.Body, k.Head)
			}
		}
		if err == nil {
			if _, err = conn.ExecContext(ctx, "COMMIT"); err != nil {
				_, _ = conn.ExecContext(ctx, "ROLLBACK") // for the next ones
			}
		}
		if err == nil {
			s.sentKept(handedOn)
		} else {
			s.addSent(handedOn...) // for the next time
		}
		for i, k := range together {
			k.done <- roomless(errors.Join(failed[i], err))
		}
		if !open {
			return
		}
	}
}

// sentTime is the longest that it takes until what is known of a receipt's result is on
// the disk. A service that ends before that says that it does not know.
const sentTime = time.Second

// Sent says that all of a run's result was handed on. It waits for nothing: it is written
// with the next receipts.
func (s *Store) Sent(id int64) { s.addSent(id) }

func (s *Store) addSent(ids ...int64) {
	s.sending.Lock()
	defer s.sending.Unlock()
	for _, id := range ids {
		s.sent[id] = true
	}
}

// takeSent are the receipts whose results were handed on and that are not yet written so.
func (s *Store) takeSent() []int64 {
	s.sending.Lock()
	defer s.sending.Unlock()
	return slices.Collect(maps.Keys(s.sent))
}

func (s *Store) sentKept(ids []int64) {
	s.sending.Lock()
	defer s.sending.Unlock()
	for _, id := range ids {
		delete(s.sent, id)
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

// startCommits makes the connection that receipts are written on.
func (s *Store) startCommits() error {
	db, err := s.db.DB()
	if err != nil {
		return err
	}
	ctx := context.Background()
	conn, err := db.Conn(ctx)
	if err != nil {
		return err
	}
	begin, err := conn.PrepareContext(ctx, "INSERT INTO receipts (id, report, person, state, started_at, body, head) VALUES (?, ?, ?, ?, ?, ?, ?)")
	if err != nil {
		return errors.Join(err, conn.Close())
	}
	end, err := conn.PrepareContext(ctx, "UPDATE receipts SET state = ?, body = ?, head = ?, marks = ? WHERE id = ?")
	if err != nil {
		return errors.Join(err, conn.Close())
	}
	sent, err := conn.PrepareContext(ctx, "UPDATE receipts SET sent = 1 WHERE id = ?")
	if err != nil {
		return errors.Join(err, conn.Close())
	}
	s.waiting, s.committed = make(chan kept, mostTogether), make(chan struct{})
	go s.commits(conn, begin, end, sent)
	return nil
}

// endCommits ends it, once what waits is written.
func (s *Store) endCommits() {
	s.closing.Lock()
	defer s.closing.Unlock()
	if s.waiting != nil && !s.closed {
		s.closed = true
		close(s.waiting)
		<-s.committed
	}
}

// Keep writes a receipt, or where it has begun writes it anew, with others that came at the same time.
// When it returns, a crash does not lose it. It does not end with its caller's
// patience: what was begun is finished.
func (s *Store) Keep(r Receipt) error {
	k := kept{Receipt: r, done: make(chan error, 1)}
	s.closing.RLock()
	if s.closed {
		s.closing.RUnlock()
		return errClosed
	}
	if r.State == Running {
		s.underWay.Add(1)
	}
	s.waiting <- k
	s.closing.RUnlock()
	err := <-k.done
	if r.Begun || err != nil && r.State == Running { // which then never begins
		s.underWay.Add(-1)
	}
	s.full.Store(errors.Is(err, ErrNoRoom))
	return err
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
	if err := s.db.Exec("UPDATE receipts SET state = ? WHERE state = ?", Interrupted, Running).Error; err != nil {
		return err
	}
	var last int64
	err := s.db.Raw("SELECT coalesce(max(id), 0) FROM receipts").Scan(&last).Error
	s.lastReceipt.Store(last)
	return err
}

// Receipt finds a receipt; ErrNone where there is none of the number.
func (s *Store) Receipt(ctx context.Context, id int64) (*Receipt, error) {
	var row receiptRow
	err := s.db.WithContext(ctx).Raw("SELECT * FROM receipts WHERE id = ?", id).Scan(&row).Error
	if err != nil {
		return nil, err
	}
	if row.ID == 0 {
		return nil, ErrNone
	}
	return s.receipt(row)
}

func (s *Store) receipt(r receiptRow) (*Receipt, error) {
	started, err := time.Parse(time.RFC3339, r.StartedAt)
	return &Receipt{ID: r.ID, Report: r.Report, Person: r.Person, State: r.State, StartedAt: started, Body: r.Body, Digests: r.Marks, Sent: r.Sent || s.isSent(r.ID)}, err
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
	db := s.db.WithContext(ctx).Table("receipts").Select("id, report, person, state, started_at, coalesce(head, CASE WHEN length(body) <= ? THEN body END) AS body, sent", mostListed).Order("id DESC").Limit(w.Most)
	for column, value := range map[string]string{"report": w.Report, "person": w.Person, "state": w.State} {
		if value != "" {
			db = db.Where(column+" = ?", value)
		}
	}
	if w.State != "" && w.State != Running && w.State != "rows" {
		db = db.Where("state NOT IN ('running', 'rows')") // as the index has it
	}
	if !w.From.IsZero() { // as numbers, in whose order they are listed
		db = db.Where("id IN (SELECT id FROM receipts WHERE started_at >= ? AND started_at < ?)", w.From.UTC().Format(startForm), w.Until.UTC().Format(startForm))
	}
	if w.Before > 0 {
		db = db.Where("id < ?", w.Before)
	}
	var rows []receiptRow
	if err := db.Scan(&rows).Error; err != nil {
		return nil, err
	}
	all := make([]Receipt, len(rows))
	for i, row := range rows {
		r, err := s.receipt(row)
		if err != nil {
			return nil, err
		}
		all[i] = *r
	}
	return all, nil
}

// pruned is how many receipts go at a time, so that nobody waits long for the file.
const pruned = 500

// Prune deletes receipts of runs that started before a time, the oldest first, a few at a
// time and no more than most, and tells how many went. The last receipt stays, so that its
// number is not used again.
func (s *Store) Prune(ctx context.Context, before time.Time, most int64) (gone int64, err error) {
	for gone < most && ctx.Err() == nil {
		step := min(pruned, most-gone)
		result := s.db.WithContext(ctx).Exec(`DELETE FROM receipts WHERE id IN
			(SELECT id FROM receipts WHERE started_at < ? AND state <> ? AND id < (SELECT max(id) FROM receipts) ORDER BY started_at LIMIT ?)`,
			before.UTC().Format(startForm), Running, step)
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
	if err := s.db.WithContext(ctx).Raw("SELECT count(*) AS n, coalesce(max(started_at), '') AS latest FROM receipts").Scan(&row).Error; err != nil || row.Latest == "" {
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

// SetLoaded remembers a load.
func (s *Store) SetLoaded(ctx context.Context, table string, l Loaded) error {
	return s.db.WithContext(ctx).Exec(`INSERT INTO loads (table_name, loaded_at, loaded_by, rows) VALUES (?, ?, ?, ?)
		ON CONFLICT (table_name) DO UPDATE SET loaded_at = excluded.loaded_at, loaded_by = excluded.loaded_by, rows = excluded.rows`,
		table, l.At.UTC().Format(time.RFC3339), l.By, l.Rows).Error
}

// LoadedAt tells when a table was last loaded, nil where it never was.
func (s *Store) LoadedAt(ctx context.Context, table string) (*Loaded, error) {
	var row struct {
		LoadedAt, LoadedBy string
		Rows               int
	}
	err := s.db.WithContext(ctx).Raw("SELECT loaded_at, loaded_by, rows FROM loads WHERE table_name = ?", table).Scan(&row).Error
	if err != nil || row.LoadedAt == "" {
		return nil, err
	}
	at, err := time.Parse(time.RFC3339, row.LoadedAt)
	return &Loaded{At: at, By: row.LoadedBy, Rows: row.Rows}, err
}

// LoadedTables lists the tables that were loaded, by name.
func (s *Store) LoadedTables(ctx context.Context) (names []string, err error) {
	err = s.db.WithContext(ctx).Raw("SELECT table_name FROM loads ORDER BY table_name").Scan(&names).Error
	return names, err
}

// RenameLoaded gives what is remembered of a load the table's other name; "" forgets it.
func (s *Store) RenameLoaded(ctx context.Context, table, to string) error {
	if to == "" {
		return s.db.WithContext(ctx).Exec("DELETE FROM loads WHERE table_name = ?", table).Error
	}
	return s.db.WithContext(ctx).Exec("UPDATE loads SET table_name = ? WHERE table_name = ?", to, table).Error
}
