package cli

import (
	"cmp"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"net/http"
	"net/url"
	"os"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"pikegate/internal/api"
	"pikegate/internal/core/english"
	"pikegate/internal/service"
	"pikegate/internal/service/base"
	"pikegate/internal/service/people"
)

// passwordFlag adds the flag of the file that a password is read from.
func passwordFlag(c *cobra.Command, into *string) {
	c.Flags().StringVar(into, "password-file", "", "file that holds the password; - for standard input")
}

// readPassword is the first line of a file.
func readPassword(c *cobra.Command, file string) (string, error) {
	var text []byte
	var err error
	switch file {
	case "":
		return "", fail(exitUsage, "--password-file is missing: the password stands in a file, or comes from standard input with -")
	case "-":
		text, err = io.ReadAll(io.LimitReader(c.InOrStdin(), 1<<16))
	default:
		text, err = os.ReadFile(file)
	}
	if err != nil {
		return "", fail(exitUsage, "%w", err)
	}
	line, _, _ := strings.Cut(string(text), "\n")
	return strings.TrimSuffix(line, "\r"), nil
}

func newSignIn() *cobra.Command {
	var name, file, tokenFile, keep string
	c := &cobra.Command{
		Use:   "sign-in",
		Short: "Sign in to a service, and keep a token for it",
		Long: `Sign in to a service. A token of 90 days is kept for it in the system's keyring, or
where there is none in a file of your data home, and all commands then send it;
` + tokenVariable + ` wins over it. pikegate sign-out ends it.

Who has no password at the service makes a token on the page of their account, and
keeps it by --token-file.`,
		Example: `  pikegate sign-in --name Tove --password-file - --server https://reports.example.test
  pikegate sign-in --token-file - --server https://reports.example.test`,
		Args: arity(0, 0),
		RunE: calling(func(c *cobra.Command, client *client, _ []string) error {
			if host := client.host(); strings.HasPrefix(client.base, "http:") && !loopback(host) {
				fmt.Fprintf(c.ErrOrStderr(), "The way to %s is not encrypted: others on it can read what lets you in.\n", host)
			}
			if tokenFile != "" {
				return signInByToken(c, client, tokenFile, keep)
			}
			password, err := readPassword(c, file)
			if err != nil {
				return err
			}
			client.token = ""
			session, err := client.call(c.Context(), http.MethodPost, "/session", api.SignIn{Name: name, Password: password}, "application/json")
			if err != nil {
				return err
			}
			var signed api.Signed
			err = json.NewDecoder(io.LimitReader(session.Body, mostAnswer)).Decode(&signed)
			session.Body.Close()
			if err != nil {
				return fail(exitInterrupted, "the answer broke off: %w", err)
			}
			client.cookies = session.Cookies()
			host, _ := os.Hostname() // a name to tell it by, no more
			var made api.MadeToken
			if err := client.json(c.Context(), http.MethodPost, "/account/tokens", api.NewToken{Name: "pikegate at " + cmp.Or(host, "a machine"), Days: tokenDays}, &made); err != nil {
				return err
			}
			if err := client.json(c.Context(), http.MethodDelete, "/session", nil, nil); err != nil {
				return err
			}
			return keepPass(c, client, made.Token, keep, signed.Person, made.Pass)
		}),
	}
	serverFlag(c)
	c.Flags().StringVar(&name, "name", "", "your name")
	passwordFlag(c, &file)
	c.Flags().StringVar(&tokenFile, "token-file", "", "file that holds a token that you made; - for standard input")
	wordFlag(c, &keep, "keep", keepWhere, []string{keepWhere, keepInKeyring, keepInFile}, "where the token is kept: in the keyring where there is one, else in a file")
	c.MarkFlagsOneRequired("name", "token-file")
	c.MarkFlagsMutuallyExclusive("name", "token-file")
	return c
}

