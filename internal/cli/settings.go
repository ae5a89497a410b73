package cli

import (
	"cmp"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"net/mail"
	"net/netip"
	"net/url"
	"os"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"go.yaml.in/yaml/v3"

	"pikegate/internal/api"
	"pikegate/internal/core/criteria"
	"pikegate/internal/core/fault"
	"pikegate/internal/core/phrase"
	"pikegate/internal/deliver"
	"pikegate/internal/service/base"
	"pikegate/internal/service/people"
)

// serving is what a service is started with, and how it is reached.
type serving struct {
	base.Config
	listen string
	limits api.Limits
	// connections is how many there may be at once.
	connections int
	log         slog.Level
	level       *slog.LevelVar // which the log goes by; log where it is not set
	grace       time.Duration
	// traces is the collector that they are sent to, "" for none, and tracesShare the share of all.
	traces      string
	tracesShare float64
	// open is whether everybody may do everything though the service listens beyond this machine.
	open bool
	// said are the texts of the settings, by name; reread reads them again as they are said then.
	said   map[string]string
	reread func() (*serving, error)
	// encrypted is the certificate that the service has, where it encrypts by itself.
	encrypted certificate
}

// setting is one thing that a service can be told: a flag, an environment variable and a
// key of the config file. take puts its text in place; an error says what is wrong with it.
type setting struct {
	name, value, about string
	take               func(to *serving, text string) error
}

