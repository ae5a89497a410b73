package cli

import (
	"fmt"
	"io"
	"net/http"
	"os"

	"github.com/spf13/cobra"

	"pikegate/internal/load"
	"pikegate/internal/service/base"
)

func newBackup() *cobra.Command {
	c := &cobra.Command{
		Use:   "backup FILE",
		Short: "Write a backup of a service while it runs",
		Long: `Write a backup of a service while it runs: its own records, with definitions,
receipts and people, and the embedded business records, each as it is at one
moment. It is a tar file of SQLite files; whoever has it has all that they hold.`,
		Example: "  pikegate backup pikegate-2026-11-28.tar",
		Args:    arity(1, 1),
		RunE: calling(func(c *cobra.Command, client *client, args []string) error {
			answer, err := client.call(c.Context(), http.MethodGet, "/backup", nil, "application/x-tar, application/problem+json")
			if err != nil {
				return err
			}
			defer answer.Body.Close()
			var n int64
			err = writeFile(args[0], own, func(to io.Writer) (err error) {
				n, err = io.Copy(to, answer.Body)
				return err
			})
			if err != nil {
				return fail(exitInterrupted, "the backup was not written: %w", err)
			}
			fmt.Fprintf(c.OutOrStdout(), "%s written to %s.\n", load.Size(n), args[0])
			return nil
		}),
	}
	serverFlag(c)
	return c
}

func newRestore() *cobra.Command {
	var dir string
	c := &cobra.Command{
		Use:   "restore FILE",
		Short: "Make a service's directory of a backup",
		Long: `Make a service's directory of a backup. The directory is empty or is not there
yet; nothing stands in it where the backup is not whole, or was made by a newer
program. Sessions and tokens are those of the backup: end what was ended since.`,
		Example: "  pikegate restore pikegate-2026-11-28.tar --data /srv/pikegate",
		Args:    arity(1, 1),
		RunE: func(c *cobra.Command, args []string) error {
			f, err := os.Open(args[0])
			if err != nil {
				return fail(exitUsage, "%w", err)
			}
			defer f.Close()
			m, err := base.Restore(c.Context(), dir, f)
			if err != nil {
				return fail(exitFailed, "%w", err)
			}
			fmt.Fprintf(c.OutOrStdout(), "Restored to %s as of %s.\n", dir, m.MadeAt.Local().Format("2006-01-02 15:04:05"))
			return nil
		},
	}
	c.Flags().StringVar(&dir, "data", dataHome("data"), "directory of the service's files")
	return c
}
