package cli

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
)

// word is a flag that takes one of some words. Another one is refused before anything is
// done.
type word struct {
	into  *string
	words []string
}

func (w word) String() string {
	if w.into == nil {
		return ""
	}
	return *w.into
}

func (w word) Type() string { return "word" }

func (w word) Set(text string) error {
	if !slices.Contains(w.words, text) {
		f := fault.New("", "%q is not one of %s", text, english.Both(w.words))
		return errors.New(f.Suggest(fault.Near(text, w.words)).Sentence())
	}
	*w.into = text
	return nil
}

// wordFlag adds a flag that takes one of some words, a default of "" being none of them.
func wordFlag[T ~string](c *cobra.Command, into *string, name, value string, words []T, usage string) {
	*into = value
	w := word{into, make([]string, len(words))}
	for i := range words {
		w.words[i] = string(words[i])
	}
	c.Flags().Var(w, name, usage+": "+english.Either(w.words))
	if err := c.RegisterFlagCompletionFunc(name, cobra.FixedCompletions(w.words, cobra.ShellCompDirectiveNoFileComp)); err != nil {
		panic(err) // the flag is defined just above
	}
}

// outputFlag adds the flag of commands that print text, or JSON for programs.
func outputFlag(c *cobra.Command, into *string) {
	wordFlag(c, into, "output", "text", []string{"text", "json"}, "format")
}

// wrongFlag words what is wrong with a flag.
func wrongFlag(c *cobra.Command, err error) error {
	var unknown *pflag.NotExistError
	if errors.As(err, &unknown) {
		var names []string
		c.Flags().VisitAll(func(f *pflag.Flag) { names = append(names, f.Name) })
		if near := fault.Near(unknown.GetSpecifiedName(), names); near != "" {
			return fail(exitUsage, "%w; did you mean --%s?", err, near)
		}
	}
	var value *pflag.InvalidValueError
	if errors.As(err, &value) {
		cause := errors.Unwrap(value)
		if _, isWord := value.GetFlag().Value.(word); isWord {
			return fail(exitUsage, "%s: %w", value.GetFlag().Name, cause)
		}
	}
	return fail(exitUsage, "%w", err)
}

// group is a command that only has others under it. Without one it prints its help; with
// one that there is not it is a line that was typed wrong.
func group(use, short string, children ...*cobra.Command) *cobra.Command {
	c := &cobra.Command{Use: use, Short: short, Args: knownChild, RunE: func(c *cobra.Command, _ []string) error { return c.Help() }}
	c.AddCommand(children...)
	return c
}

func knownChild(c *cobra.Command, args []string) error {
	if len(args) == 0 {
		return nil
	}
	var names []string
	for _, child := range c.Commands() {
		if child.IsAvailableCommand() {
			names = append(names, child.Name())
		}
	}
	said := fmt.Sprintf("%s has no command %q", c.CommandPath(), args[0])
	if near := fault.Near(args[0], names); near != "" {
		return fail(exitUsage, "%s; did you mean %q?", said, near)
	}
	return fail(exitUsage, "%s; it has %s", said, strings.Join(names, ", "))
}

// anyNumber is as many arguments as there are.
const anyNumber = 1 << 30

// arity takes so many arguments, and says which is missing or one too many.
func arity(least, most int) cobra.PositionalArgs {
	return func(c *cobra.Command, args []string) error {
		names := strings.Fields(c.Use)[1:]
		switch n := len(args); {
		case n < least:
			return fail(exitUsage, "%s is missing; the command is %s", english.Both(names[n:least]), c.UseLine())
		case n > most:
			return fail(exitUsage, "%q is one argument too many; the command is %s", args[most], c.UseLine())
		}
		return nil
	}
}