// settings are all of them; this list documents them too.
var settings = []setting{
	{"listen", "127.0.0.1:8080", "address and port to listen on; loopback unless told otherwise", takeText(func(to *serving) *string { return &to.listen })},
	{"tls-certificate", "", "file of the certificate, PEM, with which the service encrypts; with tls-key; both are read again when they change", takeText(func(to *serving) *string { return &to.encrypted.cert })},
	{"tls-key", "", "file of the certificate's private key, PEM", takeText(func(to *serving) *string { return &to.encrypted.key })},
	{"hosts", "", "names that the service is called by, beside loopback ones and the address that it listens on; a request for another name gets 421", func(to *serving, text string) error {
		to.limits.Hosts = list(text)
		return nil
	}},
	{"data", dataHome("data"), "directory of the service's files", takeText(func(to *serving) *string { return &to.Dir })},
	{"people", "no", "whether one has to sign in even before anybody may; once somebody may, everybody has to: yes or no", takeTruth(func(to *serving) *bool { return &to.People })},
	{"open-to-everyone", "no", "whether to listen beyond this machine although nobody has to sign in: yes or no", takeTruth(func(to *serving) *bool { return &to.open })},
	{"session-idle", "12h", "how long a session lasts without use", takeTime(func(to *serving) *time.Duration { return &to.SessionIdle })},
	{"session-time", "168h", "how long a session lasts at most", takeTime(func(to *serving) *time.Duration { return &to.SessionTime })},
	{"requests-per-minute", "1200", "how many requests each person may make in a minute; 0 for any number", func(to *serving, text string) error {
		n, err := strconv.Atoi(text)
		if err != nil || n < 0 {
			return fmt.Errorf("%q is not a whole number, 0 or more", text)
		}
		to.limits.PerMinute = n
		return nil
	}},
	{"proxy-header", "", "the header in which a proxy in front says who has signed in there; with proxy-addresses", takeText(func(to *serving) *string { return &to.limits.ProxyHeader })},
	{"proxy-addresses", "", "addresses or networks of that proxy, parted by commas, such as 10.1.2.3 or 10.1.0.0/16", func(to *serving, text string) error {
		for _, item := range list(text) {
			network, err := netip.ParsePrefix(item)
			if one, failed := netip.ParseAddr(item); failed == nil {
				network, err = netip.PrefixFrom(one, one.BitLen()), nil
			}
			if err != nil {
				return fmt.Errorf("%q is no address or network", item)
			}
			to.limits.ProxyAddresses = append(to.limits.ProxyAddresses, network)
		}
		return nil
	}},
	{"openid-provider", "", "the provider that people may sign in at by OpenID Connect: its issuer, such as https://login.example.test; it sends them back to address + " + people.ReturnPath + "; with openid-client and address", func(to *serving, text string) error {
		u, err := url.Parse(text)
		if text != "" && (err != nil || !isAddress(text) || u.Scheme == "http" && !loopback(u.Hostname())) {
			return fmt.Errorf("%q is not the address of a provider such as https://login.example.test; http is for one on this machine alone", text)
		}
		to.OpenID.Issuer = text
		return nil
	}},
	{"openid-client", "", "what the service is called at that provider", takeText(func(to *serving) *string { return &to.OpenID.Client })},
	{"openid-secret-file", "", "file of the secret of the service at that provider; unset, it has none", takeSecret(func(to *serving) *string { return &to.OpenID.Secret })},
	{"openid-name", "preferred_username", "the claim that is the name of a person", takeText(func(to *serving) *string { return &to.OpenID.Name })},
	{"openid-adds", "", "the role that people get whom the provider lets in and nobody has added: reader or developer; unset, they are refused", func(to *serving, text string) error {
		if text != "" && text != base.Reader && text != base.Developer {
			return fmt.Errorf("%q is not reader or developer", text)
		}
		to.OpenID.Adds = text
		return nil
	}},
	{"openid-attributes", "", "claims that become attributes of people, parted by commas; such as harbours, mail", func(to *serving, text string) error {
		for _, name := range list(text) {
			if !criteria.IsAttribute(name) || name == string(criteria.PersonName) || name == string(criteria.PersonRole) {
				return fmt.Errorf("%q cannot be an attribute, which is called by small letters, digits and _, and neither name nor role", name)
			}
		}
		to.OpenID.Attributes = list(text)
		return nil
	}},
	{"openid-groups", "", "the claim that names the groups a person is in; unset, groups are kept here alone", takeText(func(to *serving) *string { return &to.OpenID.Groups })},
	{"address", "", "where people reach the service, for links in mails, such as https://reports.example.test", takeAddress},
	{"mail-from", "", "who mails are from, such as Reports <reports@example.test>", func(to *serving, text string) error {
		if _, err := mail.ParseAddress(text); text != "" && err != nil {
			return fmt.Errorf("%q is not an address such as reports@example.test", text)
		}
		to.Mail.From = text
		return nil
	}},
	{"mail-password-file", "", "file of the password at the mail server", takeSecret(func(to *serving) *string { return &to.Mail.Password })},
	{"mail-server", "", "the server that mails of schedules are sent by: smtp://USER@HOST:587 for STARTTLS, smtps://USER@HOST:465 for TLS", takeMailServer},
	{"mail-domains", "", "domains that mails may go to, parted by commas; unset, any", takeList(func(to *serving) *[]string { return &to.MailDomains })},
	{"mail-size", "10 MiB", "the most that is attached to a mail; what is larger is linked", takeSize(func(to *serving) *int64 { return &to.MailBytes })},
	{"deliver-to", "", "directory below which schedules put results; unset, none do", takeDirectory(func(to *serving) *string { return &to.Deliveries })},
	{"hook-hosts", "", "hosts that schedules may post results to, as HOST or HOST:PORT; unset, none", takeList(func(to *serving) *[]string { return &to.HookHosts })},
	{"day-order", "", "how days that are all digits are read: day-first or month-first; unset, ambiguous ones are refused", func(to *serving, text string) (err error) {
		to.DayOrder, err = dayOrder(text)
		return err
	}},
	{"fiscal-year-starts", "", "month that the business's year starts with, 1 to 12; unset, fiscal phrases are refused", func(to *serving, text string) (err error) {
		if text != "" {
			to.FiscalStart, err = fiscalStart(text)
		}
		return err
	}},
	{"run-time", "5m", "the longest that a run may take", takeTime(func(to *serving) *time.Duration { return &to.RunTime })},
	{"evidence-time", "20s", "the longest that counting the evidence of a run may take, after its rows", takeTime(func(to *serving) *time.Duration { return &to.EvidenceTime })},
	{"receipt-days", "400", "how many days receipts are kept", takeNumber(func(to *serving) *int { return &to.KeepDays })},
	{"secret-variables", settingsPrefix + "_*", "environment variables that addresses and passwords of sources may come from, parted by commas; * at the end stands for anything", takeList(func(to *serving) *[]string { return &to.Sources.Variables })},
	{"secret-files", "secrets", "directories of the files that they may come from; relative ones lie in the data directory", takeList(func(to *serving) *[]string { return &to.Sources.SecretDirs })},
	{"source-files", "", "directories that SQLite files of sources may lie in, beside the data directory; unset, any that a published source names", takeList(func(to *serving) *[]string { return &to.Sources.FileDirs })},
	{"source-servers", "", "servers that sources may be on, as HOST or HOST:PORT; unset, any that a published source names", takeList(func(to *serving) *[]string { return &to.Sources.Servers })},
	{"functions", "", "functions of the company's own that custom SQL may call, parted by commas; such as shore.tide", takeList(func(to *serving) *[]string { return &to.Functions })},
	{"load-size", "512 MiB", "the most that a file to be loaded may have", takeSize(func(to *serving) *int64 { return &to.LoadBytes })},
	{"load-unpacked", "2 GiB", "the most that an XLSX file may unpack to", takeSize(func(to *serving) *int64 { return &to.Loads.Unpacked })},
	{"load-ratio", "200", "how many times its size an XLSX file of over 16 MiB unpacked may unpack to", takeNumber(func(to *serving) *int { return &to.Loads.Ratio })},
	{"load-columns", "2000", "the most columns that a file to be loaded may have, 2000 at most", takeNumber(func(to *serving) *int { return &to.Loads.Columns })},
	{"load-field", "1 MiB", "the most that one of its fields may have", takeSize(func(to *serving) *int64 { return &to.Loads.Field })},
	{"load-line", "8 MiB", "the most that one of its rows may have", takeSize(func(to *serving) *int64 { return &to.Loads.Line })},
	{"uploads-at-once", "4", "how many files may come to be loaded at once; further ones are turned away", takeNumber(func(to *serving) *int { return &to.Uploads })},
	{"checks-at-once", "2", "how many uploads of definitions are checked at once; others wait", takeNumber(func(to *serving) *int { return &to.Checks })},
	{"inspections-at-once", "2", "how many tables are inspected at once; others wait", takeNumber(func(to *serving) *int { return &to.Inspections })},
	{"own-size", "8 GiB", "the most that the service's own records may take; a warning comes at four fifths", takeSize(func(to *serving) *int64 { return &to.OwnBytes })},
	{"spool-size", "1 GiB", "the most of a result that waits on the disk for a slow reader", takeSize(func(to *serving) *int64 { return &to.SpoolBytes })},
	{"keep-results", "24h", "how long the rows of a run are kept, so that its pages and downloads show the same records; 0 for not at all", takeTimeOrNone(func(to *serving) *time.Duration { return &to.KeepResults })},
	{"result-size", "64 MiB", "the most that is kept of one run", takeSize(func(to *serving) *int64 { return &to.ResultBytes })},
	{"results-size", "1 GiB", "the most that is kept of all runs together; the oldest go first", takeSize(func(to *serving) *int64 { return &to.ResultsBytes })},
	{"connections", "1000", "how many connections there may be at once; further ones wait to be accepted", takeNumber(func(to *serving) *int { return &to.connections })},
	{"stall-time", "30s", "how long a reader or a sender may take for the next part of an answer or a file", takeTime(func(to *serving) *time.Duration { return &to.limits.Stall })},
	{"send-time", "1h", "the longest that an answer may take to be sent, or a file to come", takeTime(func(to *serving) *time.Duration { return &to.limits.Send })},
	{"stop-time", "20s", "how long requests in flight may go on when the service is stopped", takeTime(func(to *serving) *time.Duration { return &to.grace })},
	{"traces", "", "collector that traces are sent to, by OTLP over HTTP, such as http://127.0.0.1:4318; unset, none are made", func(to *serving, text string) error {
		if text != "" && !isAddress(text) {
			return fmt.Errorf("%q is not the address of a collector such as http://127.0.0.1:4318", text)
		}
		to.traces = strings.TrimSuffix(text, "/")
		return nil
	}},
	{"traces-share", "100", "how many of 100 traces are made", func(to *serving, text string) error {
		n, err := strconv.ParseFloat(text, 64)
		if err != nil || !(n >= 0 && n <= 100) {
			return fmt.Errorf("%q is not a number from 0 to 100", text)
		}
		to.tracesShare = n / 100
		return nil
	}},
	{"log", "info", "the least that is logged: debug, info, warn or error", func(to *serving, text string) error {
		if to.log.UnmarshalText([]byte(text)) != nil {
			return fmt.Errorf("%q is not one of debug, info, warn and error", text)
		}
		return nil
	}},
}

