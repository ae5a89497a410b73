package load

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"io"
	"os"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/fault"
)

// repeated writes a text again and again.
type repeated struct {
	text string
	left int
	rest string
}

func (e *repeated) Read(p []byte) (n int, err error) {
	for n < len(p) {
		if e.rest == "" {
			if e.left == 0 {
				return n, io.EOF
			}
			e.left--
			e.rest = e.text
		}
		k := copy(p[n:], e.rest)
		e.rest = e.rest[k:]
		n += k
	}
	return n, nil
}

// xlsx is a file of a sheet and texts as they are given, each a start, a text so many times,
// and an end.
func xlsx(t *testing.T, sheet, texts []any) *bytes.Reader {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	put := func(name string, parts ...any) {
		w, err := z.Create(name)
		require.NoError(t, err)
		for _, p := range parts {
			switch p := p.(type) {
			case string:
				_, err = io.WriteString(w, p)
			case *repeated:
				_, err = io.Copy(w, p)
			}
			require.NoError(t, err)
		}
	}
	const office = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
	put("_rels/.rels", `<Relationships><Relationship Id="a" Type="`+office+`/officeDocument" Target="xl/workbook.xml"/></Relationships>`)
	put("xl/workbook.xml", `<workbook xmlns:r="`+office+`"><sheets><sheet name="One" r:id="s"/></sheets></workbook>`)
	put("xl/_rels/workbook.xml.rels", `<Relationships><Relationship Id="s" Type="`+office+`/worksheet" Target="sheet.xml"/><Relationship Id="t" Type="`+office+`/sharedStrings" Target="/xl/texts.xml"/></Relationships>`)
	put("xl/sheet.xml", sheet...)
	put("xl/texts.xml", texts...)
	require.NoError(t, z.Close())
	return bytes.NewReader(b.Bytes())
}

const sheetStart, sheetEnd = `<worksheet><sheetData><row><c t="inlineStr"><is><t>id</t></is></c></row>`, `</sheetData></worksheet>`

