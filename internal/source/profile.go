package source

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/shopspring/decimal"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/definition"
	"pikegate/internal/core/infer"
	"pikegate/internal/core/value"
)

// Profile is what a table seems to hold.
type Profile struct {
	*Table
	Looked  int64 // how many records were looked at
	Sampled bool  // those are not all
	Columns []ColumnProfile
	Rows    [][]value.Value // some, to look at
}

// ColumnProfile is what a column seems to hold, of the records looked at.
type ColumnProfile struct {
	TableColumn
	Guess infer.Guess
	// ByUTC says that some of its wall times are none that a clock of the business ever
	// showed, so that they are instants by UTC.
	ByUTC    bool
	Missing  int64
	Distinct int64
	Least    string // "" where there is no value
	Greatest string
	// Commonest and Spread are of the records looked at, Spread of numbers and dates alone.
	Commonest []infer.Frequent
	Spread    []int64 // how many in each of some bars of equal width from the least to the greatest
}

// The most values that are told as common, and the bars of a spread.
const (
	mostCommon = 5
	spreadBars = 24
)

// sampleRows is how many records are looked at from either end of a table.
const sampleRows = 20_000

// shownRows is how many of them are shown.
const shownRows = 5

// Profile looks at the records of a table: at all of a small one, at those at both ends
// of its key of a large one. With whole, the figures of a large one are counted over all
// its records too. The zone is that of the business.
//
// It is one look at a table, in steps that share what was read.
func (v View) Profile(ctx context.Context, name string, zone *time.Location, whole bool) (*Profile, error) {
	t, err := v.Table(ctx, name)
	if err != nil || len(t.Columns) == 0 {
		return &Profile{Table: t}, err
	}
	p := &Profile{Table: t}
	var shown, order, back []string
	for _, c := range t.Columns {
		shown = append(shown, v.dialect.Shown(compile.Column{Column: &column.Column{Name: c.Name}, Fact: c.Fact}))
	}
	for _, c := range t.Key() {
		order, back = append(order, v.dialect.Name(c)), append(back, v.dialect.Name(c)+" DESC")
	}
	values := make([][]value.Value, len(t.Columns))
	sample := min(sampleRows, max(leastSample, sampleCells/len(t.Columns)))
	look := func(by []string, rows int) error { return v.sample(ctx, name, shown, by, rows, p, values) }
	if err := look(order, 2*sample); err != nil {
		return nil, err
	}
	if p.Looked == int64(2*sample) {
		p.Sampled = true
		if len(order) > 0 {
			p.Looked = int64(sample)
			for i := range values {
				values[i] = values[i][:sample]
			}
			if err := look(back, sample); err != nil {
				return nil, err
			}
		}
	} else {
		t.About = p.Looked
	}
	for i, c := range t.Columns {
		p.Columns = append(p.Columns, v.profile(c, values[i], zone))
	}
	if !p.Sampled {
		return p, nil
	}
	if err := v.scales(ctx, name, p); err != nil {
		return nil, err
	}
	if whole {
		return p, v.countWhole(ctx, name, p)
	}
	return p, nil
}

// mostScale is how many digits after the point a decimal is proposed with.
const mostScale = 6

// scales finds how many digits the decimals of a table have, in all its records: one
// value with a digit more is enough.
func (v View) scales(ctx context.Context, name string, p *Profile) error {
	var of []int
	var selected []string
	for i, c := range p.Columns {
		if c.Guess.Type != column.Decimal || c.Guess.IsExactText() {
			continue
		}
		of = append(of, i)
		col := v.dialect.Name(c.Name)
		scale := "CASE"
		for n := range mostScale + 1 {
			scale += fmt.Sprintf(" WHEN round(%[1]s, %[2]d) = %[1]s THEN %[2]d", col, n)
		}
		selected = append(selected, "max("+scale+fmt.Sprintf(" WHEN %s IS NOT NULL THEN %d END)", col, mostScale+1))
	}
	if len(of) == 0 {
		return nil
	}
	return v.Rows(ctx, compile.Statement{SQL: "SELECT " + strings.Join(selected, ", ") + " FROM " + v.dialect.Name(name)}, func(row []value.Value) error {
		for i, at := range of {
			g := &p.Columns[at].Guess
			if n, ok := row[i].Int(); ok && int(n) > g.Scale {
				if g.Scale = int(n); g.Scale > mostScale {
					g.Type, g.Scale = column.Number, 0
				}
			}
		}
		return nil
	})
}

