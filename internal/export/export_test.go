package export

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"testing"
	"time"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/record"
)

func columns(t *testing.T) []*record.Column {
	t.Helper()
	instant, err := record.ParsePattern("yyyy-MM-dd HH:mm:ss")
	require.NoError(t, err)
	date, err := record.ParsePattern("yyyyMMdd")
	require.NoError(t, err)
	return []*record.Column{
		{Name: "id", Type: record.Integer, Label: "No."}, {Name: "name, full", Type: record.Text, Label: "Name"},
		{Name: "fare", Type: record.Decimal, Scale: 2, Label: "Fare", Unit: "EUR"},
		{Name: "at", Type: record.Instant, Stored: record.StoredText, Pattern: instant, Label: "At"},
		{Name: "on", Type: record.Date, Stored: record.StoredText, Pattern: date, Label: "On"},
	}
}

var rows = [][]record.Value{
	{int64(1), "O'Dell \"& Sons\"", 12.5, "2026-10-25 00:30:00", "20260305"},
	{int64(2), "", int64(12), "2026-10-25 01:30:00", "20260230"},
	{int64(3), nil, nil, nil, nil},
	{int64(4), "two\r\nlines, 北浜\t\x01", 0.1, "n/a", "00010101"},
}

func write(t *testing.T, f Format) string {
	t.Helper()
	zone := time.FixedZone("", 3*3600)
	var b bytes.Buffer
	w := New(f, &b, columns(t), zone)
	require.NoError(t, w.Begin())
	for _, row := range rows {
		require.NoError(t, w.Row(row))
	}
	require.NoError(t, w.End([]byte(`{"rows":4}`)))
	return b.String()
}

func TestCSV(t *testing.T) {
	got := write(t, CSV)
	assert.Equal(t, "id,\"name, full\",fare,at,on\r\n"+
		"1,\"O'Dell \"\"& Sons\"\"\",12.50,2026-10-25T03:30:00+03:00,2026-03-05\r\n"+
		"2,\"\",12.00,2026-10-25T04:30:00+03:00,20260230\r\n"+
		"3,,,,\r\n"+
		"4,\"two\r\nlines, 北浜\t\x01\",0.10,n/a,0001-01-01\r\n", got)
	read, err := csv.NewReader(bytes.NewReader([]byte(got))).ReadAll()
	require.NoError(t, err)
	assert.Len(t, read, 5, "another reader of RFC 4180 sees the same records")
}

func TestJSON(t *testing.T) {
	var got struct {
		Columns []Column
		Rows    [][]any
		Receipt map[string]any
	}
	text := write(t, JSON)
	require.NoError(t, json.Unmarshal([]byte(text), &got))
	assert.Equal(t, Column{Name: "fare", Type: "decimal", Label: "Fare", Unit: "EUR"}, got.Columns[2])
	assert.Equal(t, []any{1.0, `O'Dell "& Sons"`, "12.50", "2026-10-25T03:30:00+03:00", "2026-03-05"}, got.Rows[0])
	assert.Equal(t, []any{3.0, nil, nil, nil, nil}, got.Rows[2])
	assert.Equal(t, []any{4.0, "two\r\nlines, 北浜\t\x01", "0.10", "n/a", "0001-01-01"}, got.Rows[3])
	assert.Equal(t, map[string]any{"rows": 4.0}, got.Receipt)
	assert.Regexp(t, `\],"receipt":\{"rows":4\}\}\n$`, text, "the receipt is last")
}

func TestDatesInOtherForms(t *testing.T) {
	wall, err := record.ParsePattern("dd.MM.yyyy HH:mm")
	require.NoError(t, err)
	columns := []*record.Column{
		{Name: "wall", Type: record.Datetime, Stored: record.StoredText, Pattern: wall}, {Name: "eight", Type: record.Date, Stored: record.EightDigits},
		{Name: "serial", Type: record.Date, Stored: record.SerialDays}, {Name: "millis", Type: record.Instant, Stored: record.EpochMillis},
	}
	var b bytes.Buffer
	w := New(CSV, &b, columns, time.UTC)
	require.NoError(t, w.Begin())
	require.NoError(t, w.Row([]record.Value{"05.03.2026 14:30", int64(20260305), 46086.5, int64(1772721015999)}))
	require.NoError(t, w.Row([]record.Value{"5.3.2026", int64(20260230), "soon", nil}))
	require.NoError(t, w.End(nil))
	assert.Equal(t, "wall,eight,serial,millis\r\n2026-03-05T14:30:00,2026-03-05,2026-03-05,2026-03-05T14:30:15Z\r\n5.3.2026,20260230,soon,\r\n", b.String())
}

func TestNDJSON(t *testing.T) {
	lines := bytes.Split([]byte(write(t, NDJSON)), []byte("\n"))
	require.Len(t, lines, 5)
	var got map[string]any
	require.NoError(t, json.Unmarshal(lines[1], &got))
	assert.Equal(t, map[string]any{"id": 2.0, "name, full": "", "fare": "12.00", "at": "2026-10-25T04:30:00+03:00", "on": "20260230"}, got)
}

func FuzzAppendString(f *testing.F) {
	f.Add("plain")
	f.Add("\"\\\n\x00\xff é")
	f.Fuzz(func(t *testing.T, s string) {
		var back string
		require.NoError(t, json.Unmarshal(AppendString(nil, s), &back))
		if utf8.ValidString(s) {
			require.Equal(t, s, back)
		}
	})
}
