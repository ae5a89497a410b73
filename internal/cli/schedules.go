package cli

import (
	"cmp"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"pikegate/internal/api"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/english"
	"pikegate/internal/core/prompt"
	"pikegate/internal/service/schedule"
)

func newSchedules() *cobra.Command {
	var output string
	c := &cobra.Command{
		Use:   "schedules [NAME]",
		Short: "Schedules, when they run next and what their answers will mean then",
		Long: `List the schedules of reports, or show one: its next ten times, what each answer will
mean then, and what became of the last ones. Schedules of a team are definitions,
which developers publish; set makes one of your own.`,
		Example: `  pikegate schedules
  pikegate schedules late-yesterday`,
		Args: arity(0, 1),
		RunE: calling(func(c *cobra.Command, client *client, args []string) error {
			if len(args) == 1 {
				var told schedule.ScheduleInfo
				if err := client.json(c.Context(), http.MethodGet, schedulePath(args[0]), nil, &told); err != nil {
					return err
				}
				return printed(c, output, told, func() { printSchedule(c, told) })
			}
			var list api.ScheduleList
			if err := client.json(c.Context(), http.MethodGet, "/schedules", nil, &list); err != nil {
				return err
			}
			return printed(c, output, list, func() {
				if len(list.Schedules) == 0 {
					fmt.Fprintln(c.OutOrStdout(), "There are no schedules. pikegate schedules set makes one of your own.")
				}
				for _, s := range list.Schedules {
					next := "never"
					if len(s.Next) > 0 {
						next = clockIn(s.Next[0].At, s.Zone)
					}
					fmt.Fprintf(c.OutOrStdout(), "%-24s %s; next %s; %s's\n", s.Name, cmp.Or(s.At, "not read"), next, s.Person)
					if s.Problem != "" {
						fmt.Fprintf(c.OutOrStdout(), "%-24s ! %s\n", "", indented(s.Problem, strings.Repeat(" ", 27)))
					}
				}
			})
		}),
	}
	serverFlag(c)
	outputFlag(c, &output)
	c.AddCommand(newSchedulesSet(), newSchedulesDrop(), newSchedulesRun())
	return c
}

func schedulePath(name string) string { return "/schedules/" + url.PathEscape(name) }

// clockIn is a time as clocks in a zone show it.
func clockIn(at time.Time, zone string) string {
	if z, err := civil.LoadZone(zone); err == nil {
		at = at.In(z)
	}
	return at.Format("Mon 2 Jan 2006 15:04")
}

func printSchedule(c *cobra.Command, s schedule.ScheduleInfo) {
	out := c.OutOrStdout()
	what := fmt.Sprintf("%s (%s)", cmp.Or(s.Title, s.Report), s.Report)
	if s.Check != "" {
		what = "checks " + s.Check
	}
	fmt.Fprintf(out, "%s: %s, %s, %s.\n", s.Name, what, cmp.Or(s.At, "not read"), s.Zone)
	fmt.Fprintf(out, "Runs with what %s may. What was missed is %s.\n", s.Person, map[string]string{"once": "run once", "skip": "left out"}[s.Missed])
	for _, to := range s.Send {
		fmt.Fprintf(out, "  sends a %s\n", to)
	}
	if s.Problem != "" {
		fmt.Fprintf(out, "! %s\n", indented(s.Problem, "  "))
	}
	if len(s.Next) > 0 {
		fmt.Fprintln(out, "\nNext:")
	}
	for _, n := range s.Next {
		var answers []string
		for _, a := range n.Answers {
			if a.Given {
				answers = append(answers, a.Prompt+": "+a.Spelled)
			}
		}
		fmt.Fprintf(out, "  %s  %s\n", clockIn(n.At, s.Zone), cmp.Or(n.Problem, strings.Join(answers, "; ")))
	}
	if len(s.Last) > 0 {
		fmt.Fprintln(out, "\nLast:")
	}
	for _, p := range s.Last {
		receipt := ""
		if p.Receipt > 0 {
			receipt = fmt.Sprintf(", receipt %d", p.Receipt)
		}
		fmt.Fprintf(out, "  %s  %s%s %s\n", clockIn(p.At, s.Zone), map[string]string{"claimed": "under way", "done": "done", "failed": "failed", "skipped": "left out"}[p.State], receipt, indented(p.Problem, "    "))
		for _, d := range p.Deliveries {
			fmt.Fprintf(out, "    %s to %s: %s %s\n", d.Kind, d.Recipient, strings.ReplaceAll(d.State, "_", " "), d.Problem)
		}
	}
}

