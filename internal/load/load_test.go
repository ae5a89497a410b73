package load

import (
	"bufio"
	"bytes"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"pikegate/internal/core/fault"

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
		{"semicolons and a mark of order", "\xef\xbb\xbfid;note;at\n1;\"x;\"\"y\"\"\";2026-03-05T14:00:00Z\n2;é;2026-03-05T14:00:01.5Z\n", "CSV, fields parted by semicolons", "1|x;\"y\"|2026-03-05T14:00:00Z\n2|é|2026-03-05T14:00:01.5Z"},
		{"tabs", "a\tb\n001\tyes\n002\tno\n", "CSV, fields parted by tabs", "001|1\n002|0"},
		{"one column", "shipper\nO'Dell, Timber\n", "CSV, fields parted by commas", ""},
		{"named months", "id,day\n1,Jan 1 2000\n2,Dec 31 2026\n", "CSV, fields parted by commas", "1|2000-01-01\n2|2026-12-31"},
		{"days between hyphens", "id,day\n1,5-Mar-2026\n", "CSV, fields parted by commas", "1|2026-03-05"},
		{"short years", "id,day\n1,12/25/26\n", "CSV, fields parted by commas", "1|2026-12-25"},
		{"slashes and a time", "id,at\n1,2001/01/01 00:47\n", "CSV, fields parted by commas", "1|2001-01-01 00:47:00"},
		{"epoch seconds", "id,seen_at\n1,1772661600\n", "CSV, fields parted by commas", "1|2026-03-04T22:00:00Z"},
		{"epoch milliseconds", "id,seen_at\n1,1772661600250\n", "CSV, fields parted by commas", "1|2026-03-04T22:00:00.25Z"},
		{"numbers that could be moments", "id,seq\n1,1772661600\n", "CSV, fields parted by commas", "1|1772661600"},
		{"many digits", "id,fare\n1,12345678901234567.89\n2,1.50\n", "CSV, fields parted by commas", "1|12345678901234567.89\n2|1.50"},
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
		"a row that does not fit":      {strings.NewReader(many + "3,x\n"), "1 row does not fit, in line 10007: column \"n\": \"x\" is not a whole number; nothing was loaded"},
		"a broken line":                {strings.NewReader(many + "3,\"x\" y\n"), `1 row does not fit, in line 10007: the line is not CSV: extraneous or missing " in quoted-field; nothing was loaded`},
		"not UTF-8":                    {strings.NewReader("id,n\n1,a\n2,caf\xe9\n"), "1 row does not fit, in line 3: column \"n\" is not UTF-8; nothing was loaded"},
		"a file that breaks off":       {io.MultiReader(strings.NewReader(many+strings.Repeat("2,2\n", 9_000)), errorReader{broken}), "after 19005 rows: the line went dead; nothing was loaded"},
		"nothing":                      {strings.NewReader(" \n"), "the file is empty"},
		"two columns but for capitals": {strings.NewReader("Day,day\n1,2\n"), `the file has columns "Day" and "day", and a table does not tell capital letters from small ones; give one of them another name`},
		"two columns of one name":      {strings.NewReader("a,a\n1,2\n"), `the first line names the column "a" twice`},
		"a column without a name":      {strings.NewReader("a,\n1,2\n"), "column 2 has no name in the first line"},
		"UTF-16":                       {strings.NewReader("\xff\xfea\x00"), "the file is written in UTF-16; save it in UTF-8"},
		"no such key":                  {strings.NewReader("a,b\n1,2\n"), `the file has no column "id" for the key`},
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
	assert.Equal(t, []RefusedRow{{Line: 2, Reason: "a record with the same key is there already", Fields: []string{"4", "41"}}}, report.Refused)
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
	report, err := Load(ctx, db, bytes.NewReader(file.Bytes()), Request{Table: "t", Mode: Replace, Format: XLSX, Key: []string{"id"}})
	require.NoError(t, err)
	assert.Equal(t, "XLSX, sheet Sheet1", report.Dialect)
	assert.Equal(t, "1|2026-03-05|2026-03-05 14:30:00|12.5|a\n2|2025-12-31|<nil>|7|<nil>\n3|2026-12-31|2026-03-05 00:00:00|0.25|é", content(t, db, "t"))
	_, err = Load(ctx, db, bytes.NewReader(file.Bytes()), Request{Table: "t", Format: XLSX, Sheet: "Other"})
	assert.EqualError(t, err, `the file has no sheet "Other"; it has Sheet1`)
	_, err = Load(ctx, db, strings.NewReader("not a zip"), Request{Table: "t", Format: XLSX})
	assert.ErrorContains(t, err, "this is no XLSX file that can be read")
}

