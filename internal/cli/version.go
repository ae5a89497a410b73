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
		Args:  arity(0, 0),
		RunE: func(c *cobra.Command, _ []string) error {
			fmt.Fprintln(c.OutOrStdout(), "pikegate version", versionText())
			return nil
		},
	}
}

func versionText() string {
	return fmt.Sprintf("%s, time zones %s", api.Version, civil.ZoneRules)
}
