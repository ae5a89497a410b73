package receipt

import (
	"bytes"
	"compress/flate"
	"encoding/binary"
	"encoding/json"
	"hash/fnv"
	"io"
	"iter"
	"maps"
	"sync"

	"pikegate/internal/core/value"
)

// mostDigests is how many rows of a result are kept by their digests; of larger results
// none are.
const mostDigests = 20_000

// Digests are what stands for each row of a result, by which two results are compared:
// its key and a hash of all that it shows.
type Digests struct {
	rows []byte // for each the length of its key, the key as JSON, and four bytes of hash
	n    int
	Many bool // there are more rows than are kept
}

// Add adds a row, content being the bytes that stand for what it shows.
func (m *Digests) Add(row []value.Value, keys []int, content []byte) {
	if m.Many = m.Many || m.n == mostDigests; m.Many {
		m.rows = nil
		return
	}
	values := make([]string, len(keys))
	for i, at := range keys {
		values[i] = row[at].String()
	}
	key := KeyText(values)
	hash := fnv.New32a()
	hash.Write(content)
	m.rows = append(binary.AppendUvarint(m.rows, uint64(len(key))), key...)
	m.rows = hash.Sum(m.rows)
	m.n++
}

// Each hands out the key and the hash of each row, in order.
func (m *Digests) Each() iter.Seq2[string, uint32] {
	return func(yield func(key string, content uint32) bool) {
		for rest := m.rows; len(rest) > 0; {
			n, width := binary.Uvarint(rest)
			key, hash := rest[width:width+int(n)], rest[width+int(n):]
			if !yield(string(key), binary.BigEndian.Uint32(hash)) {
				return
			}
			rest = hash[4:]
		}
	}
}

// IsEmpty reports whether there is no row.
func (m *Digests) IsEmpty() bool { return len(m.rows) == 0 }

// SameKey is how many rows have a key that another one has too, 0 where there are too many
// rows to tell.
func (m *Digests) SameKey() int64 {
	rows := map[string]int64{}
	for key := range m.Each() {
		rows[key]++
	}
	same := int64(0)
	for _, n := range rows {
		if n > 1 {
			same += n
		}
	}
	return same
}

// packers are used again: each has tables that take longer to make than a page to pack.
var packers = sync.Pool{New: func() any {
	w, err := flate.NewWriter(nil, flate.BestSpeed)
	if err != nil {
		panic(err) // the level is one of the package's own
	}
	return w
}}

// Packed are the digests as they are kept, nil where there are too many.
func (m *Digests) Packed() []byte {
	if m.Many {
		return nil
	}
	var b bytes.Buffer
	w := packers.Get().(*flate.Writer)
	defer packers.Put(w)
	w.Reset(&b)
	w.Write(m.rows) // to memory, which does not fail
	w.Close()
	return b.Bytes()
}

// PackedAll are the digests of several sections as they are kept, one after the other: an empty one
// stands for each that has too many rows, or none that are known.
func PackedAll(all []*Digests) []byte {
	var kept []byte
	for _, d := range all {
		if d == nil || d.Many {
			d = &Digests{}
		}
		kept = append(kept, d.Packed()...)
	}
	return kept
}

// Unpack reads so many digests that were packed one after the other; nil for those that were not kept.
func Unpack(kept []byte, n int) ([]*Digests, error) {
	all := make([]*Digests, n)
	from := bytes.NewReader(kept) // of which no more is read than belongs to one
	for i := 0; i < n && from.Len() > 0; i++ {
		rows, err := io.ReadAll(flate.NewReader(from))
		if err != nil {
			return nil, err
		}
		all[i] = &Digests{rows: rows}
	}
	return all, nil
}

// KeyText is a key as digests have it: its values as a JSON array of texts.
func KeyText(values []string) string {
	text, err := json.Marshal(values)
	if err != nil {
		panic(err) // a list of texts can always be written
	}
	return string(text)
}

// Differing is rows that differ between two results, by key.
type Differing struct {
	Records int        `json:"records" doc:"How many."`
	Keys    [][]string `json:"keys,omitempty" doc:"The keys of the first of them."`
}

// mostKeys is how many keys of rows that differ are told.
const mostKeys = 20

func (d *Differing) add(key string) error {
	d.Records++
	if len(d.Keys) == mostKeys {
		return nil
	}
	var values []string
	err := json.Unmarshal([]byte(key), &values)
	d.Keys = append(d.Keys, values)
	return err
}

// Compared tells which rows one result gained, lost and changed against another.
func Compared(before, after *Digests) (gained, lost, changed Differing, err error) {
	was := maps.Collect(before.Each())
	is := make(map[string]bool, len(was))
	for key, content := range after.Each() {
		is[key] = true
		earlier, known := was[key]
		switch {
		case !known:
			err = gained.add(key)
		case content != earlier:
			err = changed.add(key)
		}
		if err != nil {
			return gained, lost, changed, err
		}
	}
	for key := range before.Each() {
		if !is[key] {
			if err := lost.add(key); err != nil {
				return gained, lost, changed, err
			}
		}
	}
	return gained, lost, changed, nil
}
