package cli

import (
	"fmt"
	"io"
	"net/http"

	"github.com/spf13/cobra"

	"pikegate/internal/api"
)

func newSources() *cobra.Command {
	var output string
	c := &cobra.Command{
		Use:     "sources",
		Short:   "List the databases of business records",
		Example: "  pikegate sources",
		Args:    arity(0, 0),
		RunE: calling(func(c *cobra.Command, client *client, _ []string) error {
			var list api.SourceList
			if err := client.json(c.Context(), http.MethodGet, "/sources", nil, &list); err != nil {
				return err
			}
			if len(list.Sources) == 0 {
				fmt.Fprintln(c.ErrOrStderr(), "there are no sources yet; put a definition of one, or try the demo: pikegate demo")
			}
			return say(c.OutOrStdout(), output, list, func(w io.Writer) {
				for _, s := range list.Sources {
					fmt.Fprintf(w, "%s\t%s\t%s\t%s\n", s.Name, s.Engine, s.Zone, s.Title)
				}
			})
		}),
	}
	outputFlag(c, &output)
	serverFlag(c)
	return c
}