// takeText is for a text that may be any.
func takeText(at func(*serving) *string) func(*serving, string) error {
	return func(to *serving, text string) error {
		*at(to) = text
		return nil
	}
}

// takeSecret is for the name of a file that holds a secret.
func takeSecret(at func(*serving) *string) func(*serving, string) error {
	return func(to *serving, text string) error {
		if text == "" {
			return nil
		}
		secret, err := os.ReadFile(text)
		*at(to) = strings.TrimSpace(string(secret))
		return err
	}
}

// takeTruth is for yes or no.
func takeTruth(at func(*serving) *bool) func(*serving, string) error {
	return func(to *serving, text string) error {
		switch text {
		case "yes", "true":
			*at(to) = true
		case "no", "false":
			*at(to) = false
		default:
			return fmt.Errorf("%q is not yes or no", text)
		}
		return nil
	}
}

// takeTime is for a length of time.
func takeTime(at func(*serving) *time.Duration) func(*serving, string) error {
	return func(to *serving, text string) error {
		d, err := time.ParseDuration(text)
		if err != nil || d <= 0 {
			return fmt.Errorf("%q is not a length of time such as 90s or 5m", text)
		}
		*at(to) = d
		return nil
	}
}

// takeTimeOrNone is for a length of time, or 0.
func takeTimeOrNone(at func(*serving) *time.Duration) func(*serving, string) error {
	take := takeTime(at)
	return func(to *serving, text string) error {
		if text == "0" {
			*at(to) = 0
			return nil
		}
		return take(to, text)
	}
}

