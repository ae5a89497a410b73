package cli

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"strconv"
	"strings"

	"pikegate/internal/api"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/prompt"
	"pikegate/internal/service"
)

// lines reads one line after the other and can be given up.
type lines struct {
	next chan string
}

func newLines(from io.Reader) *lines {
	l := &lines{next: make(chan string)}
	go func() {
		defer close(l.next)
		scanner := bufio.NewScanner(from)
		for scanner.Scan() {
			l.next <- scanner.Text()
		}
	}()
	return l
}

// read waits for a line; it fails when there is none any more or ctx ends.
func (l *lines) read(ctx context.Context) (string, error) {
	select {
	case line, ok := <-l.next:
		if ok {
			return line, nil
		}
	case <-ctx.Done():
	}
	return "", fail(exitInterrupted, "cancelled; nothing was run")
}

// leaveOpen is what one types to leave a prompt unanswered.
const leaveOpen = "-"

// ask puts a report's questions one by one. The service says what it
// understood, and a refused answer is asked for again.
func ask(ctx context.Context, c *client, report, asOf string, in *lines, out io.Writer) (map[string]prompt.Entered, error) {
	r, err := c.report(ctx, report, asOf)
	if err != nil {
		return nil, err
	}
	defaults, err := c.understand(ctx, report, api.Asked{AsOf: asOf})
	if err != nil {
		return nil, err
	}
	fmt.Fprintf(out, "%s\n", strings.TrimSuffix(r.Title+". "+r.About, ". "))
	answers := map[string]prompt.Entered{}
	for i, p := range r.Prompts {
		question(out, p, defaults.Answers[i])
		for {
			line, err := in.read(ctx)
			if err != nil {
				fmt.Fprintln(out)
				return nil, err
			}
			delete(answers, p.Name)
			if strings.TrimSpace(line) != "" {
				answers[p.Name] = typed(p, line)
			}
			u, err := c.understand(ctx, report, api.Asked{Answers: answers, AsOf: asOf})
			if err != nil {
				return nil, err
			}
			refused := refusalsOf(u.Errors, p.Name)
			if len(refused) == 0 {
				understood(out, u.Answers[i])
				break
			}
			for _, sentence := range refused {
				fmt.Fprintf(out, "  %s\n", sentence)
			}
			fmt.Fprint(out, "> ")
		}
	}
	fmt.Fprintln(out)
	return answers, nil
}

func question(out io.Writer, p api.PromptInfo, d service.Understood) {
	fmt.Fprintf(out, "\n%s", p.Ask)
	if p.Help != "" {
		fmt.Fprintf(out, " %s", p.Help)
	}
	fmt.Fprintln(out)
	for n, c := range p.Choices {
		fmt.Fprintf(out, "  %d  %s\n", n+1, c.Label)
	}
	switch {
	case p.Many:
		fmt.Fprintln(out, "  Numbers from the list, parted by commas.")
	case p.Type == "days":
		fmt.Fprintln(out, "  Single days, parted by semicolons.")
	}
	switch {
	case d.Default:
		fmt.Fprintf(out, "  Enter takes %s.", defaultText(d))
	case !p.Required:
		fmt.Fprint(out, "  Enter leaves it open.")
	}
	if d.Default && !p.Required {
		fmt.Fprintf(out, " %s leaves it open.", leaveOpen)
	}
	fmt.Fprint(out, "\n> ")
}

func understood(out io.Writer, u service.Understood) {
	fmt.Fprintf(out, "  = %s\n", u.Spelled)
	for _, note := range u.Notes {
		fmt.Fprintf(out, "    %s\n", note)
	}
}

func refusalsOf(faults []fault.Fault, name string) []string {
	var sentences []string
	for _, f := range faults {
		if f.Place.Prompt == name {
			sentences = append(sentences, f.Sentence())
		}
	}
	return sentences
}

// typed turns a line into an answer. For choices it takes their numbers in the
// list as well as their values.
func typed(p api.PromptInfo, line string) prompt.Entered {
	if strings.TrimSpace(line) == leaveOpen {
		return prompt.OneText("")
	}
	switch p.Type {
	case string(prompt.Text):
		return prompt.OneText(line) // whose blanks count
	case "choice":
	case "days":
		return prompt.SeveralTexts(strings.Split(line, ";"))
	default:
		return prompt.OneText(strings.TrimSpace(line))
	}
	var values []string
	for _, part := range strings.Split(line, ",") {
		part = strings.TrimSpace(part)
		if n, err := strconv.Atoi(part); err == nil && n >= 1 && n <= len(p.Choices) {
			part = p.Choices[n-1].Value
		}
		values = append(values, part)
	}
	return prompt.SeveralTexts(values)
}
