package source_test

import (
	"fmt"
	"math/big"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/compile"
	"pikegate/internal/core/summary"
	"pikegate/internal/core/value"
	"pikegate/internal/source"
	"pikegate/internal/source/sourcetest"
)

// summed runs a summary as a service does; each row is its cells in plain form, parted by blanks, a
// missing one as -.
func summed(t *testing.T, e sourcetest.Engine, sql *compile.Compiler, s *summary.Spec, units [][]civil.Period, left *[]summary.Part) []string {
	t.Helper()
	tally := s.Tally()
	q := compile.Query{Zone: helsinki}
	names := make([][]string, len(s.Groups))
	for i, g := range s.Groups {
		if names[i] = summary.UnitNames(g.By, units[i]); g.By.Comes() {
			names[i] = g.By.Names()
			q.Extents = extents(t, e, sql, g.Of)
		}
	}
	statement := sql.Summarise(q, s, units)
	require.NoError(t, e.Source.View(ctx, func(v source.View) error {
		return v.Rows(ctx, statement, func(row []value.Value) error {
			one, err := sql.Counting(q, s, units).Group(row)
			if err == nil {
				err = tally.Add(one)
			}
			return err
		})
	}), statement.SQL)
	table, err := tally.Table(summary.Asked{Names: names})
	require.NoError(t, err)
	if left != nil {
		*left = table.Left
	}
	rows := make([]string, len(table.Rows))
	for i, row := range table.Rows {
		cells := make([]string, len(row))
		for j, cell := range row {
			if cells[j] = cell.String(); cell.IsMissing() {
				cells[j] = "-"
			} else if n, ok := new(big.Rat).SetString(cells[j]); ok && j >= len(s.Groups) {
				cells[j] = n.FloatString(6)
			}
		}
		rows[i] = strings.Join(cells, " ")
	}
	return rows
}

// extents are the first and the last instant of a column.
func extents(t *testing.T, e sourcetest.Engine, sql *compile.Compiler, c *column.Column) map[*column.Column]compile.Extent {
	t.Helper()
	var ends [2]int64
	require.NoError(t, e.Source.View(ctx, func(v source.View) error {
		for i := range ends {
			stored, err := v.One(ctx, sql.Edge(compile.Query{Zone: helsinki}, c, i == 1))
			require.NoError(t, err)
			_, ends[i], _ = c.Moment(stored)
		}
		return nil
	}))
	return map[*column.Column]compile.Extent{c: {First: ends[0], Last: ends[1]}}
}

func everyUnit() map[summary.By]func(d time.Time) string {
	return map[summary.By]func(d time.Time) string{
		summary.Weekday:     func(d time.Time) string { return d.Weekday().String() },
		summary.MonthOfYear: func(d time.Time) string { return d.Month().String() },
		summary.HourOfDay:   func(d time.Time) string { return d.Format("15:00") },
		summary.Day:         func(d time.Time) string { return d.Format(time.DateOnly) },
		summary.Week:        func(d time.Time) string { year, week := d.ISOWeek(); return fmt.Sprintf("%d-W%02d", year, week) },
		summary.Month:       func(d time.Time) string { return d.Format("2006-01") },
		summary.Quarter:     func(d time.Time) string { return fmt.Sprintf("%d-Q%d", d.Year(), (int(d.Month())+2)/3) },
		summary.Year:        func(d time.Time) string { return d.Format("2006") },
	}
}

// Records are counted in the unit of the calendar that their civil date is in, however it is stored:
// also around changes of the clock, and where weeks belong to another year. What is missing or no
// date is counted too, so that all groups together have all records.
func TestUnitsAgreeWithANaiveCount(t *testing.T) {
	sourcetest.Each(t, func(t *testing.T, e sourcetest.Engine) {
		rows := world(rand.New(rand.NewPCG(5, 6)))
		sql := table(t, e, rows)
		total, err := e.Read(only("SELECT count(*) FROM t"))
		require.NoError(t, err)
		for by, nameOf := range everyUnit() {
			var units []civil.Period
			if !by.Comes() {
				var ok bool
				units, ok = summary.Units(by, civil.MustParseDay("2026-01-30"), civil.MustParseDay("2027-01-31"))
				require.True(t, ok)
			}
			want := map[string]int{}
			for _, r := range rows {
				if d, err := time.Parse(time.DateTime, r.dayIs+" "+r.clockIs); err == nil {
					want[nameOf(d)]++
				}
			}
			for _, c := range columnsOn(e) {
				if by == summary.HourOfDay && c.Type == column.Date {
					continue
				}
				g := summary.Group{Of: c, By: by}
				g.Shown = g.ShownAs(c.Name, c.Name)
				s := &summary.Spec{Groups: []summary.Group{g}, Figures: []summary.Figure{{Kind: summary.Count, Shown: late}}}
				got, all, last := map[string]int{}, 0, ""
				for _, row := range summed(t, e, sql, s, [][]civil.Period{units}, nil) {
					var name string
					var n float64
					_, err := fmt.Sscan(row, &name, &n)
					require.NoError(t, err)
					if all += int(n); name != "-" && name != "unreadable" {
						got[name] = int(n)
						if !by.Comes() || by == summary.HourOfDay {
							assert.Less(t, last, name, "in order")
						}
						last = name
					}
				}
				assert.Equal(t, want, got, "%s by %s", c.Name, by)
				assert.Equal(t, total[0], fmt.Sprint(all), "%s by %s", c.Name, by)
			}
		}
	})
}