// A file is told by its bytes, whatever its name says.
func TestFilesOfOtherKinds(t *testing.T) {
	db := database(t)
	for _, c := range []struct {
		text   string
		format Format
		says   string
	}{
		{"PK\x03\x04rest", CSV, "the file is an XLSX workbook or another ZIP archive; a workbook is loaded by its name, which ends in .xlsx"},
		{"\xd0\xcf\x11\xe0\xa1\xb1", XLSX, "the file is a workbook in the old .xls form; open it in a spreadsheet program and save it as .xlsx"},
		{"\xd0\xcf\x11\xe0\xa1\xb1", CSV, "the file is a workbook in the old .xls form; open it in a spreadsheet program and save it as .xlsx"},
		{"%PDF-1.7", CSV, "the file is a PDF document; save the records as CSV or XLSX"},
		{"\x7fELF\x02\x01\x01\x00\x00", CSV, "the file is no text: it holds bytes that no text has; save the records as CSV, XLSX or JSON"},
		{`[{"a": 1}]`, CSV, "the file looks like JSON; it is loaded by its name, which ends in .json or .ndjson"},
		{`{"a": 1}`, JSON, "a JSON file of records is a list of objects, [{...}, {...}], and this begins otherwise; objects on lines of their own are loaded by a name that ends in .ndjson"},
		{`[{"a": 1}, 2]`, JSON, "record 2 cannot be read: an object is wanted here, and this is 2"},
		{`[{"a": 1}`, JSON, "record 2 cannot be read: the list of records does not end"},
		{`[{"a": 1}] x`, JSON, "record 2 cannot be read: something follows the list of records"},
		{`[]`, JSON, "the file has no record with a member in it"},
		{"a,b\n1,2\n", XLSX, "this is no XLSX file that can be read: it is no ZIP archive"},
	} {
		_, err := Load(ctx, db, strings.NewReader(c.text), Request{Table: "t", Mode: Replace, Format: c.format})
		assert.EqualError(t, err, c.says)
	}
}

func TestJSONFiles(t *testing.T) {
	const records = `{"id": 1, "day": "3/25/2026", "fare": 12.50, "full": true, "note": "007"}
{"id": 2, "fare": 1e2, "full": false, "late": 12345678901234567.89}
{"id": 3, "day": "4/1/2026", "fare": null, "note": ""}
`
	want := "1|2026-03-25|12.5|1|007|<nil>\n2|<nil>|100|0|<nil>|12345678901234567.89\n3|2026-04-01|<nil>|<nil>||<nil>"
	for format, text := range map[Format]string{NDJSON: records, JSON: "[" + strings.ReplaceAll(strings.TrimSpace(records), "\n", ",\n") + "]"} {
		db := database(t)
		report, err := Load(ctx, db, strings.NewReader(text), Request{Table: "t", Mode: Replace, Format: format})
		require.NoError(t, err)
		assert.Equal(t, want, content(t, db, "t"), format)
		assert.Equal(t, "decimal", report.Columns[5].Type)
		assert.True(t, report.Columns[5].Exact)
	}
	db := database(t)
	report, err := Load(ctx, db, strings.NewReader(`{"a": 1} {"a": {"b": 2}} {"a": [3]} {"a": 4} {"a": 5, "a": 6}`), Request{Table: "t", Mode: Replace, Format: NDJSON, Refuse: 3})
	require.NoError(t, err)
	assert.Equal(t, "1\n4", content(t, db, "t"))
	assert.Equal(t, `the member "a" has a list or an object, and a field is one value`, report.Refused[0].Reason)
	assert.Equal(t, `it has the member "a" twice`, report.Refused[2].Reason)
	_, err = Load(ctx, db, strings.NewReader(strings.Repeat(`{"a": 1}`, guessRows)+`{"b": 2}`), Request{Table: "t", Mode: Replace, Format: NDJSON})
	assert.ErrorContains(t, err, `it has a member "b", which none of the first records has`)
}