func newSchedulesSet() *cobra.Command {
	n := api.NewSchedule{Answers: map[string]prompt.Entered{}}
	var given []string
	c := &cobra.Command{
		Use:   "set NAME",
		Short: "Make a schedule of your own, which sends a report's result by mail",
		Example: `  pikegate schedules set my-late-boats --report late-sailings --answer travel-period=yesterday \
      --at "weekdays at 06:30" --mail arvid@example.test --attach xlsx --when records`,
		Args: arity(1, 1),
		RunE: calling(func(c *cobra.Command, client *client, args []string) (err error) {
			if n.Answers, err = parseAnswers(given); err != nil {
				return err
			}
			var told schedule.ScheduleInfo
			if err := client.json(c.Context(), http.MethodPut, schedulePath(args[0]), n, &told); err != nil {
				return err
			}
			printSchedule(c, told)
			return nil
		}),
	}
	serverFlag(c)
	c.Flags().StringVar(&n.Report, "report", "", "name of the report")
	c.Flags().StringArrayVar(&given, "answer", nil, "an answer, NAME=VALUE; may be said several times")
	c.Flags().StringVar(&n.At, "at", "", `when, such as "weekdays at 06:30"`)
	c.Flags().StringVar(&n.Zone, "zone", "", "IANA zone whose clocks show the times; that of the report unless said")
	c.Flags().StringVar(&n.Missed, "missed", "", "what becomes of times that pass while the service is down: once or skip")
	c.Flags().StringArrayVar(&n.Mail.To, "mail", []string{}, "the address of somebody who gets the result; may be said several times")
	c.Flags().StringArrayVar(&n.Mail.Attach, "attach", nil, "a format in which it is attached: csv, xlsx, pdf, json or ndjson; may be said several times")
	c.Flags().StringVar(&n.Mail.When, "when", "", "on which results: always, records, changed, or records more than 10")
	return c
}

func newSchedulesDrop() *cobra.Command {
	c := &cobra.Command{
		Use:   "drop NAME",
		Short: "Drop a schedule of your own",
		Args:  arity(1, 1),
		RunE: calling(func(c *cobra.Command, client *client, args []string) error {
			if err := client.json(c.Context(), http.MethodDelete, schedulePath(args[0]), nil, nil); err != nil {
				return err
			}
			fmt.Fprintf(c.OutOrStdout(), "%s is dropped.\n", args[0])
			return nil
		}),
	}
	serverFlag(c)
	return c
}

func newSchedulesRun() *cobra.Command {
	c := &cobra.Command{
		Use:   "run NAME",
		Short: "Run a schedule now, beside its times, and send what it sends",
		Args:  arity(1, 1),
		RunE: calling(func(c *cobra.Command, client *client, args []string) error {
			var told schedule.ScheduleInfo
			if err := client.json(c.Context(), http.MethodPost, schedulePath(args[0])+"/runs", nil, &told); err != nil {
				return err
			}
			last := told.Last[0]
			fmt.Fprintf(c.OutOrStdout(), "%s, %s.\n", map[string]string{"claimed": "It is tried again soon", "done": "Done", "failed": "Failed"}[last.State], english.Count(len(last.Deliveries), "recipient"))
			if last.Problem != "" {
				fmt.Fprintf(c.OutOrStdout(), "  ! %s\n", indented(last.Problem, "    "))
			}
			for _, d := range last.Deliveries {
				fmt.Fprintf(c.OutOrStdout(), "  %s to %s: %s %s\n", d.Kind, d.Recipient, strings.ReplaceAll(d.State, "_", " "), d.Problem)
			}
			return nil
		}),
	}
	serverFlag(c)
	return c
}