// Files that would fill the memory or never end are refused by a word that tells why, soon,
// in some tens of MiB; also where nothing is to be written.
func TestFilesThatHoldTooMuch(t *testing.T) {
	sst := []any{"<sst></sst>"}
	for _, c := range []struct {
		name   string
		format Format
		file   io.Reader
		code   fault.Code
	}{
		{"a field without end", CSV, io.MultiReader(strings.NewReader("id\n\""), &repeated{"x", 300 << 20, ""}), fault.FieldTooLong},
		{"a header without end", CSV, &repeated{"x", 300 << 20, ""}, fault.FieldTooLong},
		{"a long field", CSV, strings.NewReader("id\n" + strings.Repeat("x", 1<<20+1)), fault.FieldTooLong},
		{"a row of many lines", CSV, io.MultiReader(strings.NewReader("id\n\""), &repeated{"\n", 100 << 20, ""}), fault.FieldTooLong},
		{"many columns", CSV, strings.NewReader(strings.Repeat("a,", 100_000) + "\n"), fault.TooManyColumns},
		{"many fields in a later row", CSV, strings.NewReader("id\n1\n" + strings.Repeat("a,", 3000) + "\n"), fault.TooManyColumns},
		{"a member without end", NDJSON, io.MultiReader(strings.NewReader(`{"a": "`), &repeated{"x", 300 << 20, ""}), fault.FieldTooLong},
		{"a long member", JSON, strings.NewReader(`[{"a": "` + strings.Repeat("x", 1<<20+1) + `"}]`), fault.FieldTooLong},
		{"a list in a member", NDJSON, io.MultiReader(strings.NewReader(`{"a": [`), &repeated{"1,", 100 << 20, ""}), fault.FieldTooLong},
		{"blanks without end", NDJSON, io.MultiReader(strings.NewReader(`{"a": 1}`), &repeated{" ", 100 << 20, ""}), fault.FieldTooLong},
		{"many members", NDJSON, strings.NewReader("{" + strings.Repeat(`"a":1,`, 3000) + `"b":1}`), fault.TooManyColumns},
		{"many names of members", NDJSON, &repeated{`{"a": 1}`, 1, distinct(3000)}, fault.TooManyColumns},
		{"a cell in the last column", XLSX, xlsx(t, []any{sheetStart, &repeated{`<row><c r="XFD2"><v>1</v></c></row>`, 20_000, ""}, sheetEnd}, sst), fault.TooManyColumns},
		{"a cell without end", XLSX, xlsx(t, []any{sheetStart, `<row><c t="str"><v>`, &repeated{"x", 12 << 20, ""}, `</v></c></row>`, sheetEnd}, sst), fault.FieldTooLong},
		{"rows that are nearly nothing when packed", XLSX, xlsx(t, []any{sheetStart, &repeated{`<row><c><v>1</v></c></row>`, 2 << 20, ""}, sheetEnd}, sst), fault.UnpacksTooLarge},
		{"a shared text without end", XLSX, xlsx(t, []any{sheetStart, sheetEnd}, []any{"<sst><si><t>", &repeated{"x", 12 << 20, ""}, "</t></si></sst>"}), fault.FieldTooLong},
		{"elements in each other", XLSX, xlsx(t, []any{"<worksheet><sheetData><row>", &repeated{"<a>", 1 << 20, ""}}, sst), fault.FileNotRead},
		{"no sheet", XLSX, xlsx(t, []any{""}, sst), fault.FileNotRead},
		{"a text that is not there", XLSX, xlsx(t, []any{sheetStart, `<row><c t="s"><v>7</v></c></row>`, sheetEnd}, sst), fault.FileNotRead},
		{"a cell that is nowhere", XLSX, xlsx(t, []any{sheetStart, `<row><c r="7"><v>7</v></c></row>`, sheetEnd}, sst), fault.FileNotRead},
	} {
		t.Run(c.name, func(t *testing.T) {
			for _, dry := range []bool{true, false} {
				most := watched(t)
				start := time.Now()
				_, err := Load(ctx, database(t), c.file, Request{Table: "t", Format: c.format, Dry: dry})
				var refused *Error
				require.ErrorAs(t, err, &refused)
				assert.EqualValues(t, c.code, refused.Code, refused.Message)
				assert.Less(t, time.Since(start), time.Minute)
				assert.Less(t, most(), uint64(64<<20))
				if again, ok := c.file.(io.Seeker); ok {
					_, err = again.Seek(0, io.SeekStart)
					require.NoError(t, err)
				} else {
					break // it was read
				}
			}
		})
	}
}

func distinct(n int) string {
	var b strings.Builder
	for i := range n {
		fmt.Fprintf(&b, `{"m%d": 1}`, i)
	}
	return b.String()
}

// watched tells how many bytes of heap there were at most beyond what there was before.
func watched(t *testing.T) func() uint64 {
	runtime.GC()
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	before, most := m.HeapAlloc, m.HeapAlloc
	done, ended := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(ended)
		for {
			select {
			case <-done:
				return
			case <-time.After(5 * time.Millisecond):
				runtime.ReadMemStats(&m)
				most = max(most, m.HeapAlloc)
			}
		}
	}()
	return func() uint64 {
		close(done)
		<-ended
		return most - before
	}
}

