package cli

import (
	"fmt"
	"net/http"

	"github.com/spf13/cobra"

	"pikegate/internal/api"
	"pikegate/internal/service/receipt"
)

func newRows() *cobra.Command {
	var out sending
	c := &cobra.Command{
		Use:   "rows NUMBER",
		Short: "Print the records of a run that is on record",
		Long: `Print the records of a run that is on record, as they were when it ran: they are
kept for a while. Where they are not kept any more they are read again, and whether
they are the same is said on standard error and on the receipt of that run.`,
		Example: `  pikegate rows 1042
  pikegate rows 1042 --output xlsx --to late.xlsx`,
		Args: arity(1, 1),
		RunE: out.calling(func(c *cobra.Command, client *client, args []string) error {
			r, err := client.receipt(c, args[0])
			if err != nil {
				return err
			}
			return out.send(c, client, r.Report, api.RunRequest{Of: r.ID})
		}),
	}
	serverFlag(c)
	out.flags(c)
	return c
}

// readAgain says on standard error what the receipt of a run tells that read rows again.
func (c *client) readAgain(cmd *cobra.Command, of int64, link string) error {
	id := linked(link)
	if of == 0 || id == 0 || id == of {
		return nil
	}
	var r receipt.Receipt
	if err := c.json(cmd.Context(), http.MethodGet, fmt.Sprintf("/receipts/%d", id), nil, &r); err != nil {
		return err
	}
	for _, note := range r.Notes {
		fmt.Fprintf(cmd.ErrOrStderr(), "%s (receipt %d)\n", note, id)
	}
	return nil
}

func newCancel() *cobra.Command {
	c := &cobra.Command{
		Use:     "cancel NUMBER",
		Short:   "Cancel a run that is under way",
		Example: "  pikegate cancel 1042",
		Args:    arity(1, 1),
		RunE: calling(func(c *cobra.Command, client *client, args []string) error {
			id, err := receiptNumber(args[0])
			if err != nil {
				return err
			}
			var r receipt.Receipt
			if err := client.json(c.Context(), http.MethodPost, fmt.Sprintf("/receipts/%d/cancel", id), nil, &r); err != nil {
				return err
			}
			fmt.Fprintf(c.OutOrStdout(), "Run %d is cancelled; its database is free.\n", id)
			return nil
		}),
	}
	serverFlag(c)
	return c
}
