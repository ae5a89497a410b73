package cli

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"strings"
	"time"

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
			mails := standin.NewMail(dir, newLog(slog.LevelWarn, c.ErrOrStderr()))
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

func newOpenIDStandIn() *cobra.Command {
	var listen, client string
	var people []string
	c := &cobra.Command{
		Use:   "openid-stand-in",
		Short: "Run a provider of OpenID Connect at which everybody is whom they say, to try signing in",
		Long: `Run a provider of OpenID Connect at which whoever comes picks who they are, to try
signing in with. It is for this machine alone. The service reaches it by
openid-provider: http://127.0.0.1:9090, openid-client: pikegate.`,
		Example: `  pikegate openid-stand-in --person Ines --person "Solveig; harbours=Holm; groups=quay"`,
		Args:    arity(0, 0),
		RunE: func(c *cobra.Command, _ []string) error {
			listener, err := net.Listen("tcp", listen)
			if err != nil {
				return fail(exitFailed, "%w", err)
			}
			defer listener.Close()
			host, port, err := net.SplitHostPort(listener.Addr().String())
			if err != nil || !loopback(host) {
				return fail(exitUsage, "the stand-in lets everybody be anybody, and listens on this machine alone: 127.0.0.1:9090")
			}
			issuer := "http://" + net.JoinHostPort(host, port)
			provider, err := standin.NewOpenID(issuer, client, claimsOf(people))
			if err != nil {
				return fail(exitFailed, "%w", err)
			}
			server := &http.Server{Handler: provider, ReadHeaderTimeout: 10 * time.Second}
			stop := context.AfterFunc(c.Context(), func() { _ = server.Close() })
			defer stop()
			fmt.Fprintf(c.OutOrStdout(), "The provider is %s, and the client %s.\n", issuer, client)
			if err := server.Serve(listener); !errors.Is(err, http.ErrServerClosed) {
				return fail(exitFailed, "%w", err)
			}
			return nil
		},
	}
	c.Flags().StringVar(&listen, "listen", "127.0.0.1:9090", "address and port")
	c.Flags().StringVar(&client, "client", "pikegate", "what the service is called there")
	c.Flags().StringArrayVar(&people, "person", []string{"Ines"}, "somebody to be picked, with claims behind them as in Solveig; harbours=Holm, Skerry; may be said several times")
	return c
}

// claimsOf reads people with their claims.
func claimsOf(people []string) (all []standin.Claims) {
	for _, text := range people {
		name, rest, _ := strings.Cut(text, ";")
		p := standin.Claims{Name: strings.TrimSpace(name), More: map[string]any{}}
		for _, claim := range strings.Split(rest, ";") {
			if key, values, ok := strings.Cut(claim, "="); ok {
				var all []string
				for _, value := range strings.Split(values, ",") {
					all = append(all, strings.TrimSpace(value))
				}
				p.More[strings.TrimSpace(key)] = all
			}
		}
		all = append(all, p)
	}
	return all
}