// Numbers as other places write them are read when that is said, and pointed at when not.
func TestNumbersInOtherForms(t *testing.T) {
	for _, c := range []struct{ form, field, want string }{
		{"1.234,56", "1.234,56", "1234.56"}, {"1.234,56", "12,5", "12.5"}, {"1.234,56", "1234,56", "1234.56"}, {"1.234,56", "-0,50", "-0.50"}, {"1.234,56", "1.23,4", ""}, {"1.234,56", "12.34.567", ""}, {"1.234,56", "1,", ""}, {"1.234,56", "", ""},
		{"$1,234.56", "$7.00", "7.00"}, {"$1,234.56", "-$1,007.00", "-1007.00"}, {"$1,234.56", "$-7", "-7"}, {"$1,234.56", "($7.00)", "-7.00"}, {"$1,234.56", "7", "7"}, {"$1,234.56", "€7", ""}, {"$1,234.56", "--7", ""},
		{"1 234,56 €", "12\u00a0345,60 €", "12345.60"}, {"1'234.56", "1'000'000", "1000000"}, {"1234.56%", "12.5 %", "12.5"}, {"1234", "007", "7"}, {"1,234.56", "\u22121,000", "-1000"},
	} {
		form, err := parseNumberForm(c.form)
		require.NoError(t, err, c.form)
		got, ok := form.read(c.field)
		assert.Equal(t, c.want, got, "%s as %s", c.field, c.form)
		assert.Equal(t, c.want != "", ok, "%s as %s", c.field, c.form)
	}
	for _, wrong := range []string{"", "12", "1.234.56", "price"} {
		_, err := parseNumberForm(wrong)
		assert.Error(t, err, wrong)
	}
	db := database(t)
	const text = "id;fare;price\n1;1.234,56;$7.00\n2;0,5;$1,000.25\n3;;\n"
	report, err := Load(ctx, db, strings.NewReader(text), Request{Table: "t", Mode: Replace, Dry: true})
	require.NoError(t, err)
	assert.Equal(t, []string{`The values of the column "fare" look like numbers, such as "1.234,56"; --numbers "fare=1.234,56" reads them so.`, `The values of the column "price" look like numbers, such as "$7.00"; --numbers "price=$1,234.56" reads them so.`}, report.Notes)
	report, err = Load(ctx, db, strings.NewReader(text), Request{Table: "t", Mode: Replace, Numbers: []string{"fare=1.234,56", "price=$1,234.56"}, Exact: []string{"price"}})
	require.NoError(t, err)
	assert.Equal(t, "1|1234.56|7.00\n2|0.5|1000.25\n3|<nil>|<nil>", content(t, db, "t"))
	assert.Equal(t, "1.234,56", report.Columns[1].Written)
	_, err = Load(ctx, db, strings.NewReader(text), Request{Table: "t", Mode: Replace, Numbers: []string{"fare=1,234.56"}})
	assert.EqualError(t, err, `the values of the column "fare" are not numbers as 1,234.56 has them, such as "1.234,56"`)
}

// Digits that a binary number has no room for are refused or kept, and never lost.
func TestDigitsAreKept(t *testing.T) {
	db := database(t)
	text := "id,fare\n" + strings.Repeat("1,1.5\n", guessRows) + "2,12345678901234567.89\n"
	_, err := Load(ctx, db, strings.NewReader(text), Request{Table: "t", Mode: Replace})
	assert.ErrorContains(t, err, `column "fare": "12345678901234567.89" has more digits than a binary number has room for; --exact fare loads the column whole; nothing was loaded`)
	_, err = Load(ctx, db, strings.NewReader(text), Request{Table: "t", Mode: Replace, Exact: []string{"fare"}})
	require.NoError(t, err)
	assert.True(t, strings.HasSuffix(content(t, db, "t"), "1|1.5\n2|12345678901234567.89"))
}

