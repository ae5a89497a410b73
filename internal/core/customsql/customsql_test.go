package customsql

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// anyDialect reads a text as the first engine does that takes it.
func anyDialect(text string) (pieces []Piece, problems []Problem) {
	for _, d := range []Dialect{Postgres, MariaDB, SQLite} {
		if pieces, problems = (Reader{Dialect: d, Functions: []string{"f"}}).Read(text); len(problems) == 0 {
			return pieces, nil
		}
	}
	return pieces, problems
}

func TestPlaceholders(t *testing.T) {
	for _, c := range []struct{ sql, want string }{
		{"SELECT 1", ""},
		{"SELECT * FROM t WHERE a >= :day_first AND a < :day_next_day", "day_first(a >=) day_next_day(a <)"},
		{"SELECT * FROM t WHERE t.route IN (:routes)", "routes(route IN)"},
		{"SELECT * FROM t WHERE route NOT IN ('a', :b, :c)", "b(route IN) c(route IN)"},
		{`SELECT * FROM t WHERE "the "" day" BETWEEN :a AND :b`, `a(the " day BETWEEN) b(the " day BETWEEN ... AND)`},
		{"SELECT a::text, b[1:2], c[x:y] FROM t WHERE d <> :d AND e LIKE :e", "d(d <>) e(e LIKE)"},
		{"SELECT ':no', \":no\", `:no` -- :no\n/* :no */ FROM t WHERE a = :yes", "yes(a =)"},
		{"SELECT 'it''s :no' FROM t WHERE f(a) = :yes", "yes(expression =)"},
		{"SELECT 1 FROM t WHERE :criteria", "criteria()"},
		{"SELECT * FROM t WHERE :a <= d AND :b = t.e AND :c::date > f", "a(d >=) b(e =) c(f <)"},
		{"SELECT * FROM t WHERE date(d) <= :a AND d::date <= :b AND CAST(d AS date) <= :c AND d + 1 <= :d AND :e >= date(d)", "a(expression <=) b(expression <=) c(expression <=) d(expression <=) e(expression <=)"},
		{"SELECT * FROM t WHERE d <= :a + 1 AND d BETWEEN f(1, 2) AND :b AND e > 1 AND :c", "a() b(d BETWEEN ... AND) c()"},
		{"SELECT * FROM t WHERE coalesce(t.d, e) >= :a AND (d) <= :b AND (d) + (e) <= :c AND d COLLATE \"C\" < :d", "a(d >=) b(d <=) c(expression <=) d(d <)"},
		{"SELECT * FROM t WHERE d NOT BETWEEN :a AND :b AND CASE WHEN a THEN b END = :c AND d - INTERVAL 1 DAY >= :d", "a(d BETWEEN) b(d BETWEEN ... AND) c(expression =) d(expression >=)"},
		{"SELECT f(:a, d) FROM t HAVING max(d) < :b AND min(date(d)) > :c", "a() b(d <) c(expression >)"},
		{"SELECT * FROM t WHERE größe != :größe;", "größe(größe <>)"},
	} {
		pieces, problems := anyDialect(c.sql)
		require.Empty(t, problems, c.sql)
		var found []string
		text := ""
		for _, p := range pieces {
			if p.Name == "" {
				text += p.Text
				continue
			}
			text += ":" + p.Name
			with := p.Column
			if p.Expression {
				with = "expression"
			}
			if p.Op != NoOp {
				with += " " + string(p.Op)
			}
			found = append(found, p.Name+"("+with+")")
			assert.Equal(t, ":"+p.Name, c.sql[p.At:p.At+1+len(p.Name)])
		}
		assert.Equal(t, c.want, strings.Join(found, " "), c.sql)
		assert.Equal(t, strings.TrimRight(c.sql, "; "), text, "nothing is lost")
	}
}

func TestWhatIsNotOneSelect(t *testing.T) {
	for _, c := range []struct {
		sql  string
		at   int
		says string
	}{
		{"", 0, "there is no SELECT here"},
		{"DELETE FROM t", 0, "custom SQL is one SELECT, and this begins with DELETE"},
		{"SELECT 1; DROP TABLE t", 8, "custom SQL is one SELECT; what stands after this semicolon is another statement"},
		{"WITH x AS (DELETE FROM t RETURNING *) SELECT * FROM x", 11, "custom SQL only reads, and DELETE does more"},
		{"SELECT * INTO u FROM t", 9, "custom SQL only reads, and INTO does more"},
		{"SELECT * FROM t INTO OUTFILE '/tmp/x'", 16, "custom SQL only reads, and INTO does more"},
		{"SELECT * FROM t FOR UPDATE", 20, "custom SQL only reads, and UPDATE does more"},
		{"SELECT * FROM t FOR KEY SHARE", 16, "custom SQL only reads, and this locks what it reads"},
		{"SELECT * FROM t LOCK IN SHARE MODE", 16, "custom SQL only reads, and LOCK does more"},
		{"SELECT nextval('s')", 7, "the function nextval is none of those that custom SQL for SQLite may call; if it only computes, the admin of the service adds it to the setting functions"},
		{"SELECT pg_catalog.pg_advisory_lock(1)", 18, "the function pg_catalog.pg_advisory_lock is none of those that custom SQL for SQLite may call; if it only computes, the admin of the service adds it to the setting functions"},
		{"SELECT pg_advisory_lock(1)", 7, "the function pg_advisory_lock is none of those that custom SQL for SQLite may call; if it only computes, the admin of the service adds it to the setting functions"},
		{`SELECT "nextval"('s')`, 7, "the function nextval is none of those that custom SQL for SQLite may call; if it only computes, the admin of the service adds it to the setting functions"},
		{"SELECT NEXT VALUE FOR s", 12, "custom SQL only reads, and this takes a number from a sequence"},
		{"SELECT load_extension('x')", 7, "the function load_extension is none of those that custom SQL for SQLite may call; if it only computes, the admin of the service adds it to the setting functions"},
		{"ATTACH 'x' AS y", 0, "custom SQL is one SELECT, and this begins with ATTACH"},
		{"SELECT 'never ends", 7, "a text or a name in quotes begins here and does not end"},
		{"SELECT 1 /* never ends", 9, "a comment begins here and does not end"},
	} {
		_, problems := anyDialect(c.sql)
		require.NotEmpty(t, problems, c.sql)
		assert.Equal(t, c.says, problems[0].Message, c.sql)
		assert.Equal(t, c.at, problems[0].At, c.sql)
	}
	for _, fine := range []string{"SELECT replace(a, 'b', 'c'), insert(a, 1, 2, 'x') FROM t", "SELECT t.update FROM t", "(SELECT 1) UNION (SELECT 2);", "WITH x AS (SELECT 1 AS a) SELECT a FROM x", "SELECT 'DELETE; INTO'", "SELECT substring(a FOR 3) FROM t"} {
		_, problems := anyDialect(fine)
		assert.Empty(t, problems, fine)
	}
}

// Whatever the text: its pieces are all of it, in order, and nothing panics.
func FuzzRead(f *testing.F) {
	for _, seed := range []string{"SELECT * FROM t WHERE a = :a", "'", "/*/**/", "$a$ $b$", ":", "a:b", "\"", "SELECT :a:b::c", "-- x", ":a = \"", "a BETWEEN (:b) AND (c) <= :d"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, text string) {
		pieces, _ := anyDialect(text)
		whole := ""
		for _, p := range pieces {
			if p.Name != "" {
				whole += ":" + p.Name
			}
			whole += p.Text
		}
		require.True(t, strings.HasPrefix(text, whole), "%q of %q", whole, text)
	})
}
