package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"pikegate/internal/api"
	"pikegate/internal/core/civil"
)

func newVersion() *cobra.Command {
	return &cobra.Command{
		Use:   "version",
		Short: "Print the version",
		Args:  cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			fmt.Fprintf(c.OutOrStdout(), "pikegate %s, time zones %s\n", api.Version, civil.ZoneRules)
			return nil
		},
	}
}
