package cli

import (
	"fmt"
	"net/http"
	"net/url"
	"strconv"

	"github.com/spf13/cobra"

	"pikegate/internal/api"
	"pikegate/internal/core/catalog"
	"pikegate/internal/core/english"
	"pikegate/internal/service/draft"
	"pikegate/internal/service/run"
)

func newDrafts() *cobra.Command {
	var everybody bool
	var output string
	c := &cobra.Command{
		Use:   "drafts",
		Short: "List what is being written in the workroom, print, publish or drop it",
		Long: `List the definitions that are being written in the workroom and are not published
yet: your own, or with --everybody those of all.`,
		Example: `  pikegate drafts
  pikegate drafts get query late-sailings
  pikegate drafts publish`,
		Args: knownChild,
		RunE: calling(func(c *cobra.Command, client *client, _ []string) error {
			var list api.DraftList
			if err := client.json(c.Context(), http.MethodGet, "/drafts?everybody="+strconv.FormatBool(everybody), nil, &list); err != nil {
				return err
			}
			return printed(c, output, list, func() {
				for _, d := range list.Drafts {
					from := "new"
					if d.Base > 0 {
						from = fmt.Sprintf("from revision %d", d.Base)
					}
					fmt.Fprintf(c.OutOrStdout(), "%-8s %s  %s, saved %s by %s\n", d.Kind, d.Name, from, d.SavedAt.Local().Format("2006-01-02 15:04"), d.Person)
				}
				if len(list.Drafts) == 0 {
					fmt.Fprintln(c.OutOrStdout(), "There are no drafts.")
				}
			})
		}),
	}
	serverFlag(c)
	outputFlag(c, &output)
	c.Flags().BoolVar(&everybody, "everybody", false, "those of everybody")
	c.AddCommand(newDraftsGet(), newDraftsPublish(), newDraftsDrop())
	return c
}

func draftPath(args []string) string {
	return "/drafts/" + url.PathEscape(args[0]) + "/" + url.PathEscape(args[1])
}

func newDraftsGet() *cobra.Command {
	return onDefinition("get KIND NAME", "Print your draft of a definition, and what is wrong with it", "  pikegate drafts get query late-sailings", 2,
		func(c *cobra.Command, client *client, args []string) error {
			var d draft.Draft
			if err := client.json(c.Context(), http.MethodGet, draftPath(args), nil, &d); err != nil {
				return err
			}
			if d.Version == 0 {
				return fail(exitUsage, "there is no draft of the %s %s", d.Kind, d.Name)
			}
			fmt.Fprint(c.OutOrStdout(), d.Text)
			for _, f := range append(d.Findings, d.Elsewhere...) {
				fmt.Fprintln(c.ErrOrStderr(), f.Error())
			}
			return nil
		})
}

func newDraftsPublish() *cobra.Command {
	c := &cobra.Command{
		Use: "publish [KIND NAME]", Short: "Check and publish a draft, or all of yours together, all or nothing",
		Example: "  pikegate drafts publish\n  pikegate drafts publish query late-sailings",
		Args:    arity(0, 2),
		RunE: calling(func(c *cobra.Command, client *client, args []string) error {
			var which api.DraftNames
			switch len(args) {
			case 1:
				return fail(exitUsage, "name the kind and the name, as in query late-sailings")
			case 2:
				which.Drafts = []api.Named{{Kind: catalog.Kind(args[0]), Name: args[1]}}
			}
			var list api.PutList
			if err := client.json(c.Context(), http.MethodPost, "/drafts/publish", which, &list); err != nil {
				return err
			}
			sayPut(c, list, false)
			return nil
		}),
	}
	serverFlag(c)
	return c
}

func newDraftsDrop() *cobra.Command {
	return onDefinition("drop KIND NAME", "Take your draft of a definition away", "  pikegate drafts drop query late-sailings", 2,
		func(c *cobra.Command, client *client, args []string) error {
			return client.json(c.Context(), http.MethodDelete, draftPath(args), nil, &struct{}{})
		})
}

func newRename() *cobra.Command {
	return onDefinition("rename KIND NAME NEW", "Give a definition another name, in it and in all that name it", "  pikegate rename prompt minutes minutes-late", 3,
		func(c *cobra.Command, client *client, args []string) error {
			if len(args) < 3 {
				return fail(exitUsage, "name the new name too: pikegate rename %s %s NEW", args[0], args[1])
			}
			var list api.PutList
			if err := client.json(c.Context(), http.MethodPost, definitionPath(args)+"/rename", api.NewName{Name: args[2]}, &list); err != nil {
				return err
			}
			sayPut(c, list, false)
			return nil
		})
}

func newEffect() *cobra.Command {
	var most int
	var output string
	c := &cobra.Command{
		Use:   "effect FILE|DIR...",
		Short: "Tell what definition files would change in the runs that readers made lately",
		Long: `Tell what definition files would change for readers, without publishing them. The
latest runs of every report that is made of what differs are run once more, by the
answers and the as-of day of their receipts: by what is published and by the files.
It exits with 0 where no run would bring other rows, with 4 where one would.`,
		Example: `  pikegate effect late-sailings.yaml
  pikegate effect definitions --runs 20 --output json`,
		Args: arity(1, anyNumber),
		RunE: calling(func(c *cobra.Command, client *client, args []string) error {
			files, err := definitionFiles(args)
			if err != nil {
				return err
			}
			if most < 1 || most > 100 {
				return fail(exitUsage, "runs: 1 to 100 runs of each report can be tried, and this is %d", most)
			}
			var effect run.Effect
			if err := client.json(c.Context(), http.MethodPost, "/definitions/effect", api.FilesEffect{EffectRequest: api.EffectRequest{Runs: most}, Files: files}, &effect); err != nil {
				return err
			}
			if err := printed(c, output, effect, func() { sayEffect(c, effect) }); err != nil {
				return err
			}
			if effect.Changes() {
				return &exit{code: exitDefinitions, err: errSaid}
			}
			return nil
		}),
	}
	serverFlag(c)
	outputFlag(c, &output)
	c.Flags().IntVar(&most, "runs", 5, "how many of the latest runs of each report, those with the same answers once")
	return c
}

func sayEffect(c *cobra.Command, effect run.Effect) {
	out := c.OutOrStdout()
	if len(effect.Reports) == 0 {
		fmt.Fprintln(out, "No report is made of what differs.")
		return
	}
	fmt.Fprintf(out, "%s made of what differs: %s.\n", english.Count(len(effect.Reports), "report"), english.Both(effect.Reports))
	same := 0
	for _, r := range effect.Runs {
		if r.Same {
			same++
			continue
		}
		what := fmt.Sprintf("%d gained, %d lost, %d changed", r.Gained, r.Lost, r.Changed)
		switch {
		case r.Problem != "":
			what = r.Problem
		case r.Gained+r.Lost+r.Changed == 0:
			what = "the same rows in another order"
		}
		fmt.Fprintf(out, "receipt %d, %s by %s as of %s: %s\n  %s\n", r.Receipt, r.Report, r.Person, r.AsOf.Spelled(), what, r.Said)
		if r.Now != "" {
			fmt.Fprintf(out, "  would be: %s\n", r.Now)
		}
	}
	fmt.Fprintf(out, "%s tried, %d would bring the same.\n", english.Count(len(effect.Runs), "run"), same)
	if effect.Left > 0 {
		fmt.Fprintf(out, "%s not tried: the time was over.\n", english.Count(effect.Left, "run"))
	}
}
