package export

import (
	"bytes"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"pikegate/internal/core/column"
)

// pagesOf are the texts of the pages of a PDF, as a program reads them that has nothing to do with what
// wrote it.
func pagesOf(t *testing.T, pdf []byte) []string {
	t.Helper()
	file := filepath.Join(t.TempDir(), "p.pdf")
	require.NoError(t, os.WriteFile(file, pdf, 0o600))
	out, err := exec.Command("pdftotext", "-layout", file, "-").Output()
	require.NoError(t, err)
	return strings.Split(strings.TrimSuffix(string(out), "\f"), "\f")
}

func paperOf(t *testing.T, write func(p *Paper)) []string {
	t.Helper()
	zone, err := time.LoadLocation("Europe/Helsinki")
	require.NoError(t, err)
	var b bytes.Buffer
	p, err := NewPaper(&b, zone, map[string]string{"days": "Which days?"})
	require.NoError(t, err)
	write(p)
	return pagesOf(t, b.Bytes())
}

// A table on paper: what ran stands on the first page, the headings and the page's number on each.
func TestPaper(t *testing.T) {
	pages := paperOf(t, func(p *Paper) {
		s := p.Section(Head{Section: 1, Kind: "table", Label: "Trips"}, columns(t))
		require.NoError(t, s.Begin())
		for _, row := range rows {
			require.NoError(t, s.Row(values(row)))
		}
		for range 100 {
			require.NoError(t, s.Row(values([]any{int64(5), strings.Repeat("words that go on ", 9), 7.0, nil, "20260701"})))
		}
		require.NoError(t, p.End([]byte(receiptText)))
	})
	require.Greater(t, len(pages), 3)
	for _, want := range []string{"Trips\n", "All trips.", "Which days?", "Sun 25 Oct 2026", "routes", "left unanswered", "Receipt", "37be", "1 value cannot be read.", "Thu 5 Mar 2026", "Sun 25 Oct 2026 03:30 +03:00", "12.50", "20260230", "missing", "two lines, □□", "Fare (EUR)"} {
		assert.Contains(t, pages[0], want)
	}
	for i, page := range pages {
		if i < len(pages)-1 { // which may have the note alone
			assert.Contains(t, page, "Fare (EUR)")
		}
		assert.Contains(t, page, fmt.Sprintf("page %d of %d", i+1, len(pages)))
		assert.Contains(t, page, "receipt 7")
	}
	assert.Contains(t, pages[len(pages)-1], "The font lacks characters of 1 text")
	words := 0
	for _, page := range pages {
		words += strings.Count(strings.Join(strings.Fields(page), " "), "words")
	}
	assert.Equal(t, 900, words, "no word of a long text is lost")
}

// Figures, charts of each kind and tables with subtotals and totals; a section that failed says so.
func TestPaperOfSections(t *testing.T) {
	by := []*column.Column{{Name: "month", Type: column.Text, Label: "Month"}, {Name: "route", Type: column.Text, Label: "Route"}, {Name: "n", Type: column.Integer, Label: "Sailings"}}
	described := Columns(by, time.UTC)
	pages := paperOf(t, func(p *Paper) {
		figure := Head{Section: 1, Kind: "figure", Label: "Sailings"}
		s := p.Section(figure, by[2:])
		require.NoError(t, s.Row(values([]any{int64(16522)})))
		require.NoError(t, p.EndSection(figure, []byte(`{"value":16522,"unit":"trips","compare":[{"with":"previous","first":"2026-09-01","spelled":"September 2026","value":15910,"difference":612,"per_cent":"3.8"},{"with":"year-before","spelled":"nothing to compare with"}]}`)))
		for i, kind := range []string{"column", "line", "area", "bar", "share"} {
			least := map[string]int{"share": 1, "area": 0}[kind] - map[string]int{"line": 10, "bar": 10}[kind]
			head := Head{Section: i + 2, Kind: "chart", Label: "Drawn as " + kind, Columns: described, Chart: &Chart{Kind: kind, Across: "month", Up: "n", Split: "route", Stacked: kind == "area"}}
			s := p.Section(head, by)
			for month := range 12 {
				for r := range 8 {
					require.NoError(t, s.Row(values([]any{fmt.Sprintf("2026-%02d", month+1), fmt.Sprintf("route %d", r), int64(month*r + least)})))
				}
				require.NoError(t, s.Row(values([]any{nil, "others", nil})))
			}
			require.NoError(t, p.EndSection(head, []byte(`{"says":"By month."}`)))
		}
		table := Head{Section: 7, Kind: "table", Label: "All of them", Columns: described}
		s = p.Section(table, by)
		require.NoError(t, s.Row(values([]any{"2026-01", "Holm", int64(3)})))
		require.NoError(t, s.Row(values([]any{"2026-01", "Skerry", int64(4)})))
		require.NoError(t, p.EndSection(table, []byte(`{"subtotals":[{"value":"2026-01","rows":2,"totals":[{"column":"n","value":"7"}]}],"totals":[{"column":"n","value":"7"}]}`)))
		failed := Head{Section: 8, Kind: "table", Label: "What failed"}
		require.NoError(t, p.EndSection(failed, []byte(`{"problem":"the source does not answer"}`)))
		require.NoError(t, p.End([]byte(receiptText)))
	})
	text := strings.Join(pages, "\n")
	for _, want := range []string{"16,522 trips", "the period before: 15,910, +612 (3.8 %)", "a year before: nothing to compare with", "Drawn as share", "100 %", "route 7", "others", "By month.", "In all", "What failed", "the source does not answer"} {
		assert.Contains(t, text, want)
	}
	assert.NotContains(t, text, "120 %")
}

// What is more than paper is for is left out, and said.
func TestPaperEnds(t *testing.T) {
	pages := paperOf(t, func(p *Paper) {
		p.most = 1200
		s := p.Section(Head{Section: 1, Kind: "table"}, columns(t)[:1])
		for i := range p.most + 5 {
			require.NoError(t, s.Row(values([]any{int64(i)})))
		}
		require.NoError(t, p.End([]byte(receiptText)))
	})
	assert.Contains(t, pages[len(pages)-1], "These are the first 1,200 of 1,205 rows. CSV and XLSX have them all.")
	empty := paperOf(t, func(p *Paper) {
		p.Section(Head{Section: 1, Kind: "table"}, columns(t))
		require.NoError(t, p.End([]byte(receiptText)))
	})
	assert.Contains(t, empty[0], "No records.")
}

func TestTicks(t *testing.T) {
	for _, c := range []struct {
		least, most float64
		want        []float64
	}{{0, 100.00000001, []float64{0, 20, 40, 60, 80, 100}}, {0, 1, []float64{0, 0.2, 0.4, 0.6, 0.8, 1}}, {-10, 67, []float64{-20, 0, 20, 40, 60, 80}}, {0, 66, []float64{0, 20, 40, 60, 80}}, {0, 4e6, []float64{0, 1e6, 2e6, 3e6, 4e6}}} {
		got := ticks(c.least, c.most, 5)
		require.Len(t, got, len(c.want), "%v", got)
		for i := range got {
			assert.InDelta(t, c.want[i], got[i], 1e-9*math.Max(1, math.Abs(c.most)))
		}
	}
}
