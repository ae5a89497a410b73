package cli

import (
	"context"
	"database/sql"
	"fmt"
	"net"
	"os"
	"path/filepath"
	"time"

	_ "github.com/mattn/go-sqlite3" // the driver that the demo writes its records with
	"github.com/spf13/cobra"

	"pikegate/demo"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/phrase"
	"pikegate/internal/service"
	"pikegate/internal/store"
)

func newDemo() *cobra.Command {
	var listen, dir, asOf string
	c := &cobra.Command{
		Use:   "demo",
		Short: "Serve a made-up ferry line to try everything on",
		Long: `Make the records and reports of Lantern Sound Ferries, an invented line, and
serve them. The same as-of day always makes the same records. Starting again on
the same directory keeps what is there; another as-of day makes the ferry tables
anew and leaves the rest.`,
		Example: `  pikegate demo
  pikegate demo --listen 127.0.0.1:9000 --data ./ferries --as-of 2026-11-23`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			day, err := demoDay(asOf)
			if err != nil {
				return err
			}
			listener, err := demoListener(listen, c.Flags().Changed("listen"))
			if err != nil {
				return fail(exitFailed, "%w", err)
			}
			return serveDemo(c, listener, dir, day)
		},
	}
	c.Flags().StringVar(&listen, "listen", "127.0.0.1:8080", "address and port; without the flag, the next free port where 8080 is taken")
	c.Flags().StringVar(&dir, "data", filepath.Join(cacheDir(), "demo"), "directory of the demo's files")
	c.Flags().StringVar(&asOf, "as-of", "today", "the day that the records reach up to, and that the service takes for today")
	return c
}

func demoDay(text string) (civil.Day, error) {
	now := time.Now()
	r, f := phrase.Day(text, phrase.Setting{AsOf: civil.DayAt(now.Unix(), now.Location())})
	if f != nil {
		return 0, fail(exitUsage, "as-of: %s", f.Sentence())
	}
	return r.Period.First, nil
}

func demoListener(address string, chosen bool) (net.Listener, error) {
	listener, err := net.Listen("tcp", address)
	if err == nil || chosen {
		return listener, err
	}
	for port := 8081; port < 8100; port++ {
		if listener, err := net.Listen("tcp", fmt.Sprintf("127.0.0.1:%d", port)); err == nil {
			return listener, nil
		}
	}
	return nil, err
}

func serveDemo(c *cobra.Command, listener net.Listener, dir string, asOf civil.Day) error {
	defer listener.Close()
	ctx := c.Context()
	if err := startLog("warn", c.ErrOrStderr()); err != nil {
		return err
	}
	config, err := serviceConfig(dir, "", "5m")
	if err != nil {
		return err
	}
	s, err := service.Open(ctx, config)
	if err != nil {
		return fail(exitFailed, "%w", err)
	}
	defer s.Close()
	if err := prepareDemo(ctx, s, dir, asOf); err != nil {
		return fail(exitFailed, "make the demo in %s: %w", dir, err)
	}
	fmt.Fprintf(c.OutOrStdout(), "Lantern Sound Ferries as of %s: http://%s\n", asOf.Spelled(), listener.Addr())
	return run(ctx, s, listener, 5*time.Second)
}

// prepareDemo makes what is not there yet. The day is stored last, so that a
// start that was broken off is made good by the next one.
func prepareDemo(ctx context.Context, s *service.Service, dir string, asOf civil.Day) error {
	fresh := !s.FixedToday().IsValid()
	path := service.RecordsPath(dir)
	_, err := os.Stat(path)
	if fresh || s.FixedToday() != asOf || err != nil {
		db, err := sql.Open("sqlite3", store.DSN(path))
		if err != nil {
			return err
		}
		defer db.Close()
		if err := demo.Fill(ctx, db, asOf); err != nil {
			return err
		}
	}
	if err := s.SetToday(ctx, asOf); err != nil || !fresh {
		return err
	}
	_, err = s.Put(service.WithPerson(ctx, service.Person{Name: "demo", Role: "developer"}), service.Put{Files: demo.Definitions()})
	return err
}