// The first and the last date are of those that can be read, and the others are counted as left out.
func TestLeastAndGreatestDates(t *testing.T) {
	sourcetest.Each(t, func(t *testing.T, e sourcetest.Engine) {
		rows := world(rand.New(rand.NewPCG(9, 10)))
		sql := table(t, e, rows)
		total, err := e.Read(only("SELECT count(*) FROM t"))
		require.NoError(t, err)
		for _, c := range columnsOn(e) {
			s := &summary.Spec{}
			for _, kind := range []summary.Kind{summary.Least, summary.Greatest, summary.Count} {
				f := summary.Figure{Kind: kind}
				if kind != summary.Count {
					f.Of = c
				}
				f.Shown = f.ShownAs(string(kind), string(kind), nil)
				s.Figures = append(s.Figures, f)
			}
			read := 0
			for _, r := range rows {
				if r.dayIs != "" {
					read++
				}
			}
			missing, err := e.Read(only("SELECT count(*) FROM t WHERE " + c.Name + " IS NULL"))
			require.NoError(t, err)
			var left []summary.Part
			summed(t, e, sql, s, nil, &left)
			for _, part := range left[:2] {
				assert.Equal(t, missing[0], fmt.Sprint(part.Missing), c.Name)
				assert.Equal(t, total[0], fmt.Sprint(int64(read)+part.Missing+part.Unreadable), "%s: what is neither missing nor unreadable was read", c.Name)
			}
			var least, greatest value.Value
			require.NoError(t, e.Source.View(ctx, func(v source.View) error {
				var err error
				if least, err = v.One(ctx, sql.Edge(compile.Query{Zone: helsinki}, c, false)); err == nil {
					greatest, err = v.One(ctx, sql.Edge(compile.Query{Zone: helsinki}, c, true))
				}
				return err
			}))
			_, first, _ := c.Micros(least)
			_, last, _ := c.Micros(greatest)
			cells := cellsOf(t, e, sql, s)
			for i, want := range []int64{first, last} {
				_, got, ok := s.Figures[i].Shown.Micros(cells[i])
				assert.True(t, ok, c.Name)
				assert.Equal(t, want, got, c.Name)
			}
		}
	})
}

// cellsOf are the cells of a summary of one row.
func cellsOf(t *testing.T, e sourcetest.Engine, sql *compile.Compiler, s *summary.Spec) (cells []value.Value) {
	t.Helper()
	require.NoError(t, e.Source.View(ctx, func(v source.View) error {
		q := compile.Query{Zone: helsinki}
		return v.Rows(ctx, sql.Summarise(q, s, nil), func(row []value.Value) error {
			one, err := sql.Counting(q, s, nil).Group(row)
			for _, p := range one.Parts {
				cells = append(cells, p.Value)
			}
			return err
		})
	}))
	return cells
}

// passage is a record of the table that figures are held to; nil is a missing value.
type passage struct {
	on          string
	route       any
	n           any // a whole number
	fare, price any // decimals, in digits
}

