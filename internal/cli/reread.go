package cli

import (
	"os"
	"os/signal"
	"slices"
	"strings"
	"syscall"

	"pikegate/internal/service"
)

// quiet are the settings that a service takes over when it reads them again while it runs. The others wait
// until it is started anew: they say where it listens, what it made room for, and how definitions are read.
var quiet = []string{
	"hosts", "session-idle", "session-time", "requests-per-minute", "proxy-header", "proxy-addresses",
	"openid-provider", "openid-client", "openid-secret-file", "openid-name", "openid-adds", "openid-attributes", "openid-groups",
	"address", "mail-from", "mail-password-file", "mail-server", "mail-domains", "mail-size", "deliver-to", "hook-hosts",
	"run-time", "evidence-time", "receipt-days", "load-size", "load-unpacked", "load-ratio", "load-columns", "load-field", "load-line",
	"stall-time", "send-time", "log",
}

// rereading reads the settings again whenever the program is told to by SIGHUP, until stop is called. limit
// sets who may call the service.
func (to *serving) rereading(s *service.Service, limit func(*serving)) (stop func()) {
	told := make(chan os.Signal, 1)
	signal.Notify(told, syscall.SIGHUP)
	go func() {
		at := to
		for range told {
			at = at.readAgain(s, limit)
		}
	}()
	return func() {
		signal.Stop(told)
		close(told)
	}
}

// readAgain has a service go by the settings as they are said now, those of quiet, and returns what it goes
// by. Where any is wrong, all stay as they were.
func (to *serving) readAgain(s *service.Service, limit func(*serving)) *serving {
	fresh, err := to.reread()
	var now *serving
	if err == nil {
		now, err = taken(func(s setting) string {
			if slices.Contains(quiet, s.name) {
				return fresh.said[s.name]
			}
			return to.said[s.name]
		})
	}
	if err != nil {
		to.Log.Error("the settings were read again and are wrong; those before go on", "err", err)
		return to
	}
	var changed, waiting []string
	for _, s := range settings {
		switch {
		case fresh.said[s.name] == to.said[s.name]:
		case slices.Contains(quiet, s.name):
			changed = append(changed, s.name)
		default:
			waiting = append(waiting, s.name)
		}
	}
	now.reread, now.level, now.Log, now.limits.Open = to.reread, to.level, to.Log, to.limits.Open
	config, before := now.Config, s.Base.Config()
	config.Now, config.KeptMail = before.Now, before.KeptMail // which are no settings
	s.Base.Configure(config)
	limit(now)
	to.level.Set(now.log)
	to.Log.Info("the settings were read again", "changed", strings.Join(changed, " "),
		"for the next start", strings.Join(waiting, " "))
	return now
}
