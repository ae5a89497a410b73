package export

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"io"
	"strings"
	"testing"
	"time"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/civil"
	"pikegate/internal/core/column"
	"pikegate/internal/core/value"
)

func columns(t *testing.T) []*column.Column {
	t.Helper()
	instant, err := column.ParsePattern("yyyy-MM-dd HH:mm:ss")
	require.NoError(t, err)
	date, err := column.ParsePattern("yyyyMMdd")
	require.NoError(t, err)
	return []*column.Column{
		{Name: "id", Type: column.Integer, Label: "No."}, {Name: "name, full", Type: column.Text, Label: "Name"},
		{Name: "fare", Type: column.Decimal, Scale: 2, Label: "Fare", Unit: "EUR"},
		{Name: "at", Type: column.Instant, Stored: column.StoredText, Pattern: instant, Label: "At"},
		{Name: "on", Type: column.Date, Stored: column.StoredText, Pattern: date, Label: "On"},
	}
}

var rows = [][]any{
	{int64(1), "O'Dell \"& Sons\"", 12.5, "2026-10-25 00:30:00", "20260305"},
	{int64(2), "", int64(12), "2026-10-25 01:30:00", "20260230"},
	{int64(3), nil, nil, nil, nil},
	{int64(4), "two\r\nlines, 北浜\t\x01", 0.1, "n/a", "00010101"},
}

func values(row []any) []value.Value {
	all := make([]value.Value, len(row))
	for i, v := range row {
		all[i] = stored(v)
	}
	return all
}

// stored is a value as a driver hands it on.
func stored(v any) value.Value {
	switch v := v.(type) {
	case int64:
		return value.Whole(v)
	case float64:
		return value.Real(v)
	case string:
		return value.Chars(v)
	case value.Value:
		return v
	}
	return value.Value{}
}

