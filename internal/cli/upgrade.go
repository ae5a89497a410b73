package cli

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"pikegate/internal/core/english"
	"pikegate/internal/service/base"
	"pikegate/internal/store"
)

func newUpgrade() *cobra.Command {
	var dir string
	var dry bool
	c := &cobra.Command{
		Use:   "upgrade",
		Short: "Bring a service's own records to the form that this program has",
		Long: `Bring the own records of a service that does not run to the form that this
program has; serve does the same at its start. With --dry-run that is done to a
copy, which tells whether it will go well, and nothing is changed. What a newer
program wrote is refused. Make a backup first: an older program does not read
records that were brought to a newer form.`,
		Example: "  pikegate upgrade --dry-run --data /srv/pikegate",
		Args:    arity(0, 0),
		RunE: func(c *cobra.Command, _ []string) error {
			file := base.OwnPath(dir)
			if _, err := os.Stat(file); err != nil {
				return fail(exitUsage, "there is no service in %s: %w", dir, err)
			}
			version, err := store.Version(c.Context(), file)
			if err != nil {
				return fail(exitFailed, "%w", err)
			}
			missing := store.Missing(version)
			told, err := upgraded(c.Context(), dir, file, dry)
			if err != nil {
				return fail(exitFailed, "%w", err)
			}
			switch {
			case len(missing) == 0:
				fmt.Fprintf(c.OutOrStdout(), "The records are of version %d already; there is nothing to do.\n", version)
			case dry:
				fmt.Fprintf(c.OutOrStdout(), "The records would go from version %d to %d (%s), and go well: %s. Nothing was changed.\n", version, store.Tables(), english.Both(missing), told)
			default:
				fmt.Fprintf(c.OutOrStdout(), "The records went from version %d to %d (%s): %s.\n", version, store.Tables(), english.Both(missing), told)
			}
			return nil
		},
	}
	c.Flags().StringVar(&dir, "data", dataHome("data"), "directory of the service's files")
	c.Flags().BoolVar(&dry, "dry-run", false, "do it to a copy, and change nothing")
	return c
}

// upgraded brings the records to the newest form, or a copy of them, and tells what they hold then.
func upgraded(ctx context.Context, dir, file string, dry bool) (_ string, err error) {
	if dry {
		copies, err := os.MkdirTemp(dir, "upgrade-*")
		if err != nil {
			return "", err
		}
		defer os.RemoveAll(copies)
		at := filepath.Join(copies, filepath.Base(file))
		if err := store.Snapshot(ctx, file, at); err != nil {
			return "", err
		}
		file = at
	} else {
		free, err := base.Lock(dir)
		if err != nil {
			return "", err
		}
		defer func() { err = errors.Join(err, free()) }()
	}
	s, err := store.Open(file, 0, slog.Default())
	if err != nil {
		return "", err
	}
	held, err := s.Held(ctx)
	if err := s.Close(); err != nil {
		return "", err
	}
	if err != nil {
		return "", err
	}
	if err := store.Sound(ctx, file); dry && err != nil {
		return "", err
	}
	return fmt.Sprintf("%s, %s, people: %d", english.Count(held.Definitions, "definition"), english.Count(held.Receipts, "receipt"), held.People), nil
}
