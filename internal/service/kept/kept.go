// Package kept keeps the rows of finished runs in files for a while, so that whatever is read of a
// run later, in any format, is of the same records. A file is there whole or not at all; all of them
// together take no more room than they may, and the oldest go first.
package kept

import (
	"bufio"
	"cmp"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"pikegate/internal/core/value"
)

// Limits are how much is kept, and for how long.
type Limits struct {
	Age  time.Duration // 0: nothing is kept
	Each int64         // bytes of one result
	All  int64         // bytes of all of them
}

// Results are the results that are kept.
type Results struct {
	dir    string
	limits Limits
	room   func(bytes int64) error
	now    func() time.Time

	mu   sync.Mutex
	held map[int64]held
	size int64 // of all
}

type held struct {
	size int64
	at   time.Time
}

// Errors of results that are not kept.
var (
	ErrNone  = errors.New("the result is not kept")
	ErrLarge = errors.New("it is larger than what is kept of a run")
)

// The names of files: whole ones have the number of the receipt.
const (
	wholeName  = ".result"
	partOfName = ".part"
)

// Open opens the directory, and makes it where there is none. What a service before left unfinished,
// what is too old and what is too much goes. room fails where the disk has none for so many bytes.
func Open(dir string, limits Limits, room func(int64) error, now func() time.Time) (*Results, error) {
	r := &Results{dir: dir, limits: limits, room: room, now: now, held: map[int64]held{}}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, err
	}
	entries, err := os.ReadDir(dir)
	if err != nil {
		return nil, err
	}
	for _, e := range entries {
		name, whole := strings.CutSuffix(e.Name(), wholeName)
		id, err := strconv.ParseInt(name, 10, 64)
		info, unknown := e.Info()
		if !whole || err != nil || unknown != nil {
			if err := os.RemoveAll(filepath.Join(dir, e.Name())); err != nil {
				return nil, err
			}
			continue
		}
		r.held[id] = held{info.Size(), info.ModTime()}
		r.size += info.Size()
	}
	r.Prune()
	return r, nil
}

func (r *Results) path(id int64) string {
	return filepath.Join(r.dir, strconv.FormatInt(id, 10)+wholeName)
}

// Prune takes away what is too old, and the oldest of what is too much.
func (r *Results) Prune() {
	r.mu.Lock()
	defer r.mu.Unlock()
	for id, h := range r.held {
		if !r.isYoung(h) {
			r.remove(id)
		}
	}
	r.makeRoom(0)
}

// makeRoom takes the oldest away until there is room for so many bytes more: and then for some further
// ones, so that not each result has the oldest looked for among all of them.
func (r *Results) makeRoom(more int64) {
	if r.size+more <= r.limits.All {
		return
	}
	oldest := slices.SortedFunc(maps.Keys(r.held), func(a, b int64) int { return cmp.Or(r.held[a].at.Compare(r.held[b].at), cmp.Compare(a, b)) })
	for _, id := range oldest {
		if r.size+more <= r.limits.All-r.limits.All/64 {
			return
		}
		r.remove(id)
	}
}

func (r *Results) remove(id int64) {
	r.size -= r.held[id].size
	delete(r.held, id)
	_ = os.Remove(r.path(id)) // if it stays, the next start takes it
}

func (r *Results) isYoung(h held) bool { return r.now().Sub(h.at) < r.limits.Age }

// Until is when the result of a run goes at the latest; false where it is not kept.
func (r *Results) Until(id int64) (time.Time, bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	h, ok := r.held[id]
	return h.at.Add(r.limits.Age).UTC(), ok && r.isYoung(h)
}

// Begin begins to keep a result; nil where nothing is kept.
func (r *Results) Begin() *Result {
	if r.limits.Age <= 0 {
		return nil
	}
	return &Result{of: r}
}

// Result is a result on its way to be kept. The first thing that goes wrong is told at its end: no
// run fails because its rows cannot be kept.
type Result struct {
	of       *Results
	file     *os.File // nil until there is more than waits to be written
	waits    []byte
	size     int64
	sections map[int]*section
	err      error
	kept     bool
	room     []byte
}

// section is where the rows of a section lie in the file.
type section struct {
	Columns []string        `json:"columns"`
	From    int64           `json:"from"`
	Until   int64           `json:"until"`
	Rows    int             `json:"rows"`
	Told    json.RawMessage `json:"told,omitempty"`
}

// Rows are those of a section on their way. They come one section after the other.
type Rows struct {
	result *Result
	number int
}

// Section begins the rows of a section, whose columns have these names; those that came of it
// before are forgotten.
func (k *Result) Section(number int, columns []string) *Rows {
	if k.sections == nil {
		k.sections = map[int]*section{}
	}
	k.sections[number] = &section{Columns: columns, From: k.size, Until: k.size}
	return &Rows{k, number}
}

// Forget forgets the rows of a section.
func (k *Result) Forget(number int) { delete(k.sections, number) }

// Has reports whether there are rows of a section.
func (k *Result) Has(number int) bool { return k.sections[number] != nil }

// Tell keeps what there is to know of a section, JSON.
func (k *Result) Tell(number int, told []byte) {
	if s := k.sections[number]; s != nil {
		s.Told = told
	}
}

// Add keeps a row.
func (w *Rows) Add(row []value.Value) {
	k := w.result
	s := k.sections[w.number]
	if k.err != nil || s == nil {
		return
	}
	const length = 4
	k.room = value.AppendRow(append(k.room[:0], 0, 0, 0, 0), row)
	binary.LittleEndian.PutUint32(k.room, uint32(len(k.room)-length))
	if k.write(k.room) {
		s.Until, s.Rows = k.size, s.Rows+1
	}
}

