package cli

import (
	"fmt"
	"net/http"
	"net/url"

	"github.com/spf13/cobra"

	"pikegate/internal/api"
	"pikegate/internal/core/english"
	"pikegate/internal/export"
	"pikegate/internal/service/saved"
)

func newKept() *cobra.Command {
	return group("kept", "Answers that are kept under a name", newKeptList(), newKeptAdd(), newKeptRun(), newKeptForget())
}

func newKeptList() *cobra.Command {
	var output string
	c := &cobra.Command{
		Use:               "list [REPORT]",
		Short:             "List the answers that you keep, and those that others share",
		Args:              arity(0, 1),
		ValidArgsFunction: completeReports,
		RunE: calling(func(c *cobra.Command, client *client, args []string) error {
			path := "/kept"
			if len(args) > 0 {
				path += "?report=" + url.QueryEscape(args[0])
			}
			var list api.KeptList
			if err := client.json(c.Context(), http.MethodGet, path, nil, &list); err != nil {
				return err
			}
			return printed(c, output, list, func() {
				if len(list.Kept) == 0 {
					fmt.Fprintln(c.OutOrStdout(), "Nothing is kept.")
				}
				for _, k := range list.Kept {
					fmt.Fprintf(c.OutOrStdout(), "%6d  %s  %s  %s\n", k.ID, k.Report, k.Name, keptAs(k))
				}
			})
		}),
	}
	serverFlag(c)
	outputFlag(c, &output)
	return c
}

// keptAs says whether kept answers move, and whose they are.
func keptAs(k saved.Kept) string {
	text := "asking"
	if k.AsOf != "" {
		text = "frozen as of " + k.AsOf
	}
	switch {
	case !k.Own:
		text += ", by " + k.Person
	case k.Shared:
		text += ", shared"
	case len(k.Groups) > 0:
		text += ", shared with " + english.Both(k.Groups)
	}
	if k.Problem != "" {
		text += ". " + k.Problem
	}
	return text
}

// askedFlags are the flags of answers that are to be kept.
type askedFlags struct {
	given  []string
	asOf   string
	frozen bool
}

func (f *askedFlags) add(c *cobra.Command) {
	answerFlags(c, &f.given, &f.asOf)
	c.Flags().BoolVar(&f.frozen, "frozen", false, "keep the as-of day too, so that a phrase goes on to mean what it means on it; else it moves")
}

func (f *askedFlags) asked() (saved.Asked, error) {
	answers, err := parseAnswers(f.given)
	return saved.Asked{Answers: answers, Frozen: f.frozen, AsOf: f.asOf}, err
}

func newKeptAdd() *cobra.Command {
	var flags askedFlags
	var sharing saved.Sharing
	c := &cobra.Command{
		Use:   "add REPORT NAME",
		Short: "Keep answers under a name",
		Example: `  pikegate kept add late-sailings "Outer Loop lately" --answer "travel-period=last month" --answer "routes=Outer Loop"
  pikegate kept add late-sailings October --answer "travel-period=last month" --frozen --shared`,
		Args:              arity(2, 2),
		ValidArgsFunction: completeReports,
		RunE: calling(func(c *cobra.Command, client *client, args []string) error {
			asked, err := flags.asked()
			if err != nil {
				return err
			}
			var k saved.Kept
			if err := client.json(c.Context(), http.MethodPost, reportPath(args[0])+"/kept", saved.Keep{Asked: asked, Name: args[1], Sharing: sharing}, &k); err != nil {
				return err
			}
			fmt.Fprintf(c.OutOrStdout(), "Kept as %d, %s, %s.\n", k.ID, k.Name, keptAs(k))
			return nil
		}),
	}
	serverFlag(c)
	flags.add(c)
	c.Flags().BoolVar(&sharing.Shared, "shared", false, "let everybody use them")
	c.Flags().StringArrayVar(&sharing.Groups, "group", nil, "let the people of a group use them, which you are in; may be said several times")
	return c
}

