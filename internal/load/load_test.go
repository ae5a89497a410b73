package load

import (
	"bytes"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"strings"
	"testing"
	"time"

	_ "github.com/mattn/go-sqlite3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
)

var ctx = context.Background()

func database(t *testing.T) *sql.DB {
	t.Helper()
	db, err := sql.Open("sqlite3", "file:"+filepath.Join(t.TempDir(), "records.db")+"?_journal_mode=WAL&_txlock=immediate")
	require.NoError(t, err)
	t.Cleanup(func() { db.Close() })
	return db
}

func content(t *testing.T, db *sql.DB, table string) string {
	t.Helper()
	rows, err := db.Query("SELECT * FROM " + table + " ORDER BY rowid")
	require.NoError(t, err)
	defer rows.Close()
	names, err := rows.Columns()
	require.NoError(t, err)
	var lines []string
	for rows.Next() {
		values := make([]any, len(names))
		for i := range values {
			values[i] = new(any)
		}
		require.NoError(t, rows.Scan(values...))
		texts := make([]string, len(names))
		for i, v := range values {
			texts[i] = fmt.Sprint(*v.(*any))
		}
		lines = append(lines, strings.Join(texts, "|"))
	}
	require.NoError(t, rows.Err())
	return strings.Join(lines, "\n")
}

func TestCSVFiles(t *testing.T) {
	for _, c := range []struct{ name, text, dialect, want string }{
		{"commas", "id,day,fare\r\n1,3/25/2026,12.50\r\n2,,7\r\n", "CSV, fields parted by commas", "1|2026-03-25|12.5\n2|<nil>|7"},
		{"semicolons and a mark of order", "\xef\xbb\xbfid;note;at\n1;\"x;\"\"y\"\"\";2026-03-05T14:00:00Z\n2;é;2026-03-05T14:00:01.5Z\n", "CSV, fields parted by semicolons", "1|x;\"y\"|2026-03-05 14:00:00\n2|é|2026-03-05 14:00:01"},
		{"tabs", "a\tb\n001\tyes\n002\tno\n", "CSV, fields parted by tabs", "001|1\n002|0"},
		{"one column", "shipper\nO'Dell, Timber\n", "CSV, fields parted by commas", ""},
		{"eight digits", "id,manifest_day\n1,20260305\n2,20261231\n", "CSV, fields parted by commas", "1|2026-03-05\n2|2026-12-31"},
		{"serial days", "id,due_date\n1,46086\n", "CSV, fields parted by commas", "1|2026-03-05"},
	} {
		db := database(t)
		report, err := Load(ctx, db, strings.NewReader(c.text), Request{Table: "t", Mode: Replace})
		if c.want == "" {
			var refused *Error
			require.ErrorAs(t, err, &refused, c.name)
			assert.Equal(t, "1 row does not fit, in line 2: 2 fields, where the first line has 1; nothing was loaded", refused.Message)
			continue
		}
		require.NoError(t, err, c.name)
		assert.Equal(t, c.dialect, report.Dialect, c.name)
		assert.Equal(t, c.want, content(t, db, "t"), c.name)
	}
}

// A file that is not whole, or a row that does not fit, leaves the table as it was.
func TestNothingIsHalfLoaded(t *testing.T) {
	db := database(t)
	_, err := Load(ctx, db, strings.NewReader("id,n\n1,1\n"), Request{Table: "t", Mode: Replace})
	require.NoError(t, err)
	broken := errors.New("the line went dead")
	many := "id,n\n" + strings.Repeat("2,2\n", guessRows+5)
	for name, c := range map[string]struct {
		from io.Reader
		says string
	}{
		"a row that does not fit": {strings.NewReader(many + "3,x\n"), "1 row does not fit, in line 10007: column \"n\": \"x\" is not a whole number; nothing was loaded"},
		"a broken line":           {strings.NewReader(many + "3,\"x\" y\n"), `1 row does not fit, in line 10007: the line is not CSV: extraneous or missing " in quoted-field; nothing was loaded`},
		"not UTF-8":               {strings.NewReader("id,n\n1,a\n2,caf\xe9\n"), "1 row does not fit, in line 3: column \"n\" is not UTF-8; nothing was loaded"},
		"a file that breaks off":  {io.MultiReader(strings.NewReader(many+strings.Repeat("2,2\n", 9_000)), errorReader{broken}), "after 19005 rows: the line went dead; nothing was loaded"},
		"nothing":                 {strings.NewReader(" \n"), "the file is empty"},
		"two columns of one name": {strings.NewReader("a,a\n1,2\n"), `the first line names the column "a" twice`},
		"a column without a name": {strings.NewReader("a,\n1,2\n"), "column 2 has no name in the first line"},
		"UTF-16":                  {strings.NewReader("\xff\xfea\x00"), "the file is written in UTF-16; save it in UTF-8"},
		"no such key":             {strings.NewReader("a,b\n1,2\n"), `the file has no column "id" for the key`},
	} {
		req := Request{Table: "t", Mode: Replace}
		if name == "no such key" {
			req.Key = []string{"id"}
		}
		_, err := Load(ctx, db, c.from, req)
		var refused *Error
		require.ErrorAs(t, err, &refused, name)
		assert.Equal(t, c.says, refused.Message, name)
		assert.Equal(t, "1|1", content(t, db, "t"), name)
	}
	report, err := Load(ctx, db, strings.NewReader("id,n\n9,9\n"), Request{Table: "t", Mode: Replace, Dry: true})
	require.NoError(t, err)
	assert.EqualValues(t, 1, report.Read)
	assert.Equal(t, "1|1", content(t, db, "t"))
	stopped, cancel := context.WithCancel(ctx)
	cancel()
	_, err = Load(stopped, db, strings.NewReader("id,n\n9,9\n"), Request{Table: "t", Mode: Replace})
	assert.ErrorIs(t, err, context.Canceled)
	assert.Equal(t, "1|1", content(t, db, "t"))
}