func write(t *testing.T, f Format) string {
	t.Helper()
	zone := time.FixedZone("", 3*3600)
	var b bytes.Buffer
	w := New(f, &b, columns(t), zone)
	require.NoError(t, w.Begin())
	for _, row := range rows {
		require.NoError(t, w.Row(values(row)))
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
	wall, err := column.ParsePattern("dd.MM.yyyy HH:mm")
	require.NoError(t, err)
	columns := []*column.Column{
		{Name: "wall", Type: column.Datetime, Stored: column.StoredText, Pattern: wall}, {Name: "eight", Type: column.Date, Stored: column.EightDigits},
		{Name: "serial", Type: column.Date, Stored: column.SerialDays}, {Name: "millis", Type: column.Instant, Stored: column.EpochMillis},
		{Name: "native", Type: column.Datetime, Stored: column.Native},
	}
	var b bytes.Buffer
	w := New(CSV, &b, columns, time.UTC)
	require.NoError(t, w.Begin())
	require.NoError(t, w.Row(values([]any{"05.03.2026 14:30", int64(20260305), 46086.5, int64(1772721015999), "2026-03-05 14:30:15.250000"})))
	require.NoError(t, w.Row(values([]any{"5.3.2026", int64(20260230), "soon", nil, "2026-03-05 14:30:00"})))
	require.NoError(t, w.Row(values([]any{nil, nil, nil, int64(-1), "infinity"})))
	require.NoError(t, w.End(nil))
	assert.Equal(t, "wall,eight,serial,millis,native\r\n2026-03-05T14:30:00,2026-03-05,2026-03-05,2026-03-05T14:30:15.999Z,2026-03-05T14:30:15.25\r\n"+
		"5.3.2026,20260230,soon,,2026-03-05T14:30:00\r\n,,,1969-12-31T23:59:59.999Z,infinity\r\n", b.String())
}

// However a database writes a number, it goes out the same.
func TestNumbersOfEveryEngine(t *testing.T) {
	for _, c := range []struct {
		column column.Column
		values []value.Value
		want   string
	}{
		{column.Column{Type: column.Decimal, Scale: 2}, []value.Value{value.Real(12.5), value.Digits("12.5"), value.Digits("12.50"), value.Digits("12.500"), value.Chars("12.50")}, "12.50"},
		{column.Column{Type: column.Decimal, Scale: 2}, []value.Value{value.Whole(12), value.Real(12), value.Digits("12"), value.Digits("12.0")}, "12.00"},
		{column.Column{Type: column.Decimal, Scale: 2}, []value.Value{value.Digits("NaN")}, "NaN"},
		{column.Column{Type: column.Decimal}, []value.Value{value.Whole(-7), value.Real(-7), value.Digits("-7")}, "-7"},
		{column.Column{Type: column.Integer}, []value.Value{value.Whole(1 << 60), value.Digits("1152921504606846976")}, "1152921504606846976"},
		{column.Column{Type: column.Number}, []value.Value{value.Real(0.1)}, "0.1"},
		{column.Column{Type: column.YesNo}, []value.Value{value.Whole(1)}, "yes"},
		{column.Column{Type: column.YesNo}, []value.Value{value.Chars("perhaps")}, "perhaps"},
	} {
		for _, v := range c.values {
			var b bytes.Buffer
			w := New(CSV, &b, []*column.Column{&c.column}, time.UTC)
			require.NoError(t, w.Row([]value.Value{v}))
			require.NoError(t, w.End(nil))
			assert.Equal(t, c.want+"\r\n", b.String(), "%+v", v)
		}
	}
}

// flushed remembers what had been written when it was told to hand it on.
type flushed struct {
	bytes.Buffer
	at []string
}

func (f *flushed) Flush() { f.at = append(f.at, f.String()) }

// What was written can be handed on before the end: in JSON with a line that ends the
// rows, so that they can be read; the whole is the same as without.
func TestHandingOn(t *testing.T) {
	for format, want := range map[Format]string{CSV: "id\r\n7\r\n", NDJSON: "{\"id\":7}\n", JSON: `{"columns":[{"name":"id","type":"integer","label":""}],"rows":[` + "\n[7]\n]",
		Events: `{"event":"start","columns":[{"name":"id","type":"integer","label":""}]}` + "\n" + `{"event":"row","values":[7]}` + "\n" + `{"event":"rows_end"}` + "\n"} {
		var early flushed
		var late bytes.Buffer
		for i, to := range []io.Writer{&early, &late} {
			w := New(format, to, []*column.Column{{Name: "id", Type: column.Integer}}, time.UTC)
			require.NoError(t, w.Begin())
			require.NoError(t, w.Row([]value.Value{value.Whole(7), value.Whole(8)}), "more values than columns")
			if i == 0 {
				require.NoError(t, w.Flush())
			}
			require.NoError(t, w.End([]byte("{}")))
		}
		assert.Equal(t, []string{want}, early.at, format)
		assert.Equal(t, late.String(), early.String(), format)
	}
}

func TestNDJSON(t *testing.T) {
	lines := bytes.Split([]byte(write(t, NDJSON)), []byte("\n"))
	require.Len(t, lines, 5)
	var got map[string]any
	require.NoError(t, json.Unmarshal(lines[1], &got))
	assert.Equal(t, map[string]any{"id": 2.0, "name, full": "", "fare": "12.00", "at": "2026-10-25T04:30:00+03:00", "on": "20260230"}, got)
}

func FuzzStrings(f *testing.F) {
	f.Add("plain")
	f.Add("\"\\\n\x00\xff é")
	f.Fuzz(func(t *testing.T, s string) {
		var back string
		require.NoError(t, json.Unmarshal(value.AppendJSON(nil, s), &back))
		if utf8.ValidString(s) {
			require.Equal(t, s, back)
		}
	})
}

// An offset with seconds has no place in RFC 3339: such an instant is sent in UTC, and not
// half a minute off.
func TestOffsetsWithSeconds(t *testing.T) {
	monrovia, err := civil.LoadZone("Africa/Monrovia")
	require.NoError(t, err)
	columns := []*column.Column{{Name: "at", Type: column.Instant, Stored: column.EpochSeconds}}
	for text, want := range map[string]string{"1972-01-01T00:00:00Z": "1972-01-01T00:00:00Z", "1972-02-01T00:00:00Z": "1972-02-01T00:00:00Z", "1900-01-01T00:00:00Z": "1900-01-01T00:00:00Z"} {
		at, err := time.Parse(time.RFC3339, text)
		require.NoError(t, err)
		var out bytes.Buffer
		w := New(NDJSON, &out, columns, monrovia)
		require.NoError(t, w.Begin())
		require.NoError(t, w.Row([]value.Value{value.Whole(at.Unix())}))
		require.NoError(t, w.End(nil))
		var row struct{ At time.Time }
		require.NoError(t, json.Unmarshal(out.Bytes(), &row))
		assert.Equal(t, at.Unix(), row.At.Unix(), "%s came as %s", text, out.String())
		if strings.HasPrefix(text, "1972-01") {
			assert.Contains(t, out.String(), want)
		}
	}
}

// CSV for spreadsheets has nothing that such a program would run; CSV is true to the data.
func TestFormulasInCSV(t *testing.T) {
	for text, safe := range map[string]string{
		"=cmd|' /C calc'!A0": "\"'=cmd|' /C calc'!A0\"", "+1": `"'+1"`, "@SUM(A1)": `"'@SUM(A1)"`, "-2+3": `"'-2+3"`, "\t=1": "\"'\t=1\"", "\r=1": "\"'\r=1\"", "\uff1d1": "\"'\uff1d1\"", "=\"x\"": `"'=""x"""`,
		"-5": "-5", "-5.25": "-5.25", "plain": "plain", "a=b": "a=b", " =1": " =1", "": `""`,
	} {
		for isSafe, want := range map[bool]string{true: safe, false: text} {
			var b bytes.Buffer
			w := NewCSV(CSVForm{Safe: isSafe}, &b, []*column.Column{{Name: "=note", Type: column.Text}}, time.UTC)
			require.NoError(t, w.Begin())
			require.NoError(t, w.Row([]value.Value{value.Chars(text)}))
			require.NoError(t, w.End(nil))
			if isSafe {
				require.Equal(t, "\"'=note\"\r\n"+want+"\r\n", b.String())
				continue
			}
			rows, err := csv.NewReader(&b).ReadAll()
			require.NoError(t, err)
			if text != "\r=1" { // of which Go's reader takes the return for a part of a line's end
				require.Equal(t, [][]string{{"=note"}, {want}}, rows)
			}
		}
	}
}

// CSV as its reader chooses: another separator, a decimal comma, dates in a pattern and times as
// clocks showed them, an hour that comes twice with its offset.
func TestCSVByChoice(t *testing.T) {
	zone, err := time.LoadLocation("Europe/Helsinki")
	require.NoError(t, err)
	write := func(form CSVForm) string {
		var b bytes.Buffer
		w := NewCSV(form, &b, columns(t), zone)
		require.NoError(t, w.Begin())
		for _, row := range rows {
			require.NoError(t, w.Row(values(row)))
		}
		require.NoError(t, w.Row(values([]any{int64(-5), "-1;5", -2.5, "2026-07-01 09:00:30", "20260701"})))
		require.NoError(t, w.End(nil))
		return b.String()
	}
	assert.Equal(t, "\ufeffid;name, full;fare;at;on\r\n"+
		"1;\"O'Dell \"\"& Sons\"\"\";12,50;25.10.2026 03:30:00 +03:00;05.03.2026\r\n"+
		"2;\"\";12,00;25.10.2026 03:30:00 +02:00;20260230\r\n3;;;;\r\n"+
		"4;\"two\r\nlines, 北浜\t\x01\";0,10;n/a;01.01.0001\r\n"+
		"-5;\"'-1;5\";-2,50;01.07.2026 12:00:30;01.07.2026\r\n",
		write(CSVForm{Mark: true, Separator: ';', Comma: true, Dates: column.MustPattern("dd.MM.yyyy"), Safe: true}))
	assert.Contains(t, write(CSVForm{Comma: true, Dates: column.MustPattern("M/d/yy")}), "\r\n-5,-1;5,\"-2,50\",7/1/26 12:00:30,7/1/26\r\n", "a comma within a field puts it in quotes")
	assert.Contains(t, write(CSVForm{Separator: '\t', Dates: column.MustPattern("d MMM yyyy")}), "\r\n-5\t-1;5\t-2.50\t1 Jul 2026 12:00:30\t1 Jul 2026\r\n")
	assert.Contains(t, write(CSVForm{Separator: '\t', Comma: true}), "\t12,50\t2026-10-25T03:30:00+03:00\t2026-03-05\r\n", "dates stay in ISO 8601 where nothing is said of them")
}