// signInByToken keeps a token that stands in a file, once the service knows it.
func signInByToken(c *cobra.Command, client *client, file, keep string) error {
	token, err := readPassword(c, file)
	if err != nil {
		return err
	}
	client.token = token
	var account api.Account
	if err := client.json(c.Context(), http.MethodGet, "/account", nil, &account); err != nil {
		return err
	}
	own := slices.IndexFunc(account.Passes, func(p people.Pass) bool { return p.Own })
	if own < 0 {
		return fail(exitUsage, "that is no token: it lets nobody in")
	}
	return keepPass(c, client, token, keep, account.Person, account.Passes[own])
}

// keepPass keeps a token, and says whom it lets in.
func keepPass(c *cobra.Command, client *client, token, keep, person string, pass people.Pass) error {
	if err := keepToken(client.base, token, keep); err != nil {
		return fail(exitFailed, "the token cannot be kept: %w", err)
	}
	fmt.Fprintf(c.OutOrStdout(), "Signed in to %s as %s (%s), until %s.\n", client.base, person, pass.Role, pass.EndsAt.Format("2006-01-02"))
	return nil
}

const tokenDays = 90

func newSignOut() *cobra.Command {
	c := &cobra.Command{
		Use:   "sign-out",
		Short: "End the token that is kept for a service",
		Args:  arity(0, 0),
		RunE: calling(func(c *cobra.Command, client *client, _ []string) error {
			var account api.Account
			err := client.json(c.Context(), http.MethodGet, "/account", nil, &account)
			for _, p := range account.Passes {
				if err == nil && p.Own {
					err = client.json(c.Context(), http.MethodDelete, "/account/passes/"+strconv.FormatInt(p.ID, 10), nil, nil)
				}
			}
			if lost := dropToken(client.base); lost != nil {
				return fail(exitFailed, "the token cannot be forgotten: %w", lost)
			}
			if err != nil {
				return err
			}
			fmt.Fprintf(c.OutOrStdout(), "Signed out of %s.\n", client.base)
			return nil
		}),
	}
	serverFlag(c)
	return c
}

func newPeople() *cobra.Command {
	return group("people", "Who may sign in", newPeopleList(), newPeopleAdd(), newPeopleSet())
}

func newPeopleList() *cobra.Command {
	var output string
	c := &cobra.Command{
		Use:   "list",
		Short: "List who may sign in, and who may no more",
		Args:  arity(0, 0),
		RunE: calling(func(c *cobra.Command, client *client, _ []string) error {
			var list api.PersonList
			if err := client.json(c.Context(), http.MethodGet, "/people", nil, &list); err != nil {
				return err
			}
			return printed(c, output, list, func() {
				if len(list.People) == 0 {
					fmt.Fprintln(c.OutOrStdout(), "Nobody has to sign in. With the first person, an admin, everybody has to.")
				}
				for _, p := range list.People {
					away := ""
					if p.AwayAt != nil {
						away = "  away since " + p.AwayAt.Format("2006-01-02")
					}
					if len(p.Groups) > 0 {
						away = "  in " + strings.Join(p.Groups, ", ") + away
					}
					away = limitsText(p.Shelves, p.Attributes) + away
					fmt.Fprintf(c.OutOrStdout(), "%-24s %s%s\n", p.Name, p.Role, away)
				}
			})
		}),
	}
	serverFlag(c)
	outputFlag(c, &output)
	return c
}