// A last row of totals is asked about.
func TestTotals(t *testing.T) {
	for name, c := range map[string]struct {
		text   string
		totals bool
	}{
		"by its word":         {"ship,fare\nMarram,1\nTern,2\nTOTAL:,4\n", true},
		"by its sums":         {"ship,on,fare,party\nMarram,2026-01-01,1.5,2\nTern,2026-01-02,2,3\nSkua,2026-01-03,0.25,4\n,,3.75,9\n", true},
		"a last row":          {"ship,fare\nMarram,1\nTern,2\nSkua,3\n", false},
		"a sum beside a name": {"ship,fare\nMarram,1\nTern,2\nSkua,3\nPetrel,6\n", false},
		"one number":          {"ship,fare\nMarram,1\n,1\n", false},
		"a word elsewhere":    {"ship,note\nMarram,x\nTern,total\n", false},
	} {
		db := database(t)
		load := func(totals Totals, dry bool) (*Report, error) {
			return Load(ctx, db, strings.NewReader(c.text), Request{Table: "t", Mode: Replace, Totals: totals, Dry: dry})
		}
		rows := int64(strings.Count(c.text, "\n") - 1)
		report, err := load(AskTotals, false)
		if !c.totals {
			require.NoError(t, err, name)
			assert.Equal(t, rows, report.Loaded, name)
			continue
		}
		assert.ErrorContains(t, err, "looks like a row of totals", name)
		assert.ErrorContains(t, err, "; say by --totals whether to keep it as a record or to skip it; nothing was loaded", name)
		report, err = load(AskTotals, true)
		require.NoError(t, err, name)
		assert.Len(t, report.Notes, 1, name)
		report, err = load(SkipTotals, false)
		require.NoError(t, err, name)
		assert.Equal(t, rows-1, report.Loaded, name)
		report, err = load(KeepTotals, false)
		require.NoError(t, err, name)
		assert.Equal(t, rows, report.Loaded, name)
	}
}

func TestRowNumbers(t *testing.T) {
	db := database(t)
	load := func(text string, mode Mode, name string) error {
		_, err := Load(ctx, db, strings.NewReader(text), Request{Table: "t", Mode: mode, RowNumber: name})
		return err
	}
	require.NoError(t, load("ship\nMarram\nTern\n", New, "id"))
	require.NoError(t, load("ship\nSkua\n", Append, "id"))
	assert.Equal(t, "1|Marram\n2|Tern\n3|Skua", content(t, db, "t"))
	assert.EqualError(t, load("id,ship\n1,Tern\n", Replace, "id"), `the file has a column "id" of its own; give that of the row numbers another name`)
	assert.EqualError(t, load("ship\nTern\n", Append, "no"), `the table "t" has no column "no" of whole numbers to go on with`)
}

// What a load did to the table is told: rows that it added, and those that gave way.
func TestAddedAndReplaced(t *testing.T) {
	db := database(t)
	counts := func(text string, mode Mode) []int64 {
		report, err := Load(ctx, db, strings.NewReader(text), Request{Table: "t", Mode: mode, Key: []string{"id"}})
		require.NoError(t, err)
		return []int64{report.Loaded, report.Added, report.Replaced}
	}
	assert.Equal(t, []int64{3, 3, 0}, counts("id,n\n1,1\n2,2\n3,3\n", New))
	assert.Equal(t, []int64{2, 1, 1}, counts("id,n\n3,4\n4,4\n", Update))
	assert.Equal(t, []int64{1, 1, 0}, counts("id,n\n5,5\n", Append))
	assert.Equal(t, []int64{2, 2, 5}, counts("id,n\n1,1\n2,2\n", Replace))
}

// Only a row that does not fit is refused. Whatever else fails takes everything back: a
// disk that is full, a process that is killed.
func TestWhatFailsTakesEverythingBack(t *testing.T) {
	var rows strings.Builder
	for i := range 20_000 {
		fmt.Fprintf(&rows, "%d,%s\n", i, strings.Repeat("x", 100))
	}
	many := "id,note\n" + rows.String()
	before := func(db *sql.DB) {
		_, err := Load(ctx, db, strings.NewReader("id,note\n7,kept\n"), Request{Table: "t", Mode: Replace, Key: []string{"id"}})
		require.NoError(t, err)
	}
	for _, mode := range []Mode{Replace, Append, Update} {
		db := database(t)
		db.SetMaxOpenConns(1) // whose setting it is
		before(db)
		_, err := db.Exec("PRAGMA max_page_count = 100")
		require.NoError(t, err)
		_, err = Load(ctx, db, strings.NewReader(many), Request{Table: "t", Mode: mode, Key: []string{"id"}, Refuse: MostRefused})
		assert.ErrorIs(t, err, ErrNoRoom, string(mode))
		assert.Equal(t, "7|kept", content(t, db, "t"), string(mode))
	}
	t.Run("a full file system", func(t *testing.T) {
		dir := t.TempDir()
		if err := syscall.Mount("tmpfs", dir, "tmpfs", 0, "size=1m"); err != nil {
			t.Skipf("a small file system cannot be mounted here: %s", err)
		}
		defer syscall.Unmount(dir, 0)
		db, err := sql.Open("sqlite3", "file:"+filepath.Join(dir, "records.db")+"?_journal_mode=WAL&_txlock=immediate")
		require.NoError(t, err)
		defer db.Close()
		before(db)
		_, err = Load(ctx, db, strings.NewReader(many), Request{Table: "t", Mode: Replace})
		assert.ErrorIs(t, err, ErrNoRoom)
		assert.Equal(t, "7|kept", content(t, db, "t"))
	})
	t.Run("a killed process", func(t *testing.T) {
		path := filepath.Join(t.TempDir(), "records.db")
		db, err := sql.Open("sqlite3", "file:"+path+"?_journal_mode=WAL&_txlock=immediate")
		require.NoError(t, err)
		defer db.Close()
		before(db)
		c := exec.Command(os.Args[0], "-test.run=^TestLoadUntilKilled$")
		c.Env = append(os.Environ(), "LOAD_UNTIL_KILLED="+path)
		out, err := c.StdoutPipe()
		require.NoError(t, err)
		require.NoError(t, c.Start())
		_, err = bufio.NewReader(out).ReadString('\n') // rows are being written
		require.NoError(t, err)
		require.NoError(t, c.Process.Kill())
		_ = c.Wait()
		assert.Equal(t, "7|kept", content(t, db, "t"))
	})
}