// countWhole counts over all records what Profile counted over some.
func (v View) countWhole(ctx context.Context, name string, p *Profile) error {
	selected := []string{"count(*)"}
	for i := range p.Columns {
		c := compile.Column{Column: &p.Columns[i].Guess.Column, Fact: p.Columns[i].Fact}
		val, readable := v.dialect.Value(c), ""
		if c.Type.IsDated() {
			readable = v.dialect.Readable(c, false, false)
			val = v.dialect.Stored(c)
		}
		within := val
		if c.Type == column.YesNo {
			within = "NULL" // PostgreSQL has no least of two truths
		}
		if readable != "" {
			within = fmt.Sprintf("CASE WHEN %s THEN %s END", readable, val)
		}
		selected = append(selected, "count("+v.dialect.Name(c.Name)+")", "count(DISTINCT "+v.dialect.Value(c)+")", "min("+within+")", "max("+within+")")
	}
	return v.Rows(ctx, compile.Statement{SQL: "SELECT " + strings.Join(selected, ", ") + " FROM " + v.dialect.Name(name)}, func(row []value.Value) error {
		all, _ := row[0].Int()
		p.Looked, p.About, p.Sampled = all, all, false
		for i := range p.Columns {
			c, figures := &p.Columns[i], row[1+4*i:]
			present, _ := figures[0].Int()
			c.Missing = all - present
			c.Distinct, _ = figures[1].Int()
			c.Least, c.Greatest = figures[2].String(), figures[3].String()
		}
		return nil
	})
}

// sample reads some rows of a table in an order, and keeps their values by column.
func (v View) sample(ctx context.Context, name string, shown, by []string, rows int, p *Profile, values [][]value.Value) error {
	s := "SELECT " + strings.Join(shown, ", ") + " FROM " + v.dialect.Name(name)
	if len(by) > 0 {
		s += " ORDER BY " + strings.Join(by, ", ")
	}
	return v.Rows(ctx, compile.Statement{SQL: s + " LIMIT " + strconv.Itoa(rows)}, func(row []value.Value) error {
		p.Looked++
		kept := make([]value.Value, len(row))
		for i, val := range row {
			kept[i] = clipped(val)
			values[i] = append(values[i], kept[i])
		}
		if len(p.Rows) < shownRows {
			p.Rows = append(p.Rows, kept)
		}
		return nil
	})
}

func (v View) profile(c TableColumn, values []value.Value, zone *time.Location) ColumnProfile {
	p := ColumnProfile{TableColumn: c, Guess: v.guess(c, values)}
	if g := &p.Guess; g.OrInstant && slices.ContainsFunc(values, func(val value.Value) bool {
		_, wall, ok := g.Moment(val)
		return ok && len(civil.Readings(wall, zone)) == 0
	}) {
		g.Type, g.OrInstant, p.ByUTC = column.Instant, false, true
	}
	counts := map[string]int64{}
	var points []float64
	var least, greatest value.Value
	compare := value.Value.Compare
	if p.Guess.Type.IsDated() {
		compare = func(a, b value.Value) int {
			_, x, _ := p.Guess.Moment(a)
			_, y, _ := p.Guess.Moment(b)
			return cmp.Compare(x, y)
		}
	}
	for _, val := range values {
		if val.IsMissing() {
			p.Missing++
			continue
		}
		counts[val.String()]++
		_, seconds, ok := p.Guess.Moment(val)
		if !ok && p.Guess.Type.IsDated() {
			continue // neither early nor late
		}
		if number, isNumber := val.AsFloat(); ok && p.Guess.Type.IsDated() {
			points = append(points, float64(seconds))
		} else if isNumber && p.Guess.Type.IsNumeric() && !math.IsInf(number, 0) && !math.IsNaN(number) {
			points = append(points, number)
		}
		if least.IsMissing() || compare(val, least) < 0 {
			least = val
		}
		if greatest.IsMissing() || compare(val, greatest) > 0 {
			greatest = val
		}
	}
	p.Distinct, p.Least, p.Greatest = int64(len(counts)), least.String(), greatest.String()
	p.Commonest, p.Spread = infer.Commonest(counts, mostCommon), infer.Spread(points, spreadBars)
	return p
}

