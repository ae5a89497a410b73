package cli

import (
	"fmt"
	"net/http"
	"net/url"
	"strconv"

	"github.com/spf13/cobra"

	"pikegate/internal/api"
	"pikegate/internal/service/receipt"
)

func newHistory() *cobra.Command {
	var report, person, state, day, output string
	var most int
	var before int64
	c := &cobra.Command{
		Use:   "history",
		Short: "List what was run, the latest first",
		Example: `  pikegate history
  pikegate history --report late-sailings --state no_rows
  pikegate history --day yesterday --person "Ines Karrow"`,
		Args: arity(0, 0),
		RunE: calling(func(c *cobra.Command, client *client, _ []string) error {
			query := url.Values{}
			for name, value := range map[string]string{"report": report, "person": person, "state": state, "day": day} {
				if value != "" {
					query.Set(name, value)
				}
			}
			query.Set("limit", strconv.Itoa(most))
			if before > 0 {
				query.Set("before", strconv.FormatInt(before, 10))
			}
			var list api.ReceiptList
			if err := client.json(c.Context(), http.MethodGet, "/receipts?"+query.Encode(), nil, &list); err != nil {
				return err
			}
			return printed(c, output, list, func() { sayHistory(c, list) })
		}),
	}
	serverFlag(c)
	f := c.Flags()
	f.StringVar(&report, "report", "", "only runs of this report")
	f.StringVar(&person, "person", "", "only runs by this person")
	wordFlag(c, &state, "state", "", receipt.AllStates(), "only runs that ended so")
	f.StringVar(&day, "day", "", "only runs that started on this day")
	f.Int64Var(&before, "before", 0, "only receipts below this number")
	f.IntVar(&most, "most", 20, "most receipts")
	outputFlag(c, &output)
	return c
}

func sayHistory(c *cobra.Command, list api.ReceiptList) {
	out := c.OutOrStdout()
	if len(list.Receipts) == 0 {
		fmt.Fprintln(out, "Nothing was run that fits.")
		return
	}
	for _, r := range list.Receipts {
		what := r.ReadBack
		if what == "" {
			what = r.Problem
		}
		fmt.Fprintf(out, "%6d  %s  %-15s  %s  %s  %s\n        %s\n", r.ID, r.StartedAt.Local().Format("2006-01-02 15:04:05"), r.Person, r.Report, outcome(&r), took(r.TookMS), what)
	}
	if list.More {
		fmt.Fprintf(out, "There are more: --before %d\n", list.Receipts[len(list.Receipts)-1].ID)
	}
}

// outcome is how a run ended, in few words.
func outcome(r *receipt.Receipt) string {
	if r.State == receipt.Rows || r.State == receipt.NoRows {
		return recordsOf(r)
	}
	return string(r.State)
}

func took(ms float64) string {
	if ms >= 1000 {
		return fmt.Sprintf("%.1f s", ms/1000)
	}
	return fmt.Sprintf("%.0f ms", ms)
}
