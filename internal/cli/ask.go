package cli

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"pikegate/internal/api"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/prompt"
	"pikegate/internal/service/answer"
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
		list := &chooser{client: c, report: report, prompt: p, asked: api.Asked{Answers: answers, AsOf: asOf}, out: out}
		if err := question(ctx, out, p, defaults.Answers[i], list); err != nil {
			return nil, err
		}
		for {
			line, err := in.read(ctx)
			if err != nil {
				fmt.Fprintln(out)
				return nil, err
			}
			if turned, err := list.turn(ctx, line); err != nil {
				return nil, err
			} else if turned {
				fmt.Fprint(out, "> ")
				continue
			}
			delete(answers, p.Name)
			if strings.TrimSpace(line) != "" {
				answers[p.Name] = typed(p, line, list.shown)
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

func question(ctx context.Context, out io.Writer, p api.PromptInfo, d answer.Understood, list *chooser) error {
	fmt.Fprintf(out, "\n%s", p.Ask)
	if p.Help != "" {
		fmt.Fprintf(out, " %s", p.Help)
	}
	fmt.Fprintln(out)
	switch {
	case p.Type == string(prompt.Choice):
		if err := list.page(ctx); err != nil {
			return err
		}
		if p.Many {
			fmt.Fprintln(out, "  Several are parted by commas.")
		}
	case p.Type == string(prompt.Days):
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
	return nil
}

// pageChoices is how many choices are shown at once.
const pageChoices = 20

// The lines that are no answer to a choice: another page, and a search.
const (
	nextPage = "+"
	searches = "/"
)

// chooser shows the choices of a prompt, page by page, as the answers so far leave them.
type chooser struct {
	client *client
	report string
	prompt api.PromptInfo
	asked  api.Asked
	out    io.Writer
	search string
	shown  []answer.Choice
	more   bool
}

// page shows the next choices.
func (c *chooser) page(ctx context.Context) error {
	var list api.ChoiceList
	err := c.client.json(ctx, http.MethodPost, reportPath(c.report)+"/prompts/"+url.PathEscape(c.prompt.Name)+"/choices",
		api.ChoicesRequest{Asked: c.asked, Search: c.search, Limit: pageChoices, Skip: len(c.shown)}, &list)
	if err != nil {
		return err
	}
	from := len(c.shown)
	c.shown, c.more = append(c.shown, list.Choices...), list.More
	for i, choice := range list.Choices {
		line := "  " + choice.Label
		if isNumbered(c.shown) {
			line = fmt.Sprintf("  %d  %s", from+i+1, choice.Label)
		}
		if choice.Count > 0 {
			line += fmt.Sprintf(" (%d)", choice.Count)
		}
		fmt.Fprintln(c.out, line)
	}
	switch {
	case len(c.shown) == 0:
		fmt.Fprintln(c.out, "  There is nothing to choose from.")
	case c.more:
		fmt.Fprintf(c.out, "  There are more: %s shows them, %stext finds some.\n", nextPage, searches)
	}
	return nil
}

// turn carries out a line that asks for another page, or for choices with some text; it is
// false for an answer.
func (c *chooser) turn(ctx context.Context, line string) (bool, error) {
	line = strings.TrimSpace(line)
	search, isSearch := strings.CutPrefix(line, searches)
	switch {
	case c.prompt.Type != string(prompt.Choice):
		return false, nil
	case isSearch:
		c.search, c.shown = strings.TrimSpace(search), nil
		return true, c.page(ctx)
	case line == nextPage:
		if !c.more {
			fmt.Fprintln(c.out, "  There are no more.")
			return true, nil
		}
		return true, c.page(ctx)
	}
	return false, nil
}

// isNumbered reports whether choices can be picked by their number: none of them is one.
func isNumbered(choices []answer.Choice) bool {
	return !slices.ContainsFunc(choices, func(c answer.Choice) bool {
		_, isNumber := prompt.ParseNumber(c.Value)
		return isNumber
	})
}

func understood(out io.Writer, u answer.Understood) {
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

// typed turns a line into an answer. For choices it takes their numbers among those shown
// and their labels as well as their values.
func typed(p api.PromptInfo, line string, shown []answer.Choice) prompt.Entered {
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
		if n, err := strconv.Atoi(part); err == nil && n >= 1 && n <= len(shown) && isNumbered(shown) {
			part = shown[n-1].Value
		} else if i := slices.IndexFunc(shown, func(c answer.Choice) bool { return strings.EqualFold(c.Label, part) }); i >= 0 {
			part = shown[i].Value
		}
		values = append(values, part)
	}
	return prompt.SeveralTexts(values)
}
