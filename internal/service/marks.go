package service

import (
	"bytes"
	"compress/flate"
	"encoding/binary"
	"encoding/json"
	"hash/fnv"
	"io"

	"pikegate/internal/core/record"
)

// mostMarks is how many rows of a result are kept by their marks; of larger results
// none are.
const mostMarks = 100_000

// marks are what stands for each row of a result, by which two results are compared:
// its key and a hash of all that it shows.
type marks struct {
	keys    []string // as JSON
	content []uint64
	many    bool // more rows than are kept
}

func newMarks() *marks { return &marks{} }

// add adds a row, content being the bytes that stand for what it shows.
func (m *marks) add(row []record.Value, keys []int, content []byte) {
	if m.many = m.many || len(m.keys) == mostMarks; m.many {
		m.keys, m.content = nil, nil
		return
	}
	values := make([]string, len(keys))
	for i, at := range keys {
		values[i] = row[at].String()
	}
	hash := fnv.New64a()
	hash.Write(content)
	m.keys, m.content = append(m.keys, keyText(values)), append(m.content, hash.Sum64())
}

// packed are the marks as they are kept, nil where there are too many.
func (m *marks) packed() []byte {
	if m.many {
		return nil
	}
	var b bytes.Buffer
	w, err := flate.NewWriter(&b, flate.BestSpeed)
	if err != nil {
		panic(err) // the level is one of the package's own
	}
	var line []byte
	for i, key := range m.keys {
		line = binary.AppendUvarint(line[:0], uint64(len(key)))
		line = binary.BigEndian.AppendUint64(append(line, key...), m.content[i])
		w.Write(line) // to memory, which does not fail
	}
	w.Close()
	return b.Bytes()
}

// unpack reads marks that were packed; nil for those that were not kept.
func unpack(kept []byte) (*marks, error) {
	if kept == nil {
		return nil, nil
	}
	text, err := io.ReadAll(flate.NewReader(bytes.NewReader(kept)))
	m := newMarks()
	for len(text) > 0 && err == nil {
		n, width := binary.Uvarint(text)
		if width <= 0 || uint64(len(text)-width) < n+8 {
			return nil, io.ErrUnexpectedEOF
		}
		text = text[width:]
		m.keys, m.content = append(m.keys, string(text[:n])), append(m.content, binary.BigEndian.Uint64(text[n:]))
		text = text[n+8:]
	}
	return m, err
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

// compared tells which rows one result gained, lost and changed against another.
func compared(before, after *marks) (gained, lost, changed Differing, err error) {
	was := make(map[string]uint64, len(before.keys))
	for i, key := range before.keys {
		was[key] = before.content[i]
	}
	is := make(map[string]bool, len(after.keys))
	for i, key := range after.keys {
		is[key] = true
		content, known := was[key]
		switch {
		case !known:
			err = gained.add(key)
		case content != after.content[i]:
			err = changed.add(key)
		}
		if err != nil {
			return gained, lost, changed, err
		}
	}
	for _, key := range before.keys {
		if !is[key] {
			if err := lost.add(key); err != nil {
				return gained, lost, changed, err
			}
		}
	}
	return gained, lost, changed, nil
}