type errorReader struct{ err error }

func (r errorReader) Read([]byte) (int, error) { return 0, r.err }

// 3/4/2026 is two days: which one is said, and not guessed.
func TestDatesOfTwoReadings(t *testing.T) {
	db := database(t)
	text := "id,on\n1,3/4/2026\n2,5/6/2026\n"
	_, err := Load(ctx, db, strings.NewReader(text), Request{Table: "t", Mode: Replace})
	assert.EqualError(t, err, `the dates of the column "on" can be read as M/d/yyyy or as d/M/yyyy; say which, as in --dates "on=M/d/yyyy"; nothing was loaded`)
	report, err := Load(ctx, db, strings.NewReader(text), Request{Table: "t", Mode: Replace, Dry: true})
	require.NoError(t, err)
	assert.Equal(t, "d/M/yyyy", report.Columns[1].Or)
	_, err = Load(ctx, db, strings.NewReader(text), Request{Table: "t", Mode: Replace, Dates: []string{"on=d/M/yyyy"}})
	require.NoError(t, err)
	assert.Equal(t, "1|2026-04-03\n2|2026-06-05", content(t, db, "t"))
	_, err = Load(ctx, db, strings.NewReader(text), Request{Table: "t", Mode: Replace, Dates: []string{"off=d/M/yyyy"}})
	assert.EqualError(t, err, `the file has no column "off" for its dates`)
}

func TestModes(t *testing.T) {
	db := database(t)
	load := func(text string, mode Mode, refuse int, key ...string) (*Report, error) {
		return Load(ctx, db, strings.NewReader(text), Request{Table: "t", Mode: mode, Key: key, Refuse: refuse})
	}
	_, err := load("id,n\n1,1\n2,2\n", Replace, 0, "id")
	require.NoError(t, err)
	_, err = load("id,n\n3,3\n", Append, 0)
	require.NoError(t, err)
	_, err = load("id,n\n2,20\n4,40\n", Update, 0, "id")
	require.NoError(t, err)
	assert.Equal(t, "1|1\n2|20\n3|3\n4|40", content(t, db, "t"))
	report, err := load("id,n\n4,41\n5,50\n", Append, 9)
	require.NoError(t, err)
	assert.Equal(t, []RefusedRow{{2, "a record with the same key is there already", []string{"4", "41"}}}, report.Refused)
	assert.Equal(t, "1|1\n2|20\n3|3\n4|40\n5|50", content(t, db, "t"))
	_, err = load("id,n\n6,6\n", Update, 0)
	assert.EqualError(t, err, "to update records, name the columns of their key")
	_, err = load("id,other\n6,6\n", Append, 0)
	assert.ErrorContains(t, err, `the table "t" does not take these columns`)
	_, err = load("id,n\n7,7\n", New, 0)
	assert.ErrorContains(t, err, `the table "t" is there already; say by the mode`)
	_, err = load("id,n\n7,7\n", Replace, 0)
	require.NoError(t, err)
	assert.Equal(t, "7|7", content(t, db, "t"))
}

func TestXLSXFiles(t *testing.T) {
	f := excelize.NewFile()
	day, err := f.NewStyle(&excelize.Style{NumFmt: 14})
	require.NoError(t, err)
	moment, err := f.NewStyle(&excelize.Style{NumFmt: 22})
	require.NoError(t, err)
	for i, row := range [][]any{{"id", "opened", "seen", "amount", "note"}, {1, 46086, 46086.604166667, 12.5, "a"}, {2, 46022, nil, 7, nil}, {}, {3, time.Date(2026, 12, 31, 0, 0, 0, 0, time.UTC), 46086.0, 0.25, "é"}} {
		cell, err := excelize.CoordinatesToCellName(1, i+1)
		require.NoError(t, err)
		require.NoError(t, f.SetSheetRow("Sheet1", cell, &row))
	}
	require.NoError(t, f.SetCellStyle("Sheet1", "B2", "B5", day))
	require.NoError(t, f.SetCellStyle("Sheet1", "C2", "C5", moment))
	var file bytes.Buffer
	require.NoError(t, f.Write(&file))
	db := database(t)
	report, err := Load(ctx, db, bytes.NewReader(file.Bytes()), Request{Table: "t", Mode: Replace, XLSX: true, Key: []string{"id"}})
	require.NoError(t, err)
	assert.Equal(t, "XLSX, sheet Sheet1", report.Dialect)
	assert.Equal(t, "1|2026-03-05|2026-03-05 14:30:00|12.5|a\n2|2025-12-31|<nil>|7|<nil>\n3|2026-12-31|2026-03-05 00:00:00|0.25|é", content(t, db, "t"))
	_, err = Load(ctx, db, bytes.NewReader(file.Bytes()), Request{Table: "t", XLSX: true, Sheet: "Other"})
	assert.EqualError(t, err, `the file has no sheet "Other"; it has Sheet1`)
	_, err = Load(ctx, db, strings.NewReader("not a zip"), Request{Table: "t", XLSX: true})
	assert.ErrorContains(t, err, "this is no XLSX file that can be read")
}