// TestLoadUntilKilled is the process that the test above kills: its file never ends.
func TestLoadUntilKilled(t *testing.T) {
	path := os.Getenv("LOAD_UNTIL_KILLED")
	if path == "" {
		t.Skip("is run by another test")
	}
	db, err := sql.Open("sqlite3", "file:"+path+"?_journal_mode=WAL&_txlock=immediate&_cache_size=10")
	require.NoError(t, err)
	_, _ = Load(ctx, db, &endless{}, Request{Table: "t", Mode: Replace})
}

// endless is a CSV file without an end, which says on standard output when it is long.
type endless struct{ n int }

func (e *endless) Read(b []byte) (int, error) {
	if e.n++; e.n == 1 {
		return copy(b, "id,note\n"), nil
	}
	if e.n == 50_000 {
		fmt.Println("long")
	}
	return copy(b, fmt.Sprintf("%d,%s\n", e.n, strings.Repeat("x", 100))), nil
}

// Where more rows are refused than may be, nothing is loaded; and never are there more
// than are told.
func TestTooManyRefusals(t *testing.T) {
	db := database(t)
	text := "id,n\n" + strings.Repeat("1,1\n", guessRows) + strings.Repeat("2,2\n2,x\n", 15_000)
	_, err := Load(ctx, db, strings.NewReader(text), Request{Table: "t", Mode: Replace, Refuse: MostRefused})
	assert.EqualError(t, err, `more than 10000 rows do not fit, the first in line 10003: column "n": "x" is not a whole number; nothing was loaded`)
	var tables int
	require.NoError(t, db.QueryRow("SELECT count(*) FROM sqlite_master").Scan(&tables))
	assert.Zero(t, tables)
	report, err := Load(ctx, db, strings.NewReader(text), Request{Table: "t", Mode: Replace, Dry: true})
	require.NoError(t, err)
	assert.EqualValues(t, 15_000, report.Refusals)
	assert.Len(t, report.Refused, MostRefused)
	_, err = Load(ctx, db, strings.NewReader("id,n\n"+strings.Repeat("1,1\n", 200)+"2,x\n2,x\n"), Request{Table: "t", Mode: Replace, Refuse: 1})
	assert.ErrorContains(t, err, "2 rows do not fit")
}