func newPeopleAdd() *cobra.Command {
	var role, file, data string
	var elsewhere bool
	var limits limitFlags
	c := &cobra.Command{
		Use:   "add NAME",
		Short: "Let somebody sign in; with the first one, an admin, everybody has to",
		Long: `Let somebody sign in. The first person is an admin, and from then on everybody
has to sign in. Where nobody may yet, as on a service that listens beyond this
machine, --data names the directory of a service that does not run.`,
		Example: `  pikegate people add Ines --role admin --password-file ines.txt
  pikegate people add Ines --role admin --password-file - --data /srv/pikegate
  pikegate people add Arvid --no-password`,
		Args: arity(1, 1),
		RunE: func(c *cobra.Command, args []string) error {
			var password string
			if file != "" || !elsewhere {
				var err error
				if password, err = readPassword(c, file); err != nil {
					return err
				}
			}
			person := &people.Person{}
			given, err := limits.given()
			if err != nil {
				return err
			}
			if data != "" {
				person, err = addAt(c, data, args[0], password, role, given)
			} else {
				var client *client
				if client, err = newClient(c); err == nil {
					err = client.json(c.Context(), http.MethodPost, "/people", api.NewPerson{Name: args[0], Password: password, Role: role, Limits: given}, person)
				}
			}
			if err != nil {
				return err
			}
			fmt.Fprintf(c.OutOrStdout(), "%s may sign in as %s.\n", person.Name, person.Role)
			return nil
		},
	}
	serverFlag(c)
	roleFlag(c, &role, base.Reader)
	passwordFlag(c, &file)
	limits.add(c)
	c.Flags().BoolVar(&elsewhere, "no-password", false, "without a password: the provider of the setting openid-provider lets them in, or a proxy")
	c.MarkFlagsMutuallyExclusive("no-password", "password-file")
	c.Flags().StringVar(&data, "data", "", "directory of a service that does not run, to add them there")
	return c
}

// limitFlags say what of the service there is for people.
type limitFlags struct{ shelves, attributes []string }

func (f *limitFlags) add(c *cobra.Command) {
	c.Flags().StringArrayVar(&f.shelves, "shelf", nil, "of readers and developers: a shelf whose reports there are for them, and no others; may be said several times")
	c.Flags().StringArrayVar(&f.attributes, "attribute", nil, "what conditions on who runs a report can ask of them: harbours=Holm, or =* for every value; may be said several times")
}

// given are the limits that were said.
func (f *limitFlags) given() (people.Limits, error) {
	l := people.Limits{Shelves: f.shelves}
	for _, text := range f.attributes {
		name, value, ok := strings.Cut(text, "=")
		if !ok || name == "" {
			return l, fail(exitUsage, "--attribute wants a name and a value, as in harbours=Holm, and this is %q", text)
		}
		if l.Attributes == nil {
			l.Attributes = map[string][]string{}
		}
		l.Attributes[name] = append(l.Attributes[name], value)
	}
	return l, nil
}

// limitsText is what of the service there is for people, for a list.
func limitsText(shelves []string, attributes map[string][]string) string {
	text := ""
	if len(shelves) > 0 {
		text = "  shelves " + strings.Join(shelves, ", ")
	}
	for _, name := range slices.Sorted(maps.Keys(attributes)) {
		text += "  " + name + "=" + strings.Join(attributes[name], ",")
	}
	return text
}

func roleFlag(c *cobra.Command, into *string, usual string) {
	wordFlag(c, into, "role", usual, base.Roles, "what they may do")
}

// addAt adds a person in the directory of a service that does not run.
func addAt(c *cobra.Command, dir, name, password, role string, limits people.Limits) (*people.Person, error) {
	to := usual()
	to.Dir = dir
	var person *people.Person
	s, err := openService(c.Context(), to.Config, c.ErrOrStderr())
	if err != nil {
		return nil, err
	}
	defer s.Close()
	if person, err = s.People.Add(c.Context(), name, password, role, limits); err != nil {
		return nil, fail(exitDefinitions, "%w", err)
	}
	return person, nil
}

