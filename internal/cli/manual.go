package cli

import (
	"bufio"
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
)

// newManual is for those who make packages.
func newManual() *cobra.Command {
	return &cobra.Command{
		Use:    "manual",
		Short:  "Print the manual page",
		Hidden: true,
		Args:   arity(0, 0),
		RunE: func(c *cobra.Command, _ []string) error {
			return writeManual(c.OutOrStdout(), c.Root())
		},
	}
}

// writeManual writes the manual page of all commands, in the macros of man(7).
func writeManual(to io.Writer, root *cobra.Command) error {
	w := bufio.NewWriter(to)
	fmt.Fprintf(w, ".TH PIKEGATE 1 \"\" \"Pike Gate\" \"User Commands\"\n.SH NAME\npikegate \\- %s\n.SH SYNOPSIS\n.B pikegate\n.I COMMAND\n.RI [ ARGUMENT \" ...] [\" FLAG \" ...]\"\n", manualText(strings.ToLower(root.Short[:1])+root.Short[1:]))
	fmt.Fprintf(w, ".SH DESCRIPTION\n.nf\n%s\n.fi\n", manualText(root.Long))
	for _, group := range root.Groups() {
		fmt.Fprintf(w, ".SH %s\n", strings.ToUpper(strings.TrimSuffix(group.Title, ":")))
		for _, c := range root.Commands() {
			if c.GroupID == group.ID {
				writeCommand(w, c)
			}
		}
	}
	fmt.Fprint(w, ".SH EXIT STATUS\n")
	for _, e := range exitCodes {
		fmt.Fprintf(w, ".TP\n%d\n%s\n", e.code, manualText(e.means))
	}
	return w.Flush()
}

func writeCommand(w io.Writer, c *cobra.Command) {
	if c.Hidden || !c.IsAvailableCommand() && c.Name() != "help" {
		return
	}
	fmt.Fprintf(w, ".SS \"%s\"\n%s.\n", manualText(c.UseLine()), manualText(c.Short))
	if c.Long != "" && c.Long != c.Short {
		fmt.Fprintf(w, ".PP\n.nf\n%s\n.fi\n", manualText(c.Long))
	}
	c.LocalFlags().VisitAll(func(f *pflag.Flag) {
		if !f.Hidden && f.Name != "help" {
			fmt.Fprintf(w, ".TP\n.B \\-\\-%s\n%s\n", manualText(f.Name), manualText(f.Usage))
		}
	})
	if c.Example != "" {
		fmt.Fprintf(w, ".PP\n.nf\n%s\n.fi\n", manualText(c.Example))
	}
	for _, child := range c.Commands() {
		writeCommand(w, child)
	}
}

// manualText is a text in which nothing is a request of the formatter's.
func manualText(text string) string {
	text = strings.NewReplacer(`\`, `\e`, "-", `\-`).Replace(text)
	lines := strings.Split(text, "\n")
	for i, line := range lines {
		if strings.HasPrefix(line, ".") || strings.HasPrefix(line, "'") {
			lines[i] = `\&` + line
		}
	}
	return strings.Join(lines, "\n")
}