// A date cell stays a date whatever else stands in its column.
func TestDateCells(t *testing.T) {
	f := excelize.NewFile()
	day, err := f.NewStyle(&excelize.Style{NumFmt: 14})
	require.NoError(t, err)
	custom, amount := `[Red]yyyy"d"`, `[Red]0.00"d"`
	shown, err := f.NewStyle(&excelize.Style{CustomNumFmt: &custom})
	require.NoError(t, err)
	coloured, err := f.NewStyle(&excelize.Style{CustomNumFmt: &amount})
	require.NoError(t, err)
	for i, row := range [][]any{{"id", "opened", "closed", "amount"}, {1, 46086, 46086, 12.5}, {2, "n/a", 46087.5, 46086}, {3, "soon", nil, 1}, {4, 46088, 46089, 2}} {
		cell, err := excelize.CoordinatesToCellName(1, i+1)
		require.NoError(t, err)
		require.NoError(t, f.SetSheetRow("Sheet1", cell, &row))
	}
	require.NoError(t, f.SetCellStyle("Sheet1", "B2", "B5", day))
	require.NoError(t, f.SetCellStyle("Sheet1", "C2", "C5", shown))
	require.NoError(t, f.SetCellStyle("Sheet1", "D2", "D5", coloured))
	var file bytes.Buffer
	require.NoError(t, f.Write(&file))
	db := database(t)
	_, err = Load(ctx, db, bytes.NewReader(file.Bytes()), Request{Table: "t", Mode: Replace, Format: XLSX})
	require.NoError(t, err)
	assert.Equal(t, "1|2026-03-05|2026-03-05 00:00:00|12.5\n2|n/a|2026-03-06 12:00:00|46086\n3|soon|<nil>|1\n4|2026-03-07|2026-03-08 00:00:00|2", content(t, db, "t"))

	yes := true
	require.NoError(t, f.SetWorkbookProps(&excelize.WorkbookPropsOptions{Date1904: &yes}))
	require.NoError(t, f.SetCellValue("Sheet1", "B2", 44624))
	file.Reset()
	require.NoError(t, f.Write(&file))
	_, err = Load(ctx, db, bytes.NewReader(file.Bytes()), Request{Table: "t", Mode: Replace, Format: XLSX})
	require.NoError(t, err)
	assert.True(t, strings.HasPrefix(content(t, db, "t"), "1|2026-03-05|"), "days that are counted from 1904")
}

// What is said of a column's dates goes before what they look like.
func TestDatesThatWereTold(t *testing.T) {
	for _, c := range []struct{ said, text, want string }{
		{"at=serial-days", "46086.604166667", "2026-03-05 14:30:00"}, {"at=serial-days", "46086", "2026-03-05"}, {"at=epoch-seconds", "1772661600", "2026-03-04T22:00:00Z"}, {"at=yyyymmdd", "20260305", "2026-03-05"},
		{"at=d MMM yyyy", "5 mar 2026", "2026-03-05"}, {"at=yyyy-MM-dd'T'HH:mm:ss'Z'", "2026-03-05T10:00:00.125Z", "2026-03-05T10:00:00.125Z"}, {"at=yyyy-MM-dd HH:mm:ss", "2026-03-05 10:00:00.5", "2026-03-05 10:00:00.5"},
	} {
		db := database(t)
		_, err := Load(ctx, db, strings.NewReader("at\n"+c.text+"\n"), Request{Table: "t", Mode: Replace, Dates: []string{c.said}})
		require.NoError(t, err, c.said)
		assert.Equal(t, c.want, content(t, db, "t"), c.said)
	}
	_, err := Load(ctx, database(t), strings.NewReader("at\n1\n"), Request{Table: "t", Dates: []string{"at=YYYY-MM-DD"}})
	assert.ErrorContains(t, err, `did you mean "yyyy-MM-dd"?`)
	_, err = Load(ctx, database(t), strings.NewReader("opened\n1\n"), Request{Table: "t", Dates: []string{"opned=yyyy-MM-dd"}})
	assert.EqualError(t, err, `the file has no column "opned" for its dates; did you mean "opened"?`)
}

// Programs are told which column a refusal is about, and what caused it.
func TestWhatARefusalIsAbout(t *testing.T) {
	load := func(text string, req Request) (*Report, *Error) {
		req.Table, req.Format = "t", CSV
		report, err := Load(ctx, database(t), strings.NewReader(text), req)
		var refused *Error
		errors.As(err, &refused)
		return report, refused
	}
	_, wrong := load("id,on\n1,3/4/2026\n", Request{})
	require.NotNil(t, wrong)
	assert.Equal(t, []any{fault.DatesTwoWays, "on"}, []any{wrong.Code, wrong.Column})
	numbers := "id,n\n" + strings.Repeat("1,2\n", 300)
	_, wrong = load(numbers+"1,x\n", Request{})
	require.NotNil(t, wrong)
	assert.Equal(t, []any{fault.RowsRefused, "n", "n"}, []any{wrong.Code, wrong.Column, wrong.Report.Refused[0].Column})
	report, wrong := load(numbers+"1,2,3\n", Request{Refuse: 10})
	require.Nil(t, wrong)
	assert.Empty(t, report.Refused[0].Column, "it is the row as a whole")
}
