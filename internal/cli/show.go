package cli

import (
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"github.com/spf13/cobra"

	"pikegate/internal/api"
	"pikegate/internal/core/english"
	"pikegate/internal/service/answer"
)

func newShow() *cobra.Command {
	c := &cobra.Command{
		Use:               "show REPORT",
		Short:             "Show what a report asks, in words",
		Example:           "  pikegate show late-sailings",
		Args:              arity(1, 1),
		ValidArgsFunction: completeReports,
		RunE: calling(func(c *cobra.Command, client *client, args []string) error {
			asOf, _ := c.Flags().GetString("as-of")
			r, err := client.report(c.Context(), args[0], asOf)
			if err != nil {
				return err
			}
			defaults, err := client.understand(c.Context(), args[0], api.Asked{AsOf: asOf})
			if err != nil {
				return err
			}
			show(c.OutOrStdout(), r, defaults.Answers)
			return nil
		}),
	}
	serverFlag(c)
	asFlag(c)
	c.Flags().String("as-of", "", "the day to take for today")
	return c
}

func show(w io.Writer, r *api.ReportInfo, defaults []answer.Understood) {
	fmt.Fprintln(w, strings.TrimSuffix(r.Title+". "+r.About, ". "))
	for i, p := range r.Prompts {
		fmt.Fprintf(w, "\n%s\n  %s\n", p.Name, strings.TrimSpace(p.Ask+" "+p.Help))
		fmt.Fprintf(w, "  %s\n", wanted(p))
		if d := defaults[i]; d.Default {
			fmt.Fprintf(w, "  if absent: %s\n", defaultText(d))
		} else if !p.Required {
			fmt.Fprintf(w, "  if absent: no condition\n")
		}
		width := 0
		for _, o := range p.Offers {
			width = max(width, utf8.RuneCountInString(o.Phrase))
		}
		for _, o := range p.Offers {
			fmt.Fprintf(w, "  offered: %-*s  %s\n", width, o.Phrase, o.Spelled+o.Refused)
		}
		if n := len(p.Units); n > 0 {
			fmt.Fprintf(w, "  data from %s to %s\n", p.Units[n-1].Phrase, p.Units[0].Phrase)
		}
		if p.Listed {
			fmt.Fprintln(w, "  choices: from the data")
		}
		if len(p.Choices) > 0 {
			fmt.Fprintf(w, "  choices: %s\n", strings.Join(choiceTexts(p), ", "))
		}
	}
	labels := make([]string, len(r.Columns))
	for i, c := range r.Columns {
		labels[i] = c.Label
	}
	fmt.Fprintf(w, "\nShows %s of %s.\nToday is %s, %s.\n", strings.Join(labels, ", "), strings.ToLower(r.Records), r.AsOf.Spelled(), r.Clock)
}

// defaultText is the default as it was written and, where that says more, as
// it is understood.
func defaultText(d answer.Understood) string {
	written := d.Entered.String()
	if written == d.Spelled {
		return written
	}
	return fmt.Sprintf("%s, which is %s", written, d.Spelled)
}

func choiceTexts(p api.PromptInfo) []string {
	all := make([]string, len(p.Choices))
	for i, c := range p.Choices {
		all[i] = c.Value
		if c.Label != c.Value {
			all[i] = fmt.Sprintf("%s (%s)", c.Value, c.Label)
		}
	}
	return all
}

// kindOfAnswer says what an answer is, by the type of its prompt. Each type has its words, so
// that this is a long list and no more.
func kindOfAnswer(p api.PromptInfo) string {
	switch {
	case p.Type == "day":
		return "one day"
	case p.Type == "days":
		return "single days"
	case p.Type == "period":
		return "a period of whole days"
	case p.Type == "moment":
		return "a day with a time of day"
	case p.Type == "moment-period":
		return "a period with times of day"
	case p.Type == "time-range":
		return "a part of the day, such as 06:00 to 09:00"
	case p.Pair:
		return "a first and a last " + p.Type
	case p.Type == "month" || p.Type == "quarter" || p.Type == "year":
		return "one " + p.Type
	case p.Type == "text":
		return "a text"
	case p.Type == "yes-no":
		return "yes or no"
	case p.Type == "number-range":
		return "a least and a greatest number, such as 15 to 60"
	case p.Type == "number" && p.Unit != "":
		return "a number, in " + p.Unit
	case p.Type == "number":
		return "a number"
	case p.Many:
		return "any of the choices"
	}
	return "one of the choices"
}

// wanted says in words what a prompt wants.
func wanted(p api.PromptInfo) string {
	parts := []string{kindOfAnswer(p)}
	add := func(format string, args ...any) { parts = append(parts, fmt.Sprintf(format, args...)) }
	if p.Required {
		add("required")
	} else {
		add("optional")
	}
	for _, limit := range []struct{ word, text string }{
		{"from", p.Earliest}, {"no later than", p.Latest}, {"no longer than", p.Longest}, {"no shorter than", p.Shortest}, {"at least", p.Least}, {"at most", p.Most},
	} {
		if limit.text != "" {
			add("%s %s", limit.word, limit.text)
		}
	}
	switch p.Open {
	case "start":
		add("the first day may be left open")
	case "end":
		add("the last day may be left open")
	case "either":
		add("either side may be left open")
	}
	if p.MostLetters > 0 {
		add("at most %s", english.Count(p.MostLetters, "letter"))
	}
	if p.PatternHelp != "" {
		add("%s", p.PatternHelp)
	}
	if p.AtLeast > 0 {
		add("at least %d", p.AtLeast)
	}
	if p.AtMost > 0 {
		add("at most %d", p.AtMost)
	}
	return strings.Join(parts, "; ")
}
