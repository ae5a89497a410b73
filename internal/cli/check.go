package cli

import (
	"fmt"
	"time"

	"github.com/spf13/cobra"

	"pikegate/internal/api"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/definition"
	"pikegate/internal/core/english"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
)

func newCheck() *cobra.Command {
	var output string
	c := &cobra.Command{
		Use:   "check FILE|DIR...",
		Short: "Find what is wrong with definition files, and what misleads",
		Long: `Find what is wrong with definition files and what misleads in them, and store
nothing. Without a server the files have to hold all that they refer to; with
--server they are checked beside what is published there, and against its data.`,
		Example: `  pikegate check definitions
  pikegate check late-sailings.yaml --server http://127.0.0.1:8080`,
		Args: arity(1, anyNumber),
		RunE: func(c *cobra.Command, args []string) error {
			files, err := definitionFiles(args)
			if err != nil {
				return err
			}
			var found []fault.Fault
			if c.Flags().Changed("server") {
				client, err := newClient(c)
				if err != nil {
					return err
				}
				if found, err = client.check(c.Context(), files); err != nil {
					return err
				}
			} else {
				now := time.Now()
				_, _, all := definition.Check(files, nil, phrase.Setting{AsOf: civil.DayAt(now.Unix(), now.Location())})
				for _, f := range all {
					found = append(found, *f)
				}
			}
			return sayFindings(c, output, found)
		},
	}
	serverFlag(c)
	outputFlag(c, &output)
	return c
}

// sayFindings prints findings; errors among them decide the exit code.
func sayFindings(c *cobra.Command, output string, found []fault.Fault) error {
	errors := 0
	for _, f := range found {
		if !f.Warning {
			errors++
		}
	}
	if found == nil {
		found = []fault.Fault{}
	}
	err := printed(c, output, api.FindingList{Findings: found}, func() {
		for _, f := range found {
			fmt.Fprintln(c.OutOrStdout(), f.Error())
		}
		fmt.Fprintf(c.OutOrStdout(), "%s, %s\n", english.Count(errors, "error"), english.Count(len(found)-errors, "warning"))
	})
	if err != nil {
		return err
	}
	if errors > 0 {
		return &exit{code: exitDefinitions, err: errSaid}
	}
	return nil
}