// takeNumber is for a whole number, 1 or more.
func takeNumber(at func(*serving) *int) func(*serving, string) error {
	return func(to *serving, text string) error {
		n, err := strconv.Atoi(text)
		if err != nil || n < 1 {
			return fmt.Errorf("%q is not a whole number, 1 or more", text)
		}
		*at(to) = n
		return nil
	}
}

// sizeText is a number of bytes with its unit.
var sizeText = regexp.MustCompile(`(?i)^([0-9]{1,16})\s*(B|KB|KiB|MB|MiB|GB|GiB|TB|TiB)?$`)

var units = map[string]int64{"": 1, "b": 1, "kb": 1e3, "kib": 1 << 10, "mb": 1e6, "mib": 1 << 20, "gb": 1e9, "gib": 1 << 30, "tb": 1e12, "tib": 1 << 40}

// takeSize is for a number of bytes.
func takeSize(at func(*serving) *int64) func(*serving, string) error {
	return func(to *serving, text string) error {
		m := sizeText.FindStringSubmatch(text)
		if m == nil {
			return fmt.Errorf("%q is not a size such as 64 MiB or 2 GiB", text)
		}
		n, err := strconv.ParseInt(m[1], 10, 64)
		unit := units[strings.ToLower(m[2])]
		if err != nil || n < 1 || n > 1<<50/unit {
			return fmt.Errorf("%q is not a size such as 64 MiB or 2 GiB", text)
		}
		*at(to) = n * unit
		return nil
	}
}