func newPeopleSet() *cobra.Command {
	var role, file string
	var away, back, allShelves, noPassword, noOpenID bool
	var limits limitFlags
	var unset []string
	c := &cobra.Command{
		Use:   "set NAME",
		Short: "Change what somebody may do, their password, or whether they may sign in",
		Example: `  pikegate people set Tove --role admin
  pikegate people set Arvid --away`,
		Args: arity(1, 1),
		RunE: calling(func(c *cobra.Command, client *client, args []string) error {
			change := people.PersonChange{NoPassword: noPassword, NoOpenID: noOpenID}
			if c.Flags().Changed("role") {
				change.Role = role
			}
			if file != "" {
				var err error
				if change.Password, err = readPassword(c, file); err != nil {
					return err
				}
			}
			if away || back {
				change.Away = &away
			}
			given, err := limits.given()
			if err != nil {
				return err
			}
			if len(given.Shelves) > 0 || allShelves {
				limit := append([]string{}, given.Shelves...) // an empty list, and not none
				change.Shelves = &limit
			}
			if len(given.Attributes)+len(unset) > 0 {
				known, err := personNamed(c, client, args[0])
				if err != nil {
					return err
				}
				for _, name := range unset {
					delete(known.Attributes, name)
				}
				maps.Copy(known.Attributes, given.Attributes)
				change.Attributes = &known.Attributes
			}
			if change == (people.PersonChange{}) {
				return fail(exitUsage, "nothing is to change: --role, --shelf, --all-shelves, --attribute, --unset, --password-file, --no-password, --no-openid, --away or --back says what")
			}
			var p people.Person
			if err := client.json(c.Context(), http.MethodPut, "/people/"+url.PathEscape(args[0]), change, &p); err != nil {
				return err
			}
			may := "may sign in as " + p.Role
			if p.AwayAt != nil {
				may = "is away, and may not sign in"
			}
			fmt.Fprintf(c.OutOrStdout(), "%s %s.\n", p.Name, may)
			return nil
		}),
	}
	serverFlag(c)
	roleFlag(c, &role, base.Reader)
	passwordFlag(c, &file)
	c.Flags().BoolVar(&away, "away", false, "they may not sign in any more; their sessions, tokens and live links end")
	c.Flags().BoolVar(&back, "back", false, "they may again")
	limits.add(c)
	c.Flags().StringArrayVar(&unset, "unset", nil, "an attribute that is not set for them any more; may be said several times")
	c.Flags().BoolVar(&allShelves, "all-shelves", false, "the reports of all shelves are there for them again")
	c.Flags().BoolVar(&noPassword, "no-password", false, "take their password away, so that the provider of the setting openid-provider lets them in; their sessions and tokens end")
	c.Flags().BoolVar(&noOpenID, "no-openid", false, "forget who they are at that provider, so that who signs in there next by this name is this person; their sessions and tokens end")
	c.MarkFlagsMutuallyExclusive("shelf", "all-shelves")
	c.MarkFlagsMutuallyExclusive("away", "back")
	c.MarkFlagsMutuallyExclusive("no-password", "password-file")
	return c
}

// personNamed finds a person, however the letters of the name are written.
func personNamed(c *cobra.Command, client *client, name string) (*people.Person, error) {
	var list api.PersonList
	if err := client.json(c.Context(), http.MethodGet, "/people", nil, &list); err != nil {
		return nil, err
	}
	for i := range list.People {
		if strings.EqualFold(list.People[i].Name, name) {
			return &list.People[i], nil
		}
	}
	return nil, fail(exitDefinitions, "nobody is called %q", name)
}

func newGroups() *cobra.Command {
	return group("groups", "Groups of people, and what they may together", newGroupsList(), newGroupsSet(), newGroupsDrop())
}

func newGroupsList() *cobra.Command {
	var output string
	c := &cobra.Command{
		Use:   "list",
		Short: "List the groups of people",
		Args:  arity(0, 0),
		RunE: calling(func(c *cobra.Command, client *client, _ []string) error {
			var list api.GroupList
			if err := client.json(c.Context(), http.MethodGet, "/groups", nil, &list); err != nil {
				return err
			}
			return printed(c, output, list, func() {
				for _, g := range list.Groups {
					fmt.Fprintf(c.OutOrStdout(), "%-24s %-10s %s%s\n", g.Name, g.Role, cmp.Or(strings.Join(g.Members, ", "), "nobody"), limitsText(g.Shelves, g.Attributes))
				}
			})
		}),
	}
	serverFlag(c)
	outputFlag(c, &output)
	return c
}

