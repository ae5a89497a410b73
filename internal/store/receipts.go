package store

import (
	"context"
	"errors"
	"time"

	"gorm.io/gorm"
)

// Receipt is the record of a run as it is kept.
type Receipt struct {
	ID        int64
	Report    string
	Person    string
	State     string
	StartedAt time.Time
	Body      []byte // JSON
	Marks     []byte // nil where they were not kept
}

type receiptRow struct {
	ID        int64
	Report    string
	Person    string
	State     string
	StartedAt string
	Body      []byte
	Marks     []byte
}

// The states that the store itself knows of.
const (
	Running     = "running"
	Interrupted = "interrupted"
)

// startForm is RFC 3339 with microseconds, in which texts sort by time.
const startForm = "2006-01-02T15:04:05.000000Z"

// write is a statement that waits to be committed with others.
type write struct {
	sql  string
	args []any
	done chan error
}

// mostTogether is how many writes are committed at once.
const mostTogether = 256

// commits runs the writes that are waiting in one transaction, again and again: while
// one commit is on its way to the disk the next writes gather.
func (s *Store) commits() {
	defer close(s.committed)
	db := s.db.Session(&gorm.Session{PrepareStmt: true})
	for first := range s.writes {
		together := append(make([]write, 0, 8), first)
	gather:
		for len(together) < mostTogether {
			select {
			case w, open := <-s.writes:
				if !open {
					break gather
				}
				together = append(together, w)
			default:
				break gather
			}
		}
		failed := make([]error, len(together))
		err := db.Transaction(func(tx *gorm.DB) error {
			for i, w := range together {
				failed[i] = tx.Exec(w.sql, w.args...).Error
			}
			return nil
		})
		for i, w := range together {
			w.done <- errors.Join(err, failed[i])
		}
	}
}

// commit returns when the statement is on the disk, with others that came at the same
// time. It does not end with its caller's patience: what was begun is finished.
func (s *Store) commit(sql string, args ...any) error {
	w := write{sql: sql, args: args, done: make(chan error, 1)}
	s.closing.RLock()
	if s.closed {
		s.closing.RUnlock()
		return errClosed
	}
	s.writes <- w
	s.closing.RUnlock()
	return <-w.done
}

var errClosed = errors.New("the service's records are closed")

// NextReceipt is the number of the next receipt. No other call returns it.
func (s *Store) NextReceipt() int64 { return s.lastReceipt.Add(1) }

// Keep writes a receipt, or writes it anew. When it returns, a crash does not lose it.
func (s *Store) Keep(r Receipt) error {
	return s.commit(`INSERT INTO receipts (id, report, person, state, started_at, body, marks) VALUES (?, ?, ?, ?, ?, ?, ?)
		ON CONFLICT (id) DO UPDATE SET state = excluded.state, body = excluded.body, marks = excluded.marks`,
		r.ID, r.Report, r.Person, r.State, r.StartedAt.UTC().Format(startForm), r.Body, r.Marks)
}

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
	return row.receipt()
}

func (r receiptRow) receipt() (*Receipt, error) {
	started, err := time.Parse(time.RFC3339, r.StartedAt)
	return &Receipt{ID: r.ID, Report: r.Report, Person: r.Person, State: r.State, StartedAt: started, Body: r.Body, Marks: r.Marks}, err
}

// Wanted is which receipts to list; what is not set leaves all.
type Wanted struct {
	Report, Person, State string
	From, Until           time.Time // when they started, the second excluded
	Before                int64     // the number that they are below
	Most                  int
}

// Receipts lists receipts, the latest first, without their marks.
func (s *Store) Receipts(ctx context.Context, w Wanted) ([]Receipt, error) {
	db := s.db.WithContext(ctx).Table("receipts").Select("id, report, person, state, started_at, body").Order("id DESC").Limit(w.Most)
	for column, value := range map[string]string{"report": w.Report, "person": w.Person, "state": w.State} {
		if value != "" {
			db = db.Where(column+" = ?", value)
		}
	}
	if !w.From.IsZero() {
		db = db.Where("started_at >= ?", w.From.UTC().Format(startForm))
	}
	if !w.Until.IsZero() {
		db = db.Where("started_at < ?", w.Until.UTC().Format(startForm))
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
		r, err := row.receipt()
		if err != nil {
			return nil, err
		}
		all[i] = *r
	}
	return all, nil
}

// pruned is how many receipts go at a time, so that nobody waits long for the file.
const pruned = 500

// Prune deletes the receipts of runs that started before a time, a few at a time, and
// tells how many went. The last receipt stays, so that its number is not used again.
func (s *Store) Prune(ctx context.Context, before time.Time) (int64, error) {
	var gone int64
	for ctx.Err() == nil {
		result := s.db.WithContext(ctx).Exec(`DELETE FROM receipts WHERE id IN
			(SELECT id FROM receipts WHERE started_at < ? AND state <> ? AND id < (SELECT max(id) FROM receipts) LIMIT ?)`,
			before.UTC().Format(startForm), Running, pruned)
		if gone += result.RowsAffected; result.Error != nil || result.RowsAffected < pruned {
			return gone, result.Error
		}
		select {
		case <-ctx.Done():
		case <-time.After(20 * time.Millisecond): // others have their turn
		}
	}
	return gone, ctx.Err()
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
