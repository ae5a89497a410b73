package cli

import (
	"context"
	"fmt"
	"log/slog"
	"net"
	"os"
	"path/filepath"
	"time"

	"github.com/spf13/cobra"

	"pikegate/demo"
	"pikegate/internal/core/catalog"
	"pikegate/internal/core/civil"
	"pikegate/internal/core/phrase"
	"pikegate/internal/deliver"
	"pikegate/internal/service"
	"pikegate/internal/service/base"
	"pikegate/internal/service/publish"
	"pikegate/internal/standin"
	"pikegate/internal/store"
)

func newDemo() *cobra.Command {
	var listen, dir, asOf, engine string
	var withPeople bool
	c := &cobra.Command{
		Use:   "demo",
		Short: "Serve a made-up ferry line to try everything on",
		Long: `Make the records and reports of Lantern Sound Ferries, an invented line, and
serve them. The same as-of day always makes the same records. Starting again on
the same directory keeps what is there; another as-of day makes the ferry tables
anew and leaves the rest.

The records lie in an SQLite file of the service's own, or with --engine on a
PostgreSQL or MariaDB server, whose address the environment variable
` + demo.ServerVariable + ` holds, such as postgres://user@127.0.0.1:5432/database
or mariadb://user@127.0.0.1:3306/. There the demo makes a schema of its own,
` + demo.Schema + `, and touches nothing else.`,
		Example: `  pikegate demo
  pikegate demo --listen 127.0.0.1:9000 --data ./ferries --as-of 2026-11-23
  ` + demo.ServerVariable + `=postgres://me@127.0.0.1/test pikegate demo --engine postgres`,
		Args: arity(0, 0),
		RunE: func(c *cobra.Command, _ []string) error {
			day, err := demoDay(asOf)
			if err != nil {
				return err
			}
			listener, err := demoListener(listen, c.Flags().Changed("listen"))
			if err != nil {
				return fail(exitFailed, "%w", err)
			}
			on := demoEngines[engine]
			if on != catalog.Embedded && os.Getenv(demo.ServerVariable) == "" {
				return fail(exitUsage, "the environment variable %s, which holds the server's address, is not set", demo.ServerVariable)
			}
			if !c.Flags().Changed("data") && on != catalog.Embedded {
				dir += "-" + engine
			}
			return serveDemo(c, listener, dir, on, day, withPeople)
		},
	}
	c.Flags().StringVar(&listen, "listen", "127.0.0.1:8080", "address and port; without the flag, the next free port where 8080 is taken")
	c.Flags().StringVar(&dir, "data", dataHome("demo"), "directory of the demo's files")
	wordFlag(c, &engine, "engine", "sqlite", []string{"sqlite", "postgres", "mariadb"}, "where the records lie")
	c.Flags().BoolVar(&withPeople, "people", false, "let four made-up people sign in: an admin, a developer, two readers; their passwords are printed, new ones at each start")
	c.Flags().StringVar(&asOf, "as-of", "today", "the day that the records reach up to, and that the service takes for today")
	return c
}

var demoEngines = map[string]catalog.Engine{"sqlite": catalog.Embedded, "postgres": catalog.Postgres, "mariadb": catalog.MariaDB}

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

func serveDemo(c *cobra.Command, listener net.Listener, dir string, on catalog.Engine, asOf civil.Day, withPeople bool) error {
	defer listener.Close()
	ctx := c.Context()
	to := usual()
	to.Dir, to.grace, to.Log = dir, 5*time.Second, newLog(slog.LevelWarn, c.ErrOrStderr())
	mails, err := demoMail(to, listener)
	if err != nil {
		return fail(exitFailed, "the mail stand-in: %w", err)
	}
	defer mails.Close()
	s, err := openService(ctx, to.Config, c.ErrOrStderr())
	if err != nil {
		return err
	}
	defer s.Close()
	if err := prepareDemo(ctx, s, dir, on, asOf); err != nil {
		return fail(exitFailed, "make the demo in %s: %w", dir, err)
	}
	if withPeople {
		if err := addDemoPeople(c, s); err != nil {
			return err
		}
		if s.Base.Published.Load().Reports["fuel-at-your-harbour"] == nil {
			if err := schedulesOfDemo(ctx, s); err != nil {
				return fail(exitFailed, "%w", err)
			}
		}
	}
	if err := guardedBy(ctx, s, listener, to); err != nil {
		return err
	}
	fmt.Fprintf(c.OutOrStdout(), "Lantern Sound Ferries as of %s: http://%s\n", asOf.Spelled(), listener.Addr())
	return serveOn(ctx, s, listener, to)
}

