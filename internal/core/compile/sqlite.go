package compile

import (
	"fmt"
	"strings"

	"pikegate/internal/core/record"
)

// SQLite is the dialect of SQLite 3.30 or later.
type SQLite struct{}

// Name quotes by doubling, as SQL does.
func (SQLite) Name(name string) string { return `"` + strings.ReplaceAll(name, `"`, `""`) + `"` }

// Param is SQLite's unnumbered placeholder.
func (SQLite) Param(int) string { return "?" }

// Readable guards against what SQLite's flexible types let into a column. Text
// sorts after every number, so that a number's lower bound alone would let it
// through. A text that is no date can sort between two that are; so it is read
// by SQLite and written back, and must come out the same.
func (s SQLite) Readable(c *record.Column, lower, upper bool) string {
	name := s.Name(c.Name)
	if c.Type.IsNumeric() || c.Stored == record.EpochSeconds {
		if upper {
			return ""
		}
		return fmt.Sprintf("typeof(%s) IN ('integer', 'real')", name)
	}
	p := c.Pattern
	iso := s.iso(name, p)
	fields := name
	if p.Suffix() != "" || p.HasTime() {
		fields = fmt.Sprintf("substr(%s, 1, %d)", name, p.Width())
	}
	fits := fmt.Sprintf("strftime(%s, %s) = %s", literal(p.Strftime()), iso, fields)
	if !p.HasTime() && p.Suffix() == "" {
		return fits
	}
	rest, suffix := fmt.Sprintf("substr(%s, %d)", name, p.Width()+1), literal(p.Suffix())
	if _, _, seconds := p.Field('s'); !seconds {
		return fmt.Sprintf("%s AND %s = %s", fits, rest, suffix)
	}
	return fmt.Sprintf("%s AND (%s = %s OR %s GLOB '.[0-9]*' AND ltrim(substr(%s, %d), '0123456789') = %s)",
		fits, rest, suffix, rest, name, p.Width()+2, suffix)
}

func literal(text string) string { return "'" + strings.ReplaceAll(text, "'", "''") + "'" }

// iso is an expression for the text in the form that SQLite's date functions
// read; the text itself where its pattern is that form already.
func (SQLite) iso(name string, p record.Pattern) string {
	switch p.Strftime() {
	case "%Y-%m-%d":
		if p.Suffix() == "" {
			return name
		}
	case "%Y-%m-%d %H:%M:%S", "%Y-%m-%dT%H:%M:%S", "%Y-%m-%d %H:%M", "%Y-%m-%dT%H:%M":
		return fmt.Sprintf("substr(%s, 1, %d)", name, p.Width())
	}
	var parts []string
	for _, f := range []struct {
		letter byte
		before string
	}{{'y', ""}, {'M', "-"}, {'d', "-"}, {'H', " "}, {'m', ":"}, {'s', ":"}} {
		if at, width, ok := p.Field(f.letter); ok {
			part := fmt.Sprintf("substr(%s, %d, %d)", name, at+1, width)
			if f.before != "" {
				part = fmt.Sprintf("'%s' || %s", f.before, part)
			}
			parts = append(parts, part)
		}
	}
	return strings.Join(parts, " || ")
}

// Order puts missing values last. SQLite holds them for the least, so that
// descending order needs no word for it.
func (s SQLite) Order(c *record.Column, descending, mayMiss bool) string {
	switch name := s.Name(c.Name); {
	case descending:
		return name + " DESC"
	case mayMiss:
		return name + " NULLS LAST"
	default:
		return name
	}
}
