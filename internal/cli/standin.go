package cli

import (
	"context"
	"fmt"
	"net"

	"github.com/spf13/cobra"

	"pikegate/internal/standin"
)

func newMailStandIn() *cobra.Command {
	var listen, dir string
	c := &cobra.Command{
		Use:   "mail-stand-in",
		Short: "Run a mail server that delivers nothing and keeps each mail as a file, to try schedules with",
		Long: `Run a mail server that delivers nothing: each mail is kept as a file of a directory, one
for each recipient. It refuses addresses that begin with "refused", and puts off
those that begin with "later". It has no TLS: the service reaches it by
mail-server: smtp-plain://127.0.0.1:2525.`,
		Args: arity(0, 0),
		RunE: func(c *cobra.Command, _ []string) error {
			listener, err := net.Listen("tcp", listen)
			if err != nil {
				return fail(exitFailed, "%w", err)
			}
			mails := standin.NewMail(dir)
			stop := context.AfterFunc(c.Context(), func() { _ = mails.Close() })
			defer stop()
			fmt.Fprintf(c.OutOrStdout(), "Mails to smtp-plain://%s are kept in %s.\n", listener.Addr(), dir)
			if err := mails.Serve(listener); err != nil {
				return fail(exitFailed, "%w", err)
			}
			return nil
		},
	}
	c.Flags().StringVar(&listen, "listen", "127.0.0.1:2525", "address and port")
	c.Flags().StringVar(&dir, "dir", "mail", "directory that the mails are kept in")
	return c
}
