package source

import (
	"cmp"
	"context"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"github.com/shopspring/decimal"

	"pikegate/internal/core/compile"
	"pikegate/internal/core/definition"
	"pikegate/internal/core/record"
)

// Profile is what a table seems to hold.
type Profile struct {
	*Table
	Looked  int64 // how many records were looked at
	Sampled bool  // those are not all
	Columns []ColumnProfile
	Rows    [][]record.Value // some, to look at
}

// ColumnProfile is what a column seems to hold, of the records looked at.
type ColumnProfile struct {
	TableColumn
	Guess    record.Guess
	Missing  int64
	Distinct int64
	Least    string // "" where there is no value
	Greatest string
}

// sampleRows is how many records are looked at from either end of a table.
const sampleRows = 20_000

// shownRows is how many of them are shown.
const shownRows = 5

// Profile looks at the records of a table: at all of a small one, at those at both ends
// of its key of a large one.
func (v View) Profile(ctx context.Context, name string) (*Profile, error) {
	t, err := v.Table(ctx, name)
	if err != nil || len(t.Columns) == 0 {
		return &Profile{Table: t}, err
	}
	p := &Profile{Table: t}
	var shown, order, back []string
	for _, c := range t.Columns {
		shown = append(shown, v.dialect.Shown(compile.Column{Column: &record.Column{Name: c.Name}, Fact: c.Fact}))
	}
	for _, c := range t.Key() {
		order, back = append(order, v.dialect.Name(c)), append(back, v.dialect.Name(c)+" DESC")
	}
	values := make([][]record.Value, len(t.Columns))
	look := func(by []string, rows int) error {
		s := "SELECT " + strings.Join(shown, ", ") + " FROM " + v.dialect.Name(name)
		if len(by) > 0 {
			s += " ORDER BY " + strings.Join(by, ", ")
		}
		return v.Rows(ctx, compile.Statement{SQL: s + " LIMIT " + strconv.Itoa(rows)}, func(row []record.Value) error {
			p.Looked++
			kept := make([]record.Value, len(row))
			for i, value := range row {
				kept[i] = value.Clone()
				values[i] = append(values[i], kept[i])
			}
			if len(p.Rows) < shownRows {
				p.Rows = append(p.Rows, kept)
			}
			return nil
		})
	}
	if err := look(order, 2*sampleRows); err != nil {
		return nil, err
	}
	if p.Looked == 2*sampleRows {
		p.Sampled = true
		if len(order) > 0 {
			p.Looked = sampleRows
			for i := range values {
				values[i] = values[i][:sampleRows]
			}
			if err := look(back, sampleRows); err != nil {
				return nil, err
			}
		}
	} else {
		t.About = p.Looked
	}
	for i, c := range t.Columns {
		p.Columns = append(p.Columns, v.profile(c, values[i]))
	}
	return p, nil
}

func (v View) profile(c TableColumn, values []record.Value) ColumnProfile {
	p := ColumnProfile{TableColumn: c, Guess: v.guess(c, values)}
	distinct := map[string]bool{}
	var least, greatest record.Value
	compare := record.Value.Compare
	if p.Guess.Type.IsDated() {
		compare = func(a, b record.Value) int {
			_, x, _ := p.Guess.Moment(a)
			_, y, _ := p.Guess.Moment(b)
			return cmp.Compare(x, y)
		}
	}
	for _, value := range values {
		if value.IsMissing() {
			p.Missing++
			continue
		}
		distinct[value.String()] = true
		if _, _, ok := p.Guess.Moment(value); !ok && p.Guess.Type.IsDated() {
			continue // neither early nor late
		}
		if least.IsMissing() || compare(value, least) < 0 {
			least = value
		}
		if greatest.IsMissing() || compare(value, greatest) > 0 {
			greatest = value
		}
	}
	p.Distinct, p.Least, p.Greatest = int64(len(distinct)), least.String(), greatest.String()
	return p
}

var ofScale = regexp.MustCompile(`\(\d+, ?(\d+)\)`)

