package cli

import (
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"os"
	"slices"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"pikegate/internal/api"
	"pikegate/internal/service"
	"pikegate/internal/service/base"
	"pikegate/internal/traced"
)

func newServe() *cobra.Command {
	var only bool
	c := &cobra.Command{
		Use:   "serve",
		Short: "Run the service",
		Long:  "Run the service: the API, the console, and the reports.\n\n" + settingsHelp(),
		Example: `  pikegate serve --data /srv/pikegate
  PIKEGATE_LISTEN=127.0.0.1:9000 pikegate serve
  pikegate serve --config /etc/pikegate.yaml
  kill -HUP PID    # have a service that runs read its settings again`,
		Args: arity(0, 0),
		RunE: func(c *cobra.Command, _ []string) error {
			to, err := readSettings(c)
			if err != nil {
				return err
			}
			if only {
				fmt.Fprintln(c.OutOrStdout(), "The settings are right.")
				return nil
			}
			to.reread = func() (*serving, error) { return readSettings(c) }
			return serve(c.Context(), to, c.ErrOrStderr())
		},
	}
	for _, s := range settings {
		c.Flags().String(s.name, s.value, s.about)
		if s.value == "no" {
			c.Flags().Lookup(s.name).NoOptDefVal = "yes" // the flag alone
		}
	}
	c.Flags().BoolVar(&only, "check", false, "only hold the settings to what they may be, all at once, and start nothing")
	c.Flags().String("config", "", "config file, YAML (else $"+variable("config")+")")
	return c
}

// tracesTime is how long the last traces may take to be sent when the service ends.
const tracesTime = 3 * time.Second

func serve(ctx context.Context, to *serving, logTo io.Writer) error {
	to.level.Set(to.log)
	to.Log = newLog(to.level, logTo)
	if to.traces != "" {
		stop, err := traced.Start(to.traces, to.tracesShare, api.Version, to.Log)
		if err != nil {
			return fail(exitUsage, "traces: %w", err)
		}
		defer func() {
			last, cancel := context.WithTimeout(context.WithoutCancel(ctx), tracesTime)
			defer cancel()
			_ = stop(last) // that the collector is away was told
		}()
	}
	listener, err := net.Listen("tcp", to.listen)
	if err != nil {
		return fail(exitFailed, "%w", err)
	}
	defer listener.Close()
	s, err := openService(ctx, to.Config, logTo)
	if err != nil {
		return err
	}
	defer s.Close()
	if err := guardedBy(ctx, s, listener, to); err != nil {
		return err
	}
	to.Log.Info("the service answers",
		"address", to.scheme()+"://"+listener.Addr().String(), "data", to.Dir, "version", api.Version)
	return serveOn(ctx, s, listener, to)
}

// guardedBy refuses to serve beyond this machine where nobody has to sign in, unless that is wanted.
func guardedBy(ctx context.Context, s *service.Service, listener net.Listener, to *serving) error {
	if s.People.On() {
		if all, err := s.People.List(ctx); err == nil && len(all) == 0 {
			to.Log.Warn("nobody may sign in yet; stop the service and run: pikegate people add NAME --role admin --password-file FILE --data " + to.Dir)
		}
		return nil
	}
	host, _, err := net.SplitHostPort(listener.Addr().String())
	switch {
	case err == nil && loopback(host):
	case to.open:
		to.limits.Open = true
		to.Log.Warn("everybody who reaches the service may do everything, as open-to-everyone says", "address", listener.Addr().String())
	default:
		return fail(exitUsage, "%s can be reached from other machines, and nobody has to sign in. Let somebody in first by pikegate people add NAME --role admin --password-file FILE --data %s; or listen on 127.0.0.1; or let everybody do everything by --open-to-everyone", listener.Addr(), to.Dir)
	}
	return nil
}

// scheme is how the service is called.
func (to *serving) scheme() string {
	if to.encrypted.cert != "" {
		return "https"
	}
	return "http"
}

// loopback tells whether a host is this machine.
func loopback(host string) bool {
	ip := net.ParseIP(host)
	return host == "localhost" || ip != nil && ip.IsLoopback()
}

// openService opens a service in its directory, which it moves from where earlier versions
// had it, saying so on out, or makes where there is none.
func openService(ctx context.Context, config base.Config, out io.Writer) (*service.Service, error) {
	if err := settle(config.Dir, out); err != nil {
		return nil, err
	}
	syscall.Umask(0o077) // what the service writes is for nobody else
	if err := os.MkdirAll(config.Dir, 0o700); err != nil {
		return nil, fail(exitFailed, "%w", err)
	}
	s, err := service.Open(ctx, config)
	if err != nil {
		return nil, fail(exitFailed, "%w", err)
	}
	return s, nil
}

// serveOn serves until ctx ends.
func serveOn(ctx context.Context, s *service.Service, listener net.Listener, to *serving) error {
	defer keepHeap()()
	handler := api.New(s, to.limitsOn(listener))
	server := api.Server(handler)
	if to.reread != nil {
		defer to.rereading(s, func(now *serving) { handler.Limit(now.limitsOn(listener)) })()
	}
	s.KeepSchedules()
	listener = api.Listener(listener, to.connections)
	if to.encrypted.cert != "" || to.encrypted.key != "" {
		config, err := to.encrypted.config()
		if err != nil {
			return fail(exitUsage, "tls-certificate and tls-key: %w", err)
		}
		listener = tls.NewListener(listener, config)
	}
	err := api.Serve(ctx, server, func() error { return server.Serve(listener) }, to.grace, to.Log)
	if err != nil && !errors.Is(err, http.ErrServerClosed) {
		return fail(exitFailed, "%w", err)
	}
	return nil
}

// limitsOn are the limits of who may call a service that listens there: by the names that are set, by its
// address, and by that which it listens on.
func (to *serving) limitsOn(listener net.Listener) api.Limits {
	limits := to.limits
	limits.Hosts = slices.Clone(limits.Hosts)
	if host, _, err := net.SplitHostPort(listener.Addr().String()); err == nil && !net.ParseIP(host).IsUnspecified() {
		limits.Hosts = append(limits.Hosts, host)
	}
	if u, err := url.Parse(to.Address); err == nil && u.Host != "" {
		limits.Hosts = append(limits.Hosts, u.Hostname())
	}
	return limits
}

// newLog logs what is of a level at least, a JSON object on each line.
func newLog(level slog.Leveler, to io.Writer) *slog.Logger {
	return slog.New(slog.NewJSONHandler(to, &slog.HandlerOptions{Level: level}))
}
