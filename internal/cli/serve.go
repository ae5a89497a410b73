package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"runtime/debug"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/viper"

	"pikegate/internal/api"
	"pikegate/internal/core/phrase"
	"pikegate/internal/service"
)

// settings are all that a service can be told. Each is a flag, an environment
// variable and a key of the config file; this list documents all three.
var settings = []struct {
	name, value, about string
}{
	{"listen", "127.0.0.1:8080", "address and port to listen on; loopback unless told otherwise"},
	{"data", filepath.Join(cacheDir(), "data"), "directory of the service's files"},
	{"day-order", "", "how days that are all digits are read: day-first or month-first; unset, ambiguous ones are refused"},
	{"fiscal-year-starts", "", "month that the business's year starts with, 1 to 12; unset, fiscal phrases are refused"},
	{"run-time", "5m", "the longest that a run may take"},
	{"evidence-time", "20s", "the longest that counting the evidence of a run may take, after its rows"},
	{"receipt-days", "400", "how many days receipts are kept"},
	{"stop-time", "20s", "how long requests in flight may go on when the service is stopped"},
	{"log", "info", "the least that is logged: debug, info, warn or error"},
}

const settingsPrefix = "PIKEGATE"

func variable(name string) string {
	return settingsPrefix + "_" + strings.ToUpper(strings.ReplaceAll(name, "-", "_"))
}

func cacheDir() string {
	dir, err := os.UserCacheDir()
	if err != nil {
		dir = os.TempDir()
	}
	return filepath.Join(dir, "pikegate")
}

func newServe() *cobra.Command {
	c := &cobra.Command{
		Use:   "serve",
		Short: "Run the service",
		Long:  "Run the service: the API, the console, and the reports.\n\n" + settingsHelp(),
		Example: `  pikegate serve --data /srv/pikegate
  PIKEGATE_LISTEN=127.0.0.1:9000 pikegate serve
  pikegate serve --config /etc/pikegate.yaml`,
		Args: arity(0, 0),
		RunE: func(c *cobra.Command, _ []string) error {
			v, err := readSettings(c)
			if err != nil {
				return err
			}
			return serve(c.Context(), v, c.ErrOrStderr())
		},
	}
	for _, s := range settings {
		c.Flags().String(s.name, s.value, s.about)
	}
	c.Flags().String("config", "", "config file, YAML (else $"+variable("config")+")")
	return c
}

func settingsHelp() string {
	var b strings.Builder
	b.WriteString("Each setting is a flag, an environment variable, and a key of the config file.\nThe flag wins over the variable, the variable over the file.\n\n")
	fmt.Fprintf(&b, "  %-22s%-30s%-22s%s\n", "FLAG", "VARIABLE", "KEY", "DEFAULT")
	for _, s := range settings {
		value := s.value
		if value == "" {
			value = "(unset)"
		}
		if s.name == "data" {
			value = "pikegate/data in the user's cache directory"
		}
		fmt.Fprintf(&b, "  %-22s%-30s%-22s%s\n", "--"+s.name, variable(s.name), s.name+":", value)
	}
	return strings.TrimRight(b.String(), "\n")
}

// readSettings merges flags, environment and config file.
func readSettings(c *cobra.Command) (*viper.Viper, error) {
	v := viper.New()
	v.SetEnvPrefix(settingsPrefix)
	v.SetEnvKeyReplacer(strings.NewReplacer("-", "_"))
	v.AutomaticEnv()
	if err := v.BindPFlags(c.Flags()); err != nil {
		return nil, err
	}
	file := v.GetString("config")
	if file == "" {
		return v, nil
	}
	v.SetConfigFile(file)
	v.SetConfigType("yaml")
	if err := v.ReadInConfig(); err != nil {
		return nil, fail(exitUsage, "the config file %s cannot be read: %w", file, err)
	}
	return v, knownKeys(v, file)
}

// knownKeys refuses a key of the config file that means nothing.
func knownKeys(v *viper.Viper, file string) error {
	known := map[string]bool{"config": true, "help": true}
	var names []string
	for _, s := range settings {
		known[s.name] = true
		names = append(names, s.name)
	}
	for _, key := range v.AllKeys() {
		if !known[key] {
			return fail(exitUsage, "the config file %s has a key %q that is no setting; they are %s", file, key, strings.Join(names, ", "))
		}
	}
	return nil
}

