package load

import (
	"bytes"
	"database/sql"
	"errors"
	"testing"

	"github.com/stretchr/testify/require"
)

// Whatever the bytes: a load tells what is wrong with them or takes them all, and nothing
// of a load that is refused is left.
func FuzzLoad(f *testing.F) {
	for _, text := range []string{"id,day\n1,2026-03-05\n", "a;b\n1,5;\"x\"\n", `[{"a": 1, "b": "x"}, {"a": null}]`, "{\"a\": 1e3}\n{\"b\": true}", "ship\tfare\nTotal\t3\n", "\xef\xbb\xbfa|b\n", "PK\x03\x04"} {
		for format := range uint8(3) {
			f.Add([]byte(text), format)
		}
	}
	db, err := sql.Open("sqlite3", ":memory:")
	require.NoError(f, err)
	db.SetMaxOpenConns(1) // each would have a file of its own
	f.Fuzz(func(t *testing.T, text []byte, format uint8) {
		req := Request{Table: "t", Mode: Replace, Format: []Format{CSV, JSON, NDJSON}[format%3], Refuse: 5}
		_, err := db.Exec("DROP TABLE IF EXISTS t")
		require.NoError(t, err)
		report, err := Load(ctx, db, bytes.NewReader(text), req)
		var there, rows int64
		require.NoError(t, db.QueryRow("SELECT count(*) FROM sqlite_master WHERE name = 't'").Scan(&there))
		if err != nil {
			var refused *Error
			require.True(t, errors.As(err, &refused), "%s", err)
			require.Zero(t, there)
			return
		}
		require.NoError(t, db.QueryRow("SELECT count(*) FROM t").Scan(&rows))
		require.Equal(t, report.Loaded, rows)
	})
}

// What a form reads is a number in plain digits, which reads to itself.
func FuzzNumbers(f *testing.F) {
	f.Add("1.234,56", "-7.000,5")
	f.Add("$1,234.56", "($7.00)")
	f.Fuzz(func(t *testing.T, source, text string) {
		form, err := parseNumberForm(source)
		if err != nil {
			return
		}
		digits, ok := form.read(text)
		if !ok {
			return
		}
		plain, err := parseNumberForm("1234.56")
		require.NoError(t, err)
		again, ok := plain.read(digits)
		require.True(t, ok, "%q as %q came to %q", text, source, digits)
		require.Equal(t, digits, again)
	})
}
