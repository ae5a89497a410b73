package cli

import (
	"net/http"
	"net/url"

	"github.com/spf13/cobra"
)

func newTable() *cobra.Command {
	return group("table", "Rename and remove tables that were loaded", newTableRename(), newTableRemove())
}

func newTableRename() *cobra.Command {
	c := &cobra.Command{
		Use:     "rename TABLE NAME",
		Short:   "Give a loaded table another name",
		Example: "  pikegate table rename old_claims claims_2025",
		Args:    arity(2, 2),
		RunE: calling(func(c *cobra.Command, client *client, args []string) error {
			return client.json(c.Context(), http.MethodPost, loadPath(args[0])+"/rename", map[string]string{"to": args[1]}, &struct{}{})
		}),
	}
	serverFlag(c)
	return c
}

func newTableRemove() *cobra.Command {
	c := &cobra.Command{
		Use:     "remove TABLE",
		Short:   "Take a loaded table away, with its records",
		Long:    "Take a loaded table away, with its records. One that a dataset describes stays.",
		Example: "  pikegate table remove old_claims",
		Args:    arity(1, 1),
		RunE: calling(func(c *cobra.Command, client *client, args []string) error {
			return client.json(c.Context(), http.MethodDelete, loadPath(args[0]), nil, &struct{}{})
		}),
	}
	serverFlag(c)
	return c
}

// loadPath is the path of a loaded table.
func loadPath(table string) string { return "/loads/" + url.PathEscape(table) }