// takeList is for names, parted by commas.
func takeList(at func(*serving) *[]string) func(*serving, string) error {
	return func(to *serving, text string) error {
		*at(to) = list(text)
		return nil
	}
}

func list(text string) []string {
	return strings.FieldsFunc(text, func(r rune) bool { return r == ',' || r == ' ' })
}

// dayOrder reads how days that are all digits are read; "" leaves it unset.
func dayOrder(text string) (phrase.DayOrder, error) {
	switch order := phrase.DayOrder(text); order {
	case phrase.AnyOrder, phrase.DayFirst, phrase.MonthFirst:
		return order, nil
	}
	return "", fmt.Errorf("%q is not one of day-first and month-first", text)
}

// fiscalStart reads the month that a fiscal year starts with.
func fiscalStart(text string) (time.Month, error) {
	month, err := strconv.Atoi(text)
	if err != nil || month < 1 || month > 12 {
		return 0, fmt.Errorf("%q is not a month from 1 to 12", text)
	}
	return time.Month(month), nil
}

const settingsPrefix = "PIKEGATE"

func variable(name string) string {
	return settingsPrefix + "_" + strings.ToUpper(strings.ReplaceAll(name, "-", "_"))
}

func settingsHelp() string {
	var b strings.Builder
	b.WriteString("Each setting is a flag, an environment variable, and a key of the config file.\nThe flag wins over the variable, the variable over the file.\n\n")
	fmt.Fprintf(&b, "  %-22s%-30s%-22s%s\n", "FLAG", "VARIABLE", "KEY", "DEFAULT")
	for _, s := range settings {
		value := cmp.Or(s.value, "(unset)")
		if s.name == "data" {
			value = "pikegate/data in the user's data home"
		}
		fmt.Fprintf(&b, "  %-22s%-30s%-22s%s\n", "--"+s.name, variable(s.name), s.name+":", value)
	}
	return strings.TrimRight(b.String(), "\n")
}

// readSettings takes each setting from its flag, else from its variable, else from the
// config file, else as it usually is.
func readSettings(c *cobra.Command) (*serving, error) {
	file, _ := c.Flags().GetString("config")
	said, err := readConfig(cmp.Or(file, os.Getenv(variable("config"))))
	if err != nil {
		return nil, err
	}
	return taken(func(s setting) string {
		flag := c.Flags().Lookup(s.name)
		text, inFile := said[s.name]
		switch value, inEnvironment := os.LookupEnv(variable(s.name)); {
		case flag.Changed:
			return flag.Value.String()
		case inEnvironment && value != "":
			return value
		case inFile:
			return text
		}
		return s.value
	})
}

// readConfig reads the config file, YAML, none where file is "". A list is its items, parted
// by commas. A key that is no setting is refused.
func readConfig(file string) (map[string]string, error) {
	if file == "" {
		return nil, nil
	}
	text, err := os.ReadFile(file)
	keys := map[string]any{}
	if err == nil {
		err = yaml.Unmarshal(text, &keys)
	}
	if err != nil {
		return nil, fail(exitUsage, "the config file %s cannot be read: %w", file, err)
	}
	var names []string
	for _, s := range settings {
		names = append(names, s.name)
	}
	said := map[string]string{}
	for _, key := range slices.Sorted(maps.Keys(keys)) {
		if !slices.Contains(names, key) {
			f := fault.New(fault.UnknownSetting, "the config file %s has a key %q that is no setting", file, key)
			return nil, fail(exitUsage, "%s", f.Suggest(fault.Near(key, names)).Sentence())
		}
		if keys[key] == nil { // a key without a value says nothing
			continue
		}
		said[key] = fmt.Sprint(keys[key])
		if items, isList := keys[key].([]any); isList {
			said[key] = strings.Trim(fmt.Sprint(items), "[]")
		}
	}
	return said, nil
}