func newGroupsSet() *cobra.Command {
	g := people.Group{Members: []string{}}
	var limits limitFlags
	c := &cobra.Command{
		Use:   "set NAME",
		Short: "Add a group, or put one in the place of that of its name",
		Long: `Add a group of people, or put one in the place of that of its name: who is in it,
and what they may beside what each of them may. What is not said is not so any more.`,
		Example: `  pikegate groups set "Holm office" --person Arvid --person Solveig --attribute harbours=Holm`,
		Args:    arity(1, 1),
		RunE: calling(func(c *cobra.Command, client *client, args []string) (err error) {
			if g.Name = args[0]; !c.Flags().Changed("role") {
				g.Role = ""
			}
			if g.Limits, err = limits.given(); err != nil {
				return err
			}
			var set people.Group
			if err := client.json(c.Context(), http.MethodPut, "/groups", g, &set); err != nil {
				return err
			}
			fmt.Fprintf(c.OutOrStdout(), "%s: %s.\n", set.Name, cmp.Or(strings.Join(set.Members, ", "), "nobody"))
			return nil
		}),
	}
	serverFlag(c)
	roleFlag(c, &g.Role, base.Reader)
	c.Flags().StringArrayVar(&g.Members, "person", []string{}, "somebody who is in it; may be said several times")
	limits.add(c)
	return c
}

func newGroupsDrop() *cobra.Command {
	c := &cobra.Command{
		Use:   "drop NAME",
		Short: "Drop a group; its people keep what they may themselves",
		Args:  arity(1, 1),
		RunE: calling(func(c *cobra.Command, client *client, args []string) error {
			if err := client.json(c.Context(), http.MethodDelete, "/groups/"+url.PathEscape(args[0]), nil, nil); err != nil {
				return err
			}
			fmt.Fprintf(c.OutOrStdout(), "%s is dropped.\n", args[0])
			return nil
		}),
	}
	serverFlag(c)
	return c
}

func newTokens() *cobra.Command {
	return group("tokens", "Your sessions, and your tokens for scripts", newTokensList(), newTokensMake(), newTokensEnd())
}

func newTokensList() *cobra.Command {
	var output string
	c := &cobra.Command{
		Use:   "list",
		Short: "List your sessions and tokens",
		Args:  arity(0, 0),
		RunE: calling(func(c *cobra.Command, client *client, _ []string) error {
			var account api.Account
			if err := client.json(c.Context(), http.MethodGet, "/account", nil, &account); err != nil {
				return err
			}
			return printed(c, output, account, func() {
				for _, p := range account.Passes {
					used := "never used"
					if p.UsedAt != nil {
						used = "used " + p.UsedAt.Local().Format("2006-01-02 15:04")
					}
					fmt.Fprintf(c.OutOrStdout(), "%6d  %-8s %-30s %s, %s, ends %s\n", p.ID, p.Kind, p.Name, p.Role, used, p.EndsAt.Local().Format("2006-01-02"))
				}
			})
		}),
	}
	serverFlag(c)
	outputFlag(c, &output)
	return c
}

func newTokensMake() *cobra.Command {
	var role string
	var days int
	c := &cobra.Command{
		Use:     "make NAME",
		Short:   "Make a token for a script, which is told this once",
		Long:    "Make a token for a script. It is sent as Authorization: Bearer TOKEN, or set as\n" + tokenVariable + " for these commands, and not told again.",
		Example: "  pikegate tokens make \"nightly export\" --role reader --days 30",
		Args:    arity(1, 1),
		RunE: calling(func(c *cobra.Command, client *client, args []string) error {
			wanted := api.NewToken{Name: args[0], Days: days}
			if c.Flags().Changed("role") {
				wanted.Role = role
			}
			var made api.MadeToken
			if err := client.json(c.Context(), http.MethodPost, "/account/tokens", wanted, &made); err != nil {
				return err
			}
			fmt.Fprintln(c.OutOrStdout(), made.Token)
			fmt.Fprintf(c.ErrOrStderr(), "Token %d, for what a %s may, until %s. It is not told again.\n", made.ID, made.Role, made.EndsAt.Local().Format("2006-01-02"))
			return nil
		}),
	}
	serverFlag(c)
	roleFlag(c, &role, base.Reader)
	c.Flags().IntVar(&days, "days", tokenDays, "how long it lasts, 366 at most")
	return c
}