func newKeptRun() *cobra.Command {
	var out sending
	c := &cobra.Command{
		Use:     "run NUMBER",
		Short:   "Run a report on kept answers",
		Example: "  pikegate kept run 3 --output pdf --to october.pdf",
		Args:    arity(1, 1),
		RunE: out.calling(func(c *cobra.Command, client *client, args []string) error {
			var k saved.Kept
			if err := client.json(c.Context(), http.MethodGet, "/kept/"+url.PathEscape(args[0]), nil, &k); err != nil {
				return err
			}
			if k.Problem != "" {
				return fail(exitDefinitions, "%s", k.Problem)
			}
			return out.send(c, client, k.Report, api.RunRequest{Asked: api.Asked{Answers: k.Answers, AsOf: k.AsOf}, View: k.View, Evidence: wantedEvidence("", out.output)})
		}),
	}
	serverFlag(c)
	out.flags(c)
	return c
}

func newKeptForget() *cobra.Command {
	return deleting("forget NUMBER", "Forget kept answers", "/kept/", "Forgotten.")
}

// deleting is a command that deletes what has a number.
func deleting(use, short, path, done string) *cobra.Command {
	c := &cobra.Command{
		Use: use, Short: short, Args: arity(1, 1),
		RunE: calling(func(c *cobra.Command, client *client, args []string) error {
			if err := client.json(c.Context(), http.MethodDelete, path+url.PathEscape(args[0]), nil, new(any)); err != nil {
				return err
			}
			fmt.Fprintln(c.OutOrStdout(), done)
			return nil
		}),
	}
	serverFlag(c)
	return c
}

func newLink() *cobra.Command {
	return group("link", "Live links, which a spreadsheet or a script reads", newLinkList(), newLinkMake(), deleting("revoke NUMBER", "Revoke a live link: its address is of no use any more", "/links/", "Revoked."))
}

func newLinkList() *cobra.Command {
	var output string
	c := &cobra.Command{
		Use:   "list",
		Short: "List your live links, with when they were last read",
		Args:  arity(0, 0),
		RunE: calling(func(c *cobra.Command, client *client, _ []string) error {
			var list api.LinkList
			if err := client.json(c.Context(), http.MethodGet, "/links", nil, &list); err != nil {
				return err
			}
			return printed(c, output, list, func() {
				if len(list.Links) == 0 {
					fmt.Fprintln(c.OutOrStdout(), "There are no live links.")
				}
				for _, l := range list.Links {
					used := "never read"
					if l.UsedAt != nil {
						used = fmt.Sprintf("read %d times, last %s", l.Uses, l.UsedAt.Local().Format("2006-01-02 15:04"))
					}
					if l.RevokedAt != nil {
						used = "revoked"
					}
					fmt.Fprintf(c.OutOrStdout(), "%6d  %s  %s  %s  %s\n", l.ID, l.Report, l.Name, l.Format, used)
				}
			})
		}),
	}
	serverFlag(c)
	outputFlag(c, &output)
	return c
}

func newLinkMake() *cobra.Command {
	var flags askedFlags
	var format string
	var section int
	c := &cobra.Command{
		Use:   "make REPORT NAME",
		Short: "Make a live link, whose address is printed this once",
		Long: `Make a live link: an address that sends the records of a report on these answers,
as they are whenever it is read. Whoever knows the address can read them, until the
link is revoked; it is printed this once.`,
		Example:           `  pikegate link make late-sailings "Harbour sheet" --answer "travel-period=last month"`,
		Args:              arity(2, 2),
		ValidArgsFunction: completeReports,
		RunE: calling(func(c *cobra.Command, client *client, args []string) error {
			asked, err := flags.asked()
			if err != nil {
				return err
			}
			var made api.MadeLink
			if err := client.json(c.Context(), http.MethodPost, reportPath(args[0])+"/links", saved.NewLink{Asked: asked, Name: args[1], Format: format, Section: section}, &made); err != nil {
				return err
			}
			fmt.Fprintln(c.OutOrStdout(), client.base+made.Path)
			return nil
		}),
	}
	serverFlag(c)
	flags.add(c)
	wordFlag(c, &format, "format", "csv", []export.Format{export.CSV, export.JSON}, "what it sends")
	c.Flags().IntVar(&section, "section", 0, "the number of the section that it sends, from 1")
	return c
}
