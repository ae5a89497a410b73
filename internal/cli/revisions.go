package cli

import (
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strconv"

	"github.com/spf13/cobra"

	"pikegate/internal/api"
	"pikegate/internal/core/catalog"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
)

func definitionPath(args []string) string {
	return "/definitions/" + url.PathEscape(args[0]) + "/" + url.PathEscape(args[1])
}

// onDefinition is a command about one definition, named by its kind and name.
func onDefinition(use, short, example string, most int, run func(c *cobra.Command, client *client, args []string) error) *cobra.Command {
	c := &cobra.Command{
		Use: use, Short: short, Example: example,
		Args: arity(2, most),
		RunE: func(c *cobra.Command, args []string) error {
			if !slices.Contains(catalog.Kinds, catalog.Kind(args[0])) {
				f := fault.New("", "%q is nothing that can be defined; the kinds are %s", args[0], english.Both(kinds()))
				return fail(exitUsage, "%s", f.Suggest(fault.Near(args[0], kinds())).Sentence())
			}
			client, err := newClient(c)
			if err != nil {
				return err
			}
			return run(c, client, args)
		},
		ValidArgsFunction: func(_ *cobra.Command, args []string, _ string) ([]string, cobra.ShellCompDirective) {
			if len(args) > 0 {
				return nil, cobra.ShellCompDirectiveNoFileComp
			}
			return kinds(), cobra.ShellCompDirectiveNoFileComp
		},
	}
	serverFlag(c)
	return c
}

func kinds() []string {
	all := make([]string, len(catalog.Kinds))
	for i, k := range catalog.Kinds {
		all[i] = string(k)
	}
	return all
}

func newGet() *cobra.Command {
	var all bool
	var to string
	var revision int
	c := onDefinition("get KIND NAME", "Print a definition as it was written, or write them all to files", `  pikegate get prompt travel-period
  pikegate get query late-sailings --revision 2
  pikegate get --all --to definitions`, 2, func(c *cobra.Command, client *client, args []string) error {
		var d api.DefinitionText
		if err := client.json(c.Context(), http.MethodGet, definitionPath(args)+"?revision="+strconv.Itoa(revision), nil, &d); err != nil {
			return err
		}
		fmt.Fprint(c.OutOrStdout(), d.Text)
		return nil
	})
	one := c.RunE
	c.Args = func(c *cobra.Command, args []string) error {
		if all && len(args) == 0 {
			return nil
		}
		return arity(2, 2)(c, args)
	}
	c.RunE = func(c *cobra.Command, args []string) error {
		if !all {
			return one(c, args)
		}
		if to == "" {
			return fail(exitUsage, "to: --all needs the directory to write to")
		}
		return getAll(c, to)
	}
	f := c.Flags()
	f.BoolVar(&all, "all", false, "write all that is published, a file each")
	f.StringVar(&to, "to", "", "directory to write to, with --all")
	f.IntVar(&revision, "revision", 0, "the revision; the published one unless said")
	return c
}

func getAll(c *cobra.Command, to string) error {
	client, err := newClient(c)
	if err != nil {
		return err
	}
	var list api.DefinitionList
	if err := client.json(c.Context(), http.MethodGet, "/definitions", nil, &list); err != nil {
		return err
	}
	if err := os.MkdirAll(to, 0o755); err != nil {
		return fail(exitFailed, "%w", err)
	}
	for _, d := range list.Definitions {
		if ref := (catalog.Ref{Kind: d.Kind, Name: d.Name}); !ref.IsValid() {
			return fail(exitUnreached, "what answers is not to be trusted: it has a definition %q, which is no name of one; nothing was written", english.Shorten(ref.String()))
		}
	}
	for _, d := range list.Definitions {
		path := filepath.Join(to, string(d.Kind)+"-"+d.Name+".yaml")
		if err := writeFile(path, readable, func(w io.Writer) error { _, err := io.WriteString(w, d.Text); return err }); err != nil {
			return fail(exitFailed, "%w", err)
		}
	}
	fmt.Fprintf(c.OutOrStdout(), "%d definitions in %s\n", len(list.Definitions), to)
	return nil
}

func newRevisions() *cobra.Command {
	return onDefinition("revisions KIND NAME", "List the revisions of a definition, the latest first", "  pikegate revisions query late-sailings", 2,
		func(c *cobra.Command, client *client, args []string) error {
			var list api.RevisionList
			if err := client.json(c.Context(), http.MethodGet, definitionPath(args)+"/revisions", nil, &list); err != nil {
				return err
			}
			for _, r := range list.Revisions {
				state := ""
				if r.Published {
					state = "  published"
				}
				fmt.Fprintf(c.OutOrStdout(), "%4d  %s  %s%s\n", r.Number, r.SavedAt, r.SavedBy, state)
			}
			return nil
		})
}

func newDifference() *cobra.Command {
	return onDefinition("difference KIND NAME [FROM [TO]]", "Name each setting that differs between two revisions: the published and the latest one unless said",
		`  pikegate difference query late-sailings
  pikegate difference query late-sailings 1 3`, 4,
		func(c *cobra.Command, client *client, args []string) error {
			query := url.Values{}
			for i, name := range []string{"from", "to"} {
				if len(args) > 2+i {
					query.Set(name, args[2+i])
				}
			}
			var list api.SettingList
			if err := client.json(c.Context(), http.MethodGet, definitionPath(args)+"/difference?"+query.Encode(), nil, &list); err != nil {
				return err
			}
			for _, s := range list.Settings {
				fmt.Fprintln(c.OutOrStdout(), s)
			}
			if len(list.Settings) == 0 {
				fmt.Fprintln(c.OutOrStdout(), "no setting differs")
			}
			return nil
		})
}

func newPublish() *cobra.Command {
	var revision int
	c := onDefinition("publish KIND NAME", "Make a revision the one that readers see", `  pikegate publish query late-sailings
  pikegate publish query late-sailings --revision 2`, 2,
		func(c *cobra.Command, client *client, args []string) error {
			return client.json(c.Context(), http.MethodPost, definitionPath(args)+"/publish", map[string]int{"revision": revision}, &struct{}{})
		})
	c.Flags().IntVar(&revision, "revision", 0, "the revision; the latest unless said")
	return c
}

func newUses() *cobra.Command {
	return onDefinition("uses KIND NAME", "List what builds on a definition", "  pikegate uses prompt travel-period", 2,
		func(c *cobra.Command, client *client, args []string) error {
			var list api.UserList
			if err := client.json(c.Context(), http.MethodGet, definitionPath(args)+"/uses", nil, &list); err != nil {
				return err
			}
			for _, u := range list.Users {
				fmt.Fprintf(c.OutOrStdout(), "%-8s %s\n", u.Kind, u.Name)
			}
			return nil
		})
}

func newDelete() *cobra.Command {
	return onDefinition("delete KIND NAME", "Take away a definition that nothing uses; its revisions stay", "  pikegate delete report late-sailings", 2,
		func(c *cobra.Command, client *client, args []string) error {
			return client.json(c.Context(), http.MethodDelete, definitionPath(args), nil, &struct{}{})
		})
}