func serve(ctx context.Context, v *viper.Viper, logTo io.Writer) error {
	if err := startLog(v.GetString("log"), logTo); err != nil {
		return err
	}
	config, err := serviceConfig(v.GetString("data"), v.GetString("day-order"), v.GetString("run-time"))
	if err != nil {
		return err
	}
	if config.EvidenceTime, err = length("evidence-time", v.GetString("evidence-time")); err != nil {
		return err
	}
	if config.KeepDays, err = strconv.Atoi(v.GetString("receipt-days")); err != nil || config.KeepDays < 1 {
		return fail(exitUsage, "receipt-days: %q is not a number of days, 1 or more", v.GetString("receipt-days"))
	}
	if text := v.GetString("fiscal-year-starts"); text != "" {
		if config.FiscalStart, err = fiscalStart(text); err != nil {
			return err
		}
	}
	grace, err := time.ParseDuration(v.GetString("stop-time"))
	if err != nil {
		return fail(exitUsage, "stop-time: %w", err)
	}
	listener, err := net.Listen("tcp", v.GetString("listen"))
	if err != nil {
		return fail(exitFailed, "%w", err)
	}
	s, err := service.Open(ctx, config)
	if err != nil {
		listener.Close()
		return fail(exitFailed, "%w", err)
	}
	defer s.Close()
	slog.Info("the service answers", "address", "http://"+listener.Addr().String(), "data", config.Dir, "version", api.Version)
	return run(ctx, s, listener, grace)
}

// heapGrowth is how far the heap may grow before garbage is collected, in per cent of
// what is in use. That is little, and requests are many: by Go's own 100 a service
// collects many times a second. GOGC overrules it.
const heapGrowth = 400

// run serves until ctx ends.
func run(ctx context.Context, s *service.Service, listener net.Listener, grace time.Duration) error {
	if os.Getenv("GOGC") == "" {
		debug.SetGCPercent(heapGrowth)
	}
	server := api.Server(api.New(s))
	err := api.Serve(ctx, server, func() error { return server.Serve(listener) }, grace)
	if err != nil && !errors.Is(err, http.ErrServerClosed) {
		return fail(exitFailed, "%w", err)
	}
	return nil
}

func startLog(level string, to io.Writer) error {
	var l slog.Level
	if err := l.UnmarshalText([]byte(level)); err != nil {
		return fail(exitUsage, "log: %q is not one of debug, info, warn and error", level)
	}
	slog.SetDefault(slog.New(slog.NewJSONHandler(to, &slog.HandlerOptions{Level: l})))
	return nil
}

// length reads a length of time.
func length(setting, text string) (time.Duration, error) {
	d, err := time.ParseDuration(text)
	if err != nil || d <= 0 {
		return 0, fail(exitUsage, "%s: %q is not a length of time such as 90s or 5m", setting, text)
	}
	return d, nil
}

// dayOrder reads how days that are all digits are read; "" leaves it unset.
func dayOrder(text string) (phrase.DayOrder, error) {
	switch order := phrase.DayOrder(text); order {
	case phrase.AnyOrder, phrase.DayFirst, phrase.MonthFirst:
		return order, nil
	}
	return "", fail(exitUsage, "day-order: %q is not one of day-first and month-first", text)
}

// fiscalStart reads the month that a fiscal year starts with.
func fiscalStart(text string) (time.Month, error) {
	month, err := strconv.Atoi(text)
	if err != nil || month < 1 || month > 12 {
		return 0, fail(exitUsage, "fiscal-year-starts: %q is not a month from 1 to 12", text)
	}
	return time.Month(month), nil
}

func serviceConfig(dir, order, runTime string) (service.Config, error) {
	c := service.Config{Dir: dir, Now: time.Now}
	var err error
	if c.DayOrder, err = dayOrder(order); err != nil {
		return c, err
	}
	if c.RunTime, err = length("run-time", runTime); err != nil {
		return c, err
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return c, fail(exitFailed, "%w", err)
	}
	return c, nil
}
