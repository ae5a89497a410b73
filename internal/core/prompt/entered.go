package prompt

import (
	"bytes"
	"encoding/json"
	"errors"
	"strconv"
	"strings"

	"github.com/shopspring/decimal"
)

// Entered is an answer as it was given, before anybody tried to understand it.
// The zero Entered is an answer that is absent, so that the default is taken.
type Entered struct {
	shape shape
	texts []string // one or several; for sides, the start and the end
}

type shape uint8

const (
	absent  shape = iota
	nothing       // left unanswered on purpose
	oneText
	several
	sides
)

// OneText is an answer of one text; a blank one is an answer left open on
// purpose.
func OneText(text string) Entered {
	if strings.TrimSpace(text) == "" {
		return Entered{shape: nothing}
	}
	return Entered{shape: oneText, texts: []string{text}}
}

// SeveralTexts is an answer of several values; blank ones do not count.
func SeveralTexts(texts []string) Entered {
	var kept []string
	for _, t := range texts {
		if strings.TrimSpace(t) != "" {
			kept = append(kept, t)
		}
	}
	if len(kept) == 0 {
		return Entered{shape: nothing}
	}
	return Entered{shape: several, texts: kept}
}

// Sides is a period whose first and last day were entered apart.
func Sides(start, end string) Entered {
	if strings.TrimSpace(start) == "" && strings.TrimSpace(end) == "" {
		return Entered{shape: nothing}
	}
	return Entered{shape: sides, texts: []string{start, end}}
}

// String is the answer for people to read: "left open" for one that is so on purpose.
func (e Entered) String() string {
	switch e.shape {
	case nothing:
		return "left open"
	case sides:
		return strings.Join(e.texts, " to ")
	}
	return strings.Join(e.texts, ", ")
}

// IsAbsent reports whether no answer was given, not even an empty one.
func (e Entered) IsAbsent() bool { return e.shape == absent }

// MarshalJSON writes the answer as it was given.
func (e Entered) MarshalJSON() ([]byte, error) {
	switch e.shape {
	case oneText:
		return json.Marshal(e.texts[0])
	case several:
		return json.Marshal(e.texts)
	case sides:
		return json.Marshal(map[string]string{"start": e.texts[0], "end": e.texts[1]})
	}
	return []byte("null"), nil
}

// ErrShape says which shapes an answer can have.
var ErrShape = errors.New("an answer is a text, a number, true, false, a list of those, or an object with start and end")

// UnmarshalJSON takes a text, a number, a list of texts and numbers, an object
// with start and end (texts or null), or null for an answer left open.
func (e *Entered) UnmarshalJSON(data []byte) error {
	data = bytes.TrimSpace(data)
	switch data[0] {
	case '[':
		var items []json.RawMessage
		if err := json.Unmarshal(data, &items); err != nil {
			return err
		}
		texts := make([]string, len(items))
		for i, item := range items {
			text, err := scalar(item)
			if err != nil {
				return err
			}
			texts[i] = text
		}
		*e = SeveralTexts(texts)
	case '{':
		var object map[string]json.RawMessage
		if err := json.Unmarshal(data, &object); err != nil {
			return err
		}
		var both [2]string
		for i, side := range []string{"start", "end"} {
			if raw, ok := object[side]; ok {
				text, err := scalar(raw)
				if err != nil {
					return err
				}
				both[i] = text
				delete(object, side)
			}
		}
		if len(object) > 0 {
			return ErrShape
		}
		*e = Sides(both[0], both[1])
	default:
		text, err := scalar(data)
		if err != nil {
			return err
		}
		*e = OneText(text)
	}
	return nil
}

// mostExponent is the largest exponent of a number that is written out.
const mostExponent = mostDigits

// plain is a JSON number without an exponent, 1e1 being 10; one that is too large for
// that is as it was written, and refused as any text is.
func plain(number string) string {
	at := strings.IndexAny(number, "eE")
	if at < 0 {
		return number
	}
	exponent, err := strconv.Atoi(number[at+1:])
	if err != nil || exponent > mostExponent || exponent < -mostExponent || at > mostDigits {
		return number
	}
	d, err := decimal.NewFromString(number)
	if err != nil {
		return number
	}
	return d.String()
}

// scalar reads a text, a number or null.
func scalar(raw json.RawMessage) (string, error) {
	switch c := raw[0]; {
	case c == '"':
		var text string
		err := json.Unmarshal(raw, &text)
		return text, err
	case c == '-' || c >= '0' && c <= '9':
		return plain(string(raw)), nil
	case string(raw) == "true", string(raw) == "false":
		return string(raw), nil
	case string(raw) == "null":
		return "", nil
	}
	return "", ErrShape
}