// guess goes by the database's type where it says what the values mean, else by the
// values. SQLite's types of dates are names without a meaning.
func (v View) guess(c TableColumn, values []record.Value) record.Guess {
	sure := func(kind record.Type, stored record.Stored) record.Guess {
		return record.Guess{Column: record.Column{Name: c.Name, Type: kind, Stored: stored}, Share: 1}
	}
	kind := strings.ToLower(c.Type)
	own := v.dialect != (compile.SQLite{})
	switch name, _, _ := strings.Cut(kind, "("); {
	case own && kind == "date":
		return sure(record.Date, record.Native)
	case own && (name == "datetime" || strings.HasPrefix(name, "timestamp") && strings.Contains(kind, "without time zone")):
		return sure(record.Datetime, record.Native)
	case own && strings.HasPrefix(name, "timestamp"):
		return sure(record.Instant, record.Native)
	case kind == "boolean", kind == "tinyint(1)":
		return sure(record.YesNo, "")
	case ofScale.MatchString(kind) && (name == "numeric" || name == "decimal"):
		g := sure(record.Decimal, "")
		g.Scale, _ = strconv.Atoi(ofScale.FindStringSubmatch(kind)[1])
		return g
	case own && (name == "double precision" || name == "double" || name == "float" || name == "real"):
		return sure(record.Number, "")
	}
	return record.GuessOf(c.Name, values, false)
}

// Propose is a definition of a dataset on a table, as YAML: what is not sure is said
// beside it.
func (p *Profile) Propose(source *definition.Source, table string) string {
	var b strings.Builder
	name := slug(table)
	b.WriteString("pikegate: 1\ndataset: " + name + "\ntitle: " + quote(words(table)) + "\nsource: " + source.Name + "\ntable: " + quote(table) + "\n")
	key := p.Key()
	if len(key) == 0 {
		if i := slices.IndexFunc(p.Indexes, func(i Index) bool { return i.Unique }); i >= 0 {
			key = p.Indexes[i].Columns
		}
	}
	if len(key) == 0 {
		b.WriteString("# The database names no key: put the columns here that tell one record from every other.\n")
		for _, c := range p.Columns {
			if c.Missing == 0 && c.Distinct == p.Looked && p.Looked > 0 {
				key = []string{c.Name}
				break
			}
		}
	}
	quoted := make([]string, len(key))
	for i, k := range key {
		quoted[i] = quote(k)
	}
	b.WriteString("key: [" + strings.Join(quoted, ", ") + "]\ncolumns:\n")
	for _, c := range p.Columns {
		g := c.Guess
		switch {
		case g.Type == record.Datetime:
			b.WriteString("  # What local clocks showed. Where these are times by UTC, the type is instant.\n")
		case g.Or != "":
			b.WriteString("  # The pattern could be " + g.Or + " as well: the values fit both.\n")
		case g.Share < 1:
			b.WriteString("  # " + decimal.NewFromFloat(100*g.Share).StringFixed(1) + " % of the values fit.\n")
		}
		b.WriteString("  " + quote(c.Name) + ": {type: " + string(g.Type))
		if g.Type == record.Decimal {
			b.WriteString(", scale: " + strconv.Itoa(g.Scale))
		}
		if g.Stored != "" {
			b.WriteString(", stored: " + string(g.Stored))
		}
		if g.Stored == record.StoredText {
			b.WriteString(", pattern: " + strconv.Quote(g.Pattern.String()))
		}
		b.WriteString(", label: " + quote(words(c.Name)) + "}\n")
	}
	return b.String()
}

var plainName = regexp.MustCompile(`^[\pL_][\pL\d_ -]*[\pL\d_]$`)

// quote is a text as YAML takes it.
func quote(text string) string {
	if plainName.MatchString(text) && !slices.Contains([]string{"yes", "no", "on", "off", "true", "false", "null", "y", "n"}, strings.ToLower(text)) {
		return text
	}
	return strconv.Quote(text)
}

// words is a name as people read it.
func words(name string) string {
	text := strings.TrimSpace(strings.Map(func(r rune) rune {
		if r == '_' || r == '-' {
			return ' '
		}
		return r
	}, name))
	if text == "" {
		return name
	}
	first := []rune(text)
	return strings.ToUpper(string(first[0])) + string(first[1:])
}

var notName = regexp.MustCompile(`[^a-z0-9]+`)

// slug is a name that a definition can have.
func slug(name string) string {
	text := strings.Trim(notName.ReplaceAllString(strings.ToLower(name), "-"), "-")
	if text == "" || text[0] >= '0' && text[0] <= '9' {
		text = "table-" + text
	}
	return strings.TrimSuffix(text, "-")
}