var ofScale = regexp.MustCompile(`\(\d+, ?(\d+)\)`)

// guess goes by the database's type where it says what the values mean, else by the
// values. SQLite's types of dates are names without a meaning.
//
// One branch for each type of the databases.
func (v View) guess(c TableColumn, values []value.Value) infer.Guess {
	sure := func(kind column.Type, stored column.Stored) infer.Guess {
		return infer.Guess{Column: column.Column{Name: c.Name, Type: kind, Stored: stored}, Share: 1}
	}
	kind := strings.ToLower(c.Type)
	own := v.dialect != (compile.SQLite{})
	switch name, _, _ := strings.Cut(kind, "("); {
	case own && kind == "date":
		return sure(column.Date, column.Native)
	case own && (name == "datetime" || strings.HasPrefix(name, "timestamp") && strings.Contains(kind, "without time zone")):
		return sure(column.Datetime, column.Native)
	case own && strings.HasPrefix(name, "timestamp"):
		return sure(column.Instant, column.Native)
	case kind == "boolean", kind == "tinyint(1)":
		return sure(column.YesNo, "")
	case ofScale.MatchString(kind) && (name == "numeric" || name == "decimal"):
		g := sure(column.Decimal, "")
		g.Scale, _ = strconv.Atoi(ofScale.FindStringSubmatch(kind)[1])
		return g
	case own && (name == "double precision" || name == "double" || name == "float" || name == "real"):
		return sure(column.Number, "")
	}
	return infer.Of(c.Name, values, false)
}

// Propose is a definition of a dataset on a table, as YAML: what is not sure is said
// beside it.
//
// One branch for each key of the proposal.
func (p *Profile) Propose(source *catalog.Source, table string) string {
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
		for _, line := range p.doubts(c) {
			b.WriteString("  # " + line + "\n")
		}
		kind, pattern := string(g.Type), g.Pattern.String()
		if g.OrInstant {
			kind += definition.Or + string(column.Instant)
		}
		if g.Or != "" {
			pattern += definition.Or + g.Or
		}
		b.WriteString("  " + quote(c.Name) + ": {type: " + kind)
		if g.Type == column.Decimal {
			b.WriteString(", scale: " + strconv.Itoa(g.Scale))
		}
		if g.Stored != "" {
			b.WriteString(", stored: " + string(g.Stored))
		}
		if pattern != "" {
			b.WriteString(", pattern: " + strconv.Quote(pattern))
		}
		b.WriteString(", label: " + quote(words(c.Name)) + "}\n")
	}
	return b.String()
}

// doubts are what is not sure of a column, as comments.
func (p *Profile) doubts(c ColumnProfile) []string {
	var lines []string
	g := c.Guess
	switch {
	case g.OrInstant:
		lines = append(lines, "Not settled: times without a zone. Keep datetime where local clocks showed them,", "or instant where they are by UTC.")
	case c.ByUTC:
		lines = append(lines, "Some of these are times that no clock of the business showed: they are by UTC.")
	case g.Type == column.Datetime:
		lines = append(lines, "What local clocks showed. Where these are times by UTC, the type is instant.")
	}
	if g.Or != "" {
		lines = append(lines, "Not settled: every value fits both patterns. Keep the one that is meant.")
	}
	if g.ByValues {
		lines = append(lines, "A date by its values, not by its name. Where these are plain numbers, the type is integer.")
	}
	if g.OrSerial {
		lines = append(lines, "Where these are days since 1899-12-30, this is {type: date, stored: serial-days}.")
	}
	if g.Share < 1 {
		lines = append(lines, decimal.NewFromFloat(100*g.Share).StringFixed(1)+" % of the values fit.")
	}
	return lines
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

// sampleCells is how many values of a table are looked at, of a wide one too, and
// leastSample how many records at least; longValue is how much of a value is kept.
const (
	sampleCells = 200_000
	leastSample = 100
	longValue   = 1000
)

// clipped is a value of its own, of a long text its beginning.
func clipped(v value.Value) value.Value {
	if text, ok := v.Chars(); ok && len(text) > longValue {
		return value.Chars(strings.ToValidUTF8(text[:longValue], "") + "…")
	}
	return v.Clone()
}