// Figures are those of a naive reading of the records, exactly: on every engine, with groups that
// have no records filled in.
func TestFiguresAgreeWithANaiveReading(t *testing.T) {
	sourcetest.Each(t, func(t *testing.T, e sourcetest.Engine) {
		types := map[catalog.Engine][]string{catalog.SQLite: {"TEXT", "TEXT", "INTEGER", "REAL", "TEXT"}, catalog.Postgres: {"date", "text", "bigint", "numeric(12, 2)", "numeric(30, 2)"},
			catalog.MariaDB: {"DATE", "VARCHAR(20)", "BIGINT", "DOUBLE", "DECIMAL(30, 2)"}}[e.Name]
		e.Exec(t, fmt.Sprintf("CREATE TABLE p (on_day %s, route %s, n %s, fare %s, price %s)", types[0], types[1], types[2], types[3], types[4]))
		r := rand.New(rand.NewPCG(7, 8))
		var all []passage
		for range 400 {
			p := passage{on: civil.MustParseDay("2026-01-01").String(), route: []any{nil, "a", "A", "b c"}[r.IntN(4)]}
			d, _ := civil.MustParseDay("2026-01-01").AddDays(r.IntN(25) + 40*r.IntN(3))
			p.on = d.String()
			if r.IntN(5) > 0 {
				p.n = r.Int64N(2_000_000_000_000) - 1_000_000_000_000
			}
			if r.IntN(5) > 0 {
				p.fare = fmt.Sprintf("%d.%02d", r.IntN(100_000), r.IntN(100))
			}
			if r.IntN(5) > 0 {
				p.price = fmt.Sprintf("-%d.%02d", r.Int64N(90_000_000_000_000), r.IntN(100))
			}
			all = append(all, p)
			e.Exec(t, "INSERT INTO p VALUES (?, ?, ?, ?, ?)", p.on, p.route, p.n, p.fare, p.price)
		}
		stored := column.Stored("")
		onDay := &column.Column{Name: "on_day", Type: column.Date, Stored: column.Native}
		if e.Name == catalog.SQLite {
			onDay.Stored, onDay.Pattern, stored = column.StoredText, column.ISODay, column.StoredText
		}
		by := &column.Column{Name: "route", Type: column.Text}
		n := &column.Column{Name: "n", Type: column.Integer}
		fare := &column.Column{Name: "fare", Type: column.Decimal, Scale: 2}
		price := &column.Column{Name: "price", Type: column.Decimal, Scale: 2, Stored: stored}
		sql := compile.New(e.Source.Dialect(), catalog.From{Table: "p"}, e.Facts(t, "p"))
		s := &summary.Spec{Groups: []summary.Group{{Of: onDay, By: summary.Month, Fill: true}, {Of: by}}}
		for i := range s.Groups {
			s.Groups[i].Shown = s.Groups[i].ShownAs("g", "g")
		}
		for _, f := range []summary.Figure{{Kind: summary.Count}, {Kind: summary.CountDistinct, Of: n}, {Kind: summary.Sum, Of: n}, {Kind: summary.Sum, Of: fare}, {Kind: summary.Sum, Of: price},
			{Kind: summary.Average, Of: n}, {Kind: summary.Average, Of: fare}, {Kind: summary.Average, Of: price}, {Kind: summary.Least, Of: n}, {Kind: summary.Greatest, Of: fare}} {
			f.Shown = f.ShownAs("f", "f", nil)
			s.Figures = append(s.Figures, f)
		}
		units, _ := summary.Units(summary.Month, civil.MustParseDay("2025-12-15"), civil.MustParseDay("2026-05-01"))
		got := summed(t, e, sql, s, [][]civil.Period{units, nil}, nil)

		var want []string
		for _, month := range []string{"2025-12", "2026-01", "2026-02", "2026-03", "2026-04", "2026-05"} {
			for _, route := range []any{"A", "a", "b c", nil} {
				var within []passage
				for _, p := range all {
					if p.route == route && strings.HasPrefix(p.on, month) {
						within = append(within, p)
					}
				}
				name := "-"
				if route != nil {
					name = route.(string)
				}
				want = append(want, strings.Join(append([]string{month, name}, naive(within)...), " "))
			}
		}
		assert.Equal(t, want, got)

		// All groups together come to what there is without groups.
		s.Groups = nil
		assert.Equal(t, []string{strings.Join(naive(all), " ")}, summed(t, e, sql, s, nil, nil))
	})
}