// roomEvery is how many bytes are written between two looks at the room of the disk.
const roomEvery = 8 << 20

func (k *Result) write(b []byte) bool {
	if k.err == nil && k.size+int64(len(b)) > k.of.limits.Each {
		k.err = ErrLarge
	}
	if k.err == nil && len(k.waits) > 0 && len(k.waits)+len(b) > atOnce {
		k.flush()
	}
	if k.err == nil {
		k.waits = append(k.waits, b...)
		k.size += int64(len(b))
	}
	return k.err == nil
}

// atOnce is how many bytes are written at a time. A result that is given up before it has as many never
// had a file.
const atOnce = 64 << 10

// flush writes what waits.
func (k *Result) flush() {
	if k.file == nil || k.size/roomEvery != (k.size-int64(len(k.waits)))/roomEvery {
		k.err = k.of.room(roomEvery)
	}
	if k.err == nil && k.file == nil {
		k.file, k.err = os.CreateTemp(k.of.dir, "*"+partOfName)
	}
	if k.err == nil {
		_, k.err = k.file.Write(k.waits)
		k.waits = k.waits[:0]
	}
}

// trailer stands at the end of a file, before its length.
type trailer struct {
	Sections map[int]*section `json:"sections"`
	Told     json.RawMessage  `json:"told"`
}

// Commit keeps the result under the number of its receipt, with what there is to know of it, JSON.
// It tells until when, or why it is not kept.
func (k *Result) Commit(id int64, told []byte) (until time.Time, err error) {
	text, err := json.Marshal(trailer{k.sections, told})
	if err != nil {
		return until, err
	}
	k.write(binary.LittleEndian.AppendUint32(text, uint32(len(text))))
	if k.err == nil {
		k.flush()
	}
	if k.err != nil {
		k.Drop()
		return until, k.err
	}
	r := k.of
	r.mu.Lock()
	defer r.mu.Unlock()
	at := r.now()
	err = errors.Join(os.Chtimes(k.file.Name(), at, at), k.file.Close())
	if err == nil && k.size > r.limits.All {
		err = ErrLarge
	}
	if err == nil {
		r.makeRoom(k.size)
		err = os.Rename(k.file.Name(), r.path(id))
	}
	if err != nil {
		_ = os.Remove(k.file.Name())
		return until, err
	}
	k.kept = true
	r.held[id] = held{k.size, at}
	r.size += k.size
	return at.Add(r.limits.Age).UTC(), nil
}

// Drop keeps nothing of a result that was not committed; of none it does nothing.
func (k *Result) Drop() {
	if k == nil || k.kept {
		return
	}
	if k.file != nil {
		_ = k.file.Close()
		_ = os.Remove(k.file.Name())
	}
	if k.err == nil {
		k.err = ErrNone
	}
}

// Held is a result that is kept. What of it is open stays readable when it is taken away.
type Held struct {
	file *os.File
	trailer
}

// Find opens the result of a run; ErrNone where it is not kept. It is closed after use.
func (r *Results) Find(id int64) (*Held, error) {
	if _, ok := r.Until(id); !ok {
		return nil, ErrNone
	}
	file, err := os.Open(r.path(id))
	if err != nil {
		return nil, ErrNone
	}
	h := &Held{file: file}
	if err := h.read(); err != nil {
		file.Close()
		return nil, fmt.Errorf("%w: its file cannot be read: %w", ErrNone, err)
	}
	return h, nil
}

func (h *Held) read() error {
	info, err := h.file.Stat()
	if err != nil {
		return err
	}
	var length [4]byte
	if _, err := h.file.ReadAt(length[:], info.Size()-int64(len(length))); err != nil {
		return err
	}
	n := int64(binary.LittleEndian.Uint32(length[:]))
	text := make([]byte, max(0, min(n, info.Size())))
	if _, err := h.file.ReadAt(text, info.Size()-int64(len(length))-n); err != nil {
		return err
	}
	return json.Unmarshal(text, &h.trailer)
}

// Close lets the file go.
func (h *Held) Close() error { return h.file.Close() }

// Told is what there is to know of the result, JSON.
func (h *Held) Told() []byte { return h.trailer.Told }

// Section tells the names of a section's columns, how many rows it has, and what else there is to
// know of it; false where the result has no such section.
func (h *Held) Section(number int) (columns []string, rows int, told []byte, ok bool) {
	s := h.Sections[number]
	if s == nil {
		return nil, 0, nil, false
	}
	return s.Columns, s.Rows, s.Told, true
}

// Rows hands out the rows of a section, in order, from the one after skip. The memory of a row is
// used again for the next one.
func (h *Held) Rows(number, skip int, use func(row []value.Value) error) error {
	s := h.Sections[number]
	if s == nil {
		return ErrNone
	}
	from := bufio.NewReaderSize(io.NewSectionReader(h.file, s.From, s.Until-s.From), 256<<10)
	row := make([]value.Value, len(s.Columns))
	var text []byte
	for i := range s.Rows {
		var length [4]byte
		if _, err := io.ReadFull(from, length[:]); err != nil {
			return err
		}
		n := int(binary.LittleEndian.Uint32(length[:]))
		if int64(n) > s.Until-s.From {
			return value.ErrCoded
		}
		if i < skip {
			if _, err := from.Discard(n); err != nil {
				return err
			}
			continue
		}
		text = slices.Grow(text[:0], n)[:n]
		if _, err := io.ReadFull(from, text); err != nil {
			return err
		}
		if err := value.ReadRow(text, row); err != nil {
			return err
		}
		if err := use(row); err != nil {
			return err
		}
	}
	return nil
}