// taken puts the texts of all settings in place.
func taken(textOf func(setting) string) (*serving, error) {
	to := &serving{Config: base.Config{Now: time.Now}, level: &slog.LevelVar{}, said: map[string]string{}}
	var wrong []error
	for _, s := range settings {
		text := textOf(s)
		to.said[s.name] = text
		if err := s.take(to, text); err != nil {
			wrong = append(wrong, fmt.Errorf("%s: %w", s.name, err))
		}
		to.Sources.Hidden = append(to.Sources.Hidden, variable(s.name))
	}
	wrong = append(wrong, to.together()...)
	if len(wrong) > 0 {
		return nil, fail(exitUsage, "%w", errors.Join(wrong...))
	}
	return to, nil
}

// together tells what is wrong with settings beside each other.
func (to *serving) together() (wrong []error) {
	if to.encrypted.cert != "" || to.encrypted.key != "" {
		if _, err := to.encrypted.config(); err != nil {
			wrong = append(wrong, fmt.Errorf("tls-certificate and tls-key: %w", err))
		}
	}
	if (to.limits.ProxyHeader == "") != (len(to.limits.ProxyAddresses) == 0) {
		wrong = append(wrong, errors.New("proxy-header and proxy-addresses: each says nothing without the other"))
	}
	if to.OpenID.Issuer != "" && (to.OpenID.Client == "" || to.Address == "") {
		wrong = append(wrong, errors.New("openid-provider: openid-client says what the service is called there, and address where people are sent back to; it needs both"))
	}
	if to.OpenID.Issuer == "" && to.OpenID.Client != "" {
		wrong = append(wrong, errors.New("openid-client: it says nothing without openid-provider"))
	}
	if to.Mail.IsSet() && to.Mail.From == "" {
		wrong = append(wrong, errors.New("mail-from: mails are from nobody; name an address, such as reports@example.test"))
	}
	if to.Mail.User != "" && to.Mail.Password == "" {
		wrong = append(wrong, errors.New("mail-password-file: mail-server names a user, whose password stands in a file"))
	}
	return wrong
}

// takeMailServer is for the address of a mail server.
func takeMailServer(to *serving, text string) error {
	if text == "" {
		return nil
	}
	server, err := deliver.ParseServer(text)
	if err != nil {
		return err
	}
	server.From, server.Password = to.Mail.From, to.Mail.Password
	to.Mail = server
	return nil
}

// isAddress tells whether a text is the address of something that speaks HTTP, and nothing behind it.
func isAddress(text string) bool {
	u, err := url.Parse(text)
	return err == nil && (u.Scheme == "https" || u.Scheme == "http") && u.Host != "" && u.RawQuery == "" && u.Fragment == "" && u.User == nil
}

// takeAddress is for the address of the service itself.
func takeAddress(to *serving, text string) error {
	if text != "" && !isAddress(text) {
		return fmt.Errorf("%q is not an address such as https://reports.example.test", text)
	}
	to.Address = strings.TrimSuffix(text, "/")
	return nil
}

// takeDirectory is for a directory that is there.
func takeDirectory(at func(*serving) *string) func(*serving, string) error {
	return func(to *serving, text string) error {
		if text != "" {
			if info, err := os.Stat(text); err != nil || !info.IsDir() {
				return fmt.Errorf("there is no directory %q", text)
			}
		}
		*at(to) = text
		return nil
	}
}

// usual are the settings as they are where nothing is said.
func usual() *serving {
	to, err := taken(func(s setting) string { return s.value })
	if err != nil {
		panic("cli: a default is no value of its setting: " + err.Error())
	}
	return to
}
