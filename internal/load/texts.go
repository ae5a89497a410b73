package load

import (
	"bufio"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"math"
	"os"

	"pikegate/internal/core/fault"
)

// sharedTexts are the texts that the cells of an XLSX file refer to by number. They lie in
// a file, since there may be more of them than memory, and cells ask for them in any order.
type sharedTexts struct {
	file *os.File
	ends []uint32 // where each text ends in the file
}

// mostTexts is how many there may be: a sheet has a million rows.
const mostTexts = 4 << 20

// readSharedTexts puts the texts of a part aside in a directory; a file without such a part
// has none.
func readSharedTexts(b *book, name, dir string) (*sharedTexts, error) {
	f := b.parts[name]
	if f == nil {
		return &sharedTexts{}, nil
	}
	if f.UncompressedSize64 > math.MaxUint32 {
		return nil, refuse(fault.UnpacksTooLarge, "the texts of the file are larger than 4 GiB; nothing was loaded")
	}
	part, err := f.Open()
	if err != nil {
		return nil, unreadable(err)
	}
	defer part.Close()
	s := &sharedTexts{}
	if s.file, err = os.CreateTemp(dir, "texts-*"); err != nil {
		return nil, aborted(err)
	}
	os.Remove(s.file.Name()) // it goes with the process
	if err := s.fill(part, b.limits); err != nil {
		return nil, errors.Join(err, s.close())
	}
	return s, nil
}

func (s *sharedTexts) fill(from io.Reader, limits Limits) error {
	source := newBounded(&shallow{from: from}, limits.Field)
	reader := xml.NewDecoder(source)
	to := bufio.NewWriterSize(s.file, 256<<10)
	end := int64(0)
	for {
		t, err := reader.Token()
		if errors.Is(err, io.EOF) {
			return aborted(to.Flush())
		}
		if err != nil {
			return s.failed(err, limits)
		}
		source.next(reader.InputOffset())
		at, isElement := t.(xml.StartElement)
		if !isElement || at.Name.Local == "sst" {
			continue
		}
		if at.Name.Local != "si" {
			if err := reader.Skip(); err != nil {
				return s.failed(err, limits)
			}
			continue
		}
		text, err := textIn(reader)
		switch {
		case err != nil:
			return s.failed(err, limits)
		case int64(len(text)) > limits.Field:
			return s.failed(errLine, limits)
		case len(s.ends) == mostTexts:
			return refuse(fault.UnpacksTooLarge, "the file has more than %d texts; nothing was loaded", mostTexts)
		}
		if _, err := to.WriteString(text); err != nil {
			return aborted(err)
		}
		end += int64(len(text))
		s.ends = append(s.ends, uint32(end)) // the part is smaller than that
	}
}

func (s *sharedTexts) failed(err error, limits Limits) error {
	if errors.Is(err, errLine) {
		return refuse(fault.FieldTooLong, "a text of the file is longer than %s; nothing was loaded", Size(limits.Field))
	}
	return unreadable(err)
}

func (s *sharedTexts) get(n int) (string, error) {
	if n < 0 || n >= len(s.ends) {
		return "", fmt.Errorf("a cell refers to text %d, and there are %d", n, len(s.ends))
	}
	start := uint32(0)
	if n > 0 {
		start = s.ends[n-1]
	}
	text := make([]byte, s.ends[n]-start)
	if _, err := s.file.ReadAt(text, int64(start)); err != nil && !errors.Is(err, io.EOF) {
		return "", err
	}
	return string(text), nil
}

func (s *sharedTexts) close() error {
	if s == nil || s.file == nil {
		return nil
	}
	return s.file.Close()
}
