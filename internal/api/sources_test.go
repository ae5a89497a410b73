package api_test

import (
	"bytes"
	"encoding/json"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"

	"pikegate/demo/demotest"
	"pikegate/internal/api"
	"pikegate/internal/core/fault"
	"pikegate/internal/load"
)

func decoded[T any](t *testing.T, text []byte) (value T) {
	t.Helper()
	require.NoError(t, json.Unmarshal(text, &value), "%s", text)
	return value
}

func testSources(t *testing.T, c *caller) {
	const sources, tables, table = "/api/v1/sources", "/api/v1/sources/{source}/tables", "/api/v1/sources/{source}/tables/{table}"
	status, text := c.do("GET", sources, sources, "")
	assert.Equal(t, http.StatusOK, status)
	assert.Equal(t, []api.SourceInfo{{Name: "harbour", Title: "Lantern Sound Ferries", Engine: "embedded", Zone: "Europe/Helsinki"}}, decoded[api.SourceList](t, text).Sources)

	status, text = c.do("GET", sources+"/harbour/tables", tables, "")
	assert.Equal(t, http.StatusOK, status)
	names := decoded[api.TableNames](t, text).Tables
	assert.Equal(t, api.TableKind{Name: "bookings", Kind: "table"}, names[0])
	assert.Contains(t, names, api.TableKind{Name: "waybills", Kind: "table"})
	status, text = c.do("GET", sources+"/harbor/tables", tables, "")
	assert.Equal(t, http.StatusNotFound, status)
	assert.Equal(t, `no source "harbor"; did you mean "harbour"?`, problem(t, text).Detail)

	status, text = c.do("GET", sources+"/harbour/tables/inspections", table, "")
	assert.Equal(t, http.StatusOK, status)
	info := decoded[api.TableInfo](t, text)
	assert.EqualValues(t, 3000, info.LookedAt)
	assert.False(t, info.Sampled)
	assert.Equal(t, []string{"inspection_id"}, info.Key)
	due := info.Columns[5]
	assert.Equal(t, []string{"due_on", "date", "text", "yyyy-MM-dd"}, []string{due.Name, due.Type, due.Stored, due.Pattern})
	assert.Positive(t, due.Missing)
	assert.Less(t, due.Least, due.Greatest)
	assert.Len(t, info.Rows, 5)
	assert.Contains(t, info.Proposal, "dataset: inspections\n")
	status, text = c.do("GET", sources+"/harbour/tables/"+url.PathEscape(`x"; DROP TABLE inspections`), table, "")
	assert.Equal(t, http.StatusNotFound, status)
	assert.EqualValues(t, "unknown_table", problem(t, text).Errors[0].Code)

	// What is proposed can be published as it is.
	for _, name := range []string{"sailings", "claims", "fuel_deliveries", "waybills", "customers"} {
		_, text := c.do("GET", sources+"/harbour/tables/"+name, table, "")
		proposal := strings.Replace(decoded[api.TableInfo](t, text).Proposal, "dataset: ", "dataset: proposed-", 1)
		upload, err := json.Marshal(map[string]any{"files": []map[string]string{{"name": "p.yaml", "text": proposal}}})
		require.NoError(t, err)
		status, text := c.do("POST", "/api/v1/definitions/check", "/api/v1/definitions/check", string(upload))
		assert.Equal(t, http.StatusOK, status)
		for _, f := range decoded[api.FindingList](t, text).Findings {
			assert.True(t, f.Warning, "%s: %s", name, f.Message)
		}
	}
}

func testLoads(t *testing.T, c *caller, ferries *demotest.Ferries) {
	const route = "/api/v1/loads/{table}"
	send := func(query, body string) (int, []byte) {
		return c.do("POST", "/api/v1/loads/berths"+query, route, body, "Content-Type", "application/octet-stream")
	}
	status, text := send("?dry=true", "berth,depth,since\n1,4.5,2026-03-25\n2,6,2026-04-01\n")
	assert.Equal(t, http.StatusOK, status)
	report := decoded[load.Report](t, text)
	assert.Equal(t, []string{"integer", "decimal", "date"}, []string{report.Columns[0].Type, report.Columns[1].Type, report.Columns[2].Type})
	assert.Equal(t, []int64{2, 0}, []int64{report.Read, report.Loaded})
	assert.Equal(t, []string{"0"}, ferries.Texts(t, "SELECT count(*) FROM sqlite_master WHERE name = 'berths'"))

	status, _ = send("?key=berth", "berth,depth,since\n1,4.5,2026-03-25\n2,6,2026-04-01\n")
	assert.Equal(t, http.StatusOK, status)
	status, text = send("", "berth,depth,since\n9,9,2026-03-25\n")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, problem(t, text).Detail, `the table "berths" is there already`)
	status, text = send("?mode=append", "berth,depth,since\n3,5,2026-04-02\n1,1,2026-01-01\n")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Equal(t, "1 row does not fit, in line 3: a record with the same key is there already; nothing was loaded", problem(t, text).Detail)
	assert.Equal(t, []string{"1 4.5", "2 6.0"}, ferries.Texts(t, "SELECT berth || ' ' || depth FROM berths ORDER BY berth"))
	status, text = send("?mode=update&key=berth&refuse=5", "berth,depth,since\n2,7,2026-04-01\n3,5,2026-04-02\nx,5,2026-04-02\n")
	assert.Equal(t, http.StatusOK, status)
	report = decoded[load.Report](t, text)
	assert.EqualValues(t, 2, report.Loaded)
	require.Len(t, report.Refused, 1)
	assert.Equal(t, 4, report.Refused[0].Line)
	assert.Contains(t, report.Refused[0].Reason, "a value is not of the kind that its column in the table holds")

	sheet := excelize.NewFile()
	for i, row := range [][]any{{"berth", "depth", "since"}, {2, 7.25, "2026-04-01"}, {3, 5, "2026-04-02"}} {
		cell, err := excelize.CoordinatesToCellName(1, i+1)
		require.NoError(t, err)
		require.NoError(t, sheet.SetSheetRow("Sheet1", cell, &row))
	}
	var file bytes.Buffer
	require.NoError(t, sheet.Write(&file))
	status, text = send("?mode=update&key=berth&format=xlsx", file.String())
	assert.Equal(t, http.StatusOK, status, "%s", text)
	assert.Equal(t, []string{"1 4.5", "2 7.25", "3 5.0"}, ferries.Texts(t, "SELECT berth || ' ' || depth FROM berths ORDER BY berth"))

	status, text = send("?format=pdf", "x")
	assert.Equal(t, http.StatusBadRequest, status)
	assert.Equal(t, fault.InvalidRequest, problem(t, text).Code)
	status, text = send("", "")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Equal(t, "the file is empty", problem(t, text).Detail)
	status, _ = c.do("POST", "/api/v1/loads/sqlite_master", route, "a\n1\n", "Content-Type", "application/octet-stream")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	_, err := ferries.Records.Exec("DROP TABLE berths")
	require.NoError(t, err)
}