// naive are the figures of records, read one by one.
func naive(records []passage) []string {
	read := func(of func(passage) any) (values []*big.Rat) {
		for _, p := range records {
			if v := of(p); v != nil {
				n, _ := new(big.Rat).SetString(fmt.Sprint(v))
				values = append(values, n)
			}
		}
		slices.SortFunc(values, (*big.Rat).Cmp)
		return values
	}
	sum := func(values []*big.Rat) *big.Rat {
		total := new(big.Rat)
		for _, v := range values {
			total.Add(total, v)
		}
		return total
	}
	text := func(n *big.Rat) string { return n.FloatString(6) }
	average := func(values []*big.Rat, scale int) string {
		if len(values) == 0 {
			return "-"
		}
		return text(halfToEven(new(big.Rat).Quo(sum(values), big.NewRat(int64(len(values)), 1)), scale))
	}
	n, fare, price := read(func(p passage) any { return p.n }), read(func(p passage) any { return p.fare }), read(func(p passage) any { return p.price })
	different := map[string]bool{}
	for _, v := range n {
		different[v.String()] = true
	}
	least, greatest := "-", "-"
	if len(n) > 0 {
		least = text(n[0])
	}
	if len(fare) > 0 {
		greatest = text(fare[len(fare)-1])
	}
	return []string{text(big.NewRat(int64(len(records)), 1)), text(big.NewRat(int64(len(different)), 1)), text(sum(n)), text(sum(fare)), text(sum(price)),
		average(n, 2), average(fare, 4), average(price, 4), least, greatest}
}

// halfToEven rounds by trying both neighbours.
func halfToEven(n *big.Rat, scale int) *big.Rat {
	unit := new(big.Rat).SetFrac(big.NewInt(1), new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(scale)), nil))
	units := new(big.Rat).Quo(n, unit)
	floor := new(big.Int).Div(units.Num(), units.Denom()) // Euclidean: down, since denominators are above 0
	rest := new(big.Rat).Sub(units, new(big.Rat).SetInt(floor))
	if c := rest.Cmp(big.NewRat(1, 2)); c > 0 || c == 0 && floor.Bit(0) == 1 {
		floor.Add(floor, big.NewInt(1))
	}
	return new(big.Rat).Mul(new(big.Rat).SetInt(floor), unit)
}

// Binary fractions with more digits than their column says add up with all of them; what is no
// number, or a text with more digits, is left out and counted.
func TestSumsOfUnrulyDecimals(t *testing.T) {
	e := sourcetest.Open(t, catalog.SQLite)
	e.Exec(t, "CREATE TABLE p (fare, price)")
	e.Exec(t, "INSERT INTO p VALUES (1.005, '1.005'), (2.25, '-2.25'), (0.1 + 0.2, '0.3'), ('n/a', 'n/a'), (NULL, NULL), (7, '12345678901234.5'), ('', '1,5'), (x'31', '1e3')")
	sql := compile.New(e.Source.Dialect(), catalog.From{Table: "p"}, nil)
	s := summary.Sums([]*column.Column{{Name: "fare", Type: column.Decimal, Scale: 2}, {Name: "price", Type: column.Decimal, Scale: 2, Stored: column.StoredText}})
	var left []summary.Part
	assert.Equal(t, []string{"10.555000 12345678901232.550000"}, summed(t, e, sql, s, nil, &left))
	assert.Equal(t, []int64{1, 3, 1, 4}, []int64{left[0].Missing, left[0].Unreadable, left[1].Missing, left[1].Unreadable})
}

// Sums that 64 bits do not hold are exact all the same, on every engine; a whole number with a fraction
// adds up with it where an SQLite file holds one.
func TestSumsBeyond64Bits(t *testing.T) {
	sourcetest.Each(t, func(t *testing.T, e sourcetest.Engine) {
		e.Exec(t, "CREATE TABLE big (id INTEGER PRIMARY KEY, n BIGINT)")
		e.Exec(t, "INSERT INTO big VALUES (1, 9223372036854775807), (2, 9223372036854775807), (3, 2), (4, NULL), (5, -1)")
		sql := compile.New(e.Source.Dialect(), catalog.From{Table: "big"}, e.Facts(t, "big"))
		n := &column.Column{Name: "n", Type: column.Integer}
		s := summary.Sums([]*column.Column{n})
		mean := summary.Figure{Kind: summary.Average, Of: n}
		mean.Shown = mean.ShownAs("mean", "mean", nil)
		s.Figures = append(s.Figures, mean)
		var left []summary.Part
		assert.Equal(t, []string{"18446744073709551615.000000 4611686018427387903.750000"}, summed(t, e, sql, s, nil, &left))
		assert.Equal(t, summary.Part{Missing: 1}, left[0])
		if e.Name == catalog.SQLite {
			e.Exec(t, "INSERT INTO big VALUES (6, 0.25), (7, 'no number'), (8, 9e999)")
			assert.Equal(t, []string{"18446744073709551615.250000 3689348814741910323.050000"}, summed(t, e, sql, s, nil, &left))
			assert.Equal(t, summary.Part{Missing: 1, Unreadable: 2}, left[0])
		}
	})
}