// prepareDemo makes what is not there yet: the records, the day that they reach up to, the
// definitions, in this order, each whole or not at all, so that a start that was broken
// off is made good by the next one.
func prepareDemo(ctx context.Context, s *service.Service, dir string, on catalog.Engine, asOf civil.Day) error {
	before := s.Base.FixedToday()
	if kept := s.Base.SourceOf(demo.Source); kept != nil && kept.At.Engine != on {
		return fmt.Errorf("there is a demo on %s already; name another directory by --data", kept.At.Engine)
	}
	_, err := os.Stat(base.RecordsPath(dir))
	if before != asOf || on == catalog.Embedded && err != nil {
		if err := fillDemo(ctx, dir, on, asOf); err != nil {
			return err
		}
	}
	if err := s.Base.SetToday(ctx, asOf); err != nil || s.Base.SourceOf(demo.Source) != nil {
		return err // its definitions are there, and may have been changed on purpose
	}
	_, err = s.Publisher.Put(byDemo(ctx), publish.Put{Files: demo.Definitions(on)})
	return err
}

// demoMail starts the mail stand-in, which keeps the demo's mails, and has the service send by it.
func demoMail(to *serving, listener net.Listener) (*standin.Mail, error) {
	post, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	to.Address = to.scheme() + "://" + listener.Addr().String()
	to.KeptMail, to.Deliveries = filepath.Join(to.Dir, "mail"), filepath.Join(to.Dir, "deliveries")
	if to.Mail, err = deliver.ParseServer("smtp-plain://" + post.Addr().String()); err != nil {
		return nil, err
	}
	to.Mail.From = "Lantern Sound Ferries <reports@example.test>"
	if err := os.MkdirAll(to.Deliveries, 0o700); err != nil {
		return nil, err
	}
	mails := standin.NewMail(to.KeptMail, to.Log)
	go func() {
		if err := mails.Serve(post); err != nil {
			to.Log.Error("the mail stand-in ended", "err", err)
		}
	}()
	return mails, nil
}

// schedulesOfDemo publishes what depends on people, with the schedules of two of them, and runs these once.
func schedulesOfDemo(ctx context.Context, s *service.Service) error {
	tove, _ := s.Base.PersonNow(ctx, "Tove", base.Developer)
	tovesOwn := base.WithPerson(ctx, tove)
	if _, err := s.Publisher.Put(tovesOwn, publish.Put{Files: demo.PeopleDefinitions()}); err != nil {
		return err
	}
	solveig, _ := s.Base.PersonNow(ctx, "Solveig", base.Reader)
	solveigsOwn := base.WithPerson(ctx, solveig)
	if _, err := s.Schedules.Set(solveigsOwn, "fuel-of-the-week", demo.OwnSchedule); err != nil {
		return err
	}
	_, err := s.Schedules.RunNow(tovesOwn, "late-last-week")
	if err == nil {
		_, err = s.Schedules.RunNow(solveigsOwn, "fuel-of-the-week")
	}
	return err
}

// byDemo is who made the demo's definitions and people.
func byDemo(ctx context.Context) context.Context {
	return base.WithPerson(ctx, base.Person{Name: "demo", Role: base.Admin})
}

func fillDemo(ctx context.Context, dir string, on catalog.Engine, asOf civil.Day) error {
	var db demo.Database
	var err error
	if on == catalog.Embedded {
		db, err = demo.OpenFile(store.DSN(base.RecordsPath(dir)))
	} else {
		db, err = demo.OpenServer(ctx, on, os.Getenv(demo.ServerVariable), demo.Schema)
	}
	if err != nil {
		return err
	}
	defer db.Close()
	return demo.Fill(ctx, db, asOf)
}
