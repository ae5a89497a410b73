package cli

import (
	"github.com/spf13/cobra"

	"pikegate/internal/core/definition"
)

func newSchema() *cobra.Command {
	return &cobra.Command{
		Use:     "schema",
		Short:   "Print the JSON Schema of definition files, for editors",
		Example: "  pikegate schema > pikegate.schema.json",
		Args:    arity(0, 0),
		RunE: func(c *cobra.Command, _ []string) error {
			_, err := c.OutOrStdout().Write(definition.Schema())
			return err
		},
	}
}