func newTokensEnd() *cobra.Command {
	c := &cobra.Command{
		Use:   "end NUMBER",
		Short: "End a session or token of yours",
		Args:  arity(1, 1),
		RunE: calling(func(c *cobra.Command, client *client, args []string) error {
			if err := client.json(c.Context(), http.MethodDelete, "/account/passes/"+url.PathEscape(args[0]), nil, nil); err != nil {
				return err
			}
			fmt.Fprintln(c.OutOrStdout(), "It has ended.")
			return nil
		}),
	}
	serverFlag(c)
	return c
}

func newAudit() *cobra.Command {
	var output string
	var limit int
	c := &cobra.Command{
		Use:   "audit",
		Short: "What was done, and what was refused, the latest first",
		Args:  arity(0, 0),
		RunE: calling(func(c *cobra.Command, client *client, _ []string) error {
			var list api.AuditList
			if err := client.json(c.Context(), http.MethodGet, "/audit?limit="+strconv.Itoa(limit), nil, &list); err != nil {
				return err
			}
			return printed(c, output, list, func() {
				for _, e := range list.Entries {
					fmt.Fprintf(c.OutOrStdout(), "%6d  %s  %s: %s\n", e.ID, e.At.Local().Format("2006-01-02 15:04:05"), cmp.Or(e.Person, "(nobody)"), strings.TrimSuffix(e.Action+" "+e.Subject, " "))
				}
			})
		}),
	}
	serverFlag(c)
	outputFlag(c, &output)
	c.Flags().IntVar(&limit, "limit", 200, "how many at most")
	c.AddCommand(newAuditVerify())
	return c
}

func newAuditVerify() *cobra.Command {
	c := &cobra.Command{
		Use:   "verify",
		Short: "Hold the record of what was done to its hashes",
		Args:  arity(0, 0),
		RunE: calling(func(c *cobra.Command, client *client, _ []string) error {
			var told api.Verified
			if err := client.json(c.Context(), http.MethodGet, "/audit/verify", nil, &told); err != nil {
				return err
			}
			if told.Wrong > 0 {
				return fail(exitFailed, "record %d does not hold: it or one before it was changed, or one is left out", told.Wrong)
			}
			fmt.Fprintf(c.OutOrStdout(), "%s, each as it was written, and none left out.\n", english.Count(int(told.Entries), "record"))
			return nil
		}),
	}
	serverFlag(c)
	return c
}

// addDemoPeople lets four made-up people sign in to the demo, with new passwords at each start.
func addDemoPeople(c *cobra.Command, s *service.Service) error {
	ctx := byDemo(c.Context())
	for _, p := range demoPeople {
		password := strings.ToLower(rand.Text()[:16])
		_, err := s.People.Set(ctx, p.name, people.PersonChange{Password: password, Shelves: &p.limits.Shelves, Attributes: &p.limits.Attributes})
		var none *base.Refusal
		if errors.As(err, &none) {
			_, err = s.People.Add(ctx, p.name, password, p.role, p.limits)
		}
		if err != nil {
			return fail(exitFailed, "%w", err)
		}
		fmt.Fprintf(c.OutOrStdout(), "person %s %s %s\n", p.name, password, p.role)
	}
	return nil
}

// demoPeople are an admin first, who lets the others in.
var demoPeople = []struct {
	name, role string
	limits     people.Limits
}{{"Ines", base.Admin, everyHarbour}, {"Tove", base.Developer, everyHarbour}, {"Arvid", base.Reader, everyHarbour},
	{"Solveig", base.Reader, people.Limits{Shelves: []string{"Claims desk", "Harbours"}, Attributes: map[string][]string{"harbours": {"Holm"}}}}}

var everyHarbour = people.Limits{Attributes: map[string][]string{"harbours": {"*"}}}