// What an ordinary team has is loaded, in the same memory: wide files, and workbooks of many
// rows and texts.
func TestLargeFilesOfOrdinaryTeams(t *testing.T) {
	var wide strings.Builder
	for i := range 1000 {
		fmt.Fprintf(&wide, "c%d,", i)
	}
	wide.WriteString("last\n")
	for range 500 {
		wide.WriteString(strings.Repeat("1,", 1000) + "x\n")
	}
	rows := &repeated{`<row><c t="s"><v>0</v></c><c t="s"><v>1</v></c><c><v>12.5</v></c></row>`, 60_000, ""}
	texts := []any{"<sst><si><t>Skipper</t></si><si><r><t>Outer </t></r><r><t>Loop</t></r><rPh><t>no</t></rPh></si>", &repeated{"<si><t>some other text that nobody asks for</t></si>", 200_000, ""}, "</sst>"}
	for name, c := range map[string]struct {
		file   io.Reader
		format Format
		rows   int64
	}{
		"wide": {strings.NewReader(wide.String()), CSV, 500},
		"long": {xlsx(t, []any{`<worksheet><sheetData><row><c t="str"><v>who</v></c><c t="str"><v>where</v></c><c t="str"><v>fare</v></c></row>`, rows, sheetEnd}, texts), XLSX, 60_000},
	} {
		t.Run(name, func(t *testing.T) {
			most := watched(t)
			report, err := Load(ctx, database(t), c.file, Request{Table: "t", Format: c.format})
			require.NoError(t, err)
			assert.Equal(t, c.rows, report.Loaded)
			assert.Less(t, most(), uint64(64<<20))
			if c.format == XLSX {
				assert.Equal(t, []string{"Skipper", "Outer Loop", "12.5"}, report.Sample[0])
			}
		})
	}
}

// A load that is cancelled ends at once, and nothing of it is left.
func TestALoadThatIsCancelled(t *testing.T) {
	db := database(t)
	stopped, cancel := context.WithCancel(ctx)
	from := io.MultiReader(strings.NewReader("id\n"), &repeated{"1\n", 50_000, ""}, stopping{cancel}, &repeated{"1\n", 50 << 20, ""})
	start := time.Now()
	_, err := Load(stopped, db, from, Request{Table: "t"})
	assert.ErrorIs(t, err, context.Canceled)
	assert.Less(t, time.Since(start), time.Minute)
	var n int
	require.NoError(t, db.QueryRow("SELECT count(*) FROM sqlite_master").Scan(&n))
	assert.Zero(t, n)
	open, err := os.ReadDir("/proc/self/fd")
	require.NoError(t, err)
	assert.Less(t, len(open), 100)
}

// stopping calls something when it is read.
type stopping struct{ stop func() }

func (s stopping) Read([]byte) (int, error) {
	s.stop()
	return 0, io.EOF
}

// Names that mean something to SQLite, or nothing to people, are none for tables and columns.
func TestNamesOfTables(t *testing.T) {
	for _, name := range []string{"", " ", " t", "t ", "a\x00b", "a\nb", "caf\xe9", "main.x", "x.y", `a"b`, "a'b", "[a]", "a;b", "sqlite_x", "SQLITE_master", "pragma_table_info", "PRAGMA_x", "json_each", "fts5", "rtree", "dbstat",
		"generate_series", "main", "temp", strings.Repeat("x", 201)} {
		err := CheckTable(name)
		var refused *Error
		require.ErrorAs(t, err, &refused, name)
		assert.Equal(t, fault.TableDoesNotFit, refused.Code)
		assert.Less(t, len(refused.Message), 200)
	}
	for _, name := range []string{"sailings", "Sailings 2026", "größen", "a-b", "late_sailings", strings.Repeat("x", 200)} {
		assert.NoError(t, CheckTable(name), name)
	}
	db := database(t)
	_, err := db.Exec("CREATE TABLE trips (id INTEGER); CREATE VIEW seen AS SELECT * FROM trips; CREATE INDEX by_id ON trips (id)")
	require.NoError(t, err)
	for name, says := range map[string]string{
		"seen": `the name "seen" is taken by a thing of the kind view; give the table another one`, "by_id": `the name "by_id" is taken by a thing of the kind index; give the table another one`,
		"Trips": `there is a table "trips", and capital letters make no difference to the names of tables; load into that one, or give the new one another name`,
	} {
		_, err := Load(ctx, db, strings.NewReader("id\n1\n"), Request{Table: name, Mode: Replace})
		assert.EqualError(t, err, says)
	}
	for header, says := range map[string]string{"a\x01b\n1\n": "has a character in it that is not shown", "caf\xe9\n1\n": "is not UTF-8", strings.Repeat("x", 300) + "\n1\n": "is longer than 200 bytes"} {
		_, err := Load(ctx, db, strings.NewReader(header), Request{Table: "t"})
		assert.ErrorContains(t, err, says)
	}
}
