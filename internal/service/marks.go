package service

import (
	"bytes"
	"compress/flate"
	"encoding/binary"
	"encoding/json"
	"hash/fnv"
	"io"
	"iter"
	"maps"

	"pikegate/internal/core/value"
)

// mostMarks is how many rows of a result are kept by their marks; of larger results
// none are.
const mostMarks = 20_000

// marks are what stands for each row of a result, by which two results are compared:
// its key and a hash of all that it shows.
type marks struct {
	rows []byte // for each the length of its key, the key as JSON, and four bytes of hash
	n    int
	many bool // there are more rows than are kept
}

// add adds a row, content being the bytes that stand for what it shows.
func (m *marks) add(row []value.Value, keys []int, content []byte) {
	if m.many = m.many || m.n == mostMarks; m.many {
		m.rows = nil
		return
	}
	values := make([]string, len(keys))
	for i, at := range keys {
		values[i] = row[at].String()
	}
	key := keyText(values)
	hash := fnv.New32a()
	hash.Write(content)
	m.rows = append(binary.AppendUvarint(m.rows, uint64(len(key))), key...)
	m.rows = hash.Sum(m.rows)
	m.n++
}

// each hands out the key and the hash of each row, in order.
func (m *marks) each() iter.Seq2[string, uint32] {
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

// sameKey is how many rows have a key that another one has too, 0 where there are too many
// rows to tell.
func (m *marks) sameKey() int64 {
	rows := map[string]int64{}
	for key := range m.each() {
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
	w.Write(m.rows) // to memory, which does not fail
	w.Close()
	return b.Bytes()
}

// unpack reads marks that were packed; nil for those that were not kept.
func unpack(kept []byte) (*marks, error) {
	if kept == nil {
		return nil, nil
	}
	rows, err := io.ReadAll(flate.NewReader(bytes.NewReader(kept)))
	return &marks{rows: rows}, err
}

// keyText is a key as marks have it: its values as a JSON array of texts.
func keyText(values []string) string {
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

// compared tells which rows one result gained, lost and changed against another.
func compared(before, after *marks) (gained, lost, changed Differing, err error) {
	was := maps.Collect(before.each())
	is := make(map[string]bool, len(was))
	for key, content := range after.each() {
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
	for key := range before.each() {
		if !is[key] {
			if err := lost.add(key); err != nil {
				return gained, lost, changed, err
			}
		}
	}
	return gained, lost, changed, nil
}
